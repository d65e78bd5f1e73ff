//! Where the files of a package lie: in an OVA archive, or in the folder of the descriptor.

use std::io::{self, Read, Seek, SeekFrom, Take};
use std::path::{Path, PathBuf};

use impostazione_text::files::{FileContent, NamedFiles, OpenedFile, ReadFault};

use super::archive::{self, ArchiveMember, Listing};
use super::fault::PackageFault;
use super::limits::DESCRIPTOR_LIMIT;

/// The files of a package, whose content is read when it is asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Contents {
    /// The archive, or the descriptor.
    path: PathBuf,
    /// Name of the descriptor.
    pub descriptor_name: String,
    /// Its members, where it is an archive.
    members: Option<Vec<ArchiveMember>>,
    /// Members that are not touched: their name, and why.
    pub unsafe_members: Vec<(String, &'static str)>,
}

/// The content of one file of a package.
pub type Part = Take<FileContent>;

impl Contents {
    /// Looks at the package at a path: an archive, or a descriptor. A `.ova` and a `.ovf` are told apart by what is in
    /// them.
    pub(super) fn find(path: &Path, named_files: &dyn NamedFiles) -> Result<Self, PackageFault> {
        let mut opened = named_files.open(path).map_err(|fault| match fault {
            ReadFault::Missing => PackageFault::Missing,
            fault @ ReadFault::NoFolder(_) => PackageFault::OutOfReach(fault.to_string()),
            other => PackageFault::Unreadable(other.to_string()),
        })?;
        let mut start = [0; 4];
        let seen = read_up_to(&mut opened.content, &mut start).map_err(|error| unreadable(&error))?;
        opened.content.seek(SeekFrom::Start(0)).map_err(|error| unreadable(&error))?;
        let start = start.get(..seen).unwrap_or_default();
        if start.starts_with(b"\x1f\x8b") {
            return Err(PackageFault::Unreadable(
                "it is compressed with gzip, and an OVA is not compressed; unpack it with gunzip".to_owned(),
            ));
        }
        let is_text = start.iter().all(|byte| matches!(byte, b'<' | b'\r' | b'\n' | b'\t' | b' '))
            || start.starts_with(b"<")
            || start.starts_with(b"\xef\xbb\xbf")
            || start.starts_with(b"\xff\xfe")
            || start.starts_with(b"\xfe\xff")
            || start.starts_with(b"\0<");
        let extension = path.extension().unwrap_or_default();
        if is_text || (extension.eq_ignore_ascii_case("ovf") && !looks_like_tar(&mut opened)) {
            if opened.length > DESCRIPTOR_LIMIT {
                return Err(PackageFault::Unreadable(ReadFault::TooLarge(DESCRIPTOR_LIMIT).to_string()));
            }
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            return Ok(Self {
                path: path.to_owned(),
                descriptor_name: name,
                members: None,
                unsafe_members: Vec::new(),
            });
        }
        let Listing { members, unsafe_members } = archive::list(opened).map_err(PackageFault::Unreadable)?;
        let is_descriptor = |member: &&ArchiveMember| {
            has_descriptor_name(&member.name) && !archive::is_beside_another(&member.name)
        };
        let mut descriptors = members.iter().filter(is_descriptor);
        let descriptor_name = match (descriptors.next(), descriptors.next()) {
            (Some(only), None) => only.name.clone(),
            (Some(first), Some(second)) => {
                return Err(PackageFault::Unreadable(format!(
                    "the archive holds several descriptors, {} and {}",
                    first.name, second.name
                )));
            }
            (None, _) => {
                let unsafe_one = unsafe_members.iter().find(|(name, _)| has_descriptor_name(name));
                return Err(PackageFault::Unreadable(match unsafe_one {
                    Some((name, why)) => format!("its descriptor {name} cannot be used: {why}"),
                    None => "the archive holds no descriptor, no file that ends in .ovf".to_owned(),
                }));
            }
        };
        Ok(Self { path: path.to_owned(), descriptor_name, members: Some(members), unsafe_members })
    }

