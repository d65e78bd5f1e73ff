//! `man`

use std::fs;
use std::io;
use std::path::Path;

use clap::Command;
use clap_mangen::Man;
use impostazione_core::views::documentation::sheet_tables;
use impostazione_text::files::plain;
use roff::{Inline, Roff, bold, italic, roman};

use crate::args::ManArguments;
use crate::command_line::{command, examples};
use crate::exit::{Exit, Failure};
use crate::terminal;

/// The day that pages bear.
const DAY: &str = "2026-11-28";
/// What all pages belong to.
const MANUAL: &str = "Impostazione";
/// The page about the sheet.
const SHEET: &str = "impostazione-sheet";

/// A page: its name, its section, and its text for `man`.
struct Page {
    name: String,
    section: &'static str,
    text: String,
}

pub(crate) fn run(arguments: &ManArguments) -> Result<Exit, Failure> {
    let pages = pages().map_err(|error| Failure::Files(format!("the page cannot be made: {error}")))?;
    if let Some(into) = &arguments.into {
        for page in &pages {
            write(into, page)?;
        }
        let counted = terminal::count(pages.len(), "page", "pages");
        terminal::print(&format!("{}: {counted} written\n", into.display()))?;
        return Ok(Exit::Done);
    }
    let mut name = "impostazione".to_owned();
    for word in &arguments.command {
        name = format!("{name}-{word}");
    }
    let Some(page) = pages.iter().find(|page| page.name == name) else {
        return Err(Failure::CommandLine(format!(
            "there is no page {name}; `impostazione man sheet` is about the sheet, `impostazione man COMMAND` about a command"
        )));
    };
    terminal::print_as_it_is(&page.text)?;
    Ok(Exit::Done)
}

fn write(into: &Path, page: &Page) -> Result<(), Failure> {
    let folder = into.join(format!("man{}", page.section));
    let path = folder.join(format!("{}.{}", page.name, page.section));
    fs::create_dir_all(&folder)
        .and_then(|()| fs::write(&path, &page.text))
        .map_err(|error| Failure::Files(format!("{} cannot be written: {}", path.display(), plain(&error))))
}

fn pages() -> io::Result<Vec<Page>> {
    let mut top = command();
    top.build();
    let mut pages = Vec::new();
    add_pages(&top, &[], &mut pages)?;
    pages.push(sheet_page());
    Ok(pages)
}

/// The page of a command, and of those below it.
fn add_pages(command: &Command, words: &[&str], pages: &mut Vec<Page>) -> io::Result<()> {
    let name = ["impostazione"].into_iter().chain(words.iter().copied()).collect::<Vec<_>>().join("-");
    pages.push(Page { text: page_of(command, words, &name)?, name, section: "1" });
    for below in command.get_subcommands() {
        let words: Vec<&str> = words.iter().copied().chain([below.get_name()]).collect();
        add_pages(below, &words, pages)?;
    }
    Ok(())
}

fn page_of(command: &Command, words: &[&str], name: &str) -> io::Result<String> {
    let shown = ["impostazione"].into_iter().chain(words.iter().copied()).collect::<Vec<_>>().join(" ");
    let source = source();
    // The usage line keeps the command's own words; the page is named as `man` looks for it.
    let page = Man::new(command.clone().bin_name(shown).display_name(name.to_owned()));
    let title = name.to_uppercase();
    let mut head = Roff::new();
    head.control("TH", [title.as_str(), "1", DAY, source.as_str(), MANUAL]);
    let mut sections: Vec<Vec<u8>> = vec![head.render().into_bytes()];
    let mut add = |render: &dyn Fn(&mut dyn io::Write) -> io::Result<()>| {
        let mut section = Vec::new();
        render(&mut section).map(|()| sections.push(section))
    };
    add(&|to| page.render_name_section(to))?;
    add(&|to| page.render_synopsis_section(to))?;
    add(&|to| page.render_description_section(to))?;
    if command.get_arguments().any(|argument| !argument.is_hide_set()) {
        add(&|to| page.render_options_section(to))?;
    }
    if command.has_subcommands() {
        add(&|to| page.render_subcommands_section(to))?;
    }
    let mut end = Roff::new();
    let examples = examples(words);
    if !examples.is_empty() {
        end.control("SH", ["EXAMPLES"]);
        for (line, does) in examples {
            end.control("TP", []);
            end.text([bold(format!("impostazione {line}"))]);
            end.text([roman(*does)]);
        }
    }
    end.control("SH", ["EXIT STATUS"]);
    for (code, means) in [
        ("0", "Done, or nothing found."),
        ("1", "An error was found, the compared things differ, or a question was answered with no."),
        ("2", "The command line is wrong."),
        ("3", "Something could not be read or written."),
    ] {
        end.control("TP", []);
        end.text([bold(code)]);
        end.text([roman(means)]);
    }
    end.control("SH", ["SEE ALSO"]);
    end.text([bold("impostazione"), roman("(1), "), bold(SHEET), roman("(5)")]);
    sections.push(end.render().into_bytes());
    let sections: Vec<String> =
        sections.iter().map(|section| String::from_utf8_lossy(section).into_owned()).collect();
    Ok(tidied(&sections.concat()))
}

