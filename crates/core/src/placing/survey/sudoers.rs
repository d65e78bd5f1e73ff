//! Who may do what by sudo (`sudoers(5)`), as far as the lines of its files tell.

use std::collections::{HashMap, HashSet};
use std::ops::RangeInclusive;

use impostazione_rootfs::{RootfsFault, RootfsPath, View};

use crate::host::SUDOERS_PATH;

/// sudo's main file.
pub(crate) const SUDOERS: &str = "etc/sudoers";

/// How deep files include each other: sudo itself stops at 128.
const DEPTH_LIMIT: usize = 16;
/// How many files are read: a folder of drop-ins has a handful.
const FILE_LIMIT: usize = 512;

/// A line of sudo's files that lets somebody do something, with those that it is continued on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct SudoersLine {
    pub(crate) path: RootfsPath,
    /// From 1.
    pub(crate) lines: RangeInclusive<usize>,
    /// The text, as one line.
    pub(crate) text: String,
    pub(crate) says: Says,
    /// Whether it is read after our drop-in would be: the last line that matches counts.
    pub(crate) is_after_ours: bool,
}

/// What a line says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Says {
    /// These may do something, perhaps without being asked for a password.
    Lets { who: Vec<Who>, is_unasked: bool },
    /// Nobody, or nobody of a group, is asked for a password.
    AsksNobody,
    /// It cannot be told.
    Unknown(&'static str),
}

/// Whom a line is about.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Who {
    All,
    User(String),
    Uid(u32),
    Group(String),
    Gid(u32),
    /// A netgroup, or a group that another directory keeps.
    Elsewhere(String),
}

/// Reads all lines that matter, in the order in which sudo reads them.
pub(crate) fn lines(view: View<'_>) -> Result<Vec<SudoersLine>, RootfsFault> {
    let mut reading =
        Reading { view, found: Vec::new(), aliases: HashMap::new(), is_after_ours: false, files: 0 };
    reading.file(&RootfsPath::fixed(SUDOERS), 0)?;
    let Reading { mut found, aliases, .. } = reading;
    for line in &mut found {
        if let Says::Lets { who, .. } = &mut line.says {
            *who = expanded(who, &aliases);
        }
    }
    Ok(found)
}

/// Aliases stand for those whom they name; each counts once, however they name each other.
fn expanded(who: &[Who], aliases: &HashMap<String, Vec<Who>>) -> Vec<Who> {
    let mut seen: HashSet<&str> = HashSet::new();
    let mut all = Vec::new();
    let mut open: Vec<&Who> = who.iter().rev().collect();
    while let Some(one) = open.pop() {
        match one {
            Who::User(name) if aliases.contains_key(name) => {
                if seen.insert(name) {
                    open.extend(aliases.get(name).into_iter().flatten().rev());
                }
            }
            _ => all.push(one.clone()),
        }
    }
    all
}

struct Reading<'a> {
    view: View<'a>,
    found: Vec<SudoersLine>,
    aliases: HashMap<String, Vec<Who>>,
    is_after_ours: bool,
    files: usize,
}

