//! Machines from the rows of a CSV file.

use serde_json::Value;

use crate::support::{Workspace, right_sheet};

const ENTRY: &str = "[[host]]\nrows = \"buoys.csv\"\nname = \"buoy-{number}\"\n\
    link.eth0 = { subnet = \"quay\", address = \"{address}\" }\n";

fn workspace(csv: impl AsRef<[u8]>) -> Workspace {
    let workspace = Workspace::new();
    workspace.write("sheet.toml", right_sheet(ENTRY));
    workspace.write("buoys.csv", csv);
    workspace
}

/// File, line, column, machine, rule and message of each finding.
fn findings(workspace: &Workspace) -> Vec<(String, u64, u64, Option<String>, String, String)> {
    let check = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: Value = serde_json::from_str(&check.stdout).unwrap();
    let text = |value: &Value| value.as_str().unwrap().to_owned();
    let findings = report["findings"].as_array().unwrap().iter();
    findings
        .map(|finding| {
            (
                text(&finding["file"]),
                finding["line"].as_u64().unwrap(),
                finding["column"].as_u64().unwrap(),
                finding["machine"].as_str().map(str::to_owned),
                text(&finding["rule"]),
                text(&finding["message"]),
            )
        })
        .collect()
}

#[test]
fn each_row_is_a_machine() {
    for csv in [
        "number,address,note\n1,10.64.10.11,\"red, \"\"old\"\"\"\n2,10.64.10.12,\n",
        "number,address,note\r\n1,10.64.10.11,a\r\n\r\n2,10.64.10.12,b",
        "\u{feff}number,address,note\n1,\"10.64.10.11\",\"two\nlines\"\n2,10.64.10.12,\n",
    ] {
        let workspace = workspace(csv);
        let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
        assert_eq!(render.code, 0, "{}", render.stderr);
        for (name, address) in [("buoy-1", "10.64.10.11"), ("buoy-2", "10.64.10.12")] {
            let netplan = workspace.read(&format!("out/{name}/rootfs/etc/netplan/60-impostazione.yaml"));
            assert!(netplan.contains(&format!("{address}/24")), "{netplan}");
            assert_eq!(workspace.read(&format!("out/{name}/rootfs/etc/hostname")), format!("{name}\n"));
        }
    }
}

#[test]
fn a_row_whose_fields_are_shifted_is_one_finding() {
    let workspace = workspace(
        "number,address,mac\n1,10.64.10.11,02:64:00:00:00:11\n2,,10.64.10.12\n3,10.64.10.13,02:64:00:00:00:13\n",
    );
    let sheet = workspace.read("sheet.toml").replace("link.eth0 = {", "link.lan0 = { mac = \"{mac}\",");
    workspace.write("sheet.toml", sheet);
    let found = findings(&workspace);
    let [(file, line, column, machine, rule, message)] = found.as_slice() else { panic!("{found:?}") };
    assert_eq!((file.as_str(), *line, *column, machine.as_deref()), ("buoys.csv", 3, 3, Some("buoy-2")));
    assert_eq!(rule, "rows-values-malformed");
    assert_eq!(
        message,
        "This row has 2 values that cannot be read. `address` is \"\", which is empty. `mac` is \"10.64.10.12\", which has 8 \
         hexadecimal digits, and a MAC address has twelve."
    );
}

#[test]
fn a_slip_in_a_row_is_shown_in_the_row() {
    let workspace =
        workspace("number,address\n1,10.64.10.11\n2,\"10.64.10\"\n3,10.64.10.11\nx_y,10.64.10.14\n");
    let found = findings(&workspace);
    let places: Vec<_> = found
        .iter()
        .map(|(file, line, column, machine, rule, _)| {
            (file.as_str(), *line, *column, machine.as_deref().unwrap(), rule.as_str())
        })
        .collect();
    assert_eq!(
        places,
        [
            ("buoys.csv", 3, 3, "buoy-2", "address-malformed"),
            ("buoys.csv", 4, 3, "buoy-3", "address-duplicate"),
            ("buoys.csv", 5, 1, "buoy-x_y", "hostname-malformed"),
        ]
    );
    assert_eq!(found[1].5, "10.64.10.11 is already the address of buoy-1 (at line 2 of buoys.csv).");
    let text = workspace.run(&["check", "sheet.toml"]).stdout;
    assert!(
        text.contains(
            "buoy-2  buoys.csv:3:3  error address-malformed\n      2,\"10.64.10\"\n        ▔▔▔▔▔▔▔▔▔▔\n"
        ),
        "{text}"
    );
}

