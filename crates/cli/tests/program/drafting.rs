//! A sheet is drafted by answering questions: at a terminal, from a file of replies, and by another program.

use std::collections::BTreeMap;
use std::fs;
use std::io::Write as _;
use std::process::Stdio;

use rexpect::process::{Signal, WaitStatus};
use rexpect::session::{PtySession, spawn_command};
use rustix::termios::{LocalModes, tcgetattr};
use serde_json::Value;

use crate::support::{KEY, Run, Workspace};

/// The longest that a question is waited for, in milliseconds.
const PATIENCE: u64 = 30_000;

/// What is asked for one small host, and what is replied. Eight replies are empty.
const ONE_HOST: [(&str, &str); 14] = [
    ("What are you preparing? [host]", ""),
    ("Which keyboard layout does its console have?", "it"),
    ("What is the host's address, with its mask?", "10.64.10.21/255.255.255.0"),
    ("What is the gateway? [10.64.10.1]", ""),
    ("Which addresses does a DHCP server lease?", "10.64.10.200-10.64.10.239"),
    ("Which DNS servers", "10.64.10.53 10.64.10.54"),
    ("Which time servers", "10.64.10.121 10.64.10.122 10.64.10.123 10.64.10.124"),
    ("In which time zone", ""),
    ("Who logs in on the host? A name for the login [keeper]", ""),
    ("Which SSH public keys open keeper? Files, or a key itself [~/.ssh/id_ed25519.pub]", ""),
    ("Which password should keeper have? [none]", ""),
    ("What is the host called?", "gauge-01.capovetro.example"),
    ("Which port of gauge-01? One of these, a MAC address, or what the system calls it [only]", ""),
    ("Is that right?", ""),
];

/// The sheet that comes of them, but for the public key.
const ONE_HOST_SHEET: &str = r#"format = 1

[common]
domain = "capovetro.example"
dns = ["10.64.10.53", "10.64.10.54"]
ntp = ["10.64.10.121", "10.64.10.122", "10.64.10.123", "10.64.10.124"]
timezone = "Europe/Rome"
keyboard = "it"

[subnet.lan]
prefix = "10.64.10.0/24"
gateway = "10.64.10.1"
dhcp_ranges = ["10.64.10.200-10.64.10.239"]

[account.keeper]
admin = true
ssh_keys = ["KEY"]

[[host]]
name = "gauge-01"
link.lan0 = { port = "only", subnet = "lan", address = "10.64.10.21" }
"#;

