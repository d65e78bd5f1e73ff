//! `secret recipients`

use std::fmt::Write as _;
use std::path::Path;

use impostazione_secret::store::{KeyPair, Recipient, Seal, Store, StoreFile, recipients_in};
use impostazione_text::Hidden;
use impostazione_text::files::{ReadFault, read_file};
use serde::Serialize;

use super::super::json;
use super::stored::{new_passphrase, save, store_failure, strong, write_new};
use crate::args::{Format, SecretRecipientsArguments};
use crate::exit::{Exit, Failure};
use crate::question::Decision;
use crate::secret_sources::{OpenStore, RunSources, is_interactive, passphrase_in};
use crate::terminal;

/// The largest file of public keys that is read.
const LIMIT: u64 = 1024 * 1024;

pub(super) fn run(arguments: &SecretRecipientsArguments, quiet: bool) -> Result<Exit, Failure> {
    if !arguments.sheet.is_file() {
        return Err(Failure::Files(format!("the sheet {} does not exist", arguments.sheet.display())));
    }
    let sources = RunSources::new(&arguments.sheet, &arguments.unlock);
    let changes = !arguments.add.is_empty()
        || !arguments.remove.is_empty()
        || arguments.new_key.is_some()
        || arguments.passphrase;
    if !changes {
        let open = sources.into_open().map_err(|fault| store_failure(&fault))?;
        return show(&open, arguments.format, "unchanged");
    }
    arguments.change.refuse_to_ask(arguments.format)?;
    let mut added = Vec::new();
    for one in &arguments.add {
        added.extend(read_recipients(one)?);
    }
    let _lock = sources.lock().map_err(|fault| store_failure(&fault))?;
    let file = StoreFile::read(sources.path()).map_err(|fault| store_failure(&fault))?;
    let is_new = !file.is_there();
    let mut open = if is_new {
        let store = Store::new(Vec::new()).map_err(|fault| Failure::Files(fault.to_string()))?;
        OpenStore { store, seal: Seal::Recipients, file }
    } else {
        RunSources::new(&arguments.sheet, &arguments.unlock)
            .into_open()
            .map_err(|fault| store_failure(&fault))?
    };
    let mut new_key = None;
    if arguments.passphrase {
        let passphrase = match new_from(arguments, &sources, is_new)? {
            Some(given) => given,
            None if is_interactive() => new_passphrase(sources.path())?,
            None => {
                return Err(Failure::CommandLine(
                    "a new passphrase needs a terminal, or --new-passphrase-from FILE".to_owned(),
                ));
            }
        };
        open.store.recipients.clear();
        open.seal = Seal::Passphrase(strong(passphrase)?);
    } else {
        let pair = arguments.new_key.is_some().then(KeyPair::random);
        added.extend(pair.as_ref().map(|pair| pair.public.clone()));
        change(&mut open, added, &arguments.remove)?;
        open.seal = Seal::Recipients;
        new_key = pair;
    }
    let decision = decide(arguments, &open, is_new)?;
    if decision != Decision::Go {
        let path = open.file.path().display();
        return match (arguments.format, decision) {
            (Format::Json, _) => {
                show(&open, Format::Json, decision.word(""))?;
                Ok(decision.exit())
            }
            (Format::Text, Decision::DryRun) => {
                terminal::print(&format!(
                    "{path}: nothing was changed (--dry-run); it would be a store that\n"
                ))?;
                show(&open, Format::Text, "")
            }
            (Format::Text, _) => {
                terminal::say_unchanged(&path.to_string());
                Ok(Exit::ErrorsRemain)
            }
        };
    }
    if let (Some(path), Some(pair)) = (&arguments.new_key, &new_key) {
        write_new(path, pair.private_file.reveal().as_bytes(), "made")?;
    }
    // Who could open it until now knows its identity.
    if !is_new && (!arguments.remove.is_empty() || arguments.passphrase) {
        open.store.renew_identity().map_err(|fault| Failure::Files(fault.to_string()))?;
    }
    save(&mut open)?;
    if arguments.format == Format::Json {
        return show(&open, Format::Json, if is_new { "made" } else { "encrypted-again" });
    }
    if !quiet {
        let done = if is_new { "made" } else { "encrypted again" };
        terminal::print(&format!("{}: {done}\n", open.file.path().display()))?;
        show(&open, Format::Text, "")?;
        if !is_new && (!arguments.remove.is_empty() || arguments.passphrase) {
            terminal::tell(&format!(
                "Those who could open it before can still open {} and other old copies: change the secrets they must \
                    not know, and delete the copies.\n",
                open.file.copy_path().display()
            ));
        }
    }
    Ok(Exit::Done)
}

