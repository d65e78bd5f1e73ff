//! What the program says, kept whole, a page a subject: help, errors, and views at two widths. Findings are kept by the tests that
//! break each rule.

use std::fs;

use crate::card::{CARD, Card, with_output};
use crate::page::Page;
use crate::support::{Workspace, host, right_sheet, with_every_key};

const COMMANDS: [&str; 14] = [
    "check",
    "explain",
    "review",
    "render",
    "place",
    "undo",
    "compare",
    "inspect",
    "subnet",
    "schema",
    "demo",
    "completions",
    "man",
    "secret",
];
const SECRET_COMMANDS: [&str; 7] = ["enter", "generate", "list", "check", "recipients", "export", "remove"];

#[test]
fn help() {
    let workspace = Workspace::new();
    let mut page = Page::on("help");
    page.run(&workspace, "--help");
    page.run(&workspace, "");
    for command in COMMANDS {
        page.run(&workspace, &format!("{command} --help"));
    }
    for command in SECRET_COMMANDS {
        page.run(&workspace, &format!("secret {command} --help"));
    }
    page.keep();
}

#[test]
fn errors_on_the_command_line() {
    let workspace = Workspace::new();
    workspace.write("file", "");
    fs::create_dir(workspace.path().join("empty")).unwrap();
    let mut page = Page::on("errors-on-the-command-line");
    for line in [
        "validate harbor.toml",
        "chekc harbor.toml",
        "secret rotate harbor.toml",
        "secret nothing harbor.toml",
        "check",
        "check --nonsense harbor.toml",
        "check --format yaml harbor.toml",
        "check harbor.toml --yes",
        "check -q -v harbor.toml",
        "check nowhere.toml",
        "check empty",
        "check harbor.toml --only buoy-*",
        "check harbor.toml --only [",
        "check harbor.toml --key nowhere.key",
        "review packages/logbook.ova",
        "explain adress-malformed",
        "explain ntp",
        "explain nonsense-of-all-kinds",
        "render harbor.toml",
        "render harbor.toml --into file",
        "render harbor.toml --into packages",
        "render slips.toml --into out",
        "subnet 10.64.10",
        "subnet 10.64.10.0/33",
        "subnet 10.64.10.0 255.0.255.0",
        "subnet mole --sheet harbor.toml",
        "subnet 10.64.10.5/24",
        "inspect nowhere",
        "inspect harbor.toml",
        "inspect empty",
        "inspect file",
        "inspect packages/logbook.ova --why nothing",
        "inspect packages/logbook.ova --netplan 0.106",
        "inspect packages/logbook.ova --netplan new",
        "compare harbor.toml packages/logbook.ova",
        "compare harbor.toml nowhere",
        "place harbor.toml empty",
        "place output nowhere",
        "undo nowhere",
        "undo empty",
        "undo empty --yes --dry-run",
        "demo --into packages",
    ] {
        page.run(&workspace, line);
    }
    page.keep();
}

/// Words that people bring from elsewhere, each answered with the command that does it here.
#[test]
fn habit_words() {
    let workspace = Workspace::new();
    let mut page = Page::on("habit-words");
    for word in [
        "validate", "lint", "show", "plan", "list", "generate", "build", "write", "apply", "deploy", "flash",
        "revert", "restore", "diff", "fix", "repair", "mask", "free", "read", "import", "help", "why",
        "passwd", "encrypt", "example", "init",
    ] {
        page.run(&workspace, &format!("{word} harbor.toml"));
    }
    for word in
        ["set", "add", "make", "rotate", "show", "get", "reveal", "delete", "rm", "share", "grant", "verify"]
    {
        page.run(&workspace, &format!("secret {word} harbor.toml"));
    }
    page.keep();
}

