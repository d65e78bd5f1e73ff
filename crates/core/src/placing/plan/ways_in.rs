//! Ways in that the image comes with, and that the sheet does not give: each is shut, or it is said why not.

use std::collections::{BTreeMap, BTreeSet, HashSet};

use impostazione_rootfs::{Change, RootfsPath, Subject, Want};

use super::super::survey::sudoers::SUDOERS;
use super::super::survey::units::ETC_UNITS;
use super::super::survey::ways_in::{Detail, SudoWay, WayIn, WayKind};
use super::accounts::Databases;
use super::edits::{edited, lines_set_aside};
use super::plan::{Fate, Plan, PlanFault};
use super::plan_inputs::PlanInputs;
use crate::host::{SSHD_PATH, SUDOERS_PATH};
use crate::machine::StockLogins;

/// Lines that are set aside, by file.
type Lines = BTreeMap<String, BTreeSet<usize>>;

pub(super) fn plan(
    inputs: PlanInputs<'_>,
    databases: &mut Databases,
    plan: &mut Plan,
) -> Result<(), PlanFault> {
    let mut lines = Lines::new();
    let mut leaving: BTreeMap<&str, HashSet<&str>> = BTreeMap::new();
    let can_log_in_now = inputs.survey.accounts.iter().map(|account| account.name.as_str()).collect();
    let people = People { inputs, can_log_in_now };
    for way in &inputs.survey.ways_in {
        let fate = people.fate(way);
        if matches!(fate, Fate::Shut(_)) {
            if let Detail::Member { group, is_own_group: false } = &way.detail {
                leaving.entry(group).or_default().extend(way.names.iter().flatten().map(String::as_str));
            }
            shut(inputs, way, databases, &mut lines, plan)?;
        }
        plan.ways_in.push((way.clone(), fate));
    }
    for (group, names) in leaving {
        databases.leave_group(&names, group);
    }
    let of_people: HashSet<String> = lines.keys().cloned().collect();
    if inputs.output.ssh_port().is_some() {
        for setting in inputs.survey.ssh.limits.iter().filter(|setting| setting.port().is_some()) {
            lines.entry(setting.path.clone()).or_default().insert(setting.line);
        }
    }
    for (path, lines) in lines {
        let why = match (path.starts_with("etc/ssh/"), of_people.contains(&path)) {
            (_, false) => "sshd would also listen on the port that it names",
            (true, true) => "it lets in people who are not in the sheet",
            (false, true) => "it gives root access that the sheet does not",
        };
        set_lines_aside(inputs, (&path, why), &lines, plan)?;
    }
    Ok(())
}

/// Who can log in, now and after this placement.
struct People<'a> {
    inputs: PlanInputs<'a>,
    can_log_in_now: HashSet<&'a str>,
}

