//! Whatever names a root filesystem holds, in each field that is read from it: nothing beside it is changed, and what was
//! placed is taken back.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::fs;
use std::os::unix::fs::{MetadataExt as _, symlink};
use std::path::Path;
use std::sync::LazyLock;

use impostazione_core::assess::assess;
use impostazione_core::output::{HostOutput, TreeOnDisk, Writing, render, write};
use impostazione_core::placing::{Keeping, PlacementOptions, Placing, Request, inspect_rootfs, take_back};
use impostazione_rootfs::Rootfs;
use impostazione_text::files::Folder;
use proptest::prelude::*;

const SHEET: &str = "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n\
    ntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]\ntimezone = \"Europe/Rome\"\ntime_service = \"chrony\"\n\
    [subnet.quay]\nprefix = \"10.64.10.0/24\"\ngateway = \"10.64.10.1\"\n[account.keeper]\nadmin = true\n\
    ssh_keys = [\"ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKnL4NWOdAKnj7F1F75+P/XkUSUhM9wdyFkjQATU3vA5 keeper\"]\n\
    [[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n";

static OUTPUT: LazyLock<HostOutput> = LazyLock::new(|| {
    let folder = tempfile::tempdir().unwrap();
    let today = jiff::civil::date(2026, 11, 25);
    let assessment = assess("s", SHEET.as_bytes().to_vec(), &Folder::new("."), today);
    let tree = render(assessment.proved().unwrap(), |_| true).unwrap();
    let into = folder.path().join("output");
    let machines = BTreeSet::from(["gauge-01"]);
    write(
        &tree,
        Writing { into: &into, machines: &machines, prune: false, may_lose_changes: true, seen: &|_| {} },
    )
    .unwrap();
    TreeOnDisk::open(&into).unwrap().0.host("gauge-01").unwrap()
});

/// Every field of an image that names something, with `@` for the name.
const FIELDS: [(&str, &str); 31] = [
    ("etc/passwd", "root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:1000::@:/bin/bash\n"),
    ("etc/passwd", "root:x:0:0:root:@:/bin/bash\nkeeper:x:1000:1000::/home/keeper:/bin/bash\n"),
    ("etc/passwd", "root:x:0:0:root:/root:/bin/bash\nimage:x:1001:1001::@:/bin/bash\n"),
    ("etc/passwd", "root:x:0:0:root:/root:/bin/bash\n@:x:1001:1001::/home/image:/bin/bash\n"),
    ("etc/passwd", "root:x:0:0:root:/root:@\nkeeper:x:1000:1000::/home/keeper:@\n"),
    ("etc/group", "root:x:0:\nsudo:x:27:@\n@:x:28:keeper\n"),
    ("etc/sudoers", "root ALL=(ALL) ALL\n@includedir @\n@include @\n#includedir @\n"),
    ("etc/sudoers.d/99-image", "@ ALL=(ALL) NOPASSWD: @\n"),
    ("etc/login.defs", "UID_MIN @\n"),
    ("etc/ssh/sshd_config", "Include @\nInclude /etc/ssh/sshd_config.d/*.conf\n"),
    (
        "etc/ssh/sshd_config",
        "AuthorizedKeysFile @ %h/@\nHostKey @\nTrustedUserCAKeys @\nAuthorizedKeysCommand @\n",
    ),
    ("usr/lib/systemd/system/ssh.service", "[Service]\nExecStart=/usr/sbin/sshd -D\n[Install]\nWantedBy=@\n"),
    (
        "usr/lib/systemd/system/ssh.service",
        "[Service]\nExecStart=/usr/sbin/sshd -D\n[Install]\nRequiredBy=a.target @\n",
    ),
    ("usr/lib/systemd/system/ssh.service", "[Service]\nExecStart=/usr/sbin/sshd -D\n[Install]\nAlias=@\n"),
    (
        "usr/lib/systemd/system/chrony.service",
        "[Service]\nExecStart=@\n[Install]\nAlias=@ sshd.service\nWantedBy=@\n",
    ),
    ("usr/lib/systemd/system/systemd-networkd.service", "[Install]\nAlias=@\nWantedBy=@\n"),
    ("usr/lib/systemd/system/a.service", "[Unit]\nBefore=network-pre.target\n[Service]\nExecStart=@\n"),
    (
        "usr/lib/systemd/system/a.service",
        "[Service]\nExecStart=/bin/sh @\nEnvironmentFile=@\n[Install]\nWantedBy=@\n",
    ),
    (
        "etc/systemd/system/getty@tty1.service.d/a.conf",
        "[Service]\nExecStart=-/sbin/agetty --autologin @ tty1\n",
    ),
    ("etc/chrony/chrony.conf", "confdir @\nsourcedir @\nkeyfile @\ninclude @\ndriftfile @\nserver @\n"),
    ("etc/network/interfaces", "source @\nsource-directory @\niface @ inet dhcp\n"),
    ("etc/netplan/50-image.yaml", "network: {ethernets: {\"@\": {dhcp4: true}}}\n"),
    ("etc/systemd/network/05-a.network", "[Match]\nName=@\n"),
    ("etc/hosts", "127.0.1.1 @\n10.64.9.9 @ gauge-01\n"),
    ("etc/hostname", "@\n"),
    ("etc/rc.local", "#!/bin/sh\ncp @ /etc/hostname\n"),
    ("boot/cmdline.txt", "quiet systemd.run=@ root=@\n"),
    ("-> etc/resolv.conf", "@"),
    ("-> etc/localtime", "@"),
    ("-> etc/systemd/system/ssh.service", "@"),
    ("-> home/keeper", "@"),
];