/// The text of a page: the lines about apostrophes once, before all, no empty lines, and no line wider than 80 columns.
fn tidied(text: &str) -> String {
    let is_preamble = |line: &str| line.starts_with(".ie \\n(.g") || line.starts_with(".el .ds Aq");
    let mut tidy: Vec<String> =
        text.lines().filter(|line| is_preamble(line)).take(2).map(str::to_owned).collect();
    for line in text.lines().map(str::trim_end).filter(|line| !line.is_empty() && !is_preamble(line)) {
        if line == ".br" && tidy.last().is_some_and(|last| last == ".br") {
            continue;
        }
        if line.starts_with('.') {
            tidy.push(line.to_owned());
        } else {
            tidy.extend(folded(&line.replace("\\\\", "\\e")));
        }
    }
    tidy.join("\n") + "\n"
}

/// A line of text in several, none of which begins as a request to the formatter does.
fn folded(line: &str) -> Vec<String> {
    const MOST: usize = 72;
    let mut lines = vec![String::new()];
    for word in line.split(' ') {
        let Some(last) = lines.last_mut() else { break };
        if last.is_empty() {
            last.push_str(word);
        } else if last.len() + 1 + word.len() <= MOST {
            *last = format!("{last} {word}");
        } else {
            let begins_request = word.starts_with(['.', '\'']);
            lines.push(if begins_request { format!("\\&{word}") } else { word.to_owned() });
        }
    }
    lines
}

/// What a page is from.
fn source() -> String {
    format!("impostazione {}", env!("CARGO_PKG_VERSION"))
}

/// The page about the sheet: every table with its keys.
fn sheet_page() -> Page {
    let mut page = Roff::new();
    page.control("TH", ["IMPOSTAZIONE-SHEET", "5", DAY, source().as_str(), MANUAL]);
    page.control("SH", ["NAME"]);
    page.text([roman("impostazione-sheet - the build sheet that impostazione reads")]);
    page.control("SH", ["DESCRIPTION"]);
    page.text([roman(
        "A build sheet is a TOML 1.1 file in UTF-8 that describes a site: its subnets, hosts, appliances and logins. \
         Unknown keys are errors.",
    )]);
    for table in sheet_tables() {
        let header = table.header.trim_matches(['(', ')']);
        page.control("SH", [header.to_uppercase().as_str()]);
        page.text(in_code(table.about));
        for key in table.keys {
            page.control("TP", []);
            page.text([bold(key.name), roman(" ("), roman(key.takes), roman(")")]);
            page.text(in_code(key.about));
            page.control("br", []);
            page.text([roman("Example: "), italic(key.example)]);
        }
    }
    page.control("SH", ["SEE ALSO"]);
    page.text([bold("impostazione"), roman("(1), "), bold("impostazione-check"), roman("(1)")]);
    Page { name: SHEET.to_owned(), section: "5", text: tidied(&page.render()) }
}

/// Text with parts between backticks in bold.
fn in_code(text: &str) -> Vec<Inline> {
    let pieces = text.split('`').enumerate();
    pieces.map(|(nth, piece)| if nth % 2 == 1 { bold(piece) } else { roman(piece) }).collect()
}
