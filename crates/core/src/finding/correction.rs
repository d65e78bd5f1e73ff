//! Slips for which only one value can have been meant, corrected in the sheet as it stands: comments and layout are kept.

use std::collections::BTreeMap;

use impostazione_text::{EditedText, Place, SourceForm, Sources, edited};

use super::found::Finding;

/// The corrections of a sheet and of the files beside it, by the part that each takes the place of: values for which only one
/// can have been meant, and that can be put in as they stand. What is offered elsewhere is offered from here.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Corrections(BTreeMap<Place, String>);

impl Corrections {
    /// Those of all findings on a sheet. Where two of them want different values for one part, neither is certain.
    pub fn of<'a>(sources: &Sources, findings: impl IntoIterator<Item = &'a Finding>) -> Self {
        let mut wanted: BTreeMap<Place, Option<&str>> = BTreeMap::new();
        for finding in findings {
            let Some(meant) = finding.certain.as_deref() else { continue };
            wanted
                .entry(finding.place)
                .and_modify(|first| *first = first.filter(|first| *first == meant))
                .or_insert(Some(meant));
        }
        let mut corrections = BTreeMap::new();
        let mut kept = Place::default();
        for (place, meant) in wanted {
            let Some(to) = meant.and_then(|meant| written(sources, place, meant)) else { continue };
            let is_apart = place.source != kept.source || place.span.start() >= kept.span.end();
            if is_apart {
                kept = place;
                corrections.insert(place, to);
            }
        }
        Self(corrections)
    }

    /// What takes the place of the part of a text that a finding is about, if anything does.
    pub fn at(&self, finding: &Finding) -> Option<&str> {
        finding.certain.as_ref()?;
        self.0.get(&finding.place).map(String::as_str)
    }
}

/// A value as it is written in the place of another; nothing where that cannot be done with certainty.
fn written(sources: &Sources, place: Place, meant: &str) -> Option<String> {
    let source = sources.get(place.source);
    let from = source.text().get(place.span.range())?;
    if meant.contains(['"', '\\']) || meant.chars().any(char::is_control) {
        return None;
    }
    match source.form() {
        SourceForm::Toml => {
            let is_plain =
                from.starts_with(['"', '\'']) && !from.starts_with("\"\"\"") && !from.contains(['{', '\\']);
            is_plain.then(|| format!("\"{meant}\""))
        }
        // A field in quotes keeps them.
        SourceForm::Rows(separator) => {
            let is_quoted = from.starts_with('"');
            let is_plain = !from.is_empty() && !from.contains(['\n', '\r']) && !source.is_partial(place.span);
            let needs_quotes = meant.contains(separator) || meant.trim() != meant;
            is_plain
                .then(|| if is_quoted || needs_quotes { format!("\"{meant}\"") } else { meant.to_owned() })
        }
        SourceForm::Foreign => None,
    }
}

/// Puts in the values that findings are certain of, in the sheet and in the files of rows beside it. A value that is made by a
/// pattern, or is meant differently by different machines, is left for a person. Gives the texts that change.
pub fn correct_sheet(sources: &Sources, findings: &[Finding]) -> Vec<EditedText> {
    edited(sources, &Corrections::of(sources, findings).0)
}
