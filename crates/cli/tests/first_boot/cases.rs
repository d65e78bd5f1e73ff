//! What is booted, and what is asked.

use std::fs;
use std::path::Path;
use std::thread;
use std::time::Duration;

use impostazione_core::network::inside_rules::{CLOCK, TIME_SERVERS};

use crate::base::{Base, text};
use crate::container::{Cable, Container, answers_at};
use crate::inside::{Inside, on_the_host};
use crate::machine::{Card, Machine, boot_file, disk_image, with_boot_files};
use crate::network::Network;
use crate::report::Report;
use crate::servers::Server;
use crate::shell::{run, wait_until};
use crate::site::{Agent, CLOCK_KEY, Site};

/// What the network has in the quay of the machines: the router, and the time servers.
const QUAY_BRIDGE: [&str; 5] =
    ["10.64.10.1/24", "fd64:10::1/64", "10.64.10.121/24", "10.64.10.122/24", "10.64.10.123/24"];
/// The network's ends of the cables.
pub(crate) const QUAY: Cable = Cable { link: "eth0", far: &["10.64.10.1/24", "fd64:10::1/64"] };
const WATCH: Cable = Cable { link: "eth1", far: &["10.64.40.1/24"] };

/// A host that can be asked by the keeper.
pub(crate) struct Asked<'a> {
    pub(crate) site: &'a Site,
    pub(crate) network: &'a Network,
    pub(crate) address: &'a str,
}

impl<'a> Asked<'a> {
    /// A host that has come so far that people may log in: SSH answers a little earlier, and sends them away.
    pub(crate) fn when_ready(site: &'a Site, network: &'a Network, address: &'a str) -> Self {
        wait_until("a login", Duration::from_mins(3), || {
            let (_, _, stderr) = site.by_key(network, "keeper", "keeper", address, "true");
            !stderr.contains("System is booting up") && !stderr.contains("Connection closed")
        });
        Self { site, network, address }
    }

    /// What a command prints on the host, without line ends at the end.
    pub(crate) fn says(&self, command: &str) -> String {
        let (code, stdout, stderr) =
            self.site.by_key(self.network, "keeper", "keeper", self.address, command);
        if code == 0 {
            let lines: Vec<&str> = stdout.trim_end().lines().map(str::trim_end).collect();
            lines.join("\n")
        } else {
            format!("exit {code}: {stdout}{stderr}")
        }
    }

    /// Language and logins, as every host of the site has them, and all that `probe after --inside` compares with the sheet: a host in a
    /// container has no clock of its own.
    pub(crate) fn usual(&self, report: &mut Report, host: &str, is_container: bool) {
        report.is(
            "getent hosts localhost",
            &self.says("getent ahostsv4 localhost | head -1 | cut -d' ' -f1"),
            "127.0.0.1",
        );
        report.is("time zone", &self.says("date +%Z | sed 's/CES*T/(Rome)/'"), "(Rome)");
        report.is("language of a login", &self.says("bash -lc 'echo $LANG'"), "C.UTF-8");
        report.is("units that fail, tried twice", &self.failing_units(host), "");
        self.inside(report, host, is_container);
        self.logins(report, host);
    }

    /// All that `probe after --inside` compares with the sheet is right, as far as the keeper may see it.
    pub(crate) fn inside(&self, report: &mut Report, host: &str, is_container: bool) {
        let of_root = ["who can log in", "what sshd says", "netplan file"];
        let of_containers: &[&str] = if is_container { &["time servers", "clock"] } else { &[] };
        let agent = Agent::with(self.site, &["keeper"]);
        let seen = Inside::of(self.site, self.network, &agent, host, &[]);
        seen.note(report, &[&of_root, of_containers].concat());
    }

    /// Units that failed, and fail again: what our files made wrong stays so, while a container on a busy machine has been seen
    /// to fail to start a unit of its own that takes no part in this. With each is told how it ended the first time.
    fn failing_units(&self, host: &str) -> String {
        let sudo = format!("echo '{}' | sudo -S -k -p ''", self.site.password(host));
        self.says(&format!(
            "for unit in $(systemctl --failed --no-legend --plain | cut -d' ' -f1 | grep -v '^systemd-networkd-wait'); do
                first=$(systemctl show $unit -p Result -p ExecMainCode -p ExecMainStatus)
                {sudo} systemctl restart $unit 2>/dev/null && continue
                echo $unit $first
                {sudo} journalctl -q -o cat -n 5 -u $unit
            done"
        ))
    }

