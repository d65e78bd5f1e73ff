//! `inspect`: told by what lies at the path whether it is a package, an image, a root filesystem, netplan files, or an output.

mod image;
mod netplan;
mod output;
mod package;
mod rootfs;

use impostazione_core::views::at_path::AtPath;
use impostazione_core::views::image_digest::WantedDigest;

use crate::args::InspectArguments;
use crate::exit::{Exit, Failure};
use crate::target::look;

pub(crate) fn run(arguments: &InspectArguments, quiet: bool) -> Result<Exit, Failure> {
    let Some(path) = &arguments.path else {
        if arguments.refuse_options_of_packages(&["--save-meanings"]).is_err() {
            return Err(Failure::CommandLine(
                "without a path, --save-meanings takes no other option".to_owned(),
            ));
        }
        return arguments
            .save_meanings
            .as_deref()
            .map_or(Ok(Exit::Done), |file| package::save_of_console(file, quiet));
    };
    let found = look(path)?;
    // A file that says by its name what it is, is that; of others a digest beside them says that they are images.
    let is_named = path
        .extension()
        .is_some_and(|end| ["yaml", "yml", "ova", "ovf"].iter().any(|known| end.eq_ignore_ascii_case(known)));
    let is_image =
        path.is_file() && (arguments.digest.is_some() || (!is_named && WantedDigest::beside(path).is_some()));
    if is_image {
        return image::run(arguments, quiet);
    }
    if let AtPath::Package(package) = &found {
        return package::run(package, arguments, quiet);
    }
    if let AtPath::Output(tree, machine) = &found {
        arguments.refuse_options_of_packages(&["--meanings"])?;
        return output::run(tree, machine.as_deref(), arguments, quiet);
    }
    arguments.refuse_options_of_packages(&["--netplan"])?;
    let name = path.display();
    match found {
        AtPath::NetplanFile | AtPath::NetplanFolder => netplan::run(arguments, quiet),
        AtPath::Rootfs | AtPath::RunningSystem | AtPath::DiskImage => rootfs::run(arguments, quiet),
        AtPath::Sheet => Err(Failure::CommandLine(format!(
            "{name} is a sheet: `impostazione check {name}` finds what is wrong with it, `impostazione review \
                {name}` shows what each machine will get"
        ))),
        AtPath::MeaningsFile => Err(Failure::CommandLine(format!(
            "{name} is a meanings file: `impostazione inspect PACKAGE --meanings {name}` uses it to show what a \
                package asks for"
        ))),
        AtPath::KeptReport => Err(Failure::CommandLine(format!(
            "{name} is a report of probe: `impostazione compare {name} ANOTHER` shows what has changed since"
        ))),
        AtPath::OtherFile => Err(Failure::CommandLine(format!(
            "{name} is {}; to check an image, add --digest or put a file with its digest next to it",
            found.words()
        ))),
        AtPath::Package(_) | AtPath::Output(..) | AtPath::OtherFolder | AtPath::Device => {
            Err(Failure::CommandLine(format!("{name} is {}", found.words())))
        }
    }
}
