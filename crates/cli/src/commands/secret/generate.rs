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

    /// How it was made.
    fn how(&self) -> String {
        match (self.length, self.bits) {
            (Some(length), Some(bits)) => format!("{length} random characters ({bits:.0} bits)"),
            _ => "Ed25519".to_owned(),
        }
    }
}

/// What was made, in lines: values of one secret that were made alike are said once.
fn lines_of(made: &[MadeValue], word: &str) -> String {
    let is_alike =
        |one: &MadeValue, other: &MadeValue| one.secret == other.secret && one.how() == other.how();
    let mut text = String::new();
    for group in made.chunk_by(is_alike) {
        let Some(first) = group.first() else { continue };
        let holders: Vec<&str> = group.iter().filter_map(|one| one.holder.as_deref()).collect();
        let of = if holders.is_empty() { String::new() } else { format!(" of {}", holders.join(", ")) };
        let line = match &first.secret {
            Some(secret) => format!("{word} {secret}{of}: {}", first.how()),
            None => format!("{word} host key{of}: {}", first.how()),
        };
        let each = if group.len() > 1 { " each" } else { "" };
        let options = terminal::wrapping(terminal::width()).subsequent_indent("        ");
        // Writing to a String does not fail.
        let _ = writeln!(text, "{}", textwrap::fill(&terminal::harmless(&(line + each)), options));
    }
    text
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
                terminal::tell(&format!("Values to replace:\n{}", lines.concat()));
            }
            arguments
                .change
                .decide(&format!("Replace {values} in {path}? The old ones will stop working."))?
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
        terminal::say_note(&format!(
            "{0} {1}: put it into the store with `impostazione secret enter {2} {0}`; if you want a new one, write \
                generated = true in [secret.{0}]",
            one.secret,
            one.message,
            arguments.sheet.display()
        ));
    }
    if decision == Decision::Declined {
        terminal::say_unchanged(&path);
    } else if !quiet || decision == Decision::DryRun {
        let word = if decision == Decision::Go { "made   " } else { "to make" };
        let mut text = lines_of(&made.values, word);
        let _ = match decision {
            Decision::Go => write!(text, "{path}: {} made", made.values.len()),
            _ => write!(text, "{path}: nothing was changed (--dry-run)"),
        };
        if made.kept > 0 {
            let hint = if arguments.renew { "" } else { " (--renew replaces them)" };
            let _ = write!(text, ", {} already there{hint}", made.kept);
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
                "{name} {}, so nothing was generated; put it into the store with `impostazione secret enter {} \
                    {name}`, or write generated = true in [secret.{name}] if you want a new one",
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
            "no secret in the store has a value of its own for {holder}"
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
            "no secret in the sheet is from = \"store\", and no host asks for a host key".to_owned(),
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
            "no value can be generated for {}: {fault}; `impostazione check` shows which rules contradict",
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
        return Err(Failure::CommandLine(format!(
            "{name} is not a host in the sheet that asks for a host key"
        )));
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
