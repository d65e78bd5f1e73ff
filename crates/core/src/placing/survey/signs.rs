//! By what a command or a script tells that it rewrites settings.

use std::cell::{Cell, RefCell};
use std::collections::{BTreeSet, HashMap, HashSet};
use std::rc::Rc;
use std::sync::LazyLock;

use impostazione_rootfs::{BOOT_FOLDERS, Kind, View};
use regex::Regex;

use super::owned::Owned;

/// A command: where one begins, with the commands that may stand before it to run it, and their words.
const COMMAND: &str = concat!(
    r"(?:^|[;&|({`]|\$\(|\b(?:then|do|else|if|while|!)\s|\b(?:ba|da|k|z)?sh\s+(?:-\w+\s+)*-\w*c\s+['\x22]?|\beval\s+['\x22]?)\s*",
    r"(?:(?:[A-Za-z_]+=\S*|(?:/usr)?(?:/local)?(?:/s?bin/)?(?:exec|sudo|env|nohup|setsid|time|command|busybox|",
    r"(?:timeout|nice|ionice|flock|chroot|unshare|runuser|stdbuf|xargs)(?:\s+-\S+)*(?:\s+[^-\s]\S*)?))\s+(?:-\S+\s+)*)*",
    r"(?:/usr)?(?:/local)?(?:/s?bin/)?"
);
/// A command that is called by its name alone; a test sees that there is one.
static COMMAND_NAME: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(&format!(r"{COMMAND}([A-Za-z0-9][\w.+-]+)")).ok());
/// Where such a command is looked for (`systemd.exec(5)`).
const PATH: [&str; 6] = ["usr/local/sbin", "usr/local/bin", "usr/sbin", "usr/bin", "sbin", "bin"];

/// What writes a file that is named behind it, in the same command.
const WRITES: &str = r"(?:>|\btee\b|\b(?:cp|mv|ln|rm|install|rsync|unlink)\b)[^;&|]*?";
/// What edits a file, by an expression that may hold anything.
const EDITS: &str = r"\b(?:sed\s+(?:-\S+\s+)*-i|perl\s+-\S*i).*?";

/// A sign.
struct Sign {
    pattern: Regex,
    what: &'static str,
    /// Whether packages of a distribution do the same for good reason, to links and files of their own.
    is_usual_in_packages: bool,
}

/// What a script says when it rewrites something, and what that is.
static SIGNS: LazyLock<Vec<Sign>> = LazyLock::new(|| {
    let written = |path: &str| {
        format!(
            r#"(?:{WRITES}|{EDITS})(?:{path})|\b(?:open|Path)\(\s*['"][^'"]*(?:{path})[^'"]*['"]\s*(?:,\s*['"][wa]|\)\.write)"#
        )
    };
    let command = |words: &str| format!("{COMMAND}{words}");
    [
        (r"/etc/netplan/|/etc/network/interfaces|\bnetplan\s+(set|apply|try)\b".to_owned(), "network files", false),
        (r"\bnmcli\b.*\b(add|mod|modify|up|set|reapply)\b".to_owned(), "network files", false),
        (written("/(etc|run)/(systemd/network|netplan|NetworkManager|network)/"), "network files", false),
        (command(r"(ip\s+(-\S+\s+)*(a|addr|address|r|route|ro|l|link|rule)\s+(add|del|delete|flush|replace|change|set)\b)"), "addresses and routes", true),
        (command(r"(ifconfig\s+\S+\s+\S|route\s+(add|del)\b|dhclient\b|dhcpcd\b|udhcpc\b|ifup\b|ifdown\b)"), "addresses and routes", true),
        (r"\b(networkctl\s+(down|delete)|resolvectl\s+(dns|domain|default-route)\s+\S+\s+\S)".to_owned(), "addresses and routes", true),
        (written(r"resolv\.conf"), "the DNS servers", true),
        (written(r"/etc/systemd/resolved\.conf"), "the DNS servers", false),
        (command(r"(hostname\s+(-F|-b|--file|[^-\s|;&)`>][^|;&)`]*))"), "the host name", true),
        (r"\bhostnamectl\b.*\bset-hostname|\bhostnamectl\s+(hostname|set-\S+)\s+\S|/proc/sys/kernel/hostname|kernel\.hostname\s*=".to_owned(), "the host name", false),
        (written("/etc/hostname"), "the host name", false),
        (written(r"/etc/hosts\b"), "names of hosts", true),
        (r"\btimedatectl\b.*\bset-".to_owned(), "the time or its zone", false),
        (written("/etc/(localtime|timezone|systemd/timesyncd|chrony)"), "the time or its zone", false),
        (command(r"(ntpdate|sntp)\b"), "the time or its zone", true),
        (command(r"(useradd|adduser|usermod|userdel|deluser|chpasswd)\b"), "logins", false),
        (command(r"(passwd\s+\S|chage\s+\S|newusers\b|gpasswd\s+\S|vipw\b)"), "logins", true),
        (written("/etc/(passwd|shadow|group|gshadow|sudoers)"), "logins", false),
        (written("authorized_keys"), "logins", false),
        (r"\brm\b.*ssh_host_|dpkg-reconfigure\b.*openssh-server".to_owned(), "host keys", false),
        (written("/etc/ssh/sshd_config"), "settings of the SSH server", false),
        (r"\bsystemctl\b.*\b(stop|disable|mask)\b.*\b(ssh|sshd|systemd-networkd|systemd-resolved|systemd-timesyncd|chrony|NetworkManager)\b".to_owned(), "which services start", false),
        (r"\bsystemctl\b.*\b(enable|unmask|start)\b.*\b(dhcpcd|networking|connman)\b".to_owned(), "which services start", true),
    ]
    .into_iter()
    .filter_map(|(pattern, what, is_usual_in_packages)| {
        Some(Sign { pattern: Regex::new(&pattern).ok()?, what, is_usual_in_packages })
    })
    .collect()
});

