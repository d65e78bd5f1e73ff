//! The drop-in for systemd-timesyncd.

use super::header::HEADER;
use crate::machine::Machine;

/// Where the file lies on the host.
pub const TIMESYNCD_PATH: &str = "etc/systemd/timesyncd.conf.d/60-impostazione.conf";

/// The host's time servers, or none (`timesyncd.conf(5)`).
///
/// Lists of several files add up, so each begins with an empty assignment, which drops what the image brought.
/// Without a server of the sheet the fallback servers, which are public ones, are dropped too: none was asked for.
pub fn timesyncd_file(machine: &Machine) -> Vec<u8> {
    let servers: Vec<String> = machine
        .settings
        .ntp
        .value()
        .map(|list| list.values().map(ToString::to_string).collect())
        .unwrap_or_default();
    let list =
        if servers.is_empty() { "FallbackNTP=\n".to_owned() } else { format!("NTP={}\n", servers.join(" ")) };
    format!("{HEADER}[Time]\nNTP=\n{list}").into_bytes()
}
