//! Files of hosts are strangers': whatever is in them, reading ends, and the sheet that comes of it can be read.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use std::path::Path;

use impostazione_core::draft::{Desk, FilesInMemory, Interview, Known, host_from_files, host_from_netplan};
use impostazione_text::files::{NamedFiles, ReadFault};
use jiff::civil::date;
use proptest::prelude::*;

/// No files beside the sheet.
struct NoFiles;

impl NamedFiles for NoFiles {
    fn read(&self, _: &Path, _: u64) -> Result<Vec<u8>, ReadFault> {
        Err(ReadFault::Missing)
    }
}

const PATHS: [&str; 14] = [
    "etc/hostname",
    "etc/hosts",
    "etc/passwd",
    "etc/group",
    "etc/shadow",
    "etc/network/interfaces",
    "etc/systemd/network/10-lan.network",
    "etc/systemd/network/20-radar.netdev",
    "etc/NetworkManager/system-connections/quay.nmconnection",
    "etc/dhcpcd.conf",
    "etc/netplan/50-image.yaml",
    "etc/chrony/chrony.conf",
    "etc/systemd/timesyncd.conf",
    "etc/default/keyboard",
];

/// Lines as the files have them, and lines as nobody writes them.
fn line() -> impl Strategy<Value = String> {
    let word = prop_oneof![
        Just("eth0".to_owned()),
        Just("10.64.10.11/24".to_owned()),
        Just("fd64:10::11/64".to_owned()),
        Just("255.255.255.0".to_owned()),
        Just("a\"b".to_owned()),
        Just("x]y.z".to_owned()),
        "[a-z]{1,6}",
        "\\PC{0,10}",
        "[0-9]{1,20}",
    ];
    (0_usize..24, word.clone(), word).prop_map(|(form, one, other)| match form {
        0 => format!("iface {one} inet static"),
        1 => format!("address {one}"),
        2 => format!("netmask {other}"),
        3 => format!("bond-slaves {one} {other}"),
        4 => format!("[Match]\nName={one}"),
        5 => format!("[Network]\nAddress={one}\nGateway={other}\nVLAN={one}"),
        6 => format!("[NetDev]\nName={one}\nKind=vlan\n[VLAN]\nId={other}"),
        7 => format!("[Route]\nDestination={one}\nGateway={other}"),
        8 => format!("[connection]\ntype=ethernet\ninterface-name={one}"),
        9 => format!("[ipv4]\nmethod=manual\naddress1={one},{other}\nroute1={one},{other}"),
        10 => format!("interface {one}"),
        11 => format!("static ip_address={one}"),
        12 => format!("network: {{ethernets: {{{one}: {{addresses: [{other}]}}}}}}"),
        13 => format!("{one}:x:1000:1000:{other}:/home/{one}:/bin/bash"),
        14 => format!("sudo:x:27:{one},{other}"),
        15 => format!("server {one} iburst"),
        16 => format!("[Time]\nNTP={one} {other}"),
        17 => format!("XKBLAYOUT=\"{one},{other}\""),
        18 => format!("{one} {other}"),
        19 => format!("iface {one}.{other} inet dhcp"),
        20 => format!("[wifi]\nssid={one}"),
        21 => one,
        22 => format!("{one}={other}"),
        _ => format!("{one}: {other}"),
    })
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(300) })]

    #[test]
    fn whatever_the_files_hold_the_sheet_can_be_read(
        hosts in prop::collection::vec(
            prop::collection::vec((prop::sample::select(&PATHS[..]), prop::collection::vec(line(), 0..8)), 0..8),
            1..4,
        ),
        plan in prop::collection::vec(line(), 0..4),
    ) {
        let mut found = Vec::new();
        for (index, files) in hosts.iter().enumerate() {
            let mut in_memory = FilesInMemory::default();
            for (path, lines) in files {
                in_memory.add(*path, lines.join("\n"));
            }
            found.push(host_from_files(&format!("card-{index}"), &in_memory));
        }
        found.push(host_from_netplan("plan.yaml", None, vec![("plan.yaml".to_owned(), plan.join("\n"))]));
        let desk = Desk::new("new.toml", &NoFiles, date(2026, 11, 29), Known::default());
        let mut interview = Interview::new(&desk, None, None).unwrap();
        interview.settle_scope(found.len(), 0, 0);
        let _ = interview.add_found(&found);
        let _ = interview.question();
        let (open, _) = interview.open_text();
        for text in [interview.finished_text(), open] {
            prop_assert!(Interview::new(&desk, Some(&text), None).is_ok(), "{}", text);
            prop_assert!(!text.chars().any(|c| c.is_control() && c != '\n'), "{:?}", text);
        }
    }
}
