//! What a path on the command line leads to, and the root filesystem there.

use std::path::Path;

use impostazione_core::views::at_path::{AtPath, AtPathFault};
use impostazione_rootfs::{Access, ImageFault, Rootfs, RootfsImage};

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
        // The rules on root filesystems say why nothing is placed on the system that runs.
        AtPath::Rootfs | AtPath::RunningSystem => Ok(false),
        // Of an image with nothing of use on it, it is said what it has.
        AtPath::DiskImage => Ok(true),
        AtPath::OtherFile if has_bytes_of_disk(target) => Ok(true),
        AtPath::Device => Err(Failure::CommandLine(format!(
            "{} is a device, a pipe or a socket, not an image file; mount the card and name the folder where it is \
                mounted",
            target.display()
        ))),
        other => Err(Failure::CommandLine(format!(
            "{} is {}; name the folder where a root filesystem is mounted, or a disk image",
            target.display(),
            other.word()
        ))),
    }
}

/// Whether a file has a table of partitions, or a filesystem, though none that is of use.
fn has_bytes_of_disk(file: &Path) -> bool {
    RootfsImage::open(file).is_ok_and(|image| !image.partitions().is_empty())
}

/// The root filesystem in a folder, or in the image of a disk. Nothing else sees the latter mounted, and the kernel lets go of
/// it when this is dropped, however the program ends.
pub(crate) fn open(target: &Path, access: Access) -> Result<Rootfs, Failure> {
    if target.is_dir() { open_folder(target) } else { open_image(target, access) }
}

/// The root filesystem in an image.
fn open_image(image: &Path, access: Access) -> Result<Rootfs, Failure> {
    let failure = |fault: ImageFault| match fault {
        ImageFault::NotAFile(..) | ImageFault::NoRootfs { .. } => Failure::CommandLine(fault.to_string()),
        fault => Failure::Files(fault.to_string()),
    };
    RootfsImage::open(image).and_then(|image| image.mount(access)).map_err(failure)
}

/// The root filesystem in a folder.
fn open_folder(folder: &Path) -> Result<Rootfs, Failure> {
    Rootfs::open(folder).map_err(|fault| Failure::Files(fault.to_string()))
}
