//! A host that boots in a container: addresses, routes, names and logins, in seconds.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use crate::base::text;
use crate::network::Network;
use crate::shell::{ask, wait_until};

/// A link of a host, and what the network has at its other end.
pub(crate) struct Cable {
    /// The name of the host's end.
    pub(crate) link: &'static str,
    /// Addresses of the network's end.
    pub(crate) far: &'static [&'static str],
}

/// A container that runs.
pub(crate) struct Container {
    child: Child,
    console: PathBuf,
    pub(crate) network: Network,
    /// Whether it ends as by a power cut, which saves the seconds of going down.
    pub(crate) ends_at_once: bool,
}

impl Container {
    /// Boots a root filesystem, and waits until SSH answers at an address.
    pub(crate) fn boot(rootfs: &Path, cables: &[Cable], ssh: &str) -> Self {
        let container = Self::start(rootfs, cables);
        wait_until("SSH", Duration::from_mins(1), || answers(&container.network, ssh));
        container
    }

    /// Boots a root filesystem, and does not wait.
    pub(crate) fn start(rootfs: &Path, cables: &[Cable]) -> Self {
        let network = Network::new();
        let console = rootfs.with_extension("console");
        let mut command = Command::new("nsenter");
        command
            .arg(format!("--net=/run/netns/{}", network.name))
            .args(["systemd-nspawn", "-q", "--register=no", "--keep-unit"])
            // Neither the zone nor the DNS servers of the machine that it runs on.
            .args(["--timezone=off", "--resolv-conf=off", "-M", &network.name, "-D", &text(rootfs)])
            .arg("--private-network");
        for cable in cables {
            command.arg(format!("--network-veth-extra=h-{0}:{0}", cable.link));
        }
        let output = fs::File::create(&console).unwrap();
        let child = command
            .arg("-b")
            .stdin(Stdio::null())
            .stdout(output.try_clone().unwrap())
            .stderr(output)
            .spawn()
            .unwrap();
        let container = Self { child, console, network, ends_at_once: false };
        for Cable { link, far } in cables {
            let end = format!("h-{link}");
            wait_until("the cable", Duration::from_secs(20), || container.network.has(&end));
            container.network.add_addresses(&end, far);
            container.network.ip(&format!("link set {end} up"));
        }
        container
    }
}

/// Whether an SSH server greets.
pub(crate) fn answers(network: &Network, address: &str) -> bool {
    answers_at(network, address, 22)
}

/// The same at a port.
pub(crate) fn answers_at(network: &Network, address: &str, port: u16) -> bool {
    let [program, namespace] = network.within();
    let greets = format!("exec 3<>/dev/tcp/{address}/{port} && read -t 2 -u 3 line && [[ $line == SSH-* ]]");
    ask(&program, &[&namespace, "timeout", "3", "bash", "-c", &greets], "").0 == 0
}

/// What a host has said last on its console, for whoever has to find out why a test failed.
pub(crate) fn show_if_panicking(console: &Path) {
    if std::thread::panicking() {
        let said = fs::read_to_string(console).unwrap_or_default();
        let lines: Vec<&str> = said.lines().rev().take(60).collect();
        eprintln!("{}", lines.into_iter().rev().collect::<Vec<_>>().join("\n"));
    }
}

impl Drop for Container {
    fn drop(&mut self) {
        show_if_panicking(&self.console);
        // The signal that has systemd power off goes to the first process of the container, the child of this one.
        let pid = self.child.id();
        let children = fs::read_to_string(format!("/proc/{pid}/task/{pid}/children")).unwrap_or_default();
        if let Some(first) = children.split_whitespace().next() {
            let signal = if self.ends_at_once { "KILL" } else { "RTMIN+4" };
            ask("kill", &["-s", signal, first], "");
        }
        for _ in 0..300 {
            if matches!(self.child.try_wait(), Ok(Some(_))) {
                return;
            }
            std::thread::sleep(Duration::from_millis(100));
        }
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
