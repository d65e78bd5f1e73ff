//! What on a root filesystem would rewrite network, names, time, logins or host keys when it boots.
//!
//! No list of programs is kept: what starts at boot tells by what it runs and by when it asks to be started.

use std::collections::{BTreeMap, BTreeSet};

use impostazione_rootfs::{Kind, RootfsFault, View};
use serde::Serialize;

use super::boot_settings;
use super::kernel_words;
use super::owned::Owned;
use super::signs::Signs;
use super::started::{Started, StartedUnit};
use super::units::{UNIT_FOLDERS, Unit, has_end, service_names, whole_lines};

/// Something that would rewrite settings.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Rewriter {
    /// The unit, or what else runs it.
    pub unit: String,
    /// Its file.
    pub path: String,
    /// What makes it one: the end of a sentence.
    #[serde(rename = "message")]
    pub why: String,
    /// What a placement does about it.
    #[serde(skip)]
    pub(crate) remedy: Remedy,
}

/// What a placement does about something that would rewrite settings.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Remedy {
    /// The unit is kept from starting.
    Mask,
    /// Words leave the kernel's command line.
    KernelWords,
    /// A line becomes a remark.
    Line(usize),
    /// The file leaves its folder.
    SetAside,
    /// A link to nothing in the administrator's folder hides the file of a package's folder: the link's path.
    Hide(String),
    /// Nothing: the image is refused.
    Refuse,
}

impl Remedy {
    /// What placing does: the end of a sentence.
    pub(crate) fn words(&self) -> &'static str {
        match self {
            Self::Mask => "masks it",
            Self::KernelWords => "removes the words",
            Self::Line(_) => "sets the line aside",
            Self::SetAside => "sets the file aside",
            Self::Hide(_) => "hides the file",
            Self::Refuse => "does not change it",
        }
    }
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

/// What is looked at.
struct Look<'a> {
    view: View<'a>,
    started: &'a Started,
    owned: &'a Owned<'a>,
    signs: Signs<'a>,
    found: Vec<Rewriter>,
}

/// Everything that would rewrite settings, in the order of what runs it; and scripts that run at boot and could not be looked at.
pub(super) fn rewriters(view: View<'_>) -> Result<(Vec<Rewriter>, Vec<String>), RootfsFault> {
    let started = Started::of(view)?;
    let owned = Owned::new(view);
    let signs = Signs::new(view, &owned);
    let mut look = Look { view, started: &started, owned: &owned, signs, found: Vec::new() };
    look.units()?;
    look.family()?;
    look.triggers();
    look.old_scripts()?;
    look.local_script()?;
    look.timetables()?;
    look.device_rules()?;
    look.generators()?;
    look.hooks()?;
    boot_settings::rewriters(view, &mut look.found)?;
    kernel_words::rewriters(view, &mut look.found)?;
    look.first_program();
    let unseen = look.signs.unseen();
    let mut found = look.found;
    found.sort_by(|one, other| (&one.unit, &one.path).cmp(&(&other.unit, &other.path)));
    Ok((found, unseen))
}

