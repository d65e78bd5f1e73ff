//! Files of entries: what was placed, what is to be there, and what is there now.

use std::collections::HashMap;

use super::form::EntryForm;

/// A file of entries, merged.
#[derive(Debug, Default)]
pub(super) struct MergedEntries {
    pub(super) text: String,
    /// Entries that the placement wrote or changed, and that somebody has changed since.
    pub(super) touched: Vec<TouchedEntry>,
}

/// An entry that the placement wrote or changed, and that somebody has changed since.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct TouchedEntry {
    pub(super) key: Key,
    pub(super) fields: Vec<TouchedField>,
    /// Whether somebody took it out.
    pub(super) is_gone: bool,
    /// Whether it is now as it was before the placement.
    pub(super) is_as_before: bool,
}

/// A field of such an entry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct TouchedField {
    pub(super) number: usize,
    /// As it was placed.
    placed: String,
    /// As it is now.
    now: String,
}

/// What an entry is told by: its name, and how many of that name were before it. What is no entry is told by its line.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(super) struct Key {
    pub(super) name: String,
    occurrence: usize,
    is_entry: bool,
}

/// The lines of a file, in their order.
struct Lines<'a> {
    order: Vec<(Key, &'a str)>,
    by_key: HashMap<Key, &'a str>,
}

impl<'a> Lines<'a> {
    fn of(text: &'a str, form: &EntryForm) -> Self {
        let mut counts: HashMap<(String, bool), usize> = HashMap::new();
        let mut order = Vec::new();
        for line in text.lines() {
            let name = (form.name)(line);
            let is_entry = name.is_some();
            let name = name.unwrap_or_else(|| line.to_owned());
            let count = counts.entry((name.clone(), is_entry)).or_default();
            order.push((Key { name, occurrence: *count, is_entry }, line));
            *count += 1;
        }
        let by_key = order.iter().cloned().collect();
        Self { order, by_key }
    }

    fn get(&self, key: &Key) -> Option<&'a str> {
        self.by_key.get(key).copied()
    }
}

/// Merges a file: what `placed` and `target` differ in is done to `now`. What others have added stays, and what they have changed
/// in entries that the placement did not write. Of entries that it wrote, `target` has the last word.
pub(super) fn merge(form: &EntryForm, placed: &str, target: &str, now: &str) -> MergedEntries {
    let [placed, target, now] = [placed, target, now].map(|text| Lines::of(text, form));
    let mut merged = MergedEntries::default();
    let added = now.order.iter().filter(|(key, _)| target.get(key).is_none());
    for (key, _) in target.order.iter().chain(added) {
        let entry = Entry { form, key, placed: placed.get(key), target: target.get(key), now: now.get(key) };
        if let Some(line) = entry.merged(&mut merged.touched) {
            merged.text += &line;
            merged.text.push('\n');
        }
    }
    // What somebody took out is in none of the two.
    for (key, line) in &placed.order {
        if key.is_entry && target.get(key).is_none() && now.get(key).is_none() && !line.is_empty() {
            merged.touched.push(TouchedEntry {
                key: key.clone(),
                fields: Vec::new(),
                is_gone: true,
                is_as_before: true,
            });
        }
    }
    merged
}

/// One entry of the three files.
struct Entry<'a> {
    form: &'a EntryForm,
    key: &'a Key,
    placed: Option<&'a str>,
    target: Option<&'a str>,
    now: Option<&'a str>,
}

