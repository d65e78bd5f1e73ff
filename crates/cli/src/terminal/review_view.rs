//! A review for people: what most machines share once, then a table of what each has of its own, then the properties of each
//! appliance.

use std::collections::HashMap;
use std::fmt::Write as _;

use anstyle::Style;
use comfy_table::{ColumnConstraint, ContentArrangement, LineStyle, Table, TableStyle};
use impostazione_core::views::review::{
    Review, ReviewedAccount, ReviewedDnsFor, ReviewedHashing, ReviewedHost, ReviewedLink, ReviewedMachine,
    ReviewedProperty, ReviewedSsh, ReviewedValue, ValueOrigin,
};
use impostazione_text::visible::harmless;

use super::counts::count;
use super::link_words::link_words;

const STRONG: Style = Style::new().bold();

/// A setting that machines may share; nothing for a machine that has no such setting.
struct Shared {
    title: &'static str,
    get: fn(&ReviewedMachine) -> Option<ReviewedValue>,
    /// What is not worth a word where all have it.
    unsaid: Option<&'static str>,
}

const SHARED: [Shared; 16] = [
    Shared { title: "domain", get: |machine| Some(machine.domain.clone()), unsaid: None },
    Shared { title: "name servers", get: |machine| Some(machine.dns.clone()), unsaid: None },
    Shared {
        title: "special names",
        get: |machine| Some(dns_for_words(&machine.host.as_ref()?.dns_for)),
        unsaid: Some(""),
    },
    Shared { title: "search", get: |machine| Some(machine.search.clone()), unsaid: None },
    Shared {
        title: "other look-ups",
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

/// Domains with name servers of their own, and these.
pub(super) fn dns_for_words(special: &[ReviewedDnsFor]) -> ReviewedValue {
    words(special.iter().map(|one| format!("{} at {}", one.domain, one.servers.join(", "))).collect())
}

/// The switches of look-ups that ask everybody on a link, those that the sheet sets.
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
        (ssh.host_key, "a host key made beforehand"),
    ];
    words(ways.into_iter().filter(|(is_so, _)| *is_so).map(|(_, text)| text.to_owned()).collect())
}

fn hashing_words(hashing: ReviewedHashing) -> ReviewedValue {
    word(&match (hashing.algorithm, hashing.cost) {
        ("yescrypt", 5) => "yescrypt".to_owned(),
        ("yescrypt", cost) => format!("yescrypt at cost {cost}"),
        (_, rounds) => format!("SHA-512, {rounds} rounds"),
    })
}

/// A login, and what opens it beside a key.
fn account(account: &ReviewedAccount) -> String {
    let how = match (account.ssh_keys > 0, account.password, account.change_at_first_login) {
        (_, false, _) => "",
        (true, true, false) => " (key, password)",
        (true, true, true) => " (key, password to be changed)",
        (false, true, false) => " (password)",
        (false, true, true) => " (password to be changed)",
    };
    format!("{}{how}", account.name)
}

