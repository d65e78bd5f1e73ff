//! All that is read of a network, by one way in: for fuzzing, and for tests of what that has found.

use std::io::{self, Read, Write};
use std::sync::OnceLock;

use impostazione_core::assess::{Assessment, assess};
use impostazione_core::network::{NetworkMap, TimeKeyValue};
use impostazione_net::Family;
use impostazione_text::Hidden;
use impostazione_text::files::Folder;
use jiff::civil::Date;

use crate::answer::{Clock, Found, LookedUp, MOST_RECORDS, ShownKey};
use crate::arrival::HostKeyList;
use crate::clock::read_time;
use crate::dns::read_answer;
use crate::inside::{Said, judge_inside};
use crate::knock::{greet_ssh, read_certificate};
use crate::offer::read_offer;
use crate::question::Sought;

/// Reads bytes by the reader that the first of them picks; the rest is what it reads.
///
/// # Panics
///
/// Where reading keeps more than it says, which is a fault of the reader.
pub fn read_any(bytes: &[u8]) {
    let Some((kind, bytes)) = bytes.split_first() else { return };
    let name = "gauge-01.capovetro.example".to_owned();
    let sought = match kind % 12 {
        0 => Sought::Addresses(name, Family::V4),
        1 => Sought::Addresses(name, Family::V6),
        2 => Sought::Names(std::net::IpAddr::from([10, 64, 10, 11])),
        3 => Sought::Domain("capovetro.example".to_owned()),
        4 => return read_one_time(bytes, "SHA256"),
        5 => return read_one_time(bytes, "AES128"),
        6 => {
            let number = bytes.get(4..8).and_then(|four| four.try_into().ok()).map_or(0, u32::from_be_bytes);
            let _ = read_offer(bytes, number);
            return;
        }
        8 => return read_one_greeting(bytes),
        11 => return read_one_host(bytes),
        9 => {
            let _ = read_certificate(bytes);
            return;
        }
        10 => {
            let list = HostKeyList::read("known_hosts", &String::from_utf8_lossy(bytes));
            let _ = list.len();
            return;
        }
        _ => {
            if let Ok(text) = std::str::from_utf8(bytes)
                && let Ok(map) = NetworkMap::parse(text)
            {
                assert!(
                    map.addresses
                        .iter()
                        .flat_map(|mapped| &mapped.ports)
                        .all(|port| port.at.ip().is_loopback())
                );
            }
            return;
        }
    };
    let kept = match read_answer(bytes, &sought) {
        Some(LookedUp::Records(Found::Addresses(addresses))) => addresses.len(),
        Some(LookedUp::Records(Found::Names(names))) => names.len(),
        _ => 0,
    };
    assert!(kept <= MOST_RECORDS);
}

/// A server that says these bytes, whatever it is told.
struct Saying<'a>(&'a [u8]);

impl Read for Saying<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.0.read(buffer)
    }
}

impl Write for Saying<'_> {
    fn write(&mut self, buffer: &[u8]) -> io::Result<usize> {
        Ok(buffer.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// The site of which a host says something.
const SHEET: &str = r#"format = 1
[common]
domain = "capovetro.example"
dns = ["10.64.10.53"]
ntp = ["10.64.10.121"]
timezone = "Europe/Rome"
[subnet.quay]
prefix = "10.64.10.0/24"
gateway = "10.64.10.1"
[account.keeper]
admin = true
[[host]]
name = "gauge-01"
link.eth0 = { subnet = "quay", address = "10.64.10.11", routing_table = 140 }
"#;

fn read_one_host(bytes: &[u8]) {
    static SITE: OnceLock<Assessment> = OnceLock::new();
    let assessment = SITE.get_or_init(|| {
        assess("sheet.toml", SHEET.as_bytes().to_vec(), &Folder::new("."), Date::constant(2027, 1, 1))
    });
    let said = Said::read(&String::from_utf8_lossy(bytes), "part-x");
    for machine in &assessment.site.machines {
        assert!(judge_inside(&assessment.site, machine, &said).len() > 10);
    }
}

fn read_one_greeting(bytes: &[u8]) {
    let greeting = greet_ssh(&mut Saying(bytes), &[]);
    // Whoever does not know what it is told cannot have signed it.
    assert!(!greeting.is_some_and(|greeting| matches!(greeting.key, ShownKey::Proved(_))));
}

fn read_one_time(bytes: &[u8], hash: &'static str) {
    let value = Hidden::new("HEX:000102030405060708090a0b0c0d0e0f");
    let key = TimeKeyValue { number: 7, hash, value };
    if let Some(Clock::Reading(reading)) = read_time(bytes, Some(&key)) {
        assert!(reading.offset_seconds.is_finite() && reading.delay_seconds >= 0.0);
    }
}
