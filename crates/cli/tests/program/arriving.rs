//! `probe after`, with nothing but loopback: the machines of a sheet are played after their first start, with each thing that can be
//! wrong.

use std::collections::BTreeSet;
use std::fs;
use std::process::Stdio;
use std::time::{Duration, Instant};

use impostazione_core::catalog;
use impostazione_core::finding::{Asked, Examples};
use serde_json::Value;

use crate::page::Page;
use crate::probing::{Played, interrupt, lines, rules_of, sheet};
use crate::support::{KEY, Run, Workspace};

/// A workspace with a sheet in which everything can be asked about, and the store that its host keys are in.
pub(crate) fn workspace() -> Workspace {
    let workspace = Workspace::new().with_example_packages();
    workspace.write("clock.secret", "HEX:00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff\n");
    let with_keys = sheet()
        .replace("timezone = \"Europe/Rome\"", "timezone = \"Europe/Rome\"\nssh = { host_key = true }")
        .replace("name = \"logbook-1\"", "name = \"logbook-{1..2}\"")
        .replace("address = \"10.64.10.61\"", "address = \"10.64.10.{61..62}\"")
        .replace("size = 1", "size = 2");
    workspace.write("sheet.toml", with_keys);
    for line in ["secret recipients sheet.toml --new-key harbor.key", "secret generate sheet.toml"] {
        let run = workspace.run(&line.split(' ').collect::<Vec<_>>());
        assert_eq!(run.code, 0, "{}{}", run.stdout, run.stderr);
    }
    assert!(workspace.exists(KEY));
    workspace
}

/// Plays the site with faults, and asks its machines.
fn arrived(workspace: &Workspace, faults: &str, more: &str) -> Run {
    let played = Played::by(workspace, &format!("mock-site sheet.toml --map map.toml {faults}"));
    let run = asked(workspace, more);
    assert!(played.end().success());
    run
}

fn asked(workspace: &Workspace, more: &str) -> Run {
    let line = format!("probe after sheet.toml --through map.toml {more}");
    workspace.run(&line.split_whitespace().collect::<Vec<_>>())
}

/// A text with the digests of host keys, which are another at every run, in one form.
fn without_keys(text: &str) -> String {
    let mut shown = String::new();
    for (nth, part) in text.split("SHA256:").enumerate() {
        let digest =
            part.bytes().take_while(|byte| byte.is_ascii_alphanumeric() || b"+/".contains(byte)).count();
        shown += if nth == 0 { part } else { "SHA256:…" };
        shown += if nth == 0 { "" } else { &part[digest..] };
    }
    shown
}

fn machine<'a>(report: &'a Value, name: &str) -> &'a Value {
    let machines = report["machines"].as_array().unwrap();
    machines.iter().find(|machine| machine["machine"] == name).unwrap()
}

fn report(run: &Run) -> Value {
    serde_json::from_str(&run.stdout).unwrap_or_else(|_| panic!("{}{}", run.stdout, run.stderr))
}

#[test]
fn each_wrong_example_gives_its_rule_alone_and_the_right_one_nothing() {
    let workspace = workspace();
    let first = arrived(&workspace, "", "--format json");
    assert_eq!((rules_of(&first), first.code), (BTreeSet::new(), 0), "{}", first.stdout);
    // What is played instead of a certificate shows only where there was one.
    assert_eq!(arrived(&workspace, "", "--remember --only logbook-2").code, 0);
    let mut page = Page::on("findings-arrival");
    let mut astray = Vec::new();
    let is_meant = |asked: &[Asked]| asked == [Asked::After];
    let mut tried = 0;
    for rule in
        catalog::all().iter().filter(|rule| rule.examples == Examples::Network && is_meant(rule.asked))
    {
        // What stands in the user's own list is tried below.
        if rule.name == "probe-known-hosts-old" {
            continue;
        }
        let [play, ask] = lines(rule.wrong);
        let played = Played::by(&workspace, &play);
        let run = workspace.run(&(ask + " --format json").split_whitespace().collect::<Vec<_>>());
        assert!(played.end().success());
        tried += 1;
        if rules_of(&run) != BTreeSet::from([rule.name.to_owned()]) {
            astray.push(format!("{}: {}", rule.name, run.stdout));
        }
        let report = report(&run);
        page.add(&without_keys(&{
            let mut one = Page::on("");
            one.findings(report["findings"].as_array().unwrap());
            one.into_text()
        }));
        assert_eq!(run.code, i32::from(report["summary"]["errors"].as_u64().unwrap() > 0));
    }
    assert!(tried > 10 && astray.is_empty(), "{tried} {}", astray.join("\n"));
    page.keep();
}

