//! What on a root filesystem would rewrite network, names, logins or host keys when it boots.
//!
//! No list of programs is kept: units tell by what they run and by when they ask to be started.

use std::sync::LazyLock;

use impostazione_rootfs::{BOOT_FOLDERS, KERNEL_LINE, Kind, RootfsFault, View};
use regex::Regex;
use serde::Serialize;

use super::units::{Unit, service_names};

/// A unit that would rewrite settings.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Rewriter {
    /// The unit.
    pub unit: String,
    /// Its file.
    pub path: String,
    /// What makes it one: the end of a sentence.
    #[serde(rename = "message")]
    pub why: String,
}

/// Units that are started before the network and change nothing of its settings: parts of systemd, of what sets links up, and
/// firewalls.
const HARMLESS: [&str; 24] = [
    "systemd-",
    "networking",
    "NetworkManager",
    "ifup",
    "netplan",
    "nftables",
    "iptables",
    "ip6tables",
    "ipset",
    "ufw",
    "firewalld",
    "shorewall",
    "ferm",
    "firehol",
    "arptables",
    "ebtables",
    "resolvconf",
    "netfilter-",
    "openvswitch",
    "ovs",
    "wpa_supplicant",
    "iwd",
    "apparmor",
    "kmod",
];

/// What a script says when it rewrites something, and what that is.
static SIGNS: LazyLock<Vec<(Regex, &'static str)>> = LazyLock::new(|| {
    [
        (r"/etc/netplan/|/etc/network/interfaces|\bnetplan (set|apply)\b|\bnmcli c(on|onnection)? (add|mod)", "network files"),
        (r"\bhostnamectl\b.*\bset|(>|tee|cp|mv|sed -i).*\s?/etc/hostname", "the host name"),
        (r"\b(useradd|adduser|usermod|chpasswd)\b", "logins"),
        (r"\brm\b.*ssh_host_|dpkg-reconfigure\b.*openssh-server", "host keys"),
    ]
    .into_iter()
    .filter_map(|(sign, what)| Some((Regex::new(sign).ok()?, what)))
    .collect()
});

/// The units that would rewrite settings, in the order of their names.
pub(super) fn rewriters(view: View<'_>) -> Result<Vec<Rewriter>, RootfsFault> {
    let mut units = Vec::new();
    for name in service_names(view)? {
        let is_harmless = HARMLESS.iter().any(|known| name.starts_with(known));
        if is_harmless || name.contains('@') || name == "rc-local.service" || name == "rc.local.service" {
            continue;
        }
        if let Some(unit) = Unit::find(view, &name)?.filter(|unit| !unit.is_masked) {
            units.push(unit);
        }
    }
    let mut found: Vec<Rewriter> = Vec::new();
    let mut programs: Vec<String> = Vec::new();
    for unit in &units {
        if goes_before_the_network(unit) {
            programs.extend(program(unit).map(str::to_owned));
            found.push(of(unit, "it asks to run before the network is set up".to_owned()));
        } else if unit.is_enabled
            && let Some(what) = rewrites(view, unit)
        {
            found.push(of(unit, format!("it rewrites {what}")));
        }
    }
    // What such a program does in other units belongs to the same work.
    for unit in &units {
        let is_same = program(unit).is_some_and(|program| programs.iter().any(|known| known == program));
        if is_same && !found.iter().any(|known| known.unit == unit.name) {
            found.push(of(
                unit,
                "it runs a program that another unit runs before the network is set up".to_owned(),
            ));
        }
    }
    kernel_lines(view, &mut found)?;
    if let Some(what) = local_script(view)? {
        found.push(Rewriter {
            unit: "rc-local.service".to_owned(),
            path: LOCAL_SCRIPT.to_owned(),
            why: format!("it rewrites {what}"),
        });
    }
    found.sort_by(|one, other| one.unit.cmp(&other.unit));
    Ok(found)
}

fn of(unit: &Unit, why: String) -> Rewriter {
    Rewriter { unit: unit.name.clone(), path: unit.path.clone(), why }
}

