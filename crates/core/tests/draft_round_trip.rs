//! What was rendered for the hosts of a site is read back into a sheet, which renders to the same files.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::path::Path;

use impostazione_core::assess::assess;
use impostazione_core::draft::{Desk, FilesInMemory, Interview, Known, Outcome, host_from_files};
use impostazione_core::output::{OutputContent, OutputTree, render};
use impostazione_text::files::{NamedFiles, ReadFault};
use jiff::civil::{Date, date};
use proptest::prelude::*;

const TODAY: Date = date(2026, 11, 29);

const KEY: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAINdamAGCsQq31Uv+08lkBzoO4XLz2qYjJa8CGmj3B1Ea keeper@capovetro.example";

/// No files beside the sheet.
struct NoFiles;

impl NamedFiles for NoFiles {
    fn read(&self, _: &Path, _: u64) -> Result<Vec<u8>, ReadFault> {
        Err(ReadFault::Missing)
    }
}

/// Choices from which a site is made.
#[derive(Clone, Debug)]
struct Choices {
    common: [u8; 8],
    hosts: Vec<[u8; 8]>,
}

fn choices() -> impl Strategy<Value = Choices> {
    (prop::array::uniform8(0_u8..8), prop::collection::vec(prop::array::uniform8(0_u8..8), 1..6))
        .prop_map(|(common, hosts)| Choices { common, hosts })
}

/// The settings that a machine or `[common]` may have.
fn settings(picks: [u8; 8]) -> String {
    let mut text = String::new();
    let mut add = |line: &str| {
        text.push_str(line);
        text.push('\n');
    };
    add([
        "dns = [\"10.64.10.53\", \"10.64.10.54\"]",
        "dns = [\"10.64.10.53\", \"none\"]",
        "dns = [\"fd64:10::53\", \"10.64.10.53\"]",
    ][usize::from(picks[0] % 3)]);
    add(["ntp = [\"10.64.10.121\", \"none\"]", "ntp = [\"10.64.10.121\", \"clock.capovetro.example\"]"]
        [usize::from(picks[1] % 2)]);
    add(["timezone = \"Europe/Rome\"", "timezone = \"Etc/UTC\"", "timezone = \"Asia/Tokyo\""]
        [usize::from(picks[2] % 3)]);
    if picks[3].is_multiple_of(2) {
        add("search = [\"capovetro.example\", \"mole.example\"]");
    }
    if picks[4].is_multiple_of(2) {
        add("locale = \"it_IT.UTF-8\"");
    }
    match picks[5] {
        0 => add("ssh = { port = 2222 }"),
        1 => add("ssh = { password_login = true }"),
        _ => {}
    }
    if picks[6].is_multiple_of(3) {
        add("time_service = \"chrony\"");
    }
    if picks[7].is_multiple_of(4) {
        add("llmnr = false");
    }
    text
}

