//! What an image runs or sets at boot: found, named, and taken care of or refused.

use serde_json::Value;

use crate::card::{CARD, Card, with_output};
use crate::page::Page;
use crate::support::Workspace;

/// A text without the line ends that its width makes.
fn flat(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Units of an agent in stages, which a package has brought beside a tool of another name.
fn with_agent(card: &Card<'_>) {
    let unit = |name: &str, text: &str| card.write(&format!("usr/lib/systemd/system/{name}"), text);
    unit(
        "tide-early.service",
        "[Unit]\nBefore=network-pre.target\n[Service]\nType=oneshot\nExecStart=/usr/bin/tide-agent early\n",
    );
    unit("tide-main.service", "[Service]\nExecStart=/usr/bin/tide-agent main\n");
    unit("shore-wait.service", "[Service]\nExecStart=/usr/bin/shore --wait\n");
    unit("lamp.service", "[Service]\nExecStart=/usr/bin/lamp\n");
    for name in ["tide-main.service", "shore-wait.service", "lamp.service"] {
        card.link(
            &format!("etc/systemd/system/multi-user.target.wants/{name}"),
            format!("/usr/lib/systemd/system/{name}"),
        );
    }
    card.write(
        "var/lib/dpkg/info/tide-agent.list",
        "/.\n/usr/bin/tide-agent\n/lib/systemd/system/tide-early.service\n/lib/systemd/system/tide-main.service\n\
         /usr/lib/systemd/system/shore-wait.service\n",
    );
    card.write("var/lib/dpkg/info/lamp.list", "/usr/lib/systemd/system/lamp.service\n");
}

#[test]
fn all_units_of_an_agent_are_kept_from_starting_and_no_others() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    with_agent(&card);
    card.placed(&[]);
    for name in ["tide-early.service", "tide-main.service", "shore-wait.service"] {
        assert_eq!(card.target(&format!("etc/systemd/system/{name}")), "/dev/null");
    }
    assert!(!card.has("etc/systemd/system/lamp.service"));
}

#[test]
fn without_a_packages_list_the_units_of_an_agent_are_told_by_name() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    with_agent(&card);
    card.remove("var/lib/dpkg/info");
    card.write(
        "usr/lib/systemd/system/tide-main.service",
        "[Unit]\nAfter=tide-early.service\n[Service]\nExecStart=/usr/bin/tide-main\n",
    );
    card.placed(&[]);
    for (name, is_masked) in
        [("tide-early.service", true), ("tide-main.service", true), ("shore-wait.service", false)]
    {
        assert_eq!(card.has(&format!("etc/systemd/system/{name}")), is_masked, "{name}");
    }
}

#[test]
fn what_placing_can_do_nothing_about_is_refused_with_its_reason() {
    let mut page = Page::on("placing-where-placing-can-do-nothing");
    for (path, text) in [
        ("boot/grub/grub.cfg", "linux /vmlinuz root=LABEL=root init=/usr/sbin/imageinit quiet\n"),
        ("sbin/init", "#!/bin/sh\nexec /lib/systemd/systemd\n"),
    ] {
        let workspace = with_output();
        let card = Card::new(&workspace);
        card.write(path, text);
        let before = card.list();
        page.heading(path);
        assert_eq!(page.run(&workspace, "place output/gauge-01 card --yes").code, 1);
        assert!(card.list() == before, "nothing was changed");
        page.run(&workspace, "compare output/gauge-01 card");
    }
    page.keep();
}

#[test]
fn lines_of_timetables_become_comments_without_being_shown() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.write("usr/sbin/cron", "");
    let table =
        "MAILTO=root\n@reboot root echo keeper:Quay-rope-77 | chpasswd\n5 4 * * * root /usr/bin/lamp\n";
    card.write("etc/cron.d/image", table);
    let shown = workspace.run(&["inspect", CARD]);
    let run = card.placed(&["-v"]);
    assert_eq!(
        card.read("etc/cron.d/image"),
        table.replace("@reboot", "# set aside by Impostazione: @reboot")
    );
    for said in [&shown.stdout, &shown.stderr, &run.stdout, &run.stderr] {
        assert!(!said.contains("Quay-rope-77"), "{said}");
    }
    assert!(flat(&shown.stdout).contains("Line 2 of /etc/cron.d/image may undo what is placed"));
    assert_eq!(card.undo(&[]).code, 0);
    assert_eq!(card.read("etc/cron.d/image"), table);
}

#[test]
fn credentials_for_the_kernel_are_taken_out_and_shown_nowhere() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.write(
        "boot/firmware/cmdline.txt",
        "console=tty1 systemd.set_credential=passwd.plaintext-password.root:Quay-rope-77 quiet\n",
    );
    let runs = [
        workspace.run(&["inspect", CARD]),
        workspace.run(&["compare", "output/gauge-01", CARD]),
        card.place(&["--dry-run", "-v"]),
        card.placed(&[]),
    ];
    for run in runs {
        assert!(!run.stdout.contains("Quay-rope-77") && !run.stderr.contains("Quay-rope-77"));
    }
    assert_eq!(card.read("boot/firmware/cmdline.txt"), "console=tty1 quiet\n");
}

