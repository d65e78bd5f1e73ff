//! The state of each file of a package: there, of the right size, of the right digest.

use std::collections::HashSet;
use std::sync::Mutex;
use std::thread;

use impostazione_text::files::NamedFiles;

use super::archive;
use super::contents::Contents;
use super::digest::Algorithm;
use super::manifest::{Manifest, ManifestEntry};
use crate::descriptor::Descriptor;

/// A file of a package.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PackageFile {
    /// Its name.
    pub name: String,
    /// Its size in bytes, where it is there.
    pub size: Option<u64>,
    /// The size that the descriptor gives it.
    pub stated_size: Option<u64>,
    /// What the manifest says of it.
    pub digest: Option<(Algorithm, String)>,
    /// What came out.
    pub state: FileState,
}

/// What is known of a file of a package.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum FileState {
    /// Its digest is the manifest's.
    Ok,
    /// It is not there.
    Missing,
    /// It is not as large as the descriptor says.
    WrongSize,
    /// Its digest is not the manifest's.
    WrongDigest,
    /// No manifest has a digest of it.
    NoDigest,
    /// The descriptor does not name it.
    NotListed,
    /// It has a digest, which was not looked at.
    NotChecked,
}

impl FileState {
    /// The word in output for scripts.
    pub fn word(self) -> &'static str {
        match self {
            Self::Ok => "ok",
            Self::Missing => "missing",
            Self::WrongSize => "wrong-size",
            Self::WrongDigest => "wrong-digest",
            Self::NoDigest => "no-digest",
            Self::NotListed => "not-listed",
            Self::NotChecked => "not-checked",
        }
    }

    /// Whether the package cannot be used like that.
    pub fn is_bad(self) -> bool {
        matches!(self, Self::Missing | Self::WrongSize | Self::WrongDigest)
    }
}

/// Looks at which files are there and how large they are; digests are left for [`verify`].
pub(super) fn survey(
    contents: &Contents,
    descriptor: &Descriptor,
    manifest: Option<&Manifest>,
    named_files: &dyn NamedFiles,
) -> Vec<PackageFile> {
    let digest_of = |name: &str| {
        let ManifestEntry { algorithm, digest, .. } = manifest?.entry(name)?;
        Some((*algorithm, digest.clone()))
    };
    let look = |name: String, stated_size: Option<u64>, is_listed: bool| {
        let size = contents.size(&name, named_files);
        let digest = digest_of(&name);
        let state = match size {
            None => FileState::Missing,
            Some(size) if stated_size.is_some_and(|stated| stated != size) => FileState::WrongSize,
            Some(_) if digest.is_some() => FileState::NotChecked,
            Some(_) if !is_listed => FileState::NotListed,
            Some(_) => FileState::NoDigest,
        };
        PackageFile { name, size, stated_size, digest, state }
    };
    let mut files = vec![look(contents.descriptor_name.clone(), None, true)];
    let mut known: HashSet<String> = HashSet::from([contents.descriptor_name.clone()]);
    for (name, size) in descriptor.files.iter().flat_map(super::super::descriptor::FileReference::names) {
        if archive::unsafe_name(&name).is_some() {
            continue;
        }
        let name = archive::plain_name(&name);
        if known.insert(name.clone()) {
            files.push(look(name, size, true));
        }
    }
    let own = [contents.sibling("mf"), contents.sibling("cert")];
    let others = contents
        .archived()
        .chain(manifest.iter().flat_map(|manifest| manifest.entries.iter().map(|entry| entry.name.as_str())));
    for name in others {
        let is_own = own.iter().any(|own| own == name);
        if !is_own && archive::unsafe_name(name).is_none() && known.insert(name.to_owned()) {
            files.push(look(name.to_owned(), None, false));
        }
    }
    files
}

/// Digests the files that have a digest to compare with, several at a time, the largest first. `seen` is told of the
/// bytes that have been read. A file that cannot be read counts as missing.
pub fn verify(
    contents: &Contents,
    files: &mut [PackageFile],
    named_files: &dyn NamedFiles,
    seen: &(dyn Fn(u64) + Sync),
) {
    let mut waiting: Vec<&mut PackageFile> =
        files.iter_mut().filter(|file| file.state == FileState::NotChecked).collect();
    waiting.sort_by_key(|file| file.size);
    let workers = thread::available_parallelism().map_or(1, usize::from).min(waiting.len());
    let waiting = Mutex::new(waiting);
    let next = || waiting.lock().ok().and_then(|mut waiting| waiting.pop());
    thread::scope(|scope| {
        for _ in 0..workers {
            scope.spawn(|| {
                while let Some(file) = next() {
                    file.state = digest_state(contents, file, named_files, seen);
                }
            });
        }
    });
}

fn digest_state(
    contents: &Contents,
    file: &PackageFile,
    named_files: &dyn NamedFiles,
    seen: &(dyn Fn(u64) + Sync),
) -> FileState {
    let Some((algorithm, wanted)) = &file.digest else { return FileState::NoDigest };
    let Ok(mut part) = contents.open(&file.name, named_files) else { return FileState::Missing };
    match algorithm.of_reader(&mut part, seen) {
        Ok((digest, length)) if digest == *wanted && Some(length) == file.size => FileState::Ok,
        Ok(_) => FileState::WrongDigest,
        Err(_) => FileState::Missing,
    }
}

/// A digest of each file: the manifest's where it has one, or else one that is made now, by the manifest's algorithm.
pub fn complete_digests(
    contents: &Contents,
    files: &[PackageFile],
    named_files: &dyn NamedFiles,
    seen: &(dyn Fn(u64) + Sync),
) -> Result<Vec<ManifestEntry>, String> {
    let usual = files
        .iter()
        .find_map(|file| file.digest.as_ref())
        .map_or(Algorithm::Sha256, |(algorithm, _)| *algorithm);
    let listed = files.iter().filter(|file| file.state != FileState::NotListed);
    listed
        .map(|file| {
            let (algorithm, digest) = match &file.digest {
                Some((algorithm, digest)) => (*algorithm, digest.clone()),
                None => {
                    let refused = |reason: String| format!("{}: {reason}", file.name);
                    let mut part =
                        contents.open(&file.name, named_files).map_err(|fault| refused(fault.to_string()))?;
                    let made = usual.of_reader(&mut part, seen);
                    (usual, made.map_err(|error| refused(impostazione_text::files::plain(&error)))?.0)
                }
            };
            Ok(ManifestEntry { algorithm, name: file.name.clone(), digest })
        })
        .collect()
}
