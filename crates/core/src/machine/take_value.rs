//! The value that an answer takes from elsewhere in the sheet.

use std::net::IpAddr;

use impostazione_net::{Family, broadcast_of, dotted_mask, network_of};
use impostazione_ovf::TakeWord;
use impostazione_text::{Stated, Written};
use ipnet::IpNet;

use super::link::Link;
use super::machine::Machine;
use super::pool::Pool;
use super::site::Site;
use super::subnet::Subnet;
use super::take::{Of, Take, TakeFault, Toward};

impl Take {
    /// The value, for an answer of this machine.
    pub fn value(&self, site: &Site, machine: &Machine) -> Result<String, TakeFault> {
        let values = match self.of {
            Of::Subnet(index) => {
                let subnet = site.subnets.get(index).ok_or_else(|| self.nothing("that subnet"))?;
                if !self.word.value.is_of_subnet() {
                    return Err(self.fault(
                        format!("A subnet has no {}.", self.word.value.text()),
                        "take it from a machine, or take one of: netmask, prefix-length, gateway, network-address, \
                            broadcast-address",
                    ));
                }
                self.of_subnet(subnet)
            }
            Of::Pool(index) => {
                let pool = site.pools.get(index).ok_or_else(|| self.nothing("that pool"))?;
                self.of_pool(pool)?
            }
            Of::Cluster(index) => self.of_cluster(site, index, None)?,
            Of::Machine(index) => {
                let other = site.machines.get(index).ok_or_else(|| self.nothing("that machine"))?;
                self.of_machine(site, other)?
            }
            Of::Itself => self.of_machine(site, machine)?,
        };
        let is_known = match self.of {
            Of::Subnet(_) | Of::Pool(_) | Of::Cluster(_) => false,
            Of::Machine(index) => site.machines.get(index).is_some_and(|other| self.is_in_doubt(site, other)),
            Of::Itself => self.is_in_doubt(site, machine),
        };
        let owner = match self.of {
            Of::Subnet(index) => site.subnets.get(index).map_or("", |subnet| &subnet.name.value),
            Of::Pool(index) => site.pools.get(index).map_or("", |pool| &pool.name.value),
            Of::Cluster(index) => site.clusters.get(index).map_or("", |cluster| &cluster.name.value),
            Of::Machine(index) => site.machines.get(index).map_or("", Machine::label),
            Of::Itself => machine.label(),
        };
        self.pick(values, owner).map_err(|fault| TakeFault { is_known, ..fault })
    }

    /// Whether the value may be missing because what it comes from could not be read.
    fn is_in_doubt(&self, site: &Site, machine: &Machine) -> bool {
        use TakeWord as W;
        let settings = &machine.settings;
        match self.word.value {
            W::Hostname => machine.hostname.value().is_none(),
            W::Fqdn => machine.hostname.value().is_none() || matches!(settings.domain, Stated::Faulty),
            W::Domain => matches!(settings.domain, Stated::Faulty),
            W::Timezone => matches!(settings.timezone, Stated::Faulty),
            W::Dns | W::Dns1 | W::Dns2 => {
                settings.dns.value().is_none_or(|list| list.has_faulty_items || list.is_empty())
            }
            W::Ntp | W::Ntp1 | W::Ntp2 => {
                settings.ntp.value().is_none_or(|list| list.has_faulty_items || list.is_empty())
            }
            W::Search => settings.search.value().is_some_and(|list| list.has_faulty_items),
            _ => self.choose_link(site, machine).is_ok_and(|link| {
                let subnet = site.subnet_of(link);
                subnet.is_none_or(|subnet| {
                    Family::BOTH.into_iter().any(|family| matches!(subnet.side(family), Stated::Faulty))
                }) || Family::BOTH.into_iter().any(|family| matches!(link.choice_in(family), Stated::Faulty))
                    || (link.address.is_absent() && link.address6.is_absent())
            }),
        }
    }

