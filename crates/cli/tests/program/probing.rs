//! `probe before` and `mock-site`, with nothing but loopback: the site of a sheet is played, with each thing that can be wrong.

use std::collections::BTreeSet;
use std::io::Read as _;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use impostazione_core::catalog;
use impostazione_core::finding::{Asked, Examples, Rule};
use serde_json::Value;

use crate::page::Page;
use crate::support::{Run, Workspace, host, right_sheet};

/// Whether a rule is about what was seen of the network.
pub(crate) fn is_of_network(rule: &str) -> bool {
    rule.starts_with("probe-")
}

/// What is put on top of the right sheet, so that everything can be asked about.
pub(crate) fn sheet() -> String {
    let links = "[[host]]\nname = \"lamp-01\"\nlink.lan0 = { subnet = \"quay\", address = \"10.64.10.12\", \
        address6 = \"fd64:10::12\", mac = \"02:64:10:00:00:12\" }\n\
        [[host]]\nname = \"signal-tower\"\nserves = [\"ntp\"]\n\
        link.eth0 = { subnet = \"quay\", address = \"10.64.10.31\", replaces = \"10.64.10.150\" }\n\
        [cluster.logbook]\nsize = 1\nvirtual_address = { subnet = \"quay\", address = \"10.64.10.60\" }\n\
        [[appliance]]\nname = \"logbook-1\"\ncluster = \"logbook\"\npackage = \"packages/asks.ovf\"\n\
        link.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\
        \"license_server\" = \"10.64.10.9:27000\"\n\
        [time_key.harbor]\nnumber = 10\nalgorithm = \"SHA256\"\nvalue = { secret = \"clock\" }\n\
        [secret.clock]\nfrom = \"file\"\npath = \"clock.secret\"\n";
    right_sheet(&(host("gauge-01", "10.64.10.11") + links))
        .replace(
            "search   = [\"capovetro.example\"]",
            "search   = [\"capovetro.example\", \"quay.capovetro.example\"]\ntime_service = \"chrony\"",
        )
        .replace(
            "ntp      = [\"10.64.10.121\", \"10.64.10.122\",",
            "ntp      = [{ server = \"10.64.10.121\", key = \"harbor\" }, \"10.64.10.122\",",
        )
}

fn workspace() -> Workspace {
    let workspace = Workspace::new().with_example_packages();
    workspace.write("clock.secret", "HEX:00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff\n");
    workspace.write("sheet.toml", sheet());
    workspace
}

/// The stand-ins of a site, which end with it.
pub(crate) struct Played(Child);

impl Played {
    /// Plays a site by this command line, without the program's name, and waits for its map.
    pub(crate) fn by(workspace: &Workspace, line: &str) -> Self {
        let words: Vec<&str> = line.split_whitespace().chain(["--for", "120s", "-q"]).collect();
        let mut command = workspace.command(&words);
        let child =
            command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap();
        let mut played = Self(child);
        let until = Instant::now() + Duration::from_mins(1);
        while !workspace.exists("map.toml") {
            if let Some(status) = played.0.try_wait().unwrap() {
                let mut says = String::new();
                played.0.stderr.take().unwrap().read_to_string(&mut says).unwrap();
                panic!("{line}: {status}: {says}");
            }
            assert!(Instant::now() < until, "{line}: no map");
            std::thread::sleep(Duration::from_millis(10));
        }
        played
    }

    /// Ends it as Ctrl-C does.
    pub(crate) fn end(mut self) -> std::process::ExitStatus {
        interrupt(self.0.id());
        self.0.wait().unwrap()
    }
}

