//! Passwords that everybody tries first.

use std::collections::HashSet;
use std::sync::LazyLock;

/// Words that products come with and that people fall back on, in small letters.
static WORDS: LazyLock<HashSet<&'static str>> = LazyLock::new(|| {
    include_str!("well_known.txt").lines().filter(|line| !line.is_empty() && !line.starts_with('#')).collect()
});

/// How many digits and marks around a word leave it as easy to guess.
const LITTLE: usize = 6;

/// Passwords that a site does not want, and those that everybody knows.
#[derive(Clone, Debug, Default)]
pub struct WellKnown {
    own: HashSet<String>,
}

impl WellKnown {
    /// Adds a site's own list: one password a line, `#` before a remark.
    pub fn with_list(text: &str) -> Self {
        let lines = text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'));
        Self { own: lines.map(bare).collect() }
    }

    /// Whether a password is on a list, in whatever capitals, with letters written as digits, or with digits and marks put
    /// around it.
    pub fn has(&self, password: &str) -> bool {
        let is_listed = |text: &str| !text.is_empty() && (WORDS.contains(text) || self.own.contains(text));
        let small = password.to_lowercase();
        let undisguised = bare(&small);
        let whole = [small.as_str(), undisguised.as_str()];
        let trimmed = whole.map(|text| text.trim_matches(|c: char| !c.is_alphabetic()));
        let is_little = |text: &str| small.chars().count() - text.chars().count() <= LITTLE;
        whole.into_iter().any(is_listed)
            || trimmed.into_iter().any(|text| is_little(text) && (is_listed(text) || is_listed(&bare(text))))
    }
}

/// In small letters, with the letters for which digits and marks are commonly written.
fn bare(text: &str) -> String {
    text.to_lowercase()
        .chars()
        .map(|c| match c {
            '0' => 'o',
            '1' | '!' => 'i',
            '3' => 'e',
            '4' | '@' => 'a',
            '5' | '$' => 's',
            '7' => 't',
            other => other,
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn disguises_do_not_help() {
        let known = WellKnown::with_list("# of the yard\nopen sesame\nlighthouse\n");
        for password in [
            "admin",
            "Admin",
            "ADMIN123",
            "p@ssw0rd",
            "P@ssw0rd!",
            "changeme!!",
            "Ch4ng3m3",
            "123456",
            "qwertz",
            "Open Sesame",
            "Lighthouse1871",
            "1234567890",
            "letmein",
        ] {
            assert!(known.has(password), "{password}");
        }
        for password in [
            "nine gulls on the mole",
            "administrating gulls",
            "",
            "1871-4-2",
            "Tide-Tables-1871",
            "7",
            "test-4938271650392",
        ] {
            assert!(!known.has(password), "{password}");
        }
        assert!(!WellKnown::default().has("lighthouse"));
    }
}
