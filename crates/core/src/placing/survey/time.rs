//! The time services of a root filesystem, and the servers that they would ask.

use impostazione_rootfs::{RootfsFault, View};
use serde::Serialize;

use super::units::{Unit, has_end};
use crate::host::{CHRONY_SOURCES_PATH, LOCALTIME_PATH, TIMESYNCD_PATH};

/// Time and time zone.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundTime {
    /// Services that are there.
    pub services: Vec<TimeServiceFound>,
    /// Lines that name a server, of whatever service.
    pub sources: Vec<FoundSource>,
    /// The zone, where `etc/localtime` says one.
    pub zone: Option<String>,
}

/// A time service.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct TimeServiceFound {
    /// Its unit.
    pub unit: &'static str,
    /// Whether it starts at boot.
    #[serde(rename = "enabled")]
    pub is_enabled: bool,
}

/// A line that names a time server.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct FoundSource {
    /// The file.
    pub path: String,
    /// The line, from 1.
    pub line: usize,
    /// What stands there.
    pub text: String,
}

const SERVICES: [&str; 5] =
    ["systemd-timesyncd.service", "chrony.service", "chronyd.service", "ntpsec.service", "openntpd.service"];

/// Folders of timesyncd's drop-ins: a file hides those of its name in later ones.
const TIMESYNCD_FOLDERS: [&str; 3] = [
    "etc/systemd/timesyncd.conf.d",
    "usr/local/lib/systemd/timesyncd.conf.d",
    "usr/lib/systemd/timesyncd.conf.d",
];

/// chrony's main file on Debian, and elsewhere.
pub(crate) const CHRONY_MAIN: [&str; 2] = ["etc/chrony/chrony.conf", "etc/chrony.conf"];

impl FoundTime {
    pub(super) fn read(view: View<'_>) -> Result<Self, RootfsFault> {
        let mut services = Vec::new();
        for unit in SERVICES {
            if let Some(found) = Unit::find(view, unit)? {
                services.push(TimeServiceFound { unit, is_enabled: found.is_enabled });
            }
        }
        let mut sources = Vec::new();
        for path in CHRONY_MAIN {
            chrony(view, path, &mut sources)?;
        }
        for (folder, end) in [("etc/chrony/conf.d", ".conf"), ("etc/chrony/sources.d", ".sources")] {
            for name in view.list(folder)?.into_iter().filter(|name| name.ends_with(end)) {
                chrony(view, &format!("{folder}/{name}"), &mut sources)?;
            }
        }
        let mut timesyncd = vec!["etc/systemd/timesyncd.conf".to_owned()];
        for folder in TIMESYNCD_FOLDERS {
            let is_new = |name: &String| {
                has_end(name, "conf")
                    && !timesyncd.iter().any(|known| known.rsplit('/').next() == Some(name.as_str()))
            };
            let names: Vec<String> = view.list(folder)?.into_iter().filter(is_new).collect();
            timesyncd.extend(names.into_iter().map(|name| format!("{folder}/{name}")));
        }
        for path in timesyncd.iter().filter(|path| path.as_str() != TIMESYNCD_PATH) {
            lines(
                view,
                path,
                |line| line.starts_with("NTP=") || line.starts_with("FallbackNTP="),
                &mut sources,
            )?;
        }
        let zone = view.target(LOCALTIME_PATH)?;
        let zone = zone.and_then(|target| target.split_once("zoneinfo/").map(|(_, zone)| zone.to_owned()));
        Ok(Self { services, sources, zone })
    }
}

/// Whether a line of chrony's files names servers (`chrony.conf(5)`).
pub(crate) fn names_servers(line: &str) -> bool {
    let word = line.split_whitespace().next().unwrap_or_default();
    ["server", "pool", "peer", "refclock"].iter().any(|known| word.eq_ignore_ascii_case(known))
}

fn chrony(view: View<'_>, path: &str, sources: &mut Vec<FoundSource>) -> Result<(), RootfsFault> {
    if path == CHRONY_SOURCES_PATH { Ok(()) } else { lines(view, path, names_servers, sources) }
}

fn lines(
    view: View<'_>,
    path: &str,
    is_wanted: impl Fn(&str) -> bool,
    sources: &mut Vec<FoundSource>,
) -> Result<(), RootfsFault> {
    if !view.has(path) {
        return Ok(());
    }
    for (index, line) in view.text(path)?.unwrap_or_default().lines().enumerate() {
        if is_wanted(line.trim()) {
            sources.push(FoundSource {
                path: path.to_owned(),
                line: index + 1,
                text: line.trim().to_owned(),
            });
        }
    }
    Ok(())
}
