//! Where a root filesystem has the partition that machines start from.

use super::folder::Rootfs;

/// Folders at which boot partitions of small machines are mounted, the likelier first.
pub const BOOT_FOLDERS: [&str; 2] = ["boot/firmware", "boot"];
/// The file on it with words for the kernel.
pub const KERNEL_LINE: &str = "cmdline.txt";

/// Where the list of filesystems has the boot partition mounted (`fstab(5)`); nothing where it has none.
pub(crate) fn mounted_by_list(rootfs: &Rootfs) -> Option<&'static str> {
    let list = rootfs.read("etc/fstab").ok()??;
    let list = String::from_utf8_lossy(&list);
    BOOT_FOLDERS.into_iter().find(|folder| {
        list.lines().filter(|line| !line.trim_start().starts_with('#')).any(|line| {
            let mut fields = line.split_whitespace().skip(1);
            fields.next().is_some_and(|at| at.trim_matches('/') == *folder)
                && fields.next().is_some_and(|kind| matches!(kind, "vfat" | "msdos" | "auto"))
        })
    })
}

/// Where the boot partition is seen on the booted host: where the list of filesystems has it, else where there is a folder for
/// it.
pub(crate) fn mount_point(rootfs: &Rootfs) -> String {
    mounted_by_list(rootfs)
        .or_else(|| BOOT_FOLDERS.into_iter().find(|folder| rootfs.has(folder)))
        .unwrap_or("boot")
        .to_owned()
}
