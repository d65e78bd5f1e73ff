//! What a host should be like inside, as the sheet says it.

use std::net::IpAddr;

use impostazione_core::machine::{Ipv6Mode, Link, Machine, Renderer, Site};
use impostazione_net::Family;

/// A host, and the site that it is of.
#[derive(Clone, Copy)]
pub(super) struct Host<'a> {
    pub(super) site: &'a Site,
    pub(super) machine: &'a Machine,
}

impl Host<'_> {
    /// The addresses of a link, each with its mask.
    pub(super) fn addresses(&self, link: &Link) -> Vec<String> {
        self.site.interface_addresses(link).map(|address| address.to_string()).collect()
    }

    /// Whether the network may give it addresses and routes of IPv6.
    pub(super) fn takes_advertisements(&self) -> bool {
        self.machine.settings.ipv6() == Ipv6Mode::Auto
    }

    pub(super) fn is_by_manager(&self) -> bool {
        self.machine.settings.renderer() == Renderer::NetworkManager
    }

    /// The routes of a family but for those to its own subnets.
    pub(super) fn routes(&self, family: Family) -> Vec<String> {
        let mut routes = Vec::new();
        for link in &self.machine.links {
            let device = link.name.value.as_str();
            if let Some(via) = self.site.default_gateway(link, family) {
                routes.push(route_text("default", Some(&via.value.to_string()), device, "main"));
            }
            for route in link.routes().iter().filter(|route| Family::of(route.to.value.addr()) == family) {
                let to = route.to.value.trunc().to_string();
                routes.push(route_text(&to, Some(&route.via.value.to_string()), device, "main"));
            }
            if let (Some(table), Some(via)) = (table_of(link), self.site.gateway_of(link, family)) {
                routes.push(route_text("default", Some(&via.value.to_string()), device, &table));
            }
        }
        routes
    }

    /// The rules of routing of a family.
    pub(super) fn rules(&self, family: Family) -> Vec<String> {
        let mut rules = Vec::new();
        for link in &self.machine.links {
            let Some(table) = table_of(link) else { continue };
            if self.site.gateway_of(link, family).is_none() {
                continue;
            }
            for address in
                self.site.interface_addresses(link).filter(|found| Family::of(found.addr()) == family)
            {
                let from = address.addr().to_string();
                rules.push(rule_text(&from, Some(&address.trunc().to_string()), "main"));
                rules.push(rule_text(&from, None, &table));
            }
        }
        rules
    }

    /// The DNS servers that it asks, for whatever.
    pub(super) fn name_servers(&self) -> Vec<String> {
        let settings = &self.machine.settings;
        let general = settings.dns.value().into_iter().flat_map(|list| list.values().copied());
        let special = settings.dns_for.iter().flat_map(|one| one.servers.values().copied());
        let has_family = |address: &IpAddr| {
            let family = Family::of(*address);
            let links = &self.machine.links;
            links.iter().any(|link| link.has_family(family))
                || (family == Family::V6 && self.takes_advertisements())
        };
        // What NetworkManager would refuse is not written.
        let all = general.chain(special).filter(|address| !self.is_by_manager() || has_family(address));
        let mut servers: Vec<String> = all.map(|address| address.to_string()).collect();
        servers.sort();
        servers.dedup();
        servers
    }

    /// The domains that it searches, and, behind `~`, those with servers of their own.
    pub(super) fn domains(&self) -> Vec<String> {
        let settings = &self.machine.settings;
        let search = settings.search.value().into_iter().flat_map(|list| list.values());
        let mut domains: Vec<String> = search.map(|domain| domain.to_string().to_ascii_lowercase()).collect();
        domains
            .extend(settings.dns_for.iter().map(|one| format!("~{}", one.domain.value).to_ascii_lowercase()));
        domains.sort();
        domains.dedup();
        domains
    }

    /// The time servers that it asks.
    pub(super) fn time_servers(&self) -> Vec<String> {
        let list = self.machine.settings.ntp.value();
        let servers = list.into_iter().flat_map(|list| list.values());
        servers.map(|source| source.server.to_string()).collect()
    }
}

fn table_of(link: &Link) -> Option<String> {
    Some(link.options.as_ref()?.routing_table.as_ref()?.value.to_string())
}

/// A route as it is compared and shown.
pub(super) fn route_text(to: &str, via: Option<&str>, device: &str, table: &str) -> String {
    let via = via.map(|via| format!(" via {via}")).unwrap_or_default();
    let table = if table == "main" { String::new() } else { format!(" table {table}") };
    format!("{to}{via} dev {device}{table}")
}

/// A rule of routing as it is compared and shown.
pub(super) fn rule_text(from: &str, to: Option<&str>, table: &str) -> String {
    let to = to.map(|to| format!(" to {to}")).unwrap_or_default();
    format!("from {from}{to} lookup {table}")
}
