//! A subnet of any sheet that moves to another prefix and back leaves the same bytes, and in between every address has moved by its
//! host number.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use std::collections::BTreeMap;
use std::net::{IpAddr, Ipv4Addr};
use std::path::Path;

use impostazione_core::edit::{Moved, NotMoved, renumber};
use impostazione_core::machine::{Link, Site};
use impostazione_secret::NotAsked;
use impostazione_text::files::{NamedFiles, ReadFault};
use ipnet::IpNet;
use jiff::civil::date;
use proptest::prelude::*;

/// Files in memory.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Files(BTreeMap<String, String>);

impl NamedFiles for Files {
    fn read(&self, path: &Path, _: u64) -> Result<Vec<u8>, ReadFault> {
        let found = self.0.get(&path.display().to_string());
        found.map(|text| text.clone().into_bytes()).ok_or(ReadFault::Missing)
    }
}

impl Files {
    /// What the files hold after a move, and where the addresses of machines are then.
    fn moved(&self, subnet: &str, to: &str) -> Result<(Self, Vec<IpAddr>), NotMoved> {
        let sheet = Moved {
            name: "sheet.toml",
            text: &self.0["sheet.toml"],
            named_files: self,
            secrets: &NotAsked,
            today: date(2026, 11, 28),
        };
        let found = renumber(&sheet, subnet, to.parse().unwrap())?;
        let mut files = self.clone();
        for text in &found.texts {
            let name = found.before.sources.get(text.source).name().to_owned();
            assert!(files.0.insert(name, text.text.clone()).is_some());
        }
        Ok((files, addresses(&found.after.site)))
    }
}

fn addresses(site: &Site) -> Vec<IpAddr> {
    let links = site.machines.iter().flat_map(|machine| &machine.links);
    links.flat_map(Link::addresses).map(|own| own.address.value).collect()
}

/// How a mask is written.
fn mask(length: u8, spelling: u8) -> String {
    let bits = u32::MAX << (32 - u32::from(length));
    match spelling % 3 {
        0 => length.to_string(),
        1 => Ipv4Addr::from_bits(bits).to_string(),
        _ => format!("{bits:#010x}"),
    }
}

/// A sheet in three files, all of whose addresses lie in two subnets, in every form that a sheet has for them.
fn files(own: u32, length: u8, spelling: u8, forms: &[u8]) -> Files {
    use std::fmt::Write as _;
    let network = own & (u32::MAX << (32 - u32::from(length)));
    let at = |number: u32| Ipv4Addr::from_bits(network + number).to_string();
    let written = mask(length, spelling);
    let mut hosts = String::new();
    let mut rows = "name,address\n".to_owned();
    for (index, form) in forms.iter().enumerate() {
        let number = 10 + u32::try_from(index).unwrap() * 3;
        let (one, two) = (at(number), at(number + 1));
        let first = one.clone();
        let quote = if form % 2 == 0 { '"' } else { '\'' };
        let address = match form % 7 {
            0 => format!("address = {quote}{one}{quote}"),
            1 => format!("address = {quote}{one}/{written}{quote}"),
            2 => format!("host_number = {number}"),
            3 => format!("address = {quote}{one}{quote}, more_addresses = [{quote}{two}{quote}]"),
            4 => format!(
                "address = {quote}{one}{quote}, routes = [{{ to = \"10.200.0.0/16\", via = \"{}\" }}]",
                at(2)
            ),
            5 => format!("address = {quote}{{{one}..{one}}}{quote}"),
            _ => {
                writeln!(rows, "row-{index},{}", if form % 2 == 0 { format!("\"{one}\"") } else { one })
                    .unwrap();
                continue;
            }
        };
        writeln!(
            hosts,
            "[[host]]\nname = \"host-{index}\"\nlink.eth0 = {{ subnet = \"quay\", {address} }} # at {first}"
        )
        .unwrap();
    }
    let rows_of = "[[host]]\nrows = \"rows.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n";
    let with_rows = if rows.lines().count() > 1 { rows_of } else { "" };
    let sheet = format!(
        "format = 1\ninclude = [\"part.toml\"]\n[common]\ndns = [\"{}\", \"10.250.0.53\"]\nntp = [\"{}\", \"none\"]\n\
         timezone = \"Europe/Rome\"\n{hosts}{with_rows}[subnet.other]\nprefix = \"10.250.0.0/24\"\ngateway = \"10.250.0.1\"\n",
        at(3),
        at(4)
    );
    let part = format!(
        "format = 1 # the quay\n[subnet.quay]\nprefix = \"{}/{written}\"\ngateway = '{}'\ndhcp_ranges = [\"{} - {}\"]\n\
         kept_free = [\"{}\"]\nin_use = {{ \"{}\" = \"winch\" }}\n",
        at(0),
        at(1),
        at(5),
        at(6),
        at(7),
        at(8)
    );
    Files(BTreeMap::from([
        ("sheet.toml".to_owned(), sheet),
        ("part.toml".to_owned(), part),
        ("rows.csv".to_owned(), rows),
    ]))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, failure_persistence: None, ..ProptestConfig::default() })]
    #[test]
    fn there_and_back_is_the_same(
        own in 0x0b00_0000_u32..0x7e00_0000,
        new in 0x8000_0000_u32..0xdf00_0000,
        (length, new_length) in (20_u8..=26, 16_u8..=26),
        spelling in 0_u8..3,
        forms in prop::collection::vec(0_u8..14, 0..14),
    ) {
        let network = |bits: u32, length: u8| IpNet::new(IpAddr::V4(bits.into()), length).unwrap().trunc();
        let (old, new) = (network(own, length), network(new, new_length));
        let before = files(own, length, spelling, &forms);
        let (there, moved) = before.moved("quay", &new.to_string()).unwrap();
        for address in moved {
            prop_assert!(new.contains(&address), "{} is not in {}", address, new);
        }
        prop_assert_ne!(&there, &before);
        let (back, _) = there.moved("quay", &old.to_string()).unwrap();
        prop_assert_eq!(back, before);
    }
}

#[test]
fn what_is_not_of_the_subnet_stays() {
    let before = files(0x0a40_0a00, 24, 0, &[0, 1, 2]);
    let (there, _) = before.moved("quay", "10.65.10.0/24").unwrap();
    assert!(
        there.0["sheet.toml"].contains("\"10.250.0.53\"") && there.0["sheet.toml"].contains("10.250.0.0/24")
    );
    assert!(there.0["sheet.toml"].contains("# at 10.64.10.13"), "a remark stays");
    assert!(
        matches!(before.moved("quai", "10.65.10.0/24"), Err(NotMoved::NoSubnet(names)) if names == ["other", "quay"])
    );
    assert!(matches!(before.moved("quay", "10.250.0.0/24"), Err(NotMoved::Errors(..))));
}
