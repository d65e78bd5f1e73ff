//! Time sources that would stay active beside ours.

use impostazione_rootfs::{Change, Owner, RootfsPath, Subject, Want};
use impostazione_text::FileBytes;

use super::super::survey::time::{CHRONY_MAIN, names_servers};
use super::edits::{SET_ASIDE, edited};
use super::files::Groups;
use super::plan::{Plan, PlanFault};
use super::plan_inputs::PlanInputs;
use super::rewriting::set_aside_or_hide;
use crate::host::{CHRONY_KEYS_PATH, CHRONY_SOURCES_PATH, HEADER, TIMESYNCD_PATH};

pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    if inputs.file(TIMESYNCD_PATH).is_some() {
        timesyncd(inputs, plan)?;
    }
    if inputs.file(CHRONY_SOURCES_PATH).is_some() {
        chrony(inputs, plan)?;
    }
    Ok(())
}

/// Lists of several files add up, and ours begins again: what sorts after it would add to it.
fn timesyncd(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let mut seen: Vec<&str> = Vec::new();
    for source in &inputs.survey.time.sources {
        let name = |path: &str| path.split_once("systemd/timesyncd.conf.d/").map(|(_, name)| name.to_owned());
        let is_later = name(&source.path).is_some_and(|of_source| Some(of_source) > name(TIMESYNCD_PATH));
        if is_later && !seen.contains(&source.path.as_str()) {
            seen.push(&source.path);
            let why = "its servers would be used as well as ours";
            set_aside_or_hide(inputs.view, &source.path, Subject::Time, why, plan)?;
        }
    }
    Ok(())
}

fn chrony(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let mut paths: Vec<&str> = inputs.survey.time.sources.iter().map(|source| source.path.as_str()).collect();
    paths.retain(|path| path.starts_with("etc/chrony"));
    paths.dedup();
    let main = CHRONY_MAIN.into_iter().find(|path| inputs.view.has(path));
    if let Some(main) = main
        && !paths.contains(&main)
    {
        paths.push(main);
    }
    for path in paths {
        if path.starts_with("etc/chrony/sources.d/") {
            let why = "its servers would be used as well as ours";
            plan.changes.push(Change::set_aside(RootfsPath::new(path)?, Subject::Time, why));
            continue;
        }
        let text = inputs.view.text(path)?.unwrap_or_default();
        let has_keys = inputs.file(CHRONY_KEYS_PATH).is_some();
        let new = without_servers(&text, Some(path) == main, has_keys);
        if new != text {
            let want = edited(inputs.view, path, new, 0o644)?;
            let why = "its servers would be used as well as ours";
            plan.changes.push(Change::new(RootfsPath::new(path)?, Subject::Time, want).because(why));
        }
    }
    Ok(())
}

/// The text with servers set aside, and, in the main file, with the folder and the file that ours lie in being read.
fn without_servers(text: &str, is_main: bool, has_keys: bool) -> String {
    let mut new = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        if names_servers(line.trim()) {
            new += SET_ASIDE;
        }
        new += line;
    }
    let mut add = |directive: &str, path: &str| {
        if is_main && !says(&new, directive, path) {
            if !new.is_empty() && !new.ends_with('\n') {
                new.push('\n');
            }
            new.extend([directive, " ", path, "\n"]);
        }
    };
    add("sourcedir", "/etc/chrony/sources.d");
    if has_keys {
        add("keyfile", &format!("/{CHRONY_KEYS_PATH}"));
    }
    new
}

/// Whether a line of the text has this directive, in whichever case (chrony.conf(5)), with this path as an argument. A
/// line that is set aside or a comment has none: its first word is another one.
fn says(text: &str, directive: &str, path: &str) -> bool {
    text.lines().any(|line| {
        let mut words = line.split_whitespace();
        words.next().is_some_and(|word| word.eq_ignore_ascii_case(directive))
            && words.any(|word| word.trim_end_matches('/') == path)
    })
}

/// Adds our keys to those that are there: of one number there is one key.
pub(super) fn keys(inputs: PlanInputs<'_>, groups: &Groups, plan: &mut Plan) -> Result<(), PlanFault> {
    let Some(file) = inputs.file(CHRONY_KEYS_PATH) else { return Ok(()) };
    let ours = inputs.output.text(CHRONY_KEYS_PATH).unwrap_or_default();
    let number = |line: &str| line.split_whitespace().next().and_then(|word| word.parse::<u32>().ok());
    let numbers: Vec<u32> = ours.lines().filter_map(number).collect();
    let there = inputs.view.read(CHRONY_KEYS_PATH)?;
    let there = there.as_deref().map(String::from_utf8_lossy).unwrap_or_default();
    let mut text = zeroize::Zeroizing::new(String::with_capacity(there.len() + ours.len() + 64));
    for line in there.lines() {
        let is_ours =
            number(line).is_some_and(|number| numbers.contains(&number)) || line == HEADER.trim_end();
        if !is_ours {
            text.push_str(line);
            text.push('\n');
        }
    }
    text.push_str(ours);
    let Owner { uid, gid } = super::files::owner_of(file, groups);
    let want =
        Want::File { bytes: FileBytes::new(text.as_bytes()), mode: file.mode, owner: Owner { uid, gid } };
    plan.changes.push(Change::new(RootfsPath::fixed(CHRONY_KEYS_PATH), Subject::Time, want));
    Ok(())
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::without_servers;

    proptest! {
        #[test]
        fn whatever_was_there_no_server_is_left_and_a_second_time_changes_nothing(
            text in r"((pool|server |peer|refclock|#|driftfile|sourcedir /etc/chrony/sources.d)?[ a-z/.]{0,12}\n?){0,8}",
            is_main: bool,
            has_keys: bool,
        ) {
            let new = without_servers(&text, is_main, has_keys);
            prop_assert!(!new.lines().any(|line| super::names_servers(line.trim())), "{}", new);
            prop_assert_eq!(without_servers(&new, is_main, has_keys), new);
        }
    }

    #[test]
    fn servers_are_set_aside_and_the_folder_of_ours_is_read() {
        let debian =
            "confdir /etc/chrony/conf.d\npool 2.pool.example iburst\nsourcedir /etc/chrony/sources.d\n";
        let new = without_servers(debian, true, false);
        assert!(new.contains("\n# set aside by Impostazione: pool 2.pool.example iburst\n"), "{new}");
        assert_eq!(without_servers(&new, true, false), new, "a second time changes nothing");
        assert!(
            without_servers("driftfile /x", true, true).ends_with(
                "driftfile /x\nsourcedir /etc/chrony/sources.d\nkeyfile /etc/chrony/chrony.keys\n"
            )
        );
    }

    #[test]
    fn a_path_that_another_line_mentions_is_not_read_for_that() {
        let read = "SourceDir /run/sources /etc/chrony/sources.d/\n";
        assert_eq!(without_servers(read, true, false), read, "it is read already");
        for unread in [
            "server sourcedir /etc/chrony/sources.d\n",
            "#sourcedir /etc/chrony/sources.d\n",
            "sourcedir /etc/chrony/sources.d.old\n",
            "confdir /etc/chrony/sources.d\n",
        ] {
            let new = without_servers(unread, true, false);
            assert!(new.ends_with("\nsourcedir /etc/chrony/sources.d\n"), "{new}");
            assert_eq!(without_servers(&new, true, false), new, "a second time changes nothing");
        }
    }
}
