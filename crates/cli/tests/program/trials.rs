//! Slips as they happen, each fixed from what `check` says of it alone. `docs/slips.md` shows them, and is made here:
//! `UPDATE_DOCS=1 cargo test -p impostazione --test program trials`.

use std::fmt::Write as _;
use std::path::Path;

use crate::support::{Workspace, right_sheet};

/// One slip: what happened, what was written, and what a reader of the message then writes.
struct Trial {
    happened: &'static str,
    wrong: &'static str,
    right: &'static str,
}

const LINK: &str = "link.lan0 = { subnet = \"quay\", address = \"10.64.10.11\" }";

const TRIALS: [Trial; 20] = [
    Trial {
        happened: "a dot was left out of an address",
        wrong: "address = \"10.6410.11\"",
        right: "address = \"10.64.10.11\"",
    },
    Trial {
        happened: "an address got a fifth part",
        wrong: "address = \"10.64.10.11.12\"",
        right: "address = \"10.64.10.11\"",
    },
    Trial {
        happened: "the network's address was given to a host",
        wrong: "address = \"10.64.10.0\"",
        right: "address = \"10.64.10.10\"",
    },
    Trial {
        happened: "an address of the DHCP server's was taken",
        wrong: "address = \"10.64.10.201\"",
        right: "address = \"10.64.10.240\"",
    },
    Trial {
        happened: "a mask was written behind a space",
        wrong: "prefix   = \"10.64.10.0 255.255.255.0\"",
        right: "prefix   = \"10.64.10.0/255.255.255.0\"",
    },
    Trial {
        happened: "a mask has a digit too few",
        wrong: "prefix   = \"10.64.10.0/255.255.25.0\"",
        right: "prefix   = \"10.64.10.0/255.255.255.0\"",
    },
    Trial {
        happened: "the gateway is another subnet's",
        wrong: "gateway  = \"10.64.1.1\"",
        right: "gateway  = \"10.64.10.1\"",
    },
    Trial { happened: "the gateway was forgotten", wrong: "# no gateway", right: "gateway = \"10.64.10.1\"" },
    Trial {
        happened: "a zone without daylight saving was chosen",
        wrong: "timezone = \"Etc/GMT-1\"",
        right: "timezone = \"Europe/Rome\"",
    },
    Trial {
        happened: "there is no second DNS server",
        wrong: "dns      = [\"10.64.10.53\"]",
        right: "dns      = [\"10.64.10.53\", \"none\"]",
    },
    Trial {
        happened: "a DNS server was given by name",
        wrong: "dns      = [\"10.64.10.53\", \"ns2.capovetro.example\"]",
        right: "dns      = [\"10.64.10.53\", \"10.64.10.54\"]",
    },
    Trial {
        happened: "the name has an underscore",
        wrong: "name = \"gauge_01\"",
        right: "name = \"gauge-01\"",
    },
    Trial {
        happened: "a machine's key stands below a link's header",
        wrong: "name = \"gauge-01\"\n[host.link.lan0]\nsubnet = \"quay\"\naddress = \"10.64.10.11\"\ntimezone = \"Etc/UTC\"",
        right: "name = \"gauge-01\"\ntimezone = \"Etc/UTC\"\n[host.link.lan0]\nsubnet = \"quay\"\naddress = \"10.64.10.11\"",
    },
    Trial {
        happened: "a key was mistyped",
        wrong: "adress = \"10.64.10.11\"",
        right: "address = \"10.64.10.11\"",
    },
    Trial {
        happened: "the MAC address was copied from a switch",
        wrong: "link.lan0 = { mac = \"0264.1000.0021\", subnet = \"quay\", address = \"10.64.10.11\" }",
        right: "link.lan0 = { mac = \"02:64:10:00:00:21\", subnet = \"quay\", address = \"10.64.10.11\" }",
    },
    Trial {
        happened: "a bond's mode was given in a vendor's word",
        wrong: "link.lan1 = { mac = \"02:64:10:00:00:21\" }\nlink.lan2 = { mac = \"02:64:10:00:00:22\" }\nlink.lan0 = { kind = \"bond\", members = [\"lan1\", \"lan2\"], mode = \"lacp\", subnet = \"quay\", address = \"10.64.10.11\" }",
        right: "link.lan1 = { mac = \"02:64:10:00:00:21\" }\nlink.lan2 = { mac = \"02:64:10:00:00:22\" }\nlink.lan0 = { kind = \"bond\", members = [\"lan1\", \"lan2\"], mode = \"802.3ad\", subnet = \"quay\", address = \"10.64.10.11\" }",
    },
    Trial {
        happened: "a route leads by a router of elsewhere",
        wrong: "link.lan0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"10.64.96.0/20\", via = \"10.64.20.1\" }] }",
        right: "link.lan0 = { subnet = \"quay\", address = \"10.64.10.11\", routes = [{ to = \"10.64.96.0/20\", via = \"10.64.10.2\" }] }",
    },
    Trial {
        happened: "a second host got the first one's entry, name and all",
        wrong: "link.lan0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-01\"\nlink.lan0 = { subnet = \"quay\", address = \"10.64.10.12\" }",
        right: "link.lan0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n[[host]]\nname = \"gauge-02\"\nlink.lan0 = { subnet = \"quay\", address = \"10.64.10.12\" }",
    },
    Trial {
        happened: "a password is to be changed, and there is none",
        wrong: "ssh_keys = [\"keys/keeper.pub\"]\nchange_at_first_login = true",
        right: "ssh_keys = [\"keys/keeper.pub\"]\nchange_at_first_login = false",
    },
    Trial {
        happened: "a shell was given by its short name",
        wrong: "ssh_keys = [\"keys/keeper.pub\"]\nshell = \"bash\"",
        right: "ssh_keys = [\"keys/keeper.pub\"]\nshell = \"/bin/bash\"",
    },
];

