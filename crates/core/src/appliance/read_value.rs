//! Reading a value as what its property means, in the form in which the property wants it.

use std::net::IpAddr;

use impostazione_net::{
    DomainName, Family, Hostname, KeyboardLayout, LocaleName, MailAddress, MaskFault, ServerAddress,
    ServerFault, ZoneName, dotted_mask, nearest_zones, parse_address, parse_mask,
};
use impostazione_ovf::{Meaning, PropertyType, WrittenForm};
use impostazione_text::shown;
use ipnet::IpNet;

use super::switch_words::{SwitchForm, SwitchText};
use super::typed_value::{FaultKind, TypedValue, ValueFault};
use crate::machine::{TimeServer, key_fault};

/// What a property, or a question of a console, wants, and in which form.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Wanted<'a> {
    /// What it means.
    pub(crate) meaning: Meaning,
    /// Its type.
    pub(crate) kind: &'a PropertyType,
    /// The only values that it takes; empty where any is.
    pub(crate) choices: &'a [String],
    /// Its default, which shows a form.
    pub(crate) default: Option<&'a str>,
    /// Whether it takes one value of several.
    pub(crate) is_single: bool,
    /// What stands between several values, where its text says so.
    pub(crate) separator: Option<&'a str>,
    /// How it is written beside what it is, where its text shows that.
    pub(crate) written: Option<&'a WrittenForm>,
    /// Whether IPv6 is asked for elsewhere, so that an address is IPv4 where nothing else is said.
    pub(crate) has_six_elsewhere: bool,
    /// Its texts: what it is called, and what is said of it.
    pub(crate) texts: [&'a str; 2],
}

type Read = Result<TypedValue, ValueFault>;

fn fault(kind: FaultKind, item: &str, reason: impl Into<String>, meant: Option<String>) -> ValueFault {
    ValueFault { kind, item: item.to_owned(), reason: reason.into(), meant }
}

