//! The sample site, with a few hosts more, rendered with keys and passwords of the test's own; and logging in on its hosts.

use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use std::process::Command;

use assert_cmd::cargo::cargo_bin;
use tempfile::TempDir;

use crate::base::{Base, text};
use crate::network::Network;
use crate::shell::{ask, run};

/// Hosts that the sample site does not have: one whose answers leave by the link that they came in on, one with DNS servers
/// for a domain of their own, one on which a password opens SSH, one whose links `NetworkManager` sets up, and two with a rented
/// address of each family, whose router is outside its prefix, and another of each that is routed to them.
const MORE_HOSTS: &str = r#"
[[host]]
name = "watch-house"
link.eth0 = { subnet = "quay", address = "10.64.10.32" }
link.eth1 = { subnet = "watch", address = "10.64.40.32", routing_table = 140 }

[[host]]
name    = "crane-house"
dns_for = { "crane.example" = ["10.64.40.53"] }
link.eth0 = { subnet = "quay", address = "10.64.10.33" }
link.eth1 = { subnet = "watch", address = "10.64.40.33", default_route = false }

[[host]]
name = "winch-house"
ssh  = { host_key = true, password_login = true }
link.eth0 = { subnet = "quay", address = "10.64.10.34", address6 = "fd64:10::34" }

[[host]]
name     = "lamp-house"
renderer = "NetworkManager"
link.eth0 = { subnet = "quay", address = "10.64.10.35", address6 = "fd64:10::35" }
link.eth1 = { subnet = "watch", address = "10.64.40.35", default_route = false, routes = [{ to = "10.64.96.0/20", via = "10.64.40.1" }] }

[subnet.rented]
prefix          = "10.64.200.7/32"
gateway         = "10.64.201.1"
prefix6         = "fd64:200::7/128"
gateway6        = "fd64:201::1"
gateway_on_link = true

[subnet.rented-too]
prefix          = "10.64.200.8/32"
gateway         = "10.64.201.1"
prefix6         = "fd64:200::8/128"
gateway6        = "fd64:201::1"
gateway_on_link = true

[[host]]
name = "ferry-house"
ssh  = { host_key = true, port = 2222 }
link.eth0 = { subnet = "rented", address = "10.64.200.7", address6 = "fd64:200::7", more_addresses = [
    { address = "10.64.203.7", outside_subnet = true }, { address = "fd64:203::7", outside_subnet = true },
] }

[[host]]
name     = "ticket-house"
ssh      = { host_key = true, port = 2222 }
renderer = "NetworkManager"
link.eth0 = { subnet = "rented-too", address = "10.64.200.8", address6 = "fd64:200::8", more_addresses = [
    { address = "10.64.203.8", outside_subnet = true }, { address = "fd64:203::8", outside_subnet = true },
] }

[account.bosun]
admin    = true
ssh_keys = ["keys/bosun.pub"]
hosts    = ["gauge-05"]

[time_key.harbor]
number = 10
value  = { secret = "harbor-clock" }

[secret.harbor-clock]
from = "file"
path = "harbor-clock.secret"
"#;

/// The key by which the time servers of the tower prove their answers.
pub(crate) const CLOCK_KEY: &str = "5b0e1c77a94d23f8861f0cbe37d2945a6e80b1f3d4c76a29e15837bb90afc264";

/// The site on disk, rendered.
pub(crate) struct Site {
    folder: TempDir,
}

