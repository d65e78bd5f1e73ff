//! How a finding looks to a person.

use crate::given::Given;
use crate::support::{Workspace, host, right_sheet};

#[test]
fn machine_first_then_the_line_with_its_part_marked_then_what_is_wrong_then_the_fix() {
    let workspace = Workspace::new();
    workspace.write("slip.toml", right_sheet(&host("gauge-01", "10.64.10")));
    let check = workspace.run(&["check", "slip.toml"]);
    assert_eq!(
        check.stdout,
        "gauge-01  slip.toml:24:42  error address-malformed\n      \
         link.eth0 = { subnet = \"quay\", address = \"10.64.10\" }\n      \
         \u{20}                                        ▔▔▔▔▔▔▔▔▔▔\n  \
         `address` is \"10.64.10\", which has three parts, and an IPv4 address has four.\n  \
         fix: write the whole address, such as \"10.64.10.11\"\n\n\
         slip.toml: 1 machine, 1 error\n"
    );
    assert!(check.stderr.is_empty());
}

#[test]
fn a_long_line_is_cut_around_the_part_concerned_and_drives_no_terminal() {
    let workspace = Workspace::new();
    let padding = "x".repeat(500);
    let line = format!(
        "[[host]]\nname = \"gauge-01\"\nlink.eth0 = {{ subnet = \"quay\", address6 = \"none\", address = \"10.64.10\" }} # \u{1b}[2J{padding}\n"
    );
    // A control character is no TOML even in a comment, so the message comes from the parser; the screen is left alone.
    workspace.write("slip.toml", right_sheet(&line));
    let check = workspace.run(&["check", "slip.toml"]);
    assert_eq!(check.code, 1);
    assert!(!check.stdout.contains('\u{1b}'), "{}", check.stdout);
    for line in check.stdout.lines() {
        assert!(line.chars().count() <= 100, "{line}");
    }
    assert!(check.stdout.contains('…'));
}

#[test]
fn colors_only_on_request_or_in_a_terminal() {
    let workspace = Workspace::new();
    assert!(!workspace.run(&["check", "slips.toml"]).stdout.contains('\u{1b}'));
    assert!(workspace.run(&["check", "slips.toml", "--color", "always"]).stdout.contains('\u{1b}'));
    assert!(!workspace.run(&["check", "slips.toml", "--color", "never"]).stdout.contains('\u{1b}'));
}

#[test]
fn a_terminal_without_unicode_gets_marks_that_it_can_show() {
    let workspace = Workspace::new();
    let output = workspace.command(&["check", "slips.toml"]).env("LC_ALL", "C").output().unwrap();
    assert!(output.stdout.is_ascii() && String::from_utf8_lossy(&output.stdout).contains("~~~~"));
}

#[test]
fn only_shows_the_findings_of_some_machines_and_of_the_sheet() {
    Given::a_site()
        .when("check slips.toml --only lamp*")
        .ends_with(1)
        .does_not_show("address-duplicate")
        .when("check slips.toml --only buoy-*")
        .ends_with(2)
        .kept_as("findings-of-some-machines");
}

/// Without the option a warning is told, and the sheet is good; a pipeline may want it otherwise.
#[test]
fn warnings_and_notes_are_rejected_on_request() {
    let warned =
        || Given::a_sheet(&host("gauge-01", "10.64.10.11")).changed("sheet.toml", "Europe/Rome", "Etc/GMT-1");
    warned()
        .when("check sheet.toml")
        .ends_with(0)
        .when("check sheet.toml --reject warning")
        .ends_with(1)
        .when("check sheet.toml --reject note")
        .ends_with(1);
    let full = "[subnet.slip]\nprefix = \"10.64.30.0/29\"\ngateway = \"10.64.30.1\"\nkept_free = [\"10.64.30.3-10.64.30.6\"]\n\
        [[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"slip\", address = \"10.64.30.2\" }\n";
    Given::a_sheet(full)
        .when("check sheet.toml --reject warning")
        .ends_with(0)
        .when("check sheet.toml --reject note")
        .ends_with(1);
    Given::a_sheet(&host("gauge-01", "10.64.10.11")).when("check sheet.toml --reject note").ends_with(0);
}
