//! No value of a secret comes out where it does not belong: unmistakable values go in through every source, every command
//! is run at its most talkative, with right and with wrong input, and all that comes back is searched.

use std::collections::BTreeSet;
use std::fs;
use std::io::Write as _;
use std::process::Stdio;
use std::sync::LazyLock;

use aho_corasick::AhoCorasick;

use crate::card::Card;
use crate::support::{KEY, Run, Workspace, right_sheet};

/// A value for each way in.
const STORED_1: &str = "Qstored-1-Xgull-Hmole-Tcrane";
const STORED_2: &str = "Qstored-2-Xlamp-Hpier-Tanchor";
const BY_VARIABLE: &str = "Qvariable-Xrope-Hbell-Tlantern";
const BY_FILE: &str = "Qfile-Xbuoy-Ht-7";
const RADIO: &str = "Qradio-Xfoghorn-Hkeel-Tsluice";
const CLOCK: &str = "Qclock-Xwinch-Hdock-Tferry-Yoar";
const IN_SHEET: &str = "Qsheet-Xharpoon-Hcapstan-Tballast";
const IN_ROW: &str = "Qrow-Xcut-Hsl-77";

const ALL: [&str; 8] = [STORED_1, STORED_2, BY_VARIABLE, BY_FILE, RADIO, CLOCK, IN_SHEET, IN_ROW];

fn base64(bytes: &[u8]) -> String {
    const DIGITS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    bytes
        .chunks_exact(3)
        .flat_map(|three| {
            let bits = u32::from(three[0]) << 16 | u32::from(three[1]) << 8 | u32::from(three[2]);
            [18, 12, 6, 0].map(|shift| char::from(DIGITS[(bits >> shift & 63) as usize]))
        })
        .collect()
}

/// The forms in which a value could stand in a text: as it is, in base64 wherever it begins there, and in hexadecimal digits.
fn forms(value: &str) -> Vec<Vec<u8>> {
    let bytes = value.as_bytes();
    let hex = bytes.iter().map(|byte| format!("{byte:02x}")).collect::<Vec<String>>().concat();
    let mut forms = vec![value.to_owned(), hex.to_uppercase(), hex];
    forms.extend((0..3).map(|skipped| base64(&bytes[skipped..])));
    forms.into_iter().map(String::into_bytes).collect()
}

#[test]
fn the_forms_are_found() {
    assert_eq!(base64(b"gulls!"), "Z3VsbHMh");
    assert!(forms("gulls!").contains(&b"67756c6c7321".to_vec()));
}

/// What of these values is in a text, in whatever form.
fn leaked(text: &[u8]) -> Vec<&'static str> {
    static FORMS: LazyLock<(AhoCorasick, Vec<&str>)> = LazyLock::new(|| {
        let forms: Vec<(Vec<u8>, &str)> =
            ALL.iter().flat_map(|value| forms(value).into_iter().map(move |form| (form, *value))).collect();
        let search = AhoCorasick::new(forms.iter().map(|(form, _)| form)).unwrap();
        (search, forms.iter().map(|(_, value)| *value).collect())
    });
    let (search, values) = &*FORMS;
    let found: BTreeSet<&str> =
        search.find_overlapping_iter(text).map(|found| values[found.pattern().as_usize()]).collect();
    found.into_iter().collect()
}

