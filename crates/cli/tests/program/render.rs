//! What `render` writes, and what it leaves alone.

use std::collections::BTreeMap;
use std::fs;
use std::io::Write as _;
use std::os::unix::fs::PermissionsExt;
use std::process::{Command, Stdio};

use crate::given::Given;
use crate::page::Page;
use crate::support::{Workspace, host, right_sheet};
use serde_json::Value;

fn render(workspace: &Workspace, arguments: &[&str]) -> crate::support::Run {
    let mut all = vec!["render", "harbor.toml", "--into", "out"];
    all.extend(arguments);
    let run = workspace.run(&all);
    assert_eq!(run.code, 0, "{}", run.stderr);
    run
}

fn listed(workspace: &Workspace) -> BTreeMap<String, Value> {
    let list: Value = serde_json::from_str(&workspace.read("out/files.json")).unwrap();
    assert_eq!(list["format"], 1);
    let files = list["files"].as_array().unwrap();
    files.iter().map(|file| (file["path"].as_str().unwrap().to_owned(), file.clone())).collect()
}

/// The digest that coreutils give.
pub(crate) fn sha256sum(content: &[u8]) -> String {
    let mut child = Command::new("sha256sum").stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    child.stdin.take().unwrap().write_all(content).unwrap();
    let output = child.wait_with_output().unwrap();
    String::from_utf8(output.stdout).unwrap().split(' ').next().unwrap().to_owned()
}

#[test]
fn the_files_of_a_host_say_what_the_sheet_says() {
    let workspace = Workspace::new();
    render(&workspace, &[]);
    let rootfs = "out/signal-tower/rootfs";
    assert_eq!(workspace.read(&format!("{rootfs}/etc/hostname")), "signal-tower\n");
    assert_eq!(workspace.read(&format!("{rootfs}/etc/timezone")), "Europe/Rome\n");
    let zone = fs::read_link(workspace.path().join(rootfs).join("etc/localtime")).unwrap();
    assert_eq!(zone.to_str(), Some("../usr/share/zoneinfo/Europe/Rome"));
    let hosts = workspace.read(&format!("{rootfs}/etc/hosts"));
    for line in [
        "127.0.0.1 localhost",
        "10.64.10.31 signal-tower.capovetro.example signal-tower",
        "fd64:10::31 signal-tower.capovetro.example signal-tower",
        "::1 localhost ip6-localhost ip6-loopback",
    ] {
        assert!(hosts.lines().any(|found| found == line), "{line} is not in\n{hosts}");
    }
    let after_header = |path: &str| {
        let text = workspace.read(path);
        text.split_once('\n').unwrap().1.to_owned()
    };
    assert_eq!(
        after_header(&format!("{rootfs}/etc/chrony/sources.d/impostazione.sources")),
        "server 10.64.10.121 iburst\nserver 10.64.10.122 iburst\nserver 10.64.10.123 iburst\n"
    );
    assert_eq!(
        after_header("out/gauge-01/rootfs/etc/systemd/timesyncd.conf.d/60-impostazione.conf"),
        "[Time]\nNTP=\nNTP=10.64.10.121 10.64.10.122 10.64.10.123 clock.capovetro.example\n"
    );
    assert!(!workspace.exists(&format!("{rootfs}/etc/systemd/timesyncd.conf.d")), "chrony sets this clock");
    assert_eq!(after_header(&format!("{rootfs}/etc/locale.conf")), "LANG=C.UTF-8\n");
    assert_eq!(after_header(&format!("{rootfs}/etc/default/locale")), "LANG=C.UTF-8\n");
    assert!(after_header(&format!("{rootfs}/etc/default/keyboard")).contains("XKBLAYOUT=\"it\"\n"));
    assert_eq!(
        after_header(&format!("{rootfs}/etc/sudoers.d/60-impostazione")),
        "keeper ALL=(ALL:ALL) NOPASSWD: ALL\n"
    );
    assert_eq!(
        after_header(&format!("{rootfs}/etc/ssh/sshd_config.d/00-impostazione.conf")),
        "Port 22\nPubkeyAuthentication yes\nPasswordAuthentication no\nKbdInteractiveAuthentication no\nPermitRootLogin no\n\
         AuthorizedKeysFile .ssh/authorized_keys .ssh/authorized_keys2\nAuthorizedKeysCommand none\n\
         AuthorizedPrincipalsFile none\nAuthorizedPrincipalsCommand none\nTrustedUserCAKeys none\n\
         HostbasedAuthentication no\nPermitEmptyPasswords no\n"
    );
    let wanted = format!("{rootfs}/etc/systemd/system/multi-user.target.wants/ssh.service");
    let service = fs::read_link(workspace.path().join(wanted)).unwrap();
    assert_eq!(service.to_str(), Some("/lib/systemd/system/ssh.service"));
    let accounts: Value = serde_json::from_str(&workspace.read("out/signal-tower/accounts.json")).unwrap();
    let key = |name: &str| workspace.read(&format!("keys/{name}.pub")).trim().to_owned();
    assert_eq!(
        accounts["accounts"],
        serde_json::json!([
            {
                "name": "keeper", "full_name": "Harbor keeper", "admin": true, "groups": ["sudo"], "shell": "/bin/bash",
                "password_hash": null, "change_at_first_login": false, "ssh_keys": [key("keeper")],
            },
            {
                "name": "pilot", "full_name": "Pilot on duty", "admin": false, "groups": [], "shell": "/bin/bash",
                "password_hash": null, "change_at_first_login": false, "ssh_keys": [key("pilot")],
            },
        ])
    );
    assert_eq!((&accounts["stock_logins"], &accounts["root_locked"]), (&"lock".into(), &true.into()));
    let others: Value = serde_json::from_str(&workspace.read("out/gauge-01/accounts.json")).unwrap();
    assert_eq!(others["accounts"].as_array().unwrap().len(), 1, "the pilot is for the signal tower only");
}

