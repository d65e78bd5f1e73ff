//! What is said of netplan files: the sentence, and what to write instead.

use std::net::IpAddr;

use impostazione_net::{AddressFault, MacFault, NameFault};
use impostazione_text::{Place, Written, nearest};
use ipnet::IpNet;

use super::netplan_rules::{
    NETPLAN_ASKS_DHCP, NETPLAN_FILES_COLLIDE, NETPLAN_GATEWAY_KEY, NETPLAN_KEY_TWICE, NETPLAN_KEY_UNKNOWN,
    NETPLAN_KEY_UNREAD, NETPLAN_LINK_UNDEFINED, NETPLAN_MALFORMED, NETPLAN_PART_UNREAD,
    NETPLAN_SECOND_NETWORK, NETPLAN_SETTING_MISSING, NETPLAN_SETTINGS_CLASH, NETPLAN_VALUE_IGNORED,
    NETPLAN_WANTS_OPENVSWITCH,
};
use super::yaml::Value;
use crate::finding::Finding;
use crate::machine::{BondMode, NetplanVersion, rules};

/// A text that is no YAML.
pub(crate) fn malformed(place: Place, reason: &str) -> Finding {
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        place,
        format!("The file cannot be read from here on: {reason}."),
        "correct it, and test it with netplan generate",
    )
}

/// A value as messages show it.
pub(crate) enum Found {
    Text(String),
    Hidden,
    Empty,
    List,
    Mapping,
}

impl Found {
    /// What a value is; a text that nobody may see stays hidden.
    pub(super) fn of(value: &Value, is_confidential: bool) -> Self {
        match value {
            Value::Scalar(text) if text.is_empty() => Self::Empty,
            Value::Scalar(_) if is_confidential => Self::Hidden,
            Value::Scalar(text) => Self::Text(text.clone()),
            Value::List(_) => Self::List,
            Value::Map(_) => Self::Mapping,
        }
    }

    fn in_words(&self) -> String {
        match self {
            Self::Text(text) => format!("\"{text}\""),
            Self::Hidden => "one value".to_owned(),
            Self::Empty => "empty".to_owned(),
            Self::List => "a list".to_owned(),
            Self::Mapping => "a mapping".to_owned(),
        }
    }
}

/// ` of LINK`, where it is about one.
fn whose(link: Option<&str>) -> String {
    link.map_or_else(String::new, |link| format!(" of {link}"))
}

/// One value where a list is due, and the like.
pub(super) fn wrong_shape(
    place: Place,
    key: &str,
    link: Option<&str>,
    found: &Found,
    wanted: &str,
) -> Finding {
    let fix = match (wanted, found) {
        ("a list", Found::Text(text)) => format!("write {key}: [{text}]"),
        ("a mapping", _) => "write its settings on separate lines below it, indented further".to_owned(),
        ("one value", Found::List) => {
            format!("write {key}: with one value, without a dash or brackets")
        }
        _ => format!("write {wanted}"),
    };
    let named = if key == THE_FILE { "The file".to_owned() } else { format!("`{key}`") };
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        place,
        format!("{named}{} is {}, but netplan expects {wanted}.", whose(link), found.in_words()),
        fix,
    )
}

/// What stands in place of a key when the whole file is meant.
pub(super) const THE_FILE: &str = "the file";

/// A value that netplan does not take.
pub(super) fn wrong_value(
    place: Place,
    key: &str,
    link: Option<&str>,
    found: &Found,
    wanted: &str,
) -> Finding {
    let named = if key == THE_FILE { "The file".to_owned() } else { format!("`{key}`") };
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        place,
        format!("{named}{} is {}, but netplan expects {wanted}.", whose(link), found.in_words()),
        format!("write {wanted}"),
    )
}

/// An address without its length, or with one that its family does not have.
pub(crate) fn address_without_length(written: &Written<String>, key: &str, link: Option<&str>) -> Finding {
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        written.place,
        format!("\"{}\" in `{key}`{} has no valid prefix length after a slash.", written.value, whose(link)),
        "write the prefix length, as in 10.64.10.11/24",
    )
}

