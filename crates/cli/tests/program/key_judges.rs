//! What sshd says of the options before a key, and of the forms that keys come in: whoever is let in by the sheet's check is let
//! in by the server.

use std::fs;
use std::net::{TcpListener, TcpStream};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use crate::support::{Workspace, host, right_sheet};

/// Options that sshd takes for a login from this computer.
const TAKEN: [&str; 26] = [
    "restrict",
    "no-pty,NO-PTY",
    "x11-forwarding",
    "no-agent-forwarding,agent-forwarding",
    "expiry-time=\"20990101\"",
    "expiry-time=\"209901011200\"",
    "expiry-time=\"20990101120059Z\"",
    "from=\"127.0.0.1\"",
    "from=\"127.0.0.0/8\"",
    "from=\"!10.64.0.1,*\"",
    "from=\"127.0.0.*\"",
    "permitopen=\"tide:22\"",
    "permitopen=\"tide:*\"",
    "permitopen=\"[::1]:22\"",
    "permitopen=\"tide:ssh\"",
    "permitlisten=\"22\"",
    "permitlisten=\"tide:22\"",
    "tunnel=\"0\"",
    "tunnel=\"any\"",
    "tunnel=\"2147483645\"",
    "environment=\"TIDE=high\"",
    "command=\"true\"",
    "command=\"echo \\\"tide\\\"\"",
    "no-touch-required",
    "verify-required",
    "user-rc,pty",
];

/// Options by which it refuses the key.
const REFUSED: [&str; 36] = [
    "no-pyt",
    "no-restrict",
    "from=127.0.0.1",
    "command",
    "restrict=\"yes\"",
    "expiry-time=\"20200101\"",
    "expiry-time=\"2099-01-01\"",
    "expiry-time=\"20991301\"",
    "expiry-time=\"209901012500\"",
    "expiry-time=\"19700101\"",
    "expiry-time=\"\"",
    "expiry-time=\"20990101\",expiry-time=\"20200101\"",
    "from=\"127.0.0.1/8\"",
    "from=\"!10.64.0.1\"",
    "from=\"\"",
    "from=\"127.0.0.1,\"",
    "from=\"127.0.0.1 ,10.0.0.1\"",
    "from=\"127.0.0.1/33,*\"",
    "from=\"127.0.0.1\",from=\"127.0.0.1\"",
    "permitopen=\"tide\"",
    "permitopen=\"tide:0\"",
    "permitopen=\"::1:22\"",
    "permitopen=\"tide:70000\"",
    "permitopen=\"\"",
    "permitopen=\"none\"",
    "permitlisten=\"tide\"",
    "tunnel=\"x\"",
    "tunnel=\"-1\"",
    "tunnel=\"2147483647\"",
    "tunnel=\"0:1\"",
    "environment=\"TIDE\"",
    "environment=\"TIDE-1=high\"",
    "command=\"true\",command=\"true\"",
    "principals=\"root\"",
    "cert-authority",
    "cert-authority,principals=\"root\"",
];

/// Options that it takes, and that the check does not: a slip, or a date that there is not.
const NOT_MEANT: [&str; 3] = ["restrict,", "restrict,,no-pty", "expiry-time=\"20990230\""];

