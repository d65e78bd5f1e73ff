//! `inspect` of an image: whether it is the one that was meant.

use std::path::Path;

use impostazione_core::views::image_digest::WantedDigest;
use impostazione_text::files::ReadFault;
use serde::Serialize;

use super::super::json;
use crate::args::{Format, InspectArguments};
use crate::exit::{Exit, Failure};
use crate::terminal::{self, Progress};

#[derive(Serialize)]
struct JsonReport<'a> {
    file: String,
    algorithm: &'static str,
    digest: &'a str,
    wanted: &'a str,
    wanted_from: Option<String>,
    matches: bool,
}

pub(crate) fn run(arguments: &InspectArguments, quiet: bool) -> Result<Exit, Failure> {
    let path = arguments.path();
    let wanted = match &arguments.digest {
        Some(text) => WantedDigest::parse(text).ok_or_else(|| {
            Failure::CommandLine(
                "--digest takes a SHA-256 or a SHA-512: 64 or 128 hexadecimal digits".to_owned(),
            )
        })?,
        None => WantedDigest::beside(path)
            .ok_or_else(|| Failure::Files(format!("no file next to {} holds its digest", path.display())))?,
    };
    let length = std::fs::metadata(path).map_or(0, |found| found.len());
    let progress = Progress::new(length, quiet);
    let (matches, digest) = wanted.compare(path, &|count| progress.add(count)).map_err(|fault| {
        let name = path.display();
        Failure::Files(match fault {
            ReadFault::Missing => format!("{name} does not exist"),
            other => format!("{name}: {other}"),
        })
    })?;
    progress.finish();
    let from = wanted.from.as_deref().map(Path::display).map(|from| from.to_string());
    if arguments.format == Format::Json {
        json::print(&JsonReport {
            file: path.display().to_string(),
            algorithm: wanted.algorithm.word(),
            digest: &digest,
            wanted: &wanted.digest,
            wanted_from: from,
            matches,
        })?;
    } else {
        let source = from.map_or_else(|| "given".to_owned(), |from| format!("in {from}"));
        let name = path.display();
        let word = wanted.algorithm.word();
        terminal::print(&if matches {
            format!("{name} is the right image: its {word} is the one {source}\n")
        } else {
            format!(
                "{name} is NOT the right image\n  its {word}:  {digest}\n  {}{}\nDownload it again, or get the \
                    digest that belongs to it.\n",
                format_args!("{:<w$}", format!("{source}:"), w = word.len() + 7),
                wanted.digest
            )
        })?;
    }
    Ok(if matches { Exit::Done } else { Exit::ErrorsRemain })
}
