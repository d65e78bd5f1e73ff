//! Rules on wireless networks.

use impostazione_text::Written;

use crate::finding::{Finding, Nature, Rule, Severity};

/// The rules that are broken while it is read.
pub(crate) const RULES: &[&Rule] = &[&WIFI_SSID_LENGTH, &WIFI_COUNTRY_UNKNOWN];

/// A name that no network has.
pub(crate) static WIFI_SSID_LENGTH: Rule = Rule {
    name: "wifi-ssid-length",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the name of a Wi-Fi network (SSID) is empty or too long",
    explanation: "An SSID has 1 to 32 bytes (IEEE 802.11, section 9.4.2.2); a letter with an accent takes two.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"the quay and everything along side it\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" } }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

/// A country that there is not.
pub(crate) static WIFI_COUNTRY_UNKNOWN: Rule = Rule {
    name: "wifi-country-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "the country of a Wi-Fi network is not a country code",
    explanation: "The country decides which channels and how much power Wi-Fi may use. It is a code of two capital \
        letters (ISO 3166-1), such as IT; the United Kingdom is GB.",
    wrong: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" }, country = \"UK\" }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    right: "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" }, country = \"GB\" }\n[secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\nlink.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n",
    ..Rule::PLAIN
};

pub(crate) fn ssid_length(written: &Written<String>) -> Finding {
    Finding::on_sheet(
        &WIFI_SSID_LENGTH,
        written.place,
        format!("The SSID has {} bytes; it must have 1 to 32.", written.value.len()),
        "write the SSID that the access point has",
    )
}

pub(crate) fn country_unknown(written: &Written<String>, meant: Option<&str>) -> Finding {
    let message = format!("\"{}\" is not a country code.", written.value);
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
