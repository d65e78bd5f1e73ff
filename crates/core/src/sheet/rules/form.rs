//! Rules on the sheet as a text: its TOML and its keys.

use impostazione_net::LinkName;
use impostazione_ovf::TakeWord;
use impostazione_text::confidential::is_secret;
use impostazione_text::{Place, Written, capital, nearest};

use crate::finding::{Finding, Nature, Rule, Severity};
use crate::sheet::keys::{HOST_LINK, KeySpec, Shape, TableSpec};

pub(crate) const RULES: &[&Rule] =
    &[&SYNTAX, &EMPTY, &FORMAT_UNKNOWN, &KEY_UNKNOWN, &KEY_MISPLACED, &KEY_MISSING, &VALUE_WRONG_TYPE];

/// The sheet is no TOML.
static SYNTAX: Rule = Rule {
    name: "sheet-syntax",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the sheet is not valid TOML 1.1",
    explanation: "A sheet is a TOML 1.1 file in UTF-8. Texts, including addresses and prefixes, are in quotes; list \
        items are separated by commas; a key is written once per table. While a sheet cannot be read in full, \
        findings about missing things are held back, because they may be in the unread part.",
    wrong: "[subnet.quay]\nprefix = 10.64.10.0/24\n",
    right: "[subnet.quay]\nprefix = \"10.64.10.0/24\"\n",
    ..Rule::PLAIN
};

