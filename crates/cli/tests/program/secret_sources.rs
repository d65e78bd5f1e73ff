//! Where the values of secrets come from: the environment, files, a person, the sheet itself where it should not.

use serde_json::Value;

use crate::page::Page;
use crate::support::{Run, Workspace, host, right_sheet, with_password};

/// The rules that a sheet breaks, with their severities.
fn found(workspace: &Workspace, variables: &[(&str, &str)]) -> Vec<(String, String)> {
    let mut command = workspace.command(&["check", "sheet.toml", "--format", "json"]);
    let run = Run::from(command.envs(variables.iter().copied()).output().unwrap());
    let report: Value = serde_json::from_str(&run.stdout).unwrap();
    let text = |finding: &Value, key: &str| finding[key].as_str().unwrap().to_owned();
    let findings = report["findings"].as_array().unwrap().iter();
    findings.map(|finding| (text(finding, "rule"), text(finding, "severity"))).collect()
}

fn with(sheet: &str) -> Workspace {
    let workspace = Workspace::new().with_example_secrets();
    workspace.write("sheet.toml", sheet);
    workspace
}

fn one(rule: &str, severity: &str) -> Vec<(String, String)> {
    vec![(rule.to_owned(), severity.to_owned())]
}

#[test]
fn a_variable_of_the_environment() {
    let workspace = with(&with_password("from = \"env\"\nvariable = \"KEEPER\""));
    assert_eq!(found(&workspace, &[("KEEPER", "eleven gulls by a crane")]), []);
    assert_eq!(found(&workspace, &[]), one("secret-not-looked-at", "warning"));
    assert_eq!(found(&workspace, &[("KEEPER", "")]), one("secret-missing", "error"));
    assert_eq!(found(&workspace, &[("KEEPER", "two\nlines")]), one("secret-missing", "error"));
    let mut page = Page::on("secrets-from-the-environment");
    page.run(&workspace, "check sheet.toml");
    page.run_in(&workspace, "check sheet.toml", &[("KEEPER", "")]);
    page.keep();
}

#[test]
fn each_machine_has_a_variable_or_a_file_of_its_own() {
    let two = |source: &str| {
        with_password(source)
            .replace("\"gauge-01\"", "\"gauge-{01..02}\"")
            .replace("10.11\"", "10.{11..12}\"")
    };
    let workspace = with(&two("from = \"env\"\nper = \"machine\"\nvariable = \"LOGIN_{machine}\""));
    let both =
        [("LOGIN_GAUGE_01", "a rope too short for tides"), ("LOGIN_GAUGE_02", "slow boats carry loud bells")];
    assert_eq!(found(&workspace, &both), []);
    assert_eq!(found(&workspace, &both[..1]), one("secret-not-looked-at", "warning"));
    let same = [both[0], ("LOGIN_GAUGE_02", both[0].1)];
    assert_eq!(found(&workspace, &same), one("secret-reused", "error"));
    let workspace = with(&two("from = \"file\"\nper = \"machine\"\npath = \"{machine}.secret\""));
    assert_eq!(found(&workspace, &[]), []);
    let workspace = with(&two("from = \"file\"\nper = \"machine\"\npath = \"keeper-login.secret\""));
    assert_eq!(found(&workspace, &[]), one("sheet-value-wrong-type", "error"));
}

#[test]
fn members_of_a_cluster_share_a_value_and_others_have_their_own() {
    let appliance = |name: &str, last: u8, cluster: &str| {
        format!(
            "[[appliance]]\nname = \"{name}\"\n{cluster}package = \"packages/secured.ovf\"\n\
             link.management = {{ subnet = \"quay\", address = \"10.64.10.{last}\" }}\n\
             [appliance.answer]\n\"admin.password\" = {{ secret = \"admin\" }}\n"
        )
    };
    let workspace = with(&right_sheet(&format!(
        "[secret.admin]\nfrom = \"file\"\nper = \"cluster\"\npath = \"{{cluster}}.secret\"\n[cluster.logbook]\n{}{}{}",
        appliance("logbook-1", 61, "cluster = \"logbook\"\n"),
        appliance("logbook-2", 62, "cluster = \"logbook\"\n"),
        appliance("tide-log", 63, "")
    )))
    .with_example_packages();
    workspace.write("logbook.secret", "Nine-lamps-1871\n");
    workspace.write("tide-log.secret", "A-rope-too-short\n");
    let notes = found(&workspace, &[]);
    assert_eq!(notes, vec![("secret-stays-readable".to_owned(), "note".to_owned()); 3]);
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}", render.stderr);
    for (machine, value) in
        [("logbook-1", "Nine-lamps"), ("logbook-2", "Nine-lamps"), ("tide-log", "A-rope-too-short")]
    {
        let document = workspace.read(&format!("out/{machine}/ovf-env.xml"));
        assert!(document.contains(&format!("oe:value=\"{value}")), "{machine}: {document}");
    }
}

