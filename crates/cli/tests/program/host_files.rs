//! What the settings of a host become in its files, one setting at a time.

use crate::support::{Workspace, host, right_sheet};

const ROOTFS: &str = "out/gauge-01/rootfs/etc/";
const HEADER: &str = "# Written by Impostazione from the build sheet. Make changes there.\n";

/// Renders `gauge-01` with these settings, and whatever comes after it in the sheet.
fn rendered(own: &str, after: &str) -> Workspace {
    let gauge = host("gauge-01", "10.64.10.11")
        .replace("name = \"gauge-01\"", &format!("name = \"gauge-01\"\n{own}"));
    let workspace = Workspace::new();
    workspace.write("sheet.toml", right_sheet(&(gauge + after)));
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!((render.code, render.stderr.as_str()), (0, ""), "{}", render.stdout);
    workspace
}

/// The text of a file of `gauge-01`, without the line that says who wrote it.
fn file(workspace: &Workspace, path: &str) -> String {
    let text = workspace.read(&format!("{ROOTFS}{path}"));
    text.strip_prefix(HEADER).unwrap_or_else(|| panic!("{path} begins otherwise:\n{text}")).to_owned()
}

fn has(workspace: &Workspace, path: &str) -> bool {
    workspace.exists(&format!("{ROOTFS}{path}"))
}

#[test]
fn other_machines_of_the_site_are_in_the_hosts_file_on_request() {
    let other = "[[host]]\nname = \"signal-tower\"\nfqdn = \"tower.lights.capovetro.example\"\n\
        link.lan0 = { mac = \"02:64:10:00:00:31\", subnet = \"quay\", address = \"10.64.10.31\", address6 = \"fd64:10::31\" }\n";
    let site = rendered("hosts_file = \"site\"", other);
    let own = rendered("", other);
    let (site, own) = (file(&site, "hosts"), file(&own, "hosts"));
    let tower = "10.64.10.31 tower.lights.capovetro.example tower";
    let tower6 = "fd64:10::31 tower.lights.capovetro.example tower";
    for line in [tower, tower6] {
        let columns = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
        assert_eq!(site.lines().filter(|found| columns(found) == line).count(), 1, "{site}");
        assert!(!own.contains("tower"), "{own}");
    }
    for text in [site, own] {
        assert!(text.contains("gauge-01.capovetro.example"), "{text}");
    }
}

#[test]
fn a_host_name_and_a_full_name_of_their_own_are_in_every_file_that_has_one() {
    let workspace = rendered("hostname = \"gauge\"\nfqdn = \"gauge.lights.capovetro.example\"", "");
    assert_eq!(workspace.read(&format!("{ROOTFS}hostname")), "gauge\n");
    let hosts = file(&workspace, "hosts");
    assert!(hosts.contains("gauge.lights.capovetro.example gauge\n"), "{hosts}");
    assert!(!hosts.contains("gauge-01"), "{hosts}");
}

#[test]
fn domains_with_servers_of_their_own_leave_the_general_servers_to_resolved() {
    let workspace = rendered("dns_for = { \"crane.example\" = [\"10.64.10.98\"] }", "");
    assert_eq!(
        file(&workspace, "systemd/resolved.conf.d/60-impostazione.conf"),
        "[Resolve]\nDNS=\nDNS=10.64.10.53 10.64.10.54\nDomains=\nDomains=capovetro.example\n"
    );
    let netplan = workspace.read(&format!("{ROOTFS}netplan/60-impostazione.yaml"));
    assert!(netplan.contains("10.64.10.98") && netplan.contains("~crane.example"), "{netplan}");
    assert!(!netplan.contains("10.64.10.53"), "{netplan}");
}

#[test]
fn multicast_look_ups_are_left_as_the_image_has_them_unless_said() {
    const EMPTY: &str = "DNS=\nDomains=\n";
    let drop_ins =
        ["systemd/resolved.conf.d/60-impostazione.conf", "systemd/network/10-netplan-eth0.network.d"];
    let silent = rendered("", "");
    assert_eq!(file(&silent, drop_ins[0]), format!("[Resolve]\n{EMPTY}"), "the image's own are dropped");
    assert!(!has(&silent, drop_ins[1]));
    let off = rendered("llmnr = false\nmulticast_dns = false", "");
    assert_eq!(file(&off, drop_ins[0]), format!("[Resolve]\n{EMPTY}LLMNR=no\nMulticastDNS=no\n"));
    assert!(!has(&off, drop_ins[1]));
    let on = rendered("llmnr = true\nmulticast_dns = true", "");
    assert_eq!(file(&on, drop_ins[0]), format!("[Resolve]\n{EMPTY}LLMNR=yes\nMulticastDNS=yes\n"));
    let of_link = format!("{}/60-impostazione.conf", drop_ins[1]);
    assert_eq!(file(&on, &of_link), "[Network]\nMulticastDNS=yes\n");
}