/// The right sheet with these lines in place of those that they belong to.
fn sheet(lines: &str) -> String {
    let base = right_sheet(&format!("[[host]]\nname = \"gauge-01\"\n{LINK}\n"));
    let key = lines.split([' ', '=']).next().unwrap();
    if lines.starts_with("# no gateway") || lines == "gateway = \"10.64.10.1\"" {
        return base.replacen("gateway  = \"10.64.10.1\"", lines, 1);
    }
    match key {
        "address" | "adress" => base.replacen("address = \"10.64.10.11\"", lines, 1),
        "name" if lines.contains('\n') => base.replacen(&format!("name = \"gauge-01\"\n{LINK}"), lines, 1),
        "name" => base.replacen("name = \"gauge-01\"", lines, 1),
        _ if key.starts_with("link.") => base.replacen(LINK, lines, 1),
        key => {
            let old = base.lines().find(|line| line.split(' ').next() == Some(key)).unwrap().to_owned();
            base.replacen(&old, lines, 1)
        }
    }
}

fn fenced(text: &str) -> String {
    format!("```toml\n{}\n```\n", text.trim_end())
}

#[test]
fn each_slip_is_mended_from_its_message_alone() {
    let mut page = "<!-- Made by `UPDATE_DOCS=1 cargo test -p impostazione --test program trials`. -->\n\n\
        # Slips, and what check says about them\n\nEach of these slips was written into a right sheet. Below it you see what `check` \
        printed, and then a correction that follows\nfrom this message alone. After the correction, `check` reported nothing.\n"
        .to_owned();
    for Trial { happened, wrong, right } in &TRIALS {
        let workspace = Workspace::new();
        let (before, after) = (sheet(wrong), sheet(right));
        assert_ne!(before, after, "{happened}");
        workspace.write("harbor.toml", &before);
        let said = workspace.run(&["check", "harbor.toml"]).stdout;
        assert!(!said.ends_with("nothing wrong\n"), "{happened}:\n{before}");
        assert_eq!(said.matches("  fix: ").count(), 1, "one finding for one slip: {happened}\n{said}");
        workspace.write("harbor.toml", &after);
        let then = workspace.run(&["check", "harbor.toml"]).stdout;
        assert!(then.ends_with("nothing wrong\n"), "{happened}:\n{then}");
        write!(
            page,
            "\n## {}\n\n{}\n```text\n{}\n```\n\nThen written:\n\n{}",
            happened[..1].to_uppercase() + &happened[1..],
            fenced(wrong),
            said.trim_end(),
            fenced(right)
        )
        .unwrap();
    }
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/slips.md");
    if std::env::var_os("UPDATE_DOCS").is_some() {
        std::fs::write(&path, &page).unwrap();
    }
    let kept = std::fs::read_to_string(&path).unwrap_or_default();
    assert_eq!(kept, page, "docs/slips.md is out of date: see the first lines of this file");
}
