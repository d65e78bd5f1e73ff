//! The options before a key in `authorized_keys` (`sshd(8)`, `AUTHORIZED_KEYS FILE FORMAT`). sshd ignores a key whose options
//! it cannot read, without a word to who wants to log in.

use std::net::IpAddr;

use jiff::civil::{Date, DateTime};

/// What the options of a key say of it, as far as a rule wants to know.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct KeyOptions {
    /// When it stops opening anything: the earliest, where several are given.
    pub(super) expires: Option<DateTime>,
    /// Whether it only signs certificates.
    pub(super) is_authority: bool,
}

/// Options that sshd knows in `authorized_keys` (`sshd(8)`), in small letters, and whether they have a value.
const OPTIONS: [(&str, bool); 22] = [
    ("agent-forwarding", false),
    ("cert-authority", false),
    ("command", true),
    ("environment", true),
    ("expiry-time", true),
    ("from", true),
    ("no-agent-forwarding", false),
    ("no-port-forwarding", false),
    ("no-pty", false),
    ("no-touch-required", false),
    ("no-user-rc", false),
    ("no-x11-forwarding", false),
    ("permitlisten", true),
    ("permitopen", true),
    ("port-forwarding", false),
    ("principals", true),
    ("pty", false),
    ("restrict", false),
    ("tunnel", true),
    ("user-rc", false),
    ("verify-required", false),
    ("x11-forwarding", false),
];

/// Options that sshd takes once only.
const ONCE: [&str; 3] = ["command", "from", "principals"];

impl KeyOptions {
    /// Reads options; what is wrong with them is the end of a sentence.
    pub(super) fn read(options: &str) -> Result<Self, String> {
        let mut read = Self::default();
        let mut seen: Vec<String> = Vec::new();
        let mut rest = options;
        while !rest.is_empty() {
            let name_end = rest.find(['=', ',']).unwrap_or(rest.len());
            let (name, behind) = rest.split_at(name_end);
            let small = name.to_ascii_lowercase();
            let Some((_, takes_value)) = OPTIONS.iter().find(|(known, _)| *known == small) else {
                return Err(format!("has an option that sshd does not know, {name}"));
            };
            let value = behind.strip_prefix('=');
            if value.is_some() != *takes_value {
                let does = if *takes_value { "needs a value" } else { "takes no value" };
                return Err(format!("has an option {name}, which {does}"));
            }
            if ONCE.contains(&small.as_str()) && seen.contains(&small) {
                return Err(format!("has the option {name} twice, and sshd accepts it once"));
            }
            rest = behind;
            if let Some(value) = value {
                let (value, after) = quoted(name, value)?;
                read.take_value(&small, &value).map_err(|fault| format!("has an option {name} {fault}"))?;
                rest = after;
            }
            read.is_authority |= small == "cert-authority";
            seen.push(small);
            match rest.strip_prefix(',') {
                Some(more) if !more.is_empty() => rest = more,
                None if rest.is_empty() => {}
                _ => return Err("has options that are not separated by commas".to_owned()),
            }
        }
        if seen.iter().any(|name| name == "principals") && !read.is_authority {
            return Err("has an option principals, which sshd accepts only with cert-authority".to_owned());
        }
        Ok(read)
    }

    fn take_value(&mut self, name: &str, value: &str) -> Result<(), String> {
        match name {
            "expiry-time" => {
                let time = time(value).ok_or_else(|| {
                    format!("whose value {value:?} is not a time; write it as 20991231, or 209912312359 with a time \
                        of day")
                })?;
                self.expires = Some(self.expires.map_or(time, |known| known.min(time)));
            }
            "from" => sources(value)?,
            "permitopen" | "permitlisten" => {
                // A port alone may be listened on, and not be reached.
                let is_port_alone = name == "permitlisten" && is_port(value);
                if !is_port_alone && !is_host_and_port(value) {
                    return Err(format!("whose value {value:?} is not host:port"));
                }
            }
            "tunnel" => {
                const MOST: u32 = 0x7fff_fffd;
                let is_number = value.bytes().all(|byte| byte.is_ascii_digit())
                    && value.parse::<u32>().is_ok_and(|number| number <= MOST);
                if !(is_number || value.eq_ignore_ascii_case("any")) {
                    return Err(format!("whose value {value:?} is not the number of a tunnel device"));
                }
            }
            "environment" => {
                let name = value.split_once('=').map(|(name, _)| name).unwrap_or_default();
                if name.is_empty() || !name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_') {
                    return Err("whose value is not NAME=value".to_owned());
                }
            }
            _ => {}
        }
        Ok(())
    }
}

