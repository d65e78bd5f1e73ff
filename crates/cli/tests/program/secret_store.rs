//! The encrypted store beside a sheet, through the commands that keep it.

use std::fs;
use std::io::Write as _;
use std::os::unix::fs::PermissionsExt as _;
use std::process::{Command, Stdio};

use serde_json::Value;

use crate::support::{KEY, Run, Workspace, host, right_sheet, with_password};

/// A sheet with a secret of one value and one with a value for each of two hosts.
fn sheet() -> String {
    right_sheet(
        "[account.pilot]\npassword = { secret = \"pilot-login\" }\n\
         [secret.keeper-login]\nfrom = \"store\"\nper = \"machine\"\nmin_length = 14\ntyped_on = [\"it\", \"gb\"]\n\
         [secret.pilot-login]\nfrom = \"store\"\n\
         [[host]]\nname = \"gauge-{01..02}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..12}\" }\n",
    )
    .replace("[account.keeper]", "[account.keeper]\npassword = { secret = \"keeper-login\" }")
    .replace("[common]", "[common]\nssh = { host_key = true }")
}

/// A workspace with that sheet, and no store yet.
fn without_store() -> Workspace {
    let workspace = Workspace::new();
    workspace.write("sheet.toml", sheet());
    workspace
}

/// The same with a store that one key opens, and everything in it.
fn with_store() -> Workspace {
    let workspace = without_store();
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    done(&workspace, &["secret", "generate", "sheet.toml"]);
    workspace
}

fn done(workspace: &Workspace, arguments: &[&str]) -> Run {
    let run = workspace.run(arguments);
    assert_eq!(run.code, 0, "{arguments:?}: {}{}", run.stdout, run.stderr);
    run
}

fn failed(workspace: &Workspace, arguments: &[&str], code: i32, says: &str) {
    let run = workspace.run(arguments);
    assert_eq!(run.code, code, "{arguments:?}: {}{}", run.stdout, run.stderr);
    assert!(run.stderr.contains(says), "{arguments:?}: {}", run.stderr);
}

/// Runs the program with a text on stdin.
fn fed(workspace: &Workspace, arguments: &[&str], input: &str) -> Run {
    let mut command = workspace.command(arguments);
    let mut child =
        command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    // A program that refuses its arguments reads nothing.
    let _ = child.stdin.take().unwrap().write_all(input.as_bytes());
    Run::from(child.wait_with_output().unwrap())
}

fn bytes(workspace: &Workspace, name: &str) -> Vec<u8> {
    fs::read(workspace.path().join(name)).unwrap()
}

fn mode(workspace: &Workspace, name: &str) -> u32 {
    fs::metadata(workspace.path().join(name)).unwrap().permissions().mode() & 0o7777
}

#[test]
fn a_new_store_is_filled_judged_and_listed() {
    let workspace = without_store();
    failed(&workspace, &["secret", "generate", "sheet.toml"], 3, "secret recipients SHEET`: --add KEY");
    let made = done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    assert!(made.stdout.starts_with("sheet.secrets.age: made\n"), "{}", made.stdout);
    let check = workspace.run(&["check", "sheet.toml"]);
    assert!(
        check.stdout.contains("no value of keeper-login for gauge-01 and 1 other machine."),
        "{}",
        check.stdout
    );
    assert!(check.stdout.contains("no host key of gauge-01 and 1 other host."), "{}", check.stdout);
    let generated = done(&workspace, &["secret", "generate", "sheet.toml"]);
    assert_eq!(generated.stdout.matches("made    ").count(), 5, "{}", generated.stdout);
    assert!(
        generated.stdout.contains(" bits\n") && generated.stdout.contains("5 made\n"),
        "{}",
        generated.stdout
    );
    done(&workspace, &["check", "sheet.toml"]);
    let again = done(&workspace, &["secret", "generate", "sheet.toml"]);
    assert!(again.stdout.contains("0 made, 5 already there"), "{}", again.stdout);
    let list = done(&workspace, &["secret", "list", "sheet.toml", "--format", "json"]);
    let list: Value = serde_json::from_str(&list.stdout).unwrap();
    let holders: Vec<&str> =
        list["secrets"].as_array().unwrap().iter().filter_map(|secret| secret["holder"].as_str()).collect();
    assert_eq!(holders, ["gauge-01", "gauge-02"]);
    assert_eq!(list["secrets"][0]["used_by"], serde_json::json!(["login keeper"]));
    assert_eq!((&list["secrets"][0]["in_store"], &list["secrets"][0]["age_days"]), (&true.into(), &0.into()));
    assert_eq!(list["host_keys"].as_array().unwrap().len(), 2);
    let judged = done(&workspace, &["secret", "check", "sheet.toml"]);
    assert!(
        judged.stdout.contains("opens with one key; holds 3 values and 2 host keys"),
        "{}",
        judged.stdout
    );
}

