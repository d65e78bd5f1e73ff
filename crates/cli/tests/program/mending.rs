//! `check --fix`: certain slips are fixed in the sheet, everything else is kept, and a sheet is fixed whole or not at all.

use std::fs;
use std::os::unix::fs::{PermissionsExt as _, symlink};

use crate::support::{Workspace, host, right_sheet};

/// A sheet with certain slips, comments and odd layout, and the same sheet fixed.
fn slips() -> (String, String) {
    let right = right_sheet(&host("gauge-01", "10.64.10.11"))
        .replace("format = 1\n", "format = 1\r\n# à mano\n")
        .replace("timezone = ", "timezone   =    ");
    let wrong = right
        .replace("domain   = \"capovetro.example\"", "domain   = 'capovetro.example.'   # with its dot")
        .replace("\"10.64.10.0/24\"", "\"10.64.10.0 255.255.255.0\"")
        .replace("\"10.64.10.11\"", "\"10.64.10.11 /24\"")
        .replace("\"gauge-01\"", "\"Gauge-01\"");
    let mended = right
        .replace("domain   = \"capovetro.example\"", "domain   = \"capovetro.example\"   # with its dot")
        .replace("\"10.64.10.0/24\"", "\"10.64.10.0/255.255.255.0\"")
        .replace("\"10.64.10.11\"", "\"10.64.10.11/24\"");
    (wrong, mended)
}

#[test]
fn certain_slips_are_mended_and_comments_and_layout_are_kept() {
    let workspace = Workspace::new();
    let (wrong, mended) = slips();
    workspace.write("sheet.toml", &wrong);
    assert_eq!(workspace.run(&["check", "sheet.toml"]).code, 1);
    assert_eq!(workspace.read("sheet.toml"), wrong, "check alone changes nothing");
    let fix = workspace.run(&["check", "sheet.toml", "--fix", "--yes"]);
    assert_eq!(workspace.read("sheet.toml"), mended);
    assert_eq!((fix.code, fix.stdout.as_str()), (0, "sheet.toml: 1 machine, nothing wrong\n"));
    assert_eq!(fix.stderr.lines().count(), 4, "{}", fix.stderr);
    assert!(fix.stderr.contains("\"Gauge-01\" becomes \"gauge-01\""), "{}", fix.stderr);
    let again = workspace.run(&["check", "sheet.toml", "--fix", "--yes"]);
    assert_eq!((again.stderr.as_str(), workspace.read("sheet.toml")), ("", mended));
}

#[test]
fn what_is_not_certain_is_left_and_said() {
    let workspace = Workspace::new();
    let sheet = right_sheet(&(host("Gauge-01", "10.64.10.300") + &host("Lamp-{1..2}", "10.64.10.{12..13}")));
    workspace.write("sheet.toml", &sheet);
    let fix = workspace.run(&["check", "sheet.toml", "--fix", "--yes"]);
    assert_eq!(fix.code, 1);
    assert!(
        fix.stdout.contains("address-malformed") && fix.stdout.contains("hostname-uppercase"),
        "{}",
        fix.stdout
    );
    assert_eq!(workspace.read("sheet.toml"), sheet.replace("Gauge-01", "gauge-01"));
}

#[test]
fn the_file_keeps_its_mode_its_mark_and_the_link_that_leads_to_it() {
    let workspace = Workspace::new();
    let (wrong, mended) = slips();
    workspace.write("real.toml", format!("\u{feff}{wrong}"));
    fs::set_permissions(workspace.path().join("real.toml"), fs::Permissions::from_mode(0o640)).unwrap();
    symlink("real.toml", workspace.path().join("sheet.toml")).unwrap();
    assert_eq!(workspace.run(&["check", "sheet.toml", "--fix", "--yes", "-q"]).stderr, "");
    assert_eq!(workspace.read("real.toml"), format!("\u{feff}{mended}"));
    assert!(workspace.path().join("sheet.toml").is_symlink());
    let mode = fs::metadata(workspace.path().join("real.toml")).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o640);
}

#[test]
fn a_sheet_that_may_not_be_written_stays_as_it_was() {
    let workspace = Workspace::new();
    let (wrong, _) = slips();
    workspace.write("sheet.toml", &wrong);
    fs::set_permissions(workspace.path().join("sheet.toml"), fs::Permissions::from_mode(0o444)).unwrap();
    let fix = workspace.run(&["check", "sheet.toml", "--fix", "--yes"]);
    assert_eq!((fix.code, workspace.read("sheet.toml")), (3, wrong));
    assert!(fix.stderr.contains("read-only"), "{}", fix.stderr);
    assert!(
        fs::read_dir(workspace.path()).unwrap().all(|entry| !entry
            .unwrap()
            .file_name()
            .to_string_lossy()
            .starts_with(".tmp"))
    );
}
