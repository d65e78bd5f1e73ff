//! Words that people bring from elsewhere, answered with the command that does it here.

use clap::error::{ContextKind, ContextValue, ErrorKind};

/// The answer to a habit word in place of a command.
pub(crate) fn answer(error: &clap::Error) -> Option<String> {
    if error.kind() != ErrorKind::InvalidSubcommand {
        return None;
    }
    let Some(ContextValue::String(word)) = error.get(ContextKind::InvalidSubcommand) else { return None };
    let is_below = |command: &str| {
        matches!(
            error.get(ContextKind::Usage),
            Some(ContextValue::StyledStr(usage)) if usage.to_string().contains(&format!("impostazione {command}"))
        )
    };
    if is_below("secret") {
        return answer_below_secret(word);
    }
    if is_below("probe") {
        return Some(answer_below_probe(word));
    }
    let (command, does) = match word.to_lowercase().as_str() {
        "validate" | "verify" | "lint" | "test" | "audit" => ("check SHEET", "checks a sheet"),
        "show" | "plan" | "preview" | "list" | "print" | "summary" => {
            ("review SHEET", "shows what each machine will get")
        }
        "generate" | "build" | "export" | "write" | "make" | "compile" | "output" => {
            ("render SHEET --into DIR", "writes the files for each machine")
        }
        "apply" | "deploy" | "install" | "push" | "flash" | "inject" => {
            ("place OUTPUT TARGET", "puts one machine's output on a root filesystem")
        }
        "revert" | "restore" | "rollback" | "reset" | "unplace" | "uninstall" => {
            ("undo TARGET", "takes a placement back")
        }
        "diff" | "drift" | "delta" => {
            ("compare A B", "shows what differs between sheets, outputs, or an output and a rootfs")
        }
        "fix" | "repair" | "mend" | "correct" | "format" => {
            ("check SHEET --fix", "corrects mistakes that have one certain fix")
        }
        "mask" | "netmask" | "calc" | "free" | "addresses" | "map" => (
            "subnet ADDRESS/MASK",
            "shows a prefix in every notation; with --sheet, what its addresses are used for",
        ),
        "renum" | "reip" | "readdress" | "move" | "migrate" => {
            ("renumber SHEET SUBNET PREFIX", "moves a subnet to another prefix in the sheet")
        }
        "read" | "parse" | "dump" | "import" | "status" => {
            ("inspect PATH", "shows what is in a package, a rootfs or netplan files")
        }
        "ping" | "scan" | "connect" | "reach" | "preflight" | "network" => {
            ("probe before SHEET", "asks the network before the machines start")
        }
        "wait" | "await" | "booted" | "alive" | "up" | "health" => {
            ("probe after SHEET --wait 15m", "waits until each machine is as the sheet says")
        }
        "simulate" | "mock" | "simulator" | "fake" => {
            ("mock-site SHEET --map FILE", "plays a site's network on this computer")
        }
        "help" | "rules" | "why" | "describe" => {
            ("explain RULE", "explains a rule; --help lists the commands")
        }
        "passwd" | "password" | "passwords" | "secrets" | "store" | "encrypt" | "decrypt" | "keygen" => {
            ("secret COMMAND SHEET", "manages the secrets of a sheet")
        }
        "init" | "new" | "wizard" | "ask" | "interview" | "questions" | "begin" | "setup" | "configure"
        | "create" => ("draft SHEET", "writes a sheet by asking"),
        "example" | "sample" | "tutorial" => ("demo", "writes a sample site to start from"),
        _ => return None,
    };
    Some(format!("there is no command `{word}`; `impostazione {command}` {does}"))
}

/// The same for a word behind `secret`.
fn answer_below_secret(word: &str) -> Option<String> {
    let (command, does) = match word.to_lowercase().as_str() {
        "set" | "add" | "put" | "insert" | "store" | "new" | "save" | "edit" | "change" => {
            ("enter SHEET NAME", "puts a value into the store")
        }
        "make" | "create" | "random" | "init" | "rotate" | "renew" => {
            ("generate SHEET", "generates values; --renew replaces existing ones")
        }
        "show" | "ls" | "names" | "status" | "view" => ("list SHEET", "shows everything but the values"),
        "get" | "read" | "reveal" | "print" | "cat" | "decrypt" | "copy" => {
            ("export SHEET NAME", "writes a value to a file")
        }
        "delete" | "rm" | "drop" | "unset" | "clear" | "prune" => {
            ("remove SHEET NAME", "removes a value from the store")
        }
        "share" | "keys" | "access" | "rekey" | "users" | "grant" | "revoke" => {
            ("recipients SHEET", "shows and changes who can open the store")
        }
        "verify" | "audit" | "test" | "validate" | "lint" => ("check SHEET", "checks the secrets"),
        _ => return None,
    };
    Some(format!("there is no command `secret {word}`; `impostazione secret {command}` {does}"))
}

/// The same for a word behind `probe`, where a sheet is often written at once.
fn answer_below_probe(word: &str) -> String {
    let sheet = if std::path::Path::new(word).is_file() { word } else { "SHEET" };
    format!(
        "there is no command `probe {word}`; `impostazione probe before {sheet}` asks the network before the first boot, and `probe after` \
         after it"
    )
}