#[test]
fn what_machines_have_come_to_is_told_together() {
    let workspace = workspace();
    let mut page = Page::on("probing-after");
    page.heading("several faults");
    let faults = "--fault other-key=gauge-01 --fault not-ready=lamp-01 --fault old-address=signal-tower \
        --fault silent=logbook-1 --fault plain-http=logbook-2";
    let run = arrived(&workspace, faults, "");
    page.add(&without_keys(&run.stdout));
    assert_eq!((run.code, run.stderr.as_str()), (1, ""));
    page.heading("none");
    let run = arrived(&workspace, "", "");
    page.add(&without_keys(&run.stdout));
    assert_eq!((run.code, run.stderr.as_str()), (0, ""));
    page.heading("what would be asked");
    let run = asked(&workspace, "--dry-run");
    assert_eq!(run.code, 3, "the map has gone");
    let run = workspace.run(&["probe", "after", "sheet.toml", "--dry-run", "--wait", "15m"]);
    page.add(&run.stdout);
    assert_eq!(run.code, 0);
    page.keep();
}

#[test]
fn what_a_machine_serves_and_its_other_addresses_are_asked_for_too() {
    let workspace = workspace();
    let rules = |faults: &str| {
        let run = arrived(&workspace, faults, "--format json");
        (rules_of(&run), report(&run))
    };
    let (found, report) = rules("--fault serves-nothing=signal-tower");
    assert_eq!(found, BTreeSet::from(["probe-ntp-silent".to_owned()]));
    assert_eq!(machine(&report, "signal-tower")["state"], "wrong");
    let (found, _) = rules("--fault unsynchronized=10.64.10.31");
    assert_eq!(found, BTreeSet::from(["probe-ntp-unsynchronized".to_owned()]));
    let (found, report) = rules("--fault old-address=signal-tower");
    assert_eq!(found, BTreeSet::from(["probe-old-address-answers".to_owned()]));
    assert_eq!(report["summary"]["errors"], 1, "after the first boot that is an error");
    let (found, report) = rules("--fault silent=fd64:10::12");
    assert_eq!(found, BTreeSet::from(["probe-machine-silent".to_owned()]));
    assert_eq!(
        report["findings"][0]["message"].as_str().unwrap().split(':').next(),
        Some("lamp-01 answers, but not at fd64")
    );
    let (found, report) =
        rules("--fault silent=logbook-1 --fault silent=logbook-2 --fault no-virtual-address=logbook");
    assert_eq!(
        found,
        BTreeSet::from(["probe-machine-silent".to_owned()]),
        "nobody of the cluster answers: {report}"
    );
}

#[test]
fn a_name_server_of_the_sheet_answers_for_itself_and_for_another() {
    let workspace = workspace();
    let with_dns = workspace
        .read("sheet.toml")
        .replace("serves = [\"ntp\"]", "serves = [\"dns\"]")
        .replace("dns      = [\"10.64.10.53\",", "dns      = [\"10.64.10.31\", \"10.64.10.53\",");
    workspace.write("sheet.toml", with_dns);
    let rules = |faults: &str| rules_of(&arrived(&workspace, faults, "--format json"));
    assert_eq!(rules(""), BTreeSet::new());
    assert_eq!(rules("--fault serves-nothing=signal-tower"), BTreeSet::from(["probe-dns-silent".to_owned()]));
    assert_eq!(rules("--fault no-name=signal-tower"), BTreeSet::from(["probe-name-missing".to_owned()]));
    assert_eq!(rules("--fault other-name=gauge-01"), BTreeSet::from(["probe-name-differs".to_owned()]));
}

#[test]
fn a_machine_that_starts_slowly_is_waited_for() {
    let workspace = workspace();
    let played = Played::by(&workspace, "mock-site sheet.toml --map map.toml --fault slow=logbook-1,6s");
    let at_once = asked(&workspace, "--format json");
    assert_eq!((at_once.code, rules_of(&at_once)), (1, BTreeSet::from(["probe-member-missing".to_owned()])));
    let started = Instant::now();
    let run = asked(&workspace, "--wait 1m");
    assert_eq!(run.code, 0, "{}{}", run.stdout, run.stderr);
    assert!(started.elapsed() < Duration::from_secs(20), "whoever is right is waited for no longer");
    let states: Vec<&str> = run.stderr.lines().filter(|line| line.contains("logbook-1")).collect();
    assert!(states.len() >= 2 && states[0].contains("starting"), "{}", run.stderr);
    assert!(states.last().unwrap().contains("right"), "{}", run.stderr);
    drop(played);
}

