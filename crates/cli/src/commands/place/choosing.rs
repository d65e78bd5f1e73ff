//! Which machine of an output is placed.

use impostazione_core::output::{HostOutput, TreeOnDisk};

use crate::args::PlaceArguments;
use crate::exit::Failure;
use crate::only::Only;

/// The output of the one machine that is meant.
pub(super) fn read_output(arguments: &PlaceArguments) -> Result<HostOutput, Failure> {
    let files = |fault: impostazione_core::output::OutputFault| Failure::Files(fault.to_string());
    let (tree, inner) = TreeOnDisk::open(&arguments.output).map_err(files)?;
    let name = arguments.output.display();
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
                        "--only {} fits {}, and a root filesystem is one machine's",
                        globs.join(" --only "),
                        several.join(", ")
                    )));
                }
            }
        }
        (None, []) => match hosts.iter().collect::<Vec<_>>().as_slice() {
            [one] => (**one).to_owned(),
            [] => return Err(Failure::Files(format!("{name} has no host in it, and only hosts are placed"))),
            several => {
                let several: Vec<&str> = several.iter().map(|host| **host).collect();
                return Err(Failure::CommandLine(format!(
                    "{name} has several hosts; say with --only which is meant: {}",
                    several.join(", ")
                )));
            }
        },
    };
    tree.host(&machine).map_err(files)
}
