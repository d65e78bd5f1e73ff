//! A sheet begins with what is there already: spreadsheets, cards, rented servers, netplan files, packages and outputs.

use std::fmt::Write as _;
use std::fs;

use crate::drafting::{at_terminal, end, talk, workspace};
use crate::support::Workspace;

/// Makes files below a folder of the workspace.
fn lay(workspace: &Workspace, folder: &str, files: &[(&str, &str)]) {
    for (path, content) in files {
        let path = workspace.path().join(folder).join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
    }
}

const PASSWD: &str =
    "root:x:0:0:root:/root:/bin/bash\nkeeper:x:1000:1000:Harbor keeper:/home/keeper:/bin/bash\n";
const GROUP: &str = "sudo:x:27:keeper\nkeeper:x:1000:\n";

/// Ten lamps of a spreadsheet, whose lines come from the number of each.
fn lamps(header: &str, line: impl Fn(usize) -> String) -> String {
    (1..=10).fold(header.to_owned(), |text, number| text + "\n" + &line(number)) + "\n"
}

#[test]
fn thirty_lamps_come_from_three_spreadsheets() {
    let workspace = workspace();
    workspace.write(
        "north.csv",
        lamps("Hostname,IP address,MAC address", |n| {
            format!("north-{n:02},10.64.20.{},02:64:20:00:01:{n:02x}", 10 + n)
        }),
    );
    workspace.write(
        "south.csv",
        lamps("Standort;Rechnername;IP-Adresse;Netzmaske", |n| {
            format!("Südmole {n};south-{n:02};10.64.20.{};255.255.255.0", 30 + n)
        }),
    );
    workspace.write(
        "east.csv",
        lamps("Note\tIndirizzo IP\tNome host\tIndirizzo MAC\tInventario", |n| {
            format!("sul molo\t10.64.20.{}\teast-{n:02}\t02-64-20-00-03-{n:02X}\t{}", 50 + n, 9000 + n)
        }),
    );
    let from = ["lamps.toml", "--plain", "--from", "north.csv", "--from", "south.csv", "--from", "east.csv"];
    let mut session = at_terminal(&workspace, &from);
    talk(
        &mut session,
        &[
            ("What is the site called?", "Mole lamps"),
            ("What are the machines for?", ""),
            ("Which keyboard layout", "it"),
            ("What is the first subnet called?", "breakwater"),
            ("What is the address of any machine in breakwater", "10.64.20.11/24"),
            ("What is the gateway of breakwater?", ""),
            ("Which IPv6 prefix", ""),
            ("What is the VLAN ID", ""),
            ("Which addresses of breakwater does a DHCP server lease?", ""),
            ("Another subnet?", ""),
            ("What is the domain", "capovetro.example"),
            ("Which DNS servers", "10.64.10.53 10.64.10.54"),
            ("In which domains are short names", ""),
            ("Which time servers", "10.64.10.121 10.64.10.122 10.64.10.123 10.64.10.124"),
            ("In which time zone", ""),
            ("Which language", ""),
            ("Is IPv6 used", ""),
            ("Make SSH host keys now", "no"),
            ("Who logs in", ""),
            ("Who is keeper?", ""),
            ("May keeper become root?", ""),
            ("Which SSH public keys", ""),
            ("Which password", ""),
            ("On which hosts", ""),
            ("Another login?", ""),
        ],
    );
    session.exp_string("name: the field \"Hostname\" (north-01, north-02, ").unwrap();
    talk(&mut session, &[("Are these the right fields?", ""), ("How is", ""), ("have another link?", "")]);
    session.exp_string("name: the field \"Rechnername\" (south-01, south-02, ").unwrap();
    session.exp_string("mask: the field \"Netzmaske\" (255.255.255.0,").unwrap();
    session.exp_string("not used: Standort").unwrap();
    talk(
        &mut session,
        &[
            ("Are these the right fields?", ""),
            ("How is", ""),
            ("Which port", ""),
            ("have another link?", ""),
        ],
    );
    session.exp_string("name: the field \"Nome host\" (east-01, east-02, ").unwrap();
    session.exp_string("address: the field \"Indirizzo IP\"").unwrap();
    // It can be changed, field by field, and what a field cannot hold is refused.
    talk(
        &mut session,
        &[
            ("Are these the right fields?", "no"),
            ("Which field holds the name of the host? [Nome host]", "Inventario"),
        ],
    );
    session.exp_string("\"9001\")").unwrap();
    talk(
        &mut session,
        &[
            ("Which field holds the name of the host?", "nome host"),
            ("Which field holds the address? [Indirizzo IP]", ""),
            ("Which field holds the mask? [none]", ""),
            ("Which field holds the IPv6 address? [none]", ""),
            ("Which field holds the MAC address? [Indirizzo MAC]", ""),
            ("How is", ""),
            ("have another link?", ""),
            ("Which other hosts?", ""),
            ("Which appliances", ""),
            ("Is that right?", "accept"),
        ],
    );
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    let check = workspace.run(&["check", "lamps.toml"]);
    assert_eq!(check.code, 0, "{}{}", check.stdout, check.stderr);
    assert!(check.stdout.contains("30 machines"), "{}", check.stdout);
    let review = workspace.run(&["review", "lamps.toml", "--format", "json"]);
    for address in ["10.64.20.11/24", "10.64.20.40/24", "10.64.20.60/24"] {
        assert!(review.stdout.contains(address), "{address}: {}", review.stdout);
    }
}

