//! What properties get by their meaning: switches in their own words, lists, links, and what is left to a person.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use impostazione_core::appliance::answered_properties;
use impostazione_core::assess::assess;
use impostazione_text::files::Folder;
use jiff::civil::date;

/// Networks that the package of a test has.
const NETWORKS: [&str; 2] = ["Office", "Mast"];

/// Judges a sheet with one appliance of a package that asks for these properties. Gives the properties' values, and the
/// messages of the findings.
fn answered(properties: &str, common: &str, links: &str) -> (Vec<(String, String)>, Vec<String>) {
    let folder = tempfile::tempdir().unwrap();
    let adapters: String = NETWORKS
        .map(|name| format!("<Item><Connection>{name}</Connection><ResourceType>10</ResourceType></Item>"))
        .concat();
    let networks: String = NETWORKS.map(|name| format!("<Network ovf:name=\"{name}\"/>")).concat();
    let descriptor = format!(
        "<Envelope xmlns=\"http://schemas.dmtf.org/ovf/envelope/1\" xmlns:ovf=\"http://schemas.dmtf.org/ovf/envelope/1\">\
         <NetworkSection><Info/>{networks}</NetworkSection><VirtualSystem ovf:id=\"a\"><Info/>\
         <ProductSection><Info/>{properties}</ProductSection>\
         <VirtualHardwareSection ovf:transport=\"iso\"><Info/>{adapters}</VirtualHardwareSection></VirtualSystem></Envelope>"
    );
    std::fs::write(folder.path().join("a.ovf"), descriptor).unwrap();
    let sheet = format!(
        "format = 1\n[common]\ndomain = \"capovetro.example\"\ntimezone = \"Europe/Rome\"\n{common}\n\
         [subnet.quay]\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\n\
         [subnet.mast]\nprefix = \"10.64.20.0/24\"\n\
         [[appliance]]\nname = \"tower\"\npackage = \"a.ovf\"\n{links}\n"
    );
    let assessment =
        assess("sheet.toml", sheet.into_bytes(), &Folder::new(folder.path()), date(2026, 11, 25));
    let tower = &assessment.site.machines[0];
    let values = answered_properties(&assessment.site, tower)
        .into_iter()
        .filter_map(|answered| Some((answered.property.id(), answered.outcome.text()?.to_owned())))
        .collect();
    (values, assessment.findings.into_iter().map(|finding| finding.message).collect())
}

const SERVERS: &str =
    "dns = [\"10.64.10.53\", \"10.64.10.54\"]\nntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]";
const LINKS: &str = "link.a = { network = \"Office\", subnet = \"quay\", address = \"10.64.10.61\" }\n\
    link.b = { network = \"Mast\", subnet = \"mast\", address = \"10.64.20.61\", default_route = false }";

fn property(key: &str, kind: &str, label: &str, more: &str) -> String {
    format!(
        "<Property ovf:key=\"{key}\" ovf:type=\"{kind}\" ovf:userConfigurable=\"true\" {more}><Label>{label}</Label></Property>"
    )
}

#[track_caller]
fn only(properties: &str, common: &str) -> String {
    let (values, findings) = answered(properties, common, LINKS);
    let [(_, value)] = values.as_slice() else { panic!("{values:?} {findings:?}") };
    value.clone()
}

#[test]
fn a_switch_is_answered_in_the_words_of_its_property() {
    let dhcp = |kind, more| only(&property("dhcp", kind, "Use DHCP", more), SERVERS);
    assert_eq!(dhcp("boolean", "ovf:value=\"true\""), "false");
    assert_eq!(dhcp("string", "ovf:value=\"Yes\""), "No");
    let choices = "ovf:value=\"DHCP\" ovf:qualifiers=\"ValueMap{&quot;DHCP&quot;,&quot;Static&quot;}\"";
    assert_eq!(only(&property("mode", "string", "Address assignment", choices), SERVERS), "Static");
    let ntp = property("ntp", "boolean", "Use NTP", "ovf:value=\"false\"");
    assert_eq!(only(&ntp, SERVERS), "true");
    assert_eq!(only(&ntp, "dns = \"none\"\nntp = \"none\""), "false");
    let ipv6 = property("ipv6", "boolean", "Enable IPv6", "ovf:value=\"true\"");
    assert_eq!(only(&ipv6, SERVERS), "false", "no link has such an address");
}

#[test]
fn a_list_needs_to_be_told_what_stands_between() {
    let stated = property("dns", "string", "DNS servers, separated by commas", "");
    assert_eq!(only(&stated, SERVERS), "10.64.10.53,10.64.10.54");
    let open = property("dns", "string", "DNS servers", "");
    let (values, findings) = answered(&open, SERVERS, LINKS);
    assert!(values.is_empty() && findings[0].contains("has 2 values for dns"), "{findings:?}");
    let one = SERVERS.replace("\"10.64.10.54\"", "\"none\"");
    assert_eq!(only(&open, &one), "10.64.10.53", "with one there is nothing between");
}

