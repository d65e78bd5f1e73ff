//! Logins: those of the output, with their homes and keys, and those that the image comes with.

use std::collections::HashSet;

use impostazione_rootfs::{Change, Kind, Owner, RootfsFault, RootfsPath, State, Subject, Want};
use impostazione_text::FileBytes;

use super::super::survey::accounts::{PASSWD, SHADOW};
use super::super::survey::ways_in::{GROUP, GSHADOW};
use super::edits::edited;
use super::files::Groups;
use super::plan::{AccountChange, Concern, Obstacle, Plan, PlanFault, PlannedAccount};
use super::plan_inputs::PlanInputs;
use super::table::Table;
use super::{subordinate, time, ways_in};
use crate::host::{HEADER, HostAccount, SUDOERS_PATH};
use crate::machine::StockLogins;

/// Where the number of the first ordinary user stands (`account.defs(5)`).
const LOGIN_DEFS: &str = "etc/login.defs";
/// What a new home begins with.
const SKELETON: &str = "etc/skel";

/// Numbers of ordinary users on Debian.
const FIRST_UID: u32 = 1000;
const LAST_UID: u32 = 59_999;

/// What shuts a password, and no key (`shadow(5)`).
const NO_PASSWORD: &str = "*";

/// Fields of `passwd(5)`.
mod user {
    pub(super) const PASSWORD: usize = 1;
    pub(super) const UID: usize = 2;
    pub(super) const GID: usize = 3;
    pub(super) const FULL_NAME: usize = 4;
    pub(super) const HOME: usize = 5;
    pub(super) const SHELL: usize = 6;
}

/// Fields of `shadow(5)`.
mod hidden {
    pub(super) const HASH: usize = 1;
    pub(super) const LAST_CHANGE: usize = 2;
    pub(super) const ENDS: usize = 7;
}

pub(super) struct Databases {
    passwd: Table,
    shadow: Table,
    group: Table,
    gshadow: Option<Table>,
}

impl Databases {
    /// Takes names out of a group.
    pub(super) fn leave_group(&mut self, names: &HashSet<&str>, group: &str) {
        for table in [Some(&mut self.group), self.gshadow.as_mut()].into_iter().flatten() {
            for line in table.find(group) {
                let members = table.field(line, 3);
                if members.split(',').any(|member| names.contains(member)) {
                    let others: Vec<&str> = members
                        .split(',')
                        .filter(|member| !member.is_empty() && !names.contains(member))
                        .collect();
                    let others = others.join(",");
                    table.set(line, 3, &others);
                }
            }
        }
    }

    /// Takes out the lines by which a directory on the network is asked.
    pub(super) fn remove_directory_lines(&mut self) {
        let Self { passwd, shadow, group, gshadow } = self;
        for table in [Some(passwd), Some(shadow), Some(group), gshadow.as_mut()].into_iter().flatten() {
            table.remove_if(|line| line.starts_with('+'));
        }
    }
}

/// Plans the logins, and gives the groups as they will be.
pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<Groups, PlanFault> {
    let Some(mut databases) = read(inputs, plan)? else { return Ok(Groups(Vec::new())) };
    let accounts = &inputs.output.accounts.accounts;
    let new_users: Vec<&str> = accounts
        .iter()
        .map(|account| account.name.as_str())
        .filter(|name| databases.passwd.find(name).is_empty())
        .collect();
    for account in accounts {
        self::account(inputs, account, &mut databases, plan)?;
    }
    stock(inputs, &mut databases, plan)?;
    ways_in::plan(inputs, &mut databases, plan)?;
    sudoers(inputs, plan)?;
    let groups = Groups(databases.group.named_numbers(2));
    let shadow_group = groups.number("shadow").unwrap_or(0);
    let tables = [
        (PASSWD, Some(&databases.passwd), 0o644),
        (SHADOW, Some(&databases.shadow), 0o640),
        (GROUP, Some(&databases.group), 0o644),
        (GSHADOW, databases.gshadow.as_ref(), 0o640),
    ];
    for (path, table, mode) in tables {
        let Some(bytes) = table.and_then(Table::changed) else { continue };
        let mut want = edited(inputs.view, path, bytes.to_vec(), mode)?;
        if let Want::File { owner, mode: of_file, .. } = &mut want
            && mode == 0o640
        {
            // Hashes are for nobody else to read, whatever the image lets them.
            *of_file &= mode;
            if inputs.view.look(path)?.is_none() {
                owner.gid = shadow_group;
            }
        }
        plan.changes.push(Change::new(RootfsPath::new(path)?, Subject::Accounts, want));
    }
    subordinate::plan(inputs, &new_users, plan)?;
    time::keys(inputs, &groups, plan)?;
    Ok(groups)
}

