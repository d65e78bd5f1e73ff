//! Input that is not a sheet, and places that cannot be written to: a clear message, the right exit code, no panic, nothing
//! half-written.

use std::fs;
use std::io::Read as _;
use std::os::unix::fs::PermissionsExt;
use std::os::unix::process::CommandExt;
use std::process::Stdio;

use crate::given::Given;
use crate::support::{Run, Workspace, host, is_root, right_sheet};

/// Nothing is written of any of them.
#[test]
fn what_is_no_sheet_is_one_finding() {
    let mut given = Given::a_site();
    for (about, content) in [
        ("an empty file", &b""[..]),
        ("a file with a comment alone", b"\n  \n# nothing yet\n"),
        ("a sheet without a machine", b"format = 1\n"),
        ("a letter of another encoding", b"format = 1\nname = \"citt\xe0\"\n"),
        ("UTF-16", b"\xff\xfef\0o\0"),
        ("bytes that are not text", &[0x80; 40]),
    ] {
        given = given
            .about(about)
            .file("sheet.toml", content)
            .when("check sheet.toml")
            .ends_with(1)
            .when("render sheet.toml --into out")
            .ends_with(1)
            .does_not_make("out")
            .when("review sheet.toml")
            .and();
    }
    given.kept_as("sheets-that-are-none");
}

#[test]
fn a_byte_order_mark_is_no_part_of_the_text() {
    let workspace = Workspace::new();
    workspace.write("sheet.toml", format!("\u{feff}{}", right_sheet(&host("gauge-01", "10.64.10.11"))));
    assert_eq!(workspace.run(&["check", "sheet.toml"]).code, 0);
}

#[test]
fn windows_line_ends_are_right_and_positions_hold() {
    let workspace = Workspace::new();
    workspace.write("right.toml", right_sheet(&host("gauge-01", "10.64.10.11")).replace('\n', "\r\n"));
    assert_eq!(workspace.run(&["check", "right.toml"]).stdout, "right.toml: 1 machine, nothing wrong\n");
    workspace.write("wrong.toml", right_sheet(&host("gauge-01", "10.64.10")).replace('\n', "\r\n"));
    assert!(workspace.run(&["check", "wrong.toml"]).stdout.starts_with("gauge-01  wrong.toml:24:42"));
}

#[test]
fn what_is_no_file_cannot_be_read() {
    let mut given = Given::a_site();
    for path in [".", "nowhere.toml", "/dev/zero"] {
        for line in [format!("check {path}"), format!("review {path}"), format!("render {path} --into out")] {
            given = given.when(&line).ends_with(3).says_only("").does_not_make("out").and();
        }
    }
    given.kept_as("paths-that-are-not-files");
}

#[test]
fn a_sheet_of_50_000_hosts_is_judged_and_reviewed() {
    let workspace = Workspace::new();
    let mut sheet = right_sheet("").replace("10.64.10.0/24", "10.64.0.0/15");
    for number in 0..50_000_u32 {
        let [_, b, c, d] = (0x0a40_1000 + number).to_be_bytes();
        sheet += &host(&format!("buoy-{number}"), &format!("10.{b}.{c}.{d}"));
    }
    workspace.write("sheet.toml", sheet);
    let check = workspace.run(&["check", "sheet.toml"]);
    assert_eq!(check.stdout, "sheet.toml: 50000 machines, nothing wrong\n");
    let review = workspace.run(&["review", "sheet.toml"]);
    assert_eq!(
        (review.code, review.stdout.lines().filter(|line| line.contains(" buoy-")).count()),
        (0, 50_000)
    );
}