impl Wanted<'_> {
    /// Whether its texts have one of these words in them; they are given in small letters.
    pub(crate) fn speaks_of(&self, words: &[&str]) -> bool {
        self.texts.iter().any(|text| {
            let text = text.to_lowercase();
            words.iter().any(|word| text.contains(word))
        })
    }

    /// Whether it is about IPv4 alone.
    fn is_of_four(&self) -> bool {
        self.has_six_elsewhere || self.speaks_of(&["ipv4", "ip v4", "ip4"])
    }

    /// Reads a value that is not empty.
    pub(crate) fn read(&self, text: &str) -> Read {
        use Meaning as M;
        let text = self.bare(text);
        match self.meaning {
            M::Address | M::Gateway | M::Address6 | M::Gateway6 | M::VirtualAddress => self.address(text),
            M::AddressWithPrefix => interface(text),
            M::Netmask => self.netmask(text),
            M::PrefixLength | M::PrefixLength6 => self.prefix_length(text),
            M::Hostname => self.hostname(text),
            M::Fqdn => full_name(text),
            M::Domain => DomainName::parse(text)
                .map(TypedValue::Domain)
                .map_err(|wrong| fault(FaultKind::Domain, text, wrong.reason, wrong.meant)),
            M::Search => self.list(text, read_search).map(TypedValue::Domains),
            M::Dns | M::Dns1 | M::Dns2 => self.list(text, read_name_server).map(TypedValue::NameServers),
            M::Ntp | M::Ntp1 | M::Ntp2 => self.list(text, read_time_server).map(TypedValue::TimeServers),
            M::Peers => self.list(text, read_peer).map(TypedValue::Peers),
            M::Timezone => zone(text),
            M::Locale => self.locale(text),
            M::Keyboard => KeyboardLayout::parse(text)
                .map(TypedValue::Keyboard)
                .map_err(|meant| fault(FaultKind::Keyboard, text, "is not a console keyboard layout", meant)),
            M::Vlan | M::Mtu | M::NodeNumber | M::NodeCount => self.number(text).map(TypedValue::Number),
            M::SshEnabled | M::NtpEnabled | M::DhcpEnabled | M::Ipv6Enabled | M::HttpsEnabled => {
                self.switch(text)
            }
            M::SshKey => match key_fault(text) {
                None => Ok(TypedValue::SshKeys(text.lines().filter(|line| !line.trim().is_empty()).count())),
                Some(reason) => Err(fault(FaultKind::SshKey, "", reason, None)),
            },
            // Two words are a name with a blank in it, unless the text says that blanks are between values.
            M::MailRelay | M::LicenseServer if text.contains(' ') && self.separator != Some(" ") => {
                read_server(text).map(|server| TypedValue::Servers(vec![server]))
            }
            M::MailRelay | M::LicenseServer => self.list(text, read_server).map(TypedValue::Servers),
            M::Proxy => read_proxy(text).map(|proxy| TypedValue::Servers(vec![proxy])),
            M::MailAddress => self.list(text, read_mail).map(TypedValue::Mail),
            M::Username => username(text),
            M::LicenseKey | M::ClusterName => plain_text(text),
            M::Role | M::Password | M::Other => Ok(TypedValue::Text),
        }
    }

    /// A value without the brackets or the scheme that its property wants around it.
    fn bare<'t>(&self, text: &'t str) -> &'t str {
        let Some(written) = self.written else { return text };
        let scheme =
            written.scheme.as_deref().and_then(|scheme| text.strip_prefix(scheme)?.strip_prefix("://"));
        let inner = text.strip_prefix('[').and_then(|rest| rest.strip_suffix(']'));
        scheme.or_else(|| inner.filter(|_| written.has_brackets)).unwrap_or(text)
    }

    fn address(&self, text: &str) -> Read {
        let family = match self.meaning {
            Meaning::Address6 | Meaning::Gateway6 => Some(Family::V6),
            Meaning::Address | Meaning::Gateway if self.is_of_four() => Some(Family::V4),
            _ => None,
        };
        if self.default.is_some_and(|default| default.contains('/')) && text.contains('/') {
            return interface(text);
        }
        let several: Vec<&str> = parts(text, None);
        if several.len() > 1 && several.iter().all(|part| part.parse::<IpAddr>().is_ok()) {
            let reason = format!("holds {} addresses, and one is expected", several.len());
            return Err(fault(FaultKind::Form, text, reason, None));
        }
        parse_address(text, family).map(TypedValue::Address).map_err(|wrong| {
            fault(FaultKind::Address, text, wrong.reason, wrong.meant.map(|meant| meant.to_string()))
        })
    }

    /// A mask in dotted form; a length where the default is one.
    fn netmask(&self, text: &str) -> Read {
        let takes_length = !matches!(self.kind, PropertyType::String)
            || self.default.is_some_and(|default| default.trim_start_matches('/').parse::<u8>().is_ok());
        let bare = text.strip_prefix('/').unwrap_or(text);
        match parse_mask(bare, Family::V4) {
            Ok(length) if takes_length || (bare.contains('.') && bare == text) => {
                Ok(TypedValue::Length(length))
            }
            Ok(length) => Err(fault(
                FaultKind::Form,
                text,
                "is a prefix length, and a dotted mask is expected",
                Some(dotted_mask(length).to_string()),
            )),
            Err(wrong) => Err(mask_fault(
                text,
                &wrong,
                |length| dotted_mask(length).to_string(),
                "a mask such as 255.255.255.0",
            )),
        }
    }

    fn prefix_length(&self, text: &str) -> Read {
        let may_be_six = self.meaning == Meaning::PrefixLength6 || !self.is_of_four();
        let bare = text.strip_prefix('/').unwrap_or(text);
        let has_stroke = self.default.is_some_and(|default| default.starts_with('/'));
        let length = match parse_mask(bare, Family::V4) {
            Err(MaskFault::Malformed) if may_be_six => parse_mask(bare, Family::V6),
            other => other,
        };
        match length {
            Ok(length) if bare.bytes().all(|byte| byte.is_ascii_digit()) && has_stroke != (bare == text) => {
                Ok(TypedValue::Length(length))
            }
            Ok(length) if has_stroke => Err(fault(
                FaultKind::Form,
                text,
                "has no prefix length after a slash, unlike the default",
                Some(format!("/{length}")),
            )),
            Ok(length) => {
                Err(fault(FaultKind::Form, text, "is not a plain prefix length", Some(length.to_string())))
            }
            Err(wrong) => {
                // Leading zeros are no spelling of a length, and what is meant is clear.
                let meant = bare.trim_start_matches('0').parse::<u8>().ok().filter(|_| bare.starts_with('0'));
                match meant.filter(|length| *length <= 128) {
                    Some(length) => {
                        Err(fault(FaultKind::Form, text, "has a leading zero", Some(length.to_string())))
                    }
                    None => Err(mask_fault(
                        text,
                        &wrong,
                        |length| length.to_string(),
                        "a length from 0 to 32, or to 128 for IPv6",
                    )),
                }
            }
        }
    }

    fn hostname(&self, text: &str) -> Read {
        let wrong = match Hostname::parse(text) {
            Ok(name) => return Ok(TypedValue::Hostname(name)),
            Err(wrong) => wrong,
        };
        match DomainName::parse(text) {
            Ok(name) if text.contains('.') => {
                let takes_full = self.default.is_some_and(|default| default.contains('.'))
                    || self.speaks_of(&[
                        "fqdn",
                        "qualified",
                        "full name",
                        "full host",
                        "with its domain",
                        "with domain",
                    ]);
                if takes_full {
                    Ok(TypedValue::Domain(name))
                } else {
                    Err(fault(
                        FaultKind::Form,
                        text,
                        "is a full name, and the short host name is expected",
                        wrong.meant,
                    ))
                }
            }
            _ => Err(fault(FaultKind::Hostname, text, wrong.reason, wrong.meant)),
        }
    }

    /// Products call languages `it`, `it-IT` or `it_IT.UTF-8`.
    fn locale(&self, text: &str) -> Read {
        let plain = text.replace('-', "_");
        let is_known = LocaleName::parse(text).is_ok()
            || LocaleName::parse(&format!("{plain}.UTF-8")).is_ok()
            || LocaleName::is_language(text);
        if is_known {
            return Ok(TypedValue::Locale(text.to_owned()));
        }
        let meant = LocaleName::parse(text).err().flatten();
        let meant = meant.map(|meant| match self.default {
            Some(default) if !default.contains('.') => meant.split('.').next().unwrap_or_default().to_owned(),
            _ => meant,
        });
        Err(fault(FaultKind::Locale, text, "is not a known locale", meant))
    }

    fn number(&self, text: &str) -> Result<u64, ValueFault> {
        let kind = match self.meaning {
            Meaning::Vlan => FaultKind::Vlan,
            Meaning::Mtu => FaultKind::Mtu,
            _ => FaultKind::Other,
        };
        let is_plain = !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
        let Some(number) = text.parse::<u64>().ok().filter(|_| is_plain) else {
            let trimmed = text.trim();
            let meant = (trimmed != text && trimmed.parse::<u64>().is_ok()).then(|| trimmed.to_owned());
            return Err(fault(kind, text, "is not a whole number", meant));
        };
        let shows_zeros = self.default.is_some_and(|default| default.len() > 1 && default.starts_with('0'));
        if text.len() > 1 && text.starts_with('0') && !shows_zeros {
            return Err(fault(FaultKind::Form, text, "has a leading zero", Some(number.to_string())));
        }
        let takes_zero =
            || self.default == Some("0") || self.speaks_of(&["untagged", "0 for", "0 means", "0 ="]);
        match self.meaning {
            Meaning::Vlan if !((1..=4094).contains(&number) || number == 0 && takes_zero()) => {
                Err(fault(kind, text, "is not a VLAN ID: these are 1 to 4094", None))
            }
            Meaning::Mtu if !(68..=65535).contains(&number) => {
                Err(fault(kind, text, "is not an MTU: these are 68 to 65535 bytes", None))
            }
            Meaning::NodeCount if number == 0 => {
                Err(fault(kind, text, "cannot be the number of machines: this machine counts too", None))
            }
            _ => Ok(number),
        }
    }

    fn switch(&self, text: &str) -> Read {
        let form = SwitchForm { kind: self.kind, choices: self.choices, default: self.default };
        match form.read(text) {
            SwitchText::Is(is_on) => Ok(TypedValue::Switch(is_on)),
            SwitchText::Neither => Ok(TypedValue::Text),
            SwitchText::InOtherWords(word) => {
                Err(fault(FaultKind::Form, text, "is not the word that is accepted here", Some(word)))
            }
            SwitchText::Unknown => {
                let words = [form.word(true), form.word(false)];
                let taken = match &words {
                    [Some(on), Some(off)] => format!("\"{on}\" or \"{off}\""),
                    _ => "\"true\" or \"false\"".to_owned(),
                };
                Err(fault(
                    FaultKind::Other,
                    text,
                    format!("is neither on nor off; accepted here: {taken}"),
                    None,
                ))
            }
        }
    }

    /// Reads a list in the form that is wanted: its separator, and how many values.
    fn list<T>(
        &self,
        text: &str,
        read: impl Fn(&str) -> Result<T, ValueFault>,
    ) -> Result<Vec<T>, ValueFault> {
        let items = parts(text, self.separator);
        let values = items.iter().map(|item| read(item)).collect::<Result<Vec<T>, ValueFault>>();
        match values {
            Ok(values) if self.is_single && values.len() > 1 => Err(fault(
                FaultKind::Form,
                text,
                format!("holds {} values, and one is expected", values.len()),
                items.first().map(|item| (*item).to_owned()),
            )),
            Ok(values) => Ok(values),
            Err(wrong) => {
                // The values may be right, and what stands between them another sign.
                let others = parts(text, None);
                let separator = self.separator.filter(|_| others.len() > 1 && items != others);
                let Some(separator) = separator else { return Err(wrong) };
                match others.iter().find_map(|item| read(item).err()) {
                    Some(wrong) => Err(wrong),
                    None => Err(fault(
                        FaultKind::Form,
                        text,
                        format!("does not have {} between its values", name_of(separator)),
                        Some(others.join(separator)),
                    )),
                }
            }
        }
    }
}

