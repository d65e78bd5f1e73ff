//! Words for values that an answer takes from a sheet.

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
    Locale = "locale",
    Keyboard = "keyboard",
    Vlan = "vlan",
    Mtu = "mtu",
    Mac = "mac",
    ClusterName = "cluster-name",
    NodeNumber = "node-number",
    NodeCount = "node-count",
    Peers = "peers",
    MemberAddresses = "member-addresses",
    PeerNames = "peer-names",
    VirtualAddress = "virtual-address",
}

impl TakeWord {
    /// The word with this spelling.
    pub fn parse(text: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|word| word.text() == text)
    }

    /// The key of the sheet that holds the list from which the value comes.
    pub fn list(self) -> &'static str {
        match self {
            Self::Dns1 | Self::Dns2 => "dns",
            Self::Ntp1 | Self::Ntp2 => "ntp",
            other => other.text(),
        }
    }

    /// Whether the value belongs to a subnet, and can be taken from one as well as through a link.
    pub fn is_of_subnet(self) -> bool {
        matches!(
            self,
            Self::Netmask
                | Self::PrefixLength
                | Self::PrefixLength6
                | Self::Gateway
                | Self::Gateway6
                | Self::NetworkAddress
                | Self::BroadcastAddress
                | Self::Vlan
                | Self::Mtu
        )
    }

    /// Whether the value is of a link, and can be taken of another machine only through one.
    pub fn is_of_link(self) -> bool {
        matches!(self, Self::Address | Self::Address6 | Self::AddressWithPrefix | Self::Mac)
            || self.is_of_subnet()
    }

    /// Whether the value is of a cluster, and of nothing else.
    pub fn is_of_cluster(self) -> bool {
        matches!(
            self,
            Self::ClusterName
                | Self::NodeNumber
                | Self::NodeCount
                | Self::Peers
                | Self::MemberAddresses
                | Self::PeerNames
                | Self::VirtualAddress
        )
    }
}