/// The value in quotes at the beginning of a text, and what follows it.
fn quoted<'a>(name: &str, text: &'a str) -> Result<(String, &'a str), String> {
    let Some(inner) = text.strip_prefix('"') else {
        return Err(format!("has an option {name} whose value is not in quotes"));
    };
    let mut previous = '"';
    let end = inner.char_indices().find(|(_, c)| {
        let ends = *c == '"' && previous != '\\';
        previous = *c;
        ends
    });
    let Some((end, _)) = end else {
        return Err(format!("has an option {name} whose value has no closing quote"));
    };
    let value = inner.get(..end).unwrap_or_default().replace("\\\"", "\"");
    Ok((value, inner.get(end + 1..).unwrap_or_default()))
}

/// A time as `YYYYMMDD`, `YYYYMMDDHHMM` or `YYYYMMDDHHMMSS`, and `Z` behind it where it is UTC.
fn time(text: &str) -> Option<DateTime> {
    let digits = text.strip_suffix(['Z', 'z']).unwrap_or(text);
    if !matches!(digits.len(), 8 | 12 | 14) || !digits.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let part = |from: usize, to: usize| -> Option<i16> {
        if digits.len() < to { Some(0) } else { digits.get(from..to)?.parse().ok() }
    };
    let small = |from: usize, to: usize| i8::try_from(part(from, to)?).ok();
    let date = Date::new(part(0, 4)?, small(4, 6)?, small(6, 8)?).ok()?;
    // The beginning of 1970 and all before is no time to sshd.
    (date.year() > 1970).then_some(())?;
    let time = jiff::civil::Time::new(small(8, 10)?, small(10, 12)?, small(12, 14)?, 0).ok()?;
    Some(DateTime::from_parts(date, time))
}

/// A list of addresses, networks and patterns from which a key is taken.
fn sources(list: &str) -> Result<(), String> {
    let mut lets_anybody_in = false;
    for item in list.split(',') {
        let bare = item.strip_prefix('!');
        lets_anybody_in |= bare.is_none();
        let source = bare.unwrap_or(item);
        if source.is_empty() || source.contains(char::is_whitespace) {
            return Err(format!("whose list {list:?} has an empty item or a space in it"));
        }
        let Some((address, length)) = source.split_once('/') else { continue };
        let (Ok(address), Ok(length)) = (address.parse::<IpAddr>(), length.parse::<u8>()) else {
            return Err(format!("whose item {source:?} is not a network"));
        };
        let Ok(network) = ipnet::IpNet::new(address, length) else {
            return Err(format!("whose item {source:?} is not a network"));
        };
        if network.network() != address {
            return Err(format!(
                "whose item {source:?} has host bits set, so sshd refuses the key; write \"{}\"",
                network.trunc()
            ));
        }
    }
    if lets_anybody_in {
        Ok(())
    } else {
        Err(format!("whose list {list:?} only excludes, so it lets nobody in"))
    }
}

fn is_host_and_port(text: &str) -> bool {
    let (host, port) = match text.strip_prefix('[') {
        Some(rest) => match rest.split_once("]:") {
            Some(parts) => parts,
            None => return false,
        },
        None => match text.split_once([':', '/']) {
            Some(parts) => parts,
            None => return false,
        },
    };
    !host.contains(char::is_whitespace) && is_port(port)
}

/// A number, a name of a service, or `*` for any.
fn is_port(text: &str) -> bool {
    match text.parse::<u32>() {
        Ok(number) => (1..=65535).contains(&number) && text.bytes().all(|byte| byte.is_ascii_digit()),
        Err(_) => text == "*" || SERVICES.contains(&text),
    }
}

/// Names of services that every host has in its list (`services(5)`).
const SERVICES: [&str; 6] = ["ssh", "http", "https", "domain", "ntp", "smtp"];
