//! `compare`: what differs between two sheets, two outputs, or an output and a card.

use serde_json::Value;

use crate::card::{CARD, Card, render, sheet, with_output};
use crate::page::Page;
use crate::support::{Workspace, host};

fn compare(workspace: &Workspace, arguments: &[&str]) -> (i32, String) {
    let run = workspace.run(&[&["compare"], arguments].concat());
    (run.code, run.stdout + &run.stderr)
}

/// Copies `output` to `copy`, links and modes too.
fn copy_output(workspace: &Workspace) {
    let copied = std::process::Command::new("cp")
        .args(["-a", "output", "copy"])
        .current_dir(workspace.path())
        .status()
        .unwrap();
    assert!(copied.success());
}

#[test]
fn sheets_are_compared_by_machine_and_setting_and_not_by_line() {
    let workspace = with_output();
    let one = sheet(&host("gauge-02", "10.64.10.12"));
    workspace.write("one.toml", &one);
    // The same, said in another order and with other words.
    let (front, hosts) = one.split_at(one.find("[[host]]").unwrap());
    let other = format!("{}\n{}\n{hosts}", "# another hand\n", front.replace("dns      =", "dns="));
    workspace.write("same.toml", other);
    assert_eq!(
        compare(&workspace, &["one.toml", "same.toml"]),
        (0, "one.toml and same.toml are the same\n".to_owned())
    );
    let changed = one
        .replace("10.64.10.12", "10.64.10.19")
        .replace("[common]", "[common]\nlocale = \"it_IT.UTF-8\"")
        .replace("gauge-01", "gauge-07");
    workspace.write("other.toml", changed);
    let mut page = Page::on("comparing-sheets");
    assert_eq!(page.run(&workspace, "compare one.toml other.toml").code, 1);
    assert_eq!(page.run(&workspace, "compare one.toml other.toml --only gauge-07").code, 1);
    page.keep();
}

#[test]
fn of_secrets_no_more_is_said_than_that_they_differ() {
    let workspace = with_output();
    // The buoy has another login, and no part in the keeper's.
    let buoy = host("buoy", "10.64.10.14")
        + "[account.pilot]\nssh_keys = [\"keys/pilot.pub\"]\nhosts = [\"buoy\"]\n";
    let one = sheet(&buoy).replacen("[account.keeper]", "[account.keeper]\nhosts = [\"gauge-01\"]", 1);
    workspace.write("one.toml", &one);
    workspace.write("other.secret", "Ru6-tide-Winch-52\n");
    workspace.write("other.toml", one.replace("keeper.secret", "other.secret"));
    let (code, said) = compare(&workspace, &["one.toml", "other.toml"]);
    assert_eq!(code, 1);
    assert!(said.contains("\ngauge-01\n  secret keeper-login  a secret differs\n"), "{said}");
    assert!(!said.contains("buoy"), "{said}");
    let (_, json) = compare(&workspace, &["one.toml", "other.toml", "--format", "json"]);
    for secret in ["Tq7-rope-Harbor-41", "Ru6-tide-Winch-52"] {
        assert!(!said.contains(secret) && !json.contains(secret));
    }
    let json: Value = serde_json::from_str(&json).unwrap();
    assert_eq!(json["differences"][0]["kind"], "secret-differs");
    assert_eq!(
        (&json["differences"][0]["first"], &json["differences"][0]["lines"]),
        (&Value::Null, &serde_json::json!([]))
    );
}

#[test]
fn outputs_are_compared_by_file() {
    let workspace = with_output();
    std::fs::rename(workspace.path().join("output"), workspace.path().join("first")).unwrap();
    render(&workspace, &sheet(&host("gauge-03", "10.64.10.13")).replace("10.64.10.11", "10.64.10.19"));
    let mut page = Page::on("comparing-outputs");
    // Without a store salts are random, and nothing more is said of a hash.
    let run = page.run(&workspace, "compare first output");
    assert_eq!(run.code, 1);
    assert!(!run.stdout.contains("$y$"), "{}", run.stdout);
    assert_eq!(page.run(&workspace, "compare first first").code, 0);
    page.heading("the folder of one machine holds that machine alone");
    assert_eq!(page.run(&workspace, "compare first/gauge-01 output").code, 1);
    page.keep();
}

