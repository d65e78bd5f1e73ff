//! `compare`: what differs between two sheets, two outputs, or an output and a card.

use serde_json::Value;

use crate::card::{CARD, Card, render, sheet, with_output};
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
         etc/netplan/50-image.yaml  only in the second\n      netplan would merge it with ours\n  etc/netplan/60-impostazione.yaml  only in the first\n\n\
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
    assert!(said.contains("whether output and copy are the same cannot be said"), "{said}");
    let (code, json) = compare(&workspace, &["output", "copy", "--format", "json", "-q"]);
    let json: Value = serde_json::from_str(json.split("\nimpostazione").next().unwrap()).unwrap();
    assert_eq!((code, &json["not_compared"][0]["machines"][0]), (3, &Value::from("gauge-01")));
}

#[test]
fn sheets_that_are_not_right_are_never_called_the_same() {
    let workspace = with_output();
    let right = sheet(&host("gauge-02", "10.64.10.12"));
    for (name, address) in [("one.toml", "10.64.300.12"), ("other.toml", "10.64.400.12")] {
        workspace.write(name, right.replace("10.64.10.12", address));
    }
    let (code, said) = compare(&workspace, &["one.toml", "other.toml"]);
    assert_eq!(code, 3, "{said}");
    assert!(
        said.contains("all of one.toml: it has 3 errors, and what cannot be read cannot be compared;"),
        "{said}"
    );
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
    for (other, is) in [
        ("empty", "a folder of no kind that is known here"),
        ("notes", "a folder of no kind that is known here"),
        ("/", "the root filesystem of the system that runs here"),
        ("notes.txt", "a file of no kind that is known here"),
        ("n.yaml", "a netplan file"),
        ("packages/logbook.ova", "a package"),
        ("/dev/null", "a device, a pipe or a socket"),
    ] {
        for first in ["output", "output/gauge-01"] {
            for json in [&[][..], &["--format", "json"]] {
                let (code, said) = compare(&workspace, &[&[first, other], json].concat());
                assert_eq!(code, 2, "{other}: {said}");
                assert!(said.contains(&format!("{other} is {is}; compare two sheets")), "{said}");
            }
        }
        if other != "/" {
            let run = workspace.run(&["undo", other, "--yes"]);
            assert_eq!(run.code, 2, "{other}: {}", run.stderr);
            let run = workspace.run(&["place", "output/gauge-01", other, "--yes"]);
            assert_eq!(run.code, 2, "{other}: {}", run.stderr);
        }
    }
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
    let (code, said) = compare(&workspace, &["one.toml", "one.toml"]);
    assert_eq!(code, 3, "{said}");
    assert!(said.contains("the secret keeper-login of one.toml for gauge-01"), "{said}");
    // Against one whose value can be had it is neither the same nor different.
    let (code, said) = compare(&workspace, &["one.toml", "sheet.toml"]);
    assert_eq!(code, 3, "{said}");
    assert!(!said.contains("a secret differs"), "{said}");
}

#[test]
fn what_render_did_not_write_is_named_and_not_called_as_rendered() {
    let workspace = with_output();
    copy_output(&workspace);
    let stray = "gauge-01/rootfs/etc/netplan/99-mine.yaml";
    workspace.write(&format!("copy/{stray}"), "network: {version: 2}\n");
    for path in ["copy", "copy/gauge-01"] {
        let run = workspace.run(&["inspect", path]);
        assert_eq!(run.code, 1, "{}", run.stdout);
        assert!(run.stdout.contains(&format!("not in files.json   {stray}\n")), "{}", run.stdout);
        assert!(run.stdout.contains("1 file beside them that `render` did not write"), "{}", run.stdout);
    }
    assert_eq!(workspace.run(&["inspect", "copy/gauge-02"]).code, 0);
    let (code, said) = compare(&workspace, &["output", "copy"]);
    assert_eq!(code, 3, "{said}");
    assert!(said.contains(&format!("{stray}: `render` did not write it into copy")), "{said}");
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
    let (code, said) = compare(&workspace, &["one.toml", "other.toml"]);
    assert_eq!(code, 1);
    assert!(said.contains("file of the package disk.img"), "{said}");
}
