//! Rules on DNS servers and time servers.

use impostazione_net::Family;
use impostazione_text::Stated;

use super::check::Check;
use super::judge::Judge;
use super::set_apart::is_global;
use super::told;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Choices, Machine, TimeServer, TimeService};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&DNS_MISSING, check_dns_missing),
    Check::new(&DNS_DUPLICATE, check_dns_duplicate),
    Check::new(&DNS_FAMILY_MISMATCH, check_dns_family),
    Check::new(&NTP_MISSING, check_ntp_missing),
    Check::new(&NTP_DUPLICATE, check_ntp_duplicate),
    Check::new(&NTP_NAME_NEEDS_DNS, check_ntp_name),
    Check::new(&DNS_ONLY_ONE, check_dns_one),
    Check::new(&DNS_TOO_MANY, check_dns_many),
    Check::new(&DNS_IS_SELF, check_dns_self),
    Check::new(&DNS_FOR_CONFLICT, check_two_sets),
    Check::new(&DNS_PUBLIC, check_dns_public),
    Check::new(&NTP_TOO_FEW, check_ntp_few),
    Check::new(&NTP_IS_SELF, check_ntp_self),
    Check::new(&NTP_KEY_MISSING, check_ntp_key),
];

/// No word on DNS servers.
static DNS_MISSING: Rule = Rule {
    name: "dns-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has no DNS server, and the sheet does not say that this is intended",
    explanation: "A machine without a DNS server cannot look up names: no updates, no time servers by name. If that \
        is intended, write dns = \"none\". An empty list is not allowed.",
    wrong: "[common]\ndns = []\n",
    right: "[common]\ndns = \"none\"\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A DNS server twice.
static DNS_DUPLICATE: Rule = Rule {
    name: "dns-duplicate",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a DNS server is listed twice",
    explanation: "Listing a server twice does not help when it is down. Usually a digit should have been changed \
        after copying.",
    wrong: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.53\"]\n",
    right: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// DNS servers that cannot be reached.
static DNS_FAMILY_MISMATCH: Rule = Rule {
    name: "dns-family-mismatch",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has no address of the family of its DNS servers",
    explanation: "A machine with only IPv4 addresses cannot reach a DNS server with an IPv6 address, and the other \
        way round. At least one server must be of a family in which the machine has an address.",
    wrong: "[common]\ndns = [\"fd64:10::53\", \"fd64:10::54\"]\n",
    right: "[common]\ndns = [\"fd64:10::53\", \"10.64.10.53\"]\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A time server whose name nobody can look up.
static NTP_NAME_NEEDS_DNS: Rule = Rule {
    name: "ntp-name-needs-dns",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a time server is given by name, and the machine has no DNS server",
    explanation: "Without a DNS server the machine cannot look up a time server by name, and its clock is never set. \
        Write the time server's address.",
    wrong: "[common]\ndns = \"none\"\nntp = [\"clock.capovetro.example\", \"none\"]\n",
    right: "[common]\ndns = \"none\"\nntp = [\"10.64.10.121\", \"none\"]\n",
    ..Rule::PLAIN
};

/// No word on time servers.
static NTP_MISSING: Rule = Rule {
    name: "ntp-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has no time server, and the sheet does not say that this is intended",
    explanation: "Without a time server the clock drifts, and small boards start in the past, so certificates are \
        refused. If that is intended, write ntp = \"none\". An empty list is not allowed.",
    wrong: "[common]\nntp = []\n",
    right: "[common]\nntp = \"none\"\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A single DNS server.
static DNS_ONLY_ONE: Rule = Rule {
    name: "dns-only-one",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a machine has only one DNS server",
    explanation: "While that server is down, the machine cannot look up names. If there is no second server, write \
        \"none\" as the last item of the list.",
    wrong: "[common]\ndns = [\"10.64.10.53\"]\n",
    right: "[common]\ndns = [\"10.64.10.53\", \"none\"]\n",
    ..Rule::PLAIN
};

/// More DNS servers than are asked.
static DNS_TOO_MANY: Rule = Rule {
    name: "dns-too-many",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a machine has more than three DNS servers",
    explanation: "Programs that read resolv.conf use at most three DNS servers (resolv.conf(5), MAXNS) and never the \
        others. More servers only make failed lookups slower.",
    wrong: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.54\", \"10.64.10.55\", \"10.64.10.56\"]\n",
    right: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.54\", \"10.64.10.55\"]\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A server that asks itself.
static DNS_IS_SELF: Rule = Rule {
    name: "dns-is-self",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a DNS server of the site uses only itself",
    explanation: "A DNS server that uses only itself has no DNS until its own service is up, which may need DNS to \
        start. Give it another server as the second.",
    wrong: "[common]\ndns = [\"10.64.10.53\", \"none\"]\n[[host]]\nname = \"gauge-01\"\nserves = [\"dns\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.53\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nserves = [\"dns\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.53\" }\n",
    ..Rule::PLAIN
};

/// Domains that cannot be told apart.
static DNS_FOR_CONFLICT: Rule = Rule {
    name: "dns-for-conflict",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "two domains with different DNS servers are reached over the same link",
    explanation: "A link has one set of DNS servers, which is used for all its domains. With two domains in dns_for \
        over the same link, both sets of servers would be asked for both domains. Put the servers in subnets of \
        different links, or use the same servers for both.",
    wrong: "[common]\ndns_for = { \"crane.example\" = [\"10.64.10.98\"], \"mole.example\" = [\"10.64.10.99\"] }\n",
    right: "[common]\ndns_for = { \"crane.example\" = [\"10.64.10.98\"], \"mole.example\" = [\"10.64.10.98\"] }\n",
    ..Rule::PLAIN
};

/// Names that nobody outside knows.
static DNS_PUBLIC: Rule = Rule {
    name: "dns-public",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "names of the site are looked up only at public DNS servers",
    explanation: "Public DNS servers do not know the names inside a site, and learn which ones are looked up. A \
        machine with search domains should use a DNS server of the site.",
    wrong: "[common]\nsearch = [\"capovetro.example\"]\ndns = [\"9.9.9.9\", \"149.112.112.112\"]\n",
    right: "[common]\nsearch = [\"capovetro.example\"]\ndns = [\"10.64.10.53\", \"9.9.9.9\"]\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A clock twice.
static NTP_DUPLICATE: Rule = Rule {
    name: "ntp-duplicate",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a time server is listed twice",
    explanation: "The second entry adds nothing: if the server is wrong, both are, and they outvote a right one. \
        Probably another server was intended.",
    wrong: "[common]\nntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.121\"]\n",
    right: "[common]\nntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]\n",
    ..Rule::PLAIN
};

/// Too few clocks to tell which is wrong.
static NTP_TOO_FEW: Rule = Rule {
    name: "ntp-too-few",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a machine has one or two time servers",
    explanation: "One time server may fail or be wrong, and of two that disagree nobody can tell which is right; \
        three can outvote one (RFC 8633, section 3.2). A name for several servers (a pool) counts as one here. If \
        there are no more servers, write \"none\" as the last item of the list.",
    wrong: "[common]\nntp = [\"10.64.10.121\", \"10.64.10.122\"]\n",
    right: "[common]\nntp = [\"10.64.10.121\", \"10.64.10.122\", \"none\"]\n",
    ..Rule::PLAIN
};

/// A clock that is set by itself.
static NTP_IS_SELF: Rule = Rule {
    name: "ntp-is-self",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a time server of the site uses itself",
    explanation: "A time server with its own address in its list trusts its own clock. Write ntp on this machine, \
        with the servers that it gets the time from.",
    wrong: "[[host]]\nname = \"gauge-01\"\nserves = [\"ntp\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.121\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nserves = [\"ntp\"]\nntp = [\"10.64.10.122\", \"10.64.10.123\", \"clock.capovetro.example\"]\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.121\" }\n",
    ..Rule::PLAIN
};

/// A key that is not there, or not used.
static NTP_KEY_MISSING: Rule = Rule {
    name: "ntp-key-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a time server has a key that is missing or cannot be used",
    explanation: "`key` of a time server names a [time_key.NAME] table. Only chrony checks time keys: timesyncd \
        would accept the answers unchecked.",
    wrong: "[common]\ntime_service = \"chrony\"\nntp = [{ server = \"10.64.10.121\", key = \"harbor\" }, \"10.64.10.122\", \"10.64.10.123\"]\n",
    right: "[common]\ntime_service = \"chrony\"\nntp = [{ server = \"10.64.10.121\", key = \"harbor\" }, \"10.64.10.122\", \"10.64.10.123\"]\n[time_key.harbor]\nnumber = 10\nvalue = { secret = \"harbor-clock\" }\n[secret.harbor-clock]\nfrom = \"file\"\npath = \"harbor-clock.secret\"\n",
    ..Rule::PLAIN
};

/// Reports each list that is missing or empty once: at `[common]`'s list where that is to blame for several machines.
fn check_list<T>(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    key: &str,
    what: &str,
    example: &str,
    list_of: impl Fn(&Machine) -> &Stated<std::sync::Arc<Choices<T>>>,
) {
    let site = judge.site;
    let fix = format!("write {example}, or {key} = \"none\" if there should be none");
    let lacking: Vec<&Machine> =
        site.machines.iter().filter(|machine| list_of(machine).is_absent()).collect();
    if let [first, others @ ..] = lacking.as_slice() {
        let message = match others.len() {
            0 => format!("{} has no {what}.", first.called()),
            1 => format!("{} and 1 more machine have no {what}.", first.called()),
            more => format!("{} and {more} more machines have no {what}.", first.called()),
        };
        let fix = format!(
            "write {example} in [common] or on the machine, or {key} = \"none\" if there should be none"
        );
        judge.on_machine(rule, first, first.place, message, fix);
    }
    let mut reported = Vec::new();
    for machine in &site.machines {
        let Some(list) = list_of(machine).value().filter(|list| list.is_empty()) else { continue };
        if !reported.contains(&list.place) {
            reported.push(list.place);
            judge.on_sheet(rule, list.place, format!("The list `{key}` is empty."), fix.clone());
        }
    }
}

fn check_dns_missing(judge: &mut Judge<'_>) {
    check_list(judge, &DNS_MISSING, "dns", "DNS server", "dns = [\"10.64.10.53\"]", |machine| {
        &machine.settings.dns
    });
}

fn check_ntp_missing(judge: &mut Judge<'_>) {
    check_list(judge, &NTP_MISSING, "ntp", "time server", "ntp = [\"10.64.10.121\"]", |machine| {
        &machine.settings.ntp
    });
}

fn check_dns_duplicate(judge: &mut Judge<'_>) {
    told::servers::check_dns_duplicate(judge, &DNS_DUPLICATE);
    let site = judge.site;
    for machine in &site.machines {
        let special = machine.settings.dns_for.iter().map(|special| &*special.servers);
        let lists = machine.settings.dns.value().map(|list| &**list).into_iter().chain(special);
        let servers = lists
            .flat_map(|list| list.items.iter().enumerate().map(move |(index, server)| (list, index, server)));
        for (list, index, server) in servers {
            if list.items.iter().take(index).any(|earlier| earlier.value == server.value) {
                judge.on_setting(
                    &DNS_DUPLICATE,
                    machine,
                    list.place,
                    server.place,
                    format!("The DNS server {} is already in this list.", server.value),
                    judge.say(
                        "write another server, or remove it; \"none\" as the last item says that there are no more",
                        "write another server, or remove it",
                    ),
                );
            }
        }
    }
}

fn check_ntp_duplicate(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(list) = machine.settings.ntp.value() else { continue };
        for (index, server) in list.items.iter().enumerate() {
            if list.items.iter().take(index).any(|earlier| earlier.value.server == server.value.server) {
                judge.on_setting(
                    &NTP_DUPLICATE,
                    machine,
                    list.place,
                    server.place,
                    format!("The time server {} is already in this list.", server.value.server),
                    "write another server, or remove it",
                );
            }
        }
    }
}

fn check_dns_family(judge: &mut Judge<'_>) {
    told::servers::check_dns_family(judge, &DNS_FAMILY_MISMATCH);
    let site = judge.site;
    for machine in &site.machines {
        let Some(list) = machine.settings.dns.value().filter(|list| !list.has_faulty_items) else { continue };
        let has_address = |family: Family| machine.links.iter().any(|link| link.has_family(family));
        let is_in_doubt = machine.links.iter().any(|link| {
            Family::BOTH.into_iter().any(|family| matches!(link.choice_in(family), Stated::Faulty))
        });
        let has_any = Family::BOTH.into_iter().any(has_address);
        let Some(first) = list.items.first().filter(|_| has_any && !is_in_doubt) else { continue };
        if list.values().any(|server| has_address(Family::of(*server))) {
            continue;
        }
        let (of_servers, of_machine) = match Family::of(first.value) {
            Family::V4 => (Family::V4, Family::V6),
            Family::V6 => (Family::V6, Family::V4),
        };
        judge.on_machine(
            &DNS_FAMILY_MISMATCH,
            machine,
            first.place,
            format!(
                "The DNS servers have {} addresses, but the machine has only {} addresses.",
                of_servers.name(),
                of_machine.name()
            ),
            format!(
                "add a DNS server with an {} address, or an {} address to the machine",
                of_machine.name(),
                of_servers.name()
            ),
        );
    }
}

fn check_ntp_name(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let settings = &machine.settings;
        let (Some(dns), Some(ntp)) = (settings.dns.value(), settings.ntp.value()) else { continue };
        if !dns.is_declined() {
            continue;
        }
        for server in &ntp.items {
            if let TimeServer::Name(name) = &server.value.server {
                judge.on_setting(
                    &NTP_NAME_NEEDS_DNS,
                    machine,
                    ntp.place,
                    server.place,
                    format!(
                        "The time server {name} is given by name, but there is no DNS server to look it up."
                    ),
                    "write the server's address, or add a DNS server",
                );
            }
        }
    }
}

fn check_dns_one(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let Some(list) = machine.settings.dns.value() else { continue };
        let [only] = list.items.as_slice() else { continue };
        if list.ends_with_none || list.has_faulty_items {
            continue;
        }
        judge.on_setting(
            &DNS_ONLY_ONE,
            machine,
            list.place,
            only.place,
            format!("{} is the only DNS server.", only.value),
            format!("add a second, or write [\"{}\", \"none\"] if there is none", only.value),
        );
    }
}

fn check_dns_many(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let Some(list) = machine.settings.dns.value() else { continue };
        let Some(fourth) = list.items.get(3) else { continue };
        judge.on_setting(
            &DNS_TOO_MANY,
            machine,
            list.place,
            fourth.place,
            format!("The list has {} DNS servers, but only three are used.", list.items.len()),
            "keep the three nearest",
        );
    }
}

fn check_dns_self(judge: &mut Judge<'_>) {
    for machine in judge.site.machines.iter().filter(|machine| machine.serves.dns) {
        let Some(list) = machine.settings.dns.value().filter(|list| !list.has_faulty_items) else { continue };
        let Some(first) = list.items.first() else { continue };
        if list.values().all(|server| server.is_loopback() || is_own(machine, *server)) {
            judge.on_machine(
                &DNS_IS_SELF,
                machine,
                first.place,
                format!("{} is a DNS server, and {} is its own address.", machine.called(), first.value),
                "write dns on this machine, with another server in the list",
            );
        }
    }
}

fn is_own(machine: &Machine, address: std::net::IpAddr) -> bool {
    machine.links.iter().flat_map(crate::machine::Link::addresses).any(|found| found.address.value == address)
}

fn check_two_sets(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in site.machines.iter().filter(|machine| machine.host().is_some()) {
        let special = &machine.settings.dns_for;
        for (index, one) in special.iter().enumerate() {
            let servers: Vec<_> = one.servers.values().collect();
            let rival = special.iter().take(index).find(|other| {
                let same_link = match (
                    site.link_towards(machine, &one.servers),
                    site.link_towards(machine, &other.servers),
                ) {
                    (Some(a), Some(b)) => std::ptr::eq(a, b),
                    _ => false,
                };
                same_link && other.servers.values().collect::<Vec<_>>() != servers
            });
            let Some(rival) = rival else { continue };
            let link = site.link_towards(machine, &one.servers).map_or("", |link| link.name.value.as_str());
            judge.on_setting(
                &DNS_FOR_CONFLICT,
                machine,
                one.servers.place,
                one.domain.place,
                format!(
                    "{} and {} have different DNS servers, but both are reached over {link}.",
                    rival.domain.value, one.domain.value
                ),
                "write the same servers for both, or put them in subnets of different links",
            );
        }
    }
}

fn check_dns_public(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let settings = &machine.settings;
        let has_names = settings.search.value().is_some_and(|list| !list.items.is_empty());
        let Some(list) = settings.dns.value().filter(|list| has_names && !list.has_faulty_items) else {
            continue;
        };
        let Some(first) = list.items.first() else { continue };
        // A site with public addresses may have public servers of its own.
        let is_of_site = |address: &std::net::IpAddr| {
            site.subnets.iter().any(|subnet| {
                subnet.family(Family::of(*address)).is_some_and(|side| side.prefix.value.contains(address))
            })
        };
        if list.values().all(|server| is_global(*server) && !is_of_site(server)) {
            judge.on_setting(
                &DNS_PUBLIC,
                machine,
                list.place,
                first.place,
                format!(
                    "{} and all others in the list are public DNS servers, but there are search domains.",
                    first.value
                ),
                judge.say(
                    "put a DNS server of the site first, or write search = \"none\" if the site has no names of its \
                        own",
                    "put a DNS server of the site first, or remove the search domain if the site has no names of its \
                        own",
                ),
            );
        }
    }
}

fn check_ntp_few(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let Some(list) = machine.settings.ntp.value() else { continue };
        if list.ends_with_none || list.has_faulty_items || !(1..=2).contains(&list.items.len()) {
            continue;
        }
        let Some(last) = list.items.last() else { continue };
        let message = if list.items.len() == 1 {
            format!("{} is the only time server.", last.value)
        } else {
            "Of two time servers that disagree, nobody can tell which is right.".to_owned()
        };
        judge.on_setting(
            &NTP_TOO_FEW,
            machine,
            list.place,
            last.place,
            message,
            "write three or more, or \"none\" as the last item if there are no more",
        );
    }
}

