//! What changes something asks first, shows what it would do, and tells other programs how it ended.

use std::fs;

use serde_json::Value;

use crate::card::Card;
use crate::support::{Run, Workspace, copy_folder, host, right_sheet};

/// The sample site with an output, a card on which one host is placed, and a sheet with a certain slip.
fn site() -> Workspace {
    let workspace = Workspace::demo();
    workspace.write("sheet.toml", right_sheet(&host("gauge-01", "10.64.10.11")));
    workspace.write("slip.toml", right_sheet(&host("Gauge-01", "10.64.10.11")));
    assert_eq!(workspace.run(&["render", "sheet.toml", "--into", "output"]).code, 0);
    Card::new(&workspace);
    copy_folder(&workspace.path().join("card"), &workspace.path().join("other-card"));
    assert_eq!(workspace.run(&["place", "output", "card", "--yes"]).code, 0);
    workspace
}

fn report(run: &Run) -> Value {
    assert!(run.stdout.starts_with("{\n  \"format\": 1,\n"), "{}{}", run.stdout, run.stderr);
    serde_json::from_str(&run.stdout).unwrap()
}

/// Each command that changes something, and a file that it would change.
const CHANGES: [(&[&str], &str); 6] = [
    (&["check", "slip.toml", "--fix"], "slip.toml"),
    (&["undo", "card"], "card/etc/hostname"),
    (&["secret", "generate", "harbor.toml", "keeper-login", "--renew"], "harbor.secrets.age"),
    (&["secret", "remove", "harbor.toml", "keeper-login"], "harbor.secrets.age"),
    (&["secret", "recipients", "harbor.toml", "--add", "keys/keeper.pub"], "harbor.secrets.age"),
    (&["place", "output", "other-card"], "other-card/etc/hostname"),
];

#[test]
fn nothing_changes_unless_somebody_says_yes() {
    let workspace = site();
    let bytes = |file: &str| fs::read(workspace.path().join(file)).unwrap_or_default();
    for (command, file) in CHANGES {
        let before = bytes(file);
        let unasked = workspace.run(command);
        assert_eq!(unasked.code, 1, "{command:?} {}", unasked.stderr);
        assert!(unasked.stderr.contains("to answer yes, add --yes"), "{command:?} {}", unasked.stderr);
        let dry = workspace.run(&[command, &["--dry-run"]].concat());
        assert!(
            format!("{}{}", dry.stdout, dry.stderr).contains("nothing was changed (--dry-run)"),
            "{command:?} {}{}",
            dry.stdout,
            dry.stderr
        );
        let both = workspace.run(&[command, &["--dry-run", "--yes"]].concat());
        assert_eq!(both.code, 2, "{command:?}");
        let as_json = workspace.run(&[command, &["--format", "json"]].concat());
        assert_eq!((as_json.code, as_json.stdout.as_str()), (2, ""), "{command:?}");
        let tried = workspace.run(&[command, &["--dry-run", "--format", "json"]].concat());
        let tried = report(&tried);
        if command[0] != "check" {
            assert_eq!(tried["outcome"], "tried", "{command:?} {tried}");
        }
        assert_eq!(bytes(file), before, "{command:?}");
        let done = workspace.run(&[command, &["--yes"]].concat());
        assert_eq!(done.code, 0, "{command:?} {}", done.stderr);
        assert_ne!(bytes(file), before, "{command:?}");
    }
}

#[test]
fn every_command_that_says_something_says_it_to_other_programs_too() {
    let workspace = site();
    let commands: [(&[&str], &str); 14] = [
        (&["check", "slips.toml"], "findings"),
        (&["explain"], "rules"),
        (&["explain", "gateway-missing"], "rules"),
        (&["review", "harbor.toml"], "machines"),
        (&["render", "harbor.toml", "--into", "out"], "written"),
        (&["render", "slips.toml", "--into", "out"], "findings"),
        (&["compare", "harbor.toml", "slips.toml"], "differences"),
        (&["inspect", "output"], "machines"),
        (&["inspect", "card"], "rootfs"),
        (&["subnet", "10.64.10.0/24"], "prefixes"),
        (&["secret", "list", "harbor.toml"], "secrets"),
        (&["secret", "check", "harbor.toml"], "store"),
        (&["secret", "recipients", "harbor.toml"], "recipients"),
        (&["secret", "export", "harbor.toml", "keeper-login", "--to", "handed-over"], "values"),
    ];
    for (command, key) in commands {
        let run = workspace.run(&[command, &["--format", "json"]].concat());
        let report = report(&run);
        assert!(report.get(key).is_some(), "{command:?} {report}");
    }
}

/// A sheet that somebody goes on writing while the question stands is not overwritten with what was judged before.
#[test]
fn a_sheet_that_changes_while_it_is_asked_about_is_left_alone() {
    let workspace = site();
    let sheet = workspace.path().join("slip.toml");
    let script = format!(
        "(sleep 1; echo '# a later line' >>'{0}'; echo y; sleep 1) | script -qec \"'{1}' check slip.toml --fix\" /dev/null",
        sheet.display(),
        assert_cmd::cargo::cargo_bin("impostazione").display()
    );
    let ran = std::process::Command::new("sh")
        .args(["-c", &script])
        .current_dir(workspace.path())
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&ran.stdout).into_owned();
    assert!(said.contains("was changed in the meantime; nothing was written"), "{said}");
    let text = fs::read_to_string(sheet).unwrap();
    assert!(text.contains("Gauge-01") && text.ends_with("# a later line\n"), "{text}");
}

/// A pipe to which nobody writes is looked at without waiting for them.
#[test]
fn a_pipe_is_not_waited_for() {
    let workspace = site();
    assert!(
        std::process::Command::new("mkfifo").arg(workspace.path().join("pipe")).status().unwrap().success()
    );
    for (command, code) in [
        (&["inspect", "pipe"][..], 2),
        (&["place", "output", "pipe", "--yes"], 2),
        (&["undo", "pipe", "--yes"], 2),
        (&["compare", "slip.toml", "pipe"], 2),
    ] {
        let run = workspace.run(command);
        assert_eq!(run.code, code, "{command:?} {}", run.stderr);
    }
}
