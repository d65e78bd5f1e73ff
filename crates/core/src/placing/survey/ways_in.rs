//! Ways in that an image comes with beside its logins: who can become root and by what, and what lets people in without
//! a login of the sheet's.
//!
//! What is not looked at: programs that run as root for whoever starts them, and modules of PAM.

use std::collections::{HashMap, HashSet};

use impostazione_rootfs::{RootfsFault, View};
use serde::Serialize;

use super::accounts::{PASSWD, SHADOW};
use super::ssh::FoundSsh;
use super::sudoers::{self, Says, SudoersLine, Who};
use super::units::{ETC_UNITS, UNIT_FOLDERS, Unit, service_names};
use crate::host::SUDOERS_PATH;

/// Where groups and their members are (`group(5)`).
pub(crate) const GROUP: &str = "etc/group";
/// The same with passwords of groups (`gshadow(5)`).
pub(crate) const GSHADOW: &str = "etc/gshadow";
/// Which directories are asked for users (`nsswitch.conf(5)`).
const NSSWITCH: &str = "etc/nsswitch.conf";

/// Groups whose members act as root, or as good as that, and how.
pub(crate) const STRONG_GROUPS: [(&str, &str); 13] = [
    ("root", "can change files of root's group"),
    ("sudo", "may act as root by sudo"),
    ("wheel", "may act as root by sudo or su"),
    ("admin", "may act as root by sudo"),
    ("docker", "can start containers that act as root"),
    ("podman", "can start containers that act as root"),
    ("lxd", "can start containers that act as root"),
    ("incus-admin", "can start containers that act as root"),
    ("libvirt", "can start virtual machines that read and write any disk"),
    ("disk", "can read and write disks directly"),
    ("kmem", "can read and write kernel memory"),
    ("shadow", "can read password hashes"),
    ("adm", "can read the logs of all services"),
];

/// What kind of way it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum WayKind {
    /// The number of root.
    RootNumber,
    /// A group.
    Group,
    /// A line of sudo's.
    Sudo,
    /// A setting of the SSH server.
    Ssh,
    /// Users whom another directory keeps.
    Directory,
    /// A console that asks nobody who it is.
    Console,
    /// Something that could not be understood.
    NotUnderstood,
}

/// A way in, or to root.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct WayIn {
    /// What kind of way.
    pub kind: WayKind,
    /// Whom it is for: names of logins; nothing where it is for everybody.
    pub names: Option<Vec<String>>,
    /// What it lets them do, as the end of a sentence that begins with them.
    #[serde(rename = "message")]
    pub how: String,
    /// Whether it leads to root.
    pub gives_root: bool,
    /// The file.
    pub path: String,
    /// The line, from 1; 0 for the file as a whole.
    pub line: usize,
    /// What every system of the kind has.
    #[serde(rename = "usual")]
    pub is_usual: bool,
    /// What it takes to shut it.
    #[serde(skip)]
    pub(crate) detail: Detail,
}

/// What it takes to shut a way.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Detail {
    /// The user's login.
    User,
    /// Membership in this group, as its own group where that is said.
    Member { group: String, is_own_group: bool },
    /// These lines of a file of sudo's.
    Sudo(SudoWay),
    /// A line that is the same as if it were not there once ours is read first.
    SshGlobal,
    /// A line that holds for some connections, whatever is read first.
    SshLine,
    /// A line of `etc/passwd` or its like.
    DirectoryLine,
    /// A file that changes a unit, or is one.
    UnitFile,
    /// Nothing that a placement does.
    Nothing,
}

/// What is known of a line of sudo's.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct SudoWay {
    pub(crate) lines: Vec<usize>,
    /// Users whom it names itself.
    pub(crate) users: Vec<String>,
    /// Groups whom it names.
    pub(crate) groups: Vec<String>,
    /// Whether it names some whom another directory knows.
    pub(crate) has_others: bool,
    /// Whether they are not asked for a password.
    pub(crate) is_unasked: bool,
    /// Whether it is read after ours.
    pub(crate) is_after_ours: bool,
}

impl WayIn {
    /// Whom it is for, in words.
    pub fn who(&self) -> String {
        let names = match self.names.as_deref() {
            None => return "everybody".to_owned(),
            Some([]) => "nobody at present".to_owned(),
            Some([one]) => one.clone(),
            Some([first, second]) => format!("{first} and {second}"),
            Some([first, second, rest @ ..]) => format!("{first}, {second} and {} more", rest.len()),
        };
        match &self.detail {
            Detail::Sudo(way) if !way.groups.is_empty() && way.users.is_empty() => {
                format!("members of the group {} ({names})", way.groups.join(" or "))
            }
            _ => names,
        }
    }
}

