//! The network files of a root filesystem, and what each would do to a machine that has our netplan file.

use impostazione_rootfs::{RootfsFault, View};
use serde::Serialize;

use super::system::has_program;
use super::units::{Unit, has_end};
use crate::host::NETPLAN_PATH;

/// Who reads a network file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reader {
    /// netplan.
    Netplan,
    /// systemd-networkd.
    Networkd,
    /// `ifup` and `ifdown`.
    Interfaces,
    /// dhcpcd.
    Dhcpcd,
    /// `NetworkManager`.
    NetworkManager,
}

impl Reader {
    /// The name for people.
    pub fn word(self) -> &'static str {
        match self {
            Self::Netplan => "netplan",
            Self::Networkd => "systemd-networkd",
            Self::Interfaces => "ifup",
            Self::Dhcpcd => "dhcpcd",
            Self::NetworkManager => "NetworkManager",
        }
    }
}

/// What a network file does beside our netplan file.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Effect {
    /// It is ours.
    Own,
    /// netplan merges it with ours, and what sorts later has the last word.
    Merges,
    /// It is read before what netplan makes of ours, and the first that matches a link wins.
    Wins,
    /// Another program sets the same links up.
    Competes,
    /// It is about other links, or about the loopback alone.
    Elsewhere,
    /// What would read it is not there, or never starts.
    Unread,
}

impl Effect {
    /// What is said of it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Own => "written by Impostazione",
            Self::Merges => "is merged with other netplan files",
            Self::Wins => "overrides what netplan generates",
            Self::Competes => "configures the same links",
            Self::Elsewhere => "is about other links",
            Self::Unread => "is not read",
        }
    }

    /// Whether it keeps a placement from having its way.
    pub fn is_in_the_way(self) -> bool {
        matches!(self, Self::Merges | Self::Wins | Self::Competes)
    }
}

/// A network file.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct NetworkFile {
    /// Where it lies.
    pub path: String,
    /// Who reads it.
    pub reader: Reader,
    /// What it does.
    pub effect: Effect,
    /// What it would do if the program that reads it were not kept from starting.
    #[serde(skip)]
    pub(crate) effect_when_started: Effect,
}

impl NetworkFile {
    fn new(path: String, reader: Reader, effect: Effect) -> Self {
        Self { path, reader, effect, effect_when_started: effect }
    }

    /// What it does once a placement is there, which has its own renderer start.
    pub(crate) fn effect_once_placed(&self, is_for_manager: bool) -> Effect {
        let reader = if is_for_manager { Reader::NetworkManager } else { Reader::Networkd };
        if self.reader == reader { self.effect_when_started } else { self.effect }
    }
}

/// A program that sets links up.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundRenderer {
    /// Its unit.
    pub unit: &'static str,
    /// Whether it starts at boot. netplan starts the one that it writes for by itself.
    #[serde(rename = "enabled")]
    pub is_enabled: bool,
    /// Whether it is kept from ever starting.
    #[serde(rename = "masked")]
    pub is_masked: bool,
}

/// Units of programs that set links up.
const RENDERERS: [&str; 6] = [
    "systemd-networkd.service",
    "NetworkManager.service",
    "systemd-resolved.service",
    "networking.service",
    "dhcpcd.service",
    "connman.service",
];

pub(super) fn renderers(view: View<'_>) -> Result<Vec<FoundRenderer>, RootfsFault> {
    let mut found = Vec::new();
    for name in RENDERERS {
        if let Some(unit) = Unit::find(view, name)? {
            found.push(FoundRenderer { unit: name, is_enabled: unit.is_enabled, is_masked: unit.is_masked });
        }
    }
    Ok(found)
}

/// Every network file.
pub(super) fn files(view: View<'_>) -> Result<Vec<NetworkFile>, RootfsFault> {
    let mut files = Vec::new();
    netplan(view, &mut files)?;
    networkd(view, &mut files)?;
    interfaces(view, &mut files)?;
    dhcpcd(view, &mut files)?;
    manager(view, &mut files)?;
    Ok(files)
}

fn netplan(view: View<'_>, files: &mut Vec<NetworkFile>) -> Result<(), RootfsFault> {
    let is_there = has_program(view, "netplan");
    let before = files.len();
    for folder in ["lib/netplan", "usr/lib/netplan", "etc/netplan"] {
        // With merged folders both names lead to the same files.
        if folder == "lib/netplan" && view.target("lib")?.is_some() {
            continue;
        }
        for name in view.list(folder)?.into_iter().filter(|name| has_end(name, "yaml")) {
            let path = format!("{folder}/{name}");
            // netplan ignores hidden files.
            let effect = match (path == NETPLAN_PATH, is_there && !name.starts_with('.')) {
                (true, _) => Effect::Own,
                (false, true) => Effect::Merges,
                (false, false) => Effect::Unread,
            };
            // A file stands for those of equal name in earlier folders, which would count if it went.
            let masked = files
                .iter_mut()
                .skip(before)
                .filter(|other| other.path.rsplit('/').next() == Some(name.as_str()));
            if effect != Effect::Merges {
                masked.for_each(|other| other.effect = Effect::Unread);
            }
            files.push(NetworkFile::new(path, Reader::Netplan, effect));
        }
    }
    Ok(())
}

/// Folders of files for networkd: a file hides those of its name in later ones. What distributions bring in the last ones sorts
/// behind what netplan makes, and is for containers and the like.
const NETWORKD: [&str; 4] = [
    "etc/systemd/network",
    "usr/local/lib/systemd/network",
    "usr/lib/systemd/network",
    "lib/systemd/network",
];
/// How the files begin that netplan makes, which lie below `run`.
pub(super) const OF_NETPLAN: &str = "10-netplan-";

