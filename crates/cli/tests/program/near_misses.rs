//! What is near a breach and is none: for every rule on sheets a sheet of `tests/rules` at its limit, of which nothing at all is said.

use std::collections::BTreeSet;

use crate::rule_sheets::{self, RuleSheet};
use crate::support::{Workspace, rule_names};

/// An RSA key of 3072 bits, the shortest that is strong enough.
const STRONG_KEY: &str = "ssh-rsa AAAAB3NzaC1yc2EAAAADAQABAAABgQDyPrxQLvUAIIXAiXmOwNKhYa7dA3LQtuccvfaPdl/LDfobAe8FNPFQe+dxuC8V8Kxd9U5dTutX8Pj8Zl5RIE/RdhB/L4Oq5OGDbKTTcRXpbSqeSflSFDlmnQrwBDztMkRKKrAPqsUj1tGov9sfAC/yjS5h9SlRI4UaS5MU4O2ehwji1bYdJn8sNBiVgD89ur4o7jqWL+T3G0Bt4+D2w/lKtZO+TWKj+kvpByVZA23k+XDkM0SkOxm8SlKGWd3wChiBWYXce/uevyvm6IVdf7S43qfJtflKzxIsd2a+nFOqYJLcwqKGCYSMfjLSfNRZaXtLxWvq9rqLebZdxp4eMJc/AP3I4dZ/P1GSXuLHrIkc1r0qD7j4knuH1XlHruN7b3m9rqLXxV2+kjeWx4g9UZXl355bcQnI6zbuTh2mgNnSMTGebObCADoyWCTRTMlCNJrMgYW7gQ9NO/lLWu/ginUVzVADrJOFxD/1IQeHsjsHl+Hkl1d1XXzfVW740P74fuE= pilot@capovetro.example\n";

#[test]
fn what_is_near_a_breach_is_passed_in_silence() {
    let mut astray = Vec::new();
    for RuleSheet { rule, text: sheet, .. } in rule_sheets::all().into_iter().filter(|one| !one.breaks_it) {
        let workspace = Workspace::new().with_example_packages();
        workspace.write(
            "packages/facts.meanings.toml",
            "format = 1\nproduct = \"Log book\"\nversion = \"2.4\"\n[administration]\nport = 8443\n",
        );
        workspace.write("sheet.toml", &sheet);
        workspace.write("account.toml", "format = 1\n[account.pilot]\nssh_keys = [\"keys/pilot.pub\"]\n");
        workspace.write("near-well-known.secret", "the password of gulls flies\n");
        workspace.write("near-the-keeper.secret", "a keepsake of eleven gulls\n");
        workspace.write("slip.secret", "a phrase for the slip\n");
        workspace.write("least.secret", "kW4-zrQ8\n");
        workspace.write("most.secret", "the tide turns at four and the gulls go home over the old crane\n");
        workspace
            .write("clock.secret", "HEX:0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef\n");
        let keys = workspace.read("keys/keeper.pub")
            + "\n# of the night watch\n"
            + &workspace.read("keys/pilot.pub");
        workspace.write("keys/two.pub", keys);
        workspace.write("keys/strong.pub", STRONG_KEY);
        workspace.write("packages/bom.ovf", format!("\u{feff}{}", workspace.read("packages/logbook.ovf")));
        workspace.write(
            "quoted.csv",
            "\u{feff}name,mac,address\r\n\"lamp-1\",\"02:64:20:00:00:11\",\"10.64.20.11\"\r\n\r\n",
        );
        workspace.write(
            "wide.csv",
            "name,note,mac,address\nlamp-1,\"red, \"\"old\"\"\",02:64:20:00:00:11,10.64.20.11\n",
        );
        workspace.write(
            "semicolon.csv",
            "name,mac,address,stands\nlamp-1,02:64:20:00:00:11,10.64.20.11,\"north; below; the; light\"\n",
        );
        let key = workspace.read("keys/keeper.pub");
        workspace.write("keys/future.pub", format!("expiry-time=\"20990630\" {key}"));
        workspace.write("keys/authority.pub", format!("cert-authority {key}"));
        workspace.write("one.csv", "name,mac,address\nlamp-1,02:64:20:00:00:11,10.64.20.11");
        let check = workspace.run(&["check", "sheet.toml"]);
        let waived = sheet.contains("[[waiver]]");
        if check.code != 0
            || !(check.stdout.ends_with("nothing wrong\n") || waived && check.stdout.contains("waived"))
        {
            astray.push(format!("near {rule}:\n{}", check.stdout));
        }
    }
    assert!(astray.is_empty(), "{}\n{}", astray.join("\n\n"), astray.len());
}

#[test]
fn no_rule_is_left_out_here() {
    let names = rule_names();
    let mut rules: BTreeSet<&str> = names.iter().map(String::as_str).collect();
    // Those on netplan files have theirs in `inspect.rs`.
    rules.retain(|rule| !rule.starts_with("netplan-") || *rule == "netplan-too-old");
    // Those on root filesystems have theirs in `rootfs_rules.rs`.
    rules.retain(|rule| !crate::rootfs_rules::is_of_rootfs(rule) && !crate::probing::is_of_network(rule));
    let all = rule_sheets::all();
    let near = all.iter().filter(|one| !one.breaks_it).map(|one| one.rule.as_str());
    assert_eq!(near.collect::<BTreeSet<_>>(), rules);
}
