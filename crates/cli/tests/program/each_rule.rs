//! Every rule fires at the right place, and alone: a sheet for each, with « and » around the part that is meant.

use std::collections::BTreeSet;

use serde_json::Value;

use crate::support::{Workspace, host, marked, right_sheet};

/// A rule, the machine that its finding names, and a sheet that breaks it.
struct Case {
    rule: &'static str,
    machine: Option<&'static str>,
    sheet: String,
}

fn case(rule: &'static str, machine: impl Into<Option<&'static str>>, sheet: String) -> Case {
    Case { rule, machine: machine.into(), sheet }
}

/// The right sheet with one host, a part of it replaced.
fn with(part: &str, replacement: &str) -> String {
    let sheet = right_sheet(&host("gauge-01", "10.64.10.11"));
    assert!(sheet.contains(part), "{part}");
    sheet.replacen(part, replacement, 1)
}

/// The sample sheet, a part of it replaced.
fn harbor(part: &str, replacement: &str) -> String {
    let sheet = Workspace::new().read("harbor.toml");
    assert!(sheet.contains(part), "{part}");
    sheet.replacen(part, replacement, 1)
}

fn two(second: &str) -> String {
    right_sheet(&(host("gauge-01", "10.64.10.11") + second))
}

#[allow(clippy::too_many_lines, reason = "a table of all rules")]
fn cases() -> Vec<Case> {
    let gauge = "gauge-01";
    let address = "\"10.64.10.11\"";
    let link = "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }";
    let slip = "[subnet.slip]\nprefix = «\"10.64.30.0/24\"»\n";
    vec![
        case("sheet-syntax", gauge, with(address, "«10.64.10.11»")),
        case("sheet-empty", None, "«format = 1\n".to_owned()),
        case("sheet-format-unknown", None, with("format = 1", "format = «2»")),
        case("sheet-key-unknown", gauge, with("address =", "«adress» =")),
        case("sheet-key-misplaced", None, with("[account.keeper]", "[account.keeper]\n«dns» = \"none\"")),
        case("sheet-key-missing", gauge, with(link, "link.eth0 = «{ address = \"10.64.10.11\" }»")),
        case("sheet-value-wrong-type", gauge, with(address, "«11»")),
        case("pattern-malformed", "gauge-{01", with("\"gauge-01\"", "«\"gauge-{01\"»")),
        case(
            "pattern-lengths-differ",
            "gauge-{1..2}",
            with("\"gauge-01\"", "\"gauge-{1..2}\"").replace(address, "«\"10.64.10.{11..13}\"»"),
        ),
        case("rows-malformed", "{name}", harbor("\"lamps.csv\"", "«\"lamp.csv\"»")),
        case("rows-field-missing", "{name}", harbor("\"{address}\"", "«\"{adress}\"»")),
        case("rows-empty", "{name}", harbor("\"lamps.csv\"", "«\"none.csv\"»")),
        case("prefix-malformed", None, with("\"10.64.10.0/24\"", "«\"10.64.10.0\"»")),
        case("prefix-has-host-bits", None, with("\"fd64:10::/64\"", "«\"fd64:10::1/64\"»")),
        case("netmask-not-contiguous", None, with("\"10.64.10.0/24\"", "«\"10.64.10.0/0xff00ff00\"»")),
        case("subnet-overlap", None, two("[subnet.mole]\nprefix = «\"10.64.0.0/16\"»\n")),
        case("subnet-undefined", gauge, with("subnet = \"quay\"", "subnet = «\"mole\"»")),
        case("range-malformed", None, with("\"10.64.10.2-10.64.10.9\"", "«\"10.64.10.2-9\"»")),
        case(
            "dhcp-range-outside-subnet",
            None,
            with(
                "10.64.10.200-10.64.10.239\"",
                "10.64.10.200-10.64.10.201\", «\"10.64.9.200-10.64.10.239\"»",
            ),
        ),
        case("gateway-outside-subnet", None, with("\"fd64:10::1\"", "«\"fd64:11::1\"»")),
        case(
            "gateway-missing",
            None,
            two(&format!("{slip}{}", host("gauge-02", "10.64.30.11").replace("quay", "slip"))),
        ),
        case(
            "default-route-duplicate",
            gauge,
            with(link, &format!("{link}\nlink.«eth1» = {{ subnet = \"quay\", address = \"10.64.10.12\" }}")),
        ),
        case("link-name-invalid", gauge, with("link.eth0", "link.«enx0264100000110»")),
        case("address-malformed", gauge, with(address, "«\"10.64.10.11.12\"»")),
        case("address-missing", gauge, with(link, "link.«eth0» = { subnet = \"quay\" }")),
        case("address-outside-subnet", gauge, with(address, "«\"10.64.11.11\"»")),
        case("netmask-disagrees", gauge, with(address, "«\"10.64.10.11/0xffffff80\"»")),
        case("address-is-network", gauge, with(address, "«\"10.64.10.0\"»")),
        case("address-is-broadcast", gauge, with(address, "«\"10.64.10.255\"»")),
        case("address-is-gateway", gauge, with(address, "\"10.64.10.11\", address6 = «\"fd64:10::1\"»")),
        case("address-in-dhcp-range", gauge, with(address, "«\"10.64.10.200\"»")),
        case("address-kept-free", gauge, with(address, "«\"10.64.10.9\"»")),
        case("address-in-use", gauge, with(address, "«\"10.64.10.40\"»")),
        case(
            "address-duplicate",
            "gauge-02",
            two(&host("gauge-02", "10.64.10.11").replace(address, "«\"10.64.10.11\"»")),
        ),
        case("hostname-malformed", "-gauge", with("\"gauge-01\"", "«\"-gauge\"»")),
        case("hostname-too-long", LONG, with("\"gauge-01\"", &format!("«\"{LONG}\"»"))),
        case(
            "hostname-duplicate",
            "GAUGE-01",
            two(&host("GAUGE-01", "10.64.10.12").replace("\"GAUGE-01\"", "«\"GAUGE-01\"»")),
        ),
        case("domain-malformed", None, with("\"capovetro.example\"", "«\"capovetro.example.\"»")),
        case(
            "search-malformed",
            None,
            with("[\"capovetro.example\"]", "[\"capovetro.example\", «\"harbor office\"»]"),
        ),
        case("dns-missing", None, with("[\"10.64.10.53\", \"10.64.10.54\"]", "«[]»")),
        case("dns-not-an-address", None, with("\"10.64.10.54\"", "«\"10.64.10.54:53\"»")),
        case("dns-duplicate", None, with("\"10.64.10.54\"", "«\"10.64.10.53\"»")),
        case("dns-family-mismatch", gauge, with("[\"10.64.10.53\", \"10.64.10.54\"]", "[«\"fd64:10::53\"»]")),
        case(
            "ntp-name-needs-dns",
            None,
            with("[\"10.64.10.53\", \"10.64.10.54\"]", "\"none\"")
                .replace("\"clock.capovetro.example\"", "«\"clock.capovetro.example\"»"),
        ),
        case("domain-reserved-for-mdns", None, with("\"capovetro.example\"", "«\"harbor.local\"»")),
        case(
            "timezone-fixed-offset",
            gauge,
            with("name = \"gauge-01\"", "name = \"gauge-01\"\ntimezone = «\"Etc/GMT-1\"»"),
        ),
        case(
            "ntp-missing",
            gauge,
            with("ntp      = [\"10.64.10.121\", \"10.64.10.122\", \"clock.capovetro.example\"]\n", "")
                .replace("\"gauge-01\"", "«\"gauge-01\"»"),
        ),
        case("ntp-malformed", None, with("\"10.64.10.121\"", "«\"10.64.10\"»")),
        case(
            "timezone-missing",
            gauge,
            with("timezone = \"Europe/Rome\"\n", "").replace("\"gauge-01\"", "«\"gauge-01\"»"),
        ),
        case(
            "timezone-unknown",
            gauge,
            with("name = \"gauge-01\"", "name = \"gauge-01\"\ntimezone = «\"CEST\"»"),
        ),
        case(
            "host-without-login",
            gauge,
            with("[account.keeper]", "[account.keeper]\nhosts = []")
                .replace("\"gauge-01\"", "«\"gauge-01\"»"),
        ),
        case("account-name-invalid", None, two("[account.«Pilot»]\nssh_keys = [\"keys/pilot.pub\"]\n")),
        case(
            "account-unused",
            None,
            two("[account.«pilot»]\nssh_keys = [\"keys/pilot.pub\"]\nhosts = [\"buoy-*\"]\n"),
        ),
        case(
            "ssh-key-malformed",
            None,
            with("\"keys/keeper.pub\"", "\"keys/keeper.pub\", «\"ssh-ed25519 AAAA\"»"),
        ),
        case("package-missing", "logbook", harbor("\"packages/logbook.ovf\"", "«\"logbook.ovf\"»")),
        case("package-unreadable", "logbook", harbor("\"packages/logbook.ovf\"", "«\"packages\"»")),
        case("network-unknown", "logbook", harbor("\"Management\"", "«\"Data\"»")),
        case("property-unknown", "logbook", harbor("\"node.role\"  ", "«\"node.roles\"»  ")),
        case(
            "property-unanswered",
            "logbook",
            harbor("[appliance.answer]", "«[appliance.answer]»")
                .replace("\"hostname\"      = { take = \"fqdn\" }\n", ""),
        ),
        case(
            "property-not-settable",
            "logbook",
            harbor("\"node.number\"", "«\"build.channel\"» = \"test\"\n\"node.number\""),
        ),
        case("property-wrong-type", "logbook", harbor("\"node.number\"   = 1", "\"node.number\"   = «-1»")),
        case(
            "reference-dangling",
            "logbook",
            harbor("{ take = \"dns\", join = \",\" }", "«{ take = \"dns\" }»"),
        ),
    ]
}

