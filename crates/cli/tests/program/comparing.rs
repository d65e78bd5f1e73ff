//! `compare`: what differs between two sheets, two outputs, or an output and a card.

use serde_json::Value;

use crate::card::{CARD, Card, render, sheet, with_output};
use crate::support::{Workspace, host};

fn compare(workspace: &Workspace, arguments: &[&str]) -> (i32, String) {
    let run = workspace.run(&[&["compare"], arguments].concat());
    (run.code, run.stdout + &run.stderr)
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
        (0, "one.toml and same.toml say the same\n".to_owned())
    );
    let changed = one
        .replace("10.64.10.12", "10.64.10.19")
        .replace("[common]", "[common]\nlocale = \"it_IT.UTF-8\"")
        .replace("gauge-01", "gauge-07");
    workspace.write("other.toml", changed);
    let (code, said) = compare(&workspace, &["one.toml", "other.toml"]);
    assert_eq!(code, 1);
    assert!(said.starts_with("- one.toml\n+ other.toml\n"), "{said}");
    for part in [
        "\ngauge-01\n  only in the first\n",
        "\ngauge-07\n  only in the second\n",
        "\ngauge-02\n",
        "  link eth0 addresses  differs\n      - 10.64.10.12/24\n      + 10.64.10.19/24\n",
        "  locale  only in the second: it_IT.UTF-8\n",
    ] {
        assert!(said.contains(part), "{part}: {said}");
    }
    let (code, said) = compare(&workspace, &["one.toml", "other.toml", "--only", "gauge-07"]);
    assert_eq!((code, said.contains("gauge-02")), (1, false), "{said}");
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
    let (code, said) = compare(&workspace, &["first", "output"]);
    assert_eq!(code, 1);
    for part in [
        "\ngauge-02\n  only in the first\n",
        "\ngauge-03\n  only in the second\n",
        "  rootfs/etc/netplan/60-impostazione.yaml  differs\n      -       - 10.64.10.11/24\n      +       - 10.64.10.19/24\n",
        "  rootfs/etc/hosts  differs\n",
    ] {
        assert!(said.contains(part), "{part}: {said}");
    }
    // Without a store salts are random, and nothing more is said of a hash.
    assert!(said.contains("  accounts.json  a secret differs\n") && !said.contains("$y$"), "{said}");
    assert_eq!(compare(&workspace, &["first", "first"]), (0, "first and first say the same\n".to_owned()));
    let (code, said) = compare(&workspace, &["first/gauge-01", "output"]);
    assert_eq!(
        (code, said.contains("gauge-02")),
        (1, false),
        "a machine's folder is that machine alone: {said}"
    );
}

#[test]
fn a_card_is_compared_with_what_was_placed_on_it() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    // A name that nothing has is no reason to find no difference.
    for pair in [["output", CARD], ["output", "output"], ["sheet.toml", "sheet.toml"]] {
        let (code, said) = compare(&workspace, &[pair[0], pair[1], "--only", "gague-*"]);
        assert_eq!(code, 2, "{said}");
        assert!(said.contains("no machine of such a name"), "{said}");
    }
    let (code, said) = compare(&workspace, &["output", CARD]);
    assert_eq!(code, 2);
    assert!(
        said.contains("card does not say which machine it is; say so with --only: gauge-01, gauge-02"),
        "{said}"
    );
    card.placed(&[]);
    assert_eq!(compare(&workspace, &["output", CARD]), (0, "output and card say the same\n".to_owned()));
    card.write("etc/hostname", "image\n");
    card.remove("etc/netplan/60-impostazione.yaml");
    card.write("etc/netplan/50-image.yaml", "network: {version: 2}\n");
    let (code, said) = compare(&workspace, &["output", CARD]);
    assert_eq!(code, 1);
    assert_eq!(
        said,
        "- output\n+ card\n\ngauge-01\n  etc/hostname  differs\n      - gauge-01\n      + image\n  \
         etc/netplan/50-image.yaml  only in the second\n  etc/netplan/60-impostazione.yaml  only in the first\n\n\
         1 machine differs, in 3 places\n"
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
    for (arguments, code, says) in [
        (["sheet.toml", "nowhere"], 3, "there is no nowhere"),
        (["sheet.toml", "output"], 2, "sheet.toml and output are of different kinds"),
        (["card", "card"], 2, "card and card are two root filesystems; compare each with the output"),
        (["card", "output"], 2, "write the output first: compare output card"),
        (
            ["sheet.toml", "broken.toml"],
            3,
            "broken.toml cannot be read in full, and what is missing would seem to differ",
        ),
    ] {
        let (ended, said) = compare(&workspace, &arguments);
        assert_eq!(ended, code, "{arguments:?}: {said}");
        assert!(said.contains(says), "{arguments:?}: {said}");
    }
}
