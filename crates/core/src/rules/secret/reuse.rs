//! Rules on values that serve more than one purpose.

use std::collections::{BTreeSet, HashMap};

use super::super::check::Check;
use super::super::judge::Judge;
use super::known_value::{KnownValue, known_values};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Purpose, SecretUse};

pub(in crate::rules) const CHECKS: &[Check] =
    &[Check::new(&SECRET_REUSED, check_reused), Check::new(&SECRET_SHARED, check_shared)];

/// One value, two roles.
static SECRET_REUSED: Rule = Rule {
    name: "secret-reused",
    severity: Severity::Warning,
    nature: Nature::Credential,
    summary: "one value serves two roles",
    explanation: "Whoever learns the password of one login or product then has the other too, and neither can be \
        changed alone. For administrators this is an error in production.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[account.pilot]\nssh_keys = [\"keys/keeper.pub\"]\npassword = { secret = \"pilot-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n[secret.pilot-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[account.pilot]\nssh_keys = [\"keys/keeper.pub\"]\npassword = { secret = \"pilot-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n[secret.pilot-login]\nfrom = \"file\"\npath = \"pilot-login.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// One value, many machines.
static SECRET_SHARED: Rule = Rule {
    name: "secret-shared",
    severity: Severity::Warning,
    nature: Nature::Credential,
    summary: "one password opens administrator logins on several machines",
    explanation: "Whoever learns it on one machine has them all. per = \"machine\" gives each machine its own value, \
        generated and kept in the store; per = \"cluster\" gives one to each cluster. The members of one cluster may \
        share a value.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n[[host]]\nname = \"gauge-{01..02}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..12}\" }\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"{machine}.secret\"\nper = \"machine\"\n[[host]]\nname = \"gauge-{01..02}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..12}\" }\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// Whether a use only repeats another's value, as wizards ask for it.
fn is_repetition(known: KnownValue<'_>, used: &SecretUse) -> bool {
    const WORDS: [&str; 7] = ["confirm", "again", "repeat", "retype", "verify", "wiederholen", "conferma"];
    let id = known.site.answered_property(used).unwrap_or_default().to_lowercase();
    WORDS.iter().any(|word| id.contains(word))
}

fn check_reused(judge: &mut Judge<'_>) {
    let site = judge.site;
    let mut first_with: HashMap<&str, KnownValue<'_>> = HashMap::new();
    let mut findings = Vec::new();
    for known in known_values(site) {
        let severity = |is_for_administrators: bool| {
            if is_for_administrators { Severity::Error } else { Severity::Warning }
        };
        let mut roles: Vec<(String, &SecretUse)> = Vec::new();
        for used in known.uses().filter(|used| !is_repetition(known, used)) {
            let role = site.role_in_words(used);
            if roles.iter().all(|(known, _)| *known != role) {
                roles.push((role, used));
            }
        }
        if let [(first, _), (second, used), ..] = roles.as_slice() {
            let mut finding = known.finding(
                &SECRET_REUSED,
                format!("{} is used for the {first} and the {second}.", known.called()),
                "use a separate secret for each",
            );
            finding.place = used.place;
            findings.push(finding.weighing(severity(known.is_for_administrators()), Nature::Credential));
        }
        match first_with.get(known.value.reveal()) {
            None => {
                first_with.insert(known.value.reveal(), known);
            }
            Some(other) => {
                let is_grave = known.is_for_administrators() || other.is_for_administrators();
                let message = format!("{} and {} have the same value.", known.called(), other.id());
                let finding = known.finding(&SECRET_REUSED, message, "choose another value for one of them");
                findings.push(finding.weighing(severity(is_grave), Nature::Credential));
            }
        }
    }
    judge.report_all(findings);
}

fn check_shared(judge: &mut Judge<'_>) {
    let site = judge.site;
    let mut findings = Vec::new();
    for known in known_values(site).filter(|known| known.slot.holder.is_none() && !known.secret.is_in_sheet())
    {
        let machines: BTreeSet<usize> = known
            .uses()
            .filter(|used| site.is_for_administrators(used))
            .filter_map(|used| used.machine)
            .filter(|index| {
                site.machines
                    .get(*index)
                    .is_some_and(|machine| machine.settings.purpose() == Purpose::Production)
            })
            .collect();
        // The members of a cluster count as one.
        let groups: BTreeSet<String> = machines
            .iter()
            .filter_map(|index| site.machines.get(*index))
            .map(|machine| match site.cluster_of(machine) {
                Some(cluster) => format!("cluster {}", cluster.name.value),
                None => machine.label().to_owned(),
            })
            .collect();
        if groups.len() > 1 {
            let message = format!(
                "{} is one value for administrator logins on {} machines.",
                known.called(),
                machines.len()
            );
            let mut finding = known.finding(&SECRET_SHARED, message, "");
            "write per = \"machine\" in its table, so each machine has its own".clone_into(&mut finding.fix);
            findings.push(finding);
        }
    }
    judge.report_all(findings);
}
