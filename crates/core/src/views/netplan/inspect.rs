//! What somebody else's files say, and what is wrong with them.

use std::collections::HashSet;

use impostazione_net::Family;
use impostazione_text::{Source, Sources};
use regex::Regex;
use serde::Serialize;

use super::read::{ReadHost, is_readable, read};
use super::site::NetplanExtras;
use super::wording::in_terms_of_netplan;
use crate::finding::{Finding, Redaction};
use crate::machine::Site;
use crate::machine::rules::gateway::DEFAULT_ROUTE_DUPLICATE;
use crate::rules::{self, Judge};
use crate::sheet::hidden_in_unparsed_netplan;
use crate::views::link_details::{LinkDetails, ReviewedRoute};
use crate::views::review::{ReviewedDnsFor, ReviewedLink, ReviewedValue, review};

/// Netplan files that have been read and judged.
#[derive(Debug)]
pub struct NetplanInspection {
    /// The texts that findings point into.
    pub sources: Sources,
    /// The host that they make, as a site of one machine.
    pub site: Site,
    /// What its links have beside that, in their order.
    pub extras: Vec<NetplanExtras>,
    /// What is wrong, in the order of the places.
    pub findings: Vec<Finding>,
}

/// Reads netplan files in the order in which they come, and judges the host that they make by the rules that hold for any
/// host. `name` is what messages call it.
pub fn inspect_netplan(name: &str, files: Vec<Source>) -> NetplanInspection {
    let mut sources = Sources::default();
    let ids: Vec<_> = files.into_iter().map(|file| sources.add(file)).collect();
    for id in &ids {
        let source = sources.get(*id);
        if !is_readable(*id, source) {
            let unread = hidden_in_unparsed_netplan(source.text());
            sources.mark_read(*id, Some(unread));
        }
    }
    let ReadHost { site, extras, findings } = read(name, &sources, &ids);
    let mut judge = Judge::new(&site, &[], &sources, findings);
    rules::run_on_any_host(&mut judge);
    let mut findings = judge.into_findings();
    if has_ranked_ways_out(&extras) {
        findings.retain(|finding| *finding.rule != DEFAULT_ROUTE_DUPLICATE);
    }
    let names: Vec<String> = site.subnets.iter().map(|subnet| regex::escape(&subnet.name.value)).collect();
    let networks = Regex::new(&format!(r"([Ss])ubnet ({})($|[ ,.:;(])", names.join("|")));
    let networks = networks.ok().filter(|_| !names.is_empty());
    for finding in &mut findings {
        in_terms_of_netplan(finding, networks.as_ref());
        // There is one host, and its files are named.
        finding.machine = None;
    }
    let redaction = Redaction::new(&sources);
    for finding in &mut findings {
        redaction.apply(finding);
    }
    findings.sort_by_key(|finding| finding.place);
    NetplanInspection { sources, site, extras, findings }
}

/// Whether there are several default routes of a family, each with a metric that no other has.
fn has_ranked_ways_out(extras: &[NetplanExtras]) -> bool {
    let mut seen = HashSet::new();
    extras.iter().flat_map(|extras| &extras.metrics).all(|route| seen.insert(*route))
}

impl NetplanInspection {
    /// What the files make of the host, or nothing where they could not be read.
    pub fn host(&self) -> Option<InspectedHost> {
        let machine = review(&self.site, |_| true).machines.pop()?;
        let (renderer, dns_for) =
            machine.host.map_or((None, Vec::new()), |host| (Some(host.renderer), host.dns_for));
        Some(InspectedHost {
            name: machine.name,
            renderer,
            dns_for,
            dns: machine.dns,
            search: machine.search,
            links: machine.links.into_iter().zip(&self.extras).map(InspectedLink::from).collect(),
        })
    }
}

/// A host as far as netplan files speak of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct InspectedHost {
    /// What messages call it: the path that was inspected.
    pub name: String,
    /// The program that netplan writes for.
    pub renderer: Option<&'static str>,
    /// Name servers of all its links.
    pub dns: ReviewedValue,
    /// Domains with name servers of their own.
    pub dns_for: Vec<ReviewedDnsFor>,
    /// Search domains of all its links.
    pub search: ReviewedValue,
    /// Its links.
    pub links: Vec<InspectedLink>,
}

/// One link of such a host; the fields mean what they mean in a review.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct InspectedLink {
    /// Its name.
    pub name: String,
    /// What it is.
    pub kind: &'static str,
    /// How it is found, what it is made of, and what else is said of it.
    #[serde(flatten)]
    pub details: LinkDetails,
    /// The bond or bridge that it is a member of.
    pub member_of: Option<String>,
    /// Its addresses with their masks.
    pub addresses: ReviewedValue,
    /// The families in which it asks a DHCP server: `IPv4`, `IPv6`.
    pub dhcp: Vec<&'static str>,
    /// The gateways that its default routes lead to.
    pub gateways: Vec<String>,
}

impl From<(ReviewedLink, &NetplanExtras)> for InspectedLink {
    fn from((link, extras): (ReviewedLink, &NetplanExtras)) -> Self {
        let ReviewedLink { name, kind, mut details, member_of, addresses, mut gateways, .. } = link;
        for (network, router) in &extras.on_link {
            if network.prefix_len() == 0 {
                gateways.push(router.to_string());
            } else {
                details.routes.push(ReviewedRoute {
                    to: network.to_string(),
                    via: router.to_string(),
                    metric: None,
                    on_link: true,
                });
            }
        }
        let further = extras.addresses.iter().map(ToString::to_string);
        let addresses = match addresses {
            ReviewedValue::Values(addresses) => {
                ReviewedValue::Values(addresses.into_iter().chain(further).collect())
            }
            other if extras.addresses.is_empty() => other,
            _ => ReviewedValue::Values(further.collect()),
        };
        let dhcp = extras.dhcp.iter().map(|family| match family {
            Family::V4 => "IPv4",
            Family::V6 => "IPv6",
        });
        Self { name, kind, details, member_of, addresses, dhcp: dhcp.collect(), gateways }
    }
}