pub(crate) fn empty(place: Place, key: &str, link: Option<&str>) -> Finding {
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        place,
        format!("`{key}`{} is an empty list, but netplan needs at least one item.", whose(link)),
        format!("write an item, or remove {key}"),
    )
}

pub(crate) fn no_pair(place: Place, key: &str, link: Option<&str>) -> Finding {
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        place,
        format!("`{key}`{} does not have exactly two items.", whose(link)),
        "write two",
    )
}

pub(crate) fn id_refused(id: &Written<String>) -> Finding {
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        id.place,
        format!("netplan does not accept a link named \"{}\": it has spaces or wildcards.", id.value),
        "write a name without spaces and without * ? [ ]; match: {name: …} may have them",
    )
}

pub(crate) fn link_without_mapping(id: &Written<String>, place: Place) -> Finding {
    let (place, is) = if place.span.is_empty() { (id.place, "empty") } else { (place, "a value or a list") };
    Finding::on_sheet(
        &NETPLAN_MALFORMED,
        place,
        format!("{} is {is}, but netplan expects a mapping.", id.value),
        format!("write {}: {{}} if it has no settings, or indent its lines further than its name", id.value),
    )
}

/// A file of several documents.
pub(crate) fn second_document(place: Place) -> Finding {
    Finding::on_sheet(
        &NETPLAN_PART_UNREAD,
        place,
        "A second document starts here, and netplan reads only the first.",
        "put it into a separate file, or remove the line with the three dashes or dots",
    )
}

/// A file whose name keeps netplan from reading it.
pub(crate) fn name_not_read(place: Place, name: &str) -> Finding {
    Finding::on_sheet(
        &NETPLAN_PART_UNREAD,
        place,
        format!("netplan does not read a file called {name}."),
        "rename it: the name must end in .yaml and not start with a dot",
    )
}

/// Links for which Open vSwitch has to be there.
pub(super) fn wants_openvswitch(ids: &[&Written<String>]) -> Option<Finding> {
    let first = ids.first()?;
    let names: Vec<&str> = ids.iter().map(|id| id.value.as_str()).collect();
    let (names, are) = (names.join(", "), if ids.len() == 1 { "is" } else { "are" });
    Some(Finding::on_sheet(
        &NETPLAN_WANTS_OPENVSWITCH,
        first.place,
        format!(
            "{names} {are} for Open vSwitch: netplan refuses all files on a host without /usr/bin/ovs-vsctl. Below \
             `openvswitch`, only the keys are checked."
        ),
        "install openvswitch-switch on the host, or remove the openvswitch settings",
    ))
}

/// An address that netplan would refuse, and does not look at.
pub(crate) fn address_passed_over(place: Place, link: Option<&str>) -> Finding {
    Finding::on_sheet(
        &NETPLAN_PART_UNREAD,
        place,
        format!("netplan ignores this one of the `addresses`{}, because it is not valid.", whose(link)),
        "correct it, or remove it",
    )
}

/// A key that no netplan has.
pub(crate) fn key_unknown(
    key: &Written<String>,
    link: Option<&str>,
    version: NetplanVersion,
    known: &[&str],
    is_confidential: bool,
) -> Finding {
    let close = nearest(&key.value, known.iter().copied(), 1);
    // What resembles no key may be somebody's passphrase.
    let message = if is_confidential && close.is_empty() {
        format!("netplan {version} does not know this key{}.", in_link(link))
    } else {
        format!("netplan {version} has no key `{}` here{}.", key.value, in_link(link))
    };
    let fix = match close.first() {
        Some(meant) => format!("write {meant} if you mean that, or remove it"),
        None if key.value == "<<" => {
            "write out what it points to: netplan does not merge mappings with <<".to_owned()
        }
        None => match known {
            [only] => format!("put everything below {only}, or remove it"),
            _ => "remove it, or move it to where it belongs".to_owned(),
        },
    };
    Finding::on_sheet(&NETPLAN_KEY_UNKNOWN, key.place, message, fix)
}

