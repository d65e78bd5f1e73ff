//! What the appliances of the sample site do with their properties.

use std::net::{IpAddr, Ipv4Addr};

use ipnet::Ipv4Net;

use crate::environment::Environment;

/// An appliance of the sample site.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Product {
    /// The harbor's log book.
    Logbook,
    /// The signal gateway.
    Signals,
    /// The recorder of the harbor watch.
    WatchRecorder,
    /// The viewer of the harbor watch.
    WatchViewer,
}

/// What an appliance would set.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Settings {
    /// Its host name, or full name.
    pub name: String,
    /// Its adapters, in their order.
    pub adapters: Vec<Adapter>,
    /// Its DNS servers.
    pub dns: Vec<IpAddr>,
    /// Its search domains.
    pub search: Vec<String>,
    /// Its time servers.
    pub ntp: Vec<String>,
    /// Its time zone.
    pub timezone: Option<String>,
    /// Its number, and how many it believes there are.
    pub node: Option<(u8, u8)>,
    /// The other machines of its cluster or collection.
    pub peers: Vec<IpAddr>,
    /// The address that it shares with them.
    pub shared_address: Option<IpAddr>,
    /// Characters of the administrator's password, which itself is not told.
    pub password_length: Option<usize>,
    /// Where alerts go.
    pub alerts: Option<String>,
}

/// What an adapter would get.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Adapter {
    /// Address and prefix.
    pub address: Ipv4Net,
    /// The gateway.
    pub gateway: Option<Ipv4Addr>,
}

/// Why settings are of no use.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum GuestFault {
    /// A property that must be there is not.
    #[error("{0} is missing")]
    Missing(&'static str),
    /// A property cannot be read.
    #[error("{0} is \"{1}\", and cannot be used")]
    Unusable(&'static str, String),
    /// The gateway cannot be reached.
    #[error("the gateway {0} is not in {1}")]
    GatewayOutside(Ipv4Addr, Ipv4Net),
}

/// A property's value by its id.
struct Asked<'e>(&'e Environment);

impl Asked<'_> {
    fn text(&self, key: &'static str) -> Result<&str, GuestFault> {
        self.0.properties.get(key).map(String::as_str).ok_or(GuestFault::Missing(key))
    }

    /// A text that is not empty.
    fn some(&self, key: &'static str) -> Result<Option<&str>, GuestFault> {
        Ok(Some(self.text(key)?).filter(|text| !text.is_empty()))
    }

    fn parsed<T: std::str::FromStr>(&self, key: &'static str) -> Result<T, GuestFault> {
        let text = self.text(key)?;
        text.parse().map_err(|_| GuestFault::Unusable(key, text.to_owned()))
    }

    fn list<T: std::str::FromStr>(&self, key: &'static str, between: char) -> Result<Vec<T>, GuestFault> {
        let text = self.text(key)?;
        let items = text.split(between).filter(|item| !item.is_empty());
        items.map(|item| item.parse().map_err(|_| GuestFault::Unusable(key, text.to_owned()))).collect()
    }

    fn with_mask(&self, address: &'static str, mask: &'static str) -> Result<Ipv4Net, GuestFault> {
        let own: Ipv4Addr = self.parsed(address)?;
        let text = self.text(mask)?.to_owned();
        let unusable = || GuestFault::Unusable(mask, text.clone());
        let length = match text.parse::<Ipv4Addr>() {
            Ok(dotted) => {
                let bits = u32::from(dotted);
                if bits.leading_ones() + bits.trailing_zeros() != 32 {
                    return Err(unusable());
                }
                bits.leading_ones()
            }
            Err(_) => text.parse().map_err(|_| unusable())?,
        };
        let length = u8::try_from(length).map_err(|_| unusable())?;
        Ipv4Net::new(own, length).map_err(|_| unusable())
    }

    fn adapter(
        &self,
        address: &'static str,
        mask: &'static str,
        gateway: Option<&'static str>,
    ) -> Result<Adapter, GuestFault> {
        let address = self.with_mask(address, mask)?;
        let gateway = gateway.map(|gateway| self.parsed::<Ipv4Addr>(gateway)).transpose()?;
        match gateway {
            Some(gateway) if !address.contains(&gateway) => Err(GuestFault::GatewayOutside(gateway, address)),
            gateway => Ok(Adapter { address, gateway }),
        }
    }
}

