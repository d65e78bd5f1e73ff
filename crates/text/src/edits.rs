//! Parts of texts that get another wording: everything around them stays as it is.

use std::collections::BTreeMap;

use crate::place::Place;
use crate::sources::{SourceId, Sources};

/// A text with some of its parts replaced.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct EditedText {
    /// Which text.
    pub source: SourceId,
    /// The whole of it as it is to be.
    pub text: String,
    /// What was replaced, in the order of the text.
    pub parts: Vec<EditedPart>,
}

/// A part that was replaced.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct EditedPart {
    /// The name of its text.
    pub file: String,
    /// Its line, from 1.
    pub line: usize,
    /// Its column, from 1.
    pub column: usize,
    /// What stood there.
    pub from: String,
    /// What stands there now.
    pub to: String,
}

/// Puts texts in the place of parts. Of parts that meet, only the first is replaced. Texts in which nothing changes are left out.
pub fn edited(sources: &Sources, wanted: &BTreeMap<Place, String>) -> Vec<EditedText> {
    let mut all: Vec<EditedText> = Vec::new();
    let mut kept = 0;
    for (place, to) in wanted {
        let source = sources.get(place.source);
        let range = place.span.range();
        let Some(from) = source.text().get(range.clone()) else { continue };
        if from == to {
            continue;
        }
        if all.last().is_none_or(|last| last.source != place.source) {
            finish(sources, &mut all, kept);
            kept = 0;
            all.push(EditedText { source: place.source, text: String::new(), parts: Vec::new() });
        }
        let Some(now) = all.last_mut().filter(|_| range.start >= kept) else { continue };
        now.text.push_str(source.text().get(kept..range.start).unwrap_or_default());
        now.text.push_str(to);
        kept = range.end;
        let position = source.position(range.start);
        now.parts.push(EditedPart {
            file: source.name().to_owned(),
            line: position.line,
            column: position.column,
            from: from.to_owned(),
            to: to.clone(),
        });
    }
    finish(sources, &mut all, kept);
    all
}

/// Adds what comes after the last part of the last text.
fn finish(sources: &Sources, all: &mut [EditedText], kept: usize) {
    if let Some(last) = all.last_mut() {
        last.text.push_str(sources.get(last.source).text().get(kept..).unwrap_or_default());
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Source, Span};

    #[test]
    fn parts_of_several_texts_are_replaced_and_the_rest_stays() {
        let mut sources = Sources::default();
        let first = sources.add(Source::new("a", "one two\nthree"));
        let second = sources.add(Source::new("b", "four"));
        let third = sources.add(Source::new("c", "five"));
        let at = |source, start, end| Place { source, span: Span::new(start, end) };
        let wanted = BTreeMap::from([
            (at(first, 0, 3), "1".to_owned()),
            (at(first, 2, 5), "meets the first".to_owned()),
            (at(first, 8, 13), "3".to_owned()),
            (at(second, 0, 4), "four".to_owned()),
            (at(third, 4, 4), "!".to_owned()),
        ]);
        let texts = edited(&sources, &wanted);
        let shown: Vec<(&str, usize)> =
            texts.iter().map(|one| (one.text.as_str(), one.parts.len())).collect();
        assert_eq!(shown, [("1 two\n3", 2), ("five!", 1)]);
        assert_eq!((texts[0].parts[1].line, texts[0].parts[1].column), (2, 1));
    }
}