/// The sample site from nothing: gauges in a row, the signal tower with its bond, and the cluster of three from its package.
const HARBOR: [(&str, &str); 73] = [
    ("What are you preparing?", "site"),
    ("What is the site called? [New]", "Capo Vetro harbor"),
    ("What are the machines for? [production]", ""),
    ("Which keyboard layout", "it"),
    ("What is the first subnet called?", "quay"),
    ("What is the address of any machine in quay", "10.64.10.11 0xffffff00"),
    ("What is the gateway of quay? [10.64.10.1]", ""),
    ("Which IPv6 prefix of quay?", "fd64:10::/64"),
    ("What is the IPv6 gateway of quay? [fd64:10::1]", ""),
    ("What is the VLAN ID of quay", ""),
    ("Which addresses of quay does a DHCP server lease?", "10.64.10.200-10.64.10.239"),
    ("Another subnet?", "breakwater"),
    ("What is the address of any machine in breakwater", "10.64.20.0/24"),
    ("What is the gateway of breakwater? [10.64.20.1]", ""),
    ("Which IPv6 prefix of breakwater?", ""),
    ("What is the VLAN ID of breakwater", "120"),
    ("Which addresses of breakwater does a DHCP server lease?", ""),
    ("Another subnet?", ""),
    ("What is the domain of the machines?", "capovetro.example"),
    ("Which DNS servers", "10.64.10.53 10.64.10.54"),
    ("In which domains are short names looked up? [capovetro.example]", ""),
    ("Which time servers", "10.64.10.121 10.64.10.122 10.64.10.123 clock.capovetro.example"),
    ("In which time zone", "rome"),
    ("In which time zone are they? A city will do [Europe/Rome]", ""),
    ("Which language and formats do the hosts have? [C.UTF-8]", ""),
    ("Make SSH host keys now", "yes"),
    ("Who logs in on the hosts?", "keeper"),
    ("Who is keeper? The full name", "Harbor keeper"),
    ("May keeper become root? [yes]", ""),
    ("Which SSH public keys open keeper?", "keys/keeper.pub"),
    ("Which password should keeper have?", "made-up"),
    ("One password of keeper for all hosts, or one for each? [machine]", ""),
    ("On which hosts is keeper?", ""),
    ("Another login?", "pilot"),
    ("Who is pilot? The full name", "Pilot on duty"),
    ("May pilot become root? [no]", ""),
    ("Which SSH public keys open pilot?", "keys/pilot.pub"),
    ("Which password should pilot have? [none]", ""),
    ("On which hosts is pilot?", "signal-tower"),
    ("Another login?", ""),
    ("Which hosts are there?", "gauge-{01..05}"),
    ("How is gauge-{01..05} connected? [ethernet]", ""),
    ("Which port of gauge-{01..05}? One of these, or what the system calls it [eth0]", ""),
    ("In which subnet is this link of gauge-{01..05}? [quay]", ""),
    ("The first of them, or a pattern", "10.64.10.11"),
    ("What are the IPv6 addresses of gauge-{01..05}?", "none"),
    ("Does gauge-{01..05} have another link? [none]", ""),
    ("Which other hosts?", "signal-tower"),
    ("How is signal-tower connected?", "bond"),
    ("What is this link of signal-tower called? [uplink]", ""),
    ("Which ports make up the bond of signal-tower?", "02:64:10:00:00:21 02:64:10:00:00:22"),
    ("Which bond mode should signal-tower use? [active-backup]", ""),
    ("In which subnet is this link of signal-tower? [quay]", ""),
    ("What is the address of signal-tower?", "10.64.10.31"),
    ("What is the IPv6 address of signal-tower?", "fd64:10::31"),
    ("Does signal-tower have another link?", "vlan"),
    ("What is this link of signal-tower called?", "radar"),
    ("Which link of signal-tower carries the tagged network? [uplink]", ""),
    ("In which subnet is this link of signal-tower? [breakwater]", ""),
    ("What is the address of signal-tower?", "10.64.20.31"),
    ("Does signal-tower have another link?", ""),
    ("Which other hosts?", ""),
    ("Which appliances are there?", "logbook-{1..3}"),
    ("Which package is logbook-{1..3} made from?", "packages/logbook.ova"),
    ("Which size should logbook-{1..3} have? [trial]", "small"),
    ("Do you accept this license of logbook-{1..3}?", "accept"),
    ("In which subnet is the network \"Management\" of logbook-{1..3}? [quay]", ""),
    ("What does the hypervisor call the network of quay?", "quay-110"),
    ("What are the addresses of logbook-{1..3}?", "10.64.10.61"),
    ("Do logbook-{1..3} work together as a cluster? Its name, or none [logbook]", ""),
    ("What is the virtual address of the cluster?", "10.64.10.60"),
    ("(clock)?", "take address of signal-tower toward quay"),
    ("(admin.password)? [made-up]", ""),
];

/// A workspace in which the user has a public key.
pub(crate) fn workspace() -> Workspace {
    let workspace = Workspace::new();
    let ssh = workspace.state().join(".ssh");
    fs::create_dir(&ssh).unwrap();
    fs::write(ssh.join("id_ed25519.pub"), workspace.read("keys/keeper.pub")).unwrap();
    workspace
}

/// The program at a terminal of 80 columns, beginning with `draft`.
pub(crate) fn at_terminal(workspace: &Workspace, arguments: &[&str]) -> PtySession {
    let mut command = workspace.command_of("sh");
    command.args(["-c", "stty cols 80 rows 40 && exec \"$0\" draft \"$@\""]);
    command.arg(assert_cmd::cargo::cargo_bin("impostazione")).args(arguments);
    command.env("TERM", "xterm").env("NO_COLOR", "1").env("USER", "keeper").env_remove("SUDO_USER");
    command.env("TZ", "Europe/Rome");
    spawn_command(command, Some(PATIENCE)).unwrap()
}

/// Waits for each question, and replies.
pub(crate) fn talk(session: &mut PtySession, replies: &[(&str, &str)]) {
    for (question, reply) in replies {
        wait_for(session, question);
        session.send_line(reply).unwrap();
    }
}

