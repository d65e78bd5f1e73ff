//! Ways in that an image comes with: inspect names each, place shuts it or says why not, and undo brings it back.

use serde_json::Value;

use crate::card::{Card, sheet, with_output, with_output_of};
use crate::page::Page;
use crate::support::unwrapped;

const PASSWD: &str = "root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:1000::/home/keeper:/bin/bash\n\
    image:x:1001:1001::/home/image:/bin/bash\n";
const SHADOW: &str = "root:*:19000:0:99999:7:::\nkeeper:*:19000:0:99999:7:::\nimage:$y$j9T$kR2tQ0lLq1vEGw5Xy5vF0/$1bbkZk0fFkC0qRAjJmtZ7kS4wMk6G1sB1cGQn5Yg7p2:19000:0:99999:7:::\n";

/// A card whose image brings the users keeper and image.
fn lay(card: &Card<'_>) {
    card.write("etc/passwd", PASSWD);
    card.write("etc/shadow", SHADOW);
    card.mode("etc/shadow", 0o640);
    card.write(
        "etc/group",
        "root:x:0:\nadm:x:4:\nsudo:x:27:\ndocker:x:998:\nkeeper:x:1000:\nimage:x:1001:\n",
    );
    card.write(
        "etc/sudoers",
        "root ALL=(ALL:ALL) ALL\n%sudo ALL=(ALL:ALL) ALL\n@includedir /etc/sudoers.d\n",
    );
    card.mode("etc/sudoers", 0o440);
}

