//! The last look at every finding before anybody sees it: what must not be shown of the text is in no sentence about it.

use std::collections::BTreeSet;

use aho_corasick::{AhoCorasick, AhoCorasickKind, MatchKind};
use impostazione_text::confidential::HIDDEN;
use impostazione_text::{Place, Source, Sources, unquoted};

use super::found::Finding;

/// Values shorter than this are looked for only in findings about their own line: they may be words of a sentence.
const LEAST_LENGTH: usize = 6;
/// No sentence quotes more.
const MOST_LENGTH: usize = 4096;
/// How many characters of a long value a sentence may begin with.
const BEGINNING: usize = 60;
/// How many lines of a finding's place are looked at.
const LINE_LIMIT: usize = 200;

/// Takes what must not be shown out of findings.
pub(crate) struct Redaction<'a> {
    sources: &'a Sources,
    anywhere: Option<AhoCorasick>,
}

impl<'a> Redaction<'a> {
    /// Collects the secrets that stand in texts.
    pub(crate) fn new(sources: &'a Sources) -> Self {
        let texts: BTreeSet<&str> = sources
            .all()
            .iter()
            .flat_map(Source::secret_texts)
            .filter(|text| (LEAST_LENGTH..=MOST_LENGTH).contains(&text.len()) && !is_plain_word(text))
            .collect();
        let anywhere = (!texts.is_empty()).then(|| searcher(texts)).flatten();
        Self { sources, anywhere }
    }

    /// Replaces secrets in the sentences of a finding.
    pub(crate) fn apply(&self, finding: &mut Finding) {
        let source = self.sources.get(finding.place.source);
        if source.is_unread(finding.place.span.start()) && !finding.quotes_nothing {
            let summary = finding.rule.summary;
            finding.message = format!(
                "On this line {summary}. The line is not shown, because the sheet could not be read in full."
            );
            "fix the TOML errors first, then check again".clone_into(&mut finding.fix);
            return;
        }
        if let Some(searcher) = &self.anywhere {
            replace(searcher, finding);
        }
        for secret in self.texts_at(finding.place) {
            for text in [&mut finding.message, &mut finding.fix] {
                // The beginning of what is too long to be quoted is as confidential.
                let end = secret.char_indices().nth(BEGINNING).map_or(secret.len(), |(end, _)| end);
                for hidden in [secret, secret.get(..end).unwrap_or(secret)] {
                    if hidden.len() <= text.len() && text.contains(hidden) {
                        *text = text.replace(hidden, HIDDEN);
                    }
                }
            }
        }
    }

    /// What must not be shown of the lines of a place.
    fn texts_at(&self, place: Place) -> Vec<&'a str> {
        let source = self.sources.get(place.source);
        let mut texts = BTreeSet::new();
        let mut at = place.span.start();
        for _ in 0..LINE_LIMIT {
            let (start, line) = source.line_at(at);
            for part in source.confidential_parts(at) {
                let text = unquoted(line.get(part).unwrap_or_default().trim());
                if text.chars().count() > 1 {
                    texts.insert(text);
                }
            }
            at = start + line.len() + 1;
            if at > place.span.end() || at >= source.text().len() {
                break;
            }
        }
        // The longest first, so that none is left in part.
        let mut texts: Vec<&str> = texts.into_iter().collect();
        texts.sort_by_key(|text| std::cmp::Reverse(text.len()));
        texts
    }
}

/// Whether it reads like a word of a sentence.
fn is_plain_word(text: &str) -> bool {
    text.chars().all(|c| c.is_lowercase() || matches!(c, '-' | '.' | '/'))
}

fn searcher<'t>(texts: impl IntoIterator<Item = &'t str>) -> Option<AhoCorasick> {
    let texts: Vec<&str> = texts.into_iter().collect();
    if texts.is_empty() {
        return None;
    }
    let mut builder = AhoCorasick::builder();
    builder
        .match_kind(MatchKind::LeftmostLongest)
        .kind(Some(AhoCorasickKind::ContiguousNFA))
        .build(texts)
        .ok()
}

fn replace(searcher: &AhoCorasick, finding: &mut Finding) {
    for text in [&mut finding.message, &mut finding.fix] {
        if searcher.is_match(text.as_str()) {
            let mut shown = String::with_capacity(text.len());
            searcher.replace_all_with(text, &mut shown, |_, _, into| {
                into.push_str(HIDDEN);
                true
            });
            *text = shown;
        }
    }
}
