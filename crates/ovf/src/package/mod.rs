//! OVF packages: a descriptor with the files that it names, in an OVA archive or in a folder.

mod archive;
mod certificate;
mod contents;
mod digest;
mod fault;
mod limits;
mod manifest;
mod pack;
mod package;
mod trust;
mod verify;

pub use certificate::{CERTIFICATE_LIMIT, Signature};
pub use contents::{Contents, Part};
pub use digest::Algorithm;
pub use fault::PackageFault;
pub use manifest::{Manifest, ManifestEntry};
pub use pack::{PackagePlan, make_sample_package};
pub use package::Package;
pub use trust::Trust;
pub use verify::{FileState, PackageFile, complete_digests, verify};
