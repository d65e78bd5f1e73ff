//! What a root filesystem holds, as far as the first boot depends on it.

pub(crate) mod accounts;
mod boot_settings;
pub(crate) mod hiding;
pub(crate) mod kernel_words;
pub(crate) mod name_servers;
pub(crate) mod network;
pub(crate) mod overrides;
mod owned;
pub(crate) mod rewriting;
mod signs;
pub(crate) mod ssh;
mod started;
pub(crate) mod sudoers;
pub(crate) mod system;
pub(crate) mod time;
pub(crate) mod units;
pub(crate) mod ways_in;

use std::collections::HashSet;

use serde::Serialize;

pub use accounts::{FoundAccount, FoundPassword};
pub use name_servers::{FoundLookUp, LookUpKind};
pub use network::{Effect, FoundRenderer, NetworkFile, Reader};
pub use overrides::FoundOverride;
pub use rewriting::Rewriter;
pub use ssh::{FoundHostKey, FoundSsh, SshSetting};
pub use system::System;
pub use time::{FoundSource, FoundTime, TimeServiceFound};
pub use ways_in::{WayIn, WayKind};

use impostazione_rootfs::{Room, RootfsFault, View};
use system::{Packages, has_program};

use crate::machine::NetplanVersion;

/// The name of this host among those made from one image (`machine-id(5)`).
pub(crate) const MACHINE_ID: &str = "etc/machine-id";
/// A second place for it, from which it returns when the first is empty.
pub(crate) const DBUS_MACHINE_ID: &str = "var/lib/dbus/machine-id";

/// What a root filesystem holds.
#[derive(Clone, Debug, Serialize)]
pub struct Survey {
    /// The distribution; `None` where nothing tells that it is a Linux system.
    pub system: Option<System>,
    /// netplan, where it is installed.
    pub netplan: Option<FoundNetplan>,
    /// Programs that set links up.
    pub renderers: Vec<FoundRenderer>,
    /// Network files.
    pub network_files: Vec<NetworkFile>,
    /// The host name.
    pub hostname: Option<String>,
    /// Who can log in.
    pub accounts: Vec<FoundAccount>,
    /// Who can become root and by what, and what lets people in beside logins.
    pub ways_in: Vec<WayIn>,
    /// Whether sudo is installed.
    #[serde(rename = "sudo")]
    pub has_sudo: bool,
    /// The SSH server.
    pub ssh: FoundSsh,
    /// Time and time zone.
    pub time: FoundTime,
    /// The language, where one is set.
    pub locale: Option<String>,
    /// What would rewrite settings at the first boot.
    pub rewriters: Vec<Rewriter>,
    /// Scripts that run at boot and that could not be looked at.
    #[serde(rename = "scripts_not_looked_at")]
    pub unseen_scripts: Vec<String>,
    /// What changes how services start that a placement counts on.
    pub overrides: Vec<FoundOverride>,
    /// Lines that name DNS servers for the whole host, or domains, or are strict with servers.
    pub name_servers: Vec<FoundLookUp>,
    /// What stands in place of a machine id.
    pub machine_id: MachineId,
    /// Radios.
    pub wifi: FoundWifi,
    /// Room that is left.
    pub free_bytes: u64,
    /// Whether nothing can be written.
    #[serde(rename = "read_only")]
    pub is_read_only: bool,
    #[serde(skip)]
    /// The room on it.
    pub room: Room,
}

/// netplan on a root filesystem.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundNetplan {
    /// Its version, where the package manager tells it.
    pub version: Option<String>,
}

impl FoundNetplan {
    /// The version as a number.
    pub fn number(&self) -> Option<NetplanVersion> {
        let text = self.version.as_deref()?;
        let end = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
        let mut parts = text.get(..end)?.split('.');
        Some(NetplanVersion::new(parts.next()?.parse().ok()?, parts.next()?.parse().ok()?))
    }
}

/// What stands in `etc/machine-id`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum MachineId {
    /// Nothing: the first boot makes one.
    Empty,
    /// There is no file: the first boot takes the host for one that was never set up.
    Missing,
    /// The word for a host that was never set up.
    Uninitialized,
    /// One: this rootfs was booted, or is a copy of one that was.
    Set,
}

