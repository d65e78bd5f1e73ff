//! Sheets in several files.

use crate::given::Given;
use crate::support::{host, right_sheet};

const PART: &str = "format = 1\n\n[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n";

/// The right sheet with a host in each of two files, one of which is in a folder of its own and brings its own paths.
fn in_three_files() -> Given {
    let whole = right_sheet(&host("gauge-01", "10.64.10.11"));
    let sheet = whole.replacen("format = 1\n", "format = 1\ninclude = [\"shore/lamps.toml\"]\n", 1);
    let given = Given::a_site().file("sheet.toml", sheet);
    let keeper = given.read("keys/keeper.pub");
    std::fs::create_dir_all(given.path().join("shore/keys")).unwrap();
    given
        .file(
            "shore/lamps.toml",
            "format = 1\ninclude = [\"slip.toml\"]\n[[host]]\nrows = \"rows.csv\"\nname = \"{name}\"\n\
             link.eth0 = { subnet = \"slip\", address = \"{address}\" }\n[account.pilot]\n\
             ssh_keys = [\"keys/pilot.pub\", \"../keys/keeper.pub\"]\n",
        )
        .file("shore/slip.toml", PART)
        .file("shore/rows.csv", "name,address\nlamp-north,10.64.30.11\nlamp-south,10.64.30.12\n")
        .file("shore/keys/pilot.pub", keeper)
}

#[test]
fn files_join_and_each_path_counts_from_its_own() {
    let outcome = in_three_files()
        .when("check sheet.toml")
        .ends_with(0)
        .when("review sheet.toml --format json")
        .ends_with(0);
    let review: serde_json::Value = serde_json::from_str(outcome.stdout()).unwrap();
    let machines = review["machines"].as_array().unwrap();
    let names: Vec<&str> = machines.iter().map(|machine| machine["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["gauge-01", "lamp-north", "lamp-south"], "in the order of the files");
    assert_eq!(machines[2]["links"][0]["addresses"]["values"][0], "10.64.30.12/24");
    assert_eq!(machines[0]["accounts"][1]["ssh_keys"], 2);
}

#[test]
fn findings_and_corrections_are_in_the_file_that_they_are_about() {
    let given = in_three_files()
        .changed("shore/slip.toml", "10.64.30.0/24", "10.64.30.0 255.255.255.0")
        .changed("shore/rows.csv", "lamp-south", "\"Lamp-South\"")
        .when("check sheet.toml")
        .ends_with(1)
        .when("check sheet.toml --fix --dry-run")
        .when("check sheet.toml --fix --yes")
        .ends_with(0)
        .and();
    assert_eq!(given.read("shore/slip.toml"), PART.replace("10.64.30.0/24", "10.64.30.0/255.255.255.0"));
    assert!(given.read("shore/rows.csv").ends_with("\"lamp-south\",10.64.30.12\n"));
    given.kept_as("including-findings-and-corrections");
}

#[test]
fn what_is_wrong_with_including() {
    in_three_files()
        .about("a file that is not there, one that is not a sheet, and a folder")
        .file("token.txt", "Quay-rope-77\n")
        .changed("sheet.toml", "[\"shore/lamps.toml\"]", "[\"lamps.toml\", \"token.txt\", \"shore\"]")
        .when("check sheet.toml")
        .ends_with(1)
        .does_not_show("Quay-rope")
        .and()
        .about("twice, and a file that leads back to itself")
        .changed(
            "sheet.toml",
            "[\"lamps.toml\", \"token.txt\", \"shore\"]",
            "[\"shore/lamps.toml\", \"shore/slip.toml\"]",
        )
        .changed(
            "shore/slip.toml",
            "format = 1\n",
            "format = 1\ninclude = [\"lamps.toml\", \"../sheet.toml\"]\n",
        )
        .when("check sheet.toml")
        .ends_with(1)
        .and()
        .about("one table in two files")
        .changed("sheet.toml", ", \"shore/slip.toml\"]", "]")
        .file(
            "shore/slip.toml",
            format!("{PART}[common]\ntimezone = \"Europe/Malta\"\n[account.keeper]\nadmin = true\n"),
        )
        .when("check sheet.toml")
        .ends_with(1)
        .and()
        .about("a file without its format, one of another format, and one that is not TOML")
        .file("shore/slip.toml", PART.replace("format = 1\n", ""))
        .when("check sheet.toml")
        .ends_with(1)
        .and()
        .file("shore/slip.toml", PART.replace("format = 1", "format = 2"))
        .when("check sheet.toml")
        .ends_with(1)
        .and()
        .file("shore/slip.toml", format!("{PART}[subnet.mole\n"))
        .when("check sheet.toml")
        .ends_with(1)
        .kept_as("including-what-is-wrong");
}

#[test]
fn a_part_alone_leads_to_the_sheet_that_it_is_a_part_of() {
    in_three_files()
        .file("shore/slip.toml", PART.replace("slip", "mole"))
        .file("shore/own.toml", "format = 1\n[[host]]\nname = \"own\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.12\" }\n")
        .changed("sheet.toml", "\"shore/lamps.toml\"", "\"shore/own.toml\"")
        .when("check shore/own.toml")
        .ends_with(1)
        .kept_as("including-a-part-alone");
}

#[test]
fn many_files_that_include_each_other_come_to_an_end() {
    let mut given = in_three_files();
    for number in 0..40 {
        let next = number + 1;
        given = given
            .file(&format!("deep-{number}.toml"), format!("format = 1\ninclude = [\"deep-{next}.toml\"]\n"));
    }
    given = given.changed("sheet.toml", "\"shore/lamps.toml\"", "\"deep-0.toml\", \"shore/lamps.toml\"");
    let outcome = given.when("check sheet.toml --format json").ends_with(1);
    let report: serde_json::Value = serde_json::from_str(outcome.stdout()).unwrap();
    let findings = report["findings"].as_array().unwrap();
    assert_eq!(findings.len(), 1, "{findings:?}");
    assert_eq!(findings[0]["rule"], "include-unreadable");
}
