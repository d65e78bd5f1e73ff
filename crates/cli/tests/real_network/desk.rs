//! A desk in a site: a computer with the program, a router with the site's services, and somebody else on the same cable.

use std::fs;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::Value;

use crate::network::Network;
use crate::shell::run;

/// Who runs the program.
#[derive(Clone, Copy, Debug)]
pub(crate) enum User {
    Root,
    Nobody,
}

/// What is wrong with the DNS servers.
#[derive(Clone, Copy, Debug, Default)]
#[allow(clippy::struct_excessive_bools, reason = "each is a fault of its own")]
pub(crate) struct Names {
    pub(crate) missing: bool,
    pub(crate) differs: bool,
    pub(crate) no_reverse: bool,
    pub(crate) other_reverse: bool,
    pub(crate) one_is_silent: bool,
    pub(crate) one_refuses: bool,
}

impl Names {
    pub(crate) fn right() -> Self {
        Self::default()
    }
}

/// What is wrong with the time servers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Times {
    Right,
    Silent,
    Unsynchronized,
    OffByAMinute,
    OtherKey,
}

/// Servers that run until they are dropped.
pub(crate) struct Servers(Vec<Child>);

impl Drop for Servers {
    fn drop(&mut self) {
        for child in &mut self.0 {
            let _ = child.kill();
            let _ = child.wait();
        }
    }
}

const KEY: &str = "HEX:00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff";

pub(crate) struct Desk {
    own: Network,
    site: Network,
    crane: Network,
    folder: tempfile::TempDir,
}

impl Desk {
    /// The three, connected, with the addresses of the router and its services, and a sheet in a folder.
    pub(crate) fn new() -> Self {
        let site = Network::with_bridges(&[(
            "quay",
            &[
                "10.64.10.1/24",
                "fd64:10::1/64",
                "10.64.10.53/24",
                "10.64.10.54/24",
                "10.64.10.121/24",
                "10.64.10.122/24",
                "10.64.10.123/24",
            ],
        )]);
        let (own, crane) = (Network::new(), Network::new());
        let folder = tempfile::tempdir().unwrap();
        let this = Self { own, site, crane, folder };
        this.plug("to-desk", "desk0", "02:64:98:00:00:01", &this.own, "quay");
        this.plug("to-crane", "crane0", "02:64:99:00:00:01", &this.crane, "quay");
        this.own.add_addresses("desk0", &["10.64.10.100/24", "fd64:10::100/64"]);
        this.desk("route add default via 10.64.10.1");
        fs::set_permissions(this.folder.path(), std::os::unix::fs::PermissionsExt::from_mode(0o755)).unwrap();
        fs::create_dir(this.folder.path().join("keys")).unwrap();
        let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo/keys/keeper.pub");
        fs::copy(demo, this.folder.path().join("keys/keeper.pub")).unwrap();
        // A socket for commands is refused in a folder that others can enter.
        fs::create_dir(this.folder.path().join("times")).unwrap();
        let closed = std::os::unix::fs::PermissionsExt::from_mode(0o700);
        fs::set_permissions(this.folder.path().join("times"), closed).unwrap();
        this.write("clock.secret", KEY);
        this.write("sheet.toml", SHEET);
        this
    }

    fn plug(&self, outer: &str, inner: &str, mac: &str, whose: &Network, bridge: &str) {
        let target = &whose.name;
        self.site(&format!("link add {outer} type veth peer name {inner} netns {target}"));
        self.site(&format!("link set {outer} master {bridge} up"));
        whose.ip(&format!("link set {inner} address {mac}"));
        whose.ip(&format!("link set {inner} up"));
    }

    pub(crate) fn write(&self, name: &str, text: &str) {
        let path = self.folder.path().join(name);
        fs::write(&path, text).unwrap();
        if Path::new(name).extension().is_some_and(|extension| extension == "secret") {
            // The file is the user's who runs the program.
            std::os::unix::fs::chown(&path, Some(65534), Some(65534)).unwrap();
            fs::set_permissions(&path, std::os::unix::fs::PermissionsExt::from_mode(0o600)).unwrap();
        }
    }

    pub(crate) fn desk(&self, command: &str) {
        self.own.ip(command);
    }

    pub(crate) fn site(&self, command: &str) {
        self.site.ip(command);
    }

    pub(crate) fn crane(&self, command: &str) {
        self.crane.ip(command);
    }

    /// Sets a switch of the router's kernel, in its namespace.
    pub(crate) fn set(&self, key: &str, value: &str) {
        let [enter, namespace] = self.site.within();
        run(&enter, &[&namespace, "sh", "-c", &format!("echo {value} > /proc/sys/net/{key}")]);
    }

    /// The desk's kernel forgets who it has seen.
    pub(crate) fn wait_until_forgotten(&self) {
        self.desk("neigh flush all");
    }

    fn start(&self, program: &str, arguments: &[String]) -> Child {
        let [enter, namespace] = self.site.within();
        Command::new(enter)
            .arg(namespace)
            .arg(program)
            .args(arguments)
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap_or_else(|error| panic!("{program}: {error}"))
    }