/// A sheet of hosts with every kind of link that is read back.
fn sheet(choices: &Choices) -> String {
    let common = choices.common;
    let mut text = String::from("format = 1\n[common]\ndomain = \"capovetro.example\"\nkeyboard = \"it\"\n");
    text += &settings(common);
    let has_v6 = common[0].is_multiple_of(2);
    if !has_v6 && common[1].is_multiple_of(3) {
        text += "ipv6 = \"off\"\n";
    }
    text = text.replace("\"fd64:10::53\", ", if has_v6 { "\"fd64:10::53\", " } else { "" });
    text += "[subnet.quay]\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\n";
    if has_v6 {
        text += "prefix6 = \"fd64:10::/64\"\ngateway6 = \"fd64:10::1\"\n";
    }
    text += "[subnet.breakwater]\nprefix = \"10.64.20.0/25\"\ngateway = \"10.64.20.1\"\nvlan = 120\n";
    text += "[subnet.watch]\nprefix = \"10.64.40.0/24\"\ngateway = \"10.64.40.1\"\n";
    let _ = write!(
        text,
        "[account.keeper]\nfull_name = \"Harbor keeper\"\nadmin = true\nssh_keys = [\"{KEY}\"]\n"
    );
    if common[7].is_multiple_of(2) {
        let _ = write!(text, "[account.pilot]\nssh_keys = [\"{KEY}\"]\nhosts = [\"gauge-1\"]\n");
    }
    for (index, picks) in choices.hosts.iter().enumerate() {
        let number = index + 1;
        let last = 10 + number;
        let _ = write!(text, "[[host]]\nname = \"gauge-{number}\"\n");
        if picks[7] == 0 {
            let own = settings(*picks);
            text += &own.replace("\"fd64:10::53\", ", if has_v6 { "\"fd64:10::53\", " } else { "" });
        }
        let six = if has_v6 && picks[1] % 2 == 0 {
            format!("address6 = \"fd64:10::{last}\"\n")
        } else {
            String::new()
        };
        let mtu = if picks[2] == 0 { "mtu = 1400\n" } else { "" };
        match picks[0] % 4 {
            0 | 1 => {
                let _ = write!(
                    text,
                    "[host.link.eth0]\nsubnet = \"quay\"\naddress = \"10.64.10.{last}\"\n{six}{mtu}"
                );
                if picks[3] == 0 {
                    let _ = writeln!(text, "more_addresses = [\"10.64.10.{}\"]", 100 + number);
                }
            }
            2 => {
                let _ = write!(
                    text,
                    "[host.link.lan0]\nmac = \"02:64:10:00:00:{last:02x}\"\nsubnet = \"quay\"\naddress = \"10.64.10.{last}\"\n{six}{mtu}"
                );
            }
            _ => {
                let _ = write!(
                    text,
                    "[host.link.lan0]\nmac = \"02:64:10:00:01:{last:02x}\"\n[host.link.lan1]\nmac = \"02:64:10:00:02:{last:02x}\"\n\
                     [host.link.uplink]\nkind = \"bond\"\nmembers = [{}]\nmode = \"active-backup\"\n{}subnet = \"quay\"\n\
                     address = \"10.64.10.{last}\"\n{six}",
                    if picks[6] % 2 == 0 { "\"lan0\", \"lan1\"" } else { "\"lan1\", \"lan0\"" },
                    ["", "mac = \"02:64:10:00:09:09\"\n", "primary = \"lan1\"\n", "link_check_ms = 250\n"]
                        [usize::from(picks[5] % 4)],
                );
            }
        }
        let over = ["eth0", "eth0", "lan0", "uplink"][usize::from(picks[0] % 4)];
        match picks[4] % 4 {
            0 => {
                let routes = if picks[5] % 2 == 0 {
                    "routes = [{ to = \"10.64.96.0/20\", via = \"10.64.20.1\" }]\n"
                } else {
                    ""
                };
                let _ = write!(
                    text,
                    "[host.link.radar]\nkind = \"vlan\"\nover = \"{over}\"\nsubnet = \"breakwater\"\naddress = \"10.64.20.{last}\"\ndefault_route = false\n{routes}"
                );
            }
            1 => {
                let _ = write!(
                    text,
                    "[host.link.watch0]\nmac = \"02:64:40:00:00:{last:02x}\"\nsubnet = \"watch\"\naddress = \"10.64.40.{last}\"\nrouting_table = 140\n"
                );
            }
            _ => {}
        }
    }
    text
}

/// The files of each host.
type Trees = BTreeMap<String, BTreeMap<String, OutputContent>>;

fn rendered(text: &str) -> Trees {
    let assessment = assess("sheet.toml", text.as_bytes().to_vec(), &NoFiles, TODAY);
    let Some(proved) = assessment.proved() else {
        let wrong: Vec<_> =
            assessment.findings.iter().filter(|one| one.is_in_the_way()).map(|one| &one.message).collect();
        panic!("{wrong:#?}\n{text}");
    };
    let OutputTree { files } = render(proved, |_| true).unwrap();
    let mut trees = Trees::new();
    for file in files.into_iter().filter(|file| !file.machine.is_empty()) {
        trees.entry(file.machine).or_default().insert(file.path, file.content);
    }
    trees
}

