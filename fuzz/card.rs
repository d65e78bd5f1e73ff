//! A small root filesystem to place on, whose files are the parts of an input.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::Path;
use std::sync::LazyLock;

use impostazione_core::assess::assess;
use impostazione_core::output::{HostOutput, TreeOnDisk, Writing, render, write};
use impostazione_core::placing::{Keeping, PlacementOptions, Placing, Request, inspect_rootfs, take_back};
use impostazione_rootfs::Rootfs;
use impostazione_text::files::Folder;

const SHEET: &str = "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n\
    ntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]\ntimezone = \"Europe/Rome\"\ntime_service = \"chrony\"\n\
    [subnet.quay]\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\n[account.keeper]\nadmin = true\n\
    ssh_keys = [\"ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKnL4NWOdAKnj7F1F75+P/XkUSUhM9wdyFkjQATU3vA5 keeper\"]\n\
    [[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n";

static OUTPUT: LazyLock<HostOutput> = LazyLock::new(|| {
    let folder = tempfile::tempdir().expect("a folder");
    let assessment =
        assess("s", SHEET.as_bytes().to_vec(), &Folder::new("."), jiff::civil::date(2026, 11, 25));
    let tree = render(assessment.proved().expect("a right sheet"), |_| true).expect("an output");
    let into = folder.path().join("output");
    let machines = BTreeSet::from(["gauge-01"]);
    write(
        &tree,
        Writing { into: &into, machines: &machines, prune: false, may_lose_changes: false, seen: &|_| {} },
    )
    .expect("written");
    TreeOnDisk::open(&into).expect("a tree").0.host("gauge-01").expect("a host")
});

fn list(top: &Path, folder: &Path, into: &mut BTreeMap<String, Vec<u8>>) {
    for entry in fs::read_dir(folder).expect("a folder") {
        let path = entry.expect("an entry").path();
        let name = path.strip_prefix(top).expect("below").display().to_string();
        if path.is_symlink() {
            into.insert(name, fs::read_link(&path).expect("a link").into_os_string().into_encoded_bytes());
        } else if path.is_dir() {
            into.insert(name, Vec::new());
            list(top, &path, into);
        } else {
            into.insert(name, fs::read(&path).expect("a file"));
        }
    }
}

/// Lays the parts of an input as files of a small root filesystem, places on it and takes that back: nothing beside it changes, and
/// what was placed is taken back to the byte. A byte 0x1e parts two files.
pub fn place_and_take_back(paths: &[&str], bytes: &[u8]) {
    let folder = tempfile::tempdir_in("/dev/shm").expect("a folder");
    let beside = folder.path().join("outside");
    fs::create_dir_all(beside.join("x.target.wants")).expect("made");
    let top = &folder.path().join("outside/card");
    let mut outside = BTreeMap::new();
    list(&beside, &beside, &mut outside);
    for path in [
        "etc/os-release",
        "usr/sbin/netplan",
        "usr/sbin/sshd",
        "bin/bash",
        "usr/lib/systemd/system/chrony.service",
    ] {
        fs::create_dir_all(top.join(path).parent().expect("a parent")).expect("made");
        fs::write(top.join(path), "ID=debian\n").expect("written");
    }
    let parts = bytes.split(|byte| *byte == 0x1e);
    for (path, part) in paths.iter().zip(parts).filter(|(_, part)| !part.is_empty()) {
        fs::create_dir_all(top.join(path).parent().expect("a parent")).expect("made");
        fs::write(top.join(path), part).expect("written");
    }
    let mut before = BTreeMap::new();
    list(top, top, &mut before);
    let is_alone = || {
        let mut now = BTreeMap::new();
        list(&beside, &beside, &mut now);
        now.retain(|name, _| name != "card" && !name.starts_with("card/"));
        now == outside
    };
    let rootfs = Rootfs::open(top).expect("a folder");
    let _ = inspect_rootfs(&rootfs);
    let request = Request {
        options: PlacementOptions { fresh_identity: true },
        may_replace: true,
        keeping: Keeping::Nothing,
        is_answered: true,
    };
    let Ok(placing) = Placing::new(&rootfs, &OUTPUT, request, "now") else { return };
    // A record of the input's own may say anything of what was before.
    if placing.assessment.record.is_some() || placing.assessment.has_leftovers {
        let _ = placing.carry_out(&rootfs);
        assert!(is_alone(), "something outside was changed");
        return;
    }
    let placed = placing.carry_out(&rootfs);
    assert!(is_alone(), "something outside was changed");
    let Ok(record) = placed else { return };
    assert!(
        Placing::new(&rootfs, &OUTPUT, request, "now")
            .is_ok_and(|again| again.is_done(&rootfs).is_ok_and(|is| is))
    );
    take_back(&rootfs, &record).expect("taken back");
    assert!(is_alone(), "something outside was changed");
    let mut after = BTreeMap::new();
    list(top, top, &mut after);
    assert!(before == after);
}
