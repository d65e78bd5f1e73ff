//! What is no fault of netplan files, and yet worth knowing.

use impostazione_net::Family;

use super::links::ReadLink;
use super::sentences;
use crate::finding::Finding;

/// Looks at each link.
pub(super) fn check(links: &[ReadLink<'_>], findings: &mut Vec<Finding>) {
    for link in links {
        let id = &link.definition.id.value;
        for key in ["gateway4", "gateway6"] {
            if let Some(node) = link.definition.body.get(key) {
                findings.push(sentences::gateway_key(node.place, key));
            }
        }
        if let Some((family, place)) = link.dhcp.first() {
            let key = if *family == Family::V4 { "dhcp4" } else { "dhcp6" };
            findings.push(sentences::asks_dhcp(
                *place,
                id,
                key,
                link.first_of(*family).map(|own| own.at.value),
            ));
        }
        let of_another_network = link.addresses.iter().find(|address| {
            let first = link.first_of(Family::of(address.at.value));
            first.is_some_and(|first| first.network() != address.network())
        });
        if let Some((address, network)) = of_another_network.and_then(|found| Some((found, found.network()?)))
            && id != "lo"
        {
            findings.push(sentences::second_network(address.at.place, id, network));
        }
        for lost in &link.lost {
            let (what, families) = match lost.family {
                Some(family) => ("route", family.name()),
                None => ("search domains", "IPv4 or IPv6"),
            };
            findings.push(sentences::not_handed_on(lost.place, id, what, families));
        }
    }
}
