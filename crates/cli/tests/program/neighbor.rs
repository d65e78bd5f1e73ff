//! Somebody else who may write to the same folders, and exchanges them for links that lead out while a command is at work:
//! nothing outside is ever changed.

use std::fs;
use std::os::unix::fs::{MetadataExt as _, symlink};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

use rustix::fs::{CWD, RenameFlags, renameat_with};

use crate::card::{Card, list, sheet, with_output};
use crate::support::Workspace;

const ROUNDS: usize = 200;

/// Exchanges each of the folders for a link to the same place in another tree, and back, until the work is done; how often.
fn swap_while<T>(folders: &[PathBuf], outside: &Path, work: impl FnOnce() -> T) -> (T, usize) {
    let (is_done, swaps) = (AtomicBool::new(false), AtomicUsize::new(0));
    for (number, folder) in folders.iter().enumerate() {
        let target = outside.join(number.to_string());
        fs::create_dir_all(&target).unwrap();
        fs::write(target.join("theirs"), "theirs\n").unwrap();
        // Files of the same names as those that are written.
        for name in ["60-impostazione.yaml", "hosts", "hostname", "shadow", "passwd", "00-impostazione.conf"]
        {
            fs::write(target.join(name), "theirs\n").unwrap();
        }
        symlink(&target, beside(folder)).unwrap();
    }
    let before = list(outside);
    let result = std::thread::scope(|scope| {
        scope.spawn(|| {
            while !is_done.load(Ordering::Relaxed) {
                for folder in folders {
                    for _ in 0..2 {
                        let swapped = renameat_with(CWD, folder, CWD, beside(folder), RenameFlags::EXCHANGE);
                        swaps.fetch_add(usize::from(swapped.is_ok()), Ordering::Relaxed);
                        std::thread::yield_now();
                    }
                }
            }
            for folder in folders.iter().filter(|folder| folder.is_symlink()) {
                renameat_with(CWD, folder, CWD, beside(folder), RenameFlags::EXCHANGE).unwrap();
            }
        });
        let _done = Done(&is_done);
        work()
    });
    assert_eq!(list(outside), before, "something outside was changed");
    for folder in folders {
        fs::remove_file(beside(folder)).unwrap();
    }
    (result, swaps.into_inner())
}

/// Says that the work is done, where it fails too.
struct Done<'a>(&'a AtomicBool);

impl Drop for Done<'_> {
    fn drop(&mut self) {
        self.0.store(true, Ordering::Relaxed);
    }
}

/// Where the link waits.
fn beside(folder: &Path) -> PathBuf {
    let mut name = folder.as_os_str().to_owned();
    name.push("-link");
    name.into()
}

#[test]
fn rendering_two_hundred_times_writes_nothing_through_a_link_that_is_swapped_in() {
    let workspace = with_output();
    let outside = Workspace::new();
    let outside = outside.path().join("outside");
    let top = workspace.path().join("output");
    let folders = ["gauge-01", "gauge-01/rootfs/etc", "gauge-01/rootfs/etc/netplan", "gauge-02/rootfs"];
    let folders = folders.map(|folder| top.join(folder));
    let sheets = [sheet(""), sheet("").replace("10.64.10.11", "10.64.10.13")];
    let (written, swaps) = swap_while(&folders, &outside, || {
        let mut written = 0;
        for round in 0..ROUNDS {
            workspace.write("sheet.toml", &sheets[round % 2]);
            let run = workspace.run(&["render", "sheet.toml", "--into", "output"]);
            assert!(matches!(run.code, 0 | 3) && !run.stderr.contains("panicked"), "{}", run.stderr);
            written += usize::from(run.code == 0);
        }
        written
    });
    assert!(swaps > ROUNDS && written > 0 && written < ROUNDS, "{swaps} swaps, {written} written");
    // When it is quiet again, the tree is whole.
    for sheet in &sheets {
        workspace.write("sheet.toml", sheet);
        let run = workspace.run(&["render", "sheet.toml", "--into", "output"]);
        assert_eq!(run.code, 0, "{}", run.stderr);
    }
}

