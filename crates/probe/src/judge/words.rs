//! Lists in sentences.

/// The most things that a sentence lists.
const MOST: usize = 6;

/// `a`, `a and b`, `a, b and c`, `a, b, c and 9 more`.
pub(crate) fn listed<T: ToString>(things: &[T]) -> String {
    let shown: Vec<String> = things.iter().take(MOST).map(T::to_string).collect();
    let more = things.len().saturating_sub(MOST);
    match (shown.split_last(), more) {
        (None, _) => String::new(),
        (Some((last, [])), 0) => last.clone(),
        (Some((last, before)), 0) => format!("{} and {last}", before.join(", ")),
        (Some(_), more) => format!("{} and {more} more", shown.join(", ")),
    }
}

#[cfg(test)]
mod tests {
    use super::listed;

    #[test]
    fn long_lists_are_cut_and_say_so() {
        assert_eq!(listed(&["a"]), "a");
        assert_eq!(listed(&["a", "b"]), "a and b");
        assert_eq!(listed(&["a", "b", "c"]), "a, b and c");
        assert_eq!(listed(&(1..=9).collect::<Vec<_>>()), "1, 2, 3, 4, 5, 6 and 3 more");
    }
}