fn name_of(separator: &str) -> &'static str {
    match separator {
        "," => "a comma",
        ";" => "a semicolon",
        _ => "a space",
    }
}

/// The values of a list, by the sign between them or, where that is not known, by any of the usual ones.
fn parts<'t>(text: &'t str, separator: Option<&str>) -> Vec<&'t str> {
    let parts: Vec<&str> = match separator.filter(|separator| !separator.trim().is_empty()) {
        Some(separator) => text.split(separator).map(str::trim).collect(),
        None if separator.is_some() => text.split_whitespace().collect(),
        // Two signs without a value between them are a slip.
        None if text.trim() == text => text
            .split([',', ';', '\n'])
            .flat_map(
                |part| if part.trim().is_empty() { vec![part] } else { part.split_whitespace().collect() },
            )
            .collect(),
        None => vec![text],
    };
    // Signs alone are no list.
    if parts.is_empty() { vec![text] } else { parts }
}

fn mask_fault(text: &str, wrong: &MaskFault, spell: impl Fn(u8) -> String, wants: &str) -> ValueFault {
    match wrong {
        MaskFault::Malformed => fault(FaultKind::Mask, text, format!("is not {wants}"), None),
        MaskFault::NotContiguous => fault(FaultKind::MaskWithHole, text, "is not a contiguous mask", None),
        MaskFault::Inverted(length) => fault(
            FaultKind::MaskWithHole,
            text,
            "is an inverted mask (a wildcard mask)",
            Some(spell(*length)),
        ),
    }
}

