//! What would stop a placement half-way is found before the first change, and what it must not touch stays untouched.

use std::fs;
use std::path::Path;
use std::process::Command;

use crate::card::{Card, list, with_output};
use crate::support::unwrapped;

fn run(program: &str, arguments: &[&str]) {
    let output = Command::new(program).args(arguments).output().unwrap();
    assert!(output.status.success(), "{program} {arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
}

/// Something that is taken away again however the test ends.
struct Undo(&'static str, Vec<String>);

impl Drop for Undo {
    fn drop(&mut self) {
        let _ = Command::new(self.0).args(&self.1).output();
    }
}

fn refused_and_as_it_was(card: &Card<'_>, says: &str) {
    let before = card.list();
    let run = card.place(&["--yes"]);
    let said = unwrapped(&run.stderr);
    assert!(run.code == 3 && said.contains(says), "{} {said}", run.code);
    assert!(!card.has("var/lib/impostazione"));
    assert_eq!(card.list(), before);
}

#[test]
#[ignore = "mounts a part of a rootfs read-only, which needs root"]
fn a_part_that_is_read_only_is_found_before_anything_is_changed_and_does_not_stop_undo() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let ssh = card.top().join("etc/ssh").display().to_string();
    let mount = |options: &str| {
        run("mount", &["--bind", &ssh, &ssh]);
        run("mount", &["-o", options, &ssh]);
        Undo("umount", vec!["-l".to_owned(), ssh.clone()])
    };
    let mounted = mount("remount,bind,ro");
    refused_and_as_it_was(&card, "/etc/ssh on the rootfs is on a filesystem that is mounted read-only");
    drop(mounted);
    // What needs nothing to be put back there does not keep undo from the rest.
    fs::create_dir_all(card.top().join("srv/quiet")).unwrap();
    let before = card.list();
    card.placed(&[]);
    let quiet = card.top().join("srv/quiet").display().to_string();
    run("mount", &["--bind", &quiet, &quiet]);
    run("mount", &["-o", "remount,bind,ro", &quiet]);
    let _mounted = Undo("umount", vec!["-l".to_owned(), quiet]);
    let undone = card.undo(&[]);
    assert_eq!(undone.code, 0, "{}", undone.stderr);
    assert_eq!(card.list(), before);
}

#[test]
#[ignore = "mounts a folder of this computer on a rootfs, which needs root"]
fn a_folder_of_this_computer_that_is_mounted_on_it_is_refused() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let theirs = workspace.path().join("theirs");
    fs::create_dir_all(&theirs).unwrap();
    fs::write(theirs.join("sshd_config"), "# of this computer\n").unwrap();
    let before = list(&theirs);
    let ssh = card.top().join("etc/ssh").display().to_string();
    run("mount", &["--bind", &theirs.display().to_string(), &ssh]);
    let _mounted = Undo("umount", vec!["-l".to_owned(), ssh]);
    refused_and_as_it_was(&card, "of this computer, mounted there; unmount it");
    assert_eq!(list(&theirs), before);
}

#[test]
#[ignore = "marks folders of an ext4 filesystem with chattr, which needs root"]
fn a_folder_that_may_only_be_added_to_is_found_before_anything_is_changed() {
    let workspace = with_output();
    let image = workspace.path().join("card.img").display().to_string();
    fs::File::create(&image).unwrap().set_len(64 * 1024 * 1024).unwrap();
    run("mke2fs", &["-q", "-F", "-t", "ext4", &image]);
    let top = workspace.path().join("card");
    fs::create_dir_all(&top).unwrap();
    run("mount", &["-o", "loop", &image, &top.display().to_string()]);
    let _mounted = Undo("umount", vec!["-l".to_owned(), top.display().to_string()]);
    let card = Card::new(&workspace);
    for (mark, path, says) in [
        ("+a", "etc/systemd", "/etc/systemd on the rootfs has the attribute append-only"),
        ("+i", "etc", "/etc on the rootfs has the attribute immutable"),
        ("+i", "etc/hosts", "/etc/hosts on the rootfs has the attribute immutable"),
        ("+a", "home", "/home on the rootfs has the attribute append-only"),
    ] {
        fs::create_dir_all(card.top().join("etc/systemd")).unwrap();
        let marked = card.top().join(path).display().to_string();
        run("chattr", &[mark, &marked]);
        let _mark = Undo("chattr", vec![mark.replace('+', "-"), marked]);
        refused_and_as_it_was(&card, says);
    }
    card.placed(&[]);
    assert_eq!(card.undo(&[]).code, 0);
}

#[test]
#[ignore = "makes an ext4 image with mke2fs and mounts it, which needs root"]
fn an_image_that_is_refused_is_as_it_was_to_the_byte() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let image = workspace.path().join("card.img");
    let make = |card: &Card<'_>| {
        let _ = fs::remove_file(&image);
        run(
            "mke2fs",
            &[
                "-q",
                "-F",
                "-t",
                "ext4",
                "-d",
                &card.top().display().to_string(),
                &image.display().to_string(),
                "64M",
            ],
        );
    };
    let place = ["place", "output", "--only", "gauge-01", "card.img", "--yes"];
    let unchanged = |arguments: &[&str], code: i32, says: &str| {
        let before = fs::read(&image).unwrap();
        let run = workspace.run(arguments);
        let said = unwrapped(&(run.stdout + &run.stderr));
        assert!(run.code == code && said.contains(says), "{} {said}", run.code);
        assert!(fs::read(&image).unwrap() == before, "{arguments:?}");
    };
    make(&card);
    unchanged(&["undo", "card.img", "--yes"], 0, "has no placement; nothing was changed");
    // An error of the image's own.
    card.write("etc/passwd", "root:x:0:0:root:/root:/bin/bash\nkeeper:x:7:7::/:/bin/sh\n");
    make(&card);
    unchanged(&place, 1, "rootfs-account-conflict");
    card.write("etc/passwd", "root:x:0:0:root:/root:/bin/bash\n");
    make(&card);
    // The mark that the kernel leaves on a damaged filesystem.
    let damage = |at: u64, bytes: &[u8]| {
        use std::os::unix::fs::FileExt as _;
        fs::File::options().write(true).open(&image).unwrap().write_all_at(bytes, at).unwrap();
    };
    run("debugfs", &["-w", "-R", "set_super_value state 3", &image.display().to_string()]);
    unchanged(&place, 3, "is marked as damaged");
    // A damage that is met on the way: the list of a folder that must be read.
    make(&card);
    let bytes = fs::read(&image).unwrap();
    let name = b"sshd_config";
    let found: Vec<usize> =
        bytes.windows(name.len()).enumerate().filter(|(_, part)| part == name).map(|(at, _)| at).collect();
    for at in found {
        damage(at as u64 - 8, &[0xff; 8]);
    }
    unchanged(&place, 3, "on the rootfs cannot be read");
    make(&card);
    assert_eq!(workspace.run(&place).code, 0);
    assert!(Path::new(&image).exists());
}
