//! Words that people bring from elsewhere, answered with the command that does it here.

use clap::error::{ContextKind, ContextValue, ErrorKind};

/// The answer to a habit word in place of a command.
pub(crate) fn answer(error: &clap::Error) -> Option<String> {
    if error.kind() != ErrorKind::InvalidSubcommand {
        return None;
    }
    let Some(ContextValue::String(word)) = error.get(ContextKind::InvalidSubcommand) else { return None };
    let is_below_secret = matches!(
        error.get(ContextKind::Usage),
        Some(ContextValue::StyledStr(usage)) if usage.to_string().contains("impostazione secret")
    );
    if is_below_secret {
        return answer_below_secret(word);
    }
    let (command, does) = match word.to_lowercase().as_str() {
        "validate" | "verify" | "lint" | "test" | "audit" => ("check SHEET", "judges a sheet"),
        "show" | "plan" | "preview" | "list" | "print" | "summary" => {
            ("review SHEET", "shows what each machine will be")
        }
        "generate" | "build" | "export" | "write" | "make" | "compile" | "output" => {
            ("render SHEET --into DIR", "writes the files of each machine")
        }
        "apply" | "deploy" | "install" | "push" | "flash" | "inject" => {
            ("place OUTPUT TARGET", "puts one machine's output onto a root filesystem")
        }
        "revert" | "restore" | "rollback" | "reset" | "unplace" | "uninstall" => {
            ("undo TARGET", "takes a placement back")
        }
        "diff" | "drift" | "delta" => {
            ("compare A B", "says what differs between sheets, outputs, or an output and a rootfs")
        }
        "fix" | "repair" | "mend" | "correct" | "format" => {
            ("check SHEET --fix", "corrects what has one certain fix")
        }
        "mask" | "netmask" | "calc" | "free" | "addresses" | "map" => {
            ("subnet ADDRESS/MASK", "says what a prefix is; with --sheet, what its addresses are used for")
        }
        "read" | "parse" | "dump" | "import" | "status" => {
            ("inspect PATH", "shows what a package, a rootfs or netplan files hold")
        }
        "help" | "rules" | "why" | "describe" => {
            ("explain RULE", "explains a rule; --help lists the commands")
        }
        "passwd" | "password" | "passwords" | "secrets" | "store" | "encrypt" | "decrypt" | "keygen" => {
            ("secret COMMAND SHEET", "keeps the secrets of a sheet")
        }
        "example" | "sample" | "init" | "new" | "tutorial" => ("demo", "writes a sample site to begin from"),
        _ => return None,
    };
    Some(format!("there is no command `{word}` here: `impostazione {command}` {does}"))
}

/// The same for a word behind `secret`.
fn answer_below_secret(word: &str) -> Option<String> {
    let (command, does) = match word.to_lowercase().as_str() {
        "set" | "add" | "put" | "insert" | "store" | "new" | "save" | "edit" | "change" => {
            ("enter SHEET NAME", "puts a value into the store")
        }
        "make" | "create" | "random" | "init" | "rotate" | "renew" => {
            ("generate SHEET", "makes values up; --renew makes them anew")
        }
        "show" | "ls" | "names" | "status" | "view" => ("list SHEET", "shows all but the values"),
        "get" | "read" | "reveal" | "print" | "cat" | "decrypt" | "copy" => {
            ("export SHEET NAME", "hands a value over")
        }
        "delete" | "rm" | "drop" | "unset" | "clear" | "prune" => {
            ("remove SHEET NAME", "takes a value out of the store")
        }
        "share" | "keys" | "access" | "rekey" | "users" | "grant" | "revoke" => {
            ("recipients SHEET", "shows and changes who can open the store")
        }
        "verify" | "audit" | "test" | "validate" | "lint" => ("check SHEET", "judges the secrets"),
        _ => return None,
    };
    Some(format!("there is no command `secret {word}` here: `impostazione secret {command}` {does}"))
}