/// An address with its length.
fn interface(text: &str) -> Read {
    let Some((address, mask)) = text.split_once('/') else {
        return match parse_address(text, None) {
            Ok(_) => Err(fault(FaultKind::Form, text, "has no prefix length after a slash", None)),
            Err(wrong) => {
                Err(fault(FaultKind::Address, text, wrong.reason, wrong.meant.map(|meant| meant.to_string())))
            }
        };
    };
    let address = parse_address(address, None).map_err(|wrong| {
        let meant = wrong.meant.map(|meant| format!("{meant}/{mask}"));
        fault(FaultKind::Address, text, wrong.reason, meant)
    })?;
    match parse_mask(mask, Family::of(address)) {
        Ok(length) if mask.bytes().all(|byte| byte.is_ascii_digit()) => match IpNet::new(address, length) {
            Ok(interface) => Ok(TypedValue::Interface(interface)),
            Err(_) => Err(fault(FaultKind::Mask, text, "has no prefix length after its slash", None)),
        },
        Ok(length) => Err(fault(
            FaultKind::Form,
            text,
            "has a mask after its slash, and a prefix length is expected there",
            Some(format!("{address}/{length}")),
        )),
        Err(wrong) => Err(mask_fault(
            text,
            &wrong,
            |length| format!("{address}/{length}"),
            "an address with a prefix length",
        )),
    }
}

