//! What this computer and its user suggest.

use std::fs;
use std::path::PathBuf;

use impostazione_core::draft::Known;
use jiff::tz::TimeZone;

/// The most bytes that are read of a public key or a setting.
const LIMIT: u64 = 64 * 1024;

/// Looks around.
pub(super) fn known() -> Known {
    Known {
        user: std::env::var("SUDO_USER")
            .or_else(|_| std::env::var("USER"))
            .ok()
            .filter(|name| !name.is_empty() && name != "root"),
        public_keys: public_keys(),
        timezone: TimeZone::try_system().ok().and_then(|zone| zone.iana_name().map(str::to_owned)),
        keyboard: keyboard(),
    }
}

/// The public keys in the user's own folder, the newest kinds first.
fn public_keys() -> Vec<(String, String)> {
    let Some(home) = std::env::var_os("HOME").map(PathBuf::from) else { return Vec::new() };
    let folder = home.join(".ssh");
    let Ok(entries) = fs::read_dir(&folder) else { return Vec::new() };
    let mut names: Vec<String> = entries
        .filter_map(|entry| entry.ok()?.file_name().into_string().ok())
        .filter(|name| std::path::Path::new(name).extension().is_some_and(|end| end == "pub"))
        .collect();
    names.sort_by_key(|name| (!name.contains("ed25519"), name.clone()));
    let line_of = |name: &String| {
        let bytes = impostazione_text::files::read_file(&folder.join(name), LIMIT).ok()?;
        let text = String::from_utf8(bytes).ok()?;
        let line = text.lines().find(|line| !line.trim().is_empty())?.trim().to_owned();
        Some((format!("~/.ssh/{name}"), line))
    };
    names.iter().filter_map(line_of).collect()
}

/// The layout of this computer's keyboard (`keyboard(5)`).
fn keyboard() -> Option<String> {
    let text = fs::read_to_string("/etc/default/keyboard").ok()?;
    let value = text.lines().find_map(|line| line.trim().strip_prefix("XKBLAYOUT="))?;
    let layout = value.trim().trim_matches('"').split(',').next()?.to_owned();
    (!layout.is_empty()).then_some(layout)
}