impl Entry<'_> {
    fn merged(&self, touched: &mut Vec<TouchedEntry>) -> Option<String> {
        let Self { placed, target, now, .. } = *self;
        let is_ours = placed != target;
        let touch = |fields: Vec<TouchedField>, touched: &mut Vec<TouchedEntry>| {
            if self.key.is_entry {
                let is_as_before = now == target;
                let key = self.key.clone();
                touched.push(TouchedEntry { key, fields, is_gone: now.is_none(), is_as_before });
            }
        };
        match (placed, target, now) {
            _ if now == placed => target.map(str::to_owned),
            _ if !is_ours => now.map(str::to_owned),
            (Some(placed), Some(target), Some(now)) => {
                let (line, fields) = self.fields(placed, target, now);
                if !fields.is_empty() {
                    touch(fields, touched);
                }
                Some(line)
            }
            (Some(placed), None, Some(now)) => {
                touch(changed_fields(self.form, placed, now), touched);
                None
            }
            (None, Some(target), Some(now)) => {
                // The placement took it out, and somebody has put it back.
                touch(changed_fields(self.form, "", now), touched);
                Some(target.to_owned())
            }
            (_, _, None) => {
                touch(Vec::new(), touched);
                target.map(str::to_owned)
            }
            (None, None, Some(now)) => Some(now.to_owned()),
        }
    }

    /// Merges an entry that all three have, field by field.
    fn fields(&self, placed: &str, target: &str, now: &str) -> (String, Vec<TouchedField>) {
        let [placed, target, now] = [placed, target, now].map(|line| self.form.split(line));
        let count = placed.len().max(target.len()).max(now.len());
        let mut line = Vec::new();
        let mut touched = Vec::new();
        for number in 0..count {
            let [placed, target, now] = [&placed, &target, &now].map(|fields| fields.get(number).copied());
            // Fields at the end may be left out.
            let [of_placed, of_target, of_now] = [placed, target, now].map(Option::unwrap_or_default);
            let field = TouchedField { number, placed: of_placed.to_owned(), now: of_now.to_owned() };
            if now == placed {
                line.extend(target.map(str::to_owned));
            } else if placed == target {
                line.extend(now.map(str::to_owned));
            } else if self.form.lists.contains(&number) {
                line.push(field.in_list(of_target));
                let is_undone = !field.left().is_empty();
                touched.extend(is_undone.then_some(field));
            } else {
                line.push(of_target.to_owned());
                touched.push(field);
            }
        }
        (line.join(":"), touched)
    }
}

fn changed_fields(form: &EntryForm, placed: &str, now: &str) -> Vec<TouchedField> {
    let (placed, now) = (form.split(placed), form.split(now));
    let field = |number: usize| {
        let of = |fields: &[&str]| fields.get(number).copied().unwrap_or_default().to_owned();
        TouchedField { number, placed: of(&placed), now: of(&now) }
    };
    (0..placed.len().max(now.len())).map(field).filter(|field| field.placed != field.now).collect()
}

fn names(list: &str) -> impl Iterator<Item = &str> {
    list.split(',').filter(|name| !name.is_empty())
}

impl TouchedField {
    /// Names of a list that somebody has taken out.
    fn left(&self) -> Vec<&str> {
        names(&self.placed).filter(|name| !names(&self.now).any(|known| known == *name)).collect()
    }

    /// A list with what somebody has added to it, and without what they have taken out.
    fn in_list(&self, list: &str) -> String {
        let left = self.left();
        let mut merged: Vec<&str> = names(list).filter(|name| !left.contains(name)).collect();
        for name in names(&self.now).filter(|name| !names(&self.placed).any(|known| known == *name)) {
            if !merged.contains(&name) {
                merged.push(name);
            }
        }
        merged.join(",")
    }
}

/// What a file would say of an entry that somebody has changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Stand {
    /// The same as somebody has made it say.
    Same,
    /// Something else; the change can stay in its place.
    Other,
    /// It does not have the entry, or has it where somebody took it out.
    Without,
}

/// How a text stands to what somebody has changed.
pub(super) fn stand(form: &EntryForm, text: &str, entry: &TouchedEntry) -> Stand {
    match Lines::of(text, form).get(&entry.key) {
        None if entry.is_gone => Stand::Same,
        Some(_) if entry.is_gone => Stand::Without,
        None => Stand::Without,
        Some(line) if with_changes(form, line, entry) == line => Stand::Same,
        Some(_) => Stand::Other,
    }
}

/// A text in which entries say what somebody has made them say.
pub(super) fn with_touched(form: &EntryForm, text: &str, entries: &[&TouchedEntry]) -> String {
    let mut new = String::with_capacity(text.len());
    for (key, line) in Lines::of(text, form).order {
        match entries.iter().find(|entry| entry.key == key) {
            Some(entry) => new += &with_changes(form, line, entry),
            None => new += line,
        }
        new.push('\n');
    }
    new
}