fn full_name(text: &str) -> Read {
    match DomainName::parse(text) {
        Ok(_) if !text.contains('.') => {
            Err(fault(FaultKind::Form, text, "has no domain, and the full name is expected", None))
        }
        Ok(name) if parse_address(text, None).is_ok() => {
            Err(fault(FaultKind::Domain, name.as_str(), "is an address, and a full name is expected", None))
        }
        Ok(name) => Ok(TypedValue::Domain(name)),
        Err(wrong) => Err(fault(FaultKind::Domain, text, wrong.reason, wrong.meant)),
    }
}

fn read_search(text: &str) -> Result<DomainName, ValueFault> {
    DomainName::parse(text).map_err(|wrong| fault(FaultKind::Search, text, wrong.reason, wrong.meant))
}

fn read_name_server(text: &str) -> Result<IpAddr, ValueFault> {
    parse_address(text, None).map_err(|wrong| {
        let is_name =
            text.chars().any(|c| c.is_ascii_alphabetic()) && !text.contains(':') && wrong.meant.is_none();
        let reason =
            if is_name { "is a name; a DNS server is given by its address".to_owned() } else { wrong.reason };
        fault(FaultKind::NameServer, text, reason, wrong.meant.map(|meant| meant.to_string()))
    })
}

fn read_time_server(text: &str) -> Result<TimeServer, ValueFault> {
    TimeServer::parse(text).map_err(|wrong| {
        let (reason, meant) = wrong.reason(text);
        fault(FaultKind::TimeServer, text, reason, meant)
    })
}

fn read_peer(text: &str) -> Result<TimeServer, ValueFault> {
    TimeServer::parse(text).map_err(|wrong| {
        let (reason, meant) = wrong.reason(text);
        fault(FaultKind::Peer, text, reason, meant)
    })
}

fn server_fault(kind: FaultKind, text: &str, wrong: ServerFault) -> ValueFault {
    fault(kind, text, wrong.reason, wrong.meant)
}

fn read_server(text: &str) -> Result<ServerAddress, ValueFault> {
    ServerAddress::parse(text).map_err(|wrong| server_fault(FaultKind::Server, text, wrong))
}

fn read_proxy(text: &str) -> Result<ServerAddress, ValueFault> {
    ServerAddress::parse_proxy(text).map_err(|wrong| server_fault(FaultKind::Proxy, text, wrong))
}

fn read_mail(text: &str) -> Result<MailAddress, ValueFault> {
    MailAddress::parse(text).map_err(|reason| fault(FaultKind::Mail, text, reason, None))
}

fn zone(text: &str) -> Read {
    ZoneName::parse(text).map(TypedValue::Zone).ok_or_else(|| {
        let near = nearest_zones(text).into_iter().find(|zone| !zone.starts_with("Etc/GMT"));
        fault(FaultKind::Zone, text, "is not a known time zone", near.map(str::to_owned))
    })
}

/// Logins of products have capitals, dots and an @ more often than those of hosts.
fn username(text: &str) -> Read {
    let wrong = if let Some(letter) = text.chars().find(|c| c.is_whitespace() || c.is_control()) {
        format!("has {} in it, which is not allowed in a login", shown(letter))
    } else if let Some(letter) = text.chars().find(|c| ":/,;\"'<>|".contains(*c)) {
        format!("has {} in it, which is not allowed in a login", shown(letter))
    } else if text.starts_with('-') {
        "starts with a hyphen".to_owned()
    } else {
        return Ok(TypedValue::Text);
    };
    Err(fault(FaultKind::Username, text, wrong, None))
}

