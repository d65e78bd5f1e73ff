//! Every report for other programs is one JSON document, with the form that it has.

use std::io::Write as _;
use std::process::Stdio;

use serde_json::Value;

use crate::card::{CARD, Card, with_output};
use crate::support::{Run, Workspace};

/// The commands that have `--format json`, each with arguments that make it say something.
const COMMANDS: [&[&str]; 43] = [
    &["check", "sheet.toml"],
    &["check", "slips.toml"],
    &["check", "torn.toml"],
    &["check", "slips.toml", "--fix", "--yes"],
    &["compare", "sheet.toml", "slips.toml"],
    &["compare", "sheet.toml", "sheet.toml"],
    &["compare", "output", "output"],
    &["compare", "output/gauge-01", "output/gauge-02"],
    &["compare", "output/gauge-01", CARD],
    &["explain"],
    &["explain", "rows-malformed"],
    &["inspect", CARD],
    &["inspect", "output"],
    &["inspect", "output/gauge-01"],
    &["inspect", "output/gauge-01/rootfs"],
    &["inspect", "output/gauge-01/rootfs/etc/netplan/60-impostazione.yaml"],
    &["inspect", "packages/logbook.ova"],
    &[
        "inspect",
        "slips.toml",
        "--digest",
        "0000000000000000000000000000000000000000000000000000000000000000",
    ],
    &["place", "output/gauge-01", CARD, "--dry-run"],
    &["place", "output/gauge-01", CARD, "--yes"],
    &["place", "output/gauge-02", CARD, "--yes"],
    &["mock-site", "sheet.toml", "--map", "map.toml", "--for", "1s"],
    &["probe before", "sheet.toml", "--dry-run"],
    &["probe before", "sheet.toml", "--through", "other-map.toml"],
    &["probe after", "sheet.toml", "--dry-run"],
    &["probe after", "sheet.toml", "--through", "other-map.toml"],
    &["render", "sheet.toml", "--into", "again"],
    &["render", "slips.toml", "--into", "again"],
    &["renumber", "sheet.toml", "quay", "10.65.10.0/24", "--dry-run"],
    &["renumber", "sheet.toml", "quay", "10.64.10.0/25", "--dry-run"],
    &["review", "sheet.toml"],
    &["secret check", "sheet.toml"],
    &["secret recipients", "store.toml", "--new-key", "my.key", "--yes"],
    &["secret generate", "store.toml", "--yes"],
    &["secret list", "store.toml"],
    &["secret export", "store.toml", "keeper-login", "--to", "keeper-login.txt"],
    &["secret enter", "store.toml", "keeper-login"],
    &["secret remove", "store.toml", "keeper-login", "--yes"],
    &["subnet", "10.64.10.0/24"],
    &["subnet", "quay", "--sheet", "sheet.toml"],
    &["undo", CARD, "--dry-run"],
    &["undo", CARD, "--yes"],
    &["undo", CARD, "--yes"],
];

/// The commands of a help text.
fn commands_of(help: &str) -> Vec<String> {
    let listed =
        help.lines().skip_while(|line| *line != "Commands:").skip(1).take_while(|line| !line.is_empty());
    let names = listed.filter(|line| line.starts_with("  ") && !line.starts_with("   "));
    names.filter_map(|line| line.split_whitespace().next()).map(str::to_owned).collect()
}

#[test]
fn each_report_is_one_document() {
    let workspace = with_output();
    Card::new(&workspace);
    workspace.write("torn.toml", "format = 1\n[common\n");
    let from_store =
        workspace.read("sheet.toml").replace("from = \"file\"\npath = \"keeper.secret\"", "from = \"store\"");
    workspace.write("store.toml", from_store);
    workspace.write("other-map.toml", "format = 2\nsheet = \"other.toml\"\n");
    for command in COMMANDS {
        let words: Vec<&str> = command[0].split(' ').chain(command[1..].iter().copied()).collect();
        // What changes nothing is asked once with less to say, and once with more.
        let manners: &[&[&str]] =
            if ["compare", "explain", "inspect", "review", "subnet"].contains(&command[0]) {
                &[&[], &["-q"], &["-v"]]
            } else {
                &[&[]]
            };
        for manner in manners {
            let mut child = workspace
                .command(&[&words[..], &["--format", "json"], manner].concat())
                .env("IMPOSTAZIONE_KEY", "my.key")
                .stdin(Stdio::piped())
                .stdout(Stdio::piped())
                .stderr(Stdio::piped())
                .spawn()
                .unwrap();
            // Only one of them reads it.
            let _ = child.stdin.take().unwrap().write_all(b"Ru6-tide-Winch-52\n");
            let run = Run::from(child.wait_with_output().unwrap());
            let report: Value = serde_json::from_str(&run.stdout)
                .unwrap_or_else(|error| panic!("{words:?}: {error}\n{}{}", run.stdout, run.stderr));
            assert_eq!(report["format"], 1, "{words:?}");
        }
    }
}

#[test]
fn no_command_with_such_a_report_is_left_out_here() {
    let workspace = Workspace::new();
    let mut with_json = Vec::new();
    for command in commands_of(&workspace.run(&["--help"]).stdout) {
        let help = workspace.run(&[&command, "--help"]).stdout;
        let inner = commands_of(&help);
        if inner.is_empty() && help.contains("json for programs") {
            with_json.push(command.clone());
        }
        for name in inner {
            if workspace.run(&[&command, &name, "--help"]).stdout.contains("json for programs") {
                with_json.push(format!("{command} {name}"));
            }
        }
    }
    let mut tested: Vec<&str> = COMMANDS.iter().map(|command| command[0]).collect();
    tested.sort_unstable();
    tested.dedup();
    with_json.sort();
    assert_eq!(tested, with_json);
}
