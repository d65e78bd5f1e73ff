//! Access lists beside mode and owner (`acl(5)`), as the kernel keeps them.

use std::os::fd::BorrowedFd;

use rustix::fs::XattrFlags;
use rustix::io::Errno;
use serde::{Deserialize, Serialize};

/// The attribute that holds the list of a file or a folder (Linux, `include/uapi/linux/xattr.h`).
const OF_ITSELF: &str = "system.posix_acl_access";
/// What new entries of a folder inherit.
const FOR_NEW_ENTRIES: &str = "system.posix_acl_default";
/// Lists of other kinds, and the two above: what lets people in beside mode and owner.
const ALL: [&str; 5] =
    [OF_ITSELF, FOR_NEW_ENTRIES, "system.nfs4_acl", "system.richacl", "trusted.SGI_ACL_FILE"];

/// The largest list that the kernel hands out (`XATTR_SIZE_MAX`).
const SIZE_LIMIT: usize = 64 * 1024;

/// The access list of a file or folder, in the kernel's form.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct AccessList(#[serde(with = "hex::serde")] Vec<u8>);

impl AccessList {
    /// The list of an open file or folder; nothing where it has none.
    pub fn read(file: BorrowedFd<'_>) -> Result<Option<Self>, Errno> {
        let mut value = vec![0; SIZE_LIMIT];
        match rustix::fs::fgetxattr(file, OF_ITSELF, value.as_mut_slice()) {
            Ok(length) => {
                value.truncate(length);
                Ok(Some(Self(value)))
            }
            Err(Errno::NODATA | Errno::NOTSUP | Errno::NOSYS) => Ok(None),
            Err(errno) => Err(errno),
        }
    }

    /// Gives it to an open file or folder.
    pub fn give(&self, file: BorrowedFd<'_>) -> Result<(), Errno> {
        rustix::fs::fsetxattr(file, OF_ITSELF, &self.0, XattrFlags::empty())
    }

    /// The permission bits that are left of a mode when the list goes: with a list, the bits of the group say what the list
    /// lets anybody do at most (`acl(5)`, correspondence between ACL entries and file permission bits).
    pub fn mode_without(&self, mode: u32) -> u32 {
        const OWNING_GROUP: [u8; 2] = [4, 0];
        let mut entries = self.0.get(4..).unwrap_or_default().chunks_exact(8);
        let of_group = entries.find(|entry| entry.starts_with(&OWNING_GROUP));
        let bits = of_group.and_then(|entry| entry.get(2)).map_or(0, |bits| u32::from(bits & 0o7));
        mode & (!0o070 | bits << 3)
    }
}

/// Whether an extended attribute lets people in.
pub fn is_one(name: &[u8]) -> bool {
    ALL.iter().any(|known| known.as_bytes() == name)
}

/// Removes the list of an open file or folder; mode and owner alone count then.
pub fn remove(file: BorrowedFd<'_>) -> Result<(), Errno> {
    remove_one(file, OF_ITSELF)
}

/// Removes what new entries of a folder inherit too.
pub fn remove_with_default(folder: BorrowedFd<'_>) -> Result<(), Errno> {
    remove_one(folder, OF_ITSELF)?;
    remove_one(folder, FOR_NEW_ENTRIES)
}

fn remove_one(file: BorrowedFd<'_>, name: &str) -> Result<(), Errno> {
    match rustix::fs::fremovexattr(file, name) {
        Ok(()) | Err(Errno::NODATA | Errno::NOTSUP | Errno::NOSYS) => Ok(()),
        Err(errno) => Err(errno),
    }
}

#[cfg(test)]
mod tests {
    use super::AccessList;

    /// As `setfacl -m u:1000:rw` makes it of a file with mode 0640.
    const LIST: &str = "02000000\
        01000600ffffffff\
        02000600e8030000\
        04000400ffffffff\
        10000600ffffffff\
        20000000ffffffff";

    #[test]
    fn without_its_list_a_file_lets_its_group_do_what_the_group_was_let() {
        let list = AccessList(hex::decode(LIST).unwrap());
        assert_eq!(list.mode_without(0o660), 0o640);
        assert_eq!(list.mode_without(0o640), 0o640);
        assert_eq!(AccessList(vec![2, 0, 0, 0]).mode_without(0o664), 0o604);
        assert_eq!(AccessList(Vec::new()).mode_without(0o4775), 0o4705);
    }
}
