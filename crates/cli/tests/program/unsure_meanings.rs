//! What is said of properties whose meaning is not certain: the likely answers can be copied.

use std::fmt::Write as _;

use crate::support::Workspace;

/// A package with these properties: key, label, attributes.
fn package(properties: &[(&str, &str, &str)]) -> String {
    let mut section = String::new();
    for (key, label, more) in properties {
        let _ = write!(
            section,
            "<Property ovf:key=\"{key}\" ovf:type=\"string\" ovf:userConfigurable=\"true\" {more}>\
             <Label>{label}</Label></Property>"
        );
    }
    format!(
        "<Envelope xmlns=\"http://schemas.dmtf.org/ovf/envelope/1\" xmlns:ovf=\"http://schemas.dmtf.org/ovf/envelope/1\" \
         xmlns:rasd=\"http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData\">\
         <NetworkSection><Info/><Network ovf:name=\"Lan\"/></NetworkSection><VirtualSystem ovf:id=\"box\"><Info/>\
         <ProductSection><Info/><Product>Buoy Bell</Product><Version>1</Version>{section}</ProductSection>\
         <VirtualHardwareSection ovf:transport=\"iso\"><Info/><Item><rasd:Connection>Lan</rasd:Connection>\
         <rasd:ResourceType>10</rasd:ResourceType></Item></VirtualHardwareSection></VirtualSystem></Envelope>"
    )
}

const SHEET: &str = "format = 1\n[common]\ndns = \"none\"\nntp = \"none\"\ntimezone = \"Europe/Rome\"\nlogins = \"none\"\n\
     [subnet.quay]\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\n\
     [[appliance]]\nname = \"bell\"\npackage = \"bell.ovf\"\nlink.lan = { subnet = \"quay\", address = \"10.64.10.61\" }\n";

fn workspace(properties: &[(&str, &str, &str)]) -> Workspace {
    let workspace = Workspace::new();
    workspace.write("bell.ovf", package(properties));
    workspace.write("sheet.toml", SHEET);
    workspace
}

/// The message and the fix of a rule's only finding.
fn found(workspace: &Workspace, rule: &str) -> (String, String) {
    let check = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: serde_json::Value = serde_json::from_str(&check.stdout).unwrap();
    let findings = report["findings"].as_array().unwrap();
    let of_rule: Vec<_> = findings.iter().filter(|finding| finding["rule"] == rule).collect();
    assert_eq!(of_rule.len(), 1, "{rule}: {}", check.stdout);
    let text = |key: &str| of_rule[0][key].as_str().unwrap().to_owned();
    (text("message"), text("fix"))
}

/// A line of a fix, from the id to the end of its table.
fn lines(fix: &str) -> Vec<String> {
    fix.match_indices("\"where\" = ")
        .map(|(at, _)| &fix[at..])
        .map(|line| line.split(" for the ").next().unwrap().split(" to keep ").next().unwrap().to_owned())
        .collect()
}

#[test]
fn each_answer_that_is_proposed_can_be_put_into_the_sheet() {
    for (label, more) in [("IP address", ""), ("Name server or gateway", ""), ("Address", "ovf:value=\"\"")] {
        let workspace = workspace(&[("where", label, more)]);
        let rule = if more.is_empty() { "property-unanswered" } else { "property-meaning-unsure" };
        let (message, fix) = found(&workspace, rule);
        assert!(message.contains("where"), "{message}");
        let proposed = lines(&fix);
        assert!(!proposed.is_empty(), "{label}: {fix}");
        for line in proposed.iter().filter(|line| line.contains("take")) {
            workspace.write("sheet.toml", format!("{SHEET}[appliance.answer]\n{line}\n"));
            let check = workspace.run(&["check", "sheet.toml"]);
            assert!(
                !check.stdout.contains(rule) && !check.stdout.contains("syntax"),
                "{line}: {}",
                check.stdout
            );
        }
    }
}

