//! Slips for which only one value can have been meant, mended in the sheet as it stands: comments and layout are kept.

use std::collections::BTreeMap;

use impostazione_text::{SourceId, Sources, Span};

use crate::finding::Finding;

/// A sheet with its certain slips mended.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Mended {
    /// The whole text.
    pub text: String,
    /// What was changed, in the order of the text.
    pub changes: Vec<Change>,
}

/// One value that was replaced.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Change {
    /// Its line, from 1.
    pub line: usize,
    /// Its column, from 1.
    pub column: usize,
    /// What stood there, with its quotes.
    pub from: String,
    /// What stands there now.
    pub to: String,
}

/// Puts in the values that findings are certain of. A value that stands in a CSV file, is made by a pattern, or is meant
/// differently by different machines, is left for a person.
pub fn mend(sources: &Sources, findings: &[Finding]) -> Mended {
    let sheet = SourceId::default();
    let text = sources.get(sheet).text();
    let mut wanted: BTreeMap<Span, Option<&str>> = BTreeMap::new();
    for finding in findings.iter().filter(|finding| finding.place.source == sheet) {
        let Some(meant) = finding.certain.as_deref() else { continue };
        wanted
            .entry(finding.place.span)
            .and_modify(|first| *first = first.filter(|first| *first == meant))
            .or_insert(Some(meant));
    }
    let mut mended = Mended { text: String::with_capacity(text.len()), changes: Vec::new() };
    let mut kept = 0;
    for (span, meant) in wanted {
        let (Some(meant), Some(from)) = (meant, text.get(span.range())) else { continue };
        let is_plain =
            from.starts_with(['"', '\'']) && !from.starts_with("\"\"\"") && !from.contains(['{', '\\']);
        let is_safe = !meant.contains(['"', '\\']) && !meant.chars().any(char::is_control);
        if !is_plain || !is_safe || span.start() < kept {
            continue;
        }
        let to = format!("\"{meant}\"");
        let position = sources.get(sheet).position(span.start());
        mended.text.push_str(text.get(kept..span.start()).unwrap_or_default());
        mended.text.push_str(&to);
        kept = span.end();
        mended.changes.push(Change {
            line: position.line,
            column: position.column,
            from: from.to_owned(),
            to,
        });
    }
    mended.text.push_str(text.get(kept..).unwrap_or_default());
    mended
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing::{BASE, assess_text};

    #[test]
    fn values_are_replaced_and_everything_else_is_kept() {
        let sheet = BASE
            .replace("\"10.64.10.0/24\"", "'10.64.10.0 255.255.255.0'   # the quay, à mano")
            .replace("\"capovetro.example\"", "\"capovetro.example.\"")
            .replace("\"gauge-01\"", "\"Gauge-01\"");
        let assessment = assess_text(&sheet);
        let mended = mend(&assessment.sources, &assessment.findings);
        let meant = BASE.replace("\"10.64.10.0/24\"", "\"10.64.10.0/255.255.255.0\"   # the quay, à mano");
        assert_eq!(mended.text, meant);
        assert_eq!(mended.changes.len(), 3);
        assert!(assess_text(&mended.text).findings.is_empty());
        let again = assess_text(&mended.text);
        assert_eq!(mend(&again.sources, &again.findings).changes, []);
    }

    #[test]
    fn what_a_pattern_makes_is_left_for_a_person() {
        let sheet = BASE
            .replace("\"gauge-01\"", "\"Gauge-{01..02}\"")
            .replace("\"10.64.10.11\"", "\"10.64.10.{11..12}\"");
        let assessment = assess_text(&sheet);
        assert_eq!(assessment.findings.len(), 2);
        assert_eq!(mend(&assessment.sources, &assessment.findings).text, sheet);
    }
}