/// Scripts are small; larger ones are not looked at, and named.
const SCRIPT_LIMIT: u64 = 1024 * 1024;
/// How much is looked at in all, in bytes.
const BUDGET: usize = 8 * 1024 * 1024;
/// How deep scripts are followed that others run, and how many for one command.
const DEPTH_LIMIT: usize = 8;
const COUNT_LIMIT: usize = 256;

/// Names on the boot partition that are for the firmware and the kernel.
const OF_FIRMWARE: [&str; 5] = ["cmdline.txt", "config.txt", "grub", "overlays", "issue.txt"];

/// Looks at commands and the scripts that they run.
pub(super) struct Signs<'a> {
    view: View<'a>,
    owned: &'a Owned<'a>,
    /// What was seen of each script, so that it is read once.
    scanned: RefCell<HashMap<String, Rc<Scanned>>>,
    left: Cell<usize>,
    unseen: RefCell<BTreeSet<String>>,
}

/// What was seen of a text.
#[derive(Debug, Default)]
struct Scanned {
    /// What it rewrites.
    sign: Option<String>,
    /// Files that it names, and whether it reads them in.
    named: Vec<(String, bool)>,
}

impl<'a> Signs<'a> {
    pub(super) fn new(view: View<'a>, owned: &'a Owned<'a>) -> Self {
        let (scanned, unseen) = (RefCell::default(), RefCell::default());
        Self { view, owned, scanned, left: Cell::new(BUDGET), unseen }
    }

    /// Scripts that run at boot and that could not be looked at.
    pub(super) fn unseen(&self) -> Vec<String> {
        self.unseen.borrow().iter().cloned().collect()
    }

    /// What commands rewrite, by what they say or by the scripts that they run. `path` is the file in which they stand.
    pub(super) fn in_commands(&self, path: &str, commands: &[String]) -> Option<String> {
        self.follow(path, &self.scan(path, &commands.join("\n")), &mut HashSet::new(), 0)
    }

    /// What a script rewrites.
    pub(super) fn in_script(&self, path: &str) -> Option<String> {
        let scanned = self.script(path, true)?;
        self.follow(path, &scanned, &mut HashSet::from([path.to_owned()]), 0)
    }

    /// What a text rewrites, or a script that it runs or reads in.
    fn follow(
        &self,
        path: &str,
        scanned: &Scanned,
        seen: &mut HashSet<String>,
        depth: usize,
    ) -> Option<String> {
        if scanned.sign.is_some() {
            return scanned.sign.clone();
        }
        for (file, is_read_in) in &scanned.named {
            // What the distribution brings beside is known by its name alone.
            if depth > 0 && self.owned.is_of_distribution(file) || !seen.insert(file.clone()) {
                continue;
            }
            let Some(found) = self.script(file, !is_read_in) else { continue };
            if depth >= DEPTH_LIMIT || seen.len() >= COUNT_LIMIT {
                self.unseen.borrow_mut().insert(path.to_owned());
                continue;
            }
            if let Some(what) = self.follow(file, &found, seen, depth + 1) {
                return Some(what);
            }
        }
        None
    }