#[test]
fn a_card_is_compared_with_what_was_placed_on_it() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    // A name that nothing has is no reason to find no difference.
    let mut page = Page::on("comparing-with-a-card");
    for pair in ["output card", "output output", "sheet.toml sheet.toml"] {
        assert_eq!(page.run(&workspace, &format!("compare {pair} --only gague-*")).code, 2);
    }
    assert_eq!(page.run(&workspace, "compare output card").code, 2);
    page.keep();
    card.placed(&[]);
    assert_eq!(compare(&workspace, &["output", CARD]), (0, "output and card are the same\n".to_owned()));
    card.write("etc/hostname", "image\n");
    card.remove("etc/netplan/60-impostazione.yaml");
    card.write("etc/netplan/50-image.yaml", "network: {version: 2}\n");
    let (code, said) = compare(&workspace, &["output", CARD]);
    assert_eq!(code, 1);
    assert_eq!(
        said,
        "- output\n+ card\n\ngauge-01\n  etc/hostname  differs\n      - gauge-01\n      + image\n  \
         etc/netplan/50-image.yaml  only in the second\n      netplan would merge it with our file\n  \
         etc/netplan/60-impostazione.yaml  only in the first\n\n1 machine differs, in 3 places\n"
    );
    let (code, json) = compare(&workspace, &["output", CARD, "--format", "json"]);
    let json: Value = serde_json::from_str(&json).unwrap();
    assert_eq!(code, 1);
    assert_eq!(json["second"], "card");
    assert_eq!(json["differences"].as_array().unwrap().len(), 3);
    assert_eq!(json["differences"][0]["lines"][0]["text"], "gauge-01");
}

#[test]
fn what_cannot_be_compared_is_refused() {
    let workspace = with_output();
    Card::new(&workspace);
    workspace.write("broken.toml", "format = 1\n[common\n");
    let mut page = Page::on("comparing-what-cannot-be-compared");
    for (pair, code) in [
        ("sheet.toml nowhere", 3),
        ("sheet.toml output", 2),
        ("card card", 2),
        ("card output", 2),
        ("sheet.toml broken.toml", 3),
    ] {
        assert_eq!(page.run(&workspace, &format!("compare {pair}")).code, code);
    }
    page.keep();
}

#[test]
fn two_machines_are_compared_with_each_other_and_alone() {
    let workspace = with_output();
    std::fs::rename(workspace.path().join("output"), workspace.path().join("first")).unwrap();
    render(&workspace, &sheet(&host("gauge-03", "10.64.10.13")));
    for second in ["first/gauge-02", "output/gauge-03"] {
        let (code, said) = compare(&workspace, &["first/gauge-01", second]);
        assert_eq!(code, 1, "{said}");
        assert!(said.contains("  rootfs/etc/hostname  differs\n      - gauge-01\n"), "{said}");
        assert!(said.contains("60-impostazione.yaml  differs\n      -       - 10.64.10.11/24\n"), "{said}");
        assert!(!said.contains("for all") && !said.contains("gauge-02  only"), "{said}");
    }
    let (code, json) = compare(&workspace, &["first/gauge-01", "first/gauge-02", "--format", "json"]);
    let json: Value = serde_json::from_str(&json).unwrap();
    assert!(code == 1 && json["differences"].as_array().unwrap().len() > 2, "{json}");
    let (code, said) = compare(&workspace, &["first/gauge-02", "output"]);
    assert_eq!(code, 2);
    assert!(said.contains("output has no machine gauge-02; it has gauge-01, gauge-03"), "{said}");
}

#[test]
fn what_was_changed_by_hand_since_is_never_called_the_same() {
    let workspace = with_output();
    copy_output(&workspace);
    assert_eq!(compare(&workspace, &["output", "copy"]).0, 0);
    workspace.write("copy/gauge-01/rootfs/etc/hostname", "gauge-99\n");
    let (code, said) = compare(&workspace, &["output", "copy"]);
    assert_eq!(code, 3, "{said}");
    assert!(
        said.contains("Not compared:\n  rootfs/etc/hostname for gauge-01: in copy it is changed since\n"),
        "{said}"
    );
    assert!(said.contains("output and copy could not be compared in full"), "{said}");
    let (code, json) = compare(&workspace, &["output", "copy", "--format", "json", "-q"]);
    let json: Value = serde_json::from_str(json.split("\nerror: ").next().unwrap()).unwrap();
    assert_eq!((code, &json["not_compared"][0]["machines"][0]), (3, &Value::from("gauge-01")));
}

