//! Rules on patterns and rows.

use impostazione_text::{Place, Span, Written, nearest};

use crate::finding::{Finding, Nature, Rule, Severity};

pub(crate) const RULES: &[&Rule] = &[
    &PATTERN_MALFORMED,
    &PATTERN_LENGTHS_DIFFER,
    &ROWS_MALFORMED,
    &ROWS_IN_ANOTHER_FORM,
    &ROWS_VALUE_OVER_LINES,
    &ROWS_FIELD_MISSING,
    &ROWS_EMPTY,
    &ROWS_VALUES_MALFORMED,
    &DIFFERS_UNKNOWN_MACHINE,
];

/// Braces that are no range.
static PATTERN_MALFORMED: Rule = Rule {
    name: "pattern-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "braces in an entry do not hold a range",
    explanation: "In the texts of a [[host]] or [[appliance]] entry a range in braces makes several machines: \
        {01..12} counts in decimal, with leading zeros for the width, {0x0a..0x1f} in hexadecimal, \
        {10.64.32.11..10.64.35.250} through whole addresses. Double a brace for a literal brace.",
    wrong: "[[host]]\nname = \"gauge-{1-3}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..13}\" }\n",
    right: "[[host]]\nname = \"gauge-{1..3}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..13}\" }\n",
    ..Rule::PLAIN
};

/// Ranges that do not run in step.
static PATTERN_LENGTHS_DIFFER: Rule = Rule {
    name: "pattern-lengths-differ",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the ranges of an entry do not have the same number of values",
    explanation: "Several ranges in one entry advance together: the first machine gets the first value of each \
        range, and so on. With ranges of different length some machine would have no address, or some address no \
        machine.",
    wrong: "[[host]]\nname = \"gauge-{01..12}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..23}\" }\n",
    right: "[[host]]\nname = \"gauge-{01..12}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..22}\" }\n",
    ..Rule::PLAIN
};

/// A CSV file that cannot be read.
static ROWS_MALFORMED: Rule = Rule {
    name: "rows-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a CSV file of rows cannot be read",
    explanation: "`rows` names a CSV file, relative to the sheet's folder. Its first line has the names of the \
        fields, each once; every other line has as many values, separated by commas. A value with a comma or a quote \
        in it is in quotes, and quotes in it are doubled. Empty rows and columns are ignored. A row with a mistake \
        makes no machine; the others do.",
    wrong: "[[host]]\nrows = \"bouys.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    right: "[[host]]\nrows = \"buoys.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    ..Rule::PLAIN
};

/// A CSV file in another form than the plain one.
static ROWS_IN_ANOTHER_FORM: Rule = Rule {
    name: "rows-in-another-form",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a CSV file is not separated by commas, or is not UTF-8",
    explanation: "In countries with a decimal comma, spreadsheets write semicolons or tabs between fields, and \
        UTF-16 or Windows-1252 instead of UTF-8. Such a file is read; the note says how it was read, because that is \
        a guess.",
    wrong: "[[host]]\nrows = \"semicolons.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    right: "[[host]]\nrows = \"buoys.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    ..Rule::PLAIN
};

/// A value that may have taken in rows.
static ROWS_VALUE_OVER_LINES: Rule = Rule {
    name: "rows-value-over-lines",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a value in a CSV file spans several lines, and may have swallowed rows",
    explanation: "A quoted value may have line breaks in it. But if one closing quote and a later opening quote are \
        missing, all rows between them become one value, and their machines are not made.",
    wrong: "[[host]]\nrows = \"swallowed.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    right: "[[host]]\nrows = \"buoys.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    ..Rule::PLAIN
};

/// A field that the rows do not have.
static ROWS_FIELD_MISSING: Rule = Rule {
    name: "rows-field-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an entry uses a field that its rows do not have",
    explanation: "In an entry with `rows`, {field} in a text is replaced by the row's value in that field. The names \
        are on the CSV file's first line; upper and lower case matter.",
    wrong: "[[host]]\nrows = \"buoys.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{adress}\" }\n",
    right: "[[host]]\nrows = \"buoys.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    ..Rule::PLAIN
};

/// A CSV file without rows.
static ROWS_EMPTY: Rule = Rule {
    name: "rows-empty",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a CSV file has a header and no rows",
    explanation: "An entry with `rows` makes one machine per row, so a file without rows makes none. If you want no \
        machine, remove the entry.",
    wrong: "[[host]]\nrows = \"none.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    right: "[[host]]\nrows = \"buoys.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n",
    ..Rule::PLAIN
};

/// A row with several values that cannot be read.
static ROWS_VALUES_MALFORMED: Rule = Rule {
    name: "rows-values-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "several values of one row cannot be read",
    explanation: "If several values of a row are wrong, usually its fields are shifted: a separator is missing, or there is \
        one too many, as in a value with a comma that is not in quotes. The finding names each of the values.",
    wrong: "[[host]]\nrows = \"shifted.csv\"\nname = \"{name}\"\nlink.lan0 = { subnet = \"quay\", address = \"{address}\", mac = \"{mac}\" }\n",
    right: "[[host]]\nrows = \"whole.csv\"\nname = \"{name}\"\nlink.lan0 = { subnet = \"quay\", address = \"{address}\", mac = \"{mac}\" }\n",
    ..Rule::PLAIN
};

