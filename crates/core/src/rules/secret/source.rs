//! Rules on where values come from.

use super::super::check::Check;
use super::super::judge::Judge;
use crate::finding::{Finding, Nature, Rule, Severity};

pub(in crate::rules) const CHECKS: &[Check] =
    &[Check::new(&SECRET_UNUSED, check_unused), Check::new(&SECRET_IN_SHEET, check_in_sheet)];

/// A secret that nobody wants.
static SECRET_UNUSED: Rule = Rule {
    name: "secret-unused",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "nothing in the sheet uses a secret",
    explanation: "A [secret.NAME] that nothing uses is left over, or something uses another secret by mistake.",
    wrong: "[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n",
    about_absence: true,
    about_credentials: true,
    ..Rule::PLAIN
};

/// A value that everybody reads who reads the sheet.
static SECRET_IN_SHEET: Rule = Rule {
    name: "secret-in-sheet",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a password is in the sheet itself, or in a CSV file",
    explanation: "A sheet is read by many people, kept for a long time and passed on. A password in it is known to \
        all of them, and stays in every copy. Put it into the store, a file or a variable, refer to that in a \
        [secret.NAME] table, and change the password if the sheet was shared. In a lab this is a warning, and the \
        password must follow the same rules.",
    wrong: "[account.keeper]\npassword = \"nine gulls on a mole\"\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

fn check_unused(judge: &mut Judge<'_>) {
    let site = judge.site;
    let used: std::collections::HashSet<usize> = site.secret_uses().iter().map(|used| used.secret).collect();
    let left_over = site
        .secrets
        .iter()
        .enumerate()
        .filter(|(index, secret)| !secret.is_in_sheet() && !used.contains(index));
    for (_, secret) in left_over {
        let name = &secret.name.value;
        judge.on_sheet(
            &SECRET_UNUSED,
            secret.name.place,
            format!("Nothing uses the secret {name}."),
            format!("write {{ secret = \"{name}\" }} where it should be used, or remove the table"),
        );
    }
}

fn check_in_sheet(judge: &mut Judge<'_>) {
    let site = judge.site;
    for slot in site.secret_slots() {
        let Some(secret) = site.secret_of(slot).filter(|secret| secret.is_in_sheet()) else { continue };
        let machine = site.uses_of(slot).find_map(|used| site.machine_of_use(used));
        // What many machines share is not reported for one of them.
        let is_shared = site
            .uses_of(slot)
            .filter_map(|used| used.machine)
            .collect::<std::collections::HashSet<usize>>()
            .len()
            > 1;
        let is_as_common = machine.is_some_and(|machine| machine.settings.purpose() == site.common.purpose());
        let label = machine
            .filter(|_| !is_shared || !is_as_common)
            .and_then(|machine| machine.label.as_deref())
            .map(str::to_owned);
        let what = &secret.name.value;
        judge.report(Finding::new(
            &SECRET_IN_SHEET,
            label,
            secret.name.place,
            format!("This is {what} itself, and everybody who reads the sheet can read it."),
            "write { secret = \"NAME\" } instead, add [secret.NAME] with from = \"store\", and put the value into \
                the store with `impostazione secret enter`",
        ));
    }
}