#[test]
fn values_are_entered_by_stdin_and_judged_before_they_are_stored() {
    let workspace = with_store();
    let before = bytes(&workspace, "sheet.secrets.age");
    let enter = ["secret", "enter", "sheet.toml", "pilot-login"];
    for (input, code, says) in [
        ("Password1234\n", 1, "secret-well-known"),
        ("short\n", 1, "secret-too-short"),
        ("", 2, "is empty"),
        ("two\nlines\n", 2, "has several lines"),
    ] {
        let run = fed(&workspace, &enter, input);
        assert_eq!(run.code, code, "{}", run.stderr);
        assert!(run.stderr.contains(says) && run.stderr.contains("nothing was stored"), "{}", run.stderr);
        assert_eq!(bytes(&workspace, "sheet.secrets.age"), before);
    }
    let run = fed(&workspace, &enter, "nobody paints the lantern\n");
    assert_eq!((run.code, run.stdout.as_str()), (0, "sheet.secrets.age: pilot-login has a new value\n"));
    done(&workspace, &["secret", "export", "sheet.toml", "pilot-login", "--to", "handed-over"]);
    assert_eq!(workspace.read("handed-over"), "nobody paints the lantern\n");
    // A character that another layout has elsewhere.
    let typed = fed(
        &workspace,
        &["secret", "enter", "sheet.toml", "keeper-login", "--for", "gauge-01"],
        "gulls-fly-over-the-mole\n",
    );
    assert_eq!(typed.code, 1);
    assert!(typed.stderr.contains("10, 15, 19 sit on other keys"), "{}", typed.stderr);
}

#[test]
fn whose_value_it_is_must_be_said_and_be_right() {
    let workspace = with_store();
    let enter = |more: &[&str]| {
        let mut arguments = vec!["secret", "enter", "sheet.toml"];
        arguments.extend(more);
        fed(&workspace, &arguments, "a rope too short for tides\n")
    };
    for (more, says) in [
        (&["keeper-login"][..], "say whose with --for NAME (gauge-01, gauge-02)"),
        (&["keeper-login", "--for", "gauge-1"], "did you mean gauge-01?"),
        (&["pilot-login", "--for", "gauge-01"], "leave --for out"),
        (&["keper-login"], "did you mean keeper-login?"),
    ] {
        let run = enter(more);
        assert_eq!(run.code, 2, "{}", run.stderr);
        assert!(run.stderr.contains(says), "{}", run.stderr);
    }
    workspace.write(
        "sheet.toml",
        sheet().replacen("from = \"store\"\n[[host]]", "from = \"prompt\"\n[[host]]", 1),
    );
    let run = enter(&["pilot-login"]);
    assert!(run.stderr.contains("is from = \"prompt\""), "{}", run.stderr);
}