fn obstacle(path: &str, line: usize, message: String, fix: impl Into<String>) -> Obstacle {
    Obstacle {
        path: path.to_owned(),
        line,
        message,
        fix: fix.into(),
        is_grave: true,
        concerns: Concern::Account,
    }
}

fn read(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<Option<Databases>, PlanFault> {
    let mut table = |path: &str, is_needed: bool| -> Result<Option<Table>, PlanFault> {
        let Some(bytes) = inputs.view.read(path)? else {
            if is_needed {
                let message = format!("There is no /{path} on the rootfs, so no login can be added.");
                plan.obstacles.push(obstacle(
                    path,
                    0,
                    message,
                    "use an image with the usual files of a Debian system",
                ));
            }
            return Ok(None);
        };
        let Some(table) = Table::parse(&bytes) else {
            let message = format!("/{path} on the rootfs is not UTF-8 text.");
            plan.obstacles.push(obstacle(path, 0, message, "correct the file by hand, or use another image"));
            return Ok(None);
        };
        if let Some(line) = table.foreign_line() {
            let message = format!(
                "Line {} of /{path} ends with a carriage return, which becomes part of its last field; that user \
                    could not log in.",
                line + 1
            );
            let fix = format!("remove the carriage returns: `sed -i 's/\\r$//' {path}` in the rootfs");
            plan.obstacles.push(obstacle(path, line + 1, message, fix));
            return Ok(None);
        }
        Ok(Some(table))
    };
    let (passwd, shadow, group) = (table(PASSWD, true)?, table(SHADOW, true)?, table(GROUP, true)?);
    let gshadow = table(GSHADOW, false)?;
    Ok(match (passwd, shadow, group) {
        (Some(passwd), Some(shadow), Some(group)) => Some(Databases { passwd, shadow, group, gshadow }),
        _ => None,
    })
}

/// A login's numbers and home.
struct User {
    owner: Owner,
    /// As it is written.
    home: String,
    /// Its line, from 1; 0 for a new one.
    line: usize,
    is_new: bool,
}

fn account(
    inputs: PlanInputs<'_>,
    account: &HostAccount,
    databases: &mut Databases,
    plan: &mut Plan,
) -> Result<(), PlanFault> {
    let Some(user) = user(inputs, account, databases, plan)? else { return Ok(()) };
    plan.accounts.push(planned(account, &user));
    password(account, databases);
    for wanted in &account.groups {
        join(account, wanted, databases, plan);
    }
    if !inputs.view.has(account.shell.trim_start_matches('/')) {
        let message =
            format!("{} has the shell {}, which is not on the rootfs.", account.name, account.shell);
        let fix = format!(
            "write another shell for the account {} in the sheet, or install this one in the image",
            account.name
        );
        plan.obstacles.push(obstacle(PASSWD, 0, message, fix));
    }
    home(inputs, account, &user, plan)
}

/// What becomes of a login that the sheet names.
fn planned(account: &HostAccount, user: &User) -> PlannedAccount {
    PlannedAccount {
        name: account.name.clone(),
        change: if user.is_new { AccountChange::New } else { AccountChange::AlreadyThere },
        uid: Some(user.owner.uid),
        password: account.password_hash.is_some(),
        change_at_first_login: account.change_at_first_login,
        ssh_keys: account.ssh_keys.len(),
        admin: account.admin,
    }
}

/// One of the image's own, which is shut.
fn shut(name: &str) -> PlannedAccount {
    PlannedAccount {
        name: name.to_owned(),
        change: AccountChange::Shut,
        uid: None,
        password: false,
        change_at_first_login: false,
        ssh_keys: 0,
        admin: false,
    }
}

/// Finds the user, or makes a new one.
fn user(
    inputs: PlanInputs<'_>,
    account: &HostAccount,
    databases: &mut Databases,
    plan: &mut Plan,
) -> Result<Option<User>, PlanFault> {
    let name = account.name.as_str();
    let lines = databases.passwd.find(name);
    let [line] = lines.as_slice() else {
        if let [first, second, ..] = lines.as_slice() {
            let message = format!(
                "/{PASSWD} has {name} twice, on lines {} and {}; some programs use the first, others the second.",
                first + 1,
                second + 1
            );
            plan.obstacles.push(obstacle(PASSWD, second + 1, message, "remove one of the two lines"));
            return Ok(None);
        }
        return new_user(inputs, account, databases, plan);
    };
    let number = |field: usize| databases.passwd.field(*line, field).parse::<u32>().ok();
    let (Some(uid), Some(gid)) = (number(user::UID), number(user::GID)) else {
        let message = format!("Line {} of /{PASSWD} has no user ID for {name}.", line + 1);
        plan.obstacles.push(obstacle(PASSWD, line + 1, message, "correct the line, or remove it"));
        return Ok(None);
    };
    if uid != 0 && uid < first_uid(inputs)? || (uid == 0) != (name == "root") {
        let whose = if uid == 0 { "root under another name" } else { "a system account" };
        let message =
            format!("On the rootfs {name} is {whose} (user ID {uid}, line {} of /{PASSWD}).", line + 1);
        plan.obstacles.push(obstacle(
            PASSWD,
            line + 1,
            message,
            "give the account another name in the sheet",
        ));
        return Ok(None);
    }
    let home = databases.passwd.field(*line, user::HOME).to_owned();
    databases.passwd.set(*line, user::PASSWORD, "x");
    databases.passwd.set(*line, user::SHELL, &account.shell);
    if uid != 0 {
        databases.passwd.set(*line, user::FULL_NAME, &account.full_name);
    }
    Ok(Some(User { owner: Owner { uid, gid }, home, line: line + 1, is_new: false }))
}

fn first_uid(inputs: PlanInputs<'_>) -> Result<u32, RootfsFault> {
    let text = inputs.view.text(LOGIN_DEFS)?.unwrap_or_default();
    let value = text.lines().find_map(|line| line.trim().strip_prefix("UID_MIN")?.trim().parse::<u32>().ok());
    // Lower numbers are the system's own, whatever the image says.
    Ok(value.unwrap_or(FIRST_UID).max(FIRST_UID))
}

/// Adds a user with the first number that neither a user nor a group has, and a group of its own.
fn new_user(
    inputs: PlanInputs<'_>,
    account: &HostAccount,
    databases: &mut Databases,
    plan: &mut Plan,
) -> Result<Option<User>, PlanFault> {
    let name = account.name.as_str();
    let is_root = name == "root";
    let group_lines = databases.group.find(name);
    let own_group =
        group_lines.first().map(|line| (*line, databases.group.field(*line, 2).parse::<u32>().ok()));
    if let Some((line, gid)) = own_group
        && !is_root
        && gid.is_none_or(|gid| gid < FIRST_UID)
    {
        let message = match gid {
            Some(0) => format!(
                "On the rootfs the group {name} has group ID 0, which is root's (line {} of /{GROUP}).",
                line + 1
            ),
            Some(gid) => format!(
                "On the rootfs {name} is a system group (group ID {gid}, line {} of /{GROUP}).",
                line + 1
            ),
            None => format!("Line {} of /{GROUP} has no group ID for {name}.", line + 1),
        };
        let fix = "give the account another name in the sheet, or remove the group from the image";
        plan.obstacles.push(obstacle(GROUP, line + 1, message, fix));
        return Ok(None);
    }
    let taken: HashSet<u32> = databases.passwd.numbers(user::UID).chain(databases.group.numbers(2)).collect();
    let from = if is_root { 0 } else { first_uid(inputs)? };
    // Files of a login that an earlier placement made belong to the number that it had.
    let earlier = inputs.earlier.and_then(|earlier| earlier.numbers(name));
    let earlier_uid = earlier.map(|(uid, _)| uid).filter(|uid| (from..=LAST_UID).contains(uid));
    let free = |uid: &u32| !taken.contains(uid);
    let Some(uid) = earlier_uid.filter(free).or_else(|| (from..=LAST_UID).find(free)) else {
        let message = format!(
            "Every user ID from {from} to {LAST_UID} is taken on the rootfs; none is left for {name}."
        );
        plan.obstacles.push(obstacle(PASSWD, 0, message, "remove users from the image"));
        return Ok(None);
    };
    let gid = own_group.and_then(|(_, gid)| gid).unwrap_or(uid);
    if own_group.is_none() {
        databases.group.push(&[name, "x", &gid.to_string(), ""]);
        if let Some(gshadow) = databases.gshadow.as_mut().filter(|table| table.find(name).is_empty()) {
            gshadow.push(&[name, "!", "", ""]);
        }
    }
    let home = if is_root { "/root".to_owned() } else { format!("/home/{name}") };
    let (uid_text, gid_text) = (uid.to_string(), gid.to_string());
    databases.passwd.push(&[name, "x", &uid_text, &gid_text, &account.full_name, &home, &account.shell]);
    Ok(Some(User { owner: Owner { uid, gid }, home, line: 0, is_new: true }))
}

fn password(account: &HostAccount, databases: &mut Databases) {
    let hash = account.password_hash.as_ref().map_or(NO_PASSWORD, |hash| hash.as_str());
    // Day 0 has the password changed at the next login; none at all never does.
    let last_change = if account.change_at_first_login { "0" } else { "" };
    let shadow = &mut databases.shadow;
    match shadow.find(&account.name).first() {
        Some(line) => {
            let is_same = shadow.field(*line, hidden::HASH) == hash;
            shadow.set(*line, hidden::HASH, hash);
            if account.change_at_first_login || !is_same || shadow.field(*line, hidden::LAST_CHANGE) == "0" {
                shadow.set(*line, hidden::LAST_CHANGE, last_change);
            }
            shadow.set(*line, hidden::ENDS, "");
        }
        None => shadow.push(&[&account.name, hash, last_change, "0", "99999", "7", "", "", ""]),
    }
}

/// Makes a login a member of a group.
fn join(account: &HostAccount, wanted: &str, databases: &mut Databases, plan: &mut Plan) {
    let lines = databases.group.find(wanted);
    let Some(line) = lines.first() else {
        // Without sudo a rule of its own speaks.
        if wanted != "sudo" {
            let message = format!("{} needs the group {wanted}, which is not on the rootfs.", account.name);
            let fix = format!(
                "remove {wanted} from groups in the sheet, or install the package that creates it in the \
                    image"
            );
            plan.obstacles.push(obstacle(GROUP, 0, message, fix));
        }
        return;
    };
    let members = with_member(databases.group.field(*line, 3), &account.name);
    databases.group.set(*line, 3, &members);
    if let Some(gshadow) = &mut databases.gshadow
        && let Some(line) = gshadow.find(wanted).first()
    {
        let members = with_member(gshadow.field(*line, 3), &account.name);
        gshadow.set(*line, 3, &members);
    }
}

fn with_member(members: &str, name: &str) -> String {
    let mut list: Vec<&str> = members.split(',').filter(|member| !member.is_empty()).collect();
    if !list.contains(&name) {
        list.push(name);
    }
    list.join(",")
}

/// The home folder of a login, and the keys that open it.
fn home(
    inputs: PlanInputs<'_>,
    account: &HostAccount,
    user: &User,
    plan: &mut Plan,
) -> Result<(), PlanFault> {
    let written = user.home.as_str();
    // A home at the top of everything, or none.
    let is_top = written.split('/').all(|part| matches!(part, "" | "."));
    let home = if is_top { Ok(RootfsPath::fixed("nonexistent")) } else { RootfsPath::of_host(written) };
    let Ok(home) = home else {
        let message = format!(
            "The home of {} on the rootfs is {written:?}; with \"..\" in it, where it leads depends on links.",
            account.name
        );
        let fix = format!("give {} a home without \"..\" in /{PASSWD}", account.name);
        plan.obstacles
            .push(Obstacle { concerns: Concern::Path, ..obstacle(PASSWD, user.line, message, fix) });
        return Ok(());
    };
    let is_odd =
        ["proc", "sys", "dev", "run", "nonexistent"].contains(&home.split('/').next().unwrap_or_default());
    if is_odd {
        if !account.ssh_keys.is_empty() {
            let message = format!(
                "The home of {} on the rootfs is {written}, which cannot hold SSH keys.",
                account.name
            );
            plan.obstacles.push(obstacle(
                PASSWD,
                user.line,
                message,
                format!("give {} a home in /{PASSWD}", account.name),
            ));
        }
        return Ok(());
    }
    match inputs.view.state(&home)? {
        State::Absent => {
            let want = Want::Folder { mode: 0o700, owner: user.owner };
            plan.changes.push(Change::new(home.clone(), Subject::Accounts, want));
            if user.is_new {
                skeleton(inputs, &home, user, plan)?;
            }
        }
        State::Folder { mode, uid, gid, access_list } => {
            // sshd takes no keys from a home that others may write to (`sshd_config(5)`, StrictModes).
            let is_own = uid == user.owner.uid || uid == 0;
            let owner = if is_own { Owner { uid, gid } } else { user.owner };
            let mode = access_list.map_or(mode, |list| list.mode_without(mode));
            let want = Want::Folder { mode: mode & !0o022, owner };
            let why = "sshd refuses keys in a home that others can write to";
            plan.changes.push(Change::new(home.clone(), Subject::Accounts, want).because(why));
        }
        State::File { .. } | State::Link { .. } => {}
    }
    keys(inputs, account, user, &home, plan)
}

fn keys(
    inputs: PlanInputs<'_>,
    account: &HostAccount,
    user: &User,
    home: &RootfsPath,
    plan: &mut Plan,
) -> Result<(), PlanFault> {
    let folder = home.join(".ssh")?;
    let path = folder.join("authorized_keys")?;
    let older = folder.join("authorized_keys2")?;
    let is_kept = inputs.output.accounts.stock_logins == StockLogins::Keep;
    if account.ssh_keys.is_empty() {
        if !is_kept && inputs.view.look(&path)?.is_some() {
            let why = format!("the sheet has no key for {}", account.name);
            plan.changes.push(Change::set_aside(path, Subject::Accounts, why));
        }
    } else {
        plan.changes.push(Change::new(
            folder,
            Subject::Accounts,
            Want::Folder { mode: 0o700, owner: user.owner },
        ));
        let text = format!("{HEADER}{}\n", account.ssh_keys.join("\n"));
        let bytes = FileBytes::new(text);
        let mut change =
            Change::new(path, Subject::Accounts, Want::File { bytes, mode: 0o600, owner: user.owner });
        // Public keys are public.
        change.is_secret = false;
        plan.changes.push(change);
    }
    if !is_kept && inputs.view.look(&older)?.is_some() {
        let why = "keys in it also open the login";
        plan.changes.push(Change::set_aside(older, Subject::Accounts, why));
    }
    Ok(())
}

fn skeleton(
    inputs: PlanInputs<'_>,
    home: &RootfsPath,
    user: &User,
    plan: &mut Plan,
) -> Result<(), PlanFault> {
    for name in inputs.view.list(SKELETON)? {
        let from = format!("{SKELETON}/{name}");
        let Some(found) = inputs.view.look(&from)?.filter(|found| found.kind == Kind::File) else { continue };
        let Some(bytes) = inputs.view.read(&from)? else { continue };
        let want = Want::File { bytes, mode: found.mode, owner: user.owner };
        plan.changes.push(Change::new(home.join(&name)?, Subject::Accounts, want));
    }
    Ok(())
}

/// The folder of sudo's drop-ins must be read (`sudoers(5)`); older files spell the line with `#`.
fn sudoers(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    const MAIN: &str = "etc/sudoers";
    if inputs.file(SUDOERS_PATH).is_none() || !inputs.view.has(MAIN) {
        return Ok(());
    }
    let text = inputs.view.text(MAIN)?.unwrap_or_default();
    let is_read = text.lines().any(|line| {
        let mut words = line.split_whitespace();
        matches!(words.next(), Some("@includedir" | "#includedir")) && words.next() == Some("/etc/sudoers.d")
    });
    if !is_read {
        plan.obstacles.push(Obstacle {
            path: MAIN.to_owned(),
            line: 0,
            message: "/etc/sudoers does not include the folder sudoers.d, where the output lists its administrators.".to_owned(),
            fix: "add the line @includedir /etc/sudoers.d to it in the image".to_owned(),
            is_grave: false,
            concerns: Concern::Account,
        });
    }
    Ok(())
}

/// Shuts the logins that the image comes with and the sheet does not name.
fn stock(inputs: PlanInputs<'_>, databases: &mut Databases, plan: &mut Plan) -> Result<(), PlanFault> {
    let accounts = &inputs.output.accounts;
    if accounts.stock_logins != StockLogins::Lock {
        return Ok(());
    }
    for found in inputs.survey.accounts.iter().filter(|found| accounts.account(&found.name).is_none()) {
        if found.name == "root" && !accounts.root_locked {
            continue;
        }
        // A user who was added since is not a login of the image.
        if inputs.is_added(&found.name) {
            continue;
        }
        plan.accounts.push(shut(&found.name));
        let Databases { passwd, shadow, .. } = databases;
        for line in passwd.find(&found.name) {
            if passwd.field(line, user::PASSWORD) != "x" {
                passwd.set(line, user::PASSWORD, "x");
            }
        }
        let line = shadow.find(&found.name).first().copied();
        let hash = line.map(|line| shadow.field(line, hidden::HASH).to_owned()).unwrap_or_default();
        // root still runs what systemd and cron start: its account does not end.
        let (new_hash, ends) = if found.name == "root" {
            (NO_PASSWORD.to_owned(), "")
        } else if hash.starts_with(['!', '*']) {
            (hash, "1")
        } else {
            (format!("!{hash}"), "1")
        };
        match line {
            Some(line) => {
                shadow.set(line, hidden::HASH, &new_hash);
                shadow.set(line, hidden::ENDS, ends);
            }
            None => shadow.push(&[&found.name, &new_hash, "", "0", "99999", "7", "", ends, ""]),
        }
        if found.name == "root" && found.ssh_keys > 0 {
            for name in ["authorized_keys", "authorized_keys2"] {
                let path = format!("{}/.ssh/{name}", found.home);
                if inputs.view.look(&path)?.is_some() {
                    plan.changes.push(Change::set_aside(
                        RootfsPath::new(path)?,
                        Subject::Accounts,
                        "the sheet has no key for root",
                    ));
                }
            }
        }
    }
    Ok(())
}
