//! `probe`: asks the network.

mod after;
pub(crate) mod after_report;
mod asking;
mod before;
mod kept;
pub(crate) mod report;

pub(crate) use asking::stop_at_a_signal;

use crate::args::ProbeCommand;
use crate::exit::{Exit, Failure};

pub(crate) fn run(command: &ProbeCommand, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    match command {
        ProbeCommand::Before(arguments) => before::run(arguments, quiet, verbose),
        ProbeCommand::After(arguments) => after::run(arguments, quiet, verbose),
    }
}
