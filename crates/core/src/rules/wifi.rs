//! Rules on wireless networks.

use super::link::links;
use super::{Check, Judge, Nature, Rule};
use crate::finding::{Finding, Severity};
use crate::machine::LinkKind;
use crate::source::{Place, Written};

pub(super) const RULES: &[&Rule] = &[
    &WIFI_SETTINGS_MISSING,
    &WIFI_SSID_LENGTH,
    &WIFI_PASSPHRASE_LENGTH,
    &WIFI_COUNTRY_UNKNOWN,
    &WIFI_IN_BRIDGE,
];

/// A radio without a network.
static WIFI_SETTINGS_MISSING: Rule = Rule {
    name: "wifi-settings-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a link of kind wifi is in a subnet that does not say how radios join it",
    explanation: "The name of the wireless network and its passphrase stand once, in wifi of the subnet, for all \
        machines that join it.",
    wrong: "[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: true,
    check: Check::Site(check_missing),
};

/// A name that no network has.
static WIFI_SSID_LENGTH: Rule = Rule {
    name: "wifi-ssid-length",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the name of a wireless network is empty or too long",
    explanation: "The name of a wireless network has 1 to 32 bytes (IEEE 802.11, section 9.4.2.2); a letter with an \
        accent takes two of them.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"the quay and everything along side it\", passphrase = { from_secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Reading,
};

/// A passphrase that no network has.
static WIFI_PASSPHRASE_LENGTH: Rule = Rule {
    name: "wifi-passphrase-length",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the passphrase of a wireless network has the wrong length",
    explanation: "A passphrase has 8 to 63 characters of ASCII; a key that was derived from one has 64 hexadecimal \
        digits (IEEE 802.11, annex J). With another length the radio never joins.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"short.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Reading,
};

/// A country that there is not.
static WIFI_COUNTRY_UNKNOWN: Rule = Rule {
    name: "wifi-country-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the country of a wireless network is not a country code",
    explanation: "The country decides on the channels and the power that the radio may use. It is a code of two \
        capital letters (ISO 3166-1), such as IT; the United Kingdom is GB.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" }, country = \"UK\" }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" }, country = \"GB\" }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Reading,
};

/// A radio as a member.
static WIFI_IN_BRIDGE: Rule = Rule {
    name: "wifi-in-bridge",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a wifi is a member of a bond or bridge",
    explanation: "An access point takes packets of a client's own address only, so what passes through the client from \
        elsewhere is dropped. A wifi cannot be a member of a bridge, and hardly of a bond.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\" }\nlink.inner = { kind = \"bridge\", members = [\"wifi0\"], address = \"none\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { from_secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    about_absence: false,
    check: Check::Site(check_members),
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
                format!("Subnet {} does not say how {} joins it.", subnet.name.value, link.name.value),
            ),
            (None, None) if link.subnet.is_absent() => (
                link.name.place,
                format!("{} is in no subnet, which would say how it joins.", link.name.value),
            ),
            _ => continue,
        };
        judge.on_machine(
            &WIFI_SETTINGS_MISSING,
            machine,
            place,
            message,
            "add wifi = { ssid = \"…\", passphrase = { from_secret = \"…\" } } to the subnet",
        );
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
            format!("{name} is a wifi, and a member of the {} {}.", parent.kind.word(), parent.name.value),
            "take it out of the members, and give it an address of its own",
        );
    }
}

pub(crate) fn ssid_length(written: &Written<String>) -> Finding {
    Finding::on_sheet(
        &WIFI_SSID_LENGTH,
        written.place,
        format!("The name of the network has {} bytes, and it takes 1 to 32.", written.value.len()),
        "write the name as the access point shows it",
    )
}

/// Says nothing of the passphrase, not even how long it is.
pub(crate) fn passphrase_length(place: Place, secret: &str) -> Finding {
    Finding::on_sheet(
        &WIFI_PASSPHRASE_LENGTH,
        place,
        format!(
            "The secret {secret} is no passphrase: it has too few characters, too many, or others than ASCII has."
        ),
        "put a passphrase of 8 to 63 ASCII characters there, or a key of 64 hexadecimal digits",
    )
}

pub(crate) fn country_unknown(written: &Written<String>, meant: Option<&str>) -> Finding {
    let message = format!("\"{}\" is no country code.", written.value);
    match meant {
        Some(meant) => {
            Finding::on_sheet(&WIFI_COUNTRY_UNKNOWN, written.place, message, format!("write \"{meant}\""))
                .with_certain(meant)
        }
        None => Finding::on_sheet(
            &WIFI_COUNTRY_UNKNOWN,
            written.place,
            message,
            "write two capital letters, such as \"IT\"; the United Kingdom is \"GB\"",
        ),
    }
}