fn check_ntp_self(judge: &mut Judge<'_>) {
    for machine in judge.site.machines.iter().filter(|machine| machine.serves.ntp) {
        let Some(list) = machine.settings.ntp.value() else { continue };
        for server in &list.items {
            let TimeServer::Address(address) = server.value.server else { continue };
            if is_own(machine, address) {
                judge.on_machine(
                    &NTP_IS_SELF,
                    machine,
                    server.place,
                    format!(
                        "{} is a time server, and would set its clock by {address}, which is itself.",
                        machine.called()
                    ),
                    "write ntp on this machine, with the servers that it gets the time from",
                );
            }
        }
    }
}

fn check_ntp_key(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in site.machines.iter().filter(|machine| machine.host().is_some()) {
        let Some(list) = machine.settings.ntp.value() else { continue };
        for key in list.items.iter().filter_map(|item| item.value.key.as_ref()) {
            let known = || site.time_keys.iter().map(|key| key.name.value.as_str());
            let (message, fix) = if !known().any(|name| name == key.value) {
                let fix = match impostazione_text::nearest(&key.value, known(), 1).first() {
                    Some(close) => format!("write key = \"{close}\""),
                    None => format!("add a table [time_key.{}] with number and value", key.value),
                };
                (format!("The sheet has no time key \"{}\".", key.value), fix)
            } else if machine.settings.time_service() != TimeService::Chrony {
                (
                    format!("timesyncd does not use the key \"{}\".", key.value),
                    "write time_service = \"chrony\", or the server alone".to_owned(),
                )
            } else {
                continue;
            };
            judge.on_setting(&NTP_KEY_MISSING, machine, list.place, key.place, message, fix);
        }
    }
}
