//! What came of comparing: what differs, and what could not be compared.

use serde::Serialize;

use crate::views::difference::DifferentLine;

/// One thing that differs.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Difference {
    /// The machine; empty for what is for all.
    pub machine: String,
    /// What differs.
    #[serde(flatten)]
    pub at: DifferencePlace,
    /// How.
    pub kind: DifferenceKind,
    /// What the first has, where that can be said in a few words and is no secret.
    pub first: Option<String>,
    /// What the second has.
    pub second: Option<String>,
    /// Lines that stand in one and not in the other; none of a file with a secret in it.
    pub lines: Vec<DifferentLine>,
    /// What the second does by it, where that is not plain from the path.
    pub message: Option<String>,
}

/// What differs: a file, or a setting of a machine or of one of its parts. Nothing of it where it is the whole machine.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct DifferencePlace {
    /// The path of a file.
    pub file: Option<String>,
    /// The kind of part: `link`, `account`, `property` or `secret`.
    pub part: Option<String>,
    /// The name of that part.
    pub name: Option<String>,
    /// The setting.
    pub setting: Option<String>,
}

impl DifferencePlace {
    pub(super) fn file(path: impl Into<String>) -> Self {
        Self { file: Some(path.into()), ..Self::default() }
    }

    /// In a few words; none for a whole machine.
    pub fn words(&self) -> String {
        let setting = self.setting.as_ref().map(|setting| setting.replace('_', " "));
        let parts = [&self.file, &self.part, &self.name, &setting];
        parts.into_iter().flatten().map(String::as_str).collect::<Vec<_>>().join(" ")
    }
}

/// How two things differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum DifferenceKind {
    /// The first has it, and the second does not.
    OnlyFirst,
    /// The second has it, and the first does not.
    OnlySecond,
    /// Both have it, and not the same.
    Differs,
    /// Both have it, it is secret, and it is not the same.
    SecretDiffers,
}

impl DifferenceKind {
    /// What is said of it.
    pub fn word(self) -> &'static str {
        match self {
            Self::OnlyFirst => "only in the first",
            Self::OnlySecond => "only in the second",
            Self::Differs => "differs",
            Self::SecretDiffers => "a secret differs",
        }
    }
}

/// What came of comparing. Nothing is called the same of which a part could not be looked at.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Comparison {
    /// What differs.
    pub differences: Vec<Difference>,
    /// What could not be compared, and may differ.
    pub not_compared: Vec<NotCompared>,
}

/// Something that could not be compared.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct NotCompared {
    /// A file, a secret, or in words what it is.
    pub what: String,
    /// Why, as the end of a sentence.
    pub reason: String,
    /// The machines that it is about; none for what is for all.
    pub machines: Vec<String>,
}

impl Comparison {
    /// Notes what could not be compared; of several machines once.
    pub(super) fn leave_out(
        &mut self,
        what: impl Into<String>,
        machine: Option<&str>,
        reason: impl Into<String>,
    ) {
        let (what, reason) = (what.into(), reason.into());
        let same = self.not_compared.iter_mut().find(|known| known.what == what && known.reason == reason);
        match (same, machine) {
            (Some(known), Some(machine)) => {
                if known.machines.iter().all(|name| name != machine) {
                    known.machines.push(machine.to_owned());
                }
            }
            (Some(_), None) => {}
            (None, machine) => {
                let machines = machine.map(str::to_owned).into_iter().collect();
                self.not_compared.push(NotCompared { what, reason, machines });
            }
        }
    }

    pub(super) fn sort(&mut self) {
        self.differences.sort_by(|one, other| (&one.machine, &one.at).cmp(&(&other.machine, &other.at)));
        self.not_compared.sort();
    }
}

pub(super) fn difference(machine: &str, at: DifferencePlace, kind: DifferenceKind) -> Difference {
    Difference {
        machine: machine.to_owned(),
        at,
        kind,
        first: None,
        second: None,
        lines: Vec::new(),
        message: None,
    }
}