const LONG: &str = "gauge-at-the-northern-end-of-the-old-quay-behind-the-lighthouse-stairs";

#[test]
fn each_rule_fires_alone_and_at_its_place() {
    for Case { rule, machine, sheet } in cases() {
        let workspace = Workspace::new();
        let (text, line, column) = marked(&sheet);
        workspace.write("sheet.toml", &text);
        workspace.write("none.csv", "name,address\n");
        let check = workspace.run(&["check", "sheet.toml", "--format", "json"]);
        let report: Value = serde_json::from_str(&check.stdout).unwrap();
        let findings = report["findings"].as_array().unwrap();
        assert_eq!(findings.len(), 1, "{rule}: {}\n{text}", check.stdout);
        let finding = &findings[0];
        assert_eq!(finding["rule"], rule, "{finding}");
        assert_eq!(finding["machine"].as_str(), machine, "{finding}");
        assert_eq!((&finding["line"], &finding["column"]), (&line.into(), &column.into()), "{finding}");
        let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
        let is_error = finding["severity"] == "error";
        assert_eq!((render.code, workspace.exists("out")), (i32::from(is_error), !is_error), "{rule}");
    }
}

#[test]
fn no_rule_is_left_out_here() {
    let explained = Workspace::new().run(&["explain"]).stdout;
    let rules: BTreeSet<&str> = explained
        .lines()
        .take_while(|line| !line.is_empty())
        .filter_map(|line| line.split(' ').next())
        .collect();
    let tested: BTreeSet<&str> = cases().iter().map(|case| case.rule).collect();
    assert_eq!(tested, rules);
}

