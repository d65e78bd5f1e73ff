//! `secret generate`

use std::fmt::Write as _;

use impostazione_core::machine::{Machine, SecretSource, Site};
use impostazione_core::views::inventory::Inventory;
use impostazione_secret::HostKey;
use impostazione_secret::store::{EntryId, HostKeyEntry, Store, StoredSecret};
use serde::Serialize;

use super::super::json;
use super::stored::{entries, open_or_new, save, site_of, store_failure, stored_secret};
use crate::args::{Format, SecretGenerateArguments};
use crate::exit::{Exit, Failure};
use crate::question::Decision;
use crate::secret_sources::RunSources;
use crate::sheet_file::today;
use crate::terminal;

/// What was made.
#[derive(Default)]
struct Made {
    values: Vec<MadeValue>,
    /// Those of them that were there before.
    replaced: usize,
    kept: usize,
    /// Secrets that belong to something that exists already.
    left_out: Vec<LeftOut>,
}

/// A secret that is not made up.
#[derive(Serialize)]
struct LeftOut {
    secret: String,
    /// Why, as the end of a sentence about it.
    message: &'static str,
}

/// A value that was made, without itself.
#[derive(Serialize)]
struct MadeValue {
    /// The secret; nothing for a host key.
    secret: Option<String>,
    /// Whose it is.
    holder: Option<String>,
    length: Option<usize>,
    alphabet: Option<usize>,
    bits: Option<f64>,
    /// Whether the store had one before.
    replaces: bool,
}

impl MadeValue {
    /// What it is of.
    fn whose(&self) -> String {
        match &self.secret {
            Some(secret) => EntryId { secret: secret.clone(), holder: self.holder.clone() }.to_string(),
            None => format!("the host key of {}", self.holder.as_deref().unwrap_or_default()),
        }
    }

    fn line(&self) -> String {
        match (&self.secret, &self.holder, self.length, self.alphabet, self.bits) {
            (Some(secret), holder, Some(length), Some(alphabet), Some(bits)) => {
                let id = EntryId { secret: secret.clone(), holder: holder.clone() };
                format!("{id}: {length} characters, each one of {alphabet}: {bits:.0} bits")
            }
            (_, holder, ..) => format!("host key of {}: Ed25519", holder.as_deref().unwrap_or_default()),
        }
    }
}

/// The same for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    store: String,
    outcome: &'static str,
    made: &'a [MadeValue],
    replaced: usize,
    kept: usize,
    left_out: &'a [LeftOut],
}

pub(super) fn run(arguments: &SecretGenerateArguments, quiet: bool) -> Result<Exit, Failure> {
    if arguments.renew {
        arguments.change.refuse_to_ask(arguments.format)?;
    }
    let site = site_of(&arguments.sheet)?.site;
    let mut made = Made::default();
    let ids = wanted(arguments, &site, &mut made)?;
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let _lock = sources.lock().map_err(|fault| store_failure(&fault))?;
    let mut open = open_or_new(sources)?;
    for id in ids {
        if open.store.secrets.contains_key(&id) {
            if !arguments.renew {
                made.kept += 1;
                continue;
            }
            made.replaced += 1;
        }
        make_value(&site, id, &mut open.store, &mut made)?;
    }
    if arguments.host_keys || arguments.name.is_none() {
        make_host_keys(arguments, &site, &mut open.store, &mut made)?;
    }
    let path = open.file.path().display().to_string();
    let decision = match made.replaced {
        // Nothing that exists is changed.
        0 if arguments.change.dry_run => Decision::DryRun,
        0 => Decision::Go,
        replaced => {
            let values = terminal::count(replaced, "value", "values");
            if arguments.format == Format::Text {
                let lines = made.values.iter().filter(|one| one.replaces);
                let lines: Vec<String> = lines.map(|one| format!("  {}\n", one.whose())).collect();
                terminal::tell(&format!("There already, and to be replaced:\n{}", lines.concat()));
            }
            arguments
                .change
                .decide(&format!("Replace {values} in {path}? The old ones open nothing any more."))?
        }
    };
    if decision == Decision::Go && !made.values.is_empty() {
        save(&mut open)?;
    }
    if arguments.format == Format::Json {
        json::print(&JsonReport {
            store: path,
            outcome: decision.word("made"),
            made: &made.values,
            replaced: made.replaced,
            kept: made.kept,
            left_out: &made.left_out,
        })?;
        return Ok(decision.exit());
    }
    for one in &made.left_out {
        terminal::complain(&format!(
            "{0} {1}: put it into the store with `impostazione secret enter {2} {0}`; where a new one is meant, write generated = true in [secret.{0}]",
            one.secret,
            one.message,
            arguments.sheet.display()
        ));
    }
    if decision == Decision::Declined {
        terminal::complain(&format!("{path} is as it was: the question was declined"));
    } else if !quiet || decision == Decision::DryRun {
        let word = if decision == Decision::Go { "made   " } else { "to make" };
        let lines: Vec<String> = made.values.iter().map(|one| format!("{word} {}\n", one.line())).collect();
        let mut text = lines.concat();
        let _ = match decision {
            Decision::Go => write!(text, "{path}: {} made", made.values.len()),
            _ => write!(text, "{path}: nothing was changed, as --dry-run asks"),
        };
        if made.kept > 0 {
            let _ = write!(text, ", {} already there (--renew makes them anew)", made.kept);
        }
        terminal::print(&(text + "\n"))?;
    }
    Ok(decision.exit())
}

