//! Values that an answer takes from elsewhere in the sheet.

use std::net::IpAddr;

use ipnet::IpNet;

use super::{Link, Machine, Site, Subnet};
use crate::given::Given;
use crate::net::{Family, broadcast_of, dotted_mask, network_of};
use crate::source::{Place, Written};

/// A value that is taken.
#[derive(Clone, Debug)]
pub struct Take {
    /// Which value.
    pub word: Written<TakeWord>,
    /// Whose.
    pub of: Of,
    /// Of which link.
    pub link: Option<Written<String>>,
    /// Which of several, from 1.
    pub nth: Option<Written<usize>>,
    /// What stands between several.
    pub join: Option<String>,
    /// Where the whole stands.
    pub place: Place,
}

/// Whose value is taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Of {
    /// The appliance's own.
    Itself,
    /// Another machine's, by index.
    Machine(usize),
    /// A subnet's, by index.
    Subnet(usize),
}

/// Why there is nothing to take, or not one thing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TakeFault {
    /// What is wrong.
    pub message: String,
    /// What to write instead.
    pub fix: String,
    /// The part of the sheet to change.
    pub place: Place,
    /// Whether another finding names the cause already.
    pub is_known: bool,
}

macro_rules! take_words {
    ($($word:ident = $text:literal),+ $(,)?) => {
        /// A word for a value that can be taken.
        #[derive(Clone, Copy, Debug, PartialEq, Eq)]
        #[allow(missing_docs, reason = "each word is explained where the design's word list is: docs/sheet.md")]
        pub enum TakeWord { $($word),+ }

        impl TakeWord {
            /// All words, in the order of the documentation.
            pub const ALL: &[Self] = &[$(Self::$word),+];

            /// The word as a sheet has it.
            pub fn text(self) -> &'static str {
                match self { $(Self::$word => $text),+ }
            }
        }
    };
}

take_words! {
    Address = "address",
    Address6 = "address6",
    Netmask = "netmask",
    PrefixLength = "prefix-length",
    PrefixLength6 = "prefix-length6",
    AddressWithPrefix = "address-with-prefix",
    Gateway = "gateway",
    Gateway6 = "gateway6",
    NetworkAddress = "network-address",
    BroadcastAddress = "broadcast-address",
    Hostname = "hostname",
    Fqdn = "fqdn",
    Domain = "domain",
    Dns = "dns",
    Dns1 = "dns-1",
    Dns2 = "dns-2",
    Search = "search",
    Ntp = "ntp",
    Ntp1 = "ntp-1",
    Ntp2 = "ntp-2",
    Timezone = "timezone",
}

impl TakeWord {
    /// The word with this spelling.
    pub fn parse(text: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|word| word.text() == text)
    }

    /// The key of the sheet that holds the list from which the value comes.
    fn list(self) -> &'static str {
        match self {
            Self::Dns1 | Self::Dns2 => "dns",
            Self::Ntp1 | Self::Ntp2 => "ntp",
            other => other.text(),
        }
    }

    /// Whether the value belongs to a subnet, and can be taken from one as well as through a link.
    fn is_of_subnet(self) -> bool {
        matches!(
            self,
            Self::Netmask
                | Self::PrefixLength
                | Self::PrefixLength6
                | Self::Gateway
                | Self::Gateway6
                | Self::NetworkAddress
                | Self::BroadcastAddress
        )
    }

    pub(super) fn is_of_link(self) -> bool {
        matches!(self, Self::Address | Self::Address6 | Self::AddressWithPrefix) || self.is_of_subnet()
    }
}