fn lay(top: &Path, field: usize, name: &str) {
    let base = [
        ("etc/os-release", "ID=debian\nVERSION_ID=12\n"),
        ("etc/passwd", "root:x:0:0:root:/root:/bin/bash\n"),
        ("etc/shadow", "root:*:19000:0:99999:7:::\n"),
        ("etc/group", "root:x:0:\nsudo:x:27:\n"),
        ("usr/sbin/netplan", "x"),
        ("usr/sbin/sshd", "x"),
        ("usr/bin/sudo", "x"),
        ("bin/bash", "x"),
        ("usr/lib/systemd/system/ssh.service", "[Install]\nWantedBy=multi-user.target\n"),
        ("usr/lib/systemd/system/chrony.service", "[Install]\nWantedBy=multi-user.target\n"),
        ("etc/ssh/sshd_config", "Include /etc/ssh/sshd_config.d/*.conf\n"),
        ("home/image/.ssh/authorized_keys", "ssh-ed25519 AAAA\n"),
    ];
    for (path, text) in base {
        fs::create_dir_all(top.join(path).parent().unwrap()).unwrap();
        fs::write(top.join(path), text).unwrap();
    }
    let (path, text) = FIELDS[field];
    match path.strip_prefix("-> ") {
        Some(path) => {
            fs::create_dir_all(top.join(path).parent().unwrap()).unwrap();
            let _ = symlink(text.replace('@', name), top.join(path));
        }
        None => {
            fs::create_dir_all(top.join(path).parent().unwrap()).unwrap();
            // A unit's own name holds an at sign.
            let text = text.replace("@include", "\u{1}").replace('@', name).replace('\u{1}', "@include");
            fs::write(top.join(path), text).unwrap();
        }
    }
}

/// Everything in a folder and the folder itself, but for one part of it: kind, mode, owner, size and times.
fn list(folder: &Path, but: &Path, lines: &mut String) {
    let found = folder.symlink_metadata().unwrap();
    let when = (found.mtime(), found.mtime_nsec(), found.ctime(), found.ctime_nsec());
    let _ = writeln!(
        lines,
        "{} {:o} {}:{} {} {when:?}",
        folder.display(),
        found.mode(),
        found.uid(),
        found.gid(),
        if found.is_dir() { 0 } else { found.size() }
    );
    if found.is_dir() {
        let mut entries: Vec<_> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
        entries.sort();
        entries.iter().filter(|entry| *entry != but).for_each(|entry| list(entry, but, lines));
    }
}

