//! Why something could not be looked at.

use std::fmt;
use std::io;

/// Why something could not be looked at, which is another thing than that nothing was there.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Obstacle {
    /// A person stopped the command.
    Interrupted,
    /// The time that was stated was over.
    OutOfTime,
    /// The map of the simulated network does not have it.
    NotInMap,
    /// This computer has no route to it.
    NoRoute,
    /// The kernel does not allow it.
    NotPermitted,
    /// The kernel has no room for more.
    NoRoom,
    /// The value of a key is not available.
    NoKey,
    /// The kernel says something else.
    Kernel(String),
}

impl Obstacle {
    /// What an error of the kernel means.
    pub fn of(error: &io::Error) -> Self {
        match error.kind() {
            io::ErrorKind::PermissionDenied => Self::NotPermitted,
            io::ErrorKind::NetworkUnreachable | io::ErrorKind::AddrNotAvailable => Self::NoRoute,
            io::ErrorKind::OutOfMemory => Self::NoRoom,
            _ if is_no_room(error) => Self::NoRoom,
            _ => Self::Kernel(impostazione_text::files::plain(error)),
        }
    }
}

/// No buffers, or no file descriptors (`errno(3)`: ENOBUFS, EMFILE, ENFILE, ENOMEM).
fn is_no_room(error: &io::Error) -> bool {
    matches!(error.raw_os_error(), Some(105 | 24 | 23 | 12))
}

impl fmt::Display for Obstacle {
    /// The end of a sentence that begins "it was not looked at, since".
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Interrupted => f.write_str("the command was stopped before that"),
            Self::OutOfTime => f.write_str("the time that was stated was over before that"),
            Self::NotInMap => f.write_str("the map given with --through does not have it"),
            Self::NoRoute => f.write_str("this computer has no route to it"),
            Self::NotPermitted => f.write_str("this computer does not allow it"),
            Self::NoRoom => f.write_str("this computer has no room for more questions at once"),
            Self::NoKey => f.write_str("the value of its key is not available"),
            Self::Kernel(says) => write!(f, "this computer says: {says}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_kernel_refuses_is_told_apart() {
        let of = |code: i32| Obstacle::of(&io::Error::from_raw_os_error(code));
        // EPERM of a firewall, EACCES of a route that prohibits.
        assert_eq!((of(1), of(13)), (Obstacle::NotPermitted, Obstacle::NotPermitted));
        // ENETUNREACH, EADDRNOTAVAIL.
        assert_eq!((of(101), of(99)), (Obstacle::NoRoute, Obstacle::NoRoute));
        // ENOBUFS of a full table, EMFILE, ENOMEM.
        for code in [105, 24, 12] {
            assert_eq!(of(code), Obstacle::NoRoom, "{code}");
        }
        assert!(matches!(of(5), Obstacle::Kernel(_)));
    }
}