#[test]
fn two_answers_are_proposed_where_two_are_likely() {
    let workspace = workspace(&[("where", "DNS server, or the gateway", "")]);
    let (_, fix) = found(&workspace, "property-unanswered");
    assert_eq!(lines(&fix).len(), 2, "{fix}");
    let inspected = workspace.run(&["inspect", "bell.ovf", "--format", "json"]);
    let report: serde_json::Value = serde_json::from_str(&inspected.stdout).unwrap();
    assert_eq!(report["properties"][0]["likely"].as_array().unwrap().len(), 2, "{report}");
}

#[test]
fn what_is_not_understood_is_asked_for_and_is_no_certain_other() {
    let asked = workspace(&[("where", "Zorble", "")]);
    let (message, fix) = found(&asked, "property-unanswered");
    assert!(message.contains("its text does not tell what it asks for"), "{message}");
    assert!(fix.contains("\"where\" = \"…\""), "{fix}");
    // A default that any setting may have is nobody's concern; one like a setting of a site is.
    let plain = workspace(&[("where", "Zorble", "ovf:value=\"large\"")]);
    assert!(!plain.run(&["check", "sheet.toml"]).stdout.contains("property-meaning-unsure"));
    let pointed = workspace(&[("where", "Zorble", "ovf:value=\"bell.capovetro.example\"")]);
    let (message, fix) = found(&pointed, "property-meaning-unsure");
    assert!(message.contains("looks like a setting of a site"), "{message}");
    assert!(fix.contains("take = \"fqdn\"") && fix.contains("to keep the default"), "{fix}");
}

#[test]
fn quotes_of_a_package_do_not_break_what_is_proposed() {
    let workspace = workspace(&[("where", "Address", "ovf:value=\"the &quot;old&quot; one\"")]);
    let check = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: serde_json::Value = serde_json::from_str(&check.stdout).unwrap();
    for finding in report["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|finding| finding["rule"] == "property-meaning-unsure")
    {
        let fix = finding["fix"].as_str().unwrap();
        assert!(fix.contains("\"where\" = 'the \"old\" one'"), "{fix}");
    }
    let mail = self::workspace(&[("where", "Zorble", "ovf:value=\"bell@capovetro.example\"")]);
    let (_, fix) = found(&mail, "property-meaning-unsure");
    assert!(fix.contains("\"where\" = \"bell@capovetro.example\" to keep the default"), "{fix}");
}

#[test]
fn a_label_that_looks_like_a_line_of_the_file_stays_as_it_is() {
    let workspace = workspace(&[("where", "Address&#10;unsure = true&#10;x", "")]);
    assert_eq!(workspace.run(&["inspect", "bell.ovf", "--save-meanings", "bell.meanings.toml"]).code, 0);
    let file: toml::Table = workspace.read("bell.meanings.toml").parse().unwrap();
    let label = file["property"]["where"]["label"].as_str().unwrap();
    assert_eq!(label, "Address\nunsure = true\nx");
}

#[test]
fn a_saved_meanings_file_proposes_and_is_confirmed_by_removing_a_line() {
    let workspace = workspace(&[("where", "DNS server, or the gateway", ""), ("zorble", "Zorble", "")]);
    let saved = workspace.run(&["inspect", "bell.ovf", "--save-meanings", "bell.meanings.toml"]);
    assert_eq!(saved.code, 0, "{}", saved.stderr);
    assert!(saved.stdout.contains("2 for you to decide"), "{}", saved.stdout);
    let file = workspace.read("bell.meanings.toml");
    let unsure: Vec<&str> =
        file.lines().filter(|line| line.starts_with("unsure = true # remove this line")).collect();
    assert_eq!(unsure.len(), 2, "{file}");
    assert!(unsure[1].contains("write meaning = \"") || unsure[0].contains("write meaning = \""), "{file}");
    // Without those lines it is a meanings file, and decides.
    let confirmed: String =
        file.lines().filter(|line| !line.starts_with("unsure")).map(|line| line.to_owned() + "\n").collect();
    workspace.write("bell.meanings.toml", confirmed);
    let why = workspace.run(&["inspect", "bell.ovf", "--meanings", "bell.meanings.toml", "--why", "where"]);
    assert!(why.stdout.contains("it is in the meanings file"), "{}", why.stdout);
}
