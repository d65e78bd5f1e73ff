//! Rules on what a machine can reach: its servers, and all that lies outside its own subnets.

use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};
use std::net::IpAddr;
use std::sync::Arc;

use impostazione_net::Family;
use impostazione_text::{Place, Stated};

use super::check::Check;
use super::judge::Judge;
use super::set_apart::{is_global, is_private};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Gateway, Ipv6Mode, Link, Machine, ServerMention, Settings, Site};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&SERVER_UNREACHABLE, check_unreachable),
    Check::new(&SERVERS_LEFT_BEHIND, check_left_behind),
    Check::new(&GATEWAY_UNUSED, check_unused),
    Check::new(&SERVER_BEYOND_PUBLIC_GATEWAY, check_beyond_public),
];

/// A server behind a router that there is not.
static SERVER_UNREACHABLE: Rule = Rule {
    name: "server-unreachable",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a machine has no route to a server that it uses",
    explanation: "A server outside a machine's own subnets is reached through a router. A machine without a default \
        route, and without a route to the server's network, waits for answers that never come. Write a server in one \
        of its subnets, or add a route or a default route.",
    wrong: "[[host]]\nname = \"gauge-01\"\ndns = [\"10.64.20.53\", \"10.64.20.54\"]\nlink.eth0 = { subnet = \"islet\", address = \"10.64.30.11\" }\n[subnet.islet]\nprefix = \"10.64.30.0/24\"\ngateway = \"none\"\n",
    right: "[[host]]\nname = \"gauge-01\"\ndns = [\"10.64.30.53\", \"10.64.30.54\"]\nntp = \"none\"\nlink.eth0 = { subnet = \"islet\", address = \"10.64.30.11\" }\n[subnet.islet]\nprefix = \"10.64.30.0/24\"\ngateway = \"none\"\n",
    ..Rule::PLAIN
};

/// A server that stayed where the subnet was.
static SERVERS_LEFT_BEHIND: Rule = Rule {
    name: "servers-left-behind",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "one server of a list is in no subnet of the sheet, while others are",
    explanation: "When a subnet moves to another prefix, a server with an old address is easily forgotten. This \
        finds a private address that is in no subnet of the sheet, in a list whose other servers are. If the server \
        really is in a network that the sheet does not have, waive the rule.",
    wrong: "[common]\ndns = [\"10.64.10.53\", \"10.96.10.54\"]\n",
    right: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n",
    ..Rule::PLAIN
};

/// A way out that is not taken.
static GATEWAY_UNUSED: Rule = Rule {
    name: "gateway-unused",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a machine's subnets have gateways, but it has no default route",
    explanation: "With default_route = false on every link a machine reaches only its own subnets and the networks \
        of its routes, and no other network reaches it. Remove default_route from the link with the right gateway. \
        If the machine should be isolated, waive the rule.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", default_route = false }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// A private server from a public subnet.
static SERVER_BEYOND_PUBLIC_GATEWAY: Rule = Rule {
    name: "server-beyond-public-gateway",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a machine in a public subnet asks a private server that is in none of its subnets",
    explanation: "The router of a public subnet does not pass packets on to private addresses (RFC 1918, RFC 4193), so \
        the server never answers. Usually the machine has the servers of the private site from [common]: give its subnet \
        servers of its own. If there is a way, such as a tunnel, write a route on the link, or waive the rule.",
    wrong: "[subnet.rented]\nprefix = \"172.64.30.0/24\"\ngateway = \"172.64.30.1\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"rented\", address = \"172.64.30.11\" }\n[[waiver]]\nrule = \"prefix-not-private\"\nreason = \"rented\"\nuntil = 2099-06-30\n",
    right: "[subnet.rented]\nprefix = \"172.64.30.0/24\"\ngateway = \"172.64.30.1\"\ndns = [\"172.64.31.53\", \"172.64.31.54\"]\nntp = \"none\"\n[[host]]\nname = \"gauge-01\"\nsearch = \"none\"\nlink.eth0 = { subnet = \"rented\", address = \"172.64.30.11\" }\n[[waiver]]\nrule = \"prefix-not-private\"\nreason = \"rented\"\nuntil = 2099-06-30\n",
    ..Rule::PLAIN
};

