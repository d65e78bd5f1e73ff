//! A rented server: its disk is placed on from a rescue system that has nothing of ours but the program and the output, and then
//! the server boots.

use std::fs;
use std::path::PathBuf;
use std::process::Command;

use crate::base::{Base, text};
use crate::cases::{ADDRESSES, Asked, QUAY};
use crate::container::Container;
use crate::report::Report;
use crate::site::Site;

const HOST: &str = "winch-house";
const ADDRESS: &str = "10.64.10.34";

/// The program for a system that has none of its libraries: what `docs/build-static.sh` builds, where its place is given.
fn program() -> PathBuf {
    std::env::var_os("IMPOSTAZIONE_STATIC")
        .map_or_else(|| assert_cmd::cargo::cargo_bin("impostazione"), PathBuf::from)
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn a_rented_server_is_placed_on_from_a_rescue_system() {
    let site = Site::new();
    let mut report = Report::new(
        "rescue",
        "winch-house: placed on from a rescue system of Debian 13 without a network, then booted; in containers",
    );
    let server = Base::Timesyncd.copy(site.path(), HOST);
    let rescue = Base::Debian13.copy(site.path(), "rescue");
    fs::copy(program(), rescue.join("root/impostazione")).unwrap();
    let output = site.output();
    let in_rescue = |line: &str| {
        let done = Command::new("systemd-nspawn")
            .args(["-q", "--register=no", "--keep-unit", "--private-network", "-D", &text(&rescue)])
            .arg(format!("--bind={}:/mnt", text(&server)))
            .arg(format!("--bind-ro={}:/root/output", text(&output)))
            .args(["sh", "-c", line])
            .env("LC_ALL", "C.UTF-8")
            .output()
            .unwrap();
        let said =
            String::from_utf8_lossy(&done.stdout).into_owned() + &String::from_utf8_lossy(&done.stderr);
        (done.status.code().unwrap_or(-1).to_string(), said)
    };
    let (code, said) = in_rescue("cd /root && ./impostazione inspect /mnt");
    report.is("inspect, in the rescue system", &code, "0");
    report.is("it sees the server", &said.contains("Debian GNU/Linux 12").to_string(), "true");
    let (code, said) = in_rescue("cd /root && ./impostazione place output/winch-house / --dry-run");
    report.is("the rescue system itself is refused", &code, "1");
    report.is("by its rule", &said.contains("rootfs-is-running-system").to_string(), "true");
    let (code, said) = in_rescue("cd /root && ./impostazione place output/winch-house /mnt --yes");
    report.is("place, in the rescue system", &code, "0");
    report.is("the way back is named", &said.contains("impostazione undo /mnt").to_string(), "true");

    let container = Container::boot(&server, &[QUAY], ADDRESS);
    let host = Asked::when_ready(&site, &container.network, ADDRESS);
    report.is("addresses", &host.says(ADDRESSES), &format!("eth0 {ADDRESS}/24 fd64:10::34/64"));
    drop(container);

    let (code, _) = in_rescue("cd /root && ./impostazione undo /mnt --yes");
    report.is("undo, in the rescue system", &code, "0");
    report.is("its record is gone", &server.join("var/lib/impostazione").exists().to_string(), "false");
    report.finish();
}
