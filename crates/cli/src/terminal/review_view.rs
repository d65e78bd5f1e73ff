//! A review for people: what most machines share once, then a table of what each has of its own, then the properties of each
//! appliance.

use std::collections::HashMap;
use std::fmt::Write as _;

use impostazione_core::views::review::{
    Review, ReviewedAccount, ReviewedDnsFor, ReviewedHashing, ReviewedHost, ReviewedLink, ReviewedMachine,
    ReviewedProperty, ReviewedSsh, ReviewedValue, ValueOrigin,
};
use impostazione_text::visible::harmless;

use super::counts::count;
use super::link_words::link_words;
use super::screen::wrapping;
use super::table::{finished, new_table};
use super::theme::STRONG;

/// A setting that machines may share; nothing for a machine that has no such setting.
struct Shared {
    title: &'static str,
    get: fn(&ReviewedMachine) -> Option<ReviewedValue>,
    /// What is not worth a word where all have it.
    unsaid: Option<&'static str>,
}

const SHARED: [Shared; 18] = [
    Shared { title: "domain", get: |machine| Some(machine.domain.clone()), unsaid: None },
    Shared { title: "DNS servers", get: |machine| Some(machine.dns.clone()), unsaid: None },
    Shared {
        title: "DNS for domains",
        get: |machine| Some(dns_for_words(&machine.host.as_ref()?.dns_for)),
        unsaid: Some(""),
    },
    Shared { title: "search", get: |machine| Some(machine.search.clone()), unsaid: None },
    Shared {
        title: "name lookups",
        get: |machine| Some(look_up_words(machine.host.as_ref()?)),
        unsaid: Some(""),
    },
    Shared {
        title: "hosts file",
        get: |machine| Some(word(machine.host.as_ref()?.hosts_file)),
        unsaid: Some("own"),
    },
    Shared { title: "time servers", get: |machine| Some(machine.ntp.clone()), unsaid: None },
    Shared { title: "time zone", get: |machine| Some(machine.timezone.clone()), unsaid: None },
    Shared {
        title: "clock set by",
        get: |machine| Some(word(machine.host.as_ref()?.time_service)),
        unsaid: None,
    },
    Shared { title: "locale", get: |machine| Some(machine.host.as_ref()?.locale.clone()), unsaid: Some("") },
    Shared {
        title: "keyboard",
        get: |machine| Some(machine.host.as_ref()?.keyboard.clone()),
        unsaid: Some(""),
    },
    Shared { title: "IPv6", get: |machine| Some(word(machine.host.as_ref()?.ipv6)), unsaid: Some("static") },
    Shared {
        title: "renderer",
        get: |machine| Some(word(machine.host.as_ref()?.renderer)),
        unsaid: Some("networkd"),
    },
    Shared { title: "SSH", get: |machine| Some(ssh_words(machine.host.as_ref()?.ssh)), unsaid: None },
    Shared { title: "logins", get: |machine| logins_words(machine), unsaid: None },
    Shared { title: "root access", get: |machine| root_words(machine), unsaid: None },
    Shared {
        title: "image's logins",
        get: |machine| Some(word(machine.host.as_ref()?.stock_logins)),
        unsaid: Some("lock"),
    },
    Shared {
        title: "passwords",
        get: |machine| Some(hashing_words(machine.host.as_ref()?.password_hashing)),
        unsaid: Some("yescrypt"),
    },
];

impl Shared {
    fn is_unsaid(&self, value: &ReviewedValue) -> bool {
        match (self.unsaid, value) {
            (Some(_), ReviewedValue::Nothing) => true,
            (Some(unsaid), ReviewedValue::Values(values)) => values.len() == 1 && values[0] == unsaid,
            _ => false,
        }
    }
}

fn word(text: &str) -> ReviewedValue {
    ReviewedValue::Values(vec![text.to_owned()])
}