/// Users and groups by name and number.
pub(super) struct Directory {
    users: HashMap<String, (u32, u32)>,
    groups: HashMap<String, (u32, Vec<String>)>,
    group_names: HashMap<u32, String>,
    of_group: HashMap<u32, Vec<String>>,
}

impl Directory {
    fn read(view: View<'_>) -> Result<Self, RootfsFault> {
        let mut found = Self {
            users: HashMap::new(),
            groups: HashMap::new(),
            group_names: HashMap::new(),
            of_group: HashMap::new(),
        };
        for line in view.text(PASSWD)?.unwrap_or_default().lines() {
            let mut fields = line.split(':');
            let (Some(name), Some(uid), Some(gid)) = (fields.next(), fields.nth(1), fields.next()) else {
                continue;
            };
            let (Ok(uid), Ok(gid)) = (uid.parse::<u32>(), gid.parse::<u32>()) else { continue };
            found.users.entry(name.to_owned()).or_insert((uid, gid));
            found.of_group.entry(gid).or_default().push(name.to_owned());
        }
        for path in [GROUP, GSHADOW] {
            for line in view.text(path)?.unwrap_or_default().lines() {
                let fields: Vec<&str> = line.split(':').collect();
                let [name, _, number, members, ..] = fields.as_slice() else { continue };
                let members: Vec<String> =
                    members.split(',').filter(|member| !member.is_empty()).map(str::to_owned).collect();
                let gid = number.parse::<u32>().ok();
                if let Some(gid) = gid.filter(|_| path == GROUP) {
                    found.group_names.entry(gid).or_insert_with(|| (*name).to_owned());
                    found.groups.entry((*name).to_owned()).or_insert((gid, members));
                } else if let Some((_, known)) = found.groups.get_mut(*name) {
                    known.extend(members);
                }
            }
        }
        for (_, members) in found.groups.values_mut() {
            members.sort_unstable();
            members.dedup();
        }
        Ok(found)
    }

    /// The members of a group, those whose own group it is too.
    fn members(&self, group: &str) -> Vec<String> {
        let Some((gid, members)) = self.groups.get(group) else { return Vec::new() };
        let mut all = members.clone();
        all.extend(self.of_group.get(gid).into_iter().flatten().cloned());
        all.sort_unstable();
        all.dedup();
        all
    }

    /// Whom a line of sudo's is about, and what it says of itself; no names for everybody.
    fn whom(&self, who: &[Who]) -> (Option<Vec<String>>, SudoWay) {
        let mut way = SudoWay::default();
        for one in who {
            match one {
                Who::All => return (None, way),
                Who::User(name) => way.users.push(name.clone()),
                Who::Uid(uid) => {
                    let of_number = self.users.iter().filter(|(_, (number, _))| number == uid);
                    way.users.extend(of_number.map(|(name, _)| name.clone()));
                }
                Who::Group(group) => way.groups.push(group.clone()),
                Who::Gid(gid) => way.groups.extend(self.group_names.get(gid).cloned()),
                Who::Elsewhere(_) => way.has_others = true,
            }
        }
        let mut names = way.users.clone();
        for group in &way.groups {
            names.extend(self.members(group));
        }
        names.sort_unstable();
        names.dedup();
        (Some(names), way)
    }
}

/// Every way in, by kind.
pub(super) fn ways_in(view: View<'_>, has_sudo: bool, ssh: &FoundSsh) -> Result<Vec<WayIn>, RootfsFault> {
    let directory = Directory::read(view)?;
    let mut ways = Vec::new();
    root_numbers(view, &mut ways)?;
    let lines = if has_sudo { sudoers::lines(view)? } else { Vec::new() };
    groups(view, &directory, &lines, &mut ways)?;
    for line in &lines {
        sudo(&directory, line, &mut ways);
    }
    if ssh.is_there {
        ways.extend(ssh.ways.iter().cloned());
    }
    directories(view, &mut ways)?;
    consoles(view, &mut ways)?;
    Ok(ways)
}

