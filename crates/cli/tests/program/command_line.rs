//! Commands, their exit codes, and words that people bring from elsewhere.

use crate::support::{KEY, Workspace};
use serde_json::Value;

#[test]
fn a_right_sheet_passes_in_text_and_in_json() {
    let workspace = Workspace::new();
    let text = workspace.run(&["check", "harbor.toml"]);
    assert_eq!((text.code, text.stdout.as_str()), (0, "harbor.toml: 10 machines, nothing wrong\n"));
    let json = workspace.run(&["check", "harbor.toml", "--format", "json"]);
    let report: Value = serde_json::from_str(&json.stdout).unwrap();
    assert_eq!(
        report,
        serde_json::json!({"format": 1, "findings": [], "summary": {"machines": 10, "errors": 0, "warnings": 0, "notes": 0, "waived": 0, "not_looked_at": 0}})
    );
    let quiet = workspace.run(&["check", "harbor.toml", "-q"]);
    assert_eq!((quiet.code, quiet.stdout.as_str()), (0, ""));
}

#[test]
fn review_says_what_all_share_once_and_what_each_has_of_its_own() {
    let workspace = Workspace::new();
    let review = workspace.run(&["review", "harbor.toml"]);
    assert_eq!((review.code, review.stderr.as_str()), (0, ""));
    let text = review.stdout;
    assert!(text.starts_with("Capo Vetro harbor: 9 hosts, 1 appliance\n"), "{text}");
    assert_eq!(text.matches("10.64.10.53, 10.64.10.54").count(), 1, "{text}");
    for whole in
        ["gauge-01", "10.64.10.31/24", "fd64:10::31/64", "fd64:10::1", "10.64.20.11/24", "keeper, pilot"]
    {
        assert!(text.contains(whole), "{whole} is not in\n{text}");
    }
    let lamp = text
        .lines()
        .skip_while(|line| !line.contains("of its own"))
        .skip_while(|line| !line.contains("lamp-north"))
        .take(2)
        .collect::<Vec<_>>()
        .join(" ");
    assert!(lamp.contains("time zone:") && lamp.contains("Etc/UTC"), "{text}");
    for line in text.lines() {
        assert!(line.chars().count() <= 100, "{line}");
    }
}

#[test]
fn review_judges_nothing_but_says_that_there_are_findings() {
    let workspace = Workspace::new();
    let review = workspace.run(&["review", "slips.toml"]);
    assert_eq!(review.code, 0);
    assert!(
        review.stdout.contains("lamp_north") && review.stdout.contains("time zone      ?"),
        "{}",
        review.stdout
    );
    assert!(
        review.stderr.contains("6 findings in this sheet: `impostazione check slips.toml`"),
        "{}",
        review.stderr
    );
}

#[test]
fn review_never_shows_a_password() {
    let workspace = Workspace::new();
    let package = workspace.read("packages/logbook.ovf");
    let with_password = package.replace(
        "ovf:key=\"role\" ovf:type=\"string\"",
        "ovf:key=\"role\" ovf:type=\"string\" ovf:password=\"true\"",
    );
    workspace.write("packages/logbook.ovf", with_password);
    workspace.write("harbor.toml", workspace.read("harbor.toml").replace("\"primary\"", "\"tide-table-9\""));
    for format in ["text", "json"] {
        let review = workspace.run(&["review", "harbor.toml", "--format", format]);
        assert_eq!(review.code, 0);
        assert!(
            review.stdout.contains("node.role") && !review.stdout.contains("tide-table"),
            "{}",
            review.stdout
        );
    }
}

#[test]
fn explain_lists_the_rules_and_says_more_about_each() {
    let workspace = Workspace::new();
    let all = workspace.run(&["explain"]);
    assert_eq!(all.code, 0);
    let names: Vec<&str> = all
        .stdout
        .lines()
        .take_while(|line| !line.is_empty())
        .filter_map(|line| line.split_whitespace().next())
        .collect();
    assert!(names.len() >= 15, "{names:?}");
    for name in names {
        let one = workspace.run(&["explain", name]);
        assert_eq!(one.code, 0);
        assert!(one.stdout.starts_with(name), "{}", one.stdout);
        assert!(one.stdout.contains("\n  wrong:\n") && one.stdout.contains("\n  right:\n"), "{}", one.stdout);
    }
    let mistyped = workspace.run(&["explain", "adress-malformed"]);
    assert_eq!(mistyped.code, 2);
    assert!(mistyped.stderr.contains("is address-malformed meant?"), "{}", mistyped.stderr);
    let word = workspace.run(&["explain", "ntp"]);
    assert_eq!(word.code, 2);
    assert!(word.stderr.contains("ntp-malformed, ntp-missing"), "{}", word.stderr);
}

#[test]
fn habit_words_are_answered_with_the_command_that_does_it() {
    let workspace = Workspace::new();
    for (word, command) in [
        ("validate", "impostazione check SHEET"),
        ("plan", "impostazione review SHEET"),
        ("generate", "impostazione render SHEET --into DIR"),
        ("init", "impostazione demo"),
        ("repair", "impostazione check SHEET --fix"),
        ("free", "impostazione subnet ADDRESS/MASK"),
        ("parse", "impostazione inspect PATH"),
    ] {
        let run = workspace.run(&[word, "harbor.toml"]);
        assert_eq!((run.code, run.stdout.as_str()), (2, ""));
        assert!(run.stderr.contains(command), "{}", run.stderr);
    }
}

