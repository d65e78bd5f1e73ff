//! The judge, without a network: answers as they might come, and what is made of them.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use std::collections::BTreeSet;
use std::net::IpAddr;

use impostazione_core::appliance::told_appliances;
use impostazione_core::assess::{Assessment, assess};
use impostazione_core::network::Transport;
use impostazione_net::MacAddress;
use impostazione_probe::Obstacle;
use impostazione_probe::answer::{Answers, Clock, Doubt, Found, KeyProof, LookedUp, Presence, Reading, Seen};
use impostazione_probe::judge::{Judged, Subject, judge};
use impostazione_probe::question::{Lookup, Plan, PlanOptions, Sought};
use impostazione_text::files::Folder;
use jiff::civil::date;
use proptest::prelude::*;

const SHEET: &str = r#"format = 1
[common]
domain = "capovetro.example"
dns = ["10.64.10.53", "10.64.10.54"]
search = ["capovetro.example"]
ntp = ["10.64.10.121", "10.64.10.122", "10.64.10.123"]
timezone = "Europe/Rome"
[subnet.quay]
prefix = "10.64.10.0/24"
gateway = "10.64.10.1"
[[host]]
name = "gauge-{01..04}"
link.eth0 = { subnet = "quay", address = "10.64.10.{11..14}" }
[[host]]
name = "lamp-01"
link.lan0 = { subnet = "quay", address = "10.64.10.21", mac = "02:64:10:00:00:21" }
"#;

fn site(sheet: &str) -> Assessment {
    let folder = Folder::of_file(std::path::Path::new("sheet.toml"));
    assess("sheet.toml", sheet.as_bytes().to_vec(), &folder, date(2026, 11, 28))
}

fn address(text: &str) -> IpAddr {
    text.parse().unwrap()
}

fn neighbor(mac: &str) -> Presence {
    let mac = Some(MacAddress::parse(mac).unwrap());
    Presence::Somebody(Seen::Neighbor { mac, link: "eth0".to_owned() })
}

fn nobody() -> Presence {
    Presence::Nobody("eth0".to_owned())
}

/// A site's plan, with the answers that are right.
struct Case {
    assessment: Assessment,
    answers: Answers,
}

impl Case {
    fn right(sheet: &str) -> Self {
        let assessment = site(sheet);
        let mut answers = Answers::default();
        let told = told_appliances(&assessment.site);
        let plan = Plan::new(&assessment.site, &told, |_| true, PlanOptions::default());
        for expected in &plan.addresses {
            answers.presences.insert(expected.address.into(), nobody());
        }
        let others = plan.gateways.iter().map(|gateway| gateway.address);
        for (nth, there) in others.chain(plan.witnesses.iter().map(|witness| witness.address)).enumerate() {
            answers.presences.insert(there.into(), neighbor(&format!("02:64:fe:00:00:{nth:02x}")));
        }
        for server in &plan.name_servers {
            for transport in [Transport::Udp, Transport::Tcp] {
                let there = LookedUp::Records(Found::Domain(1));
                answers.lookups.insert(server.first_lookup(transport), there);
            }
        }
        for name in &plan.names {
            for lookup in name.lookups() {
                let found = match &lookup.sought {
                    Sought::Addresses(_, family) => {
                        let of_family = |one: &&IpAddr| impostazione_net::Family::of(**one) == *family;
                        Found::Addresses(name.main.iter().filter(of_family).copied().collect())
                    }
                    Sought::Names(_) => Found::Names(vec![name.name.clone()]),
                    Sought::Domain(_) => Found::Domain(1),
                };
                answers.lookups.insert(lookup, LookedUp::Records(found));
            }
        }
        for domain in &plan.domains {
            for server in &domain.servers {
                let lookup = Lookup::new(*server, Sought::Domain(domain.domain.clone()));
                answers.lookups.insert(lookup, LookedUp::Records(Found::Domain(1)));
            }
        }
        for clock in &plan.clocks {
            answers.clocks.insert((clock.server.address().unwrap(), None), reading(0.0));
        }
        drop(plan);
        drop(told);
        Self { assessment, answers }
    }

    fn judged(&self) -> Judged {
        let told = told_appliances(&self.assessment.site);
        let plan = Plan::new(&self.assessment.site, &told, |_| true, PlanOptions::default());
        judge(&plan, &self.answers)
    }

    fn rules(&self) -> BTreeSet<&'static str> {
        self.judged().findings.iter().map(|finding| finding.rule.name).collect()
    }

    /// How many addresses are called free, taken, and not known.
    fn addresses(&self) -> (usize, usize, usize) {
        let judged = self.judged();
        let (_, count) = judged.tally.counts().find(|(subject, _)| *subject == Subject::Addresses).unwrap();
        (count.right, count.wrong, count.unknown)
    }

    fn is(&mut self, who: &str, presence: Presence) {
        self.answers.presences.insert(address(who).into(), presence);
    }

    fn says(&self) -> String {
        let judged = self.judged();
        let messages: Vec<String> = judged.findings.into_iter().map(|finding| finding.message).collect();
        messages.join("\n")
    }
}