#[test]
fn a_password_that_is_none_on_purpose_is_as_one_that_is_left_out() {
    let key = "ssh_keys = [\"keys/keeper.pub\"]";
    let left_out = Given::a_sheet(&host("gauge-01", "10.64.10.11"))
        .when("render sheet.toml --into out")
        .ends_with(0)
        .and();
    let says_none = Given::a_sheet(&host("gauge-01", "10.64.10.11"))
        .changed("sheet.toml", key, &format!("{key}\npassword = \"none\""))
        .when("render sheet.toml --into out")
        .ends_with(0)
        .and();
    for file in ["accounts.json", "rootfs/etc/sudoers.d/60-impostazione"] {
        let file = format!("out/gauge-01/{file}");
        assert_eq!(left_out.read(&file), says_none.read(&file), "{file}");
    }
    let reviewed = left_out.when("review sheet.toml");
    says_none.when("review sheet.toml").says_only(reviewed.stdout());
}

/// A number in place of an address is shown, judged and written as the address that it makes.
#[test]
fn host_numbers_are_the_addresses_that_they_make() {
    let gauges = |link: &str| {
        format!("[[host]]\nname = \"gauge-0{{1..3}}\"\nlink.eth0 = {{ subnet = \"quay\", {link} }}\n")
    };
    let given =
        |link: &str| Given::a_sheet(&gauges(link)).when("render sheet.toml --into out").ends_with(0).and();
    let numbered = given("host_number = \"{11..13}\", host_number6 = \"{0x1e..0x20}\"");
    let written = given("address = \"10.64.10.{11..13}\", address6 = \"fd64:10::{0x1e..0x20}\"");
    for host in ["gauge-01", "gauge-02", "gauge-03"] {
        let file = format!("out/{host}/rootfs/etc/netplan/60-impostazione.yaml");
        assert_eq!(numbered.read(&file), written.read(&file), "{file}");
    }
    let reviewed = written.when("review sheet.toml");
    numbered.when("review sheet.toml").says_only(reviewed.stdout());
}

#[test]
fn no_time_server_on_purpose_drops_the_fallback_servers_too() {
    let workspace = Workspace::new();
    let sheet = right_sheet(&host("gauge-01", "10.64.10.11")).replace(
        "ntp      = [\"10.64.10.121\", \"10.64.10.122\", \"clock.capovetro.example\"]",
        "ntp = \"none\"",
    );
    workspace.write("harbor.toml", sheet);
    render(&workspace, &[]);
    let timesyncd = workspace.read("out/gauge-01/rootfs/etc/systemd/timesyncd.conf.d/60-impostazione.conf");
    assert!(timesyncd.ends_with("[Time]\nNTP=\nFallbackNTP=\n"), "{timesyncd}");
}