/// One way in: what lays it, what inspect says of it, and what must no longer stand there when it is shut.
struct Way {
    path: &'static str,
    text: &'static str,
    says: &'static str,
    is_gone: fn(&Card<'_>) -> bool,
}

/// Whether no line of a file that counts holds a word.
fn without(card: &Card<'_>, path: &str, word: &str) -> bool {
    !card.has(path) || !card.read(path).lines().any(|line| !line.starts_with('#') && line.contains(word))
}

const WAYS: [Way; 17] = [
    Way {
        path: "etc/sudoers.d/99-image",
        text: "image ALL=(ALL) NOPASSWD: ALL\n",
        says: "image may act as root by sudo without being asked for a password",
        is_gone: |card| !card.has("etc/sudoers.d/99-image"),
    },
    Way {
        path: "etc/sudoers.d/99-image",
        text: "Defaults env_reset\nALL ALL=(ALL) \\\n  NOPASSWD: ALL\n",
        says: "everybody may act as root by sudo without being asked for a password",
        is_gone: |card| {
            without(card, "etc/sudoers.d/99-image", "ALL")
                && card.read("etc/sudoers.d/99-image").starts_with("Defaults")
        },
    },
    Way {
        path: "etc/sudoers.d/99-image",
        text: "Defaults !authenticate\n",
        says: "everybody is not asked for a password by sudo",
        is_gone: |card| !card.has("etc/sudoers.d/99-image"),
    },
    Way {
        path: "etc/sudoers.d/99-image",
        text: "%sudo ALL=(ALL) NOPASSWD: ALL\n",
        says: "may act as root by sudo without being asked for a password",
        is_gone: |card| !card.has("etc/sudoers.d/99-image"),
    },
    Way {
        path: "etc/sudoers.d/10-image",
        text: "User_Alias CREW = gull, image\nCREW ALL=(ALL) ALL\n",
        says: "gull and image may act as root by sudo",
        // The gull cannot log in, and the image's login is shut: nobody is left whom the line is about.
        is_gone: |card| card.line("etc/shadow", "image:").split(':').nth(7) == Some("1"),
    },
    Way {
        path: "etc/ssh/sshd_config",
        text: "Include /etc/ssh/sshd_config.d/*.conf\nTrustedUserCAKeys /etc/ssh/ca.pub\n",
        says: "everybody with a key signed by the authority in this file may log in",
        is_gone: |card| {
            card.read("etc/ssh/sshd_config.d/00-impostazione.conf").contains("TrustedUserCAKeys none")
        },
    },
    Way {
        path: "etc/ssh/sshd_config",
        text: "Include /etc/ssh/sshd_config.d/*.conf\nAuthorizedKeysCommand /usr/bin/keys %u\nAuthorizedKeysCommandUser nobody\n",
        says: "everybody with a key from this command may log in",
        is_gone: |card| {
            card.read("etc/ssh/sshd_config.d/00-impostazione.conf").contains("AuthorizedKeysCommand none")
        },
    },
    Way {
        path: "etc/ssh/sshd_config",
        text: "Include /etc/ssh/sshd_config.d/*.conf\nHostbasedAuthentication yes\n",
        says: "everybody on a computer that this host trusts may log in",
        is_gone: |card| {
            card.read("etc/ssh/sshd_config.d/00-impostazione.conf").contains("HostbasedAuthentication no")
        },
    },
    Way {
        path: "etc/ssh/sshd_config",
        text: "Include /etc/ssh/sshd_config.d/*.conf\nAuthorizedKeysFile .ssh/authorized_keys /etc/ssh/keys/%u\n",
        says: "everybody with a key in this file may log in",
        is_gone: |card| {
            card.read("etc/ssh/sshd_config.d/00-impostazione.conf")
                .contains("AuthorizedKeysFile .ssh/authorized_keys .ssh/authorized_keys2\n")
        },
    },
    Way {
        path: "etc/ssh/sshd_config.d/50-image.conf",
        text: "Match User keeper\n  AuthorizedKeysFile /etc/ssh/keys/%u\nMatch all\n  PasswordAuthentication yes\n",
        says: "everybody may log in in other ways than the sheet says, in this Match block",
        is_gone: |card| {
            without(card, "etc/ssh/sshd_config.d/50-image.conf", "Authe")
                && without(card, "etc/ssh/sshd_config.d/50-image.conf", "KeysFile")
        },
    },
    Way {
        path: "etc/passwd",
        text: "root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:1000::/home/keeper:/bin/bash\n+::::::\n",
        says: "everybody in a directory service may log in (etc/passwd, line 3)",
        is_gone: |card| !card.read("etc/passwd").contains('+'),
    },
    Way {
        path: "etc/systemd/system/getty@tty1.service.d/autologin.conf",
        text: "[Service]\nExecStart=\nExecStart=-/sbin/agetty --autologin image --noclear %I $TERM\n",
        says: "image is logged in automatically at a console \
            (etc/systemd/system/getty@tty1.service.d/autologin.conf, line 3)",
        is_gone: |card| !card.has("etc/systemd/system/getty@tty1.service.d/autologin.conf"),
    },
    Way {
        path: "usr/lib/systemd/system/serial-getty@.service.d/a.conf",
        text: "[Service]\nExecStart=\nExecStart=-/sbin/agetty -a root ttyS0\n",
        says: "root is logged in automatically at a console",
        is_gone: |card| card.target("etc/systemd/system/serial-getty@.service.d/a.conf") == "/dev/null",
    },
    Way {
        path: "etc/group",
        text: "root:x:0:\nadm:x:4:image\nsudo:x:27:image\ndocker:x:998:image\nkeeper:x:1000:\nimage:x:1001:\n",
        says: "image is in the group docker, and can start containers that act as root (etc/group, line 4)",
        is_gone: |card| {
            ["adm:x:4:", "sudo:x:27:keeper", "docker:x:998:"]
                .iter()
                .all(|line| card.read("etc/group").lines().any(|found| found == *line))
        },
    },
    Way {
        path: "etc/passwd",
        text: "root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:1000::/home/keeper:/bin/bash\nimage:x:0:0::/root:/bin/bash\n",
        says: "image is root (user ID 0) (etc/passwd, line 3)",
        is_gone: |card| card.line("etc/shadow", "image:").split(':').nth(7) == Some("1"),
    },
    Way {
        path: "etc/nsswitch.conf",
        text: "passwd: files ldap\nhosts: files dns\n",
        says: "everybody known to ldap may log in; who that is could not be determined",
        // It is said that it stays.
        is_gone: |_| true,
    },
    Way {
        path: "etc/sudoers.d/50-image",
        text: "gulls at four\n",
        says: "everybody may get root from a sudo line that could not be read",
        is_gone: |_| true,
    },
];

#[test]
fn inspect_names_each_way_in_and_place_shuts_it_and_undo_brings_it_back() {
    let mut astray = Vec::new();
    for way in WAYS {
        let workspace = with_output();
        let card = Card::new(&workspace);
        lay(&card);
        card.write(way.path, way.text);
        let before = card.list();
        let run = workspace.run(&["inspect", "card"]);
        let said = unwrapped(&run.stdout);
        if !said.contains(way.says) || !said.contains("warning rootfs-way-in") {
            astray.push(format!("{}: inspect {said}", way.text));
        }
        let json: Value =
            serde_json::from_str(&workspace.run(&["inspect", "card", "--format", "json"]).stdout).unwrap();
        if !json["rootfs"]["ways_in"].as_array().unwrap().iter().any(|found| found["path"] == way.path) {
            astray.push(format!("{}: {}", way.text, json["rootfs"]["ways_in"]));
        }
        let run = card.place(&["--yes", "-v"]);
        let said = unwrapped(&run.stderr);
        if run.code != 0 || !(way.is_gone)(&card) {
            astray.push(format!("{}: place {} {said} {}", way.text, run.code, card.read("etc/group")));
        }
        // What stays is told again of the placed card, and what was shut is not.
        let still = unwrapped(&workspace.run(&["inspect", "card"]).stdout).contains("warning rootfs-way-in");
        let stays = ["ldap", "gulls"].iter().any(|word| way.text.contains(word));
        if still != stays
            && !way.text.contains("CREW")
            && !way.text.contains("image:x:0:0")
            && !way.path.starts_with("etc/ssh/sshd_config")
        {
            astray.push(format!("{}: still there", way.text));
        }
        if card.undo(&[]).code != 0 || card.list() != before {
            astray.push(format!("{}: not as it was", way.text));
        }
    }
    assert!(astray.is_empty(), "{}", astray.join("\n\n"));
}

/// The site of the tests, whose keeper is no administrator.
fn with_plain_keeper() -> String {
    let text = sheet("");
    let plain = text.replace("admin = true", "admin = false").replace("admin     = true", "admin = false");
    assert_ne!(text, plain);
    plain
}

#[test]
fn an_account_that_is_no_administrator_keeps_nothing_that_makes_it_one() {
    let workspace = with_output_of(&with_plain_keeper());
    let card = Card::new(&workspace);
    lay(&card);
    // The image has a keeper who may do everything, in every way.
    card.write("etc/group", "root:x:0:\nadm:x:4:keeper\nsudo:x:27:keeper,image\ndocker:x:998:keeper\ncrew:x:500:keeper\nkeeper:x:1000:\n");
    card.write("etc/gshadow", "sudo:*::keeper,image\ndocker:!::keeper\n");
    card.remove("etc/sudoers");
    card.write("etc/sudoers", "root ALL=(ALL:ALL) ALL\nkeeper ALL=(ALL) ALL\n%sudo ALL=(ALL:ALL) ALL\n%crew ALL=(ALL) ALL\n@includedir /etc/sudoers.d\n");
    card.write("etc/sudoers.d/010_keeper", "#1000 ALL=(ALL) NOPASSWD: ALL\n");
    let before = card.list();
    card.placed(&[]);
    let group = card.read("etc/group");
    for line in ["adm:x:4:", "sudo:x:27:", "docker:x:998:", "crew:x:500:"] {
        assert!(group.lines().any(|found| found == line), "{line}: {group}");
    }
    assert_eq!(card.read("etc/gshadow"), "sudo:*::\ndocker:!::\n");
    assert!(without(&card, "etc/sudoers", "keeper"), "{}", card.read("etc/sudoers"));
    assert!(!without(&card, "etc/sudoers", "%sudo"), "what others have stays");
    assert!(!card.has("etc/sudoers.d/010_keeper"));
    assert_eq!(card.undo(&[]).code, 0);
    assert_eq!(card.list(), before);
}

#[test]
fn a_group_or_a_number_that_is_the_systems_own_is_no_accounts() {
    let mut page = Page::on("placing-groups-of-the-system");
    for group in ["root:x:0:\nsudo:x:27:\nkeeper:x:0:\n", "root:x:0:\nsudo:x:27:\nkeeper:x:6:\n"] {
        let workspace = with_output_of(&with_plain_keeper());
        let card = Card::new(&workspace);
        card.write("etc/group", group);
        card.write("etc/login.defs", "");
        assert_eq!(page.run(&workspace, "place output card --only gauge-01 --yes").code, 1);
    }
    let workspace = with_output();
    let card = Card::new(&workspace);
    card.write("etc/login.defs", "UID_MIN 0\n");
    card.placed(&[]);
    assert!(
        card.line("etc/passwd", "keeper:").starts_with("keeper:x:1000:1000:"),
        "{}",
        card.read("etc/passwd")
    );
    // A user of the image whose own group is one of root's.
    let workspace = with_output_of(&with_plain_keeper());
    let card = Card::new(&workspace);
    lay(&card);
    card.write("etc/passwd", "root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:998::/home/keeper:/bin/bash\n");
    assert_eq!(page.run(&workspace, "place output card --only gauge-01 --yes").code, 1);
    page.keep();
}

#[test]
fn what_is_kept_or_refused_on_purpose_is_told() {
    let mut page = Page::on("placing-with-ways-in-that-stay");
    for (stock, code) in [("keep", 0), ("refuse", 1)] {
        let text = sheet("").replacen("[common]", &format!("[common]\nstock_logins = \"{stock}\""), 1);
        let workspace = with_output_of(&text);
        let card = Card::new(&workspace);
        lay(&card);
        card.write("etc/sudoers.d/99-image", "image ALL=(ALL) NOPASSWD: ALL\n");
        card.write("etc/group", "root:x:0:\nsudo:x:27:\nkeeper:x:1000:\nimage:x:1001:\ndocker:x:998:image\n");
        page.heading(stock);
        assert_eq!(page.run(&workspace, "place output card --only gauge-01 --yes").code, code);
        assert!(card.has("etc/sudoers.d/99-image"));
    }
    page.keep();
}