#[test]
fn one_that_never_comes_is_an_error_when_the_wait_ends() {
    let workspace = workspace();
    let started = Instant::now();
    let run = arrived(&workspace, "--fault silent=gauge-01", "--wait 3s --format json");
    assert!(started.elapsed() >= Duration::from_secs(3));
    assert_eq!((run.code, rules_of(&run)), (1, BTreeSet::from(["probe-machine-silent".to_owned()])));
    let report = report(&run);
    assert_eq!(machine(&report, "gauge-01")["state"], "starting");
    let says = report["findings"][0]["message"].as_str().unwrap();
    assert!(says.contains("It may take 5 min to start, and was waited for 3 s."), "{says}");
    assert_eq!(run.stderr, "");
}

#[test]
fn what_cannot_get_right_any_more_is_not_waited_for() {
    let workspace = workspace();
    let started = Instant::now();
    let run = arrived(
        &workspace,
        "--fault other-key=gauge-01 --fault unproved-key=lamp-01",
        "--wait 10m --format json",
    );
    assert!(started.elapsed() < Duration::from_secs(20), "{}", run.stdout);
    let expected = ["probe-host-key-differs", "probe-host-key-unproved"].map(str::to_owned);
    assert_eq!((run.code, rules_of(&run)), (1, BTreeSet::from(expected)));
}

#[test]
fn another_certificate_is_noticed_and_does_not_replace_the_first() {
    let workspace = workspace();
    let first = arrived(&workspace, "", "--remember");
    assert!(
        first.stdout.contains("2 certificates remembered in sheet.certificates.toml"),
        "{}",
        first.stdout
    );
    let kept = workspace.read("sheet.certificates.toml");
    for more in ["", "--remember"] {
        let run =
            arrived(&workspace, "--fault other-certificate=logbook-2", &format!("{more} --format json"));
        assert_eq!(rules_of(&run), BTreeSet::from(["probe-certificate-differs".to_owned()]));
        assert_eq!(workspace.read("sheet.certificates.toml"), kept);
    }
    let run = arrived(&workspace, "--fault old-tls=logbook-2", "--format json");
    let expected = ["probe-tls-too-old", "probe-not-looked-at"].map(str::to_owned);
    assert_eq!(rules_of(&run), BTreeSet::from(expected), "a certificate that was remembered was not seen");
    let run = arrived(&workspace, "--fault plain-http=logbook-2", "--format json");
    let expected = ["probe-plain-http", "probe-not-looked-at"].map(str::to_owned);
    assert_eq!(rules_of(&run), BTreeSet::from(expected));
    workspace.write(
        "sheet.certificates.toml",
        "format = 1\n[[certificate]]\nmachine = \"logbook-1\"\nsha256 = \"ab\"\n",
    );
    let run = arrived(&workspace, "", "");
    assert_eq!(run.code, 3, "{}", run.stdout);
    assert!(run.stderr.contains("that is not 32 pairs of hexadecimal digits"), "{}", run.stderr);
}

#[test]
fn an_older_line_of_the_users_own_list_is_named_with_the_command_that_removes_it() {
    let workspace = workspace();
    let own = workspace.state().join(".ssh");
    fs::create_dir(&own).unwrap();
    let key = workspace.read("keys/pilot.pub");
    let key: Vec<&str> = key.split_whitespace().take(2).collect();
    let lines = format!("# mine\n10.64.99.9 {0}\n10.64.10.11,gauge-01 {0}\nnonsense\n", key.join(" "));
    fs::write(own.join("known_hosts"), lines).unwrap();
    let run = arrived(&workspace, "", "--format json");
    assert_eq!(rules_of(&run), BTreeSet::from(["probe-known-hosts-old".to_owned()]));
    let report = report(&run);
    let finding = &report["findings"][0];
    assert!(
        finding["message"]
            .as_str()
            .unwrap()
            .starts_with("Line 3 of ~/.ssh/known_hosts has another host key for gauge-01")
    );
    assert_eq!(finding["fix"], "ssh-keygen -R gauge-01 -f ~/.ssh/known_hosts");
}