/// The root filesystem that a host would have, with its logins as a placement makes them.
fn rootfs(machine: &str, tree: &BTreeMap<String, OutputContent>) -> FilesInMemory {
    let mut files = FilesInMemory::default();
    for (path, content) in tree {
        let Some(inner) = path.strip_prefix(&format!("{machine}/rootfs/")) else { continue };
        match content {
            OutputContent::Link(target) => files.add_link(inner, target.clone()),
            other => files.add(inner, String::from_utf8(other.bytes().unwrap().to_vec()).unwrap()),
        }
    }
    let accounts = tree[&format!("{machine}/accounts.json")].bytes().unwrap();
    let accounts: serde_json::Value = serde_json::from_slice(accounts).unwrap();
    let (mut passwd, mut admins) = (String::new(), Vec::new());
    for (index, account) in accounts["accounts"].as_array().unwrap().iter().enumerate() {
        let name = account["name"].as_str().unwrap();
        let _ = writeln!(
            passwd,
            "{name}:x:{}:{0}:{}:/home/{name}:/bin/bash",
            1000 + index,
            account["full_name"].as_str().unwrap()
        );
        if account["admin"].as_bool().unwrap() {
            admins.push(name.to_owned());
        }
        let keys: Vec<&str> =
            account["ssh_keys"].as_array().unwrap().iter().map(|key| key.as_str().unwrap()).collect();
        files.add(format!("home/{name}/.ssh/authorized_keys"), keys.join("\n"));
    }
    files.add("etc/passwd", passwd);
    files.add("etc/group", format!("sudo:x:27:{}\n", admins.join(",")));
    files
}

/// The sheet that is drafted from the files of hosts, with what cannot be read back declined.
fn drafted(trees: &Trees) -> String {
    let files = NoFiles;
    let desk = Desk::new("again.toml", &files, TODAY, Known::default());
    let mut interview = Interview::new(&desk, None, None).unwrap();
    let hosts: Vec<_> =
        trees.iter().map(|(machine, tree)| host_from_files(machine, &rootfs(machine, tree))).collect();
    for host in &hosts {
        assert!(host.left_out.is_empty(), "{:?}", host.left_out);
    }
    interview.settle_scope(hosts.len().max(2), 0, 0);
    let _ = interview.add_found(&hosts);
    let mut asked = Vec::new();
    while !interview.is_at_summary() {
        let question = interview.question();
        asked.push(question.id.clone());
        assert!(asked.len() < 60, "{asked:?}");
        let reply = match question.id.as_str() {
            "common.ssh.host_key" => "no",
            "common.ipv6" => "static",
            "appliance.1" | "common.site" | "common.search" | "common.locale" | "common.keyboard" => "none",
            // What no host's files say: who leases addresses, and a router that nobody goes by.
            id if id.ends_with("dhcp_ranges") => "none",
            id if id.ends_with("gateway") || id.ends_with("gateway6") => "none",
            id => panic!("{id} was asked: {}\n{}", question.line, interview.finished_text()),
        };
        if let Outcome::Refused(refusal) = interview.reply(reply) {
            panic!("{}: {}", question.id, refusal.message);
        }
    }
    interview.finished_text()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(200) })]

    #[test]
    fn what_was_rendered_is_read_back_and_renders_to_the_same(choices in choices()) {
        let first = sheet(&choices);
        let before = rendered(&first);
        let second = drafted(&before);
        let after = rendered(&second);
        let names = |trees: &Trees| trees.keys().cloned().collect::<Vec<_>>();
        prop_assert_eq!(names(&before), names(&after));
        for (machine, tree) in &before {
            for (path, content) in tree {
                let again = after[machine].get(path);
                let text = |content: &OutputContent| String::from_utf8_lossy(content.bytes().unwrap()).into_owned();
                prop_assert_eq!(
                    again.map(text), Some(text(content)),
                    "{}\n---- first\n{}\n---- second\n{}", path, first, second
                );
            }
            prop_assert_eq!(after[machine].len(), tree.len());
        }
    }
}
