//! By which of its links a machine reaches something.

use impostazione_net::Family;
use impostazione_text::Stated;
use ipnet::IpNet;

use super::link::Link;
use super::machine::Machine;
use super::site::Site;

impl Site {
    /// The links by which a machine reaches these addresses and prefixes, each once: for each of them the one whose subnet,
    /// route or default route is the most specific (RFC 1812, section 5.2.4.3), and those of more specific ones that lead to a
    /// part of a prefix. Nothing where one of them is reached by none.
    pub fn links_toward<'m>(&self, machine: &'m Machine, targets: &[IpNet]) -> Vec<&'m Link> {
        let mut found: Vec<&Link> = Vec::new();
        for target in targets {
            let ways: Vec<(IpNet, &Link)> = machine
                .links
                .iter()
                .flat_map(|link| self.destinations(link).into_iter().map(move |prefix| (prefix, link)))
                .collect();
            let covering = || ways.iter().filter(|(prefix, _)| prefix.contains(target));
            let Some(longest) = covering().map(|(prefix, _)| prefix.prefix_len()).max() else {
                return Vec::new();
            };
            let whole = covering().filter(|(prefix, _)| prefix.prefix_len() == longest);
            let parts = ways
                .iter()
                .filter(|(prefix, _)| target.contains(prefix) && prefix.prefix_len() > target.prefix_len());
            for (_, link) in whole.chain(parts) {
                if !found.iter().any(|known| std::ptr::eq(*known, *link)) {
                    found.push(link);
                }
            }
        }
        found
    }

    /// What a link leads to: its own subnets, its routes, and everything where the default route is its.
    fn destinations(&self, link: &Link) -> Vec<IpNet> {
        let mut prefixes: Vec<IpNet> = self.interface_addresses(link).map(|own| own.trunc()).collect();
        // Routes in a table of its own are for answers alone.
        if link.options.as_ref().is_none_or(|options| options.routing_table.is_none()) {
            prefixes.extend(link.routes().iter().map(|route| route.to.value));
        }
        for family in Family::BOTH {
            if self.default_gateway(link, family).is_some() {
                prefixes.push(family.everything());
            }
        }
        prefixes
    }

    /// Whether something about a link or its subnet could not be read, so that more may lead through it than is known.
    pub fn is_link_in_doubt(&self, link: &Link) -> bool {
        let is_faulty = |family: &Family| {
            matches!(link.choice_in(*family), Stated::Faulty)
                || self.subnet_of(link).is_some_and(|subnet| {
                    let side = subnet.side(*family);
                    matches!(side, Stated::Faulty)
                        || side.value().is_some_and(|side| matches!(side.gateway, Stated::Faulty))
                })
        };
        matches!(link.subnet, Stated::Faulty) || Family::BOTH.iter().any(is_faulty)
    }
}
