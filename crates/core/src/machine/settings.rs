//! Settings that machines share.

use std::fmt;
use std::net::IpAddr;
use std::sync::Arc;

use impostazione_net::{DomainName, KeyboardLayout, LocaleName, ZoneName};
use impostazione_secret::HashMethod;
use impostazione_text::{Place, Stated, Written};
use regex::Regex;
use serde::{Serialize, Serializer};

use super::time_server::TimeServer;

/// What a machine may have of its own, from the subnet that it leaves through, or from `[common]`.
#[derive(Clone, Debug, Default)]
pub struct Settings {
    /// What the machine is for.
    pub purpose: Stated<Written<Purpose>>,
    /// Domain of the machine's full name.
    pub domain: Stated<Written<DomainName>>,
    /// The site's own rule for host names.
    pub name_pattern: Stated<Written<Regex>>,
    /// DNS servers.
    pub dns: Stated<Arc<Choices<IpAddr>>>,
    /// Domains with DNS servers of their own.
    pub dns_for: Vec<DomainServers>,
    /// Domains in which short names are looked up.
    pub search: Stated<Arc<Choices<DomainName>>>,
    /// Whether names are looked up by link-local multicast name resolution.
    pub llmnr: Stated<Written<bool>>,
    /// Whether names are looked up by multicast DNS.
    pub multicast_dns: Stated<Written<bool>>,
    /// Time servers.
    pub ntp: Stated<Arc<Choices<TimeSource>>>,
    /// The program that sets the clock.
    pub time_service: Stated<Written<TimeService>>,
    /// Time zone.
    pub timezone: Stated<Written<ZoneName>>,
    /// Language and formats.
    pub locale: Stated<Written<LocaleName>>,
    /// Layout of the console's keyboard.
    pub keyboard: Stated<Written<KeyboardLayout>>,
    /// What is done with IPv6.
    pub ipv6: Stated<Written<Ipv6Mode>>,
    /// The oldest netplan among the hosts.
    pub netplan: Stated<Written<NetplanVersion>>,
    /// The program that netplan writes for.
    pub renderer: Stated<Written<Renderer>>,
    /// Whose names `/etc/hosts` has.
    pub hosts_file: Stated<Written<HostsFile>>,
    /// The SSH service.
    pub ssh: Ssh,
    /// What becomes of logins that the image comes with.
    pub stock_logins: Stated<Written<StockLogins>>,
    /// How passwords are hashed.
    pub password_hashing: Stated<Written<HashKind>>,
    /// How long that takes, in the method's own terms; within what it takes.
    pub password_cost: Stated<Written<u32>>,
}

/// What becomes of logins that an image comes with and the sheet does not name.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum StockLogins {
    /// Nobody can log in on them.
    #[default]
    Lock,
    /// They stay as they are.
    Keep,
    /// An image that has them is refused.
    Refuse,
}

impl StockLogins {
    /// The words of a sheet.
    pub const ALL: [(&'static str, Self); 3] =
        [("lock", Self::Lock), ("keep", Self::Keep), ("refuse", Self::Refuse)];

    /// Its word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, known)| *known == self).map_or("", |(word, _)| word)
    }
}

/// A method of hashing passwords.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum HashKind {
    /// yescrypt.
    #[default]
    Yescrypt,
    /// SHA-512 crypt.
    Sha512,
}

