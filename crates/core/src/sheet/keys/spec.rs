//! What a key is, and what a table.

/// A key of a table.
#[derive(Debug)]
pub struct KeySpec {
    /// The key.
    pub name: &'static str,
    /// What its value is, as the end of "takes …".
    pub takes: &'static str,
    /// A right line with it.
    pub example: &'static str,
    /// What it does, and what holds when it is left out.
    pub about: &'static str,
    /// The form of its value.
    pub shape: Shape,
    /// Whether its table is nothing without it.
    pub is_required: bool,
}

/// The form of a value, as far as a key alone decides on it.
#[derive(Clone, Copy, Debug)]
pub enum Shape {
    /// A text.
    Text,
    /// A text, or a whole number.
    TextOrNumber,
    /// One of these words.
    Word(&'static [&'static str]),
    /// True or false.
    Flag,
    /// A whole number from the first to the second.
    Number(i64, i64),
    /// A day.
    Date,
    /// A list of texts.
    TextList,
    /// A list of these words.
    Words(&'static [&'static str]),
    /// A list of texts, or of tables of this kind.
    TextsOr(&'static TableSpec),
    /// A list of texts, or of tables of these kinds, or `"none"` in its place.
    List(&'static [&'static TableSpec]),
    /// A table of lists, by a name of the administrator's choice.
    Lists,
    /// A table of texts, by a name of the administrator's choice.
    Texts,
    /// A table.
    Table(&'static TableSpec),
    /// A list of tables.
    Tables(&'static TableSpec),
    /// Tables by a name of the administrator's choice.
    Named(&'static TableSpec),
    /// Tables by the names of machines, each with keys of the table in which it stands.
    Differing(&'static TableSpec),
    /// An array of tables.
    Entries(&'static TableSpec),
    /// `{ secret = … }`, or `"none"`.
    Secret,
    /// A table of answers to properties.
    Answers,
}

/// A table of a sheet.
#[derive(Debug)]
pub struct TableSpec {
    /// How the table is written.
    pub header: &'static str,
    /// What messages call it.
    pub called: &'static str,
    /// What it is for.
    pub about: &'static str,
    /// The keys it may hold.
    pub keys: &'static [KeySpec],
    /// Whether keys of the administrator's own choice are allowed in place of `keys`.
    pub free_keys: bool,
}

impl TableSpec {
    /// The key with this name.
    pub fn key(&self, name: &str) -> Option<&'static KeySpec> {
        self.keys.iter().find(|key| key.name == name)
    }
}

impl KeySpec {
    pub(super) const fn required(mut self) -> Self {
        self.is_required = true;
        self
    }
}

pub(super) const fn key(
    name: &'static str,
    takes: &'static str,
    example: &'static str,
    about: &'static str,
    shape: Shape,
) -> KeySpec {
    KeySpec { name, takes, example, about, shape, is_required: false }
}

pub(super) const fn table(
    header: &'static str,
    called: &'static str,
    about: &'static str,
    keys: &'static [KeySpec],
) -> TableSpec {
    TableSpec { header, called, about, keys, free_keys: false }
}
