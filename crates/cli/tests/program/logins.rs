//! Logins on hosts: what is written for those with passwords, for root, for groups and shells; and secrets of appliances.

use serde_json::Value;

use crate::support::{READABLE, Workspace, host, packaged, right_sheet, with_password};

fn rendered(sheet: &str, more: &[&str]) -> Workspace {
    let workspace = Workspace::new().with_example_packages();
    workspace.write("sheet.toml", sheet);
    let render = workspace.run(&[&["render", "sheet.toml", "--into", "out"][..], more].concat());
    assert_eq!(render.code, 0, "{}{}", render.stdout, render.stderr);
    workspace
}

fn accounts(workspace: &Workspace) -> Value {
    serde_json::from_str(&workspace.read("out/gauge-01/accounts.json")).unwrap()
}

const LOGIN: &str = "from = \"file\"\npath = \"keeper-login.secret\"";
const ETC: &str = "out/gauge-01/rootfs/etc";

#[test]
fn a_login_with_all_that_a_sheet_can_say_of_it() {
    let sheet = with_password(LOGIN).replace(
        "[account.keeper]",
        "[account.keeper]\nfull_name = \"Harbor keeper\"\nchange_at_first_login = true\ngroups = [\"dialout\", \"sudo\"]\nshell = \"/bin/sh\"",
    );
    let workspace = rendered(&sheet.replace("[common]", "[common]\nstock_logins = \"refuse\""), &[]);
    let found = accounts(&workspace);
    let keeper = &found["accounts"][0];
    assert_eq!(keeper["groups"], serde_json::json!(["sudo", "dialout"]));
    assert_eq!((&keeper["shell"], &keeper["change_at_first_login"]), (&"/bin/sh".into(), &true.into()));
    assert!(keeper["password_hash"].as_str().unwrap().starts_with("$y$j9T$"));
    assert_eq!((&found["stock_logins"], &found["root_locked"]), (&"refuse".into(), &true.into()));
    // Who has a password is asked for it.
    assert!(
        workspace.read(&format!("{ETC}/sudoers.d/60-impostazione")).contains("keeper ALL=(ALL:ALL) ALL\n")
    );
}

#[test]
fn hashes_for_older_systems() {
    for (settings, begins) in [
        ("password_hashing = \"sha512\"", "$6$rounds=500000$"),
        ("password_hashing = \"sha512\"\npassword_cost = 1000", "$6$rounds=1000$"),
        ("password_cost = 1", "$y$j75$"),
    ] {
        let sheet = with_password(LOGIN).replace("[common]", &format!("[common]\n{settings}"));
        let workspace = rendered(&sheet, &[]);
        let found = accounts(&workspace);
        let hash = found["accounts"][0]["password_hash"].as_str().unwrap();
        assert!(hash.starts_with(begins), "{hash}");
    }
    let workspace = Workspace::new().with_example_secrets();
    workspace.write("sheet.toml", with_password(LOGIN).replace("[common]", "[common]\npassword_cost = 5000"));
    let check = workspace.run(&["check", "sheet.toml"]);
    assert!(check.stdout.contains("1 to 11 for yescrypt"), "{}", check.stdout);
    // The common cost is of another method than the host's own.
    let own = with_password(LOGIN)
        .replace("[common]", "[common]\npassword_cost = 7")
        .replace("name = \"gauge-01\"", "name = \"gauge-01\"\npassword_hashing = \"sha512\"");
    workspace.write("sheet.toml", own);
    assert_eq!(workspace.run(&["check", "sheet.toml"]).code, 0);
}

#[test]
fn root_is_locked_unless_the_sheet_names_it() {
    let root = "[account.root]\npassword = { secret = \"root-login\" }\n[secret.root-login]\nfrom = \"file\"\npath = \"pilot-login.secret\"\n";
    let sheet = right_sheet(&(host("gauge-01", "10.64.10.11") + root));
    let workspace = rendered(&sheet, &[]);
    assert_eq!(accounts(&workspace)["root_locked"], false);
    let sshd =
        |workspace: &Workspace| workspace.read(&format!("{ETC}/ssh/sshd_config.d/00-impostazione.conf"));
    assert!(sshd(&workspace).contains("PermitRootLogin no\n"));
    let open = sheet.replace("[common]", "[common]\nssh = { root_login = true, password_login = true }");
    assert!(sshd(&rendered(&open, &[])).contains("PermitRootLogin yes\n"));
    let by_key = sheet.replace("[common]", "[common]\nssh = { root_login = true }");
    assert!(sshd(&rendered(&by_key, &[])).contains("PermitRootLogin prohibit-password\n"));
}