#[test]
fn servers_may_be_taken_from_the_machines_that_serve() {
    let server = "[[host]]\nname = \"signal-tower\"\nserves = [\"ntp\", \"dns\"]\nntp = \"none\"\n\
        dns = [\"10.64.10.53\", \"none\"]\n\
        link.lan0 = { mac = \"02:64:10:00:00:31\", subnet = \"quay\", address = \"10.64.10.31\" }\n";
    let take = "{ take = \"address\", of = \"signal-tower\" }";
    let workspace = rendered(&format!("ntp = [{take}, \"none\"]\ndns = [{take}, \"10.64.10.54\"]"), server);
    let timesyncd = file(&workspace, "systemd/timesyncd.conf.d/60-impostazione.conf");
    assert!(timesyncd.contains("\nNTP=10.64.10.31\n"), "{timesyncd}");
    let netplan = workspace.read(&format!("{ROOTFS}netplan/60-impostazione.yaml"));
    assert!(netplan.contains("10.64.10.31") && netplan.contains("10.64.10.54"), "{netplan}");
}

#[test]
fn language_and_keyboard_are_written_where_the_sheet_names_them() {
    let silent = rendered("", "");
    for path in ["locale.conf", "default/locale", "vconsole.conf", "default/keyboard"] {
        assert!(!has(&silent, path), "{path}");
    }
    let workspace = rendered("locale = \"it_IT.UTF-8\"\nkeyboard = \"it\"", "");
    assert!(file(&workspace, "default/locale").contains("LANG=it_IT.UTF-8\n"));
    assert!(file(&workspace, "default/keyboard").contains("XKBLAYOUT=\"it\"\n"));
}

#[test]
fn addresses_of_clusters_and_pools_are_taken() {
    let workspace = Workspace::new();
    let cluster = "[cluster.logbook]\nvirtual_address = { subnet = \"quay\", address = \"10.64.10.60\" }\n";
    let pool = "[pool.inner]\nprefix = \"10.64.30.0/24\"\n";
    for (address, prefix, rule) in [
        ("10.64.10.60", "10.64.31.0/24", "address-duplicate"),
        ("10.64.10.61", "10.64.30.0/26", "pool-overlap"),
    ] {
        let subnet = format!("[subnet.slip]\nprefix = \"{prefix}\"\n");
        workspace.write("sheet.toml", right_sheet(&(subnet + cluster + pool + &host("gauge-01", address))));
        let check = workspace.run(&["check", "sheet.toml"]);
        assert!(check.code == 1 && check.stdout.contains(rule), "{}", check.stdout);
        assert!(check.stdout.contains("1 error\n"), "{}", check.stdout);
    }
}

/// Of what `[common]` and a machine both say, values and lists of the machine stand in place of the others, and tables are
/// laid over each other.
#[test]
fn tables_of_all_and_of_the_machine_are_merged() {
    let workspace = Workspace::new();
    let own = "name = \"gauge-01\"\ndns = [\"10.64.10.55\", \"none\"]\nssh = { root_login = true }\n\
        dns_for = { \"mole.example\" = [\"10.64.10.98\"], \"pier.example\" = [\"10.64.10.98\"] }";
    let shared = "[common]\nssh = { password_login = true, root_login = false }\n\
        dns_for = { \"crane.example\" = [\"10.64.10.98\"], \"pier.example\" = [\"10.64.10.97\"] }";
    let sheet = right_sheet(&host("gauge-01", "10.64.10.11").replace("name = \"gauge-01\"", own));
    workspace.write("sheet.toml", sheet.replace("[common]", shared));
    let render = workspace.run(&["render", "sheet.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}", render.stdout);
    let sshd = file(&workspace, "ssh/sshd_config.d/00-impostazione.conf");
    assert!(sshd.contains("\nPasswordAuthentication yes\n"), "{sshd}");
    assert!(sshd.contains("PermitRootLogin prohibit-password\n"), "{sshd}");
    let resolved = file(&workspace, "systemd/resolved.conf.d/60-impostazione.conf");
    assert!(resolved.contains("\nDNS=10.64.10.55\n"), "{resolved}");
    let netplan = workspace.read(&format!("{ROOTFS}netplan/60-impostazione.yaml"));
    for domain in ["~crane.example", "~mole.example", "~pier.example", "10.64.10.98"] {
        assert!(netplan.contains(domain), "{domain}\n{netplan}");
    }
    assert!(!netplan.contains("10.64.10.97"), "{netplan}");
}
