//! Debian root filesystems to place on.

use std::fs;
use std::os::unix::fs::symlink;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use crate::shell::run;

/// What every base has, beside the smallest Debian.
const PACKAGES: &str =
    "systemd,systemd-sysv,dbus,udev,kmod,netplan.io,openssh-server,sudo,systemd-resolved,iproute2,passwd";

/// The release, which is that of the kernel in the machines too.
const RELEASE: &str = "bookworm";

/// What a base has beside that. Debian's packages of the two time services exclude each other.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Base {
    Timesyncd,
    Chrony,
    /// timesyncd, and `NetworkManager` beside systemd-networkd.
    Manager,
}

/// Each base is made once.
static MAKING: [Mutex<()>; 3] = [const { Mutex::new(()) }; 3];

impl Base {
    fn packages(self) -> &'static str {
        match self {
            Self::Timesyncd => "systemd-timesyncd",
            Self::Chrony => "chrony",
            Self::Manager => "systemd-timesyncd,libpam-systemd,network-manager",
        }
    }

    /// A copy of the base, under a folder that is removed with everything in it.
    pub(crate) fn copy(self, into: &Path, name: &str) -> PathBuf {
        let copy = into.join(name);
        run("cp", &["-a", "--reflink=auto", &text(&self.made()), &text(&copy)]);
        // The ports of a container and of the machines here have the names that the kernel counts.
        let policy = copy.join("etc/systemd/network");
        fs::create_dir_all(&policy).unwrap();
        symlink("/dev/null", policy.join("99-default.link")).unwrap();
        copy
    }

    /// The base, made once.
    fn made(self) -> PathBuf {
        let _one_at_a_time = MAKING[self as usize].lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let folder = cache().join(format!("{RELEASE}-{}", self.packages().replace(',', "-")));
        if !folder.join("made").exists() {
            let _ = fs::remove_dir_all(&folder);
            fs::create_dir_all(&folder).unwrap();
            let rootfs = folder.join("rootfs");
            let packages = format!("--include={PACKAGES},{}", self.packages());
            run("debootstrap", &["--variant=minbase", &packages, RELEASE, &text(&rootfs)]);
            // What the machine that made it has of its own is none of the image's.
            for of_maker in ["etc/hosts", "var/cache/apt/archives", "var/lib/apt/lists"] {
                let path = rootfs.join(of_maker);
                if path.is_dir() {
                    fs::remove_dir_all(path).unwrap();
                } else {
                    let _ = fs::remove_file(path);
                }
            }
            fs::write(folder.join("made"), "").unwrap();
        }
        folder.join("rootfs")
    }
}

/// What is kept between runs.
pub(crate) fn cache() -> PathBuf {
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join("first-boot");
    fs::create_dir_all(&folder).unwrap();
    folder
}

/// A path as text.
pub(crate) fn text(path: &Path) -> String {
    path.display().to_string()
}
