//! The map of a simulated network: where on loopback each address of a site is answered.

use std::collections::BTreeMap;
use std::net::{IpAddr, SocketAddr};

use impostazione_net::MacAddress;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};

/// The form of maps, which changes when an older program could not read one.
const FORMAT: u32 = 2;

/// The largest file that is read as a map.
pub const MAP_SIZE_LIMIT: u64 = 16 * 1024 * 1024;

/// A simulated network (TOML): who has which address, and where on loopback its ports are.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NetworkMap {
    format: u32,
    /// The sheet whose site it is, for people.
    pub sheet: String,
    /// What a DHCP server offers.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub leases: Vec<IpAddr>,
    /// The addresses of the network. Of what is not here nothing is known.
    #[serde(default, rename = "address")]
    pub addresses: Vec<Mapped>,
}

/// An address of the network.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Mapped {
    /// The address.
    pub address: IpAddr,
    /// What has it in the sheet, for people.
    pub called: String,
    /// Whether anybody has it before the machines start.
    pub before: Whose,
    /// Whether anybody has it after they have started.
    pub after: Whose,
    /// From when on that is so; before, nobody has it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub up_at: Option<Timestamp>,
    /// From when on its TCP ports accept connections; before, they refuse them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub ready_at: Option<Timestamp>,
    /// The hardware address of whoever has it then.
    #[serde(default, skip_serializing_if = "Option::is_none", with = "mac_text")]
    pub mac: Option<MacAddress>,
    /// Where its ports are.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub ports: Vec<Port>,
}

/// A port, and where on loopback it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Port {
    /// TCP or UDP.
    pub transport: Transport,
    /// The port of the address.
    pub port: u16,
    /// Where it is answered.
    pub at: SocketAddr,
}

/// How a port is reached.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Transport {
    /// TCP.
    Tcp,
    /// UDP.
    Udp,
}

/// Whether anybody has an address.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Whose {
    /// Nobody.
    Nobody,
    /// Somebody.
    Somebody,
    /// It cannot be told: the address is behind a router.
    BehindRouter,
}

/// Why a map cannot be used, as the end of a sentence that begins with its name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MapFault {
    /// It is not such a file.
    #[error("is not a map as `mock-site` writes it: {0}")]
    Form(String),
    /// It has another form.
    #[error("has format {0}; this program reads format {FORMAT}")]
    Format(u32),
    /// It leads out of this computer.
    #[error("leads to {0}, which is not on loopback")]
    Outside(SocketAddr),
    /// An address stands in it twice.
    #[error("has {0} twice")]
    Twice(IpAddr),
}

impl NetworkMap {
    /// A map without addresses.
    pub fn new(sheet: impl Into<String>) -> Self {
        Self { format: FORMAT, sheet: sheet.into(), leases: Vec::new(), addresses: Vec::new() }
    }

    /// Reads a map. One that leads anywhere but to loopback is refused.
    ///
    /// ```
    /// use impostazione_core::network::{MapFault, NetworkMap};
    ///
    /// let map = |at: &str| {
    ///     let port = format!("ports = [{{ transport = \"udp\", port = 53, at = \"{at}\" }}]");
    ///     let address = "[[address]]\naddress = \"10.64.10.53\"\ncalled = \"a DNS server\"\nbefore = \"somebody\"\nafter = \"somebody\"";
    ///     NetworkMap::parse(&format!("format = 2\nsheet = \"harbor.toml\"\n{address}\n{port}\n"))
    /// };
    /// assert!(map("127.0.0.1:40001").is_ok());
    /// assert!(matches!(map("10.64.10.53:53"), Err(MapFault::Outside(_))));
    /// ```
    pub fn parse(text: &str) -> Result<Self, MapFault> {
        let map: Self = toml::from_str(text).map_err(|error| MapFault::Form(error.message().to_owned()))?;
        if map.format != FORMAT {
            return Err(MapFault::Format(map.format));
        }
        let mut ports = map.addresses.iter().flat_map(|mapped| &mapped.ports);
        if let Some(outside) = ports.find(|port| !port.at.ip().is_loopback()) {
            return Err(MapFault::Outside(outside.at));
        }
        let mut seen = std::collections::BTreeSet::new();
        match map.addresses.iter().find(|mapped| !seen.insert(mapped.address)) {
            Some(twice) => Err(MapFault::Twice(twice.address)),
            None => Ok(map),
        }
    }

    /// The map as text.
    pub fn to_text(&self) -> String {
        // A map has no text for a key and nothing that TOML cannot hold.
        toml::to_string(self).unwrap_or_default()
    }

    /// Its addresses, by address.
    pub fn by_address(&self) -> BTreeMap<IpAddr, &Mapped> {
        self.addresses.iter().map(|mapped| (mapped.address, mapped)).collect()
    }
}

impl Mapped {
    /// Where a port of it is answered.
    pub fn port(&self, transport: Transport, port: u16) -> Option<SocketAddr> {
        let is_meant = |known: &&Port| known.transport == transport && known.port == port;
        self.ports.iter().find(is_meant).map(|known| known.at)
    }
}

/// A hardware address as text.
mod mac_text {
    use impostazione_net::MacAddress;
    use serde::{Deserialize, Deserializer, Serializer, de::Error as _};

    #[allow(clippy::ref_option, clippy::trivially_copy_pass_by_ref, reason = "serde hands it over like this")]
    pub(super) fn serialize<S: Serializer>(
        mac: &Option<MacAddress>,
        serializer: S,
    ) -> Result<S::Ok, S::Error> {
        match mac {
            Some(mac) => serializer.collect_str(mac),
            None => serializer.serialize_none(),
        }
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(
        deserializer: D,
    ) -> Result<Option<MacAddress>, D::Error> {
        let Some(text) = Option::<String>::deserialize(deserializer)? else { return Ok(None) };
        MacAddress::parse(&text)
            .map(Some)
            .map_err(|fault| D::Error::custom(format!("{text} {}", fault.reason)))
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use super::*;

    #[test]
    fn a_map_is_read_as_it_was_written() {
        let mut map = NetworkMap::new("harbor.toml");
        map.leases.push("10.64.10.210".parse().unwrap());
        map.addresses.push(Mapped {
            address: "fd64:10::53".parse().unwrap(),
            called: "a \"server\"\n".to_owned(),
            before: Whose::BehindRouter,
            after: Whose::Somebody,
            up_at: Some("2027-03-01T08:00:00Z".parse().unwrap()),
            ready_at: None,
            mac: Some(MacAddress::parse("02:64:10:00:00:53").unwrap()),
            ports: vec![Port { transport: Transport::Udp, port: 53, at: "[::1]:4053".parse().unwrap() }],
        });
        assert_eq!(NetworkMap::parse(&map.to_text()), Ok(map.clone()));
        let twice = map.addresses.first().unwrap().clone();
        map.addresses.push(twice);
        assert!(matches!(NetworkMap::parse(&map.to_text()), Err(MapFault::Twice(_))));
        let other = map.to_text().replace("format = 2", "format = 3");
        assert_eq!(NetworkMap::parse(&other), Err(MapFault::Format(3)));
    }

    proptest::proptest! {
        #[test]
        fn reading_never_panics(text in "\\PC{0,80}|(format = 2\n|sheet = \"a\"\n|\\[\\[address\\]\\]\n|address = \"::1\"\n){0,6}") {
            let _ = NetworkMap::parse(&text);
        }
    }
}
