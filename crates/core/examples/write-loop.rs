//! The yardstick of `bench/render.sh`: reads a tree into memory, then writes the same bytes to the same paths of a new
//! folder in a plain loop, and prints how many nanoseconds the writing took.
#![allow(clippy::print_stdout, reason = "it answers on stdout")]

use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::time::Instant;
use std::{env, fs, io};

enum Entry {
    Folder,
    File(Vec<u8>, fs::Permissions),
    Link(PathBuf),
}

fn main() -> io::Result<()> {
    let mut arguments = env::args_os().skip(1).map(PathBuf::from);
    let (Some(from), Some(into)) = (arguments.next(), arguments.next()) else {
        return Err(io::Error::other("say from which folder, and into which new one"));
    };
    let mut entries = Vec::new();
    read(&from, Path::new(""), &mut entries)?;
    let start = Instant::now();
    fs::create_dir(&into)?;
    for (path, entry) in &entries {
        let path = into.join(path);
        match entry {
            Entry::Folder => fs::create_dir(&path)?,
            Entry::File(bytes, permissions) => {
                fs::write(&path, bytes)?;
                if permissions.mode() & 0o7777 != 0o644 {
                    fs::set_permissions(&path, permissions.clone())?;
                }
            }
            Entry::Link(target) => std::os::unix::fs::symlink(target, &path)?,
        }
    }
    println!("{}", start.elapsed().as_nanos());
    Ok(())
}

fn read(top: &Path, folder: &Path, entries: &mut Vec<(PathBuf, Entry)>) -> io::Result<()> {
    for entry in fs::read_dir(top.join(folder))? {
        let entry = entry?;
        let path = folder.join(entry.file_name());
        let kind = entry.file_type()?;
        if kind.is_dir() {
            entries.push((path.clone(), Entry::Folder));
            read(top, &path, entries)?;
        } else if kind.is_symlink() {
            entries.push((path, Entry::Link(fs::read_link(entry.path())?)));
        } else {
            entries.push((path, Entry::File(fs::read(entry.path())?, entry.metadata()?.permissions())));
        }
    }
    Ok(())
}