    fn of_machine(&self, site: &Site, machine: &Machine) -> Result<Vec<String>, TakeFault> {
        use TakeWord as W;
        if self.word.value.is_of_cluster() {
            let cluster = machine.cluster.as_ref().ok_or_else(|| TakeFault {
                is_nothing: true,
                ..self.fault(
                    format!(
                        "{} is not in a cluster, so it has no {}.",
                        machine.called(),
                        self.word.value.text()
                    ),
                    "add cluster = \"NAME\" to the machine, or take the value from a cluster with of = \"NAME\"",
                )
            })?;
            return self.of_cluster(site, cluster.value, Some(machine));
        }
        if self.word.value.is_of_link() {
            let link = self.choose_link(site, machine)?;
            if self.word.value.is_of_subnet() {
                return Ok(site.subnet_of(link).map(|subnet| self.of_subnet(subnet)).unwrap_or_default());
            }
            let found = match self.word.value {
                W::Address => link.address_in(Family::V4).map(|found| found.address.value.to_string()),
                W::Mac => link.mac().map(|mac| mac.value.to_string()),
                W::Address6 => link.address_in(Family::V6).map(|found| found.address.value.to_string()),
                _ => site.interface_address(link, Family::V4).map(|found| found.to_string()),
            };
            return Ok(found.into_iter().collect());
        }
        if let Some(toward) = &self.toward {
            return Err(TakeFault {
                place: toward.place,
                ..self.fault(
                    format!(
                        "{} belongs to the machine and not to a link, so it has no direction.",
                        self.word.value.text()
                    ),
                    "remove toward",
                )
            });
        }
        let settings = &machine.settings;
        Ok(match self.word.value {
            W::Hostname => machine.hostname.value().map(ToString::to_string).into_iter().collect(),
            W::Fqdn => machine.fqdn().into_iter().collect(),
            W::Domain => machine.domain().map(str::to_owned).into_iter().collect(),
            W::Timezone => one(&settings.timezone),
            W::Locale => {
                settings.locale.value().map(|name| name.value.as_str().to_owned()).into_iter().collect()
            }
            W::Keyboard => {
                settings.keyboard.value().map(|name| name.value.as_str().to_owned()).into_iter().collect()
            }
            W::Dns | W::Dns1 | W::Dns2 => settings
                .dns
                .value()
                .map(|list| list.values().map(IpAddr::to_string).collect())
                .unwrap_or_default(),
            W::Search => settings
                .search
                .value()
                .map(|list| list.values().map(ToString::to_string).collect())
                .unwrap_or_default(),
            W::Ntp | W::Ntp1 | W::Ntp2 => settings
                .ntp
                .value()
                .map(|list| list.values().map(ToString::to_string).collect())
                .unwrap_or_default(),
            _ => Vec::new(),
        })
    }

    /// What a cluster has. `asking` is the member that asks.
    fn of_cluster(
        &self,
        site: &Site,
        index: usize,
        asking: Option<&Machine>,
    ) -> Result<Vec<String>, TakeFault> {
        use TakeWord as W;
        let cluster = site.clusters.get(index).ok_or_else(|| self.nothing("that cluster"))?;
        let is_asking = |machine: &Machine| asking.is_some_and(|asking| std::ptr::eq(asking, machine));
        let others = || site.members(index).filter(|machine| !is_asking(machine));
        let size = || cluster.size.value().map_or_else(|| site.members(index).count(), |size| size.value);
        Ok(match self.word.value {
            W::ClusterName => vec![cluster.name.value.clone()],
            W::NodeCount => vec![size().to_string()],
            W::NodeNumber => {
                let place = site.members(index).position(is_asking);
                place.map(|place| (place + 1).to_string()).into_iter().collect()
            }
            W::PeerNames => others().map(|machine| machine.label().to_owned()).collect(),
            W::Peers => {
                others().map(|machine| self.address_of_member(site, machine)).collect::<Result<_, _>>()?
            }
            W::MemberAddresses => site
                .members(index)
                .map(|machine| self.address_of_member(site, machine))
                .collect::<Result<_, _>>()?,
            W::VirtualAddress => cluster.addresses().map(|found| found.address.value.to_string()).collect(),
            other => {
                return Err(self.fault(
                    format!("A cluster has no {}.", other.text()),
                    "take it from a machine, or take one of: members, node-count, cluster-name, virtual-address",
                ));
            }
        })
    }

    /// The address of a member: IPv4, or else IPv6.
    fn address_of_member(&self, site: &Site, machine: &Machine) -> Result<String, TakeFault> {
        let link = self.choose_link(site, machine)?;
        let address = Family::BOTH.into_iter().find_map(|family| link.address_in(family));
        address.map(|found| found.address.value.to_string()).ok_or_else(|| self.nothing(machine.called()))
    }