#[test]
fn a_file_that_others_may_read_is_refused_and_in_a_lab_warned_of() {
    let sheet = with_password("from = \"file\"\npath = \"for-all-to-read.secret\"");
    let workspace = with(&sheet);
    assert_eq!(found(&workspace, &[]), one("secret-file-readable-by-others", "error"));
    let mut page = Page::on("secrets-in-files-that-others-may-read");
    page.run(&workspace, "check sheet.toml");
    page.keep();
    workspace.write("sheet.toml", sheet.replace("[common]", "[common]\npurpose = \"lab\""));
    assert_eq!(found(&workspace, &[]), one("secret-file-readable-by-others", "warning"));
}

#[test]
fn a_password_in_the_sheet_is_an_error_in_production_and_works_in_a_lab() {
    let sheet = right_sheet(&host("gauge-01", "10.64.10.11"))
        .replace("[account.keeper]", "[account.keeper]\npassword = \"nine gulls on a mole\"");
    let workspace = with(&sheet);
    assert_eq!(found(&workspace, &[]), one("secret-in-sheet", "error"));
    let in_lab = sheet.replace("[common]", "[common]\npurpose = \"lab\"");
    workspace.write("sheet.toml", &in_lab);
    assert_eq!(found(&workspace, &[]), one("secret-in-sheet", "warning"));
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}", render.stderr);
    assert!(workspace.read("out/gauge-01/accounts.json").contains("\"password_hash\": \"$y$j9T$"));
    // There it has to keep to the rules, as any other has.
    workspace.write("sheet.toml", in_lab.replace("nine gulls on a mole", "changeme"));
    let rules: Vec<String> = found(&workspace, &[]).into_iter().map(|(rule, _)| rule).collect();
    assert_eq!(rules, ["secret-in-sheet", "secret-well-known"]);
}

#[test]
fn a_waiver_for_a_password_in_the_sheet_does_not_make_it_a_good_one() {
    let workspace = with(
        &(right_sheet(&host("gauge-01", "10.64.10.11"))
            .replace("[account.keeper]", "[account.keeper]\npassword = \"Administrator1\"")
            + "[[waiver]]\nrule = \"secret-in-sheet\"\nreason = \"until the store is there\"\nuntil = 2099-01-01\n"),
    );
    let rules: Vec<String> = found(&workspace, &[]).into_iter().map(|(rule, _)| rule).collect();
    assert_eq!(rules, ["secret-in-sheet", "secret-well-known"]);
    assert_eq!(workspace.run(&["check", "sheet.toml"]).code, 1);
}

#[test]
fn passwords_in_answers_and_in_rows_are_found_where_they_stand() {
    let appliance = "[[appliance]]\nrows = \"boxes.csv\"\nname = \"{name}\"\npackage = \"packages/secured.ovf\"\n\
        link.management = { subnet = \"quay\", address = \"{address}\" }\n[appliance.answer]\n\"admin.password\" = \"{admin_password}\"\n";
    let workspace = with(&right_sheet(appliance)).with_example_packages();
    workspace.write(
        "boxes.csv",
        "name,address,admin_password\nbox-1,10.64.10.61,Nine-gulls-1871\nbox-2,10.64.10.62,Ten-lamps-1872\n",
    );
    let run = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: Value = serde_json::from_str(&run.stdout).unwrap();
    let places: Vec<(&str, &str, u64, u64)> = report["findings"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|finding| finding["rule"] == "secret-in-sheet")
        .map(|finding| {
            let number = |key: &str| finding[key].as_u64().unwrap();
            (
                finding["file"].as_str().unwrap(),
                finding["machine"].as_str().unwrap(),
                number("line"),
                number("column"),
            )
        })
        .collect();
    assert_eq!(places, [("boxes.csv", "box-1", 2, 19), ("boxes.csv", "box-2", 3, 19)]);
    let text = workspace.run(&["check", "sheet.toml"]);
    assert!(!text.stdout.contains("gulls") && !text.stdout.contains("lamps"), "{}", text.stdout);
}