impl People<'_> {
    /// Whether the login is one of the image's, and is shut by this placement.
    fn is_shut(&self, name: &str) -> bool {
        let accounts = &self.inputs.output.accounts;
        let is_stock = accounts.account(name).is_none()
            && (name != "root" || accounts.root_locked)
            && !self.inputs.is_added(name);
        is_stock && accounts.stock_logins == StockLogins::Lock
    }

    /// Whether somebody can log in by the name after this placement.
    fn can_log_in(&self, name: &str) -> bool {
        self.inputs.output.accounts.account(name).is_some()
            || (self.can_log_in_now.contains(name) && !self.is_shut(name))
    }

    fn stays(&self, why: &str, fix: &str) -> Fate {
        let is_grave = self.inputs.output.accounts.stock_logins == StockLogins::Refuse;
        Fate::Stays { why: why.to_owned(), fix: fix.to_owned(), is_grave }
    }

    /// What becomes of what belongs to the image alone.
    fn of_image(&self, shut: &'static str) -> Fate {
        match self.inputs.output.accounts.stock_logins {
            StockLogins::Lock => Fate::Shut(shut),
            StockLogins::Keep => self.stays(
                "stock_logins is \"keep\"",
                "write stock_logins = \"lock\" in the sheet, or remove the login from the image",
            ),
            StockLogins::Refuse => self.stays(
                "stock_logins is \"refuse\"",
                "use an image without it, or write stock_logins = \"lock\" in the sheet",
            ),
        }
    }

    fn fate(&self, way: &WayIn) -> Fate {
        let accounts = &self.inputs.output.accounts;
        let mut names = way.names.iter().flatten().filter(|name| name.as_str() != "root").peekable();
        if names.peek().is_some() && names.all(|name| self.inputs.is_added(name)) {
            return Fate::Stays {
                why: "it was added on the host after it was placed".to_owned(),
                fix: "if it should not be there, remove it on the host".to_owned(),
                is_grave: false,
            };
        }
        match (&way.detail, way.kind) {
            (Detail::User, _) => {
                let name = way.names.iter().flatten().next().map_or("", String::as_str);
                if name == "root"
                    || accounts.account(name).is_some()
                    || !self.can_log_in_now.contains(AsRef::<str>::as_ref(name))
                {
                    // Of an account that is root under another name, a rule of its own speaks.
                    Fate::Wanted
                } else {
                    self.of_image("locks the login")
                }
            }
            (Detail::Member { group, is_own_group }, _) => self.member(way, group, *is_own_group),
            (Detail::Sudo(sudo), _) => self.by_sudo(way, sudo),
            (Detail::SshGlobal | Detail::SshLine, _) if self.inputs.file(SSHD_PATH).is_none() => {
                Fate::Shut("keeps the SSH server from starting")
            }
            (Detail::SshGlobal, _) => Fate::Shut("makes sshd read our file first, which says otherwise"),
            (Detail::SshLine, _) => Fate::Shut("sets the line aside"),
            (Detail::DirectoryLine, _) => self.of_image("removes the line"),
            (Detail::UnitFile, _) => {
                let is_of_sheet = way.names.as_ref().is_none_or(|names| {
                    names.iter().any(|name| {
                        accounts.account(name).is_some() || (name == "root" && accounts.root_locked)
                    })
                });
                if is_of_sheet && accounts.stock_logins != StockLogins::Refuse {
                    Fate::Shut("sets it aside")
                } else {
                    self.of_image("sets it aside")
                }
            }
            (Detail::Nothing, WayKind::Directory) => self.stays(
                "placing does not change which directory services are used",
                "remove the word from the line in the image, unless those users should be able to log in",
            ),
            (Detail::Nothing, _) => self.stays(
                "it is left unchanged",
                "check the line, and remove it from the image unless you want it",
            ),
        }
    }

    fn member(&self, way: &WayIn, group: &str, is_own_group: bool) -> Fate {
        let name = way.names.iter().flatten().next().map_or("", String::as_str);
        if name == "root" {
            return Fate::Wanted;
        }
        if let Some(account) = self.inputs.output.accounts.account(name) {
            let is_wanted = account.admin || account.groups.iter().any(|wanted| wanted == group);
            return match (is_wanted, is_own_group) {
                (true, _) => Fate::Wanted,
                (false, false) => Fate::Shut("removes it from the group"),
                (false, true) => Fate::Stays {
                    why: format!("{group} is its primary group, which owns its files"),
                    fix: format!(
                        "give {name} a primary group of its own in /etc/passwd of the image, or write groups = \
                            [\"{group}\"] for the account in the sheet"
                    ),
                    is_grave: true,
                },
            };
        }
        if self.is_shut(name) {
            let is_there = self.can_log_in_now.contains(AsRef::<str>::as_ref(name));
            return match (is_own_group, is_there) {
                (false, true) => Fate::Shut("locks the login and removes it from the group"),
                (true, true) => Fate::Shut("locks the login"),
                // Nobody logs in by that name; who is given it later has no part in the group.
                (_, false) => Fate::Wanted,
            };
        }
        if self.can_log_in(name) { self.of_image("removes it from the group") } else { Fate::Wanted }
    }

    fn by_sudo(&self, way: &WayIn, sudo: &SudoWay) -> Fate {
        const SETS_ASIDE: Fate = Fate::Shut("sets the line aside");
        let accounts = &self.inputs.output.accounts;
        if way.path == SUDOERS_PATH {
            return Fate::Shut("replaces it with our file");
        }
        let Some(names) = &way.names else { return SETS_ASIDE };
        let is_plain_user = |name: &String| accounts.account(name).is_some_and(|account| !account.admin);
        let in_group = |account: &crate::host::HostAccount| {
            sudo.groups.iter().any(|group| account.groups.contains(group)) || names.contains(&account.name)
        };
        // The last line that matches counts: before ours, ours asks for the password.
        let is_let_off = sudo.is_unasked
            && sudo.is_after_ours
            && accounts.accounts.iter().any(|account| {
                account.admin
                    && account.password_hash.is_some()
                    && account.name != "root"
                    && in_group(account)
            });
        if sudo.users.iter().any(is_plain_user) || is_let_off {
            return SETS_ASIDE;
        }
        let is_leftover = |name: &String| {
            name != "root" && self.is_shut(name) && self.can_log_in_now.contains(AsRef::<str>::as_ref(name))
        };
        if sudo.groups.is_empty() && !sudo.users.is_empty() && sudo.users.iter().all(is_leftover) {
            return Fate::Shut("sets the line aside, with the login");
        }
        if sudo.has_others {
            return self.stays(
                "who that is could not be determined",
                "remove the line from the image, unless those users should be root",
            );
        }
        // Members of groups are taken out of them where they are to have no part in this.
        let is_kept =
            |name: &String| name != "root" && accounts.account(name).is_none() && self.can_log_in(name);
        if !way.is_usual && names.iter().any(is_kept) {
            return self.of_image("sets the line aside");
        }
        Fate::Wanted
    }
}