impl Look<'_> {
    fn add(&mut self, unit: &str, path: &str, why: String, remedy: Remedy) {
        if !self.found.iter().any(|known| known.unit == unit && known.path == path) {
            self.found.push(Rewriter { unit: unit.to_owned(), path: path.to_owned(), why, remedy });
        }
    }

    /// Whether a unit is one of those that belong to every system. A name alone is not believed where packages are known.
    fn is_harmless(&self, name: &str, path: &str) -> bool {
        HARMLESS.iter().any(|known| name.starts_with(known))
            && (!self.owned.is_known() || self.owned.package(path).is_some())
    }

    /// Units that start, and those that ask to run before the network whether something starts them or not.
    fn units(&mut self) -> Result<(), RootfsFault> {
        let mut services: Vec<StartedUnit> =
            self.started.units().filter(|unit| runs_commands(&unit.name)).cloned().collect();
        for name in service_names(self.view)? {
            if !name.contains('@')
                && !self.started.has(&name)
                && let Some(unit) = Unit::find(self.view, &name)?.filter(|unit| !unit.is_masked)
            {
                services.push(StartedUnit { name, path: unit.path, texts: vec![unit.text] });
            }
        }
        let services: Vec<StartedUnit> = services
            .into_iter()
            .filter(|unit| {
                !matches!(unit.name.as_str(), "rc-local.service" | "rc.local.service")
                    && !self.is_harmless(&unit.name, &unit.path)
            })
            .collect();
        let mut programs: Vec<String> = Vec::new();
        for unit in &services {
            if goes_before_the_network(unit) {
                programs.extend(program(unit));
                let why = "it runs before the network is set up".to_owned();
                self.add(&unit.name, &unit.path, why, Remedy::Mask);
            } else if self.started.has(&unit.name)
                && let Some(what) = self.rewrites(unit)
            {
                self.add(&unit.name, &unit.path, what, Remedy::Mask);
            }
        }
        // What such a program does in other units belongs to the same work.
        for unit in &services {
            if program(unit).is_some_and(|program| programs.contains(&program)) {
                let why = "it runs a program that another unit runs before the network is set up".to_owned();
                self.add(&unit.name, &unit.path, why, Remedy::Mask);
            }
        }
        Ok(())
    }

    /// What the commands of a unit rewrite, or the scripts that they run, or the file whose presence has it start.
    fn rewrites(&self, unit: &StartedUnit) -> Option<String> {
        let keys = [
            "ExecCondition",
            "ExecStartPre",
            "ExecStart",
            "ExecStartPost",
            "ExecReload",
            "ExecStop",
            "ExecStopPre",
            "ExecStopPost",
        ];
        let conditions =
            ["ConditionPathExists", "ConditionPathExistsGlob", "ConditionFileNotEmpty", "PathExists"];
        let mut commands: Vec<String> = keys.iter().flat_map(|key| unit.values(key)).collect();
        // A condition on a file of the boot partition is there for its settings.
        let is_asked = |value: &String| !value.contains('!');
        commands.extend(conditions.iter().flat_map(|key| unit.values(key)).filter(is_asked));
        self.signs.in_commands(&unit.path, &commands)
    }

    /// Other units of the package, or of the name, of those that were found to run before the network: an agent whose stages
    /// are kept from starting while its main service runs would wait for them.
    fn family(&mut self) -> Result<(), RootfsFault> {
        let early: Vec<Rewriter> =
            self.found.iter().filter(|found| found.why.contains("before the network")).cloned().collect();
        let mut others: BTreeSet<(String, String)> = BTreeSet::new();
        for stage in &early {
            if let Some(package) = self.owned.package(&stage.path).map(str::to_owned) {
                let is_unit = |path: &&str| {
                    path.contains("/systemd/system/")
                        && [".service", ".socket", ".timer", ".path"].iter().any(|end| path.ends_with(end))
                };
                for path in self.owned.paths_of(&package).filter(is_unit) {
                    let name = path.rsplit('/').next().unwrap_or_default();
                    others.insert((name.to_owned(), path.to_owned()));
                }
            } else {
                others.extend(self.of_name(&stage.unit)?);
            }
        }
        for (name, path) in others {
            let is_there = self.view.look(&path)?.is_some();
            if is_there && !self.is_harmless(&name, &path) && !name.contains('@') && !self.is_masked(&name)? {
                let why = "it belongs to what another unit runs before the network is set up".to_owned();
                self.add(&name, &path, why, Remedy::Mask);
            }
        }
        Ok(())
    }

    /// Units whose names begin as one's own does, and that name it or are named by it.
    fn of_name(&self, stage: &str) -> Result<Vec<(String, String)>, RootfsFault> {
        let first = |name: &str| name.split(['-', '.', '@']).next().unwrap_or_default().to_owned();
        let mut found = Vec::new();
        let text_of = |name: &str| -> Result<Option<(String, String)>, RootfsFault> {
            for folder in UNIT_FOLDERS {
                let path = format!("{folder}/{name}");
                if let Ok(Some(text)) = self.view.text(&path) {
                    return Ok(Some((path, text)));
                }
            }
            Ok(None)
        };
        let own = text_of(stage)?.map(|(_, text)| text).unwrap_or_default();
        for folder in UNIT_FOLDERS {
            for name in self.view.list(folder)? {
                let is_unit =
                    [".service", ".socket", ".timer", ".path"].iter().any(|end| name.ends_with(end));
                if !is_unit || name == stage || first(&name) != first(stage) {
                    continue;
                }
                if let Some((path, text)) = text_of(&name)?
                    && (names_unit(&own, &name) || names_unit(&text, stage))
                {
                    found.push((name, path));
                }
            }
        }
        Ok(found)
    }

    /// What starts units that are kept from starting, and nothing else: it would only fail.
    fn triggers(&mut self) {
        let masked: BTreeSet<String> = self
            .found
            .iter()
            .filter(|found| found.remedy == Remedy::Mask)
            .map(|found| found.unit.clone())
            .collect();
        for unit in self.started.units() {
            let Some((stem, _)) =
                unit.name.rsplit_once('.').filter(|(_, kind)| matches!(*kind, "timer" | "path" | "socket"))
            else {
                continue;
            };
            let mut starts = unit.values("Unit");
            starts.extend(unit.values("Service"));
            if starts.is_empty() {
                starts.push(format!("{stem}.service"));
            }
            if starts.iter().all(|name| masked.contains(name)) {
                let why = format!("it starts {}, which must not run", starts.join(" and "));
                self.add(&unit.name, &unit.path, why, Remedy::Mask);
            }
        }
    }

    fn is_masked(&self, name: &str) -> Result<bool, RootfsFault> {
        Ok(self
            .view
            .target(&format!("etc/systemd/system/{name}"))?
            .is_some_and(|target| target == "/dev/null"))
    }

    /// Scripts of the old kind that have no unit: systemd makes one of each (`systemd-sysv-generator(8)`).
    fn old_scripts(&mut self) -> Result<(), RootfsFault> {
        let mut names = BTreeSet::new();
        for level in ["S", "2", "3", "4", "5"] {
            for link in self.view.list(&format!("etc/rc{level}.d"))? {
                let numbered =
                    link.strip_prefix('S').map(|rest| rest.trim_start_matches(|c: char| c.is_ascii_digit()));
                names.extend(numbered.filter(|name| !name.is_empty()).map(str::to_owned));
            }
        }
        for name in names {
            let unit = format!("{}.service", name.trim_end_matches(".sh"));
            let path = format!("etc/init.d/{name}");
            let has_unit = UNIT_FOLDERS
                .iter()
                .any(|folder| matches!(self.view.look(&format!("{folder}/{unit}")), Ok(Some(_))));
            if has_unit || self.is_harmless(&unit, &path) {
                continue;
            }
            if let Some(what) = self.signs.in_script(&path) {
                self.add(&unit, &path, what, Remedy::Mask);
            }
        }
        Ok(())
    }

    /// The script that systemd runs at each boot if it may be run (`systemd-rc-local-generator(8)`).
    fn local_script(&mut self) -> Result<(), RootfsFault> {
        const LOCAL_SCRIPT: &str = "etc/rc.local";
        let found = self.view.rootfs().follow(LOCAL_SCRIPT)?;
        let may_run = self.view.has(LOCAL_SCRIPT)
            && found.is_some_and(|found| found.kind == Kind::File && found.mode & 0o111 != 0);
        if may_run
            && !self.is_masked("rc-local.service")?
            && let Some(what) = self.signs.in_script(LOCAL_SCRIPT)
        {
            self.add("rc-local.service", LOCAL_SCRIPT, what, Remedy::Mask);
        }
        Ok(())
    }

    /// Lines of timetables, and the scripts that are run every hour, day, week and month (`crontab(5)`).
    fn timetables(&mut self) -> Result<(), RootfsFault> {
        let is_there = ["usr/sbin/cron", "usr/sbin/crond", "usr/sbin/anacron", "usr/bin/crond"]
            .iter()
            .any(|program| self.view.has(program));
        if !is_there {
            return Ok(());
        }
        let mut tables = vec!["etc/crontab".to_owned(), "etc/anacrontab".to_owned()];
        for folder in ["etc/cron.d", "var/spool/cron/crontabs"] {
            tables.extend(self.view.list(folder)?.into_iter().map(|name| format!("{folder}/{name}")));
        }
        for path in tables {
            let Ok(Some(text)) = self.view.text(&path) else { continue };
            for (index, line) in text.lines().enumerate() {
                if line.trim_start().starts_with('#') {
                    continue;
                }
                if let Some(what) = self.signs.in_commands(&path, &[command_of(&path, line)]) {
                    self.add(&format!("line {} of {path}", index + 1), &path, what, Remedy::Line(index + 1));
                }
            }
        }
        for folder in ["etc/cron.hourly", "etc/cron.daily", "etc/cron.weekly", "etc/cron.monthly"] {
            for name in self.view.list(folder)? {
                let path = format!("{folder}/{name}");
                if let Some(what) = self.signs.in_script(&path) {
                    self.add(&path, &path, what, Remedy::SetAside);
                }
            }
        }
        Ok(())
    }

    /// Rules about devices that name ports, or run what rewrites something (`udev(7)`).
    fn device_rules(&mut self) -> Result<(), RootfsFault> {
        const FOLDERS: [&str; 4] =
            ["etc/udev/rules.d", "usr/local/lib/udev/rules.d", "usr/lib/udev/rules.d", "lib/udev/rules.d"];
        self.layers(&FOLDERS, |name| has_end(name, "rules"), Self::device_rule)
    }

    /// What the rules of a file do.
    fn device_rule(&self, path: &str) -> Option<String> {
        // Those of the distribution are known where packages are.
        if self.owned.is_of_distribution(path) || !path.starts_with("etc") && !self.owned.is_known() {
            return None;
        }
        let text = self.view.text(path).ok()??;
        let lines = whole_lines(&text);
        let lines = || lines.iter().filter(|line| !line.trim_start().starts_with('#'));
        let names_port = |line: &String| {
            line.contains("\"net\"")
                && line.split(',').any(|part| {
                    let part = part.trim();
                    ["NAME=\"", "NAME:=\"", "NAME=e\""].iter().any(|start| part.starts_with(start))
                })
        };
        if lines().any(names_port) {
            return Some("it renames interfaces".to_owned());
        }
        let runs = lines().filter(|line| {
            line.contains("RUN") || line.contains("PROGRAM") || line.contains("IMPORT{program}")
        });
        self.signs.in_commands(path, &runs.cloned().collect::<Vec<_>>())
    }

    /// Programs that make units at each boot, before all else (`systemd.generator(7)`).
    fn generators(&mut self) -> Result<(), RootfsFault> {
        const FOLDERS: [&str; 4] = [
            "etc/systemd/system-generators",
            "usr/local/lib/systemd/system-generators",
            "usr/lib/systemd/system-generators",
            "lib/systemd/system-generators",
        ];
        self.layers(&FOLDERS, |_| true, |look, path| look.signs.in_script(path))
    }

    /// Looks at the files of folders of which the first is the administrator's: a file hides those of its name in later ones.
    fn layers(
        &mut self,
        folders: &[&str],
        is_one: impl Fn(&str) -> bool,
        tells: impl Fn(&Self, &str) -> Option<String>,
    ) -> Result<(), RootfsFault> {
        let mut layers: BTreeMap<String, Vec<String>> = BTreeMap::new();
        let is_merged = self.view.target("lib")?.is_some();
        for folder in folders.iter().filter(|folder| !(is_merged && folder.starts_with("lib/"))) {
            for name in self.view.list(folder)?.into_iter().filter(|name| is_one(name)) {
                let path = format!("{folder}/{name}");
                layers.entry(name).or_default().push(path);
            }
        }
        for (name, paths) in layers {
            let mut paths = paths.iter();
            let Some((path, why)) = paths.next().and_then(|path| Some((path, tells(self, path)?))) else {
                continue;
            };
            let link = format!("{}/{name}", folders.first().unwrap_or(&"etc"));
            // The next of its name would count in its place.
            let remedy = if *path != link || paths.any(|path| tells(self, path).is_some()) {
                Remedy::Hide(link)
            } else {
                Remedy::SetAside
            };
            self.add(path, path, why, remedy);
        }
        Ok(())
    }

    /// Scripts that programs of the network run when a link comes up, and that systemd runs when the host goes down.
    fn hooks(&mut self) -> Result<(), RootfsFault> {
        const FOLDERS: [&str; 9] = [
            "etc/NetworkManager/dispatcher.d",
            "etc/NetworkManager/dispatcher.d/pre-up.d",
            "usr/lib/NetworkManager/dispatcher.d",
            "etc/networkd-dispatcher/configured.d",
            "etc/networkd-dispatcher/routable.d",
            "etc/networkd-dispatcher/carrier.d",
            "etc/networkd-dispatcher/degraded.d",
            "usr/lib/systemd/system-shutdown",
            "lib/systemd/system-shutdown",
        ];
        let mut seen = BTreeSet::new();
        for folder in FOLDERS {
            for name in self.view.list(folder)? {
                let path = format!("{folder}/{name}");
                if let Some(what) = self.signs.in_script(&path)
                    && seen.insert(path.trim_start_matches("usr/").to_owned())
                {
                    self.add(&path, &path, what, Remedy::SetAside);
                }
            }
        }
        Ok(())
    }

    /// What the kernel starts first, where that is a script and no systemd.
    fn first_program(&mut self) {
        for path in ["sbin/init", "usr/sbin/init"] {
            let Ok(Some(found)) = self.view.rootfs().follow(path) else { continue };
            if found.kind != Kind::File || found.size > 1024 * 1024 || !self.view.has(path) {
                continue;
            }
            if self.view.read(path).ok().flatten().is_some_and(|bytes| bytes.starts_with(b"#!")) {
                let why = "the kernel starts it instead of systemd, and it is a script".to_owned();
                self.add("/sbin/init", path, why, Remedy::Refuse);
                break;
            }
        }
    }
}