    fn of_pool(&self, pool: &Pool) -> Result<Vec<String>, TakeFault> {
        use TakeWord as W;
        let v4 = pool.prefixes.iter().find(|prefix| prefix.value.addr().is_ipv4()).map(|prefix| prefix.value);
        let v6 = pool.prefixes.iter().find(|prefix| prefix.value.addr().is_ipv6()).map(|prefix| prefix.value);
        let value = match self.word.value {
            W::NetworkAddress => v4.or(v6).map(|prefix| prefix.network().to_string()),
            W::Netmask => v4.map(|prefix| dotted_mask(prefix.prefix_len()).to_string()),
            W::PrefixLength => v4.map(|prefix| prefix.prefix_len().to_string()),
            W::PrefixLength6 => v6.map(|prefix| prefix.prefix_len().to_string()),
            W::AddressWithPrefix => v4.or(v6).map(|prefix| prefix.trunc().to_string()),
            W::BroadcastAddress => v4.and_then(broadcast_of).map(|address| address.to_string()),
            W::Vlan => pool.vlan.as_ref().map(|tag| tag.value.to_string()),
            other => {
                return Err(self.fault(
                    format!("A pool has no {}.", other.text()),
                    "take one of: network-address, netmask, prefix-length, address-with-prefix, vlan",
                ));
            }
        };
        Ok(value.into_iter().collect())
    }

    fn of_subnet(&self, subnet: &Subnet) -> Vec<String> {
        use TakeWord as W;
        match self.word.value {
            W::Vlan => return one(&subnet.vlan),
            W::Mtu => return subnet.mtu.iter().map(|mtu| mtu.value.to_string()).collect(),
            _ => {}
        }
        let family = match self.word.value {
            W::PrefixLength6 | W::Gateway6 => Family::V6,
            _ => Family::V4,
        };
        let Some(side) = subnet.family(family) else { return Vec::new() };
        let prefix: IpNet = side.prefix.value;
        let value = match self.word.value {
            W::Netmask => Some(dotted_mask(prefix.prefix_len()).to_string()),
            W::PrefixLength | W::PrefixLength6 => Some(prefix.prefix_len().to_string()),
            W::Gateway | W::Gateway6 => side.gateway_address().map(|gateway| gateway.value.to_string()),
            W::NetworkAddress => network_of(prefix).map(|address| address.to_string()),
            W::BroadcastAddress => broadcast_of(prefix).map(|address| address.to_string()),
            _ => None,
        };
        value.into_iter().collect()
    }

