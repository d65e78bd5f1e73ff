//! The store of a sheet, as the commands on secrets use it.

use std::fs::{self, OpenOptions};
use std::io::Write as _;
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::Path;

use impostazione_core::assess::{Assessment, assess_with};
use impostazione_core::finding::Finding;
use impostazione_core::machine::{SECRET_MISSING, Secret, SecretScope, SecretSource, Site};
use impostazione_secret::store::{EntryId, Seal, Store, StoreFault, StoreFile};
use impostazione_secret::{NotAsked, StoreOnly, is_weak_passphrase};
use impostazione_text::files::{Folder, plain};
use impostazione_text::{Hidden, nearest};

use crate::exit::Failure;
use crate::secret_sources::{OpenStore, RunSources, ask_twice, is_interactive, remember_written};
use crate::sheet_file::{assess_with_file, read_sheet, today};
use crate::terminal;

/// The site of a sheet, without the values of its secrets.
pub(super) fn site_of(sheet: &Path) -> Result<Assessment, Failure> {
    let assessment = assess_with_file(sheet, &NotAsked)?;
    if assessment.is_whole {
        return Ok(assessment);
    }
    Err(Failure::Files(format!(
        "the sheet cannot be read in full, so it is not certain what uses its secrets; `impostazione check {}` shows \
            why",
        sheet.display()
    )))
}

pub(super) fn store_failure(fault: &StoreFault) -> Failure {
    Failure::Files(format!("{fault}; {}", fault.fix()))
}

/// The store, or a new one where there is none.
pub(super) fn open_or_new(sources: RunSources) -> Result<OpenStore, Failure> {
    let path = sources.path().to_owned();
    let file = StoreFile::read(&path).map_err(|fault| store_failure(&fault))?;
    if file.is_there() {
        return sources.into_open().map_err(|fault| store_failure(&fault));
    }
    let passphrase = match sources.given_passphrase().map_err(|fault| store_failure(&fault))? {
        Some(given) => given,
        None if is_interactive() => new_passphrase(&path)?,
        None => return Err(store_failure(&StoreFault::Missing(path.display().to_string()))),
    };
    let passphrase = strong(passphrase)?;
    let store = Store::new(Vec::new()).map_err(|fault| Failure::Files(fault.to_string()))?;
    Ok(OpenStore { store, seal: Seal::Passphrase(passphrase), file })
}

/// Asks for the passphrase of a store that is about to be made.
pub(super) fn new_passphrase(path: &Path) -> Result<Hidden, Failure> {
    terminal::tell(&format!(
        "A new store, {}. Choose a passphrase for it, or press Enter and use public keys instead:\n`impostazione \
         secret recipients SHEET --add KEY`.\n",
        path.display()
    ));
    ask_twice("Passphrase: ")
        .ok_or_else(|| Failure::CommandLine("no passphrase was chosen; no store was made".to_owned()))
}

/// A new passphrase, unless it can be guessed.
pub(super) fn strong(passphrase: Hidden) -> Result<Hidden, Failure> {
    if is_weak_passphrase(&passphrase) {
        return Err(Failure::CommandLine(
            "this passphrase is easy to guess, so no store was written; choose several unrelated words"
                .to_owned(),
        ));
    }
    Ok(passphrase)
}

/// Writes the store back.
pub(super) fn save(open: &mut OpenStore) -> Result<(), Failure> {
    open.store.revision += 1;
    let path = open.file.path();
    let refused = |error: &std::io::Error| {
        Failure::Files(format!("{} cannot be written: {}; it is as it was", path.display(), plain(error)))
    };
    let bytes = open.store.seal(&open.seal).map_err(|error| refused(&error))?;
    open.file.replace(&bytes).map_err(|error| refused(&error))?;
    remember_written(path, &open.store);
    Ok(())
}

/// Writes a new file that only its owner reads, from its first moment. What is there already is not overwritten.
pub(super) fn write_new(path: &Path, bytes: &[u8], doing: &str) -> Result<(), Failure> {
    let refused = |error: &std::io::Error| {
        let hint = match error.kind() {
            std::io::ErrorKind::AlreadyExists => "; an existing file is not overwritten",
            _ => "",
        };
        Failure::Files(format!("{} cannot be {doing}: {}{hint}", path.display(), plain(error)))
    };
    let opened = OpenOptions::new().write(true).create_new(true).mode(0o600).open(path);
    let mut file = opened.map_err(|error| refused(&error))?;
    if let Err(error) = file.write_all(bytes).and_then(|()| file.sync_all()) {
        let _ = fs::remove_file(path);
        return Err(refused(&error));
    }
    Ok(())
}

