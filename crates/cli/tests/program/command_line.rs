//! Commands, their exit codes, and words that people bring from elsewhere.

use crate::given::Given;
use crate::support::{KEY, Workspace, rule_names};
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

/// What it shows of the demonstration's sheet is on the page `views-of-sheets`.
#[test]
fn review_says_what_all_share_once_and_what_each_has_of_its_own() {
    let review = Given::a_site().when("review harbor.toml").ends_with(0).does_not_complain();
    assert_eq!(review.stdout().matches("10.64.10.53, 10.64.10.54").count(), 1, "{}", review.stdout());
    review.kept_as("review-of-the-smaller-sheet");
}

#[test]
fn review_judges_nothing_but_says_that_there_are_findings() {
    Given::a_site().when("review slips.toml").ends_with(0).kept_as("review-of-a-sheet-with-errors");
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
    for name in rule_names() {
        assert!(all.stdout.contains(&name), "{name}");
        let one = workspace.run(&["explain", &name]);
        assert_eq!(one.code, 0);
        assert!(one.stdout.starts_with(&name), "{}", one.stdout);
        assert!(one.stdout.contains("\n  wrong:\n") && one.stdout.contains("\n  right:\n"), "{}", one.stdout);
    }
    Given::a_site()
        .when("explain adress-malformed")
        .ends_with(2)
        .when("explain ntp")
        .ends_with(0)
        .when("explain broadcast")
        .ends_with(0)
        .when("explain nonsense-of-all-kinds")
        .ends_with(2)
        .says_only("")
        .kept_as("explaining-by-a-part-of-a-name");
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
    assert_eq!(demo.code, 0);
    // The machines that are waited for, each change on a line.
    let is_change = |line: &str| {
        line.trim_start().split_once(" s  ").is_some_and(|(since, _)| since.parse::<u32>().is_ok())
    };
    assert!(demo.stderr.lines().count() > 16 && demo.stderr.lines().all(is_change), "{}", demo.stderr);
    for command in [
        "check slips.toml",
        "inspect packages/logbook.ova",
        "secret recipients harbor.toml --new-key harbor.key",
        "secret generate harbor.toml",
        "check harbor.toml",
        "review harbor.toml",
        "render harbor.toml --into output",
        "probe before harbor.toml --through network.toml",
        "probe after harbor.toml --through network.toml --wait 30s --remember",
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
    let (_, end) = text.split_once(&format!("Everything is in {folder}. To go on from here:\n")).unwrap();
    let mut proposed = 0;
    for command in end.lines().filter_map(|line| line.trim_start().strip_prefix("impostazione ")) {
        let (command, _) = command.split_once("  ").unwrap();
        let arguments: Vec<&str> = command.split(' ').collect();
        let mut run = workspace.command(&arguments);
        let run = run.current_dir(folder).env("IMPOSTAZIONE_KEY", KEY).output().unwrap();
        assert!(run.status.success(), "{command}");
        proposed += 1;
    }
    assert_eq!(proposed, 11);
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

/// A page of the documentation.
fn docs(name: &str) -> String {
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(name);
    std::fs::read_to_string(path).unwrap()
}

/// The first block of a kind behind a heading.
fn block<'a>(page: &'a str, heading: &str, kind: &str) -> &'a str {
    let (_, behind) = page.split_once(&format!("\n## {heading}\n")).unwrap();
    let (_, block) = behind.split_once(&format!("```{kind}\n")).unwrap();
    block.split_once("```").unwrap().0
}

#[test]
fn what_the_docs_show_of_a_meaning_is_what_is_printed() {
    let page = docs("meanings.md");
    let (line, printed) = block(&page, "How a meaning is found", "").split_once('\n').unwrap();
    Given::a_workspace(Workspace::demo())
        .when(line.strip_prefix("$ impostazione ").unwrap())
        .ends_with(0)
        .says_only(printed);
}

