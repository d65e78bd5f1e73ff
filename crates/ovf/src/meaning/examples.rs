//! Values that a text gives as examples, and the text without them.

use std::net::IpAddr;

use super::default_form::is_file_ending;

/// What a text shows of values.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct Examples {
    /// Addresses alone.
    pub(super) addresses: Vec<IpAddr>,
    /// Addresses of machines with the length of their prefix behind a slash.
    pub(super) with_length: Vec<IpAddr>,
    /// Whether there is a network, whose bits behind the length are all zero.
    pub(super) has_network: bool,
    /// Whether an address stands in brackets.
    pub(super) has_brackets: bool,
    /// Names with dots, by how many labels they have.
    pub(super) names: Vec<usize>,
    /// The scheme of a URL.
    pub(super) scheme: Option<String>,
    /// Whether there is a mailbox.
    pub(super) has_mailbox: bool,
    /// What stands between values of a list that is shown.
    pub(super) separator: Option<String>,
}

impl Examples {
    /// Takes the examples out of a text. Returns them, and the rest of the text.
    pub(super) fn taken_from(text: &str) -> (Self, String) {
        let mut found = Self::default();
        let mut rest = String::with_capacity(text.len());
        // What the value before ended with, where a value stands right before.
        let mut before: Option<&str> = None;
        for line in text.lines() {
            for token in line.split_whitespace() {
                if !found.take(token) {
                    before = None;
                    rest.push_str(token);
                    rest.push(' ');
                    continue;
                }
                if found.separator.is_none() {
                    found.separator = before.map(str::to_owned);
                }
                before = Some(match token.chars().last() {
                    Some(',') => ",",
                    Some(';') => ";",
                    _ => " ",
                });
                // The full stop behind an example still ends the sentence.
                if token.ends_with(['.', ';', '?']) {
                    rest.truncate(rest.trim_end().len());
                    rest.push_str(". ");
                }
            }
            rest.push('\n');
        }
        (found, rest.trim_end().to_owned())
    }

    /// Adds those of another text.
    pub(super) fn add(&mut self, other: Self) {
        self.addresses.extend(other.addresses);
        self.with_length.extend(other.with_length);
        self.names.extend(other.names);
        self.has_network |= other.has_network;
        self.has_brackets |= other.has_brackets;
        self.has_mailbox |= other.has_mailbox;
        self.scheme = self.scheme.take().or(other.scheme);
        self.separator = self.separator.take().or(other.separator);
    }

    /// Whether any address is shown, with or without its length.
    pub(super) fn shows_family(&self, is_wanted: impl Fn(&IpAddr) -> bool) -> bool {
        self.addresses.iter().chain(&self.with_length).any(is_wanted)
    }

    fn take(&mut self, token: &str) -> bool {
        let edges = |letter: char| !letter.is_alphanumeric() && !matches!(letter, '[' | ']');
        let token = token.trim_end_matches(['.', ',', ';', '?', '!']);
        for separator in [",", ";", "|"] {
            let parts: Vec<&str> = token.split(separator).collect();
            let is_list = parts.len() >= 2
                && (parts.iter().all(|part| Self::default().take(part)) || are_placeholders(&parts));
            if is_list {
                for part in parts {
                    self.take(part);
                }
                self.separator = Some(separator.to_owned());
                return true;
            }
        }
        let bare = token.trim_matches(edges);
        if let Some((scheme, rest)) = token.trim_start_matches(edges).split_once("://") {
            if !scheme.is_empty() && !rest.is_empty() {
                self.scheme = Some(scheme.to_ascii_lowercase());
                return true;
            }
            return false;
        }
        // Only the unspecified and the local address begin with colons, which are no edge.
        let begins = token.find("::").filter(|at| *at == 0).map(|_| token.trim_end_matches(edges));
        let bare = begins.unwrap_or(bare);
        if let Some((address, length)) = bare.split_once('/')
            && let (Ok(address), Ok(length)) = (address.parse::<IpAddr>(), length.parse::<u32>())
        {
            if has_host_bits(address, length) {
                self.with_length.push(address);
            } else {
                self.has_network = true;
            }
            return true;
        }
        if let Some(inner) = bare.strip_prefix('[').and_then(|rest| rest.split_once(']')) {
            self.has_brackets |= inner.0.parse::<IpAddr>().is_ok();
            return inner.0.parse::<IpAddr>().is_ok();
        }
        let bare = bare.trim_matches(['[', ']']);
        if let Ok(address) = bare.parse::<IpAddr>() {
            self.addresses.push(address);
            return true;
        }
        let (host, port) = bare.split_once(':').unwrap_or((bare, ""));
        if port.bytes().all(|byte| byte.is_ascii_digit()) && host.parse::<IpAddr>().is_ok() {
            return true;
        }
        if let Some((user, domain)) = bare.split_once('@') {
            let is_mailbox = !user.is_empty() && labels(domain).is_some();
            self.has_mailbox |= is_mailbox;
            return is_mailbox;
        }
        if let Some(count) = labels(host).filter(|_| port.bytes().all(|byte| byte.is_ascii_digit())) {
            self.names.push(count);
            return true;
        }
        false
    }
}