#[test]
fn a_card_that_asks_a_dhcp_server_gets_a_static_address() {
    let workspace = workspace();
    let key = workspace.read("keys/keeper.pub");
    lay(
        &workspace,
        "card",
        &[
            ("etc/os-release", "ID=debian\nPRETTY_NAME=\"Debian GNU/Linux 12 (bookworm)\"\n"),
            ("etc/hostname", "buoy-07\n"),
            ("etc/timezone", "Europe/Rome\n"),
            ("etc/default/keyboard", "XKBMODEL=\"pc105\"\nXKBLAYOUT=\"it,us\"\n"),
            (
                "etc/network/interfaces",
                "auto lo\niface lo inet loopback\nallow-hotplug eth0\niface eth0 inet dhcp\n",
            ),
            ("etc/passwd", PASSWD),
            ("etc/group", GROUP),
            ("home/keeper/.ssh/authorized_keys", &key),
        ],
    );
    let mut session = at_terminal(&workspace, &["buoy.toml", "--plain", "--from", "card"]);
    session.exp_string("card: buoy-07, eth0 by DHCP").unwrap();
    talk(
        &mut session,
        &[
            ("What is the host's address, with its mask?", "10.64.10.17/24"),
            ("What is the gateway? [10.64.10.1]", ""),
            ("Which addresses does a DHCP server lease?", "10.64.10.200-10.64.10.239"),
            ("Which DNS servers", "10.64.10.53 10.64.10.54"),
            ("Which time servers", "10.64.10.121 10.64.10.122 10.64.10.123 10.64.10.124"),
            ("Is that right?", ""),
        ],
    );
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    let sheet = workspace.read("buoy.toml");
    assert!(sheet.contains("link.eth0 = { subnet = \"lan\", address = \"10.64.10.17\" }"), "{sheet}");
    assert!(sheet.contains("timezone = \"Europe/Rome\"\nkeyboard = \"it\""), "{sheet}");
    assert!(
        sheet.contains(
            "[account.keeper]\nfull_name = \"Harbor keeper\"\nadmin = true\nssh_keys = [\"ssh-ed25519 "
        ),
        "{sheet}"
    );
    let check = workspace.run(&["check", "buoy.toml", "--reject", "warning"]);
    assert_eq!(check.code, 0, "{}{}", check.stdout, check.stderr);
}