/// The sheet names no machine.
pub(crate) static EMPTY: Rule = Rule {
    name: "sheet-empty",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the sheet has no machine",
    explanation: "A sheet without a [[host]] or [[appliance]] entry prepares nothing. Check that you named the right \
        file.",
    wrong: "# a whole sheet\nformat = 1\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// The sheet is of another format.
static FORMAT_UNKNOWN: Rule = Rule {
    name: "sheet-format-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the sheet does not have format = 1",
    explanation: "Each sheet gives its format on the first line, so that a later version of the tool never mistakes \
        an old sheet for a new one. This version reads format 1.",
    wrong: "format = 2\n",
    right: "format = 1\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A key that no table has.
static KEY_UNKNOWN: Rule = Rule {
    name: "sheet-key-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a key that a sheet does not have",
    explanation: "Unknown keys are never ignored: with a mistyped key a machine would lack the setting. The closest \
        known key is suggested.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", adress6 = \"none\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\", address6 = \"none\" }\n",
    ..Rule::PLAIN
};

/// A key that belongs into another table.
static KEY_MISPLACED: Rule = Rule {
    name: "sheet-key-misplaced",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a key that belongs in another table",
    explanation: "In TOML a key belongs to the header above it. A machine's key written below a [host.link.…] header \
        becomes a key of the link: move it up, above that header.",
    wrong: "[[host]]\nname = \"gauge-01\"\n[host.link.eth0]\nsubnet = \"quay\"\naddress = \"10.64.10.11\"\ntimezone = \"Europe/Rome\"\n",
    right: "[[host]]\nname = \"gauge-01\"\ntimezone = \"Europe/Rome\"\n[host.link.eth0]\nsubnet = \"quay\"\naddress = \"10.64.10.11\"\n",
    ..Rule::PLAIN
};

/// A required key is not there.
static KEY_MISSING: Rule = Rule {
    name: "sheet-key-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a required key is missing",
    explanation: "Some keys have no default, because a wrong guess would show only on a machine that nobody can see: \
        the name of a machine, the subnet of a link, the keys of an account.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A value of another type.
static VALUE_WRONG_TYPE: Rule = Rule {
    name: "sheet-value-wrong-type",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a value has the wrong type for its key",
    explanation: "Each key takes one type of value: a text in quotes, a list in brackets, a number, true or false, \
        or a table. A list is in brackets even if it has one item.",
    wrong: "[common]\ndns = \"10.64.10.53\"\n",
    right: "[common]\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n",
    ..Rule::PLAIN
};

pub(crate) fn syntax(place: Place, message: impl Into<String>, fix: impl Into<String>) -> Finding {
    Finding::on_sheet(&SYNTAX, place, message, fix)
}

pub(crate) fn empty(place: Place, is_blank: bool) -> Finding {
    let message = if is_blank { "The sheet is empty." } else { "The sheet has no machine." };
    Finding::on_sheet(
        &EMPTY,
        place,
        message,
        "add a [[host]] or an [[appliance]] entry, or name another file",
    )
}

pub(crate) fn format_unknown(place: Place, found: Option<&str>) -> Finding {
    match found {
        None => Finding::on_sheet(
            &FORMAT_UNKNOWN,
            place,
            "The sheet does not say its format.",
            "write format = 1 as the sheet's first line",
        ),
        Some(found) => Finding::on_sheet(
            &FORMAT_UNKNOWN,
            place,
            format!("The sheet has format {found}, but this version reads format 1."),
            "write format = 1, or use the version of the tool for which the sheet was written",
        ),
    }
}

/// An unknown key of `spec`, and the one that was meant, if that can be told.
pub(crate) fn key_unknown(
    machine: Option<String>,
    place: Place,
    spec: &TableSpec,
    key: &str,
    meant: Option<&str>,
) -> Finding {
    let fix = match (meant, familiar(key)) {
        (_, Some(familiar)) => familiar.to_owned(),
        (Some(meant), None) => format!("write `{meant}`"),
        (None, None) => {
            let known: Vec<&str> = spec.keys.iter().map(|known| known.name).collect();
            format!("remove the line, or use a key that is there: {}", known.join(", "))
        }
    };
    key_not_there(machine, place, spec, key, fix)
}

/// A key that `spec` does not have, and what to write.
pub(crate) fn key_not_there(
    machine: Option<String>,
    place: Place,
    spec: &TableSpec,
    key: &str,
    fix: String,
) -> Finding {
    let message = format!("There is no key `{key}` in {}.", spec.called);
    Finding::new(&KEY_UNKNOWN, machine, place, message, fix)
}

/// A key in the table of one machine that all machines of its entry have in common.
pub(crate) fn key_of_all(machine: Option<String>, place: Place, spec: &TableSpec, key: &str) -> Finding {
    let fix = match key {
        "name" => {
            "remove the line: the name is in the header; write hostname for another host name on the network"
        }
        _ => "move the line to the entry's own keys, above its tables",
    };
    key_not_there(machine, place, spec, key, fix.to_owned())
}

/// What to write for a key that people bring from elsewhere.
fn familiar(key: &str) -> Option<&'static str> {
    Some(match key.to_ascii_lowercase().replace('-', "_").as_str() {
        "mask" | "netmask" | "subnet_mask" | "prefix_length" | "cidr" => {
            "write the mask after the subnet's address: prefix = \"10.64.10.0/24\""
        }
        "ip" | "ipv4" | "ip_address" | "addr" => "write address = \"10.64.10.11\" in a link of the machine",
        "addresses" | "ips" => "write the first as address, and the others in more_addresses, a list",
        "id" | "vlan_id" | "tag" | "vid" => "write the VLAN ID in the subnet of the link: vlan = 110",
        "slaves" | "interfaces" | "ports" | "ifaces" => {
            "write members = [\"lan0\", \"lan1\"] in a link of kind bond or bridge"
        }
        "parent" | "raw_device" | "device" | "dev" => "write over = \"uplink\" in a link of kind vlan",
        "macaddress" | "mac_address" | "hwaddr" | "hwaddress" => {
            "write mac = \"02:64:10:00:00:21\" in a link of the machine"
        }
        "route" | "static_routes" => {
            "write routes = [{ to = \"10.64.96.0/20\", via = \"10.64.10.2\" }] in a link of the machine"
        }
        "ipv6" | "ip6" | "ipv6_address" => "write address6 = \"fd64:10::11\" in a link of the machine",
        "gateway4" | "gw" | "router" | "default_gateway" => "write gateway = \"10.64.10.1\" in the subnet",
        "nameserver" | "nameservers" | "dns_server" | "dns_servers" | "resolvers" => {
            "write dns = [\"10.64.10.53\", \"10.64.10.54\"] in [common] or on the machine"
        }
        "time_server" | "time_servers" | "ntp_server" | "ntp_servers" => {
            "write ntp = [\"10.64.10.121\"] in [common] or on the machine"
        }
        "tz" | "zone" | "time_zone" => "write timezone = \"Europe/Rome\" in [common] or on the machine",
        "hostname" | "host_name" | "fqdn" => {
            "write name = \"gauge-01\" on the machine; the domain is a key of its own"
        }
        "dhcp" | "dhcp4" | "dhcp6" => "remove the line: addresses are static, and DHCP is always off",
        "password" | "passwd" | "passphrase" => {
            "remove it: secrets must not be in a sheet; use ssh_keys for logins"
        }
        _ => return None,
    })
}

/// A key of another table. It may be one around this one, as happens below the header of an inner table.
pub(crate) fn key_misplaced(
    machine: Option<String>,
    place: Place,
    spec: &TableSpec,
    key: &str,
    home: &TableSpec,
    is_around: bool,
) -> Finding {
    let fix = if is_around {
        format!("move the line up to the other keys of {}, above the header of the inner table", home.called)
    } else {
        format!("move the line to {}, as in {}", home.called, home.header)
    };
    key_misplaced_from(machine, place, spec, key, home, fix)
}

/// A key of another table, and what to write.
pub(crate) fn key_misplaced_from(
    machine: Option<String>,
    place: Place,
    spec: &TableSpec,
    key: &str,
    home: &TableSpec,
    fix: String,
) -> Finding {
    Finding::new(
        &KEY_MISPLACED,
        machine,
        place,
        format!("`{key}` is a key of {}, but here it is in {}.", home.called, spec.called),
        fix,
    )
}

pub(crate) fn key_missing(machine: Option<String>, place: Place, spec: &TableSpec, key: &KeySpec) -> Finding {
    Finding::new(
        &KEY_MISSING,
        machine,
        place,
        format!("{} has no `{}`.", capital(spec.called), key.name),
        format!("add {}, for example {}", key.takes, key.example),
    )
}

pub(crate) fn value_wrong_type(machine: Option<String>, place: Place, key: &KeySpec, found: &str) -> Finding {
    Finding::new(
        &VALUE_WRONG_TYPE,
        machine,
        place,
        format!("`{}` takes {}, but this is {found}.", key.name, key.takes),
        format!("write it like this: {}", key.example),
    )
}

/// `take` is not one of the words.
pub(crate) fn take_word_unknown(machine: Option<String>, written: &Written<String>) -> Finding {
    let words = || TakeWord::ALL.iter().map(|word| word.text());
    let fix = match nearest(&written.value, words(), 1).first() {
        Some(close) => format!("write take = \"{close}\""),
        None => format!("write one of: {}", words().collect::<Vec<_>>().join(", ")),
    };
    Finding::new(
        &VALUE_WRONG_TYPE,
        machine,
        written.place,
        format!("\"{}\" cannot be used with take.", written.value),
        fix,
    )
}

/// A text that is not one of the words that a key takes.
pub(crate) fn word_unknown<'w>(
    machine: Option<String>,
    written: &Written<String>,
    key: &KeySpec,
    words: impl Iterator<Item = &'w str> + Clone,
) -> Finding {
    let is_list = matches!(key.shape, Shape::Words(_) | Shape::TextList);
    let fix = match nearest(&written.value, words.clone(), 1).first() {
        Some(close) if is_list => format!("write \"{close}\""),
        Some(close) => format!("write {} = \"{close}\"", key.name),
        None => {
            format!("write one of {}", words.map(|word| format!("\"{word}\"")).collect::<Vec<_>>().join(", "))
        }
    };
    // What comes after a key that mentions passwords may be one.
    let found =
        if is_secret(key.name) { "something else".to_owned() } else { format!("\"{}\"", written.value) };
    let message = format!("`{}` takes {}, but this is {found}.", key.name, key.takes);
    Finding::new(&VALUE_WRONG_TYPE, machine, written.place, message, fix)
}

/// A key of a link whose kind does not have it.
pub(crate) fn key_of_other_kind(
    machine: Option<String>,
    place: Place,
    link: &str,
    key: &str,
    kind: &str,
) -> Finding {
    Finding::new(
        &KEY_MISPLACED,
        machine,
        place,
        format!("`{key}` does not apply to {link}, which is of kind {kind}."),
        "remove it, or correct the kind of the link",
    )
}

/// A key that the kind of a link asks for.
pub(crate) fn link_key_missing(machine: Option<String>, link: &Written<LinkName>, key: &str) -> Finding {
    let example = HOST_LINK.key(key).map_or("", |spec| spec.example);
    Finding::new(
        &KEY_MISSING,
        machine,
        link.place,
        format!("The link {} has no `{key}`.", link.value),
        format!("add it, for example {example}"),
    )
}
