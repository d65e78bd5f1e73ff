//! `inspect` on netplan files: what they say, and what is wrong with them.

use std::fs;

use serde_json::Value;

use crate::netplan_shapes::every_shape;
use crate::page::Page;
use crate::support::Workspace;

fn inspected(workspace: &Workspace, path: &str) -> Value {
    let run = workspace.run(&["inspect", path, "--format", "json"]);
    serde_json::from_str(&run.stdout).unwrap_or_else(|error| panic!("{error}: {}{}", run.stdout, run.stderr))
}

fn rules(found: &Value) -> Vec<String> {
    let findings = found["findings"].as_array().unwrap();
    findings.iter().map(|finding| finding["rule"].as_str().unwrap().to_owned()).collect()
}

/// A right netplan file of one link, a part of it replaced.
fn file(part: &str, replacement: &str) -> String {
    let right = "network:\n  version: 2\n  ethernets:\n    eth0:\n      dhcp4: no\n      addresses: [10.64.10.11/24]\n      \
        routes:\n      - to: default\n        via: 10.64.10.1\n      nameservers: {addresses: [10.64.10.53]}\n";
    assert!(right.contains(part), "{part}");
    right.replacen(part, replacement, 1)
}

#[test]
fn a_file_to_the_letter() {
    let workspace = Workspace::new();
    workspace.write("n.yaml", file("", ""));
    let run = workspace.run(&["inspect", "n.yaml"]);
    assert_eq!(
        run.stdout,
        "n.yaml\n\n  DNS servers   10.64.10.53\n  search        not given\n  renderer      networkd\n\n link  kind      \
         address         gateway     details\n─────────────────────────────────────────────────────\n eth0  ethernet  \
         10.64.10.11/24  10.64.10.1\n\nn.yaml: checked for netplan 1.1, the newest known\nn.yaml: nothing wrong\n"
    );
    assert_eq!((run.code, run.stderr.as_str()), (0, ""));
}

/// Slips of those who write such files by hand, each found alone and at its place.
#[test]
fn slips_are_found_by_the_rules_that_hold_for_any_host() {
    let address = "10.64.10.11/24";
    for (part, replacement, rule, marked) in [
        (address, "10.64.10/24", "address-malformed", "10.64.10/24"),
        (address, "10.64.10.11.12/24", "address-malformed", "10.64.10.11.12/24"),
        (address, "10.64.10.11", "netplan-malformed", "10.64.10.11"),
        (address, "10.64.10.11/33", "netplan-malformed", "10.64.10.11/33"),
        (address, "10.64.10.0/24", "address-is-network", "10.64.10.0/24"),
        (address, "10.64.10.255/24", "address-is-broadcast", "10.64.10.255/24"),
        (address, "10.64.10.1/24", "address-is-gateway", "10.64.10.1/24"),
        ("via: 10.64.10.1", "via: 10.64.11.1", "gateway-outside-subnet", "10.64.11.1"),
        ("      routes:\n      - to: default\n        via: 10.64.10.1\n", "", "gateway-missing", address),
        ("10.64.10.53]", "10.64.10.300]", "dns-not-an-address", "10.64.10.300"),
        ("10.64.10.53]", "fd64:10::53]", "dns-family-mismatch", "fd64:10::53"),
        ("dhcp4: no", "dhcp4: yes", "netplan-asks-dhcp", "yes"),
        (
            "dhcp4: no",
            "match: {macaddress: 02:64:10:00:00:21}\n      set-name: eth0",
            "link-name-kernel",
            "eth0",
        ),
        (
            "dhcp4: no",
            "match: {macaddress: 03:64:10:00:00:21}\n      set-name: lan0",
            "mac-not-unicast",
            "03:64:10:00:00:21",
        ),
        ("eth0:", "management-lan-0:", "link-name-invalid", "management-lan-0"),
        ("dhcp4: no", "tables: 7", "netplan-key-unknown", "tables"),
        ("dhcp4: no", "neigh-suppress: true", "netplan-key-unread", "neigh-suppress"),
        (
            "- to: default\n        via: 10.64.10.1",
            "- {to: default, via: 10.64.10.1}\n      - {to: 10.64.96.0/20, via: 10.64.20.1}",
            "route-unreachable",
            "10.64.20.1",
        ),
        (
            "- to: default\n        via: 10.64.10.1",
            "- {to: default, via: 10.64.10.1}\n      - {to: default, via: 10.64.10.2}",
            "default-route-duplicate",
            "10.64.10.2",
        ),
        (
            "  version: 2\n",
            "  version: 2\n  bonds:\n    uplink: {interfaces: [lan0, lan1], parameters: {mode: active-bakup}}\n  vrfs: {}\n",
            "bond-mode-unknown",
            "active-bakup",
        ),
    ] {
        let workspace = Workspace::new();
        let text = file(part, replacement);
        workspace.write("n.yaml", &text);
        let found = inspected(&workspace, "n.yaml");
        let finding = found["findings"].as_array().unwrap().iter().find(|finding| finding["rule"] == rule);
        let finding = finding.unwrap_or_else(|| panic!("{rule} is not in {found}\n{text}"));
        if rule != "bond-mode-unknown" {
            assert_eq!(rules(&found), [rule], "{text}");
        }
        let line = text.lines().nth(usize::try_from(finding["line"].as_u64().unwrap()).unwrap() - 1).unwrap();
        let column = usize::try_from(finding["column"].as_u64().unwrap()).unwrap() - 1;
        assert!(line[column..].starts_with(marked), "{marked} is not at {column} of {line:?}: {finding}");
        assert!(finding["machine"].is_null());
    }
}

