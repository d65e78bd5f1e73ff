//! What is mounted where on the running system, and what of it is seen on a root filesystem too (`proc_pid_mountinfo(5)`).

use std::os::fd::AsFd;
use std::path::{Path, PathBuf};

use rustix::fs::{AtFlags, StatxFlags};
use rustix::io::Errno;

/// Where people and desktops mount cards: what is mounted there is no part of the running system.
const FOR_CARDS: [&str; 3] = ["/media", "/mnt", "/run/media"];

/// A filesystem, or a folder of one, that is mounted.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Mount {
    id: u64,
    /// Major and minor number, as the kernel writes them.
    device: String,
    /// The folder of the filesystem that is seen.
    root: PathBuf,
    point: PathBuf,
}

/// The folder of the running system that an open folder of a root filesystem really is, where something is mounted on that.
pub(super) fn foreign_source(top: &impl AsFd, folder: &impl AsFd) -> Result<Option<PathBuf>, Errno> {
    let (of_top, of_folder) = (mount_id(top)?, mount_id(folder)?);
    if of_top == of_folder {
        return Ok(None);
    }
    let mounts = parse(&std::fs::read_to_string("/proc/self/mountinfo").unwrap_or_default());
    let top = rustix::fs::readlink(format!("/proc/self/fd/{}", raw(top)), Vec::new())?;
    let top = PathBuf::from(top.to_string_lossy().into_owned());
    Ok(source_in(&mounts, of_folder, &top))
}

fn raw(file: &impl AsFd) -> i32 {
    use std::os::fd::AsRawFd as _;
    file.as_fd().as_raw_fd()
}

fn mount_id(file: &impl AsFd) -> Result<u64, Errno> {
    let found = rustix::fs::statx(file, "", AtFlags::EMPTY_PATH, StatxFlags::MNT_ID)?;
    Ok(found.stx_mnt_id)
}

/// The folder outside `top` that the mount shows.
fn source_in(mounts: &[Mount], id: u64, top: &Path) -> Option<PathBuf> {
    let shown = mounts.iter().find(|mount| mount.id == id)?;
    let is_of_system = |mount: &&Mount| {
        mount.device == shown.device
            && !mount.point.starts_with(top)
            && !FOR_CARDS.iter().any(|folder| mount.point.starts_with(folder))
    };
    mounts.iter().filter(is_of_system).find_map(|mount| {
        let below = shown.root.strip_prefix(&mount.root).ok()?;
        let source = if below.as_os_str().is_empty() { mount.point.clone() } else { mount.point.join(below) };
        (!source.starts_with(top)).then_some(source)
    })
}

fn parse(text: &str) -> Vec<Mount> {
    let mount = |line: &str| {
        let mut words = line.split(' ');
        let id = words.next()?.parse().ok()?;
        let device = words.nth(1)?.to_owned();
        Some(Mount { id, device, root: unescaped(words.next()?), point: unescaped(words.next()?) })
    };
    text.lines().filter_map(mount).collect()
}

/// Blanks and the like stand as a backslash and three octal digits.
fn unescaped(word: &str) -> PathBuf {
    let mut text = String::new();
    let mut rest = word;
    while let Some((before, after)) = rest.split_once('\\') {
        text.push_str(before);
        match after.get(..3).and_then(|digits| u8::from_str_radix(digits, 8).ok()) {
            Some(byte) if byte.is_ascii() => {
                text.push(byte.into());
                rest = after.get(3..).unwrap_or_default();
            }
            _ => {
                text.push('\\');
                rest = after;
            }
        }
    }
    text.push_str(rest);
    PathBuf::from(text)
}

#[cfg(test)]
mod tests {
    use super::*;

    const INFO: &str = "\
        22 1 254:1 / / rw,relatime shared:1 - ext4 /dev/vda1 rw\n\
        30 22 179:2 / /srv/my\\040card rw - ext4 /dev/mmcblk0p2 rw\n\
        31 30 179:1 / /srv/my\\040card/boot/firmware rw - vfat /dev/mmcblk0p1 rw\n\
        32 30 254:1 /etc/ssh /srv/my\\040card/etc/ssh rw - ext4 /dev/vda1 rw\n\
        33 22 179:1 / /media/boot rw - vfat /dev/mmcblk0p1 rw\n\
        34 22 254:1 /srv/tree/home /srv/tree/var rw - ext4 /dev/vda1 rw\n";

    #[test]
    fn a_folder_of_this_computer_is_told_from_a_part_of_the_card() {
        let mounts = parse(INFO);
        let card = Path::new("/srv/my card");
        assert_eq!(source_in(&mounts, 32, card), Some("/etc/ssh".into()));
        assert_eq!(
            source_in(&mounts, 31, card),
            None,
            "the boot partition, mounted elsewhere for people too"
        );
        assert_eq!(source_in(&mounts, 34, Path::new("/srv/tree")), None, "a part of the same tree");
    }
}