/// A site that uses all of them: most machines are for production, and the one whose password stands in the sheet for a lab.
fn sheet() -> String {
    right_sheet(&format!(
        "[account.pilot]\npassword = {{ secret = \"by-variable\" }}\nhosts = [\"gauge-01\"]\n\
         [account.guest]\npassword = \"{IN_SHEET}\"\nhosts = [\"gauge-02\"]\n\
         [secret.stored]\nfrom = \"store\"\nper = \"machine\"\n\
         [secret.by-variable]\nfrom = \"env\"\nvariable = \"PILOT_LOGIN\"\n\
         [secret.by-file]\nfrom = \"file\"\npath = \"by-file.secret\"\n\
         [secret.radio]\nfrom = \"file\"\npath = \"radio.secret\"\n\
         [secret.clock]\nfrom = \"file\"\npath = \"clock.secret\"\n\
         [time_key.harbor]\nnumber = 10\nvalue = {{ secret = \"clock\" }}\n\
         [subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n\
         wifi = {{ ssid = \"slip\", passphrase = {{ secret = \"radio\" }} }}\n\
         [[host]]\nname = \"gauge-01\"\ntime_service = \"chrony\"\nntp = [{{ server = \"10.64.10.121\", key = \"harbor\" }}, \"none\"]\n\
         link.wifi0 = {{ kind = \"wifi\", mac = \"02:64:30:00:00:01\", subnet = \"slip\", address = \"10.64.30.11\" }}\n\
         [[host]]\nname = \"gauge-02\"\npurpose = \"lab\"\nlink.eth0 = {{ subnet = \"quay\", address = \"10.64.10.12\" }}\n\
         [[appliance]]\nname = \"logbook\"\npackage = \"packages/secured.ovf\"\n\
         link.management = {{ subnet = \"quay\", address = \"10.64.10.61\" }}\n\
         [appliance.answer]\n\"admin.password\" = {{ secret = \"by-file\" }}\n\
         [[appliance]]\nrows = \"boxes.csv\"\nname = \"{{name}}\"\npurpose = \"lab\"\npackage = \"packages/secured.ovf\"\n\
         link.management = {{ subnet = \"quay\", address = \"{{address}}\" }}\n\
         [appliance.answer]\n\"admin.password\" = \"{{admin_password}}\"\n"
    ))
    .replace("[account.keeper]", "[account.keeper]\npassword = { secret = \"stored\" }")
}

/// Files that are meant to hold values: what they come from, and what appliances, radios and clocks take.
fn may_hold(name: &str) -> bool {
    const WHOLE: [&str; 7] = [
        "by-file.secret",
        "radio.secret",
        "clock.secret",
        "boxes.csv",
        "sheet.toml",
        "handed-over",
        "out/gauge-01/rootfs/etc/chrony/chrony.keys",
    ];
    let of_appliance = ["ovf-env.xml", "settings.iso", "properties.json"];
    let is_descriptor = name.starts_with("out") && name.contains(".ovf");
    WHOLE.contains(&name)
        || (name.starts_with("out") && of_appliance.iter().any(|file| name.ends_with(file)))
        || is_descriptor
        || (name.starts_with("broken") && (name.contains(".toml") || name.contains(".yaml")))
}

fn run(workspace: &Workspace, arguments: &[&str]) -> Run {
    let mut command = workspace.command(arguments);
    command.env("PILOT_LOGIN", BY_VARIABLE).env("RUST_BACKTRACE", "full").stdin(Stdio::null());
    let child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    // What everybody on the machine sees of a process; nothing where it has ended already.
    let seen = fs::read(format!("/proc/{}/cmdline", child.id())).unwrap_or_default();
    assert!(leaked(&seen).is_empty(), "{arguments:?}");
    Run::from(child.wait_with_output().unwrap())
}

fn enter(workspace: &Workspace, machine: &str, value: &str) -> Run {
    let mut command = workspace.command(&["-v", "secret", "enter", "sheet.toml", "stored", "--for", machine]);
    command
        .env("PILOT_LOGIN", BY_VARIABLE)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped());
    let mut child = command.spawn().unwrap();
    child.stdin.take().unwrap().write_all(value.as_bytes()).unwrap();
    Run::from(child.wait_with_output().unwrap())
}

