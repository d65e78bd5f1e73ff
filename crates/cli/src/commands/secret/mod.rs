//! `secret`: the encrypted store beside a sheet.

mod check;
mod enter;
mod export;
mod generate;
mod list;
mod recipients;
mod remove;
mod stored;

use crate::args::SecretCommand;
use crate::exit::{Exit, Failure};

pub(crate) fn run(command: &SecretCommand, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    match command {
        SecretCommand::Enter(arguments) => enter::run(arguments, quiet),
        SecretCommand::Generate(arguments) => generate::run(arguments, quiet),
        SecretCommand::List(arguments) => list::run(arguments),
        SecretCommand::Check(arguments) => check::run(arguments, quiet, verbose),
        SecretCommand::Recipients(arguments) => recipients::run(arguments, quiet),
        SecretCommand::Export(arguments) => export::run(arguments, quiet),
        SecretCommand::Remove(arguments) => remove::run(arguments, quiet),
    }
}