fn words(texts: Vec<String>) -> ReviewedValue {
    if texts.is_empty() { ReviewedValue::Nothing } else { ReviewedValue::Values(texts) }
}

/// Domains with DNS servers of their own, and these.
pub(super) fn dns_for_words(special: &[ReviewedDnsFor]) -> ReviewedValue {
    words(special.iter().map(|one| format!("{} at {}", one.domain, one.servers.join(", "))).collect())
}

/// The switches of lookups that ask everybody on a link, those that the sheet sets.
fn look_up_words(host: &ReviewedHost) -> ReviewedValue {
    let switches = [("LLMNR", host.llmnr), ("multicast DNS", host.multicast_dns)];
    let said = switches.into_iter().filter_map(|(what, is_on)| Some((what, is_on?)));
    words(said.map(|(what, is_on)| format!("{what} {}", if is_on { "on" } else { "off" })).collect())
}

fn ssh_words(ssh: ReviewedSsh) -> ReviewedValue {
    if !ssh.enabled {
        return ReviewedValue::None;
    }
    let ways = [
        (true, "keys"),
        (ssh.password_login, "passwords"),
        (ssh.root_login, "root too"),
        (ssh.host_key, "a prepared host key"),
    ];
    let mut said: Vec<String> =
        ways.into_iter().filter(|(is_so, _)| *is_so).map(|(_, text)| text.to_owned()).collect();
    if ssh.port != 22 {
        said.push(format!("port {}", ssh.port));
    }
    words(said)
}

fn hashing_words(hashing: ReviewedHashing) -> ReviewedValue {
    word(&match (hashing.algorithm, hashing.cost) {
        ("yescrypt", 5) => "yescrypt".to_owned(),
        ("yescrypt", cost) => format!("yescrypt at cost {cost}"),
        (_, rounds) => format!("SHA-512, {rounds} rounds"),
    })
}

/// Who can log in on a host, and by what.
fn logins_words(machine: &ReviewedMachine) -> Option<ReviewedValue> {
    machine.host.as_ref()?;
    Some(match machine.accounts.as_slice() {
        [] => ReviewedValue::Values(vec!["nobody".to_owned()]),
        accounts => words(accounts.iter().map(account).collect()),
    })
}

/// Who can be root on a host, and by what.
fn root_words(machine: &ReviewedMachine) -> Option<ReviewedValue> {
    machine.host.as_ref()?;
    let root = machine.accounts.iter().find(|account| account.name == "root");
    let mut ways = vec![match root {
        Some(root) => format!("root logs in{}", by_what(root)),
        None => "root is locked".to_owned(),
    }];
    for account in machine.accounts.iter().filter(|account| account.admin && account.name != "root") {
        let asked = if account.password { "with its password" } else { "without a password" };
        ways.push(format!("{} by sudo, {asked}", account.name));
    }
    Some(words(ways))
}

/// A login, and what opens it.
fn account(account: &ReviewedAccount) -> String {
    format!("{}{}", account.name, by_what(account))
}

/// What opens a login, in brackets.
fn by_what(account: &ReviewedAccount) -> &'static str {
    match (account.ssh_keys > 0, account.password, account.change_at_first_login) {
        (true, false, _) => " (key)",
        (false, false, _) => "",
        (true, true, false) => " (key, password)",
        (true, true, true) => " (key, password that must be changed)",
        (false, true, false) => " (password)",
        (false, true, true) => " (password that must be changed)",
    }
}

