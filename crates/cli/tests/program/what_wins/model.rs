//! What would win over a sheet when a root filesystem boots: systemd's rules told again, on plain files, for the parts of these
//! tests. It knows nothing of how the program looks at a root filesystem.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};

use super::parts::HARMFUL;

/// Everything that would win, in words.
pub(super) fn what_wins(top: &Path) -> BTreeSet<String> {
    let mut boot = Boot { top, wins: BTreeSet::new() };
    let started = boot.started_units();
    boot.commands_of_units(&started);
    boot.other_commands();
    boot.kernel();
    boot.name_servers();
    boot.network();
    boot.counted_units(&started);
    boot.time_servers();
    boot.variables();
    boot.made_files();
    boot.accounts();
    boot.wins
}

/// Where units lie, first the one that counts.
const UNITS: [&str; 3] = ["etc/systemd/system", "usr/local/lib/systemd/system", "usr/lib/systemd/system"];
const SYSTEMD: [&str; 3] = ["etc/systemd", "usr/local/lib/systemd", "usr/lib/systemd"];

struct Boot<'a> {
    top: &'a Path,
    wins: BTreeSet<String>,
}

/// What a name leads to in folders of which the first that has it counts.
enum Found {
    Nowhere,
    Masked,
    File(PathBuf),
}