/// Waits for a question, and for the proposal in its next line, where one stands behind it here.
fn wait_for(session: &mut PtySession, question: &str) {
    let (line, proposal) = match question.split_once(" [") {
        Some((line, proposal)) => (line, format!("[{proposal} >")),
        None => (question, ">".to_owned()),
    };
    for part in [line, &proposal] {
        session.exp_string(part).unwrap_or_else(|error| panic!("{question}: {error}"));
    }
}

/// Replies whether values are put into the store now.
pub(crate) fn answer_yes_or_no(session: &mut PtySession, reply: &str) {
    session.exp_string("in its encrypted store. Put them there now?").unwrap();
    session.send_line(reply).unwrap();
}

/// How the program has ended, with what it has said since.
pub(crate) fn end(mut session: PtySession) -> (Option<i32>, String) {
    let said = session.exp_eof().unwrap();
    match session.process().wait().unwrap() {
        WaitStatus::Exited(_, code) => (Some(code), said),
        _ => (None, said),
    }
}

fn one_host_sheet(workspace: &Workspace) -> String {
    ONE_HOST_SHEET.replace("KEY", workspace.read("keys/keeper.pub").trim())
}

/// Whether lines are typed as usual: with an echo or without, but a line at a time, and with Ctrl-C.
fn is_sane(session: &PtySession) -> bool {
    let terminal = session.process().get_file_handle().unwrap();
    let modes = tcgetattr(&terminal).unwrap().local_modes;
    modes.contains(LocalModes::ICANON | LocalModes::ISIG)
}

#[test]
fn one_small_host_takes_fourteen_replies() {
    for manner in [&["gauge.toml", "--plain"][..], &["gauge.toml"]] {
        let workspace = workspace();
        let mut session = at_terminal(&workspace, manner);
        talk(&mut session, &ONE_HOST);
        let (code, said) = end(session);
        assert_eq!(code, Some(0), "{said}");
        assert!(said.contains("gauge.toml: written"), "{said}");
        assert_eq!(workspace.read("gauge.toml"), one_host_sheet(&workspace), "{manner:?}");
        let check = workspace.run(&["check", "gauge.toml", "--reject", "warning"]);
        assert_eq!(check.code, 0, "{}{}", check.stdout, check.stderr);
    }
}

#[test]
fn the_harbor_is_drafted_from_nothing_and_gives_the_files_of_the_sample_site() {
    let workspace = Workspace::demo();
    let mut session = at_terminal(&workspace, &["new.toml", "--plain"]);
    talk(&mut session, &HARBOR);
    talk(&mut session, &[("Which other appliances?", ""), ("Is that right?", "accept")]);
    // The sample site's own store is used in place of a new one.
    answer_yes_or_no(&mut session, "n");
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    fs::copy(workspace.path().join("harbor.secrets.age"), workspace.path().join("new.secrets.age")).unwrap();
    let sheet = workspace.read("new.toml");
    let mut again = at_terminal(&workspace, &["new.toml", "--plain"]);
    talk(&mut again, &[("Is that right?", "accept")]);
    let (code, said) = end(again);
    assert_eq!(code, Some(0), "{said}");
    assert!(said.contains("new.toml: nothing was changed"), "{said}");
    assert_eq!(workspace.read("new.toml"), sheet, "drafting again changes nothing");
    for (sheet, into) in [("harbor.toml", "of-the-sample"), ("new.toml", "of-the-draft")] {
        let run =
            workspace.run(&["render", sheet, "--into", into, "--only", "gauge-*", "--only", "logbook-*"]);
        assert_eq!(run.code, 0, "{sheet}: {}{}", run.stdout, run.stderr);
    }
    let sample: BTreeMap<_, _> = workspace.tree("of-the-sample").into_iter().collect();
    let draft: BTreeMap<_, _> = workspace.tree("of-the-draft").into_iter().collect();
    let mut compared = 0;
    for (path, content) in &draft {
        let is_shared =
            ["gauge-06", "site", "files.json", "known_hosts"].iter().any(|part| path.starts_with(part));
        if is_shared {
            continue;
        }
        assert_eq!(sample.get(path), Some(content), "{path}");
        compared += 1;
    }
    assert!(compared > 50, "{compared}");
    assert!(draft.keys().any(|path| path.starts_with("logbook-3/")));
}