#[test]
fn host_keys_may_come_from_a_list_and_without_any_they_are_not_called_right() {
    let workspace = workspace();
    let rendered = workspace.run(&["render", "sheet.toml", "--into", "output"]);
    assert_eq!(rendered.code, 0, "{}", rendered.stderr);
    let played = Played::by(&workspace, "mock-site sheet.toml --map map.toml");
    fs::rename(workspace.path().join(KEY), workspace.path().join("put-away")).unwrap();
    let with_list = asked(&workspace, "--known-hosts output/known_hosts --format json");
    assert_eq!((with_list.code, rules_of(&with_list)), (0, BTreeSet::new()), "{}", with_list.stdout);
    assert_eq!(machine(&report(&with_list), "gauge-01")["host_key"]["known"], true);
    // Neither the store's key nor a list.
    let without = asked(&workspace, "--format json");
    assert_eq!(rules_of(&without), BTreeSet::from(["probe-not-looked-at".to_owned()]));
    assert_eq!(machine(&report(&without), "gauge-01")["state"], "unknown");
    // A list that knows only one of them.
    let list = workspace.read("output/known_hosts");
    let one: String = list.lines().filter(|line| line.contains("gauge-01")).collect();
    workspace.write("one", one + "\n");
    let with_one = asked(&workspace, "--known-hosts one --format json");
    assert_eq!(machine(&report(&with_one), "gauge-01")["state"], "right");
    assert_eq!(machine(&report(&with_one), "lamp-01")["state"], "unknown");
    for (file, says) in [("none", "does not exist"), ("sheet.toml", "has no host key")] {
        let run = asked(&workspace, &format!("--known-hosts {file}"));
        assert_eq!(run.code, 3);
        assert!(run.stderr.contains(says), "{}", run.stderr);
    }
    drop(played);
}

#[test]
fn a_report_is_kept_with_its_time_and_not_written_over_another() {
    let workspace = workspace();
    let played = Played::by(&workspace, "mock-site sheet.toml --map map.toml --fault silent=gauge-01");
    let run = asked(&workspace, "--to started.json");
    assert_eq!(run.code, 1);
    let kept: Value = serde_json::from_str(&workspace.read("started.json")).unwrap();
    assert_eq!((&kept["when"], &kept["format"]), (&Value::from("after"), &Value::from(1)));
    let at: jiff::Timestamp = kept["asked_at"].as_str().unwrap().parse().unwrap();
    assert!(jiff::Timestamp::now().as_second() - at.as_second() < 60);
    assert_eq!(kept["findings"].as_array().unwrap().len(), 1);
    let sarif = asked(&workspace, "--format sarif");
    let sarif: Value = serde_json::from_str(&sarif.stdout).unwrap();
    assert_eq!(sarif["runs"][0]["results"][0]["ruleId"], "probe-machine-silent");
    let again = asked(&workspace, "--to started.json");
    assert_eq!(again.code, 3);
    assert!(again.stderr.contains("a report is not written over another"), "{}", again.stderr);
    // Before anything is waited for, it is said that there is no place for the report.
    let nowhere = asked(&workspace, "--wait 10m --to none/started.json");
    assert_eq!((nowhere.code, nowhere.stdout.as_str()), (3, ""));
    assert!(nowhere.stderr.contains("there is no folder none"), "{}", nowhere.stderr);
    let line = "probe before sheet.toml --through map.toml --to before.json";
    workspace.run(&line.split(' ').collect::<Vec<_>>());
    let kept: Value = serde_json::from_str(&workspace.read("before.json")).unwrap();
    assert_eq!(kept["when"], "before");
    assert!(kept["asked_at"].is_string());
    drop(played);
}

#[test]
fn ctrl_c_while_waiting_tells_what_is_known() {
    let workspace = workspace();
    let played = Played::by(&workspace, "mock-site sheet.toml --map map.toml --fault silent=gauge-01");
    let words = "probe after sheet.toml --through map.toml --wait 10m --format json";
    let mut command = workspace.command(&words.split(' ').collect::<Vec<_>>());
    let child = command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    std::thread::sleep(Duration::from_secs(2));
    interrupt(child.id());
    let started = Instant::now();
    let output = child.wait_with_output().unwrap();
    assert!(started.elapsed() < Duration::from_secs(5));
    assert_eq!(output.status.code(), Some(3), "no error was found, and not all was asked");
    let report: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(machine(&report, "lamp-01")["state"], "right");
    assert_eq!(report["findings"][0]["rule"], "probe-not-looked-at");
    let says = report["findings"][0]["message"].as_str().unwrap();
    assert!(says.contains("stopped while it was waited for; so far: no answer at 10.64.10.11"), "{says}");
    assert!(played.end().success());
}

