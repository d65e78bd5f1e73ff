//! What a machine has become since it was placed: what others have added stays, and what they changed of ours is asked about.

use std::process::Command;
use std::thread;
use std::time::Duration;

use serde_json::Value;

use crate::card::{CARD, Card, STOCK_HASH, render, sheet, with_output};
use crate::cut_off::kill_at;
use crate::support::{KEY, Workspace, unwrapped};

/// A card that was placed and booted, and on which people and packages have worked since.
fn lived_on(workspace: &Workspace) -> Card<'_> {
    let card = Card::new(workspace);
    card.write("etc/hosts", "127.0.0.1 localhost\n127.0.1.1 image\n");
    card.write("etc/subuid", "image:100000:65536\n");
    card.write("etc/machine-id", "uninitialized\n");
    card.write("etc/sudoers", "root ALL=(ALL:ALL) ALL\nguest ALL=(ALL) ALL\n@includedir /etc/sudoers.d\n");
    card.placed(&[]);
    // The first boot.
    card.write("etc/machine-id", "0123456789abcdef0123456789abcdef\n");
    // A package with a user of its own, and a person.
    append(
        &card,
        "etc/passwd",
        "_tide:x:110:118::/var/lib/tide:/usr/sbin/nologin\nvisitor:x:1001:1001::/home/visitor:/bin/bash\n",
    );
    append(&card, "etc/shadow", &format!("_tide:!:20785::::::\nvisitor:{STOCK_HASH}:20785:0:99999:7:::\n"));
    append(&card, "etc/group", "_tide:x:118:\nvisitor:x:1001:\n");
    card.write("etc/group", card.read("etc/group").replace("sudo:x:27:keeper", "sudo:x:27:keeper,visitor"));
    append(&card, "etc/subuid", "visitor:231072:65536\n");
    append(&card, "etc/hosts", "# the crane\n10.64.10.80 crane\n");
    append(&card, "etc/sudoers", "Defaults lecture=never\n");
    card
}

fn append(card: &Card<'_>, path: &str, text: &str) {
    card.write(path, card.read(path) + text);
}

/// Gives keeper another password, as `passwd` does.
fn change_password(card: &Card<'_>) {
    let line = card.line("etc/shadow", "keeper:");
    let mut fields: Vec<&str> = line.split(':').collect();
    (fields[1], fields[2]) = (STOCK_HASH, "20785");
    card.write("etc/shadow", card.read("etc/shadow").replace(&line, &fields.join(":")));
}

/// What others have added is there.
fn has_additions(card: &Card<'_>) {
    for (path, line) in [
        ("etc/passwd", "_tide:x:110:118:"),
        ("etc/passwd", "visitor:x:1001:1001:"),
        ("etc/shadow", &format!("visitor:{STOCK_HASH}:20785:0:99999:7:::")),
        ("etc/group", "_tide:x:118:"),
        ("etc/subuid", "visitor:231072:65536"),
        ("etc/hosts", "10.64.10.80 crane"),
        ("etc/hosts", "# the crane"),
        ("etc/sudoers", "Defaults lecture=never"),
    ] {
        card.line(path, line);
    }
    assert!(card.line("etc/group", "sudo:").contains("visitor"));
}