/// The secret of a name that the store keeps.
pub(super) fn stored_secret<'a>(site: &'a Site, name: &str) -> Result<(usize, &'a Secret), Failure> {
    let kept = || {
        site.secrets
            .iter()
            .enumerate()
            .filter(|(_, secret)| matches!(secret.source.value(), Some(SecretSource::Store)))
    };
    if let Some(found) = kept().find(|(_, secret)| secret.name.value == name) {
        return Ok(found);
    }
    if let Some(other) = site.secrets.iter().find(|secret| !secret.is_in_sheet() && secret.name.value == name)
    {
        let source = other.source.value().map_or("elsewhere", SecretSource::word);
        return Err(Failure::CommandLine(format!(
            "the secret {name} is from = \"{source}\"; the store is only for secrets that are from = \"store\""
        )));
    }
    let names: Vec<&str> = kept().map(|(_, secret)| secret.name.value.as_str()).collect();
    let hint = match nearest(name, names.iter().copied(), 1).first() {
        Some(close) => format!("; did you mean {close}?"),
        None if names.is_empty() => "; no secret in it is from = \"store\"".to_owned(),
        None => format!("; it has {}", names.join(", ")),
    };
    Err(Failure::CommandLine(format!("the sheet has no secret {name}{hint}")))
}

/// Who has values of a secret: the names that `--for` takes, or nothing where one value serves all.
pub(super) fn holders(site: &Site, secret: usize) -> Vec<Option<String>> {
    let slots = site.secret_slots().iter().filter(|slot| slot.secret == secret);
    slots.map(|slot| slot.holder.clone()).collect()
}

/// The entries that are meant by a name and `--for`.
pub(super) fn entries(site: &Site, name: &str, holder: Option<&str>) -> Result<Vec<EntryId>, Failure> {
    let (index, secret) = stored_secret(site, name)?;
    let holders = holders(site, index);
    let id = |holder: Option<String>| EntryId { secret: name.to_owned(), holder };
    let Some(wanted) = holder else {
        if holders.is_empty() && secret.scope != SecretScope::Site {
            return Err(Failure::CommandLine(format!(
                "nothing in the sheet uses {name} yet, so it is not known which {} have a value",
                if secret.scope == SecretScope::Cluster { "clusters" } else { "machines" }
            )));
        }
        // A secret that nothing uses yet may be put there all the same.
        let all: Vec<EntryId> = holders.into_iter().map(id).collect();
        return Ok(if all.is_empty() { vec![id(None)] } else { all });
    };
    let named: Vec<&str> = holders.iter().flatten().map(String::as_str).collect();
    if named.contains(&wanted) {
        return Ok(vec![id(Some(wanted.to_owned()))]);
    }
    let hint = match nearest(wanted, named.iter().copied(), 1).first() {
        Some(close) => format!("; did you mean {close}?"),
        None if named.is_empty() => "; it has one value for all, so leave --for out".to_owned(),
        None => String::new(),
    };
    Err(Failure::CommandLine(format!("{name} has no value of its own for {wanted}{hint}")))
}

/// What is wrong because of an entry of a store: what is said of the sheet with it, and not without it.
pub(super) fn findings_because_of(
    sheet: &Path,
    id: &EntryId,
    store: &Store,
) -> Result<(Assessment, Vec<Finding>), Failure> {
    let (called, bytes) = read_sheet(sheet)?;
    let judged = |store: &Store| {
        assess_with(&called, bytes.clone(), &Folder::of_file(sheet), &StoreOnly(store), today())
    };
    let mut without = store.clone();
    without.secrets.remove(id);
    let before = judged(&without).findings;
    let is_new = |finding: &&Finding| {
        let is_same = |other: &Finding| {
            other.rule == finding.rule && other.place == finding.place && other.message == finding.message
        };
        // Fewer values are missing with it, which is said in other words.
        *finding.rule != SECRET_MISSING && !before.iter().any(is_same)
    };
    let assessment = judged(store);
    let findings = assessment.findings.iter().filter(is_new).cloned().collect();
    Ok((assessment, findings))
}