#[test]
fn modes_are_as_listed_whatever_the_umask() {
    let workspace = Workspace::new();
    let program = assert_cmd::cargo::cargo_bin("impostazione");
    let script = format!("umask 027; exec '{}' render harbor.toml --into out", program.display());
    let status = Command::new("sh").args(["-c", &script]).current_dir(workspace.path()).status().unwrap();
    assert!(status.success());
    let mut secret = Vec::new();
    for (path, file) in listed(&workspace) {
        let found = workspace.path().join("out").join(&path).symlink_metadata().unwrap();
        let mode = format!("{:04o}", found.permissions().mode() & 0o7777);
        assert_eq!(file["mode"], mode.as_str(), "{path}");
        if mode == "0600" {
            secret.push(path.rsplit('/').next().unwrap().to_owned());
        }
    }
    secret.sort();
    secret.dedup();
    assert_eq!(
        secret,
        [
            "60-impostazione.yaml",
            "accounts.json",
            "logbook.mf",
            "logbook.ovf",
            "ovf-env.xml",
            "properties.json",
            "settings.iso"
        ]
    );
}

#[test]
fn files_json_lists_each_file_with_its_size_and_digest() {
    let workspace = Workspace::new();
    render(&workspace, &[]);
    let listed = listed(&workspace);
    let tree = workspace.tree("out");
    assert_eq!(tree.len(), listed.len() + 1, "every file but the list itself");
    for (path, content) in tree.iter().filter(|(path, _)| path != "files.json") {
        let file = &listed[path];
        assert_eq!(file["sha256"], sha256sum(content).as_str(), "{path}");
        assert_eq!(file["size"], content.len(), "{path}");
        let folder = path.split('/').next().unwrap();
        assert_eq!(file["machine"], if folder == "site" { "" } else { folder }, "{path}");
        assert_eq!(file["owner"].is_string(), path.contains("/rootfs/"), "{path}");
        assert_eq!(
            file["link"].is_string(),
            path.ends_with("localtime") || path.ends_with("ssh.service"),
            "{path}"
        );
    }
}

#[test]
fn the_same_sheet_gives_the_same_bytes_wherever_and_however_often() {
    let (one, other) = (Workspace::new(), Workspace::new());
    render(&one, &[]);
    render(&other, &[]);
    render(&other, &["--only", "gauge-*"]);
    assert_eq!(one.tree("out"), other.tree("out"));
    let again = render(&one, &[]);
    assert_eq!(again.stdout, "out: no files written for 10 machines, 135 unchanged\n");
}

#[test]
fn a_changed_sheet_changes_the_files_concerned_and_no_others() {
    let workspace = Workspace::new();
    render(&workspace, &[]);
    let before = workspace.tree("out");
    workspace.write("lamps.csv", workspace.read("lamps.csv").replace("10.64.20.11", "10.64.20.13"));
    let run = render(&workspace, &["-v"]);
    let changed = [
        "lamp-north/rootfs/etc/hosts",
        "lamp-north/rootfs/etc/netplan/60-impostazione.yaml",
        "site/ssh_config",
    ];
    assert_eq!(
        run.stdout,
        format!(
            "wrote   out/{}\nwrote   out/{}\nwrote   out/{}\nout: 3 files written for 10 machines, 132 unchanged\n",
            changed[1], changed[0], changed[2]
        )
    );
    let after = workspace.tree("out");
    let differing: Vec<&str> = before
        .iter()
        .zip(&after)
        .filter(|(before, after)| before != after)
        .map(|((path, _), _)| path.as_str())
        .filter(|path| *path != "files.json")
        .collect();
    let mut sorted = differing.clone();
    sorted.sort_unstable();
    assert_eq!(sorted, changed);
}

