//! Characters that are not seen, or that change how others are seen: a stranger's text shows them as escapes.

use std::borrow::Cow;
use std::fmt::Write as _;

/// Whether a character drives a terminal, changes the direction of what stands beside it, or is not seen at all (Unicode 16.0,
/// general categories Cc and Cf, line separators, and letters without a shape).
pub fn is_unseen(character: char) -> bool {
    character.is_control()
        || matches!(
            character,
            '\u{ad}'
                | '\u{34f}'
                | '\u{600}'..='\u{605}'
                | '\u{61c}'
                | '\u{6dd}'
                | '\u{70f}'
                | '\u{115f}'..='\u{1160}'
                | '\u{17b4}'..='\u{17b5}'
                | '\u{180b}'..='\u{180f}'
                | '\u{200b}'..='\u{200f}'
                | '\u{2028}'..='\u{202e}'
                | '\u{2060}'..='\u{206f}'
                | '\u{2800}'
                | '\u{3164}'
                | '\u{fe00}'..='\u{fe0f}'
                | '\u{feff}'
                | '\u{ffa0}'
                | '\u{fff0}'..='\u{fffb}'
                | '\u{1bca0}'..='\u{1bca3}'
                | '\u{1d173}'..='\u{1d17a}'
                | '\u{e0000}'..='\u{e0fff}'
        )
}

/// A stranger's text on one line, with what is not seen as an escape, such as `\u{202e}`; a tab is a blank.
pub fn harmless(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    for character in text.chars() {
        match character {
            '\t' => shown.push(' '),
            unseen if is_unseen(unseen) => shown.extend(unseen.escape_unicode()),
            other => shown.push(other),
        }
    }
    shown
}

/// A text that is about to reach a terminal, with its lines and its colors: whatever else is not seen is an escape.
pub fn guarded(text: &str) -> Cow<'_, str> {
    let is_meant = |character: char| matches!(character, '\n' | '\t' | '\u{1b}');
    if !text.chars().any(|character| is_unseen(character) && !is_meant(character)) {
        return Cow::Borrowed(text);
    }
    let mut shown = String::with_capacity(text.len());
    for character in text.chars() {
        if is_unseen(character) && !is_meant(character) {
            shown.extend(character.escape_unicode());
        } else {
            shown.push(character);
        }
    }
    Cow::Owned(shown)
}

/// JSON with what is not seen as escapes of its own (RFC 8259, section 7): it says the same.
pub fn guarded_json(json: &str) -> Cow<'_, str> {
    let is_unseen = |character: char| is_unseen(character) && character != '\n';
    if !json.chars().any(is_unseen) {
        return Cow::Borrowed(json);
    }
    let mut shown = String::with_capacity(json.len());
    for character in json.chars() {
        if is_unseen(character) {
            for unit in character.encode_utf16(&mut [0; 2]) {
                // Writing to a String does not fail.
                let _ = write!(shown, "\\u{unit:04x}");
            }
        } else {
            shown.push(character);
        }
    }
    Cow::Owned(shown)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_not_seen_is_an_escape() {
        assert_eq!(
            harmless("a\u{202e}b\u{200b}c\u{feff}\u{2028}\u{e0041}\u{9b}\u{1b}[2J\td"),
            "a\\u{202e}b\\u{200b}c\\u{feff}\\u{2028}\\u{e0041}\\u{9b}\\u{1b}[2J d"
        );
        assert_eq!(harmless("è Größe 港 👍"), "è Größe 港 👍");
        assert_eq!(guarded("\u{1b}[1ma\u{1b}[0m\nb\u{7}\u{85}"), "\u{1b}[1ma\u{1b}[0m\nb\\u{7}\\u{85}");
    }

    #[test]
    fn json_says_the_same() {
        let value = serde_json::json!({"a": "x\u{202e}\u{e0041}\u{9b}y\n"});
        let json = serde_json::to_string_pretty(&value).unwrap();
        let shown = guarded_json(&json);
        assert!(shown.contains("\\u202e\\udb40\\udc41\\u009b"), "{shown}");
        assert_eq!(serde_json::from_str::<serde_json::Value>(&shown).unwrap(), value);
    }
}
