//! Any bytes as the files of a host, and then as replies: drafting ends without a panic, and the sheet can be read.
#![no_main]

use std::path::Path;

use impostazione_core::draft::{Desk, FilesInMemory, Interview, Known, host_from_files};
use impostazione_text::files::{NamedFiles, ReadFault};
use jiff::civil::date;
use libfuzzer_sys::fuzz_target;

/// No files beside the sheet.
struct NoFiles;

impl NamedFiles for NoFiles {
    fn read(&self, _: &Path, _: u64) -> Result<Vec<u8>, ReadFault> {
        Err(ReadFault::Missing)
    }
}

/// The files that readers look for, one for each part of the input.
const PATHS: [&str; 8] = [
    "etc/network/interfaces",
    "etc/systemd/network/10-lan.network",
    "etc/systemd/network/20-radar.netdev",
    "etc/NetworkManager/system-connections/quay.nmconnection",
    "etc/dhcpcd.conf",
    "etc/netplan/50-image.yaml",
    "etc/hostname",
    "etc/passwd",
];

fuzz_target!(|bytes: &[u8]| {
    // A line of equals signs parts two files, and the last part is replies, a line each.
    let text = String::from_utf8_lossy(bytes);
    let mut parts: Vec<&str> = text.split("\n====\n").collect();
    let replies = parts.pop().unwrap_or_default();
    let mut files = FilesInMemory::default();
    for (path, part) in PATHS.iter().zip(parts) {
        files.add(*path, part);
    }
    let host = host_from_files("card", &files);
    let desk = Desk::new("new.toml", &NoFiles, date(2026, 11, 29), Known::default());
    let Ok(mut interview) = Interview::new(&desk, None, None) else { return };
    interview.settle_scope(1, 0, 0);
    let _ = interview.add_found(&[host]);
    for reply in replies.lines().take(24) {
        let _ = interview.reply(reply);
    }
    for text in [interview.finished_text(), interview.open_text().0] {
        assert!(Interview::new(&desk, Some(&text), None).is_ok(), "{text}");
    }
});
