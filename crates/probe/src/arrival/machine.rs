//! What a machine has come to, by what was met at each of its addresses.

use std::net::IpAddr;
use std::time::Duration;

use impostazione_core::finding::{Finding, Severity};
use impostazione_core::machine::Site;
use impostazione_core::network::inside_rules::LOGIN;
use impostazione_core::network::rules::{MACHINE_NOT_READY, MACHINE_SILENT};
use jiff::Timestamp;

use super::at_address::{AtAddress, Looking, Met};
use super::stage::{Arrival, Stage, Unseen};
use super::visit::{Knocked, Visit};
use crate::inside::{InsideFact, InsideState, LookedInside, NoLook, judge_inside};
use crate::judge::{Reason, Unknown, judge, listed};
use crate::obstacle::Obstacle;
use crate::question::{ExpectedMachine, Way};

/// When a machine is judged.
#[derive(Clone, Copy, Debug)]
pub(super) struct Moment {
    /// How long ago asking began.
    pub(super) since: Duration,
    /// How long machines are waited for.
    pub(super) wait: Option<Duration>,
    /// By which certificates are judged.
    pub(super) now: Timestamp,
}

impl Moment {
    /// Whether a machine may still be starting.
    fn is_within(self, start: Duration) -> bool {
        self.wait.is_some() && self.since < start
    }
}

/// What was met at the addresses of a machine.
struct Gathered<'a, 'v> {
    all: Vec<(&'v Knocked, AtAddress<'a>)>,
}

impl Gathered<'_, '_> {
    fn first(&self, is: impl Fn(&Met<'_>) -> bool) -> Option<(&Knocked, &Met<'_>)> {
        self.all.iter().find(|(_, at)| is(&at.met)).map(|(knocked, at)| (*knocked, &at.met))
    }
}

/// Judges a visit. `remembered` is the digest of the certificate that was remembered.
pub(super) fn judge_machine<'a>(
    site: &Site,
    expected: &ExpectedMachine<'a>,
    seen: &Visit,
    remembered: Option<&str>,
    moment: Moment,
) -> Arrival<'a> {
    let look = |(at, knocked): (&crate::question::ExpectedAt, _)| {
        let looking = Looking { expected, at: *at, remembered, now: moment.now };
        (knocked, looking.judge(knocked))
    };
    let mut gathered = Gathered { all: expected.addresses.iter().zip(&seen.doors).map(look).collect() };
    let mut arrival = Arrival {
        stage: Stage::Unknown,
        is_settled: true,
        says: String::new(),
        at: None,
        host_key: None,
        certificate: None,
        is_remembered: false,
        inside: Vec::new(),
        findings: Vec::new(),
        unseen: Vec::new(),
    };
    let is_one = shown(&mut arrival, &mut gathered, expected);
    if let Some((knocked, Met::Wrong(says, _))) = gathered.first(|met| matches!(met, Met::Wrong(..))) {
        (arrival.stage, arrival.at) = (Stage::Wrong, Some(knocked.address));
        arrival.says.clone_from(says);
        // What was met at its other addresses is wrong in the same way, as a rule.
        let wrong = gathered.all.into_iter().filter_map(|(_, at)| match at.met {
            Met::Wrong(_, finding) => Some(*finding),
            _ => None,
        });
        arrival.findings = wrong.collect();
        arrival.findings.dedup_by(|one, other| one.rule == other.rule);
        return arrival;
    }
    if let Some((knocked, met)) = gathered.first(is_met) {
        arrival.at = Some(knocked.address);
        arrival.says = match met {
            Met::Right(says) | Met::Unknown(says, _) => says.clone(),
            _ => String::new(),
        };
        arrival.stage = if matches!(met, Met::Right(_)) && is_one { Stage::Right } else { Stage::Unknown };
        others(&mut arrival, expected, gathered, moment);
        around(&mut arrival, expected, seen, moment);
        inside(&mut arrival, site, expected, seen, moment);
        return arrival;
    }
    if let Some(LookedInside::Said(_)) = &seen.inside {
        (arrival.stage, arrival.says) = (Stage::Right, "SSH, by way of another host".to_owned());
        inside(&mut arrival, site, expected, seen, moment);
        return arrival;
    }
    not_met(&mut arrival, expected, gathered, moment);
    arrival
}

/// Whether the machine itself was met: it has spoken.
fn is_met(met: &Met<'_>) -> bool {
    match met {
        Met::Right(_) => true,
        Met::Unknown(_, unseen) => unseen.unknown != Unknown::Arrival,
        _ => false,
    }
}