fn root_numbers(view: View<'_>, ways: &mut Vec<WayIn>) -> Result<(), RootfsFault> {
    for (index, line) in view.text(PASSWD)?.unwrap_or_default().lines().enumerate() {
        let mut fields = line.split(':');
        let (name, uid) = (fields.next().unwrap_or_default(), fields.nth(1).unwrap_or_default());
        // As the C library reads it: an empty number is none.
        if uid.trim().parse::<u32>() == Ok(0) {
            ways.push(WayIn {
                kind: WayKind::RootNumber,
                names: Some(vec![name.to_owned()]),
                how: "is root (user ID 0)".to_owned(),
                gives_root: true,
                path: PASSWD.to_owned(),
                line: index + 1,
                is_usual: name == "root",
                detail: Detail::User,
            });
        }
    }
    Ok(())
}

/// Members of groups that are as good as root: those of the list, and those to whom sudo lets everything.
fn groups(
    view: View<'_>,
    directory: &Directory,
    lines: &[SudoersLine],
    ways: &mut Vec<WayIn>,
) -> Result<(), RootfsFault> {
    let mut known: HashSet<String> = STRONG_GROUPS.iter().map(|(group, _)| (*group).to_owned()).collect();
    let named = lines.iter().flat_map(|line| match &line.says {
        Says::Lets { who, .. } => directory.whom(who).1.groups,
        Says::AsksNobody | Says::Unknown(_) => Vec::new(),
    });
    let mut strong: Vec<(String, String)> =
        STRONG_GROUPS.iter().map(|(group, how)| ((*group).to_owned(), (*how).to_owned())).collect();
    for group in named {
        if known.insert(group.clone()) {
            strong.push((group, "may act as root by sudo".to_owned()));
        }
    }
    let text = view.text(GROUP)?.unwrap_or_default();
    for (group, how) in strong {
        let Some((gid, members)) = directory.groups.get(&group) else { continue };
        let line = text.lines().position(|line| line.split(':').next() == Some(&group));
        let own = directory.of_group.get(gid).into_iter().flatten();
        let named = members.iter().map(|name| (name, false));
        for (name, is_own_group) in named.chain(own.map(|name| (name, true))) {
            let is_roots = name == "root" && group == "root";
            // Services of the system have groups of their own, and nobody logs in as one.
            let is_service = is_own_group && directory.users.get(name).is_some_and(|(uid, _)| *uid < 1000);
            if is_roots || is_service {
                continue;
            }
            ways.push(WayIn {
                kind: WayKind::Group,
                names: Some(vec![name.clone()]),
                how: format!("is in the group {group}, and {how}"),
                gives_root: !matches!(group.as_str(), "adm" | "root"),
                path: GROUP.to_owned(),
                line: line.map_or(0, |index| index + 1),
                is_usual: false,
                detail: Detail::Member { group: group.clone(), is_own_group },
            });
        }
    }
    Ok(())
}

fn sudo(directory: &Directory, line: &SudoersLine, ways: &mut Vec<WayIn>) {
    let mut way = WayIn {
        kind: WayKind::Sudo,
        names: None,
        how: String::new(),
        gives_root: true,
        path: line.path.to_string(),
        line: *line.lines.start(),
        is_usual: line.path == SUDOERS_PATH,
        detail: Detail::Nothing,
    };
    match &line.says {
        Says::Lets { who, is_unasked } => {
            let (names, mut found) = directory.whom(who);
            let asked = if *is_unasked { " without being asked for a password" } else { "" };
            way.how = format!("may act as root by sudo{asked}");
            if found.has_others {
                way.how += ", and so may users of a directory service";
            }
            let is_roots = names.as_deref().is_some_and(|names| names == ["root"]);
            let is_administrators =
                |one: &Who| matches!(one, Who::Group(group) if group == "sudo" || group == "admin");
            way.is_usual |= is_roots || (!is_unasked && who.iter().all(is_administrators));
            way.names = names;
            found.is_unasked = *is_unasked;
            found.is_after_ours = line.is_after_ours;
            found.lines = line.lines.clone().collect();
            way.detail = Detail::Sudo(found);
        }
        Says::AsksNobody => {
            "is not asked for a password by sudo".clone_into(&mut way.how);
            let lines = line.lines.clone().collect();
            way.detail = Detail::Sudo(SudoWay { lines, is_unasked: true, ..SudoWay::default() });
        }
        Says::Unknown(why) => {
            way.kind = WayKind::NotUnderstood;
            way.how = format!("may get root from a sudo line that could not be read: {why}");
        }
    }
    ways.push(way);
}

