//! A package that a sheet names.

use std::path::Path;

use super::Descriptor;
use crate::beside::{Beside, ReadFault};

/// Largest descriptor that is read. Reading takes a few times its size in memory.
pub(crate) const DESCRIPTOR_LIMIT: u64 = 16 * 1024 * 1024;

/// A package, read once however many appliances come from it.
#[derive(Debug)]
pub struct Package {
    /// Path of its descriptor as the sheet gives it.
    pub path: String,
    /// What the descriptor says.
    pub descriptor: Result<Descriptor, PackageFault>,
}

/// Why a package cannot be used.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum PackageFault {
    /// There is no such file.
    Missing,
    /// The file is there and cannot be used, for this reason.
    Unreadable(String),
}

impl Package {
    /// Reads the descriptor at a path, from the folder of the sheet on.
    pub fn read(path: &str, beside: &dyn Beside) -> Self {
        Self { path: path.to_owned(), descriptor: Self::read_descriptor(path, beside) }
    }

    fn read_descriptor(path: &str, beside: &dyn Beside) -> Result<Descriptor, PackageFault> {
        let extension = Path::new(path).extension().unwrap_or_default();
        if extension.eq_ignore_ascii_case("ova") {
            return Err(PackageFault::Unreadable(
                "it is an OVA archive, and this version reads the .ovf descriptor; an archive unpacks with tar".to_owned(),
            ));
        }
        let bytes = beside.read(Path::new(path), DESCRIPTOR_LIMIT).map_err(|fault| match fault {
            ReadFault::Missing => PackageFault::Missing,
            other => PackageFault::Unreadable(other.to_string()),
        })?;
        Descriptor::parse(&bytes).map_err(|fault| PackageFault::Unreadable(fault.to_string()))
    }
}