/// What a unit runs.
fn program(unit: &Unit) -> Option<&str> {
    let line = unit.values("ExecStart").into_iter().next()?;
    line.split_whitespace().next().map(|program| program.trim_start_matches(['-', '@', '+', '!', ':']))
}

fn goes_before_the_network(unit: &Unit) -> bool {
    let before = unit.values("Before");
    let is_early = before.iter().flat_map(|value| value.split_whitespace()).any(|name| {
        matches!(
            name,
            "network-pre.target"
                | "systemd-networkd.service"
                | "NetworkManager.service"
                | "networking.service"
        )
    });
    is_early && !unit.values("ExecStart").is_empty()
}

/// What the commands of a unit rewrite, or the script that they run.
fn rewrites(view: View<'_>, unit: &Unit) -> Option<&'static str> {
    for key in ["ExecStartPre", "ExecStart", "ExecStartPost"] {
        for line in unit.values(key) {
            if let Some(what) = sign_in(line) {
                return Some(what);
            }
            let words =
                line.split_whitespace().map(|word| word.trim_start_matches(['-', '@', '+', '!', ':']));
            for word in words.filter(|word| word.starts_with('/')).take(4) {
                if let Some(what) = sign_in_script(view, word.trim_start_matches('/')) {
                    return Some(what);
                }
            }
        }
    }
    None
}

fn sign_in(text: &str) -> Option<&'static str> {
    SIGNS.iter().find(|(sign, _)| sign.is_match(text)).map(|(_, what)| *what)
}

/// Scripts are small.
const SCRIPT_LIMIT: u64 = 1024 * 1024;

fn sign_in_script(view: View<'_>, path: &str) -> Option<&'static str> {
    let found = view.rootfs().follow(path).ok()??;
    if found.kind != Kind::File || found.size > SCRIPT_LIMIT {
        return None;
    }
    let bytes = view.read(path).ok()??;
    if !bytes.starts_with(b"#!") {
        return None;
    }
    let text = String::from_utf8_lossy(&bytes);
    text.lines().filter(|line| !line.trim_start().starts_with('#')).find_map(sign_in)
}

/// What has systemd run a program at boot (`systemd-run-generator(8)`), and go on as that program is done.
const RUN_WORDS: [&str; 4] = [
    "systemd.run=",
    "systemd.run_success_action=",
    "systemd.run_failure_action=",
    "systemd.unit=kernel-command-line",
];

/// The unit that systemd makes of such words.
pub(crate) const KERNEL_LINE_UNIT: &str = "kernel-command-line.service";

fn kernel_lines(view: View<'_>, found: &mut Vec<Rewriter>) -> Result<(), RootfsFault> {
    for folder in BOOT_FOLDERS {
        let path = format!("{folder}/{KERNEL_LINE}");
        if !view.has(&path) {
            continue;
        }
        let text = view.text(&path)?.unwrap_or_default();
        if let Some(program) = text.split_whitespace().find_map(|word| word.strip_prefix("systemd.run=")) {
            found.push(Rewriter {
                unit: KERNEL_LINE_UNIT.to_owned(),
                path,
                why: format!("the kernel's command line has systemd run {program}"),
            });
        }
    }
    Ok(())
}

/// A command line without the words that have systemd run a program.
pub(crate) fn without_run_words(line: &str) -> String {
    let words =
        line.split(' ').filter(|word| !RUN_WORDS.iter().any(|known| word.trim_end().starts_with(known)));
    let mut text = words.collect::<Vec<_>>().join(" ");
    if line.ends_with('\n') && !text.ends_with('\n') {
        text.push('\n');
    }
    text
}

/// The script that systemd runs at each boot if it may be run (`systemd-rc-local-generator(8)`).
const LOCAL_SCRIPT: &str = "etc/rc.local";

fn local_script(view: View<'_>) -> Result<Option<&'static str>, RootfsFault> {
    let may_run =
        view.look(LOCAL_SCRIPT)?.is_some_and(|found| found.kind == Kind::File && found.mode & 0o111 != 0);
    let is_masked =
        view.target("etc/systemd/system/rc-local.service")?.is_some_and(|target| target == "/dev/null");
    Ok(if may_run && !is_masked { sign_in_script(view, LOCAL_SCRIPT) } else { None })
}
