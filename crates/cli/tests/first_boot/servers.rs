//! Servers of the site, in a network of the test's own: for names, and for time.

use std::fs;
use std::path::Path;
use std::process::{Child, Command, Stdio};

use crate::base::text;
use crate::network::Network;

/// A server that runs until this is dropped.
pub(crate) struct Server(Child);

impl Server {
    fn start(network: &Network, program: &str, arguments: &[&str], log: &Path) -> Self {
        let [enter, namespace] = network.within();
        let log = fs::File::create(log).unwrap();
        let child = Command::new(enter)
            .arg(namespace)
            .arg(program)
            .args(arguments)
            .stdin(Stdio::null())
            .stdout(log.try_clone().unwrap())
            .stderr(log)
            .spawn()
            .unwrap_or_else(|error| panic!("{program}: {error}"));
        Self(child)
    }

    /// A DNS server at one address. It knows these names, says of every other that there is none, and writes down in `log` what
    /// it was asked.
    pub(crate) fn of_names(network: &Network, at: &str, names: &[(&str, &str)], log: &Path) -> Self {
        let at = format!("--listen-address={at}");
        let names = names.iter().map(|(name, address)| format!("--address=/{name}/{address}"));
        let names: Vec<String> = names.collect();
        let mut arguments = vec![
            "--keep-in-foreground",
            "--conf-file=/dev/null",
            "--pid-file=",
            "--user=root",
            "--no-resolv",
            "--no-hosts",
            "--bind-interfaces",
            "--log-queries",
            "--log-facility=-",
            "--address=/#/",
            &at,
        ];
        arguments.extend(names.iter().map(String::as_str));
        Self::start(network, "dnsmasq", &arguments, log)
    }

    /// A time server at every address of the network, which does not touch the clock. Where it has a key, it signs with that
    /// what is asked with it.
    pub(crate) fn of_time(network: &Network, key: Option<&str>, folder: &Path) -> Self {
        let (settings, keys) = (folder.join("time-server.conf"), folder.join("time-server.keys"));
        fs::write(&keys, key.unwrap_or_default()).unwrap();
        let process = folder.join("time-server.pid");
        let lines = [
            "local stratum 3",
            "allow all",
            "cmdport 0",
            "bindcmdaddress /",
            &format!("pidfile {}", text(&process)),
            &format!("keyfile {}", text(&keys)),
        ];
        fs::write(&settings, lines.join("\n")).unwrap();
        let arguments = ["-x", "-d", "-f", &text(&settings)];
        Self::start(network, "chronyd", &arguments, &folder.join("time-server.log"))
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}
