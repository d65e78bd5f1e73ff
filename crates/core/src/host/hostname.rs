//! `/etc/hostname`.

use super::unwritable::Unwritable;
use crate::machine::Machine;

/// Where the file lies on the host.
pub const HOSTNAME_PATH: &str = "etc/hostname";

/// The host's short name on a line of its own (`hostname(5)`).
pub fn hostname_file(machine: &Machine) -> Result<Vec<u8>, Unwritable> {
    let hostname = machine
        .hostname
        .value()
        .ok_or_else(|| Unwritable::new(machine, HOSTNAME_PATH, "it has no host name"))?;
    Ok(format!("{hostname}\n").into_bytes())
}