/// What the machine has shown, and what is worth a word. Says whether it has shown the same at each of its addresses: another key or
/// certificate there may be another machine's.
fn shown<'a>(
    arrival: &mut Arrival<'a>,
    gathered: &mut Gathered<'_, '_>,
    expected: &ExpectedMachine<'a>,
) -> bool {
    let mut is_one = true;
    for ((knocked, at), expected_at) in gathered.all.iter_mut().zip(&expected.addresses) {
        let is_other_key =
            matches!((&arrival.host_key, &at.host_key), (Some(one), Some(other)) if one != other);
        let is_other_certificate = matches!(
            (&arrival.certificate, &at.certificate),
            (Some(one), Some(other)) if one.sha256 != other.sha256
        );
        if is_other_key || is_other_certificate {
            is_one = false;
            let what = if is_other_key { "host key" } else { "certificate" };
            arrival.unseen.push(Unseen {
                unknown: Unknown::At,
                thing: format!("{} of {}", knocked.address, expected.machine.called()),
                machine: expected.machine,
                place: expected_at.place,
                reason: Reason::new(
                    format!("it shows another {what} than the first address"),
                    "find out which machine answers there, by its MAC address or at its console",
                ),
            });
        }
        if arrival.host_key.is_none() {
            arrival.host_key = at.host_key.take();
        }
        if arrival.certificate.is_none() {
            arrival.certificate = at.certificate.take();
            arrival.is_remembered = at.is_remembered;
        }
        for remark in at.remarks.drain(..) {
            if !arrival.findings.iter().any(|known| known.rule == remark.rule) {
                arrival.findings.push(remark);
            }
        }
    }
    is_one
}

