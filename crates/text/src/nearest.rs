//! The known name that a mistyped one is closest to.

/// The known names that are closest to a text, if they are close enough to be what was meant: up to `count` of those
/// that are equally close.
///
/// Close means a Damerau-Levenshtein distance, upper and lower case counting alike, of at most a third of the
/// longer name. Of equally close names the one with the longer common beginning comes first.
pub fn nearest<'a>(text: &str, known: impl IntoIterator<Item = &'a str>, count: usize) -> Vec<&'a str> {
    let text = text.to_lowercase();
    let mut close: Vec<(usize, usize, &str)> = known
        .into_iter()
        .filter_map(|name| {
            let lower = name.to_lowercase();
            let longer = text.chars().count().max(lower.chars().count());
            let distance = strsim::damerau_levenshtein(&text, &lower);
            let common = text.chars().zip(lower.chars()).take_while(|(a, b)| a == b).count();
            (distance * 3 <= longer).then_some((distance, usize::MAX - common, name))
        })
        .collect();
    close.sort_unstable();
    close.dedup();
    let best = close.first().map_or(0, |(distance, ..)| *distance);
    close
        .into_iter()
        .take_while(|(distance, ..)| *distance == best)
        .take(count)
        .map(|(_, _, name)| name)
        .collect()
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn slips_find_their_name_and_other_words_find_none() {
        let known = ["address", "address6", "gateway", "subnet"];
        assert_eq!(nearest("adress", known, 1), ["address"]);
        assert_eq!(nearest("Gatway", known, 1), ["gateway"]);
        assert!(nearest("timezone", known, 1).is_empty());
    }
}