#[test]
fn an_export_is_for_its_owner_alone_and_overwrites_nothing() {
    let workspace = with_store();
    done(&workspace, &["secret", "export", "sheet.toml", "keeper-login", "--to", "all"]);
    assert_eq!(mode(&workspace, "all"), 0o600);
    let lines = workspace.read("all");
    assert!(lines.starts_with("gauge-01\t") && lines.lines().count() == 2, "{lines}");
    failed(&workspace, &["secret", "export", "sheet.toml", "keeper-login", "--to", "all"], 3, "file exists");
    assert_eq!(workspace.read("all"), lines);
    failed(&workspace, &["secret", "export", "sheet.toml", "keeper-login"], 2, "--show-on-terminal");
    failed(
        &workspace,
        &["secret", "export", "sheet.toml", "keeper-login", "--show-on-terminal"],
        2,
        "stdout is none; name a file with --to",
    );
    done(
        &workspace,
        &[
            "secret",
            "export",
            "sheet.toml",
            "keeper-login",
            "--for",
            "gauge-02",
            "--grouped",
            "--to",
            "aloud",
        ],
    );
    let aloud = workspace.read("aloud");
    assert!(aloud.split(' ').rev().skip(1).all(|group| group.len() == 4), "{aloud}");
}

#[test]
fn host_keys_are_made_once_and_renewed_when_asked_for() {
    let workspace = with_store();
    let known = |workspace: &Workspace| {
        done(workspace, &["render", "sheet.toml", "--into", "out"]);
        workspace.read("out/known_hosts")
    };
    let first = known(&workspace);
    assert!(first.contains("\ngauge-01,gauge-01.capovetro.example,10.64.10.11 ssh-ed25519 "), "{first}");
    done(&workspace, &["secret", "generate", "sheet.toml", "--renew", "--yes"]);
    assert_eq!(known(&workspace), first, "values alone are renewed");
    done(
        &workspace,
        &["secret", "generate", "sheet.toml", "--host-keys", "--renew", "--yes", "--for", "gauge-02"],
    );
    let second = known(&workspace);
    assert_eq!(first.lines().nth(1), second.lines().nth(1));
    assert_ne!(first.lines().nth(2), second.lines().nth(2));
    failed(
        &workspace,
        &["secret", "generate", "sheet.toml", "--host-keys", "--for", "gauge-9"],
        2,
        "gauge-9 is no host",
    );
    // Without the wish, the file and the keys go.
    workspace.write("sheet.toml", sheet().replace("host_key = true", "host_key = false"));
    done(&workspace, &["render", "sheet.toml", "--into", "out"]);
    assert!(!workspace.exists("out/known_hosts"));
    assert!(!workspace.exists("out/gauge-01/rootfs/etc/ssh/ssh_host_ed25519_key"));
}

#[test]
fn what_the_sheet_no_longer_wants_is_named_and_taken_out() {
    let workspace = with_store();
    workspace.write("sheet.toml", sheet().replace("gauge-{01..02}", "gauge-01").replace("{11..12}", "11"));
    let check = done(&workspace, &["secret", "check", "sheet.toml"]);
    assert!(check.stdout.contains("2 entries are no longer wanted"), "{}", check.stdout);
    let list = done(&workspace, &["secret", "list", "sheet.toml"]);
    assert!(
        list.stdout.contains("no longer wanted: keeper-login of gauge-02, host key of gauge-02"),
        "{}",
        list.stdout
    );
    let removed = done(&workspace, &["secret", "remove", "--yes", "sheet.toml", "--unused"]);
    assert!(removed.stdout.contains("sheet.secrets.age: 2 removed"), "{}", removed.stdout);
    done(&workspace, &["secret", "remove", "--yes", "sheet.toml", "pilot-login"]);
    failed(
        &workspace,
        &["secret", "remove", "--yes", "sheet.toml", "pilot-login"],
        2,
        "holds no value of pilot-login",
    );
    failed(&workspace, &["check", "sheet.toml"], 1, "");
}