    /// Whether it is an archive.
    pub fn is_archive(&self) -> bool {
        self.members.is_some()
    }

    /// Whether the descriptor is the archive's first member, as the standard wants it.
    pub fn begins_with_descriptor(&self) -> bool {
        self.members.as_ref().is_none_or(|members| {
            let own = members.iter().find(|member| !archive::is_beside_another(&member.name));
            own.is_some_and(|first| first.name == self.descriptor_name)
        })
    }

    /// Names of the files in the archive, in their order; none for a folder.
    pub fn archived(&self) -> impl Iterator<Item = &str> {
        self.members.iter().flatten().map(|member| member.name.as_str())
    }

    /// The descriptor's name with another ending: the manifest's, the certificate's.
    pub fn sibling(&self, extension: &str) -> String {
        Path::new(&self.descriptor_name).with_extension(extension).to_string_lossy().into_owned()
    }

    /// Bytes in a file; `None` where there is none.
    pub fn size(&self, name: &str, named_files: &dyn NamedFiles) -> Option<u64> {
        match &self.members {
            Some(members) => {
                let name = archive::plain_name(name);
                members.iter().find(|member| member.name == name).map(|member| member.size)
            }
            None => named_files.open(&self.beside_descriptor(name)?).ok().map(|opened| opened.length),
        }
    }

    /// Opens a file to be read from its start to its end.
    pub fn open(&self, name: &str, named_files: &dyn NamedFiles) -> Result<Part, ReadFault> {
        let refused = |error: io::Error| ReadFault::Refused(impostazione_text::files::plain(&error));
        match &self.members {
            Some(members) => {
                let name = archive::plain_name(name);
                let member = members.iter().find(|member| member.name == name).ok_or(ReadFault::Missing)?;
                let mut opened = named_files.open(&self.path)?;
                opened.content.seek(SeekFrom::Start(member.offset)).map_err(refused)?;
                Ok(opened.content.take(member.size))
            }
            None => {
                let path = self.beside_descriptor(name).ok_or(ReadFault::Missing)?;
                let opened = named_files.open(&path)?;
                Ok(opened.content.take(opened.length))
            }
        }
    }

    /// Reads a file whole, if it has no more than `limit` bytes.
    pub fn read(&self, name: &str, limit: u64, named_files: &dyn NamedFiles) -> Result<Vec<u8>, ReadFault> {
        let mut part = self.open(name, named_files)?;
        if part.limit() > limit {
            return Err(ReadFault::TooLarge(limit));
        }
        let mut bytes = Vec::new();
        part.read_to_end(&mut bytes)
            .map_err(|error| ReadFault::Refused(impostazione_text::files::plain(&error)))?;
        Ok(bytes)
    }

    fn beside_descriptor(&self, name: &str) -> Option<PathBuf> {
        archive::unsafe_name(name).is_none().then(|| self.path.parent().unwrap_or(Path::new("")).join(name))
    }
}

/// Whether a file is a descriptor by its name.
fn has_descriptor_name(name: &str) -> bool {
    Path::new(name).extension().is_some_and(|end| end.eq_ignore_ascii_case("ovf"))
}

fn unreadable(error: &io::Error) -> PackageFault {
    PackageFault::Unreadable(format!("it cannot be read: {}", impostazione_text::files::plain(error)))
}

/// Whether `ustar` stands where tar archives have it (POSIX.1-2017, pax, table "ustar Header Block").
fn looks_like_tar(opened: &mut OpenedFile) -> bool {
    let mut header = [0; 512];
    let filled = read_up_to(&mut opened.content, &mut header).unwrap_or(0);
    let is_back = opened.content.seek(SeekFrom::Start(0)).is_ok();
    filled == 512 && is_back && header.get(257..262) == Some(b"ustar")
}

fn read_up_to(reader: &mut dyn Read, buffer: &mut [u8]) -> io::Result<usize> {
    let mut filled = 0;
    while let Some(rest) = buffer.get_mut(filled..).filter(|rest| !rest.is_empty()) {
        match reader.read(rest)? {
            0 => break,
            count => filled += count,
        }
    }
    Ok(filled)
}
