//! Images that bring something that would win over what is placed: alone, and all of it at once on other releases of Debian.

use std::fs;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::{Duration, Instant};

use crate::base::{Base, text};
use crate::brought::{BROUGHT, Brought, IN_MAIN_FILE};
use crate::cases::{ADDRESSES, Asked, QUAY};
use crate::container::{Container, answers};
use crate::report::Report;
use crate::servers::Server;
use crate::site::Site;

/// The host that is placed on all of them, and its address.
const HOST: &str = "gauge-01";
const ADDRESS: &str = "10.64.10.11";

/// Outcomes of boots that led nowhere.
const NO_SSH: &str = "no SSH";
const NO_LOGIN: &str = "no login";

/// What a boot of it must lead to, whatever the image brings.
const AS_THE_SHEET_SAYS: &str = "\
addresses: eth0 10.64.10.11/24 fd64:10::11/64
host name: gauge-01
zone: ../usr/share/zoneinfo/Europe/Rome
servers: Global: Link 2 (eth0): 10.64.10.53 10.64.10.54
domains: Global: Link 2 (eth0): capovetro.example
lamp: 10.64.10.77
root: L
units of the image: none
the keeper by password over SSH: refused";

/// Boots a root filesystem and says what came of it, or that SSH did not answer in time.
fn outcome(site: &Site, rootfs: &Path, patience: Duration) -> String {
    let mut container = Container::start(rootfs, &[QUAY]);
    container.ends_at_once = true;
    let network = &container.network;
    network.add_addresses("h-eth0", &["10.64.10.53/24", "10.64.99.53/32"]);
    let log = rootfs.with_extension("names");
    // The site's server, and that which images would have asked.
    let _servers = [
        Server::of_names(network, "10.64.10.53", &[("lamp.capovetro.example", "10.64.10.77")], &log),
        Server::of_names(network, "10.64.99.53", &[("lamp.capovetro.example", "10.64.99.77")], &log),
    ];
    let began = Instant::now();
    while !answers(network, ADDRESS) {
        if began.elapsed() > patience {
            return NO_SSH.to_owned();
        }
        thread::sleep(Duration::from_millis(200));
    }
    let host = Asked { site, network, address: ADDRESS };
    while host.says("true").starts_with("exit ") {
        if began.elapsed() > patience {
            return NO_LOGIN.to_owned();
        }
        thread::sleep(Duration::from_millis(200));
    }
    let password = site.password(HOST);
    let said = host.says(&format!(
        "bash -c 'exec 3<>/dev/tcp/127.0.0.1/4242' 2>/dev/null
        timeout 30 systemctl is-system-running --wait > /dev/null 2>&1
        sleep 2
        all() {{ echo $*; }}
        echo addresses: $({ADDRESSES})
        echo host name: $(hostname)
        echo zone: $(readlink /etc/localtime)
        echo servers: $(resolvectl dns)
        echo domains: $(resolvectl domain)
        echo lamp: $(getent ahostsv4 lamp | head -1 | cut -d' ' -f1)
        echo root: $(echo '{password}' | sudo -S -k -p '' passwd -S root | cut -d' ' -f2)
        units=$(systemctl list-units --plain --no-legend --all 'image*' --state=active,activating,failed,auto-restart | cut -d' ' -f1)
        echo units of the image: ${{units:-none}}"
    ));
    let (code, _, _) = site.by_password(network, "keeper", &password, ADDRESS, "true");
    let by_password = if code == 0 { "let in" } else { "refused" };
    format!("{said}\nthe keeper by password over SSH: {by_password}")
}

/// Places the host on an image, and boots it.
fn placed_on(site: &Site, base: Base, name: &str, put: &[&Brought]) -> (PathBuf, String) {
    let rootfs = base.copy(site.path(), name);
    for brought in put {
        brought.put(&rootfs);
    }
    site.impostazione(&["place", "output", "--only", HOST, &text(&rootfs), "--yes"]);
    let mut said = outcome(site, &rootfs, Duration::from_mins(1));
    // A container on a busy machine has been seen to fail to start a unit of its own; what an image does, it does again.
    if said == NO_LOGIN {
        said = outcome(site, &rootfs, Duration::from_mins(1));
    }
    (rootfs, said)
}

