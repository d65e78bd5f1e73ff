//! `secret generate`

use std::fmt::Write as _;

use impostazione_core::machine::{Machine, SecretSource, Site};
use impostazione_core::views::inventory::Inventory;
use impostazione_secret::HostKey;
use impostazione_secret::store::{EntryId, HostKeyEntry, Store, StoredSecret};

use super::stored::{entries, open_or_new, save, site_of, store_failure, stored_secret};
use crate::args::SecretGenerateArguments;
use crate::exit::{Exit, Failure};
use crate::secret_sources::RunSources;
use crate::sheet_file::today;
use crate::terminal;

/// What was made.
#[derive(Default)]
struct Made {
    lines: Vec<String>,
    kept: usize,
}

pub(super) fn run(arguments: &SecretGenerateArguments, quiet: bool) -> Result<Exit, Failure> {
    let site = site_of(&arguments.sheet)?.site;
    let ids = wanted(arguments, &site)?;
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let _lock = sources.lock().map_err(|fault| store_failure(&fault))?;
    let mut open = open_or_new(sources)?;
    let mut made = Made::default();
    for id in ids {
        if open.store.secrets.contains_key(&id) && !arguments.renew {
            made.kept += 1;
            continue;
        }
        make_value(&site, id, &mut open.store, &mut made)?;
    }
    if arguments.host_keys || arguments.name.is_none() {
        make_host_keys(arguments, &site, &mut open.store, &mut made)?;
    }
    if !made.lines.is_empty() {
        save(&mut open)?;
    }
    if !quiet {
        let mut text: String = made.lines.concat();
        let _ = write!(text, "{}: {} made", open.file.path().display(), made.lines.len());
        if made.kept > 0 {
            let _ = write!(text, ", {} already there (--renew makes them anew)", made.kept);
        }
        terminal::print(&(text + "\n"))?;
    }
    Ok(Exit::Done)
}

/// The entries that are to be made: of one secret, or of all that the store keeps.
fn wanted(arguments: &SecretGenerateArguments, site: &Site) -> Result<Vec<EntryId>, Failure> {
    if let Some(name) = &arguments.name {
        return entries(site, name, arguments.holder.as_deref());
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
    let has_host_keys = site.machines.iter().any(wants_host_key);
    if ids.is_empty() && !has_host_keys {
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
    made.lines.push(format!(
        "made    {id}: {} characters, each one of {}: {:.0} bits\n",
        generated.value.length(),
        generated.alphabet,
        generated.bits.floor()
    ));
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
        if store.host_keys.contains_key(&name) && !(arguments.renew && arguments.host_keys) {
            made.kept += 1;
            continue;
        }
        let key = HostKey::random().map_err(|fault| Failure::Files(fault.to_string()))?;
        store.host_keys.insert(name.clone(), HostKeyEntry { key, since: today() });
        made.lines.push(format!("made    host key of {name}: Ed25519\n"));
    }
    Ok(())
}
