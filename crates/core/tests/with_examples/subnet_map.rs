//! Prefixes in all spellings, and what each address is used for.

use std::net::IpAddr;

use impostazione_core::views::subnet_map::{AddressMap, AddressPurpose, prefix_facts};
use impostazione_net::PrefixFault;

use super::support::{BASE, assess_text};

#[test]
fn one_prefix_in_every_spelling() {
    let spellings = [
        "10.64.10.7/24",
        "10.64.10.7/255.255.255.0",
        "10.64.10.7/0xffffff00",
        "10.64.10.7 255.255.255.0",
        "10.64.10.7 / 24",
    ];
    for text in spellings {
        let facts = prefix_facts(text).unwrap();
        assert_eq!(facts.prefix.to_string(), "10.64.10.0/24", "{text}");
        assert_eq!(facts.netmask.as_deref(), Some("255.255.255.0"));
        assert_eq!(facts.hexadecimal.as_deref(), Some("0xffffff00"));
        assert_eq!(
            (facts.first.to_string(), facts.last.to_string()),
            ("10.64.10.1".into(), "10.64.10.254".into())
        );
        assert_eq!(
            (facts.hosts.as_str(), facts.broadcast.unwrap().to_string()),
            ("254", "10.64.10.255".into())
        );
    }
}

#[test]
fn counts_at_the_ends() {
    let hosts = |text: &str| prefix_facts(text).unwrap().hosts;
    assert_eq!(hosts("10.64.10.0/30"), "2");
    assert_eq!(hosts("10.64.10.0/31"), "2");
    assert_eq!(hosts("10.64.10.0/32"), "1");
    assert_eq!(hosts("0.0.0.0/0"), "4294967294");
    assert_eq!(hosts("fd64::/64"), "2^64");
    assert_eq!(hosts("::/0"), "2^128");
    assert_eq!(hosts("fd64::/126"), "4");
    assert_eq!(prefix_facts("10.64.10.0"), Err(PrefixFault::NoMask));
}

#[test]
fn each_address_has_its_purpose() {
    let sheet = BASE.replace(
        "gateway = \"10.64.10.1\"",
        "gateway = \"10.64.10.1\"\ndhcp_ranges = [\"10.64.10.200-10.64.10.239\"]\nkept_free = [\"10.64.10.2-10.64.10.9\"]\n\
         in_use = { \"10.64.10.10\" = \"crane\" }",
    );
    let assessment = assess_text(&sheet);
    assert!(assessment.findings.is_empty());
    let plan = AddressMap::new(&assessment.site, "10.64.10.0/24".parse().unwrap());
    let purpose = |last: u8| plan.purpose(IpAddr::from([10, 64, 10, last]));
    assert_eq!(purpose(0), AddressPurpose::Reserved);
    assert_eq!(purpose(1), AddressPurpose::Gateway { subnet: "quay".into() });
    assert_eq!(purpose(9), AddressPurpose::KeptFree);
    assert_eq!(purpose(10), AddressPurpose::InUse { user: "crane".into() });
    assert_eq!(purpose(11), AddressPurpose::Static { machine: "gauge-01".into(), link: "eth0".into() });
    assert_eq!(purpose(239), AddressPurpose::Leased);
    assert_eq!(purpose(255), AddressPurpose::Reserved);
    assert_eq!(
        plan.next_free(2).iter().map(ToString::to_string).collect::<Vec<_>>(),
        ["10.64.10.12", "10.64.10.13"]
    );
    assert_eq!(purpose(53), AddressPurpose::Server { role: "DNS server" });
    assert_eq!(plan.taken().len(), 8);
    assert_eq!(plan.subnets(), ["quay"]);
}