/// One finding in place of several on the same row.
pub(crate) fn rows_values_malformed(findings: &[Finding]) -> Option<Finding> {
    let (first, last) = (findings.first()?, findings.last()?);
    let span = Span::new(first.place.span.start(), last.place.span.end());
    let place = Place { source: first.place.source, span };
    let count = findings.len();
    let messages: Vec<&str> = findings.iter().map(|finding| finding.message.as_str()).collect();
    let message = format!("This row has {count} values that cannot be read. {}", messages.join(" "));
    let fix = "check that each value is in its own field, with a value that has a separator in it in quotes; then correct what \
        is still wrong";
    Some(Finding::new(&ROWS_VALUES_MALFORMED, first.machine.clone(), place, message, fix))
}

/// A machine that differs, and that its entry does not make.
static DIFFERS_UNKNOWN_MACHINE: Rule = Rule {
    name: "differs-unknown-machine",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an entry says how a machine differs that it does not make",
    explanation: "[host.differs.gauge-03] belongs to the [[host]] entry above it, and names one of the machines that \
        this entry makes, in full. If no machine has the name, what stands there would reach none.",
    wrong: "[[host]]\nname = \"gauge-{01..12}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..22}\" }\n[host.differs.gauge-13]\ntimezone = \"Europe/Malta\"\n",
    right: "[[host]]\nname = \"gauge-{01..12}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..22}\" }\n[host.differs.gauge-12]\ntimezone = \"Europe/Malta\"\n",
    ..Rule::PLAIN
};

/// `names`: of the machines that the entry makes, in their order
pub(crate) fn differs_unknown_machine(name: &Written<String>, kind: &str, names: &[&str]) -> Finding {
    let made = match names {
        [] => "machines without a name".to_owned(),
        [only] => (*only).to_owned(),
        [first, second] => format!("{first} and {second}"),
        [first, .., last] => format!("{first} to {last}"),
    };
    let stem = |name: &str| name.trim_end_matches(|c: char| c.is_ascii_digit()).to_owned();
    let close = nearest(&name.value, names.iter().copied(), 1).first().copied();
    let fix = match close {
        // Any of them is as near as another.
        Some(close) if stem(close) == stem(&name.value) => {
            format!("write the name of one of them, or make the entry make {} too", name.value)
        }
        Some(close) => {
            format!("write [{kind}.differs.{close}], or the name of another machine of this entry")
        }
        None => {
            "write the name of a machine of this entry, or move the table below the entry that makes the \
            machine"
                .to_owned()
        }
    };
    let message = format!("This entry makes {made}, and no machine {}.", name.value);
    Finding::new(&DIFFERS_UNKNOWN_MACHINE, Some(name.value.clone()), name.place, message, fix)
}

pub(crate) fn rows_malformed(
    machine: Option<String>,
    place: Place,
    message: String,
    fix: impl Into<String>,
) -> Finding {
    Finding::new(&ROWS_MALFORMED, machine, place, message, fix.into())
}

pub(crate) fn rows_in_another_form(machine: Option<String>, place: Place, message: String) -> Finding {
    let fix = "check with `review` that all machines are there, with the right names; or save the file as UTF-8, \
        separated by commas";
    Finding::new(&ROWS_IN_ANOTHER_FORM, machine, place, message, fix)
}

pub(crate) fn rows_value_over_lines(machine: Option<String>, place: Place) -> Finding {
    let message = "This value spans several lines, so these rows make no machines.";
    let fix = "close the quote where the value ends; if the lines belong to the value, waive the rule";
    Finding::new(&ROWS_VALUE_OVER_LINES, machine, place, message, fix).quoting_nothing()
}

pub(crate) fn rows_field_missing(
    machine: Option<String>,
    place: Place,
    field: &str,
    file: &str,
    known: &[&str],
) -> Finding {
    let fix = match nearest(field, known.iter().copied(), 1).first() {
        Some(close) => format!("write {{{close}}}"),
        None => format!("write one of {}, or add the field to the file", known.join(", ")),
    };
    let message = format!("{file} has no field \"{field}\".");
    Finding::new(&ROWS_FIELD_MISSING, machine, place, message, fix)
}

pub(crate) fn rows_empty(machine: Option<String>, place: Place, file: &str) -> Finding {
    let message = format!("{file} has a header and no rows.");
    let fix = "add rows to the file, or remove the entry".to_owned();
    Finding::new(&ROWS_EMPTY, machine, place, message, fix)
}

pub(crate) fn malformed(machine: Option<String>, place: Place, message: String, fix: String) -> Finding {
    Finding::new(&PATTERN_MALFORMED, machine, place, message, fix)
}

/// A range, and the first range of the entry, each as written with its number of values.
pub(crate) fn lengths_differ(
    machine: Option<String>,
    place: Place,
    (range, count): (&str, u64),
    (first, wanted): (&str, u64),
) -> Finding {
    Finding::new(
        &PATTERN_LENGTHS_DIFFER,
        machine,
        place,
        format!("{range} has {count} values, and {first} of the same entry has {wanted}."),
        "correct one of them, so that both have the same number of values".to_owned(),
    )
}
