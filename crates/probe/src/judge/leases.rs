//! Whether DHCP servers keep to the ranges of the sheet.

use std::net::{IpAddr, Ipv4Addr};

use impostazione_core::finding::Finding;
use impostazione_core::network::rules::LEASE_OUTSIDE_RANGES;
use impostazione_net::Family;
use impostazione_text::Place;

use super::unlooked::{Reason, Unknown};
use super::{Judging, Subject, Verdict};
use crate::answer::Leases;
use crate::question::ExpectedLease;

impl<'a> Judging<'a> {
    /// Judges every subnet in which DHCP servers were asked.
    pub(super) fn leases(&mut self) {
        let plan = self.plan;
        for expected in &plan.leases {
            let verdict = self.lease(expected);
            self.count(Subject::Leases, verdict);
        }
    }

    fn lease(&mut self, expected: &'a ExpectedLease<'a>) -> Verdict {
        let subnet = expected.subnet;
        let name = &subnet.name.value;
        let first_range = subnet.dhcp_ranges.first().map(|range| range.place);
        let place = first_range.unwrap_or(subnet.name.place);
        let reason = match self.answers.leases_in(subnet) {
            Some(Leases::Offered(offers)) => {
                return offers
                    .iter()
                    .map(|(address, server)| self.offer(expected, *address, *server, place))
                    .fold(Verdict::Right, Verdict::and);
            }
            Some(Leases::NotAttached) => {
                let fix = format!("run this on a computer in subnet {name}");
                Reason::new("this computer is not in it", fix)
            }
            Some(Leases::NotLooked(obstacle)) => Reason::obstacle(obstacle),
            None => Reason::not_asked(),
        };
        self.unlooked.note(Unknown::Lease, name.clone(), &expected.machines, place, reason);
        Verdict::Unknown
    }

    fn offer(
        &mut self,
        expected: &ExpectedLease<'_>,
        address: Ipv4Addr,
        server: Option<Ipv4Addr>,
        place: Place,
    ) -> Verdict {
        let subnet = expected.subnet;
        let offered = IpAddr::V4(address);
        if subnet.dhcp_ranges.iter().any(|range| range.value.contains(offered)) {
            return Verdict::Right;
        }
        let name = &subnet.name.value;
        let who =
            server.map_or_else(|| "A DHCP server".to_owned(), |server| format!("The DHCP server {server}"));
        let site = self.plan.site;
        let uses = site.address_uses().get(&offered).and_then(|uses| uses.first());
        let owner = uses.and_then(|found| site.owning_link(found.owner));
        let is_in = subnet.family(Family::V4).is_some_and(|side| side.prefix.value.contains(&offered));
        let which = match owner {
            Some((machine, _)) => format!("which the sheet gives to {}", machine.called()),
            None if is_in => "which is in no range of dhcp_ranges".to_owned(),
            None => "which is not even in the subnet".to_owned(),
        };
        let message = format!("{who} in subnet {name} offers {address}, {which}.");
        let fix = if is_in {
            format!(
                "write the server's whole range in dhcp_ranges of [subnet.{name}], or have its range changed"
            )
        } else {
            "find that server and switch it off, or have its range changed".to_owned()
        };
        self.report(Finding::on_sheet(&LEASE_OUTSIDE_RANGES, place, message, fix));
        Verdict::Wrong
    }
}