/// The entries that are to be made: of one secret, or of all that the store keeps.
fn wanted(
    arguments: &SecretGenerateArguments,
    site: &Site,
    made: &mut Made,
) -> Result<Vec<EntryId>, Failure> {
    let not_made_up = |name: &str| {
        let index = site.secrets.iter().position(|secret| !secret.is_in_sheet() && secret.name.value == name);
        site.not_made_up(index?)
    };
    if let Some(name) = &arguments.name {
        let ids = entries(site, name, arguments.holder.as_deref())?;
        if let Some(why) = not_made_up(name) {
            return Err(Failure::CommandLine(format!(
                "{name} {}, and nothing was made up; put it into the store with `impostazione secret enter {} {name}`, or write generated = true in [secret.{name}] where a new one is meant",
                why.reason(),
                arguments.sheet.display()
            )));
        }
        return Ok(ids);
    }
    if arguments.host_keys {
        return Ok(Vec::new());
    }
    let today = today();
    let wanted = Inventory::of(site, None, today).secrets.into_iter();
    let ids: Vec<EntryId> = wanted
        .filter(|secret| secret.source == SecretSource::Store.word() && !secret.used_by.is_empty())
        .map(|secret| EntryId { secret: secret.name, holder: secret.holder })
        .filter(|id| arguments.holder.is_none() || id.holder == arguments.holder)
        .collect();
    if let (Some(holder), true) = (&arguments.holder, ids.is_empty()) {
        return Err(Failure::CommandLine(format!(
            "{holder} has no value of its own of any secret in the store"
        )));
    }
    let (left_out, ids): (Vec<EntryId>, Vec<EntryId>) =
        ids.into_iter().partition(|id| not_made_up(&id.secret).is_some());
    for id in left_out {
        if let Some(why) = not_made_up(&id.secret)
            && made.left_out.iter().all(|known| known.secret != id.secret)
        {
            made.left_out.push(LeftOut { secret: id.secret, message: why.reason() });
        }
    }
    let has_host_keys = site.machines.iter().any(wants_host_key);
    if made.left_out.is_empty() && ids.is_empty() && !has_host_keys {
        return Err(Failure::CommandLine(
            "nothing in the sheet uses a secret that is from = \"store\", and no host asks for a host key"
                .to_owned(),
        ));
    }
    Ok(ids)
}

fn make_value(site: &Site, id: EntryId, store: &mut Store, made: &mut Made) -> Result<(), Failure> {
    let (index, secret) = stored_secret(site, &id.secret)?;
    let slot = site.secret_slots().iter().find(|slot| slot.secret == index && slot.holder == id.holder);
    let demands = match slot {
        Some(slot) => site.demands_on(slot),
        // Nothing uses it yet, so that it is the secret alone that asks for something.
        None => site.demands_on(&impostazione_core::machine::SecretSlot {
            secret: index,
            holder: None,
            uses: Vec::new(),
        }),
    };
    let generated = demands.recipe().generate().map_err(|fault| {
        Failure::Files(format!(
            "no value can be made up for {}: {fault}; `impostazione check` says who asks for what",
            secret.name.value
        ))
    })?;
    made.values.push(MadeValue {
        replaces: store.secrets.contains_key(&id),
        secret: Some(id.secret.clone()),
        holder: id.holder.clone(),
        length: Some(generated.value.length()),
        alphabet: Some(generated.alphabet),
        bits: Some(generated.bits.floor()),
    });
    store.secrets.insert(id, StoredSecret { value: generated.value, since: today() });
    Ok(())
}

fn wants_host_key(machine: &Machine) -> bool {
    machine.host().is_some() && machine.settings.ssh.has_made_key()
}

fn make_host_keys(
    arguments: &SecretGenerateArguments,
    site: &Site,
    store: &mut Store,
    made: &mut Made,
) -> Result<(), Failure> {
    let wanted: Vec<&Machine> = site.machines.iter().filter(|machine| wants_host_key(machine)).collect();
    if wanted.is_empty() && arguments.host_keys {
        return Err(Failure::CommandLine(
            "no host asks for a host key; write ssh = { host_key = true } in [common] or on a host"
                .to_owned(),
        ));
    }
    if let Some(name) = arguments.holder.as_deref().filter(|_| arguments.host_keys)
        && !wanted.iter().any(|machine| machine.label() == name)
    {
        return Err(Failure::CommandLine(format!("{name} is no host of the sheet that asks for a host key")));
    }
    for machine in wanted {
        let name = machine.label().to_owned();
        let is_meant = arguments.holder.as_deref().is_none_or(|holder| holder == name);
        if !is_meant {
            continue;
        }
        // A new host key looks like an intruder to all who know the old one.
        let replaces = store.host_keys.contains_key(&name);
        if replaces {
            if !(arguments.renew && arguments.host_keys) {
                made.kept += 1;
                continue;
            }
            made.replaced += 1;
        }
        let key = HostKey::random().map_err(|fault| Failure::Files(fault.to_string()))?;
        store.host_keys.insert(name.clone(), HostKeyEntry { key, since: today() });
        made.values.push(MadeValue {
            replaces,
            secret: None,
            holder: Some(name),
            length: None,
            alphabet: None,
            bits: None,
        });
    }
    Ok(())
}
