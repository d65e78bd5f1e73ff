//! What must not be shown of a text that could not be parsed.

use std::ops::Range;

use impostazione_text::confidential::is_secret;

use super::hidden::{OWNERS, PLACES, is_path, is_variable};

/// The rest of a sheet that could not be parsed, from the first line on that may hold a secret; all of a text that is not a
/// sheet by anything that it says.
pub(crate) fn hidden_in_unparsed(text: &str) -> Range<usize> {
    let is_header = |line: &str| {
        let line = line.trim_start();
        ["[common", "[subnet.", "[[host]", "[[appliance]", "[account."]
            .iter()
            .any(|known| line.starts_with(known))
    };
    let is_format = |line: &str| line.split_once('=').is_some_and(|(key, _)| key.trim() == "format");
    if !text.lines().any(|line| is_header(line) || is_format(line)) {
        return 0..text.len();
    }
    // What stands alone on a line may be anything.
    let is_setting = |line: &str| {
        let line = line.trim();
        line.is_empty() || line.contains('=') || line.starts_with(['[', ']', '{', '}', '#', '"', '\''])
    };
    // What stands in a table of a secret names it, or is the secret.
    let mut names_secrets = false;
    let passes = |line: &str| {
        let line = line.trim();
        if line.starts_with('[') {
            names_secrets = line.starts_with("[secret.") || line.starts_with("[secret]");
        }
        is_setting(line) && is_harmless(line, text) && (!names_secrets || only_names(line))
    };
    first_line(text, passes)..text.len()
}

/// Whether a line of a table of a secret says where the value comes from, or how long it is, and no more.
fn only_names(line: &str) -> bool {
    if line.is_empty() || line.starts_with(['[', '#']) {
        return true;
    }
    let Some((key, value)) = line.split_once('=') else { return false };
    let value = value.split('#').next().unwrap_or_default().trim();
    let text = value.trim_matches(['"', '\'']);
    match key.trim() {
        "from" => PLACES.contains(&text),
        "per" => OWNERS.contains(&text),
        "variable" => is_variable(text),
        "path" => is_path(text),
        "min_length" | "max_length" => text.len() <= 4 && text.bytes().all(|byte| byte.is_ascii_digit()),
        _ => false,
    }
}

/// The rest of a text of netplan's that could not be parsed, in the same way; all of a text that is not one of netplan's.
pub(crate) fn hidden_in_unparsed_netplan(text: &str) -> Range<usize> {
    if !text.lines().any(|line| line.trim_start().starts_with("network:")) {
        return 0..text.len();
    }
    let is_setting = |line: &str| line.trim().is_empty() || line.contains([':', '-', '#']);
    first_line(text, |line| is_setting(line) && is_harmless(line.trim(), text))..text.len()
}

/// The rest of a table of rows that could not be parsed: all rows, where a field of the header mentions a secret.
pub(crate) fn hidden_in_unparsed_rows(text: &str) -> Range<usize> {
    let header = text.split_inclusive('\n').next().unwrap_or_default();
    let speaks = header.split([',', ';', '\t']).any(is_secret);
    let start = if speaks { header.len() } else { first_line(text, |line| is_harmless(line.trim(), text)) };
    start..text.len()
}

/// Where the first line begins of which this is not true, or the end.
fn first_line(text: &str, mut is_passed: impl FnMut(&str) -> bool) -> usize {
    let mut offset = 0;
    for line in text.split_inclusive('\n') {
        if !is_passed(line) {
            return offset;
        }
        offset += line.len();
    }
    text.len()
}

/// Whether a line has no confidential word, or is one of the few that are whole by themselves and only name a secret.
fn is_harmless(line: &str, text: &str) -> bool {
    let words = || line.split(|c: char| !(c.is_alphanumeric() || "_-.".contains(c)));
    if line.contains("PRIVATE KEY") {
        return false;
    }
    // Where a table with a passphrase belongs, anything else may be the passphrase.
    let key = line.split(['=', ':', '{', '"', '\'']).next().unwrap_or_default().trim();
    if key.split(|c: char| !c.is_alphanumeric()).any(|word| word == "wifi") && !line.contains('{') {
        return false;
    }
    if !words().any(|word| is_secret(word) || matches!(word, "secret" | "variable")) {
        return true;
    }
    if line.starts_with("[secret.") && line.ends_with(']') && line.matches(['[', ']']).count() == 2 {
        return true;
    }
    // `password = { secret = "name" }`, where the text has a table [secret.name].
    let parts: Vec<&str> = line.split('"').collect();
    let [before, name, after] = parts.as_slice() else { return false };
    let before: String = before.chars().filter(|c| !c.is_whitespace()).collect();
    let is_named = text.lines().any(|line| line.trim() == format!("[secret.{name}]"));
    let key = before.strip_suffix("={secret=");
    let is_one_key = key.is_some_and(|key| key.chars().all(|c| c.is_alphanumeric() || "_-.".contains(c)));
    is_one_key && is_named && after.trim() == "}"
}

#[cfg(test)]
mod tests {
    use super::hidden_in_unparsed;

    fn shown(text: &str) -> &str {
        &text[..hidden_in_unparsed(text).start]
    }

    #[test]
    fn from_the_first_confidential_word_on_nothing_is_shown() {
        assert_eq!(shown("format = 1\ndns = x\npassword = \"tide\nname = \"a\"\n"), "format = 1\ndns = x\n");
        assert_eq!(shown("format = 1\n# the pass: tide\nx\n"), "format = 1\n");
        let whole = "format = 1\n[account.a]\npassword = { secret = \"b\" }\n[secret.b]\nfrom = \"env\"\n[common]\nx =\n";
        assert_eq!(shown(whole), whole);
        let placed = "format = 1\n[secret.b]\nfrom = \"tide\"\nx =\n";
        assert_eq!(shown(placed), "format = 1\n[secret.b]\n");
        let unknown = "format = 1\n[account.a]\npassword = { secret = \"tide\" }\n";
        assert_eq!(shown(unknown), "format = 1\n[account.a]\n");
        assert_eq!(shown("format = 1\nhunter\nx = 1\n"), "format = 1\n", "a line that is not a setting");
        assert_eq!(shown("Tq7-rope-Harbor-41\n"), "", "a file of a secret is not a sheet");
    }
}
