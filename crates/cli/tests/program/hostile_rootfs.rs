//! Root filesystems that are damaged, odd, or made to lead a placement out of them: each gives a clear message or is placed as
//! it should be, and nothing outside it changes.

use std::fs;
use std::os::unix::fs::symlink;
use std::process::Command;

use crate::card::{Card, list, with_output};
use crate::support::{Run, Workspace, unwrapped};

/// What is expected of a placement.
enum Ends {
    /// It is refused with these words, and the card is as it was.
    Refused(&'static str),
    /// It is placed, and undone to the byte.
    Placed,
}
use Ends::{Placed, Refused};

/// A folder beside the card, whose content must stay.
struct Sentinel<'a> {
    workspace: &'a Workspace,
    before: Vec<String>,
}

impl<'a> Sentinel<'a> {
    fn new(workspace: &'a Workspace) -> Self {
        for path in ["outside/etc/netplan", "outside/etc/ssh", "outside/.ssh", "outside/lib"] {
            fs::create_dir_all(workspace.path().join(path)).unwrap();
        }
        for path in ["hosts", "passwd", "shadow", "group", "hostname", "os-release"] {
            workspace.write(&format!("outside/etc/{path}"), "root:x:0:0:outside:/:/bin/sh\n");
        }
        let before = list(&workspace.path().join("outside"));
        Self { workspace, before }
    }

    fn path(&self) -> String {
        self.workspace.path().join("outside").display().to_string()
    }

    fn is_as_it_was(&self) -> bool {
        list(&self.workspace.path().join("outside")) == self.before
    }
}

fn pipe(card: &Card<'_>, path: &str) {
    if card.has(path) {
        card.remove(path);
    }
    assert!(Command::new("mkfifo").arg(card.top().join(path)).status().unwrap().success());
}

fn folder(card: &Card<'_>, path: &str) {
    if card.has(path) {
        card.remove(path);
    }
    fs::create_dir_all(card.top().join(path)).unwrap();
}

/// Puts a link in place of a folder, whose content goes.
fn lead(card: &Card<'_>, path: &str, target: &str) {
    if card.has(path) {
        card.remove(path);
    }
    symlink(target, card.top().join(path)).unwrap();
}

