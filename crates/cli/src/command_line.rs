//! The command line as people see it: each command with examples from the sample site, and with what `-v` does for it. Help,
//! completions and manual pages are made of it.

use std::ffi::OsStr;

use clap::{Arg, ArgAction, Command, CommandFactory as _};
use clap_complete::engine::{ArgValueCompleter, CompletionCandidate};

use crate::args::Arguments;
use crate::completing;

/// A command line of the sample site, and what it does.
pub(crate) type Example = (&'static str, &'static str);

/// A command's words, its examples, and what `-v` shows; nothing where it shows nothing more.
struct Told {
    command: &'static [&'static str],
    examples: &'static [Example],
    verbose: Option<&'static str>,
}

const TOLD: [Told; 27] = [
    Told {
        command: &["draft"],
        examples: &[
            ("draft gauge.toml", "a new sheet, by answering questions"),
            ("draft mole.toml --from lamps.csv", "begin with a host for each row of a CSV file"),
            ("draft card.toml --from /mnt/card", "begin with what a card has, and make its address static"),
            ("draft harbor.toml --only hosts", "add hosts to a sheet"),
            ("draft gauge.toml --save-replies gauge.replies", "also keep the replies, to be repeated"),
            ("draft mole.toml --replies gauge.replies --no-questions", "repeat them without a terminal"),
        ],
        verbose: None,
    },
    Told {
        command: &["check"],
        examples: &[
            ("check harbor.toml", "check the whole sheet"),
            ("check harbor.toml --only 'gauge-*'", "only findings about the tide gauges"),
            ("check slips.toml --fix", "correct what has one certain fix; asks first"),
            ("check harbor.toml --format sarif > findings.sarif", "for a tool that collects findings"),
        ],
        verbose: Some("Also show waived findings, with their reasons"),
    },
    Told {
        command: &["explain"],
        examples: &[
            ("explain gateway-outside-subnet", "one rule, with a wrong and a right example"),
            ("explain ntp", "all rules with ntp in their name"),
            ("explain certificate", "rules with this word in their text"),
        ],
        verbose: None,
    },
    Told {
        command: &["review"],
        examples: &[
            ("review harbor.toml", "what each machine will get"),
            ("review harbor.toml --only 'logbook-*'", "one cluster"),
            ("review harbor.toml --only 'lamp-*' -v", "also where in the sheet their settings are"),
        ],
        verbose: Some("Also show where in the sheet each setting comes from"),
    },
    Told {
        command: &["render"],
        examples: &[
            ("render harbor.toml --into output", "write the files of all machines"),
            ("render harbor.toml --into output --packages", "also make packages with the settings inside"),
            ("render harbor.toml --into output --prune", "remove machines that left the sheet"),
        ],
        verbose: Some("Also list each file that is written or removed"),
    },
    Told {
        command: &["place"],
        examples: &[
            ("place output/gauge-01 /mnt/card", "show the change, ask, and place it"),
            ("place output /mnt/card --only gauge-01 --dry-run", "only show the change"),
            ("place output/gauge-01 card.img --fresh-identity", "on a disk image (as root)"),
        ],
        verbose: Some(
            "Also show the notes about what placing takes care of, and every file that you would own",
        ),
    },
    Told {
        command: &["undo"],
        examples: &[
            ("undo /mnt/card", "show what was placed, ask, and take it back"),
            ("undo card.img --yes", "on a disk image (as root), without asking"),
        ],
        verbose: None,
    },
    Told {
        command: &["compare"],
        examples: &[
            ("compare harbor.toml moved.toml", "what a changed sheet changes"),
            ("compare output /mnt/card --only gauge-01", "what was changed on a card since it was placed"),
        ],
        verbose: None,
    },
    Told {
        command: &["inspect"],
        examples: &[
            ("inspect packages/logbook.ova", "what a package asks for, and whether it is intact"),
            ("inspect packages/logbook.ova --save-meanings logbook.toml", "write its meanings for review"),
            ("inspect /mnt/card", "what on a card matters for the first boot"),
            ("inspect card.img --digest 9f86d081...", "whether an image is the right one"),
        ],
        verbose: None,
    },
    Told {
        command: &["subnet"],
        examples: &[
            ("subnet 10.64.10.5 255.255.255.0", "a prefix in every notation"),
            ("subnet quay --sheet harbor.toml", "what each address is used for, and which are free"),
        ],
        verbose: None,
    },
    Told {
        command: &["renumber"],
        examples: &[
            ("renumber harbor.toml quay 10.65.10.0/24 --dry-run", "only show what would change"),
            ("renumber harbor.toml quay 10.65.10.0/24", "show it, ask, and change the sheet"),
            ("renumber harbor.toml quay fd65:10::/64", "the IPv6 prefix"),
        ],
        verbose: None,
    },
    Told {
        command: &["probe"],
        examples: &[
            ("probe before harbor.toml", "before the machines start for the first time"),
            ("probe after harbor.toml --wait 15m", "after that, until each is as meant"),
        ],
        verbose: None,
    },
    Told {
        command: &["probe", "after"],
        examples: &[
            ("probe after harbor.toml --dry-run", "only show what would be asked"),
            ("probe after harbor.toml --wait 15m", "ask until every machine is as meant"),
            ("probe after harbor.toml --inside", "also look what the hosts are like inside"),
            ("probe after harbor.toml --remember", "keep the certificates of appliances"),
            ("probe after harbor.toml --known-hosts output/known_hosts", "without the store's key"),
            ("probe after harbor.toml --to started.json", "keep the report"),
            ("probe after harbor.toml --through map.toml", "ask a site that mock-site plays"),
        ],
        verbose: Some("Also list machines that are right where there are many, and waived findings"),
    },
    Told {
        command: &["probe", "before"],
        examples: &[
            ("probe before harbor.toml --dry-run", "only show what would be asked"),
            ("probe before harbor.toml", "ask from this computer"),
            ("probe before harbor.toml --only 'gauge-*'", "only about the tide gauges"),
            (
                "probe before harbor.toml --outside-name www.example.org",
                "also whether DNS finds others' names",
            ),
            ("probe before harbor.toml --through map.toml", "ask a site that mock-site plays"),
        ],
        verbose: Some("Also show waived findings, with their reasons"),
    },
    Told {
        command: &["mock-site"],
        examples: &[
            ("mock-site harbor.toml --map map.toml", "a site on which everything is right"),
            (
                "mock-site harbor.toml --map map.toml --fault taken=gauge-01 --fault no-name=logbook-2",
                "one with two faults",
            ),
            (
                "mock-site harbor.toml --map map.toml --fault slow=logbook-2,40s",
                "one whose logbook starts slowly",
            ),
            ("mock-site harbor.toml --map map.toml --for 10m", "for ten minutes"),
        ],
        verbose: None,
    },
    Told {
        command: &["schema"],
        examples: &[("schema > sheet.schema.json", "for an editor that completes and checks TOML")],
        verbose: None,
    },
    Told {
        command: &["completions"],
        examples: &[
            ("completions bash > ~/.local/share/bash-completion/completions/impostazione", "for bash"),
            ("completions zsh > ~/.zfunc/_impostazione", "for zsh, with ~/.zfunc in fpath"),
            ("completions fish > ~/.config/fish/completions/impostazione.fish", "for fish"),
        ],
        verbose: None,
    },
    Told {
        command: &["man"],
        examples: &[
            ("man --into ~/.local/share/man", "write all manual pages"),
            ("man render | man -l -", "read one"),
        ],
        verbose: None,
    },
    Told {
        command: &["demo"],
        examples: &[("demo --into harbor", "write the sample site to a new folder")],
        verbose: None,
    },
    Told {
        command: &["secret"],
        examples: &[
            ("secret recipients harbor.toml --new-key harbor.key", "make a key, and a store for it"),
            ("secret generate harbor.toml", "generate what is missing"),
            ("secret list harbor.toml", "what the sheet needs, and where it comes from"),
        ],
        verbose: None,
    },
    Told {
        command: &["secret", "enter"],
        examples: &[("secret enter harbor.toml breakwater-wifi", "type a value; it is not shown")],
        verbose: None,
    },
    Told {
        command: &["secret", "generate"],
        examples: &[
            ("secret generate harbor.toml", "all that are missing, and host keys"),
            (
                "secret generate harbor.toml keeper-login --renew --for gauge-01",
                "a new password for one host",
            ),
        ],
        verbose: None,
    },
    Told {
        command: &["secret", "list"],
        examples: &[("secret list harbor.toml", "every secret, where it comes from and what uses it")],
        verbose: None,
    },
    Told {
        command: &["secret", "check"],
        examples: &[(
            "secret check harbor.toml",
            "whether the store opens, and whether its values are right",
        )],
        verbose: Some("Also show waived findings, with their reasons"),
    },
    Told {
        command: &["secret", "recipients"],
        examples: &[
            ("secret recipients harbor.toml", "who can open the store"),
            ("secret recipients harbor.toml --add keys/pilot.pub", "let the pilot open it"),
            ("secret recipients harbor.toml --remove pilot@capovetro.example", "a colleague leaves"),
        ],
        verbose: None,
    },
    Told {
        command: &["secret", "export"],
        examples: &[(
            "secret export harbor.toml keeper-login --for gauge-01 --to gauge-01.secret",
            "a file that only you can read",
        )],
        verbose: None,
    },
    Told {
        command: &["secret", "remove"],
        examples: &[("secret remove harbor.toml --unused", "all that the sheet no longer uses")],
        verbose: None,
    },
];