/// What is there beside a card, from the folder that holds the card on.
fn beside(world: &Path) -> String {
    let mut lines = String::new();
    list(world, &world.join("a/b/card"), &mut lines);
    lines
}

fn try_one(field: usize, name: &str) -> Result<bool, TestCaseError> {
    let folder =
        tempfile::tempdir_in(if Path::new("/dev/shm").is_dir() { "/dev/shm" } else { "/tmp" }).unwrap();
    let world = folder.path();
    let card = world.join("a/b/card");
    for path in
        ["outside/etc/ssh", "outside/.ssh", "a/b/x.target.wants", "a/x.target.wants", "x.target.wants"]
    {
        fs::create_dir_all(world.join(path)).unwrap();
    }
    fs::write(world.join("outside/etc/hosts"), "127.0.0.1 localhost\n").unwrap();
    let name = name.replace("OUT", &world.join("outside").display().to_string());
    fs::create_dir_all(&card).unwrap();
    lay(&card, field, &name);
    let before = beside(world);
    let mut on_card = String::new();
    list(&card, Path::new(""), &mut on_card);
    let rootfs = Rootfs::open(&card).unwrap();
    let _ = inspect_rootfs(&rootfs);
    let options = PlacementOptions { fresh_identity: true };
    let request = Request { options, may_replace: true, keeping: Keeping::Nothing, is_answered: true };
    let placed = Placing::new(&rootfs, &OUTPUT, request, "now").ok().and_then(|placing| {
        // What an error speaks against is tried all the same: nothing may depend on whoever reads it.
        placing.carry_out(&rootfs).ok()
    });
    prop_assert_eq!(&beside(world), &before, "placing, by {} and {:?}", FIELDS[field].0, &name);
    if let Some(record) = &placed {
        let read = impostazione_rootfs::Record::read(&rootfs).ok().flatten();
        prop_assert_eq!(read.as_ref(), Some(record), "the record can be read");
        prop_assert!(take_back(&rootfs, record).is_ok());
        prop_assert_eq!(&beside(world), &before, "taking back, by {} and {:?}", FIELDS[field].0, &name);
    }
    let mut after = String::new();
    list(&card, Path::new(""), &mut after);
    let without_changes = |list: &str| -> Vec<String> {
        list.lines().map(|line| line.rsplitn(3, ", ").last().unwrap_or_default().to_owned()).collect()
    };
    prop_assert_eq!(
        without_changes(&after),
        without_changes(&on_card),
        "by {} and {:?}",
        FIELDS[field].0,
        &name
    );
    Ok(placed.is_some())
}

const NAMES: [&str; 20] = [
    "/x/../..",
    "../../../../x.target",
    "../../..",
    "..",
    ".",
    "/",
    "",
    "//",
    "/home/..",
    "/home/keeper/../../../outside",
    "OUT",
    "OUT/etc",
    "../../outside",
    "/home/keeper/..",
    "/home/./keeper",
    "%h/../..",
    "~/../..",
    "x.target/../../..",
    "\u{202e}x",
    "a\u{0}b",
];

#[test]
fn names_that_lead_up_lead_nowhere_in_any_field() {
    let mut placed = 0;
    for field in 0..FIELDS.len() {
        for name in NAMES {
            placed += usize::from(try_one(field, name).unwrap());
        }
    }
    assert!(
        placed > FIELDS.len() * NAMES.len() / 2,
        "most do not keep a placement from being made: {placed}"
    );
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(128) })]
    #[test]
    fn whatever_stands_in_a_field_nothing_beside_is_touched(
        field in 0..FIELDS.len(),
        name in r"((\.\./|/\.\.|/|\.|OUT|home|keeper|x\.target|etc| |%h|\*|[a-z\u{e8}]){1,8})",
    ) {
        try_one(field, &name)?;
    }
}
