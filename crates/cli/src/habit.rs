//! Words that people bring from elsewhere, answered with the command that does it here.

use clap::error::{ContextKind, ContextValue, ErrorKind};

/// The answer to a habit word in place of a command.
pub(crate) fn answer(error: &clap::Error) -> Option<String> {
    if error.kind() != ErrorKind::InvalidSubcommand {
        return None;
    }
    let Some(ContextValue::String(word)) = error.get(ContextKind::InvalidSubcommand) else { return None };
    let (command, does) = match word.to_lowercase().as_str() {
        "validate" | "verify" | "lint" | "test" | "audit" => ("check SHEET", "judges a sheet"),
        "show" | "plan" | "preview" | "list" | "print" | "summary" => {
            ("review SHEET", "shows what each machine will be")
        }
        "generate" | "build" | "export" | "write" | "make" | "compile" | "output" => {
            ("render SHEET --into DIR", "writes the files of each machine")
        }
        "apply" | "deploy" | "install" | "push" => (
            "render SHEET --into DIR",
            "writes the files of each machine, and nothing yet puts them onto one",
        ),
        "fix" | "repair" | "mend" | "correct" | "format" => {
            ("check SHEET --fix", "mends what has one certain fix")
        }
        "mask" | "netmask" | "calc" | "free" | "addresses" | "map" => {
            ("subnet ADDRESS/MASK", "says what a prefix is; with --sheet, what its addresses are used for")
        }
        "read" | "parse" | "dump" | "import" | "status" => {
            ("inspect PATH", "shows what netplan files make of a host")
        }
        "help" | "rules" | "why" | "describe" => {
            ("explain RULE", "explains a rule; --help lists the commands")
        }
        "example" | "sample" | "init" | "new" | "tutorial" => ("demo", "writes a sample site to begin from"),
        _ => return None,
    };
    Some(format!("there is no command `{word}` here: `impostazione {command}` {does}"))
}
