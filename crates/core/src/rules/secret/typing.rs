//! Rules on values that somebody types, and on demands that no value meets.

use impostazione_secret::keyboard::{KeyLayout, Trouble, troubled_positions};

use super::super::check::Check;
use super::super::judge::Judge;
use super::known_value::known_values;
use crate::finding::{Finding, Nature, Rule, Severity};

pub(in crate::rules) const CHECKS: &[Check] = &[
    Check::new(&SECRET_KEYBOARD_DEPENDENT, check_layouts),
    Check::new(&SECRET_LIMITS_CONTRADICT, check_contradictions),
];

/// A value that comes out differently.
static SECRET_KEYBOARD_DEPENDENT: Rule = Rule {
    name: "secret-keyboard-dependent",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a secret that is typed has characters that are on different keys on different keyboards",
    explanation: "typed_on lists the layouts that a console or a keyboard may have; the keyboard of a host is added \
        to them. A character on another key comes out as a different one, a character with AltGr or a dead key often \
        not at all, and the login fails although the password is right. The finding gives positions, never \
        characters. `secret generate` uses only characters that are on the same key in all layouts.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\ntyped_on = [\"us\", \"fr\"]\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"typed.secret\"\ntyped_on = [\"us\", \"fr\"]\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// Demands that no value meets.
static SECRET_LIMITS_CONTRADICT: Rule = Rule {
    name: "secret-limits-contradict",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the requirements for a secret contradict each other",
    explanation: "The secret itself, the properties that use it and products' password rules set lengths, kinds of \
        characters, forbidden characters and keyboard layouts. If these contradict each other, use separate secrets, \
        or relax a requirement.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nmin_length = 20\nmax_length = 16\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nmin_length = 16\nmax_length = 30\n",
    about_credentials: true,
    ..Rule::PLAIN
};

fn check_layouts(judge: &mut Judge<'_>) {
    let mut findings = Vec::new();
    for known in known_values(judge.site) {
        let layouts = known.demands().typed_on;
        let found = troubled_positions(known.value.reveal(), &layouts);
        if found.is_empty() {
            continue;
        }
        let names: Vec<&str> = layouts.iter().map(|layout| layout.name()).collect();
        let of = |trouble: Trouble| -> Vec<usize> {
            found.iter().filter(|(_, kind)| *kind == trouble).map(|(position, _)| *position).collect()
        };
        let mut parts = Vec::new();
        for (trouble, one, many) in [
            (Trouble::ComesOutDifferently, "is on a different key", "are on different keys"),
            (Trouble::NeedsAltGr, "needs AltGr", "need AltGr"),
            (Trouble::NeedsDeadKey, "needs a dead key or is missing", "need a dead key or are missing"),
        ] {
            let positions = of(trouble);
            match positions.as_slice() {
                [] => {}
                [only] => parts.push(format!("character {only} {one}")),
                several => {
                    let numbers: Vec<String> = several.iter().map(usize::to_string).collect();
                    parts.push(format!("characters {} {many}", numbers.join(", ")));
                }
            }
        }
        let (where_typed, fix) = match names.as_slice() {
            [only] => (format!("on the layout {only}"), "use only characters that have their own key"),
            several => (
                format!("on the layouts {}", several.join(" and ")),
                "use only characters that are on the same key in all of them",
            ),
        };
        let message = format!("{} is typed {where_typed}, where {}.", known.called(), parts.join(", "));
        findings.push(known.finding(&SECRET_KEYBOARD_DEPENDENT, message, fix));
    }
    judge.report_all(findings);
}

fn check_contradictions(judge: &mut Judge<'_>) {
    let site = judge.site;
    let mut told = std::collections::HashSet::new();
    for slot in site.secret_slots() {
        let Some(secret) = site.secret_of(slot) else { continue };
        let demands = site.demands_on(slot);
        let Some(fault) = demands.contradiction() else { continue };
        let mut by: Vec<&str> = demands
            .min_length()
            .into_iter()
            .chain(demands.max_length())
            .map(|demand| demand.by.as_str())
            .chain(demands.require.iter().map(|demand| demand.by.as_str()))
            .collect();
        by.dedup();
        let layouts: Vec<&str> = demands.typed_on.iter().copied().map(KeyLayout::name).collect();
        let typed = if layouts.is_empty() {
            String::new()
        } else {
            format!("; it is typed on {}", layouts.join(", "))
        };
        let message = format!(
            "No value can be right for the secret {}: {fault} ({}{typed}).",
            secret.name.value,
            by.join(", ")
        );
        // Machines that use it alike are told of once.
        if told.insert((slot.secret, message.clone())) {
            let fix = "relax a requirement, or use separate secrets";
            judge.report(Finding::on_sheet(&SECRET_LIMITS_CONTRADICT, secret.name.place, message, fix));
        }
    }
}