fn networkd(view: View<'_>, files: &mut Vec<NetworkFile>) -> Result<(), RootfsFault> {
    let starts = Unit::find(view, "systemd-networkd.service")?.is_some_and(|unit| !unit.is_masked);
    let mut seen: Vec<String> = Vec::new();
    for folder in NETWORKD {
        if folder == "lib/systemd/network" && view.target("lib")?.is_some() {
            continue;
        }
        for name in view.list(folder)? {
            let path = format!("{folder}/{name}");
            if name.starts_with(OF_NETPLAN) && has_end(&name, "d") {
                changes_of_netplan(view, &path, &mut seen, files)?;
                continue;
            }
            let is_link = has_end(&name, "link");
            if !(is_link || has_end(&name, "network") || has_end(&name, "netdev")) || seen.contains(&name) {
                continue;
            }
            seen.push(name.clone());
            // One that leads to nothing hides others of its name, and does no more.
            let text = match view.text(&path) {
                Ok(Some(text)) => text,
                _ if name.starts_with(OF_NETPLAN) => String::new(),
                _ => continue,
            };
            let is_ours = name.contains("impostazione");
            let is_of_packages = folder != NETWORKD[0];
            let effect_when_started = if is_ours {
                Effect::Own
            } else if is_of_packages && name.as_str() >= OF_NETPLAN {
                continue;
            } else if name.starts_with(OF_NETPLAN) {
                // It hides that which netplan makes.
                Effect::Wins
            } else if has_end(&name, "netdev") || is_elsewhere(&text) {
                Effect::Elsewhere
            } else if name.as_str() < OF_NETPLAN {
                Effect::Wins
            } else {
                Effect::Competes
            };
            let effect = if starts || is_link || is_ours { effect_when_started } else { Effect::Unread };
            files.push(NetworkFile { path, reader: Reader::Networkd, effect, effect_when_started });
        }
    }
    Ok(())
}

/// Drop-ins of a file that netplan makes: they change it, whatever it says.
fn changes_of_netplan(
    view: View<'_>,
    folder: &str,
    seen: &mut Vec<String>,
    files: &mut Vec<NetworkFile>,
) -> Result<(), RootfsFault> {
    for name in view.list(folder)?.into_iter().filter(|name| has_end(name, "conf")) {
        let path = format!("{folder}/{name}");
        let unit = folder.rsplit('/').next().unwrap_or_default();
        let key = format!("{unit}/{name}");
        if seen.contains(&key) {
            continue;
        }
        seen.push(key);
        // One that leads to nothing hides ours, if it has the name of ours.
        if name.contains("impostazione") || matches!(view.text(&path), Ok(Some(_))) {
            let effect = if name.contains("impostazione") { Effect::Own } else { Effect::Wins };
            files.push(NetworkFile::new(path, Reader::Networkd, effect));
        }
    }
    Ok(())
}

/// Kinds of links that are made and not plugged in, which no file for an ethernet port is about.
const MADE_LINKS: [&str; 8] = ["wg", "tun", "tap", "veth", "docker", "virbr", "vxlan", "ppp"];

/// Whether a file for networkd names nothing but links that are made by other programs.
fn is_elsewhere(text: &str) -> bool {
    let mut names = Vec::new();
    for line in text.lines() {
        if let Some((key, value)) = line.split_once('=')
            && key.trim() == "Name"
        {
            names.extend(value.split_whitespace().map(str::to_owned));
        }
    }
    let is_made = |name: &String| MADE_LINKS.iter().any(|kind| name.starts_with(kind)) || name == "lo";
    !names.is_empty() && names.iter().all(is_made)
}

fn interfaces(view: View<'_>, files: &mut Vec<NetworkFile>) -> Result<(), RootfsFault> {
    let is_read = has_program(view, "ifup");
    let mut paths = vec!["etc/network/interfaces".to_owned()];
    // Without an ending of its own, every name counts (`interfaces(5)`).
    paths.extend(
        view.list("etc/network/interfaces.d")?
            .into_iter()
            .map(|name| format!("etc/network/interfaces.d/{name}")),
    );
    for path in paths {
        if !view.has(&path) {
            continue;
        }
        let text = view.text(&path)?.unwrap_or_default();
        let sets_up = text.lines().any(|line| {
            let mut words = line.split_whitespace();
            words.next() == Some("iface") && words.next().is_some_and(|name| name != "lo")
        });
        let effect = match (is_read, sets_up) {
            (false, _) => Effect::Unread,
            (true, true) => Effect::Competes,
            (true, false) => Effect::Elsewhere,
        };
        files.push(NetworkFile::new(path, Reader::Interfaces, effect));
    }
    Ok(())
}

fn dhcpcd(view: View<'_>, files: &mut Vec<NetworkFile>) -> Result<(), RootfsFault> {
    let path = "etc/dhcpcd.conf";
    if view.has(path) {
        let starts = Unit::find(view, "dhcpcd.service")?.is_some_and(|unit| unit.is_enabled);
        let effect = if starts { Effect::Competes } else { Effect::Unread };
        files.push(NetworkFile::new(path.to_owned(), Reader::Dhcpcd, effect));
    }
    Ok(())
}

fn manager(view: View<'_>, files: &mut Vec<NetworkFile>) -> Result<(), RootfsFault> {
    let unit = Unit::find(view, "NetworkManager.service")?;
    let starts = unit.is_some_and(|unit| !unit.is_masked);
    let folder = "etc/NetworkManager/system-connections";
    for name in view.list(folder)? {
        let effect = if starts { Effect::Competes } else { Effect::Unread };
        files.push(NetworkFile {
            path: format!("{folder}/{name}"),
            reader: Reader::NetworkManager,
            effect,
            effect_when_started: Effect::Competes,
        });
    }
    Ok(())
}