/// A text with its entries in the order in which they stand now, and lists in the order of theirs; what is new comes last. A text
/// that says the same as now becomes what is there.
pub(super) fn in_order_of(form: &EntryForm, text: &str, now: &str) -> String {
    let (new, old) = (Lines::of(text, form), Lines::of(now, form));
    let line =
        |key: &Key, line: &str| old.get(key).map_or_else(|| line.to_owned(), |there| like(form, line, there));
    let says = |lines: &Lines<'_>| -> Vec<Key> {
        let mut keys: Vec<Key> = lines.by_key.keys().filter(|key| key.is_entry).cloned().collect();
        keys.sort_by(|one, other| (&one.name, one.occurrence).cmp(&(&other.name, other.occurrence)));
        keys
    };
    let is_same = |(key, there): &(Key, &str)| match new.get(key) {
        Some(text) => like(form, text, there) == **there,
        None => there.trim().is_empty(),
    };
    if says(&new) == says(&old) && old.order.iter().all(is_same) {
        return now.to_owned();
    }
    // Entries taken as a whole stand among remarks, whose order is their own.
    if form.fields.len() == 1 {
        return text.to_owned();
    }
    let there = old.order.iter().filter_map(|(key, _)| Some((key, new.get(key)?)));
    let added = new.order.iter().filter(|(key, _)| old.get(key).is_none()).map(|(key, text)| (key, *text));
    there.chain(added).flat_map(|(key, text)| [line(key, text), "\n".to_owned()]).collect()
}

/// A line whose lists have the order of another, where they name the same.
fn like(form: &EntryForm, line: &str, there: &str) -> String {
    let there = form.split(there);
    let mut fields = form.split(line);
    for number in form.lists {
        if let (Some(field), Some(there)) = (fields.get_mut(*number), there.get(*number)) {
            let sorted = |list: &str| {
                let mut list: Vec<String> = names(list).map(str::to_owned).collect();
                list.sort_unstable();
                list
            };
            if sorted(field) == sorted(there) {
                *field = there;
            }
        }
    }
    fields.join(":")
}

fn with_changes(form: &EntryForm, line: &str, entry: &TouchedEntry) -> String {
    let mut fields: Vec<String> = form.split(line).into_iter().map(str::to_owned).collect();
    for field in &entry.fields {
        while fields.len() <= field.number {
            fields.push(String::new());
        }
        let Some(there) = fields.get_mut(field.number) else { continue };
        *there = if form.lists.contains(&field.number) { field.in_list(there) } else { field.now.clone() };
    }
    fields.join(":")
}

#[cfg(test)]
mod tests {
    use super::super::form::entries_of;
    use super::*;

    fn merged(path: &str, placed: &str, target: &str, now: &str) -> (String, Vec<String>) {
        let form = entries_of(path).unwrap();
        let merged = merge(form, placed, target, now);
        let told = merged.touched.iter().map(|entry| {
            let words: Vec<&str> = entry.fields.iter().map(|field| form.word(field.number)).collect();
            format!("{}: {}{}", entry.key.name, words.join(", "), if entry.is_gone { "gone" } else { "" })
        });
        (merged.text, told.collect())
    }

    #[test]
    fn what_others_added_or_changed_of_their_own_stays() {
        let before = "root:$y$old:19000::::::\npi:$y$pi:19000::::::\n";
        let placed = "root:*:19000::::::\npi:$y$pi:19000::::::\nkeeper:$y$1::0:99999:7:::\n";
        let now =
            "root:*:19000::::::\npi:$y$new:20785::::::\nkeeper:$y$1::0:99999:7:::\n_chrony:!:20785::::::\n";
        let (text, touched) = merged("etc/shadow", placed, before, now);
        assert_eq!(text, "root:$y$old:19000::::::\npi:$y$new:20785::::::\n_chrony:!:20785::::::\n");
        assert!(touched.is_empty(), "{touched:?}");
    }

    #[test]
    fn what_they_changed_of_ours_is_told() {
        let before = "root:$y$old:19000::::::\n";
        let placed = "root:*:19000::::::\nkeeper:$y$1::0:99999:7:::\n";
        let now = "root:$y$by-hand:20785::::::\nkeeper:$y$2:20785:0:99999:7:::\n";
        let (text, touched) = merged("etc/shadow", placed, before, now);
        assert_eq!(text, "root:$y$old:20785::::::\n");
        assert_eq!(touched, ["root: password", "keeper: password, day of the last password change"]);
        let (_, touched) = merged("etc/shadow", placed, before, "root:$y$old:19000::::::\n");
        assert_eq!(touched, ["root: password", "keeper: gone"], "put back by hand, and taken out");
    }

    #[test]
    fn lists_of_members_are_merged_by_member() {
        let (text, touched) = merged(
            "etc/group",
            "sudo:x:27:keeper\nadm:x:4:\n",
            "sudo:x:27:pi\nadm:x:4:pi\n",
            "sudo:x:27:keeper,visitor\nadm:x:4:log\n",
        );
        assert_eq!(text, "sudo:x:27:pi,visitor\nadm:x:4:pi,log\n");
        assert!(touched.is_empty(), "{touched:?}");
        let (_, touched) = merged("etc/group", "sudo:x:27:keeper\n", "sudo:x:27:pi\n", "sudo:x:27:\n");
        assert_eq!(touched, ["sudo: members"], "somebody took our member out");
    }