    /// What a text says by itself.
    fn scan(&self, path: &str, text: &str) -> Scanned {
        let is_of_distribution = self.owned.is_of_distribution(path);
        let lines = || text.lines().filter(|line| !line.trim_start().starts_with('#'));
        for line in lines() {
            let line = line.trim_start_matches(['-', '@', '+', '!', ':']);
            let is_one = |sign: &&Sign| {
                !(sign.is_usual_in_packages && is_of_distribution) && sign.pattern.is_match(line)
            };
            let rewrites = SIGNS.iter().find(is_one).map(|sign| format!("it rewrites {}", sign.what));
            let reads = || self.settings_file(line).map(|file| format!("it reads settings from /{file}"));
            let sign = rewrites.or_else(reads);
            if sign.is_some() {
                return Scanned { sign, named: Vec::new() };
            }
        }
        let mut scanned = Scanned::default();
        for line in lines() {
            for named in self.named_in(line) {
                if scanned.named.contains(&named) {
                    continue;
                }
                if scanned.named.len() >= COUNT_LIMIT {
                    self.unseen.borrow_mut().insert(path.to_owned());
                    return scanned;
                }
                scanned.named.push(named);
            }
        }
        scanned
    }

    /// Files that a line runs or reads in: by their paths, by their names alone, and all of a folder.
    fn named_in(&self, line: &str) -> Vec<(String, bool)> {
        let mut named = Vec::new();
        let commands = COMMAND_NAME.iter().flat_map(|pattern| pattern.captures_iter(line));
        for found in commands.filter_map(|found| found.get(1)) {
            let paths = PATH.iter().map(|folder| format!("{folder}/{}", found.as_str()));
            named.extend(paths.into_iter().find(|path| self.is_file(path)).map(|path| (path, false)));
        }
        let words: Vec<&str> = line.split([' ', '\t', ';', '"', '\'', '(', ')', '`', '=', ',']).collect();
        for (index, word) in words.iter().enumerate() {
            let file = word.trim_start_matches(['-', '@', '+', '!', ':']).trim_start_matches('|');
            let Some(file) = file.strip_prefix('/').map(|file| file.trim_end_matches([';', '&', '|'])) else {
                continue;
            };
            let is_read_in = index
                .checked_sub(1)
                .and_then(|before| words.get(before))
                .is_some_and(|word| matches!(*word, "." | "source"));
            // Those of timetables are looked at one by one.
            let folder = match file.rsplit_once('/') {
                Some((folder, last)) if last.contains('*') => Some(folder),
                _ if line.contains("run-parts") && !file.starts_with("etc/cron.") => {
                    Some(file.trim_end_matches('/'))
                }
                _ => None,
            };
            if let Some(folder) = folder
                && let Ok(names) = self.view.list(folder)
            {
                let paths = names.into_iter().map(|name| format!("{folder}/{name}"));
                named.extend(paths.filter(|path| self.is_file(path)).map(|path| (path, is_read_in)));
            }
            if self.is_file(file) {
                named.push((file.to_owned(), is_read_in));
            }
        }
        named
    }

    fn is_file(&self, path: &str) -> bool {
        matches!(self.view.rootfs().follow(path), Ok(Some(found)) if found.kind == Kind::File)
            && self.view.has(path)
    }

    /// A file on the boot partition that a line names, and that is not the firmware's.
    fn settings_file(&self, line: &str) -> Option<String> {
        for folder in BOOT_FOLDERS {
            let start = format!("/{folder}/");
            for (at, _) in line.match_indices(&start) {
                let rest = line.get(at + start.len()..)?;
                let end = rest
                    .find(|c: char| !(c.is_ascii_alphanumeric() || "._-".contains(c)))
                    .unwrap_or(rest.len());
                let name = rest.get(..end).unwrap_or_default();
                let is_of_firmware = name.is_empty()
                    || OF_FIRMWARE.contains(&name)
                    || ["vmlinu", "initrd", "kernel", "System.map", "config-"]
                        .iter()
                        .any(|known| name.starts_with(known))
                    || [".dtb", ".img", ".elf", ".dat", ".bin"].iter().any(|known| name.ends_with(known));
                let file = format!("{folder}/{name}");
                let is_glob = rest.get(end..).is_some_and(|rest| rest.starts_with(['*', '?', '[', '{']));
                if is_glob && self.has_beginning(folder, name) {
                    return Some(format!("{file}*"));
                }
                if !is_of_firmware && self.view.has(&file) {
                    return Some(file);
                }
            }
        }
        None
    }

