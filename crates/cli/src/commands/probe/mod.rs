//! `probe`: asks the network.

mod before;
pub(crate) mod report;

pub(crate) use before::stop_at_a_signal;

use crate::args::ProbeCommand;
use crate::exit::{Exit, Failure};

pub(crate) fn run(command: &ProbeCommand, quiet: bool, verbose: bool) -> Result<Exit, Failure> {
    match command {
        ProbeCommand::Before(arguments) => before::run(arguments, quiet, verbose),
    }
}
