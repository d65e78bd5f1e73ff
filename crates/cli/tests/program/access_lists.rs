//! Access lists that an image brings: what is placed is for whom its mode says, and nobody else.

use std::fs;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _};
use std::path::Path;
use std::process::Command;

use rustix::fs::XattrFlags;

use crate::card::{Card, with_output};

/// As `setfacl -m u:1234:rw` makes it of a file with mode 0640: the kernel shows 0660 for it.
const LIST: &str = "0200000001000600ffffffff02000600d204000004000400ffffffff10000600ffffffff20000000ffffffff";

fn bytes(list: &str) -> Vec<u8> {
    (0..list.len()).step_by(2).map(|at| u8::from_str_radix(&list[at..at + 2], 16).unwrap()).collect()
}

fn set(path: &Path) {
    rustix::fs::setxattr(path, "system.posix_acl_access", &bytes(LIST), XattrFlags::empty()).unwrap();
}

/// The same of a folder, which its owner may enter.
fn set_on_folder(path: &Path) {
    let list = bytes(&LIST.replace("01000600", "01000700"));
    rustix::fs::setxattr(path, "system.posix_acl_access", &list, XattrFlags::empty()).unwrap();
}

/// Has everything new in a folder inherit a list.
pub(crate) fn set_default(folder: &Path) {
    let list = LIST.replace("0600", "0700").replace("20000000ffffffff", "20000700ffffffff");
    rustix::fs::setxattr(folder, "system.posix_acl_default", &bytes(&list), XattrFlags::empty()).unwrap();
}

/// Whether a list lets somebody in beside mode and owner.
pub(crate) fn has_one(path: &Path) -> bool {
    let mut value = [0; 1024];
    rustix::fs::lgetxattr(path, "system.posix_acl_access", value.as_mut_slice()).is_ok()
}

/// Files that are secret or decide who may do what, on the card of every test.
const FILES: [&str; 4] = ["etc/shadow", "etc/sudoers.d/60-impostazione", "etc/passwd", "etc/hosts"];

#[test]
fn what_is_placed_has_the_mode_that_is_recorded_and_no_list_and_taking_back_brings_the_list_again() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.write("etc/sudoers.d/60-impostazione", "# of the image\n");
    card.write("home/keeper/.ssh/authorized_keys", "");
    for path in FILES {
        set(&card.top().join(path));
    }
    set_on_folder(&card.top().join("home/keeper/.ssh"));
    for folder in ["etc", "etc/netplan", "etc/ssh/sshd_config.d", "home/keeper"] {
        fs::create_dir_all(card.top().join(folder)).unwrap();
        set_default(&card.top().join(folder));
    }
    let before = card.list();
    card.placed(&[]);
    let record: serde_json::Value =
        serde_json::from_str(&card.read("var/lib/impostazione/placement.json")).unwrap();
    for step in record["steps"].as_array().unwrap() {
        let path = card.top().join(step["path"].as_str().unwrap());
        if let Some(mode) = step["after"]["mode"].as_u64() {
            let found = path.symlink_metadata().unwrap();
            assert_eq!(u64::from(found.mode() & 0o7777), mode, "{}", path.display());
            assert!(!has_one(&path), "{}", path.display());
        }
    }
    let mode = |path: &str| card.top().join(path).metadata().unwrap().mode() & 0o7777;
    assert_eq!(mode("etc/shadow"), 0o640);
    assert_eq!(mode("etc/hosts"), 0o644, "what the output says");
    assert_eq!(
        mode("etc/passwd"),
        0o640,
        "the group's bits, which had been what the list may let anybody do"
    );
    assert_eq!(mode("home/keeper/.ssh"), 0o700);
    assert_eq!(card.undo(&[]).code, 0);
    assert_eq!(card.list(), before);
    for path in FILES.into_iter().chain(["home/keeper/.ssh"]) {
        assert!(has_one(&card.top().join(path)), "{path}");
    }
}

#[test]
fn a_list_that_somebody_adds_later_is_a_change_since() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.placed(&[]);
    set(&card.top().join("etc/shadow"));
    card.mode("etc/shadow", 0o640);
    let run = workspace.run(&["inspect", "card"]);
    assert!(run.stdout.contains("placement-drifted"), "{}{}", run.stdout, run.stderr);
}

#[test]
#[ignore = "needs root, to give files away and to read as another user, and setfacl and setpriv"]
fn whom_a_list_names_reads_none_of_what_is_placed() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    fs::set_permissions(workspace.path(), fs::Permissions::from_mode(0o755)).unwrap();
    card.write("etc/netplan/60-impostazione.yaml", "network: {version: 2}\n");
    for path in ["etc/shadow", "etc/netplan/60-impostazione.yaml"] {
        let status = Command::new("setfacl").args(["-m", "u:1234:rw"]).arg(card.top().join(path)).status();
        assert!(status.unwrap().success());
    }
    let status =
        Command::new("setfacl").args(["-d", "-m", "u:1234:rwx"]).arg(card.top().join("etc")).status();
    assert!(status.unwrap().success());
    let reads = |path: &str| {
        let user = ["--reuid=1234", "--regid=1234", "--clear-groups", "cat"];
        Command::new("setpriv").args(user).arg(card.top().join(path)).output().unwrap().status.success()
    };
    assert!(reads("etc/shadow"), "the test can see it");
    card.placed(&[]);
    for path in ["etc/shadow", "etc/netplan/60-impostazione.yaml", "var/lib/impostazione/placement.json"] {
        assert!(!reads(path), "{path}");
    }
    assert!(reads("etc/hosts"));
}
