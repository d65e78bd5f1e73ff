//! Waivers: rules of judgment that are set aside in writing, and what is wrong with a waiver.

use globset::GlobMatcher;
use impostazione_text::{Place, Written, nearest};
use jiff::civil::Date;

use crate::finding::{Asked, Finding, Nature, Rule, Severity};
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
    /// Whether it is for a machine.
    fn names(&self, machine: &str) -> bool {
        self.machines.as_ref().is_none_or(|globs| globs.iter().any(|glob| glob.is_match(machine)))
    }

    fn silences(&self, finding: &Finding, machines: &[&str]) -> bool {
        // What another machine refuses is no judgment, whatever the rule's other findings are.
        self.rule == finding.rule
            && finding.nature() != Nature::Fault
            && (self.machines.is_none()
                || match &finding.machine {
                    // What several machines share is set aside for all of them or not at all.
                    Some(machine) => {
                        self.names(machine) && finding.also.iter().all(|machine| self.names(machine))
                    }
                    // What is no machine's own, as in [common], is every machine's.
                    None => !machines.is_empty() && machines.iter().all(|machine| self.names(machine)),
                })
    }

    /// The finding that it is for nothing.
    fn unmatched(&self) -> Finding {
        Finding::on_sheet(
            &WAIVER_UNMATCHED,
            self.place,
            format!("There is no finding of {} to waive.", self.rule.name),
            "remove the waiver, or correct its `machines`",
        )
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
    silence(&mut waivers, machines, findings);
    // What was not looked at may be what a waiver was written for.
    let all_was_looked_at = !findings.iter().any(|finding| finding.rule.not_looked_at);
    let is_for_nothing =
        |waiver: &&Waiver| !waiver.matched && waiver.rule.asked.is_empty() && all_was_looked_at;
    about.extend(waivers.iter().filter(is_for_nothing).map(Waiver::unmatched));
    findings.append(&mut about);
}

/// What was asked of the network.
pub(crate) struct Observed<'a> {
    /// When.
    pub when: Asked,
    /// All machines that the sheet has.
    pub machines: &'a [&'a str],
    /// Rules of which something could not be looked at.
    pub in_doubt: &'a [&'static Rule],
    /// Whether it was asked about a machine.
    pub were_asked: &'a dyn Fn(&str) -> bool,
}

/// The same for findings of what was seen of the network. Only waivers of rules that this asking looks for are judged, and only
/// where all machines that they are for were asked about, and nothing about them could not be looked at. What else is wrong
/// with waivers was said of the sheet.
pub(crate) fn apply_to_observed(
    entries: &[WaiverEntry],
    today: Date,
    known: &[&'static Rule],
    observed: &Observed<'_>,
    findings: &mut Vec<Finding>,
) {
    let read_one = |entry| read(entry, today, known, &mut Vec::new());
    let is_of_this_asking = |waiver: &Waiver| waiver.rule.asked.contains(&observed.when);
    let mut waivers: Vec<Waiver> =
        entries.iter().filter_map(read_one).filter(|waiver| is_of_this_asking(waiver)).collect();
    silence(&mut waivers, observed.machines, findings);
    let is_for_nothing = |waiver: &&Waiver| {
        let mut meant = observed.machines.iter().filter(|machine| waiver.names(machine));
        let in_doubt = |finding: &Finding| {
            let mut machines = finding.machine.iter().chain(&finding.also);
            finding.rule.not_looked_at
                && (finding.machine.is_none() || machines.any(|machine| waiver.names(machine)))
        };
        !waiver.matched
            && !observed.in_doubt.contains(&waiver.rule)
            && meant.all(|machine| (observed.were_asked)(machine))
            && !findings.iter().any(in_doubt)
    };
    let about: Vec<Finding> = waivers.iter().filter(is_for_nothing).map(Waiver::unmatched).collect();
    findings.extend(about);
}

/// Marks the findings that waivers silence.
fn silence(waivers: &mut [Waiver], machines: &[&str], findings: &mut [Finding]) {
    for finding in findings {
        for waiver in &mut *waivers {
            if waiver.silences(finding, machines) {
                waiver.matched = true;
                finding.waived_because = Some(waiver.reason.clone());
            }
        }
    }
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
