//! Root filesystems made at random from what images bring: placed, and asked what would win when they boot. What would win
//! before and does no more is taken care of; what would not is left as it is.

mod model;
mod parts;

use std::fs;
use std::os::unix::fs::PermissionsExt as _;

use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};

use crate::card::{Card, with_output};
use crate::support::Workspace;
use model::what_wins;
use parts::{CARRIERS, HARMFUL, HARMLESS, Part, count_of_files, of_files};

/// One part of a root filesystem: how it is called, and what it is.
type Named = (String, Part);

fn carried(carrier: usize, command: &str, name: &str) -> Named {
    let (called, make) = CARRIERS[carrier];
    (format!("{called}: {command} ({name})"), make(name, command))
}

/// A right root filesystem with an SSH server that takes words from a file, as Debian's does.
fn plain(workspace: &Workspace) -> Card<'_> {
    let card = Card::new(workspace);
    card.write(
        "usr/lib/systemd/system/ssh.service",
        "[Service]\nEnvironmentFile=-/etc/default/ssh\nExecStart=/usr/sbin/sshd -D $SSHD_OPTS\n[Install]\nWantedBy=multi-user.target\n",
    );
    card
}

fn put(card: &Card<'_>, part: &Part) {
    for (path, text) in &part.files {
        if let Some(path) = path.strip_prefix('+') {
            card.write(path, card.read(path) + text);
            continue;
        }
        // What lies there as a link makes room.
        if fs::read_link(card.top().join(path)).is_ok() {
            card.remove(path);
        }
        card.write(path, text);
        card.mode(path, if text.starts_with("#!") { 0o755 } else { 0o644 });
    }
    for (path, target) in &part.links {
        card.link(path, target);
    }
}

/// Places on a root filesystem of these parts. What is wrong with the outcome is given back.
fn tried(workspace: &Workspace, parts: &[&Named]) -> Result<bool, String> {
    let card = plain(workspace);
    for (_, part) in parts {
        put(&card, part);
    }
    let called: Vec<&str> = parts.iter().map(|(called, _)| called.as_str()).collect();
    let before = what_wins(card.top());
    let brought = || {
        let files = parts.iter().flat_map(|(_, part)| part.files.iter().chain(&part.links));
        let is_left = |path: &String| {
            let path = card.top().join(path);
            let mode = path.symlink_metadata().map(|found| found.permissions().mode()).ok();
            (fs::read(&path).ok(), fs::read_link(&path).ok(), mode)
        };
        files
            .filter(|(path, _)| !path.starts_with('+'))
            .map(|(path, _)| (path.clone(), is_left(path)))
            .collect::<Vec<_>>()
    };
    let there = brought();
    let run = card.place(&["--yes"]);
    let after = what_wins(card.top());
    let trouble = match run.code {
        0 if !after.is_empty() => format!("wins after placing: {after:?}"),
        0 if before.is_empty() && brought() != there => {
            format!("nothing would have won, and what the image brings was changed:\n{}", run.stdout)
        }
        0 => String::new(),
        // An image that is refused has something that would win, and the refusal names it.
        _ if before.is_empty() => format!("nothing would win, and placing is refused: {}", run.stderr),
        _ if !run.stderr.contains(" error ") => format!("refused without a reason: {}", run.stderr),
        _ => String::new(),
    };
    fs::remove_dir_all(card.top()).unwrap();
    if trouble.is_empty() { Ok(!before.is_empty()) } else { Err(format!("{called:?}: {trouble}")) }
}

#[test]
fn each_part_alone_wins_nothing_after_placing_and_is_left_alone_where_it_would_win_nothing() {
    let workspace = with_output();
    let mut parts: Vec<Named> = Vec::new();
    for carrier in 0..CARRIERS.len() {
        // Every command comes up with some carrier, harmful and harmless.
        for command in [HARMFUL[carrier % HARMFUL.len()], HARMLESS[carrier % HARMLESS.len()]] {
            parts.push(carried(carrier, command, "image"));
        }
    }
    parts.extend((0..count_of_files()).map(|number| of_files(number, "image")));
    let mut counts = [0, 0];
    let mut wrong = Vec::new();
    for part in &parts {
        match tried(&workspace, &[part]) {
            Ok(would_win) => counts[usize::from(would_win)] += 1,
            Err(trouble) => wrong.push(trouble),
        }
    }
    assert!(wrong.is_empty(), "{} of {}:\n{}", wrong.len(), parts.len(), wrong.join("\n"));
    assert!(counts[0] > 40 && counts[1] > 50, "would have won: {}, not: {}", counts[1], counts[0]);
}

#[test]
fn parts_in_pairs_win_nothing_after_placing() {
    let workspace = with_output();
    let command = prop::sample::select([&HARMFUL[..], &HARMLESS[..]].concat());
    let name = prop::sample::select(vec!["image", "quay"]);
    let of_commands = (0..CARRIERS.len(), command, name.clone())
        .prop_map(|(carrier, command, name)| carried(carrier, command, name));
    let files = (0..count_of_files(), name).prop_map(|(number, name)| of_files(number, name));
    let one = prop_oneof![of_commands, files].boxed();
    let cases = std::env::var("IMPOSTAZIONE_PAIRS").ok().and_then(|count| count.parse().ok()).unwrap_or(100);
    let mut runner = TestRunner::new(Config { cases, failure_persistence: None, ..Config::default() });
    runner
        .run(&(one.clone(), one), |(first, second)| {
            tried(&workspace, &[&first, &second]).map(|_| ()).map_err(TestCaseError::fail)
        })
        .unwrap();
}