#[test]
fn who_can_log_in_is_counted_with_passwords() {
    let only_password = with_password(LOGIN).replace("ssh_keys = [\"keys/keeper.pub\"]\n", "");
    let workspace = Workspace::new().with_example_secrets();
    let says = |sheet: &str| {
        workspace.write("sheet.toml", sheet);
        workspace.run(&["check", "sheet.toml"]).stdout
    };
    let shut = says(&only_password);
    assert!(shut.contains("keeper has only a password, and SSH does not accept passwords"), "{shut}");
    let open = says(&only_password.replace("[common]", "[common]\nssh = { password_login = true }"));
    assert_eq!(open, "sheet.toml: 1 machine, nothing wrong\n");
    let root = says(
        &right_sheet(&host("gauge-01", "10.64.10.11"))
            .replace("[account.keeper]\nadmin = true", "[account.root]"),
    );
    assert!(root.contains("the only account is root, which may not log in over SSH"), "{root}");
}

#[test]
fn options_of_keys_are_kept_and_wrong_ones_found() {
    let workspace = Workspace::new();
    let key = workspace.read("keys/keeper.pub");
    let line = format!("from=\"10.64.40.0/24\",no-agent-forwarding {}", key.trim());
    workspace.write("keys/keeper.pub", format!("{line}\n"));
    workspace.write("sheet.toml", right_sheet(&host("gauge-01", "10.64.10.11")));
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}", render.stderr);
    assert_eq!(accounts(&workspace)["accounts"][0]["ssh_keys"], serde_json::json!([line]));
    workspace.write("keys/keeper.pub", format!("no-agent-forwardin {key}"));
    let check = workspace.run(&["check", "sheet.toml"]);
    assert!(check.stdout.contains("know, no-agent-forwardin."), "{}", check.stdout);
}

#[test]
fn a_radio_gets_a_derived_key_and_with_sae_the_passphrase() {
    let wifi = |more: &str| {
        right_sheet(&format!(
            "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n\
             wifi = {{ ssid = \"slip\", passphrase = {{ secret = \"slip\" }}{more} }}\n\
             [secret.slip]\nfrom = \"file\"\npath = \"keeper-login.secret\"\n\
             [[host]]\nname = \"gauge-01\"\nnetplan = \"1.1\"\n\
             link.wifi0 = {{ kind = \"wifi\", mac = \"02:64:30:00:00:01\", subnet = \"slip\", address = \"10.64.30.11\" }}\n"
        ))
    };
    let netplan = |sheet: &str| rendered(sheet, &[]).read(&format!("{ETC}/netplan/60-impostazione.yaml"));
    let derived = netplan(&wifi(""));
    assert!(derived.contains("key-management: psk") && !derived.contains("gulls"), "{derived}");
    let plain = netplan(&wifi(", sae = true"));
    assert!(
        plain.contains("key-management: sae\n            password: eleven gulls by a crane\n"),
        "{plain}"
    );
    let workspace = Workspace::new().with_example_secrets();
    workspace.write("sheet.toml", wifi(", sae = true").replace("netplan = \"1.1\"\n", ""));
    let check = workspace.run(&["check", "sheet.toml"]);
    assert!(
        check.stdout.contains("netplan-too-old") && check.stdout.contains("with SAE needs"),
        "{}",
        check.stdout
    );
    workspace.write("keeper-login.secret", format!("{}\n", "ab".repeat(32)));
    workspace.write("sheet.toml", wifi(", sae = true"));
    let check = workspace.run(&["check", "sheet.toml"]);
    assert!(check.stdout.contains("SAE needs the passphrase itself"), "{}", check.stdout);
}

#[test]
fn secrets_of_appliances_are_left_out_of_descriptors_on_request() {
    let sheet =
        packaged("\"packages/secured.ovf\"", "", "", "\"admin.password\" = { secret = \"harbor-admin\" }")
            + READABLE;
    for (options, in_descriptor) in [(&[][..], true), (&["--without-secrets"], false)] {
        let workspace = rendered(&sheet, options);
        let has = |name: &str| {
            let bytes = std::fs::read(workspace.path().join("out/logbook").join(name)).unwrap();
            bytes.windows(13).any(|part| part == b"Tidal7-marks!")
        };
        assert!(has("ovf-env.xml") && has("settings.iso"));
        assert_eq!((has("logbook.ovf"), has("properties.json")), (in_descriptor, in_descriptor));
        assert!(!has("networks.json") && !has("logbook.mf"));
    }
}
