//! New OVA archives: a descriptor and a manifest of our own, and the files of a package as they are (DSP0243 2.1.1,
//! section 5.4).

use std::fs::File;
use std::io::{self, Read, Write};

use impostazione_text::FileBytes;
use impostazione_text::files::{FileContent, Folder, ReadFault};

use super::archive;
use super::contents::Contents;

/// A package that is to be written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PackagePlan {
    /// Members at the front: the descriptor, the manifest.
    pub head: Vec<(String, FileBytes)>,
    /// Files of the old package, in their order, with their sizes.
    pub files: Vec<(String, u64)>,
    /// The old package.
    pub contents: Contents,
    /// The folder from which its path starts.
    pub folder: Folder,
}

/// Zeros at the end of an archive: two blocks (POSIX.1-2017, pax, section "ustar Interchange Format").
const END: usize = 1024;

impl PackagePlan {
    /// How large the archive becomes, in bytes.
    pub fn size(&self) -> u64 {
        let member = |size: u64| 512 + size + archive::padding(size);
        let head: u64 = self.head.iter().map(|(_, bytes)| member(bytes.len() as u64)).sum();
        head + self.files.iter().map(|(_, size)| member(*size)).sum::<u64>() + END as u64
    }

    /// The front of the archive, as far as it is made of bytes of our own. The manifest in it stands for the rest.
    pub fn front(&self) -> io::Result<Vec<u8>> {
        let mut front = Vec::new();
        for (name, bytes) in &self.head {
            front.write_all(header(name, bytes.len() as u64)?.as_bytes())?;
            front.write_all(bytes)?;
            pad(&mut front, bytes.len() as u64)?;
        }
        Ok(front)
    }

    /// Writes the archive. `seen` is told of the bytes of files that have been copied.
    pub fn write(&self, out: &mut File, seen: &dyn Fn(u64)) -> io::Result<()> {
        out.write_all(&self.front()?)?;
        for (name, size) in &self.files {
            out.write_all(header(name, *size)?.as_bytes())?;
            let part = self
                .contents
                .open(name, &self.folder)
                .map_err(|fault| io::Error::other(fault_text(name, &fault)))?;
            let there = part.limit();
            // From file to file the system copies by itself.
            let copied = match part.into_inner() {
                FileContent::File(file) => copy_file(&file, *size, out, seen)?,
                FileContent::Memory(bytes) => io::copy(&mut bytes.take(*size), out)?,
            };
            if copied != *size || there != *size {
                return Err(io::Error::other(format!("{name} changed while it was copied")));
            }
            pad(out, *size)?;
        }
        out.write_all(&[0; END])
    }

    /// Bytes of the files that are copied.
    pub fn bytes_to_copy(&self) -> u64 {
        self.files.iter().map(|(_, size)| *size).sum()
    }
}

/// Bytes that are copied between two reports.
const PIECE: u64 = 64 * 1024 * 1024;

fn copy_file(mut file: &File, size: u64, out: &mut File, seen: &dyn Fn(u64)) -> io::Result<u64> {
    let mut copied = 0;
    while copied < size {
        let count = io::copy(&mut Read::take(&mut file, PIECE.min(size - copied)), out)?;
        if count == 0 {
            break;
        }
        copied += count;
        seen(count);
    }
    Ok(copied)
}

fn fault_text(name: &str, fault: &ReadFault) -> String {
    format!("{name}: {fault}")
}

/// A header without owner and date: the same package gives the same bytes.
fn header(name: &str, size: u64) -> io::Result<tar::Header> {
    let mut header = tar::Header::new_ustar();
    header.set_path(name)?;
    header.set_size(size);
    header.set_mode(0o644);
    header.set_uid(0);
    header.set_gid(0);
    header.set_mtime(0);
    header.set_entry_type(tar::EntryType::Regular);
    header.set_cksum();
    Ok(header)
}

fn pad(out: &mut dyn Write, size: u64) -> io::Result<()> {
    let padding = usize::try_from(archive::padding(size)).unwrap_or_default();
    out.write_all(&[0; 512][..padding])
}

