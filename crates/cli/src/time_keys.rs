//! The values of the keys of time servers, as far as they are to be had.

use std::collections::BTreeMap;
use std::path::Path;

use impostazione_core::assess::Assessment;
use impostazione_core::machine::{Secret, SecretSource};
use impostazione_core::network::TimeKeyValue;
use impostazione_secret::store::{Store, StoreFault};
use impostazione_secret::{NotAsked, SecretSources, SourceFault};
use impostazione_text::Hidden;

use crate::args::UnlockArguments;
use crate::exit::Failure;
use crate::secret_sources::RunSources;
use crate::sheet_file::assess_with_file;

/// The sources of a run, for the secrets of time keys alone: nobody is asked for another one, and the store stays closed where none of
/// them is in it.
struct OfTimeKeys<'a> {
    sources: RunSources,
    secrets: Vec<&'a Secret>,
}

impl OfTimeKeys<'_> {
    fn is_any(&self, is: impl Fn(&Secret) -> bool) -> bool {
        self.secrets.iter().any(|secret| is(secret))
    }
}

impl SecretSources for OfTimeKeys<'_> {
    fn variable(&self, name: &str) -> Result<Hidden, SourceFault> {
        let is_it = |secret: &Secret| matches!(secret.source.value(), Some(SecretSource::Variable(variable)) if variable.value == name);
        if self.is_any(is_it) { self.sources.variable(name) } else { NotAsked.variable(name) }
    }

    fn ask(&self, secret: &str) -> Result<Hidden, SourceFault> {
        if self.is_any(|known| known.name.value == secret) {
            self.sources.ask(secret)
        } else {
            NotAsked.ask(secret)
        }
    }

    fn store(&self) -> Result<&Store, StoreFault> {
        if self.is_any(|secret| secret.source.value() == Some(&SecretSource::Store)) {
            self.sources.store()
        } else {
            NotAsked.store()
        }
    }

    fn store_name(&self) -> String {
        self.sources.store_name()
    }
}

/// The time keys of a sheet that has been read without its secrets, by name. Secrets are looked for only where the sheet has such
/// keys; a value that is not to be had is left away.
pub(crate) fn time_keys(
    sheet: &Path,
    assessment: &Assessment,
    unlock: &UnlockArguments,
) -> Result<BTreeMap<String, TimeKeyValue>, Failure> {
    let site = &assessment.site;
    if site.time_keys.is_empty() {
        return Ok(BTreeMap::new());
    }
    let secrets =
        site.time_keys.iter().filter_map(|key| site.secrets.get(key.value.value()?.value)).collect();
    let sources = OfTimeKeys { sources: RunSources::new(sheet, unlock), secrets };
    let with_values = assess_with_file(sheet, &sources)?.site;
    let names = with_values.time_keys.iter().map(|key| key.name.value.clone());
    Ok(names.filter_map(|name| Some((name.clone(), TimeKeyValue::of(&with_values, &name)?))).collect())
}
