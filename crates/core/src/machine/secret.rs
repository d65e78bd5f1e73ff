//! Confidential values of a sheet.

use std::collections::BTreeMap;

use impostazione_secret::CharacterClass;
use impostazione_secret::keyboard::KeyLayout;
use impostazione_text::{Hidden, Place, Stated, Written};

/// A named confidential value of the sheet, or one that stands in the sheet itself, where it should not.
#[derive(Debug)]
pub struct Secret {
    /// Its name in the sheet; of one that stands in the sheet itself, what it is, in words.
    pub name: Written<String>,
    /// Where its value comes from.
    pub source: Stated<SecretSource>,
    /// Where the sheet says so.
    pub source_place: Place,
    /// Whether all that use it have one value.
    pub scope: SecretScope,
    /// The fewest characters that the sheet asks for.
    pub min_length: Option<usize>,
    /// The most characters that the sheet allows.
    pub max_length: Option<usize>,
    /// Kinds of characters of which the sheet asks for one.
    pub require: Vec<CharacterClass>,
    /// Characters that the sheet does not allow.
    pub forbid: String,
    /// Layouts of keyboards that it may be typed on.
    pub typed_on: Vec<KeyLayout>,
    /// Whether its value may be made up, where the sheet says so.
    pub generated: Stated<Written<bool>>,
    /// Its values by who has them: `None` for all, or the name of a machine or cluster. `Faulty` where one could not be had,
    /// which has its finding.
    pub(super) values: BTreeMap<Option<String>, Stated<Hidden>>,
}

/// Where the value of a secret comes from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SecretSource {
    /// The encrypted store beside the sheet.
    Store,
    /// An environment variable.
    Variable(Written<String>),
    /// A file that holds it alone.
    File(Written<String>),
    /// A person, in every run.
    Prompt,
    /// The sheet itself.
    Sheet,
}

impl SecretSource {
    /// The word of a sheet.
    pub fn word(&self) -> &'static str {
        match self {
            Self::Store => "store",
            Self::Variable(_) => "env",
            Self::File(_) => "file",
            Self::Prompt => "prompt",
            Self::Sheet => "in the sheet",
        }
    }
}

/// How many values a secret has.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum SecretScope {
    /// One.
    #[default]
    Site,
    /// One for each cluster; a machine that is in none has its own.
    Cluster,
    /// One for each machine.
    Machine,
}

impl SecretScope {
    /// The words of a sheet.
    pub const ALL: [(&'static str, Self); 3] =
        [("site", Self::Site), ("cluster", Self::Cluster), ("machine", Self::Machine)];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, scope)| *scope == self).map_or("", |(word, _)| word)
    }
}

/// The value is not there.
static NO_VALUE: Stated<Hidden> = Stated::Absent;

impl Secret {
    /// A value that stands in the sheet itself.
    pub(super) fn in_sheet(what: String, value: Hidden, place: Place) -> Self {
        Self {
            name: Written::new(what, place),
            source: Stated::Value(SecretSource::Sheet),
            source_place: place,
            scope: SecretScope::Site,
            min_length: None,
            max_length: None,
            require: Vec::new(),
            forbid: String::new(),
            typed_on: Vec::new(),
            generated: Stated::Absent,
            values: BTreeMap::from([(None, Stated::Value(value))]),
        }
    }

    /// Whether its value stands in the sheet itself.
    pub fn is_in_sheet(&self) -> bool {
        matches!(self.source.value(), Some(SecretSource::Sheet))
    }

    /// The value of a holder. Absent where it was not asked for.
    pub fn value_of(&self, holder: Option<&str>) -> &Stated<Hidden> {
        self.values.get(&holder.map(str::to_owned)).unwrap_or(&NO_VALUE)
    }
}

/// A key that a time server and its clients share (`chrony.keys`).
#[derive(Debug)]
pub struct TimeKey {
    /// Its name in the sheet.
    pub name: Written<String>,
    /// What the server calls it.
    pub number: Stated<u32>,
    /// How it is used.
    pub hash: &'static str,
    /// Index in [`super::site::Site::secrets`], and where the sheet names it.
    pub value: Stated<Written<usize>>,
}
