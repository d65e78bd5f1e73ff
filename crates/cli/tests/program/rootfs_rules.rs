//! Every rule on root filesystems, by the program: the wrong example of each is a card that it is found on, and the right
//! example, which is as near as a right card comes, is none.

use impostazione_core::catalog;
use impostazione_core::finding::Examples;

use crate::card::{Card, render, sheet, with_output};
use crate::page::Page;
use crate::support::{Workspace, is_root};

/// Whether a rule is about root filesystems.
pub(crate) fn is_of_rootfs(rule: &str) -> bool {
    rule.starts_with("rootfs-") || rule.starts_with("placement-")
}

/// A card with what an example says on it. Its first line and what is no path are ignored.
fn lay(card: &Card<'_>, example: &str) {
    let example: toml::Table = example.parse().unwrap();
    for (path, value) in example.iter().filter(|(path, _)| path.contains('/')) {
        match (value.as_str(), value.get("script_kib").and_then(toml::Value::as_integer)) {
            (Some(text), _) => card.write(path, text),
            (None, Some(size)) => {
                card.write(
                    path,
                    format!("#!/bin/sh\n{}", "#".repeat(usize::try_from(1024 * size - 10).unwrap())),
                );
            }
            (None, None) => card.remove(path),
        }
    }
}

/// A host with a radio.
pub(crate) const RADIO: &str = "[subnet.beach]\nprefix = \"10.64.20.0/24\"\ngateway = \"10.64.20.1\"\n\
    wifi = { ssid = \"beach\", passphrase = { secret = \"beach-wifi\" }, country = \"IT\" }\n\
    [secret.beach-wifi]\nfrom = \"file\"\npath = \"beach-wifi.secret\"\n[[host]]\nname = \"gauge-03\"\n\
    link.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"beach\", address = \"10.64.20.11\" }\n";

/// The host of an example, whose output is made.
fn prepare(workspace: &Workspace, example: &str) -> &'static str {
    if example.contains("output = \"wifi\"") {
        workspace.write("beach-wifi.secret", "gulls over the beach at four\n");
        render(workspace, &sheet(RADIO));
        "gauge-03"
    } else {
        if example.contains("output = \"locale\"") {
            render(workspace, &sheet("").replacen("[common]", "[common]\nlocale = \"it_IT.UTF-8\"", 1));
        }
        "gauge-01"
    }
}

#[test]
fn each_wrong_example_is_found_on_a_card_and_each_right_one_is_passed_in_silence() {
    let mut astray = Vec::new();
    // Those that take another mount, or an earlier placement, have tests of their own.
    let by_paths = catalog::all().iter().filter(|rule| {
        rule.examples == Examples::Rootfs
            && rule.wrong.contains('/')
            && !rule.wrong.contains("placement.machine")
    });
    let mut count = 0;
    let mut page = Page::on("findings-root-filesystems");
    for rule in by_paths {
        count += 1;
        for (example, is_wrong) in [(rule.wrong, true), (rule.right, false)] {
            let workspace = with_output();
            let card = Card::new(&workspace);
            let host = prepare(&workspace, example);
            lay(&card, example);
            let before = card.list();
            let run = card.place(&["--dry-run", "-v", "--only", host]);
            assert_eq!(card.list(), before, "{}: a dry run changes nothing", rule.name);
            if is_wrong {
                page.heading(rule.name);
                page.add(&run.stderr);
            }
            let found: Vec<&str> = run.stderr.lines().filter(|line| line.contains(" rootfs-")).collect();
            // What placing takes care of is a note there.
            let weighs = |line: &str| {
                let words =
                    [rule.severity.word(), if rule.severity.word() == "warning" { "note" } else { "error" }];
                words.iter().any(|word| line.ends_with(&format!("{word} {}", rule.name)))
            };
            let is_right = if is_wrong { found.len() == 1 && weighs(found[0]) } else { found.is_empty() };
            let code = i32::from(is_wrong && rule.severity.word() == "error");
            if !is_right || run.code != code {
                astray.push(format!("{} ({is_wrong}): {} {}", rule.name, run.code, run.stderr));
            }
        }
    }
    assert!(astray.is_empty(), "{}", astray.join("\n"));
    assert_eq!(count, 24, "all but the running system, read-only, full, another machine's, and drifted");
    page.keep();
}