fn in_link(link: Option<&str>) -> String {
    link.map_or_else(String::new, |link| format!(", in {link}"))
}

/// A key that a later netplan has.
pub(crate) fn key_too_new(
    key: &Written<String>,
    link: Option<&str>,
    version: NetplanVersion,
    since: NetplanVersion,
) -> Finding {
    Finding::on_sheet(
        &NETPLAN_KEY_UNKNOWN,
        key.place,
        format!(
            "netplan {version} does not have `{}`{}: it came with netplan {since}.",
            key.value,
            in_link(link)
        ),
        format!("remove it, or install netplan {since} on the host"),
    )
}

pub(crate) fn route_without(place: Place, key: &str, link: Option<&str>) -> Finding {
    let fix = match key {
        "to" => "write to: with the destination network, or default",
        _ => "write via: with the router, or scope: link if there is none",
    };
    Finding::on_sheet(&NETPLAN_SETTING_MISSING, place, format!("A route{} has no `{key}`.", whose(link)), fix)
}

pub(crate) fn policy_for_nobody(place: Place, link: Option<&str>) -> Finding {
    Finding::on_sheet(
        &NETPLAN_SETTING_MISSING,
        place,
        format!("A rule in `routing-policy`{} has neither `from` nor `to`.", whose(link)),
        "write from: or to: with the addresses that it applies to",
    )
}

pub(crate) fn two_families(place: Place, key: &str, found: &str, other: &str, link: Option<&str>) -> Finding {
    Finding::on_sheet(
        &NETPLAN_SETTINGS_CLASH,
        place,
        format!(
            "`{key}` of a route or rule{} is \"{found}\", which is of another family than its `{other}`.",
            whose(link)
        ),
        "use the same family for both",
    )
}

/// Something that a link of its kind has to have.
pub(crate) fn setting_missing(id: &Written<String>, what: &str, fix: &str) -> Finding {
    Finding::on_sheet(&NETPLAN_SETTING_MISSING, id.place, format!("{} has no {what}.", id.value), fix)
}

/// Settings of a link that do not go together, or not with the program that sets it up.
pub(crate) fn settings_clash(place: Place, link: &str, why: &str, fix: &str) -> Finding {
    Finding::on_sheet(&NETPLAN_SETTINGS_CLASH, place, format!("{link} {why}."), fix)
}

/// A name that stands for no link.
pub(super) fn link_undefined(of: &Written<String>, to: &Written<String>, known: Vec<&str>) -> Finding {
    let fix = match nearest(&to.value, known, 1).first() {
        Some(meant) => {
            format!("write {meant} if you mean that, or add {}: {{}} below its section", to.value)
        }
        None => format!(
            "add {}: {{}} below its section, such as ethernets, in this file or an earlier one",
            to.value
        ),
    };
    Finding::on_sheet(
        &NETPLAN_LINK_UNDEFINED,
        to.place,
        format!(
            "{} refers to {}, but neither this file nor an earlier one has a link with that name.",
            of.value, to.value
        ),
        fix,
    )
}

/// A link that two others have as a member.
pub(super) fn taken_twice(of: &Written<String>, to: &Written<String>, other: &str) -> Finding {
    settings_clash(
        to.place,
        &of.value,
        &format!("has {}, which is already a member of {other}", to.value),
        &format!("remove {} from one of them", to.value),
    )
}

pub(crate) fn kind_changes(id: &Written<String>, was: &str, is: &str, is_switch_port: bool) -> Finding {
    let why = if is_switch_port {
        "is an Open vSwitch port above, and cannot be defined again".to_owned()
    } else {
        format!("is of kind {was} above, but of kind {is} here")
    };
    settings_clash(id.place, &id.value, &why, "rename one of them, or put both below one section")
}

/// Something that may be said once.
pub(crate) fn said_twice(what: &Written<String>, of: &str, link: &str) -> Finding {
    settings_clash(
        what.place,
        link,
        &format!("has {of} \"{}\" twice, which netplan refuses", what.value),
        "remove one of them",
    )
}

