//! Debian root filesystems to place on.

use std::fs;
use std::os::unix::fs::symlink;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use crate::shell::run;

/// What every base has, beside the smallest Debian.
const PACKAGES: &str =
    "systemd,systemd-sysv,systemd-timesyncd,dbus,udev,kmod,netplan.io,openssh-server,sudo,iproute2,passwd";

/// The release of the kernel in the machines.
const RELEASE: &str = "bookworm";

/// A package that brings a user of its own, which no base has.
pub(crate) const PACKAGE_WITH_USER: &str = "uuid-runtime";

/// A Debian, with one of its time services; the packages of the two exclude each other.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Base {
    Timesyncd,
    Chrony,
    /// timesyncd, and `NetworkManager` beside systemd-networkd.
    Manager,
    Debian13,
    Debian11,
    /// Debian 11 with `/bin`, `/lib` and `/sbin` beside `/usr`.
    Debian11Split,
}

/// Each base is made once.
static MAKING: [Mutex<()>; 6] = [const { Mutex::new(()) }; 6];

impl Base {
    fn release(self) -> &'static str {
        match self {
            Self::Timesyncd | Self::Chrony | Self::Manager => RELEASE,
            Self::Debian13 => "trixie",
            Self::Debian11 | Self::Debian11Split => "bullseye",
        }
    }

    /// Its packages; Debian 11 has systemd-resolved in that of systemd.
    fn packages(self) -> String {
        match self {
            Self::Timesyncd | Self::Debian13 => format!("{PACKAGES},systemd-resolved"),
            Self::Chrony => format!("{PACKAGES},systemd-resolved,chrony").replace(",systemd-timesyncd", ""),
            Self::Manager => format!("{PACKAGES},systemd-resolved,libpam-systemd,network-manager"),
            Self::Debian11 | Self::Debian11Split => PACKAGES.to_owned(),
        }
    }

    /// How its folders of programs lie.
    fn layout(self) -> &'static str {
        if matches!(self, Self::Debian11Split) { "--no-merged-usr" } else { "--merged-usr" }
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
        let folder = cache().join(format!("{self:?}").to_lowercase());
        if !folder.join("made").exists() {
            let _ = fs::remove_dir_all(&folder);
            fs::create_dir_all(&folder).unwrap();
            let rootfs = folder.join("rootfs");
            let packages = format!("--include={}", self.packages());
            let options = ["--variant=minbase", self.layout(), &packages];
            run("debootstrap", &[&options[..], &[self.release(), &text(&rootfs)]].concat());
            // What the machine that made it has of its own is not one of the image's.
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

/// The file of a package for the machines' release that no base has, fetched once.
pub(crate) fn package(name: &str) -> PathBuf {
    static FETCHING: Mutex<()> = Mutex::new(());
    let _one_at_a_time = FETCHING.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    let kept = cache().join(format!("{name}.deb"));
    if !kept.exists() {
        let folder = tempfile::tempdir_in(cache()).unwrap();
        let include = format!("--include={name}");
        let options = ["--variant=minbase", "--download-only", &include, RELEASE, &text(folder.path())];
        run("debootstrap", &options);
        let fetched = fs::read_dir(folder.path().join("var/cache/apt/archives")).unwrap();
        let fetched = fetched
            .map(|entry| entry.unwrap().path())
            .find(|path| path.file_name().unwrap().to_string_lossy().starts_with(&format!("{name}_")));
        fs::copy(fetched.expect("debootstrap has fetched it"), &kept).unwrap();
    }
    kept
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