#[test]
fn deep_nesting_is_refused() {
    let workspace = Workspace::new();
    for nested in ["[".repeat(20_000), "{ a = ".repeat(20_000), "[{ a = ".repeat(20_000)] {
        workspace.write("sheet.toml", format!("format = 1\n[common]\ndns = {nested}\n"));
        let check = workspace.run(&["check", "sheet.toml"]);
        assert_eq!((check.code, check.stderr.as_str()), (1, ""));
        assert!(check.stdout.contains("sheet-syntax") && check.stdout.len() < 2000, "{}", check.stdout);
    }
    workspace.write("sheet.toml", format!("{}a = 1\n", "a.".repeat(20_000)));
    assert_eq!(workspace.run(&["check", "sheet.toml"]).code, 1);
}

#[test]
fn a_reader_that_closes_the_pipe_is_no_error() {
    let workspace = Workspace::new();
    let mut sheet = right_sheet("");
    for number in 0..2000 {
        sheet += &host(&format!("gauge-{number}"), "10.64.10");
    }
    workspace.write("sheet.toml", sheet);
    let mut child = workspace
        .command(&["check", "sheet.toml"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut first = [0; 64];
    child.stdout.take().unwrap().read_exact(&mut first).unwrap();
    let output = child.wait_with_output().unwrap();
    assert_eq!(output.status.code(), Some(1), "the findings are what they are");
    assert!(output.stderr.is_empty(), "{}", String::from_utf8_lossy(&output.stderr));
}

#[test]
fn a_full_disk_behind_stdout_is_said() {
    let workspace = Workspace::new();
    let full = fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    let run = Run::from(workspace.command(&["check", "harbor.toml"]).stdout(full).output().unwrap());
    assert_eq!((run.code, run.stderr.as_str()), (3, "error: stdout: no space left on device\n"));
}

#[test]
fn a_folder_that_cannot_be_written_to_is_left_as_it_was() {
    let workspace = Workspace::new();
    fs::create_dir(workspace.path().join("shut")).unwrap();
    fs::set_permissions(workspace.path().join("shut"), fs::Permissions::from_mode(0o555)).unwrap();
    for into in ["shut", "shut/new", "shut/new/deeper"] {
        let run = run_without_privileges(&workspace, &["render", "harbor.toml", "--into", into]);
        assert_eq!((run.code, run.stdout.as_str()), (3, ""), "{into}: {}", run.stderr);
        assert!(run.stderr.contains("permission denied"), "{into}: {}", run.stderr);
    }
    assert_eq!(fs::read_dir(workspace.path().join("shut")).unwrap().count(), 0);
}

#[test]
fn a_file_in_place_of_the_folder_is_left_as_it_was() {
    let workspace = Workspace::new();
    workspace.write("out", "mine");
    for into in ["out", "out/below"] {
        let run = workspace.run(&["render", "harbor.toml", "--into", into]);
        assert_eq!((run.code, run.stdout.as_str()), (3, ""), "{}", run.stderr);
    }
    assert_eq!(workspace.read("out"), "mine");
}

/// Runs the program as somebody whom permissions bind. The superuser is not bound by them, so that it runs a copy of the
/// program, in a folder that everybody can read, as user 65534.
fn run_without_privileges(workspace: &Workspace, arguments: &[&str]) -> Run {
    if !is_root() {
        return workspace.run(arguments);
    }
    fs::set_permissions(workspace.path(), fs::Permissions::from_mode(0o755)).unwrap();
    // A secret is read by its owner alone.
    for entry in fs::read_dir(workspace.path()).unwrap().map(Result::unwrap) {
        if entry.file_name().to_string_lossy().ends_with(".secret") {
            std::os::unix::fs::chown(entry.path(), Some(65534), Some(65534)).unwrap();
        }
    }
    let program = workspace.path().join("program");
    // By another process: a file that this one had open for writing may still be open in a child that another test
    // has just started, and such a file is not run.
    let copied = std::process::Command::new("cp")
        .arg(assert_cmd::cargo::cargo_bin("impostazione"))
        .arg(&program)
        .status()
        .unwrap();
    assert!(copied.success());
    let mut command = std::process::Command::new(program);
    Run::from(command.args(arguments).current_dir(workspace.path()).uid(65534).gid(65534).output().unwrap())
}