/// The whole command line.
pub(crate) fn command() -> Command {
    let mut command = Arguments::command();
    for told in &TOLD {
        command = below(command, told.command, told);
    }
    command
}

/// Tells a command, some words below this one, its examples and its `-v`.
fn below(command: Command, words: &[&'static str], told: &Told) -> Command {
    let Some((word, rest)) = words.split_first() else {
        let verbose = Arg::new("verbose").short('v').long("verbose").action(ArgAction::SetTrue);
        let verbose = verbose.conflicts_with("quiet").help_heading(None::<&str>);
        let verbose = match told.verbose {
            Some(shows) => verbose.help(shows),
            None => verbose.hide(true).help("Shows nothing more here"),
        };
        return completed(command.arg(verbose).after_help(examples_in_words(told.examples)));
    };
    command.mut_subcommand(*word, |found| below(found, rest, told))
}

/// Gives the arguments that are names their candidates.
fn completed(mut command: Command) -> Command {
    type Candidates = fn(&OsStr) -> Vec<CompletionCandidate>;
    let known: [(&str, Candidates); 6] = [
        ("only", completing::machines),
        ("rule", completing::rules),
        ("prefix", completing::subnets),
        ("subnet", completing::subnets),
        ("name", completing::secrets),
        ("holder", completing::holders),
    ];
    for (id, candidates) in known {
        if command.get_arguments().any(|argument| argument.get_id() == id) {
            command = command.mut_arg(id, |argument| argument.add(ArgValueCompleter::new(candidates)));
        }
    }
    command
}

/// The examples of a command, by its words.
pub(crate) fn examples(words: &[&str]) -> &'static [Example] {
    TOLD.iter().find(|told| told.command == words).map_or(&[], |told| told.examples)
}

fn examples_in_words(examples: &[Example]) -> String {
    let heading = if examples.len() == 1 { "Example" } else { "Examples" };
    let lines = examples.iter().map(|(line, does)| format!("  impostazione {line}\n      {does}"));
    format!("{heading}:\n{}", lines.collect::<Vec<_>>().join("\n"))
}
