//! The map of a simulated network on disk.

use std::path::Path;

use impostazione_core::network::{MAP_SIZE_LIMIT, NetworkMap};
use impostazione_text::files::{ReadFault, read_file};

use crate::exit::Failure;

/// Reads a map.
pub(crate) fn read_map(path: &Path) -> Result<NetworkMap, Failure> {
    let name = path.display();
    let bytes = read_file(path, MAP_SIZE_LIMIT).map_err(|fault| {
        Failure::Files(match fault {
            ReadFault::Missing => format!(
                "the map {name} does not exist; `impostazione mock-site SHEET --map {name}` writes it, and has to be running"
            ),
            other => format!("the map {name} cannot be used: {other}"),
        })
    })?;
    let text = String::from_utf8(bytes).map_err(|_| Failure::Files(format!("{name} is not UTF-8 text")))?;
    NetworkMap::parse(&text).map_err(|fault| Failure::Files(format!("{name} {fault}")))
}