/// The other addresses of a machine that was met.
fn others<'a>(
    arrival: &mut Arrival<'a>,
    expected: &ExpectedMachine<'a>,
    gathered: Gathered<'a, '_>,
    moment: Moment,
) {
    let mut silent: Vec<(IpAddr, &'static str)> = Vec::new();
    let mut place = None;
    for ((knocked, at), expected_at) in gathered.all.into_iter().zip(&expected.addresses) {
        let mut unseen = |unknown, thing: String, why: String, fix: &str| {
            let reason = Reason::new(why, fix);
            let (machine, place) = (expected.machine, expected_at.place);
            arrival.unseen.push(Unseen { unknown, thing, machine, place, reason });
        };
        let thing = || format!("{} of {}", knocked.address, expected.machine.called());
        match at.met {
            Met::Unknown(_, unknown) if unknown.unknown == Unknown::Arrival => {
                let reason = unknown.reason;
                let machine = expected.machine;
                let place = expected_at.place;
                arrival.unseen.push(Unseen { unknown: Unknown::At, thing: thing(), machine, place, reason });
            }
            Met::Unknown(_, unknown) => arrival.unseen.push(*unknown),
            Met::NotReady(says) => {
                unseen(
                    Unknown::At,
                    thing(),
                    says,
                    "log in there by hand, or open the port for this address too",
                );
            }
            Met::Silent(how) if knocked.is_behind_router => {
                let why = format!("{how}, which behind a router means little");
                unseen(Unknown::At, thing(), why, "run this on a computer in the same subnet");
            }
            Met::Silent(how) => {
                place = place.or(Some(expected_at.place));
                silent.push((knocked.address, how));
            }
            Met::Right(_) | Met::Wrong(..) => {}
        }
    }
    let (Some((_, how)), Some(place)) = (silent.first(), place) else { return };
    let addresses: Vec<IpAddr> = silent.iter().map(|(address, _)| *address).collect();
    let called = expected.machine.called();
    let message = format!("{called} answers, but not at {}: {how}.", listed(&addresses));
    let fix = "look at that link: its cable, its VLAN, and whether the machine has set it up";
    let label = expected.machine.label.as_deref().map(str::to_owned);
    arrival.findings.push(Finding::new(&MACHINE_SILENT, label, place, message, fix));
    let may_come = moment.is_within(expected.start);
    arrival.stage = if may_come { Stage::Starting } else { Stage::Wrong };
    // Whoever waits is told of the address that comes late, too.
    arrival.is_settled = moment.wait.is_none();
    arrival.says = format!("no answer at {} yet", listed(&addresses));
}

/// What it serves, and its earlier address.
fn around(arrival: &mut Arrival<'_>, expected: &ExpectedMachine<'_>, seen: &Visit, moment: Moment) {
    let (Some(plan), Some(answers)) = (&expected.around, &seen.around) else { return };
    let findings = judge(plan, answers).findings;
    let first = findings.iter().find(|finding| finding.severity() != Severity::Note);
    if let Some(first) = first.filter(|_| arrival.stage == Stage::Right) {
        let may_change = moment.is_within(expected.start);
        arrival.stage = match first.severity() {
            _ if may_change => Stage::Starting,
            Severity::Error => Stage::Wrong,
            _ => Stage::Right,
        };
        arrival.is_settled = !may_change;
        arrival.says = first_clause(&first.message);
    }
    arrival.findings.extend(findings);
}

/// What was seen inside of a host.
fn inside<'a>(
    arrival: &mut Arrival<'a>,
    site: &Site,
    expected: &ExpectedMachine<'a>,
    seen: &Visit,
    moment: Moment,
) {
    let Some(looked) = &seen.inside else { return };
    let (machine, place) = (expected.machine, expected.machine.name_place);
    let label = || machine.label.as_deref().map(str::to_owned);
    let mut unseen = |thing: String, why: &str, fix: &str| {
        let reason = Reason::new(why, fix);
        arrival.unseen.push(Unseen { unknown: Unknown::Inside, thing, machine, place, reason });
    };
    let said = match looked {
        LookedInside::Said(said) => said,
        LookedInside::NotYet(says) => {
            let message = format!("{} shows its host key, but nobody can log in: {says}.", machine.called());
            let fix = if moment.wait.is_some() {
                "look at its console whether it has come to the end of its start"
            } else {
                "run this again with --wait 15m, which waits for a machine that is still starting"
            };
            arrival.findings.push(Finding::new(&MACHINE_NOT_READY, label(), place, message, fix));
            (arrival.stage, arrival.is_settled) = (Stage::Starting, false);
            arrival.says.clone_from(says);
            return;
        }
        LookedInside::No(NoLook::InTheWay(why, fix)) => {
            unseen(machine.called().to_owned(), why, fix);
            if arrival.stage == Stage::Right {
                arrival.stage = Stage::Unknown;
                arrival.says.clone_from(why);
            }
            return;
        }
        LookedInside::No(NoLook::Refused(who, says)) => {
            let message = format!("{who} cannot log in on {}: {says}.", machine.called());
            let fix = "look with `ssh-add -l` whether your agent has the private key of one of its ssh_keys; if it has, nobody \
                may be able to log in any more: look at the console";
            arrival.findings.push(Finding::new(&LOGIN, label(), place, message, fix));
            (arrival.stage, arrival.says) = (Stage::Wrong, format!("{who} cannot log in"));
            return;
        }
    };
    let facts = judge_inside(site, machine, said);
    for fact in facts.iter().filter(|fact| fact.state == InsideState::NotLooked) {
        unseen(format!("the {} of {}", fact.about, machine.called()), &fact.says, &fact.fix);
    }
    let is_open = |fact: &&InsideFact| fact.state == InsideState::NotYet;
    let wrong = facts.iter().filter(|fact| matches!(fact.state, InsideState::Wrong | InsideState::NotYet));
    arrival.findings.extend(wrong.map(|fact| {
        let message = format!("{} {}.", machine.called(), fact.says);
        Finding::new(fact.rule, label(), place, message, fact.fix.clone())
    }));
    let may_change = moment.wait.is_some() && (said.is_starting() || facts.iter().any(|fact| is_open(&fact)));
    let first = facts.iter().find(|fact| matches!(fact.state, InsideState::Wrong | InsideState::NotYet));
    if let Some(first) = first.filter(|_| arrival.stage != Stage::Wrong) {
        let is_error = |fact: &InsideFact| {
            fact.rule.severity == Severity::Error
                && matches!(fact.state, InsideState::Wrong | InsideState::NotYet)
        };
        let wrong = if facts.iter().any(is_error) { Stage::Wrong } else { arrival.stage };
        arrival.stage = if may_change { Stage::Starting } else { wrong };
        arrival.is_settled &= !may_change;
        arrival.says.clone_from(&first.says);
    }
    arrival.inside = facts;
}