#[test]
fn an_older_file_beside_the_new_one_is_in_the_way() {
    let workspace = Workspace::new();
    fs::create_dir_all(workspace.path().join("root/etc/netplan")).unwrap();
    workspace.write("root/etc/netplan/50-image.yaml", file("10.64.10.11", "10.64.10.77"));
    workspace.write("root/etc/netplan/60-impostazione.yaml", file("", ""));
    workspace.write("root/etc/netplan/notes.txt", "no netplan file");
    for path in ["root", "root/etc/netplan"] {
        let found = inspected(&workspace, path);
        assert_eq!(rules(&found), ["netplan-files-collide"], "{found}");
        let message = found["findings"][0]["message"].as_str().unwrap();
        assert!(message.contains("50-image.yaml") && message.contains("eth0"), "{message}");
        let addresses = &found["host"]["links"][0]["addresses"]["values"];
        assert_eq!(addresses, &serde_json::json!(["10.64.10.77/24", "10.64.10.11/24"]), "netplan keeps both");
    }
    // Equal values are no matter, wherever they stand.
    workspace.write("root/etc/netplan/50-image.yaml", file("no", "false"));
    assert!(rules(&inspected(&workspace, "root")).is_empty());
}

/// The table shows every address, those of further networks and those that a DHCP server gives too.
#[test]
fn what_a_sheet_could_not_say_is_shown_all_the_same() {
    let workspace = Workspace::new();
    workspace.write("n.yaml", file("dhcp4: no", "dhcp4: yes").replace("11/24]", "11/24, 10.64.30.11/25]"));
    let mut page = Page::on("inspecting-several-addresses");
    page.run(&workspace, "inspect n.yaml");
    page.keep();
}

const SLIPS: &str = r#"network:
  version: 2
  ethernets:
    eth0:
      match: {macaddress: "03:64:10:00:00:21"}
      set-name: eth0
      mtu: 1000
      addresses: [10.64.10.0/24, "fd64:10::11/64"]
      routes:
      - {to: default, via: 10.64.10.0}
      - {to: 10.64.96.0/20, via: 10.64.20.1}
      nameservers: {addresses: [10.64.10.53, 10.64.10.53, 10.64.10.54, 10.64.10.55]}
    eth1:
      addresses: [10.64.11.5/24]
      routes: [{to: default, via: 10.64.11.1}]
    eth2:
      addresses: ["2a00:64::5/64"]
    eth3: {wakeonlan: true}
    enp9s0: {wakeonlan: true}
  bonds:
    bond0:
      interfaces: [eth1, eth7]
      parameters: {mode: active-backup, lacp-rate: fast}
    bond1:
      interfaces: [eth1]
      parameters: {mode: balance-foo}
    bond2:
      parameters: {mode: 802.3ad}
  vlans:
    radar: {id: 5000, link: bond9, addresses: [10.64.30.5/24]}
    sonar: {id: 12, link: bond0, addresses: [10.64.31.5/24]}
    asdic: {id: 12, link: bond0, addresses: [10.64.32.5/24]}
    untagged: {link: bond0, addresses: [10.64.34.5/24]}
  wifis:
    wlan0: {addresses: [10.64.33.5/24]}