impl HashKind {
    /// The words of a sheet.
    pub const ALL: [(&'static str, Self); 2] = [("yescrypt", Self::Yescrypt), ("sha512", Self::Sha512)];

    /// The costs that it takes.
    pub fn costs(self) -> std::ops::RangeInclusive<u32> {
        match self {
            Self::Yescrypt => HashMethod::YESCRYPT_COSTS,
            Self::Sha512 => HashMethod::SHA512_ROUNDS,
        }
    }
}

/// A domain whose names are asked at servers of its own.
#[derive(Clone, Debug)]
pub struct DomainServers {
    /// The domain.
    pub domain: Written<DomainName>,
    /// The servers.
    pub servers: Arc<Choices<IpAddr>>,
}

/// The SSH service of a host.
#[derive(Clone, Debug, Default)]
pub struct Ssh {
    /// Whether it is switched on.
    pub enabled: Stated<Written<bool>>,
    /// Whether a password opens a login.
    pub password_login: Stated<Written<bool>>,
    /// Whether root may log in.
    pub root_login: Stated<Written<bool>>,
    /// Whether the host gets a host key that was prepared.
    pub host_key: Stated<Written<bool>>,
    /// The TCP port on which it listens.
    pub port: Stated<Written<u16>>,
}

impl Ssh {
    /// Whether it is switched on, which it is unless the sheet says otherwise.
    pub fn is_enabled(&self) -> bool {
        self.enabled.value().is_none_or(|flag| flag.value)
    }

    /// The port of a sheet that says none (RFC 4253, section 4.1).
    pub const USUAL_PORT: u16 = 22;

    /// The TCP port on which it listens.
    pub fn port(&self) -> u16 {
        self.port.value().map_or(Self::USUAL_PORT, |written| written.value)
    }

    /// Whether a password opens a login, which it does not unless the sheet says so.
    pub fn allows_passwords(&self) -> bool {
        self.password_login.value().is_some_and(|flag| flag.value)
    }

    /// Whether the host gets a host key that was prepared, which it does not unless the sheet says so.
    pub fn has_made_key(&self) -> bool {
        self.host_key.value().is_some_and(|flag| flag.value)
    }

    /// Whether root may log in, which it may not unless the sheet says so.
    pub fn allows_root(&self) -> bool {
        self.root_login.value().is_some_and(|flag| flag.value)
    }
}

/// What a machine is for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Purpose {
    /// Something depends on it.
    #[default]
    Production,
    /// Nothing does.
    Lab,
}

impl Purpose {
    /// The words of a sheet.
    pub const ALL: [(&'static str, Self); 2] = [("production", Self::Production), ("lab", Self::Lab)];
}

/// What is done with IPv6.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Ipv6Mode {
    /// The sheet's addresses, and no others.
    #[default]
    Static,
    /// Nothing at all.
    Off,
    /// What routers advertise too.
    Auto,
}

impl Ipv6Mode {
    /// The words of a sheet.
    pub const ALL: [(&'static str, Self); 3] =
        [("static", Self::Static), ("off", Self::Off), ("auto", Self::Auto)];
}

/// The program that sets the clock.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum TimeService {
    /// systemd-timesyncd.
    #[default]
    Timesyncd,
    /// chrony.
    Chrony,
}

impl TimeService {
    /// The words of a sheet.
    pub const ALL: [(&'static str, Self); 2] = [("timesyncd", Self::Timesyncd), ("chrony", Self::Chrony)];
}

/// The program that netplan writes for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Renderer {
    /// systemd-networkd.
    #[default]
    Networkd,
    /// `NetworkManager`.
    NetworkManager,
}

impl Renderer {
    /// The words of a sheet, which are netplan's.
    pub const ALL: [(&'static str, Self); 2] =
        [("networkd", Self::Networkd), ("NetworkManager", Self::NetworkManager)];

    /// Netplan's word.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, renderer)| *renderer == self).map_or("", |(word, _)| word)
    }
}

/// Whose names `/etc/hosts` has.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum HostsFile {
    /// The host's own.
    #[default]
    Own,
    /// Those of all machines.
    Site,
}

impl HostsFile {
    /// The words of a sheet.
    pub const ALL: [(&'static str, Self); 2] = [("own", Self::Own), ("site", Self::Site)];
}

/// A version of netplan, such as 0.106 or 1.1.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct NetplanVersion {
    major: u32,
    minor: u32,
}

impl NetplanVersion {
    /// What a sheet that does not say otherwise has.
    pub const USUAL: Self = Self::new(0, 106);

    /// A version by its numbers.
    pub const fn new(major: u32, minor: u32) -> Self {
        Self { major, minor }
    }

    /// Reads `0.106`, or `1.1.2`, of which the first two numbers count.
    pub fn parse(text: &str) -> Option<Self> {
        let mut numbers = text.split('.').map(|part| {
            part.bytes().all(|byte| byte.is_ascii_digit()).then(|| part.parse::<u32>().ok()).flatten()
        });
        let version = Self::new(numbers.next()??, numbers.next()??);
        numbers.all(|number| number.is_some()).then_some(version)
    }
}

impl Serialize for NetplanVersion {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl fmt::Display for NetplanVersion {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}", self.major, self.minor)
    }
}

impl Settings {
    /// What the machine is for.
    pub fn purpose(&self) -> Purpose {
        value_or_default(&self.purpose)
    }

    /// What is done with IPv6.
    pub fn ipv6(&self) -> Ipv6Mode {
        value_or_default(&self.ipv6)
    }

    /// The program that sets the clock.
    pub fn time_service(&self) -> TimeService {
        value_or_default(&self.time_service)
    }

    /// The program that netplan writes for.
    pub fn renderer(&self) -> Renderer {
        value_or_default(&self.renderer)
    }

    /// Whose names `/etc/hosts` has.
    pub fn hosts_file(&self) -> HostsFile {
        value_or_default(&self.hosts_file)
    }

    /// What becomes of logins that the image comes with.
    pub fn stock_logins(&self) -> StockLogins {
        value_or_default(&self.stock_logins)
    }

    /// How passwords are hashed, and how long that takes.
    pub fn hash_method(&self) -> HashMethod {
        let cost = self.password_cost.value().map(|written| written.value);
        match value_or_default(&self.password_hashing) {
            HashKind::Yescrypt => cost.map_or(HashMethod::USUAL, HashMethod::Yescrypt),
            HashKind::Sha512 => HashMethod::Sha512(cost.unwrap_or(HashMethod::SHA512_USUAL)),
        }
    }

