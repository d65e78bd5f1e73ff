//! Rules on the names of machines and domains.

use std::cell::LazyCell;
use std::collections::HashMap;
use std::collections::hash_map::Entry;

use impostazione_text::Place;

use super::check::Check;
use super::judge::Judge;
use super::told;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::Machine;

pub(super) const CHECKS: &[Check] = &[
    Check::new(&HOSTNAME_DUPLICATE, check_duplicate),
    Check::new(&MACHINE_NAME_RESERVED, check_reserved),
    Check::new(&DOMAIN_RESERVED_FOR_MDNS, check_mdns),
    Check::new(&HOSTNAME_NUMERIC, check_numeric),
    Check::new(&HOSTNAME_UPPERCASE, check_uppercase),
    Check::new(&HOSTNAME_BREAKS_PATTERN, check_pattern),
    Check::new(&FQDN_TOO_LONG, check_fqdn_length),
    Check::new(&DOMAIN_SINGLE_LABEL, check_single_label),
];

/// A name given twice.
static HOSTNAME_DUPLICATE: Rule = Rule {
    name: "hostname-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two machines have the same name",
    explanation: "The name identifies a machine, and is its folder in the output tree. Upper and lower case make no \
        difference in names. Usually an entry was copied and its name was not changed.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    ..Rule::PLAIN
};

/// A name that is a folder's of the output tree.
static MACHINE_NAME_RESERVED: Rule = Rule {
    name: "machine-name-reserved",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has the name of a folder of the output",
    explanation: "Each machine has a folder of its name in the output, and the folder site is for what the whole site \
        shares. A host that must be called so on the network has another name in the sheet, and its own as hostname.",
    wrong: "[[host]]\nname = \"site\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"site-office\"\nhostname = \"site\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// The folder of the output that is no machine's. Some filesystems ignore upper and lower case.
const FOLDER_OF_SITE: &str = "site";

fn check_reserved(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in site.machines.iter().filter(|machine| machine.label().eq_ignore_ascii_case(FOLDER_OF_SITE))
    {
        judge.on_machine(
            &MACHINE_NAME_RESERVED,
            machine,
            machine.place,
            format!(
                "{} is the name of a folder of the output, which is for the whole site.",
                machine.label()
            ),
            format!("write another name, such as name = \"{0}-1\" with hostname = \"{0}\"", machine.label()),
        );
    }
}

/// A domain that belongs to multicast DNS.
static DOMAIN_RESERVED_FOR_MDNS: Rule = Rule {
    name: "domain-reserved-for-mdns",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "the domain ends in .local, which is for multicast DNS",
    explanation: "Names that end in .local are looked up by multicast on the link and not at a DNS server (RFC 6762, \
        section 3), so a machine with such a domain is found from its own subnet at best.",
    wrong: "[common]\ndomain = \"capovetro.local\"\n",
    right: "[common]\ndomain = \"capovetro.example\"\n",
    ..Rule::PLAIN
};

/// A name that is taken for a number.
static HOSTNAME_NUMERIC: Rule = Rule {
    name: "hostname-numeric",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a host name is a number",
    explanation: "Many programs mistake a name of digits only, or of 0x and hexadecimal digits, for an address.",
    wrong: "[[host]]\nname = \"gauge-01\"\nhostname = \"12\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nhostname = \"gauge-12\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// Capitals in a name.
static HOSTNAME_UPPERCASE: Rule = Rule {
    name: "hostname-uppercase",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a host name has capital letters",
    explanation: "DNS ignores upper and lower case, but mail, certificates and monitoring compare names letter by \
        letter. Lower case works everywhere.",
    wrong: "[[host]]\nname = \"Gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// A name that the site does not give.
static HOSTNAME_BREAKS_PATTERN: Rule = Rule {
    name: "hostname-breaks-pattern",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a host name does not match the site's own rule",
    explanation: "name_pattern is the site's rule for host names, a regular expression. Either the name is mistyped, \
        or the rule is too narrow.",
    wrong: "[common]\nname_pattern = \"^[a-z]+-[0-9]{3}$\"\n",
    right: "[common]\nname_pattern = \"^[a-z]+-[0-9]{2}$\"\n",
    ..Rule::PLAIN
};

/// A full name that is cut off.
static FQDN_TOO_LONG: Rule = Rule {
    name: "fqdn-too-long",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine's full name has more than 253 characters",
    explanation: "Host name, dot and domain together have 253 characters at most in DNS (RFC 1035, section 2.3.4).",
    wrong: "[common]\ndomain = \"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa.aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa.aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa.aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa.example\"\n",
    right: "[common]\ndomain = \"capovetro.example\"\n",
    ..Rule::PLAIN
};

/// A domain without a dot.
static DOMAIN_SINGLE_LABEL: Rule = Rule {
    name: "domain-single-label",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "the domain has a single label",
    explanation: "A domain such as harbor may become a public top-level domain any day, and many programs and \
        certificate authorities refuse names in such a domain. A subdomain of a domain that you have registered is \
        yours for good.",
    wrong: "[common]\ndomain = \"capovetro\"\n",
    right: "[common]\ndomain = \"capovetro.example\"\n",
    ..Rule::PLAIN
};

/// No machine is called what another is called, be it by its name, which is its folder, or by a host name of its own.
fn check_duplicate(judge: &mut Judge<'_>) {
    told::names::check_duplicate(judge, &HOSTNAME_DUPLICATE);
    let site = judge.site;
    let mut first_of: HashMap<String, (&Machine, Place)> = HashMap::with_capacity(site.machines.len());
    // How many machines each entry has, which is asked for where names are wrong only.
    let counts = LazyCell::new(|| {
        let mut counts: HashMap<Place, usize> = HashMap::new();
        for machine in &site.machines {
            *counts.entry(machine.header).or_default() += 1;
        }
        counts
    });
    for machine in &site.machines {
        let Some(hostname) = machine.hostname.value() else { continue };
        let own = (hostname.as_str() != machine.label()).then_some((hostname.as_str(), machine.name_place));
        for (name, place) in [(machine.label(), machine.place)].into_iter().chain(own) {
            match first_of.entry(name.to_ascii_lowercase()) {
                Entry::Vacant(entry) => {
                    entry.insert((machine, place));
                }
                Entry::Occupied(entry) if std::ptr::eq(entry.get().0, machine) => {}
                Entry::Occupied(entry) => {
                    let (first, of_first) = *entry.get();
                    let line = judge.in_words(of_first);
                    judge.on_machine(
                        &HOSTNAME_DUPLICATE,
                        machine,
                        place,
                        format!("{name} is already the name of the {} at {line}.", first.kind().word()),
                        if of_first == place {
                            let count = counts.get(&machine.header).copied().unwrap_or_default();
                            one_name_for_many(name, count)
                        } else {
                            let makes_many = |machine: &Machine| {
                                counts.get(&machine.header).is_some_and(|count| *count > 1)
                            };
                            let pattern = [first, machine].into_iter().find(|machine| makes_many(machine));
                            rename_or_differ(name, pattern)
                        },
                    );
                }
            }
        }
    }
}

/// What to write in place of a name that two entries have. One of them may be meant to change a machine of the other.
fn rename_or_differ(name: &str, of_pattern: Option<&Machine>) -> String {
    let Some(of_pattern) = of_pattern else { return "rename one of them".to_owned() };
    format!(
        "rename one of them; if {name} is one machine of the pattern and differs from the others, write what differs in \
         [{}.differs.{name}] below the entry with the pattern, and no entry of its own",
        of_pattern.kind().word()
    )
}

/// What to write in place of a name that each machine of an entry has.
fn one_name_for_many(name: &str, count: usize) -> String {
    let stem = name.trim_end_matches(|character: char| character.is_ascii_digit());
    let digits = name.strip_prefix(stem).unwrap_or_default();
    let first = digits.parse().unwrap_or(1_usize);
    let last = first.saturating_add(count.saturating_sub(1));
    let (dash, width) = if digits.is_empty() { ("-", 1) } else { ("", digits.len()) };
    format!(
        "every machine of this entry gets it: write a pattern, such as \"{stem}{dash}{{{first:0width$}..{last:0width$}}}\""
    )
}

fn check_mdns(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(domain) = machine.settings.domain.value() else { continue };
        let last = domain.value.as_str().rsplit('.').next().unwrap_or_default();
        if last.eq_ignore_ascii_case("local") {
            judge.on_setting(
                &DOMAIN_RESERVED_FOR_MDNS,
                machine,
                domain.place,
                domain.place,
                format!("The domain {} ends in .local, which is not looked up at DNS servers.", domain.value),
                "write a domain of your own, such as a subdomain of one that you have registered",
            );
        }
    }
}

fn check_numeric(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let Some(hostname) = machine.hostname.value() else { continue };
        let name = hostname.as_str();
        let is_hexadecimal =
            name.strip_prefix("0x").is_some_and(|digits| digits.bytes().all(|b| b.is_ascii_hexdigit()));
        if name.bytes().all(|byte| byte.is_ascii_digit()) || is_hexadecimal {
            judge.on_machine(
                &HOSTNAME_NUMERIC,
                machine,
                machine.name_place,
                format!("The host name {name} is a number."),
                format!("write a name with a letter in it, such as \"gauge-{name}\""),
            );
        }
    }
}

fn check_uppercase(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let Some(hostname) = machine.hostname.value() else { continue };
        let lower = hostname.as_str().to_ascii_lowercase();
        if lower != hostname.as_str() {
            let message = format!("The host name {hostname} has capital letters.");
            judge.certain_on_machine(
                &HOSTNAME_UPPERCASE,
                machine,
                machine.name_place,
                message,
                format!("write \"{lower}\""),
                &lower,
            );
        }
    }
}