#[test]
fn ctrl_c_asks_whether_to_keep_what_there_is() {
    let manners = [&["gauge.toml", "--plain"][..], &["gauge.toml"]];
    for ((word, is_kept), manner) in
        [("", true), ("no", false)].into_iter().flat_map(|end| manners.map(|manner| (end, manner)))
    {
        let workspace = workspace();
        let mut session = at_terminal(&workspace, manner);
        talk(&mut session, &ONE_HOST[..5]);
        wait_for(&mut session, "Which DNS servers");
        session.send_control('c').unwrap();
        talk(&mut session, &[("Keep what there is in gauge.toml?", "go on"), ("Which DNS servers", "?")]);
        session.exp_string("In the sheet: dns =").unwrap();
        session.send_control('c').unwrap();
        talk(&mut session, &[("Keep what there is in gauge.toml?", word)]);
        let (code, said) = end(session);
        assert_eq!(code, Some(1), "{said}");
        assert_eq!(workspace.exists("gauge.toml"), is_kept);
        if is_kept {
            assert!(said.contains("open: common.dns"), "{said}");
            let left = workspace.read("gauge.toml");
            assert!(left.contains("#? dns = [\"10.64.10.53\", \"10.64.10.54\"]"), "{left}");
            // Later it goes on where it was left.
            let mut later = at_terminal(&workspace, &["gauge.toml", "--plain"]);
            talk(&mut later, &[("Which DNS servers", "10.64.10.53 10.64.10.54")]);
            talk(&mut later, &[("Which time servers", ONE_HOST[6].1), ("In which time zone", "")]);
            wait_for(&mut later, "Who logs in on the hosts?");
            later.send_line("leave").unwrap();
            assert_eq!(end(later).0, Some(1));
            let later = workspace.read("gauge.toml");
            assert!(later.contains("dns = [\"10.64.10.53\", \"10.64.10.54\"]\n"), "{later}");
            assert!(!later.contains("#? dns"), "{later}");
        }
    }
}

/// Whatever ends the program at whatever question, the sheet is the old one or one that can be gone on with, and the terminal is
/// as it was. Only what is drawn cannot be taken back by a program that is killed outright.
#[test]
fn a_hang_up_or_a_kill_at_any_question_tears_nothing() {
    for (signal, manner) in [
        (Signal::SIGHUP, &["gauge.toml"][..]),
        (Signal::SIGTERM, &["gauge.toml"]),
        (Signal::SIGTERM, &["gauge.toml", "--plain"]),
        (Signal::SIGKILL, &["gauge.toml", "--plain"]),
    ] {
        for answered in 0..ONE_HOST.len() - 1 {
            let workspace = workspace();
            let mut session = at_terminal(&workspace, manner);
            talk(&mut session, &ONE_HOST[..answered]);
            wait_for(&mut session, ONE_HOST[answered].0);
            session.process_mut().kill(signal).unwrap();
            assert!(is_sane(&session), "{signal} after {answered}");
            if !workspace.exists("gauge.toml") {
                assert!(signal == Signal::SIGKILL || answered == 0, "{signal} after {answered}");
                continue;
            }
            let left = workspace.read("gauge.toml");
            assert!(left.starts_with("format = 1\n") && left.ends_with('\n'), "{left}");
            let check = workspace.run(&["check", "gauge.toml", "--format", "json"]);
            let report: Value = serde_json::from_str(&check.stdout).unwrap();
            let is_torn = report["findings"].as_array().unwrap().iter().any(|one| one["rule"] == "syntax");
            assert!(!is_torn, "{signal} after {answered}: {left}");
            let names: Vec<String> = fs::read_dir(workspace.path())
                .unwrap()
                .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
                .filter(|name| name.starts_with('.'))
                .collect();
            assert!(names.is_empty(), "{names:?}");
        }
    }
}

#[test]
fn a_wrong_reply_is_said_at_once_and_asked_again() {
    let workspace = workspace();
    let mut session = at_terminal(&workspace, &["gauge.toml", "--plain"]);
    talk(&mut session, &ONE_HOST[..3]);
    talk(&mut session, &[("What is the gateway? [10.64.10.1]", "10.64.2.1")]);
    let said = session.exp_string("What is the gateway?").unwrap();
    assert!(said.contains("error: The gateway 10.64.2.1 is not in subnet lan (10.64.10.0/24)."), "{said}");
    assert!(said.contains("(gateway-outside-subnet)") && said.contains("fix: "), "{said}");
    session.send_line("back").unwrap();
    talk(&mut session, &ONE_HOST[2..]);
    assert_eq!(end(session).0, Some(0));
    assert_eq!(workspace.read("gauge.toml"), one_host_sheet(&workspace));
}

