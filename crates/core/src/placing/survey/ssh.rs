//! The SSH server of a root filesystem: whether it is there, what its keys are, and which of its settings win.

use globset::Glob;
use impostazione_rootfs::{RootfsFault, View, joined};
use serde::Serialize;
use ssh_key::{HashAlg, PublicKey};

use super::units::Unit;
use super::ways_in::{self, WayIn};
use crate::host::SSHD_PATH;

/// The server's main file.
pub(crate) const SSHD_MAIN: &str = "etc/ssh/sshd_config";

/// What our drop-in says. sshd takes the first value that it reads (`sshd_config(5)`).
const OURS: [&str; 6] = [
    "pubkeyauthentication",
    "passwordauthentication",
    "kbdinteractiveauthentication",
    "challengeresponseauthentication",
    "permitrootlogin",
    "permitemptypasswords",
];

/// What may keep people out whatever our drop-in says.
const LIMITS: [&str; 7] = [
    "allowusers",
    "denyusers",
    "allowgroups",
    "denygroups",
    "authenticationmethods",
    "port",
    "listenaddress",
];

/// How deep files include each other.
const DEPTH_LIMIT: usize = 8;

/// The SSH server of a root filesystem.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundSsh {
    /// Whether it is installed.
    #[serde(rename = "installed")]
    pub is_there: bool,
    /// Whether it starts at boot.
    #[serde(rename = "enabled")]
    pub is_enabled: bool,
    /// Its keys.
    pub host_keys: Vec<FoundHostKey>,
    /// Settings that are read before ours would be.
    pub winning: Vec<SshSetting>,
    /// Settings that limit who can log in, or where.
    pub limits: Vec<SshSetting>,
    /// Whether the main file reads the folder of drop-ins.
    pub reads_drop_ins: bool,
    /// What lets people in beside the keys in their homes.
    #[serde(skip)]
    pub(crate) ways: Vec<WayIn>,
}

/// A key of the server.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundHostKey {
    /// Its file.
    pub path: String,
    /// Its kind: `ssh-ed25519`; nothing where the public half could not be read.
    pub kind: Option<String>,
    /// SHA-256 of it, as `ssh` shows it.
    pub fingerprint: Option<String>,
}

/// A line of the server's settings.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct SshSetting {
    /// The file.
    pub path: String,
    /// The line, from 1.
    pub line: usize,
    /// What stands there.
    pub text: String,
}

impl SshSetting {
    /// The port that sshd listens on because of this line, where it names one. Such lines add up, and those that name an
    /// address with a port overrule the others (`sshd_config(5)`).
    pub(crate) fn port(&self) -> Option<&str> {
        let (keyword, value) = keyword_and_value(&self.text);
        let first = value.split_whitespace().next()?.trim_matches('"');
        match keyword.to_ascii_lowercase().as_str() {
            "port" => Some(first),
            "listenaddress" => match first.rsplit_once(':')? {
                // More than one colon outside brackets is an IPv6 address alone.
                (address, port) if address.ends_with(']') || !address.contains(':') => Some(port),
                _ => None,
            },
            _ => None,
        }
    }
}

fn keyword_and_value(line: &str) -> (&str, &str) {
    let (keyword, value) = line.split_once(|c: char| c.is_whitespace() || c == '=').unwrap_or((line, ""));
    (keyword, value.trim_start_matches(|c: char| c.is_whitespace() || c == '='))
}

impl FoundSsh {
    pub(super) fn read(view: View<'_>) -> Result<Self, RootfsFault> {
        let mut reading =
            Reading { view, winning: Vec::new(), limits: Vec::new(), ways: Vec::new(), is_ours_read: false };
        reading.file(SSHD_MAIN, 0, false)?;
        let mut is_enabled = false;
        for name in ["ssh.service", "sshd.service", "ssh.socket", "sshd.socket"] {
            is_enabled |= Unit::find(view, name)?.is_some_and(|unit| unit.is_enabled);
        }
        Ok(Self {
            is_there: view.has("usr/sbin/sshd"),
            is_enabled,
            host_keys: host_keys(view)?,
            winning: reading.winning,
            limits: reading.limits,
            reads_drop_ins: reading.is_ours_read,
            ways: reading.ways,
        })
    }
}