impl Site {
    pub(crate) fn new() -> Self {
        let site = Self { folder: tempfile::Builder::new().prefix("first-boot-").tempdir().unwrap() };
        let demo = site.path().join("site");
        // What the computer of whoever runs this remembers is not one of the test's.
        let state = format!("XDG_STATE_HOME={}", text(&site.path().join("state")));
        run("env", &[&state, &program(), "demo", "--into", &text(&demo)]);
        for name in ["keeper", "pilot", "bosun"] {
            let key = site.key(name);
            run(
                "ssh-keygen",
                &[
                    "-q",
                    "-t",
                    "ed25519",
                    "-N",
                    "",
                    "-C",
                    &format!("{name}@capovetro.example"),
                    "-f",
                    &text(&key),
                ],
            );
            fs::copy(key.with_extension("pub"), demo.join(format!("keys/{name}.pub"))).unwrap();
        }
        let sheet = demo.join("harbor.toml");
        let dual = "link.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..16}\", address6 = \"fd64:10::{11..16}\" }";
        let written = fs::read_to_string(&sheet).unwrap();
        let text_of_sheet =
            written.replacen("link.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..16}\" }", dual, 1);
        assert_ne!(text_of_sheet, written, "the gauges are dual-stack");
        let plain = "ntp    = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]";
        let servers = ["10.64.10.121", "10.64.10.122", "10.64.10.123"]
            .map(|server| format!("{{ server = \"{server}\", key = \"harbor\" }}"));
        let proved = text_of_sheet.replacen(plain, &format!("ntp    = [{}]", servers.join(", ")), 1);
        assert_ne!(proved, text_of_sheet, "the tower's time servers prove their answers");
        fs::write(demo.join("harbor-clock.secret"), format!("HEX:{CLOCK_KEY}\n")).unwrap();
        fs::set_permissions(demo.join("harbor-clock.secret"), fs::Permissions::from_mode(0o600)).unwrap();
        fs::write(&sheet, proved + MORE_HOSTS).unwrap();
        site.impostazione(&["secret", "generate", "harbor.toml"]);
        site.impostazione(&["render", "harbor.toml", "--into", "output"]);
        site
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    /// A new folder beside the site.
    pub(crate) fn folder_of(&self, name: &str) -> PathBuf {
        let folder = self.path().join(name);
        fs::create_dir_all(&folder).unwrap();
        folder
    }

    /// The private key of a person.
    pub(crate) fn key(&self, name: &str) -> PathBuf {
        self.path().join(format!("{name}-key"))
    }

    pub(crate) fn output(&self) -> PathBuf {
        self.path().join("site/output")
    }

    /// Runs the program in the folder of the site; it must succeed.
    pub(crate) fn impostazione(&self, arguments: &[&str]) -> String {
        let output = self.run(arguments);
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        assert!(output.status.success(), "{arguments:?}: {}{}", text(&output.stdout), text(&output.stderr));
        text(&output.stdout)
    }

    /// Runs the program, and gives what it says, whether it succeeds or not.
    pub(crate) fn asked(&self, arguments: &[&str]) -> String {
        let output = self.run(arguments);
        String::from_utf8_lossy(&[output.stdout, output.stderr].concat()).into_owned()
    }

    fn run(&self, arguments: &[&str]) -> std::process::Output {
        let mut command = Command::new(program());
        command.args(arguments);
        self.here(command)
    }

    /// Runs the program in a network behind these words, with an agent that has some keys.
    pub(crate) fn run_within_after(
        &self,
        network: &Network,
        agent: &Agent,
        before: &[&str],
        arguments: &[&str],
    ) -> std::process::Output {
        let [nsenter, namespace] = network.within();
        let mut command = Command::new(nsenter);
        command.arg(namespace).args(before).arg(program()).args(arguments);
        command.env("SSH_AUTH_SOCK", &agent.socket);
        self.here(command)
    }

    fn here(&self, mut command: Command) -> std::process::Output {
        command
            .current_dir(self.path().join("site"))
            .env("IMPOSTAZIONE_KEY", "harbor.key")
            .env("XDG_STATE_HOME", self.path().join("state"))
            .output()
            .unwrap()
    }

    /// A copy of a base on which a host is placed.
    pub(crate) fn placed(&self, base: Base, host: &str, prepare: impl Fn(&Path), more: &[&str]) -> PathBuf {
        let rootfs = base.copy(self.path(), host);
        prepare(&rootfs);
        let root = text(&rootfs);
        self.impostazione(&[&["place", "output", "--only", host, &root, "--yes"], more].concat());
        rootfs
    }

    /// The password of the keeper on a host, from the store.
    pub(crate) fn password(&self, host: &str) -> String {
        let file = self.path().join(format!("{host}.password"));
        let _ = fs::remove_file(&file);
        self.impostazione(&[
            "secret",
            "export",
            "harbor.toml",
            "keeper-login",
            "--for",
            host,
            "--to",
            &text(&file),
        ]);
        fs::read_to_string(file).unwrap().trim_end().to_owned()
    }

    /// Runs a script on a host as a person, by key. The host key must be the one of `known_hosts`.
    pub(crate) fn by_key(
        &self,
        network: &Network,
        person: &str,
        key: &str,
        address: &str,
        script: &str,
    ) -> (i32, String, String) {
        let key = text(&self.key(key));
        let options =
            ["-i", &key, "-o", "PasswordAuthentication=no", "-o", "KbdInteractiveAuthentication=no"];
        self.ssh(network, &options, person, address, script)
    }

    /// The same by password.
    pub(crate) fn by_password(
        &self,
        network: &Network,
        person: &str,
        password: &str,
        address: &str,
        script: &str,
    ) -> (i32, String, String) {
        let (answer, said) = (self.path().join("answer"), self.path().join("password"));
        fs::write(&said, format!("{password}\n")).unwrap();
        fs::write(&answer, format!("#!/bin/sh\ncat {}\n", text(&said))).unwrap();
        fs::set_permissions(&answer, fs::Permissions::from_mode(0o700)).unwrap();
        let program = format!("SSH_ASKPASS={}", text(&answer));
        let options = ["-o", "PubkeyAuthentication=no", "-o", "NumberOfPasswordPrompts=1"];
        self.ssh_with(
            network,
            &["env", &program, "SSH_ASKPASS_REQUIRE=force", "setsid"],
            &options,
            person,
            address,
            script,
        )
    }

    fn ssh(
        &self,
        network: &Network,
        options: &[&str],
        person: &str,
        address: &str,
        script: &str,
    ) -> (i32, String, String) {
        self.ssh_with(network, &["env", "--"], options, person, address, script)
    }

    /// The port that `known_hosts` has for an address.
    fn port(&self, address: &str) -> String {
        let known = fs::read_to_string(self.output().join("known_hosts")).unwrap();
        let start = format!("[{address}]:");
        let mut names =
            known.lines().filter_map(|line| line.split(' ').next()).flat_map(|names| names.split(','));
        names.find_map(|name| name.strip_prefix(&start)).unwrap_or("22").to_owned()
    }

    /// Runs a script on a host by its name alone, as `site/ssh_config` says.
    pub(crate) fn by_name(&self, network: &Network, host: &str, script: &str) -> (i32, String, String) {
        let [program, namespace] = network.within();
        let output = self.output();
        let known = format!("UserKnownHostsFile={}", text(&output.join("known_hosts")));
        let (config, key) = (text(&output.join("site/ssh_config")), text(&self.key("keeper")));
        let arguments = [
            namespace.as_str(),
            "ssh",
            "-F",
            &config,
            "-o",
            &known,
            "-o",
            "BatchMode=yes",
            "-o",
            "ConnectTimeout=20",
            "-i",
            &key,
            host,
            "sh -s",
        ];
        ask(&program, &arguments, script)
    }

    fn ssh_with(
        &self,
        network: &Network,
        before: &[&str],
        options: &[&str],
        person: &str,
        address: &str,
        script: &str,
    ) -> (i32, String, String) {
        let [program, namespace] = network.within();
        let known = format!("UserKnownHostsFile={}", text(&self.output().join("known_hosts")));
        let who = format!("{person}@{address}");
        let port = self.port(address);
        let mut arguments = vec![namespace.as_str()];
        arguments.extend(before);
        arguments.extend([
            "ssh",
            "-F",
            "none",
            "-o",
            &known,
            "-o",
            "StrictHostKeyChecking=yes",
            "-o",
            "ConnectTimeout=20",
            "-p",
            &port,
        ]);
        arguments.extend(options);
        arguments.extend([who.as_str(), "sh -s"]);
        ask(&program, &arguments, script)
    }
}

/// An agent that has private keys, and ends when this is dropped (`ssh-agent(1)`).
pub(crate) struct Agent {
    child: std::process::Child,
    socket: PathBuf,
}

impl Agent {
    /// An agent with the keys of some people.
    pub(crate) fn with(site: &Site, people: &[&str]) -> Self {
        static COUNT: std::sync::atomic::AtomicU32 = std::sync::atomic::AtomicU32::new(0);
        let number = COUNT.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        let socket = site.path().join(format!("agent-{number}"));
        let child = Command::new("ssh-agent")
            .args(["-D", "-a", &text(&socket)])
            .stdout(std::process::Stdio::null())
            .spawn()
            .unwrap();
        let agent = Self { child, socket };
        crate::shell::wait_until("the agent", std::time::Duration::from_secs(10), || agent.socket.exists());
        for name in people {
            let variable = format!("SSH_AUTH_SOCK={}", text(&agent.socket));
            run("env", &[&variable, "ssh-add", "-q", &text(&site.key(name))]);
        }
        agent
    }
}

impl Drop for Agent {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn program() -> String {
    text(&cargo_bin("impostazione"))
}
