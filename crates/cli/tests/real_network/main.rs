//! `probe` against real services: dnsmasq, chronyd, sshd, and neighbors and routers in network namespaces of the test's own. All
//! addresses live there.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    reason = "a test that cannot go on has failed"
)]

mod after;
mod desk;
#[path = "../first_boot/network.rs"]
#[allow(dead_code, reason = "first_boot uses the rest")]
mod network;
#[path = "../first_boot/shell.rs"]
#[allow(dead_code, reason = "first_boot uses the rest")]
mod shell;

use std::collections::BTreeSet;

use desk::{Desk, Names, Times, User};

/// What a run found.
fn rules(desk: &Desk, user: User, more: &[&str]) -> BTreeSet<String> {
    desk.probe(user, more)["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["rule"].as_str().unwrap().to_owned())
        .collect()
}

fn only(rule: &str) -> BTreeSet<String> {
    BTreeSet::from([rule.to_owned()])
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn a_right_site_gives_nothing_to_root_and_to_a_user() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let _times = desk.times(Times::Right);
    for user in [User::Root, User::Nobody] {
        let report = desk.probe(user, &[]);
        assert_eq!(report["findings"].as_array().unwrap().len(), 0, "{user:?}: {report:#}");
        let right: u64 =
            report["asked"].as_array().unwrap().iter().map(|about| about["right"].as_u64().unwrap()).sum();
        assert!(right > 15, "{report:#}");
    }
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn each_fault_of_dns_gives_its_finding_and_no_other() {
    let desk = Desk::new();
    let _times = desk.times(Times::Right);
    let cases: [(&str, Names); 6] = [
        ("probe-name-missing", Names { missing: true, ..Names::right() }),
        ("probe-name-differs", Names { differs: true, ..Names::right() }),
        ("probe-reverse-missing", Names { no_reverse: true, ..Names::right() }),
        ("probe-reverse-differs", Names { other_reverse: true, ..Names::right() }),
        ("probe-dns-silent", Names { one_is_silent: true, ..Names::right() }),
        ("probe-dns-refuses", Names { one_refuses: true, ..Names::right() }),
    ];
    for (rule, faulty) in cases {
        let names = desk.names(faulty);
        for user in [User::Root, User::Nobody] {
            assert_eq!(rules(&desk, user, &[]), only(rule), "{user:?}: {:#}", desk.probe(user, &[]));
        }
        drop(names);
    }
    // Names outside: dnsmasq answers for all, or says that there is none.
    let _names = desk.names(Names::right());
    assert_eq!(
        rules(&desk, User::Nobody, &["--outside-name", "www.example.org"]),
        only("probe-outside-name-missing")
    );
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn each_fault_of_time_gives_its_finding_and_no_other() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let cases = [
        (Times::Silent, "probe-ntp-silent"),
        (Times::Unsynchronized, "probe-ntp-unsynchronized"),
        (Times::OffByAMinute, "probe-clock-differs"),
        (Times::OtherKey, "probe-ntp-key-differs"),
    ];
    for (faulty, rule) in cases {
        let times = desk.times(faulty);
        for user in [User::Root, User::Nobody] {
            assert_eq!(rules(&desk, user, &[]), only(rule), "{user:?}: {:#}", desk.probe(user, &[]));
        }
        drop(times);
    }
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn taken_addresses_of_both_families_are_told_with_who_has_them() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let _times = desk.times(Times::Right);
    desk.crane("addr add 10.64.10.11/24 dev crane0");
    desk.crane("addr add fd64:10::12/64 dev crane0 nodad");
    for user in [User::Root, User::Nobody] {
        let report = desk.probe(user, &[]);
        let found: Vec<(&str, &str)> = report["findings"]
            .as_array()
            .unwrap()
            .iter()
            .map(|finding| (finding["rule"].as_str().unwrap(), finding["machine"].as_str().unwrap()))
            .collect();
        let taken = "probe-address-taken";
        assert_eq!(found, [(taken, "gauge-01"), (taken, "gauge-02")], "{report:#}");
        let message = report["findings"][0]["message"].as_str().unwrap();
        assert!(message.contains("02:64:99:00:00:01 answers for it on desk0"), "{message}");
    }
    // Once it has gone, the kernel's memory of it must not count.
    desk.crane("addr del 10.64.10.11/24 dev crane0");
    desk.crane("addr del fd64:10::12/64 dev crane0");
    desk.wait_until_forgotten();
    assert_eq!(rules(&desk, User::Nobody, &[]), BTreeSet::new());
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn the_machine_itself_and_this_computer_are_told_apart_from_others() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let _times = desk.times(Times::Right);
    // The MAC address that the sheet gives to gauge-02.
    desk.crane("link set crane0 down");
    desk.crane("link set crane0 address 02:64:10:00:00:12");
    desk.crane("link set crane0 up");
    desk.crane("addr add 10.64.10.12/24 dev crane0");
    assert_eq!(rules(&desk, User::Nobody, &[]), only("probe-machine-already-up"));
    desk.crane("addr del 10.64.10.12/24 dev crane0");
    // With the address of another machine it is no friend.
    desk.crane("addr add 10.64.10.11/24 dev crane0");
    let report = desk.probe(User::Nobody, &[]);
    let message = report["findings"][0]["message"].as_str().unwrap();
    assert!(message.contains("the MAC address of gauge-02 in the sheet"), "{report:#}");
    desk.crane("addr del 10.64.10.11/24 dev crane0");

    desk.wait_until_forgotten();
    desk.desk("addr add 10.64.10.11/32 dev desk0");
    let report = desk.probe(User::Nobody, &[]);
    assert_eq!(report["findings"][0]["rule"], "probe-address-taken", "{report:#}");
    assert!(
        report["findings"][0]["message"].as_str().unwrap().contains("this computer itself"),
        "{report:#}"
    );
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn what_cannot_be_told_is_not_called_free() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let _times = desk.times(Times::Right);
    let unknown = |report: &serde_json::Value| report["asked"][0]["unknown"].as_u64().unwrap();
    // A router that answers for all addresses.
    desk.site("neigh add proxy fd64:10::11 dev quay");
    desk.site("neigh add proxy fd64:10::12 dev quay");
    desk.set("ipv4/ip_forward", "1");
    desk.set("ipv6/conf/all/forwarding", "1");
    desk.set("ipv6/conf/all/proxy_ndp", "1");
    desk.set("ipv6/conf/quay/proxy_ndp", "1");
    desk.set("ipv4/conf/quay/proxy_arp_pvlan", "1");
    desk.set("ipv4/conf/quay/proxy_arp", "1");
    for user in [User::Root, User::Nobody] {
        let report = desk.probe(user, &[]);
        assert_eq!(report["findings"][0]["rule"], "probe-not-looked-at", "{report:#}");
        assert_eq!((report["findings"].as_array().unwrap().len(), unknown(&report)), (1, 4), "{report:#}");
        assert_eq!(report["asked"][0]["right"], 0, "{report:#}");
    }
    desk.set("ipv4/conf/quay/proxy_arp", "0");
    desk.set("ipv4/conf/quay/proxy_arp_pvlan", "0");
    desk.site("neigh del proxy fd64:10::11 dev quay");
    desk.site("neigh del proxy fd64:10::12 dev quay");
    desk.wait_until_forgotten();

    // A hardware address that was entered by hand.
    desk.desk("neigh replace 10.64.10.11 lladdr 02:64:99:00:00:77 dev desk0 nud permanent");
    let report = desk.probe(User::Nobody, &["--only", "gauge-01"]);
    assert!(report["findings"][0]["message"].as_str().unwrap().contains("entered by hand"), "{report:#}");
    desk.desk("neigh del 10.64.10.11 dev desk0");

    // The cable is in the wrong network: nobody answers at all, and nothing is called free.
    // Otherwise a Linux router answers for its addresses on whatever link it is asked.
    desk.set("ipv4/conf/all/arp_ignore", "1");
    desk.site("link set to-desk nomaster");
    let report = desk.probe(User::Nobody, &["--only", "gauge-01"]);
    let found: BTreeSet<&str> = report["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["rule"].as_str().unwrap())
        .collect();
    assert!(found.contains("probe-gateway-silent") && found.contains("probe-not-looked-at"), "{report:#}");
    assert_eq!(report["asked"][0]["right"], 0, "{report:#}");
}

/// An address that every link may have is asked for on the link that leads to the subnet.
#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn a_link_local_gateway_is_asked_for_on_its_link() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let _times = desk.times(Times::Right);
    desk.change_sheet("gateway6 = \"fd64:10::1\"", "gateway6 = \"fe80::1\"");
    assert_eq!(rules(&desk, User::Nobody, &[]), only("probe-gateway-silent"));
    desk.site("addr add fe80::1/64 dev quay nodad");
    assert_eq!(rules(&desk, User::Nobody, &[]), BTreeSet::new());
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn behind_a_router_silence_means_nothing() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let _times = desk.times(Times::Right);
    desk.write_sheet_with_far_machines();
    let _far = desk.far();
    for user in [User::Root, User::Nobody] {
        let report = desk.probe(user, &["--only", "lamp-*"]);
        let findings = report["findings"].as_array().unwrap();
        let has = |machine: &str, rule: &str| {
            findings.iter().any(|finding| finding["machine"] == machine && finding["rule"] == rule)
        };
        // lamp-01 is there and lets nobody in; nothing is known of lamp-02, which is not.
        assert!(has("lamp-01", "probe-address-taken"), "{user:?}: {report:#}");
        assert!(has("lamp-02", "probe-not-looked-at"), "{user:?}: {report:#}");
        assert!(!has("lamp-02", "probe-address-taken"), "{user:?}: {report:#}");
        assert_eq!((&report["asked"][0]["right"], &report["asked"][0]["unknown"]), (&0.into(), &1.into()));
    }
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn dhcp_servers_are_asked_by_root_and_offer_what_the_sheet_counts_as_leased() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let _times = desk.times(Times::Right);
    let right = desk.leases("10.64.10.200,10.64.10.239");
    assert_eq!(rules(&desk, User::Root, &["--ask-dhcp"]), BTreeSet::new());
    assert_eq!(rules(&desk, User::Nobody, &["--ask-dhcp"]), only("probe-not-looked-at"));
    drop(right);
    let _wrong = desk.leases("10.64.10.11,10.64.10.12");
    let report = desk.probe(User::Root, &["--ask-dhcp"]);
    assert_eq!(report["findings"].as_array().unwrap().len(), 1, "{report:#}");
    let message = report["findings"][0]["message"].as_str().unwrap();
    assert!(message.contains("which the sheet gives to gauge-0"), "{message}");
}

#[test]
#[ignore = "needs root for network namespaces, and dnsmasq and chronyd"]
fn what_the_kernel_does_not_let_out_was_not_looked_at() {
    let desk = Desk::new();
    let _names = desk.names(Names::right());
    let _times = desk.times(Times::Right);
    // A route that says no: everything but the link itself.
    desk.desk("route add prohibit 10.64.10.11/32");
    desk.desk("route add unreachable 10.64.10.12/32");
    let report = desk.probe(User::Nobody, &[]);
    let rules: BTreeSet<&str> = report["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["rule"].as_str().unwrap())
        .collect();
    assert_eq!(rules, BTreeSet::from(["probe-not-looked-at"]), "{report:#}");
    assert_eq!(report["asked"][0]["unknown"], 2, "{report:#}");
}
