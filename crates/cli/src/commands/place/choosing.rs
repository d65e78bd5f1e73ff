//! Which machine of an output is placed.

use impostazione_core::output::{HostOutput, OutputFault};
use impostazione_core::views::at_path::AtPath;

use crate::args::PlaceArguments;
use crate::exit::Failure;
use crate::only::Only;
use crate::target;

/// The output of the one machine that is meant.
pub(super) fn read_output(arguments: &PlaceArguments) -> Result<HostOutput, Failure> {
    let name = arguments.output.display();
    let (tree, inner) = match target::look(&arguments.output)? {
        AtPath::Output(tree, machine) => (tree, machine),
        other => {
            return Err(Failure::CommandLine(format!(
                "{name} is {}; name an output made by `render`, or the folder of one machine in it",
                other.word()
            )));
        }
    };
    let hosts = tree.hosts();
    let machine = match (inner, arguments.only.as_slice()) {
        (Some(machine), []) => machine,
        (inner, globs @ [_, ..]) => {
            let known: Vec<String> = match inner {
                Some(inner) => vec![inner],
                None => tree.machines().into_iter().map(str::to_owned).collect(),
            };
            let only = Only::among(globs, known.iter().map(String::as_str), &format!("{name} has"))?;
            let fitting: Vec<&str> =
                known.iter().map(String::as_str).filter(|machine| only.includes(machine)).collect();
            match fitting.as_slice() {
                [one] => (*one).to_owned(),
                several => {
                    return Err(Failure::CommandLine(format!(
                        "--only {} matches {}, but a root filesystem is for one machine",
                        globs.join(" --only "),
                        several.join(", ")
                    )));
                }
            }
        }
        (None, []) => match hosts.iter().collect::<Vec<_>>().as_slice() {
            [one] => (**one).to_owned(),
            [] => {
                return Err(Failure::CommandLine(format!(
                    "{name} has no hosts, and only hosts can be placed"
                )));
            }
            several => {
                let several: Vec<&str> = several.iter().map(|host| **host).collect();
                return Err(Failure::CommandLine(format!(
                    "{name} has several hosts; choose one with --only: {}",
                    several.join(", ")
                )));
            }
        },
    };
    tree.host(&machine).map_err(|fault| match fault {
        OutputFault::NoSuchMachine { .. } | OutputFault::NotAHost(_) => {
            Failure::CommandLine(fault.to_string())
        }
        fault => Failure::Files(fault.to_string()),
    })
}
