//! The sections of netplan files, and what each holds.

/// What a section holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Kind {
    Ethernet,
    Wifi,
    Modem,
    Bond,
    Bridge,
    Vlan,
    Vrf,
    Tunnel,
    Dummy,
    Veth,
    /// A connection of `NetworkManager`'s of which netplan knows little.
    Manager,
    /// One end of a cable between two switches of Open vSwitch.
    SwitchPort,
}

/// Sections and what they hold.
const SECTIONS: [(&str, Kind); 11] = [
    ("ethernets", Kind::Ethernet),
    ("wifis", Kind::Wifi),
    ("modems", Kind::Modem),
    ("bonds", Kind::Bond),
    ("bridges", Kind::Bridge),
    ("vlans", Kind::Vlan),
    ("vrfs", Kind::Vrf),
    ("tunnels", Kind::Tunnel),
    ("dummy-devices", Kind::Dummy),
    ("virtual-ethernets", Kind::Veth),
    ("nm-devices", Kind::Manager),
];

impl Kind {
    /// What a section holds.
    pub(super) fn of_section(section: &str) -> Option<Self> {
        SECTIONS.iter().find(|(name, _)| *name == section).map(|(_, kind)| *kind)
    }

    /// Whether it is a port, and not made by the host.
    pub(super) fn is_port(self) -> bool {
        matches!(self, Self::Ethernet | Self::Wifi | Self::Modem)
    }

    /// In the words of people.
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::Ethernet => "ethernet",
            Self::Wifi => "wifi",
            Self::Modem => "modem",
            Self::Bond => "bond",
            Self::Bridge => "bridge",
            Self::Vlan => "vlan",
            Self::Vrf => "vrf",
            Self::Tunnel => "tunnel",
            Self::Dummy => "dummy",
            Self::Veth => "virtual-ethernet",
            Self::Manager => "nm-device",
            Self::SwitchPort => "openvswitch-port",
        }
    }
}
