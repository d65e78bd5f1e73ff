//! The root filesystem that a command is about: a folder, or a partition of an image.

use std::path::Path;

use impostazione_rootfs::{Access, Filesystem, Rootfs, RootfsImage};

use crate::args::WhereArguments;
use crate::exit::Failure;

/// A root filesystem that is open. Where it is a partition of an image, nothing else sees it mounted, and the kernel lets go of
/// it when this is dropped, however the program ends.
pub(crate) fn open(place: &WhereArguments, access: Access) -> Result<Rootfs, Failure> {
    match (&place.root, &place.image) {
        (Some(folder), _) => open_folder(folder),
        (None, Some(image)) => open_image(image, access),
        (None, None) => Err(Failure::CommandLine(
            "name a root filesystem with --root, or an image with --image".to_owned(),
        )),
    }
}

/// The root filesystem in an image.
pub(crate) fn open_image(image: &Path, access: Access) -> Result<Rootfs, Failure> {
    let image = RootfsImage::open(image).map_err(|fault| Failure::Files(fault.to_string()))?;
    image.mount(access).map_err(|fault| Failure::Files(fault.to_string()))
}

/// Whether a file is the image of a disk with a partition that may hold a root filesystem.
pub(crate) fn has_linux_partition(path: &Path) -> bool {
    RootfsImage::open(path).is_ok_and(|image| {
        image.partitions().iter().any(|partition| partition.filesystem == Filesystem::Ext4)
    })
}

/// The root filesystem in a folder.
pub(crate) fn open_folder(folder: &Path) -> Result<Rootfs, Failure> {
    Rootfs::open(folder).map_err(|fault| Failure::Files(fault.to_string()))
}
