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
    summary: "a netplan file is not written as netplan asks",
    explanation: "A netplan file is YAML: a mapping below the key network, indented with spaces. An address carries \
        its length behind a slash. netplan refuses all files when one of them cannot be read, and the host \
        comes up without a network.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11]\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// A key that is passed over.
pub(super) static NETPLAN_KEY_UNREAD: Rule = Rule {
    name: "netplan-key-unread",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a netplan file has a link that is not judged here",
    explanation: "netplan takes tunnels, modems, VRFs and other links that this tool does not judge: they are held against \
        netplan's keys, and shown, and that is all. What they do to the host is not judged.",
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
    explanation: "netplan reads all files of its folders in the order of their names. Of single values the last one \
        wins, and lists are added to each other: an address of an older file stays beside the new one. Set \
        the older file aside, or take the link out of it.",
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
    explanation: "The address of such a link is not in the file, and may change. A host that is to be found by its \
        address has a static one.",
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
    explanation: "gateway4 and gateway6 are deprecated: newer versions of netplan warn, and of several on a host only \
        one takes effect. A route to default says the same.",
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
    explanation: "The first address of each family says which network the link is in, and is judged. What lies in \
        another network is right or wrong for reasons that the file does not tell, and is shown to no rule.",
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
    explanation: "netplan refuses all files when one of them has a key that it does not know, and the host comes up without a network. Keys have come with newer releases: Debian 11 has 0.101, Debian 12 has 0.106, Debian 13 has 1.1. A file is held against the netplan of the root filesystem that it lies in, and else against the newest known, or the one that --netplan names.",
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
    summary: "a netplan file leaves out what netplan wants a link to have",
    explanation: "A VLAN has a tag and a link that carries it, a wireless port has networks, a route has somewhere to lead to and a router, a port that is to be renamed has something to be found by, a tunnel has a mode and two ends. netplan refuses all files when one of them leaves such a thing out.",
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
    summary: "a netplan file asks for what does not go together",
    explanation: "A port is a member of one bond or bridge, a link is of one kind, a passphrase has 8 to 63 characters, and some settings are not to be had from the program that sets the link up. netplan refuses all files for such a thing.",
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
    summary: "a netplan file names a link that is not there",
    explanation: "Members of bonds and bridges and what carries a VLAN are named as they stand in the files, not by their set-name. Each has to stand in the same file or in one before it: netplan refuses all files otherwise. A link of which nothing is to be said is written as NAME: {}.",
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
    summary: "a netplan file says something twice, differently",
    explanation: "netplan takes a key that stands twice in one mapping: of single values the last one counts, and lists are added to each other. Whoever reads the file sees the first.",
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
    explanation: "A line of three dashes begins a second document in a YAML file. netplan reads the first one alone and says nothing of the others. It passes over files whose names begin with a dot or end in something else than .yaml, and a few other things.",
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
    summary: "netplan takes a value, and systemd does not",
    explanation: "netplan looks at an address and not always at the length behind it. What systemd-networkd cannot read it \
        passes over with a line in its log, and the host comes up without that address or route. For NetworkManager netplan \
        leaves out the routes and search domains of a link that has no address of their family.",
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
    summary: "a netplan file has a link of Open vSwitch, which has to be installed",
    explanation: "netplan hands such links to Open vSwitch, and refuses all files on a host that has no /usr/bin/ovs-vsctl: the \
        host then comes up without a network. Install openvswitch-switch on the host, or make a bridge of the kernel's.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n  bridges:\n    br0:\n      openvswitch: {}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n  bridges:\n    br0:\n      parameters: {stp: false}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};
