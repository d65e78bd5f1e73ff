//! Slips for which only one value can have been meant, corrected in the sheet as it stands: comments and layout are kept.

use std::collections::BTreeMap;

use impostazione_text::{SourceId, Sources, Span};

use super::found::Finding;

/// A sheet with its certain slips corrected.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CorrectedSheet {
    /// The whole text.
    pub text: String,
    /// What was changed, in the order of the text.
    pub changes: Vec<Correction>,
}

/// One value that was replaced.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Correction {
    /// Its line, from 1.
    pub line: usize,
    /// Its column, from 1.
    pub column: usize,
    /// What stood there, with its quotes.
    pub from: String,
    /// What stands there now.
    pub to: String,
}

/// The corrections of a sheet, by the part that each takes the place of: values for which only one can have been meant, and
/// that can be put in as they stand. What is offered elsewhere is offered from here.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Corrections(BTreeMap<Span, String>);

impl Corrections {
    /// Those of all findings on a sheet. Where two of them want different values for one part, neither is certain.
    pub fn of<'a>(sources: &Sources, findings: impl IntoIterator<Item = &'a Finding>) -> Self {
        let sheet = SourceId::default();
        let text = sources.get(sheet).text();
        let mut wanted: BTreeMap<Span, Option<&str>> = BTreeMap::new();
        for finding in findings.into_iter().filter(|finding| finding.place.source == sheet) {
            let Some(meant) = finding.certain.as_deref() else { continue };
            wanted
                .entry(finding.place.span)
                .and_modify(|first| *first = first.filter(|first| *first == meant))
                .or_insert(Some(meant));
        }
        let mut corrections = BTreeMap::new();
        let mut kept = 0;
        for (span, meant) in wanted {
            let (Some(meant), Some(from)) = (meant, text.get(span.range())) else { continue };
            let is_plain =
                from.starts_with(['"', '\'']) && !from.starts_with("\"\"\"") && !from.contains(['{', '\\']);
            let is_safe = !meant.contains(['"', '\\']) && !meant.chars().any(char::is_control);
            if is_plain && is_safe && span.start() >= kept {
                kept = span.end();
                corrections.insert(span, format!("\"{meant}\""));
            }
        }
        Self(corrections)
    }

    /// What takes the place of the part of the sheet that a finding is about, if anything does.
    pub fn at(&self, finding: &Finding) -> Option<&str> {
        finding.certain.as_ref()?;
        (finding.place.source == SourceId::default())
            .then(|| self.0.get(&finding.place.span))?
            .map(String::as_str)
    }
}

/// Puts in the values that findings are certain of. A value that stands in a CSV file, is made by a pattern, or is meant
/// differently by different machines, is left for a person.
pub fn correct_sheet(sources: &Sources, findings: &[Finding]) -> CorrectedSheet {
    let sheet = SourceId::default();
    let text = sources.get(sheet).text();
    let mut corrected = CorrectedSheet { text: String::with_capacity(text.len()), changes: Vec::new() };
    let mut kept = 0;
    for (span, to) in Corrections::of(sources, findings).0 {
        let position = sources.get(sheet).position(span.start());
        corrected.text.push_str(text.get(kept..span.start()).unwrap_or_default());
        corrected.text.push_str(&to);
        kept = span.end();
        let from = text.get(span.range()).unwrap_or_default().to_owned();
        corrected.changes.push(Correction { line: position.line, column: position.column, from, to });
    }
    corrected.text.push_str(text.get(kept..).unwrap_or_default());
    corrected
}