#[test]
fn a_rented_server_is_drafted_from_its_files() {
    let workspace = workspace();
    let key = workspace.read("keys/keeper.pub");
    lay(
        &workspace,
        "server",
        &[
            ("etc/os-release", "ID=debian\n"),
            ("usr/sbin/netplan", ""),
            ("etc/hostname", "ferry-house.capovetro.example\n"),
            (
                "etc/netplan/50-provider.yaml",
                "network:\n  version: 2\n  ethernets:\n    lan0:\n      match: { macaddress: \"02:64:20:00:00:07\" }\n      \
                 set-name: lan0\n      addresses: [10.64.200.7/32, 10.64.203.7/32]\n      routes:\n        - { to: default, via: 10.64.201.1, on-link: true }\n      \
                 nameservers: { addresses: [10.64.202.53, 10.64.202.54] }\n",
            ),
            (
                "etc/chrony/chrony.conf",
                "server 10.64.202.121 iburst\nserver 10.64.202.122 iburst\nserver 10.64.202.123 iburst\npool clock.capovetro.example iburst\n",
            ),
            ("etc/timezone", "Etc/UTC\n"),
            ("etc/passwd", PASSWD),
            ("etc/group", GROUP),
            ("home/keeper/.ssh/authorized_keys", &key),
            ("etc/ssh/sshd_config", "Port 2222\nPasswordAuthentication yes\n"),
        ],
    );
    let mut session = at_terminal(&workspace, &["ferry.toml", "--plain", "--from", "server"]);
    talk(
        &mut session,
        &[
            ("Which keyboard layout", "us"),
            ("Which addresses does a DHCP server lease?", ""),
            ("Is that right?", ""),
        ],
    );
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    let sheet = workspace.read("ferry.toml");
    for part in [
        "domain = \"capovetro.example\"",
        "time_service = \"chrony\"",
        "ssh = { port = 2222 }",
        "prefix = \"10.64.200.7/32\"\ngateway = \"10.64.201.1\"\ngateway_on_link = true",
        "more_addresses = [{ address = \"10.64.203.7\", outside_subnet = true }]",
        "name = \"ferry-house\"",
    ] {
        assert!(sheet.contains(part), "{part}\n{sheet}");
    }
    // What the image lets in is not taken over.
    assert!(!sheet.contains("password_login"), "{sheet}");
    let check = workspace.run(&["check", "ferry.toml"]);
    assert_eq!(check.code, 0, "{}{}", check.stdout, check.stderr);
}

/// The image of a disk is read as it lies there, and stays as it is.
#[test]
#[ignore = "needs root, to mount an image, and mke2fs, which .ci/run installs"]
fn a_server_is_drafted_from_its_image() {
    let workspace = workspace();
    let key = workspace.read("keys/keeper.pub");
    lay(
        &workspace,
        "server",
        &[
            ("etc/os-release", "ID=debian\n"),
            ("etc/hostname", "ferry-house\n"),
            (
                "etc/network/interfaces",
                "iface lan0 inet static\n  address 10.64.200.7/24\n  gateway 10.64.200.1\n",
            ),
            ("etc/passwd", PASSWD),
            ("etc/group", GROUP),
            ("home/keeper/.ssh/authorized_keys", &key),
        ],
    );
    let made = workspace
        .command_of("mke2fs")
        .args(["-q", "-t", "ext4", "-d", "server", "server.img", "64M"])
        .status()
        .unwrap();
    assert!(made.success());
    let before = fs::read(workspace.path().join("server.img")).unwrap();
    let run = workspace.run(&["draft", "ferry.toml", "--from", "server.img", "--no-questions"]);
    assert_eq!(run.code, 1, "{}{}", run.stdout, run.stderr);
    let sheet = workspace.read("ferry.toml");
    for part in [
        "name = \"ferry-house\"",
        "address = \"10.64.200.7\"",
        "gateway = \"10.64.200.1\"",
        "[account.keeper]",
    ] {
        assert!(sheet.contains(part), "{part}\n{sheet}");
    }
    assert!(fs::read(workspace.path().join("server.img")).unwrap() == before);
}

