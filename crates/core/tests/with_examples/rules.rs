//! Every rule, by its examples and by what is near them.

use std::collections::BTreeSet;

use impostazione_core::catalog::all;
use impostazione_core::finding::Examples;

use super::support::{assess_example, assess_text, names_of, standing};

#[test]
fn names_are_kebab_case_and_unique() {
    let mut seen = BTreeSet::new();
    for rule in all() {
        assert!(seen.insert(rule.name), "{} twice", rule.name);
        let is_plain = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-';
        assert!(rule.name.chars().all(is_plain), "{}", rule.name);
        assert!(rule.summary.len() < 100 && !rule.summary.ends_with('.'), "{}", rule.name);
        assert!(rule.explanation.ends_with('.'), "{}", rule.name);
        for (kind, marker) in [
            (Examples::NetplanFiles, "# a netplan file"),
            (Examples::Rootfs, "# a root filesystem"),
            (Examples::Network, "# a network"),
            (Examples::BootedHost, "# on the host"),
        ] {
            for example in [rule.wrong, rule.right] {
                assert_eq!(rule.examples == kind, example.starts_with(marker), "{}", rule.name);
            }
        }
    }
}

#[test]
fn each_wrong_example_breaks_its_rule_alone_and_each_right_one_breaks_none() {
    let mut astray = Vec::new();
    // What is seen of a network takes one: tests/program/probing.rs and arriving.rs of the program play it. What is seen inside of a host
    // takes a boot: tests/first_boot/inside.rs.
    let takes_more = |examples: Examples| matches!(examples, Examples::Network | Examples::BootedHost);
    for rule in all().iter().filter(|rule| !takes_more(rule.examples)) {
        let wrong: BTreeSet<&str> = standing(&assess_example(rule.wrong)).into_iter().collect();
        if wrong != BTreeSet::from([rule.name]) {
            astray.push(format!("wrong example of {} gives {wrong:?}:\n{}", rule.name, rule.wrong));
        }
        let right = standing(&assess_example(rule.right));
        if !right.is_empty() {
            astray.push(format!("right example of {} gives {right:?}:\n{}", rule.name, rule.right));
        }
    }
    assert!(astray.is_empty(), "{}", astray.join("\n"));
}

