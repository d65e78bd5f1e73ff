//! Root filesystems that are not the running one: a handle that nothing leads out of, changes that can be taken back, and
//! images of whole disks.
//!
//! A [`Rootfs`] is a mounted folder, or a partition of an image. No link and no name on it leads out of it, and what is not a
//! [`RootfsPath`] is no path on it. Changes are journaled: whatever interrupts them, [`journal::undo`] takes them back to the
//! byte, with modes, owners and times.
//!
//! ```
//! use impostazione_rootfs::{Rootfs, RootfsPath};
//!
//! let card = tempfile::tempdir().unwrap();
//! std::fs::create_dir(card.path().join("etc")).unwrap();
//! std::fs::write(card.path().join("etc/hostname"), "buoy-1\n").unwrap();
//!
//! let rootfs = Rootfs::open(card.path()).unwrap();
//! assert_eq!(&*rootfs.read("etc/hostname").unwrap().unwrap(), b"buoy-1\n");
//! assert!(RootfsPath::new("../etc/hostname").is_err());
//! ```
//!
//! Images, owners that are not one's own, and mounts need root, and Linux 5.6 or later (`openat2(2)`).

pub mod access_list;
mod boot;
mod boot_list;
mod change;
mod digest;
mod entries;
mod folder;
mod image;
pub mod journal;
mod loop_device;
mod mbr;
mod mounts;
mod open_folder;
mod partitions;
mod path;
mod record;
mod remains;
mod state;
mod times;
mod view;

pub use boot_list::{BOOT_FOLDERS, KERNEL_LINE};
pub use change::{Change, Owner, Subject, Want};
pub use entries::{own_identity, refuse_if_in_the_way};
pub use folder::{Found, Kind, READ_LIMIT, Room, Rootfs, RootfsFault, RootfsLock, split};
pub use image::{Access, ImageFault, RootfsImage};
pub use journal::{
    Earlier, PlacementFacts, Since, Undone, check_reach, clear, complete, is_for_the_host_to_change,
};
pub use open_folder::{OpenFolder, is_entry_name};
pub use partitions::{Filesystem, Partition};
pub use path::{OddPath, RootfsPath};
pub use record::{FolderTimes, RECORD_FOLDER, Record, RecordFault, Step};
pub use remains::Remains;
pub use state::State;
pub use view::{View, joined};
