//! Waivers: rules of judgment that are set aside in writing, and what is wrong with a waiver.

use globset::GlobMatcher;
use impostazione_text::{Place, Written, nearest};
use jiff::civil::Date;

use crate::finding::{Finding, Nature, Rule, Severity};
use crate::sheet::{WAIVER, WaiverEntry};

pub(crate) const RULES: &[&Rule] = &[&WAIVER_EXPIRED, &WAIVER_UNMATCHED, &WAIVER_NOT_ALLOWED];

/// A waiver past its day.
static WAIVER_EXPIRED: Rule = Rule {
    name: "waiver-expired",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "a waiver has expired",
    explanation: "A waiver is valid up to and including the day in `until`, so that an exception does not stay \
        forever. After that its findings are back, together with this one. Fix what they report, or agree on another \
        day.",
    wrong: "[common]\nntp = [\"10.64.10.121\", \"none\"]\n[[waiver]]\nrule = \"ntp-too-few\"\nreason = \"one clock until the cable is laid\"\nuntil = 2020-06-30\n",
    right: "[common]\nntp = [\"10.64.10.121\"]\n[[waiver]]\nrule = \"ntp-too-few\"\nreason = \"one clock until the cable is laid\"\nuntil = 2099-06-30\n",
    ..Rule::PLAIN
};

/// A waiver for nothing.
static WAIVER_UNMATCHED: Rule = Rule {
    name: "waiver-unmatched",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "a waiver matches no finding",
    explanation: "Its finding has been fixed, or the name of the rule or of a machine is mistyped. Remove the \
        waiver, so that it does not hide a future finding.",
    wrong: "[common]\nntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]\n[[waiver]]\nrule = \"ntp-too-few\"\nreason = \"one clock until the cable is laid\"\nuntil = 2099-06-30\n",
    right: "[common]\nntp = [\"10.64.10.121\"]\n[[waiver]]\nrule = \"ntp-too-few\"\nreason = \"one clock until the cable is laid\"\nuntil = 2099-06-30\n",
    ..Rule::PLAIN
};

/// A waiver of a fault.
static WAIVER_NOT_ALLOWED: Rule = Rule {
    name: "waiver-not-allowed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a waiver is for a rule that cannot be waived",
    explanation: "A waiver is for matters of judgment, such as a single time server. A rule whose violation makes a \
        file wrong, or a machine unreachable, always applies.",
    wrong: "[[waiver]]\nrule = \"address-malformed\"\nreason = \"no time\"\nuntil = 2099-06-30\n",
    right: "[common]\nntp = [\"10.64.10.121\"]\n[[waiver]]\nrule = \"ntp-too-few\"\nreason = \"one clock until the cable is laid\"\nuntil = 2099-06-30\n",
    ..Rule::PLAIN
};

/// A waiver as it is applied.
struct Waiver {
    rule: &'static Rule,
    machines: Option<Vec<GlobMatcher>>,
    reason: String,
    place: Place,
    matched: bool,
}

impl Waiver {
    fn silences(&self, finding: &Finding, machines: &[&str]) -> bool {
        // What another machine refuses is no judgment, whatever the rule's other findings are.
        self.rule == finding.rule
            && finding.nature() != Nature::Fault
            && self.machines.as_ref().is_none_or(|globs| {
                let is_named = |machine: &str| globs.iter().any(|glob| glob.is_match(machine));
                match &finding.machine {
                    // What several machines share is set aside for all of them or not at all.
                    Some(machine) => {
                        is_named(machine) && finding.also.iter().all(|machine| is_named(machine))
                    }
                    // What is no machine's own, as in [common], is every machine's.
                    None => !machines.is_empty() && machines.iter().all(|machine| is_named(machine)),
                }
            })
    }
}

/// Marks the findings that waivers silence, and adds findings about the waivers themselves. `today` decides which of them
/// still count, and `machines` are all that the sheet has.
pub(crate) fn apply(
    entries: &[WaiverEntry],
    today: Date,
    known: &[&'static Rule],
    machines: &[&str],
    findings: &mut Vec<Finding>,
) {
    let mut about = Vec::new();
    let mut waivers: Vec<Waiver> =
        entries.iter().filter_map(|entry| read(entry, today, known, &mut about)).collect();
    for finding in findings.iter_mut() {
        for waiver in &mut waivers {
            if waiver.silences(finding, machines) {
                waiver.matched = true;
                finding.waived_because = Some(waiver.reason.clone());
            }
        }
    }
    // What was not looked at may be what a waiver was written for.
    let all_was_looked_at = !findings.iter().any(|finding| finding.rule.not_looked_at);
    for waiver in waivers.iter().filter(|waiver| !waiver.matched && all_was_looked_at) {
        about.push(Finding::on_sheet(
            &WAIVER_UNMATCHED,
            waiver.place,
            format!("There is no finding of {} to waive.", waiver.rule.name),
            "remove the waiver, or correct its `machines`",
        ));
    }
    findings.append(&mut about);
}

/// A waiver that counts. One that cannot be read has findings for that.
fn read(
    entry: &WaiverEntry,
    today: Date,
    known: &[&'static Rule],
    about: &mut Vec<Finding>,
) -> Option<Waiver> {
    let (name, until, reason) = (entry.rule.value()?, entry.until.value()?, entry.reason.value()?);
    let Some(rule) = known.iter().copied().find(|rule| rule.name == name.value) else {
        about.push(unknown_rule(name, known));
        return None;
    };
    if rule.nature == Nature::Fault {
        about.push(Finding::on_sheet(
            &WAIVER_NOT_ALLOWED,
            name.place,
            format!("{} cannot be waived: {}.", rule.name, rule.summary),
            "remove the waiver, and fix what the rule reports",
        ));
        return None;
    }
    let day = Date::new(
        i16::try_from(until.value.year).unwrap_or(i16::MAX),
        i8::try_from(until.value.month).unwrap_or(1),
        i8::try_from(until.value.day).unwrap_or(1),
    )
    .ok()?;
    if day < today {
        about.push(Finding::on_sheet(
            &WAIVER_EXPIRED,
            until.place,
            format!("The waiver of {} expired on {day}.", rule.name),
            "correct what the rule reports, or write a later day",
        ));
        return None;
    }
    let machines = match entry.machines.value() {
        None => None,
        Some(globs) => {
            let mut matchers = Vec::with_capacity(globs.len());
            for glob in globs {
                match globset::Glob::new(&glob.value) {
                    Ok(glob) => matchers.push(glob.compile_matcher()),
                    Err(_) => {
                        let spec = WAIVER.key("machines")?;
                        let found = "a text that is not a valid pattern";
                        about
                            .push(crate::sheet::rules::form::value_wrong_type(None, glob.place, spec, found));
                        return None;
                    }
                }
            }
            Some(matchers)
        }
    };
    Some(Waiver { rule, machines, reason: reason.value.clone(), place: name.place, matched: false })
}

fn unknown_rule(name: &Written<String>, known: &[&'static Rule]) -> Finding {
    let fix = match nearest(&name.value, known.iter().map(|rule| rule.name), 1).first() {
        Some(close) => format!("write rule = \"{close}\""),
        None => "write the name of a rule as findings show it".to_owned(),
    };
    Finding::on_sheet(&WAIVER_UNMATCHED, name.place, format!("There is no rule \"{}\".", name.value), fix)
}