fn try_one(name: &str, lay: &dyn Fn(&Card<'_>, &str), ends: &Ends) -> Result<(), String> {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let sentinel = Sentinel::new(&workspace);
    lay(&card, &sentinel.path());
    let before = card.list();
    let run = card.place(&["--yes"]);
    let said = unwrapped(&run.stderr);
    let verdict = match ends {
        Refused(says) => {
            (matches!(run.code, 1 | 3) && said.contains(says) && card.list() == before).then_some(())
        }
        Placed => (run.code == 0).then_some(()),
    };
    if run.stderr.contains("panicked") || verdict.is_none() {
        return Err(format!("{name}: {} {said}", run.code));
    }
    if matches!(ends, Placed) {
        let Run { code, stderr, .. } = card.undo(&[]);
        if code != 0 || card.list() != before {
            let changed: Vec<String> =
                card.list().into_iter().filter(|line| !before.contains(line)).collect();
            return Err(format!("{name}: undo {code} {stderr} {changed:?}"));
        }
    }
    workspace.run(&["inspect", "card"]);
    if sentinel.is_as_it_was() { Ok(()) } else { Err(format!("{name}: something outside was changed")) }
}

type Lay = Box<dyn Fn(&Card<'_>, &str)>;

type Case = (&'static str, Lay, Ends);

fn cases() -> Vec<Case> {
    links().into_iter().chain(wrong_kinds()).chain(damaged_files()).collect()
}

fn links() -> Vec<Case> {
    let mut cases: Vec<Case> = Vec::new();
    let mut add = |name, lay: Lay, ends| cases.push((name, lay, ends));
    // Links out of it, absolute and by way of `..`, in every part of a path. The host would follow an absolute one from its own
    // top, so that it leads to nothing here.
    add(
        "etc leads out",
        Box::new(|card, out| lead(card, "etc", &format!("{out}/etc"))),
        Refused("rootfs-not-linux"),
    );
    add("etc leads up", Box::new(|card, _| lead(card, "etc", "../outside/etc")), Refused("rootfs-not-linux"));
    add(
        "etc/netplan leads out",
        Box::new(|card, out| lead(card, "etc/netplan", &format!("{out}/etc/netplan"))),
        Refused(
            "/etc/netplan on the rootfs cannot be reached: it is a link to something that is not on the rootfs",
        ),
    );
    add(
        "etc/ssh leads up",
        Box::new(|card, _| lead(card, "etc/ssh", "../../outside/etc/ssh")),
        Refused("is not on the rootfs"),
    );
    add(
        "var/lib leads out",
        Box::new(|card, out| lead(card, "var/lib", &format!("{out}/lib"))),
        Refused("/var/lib"),
    );
    add(
        "the record leads out",
        Box::new(|card, out| lead(card, "var/lib/impostazione", &format!("{out}/lib"))),
        Refused("/var/lib/impostazione on the rootfs must be a folder"),
    );
    add("a home leads out", Box::new(|card, out| lead(card, "home/keeper", out)), Refused("/home/keeper"));
    add(
        "keys lead up",
        Box::new(|card, _| {
            fs::create_dir_all(card.top().join("home/keeper")).unwrap();
            symlink("../../../outside/.ssh", card.top().join("home/keeper/.ssh")).unwrap();
        }),
        Refused("/home/keeper/.ssh on the rootfs must be a folder"),
    );
    add(
        "the keys' file leads out",
        Box::new(|card, out| card.link("home/keeper/.ssh/authorized_keys", format!("{out}/etc/hosts"))),
        Placed,
    );
    add("hosts leads out", Box::new(|card, out| card.link("etc/hosts", format!("{out}/etc/hosts"))), Placed);
    add("hosts leads up", Box::new(|card, _| card.link("etc/hosts", "../../outside/etc/hosts")), Placed);
    add(
        "hostname leads out",
        Box::new(|card, out| card.link("etc/hostname", format!("{out}/etc/hostname"))),
        Placed,
    );
    add(
        "passwd leads out",
        Box::new(|card, out| card.link("etc/passwd", format!("{out}/etc/passwd"))),
        Refused("There is no /etc/passwd on the rootfs"),
    );
    add(
        "shadow leads up",
        Box::new(|card, _| card.link("etc/shadow", "../../outside/etc/shadow")),
        Refused("There is no /etc/shadow"),
    );
    add(
        "os-release leads out",
        Box::new(|card, out| card.link("etc/os-release", format!("{out}/etc/os-release"))),
        Refused("rootfs-not-linux"),
    );
    add(
        "a link to itself",
        Box::new(|card, _| card.link("etc/hosts", "hosts")),
        Refused("/etc/hosts on the rootfs cannot be reached: its links form a loop"),
    );
    add(
        "folders that lead in a circle",
        Box::new(|card, _| {
            lead(card, "etc/netplan", "ssh/netplan");
            symlink("../netplan", card.top().join("etc/ssh/netplan")).unwrap();
        }),
        Refused("its links form a loop"),
    );
    cases
}

/// Pipes, folders and the like in place of files.
fn wrong_kinds() -> Vec<Case> {
    let mut cases: Vec<Case> = Vec::new();
    let mut add = |name, lay: Lay, ends| cases.push((name, lay, ends));
    for path in ["etc/hosts", "etc/passwd", "etc/os-release", "etc/ssh/sshd_config"] {
        add(
            "a pipe in place of a file that is read",
            Box::new(move |card, _| pipe(card, path)),
            Refused("is a pipe, and must be a file; find out what it is for, and move it away"),
        );
    }
    add(
        "a pipe in place of a file that is written",
        Box::new(|card, _| pipe(card, "etc/netplan/60-impostazione.yaml")),
        Refused("a pipe"),
    );
    add(
        "a socket in place of a file",
        Box::new(|card, _| {
            let path = card.top().join("etc/hostname");
            drop(std::os::unix::net::UnixListener::bind(path).unwrap());
        }),
        Refused("/etc/hostname on the rootfs is a socket"),
    );
    for path in ["etc/hosts", "etc/shadow", "etc/netplan/60-impostazione.yaml", "etc/localtime"] {
        add(
            "a folder in place of a file",
            Box::new(move |card, _| folder(card, path)),
            Refused("is a folder, and must be a file"),
        );
    }
    add(
        "a name that is no text",
        Box::new(|card, _| {
            let name = std::os::unix::ffi::OsStrExt::as_bytes(std::ffi::OsStr::new("50-"))
                .iter()
                .chain(b"\xff.yaml");
            let name: Vec<u8> = name.copied().collect();
            let path = card
                .top()
                .join("etc/netplan")
                .join(<std::ffi::OsStr as std::os::unix::ffi::OsStrExt>::from_bytes(&name));
            fs::write(path, "network: {version: 2}\n").unwrap();
        }),
        Refused("/etc/netplan on the rootfs cannot be reached: a file in it has a name that is not UTF-8"),
    );
    add(
        "a file in place of a folder",
        Box::new(|card, _| {
            card.remove("etc/netplan");
            card.write("etc/netplan", "");
        }),
        Refused("/etc/netplan on the rootfs must be a folder, and is not"),
    );
    add(
        "a file in place of a home",
        Box::new(|card, _| card.write("home/keeper", "")),
        Refused("/home/keeper"),
    );
    cases
}

/// Files that are damaged or too much.
fn damaged_files() -> Vec<Case> {
    let mut cases: Vec<Case> = Vec::new();
    let mut add = |name, lay: Lay, ends| cases.push((name, lay, ends));
    add(
        "no final newline",
        Box::new(|card, _| {
            card.write("etc/passwd", "root:x:0:0:root:/root:/bin/bash");
            card.write("etc/group", "root:x:0:\nsudo:x:27:");
            card.write("etc/hosts", "127.0.0.1 localhost\n10.64.10.80 crane");
        }),
        Placed,
    );
    add(
        "users twice",
        Box::new(|card, _| {
            card.write("etc/passwd", "root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:1000::/a:/bin/sh\nkeeper:x:1001:1001::/b:/bin/sh\n");
        }),
        Refused("has keeper twice, on lines 2 and 3"),
    );
    add(
        "carriage returns",
        Box::new(|card, _| card.write("etc/group", "root:x:0:\r\nsudo:x:27:\r\n")),
        Refused("carriage return"),
    );
    add(
        "hosts with carriage returns",
        Box::new(|card, _| card.write("etc/hosts", "127.0.0.1 localhost\r\n10.64.10.80 crane\r\n")),
        Placed,
    );
    add(
        "hosts of 100 MB",
        Box::new(|card, _| {
            fs::File::create(card.top().join("etc/hosts")).unwrap().set_len(100_000_000).unwrap();
        }),
        Refused("/etc/hosts on the rootfs has 95.3 MiB, and at most 16 MiB are read"),
    );
    add("no etc", Box::new(|card, _| card.remove("etc")), Refused("rootfs-not-linux"));
    add("an empty passwd", Box::new(|card, _| card.write("etc/passwd", "")), Placed);
    add(
        "lines that are none",
        Box::new(|card, _| {
            card.write("etc/passwd", "root:x:0:0:root:/root:/bin/bash\n::::\n:\n\n#keeper\nkeeper\n");
        }),
        Refused("has no user ID for keeper"),
    );
    add(
        "a deep record that leads out",
        Box::new(|card, _| {
            fs::create_dir_all(card.top().join("var/lib/impostazione")).unwrap();
            card.write("var/lib/impostazione/placement.json", r#"{"format":1,"machine":"gauge-01","output":"","placed":"","steps":[{"path":"../outside/etc/hosts","subject":"names","why":"","before":{"kind":"absent"},"after":{"kind":"absent"},"is_made_up":false}],"folders":[],"made_folders":[],"accounts":[],"fresh_identity":false,"not_owned":[]}"#);
        }),
        Refused(
            "was not written by this version: \"../outside/etc/hosts\" is not a path inside a root filesystem",
        ),
    );
    add(
        "a record of nonsense",
        Box::new(|card, _| {
            fs::create_dir_all(card.top().join("var/lib/impostazione")).unwrap();
            card.write("var/lib/impostazione/placement.json", "gulls\n");
        }),
        Refused("was not written by this version"),
    );
    cases
}

#[test]
fn nothing_outside_is_touched_and_each_is_told_clearly() {
    let cases = cases();
    assert!(cases.len() >= 30);
    let astray: Vec<String> =
        cases.iter().filter_map(|(name, lay, ends)| try_one(name, lay.as_ref(), ends).err()).collect();
    assert!(astray.is_empty(), "{}", astray.join("\n"));
}
