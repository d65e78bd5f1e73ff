//! What a property may want, in words.

use std::fmt;

use super::take_word::TakeWord;

/// From this confidence on a meaning is acted upon.
pub const CERTAIN: f64 = 0.8;

/// From this confidence on something of a property that means none of these was understood.
pub const UNDERSTOOD: f64 = 0.5;

macro_rules! meanings {
    ($($(#[$about:meta])* $meaning:ident = $text:literal),+ $(,)?) => {
        /// What a property wants.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub enum Meaning { $($(#[$about])* $meaning),+ }

        impl Meaning {
            /// All of them.
            pub const ALL: &[Self] = &[$(Self::$meaning),+];

            /// The word for it.
            pub fn word(self) -> &'static str {
                match self { $(Self::$meaning => $text),+ }
            }
        }
    };
}

meanings! {
    /// The IPv4 address of one of the machine's links.
    Address = "address",
    /// The IPv6 address of one of its links.
    Address6 = "address6",
    /// The mask of a link's subnet, in dotted form.
    Netmask = "netmask",
    /// The length of a link's prefix.
    PrefixLength = "prefix-length",
    /// The length of a link's IPv6 prefix.
    PrefixLength6 = "prefix-length6",
    /// A link's address with its prefix length.
    AddressWithPrefix = "address-with-prefix",
    /// The default gateway.
    Gateway = "gateway",
    /// The IPv6 default gateway.
    Gateway6 = "gateway6",
    /// The machine's name.
    Hostname = "hostname",
    /// Its name with its domain.
    Fqdn = "fqdn",
    /// Its domain.
    Domain = "domain",
    /// Its DNS servers, or that of the position.
    Dns = "dns",
    /// Its first DNS server.
    Dns1 = "dns-1",
    /// Its second DNS server.
    Dns2 = "dns-2",
    /// The domains in which short names are looked up.
    Search = "search",
    /// Its time servers, or that of the position.
    Ntp = "ntp",
    /// Its first time server.
    Ntp1 = "ntp-1",
    /// Its second time server.
    Ntp2 = "ntp-2",
    /// Its time zone.
    Timezone = "timezone",
    /// A password of the account.
    Password = "password",
    /// The name of a login.
    Username = "username",
    /// Whether it can be reached by SSH.
    SshEnabled = "ssh-enabled",
    /// A public key for SSH.
    SshKey = "ssh-key",
    /// Whether it asks time servers.
    NtpEnabled = "ntp-enabled",
    /// Whether it asks for an address instead of having its own.
    DhcpEnabled = "dhcp-enabled",
    /// Whether it speaks IPv6.
    Ipv6Enabled = "ipv6-enabled",
    /// Whether its pages are served encrypted.
    HttpsEnabled = "https-enabled",
    /// The tag of a VLAN.
    Vlan = "vlan",
    /// The largest packet.
    Mtu = "mtu",
    /// A license in letters and digits.
    LicenseKey = "license-key",
    /// Where licenses are asked for.
    LicenseServer = "license-server",
    /// Which of the cluster's machines it is.
    NodeNumber = "node-number",
    /// How many machines the cluster has.
    NodeCount = "node-count",
    /// The name of the cluster.
    ClusterName = "cluster-name",
    /// What the machine does in its cluster.
    Role = "role",
    /// The addresses of the cluster's other machines.
    Peers = "peers",
    /// The address that one of the cluster's machines answers at.
    VirtualAddress = "virtual-address",
    /// Its language.
    Locale = "locale",
    /// The keyboard of its console.
    Keyboard = "keyboard",
    /// The server that its mail goes through.
    MailRelay = "mail-relay",
    /// Where its mail goes to or comes from.
    MailAddress = "mail-address",
    /// The proxy that it reaches others through.
    Proxy = "proxy",
    /// None of these.
    Other = "other",
}

impl Meaning {
    /// The meaning with this word.
    pub fn parse(word: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|meaning| meaning.word() == word)
    }

    /// What messages call it, behind "the".
    pub fn called(self) -> String {
        match self {
            Self::Address => "IPv4 address".to_owned(),
            Self::Address6 => "IPv6 address".to_owned(),
            Self::PrefixLength6 => "IPv6 prefix length".to_owned(),
            Self::Gateway6 => "IPv6 gateway".to_owned(),
            Self::Hostname => "host name".to_owned(),
            Self::Fqdn => "full name".to_owned(),
            Self::Dns => "DNS servers".to_owned(),
            Self::Dns1 => "first DNS server".to_owned(),
            Self::Dns2 => "second DNS server".to_owned(),
            Self::Search => "search domains".to_owned(),
            Self::Ntp => "time servers".to_owned(),
            Self::Ntp1 => "first time server".to_owned(),
            Self::Ntp2 => "second time server".to_owned(),
            Self::Timezone => "time zone".to_owned(),
            Self::Peers => "other machines of its cluster".to_owned(),
            Self::NodeCount => "number of machines in its cluster".to_owned(),
            other => other.word().replace('-', " "),
        }
    }

    /// The word by which a sheet takes a value of this meaning, where there is one.
    pub fn take_word(self) -> Option<TakeWord> {
        TakeWord::parse(self.word())
    }

    /// The meaning without its place among several: `dns` for `dns-1`.
    pub(super) fn unplaced(self) -> Self {
        match self {
            Self::Dns1 | Self::Dns2 => Self::Dns,
            Self::Ntp1 | Self::Ntp2 => Self::Ntp,
            other => other,
        }
    }

    /// Whether it is about one of the machine's links.
    pub fn is_of_link(self) -> bool {
        matches!(
            self,
            Self::Address
                | Self::Address6
                | Self::Netmask
                | Self::PrefixLength
                | Self::PrefixLength6
                | Self::AddressWithPrefix
                | Self::Gateway
                | Self::Gateway6
                | Self::Vlan
                | Self::Mtu
                | Self::DhcpEnabled
                | Self::Ipv6Enabled
        )
    }

    /// Whether it is about a login.
    pub fn is_of_account(self) -> bool {
        matches!(self, Self::Password | Self::Username | Self::SshKey)
    }

    /// Whether it wants a switch.
    pub fn is_switch(self) -> bool {
        matches!(
            self,
            Self::SshEnabled | Self::NtpEnabled | Self::DhcpEnabled | Self::Ipv6Enabled | Self::HttpsEnabled
        )
    }

    /// Whether it wants a whole number.
    pub(super) fn is_number(self) -> bool {
        matches!(
            self,
            Self::PrefixLength
                | Self::PrefixLength6
                | Self::Vlan
                | Self::Mtu
                | Self::NodeNumber
                | Self::NodeCount
        )
    }
}

impl fmt::Display for Meaning {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word())
    }
}
