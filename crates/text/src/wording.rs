//! Small pieces of messages.

/// A character in quotes, or its number where it would not be seen.
pub fn shown(character: char) -> String {
    if character.is_control() || (character.is_whitespace() && character != ' ') {
        format!("U+{:04X}", u32::from(character))
    } else {
        format!("'{character}'")
    }
}

/// The text with its first letter large.
pub fn capital(text: &str) -> String {
    let mut characters = text.chars();
    characters.next().map_or_else(String::new, |first| first.to_uppercase().chain(characters).collect())
}
