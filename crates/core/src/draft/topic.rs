//! What a question is about.

/// A key of `[common]` that is asked about, in the order in which people think.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum CommonKey {
    Site,
    Purpose,
    Keyboard,
    Domain,
    Dns,
    Search,
    Ntp,
    Timezone,
    Locale,
    Ipv6,
    HostKeys,
}

/// Something about a subnet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum SubnetKey {
    Prefix,
    Gateway,
    Prefix6,
    Gateway6,
    Vlan,
    DhcpRanges,
    HypervisorNetwork,
    WifiName,
    WifiCountry,
}

/// Something about a login.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum AccountKey {
    FullName,
    Admin,
    SshKeys,
    Password,
    Per,
    Hosts,
}

/// Something about a link of a host.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum LinkKey {
    Name,
    Port,
    Members,
    Mode,
    Over,
    Subnet,
    Address,
    Address6,
}

/// Something about an appliance.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum ApplianceKey {
    Package,
    System,
    DeploymentOption,
    License(usize),
    NetworkSubnet(usize),
    NetworkAddress(usize),
    Cluster,
    VirtualAddress,
    /// A property, by its id.
    Property(String),
}

/// What a question is about.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Topic {
    /// How much is prepared.
    Scope,
    /// A setting of all machines.
    Common(CommonKey),
    /// Whether there is a subnet of that number, counted from 1.
    NextSubnet(usize),
    /// A subnet, by its name.
    Subnet(String, SubnetKey),
    /// Whether there is a login of that number.
    NextAccount(usize),
    /// A login, by its name.
    Account(String, AccountKey),
    /// Whether there is an entry of hosts of that number.
    NextHost(usize),
    /// The name of a host that was found without one, counted from 0.
    HostName(usize),
    /// The field of a host's rows that holds something.
    RowsField(usize, usize),
    /// Whether a host, counted from 0, has a link of that number, counted from 1.
    NextLink(usize, usize),
    /// A link of a host, by its number.
    Link(usize, usize, LinkKey),
    /// Whether there is an entry of appliances of that number.
    NextAppliance(usize),
    /// An appliance, counted from 0.
    Appliance(usize, ApplianceKey),
    /// What all replies come to.
    Summary,
}

impl CommonKey {
    /// The key.
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Site => "site",
            Self::Purpose => "purpose",
            Self::Keyboard => "keyboard",
            Self::Domain => "domain",
            Self::Dns => "dns",
            Self::Search => "search",
            Self::Ntp => "ntp",
            Self::Timezone => "timezone",
            Self::Locale => "locale",
            Self::Ipv6 => "ipv6",
            Self::HostKeys => "ssh",
        }
    }
}

impl SubnetKey {
    /// The key, or the one that is written in its place.
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Prefix => "prefix",
            Self::Gateway => "gateway",
            Self::Prefix6 => "prefix6",
            Self::Gateway6 => "gateway6",
            Self::Vlan => "vlan",
            Self::DhcpRanges => "dhcp_ranges",
            Self::HypervisorNetwork => "hypervisor_network",
            Self::WifiName => "wifi",
            Self::WifiCountry => "wifi.country",
        }
    }
}

impl AccountKey {
    /// The key.
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::FullName => "full_name",
            Self::Admin => "admin",
            Self::SshKeys => "ssh_keys",
            Self::Password => "password",
            Self::Per => "password.per",
            Self::Hosts => "hosts",
        }
    }
}

impl LinkKey {
    /// The key.
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Name => "name",
            Self::Port => "port",
            Self::Members => "members",
            Self::Mode => "mode",
            Self::Over => "over",
            Self::Subnet => "subnet",
            Self::Address => "address",
            Self::Address6 => "address6",
        }
    }
}

impl ApplianceKey {
    fn id(&self) -> String {
        match self {
            Self::Package => "package".to_owned(),
            Self::System => "system".to_owned(),
            Self::DeploymentOption => "deployment_option".to_owned(),
            Self::License(index) => format!("license.{}", index + 1),
            Self::NetworkSubnet(index) => format!("network.{}.subnet", index + 1),
            Self::NetworkAddress(index) => format!("network.{}.address", index + 1),
            Self::Cluster => "cluster".to_owned(),
            Self::VirtualAddress => "virtual_address".to_owned(),
            Self::Property(id) => format!("answer.{id}"),
        }
    }
}

impl Topic {
    /// What the question is called in a file of replies.
    pub(super) fn id(&self) -> String {
        match self {
            Self::Scope => "scope".to_owned(),
            Self::Common(CommonKey::HostKeys) => "common.ssh.host_key".to_owned(),
            Self::Common(key) => format!("common.{}", key.name()),
            Self::NextSubnet(number) => format!("subnet.{number}"),
            Self::Subnet(name, key) => format!("subnet.{name}.{}", key.name()),
            Self::NextAccount(number) => format!("account.{number}"),
            Self::Account(name, key) => format!("account.{name}.{}", key.name()),
            Self::NextHost(number) => format!("host.{number}"),
            Self::HostName(host) => format!("host.{}.name", host + 1),
            Self::RowsField(host, field) => {
                format!(
                    "host.{}.field.{}",
                    host + 1,
                    super::rows::FIELDS.get(*field).map_or("", |(word, _)| word)
                )
            }
            Self::NextLink(host, number) => format!("host.{}.link.{number}", host + 1),
            Self::Link(host, number, key) => format!("host.{}.link.{number}.{}", host + 1, key.name()),
            Self::NextAppliance(number) => format!("appliance.{number}"),
            Self::Appliance(index, key) => format!("appliance.{}.{}", index + 1, key.id()),
            Self::Summary => "summary".to_owned(),
        }
    }
}