#[test]
fn a_machine_that_is_no_longer_in_the_sheet_is_reported_and_pruned_on_request_only() {
    let render = "render harbor.toml --into out";
    Given::a_site()
        .when(render)
        .ends_with(0)
        .and()
        .changed("lamps.csv", "lamp-north", "lamp-west")
        .when(render)
        .ends_with(0)
        .makes("out/lamp-north/accounts.json")
        .makes("out/lamp-west/accounts.json")
        .when(&format!("{render} --prune"))
        .ends_with(0)
        .does_not_complain()
        .does_not_make("out/lamp-north")
        .kept_as("rendering-without-a-machine");
}

#[test]
fn what_somebody_put_into_the_tree_or_changed_there_is_not_pruned() {
    let given = Given::a_site()
        .when("render harbor.toml --into out")
        .ends_with(0)
        .and()
        .file("out/lamp-north/notes.txt", "mine")
        .file("out/lamp-north/rootfs/etc/hosts", "changed by hand")
        .changed("lamps.csv", "lamp-north", "lamp-west")
        .when("render harbor.toml --into out --prune")
        .ends_with(0)
        .does_not_make("out/lamp-north/accounts.json")
        .and();
    assert_eq!(given.read("out/lamp-north/notes.txt"), "mine");
    assert_eq!(given.read("out/lamp-north/rootfs/etc/hosts"), "changed by hand");
    given.kept_as("rendering-and-what-is-not-pruned");
}

#[test]
fn a_file_that_was_changed_by_hand_is_written_again_where_that_is_said() {
    let given = Given::a_site().when("render harbor.toml --into out").ends_with(0).and();
    let before = given.tree("out");
    let given = given
        .file("out/gauge-01/rootfs/etc/hostname", "other\n")
        .without("out/gauge-01/rootfs/etc/localtime")
        .mode("out/gauge-01/accounts.json", 0o644)
        .when("render harbor.toml --into out --discard-changes")
        .ends_with(0)
        .says_only("out: 3 files written for 10 machines, 132 unchanged\n")
        .and();
    assert_eq!(given.tree("out"), before);
}

#[test]
fn a_folder_with_other_files_is_not_taken_for_an_output_tree() {
    let workspace = Workspace::new();
    fs::create_dir(workspace.path().join("out")).unwrap();
    Given::a_workspace(workspace)
        .when("render harbor.toml --into .")
        .ends_with(3)
        .does_not_make("gauge-01")
        .and()
        .file("out/files.json", "{}")
        .when("render harbor.toml --into out")
        .ends_with(3)
        .does_not_make("out/gauge-01")
        .kept_as("rendering-into-other-folders");
}

#[test]
fn nothing_is_written_or_removed_through_a_link_that_leads_out_of_the_tree() {
    let workspace = Workspace::new();
    render(&workspace, &[]);
    fs::create_dir_all(workspace.path().join("elsewhere/rootfs/etc/netplan")).unwrap();
    fs::remove_dir_all(workspace.path().join("out/gauge-01")).unwrap();
    std::os::unix::fs::symlink("../elsewhere", workspace.path().join("out/gauge-01")).unwrap();
    let mut page = Page::on("rendering-through-a-link");
    assert_eq!(page.run(&workspace, "render harbor.toml --into out").code, 3);
    page.keep();
    assert_eq!(workspace.tree("elsewhere"), []);
}

#[test]
fn a_list_that_names_files_outside_the_tree_removes_none() {
    let workspace = Workspace::new();
    render(&workspace, &[]);
    workspace.write("precious", "mine");
    let digest = sha256sum(b"mine");
    let mut list: Value = serde_json::from_str(&workspace.read("out/files.json")).unwrap();
    for path in ["../precious", workspace.path().join("precious").to_str().unwrap()] {
        let file = serde_json::json!({"machine": "gone", "path": path, "mode": "0644", "owner": null, "size": 4, "sha256": digest});
        list["files"].as_array_mut().unwrap().push(file);
    }
    workspace.write("out/files.json", list.to_string());
    render(&workspace, &["--prune"]);
    assert_eq!(workspace.read("precious"), "mine");
}

#[test]
fn only_some_machines_are_rendered_but_the_whole_sheet_must_be_right() {
    let workspace = Workspace::new();
    let run = render(&workspace, &["--only", "gauge-*", "--only", "logbook"]);
    assert_eq!(run.stdout, "out: 91 files written for 7 machines\n");
    assert!(!workspace.exists("out/signal-tower"));
    let run = workspace.run(&["render", "slips.toml", "--into", "other", "--only", "gauge-01"]);
    assert_eq!((run.code, workspace.exists("other")), (1, false));
}