#[test]
fn secrets_are_typed_unseen_into_a_store_that_is_made() {
    let workspace = workspace();
    let mut session = at_terminal(&workspace, &["gauge.toml", "--plain"]);
    talk(&mut session, &ONE_HOST[..10]);
    talk(&mut session, &[("Which password should keeper have?", "typed")]);
    talk(&mut session, &ONE_HOST[11..]);
    // It can be done later, too.
    answer_yes_or_no(&mut session, "n");
    let (code, said) = end(session);
    assert!(code == Some(0) && said.contains("impostazione draft gauge.toml --only secrets"), "{said}");
    let mut session = at_terminal(&workspace, &["gauge.toml", "--only", "secrets"]);
    answer_yes_or_no(&mut session, "y");
    let said = session.exp_string("Value of the secret keeper-login:").unwrap();
    assert!(said.contains("Keep") && said.contains(".config/impostazione/gauge.key safe"), "{said}");
    session.send_line("Ru6-tide-Winch-52").unwrap();
    session.exp_string("Repeat").unwrap();
    session.send_line("Ru6-tide-Winch-52").unwrap();
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    assert!(!said.contains("Winch"), "{said}");
    assert!(!workspace.read("gauge.toml").contains("Winch"));
    let key = workspace.state().join(".config/impostazione/gauge.key");
    let check = workspace.run(&["check", "gauge.toml", "--key", key.to_str().unwrap()]);
    assert_eq!(check.code, 0, "{}{}", check.stdout, check.stderr);
}

#[test]
fn replies_are_kept_and_repeated_without_a_terminal() {
    let workspace = workspace();
    let mut session = at_terminal(&workspace, &["gauge.toml", "--plain", "--save-replies", "gauge.replies"]);
    talk(&mut session, &ONE_HOST);
    assert_eq!(end(session).0, Some(0));
    let replies = workspace.read("gauge.replies");
    assert!(replies.contains("\"subnet.lan.gateway\" = \"10.64.10.1\""), "{replies}");
    let run = workspace.run(&["draft", "again.toml", "--replies", "gauge.replies", "--no-questions"]);
    assert_eq!(run.code, 0, "{}{}", run.stdout, run.stderr);
    assert_eq!(workspace.read("again.toml"), workspace.read("gauge.toml"));
    // What the rules refuse is said by the question's name, and nothing is written.
    workspace.write("wrong.replies", replies.replace("= \"10.64.10.1\"", "= \"10.64.11.1\""));
    let run = workspace.run(&["draft", "wrong.toml", "--replies", "wrong.replies", "--no-questions"]);
    assert_eq!(run.code, 1);
    assert!(run.stderr.contains("the reply \"10.64.11.1\" to subnet.lan.gateway: "), "{}", run.stderr);
    assert!(!workspace.exists("wrong.toml"));
    // What is missing is open, and what was not asked for is named.
    let fewer: String = replies
        .lines()
        .filter(|line| !line.contains("dns"))
        .fold(String::new(), |text, line| text + line + "\n");
    workspace.write("fewer.replies", fewer + "\"host.9\" = \"nobody\"\n");
    let run = workspace.run(&["draft", "fewer.toml", "--replies", "fewer.replies", "--no-questions"]);
    assert_eq!(run.code, 1);
    assert!(run.stderr.contains("open: common.dns\n"), "{}", run.stderr);
    assert!(run.stderr.contains("not asked for: host.9"), "{}", run.stderr);
    assert!(workspace.read("fewer.toml").contains("#? dns = "));
    // With somebody at a terminal, that alone is asked.
    let mut session = at_terminal(&workspace, &["asked.toml", "--plain", "--replies", "fewer.replies"]);
    talk(&mut session, &[("Which DNS servers", ONE_HOST[5].1), ("Is that right?", "")]);
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    assert_eq!(workspace.read("asked.toml"), workspace.read("gauge.toml"));
}

#[test]
fn without_a_terminal_what_is_open_is_written_as_remarks() {
    let workspace = workspace();
    let run = workspace.run(&["draft", "gauge.toml"]);
    assert_eq!(run.code, 1);
    assert!(run.stderr.contains("there is no terminal, so nothing is asked"), "{}", run.stderr);
    let text = workspace.read("gauge.toml");
    assert!(text.contains("#? timezone = \"Europe/Rome\"  # Time zone"), "{text}");
    assert!(text.contains("#? [[host]]"), "{text}");
    let again = workspace.run(&["draft", "gauge.toml", "--no-questions"]);
    assert_eq!((again.code, workspace.read("gauge.toml")), (1, text));
}