/// The command in a line of a timetable, behind its time and, in tables of the whole host, whom it is run as.
fn command_of(path: &str, line: &str) -> String {
    let time = if line.trim_start().starts_with('@') { 1 } else { 5 };
    let skip = match path {
        // Days, a delay in minutes, and a name.
        "etc/anacrontab" => 3,
        _ if path.starts_with("var/") => time,
        _ => time + 1,
    };
    line.split_whitespace().skip(skip).collect::<Vec<_>>().join(" ")
}

/// Whether a unit's text names another in what orders it or has it start.
fn names_unit(text: &str, name: &str) -> bool {
    const KEYS: [&str; 9] =
        ["After", "Before", "Wants", "Requires", "BindsTo", "PartOf", "Requisite", "Upholds", "Unit"];
    whole_lines(text).iter().any(|line| {
        line.split_once('=').is_some_and(|(key, value)| {
            KEYS.contains(&key.trim()) && value.split_whitespace().any(|word| word == name)
        })
    })
}

/// What a unit runs.
fn program(unit: &StartedUnit) -> Option<String> {
    let line = unit.values("ExecStart").into_iter().next()?;
    let word = line.split_whitespace().next()?;
    let program = word.trim_start_matches(['-', '@', '+', '!', ':']).to_owned();
    // A shell runs whatever it is told.
    let name = program.rsplit('/').next().unwrap_or_default();
    (!matches!(name, "sh" | "bash" | "dash" | "env" | "systemctl" | "true")).then_some(program)
}

/// Whether units of a kind have commands.
fn runs_commands(name: &str) -> bool {
    has_end(name, "service") || has_end(name, "socket")
}

fn goes_before_the_network(unit: &StartedUnit) -> bool {
    let is_early = unit.values("Before").iter().flat_map(|value| value.split_whitespace()).any(|name| {
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
