//! The `impostazione` command: arguments in, the core's answers out.

mod args;
mod command_line;
mod commands;
mod completing;
mod edited_files;
mod exit;
mod familiar_words;
mod line_input;
mod network_secrets;
mod only;
mod question;
mod read_map;
mod renumber_record;
mod secret_sources;
mod seen_certificates;
mod sheet_file;
mod target;
mod terminal;

use std::process::ExitCode;

use clap::FromArgMatches as _;
use clap::error::ErrorKind;
use clap_complete::CompleteEnv;

use args::{Arguments, Command};
use exit::{Exit, Failure};

fn main() -> ExitCode {
    leave_no_core();
    // A shell that asks for candidates gets them, and nothing else is done.
    CompleteEnv::with_factory(command_line::command).var(completing::VARIABLE).complete();
    let parsed = command_line::command().try_get_matches();
    let arguments = match parsed.and_then(|matches| Arguments::from_arg_matches(&matches)) {
        Ok(arguments) => arguments,
        Err(error) => return refuse(&error),
    };
    arguments.color.choice().write_global();
    if arguments.quiet {
        terminal::leave_notes_out();
    }
    let result = match arguments.command {
        Command::Draft(draft) => commands::draft::run(&draft, arguments.quiet),
        Command::Check(check) => commands::check::run(&check, arguments.quiet, arguments.verbose),
        Command::Explain(explain) => commands::explain::run(&explain),
        Command::Renumber(renumber) => commands::renumber::run(&renumber, arguments.quiet),
        Command::Review(review) => commands::review::run(&review, arguments.verbose),
        Command::Render(render) => commands::render::run(&render, arguments.quiet, arguments.verbose),
        Command::Place(place) => commands::place::run(&place, arguments.quiet, arguments.verbose),
        Command::Undo(undo) => commands::undo::run(&undo, arguments.quiet),
        Command::Compare(compare) => commands::compare::run(&compare, arguments.quiet),
        Command::Inspect(inspect) => commands::inspect::run(&inspect, arguments.quiet),
        Command::Subnet(subnet) => commands::subnet::run(&subnet),
        Command::Secret(secret) => commands::secret::run(&secret.command, arguments.quiet, arguments.verbose),
        Command::Probe(probe) => commands::probe::run(&probe.command, arguments.quiet, arguments.verbose),
        Command::MockSite(mock_site) => commands::mock_site::run(&mock_site, arguments.quiet),
        Command::Schema => commands::schema::run(),
        Command::Completions(completions) => commands::completions::run(&completions),
        Command::Man(man) => commands::man::run(&man),
        Command::Demo(demo) => commands::demo::run(&demo, arguments.color),
    };
    match result {
        Ok(exit) => exit.into(),
        Err(failure) => {
            terminal::say_error(&failure.to_string());
            (&failure).into()
        }
    }
}

/// A program that is cut off leaves no image of its memory, in which secrets may be.
fn leave_no_core() {
    use rustix::process::{Resource, Rlimit, setrlimit};
    // Lowering a limit does not fail.
    let _ = setrlimit(Resource::Core, Rlimit { current: Some(0), maximum: Some(0) });
}

/// Help and version are results; everything else that clap says is about a wrong command line.
fn refuse(error: &clap::Error) -> ExitCode {
    match error.kind() {
        ErrorKind::DisplayHelp | ErrorKind::DisplayVersion => {
            // A closed pipe is not an error.
            let _ = error.print();
            Exit::Done.into()
        }
        _ => {
            let Some(answer) = familiar_words::answer(error) else {
                let _ = error.print();
                return ExitCode::from(2);
            };
            terminal::say_error(&answer);
            (&Failure::CommandLine(answer)).into()
        }
    }
}
