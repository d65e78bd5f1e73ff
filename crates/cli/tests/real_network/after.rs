//! `probe after` in real networks: a machine that comes up late, one that never does, one of whose addresses is missing, and somebody else.

use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::Value;

use crate::desk::{Desk, User};

/// A server that ends when this is dropped.
struct Server(Child);

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// The state of a machine, its findings, and how long all took.
fn asked(desk: &Desk, user: User, more: &[&str]) -> (String, Vec<String>, Duration) {
    let began = Instant::now();
    let report = desk.probe_after(user, &[&["--only", "gauge-01", "--known-hosts", "known"], more].concat());
    let findings: Vec<Value> = report["findings"].as_array().unwrap().clone();
    let rules = findings.iter().map(|finding| finding["rule"].as_str().unwrap().to_owned()).collect();
    (report["machines"][0]["state"].as_str().unwrap().to_owned(), rules, began.elapsed())
}

fn rule(name: &str) -> Vec<String> {
    vec![format!("probe-{name}")]
}

/// OpenSSH's server in the namespace of the other machine, with a host key that the desk knows.
fn sshd(desk: &Desk, is_known: bool) -> Server {
    std::fs::create_dir_all("/run/sshd").unwrap();
    let folder = desk.path();
    let key = folder.join(if is_known { "own-key" } else { "other-key" });
    if !key.exists() {
        let made =
            Command::new("ssh-keygen").args(["-q", "-t", "ed25519", "-N", "", "-f"]).arg(&key).status();
        assert!(made.unwrap().success());
    }
    if is_known {
        let public = std::fs::read_to_string(key.with_extension("pub")).unwrap();
        desk.write("known", &format!("gauge-01,10.64.10.11 {public}"));
    }
    let settings = format!("HostKey {}\nPidFile none\nUsePAM no\nStrictModes no\n", key.display());
    desk.write("sshd.conf", &settings);
    let [enter, namespace] = desk.crane_within();
    let mut command = Command::new(enter);
    command.arg(namespace).args(["/usr/sbin/sshd", "-D", "-e", "-f"]).arg(folder.join("sshd.conf"));
    let server = Server(command.stdin(Stdio::null()).stderr(Stdio::null()).spawn().unwrap());
    let [enter, namespace] = desk.crane_within();
    crate::shell::wait_until("sshd", Duration::from_secs(10), || {
        !crate::shell::run(&enter, &[&namespace, "ss", "-Hltn", "sport = :22"]).is_empty()
    });
    server
}

fn with_addresses(desk: &Desk) {
    desk.crane("addr add 10.64.10.11/24 dev crane0");
    desk.crane("addr add fd64:10::11/64 dev crane0 nodad");
}

#[test]
#[ignore = "needs root for network namespaces, and OpenSSH's server"]
fn a_machine_that_comes_up_late_is_waited_for_and_one_that_never_does_is_an_error() {
    let desk = Desk::new();
    drop(sshd(&desk, true));
    for user in [User::Root, User::Nobody] {
        let (state, rules, took) = asked(&desk, user, &[]);
        assert_eq!((state.as_str(), rules), ("silent", rule("machine-silent")));
        assert!(took < Duration::from_secs(12), "{took:?}");
    }
    let (state, rules, took) = asked(&desk, User::Nobody, &["--wait", "6s"]);
    assert_eq!((state.as_str(), rules), ("starting", rule("machine-silent")));
    assert!(took >= Duration::from_secs(6), "{took:?}");
    std::thread::scope(|scope| {
        let late = scope.spawn(|| {
            std::thread::sleep(Duration::from_secs(12));
            with_addresses(&desk);
            // First its address answers, and then its service.
            std::thread::sleep(Duration::from_secs(8));
            sshd(&desk, true)
        });
        let (state, rules, took) = asked(&desk, User::Nobody, &["--wait", "2m"]);
        assert_eq!((state.as_str(), rules), ("right", vec![]));
        assert!(took > Duration::from_secs(19) && took < Duration::from_mins(1), "{took:?}");
        drop(late.join().unwrap());
    });
    // The service has ended, and the machine is still there.
    let (state, rules, _) = asked(&desk, User::Nobody, &[]);
    assert_eq!((state.as_str(), rules), ("starting", rule("machine-not-ready")));
}

#[test]
#[ignore = "needs root for network namespaces, and OpenSSH's server"]
fn another_machine_at_the_address_ends_the_wait_at_once() {
    let desk = Desk::new();
    drop(sshd(&desk, true));
    with_addresses(&desk);
    let _other = sshd(&desk, false);
    let (state, rules, took) = asked(&desk, User::Nobody, &["--wait", "5m"]);
    assert_eq!((state.as_str(), rules), ("wrong", rule("host-key-differs")));
    assert!(took < Duration::from_secs(30), "{took:?}");
}

#[test]
#[ignore = "needs root for network namespaces, and OpenSSH's server"]
fn each_address_of_a_machine_counts() {
    let desk = Desk::new();
    desk.crane("addr add 10.64.10.11/24 dev crane0");
    let _server = sshd(&desk, true);
    let (state, rules, _) = asked(&desk, User::Nobody, &[]);
    assert_eq!((state.as_str(), rules), ("wrong", rule("machine-silent")), "its IPv6 address is missing");
    desk.crane("addr add fd64:10::11/64 dev crane0 nodad");
    let (state, rules, _) = asked(&desk, User::Nobody, &[]);
    assert_eq!((state.as_str(), rules), ("right", vec![]));
    // And one that the computer which asks has itself.
    desk.desk("addr add 10.64.10.11/24 dev desk0");
    let (state, rules, _) = asked(&desk, User::Nobody, &[]);
    assert_eq!((state.as_str(), rules), ("wrong", rule("address-taken")));
}

#[test]
#[ignore = "needs root for network namespaces, and OpenSSH's server"]
fn an_earlier_address_has_to_be_silent() {
    let desk = Desk::new();
    desk.change_sheet(
        "address = \"10.64.10.11\",",
        "address = \"10.64.10.11\", replaces = \"10.64.10.150\",",
    );
    with_addresses(&desk);
    let _server = sshd(&desk, true);
    let (state, rules, _) = asked(&desk, User::Nobody, &[]);
    assert_eq!((state.as_str(), rules), ("right", vec![]));
    desk.site("addr add 10.64.10.150/24 dev quay");
    let (state, rules, _) = asked(&desk, User::Nobody, &[]);
    assert_eq!((state.as_str(), rules), ("wrong", rule("old-address-answers")));
}