/// A machine that was not met at any of its addresses.
fn not_met<'a>(
    arrival: &mut Arrival<'a>,
    expected: &ExpectedMachine<'a>,
    gathered: Gathered<'a, '_>,
    moment: Moment,
) {
    let called = expected.machine.called();
    let label = expected.machine.label.as_deref().map(str::to_owned);
    let waited = match moment.wait {
        Some(wait) if moment.since < expected.start => format!(
            " It may take {} to start, and was waited for {}.",
            in_words(expected.start),
            in_words(wait.min(moment.since.max(Duration::from_secs(1))))
        ),
        Some(wait) => format!(" It was waited for {}.", in_words(wait.min(moment.since))),
        None => String::new(),
    };
    let wait_for_it =
        if moment.wait.is_some() { "" } else { "; --wait 15m waits for a machine that is still starting" };
    if let Some((knocked, Met::NotReady(says))) = gathered.first(|met| matches!(met, Met::NotReady(_))) {
        (arrival.stage, arrival.is_settled) = (Stage::Starting, false);
        arrival.at = Some(knocked.address);
        arrival.says.clone_from(says);
        if let Some(at) = expected.addresses.iter().find(|at| at.address == knocked.address) {
            if knocked.is_plain {
                let looking = Looking { expected, at: *at, remembered: None, now: moment.now };
                arrival.findings.extend(looking.plain_http(crate::question::PLAIN_PORT).remarks);
                return;
            }
            let message = format!("{called} has started, as {} answers, but {says}.{waited}", at.address);
            let fix = format!(
                "look at its console whether the service for {} runs, and whether a firewall is in between{wait_for_it}",
                expected.way.word()
            );
            arrival.findings.push(Finding::new(&MACHINE_NOT_READY, label, at.place, message, fix));
        }
        return;
    }
    let unknown = gathered.all.iter().all(|(_, at)| matches!(at.met, Met::Unknown(..)));
    if unknown {
        for (_, at) in gathered.all {
            if let Met::Unknown(says, unseen) = at.met {
                arrival.says = says;
                arrival.unseen.push(*unseen);
            }
        }
        return;
    }
    let may_start = moment.is_within(expected.start);
    (arrival.stage, arrival.is_settled) = (if may_start { Stage::Starting } else { Stage::Silent }, false);
    let how = gathered.all.iter().find_map(|(_, at)| match at.met {
        Met::Silent(how) => Some(how),
        _ => None,
    });
    let addresses: Vec<IpAddr> = expected.addresses.iter().map(|at| at.address).collect();
    arrival.says = format!("no answer at {}", listed(&addresses));
    let port = match &expected.way {
        Way::Unasked(_) => String::new(),
        way => format!(" port {}", way.port()),
    };
    let how = how.unwrap_or("nothing comes back");
    let message = format!("{called} does not answer at {}{port}: {how}.{waited}", listed(&addresses));
    let fix = format!("look at its power, its cable and its console{wait_for_it}");
    if let Some(at) = expected.addresses.first() {
        arrival.findings.push(Finding::new(&MACHINE_SILENT, label, at.place, message, fix));
    }
}

/// The beginning of a message, as what a machine waits for.
fn first_clause(message: &str) -> String {
    let clause = message.split_once(": ").map_or(message, |(first, _)| first).trim_end_matches('.');
    match clause.strip_prefix("Something ").map(|rest| format!("something {rest}")) {
        Some(clause) => clause,
        None => clause.strip_prefix("The ").map_or_else(|| clause.to_owned(), |rest| format!("the {rest}")),
    }
}

/// A time in words, in whole seconds.
fn in_words(time: Duration) -> String {
    let seconds = time.as_secs();
    match (seconds / 60, seconds % 60) {
        (0, seconds) => format!("{seconds} s"),
        (minutes, 0) => format!("{minutes} min"),
        (minutes, seconds) => format!("{minutes} min {seconds} s"),
    }
}

/// A machine that was never visited.
pub(super) fn not_visited<'a>(expected: &ExpectedMachine<'a>, obstacle: &Obstacle) -> Arrival<'a> {
    let unseen = expected.addresses.first().map(|at| Unseen {
        unknown: Unknown::Arrival,
        thing: expected.machine.called().to_owned(),
        machine: expected.machine,
        place: at.place,
        reason: Reason::obstacle(obstacle),
    });
    Arrival {
        stage: Stage::Unknown,
        is_settled: true,
        says: obstacle.to_string(),
        at: None,
        host_key: None,
        certificate: None,
        is_remembered: false,
        inside: Vec::new(),
        findings: Vec::new(),
        unseen: unseen.into_iter().collect(),
    }
}

