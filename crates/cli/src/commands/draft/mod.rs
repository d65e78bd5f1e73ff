//! `draft`

mod from;
mod json_lines;
mod keep;
mod known;
mod known_replies;
mod on_terminal;
mod store;

use std::io::IsTerminal as _;
use std::path::Path;

use impostazione_core::draft::{Desk, Interview, Outcome, Replies, Start};
use impostazione_core::sheet::SIZE_LIMIT;
use impostazione_text::files::{Folder, read_file};

use crate::args::{DraftArguments, DraftPart, Format};
use crate::exit::{Exit, Failure};
use crate::sheet_file::{read_sheet, today};
use crate::terminal::{self, harmless};
use keep::{Kept, SheetFile};
use known_replies::{KnownReplies, Refused};

/// How an interview ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Ending {
    /// All is right.
    Accepted,
    /// It was left, and what there is is kept.
    Left,
    /// It was left, and nothing is kept.
    Dropped,
}

pub(crate) fn run(arguments: &DraftArguments, quiet: bool) -> Result<Exit, Failure> {
    if arguments.only == Some(DraftPart::Secrets) {
        return secrets(arguments, quiet);
    }
    let sheet = &arguments.sheet;
    let file = sheet_file(sheet)?;
    if file.text.is_none() && arguments.only.is_some() {
        return Err(Failure::CommandLine(format!(
            "{} does not exist yet, so there is nothing to add to; leave --only out",
            sheet.display()
        )));
    }
    let replies = arguments.replies.as_deref().map(read_replies).transpose()?;
    let mut replies = replies.map(KnownReplies::new).unwrap_or_default();
    if let Some(path) = arguments.save_replies.as_deref().filter(|path| path.exists()) {
        return Err(Failure::CommandLine(format!(
            "{} exists already; name a new file for the replies",
            path.display()
        )));
    }
    let name = sheet.display().to_string();
    let folder = Folder::of_file(sheet);
    let desk = Desk::new(&name, &folder, today(), known::known());
    let start = arguments.only.and_then(start_of);
    let mut interview = Interview::new(&desk, file.text.as_deref(), start).map_err(|_| {
        Failure::Files(format!(
            "{name} is not TOML, so it cannot be gone on with: `impostazione check {name}` shows why"
        ))
    })?;
    let taken_in = from::take_in(&mut interview, sheet, &arguments.from)?;
    for line in &taken_in {
        terminal::say_note(line);
    }
    let is_json = arguments.format == Format::Json;
    let is_asking = !arguments.no_questions && (is_json || is_terminal());
    let (ending, kept) = if !is_asking {
        if !arguments.no_questions && arguments.replies.is_none() {
            terminal::say_note(
                "there is no terminal, so nothing is asked, and what is open is written as remarks",
            );
        }
        if let Some(refused) = give_all(&mut interview, &mut replies) {
            say_refused(&refused);
            terminal::say_error(&format!("{}: nothing was written", sheet.display()));
            return Ok(Exit::ErrorsRemain);
        }
        let ending = settle(&mut interview);
        (ending, keep::keep(&file, &interview, ending)?)
    } else if is_json {
        let ending = json_lines::ask(&mut interview, &mut replies)?;
        (ending, keep::keep(&file, &interview, ending)?)
    } else {
        on_terminal::ask(&mut interview, &file, arguments.plain, &mut replies)?
    };
    let unasked = replies.unasked(interview.replies());
    if !unasked.is_empty() && ending != Ending::Dropped {
        let list: Vec<String> = unasked.iter().map(|one| harmless(one)).collect();
        terminal::say_warning(&format!("these replies were not asked for: {}", list.join(", ")));
    }
    if let Some(path) = &arguments.save_replies {
        keep::write_replies(path, interview.replies())?;
    }
    if is_json {
        json_lines::print_end(&name, ending, &kept)?;
        return Ok(kept.exit());
    }
    tell_kept(&name, &kept, quiet)?;
    if ending == Ending::Accepted && !matches!(kept, Kept::Same) {
        return store::fill(arguments, &interview, is_asking, quiet);
    }
    Ok(kept.exit())
}