#[test]
fn a_package_brings_its_questions() {
    let workspace = workspace();
    let mut session = at_terminal(&workspace, &["log.toml", "--plain", "--from", "packages/logbook.ova"]);
    talk(
        &mut session,
        &[
            ("What is the appliance's address, with its mask?", "10.64.10.61/24"),
            ("What is the gateway?", ""),
            ("Which addresses does a DHCP server lease?", ""),
            ("Which DNS servers", "10.64.10.53 10.64.10.54"),
            ("Which time servers", "10.64.10.121 10.64.10.122 10.64.10.123 10.64.10.124"),
            ("In which time zone", ""),
            ("What is the appliance called? (logbook) [logbook]", "log-1"),
            ("Which size should log-1 have? [trial]", ""),
        ],
    );
    talk(
        &mut session,
        &[
            ("Do you accept this license of log-1?", "accept"),
            ("What does the hypervisor call the network", "quay-110"),
            ("(hostname)?", "log-1.capovetro.example"),
            ("(clock)?", "take ntp nth 1"),
            ("(admin.password)? [made-up]", ""),
            ("Is that right?", "accept"),
        ],
    );
    crate::drafting::answer_yes_or_no(&mut session, "y");
    let (code, said) = end(session);
    assert_eq!(code, Some(0), "{said}");
    let sheet = workspace.read("log.toml");
    assert!(
        sheet.contains(
            "link.management = { network = \"Management\", subnet = \"lan\", address = \"10.64.10.61\" }"
        ),
        "{sheet}"
    );
    assert!(sheet.contains("\"admin.password\" = { secret = \"log-1-admin\" }"), "{sheet}");
}

#[test]
fn hosts_are_read_from_netplan_files_by_their_names_and_run_in_step() {
    let workspace = workspace();
    for number in 1..=6 {
        let mut text = String::new();
        let _ = write!(
            text,
            "network:\n  version: 2\n  ethernets:\n    eth0:\n      addresses: [10.64.10.{}/24]\n      routes: [{{ to: default, via: 10.64.10.1 }}]\n      \
             nameservers: {{ addresses: [10.64.10.53, 10.64.10.54] }}\n",
            10 + number
        );
        lay(&workspace, "plans", &[(&format!("gauge-0{number}.yaml"), &text)]);
    }
    let run = workspace.run(&["draft", "gauges.toml", "--from", "plans", "--no-questions"]);
    assert_eq!(run.code, 1, "{}{}", run.stdout, run.stderr);
    let sheet = workspace.read("gauges.toml");
    assert!(
        sheet.contains(
            "name = \"gauge-{01..06}\"\nlink.eth0 = { subnet = \"lan\", address = \"10.64.10.{11..16}\" }"
        ),
        "{sheet}"
    );
    assert!(sheet.contains("#? ntp = "), "{sheet}");
    assert!(run.stderr.contains("common.ntp") && run.stderr.contains("account.1"), "{}", run.stderr);
}

/// A kind of network files: its name, the files, what the sheet has of them beside the usual, and what is named as left out.
type Kind<'s> = (&'s str, &'s [(&'s str, &'s str)], &'s [&'s str], &'s str);