#[test]
fn sheets_that_are_not_right_are_never_called_the_same() {
    let workspace = with_output();
    let right = sheet(&host("gauge-02", "10.64.10.12"));
    for (name, address) in [("one.toml", "10.64.300.12"), ("other.toml", "10.64.400.12")] {
        workspace.write(name, right.replace("10.64.10.12", address));
    }
    let mut page = Page::on("comparing-sheets-with-errors");
    assert_eq!(page.run(&workspace, "compare one.toml other.toml").code, 3);
    page.keep();
}

#[test]
fn what_no_command_knows_is_refused_with_what_it_is() {
    let workspace = with_output();
    for folder in ["empty", "notes"] {
        std::fs::create_dir_all(workspace.path().join(folder)).unwrap();
    }
    workspace.write("notes/harbor.txt", "ring the bell\n");
    workspace.write("notes.txt", "ring the bell\n");
    workspace.write("n.yaml", "network: {version: 2}\n");
    let mut page = Page::on("comparing-what-no-command-knows");
    for other in ["empty", "notes", "/", "notes.txt", "n.yaml", "packages/logbook.ova", "/dev/null"] {
        let said = page.run(&workspace, &format!("compare output {other}"));
        assert_eq!(said.code, 2, "{other}: {}", said.stderr);
        for more in [&["output/gauge-01", other][..], &["output", other, "--format", "json"]] {
            assert_eq!(compare(&workspace, more), (2, said.stderr.clone()), "{more:?}");
        }
        if other != "/" {
            let run = workspace.run(&["undo", other, "--yes"]);
            assert_eq!(run.code, 2, "{other}: {}", run.stderr);
            let run = workspace.run(&["place", "output/gauge-01", other, "--yes"]);
            assert_eq!(run.code, 2, "{other}: {}", run.stderr);
        }
    }
    page.keep();
    // A sheet of another name is told by what is in it.
    workspace.write("harbor.sheet", workspace.read("sheet.toml"));
    assert_eq!(compare(&workspace, &["sheet.toml", "harbor.sheet"]).0, 0);
}

#[test]
fn without_the_key_of_the_store_its_values_are_not_called_the_same() {
    let workspace = with_output();
    let from_store = sheet(&host("gauge-02", "10.64.10.12"));
    let at = from_store.find("from = \"file\"").unwrap();
    let end = at + from_store[at..].find("secret\"").unwrap() + "secret\"".len();
    workspace.write("one.toml", format!("{}from = \"store\"{}", &from_store[..at], &from_store[end..]));
    for arguments in [
        &["secret", "recipients", "one.toml", "--new-key", "my.key"][..],
        &["secret", "generate", "one.toml", "--key", "my.key", "--yes"],
    ] {
        let run = workspace.run(arguments);
        assert_eq!(run.code, 0, "{}", run.stderr);
    }
    assert_eq!(compare(&workspace, &["one.toml", "one.toml", "--key", "my.key"]).0, 0);
    let mut page = Page::on("comparing-without-the-key-of-the-store");
    assert_eq!(page.run(&workspace, "compare one.toml one.toml").code, 3);
    page.heading("against one whose value can be had it is neither the same nor different");
    assert_eq!(page.run(&workspace, "compare one.toml sheet.toml").code, 3);
    page.keep();
}

#[test]
fn what_render_did_not_write_is_named_and_not_called_as_rendered() {
    let workspace = with_output();
    copy_output(&workspace);
    let stray = "gauge-01/rootfs/etc/netplan/99-mine.yaml";
    workspace.write(&format!("copy/{stray}"), "network: {version: 2}\n");
    let mut page = Page::on("comparing-files-that-render-did-not-write");
    for path in ["copy", "copy/gauge-01"] {
        assert_eq!(page.run(&workspace, &format!("inspect {path}")).code, 1);
    }
    assert_eq!(workspace.run(&["inspect", "copy/gauge-02"]).code, 0);
    assert_eq!(page.run(&workspace, "compare output copy").code, 3);
    page.keep();
    assert_eq!(compare(&workspace, &["output/gauge-02", "copy/gauge-02"]).0, 0);
}

#[test]
fn a_package_with_another_disk_is_another_package() {
    let workspace = Workspace::new().with_example_packages();
    let packaged =
        |package: &str| crate::support::packaged(&format!("\"packages/{package}.ovf\""), "", "", "");
    workspace.write("one.toml", packaged("whole"));
    workspace.write("packages/whole2.ovf", workspace.read("packages/whole.ovf"));
    workspace.write("other.toml", packaged("whole2"));
    let mut page = Page::on("comparing-packages");
    assert_eq!(page.run(&workspace, "compare one.toml other.toml").code, 1);
    page.keep();
}
