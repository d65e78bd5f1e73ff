//! What a host said, part by part.

use std::collections::HashMap;

/// The most bytes that are read of what a host says.
pub(super) const MOST_SAID: usize = 8 * 1024 * 1024;

/// What a host said.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Said {
    parts: HashMap<String, Part>,
    /// Whether it said all, and was not cut off.
    pub(super) is_whole: bool,
}

/// One answer.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Part {
    text: String,
    /// How the program ended; `None` where it takes root.
    code: Option<i32>,
}

/// Why a part is not there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Unsaid {
    /// It takes root.
    NeedsRoot,
    /// The program that would say it is not there.
    NoProgram,
    /// It failed, or took too long.
    Failed,
}

impl Said {
    /// Reads what came, in which lines with a mark begin the parts.
    pub(crate) fn read(text: &str, mark: &str) -> Self {
        let mut said = Self::default();
        let mut current: Option<(String, Part)> = None;
        for line in text.lines() {
            if let Some(head) = line.strip_prefix(mark).and_then(|rest| rest.strip_prefix(' ')) {
                if let Some((name, part)) = current.take() {
                    said.parts.entry(name).or_insert(part);
                }
                let Some((name, code)) = head.split_once(' ') else { continue };
                said.is_whole |= name == "end";
                let code = code.parse().ok();
                current = Some((name.to_owned(), Part { text: String::new(), code }));
            } else if let Some((_, part)) = &mut current {
                part.text.push_str(line);
                part.text.push('\n');
            }
        }
        if let Some((name, part)) = current {
            said.parts.entry(name).or_insert(part);
        }
        said
    }

    /// What a program said that succeeded.
    pub(super) fn of(&self, part: &str) -> Result<&str, Unsaid> {
        match self.parts.get(part) {
            Some(Part { code: Some(0), text }) => Ok(text.trim_end()),
            Some(Part { code: None, .. }) => Err(Unsaid::NeedsRoot),
            Some(Part { code: Some(126 | 127), .. }) | None => Err(Unsaid::NoProgram),
            Some(_) => Err(Unsaid::Failed),
        }
    }

    /// What a program said, however it ended.
    pub(super) fn anyway(&self, part: &str) -> &str {
        self.parts.get(part).map_or("", |part| part.text.trim_end())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_are_told_apart_by_the_mark_alone() {
        let text = "banner\nM1 account 0\nkeeper\n\nM1 zone 1\nM1 keys root\nM2 zone 0\nx\nM1 manager 127\n\nM1 end 0\n";
        let said = Said::read(text, "M1");
        assert!(said.is_whole);
        assert_eq!(said.of("account"), Ok("keeper"));
        assert_eq!(said.of("zone"), Err(Unsaid::Failed));
        assert_eq!(said.of("keys"), Err(Unsaid::NeedsRoot));
        assert_eq!(said.of("manager"), Err(Unsaid::NoProgram));
        assert_eq!(said.of("dns"), Err(Unsaid::NoProgram));
        assert!(!Said::read("M1 account 0\nkee", "M1").is_whole);
    }

    #[test]
    fn what_is_said_twice_counts_once() {
        assert_eq!(Said::read("M hostname 0\na\nM hostname 0\nb\nM end 0\n", "M").of("hostname"), Ok("a"));
    }
}
