//! What differs between two outputs, file by file, as they are on disk.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::File;
use std::io::{self, BufReader, Read as _};
use std::path::Path;

use super::comparison::{Comparison, DifferenceKind, DifferencePlace, difference};
use super::shown::{Compared, is_open};
use crate::output::{FileSince, ListedFile, OutputFault, TreeOnDisk};

/// Which part of two outputs is compared.
#[derive(Clone, Copy)]
pub enum Scope<'a> {
    /// All of it.
    Whole,
    /// The machines that are picked by name, and nothing that is for all.
    Machines(&'a dyn Fn(&str) -> bool),
    /// One machine of the first with one of the second, whatever they are called.
    Pair(&'a str, &'a str),
}

impl Scope<'_> {
    fn includes(self, machine: &str, is_first: bool) -> bool {
        match self {
            Self::Whole => true,
            Self::Machines(wanted) => !machine.is_empty() && wanted(machine),
            Self::Pair(first, second) => machine == if is_first { first } else { second },
        }
    }
}

/// A file of an output, and the tree that it is in.
#[derive(Clone, Copy)]
struct Listed<'a> {
    tree: &'a TreeOnDisk,
    file: &'a ListedFile,
}

/// The machine that a file is for, as both outputs are to call it, and its path within what is for that machine.
type Key = (String, String);

/// Compares two outputs. A file that is no longer as it was rendered is compared with nothing, and named.
pub fn compare_outputs(
    first: &TreeOnDisk,
    second: &TreeOnDisk,
    scope: Scope<'_>,
) -> Result<Comparison, OutputFault> {
    let (of_first, of_second) = (files(first, scope, true), files(second, scope, false));
    let names = |files: &BTreeMap<Key, Listed<'_>>| -> BTreeSet<String> {
        files.keys().map(|(machine, _)| machine.clone()).filter(|machine| !machine.is_empty()).collect()
    };
    let (in_first, in_second) = (names(&of_first), names(&of_second));
    let mut comparison = Comparison::default();
    for machine in in_first.symmetric_difference(&in_second) {
        let kind =
            if in_first.contains(machine) { DifferenceKind::OnlyFirst } else { DifferenceKind::OnlySecond };
        comparison.differences.push(difference(machine, DifferencePlace::default(), kind));
    }
    for key in of_first.keys().chain(of_second.keys()).collect::<BTreeSet<_>>() {
        let (machine, at) = key;
        if machine.is_empty() || (in_first.contains(machine) && in_second.contains(machine)) {
            compare_file((machine, at), (of_first.get(key), of_second.get(key)), &mut comparison)?;
        }
    }
    for tree in [first, second] {
        let machine = match scope {
            Scope::Pair(one, other) => Some(if std::ptr::eq(tree, first) { one } else { other }),
            Scope::Whole | Scope::Machines(_) => None,
        };
        for path in tree.unlisted(machine)? {
            let of = path.split('/').next().unwrap_or_default();
            if !matches!(scope, Scope::Machines(wanted) if !wanted(of)) {
                let reason = format!("`render` did not write it into {}", tree.folder().display());
                comparison.leave_out(path, None, reason);
            }
        }
    }
    comparison.sort();
    Ok(comparison)
}

fn files<'a>(tree: &'a TreeOnDisk, scope: Scope<'_>, is_first: bool) -> BTreeMap<Key, Listed<'a>> {
    let wanted = tree.files().filter(|file| scope.includes(&file.machine, is_first));
    let key = |file: &ListedFile| {
        let machine = file.machine.as_str();
        let within = file.path.strip_prefix(machine).and_then(|rest| rest.strip_prefix('/'));
        let within = within.unwrap_or(&file.path);
        match scope {
            Scope::Pair(one, _) => {
                // An appliance's descriptor is called as the appliance is.
                let end = within.strip_prefix(machine).filter(|end| end.starts_with('.'));
                (one.to_owned(), end.map_or_else(|| within.to_owned(), |end| format!("{one}{end}")))
            }
            Scope::Whole | Scope::Machines(_) => (machine.to_owned(), within.to_owned()),
        }
    };
    wanted.map(|file| (key(file), Listed { tree, file })).collect()
}

fn compare_file(
    (machine, at): (&str, &str),
    (first, second): (Option<&Listed<'_>>, Option<&Listed<'_>>),
    comparison: &mut Comparison,
) -> Result<(), OutputFault> {
    let place = DifferencePlace::file(at);
    let (Some(one), Some(other)) = (first, second) else {
        let kind = if first.is_some() { DifferenceKind::OnlyFirst } else { DifferenceKind::OnlySecond };
        comparison.differences.push(difference(machine, place, kind));
        return Ok(());
    };
    let mut is_as_rendered = true;
    for listed in [one, other] {
        let since = listed.tree.since(listed.file)?;
        if matches!(since, FileSince::Missing | FileSince::Changed) {
            let reason = format!("in {} it is {}", listed.tree.folder().display(), since.word());
            comparison.leave_out(at, (!machine.is_empty()).then_some(machine), reason);
            is_as_rendered = false;
        }
    }
    if !is_as_rendered {
        return Ok(());
    }
    let mut found = difference(machine, place, DifferenceKind::Differs);
    let mut differs = false;
    if one.file.mode != other.file.mode || one.file.owner != other.file.owner {
        let says = |file: &ListedFile| {
            Some(match &file.owner {
                Some(owner) => format!("mode {}, {owner}", file.mode),
                None => format!("mode {}", file.mode),
            })
        };
        (found.first, found.second) = (says(one.file), says(other.file));
        differs = true;
    }
    if one.file.sha256.is_none() || other.file.sha256.is_none() {
        // Of a package the list has the size alone.
        differs |= !is_same_package(one, other)?;
    } else if (&one.file.sha256, &one.file.link) != (&other.file.sha256, &other.file.link) {
        let (old, new) = (one.tree.content(one.file)?, other.tree.content(other.file)?);
        let mode = |file: &ListedFile| u32::from_str_radix(&file.mode, 8).unwrap_or_default();
        let compared = |content, file| Compared { content, is_open: is_open(mode(file)) };
        found.say_content(at, &compared(&old, one.file), &compared(&new, other.file));
        differs = true;
    }
    if differs {
        comparison.differences.push(found);
    }
    Ok(())
}

/// Whether two packages are the same to the byte.
fn is_same_package(one: &Listed<'_>, other: &Listed<'_>) -> Result<bool, OutputFault> {
    if one.file.size != other.file.size {
        return Ok(false);
    }
    let path = |listed: &Listed<'_>| listed.tree.folder().join(&listed.file.path);
    let (first, second) = (path(one), path(other));
    is_same(&first, &second).map_err(|error| OutputFault::ListUnreadable(first, error.to_string()))
}

fn is_same(first: &Path, second: &Path) -> io::Result<bool> {
    const PART: u64 = 256 * 1024;
    let (mut first, mut second) = (BufReader::new(File::open(first)?), BufReader::new(File::open(second)?));
    let (mut one, mut other) = (Vec::new(), Vec::new());
    loop {
        one.clear();
        other.clear();
        first.by_ref().take(PART).read_to_end(&mut one)?;
        second.by_ref().take(PART).read_to_end(&mut other)?;
        if one != other {
            return Ok(false);
        }
        if one.is_empty() {
            return Ok(true);
        }
    }
}