/// Radios on a root filesystem.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundWifi {
    /// Whether what joins wireless networks is installed.
    #[serde(rename = "joins_networks")]
    pub can_join: bool,
    /// Whether the program that sets the country of a Wi-Fi interface is installed.
    #[serde(rename = "sets_country")]
    pub can_set_country: bool,
    /// The country, where one is set.
    pub country: Option<String>,
}

impl Survey {
    /// Looks a root filesystem over. It changes nothing, and reads only what it must.
    pub fn of(view: View<'_>) -> Result<Self, RootfsFault> {
        let packages = Packages::read(view);
        let room = view.rootfs().room()?;
        let netplan = has_program(view, "netplan")
            .then(|| FoundNetplan { version: packages.version("netplan.io").map(str::to_owned) });
        let has_sudo = has_program(view, "sudo");
        let ssh = FoundSsh::read(view)?;
        let ways_in = ways_in::ways_in(view, has_sudo, &ssh)?;
        let mut accounts = accounts::accounts(view)?;
        let to_root = || ways_in.iter().filter(|way| way.gives_root && way.kind != WayKind::NotUnderstood);
        let is_for_all = to_root().any(|way| way.names.is_none() && way.kind == WayKind::Sudo);
        let names: HashSet<&String> = to_root().flat_map(|way| way.names.iter().flatten()).collect();
        for account in &mut accounts {
            account.is_admin |= is_for_all || names.contains(&account.name);
        }
        let (rewriters, unseen_scripts) = rewriting::rewriters(view)?;
        Ok(Self {
            system: System::read(view)?,
            netplan,
            renderers: network::renderers(view)?,
            network_files: network::files(view)?,
            hostname: first_line(view, "etc/hostname")?,
            accounts,
            ways_in,
            has_sudo,
            ssh,
            time: FoundTime::read(view)?,
            locale: locale(view)?,
            rewriters,
            unseen_scripts,
            overrides: overrides::overrides(view)?,
            name_servers: name_servers::name_servers(view)?,
            machine_id: machine_id(view)?,
            wifi: wifi(view)?,
            free_bytes: room.bytes,
            is_read_only: room.is_read_only,
            room,
        })
    }

    /// Whether a service that sets links up is there and may start.
    pub(crate) fn renderer(&self, unit: &str) -> Option<&FoundRenderer> {
        self.renderers.iter().find(|renderer| renderer.unit == unit)
    }
}

fn first_line(view: View<'_>, path: &str) -> Result<Option<String>, RootfsFault> {
    if !view.has(path) {
        return Ok(None);
    }
    let text = view.text(path)?.unwrap_or_default();
    Ok(text.lines().map(str::trim).find(|line| !line.is_empty() && !line.starts_with('#')).map(str::to_owned))
}

fn locale(view: View<'_>) -> Result<Option<String>, RootfsFault> {
    for path in ["etc/locale.conf", "etc/default/locale"] {
        if !view.has(path) {
            continue;
        }
        let text = view.text(path)?.unwrap_or_default();
        if let Some(value) = text.lines().find_map(|line| line.strip_prefix("LANG=")) {
            return Ok(Some(value.trim().trim_matches('"').to_owned()));
        }
    }
    Ok(None)
}

fn machine_id(view: View<'_>) -> Result<MachineId, RootfsFault> {
    if !view.has(MACHINE_ID) {
        return Ok(MachineId::Missing);
    }
    let text = view.text(MACHINE_ID)?.unwrap_or_default();
    Ok(match text.trim() {
        "" => MachineId::Empty,
        "uninitialized" => MachineId::Uninitialized,
        _ => MachineId::Set,
    })
}

fn wifi(view: View<'_>) -> Result<FoundWifi, RootfsFault> {
    let mut country = None;
    for path in ["etc/default/crda", "etc/modprobe.d/cfg80211.conf"] {
        if !view.has(path) {
            continue;
        }
        let text = view.text(path)?.unwrap_or_default();
        let value = text.lines().filter(|line| !line.trim_start().starts_with('#')).find_map(|line| {
            let (_, value) =
                line.split_once("REGDOMAIN=").or_else(|| line.split_once("ieee80211_regdom="))?;
            value.split_whitespace().next()
        });
        country = country.or(value.map(|value| value.trim_matches('"').to_owned()));
    }
    Ok(FoundWifi {
        can_join: has_program(view, "wpa_supplicant") || has_program(view, "iwd"),
        can_set_country: has_program(view, "iw"),
        country,
    })
}