impl Boot<'_> {
    fn win(&mut self, what: impl Into<String>) {
        self.wins.insert(what.into());
    }

    fn names(&self, folder: &str) -> Vec<String> {
        let entries = fs::read_dir(self.top.join(folder)).into_iter().flatten();
        let mut names: Vec<String> =
            entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }

    /// The file behind a path, through a link within the root filesystem.
    fn file(&self, path: &str) -> Found {
        let whole = self.top.join(path);
        let Ok(target) = fs::read_link(&whole) else {
            return if whole.is_file() { Found::File(whole) } else { Found::Nowhere };
        };
        if target == Path::new("/dev/null") {
            return Found::Masked;
        }
        let inside = match target.strip_prefix("/") {
            Ok(inside) => self.top.join(inside),
            Err(_) => whole.parent().unwrap().join(&target),
        };
        if inside.is_file() { Found::File(inside) } else { Found::Nowhere }
    }

    fn text(&self, path: &str) -> Option<String> {
        match self.file(path) {
            Found::File(file) => fs::read_to_string(file).ok(),
            _ => None,
        }
    }

    /// The first file of a name in these folders.
    fn first(&self, folders: &[&str], name: &str) -> Found {
        let there = folders.iter().find(|folder| self.top.join(folder).join(name).symlink_metadata().is_ok());
        there.map_or(Found::Nowhere, |folder| self.file(&format!("{folder}/{name}")))
    }

    /// The files of an ending in folders of one kind, as they count and in the order of their names.
    fn layered(&self, folders: &[String], end: &str) -> Vec<(String, String)> {
        let mut by_name: BTreeMap<String, Option<String>> = BTreeMap::new();
        for folder in folders {
            for name in self.names(folder).into_iter().filter(|name| name.ends_with(end)) {
                let text = self.text(&format!("{folder}/{name}"));
                by_name.entry(name).or_insert(text);
            }
        }
        by_name.into_iter().filter_map(|(name, text)| Some((name, text?))).collect()
    }

    /// The text of a unit and of what changes it; nothing where it is masked or is not there.
    fn unit(&self, name: &str) -> Option<String> {
        let own = match self.first(&UNITS, name) {
            Found::Masked => return None,
            Found::File(file) => Some(fs::read_to_string(file).unwrap()),
            Found::Nowhere => {
                let (start, rest) = name.split_once('@')?;
                let template = format!("{start}@.{}", rest.rsplit_once('.')?.1);
                match self.first(&UNITS, &template) {
                    Found::File(file) => Some(fs::read_to_string(file).unwrap()),
                    _ => None,
                }
            }
        }?;
        let changes = self.drop_ins(name).into_iter().map(|(_, text)| text);
        Some([own].into_iter().chain(changes).collect::<Vec<_>>().join("\n"))
    }

    fn drop_ins(&self, unit: &str) -> Vec<(String, String)> {
        let mut folders: Vec<String> = UNITS.iter().map(|folder| format!("{folder}/{unit}.d")).collect();
        // Those of the first part of a name come behind its own.
        if let Some((first, _)) = unit.split_once('-') {
            folders.extend(UNITS.iter().map(|folder| format!("{folder}/{first}-.service.d")));
        }
        self.layered(&folders, ".conf")
    }

    /// The units that a boot comes to: what the targets want, and so on.
    fn started_units(&mut self) -> BTreeMap<String, String> {
        let default = fs::read_link(self.top.join("etc/systemd/system/default.target")).ok();
        let target = default.and_then(|target| Some(target.file_name()?.to_str()?.to_owned()));
        if target
            .as_deref()
            .is_some_and(|target| target != "multi-user.target" && target != "graphical.target")
        {
            self.win("the boot leads elsewhere");
        }
        let mut next: Vec<String> =
            ["multi-user", "sysinit", "basic", "timers", "paths", "sockets", "network-online"]
                .map(|name| format!("{name}.target"))
                .to_vec();
        let mut seen = BTreeSet::new();
        let mut started = BTreeMap::new();
        while let Some(name) = next.pop() {
            if !seen.insert(name.clone()) {
                continue;
            }
            for folder in UNITS {
                for kind in ["wants", "requires", "upholds"] {
                    next.extend(self.names(&format!("{folder}/{name}.{kind}")));
                }
            }
            let Some(text) = self.unit(&name) else { continue };
            for key in ["Wants", "Requires", "BindsTo", "Upholds", "OnFailure"] {
                for value in values(&text, key) {
                    next.extend(value.split_whitespace().map(str::to_owned));
                }
            }
            for end in [".timer", ".path", ".socket"] {
                if let Some(stem) = name.strip_suffix(end) {
                    let other = values(&text, "Unit").pop();
                    next.push(other.unwrap_or_else(|| format!("{stem}.service")));
                }
            }
            started.insert(name, text);
        }
        started
    }

    fn commands_of_units(&mut self, started: &BTreeMap<String, String>) {
        for (name, text) in started {
            for key in ["ExecStartPre", "ExecStart", "ExecStartPost", "ExecStopPost"] {
                for command in values(text, key) {
                    self.run(&command, name);
                }
            }
        }
    }

    /// What a command does, and the scripts that it names.
    fn run(&mut self, command: &str, by: &str) {
        let mut texts = vec![command.to_owned()];
        let mut seen = BTreeSet::new();
        while let Some(text) = texts.pop() {
            let harm = HARMFUL.iter().filter(|harm| text.contains(*harm));
            let harm: Vec<String> = harm.map(|harm| format!("{by} runs {harm}")).collect();
            self.wins.extend(harm);
            for word in text.split_whitespace() {
                let path = word.trim_start_matches(['-', '+', '@', ':', '!']);
                // A program of the image's is called by its name.
                if self.top.join("usr/local/sbin").join(path).is_file() && !path.contains('/') {
                    texts.push(format!("/usr/local/sbin/{path}"));
                }
                if text.contains("run-parts") && self.top.join(path.trim_start_matches('/')).is_dir() {
                    texts.extend(
                        self.names(path.trim_start_matches('/')).iter().map(|name| format!("{path}/{name}")),
                    );
                }
                if let Some(path) = path.strip_prefix('/')
                    && seen.insert(path.to_owned())
                    && let Some(script) = self.text(path)
                {
                    let is_read_in = text.contains(&format!(". /{path}"));
                    if script.starts_with("#!") || is_read_in {
                        texts.push(
                            script
                                .lines()
                                .filter(|line| !line.starts_with('#'))
                                .collect::<Vec<_>>()
                                .join("\n"),
                        );
                    }
                }
            }
        }
    }

    fn may_run(&self, path: &str) -> bool {
        match self.file(path) {
            Found::File(file) => file.metadata().unwrap().permissions().mode() & 0o111 != 0,
            _ => false,
        }
    }

    /// rc.local, scripts of the old kind, generators, timetables.
    fn other_commands(&mut self) {
        if self.may_run("etc/rc.local") && !matches!(self.first(&UNITS, "rc-local.service"), Found::Masked) {
            self.run("/etc/rc.local", "rc.local");
        }
        for level in ["2", "3", "4", "5", "S"] {
            for link in self.names(&format!("etc/rc{level}.d")) {
                let Some(name) = link.strip_prefix('S').map(|rest| rest[2..].to_owned()) else { continue };
                if matches!(self.first(&UNITS, &format!("{name}.service")), Found::Nowhere) {
                    self.run(&format!("/etc/init.d/{name}"), &name);
                }
            }
        }
        let folders = SYSTEMD.map(|folder| format!("{folder}/system-generators"));
        let mut seen = BTreeSet::new();
        for folder in folders {
            for name in self.names(&folder) {
                if seen.insert(name.clone()) && self.may_run(&format!("{folder}/{name}")) {
                    self.run(&format!("/{folder}/{name}"), &name);
                }
            }
        }
        if self.top.join("etc/systemd/system-generators/netplan").symlink_metadata().is_ok() {
            self.win("netplan is hidden");
        }
        if self.top.join("usr/sbin/cron").exists() {
            for name in self.names("etc/cron.d") {
                let text = self.text(&format!("etc/cron.d/{name}")).unwrap_or_default();
                for line in text.lines().filter(|line| !line.starts_with('#')) {
                    self.run(line, &name);
                }
            }
        }
    }

    fn kernel(&mut self) {
        let line = self.text("boot/firmware/cmdline.txt").unwrap_or_default();
        for word in line.split_whitespace() {
            if let Some(program) = word.strip_prefix("init=") {
                self.win(format!("the kernel starts {program}"));
            }
            if word.starts_with("systemd.unit=") {
                self.win(word);
            }
        }
    }

    /// systemd-resolved: lists add up, an empty value begins again.
    fn name_servers(&mut self) {
        let folders = SYSTEMD.map(|folder| format!("{folder}/resolved.conf.d"));
        let mut texts = vec![self.text("etc/systemd/resolved.conf").unwrap_or_default()];
        texts.extend(self.layered(&folders, ".conf").into_iter().map(|(_, text)| text));
        let all = texts.join("\n");
        for key in ["DNS", "Domains"] {
            for value in values(&all, key) {
                self.win(format!("{key} {value}"));
            }
        }
    }

    fn network(&mut self) {
        let folders = SYSTEMD.map(|folder| format!("{folder}/network"));
        let changes = folders.clone().map(|folder| format!("{folder}/10-netplan-eth0.network.d"));
        for (name, text) in self.layered(&changes, ".conf") {
            if !name.contains("impostazione") {
                self.win(format!("{name} changes the link: {text}"));
            }
        }
        for (name, text) in self.layered(&folders, ".network") {
            if name.as_str() < "10-netplan-" && text.contains("eth0") {
                self.win(format!("{name} goes first"));
            }
        }
        if self.top.join("etc/systemd/network/10-netplan-eth0.network").symlink_metadata().is_ok() {
            self.win("netplan's file is hidden");
        }
        for folder in ["usr/lib/netplan", "etc/netplan"] {
            for name in self.names(folder).into_iter().filter(|name| has_end(name, "yaml")) {
                if !name.contains("impostazione") {
                    self.win(format!("netplan reads {folder}/{name}"));
                }
            }
        }
    }

    /// The units that a host needs run as their packages have them.
    fn counted_units(&mut self, started: &BTreeMap<String, String>) {
        for name in ["ssh", "systemd-networkd", "systemd-resolved", "systemd-timesyncd"] {
            let unit = format!("{name}.service");
            let own = self.top.join("usr/lib/systemd/system").join(&unit);
            match self.first(&UNITS, &unit) {
                Found::File(file) if file.canonicalize().unwrap() == own.canonicalize().unwrap() => {}
                Found::Masked => self.win(format!("{unit} is masked")),
                _ => self.win(format!("{unit} is another")),
            }
            for (file, text) in self.drop_ins(&unit) {
                let does = ["Exec", "Environment", "Condition", "Assert"];
                if text.lines().any(|line| does.iter().any(|key| line.starts_with(key))) {
                    self.win(format!("{file} changes {unit}"));
                }
            }
            // Only a root filesystem that was placed has it start; netplan and the others start networkd.
            let _ = started;
        }
    }

    fn time_servers(&mut self) {
        let folders = SYSTEMD.map(|folder| format!("{folder}/timesyncd.conf.d"));
        let mut texts = vec![self.text("etc/systemd/timesyncd.conf").unwrap_or_default()];
        texts.extend(self.layered(&folders, ".conf").into_iter().map(|(_, text)| text));
        for value in values(&texts.join("\n"), "NTP") {
            if value.contains("10.64.99.") {
                self.win(format!("time of {value}"));
            }
        }
    }

    /// Words for the SSH server.
    fn variables(&mut self) {
        let of_ssh = self.text("etc/default/ssh").unwrap_or_default();
        let folders = SYSTEMD.map(|folder| format!("{folder}/system.conf.d"));
        let of_all = self.layered(&folders, ".conf").into_iter().map(|(_, text)| text);
        for text in of_all.chain([of_ssh]) {
            if text.lines().any(|line| !line.starts_with('#') && line.contains("PermitRootLogin")) {
                self.win("sshd is told otherwise");
            }
        }
    }

    fn made_files(&mut self) {
        for (folder, harm) in [("tmpfiles.d", "/etc/localtime"), ("sysctl.d", "kernel.hostname")] {
            let folders = ["etc", "usr/lib"].map(|start| format!("{start}/{folder}"));
            for (name, text) in self.layered(&folders, ".conf") {
                if text.lines().any(|line| !line.starts_with('#') && line.contains(harm)) {
                    self.win(format!("{folder}/{name}"));
                }
            }
        }
    }

    /// Who gets in by a password, or without one.
    fn accounts(&mut self) {
        for line in self.text("etc/shadow").unwrap_or_default().lines() {
            let mut fields = line.split(':');
            let (name, hash) = (fields.next().unwrap_or_default(), fields.next().unwrap_or_default());
            if name != "keeper" && (hash.starts_with('$') || hash.is_empty()) {
                self.win(format!("{name} gets in"));
            }
        }
    }
}

fn has_end(name: &str, end: &str) -> bool {
    name.rsplit_once('.').is_some_and(|(_, found)| found == end)
}

/// The values of a key: lines that go on are joined, and an empty value drops those before it.
fn values(text: &str, key: &str) -> Vec<String> {
    let mut values = Vec::new();
    for line in text.replace("\\\n", " ").lines() {
        if let Some((name, value)) = line.split_once('=')
            && name.trim() == key
        {
            if value.trim().is_empty() { values.clear() } else { values.push(value.trim().to_owned()) }
        }
    }
    values
}