#[test]
fn files_are_named_from_where_the_command_is_run() {
    let workspace = workspace("number,address\n1,10.64\n");
    std::fs::create_dir(workspace.path().join("below")).unwrap();
    let output = workspace
        .command(&["check", "../sheet.toml"])
        .current_dir(workspace.path().join("below"))
        .output()
        .unwrap();
    let text = String::from_utf8(output.stdout).unwrap();
    assert!(text.starts_with("buoy-1  ../buoys.csv:2:3"), "{text}");
}

#[test]
fn what_is_no_csv_file_is_said_and_makes_no_machine() {
    for (csv, message) in [
        (&b""[..], "buoys.csv is empty: it has no header."),
        (&b"number,address\n"[..], "buoys.csv has a header and no rows."),
        (&b"number,address\n1\n"[..], "This row has 1 field, but the header has 2."),
        (&b"number,number\n1,2\n"[..], "The header has two fields \"number\"."),
        (
            &b"number,address\n1,\0\n"[..],
            "buoys.csv cannot be used: it is not text: it has binary bytes in it.",
        ),
        (&b"number,addr\n1,10.64.10.11\n"[..], "buoys.csv has no field \"address\"."),
    ] {
        let workspace = workspace(csv);
        let found = findings(&workspace);
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!(found[0].5, message);
        assert_eq!(workspace.run(&["render", "sheet.toml", "--into", "out"]).code, 1);
        assert!(!workspace.exists("out"));
    }
}

#[test]
fn ranges_and_rows_do_not_mix_and_fields_need_rows() {
    let ranged = workspace("number,address\n1,10.64.10.11\n");
    ranged.write("sheet.toml", right_sheet(&ENTRY.replace("{number}", "{1..3}")));
    assert_eq!(findings(&ranged)[0].5, "{1..3} is a range, but this entry takes its machines from rows.");
    let plain = workspace("");
    plain.write("sheet.toml", right_sheet(&ENTRY.replace("rows = \"buoys.csv\"\n", "")));
    assert_eq!(findings(&plain)[0].5, "{number} is not a range: it has no two dots.");
}

#[test]
fn a_secret_in_a_row_with_a_slip_is_not_shown() {
    let workspace = workspace("number,address,admin_password\n1,10.64,tide-table-9\n");
    let text = workspace.run(&["check", "sheet.toml"]).stdout;
    assert!(text.contains("1,10.64,(not shown)") && !text.contains("tide"), "{text}");
}

/// How many machines the summary has, and the rules that found something.
fn summed_up(csv: impl AsRef<[u8]>) -> (u64, Vec<String>, i32) {
    let workspace = workspace(csv);
    let check = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: Value = serde_json::from_str(&check.stdout).unwrap();
    let rules =
        report["findings"].as_array().unwrap().iter().map(|one| one["rule"].as_str().unwrap().to_owned());
    (report["summary"]["machines"].as_u64().unwrap(), rules.collect(), check.code)
}

#[test]
fn a_mark_that_is_not_closed_takes_in_no_machine() {
    let rows: Vec<String> = (11..31).map(|last| format!("{last},10.64.10.{last},by the mole")).collect();
    let csv = format!("number,address,note\n{}\n", rows.join("\n"));
    assert_eq!(summed_up(&csv), (20, Vec::new(), 0));
    // In whatever row, in whatever field.
    for row in [0, 1, 10, 19] {
        for part in [",10", ",by", ""] {
            let at =
                rows[..row].iter().map(|row| row.len() + 1).sum::<usize>() + "number,address,note\n".len();
            let at = at + rows[row].find(part).unwrap() + usize::from(!part.is_empty());
            let broken = format!("{}\"{}", &csv[..at], &csv[at..]);
            assert_eq!(summed_up(&broken), (19, vec!["rows-malformed".to_owned()], 1), "{broken}");
        }
    }
    // Two of them look like a value over several lines.
    let swallowed = csv.replacen("11,by the mole", "11,\"by the mole", 1).replacen(
        "14,by the mole",
        "14,by the mole\"",
        1,
    );
    assert_eq!(summed_up(&swallowed), (17, vec!["rows-value-over-lines".to_owned()], 0), "{swallowed}");
}

