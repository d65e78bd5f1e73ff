//! `check --format sarif`, read back by the types of the standard's own schema.

use serde_sarif::sarif::{ResultLevel, Sarif};

use crate::support::{Workspace, host, right_sheet};

fn log(workspace: &Workspace, sheet: &str) -> Sarif {
    let check = workspace.run(&["check", sheet, "--format", "sarif"]);
    serde_json::from_str(&check.stdout).unwrap_or_else(|error| panic!("{error}\n{}", check.stdout))
}

#[test]
fn each_finding_is_a_result_with_its_rule_and_region() {
    let workspace = Workspace::new();
    let log = log(&workspace, "slips.toml");
    assert_eq!(log.version, serde_json::json!("2.1.0"));
    let run = &log.runs[0];
    let rules = run.tool.driver.rules.as_ref().unwrap();
    let results: Vec<_> =
        run.results.as_ref().unwrap().iter().filter(|result| result.suppressions.is_none()).collect();
    assert_eq!(results.len(), 6);
    for result in &results {
        let id = result.rule_id.as_ref().unwrap();
        assert_eq!(&rules[usize::try_from(result.rule_index.unwrap()).unwrap()].id, id);
        assert_eq!(result.level, Some(ResultLevel::Error));
        let place = result.locations.as_ref().unwrap()[0].physical_location.as_ref().unwrap();
        assert_eq!(place.artifact_location.as_ref().unwrap().uri.as_deref(), Some("slips.toml"));
        let region = place.region.as_ref().unwrap();
        assert!(region.start_line.unwrap() > 1 && region.end_column.unwrap() > region.start_column.unwrap());
    }
    // What SARIF readers count with: the same places as in the text.
    let zone = results.iter().find(|result| result.rule_id.as_deref() == Some("timezone-unknown")).unwrap();
    let region =
        zone.locations.as_ref().unwrap()[0].physical_location.as_ref().unwrap().region.as_ref().unwrap();
    let line = workspace.read("slips.toml").lines().position(|line| line.contains("Europe/Roma")).unwrap();
    assert_eq!(
        (region.start_line, region.start_column, region.end_column),
        (Some(i64::try_from(line).unwrap() + 1), Some(12), Some(25))
    );
}

#[test]
fn waivers_are_suppressions_and_certain_values_are_fixes() {
    let workspace = Workspace::new();
    let sheet = host("Gauge 01", "10.64.10.11").replace("Gauge 01", "Gauge-01")
        + "[[waiver]]\nrule = \"hostname-uppercase\"\nreason = \"on the label\"\nuntil = 2099-06-30\n";
    workspace.write("my sheet.toml", right_sheet(&sheet));
    let log = log(&workspace, "my sheet.toml");
    let result = &log.runs[0].results.as_ref().unwrap()[0];
    assert_eq!(result.level, Some(ResultLevel::Warning));
    let suppression = &result.suppressions.as_ref().unwrap()[0];
    assert_eq!(suppression.justification.as_deref(), Some("on the label"));
    let change = &result.fixes.as_ref().unwrap()[0].artifact_changes[0];
    assert_eq!(change.artifact_location.uri.as_deref(), Some("my%20sheet.toml"));
    assert_eq!(
        change.replacements[0].inserted_content.as_ref().unwrap().text.as_deref(),
        Some("\"gauge-01\"")
    );
}

/// The text of a file with the replacements that a log offers for it; several findings may offer one replacement.
fn with_fixes(file: &str, text: &str, log: &Sarif) -> String {
    let mut wanted = std::collections::BTreeSet::new();
    for result in log.runs[0].results.as_ref().unwrap() {
        for fix in result.fixes.iter().flatten() {
            let change = &fix.artifact_changes[0];
            if change.artifact_location.uri.as_deref() != Some(file) {
                continue;
            }
            let replacement = &change.replacements[0];
            let region = &replacement.deleted_region;
            assert_eq!(region.start_line, region.end_line);
            let number = |value: Option<i64>| usize::try_from(value.unwrap()).unwrap();
            let (line, start, end) =
                (number(region.start_line), number(region.start_column), number(region.end_column));
            let to = replacement.inserted_content.as_ref().unwrap().text.clone().unwrap();
            wanted.insert((line, start, end, to));
        }
    }
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    for (line, start, end, to) in wanted.into_iter().rev() {
        let old: Vec<char> = lines[line - 1].chars().collect();
        let (before, after) = (&old[..start - 1], &old[end - 1..]);
        lines[line - 1] = before.iter().collect::<String>() + &to + &after.iter().collect::<String>();
    }
    lines.join("\n") + "\n"
}

#[test]
fn what_the_log_offers_is_what_fix_does() {
    let ranged = host("Gauge-{01..02}", "10.64.10.{11..12}");
    let rows = "[[host]]\nrows = \"upper.csv\"\nname = \"{name}\"\nlink.eth0 = { subnet = \"quay\", address = \"{address}\" }\n";
    let literal = host("Gauge-01", "10.64.10.11").replace("\"Gauge-01\"", "\"\"\"Gauge-01\"\"\"");
    let certain = host("Gauge-01", "10.64.10.11");
    for (end, is_offered, is_offered_in_rows) in [
        (certain, true, false),
        (ranged, false, false),
        (rows.to_owned(), false, true),
        (rows.replace("{name}", "x{name}"), false, false),
        (literal, false, false),
        (String::new(), false, false),
    ] {
        let workspace = Workspace::new();
        let table = "name,address\nGauge-01,10.64.10.11\n";
        workspace.write("upper.csv", table);
        let sheet = right_sheet(&(end + &host("gauge-09", "10.64.10.19")))
            .replace("dhcp_ranges", "# the leases\ndhcp_ranges");
        workspace.write("sheet.toml", &sheet);
        // A further slip may show once one is corrected: the first round is checked against the log.
        let offered = with_fixes("sheet.toml", &sheet, &log(&workspace, "sheet.toml"));
        let offered_in_rows = with_fixes("upper.csv", table, &log(&workspace, "sheet.toml"));
        assert_eq!((offered != sheet, offered_in_rows != table), (is_offered, is_offered_in_rows), "{sheet}");
        workspace.run(&["check", "sheet.toml", "--fix", "--yes"]);
        assert_eq!(workspace.read("upper.csv"), offered_in_rows);
        workspace.write("offered.toml", &offered);
        workspace.run(&["check", "offered.toml", "--fix", "--yes"]);
        assert_eq!(workspace.read("sheet.toml"), workspace.read("offered.toml"));
        for name in ["sheet.toml", "upper.csv"] {
            let rest = with_fixes(name, &workspace.read(name), &log(&workspace, "sheet.toml"));
            assert_eq!(rest, workspace.read(name), "nothing is offered that --fix does not do");
        }
    }
}
