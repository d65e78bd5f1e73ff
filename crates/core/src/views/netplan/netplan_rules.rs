//! Rules on netplan files that somebody else wrote.

use std::net::IpAddr;

use impostazione_text::{Place, Written, nearest};
use ipnet::IpNet;

use crate::finding::{Examples, Finding, Nature, Rule, Severity};

pub(crate) const RULES: &[&Rule] = &[
    &NETPLAN_MALFORMED,
    &NETPLAN_KEY_UNREAD,
    &NETPLAN_FILES_COLLIDE,
    &NETPLAN_ASKS_DHCP,
    &NETPLAN_GATEWAY_KEY,
    &NETPLAN_SECOND_NETWORK,
];

/// A file that netplan does not take.
static NETPLAN_MALFORMED: Rule = Rule {
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
static NETPLAN_KEY_UNREAD: Rule = Rule {
    name: "netplan-key-unread",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a netplan file has a key that is not looked at here",
    explanation: "Tunnels, modems, virtual routing domains and some settings are not understood by this tool. What \
        they do to the host is not judged.",
    wrong: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n      openvswitch: {}\n",
    right: "# a netplan file\nnetwork:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n      routes: [{to: default, via: 10.64.10.1}]\n      nameservers: {addresses: [10.64.10.53]}\n",
    examples: Examples::NetplanFiles,
    ..Rule::PLAIN
};

/// An older file beside a newer one.
static NETPLAN_FILES_COLLIDE: Rule = Rule {
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
static NETPLAN_ASKS_DHCP: Rule = Rule {
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
static NETPLAN_GATEWAY_KEY: Rule = Rule {
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
static NETPLAN_SECOND_NETWORK: Rule = Rule {
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

pub(crate) fn malformed(place: Place, reason: &str) -> Finding {
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        place,
        format!("The file cannot be read from here on: {reason}."),
        "mend it, and have netplan generate read it",
    )
}

pub(crate) fn address_without_mask(written: &Written<String>) -> Finding {
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        written.place,
        format!("The address \"{}\" has no length behind a slash that netplan could read.", written.value),
        "write the length, as in 10.64.10.11/24",
    )
}

/// A key that is not looked at, because it is beside the matter or because it was mistyped: `known` are those that may have
/// been meant.
pub(crate) fn key_unread(key: &Written<String>, link: Option<&str>, known: &[&str]) -> Finding {
    let fix = match nearest(&key.value, known.iter().copied(), 1).first() {
        Some(meant) => format!("write {meant} if that was meant, or else look at it yourself"),
        None => "look at it yourself".to_owned(),
    };
    let whose = link.map_or_else(String::new, |link| format!(" of {link}"));
    Finding::on_sheet(
        &NETPLAN_KEY_UNREAD,
        key.place,
        format!("`{}`{whose} is not looked at.", key.value),
        fix,
    )
}

/// A key of a link that two files set differently. `first` and `file` name the earlier place.
pub(crate) fn files_collide(
    place: Place,
    link: &str,
    key: &str,
    is_list: bool,
    first: &str,
    file: &str,
) -> Finding {
    let what_happens = if is_list { "what both of them list is used" } else { "this one wins" };
    Finding::on_sheet(
        &NETPLAN_FILES_COLLIDE,
        place,
        format!("`{key}` of {link} stands in {file} too, differently, at {first}: {what_happens}."),
        format!(
            "take {link} out of one of the two files, or that file out of the folder if it is an older one"
        ),
    )
}

pub(crate) fn asks_dhcp(place: Place, link: &str, key: &str, own: Option<IpAddr>) -> Finding {
    let (message, fix) = match own {
        Some(own) => (
            format!("{link} asks a DHCP server for an address beside {own}."),
            format!("write {key}: false, unless it is to have both"),
        ),
        None => (
            format!("{link} asks a DHCP server for its address."),
            format!("write {key}: false and an address, if it is to be found by it"),
        ),
    };
    Finding::on_sheet(&NETPLAN_ASKS_DHCP, place, message, fix)
}

pub(crate) fn gateway_key(place: Place, key: &str) -> Finding {
    let family = if key == "gateway4" { "0.0.0.0/0" } else { "::/0" };
    Finding::on_sheet(
        &NETPLAN_GATEWAY_KEY,
        place,
        format!("`{key}` is deprecated."),
        format!("write a route: - {{to: {family}, via: …}}"),
    )
}

pub(crate) fn second_network(place: Place, link: &str, prefix: IpNet) -> Finding {
    Finding::on_sheet(
        &NETPLAN_SECOND_NETWORK,
        place,
        format!("{link} has an address of {prefix} too, beside that of its first network."),
        "look yourself whether that is meant",
    )
}