fn check_pattern(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let (Some(hostname), Some(pattern)) =
            (machine.hostname.value(), machine.settings.name_pattern.value())
        else {
            continue;
        };
        if pattern.value.is_match(hostname.as_str()) {
            continue;
        }
        let line = judge.in_words(pattern.place);
        judge.on_machine(
            &HOSTNAME_BREAKS_PATTERN,
            machine,
            machine.name_place,
            format!(
                "The host name {hostname} does not match {}, the site's rule at {line}.",
                pattern.value.as_str()
            ),
            "write a name that matches, or change name_pattern",
        );
    }
}

fn check_fqdn_length(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let Some(fqdn) = machine.fqdn().filter(|fqdn| fqdn.len() > 253) else { continue };
        judge.on_machine(
            &FQDN_TOO_LONG,
            machine,
            machine.name_place,
            format!("The full name has {} characters; the maximum is 253.", fqdn.len()),
            "write a shorter name or a shorter domain",
        );
    }
}

fn check_single_label(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let Some(domain) = machine.settings.domain.value() else { continue };
        let name = domain.value.as_str();
        if !name.contains('.') && !name.eq_ignore_ascii_case("local") {
            judge.on_setting(
                &DOMAIN_SINGLE_LABEL,
                machine,
                domain.place,
                domain.place,
                format!("The domain {name} has a single label."),
                "write a subdomain of one of your own, such as \"capovetro.example\"",
            );
        }
    }
}