#[test]
fn the_running_system_is_refused_by_whatever_name() {
    let workspace = with_output();
    workspace.run(&["place", "output", "--only", "gauge-01", "/", "--dry-run"]);
    std::os::unix::fs::symlink("/", workspace.path().join("here")).unwrap();
    for root in ["/", "here", "/proc/self/root"] {
        let run = workspace.run(&["place", "output", "--only", "gauge-01", root, "--yes"]);
        if !is_root() {
            // Whom the system keeps from its own files is not told whose they are, and changes nothing either.
            assert_eq!(
                (run.code, run.stderr.as_str()),
                (3, "error: /etc/gshadow on the rootfs cannot be read: permission denied\n")
            );
            continue;
        }
        let told = format!(
            "gauge-01  {root}:1:1  error rootfs-is-running-system\n  {root} is the root filesystem of the system that is running.\n  \
                fix: mount the card, or unpack the image, and name that folder\n\n{root}: 1 error\n\
                error: gauge-01 was not placed: fix the errors above first\n"
        );
        assert_eq!((run.code, run.stderr), (1, told));
    }
}

#[test]
fn sudo_s_time_service_s_and_stock_logins_weigh_as_the_sheet_says() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let rule = catalog::by_name("rootfs-stock-login").unwrap();
    lay(&card, rule.wrong);
    for (word, code, grave) in [("keep", 0, "warning"), ("lock", 0, "note"), ("refuse", 1, "error")] {
        let sheet = sheet("").replacen("[common]", &format!("[common]\nstock_logins = \"{word}\""), 1);
        workspace.write("sheet.toml", &sheet);
        let waived = format!(
            "{sheet}[[waiver]]\nrule = \"stock-login-kept\"\nreason = \"tried here\"\nuntil = 2099-06-30\n"
        );
        if word == "keep" {
            workspace.write("sheet.toml", waived);
        }
        let rendered = workspace.run(&["render", "sheet.toml", "--into", "output"]);
        assert_eq!(rendered.code, 0, "{}", rendered.stderr);
        let run = card.place(&["--dry-run", "-v"]);
        assert_eq!(run.code, code, "{word}: {}", run.stderr);
        assert!(run.stderr.contains(&format!("{grave} rootfs-stock-login")), "{word}: {}", run.stderr);
        assert_eq!(run.stdout.contains("image is locked"), word == "lock", "{word}: {}", run.stdout);
    }
}

#[test]
fn ports_that_are_found_otherwise_have_whatever_name() {
    for (link, is_told) in [
        ("link.eth0 = { subnet = \"quay\", address = \"10.64.10.13\" }", true),
        ("link.eth0 = { subnet = \"quay\", address = \"10.64.10.13\", port = \"only\" }", false),
        ("link.lan0 = { subnet = \"quay\", address = \"10.64.10.13\", mac = \"02:64:10:00:00:13\" }", false),
        ("link.enp1s0 = { subnet = \"quay\", address = \"10.64.10.13\" }", false),
    ] {
        let workspace = with_output();
        render(&workspace, &sheet(&format!("[[host]]\nname = \"gauge-03\"\n{link}\n")));
        let card = Card::new(&workspace);
        lay(&card, catalog::by_name("rootfs-port-names").unwrap().wrong);
        let run = card.place(&["--only", "gauge-03", "--dry-run"]);
        assert_eq!(run.stderr.contains("error rootfs-port-names"), is_told, "{link}: {}", run.stderr);
        // An image that keeps systemd from naming ports.
        card.link("etc/systemd/network/99-default.link", "/dev/null");
        let run = card.place(&["--only", "gauge-03", "--dry-run"]);
        assert!(!run.stderr.contains("rootfs-port-names"), "{}", run.stderr);
    }
}

#[test]
fn what_inspect_finds_needs_no_output() {
    let workspace = Workspace::new();
    let card = Card::new(&workspace);
    let run = workspace.run(&["inspect", "card"]);
    assert_eq!(run.code, 0, "{}", run.stdout);
    assert!(run.stdout.ends_with("card: nothing wrong\n"), "{}", run.stdout);
    for name in [
        "rootfs-network-conflict",
        "rootfs-rewritten-at-boot",
        "rootfs-stock-login",
        "rootfs-ssh-conflict",
        "rootfs-cloned-identity",
    ] {
        lay(&card, catalog::by_name(name).unwrap().wrong);
    }
    card.remove("usr/sbin/netplan");
    card.write("etc/hostname", "image\n");
    let run = workspace.run(&["inspect", "card"]);
    for name in [
        "rootfs-rewritten-at-boot",
        "rootfs-stock-login",
        "rootfs-ssh-conflict",
        "rootfs-cloned-identity",
        "rootfs-lacks-netplan",
        "rootfs-hostname-conflict",
    ] {
        assert_eq!(run.stdout.matches(&format!(" {name}\n")).count(), 1, "{name}: {}", run.stdout);
    }
    assert_eq!(run.code, 1, "a rootfs without netplan is of no use");
}