fn shut(
    inputs: PlanInputs<'_>,
    way: &WayIn,
    databases: &mut Databases,
    lines: &mut Lines,
    plan: &mut Plan,
) -> Result<(), PlanFault> {
    match &way.detail {
        Detail::Sudo(sudo) if way.path != SUDOERS_PATH => {
            lines.entry(way.path.clone()).or_default().extend(&sudo.lines);
        }
        Detail::SshLine if inputs.file(SSHD_PATH).is_some() => {
            lines.entry(way.path.clone()).or_default().insert(way.line);
        }
        Detail::DirectoryLine => databases.remove_directory_lines(),
        Detail::UnitFile => unit_file(way, plan)?,
        _ => {}
    }
    Ok(())
}

/// A file of the administrator's is set aside; one that a package brings is hidden by a link to nothing of the same name.
fn unit_file(way: &WayIn, plan: &mut Plan) -> Result<(), PlanFault> {
    let why = format!("{} {}", way.who(), way.how);
    let path = RootfsPath::new(way.path.as_str())?;
    let change = match path.strip_prefix(ETC_UNITS) {
        Some(_) if way.line > 0 => Change::set_aside(path, Subject::Accounts, why),
        _ => {
            let (_, name) = path.split_once("systemd/system/").unwrap_or(("", &path));
            let link = RootfsPath::new(format!("{ETC_UNITS}/{name}"))?;
            Change::new(link, Subject::Accounts, Want::Link("/dev/null".to_owned())).because(why)
        }
    };
    plan.changes.push(change);
    Ok(())
}

fn set_lines_aside(
    inputs: PlanInputs<'_>,
    (path, why): (&str, &str),
    lines: &BTreeSet<usize>,
    plan: &mut Plan,
) -> Result<(), PlanFault> {
    let text = inputs.view.text(path)?.unwrap_or_default();
    let new = lines_set_aside(&text, lines);
    let has_more = text.lines().enumerate().any(|(index, line)| {
        !lines.contains(&(index + 1)) && !line.trim().is_empty() && !line.trim_start().starts_with('#')
    });
    let subject = if path.starts_with("etc/ssh/") { Subject::Ssh } else { Subject::Accounts };
    let file = RootfsPath::new(path)?;
    let change = if has_more || path == SUDOERS || subject == Subject::Ssh {
        Change::new(file, subject, edited(inputs.view, path, new, 0o440)?).because(why)
    } else {
        Change::set_aside(file, subject, why)
    };
    plan.changes.push(change);
    Ok(())
}
