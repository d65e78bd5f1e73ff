//! Rules on netplan files that somebody else wrote.

use crate::finding::{Examples, Nature, Rule, Severity};

pub(crate) const RULES: &[&Rule] = &[
    &NETPLAN_MALFORMED,
    &NETPLAN_KEY_UNREAD,
    &NETPLAN_FILES_COLLIDE,
    &NETPLAN_ASKS_DHCP,
    &NETPLAN_GATEWAY_KEY,
    &NETPLAN_SECOND_NETWORK,
    &NETPLAN_KEY_UNKNOWN,
    &NETPLAN_SETTING_MISSING,
    &NETPLAN_SETTINGS_CLASH,
    &NETPLAN_LINK_UNDEFINED,
    &NETPLAN_KEY_TWICE,
    &NETPLAN_PART_UNREAD,
    &NETPLAN_VALUE_IGNORED,
    &NETPLAN_WANTS_OPENVSWITCH,
];

/// A file that netplan does not take.
pub(super) static NETPLAN_MALFORMED: Rule = Rule {
    name: "netplan-malformed",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "netplan cannot read a netplan file",
    explanation: "A netplan file is YAML: a mapping below the key network, indented with spaces. An address has its \
        prefix length after a slash. netplan refuses all files when one of them cannot be read, and the host comes \
        up without a network.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11]\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A key that is ignored.
pub(super) static NETPLAN_KEY_UNREAD: Rule = Rule {
    name: "netplan-key-unread",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a netplan file has a link that is not checked here",
    explanation: "netplan supports tunnels, modems, VRFs and other links that this tool does not check: only their \
        keys are compared with netplan's. What they do to the host is not checked.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n  tunnels:\n    tun0: {mode: gre, local: 10.64.10.11, remote: 10.64.20.11}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// An older file beside a newer one.
pub(super) static NETPLAN_FILES_COLLIDE: Rule = Rule {
    name: "netplan-files-collide",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "two netplan files say different things about the same link",
    explanation: "netplan reads all files in its folders in the order of their names. The last single value wins, \
        and lists are joined: an address in an older file stays in addition to the new one. Set the older file \
        aside, or remove the link from it.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n# another netplan file\nnetwork:\n  ethernets:\n    eth0:\n      addresses: [10.64.10.12/24]\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n# another netplan file\nnetwork:\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A link that asks for its address.
pub(super) static NETPLAN_ASKS_DHCP: Rule = Rule {
    name: "netplan-asks-dhcp",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a link asks a DHCP server for its address",
    explanation: "The address of such a link is not in the file, and may change. A host that should be reached by \
        its address needs a static one.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      dhcp4: true\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A key that is on its way out.
pub(super) static NETPLAN_GATEWAY_KEY: Rule = Rule {
    name: "netplan-gateway-key",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a netplan file uses gateway4 or gateway6",
    explanation: "gateway4 and gateway6 are deprecated: newer versions of netplan warn, and of several on a host \
        only one takes effect. A route to default does the same.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      gateway4: 10.64.10.1\n      nameservers: {addresses: [10.64.10.53]}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// An address of another network.
pub(super) static NETPLAN_SECOND_NETWORK: Rule = Rule {
    name: "netplan-second-network",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a link has addresses of several networks",
    explanation: "The first address of each family decides which network the link is in, and is checked. Whether an \
        address in another network is right cannot be seen in the file, so no rule checks it.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24, 10.64.30.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24, 10.64.10.12/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A key that netplan refuses.
pub(super) static NETPLAN_KEY_UNKNOWN: Rule = Rule {
    name: "netplan-key-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a netplan file has a key that netplan does not know",
    explanation: "netplan refuses all files when one of them has an unknown key, and the host comes up without a \
        network. New releases add keys: Debian 11 has 0.101, Debian 12 has 0.106, Debian 13 has 1.1. A file is \
        checked against the netplan of its root filesystem, or else against the newest known version, or the one \
        given with --netplan.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      adresses: [10.64.10.11/24]\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A link that lacks what its kind needs.
pub(super) static NETPLAN_SETTING_MISSING: Rule = Rule {
    name: "netplan-setting-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a netplan file lacks a required setting",
    explanation: "A VLAN needs an ID and a link that it is on, a Wi-Fi interface needs networks, a route needs a \
        destination and a router, an interface with set-name needs a match, a tunnel needs a mode and two ends. \
        netplan refuses all files when one of them lacks such a setting.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0: {}\n  vlans:\n    quay:\n      id: 110\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0: {}\n  vlans:\n    quay:\n      id: 110\n      link: eth0\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// Settings that do not go together.
pub(super) static NETPLAN_SETTINGS_CLASH: Rule = Rule {
    name: "netplan-settings-clash",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a netplan file has settings that contradict each other",
    explanation: "An interface can be in one bond or bridge only, a link has one kind, a passphrase has 8 to 63 \
        characters, and each renderer supports only some settings. netplan refuses all files for such a \
        contradiction.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    enp1s0: {}\n    enp2s0: {}\n  bridges:\n    br0:\n      interfaces: [enp1s0]\n      parameters: {stp: false}\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n    br1:\n      interfaces: [enp2s0, enp1s0]\n      parameters: {stp: false}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    enp1s0: {}\n    enp2s0: {}\n  bridges:\n    br0:\n      interfaces: [enp1s0]\n      parameters: {stp: false}\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n    br1:\n      interfaces: [enp2s0]\n      parameters: {stp: false}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A name that stands for no link.
pub(super) static NETPLAN_LINK_UNDEFINED: Rule = Rule {
    name: "netplan-link-undefined",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a netplan file refers to a missing link",
    explanation: "Members of bonds and bridges, and the link of a VLAN, are named by their keys in the files, not by \
        set-name. Each must be in the same file or an earlier one, or netplan refuses all files. A link without \
        settings is written as NAME: {}.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    enp1s0: {}\n    enp2s0: {}\n  bridges:\n    br0:\n      interfaces: [enp1s0]\n      parameters: {stp: false}\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n    br1:\n      interfaces: [enp3s0]\n      parameters: {stp: false}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    enp1s0: {}\n    enp2s0: {}\n  bridges:\n    br0:\n      interfaces: [enp1s0]\n      parameters: {stp: false}\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n    br1:\n      interfaces: [enp2s0]\n      parameters: {stp: false}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A key that is there twice.
pub(super) static NETPLAN_KEY_TWICE: Rule = Rule {
    name: "netplan-key-twice",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a netplan file has a key twice, with different values",
    explanation: "netplan accepts a key twice in one mapping: the last single value wins, and lists are joined. \
        People who read the file see the first.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      mtu: 1500\n      mtu: 1400\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A document that netplan does not get to.
pub(super) static NETPLAN_PART_UNREAD: Rule = Rule {
    name: "netplan-part-unread",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a netplan file has a part that netplan does not read",
    explanation: "A line of three dashes starts a second document in a YAML file. netplan reads only the first and \
        silently ignores the others. It also ignores files whose names start with a dot or do not end in .yaml, and \
        a few other things.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n---\nnetwork:\n  ethernets:\n    eth1: {}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A value that nobody reads.
pub(super) static NETPLAN_VALUE_IGNORED: Rule = Rule {
    name: "netplan-value-ignored",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "netplan accepts a value, but systemd does not",
    explanation: "netplan checks an address but not always its prefix length. systemd-networkd ignores what it \
        cannot read, with a line in its log, and the host comes up without that address or route. For \
        NetworkManager, netplan leaves out the routes and search domains of a link that has no address of their \
        family.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}, {to: 10.64.96.0/200, via: 10.64.10.2}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}, {to: 10.64.96.0/20, via: 10.64.10.2}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A link that another program has to set up.
pub(super) static NETPLAN_WANTS_OPENVSWITCH: Rule = Rule {
    name: "netplan-wants-openvswitch",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a netplan file needs Open vSwitch",
    explanation: "netplan passes such links to Open vSwitch, and refuses all files on a host without \
        /usr/bin/ovs-vsctl: the host then comes up without a network. Install openvswitch-switch on the host, or use \
        a kernel bridge.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n  bridges:\n    br0:\n      openvswitch: {}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n  bridges:\n    br0:\n      parameters: {stp: false}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};