/// Runs every command on a sheet, and gives what came back from each.
fn every_command(workspace: &Workspace, sheet: &str, into: &str) -> Vec<(String, Run)> {
    let commands: Vec<Vec<&str>> = vec![
        vec!["-v", "check", sheet],
        vec!["check", sheet, "--format", "json"],
        vec!["check", sheet, "--format", "sarif"],
        vec!["-v", "review", sheet],
        vec!["review", sheet, "--format", "json"],
        vec!["-v", "render", sheet, "--into", into],
        vec!["subnet", "quay", "--sheet", sheet],
        vec!["subnet", "quay", "--sheet", sheet, "--format", "json"],
        vec!["-v", "secret", "list", sheet],
        vec!["secret", "list", sheet, "--format", "json"],
        vec!["-v", "secret", "check", sheet],
        vec!["-v", "secret", "generate", sheet],
        vec!["-v", "secret", "recipients", sheet],
        vec!["-v", "secret", "remove", "--yes", sheet, "nothing"],
        vec!["inspect", sheet],
        vec!["-v", "compare", sheet, "sheet.toml"],
        vec!["compare", "sheet.toml", sheet, "--format", "json"],
        vec!["-v", "check", sheet, "--fix", "--dry-run"],
    ];
    commands.into_iter().map(|arguments| (arguments.join(" "), run(workspace, &arguments))).collect()
}

/// The commands that quote a sheet, each in the form in which it says most.
fn each_that_quotes(workspace: &Workspace, sheet: &str, into: &str) -> Vec<(String, Run)> {
    let commands: [&[&str]; 9] = [
        &["-v", "check", sheet],
        &["check", sheet, "--format", "sarif"],
        &["-v", "review", sheet],
        &["-v", "render", sheet, "--into", into],
        &["-v", "secret", "list", sheet],
        &["-v", "secret", "check", sheet],
        &["subnet", "quay", "--sheet", sheet],
        &["-v", "inspect", sheet],
        &["-v", "compare", sheet, "sheet.toml"],
    ];
    commands.into_iter().map(|arguments| (arguments.join(" "), run(workspace, arguments))).collect()
}

fn search(runs: Vec<(String, Run)>) {
    for (command, run) in runs {
        for (stream, text) in [("stdout", &run.stdout), ("stderr", &run.stderr)] {
            let found = leaked(text.as_bytes());
            assert!(found.is_empty(), "{command} shows {found:?} on {stream}:\n{text}");
        }
        assert!((0..=3).contains(&run.code), "{command} ended with {}: {}", run.code, run.stderr);
    }
}