/// What an author puts in a place that somebody else is to fill.
fn is_placeholder(text: &str) -> bool {
    let small: String = text.chars().filter(char::is_ascii_alphanumeric).collect::<String>().to_lowercase();
    matches!(
        small.as_str(),
        "changeme"
            | "change"
            | "todo"
            | "tbd"
            | "none"
            | "na"
            | "example"
            | "yourkey"
            | "license"
            | "licensekey"
    ) || (small.len() >= 5 && small.bytes().all(|byte| byte == b'x'))
}

fn plain_text(text: &str) -> Read {
    if text.trim() != text {
        return Err(fault(FaultKind::Other, text, "has spaces around it", Some(text.trim().to_owned())));
    }
    if let Some(letter) = text.chars().find(|c| c.is_control() && *c != '\n') {
        return Err(fault(FaultKind::Other, text, format!("has {} in it", shown(letter)), None));
    }
    if is_placeholder(text) {
        return Err(fault(FaultKind::Other, text, "is a placeholder, not a value", None));
    }
    Ok(TypedValue::Text)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn wanted(
        meaning: Meaning,
        default: Option<&'static str>,
        separator: Option<&'static str>,
    ) -> Wanted<'static> {
        Wanted {
            meaning,
            kind: &PropertyType::String,
            choices: &[],
            default,
            is_single: false,
            separator,
            written: None,
            has_six_elsewhere: false,
            texts: ["", ""],
        }
    }

    #[test]
    fn the_default_shows_the_form() {
        let is_read = |meaning, default, text: &str| wanted(meaning, default, None).read(text).is_ok();
        assert!(
            is_read(Meaning::PrefixLength, Some("/24"), "/20")
                && !is_read(Meaning::PrefixLength, Some("/24"), "20")
        );
        assert!(
            is_read(Meaning::PrefixLength, Some("24"), "20") && !is_read(Meaning::PrefixLength, None, "/20")
        );
        assert!(
            is_read(Meaning::NodeNumber, Some("01"), "02") && !is_read(Meaning::NodeNumber, Some("1"), "02")
        );
        assert!(is_read(Meaning::Vlan, Some("0"), "0") && !is_read(Meaning::Vlan, None, "0"));
        assert!(
            is_read(Meaning::Hostname, Some("box.example"), "a.b")
                && !is_read(Meaning::Hostname, None, "a.b")
        );
        assert!(is_read(Meaning::Address, Some("10.64.10.7/24"), "10.64.10.61/24"));
        assert!(
            is_read(Meaning::DhcpEnabled, Some("Static"), "DHCP")
                && !is_read(Meaning::DhcpEnabled, Some("no"), "dhcp")
        );
    }

    #[test]
    fn lists_have_the_sign_that_is_asked_for() {
        let read = |separator, text: &str| wanted(Meaning::Dns, None, separator).read(text);
        for (separator, text) in [
            (Some(","), "10.64.10.53, 10.64.10.54"),
            (Some(" "), "10.64.10.53  10.64.10.54"),
            (None, "10.64.10.53;10.64.10.54"),
        ] {
            assert!(read(separator, text).is_ok(), "{text}");
        }
        let wrong = read(Some(","), "10.64.10.53 10.64.10.54").unwrap_err();
        assert_eq!((wrong.kind, wrong.meant.as_deref()), (FaultKind::Form, Some("10.64.10.53,10.64.10.54")));
        for text in ["10.64.10.53,,10.64.10.54", ";10.64.10.53", ",", " 10.64.10.53"] {
            assert!(read(None, text).is_err(), "{text}");
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4_000))]

        #[test]
        fn reading_never_panics_and_a_fault_has_a_reason(
            text in "\\PC{0,40}|[0-9a-fA-F:./,; @_-]{0,40}",
            meaning in proptest::sample::select(Meaning::ALL),
            default in proptest::option::of("[a-z0-9./]{0,12}"),
            separator in proptest::sample::select(&[None, Some(","), Some(" ")][..]),
        ) {
            let wanted = Wanted { default: default.as_deref(), ..wanted(meaning, None, separator) };
            match wanted.read(&text) {
                Ok(typed) => {
                    let _ = typed.to_string();
                }
                Err(wrong) => prop_assert!(!wrong.reason.is_empty()),
            }
        }
    }
}