/// The whole review.
pub(crate) fn show_review(review: &Review, width: usize) -> String {
    let mut text = String::new();
    let hosts = review.machines.iter().filter(|machine| machine.kind == "host").count();
    let appliances = review.machines.len() - hosts;
    let counted = match (hosts, appliances) {
        (0, 0) => "no machines".to_owned(),
        (hosts, 0) => count(hosts, "host", "hosts"),
        (0, appliances) => count(appliances, "appliance", "appliances"),
        (hosts, appliances) => {
            format!("{}, {}", count(hosts, "host", "hosts"), count(appliances, "appliance", "appliances"))
        }
    };
    let site = harmless(review.site.as_deref().unwrap_or("This site"));
    // Writing to a String does not fail.
    let _ = writeln!(text, "{STRONG}{site}{STRONG:#}: {counted}");
    if review.machines.is_empty() {
        return text;
    }
    let usual: Vec<Option<ReviewedValue>> =
        SHARED.iter().map(|shared| most_frequent(&review.machines, shared)).collect();
    let _ = writeln!(text, "\nAll machines, unless listed below:");
    for (shared, value) in SHARED.iter().zip(&usual) {
        if let Some(value) = value.as_ref().filter(|value| !shared.is_unsaid(value)) {
            let between = if shared.title == "root access" { "; " } else { ", " };
            let line = format!("  {:15} {}", shared.title, stated(value, between));
            let options = wrapping(width).subsequent_indent("                  ");
            let _ = writeln!(text, "{}", textwrap::fill(&line, options));
        }
    }
    let _ = writeln!(text, "\n{}", machines_table(&review.machines, width));
    if let Some(table) = table_of_own(&review.machines, &usual, width) {
        let _ = writeln!(text, "\n{table}");
    }
    let told: Vec<&ReviewedMachine> =
        review.machines.iter().filter(|machine| !machine.properties.is_empty()).collect();
    // Machines that are asked the same are shown together.
    let is_alike = |one: &&ReviewedMachine, other: &&ReviewedMachine| {
        one.package == other.package
            && one
                .properties
                .iter()
                .map(|property| &property.id)
                .eq(other.properties.iter().map(|property| &property.id))
    };
    for group in told.chunk_by(is_alike) {
        let Some(first) = group.first() else { continue };
        let names: Vec<String> = group.iter().map(|machine| harmless(&machine.name)).collect();
        let gets = if group.len() == 1 { "gets" } else { "get" };
        let of_what = match &first.package {
            Some(package) => format!("{gets} settings through {}", harmless(package)),
            None => format!("{gets} settings typed at the console"),
        };
        let names = textwrap::fill(&names.join(", "), wrapping(width));
        let of_what = format!("{of_what}; values are from the sheet unless noted:");
        let of_what = textwrap::fill(&of_what, wrapping(width));
        let _ = writeln!(text, "\n{STRONG}{names}{STRONG:#}\n{of_what}");
        let _ = writeln!(text, "\n{}", settings_table(group, width));
    }
    text
}

/// The settings of machines that are asked the same: a value once where all have it, else each machine's own.
fn settings_table(group: &[&ReviewedMachine], width: usize) -> String {
    let mut properties: Vec<ReviewedProperty> =
        group.first().map(|machine| machine.properties.clone()).unwrap_or_default();
    for (nth, property) in properties.iter_mut().enumerate() {
        let of_all: Vec<(&str, &ReviewedProperty)> = group
            .iter()
            .filter_map(|machine| Some((machine.name.as_str(), machine.properties.get(nth)?)))
            .collect();
        if of_all.iter().all(|(_, other)| other.value == property.value) {
            property.value = property.value.take().map(|value| harmless(&value));
            continue;
        }
        let widest = of_all.iter().map(|(name, _)| name.len() + 1).max().unwrap_or(0);
        let lines = of_all
            .iter()
            .map(|(name, other)| format!("{:widest$} {}", format!("{name}:"), value_words(other)));
        property.value = Some(lines.collect::<Vec<_>>().join("\n"));
        property.read_as = None;
        for (_, other) in of_all.iter().skip(1) {
            for finding in &other.findings {
                if !property.findings.iter().any(|known| known.rule == finding.rule) {
                    property.findings.push(finding.clone());
                }
            }
        }
    }
    properties_table(&properties, width, true)
}