/// What each program that sets links up has in its own files is read, and what is not taken over is named.
#[test]
fn each_kind_of_network_file_is_read() {
    let networkd = [
        (
            "etc/systemd/network/10-lan.network",
            "[Match]\nName=eth0\n[Network]\nAddress=10.64.10.17/24\nGateway=10.64.10.1\nDNS=10.64.10.53\nVLAN=radar\n",
        ),
        ("etc/systemd/network/20-radar.netdev", "[NetDev]\nName=radar\nKind=vlan\n[VLAN]\nId=120\n"),
        ("etc/systemd/network/21-radar.network", "[Match]\nName=radar\n[Network]\nAddress=10.64.20.17/24\n"),
        ("etc/systemd/network/30-tunnel.netdev", "[NetDev]\nName=wg0\nKind=wireguard\n"),
    ];
    let ifup = [
        ("etc/network/interfaces", "source /etc/network/interfaces.d/*\niface lo inet loopback\n"),
        (
            "etc/network/interfaces.d/eth0",
            "auto eth0\niface eth0 inet static\n  address 10.64.10.17\n  netmask 255.255.255.0\n  gateway 10.64.10.1\n  dns-nameservers 10.64.10.53\n  post-up true\n  mtu 1400\niface eth0.120 inet static\n  address 10.64.20.17/24\n",
        ),
    ];
    let manager = [(
        "etc/NetworkManager/system-connections/quay.nmconnection",
        "[connection]\nid=quay\ntype=ethernet\ninterface-name=eth0\n[ipv4]\nmethod=manual\naddress1=10.64.10.17/24,10.64.10.1\ndns=10.64.10.53;\n",
    )];
    let dhcpcd = [(
        "etc/dhcpcd.conf",
        "hostname\ninterface eth0\nstatic ip_address=10.64.10.17/24\nstatic routers=10.64.10.1\nstatic domain_name_servers=10.64.10.53\n",
    )];
    let kinds: [Kind<'_>; 4] = [
        (
            "networkd",
            &networkd,
            &["kind = \"vlan\"", "vlan = 120", "over = \"eth0\""],
            "a link of kind wireguard",
        ),
        (
            "ifup",
            &ifup,
            &["kind = \"vlan\"", "vlan = 120", "over = \"eth0\""],
            "etc/network/interfaces: post-up of eth0",
        ),
        ("manager", &manager, &[], ""),
        ("dhcpcd", &dhcpcd, &[], ""),
    ];
    for (kind, files, more, left_out) in kinds {
        let workspace = workspace();
        lay(&workspace, kind, files);
        lay(&workspace, kind, &[("etc/os-release", "ID=debian\n"), ("etc/hostname", "buoy\n")]);
        let run = workspace.run(&["draft", "buoy.toml", "--from", kind, "--no-questions"]);
        let sheet = workspace.read("buoy.toml");
        for part in [
            "prefix = \"10.64.10.0/24\"",
            "gateway = \"10.64.10.1\"",
            "address = \"10.64.10.17\"",
            "dns = [\"10.64.10.53\"]",
        ]
        .iter()
        .chain(more)
        {
            assert!(sheet.contains(part), "{kind}: {part}\n{sheet}");
        }
        assert!(run.stderr.contains(left_out), "{kind}: {}", run.stderr);
    }
}