#[test]
fn placing_and_taking_back_two_hundred_times_writes_nothing_through_a_link_that_is_swapped_in() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    for folder in ["home/keeper/.ssh", "etc/systemd/system/multi-user.target.wants"] {
        fs::create_dir_all(card.top().join(folder)).unwrap();
    }
    let outside = Workspace::new();
    let outside = outside.path().join("outside");
    let folders =
        ["etc/netplan", "etc/ssh/sshd_config.d", "home/keeper", "home/keeper/.ssh", "var/lib", "etc"];
    let folders = folders.map(|folder| card.top().join(folder));
    let (placed, swaps) = swap_while(&folders, &outside, || {
        let mut placed = 0;
        for _ in 0..ROUNDS {
            let run = card.place(&["--yes"]);
            assert!(!run.stderr.contains("panicked"), "{}", run.stderr);
            placed += usize::from(run.code == 0);
            let run = card.undo(&["--discard-changes"]);
            assert!(!run.stderr.contains("panicked"), "{}", run.stderr);
        }
        placed
    });
    assert!(swaps > ROUNDS && placed < ROUNDS, "{swaps} swaps, {placed} placed");
    // When it is quiet again, the next command completes whatever was cut off.
    card.placed(&[]);
    assert!(card.has("etc/netplan/60-impostazione.yaml"));
    let run = card.undo(&[]);
    assert_eq!(run.code, 0, "{}", run.stderr);
}

#[test]
fn a_render_that_was_killed_leaves_a_folder_that_the_next_one_removes() {
    let workspace = with_output();
    // Left in the tree, and beside a tree that never came to be; the number is of no process.
    for folder in ["output/.impostazione-999999999-0", ".impostazione-999999999-0"] {
        let path = workspace.path().join(folder);
        fs::create_dir_all(path.join("tree/gauge-01")).unwrap();
        fs::write(path.join("tree/gauge-01/accounts.json"), "a hash").unwrap();
        symlink(workspace.path().join("keeper.secret"), path.join("link")).unwrap();
        fs::set_permissions(&path, std::os::unix::fs::PermissionsExt::from_mode(0o700)).unwrap();
    }
    // Somebody's own, which only has such a name.
    fs::create_dir(workspace.path().join("output/.impostazione-notes")).unwrap();
    for into in ["output", "other"] {
        let run = workspace.run(&["render", "sheet.toml", "--into", into]);
        assert_eq!(run.code, 0, "{}", run.stderr);
    }
    assert!(!workspace.exists("output/.impostazione-999999999-0"));
    assert!(!workspace.exists(".impostazione-999999999-0"));
    assert!(workspace.exists("output/.impostazione-notes"));
    assert!(workspace.exists("keeper.secret"), "a link is removed and not followed");
}

#[test]
fn two_renders_into_one_folder_do_not_mix() {
    let workspace = with_output();
    let held = fs::File::open(workspace.path().join("output")).unwrap();
    rustix::fs::flock(&held, rustix::fs::FlockOperation::LockExclusive).unwrap();
    let run = workspace.run(&["render", "sheet.toml", "--into", "output"]);
    assert_eq!(run.code, 3);
    assert!(
        run.stderr.contains("another `render` is running in output; wait until it is done"),
        "{}",
        run.stderr
    );
    drop(held);
    assert_eq!(workspace.run(&["render", "sheet.toml", "--into", "output"]).code, 0);
}

#[test]
fn no_umask_and_no_default_access_list_lets_others_write_what_is_rendered() {
    let workspace = with_output();
    let program = assert_cmd::cargo::cargo_bin("impostazione");
    let new = workspace.path().join("made");
    fs::create_dir(&new).unwrap();
    crate::access_lists::set_default(&new);
    for into in ["fresh/deep/output", "made/deep/output"] {
        let script = format!("umask 0; exec '{}' render sheet.toml --into {into}", program.display());
        let status = Command::new("sh").args(["-c", &script]).current_dir(workspace.path()).output().unwrap();
        assert!(status.status.success(), "{}", String::from_utf8_lossy(&status.stderr));
        for line in list(&workspace.path().join(into)) {
            let path = workspace.path().join(into).join(line.split(' ').next().unwrap());
            let found = path.symlink_metadata().unwrap();
            assert!(found.is_symlink() || found.mode() & 0o022 == 0, "{line}");
            assert!(!crate::access_lists::has_one(&path), "{line}");
        }
        assert_eq!(workspace.path().join(into).metadata().unwrap().mode() & 0o777, 0o755);
    }
}