/// A value, or a word for what is not shown.
fn value_words(property: &ReviewedProperty) -> String {
    match &property.value {
        None => "(not shown)".to_owned(),
        Some(value) if value.is_empty() => "(empty)".to_owned(),
        Some(value) => harmless(value),
    }
}

/// What most machines have, if there are two or more: the value to say once.
fn most_frequent(machines: &[ReviewedMachine], shared: &Shared) -> Option<ReviewedValue> {
    let values: Vec<ReviewedValue> = machines.iter().filter_map(|machine| (shared.get)(machine)).collect();
    let mut counts: HashMap<&ReviewedValue, usize> = HashMap::new();
    for value in &values {
        *counts.entry(value).or_default() += 1;
    }
    // The first in the order of the sheet wins a tie.
    let most = counts.values().max()?;
    values.iter().find(|value| counts.get(value) == Some(most)).cloned()
}

fn machines_table(machines: &[ReviewedMachine], width: usize) -> String {
    let mut table = new_table(width);
    table.set_header(["machine", "link", "subnet", "address", "gateway"]);
    for machine in machines {
        let column = |get: &dyn Fn(&ReviewedLink) -> Vec<String>| {
            // Each link takes as many lines as its longest cell, so that the cells of a link stay side by side.
            let mut lines = Vec::new();
            for link in &machine.links {
                let mut cell = get(link);
                cell.resize(link_height(link), String::new());
                lines.extend(cell);
            }
            lines.join("\n")
        };
        table.add_row(vec![
            harmless(&machine.name),
            column(&|link| vec![harmless(&link.name)]),
            column(&|link| {
                vec![match (&link.subnet, &link.member_of) {
                    (Some(subnet), _) => harmless(subnet),
                    (None, Some(parent)) => format!("in {}", harmless(parent)),
                    (None, None) => "none".to_owned(),
                }]
            }),
            column(&addresses_of),
            column(&gateways_of),
        ]);
    }
    finished(table)
}

/// What machines have that most others do not, or nothing.
fn table_of_own(
    machines: &[ReviewedMachine],
    usual: &[Option<ReviewedValue>],
    width: usize,
) -> Option<String> {
    let mut table = new_table(width);
    table.set_header(["machine", "differs in"]);
    for machine in machines {
        let mut own = names_of_its_own(machine);
        let settings = SHARED.iter().zip(usual).filter_map(|(shared, usual)| {
            let value = (shared.get)(machine)?;
            (usual.as_ref() != Some(&value)).then(|| format!("{}: {}", shared.title, stated(&value, ", ")))
        });
        own.extend(settings);
        if !machine.serves.is_empty() {
            own.push(format!("serves: {}", machine.serves.join(", ")));
        }
        own.extend(machine.cluster.as_ref().map(|cluster| format!("cluster: {}", harmless(cluster))));
        for link in &machine.links {
            let words = link_words(link.kind, &link.details);
            if !words.is_empty() {
                own.push(harmless(&format!("{}: {}", link.name, words.join("; "))));
            }
        }
        if !own.is_empty() {
            table.add_row([harmless(&machine.name), own.join("\n")]);
        }
    }
    (table.row_count() > 0).then(|| finished(table))
}

/// The host name where it is not the machine's name, and the full name where it is not made of that and the domain.
fn names_of_its_own(machine: &ReviewedMachine) -> Vec<String> {
    let mut names = Vec::new();
    let Some(hostname) = &machine.hostname else { return names };
    if *hostname != machine.name {
        names.push(format!("host name: {}", harmless(hostname)));
    }
    if let Some(fqdn) = machine.fqdn.as_ref().filter(|fqdn| !fqdn.starts_with(&format!("{hostname}."))) {
        names.push(format!("full name: {}", harmless(fqdn)));
    }
    names
}

