//! Every rule fires at the right place, and alone: each sheet of `tests/rules` that breaks it, and netplan files.

use std::collections::BTreeSet;

use serde_json::Value;

use crate::page::Page;
use crate::rule_sheets::{self, FAMILIES, RuleSheet};
use crate::support::{Workspace, marked, right_sheet, rule_names};

/// A rule, and a netplan file that breaks it.
struct Case {
    rule: &'static str,
    sheet: String,
}

/// Rules on netplan files, which `inspect` looks for; `tests/program/inspect.rs` has more of them.
fn cases_of_netplan() -> Vec<Case> {
    let case = |rule, sheet| Case { rule, sheet };
    let file = |lines: &str| {
        format!("network:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.11/24]\n{lines}")
    };
    let way = "      routes: [{to: default, via: 10.64.10.1}]\n";
    let spare = |lines: &str| file(way).replace("    eth0:", &format!("    spare: {{}}\n{lines}    eth0:"));
    let more = |lines: &str| format!("{}{lines}", file(way));
    vec![
        case("netplan-malformed", file(&format!("{way}      mtu: «large»\n"))),
        case("netplan-key-unread", file(&format!("{way}      «neigh-suppress»: true\n"))),
        case("netplan-asks-dhcp", file(&format!("{way}      dhcp6: «true»\n"))),
        case("netplan-gateway-key", file("      gateway4: «10.64.10.1»\n")),
        case("netplan-second-network", file(way).replace("11/24]", "11/24, «10.64.30.11/24»]")),
        case("netplan-key-unknown", file(&format!("{way}      «vrf»: 7\n"))),
        case("netplan-key-twice", file(&format!("{way}      mtu: 1400\n      «mtu»: 1500\n"))),
        case("netplan-setting-missing", spare("    «lan1»: {set-name: lan1}\n")),
        case(
            "netplan-settings-clash",
            file(
                "      routes: [{to: default, via: 10.64.10.1}, {to: 10.64.96.0/20, via: «\"fd64:10::1\"»}]\n",
            ),
        ),
        case(
            "netplan-link-undefined",
            more("  bridges:\n    br0: {interfaces: [«lan7»], parameters: {stp: false}}\n"),
        ),
        case(
            "netplan-wants-openvswitch",
            more(
                "  openvswitch:\n    ports: [[«cable-a», cable-b]]\n  bridges:\n    br0: {interfaces: [cable-a]}\n    br1: {interfaces: [cable-b]}\n",
            ),
        ),
        case("netplan-part-unread", more("«---»\nnetwork: {}\n")),
        case(
            "netplan-value-ignored",
            file("      routes: [{to: default, via: 10.64.10.1}, {to: «10.64.96.0/99», via: 10.64.10.2}]\n"),
        ),
    ]
}

#[test]
fn each_rule_on_netplan_files_fires_alone_and_at_its_place() {
    let mut page = Page::on("findings-netplan");
    for Case { rule, sheet, .. } in cases_of_netplan() {
        let workspace = Workspace::new();
        let (text, line, column) = marked(&sheet);
        workspace.write("n.yaml", &text);
        let inspect = workspace.run(&["inspect", "n.yaml", "--format", "json"]);
        let report: Value = serde_json::from_str(&inspect.stdout).unwrap();
        let findings = report["findings"].as_array().unwrap();
        assert_eq!(findings.len(), 1, "{rule}: {}\n{text}", inspect.stdout);
        assert_eq!(
            (&findings[0]["rule"], &findings[0]["line"], &findings[0]["column"]),
            (&rule.into(), &line.into(), &column.into()),
            "{text}"
        );
        page.finding(&findings[0]);
    }
    page.keep();
}

/// An RSA key of 2048 bits.
const WEAK_KEY: &str = "ssh-rsa AAAAB3NzaC1yc2EAAAADAQABAAABAQCwtR1Ocbhg+FjuCFBFNWwgW5YEqWs2VqGvfQbjv5iJ3D6CK1nIpFIu7J54JobE+Y+skOI6dJjQEbwN3UtE/5RPsXQgyCiBeLPaAViCxqBbnEsb42FjFRcnlkdqnkiXPAJ+U9qqxCh5vUU4vH0KY0zyLXcVawSIJYqyvOQBG60M0V2rgwO/DisdRc5o5SQReWrHvjFKFjpyczjkvCzKyMN3gQmde+PbOTi7BOlYh4KVxDHHAA8mCZclO2VdmSXbz2mtlBgFvRYlDwo5nHL2UdflNfv7XxmTV+PUG5cPVgl4Eo/3/tjqSb3MEGv/iw0hJrHd+m6Ku7or3lz63raLVDIX pilot@capovetro.example\n";