    #[test]
    fn hosts_keep_their_lines_and_remarks() {
        let placed = "# ours\n127.0.0.1 localhost\n10.64.10.11 gauge-01\n";
        let now = "# ours\n127.0.0.1 localhost\n10.64.10.99 gauge-01\n# the crane\n10.64.10.80 crane\n";
        let (text, touched) = merged("etc/hosts", placed, "127.0.0.1 localhost\n127.0.1.1 image\n", now);
        assert_eq!(text, "127.0.0.1 localhost\n127.0.1.1 image\n# the crane\n10.64.10.80 crane\n");
        assert_eq!(touched, ["gauge-01 (IPv4): line"]);
    }

    #[test]
    fn a_change_that_is_to_stay_is_put_into_what_is_placed_anew() {
        let form = entries_of("etc/shadow").unwrap();
        let placed = "keeper:$y$1::0:99999:7:::\n";
        let merged = merge(form, placed, "", "keeper:$y$2:20785:0:99999:7:::\n");
        let [entry] = merged.touched.as_slice() else { panic!("{merged:?}") };
        assert_eq!(stand(form, placed, entry), Stand::Other);
        assert_eq!(stand(form, "", entry), Stand::Without);
        let kept = with_touched(form, "root:*::::::\nkeeper:$y$1::0:99999:7:::\n", &[entry]);
        assert_eq!(kept, "root:*::::::\nkeeper:$y$2:20785:0:99999:7:::\n");
        assert_eq!(stand(form, &kept, entry), Stand::Same);
    }

    #[test]
    fn what_says_the_same_stays_as_it_is() {
        let form = entries_of("etc/group").unwrap();
        let now = "sudo:x:27:keeper,visitor\nkeeper:x:1000:\n_tide:x:118:\n";
        assert_eq!(in_order_of(form, "_tide:x:118:\nsudo:x:27:visitor,keeper\nkeeper:x:1000:\n", now), now);
        assert_eq!(
            in_order_of(form, "_tide:x:118:\nsudo:x:27:visitor\nkeeper:x:1000:\npilot:x:1001:\n", now),
            "sudo:x:27:visitor\nkeeper:x:1000:\n_tide:x:118:\npilot:x:1001:\n"
        );
        let form = entries_of("etc/hosts").unwrap();
        let now = "127.0.0.1 localhost\n10.64.10.80 crane\n";
        assert_eq!(in_order_of(form, "127.0.0.1 localhost\n\n# others\n10.64.10.80 crane\n", now), now);
        let other = "127.0.0.1 localhost\n\n# others\n10.64.10.81 crane\n";
        assert_eq!(in_order_of(form, other, now), other);
    }

    proptest::proptest! {
        /// Whatever others do: without a change of theirs the target comes out, and a second time nothing more changes.
        #[test]
        fn merging_is_exact_without_changes_and_the_same_when_done_again(
            placed in r"([a-d]:[xy]{0,2}:[0-2]:([a-c](,[a-c])?)?\n){0,5}",
            target in r"([a-d]:[xy]{0,2}:[0-2]:([a-c](,[a-c])?)?\n){0,5}",
            now in r"([a-d]:[xy]{0,2}:[0-2]:([a-c](,[a-c])?)?\n){0,5}",
        ) {
            let form = entries_of("etc/group").unwrap();
            // Each name once: a second line of a name is told from the first by its place.
            let once = |text: String| {
                let mut names = std::collections::HashSet::new();
                let lines = text.lines().filter(|line| names.insert(line.split(':').next().map(str::to_owned)));
                lines.flat_map(|line| [line, "\n"]).collect::<String>()
            };
            let [placed, target, now] = [placed, target, now].map(once);
            let unchanged = merge(form, &placed, &target, &placed);
            proptest::prop_assert_eq!(&unchanged.text, &target);
            let once = merge(form, &placed, &target, &now);
            let twice = merge(form, &placed, &target, &once.text);
            let sorted = |text: &str| { let mut lines: Vec<String> = text.lines().map(str::to_owned).collect(); lines.sort(); lines };
            proptest::prop_assert_eq!(sorted(&twice.text), sorted(&once.text));
        }
    }
}