#[test]
fn quiet_says_nothing_when_all_is_well() {
    let workspace = Workspace::new();
    let run = render(&workspace, &["-q"]);
    assert_eq!((run.stdout.as_str(), run.stderr.as_str()), ("", ""));
}

#[test]
fn no_staging_folder_is_left_behind() {
    let workspace = Workspace::new();
    render(&workspace, &[]);
    render(&workspace, &[]);
    for folder in ["", "out"] {
        for entry in fs::read_dir(workspace.path().join(folder)).unwrap() {
            let name = entry.unwrap().file_name();
            assert!(!name.to_string_lossy().starts_with(".impostazione"), "{name:?}");
        }
    }
}

#[test]
fn what_was_changed_by_hand_is_named_and_not_overwritten() {
    let workspace = Workspace::new();
    let sheet = |address: &str| right_sheet(&(host("gauge-01", address) + &host("gauge-02", "10.64.10.12")));
    let render = |more: &[&str]| workspace.run(&[&["render", "sheet.toml", "--into", "out"], more].concat());
    workspace.write("sheet.toml", sheet("10.64.10.11"));
    assert_eq!(render(&[]).code, 0);
    let netplan = "out/gauge-01/rootfs/etc/netplan/60-impostazione.yaml";
    workspace.write(netplan, workspace.read(netplan) + "# a route by hand\n");
    workspace.write("sheet.toml", sheet("10.64.10.19"));
    let before = workspace.tree("out");
    let mut page = Page::on("rendering-over-what-was-changed");
    let run = page.run(&workspace, "render sheet.toml --into out");
    assert_eq!((run.code, run.stdout.as_str()), (1, ""), "{}", run.stderr);
    let report: serde_json::Value = serde_json::from_str(&render(&["--format", "json"]).stdout).unwrap();
    assert_eq!(report["outcome"], "refused");
    assert_eq!(report["changed_since"], serde_json::json!([netplan.trim_start_matches("out/")]));
    assert_eq!(workspace.tree("out"), before);
    // The others may be rendered, and what is only missing is made again.
    assert_eq!(render(&["--only", "gauge-02"]).code, 0);
    assert_eq!(render(&["--discard-changes"]).code, 0);
    assert!(!workspace.read(netplan).contains("by hand") && workspace.read(netplan).contains("10.64.10.19"));
    std::fs::remove_file(workspace.path().join(netplan)).unwrap();
    assert_eq!(render(&[]).code, 0);
    // What somebody has put where a file is to be is not overwritten either.
    std::fs::create_dir_all(workspace.path().join("out/gauge-03/rootfs/etc")).unwrap();
    workspace.write("out/gauge-03/rootfs/etc/hostname", "mine\n");
    workspace.write("sheet.toml", sheet("10.64.10.19") + &host("gauge-03", "10.64.10.13"));
    page.heading("a file that somebody put where one is to be");
    assert_eq!(page.run(&workspace, "render sheet.toml --into out").code, 1);
    page.keep();
}

#[test]
fn packages_of_an_earlier_run_are_left_unless_told() {
    let workspace = Workspace::new();
    let render = |more: &[&str]| {
        workspace.run(&[&["render", "harbor.toml", "--into", "out", "--only", "logbook"], more].concat())
    };
    let run = render(&["--packages"]);
    assert_eq!(run.code, 0, "{}", run.stderr);
    let package = std::fs::read(workspace.path().join("out/logbook/logbook.ova")).unwrap();
    let mut page = Page::on("rendering-beside-an-earlier-package");
    assert_eq!(page.run(&workspace, "render harbor.toml --into out --only logbook").code, 0);
    page.keep();
    assert_eq!(std::fs::read(workspace.path().join("out/logbook/logbook.ova")).unwrap(), package);
    assert_eq!(workspace.run(&["inspect", "out"]).code, 0, "it is in the list still");
    let run = render(&["--prune"]);
    assert_eq!((run.code, run.stderr.as_str()), (0, ""));
    assert!(!workspace.exists("out/logbook/logbook.ova") && workspace.exists("out/logbook/logbook.ovf"));
}
