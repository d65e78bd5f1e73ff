//! The secrets that asking the network takes: keys of time servers, and host keys, as far as they are to be had.

use std::collections::BTreeMap;
use std::path::Path;

use impostazione_core::assess::Assessment;
use impostazione_core::machine::{Machine, Secret, SecretSource};
use impostazione_core::network::TimeKeyValue;
use impostazione_secret::store::{Store, StoreFault};
use impostazione_secret::{NotAsked, SecretSources, SourceFault};
use impostazione_text::Hidden;

use crate::args::UnlockArguments;
use crate::exit::Failure;
use crate::secret_sources::RunSources;
use crate::sheet_file::assess_with_file;

/// The sources of a run, for some secrets alone: nobody is asked for another one, and the store stays closed where nothing that is
/// wanted is in it.
struct ForTheNetwork<'a> {
    sources: RunSources,
    secrets: Vec<&'a Secret>,
    wants_host_keys: bool,
}

impl ForTheNetwork<'_> {
    fn is_any(&self, is: impl Fn(&Secret) -> bool) -> bool {
        self.secrets.iter().any(|secret| is(secret))
    }
}

impl SecretSources for ForTheNetwork<'_> {
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
        let is_in_store = |secret: &Secret| secret.source.value() == Some(&SecretSource::Store);
        if self.wants_host_keys || self.is_any(is_in_store) { self.sources.store() } else { NotAsked.store() }
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
    let sources = ForTheNetwork { sources: RunSources::new(sheet, unlock), secrets, wants_host_keys: false };
    let with_values = assess_with_file(sheet, &sources)?.site;
    let names = with_values.time_keys.iter().map(|key| key.name.value.clone());
    Ok(names.filter_map(|name| Some((name.clone(), TimeKeyValue::of(&with_values, &name)?))).collect())
}

/// The sheet read once more with the host keys that were made for its hosts; nothing where it has none.
pub(crate) fn with_host_keys(
    sheet: &Path,
    assessment: &Assessment,
    unlock: &UnlockArguments,
) -> Result<Option<Assessment>, Failure> {
    let has_made_key = |machine: &Machine| machine.host().is_some() && machine.settings.ssh.has_made_key();
    if !assessment.site.machines.iter().any(has_made_key) {
        return Ok(None);
    }
    let sources =
        ForTheNetwork { sources: RunSources::new(sheet, unlock), secrets: Vec::new(), wants_host_keys: true };
    assess_with_file(sheet, &sources).map(Some)
}
