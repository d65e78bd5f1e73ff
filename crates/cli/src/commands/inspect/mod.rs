//! `inspect`: told by what lies at the path whether it is a package, an image, a root filesystem, netplan files, or an output.

mod image;
mod netplan;
mod output;
mod package;
mod rootfs;

use std::fs::{self, File};
use std::io::Read as _;
use std::path::{Path, PathBuf};

use impostazione_core::output::{LIST_NAME, TreeOnDisk};
use impostazione_core::views::image_digest::WantedDigest;
use impostazione_text::files::plain;

use crate::args::InspectArguments;
use crate::exit::{Exit, Failure};
use crate::mounted::has_linux_partition;

/// Files by which a root filesystem of a Linux system is known.
const SYSTEM_FILES: [&str; 3] = ["etc/os-release", "usr/lib/os-release", "etc/passwd"];

/// What lies at a path.
enum Found {
    Package(PathBuf),
    Image,
    Netplan,
    Rootfs,
    Output(TreeOnDisk),
}

pub(crate) fn run(arguments: &InspectArguments, quiet: bool) -> Result<Exit, Failure> {
    match look(arguments)? {
        Found::Package(path) => package::run(&path, arguments, quiet),
        Found::Image => image::run(arguments, quiet),
        Found::Netplan => {
            arguments.refuse_options_of_packages()?;
            netplan::run(arguments, quiet)
        }
        Found::Rootfs => {
            arguments.refuse_options_of_packages()?;
            rootfs::run(arguments, quiet)
        }
        Found::Output(tree) => {
            arguments.refuse_options_of_packages()?;
            output::run(&tree, arguments, quiet)
        }
    }
}

fn look(arguments: &InspectArguments) -> Result<Found, Failure> {
    let path = &arguments.path;
    let name = path.display();
    let found = fs::metadata(path).map_err(|error| {
        Failure::Files(match error.kind() {
            std::io::ErrorKind::NotFound => format!("there is no {name}"),
            _ => format!("{name} cannot be read: {}", plain(&error)),
        })
    })?;
    if found.is_dir() {
        if path.join(LIST_NAME).exists() {
            let tree = TreeOnDisk::open(path).map_err(|fault| Failure::Files(fault.to_string()))?;
            return Ok(Found::Output(tree.0));
        }
        let is_system = |file: &&str| fs::symlink_metadata(path.join(file)).is_ok();
        if SYSTEM_FILES.iter().any(is_system) {
            return Ok(Found::Rootfs);
        }
        return Ok(match packages_in(path).as_slice() {
            [] => Found::Netplan,
            [only] => Found::Package(only.clone()),
            several => {
                let names: Vec<_> = several.iter().map(|path| path.display().to_string()).collect();
                return Err(Failure::CommandLine(format!(
                    "{name} holds several packages; name one of them: {}",
                    names.join(", ")
                )));
            }
        });
    }
    if arguments.digest.is_some() {
        return Ok(Found::Image);
    }
    let has_end = |ends: &[&str]| {
        path.extension().is_some_and(|end| ends.iter().any(|known| end.eq_ignore_ascii_case(known)))
    };
    if has_end(&["yaml", "yml"]) {
        Ok(Found::Netplan)
    } else if has_end(&["ova", "ovf"]) {
        Ok(Found::Package(path.clone()))
    } else if WantedDigest::beside(path).is_some() {
        Ok(Found::Image)
    } else if looks_like_package(path) {
        Ok(Found::Package(path.clone()))
    } else if has_linux_partition(path) {
        Ok(Found::Rootfs)
    } else {
        Err(Failure::CommandLine(format!(
            "{name} is neither a package (.ova, .ovf) nor a netplan file (.yaml), and no file beside it has its digest; with --digest it is compared as an image"
        )))
    }
}

/// Packages in a folder that holds no netplan files.
fn packages_in(folder: &Path) -> Vec<PathBuf> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path());
    let mut paths: Vec<PathBuf> = entries.collect();
    let has =
        |path: &PathBuf, end: &str| path.extension().is_some_and(|found| found.eq_ignore_ascii_case(end));
    if paths.iter().any(|path| has(path, "yaml") || has(path, "yml")) {
        return Vec::new();
    }
    paths.retain(|path| has(path, "ova") || has(path, "ovf"));
    paths.sort();
    paths
}

/// Whether a file begins like a descriptor or a tar archive.
fn looks_like_package(path: &Path) -> bool {
    let mut start = Vec::new();
    let read = File::open(path).and_then(|file| file.take(512).read_to_end(&mut start));
    read.is_ok()
        && (start.get(257..262) == Some(b"ustar") || String::from_utf8_lossy(&start).contains("Envelope"))
}