/// Whether something about a machine's links could not be read, so that nothing can be said of its ways.
fn is_in_doubt(machine: &Machine) -> bool {
    machine.links.iter().any(|link| {
        matches!(link.subnet, Stated::Faulty)
            || Family::BOTH.into_iter().any(|family| matches!(link.choice_in(family), Stated::Faulty))
    })
}

/// The sides of a link's subnet in a family in which the link has an address.
fn side<'a>(site: &'a Site, link: &Link, family: Family) -> Option<&'a crate::machine::SubnetFamily> {
    site.subnet_of(link)?.family(family).filter(|_| link.has_family(family))
}

/// Whether a machine has a default route in a family, or may have one that is not known here.
fn may_lead_out(site: &Site, machine: &Machine, family: Family) -> bool {
    // A gateway that is missing has a finding of its own.
    let leads = |link: &Link| {
        side(site, link, family).is_some_and(|side| match &side.gateway {
            Stated::Value(Gateway::At(_)) => link.default_route,
            Stated::Value(Gateway::Declined) => false,
            Stated::Absent | Stated::Faulty => true,
        })
    };
    let advertised = family == Family::V6 && machine.settings.ipv6() == Ipv6Mode::Auto;
    advertised || machine.links.iter().any(leads)
}

fn is_reached(site: &Site, machine: &Machine, server: IpAddr) -> bool {
    let family = Family::of(server);
    machine.links.iter().any(|link| {
        side(site, link, family).is_some_and(|side| side.prefix.value.contains(&server))
            || link.addresses().any(|own| own.address.value == server)
            || link.routes().iter().any(|route| route.to.value.contains(&server))
    })
}

fn check_unreachable(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in site.machines.iter().filter(|machine| !is_in_doubt(machine)) {
        let mut lists: Vec<Place> = Vec::new();
        for server in machine.settings.servers() {
            let family = Family::of(server.address);
            let has_family = machine.links.iter().any(|link| side(site, link, family).is_some());
            let is_known = lists.contains(&server.list);
            if is_known
                || !has_family
                || server.address.is_loopback()
                || may_lead_out(site, machine, family)
                || is_reached(site, machine, server.address)
            {
                continue;
            }
            lists.push(server.list);
            let kind = word(server);
            judge.on_machine(
                &SERVER_UNREACHABLE,
                machine,
                server.place,
                format!(
                    "{} has no route to the {kind} {}: it is in none of its subnets, and there is no default route.",
                    machine.called(),
                    server.address
                ),
                format!(
                    "write a {kind} in one of its subnets, or a route on a link, as in routes = [{{ to = \"{}\", via = \"…\" }}]",
                    server.address
                ),
            );
        }
    }
}

fn word(server: ServerMention) -> &'static str {
    server.word()
}

fn check_left_behind(judge: &mut Judge<'_>) {
    let site = judge.site;
    let of_pools = site.pools.iter().flat_map(|pool| pool.prefixes.iter().map(|prefix| prefix.value));
    let routes = site.machines.iter().flat_map(|machine| &machine.links).flat_map(Link::routes);
    let elsewhere: Vec<_> = of_pools.chain(routes.map(|route| route.to.value)).collect();
    // The same few servers are asked by machine after machine.
    let known: RefCell<HashMap<IpAddr, bool>> = RefCell::default();
    let is_of_sheet = |address: IpAddr| {
        *known.borrow_mut().entry(address).or_insert_with(|| {
            site.subnets.iter().any(|subnet| {
                subnet.family(Family::of(address)).is_some_and(|side| side.prefix.value.contains(&address))
            })
        })
    };
    let is_in_doubt = site
        .subnets
        .iter()
        .any(|subnet| matches!(subnet.v4, Stated::Faulty) || matches!(subnet.v6, Stated::Faulty));
    if is_in_doubt {
        return;
    }
    let mut shared: Option<&Arc<Settings>> = None;
    for machine in &site.machines {
        // What machines share was looked at with the first of them.
        if shared.is_some_and(|settings| Arc::ptr_eq(settings, &machine.settings)) {
            continue;
        }
        shared = Some(&machine.settings);
        let servers: Vec<ServerMention> = machine.settings.servers().collect();
        for server in &servers {
            let others = || {
                servers.iter().filter(|other| {
                    other.list == server.list
                        && Family::of(other.address) == Family::of(server.address)
                        && other.place != server.place
                })
            };
            let is_left = is_private(server.address)
                && !is_of_sheet(server.address)
                && !elsewhere.iter().any(|network| network.contains(&server.address))
                && others().any(|other| is_of_sheet(other.address));
            if is_left {
                judge.on_setting(
                    &SERVERS_LEFT_BEHIND,
                    machine,
                    server.list,
                    server.place,
                    format!(
                        "The {} {} is in no subnet of the sheet, while others in the list are.",
                        word(*server),
                        server.address
                    ),
                    "write its current address, or add its subnet to the sheet",
                );
            }
        }
    }
}

