//! Rules of judgment that are set aside in writing.

use serde_json::Value;

use crate::support::{Workspace, host, right_sheet};

/// The right sheet with two hosts, the second of which asks one time server, and a waiver.
fn with_waiver(lines: &str) -> Workspace {
    let workspace = Workspace::new();
    let lamp = host("lamp-01", "10.64.10.12")
        .replace("name = \"lamp-01\"", "name = \"lamp-01\"\nntp = [\"10.64.10.121\"]");
    let waiver = format!("[[waiver]]\nrule = \"ntp-too-few\"\nreason = \"one clock, order 118\"\n{lines}\n");
    workspace.write("sheet.toml", right_sheet(&(host("gauge-01", "10.64.10.11") + &lamp + &waiver)));
    workspace
}

fn report(workspace: &Workspace) -> Value {
    serde_json::from_str(&workspace.run(&["check", "sheet.toml", "--format", "json"]).stdout).unwrap()
}

#[test]
fn a_waived_finding_is_counted_and_not_shown_and_stays_in_the_json() {
    for machines in ["", "machines = [\"lamp-*\"]\n"] {
        let workspace = with_waiver(&format!("{machines}until = 2099-06-30"));
        let check = workspace.run(&["check", "sheet.toml"]);
        assert_eq!(
            (check.code, check.stdout.as_str()),
            (0, "sheet.toml: 2 machines, nothing wrong; 1 waived\n")
        );
        let verbose = workspace.run(&["check", "-v", "sheet.toml"]);
        assert!(verbose.stdout.contains("warning ntp-too-few\n"), "{}", verbose.stdout);
        assert!(verbose.stdout.contains("  waived: one clock, order 118\n"), "{}", verbose.stdout);
        let found = report(&workspace);
        assert_eq!(
            (&found["findings"][0]["rule"], &found["findings"][0]["waived"]),
            (&"ntp-too-few".into(), &true.into())
        );
        assert_eq!((&found["summary"]["waived"], &found["summary"]["warnings"]), (&1.into(), &0.into()));
        let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
        assert_eq!((render.code, render.stderr.as_str()), (0, ""));
    }
}

#[test]
fn a_waiver_of_other_machines_silences_nothing() {
    let found = report(&with_waiver("machines = [\"gauge-*\"]\nuntil = 2099-06-30"));
    let rules: Vec<&str> = found["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["rule"].as_str().unwrap())
        .collect();
    assert_eq!(rules, ["ntp-too-few", "waiver-unmatched"]);
}

#[test]
fn after_its_last_day_the_finding_is_back() {
    let found = report(&with_waiver("until = 2020-06-30"));
    let rules: Vec<&str> = found["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|finding| finding["rule"].as_str().unwrap())
        .collect();
    assert_eq!(rules, ["ntp-too-few", "waiver-expired"]);
    assert_eq!(found["findings"][0]["waived"], false);
}

#[test]
fn a_waiver_says_until_when_and_why() {
    for (lines, missing) in
        [("", "until"), ("until = \"2099-06-30\"", "until"), ("until = 2099-06-30T10:00:00Z", "until")]
    {
        let workspace = with_waiver(lines);
        let check = workspace.run(&["check", "sheet.toml"]);
        assert!(check.code == 1 && check.stdout.contains(missing), "{}", check.stdout);
        assert!(check.stdout.contains("until = 2027-06-30"), "{}", check.stdout);
    }
}

#[test]
fn an_error_of_judgment_can_be_waived_and_then_the_sheet_renders() {
    let workspace = Workspace::new();
    let odd = host("Tower", "10.64.10.11").replace("[[host]]", "[[host]]\nname_pattern = \"^gauge-\"");
    let waiver =
        |rule: &str| format!("[[waiver]]\nrule = \"{rule}\"\nreason = \"old name\"\nuntil = 2099-06-30\n");
    let sheet = |waivers: &str| right_sheet(&(odd.clone() + waivers));
    workspace.write("sheet.toml", sheet(""));
    assert_eq!(workspace.run(&["render", "sheet.toml", "--into", "out"]).code, 1);
    workspace
        .write("sheet.toml", sheet(&(waiver("hostname-breaks-pattern") + &waiver("hostname-uppercase"))));
    assert_eq!(workspace.run(&["render", "sheet.toml", "--into", "out"]).code, 0);
    assert!(workspace.exists("out/Tower/accounts.json"));
}

#[test]
fn in_a_lab_judgments_are_notes_and_credentials_a_step_less_grave() {
    let workspace = Workspace::new();
    let lines = "ntp = [\"10.64.10.121\"]\nssh = { root_login = true }\n";
    for (purpose, severity) in [("production", "warning"), ("lab", "note")] {
        let lab = host("gauge-01", "10.64.10.11")
            .replace("link.", &format!("purpose = \"{purpose}\"\n{lines}link."));
        workspace.write("sheet.toml", right_sheet(&lab));
        let found = report(&workspace);
        let severities: Vec<&str> = found["findings"]
            .as_array()
            .unwrap()
            .iter()
            .map(|finding| finding["severity"].as_str().unwrap())
            .collect();
        assert_eq!(severities, [severity, severity], "{found}");
    }
    // A fault is one in a lab too.
    workspace.write(
        "sheet.toml",
        right_sheet(&host("gauge-01", "10.64.10.300").replace("link.", "purpose = \"lab\"\nlink.")),
    );
    assert_eq!(report(&workspace)["findings"][0]["severity"], "error");
}

/// What stands in `[common]` is every machine's: a waiver for all of them covers it, and one for some does not.
#[test]
fn a_waiver_for_every_machine_covers_what_is_common() {
    let workspace = Workspace::new();
    let hosts = host("gauge-01", "10.64.10.11") + &host("lamp-01", "10.64.10.12");
    for (machines, waived) in [
        ("\"*\"", true),
        ("\"gauge-*\", \"lamp-01\"", true),
        ("\"gauge-*\"", false),
        ("\"gauge-*\", \"tower\"", false),
    ] {
        let waiver = format!(
            "[[waiver]]\nrule = \"ntp-too-few\"\nmachines = [{machines}]\nreason = \"one clock\"\nuntil = 2099-06-30\n"
        );
        let sheet = right_sheet(&format!("{hosts}{waiver}"));
        let sheet = sheet.replace(
            "[\"10.64.10.121\", \"10.64.10.122\", \"clock.capovetro.example\"]",
            "[\"10.64.10.121\"]",
        );
        workspace.write("sheet.toml", sheet);
        let found = report(&workspace);
        let few =
            found["findings"].as_array().unwrap().iter().find(|finding| finding["rule"] == "ntp-too-few");
        assert_eq!(few.unwrap()["waived"], waived, "{machines}: {found}");
    }
}