impl Drop for Played {
    fn drop(&mut self) {
        // One that has ended already is not there to be ended.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

pub(crate) fn interrupt(process: u32) {
    let sent = Command::new("kill").args(["-INT", &process.to_string()]).status().unwrap();
    assert!(sent.success());
}

/// Plays the site with faults, and asks it.
fn probed(workspace: &Workspace, faults: &str, more: &str) -> Run {
    let played = Played::by(workspace, &format!("mock-site sheet.toml --map map.toml {faults}"));
    let line = format!("probe before sheet.toml --through map.toml {more}");
    let run = workspace.run(&line.split_whitespace().collect::<Vec<_>>());
    assert!(played.end().success());
    assert!(!workspace.exists("map.toml"), "the map goes with the site");
    run
}

pub(crate) fn rules_of(run: &Run) -> BTreeSet<String> {
    let report: Value =
        serde_json::from_str(&run.stdout).unwrap_or_else(|_| panic!("{}{}", run.stdout, run.stderr));
    let findings = report["findings"].as_array().unwrap();
    findings.iter().map(|finding| finding["rule"].as_str().unwrap().to_owned()).collect()
}

/// The two command lines of an example, without the program's name.
pub(crate) fn lines(example: &str) -> [String; 2] {
    let lines: Vec<String> =
        example.lines().skip(1).map(|line| line.strip_prefix("impostazione ").unwrap().to_owned()).collect();
    lines.try_into().unwrap()
}

/// Whether the example of a rule is a network before the first boot.
fn is_asked_before(rule: &Rule) -> bool {
    rule.examples == Examples::Network && rule.asked.contains(&Asked::Before)
}

#[test]
fn each_wrong_example_gives_its_rule_alone_and_each_right_one_nothing() {
    let workspace = workspace();
    let mut page = Page::on("findings-network");
    let mut astray = Vec::new();
    let mut tried = BTreeSet::new();
    for rule in catalog::all().iter().filter(|rule| is_asked_before(rule)) {
        for (example, expected) in [(rule.wrong, vec![rule.name]), (rule.right, vec![])] {
            // A site without a fault is the right example of most.
            if !tried.insert(example) {
                continue;
            }
            let [play, ask] = lines(example);
            let played = Played::by(&workspace, &play);
            let line = ask + " --format json";
            let run = workspace.run(&line.split_whitespace().collect::<Vec<_>>());
            assert!(played.end().success());
            let found = rules_of(&run);
            if found != expected.iter().map(|name| (*name).to_owned()).collect() {
                astray.push(format!("{}: {found:?}\n{example}{}", rule.name, run.stdout));
            }
            let report: Value = serde_json::from_str(&run.stdout).unwrap();
            page.findings(report["findings"].as_array().unwrap());
            let has_error = report["summary"]["errors"].as_u64().unwrap() > 0;
            assert_eq!(run.code, i32::from(has_error), "{example}");
        }
    }
    assert!(astray.is_empty(), "{}", astray.join("\n"));
    page.keep();
}

#[test]
fn what_can_be_wrong_is_told_together() {
    let workspace = workspace();
    let faults = "--fault taken=gauge-01 --fault no-name=lamp-01 --fault no-reverse=lamp-01 --fault old-address=signal-tower \
        --fault silent=10.64.10.9 --fault clock-off=10.64.10.122,-90s";
    let run = probed(&workspace, faults, "");
    let mut page = Page::on("probing-before");
    page.heading("several faults");
    page.add(&run.stdout);
    page.add(&run.stderr);
    assert_eq!(run.code, 1);
    page.heading("none");
    let run = probed(&workspace, "", "");
    page.add(&run.stdout);
    assert_eq!((run.code, run.stderr.as_str()), (0, ""));
    page.heading("one machine");
    let run = probed(&workspace, faults, "--only lamp-*");
    page.add(&run.stdout);
    assert_eq!(run.code, 1);
    page.keep();
}

#[test]
fn what_would_be_asked_is_shown_and_nothing_is_sent() {
    let workspace = workspace();
    let mut page = Page::on("probing-dry-run");
    let played = Played::by(&workspace, "mock-site sheet.toml --map map.toml");
    page.run(&workspace, "probe before sheet.toml --through map.toml --dry-run --ask-dhcp");
    drop(played);
    page.heading("the site itself");
    let line = "mock-site sheet.toml --map m.toml --for 1s --fault taken=gauge-01 --fault clock-off=2m";
    assert_eq!(page.run(&workspace, line).code, 0);
    assert!(!workspace.exists("m.toml"));
    page.keep();
}

#[test]
fn help_has_every_fault() {
    let help = Workspace::new().run(&["mock-site", "--help"]).stdout;
    let words: Vec<&str> = help.split_whitespace().collect();
    for (kind, _) in impostazione_standin::site::Fault::kinds() {
        assert!(words.iter().any(|word| word.starts_with(&format!("{kind}="))), "{kind}");
    }
}

#[test]
fn a_map_that_is_none_is_refused() {
    let workspace = workspace();
    let mut page = Page::on("probing-refusals");
    let map = |at: &str| {
        format!(
            "format = 2\nsheet = \"sheet.toml\"\n[[address]]\naddress = \"10.64.10.53\"\ncalled = \"a server\"\n\
             before = \"somebody\"\nafter = \"somebody\"\nports = [{{ transport = \"udp\", port = 53, at = \"{at}\" }}]\n"
        )
    };
    page.heading("a map that leads out");
    workspace.write("map.toml", map("10.64.10.53:53"));
    assert_eq!(page.run(&workspace, "probe before sheet.toml --through map.toml").code, 3);
    page.heading("a map of another form");
    workspace.write("map.toml", map("127.0.0.1:53").replace("format = 2", "format = 9"));
    assert_eq!(page.run(&workspace, "probe before sheet.toml --through map.toml").code, 3);
    page.heading("not a map");
    assert_eq!(page.run(&workspace, "probe before sheet.toml --through sheet.toml").code, 3);
    page.heading("no map");
    assert_eq!(page.run(&workspace, "probe before sheet.toml --through none.toml").code, 3);
    page.heading("a sheet with an error");
    workspace.write("wrong.toml", sheet().replace("10.64.10.11", "10.64.11.11"));
    assert_eq!(page.run(&workspace, "probe before wrong.toml --through map.toml").code, 1);
    assert_eq!(page.run(&workspace, "mock-site wrong.toml --map m.toml").code, 1);
    page.heading("faults that the site cannot have");
    for fault in [
        "taken=gauge-1",
        "taken",
        "tooken=gauge-01",
        "already-up=gauge-01",
        "old-address=gauge-01",
        "silent=nobody",
        "clock-off=soon",
        "behind-router=key",
    ] {
        assert_eq!(
            page.run(&workspace, &format!("mock-site sheet.toml --map m.toml --fault {fault}")).code,
            2
        );
        assert!(!workspace.exists("m.toml"));
    }
    page.heading("a map in place of something else");
    for other in ["sheet.toml", "keys", "keys/keeper.pub"] {
        let before = workspace.read("sheet.toml");
        assert_eq!(page.run(&workspace, &format!("mock-site sheet.toml --map {other} --for 1s")).code, 3);
        assert_eq!(workspace.read("sheet.toml"), before);
    }
    page.heading("a map of a site that was killed");
    workspace.write("left.toml", "format = 2\nsheet = \"sheet.toml\"\n");
    assert_eq!(workspace.run(&["mock-site", "sheet.toml", "--map", "left.toml", "--for", "1s"]).code, 0);
    page.heading("a sheet in place of a command");
    assert_eq!(page.run(&workspace, "probe sheet.toml").code, 2);
    assert_eq!(page.run(&workspace, "probe later sheet.toml").code, 2);
    page.heading("no duration, and no name");
    assert_eq!(page.run(&workspace, "mock-site sheet.toml --map m.toml --for soon").code, 2);
    assert_eq!(page.run(&workspace, "probe before sheet.toml --outside-name a..b").code, 2);
    page.keep();
}

#[test]
fn a_server_without_a_port_and_one_that_dns_does_not_know() {
    let workspace = workspace();
    let mut page = Page::on("probing-servers-of-answers");
    page.heading("no port");
    workspace.write("sheet.toml", sheet().replace("10.64.10.9:27000", "10.64.10.9"));
    let run = probed(&workspace, "", "--format json");
    assert_eq!(rules_of(&run), BTreeSet::from(["probe-not-looked-at".to_owned()]));
    let findings = |run: &Run| {
        let report: Value = serde_json::from_str(&run.stdout).unwrap();
        report["findings"].as_array().unwrap().clone()
    };
    page.findings(&findings(&run));
    page.heading("by name, which DNS knows");
    let named = sheet().replace("10.64.10.9:27000", "licenses.capovetro.example:27000");
    workspace.write("sheet.toml", &named);
    let run = probed(&workspace, "", "--format json");
    assert_eq!(rules_of(&run), BTreeSet::new(), "{}", run.stdout);
    page.heading("by name, which DNS does not know");
    // The map and the servers of a site without that name.
    workspace.write("sheet.toml", sheet());
    let _played = Played::by(&workspace, "mock-site sheet.toml --map map.toml");
    workspace.write("sheet.toml", &named);
    let run = workspace.run(&["probe", "before", "sheet.toml", "--through", "map.toml", "--format", "json"]);
    assert_eq!(rules_of(&run), BTreeSet::from(["probe-name-missing".to_owned()]), "{}", run.stdout);
    page.findings(&findings(&run));
    page.keep();
}

#[test]
fn what_the_map_does_not_have_was_not_looked_at() {
    let workspace = workspace();
    // A map of another sheet: no address of this one is in it.
    workspace.write("map.toml", "format = 2\nsheet = \"other.toml\"\n");
    let run = workspace.run(&["probe", "before", "sheet.toml", "--through", "map.toml", "--format", "json"]);
    assert_eq!(rules_of(&run), BTreeSet::from(["probe-not-looked-at".to_owned()]));
    let report: Value = serde_json::from_str(&run.stdout).unwrap();
    for about in report["asked"].as_array().unwrap() {
        assert_eq!((&about["right"], &about["wrong"]), (&0.into(), &0.into()), "{about}");
    }
}

#[test]
fn a_waiver_is_for_the_command_that_finds_its_rule() {
    let workspace = workspace();
    let waiver = |rule: &str, machines: &str| {
        format!("[[waiver]]\nrule = \"{rule}\"\n{machines}reason = \"known\"\nuntil = 2099-06-30\n")
    };
    let asked = |end: &str, faults: &str, more: &str| {
        workspace.write("sheet.toml", sheet() + end);
        assert_eq!(workspace.run(&["check", "sheet.toml", "-q"]).stdout, "", "nothing for `check`: {end}");
        let run = probed(&workspace, faults, &format!("--format json {more}"));
        let report: Value = serde_json::from_str(&run.stdout).unwrap();
        let findings = report["findings"].as_array().unwrap().iter();
        let found: Vec<(String, bool)> = findings
            .map(|finding| (finding["rule"].as_str().unwrap().to_owned(), finding["waived"] == true))
            .collect();
        (run.code, found)
    };
    let missing = "probe-name-missing";
    let waived = (0, vec![(missing.to_owned(), true)]);
    let for_gauge = waiver(missing, "machines = [\"gauge-*\"]\n");
    assert_eq!(asked(&for_gauge, "--fault no-name=gauge-01", ""), waived);
    // Written for nothing.
    let unmatched = (0, vec![("waiver-unmatched".to_owned(), false)]);
    assert_eq!(asked(&for_gauge, "", ""), unmatched);
    // It was not asked about all machines that it is for.
    assert_eq!(asked(&waiver(missing, ""), "", "--only lamp-*"), (0, vec![]));
    assert_eq!(asked(&for_gauge, "", "--only lamp-*"), (0, vec![]));
    // Something about them could not be looked at.
    let taken = waiver("probe-address-taken", "machines = [\"gauge-*\"]\n");
    let unlooked = (0, vec![("probe-not-looked-at".to_owned(), false)]);
    assert_eq!(asked(&taken, "--fault behind-router=quay", ""), unlooked);
    assert_eq!(asked(&taken, "", ""), unmatched);
    // A server that may be the one at which the name is missing does not answer.
    let silent = (1, vec![("probe-dns-silent".to_owned(), false)]);
    assert_eq!(asked(&for_gauge, "--fault silent=10.64.10.54", ""), silent);
    // What could not be looked at is set aside by nobody.
    workspace.write("sheet.toml", sheet() + &waiver("probe-not-looked-at", ""));
    let check = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    assert_eq!(rules_of(&check), BTreeSet::from(["waiver-not-allowed".to_owned()]));
}

#[test]
fn in_a_lab_what_is_a_matter_of_judgment_is_less_grave() {
    let workspace = workspace();
    workspace.write("sheet.toml", sheet().replace("[common]", "[common]\npurpose = \"lab\""));
    let run = probed(&workspace, "--fault no-reverse=gauge-01", "--format json");
    let report: Value = serde_json::from_str(&run.stdout).unwrap();
    assert_eq!(report["findings"][0]["severity"], "note");
}

/// A run that is interrupted while it asks ports at which nobody ever answers; the site has these faults.
fn interrupted(faults: &str, more: &[&str]) -> Run {
    let workspace = workspace();
    let played = Played::by(&workspace, &format!("mock-site sheet.toml --map map.toml {faults}"));
    let deaf = std::net::UdpSocket::bind("127.0.0.1:0").unwrap();
    let map = workspace.read("map.toml");
    let to_the_deaf = |line: &str| {
        let is_port = line.starts_with("at = ");
        if is_port { format!("at = \"{}\"", deaf.local_addr().unwrap()) } else { line.to_owned() }
    };
    workspace.write("deaf.toml", map.lines().map(to_the_deaf).collect::<Vec<_>>().join("\n"));
    assert!(played.end().success());
    let words = [&["probe", "before", "sheet.toml", "--through", "deaf.toml"], more].concat();
    let mut command = workspace.command(&words);
    let child = command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    std::thread::sleep(Duration::from_millis(700));
    interrupt(child.id());
    let started = Instant::now();
    let output = child.wait_with_output().unwrap();
    assert!(started.elapsed() < Duration::from_secs(10));
    Run {
        code: output.status.code().unwrap(),
        stdout: String::from_utf8(output.stdout).unwrap(),
        stderr: String::from_utf8(output.stderr).unwrap(),
    }
}

#[test]
fn ctrl_c_tells_what_is_known_and_does_not_call_it_all() {
    let run = interrupted("--fault taken=gauge-01", &["--format", "json"]);
    let expected = ["probe-address-taken", "probe-not-looked-at"].map(str::to_owned);
    assert_eq!(rules_of(&run), BTreeSet::from(expected), "{}", run.stdout);
    assert!(run.stdout.contains("the command was stopped before that"), "{}", run.stdout);
    assert_eq!(run.code, 1);
}

#[test]
fn a_run_that_was_cut_off_without_an_error_does_not_end_well() {
    let run = interrupted("", &["-q"]);
    assert_eq!(run.code, 3, "{}", run.stderr);
    assert!(run.stderr.contains("not everything was asked: the command was stopped"), "{}", run.stderr);
}

/// What is answered to a question.
type Answer = fn(&[u8]) -> Vec<u8>;

/// Answers whatever is asked over UDP, by a function, until the test ends.
fn answering(answer: impl Fn(&[u8]) -> Vec<u8> + Send + 'static) -> std::net::SocketAddr {
    let socket = std::net::UdpSocket::bind("127.0.0.1:0").unwrap();
    let at = socket.local_addr().unwrap();
    std::thread::spawn(move || {
        let mut question = [0; 2048];
        while let Ok((length, from)) = socket.recv_from(&mut question) {
            socket.send_to(&answer(&question[..length]), from).unwrap();
        }
    });
    at
}

/// Plays a right site, with a map on which a UDP port is at another place.
fn map_to(workspace: &Workspace, port: u16, at: std::net::SocketAddr) -> Played {
    let played = Played::by(workspace, "mock-site sheet.toml --map map.toml");
    let mut map: toml::Table = workspace.read("map.toml").parse().unwrap();
    for address in map["address"].as_array_mut().unwrap() {
        let ports = address.get_mut("ports").and_then(toml::Value::as_array_mut);
        for one in ports.into_iter().flatten() {
            if one["transport"].as_str() == Some("udp") && one["port"].as_integer() == Some(port.into()) {
                one.as_table_mut().unwrap().insert("at".into(), at.to_string().into());
            }
        }
    }
    workspace.write("other-map.toml", map.to_string());
    played
}

#[test]
fn answers_that_are_none_are_told_as_such() {
    let workspace = workspace();
    let asked = ["probe", "before", "sheet.toml", "--through", "other-map.toml", "--format", "json"];
    let mut page = Page::on("probing-odd-answers");
    let cases: [(&str, u16, Answer); 5] = [
        ("DNS: the question itself", 53, <[u8]>::to_vec),
        ("DNS: bytes of any kind", 53, |_| vec![0xff; 700]),
        ("DNS: another question's number", 53, |question| {
            let mut answer = question.to_vec();
            answer[0] ^= 0xff;
            answer[2] |= 0x80;
            answer
        }),
        ("NTP: the question itself", 123, <[u8]>::to_vec),
        ("NTP: a few bytes", 123, |_| vec![0x24; 9]),
    ];
    for (heading, port, answer) in cases {
        let played = map_to(&workspace, port, answering(answer));
        let run = workspace.run(&asked);
        assert!(played.end().success());
        page.heading(heading);
        let report: Value = serde_json::from_str(&run.stdout).unwrap();
        let findings: Vec<Value> = report["findings"].as_array().unwrap().clone();
        let is_of_port = |finding: &&Value| {
            let rule = finding["rule"].as_str().unwrap();
            rule == if port == 53 { "probe-dns-silent" } else { "probe-ntp-silent" }
        };
        assert!(findings.iter().any(|finding| is_of_port(&finding)), "{heading}: {}", run.stdout);
        page.findings(&findings);
        assert_eq!(run.code, 1, "{heading}");
    }
    page.keep();
}

/// A name with an escape sequence that would color the terminal.
#[test]
fn names_that_a_network_answers_do_not_drive_the_terminal() {
    let workspace = workspace();
    let at = answering(|question| {
        let end = 12 + question[12..].iter().position(|byte| *byte == 0).unwrap() + 5;
        let is_of_an_address = question[end - 3] == 12;
        let mut answer = question[..end].to_vec();
        answer[2] = 0x85;
        answer[3] = if is_of_an_address { 0x80 } else { 0x83 };
        answer[6..12].copy_from_slice(&[0, u8::from(is_of_an_address), 0, 0, 0, 0]);
        if is_of_an_address {
            let label = b"\x1b[31mcrane\n\x07";
            answer.extend_from_slice(&[0xc0, 0x0c, 0, 12, 0, 1, 0, 0, 0, 60, 0, 14, 12]);
            answer.extend_from_slice(label);
            answer.push(0);
        }
        answer
    });
    let _played = map_to(&workspace, 53, at);
    for format in ["text", "json", "sarif"] {
        let run = workspace.run(&[
            "probe",
            "before",
            "sheet.toml",
            "--through",
            "other-map.toml",
            "--color",
            "never",
            "--format",
            format,
        ]);
        assert!(run.stdout.contains("crane"), "{}", run.stdout);
        assert!(!run.stdout.contains(['\u{1b}', '\u{7}']), "{}", run.stdout);
    }
}

#[test]
fn a_closed_pipe_is_no_error() {
    let workspace = workspace();
    let played = Played::by(&workspace, "mock-site sheet.toml --map map.toml --fault taken=gauge-01");
    let mut command = workspace.command(&["probe", "before", "sheet.toml", "--through", "map.toml"]);
    let mut child =
        command.stdin(Stdio::null()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    drop(child.stdout.take());
    let output = child.wait_with_output().unwrap();
    assert_eq!(String::from_utf8_lossy(&output.stderr), "");
    assert_eq!(output.status.code(), Some(1));
    assert!(played.end().success());
}

#[test]
fn a_key_whose_value_is_not_there_is_not_looked_at() {
    let workspace = workspace();
    std::fs::remove_file(workspace.path().join("clock.secret")).unwrap();
    let run = probed(&workspace, "", "--format json");
    assert_eq!(rules_of(&run), BTreeSet::from(["probe-not-looked-at".to_owned()]));
    assert!(run.stdout.contains("the value of its key is not available"), "{}", run.stdout);
}