/// The lines that another front end gets for these that it writes.
fn by_lines(workspace: &Workspace, arguments: &[&str], lines: &[&str]) -> (Run, Vec<Value>) {
    let mut child = workspace
        .command(&[&["draft"], arguments, &["--format", "json"]].concat())
        .env("USER", "keeper")
        .env("TZ", "Europe/Rome")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(lines.concat().as_bytes()).unwrap();
    let run = Run::from(child.wait_with_output().unwrap());
    let said = run.stdout.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    (run, said)
}

#[test]
fn another_front_end_asks_line_by_line() {
    let workspace = workspace();
    let replies: Vec<String> =
        ONE_HOST.iter().map(|(_, reply)| format!("{}\n", serde_json::json!({"reply": reply}))).collect();
    let mut lines: Vec<&str> = replies.iter().map(String::as_str).collect();
    lines.insert(3, "{\"reply\":\"10.64.2.1\"}\n");
    lines.insert(3, "{\"reply\":\"?\"}\n");
    lines.insert(3, "nonsense\n");
    let (run, said) = by_lines(&workspace, &["gauge.toml"], &lines);
    assert_eq!(run.code, 0, "{}{}", run.stdout, run.stderr);
    assert!(said.iter().all(|line| line["format"] == 1));
    let kinds: Vec<&str> = said.iter().map(|line| line["kind"].as_str().unwrap()).collect();
    assert_eq!(
        kinds[6..14],
        ["asked", "refused", "asked", "explained", "asked", "refused", "asked", "taken"]
    );
    assert_eq!(said[6]["id"], "subnet.lan.gateway");
    assert_eq!(said[6]["proposal"], "10.64.10.1");
    assert_eq!(said[11]["rule"], "gateway-outside-subnet");
    let last = said.last().unwrap();
    assert_eq!(
        (&last["kind"], &last["outcome"], &last["errors"]),
        (&"ended".into(), &"accepted".into(), &0.into())
    );
    assert_eq!(workspace.read("gauge.toml"), one_host_sheet(&workspace));
    // Where the replies end, what there is is kept.
    let (run, said) = by_lines(&workspace, &["begun.toml"], &lines[..3]);
    assert_eq!(run.code, 1);
    assert_eq!(said.last().unwrap()["outcome"], "left");
    assert!(workspace.read("begun.toml").contains("prefix = \"10.64.10.0/24\""));
}

#[test]
fn a_part_is_added_to_a_sheet_that_is_there() {
    let workspace = Workspace::demo();
    let before = workspace.read("harbor.toml");
    let mut session = at_terminal(&workspace, &["harbor.toml", "--only", "hosts", "--plain"]);
    talk(
        &mut session,
        &[
            ("Which other hosts?", "buoy-{1..2}"),
            ("How is buoy-{1..2} connected?", ""),
            ("Which port of buoy-{1..2}?", ""),
            ("In which subnet is this link of buoy-{1..2}? [quay]", ""),
            (
                "What are the addresses of buoy-{1..2}? The first of them, or a pattern [10.64.10.{17..18}]",
                "",
            ),
            ("What are the IPv6 addresses", "none"),
            ("Does buoy-{1..2} have another link?", ""),
            ("Which other hosts?", ""),
            ("Is that right?", "accept"),
        ],
    );
    // Two passwords of the store, and two host keys.
    session.exp_string("The sheet needs 4 values").unwrap();
    answer_yes_or_no(&mut session, "y");
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    let after = workspace.read("harbor.toml");
    let added = "[[host]]\nname = \"buoy-{1..2}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{17..18}\" }\n";
    assert!(after.contains(added), "{after}");
    assert_eq!(after.replace(&format!("\n{added}"), ""), before);
    let check = workspace.run(&["check", "harbor.toml", "--key", KEY]);
    assert_eq!(check.code, 0, "{}{}", check.stdout, check.stderr);
}