    fn logins(&self, report: &mut Report, host: &str) {
        let (site, network, address) = (self.site, self.network, self.address);
        let password = site.password(host);
        let sudo = format!("echo '{password}' | sudo -S -k -p '' id -u");
        report.is("sudo by the keeper's password", &self.says(&sudo), "0");
        let wrong = "echo wrong | sudo -S -k -p '' id -u 2>/dev/null || echo refused";
        report.is("sudo by another password", &self.says(wrong), "refused");
        let by = |person: &str, key: &str| {
            let (code, _, stderr) = site.by_key(network, person, key, address, "true");
            if code == 0 { "let in".to_owned() } else { short(&stderr) }
        };
        report.is(
            "the keeper by the pilot's key",
            &by("keeper", "pilot"),
            "keeper: Permission denied (publickey)",
        );
        report.is(
            "the pilot, who has no account",
            &by("pilot", "pilot"),
            "pilot: Permission denied (publickey)",
        );
        report.is("root by the keeper's key", &by("root", "keeper"), "root: Permission denied (publickey)");
        report.is("the host key", &by("keeper", "keeper"), "let in");
        let (code, _, _) = site.by_password(network, "keeper", &password, address, "true");
        report.is("the keeper by password over SSH", if code == 0 { "let in" } else { "refused" }, "refused");
    }
}

/// The end of what ssh says.
fn short(stderr: &str) -> String {
    let line = stderr.lines().last().unwrap_or_default().trim_end_matches('.');
    line.rsplit_once('@').map_or_else(
        || line.to_owned(),
        |(person, rest)| format!("{person}: {}", rest.split_once(": ").map_or(rest, |(_, rest)| rest)),
    )
}