/// What an appliance is told.
pub(crate) fn show_told(name: &str, properties: &[ReviewedProperty], width: usize) -> String {
    format!(
        "{STRONG}{}{STRONG:#} gets these settings:\n{}\n",
        harmless(name),
        properties_table(&on_one_line(properties), width, false)
    )
}

/// Properties whose values are one line each, as they are shown.
fn on_one_line(properties: &[ReviewedProperty]) -> Vec<ReviewedProperty> {
    let mut properties = properties.to_vec();
    for property in &mut properties {
        property.value = property.value.take().map(|value| harmless(&value));
    }
    properties
}

/// A table of properties whose values hold nothing that drives a terminal but ends of lines, which part those of several machines.
fn properties_table(properties: &[ReviewedProperty], width: usize, has_origin: bool) -> String {
    let mut table = new_table(width);
    let is_wrong = properties.iter().any(|property| !property.findings.is_empty());
    let columns = [true, true, true, has_origin, is_wrong];
    let chosen = |cells: [String; 5]| {
        cells.into_iter().zip(columns).filter_map(|(cell, is_shown)| is_shown.then_some(cell))
    };
    table.set_header(chosen(["property", "value", "meaning", "from", "what is wrong"].map(str::to_owned)));
    for property in properties {
        let value = match &property.value {
            // Lines for each of several machines.
            Some(value) if value.contains('\n') => value.clone(),
            _ => value_words(property),
        };
        let from = match property.from {
            ValueOrigin::Answer => "answer",
            ValueOrigin::Taken => "take",
            ValueOrigin::Secret => "secret",
            ValueOrigin::Meaning => "",
            ValueOrigin::Default => "default",
            ValueOrigin::Package => "package",
            ValueOrigin::Unanswered => "no answer",
        };
        let wrong =
            property.findings.iter().map(|finding| format!("{}: {}", finding.severity.word(), finding.rule));
        let row = [
            harmless(&property.id),
            value,
            harmless(&which_is(property)),
            from.to_owned(),
            wrong.collect::<Vec<_>>().join("\n"),
        ];
        table.add_row(chosen(row));
    }
    finished(table)
}

/// What a value is, in the words of its meaning, and as it was read where that says more than the value itself.
fn which_is(property: &ReviewedProperty) -> String {
    let Some(meaning) = property.meaning else { return String::new() };
    // Signs between the values of a list say nothing more.
    let plain = |text: &str| text.chars().filter(|letter| letter.is_alphanumeric()).collect::<String>();
    match (&property.read_as, &property.value) {
        (Some(read), Some(value)) if plain(read) != plain(value) => format!("{meaning} {read}"),
        _ => meaning.to_owned(),
    }
}

/// A member has no address, and none is missed.
fn addresses_of(link: &ReviewedLink) -> Vec<String> {
    if link.member_of.is_some() && link.addresses == ReviewedValue::Nothing {
        return Vec::new();
    }
    lines_of(&link.addresses)
}

/// A member has no gateway, and none is missed.
fn gateways_of(link: &ReviewedLink) -> Vec<String> {
    match (&link.member_of, link.gateways.is_empty()) {
        (Some(_), true) => Vec::new(),
        (None, true) => vec!["none".to_owned()],
        (_, false) => link.gateways.clone(),
    }
}

fn link_height(link: &ReviewedLink) -> usize {
    addresses_of(link).len().max(link.gateways.len()).max(1)
}

fn lines_of(value: &ReviewedValue) -> Vec<String> {
    match value {
        ReviewedValue::Values(values) => values.clone(),
        other => vec![stated(other, "")],
    }
}

pub(super) fn stated(value: &ReviewedValue, between: &str) -> String {
    match value {
        ReviewedValue::Values(values) => {
            values.iter().map(|value| harmless(value)).collect::<Vec<_>>().join(between)
        }
        ReviewedValue::None => "none".to_owned(),
        ReviewedValue::Nothing => "not given".to_owned(),
        ReviewedValue::Unreadable => "not readable (see check)".to_owned(),
    }
}