    /// The oldest netplan among the hosts.
    pub fn netplan(&self) -> NetplanVersion {
        self.netplan.value().map_or(NetplanVersion::USUAL, |written| written.value)
    }

    /// The DNS servers and time servers that are given by address.
    pub fn servers(&self) -> impl Iterator<Item = ServerMention> + '_ {
        let of_names = |list: &'_ Choices<IpAddr>| {
            let list_place = list.place;
            let mention = move |item: &Written<IpAddr>| ServerMention {
                is_for_names: true,
                address: item.value,
                list: list_place,
                place: item.place,
            };
            list.items.iter().map(mention).collect::<Vec<_>>()
        };
        let dns = self.dns.value().into_iter().flat_map(move |list| of_names(list));
        let special = self.dns_for.iter().flat_map(move |special| of_names(&special.servers));
        let ntp = self.ntp.value().into_iter().flat_map(|list| {
            list.items.iter().filter_map(|item| match item.value.server {
                TimeServer::Address(address) => {
                    Some(ServerMention { is_for_names: false, address, list: list.place, place: item.place })
                }
                TimeServer::Name(_) => None,
            })
        });
        dns.chain(special).chain(ntp)
    }

    /// The settings that the sheet states, by their keys, and where each value or list stands.
    pub(crate) fn stated(&self) -> Vec<(&'static str, Place)> {
        fn of<T>(stated: &Stated<Written<T>>) -> Option<Place> {
            stated.value().map(|written| written.place)
        }
        let Self {
            purpose,
            domain,
            name_pattern,
            dns,
            dns_for,
            search,
            llmnr,
            multicast_dns,
            ntp,
            time_service,
            timezone,
            locale,
            keyboard,
            ipv6,
            netplan,
            renderer,
            hosts_file,
            ssh,
            stock_logins,
            password_hashing,
            password_cost,
        } = self;
        let single = [
            ("purpose", of(purpose)),
            ("domain", of(domain)),
            ("name_pattern", of(name_pattern)),
            ("dns", dns.value().map(|list| list.place)),
            ("search", search.value().map(|list| list.place)),
            ("llmnr", of(llmnr)),
            ("multicast_dns", of(multicast_dns)),
            ("ntp", ntp.value().map(|list| list.place)),
            ("time_service", of(time_service)),
            ("timezone", of(timezone)),
            ("locale", of(locale)),
            ("keyboard", of(keyboard)),
            ("ipv6", of(ipv6)),
            ("netplan", of(netplan)),
            ("renderer", of(renderer)),
            ("hosts_file", of(hosts_file)),
            ("ssh.enabled", of(&ssh.enabled)),
            ("ssh.password_login", of(&ssh.password_login)),
            ("ssh.root_login", of(&ssh.root_login)),
            ("ssh.host_key", of(&ssh.host_key)),
            ("ssh.port", of(&ssh.port)),
            ("stock_logins", of(stock_logins)),
            ("password_hashing", of(password_hashing)),
            ("password_cost", of(password_cost)),
        ];
        let special = dns_for.iter().map(|special| ("dns_for", special.servers.place));
        single.into_iter().filter_map(|(key, place)| Some((key, place?))).chain(special).collect()
    }
}

fn value_or_default<T: Copy + Default>(stated: &Stated<Written<T>>) -> T {
    stated.value().map(|written| written.value).unwrap_or_default()
}

/// A server that a machine asks, where its list gives it by address.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ServerMention {
    /// Whether it is asked for names; for the time otherwise.
    pub is_for_names: bool,
    /// Its address.
    pub address: IpAddr,
    /// Where the list stands.
    pub list: Place,
    /// Where the item stands.
    pub place: Place,
}

impl ServerMention {
    /// What it is, in words.
    pub fn word(self) -> &'static str {
        if self.is_for_names { "DNS server" } else { "time server" }
    }
}

/// A list that may be declined.
#[derive(Clone, Debug)]
pub struct Choices<T> {
    /// Where it stands.
    pub place: Place,
    /// The items that could be read.
    pub items: Vec<Written<T>>,
    /// Whether the sheet says that there is no more than these.
    pub ends_with_none: bool,
    /// Whether some item could not be read.
    pub has_faulty_items: bool,
}

impl<T> Choices<T> {
    /// Whether the sheet says that there is nothing at all, on purpose.
    pub fn is_declined(&self) -> bool {
        self.items.is_empty() && self.ends_with_none && !self.has_faulty_items
    }

    /// Whether it is an empty list, which says neither what nor that there is nothing.
    pub fn is_empty(&self) -> bool {
        self.items.is_empty() && !self.ends_with_none && !self.has_faulty_items
    }

    /// The items.
    pub fn values(&self) -> impl Iterator<Item = &T> {
        self.items.iter().map(|item| &item.value)
    }
}

/// A time server, and the key with which it proves its answers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TimeSource {
    /// The server.
    pub server: TimeServer,
    /// Name of the key.
    pub key: Option<Written<String>>,
}

impl fmt::Display for TimeSource {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.server.fmt(f)
    }
}