/// Lines that ask another directory for users, and settings that do (`nsswitch.conf(5)`).
fn directories(view: View<'_>, ways: &mut Vec<WayIn>) -> Result<(), RootfsFault> {
    let mut add = |path: &str, line: usize, how: String, detail: Detail| {
        ways.push(WayIn {
            kind: WayKind::Directory,
            names: None,
            how,
            gives_root: false,
            path: path.to_owned(),
            line,
            is_usual: false,
            detail,
        });
    };
    for path in [PASSWD, SHADOW, GROUP, GSHADOW] {
        for (index, line) in view.text(path)?.unwrap_or_default().lines().enumerate() {
            if line.starts_with('+') {
                let how = "in a directory service may log in".to_owned();
                add(path, index + 1, how, Detail::DirectoryLine);
            }
        }
    }
    for (index, line) in view.text(NSSWITCH)?.unwrap_or_default().lines().enumerate() {
        let Some((database, sources)) = line.split_once(':') else { continue };
        if !matches!(database.trim(), "passwd" | "shadow" | "group" | "sudoers") {
            continue;
        }
        let sources = sources.split('#').next().unwrap_or_default();
        let others: Vec<&str> = sources
            .split_whitespace()
            .filter(|source| {
                !matches!(*source, "files" | "systemd" | "db" | "compat") && !source.starts_with('[')
            })
            .collect();
        if !others.is_empty() {
            let how =
                format!("known to {} may log in; who that is could not be determined", others.join(" or "));
            add(NSSWITCH, index + 1, how, Detail::Nothing);
        }
    }
    Ok(())
}

/// Consoles that log somebody in by themselves, or give root a shell.
fn consoles(view: View<'_>, ways: &mut Vec<WayIn>) -> Result<(), RootfsFault> {
    // A file hides those of its name in the folders that are read after its own.
    let mut seen: HashSet<String> = HashSet::new();
    for folder in UNIT_FOLDERS {
        // With merged folders both names lead to the same files.
        if folder.starts_with("lib/") && view.target("lib")?.is_some() {
            continue;
        }
        for name in view.list(folder)? {
            if name.ends_with(".service.d") {
                for inner in view.list(&format!("{folder}/{name}"))? {
                    if !seen.insert(format!("{name}/{inner}")) {
                        continue;
                    }
                    console(view, &format!("{folder}/{name}/{inner}"), ways);
                }
            } else if name.ends_with(".service") && seen.insert(name.clone()) {
                console(view, &format!("{folder}/{name}"), ways);
            }
        }
    }
    for name in service_names(view)? {
        if name == "debug-shell.service" && Unit::find(view, &name)?.is_some_and(|unit| unit.is_enabled) {
            let path = format!("{ETC_UNITS}/{name}");
            ways.push(console_way(path, 0, Vec::new(), "has a root shell on console 9".to_owned()));
        }
    }
    Ok(())
}

fn console_way(path: String, line: usize, names: Vec<String>, how: String) -> WayIn {
    WayIn {
        kind: WayKind::Console,
        gives_root: names.is_empty() || names.iter().any(|name| name == "root"),
        names: (!names.is_empty()).then_some(names),
        how,
        path,
        line,
        is_usual: false,
        detail: Detail::UnitFile,
    }
}

fn console(view: View<'_>, path: &str, ways: &mut Vec<WayIn>) {
    // A link to nothing, or to a device, says nothing.
    let Ok(Some(text)) = view.text(path) else { return };
    let mut lines = text.lines().enumerate();
    while let Some((index, line)) = lines.next() {
        let Some((key, value)) = line.split_once('=') else { continue };
        if !key.trim().starts_with("Exec") {
            continue;
        }
        // A backslash at the end continues a line.
        let mut command = value.to_owned();
        while let Some(start) = command.strip_suffix('\\').map(str::to_owned) {
            command = start + " " + lines.next().map_or("", |(_, line)| line);
        }
        let how = "is logged in automatically at a console".to_owned();
        if let Some(name) = logged_in_by(&command) {
            ways.push(console_way(path.to_owned(), index + 1, vec![name], how));
        } else if command.contains("autologin") {
            let how = format!("{how}, or whoever this line means: {:?}", command.trim());
            ways.push(console_way(path.to_owned(), index + 1, Vec::new(), how));
        }
    }
}