#[test]
fn placing_anew_keeps_what_others_have_added() {
    let workspace = with_output();
    let card = lived_on(&workspace);
    let keeper = card.line("etc/passwd", "keeper:");
    render(&workspace, &sheet("").replace("10.64.10.11", "10.64.10.19"));
    let run = card.place(&["--dry-run"]);
    let paths: Vec<&str> = run.stdout.lines().filter(|line| line.starts_with("  change ")).collect();
    assert_eq!(paths.len(), 2, "netplan and hosts differ, and nothing else: {}", run.stdout);
    assert!(!run.stdout.contains("crane\n"), "the line of others does not change: {}", run.stdout);
    let run = card.placed(&[]);
    assert!(run.stdout.contains("gauge-01 is placed, 2 paths changed"), "{}", run.stdout);
    assert!(card.read("etc/netplan/60-impostazione.yaml").contains("10.64.10.19/24"));
    has_additions(&card);
    assert_eq!(card.line("etc/passwd", "keeper:"), keeper);
    assert_eq!(
        card.read("etc/machine-id"),
        "0123456789abcdef0123456789abcdef\n",
        "the first boot has made it"
    );
    // Once more, nothing is left to do; and the way back leads to the image with what others have added.
    let run = card.placed(&[]);
    assert!(run.stdout.contains("is placed already; nothing needs to change"), "{}", run.stdout);
    assert_eq!(card.undo(&[]).code, 0);
    has_additions(&card);
    let lines =
        |path: &str, name: &str| card.read(path).lines().filter(|line| line.starts_with(name)).count();
    for path in ["etc/passwd", "etc/shadow", "etc/group", "etc/subuid"] {
        assert_eq!(lines(path, "keeper:"), 0, "{path}: {}", card.read(path));
    }
    assert_eq!(
        card.read("etc/hosts"),
        "127.0.0.1 localhost\n127.0.1.1 image\n# the crane\n10.64.10.80 crane\n"
    );
    assert_eq!(card.line("etc/sudoers", "guest"), "guest ALL=(ALL) ALL", "what was set aside is back");
    assert!(!card.has("var/lib/impostazione"));
}

#[test]
fn lines_of_others_stay_in_files_that_the_placement_has_made() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.remove("etc/hosts");
    card.placed(&[]);
    append(&card, "etc/hosts", "10.64.10.80 crane\n");
    render(&workspace, &sheet("").replace("10.64.10.11", "10.64.10.19"));
    card.placed(&[]);
    card.line("etc/hosts", "10.64.10.19 gauge-01");
    card.line("etc/hosts", "10.64.10.80 crane");
    assert_eq!(card.undo(&[]).code, 0);
    assert_eq!(card.read("etc/hosts"), "10.64.10.80 crane\n", "the image had none");
}

#[test]
fn whoever_was_added_is_named_and_not_shut() {
    let workspace = with_output();
    let card = lived_on(&workspace);
    render(&workspace, &sheet("").replace("10.64.10.11", "10.64.10.19"));
    let run = card.placed(&[]);
    let said = unwrapped(&run.stderr);
    assert!(
        said.contains("visitor is in the group sudo, and may act as root by sudo")
            && said.contains("it was added on the host after it was placed"),
        "{said}"
    );
    assert!(!run.stdout.contains("visitor is shut"), "{}", run.stdout);
}