#[test]
fn a_prompt_without_a_terminal_says_which_sources_serve() {
    let workspace = with(&with_password("from = \"prompt\""));
    assert_eq!(found(&workspace, &[]), one("secret-not-looked-at", "warning"));
    let mut page = Page::on("secrets-that-a-person-types");
    page.run(&workspace, "check sheet.toml");
    page.keep();
}

#[test]
fn what_only_shows_a_sheet_asks_for_no_value() {
    let workspace = with(&with_password("from = \"file\"\npath = \"none.secret\""));
    let review = workspace.run(&["review", "sheet.toml"]);
    assert_eq!((review.code, review.stderr.as_str()), (0, ""));
    assert!(review.stdout.contains("keeper (key, password)"), "{}", review.stdout);
    let subnet = workspace.run(&["subnet", "quay", "--sheet", "sheet.toml"]);
    assert_eq!((subnet.code, subnet.stderr.as_str()), (0, ""));
}

#[test]
fn a_site_refuses_passwords_of_its_own() {
    let sheet = with_password("from = \"file\"\npath = \"keeper-login.secret\"")
        .replace("[common]", "[common]\nrefused_passwords = \"refused.txt\"");
    let workspace = with(&sheet);
    assert_eq!(found(&workspace, &[]), one("sheet-value-wrong-type", "error"));
    workspace.write("refused.txt", "# said on the quay\nold anchor\n");
    assert_eq!(found(&workspace, &[]), []);
    workspace.write("refused.txt", "Eleven Gulls by a Crane\n");
    assert_eq!(found(&workspace, &[]), one("secret-well-known", "error"));
}

#[test]
fn rules_of_a_product_hold_for_its_console_too() {
    let sheet = right_sheet(
        "[[appliance]]\nname = \"tide-gate\"\nmeanings = \"packages/tidegate.meanings.toml\"\n\
         link.lan = { subnet = \"quay\", address = \"10.64.10.71\" }\n[appliance.answer]\n\
         \"gatekeeper-password\" = { secret = \"gate\" }\n[secret.gate]\nfrom = \"file\"\npath = \"gate.secret\"\n",
    );
    let workspace = with(&sheet);
    for (value, rules) in [
        ("Lantern-Room-42", &[][..]),
        ("lantern-room-42", &["secret-lacks-kind"]),
        ("opensesame", &["secret-too-short", "secret-lacks-kind", "secret-well-known"]),
    ] {
        workspace.write("gate.secret", format!("{value}\n"));
        let found: Vec<String> = found(&workspace, &[]).into_iter().map(|(rule, _)| rule).collect();
        let wanted: Vec<&str> = rules.to_vec();
        assert_eq!(found, wanted, "{value}");
    }
}

#[test]
fn what_a_product_refuses_is_an_error_in_a_lab_too_and_no_waiver_helps() {
    let sheet = right_sheet(
        "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ova\"\naccept_licenses = true\ndeployment_option = \"small\"\nstorage_free = \"200 GiB\"\n\
         link.management = { network = \"Management\", subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\
         \"admin.password\" = { secret = \"admin\" }\n\"node.number\" = 1\n\"node.count\" = 1\n[secret.admin]\nfrom = \"file\"\npath = \"admin.secret\"\n\
         [[waiver]]\nrule = \"secret-too-short\"\nreason = \"it is short\"\nuntil = 2099-01-01\n",
    )
    .replace("[common]", "[common]\npurpose = \"lab\"");
    let workspace = Workspace::demo();
    workspace.write("sheet.toml", sheet);
    workspace.write("admin.secret", "kQ4-zrW8\n");
    let found = found(&workspace, &[]);
    assert!(found.contains(&("secret-too-short".to_owned(), "error".to_owned())), "{found:?}");
    assert!(found.contains(&("waiver-unmatched".to_owned(), "warning".to_owned())), "{found:?}");
}