/// Whom a command logs in without asking (`agetty(8)`, `login(1)`).
fn logged_in_by(command: &str) -> Option<String> {
    let words: Vec<&str> = command.split_whitespace().map(|word| word.trim_matches(['"', '\''])).collect();
    let program = words.first()?.trim_start_matches(['-', '@', '+', '!', ':']);
    let program = program.rsplit('/').next().unwrap_or_default();
    let (long, short) = match program {
        "agetty" | "getty" | "mingetty" | "fbgetty" => ("--autologin", "-a"),
        "login" => ("-f", "-f"),
        _ => return None,
    };
    words.iter().enumerate().find_map(|(index, word)| {
        let of_next = || words.get(index + 1).map(|name| (*name).to_owned());
        if *word == long || *word == short {
            return of_next();
        }
        word.strip_prefix(long)
            .and_then(|rest| rest.strip_prefix('='))
            .or_else(|| word.strip_prefix(short).filter(|name| !name.is_empty() && !word.starts_with("--")))
            .map(str::to_owned)
    })
}

/// Settings of the SSH server that let people in beside the keys in their homes, with the values that do not.
pub(super) const SSH_WAYS: [(&str, &[&str], &str); 8] = [
    ("trustedusercakeys", &["none"], "with a key signed by the authority in this file may log in"),
    ("authorizedkeyscommand", &["none"], "with a key from this command may log in"),
    (
        "authorizedkeysfile",
        &[
            ".ssh/authorized_keys",
            "%h/.ssh/authorized_keys",
            ".ssh/authorized_keys2",
            "%h/.ssh/authorized_keys2",
        ],
        "with a key in this file may log in",
    ),
    ("authorizedprincipalsfile", &["none"], "with a certificate for a name in this file may log in"),
    ("authorizedprincipalscommand", &["none"], "with a certificate for a name from this command may log in"),
    ("hostbasedauthentication", &["no"], "on a computer that this host trusts may log in"),
    ("gssapiauthentication", &["no"], "with a Kerberos ticket may log in"),
    ("kerberosauthentication", &["no"], "with a Kerberos password may log in"),
];

/// The way that a line of the server's settings opens; nothing where it opens none.
pub(super) fn ssh_way(
    keyword: &str,
    value: &str,
    path: &str,
    line: usize,
    is_in_match: bool,
) -> Option<WayIn> {
    let (_, harmless, how) = SSH_WAYS.iter().find(|(known, ..)| *known == keyword)?;
    let mut words = value.split_whitespace().map(|word| word.trim_matches('"'));
    if words.all(|word| harmless.iter().any(|known| known.eq_ignore_ascii_case(word))) {
        return None;
    }
    // Kerberos is not in every build, so that ours says nothing of it.
    let is_of_ours = !matches!(keyword, "gssapiauthentication" | "kerberosauthentication");
    Some(WayIn {
        kind: WayKind::Ssh,
        names: None,
        how: (*how).to_owned(),
        gives_root: false,
        path: path.to_owned(),
        line,
        is_usual: false,
        detail: if is_in_match || !is_of_ours { Detail::SshLine } else { Detail::SshGlobal },
    })
}

/// A setting of ours that holds otherwise for some connections.
pub(super) fn ssh_exception(path: &str, line: usize, text: &str) -> WayIn {
    WayIn {
        kind: WayKind::Ssh,
        names: None,
        how: format!("may log in in other ways than the sheet says, in this Match block: {text:?}"),
        gives_root: false,
        path: path.to_owned(),
        line,
        is_usual: false,
        detail: Detail::SshLine,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whom_a_console_logs_in_by_itself() {
        let agetty = "-/sbin/agetty --noclear %I $TERM";
        assert_eq!(logged_in_by(agetty), None);
        for command in [
            "-/sbin/agetty --autologin image --noclear %I $TERM",
            "/usr/sbin/agetty --autologin=image tty1",
            "-/sbin/agetty -a image tty1",
            "-/sbin/agetty -aimage tty1",
            "-/sbin/agetty \"--autologin\" 'image' tty1",
            "/bin/login -f image",
        ] {
            assert_eq!(logged_in_by(command).as_deref(), Some("image"), "{command}");
        }
    }

    #[test]
    fn settings_of_ssh_open_a_way_unless_they_say_that_they_do_not() {
        let opens = |keyword, value| ssh_way(keyword, value, "etc/ssh/sshd_config", 1, false).is_some();
        assert!(opens("trustedusercakeys", "/etc/ssh/ca.pub"));
        assert!(!opens("trustedusercakeys", "none"));
        assert!(opens("authorizedkeysfile", ".ssh/authorized_keys /etc/ssh/keys/%u"));
        assert!(!opens("authorizedkeysfile", ".ssh/authorized_keys .ssh/authorized_keys2"));
        assert!(opens("hostbasedauthentication", "yes") && !opens("hostbasedauthentication", "No"));
        assert!(!opens("x11forwarding", "yes"));
    }
}
