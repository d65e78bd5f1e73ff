//! Language and keyboard.

use super::header::HEADER;
use crate::machine::Machine;

/// Where systemd looks for the language (`locale.conf(5)`).
pub const LOCALE_PATH: &str = "etc/locale.conf";

/// Where Debian's logins look for it. Written too, so that the two never disagree.
pub const DEBIAN_LOCALE_PATH: &str = "etc/default/locale";

/// Where Debian's console looks for the keyboard (`keyboard(5)`).
pub const KEYBOARD_PATH: &str = "etc/default/keyboard";

/// The host's language, where the sheet says one.
pub fn locale_file(machine: &Machine) -> Option<String> {
    let locale = machine.settings.locale.value()?;
    Some(format!("{HEADER}LANG={}\n", locale.value.as_str()))
}

/// The layout of the host's console, where the sheet says one.
pub fn keyboard_file(machine: &Machine) -> Option<String> {
    let layout = machine.settings.keyboard.value()?;
    Some(format!(
        "{HEADER}XKBMODEL=\"pc105\"\nXKBLAYOUT=\"{}\"\nXKBVARIANT=\"\"\nXKBOPTIONS=\"\"\nBACKSPACE=\"guess\"\n",
        layout.value.as_str()
    ))
}