/// A machine that was waited for when a person said stop: how it looked is kept, and that it was not over.
pub(super) fn cut_short<'a>(mut arrival: Arrival<'a>, expected: &ExpectedMachine<'a>) -> Arrival<'a> {
    if arrival.is_settled {
        return arrival;
    }
    let findings = std::mem::take(&mut arrival.findings);
    let Some(finding) = findings.into_iter().next() else { return arrival };
    let why = format!("the command was stopped while it was waited for; so far: {}", arrival.says);
    arrival.unseen.push(Unseen {
        unknown: Unknown::Arrival,
        thing: expected.machine.called().to_owned(),
        machine: expected.machine,
        place: finding.place,
        reason: Reason::new(why, "run the command again, and let it come to its end"),
    });
    arrival
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use impostazione_core::assess::assess;
    use impostazione_text::files::Folder;

    use ssh_key::PublicKey;

    use super::*;
    use crate::answer::{Door, ShownKey, SshGreeting};
    use crate::question::ArrivalPlan;

    const SHEET: &str = "format = 1\n[common]\ndomain = \"capovetro.example\"\n[subnet.quay]\nprefix = \"10.64.10.0/24\"\n\
        [[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n";

    /// What a machine has come to where its door is like this, so long after asking began.
    fn stage(door: &Door, minutes: u64, wait: Option<Duration>) -> (Stage, bool, usize) {
        let today = jiff::civil::Date::constant(2027, 1, 1);
        let assessment = assess("sheet.toml", SHEET.as_bytes().to_vec(), &Folder::new("."), today);
        let plan = ArrivalPlan::new(&assessment.site, |_| true, None);
        let expected = plan.machines.first().unwrap();
        let door = Knocked {
            address: "10.64.10.11".parse().unwrap(),
            door: door.clone(),
            is_behind_router: false,
            is_plain: false,
        };
        let seen = Visit { doors: vec![door], around: None, inside: None };
        let moment = Moment { since: Duration::from_mins(minutes), wait, now: Timestamp::UNIX_EPOCH };
        let arrival = judge_machine(&assessment.site, expected, &seen, None, moment);
        (arrival.stage, arrival.is_settled, arrival.findings.len())
    }

    #[test]
    fn silence_is_starting_for_as_long_as_a_start_may_take() {
        let wait = Some(Duration::from_mins(15));
        assert_eq!(stage(&Door::Unreachable, 4, wait), (Stage::Starting, false, 1));
        assert_eq!(stage(&Door::Unreachable, 6, wait), (Stage::Silent, false, 1), "and it is waited for");
        assert_eq!(stage(&Door::Unreachable, 0, None), (Stage::Silent, false, 1), "without a wait at once");
        assert_eq!(stage(&Door::Refused, 6, wait), (Stage::Starting, false, 1));
        assert_eq!(stage(&Door::Mute, 0, None), (Stage::Starting, false, 1));
    }

    #[test]
    fn what_this_computer_does_not_allow_is_neither_silent_nor_right() {
        for obstacle in [Obstacle::NotPermitted, Obstacle::NoRoute, Obstacle::NoRoom] {
            assert_eq!(stage(&Door::NotLooked(obstacle), 1, None), (Stage::Unknown, true, 0));
        }
        assert_eq!(stage(&Door::ThisComputer("eth0".to_owned()), 1, None), (Stage::Wrong, true, 1));
    }

    /// Two addresses that show host keys which nobody has said.
    fn stage_of_two(keys: [&str; 2]) -> (Stage, usize) {
        let today = jiff::civil::Date::constant(2027, 1, 1);
        let text =
            SHEET.replace("\"10.64.10.11\" }", "\"10.64.10.11\", more_addresses = [\"10.64.10.12\"] }");
        let assessment = assess("sheet.toml", text.into_bytes(), &Folder::new("."), today);
        let plan = ArrivalPlan::new(&assessment.site, |_| true, None);
        let expected = plan.machines.first().unwrap();
        let doors = expected.addresses.iter().zip(keys).map(|(at, key)| {
            let line = format!("ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAI{key}");
            let shown = ShownKey::Proved(Box::new(PublicKey::from_openssh(&line).unwrap()));
            let greeting = SshGreeting { name: "SSH-2.0-x".to_owned(), key: shown };
            let door = Door::Ssh(Box::new(greeting));
            Knocked { address: at.address, door, is_behind_router: false, is_plain: false }
        });
        let seen = Visit { doors: doors.collect(), around: None, inside: None };
        assert_eq!(seen.doors.len(), 2);
        let moment = Moment { since: Duration::ZERO, wait: None, now: Timestamp::UNIX_EPOCH };
        let arrival = judge_machine(&assessment.site, expected, &seen, None, moment);
        (arrival.stage, arrival.unseen.len())
    }

    #[test]
    fn another_key_at_another_address_is_not_called_right() {
        let (one, other) =
            ("PuGZtSiZ5iXSX7ZwtqRyGBx7bzaMe7qyYFXgMGAvEtb", "GzP37OUqIKLeQSWWAF3g0Br9dHu3NMJLTwJG8mGDiuK");
        assert_eq!(stage_of_two([one, one]), (Stage::Right, 0));
        assert_eq!(stage_of_two([one, other]), (Stage::Unknown, 1));
    }
}