#[test]
fn what_a_spreadsheet_leaves_behind_makes_no_machine_and_no_error() {
    let lines = "number,address,note,,\n11,10.64.10.11,red,,\n12,10.64.10.12,,,\n,,,,\n,,,,\n";
    assert_eq!(summed_up(lines), (2, Vec::new(), 0));
    assert_eq!(summed_up(" number , address \n11 , 10.64.10.11\n12,10.64.10.12 \n"), (2, Vec::new(), 0));
    let (machines, rules, code) = summed_up("number,address,,\n11,10.64.10.11,,lost\n12,10.64.10.12,,\n");
    assert_eq!((machines, rules, code), (1, vec!["rows-malformed".to_owned()], 1));
}

#[test]
fn one_short_row_leaves_the_others_to_be_judged() {
    let (machines, rules, code) =
        summed_up("number,address\n11,10.64.10.11\n12\n13,10.64.10.999\n14,10.64.10.14\n");
    assert_eq!(machines, 3);
    assert_eq!((rules, code), (vec!["rows-malformed".to_owned(), "address-malformed".to_owned()], 1));
}

#[test]
fn other_signs_and_other_spellings_are_read_and_told() {
    let table = "number;address;note\r\n11;10.64.10.11;molo è\r\n12;10.64.10.12;\r\n";
    let little: Vec<u8> = table.replace(';', "\t").encode_utf16().flat_map(u16::to_le_bytes).collect();
    let western: Vec<u8> = table.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect();
    for (csv, taken_for) in [
        (table.as_bytes().to_vec(), "buoys.csv has semicolons between its fields; it was read as that."),
        (
            [&[0xff, 0xfe], &little[..]].concat(),
            "buoys.csv has tabs between its fields and is UTF-16 text; it was read as that.",
        ),
        (
            western,
            "buoys.csv has semicolons between its fields and is Windows-1252 text; it was read as that.",
        ),
        (
            [b"sep=;\r\n", table.as_bytes()].concat(),
            "buoys.csv has semicolons between its fields; it was read as that.",
        ),
    ] {
        let workspace = workspace(&csv);
        let found = findings(&workspace);
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!((found[0].4.as_str(), found[0].5.as_str()), ("rows-in-another-form", taken_for));
        assert_eq!(summed_up(&csv).0, 2);
        assert_eq!(workspace.run(&["render", "sheet.toml", "--into", "out"]).code, 0);
    }
}

/// A secret stays hidden however the file is written, and whatever is wrong with it.
#[test]
fn a_secret_in_rows_of_another_form_is_not_shown() {
    for csv in [
        "number;address; admin_password \n1;10.64;tide-table-9\n",
        "sep=;\nnumber;address;admin_password\n1;10.64;tide-table-9\n",
        "number,address,admin_password\n1,\"10.64,tide-table-9\n2,10.64.10.300,tide-table-9\n",
        "number,address,admin_password\n1,10.64,\"tide-table-9\"x\n2,10.64.10.300,tide-table-9,\n",
        "number,address,admin_password\n1,10.64.10.11,\"tide-table-9\n2,10.64.10.300,tide-table-9\"\n",
        "number,address,admin_password\n1,10.64.10.11,x,tide-table-9\n2,10.64.10.300,tide-table-9\n",
    ] {
        let workspace = workspace(csv);
        for format in ["text", "json", "sarif"] {
            let run = workspace.run(&["check", "sheet.toml", "--format", format]);
            let said = run.stdout + &run.stderr;
            assert!(said.contains("rows") && !said.contains("tide"), "{csv:?}: {said}");
        }
    }
}