fn prepared() -> Workspace {
    let workspace = Workspace::new().with_example_packages();
    workspace.write("sheet.toml", sheet());
    workspace.write("by-file.secret", format!("{BY_FILE}\n"));
    workspace.write("radio.secret", format!("{RADIO}\n"));
    workspace.write("clock.secret", format!("{CLOCK}\n"));
    workspace.write("boxes.csv", format!("name,address,admin_password\nbox-1,10.64.10.62,{IN_ROW}\n"));
    let made = run(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    assert_eq!(made.code, 0, "{}", made.stderr);
    for (machine, value) in [("gauge-01", STORED_1), ("gauge-02", STORED_2)] {
        let entered = enter(&workspace, machine, value);
        assert_eq!(entered.code, 0, "{}", entered.stderr);
        search(vec![("secret enter".to_owned(), entered)]);
    }
    workspace
}

#[test]
fn a_program_that_is_cut_off_leaves_no_image_of_its_memory() {
    let workspace = prepared();
    let mut command = workspace.command(&["secret", "enter", "sheet.toml", "stored", "--for", "gauge-01"]);
    // It waits for its value, so that there is time to look.
    let mut child =
        command.stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    let limits = format!("/proc/{}/limits", child.id());
    let has_none = || {
        fs::read_to_string(&limits).unwrap_or_default().lines().any(|line| {
            line.strip_prefix("Max core file size")
                .is_some_and(|rest| rest.split_whitespace().take(2).all(|limit| limit == "0"))
        })
    };
    let found = (0..200).any(|_| {
        std::thread::sleep(std::time::Duration::from_millis(10));
        has_none()
    });
    child.kill().unwrap();
    child.wait().unwrap();
    assert!(found);
}

#[test]
fn right_input_at_its_most_talkative() {
    let workspace = prepared();
    let runs = every_command(&workspace, "sheet.toml", "out");
    let render = runs.iter().find(|(command, _)| command.contains("render")).unwrap();
    assert_eq!(render.1.code, 0, "{}", render.1.stderr);
    search(runs);
    for host in ["gauge-01", "gauge-02"] {
        search(vec![(
            "inspect".to_owned(),
            run(&workspace, &["-v", "inspect", &format!("out/{host}/rootfs")]),
        )]);
    }
    search(vec![("inspect".to_owned(), run(&workspace, &["-v", "inspect", "out/logbook/logbook.ovf"]))]);
    let export = run(
        &workspace,
        &["-v", "secret", "export", "sheet.toml", "stored", "--for", "gauge-01", "--to", "handed-over"],
    );
    assert_eq!((export.code, workspace.read("handed-over").trim_end()), (0, STORED_1));
    search(vec![("export".to_owned(), export)]);
    let mut held = BTreeSet::new();
    for (name, bytes) in workspace.tree(".") {
        let found = leaked(&bytes);
        assert!(found.is_empty() || may_hold(&name), "{name} holds {found:?}");
        held.extend(found);
    }
    // Those from the store and from the variable are in no file of the output, hashed as they are.
    assert_eq!(held, BTreeSet::from([BY_FILE, CLOCK, IN_ROW, IN_SHEET, RADIO, STORED_1]));
}

/// What is placed on a card, shown of one, and compared: the values that a host needs lie where only root reads them.
#[test]
fn placing_taking_back_and_comparing() {
    let workspace = prepared();
    assert_eq!(run(&workspace, &["render", "sheet.toml", "--into", "out"]).code, 0);
    workspace.write("other.toml", sheet().replace(IN_SHEET, "Qother-Xmast-Hpulley-Tquay"));
    fs::copy(workspace.path().join("sheet.secrets.age"), workspace.path().join("other.secrets.age")).unwrap();
    fs::write(workspace.path().join("clock.secret"), "Qother-Xclock-Hpulley-Tquay-Y7\n").unwrap();
    assert_eq!(run(&workspace, &["render", "other.toml", "--into", "out-other"]).code, 0);
    let card = Card::new(&workspace);
    card.write("usr/lib/systemd/system/chrony.service", "[Install]\nWantedBy=multi-user.target\n");
    card.write("etc/chrony/chrony.keys", "10 SHA256 HEX:0011\n");
    let place = ["-v", "place", "out", "--only", "gauge-01", "card"];
    let with = |more: &[&str]| {
        [place.as_slice(), more].concat().iter().map(|word| (*word).to_owned()).collect::<Vec<_>>()
    };
    let mut commands = vec![with(&["--dry-run"]), with(&[]), with(&["--yes"])];
    for arguments in [
        &["place", "out-other", "--only", "gauge-01", "card", "--dry-run", "--format", "json"][..],
        &["-v", "inspect", "card"],
        &["inspect", "card", "--format", "json"],
        &["compare", "out", "card"],
        &["-v", "compare", "out-other", "card"],
        &["compare", "out-other", "card", "--format", "json"],
        &["compare", "out", "out-other"],
        &["compare", "out", "out-other", "--format", "json"],
        &["compare", "sheet.toml", "other.toml"],
        &["compare", "sheet.toml", "other.toml", "--format", "json"],
        &["-v", "place", "out-other", "--only", "gauge-01", "card", "--dry-run"],
        &["-v", "place", "out-other", "--only", "gauge-01", "card", "--yes"],
        &["-v", "undo", "card"],
        &["inspect", "out"],
    ] {
        commands.push(arguments.iter().map(|word| (*word).to_owned()).collect());
    }
    let mut told = 0;
    for arguments in commands {
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        let ran = run(&workspace, &arguments);
        told += ran.stdout.matches("differs").count();
        search(vec![(arguments.join(" "), ran)]);
    }
    assert!(told > 4, "the differences are told, and not what they are of");
    for (name, bytes) in workspace.tree(".") {
        let found = leaked(&bytes);
        let is_of_card = name.starts_with("card/etc/chrony/chrony.keys")
            || name.starts_with("card/var/lib/impostazione/kept/");
        assert!(
            found.is_empty()
                || may_hold(&name)
                || is_of_card
                || name == "other.toml"
                || name.ends_with("chrony.keys"),
            "{name} holds {found:?}"
        );
    }
    assert!(
        !card.read("etc/netplan/60-impostazione.yaml").contains(RADIO),
        "a radio gets the key that is made of its passphrase"
    );
}

/// What stands in place of a password in a sheet, in many wrong ways.
fn breaks(literal: &str) -> Vec<(&'static str, String)> {
    vec![
        ("not closed", literal.trim_end_matches('"').to_owned()),
        ("no quotes", format!("password = {IN_SHEET}")),
        ("twice", format!("{literal}\n{literal}")),
        ("a colon", format!("password: {IN_SHEET}")),
        ("a list", format!("password = [\"{IN_SHEET}\"]")),
        ("in a table", format!("password = {{ secret = \"none\", value = \"{IN_SHEET}\" }}")),
        ("another key", format!("pasword = \"{IN_SHEET}\"")),
        ("two on a line", format!("{literal}, shell = 7")),
        ("no escape", format!("password = \"{IN_SHEET}\\q\"")),
        ("a name that is the password", format!("password = {{ secret = \"{IN_SHEET}\" }}")),
        ("a key that is the password", format!("password = {{ \"{IN_SHEET}\" = true }}")),
        ("a table of its own", format!("password.\"{IN_SHEET}\" = 7")),
        ("a secret's name as a key", format!("password = {{ stored = \"{IN_SHEET}\" }}")),
        (
            "a secret's table",
            format!("password = {{ secret = \"stored\" }}\n[secret]\nguest = \"{IN_SHEET}\""),
        ),
        ("from", format!("password = {{ secret = \"x\" }}\n[secret.x]\nfrom = \"{IN_SHEET}\"")),
        (
            "a path",
            format!("password = {{ secret = \"x\" }}\n[secret.x]\nfrom = \"file\"\npath = \"{IN_SHEET}\""),
        ),
        (
            "a variable",
            format!("password = {{ secret = \"x\" }}\n[secret.x]\nfrom = \"env\"\nvariable = \"{IN_SHEET}\""),
        ),
        (
            "the wrong one of the two",
            format!("password = {{ secret = \"x\" }}\n[secret.x]\nfrom = \"env\"\npath = \"{IN_SHEET}\""),
        ),
        ("the next line", format!("password =\n\"{IN_SHEET}\"")),
        ("the next line in a text", format!("password = \"\n{IN_SHEET}\"")),
        ("a long text without an end", format!("password = \"\"\"\n{IN_SHEET}\n")),
        ("a list of lines", format!("password = [\n  7,\n  \"{IN_SHEET}\",\n]")),
        ("a remark", format!("shell = 7 # the password is {IN_SHEET}")),
        ("a remark the other way round", format!("shell = 7 # {IN_SHEET} is the pass")),
        ("a remark beside a secret", format!("password = 7 # was {IN_SHEET}")),
        ("a remark of its own", format!("# pass {IN_SHEET}\npassword = 7")),
        ("pass", format!("pass = \"{IN_SHEET}\"")),
        ("pw", format!("pw = \"{IN_SHEET}\"")),
        ("key", format!("key = \"{IN_SHEET}\"")),
        ("auth", format!("auth = \"{IN_SHEET}\"")),
        ("userPw", format!("userPw = \"{IN_SHEET}\"")),
        ("Italian", format!("parola_chiave = \"{IN_SHEET}\"")),
        ("German", format!("Kennwort = \"{IN_SHEET}\"")),
        ("French", format!("mot_de_passe = \"{IN_SHEET}\"")),
        ("Spanish", format!("\"contraseña\" = \"{IN_SHEET}\"")),
        ("without a key", IN_SHEET.to_owned()),
        ("a key without quotes", format!("password {IN_SHEET}")),
        ("wrong twice over", format!("password = \"{IN_SHEET}\nname = [\n")),
    ]
}

#[test]
fn wrong_input_of_many_kinds() {
    let workspace = prepared();
    let right = sheet();
    let literal = format!("password = \"{IN_SHEET}\"");
    let breaks = breaks(&literal);
    for (index, (what, broken)) in breaks.iter().enumerate() {
        assert!(right.contains(&literal));
        let name = format!("broken{index}.toml");
        workspace.write(&name, right.replace(&literal, broken));
        fs::copy(
            workspace.path().join("sheet.secrets.age"),
            workspace.path().join(format!("broken{index}.secrets.age")),
        )
        .unwrap();
        let runs = each_that_quotes(&workspace, &name, &format!("out{index}"));
        assert!(runs.iter().any(|(_, run)| run.code != 0), "{what} is wrong");
        search(runs);
    }
    // Values that break every rule on values.
    for (index, (file, value)) in [
        ("by-file.secret", format!("{BY_FILE}\u{7}")),
        ("by-file.secret", BY_FILE.repeat(9)),
        ("radio.secret", RADIO.repeat(9)),
        ("clock.secret", format!("{CLOCK} {CLOCK}")),
        ("clock.secret", format!("HEX:{CLOCK}")),
        ("clock.secret", format!("{CLOCK}\n{CLOCK}")),
        ("by-file.secret", RADIO.to_owned()),
    ]
    .into_iter()
    .enumerate()
    {
        let before = workspace.read(file);
        workspace.write(file, value);
        let runs = every_command(&workspace, "sheet.toml", &format!("value{index}"));
        assert!(runs.iter().any(|(_, run)| run.code == 1), "{file} number {index} is wrong");
        search(runs);
        workspace.write(file, before);
    }
    for (name, bytes) in workspace.tree(".") {
        let found = leaked(&bytes);
        assert!(found.is_empty() || may_hold(&name), "{name} holds {found:?}");
    }
}

#[test]
fn files_of_secrets_and_of_rows_in_place_of_a_sheet_and_secrets_in_netplan_files() {
    let workspace = prepared();
    // Files of secrets, and of rows with secrets in them, in place of a sheet; and the same in netplan's form.
    for file in ["by-file.secret", "radio.secret", "clock.secret", "boxes.csv"] {
        let runs = every_command(&workspace, file, "nowhere");
        assert!(runs.iter().any(|(command, run)| command.contains("check") && run.code != 0), "{file}");
        search(runs);
    }
    for (index, text) in [
        format!("network:\n  wifis:\n    wlan0:\n      access-points:\n        slip:\n          password: {RADIO}\n          {RADIO}: 7\n"),
        format!("network:\n  wifis: [\n  password:\n    {RADIO}\n"),
        format!("network:\n  version: x # password {RADIO}\n"),
        format!("network:\n  wifis:\n    wlan0:\n      auth: {{ key-management: psk, password: \"{RADIO}\n"),
        format!("{RADIO}\n"),
    ]
    .into_iter()
    .enumerate()
    {
        let name = format!("broken{index}.yaml");
        workspace.write(&name, text);
        for arguments in [&["inspect", &name][..], &["-v", "inspect", &name], &["inspect", &name, "--format", "json"]] {
            search(vec![(arguments.join(" "), run(&workspace, arguments))]);
        }
    }
    workspace.write(
        "boxes.csv",
        format!("name,address,admin_password\nbox-1,10.64.10.62,{IN_ROW},more\nbox-2,\"{IN_ROW}\n"),
    );
    search(every_command(&workspace, "sheet.toml", "rows"));
    workspace.write("boxes.csv", format!("name,address,admin_password\nbox-1,10.64.10.62,{IN_ROW}\n"));
}
