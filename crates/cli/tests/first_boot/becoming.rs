//! A host that is placed, booted and changed by real means, then placed with another address, booted again, and taken back.

use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

use crate::base::{Base, PACKAGE_WITH_USER, package, text};
use crate::cases::{ADDRESSES, Asked, QUAY};
use crate::container::Container;
use crate::report::Report;
use crate::shell::ask;
use crate::site::Site;

const HOST: &str = "winch-house";
const FIRST: &str = "10.64.10.34";
const SECOND: &str = "10.64.10.44";
const NEW_PASSWORD: &str = "turned-by-hand-4";

/// What the package, the people and the boot have made of it: asked before and after it is placed again.
const BECOME: &str = "\
    dpkg-query -W -f '${Status}' uuid-runtime; echo
    getent passwd uuidd mate | cut -d: -f1,3,4
    getent group uuidd mate sudo
    getent hosts beacon
    cat /etc/machine-id
    ssh-keygen -lf /etc/ssh/ssh_host_ed25519_key.pub | cut -d' ' -f2
    grep mate: /etc/subuid";

/// What the package and the people have changed below `etc`: copies with a hyphen are made by the programs that did.
const OF_OTHERS: [&str; 23] = [
    "etc/group",
    "etc/group-",
    "etc/gshadow",
    "etc/gshadow-",
    "etc/hosts",
    "etc/init.d/uuidd",
    "etc/passwd",
    "etc/passwd-",
    "etc/rc0.d/K01uuidd",
    "etc/rc1.d/K01uuidd",
    "etc/rc2.d/S01uuidd",
    "etc/rc3.d/S01uuidd",
    "etc/rc4.d/S01uuidd",
    "etc/rc5.d/S01uuidd",
    "etc/rc6.d/K01uuidd",
    "etc/shadow",
    "etc/shadow-",
    "etc/subgid",
    "etc/subgid-",
    "etc/subuid",
    "etc/subuid-",
    "etc/systemd/system/sockets.target.wants",
    "etc/systemd/system/sockets.target.wants/uuidd.socket",
];

/// Everything below `etc`: path, kind, mode, owners, and what a link or a file has in it.
fn settings(rootfs: &Path) -> BTreeSet<String> {
    let list = "cd \"$1\" && find etc -printf '%p %y %m %U:%G %l\\n' | sort; find etc -type f -print0 | sort -z | xargs -0 sha256sum";
    let (code, listed, stderr) = ask("sh", &["-c", list, "list", &text(rootfs)], "");
    assert_eq!(code, 0, "{stderr}");
    listed.lines().map(str::to_owned).collect()
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn a_host_that_has_become_something_is_placed_anew() {
    let site = Site::new();
    let mut report = Report::new(
        "becoming",
        "winch-house: placed, booted, changed by a package and by people, placed with another address, booted, taken back; in containers",
    );
    let rootfs = site.placed(Base::Timesyncd, HOST, |_| (), &["--fresh-identity"]);
    let root = text(&rootfs);
    fs::copy(package(PACKAGE_WITH_USER), rootfs.join("root/package.deb")).unwrap();
    let password = site.password(HOST);
    let before = {
        let container = Container::boot(&rootfs, &[QUAY], FIRST);
        let host = Asked::when_ready(&site, &container.network, FIRST);
        let changed = host.says(&format!(
            "echo '{password}' | sudo -S -k -p '' sh -ec '
                dpkg -i /root/package.deb > /dev/null
                useradd -m -s /bin/bash -G sudo mate
                echo mate:{NEW_PASSWORD} | chpasswd
                echo 10.64.10.90 beacon >> /etc/hosts
                echo keeper:{NEW_PASSWORD} | chpasswd
                echo done'"
        ));
        report.is("changes by real means", &changed, "done");
        host.says(BECOME)
    };
    report.is("what it has become", &before.lines().count().to_string(), "10");

    // The sheet gives it another address.
    let sheet = site.path().join("site/harbor.toml");
    let written = fs::read_to_string(&sheet).unwrap();
    let with_second = written.replacen(FIRST, SECOND, 1);
    assert_ne!(with_second, written);
    fs::write(&sheet, with_second).unwrap();
    site.impostazione(&["render", "harbor.toml", "--into", "output"]);
    let place = ["place", "output", "--only", HOST, &root, "--yes"];
    let refused = site.asked(&place);
    report.is("a changed password is shown", &refused.contains("keeper").to_string(), "true");
    let placed = site.impostazione(&[&place[..], &["--keep-changes"]].concat());
    report.is("machine-id is not touched", &placed.contains("machine-id").to_string(), "false");

    let container = Container::boot(&rootfs, &[QUAY], SECOND);
    let host = Asked::when_ready(&site, &container.network, SECOND);
    report.is("addresses", &host.says(ADDRESSES), &format!("eth0 {SECOND}/24 fd64:10::34/64"));
    report.is(
        "its own name",
        &host.says(&format!("getent ahostsv4 {HOST} | head -1 | cut -d' ' -f1")),
        SECOND,
    );
    report.is("what it has become", &host.says(BECOME), &before);
    let sudo = |password: &str| {
        host.says(&format!("echo '{password}' | sudo -S -k -p '' id -u 2> /dev/null || echo refused"))
    };
    report.is("sudo by the changed password", &sudo(NEW_PASSWORD), "0");
    report.is("sudo by the sheet's password", &sudo(&password), "refused");
    let by_password = |person: &str| {
        let (code, ..) = site.by_password(&container.network, person, NEW_PASSWORD, SECOND, "true");
        if code == 0 { "let in" } else { "refused" }
    };
    report.is("the mate by password over SSH", by_password("mate"), "let in");
    drop(container);

    // Back to the image, with what others added.
    let asked = site.asked(&["undo", &root, "--yes"]);
    report.is("undo shows the changed password", &asked.contains("keeper").to_string(), "true");
    site.impostazione(&["undo", &root, "--yes", "--discard-changes"]);
    let image = settings(&Base::Timesyncd.copy(site.path(), "image"));
    let now = settings(&rootfs);
    let path =
        |line: &String| line.split_whitespace().find(|word| word.starts_with("etc/")).unwrap().to_owned();
    let differing: BTreeSet<String> = now.symmetric_difference(&image).map(path).collect();
    report.is(
        "what differs from the image below etc",
        &differing.into_iter().collect::<Vec<_>>().join("\n"),
        &OF_OTHERS.join("\n"),
    );
    let line = |file: &str, start: &str| {
        let lines = fs::read_to_string(rootfs.join(file)).unwrap();
        lines.lines().find(|line| line.starts_with(start)).unwrap_or("none").to_owned()
    };
    report.is("the keeper", &line("etc/passwd", "keeper:"), "none");
    report.is(
        "the package's user",
        &line("etc/passwd", "uuidd:").chars().take(7).collect::<String>(),
        "uuidd:x",
    );
    report.is("the mate", &line("etc/passwd", "mate:").chars().take(6).collect::<String>(), "mate:x");
    report.is("administrators", &line("etc/group", "sudo:").replace(":27:", "::"), "sudo:x::mate");
    report.is("the beacon", &line("etc/hosts", "10.64.10.90"), "10.64.10.90 beacon");
    report.is("our address", &line("etc/hosts", SECOND), "none");
    report.finish();
}
