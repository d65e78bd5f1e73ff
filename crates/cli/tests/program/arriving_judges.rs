//! `probe after` with the servers that machines really have: OpenSSH and OpenSSL, on loopback.

use std::fs;
use std::io::{Read as _, Write as _};
use std::net::{TcpListener, TcpStream};
use std::os::unix::fs::PermissionsExt as _;
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::Value;

use crate::arriving::workspace;
use crate::support::{Workspace, is_root};

/// A server, which ends when this is dropped.
struct Server(Child);

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// A port that nobody has at the moment.
fn free_port() -> u16 {
    TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

fn wait_for(port: u16) {
    let until = Instant::now() + Duration::from_secs(10);
    while TcpStream::connect(("127.0.0.1", port)).is_err() {
        assert!(Instant::now() < until, "nothing listens at port {port}");
        std::thread::sleep(Duration::from_millis(20));
    }
}

fn run(program: &str, arguments: &[&str], workspace: &Workspace) {
    let output = Command::new(program).args(arguments).current_dir(workspace.path()).output().unwrap();
    assert!(output.status.success(), "{program} {arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
}

/// OpenSSH's server with a host key.
fn sshd(workspace: &Workspace, key: &str, more: &str) -> (Server, u16) {
    if is_root() {
        // Where the server of a root user leaves the others of its processes.
        fs::create_dir_all("/run/sshd").unwrap();
    }
    let port = free_port();
    let key = workspace.path().join(key);
    fs::set_permissions(&key, fs::Permissions::from_mode(0o600)).unwrap();
    let settings = format!("sshd-{port}.conf");
    let text = format!(
        "Port {port}\nListenAddress 127.0.0.1\nHostKey {}\nPidFile none\nUsePAM no\nStrictModes no\n{more}\n",
        key.display()
    );
    workspace.write(&settings, text);
    let settings: PathBuf = workspace.path().join(&settings);
    let mut command = Command::new("/usr/sbin/sshd");
    command.args(["-D", "-e", "-f"]).arg(settings).stderr(Stdio::null());
    let server = Server(command.spawn().unwrap());
    wait_for(port);
    (server, port)
}

/// OpenSSL's server with these options.
fn s_server(workspace: &Workspace, certificate: &str, more: &[&str]) -> (Server, u16) {
    let port = free_port();
    let mut command = Command::new("openssl");
    command
        .args(["s_server", "-quiet", "-accept", &format!("127.0.0.1:{port}"), "-cert", certificate])
        .args(["-key", "page.key"])
        .args(more)
        .current_dir(workspace.path())
        // Its input is where it would take what it says.
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .stderr(Stdio::null());
    let server = Server(command.spawn().unwrap());
    wait_for(port);
    (server, port)
}

/// Asks one machine, whose port is at another place.
fn asked(workspace: &Workspace, machine: &str, address: &str, port: (u16, u16), more: &[&str]) -> Value {
    let (own, at) = port;
    workspace.write(
        "map.toml",
        format!(
            "format = 2\nsheet = \"sheet.toml\"\n[[address]]\naddress = \"{address}\"\ncalled = \"{machine}\"\n\
             before = \"nobody\"\nafter = \"somebody\"\nports = [{{ transport = \"tcp\", port = {own}, at = \"127.0.0.1:{at}\" }}]\n\
             [[address]]\naddress = \"10.64.10.60\"\ncalled = \"the cluster\"\nbefore = \"nobody\"\nafter = \"somebody\"\n"
        ),
    );
    let line =
        ["probe", "after", "sheet.toml", "--through", "map.toml", "--only", machine, "--format", "json"];
    let run = workspace.run(&[&line, more].concat());
    serde_json::from_str(&run.stdout).unwrap_or_else(|_| panic!("{}{}", run.stdout, run.stderr))
}

/// The state of the only machine, and the rules that were broken.
fn outcome(report: &Value) -> (String, Vec<String>) {
    let findings = report["findings"].as_array().unwrap().iter();
    let rules = findings.map(|finding| finding["rule"].as_str().unwrap().to_owned()).collect();
    (report["machines"][0]["state"].as_str().unwrap().to_owned(), rules)
}

#[test]
#[ignore = "needs OpenSSH's server and keys (openssh-server), which .ci/run installs"]
fn openssh_proves_the_key_that_it_has() {
    let workspace = workspace();
    run_render(&workspace);
    let own = "output/gauge-01/rootfs/etc/ssh/ssh_host_ed25519_key";
    for kind in ["ed25519", "ecdsa", "rsa"] {
        run("ssh-keygen", &["-q", "-t", kind, "-N", "", "-f", kind], &workspace);
    }
    let gauge = |key: &str, settings: &str, more: &[&str]| {
        let (_server, port) = sshd(&workspace, key, settings);
        outcome(&asked(&workspace, "gauge-01", "10.64.10.11", (22, port), more))
    };
    let right = || ("right".to_owned(), Vec::new());
    let differs = || ("wrong".to_owned(), vec!["probe-host-key-differs".to_owned()]);
    assert_eq!(gauge(own, "", &[]), right());
    assert_eq!(gauge("ed25519", "", &[]), differs());
    assert_eq!(gauge("rsa", "", &[]), differs(), "it has no key of the kind that was prepared");
    // Older ways to agree, and keys of other kinds, by a list.
    assert_eq!(gauge(own, "KexAlgorithms ecdh-sha2-nistp256", &[]), right());
    for kind in ["ecdsa", "rsa"] {
        let public = workspace.read(&format!("{kind}.pub"));
        workspace.write("list", format!("gauge-01 {public}"));
        assert_eq!(gauge(kind, "", &["--known-hosts", "list"]), right(), "{kind}");
        assert_eq!(gauge("ed25519", "", &["--known-hosts", "list"]), differs(), "{kind}");
    }
    // At another port.
    let usual = workspace.read("sheet.toml");
    workspace.write(
        "sheet.toml",
        usual.replace("ssh = { host_key = true }", "ssh = { host_key = true, port = 2222 }"),
    );
    let (server, port) = sshd(&workspace, own, "");
    let report = asked(&workspace, "gauge-01", "10.64.10.11", (2222, port), &[]);
    assert_eq!((outcome(&report), &report["machines"][0]["port"]), (right(), &Value::from(2222)));
    drop(server);
    workspace.write("sheet.toml", usual);
    // A way to agree that this program does not know: that is said, and is neither right nor wrong.
    let unknown = gauge(own, "KexAlgorithms diffie-hellman-group16-sha512", &[]);
    assert_eq!(unknown, ("unknown".to_owned(), vec!["probe-not-looked-at".to_owned()]));
}

fn run_render(workspace: &Workspace) {
    let run = workspace.run(&["render", "sheet.toml", "--into", "output"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
}

#[test]
#[ignore = "needs openssh-server and its client (ssh-keyscan), which .ci/run installs"]
fn the_stand_in_proves_its_key_to_openssh() {
    let workspace = workspace();
    let played = crate::probing::Played::by(&workspace, "mock-site sheet.toml --map map.toml");
    let map: toml::Table = workspace.read("map.toml").parse().unwrap();
    let gauge = map["address"]
        .as_array()
        .unwrap()
        .iter()
        .find(|one| one["called"].as_str() == Some("gauge-01"))
        .unwrap();
    let at = gauge["ports"][0]["at"].as_str().unwrap();
    let port = at.rsplit(':').next().unwrap();
    run_render(&workspace);
    let list = workspace.read("output/known_hosts");
    let key =
        list.lines().find(|line| line.starts_with("gauge-01")).unwrap().split(' ').nth(2).unwrap().to_owned();
    workspace.write("known", format!("[127.0.0.1]:{port} ssh-ed25519 {key}\n"));
    let known = format!("UserKnownHostsFile={}", workspace.path().join("known").display());
    let ssh = Command::new("ssh")
        .args([
            "-F",
            "none",
            "-v",
            "-p",
            port,
            "-o",
            &known,
            "-o",
            "StrictHostKeyChecking=yes",
            "-o",
            "BatchMode=yes",
        ])
        .args(["-o", "KexAlgorithms=curve25519-sha256", "127.0.0.1", "true"])
        .stdin(Stdio::null())
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&ssh.stderr).into_owned();
    // It says so once the signature was verified.
    assert!(
        said.contains("is known and matches the ED25519 host key") && said.contains("SSH2_MSG_NEWKEYS sent"),
        "{said}"
    );
    drop(played);
}

#[test]
#[ignore = "needs openssl, which .ci/run installs"]
fn openssl_shows_its_certificate_in_each_version_of_tls() {
    let workspace = workspace();
    let request = [
        "req",
        "-x509",
        "-newkey",
        "rsa:2048",
        "-nodes",
        "-keyout",
        "page.key",
        "-out",
        "page.pem",
        "-days",
        "30",
        "-subj",
        "/CN=logbook-1",
        "-addext",
        "subjectAltName=DNS:logbook-1.capovetro.example,IP:10.64.10.61",
    ];
    run("openssl", &request, &workspace);
    run(
        "openssl",
        &["req", "-new", "-key", "page.key", "-subj", "/CN=logbook-1", "-out", "page.csr"],
        &workspace,
    );
    // Of version 1, as old appliances still have: without extensions.
    run(
        "openssl",
        &["x509", "-req", "-in", "page.csr", "-signkey", "page.key", "-days", "30", "-out", "old.pem"],
        &workspace,
    );
    let page = |certificate: &str, more: &[&str]| {
        let (_server, port) = s_server(&workspace, certificate, more);
        asked(&workspace, "logbook-1", "10.64.10.61", (443, port), &[])
    };
    let fingerprint = |certificate: &str| {
        let shown = Command::new("openssl")
            .args(["x509", "-noout", "-fingerprint", "-sha256", "-in", certificate])
            .current_dir(workspace.path())
            .output()
            .unwrap();
        String::from_utf8_lossy(&shown.stdout).trim().rsplit('=').next().unwrap().to_owned()
    };
    for version in [&[][..], &["-tls1_3"], &["-tls1_2"]] {
        let report = page("page.pem", version);
        assert_eq!(outcome(&report), ("right".to_owned(), vec![]), "{version:?}");
        let shown = &report["machines"][0]["certificate"];
        assert_eq!(shown["sha256"], fingerprint("page.pem"));
        assert_eq!(shown["names"], serde_json::json!(["logbook-1.capovetro.example", "10.64.10.61"]));
    }
    // One that is remembered, and another one.
    let (server, port) = s_server(&workspace, "page.pem", &[]);
    asked(&workspace, "logbook-1", "10.64.10.61", (443, port), &["--remember"]);
    drop(server);
    assert_eq!(outcome(&page("page.pem", &[])), ("right".to_owned(), vec![]));
    run(
        "openssl",
        &["req", "-x509", "-key", "page.key", "-subj", "/CN=logbook-1", "-out", "new.pem", "-days", "9"],
        &workspace,
    );
    let differs = ("wrong".to_owned(), vec!["probe-certificate-differs".to_owned()]);
    assert_eq!(outcome(&page("new.pem", &[])), differs);
    fs::remove_file(workspace.path().join("sheet.certificates.toml")).unwrap();
    for (version, word) in [("-tls1_1", "TLS 1.1"), ("-tls1", "TLS 1.0")] {
        let report = page("page.pem", &[version, "-cipher", "ALL:@SECLEVEL=0"]);
        assert_eq!(outcome(&report), ("right".to_owned(), vec!["probe-tls-too-old".to_owned()]), "{version}");
        assert!(report["findings"][0]["message"].as_str().unwrap().contains(word), "{report}");
    }
    // Ciphers of TLS 1.2 that this program does not have, and a certificate that it cannot check: seen, and not called right.
    let report = page("page.pem", &["-tls1_2", "-cipher", "AES128-SHA256"]);
    assert_eq!(outcome(&report), ("unknown".to_owned(), vec!["probe-not-looked-at".to_owned()]));
    let report = page("old.pem", &[]);
    assert_eq!(report["machines"][0]["certificate"]["sha256"], fingerprint("old.pem"), "{report}");
    assert_eq!(outcome(&report).0, "unknown");
}

#[test]
fn what_speaks_no_tls_is_told_by_what_it_says() {
    let workspace = workspace();
    let speaking = |say: fn(&mut TcpStream)| {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let port = listener.local_addr().unwrap().port();
        std::thread::spawn(move || {
            for stream in listener.incoming() {
                say(&mut stream.unwrap());
            }
        });
        outcome(&asked(&workspace, "logbook-1", "10.64.10.61", (443, port), &[]))
    };
    let one = |state: &str, rule: &str| (state.to_owned(), vec![rule.to_owned()]);
    // A web server that waits for a request it can read, and one that answers whatever comes.
    let waiting = speaking(|stream| {
        let mut request = [0; 512];
        let length = stream.read(&mut request).unwrap_or(0);
        if request[..length].starts_with(b"HEAD / HTTP/1.1\r\n") {
            let _ = stream.write_all(b"HTTP/1.1 200 OK\r\n\r\n");
        }
    });
    assert_eq!(waiting, one("right", "probe-plain-http"));
    let at_once = speaking(|stream| {
        let _ = stream.read(&mut [0; 512]);
        let _ = stream.write_all(b"HTTP/1.0 400 Bad Request\r\n\r\n");
    });
    assert_eq!(at_once, one("right", "probe-plain-http"));
    let ssh = speaking(|stream| {
        let _ = stream.write_all(b"SSH-2.0-x\r\n");
        let _ = stream.read(&mut [0; 512]);
    });
    assert_eq!(ssh, one("wrong", "probe-other-service"));
    let odd = speaking(|stream| {
        let _ = stream.write_all(b"\x1b[2J\x07 nobody");
        let _ = stream.read(&mut [0; 512]);
    });
    assert_eq!(odd, one("wrong", "probe-other-service"));
    let closed = speaking(|_| ());
    assert_eq!(closed, one("starting", "probe-machine-not-ready"));
}