impl Reading<'_> {
    fn file(&mut self, path: &RootfsPath, depth: usize) -> Result<(), RootfsFault> {
        // Whatever stands there is replaced by ours.
        self.is_after_ours |= path == SUDOERS_PATH;
        self.files += 1;
        let Some(text) = self.view.text(path)? else { return Ok(()) };
        for (lines, text) in logical_lines(&text) {
            let mut line = SudoersLine {
                path: path.clone(),
                lines,
                says: Says::Unknown(""),
                is_after_ours: self.is_after_ours,
                text,
            };
            match statement(&line.text) {
                Statement::Nothing => {}
                Statement::Says(says) => {
                    line.says = says;
                    self.found.push(line);
                }
                Statement::Aliases(aliases) => self.aliases.extend(aliases),
                Statement::Include { target, is_folder } => {
                    if let Err(why) = self.include(&target, is_folder, path, depth)? {
                        line.says = Says::Unknown(why);
                        self.found.push(line);
                    }
                }
            }
        }
        Ok(())
    }

    fn include(
        &mut self,
        target: &str,
        is_folder: bool,
        from: &RootfsPath,
        depth: usize,
    ) -> Result<Result<(), &'static str>, RootfsFault> {
        let whole = if target.starts_with('/') {
            target.to_owned()
        } else {
            format!("{}/{target}", from.rsplit_once('/').map_or("", |(folder, _)| folder))
        };
        let Ok(path) = RootfsPath::of_host(&whole) else {
            return Ok(Err("it includes a file by a path with \"..\""));
        };
        if depth >= DEPTH_LIMIT || self.files >= FILE_LIMIT {
            return Ok(Err("it includes more files than are checked"));
        }
        if target.contains('%') {
            return Ok(Err("which file it includes depends on the host name"));
        }
        if !is_folder {
            self.file(&path, depth + 1)?;
            return Ok(Ok(()));
        }
        let mut names = self.view.list(&path)?;
        let ours = SUDOERS_PATH.rsplit_once('/').filter(|(folder, _)| path == *folder).map(|(_, name)| name);
        // Where ours is to lie it counts as being there.
        if let Some(ours) = ours
            && !names.iter().any(|name| name == ours)
        {
            names.push(ours.to_owned());
            names.sort_unstable();
        }
        // sudo ignores names with a dot in them, and over copies that editors keep.
        for name in names.iter().filter(|name| !name.contains('.') && !name.ends_with('~')) {
            if let Ok(path) = path.join(name) {
                self.file(&path, depth + 1)?;
            }
        }
        Ok(Ok(()))
    }
}

/// Lines, those that a backslash continues put together; numbers from 1.
fn logical_lines(text: &str) -> Vec<(RangeInclusive<usize>, String)> {
    let mut lines = Vec::new();
    let mut open: Option<(usize, String)> = None;
    for (index, line) in text.lines().enumerate() {
        let (first, mut whole) = open.take().unwrap_or((index + 1, String::new()));
        match line.strip_suffix('\\') {
            Some(line) => {
                whole.push_str(line);
                whole.push(' ');
                open = Some((first, whole));
            }
            None => {
                whole.push_str(line);
                lines.push((first..=index + 1, whole));
            }
        }
    }
    if let Some((first, whole)) = open {
        lines.push((first..=text.lines().count(), whole));
    }
    lines
}

enum Statement {
    Nothing,
    Says(Says),
    Aliases(Vec<(String, Vec<Who>)>),
    Include { target: String, is_folder: bool },
}

fn statement(line: &str) -> Statement {
    let line = line.trim();
    let word = line.split_whitespace().next().unwrap_or_default();
    let rest = line.strip_prefix(word).unwrap_or_default().trim();
    match word {
        "" | "Runas_Alias" | "Host_Alias" | "Cmnd_Alias" | "Cmd_Alias" => return Statement::Nothing,
        "@include" | "#include" | "@includedir" | "#includedir" => {
            let target = rest.trim_matches('"').replace("\\ ", " ");
            return Statement::Include { target, is_folder: word.ends_with("dir") };
        }
        "User_Alias" => return aliases(rest),
        _ => {}
    }
    // A number of a user, or a remark.
    if line.strip_prefix('#').is_some_and(|rest| !rest.starts_with(|c: char| c.is_ascii_digit())) {
        return Statement::Nothing;
    }
    if word == "Defaults"
        || word.starts_with("Defaults:")
        || word.starts_with("Defaults@")
        || word.starts_with("Defaults>")
        || word.starts_with("Defaults!")
    {
        let settings = rest.split([',', ' ', '\t']).map(str::trim);
        let asks_nobody = settings
            .into_iter()
            .any(|setting| setting == "!authenticate" || setting.split('=').next() == Some("exempt_group"));
        return if asks_nobody { Statement::Says(Says::AsksNobody) } else { Statement::Nothing };
    }
    let Some((left, right)) = line.split_once('=') else {
        return Statement::Says(Says::Unknown("sudo would reject it"));
    };
    let who = users(left);
    if who.is_empty() {
        return Statement::Says(Says::Unknown("it names no user"));
    }
    Statement::Says(Says::Lets { who, is_unasked: right.contains("NOPASSWD") })
}

fn aliases(rest: &str) -> Statement {
    let alias = |part: &str| {
        let (name, members) = part.split_once('=')?;
        Some((name.trim().to_owned(), list(members)))
    };
    Statement::Aliases(rest.split(':').filter_map(alias).collect())
}