impl Take {
    /// The value, for an answer of this machine.
    pub fn value(&self, site: &Site, machine: &Machine) -> Result<String, TakeFault> {
        let values = match self.of {
            Of::Subnet(index) => {
                let subnet = site.subnets.get(index).ok_or_else(|| self.nothing("that subnet"))?;
                if !self.word.value.is_of_subnet() {
                    return Err(self.fault(
                        format!("A subnet has no {}.", self.word.value.text()),
                        "take it of a machine, or take one of: netmask, prefix-length, gateway, network-address, broadcast-address",
                    ));
                }
                self.of_subnet(subnet)
            }
            Of::Machine(index) => {
                let other = site.machines.get(index).ok_or_else(|| self.nothing("that machine"))?;
                self.of_machine(site, other)?
            }
            Of::Itself => self.of_machine(site, machine)?,
        };
        let is_known = match self.of {
            Of::Subnet(_) => false,
            Of::Machine(index) => site.machines.get(index).is_some_and(|other| self.is_in_doubt(site, other)),
            Of::Itself => self.is_in_doubt(site, machine),
        };
        let owner = match self.of {
            Of::Subnet(index) => site.subnets.get(index).map_or("", |subnet| &subnet.name.value),
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
            W::Fqdn => machine.hostname.value().is_none() || matches!(settings.domain, Given::Faulty),
            W::Domain => matches!(settings.domain, Given::Faulty),
            W::Timezone => matches!(settings.timezone, Given::Faulty),
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
                    Family::BOTH.into_iter().any(|family| matches!(subnet.side(family), Given::Faulty))
                }) || Family::BOTH.into_iter().any(|family| matches!(link.choice_in(family), Given::Faulty))
                    || (link.address.is_absent() && link.address6.is_absent())
            }),
        }
    }

    fn of_machine(&self, site: &Site, machine: &Machine) -> Result<Vec<String>, TakeFault> {
        use TakeWord as W;
        if self.word.value.is_of_link() {
            let link = self.choose_link(site, machine)?;
            if self.word.value.is_of_subnet() {
                return Ok(site.subnet_of(link).map(|subnet| self.of_subnet(subnet)).unwrap_or_default());
            }
            let found = match self.word.value {
                W::Address => link.address_in(Family::V4).map(|found| found.address.value.to_string()),
                W::Address6 => link.address_in(Family::V6).map(|found| found.address.value.to_string()),
                _ => site.interface_address(link, Family::V4).map(|found| found.to_string()),
            };
            return Ok(found.into_iter().collect());
        }
        let settings = &machine.settings;
        Ok(match self.word.value {
            W::Hostname => machine.hostname.value().map(ToString::to_string).into_iter().collect(),
            W::Fqdn => machine.fqdn().into_iter().collect(),
            W::Domain => machine.domain().map(str::to_owned).into_iter().collect(),
            W::Timezone => one(&settings.timezone),
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

    fn of_subnet(&self, subnet: &Subnet) -> Vec<String> {
        use TakeWord as W;
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

    fn choose_link<'m>(&self, site: &Site, machine: &'m Machine) -> Result<&'m Link, TakeFault> {
        let names =
            || machine.links.iter().map(|link| link.name.value.as_str()).collect::<Vec<_>>().join(", ");
        if let Some(wanted) = &self.link {
            return machine.links.iter().find(|link| link.name.value.as_str() == wanted.value).ok_or_else(
                || TakeFault {
                    message: format!("{} has no link {}.", machine.label(), wanted.value),
                    fix: format!("write one of its links: {}", names()),
                    place: wanted.place,
                    is_known: false,
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
                    "{} has several links ({}), and the answer does not say of which to take the {}.",
                    machine.label(),
                    names(),
                    self.word.value.text()
                ),
                format!(
                    "add link = \"{}\" beside take, or another of its links",
                    machine.links[0].name.value
                ),
            )),
        }
    }

    fn pick(&self, values: Vec<String>, owner: &str) -> Result<String, TakeFault> {
        use TakeWord as W;
        let nth = match self.word.value {
            W::Dns1 | W::Ntp1 => Some(1),
            W::Dns2 | W::Ntp2 => Some(2),
            _ => self.nth.as_ref().map(|nth| nth.value),
        };
        let count = values.len();
        let list = values.join(", ");
        let mut values = values;
        match (nth, count) {
            (_, 0) => Err(self.nothing(owner)),
            (Some(nth), _) if nth > count => Err(self.fault(
                format!(
                    "{owner} has {count} {} for {} ({list}), and number {nth} is asked for.",
                    if count == 1 { "value" } else { "values" },
                    self.word.value.list()
                ),
                "add what is missing to the list, ask for a smaller number, or write the answer itself in quotes",
            )),
            (Some(nth), _) => Ok(values.swap_remove(nth - 1)),
            (None, 1) => Ok(values.swap_remove(0)),
            (None, _) => match &self.join {
                Some(join) => Ok(values.join(join)),
                None => Err(self.fault(
                    format!("{owner} has {count} values for {} ({list}), and the answer does not say which.", self.word.value.text()),
                    "add nth = 1 beside take for the first, or join = \",\" for all of them with commas between",
                )),
            },
        }
    }

    fn nothing(&self, owner: &str) -> TakeFault {
        self.fault(
            format!("{owner} has no {} in this sheet.", self.word.value.text()),
            "give it one in the sheet, or write the answer itself in quotes",
        )
    }

    fn fault(&self, message: String, fix: impl Into<String>) -> TakeFault {
        TakeFault { message, fix: fix.into(), place: self.place, is_known: false }
    }
}

fn one<T: ToString>(given: &Given<Written<T>>) -> Vec<String> {
    given.value().map(|written| written.value.to_string()).into_iter().collect()
}
