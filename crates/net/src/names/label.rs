//! Labels, of which names are made, and why a text is no name.

use impostazione_text::shown;

/// Why a text is not a name of its kind.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NameFault {
    /// The reason, as the end of a sentence that begins with the text: "has the character '_' in it".
    pub reason: String,
    /// The name that was probably meant.
    pub meant: Option<String>,
}

impl NameFault {
    pub(super) fn new(reason: impl Into<String>) -> Self {
        Self { reason: reason.into(), meant: None }
    }
}

/// Checks one label of a domain name: letters, digits and hyphens, the hyphens inside, 63 bytes at most
/// (RFC 1123, section 2.1, and RFC 1034, section 3.5).
pub(super) fn check_label(label: &str) -> Result<(), String> {
    if label.is_empty() {
        return Err("has an empty part".to_owned());
    }
    if let Some(wrong) =
        label.chars().find(|character| !character.is_ascii_alphanumeric() && *character != '-')
    {
        return Err(if wrong == ' ' {
            "has a space in it".to_owned()
        } else {
            format!("has the character {} in it", shown(wrong))
        });
    }
    if label.starts_with('-') || label.ends_with('-') {
        return Err("has a part that starts or ends with a hyphen".to_owned());
    }
    if label.len() > 63 {
        return Err(format!("has a part of {} characters; the maximum is 63", label.len()));
    }
    Ok(())
}

/// A text with what labels do not take turned into hyphens, if that makes a label.
pub(super) fn as_label(text: &str) -> Option<String> {
    let corrected: String = text
        .trim()
        .chars()
        .map(|character| if character.is_ascii_alphanumeric() { character.to_ascii_lowercase() } else { '-' })
        .collect();
    let corrected = corrected.trim_matches('-');
    check_label(corrected).is_ok().then(|| corrected.to_owned())
}