#[test]
fn errors_around_the_store() {
    let workspace = Workspace::demo();
    let mut page = Page::on("errors-around-the-store");
    workspace.write("other.toml", right_sheet(&host("gauge-01", "10.64.10.11")));
    workspace.write("value.secret", "short\n");
    for line in [
        "secret list nowhere.toml",
        "secret list slips.toml",
        "secret check other.toml",
        "secret generate harbor.toml nothing --dry-run",
        "secret generate harbor.toml keeper-login --for nobody --dry-run",
        "secret generate harbor.toml --renew",
        "secret enter harbor.toml nothing",
        "secret enter harbor.toml keeper-login",
        "secret enter harbor.toml keeper-login --for nobody",
        "secret export harbor.toml keeper-login",
        "secret export harbor.toml keeper-login --to value.secret --for gauge-01",
        "secret export harbor.toml nothing --to new.secret",
        "secret remove harbor.toml nothing --yes",
        "secret remove harbor.toml keeper-login",
        "secret remove harbor.toml --unused --dry-run",
        "secret recipients harbor.toml --add nonsense",
        "secret recipients harbor.toml --add keys/keeper.pub --dry-run",
        "secret recipients harbor.toml --remove nobody --yes",
        "secret recipients harbor.toml --new-key value.secret",
    ] {
        page.run(&workspace, line);
    }
    for (line, variables) in [
        ("secret check harbor.toml", [("IMPOSTAZIONE_KEY", "nowhere.key")]),
        ("secret check harbor.toml", [("IMPOSTAZIONE_KEY", "")]),
        ("secret check harbor.toml", [("IMPOSTAZIONE_KEY", "keys/keeper.pub")]),
        ("check harbor.toml", [("IMPOSTAZIONE_KEY", "nowhere.key")]),
        ("render harbor.toml --into out", [("IMPOSTAZIONE_KEY", "")]),
    ] {
        page.run_in(&workspace, line, &variables);
    }
    page.keep();
}

/// Runs these command lines at 80 and at 120 columns.
fn at_both_widths(page: &mut Page, workspace: &Workspace, lines: &[&str]) {
    at_widths(page, workspace, lines, &["80", "120"]);
}

/// Runs these command lines at each of these widths. What cannot be broken, such as a path or a quoted example, may be wider.
fn at_widths(page: &mut Page, workspace: &Workspace, lines: &[&str], widths: &[&str]) {
    let mut too_wide = Vec::new();
    for line in lines {
        for columns in widths {
            let run = page.run_in(workspace, line, &[("COLUMNS", columns)]);
            let shown = run.stdout.lines().chain(run.stderr.lines());
            let wide = shown.filter(|text| {
                let is_example = line.starts_with("explain") && text.starts_with("      ");
                let is_breakable = text.trim().contains(' ') || text.contains('─');
                text.chars().count() > columns.parse().unwrap() && is_breakable && !is_example
            });
            too_wide.extend(wide.map(|text| format!("{columns} {line}: {text}")));
        }
    }
    assert!(too_wide.is_empty(), "{}", too_wide.join("\n"));
}

/// On a console of few columns, tables whose words have no room beside each other are blocks.
#[test]
fn views_at_60_columns() {
    let workspace = Workspace::demo();
    let mut page = Page::on("views-at-60-columns");
    let lines = [
        "check slips.toml",
        "review harbor.toml",
        "inspect packages/logbook.ova",
        "inspect sd-card",
        "explain gateway-missing",
        "subnet quay --sheet harbor.toml",
        "secret list harbor.toml",
    ];
    at_widths(&mut page, &workspace, &lines, &["60"]);
    page.keep();
}

#[test]
fn views_of_sheets() {
    let workspace = Workspace::demo();
    let mut page = Page::on("views-of-sheets");
    let lines = [
        "check slips.toml",
        "check harbor.toml",
        "check harbor.toml -v",
        "review harbor.toml",
        "review slips.toml",
        "explain gateway-outside-subnet",
        "explain",
        "subnet 10.64.10.5/24",
        "subnet quay --sheet harbor.toml",
        "subnet fd64:10::/64 --sheet harbor.toml",
    ];
    at_both_widths(&mut page, &workspace, &lines);
    page.keep();
}

#[test]
fn a_sheet_with_every_key() {
    let workspace = with_every_key();
    let mut page = Page::on("views-of-a-sheet-with-every-key");
    at_both_widths(&mut page, &workspace, &["check every.toml", "review every.toml"]);
    page.keep();
}