fn reading(offset_seconds: f64) -> Clock {
    Clock::Reading(Reading {
        offset_seconds,
        delay_seconds: 0.01,
        stratum: 2,
        is_unsynchronized: false,
        proof: KeyProof::NotAsked,
    })
}

#[test]
fn right_answers_give_no_finding_and_no_answers_give_nothing_right() {
    let mut case = Case::right(SHEET);
    assert_eq!(case.judged().findings.len(), 0, "{}", case.says());
    case.answers = Answers::default();
    assert_eq!(case.rules(), BTreeSet::from(["probe-not-looked-at"]));
    for (subject, count) in case.judged().tally.counts() {
        assert_eq!((count.right, count.wrong), (0, 0), "{subject:?}");
    }
}

#[test]
fn silence_is_free_only_where_something_else_of_the_subnet_answers() {
    let mut case = Case::right(SHEET);
    let witnesses =
        ["10.64.10.1", "10.64.10.53", "10.64.10.54", "10.64.10.121", "10.64.10.122", "10.64.10.123"];
    for witness in &witnesses[1..] {
        case.is(witness, nobody());
    }
    assert_eq!(case.addresses(), (5, 0, 0), "the gateway is enough");
    case.is("10.64.10.1", nobody());
    assert_eq!(case.addresses(), (0, 0, 5), "nobody is there at all");
    case.is("10.64.10.123", neighbor("02:64:fe:00:00:09"));
    assert_eq!(case.addresses(), (5, 0, 0), "a time server is enough");
    // On another link of this computer it proves nothing.
    let elsewhere = Seen::Neighbor { mac: None, link: "eth1".to_owned() };
    case.is("10.64.10.123", Presence::Somebody(elsewhere));
    assert_eq!(case.addresses(), (0, 0, 5));
}

#[test]
fn one_that_answers_for_many_is_a_router_and_one_that_answers_for_two_is_not() {
    let mut case = Case::right(SHEET);
    let same = "02:64:99:00:00:01";
    case.is("10.64.10.11", neighbor(same));
    case.is("10.64.10.12", neighbor(same));
    assert_eq!(case.addresses(), (3, 2, 0));
    case.is("10.64.10.13", neighbor(same));
    assert_eq!(case.addresses(), (2, 0, 3));
    // The gateway's own address answers even for one.
    let mut case = Case::right(SHEET);
    case.is("10.64.10.1", neighbor("02:64:fe:00:00:aa"));
    case.is("10.64.10.11", neighbor("02:64:fe:00:00:aa"));
    assert_eq!(case.addresses(), (4, 0, 1));
}

#[test]
fn a_machine_s_own_mac_address_is_the_machine_and_on_another_address_it_is_not() {
    let mut case = Case::right(SHEET);
    case.is("10.64.10.21", neighbor("02:64:10:00:00:21"));
    assert_eq!(case.rules(), BTreeSet::from(["probe-machine-already-up"]));
    case.is("10.64.10.21", nobody());
    case.is("10.64.10.11", neighbor("02:64:10:00:00:21"));
    assert_eq!(case.rules(), BTreeSet::from(["probe-address-taken"]));
    assert!(case.says().contains("the MAC address of lamp-01 in the sheet"), "{}", case.says());
}

#[test]
fn a_firewall_that_refuses_for_a_whole_subnet_is_nobody_s_presence() {
    let mut case = Case::right(SHEET);
    let all = ["11", "12", "13", "14", "21"].map(|last| format!("10.64.10.{last}"));
    for one in &all {
        case.is(one, Presence::Somebody(Seen::Refused(22)));
    }
    assert_eq!(case.addresses(), (0, 0, 5));
    case.is(&all[0], Presence::CannotTell(Doubt::BehindRouter { echo_was_asked: true }));
    assert_eq!(case.addresses(), (0, 4, 1), "one does not refuse, so the others do so themselves");
}

#[test]
fn clocks_are_compared_with_the_most_and_of_two_nobody_knows_which() {
    let mut case = Case::right(SHEET);
    let set = |case: &mut Case, last: u8, clock: Clock| {
        case.answers.clocks.insert((address(&format!("10.64.10.{last}")), None), clock);
    };
    set(&mut case, 122, reading(1.0));
    assert_eq!(case.rules(), BTreeSet::new(), "a second is not too far");
    set(&mut case, 122, reading(-61.0));
    assert!(case.says().contains("10.64.10.122 is 61 s behind the others"), "{}", case.says());
    set(&mut case, 123, Clock::NotLooked(Obstacle::NoRoute));
    assert!(case.says().contains("10.64.10.121 and 10.64.10.122 differ by 61 s"), "{}", case.says());
    // All agree, and this computer does not.
    for last in 121..=123 {
        set(&mut case, last, reading(-300.0));
    }
    assert!(case.says().contains("this computer is 300 s ahead of the time servers"), "{}", case.says());
    // A slow way makes an offset doubtful.
    let slow = Clock::Reading(Reading {
        offset_seconds: 1.5,
        delay_seconds: 3.0,
        stratum: 2,
        is_unsynchronized: false,
        proof: KeyProof::NotAsked,
    });
    let mut case = Case::right(SHEET);
    set(&mut case, 122, slow);
    assert_eq!(case.rules(), BTreeSet::new());
}

