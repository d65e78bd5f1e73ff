//! Rules on the names of machines and domains.

use impostazione_net::{DomainName, Hostname, NameFault};
use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] =
    &[&HOSTNAME_MALFORMED, &HOSTNAME_TOO_LONG, &DOMAIN_MALFORMED, &SEARCH_MALFORMED];

/// A name that is not a host name.
pub(crate) static HOSTNAME_MALFORMED: Rule = Rule {
    name: "hostname-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine's name is not a valid host name",
    explanation: "A host name is one label of letters, digits and inner hyphens (RFC 1123, section 2.1). DNS \
        servers, or the machine itself, refuse underscores, spaces and accents; the machine then keeps the name of \
        its image. The domain has its own key.",
    wrong: "[[host]]\nname = \"gauge_01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// A name that is too long.
pub(crate) static HOSTNAME_TOO_LONG: Rule = Rule {
    name: "hostname-too-long",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine's name has more than 63 characters",
    explanation: "A DNS label holds 63 bytes (RFC 1035, section 2.3.4), and the kernel keeps 64. A longer name is \
        truncated or refused.",
    wrong: "[[host]]\nname = \"gauge-at-the-northern-end-of-the-old-quay-behind-the-lighthouse-stairs\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-north-quay\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// A domain that is none.
pub(crate) static DOMAIN_MALFORMED: Rule = Rule {
    name: "domain-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the domain is not a valid domain name",
    explanation: "A domain is labels of letters, digits and hyphens, separated by dots, 253 characters at most, here \
        without a dot at the end. It becomes part of a machine's full name in /etc/hosts.",
    wrong: "[common]\ndomain = \"capovetro..example\"\n",
    right: "[common]\ndomain = \"capovetro.example\"\n",
    ..Rule::PLAIN
};

/// A search domain that is none.
pub(crate) static SEARCH_MALFORMED: Rule = Rule {
    name: "search-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an item of the search list is not a valid domain name",
    explanation: "Short names are looked up in each domain of the search list. An item that is not a domain name \
        makes lookups fail, or the whole list is dropped.",
    wrong: "[common]\nsearch = [\"capovetro_example\"]\n",
    right: "[common]\nsearch = [\"capovetro.example\"]\n",
    ..Rule::PLAIN
};

/// The pattern that somebody means by `gauge-[1-3]`.
fn as_pattern(text: &str) -> Option<String> {
    let (before, rest) = text.split_once('[')?;
    let (range, after) = rest.split_once(']')?;
    let (first, last) = range.split_once("..").or_else(|| range.split_once(['-', ':']))?;
    let is_number = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    (is_number(first) && is_number(last)).then(|| format!("{before}{{{first}..{last}}}{after}"))
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
            format!("The name has {} characters; the maximum is {}.", text.len(), Hostname::LONGEST),
        )
    } else {
        (&HOSTNAME_MALFORMED, format!("The name \"{}\" {}.", text, fault.reason))
    };
    let is_full = text.trim_end_matches('.').contains('.') && DomainName::parse(text).is_ok();
    let fix = match &fault.meant {
        _ if as_pattern(text).is_some() => {
            format!("write \"{}\" for several machines", as_pattern(text).unwrap_or_default())
        }
        Some(meant) if is_full => {
            format!("write \"{meant}\", and fqdn = \"{text}\" if its domain is not the sheet's")
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