#[test]
fn a_secret_that_nothing_uses_yet_is_listed_and_kept() {
    let workspace = with_store();
    let spare = "[secret.spare]\nfrom = \"store\"\n[secret.each]\nfrom = \"store\"\nper = \"machine\"\n";
    workspace.write("sheet.toml", sheet() + spare);
    assert_eq!(
        fed(&workspace, &["secret", "enter", "sheet.toml", "spare"], "slow boats carry loud bells\n").code,
        0
    );
    let list = done(&workspace, &["secret", "list", "sheet.toml"]);
    let line = list.stdout.lines().find(|line| line.starts_with(" spare")).unwrap();
    assert!(line.contains("since today") && line.ends_with("nothing"), "{line}");
    assert!(!list.stdout.contains("no longer wanted"), "{}", list.stdout);
    done(&workspace, &["secret", "remove", "--yes", "sheet.toml", "--unused"]);
    done(&workspace, &["secret", "export", "sheet.toml", "spare", "--to", "spare"]);
    failed(&workspace, &["secret", "generate", "sheet.toml", "each"], 2, "it is not known which machines");
    let made = done(&workspace, &["secret", "generate", "sheet.toml"]);
    assert!(made.stdout.contains("0 made"), "{}", made.stdout);
}

#[test]
fn a_sheet_that_cannot_be_read_in_full_is_said_to_be_so() {
    let workspace = with_store();
    workspace.write("sheet.toml", sheet().replace("[common]", "[common"));
    for (arguments, code) in [
        (&["secret", "check", "sheet.toml"][..], 1),
        (&["secret", "generate", "sheet.toml"], 3),
        (&["secret", "list", "sheet.toml"], 3),
        (&["secret", "remove", "--yes", "sheet.toml", "--unused"], 3),
    ] {
        failed(&workspace, arguments, code, "the sheet cannot be read in full");
    }
    // What is named is taken out whatever the sheet says.
    done(&workspace, &["secret", "remove", "--yes", "sheet.toml", "pilot-login"]);
}

#[test]
fn a_value_is_judged_wherever_its_fault_is_said() {
    let workspace = with_store();
    let radio = "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n\
        wifi = { ssid = \"slip\", passphrase = { secret = \"radio\" } }\n[secret.radio]\nfrom = \"store\"\n";
    workspace.write("sheet.toml", sheet() + radio);
    let before = bytes(&workspace, "sheet.secrets.age");
    let short = fed(&workspace, &["secret", "enter", "sheet.toml", "radio"], "kW4-zrQ\n");
    assert!(short.code == 1 && short.stderr.contains("wifi-passphrase-length"), "{}", short.stderr);
    done(&workspace, &["secret", "export", "sheet.toml", "pilot-login", "--to", "pilot"]);
    let same = fed(&workspace, &["secret", "enter", "sheet.toml", "radio"], &workspace.read("pilot"));
    assert!(
        same.stderr.contains("pilot-login have the same value") || same.stderr.contains("and radio"),
        "{}",
        same.stderr
    );
    assert_ne!(bytes(&workspace, "sheet.secrets.age"), before, "a warning is shown, and the value taken");
}

#[test]
fn only_the_values_of_one_machine_are_made_where_that_is_asked_for() {
    let workspace = with_store();
    done(
        &workspace,
        &["secret", "export", "sheet.toml", "keeper-login", "--for", "gauge-01", "--to", "before"],
    );
    let made =
        done(&workspace, &["secret", "generate", "sheet.toml", "--for", "gauge-02", "--renew", "--yes"]);
    assert!(made.stdout.starts_with("made    keeper-login of gauge-02: "), "{}", made.stdout);
    assert!(made.stdout.contains(": 1 made, 1 already there"), "{}", made.stdout);
    done(
        &workspace,
        &["secret", "export", "sheet.toml", "keeper-login", "--for", "gauge-01", "--to", "after"],
    );
    assert_eq!(workspace.read("before"), workspace.read("after"));
    failed(
        &workspace,
        &["secret", "generate", "sheet.toml", "--for", "gauge-9"],
        2,
        "gauge-9 has no value of its own",
    );
}

