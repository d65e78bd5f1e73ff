//! Rules on the names of machines and domains.

use std::collections::HashMap;
use std::collections::hash_map::Entry;

use impostazione_net::{DomainName, Hostname, NameFault};
use impostazione_text::{Place, Written};

use super::{Check, Judge, Nature, Rule};
use crate::finding::{Finding, Severity};
use crate::machine::Machine;

pub(super) const RULES: &[&Rule] = &[
    &HOSTNAME_MALFORMED,
    &HOSTNAME_TOO_LONG,
    &HOSTNAME_DUPLICATE,
    &DOMAIN_MALFORMED,
    &DOMAIN_RESERVED_FOR_MDNS,
    &SEARCH_MALFORMED,
    &HOSTNAME_NUMERIC,
    &HOSTNAME_UPPERCASE,
    &HOSTNAME_BREAKS_PATTERN,
    &FQDN_TOO_LONG,
    &DOMAIN_SINGLE_LABEL,
];

/// A name that is no host name.
static HOSTNAME_MALFORMED: Rule = Rule {
    name: "hostname-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine's name is not a host name",
    explanation: "A host name is one label of letters, digits and hyphens, the hyphens inside (RFC 1123, section 2.1). \
        Underscores, spaces and accents are refused by name servers or by the machine itself, which then keeps the name \
        of its image. The domain is a key of its own.",
    wrong: "[[host]]\nname = \"gauge_01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Reading,
};

/// A name that is too long.
static HOSTNAME_TOO_LONG: Rule = Rule {
    name: "hostname-too-long",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine's name has more than 63 characters",
    explanation: "A label of the domain name system holds 63 bytes (RFC 1035, section 2.3.4), and the kernel keeps 64. A \
        longer name is cut off or refused.",
    wrong: "[[host]]\nname = \"gauge-at-the-northern-end-of-the-old-quay-behind-the-lighthouse-stairs\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-north-quay\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Reading,
};

/// A name given twice.
static HOSTNAME_DUPLICATE: Rule = Rule {
    name: "hostname-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two machines have the same name",
    explanation: "The name is how a machine is found, and its folder in the output tree. Upper and lower case make no \
        difference in names. Usually an entry was copied and its name left as it was.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n",
    about_absence: false,
    check: Check::Site(check_duplicate),
};

/// A domain that is none.
static DOMAIN_MALFORMED: Rule = Rule {
    name: "domain-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the domain is not a domain name",
    explanation: "A domain is labels of letters, digits and hyphens with dots between them, 253 characters at most, and \
        here without a dot at its end. It makes the full name of a machine in /etc/hosts.",
    wrong: "[common]\ndomain = \"capovetro..example\"\n",
    right: "[common]\ndomain = \"capovetro.example\"\n",
    about_absence: false,
    check: Check::Reading,
};

/// A domain that belongs to multicast DNS.
static DOMAIN_RESERVED_FOR_MDNS: Rule = Rule {
    name: "domain-reserved-for-mdns",
    severity: Severity::Warning,
    nature: Nature::Judgement,
    summary: "the domain ends in local, which belongs to multicast DNS",
    explanation: "Names that end in .local are looked up by multicast on the link and at no name server (RFC 6762, \
        section 3), so that a machine with such a domain is found from its own subnet at best.",
    wrong: "[common]\ndomain = \"capovetro.local\"\n",
    right: "[common]\ndomain = \"capovetro.example\"\n",
    about_absence: false,
    check: Check::Site(check_mdns),
};

/// A search domain that is none.
static SEARCH_MALFORMED: Rule = Rule {
    name: "search-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an item of the search list is not a domain name",
    explanation: "Short names are looked up in each domain of the search list. An item that is no domain name makes \
        lookups fail, or the whole list be dropped.",
    wrong: "[common]\nsearch = [\"capovetro_example\"]\n",
    right: "[common]\nsearch = [\"capovetro.example\"]\n",
    about_absence: false,
    check: Check::Reading,
};

/// A name that is taken for a number.
static HOSTNAME_NUMERIC: Rule = Rule {
    name: "hostname-numeric",
    severity: Severity::Warning,
    nature: Nature::Judgement,
    summary: "a host name is a number",
    explanation: "Many programs take a name of digits alone, or 0x and hexadecimal digits, for an address, and look \
        for it there.",
    wrong: "[[host]]\nname = \"gauge-01\"\nhostname = \"12\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nhostname = \"gauge-12\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Site(check_numeric),
};

/// Capitals in a name.
static HOSTNAME_UPPERCASE: Rule = Rule {
    name: "hostname-uppercase",
    severity: Severity::Warning,
    nature: Nature::Judgement,
    summary: "a host name has capital letters",
    explanation: "Names are looked up without regard to case, but mail, certificates and monitoring compare them \
        letter by letter, and half of what is written down will have the other spelling. Small letters are \
        the same everywhere.",
    wrong: "[[host]]\nname = \"Gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Site(check_uppercase),
};

/// A name that the site does not give.
static HOSTNAME_BREAKS_PATTERN: Rule = Rule {
    name: "hostname-breaks-pattern",
    severity: Severity::Error,
    nature: Nature::Judgement,
    summary: "a host name does not follow the site's own rule",
    explanation: "name_pattern is the site's rule for host names, as a regular expression. A name outside it is \
        mistyped, or the rule has to be widened.",
    wrong: "[common]\nname_pattern = \"^[a-z]+-[0-9]{3}$\"\n",
    right: "[common]\nname_pattern = \"^[a-z]+-[0-9]{2}$\"\n",
    about_absence: false,
    check: Check::Site(check_pattern),
};

