//! What the typed site says of a sheet: inheritance, addresses, gateways, free addresses, and values that answers take.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::net::IpAddr;
use std::path::Path;

use impostazione_core::appliance::answered_properties;
use impostazione_core::assess::{Assessment, assess};
use impostazione_core::finding::Severity;
use impostazione_core::machine::Machine;
use impostazione_net::Family;
use impostazione_text::files::Folder;
use jiff::civil::{Date, date};

/// Waivers are counted by it.
const TODAY: Date = date(2026, 11, 25);

/// The folder of the test site.
fn demo() -> Folder {
    Folder::new(Path::new(env!("CARGO_MANIFEST_DIR")).join("testdata/harbor"))
}

const COMMON: &str = r#"
format = 1
[common]
domain   = "capovetro.example"
dns      = ["10.64.10.53", "10.64.10.54"]
ntp      = ["10.64.10.121"]
timezone = "Europe/Rome"
[subnet.quay]
prefix      = "10.64.10.0/29"
gateway     = "10.64.10.1"
prefix6     = "fd64:10::/64"
gateway6    = "fe80::1"
kept_free   = ["10.64.10.2-10.64.10.3"]
in_use      = { "10.64.10.4" = "crane controller" }
[subnet.slip]
prefix  = "10.64.30.0/24"
gateway = "none"
[account.keeper]
ssh_keys = ["keys/keeper.pub"]
hosts    = ["gauge-*"]
[account.pilot]
ssh_keys = ["keys/pilot.pub"]
"#;

fn judged(entries: &str) -> Assessment {
    assess("sheet.toml", format!("{COMMON}{entries}").into_bytes(), &demo(), TODAY)
}

#[track_caller]
fn right(entries: &str) -> Assessment {
    let assessment = judged(entries);
    assert!(assessment.proved().is_some(), "{:?}", assessment.findings);
    assessment
}

fn machine<'a>(assessment: &'a Assessment, name: &str) -> &'a Machine {
    assessment.site.machines.iter().find(|machine| machine.label() == name).unwrap()
}

fn address(text: &str) -> IpAddr {
    text.parse().unwrap()
}

#[test]
fn what_a_machine_says_replaces_what_all_share() {
    let site = right(
        "[[host]]\nname = \"gauge-1\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.5\" }\n\
         [[host]]\nname = \"gauge-2\"\ndomain = \"slip.example\"\ndns = [\"10.64.30.53\"]\nntp = \"none\"\n\
         link.eth0 = { subnet = \"slip\", address = \"10.64.30.5\" }\n",
    );
    let (one, two) = (machine(&site, "gauge-1"), machine(&site, "gauge-2"));
    assert_eq!(one.fqdn().as_deref(), Some("gauge-1.capovetro.example"));
    assert_eq!(two.fqdn().as_deref(), Some("gauge-2.slip.example"));
    let dns = |machine: &Machine| machine.settings.dns.value().unwrap().values().copied().collect::<Vec<_>>();
    assert_eq!(dns(one), [address("10.64.10.53"), address("10.64.10.54")]);
    assert_eq!(dns(two), [address("10.64.30.53")], "a list replaces the whole list");
    assert!(two.settings.ntp.value().unwrap().is_declined());
    assert_eq!(two.settings.timezone.value().unwrap().value.as_str(), "Europe/Rome");
}

#[test]
fn links_take_mask_and_gateway_from_their_subnet() {
    let site = right(
        "[[host]]\nname = \"gauge-1\"\n\
         link.eth0 = { subnet = \"quay\", address = \"10.64.10.5\", address6 = \"fd64:10::5\" }\n\
         link.eth1 = { subnet = \"slip\", address = \"10.64.30.5\" }\n",
    );
    let links = &machine(&site, "gauge-1").links;
    let interface = |index: usize, family| {
        site.site.interface_address(&links[index], family).map(|found| found.to_string())
    };
    assert_eq!(interface(0, Family::V4).as_deref(), Some("10.64.10.5/29"));
    assert_eq!(interface(0, Family::V6).as_deref(), Some("fd64:10::5/64"));
    assert_eq!(
        (interface(1, Family::V4).as_deref(), interface(1, Family::V6)),
        (Some("10.64.30.5/24"), None)
    );
    let gateway =
        |index: usize, family| site.site.default_gateway(&links[index], family).map(|found| found.value);
    assert_eq!(gateway(0, Family::V4), Some(address("10.64.10.1")));
    assert_eq!(gateway(0, Family::V6), Some(address("fe80::1")));
    assert_eq!(gateway(1, Family::V4), None, "the slip has none, on purpose");
}

#[test]
fn accounts_are_on_the_hosts_that_they_name() {
    let site = right(
        "[[host]]\nname = \"gauge-1\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.5\" }\n\
         [[host]]\nname = \"tower\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.6\" }\n",
    );
    let accounts = |name: &str| {
        let indexes = &machine(&site, name).host().unwrap().accounts;
        indexes.iter().map(|index| site.site.accounts[*index].name.value.as_str()).collect::<Vec<_>>()
    };
    assert_eq!(accounts("gauge-1"), ["keeper", "pilot"]);
    assert_eq!(accounts("tower"), ["pilot"]);
}