/// What is near a breach and is none: each piece is laid over a right sheet, and no rule may stir.
#[test]
fn near_misses_break_no_rule() {
    let link = |link: &str| format!("[[host]]\nname = \"gauge-01\"\nlink.eth0 = {{ {link} }}\n");
    let in_subnet = |subnet: &str, address: &str| {
        format!(
            "[common]\ndns = [\"10.64.10.53\", \"fd64:10::53\"]\n[subnet.slip]\n{subnet}\n{}",
            link(&format!("subnet = \"slip\", {address}"))
        )
    };
    let shut_in = |subnet: &str, address: &str| {
        in_subnet(subnet, address).replace(
            "dns = [\"10.64.10.53\", \"fd64:10::53\"]",
            "dns = \"none\"\nntp = \"none\"\nsearch = \"none\"",
        )
    };
    let pieces = [
        // The ends of what a subnet gives to machines.
        link(r#"subnet = "quay", address = "10.64.10.2""#),
        link(r#"subnet = "quay", address = "10.64.10.254""#),
        link(r#"subnet = "quay", address = "10.64.10.11/255.255.255.0""#),
        link(r#"subnet = "quay", address = "10.64.10.11/0xFFFFFF00""#),
        link(r#"subnet = "quay", address = "none""#),
        // A /31 and a /32 keep no address for themselves, and neither does IPv6.
        in_subnet("prefix = \"10.64.30.0/31\"\ngateway = \"10.64.30.1\"", r#"address = "10.64.30.0""#),
        shut_in("prefix = \"10.64.30.7/32\"\ngateway = \"none\"", r#"address = "10.64.30.7""#),
        shut_in("prefix6 = \"fd64:30::/64\"\ngateway6 = \"none\"", r#"address6 = "fd64:30::1""#),
        shut_in("prefix6 = \"fd64:30::/127\"\ngateway6 = \"none\"", r#"address6 = "fd64:30::""#),
        shut_in("prefix6 = \"fd64:30::/64\"\ngateway6 = \"none\"", r#"address6 = "fd64:30::ffff:ffff:ffff:ffff""#),
        // A link-local router is in every subnet; an IPv4 one of that kind is not what is meant here.
        in_subnet("prefix6 = \"fd64:30::/64\"\ngateway6 = \"fe80::1\"", r#"address6 = "fd64:30::11""#),
        // One below and one above a range.
        format!("[subnet.quay]\ndhcp_ranges = [\"10.64.10.12-10.64.10.20\"]\n{}", link(r#"subnet = "quay", address = "10.64.10.11""#)),
        format!("[subnet.quay]\nkept_free = [\"10.64.10.2-10.64.10.10\"]\n{}", link(r#"subnet = "quay", address = "10.64.10.11""#)),
        format!("[subnet.quay]\nin_use = {{ \"10.64.10.12\" = \"crane\" }}\n{}", link(r#"subnet = "quay", address = "10.64.10.11""#)),
        // Neighboring subnets do not overlap; a gateway that nobody uses may be missing.
        "[subnet.slip]\nprefix = \"10.64.11.0/24\"\n[subnet.mole]\nprefix = \"10.64.8.0/23\"\n".to_owned(),
        // The subnet has no gateway key, and the link needs none.
        in_subnet("prefix = \"10.64.30.0/24\"", r#"address = "10.64.30.11", default_route = false"#),
        // A server that a route leads to, or that the machine is itself.
        in_subnet(
            "prefix = \"10.64.30.0/24\"\ngateway = \"none\"",
            r#"address = "10.64.30.11", routes = [{ to = "10.64.10.0/24", via = "10.64.30.2" }]"#,
        ),
        // A server of one's own elsewhere, where a route leads there, or where no server of the list is near; a public one.
        "[common]\ndns = [\"10.64.10.53\", \"9.9.9.9\"]\n".to_owned(),
        "[common]\ndns = [\"10.96.10.53\", \"10.96.10.54\"]\nntp = [\"10.64.10.53\", \"10.64.10.122\", \"10.64.10.123\"]\n".to_owned(),
        format!(
            "[common]\ndns = [\"10.64.10.53\", \"10.96.10.54\"]\n{}",
            link(r#"subnet = "quay", address = "10.64.10.11", routes = [{ to = "10.96.0.0/16", via = "10.64.10.2" }]"#)
        ),
        // A cable into a subnet with a radio, and names that only resemble those of radios.
        format!(
            "[subnet.quay]\nwifi = {{ ssid = \"quay\", passphrase = {{ secret = \"quay-wifi\" }} }}\n[secret.quay-wifi]\nfrom = \"file\"\n\
             path = \"quay-wifi.secret\"\n{}",
            link(r#"kind = "ethernet", subnet = "quay", address = "10.64.10.11""#)
        ),
        link(r#"subnet = "quay", address = "10.64.10.11""#).replace("eth0", "wired0"),
        link(r#"subnet = "quay", address = "10.64.10.11""#).replace("eth0", "wlanside"),
        // Another account's name goes on behind a service's.
        "[account.backups]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]\n".to_owned(),
        "[common]\ntimezone = \"UTC\"\n".to_owned(),
        // A route to the next subnet, and one to a wider network.
        link(r#"subnet = "quay", address = "10.64.10.11", routes = [{ to = "10.64.11.0/24", via = "10.64.10.2" }, { to = "10.64.0.0/16", via = "10.64.10.3" }]"#),
        // Names at their limits.
        format!("[[host]]\nname = \"{}\"\nlink.abcdefghijklmno = {{ subnet = \"quay\", address = \"10.64.10.11\" }}\n", "a".repeat(63)),
        "[common]\ndns = [\"fd64:10::53\", \"10.64.10.53\", \"none\"]\nntp = \"none\"\nsearch = \"none\"\ntimezone = \"Etc/UTC\"\n".to_owned(),
        // A key in the sheet itself, as a file would hold it.
        format!("[account.keeper]\nssh_keys = [\"{}\"]\n", super::support::KEY.trim()),
        // An appliance and a host may say different things; an appliance needs no zone and no login.
        "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\ndns = \"none\"\nlink.a = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = \"10.64.10.61\"\n\"node.number\" = 255\n".to_owned(),
    ];
    for piece in pieces {
        let found = names_of(&assess_example(&piece));
        assert!(found.is_empty(), "{found:?}\n{piece}");
    }
}

/// One slip, one finding: nothing else is said because of it.
#[test]
fn no_finding_follows_from_another() {
    let appliance = |rest: &str| {
        format!("[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\n{rest}\n")
    };
    let management =
        "link.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n";
    let cases = [
        ("[subnet.quay]\nprefix = \"10.64.10.0/33\"\n".to_owned(), "prefix-malformed"),
        (
            "[account.\"2nd\"]\nssh_keys = [\"keys/keeper.pub\"]\n[account.keeper]\nhosts = [\"gauge-01\"]\n"
                .to_owned(),
            "account-name-invalid",
        ),
        ("[account.keeper]\nssh_keys = [\"keys/none.pub\"]\n".to_owned(), "ssh-key-malformed"),
        (
            "[common]\ndomain = \"a..b\"\n".to_owned()
                + &appliance(&format!("{management}\"net.address\" = {{ take = \"fqdn\" }}")),
            "domain-malformed",
        ),
        (
            "[common]\ndns = [\"10.64\"]\n".to_owned()
                + &appliance(&format!("{management}\"net.address\" = {{ take = \"dns-1\" }}")),
            "dns-not-an-address",
        ),
        (
            appliance(
                "link.management = { subnet = \"quay\", address = \"10.64\" }\n[appliance.answer]\n\"net.address\" = { take = \"address\" }",
            ),
            "address-malformed",
        ),
        (
            appliance(
                "link.management = { subnet = \"kay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.address\" = { take = \"netmask\" }",
            ),
            "subnet-undefined",
        ),
        (
            appliance(&format!("{management}\"net.address\" = {{ take = \"adress\" }}")),
            "sheet-value-wrong-type",
        ),
    ];
    let base = super::support::BASE;
    for (right, wrong, rule) in [
        ("[common]", "[comon]", "sheet-key-unknown"),
        ("[common]", "[common", "sheet-syntax"),
        ("[subnet.quay]", "[subnet.quay", "sheet-syntax"),
        ("[account.keeper]", "[account.keeper]]", "sheet-syntax"),
        ("[[host]]", "[[host]", "sheet-syntax"),
        ("[subnet.quay]", "[subnt.quay]", "sheet-key-unknown"),
        ("[account.keeper]", "[acount.keeper]", "sheet-key-unknown"),
        ("ssh_keys", "ssh_key", "sheet-key-unknown"),
        ("[[host]]", "[[hosts]]", "sheet-key-unknown"),
        ("[[host]]", "[host]", "sheet-value-wrong-type"),
        ("dns ", "dsn ", "sheet-key-unknown"),
        ("prefix ", "prefx ", "sheet-key-unknown"),
        ("gateway", "gatway", "sheet-key-unknown"),
        ("name =", "nmae =", "sheet-key-unknown"),
        ("subnet =", "subnt =", "sheet-key-unknown"),
        ("address =", "adress =", "sheet-key-unknown"),
        ("link.eth0", "link", "sheet-value-wrong-type"),
        ("link.eth0", "lnk.eth0", "sheet-key-unknown"),
    ] {
        assert!(base.contains(right));
        assert_eq!(names_of(&assess_text(&base.replacen(right, wrong, 1))), [rule], "{wrong}");
    }
    for (piece, rule) in cases {
        assert_eq!(names_of(&assess_example(&piece)), [rule], "{piece}");
    }
}
