//! The values of secrets, once a sheet is accepted: typed, or made up, in the store beside it.

use std::path::{Path, PathBuf};

use impostazione_core::draft::Interview;
use impostazione_core::machine::{SecretSource, Site};
use impostazione_core::views::inventory::{Inventory, WantedSecret};
use impostazione_secret::store::{Store, StoreFile, store_path};

use super::super::secret;
use crate::args::{
    ChangeArguments, DraftArguments, Format, SecretCommand, SecretEnterArguments, SecretGenerateArguments,
    SecretRecipientsArguments, UnlockArguments,
};
use crate::exit::{Exit, Failure};
use crate::question;
use crate::secret_sources::RunSources;
use crate::sheet_file::today;
use crate::terminal;

/// The variable that names the file of a private key.
const KEY_VARIABLE: &str = "IMPOSTAZIONE_KEY";

/// What is wanted of the store.
struct Wanted {
    /// Secrets whose values have to be typed.
    typed: Vec<String>,
    /// How many values are made up, host keys included.
    made_up: usize,
}

fn wanted(site: &Site, typed: &[String], store: Option<&Store>) -> Wanted {
    let inventory = Inventory::of(site, store, today());
    let is_missing = |one: &&WantedSecret| {
        one.source == SecretSource::Store.word() && !one.used_by.is_empty() && one.in_store != Some(true)
    };
    let missing: Vec<&WantedSecret> = inventory.secrets.iter().filter(is_missing).collect();
    let host_keys = inventory.host_keys.iter().filter(|key| key.in_store != Some(true)).count();
    Wanted {
        typed: typed.iter().filter(|name| missing.iter().any(|one| one.name == **name)).cloned().collect(),
        made_up: missing.iter().filter(|one| !typed.contains(&one.name)).count() + host_keys,
    }
}

/// Fills the store with what the sheet wants of it. Where there is none, a key and a store are made.
pub(super) fn fill(
    arguments: &DraftArguments,
    interview: &Interview<'_>,
    is_asking: bool,
    quiet: bool,
) -> Result<Exit, Failure> {
    let sheet = &arguments.sheet;
    let name = sheet.display();
    let assessment = interview.judged();
    let file = StoreFile::read(&store_path(sheet))
        .map_err(|fault| Failure::Files(format!("{fault}; {}", fault.fix())))?;
    let is_new = !file.is_there();
    let mut typed = interview.typed_secrets().to_vec();
    // What belongs to something that exists, or was to be typed, is never made up.
    let of_others = assessment.site.secrets.iter().enumerate().filter(|(index, secret)| {
        assessment.site.not_made_up(*index).is_some() && !typed.contains(&secret.name.value)
    });
    let of_others: Vec<String> = of_others.map(|(_, secret)| secret.name.value.clone()).collect();
    typed.extend(of_others);
    // What the store has is not wanted again.
    let sources = RunSources::new(sheet, &arguments.unlock);
    let known = if is_asking && !is_new { sources.open().ok().map(|open| &open.store) } else { None };
    let wanted = wanted(&assessment.site, &typed, known);
    if wanted.typed.is_empty() && wanted.made_up == 0 {
        return Ok(Exit::Done);
    }
    if !is_asking {
        if is_new {
            terminal::tell(&format!(
                "next: impostazione secret recipients {name} --new-key KEYFILE --yes, and keep KEYFILE safe\n"
            ));
        }
        for secret in &wanted.typed {
            terminal::tell(&format!("next: impostazione secret enter {name} {secret}\n"));
        }
        if wanted.made_up > 0 {
            terminal::tell(&format!("next: impostazione secret generate {name}\n"));
        }
        return Ok(Exit::Done);
    }
    let what = terminal::count(wanted.typed.len() + wanted.made_up, "value", "values");
    if !question::ask(
        &format!("The sheet needs {what} in its encrypted store. Put them there now?"),
        "--yes",
    )? {
        terminal::tell(&format!("later: impostazione draft {name} --only secrets\n"));
        return Ok(Exit::Done);
    }
    let unlock = if is_new { begin(sheet, &arguments.unlock, quiet)? } else { arguments.unlock.clone() };
    for secret in wanted.typed {
        let entered = secret::run(
            &SecretCommand::Enter(SecretEnterArguments {
                sheet: sheet.clone(),
                name: secret,
                holder: None,
                format: Format::Text,
                unlock: unlock.clone(),
            }),
            quiet,
            false,
        )?;
        if entered != Exit::Done {
            return Ok(entered);
        }
    }
    if wanted.made_up == 0 {
        return Ok(Exit::Done);
    }
    secret::run(
        &SecretCommand::Generate(SecretGenerateArguments {
            sheet: sheet.clone(),
            name: None,
            holder: None,
            host_keys: false,
            renew: false,
            change: ChangeArguments { yes: true, dry_run: false },
            format: Format::Text,
            unlock,
        }),
        quiet,
        false,
    )
}

/// Where the private key of a new store lies: in the folder of the user's settings (XDG Base Directory Specification).
fn key_path(sheet: &Path) -> Option<PathBuf> {
    let given = |name: &str| std::env::var_os(name).map(PathBuf::from).filter(|path| path.is_absolute());
    let settings = given("XDG_CONFIG_HOME").or_else(|| Some(given("HOME")?.join(".config")))?;
    let stem = sheet.file_stem()?.to_string_lossy().into_owned();
    let names =
        std::iter::once(format!("{stem}.key")).chain((2..1000).map(|number| format!("{stem}-{number}.key")));
    names.map(|name| settings.join("impostazione").join(name)).find(|path| !path.exists())
}

/// Makes a key and a store that it opens, and says what to keep safe. A passphrase that was named makes one without a key.
fn begin(sheet: &Path, unlock: &UnlockArguments, quiet: bool) -> Result<UnlockArguments, Failure> {
    if unlock.passphrase_from.is_some() {
        return Ok(unlock.clone());
    }
    let Some(path) = key_path(sheet) else {
        return Err(Failure::Files(
            "neither XDG_CONFIG_HOME nor HOME is set, so there is no place for the private key of a store"
                .to_owned(),
        ));
    };
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder).map_err(|error| {
            Failure::Files(format!(
                "{} cannot be made: {}",
                folder.display(),
                impostazione_text::files::plain(&error)
            ))
        })?;
    }
    let made = secret::run(
        &SecretCommand::Recipients(SecretRecipientsArguments {
            sheet: sheet.to_owned(),
            add: Vec::new(),
            remove: Vec::new(),
            new_key: Some(path.clone()),
            passphrase: false,
            new_passphrase_from: None,
            change: ChangeArguments { yes: true, dry_run: false },
            format: Format::Text,
            unlock: UnlockArguments::default(),
        }),
        quiet,
        false,
    )?;
    if made != Exit::Done {
        return Err(Failure::Files("no store was made".to_owned()));
    }
    terminal::tell(&format!(
        "Keep {0} safe, and a copy of it elsewhere: nothing else opens {1}.\nBefore other commands, type: export \
            {KEY_VARIABLE}={0}\n",
        path.display(),
        store_path(sheet).display()
    ));
    Ok(UnlockArguments { key: vec![path], ..UnlockArguments::default() })
}
