//! Sheets that break a rule, and sheets that nearly do, side by side: read from `tests/rules`, a file a family.

use std::fs;
use std::path::Path;

use crate::support::{Workspace, host, right_sheet};

/// A sheet about a rule.
pub(crate) struct RuleSheet {
    /// The file that it is from.
    pub(crate) family: &'static str,
    pub(crate) rule: String,
    /// The machine that its finding names.
    pub(crate) machine: Option<String>,
    /// The whole sheet; where it breaks the rule, « and » stand around the part that the finding must name.
    pub(crate) text: String,
    /// Whether it breaks the rule, and not only nearly.
    pub(crate) breaks_it: bool,
}

/// The families of rules, which are files.
pub(crate) const FAMILIES: [&str; 5] =
    ["sheet-and-subnets", "links", "settings", "credentials", "appliances"];

/// Every sheet of every family.
pub(crate) fn all() -> Vec<RuleSheet> {
    FAMILIES.into_iter().flat_map(read).collect()
}

fn read(family: &'static str) -> Vec<RuleSheet> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/rules").join(format!("{family}.rules"));
    let text = fs::read_to_string(&path).unwrap();
    let mut sheets = Vec::new();
    for about in text.split("\n== ").skip(1) {
        let (rule, tried) = about.split_once('\n').unwrap();
        for one in tried.split("-- ").filter(|one| one.contains("breaks it, changing ")) {
            let (heading, change) = one.split_once('\n').unwrap();
            let (kind, rest) = heading.split_once(" it, changing ").unwrap();
            let (base, machine) = match rest.split_once(", found at ") {
                Some((base, machine)) => (base, Some(machine.to_owned())),
                None => (rest, None),
            };
            let text = changed(&base_sheet(base), change.trim_end_matches('\n'), rule);
            sheets.push(RuleSheet {
                family,
                rule: rule.to_owned(),
                machine,
                text,
                breaks_it: kind == "breaks",
            });
        }
    }
    sheets
}

/// A sheet of which nothing is said.
fn base_sheet(name: &str) -> String {
    match name {
        "right" => right_sheet(""),
        "host" => right_sheet(&host("gauge-01", "10.64.10.11")),
        "appliance" => right_sheet(
            "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\n\n\
             link.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
        ),
        "harbor" => Workspace::new().read("harbor.toml"),
        other => panic!("there is no sheet {other} to change"),
    }
}

/// The sheet with lines removed and added.
fn changed(sheet: &str, change: &str, rule: &str) -> String {
    let mut lines: Vec<&str> = sheet.split('\n').collect();
    let mut at = 0;
    let find = |lines: &[&str], from: usize, wanted: &str| {
        let found = lines.iter().skip(from).position(|line| *line == wanted);
        from + found.unwrap_or_else(|| panic!("{rule}: no line {wanted:?} from line {from} on"))
    };
    let mut is_placed = false;
    for line in change.lines() {
        if line == "@ end" {
            at = lines.len() - 1;
            is_placed = true;
        } else if line == "@ start" {
            is_placed = true;
        } else if let Some(added) = line.strip_prefix('+') {
            assert!(is_placed, "{rule}: {line} has no place");
            lines.insert(at, added);
            at += 1;
        } else if let Some(removed) = line.strip_prefix('-') {
            at = find(&lines, at, removed);
            lines.remove(at);
            is_placed = true;
        } else {
            let kept = line.strip_prefix(' ').unwrap_or_else(|| panic!("{rule}: {line:?} says nothing"));
            at = find(&lines, at, kept) + 1;
            is_placed = true;
        }
    }
    lines.join("\n")
}