#[test]
fn an_earlier_output_becomes_a_sheet_that_renders_to_the_same() {
    let workspace = Workspace::demo();
    assert_eq!(workspace.run(&["render", "harbor.toml", "--into", "output"]).code, 0);
    workspace.write(
        "replies",
        "\"common.site\" = \"Capo Vetro harbor\"\n\"common.ssh.host_key\" = \"yes\"\n\"subnet.lan.dhcp_ranges\" = \"none\"\n\
         \"subnet.lan2.dhcp_ranges\" = \"none\"\n\"subnet.watch.dhcp_ranges\" = \"none\"\n\"subnet.lan2.wifi.country\" = \"IT\"\n\
         \"account.keeper.password\" = \"made-up\"\n\"account.keeper.password.per\" = \"machine\"\n\"appliance.1\" = \"none\"\n",
    );
    let run =
        workspace.run(&["draft", "again.toml", "--from", "output", "--replies", "replies", "--no-questions"]);
    assert_eq!(run.code, 0, "{}{}\n{}", run.stdout, run.stderr, workspace.read("again.toml"));
    assert!(workspace.read("again.toml").contains("name = \"gauge-{01..05}\""));
    fs::copy(workspace.path().join("harbor.secrets.age"), workspace.path().join("again.secrets.age"))
        .unwrap();
    let mut enter = workspace.command(&["secret", "enter", "again.toml", "lan2-wifi"]);
    let file = fs::File::open(workspace.path().join("breakwater-wifi.secret")).unwrap();
    assert!(enter.stdin(file).output().unwrap().status.success());
    let run = workspace.run(&["render", "again.toml", "--into", "of-the-draft"]);
    assert_eq!(run.code, 0, "{}{}", run.stdout, run.stderr);
    let mut compared = 0;
    for (path, content) in workspace.tree("of-the-draft") {
        if path.starts_with("site/") || path == "files.json" || path == "known_hosts" {
            continue;
        }
        let sample = fs::symlink_metadata(workspace.path().join("output").join(&path)).unwrap();
        if sample.is_file() {
            assert_eq!(fs::read(workspace.path().join("output").join(&path)).unwrap(), content, "{path}");
            compared += 1;
        }
    }
    assert!(compared > 80, "{compared}");
}

#[test]
fn what_cannot_be_begun_with_is_named() {
    let workspace = workspace();
    workspace.write("notes.md", "nothing of use\n");
    workspace.write("empty.csv", "");
    workspace.write("short.csv", "name,address\nbuoy\n");
    for (from, code, part) in [
        ("notes.md", 2, "notes.md is a file of an unknown kind"),
        ("nowhere", 3, "nowhere does not exist"),
        ("empty.csv", 3, "empty.csv is empty"),
        (
            "short.csv",
            3,
            "short.csv, line 2: This row has 1 field, but the header has 2; correct the file, or name another",
        ),
        ("harbor.toml", 2, "harbor.toml is a sheet"),
    ] {
        let run = workspace.run(&["draft", "new.toml", "--from", from, "--no-questions"]);
        assert_eq!(run.code, code, "{from}: {}", run.stderr);
        assert!(run.stderr.contains(part), "{from}: {}", run.stderr);
        assert!(!workspace.exists("new.toml"), "{from}");
    }
}

/// A file that cannot be read is another thing than one that is not there: nothing is drafted past it.
#[test]
fn what_cannot_be_read_of_a_card_is_not_left_out_unseen() {
    let workspace = workspace();
    lay(
        &workspace,
        "card",
        &[
            ("etc/os-release", "ID=debian\n"),
            ("etc/netplan/10-own.yaml", "network: {version: 2}\n"),
            ("etc/network/interfaces", "iface eth0 inet static\n  address 10.64.10.17/24\n"),
        ],
    );
    std::os::unix::fs::symlink("20-loop.yaml", workspace.path().join("card/etc/netplan/20-loop.yaml"))
        .unwrap();
    let run = workspace.run(&["draft", "buoy.toml", "--from", "card", "--no-questions"]);
    assert_eq!(run.code, 3, "{}{}", run.stdout, run.stderr);
    assert!(
        run.stderr.contains("card cannot be read in full: ") && run.stderr.contains("20-loop.yaml"),
        "{}",
        run.stderr
    );
    assert!(!workspace.exists("buoy.toml"));
}

#[test]
fn a_host_of_which_no_link_was_found_is_asked_for_one() {
    let workspace = workspace();
    for name in ["one", "two"] {
        lay(
            &workspace,
            name,
            &[("etc/os-release", "ID=debian\n"), ("etc/hostname", &format!("buoy-{name}\n"))],
        );
    }
    let run = workspace.run(&["draft", "buoys.toml", "--from", "one", "--from", "two", "--no-questions"]);
    assert_eq!(run.code, 1);
    assert!(run.stderr.contains("host.1.link.1, host.2.link.1\n"), "{}", run.stderr);
}
