//! The pictures in the documentation: none is older than what the program says.

use std::fmt::Write as _;
use std::path::PathBuf;
use std::process::Command;

use crate::support::{KEY, Workspace};

fn folder() -> PathBuf {
    PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/screenshots"))
}

/// What is said on each picture, kept by `docs/screenshots/make.sh` when it takes them.
const SAID: &str = "said.txt";

#[test]
fn pictures_show_what_the_program_says() {
    let workspace = Workspace::new();
    assert_eq!(workspace.run(&["demo", "--into", "site"]).code, 0);
    let site = workspace.path().join("site");
    let program = assert_cmd::cargo::cargo_bin("impostazione");
    let path = format!("{}:{}", program.parent().unwrap().display(), std::env::var("PATH").unwrap());
    let shell = |line: &str| {
        let mut command = Command::new("sh");
        command
            .args(["-c", line])
            .current_dir(&site)
            .env("PATH", &path)
            .env("XDG_STATE_HOME", workspace.state());
        command.env("IMPOSTAZIONE_KEY", KEY).env("LC_ALL", "C.UTF-8").env("COLUMNS", "140");
        let output = command.output().unwrap();
        String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr)
    };
    let prepared = shell(&folder().join("prepare.sh").display().to_string());
    assert_eq!(prepared, "");
    let list = std::fs::read_to_string(folder().join("pictures")).unwrap();
    let mut said = String::new();
    for line in list.lines().filter(|line| !line.starts_with('#')) {
        let (name, commands) = line.split_once(": ").unwrap();
        // A picture of something that moves is not one of what is said at the end.
        let (name, is_moving) = name.split_once('@').map_or((name, false), |(name, _)| (name, true));
        assert!(
            folder().join(format!("{name}.png")).is_file(),
            "{name}.png is missing: docs/screenshots/make.sh {name}"
        );
        if is_moving {
            continue;
        }
        writeln!(said, "== {name}").unwrap();
        for command in commands.split(" && ") {
            writeln!(said, "$ {command}\n{}", shell(command)).unwrap();
        }
    }
    let kept = folder().join(SAID);
    if std::env::var_os("UPDATE_PICTURES").is_some() {
        std::fs::write(&kept, &said).unwrap();
    }
    let kept = std::fs::read_to_string(kept).unwrap_or_default();
    assert!(kept == said, "a picture is older than the program: docs/screenshots/make.sh takes them again");
}
