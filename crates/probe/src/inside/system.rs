//! Units that failed, and files that set up the network.

use std::collections::BTreeSet;

use impostazione_core::host::{NETPLAN_PATH, multicast_dns_files, netplan_file, systemd_link_files};
use impostazione_core::network::inside_rules::{NETPLAN, NETWORK_FILES, UNITS};
use ring::digest::{SHA256, digest};

use super::expected::Host;
use super::fact::InsideFact;
use super::logins::needs_root;
use super::said::{Said, Unsaid};

/// All that is judged of the system.
pub(super) fn facts(host: Host<'_>, said: &Said) -> Vec<InsideFact> {
    vec![units(said), files(host, said), netplan(host, said)]
}

fn units(said: &Said) -> InsideFact {
    let about = "failed units";
    let Ok(shown) = said.of("failed") else {
        let fix = "look with `systemctl --failed` on the host";
        return InsideFact::not_looked(&UNITS, about, "systemd did not answer", fix);
    };
    let failed: Vec<String> =
        shown.lines().filter_map(|line| line.split_whitespace().next()).map(str::to_owned).collect();
    let Some(first) = failed.first() else {
        return InsideFact::right(&UNITS, about, vec!["none".to_owned()]);
    };
    let says = format!("has units that failed: {}", crate::judge::listed(&failed));
    let fix = format!("`systemctl status {first}` and `journalctl -u {first}` on the host say why");
    InsideFact::wrong(&UNITS, about, failed.clone(), says, fix)
}

/// Whether other files than ours set up the network.
fn files(host: Host<'_>, said: &Said) -> InsideFact {
    let about = "network files";
    let Ok(shown) = said.of("network-files") else {
        let fix = "look into /etc/netplan and /etc/systemd/network on the host";
        return InsideFact::not_looked(&NETWORK_FILES, about, "its folders cannot be read", fix);
    };
    let of_ours = systemd_link_files(host.site, host.machine).into_iter();
    let of_ours = of_ours.chain(multicast_dns_files(host.machine)).map(|(path, _)| format!("/{path}"));
    let ours: BTreeSet<String> = of_ours.chain(std::iter::once(format!("/{NETPLAN_PATH}"))).collect();
    // What netplan itself makes of our file at each boot.
    let is_made = |path: &str| {
        path.starts_with("/run/systemd/network/10-netplan-")
            || path.starts_with("/run/NetworkManager/system-connections/netplan-")
            || path == "/run/NetworkManager/system-connections/lo.nmconnection"
    };
    let mut found: Vec<String> = shown.lines().filter(|path| !is_made(path)).map(str::to_owned).collect();
    found.sort();
    found.dedup();
    let others: Vec<&String> = found.iter().filter(|path| !ours.contains(*path)).collect();
    if others.is_empty() {
        return InsideFact::right(&NETWORK_FILES, about, found);
    }
    let says = format!("has network files that are not ours: {}", crate::judge::listed(&others));
    let fix = "look what they say, and remove them, or have `impostazione place` set them aside";
    InsideFact::wrong(&NETWORK_FILES, about, found.clone(), says, fix)
}

/// Whether the netplan file is the one that the sheet gives.
fn netplan(host: Host<'_>, said: &Said) -> InsideFact {
    let about = "netplan file";
    let found = match said.of("netplan") {
        Ok(line) => line.split_whitespace().next().unwrap_or_default().to_owned(),
        Err(Unsaid::NeedsRoot) => return needs_root(&NETPLAN, about, "netplan get", host),
        Err(_) => {
            let says = format!("does not have /{NETPLAN_PATH}");
            return InsideFact::wrong(
                &NETPLAN,
                about,
                Vec::new(),
                says,
                "place the host's output again and boot it",
            );
        }
    };
    let Ok(bytes) = netplan_file(host.site, host.machine) else {
        let fix = format!("compare it with {}/rootfs/{NETPLAN_PATH} in the output", host.machine.label());
        return InsideFact::not_looked(&NETPLAN, about, "a secret in it is not available here", fix);
    };
    let expected = hex::encode(digest(&SHA256, &bytes));
    if found == expected {
        return InsideFact::right(&NETPLAN, about, vec!["as rendered".to_owned()]);
    }
    let says = format!("has another /{NETPLAN_PATH} than the sheet gives");
    let fix = format!(
        "`ssh -t {} sudo netplan get` shows it; place the host's output again and boot it, or take the change back",
        host.machine.label()
    );
    InsideFact::wrong(&NETPLAN, about, vec!["another one".to_owned()], says, fix)
}
