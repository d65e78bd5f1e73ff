//! Where two texts differ, line by line.

use serde::Serialize;
use similar::{ChangeTag, TextDiff};

/// One line of a difference.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct DifferentLine {
    /// Whether it goes or comes.
    pub side: Side,
    /// The line, without its end.
    pub text: String,
}

/// Which of two texts a line stands in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// The first alone.
    First,
    /// The second alone.
    Second,
}

/// The lines that stand in one text and not in the other, in their order.
pub fn different_lines(first: &str, second: &str) -> Vec<DifferentLine> {
    let difference = TextDiff::from_lines(first, second);
    let of_change = |change: similar::Change<&str>| {
        let side = match change.tag() {
            ChangeTag::Delete => Side::First,
            ChangeTag::Insert => Side::Second,
            ChangeTag::Equal => return None,
        };
        Some(DifferentLine { side, text: change.value().trim_end_matches(['\n', '\r']).to_owned() })
    };
    difference.iter_all_changes().filter_map(of_change).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_in_both_is_not_told() {
        let lines = different_lines("a\nb\nc\n", "a\nc\nd");
        let told: Vec<_> = lines.iter().map(|line| (line.side, line.text.as_str())).collect();
        // The last line of a file without a line end is another line for a program that reads it, and the same for people.
        assert_eq!(told, [(Side::First, "b"), (Side::Second, "d")]);
        assert!(different_lines("same\n", "same\n").is_empty());
    }
}