/// Letters in the places of values: `a,b,c`.
fn are_placeholders(parts: &[&str]) -> bool {
    parts.iter().zip('a'..).all(|(part, letter)| part.chars().eq([letter]))
}

/// How many labels a name with dots has: two letters at least in each, and no file's ending.
fn labels(name: &str) -> Option<usize> {
    let labels: Vec<&str> = name.split('.').collect();
    let is_label = |label: &&str| {
        label.len() >= 2
            && !label.starts_with('-')
            && label.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-')
    };
    let is_ending = |last: &&str| last.bytes().all(|byte| byte.is_ascii_lowercase()) && !is_file_ending(last);
    let fits = labels.len() >= 2 && labels.iter().all(is_label) && labels.last().is_some_and(is_ending);
    fits.then_some(labels.len())
}

fn has_host_bits(address: IpAddr, length: u32) -> bool {
    match address {
        IpAddr::V4(v4) => length < 32 && v4.to_bits().checked_shl(length).unwrap_or(0) != 0,
        IpAddr::V6(v6) => length < 128 && v6.to_bits().checked_shl(length).unwrap_or(0) != 0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn examples_are_taken_out_of_their_sentence() {
        let (found, rest) = Examples::taken_from("With its length, as in 192.0.2.7/24. Not the gateway.");
        assert_eq!(found.with_length.len(), 1);
        assert_eq!(rest, "With its length, as in. Not the gateway.");
        let (found, _) = Examples::taken_from("Which network? 192.0.2.0/24");
        assert!(found.has_network && found.with_length.is_empty());
        let (found, _) = Examples::taken_from("quay3.capovetro.example, with its domain");
        assert_eq!(found.names, [3]);
        let (found, _) = Examples::taken_from("2001:db8::9 or fe80::1");
        assert!(found.shows_family(IpAddr::is_ipv6));
        let (found, _) = Examples::taken_from("http://proxy.capovetro.example:8080 or ops@capovetro.example");
        assert!(found.scheme.as_deref() == Some("http") && found.has_mailbox && found.names.is_empty());
    }

    #[test]
    fn a_list_shows_its_separator() {
        let separator = |text: &str| Examples::taken_from(text).0.separator;
        assert_eq!(separator("192.0.2.1;192.0.2.2").as_deref(), Some(";"));
        assert_eq!(separator("a,b,c").as_deref(), Some(","));
        assert_eq!(separator("192.0.2.1 192.0.2.2").as_deref(), Some(" "));
        assert_eq!(separator("192.0.2.1, 192.0.2.2").as_deref(), Some(","));
        assert_eq!(separator("192.0.2.1 or 192.0.2.2"), None);
    }

    #[test]
    fn what_is_no_example_stays() {
        let text = "port@host, e.g. the file server.pem, host:port and z. B. mehr";
        assert_eq!(Examples::taken_from(text).1, text);
    }
}
