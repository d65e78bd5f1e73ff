//! Changes on a root filesystem are made as asked and taken back to the byte, and nothing beside it is touched.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::{MetadataExt as _, PermissionsExt as _, symlink};
use std::path::Path;

use impostazione_rootfs::{
    Change, Owner, PlacementFacts, Record, Remains, Rootfs, RootfsPath, Since, State, Subject, View, Want,
    journal, own_identity,
};
use impostazione_text::FileBytes;

/// Everything below a folder but the record: what it is, its mode, its times, and what is in it.
fn all_of(folder: &Path) -> BTreeMap<String, (u32, i64, Vec<u8>)> {
    let mut all = BTreeMap::new();
    let mut next = vec![folder.to_owned()];
    while let Some(path) = next.pop() {
        let found = fs::symlink_metadata(&path).unwrap();
        let content = match found.file_type() {
            kind if kind.is_dir() => {
                next.extend(fs::read_dir(&path).unwrap().map(|entry| entry.unwrap().path()));
                Vec::new()
            }
            kind if kind.is_symlink() => fs::read_link(&path).unwrap().into_os_string().into_encoded_bytes(),
            _ => fs::read(&path).unwrap(),
        };
        all.insert(path.display().to_string(), (found.mode(), found.mtime(), content));
    }
    all
}

/// A root filesystem, and a folder beside it that no change may reach.
fn card() -> (tempfile::TempDir, Rootfs) {
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().join("card");
    for path in ["etc/netplan", "var/lib", "home"] {
        fs::create_dir_all(top.join(path)).unwrap();
    }
    fs::write(top.join("etc/hostname"), "image\n").unwrap();
    fs::set_permissions(top.join("etc/hostname"), fs::Permissions::from_mode(0o640)).unwrap();
    fs::write(top.join("etc/netplan/50-image.yaml"), "network: {version: 2}\n").unwrap();
    symlink("../run/stub.conf", top.join("etc/resolv.conf")).unwrap();
    fs::create_dir(folder.path().join("beside")).unwrap();
    fs::write(folder.path().join("beside/hostname"), "desk\n").unwrap();
    let rootfs = Rootfs::open(&top).unwrap();
    (folder, rootfs)
}

fn owner() -> Owner {
    own_identity().unwrap_or(Owner::ROOT)
}

fn file(text: &str) -> Want {
    Want::File { bytes: FileBytes::new(text), mode: 0o600, owner: owner() }
}

fn change(rootfs: &Rootfs, path: &str, want: Want) -> Change {
    let before = View::of(rootfs).state(path).unwrap();
    Change { before, ..Change::new(RootfsPath::new(path).unwrap(), Subject::Names, want) }
}

fn facts() -> PlacementFacts {
    PlacementFacts {
        machine: "buoy-1".to_owned(),
        output: "digest".to_owned(),
        placed: "today".to_owned(),
        accounts: Vec::new(),
        image_users: Vec::new(),
        fresh_identity: false,
    }
}

#[test]
fn every_kind_of_change_is_made_remembered_and_taken_back() {
    let (folder, rootfs) = card();
    let before = all_of(folder.path());
    let changes = [
        change(&rootfs, "etc/hostname", file("buoy-1\n")),
        change(&rootfs, "etc/netplan/60-new.yaml", file("network: {}\n")),
        change(&rootfs, "etc/netplan/50-image.yaml", Want::Absent),
        change(&rootfs, "etc/resolv.conf", Want::Link("../run/other.conf".to_owned())),
        change(&rootfs, "home/keeper", Want::Folder { mode: 0o700, owner: owner() }),
    ];
    let record = journal::place(&rootfs, &changes, &facts(), None).unwrap();
    assert_eq!(&*rootfs.read("etc/hostname").unwrap().unwrap(), b"buoy-1\n");
    assert_eq!(rootfs.look("etc/hostname").unwrap().unwrap().mode, 0o600);
    assert_eq!(rootfs.look("etc/netplan/50-image.yaml").unwrap(), None);
    assert_eq!(rootfs.target("etc/resolv.conf").unwrap().as_deref(), Some("../run/other.conf"));
    assert_eq!(Record::read(&rootfs).unwrap().as_ref(), Some(&record));

    // What was before is seen through the record; what somebody changes since is told.
    let view = View::before(&rootfs, Some(&record), None);
    assert_eq!(view.text("etc/hostname").unwrap().as_deref(), Some("image\n"));
    fs::write(folder.path().join("card/etc/hostname"), "by hand\n").unwrap();
    let since = journal::since(&rootfs, &record).unwrap();
    assert!(matches!(since[0], Since::Changed(State::File { .. })), "{since:?}");
    assert!(since[1..].iter().all(|since| *since == Since::AsPlaced), "{since:?}");

    let undone = journal::undo(&rootfs, &record, &Remains::default()).unwrap();
    assert_eq!((undone.restored, undone.left_folders.len()), (5, 0));
    assert_eq!(Record::read(&rootfs).unwrap(), None);
    assert_eq!(all_of(folder.path()), before);
}

#[test]
fn no_link_leads_a_change_out() {
    let (folder, rootfs) = card();
    fs::remove_dir(folder.path().join("card/home")).unwrap();
    for target in ["../beside", "/beside", "../../../../../../../../tmp"] {
        let link = folder.path().join("card/home");
        symlink(target, &link).unwrap();
        let before = all_of(folder.path());
        let change = Change::new(RootfsPath::new("home/hostname").unwrap(), Subject::Names, file("x\n"));
        assert!(journal::place(&rootfs, &[change], &facts(), None).is_err(), "{target}");
        assert_eq!(all_of(folder.path()), before, "{target}");
        fs::remove_file(link).unwrap();
    }
}

#[test]
fn a_change_that_cannot_be_made_takes_back_those_before_it() {
    let (folder, rootfs) = card();
    let before = all_of(folder.path());
    let changes = [
        change(&rootfs, "etc/hostname", file("buoy-1\n")),
        // Its folder is a file.
        Change::new(RootfsPath::new("etc/hostname/below").unwrap(), Subject::Names, file("x\n")),
    ];
    assert!(journal::place(&rootfs, &changes, &facts(), None).is_err());
    assert_eq!(all_of(folder.path()), before);
}

#[test]
fn a_record_that_names_what_is_no_path_is_not_read() {
    let (folder, rootfs) = card();
    let changes = [change(&rootfs, "etc/hostname", file("buoy-1\n"))];
    journal::place(&rootfs, &changes, &facts(), None).unwrap();
    let path = folder.path().join("card/var/lib/impostazione/placement.json");
    let text = fs::read_to_string(&path).unwrap();
    fs::write(&path, text.replace("etc/hostname", "etc/../../beside/hostname")).unwrap();
    let fault = Record::read(&rootfs).unwrap_err().to_string();
    assert!(fault.contains("was not written by this version"), "{fault}");
    assert_eq!(fs::read_to_string(folder.path().join("beside/hostname")).unwrap(), "desk\n");
}
