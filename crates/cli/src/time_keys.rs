//! The values of the keys of time servers, as far as they are to be had.

use std::collections::BTreeMap;
use std::path::Path;

use impostazione_core::assess::Assessment;
use impostazione_core::network::TimeKeyValue;

use crate::args::UnlockArguments;
use crate::exit::Failure;
use crate::secret_sources::RunSources;
use crate::sheet_file::assess_with_file;

/// The time keys of a sheet that has been read without its secrets, by name. Secrets are asked for only where the sheet has such
/// keys; a value that is not to be had is left away.
pub(crate) fn time_keys(
    sheet: &Path,
    assessment: &Assessment,
    unlock: &UnlockArguments,
) -> Result<BTreeMap<String, TimeKeyValue>, Failure> {
    if assessment.site.time_keys.is_empty() {
        return Ok(BTreeMap::new());
    }
    let site = assess_with_file(sheet, &RunSources::new(sheet, unlock))?.site;
    let names = site.time_keys.iter().map(|key| key.name.value.clone());
    Ok(names.filter_map(|name| Some((name.clone(), TimeKeyValue::of(&site, &name)?))).collect())
}