"#;

/// Whoever reads netplan files may never have seen a sheet: findings on them do not speak of its keys.
#[test]
fn findings_on_files_are_in_the_terms_of_files() {
    let workspace = Workspace::new();
    workspace.write("n.yaml", SLIPS);
    workspace.write("shut.yaml", file("      routes:\n      - to: default\n        via: 10.64.10.1\n", ""));
    let mut found = inspected(&workspace, "n.yaml");
    let shut = inspected(&workspace, "shut.yaml");
    let findings = found["findings"].as_array_mut().unwrap();
    findings.extend(shut["findings"].as_array().unwrap().iter().cloned());
    let rules = rules(&found);
    for rule in [
        "default-route-duplicate",
        "link-by-name-only",
        "link-name-kernel",
        "link-setting-needs-mac",
        "netplan-link-undefined",
        "bond-without-members",
        "bond-mode-unknown",
        "netplan-setting-missing",
        "vlan-out-of-range",
        "vlan-twice-on-link",
        "dns-duplicate",
        "prefix-not-private",
        "gateway-missing",
    ] {
        assert!(rules.iter().any(|found| found == rule), "{rule} in {rules:?}");
    }
    for finding in found["findings"].as_array().unwrap() {
        for text in [finding["message"].as_str().unwrap(), finding["fix"].as_str().unwrap()] {
            let words = [
                " = ",
                "default_route",
                "routing_table",
                "more_addresses",
                "[host",
                "[subnet",
                "waiver",
                "sheet",
                "_",
            ];
            for word in words {
                assert!(!text.contains(word), "{text}");
            }
            assert!(!text.contains("ubnet eth") && !text.contains("ubnet radar"), "{text}");
        }
    }
}

/// A mistyped key is told from one that is beside the matter by what it resembles.
#[test]
fn a_mistyped_key_is_answered_with_the_one_that_was_meant() {
    let workspace = Workspace::new();
    for (from, to, rule, fix) in [
        (
            "dhcp4: no",
            "adresses: []",
            "netplan-key-unknown",
            "write addresses if you mean that, or remove it",
        ),
        ("dhcp4: no", "tables: 7", "netplan-key-unknown", "remove it, or move it to where it belongs"),
        ("ethernets:", "ethernet:", "netplan-key-unknown", "write ethernets if you mean that, or remove it"),
        (
            "  ethernets:",
            "  vrfs: {red: {table: 7}}\n  ethernets:",
            "netplan-key-unread",
            "check it yourself",
        ),
    ] {
        workspace.write("n.yaml", file(from, to));
        let found = inspected(&workspace, "n.yaml");
        assert_eq!(rules(&found), [rule], "{to}");
        assert_eq!(found["findings"][0]["fix"], fix, "{to}");
    }
}

