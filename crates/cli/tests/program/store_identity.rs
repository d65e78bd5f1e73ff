//! The store of secrets against others: who writes at the same time, who puts another store or an old one in its place.

use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::process::Stdio;

use crate::support::{KEY, Run, Workspace};

/// A workspace with a store of its own.
fn prepared() -> Workspace {
    let workspace = Workspace::demo();
    assert_eq!(workspace.run(&["secret", "check", "harbor.toml"]).code, 0);
    workspace
}

const STORE: &str = "harbor.secrets.age";

fn copy(workspace: &Workspace, from: &str, to: &str) {
    fs::copy(workspace.path().join(from), workspace.path().join(to)).unwrap();
}

/// Every command that opens the store.
fn all_refuse(workspace: &Workspace, says: &str) {
    for arguments in [
        &["check", "harbor.toml"][..],
        &["render", "harbor.toml", "--into", "out"],
        &["secret", "list", "harbor.toml"],
        &["secret", "check", "harbor.toml"],
        &["secret", "generate", "harbor.toml", "--renew", "--yes"],
        &["secret", "recipients", "harbor.toml"],
        &["secret", "remove", "--yes", "harbor.toml", "keeper-login"],
        &["secret", "export", "harbor.toml", "keeper-login", "--for", "gauge-01", "--to", "handed"],
    ] {
        let before = fs::read(workspace.path().join(STORE)).unwrap();
        let run = workspace.run(arguments);
        let said = crate::support::unwrapped(&(run.stdout + &run.stderr));
        assert!(said.contains(says), "{arguments:?}: {} {said}", run.code);
        // What can be listed without the store is listed, and says that it could not look.
        assert!(run.code != 0 || arguments.contains(&"list"), "{arguments:?}: {said}");
        assert_eq!(fs::read(workspace.path().join(STORE)).unwrap(), before, "{arguments:?}");
    }
    assert!(!workspace.exists("out") && !workspace.exists("handed"));
}

#[test]
fn another_store_in_its_place_is_an_error_until_a_person_accepts_it() {
    let workspace = prepared();
    // Whoever can write the file and knows the public key makes a store of their own with planted values.
    let other = Workspace::new();
    other.write("harbor.toml", workspace.read("harbor.toml"));
    let public = workspace.run(&["secret", "recipients", "harbor.toml"]).stdout;
    let public = public.lines().find(|line| line.contains("age1")).unwrap().trim().to_owned();
    assert_eq!(other.run(&["secret", "recipients", "harbor.toml", "--yes", "--add", &public]).code, 0);
    copy(&workspace, STORE, "own.age");
    fs::copy(other.path().join(STORE), workspace.path().join(STORE)).unwrap();
    all_refuse(&workspace, "is not the store that this computer has seen before");
    let accepted = workspace.run(&["secret", "check", "harbor.toml", "--accept-store"]);
    assert!(accepted.stdout.contains("identity"), "{}{}", accepted.stdout, accepted.stderr);
    assert_eq!(workspace.run(&["secret", "recipients", "harbor.toml"]).code, 0);
    // The true one is another now, until it is accepted again.
    copy(&workspace, "own.age", STORE);
    all_refuse(&workspace, "is not the store that this computer has seen before");
    assert_eq!(workspace.run(&["secret", "check", "harbor.toml", "--accept-store"]).code, 0);
    assert_eq!(workspace.run(&["check", "harbor.toml"]).code, 0);
}

#[test]
fn a_store_that_is_older_than_it_was_is_an_error() {
    let workspace = prepared();
    copy(&workspace, STORE, "old.age");
    assert_eq!(workspace.run(&["secret", "generate", "harbor.toml", "--renew", "--yes"]).code, 0);
    assert_eq!(workspace.run(&["check", "harbor.toml"]).code, 0);
    copy(&workspace, STORE, "new.age");
    copy(&workspace, "old.age", STORE);
    all_refuse(&workspace, "is an older copy");
    copy(&workspace, "new.age", STORE);
    assert_eq!(workspace.run(&["check", "harbor.toml"]).code, 0);
}