#[test]
fn each_rule_fires_alone_and_at_its_place() {
    let mut astray = Vec::new();
    let all = rule_sheets::all();
    let mut pages = Vec::new();
    for family in FAMILIES {
        let mut page = Page::on(page_of(family));
        for sheet in all.iter().filter(|sheet| sheet.breaks_it && sheet.family == family) {
            match prove(sheet) {
                Ok(finding) => page.finding(&finding),
                Err(wrong) => astray.push(wrong),
            }
        }
        pages.push(page);
    }
    assert!(astray.is_empty(), "{}", astray.join("\n"));
    pages.into_iter().for_each(Page::keep);
}

/// The page on which the findings of a family are kept.
fn page_of(family: &str) -> &'static str {
    match family {
        "sheet-and-subnets" => "findings-sheet-and-subnets",
        "links" => "findings-links",
        "settings" => "findings-settings",
        "credentials" => "findings-credentials",
        _ => "findings-appliances",
    }
}

/// Runs `check` and `render` on the sheet of a case: its finding, or what is not as it should be.
fn prove(tried: &RuleSheet) -> Result<Value, String> {
    let RuleSheet { rule, machine, text: sheet, .. } = tried;
    let workspace = Workspace::new().with_example_packages();
    let (text, line, column) = marked(sheet);
    workspace.write("sheet.toml", &text);
    workspace.write("none.csv", "name,address\n");
    workspace
        .write("semicolons.csv", workspace.read("lamps.csv").replace(", below", " below").replace(',', ";"));
    workspace.write("account.toml", "format = 1\n[account.pilot]\nssh_keys = [\"keys/pilot.pub\"]\n");
    workspace.write("slip.secret", "a phrase for the slip\n");
    workspace.write("short.secret", "phrase\n");
    workspace.write("keys/weak.pub", WEAK_KEY);
    let key = workspace.read("keys/keeper.pub");
    workspace.write("keys/expired.pub", format!("expiry-time=\"20240630\" {key}"));
    workspace.write("keys/authority.pub", format!("cert-authority {key}"));
    let check = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: Value = serde_json::from_str(&check.stdout).unwrap();
    let mut findings = report["findings"].as_array().unwrap().clone();
    // A note that belongs to every password of an appliance.
    findings.retain(|finding| rule == "secret-stays-readable" || finding["rule"] != "secret-stays-readable");
    // What a public prefix brings about, and the sheet waives.
    findings.retain(|finding| finding["waived"] != true || finding["rule"] != "prefix-not-private");
    let [finding] = findings.as_slice() else {
        return Err(format!("{rule}: {} findings\n{}\n{text}", findings.len(), check.stdout));
    };
    let found = (finding["rule"].as_str(), finding["machine"].as_str(), &finding["line"], &finding["column"]);
    if found != (Some(rule.as_str()), machine.as_deref(), &line.into(), &column.into()) {
        return Err(format!("{rule} at {line}:{column} is {finding}\n{text}"));
    }
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    // What could not be looked at is not rendered either.
    let is_refused = finding["severity"] == "error" || rule.ends_with("-not-looked-at");
    let ended = (render.code, workspace.exists("out"));
    if ended == (i32::from(is_refused), !is_refused) {
        Ok(finding.clone())
    } else {
        Err(format!("{rule}: render ended {ended:?}"))
    }
}

#[test]
fn no_rule_is_left_out_here() {
    let names = rule_names();
    let rules: BTreeSet<&str> = names.iter().map(String::as_str).collect();
    let of_netplan = cases_of_netplan();
    let all = rule_sheets::all();
    let mut tested: BTreeSet<&str> =
        all.iter().filter(|sheet| sheet.breaks_it).map(|sheet| sheet.rule.as_str()).collect();
    tested.extend(of_netplan.iter().map(|case| case.rule));
    // tests/program/inspect.rs has this one, which takes two files.
    tested.insert("netplan-files-collide");
    // tests/program/including.rs has this one, which is in the included file.
    tested.insert("table-repeated");
    // tests/program/rows.rs has this one, which is in the CSV file.
    tested.insert("rows-value-over-lines");
    tested.insert("rows-values-malformed");
    // tests/program/rootfs_rules.rs has those on root filesystems.
    tested.extend(rules.iter().filter(|rule| crate::rootfs_rules::is_of_rootfs(rule)));
    // tests/program/probing.rs and arriving.rs have those on the network, and tests/first_boot/inside.rs those inside of hosts.
    tested.extend(rules.iter().filter(|rule| crate::probing::is_of_network(rule)));
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