/// The sheet at the path, where there is one.
fn sheet_file(sheet: &Path) -> Result<SheetFile, Failure> {
    if std::fs::symlink_metadata(sheet).is_err() {
        let folder = sheet.parent().filter(|folder| !folder.as_os_str().is_empty());
        if let Some(folder) = folder.filter(|folder| !folder.is_dir()) {
            return Err(Failure::Files(format!("the folder {} does not exist", folder.display())));
        }
        return Ok(SheetFile { path: sheet.to_owned(), text: None });
    }
    let (name, bytes) = read_sheet(sheet)?;
    let text = String::from_utf8(bytes)
        .map_err(|_| Failure::Files(format!("{name} is not UTF-8 text; save it as UTF-8 first")))?;
    let text = text.strip_prefix('\u{feff}').map_or_else(|| text.clone(), str::to_owned);
    Ok(SheetFile { path: sheet.to_owned(), text: Some(text) })
}

fn start_of(part: DraftPart) -> Option<Start> {
    match part {
        DraftPart::Hosts => Some(Start::Hosts),
        DraftPart::Appliances => Some(Start::Appliances),
        DraftPart::Subnets => Some(Start::Subnets),
        DraftPart::Accounts => Some(Start::Accounts),
        DraftPart::Secrets => None,
    }
}

/// The values of secrets alone: the sheet stays as it is.
fn secrets(arguments: &DraftArguments, quiet: bool) -> Result<Exit, Failure> {
    let (name, bytes) = read_sheet(&arguments.sheet)?;
    let folder = Folder::of_file(&arguments.sheet);
    let desk = Desk::new(&name, &folder, today(), known::known());
    let text = String::from_utf8(bytes).map_err(|_| Failure::Files(format!("{name} is not UTF-8 text")))?;
    let interview = Interview::new(&desk, Some(&text), None)
        .map_err(|_| Failure::Files(format!("{name} is not TOML: `impostazione check {name}` shows why")))?;
    store::fill(arguments, &interview, is_terminal() && !arguments.no_questions, quiet)
}

fn is_terminal() -> bool {
    std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
}

fn read_replies(path: &Path) -> Result<Replies, Failure> {
    let name = path.display();
    let bytes = read_file(path, SIZE_LIMIT)
        .map_err(|fault| Failure::Files(format!("{name} cannot be used: {fault}")))?;
    let text = String::from_utf8(bytes).map_err(|_| Failure::Files(format!("{name} is not UTF-8 text")))?;
    Replies::parse(&text).map_err(|reason| {
        Failure::Files(format!(
            "{name} is not a file of replies, with lines \"question\" = \"reply\": {reason}"
        ))
    })
}

/// Gives the replies of a file, and leaves every other question open.
fn give_all(interview: &mut Interview<'_>, replies: &mut KnownReplies) -> Option<Refused> {
    while !interview.is_at_summary() {
        if let Some(refused) = replies.give(interview) {
            return Some(refused);
        }
        if !interview.is_at_summary() {
            interview.skip();
        }
    }
    None
}

/// Says why a reply of a file was not taken.
fn say_refused(refused: &Refused) {
    let Refused { question, reply, refusal } = refused;
    terminal::say_error(&format!("the reply \"{reply}\" to {question}: {}", refusal.message));
    terminal::tell(&format!("fix: {}\n", harmless(&refusal.fix)));
}

/// Ends an interview in which nobody is asked.
fn settle(interview: &mut Interview<'_>) -> Ending {
    let (_, open) = interview.open_text();
    if open.is_empty() && matches!(interview.reply("accept"), Outcome::Accepted) {
        Ending::Accepted
    } else {
        Ending::Left
    }
}

/// Says what has become of the sheet.
fn tell_kept(name: &str, kept: &Kept, quiet: bool) -> Result<(), Failure> {
    let name = harmless(name);
    match kept {
        Kept::Unchanged | Kept::Same => terminal::say_unchanged(&name),
        Kept::Written { open, errors } => {
            if !quiet {
                terminal::print(&format!("{name}: written\n"))?;
            }
            if !open.is_empty() {
                let list: Vec<String> = open.iter().map(|one| harmless(one)).collect();
                terminal::tell(&format!("open: {}\n", list.join(", ")));
                terminal::tell(&format!("`impostazione draft {name}` goes on with them\n"));
            }
            if *errors > 0 {
                let errors = terminal::count(*errors, "error", "errors");
                terminal::tell(&format!("{name} has {errors}: `impostazione check {name}` shows them\n"));
            }
        }
    }
    Ok(())
}
