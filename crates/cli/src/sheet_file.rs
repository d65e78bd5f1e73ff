//! A sheet on disk.

use std::path::Path;

use impostazione_core::assess::{Assessment, assess_with};
use impostazione_core::sheet::SIZE_LIMIT;
use impostazione_core::views::at_path::AtPath;
use impostazione_secret::SecretSources;
use impostazione_text::files::{Folder, ReadFault, read_file};
use jiff::ZonedDateTime;
use jiff::civil::Date;

use crate::exit::Failure;
use crate::renumber_record::tell_of_interrupted;

/// Reads and judges the sheet at a path, whose secrets come from `secrets`.
pub(crate) fn assess_with_file(path: &Path, secrets: &dyn SecretSources) -> Result<Assessment, Failure> {
    let (name, bytes) = read_sheet(path)?;
    tell_of_interrupted(path);
    Ok(assess_with(&name, bytes, &Folder::of_file(path), secrets, today()))
}

/// What messages call the sheet at a path, and its bytes.
pub(crate) fn read_sheet(path: &Path) -> Result<(String, Vec<u8>), Failure> {
    let name = path.display().to_string();
    if let Ok(found) = AtPath::look(path)
        && !matches!(found, AtPath::Sheet | AtPath::OtherFile | AtPath::OtherFolder | AtPath::Device)
    {
        return Err(Failure::CommandLine(format!(
            "{name} is {}, not a sheet; `impostazione inspect {name}` shows what is in it",
            found.word()
        )));
    }
    let bytes = read_file(path, SIZE_LIMIT).map_err(|fault| {
        Failure::Files(match fault {
            ReadFault::Missing => format!("the sheet {name} does not exist"),
            other => format!("the sheet {name} cannot be used: {other}"),
        })
    })?;
    Ok((name, bytes))
}

/// The day here, by which waivers are counted.
pub(crate) fn today() -> Date {
    ZonedDateTime::now().date()
}