impl Product {
    /// What it would set, from what it is told.
    pub(crate) fn settings(self, environment: &Environment) -> Result<Settings, GuestFault> {
        let asked = Asked(environment);
        match self {
            Self::Logbook => logbook(&asked),
            Self::Signals => signals(&asked),
            Self::WatchRecorder => watch(&asked, ["recorder.ip", "recorder.name", "viewer.ip"], "viewer"),
            Self::WatchViewer => watch(&asked, ["viewer.ip", "viewer.name", "recorder.ip"], "recorder"),
        }
    }
}

fn logbook(asked: &Asked<'_>) -> Result<Settings, GuestFault> {
    let shared = asked.some("node.shared_address")?;
    Ok(Settings {
        name: asked.text("hostname")?.to_owned(),
        adapters: vec![asked.adapter("net.address.0", "net.netmask.0", Some("net.gateway.0"))?],
        dns: asked.list("net.dns.0", ',')?,
        search: asked.list("net.search.0", ',')?,
        ntp: asked.list("clock", ',')?,
        node: Some((asked.parsed("node.number")?, asked.parsed("node.count")?)),
        peers: asked.list("node.peers", ',')?,
        shared_address: shared.map(|_| asked.parsed("node.shared_address")).transpose()?,
        password_length: Some(asked.text("admin.password")?.chars().count()),
        ..Settings::default()
    })
}

fn signals(asked: &Asked<'_>) -> Result<Settings, GuestFault> {
    let mut dns = vec![asked.parsed("vetro.signals.dns1")?];
    if asked.some("vetro.signals.dns2")?.is_some() {
        dns.push(asked.parsed("vetro.signals.dns2")?);
    }
    Ok(Settings {
        name: asked.text("vetro.signals.hostName")?.to_owned(),
        adapters: vec![
            asked.adapter(
                "vetro.signals.officeAddress",
                "vetro.signals.officePrefix",
                Some("vetro.signals.officeGateway"),
            )?,
            asked.adapter("vetro.signals.signalAddress", "vetro.signals.signalPrefix", None)?,
        ],
        dns,
        ntp: asked.list("vetro.signals.timeServers", ' ')?,
        timezone: Some(asked.text("vetro.signals.timeZone")?.to_owned()),
        password_length: Some(asked.text("vetro.signals.keeperPassword")?.chars().count()),
        ..Settings::default()
    })
}

/// The two machines of the watch find each other through the document.
fn watch(
    asked: &Asked<'_>,
    [address, name, other_address]: [&'static str; 3],
    other: &'static str,
) -> Result<Settings, GuestFault> {
    let sibling = asked.0.siblings.get(other).ok_or(GuestFault::Missing(other))?;
    let peer = sibling.get(other_address).ok_or(GuestFault::Missing(other_address))?;
    Ok(Settings {
        name: asked.text(name)?.to_owned(),
        adapters: vec![asked.adapter(address, "netmask", Some("gateway"))?],
        peers: vec![peer.parse().map_err(|_| GuestFault::Unusable(other_address, peer.clone()))?],
        alerts: Some(asked.text("alerts")?.to_owned()),
        ..Settings::default()
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(changes: &[(&str, &str)]) -> Result<Settings, GuestFault> {
        let mut environment = Environment::default();
        for (key, value) in [
            ("hostname", "logbook"),
            ("clock", ""),
            ("net.address.0", "10.64.10.61"),
            ("net.netmask.0", "255.255.255.0"),
            ("net.gateway.0", "10.64.10.1"),
            ("net.dns.0", "10.64.10.53"),
            ("net.search.0", ""),
            ("node.number", "1"),
            ("node.count", "1"),
            ("node.peers", ""),
            ("node.shared_address", ""),
            ("admin.password", "secret"),
        ]
        .iter()
        .chain(changes)
        {
            environment.properties.insert((*key).to_owned(), (*value).to_owned());
        }
        Product::Logbook.settings(&environment)
    }

    #[test]
    fn a_guest_takes_what_is_right_and_refuses_the_rest() {
        assert_eq!(told(&[]).unwrap().adapters[0].address.to_string(), "10.64.10.61/24");
        assert_eq!(
            told(&[("net.netmask.0", "24")]).unwrap().adapters[0].address.to_string(),
            "10.64.10.61/24"
        );
        let fault = |changes: &[(&str, &str)]| told(changes).unwrap_err();
        assert_eq!(
            fault(&[("net.netmask.0", "255.0.255.0")]),
            GuestFault::Unusable("net.netmask.0", "255.0.255.0".into())
        );
        assert!(matches!(fault(&[("net.gateway.0", "10.64.20.1")]), GuestFault::GatewayOutside(..)));
        assert!(matches!(fault(&[("node.number", "300")]), GuestFault::Unusable(..)));
    }
}