#[test]
fn two_reports_are_compared() {
    let workspace = workspace();
    let keep = |faults: &str, more: &str| {
        arrived(&workspace, faults, more);
    };
    keep("--fault silent=gauge-01 --fault plain-http=logbook-2", "--to first.json");
    keep("--fault plain-http=logbook-2 --fault not-ready=lamp-01", "--to second.json");
    let mut page = Page::on("probing-compared");
    page.heading("two days");
    let run = workspace.run(&["compare", "first.json", "second.json"]);
    page.add(&without_keys(&run.stdout));
    assert_eq!(run.code, 1);
    page.heading("one machine");
    let run = workspace.run(&["compare", "first.json", "second.json", "--only", "lamp-*"]);
    page.add(&without_keys(&run.stdout));
    page.heading("the same");
    assert_eq!(page.run(&workspace, "compare first.json first.json").code, 0);
    let line = "mock-site sheet.toml --map map.toml --fault taken=gauge-01";
    let played = Played::by(&workspace, line);
    let before = "probe before sheet.toml --through map.toml --to before.json";
    workspace.run(&before.split(' ').collect::<Vec<_>>());
    drop(played);
    page.heading("before and after");
    let run = workspace.run(&["compare", "before.json", "second.json"]);
    page.add(&without_keys(&run.stdout));
    assert_eq!(run.code, 1);
    page.heading("something else");
    assert_eq!(page.run(&workspace, "compare first.json sheet.toml").code, 2);
    assert_eq!(page.run(&workspace, "inspect first.json").code, 2);
    page.keep();
}

#[test]
fn what_was_not_looked_at_is_not_called_the_same() {
    let workspace = workspace();
    let played = Played::by(&workspace, "mock-site sheet.toml --map map.toml");
    fs::rename(workspace.path().join(KEY), workspace.path().join("put-away")).unwrap();
    asked(&workspace, "--to first.json");
    let run = workspace.run(&["compare", "first.json", "first.json"]);
    assert_eq!(run.code, 3, "{}", run.stdout);
    assert!(run.stdout.contains("The host key of"), "{}", run.stdout);
    drop(played);
}

#[test]
#[ignore = "needs a terminal from script (bsdutils), which .ci/run installs"]
fn ctrl_c_on_a_terminal_takes_the_table_away() {
    let workspace = workspace();
    let played = Played::by(&workspace, "mock-site sheet.toml --map map.toml --fault silent=gauge-01");
    let program = assert_cmd::cargo::cargo_bin("impostazione");
    let line = format!(
        "timeout --foreground -s INT 3 '{}' probe after sheet.toml --through map.toml --wait 10m",
        program.display()
    );
    let output = workspace
        .command_of("script")
        .args(["-qec", &line, "/dev/null"])
        .env("TERM", "xterm")
        .stdin(Stdio::null())
        .output()
        .unwrap();
    let shown = String::from_utf8_lossy(&output.stdout).into_owned();
    let table = shown.find("asking the machines").expect("there is a table");
    let report = shown.rfind("machine").unwrap();
    assert!(table < report, "{shown}");
    // The table lives while it waits, and nothing of it is drawn after what was known was told.
    let end = &shown[shown.find("probe-not-looked-at").expect("what is known is told")..];
    assert!(!end.contains("asking the machines") && end.contains("not everything was checked"), "{end}");
    assert_eq!(
        shown.matches("\u{1b}[?25l").count(),
        shown.matches("\u{1b}[?25h").count(),
        "the cursor is there"
    );
    drop(played);
}

#[test]
fn a_host_without_ssh_is_not_called_right() {
    let workspace = workspace();
    let off = workspace.read("sheet.toml").replacen(
        "name = \"gauge-01\"\n",
        "name = \"gauge-01\"\nssh = { enabled = false }\n",
        1,
    );
    workspace.write("sheet.toml", off);
    let run = arrived(&workspace, "", "--only gauge-01 --format json");
    let report = report(&run);
    assert_eq!(machine(&report, "gauge-01")["state"], "unknown", "{report}");
    assert_eq!(rules_of(&run), BTreeSet::from(["probe-not-looked-at".to_owned()]));
    let run = arrived(&workspace, "--fault silent=gauge-01", "--only gauge-01 --format json");
    assert_eq!(rules_of(&run), BTreeSet::from(["probe-machine-silent".to_owned()]));
}

#[test]
#[ignore = "needs the client of OpenSSH (openssh-client), which .ci/run installs"]
fn a_host_that_lets_nobody_in_yet_is_not_ready() {
    let workspace = workspace();
    let run = arrived(&workspace, "", "--only gauge-01 --inside --format json");
    assert_eq!((run.code, rules_of(&run)), (1, BTreeSet::from(["probe-machine-not-ready".to_owned()])));
    let report = report(&run);
    assert_eq!(machine(&report, "gauge-01")["state"], "starting");
    let run = arrived(&workspace, "", "--only gauge-01 --inside --as keper");
    assert_eq!(run.code, 2);
    assert!(run.stderr.contains("the sheet has no such account; did you mean keeper?"), "{}", run.stderr);
}