#[test]
fn what_cannot_be_drafted_is_said() {
    let workspace = workspace();
    workspace.write("torn.toml", "format = 1\n[common\n");
    for (arguments, code, part) in [
        (&["torn.toml", "--no-questions"][..], 3, "is not TOML"),
        (&["nowhere/gauge.toml", "--no-questions"], 3, "the folder nowhere does not exist"),
        (&["gauge.toml", "--only", "hosts", "--no-questions"], 2, "does not exist yet"),
        (
            &["gauge.toml", "--replies", "nothing.replies", "--no-questions"],
            3,
            "nothing.replies cannot be used",
        ),
        (&["gauge.toml", "--replies", "harbor.toml", "--no-questions"], 3, "is not a file of replies"),
        (&["packages/logbook.ova", "--no-questions"], 2, "is a package, not a sheet"),
    ] {
        let run = workspace.run(&[&["draft"], arguments].concat());
        assert_eq!(run.code, code, "{arguments:?}: {}{}", run.stdout, run.stderr);
        assert!(run.stderr.contains(part), "{arguments:?}: {}", run.stderr);
        assert!(!workspace.exists("gauge.toml"), "{arguments:?}");
    }
}

/// Wrong replies, with what is said of each.
type Slips<'s> = &'s [(&'s str, &'s str)];

