//! DNS servers, names and the time zone.

use impostazione_core::network::inside_rules::{DNS, NAME, TIMEZONE};

use super::expected::Host;
use super::fact::InsideFact;
use super::said::Said;

/// All that is judged of names.
pub(super) fn facts(host: Host<'_>, said: &Said) -> Vec<InsideFact> {
    let mut facts = vec![servers(host, said), domains(host, said)];
    facts.extend(stub(said));
    facts.extend(names(host, said));
    facts.extend(zone(host, said));
    facts
}

const NO_NAMES: &str = "look with `resolvectl status` and into /etc/resolv.conf on the host";

/// What comes after the colon of each line, as resolvectl shows its servers and domains for each link.
fn of_links(text: &str) -> Vec<String> {
    let values =
        text.lines().filter_map(|line| line.split_once(": ")).flat_map(|(_, rest)| rest.split_whitespace());
    let mut values: Vec<String> = values.map(str::to_ascii_lowercase).collect();
    values.sort();
    values.dedup();
    values
}

/// What comes after a word in `resolv.conf(5)`.
fn of_file(text: &str, word: &str) -> Vec<String> {
    let lines = text.lines().filter_map(|line| line.trim().strip_prefix(word));
    let values = lines.filter(|rest| rest.starts_with([' ', '\t'])).flat_map(str::split_whitespace);
    let mut values: Vec<String> = values.map(str::to_ascii_lowercase).collect();
    values.sort();
    values.dedup();
    values
}

fn servers(host: Host<'_>, said: &Said) -> InsideFact {
    let found = match (said.of("dns"), said.of("resolv.conf")) {
        // A port, a link or a name for certificates may follow the address.
        (Ok(text), _) => {
            let plain = |server: String| server.split(['%', '#']).next().unwrap_or_default().to_owned();
            of_links(text).into_iter().map(plain).collect()
        }
        (Err(_), Ok(text)) => of_file(text, "nameserver"),
        _ => {
            return InsideFact::not_looked(&DNS, "DNS servers", "nothing there says which it asks", NO_NAMES);
        }
    };
    let fix = "`resolvectl status` on the host shows where they come from; place the host's output again and boot it, or take the \
        change back";
    InsideFact::compared(&DNS, "DNS servers", (found, host.name_servers()), "the DNS server", fix)
}

fn domains(host: Host<'_>, said: &Said) -> InsideFact {
    let found = match (said.of("domains"), said.of("resolv.conf")) {
        (Ok(text), _) => of_links(text),
        (Err(_), Ok(text)) => of_file(text, "search"),
        _ => {
            return InsideFact::not_looked(
                &DNS,
                "search domains",
                "nothing there says which it searches",
                NO_NAMES,
            );
        }
    };
    let found = found.into_iter().filter(|domain| domain != ".").collect();
    let fix = "`resolvectl domain` on the host shows them; place the host's output again and boot it, or take the change back";
    InsideFact::compared(&DNS, "search domains", (found, host.domains()), "the domain", fix)
}

/// Whether programs ask systemd-resolved, where it runs: its address in `resolv.conf(5)`, or the very servers.
fn stub(said: &Said) -> Option<InsideFact> {
    let (dns, file) = (said.of("dns").ok()?, said.of("resolv.conf").ok()?);
    let (asked, found) = (of_links(dns), of_file(file, "nameserver"));
    if asked.is_empty() {
        return None;
    }
    let is_stub = found.iter().any(|server| server.starts_with("127.0.0.5"));
    if is_stub || found.iter().any(|server| asked.contains(server)) {
        return Some(InsideFact::right(&DNS, "what programs ask", found));
    }
    let says = format!(
        "has {} in /etc/resolv.conf, which is not what systemd-resolved asks",
        if found.is_empty() { "no server".to_owned() } else { crate::judge::listed(&found) }
    );
    let fix = "link /etc/resolv.conf to /run/systemd/resolve/stub-resolv.conf on the host";
    Some(InsideFact::wrong(&DNS, "what programs ask", found, says, fix))
}

fn names(host: Host<'_>, said: &Said) -> Vec<InsideFact> {
    let fix = "look which service of the image sets the host up, and mask it; `hostnamectl` on the host sets the name for now";
    let one = |about: &str, part: &str, expected: Option<String>| {
        let expected = expected?;
        Some(match said.of(part) {
            Ok(found) if found.eq_ignore_ascii_case(&expected) => {
                InsideFact::right(&NAME, about, vec![found.to_owned()])
            }
            Ok(found) => {
                let says = format!("has the {about} {found} and not {expected}");
                InsideFact::wrong(&NAME, about, vec![found.to_owned()], says, fix)
            }
            Err(_) => {
                let says = format!("does not know its {about}, which should be {expected}");
                InsideFact::wrong(&NAME, about, Vec::new(), says, "look into /etc/hosts on the host")
            }
        })
    };
    let hostname = host.machine.hostname.value().map(ToString::to_string);
    [one("host name", "hostname", hostname), one("full name", "full-name", host.machine.fqdn())]
        .into_iter()
        .flatten()
        .collect()
}

fn zone(host: Host<'_>, said: &Said) -> Option<InsideFact> {
    let expected = host.machine.settings.timezone.value()?.value.to_string();
    let about = "time zone";
    let Ok(target) = said.of("zone") else {
        let fix = "look with `timedatectl` on the host";
        return Some(InsideFact::not_looked(&TIMEZONE, about, "/etc/localtime is not a link there", fix));
    };
    let found = target.rsplit_once("zoneinfo/").map_or(target, |(_, zone)| zone).to_owned();
    if found == expected {
        return Some(InsideFact::right(&TIMEZONE, about, vec![found]));
    }
    let says = format!("has the time zone {found} and not {expected}");
    let fix = format!("`timedatectl set-timezone {expected}` on the host, and look what set another one");
    Some(InsideFact::wrong(&TIMEZONE, about, vec![found], says, fix))
}