/// What netplan takes and a sheet cannot say is no slip.
#[test]
fn right_files_of_kinds_that_a_sheet_does_not_know_are_right() {
    let one = "addresses: [10.64.10.11/24]";
    let others = [
        // A router outside the network, on the link all the same.
        "eth0: {addresses: [10.64.10.11/32], routes: [{to: default, via: 10.64.20.1, on-link: true}]}",
        "eth0: {addresses: [10.64.10.11/24], routes: [{to: default, via: 10.64.10.1}, {to: 10.64.96.0/20, via: 10.64.20.1, on-link: true}]}",
        // A second way out behind the first.
        "eth0: {addresses: [10.64.10.11/24], routes: [{to: default, via: 10.64.10.1}]}\n    enp1s0: {addresses: [10.64.11.11/24], routes: [{to: default, via: 10.64.11.1, metric: 900}]}",
        // A table of one network, without a way out of it.
        "eth0: {addresses: [10.64.10.11/24], routes: [{to: default, via: 10.64.10.1}, {to: 10.64.10.0/24, via: 10.64.10.1, table: 101}]}",
        "lo: {addresses: [10.64.99.1/32]}\n    eth0: {addresses: [10.64.10.11/24], routes: [{to: default, via: 10.64.10.1}]}",
    ];
    let workspace = Workspace::new();
    for links in others {
        workspace.write("n.yaml", format!("network:\n  version: 2\n  ethernets:\n    {links}\n"));
        let found = inspected(&workspace, "n.yaml");
        assert_eq!(rules(&found), [""; 0], "{links}");
    }
    let tunnel = format!(
        "network:\n  ethernets:\n    eth0: {{}}\n  bridges:\n    br0: {{interfaces: [eth0, gre0], {one}, routes: [{{to: default, via: 10.64.10.1}}]}}\n  tunnels:\n    gre0: {{mode: gretap, local: 10.64.10.11, remote: 10.64.10.12}}\n"
    );
    workspace.write("n.yaml", tunnel);
    assert_eq!(rules(&inspected(&workspace, "n.yaml")), ["netplan-key-unread"], "the section, once");
}

/// A link is named by what the files call it, and not by the name that it is given.
#[test]
fn links_name_each_other_by_what_the_files_call_them() {
    let workspace = Workspace::new();
    let text = |member: &str| {
        format!(
            "network:\n  version: 2\n  ethernets:\n    first:port:\n      match: {{macaddress: \"02:64:10:00:00:21\"}}\n      \
             set-name: lan0\n  bridges:\n    br0:\n      interfaces: [{member}]\n      parameters: {{stp: false}}\n      \
             addresses: [10.64.10.11/24]\n      routes: [{{to: default, via: 10.64.10.1}}]\n"
        )
    };
    workspace.write("n.yaml", text("\"first:port\""));
    let found = inspected(&workspace, "n.yaml");
    assert_eq!(rules(&found), [""; 0], "{found}");
    let links = &found["host"]["links"];
    assert_eq!((&links[0]["name"], &links[0]["id"]), (&"lan0".into(), &"first:port".into()));
    assert_eq!((&links[0]["member_of"], &links[1]["members"][0]), (&"br0".into(), &"first:port".into()));
    workspace.write("n.yaml", text("lan0"));
    assert_eq!(rules(&inspected(&workspace, "n.yaml")), ["netplan-link-undefined"]);
}

/// Files of equal names in several folders, an empty one, a link to nothing and a hidden one.
#[test]
fn files_are_masked_as_netplan_masks_them() {
    let workspace = Workspace::new();
    for folder in ["lib", "etc", "run"] {
        fs::create_dir_all(workspace.path().join(format!("root/{folder}/netplan"))).unwrap();
    }
    let with = |address: &str| file("10.64.10.11/24", address);
    workspace.write("root/lib/netplan/50-a.yaml", with("10.64.10.21/24"));
    workspace.write("root/etc/netplan/50-a.yaml", with("10.64.10.22/24"));
    workspace.write("root/lib/netplan/60-b.yaml", with("10.64.10.23/24"));
    workspace.write("root/run/netplan/60-b.yaml", "");
    workspace.write("root/lib/netplan/70-c.yaml", with("10.64.10.24/24"));
    std::os::unix::fs::symlink("/dev/null", workspace.path().join("root/etc/netplan/70-c.yaml")).unwrap();
    workspace.write("root/etc/netplan/.80-d.yaml", with("10.64.10.25/24"));
    workspace.write("root/etc/netplan/90-e.yml", with("10.64.10.26/24"));
    let found = inspected(&workspace, "root");
    assert_eq!(rules(&found), [""; 0], "{found}");
    assert_eq!(found["host"]["links"][0]["addresses"]["values"], serde_json::json!(["10.64.10.22/24"]));
    let passed_over = ["root/etc/netplan/.80-d.yaml", "root/etc/netplan/90-e.yml"];
    assert_eq!(found["not_read"], serde_json::json!(passed_over));
    let mut page = Page::on("inspecting-files-that-netplan-passes-over");
    page.run(&workspace, "inspect root");
    page.keep();
    for file in passed_over {
        assert_eq!(rules(&inspected(&workspace, file)), ["netplan-part-unread"], "{file}");
    }
}

