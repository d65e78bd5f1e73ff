//! `subnet`: spellings of a prefix, and the map of a sheet's addresses.

use serde_json::{Value, json};

use crate::given::Given;
use crate::page::Page;
use crate::support::Workspace;

#[test]
fn any_spelling_in_and_all_spellings_out() {
    let workspace = Workspace::new();
    let expected = "10.64.10.0/24\n  mask          /24  255.255.255.0  0xffffff00\n  first, last   10.64.10.1  10.64.10.254\n  \
        for machines  254 addresses\n  broadcast     10.64.10.255\n";
    for words in [
        &["10.64.10.0/24"][..],
        &["10.64.10.7/255.255.255.0"],
        &["10.64.10.7/0xffffff00"],
        &["10.64.10.7", "255.255.255.0"],
        &["10.64.10.7", "24"],
        &["10.64.10.7", "0xFFFFFF00"],
    ] {
        let run = workspace.run(&[&["subnet"], words].concat());
        assert_eq!((run.code, run.stdout.as_str()), (0, expected), "{words:?}{}", run.stderr);
    }
}

#[test]
fn short_prefixes_and_ipv6() {
    let workspace = Workspace::new();
    let facts = |prefix: &str| -> Value {
        let run = workspace.run(&["subnet", prefix, "--format", "json"]);
        let report: Value = serde_json::from_str(&run.stdout).unwrap();
        assert_eq!((&report["format"], &report["sheet_read_whole"]), (&json!(1), &Value::Null));
        report["prefixes"][0].clone()
    };
    assert_eq!(
        facts("10.64.10.5/31"),
        json!({"prefix": "10.64.10.4/31", "asked": "10.64.10.5", "netmask": "255.255.255.254", "hexadecimal": "0xfffffffe",
            "network": null, "broadcast": null, "first": "10.64.10.4", "last": "10.64.10.5", "hosts": "2"})
    );
    assert_eq!(facts("10.64.10.5/32")["hosts"], "1");
    let six = facts("fd64:10::7/64");
    assert_eq!(
        (&six["prefix"], &six["hosts"], &six["netmask"]),
        (&json!("fd64:10::/64"), &json!("2^64"), &Value::Null)
    );
}

#[test]
fn what_is_no_prefix_is_said_with_what_to_write() {
    let mut page = Page::on("errors-of-subnet");
    let workspace = Workspace::new();
    for line in [
        "subnet 10.64.10.0",
        "subnet 10.64.10/24",
        "subnet 10.64.10.0/0.0.0.255",
        "subnet 10.64.10.0 255.0.255.0",
        "subnet 10.64.10.0/33",
        "subnet quay",
        "subnet mole --sheet harbor.toml",
    ] {
        let run = page.run(&workspace, line);
        assert_eq!((run.code, run.stdout.as_str()), (2, ""), "{line}");
    }
    page.keep();
}

/// The page of views has the map; the prefix in place of the name gives the map of that family.
#[test]
fn a_subnet_by_its_prefix_is_the_subnet() {
    let by = |asked: &str| Given::a_site().when(&format!("subnet {asked} --sheet harbor.toml")).ends_with(0);
    let (by_name, by_prefix) = (by("quay"), by("10.64.10.0/24"));
    let family = by_name.stdout().split("\n\n").collect::<Vec<_>>();
    assert!(!by_prefix.stdout().is_empty());
    assert!(by_name.stdout().starts_with(by_prefix.stdout()), "{family:#?}\n{}", by_prefix.stdout());
}

#[test]
fn the_same_for_programs_and_for_a_part_of_a_subnet() {
    let workspace = Workspace::new();
    let run = workspace.run(&["subnet", "10.64.10.32/28", "--sheet", "harbor.toml", "--format", "json"]);
    let found: Value = serde_json::from_str(&run.stdout).unwrap();
    assert_eq!(found["sheet_read_whole"], true);
    let found = &found["prefixes"][0];
    assert_eq!(found["sheet"]["subnets"], json!(["quay"]));
    assert_eq!(
        found["sheet"]["addresses"],
        json!([{"address": "10.64.10.40", "use": "in-use", "user": "crane controller"}])
    );
    assert_eq!(found["sheet"]["next_free"][0], "10.64.10.33");
    let other = workspace.run(&["subnet", "10.65.0.0/24", "--sheet", "harbor.toml"]);
    assert!(other.stdout.contains("No subnet in the sheet overlaps"), "{}", other.stdout);
}

#[test]
fn both_families_of_a_subnet_are_one_document() {
    let workspace = Workspace::new();
    workspace
        .write("two.toml", crate::support::right_sheet(&crate::support::host("gauge-01", "10.64.10.11")));
    let run = workspace.run(&["subnet", "quay", "--sheet", "two.toml", "--format", "json"]);
    let found: Value = serde_json::from_str(&run.stdout).unwrap();
    let prefixes: Vec<&Value> =
        found["prefixes"].as_array().unwrap().iter().map(|one| &one["prefix"]).collect();
    assert_eq!(prefixes, [&json!("10.64.10.0/24"), &json!("fd64:10::/64")]);
}

#[test]
fn a_sheet_that_cannot_be_read_whole_is_not_taken_for_all_there_is() {
    let workspace = Workspace::new();
    let sheet = crate::support::right_sheet(&crate::support::host("gauge-01", "10.64.10.11"));
    workspace.write(
        "torn.toml",
        sheet
            + "[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"quay\" address = \"10.64.10.10\" }\n",
    );
    let run = workspace.run(&["subnet", "quay", "--sheet", "torn.toml"]);
    assert!(
        run.stderr.contains("torn.toml cannot be read in full, so more addresses may be taken"),
        "{}",
        run.stderr
    );
    let run = workspace.run(&["subnet", "quay", "--sheet", "torn.toml", "--format", "json"]);
    assert_eq!(serde_json::from_str::<Value>(&run.stdout).unwrap()["sheet_read_whole"], false);
}

#[test]
fn a_large_prefix_is_answered_without_a_map() {
    let workspace = Workspace::new();
    let run = workspace.run(&["subnet", "10.0.0.0/8", "--sheet", "harbor.toml"]);
    assert!(run.stdout.contains("too large for a map") && run.stdout.contains("free next"), "{}", run.stdout);
}
