//! Files of sections with keys, as systemd and `NetworkManager` have them (`systemd.syntax(7)`).

/// A section: its name, and its keys with their values in the order of the file.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Section {
    pub(super) name: String,
    pub(super) keys: Vec<(String, String)>,
}

impl Section {
    /// The last value of a key.
    pub(super) fn get(&self, key: &str) -> Option<&str> {
        let mut of_key = self.keys.iter().rev().filter(|(known, value)| known == key && !value.is_empty());
        of_key.next().map(|(_, value)| value.as_str())
    }

    /// All values of a key that are not empty.
    pub(super) fn all<'s>(&'s self, key: &'s str) -> impl DoubleEndedIterator<Item = &'s str> {
        let of_key = self.keys.iter().filter(move |(known, _)| known == key);
        of_key.map(|(_, value)| value.as_str()).filter(|value| !value.is_empty())
    }
}

/// Reads a file. Lines that are neither are left aside.
pub(super) fn sections(text: &str) -> Vec<Section> {
    let mut found: Vec<Section> = Vec::new();
    for line in text.lines().map(str::trim) {
        if line.is_empty() || line.starts_with(['#', ';']) {
            continue;
        }
        if let Some(name) = line.strip_prefix('[').and_then(|rest| rest.strip_suffix(']')) {
            found.push(Section { name: name.to_owned(), keys: Vec::new() });
        } else if let (Some((key, value)), Some(section)) = (line.split_once('='), found.last_mut()) {
            section.keys.push((key.trim().to_owned(), value.trim().to_owned()));
        }
    }
    found
}

/// All values of a key in the sections of a name.
pub(super) fn values<'s>(
    sections: &'s [Section],
    name: &'s str,
    key: &'s str,
) -> impl Iterator<Item = &'s str> {
    sections.iter().filter(move |section| section.name == name).flat_map(move |section| section.all(key))
}
