//! A package as a whole.

use std::path::Path;

use impostazione_text::files::{NamedFiles, ReadFault};

use super::super::descriptor::Descriptor;
use super::certificate::{CERTIFICATE_LIMIT, Signature};
use super::contents::Contents;
use super::fault::PackageFault;
use super::limits::{DESCRIPTOR_LIMIT, SMALL_FILE};
use super::manifest::Manifest;
use super::trust::Trust;
use super::verify::{PackageFile, verify};

/// A package, read once however many appliances come from it.
#[derive(Debug)]
pub struct Package {
    /// Its path as the sheet gives it.
    pub path: String,
    /// What its descriptor says.
    pub descriptor: Result<Descriptor, PackageFault>,
    /// Where its files lie, as far as it could be read.
    pub contents: Option<Contents>,
    /// Its manifest, where it has one.
    pub manifest: Option<Manifest>,
    /// Its files: the descriptor first, then those that it names, then others. Digests of the descriptor and of small
    /// files have been looked at, and no others.
    pub files: Vec<PackageFile>,
    /// Files that must not be used, and why.
    pub unsafe_files: Vec<(String, &'static str)>,
    /// Who signed it, or why that cannot be read; `None` where nobody did.
    pub signature: Option<Result<Signature, String>>,
}

impl Package {
    /// Reads the package at a path, relative to the sheet's folder: all but its large files.
    pub fn read(path: &str, named_files: &dyn NamedFiles) -> Self {
        Self::read_trusting(path, named_files, None)
    }

    /// The same, and judges its certificate.
    pub fn read_trusting(path: &str, named_files: &dyn NamedFiles, trust: Option<Trust<'_>>) -> Self {
        let mut package = Self {
            path: path.to_owned(),
            descriptor: Err(PackageFault::Missing),
            contents: None,
            manifest: None,
            files: Vec::new(),
            unsafe_files: Vec::new(),
            signature: None,
        };
        let contents = match Contents::find(Path::new(path), named_files) {
            Ok(contents) => contents,
            Err(fault) => {
                package.descriptor = Err(fault);
                return package;
            }
        };
        package.descriptor = read_descriptor(&contents, named_files);
        package.unsafe_files.clone_from(&contents.unsafe_members);
        let manifest =
            contents.read(&contents.sibling("mf"), super::manifest::MANIFEST_LIMIT, named_files).ok();
        package.manifest = manifest.as_deref().map(Manifest::parse);
        if let Some((name, line)) = package.manifest.as_ref().and_then(|manifest| manifest.repeated.as_ref())
        {
            package.descriptor = Err(PackageFault::Unreadable(format!(
                "its manifest {} lists {name} a second time on line {line}; which digest counts depends on the \
                    reader",
                contents.sibling("mf")
            )));
        }
        if let Ok(descriptor) = &package.descriptor {
            let hrefs = descriptor.files.iter().flat_map(super::super::descriptor::FileReference::names);
            package.unsafe_files.extend(
                hrefs
                    .filter_map(|(name, _)| Some((super::archive::unsafe_name(&name)?, name)))
                    .map(|(why, name)| (name, why)),
            );
            package.files =
                super::verify::survey(&contents, descriptor, package.manifest.as_ref(), named_files);
            let is_small = |file: &&mut PackageFile| file.size.is_some_and(|size| size <= SMALL_FILE);
            let count = package.files.len().min(1);
            let (first, rest) = package.files.split_at_mut(count);
            verify(&contents, first, named_files, &|_| {});
            for file in rest.iter_mut().filter(is_small) {
                verify(&contents, std::slice::from_mut(file), named_files, &|_| {});
            }
        }
        let certificate_name = contents.sibling("cert");
        package.signature = match contents.read(&certificate_name, CERTIFICATE_LIMIT, named_files) {
            Err(ReadFault::Missing) => None,
            Err(other) => Some(Err(other.to_string())),
            Ok(bytes) => Some(Signature::read(
                &certificate_name,
                &bytes,
                manifest.as_deref().unwrap_or_default(),
                package.manifest.as_ref(),
                trust,
            )),
        };
        package.contents = Some(contents);
        package
    }

    /// The files that cannot be used as they are, worst known.
    pub fn bad_files(&self) -> impl Iterator<Item = &PackageFile> {
        self.files.iter().filter(|file| file.state.is_bad())
    }
}

pub(super) fn read_descriptor(
    contents: &Contents,
    named_files: &dyn NamedFiles,
) -> Result<Descriptor, PackageFault> {
    let name = &contents.descriptor_name;
    let bytes = contents.read(name, DESCRIPTOR_LIMIT, named_files).map_err(|fault| {
        PackageFault::Unreadable(if contents.is_archive() {
            format!("its descriptor {name}: {fault}")
        } else {
            fault.to_string()
        })
    })?;
    let mut read = |name: &str| contents.read(name, DESCRIPTOR_LIMIT, named_files).ok();
    Descriptor::parse_with(&bytes, &mut read).map_err(|fault| {
        PackageFault::Unreadable(if contents.is_archive() {
            format!("its descriptor {name}: {fault}")
        } else {
            fault.to_string()
        })
    })
}