#[test]
fn a_file_of_the_same_name_in_a_packages_folder_does_not_come_forth() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    let paths = ["etc", "usr/lib"].map(|start| format!("{start}/systemd/resolved.conf.d/zz-image.conf"));
    for path in &paths {
        card.write(path, "[Resolve]\nDNS=10.64.99.53\n");
    }
    let found = workspace.run(&["inspect", CARD, "--format", "json"]);
    let found: Value = serde_json::from_str(&found.stdout).unwrap();
    assert_eq!(found["rootfs"]["name_servers"][0]["path"], paths[0]);
    assert_eq!(found["rootfs"]["name_servers"][0]["kind"], "servers");
    card.placed(&[]);
    assert_eq!(card.target(&paths[0]), "/dev/null");
    assert!(card.has(&paths[1]));
    assert_eq!(card.undo(&[]).code, 0);
    assert_eq!(card.read(&paths[0]), "[Resolve]\nDNS=10.64.99.53\n");
}

#[test]
fn what_is_still_there_is_named_by_compare_with_what_it_does() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.placed(&[]);
    let same = workspace.run(&["compare", "output/gauge-01", CARD]);
    assert_eq!(same.code, 0, "{}", same.stdout);
    card.write("etc/rc.local", "#!/bin/sh\nhostname image\n");
    card.mode("etc/rc.local", 0o755);
    card.write("usr/lib/systemd/system/ssh.service.d/image.conf", "[Service]\nExecStartPre=/usr/bin/image\n");
    let mut page = Page::on("comparing-with-what-starts-at-boot");
    assert_eq!(page.run(&workspace, "compare output/gauge-01 card").code, 1);
    page.keep();
}

#[test]
fn units_that_a_distribution_brings_for_the_network_are_left_alone() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    // Nothing of this changes a setting: it waits, asks or lights a lamp.
    let unit = |name: &str, text: &str| {
        card.write(&format!("usr/lib/systemd/system/{name}"), text);
        card.link(
            &format!("etc/systemd/system/multi-user.target.wants/{name}"),
            format!("/usr/lib/systemd/system/{name}"),
        );
    };
    unit(
        "wait.service",
        "[Service]\nExecStart=/bin/sh -c 'until ip route get 10.64.10.1; do sleep 1; done'\n",
    );
    unit("names.service", "[Service]\nExecStart=/bin/sh -c 'grep nameserver /etc/resolv.conf'\n");
    unit("boot.service", "[Service]\nExecStart=/bin/cat /boot/config.txt\n");
    let run = card.placed(&["-v"]);
    assert!(!run.stdout.contains("first boot\n"), "{}", run.stdout);
}

#[test]
fn an_image_that_insists_on_tls_for_look_ups_gets_a_warning() {
    let workspace: Workspace = with_output();
    let card = Card::new(&workspace);
    card.write("etc/systemd/resolved.conf", "[Resolve]\nDNSOverTLS=yes\n");
    let mut page = Page::on("placing-where-lookups-need-tls");
    page.add(&card.placed(&[]).stderr_without_owners());
    page.keep();
}

#[test]
fn a_script_that_is_too_large_to_be_looked_at_is_said_to_be_so() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.write("etc/systemd/system/image.service", "[Service]\nExecStart=/usr/bin/image\n");
    card.link("etc/systemd/system/multi-user.target.wants/image.service", "../image.service");
    // A program of that size is no script, and is looked at in no size.
    card.write("usr/bin/image", "\u{7f}ELF".repeat(500_000));
    let run = card.place(&["--dry-run"]);
    assert!(!run.stderr.contains("not-looked-at"), "{}", run.stderr);
    card.write("usr/bin/image", format!("#!/bin/sh\n{}hostname image\n", "echo lamp\n".repeat(200_000)));
    let found = workspace.run(&["inspect", CARD, "--format", "json"]);
    let found: Value = serde_json::from_str(&found.stdout).unwrap();
    assert_eq!(found["summary"]["not_looked_at"], 1);
    assert_eq!(found["rootfs"]["scripts_not_looked_at"][0], "usr/bin/image");
    let run = card.placed(&[]);
    assert!(run.stderr.contains("warning rootfs-script-not-looked-at"), "{}", run.stderr);
    let compared = workspace.run(&["compare", "output/gauge-01", CARD]);
    assert_eq!(compared.code, 3, "nothing is called the same: {}", compared.stdout);
    card.write("usr/bin/image", format!("#!/bin/sh\n{}", "echo lamp\n".repeat(2_000)));
    let compared = workspace.run(&["compare", "output/gauge-01", CARD]);
    assert_eq!(compared.code, 0, "{}", compared.stdout);
}

/// Names a processor as the first bytes of a program do.
fn program_for(machine: u16) -> Vec<u8> {
    let mut bytes = b"\x7fELF\x02\x01\x01".to_vec();
    bytes.resize(18, 0);
    bytes.extend(machine.to_le_bytes());
    bytes.resize(64, 0);
    bytes
}

#[test]
fn without_netplan_the_message_says_how_to_bring_it_there() {
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.remove("usr/sbin/netplan");
    let mut page = Page::on("placing-without-netplan");
    let mut add = |about: &str| {
        let run = card.place(&["--dry-run"]);
        assert_eq!(run.code, 1);
        page.heading(about);
        // The processor of the other image, and that of the computer, are what the test is run on.
        page.add(
            &run.stderr.replace("arm64", "(another processor)").replace("x86-64", "(another processor)"),
        );
    };
    let (own, other) = if cfg!(target_arch = "x86_64") { (62, 183) } else { (183, 62) };
    card.write("bin/sh", program_for(own));
    add("an image for this processor");
    card.write("bin/sh", program_for(other));
    add("an image for another processor");
    card.write("etc/os-release", "ID=quaylinux\nPRETTY_NAME=\"Quay Linux 4\"\nVERSION_ID=4\n");
    add("an image of another distribution");
    page.keep();
}
