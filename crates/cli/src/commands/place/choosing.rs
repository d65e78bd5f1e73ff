//! Which machine of an output is placed.

use globset::Glob;
use impostazione_core::output::{HostOutput, TreeOnDisk};

use crate::args::PlaceArguments;
use crate::exit::Failure;

/// The output of the one machine that is meant.
pub(super) fn read_output(arguments: &PlaceArguments) -> Result<HostOutput, Failure> {
    let files = |fault: impostazione_core::output::OutputFault| Failure::Files(fault.to_string());
    let (tree, inner) = TreeOnDisk::open(&arguments.output).map_err(files)?;
    let name = arguments.output.display();
    let hosts = tree.hosts();
    let machine = match (inner, &arguments.only) {
        (Some(machine), None) => machine,
        (inner, Some(glob)) => {
            let matcher = Glob::new(glob)
                .map_err(|error| Failure::CommandLine(format!("--only {glob}: {}", error.kind())))?
                .compile_matcher();
            let known = match inner {
                Some(inner) => vec![inner],
                None => tree.machines().into_iter().map(str::to_owned).collect(),
            };
            let fitting: Vec<String> =
                known.into_iter().filter(|machine| matcher.is_match(machine)).collect();
            match fitting.as_slice() {
                [one] => one.clone(),
                [] => {
                    return Err(Failure::CommandLine(format!(
                        "--only {glob}: {name} has no machine of such a name"
                    )));
                }
                several => {
                    return Err(Failure::CommandLine(format!(
                        "--only {glob} fits {}, and a root filesystem is one machine's",
                        several.join(", ")
                    )));
                }
            }
        }
        (None, None) => match hosts.iter().collect::<Vec<_>>().as_slice() {
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
