//! Rules on wireless networks.

use impostazione_secret::{is_wifi_key, is_wifi_passphrase};

use super::check::Check;
use super::judge::Judge;
use super::link::links;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{LinkKind, SecretRole};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&WIFI_SETTINGS_MISSING, check_missing),
    Check::new(&WIFI_PASSPHRASE_LENGTH, check_passphrases),
    Check::new(&WIFI_PASSPHRASE_READABLE, check_readable),
    Check::new(&WIFI_IN_BRIDGE, check_members),
];

/// A Wi-Fi link without a network.
static WIFI_SETTINGS_MISSING: Rule = Rule {
    name: "wifi-settings-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link of kind wifi is in a subnet without a Wi-Fi network",
    explanation: "The SSID and the passphrase are written once, in `wifi` of the subnet, for all machines that join \
        it.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A passphrase that no network has.
static WIFI_PASSPHRASE_LENGTH: Rule = Rule {
    name: "wifi-passphrase-length",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a Wi-Fi passphrase has the wrong length",
    explanation: "A passphrase has 8 to 63 ASCII characters; a key derived from one has 64 hexadecimal digits (IEEE \
        802.11, annex J). With another length the link never joins. SAE needs the passphrase itself.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"short.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A passphrase that lies on hosts as it is.
static WIFI_PASSPHRASE_READABLE: Rule = Rule {
    name: "wifi-passphrase-readable",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "a Wi-Fi passphrase is stored in plain text on hosts",
    explanation: "For WPA2 a host gets a key that is derived from the passphrase. SAE needs the passphrase itself, \
        so whoever takes a host's card has it. Do not use it anywhere else, and change it when a host is lost.",
    wrong: "[common]\nnetplan = \"1.1\"\n[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" }, sae = true }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[common]\nnetplan = \"1.1\"\n[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_credentials: true,
    ..Rule::PLAIN
};

/// A Wi-Fi link as a member.
static WIFI_IN_BRIDGE: Rule = Rule {
    name: "wifi-in-bridge",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a wifi is a member of a bond or bridge",
    explanation: "An access point accepts only packets from a client's own MAC address, so forwarded traffic is \
        dropped. A wifi link cannot be a member of a bridge, and hardly of a bond.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { kind = \"ethernet\", subnet = \"quay\", address = \"10.64.10.11\" }\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\" }\nlink.inner = { kind = \"bridge\", members = [\"wifi0\"], address = \"none\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    of_any_host: true,
    ..Rule::PLAIN
};

fn check_missing(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machine, link) in links(judge).filter(|(_, link)| matches!(link.kind, LinkKind::Wifi)) {
        if machine.parent_of(link).is_some() {
            continue;
        }
        let (place, message) = match (link.subnet.value(), site.subnet_of(link)) {
            (Some(written), Some(subnet)) if subnet.wifi.is_absent() => (
                written.place,
                format!("Subnet {} has no `wifi` that {} could join.", subnet.name.value, link.name.value),
            ),
            (None, None) if link.subnet.is_absent() => (
                link.name.place,
                format!("{} is in no subnet, so it has no Wi-Fi network to join.", link.name.value),
            ),
            _ => continue,
        };
        judge.on_machine(
            &WIFI_SETTINGS_MISSING,
            machine,
            place,
            message,
            "add wifi = { ssid = \"…\", passphrase = { secret = \"…\" } } to the subnet",
        );
    }
}

/// Says nothing of the passphrase, not even how long it is.
fn check_passphrases(judge: &mut Judge<'_>) {
    let site = judge.site;
    for slot in site.secret_slots() {
        let Some((secret, value)) = site.secret_of(slot).zip(site.value_of_slot(slot)) else { continue };
        let text = value.reveal();
        let network = |used: &crate::machine::SecretUse| match used.role {
            SecretRole::Wifi(index) => Some((used.place, site.subnets.get(index)?.wifi.value()?)),
            _ => None,
        };
        let Some((place, wifi)) = site.uses_of(slot).find_map(network) else { continue };
        let (what, fix) = if is_wifi_key(text) && wifi.sae.is_some() {
            (
                "a derived key, but SAE needs the passphrase itself",
                "put the passphrase of 8 to 63 ASCII characters there",
            )
        } else if is_wifi_key(text) || is_wifi_passphrase(text) {
            continue;
        } else {
            (
                "not a passphrase: it is too short, too long, or has non-ASCII characters",
                "put a passphrase of 8 to 63 ASCII characters there, or a key of 64 hexadecimal digits",
            )
        };
        let called = if secret.is_in_sheet() {
            "This value".to_owned()
        } else {
            format!("The secret {}", secret.name.value)
        };
        judge.on_sheet(&WIFI_PASSPHRASE_LENGTH, place, format!("{called} is {what}."), fix);
    }
}

fn check_readable(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (index, subnet) in site.subnets.iter().enumerate() {
        let Some(sae) = subnet.wifi.value().and_then(|wifi| wifi.sae.as_ref()) else { continue };
        let hosts = site.machines.iter().filter(|machine| {
            machine.host().is_some()
                && machine.links.iter().any(|link| {
                    matches!(link.kind, LinkKind::Wifi)
                        && link.subnet.value().is_some_and(|subnet| subnet.value == index)
                })
        });
        let count = hosts.count();
        if count > 0 {
            judge.on_sheet(
                &WIFI_PASSPHRASE_READABLE,
                sae.place,
                format!(
                    "The passphrase of {} is in plain text on {count} {}.",
                    subnet.name.value,
                    if count == 1 { "host" } else { "hosts" }
                ),
                "do not use it anywhere else; or remove `sae`, and hosts get a derived key for WPA2",
            );
        }
    }
}

fn check_members(judge: &mut Judge<'_>) {
    for (machine, link) in links(judge).filter(|(_, link)| matches!(link.kind, LinkKind::Wifi)) {
        let Some(parent) = machine.parent_of(link) else { continue };
        let name = link.name.value.as_str();
        let place = parent
            .members()
            .iter()
            .find(|member| member.value == name)
            .map_or(link.name.place, |at| at.place);
        judge.on_machine(
            &WIFI_IN_BRIDGE,
            machine,
            place,
            format!(
                "{name} is a wifi link, but a member of the {} {}.",
                parent.kind.word(),
                parent.name.value
            ),
            "remove it from the members, and give it an address of its own",
        );
    }
}