#[test]
fn a_changed_password_is_asked_about_and_stays_or_goes() {
    let workspace = with_output();
    let card = lived_on(&workspace);
    let ours = card.line("etc/shadow", "keeper:");
    change_password(&card);
    let theirs = card.line("etc/shadow", "keeper:");
    render(&workspace, &sheet("").replace("10.64.10.11", "10.64.10.19"));
    let before = card.list();
    let run = card.place(&["--yes"]);
    assert_eq!(run.code, 1);
    let says = "since it was placed, in /etc/shadow the password and day of the last password change of keeper were \
        changed: --keep-changes keeps what can be kept, --discard-changes overwrites it";
    assert!(run.stderr.contains(says), "{}", run.stderr);
    assert!(card.list() == before, "nothing was changed");
    let run = card.place(&["--yes", "--keep-changes", "--format", "json"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
    assert!(!run.stdout.contains(STOCK_HASH) && !run.stderr.contains(STOCK_HASH));
    let answer: Value = serde_json::from_str(&run.stdout).unwrap();
    let changed = &answer["changed_since"];
    assert_eq!(
        (&changed[0]["entry"], &changed[0]["stays"], &changed[1]),
        (&"keeper".into(), &true.into(), &Value::Null),
        "{changed}"
    );
    assert_eq!(card.line("etc/shadow", "keeper:"), theirs);
    assert!(card.read("etc/netplan/60-impostazione.yaml").contains("10.64.10.19/24"));
    has_additions(&card);
    // It is remembered that the output has another one.
    let run = card.place(&["--yes"]);
    assert_eq!(run.code, 1, "{}", run.stdout);
    let run = card.placed(&["--keep-changes"]);
    assert!(run.stdout.contains("nothing needs to change"), "{}", run.stdout);
    assert!(run.stderr.contains("stays: in /etc/shadow the password"), "{}", run.stderr);
    card.placed(&["--discard-changes"]);
    assert_eq!(card.line("etc/shadow", "keeper:"), ours);
    has_additions(&card);
}

#[test]
fn a_file_that_was_changed_stays_where_the_output_says_what_it_said() {
    let workspace = with_output();
    let card = lived_on(&workspace);
    append(&card, "home/keeper/.profile", "export EDITOR=vi\n");
    card.write("etc/timezone", "Etc/UTC\n");
    card.write("etc/netplan/60-impostazione.yaml", "network: {version: 2}\n");
    render(&workspace, &sheet("").replace("10.64.10.11", "10.64.10.19"));
    // The netplan file differs on both sides.
    let run = card.place(&["--yes", "--keep-changes"]);
    assert!(
        run.code == 1
            && run.stderr.contains("/etc/netplan/60-impostazione.yaml was changed: --discard-changes"),
        "{}",
        run.stderr
    );
    card.placed(&["--keep-changes", "--discard-changes"]);
    assert!(card.read("etc/netplan/60-impostazione.yaml").contains("10.64.10.19/24"));
    assert!(card.read("home/keeper/.profile").ends_with("export EDITOR=vi\n"));
    assert_eq!(card.read("etc/timezone"), "Etc/UTC\n");
    let run = workspace.run(&["compare", "output/gauge-01", CARD]);
    assert!(
        run.code == 1 && run.stdout.contains("etc/timezone"),
        "what stays differs all the same: {}",
        run.stdout
    );
}

#[test]
fn numbers_of_a_login_and_its_home_stay() {
    let workspace = with_output();
    let with = |logins: &[&str]| {
        let key = crate::placing::PUBLIC_KEY.trim_end();
        let account = |name: &&str| format!("[account.{name}]\nssh_keys = [\"{key}\"]\n");
        render(&workspace, &(sheet("") + &logins.iter().map(account).collect::<String>()));
    };
    with(&["mate", "pilot"]);
    let card = Card::new(&workspace);
    card.write("etc/subuid", "");
    card.placed(&[]);
    let numbers = || ["etc/passwd", "etc/subuid"].map(|path| card.line(path, "pilot:"));
    let before = numbers();
    card.write("home/pilot/log", "sailed\n");
    card.write("home/mate/log", "sailed too\n");
    with(&["pilot"]);
    let run = card.placed(&[]);
    assert_eq!(numbers(), before, "files on the host belong to these numbers");
    assert_eq!(card.read("home/pilot/log"), "sailed\n");
    assert!(!card.read("etc/passwd").contains("mate"));
    assert!(
        run.stderr.contains("/home/mate was made by the earlier placement and has other files in it now"),
        "{}",
        run.stderr
    );
}

#[test]
fn another_machine_gets_its_own() {
    let workspace = with_output();
    let card = lived_on(&workspace);
    change_password(&card);
    let run = card.place(&["--yes", "--only", "gauge-02", "--replace", "--keep-changes"]);
    assert!(run.code == 1 && run.stderr.contains("--discard-changes overwrites it"), "{}", run.stderr);
    let run = card.place(&["--yes", "--only", "gauge-02", "--replace", "--discard-changes"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
    assert_eq!(card.read("etc/machine-id"), "", "another host has another id");
    has_additions(&card);
}

#[test]
fn kills_while_placing_anew_lose_nothing_that_others_added() {
    let workspace = with_output();
    let sheets = ["10.64.10.11", "10.64.10.19"].map(|address| sheet("").replace("10.64.10.11", address));
    let card = lived_on(&workspace);
    change_password(&card);
    let theirs = card.line("etc/shadow", "keeper:");
    let mut cut_off = 0;
    for round in 0..30_u64 {
        render(&workspace, &sheets[usize::from(round % 2 == 0)]);
        let mut child = workspace
            .command(&["place", "output", CARD, "--only", "gauge-01", "--yes", "--keep-changes"])
            .stdout(std::process::Stdio::null())
            .stderr(std::process::Stdio::null())
            .spawn()
            .unwrap();
        thread::sleep(Duration::from_micros(round * 37_000 % 120_000));
        let _ = child.kill();
        child.wait().unwrap();
        cut_off += u32::from(card.has("var/lib/impostazione/under-way"));
        card.placed(&["--keep-changes"]);
        has_additions(&card);
        assert_eq!(card.line("etc/shadow", "keeper:"), theirs, "round {round}");
        let address = ["10.64.10.11/24", "10.64.10.19/24"][usize::from(round % 2 == 0)];
        assert!(card.read("etc/netplan/60-impostazione.yaml").contains(address), "round {round}");
    }
    println!("{cut_off} of 30 were cut off when paths were changing");
    let run = card.undo(&["--discard-changes"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
    has_additions(&card);
    assert!(!card.read("etc/passwd").contains("keeper"));
}

#[test]
#[ignore = "needs script of util-linux, for a terminal of its own"]
fn a_person_is_asked_about_each() {
    let workspace = with_output();
    let card = lived_on(&workspace);
    change_password(&card);
    let theirs = card.line("etc/shadow", "keeper:");
    card.write("etc/timezone", "Etc/UTC\n");
    let program = assert_cmd::cargo::cargo_bin("impostazione");
    let typed = |answers: &str| {
        let command =
            format!("{} place output {CARD} --only gauge-01; echo ended with $?", program.display());
        let mut child = Command::new("script")
            .args(["-qec", &command, "/dev/null"])
            .current_dir(workspace.path())
            .env_remove(KEY)
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        std::io::Write::write_all(&mut child.stdin.take().unwrap(), answers.as_bytes()).unwrap();
        String::from_utf8(child.wait_with_output().unwrap().stdout).unwrap()
    };
    // The password stays, and the time zone goes.
    let said = typed("n\ny\ny\n");
    assert!(said.contains("ended with 0") && said.matches("[y/N]").count() == 3, "{said}");
    let zones = [card.read("etc/timezone"), card.line("etc/shadow", "keeper:")];
    assert_eq!(zones, ["Europe/Rome\n".to_owned(), theirs], "{said}");
}

#[test]
#[ignore = "needs strace"]
fn whichever_change_placing_anew_is_killed_at_nothing_is_lost() {
    let workspace = with_output();
    let card = lived_on(&workspace);
    change_password(&card);
    card.write("etc/netplan/50-added.yaml", "network: {version: 2}\n");
    let theirs = card.line("etc/shadow", "keeper:");
    render(&workspace, &sheet("").replace("10.64.10.11", "10.64.10.19"));
    let copy = |from: &str, to: &str| {
        let from = format!("{from}/.");
        let _ = std::fs::remove_dir_all(workspace.path().join(to));
        let run = Command::new("cp").args(["-a", &from, to]).current_dir(workspace.path()).status();
        assert!(run.unwrap().success());
    };
    copy(CARD, "saved");
    let place = ["place", "output", CARD, "--only", "gauge-01", "--yes", "--keep-changes"];
    let mut kills = 0;
    for number in (1..2000).step_by(3) {
        copy("saved", CARD);
        if !kill_at(&workspace, &place, number) {
            break;
        }
        kills += 1;
        let is_undo = kills % 2 == 0;
        let run = if is_undo { card.undo(&["--discard-changes"]) } else { card.placed(&["--keep-changes"]) };
        assert_eq!(run.code, 0, "{number}: {}", run.stderr);
        has_additions(&card);
        assert_eq!(card.read("etc/passwd").contains("keeper"), !is_undo, "{number}");
        assert_eq!(card.has("var/lib/impostazione"), !is_undo, "{number}");
        assert_eq!(card.has("etc/netplan/60-impostazione.yaml"), !is_undo, "{number}");
        if !is_undo {
            assert_eq!(card.line("etc/shadow", "keeper:"), theirs, "{number}");
            assert!(card.read("etc/netplan/60-impostazione.yaml").contains("10.64.10.19/24"), "{number}");
            assert!(!card.has("var/lib/impostazione/under-way"), "{number}");
            assert_eq!(card.read("etc/machine-id"), "0123456789abcdef0123456789abcdef\n", "{number}");
        }
    }
    assert!(kills > 50, "{kills}");
}
