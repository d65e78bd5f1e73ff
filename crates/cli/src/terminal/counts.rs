//! Numbers in words.

use impostazione_core::finding::Summary;

/// `no errors`, `1 error`, `2 errors`.
pub(crate) fn count(number: usize, one: &str, many: &str) -> String {
    match number {
        0 => format!("no {many}"),
        1 => format!("1 {one}"),
        number => format!("{number} {many}"),
    }
}

/// The line below all findings.
pub(crate) fn summary_line(sheet: &str, summary: Summary) -> String {
    let machines = count(summary.machines, "machine", "machines");
    format!("{sheet}: {machines}, {}\n", found(summary))
}

/// The same where only some of the machines were looked at.
pub(crate) fn summary_of_part(sheet: &str, summary: Summary, all: usize) -> String {
    format!("{sheet}: {} of {}, {}\n", summary.machines, count(all, "machine", "machines"), found(summary))
}

/// The same for the files of one host.
pub(crate) fn summary_of_host(name: &str, summary: Summary) -> String {
    format!("{name}: {}\n", found(summary))
}

/// How many errors, warnings and notes there are, in words.
pub(super) fn found(summary: Summary) -> String {
    let parts: Vec<String> = [
        (summary.errors, "error", "errors"),
        (summary.warnings, "warning", "warnings"),
        (summary.notes, "note", "notes"),
    ]
    .into_iter()
    .filter(|(number, ..)| *number > 0)
    .map(|(number, one, many)| count(number, one, many))
    .collect();
    let found = if parts.is_empty() { "nothing wrong".to_owned() } else { parts.join(", ") };
    let waived = if summary.waived > 0 { format!("; {} waived", summary.waived) } else { String::new() };
    let unlooked = if summary.not_looked_at > 0 { "; not everything was checked" } else { "" };
    found + &waived + unlooked
}

/// What `check --fix` would correct, or nothing.
pub(crate) fn correctable_line(correctable: usize) -> String {
    match correctable {
        0 => String::new(),
        1 => "check --fix corrects one of these\n".to_owned(),
        more => format!("check --fix corrects {more} of these\n"),
    }
}
