//! Files of which a placement changed some lines.

use std::collections::HashMap;

/// A file, merged by its lines.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum MergedLines {
    /// What others have changed and what the placement did lie apart.
    Apart(String),
    /// Others have changed lines that the placement wrote.
    Meeting,
}

/// Merges a file: what `placed` and `target` differ in is done to `now`.
pub(super) fn merge(placed: &str, target: &str, now: &str) -> MergedLines {
    let has_all = |text: &str, lines: &[&str]| {
        let mut counts = counted(text);
        lines
            .iter()
            .all(|line| counts.get_mut(line).filter(|count| **count > 0).map(|count| *count -= 1).is_some())
    };
    let (ours, theirs) = (only_first(placed, target), only_first(target, placed));
    // It is as it was before already, with what others have added.
    if !ours.is_empty()
        && !ours.iter().any(|line| counted(now).contains_key(line))
        && has_all(now, &theirs)
        && !theirs.is_empty()
    {
        return MergedLines::Apart(now.to_owned());
    }
    if !has_all(now, &ours) {
        return MergedLines::Meeting;
    }
    diffy::merge(placed, target, now).map_or(MergedLines::Meeting, MergedLines::Apart)
}

fn counted(text: &str) -> HashMap<&str, usize> {
    let mut counts = HashMap::new();
    for line in text.lines() {
        *counts.entry(line).or_default() += 1;
    }
    counts
}

/// Lines that the first has more often.
fn only_first<'a>(first: &'a str, second: &str) -> Vec<&'a str> {
    let mut counts = counted(second);
    let mut extra = Vec::new();
    for line in first.lines() {
        match counts.get_mut(line) {
            Some(count) if *count > 0 => *count -= 1,
            _ => extra.push(line),
        }
    }
    extra
}

#[cfg(test)]
mod tests {
    use super::*;

    const BEFORE: &str = "# server\nPort 22\nPermitRootLogin yes\nInclude x\nUsePAM yes\n";
    const PLACED: &str =
        "Include ours\n# server\nPort 22\n# set aside: PermitRootLogin yes\nInclude x\nUsePAM yes\n";

    #[test]
    fn lines_of_others_stay_where_they_lie_apart() {
        let now = format!("{PLACED}Banner /etc/issue\n");
        let MergedLines::Apart(text) = merge(PLACED, BEFORE, &now) else { panic!() };
        assert_eq!(text, format!("{BEFORE}Banner /etc/issue\n"));
        assert_eq!(merge(PLACED, BEFORE, &text), MergedLines::Apart(text.clone()), "a second time");
    }

    #[test]
    fn changed_lines_of_ours_meet() {
        let now = PLACED.replace("# set aside: PermitRootLogin yes", "PermitRootLogin no");
        assert_eq!(merge(PLACED, BEFORE, &now), MergedLines::Meeting);
        assert_eq!(merge(PLACED, BEFORE, ""), MergedLines::Meeting);
        assert_eq!(merge(PLACED, BEFORE, &PLACED.replace("Include ours\n", "")), MergedLines::Meeting);
    }
}
