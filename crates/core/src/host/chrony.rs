//! chrony's time servers and keys.

use std::fmt::Write as _;

use impostazione_text::FileBytes;
use zeroize::Zeroizing;

use super::header::HEADER;
use super::unwritable::Unwritable;
use crate::machine::{Machine, Site};

/// Where the list of servers lies on the host, in a folder that Debian's main file reads.
pub const CHRONY_SOURCES_PATH: &str = "etc/chrony/sources.d/impostazione.sources";

/// Where the keys lie. Debian's main file names this one, after the folder of drop-ins, so that no other would be read.
pub const CHRONY_KEYS_PATH: &str = "etc/chrony/chrony.keys";

/// The host's time servers, a line each (`chrony.conf(5)`, `sourcedir`).
pub fn chrony_sources_file(site: &Site, machine: &Machine) -> Result<String, Unwritable> {
    let mut text = HEADER.to_owned();
    for source in machine.settings.ntp.value().into_iter().flat_map(|list| list.values()) {
        // Writing to a String does not fail.
        let _ = write!(text, "server {} iburst", source.server);
        if let Some(key) = &source.key {
            let key = site.time_keys.iter().find(|known| known.name.value == key.value);
            let number = key.and_then(|key| key.number.value()).ok_or_else(|| {
                Unwritable::new(machine, CHRONY_SOURCES_PATH, "a key of a time server has no number")
            })?;
            let _ = write!(text, " key {number}");
        }
        text.push('\n');
    }
    Ok(text)
}

/// The keys that the host's time servers prove their answers with (`chrony.keys`), or nothing where none does.
pub fn chrony_keys_file(site: &Site, machine: &Machine) -> Result<Option<FileBytes>, Unwritable> {
    let unwritable = || Unwritable::new(machine, CHRONY_KEYS_PATH, "a time server's key is not available");
    let names: Vec<&str> = machine
        .settings
        .ntp
        .value()
        .into_iter()
        .flat_map(|list| list.values())
        .filter_map(|source| Some(source.key.as_ref()?.value.as_str()))
        .collect();
    let mut text = Zeroizing::new(String::with_capacity(4096));
    text.push_str(HEADER);
    let mut has_any = false;
    for key in site.time_keys.iter().filter(|key| names.contains(&key.name.value.as_str())) {
        let number = key.number.value().ok_or_else(unwritable)?;
        let secret =
            key.value.value().and_then(|index| site.secrets.get(index.value)).ok_or_else(unwritable)?;
        let value = secret.value_for(site, machine).value().ok_or_else(unwritable)?;
        let _ = writeln!(text, "{number} {} {}", key.hash, value.reveal());
        has_any = true;
    }
    Ok(has_any.then(|| FileBytes::new(text.as_bytes())))
}