#[test]
fn a_free_address_is_one_that_nothing_has_leases_or_keeps() {
    let site =
        right("[[host]]\nname = \"gauge-1\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.5\" }\n");
    let quay = &site.site.subnets[0];
    let free = |from: &str| site.site.free_address(quay, address(from), |_| false);
    // .0 names the subnet, .1 is the gateway's, .2 and .3 are kept, .4 is in use, .5 is the gauge's, .7 is broadcast.
    for from in ["10.64.10.0", "10.64.10.5", "10.64.10.7", "10.64.99.99"] {
        assert_eq!(free(from), Some(address("10.64.10.6")), "{from}");
    }
    assert_eq!(
        site.site.free_address(quay, address("10.64.10.1"), |taken| taken == address("10.64.10.6")),
        None
    );
    assert_eq!(free("fd64:10::"), Some(address("fd64:10::1")), "the first is for routers");
}

/// The value of one property of the sample package, answered in this way.
fn answered(answer: &str) -> Result<String, (String, String)> {
    let assessment = judged(&format!(
        "[[host]]\nname = \"tower\"\ndns = \"none\"\nntp = \"none\"\nlink.eth0 = {{ subnet = \"quay\", address = \"10.64.10.6\", default_route = false }}\n\
         link.eth1 = {{ subnet = \"slip\", address = \"10.64.30.6\" }}\n\
         [[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\n\
         link.management = {{ subnet = \"quay\", address = \"10.64.10.5\" }}\n\
         [appliance.answer]\n\"hostname\" = \"logbook.capovetro.example\"\n\"net.address.0\" = \"10.64.10.5\"\n\
         \"net.gateway.0\" = \"10.64.10.1\"\n\"net.dns.0\" = \"10.64.10.53\"\n\
         \"node.role\" = {answer}\n"
    ));
    let faults: Vec<_> =
        assessment.findings.iter().filter(|finding| finding.severity() == Severity::Error).collect();
    if let [finding] = faults.as_slice() {
        return Err((finding.message.clone(), finding.fix.clone()));
    }
    assert!(faults.is_empty(), "{faults:?}");
    let logbook = machine(&assessment, "logbook");
    let answered = answered_properties(&assessment.site, logbook);
    let role = answered.into_iter().find(|answered| answered.property.id() == "node.role").unwrap();
    Ok(role.outcome.text().unwrap().to_owned())
}

#[test]
fn a_value_is_taken_from_the_appliance_another_machine_or_a_subnet() {
    assert_eq!(answered("{ take = \"address\" }"), Ok("10.64.10.5".into()));
    assert_eq!(answered("{ take = \"address\", of = \"tower\", link = \"eth1\" }"), Ok("10.64.30.6".into()));
    assert_eq!(answered("{ take = \"fqdn\", of = \"tower\" }"), Ok("tower.capovetro.example".into()));
    assert_eq!(answered("{ take = \"prefix-length\", of = \"slip\" }"), Ok("24".into()));
    assert_eq!(answered("{ take = \"dns\", nth = 2 }"), Ok("10.64.10.54".into()));
    assert_eq!(answered("{ take = \"dns\", join = \" \" }"), Ok("10.64.10.53 10.64.10.54".into()));
    assert_eq!(answered("0x1f"), Ok("31".into()));
    assert_eq!(answered("true"), Ok("true".into()));
}

#[test]
fn where_there_is_nothing_to_take_or_not_one_thing_the_reason_is_given() {
    let fault = |answer: &str| answered(answer).unwrap_err();
    let (message, fix) = fault("{ take = \"address\", of = \"tower\" }");
    assert_eq!(
        message,
        "tower has several links (eth0, eth1), and the answer does not say which link's address to take."
    );
    assert_eq!(fix, "add link = \"eth0\" next to take, or another of its links");
    assert_eq!(
        fault("{ take = \"address\", of = \"tower\", link = \"eth2\" }").1,
        "write one of its links: eth0, eth1"
    );
    assert_eq!(
        fault("{ take = \"dns\" }").0,
        "logbook has 2 values for dns (10.64.10.53, 10.64.10.54), and the answer does not say which."
    );
    assert_eq!(
        fault("{ take = \"dns\", nth = 3 }").0,
        "logbook has 2 values for dns (10.64.10.53, 10.64.10.54), and the answer asks for number 3."
    );
    assert_eq!(
        fault("{ take = \"ntp-2\" }").0,
        "logbook has 1 value for ntp (10.64.10.121), and the answer asks for number 2."
    );
    assert_eq!(fault("{ take = \"search\" }").0, "logbook has no search in this sheet.");
    assert_eq!(fault("{ take = \"address6\" }").0, "logbook has no address6 in this sheet.");
    assert_eq!(fault("{ take = \"gateway\", of = \"slip\" }").0, "slip has no gateway in this sheet.");
    assert_eq!(fault("{ take = \"hostname\", of = \"slip\" }").0, "A subnet has no hostname.");
    assert_eq!(fault("{ take = \"address\", of = \"towr\" }").1, "write of = \"tower\"");
    assert_eq!(fault("{ take = \"address\", of = \"book\" }").1, "write of = \"logbook\"");
    assert_eq!(fault("{ take = \"adress\" }").1, "write take = \"address\"");
    assert_eq!(
        fault("{ take = \"dns\", nth = 0 }").0,
        "`nth` takes a number of 1 or more, but this is zero."
    );
}