/// What one release takes another refuses; without a word on the release the newest counts, and that is said.
#[test]
fn files_are_held_against_a_release() {
    let workspace = Workspace::new();
    workspace.write("n.yaml", file("dhcp4: no", "hairpin: true"));
    let run = |options: &[&str]| {
        let run = workspace.run(&[&["inspect", "n.yaml", "--format", "json"], options].concat());
        serde_json::from_str::<Value>(&run.stdout).unwrap()
    };
    let newest = run(&[]);
    assert_eq!((rules(&newest).len(), &newest["netplan"]["assumed"]), (1, &true.into()));
    assert_eq!(rules(&newest), ["netplan-key-unread"]);
    let older = run(&["--netplan", "0.106"]);
    assert_eq!(rules(&older), ["netplan-key-unknown"]);
    assert_eq!(older["netplan"], serde_json::json!({ "version": "0.106", "assumed": false }));
    let message = older["findings"][0]["message"].as_str().unwrap();
    assert_eq!(message, "netplan 0.106 does not have `hairpin`, in eth0: it came with netplan 1.0.");
}

/// Slips that netplan refuses, each with the rule and what is said to be done.
#[test]
fn what_netplan_refuses_says_what_to_write() {
    let workspace = Workspace::new();
    for (from, to, rule, fix) in [
        (
            "addresses: [10.64.10.11/24]",
            "addresses: 10.64.10.11/24",
            "netplan-malformed",
            "write addresses: [10.64.10.11/24]",
        ),
        ("dhcp4: no", "dhcp4: never", "netplan-malformed", "write true or false"),
        ("dhcp4: no", "mtu: 1500 bytes", "netplan-malformed", "write a whole number"),
        ("version: 2", "version: 1", "netplan-malformed", "write 2"),
        ("version: 2", "renderer: systemd", "netplan-malformed", "write networkd or NetworkManager"),
        ("dhcp4: no", "set-name: lan0", "netplan-setting-missing", "match: {macaddress: …}"),
        (
            "        via: 10.64.10.1\n",
            "        metric: 5\n        scope: global\n",
            "netplan-setting-missing",
            "write via:",
        ),
        ("dhcp4: no", "macaddress: 02-64-10", "mac-malformed", "six pairs of hexadecimal digits"),
        ("dhcp4: no", "<<: *common", "netplan-malformed", "netplan generate"),
        ("  version: 2\n", "  vlans: {radar: {id: 7}}\n", "netplan-setting-missing", "write link:"),
        (
            "  version: 2\n",
            "  wifis: {wlan0: {access-points: {slip: {password: short}}}}\n",
            "netplan-settings-clash",
            "8 to 63 characters",
        ),
    ] {
        workspace.write("n.yaml", file(from, to));
        let found = inspected(&workspace, "n.yaml");
        let finding = found["findings"].as_array().unwrap().iter().find(|finding| finding["rule"] == rule);
        let finding = finding.unwrap_or_else(|| panic!("{rule} is not in {found}"));
        assert!(finding["fix"].as_str().unwrap().contains(fix), "{finding}");
        assert!(!finding["message"].as_str().unwrap().contains("short"), "{finding}");
    }
}

/// Ways of every kind are shown, and none is called wrong that leads somewhere.
#[test]
fn every_route_is_shown() {
    let workspace = Workspace::new();
    let routes = "- {to: default, via: 10.64.10.1}\n      - {to: default, via: 10.64.10.2, metric: 900}\n      \
        - {to: 10.64.99.0/24, type: blackhole}\n      - {to: 10.64.98.0/24, scope: link}\n      \
        - {to: 10.64.97.0/24, via: 10.64.10.3, table: 140}\n      - {to: 10.64.96.1, via: 10.64.90.1, on-link: true, from: 10.64.10.11}";
    workspace.write("n.yaml", file("- to: default\n        via: 10.64.10.1", routes));
    let found = inspected(&workspace, "n.yaml");
    assert_eq!(rules(&found), [""; 0], "{found}");
    let link = &found["host"]["links"][0];
    assert_eq!(link["routes"].as_array().unwrap().len(), 6);
    assert_eq!(link["gateways"], serde_json::json!(["10.64.10.1", "10.64.10.2"]));
    let mut page = Page::on("inspecting-routes");
    page.run(&workspace, "inspect n.yaml");
    page.keep();
}

