//! What sshd, sudo and chrony themselves say of the files that are written for them.

use std::fs;
use std::process::Command;

use crate::support::{Workspace, host, judge, right_sheet};

/// Renders one host of the right sheet with these lines of its own.
fn rendered(own: &str) -> Workspace {
    let workspace = Workspace::new();
    workspace.write("clock.secret", "HEX:00112233445566778899aabbccddeeff00112233\n");
    let with_own = host("gauge-01", "10.64.10.11")
        .replace("name = \"gauge-01\"", &format!("name = \"gauge-01\"\n{own}"));
    let key = "[time_key.harbor]\nnumber = 10\nalgorithm = \"SHA256\"\nvalue = { secret = \"clock\" }\n\
        [secret.clock]\nfrom = \"file\"\npath = \"clock.secret\"\n";
    workspace.write("sheet.toml", right_sheet(&format!("{key}{with_own}")));
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}{}", render.stdout, render.stderr);
    workspace
}

/// What a program prints.
fn output(command: &mut Command) -> String {
    let output = command.output().unwrap_or_else(|error| panic!("{command:?}: {error}"));
    assert!(output.status.success(), "{command:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

const ROOTFS: &str = "out/gauge-01/rootfs";

/// What sshd takes from our file, as Debian's main file includes it before its own values.
fn sshd_says(workspace: &Workspace) -> Vec<String> {
    let folder = workspace.path();
    let key = folder.join("hostkey");
    judge(Command::new("ssh-keygen").args(["-q", "-t", "ed25519", "-N", "", "-f"]).arg(&key));
    let ours = folder.join(ROOTFS).join("etc/ssh/sshd_config.d");
    let whole = format!(
        "Include {}/*.conf\nPasswordAuthentication yes\nPermitRootLogin yes\nKbdInteractiveAuthentication yes\nUsePAM yes\n",
        ours.display()
    );
    // Another drop-in, such as an image may bring, comes after ours.
    fs::write(ours.join("50-image.conf"), "PasswordAuthentication yes\n").unwrap();
    workspace.write("sshd_config", whole);
    fs::create_dir_all("/run/sshd")
        .unwrap_or_else(|error| panic!("sshd wants /run/sshd, which takes root: {error}"));
    let output = Command::new("/usr/sbin/sshd")
        .args(["-T", "-h"])
        .arg(&key)
        .arg("-f")
        .arg(folder.join("sshd_config"))
        .output()
        .unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap().lines().map(str::to_owned).collect()
}

#[test]
#[ignore = "needs sshd and root, which .ci/run has: sshd wants the folder /run/sshd"]
fn sshd_takes_the_switches_of_the_sheet() {
    for (own, password, root) in [
        ("", "no", "no"),
        ("ssh = { root_login = true }", "no", "without-password"),
        ("ssh = { password_login = true }", "yes", "no"),
    ] {
        let says = sshd_says(&rendered(own));
        for line in [
            "pubkeyauthentication yes".to_owned(),
            format!("passwordauthentication {password}"),
            format!("kbdinteractiveauthentication {password}"),
            format!("permitrootlogin {root}"),
        ] {
            assert!(says.contains(&line), "{line} is not in {says:?}");
        }
    }
}

#[test]
#[ignore = "needs sshd and root, which .ci/run has: sshd wants the folder /run/sshd"]
fn sshd_listens_on_the_port_of_the_sheet() {
    for (own, port) in [("", "22"), ("ssh = { port = 2222 }", "2222")] {
        let says = sshd_says(&rendered(own));
        let ports: Vec<&String> = says.iter().filter(|line| line.starts_with("port ")).collect();
        assert_eq!(ports, [&format!("port {port}")]);
    }
}

#[test]
#[ignore = "needs ssh and systemd-analyze, which .ci/run installs"]
fn the_client_and_the_socket_get_the_port_of_the_sheet() {
    let workspace = rendered("ssh = { port = 2222 }");
    let client = |host: &str| {
        let says = output(
            Command::new("ssh").args(["-G", "-F", "out/site/ssh_config", host]).current_dir(workspace.path()),
        );
        let wanted = ["hostname ", "port ", "user "];
        let lines = says.lines().filter(|line| wanted.iter().any(|word| line.starts_with(word)));
        let mut lines: Vec<String> = lines.map(str::to_owned).collect();
        lines.sort_unstable();
        lines
    };
    for name in ["gauge-01", "gauge-01.capovetro.example"] {
        assert_eq!(client(name), ["hostname 10.64.10.11", "port 2222", "user keeper"], "{name}");
    }
    assert_eq!(client("gauge-02")[..2], ["hostname gauge-02", "port 22"], "of another host nothing is said");
    // The image has the socket listen elsewhere; of all that adds up, ours is the last.
    let units = workspace.path().join(ROOTFS).join("etc/systemd/system");
    workspace.write(
        "out/gauge-01/rootfs/etc/systemd/system/ssh.socket.d/port.conf",
        "[Socket]\nListenStream=2202\n",
    );
    fs::write(units.join("ssh.socket"), "[Socket]\nListenStream=22\nAccept=no\n").unwrap();
    let whole = output(
        Command::new("systemd-analyze")
            .args(["cat-config", "--root"])
            .arg(workspace.path().join(ROOTFS))
            .arg("systemd/system/ssh.socket"),
    );
    let streams: Vec<&str> = whole.lines().filter(|line| line.starts_with("ListenStream")).collect();
    assert_eq!(streams, ["ListenStream=22", "ListenStream=2202", "ListenStream=", "ListenStream=2222"]);
}

#[test]
fn a_service_that_is_switched_off_stays_off() {
    let workspace = rendered("ssh = { enabled = false }");
    let rootfs = workspace.path().join(ROOTFS).join("etc/systemd/system");
    for unit in ["ssh.service", "ssh.socket"] {
        assert_eq!(fs::read_link(rootfs.join(unit)).unwrap().to_str(), Some("/dev/null"));
    }
    assert!(!rootfs.join("multi-user.target.wants/ssh.service").exists());
}

#[test]
#[ignore = "needs visudo, which .ci/run installs"]
fn sudo_takes_the_list_of_administrators() {
    let workspace = rendered("");
    let path = workspace.path().join(ROOTFS).join("etc/sudoers.d/60-impostazione");
    let visudo = Command::new("/usr/sbin/visudo").arg("-cf").arg(&path).output().unwrap();
    let said = String::from_utf8_lossy(&visudo.stdout);
    assert!(
        visudo.status.success() && said.contains("parsed OK"),
        "{said}{}",
        String::from_utf8_lossy(&visudo.stderr)
    );
    assert!(visudo.stderr.is_empty(), "{}", String::from_utf8_lossy(&visudo.stderr));
}

#[test]
#[ignore = "needs chronyd, and root for a network namespace, both of which .ci/run has"]
fn chrony_takes_servers_and_keys() {
    let workspace = rendered(
        "time_service = \"chrony\"\nntp = [{ server = \"10.64.10.121\", key = \"harbor\" }, \"clock.capovetro.example\", \"fd64:10::123\"]",
    );
    let rootfs = workspace.path().join(ROOTFS);
    let sources = rootfs.join("etc/chrony/sources.d/impostazione.sources");
    let read = Command::new("/usr/sbin/chronyd").args(["-p", "-f"]).arg(&sources).output().unwrap();
    assert!(read.status.success(), "{}", String::from_utf8_lossy(&read.stderr));
    let lines: Vec<String> = String::from_utf8(read.stdout).unwrap().lines().map(str::to_owned).collect();
    assert_eq!(
        lines,
        [
            "server 10.64.10.121 iburst key 10",
            "server clock.capovetro.example iburst",
            "server fd64:10::123 iburst"
        ]
    );
    // With the keys: in a namespace without a network, since it would ask the server otherwise.
    let keys = rootfs.join("etc/chrony/chrony.keys");
    workspace.write(
        "chrony.conf",
        format!(
            "keyfile {}\nserver 10.64.10.121 iburst key 10\ncmdport 0\npidfile {}\n",
            keys.display(),
            workspace.path().join("pid").display()
        ),
    );
    let asked = |conf: &str| {
        let mut chronyd = Command::new("unshare");
        chronyd
            .args(["-n", "/usr/sbin/chronyd", "-Q", "-t", "1", "-d", "-f"])
            .arg(workspace.path().join(conf));
        let output = chronyd.output().unwrap();
        let said =
            String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
        assert!(said.contains("chronyd version"), "{said}");
        said
    };
    let complains = |said: &str| {
        ["Could not parse key", "is missing", "too short"].iter().any(|word| said.contains(word))
    };
    let said = asked("chrony.conf");
    assert!(!complains(&said), "{said}");
    // The same judge does see a key that is not there.
    let without = workspace.read("chrony.conf").replace("key 10", "key 11");
    workspace.write("other.conf", without);
    assert!(complains(&asked("other.conf")), "{said}");
}
