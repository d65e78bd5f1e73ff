//! A report that is kept in a file.

use std::io::Write as _;
use std::path::Path;

use impostazione_text::files::plain;
use serde::Serialize;

use crate::commands::json;
use crate::exit::Failure;

/// Refuses to write over what exists, before anything is asked.
pub(super) fn refuse_to_lose(path: &Path) -> Result<(), Failure> {
    if std::fs::symlink_metadata(path).is_err() {
        return match folder_of(path) {
            folder if folder.is_dir() => Ok(()),
            folder => Err(Failure::Files(format!(
                "the report {} cannot be written: there is no folder {}",
                path.display(),
                folder.display()
            ))),
        };
    }
    Err(Failure::Files(format!(
        "{} exists; a report is not written over another: name a new file with --to",
        path.display()
    )))
}

fn folder_of(path: &Path) -> &Path {
    path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."))
}

/// Writes a report to a new file, whole or not at all.
pub(super) fn keep(path: &Path, report: &impl Serialize) -> Result<(), Failure> {
    use std::os::unix::fs::PermissionsExt as _;

    let failed = |error: &std::io::Error| {
        Failure::Files(format!("the report {} cannot be written: {}", path.display(), plain(error)))
    };
    let folder = folder_of(path);
    let mut file = tempfile::Builder::new()
        .permissions(std::fs::Permissions::from_mode(0o644))
        .tempfile_in(folder)
        .map_err(|error| failed(&error))?;
    file.write_all(json::text_of(report)?.as_bytes()).map_err(|error| failed(&error))?;
    file.persist_noclobber(path).map_err(|error| failed(&error.error))?;
    Ok(())
}
