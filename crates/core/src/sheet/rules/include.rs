//! Rules on sheets that are written in several files.

use impostazione_text::{Place, Written};

use crate::finding::{Finding, Nature, Rule, Severity};

pub(crate) const RULES: &[&Rule] = &[&INCLUDE_UNREADABLE, &INCLUDE_REPEATED, &TABLE_REPEATED];

/// A file that cannot belong to a sheet.
static INCLUDE_UNREADABLE: Rule = Rule {
    name: "include-unreadable",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an included file cannot be read, or is not a sheet",
    explanation: "include names files of the same form as the sheet, relative to the folder of the file that includes them. \
        Each begins with format = 1. Of a file that is something else, nothing is shown.",
    wrong: "include = [\"subnts.toml\"]\n",
    right: "include = [\"account.toml\"]\n",
    ..Rule::PLAIN
};

/// A file that is included again.
static INCLUDE_REPEATED: Rule = Rule {
    name: "include-repeated",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a file is included twice, or includes itself",
    explanation: "Each file belongs to the sheet once, wherever it is included. A file that includes one by which it is \
        included itself has no beginning.",
    wrong: "include = [\"account.toml\", \"account.toml\"]\n",
    right: "include = [\"account.toml\"]\n",
    ..Rule::PLAIN
};

/// A table in two files.
static TABLE_REPEATED: Rule = Rule {
    name: "table-repeated",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two files of a sheet define the same table",
    explanation: "[common], and each table with a name, such as [subnet.quay] or [account.keeper], is in one file of the \
        sheet only. Two of them are not merged, since nobody could tell which one counts.",
    wrong: "include = [\"account.toml\"]\n[account.pilot]\nssh_keys = [\"keys/keeper.pub\"]\n",
    right: "include = [\"account.toml\"]\n[account.harbor-master]\nssh_keys = [\"keys/keeper.pub\"]\n",
    ..Rule::PLAIN
};

pub(crate) fn unreadable(place: Place, message: String, fix: impl Into<String>) -> Finding {
    Finding::on_sheet(&INCLUDE_UNREADABLE, place, message, fix)
}

/// A file that was read already: where it was included, or the way by which it includes itself.
pub(crate) fn repeated(written: &Written<String>, message: String) -> Finding {
    Finding::on_sheet(&INCLUDE_REPEATED, written.place, message, "remove it here")
}

pub(crate) fn table_repeated(place: Place, header: &str, first: &str) -> Finding {
    let message = format!("[{header}] is already at {first}.");
    let fix =
        if header == "common" { "move what is in one into the other" } else { "rename one, or remove it" };
    Finding::on_sheet(&TABLE_REPEATED, place, message, fix)
}