pub(crate) fn gateway_twice(place: Place, key: &str, first: &str, second: &str) -> Finding {
    settings_clash(
        place,
        &format!("`{key}`"),
        &format!("is {second} here and {first} above, which crashes netplan before 1.0"),
        "remove one of them",
    )
}

/// Something that netplan reads a second time, and refuses then, because a link comes after what is made of it.
pub(crate) fn met_again(what: &Written<String>, of: &str, link: &str) -> Finding {
    settings_clash(
        what.place,
        link,
        &format!(
            "has {of}, and in this file a link comes after the link that uses it: netplan then reads the file twice, \
                and refuses that"
        ),
        "put the sections in this order: ethernets, wifis, bonds, bridges, vlans, vrfs",
    )
}

/// A key of a link that is there twice in one file.
pub(crate) fn key_twice(place: Place, link: &str, key: &str, is_list: bool, first: &str) -> Finding {
    let what_happens = if is_list { "both lists are joined" } else { "this one wins" };
    Finding::on_sheet(
        &NETPLAN_KEY_TWICE,
        place,
        format!("`{key}` of {link} is here twice with different values, first at {first}: {what_happens}."),
        "write it once",
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
    let what_happens = if is_list { "both lists are joined" } else { "this one wins" };
    Finding::on_sheet(
        &NETPLAN_FILES_COLLIDE,
        place,
        format!("`{key}` of {link} is also in {file}, with another value, at {first}: {what_happens}."),
        format!("remove {link} from one of the two files, or delete the older file"),
    )
}

/// A link of a kind that no rule knows.
pub(crate) fn link_unjudged(id: &Written<String>, kind: &str) -> Finding {
    Finding::on_sheet(
        &NETPLAN_KEY_UNREAD,
        id.place,
        format!("{} is of kind {kind}: only its keys are checked.", id.value),
        "check it yourself",
    )
}

/// A key of a link that no rule looks at.
pub(crate) fn key_unread(key: &Written<String>, link: &str) -> Finding {
    Finding::on_sheet(
        &NETPLAN_KEY_UNREAD,
        key.place,
        format!("netplan accepts `{}` of {link}, but it is not checked here.", key.value),
        "check it yourself",
    )
}

/// A value that netplan hands on and systemd cannot read.
pub(crate) fn value_ignored(place: Place, link: &str, found: &str, what: &str) -> Finding {
    let fix = match what {
        "address" => "write an address with its prefix length, as in 10.64.10.11/24",
        "metric" => "write a number up to 2147483647",
        _ => "write a network, as in 10.64.96.0/20",
    };
    Finding::on_sheet(
        &NETPLAN_VALUE_IGNORED,
        place,
        format!(
            "netplan accepts \"{found}\" of {link}, but systemd-networkd ignores it: it is not a valid {what}."
        ),
        fix,
    )
}

/// Routes or search domains that `NetworkManager` does not get to see.
pub(super) fn not_handed_on(place: Place, link: &str, what: &str, families: &str) -> Finding {
    Finding::on_sheet(
        &NETPLAN_VALUE_IGNORED,
        place,
        format!(
            "netplan does not pass the {what} of {link} to NetworkManager, because the link has no {families} \
                address and does not use DHCP."
        ),
        format!("add an address to {link}, or remove the {what}"),
    )
}

pub(super) fn asks_dhcp(place: Place, link: &str, key: &str, own: Option<IpAddr>) -> Finding {
    let (message, fix) = match own {
        Some(own) => (
            format!("{link} gets an address by DHCP in addition to {own}."),
            format!("write {key}: false, unless you want both"),
        ),
        None => {
            (format!("{link} gets its address by DHCP."), format!("write {key}: false and a static address"))
        }
    };
    Finding::on_sheet(&NETPLAN_ASKS_DHCP, place, message, fix)
}

pub(super) fn gateway_key(place: Place, key: &str) -> Finding {
    let family = if key == "gateway4" { "0.0.0.0/0" } else { "::/0" };
    Finding::on_sheet(
        &NETPLAN_GATEWAY_KEY,
        place,
        format!("`{key}` is deprecated."),
        format!("write a route: - {{to: {family}, via: …}}"),
    )
}

pub(super) fn second_network(place: Place, link: &str, prefix: IpNet) -> Finding {
    Finding::on_sheet(
        &NETPLAN_SECOND_NETWORK,
        place,
        format!("{link} also has an address in {prefix}, in addition to its first network."),
        "check whether you want that",
    )
}

// Rules that a sheet breaks too, in the words of netplan files.

/// An address that is none.
pub(super) fn address_malformed(
    written: &Written<String>,
    key: &str,
    link: Option<&str>,
    fault: &AddressFault,
) -> Finding {
    let fix = match (fault.meant, key.ends_with('6')) {
        (Some(meant), _) => format!("write {meant} if you mean that"),
        (None, true) => "write the whole address, as in fd64:10::11".to_owned(),
        (None, false) => "write the whole address, as in 10.64.10.11".to_owned(),
    };
    let message = format!("`{key}`{} holds \"{}\", which {}.", whose(link), written.value, fault.reason);
    Finding::on_sheet(&rules::address::ADDRESS_MALFORMED, written.place, message, fix)
}

/// A DNS server that is not given by its address.
pub(super) fn dns_not_an_address(
    written: &Written<String>,
    link: Option<&str>,
    fault: &AddressFault,
) -> Finding {
    let fix = match fault.meant {
        Some(meant) => format!("write {meant} if you mean that"),
        None => "write the server's address, as in 10.64.10.53".to_owned(),
    };
    let message = format!("The DNS server \"{}\"{} {}.", written.value, whose(link), fault.reason);
    Finding::on_sheet(&rules::servers::DNS_NOT_AN_ADDRESS, written.place, message, fix)
}

/// A hardware address that is none.
pub(super) fn mac_malformed(
    written: &Written<String>,
    link: Option<&str>,
    fault: &MacFault,
    wanted: &str,
) -> Finding {
    let message = format!("The MAC address \"{}\"{} {}.", written.value, whose(link), fault.reason);
    Finding::on_sheet(&rules::mac::MAC_MALFORMED, written.place, message, format!("write {wanted}"))
}

/// A mode that the bonding driver does not have.
pub(super) fn bond_mode_unknown(written: &Written<String>, link: Option<&str>, wanted: &str) -> Finding {
    let modes = BondMode::ALL.into_iter().map(|(word, _)| word);
    let fix = match nearest(&written.value, modes, 1).first() {
        Some(meant) => format!("write mode: {meant}"),
        None => format!("write {wanted}"),
    };
    let message = format!(
        "There is no bond mode \"{}\"{}.",
        written.value,
        link.map_or_else(String::new, |link| format!(", as {link} has it"))
    );
    Finding::on_sheet(&rules::bond::BOND_MODE_UNKNOWN, written.place, message, fix)
}

/// A name that no interface can have.
pub(super) fn name_invalid(written: &Written<String>, fault: &NameFault) -> Finding {
    let message = format!("An interface cannot be called \"{}\": it {}.", written.value, fault.reason);
    Finding::on_sheet(
        &rules::link::LINK_NAME_INVALID,
        written.place,
        message,
        "write another name of at most 15 letters, digits, dots, dashes or underscores, as in lan0",
    )
}

/// A tag that no VLAN can have.
pub(super) fn tag_out_of_range(written: &Written<u64>) -> Finding {
    Finding::on_sheet(
        &rules::vlan::VLAN_OUT_OF_RANGE,
        written.place,
        format!("{} is not a VLAN ID: the range is 1 to 4094.", written.value),
        "write the VLAN ID that the switches use, as in id: 110",
    )
}

/// A search domain that is no domain name.
pub(super) fn search_malformed(written: &Written<String>, fault: &NameFault) -> Finding {
    Finding::on_sheet(
        &rules::naming::SEARCH_MALFORMED,
        written.place,
        format!("The search domain \"{}\" {}.", written.value, fault.reason),
        "write a domain name, as in capovetro.example",
    )
}