/// The users of a rule: the part before its hosts.
fn users(left: &str) -> Vec<Who> {
    // A list goes on behind a comma; the first word that does not is its last.
    let mut end = 0;
    let mut goes_on = true;
    let mut parts = left.char_indices().peekable();
    let mut is_quoted = false;
    while let Some((at, character)) = parts.next() {
        match character {
            '"' => is_quoted = !is_quoted,
            ',' if !is_quoted => goes_on = true,
            '\\' => {
                parts.next();
                goes_on = false;
            }
            character if character.is_whitespace() && !is_quoted => {
                let next_is_comma = left.get(at..).is_some_and(|rest| rest.trim_start().starts_with(','));
                if !goes_on && !next_is_comma {
                    end = at;
                    break;
                }
            }
            _ => goes_on = false,
        }
        end = at + character.len_utf8();
    }
    list(left.get(..end).unwrap_or(left))
}

fn list(text: &str) -> Vec<Who> {
    text.split(',')
        .map(|word| word.trim().trim_start_matches('!').trim_matches('"'))
        .filter(|word| !word.is_empty())
        .map(|word| {
            let number = |digits: &str| digits.parse::<u32>().ok();
            if word == "ALL" {
                Who::All
            } else if let Some(uid) = word.strip_prefix('#').and_then(number) {
                Who::Uid(uid)
            } else if let Some(gid) = word.strip_prefix("%#").and_then(number) {
                Who::Gid(gid)
            } else if word.starts_with('+') || word.starts_with("%:") {
                Who::Elsewhere(word.to_owned())
            } else if let Some(group) = word.strip_prefix('%') {
                Who::Group(group.replace('\\', ""))
            } else {
                Who::User(word.replace('\\', ""))
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn says(line: &str) -> Option<Says> {
        match statement(line) {
            Statement::Says(says) => Some(says),
            _ => None,
        }
    }

    #[test]
    fn who_may_do_what_and_whether_somebody_is_asked() {
        let lets = |who: &[Who], is_unasked| Some(Says::Lets { who: who.to_vec(), is_unasked });
        let user = |name: &str| Who::User(name.to_owned());
        assert_eq!(says("root ALL=(ALL:ALL) ALL"), lets(&[user("root")], false));
        assert_eq!(says("%sudo\tALL=(ALL:ALL) NOPASSWD:ALL"), lets(&[Who::Group("sudo".into())], true));
        assert_eq!(says("ALL ALL = NOPASSWD: ALL"), lets(&[Who::All], true));
        assert_eq!(
            says("keeper , pilot ,%#27 ALL = ALL"),
            lets(&[user("keeper"), user("pilot"), Who::Gid(27)], false)
        );
        assert_eq!(says("#1000 ALL = ALL"), lets(&[Who::Uid(1000)], false));
        assert_eq!(says("!gull, ALL h = ALL"), lets(&[user("gull"), Who::All], false));
        assert_eq!(says("+crew ALL = ALL"), lets(&[Who::Elsewhere("+crew".into())], false));
        assert_eq!(says("Defaults !authenticate"), Some(Says::AsksNobody));
        assert_eq!(says("Defaults:keeper env_reset, !authenticate"), Some(Says::AsksNobody));
        assert_eq!(says("Defaults exempt_group=crew"), Some(Says::AsksNobody));
        for nothing in ["", "# a remark", "#remark = x", "Defaults env_reset", "Cmnd_Alias X = /bin/ls"] {
            assert_eq!(says(nothing), None, "{nothing}");
        }
        assert!(matches!(says("gulls"), Some(Says::Unknown(_))));
    }

    #[test]
    fn lines_go_on_behind_a_backslash_and_aliases_stand_for_their_members() {
        let lines = logical_lines("a \\\nb\nc\nd \\");
        assert_eq!(lines, [(1..=2, "a  b".to_owned()), (3..=3, "c".to_owned()), (4..=4, "d  ".to_owned())]);
        let Statement::Aliases(aliases) = aliases("CREW = keeper, MATES : MATES = ALL : LOOP = LOOP") else {
            panic!("aliases")
        };
        let aliases = aliases.into_iter().collect();
        let all = expanded(&[Who::User("CREW".into())], &aliases);
        assert_eq!(all, [Who::User("keeper".into()), Who::All]);
        assert_eq!(expanded(&[Who::User("LOOP".into())], &aliases), [], "a circle ends");
    }
}
