//! Rules on links themselves: their names, what they are made of, and how they are found.

use impostazione_text::{Stated, Written, nearest};

use super::check::Check;
use super::judge::Judge;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Link, LinkKind, Machine};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&LINK_NAME_KERNEL, check_kernel_name),
    Check::new(&LINK_BY_NAME_ONLY, check_by_name),
    Check::new(&LINK_SETTING_NEEDS_MAC, check_setting_needs_mac),
    Check::new(&LINK_UNDEFINED, check_undefined),
    Check::new(&LINK_HAS_TWO_PARENTS, check_parents),
    Check::new(&LINK_LOOP, check_loop),
    Check::new(&LINK_MEMBER_HAS_ADDRESS, check_member_address),
    Check::new(&VLAN_OVER_MEMBER, check_vlan_over_member),
    Check::new(&WIFI_KIND_MISSING, check_wifi_kind),
];

/// A name that the kernel may give to another interface.
static LINK_NAME_KERNEL: Rule = Rule {
    name: "link-name-kernel",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link that is matched by its MAC address has one of the kernel's own names",
    explanation: "The kernel gives out eth0, eth1, wlan0 and so on in the order in which it finds the interfaces. \
        Giving such a name to a link that is matched by its MAC address fails when another interface already has it, \
        and that can change from boot to boot. A name of your own, such as lan0 or wifi0, is always free.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// An interface that may be another one than is meant.
static LINK_BY_NAME_ONLY: Rule = Rule {
    name: "link-by-name-only",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a link may match the wrong interface",
    explanation: "A link is best matched by its MAC address. port = \"only\" matches any interface of the kind, \
        which is right as long as the machine has one. And with several interfaces called eth0, eth1 and so on, the \
        kernel decides at each boot which is which.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { port = \"only\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A setting that would find no interface.
static LINK_SETTING_NEEDS_MAC: Rule = Rule {
    name: "link-setting-needs-mac",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "speed or wake-on-LAN is set on a link that is not matched by its MAC address",
    explanation: "speed, duplex and wake_on_lan are applied when the kernel finds the interface, before it has a \
        name such as enp1s0. So the link must be matched by its MAC address. Only the names eth0, eth1 and so on \
        exist at that moment.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.enp1s0 = { speed = 100, subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\", speed = 100, subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A link that the machine does not have.
static LINK_UNDEFINED: Rule = Rule {
    name: "link-undefined",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link refers to a link that the machine does not have",
    explanation: "members and primary of a bond, members of a bridge and over of a vlan name links of the same \
        machine, each with a table of its own. primary is one of the members.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\", address = \"none\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan2\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// A link that is wanted twice.
static LINK_HAS_TWO_PARENTS: Rule = Rule {
    name: "link-has-two-parents",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link is a member of two bonds or bridges",
    explanation: "A link can be in one bond or one bridge only. The one that is set up last takes it from the other.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\nlink.inner = { kind = \"bridge\", members = [\"lan1\"], address = \"none\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\" }\nlink.inner = { kind = \"bridge\", members = [\"uplink\"], subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// A link that needs itself.
static LINK_LOOP: Rule = Rule {
    name: "link-loop",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link refers to itself",
    explanation: "A bond, a bridge or a vlan is built on other links, and these on others, down to a port. A link \
        that is built on itself is never set up.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.inner = { kind = \"bridge\", members = [\"radar\"], subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"inner\", subnet = \"slip\" }\n[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.inner = { kind = \"bridge\", members = [\"lan0\"], subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"inner\", subnet = \"slip\", address = \"10.64.30.11\", default_route = false }\n[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// An address in the wrong place.
static LINK_MEMBER_HAS_ADDRESS: Rule = Rule {
    name: "link-member-has-address",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a member of a bond or bridge has an address of its own",
    explanation: "Traffic that arrives on a member goes to its bond or bridge, so an address on the member itself \
        never answers. The address belongs to the bond or bridge.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.12\" }\nlink.inner = { kind = \"bridge\", members = [\"lan0\"], address = \"none\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.inner = { kind = \"bridge\", members = [\"lan0\"], subnet = \"quay\", address = \"10.64.10.12\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// Every link of every machine.
/// A VLAN below what it should stand on.
static VLAN_OVER_MEMBER: Rule = Rule {
    name: "vlan-over-member",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a VLAN is carried by a link that is a member of a bond or bridge",
    explanation: "The members of a bond share its traffic, so a VLAN on one of them gets only some of its packets, \
        and none when the bond uses another member. A bridge takes what its members receive. Put the VLAN on the \
        bond or bridge itself.",
    wrong: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\ngateway = \"none\"\n[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"lan0\", subnet = \"slip\", address = \"10.64.30.11\" }\n",
    right: "[subnet.slip]\nprefix = \"10.64.30.0/24\"\nvlan = 130\ngateway = \"none\"\n[[host]]\nname = \"gauge-01\"\nlink.lan0 = { mac = \"02:64:10:00:00:21\" }\nlink.lan1 = { mac = \"02:64:10:00:00:22\" }\nlink.uplink = { kind = \"bond\", members = [\"lan0\", \"lan1\"], mode = \"active-backup\", subnet = \"quay\", address = \"10.64.10.11\" }\nlink.radar = { kind = \"vlan\", over = \"uplink\", subnet = \"slip\", address = \"10.64.30.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

/// A Wi-Fi interface that is not marked as one.
static WIFI_KIND_MISSING: Rule = Rule {
    name: "wifi-kind-missing",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a link that looks like Wi-Fi is not of kind wifi",
    explanation: "A link is wired unless the sheet says otherwise, and a Wi-Fi interface that is set up as wired \
        joins no network. A link with a Wi-Fi name, or in a subnet with a Wi-Fi network, needs kind = \"wifi\"; if \
        it is wired, write kind = \"ethernet\".",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.wlan0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[[host]]\nname = \"gauge-01\"\nlink.enp1s0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

fn check_vlan_over_member(judge: &mut Judge<'_>) {
    for (machine, link) in links(judge) {
        let LinkKind::Vlan(Stated::Value(over)) = &link.kind else { continue };
        let Some(carrier) = machine.link_named(&over.value) else { continue };
        let Some(parent) = machine.parent_of(carrier) else { continue };
        let fix = judge.say(
            format!("write over = \"{}\"", parent.name.value),
            format!("write link: {}", parent.name.value),
        );
        judge.on_machine(
            &VLAN_OVER_MEMBER,
            machine,
            over.place,
            format!("{} is on {}, which is a member of {}.", link.name.value, over.value, parent.name.value),
            fix,
        );
    }
}

/// Whether systemd or the kernel names Wi-Fi interfaces so (`systemd.net-naming-scheme(7)`), or people do.
fn is_named_like_a_radio(name: &str) -> bool {
    let is_numbered = |stem: &str| {
        name.strip_prefix(stem).is_some_and(|rest| rest.bytes().all(|byte| byte.is_ascii_digit()))
    };
    let is_by_place = name.strip_prefix("wl").is_some_and(|rest| {
        let mut characters = rest.chars();
        matches!(characters.next(), Some('p' | 's' | 'o' | 'x' | 'P'))
            && characters.next().is_some_and(|character| character.is_ascii_hexdigit())
    });
    is_numbered("wlan") || is_numbered("wifi") || is_by_place
}

fn check_wifi_kind(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in site.machines.iter().filter(|machine| machine.host().is_some()) {
        for link in &machine.links {
            let says_kind = link.options.as_ref().is_some_and(|options| options.is_kind_stated);
            if says_kind || !matches!(link.kind, LinkKind::Ethernet) {
                continue;
            }
            let name = link.name.value.as_str();
            let subnet = site.subnet_of(link).filter(|subnet| !subnet.wifi.is_absent());
            let message = match subnet {
                Some(subnet) => format!(
                    "{name} is in subnet {}, which has a Wi-Fi network, but it is not of kind wifi.",
                    subnet.name.value
                ),
                None if is_named_like_a_radio(name) => {
                    format!("{name} is named like a Wi-Fi interface, but it is not of kind wifi.")
                }
                None => continue,
            };
            judge.on_machine(
                &WIFI_KIND_MISSING,
                machine,
                link.name.place,
                message,
                "write kind = \"wifi\", or kind = \"ethernet\" if it is wired",
            );
        }
    }
}

pub(super) fn links<'a>(judge: &Judge<'a>) -> impl Iterator<Item = (&'a Machine, &'a Link)> + use<'a> {
    judge.site.machines.iter().flat_map(|machine| machine.links.iter().map(move |link| (machine, link)))
}

/// Whether the kernel gives out such names by counting.
fn is_counted_name(name: &str) -> bool {
    ["eth", "wlan", "wwan", "usb"].into_iter().any(|stem| {
        name.strip_prefix(stem)
            .is_some_and(|number| !number.is_empty() && number.bytes().all(|byte| byte.is_ascii_digit()))
    })
}

/// How netplan is told which port is which.
const FIND_BY_ADDRESS: &str = "match each by its MAC address: match: {macaddress: \"02:64:10:00:00:21\"}, and \
    set-name: lan0 or another name of your own";

fn check_kernel_name(judge: &mut Judge<'_>) {
    for (machine, link) in links(judge).filter(|(_, link)| link.is_found_by_mac() || link.is_only_port()) {
        let name = link.name.value.as_str();
        // Netplan takes any port for port = "only", whatever its name: only a wifi is given one.
        let is_renamed = link.is_found_by_mac() || matches!(link.kind, LinkKind::Wifi);
        if is_renamed && is_counted_name(name) {
            let own = if matches!(link.kind, LinkKind::Wifi) { "wifi0" } else { "lan0" };
            judge.on_machine(
                &LINK_NAME_KERNEL,
                machine,
                link.name.place,
                format!("The link is called {name}, a name that the kernel may give to another interface."),
                judge.say(
                    format!("use a name of your own, such as {own}; or remove the MAC address to use whatever the \
                        kernel calls {name}"),
                    format!("use a name of your own, such as set-name: {own}"),
                ),
            );
        }
    }
}

fn check_by_name(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in site.machines.iter().filter(|machine| machine.host().is_some()) {
        let is_counted = |link: &&Link| {
            link.kind.is_physical()
                && link.mac().is_none()
                && !link.is_only_port()
                && is_counted_name(link.name.value.as_str())
        };
        let counted: Vec<&Link> = machine.links.iter().filter(is_counted).collect();
        // The kernel counts the ports of a kind, which the letters of the name stand for.
        let letters =
            |link: &Link| link.name.value.as_str().trim_end_matches(|c: char| c.is_ascii_digit()).to_owned();
        let mut pairs = counted.iter().enumerate().filter_map(|(index, second)| {
            let first = counted.iter().take(index).find(|first| letters(first) == letters(second))?;
            Some((first, second))
        });
        if let Some((first, second)) = pairs.next() {
            judge.on_machine(
                &LINK_BY_NAME_ONLY,
                machine,
                second.name.place,
                format!(
                    "The kernel decides at each boot which interface is {} and which is {}.",
                    first.name.value, second.name.value
                ),
                judge.say("add mac to each, and use names of your own such as lan0", FIND_BY_ADDRESS),
            );
        }
        for link in &machine.links {
            let Some(place) = link.options.as_ref().and_then(|options| options.only_port) else { continue };
            judge.on_machine(
                &LINK_BY_NAME_ONLY,
                machine,
                place,
                format!("The link {} matches any {} interface.", link.name.value, link.kind.word()),
                judge.say(
                    "write its MAC address instead, if you know it, as in mac = \"02:64:10:00:00:21\"",
                    FIND_BY_ADDRESS,
                ),
            );
        }
    }
}

fn check_setting_needs_mac(judge: &mut Judge<'_>) {
    for (machine, link) in links(judge) {
        let Some(options) = &link.options else { continue };
        if link.is_found_by_mac() || is_counted_name(link.name.value.as_str()) && !link.is_only_port() {
            continue;
        }
        let places = [
            ("speed", options.speed.as_ref().map(|written| written.place)),
            ("duplex", options.is_full_duplex.as_ref().map(|written| written.place)),
            (
                judge.say("wake_on_lan", "wakeonlan"),
                options.wake_on_lan.as_ref().map(|written| written.place),
            ),
        ];
        if !matches!(link.kind, LinkKind::Ethernet) || matches!(options.mac, Stated::Faulty) {
            continue;
        }
        let Some((key, Some(place))) = places.into_iter().find(|(_, place)| place.is_some()) else {
            continue;
        };
        judge.on_machine(
            &LINK_SETTING_NEEDS_MAC,
            machine,
            place,
            format!("`{key}` is applied before the interface is called {}.", link.name.value),
            judge.say(
                "add the MAC address, as in mac = \"02:64:10:00:00:21\", and use a link name of your own",
                "match it by its MAC address: match: {macaddress: \"02:64:10:00:00:21\"}, and set-name: lan0 or \
                    another name of your own",
            ),
        );
    }
}

/// What a link stands on, by name.
fn foundations(link: &Link) -> impl Iterator<Item = &Written<String>> {
    let over = match &link.kind {
        LinkKind::Vlan(over) => over.value(),
        _ => None,
    };
    link.members().iter().chain(over)
}

fn check_undefined(judge: &mut Judge<'_>) {
    for (machine, link) in links(judge) {
        let known: Vec<&str> = machine
            .links
            .iter()
            .map(|other| other.name.value.as_str())
            .filter(|name| *name != link.name.value.as_str())
            .collect();
        for wanted in foundations(link) {
            if machine.link_named(&wanted.value).is_some() {
                continue;
            }
            let fix = match nearest(&wanted.value, known.iter().copied(), 1).first() {
                Some(close) => format!("write \"{close}\", or add a table [host.link.{}]", wanted.value),
                None if known.is_empty() => format!("add a table [host.link.{}]", wanted.value),
                None => {
                    format!("write one of {}, or add a table [host.link.{}]", known.join(", "), wanted.value)
                }
            };
            judge.on_machine(
                &LINK_UNDEFINED,
                machine,
                wanted.place,
                format!("{} has no link \"{}\".", machine.called(), wanted.value),
                fix,
            );
        }
        let LinkKind::Bond(bond) = &link.kind else { continue };
        let Some(primary) = &bond.primary else { continue };
        if !bond.has_faulty_members && !bond.members.iter().any(|member| member.value == primary.value) {
            let members: Vec<&str> = bond.members.iter().map(|member| member.value.as_str()).collect();
            judge.on_machine(
                &LINK_UNDEFINED,
                machine,
                primary.place,
                format!("\"{}\" is not a member of {}.", primary.value, link.name.value),
                format!("write one of its members: {}", members.join(", ")),
            );
        }
    }
}

fn check_parents(judge: &mut Judge<'_>) {
    for machine in &judge.site.machines {
        let mut taken: Vec<(&str, &Link)> = Vec::new();
        for link in &machine.links {
            for member in link.members() {
                match taken.iter().find(|(name, _)| *name == member.value) {
                    None => taken.push((&member.value, link)),
                    Some((_, first)) => {
                        let message = if std::ptr::eq(*first, link) {
                            format!("{} is listed twice as a member of {}.", member.value, link.name.value)
                        } else {
                            format!(
                                "{} is already a member of {} (at {}).",
                                member.value,
                                first.name.value,
                                judge.in_words(first.name.place)
                            )
                        };
                        judge.on_machine(
                            &LINK_HAS_TWO_PARENTS,
                            machine,
                            member.place,
                            message,
                            "remove it from one of the lists, or write the link you mean",
                        );
                    }
                }
            }
        }
    }
}

fn check_loop(judge: &mut Judge<'_>) {
    for machine in judge.site.machines.iter().filter(|machine| {
        machine.links.len() > 1 || machine.links.iter().any(|link| foundations(link).next().is_some())
    }) {
        for link in &machine.links {
            let mut seen: Vec<&str> = Vec::new();
            let mut open: Vec<&Link> = vec![link];
            let mut is_loop = false;
            while let Some(at) = open.pop() {
                for below in foundations(at) {
                    is_loop |= below.value == link.name.value.as_str();
                    if !seen.contains(&below.value.as_str()) {
                        seen.push(&below.value);
                        open.extend(machine.link_named(&below.value));
                    }
                }
            }
            if is_loop {
                judge.on_machine(
                    &LINK_LOOP,
                    machine,
                    link.name.place,
                    format!("{} is built on itself, through {}.", link.name.value, seen.join(", ")),
                    judge.say(
                        "remove one of them from `members` or `over`",
                        "remove one of them from `interfaces` or `link`",
                    ),
                );
                break;
            }
        }
    }
}

fn check_member_address(judge: &mut Judge<'_>) {
    for (machine, link) in links(judge) {
        let Some(found) = link.addresses().next() else { continue };
        let Some(parent) = machine.parent_of(link) else { continue };
        judge.on_machine(
            &LINK_MEMBER_HAS_ADDRESS,
            machine,
            found.address.place,
            format!(
                "{} is a member of {}, but has the address {}.",
                link.name.value, parent.name.value, found.address.value
            ),
            format!("move the address to {}", parent.name.value),
        );
    }
}