    /// The DNS servers at .53 and .54.
    pub(crate) fn names(&self, faults: Names) -> Servers {
        let mut servers = Vec::new();
        for (nth, at) in ["10.64.10.53", "10.64.10.54"].into_iter().enumerate() {
            if nth == 1 && faults.one_is_silent {
                continue;
            }
            let mut arguments: Vec<String> = [
                "--keep-in-foreground",
                "--conf-file=/dev/null",
                "--pid-file=",
                "--user=root",
                "--no-resolv",
                "--no-hosts",
                "--bind-interfaces",
            ]
            .map(str::to_owned)
            .into();
            arguments.push(format!("--listen-address={at}"));
            if !(nth == 1 && faults.one_refuses) {
                arguments.push("--address=/#/".to_owned());
                arguments.extend(records(faults));
            }
            servers.push(self.start("dnsmasq", &arguments));
        }
        let servers = Servers(servers);
        self.wait_for(&["-lnu", "sport = :53"], if faults.one_is_silent { 1 } else { 2 });
        servers
    }

    /// The time servers at .121, which has a key, .122 and .123.
    pub(crate) fn times(&self, faults: Times) -> Servers {
        let mut servers = Vec::new();
        for last in [121, 122, 123] {
            let is_faulty = last == 121 && faults == Times::OtherKey || last == 122;
            if is_faulty && faults == Times::Silent {
                continue;
            }
            let file = |end: &str| self.folder.path().join("times").join(format!("{last}.{end}"));
            let key = if is_faulty && faults == Times::OtherKey {
                KEY.replace("0011", "1100")
            } else {
                KEY.to_owned()
            };
            fs::write(file("keys"), format!("10 SHA256 {key}\n")).unwrap();
            // A stray socket of an earlier run.
            let _ = fs::remove_file(file("sock"));
            let mut lines = vec![
                "allow all".to_owned(),
                "cmdport 0".to_owned(),
                "manual".to_owned(),
                format!("bindaddress 10.64.10.{last}"),
                format!("bindcmdaddress {}", file("sock").display()),
                format!("pidfile {}", file("pid").display()),
                format!("keyfile {}", file("keys").display()),
            ];
            if !(is_faulty && faults == Times::Unsynchronized) {
                lines.push("local stratum 3".to_owned());
            }
            fs::write(file("conf"), lines.join("\n")).unwrap();
            let arguments = ["-x", "-d", "-u", "root", "-f"].map(str::to_owned);
            let mut arguments = arguments.to_vec();
            arguments.push(file("conf").display().to_string());
            servers.push(self.start("chronyd", &arguments));
            if is_faulty && faults == Times::OffByAMinute {
                let until = Instant::now() + Duration::from_secs(20);
                while !file("sock").exists() {
                    assert!(Instant::now() < until, "chronyd has no socket");
                    std::thread::sleep(Duration::from_millis(50));
                }
                let later = run("date", &["-u", "-d", "+60 seconds", "+%Y-%m-%d %H:%M:%S"]);
                let socket = file("sock").display().to_string();
                run("chronyc", &["-h", &socket, "settime", later.trim()]);
            }
        }
        let servers = Servers(servers);
        self.wait_for(&["-lnu", "sport = :123"], if faults == Times::Silent { 2 } else { 3 });
        servers
    }

    /// A DHCP server with a range.
    pub(crate) fn leases(&self, range: &str) -> Servers {
        let arguments = [
            "--keep-in-foreground",
            "--conf-file=/dev/null",
            "--pid-file=",
            "--user=root",
            "--port=0",
            "--interface=quay",
            "--bind-interfaces",
            "--dhcp-authoritative",
            "--no-ping",
            "--leasefile-ro",
            &format!("--dhcp-range={range},255.255.255.0,2m"),
        ]
        .map(str::to_owned);
        let servers = Servers(vec![self.start("dnsmasq", &arguments)]);
        self.wait_for(&["-lnu", "sport = :67"], 1);
        servers
    }

    /// Waits until so many sockets of the site listen.
    fn wait_for(&self, filter: &[&str], count: usize) {
        let [enter, namespace] = self.site.within();
        let until = Instant::now() + Duration::from_secs(20);
        loop {
            let shown = run(&enter, &[&[namespace.as_str(), "ss", "-H"], filter].concat());
            if shown.lines().count() >= count {
                return;
            }
            assert!(Instant::now() < until, "{filter:?}: {shown}");
            std::thread::sleep(Duration::from_millis(50));
        }
    }

    /// A sheet with machines in a subnet behind the router.
    pub(crate) fn write_sheet_with_far_machines(&self) {
        let far = "[subnet.breakwater]\nprefix = \"10.64.20.0/24\"\ngateway = \"10.64.20.1\"\n[[host]]\nname = \"lamp-{01..02}\"\n\
            link.eth0 = { subnet = \"breakwater\", address = \"10.64.20.{11..12}\" }\n";
        self.write("sheet.toml", &format!("{SHEET}{far}"));
    }

