//! What is to become of a path.

use impostazione_text::FileBytes;
use serde::Serialize;

use super::digest::digest;
use super::path::RootfsPath;
use super::state::State;

/// What is to stand at a path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Want {
    /// A file.
    File {
        /// What is in it.
        bytes: FileBytes,
        /// Its permission bits.
        mode: u32,
        /// Whose it is.
        owner: Owner,
    },
    /// A symbolic link that leads there.
    Link(String),
    /// A folder with these permission bits; what is in it stays.
    Folder {
        /// Its permission bits.
        mode: u32,
        /// Whose it is.
        owner: Owner,
    },
    /// Nothing: what is there is set aside.
    Absent,
}

impl Want {
    /// The state of a path where this stands. `own` owns what is made where nobody may give things away.
    pub fn state(&self, own: Option<Owner>) -> State {
        match self {
            Want::File { bytes, mode, owner } => {
                let Owner { uid, gid } = own.unwrap_or(*owner);
                State::File {
                    mode: *mode,
                    uid,
                    gid,
                    size: bytes.len() as u64,
                    sha256: digest(bytes),
                    access_list: None,
                }
            }
            Want::Link(target) => {
                let Owner { uid, gid } = own.unwrap_or(Owner::ROOT);
                State::Link { target: target.clone(), uid, gid }
            }
            Want::Folder { mode, owner } => {
                let Owner { uid, gid } = own.unwrap_or(*owner);
                State::Folder { mode: *mode, uid, gid, access_list: None }
            }
            Want::Absent => State::Absent,
        }
    }
}

/// Whose something is, by numbers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Owner {
    /// The user.
    pub uid: u32,
    /// The group.
    pub gid: u32,
}

impl Owner {
    /// Root.
    pub const ROOT: Self = Self { uid: 0, gid: 0 };
}

/// What a change is about: the heading under which people see it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Subject {
    /// Addresses, routes and DNS servers.
    Network,
    /// Its name, and names of others.
    Names,
    /// Time and time zone.
    Time,
    /// Language and keyboard.
    Language,
    /// Who can log in.
    Accounts,
    /// The SSH service.
    Ssh,
    /// What would rewrite settings at the first boot.
    FirstBoot,
    /// What makes the machine another than the one that it was copied from.
    Identity,
}

impl Subject {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Network => "network",
            Self::Names => "names",
            Self::Time => "time",
            Self::Language => "language",
            Self::Accounts => "accounts",
            Self::Ssh => "SSH",
            Self::FirstBoot => "first boot",
            Self::Identity => "identity",
        }
    }
}

/// Files that hold hashes, keys or passphrases.
const SECRET_FILES: [&str; 6] = [
    "etc/shadow",
    "etc/gshadow",
    "etc/ssh/ssh_host_",
    "etc/chrony/chrony.keys",
    "etc/netplan/",
    "etc/NetworkManager/system-connections/",
];

/// One path that a placement changes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// What changes.
    pub path: RootfsPath,
    /// What it is about.
    pub subject: Subject,
    /// What is to stand there.
    pub want: Want,
    /// Why, where that is not plain from the path: the end of a sentence.
    pub why: String,
    /// Whether the content is never shown.
    pub is_secret: bool,
    /// Whether it is no part of what the output says but made at random, and stays once it is there.
    pub is_made_up: bool,
    /// Whether others add entries of their own to the file.
    pub has_entries: bool,
    /// What the output has there, where something else is kept.
    pub meant: Option<Want>,
    /// What stood there when this was planned.
    pub before: State,
}

impl Change {
    /// A change without a reason of its own.
    pub fn new(path: RootfsPath, subject: Subject, want: Want) -> Self {
        // A file that keeps secrets does so whatever its mode is.
        let keeps_secrets = SECRET_FILES.iter().any(|known| path.starts_with(known))
            && path.rsplit_once('.').is_none_or(|(_, end)| end != "pub");
        let is_closed = matches!(&want, Want::File { mode, .. } if mode & 0o004 == 0);
        Self {
            path,
            subject,
            want,
            why: String::new(),
            is_secret: is_closed || keeps_secrets,
            is_made_up: false,
            has_entries: false,
            meant: None,
            before: State::Absent,
        }
    }

    /// Something is set aside.
    pub fn set_aside(path: RootfsPath, subject: Subject, why: impl Into<String>) -> Self {
        Self::new(path, subject, Want::Absent).because(why)
    }

    /// The same change with a reason.
    #[must_use]
    pub fn because(mut self, why: impl Into<String>) -> Self {
        self.why = why.into();
        self
    }

    /// The state that the path will have. `own` owns what is made where nobody may give things away.
    pub fn state(&self, own: Option<Owner>) -> State {
        self.want.state(own)
    }

    /// The state that it would have by the output, where something else is kept.
    pub fn meant_state(&self, own: Option<Owner>) -> Option<State> {
        self.meant.as_ref().map(|meant| meant.state(own))
    }

    /// One word for what happens to the path, whose state now is this.
    pub fn word(&self, now: &State) -> &'static str {
        match (&self.want, now) {
            (Want::Absent, _) => "set aside",
            (Want::Link(_), State::Absent) => "link",
            (Want::Folder { .. }, State::Absent) => "folder",
            (Want::File { .. }, State::Absent) => "add",
            (Want::File { .. }, State::File { .. }) | (Want::Folder { .. }, _) => "change",
            (Want::File { .. } | Want::Link(_), _) => "replace",
        }
    }
}