#[test]
fn what_cannot_be_inspected_is_said() {
    let workspace = Workspace::new();
    fs::create_dir(workspace.path().join("empty")).unwrap();
    workspace.write("latin.yaml", b"network: \xe9\n");
    let mut page = Page::on("inspecting-what-is-no-netplan-file");
    for (path, code) in [("none.yaml", 3), ("harbor.toml", 2), ("empty", 2), ("latin.yaml", 3)] {
        let run = page.run(&workspace, &format!("inspect {path}"));
        assert_eq!((run.code, run.stdout.as_str()), (code, ""), "{path}");
    }
    for text in [
        "- a\n",
        "network: 7\n",
        "net: {}\n",
        "network:\n\tethernets: {}\n",
        "network: {ethernets: {eth0: 7}}\n",
        "a: b: c\n",
    ] {
        workspace.write("n.yaml", text);
        page.heading(&format!("{text:?}"));
        assert_eq!(page.run(&workspace, "inspect n.yaml").code, 1);
    }
    page.keep();
    workspace.write("n.yaml", "# nothing\n");
    assert_eq!(workspace.run(&["inspect", "n.yaml"]).code, 0);
}

/// What is rendered is read back as it was meant, for every host of the sample site and every shape of the netplan tests.
#[test]
fn what_is_rendered_is_read_back_as_it_was_meant() {
    let workspace = Workspace::new();
    workspace.write("slip.secret", "a phrase for the slip\n");
    let mut sheets = vec![workspace.read("harbor.toml")];
    sheets.extend(every_shape());
    for sheet in sheets {
        workspace.write("sheet.toml", &sheet);
        assert_eq!(workspace.run(&["render", "sheet.toml", "--into", "out", "--prune"]).code, 0, "{sheet}");
        let review: Value =
            serde_json::from_str(&workspace.run(&["review", "sheet.toml", "--format", "json"]).stdout)
                .unwrap();
        for machine in
            review["machines"].as_array().unwrap().iter().filter(|machine| machine["kind"] == "host")
        {
            let found = inspected(&workspace, &format!("out/{}/rootfs", machine["name"].as_str().unwrap()));
            // A file cannot say that there is no way out on purpose, as the sheet of these shapes does.
            let is_shut = sheet.contains("default_route = false, routes");
            let expected = |rule: &str| rule == "link-by-name-only" || (is_shut && rule == "gateway-missing");
            let unexpected: Vec<String> = rules(&found).into_iter().filter(|rule| !expected(rule)).collect();
            assert!(unexpected.is_empty(), "{unexpected:?} {found}\n{sheet}");
            let links = |of: &Value| -> Vec<(String, Vec<String>, Value)> {
                let mut links: Vec<_> = of["links"]
                    .as_array()
                    .unwrap()
                    .iter()
                    .map(|link| {
                        let addresses = &link["addresses"];
                        let addresses = addresses["values"].as_array().into_iter().flatten();
                        let mut addresses: Vec<String> = addresses.map(ToString::to_string).collect();
                        addresses.sort();
                        let name = if link["name"].is_null() { &link["id"] } else { &link["name"] };
                        (name.to_string(), addresses, link["gateways"].clone())
                    })
                    .collect();
                links.sort_by(|one, other| one.0.cmp(&other.0));
                links
            };
            assert_eq!(links(machine), links(&found["host"]), "{sheet}");
            assert_eq!(machine["host"]["dns_for"], found["host"]["dns_for"], "{sheet}");
            assert_eq!(machine["host"]["renderer"], found["host"]["renderer"], "{sheet}");
            // The general servers of such a host are in a file of systemd-resolved.
            if machine["host"]["dns_for"] == serde_json::json!([]) {
                assert_eq!(machine["search"], found["host"]["search"], "{sheet}");
            }
        }
    }
}
