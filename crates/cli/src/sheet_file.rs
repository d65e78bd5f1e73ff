//! A sheet on disk.

use std::path::Path;

use impostazione_core::assess::{Assessment, assess};
use jiff::ZonedDateTime;
use jiff::civil::Date;

use impostazione_core::beside::{Folder, ReadFault, read_file};
use impostazione_core::sheet::SIZE_LIMIT;

use crate::exit::Failure;

/// Reads and judges the sheet at a path.
pub(crate) fn assess_file(path: &Path) -> Result<Assessment, Failure> {
    let name = path.display().to_string();
    let bytes = read_file(path, SIZE_LIMIT).map_err(|fault| {
        Failure::Files(match fault {
            ReadFault::Missing => format!("there is no sheet {name}"),
            other => format!("the sheet {name} cannot be used: {other}"),
        })
    })?;
    Ok(assess(&name, bytes, &Folder::of_file(path), today()))
}

/// The day here, by which waivers are counted.
fn today() -> Date {
    ZonedDateTime::now().date()
}
