//! Placing and taking back, killed at any moment: a card is as it was, or as it was to be, or the next command makes it so.

use std::collections::BTreeSet;
use std::fs;
use std::process::{Command, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use crate::card::{CARD, Card, with_output};
use crate::support::Workspace;

/// Numbers without order, the same in each run.
struct Numbers(u64);

impl Numbers {
    fn below(&mut self, limit: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % limit
    }
}

/// Runs a command and kills it after a time; whether it was still running then.
fn kill_after(command: &mut Command, time: Duration) -> bool {
    let mut child = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    thread::sleep(time);
    let was_running = child.try_wait().unwrap().is_none();
    let _ = child.kill();
    child.wait().unwrap();
    was_running
}

/// The list of a card without times, which differ between two placements.
fn without_times(card: &Card<'_>) -> BTreeSet<String> {
    let is_record = |line: &String| line.starts_with("var/lib/impostazione");
    let cut = |line: String| match line.rsplit_once(' ') {
        Some((rest, last)) if last.contains('.') && last.starts_with(|c: char| c.is_ascii_digit()) => {
            rest.to_owned()
        }
        _ => line,
    };
    card.list().into_iter().filter(|line| !is_record(line)).map(cut).collect()
}

struct Kills {
    old: usize,
    new: usize,
    completed: usize,
}

fn kill_often(workspace: &Workspace, count: usize, is_undo: bool) -> Kills {
    let card = Card::new(workspace);
    card.write("etc/netplan/50-image.yaml", "network: {version: 2}\n");
    card.write("etc/hosts", "127.0.0.1 localhost\n127.0.1.1 image\n");
    let old = card.list();
    let old_without_times = without_times(&card);
    let place = ["place", "output", "--only", "gauge-01", CARD, "--yes"];
    let undo = ["undo", CARD, "--yes"];
    let began = Instant::now();
    card.placed(&[]);
    let mut takes = began.elapsed();
    let new = without_times(&card);
    let began = Instant::now();
    assert_eq!(card.undo(&[]).code, 0);
    if is_undo {
        takes = began.elapsed();
    }
    assert_eq!(card.list(), old);
    let mut numbers = Numbers(42);
    let mut kills = Kills { old: 0, new: 0, completed: 0 };
    // How long it takes depends on what else goes on: kills that come too late bring the limit down, and others raise it.
    let mut limit = u64::try_from(takes.as_micros()).unwrap();
    let mut tries = 0;
    while kills.old + kills.new + kills.completed < count {
        tries += 1;
        assert!(tries < count * 4, "the program ends before it is killed");
        if is_undo {
            card.placed(&[]);
        }
        let time = Duration::from_micros(numbers.below(limit));
        let was_running = kill_after(&mut workspace.command(if is_undo { &undo } else { &place }), time);
        let left = without_times(&card);
        let is_clear = !card.has("var/lib/impostazione");
        limit = if was_running { limit * 21 / 20 } else { limit * 4 / 5 };
        if was_running {
            match (
                left == old_without_times && is_clear,
                left == new && !card.has("var/lib/impostazione/under-way"),
            ) {
                (true, _) => kills.old += 1,
                (_, true) => kills.new += 1,
                _ => kills.completed += 1,
            }
        }
        // Every other time the way leads forward first, which must succeed from wherever it was cut off.
        if tries % 2 == 0 {
            card.placed(&[]);
            assert_eq!(without_times(&card), new, "try {tries}");
        }
        let run = card.undo(&[]);
        let nothing_to_do = run.code == 3 && run.stderr.contains("no placement");
        assert!(run.code == 0 || nothing_to_do, "try {tries}: {}", run.stderr);
        let differs: Vec<String> = card.list().into_iter().filter(|line| !old.contains(line)).collect();
        assert!(differs.is_empty() && card.list().len() == old.len(), "try {tries}: {differs:?}");
    }
    kills
}

#[test]
fn a_hundred_kills_while_placing_lose_nothing() {
    let kills = kill_often(&with_output(), 100, false);
    // That the kills came at different moments is part of what is tried.
    assert!(kills.old > 0 && kills.completed > 0, "{} {} {}", kills.old, kills.new, kills.completed);
}

#[test]
fn fifty_kills_while_taking_back_lose_nothing() {
    let kills = kill_often(&with_output(), 50, true);
    assert!(kills.completed > 0, "{} {} {}", kills.old, kills.new, kills.completed);
}

/// Each way in which a placement can have been left, made by hand: what is laid ready and not begun, begun, and almost done.
#[test]
fn what_was_left_half_done_is_named_and_completed() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let old = card.list();
    // Laid ready, and the record not yet written.
    fs::create_dir_all(card.top().join("var/lib/impostazione/new")).unwrap();
    card.write("var/lib/impostazione/new/0", "half a fi");
    assert!(workspace.run(&["inspect", CARD]).stdout.contains("one was started and changed nothing"));
    let run = card.undo(&[]);
    assert_eq!(
        (run.code, run.stdout.as_str()),
        (0, "card: a placement was started and changed nothing; its leftovers were removed\n")
    );
    // Everything placed, and the mark not yet taken away.
    card.placed(&[]);
    card.write("var/lib/impostazione/under-way", "");
    assert!(workspace.run(&["inspect", CARD]).stdout.contains("interrupted: place or undo completes it"));
    // A part of the paths never came to be, and one was half made.
    card.remove("etc/netplan/60-impostazione.yaml");
    card.mode("home/keeper", 0o755);
    let run = card.placed(&[]);
    assert_eq!(run.stderr_without_owners(), "");
    assert!(card.has("etc/netplan/60-impostazione.yaml"));
    let mended = workspace.run(&["inspect", CARD]).stdout;
    assert!(!mended.contains("cut off"), "{mended}");
    assert_eq!(card.undo(&[]).code, 0);
    let names = |list: &[String]| {
        list.iter().map(|line| line.split(' ').next().unwrap_or("").to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(names(&card.list()), names(&old));
}

/// What changes something on a disk (`syscalls(2)`).
const CHANGES: &str = "mkdirat,unlinkat,renameat,renameat2,linkat,symlinkat,fchmod,fchown,fchownat,fsetxattr,fremovexattr,utimensat,openat2,write";

/// Kills a command at its nth change, counted from 1; whether it came that far.
pub(crate) fn kill_at(workspace: &Workspace, arguments: &[&str], number: usize) -> bool {
    let mut command = Command::new("strace");
    command
        .args(["-f", "-qq", "-o", "/dev/null", "-e"])
        .arg(format!("trace={CHANGES}"))
        .arg("-e")
        .arg(format!("inject={CHANGES}:signal=KILL:when={number}"))
        .arg("--")
        .arg(assert_cmd::cargo::cargo_bin("impostazione"))
        .args(arguments)
        .current_dir(workspace.path());
    let ended = command.stdin(Stdio::null()).output().unwrap();
    !ended.status.success()
}

#[test]
#[ignore = "needs strace"]
fn whichever_change_a_command_is_killed_at_the_next_one_brings_everything_back_to_the_byte() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.write("etc/netplan/50-image.yaml", "network: {version: 2}\n");
    // The folder of the record lies in one that is not there.
    card.remove("var/lib");
    let old = card.list();
    let place = ["place", "output", "--only", "gauge-01", CARD, "--yes"];
    let undo = ["undo", CARD, "--yes"];
    let mut kills = [0, 0];
    for (is_undo, kills) in [false, true].into_iter().zip(&mut kills) {
        for number in 1..3000 {
            if is_undo {
                card.placed(&[]);
            }
            if !kill_at(&workspace, if is_undo { &undo } else { &place }, number) {
                break;
            }
            *kills += 1;
            let run = card.undo(&[]);
            assert!(
                run.code == 0 || run.stderr.contains("no placement"),
                "{is_undo} {number}: {}",
                run.stderr
            );
            let differs: Vec<String> = card.list().into_iter().filter(|line| !old.contains(line)).collect();
            assert!(differs.is_empty() && card.list().len() == old.len(), "{is_undo} {number}: {differs:?}");
        }
    }
    assert!(kills[0] > 100 && kills[1] > 50, "{kills:?}");
}
