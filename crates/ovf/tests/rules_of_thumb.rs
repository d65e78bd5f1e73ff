//! The rules of thumb by which meanings are told, each on a descriptor made for it that is in no corpus.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::fmt::Write as _;

use impostazione_ovf::{CERTAIN, Descriptor, Meaning, Property, Reading, Signs, UNDERSTOOD, read_properties};
use proptest::prelude::*;

/// A property as its package writes it: key, label, description.
struct Asked(&'static str, &'static str, &'static str);

/// A package with these properties, each a text without a default.
fn package(properties: &[Asked]) -> String {
    let mut section = String::new();
    for Asked(key, label, description) in properties {
        let _ = writeln!(section, "{}", property(key, label, description, "ovf:type=\"string\""));
    }
    envelope("", &section)
}

fn property(key: &str, label: &str, description: &str, attributes: &str) -> String {
    format!(
        "<Property ovf:key=\"{key}\" ovf:userConfigurable=\"true\" {attributes}><Label>{label}</Label>\
         <Description>{description}</Description></Property>"
    )
}

/// A package of one section, with networks before it.
fn envelope(networks: &str, section: &str) -> String {
    whole(networks, &format!("<ProductSection><Info>Settings</Info>{section}</ProductSection>"))
}

fn whole(networks: &str, sections: &str) -> String {
    format!(
        "<Envelope xmlns=\"http://schemas.dmtf.org/ovf/envelope/1\" xmlns:ovf=\"http://schemas.dmtf.org/ovf/envelope/1\">\
         {networks}<VirtualSystem ovf:id=\"quay\"><Info>A machine</Info>{sections}</VirtualSystem></Envelope>"
    )
}

fn read(package: &str) -> Vec<(String, Reading)> {
    let descriptor = Descriptor::parse(package.as_bytes()).unwrap();
    let system = &descriptor.systems[0];
    let ids = system.properties.iter().map(impostazione_ovf::Property::id);
    ids.zip(read_properties(system, Signs::own())).collect()
}

/// Fails with all that is told another way, and with what led to it.
fn assert_told(package: &str, expected: &[&str]) {
    let told = read(package);
    assert_eq!(told.len(), expected.len(), "{package}");
    let mut wrong = String::new();
    for ((id, reading), expected) in told.iter().zip(expected) {
        if reading.meaning.word() != *expected {
            let _ = writeln!(
                wrong,
                "{id}: {} ({:.2}), not {expected}\n  {package}",
                reading.meaning, reading.confidence
            );
            for sign in &reading.signs {
                let _ = writeln!(wrong, "    {:.2} {}: {}", sign.after, sign.meaning, sign.text);
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

#[test]
fn the_text_says_whether_an_address_has_its_length() {
    for (description, expected) in [
        ("In CIDR notation", "address-with-prefix"),
        ("Such as 192.0.2.7/24", "address-with-prefix"),
        ("Followed by a slash and the number of network bits", "address-with-prefix"),
        ("Gefolgt von der Präfixlänge", "address-with-prefix"),
        ("Such as 192.0.2.7", "address"),
        ("Without its prefix length", "address"),
        ("Senza la lunghezza del prefisso", "address"),
    ] {
        let package = package(&[Asked("own_ip", "IP address of this machine", description)]);
        assert_told(&package, &[expected]);
    }
}

#[test]
fn the_text_says_whether_a_name_has_its_domain() {
    for (description, expected) in [
        ("With its domain", "fqdn"),
        ("For example quay3.capovetro.example", "fqdn"),
        ("A name without a dot is refused", "fqdn"),
        ("The short name", "hostname"),
        ("No dots", "hostname"),
        ("Sin el dominio", "hostname"),
    ] {
        let package = package(&[Asked("nm", "Host name", description)]);
        assert_told(&package, &[expected]);
    }
    let short =
        envelope("", &property("n", "Host name", "", "ovf:type=\"string\" ovf:qualifiers=\"MaxLen(15)\""));
    assert_told(&short, &["hostname"]);
}

#[test]
fn one_or_several_and_how_they_are_written() {
    let separator = |description: &'static str| {
        let told = read(&package(&[Asked("ns", "Name servers", description)]));
        (told[0].1.meaning, told[0].1.separator.clone())
    };
    for (description, expected) in [
        ("192.0.2.1;192.0.2.2", ";"),
        ("One a line", "\n"),
        ("a,b,c", ","),
        ("Gescheiden door spaties", " "),
        ("Oddzielone przecinkami", ","),
    ] {
        assert_eq!(separator(description), (Meaning::Dns, Some(expected.to_owned())), "{description}");
    }
    // A list of domains is a search list, whatever it is called.
    assert_told(&package(&[Asked("d", "Domains", "Separated by commas")]), &["search"]);
    let told = read(&package(&[Asked("a", "IPv6 address of this machine", "Such as [2001:db8::9]")]));
    assert!(told[0].1.meaning == Meaning::Address6 && told[0].1.written.has_brackets);
}

#[test]
fn a_pair_of_servers_makes_positions() {
    let pair = package(&[
        Asked("r1", "Resolver", ""),
        Asked("r2", "Resolver (spare)", ""),
        Asked("t1", "Clock source", ""),
        Asked("t2", "Clock source if that one fails", ""),
    ]);
    assert_told(&pair, &["dns-1", "dns-2", "ntp-1", "ntp-2"]);
}

#[test]
fn a_category_says_what_its_properties_are_of() {
    let in_category = |category: &str, label: &str| {
        format!("<Category>{category}</Category>{}", property("k", label, "", "ovf:type=\"string\""))
    };
    let named = |category: &str, key: &str, label: &str| {
        format!("<Category>{category}</Category>{}", property(key, label, "", "ovf:type=\"string\""))
    };
    let section = [
        named("Name resolution", "a", "First"),
        property("b", "Second", "", "ovf:type=\"string\""),
        named("Time servers", "c", "First"),
        property("d", "Second", "", "ovf:type=\"string\""),
    ];
    assert_told(&envelope("", &section.concat()), &["dns-1", "dns-2", "ntp-1", "ntp-2"]);
    assert_told(&envelope("", &in_category("Syslog", "Address")), &["other"]);
}

#[test]
fn what_stands_beside_ipv6_is_of_ipv6() {
    let alone = package(&[
        Asked("adr", "Address", "Such as 2001:db8:40::9, without a slash"),
        Asked("len", "Prefix length", ""),
        Asked("rtr", "Router", ""),
    ]);
    assert_told(&alone, &["address6", "prefix-length6", "gateway6"]);
    let both = package(&[
        Asked("v4a", "IPv4 address", ""),
        Asked("v4m", "Netmask", ""),
        Asked("v4g", "IPv4 gateway", ""),
        Asked("v6a", "IPv6 address", ""),
        Asked("v6g", "IPv6 gateway", ""),
    ]);
    assert_told(&both, &["address", "netmask", "gateway", "address6", "gateway6"]);
}

#[test]
fn the_links_of_clients_and_disks_are_the_machines_own() {
    let links = package(&[
        Asked("mgmtIp", "Management address", ""),
        Asked("mgmtMask", "Management mask", ""),
        Asked("mgmtGw", "Management router", ""),
        Asked("clientIp", "Client side: address", ""),
        Asked("clientMask", "Client side: mask", ""),
        Asked("storageIp", "Storage side: address", ""),
        Asked("storageMask", "Storage side: mask", ""),
    ]);
    let expected = ["address", "netmask", "gateway", "address", "netmask", "address", "netmask"];
    assert_told(&links, &expected);
}

#[test]
fn what_is_another_machines_is_no_setting_of_this_one() {
    let others = package(&[
        Asked("ip", "IP address", ""),
        Asked("mask", "Netmask", ""),
        Asked("gw", "Gateway", ""),
        Asked("host", "Host name", ""),
        Asked("robotIp", "IP address of the tape robot", ""),
        Asked("analyser", "Analyser", "IPv4 address of the analyser that results come from"),
        Asked("lock", "Lock address", "The lock at the gate. Not the address of this machine."),
        Asked("dredger.ip", "Dredger IP", ""),
        Asked("dredger.port", "Dredger port", ""),
        Asked("plan", "Planning host", "Host name or IP address"),
        Asked("trunkProxy", "Proxy of the SIP trunk", ""),
        Asked("bus", "Field bus gateway", ""),
    ]);
    let expected = ["address", "netmask", "gateway", "hostname"];
    let expected: Vec<&str> = expected.into_iter().chain(["other"; 8]).collect();
    assert_told(&others, &expected);
}

#[test]
fn what_a_product_is_for_is_not_the_product() {
    let server = package(&[
        Asked("ip", "IP address", ""),
        Asked("mask", "Netmask", ""),
        Asked("gw", "Gateway", ""),
        Asked("printerIp", "IP address of the printer", ""),
        Asked("printerHost", "Host name of the printer", ""),
    ]);
    let named = |name: &str| {
        server.replace("<Info>Settings</Info>", &format!("<Info>Settings</Info><Product>{name}</Product>"))
    };
    assert_told(&named("Label Printer Server"), &["address", "netmask", "gateway", "other", "other"]);
    // Of a printer, the printer's address is its own.
    let own = package(&[Asked("ip", "IP address of the printer", ""), Asked("mask", "Netmask", "")]);
    let own = own.replace("<Info>Settings</Info>", "<Info>Settings</Info><Product>Label Printer</Product>");
    assert_told(&own, &["address", "netmask"]);
}

#[test]
fn a_section_of_another_machine_makes_all_of_it_other() {
    let own = [("a", "Address"), ("m", "Netmask"), ("g", "Gateway")];
    let own: String = own.map(|(key, label)| property(key, label, "", "ovf:type=\"string\"")).concat();
    let replica = [("a", "Address"), ("p", "Port")];
    let replica: String =
        replica.map(|(key, label)| property(key, label, "", "ovf:type=\"string\"")).concat();
    let sections = format!(
        "<ProductSection ovf:class=\"nic\"><Info>Network</Info>{own}</ProductSection>\
         <ProductSection ovf:class=\"mole\"><Info>The machine at the other site</Info>{replica}</ProductSection>"
    );
    assert_told(&whole("", &sections), &["address", "netmask", "gateway", "other", "other"]);
}

#[test]
fn an_instance_tells_links_and_other_machines_apart() {
    let section = |class: &str, instance: &str, info: &str, properties: &[(&str, &str)]| {
        let properties: String =
            properties.iter().map(|(key, label)| property(key, label, "", "ovf:type=\"string\"")).collect();
        format!(
            "<ProductSection ovf:class=\"{class}\" ovf:instance=\"{instance}\"><Info>{info}</Info>{properties}\
             </ProductSection>"
        )
    };
    let link = [("ip4", "Address"), ("mask", "Mask")];
    let sections = section("nic", "a", "First card", &link)
        + &section("nic", "b", "Second card", &link)
        + &section("link", "printer", "The printer of the quay", &[("ip4", "Address"), ("port", "Port")]);
    assert_told(&whole("", &sections), &["address", "netmask", "address", "netmask", "other", "other"]);
}

#[test]
fn keys_in_one_language_and_labels_in_another() {
    let mixed = package(&[
        Asked("eigeneAdresse", "IP address", ""),
        Asked("maschera", "Subnet mask", ""),
        Asked("passerelle", "Standaardgateway", ""),
        Asked("nombre_equipo", "Rechnername", ""),
        Asked("wachtwoord", "Password of the operator", ""),
    ]);
    assert_told(&mixed, &["address", "netmask", "gateway", "hostname", "password"]);
}

#[test]
fn full_names_and_search_lists_are_no_domains() {
    let names = package(&[
        Asked("a", "Full domain name of this machine", "Such as quay3.capovetro.example"),
        Asked("b", "DNS search list", "Domains that are tried after a short name"),
        Asked("c", "Domain", "Such as capovetro.example"),
    ]);
    assert_told(&names, &["fqdn", "search", "domain"]);
}

#[test]
fn a_partner_is_one_of_the_peers() {
    let pair = package(&[
        Asked("ip", "IP address", ""),
        Asked("mask", "Netmask", ""),
        Asked("partner", "IP address of the partner", "The other unit of the pair"),
        Asked("shared", "Shared address", "Moves to the unit that is alive"),
    ]);
    assert_told(&pair, &["address", "netmask", "peers", "virtual-address"]);
}

#[test]
fn a_switch_that_turns_off_is_not_the_one_that_turns_on() {
    for (label, expected) in [
        ("Disable SSH", "other"),
        ("SSH off", "other"),
        ("SSH abschalten", "other"),
        ("Wyłącz SSH", "other"),
        ("Enable SSH", "ssh-enabled"),
        ("SSH on/off", "ssh-enabled"),
        ("Enable or disable SSH", "ssh-enabled"),
        ("SSH inschakelen", "ssh-enabled"),
        ("Permitir SSH", "ssh-enabled"),
    ] {
        let switch = envelope("", &property("shell", label, "", "ovf:type=\"boolean\" ovf:value=\"false\""));
        assert_told(&switch, &[expected]);
    }
}

#[test]
fn what_is_kept_from_an_older_version_wants_no_value() {
    let old = package(&[
        Asked("mask", "Netmask", "Deprecated: read from the prefix length"),
        Asked("alt", "Alte Netzmaske", ""),
    ]);
    assert_told(&old, &["other", "other"]);
}

#[test]
fn keys_without_vowels() {
    let keys =
        ["hstnm", "dflt_gtwy", "nmsrvrs", "srch_lst", "tmzn", "ntmsk", "dmn", "rtpsswd", "prxy", "kybrd"];
    let asked: Vec<Asked> = keys.into_iter().map(|key| Asked(key, "", "")).collect();
    let expected = [
        "hostname", "gateway", "dns", "search", "timezone", "netmask", "domain", "password", "proxy",
        "keyboard",
    ];
    assert_told(&package(&asked), &expected);
}

#[test]
fn keys_with_their_type_before_the_name() {
    let keys = ["szHost", "dwNetMskLen", "m_strIpAddr", "m_szGateway", "aszDns", "szAdmPw", "szTz"];
    let asked: Vec<Asked> = keys.into_iter().map(|key| Asked(key, "", "")).collect();
    let expected = ["hostname", "prefix-length", "address", "gateway", "dns", "password", "timezone"];
    assert_told(&package(&asked), &expected);
}

#[test]
fn one_slip_of_the_finger() {
    let keys = ["GATWAY", "HostnName", "Licemse", "SubnetMaks", "TIMEZNOE", "pasword", "Nameservr"];
    let asked: Vec<Asked> = keys.into_iter().map(|key| Asked(key, "", "")).collect();
    let expected = ["gateway", "hostname", "license-key", "netmask", "timezone", "password", "dns"];
    assert_told(&package(&asked), &expected);
    // Words of their own are no slips.
    let words = package(&[
        Asked("portal", "Portal", ""),
        Asked("rooster", "Rooster", ""),
        Asked("share", "Shared folder", ""),
    ]);
    assert_told(&words, &["other", "other", "other"]);
}

#[test]
fn a_short_key_is_what_its_label_says() {
    let named = package(&[Asked("nm", "Name of this machine", ""), Asked("ns", "Name servers", "")]);
    assert_told(&named, &["hostname", "dns"]);
}

#[test]
fn questions_and_everyday_words() {
    let asked = package(&[
        Asked("q1", "What is this box called?", "One word"),
        Asked("q2", "Who tells it the time?", ""),
        Asked("q3", "The way out", "Router of the quay"),
        Asked("q4", "Who looks up names for it?", ""),
        Asked("q5", "Next hop", ""),
        Asked("q6", "Network size", "In bits, such as 24"),
    ]);
    assert_told(&asked, &["hostname", "ntp", "gateway", "dns", "gateway", "prefix-length"]);
    assert_told(&package(&[Asked("q1", "Clock source", "")]), &["ntp"]);
}

#[test]
fn keys_that_are_counted_through() {
    let asked = package(&[
        Asked("p01", "", "Address of this machine on the quay, IPv4."),
        Asked("p02", "", "Number of bits in the network part of that address."),
        Asked("p03", "", "Router that leads out of the quay."),
        Asked("p04", "", "Name servers, one per line."),
        Asked("p05", "", "DNS suffix that completes the host name."),
        Asked("p06", "", "Address of the machine that readings are copied to."),
    ]);
    assert_told(&asked, &["address", "prefix-length", "gateway", "dns", "domain", "other"]);
}

#[test]
fn words_that_people_type_are_passwords() {
    let asked = package(&[
        Asked("a", "PIN", "Six digits of your own choosing"),
        Asked("b", "Join ticket", "Shown by the first node"),
        Asked("c", "Pairing code", ""),
        Asked("d", "Pass phrase of the keeper", ""),
        Asked("e", "Koppelcode", ""),
        Asked("f", "Minimum length of passwords", ""),
    ]);
    assert_told(&asked, &["password", "password", "password", "password", "password", "other"]);
}

#[test]
fn dutch_portuguese_and_polish() {
    let dutch = package(&[
        Asked("a", "IP-adres van dit systeem", ""),
        Asked("b", "Subnetmasker", ""),
        Asked("c", "Standaardgateway", ""),
        Asked("d", "Naamservers", ""),
        Asked("e", "Tijdzone", ""),
        Asked("f", "Wachtwoord van de beheerder", ""),
    ]);
    let portuguese = package(&[
        Asked("a", "Endereço IP deste equipamento", ""),
        Asked("b", "Máscara de sub-rede", ""),
        Asked("c", "Gateway predefinido", ""),
        Asked("d", "Servidores de nomes", ""),
        Asked("e", "Fuso horário", ""),
        Asked("f", "Palavra-passe do operador", ""),
    ]);
    let polish = package(&[
        Asked("a", "Adres IP tego serwera", ""),
        Asked("b", "Maska podsieci", ""),
        Asked("c", "Brama domyślna", ""),
        Asked("d", "Serwery nazw", ""),
        Asked("e", "Strefa czasowa", ""),
        Asked("f", "Hasło operatora", ""),
    ]);
    for package in [dutch, portuguese, polish] {
        assert_told(&package, &["address", "netmask", "gateway", "dns", "timezone", "password"]);
    }
}

#[test]
fn a_single_sign_is_not_certain_where_a_mistake_costs_a_first_boot() {
    let alone = read(&package(&[Asked("x1", "IP address", "")]));
    assert!(alone[0].1.meaning == Meaning::Address && alone[0].1.confidence < CERTAIN);
    let agreed = read(&package(&[Asked("ip", "IP address", "")]));
    assert!(agreed[0].1.is_certain(), "{:?}", agreed[0].1);
}

#[test]
fn what_sounds_like_a_setting_of_the_machine_is_not_certain_to_be_one() {
    let near = [
        "IP address of the management controller",
        "IP address of the primary node",
        "Old IP address",
        "Loopback address",
        "Broadcast address",
        "External IP address (NAT)",
        "First address of the DHCP range",
        "Remote gateway",
        "Backup gateway",
        "Gateway name",
        "Router ID",
        "Subnet mask of the remote network",
        "Allowed networks",
        "Host name of the database",
        "Certificate common name",
        "VLAN name",
        "Domain controller",
        "Domain for dynamic DNS updates",
        "Search base",
        "DNS TTL",
        "Act as NTP server",
        "NTP key",
        "Password hash",
        "Password policy",
        "API token",
        "SSH port",
        "SSH host key",
        "Proxy exceptions",
    ];
    let mut section: String =
        [("ip", "IP address"), ("mask", "Netmask"), ("gw", "Default gateway"), ("name", "Host name")]
            .map(|(key, label)| property(key, label, "", "ovf:type=\"string\""))
            .concat();
    for (at, label) in near.iter().enumerate() {
        section += &property(&format!("more{at}"), label, "", "ovf:type=\"string\"");
    }
    let told = read(&envelope("", &section));
    for (label, (_, reading)) in near.iter().zip(told.iter().skip(4)) {
        assert!(!reading.is_certain(), "{label}: {} {:.2}", reading.meaning, reading.confidence);
    }
}

#[test]
fn what_is_not_understood_is_not_certain_to_be_other() {
    let told = read(&package(&[Asked("zorble", "Frumious", "As on the plate.")]));
    let (_, reading) = &told[0];
    assert!(reading.meaning == Meaning::Other && reading.confidence < UNDERSTOOD && reading.needs_review());
    let told = read(&package(&[Asked("logport", "Port of the log server", "")]));
    let (_, reading) = &told[0];
    assert!(reading.meaning == Meaning::Other && reading.is_understood(), "{reading:?}");
}

#[test]
fn texts_of_a_stranger_cost_little_and_end_without_a_panic() {
    let long = "a,b;c|d 192.0.2.1,192.0.2.2;2001:db8::1 this not the ".repeat(2_000);
    let word = "hostgatewaynetmask".repeat(2_000);
    let mut section = String::new();
    for at in 0..200 {
        section += &property(&format!("{word}{at}"), &long, &long, "ovf:type=\"string\"");
    }
    let told = read(&envelope("", &section));
    assert_eq!(told.len(), 200);
    for (_, reading) in told {
        assert!((0.0..=1.0).contains(&reading.confidence), "{reading:?}");
    }
}

proptest! {
    #[test]
    fn any_text_is_told_something(
        texts in prop::collection::vec(("\\PC{0,40}", "\\PC{0,60}", "[ -~\\n]{0,80}"), 1..12)
    ) {
        let properties = texts.into_iter().map(|(key, label, description)| Property {
            key,
            label,
            description,
            is_settable: true,
            ..Property::default()
        });
        let mut system = Descriptor::parse(envelope("", "").as_bytes()).unwrap().systems.remove(0);
        system.properties = properties.collect();
        let told = read_properties(&system, Signs::own());
        prop_assert_eq!(told.len(), system.properties.len());
        for reading in told {
            prop_assert!((0.0..=1.0).contains(&reading.confidence));
            prop_assert!(reading.likely().len() <= 2);
        }
    }
}

#[test]
fn what_is_likely_is_proposed() {
    let unknown =
        envelope("", &property("zorble", "Frumious", "", "ovf:type=\"string\" ovf:value=\"10.64.10.9\""));
    let likely: Vec<Meaning> = read(&unknown)[0].1.likely().iter().map(|guess| guess.meaning).collect();
    assert_eq!(likely, [Meaning::Address, Meaning::Gateway]);
    let unsure = read(&package(&[Asked("x1", "IP address", "")]));
    assert_eq!(unsure[0].1.likely()[0].meaning, Meaning::Address);
}
