//! Which files are merged by their entries, and how these are told apart.

/// How a file is merged.
#[derive(Clone, Copy, Debug)]
pub(super) enum Form {
    /// By entries, each a line that begins with a name.
    Entries(&'static EntryForm),
    /// By lines.
    Lines,
}

/// A file whose lines are entries.
#[derive(Debug)]
pub(super) struct EntryForm {
    /// What each field is, in words; a single one for entries that are taken as a whole.
    pub(super) fields: &'static [&'static str],
    /// Fields that are lists of names, between commas.
    pub(super) lists: &'static [usize],
    /// By what an entry is told from others; nothing of a line that is none.
    pub(super) name: fn(&str) -> Option<String>,
}

impl EntryForm {
    /// The fields of an entry.
    pub(super) fn split<'a>(&self, line: &'a str) -> Vec<&'a str> {
        if self.fields.len() == 1 { vec![line] } else { line.split(':').collect() }
    }

    /// The word for a field.
    pub(super) fn word(&self, field: usize) -> &'static str {
        self.fields.get(field).copied().unwrap_or("rest of the line")
    }
}

/// `passwd(5)`.
static PASSWD: EntryForm = EntryForm {
    fields: &["name", "password", "number", "group", "full name", "home", "shell"],
    lists: &[],
    name: before_colon,
};
/// `shadow(5)`.
static SHADOW: EntryForm = EntryForm {
    fields: &[
        "name",
        "password",
        "day of the last password change",
        "minimum password age",
        "maximum password age",
        "password warning period",
        "password inactivity period",
        "expiry date",
        "rest of the line",
    ],
    lists: &[],
    name: before_colon,
};
/// `group(5)`.
static GROUP: EntryForm =
    EntryForm { fields: &["name", "password", "number", "members"], lists: &[3], name: before_colon };
/// `gshadow(5)`.
static GSHADOW: EntryForm = EntryForm {
    fields: &["name", "password", "administrators", "members"],
    lists: &[2, 3],
    name: before_colon,
};
/// `subuid(5)`, `subgid(5)`.
static RANGES: EntryForm =
    EntryForm { fields: &["name", "first number", "count"], lists: &[], name: before_colon };
/// `hosts(5)`.
static HOSTS: EntryForm = EntryForm { fields: &["line"], lists: &[], name: host_name };

/// Files of entries.
const FORMS: [(&str, &EntryForm); 7] = [
    ("etc/passwd", &PASSWD),
    ("etc/shadow", &SHADOW),
    ("etc/group", &GROUP),
    ("etc/gshadow", &GSHADOW),
    ("etc/subuid", &RANGES),
    ("etc/subgid", &RANGES),
    ("etc/hosts", &HOSTS),
];

/// How the file at a path is merged.
pub(super) fn form_of(path: &str) -> Form {
    let known = FORMS.iter().find(|(known, _)| *known == path);
    known.map_or(Form::Lines, |(_, form)| Form::Entries(form))
}

/// The form of the entries of a file, where it has such.
pub(super) fn entries_of(path: &str) -> Option<&'static EntryForm> {
    match form_of(path) {
        Form::Entries(form) => Some(form),
        Form::Lines => None,
    }
}

fn before_colon(line: &str) -> Option<String> {
    let (name, _) = line.split_once(':')?;
    (!name.is_empty() && !name.starts_with('#')).then(|| name.to_owned())
}

/// A host has a line for each family of its addresses.
fn host_name(line: &str) -> Option<String> {
    let line = line.split('#').next().unwrap_or_default();
    let mut words = line.split_whitespace();
    let (address, name) = (words.next()?, words.next()?);
    let family = if address.contains(':') { "IPv6" } else { "IPv4" };
    Some(format!("{name} ({family})"))
}
