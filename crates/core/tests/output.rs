//! The output tree, in memory and on disk.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

use impostazione_core::assess::{Assessment, assess};
use impostazione_core::output::{OutputContent, OutputTree, WriteFault, WriteReport, Writing, render, write};
use impostazione_text::files::Folder;
use jiff::civil::{Date, date};

/// Waivers are counted by it.
const TODAY: Date = date(2026, 11, 25);

const COMMON: &str = r#"
format = 1
[common]
dns      = "none"
ntp      = ["10.64.10.121"]
timezone = "Europe/Rome"
[subnet.quay]
prefix   = "10.64.10.0/24"
gateway  = "10.64.10.1"
prefix6  = "fd64:10::/64"
gateway6 = "fd64:10::1"
[account.keeper]
ssh_keys = ["keys/keeper.pub"]
"#;

fn judged(entries: &str) -> Assessment {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("testdata/harbor");
    assess("sheet.toml", format!("{COMMON}{entries}").into_bytes(), &Folder::new(demo), TODAY)
}

fn tree(entries: &str) -> OutputTree {
    let assessment = judged(entries);
    let proved = assessment.proved().unwrap_or_else(|| panic!("{:?}", assessment.findings));
    render(proved, |_| true).unwrap()
}

fn text(tree: &OutputTree, path: &str) -> String {
    let file = tree
        .files
        .iter()
        .find(|file| file.path == path)
        .unwrap_or_else(|| panic!("{path} is not in the tree"));
    match &file.content {
        OutputContent::Bytes(bytes) => String::from_utf8(bytes.to_vec()).unwrap(),
        OutputContent::Link(target) => format!("-> {target}"),
        OutputContent::Package(_) => panic!("{path} is a package"),
    }
}

fn host(name: &str, link: &str) -> String {
    format!("[[host]]\nname = \"{name}\"\nlink.eth0 = {{ subnet = \"quay\", {link} }}\n")
}

fn put(tree: &OutputTree, into: &Path, machines: &[&str], prune: bool) -> Result<WriteReport, WriteFault> {
    write(
        tree,
        Writing {
            into,
            machines: &machines.iter().copied().collect::<BTreeSet<_>>(),
            prune,
            may_lose_changes: true,
            seen: &|_| {},
        },
    )
}

#[test]
fn the_files_of_a_host_come_in_a_fixed_order() {
    let tree = tree(&host("gauge", "address = \"10.64.10.11\""));
    let paths: Vec<&str> = tree.files.iter().map(|file| file.path.as_str()).collect();
    assert_eq!(
        paths,
        [
            "gauge/rootfs/etc/netplan/60-impostazione.yaml",
            "gauge/rootfs/etc/hostname",
            "gauge/rootfs/etc/hosts",
            "gauge/rootfs/etc/systemd/resolved.conf.d/60-impostazione.conf",
            "gauge/rootfs/etc/localtime",
            "gauge/rootfs/etc/timezone",
            "gauge/rootfs/etc/ssh/sshd_config.d/00-impostazione.conf",
            "gauge/rootfs/etc/systemd/system/multi-user.target.wants/ssh.service",
            "gauge/rootfs/etc/systemd/timesyncd.conf.d/60-impostazione.conf",
            "gauge/accounts.json",
            "site/ssh_config",
        ]
    );
    for file in &tree.files {
        assert_eq!(file.machine, if file.path.starts_with("site/") { "" } else { "gauge" }, "{}", file.path);
    }
}

#[test]
fn the_names_of_a_host_stand_on_its_addresses() {
    let own_lines = |entries: &str| {
        let hosts = text(&tree(entries), "gauge/rootfs/etc/hosts");
        let lines: Vec<String> =
            hosts.lines().filter(|line| line.contains("gauge")).map(str::to_owned).collect();
        lines
    };
    assert_eq!(own_lines(&host("gauge", "address = \"10.64.10.11\"")), ["10.64.10.11 gauge"], "no domain");
    assert_eq!(
        own_lines(
            &host("gauge", "address = \"10.64.10.11\", address6 = \"fd64:10::11\"")
                .replace("link", "domain = \"a.example\"\nlink")
        ),
        ["10.64.10.11 gauge.a.example gauge", "fd64:10::11 gauge.a.example gauge"]
    );
    assert_eq!(own_lines(&host("gauge", "address = \"none\"")), ["127.0.1.1 gauge"], "no address");
}