#[test]
fn keys_of_several_kinds_open_a_store_and_those_that_were_removed_do_not() {
    let workspace = with_store();
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", "second.key"]);
    let shown =
        done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--add", "keys/keeper.pub"]);
    assert_eq!(shown.stdout.matches("\n  ").count(), 3, "{}", shown.stdout);
    done(&workspace, &["secret", "list", "sheet.toml", "--key", "second.key"]);
    let mine = workspace
        .read(KEY)
        .lines()
        .next()
        .unwrap()
        .rsplit(' ')
        .next()
        .unwrap()
        .trim_end_matches('.')
        .to_owned();
    let gone = done(
        &workspace,
        &["secret", "recipients", "sheet.toml", "--yes", "--remove", &mine, "--key", "second.key"],
    );
    assert!(gone.stderr.contains("change the secrets that they must not know"), "{}", gone.stderr);
    failed(&workspace, &["secret", "recipients", "sheet.toml"], 3, "opens with another private key");
    // Named on the command line the key is wrong; that which the environment names may be for other stores.
    let check = workspace.run(&["check", "sheet.toml", "--key", KEY]);
    assert!(check.stdout.contains("secret-store-cannot-open"), "{}", check.stdout);
    let check = done(&workspace, &["check", "sheet.toml"]);
    assert!(check.stdout.contains("opens with another private key than the one that"), "{}", check.stdout);
    // A key is named by the comment behind it too.
    done(
        &workspace,
        &[
            "secret",
            "recipients",
            "sheet.toml",
            "--yes",
            "--remove",
            "keeper@capovetro.example",
            "--key",
            "second.key",
        ],
    );
    let arguments = ["secret", "recipients", "sheet.toml", "--key", "second.key", "--yes", "--remove"];
    let last = workspace
        .read("second.key")
        .lines()
        .next()
        .unwrap()
        .rsplit(' ')
        .next()
        .unwrap()
        .trim_end_matches('.')
        .to_owned();
    failed(&workspace, &[&arguments[..], &[&last]].concat(), 2, "nobody could open the store any more");
    failed(&workspace, &[&arguments[..], &["age1nobody"]].concat(), 2, "not for such a key");
}

#[test]
fn a_key_that_does_not_open_a_store_says_why() {
    let workspace = with_store();
    done(&workspace, &["secret", "recipients", "harbor.toml", "--yes", "--new-key", "other.key"]);
    workspace.write("gull.key", "gull\n");
    fs::set_permissions(workspace.path().join("gull.key"), fs::Permissions::from_mode(0o600)).unwrap();
    for (key, says) in [
        ("other.key", "no key that was given opens sheet.secrets.age"),
        ("keys/keeper.pub", "holds a public key; name the private one"),
        ("gull.key", "holds no private key"),
        ("none.key", "there is no such file"),
        (".", "it is not a file but a folder"),
    ] {
        failed(&workspace, &["secret", "recipients", "sheet.toml", "--key", key], 3, says);
    }
    let mut command = workspace.command(&["secret", "recipients", "sheet.toml"]);
    let unset = Run::from(command.env("IMPOSTAZIONE_KEY", "").output().unwrap());
    assert!(unset.stderr.contains("with --key, or in the variable IMPOSTAZIONE_KEY"), "{}", unset.stderr);
}