#[test]
fn whoever_may_no_longer_open_it_does_not_know_its_new_identity() {
    let workspace = prepared();
    let identity = |run: &Run| {
        let line = run.stdout.lines().find(|line| line.contains("identity")).unwrap().to_owned();
        line.split("identity ").nth(1).unwrap().split(',').next().unwrap().to_owned()
    };
    let before = identity(&workspace.run(&["secret", "check", "harbor.toml"]));
    copy(&workspace, STORE, "before.age");
    let second = workspace.run(&["secret", "recipients", "harbor.toml", "--yes", "--new-key", "second.key"]);
    assert_eq!(second.code, 0, "{}", second.stderr);
    assert_eq!(identity(&workspace.run(&["secret", "check", "harbor.toml"])), before, "nobody has gone");
    let public = workspace
        .read("second.key")
        .split("encrypted to ")
        .nth(1)
        .unwrap()
        .split('.')
        .next()
        .unwrap()
        .to_owned();
    let removed = workspace.run(&["secret", "recipients", "harbor.toml", "--yes", "--remove", &public]);
    assert_eq!(removed.code, 0, "{}", removed.stderr);
    let after = identity(&workspace.run(&["secret", "check", "harbor.toml"]));
    assert_ne!(before, after);
    // Another computer knows the store as it was before.
    let state = tempfile::tempdir().unwrap();
    let elsewhere = |arguments: &[&str]| {
        Run::from(workspace.command(arguments).env("XDG_STATE_HOME", state.path()).output().unwrap())
    };
    copy(&workspace, STORE, "after.age");
    copy(&workspace, "before.age", STORE);
    assert_eq!(elsewhere(&["secret", "check", "harbor.toml"]).code, 0);
    copy(&workspace, "after.age", STORE);
    let run = elsewhere(&["secret", "check", "harbor.toml"]);
    let said = crate::support::unwrapped(&(run.stdout + &run.stderr));
    assert!(run.code == 1 && said.contains("it says that it replaces that one"), "{} {said}", run.code);
}

#[test]
fn computers_that_are_new_each_time_are_told_the_identity() {
    let workspace = prepared();
    let shown = workspace.run(&["secret", "check", "harbor.toml"]).stdout;
    let identity = shown.split("identity ").nth(1).unwrap().split(',').next().unwrap().to_owned();
    let state = tempfile::tempdir().unwrap();
    let with = |identity: &str| {
        let arguments = ["check", "harbor.toml", "--store-identity", identity];
        Run::from(workspace.command(&arguments).env("XDG_STATE_HOME", state.path()).output().unwrap())
    };
    assert_eq!(with(&identity).code, 0);
    for wrong in ["0".repeat(32), "gulls".to_owned(), String::new()] {
        let run = with(&wrong);
        assert!(
            run.code == 1 && run.stdout.contains("is not the store that --store-identity names"),
            "{}{}",
            run.stdout,
            run.stderr
        );
    }
    assert_eq!(fs::read_dir(state.path()).unwrap().count(), 0, "nothing is remembered");
}

#[test]
fn what_is_remembered_is_for_its_user_alone_and_does_not_give_the_identity_away() {
    let workspace = prepared();
    let folder = workspace.state().join("impostazione");
    assert_eq!(fs::metadata(&folder).unwrap().permissions().mode() & 0o777, 0o700);
    let entry = fs::read_dir(&folder).unwrap().next().unwrap().unwrap().path();
    assert_eq!(fs::metadata(&entry).unwrap().permissions().mode() & 0o777, 0o600);
    let known: serde_json::Value = serde_json::from_str(&fs::read_to_string(&entry).unwrap()).unwrap();
    assert!(
        known["path"].as_str().unwrap().starts_with('/') && known["revision"].as_u64().unwrap() > 0,
        "{known}"
    );
    // What is damaged is no leave to go on.
    fs::write(&entry, "{}").unwrap();
    all_refuse(&workspace, "it was not written by this version");
    assert_eq!(workspace.run(&["secret", "check", "harbor.toml", "--accept-store"]).code, 0);
    assert_eq!(workspace.run(&["check", "harbor.toml"]).code, 0);
    // Where nothing can be remembered, that is said, and the work goes on.
    let mut command = workspace.command(&["check", "harbor.toml"]);
    let run = Run::from(command.env("XDG_STATE_HOME", "/proc/nowhere").output().unwrap());
    assert!(
        run.code == 0 && run.stderr.contains("without it, a replaced store would not be noticed"),
        "{}",
        run.stderr
    );
}

#[test]
fn two_writers_at_once_lose_nothing() {
    let workspace = prepared();
    let count = 24;
    let mut sheet = workspace.read("harbor.toml");
    for number in 0..count {
        sheet.extend(["\n[secret.spare-", &number.to_string(), "]\nfrom = \"store\"\n"]);
    }
    workspace.write("harbor.toml", sheet);
    let children: Vec<_> = (0..count)
        .map(|number| {
            let name = format!("spare-{number}");
            let mut command = workspace.command(&["secret", "generate", "harbor.toml", &name]);
            command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
        })
        .collect();
    for child in children {
        let run = Run::from(child.wait_with_output().unwrap());
        assert_eq!(run.code, 0, "{}", run.stderr);
    }
    for number in 0..count {
        let to = format!("handed-{number}");
        let run =
            workspace.run(&["secret", "export", "harbor.toml", &format!("spare-{number}"), "--to", &to]);
        assert_eq!(run.code, 0, "{number}: {}", run.stderr);
    }
    assert_eq!(
        fs::metadata(workspace.path().join(format!("{STORE}.lock"))).unwrap().permissions().mode() & 0o777,
        0o600
    );
    assert!(workspace.exists(KEY));
}