fn check_unused(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in site.machines.iter().filter(|machine| !is_in_doubt(machine)) {
        let with_gateway =
            |link: &&Link| Family::BOTH.into_iter().any(|family| site.gateway_of(link, family).is_some());
        let leads_out = |link: &Link| {
            let has_table = link.options.as_ref().is_some_and(|options| options.routing_table.is_some());
            has_table
                || Family::BOTH.into_iter().any(|family| site.default_gateway(link, family).is_some())
                || link.routes().iter().any(|route| route.to.value.prefix_len() == 0)
        };
        let Some(link) = machine.links.iter().find(with_gateway) else { continue };
        let may_have_another = Family::BOTH.into_iter().any(|family| may_lead_out(site, machine, family));
        if machine.links.iter().any(leads_out) || may_have_another {
            continue;
        }
        judge.on_machine(
            &GATEWAY_UNUSED,
            machine,
            link.name.place,
            format!("{} has links in subnets with a gateway, but no default route.", machine.called()),
            format!(
                "remove default_route = false from {}, or from the link with the right gateway",
                link.name.value
            ),
        );
    }
}

/// A server of a list, and the machines that ask it for nothing.
struct BeyondPublic<'a> {
    server: ServerMention,
    subnet: &'a str,
    machines: Vec<&'a Machine>,
}

fn check_beyond_public(judge: &mut Judge<'_>) {
    let site = judge.site;
    // By the list's place and the subnet, in the order of the sheet.
    let mut found: BTreeMap<(Place, &str), BeyondPublic<'_>> = BTreeMap::new();
    for machine in site.machines.iter().filter(|machine| !is_in_doubt(machine)) {
        for server in machine.settings.servers().filter(|server| is_private(server.address)) {
            let family = Family::of(server.address);
            let leads_out = |link: &&Link| site.default_gateway(link, family).is_some();
            let Some(link) = machine.links.iter().find(leads_out) else { continue };
            let is_public = link.address_in(family).is_some_and(|own| is_global(own.address.value));
            if !is_public || is_reached(site, machine, server.address) {
                continue;
            }
            let Some(subnet) = site.subnet_of(link).map(|subnet| subnet.name.value.as_str()) else {
                continue;
            };
            let beyond = found.entry((server.list, subnet)).or_insert_with(|| BeyondPublic {
                server,
                subnet,
                machines: Vec::new(),
            });
            if beyond.machines.last().is_none_or(|last| !std::ptr::eq(*last, machine)) {
                beyond.machines.push(machine);
            }
        }
    }
    for BeyondPublic { server, subnet, machines } in found.into_values() {
        let Some(first) = machines.first() else { continue };
        let (kind, key) = if server.is_for_names { ("DNS", "dns") } else { ("time", "ntp") };
        judge.on_machines(
            &SERVER_BEYOND_PUBLIC_GATEWAY,
            &machines,
            server.place,
            format!(
                "The default route of {} leads through subnet {subnet}, which is public, but its {kind} server {} is \
                 private and in none of its subnets.",
                first.called(),
                server.address
            ),
            format!("write {key} in [subnet.{subnet}], with servers that it can reach from there"),
        );
    }
}