#[test]
fn a_wrong_command_line_ends_with_2_and_help_with_0() {
    let workspace = Workspace::new();
    for wrong in
        [vec![], vec!["check"], vec!["render", "harbor.toml"], vec!["check", "--nonsense", "harbor.toml"]]
    {
        let run = workspace.run(&wrong);
        assert_eq!((run.code, run.stdout.as_str()), (2, ""), "{wrong:?}");
        assert!(!run.stderr.is_empty());
    }
    for right in [vec!["--help"], vec!["check", "--help"], vec!["--version"]] {
        let run = workspace.run(&right);
        assert_eq!((run.code, run.stderr.as_str()), (0, ""), "{right:?}");
    }
}

#[test]
fn the_demonstration_goes_the_whole_way_and_leaves_its_files() {
    let workspace = Workspace::demo();
    let demo = workspace.run(&["demo", "--into", "site"]);
    assert_eq!((demo.code, demo.stderr.as_str()), (0, ""));
    for command in [
        "check slips.toml",
        "inspect packages/logbook.ova",
        "secret recipients harbor.toml --new-key harbor.key",
        "secret generate harbor.toml",
        "check harbor.toml",
        "review harbor.toml",
        "render harbor.toml --into output",
        "inspect sd-card",
        "place output sd-card --only gauge-01 --fresh-identity --dry-run",
    ] {
        assert!(demo.stdout.contains(&format!("\n$ impostazione {command}\n")), "{}", demo.stdout);
    }
    assert!(
        workspace.exists("site/output/logbook-3/settings.iso") && workspace.exists("site/keys/keeper.pub")
    );
    assert_eq!(
        workspace.read("site/harbor.toml"),
        workspace.read("harbor.toml"),
        "the embedded site is the one in the repository"
    );
    let again = workspace.run(&["demo", "--into", "site"]);
    assert_eq!(again.code, 3);
    assert!(again.stderr.contains("site is not empty"), "{}", again.stderr);
}

#[test]
fn the_demonstration_makes_a_folder_of_its_own_and_names_it() {
    let workspace = Workspace::new();
    let output = workspace.command(&["demo"]).env("TMPDIR", workspace.path()).output().unwrap();
    assert!(output.status.success());
    let text = String::from_utf8(output.stdout).unwrap();
    let folder = text.lines().find_map(|line| line.strip_prefix("$ cd ")).unwrap();
    let (_, end) = text.split_once(&format!("All of it is in {folder}. To go on from there:\n")).unwrap();
    let mut proposed = 0;
    for command in end.lines().filter_map(|line| line.trim_start().strip_prefix("impostazione ")) {
        let (command, _) = command.split_once("  ").unwrap();
        let arguments: Vec<&str> = command.split(' ').collect();
        let mut run = workspace.command(&arguments);
        let run = run.current_dir(folder).env("IMPOSTAZIONE_KEY", KEY).output().unwrap();
        assert!(run.status.success(), "{command}");
        proposed += 1;
    }
    assert_eq!(proposed, 8);
    assert!(std::path::Path::new(folder).join("output/files.json").is_file());
}

#[test]
fn the_sheet_in_the_readme_is_right() {
    let readme = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../README.md")).unwrap();
    let sheet = readme.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
    let workspace = Workspace::new();
    workspace.write("readme.toml", sheet);
    let check = workspace.run(&["check", "readme.toml"]);
    assert_eq!(check.stdout, "readme.toml: 12 machines, nothing wrong\n");
}

#[test]
fn a_part_of_the_machines_is_not_called_all_of_them() {
    let workspace = Workspace::new();
    let run = workspace.run(&["check", "harbor.toml", "--only", "gauge-*"]);
    let last = run.stdout.lines().last().unwrap();
    assert!(last.contains(" of ") && last.contains(" machines, nothing wrong"), "{last}");
}

#[test]
fn a_sheet_that_cannot_be_read_whole_is_not_shown_or_judged_as_if_it_were() {
    let workspace = Workspace::new();
    workspace.write("torn.toml", "format = 1\n[common\n[[host]]\nname = \"gauge-01\"\n");
    let review = workspace.run(&["review", "torn.toml"]);
    assert_eq!(review.code, 1);
    assert!(review.stderr.contains("torn.toml cannot be read in full, and machines"), "{}", review.stderr);
    let review = workspace.run(&["review", "torn.toml", "--format", "json"]);
    let report: serde_json::Value = serde_json::from_str(&review.stdout).unwrap();
    assert_eq!(report["sheet_read_whole"], false);
    let secrets = workspace.run(&["secret", "check", "torn.toml"]);
    assert!(secrets.code == 1 && !secrets.stdout.contains("nothing wrong"), "{}", secrets.stdout);
}

/// A package that several machines share is judged on the first of them, and shown whichever of them is asked for.
#[test]
fn what_machines_share_is_shown_for_each_of_them() {
    let workspace = Workspace::new();
    let sheet = crate::support::packaged("\"packages/none.ovf\"", "", "", "");
    let second = "[[appliance]]\nname = \"logbook-b\"\npackage = \"packages/none.ovf\"\n\
        link.management = { subnet = \"quay\", address = \"10.64.10.62\" }\n";
    let host = crate::support::host("gauge-01", "10.64.10.11");
    workspace.write("sheet.toml", format!("{sheet}{second}{host}"));
    for (machine, code) in [("logbook", 1), ("logbook-b", 1), ("gauge-01", 0)] {
        let run = workspace.run(&["check", "sheet.toml", "--only", machine]);
        assert_eq!(
            (run.code, run.stdout.contains("package-missing")),
            (code, code == 1),
            "{machine}: {}",
            run.stdout
        );
    }
}
