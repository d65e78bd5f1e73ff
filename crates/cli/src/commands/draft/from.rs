//! What a sheet begins with: hosts, rows and packages that are there already.

use std::path::{Path, PathBuf};

use impostazione_core::draft::{
    FoundHost, Interview, RootfsFiles, host_from_files, host_from_netplan, host_from_output,
};
use impostazione_core::views::at_path::AtPath;
use impostazione_core::views::netplan::{SIZE_LIMIT, in_order};
use impostazione_rootfs::{Access, View};
use impostazione_text::files::read_file;

use crate::exit::Failure;
use crate::target;
use crate::terminal;

/// The most files that are listed.
const LISTED: usize = 3;

/// Takes in what lies at the paths, each told by looking. Says what was taken.
pub(super) fn take_in(
    interview: &mut Interview<'_>,
    sheet: &Path,
    paths: &[PathBuf],
) -> Result<Vec<String>, Failure> {
    let (mut hosts, mut rows, mut packages) = (Vec::new(), Vec::new(), Vec::new());
    let mut left_out = Vec::new();
    for path in paths {
        match target::look(path)? {
            AtPath::Package(file) => packages.push(from_the_sheet(sheet, &file)),
            AtPath::NetplanFile => hosts.push(of_netplan_file(path)?),
            AtPath::NetplanFolder if has_no_files_of_its_own(path) => hosts.push(of_rootfs(path)?),
            AtPath::NetplanFolder => hosts.extend(of_netplan_folder(path)?),
            AtPath::Rootfs | AtPath::RunningSystem | AtPath::DiskImage => hosts.push(of_rootfs(path)?),
            AtPath::Output(tree, machine) => {
                let names: Vec<String> = match machine {
                    Some(machine) => vec![machine],
                    None => tree.hosts().into_iter().map(str::to_owned).collect(),
                };
                let others: Vec<&str> =
                    tree.machines().into_iter().filter(|machine| !tree.hosts().contains(machine)).collect();
                if !others.is_empty() && names.len() > 1 {
                    let list = others.join(", ");
                    left_out.push(format!(
                        "not taken from {}: the appliances {list}; name their packages",
                        path.display()
                    ));
                }
                for name in names {
                    let output = tree.host(&name).map_err(|fault| Failure::Files(fault.to_string()))?;
                    hosts.push(host_from_output(&format!("{}/{name}", path.display()), &output));
                }
            }
            AtPath::OtherFile if is_of_rows(path) => rows.push(from_the_sheet(sheet, path)),
            other => {
                return Err(Failure::CommandLine(format!(
                    "{} is {}; --from takes a root filesystem, an image, netplan files, an output, a CSV file or a package",
                    path.display(),
                    other.words()
                )));
            }
        }
    }
    interview.settle_scope(hosts.len(), rows.len(), packages.len());
    let mut told = if hosts.is_empty() { Vec::new() } else { interview.add_found(&hosts) };
    for path in &rows {
        told.extend(interview.add_rows(path).map_err(|refusal| {
            Failure::Files(format!(
                "{}; {}",
                refusal.message.trim_end_matches('.'),
                terminal::harmless(&refusal.fix)
            ))
        })?);
    }
    for path in &packages {
        interview.add_package(path);
    }
    told.extend(left_out);
    Ok(told)
}

/// Whether a file is one of rows, by its name.
fn is_of_rows(path: &Path) -> bool {
    path.extension()
        .is_some_and(|end| ["csv", "tsv", "txt"].iter().any(|known| end.eq_ignore_ascii_case(known)))
}

/// A path as the sheet names it: from its folder on.
fn from_the_sheet(sheet: &Path, path: &Path) -> String {
    let folder =
        sheet.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or_else(|| Path::new("."));
    let whole = |path: &Path| std::fs::canonicalize(path).ok();
    let inside = whole(folder)
        .zip(whole(path))
        .and_then(|(folder, path)| path.strip_prefix(folder).ok().map(Path::to_owned).or(Some(path)));
    inside.unwrap_or_else(|| path.to_owned()).display().to_string()
}

fn of_rootfs(path: &Path) -> Result<FoundHost, Failure> {
    let rootfs = target::open(path, Access::Look)?;
    let files = RootfsFiles::new(View::of(&rootfs));
    let host = host_from_files(&path.display().to_string(), &files);
    let unread = files.unread();
    // What could not be read may be what counts: netplan's files are for root alone.
    if unread.is_empty() {
        return Ok(host);
    }
    let shown: Vec<&str> = unread.iter().take(LISTED).map(String::as_str).collect();
    let more = unread.len() - shown.len();
    let more = if more > 0 { format!("; and {more} more") } else { String::new() };
    Err(Failure::Files(format!(
        "{} cannot be read in full: {}{more}; run this as root, so that nothing is left out unseen",
        path.display(),
        shown.join("; ")
    )))
}

fn text_of(path: &Path) -> Result<String, Failure> {
    let name = path.display();
    let bytes = read_file(path, SIZE_LIMIT)
        .map_err(|fault| Failure::Files(format!("{name} cannot be used: {fault}")))?;
    String::from_utf8(bytes).map_err(|_| Failure::Files(format!("{name} is not UTF-8 text")))
}

/// The name of a host in the name of its file. Files of a host that are read in order begin with a number.
fn name_in(path: &Path) -> Option<String> {
    let stem = path.file_stem()?.to_string_lossy().into_owned();
    (!stem.starts_with(|c: char| c.is_ascii_digit())).then_some(stem)
}

fn of_netplan_file(path: &Path) -> Result<FoundHost, Failure> {
    let name = path.display().to_string();
    Ok(host_from_netplan(&name, name_in(path).as_deref(), vec![(name.clone(), text_of(path)?)]))
}

fn netplan_names(folder: &Path) -> Vec<String> {
    let names = std::fs::read_dir(folder).into_iter().flatten();
    in_order(names.filter_map(|entry| entry.ok()?.file_name().into_string().ok()).collect())
}

/// Whether a folder has its netplan files further down, as a host has.
fn has_no_files_of_its_own(folder: &Path) -> bool {
    netplan_names(folder).is_empty()
}

/// A host for each file, where they have the names of hosts; one host, where they are numbered.
fn of_netplan_folder(folder: &Path) -> Result<Vec<FoundHost>, Failure> {
    let names = netplan_names(folder);
    let paths: Vec<PathBuf> = names.iter().map(|name| folder.join(name)).collect();
    if paths.iter().all(|path| name_in(path).is_some()) {
        return paths.iter().map(|path| of_netplan_file(path)).collect();
    }
    let files = paths
        .iter()
        .map(|path| Ok((path.display().to_string(), text_of(path)?)))
        .collect::<Result<Vec<_>, Failure>>()?;
    Ok(vec![host_from_netplan(&folder.display().to_string(), None, files)])
}