#[test]
fn views_of_outputs_and_packages() {
    let workspace = Workspace::demo();
    workspace.write(
        "older.yaml",
        "network:\n  version: 2\n  ethernets:\n    eth0:\n      dhcp4: true\n      addresses: [10.64.10.77/24]\n      gatway4: 10.64.10.1\n",
    );
    let mut page = Page::on("views-of-outputs-and-packages");
    page.run(&workspace, "render harbor.toml --into output");
    page.run(&workspace, "render harbor.toml --into output");
    at_both_widths(
        &mut page,
        &workspace,
        &[
            "inspect packages/logbook.ova",
            "inspect packages/watch.ovf",
            "inspect packages/logbook.ova --licenses",
            "inspect packages/logbook.ova --why net.address.0",
            "inspect older.yaml",
            "inspect output",
            "inspect output/signal-tower/rootfs",
            "inspect output/logbook-1",
            "inspect sd-card",
            "compare output sd-card --only gauge-01",
        ],
    );
    page.keep();
}

#[test]
fn placing() {
    let workspace = Workspace::demo();
    let mut page = Page::on("placing");
    workspace.run(&["render", "harbor.toml", "--into", "output"]);
    let place = "place output sd-card --only gauge-01 --fresh-identity";
    at_both_widths(&mut page, &workspace, &[&format!("{place} --dry-run")]);
    page.run(&workspace, place);
    page.run(&workspace, &format!("{place} --yes -v"));
    page.run(&workspace, &format!("{place} --yes"));
    page.run(&workspace, "inspect sd-card");
    page.run(&workspace, "place output sd-card --only gauge-02 --dry-run");
    workspace.write("sd-card/etc/hosts", workspace.read("sd-card/etc/hosts") + "10.64.10.99 gauge-01\n");
    workspace.write("sd-card/etc/hostname", "buoy\n");
    workspace.write("sd-card/etc/netplan/90-by-hand.yaml", "network: {version: 2}\n");
    page.run(&workspace, "compare output sd-card --only gauge-01");
    page.run(&workspace, &format!("{place} --dry-run"));
    page.run(&workspace, &format!("{place} --yes --keep-changes"));
    page.run(&workspace, "undo sd-card --yes");
    page.run(&workspace, "undo sd-card --yes --discard-changes");
    page.run(&workspace, "undo sd-card --yes");
    page.keep();
}

#[test]
fn what_cannot_be_placed() {
    let workspace = with_output();
    Card::new(&workspace);
    workspace.write("file", "");
    fs::create_dir(workspace.path().join("empty")).unwrap();
    fs::create_dir_all(workspace.path().join("torn/etc")).unwrap();
    fs::create_dir_all(workspace.path().join("torn/usr")).unwrap();
    let mut page = Page::on("errors-of-placing");
    for line in [
        format!("place output {CARD}"),
        format!("place output {CARD} --only gauge-*"),
        format!("place output {CARD} --only buoy"),
        "place output nowhere --only gauge-01".to_owned(),
        "place output file --only gauge-01".to_owned(),
        "place output empty --only gauge-01".to_owned(),
        "place output torn --only gauge-01".to_owned(),
        format!("place empty {CARD}"),
        "place output --only gauge-01".to_owned(),
        format!("place output {CARD} --only gauge-01"),
        format!("place output {CARD} --only gauge-01 --format json"),
        format!("undo {CARD}"),
    ] {
        page.run(&workspace, &line);
    }
    workspace.write("output/gauge-01/rootfs/etc/hostname", "gauge-99\n");
    page.run(&workspace, &format!("place output {CARD} --only gauge-01 --yes"));
    page.run(&workspace, "inspect output");
    page.run(&workspace, "render sheet.toml --into output");
    page.keep();
}

#[test]
fn secrets() {
    let workspace = Workspace::new();
    let mut page = Page::on("secrets");
    page.run(&workspace, "secret list harbor.toml");
    page.run(&workspace, "secret check harbor.toml");
    let demo = Workspace::demo();
    page.run(&demo, "secret generate harbor.toml");
    page.run(&demo, "secret generate harbor.toml --renew --host-keys --dry-run");
    page.run(&demo, "secret generate harbor.toml keeper-login --renew --dry-run");
    at_both_widths(&mut page, &demo, &["secret list harbor.toml", "secret check harbor.toml"]);
    page.run(&demo, "secret remove harbor.toml keeper-login --for gauge-01 --yes");
    page.run(&demo, "secret generate harbor.toml");
    page.run(&demo, "check harbor.toml");
    page.keep();
}
