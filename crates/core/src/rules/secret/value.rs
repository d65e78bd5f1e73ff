//! Rules on the values themselves. No message says what is in a value, or how long it is.

use impostazione_secret::{FamiliarWords, is_wifi_key, is_wifi_passphrase, tries_log10_at};
use rayon::prelude::*;

use super::super::check::Check;
use super::super::judge::Judge;
use super::known_value::{KnownValue, known_values};
use crate::finding::{Finding, Nature, Rule, Severity};
use crate::machine::{Machine, SecretRole, SecretUse, Site};

pub(in crate::rules) const CHECKS: &[Check] = &[
    Check::new(&SECRET_TOO_SHORT, check_too_short),
    Check::new(&SECRET_TOO_LONG, check_too_long),
    Check::new(&SECRET_LACKS_KIND, check_classes),
    Check::new(&SECRET_FORBIDDEN_CHARACTER, check_forbidden),
    Check::new(&SECRET_WELL_KNOWN, check_well_known),
    Check::new(&SECRET_CONTAINS_NAME, check_names),
    Check::new(&SECRET_WEAK, check_weak),
];

/// Too few characters.
static SECRET_TOO_SHORT: Rule = Rule {
    name: "secret-too-short",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a secret is too short",
    explanation: "The minimum is min_length of the secret, the minimum of the package's property, the product's \
        password rules, or else 12 for passwords, 8 in a lab. A length that the product itself refuses is always an \
        error.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nmin_length = 40\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nmin_length = 14\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// Too many characters.
static SECRET_TOO_LONG: Rule = Rule {
    name: "secret-too-long",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a secret is too long",
    explanation: "The maximum is max_length of the secret, the maximum of the package's property, or the product's \
        password rules. A longer password is refused, or silently truncated, and then lets nobody in.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nmax_length = 14\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nmax_length = 40\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// No character of a kind.
static SECRET_LACKS_KIND: Rule = Rule {
    name: "secret-lacks-kind",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a secret lacks a required kind of character",
    explanation: "Kinds are upper case letters, lower case letters, digits and symbols; `require` of the secret, or \
        the product's password rules, ask for at least one of each kind they list.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nrequire = [\"upper\"]\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nrequire = [\"lower\"]\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A character that is not taken.
static SECRET_FORBIDDEN_CHARACTER: Rule = Rule {
    name: "secret-forbidden-character",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a secret has a character that is not allowed",
    explanation: "`forbid` of the secret, or the product's password rules, list characters that are not allowed. \
        Control characters are never allowed. A time key must not have spaces or #; after HEX: it has only pairs of \
        hexadecimal digits. The finding gives the position, never the character.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nforbid = \"aeiou\"\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\nforbid = \"$'\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A value that everybody tries first.
static SECRET_WELL_KNOWN: Rule = Rule {
    name: "secret-well-known",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a secret is a well-known password",
    explanation: "Words such as admin, password and changeme, with digits added or in place of letters, are tried \
        first. refused_passwords in [common] names a file with more; a product's default password counts too, if its \
        meanings file has it.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"well-known.secret\"\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A value that is told by what it opens.
static SECRET_CONTAINS_NAME: Rule = Rule {
    name: "secret-contains-name",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a secret contains the name of its account or machine",
    explanation: "Attackers start with the names they can see, and add digits. Choose a value that has nothing to do \
        with what it opens.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"of-the-keeper.secret\"\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A value that can be guessed.
static SECRET_WEAK: Rule = Rule {
    name: "secret-weak",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a secret is easy to guess",
    explanation: "The number of guesses is estimated from words, names, dates, rows of keys and repetitions in the \
        value. The names of the site, its domain, subnets and machines add nothing, nor does a season or month with \
        a year, nor a repeated character at the end. Fewer than a million guesses are an error; fewer than a hundred \
        million, which takes hours once a hash or a Wi-Fi handshake was captured, are a warning.",
    wrong: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"weak.secret\"\n",
    right: "[account.keeper]\npassword = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n",
    about_credentials: true,
    ..Rule::PLAIN
};

fn report_each<'a>(judge: &mut Judge<'a>, look: impl Fn(KnownValue<'a>) -> Option<Finding>) {
    for known in known_values(judge.site) {
        if let Some(finding) = look(known) {
            judge.report(finding);
        }
    }
}

fn check_too_short(judge: &mut Judge<'_>) {
    report_each(judge, |known| {
        let demands = known.demands();
        let demand = demands.min_length().filter(|demand| known.length() < demand.value)?;
        // What contradicts itself has its own finding.
        demands.contradiction().is_none().then(|| {
            known.finding_by(
                &SECRET_TOO_SHORT,
                demand.is_hard,
                format!(
                    "{} has too few {}. {} {} {} or more.",
                    known.called(),
                    known.unit(),
                    demand.by,
                    demand.verb(),
                    demand.value
                ),
                &format!("choose a value of {} {} or more", demand.value, known.unit()),
            )
        })
    });
}

fn check_too_long(judge: &mut Judge<'_>) {
    report_each(judge, |known| {
        let demands = known.demands();
        let demand = demands.max_length().filter(|demand| known.length() > demand.value)?;
        demands.contradiction().is_none().then(|| {
            known.finding_by(
                &SECRET_TOO_LONG,
                demand.is_hard,
                format!(
                    "{} has too many {}. {} {} {} at most.",
                    known.called(),
                    known.unit(),
                    demand.by,
                    demand.verb(),
                    demand.value
                ),
                &format!("choose a value of {} {} or fewer", demand.value, known.unit()),
            )
        })
    });
}

fn check_classes(judge: &mut Judge<'_>) {
    report_each(judge, |known| {
        let demands = known.demands();
        let lacks =
            |class: &impostazione_secret::CharacterClass| !known.value.reveal().chars().any(|c| class.has(c));
        let missing: Vec<_> = demands.require.iter().filter(|demand| lacks(&demand.value)).collect();
        let first = missing.first()?;
        if demands.contradiction().is_some() {
            return None;
        }
        let mut kinds: Vec<&str> = missing.iter().map(|demand| demand.value.one()).collect();
        kinds.dedup();
        let kinds = in_a_row(&kinds);
        Some(known.finding_by(
            &SECRET_LACKS_KIND,
            missing.iter().any(|demand| demand.is_hard),
            format!("{} lacks {kinds}. {} asks for it.", known.called(), first.by),
            &format!("choose a value with {kinds} in it"),
        ))
    });
}

fn positions(found: &[usize]) -> String {
    let numbers: Vec<String> = found.iter().map(usize::to_string).collect();
    let numbers: Vec<&str> = numbers.iter().map(String::as_str).collect();
    format!("character{} {}", if numbers.len() == 1 { "" } else { "s" }, in_a_row(&numbers))
}

/// One thing, two things with `and`, or several with commas too.
fn in_a_row(things: &[&str]) -> String {
    match things {
        [] => String::new(),
        [only] => (*only).to_owned(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    }
}

fn check_forbidden(judge: &mut Judge<'_>) {
    report_each(judge, |known| {
        let demands = known.demands();
        let text = known.value.reveal();
        let at = |is_bad: &dyn Fn(char) -> bool| -> Vec<usize> {
            text.chars().enumerate().filter(|(_, c)| is_bad(*c)).map(|(index, _)| index + 1).collect()
        };
        let control = at(&|c: char| c.is_control());
        if !control.is_empty() {
            return Some(known.finding_by(
                &SECRET_FORBIDDEN_CHARACTER,
                true,
                format!("{} has a control character: {}.", known.called(), positions(&control)),
                "choose a value without it",
            ));
        }
        if let Some(digits) = text.strip_prefix("HEX:").filter(|_| known.is_time_key())
            && hex::decode(digits).is_err()
        {
            return Some(known.finding_by(
                &SECRET_FORBIDDEN_CHARACTER,
                true,
                format!("{} starts with HEX:, and pairs of hexadecimal digits must follow.", known.called()),
                "write two of the digits 0 to 9 and A to F for each byte",
            ));
        }
        let (demand, found) = demands.forbid.iter().find_map(|demand| {
            let found = at(&|c: char| demand.value.contains(c));
            (!found.is_empty()).then_some((demand, found))
        })?;
        Some(known.finding_by(
            &SECRET_FORBIDDEN_CHARACTER,
            demand.is_hard,
            format!(
                "{} has what {} does not allow: {}.",
                known.called(),
                lower_first(&demand.by),
                positions(&found)
            ),
            "choose a value without it",
        ))
    });
}

/// In the middle of a sentence.
fn lower_first(by: &str) -> String {
    by.strip_prefix("The ").map_or_else(|| by.to_owned(), |rest| format!("the {rest}"))
}

fn public_password<'a>(known: KnownValue<'a>, used: &SecretUse) -> Option<&'a str> {
    let appliance = known.site.machine_of_use(used)?.appliance()?;
    known.site.meanings_of(appliance)?.default_login.as_ref()?.public_password.as_deref()
}

fn check_well_known(judge: &mut Judge<'_>) {
    report_each(judge, |known| {
        let text = known.value.reveal();
        let is_default = known.uses().any(|used| {
            public_password(known, used) == Some(text)
                // A property that keeps what its product comes with has its own finding.
                && !known.site.is_property_answer(used)
        });
        let why = if is_default {
            "is the product's default password"
        } else if known.site.well_known.has(text) {
            "is one of the passwords that are tried first"
        } else {
            return None;
        };
        Some(known.finding(&SECRET_WELL_KNOWN, format!("{} {why}.", known.called()), "choose a unique value"))
    });
}

fn check_names(judge: &mut Judge<'_>) {
    report_each(judge, |known| {
        let text = known.value.reveal().to_lowercase();
        let found = known.uses().find_map(|used| {
            let account = known.site.account_of_use(used).map(|name| (name, "the account"));
            let machine = known.site.machine_of_use(used);
            let label = machine.map(|machine| (machine.label().to_owned(), "the machine"));
            let hostname = machine
                .and_then(|machine| machine.hostname.value())
                .map(|name| (name.to_string(), "the machine"));
            let is_login = !matches!(used.role, SecretRole::Wifi(_) | SecretRole::TimeKey(_));
            [account, label, hostname]
                .into_iter()
                .flatten()
                .filter(|_| is_login)
                .find(|(name, _)| name.chars().count() >= 3 && text.contains(&name.to_lowercase()))
        });
        let (name, what) = found?;
        // A password that everybody knows is one whatever else it is.
        (!known.site.well_known.has(known.value.reveal())).then(|| {
            known.finding(
                &SECRET_CONTAINS_NAME,
                format!("{} contains the name of {what} that it opens, {name}.", known.called()),
                "choose a value that has nothing to do with what it opens",
            )
        })
    });
}

fn check_weak(judge: &mut Judge<'_>) {
    // Each takes a while, and there may be thousands.
    let known: Vec<KnownValue<'_>> = known_values(judge.site).collect();
    let familiar = familiar_words(judge.site);
    let findings: Vec<Option<Finding>> =
        known.into_par_iter().map(|known| weakness(known, &familiar)).collect();
    judge.report_all(findings.into_iter().flatten());
}

/// The words of the names that can be seen at a site.
fn familiar_words(site: &Site) -> FamiliarWords {
    let common = &site.common;
    let domain = common.domain.value().map(|domain| domain.value.to_string());
    let machines = site.machines.iter().map(Machine::label);
    let subnets = site.subnets.iter().map(|subnet| subnet.name.value.as_str());
    let clusters = site.clusters.iter().map(|cluster| cluster.name.value.as_str());
    let radios =
        site.subnets.iter().filter_map(|subnet| Some(subnet.wifi.value()?.ssid.value()?.value.as_str()));
    FamiliarWords::of_names(
        site.name
            .as_deref()
            .into_iter()
            .chain(domain.as_deref())
            .chain(machines)
            .chain(subnets)
            .chain(clusters)
            .chain(radios),
    )
}

fn weakness(known: KnownValue<'_>, familiar: &FamiliarWords) -> Option<Finding> {
    let text = known.value.reveal();
    let is_key = known.uses().all(|used| match used.role {
        SecretRole::TimeKey(_) => true,
        SecretRole::Wifi(_) => is_wifi_key(text),
        SecretRole::Account(_) | SecretRole::Answer(_) => false,
    });
    let demands = known.demands();
    let is_short = demands.min_length().is_some_and(|demand| known.length() < demand.value);
    // One finding for one slip.
    let is_no_passphrase = known.uses().any(|used| {
        matches!(used.role, SecretRole::Wifi(_)) && !is_wifi_key(text) && !is_wifi_passphrase(text)
    });
    if is_key || is_short || is_no_passphrase || known.site.well_known.has(text) {
        return None;
    }
    let is_password = known
        .uses()
        .any(|used| !matches!(used.role, SecretRole::Answer(_)) || known.site.is_password_answer(used));
    if !is_password {
        return None;
    }
    let tries = tries_log10_at(known.value, familiar);
    let (severity, how_many) = if tries < 6.0 {
        (Severity::Error, "a million")
    } else if tries < 8.0 {
        (Severity::Warning, "a hundred million")
    } else {
        return None;
    };
    let finding = known.finding(
        &SECRET_WEAK,
        format!("{} can be guessed with fewer than {how_many} tries.", known.called()),
        "choose several unrelated words, or random characters",
    );
    Some(finding.weighing(severity, Nature::Credential))
}