#[test]
fn servers_that_disagree_about_a_name_are_named() {
    let mut case = Case::right(SHEET);
    let lookup =
        |last: u8, sought: &Sought| Lookup::new(address(&format!("10.64.10.{last}")), sought.clone());
    let name = Sought::Addresses("gauge-01.capovetro.example".to_owned(), impostazione_net::Family::V4);
    case.answers.lookups.insert(lookup(54, &name), LookedUp::NoSuchName);
    assert!(case.says().contains("has no A record at 10.64.10.54."), "{}", case.says());
    // Beside the right one, another one.
    let both = Found::Addresses(vec![address("10.64.10.11"), address("10.64.10.99")]);
    case.answers.lookups.insert(lookup(54, &name), LookedUp::Records(both));
    assert_eq!(case.rules(), BTreeSet::from(["probe-name-differs"]));
    // One that does not answer this one question is not said to lack the name.
    case.answers.lookups.insert(lookup(54, &name), LookedUp::Silent);
    assert_eq!(case.rules(), BTreeSet::from(["probe-not-looked-at"]));
    assert_eq!(case.judged().records.len(), 0);
}

/// That nothing could be asked about a machine is not that nothing is wrong with it.
#[test]
fn a_machine_without_an_address_is_not_passed_over() {
    let sheet = SHEET.replace("address = \"10.64.10.21\"", "address = \"none\"");
    let case = Case::right(&sheet);
    assert_eq!(case.addresses(), (4, 0, 1));
    assert!(case.says().contains("Nothing was asked about the address of lamp-01"), "{}", case.says());
}

/// Behind a router, a machine is asked at the ports of the sheet.
#[test]
fn the_ports_are_those_of_the_sheet() {
    let sheet = SHEET.replace("name = \"lamp-01\"", "name = \"lamp-01\"\nssh = { port = 2222 }");
    let assessment = site(&sheet);
    let plan = Plan::new(&assessment.site, &[], |name| name == "lamp-01", PlanOptions::default());
    assert_eq!(plan.addresses.len(), 1);
    assert_eq!(plan.addresses[0].ports, [2222, 443]);
}

fn any_presence() -> impl Strategy<Value = Presence> {
    let mac = (0u8..4).prop_map(|last| Some(MacAddress::from_bytes([2, 0x64, 0x10, 0, 0, 0x20 + last])));
    let link = prop_oneof![Just("eth0".to_owned()), Just("eth1".to_owned())];
    prop_oneof![
        3 => link.clone().prop_map(Presence::Nobody),
        3 => (mac, link.clone()).prop_map(|(mac, link)| Presence::Somebody(Seen::Neighbor { mac, link })),
        1 => link.prop_map(Presence::ThisComputer),
        1 => Just(Presence::Somebody(Seen::Refused(22))),
        1 => Just(Presence::Somebody(Seen::Echo)),
        1 => Just(Presence::CannotTell(Doubt::FixedEntry)),
        1 => Just(Presence::NotLooked(Obstacle::NoRoom)),
    ]
}

proptest! {
    /// Whatever the network answers, an address is called right only where nobody answered for it on a link, or the
    /// machine itself did.
    #[test]
    fn nothing_but_silence_on_a_link_is_called_free(presences in proptest::collection::vec(any_presence(), 12)) {
        let mut case = Case::right(SHEET);
        let all = ["11", "12", "13", "14", "21", "1", "53", "54", "121", "122", "123"];
        for (last, presence) in all.iter().zip(&presences) {
            case.is(&format!("10.64.10.{last}"), presence.clone());
        }
        let may_be_right = |last: &str| {
            let presence = &case.answers.presences[&address(&format!("10.64.10.{last}")).into()];
            let own = MacAddress::from_bytes([2, 0x64, 0x10, 0, 0, 0x21]);
            matches!(presence, Presence::Nobody(_)) || (last == "21" && presence.mac() == Some(own))
        };
        let most = all[..5].iter().filter(|last| may_be_right(last)).count();
        let (right, wrong, unknown) = case.addresses();
        prop_assert!(right <= most);
        prop_assert_eq!(right + wrong + unknown, 5);
        let has_note = case.rules().contains("probe-not-looked-at");
        prop_assert!(unknown == 0 || has_note);
        let has_error = case.rules().contains("probe-address-taken");
        prop_assert_eq!(wrong > 0, has_error);
    }
}