struct Server {
    process: Child,
    port: u16,
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

fn make_key(workspace: &Workspace, name: &str) {
    let made = Command::new("ssh-keygen")
        .args(["-q", "-t", "ed25519", "-N", "", "-C", "keeper", "-f", name])
        .current_dir(workspace.path())
        .status()
        .unwrap_or_else(|error| panic!("ssh-keygen: {error}"));
    assert!(made.success());
}

/// A server on loopback that reads `authorized` in the workspace.
fn server(workspace: &Workspace) -> Server {
    fs::create_dir_all("/run/sshd")
        .unwrap_or_else(|error| panic!("sshd wants /run/sshd, which takes root: {error}"));
    make_key(workspace, "server");
    let free = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = free.local_addr().unwrap().port();
    drop(free);
    let at = workspace.path().display();
    workspace.write(
        "sshd_config",
        format!(
            "Port {port}\nListenAddress 127.0.0.1\nHostKey {at}/server\nPidFile none\nStrictModes no\nUsePAM no\n\
             PermitRootLogin yes\nPasswordAuthentication no\nAuthorizedKeysFile {at}/authorized\n"
        ),
    );
    let process = Command::new("/usr/sbin/sshd")
        .args(["-D", "-e", "-f"])
        .arg(workspace.path().join("sshd_config"))
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let server = Server { process, port };
    let is_up = (0..100).any(|_| {
        TcpStream::connect(("127.0.0.1", port)).is_ok() || {
            std::thread::sleep(Duration::from_millis(50));
            false
        }
    });
    assert!(is_up, "sshd does not answer on port {port}");
    server
}

/// Whether the server lets somebody in with the key.
fn lets_in(workspace: &Workspace, server: &Server, line: &str) -> bool {
    workspace.write("authorized", format!("{line}\n"));
    let port = server.port.to_string();
    let mut client = Command::new("timeout");
    client.args(["20", "ssh", "-n", "-F", "none", "-i", "login", "-p", port.as_str()]);
    for option in [
        "IdentitiesOnly=yes",
        "BatchMode=yes",
        "StrictHostKeyChecking=no",
        "UserKnownHostsFile=/dev/null",
        "LogLevel=ERROR",
    ] {
        client.args(["-o", option]);
    }
    client.args(["root@127.0.0.1", "true"]).current_dir(workspace.path());
    client.output().unwrap().status.success()
}

/// Whether `check` takes a sheet whose only account has this line as its key.
fn is_taken(workspace: &Workspace, line: &str) -> bool {
    workspace.write("keys/line.pub", format!("{line}\n"));
    let sheet = right_sheet(&host("gauge-01", "10.64.10.11")).replace("keys/keeper.pub", "keys/line.pub");
    workspace.write("sheet.toml", sheet);
    workspace.run(&["check", "sheet.toml"]).code == 0
}

#[test]
#[ignore = "needs sshd, ssh and root, which .ci/run has: sshd wants the folder /run/sshd, and logs the user in that it runs as"]
fn the_check_and_the_server_take_the_same_keys() {
    let workspace = Workspace::new();
    make_key(&workspace, "login");
    let server = server(&workspace);
    let key = workspace.read("login.pub").trim().to_owned();
    assert!(lets_in(&workspace, &server, &key) && is_taken(&workspace, &key));
    let tabs = key.replace(' ', "\t");
    assert!(lets_in(&workspace, &server, &tabs) && is_taken(&workspace, &tabs));
    for (options, is_right) in
        TAKEN.iter().map(|options| (options, true)).chain(REFUSED.iter().map(|options| (options, false)))
    {
        let line = format!("{options} {key}");
        assert_eq!(lets_in(&workspace, &server, &line), is_right, "the server: {options}");
        assert_eq!(is_taken(&workspace, &line), is_right, "the check: {options}");
    }
    for options in NOT_MEANT {
        assert!(!is_taken(&workspace, &format!("{options} {key}")), "{options}");
    }
}

#[test]
#[ignore = "needs ssh-keygen, which .ci/run installs"]
fn keys_in_other_forms_are_named_for_what_they_are() {
    let workspace = Workspace::new();
    make_key(&workspace, "login");
    let made = Command::new("ssh-keygen")
        .args(["-q", "-t", "rsa", "-b", "3072", "-N", "", "-f", "rsa"])
        .current_dir(workspace.path())
        .status()
        .unwrap();
    assert!(made.success());
    let converted = |key: &str, form: &str| {
        let output = Command::new("ssh-keygen")
            .args(["-e", "-m", form, "-f", key])
            .current_dir(workspace.path())
            .output()
            .unwrap();
        assert!(output.status.success(), "{key} {form}");
        output.stdout
    };
    let signed = Command::new("ssh-keygen")
        .args(["-q", "-s", "rsa", "-I", "keeper", "-n", "keeper", "login.pub"])
        .current_dir(workspace.path())
        .status()
        .unwrap();
    assert!(signed.success());
    let certificate = workspace.read("login-cert.pub").into_bytes();
    for (content, is, fix) in [
        (converted("login.pub", "RFC4716"), "a key in RFC 4716 (SSH2) format", "ssh-keygen -i -f FILE"),
        (converted("rsa.pub", "PEM"), "a key in PEM (PKCS #1)", "ssh-keygen -i -m PEM -f FILE"),
        (converted("rsa.pub", "PKCS8"), "a key in PEM (PKCS #8)", "ssh-keygen -i -m PKCS8 -f FILE"),
        (
            certificate,
            "is a certificate, which does not open a login by itself",
            "name a file with a public key",
        ),
        (
            b"PuTTY-User-Key-File-3: ssh-ed25519\nEncryption: none\n".to_vec(),
            "holds a private key",
            "name the public key file",
        ),
        (workspace.read("login").into_bytes(), "holds a private key", "name the public key file"),
    ] {
        workspace.write("keys/line.pub", content);
        let sheet = right_sheet(&host("gauge-01", "10.64.10.11")).replace("keys/keeper.pub", "keys/line.pub");
        workspace.write("sheet.toml", sheet);
        let said = crate::support::unwrapped(&workspace.run(&["check", "sheet.toml"]).stdout);
        assert!(
            said.contains("ssh-key-malformed") && said.contains(is) && said.contains(fix),
            "{is}: {said}"
        );
    }
}