#[test]
fn an_address_goes_to_the_link_that_its_property_speaks_of() {
    let both = property("officeIp", "string", "IP address, office", "")
        + &property("mastIp", "string", "IP address, mast", "");
    let (values, findings) = answered(&both, SERVERS, LINKS);
    let texts: Vec<&str> = values.iter().map(|(_, value)| value.as_str()).collect();
    assert_eq!(texts, ["10.64.10.61", "10.64.20.61"], "{findings:?}");
    // Where nothing tells one from the other, a person has to.
    let alike = property("ip", "string", "IP address", "") + &property("address", "string", "IP address", "");
    let (values, findings) = answered(&alike, SERVERS, LINKS);
    assert!(values.is_empty() && findings.len() == 2, "{values:?} {findings:?}");
    assert!(findings[0].contains("is not certain"), "{findings:?}");
    // A link that the sheet does not have is not guessed.
    let other = property("backupIp", "string", "IP address, production", "") + &both;
    let (values, findings) = answered(&other, SERVERS, LINKS);
    assert_eq!(values.len(), 2, "{values:?}");
    assert!(findings.iter().any(|message| message.contains("backupIp")), "{findings:?}");
}

#[test]
fn what_the_sheet_does_not_have_follows_the_propertys_own_text() {
    let second = |label: &str, more: &str| {
        let one = SERVERS.replace("\"10.64.10.54\"", "\"none\"");
        let first = property("dns1", "string", "DNS server 1", "");
        answered(&(first + &property("dns2", "string", label, more)), &one, LINKS)
    };
    let value = |label: &str, more: &str| second(label, more).0.get(1).map(|(_, value)| value.clone());
    assert_eq!(value("DNS server 2 (may be empty)", "").as_deref(), Some(""));
    assert_eq!(value("DNS server 2, or none", "").as_deref(), Some("none"));
    assert_eq!(value("DNS server 2", "ovf:value=\"\"").as_deref(), Some(""), "the default stands");
    assert_eq!(value("DNS server 2", ""), None);
    assert!(second("DNS server 2", "").1[0].contains("asks for number 2"));
}

/// What an answer takes by a link that is chosen by where it leads, or why not.
fn toward(take: &str) -> String {
    let links = format!(
        "link.office = {{ network = \"Office\", subnet = \"quay\", address = \"10.64.10.61\" }}\n\
         link.mast = {{ network = \"Mast\", subnet = \"mast\", address = \"10.64.20.61\", default_route = false }}\n\
         [appliance.answer]\n\"seen\" = {{ {take} }}\n\
         [subnet.far]\nprefix = \"10.64.96.0/20\"\nprefix6 = \"fd64:96::/64\"\n\
         [[host]]\nname = \"both\"\n\
         link.lan0 = {{ subnet = \"quay\", address = \"10.64.10.31\", routes = [{{ to = \"10.64.21.128/25\", via = \"10.64.10.2\" }}] }}\n\
         link.lan1 = {{ subnet = \"mast\", address = \"10.64.20.31\", default_route = false, routes = [\
         {{ to = \"10.64.96.0/20\", via = \"10.64.20.2\" }}, {{ to = \"10.64.21.0/24\", via = \"10.64.20.2\" }}] }}\n"
    );
    let (values, messages) = answered(
        "<Property ovf:key=\"seen\" ovf:type=\"string\" ovf:userConfigurable=\"true\"/>",
        "",
        &links,
    );
    let about: Vec<String> = messages
        .into_iter()
        .filter(|text| {
            text.contains("reach")
                || text.contains("way")
                || text.contains("toward")
                || text.contains("direction")
                || text.contains("is not an address")
        })
        .collect();
    match values.into_iter().find(|(id, _)| id == "seen") {
        Some((_, value)) => {
            assert!(about.is_empty(), "{about:?}");
            value
        }
        None => about.join(" "),
    }
}

#[test]
fn a_link_is_chosen_by_what_is_reached_over_it() {
    for (take, expected) in [
        // Its own subnets, and else the default route.
        ("take = \"address\", toward = \"10.64.20.5\"", "10.64.20.61"),
        ("take = \"address\", toward = \"mast\"", "10.64.20.61"),
        ("take = \"address\", toward = \"quay\"", "10.64.10.61"),
        ("take = \"address\", toward = \"far\"", "10.64.10.61"),
        ("take = \"netmask\", toward = \"10.64.96.5\"", "255.255.255.0"),
        ("take = \"gateway\", toward = \"10.64.96.5\"", "10.64.10.1"),
        // A route is more specific than the default route, and one route than another.
        ("take = \"address\", of = \"both\", toward = \"far\"", "10.64.20.31"),
        ("take = \"address\", of = \"both\", toward = \"10.64.21.5\"", "10.64.20.31"),
        ("take = \"address\", of = \"both\", toward = \"10.64.21.200\"", "10.64.10.31"),
        ("take = \"address\", of = \"both\", toward = \"10.64.21.128/25\"", "10.64.10.31"),
        ("take = \"address\", of = \"both\", toward = \"10.64.112.0/20\"", "10.64.10.31"),
        // A part of it leaves by another link.
        (
            "take = \"address\", of = \"both\", toward = \"10.64.21.0/24\"",
            "both reaches 10.64.21.0/24 by several links: lan1, lan0.",
        ),
        ("take = \"address\", toward = \"both\"", "tower reaches both by several links: office, mast."),
        // There is no IPv6 at all.
        (
            "take = \"address\", toward = \"fd64:96::5\"",
            "tower has no way to fd64:96::5: no subnet of its own, no route and no default route.",
        ),
        (
            "take = \"address\", link = \"mast\", toward = \"quay\"",
            "A value is taken of one link, by link or by toward.",
        ),
        (
            "take = \"hostname\", toward = \"quay\"",
            "hostname belongs to the machine and not to a link, so it has no direction.",
        ),
        (
            "take = \"address\", toward = \"quai\"",
            "\"quai\" is not an address, a subnet or a machine of the sheet.",
        ),
    ] {
        assert_eq!(toward(take), expected, "{take}");
    }
}