/// Right sheets of many kinds: nothing at all is said.
#[test]
fn right_sheets_are_passed_in_silence() {
    let links = [
        "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }",
        "link.eth0 = { subnet = \"quay\", address = \"10.64.10.11/24\", address6 = \"fd64:10::11/64\" }",
        "link.eth0 = { subnet = \"quay\", address = \"none\", address6 = \"fd64:10::11\" }",
        "link.eth0 = { subnet = \"quay\", address = \"none\" }",
        "[host.link.\"eth0.110\"]\nsubnet = \"quay\"\naddress = \"10.64.10.199\"",
    ];
    let settings = [
        "dns = [\"10.64.10.53\", \"fd64:10::53\"]",
        "dns = \"none\"\nntp = \"none\"",
        "dns = [\"10.64.10.53\", \"fd64:10::53\", \"none\"]\nsearch = \"none\"\nntp = [\"clock.capovetro.example\", \"none\"]",
        "dns = [\"fd64:10::53\", \"10.64.10.53\"]\ndomain = \"quay.capovetro.example\"\ntimezone = \"Etc/UTC\"",
    ];
    for link in links {
        for own in settings {
            let workspace = Workspace::new();
            workspace
                .write("sheet.toml", right_sheet(&format!("[[host]]\nname = \"gauge-01\"\n{own}\n{link}\n")));
            let check = workspace.run(&["check", "sheet.toml"]);
            assert_eq!(check.stdout, "sheet.toml: 1 machine, nothing wrong\n", "{own}\n{link}");
        }
    }
}
