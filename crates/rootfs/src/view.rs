//! A root filesystem as it was before a placement, or as it is.

use impostazione_text::FileBytes;

use super::folder::{Found, Kind, Rootfs, RootfsFault, split};
use super::record::{Record, Step};
use super::remains::Remains;
use super::state::State;

/// How many links are followed from one to the next.
const LINK_LIMIT: usize = 8;

/// What is read of a root filesystem. With the record of a placement, what that placement changed is seen as it was before.
#[derive(Clone, Copy, Debug)]
pub struct View<'a> {
    rootfs: &'a Rootfs,
    record: Option<&'a Record>,
    remains: Option<&'a Remains>,
}

impl<'a> View<'a> {
    /// The root filesystem as it is.
    pub fn of(rootfs: &'a Rootfs) -> Self {
        Self { rootfs, record: None, remains: None }
    }

    /// The root filesystem as it was before this placement, with what remains of what others have added since.
    pub fn before(rootfs: &'a Rootfs, record: Option<&'a Record>, remains: Option<&'a Remains>) -> Self {
        Self { rootfs, record, remains }
    }

    /// The root filesystem behind it.
    pub fn rootfs(self) -> &'a Rootfs {
        self.rootfs
    }

    /// The placement before which this is.
    pub fn record(self) -> Option<&'a Record> {
        self.record
    }

    /// The state of a path.
    pub fn state(self, path: &str) -> Result<State, RootfsFault> {
        match self.record.and_then(|record| record.step(path)) {
            Some((number, step)) => Ok(self.state_before(number, step)),
            None => self.rootfs.state(path),
        }
    }

    fn state_before(self, number: usize, step: &Step) -> State {
        self.remains.map_or_else(|| step.before.clone(), |remains| remains.state(number, step))
    }

    /// Reads the file that a path leads to; nothing where there is none.
    pub fn read(self, path: &str) -> Result<Option<FileBytes>, RootfsFault> {
        let mut path = path.to_owned();
        for _ in 0..LINK_LIMIT {
            let Some((number, step)) = self.record.and_then(|record| record.step(&path)) else {
                return self.rootfs.read(&path);
            };
            if let Some(content) = self.remains.and_then(|remains| remains.content(number)) {
                return Ok(Some(content.clone()));
            }
            match &step.before {
                State::Absent => return Ok(None),
                State::File { .. } => {
                    let kept = self
                        .record
                        .map(|record| record.read_kept(self.rootfs, number))
                        .transpose()?
                        .flatten();
                    // A placement that was cut off may not have come to this path, or has put it back.
                    return kept.map_or_else(|| self.rootfs.read(&path), |bytes| Ok(Some(bytes)));
                }
                State::Link { target, .. } => path = joined(&path, target),
                State::Folder { .. } => return Err(super::folder::not_a_file(&path, Kind::Folder)),
            }
        }
        Err(RootfsFault::Unreachable(path, "its links form a loop"))
    }

    /// The same as text; what is no UTF-8 is replaced.
    pub fn text(self, path: &str) -> Result<Option<String>, RootfsFault> {
        Ok(self.read(path)?.map(|bytes| String::from_utf8_lossy(&bytes).into_owned()))
    }

    /// What stands at a path, a link not being followed.
    pub fn look(self, path: &str) -> Result<Option<Found>, RootfsFault> {
        let Some((number, step)) = self.record.and_then(|record| record.step(path)) else {
            return self.rootfs.look(path);
        };
        let found = |kind, mode, uid, gid, size| Found {
            kind,
            mode,
            uid,
            gid,
            size,
            modified: (0, 0),
            accessed: (0, 0),
        };
        Ok(match self.state_before(number, step) {
            State::Absent => None,
            State::File { mode, uid, gid, size, .. } => Some(found(Kind::File, mode, uid, gid, size)),
            State::Link { uid, gid, .. } => Some(found(Kind::Link, 0o777, uid, gid, 0)),
            State::Folder { mode, uid, gid, .. } => Some(found(Kind::Folder, mode, uid, gid, 0)),
        })
    }

    /// Where a link leads; nothing where no link is.
    pub fn target(self, path: &str) -> Result<Option<String>, RootfsFault> {
        match self.record.and_then(|record| record.step(path)) {
            None => self.rootfs.target(path),
            Some((_, step)) => Ok(match &step.before {
                State::Link { target, .. } => Some(target.clone()),
                _ => None,
            }),
        }
    }

    /// The names in a folder, in order.
    pub fn list(self, folder: &str) -> Result<Vec<String>, RootfsFault> {
        let mut names = self.rootfs.list(folder)?;
        for step in self.record.iter().flat_map(|record| &record.steps) {
            let (parent, name) = split(&step.path);
            if parent != folder {
                continue;
            }
            if step.before.is_absent() {
                names.retain(|known| known != name);
            } else if !names.iter().any(|known| known == name) {
                names.push(name.to_owned());
            }
        }
        names.sort_unstable();
        Ok(names)
    }

    /// Whether a path leads to something.
    pub fn has(self, path: &str) -> bool {
        match self.record.and_then(|record| record.step(path)) {
            None => self.rootfs.has(path),
            Some((_, step)) => match &step.before {
                State::Absent => false,
                State::Link { target, .. } => self.rootfs.has(&joined(path, target)),
                State::File { .. } | State::Folder { .. } => true,
            },
        }
    }
}

/// The path that a link at `path` leads to, from the top on.
pub fn joined(path: &str, target: &str) -> String {
    let mut parts: Vec<&str> = Vec::new();
    let from = if target.starts_with('/') { "" } else { split(path).0 };
    for part in from.split('/').chain(target.split('/')) {
        match part {
            "" | "." => {}
            ".." => {
                parts.pop();
            }
            other => parts.push(other),
        }
    }
    parts.join("/")
}

#[cfg(test)]
mod tests {
    use super::joined;

    #[test]
    fn links_are_followed_as_the_host_would() {
        assert_eq!(joined("etc/resolv.conf", "../run/resolve/stub.conf"), "run/resolve/stub.conf");
        assert_eq!(joined("var/lib/dbus/machine-id", "/etc/machine-id"), "etc/machine-id");
        assert_eq!(joined("etc/hosts", "../../../../tmp/hosts"), "tmp/hosts");
    }
}