/// The slips of `docs/slips.md` that a reply can be: each is said at once, and the right reply is taken behind it.
#[test]
fn each_slip_is_said_at_once_and_the_right_reply_is_taken() {
    let workspace = workspace();
    let mut session = at_terminal(&workspace, &["gauges.toml", "--plain"]);
    // The question, slips with what is said of each, and what is right then.
    let steps: [(&str, Slips<'_>, &str); 37] = [
        ("What are you preparing?", &[("everything", "is not one of the replies")], "site"),
        ("What is the site called?", &[], ""),
        ("What are the machines for?", &[], ""),
        ("Which keyboard layout", &[("italian", "(keyboard-unknown)")], "it"),
        ("What is the first subnet called?", &[], "quay"),
        (
            "What is the address of any machine in quay",
            &[("10.64.10.0", "has no mask"), ("10.64.10.0/255.255.25.0", "(netmask-not-contiguous)")],
            "10.64.10.0 255.255.255.0",
        ),
        ("What is the gateway of quay?", &[("10.64.1.1", "(gateway-outside-subnet)")], "10.64.10.1"),
        ("Which IPv6 prefix", &[("fd64:10::", "no mask")], "none"),
        ("What is the VLAN ID", &[("4095", "(vlan-out-of-range)")], "none"),
        ("Which addresses of quay does a DHCP server lease?", &[], "10.64.10.200-10.64.10.239"),
        ("Another subnet?", &[], ""),
        ("What is the domain", &[], "capovetro.example"),
        (
            "Which DNS servers",
            &[
                ("10.64.10.53 ns2.capovetro.example", "(dns-not-an-address)"),
                ("10.64.10.53", "(dns-only-one)"),
            ],
            "[\"10.64.10.53\", \"none\"]",
        ),
        ("In which domains are short names", &[], ""),
        ("Which time servers", &[], "10.64.10.121 10.64.10.122 10.64.10.123 10.64.10.124"),
        ("In which time zone", &[("Etc/GMT-1", "(timezone-fixed-offset)")], "Europe/Rome"),
        ("Which language", &[], ""),
        ("Is IPv6 used", &[], ""),
        ("Make SSH host keys now", &[], "no"),
        ("Who logs in", &[], "keeper"),
        ("Who is keeper?", &[], ""),
        ("May keeper become root?", &[], ""),
        ("Which SSH public keys", &[("keys/nobody.pub", "(ssh-key-malformed)")], "keys/keeper.pub"),
        ("Which password", &[], ""),
        ("On which hosts", &[], ""),
        ("Another login?", &[], ""),
        ("Which hosts are there?", &[("gauge_01", "(hostname-malformed)")], "gauge-01"),
        ("How is gauge-01 connected?", &[], ""),
        ("Which port", &[], "0264.1000.0021"),
        (
            "What is the address of gauge-01?",
            &[
                ("10.6410.11", "(address-malformed)"),
                ("10.64.10.11.12", "(address-malformed)"),
                ("10.64.10.0", "(address-is-network)"),
                ("10.64.10.201", "(address-in-dhcp-range)"),
            ],
            "10.64.10.240",
        ),
        ("Does gauge-01 have another link?", &[], ""),
        ("Which other hosts?", &[("gauge-01", "(hostname-duplicate)")], "gauge-02"),
        ("How is gauge-02 connected?", &[], "bond"),
        ("What is this link of gauge-02 called?", &[], ""),
        ("Which ports make up the bond of gauge-02?", &[], "02:64:10:00:00:31 02:64:10:00:00:32"),
        ("Which bond mode should gauge-02 use?", &[("lacp", "is not one of the replies")], "802.3ad"),
        ("What is the address of gauge-02?", &[], ""),
    ];
    for (question, slips, right) in steps {
        for (wrong, said) in slips {
            talk(&mut session, &[(question, wrong)]);
            let before =
                session.exp_string(said).unwrap_or_else(|error| panic!("{question} {wrong}: {error}"));
            assert!(before.contains("error:") || before.contains("warning:"), "{question} {wrong}: {before}");
        }
        talk(&mut session, &[(question, right)]);
    }
    talk(
        &mut session,
        &[
            ("Does gauge-02 have another link?", ""),
            ("Which other hosts?", ""),
            ("Which appliances", ""),
            ("Is that right?", ""),
        ],
    );
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    let sheet = workspace.read("gauges.toml");
    assert!(sheet.contains("mac = \"02:64:10:00:00:21\""), "{sheet}");
    let check = workspace.run(&["check", "gauges.toml", "--reject", "warning"]);
    assert_eq!(check.code, 0, "{}{}", check.stdout, check.stderr);
}

/// Somebody else has written the sheet meanwhile: that is left alone, and nobody has to reply a second time.
#[test]
fn what_was_replied_is_kept_where_the_sheet_cannot_be_written() {
    let workspace = workspace();
    let mut session = at_terminal(&workspace, &["gauge.toml", "--plain"]);
    talk(&mut session, &ONE_HOST[..13]);
    wait_for(&mut session, "Is that right?");
    workspace.write("gauge.toml", "format = 1\n");
    session.send_line("accept").unwrap();
    let (code, said) = end(session);
    assert_eq!(code, Some(3), "{said}");
    assert!(said.contains("what you replied is kept in") && said.contains("gauge.draft-1.toml"), "{said}");
    assert_eq!(workspace.read("gauge.toml"), "format = 1\n");
    assert_eq!(workspace.read("gauge.draft-1.toml"), one_host_sheet(&workspace));
}

#[test]
fn what_included_files_have_is_not_asked_for_again() {
    let workspace = workspace();
    let whole = one_host_sheet(&workspace);
    let (common, rest) = whole.split_once("\n[subnet.lan]").unwrap();
    let (shared, host) = rest.split_once("\n[[host]]").unwrap();
    workspace.write("shared.toml", format!("format = 1\n\n[subnet.lan]{shared}"));
    workspace.write(
        "gauge.toml",
        format!(
            "{}\n[[host]]{host}",
            common.replace("format = 1\n", "format = 1\ninclude = [\"shared.toml\"]\n")
        ),
    );
    let before = workspace.read("gauge.toml");
    let mut session = at_terminal(&workspace, &["gauge.toml", "--plain"]);
    talk(
        &mut session,
        &[
            ("Is that right?", "host"),
            ("Which other hosts?", "gauge-02"),
            ("How is gauge-02 connected?", ""),
            ("Which port of gauge-02?", ""),
            ("What is the address of gauge-02? [10.64.10.2]", ""),
            ("Does gauge-02 have another link?", ""),
            ("Which other hosts?", ""),
            ("Is that right?", "accept"),
        ],
    );
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    let added =
        "\n[[host]]\nname = \"gauge-02\"\nlink.eth0 = { subnet = \"lan\", address = \"10.64.10.2\" }\n";
    assert_eq!(workspace.read("gauge.toml"), format!("{before}{added}"));
}

/// A sheet whose package is out of reach is not called right, whatever else is.
#[test]
fn what_could_not_be_looked_at_keeps_a_sheet_from_being_accepted() {
    let workspace = Workspace::demo();
    fs::remove_dir_all(workspace.path().join("packages")).unwrap();
    let mut session = at_terminal(&workspace, &["harbor.toml", "--plain"]);
    let shown = session.exp_string("Is that right?").unwrap();
    assert!(shown.contains("error: logbook-1: "), "{shown}");
    session.send_line("accept").unwrap();
    session.exp_string("(package-not-looked-at)").unwrap();
    talk(&mut session, &[("Is that right?", "leave")]);
    assert_eq!(end(session).0, Some(1));
}