/// Writes the files that a descriptor names, full of zeros, and a manifest beside it; and, where an archive is wanted, an
/// OVA of all that in their place. This makes the packages of the sample site, whose disks hold nothing.
pub fn make_sample_package(
    folder: &std::path::Path,
    descriptor_name: &str,
    as_archive: bool,
) -> io::Result<()> {
    let read = Folder::new(folder);
    let refused = |fault: ReadFault| io::Error::other(fault.to_string());
    let contents = Contents::find(std::path::Path::new(descriptor_name), &read)
        .map_err(|fault| io::Error::other(format!("{descriptor_name}: {fault:?}")))?;
    let bytes = contents.read(descriptor_name, super::limits::DESCRIPTOR_LIMIT, &read).map_err(refused)?;
    let descriptor = crate::descriptor::Descriptor::parse(&bytes).map_err(io::Error::other)?;
    let algorithm = super::digest::Algorithm::Sha256;
    let line = |name: &str, bytes: &[u8]| super::manifest::ManifestEntry {
        algorithm,
        name: name.to_owned(),
        digest: algorithm.of_bytes(bytes),
    };
    let mut manifest = super::manifest::Manifest::default();
    manifest.entries.push(line(descriptor_name, &bytes));
    let mut files = Vec::new();
    for (name, size) in descriptor.files.iter().flat_map(crate::descriptor::FileReference::names) {
        let size = size.unwrap_or_default();
        let zeros = vec![0; usize::try_from(size).map_err(io::Error::other)?];
        std::fs::write(folder.join(&name), &zeros)?;
        manifest.entries.push(line(&name, &zeros));
        files.push((name, size));
    }
    let manifest_name = contents.sibling("mf");
    let manifest = manifest.text().into_bytes();
    if !as_archive {
        return std::fs::write(folder.join(manifest_name), manifest);
    }
    let path = folder.join(contents.sibling("ova"));
    let plan = PackagePlan {
        head: vec![
            (descriptor_name.to_owned(), FileBytes::new(bytes)),
            (manifest_name, FileBytes::new(manifest)),
        ],
        files,
        contents,
        folder: read,
    };
    plan.write(&mut File::create(path)?, &|_| {})?;
    for (name, _) in &plan.files {
        std::fs::remove_file(folder.join(name))?;
    }
    std::fs::remove_file(folder.join(descriptor_name))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::package::Package;
    use crate::package::verify::FileState;

    const DESCRIPTOR: &str = r#"<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1">
        <References><File ovf:id="a" ovf:href="a.img" ovf:size="700"/><File ovf:id="b" ovf:href="b.img" ovf:size="1024"/></References>
        <VirtualSystem ovf:id="x"><Info/></VirtualSystem></Envelope>"#;

    #[test]
    fn a_sample_package_is_whole_and_as_large_as_planned() {
        let folder = tempfile::tempdir().unwrap();
        std::fs::write(folder.path().join("x.ovf"), DESCRIPTOR).unwrap();
        make_sample_package(folder.path(), "x.ovf", true).unwrap();
        let names: Vec<_> =
            std::fs::read_dir(folder.path()).unwrap().map(|entry| entry.unwrap().file_name()).collect();
        assert_eq!(names, ["x.ova"]);
        let package = Package::read("x.ova", &Folder::new(folder.path()));
        let states: Vec<FileState> = package.files.iter().map(|file| file.state).collect();
        assert_eq!(states, [FileState::Ok; 3]);
        let contents = package.contents.unwrap();
        assert_eq!(contents.archived().collect::<Vec<_>>(), ["x.ovf", "x.mf", "a.img", "b.img"]);
        let plan = PackagePlan {
            head: vec![("y.ovf".into(), FileBytes::new(*b"abc"))],
            files: vec![("a.img".into(), 700), ("b.img".into(), 1024)],
            contents,
            folder: Folder::new(folder.path()),
        };
        let path = folder.path().join("y.ova");
        plan.write(&mut File::create(&path).unwrap(), &|_| {}).unwrap();
        assert_eq!(std::fs::metadata(&path).unwrap().len(), plan.size());
        assert!(std::fs::read(&path).unwrap().starts_with(&plan.front().unwrap()));
    }
}
