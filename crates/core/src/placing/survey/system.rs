//! What runs on a root filesystem: distribution, processor, installed programs.

use std::collections::HashMap;

use impostazione_rootfs::{RootfsFault, View};
use serde::Serialize;

/// A distribution.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct System {
    /// Its name and version, for people.
    pub name: String,
    /// Its short name (`os-release(5)`, `ID`).
    pub id: String,
    /// Its version.
    pub version: String,
    /// The processor that its programs are for, as the kernel calls it; `None` where no program could be read.
    pub architecture: Option<&'static str>,
}

impl System {
    /// Reads `os-release`; nothing where the root filesystem has none.
    pub(super) fn read(view: View<'_>) -> Result<Option<Self>, RootfsFault> {
        let mut text = None;
        for path in ["etc/os-release", "usr/lib/os-release"] {
            if text.is_none() && view.has(path) {
                text = view.text(path)?;
            }
        }
        let Some(text) = text else { return Ok(None) };
        let value = |key: &str| {
            let line = text.lines().find_map(|line| line.strip_prefix(key)?.strip_prefix('='));
            line.map(|value| value.trim().trim_matches(['"', '\'']).to_owned()).unwrap_or_default()
        };
        Ok(Some(Self {
            name: value("PRETTY_NAME"),
            id: value("ID"),
            version: value("VERSION_ID"),
            architecture: architecture(view),
        }))
    }
}

/// Programs that every Linux system has, one of which tells the processor.
const PROGRAMS: [&str; 4] = ["usr/bin/true", "usr/lib/systemd/systemd", "bin/sh", "bin/true"];

/// Machines of ELF files (ELF specification, `e_machine`).
const MACHINES: [(u16, &str); 6] =
    [(3, "i686"), (40, "arm"), (62, "x86_64"), (183, "aarch64"), (243, "riscv64"), (21, "ppc64")];

fn architecture(view: View<'_>) -> Option<&'static str> {
    PROGRAMS.iter().find_map(|path| {
        let bytes = view.read(path).ok()??;
        let is_elf = bytes.get(..4)? == b"\x7fELF";
        let is_little = *bytes.get(5)? == 1;
        let machine: [u8; 2] = bytes.get(18..20)?.try_into().ok()?;
        let machine = if is_little { u16::from_le_bytes(machine) } else { u16::from_be_bytes(machine) };
        MACHINES.iter().find(|(number, _)| is_elf && *number == machine).map(|(_, name)| *name)
    })
}

/// Packages that Debian's package manager has installed, by name, and their versions.
#[derive(Clone, Debug, Default)]
pub(crate) struct Packages(HashMap<String, String>);

impl Packages {
    pub(super) fn read(view: View<'_>) -> Self {
        // A list that cannot be read is no reason to stop: programs are looked for where they lie.
        let Ok(Some(text)) = view.text("var/lib/dpkg/status") else { return Self::default() };
        let mut versions = HashMap::new();
        for paragraph in text.split("\n\n") {
            let value = |key: &str| {
                paragraph.lines().find_map(|line| line.strip_prefix(key)?.strip_prefix(": ")).map(str::trim)
            };
            if let (Some(name), Some(version)) = (value("Package"), value("Version"))
                && value("Status").is_some_and(|status| status.ends_with(" installed"))
            {
                versions.insert(name.to_owned(), version.to_owned());
            }
        }
        Self(versions)
    }

    pub(super) fn version(&self, name: &str) -> Option<&str> {
        self.0.get(name).map(String::as_str)
    }
}

/// Whether a program lies in one of the usual folders.
pub(crate) fn has_program(view: View<'_>, name: &str) -> bool {
    ["usr/sbin", "usr/bin", "sbin", "bin"].iter().any(|folder| view.has(&format!("{folder}/{name}")))
}