    /// The same sheet, with something changed in it.
    pub(crate) fn change_sheet(&self, from: &str, to: &str) {
        assert!(SHEET.contains(from), "{from}");
        self.write("sheet.toml", &SHEET.replace(from, to));
    }

    /// Somebody behind the router, with the address of lamp-01.
    pub(crate) fn far(&self) -> Network {
        self.site("link add breakwater type bridge");
        self.site("addr add 10.64.20.1/24 dev breakwater");
        self.site("link set breakwater up");
        self.set("ipv4/ip_forward", "1");
        let far = Network::new();
        self.plug("to-far", "far0", "02:64:97:00:00:01", &far, "breakwater");
        far.add_addresses("far0", &["10.64.20.11/24"]);
        far.ip("route add default via 10.64.20.1");
        far
    }

    /// The folder of the sheet.
    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    /// Words that run a program on the other machine.
    pub(crate) fn crane_within(&self) -> [String; 2] {
        self.crane.within()
    }

    /// Runs the program at the desk before the first boot: its report.
    pub(crate) fn probe(&self, user: User, more: &[&str]) -> Value {
        self.probed("before", user, more)
    }

    /// The same after it.
    pub(crate) fn probe_after(&self, user: User, more: &[&str]) -> Value {
        self.probed("after", user, more)
    }

    fn probed(&self, when: &str, user: User, more: &[&str]) -> Value {
        let [enter, namespace] = self.own.within();
        let mut command = Command::new(enter);
        command.arg(namespace);
        if let User::Nobody = user {
            command.args(["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups"]);
        }
        let output = command
            .arg(env!("CARGO_BIN_EXE_impostazione"))
            .args(["probe", when, "sheet.toml", "--format", "json"])
            .args(more)
            .current_dir(self.folder.path())
            .env("XDG_STATE_HOME", self.folder.path())
            .stdin(Stdio::null())
            .output()
            .unwrap();
        let (stdout, stderr) =
            (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        serde_json::from_str(&stdout).unwrap_or_else(|error| panic!("{error}: {stdout}{stderr}"))
    }
}

/// What a DNS server knows.
fn records(faults: Names) -> Vec<String> {
    let mut records = vec!["--host-record=gauge-02.capovetro.example,10.64.10.12,fd64:10::12".to_owned()];
    let one = "gauge-01.capovetro.example";
    if faults.missing {
        // The address keeps its name, and the name has no address.
        records.push(format!("--ptr-record=11.10.64.10.in-addr.arpa,{one}"));
        records.push(format!("--ptr-record={SIX},{one}"));
    } else if faults.differs {
        records.push(format!("--address=/{one}/10.64.10.77"));
        records.push(format!("--address=/{one}/fd64:10::11"));
        records.push(format!("--ptr-record=11.10.64.10.in-addr.arpa,{one}"));
        records.push(format!("--ptr-record={SIX},{one}"));
    } else if faults.no_reverse {
        records.push(format!("--address=/{one}/10.64.10.11"));
        records.push(format!("--address=/{one}/fd64:10::11"));
    } else if faults.other_reverse {
        records.push(format!("--address=/{one}/10.64.10.11"));
        records.push(format!("--address=/{one}/fd64:10::11"));
        records.push("--ptr-record=11.10.64.10.in-addr.arpa,old-crane.capovetro.example".to_owned());
        records.push(format!("--ptr-record={SIX},{one}"));
    } else {
        records.push(format!("--host-record={one},10.64.10.11,fd64:10::11"));
    }
    records
}

/// The reverse name of `fd64:10::11`.
const SIX: &str = "1.1.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.0.1.0.0.4.6.d.f.ip6.arpa";

const SHEET: &str = r#"format = 1
[common]
domain = "capovetro.example"
dns = ["10.64.10.53", "10.64.10.54"]
search = ["capovetro.example"]
ntp = [{ server = "10.64.10.121", key = "harbor" }, "10.64.10.122", "10.64.10.123"]
time_service = "chrony"
timezone = "Europe/Rome"
[time_key.harbor]
number = 10
algorithm = "SHA256"
value = { secret = "clock" }
[secret.clock]
from = "file"
path = "clock.secret"
[subnet.quay]
prefix = "10.64.10.0/24"
gateway = "10.64.10.1"
prefix6 = "fd64:10::/64"
gateway6 = "fd64:10::1"
dhcp_ranges = ["10.64.10.200-10.64.10.239"]
[account.keeper]
admin = true
ssh_keys = ["keys/keeper.pub"]
[[host]]
name = "gauge-01"
link.eth0 = { subnet = "quay", address = "10.64.10.11", address6 = "fd64:10::11" }
[[host]]
name = "gauge-02"
link.lan0 = { subnet = "quay", mac = "02:64:10:00:00:12", address = "10.64.10.12", address6 = "fd64:10::12" }
"#;