pub(crate) const ADDRESSES: &str = "ip -br -o addr show scope global | awk 'NF > 2 {$2=\"\"; sub(/@[a-z0-9]*/, \"\", $1); print}' | tr -s ' '";
pub(crate) const ROUTES: &str = "ip route show default; ip -6 route show default";

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn a_static_dual_stack_host() {
    let site = Site::new();
    let rootfs = site.placed(Base::Timesyncd, "gauge-01", |_| (), &[]);
    let mut report = Report::new("gauge-01", "gauge-01: one link, IPv4 and IPv6, in a container");
    let container = Container::boot(&rootfs, &[QUAY], "10.64.10.11");
    let host = Asked::when_ready(&site, &container.network, "10.64.10.11");
    report.is(
        "IPv6 answers",
        &{
            let (code, ..) = site.by_key(&container.network, "keeper", "keeper", "fd64:10::11", "true");
            code.to_string()
        },
        "0",
    );
    host.usual(&mut report, "gauge-01", true);
    report.finish();
    // What the host did of its own accord is no reason not to take the placement back.
    drop(container);
    let undone = site.impostazione(&["undo", &text(&rootfs), "--yes", "--discard-changes"]);
    assert!(undone.contains("are as before"), "{undone}");
    assert!(!rootfs.join("home/keeper/.ssh").exists());
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn a_host_whose_answers_leave_by_the_link_they_came_in_on() {
    let site = Site::new();
    let rootfs = site.placed(Base::Timesyncd, "watch-house", |_| (), &[]);
    let mut report = Report::new(
        "watch-house",
        "watch-house: a link of its own for those who look after it, in a container",
    );
    let container = Container::boot(&rootfs, &[QUAY, WATCH], "10.64.10.32");
    let network = &container.network;
    let host = Asked::when_ready(&site, network, "10.64.40.32");
    // From far away, by way of the link for those who look after it: a megabyte that the host sends must come back there.
    network.ip("addr add 10.64.99.7/32 dev lo");
    network.ip("route add 10.64.40.32/32 dev h-eth1 src 10.64.99.7");
    let (before0, before1) = (network.received("h-eth0"), network.received("h-eth1"));
    report.is(
        "a megabyte to 10.64.99.7",
        &host
            .says("echo $SSH_CONNECTION | cut -d' ' -f1; head -c 1000000 /dev/zero | tr '\\0' x >&2")
            .chars()
            .take(10)
            .collect::<String>(),
        "10.64.99.7",
    );
    let (by0, by1) = (network.received("h-eth0") - before0, network.received("h-eth1") - before1);
    report.is("it came back by", if by1 > 1_000_000 && by0 < 50_000 { "eth1" } else { "eth0" }, "eth1");
    host.usual(&mut report, "watch-house", true);
    report.finish();
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn a_host_with_name_servers_for_one_domain() {
    let site = Site::new();
    let rootfs = site.placed(Base::Timesyncd, "crane-house", |_| (), &[]);
    let mut report =
        Report::new("crane-house", "crane-house: a domain with DNS servers of its own, in a container");
    let container = Container::boot(&rootfs, &[QUAY, WATCH], "10.64.10.33");
    let host = Asked::when_ready(&site, &container.network, "10.64.10.33");
    report.is(
        "DNS for everything",
        &host.says("resolvectl dns | grep Global | sed 's/.*: //'"),
        "10.64.10.53 10.64.10.54",
    );
    report.is("search", &host.says("resolvectl domain | grep Global | sed 's/.*: //'"), "capovetro.example");
    report.is("DNS of eth1", &host.says("resolvectl dns eth1 | sed 's/.*: //'"), "10.64.40.53");
    report.is("domains of eth1", &host.says("resolvectl domain eth1 | sed 's/.*: //'"), "~crane.example");
    report.is(
        "eth1 is asked for nothing else",
        &host.says("resolvectl default-route eth1 | sed 's/.*: //'"),
        "no",
    );
    // The same asked of servers that answer, and write down what they were asked.
    let network = &container.network;
    network.add_addresses("h-eth0", &["10.64.10.53/24"]);
    network.add_addresses("h-eth1", &["10.64.40.53/24"]);
    let (of_site, of_crane) = (site.path().join("dns-of-site"), site.path().join("dns-of-crane"));
    let _servers = [
        Server::of_names(network, "10.64.10.53", &[("lamp.capovetro.example", "10.64.10.77")], &of_site),
        Server::of_names(network, "10.64.40.53", &[("hook.crane.example", "10.64.40.78")], &of_crane),
    ];
    let address_of = |name: &str| {
        let ask = format!("getent ahostsv4 {name} | head -1 | cut -d' ' -f1");
        wait_until("an answer of a DNS server", Duration::from_secs(30), || !host.says(&ask).is_empty());
        host.says(&ask)
    };
    report.is("hook.crane.example", &address_of("hook.crane.example"), "10.64.40.78");
    report.is("lamp.capovetro.example", &address_of("lamp.capovetro.example"), "10.64.10.77");
    report.is("lamp, by the search list", &address_of("lamp"), "10.64.10.77");
    report.is(
        "a name that nobody has",
        &host.says("getent ahostsv4 buoy.capovetro.example || echo none"),
        "none",
    );
    let asked = |log: &Path, of: &str| {
        let log = fs::read_to_string(log).unwrap();
        let is_asked = log.lines().any(|line| line.contains(": query[") && line.contains(of));
        if is_asked { "asked" } else { "not asked" }
    };
    report.is("the site's server about the crane", asked(&of_site, "crane.example"), "not asked");
    report.is("the crane's server about the site", asked(&of_crane, "capovetro.example"), "not asked");
    report.is("the crane's server about the crane", asked(&of_crane, "hook.crane.example"), "asked");
    host.usual(&mut report, "crane-house", true);
    report.finish();
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn a_host_of_network_manager() {
    let site = Site::new();
    let rootfs = site.placed(Base::Manager, "lamp-house", |_| (), &[]);
    let mut report = Report::new(
        "lamp-house",
        "lamp-house: NetworkManager, two links, one without a way out, in a container",
    );
    let container = Container::boot(&rootfs, &[QUAY, WATCH], "10.64.10.35");
    let host = Asked::when_ready(&site, &container.network, "10.64.10.35");
    report.is(
        "who sets the links up",
        &host.says("nmcli -t -f DEVICE,STATE,CONNECTION device | grep eth | sort; networkctl list --no-legend 2>/dev/null | grep -c 'configured' || true"),
        "eth0:connected:netplan-eth0\neth1:connected:netplan-eth1\n0",
    );
    host.usual(&mut report, "lamp-house", true);
    report.finish();
}

/// Boots a host with a rented address of each family. The router has only the address of the gateway, which is outside the host's
/// prefixes, and answers for nothing else; logins come from addresses behind it, so that each answer must go by the gateway.
fn a_rented_host(base: Base, host: &'static str, number: u8, routes: &str) {
    const GATEWAY: Cable = Cable { link: "eth0", far: &["10.64.201.1/32", "fd64:201::1/128"] };
    let (address, address6) = (format!("10.64.200.{number}"), format!("fd64:200::{number}"));
    let site = Site::new();
    // The image listens elsewhere, too: its lines would add up with ours.
    let elsewhere = |rootfs: &Path| {
        let write = |path: &str, text: &str| {
            let path = rootfs.join(path);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(path, text).unwrap();
        };
        write("etc/ssh/sshd_config.d/10-image.conf", "Port 2200\nListenAddress 0.0.0.0:2201\n");
        write("etc/systemd/system/ssh.socket.d/port.conf", "[Socket]\nListenStream=2202\n");
        let wanted = rootfs.join("etc/systemd/system/sockets.target.wants");
        fs::create_dir_all(&wanted).unwrap();
        std::os::unix::fs::symlink("/lib/systemd/system/ssh.socket", wanted.join("ssh.socket")).unwrap();
    };
    let rootfs = site.placed(base, host, elsewhere, &[]);
    let mut report = Report::new(host, &format!("{host}: a rented address of each family, in a container"));
    let container = Container::start(&rootfs, &[GATEWAY]);
    let network = &container.network;
    let [program, namespace] = network.within();
    run(&program, &[&namespace, "sh", "-c", "echo 1 >/proc/sys/net/ipv4/conf/h-eth0/arp_ignore"]);
    network.add_addresses("lo", &["10.64.202.9/32", "fd64:202::9/128"]);
    let (routed, routed6) = (format!("10.64.203.{number}"), format!("fd64:203::{number}"));
    network.ip(&format!("route add {address}/32 dev h-eth0 src 10.64.202.9"));
    network.ip(&format!("route add {routed}/32 via {address} dev h-eth0 src 10.64.202.9"));
    network.ip(&format!("route add {address6}/128 dev h-eth0 src fd64:202::9"));
    network.ip(&format!("route add {routed6}/128 via {address6} dev h-eth0 src fd64:202::9"));
    wait_until("SSH", Duration::from_mins(1), || answers_at(network, &address, 2222));
    let reached = Asked::when_ready(&site, network, &address);
    report.is("default routes", &reached.says(ROUTES), routes);
    let from = "echo $SSH_CONNECTION | cut -d' ' -f1";
    report.is("reached by IPv4 from behind the gateway", &reached.says(from), "10.64.202.9");
    let (_, from6, _) = site.by_key(network, "keeper", "keeper", &address6, from);
    report.is("reached by IPv6 from behind the gateway", from6.trim_end(), "fd64:202::9");
    for (address, from_there) in [(&routed, "10.64.202.9"), (&routed6, "fd64:202::9")] {
        let (_, told, stderr) = site.by_key(network, "keeper", "keeper", address, from);
        report.is(&format!("reached at {address}"), &format!("{}{stderr}", told.trim_end()), from_there);
    }
    let listening = "ss -Hltn | tr -s ' ' | cut -d' ' -f4 | sed 's/.*://' | grep ^22 | sort -u";
    report.is("ports that SSH listens on", &reached.says(listening), "2222");
    // What site/ssh_config says is enough: name, port, login and host key.
    let (_, told, stderr) = site.by_name(network, host, "hostname; id -un");
    report.is("by site/ssh_config", &format!("{told}{stderr}"), &format!("{host}\nkeeper\n"));
    // What it sends of its own accord goes there too.
    for behind in ["10.64.202.9", "fd64:202::9"] {
        let greets = format!(
            "timeout 3 bash -c 'exec 3<>/dev/tcp/{behind}/80' 2>&1 | grep -o -m 1 'Connection refused'"
        );
        report.is(&format!("{behind} answers"), &reached.says(&greets), "Connection refused");
    }
    reached.usual(&mut report, host, true);
    report.finish();
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn a_host_with_rented_addresses() {
    a_rented_host(
        Base::Timesyncd,
        "ferry-house",
        7,
        "default via 10.64.201.1 dev eth0 proto static onlink\ndefault via fd64:201::1 dev eth0 proto static metric 1024 onlink pref medium",
    );
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn a_host_of_network_manager_with_rented_addresses() {
    a_rented_host(
        Base::Manager,
        "ticket-house",
        8,
        "default via 10.64.201.1 dev eth0 proto static metric 100 onlink\ndefault via fd64:201::1 dev eth0 proto static metric 100 onlink pref medium",
    );
}

/// Everything on a root filesystem: path, kind, mode, owner, size, time of the last change, where links lead, and digests.
fn whole_list(root: &str) -> String {
    // The size of a folder is the filesystem's own affair.
    let entries = run(
        "sh",
        &[
            "-c",
            "cd \"$1\" && find . -mindepth 1 \\( -type d -printf '%p %y %m %U:%G %T@\\n' -o -printf '%p %y %m %U:%G %s %T@ %l\\n' \\) | sort",
            "list",
            root,
        ],
    );
    let digests = run(
        "sh",
        &[
            "-c",
            "cd \"$1\" && find etc var home root boot usr/lib/systemd -type f -print0 | sort -z | xargs -0 sha256sum",
            "digest",
            root,
        ],
    );
    entries + &digests
}

/// An image in use: three network files that would win or be merged, a login whose password everybody knows, its own SSH
/// settings, a second name for itself, and a service that sets it up at each boot.
fn in_use(rootfs: &Path) {
    let write = |path: &str, content: &str| {
        fs::create_dir_all(rootfs.join(path).parent().unwrap()).unwrap();
        fs::write(rootfs.join(path), content).unwrap();
    };
    write(
        "etc/netplan/50-image.yaml",
        "network:\n  version: 2\n  ethernets:\n    eth0:\n      dhcp4: true\n      addresses: [10.64.10.98/24]\n",
    );
    write("etc/systemd/network/05-image.network", "[Match]\nName=eth0\n[Network]\nAddress=10.64.10.99/24\n");
    write("etc/systemd/network/99-image.network", "[Match]\nName=e*\n[Network]\nDHCP=yes\n");
    write("etc/hosts", "127.0.0.1 localhost\n127.0.1.1 image winch-house\n10.64.10.80 crane\n");
    write("etc/hostname", "image\n");
    write("etc/resolv.conf.image", "");
    let _ = fs::remove_file(rootfs.join("etc/resolv.conf"));
    write("etc/resolv.conf", "nameserver 10.64.99.99\n");
    let main = fs::read_to_string(rootfs.join("etc/ssh/sshd_config")).unwrap();
    write("etc/ssh/sshd_config", &format!("PermitRootLogin yes\nPasswordAuthentication no\n{main}"));
    write(
        "usr/sbin/image-setup",
        "#!/bin/sh\necho image > /etc/hostname; hostname image\nrm -f /etc/netplan/60*; echo 'image:image' | chpasswd; usermod -e '' image\n",
    );
    run("chmod", &["755", &text(&rootfs.join("usr/sbin/image-setup"))]);
    write(
        "usr/lib/systemd/system/image-setup.service",
        "[Unit]\nDefaultDependencies=no\nAfter=systemd-remount-fs.service\nBefore=network-pre.target sysinit.target\nWants=network-pre.target\n[Service]\nType=oneshot\nExecStart=/usr/sbin/image-setup\n[Install]\nWantedBy=sysinit.target\n",
    );
    let root = text(rootfs);
    run("systemctl", &["--root", &root, "enable", "image-setup.service"]);
    run("chroot", &[&root, "useradd", "-m", "-s", "/bin/bash", "-G", "sudo", "image"]);
    run("chroot", &[&root, "sh", "-c", "echo image:image | chpasswd; echo root:root | chpasswd"]);
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn an_image_in_use_with_conflicting_files_and_a_stock_login() {
    let site = Site::new();
    let rootfs = Base::Timesyncd.copy(site.path(), "winch-house");
    in_use(&rootfs);
    // There and back, on a whole Debian with an image's own files.
    let root = text(&rootfs);
    let before = whole_list(&root);
    let place = ["place", "output", "--only", "winch-house", &root, "--yes"];
    site.impostazione(&place);
    assert!(whole_list(&root) != before);
    site.impostazione(&["undo", &root, "--yes"]);
    assert!(whole_list(&root) == before, "a list of the whole root filesystem is the same");
    site.impostazione(&place);
    let mut report = Report::new(
        "winch-house",
        "winch-house: on an image with three network files, a stock login and a service that sets it up, in a container",
    );
    let container = Container::boot(&rootfs, &[QUAY], "10.64.10.34");
    let network = &container.network;
    let host = Asked::when_ready(&site, network, "10.64.10.34");
    host.inside(&mut report, "winch-house", true);
    report.is("what DHCP has given", &host.says("networkctl status eth0 | grep -c DHCP || true"), "0");
    report.is(
        "its own name",
        &host.says("getent ahostsv4 winch-house | head -1 | cut -d' ' -f1"),
        "10.64.10.34",
    );
    report.is(
        "what the image knew of others",
        &host.says("getent ahostsv4 crane | head -1 | cut -d' ' -f1"),
        "10.64.10.80",
    );
    report.is(
        "the service that sets it up",
        &host.says(
            "systemctl is-enabled image-setup.service; systemctl is-active image-setup.service || true",
        ),
        "masked\ninactive",
    );
    let by_password = |person: &str, password: &str| {
        let (code, _, stderr) = site.by_password(network, person, password, "10.64.10.34", "true");
        if code == 0 { "let in".to_owned() } else { short(&stderr) }
    };
    let password = site.password("winch-house");
    report.is("the keeper by the right password", &by_password("keeper", &password), "let in");
    report.is(
        "the keeper by another",
        &by_password("keeper", "wrong"),
        "keeper: Permission denied (publickey,password,keyboard-interactive)",
    );
    report.is(
        "the stock login by its password",
        &by_password("image", "image"),
        "image: Permission denied (publickey,password,keyboard-interactive)",
    );
    report.is(
        "root by its password",
        &by_password("root", "root"),
        "root: Permission denied (publickey,password,keyboard-interactive)",
    );
    report.is(
        "who may still log in",
        &host.says(&format!(
            "echo '{password}' | sudo -S -k -p '' awk -F: '$2 ~ /^\\$/ {{print $1}}' /etc/shadow"
        )),
        "keeper",
    );
    report.is("what sshd says", &host.says(&format!("echo '{password}' | sudo -S -k -p '' sshd -T | grep -E '^(permitrootlogin|passwordauthentication) '")), "permitrootlogin no\npasswordauthentication yes");
    report.finish();
}

/// An image with every way in beside its logins: sudo without a password, groups, an authority for certificates, a command that
/// hands out keys, a second file of keys, users of a directory on the network, and consoles that log somebody in.
fn with_ways_in(site: &Site, rootfs: &Path) {
    let write = |path: &str, content: &str| {
        fs::create_dir_all(rootfs.join(path).parent().unwrap()).unwrap();
        fs::write(rootfs.join(path), content).unwrap();
    };
    let root = text(rootfs);
    let of_pilot = fs::read_to_string(site.key("pilot").with_extension("pub")).unwrap();
    let authority = text(&site.path().join("authority"));
    run("ssh-keygen", &["-q", "-t", "ed25519", "-N", "", "-f", &authority]);
    let pilot = text(&site.key("pilot").with_extension("pub"));
    run("ssh-keygen", &["-q", "-s", &authority, "-I", "pilot", "-n", "keeper,root,image", &pilot]);
    fs::copy(format!("{authority}.pub"), rootfs.join("etc/ssh/image-authority.pub")).unwrap();
    write("etc/ssh/keys/keeper", &of_pilot);
    write("usr/local/bin/image-keys", &format!("#!/bin/sh\necho '{}'\n", of_pilot.trim()));
    run("chmod", &["755", &text(&rootfs.join("usr/local/bin/image-keys"))]);
    write(
        "etc/ssh/sshd_config.d/50-image.conf",
        "TrustedUserCAKeys /etc/ssh/image-authority.pub\nAuthorizedKeysCommand /usr/local/bin/image-keys\n\
         AuthorizedKeysCommandUser nobody\nAuthorizedKeysFile .ssh/authorized_keys /etc/ssh/keys/%u\n\
         HostbasedAuthentication yes\nMatch User keeper\n  AuthorizedKeysFile /etc/ssh/keys/%u\n",
    );
    run("chroot", &[&root, "useradd", "-m", "-s", "/bin/bash", "-G", "sudo,adm", "image"]);
    run(
        "chroot",
        &[&root, "sh", "-c", "echo image:image | chpasswd; groupadd -r docker; usermod -aG docker image"],
    );
    write("etc/sudoers.d/99-image", "image ALL=(ALL) NOPASSWD: ALL\nALL ALL=(ALL) NOPASSWD: ALL\n");
    for getty in ["console-getty.service.d", "getty@tty1.service.d"] {
        write(
            &format!("etc/systemd/system/{getty}/autologin.conf"),
            "[Service]\nExecStart=\nExecStart=-/sbin/agetty --autologin image --noclear --keep-baud - $TERM\n",
        );
    }
    let add = |path: &str, line: &str| {
        let there = fs::read_to_string(rootfs.join(path)).unwrap();
        fs::write(rootfs.join(path), format!("{there}{line}\n")).unwrap();
    };
    add("etc/passwd", "+::::::");
    add("etc/login.defs", "UID_MIN 100");
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn an_image_with_ways_in() {
    let site = Site::new();
    let rootfs = Base::Timesyncd.copy(site.path(), "winch-house");
    with_ways_in(&site, &rootfs);
    let root = text(&rootfs);
    let seen = site.impostazione(&["inspect", &root, "--format", "json"]);
    for says in [
        "is in the group docker",
        "is in the group sudo",
        "may act as root by sudo without being asked for a password",
        "with a key signed by the authority in this file may log in",
        "with a key from this command may log in",
        "with a key in this file may log in",
        "on a computer that this host trusts may log in",
        "in a directory service may log in",
        "is logged in automatically at a console",
    ] {
        assert!(seen.contains(says), "{says}: {seen}");
    }
    site.impostazione(&["place", "output", "--only", "winch-house", &root, "--yes"]);
    let mut report =
        Report::new("ways-in", "winch-house: on an image with ways in beside its logins, in a container");
    let container = Container::boot(&rootfs, &[QUAY], "10.64.10.34");
    let network = &container.network;
    let host = Asked::when_ready(&site, network, "10.64.10.34");
    let password = site.password("winch-house");
    let as_root =
        |command: &str| host.says(&format!("echo '{password}' | sudo -S -k -p '' sh -c \"{command}\" 2>&1"));
    let by = |person: &str| {
        let (code, _, stderr) = site.by_key(network, person, "pilot", "10.64.10.34", "true");
        if code == 0 { "let in".to_owned() } else { short(&stderr) }
    };
    let denied =
        |person: &str| format!("{person}: Permission denied (publickey,password,keyboard-interactive)");
    report.is("the keeper by the pilot's key and certificate", &by("keeper"), &denied("keeper"));
    report.is("the stock login by them", &by("image"), &denied("image"));
    report.is("root by them", &by("root"), &denied("root"));
    report.is(
        "sudo without a password",
        &host.says("sudo -n -k id -u 2>/dev/null || echo refused"),
        "refused",
    );
    report.is("what the stock login may do", &as_root("sudo -l -U image | grep -c 'not allowed'"), "1");
    report.is("groups of the stock login", &host.says("id -Gn image"), "image");
    report.is("administrators", &host.says("getent group sudo | cut -d: -f4"), "keeper");
    report.is("users of a directory", &host.says("grep -c '^+' /etc/passwd || true"), "0");
    report.is(
        "the keeper's number",
        &host.says("test $(id -u) -ge 1000 && echo 1000 or more"),
        "1000 or more",
    );
    report.is(
        "consoles that log somebody in",
        &host.says("systemctl show console-getty.service getty@tty1.service -p ExecStart | grep -c autologin || true"),
        "0",
    );
    report.is("who is logged in by them", &host.says("ps -eo user= | grep -c '^image' || true"), "0");
    report.is(
        "what sshd says of the keeper",
        &as_root("sshd -T -C user=keeper,host=x,addr=10.64.10.1 | grep -E '^(authorizedkeysfile|authorizedkeyscommand|trustedusercakeys|hostbasedauthentication) ' | sort"),
        "authorizedkeyscommand none\nauthorizedkeysfile .ssh/authorized_keys .ssh/authorized_keys2\nhostbasedauthentication no\ntrustedusercakeys none",
    );
    // That these were ways in: without our file the pilot gets in.
    as_root("mv /etc/ssh/sshd_config.d/00-impostazione.conf /root; systemctl restart ssh");
    wait_until("sshd", Duration::from_secs(30), || by("keeper") == "let in");
    report.is("the keeper by them, were our file not there", &by("keeper"), "let in");
    report.finish();
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn two_copies_of_one_image_are_two_hosts() {
    let site = Site::new();
    let mut report = Report::new(
        "copies",
        "gauge-02 and gauge-03: placed on copies of one image with --fresh-identity, in containers",
    );
    let mut seen = Vec::new();
    for (host, address) in [("gauge-02", "10.64.10.12"), ("gauge-03", "10.64.10.13")] {
        let rootfs = site.placed(Base::Timesyncd, host, |_| (), &["--fresh-identity"]);
        let container = Container::boot(&rootfs, &[QUAY], address);
        let asked = Asked::when_ready(&site, &container.network, address);
        report.is(&format!("{host}: hostname"), &asked.says("hostname"), host);
        report.is(
            &format!("{host}: host keys"),
            &asked.says("ls /etc/ssh/ssh_host_*_key"),
            "/etc/ssh/ssh_host_ed25519_key",
        );
        report.is(&format!("{host}: first boot"), &asked.says("systemctl is-enabled ssh.service"), "enabled");
        let ids = asked
            .says("cat /etc/machine-id; ssh-keygen -lf /etc/ssh/ssh_host_ed25519_key.pub | cut -d' ' -f2");
        report.is(
            &format!("{host}: length of its machine id"),
            &ids.lines().next().unwrap_or_default().len().to_string(),
            "32",
        );
        seen.push(ids);
    }
    let of_image =
        fs::read_to_string(Base::Timesyncd.copy(site.path(), "image").join("etc/machine-id")).unwrap();
    let own: Vec<&str> = seen.iter().flat_map(|ids| ids.lines()).chain([of_image.trim()]).collect();
    let mut distinct = own.clone();
    distinct.sort_unstable();
    distinct.dedup();
    report.is(
        "machine ids and host keys, the image's too",
        &format!("{} of {} differ", distinct.len(), own.len()),
        "5 of 5 differ",
    );
    report.finish();
}

#[test]
#[ignore = "boots virtual machines: needs root, debootstrap, qemu-system-x86, linux-image-cloud-amd64, fdisk and ssh, which .ci/run installs"]
fn the_tower_and_a_gauge_in_virtual_machines() {
    let site = Site::new();
    thread::scope(|scope| {
        let tower = scope.spawn(|| tower(&site));
        let gauge = scope.spawn(|| gauge(&site));
        tower.join().unwrap();
        gauge.join().unwrap();
    });
}

/// The bond, the VLAN and the links found by their MAC address; chrony; a volume with an appliance's settings. It is placed on
/// the image of a card.
fn tower(site: &Site) {
    let rootfs = Base::Chrony.copy(site.path(), "tower");
    let image = site.path().join("tower.img");
    disk_image(&rootfs, &image);
    let said = site.impostazione(&[
        "place",
        "output",
        "--only",
        "signal-tower",
        &text(&image),
        "--fresh-identity",
        "--yes",
    ]);
    assert!(said.contains("signal-tower is placed"), "{said}");
    let mut report = Report::new(
        "signal-tower",
        "signal-tower: a bond, a VLAN, links found by their MAC address, chrony, placed on the image of a card, in a virtual machine",
    );
    let volume = site.output().join("signal-gateway/settings.iso");
    let cards = [
        Card { bridge: "watch", mac: "02:64:40:00:00:21" },
        Card { bridge: "quay", mac: "02:64:10:00:00:22" },
        Card { bridge: "quay", mac: "02:64:10:00:00:21" },
    ];
    let network = Network::with_bridges(&[("quay", &QUAY_BRIDGE), ("watch", &["10.64.40.1/24"])]);
    let key = format!("10 SHA256 HEX:{CLOCK_KEY}\n");
    let _time = Server::of_time(&network, Some(&key), &site.folder_of("time-of-tower"));
    let machine = Machine::boot(network, &image, &volume, "", &cards, "10.64.10.31");
    let host = Asked::when_ready(site, &machine.network, "10.64.10.31");
    let links = "for l in lan0 lan1 watch0; do echo $l $(cat /sys/class/net/$l/address) $(basename $(readlink /sys/class/net/$l/master || echo none)); done; ethtool -P lan1 2>/dev/null || cat /sys/class/net/lan1/bonding_slave/perm_hwaddr";
    report.is("links by their MAC address", &host.says(links), "lan0 02:64:10:00:00:21 uplink\nlan1 02:64:10:00:00:21 uplink\nwatch0 02:64:40:00:00:21 none\n02:64:10:00:00:22");
    report.is("the bond", &host.says("grep -E '^(Bonding Mode|MII Polling|Slave Interface)' /proc/net/bonding/uplink | sort"), "Bonding Mode: fault-tolerance (active-backup)\nMII Polling Interval (ms): 100\nSlave Interface: lan0\nSlave Interface: lan1");
    report.is(
        "the VLAN",
        &host.says("ip -d link show radar | grep -o 'vlan protocol 802.1Q id [0-9]*'"),
        "vlan protocol 802.1Q id 120",
    );
    let password = site.password("signal-tower");
    report.is(
        "whom its clock follows",
        &host.says("chronyc -n waitsync 90 0 0 1 > /dev/null; chronyc -n tracking | sed -n 's/^Reference ID.*(\\(.*\\)[123])/\\1x/p; s/^Leap status *: //p'"),
        "10.64.10.12x\nNormal",
    );
    report.is(
        "by which key they prove it",
        &host.says(&format!("echo '{password}' | sudo -S -k -p '' chronyc -n authdata | awk '/^10/ {{print $1, $2, $3}}' | sort")),
        "10.64.10.121 SK 10\n10.64.10.122 SK 10\n10.64.10.123 SK 10",
    );
    report.is(
        "the pilot, who has an account here",
        &site.by_key(&machine.network, "pilot", "pilot", "10.64.10.31", "id -un").1,
        "pilot\n",
    );
    host.inside(&mut report, "signal-tower", false);
    let mount = format!(
        "echo '{password}' | sudo -S -k -p '' sh -c 'mount -t iso9660 -o ro /dev/vdb /mnt && ls /mnt && sha256sum /mnt/ovf-env.xml | cut -d\" \" -f1; umount /mnt'"
    );
    let digest = run("sha256sum", &[&text(&site.output().join("signal-gateway/ovf-env.xml"))]);
    report.is(
        "an appliance's volume in the drive",
        &host.says(&mount),
        &format!("ovf-env.xml\n{}", digest.split(' ').next().unwrap()),
    );
    report.is(
        "by the link for those who look after it",
        &Asked::when_ready(site, &machine.network, "10.64.40.31").says("hostname"),
        "signal-tower",
    );
    report.finish();
}

/// timesyncd, which does not start in a container, on a card as a small board's: the words for the kernel stand on the boot
/// partition, and have it start a program of the image's, which sets the host up by a file that lies beside them. The kernel is
/// told to count ports, so that there is an eth0.
fn gauge(site: &Site) {
    let rootfs = Base::Timesyncd.copy(site.path(), "gauge-machine");
    let write = |path: &str, content: &str| {
        fs::write(rootfs.join(path), content).unwrap();
        run("chmod", &["755", &text(&rootfs.join(path))]);
    };
    fs::create_dir_all(rootfs.join("boot/firmware")).unwrap();
    write(
        "usr/local/sbin/image-init",
        "#!/bin/sh\nmount -t proc proc /proc\nmount /boot/firmware\n. /boot/firmware/image.txt\necho $NAME > /etc/hostname\n\
         rm -f /etc/netplan/*.yaml\numount /boot/firmware /proc\nexec /sbin/init\n",
    );
    let image = site.path().join("gauge.img");
    disk_image(&rootfs, &image);
    let line = "net.ifnames=0 init=/usr/local/sbin/image-init systemd.hostname=image\n";
    with_boot_files(&image, &[("cmdline.txt", line), ("image.txt", "NAME=image\n")]);
    site.impostazione(&["place", "output", "--only", "gauge-04", &text(&image), "--fresh-identity", "--yes"]);
    let words = boot_file(&image, "cmdline.txt");
    let mut report = Report::new(
        "gauge-04",
        "gauge-04: timesyncd, a port that the kernel calls eth0, and words for the kernel that start a program of the image's, in a virtual machine",
    );
    report.is("words for the kernel", words.trim_end(), "net.ifnames=0");
    let volume = site.output().join("logbook-1/settings.iso");
    let cards = [Card { bridge: "quay", mac: "02:64:10:00:00:44" }];
    let network = Network::with_bridges(&[("quay", &QUAY_BRIDGE)]);
    let _time = Server::of_time(&network, None, &site.folder_of("time-of-gauge"));
    let machine = Machine::boot(network, &image, &volume, words.trim_end(), &cards, "10.64.10.14");
    let host = Asked::when_ready(site, &machine.network, "10.64.10.14");
    report.is("whom its clock follows", &host.says("for i in $(seq 90); do timedatectl show -p NTPSynchronized | grep -q yes && break; sleep 1; done; timedatectl show -p NTPSynchronized; timedatectl show-timesync -p ServerAddress"), "NTPSynchronized=yes\nServerAddress=10.64.10.121");
    host.usual(&mut report, "gauge-04", false);
    // What cannot be changed in a container.
    let password = site.password("gauge-04");
    let as_root = |lines: String| {
        host.says(&format!(
            "echo '{password}' | sudo -S -k -p '' sh -c \"$(cat <<'END'\n{lines}\nEND\n)\" 2>&1"
        ))
    };
    let agent = Agent::with(site, &["keeper"]);
    for (rule, broken) in [
        (&TIME_SERVERS, "probe-inside-time-servers"),
        // Who is told not to set the clock does not run either.
        (&CLOCK, "probe-inside-clock probe-inside-time-servers"),
    ] {
        let said = as_root(on_the_host(rule.wrong));
        let found = Inside::of(site, &machine.network, &agent, "gauge-04", &[]).broken();
        report.is(rule.name, &found.into_iter().collect::<Vec<_>>().join(" "), broken);
        println!("{said}{}", as_root(on_the_host(rule.right)));
    }
    report.finish();
}