/// The passphrase for a store that is made now, from where one to open it with would come.
fn new_from(
    arguments: &SecretRecipientsArguments,
    sources: &RunSources,
    is_new: bool,
) -> Result<Option<Hidden>, Failure> {
    if let Some(path) = &arguments.new_passphrase_from {
        return passphrase_in(path).map(Some).map_err(|fault| store_failure(&fault));
    }
    if is_new { sources.given_passphrase().map_err(|fault| store_failure(&fault)) } else { Ok(None) }
}

/// Whether the store is to be written. One that is made now replaces nothing.
fn decide(
    arguments: &SecretRecipientsArguments,
    open: &OpenStore,
    is_new: bool,
) -> Result<Decision, Failure> {
    if is_new && !arguments.change.dry_run {
        return Ok(Decision::Go);
    }
    let who = match &open.seal {
        Seal::Passphrase(_) => "a passphrase".to_owned(),
        Seal::Recipients => terminal::count(open.store.recipients.len(), "key", "keys"),
    };
    let path = open.file.path().display();
    arguments.change.decide(&format!("Encrypt {path} again, so that it opens with {who}?"))
}

/// Who can open a store, for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    store: String,
    outcome: &'a str,
    opens_with: &'static str,
    recipients: Vec<&'a str>,
}

fn show(open: &OpenStore, format: Format, outcome: &str) -> Result<Exit, Failure> {
    if format == Format::Json {
        json::print(&JsonReport {
            store: open.file.path().display().to_string(),
            outcome,
            opens_with: match &open.seal {
                Seal::Passphrase(_) => "passphrase",
                Seal::Recipients => "keys",
            },
            recipients: open.store.recipients.iter().map(Recipient::line).collect(),
        })?;
        return Ok(Exit::Done);
    }
    let mut text = String::new();
    match &open.seal {
        Seal::Passphrase(_) => text += "opens with a passphrase\n",
        Seal::Recipients => {
            text += match open.store.recipients.len() {
                1 => "opens with the private key that belongs to:\n",
                _ => "opens with the private key that belongs to any of:\n",
            };
            for recipient in &open.store.recipients {
                let _ = writeln!(text, "  {}", terminal::harmless(recipient.line()));
            }
        }
    }
    terminal::print(&text)?;
    Ok(Exit::Done)
}

/// A public key as it is written, or those of a file.
fn read_recipients(text: &str) -> Result<Vec<Recipient>, Failure> {
    let direct = Recipient::parse(text);
    if let Ok(recipient) = direct {
        return Ok(vec![recipient]);
    }
    let refused =
        |reason: String| Failure::CommandLine(format!("--add {}: {reason}", terminal::harmless(text)));
    if let Err(impostazione_secret::store::RecipientFault::Private) = direct {
        return Err(Failure::CommandLine(
            "--add: what was given is a private key, which must stay where it is; name the public half"
                .to_owned(),
        ));
    }
    let bytes = match read_file(Path::new(text), LIMIT) {
        Ok(bytes) => bytes,
        Err(ReadFault::Missing) => {
            return Err(refused(
                "it is neither a public key (age1… or ssh-…) nor a file with public keys".to_owned(),
            ));
        }
        Err(fault) => return Err(refused(fault.to_string())),
    };
    let content = String::from_utf8(bytes).map_err(|_| refused("it is not text".to_owned()))?;
    let found = recipients_in(&content).map_err(|(line, fault)| refused(format!("line {line} {fault}")))?;
    if found.is_empty() {
        return Err(refused("it holds no public key".to_owned()));
    }
    Ok(found)
}

fn change(open: &mut OpenStore, added: Vec<Recipient>, removed: &[String]) -> Result<(), Failure> {
    let recipients = &mut open.store.recipients;
    for text in removed {
        let before = recipients.len();
        // A comment behind a key names it too.
        let is_meant = |known: &Recipient| {
            known.line() == text.trim()
                || Recipient::parse(text).is_ok_and(|recipient| recipient.is_same_key(known))
                || known.line().split_whitespace().nth(2).is_some_and(|comment| comment == text.trim())
        };
        recipients.retain(|known| !is_meant(known));
        if recipients.len() == before {
            return Err(Failure::CommandLine(format!(
                "--remove {}: the store has no such recipient; `impostazione secret recipients` lists them",
                terminal::harmless(text)
            )));
        }
    }
    for recipient in added {
        if !recipients.iter().any(|known| known.is_same_key(&recipient)) {
            recipients.push(recipient);
        }
    }
    if recipients.is_empty() {
        return Err(Failure::CommandLine(
            "nobody could open the store then; add another recipient first, or use --passphrase".to_owned(),
        ));
    }
    Ok(())
}