/// The files of the server's keys, without ours if it is there.
pub(crate) fn host_keys(view: View<'_>) -> Result<Vec<FoundHostKey>, RootfsFault> {
    let mut keys = Vec::new();
    for name in view.list("etc/ssh")? {
        if !(name.starts_with("ssh_host_") && name.ends_with("_key")) {
            continue;
        }
        let path = format!("etc/ssh/{name}");
        let public = view.text(&format!("{path}.pub")).ok().flatten();
        let public = public.and_then(|text| PublicKey::from_openssh(text.trim()).ok());
        keys.push(FoundHostKey {
            path,
            kind: public.as_ref().map(|key| key.algorithm().as_str().to_owned()),
            fingerprint: public.map(|key| key.fingerprint(HashAlg::Sha256).to_string()),
        });
    }
    Ok(keys)
}

/// Reading settings as sshd does, up to where ours would be read.
struct Reading<'a> {
    view: View<'a>,
    winning: Vec<SshSetting>,
    limits: Vec<SshSetting>,
    ways: Vec<WayIn>,
    is_ours_read: bool,
}

impl Reading<'_> {
    /// Reads a file, which may be included for some connections only. A block ends with the file that it began in.
    fn file(&mut self, path: &str, depth: usize, mut is_in_match: bool) -> Result<(), RootfsFault> {
        let Some(text) = self.view.text(path)? else { return Ok(()) };
        for (index, line) in text.lines().enumerate() {
            let line = line.trim();
            let (keyword, value) = keyword_and_value(line);
            let keyword = keyword.to_ascii_lowercase();
            let setting = || SshSetting { path: path.to_owned(), line: index + 1, text: line.to_owned() };
            self.ways.extend(ways_in::ssh_way(&keyword, value, path, index + 1, is_in_match));
            match keyword.as_str() {
                // Even what matches every connection overrules the part before all blocks.
                "match" => is_in_match = true,
                "include" if depth < DEPTH_LIMIT => {
                    for pattern in value.split_whitespace() {
                        self.include(pattern.trim_matches('"'), depth, is_in_match)?;
                    }
                }
                known if LIMITS.contains(&known) => self.limits.push(setting()),
                known if OURS.contains(&known) && is_in_match => {
                    self.ways.push(ways_in::ssh_exception(path, index + 1, line));
                }
                known if OURS.contains(&known) && !self.is_ours_read => self.winning.push(setting()),
                _ => {}
            }
        }
        Ok(())
    }

    fn include(&mut self, pattern: &str, depth: usize, is_in_match: bool) -> Result<(), RootfsFault> {
        let pattern = joined(SSHD_MAIN, pattern);
        let (folder, name) = pattern.rsplit_once('/').unwrap_or(("", &pattern));
        let Ok(glob) = Glob::new(name) else { return Ok(()) };
        let glob = glob.compile_matcher();
        let ours = SSHD_PATH.rsplit_once('/').map_or("", |(_, name)| name);
        let mut names = self.view.list(folder)?;
        // Where ours is to lie it counts as being there.
        if SSHD_PATH == format!("{folder}/{ours}") && !names.iter().any(|name| name == ours) {
            names.push(ours.to_owned());
            names.sort_unstable();
        }
        for name in names.iter().filter(|name| glob.is_match(name)) {
            let path = format!("{folder}/{name}");
            if path == SSHD_PATH {
                self.is_ours_read |= !is_in_match;
            } else {
                self.file(&path, depth + 1, is_in_match)?;
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_that_name_a_port() {
        let port = |text: &str| {
            let setting = SshSetting { path: String::new(), line: 1, text: text.to_owned() };
            setting.port().map(str::to_owned)
        };
        for (line, expected) in [
            ("Port 2200", Some("2200")),
            ("port=2200", Some("2200")),
            ("Port \"2200\"", Some("2200")),
            ("ListenAddress 0.0.0.0:2200", Some("2200")),
            ("ListenAddress tower:2200 rdomain shore", Some("2200")),
            ("ListenAddress [fd64:10::31]:2200", Some("2200")),
            ("ListenAddress fd64:10::31", None),
            ("ListenAddress [fd64:10::31]", None),
            ("ListenAddress 10.64.10.31", None),
            ("AllowUsers keeper:2200", None),
            ("Port", None),
        ] {
            assert_eq!(port(line).as_deref(), expected, "{line}");
        }
    }
}