/// The whole review.
pub(crate) fn show_review(review: &Review, width: usize) -> String {
    let mut text = String::new();
    let hosts = review.machines.iter().filter(|machine| machine.kind == "host").count();
    let appliances = review.machines.len() - hosts;
    let counted = match (hosts, appliances) {
        (hosts, 0) => count(hosts, "host", "hosts"),
        (0, appliances) => count(appliances, "appliance", "appliances"),
        (hosts, appliances) => {
            format!("{}, {}", count(hosts, "host", "hosts"), count(appliances, "appliance", "appliances"))
        }
    };
    let site = harmless(review.site.as_deref().unwrap_or("This site"));
    // Writing to a String does not fail.
    let _ = writeln!(text, "{STRONG}{site}{STRONG:#}: {counted}\n");
    let usual: Vec<Option<ReviewedValue>> =
        SHARED.iter().map(|shared| most_frequent(&review.machines, shared)).collect();
    let _ = writeln!(text, "Every machine, where the table does not say otherwise:");
    for (shared, value) in SHARED.iter().zip(&usual) {
        if let Some(value) = value.as_ref().filter(|value| !shared.is_unsaid(value)) {
            let _ = writeln!(text, "  {:14} {}", shared.title, stated(value, ", "));
        }
    }
    let _ = writeln!(text, "\n{}", machines_table(&review.machines, width));
    if let Some(table) = table_of_own(&review.machines, &usual, width) {
        let _ = writeln!(text, "\n{table}");
    }
    for machine in review.machines.iter().filter(|machine| !machine.properties.is_empty()) {
        let of_what = match &machine.package {
            Some(package) => format!("gives {} these properties:", harmless(package)),
            None => "is typed this at its console:".to_owned(),
        };
        let _ = writeln!(
            text,
            "\n{STRONG}{}{STRONG:#} {of_what}\n{}",
            harmless(&machine.name),
            properties_table(&machine.properties, width, true)
        );
    }
    text
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
    table.set_header(["machine", "link", "subnet", "address", "gateway", "accounts, package"]);
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
                    (None, None) => "?".to_owned(),
                }]
            }),
            column(&addresses_of),
            column(&gateways_of),
            match &machine.package {
                Some(package) => harmless(package.rsplit('/').next().unwrap_or(package)),
                None if machine.kind == "appliance" => "?".to_owned(),
                None if machine.accounts.is_empty() => "nobody".to_owned(),
                None => machine.accounts.iter().map(account).collect::<Vec<String>>().join(", "),
            },
        ]);
    }
    // Names and addresses stay whole; what is free to wrap is the rest.
    let whole = (0..5).map(|_| ColumnConstraint::ContentWidth);
    table.set_constraints(whole);
    trimmed(&table)
}

/// What machines have that most others do not, or nothing.
fn table_of_own(
    machines: &[ReviewedMachine],
    usual: &[Option<ReviewedValue>],
    width: usize,
) -> Option<String> {
    let mut table = new_table(width);
    table.set_header(["machine", "what it has of its own"]);
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
    table.set_constraints([ColumnConstraint::ContentWidth]);
    (table.row_count() > 0).then(|| trimmed(&table))
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
        "{STRONG}{}{STRONG:#} is told this:\n{}\n",
        harmless(name),
        properties_table(properties, width, false)
    )
}

fn properties_table(properties: &[ReviewedProperty], width: usize, has_origin: bool) -> String {
    let mut table = new_table(width);
    let is_wrong = properties.iter().any(|property| !property.findings.is_empty());
    let columns = [true, true, true, has_origin, is_wrong];
    let chosen = |cells: [String; 5]| {
        cells.into_iter().zip(columns).filter_map(|(cell, is_shown)| is_shown.then_some(cell))
    };
    table.set_header(chosen(["property", "value", "which is", "from", "what is wrong"].map(str::to_owned)));
    for property in properties {
        let value = match &property.value {
            None => "(not shown)".to_owned(),
            Some(value) if value.is_empty() => "(empty)".to_owned(),
            Some(value) => harmless(value),
        };
        let from = match property.from {
            ValueOrigin::Answer => "answer",
            ValueOrigin::Taken => "taken",
            ValueOrigin::Secret => "secret",
            ValueOrigin::Meaning => "its meaning",
            ValueOrigin::Default => "default",
            ValueOrigin::Package => "package",
            ValueOrigin::Unanswered => "nowhere",
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
    // What a person looks for stays whole.
    table.set_constraints([ColumnConstraint::ContentWidth]);
    trimmed(&table)
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
        ReviewedValue::Unreadable => "?".to_owned(),
    }
}

pub(super) fn new_table(width: usize) -> Table {
    let mut table = Table::new();
    // A line below the header only, so that addresses are easy to select.
    let rule = LineStyle::none().fill(if super::screen::shows_unicode() { '─' } else { '-' });
    table.load_style(TableStyle::new().header_separator(rule));
    table.set_content_arrangement(ContentArrangement::Dynamic);
    table.set_width(u16::try_from(width).unwrap_or(u16::MAX));
    table
}

/// Without the spaces that fill lines up to the table's width.
pub(super) fn trimmed(table: &Table) -> String {
    table.lines().map(|line| line.trim_end().to_owned()).collect::<Vec<_>>().join("\n")
}
