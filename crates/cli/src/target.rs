//! What a path on the command line leads to, and the root filesystem there.

use std::path::Path;

use impostazione_core::views::at_path::{AtPath, AtPathFault};
use impostazione_rootfs::{Access, Rootfs, RootfsImage};

use crate::exit::Failure;

/// What lies at a path.
pub(crate) fn look(path: &Path) -> Result<AtPath, Failure> {
    AtPath::look(path).map_err(|fault| match fault {
        AtPathFault::SeveralPackages(..) => Failure::CommandLine(fault.to_string()),
        fault => Failure::Files(fault.to_string()),
    })
}

/// Whether a root filesystem to place on, or to take back from, is in the image of a disk, and not in a folder.
pub(crate) fn is_image(target: &Path) -> Result<bool, Failure> {
    match look(target)? {
        AtPath::Rootfs | AtPath::Folder => Ok(false),
        // A folder that happens to have a package in it.
        AtPath::Package(_) if target.is_dir() => Ok(false),
        AtPath::DiskImage | AtPath::File | AtPath::Package(_) => Ok(true),
        other @ (AtPath::Output(..) | AtPath::Netplan | AtPath::Sheet) => Err(Failure::CommandLine(format!(
            "{} is {}, and not a root filesystem: name the folder where one is mounted, or the image of a disk",
            target.display(),
            other.word()
        ))),
    }
}

/// The root filesystem in a folder, or in the image of a disk. Nothing else sees the latter mounted, and the kernel lets go of
/// it when this is dropped, however the program ends.
pub(crate) fn open(target: &Path, access: Access) -> Result<Rootfs, Failure> {
    if target.is_dir() { open_folder(target) } else { open_image(target, access) }
}

/// The root filesystem in an image.
fn open_image(image: &Path, access: Access) -> Result<Rootfs, Failure> {
    let image = RootfsImage::open(image).map_err(|fault| Failure::Files(fault.to_string()))?;
    image.mount(access).map_err(|fault| Failure::Files(fault.to_string()))
}

/// The root filesystem in a folder.
fn open_folder(folder: &Path) -> Result<Rootfs, Failure> {
    Rootfs::open(folder).map_err(|fault| Failure::Files(fault.to_string()))
}