/// A full name that is cut off.
static FQDN_TOO_LONG: Rule = Rule {
    name: "fqdn-too-long",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine's full name has more than 253 characters",
    explanation: "Host name, dot and domain together have 253 characters at most in the domain name system (RFC 1035, \
        section 2.3.4).",
    wrong: "[common]\ndomain = \"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa.aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa.aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa.aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa.example\"\n",
    right: "[common]\ndomain = \"capovetro.example\"\n",
    about_absence: false,
    check: Check::Site(check_fqdn_length),
};

/// A domain without a dot.
static DOMAIN_SINGLE_LABEL: Rule = Rule {
    name: "domain-single-label",
    severity: Severity::Warning,
    nature: Nature::Judgement,
    summary: "the domain has a single label",
    explanation: "A domain such as harbor may become a top-level domain of the public name system any day, and many \
        programs and certificate authorities refuse names below one. A domain below one that you have \
        registered is yours for good.",
    wrong: "[common]\ndomain = \"capovetro\"\n",
    right: "[common]\ndomain = \"capovetro.example\"\n",
    about_absence: false,
    check: Check::Site(check_single_label),
};

/// No machine is called what another is called, be it by its name, which is its folder, or by a host name of its own.
fn check_duplicate(judge: &mut Judge<'_>) {
    let site = judge.site;
    let mut first_of: HashMap<String, (&Machine, Place)> = HashMap::with_capacity(site.machines.len());
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
                        format!("{name} is the name of the {} at {line} already.", first.kind().word()),
                        "give one of them a name of its own",
                    );
                }
            }
        }
    }
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
                format!(
                    "The domain {} ends in local, and no name server is asked for such names.",
                    domain.value
                ),
                "write a domain of your own, such as one below a domain that you have registered",
            );
        }
    }
}

/// A name that cannot be a host name, under the rule that its fault belongs to.
pub(crate) fn hostname_faulty(
    machine: Option<String>,
    written: &Written<String>,
    fault: &NameFault,
) -> Finding {
    let text = &written.value;
    let (rule, message) = if Hostname::is_only_too_long(text) {
        (
            &HOSTNAME_TOO_LONG,
            format!("The name has {} characters, and {} are the most.", text.len(), Hostname::LONGEST),
        )
    } else {
        (&HOSTNAME_MALFORMED, format!("The name \"{}\" {}.", text, fault.reason))
    };
    let is_full = text.trim_end_matches('.').contains('.') && DomainName::parse(text).is_ok();
    let fix = match &fault.meant {
        Some(meant) if is_full => {
            format!("write \"{meant}\", and fqdn = \"{text}\" where its domain is not the sheet's")
        }
        Some(meant) => format!("write \"{meant}\""),
        None if rule == &HOSTNAME_TOO_LONG => "write a shorter name".to_owned(),
        None => "write letters, digits and inner hyphens, such as \"gauge-01\"".to_owned(),
    };
    let finding = Finding::new(rule, machine, written.place, message, fix);
    match &fault.meant {
        Some(meant) if *meant == text.trim().trim_end_matches('.') => finding.with_certain(meant),
        _ => finding,
    }
}

pub(crate) fn domain_malformed(
    machine: Option<String>,
    written: &Written<String>,
    fault: &NameFault,
) -> Finding {
    malformed(&DOMAIN_MALFORMED, "The domain", machine, written, fault)
}

pub(crate) fn search_malformed(
    machine: Option<String>,
    written: &Written<String>,
    fault: &NameFault,
) -> Finding {
    malformed(&SEARCH_MALFORMED, "The search domain", machine, written, fault)
}

fn malformed(
    rule: &'static Rule,
    what: &str,
    machine: Option<String>,
    written: &Written<String>,
    fault: &NameFault,
) -> Finding {
    let finding = Finding::new(
        rule,
        machine,
        written.place,
        format!("{what} \"{}\" {}.", written.value, fault.reason),
        match &fault.meant {
            Some(meant) => format!("write \"{meant}\""),
            None => "write labels with dots between them, such as \"capovetro.example\"".to_owned(),
        },
    );
    match &fault.meant {
        // Dots and spaces at the ends can only be too much.
        Some(meant) => finding.with_certain(meant),
        None => finding,
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
            "write a name that does, or widen name_pattern",
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
            format!("The full name has {} characters, and 253 are the most.", fqdn.len()),
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
                "write a domain below one of your own, such as \"capovetro.example\"",
            );
        }
    }
}

pub(crate) fn fqdn_malformed(
    machine: Option<String>,
    written: &Written<String>,
    fault: &NameFault,
) -> Finding {
    malformed(&DOMAIN_MALFORMED, "The full name", machine, written, fault)
}

pub(crate) fn fqdn_without_domain(machine: Option<String>, written: &Written<String>) -> Finding {
    Finding::new(
        &DOMAIN_MALFORMED,
        machine,
        written.place,
        format!("The full name \"{}\" has no domain.", written.value),
        format!(
            "write it with its domain, such as \"{}.capovetro.example\", or write hostname = \"{}\"",
            written.value, written.value
        ),
    )
}