/// Each of them alone: as the sheet says.
fn each_alone(name: &'static str, part: usize, parts: usize) {
    let site = Site::new();
    let about = format!(
        "{HOST} on images that bring one thing that would win, part {part} of {parts}, in containers"
    );
    let mut report = Report::new(name, &about);
    for (number, brought) in BROUGHT.iter().enumerate().filter(|(number, _)| number % parts == part - 1) {
        let (rootfs, said) = placed_on(&site, Base::Timesyncd, &format!("image-{number}"), &[brought]);
        report.is(brought.name, &said, AS_THE_SHEET_SAYS);
        let _ = fs::remove_dir_all(rootfs);
    }
    report.finish();
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn, dnsmasq and ssh, which .ci/run installs"]
fn images_that_bring_one_thing_first_half() {
    each_alone("images-1", 1, 2);
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn, dnsmasq and ssh, which .ci/run installs"]
fn images_that_bring_one_thing_second_half() {
    each_alone("images-2", 2, 2);
}

/// That each of them would win, were it not seen: what is put there behind the back of a placement boots otherwise, and `compare`
/// names it.
fn each_behind_the_back(name: &'static str, part: usize, parts: usize) {
    let site = Site::new();
    let mut report = Report::new(name, "the same, put there after placing: they win, and compare names them");
    for (number, brought) in BROUGHT.iter().enumerate().filter(|(number, _)| number % parts == part - 1) {
        let rootfs = Base::Timesyncd.copy(site.path(), &format!("behind-{number}"));
        let root = text(&rootfs);
        site.impostazione(&["place", "output", "--only", HOST, &root, "--yes"]);
        brought.put(&rootfs);
        let compared = site.asked(&["compare", "output", &root, "--only", HOST]);
        let said = outcome(&site, &rootfs, Duration::from_secs(15));
        let wins = if said == AS_THE_SHEET_SAYS { "does not win" } else { "wins" };
        let is_named = if brought.is_named_in(&compared) { "named" } else { "not named" };
        let held = brought.name == IN_MAIN_FILE;
        report.is(brought.name, wins, if held { "does not win" } else { "wins" });
        report.is("  by compare", is_named, if held { "not named" } else { "named" });
        let _ = fs::remove_dir_all(rootfs);
    }
    report.finish();
}

#[test]
#[ignore = "boots containers, for long: that the images of the other tests would win is tried where they are changed"]
fn slow_what_images_bring_would_win_first_half() {
    each_behind_the_back("behind-1", 1, 2);
}

#[test]
#[ignore = "boots containers, for long: that the images of the other tests would win is tried where they are changed"]
fn slow_what_images_bring_would_win_second_half() {
    each_behind_the_back("behind-2", 2, 2);
}

/// A release, plain and with all of that at once.
fn release(name: &'static str, base: Base) {
    let site = Site::new();
    let mut report = Report::new(
        name,
        &format!("{HOST} on {base:?}, plain and with all that images bring, in containers"),
    );
    let (_, said) = placed_on(&site, base, "plain", &[]);
    report.is("plain", &said, AS_THE_SHEET_SAYS);
    let all: Vec<&Brought> = BROUGHT.iter().collect();
    let (rootfs, said) = placed_on(&site, base, "all", &all);
    report.is("with all that images bring", &said, AS_THE_SHEET_SAYS);
    let undone = site.impostazione(&["undo", &text(&rootfs), "--yes", "--discard-changes"]);
    report.is("undo", if undone.contains("are as before") { "as before" } else { &undone }, "as before");
    report.finish();
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn, dnsmasq and ssh, which .ci/run installs"]
fn debian_13() {
    release("debian-13", Base::Debian13);
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn, dnsmasq and ssh, which .ci/run installs"]
fn debian_11() {
    release("debian-11", Base::Debian11);
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn, dnsmasq and ssh, which .ci/run installs"]
fn debian_11_with_folders_of_programs_beside_usr() {
    release("debian-11-split", Base::Debian11Split);
}
