//! A Debian release with its netplan, and the sources of that.

use std::collections::BTreeMap;
use std::fs;
use std::os::unix::fs::PermissionsExt as _;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use crate::facts::Facts;
use crate::{connections, units};

/// A release, and the netplan that it has.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Release {
    pub(crate) name: &'static str,
    pub(crate) netplan: &'static str,
}

pub(crate) const RELEASES: [Release; 2] =
    [Release { name: "bookworm", netplan: "0.106" }, Release { name: "trixie", netplan: "1.1" }];

/// What a netplan made of some files.
pub(crate) struct Judgment {
    pub(crate) is_refused: bool,
    pub(crate) said: String,
    /// What the units say of each link.
    pub(crate) facts: Facts,
}

/// Each is fetched once.
static FETCHING: Mutex<()> = Mutex::new(());

static RUNS: AtomicUsize = AtomicUsize::new(0);

fn run(command: &mut Command) -> String {
    let output = command.output().unwrap_or_else(|error| panic!("{command:?}: {error}"));
    let said = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{command:?}: {said}{}", String::from_utf8_lossy(&output.stdout));
    String::from_utf8(output.stdout).unwrap()
}

impl Release {
    fn folder(self) -> PathBuf {
        let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join("netplan-judges").join(self.name);
        fs::create_dir_all(&folder).unwrap();
        folder
    }

    /// The root filesystem with netplan in it, made once.
    fn rootfs(self) -> PathBuf {
        let _one_at_a_time = FETCHING.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let rootfs = self.folder().join("rootfs");
        let made = self.folder().join("rootfs-made");
        if !made.exists() {
            let _ = fs::remove_dir_all(&rootfs);
            run(Command::new("debootstrap")
                .args(["--variant=minbase", "--include=netplan.io", self.name])
                .arg(&rootfs));
            // netplan refuses what is for Open vSwitch where it does not find that program, and starts it at no time here.
            fs::write(rootfs.join("usr/bin/ovs-vsctl"), "").unwrap();
            fs::write(made, "").unwrap();
        }
        let found = run(Command::new("chroot").arg(&rootfs).args([
            "dpkg-query",
            "-W",
            "-f",
            "${Version}",
            "netplan.io",
        ]));
        assert!(found.starts_with(self.netplan), "{} has netplan {found}", self.name);
        rootfs
    }

    /// The sources of its netplan, fetched once.
    pub(crate) fn sources(self) -> PathBuf {
        let _one_at_a_time = FETCHING.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let folder = self.folder().join("sources");
        let made = self.folder().join("sources-made");
        if !made.exists() {
            let _ = fs::remove_dir_all(&folder);
            for part in ["lists/partial", "cache/archives/partial"] {
                fs::create_dir_all(folder.join(part)).unwrap();
            }
            let at = folder.display();
            fs::write(
                folder.join("sources.list"),
                format!(
                    "deb-src [signed-by=/usr/share/keyrings/debian-archive-keyring.gpg] http://deb.debian.org/debian {} main\n",
                    self.name
                ),
            )
            .unwrap();
            fs::write(
                folder.join("apt.conf"),
                format!(
                    "Dir::State::lists \"{at}/lists\";\nDir::Cache \"{at}/cache\";\nDir::Etc::sourcelist \"{at}/sources.list\";\n\
                     Dir::Etc::sourceparts \"/dev/null\";\nAPT::Sandbox::User \"root\";\n"
                ),
            )
            .unwrap();
            let apt = || {
                let mut apt = Command::new("apt-get");
                apt.env("APT_CONFIG", folder.join("apt.conf")).current_dir(&folder);
                apt
            };
            run(apt().args(["-q", "update"]));
            run(apt().args(["-q", "source", "--download-only", "netplan.io"]));
            let archive = fs::read_dir(&folder)
                .unwrap()
                .map(|entry| entry.unwrap().path())
                .find(|path| path.to_string_lossy().contains(".orig.tar."))
                .unwrap();
            fs::create_dir(folder.join("netplan")).unwrap();
            run(Command::new("tar")
                .args(["--strip-components=1", "-C"])
                .arg(folder.join("netplan"))
                .arg("-xf")
                .arg(archive));
            fs::write(made, "").unwrap();
        }
        folder.join("netplan")
    }

    /// What its netplan makes of files, which come with their paths below the top of a host.
    pub(crate) fn judge(self, files: &BTreeMap<String, String>) -> Judgment {
        let rootfs = self.rootfs_made();
        let number = RUNS.fetch_add(1, Ordering::Relaxed);
        let inside = format!("/judged/{}-{number}", std::process::id());
        let folder = rootfs.join(&inside[1..]);
        for (path, text) in files {
            let path = folder.join(path);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(&path, text).unwrap();
            fs::set_permissions(&path, fs::Permissions::from_mode(0o600)).unwrap();
        }
        fs::create_dir_all(&folder).unwrap();
        let generate = ["usr/libexec/netplan/generate", "usr/lib/netplan/generate"]
            .into_iter()
            .find(|path| rootfs.join(path).exists())
            .unwrap();
        let output = Command::new("chroot")
            .arg(&rootfs)
            .arg(format!("/{generate}"))
            .args(["--root-dir", &inside])
            .output()
            .unwrap();
        let mut facts = units::read(&folder.join("run/systemd/network"));
        facts.extend(connections::read(&folder.join("run/NetworkManager/system-connections")));
        fs::remove_dir_all(&folder).unwrap();
        Judgment {
            is_refused: !output.status.success(),
            said: String::from_utf8_lossy(&output.stderr).into_owned(),
            facts,
        }
    }

    /// The root filesystem, looked for once in a run.
    fn rootfs_made(self) -> PathBuf {
        static FOUND: Mutex<BTreeMap<&str, PathBuf>> = Mutex::new(BTreeMap::new());
        let known = FOUND.lock().unwrap().get(self.name).cloned();
        known.unwrap_or_else(|| {
            let rootfs = self.rootfs();
            FOUND.lock().unwrap().insert(self.name, rootfs.clone());
            rootfs
        })
    }

    /// The files of the examples that come with its netplan.
    pub(crate) fn examples(self) -> Vec<(String, String)> {
        let folder = self.sources().join("examples");
        let mut found: Vec<_> = fs::read_dir(folder)
            .unwrap()
            .map(|entry| entry.unwrap().path())
            .filter(|path| path.extension().is_some_and(|end| end == "yaml"))
            .map(|path| {
                (path.file_name().unwrap().to_string_lossy().into_owned(), fs::read_to_string(path).unwrap())
            })
            .collect();
        found.sort();
        found
    }
}
