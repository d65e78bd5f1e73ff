//! Rules of judgment that are set aside in writing.

use serde_json::Value;

use crate::given::Given;
use crate::support::{Workspace, host, right_sheet};

/// Two hosts, the second of which asks one time server, and a waiver of that with these lines.
fn with_waiver(lines: &str) -> Given {
    let lamp = "[[host]]\nname = \"lamp-01\"\nntp = [\"10.64.10.121\"]\n\
        link.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n";
    let waiver = format!("[[waiver]]\nrule = \"ntp-too-few\"\nreason = \"one clock, order 118\"\n{lines}\n");
    Given::a_sheet(&(host("gauge-01", "10.64.10.11") + lamp + &waiver))
}

/// The rules of the findings, and whether each is waived.
fn found(given: Given) -> Vec<(String, bool)> {
    let outcome = given.when("check sheet.toml --format json");
    let report: Value = serde_json::from_str(outcome.stdout()).unwrap();
    let findings = report["findings"].as_array().unwrap().iter();
    findings
        .map(|finding| (finding["rule"].as_str().unwrap().to_owned(), finding["waived"] == true))
        .collect()
}

fn report(workspace: &Workspace) -> Value {
    serde_json::from_str(&workspace.run(&["check", "sheet.toml", "--format", "json"]).stdout).unwrap()
}

#[test]
fn a_waived_finding_is_counted_and_not_shown_and_stays_in_the_json() {
    for machines in ["", "machines = [\"lamp-*\"]\n"] {
        let lines = format!("{machines}until = 2099-06-30");
        with_waiver(&lines)
            .when("check sheet.toml")
            .ends_with(0)
            .when("check -v sheet.toml")
            .ends_with(0)
            .when("render sheet.toml --into out")
            .ends_with(0)
            .does_not_complain()
            .kept_as("waiver-that-applies");
        assert_eq!(found(with_waiver(&lines)), [("ntp-too-few".to_owned(), true)]);
    }
}

#[test]
fn a_waiver_of_other_machines_silences_nothing() {
    let found = found(with_waiver("machines = [\"gauge-*\"]\nuntil = 2099-06-30"));
    assert_eq!(found, [("ntp-too-few".to_owned(), false), ("waiver-unmatched".to_owned(), false)]);
}

#[test]
fn after_its_last_day_the_finding_is_back() {
    let found = found(with_waiver("until = 2020-06-30"));
    assert_eq!(found, [("ntp-too-few".to_owned(), false), ("waiver-expired".to_owned(), false)]);
}

#[test]
fn a_waiver_says_until_when_and_why() {
    let mut given = Given::a_site();
    for lines in ["", "until = \"2099-06-30\"", "until = 2099-06-30T10:00:00Z"] {
        let sheet = with_waiver(lines).read("sheet.toml");
        given = given
            .about(lines)
            .file("sheet.toml", sheet)
            .when("check sheet.toml")
            .ends_with(1)
            .when("render sheet.toml --into out")
            .ends_with(1)
            .does_not_make("out")
            .and();
    }
    given.kept_as("waiver-without-a-day");
}

#[test]
fn an_error_of_judgment_can_be_waived_and_then_the_sheet_renders() {
    let odd = host("Tower", "10.64.10.11").replace("[[host]]", "[[host]]\nname_pattern = \"^gauge-\"");
    let waiver =
        |rule: &str| format!("[[waiver]]\nrule = \"{rule}\"\nreason = \"old name\"\nuntil = 2099-06-30\n");
    Given::a_sheet(&odd).when("render sheet.toml --into out").ends_with(1).does_not_make("out");
    Given::a_sheet(&(odd + &waiver("hostname-breaks-pattern") + &waiver("hostname-uppercase")))
        .when("render sheet.toml --into out")
        .ends_with(0)
        .makes("out/Tower/accounts.json");
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