#[test]
fn what_is_no_key_is_refused() {
    let workspace = without_store();
    let add = |key: &str, says: &str| {
        failed(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--add", key], 2, says);
    };
    add("gull", "neither a public key (age1… or ssh-…) nor a file of them");
    done(&workspace, &["secret", "recipients", "harbor.toml", "--yes", "--new-key", "other.key"]);
    add("other.key", "holds a private key");
    workspace.write("empty.pub", "# nobody\n");
    add("empty.pub", "holds no public key");
    let private = workspace.read("other.key").lines().nth(1).unwrap().to_owned();
    let run = workspace.run(&["secret", "recipients", "sheet.toml", "--yes", "--add", &private]);
    assert!(run.stderr.contains("private key") && !run.stderr.contains(&private), "{}", run.stderr);
    assert!(!workspace.exists("sheet.secrets.age"));
    failed(
        &workspace,
        &["secret", "recipients", "sheet.toml", "--yes", "--new-key", "other.key"],
        3,
        "not overwritten",
    );
    assert_eq!(workspace.read("other.key").lines().nth(1), Some(private.as_str()));
}

#[test]
fn a_passphrase_from_a_file_or_an_open_file_opens_a_store() {
    let workspace = without_store();
    workspace.write("phrase.secret", "a passphrase for the harbor office\n");
    let from = ["--passphrase-from", "phrase.secret"];
    workspace.write("weak.secret", "lighthouse\n");
    failed(
        &workspace,
        &["secret", "generate", "sheet.toml", "--passphrase-from", "weak.secret"],
        2,
        "this passphrase can be guessed",
    );
    assert!(!workspace.exists("sheet.secrets.age"));
    done(&workspace, &[&["secret", "generate", "sheet.toml"][..], &from].concat());
    done(&workspace, &[&["check", "sheet.toml"][..], &from].concat());
    let by_fd = Command::new("sh")
        .arg("-c")
        .arg("exec \"$0\" check sheet.toml --passphrase-from /dev/fd/9 9<phrase.secret")
        .arg(assert_cmd::cargo::cargo_bin("impostazione"))
        .current_dir(workspace.path())
        .output()
        .unwrap();
    assert!(by_fd.status.success(), "{}", String::from_utf8_lossy(&by_fd.stdout));
    let check = workspace.run(&["check", "sheet.toml"]);
    assert!(
        check.stdout.contains("opens with a passphrase") && check.stdout.contains("--passphrase-from"),
        "{}",
        check.stdout
    );
    workspace.write("wrong.secret", "another passphrase\n");
    let wrong = workspace.run(&["check", "sheet.toml", "--passphrase-from", "wrong.secret"]);
    assert!(wrong.stdout.contains("This passphrase does not open sheet.secrets.age"), "{}", wrong.stdout);
    fs::set_permissions(workspace.path().join("phrase.secret"), fs::Permissions::from_mode(0o640)).unwrap();
    let open = workspace.run(&[&["check", "sheet.toml"][..], &from].concat());
    assert!(open.stdout.contains("thers may read phrase.secret, which holds"), "{}", open.stdout);
    fs::set_permissions(workspace.path().join("phrase.secret"), fs::Permissions::from_mode(0o600)).unwrap();
    // From a passphrase to a key, which does not open the copy of before.
    done(
        &workspace,
        &[&["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY][..], &from].concat(),
    );
    done(&workspace, &["check", "sheet.toml"]);
}

#[test]
fn a_store_that_is_damaged_says_so_and_stays_as_it_is() {
    let workspace = with_store();
    let right = bytes(&workspace, "sheet.secrets.age");
    let middle = right.len() / 2;
    let flipped: Vec<u8> =
        right.iter().enumerate().map(|(at, byte)| if at == middle { byte ^ 1 } else { *byte }).collect();
    for (what, damaged, says) in [
        ("a flipped byte", flipped, "is damaged"),
        ("its end cut off", right[..right.len() - 60].to_vec(), "is damaged"),
        ("its beginning cut off", right[40..].to_vec(), "no file in the age format"),
        ("nothing in it", Vec::new(), "no file in the age format"),
        ("zeros", vec![0; 4096], "no file in the age format"),
    ] {
        fs::write(workspace.path().join("sheet.secrets.age"), &damaged).unwrap();
        let check = workspace.run(&["check", "sheet.toml"]);
        assert_eq!(check.code, 1, "{what}");
        assert!(
            check.stdout.contains(says) && check.stdout.contains(".before at its end"),
            "{what}: {}",
            check.stdout
        );
        for arguments in [
            &["secret", "generate", "sheet.toml"][..],
            &["secret", "remove", "--yes", "sheet.toml", "pilot-login"],
            &["secret", "recipients", "sheet.toml", "--yes", "--add", "keys/keeper.pub"],
            &["secret", "export", "sheet.toml", "pilot-login", "--to", "out.secret"],
        ] {
            failed(&workspace, arguments, 3, says);
        }
        assert_eq!(bytes(&workspace, "sheet.secrets.age"), damaged, "{what}");
        assert!(!workspace.exists("out.secret"));
    }
}

#[test]
fn a_store_that_others_may_read_is_warned_of_and_closed_when_it_is_written() {
    let workspace = with_store();
    fs::set_permissions(workspace.path().join("sheet.secrets.age"), fs::Permissions::from_mode(0o644))
        .unwrap();
    let check = workspace.run(&["check", "sheet.toml"]);
    assert_eq!(check.code, 0, "{}", check.stdout);
    assert!(
        check.stdout.contains("warning secret-file-readable-by-others") && check.stdout.contains("0644"),
        "{}",
        check.stdout
    );
    done(&workspace, &["secret", "generate", "sheet.toml", "--renew", "--yes"]);
    assert_eq!(mode(&workspace, "sheet.secrets.age"), 0o600);
    assert_eq!(mode(&workspace, "sheet.secrets.age.before"), 0o600);
    fs::set_permissions(workspace.path().join(KEY), fs::Permissions::from_mode(0o644)).unwrap();
    failed(
        &workspace,
        &["secret", "recipients", "sheet.toml"],
        3,
        "others may read harbor.key, which holds a private key",
    );
}

#[test]
fn a_kill_at_any_moment_leaves_a_whole_store() {
    let workspace = with_store();
    let mut survived = 0;
    for round in 0..50_u64 {
        let mut child = workspace
            .command(&["secret", "generate", "sheet.toml", "--renew", "--yes"])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        // From before its first step to after its last.
        std::thread::sleep(std::time::Duration::from_micros(round * 1_500));
        let _ = child.kill();
        let status = child.wait().unwrap();
        survived += u32::from(status.success());
        let check = workspace.run(&["secret", "check", "sheet.toml"]);
        assert_eq!(check.code, 0, "round {round}: {}{}", check.stdout, check.stderr);
        assert!(check.stdout.contains("holds 3 values and 2 host keys"), "round {round}: {}", check.stdout);
    }
    assert!(survived < 50, "no run was killed before its end");
}

#[test]
fn the_same_sheet_and_store_give_the_same_bytes_and_without_a_store_hashes_are_kept() {
    let workspace = with_store();
    done(&workspace, &["render", "sheet.toml", "--into", "one"]);
    done(&workspace, &["render", "sheet.toml", "--into", "two"]);
    assert_eq!(workspace.tree("one"), workspace.tree("two"));
    // Two machines with the same password have different hashes.
    let hash = |tree: &str, host: &str| {
        let accounts: Value =
            serde_json::from_str(&workspace.read(&format!("{tree}/{host}/accounts.json"))).unwrap();
        let pilot = accounts["accounts"]
            .as_array()
            .unwrap()
            .iter()
            .find(|account| account["name"] == "pilot")
            .unwrap();
        pilot["password_hash"].as_str().unwrap().to_owned()
    };
    assert_ne!(hash("one", "gauge-01"), hash("one", "gauge-02"));
    // Without a store: random salts, and a hash that is there is kept while it is of the password.
    workspace.write("pilot.secret", "nobody paints the lantern\n");
    workspace.write(
        "sheet.toml",
        right_sheet(
            "[account.pilot]\npassword = { secret = \"pilot-login\" }\n[secret.pilot-login]\nfrom = \"file\"\npath = \"pilot.secret\"\n\
             [[host]]\nname = \"gauge-{01..02}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..12}\" }\n",
        ),
    );
    fs::remove_file(workspace.path().join("sheet.secrets.age")).unwrap();
    done(&workspace, &["render", "sheet.toml", "--into", "three"]);
    let first = hash("three", "gauge-01");
    done(&workspace, &["render", "sheet.toml", "--into", "three"]);
    assert_eq!(hash("three", "gauge-01"), first);
    workspace.write("pilot.secret", "somebody paints the lantern\n");
    done(&workspace, &["render", "sheet.toml", "--into", "three"]);
    assert_ne!(hash("three", "gauge-01"), first);
}

#[test]
fn what_exists_already_is_not_made_up() {
    let workspace = Workspace::new();
    let wifi_host = "[[host]]\nname = \"gauge-09\"\ntime_service = \"chrony\"\n\
        ntp = [{ server = \"10.64.10.121\", key = \"harbor\" }, \"none\"]\n\
        link.wifi0 = { kind = \"wifi\", mac = \"02:64:30:00:00:01\", subnet = \"slip\", address = \"10.64.30.11\" }\n";
    let secrets = "[secret.keeper-login]\nfrom = \"store\"\n[secret.radio]\nfrom = \"store\"\n[secret.clock]\nfrom = \"store\"\n\
        [subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n\
        wifi = { ssid = \"slip\", passphrase = { secret = \"radio\" } }\n\
        [time_key.harbor]\nnumber = 10\nvalue = { secret = \"clock\" }\n";
    let sheet = right_sheet(&format!("{secrets}{wifi_host}{}", host("gauge-01", "10.64.10.11")))
        .replace("[account.keeper]", "[account.keeper]\npassword = { secret = \"keeper-login\" }");
    workspace.write("sheet.toml", &sheet);
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    let made = done(&workspace, &["secret", "generate", "sheet.toml"]);
    assert!(
        made.stdout.contains("made    keeper-login") && !made.stdout.contains("radio"),
        "{}",
        made.stdout
    );
    for says in [
        "clock is the key of a time server, which has one already: put it into the store with `impostazione secret enter sheet.toml clock`",
        "radio is the passphrase of a Wi-Fi network, which has one already",
    ] {
        assert!(made.stderr.contains(says), "{says}: {}", made.stderr);
    }
    let json = done(&workspace, &["secret", "generate", "sheet.toml", "--format", "json"]).stdout;
    let json: Value = serde_json::from_str(&json).unwrap();
    let left_out: Vec<&Value> =
        json["left_out"].as_array().unwrap().iter().map(|one| &one["secret"]).collect();
    assert_eq!(left_out, ["radio", "clock"]);
    failed(
        &workspace,
        &["secret", "generate", "sheet.toml", "radio"],
        2,
        "radio is the passphrase of a Wi-Fi",
    );
    let check = crate::support::unwrapped(&workspace.run(&["check", "sheet.toml"]).stdout);
    assert!(
        check.contains("secret enter sheet.toml radio`; it belongs to something that has it already"),
        "{check}"
    );
    // Said otherwise, either way.
    let said = sheet
        .replace("[secret.radio]", "[secret.radio]\ngenerated = true")
        .replace("[secret.keeper-login]", "[secret.keeper-login]\ngenerated = false");
    workspace.write("sheet.toml", said);
    done(&workspace, &["secret", "generate", "sheet.toml", "radio"]);
    let renew = ["secret", "generate", "sheet.toml", "keeper-login", "--renew", "--yes"];
    failed(
        &workspace,
        &renew,
        2,
        "keeper-login belongs to something that exists already, as generated = false says",
    );
}

#[test]
fn what_is_renewed_is_named_before_it_is_replaced() {
    let workspace = Workspace::new();
    workspace.write("sheet.toml", with_password("from = \"store\""));
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    done(&workspace, &["secret", "generate", "sheet.toml"]);
    let before = std::fs::read(workspace.path().join("sheet.secrets.age")).unwrap();
    let run = workspace.run(&["secret", "generate", "sheet.toml", "--renew", "--dry-run"]);
    assert!(run.code == 0 && run.stderr.contains("to be replaced:\n  keeper-login\n"), "{}", run.stderr);
    failed(&workspace, &["secret", "generate", "sheet.toml", "--renew"], 1, "--yes answers yes");
    assert_eq!(std::fs::read(workspace.path().join("sheet.secrets.age")).unwrap(), before);
}

/// What answers a package that could not be read may be its license key.
#[test]
fn what_answers_a_package_that_was_not_looked_at_is_not_made_up() {
    let workspace = Workspace::new();
    let answers = "\"admin.password\" = { secret = \"logbook-admin\" }";
    let sheet = crate::support::packaged("\"drive/logbook.ovf\"", "", "", answers)
        + "[secret.logbook-admin]\nfrom = \"store\"\n";
    workspace.write("sheet.toml", sheet);
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    let made = done(&workspace, &["secret", "generate", "sheet.toml"]);
    assert!(
        made.stderr.contains("logbook-admin answers a package that could not be read"),
        "{}",
        made.stderr
    );
}
