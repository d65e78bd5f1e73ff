//! `completions`

use std::io;

use clap_complete::env::{Bash, EnvCompleter, Fish, Zsh};

use crate::args::{CompletionsArguments, Shell};
use crate::completing::VARIABLE;
use crate::exit::{Exit, Failure};
use crate::terminal;

const NAME: &str = "impostazione";

pub(crate) fn run(arguments: &CompletionsArguments) -> Result<Exit, Failure> {
    let shell: &dyn EnvCompleter = match arguments.shell {
        Shell::Bash => &Bash,
        Shell::Zsh => &Zsh,
        Shell::Fish => &Fish,
    };
    let mut script = Vec::new();
    let fault = |error: io::Error| Failure::Files(format!("the script cannot be made: {error}"));
    shell.write_registration(VARIABLE, NAME, NAME, NAME, &mut script).map_err(fault)?;
    terminal::print_as_it_is(&String::from_utf8_lossy(&script))?;
    Ok(Exit::Done)
}
