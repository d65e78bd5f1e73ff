//! What is wrong with a file of meanings or signs as TOML.

/// What is wrong with a TOML file, with the line where it is.
pub(super) fn at_its_line(text: &str, error: &toml::de::Error) -> String {
    let before = error.span().and_then(|span| text.get(..span.start)).unwrap_or_default();
    format!("line {}: {}", before.matches('\n').count() + 1, error.message())
}