    /// The link of a machine that the value is of.
    pub fn choose_link<'m>(&self, site: &Site, machine: &'m Machine) -> Result<&'m Link, TakeFault> {
        if let Some(toward) = &self.toward {
            return self.link_toward(site, machine, toward);
        }
        let names =
            || machine.links.iter().map(|link| link.name.value.as_str()).collect::<Vec<_>>().join(", ");
        if let Some(wanted) = &self.link {
            return machine.links.iter().find(|link| link.name.value.as_str() == wanted.value).ok_or_else(
                || TakeFault {
                    message: format!("{} has no link {}.", machine.label(), wanted.value),
                    fix: format!("write one of its links: {}", names()),
                    place: wanted.place,
                    is_known: false,
                    is_nothing: false,
                },
            );
        }
        let leads_out = |link: &&Link| {
            Family::BOTH.into_iter().any(|family| site.default_gateway(link, family).is_some())
        };
        let mut ways_out = machine.links.iter().filter(leads_out);
        if let (Some(only), None) = (ways_out.next(), ways_out.next()) {
            return Ok(only);
        }
        match machine.links.as_slice() {
            [link] => Ok(link),
            [] => Err(self.nothing(machine.called())),
            _ => Err(self.fault(
                format!(
                    "{} has several links ({}), and the answer does not say which link's {} to take.",
                    machine.label(),
                    names(),
                    self.word.value.text()
                ),
                format!(
                    "add link = \"{}\" next to take, or another of its links",
                    machine.links[0].name.value
                ),
            )),
        }
    }

    /// The link by which a machine reaches something.
    fn link_toward<'m>(
        &self,
        site: &Site,
        machine: &'m Machine,
        toward: &Written<Toward>,
    ) -> Result<&'m Link, TakeFault> {
        let fault = |message: String, fix: String| TakeFault {
            message,
            fix,
            place: toward.place,
            is_known: machine.links.iter().any(|link| site.is_link_in_doubt(link)),
            is_nothing: false,
        };
        if let Some(link) = &self.link {
            let fix = format!("remove toward, or link = \"{}\"", link.value);
            return Err(fault("A value is taken of one link, by link or by toward.".to_owned(), fix));
        }
        let family = match self.word.value {
            TakeWord::Address6 | TakeWord::PrefixLength6 | TakeWord::Gateway6 => Family::V6,
            _ => Family::V4,
        };
        let (what, targets) = match toward.value {
            Toward::Prefix(prefix) => {
                let is_one = prefix.prefix_len() == prefix.max_prefix_len();
                (if is_one { prefix.addr().to_string() } else { prefix.to_string() }, vec![prefix])
            }
            Toward::Subnet(index) => {
                let subnet = site.subnets.get(index).ok_or_else(|| self.nothing("that subnet"))?;
                let of = |family| subnet.family(family).map(|side| side.prefix.value);
                let target = of(family).or_else(|| of(family.other()));
                (format!("subnet {}", subnet.name.value), target.into_iter().collect())
            }
            Toward::Machine(index) => {
                let other = site.machines.get(index).ok_or_else(|| self.nothing("that machine"))?;
                let of = |family: Family| -> Vec<IpNet> {
                    let addresses =
                        other.links.iter().flat_map(Link::addresses).map(|found| found.address.value);
                    addresses.filter(|address| Family::of(*address) == family).map(IpNet::from).collect()
                };
                let targets = of(family);
                (other.called().to_owned(), if targets.is_empty() { of(family.other()) } else { targets })
            }
        };
        let ways = site.links_toward(machine, &targets);
        match ways.as_slice() {
            [only] => Ok(only),
            [] => Err(fault(
                format!(
                    "{} has no way to {what}: no subnet of its own, no route and no default route.",
                    machine.called()
                ),
                "write a route to it on a link, or the link itself: link = \"NAME\"".to_owned(),
            )),
            several => {
                let names: Vec<&str> = several.iter().map(|link| link.name.value.as_str()).collect();
                Err(fault(
                    format!("{} reaches {what} by several links: {}.", machine.called(), names.join(", ")),
                    format!("write the link itself, such as link = \"{}\", in place of toward", names[0]),
                ))
            }
        }
    }

    fn pick(&self, values: Vec<String>, owner: &str) -> Result<String, TakeFault> {
        use TakeWord as W;
        let nth = match self.word.value {
            W::Dns1 | W::Ntp1 => Some(1),
            W::Dns2 | W::Ntp2 => Some(2),
            // Nobody else is in the cluster: an empty list is what is meant.
            W::Peers | W::PeerNames if values.is_empty() => return Ok(String::new()),
            _ => self.nth.as_ref().map(|nth| nth.value),
        };
        let count = values.len();
        let list = values.join(", ");
        let mut values = values;
        match (nth, count) {
            (_, 0) => Err(self.nothing(owner)),
            (Some(nth), _) if nth > count => Err(TakeFault { is_nothing: true, ..self.fault(
                format!(
                    "{owner} has {count} {} for {} ({list}), and the answer asks for number {nth}.",
                    if count == 1 { "value" } else { "values" },
                    self.word.value.list()
                ),
                "add the missing value to the list, use a smaller nth, or write the value itself in quotes",
            ) }),
            (Some(nth), _) => Ok(values.swap_remove(nth - 1)),
            (None, 1) => Ok(values.swap_remove(0)),
            (None, _) => match &self.join {
                Some(join) => Ok(values.join(join)),
                None => Err(self.fault(
                    format!("{owner} has {count} values for {} ({list}), and the answer does not say which.", self.word.value.text()),
                    "add nth = 1 next to take for the first, or join = \",\" for all of them separated by commas",
                )),
            },
        }
    }

    fn nothing(&self, owner: &str) -> TakeFault {
        let fault = self.fault(
            format!("{owner} has no {} in this sheet.", self.word.value.text()),
            "add it to the sheet, or write the value itself in quotes",
        );
        TakeFault { is_nothing: true, ..fault }
    }

    fn fault(&self, message: String, fix: impl Into<String>) -> TakeFault {
        TakeFault { message, fix: fix.into(), place: self.place, is_known: false, is_nothing: false }
    }
}

fn one<T: ToString>(stated: &Stated<Written<T>>) -> Vec<String> {
    stated.value().map(|written| written.value.to_string()).into_iter().collect()
}