#[test]
fn netplan_says_no_more_than_the_sheet() {
    let netplan =
        |link: &str| text(&tree(&host("gauge", link)), "gauge/rootfs/etc/netplan/60-impostazione.yaml");
    let without = netplan("address = \"none\"");
    assert!(
        !without.contains("addresses") && !without.contains("routes") && !without.contains("nameservers"),
        "{without}"
    );
    let closed = netplan("address = \"10.64.10.11\", default_route = false");
    assert!(closed.contains("10.64.10.11/24") && !closed.contains("routes"), "{closed}");
    let six = netplan("address6 = \"fd64:10::11\"");
    assert!(six.contains("fd64:10::11/64") && six.contains("::/0") && !six.contains("10.64"), "{six}");
}

#[test]
fn a_zone_is_a_relative_link_and_a_name() {
    let tree = tree(
        &host("gauge", "address = \"10.64.10.11\"")
            .replace("link", "timezone = \"America/Argentina/Ushuaia\"\nlink"),
    );
    assert_eq!(
        text(&tree, "gauge/rootfs/etc/localtime"),
        "-> ../usr/share/zoneinfo/America/Argentina/Ushuaia"
    );
    assert_eq!(text(&tree, "gauge/rootfs/etc/timezone"), "America/Argentina/Ushuaia\n");
}

#[test]
fn nothing_is_rendered_from_a_sheet_with_an_error() {
    let assessment = judged(&host("gauge", "address = \"10.64.11.11\""));
    assert!(assessment.proved().is_none());
    assert_eq!(assessment.summary().errors, 1);
}

#[test]
fn a_folder_in_the_place_of_a_file_stops_everything_before_anything_is_changed() {
    let folder = tempfile::tempdir().unwrap();
    let into = folder.path().join("out");
    put(&tree(&host("gauge", "address = \"10.64.10.11\"")), &into, &["gauge"], false).unwrap();
    let list = fs::read(into.join("files.json")).unwrap();
    let netplan = into.join("gauge/rootfs/etc/netplan/60-impostazione.yaml");
    let before = fs::read(&netplan).unwrap();
    fs::remove_file(into.join("gauge/rootfs/etc/hosts")).unwrap();
    fs::create_dir(into.join("gauge/rootfs/etc/hosts")).unwrap();
    let fault =
        put(&tree(&host("gauge", "address = \"10.64.10.12\"")), &into, &["gauge"], false).unwrap_err();
    assert!(matches!(&fault, WriteFault::AFolder(path) if path.ends_with("etc/hosts")), "{fault}");
    assert_eq!(fs::read(&netplan).unwrap(), before);
    assert_eq!(fs::read(into.join("files.json")).unwrap(), list);
    assert_eq!(fs::read_dir(&into).unwrap().count(), 3, "no staging folder is left");
}

#[test]
fn a_host_that_becomes_something_else_loses_the_files_that_are_no_longer_its() {
    let folder = tempfile::tempdir().unwrap();
    let into = folder.path().join("out");
    let mut all = tree(&host("gauge", "address = \"10.64.10.11\""));
    put(&all, &into, &["gauge"], false).unwrap();
    let dropped = all.files.pop().unwrap();
    let report = put(&all, &into, &["gauge"], false).unwrap();
    assert_eq!((report.removed.as_slice(), report.unchanged), (&[dropped.path.clone()][..], 10));
    assert!(!into.join(dropped.path).exists());
}

#[test]
fn an_existing_empty_folder_is_filled() {
    let folder = tempfile::tempdir().unwrap();
    let report =
        put(&tree(&host("gauge", "address = \"10.64.10.11\"")), folder.path(), &["gauge"], false).unwrap();
    assert_eq!(report.written.len(), 11);
    assert!(folder.path().join("files.json").is_file());
}
