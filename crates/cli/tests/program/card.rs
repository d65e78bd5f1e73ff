//! A small root filesystem in a workspace, and everything about it that a placement must leave or bring back.

use std::fs;
use std::os::unix::fs::{FileTypeExt as _, MetadataExt as _, PermissionsExt as _, symlink};
use std::path::{Path, PathBuf};

use sha2::{Digest as _, Sha256};

use crate::support::{Run, Workspace, host, test_data, with_password};

/// The folder of the root filesystem in a workspace.
pub(crate) const CARD: &str = "card";

/// A root filesystem.
pub(crate) struct Card<'a> {
    workspace: &'a Workspace,
    top: PathBuf,
}

impl<'a> Card<'a> {
    /// One on which everything is right.
    pub(crate) fn new(workspace: &'a Workspace) -> Self {
        let card = Self { workspace, top: workspace.path().join(CARD) };
        let files: toml::Table =
            fs::read_to_string(test_data().join("rootfs.toml")).unwrap().parse().unwrap();
        for (path, text) in &files {
            card.write(path, text.as_str().unwrap());
        }
        card.mode("etc/shadow", 0o640);
        for path in ["var/lib", "home", "etc/skel", "etc/netplan"] {
            fs::create_dir_all(card.top.join(path)).unwrap();
        }
        card.write("etc/skel/.profile", "umask 022\n");
        card
    }

    pub(crate) fn top(&self) -> &Path {
        &self.top
    }

    pub(crate) fn write(&self, path: &str, content: impl AsRef<[u8]>) {
        let path = self.top.join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
    }

    pub(crate) fn mode(&self, path: &str, mode: u32) {
        fs::set_permissions(self.top.join(path), fs::Permissions::from_mode(mode)).unwrap();
    }

    pub(crate) fn link(&self, path: &str, target: impl AsRef<Path>) {
        let path = self.top.join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        let _ = fs::remove_file(&path);
        symlink(target, path).unwrap();
    }

    pub(crate) fn remove(&self, path: &str) {
        let path = self.top.join(path);
        if path.is_dir() && !path.is_symlink() {
            fs::remove_dir_all(path).unwrap();
        } else {
            fs::remove_file(path).unwrap();
        }
    }

    pub(crate) fn read(&self, path: &str) -> String {
        fs::read_to_string(self.top.join(path)).unwrap_or_else(|error| panic!("{path}: {error}"))
    }

    pub(crate) fn target(&self, path: &str) -> String {
        fs::read_link(self.top.join(path)).unwrap().display().to_string()
    }

    pub(crate) fn has(&self, path: &str) -> bool {
        self.top.join(path).symlink_metadata().is_ok()
    }

    /// The line of a file that begins so.
    pub(crate) fn line(&self, path: &str, start: &str) -> String {
        let text = self.read(path);
        text.lines()
            .find(|line| line.starts_with(start))
            .unwrap_or_else(|| panic!("{path}: {text}"))
            .to_owned()
    }

    pub(crate) fn place(&self, more: &[&str]) -> Run {
        let mut arguments = vec!["place", "output", CARD];
        if !more.contains(&"--only") {
            arguments.extend(["--only", "gauge-01"]);
        }
        arguments.extend(more);
        self.workspace.run(&arguments)
    }

    /// Places, which must succeed.
    pub(crate) fn placed(&self, more: &[&str]) -> Run {
        let run = self.place(&[&["--yes"], more].concat());
        assert_eq!(run.code, 0, "{}{}", run.stdout, run.stderr);
        run
    }

    pub(crate) fn undo(&self, more: &[&str]) -> Run {
        self.workspace.run(&[&["undo", CARD, "--yes"], more].concat())
    }

    /// Everything on it: path, kind, mode, owner, size, digest or target, and when files were last written.
    pub(crate) fn list(&self) -> Vec<String> {
        list(&self.top)
    }
}

/// Everything in a folder, as [`Card::list`] has it.
pub(crate) fn list(top: &Path) -> Vec<String> {
    let mut lines = Vec::new();
    collect(top, top, &mut lines);
    lines.sort();
    lines
}

fn collect(top: &Path, folder: &Path, lines: &mut Vec<String>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let found = path.symlink_metadata().unwrap();
        let kind = found.file_type();
        let what = if kind.is_symlink() {
            format!("-> {}", fs::read_link(&path).unwrap().display())
        } else if kind.is_file() {
            let digest = Sha256::digest(fs::read(&path).unwrap());
            format!("{} {:x?} {}.{}", found.len(), digest, found.mtime(), found.mtime_nsec())
        } else if kind.is_dir() {
            format!("folder {}.{}", found.mtime(), found.mtime_nsec())
        } else if kind.is_fifo() {
            "pipe".to_owned()
        } else {
            "special".to_owned()
        };
        let shown = path.strip_prefix(top).unwrap().display();
        lines.push(format!("{shown} {:o} {}:{} {what}", found.mode(), found.uid(), found.gid()));
        if kind.is_dir() {
            collect(top, &path, lines);
        }
    }
}

/// A workspace with the output of two hosts, gauge-01 and gauge-02, whose keeper has a password and a key.
pub(crate) fn with_output() -> Workspace {
    with_output_of(&sheet(&host("gauge-02", "10.64.10.12")))
}

/// A workspace with the output of a sheet.
pub(crate) fn with_output_of(sheet: &str) -> Workspace {
    let workspace = Workspace::new();
    workspace.write("keeper.secret", "Tq7-rope-Harbor-41\n");
    render(&workspace, sheet);
    workspace
}

/// Renders a sheet over what is in `output`.
pub(crate) fn render(workspace: &Workspace, sheet: &str) {
    workspace.write("sheet.toml", sheet);
    let run = workspace.run(&["render", "sheet.toml", "--into", "output"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
}

/// A sheet with the host gauge-01, whose keeper has a password and a key, and these lines at its end.
pub(crate) fn sheet(end: &str) -> String {
    with_password("from = \"file\"\npath = \"keeper.secret\"") + end
}

/// A hash such as images have it for users of their own.
pub(crate) const STOCK_HASH: &str =
    "$y$j9T$kR2tQ0lLq1vEGw5Xy5vF0/$1bbkZk0fFkC0qRAjJmtZ7kS4wMk6G1sB1cGQn5Yg7p2";