    /// Whether a file on the boot partition begins so; one that cannot be listed may have any.
    fn has_beginning(&self, folder: &str, name: &str) -> bool {
        if self.view.rootfs().is_on_boot_partition(&format!("{folder}/x")) {
            return true;
        }
        let names = self.view.list(folder).unwrap_or_default();
        names.iter().any(|found| !name.is_empty() && found.starts_with(name))
    }

    /// What a script says by itself; nothing for what is none. What is too large is noted.
    fn script(&self, path: &str, has_mark: bool) -> Option<Rc<Scanned>> {
        if let Some(scanned) = self.scanned.borrow().get(path) {
            return Some(Rc::clone(scanned));
        }
        let found = self.view.rootfs().follow(path).ok()??;
        if found.kind != Kind::File {
            return None;
        }
        if found.size > SCRIPT_LIMIT {
            // Programs that are no scripts are as large, and are not looked at in any size.
            if self.view.rootfs().begins_with(path, b"#!") {
                self.unseen.borrow_mut().insert(path.to_owned());
            }
            return None;
        }
        let bytes = self.view.read(path).ok()??;
        if has_mark && !bytes.starts_with(b"#!") {
            return None;
        }
        let Some(left) = self.left.get().checked_sub(bytes.len()) else {
            self.unseen.borrow_mut().insert(path.to_owned());
            return None;
        };
        self.left.set(left);
        let text = String::from_utf8_lossy(&bytes).replace("\\\n", " ");
        let scanned = Rc::new(self.scan(path, &text));
        self.scanned.borrow_mut().insert(path.to_owned(), Rc::clone(&scanned));
        Some(scanned)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sign(line: &str) -> Option<&'static str> {
        SIGNS.iter().find(|sign| sign.pattern.is_match(line)).map(|sign| sign.what)
    }

    #[test]
    fn commands_that_rewrite_something_are_told_from_those_that_ask() {
        assert_eq!(SIGNS.len(), 23);
        assert!(COMMAND_NAME.is_some());
        for (line, what) in [
            ("ip addr add 10.64.10.99/24 dev eth0", "addresses and routes"),
            ("/sbin/ifconfig eth0 10.64.10.99", "addresses and routes"),
            ("if true; then dhclient eth0; fi", "addresses and routes"),
            ("echo nameserver 10.64.99.99 > /etc/resolv.conf", "the DNS servers"),
            ("ln -sf /usr/share/zoneinfo/Etc/UTC /etc/localtime", "the time or its zone"),
            ("timedatectl set-timezone Etc/UTC", "the time or its zone"),
            ("hostname image", "the host name"),
            ("echo image > /proc/sys/kernel/hostname", "the host name"),
            ("echo 'root:image' | chpasswd", "logins"),
            ("passwd -d root", "logins"),
            ("/usr/bin/passwd root", "logins"),
            ("echo key >> /root/.ssh/authorized_keys", "logins"),
            ("systemctl stop ssh", "which services start"),
            ("/bin/sh -c 'hostname image'", "the host name"),
            ("/bin/bash -ec \"exec ip link set eth0 down\"", "addresses and routes"),
            ("/usr/bin/env LC_ALL=C nohup hostname image", "the host name"),
            ("timeout 5 dhclient eth0", "addresses and routes"),
            ("/bin/busybox ifconfig eth0 10.64.10.99", "addresses and routes"),
            ("nice -n 5 passwd -d root", "logins"),
            ("xargs chpasswd < /boot/logins", "logins"),
        ] {
            assert_eq!(sign(line), Some(what), "{line}");
        }
        for line in [
            "ip addr show",
            "ip -4 route get 10.64.10.1",
            "name=$(hostname -f)",
            "hostname",
            "echo \"$(hostname)\"",
            "getent passwd root",
            "grep nameserver /etc/resolv.conf",
            "cat /etc/hostname",
            "timedatectl show",
            "date +%Z",
            "systemctl is-active ssh",
            "/bin/sh -c 'hostname -f'",
            "env hostname",
            "echo passwd root",
            "logger -t hostname image",
            "test -e /etc/localtime",
        ] {
            assert_eq!(sign(line), None, "{line}");
        }
    }
}
