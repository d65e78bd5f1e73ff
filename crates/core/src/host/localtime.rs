//! `/etc/localtime` and `/etc/timezone`.

use impostazione_net::ZoneName;

use super::unwritable::Unwritable;
use crate::machine::Machine;

/// Where the link lies on the host.
pub const LOCALTIME_PATH: &str = "etc/localtime";

/// Where Debian's tools look for the zone's name. Written too, so that the two never disagree.
pub const TIMEZONE_PATH: &str = "etc/timezone";

/// What `/etc/localtime` links to: relative, so that it holds in a root filesystem that is mounted elsewhere, and
/// ending in the zone's name, which systemd reads from it (`localtime(5)`).
pub fn localtime_target(machine: &Machine) -> Result<String, Unwritable> {
    Ok(format!("../usr/share/zoneinfo/{}", zone(machine)?))
}

/// The zone's name on a line of its own.
pub fn timezone_file(machine: &Machine) -> Result<Vec<u8>, Unwritable> {
    Ok(format!("{}\n", zone(machine)?).into_bytes())
}

fn zone(machine: &Machine) -> Result<&ZoneName, Unwritable> {
    let zone = machine.settings.timezone.value().map(|written| &written.value);
    zone.ok_or_else(|| Unwritable::new(machine, LOCALTIME_PATH, "it has no time zone"))
}