#[test]
fn the_meanings_file_and_its_entry_in_the_docs_are_right() {
    let page = docs("meanings.md");
    let heading = "A product without a package";
    let file = block(&page, heading, "toml");
    let (_, behind) =
        page.split_once("Name the file in the sheet, and answer what it cannot take:\n").unwrap();
    let entry = behind.split_once("```toml\n").unwrap().1.split_once("```").unwrap().0;
    let secret = "[secret.gatekeeper]\nfrom = \"file\"\npath = \"gate.secret\"\n";
    let given = Given::a_sheet(&format!("{secret}{entry}"))
        .file("packages/tidegate.meanings.toml", file)
        .file("gate.secret", "Mole7-and-Lantern\n")
        .when("check sheet.toml")
        .ends_with(0)
        .says_only("sheet.toml: 1 machine, nothing wrong\n")
        .when("render sheet.toml --into out")
        .ends_with(0)
        .and();
    let card = given.read("out/tide-gate/typing-card.txt");
    for question in
        file.lines().filter_map(|line| line.strip_prefix("ask  = \"").or(line.strip_prefix("ask = \"")))
    {
        let question = question.split('"').next().unwrap();
        assert!(card.contains(question), "{question} is not on the card:\n{card}");
    }
}

/// Every command line in README and docs has a command and options that there are.
#[test]
fn command_lines_in_the_docs_are_of_this_program() {
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut pages = vec![root.join("README.md")];
    pages.extend(std::fs::read_dir(root.join("docs")).unwrap().map(|entry| entry.unwrap().path()));
    let workspace = Workspace::new();
    let mut seen = 0;
    let mut astray = Vec::new();
    for page in pages.iter().filter(|path| path.extension().is_some_and(|end| end == "md")) {
        let text = std::fs::read_to_string(page).unwrap();
        let blocks = text.split("```sh\n").skip(1).map(|block| block.split("```").next().unwrap());
        for line in blocks.flat_map(str::lines).flat_map(|line| line.split("&&")) {
            let typed = line.trim().trim_start_matches("sudo ").trim_start_matches("./");
            let Some(typed) = typed.strip_prefix("impostazione ") else { continue };
            let typed = typed.split(" #").next().unwrap();
            let words: Vec<&str> = typed.split_whitespace().collect();
            let depth = if ["secret", "probe"].contains(&words[0]) { 2 } else { 1 };
            let help = workspace.run(&[&words[..depth], &["--help"]].concat());
            seen += 1;
            let options = words.iter().filter(|word| word.starts_with("--"));
            let is_known = |option: &&str| help.stdout.contains(option.split('=').next().unwrap());
            if help.code != 0 || !options.into_iter().all(is_known) {
                astray.push(format!("{}: {line}", page.display()));
            }
        }
    }
    assert!(astray.is_empty(), "{}", astray.join("\n"));
    assert!(seen > 40, "{seen} command lines were found");
}

#[test]
fn a_part_of_the_machines_is_not_called_all_of_them() {
    Given::a_site()
        .when("check harbor.toml --only gauge-*")
        .ends_with(0)
        .says_only("harbor.toml: 6 of 10 machines, nothing wrong\n");
}

#[test]
fn a_sheet_that_cannot_be_read_whole_is_not_shown_or_judged_as_if_it_were() {
    let torn = "format = 1\n[common\n[[host]]\nname = \"gauge-01\"\n";
    let review = Given::a_site().file("torn.toml", torn).when("review torn.toml --format json");
    let report: Value = serde_json::from_str(review.stdout()).unwrap();
    assert_eq!(report["sheet_read_whole"], false);
    Given::a_site()
        .file("torn.toml", torn)
        .when("review torn.toml")
        .ends_with(1)
        .when("secret check torn.toml")
        .ends_with(1)
        .does_not_show("nothing wrong")
        .kept_as("sheets-that-cannot-be-read-whole");
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
