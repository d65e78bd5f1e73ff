//! Parts of images: what is run at boot and how, and files that settings are taken from.

/// Files and links that an image brings. A text that begins with `#!` may be run.
#[derive(Clone, Debug, Default)]
pub(super) struct Part {
    pub(super) files: Vec<(String, String)>,
    pub(super) links: Vec<(String, String)>,
}

impl Part {
    fn file(mut self, path: impl Into<String>, text: impl Into<String>) -> Self {
        self.files.push((path.into(), text.into()));
        self
    }

    fn link(mut self, path: impl Into<String>, target: impl Into<String>) -> Self {
        self.links.push((path.into(), target.into()));
        self
    }
}

/// Commands that change what the sheet says.
pub(super) const HARMFUL: [&str; 16] = [
    "ip addr add 10.64.10.99/24 dev eth0",
    "/sbin/ip link set dev eth0 down",
    "ip route replace default via 10.64.10.98",
    "ifconfig eth0 10.64.10.99",
    "dhclient eth0",
    "/sbin/dhclient -4 eth0",
    "echo nameserver 10.64.99.53 > /etc/resolv.conf",
    "cp /usr/share/image/resolv.conf /etc/resolv.conf",
    "ln -sf /usr/share/zoneinfo/Etc/UTC /etc/localtime",
    "timedatectl set-timezone Etc/UTC",
    "hostname image",
    "hostnamectl set-hostname image",
    "echo image > /etc/hostname",
    "passwd -d root",
    "echo root:image | chpasswd",
    "useradd -m image",
];

/// Commands that look like them and change nothing.
pub(super) const HARMLESS: [&str; 9] = [
    "ip addr show dev eth0",
    "hostname -f",
    "timedatectl show",
    "getent passwd root",
    "grep nameserver /etc/resolv.conf",
    "test -e /etc/localtime",
    "logger started",
    "mkdir -p /run/image",
    "date +%Z",
];

/// How a command comes to be run at boot, or does not.
pub(super) const CARRIERS: [Carrier; 37] = [
    ("a service", |name, command| {
        unit(name, command)
            .link(format!("{ETC}/multi-user.target.wants/{name}.service"), format!("../{name}.service"))
    }),
    ("a service that nothing starts", unit),
    ("a service that is masked", |name, command| {
        let part = Part::default().file(format!("usr/lib/systemd/system/{name}.service"), service(name));
        part.file(script_of(name), script(command)).link(format!("{ETC}/{name}.service"), "/dev/null").link(
            format!("{ETC}/multi-user.target.wants/{name}.service"),
            format!("/usr/lib/systemd/system/{name}.service"),
        )
    }),
    ("a service by a link of a package's folder", |name, command| {
        Part::default()
            .file(format!("usr/lib/systemd/system/{name}.service"), service(name))
            .file(script_of(name), script(command))
            .link(
                format!("usr/lib/systemd/system/multi-user.target.wants/{name}.service"),
                format!("../{name}.service"),
            )
    }),
    ("a service by a link in the local folder", |name, command| {
        Part::default()
            .file(format!("usr/local/lib/systemd/system/{name}.service"), service(name))
            .file(script_of(name), script(command))
            .link(
                format!("usr/local/lib/systemd/system/sysinit.target.wants/{name}.service"),
                format!("../{name}.service"),
            )
    }),
    ("a service that another requires", |name, command| {
        unit(name, command)
            .file(
                format!("{ETC}/{name}-lamp.service"),
                format!("[Unit]\nRequires={name}.service\n[Service]\nExecStart=/usr/bin/logger lamp\n"),
            )
            .link(
                format!("{ETC}/multi-user.target.wants/{name}-lamp.service"),
                format!("../{name}-lamp.service"),
            )
    }),
    ("a service that another upholds by a link", |name, command| {
        unit(name, command)
            .file(format!("{ETC}/{name}-lamp.service"), "[Service]\nExecStart=/usr/bin/logger lamp\n")
            .link(format!("{ETC}/{name}-lamp.service.upholds/{name}.service"), format!("../{name}.service"))
            .link(
                format!("{ETC}/multi-user.target.wants/{name}-lamp.service"),
                format!("../{name}-lamp.service"),
            )
    }),
    ("a service that another only names", |name, command| {
        unit(name, command)
            .file(
                format!("{ETC}/{name}-lamp.service"),
                format!("[Unit]\nAfter={name}.service\n[Service]\nExecStart=/usr/bin/logger lamp\n"),
            )
            .link(
                format!("{ETC}/multi-user.target.wants/{name}-lamp.service"),
                format!("../{name}-lamp.service"),
            )
    }),
    ("a timer", |name, command| {
        unit(name, command)
            .file(format!("{ETC}/{name}.timer"), "[Timer]\nOnBootSec=1s\n")
            .link(format!("{ETC}/timers.target.wants/{name}.timer"), format!("../{name}.timer"))
    }),
    ("a timer that is not started", |name, command| {
        unit(name, command).file(format!("{ETC}/{name}.timer"), "[Timer]\nOnBootSec=1s\n")
    }),
    ("a timer of another name", |name, command| {
        unit(name, command)
            .file(
                format!("{ETC}/{name}-daily.timer"),
                format!("[Timer]\nOnBootSec=1s\nUnit={name}.service\n"),
            )
            .link(format!("{ETC}/timers.target.wants/{name}-daily.timer"), format!("../{name}-daily.timer"))
    }),
    ("a path", |name, command| {
        unit(name, command)
            .file(format!("{ETC}/{name}.path"), "[Path]\nPathExists=/etc/hostname\n")
            .link(format!("{ETC}/paths.target.wants/{name}.path"), format!("../{name}.path"))
    }),
    ("a socket", |name, command| {
        unit(name, command)
            .file(format!("{ETC}/{name}.socket"), "[Socket]\nListenStream=127.0.0.1:4242\n")
            .link(format!("{ETC}/sockets.target.wants/{name}.socket"), format!("../{name}.socket"))
    }),
    ("a command before a socket", |name, command| {
        Part::default()
            .file(format!("{ETC}/{name}.service"), "[Service]\nExecStart=/usr/bin/logger lamp\n")
            .file(
                format!("{ETC}/{name}.socket"),
                format!("[Socket]\nListenStream=127.0.0.1:4242\nExecStartPre=/usr/local/sbin/{name}\n"),
            )
            .file(script_of(name), script(command))
            .link(format!("{ETC}/sockets.target.wants/{name}.socket"), format!("../{name}.socket"))
    }),
    ("a service from a template", |name, command| {
        Part::default()
            .file(format!("usr/lib/systemd/system/{name}@.service"), service(name))
            .file(script_of(name), script(command))
            .link(
                format!("{ETC}/multi-user.target.wants/{name}@one.service"),
                format!("/usr/lib/systemd/system/{name}@.service"),
            )
    }),
    ("a command before another", |name, command| {
        Part::default()
            .file(
                format!("{ETC}/{name}.service"),
                format!("[Service]\nExecStartPre=-/usr/local/sbin/{name}\nExecStart=/usr/bin/logger lamp\n"),
            )
            .file(script_of(name), script(command))
            .link(format!("{ETC}/multi-user.target.wants/{name}.service"), format!("../{name}.service"))
    }),
    ("a command that a drop-in adds", |name, command| {
        lamp(name)
            .file(
                format!("{ETC}/{name}.service.d/more.conf"),
                format!("[Service]\nExecStartPost=/usr/local/sbin/{name}\n"),
            )
            .file(script_of(name), script(command))
    }),
    ("a command that a drop-in takes away", |name, command| {
        unit(name, command)
            .file(
                format!("{ETC}/{name}.service.d/more.conf"),
                "[Service]\nExecStart=\nExecStart=/usr/bin/logger lamp\n",
            )
            .link(format!("{ETC}/multi-user.target.wants/{name}.service"), format!("../{name}.service"))
    }),
    ("a drop-in that is hidden", |name, command| {
        lamp(name)
            .file(
                format!("usr/lib/systemd/system/{name}.service.d/more.conf"),
                format!("[Service]\nExecStartPost=/usr/local/sbin/{name}\n"),
            )
            .file(script_of(name), script(command))
            .link(format!("{ETC}/{name}.service.d/more.conf"), "/dev/null")
    }),
    ("a shell that is told what to run", |name, command| {
        Part::default()
            .file(
                format!("{ETC}/{name}.service"),
                format!("[Service]\nType=oneshot\nExecStart=/bin/sh -c '{command}'\n"),
            )
            .link(format!("{ETC}/multi-user.target.wants/{name}.service"), format!("../{name}.service"))
    }),
    ("a line that goes on", |name, command| {
        Part::default()
            .file(
                format!("{ETC}/{name}.service"),
                format!("[Service]\nType=oneshot\nExecStart=/bin/sh \\\n  -c \\\n  '{command}'\n"),
            )
            .link(format!("{ETC}/multi-user.target.wants/{name}.service"), format!("../{name}.service"))
    }),
    ("a script of a script", |name, command| {
        Part::default()
            .file(format!("{ETC}/{name}.service"), service(name))
            .file(script_of(name), format!("#!/bin/bash\nset -e\n/usr/share/image/{name}-more --now\n"))
            .file(format!("usr/share/image/{name}-more"), script(command))
            .link(format!("{ETC}/multi-user.target.wants/{name}.service"), format!("../{name}.service"))
    }),
    ("a script that reads another in", |name, command| {
        Part::default()
            .file(format!("{ETC}/{name}.service"), service(name))
            .file(script_of(name), format!("#!/bin/sh\n. /usr/share/image/{name}.inc\n"))
            .file(format!("usr/share/image/{name}.inc"), format!("{command}\n"))
            .link(format!("{ETC}/multi-user.target.wants/{name}.service"), format!("../{name}.service"))
    }),
    ("a program by its name alone", |name, command| {
        wanted(name, &format!("ExecStart={name} --now")).file(script_of(name), script(command))
    }),
    ("a script that calls another by its name", |name, command| {
        wanted(name, &format!("ExecStart=/usr/share/image/{name}"))
            .file(format!("usr/share/image/{name}"), format!("#!/bin/sh\nlogger lamp; {name}-more\n"))
            .file(format!("usr/local/sbin/{name}-more"), script(command))
    }),
    ("all scripts of a folder", |name, command| {
        wanted(name, &format!("ExecStart=/bin/run-parts /etc/{name}.d"))
            .file(format!("etc/{name}.d/10-first"), script(command))
    }),
    ("a service for when another fails", |name, command| {
        unit(name, command)
            .file(
                format!("{ETC}/{name}-lamp.service"),
                format!("[Unit]\nOnFailure={name}.service\n[Service]\nExecStart=/bin/false\n"),
            )
            .link(
                format!("{ETC}/multi-user.target.wants/{name}-lamp.service"),
                format!("../{name}-lamp.service"),
            )
    }),
    ("a command behind another", |name, command| {
        wanted(name, &format!("Type=oneshot\nExecStart=/bin/true\nExecStopPost=/usr/local/sbin/{name}"))
            .file(script_of(name), script(command))
    }),
    ("a script of the old kind", |name, command| {
        Part::default()
            .file(format!("etc/init.d/{name}"), script(command))
            .link(format!("etc/rc3.d/S01{name}"), format!("../init.d/{name}"))
    }),
    ("a script of the old kind that stops only", |name, command| {
        Part::default()
            .file(format!("etc/init.d/{name}"), script(command))
            .link(format!("etc/rc6.d/K01{name}"), format!("../init.d/{name}"))
    }),
    ("rc.local", |_, command| Part::default().file("etc/rc.local", script(command))),
    ("rc.local that may not be run", |_, command| {
        Part::default().file("etc/rc.local", format!("{command}\n"))
    }),
    ("a generator", |name, command| {
        Part::default().file(format!("etc/systemd/system-generators/{name}"), script(command))
    }),
    ("a generator in two folders", |name, command| {
        Part::default()
            .file(format!("etc/systemd/system-generators/{name}"), script(command))
            .file(format!("usr/lib/systemd/system-generators/{name}"), script(command))
    }),
    ("a timetable", |name, command| {
        Part::default()
            .file("usr/sbin/cron", "")
            .file(format!("etc/cron.d/{name}"), format!("# image\nMAILTO=root\n@reboot root {command}\n"))
    }),
    ("a timetable that nobody reads", |name, command| {
        Part::default().file(format!("etc/cron.d/{name}"), format!("@reboot root {command}\n"))
    }),
    ("a first program", |name, command| {
        Part::default()
            .file("boot/firmware/cmdline.txt", format!("console=tty1 init=/usr/local/sbin/{name} quiet\n"))
            .file(script_of(name), script(command))
    }),
];

/// What carries a command: what it is called, and the part of a name and a command.
pub(super) type Carrier = (&'static str, fn(&str, &str) -> Part);

const ETC: &str = "etc/systemd/system";

fn script(command: &str) -> String {
    format!("#!/bin/sh\nset -e\n# what the image does\n{command}\n")
}

fn script_of(name: &str) -> String {
    format!("usr/local/sbin/{name}")
}

fn service(name: &str) -> String {
    format!(
        "[Unit]\nDescription=Part of an image\n[Service]\nType=oneshot\nExecStart=/usr/local/sbin/{name}\n[Install]\nWantedBy=multi-user.target\n"
    )
}

fn unit(name: &str, command: &str) -> Part {
    Part::default()
        .file(format!("{ETC}/{name}.service"), service(name))
        .file(script_of(name), script(command))
}

/// A service of these lines, which starts.
fn wanted(name: &str, lines: &str) -> Part {
    Part::default()
        .file(format!("{ETC}/{name}.service"), format!("[Service]\n{lines}\n"))
        .link(format!("{ETC}/multi-user.target.wants/{name}.service"), format!("../{name}.service"))
}

fn lamp(name: &str) -> Part {
    Part::default()
        .file(format!("usr/lib/systemd/system/{name}.service"), "[Service]\nExecStart=/usr/bin/logger lamp\n")
        .link(
            format!("{ETC}/multi-user.target.wants/{name}.service"),
            format!("/usr/lib/systemd/system/{name}.service"),
        )
}

/// Folders in which a file of systemd's may lie.
const FOLDERS: [&str; 3] = ["etc/systemd", "usr/local/lib/systemd", "usr/lib/systemd"];

/// Files that settings are taken from: path below one of systemd's folders, and text.
const SETTINGS: [(&str, &str); 14] = [
    ("resolved.conf.d/NAME.conf", "[Resolve]\nDNS=10.64.99.53\n"),
    ("resolved.conf.d/zz-NAME.conf", "[Resolve]\nDomains=image.example\n"),
    ("resolved.conf.d/NAME.conf", "[Resolve]\nCache=no\n"),
    ("network/10-netplan-eth0.network.d/NAME.conf", "[Network]\nAddress=10.64.10.99/24\n"),
    ("network/05-NAME.network", "[Match]\nName=eth0\n[Network]\nDHCP=yes\n"),
    ("system/ssh.service.d/NAME.conf", "[Service]\nExecStartPre=/usr/share/image/NAME\n"),
    ("system/ssh.service.d/NAME.conf", "[Service]\nEnvironment=SSHD_OPTS=-oPermitRootLogin=yes\n"),
    ("system/ssh.service.d/NAME.conf", "[Service]\nRestart=always\n"),
    ("system/systemd-networkd.service.d/NAME.conf", "[Unit]\nConditionPathExists=/etc/image\n"),
    ("system/systemd-.service.d/NAME.conf", "[Unit]\nAssertPathExists=/etc/image\n"),
    ("system/systemd-resolved.service.d/NAME.conf", "[Service]\nMemoryMax=64M\n"),
    ("timesyncd.conf.d/zz-NAME.conf", "[Time]\nNTP=10.64.99.123\n"),
    ("timesyncd.conf.d/NAME.conf", "[Time]\nPollIntervalMaxSec=600\n"),
    ("system.conf.d/NAME.conf", "[Manager]\nDefaultEnvironment=SSHD_OPTS=-oPermitRootLogin=yes\n"),
];

/// Files that stand at one place.
const FIXED: [(&str, &str); 14] = [
    ("etc/systemd/resolved.conf", "[Resolve]\nDNS=10.64.99.53\nDomains=image.example\n"),
    ("etc/systemd/resolved.conf", "[Resolve]\n#DNS=10.64.99.53\n"),
    ("etc/systemd/system/systemd-networkd.service", "[Service]\nExecStart=/usr/bin/sleep 1\n"),
    ("usr/local/lib/systemd/system/systemd-networkd.service", "[Service]\nExecStart=/usr/bin/sleep 1\n"),
    ("etc/default/ssh", "SSHD_OPTS=\"-oPermitRootLogin=yes\"\n"),
    ("etc/default/ssh", "SSHD_OPTS=\n"),
    ("etc/tmpfiles.d/NAME.conf", "L+ /etc/localtime - - - - ../usr/share/zoneinfo/Etc/UTC\n"),
    ("etc/tmpfiles.d/NAME.conf", "d /run/image 0755\n"),
    ("etc/sysctl.d/NAME.conf", "kernel.hostname = image\n"),
    ("etc/sysctl.d/NAME.conf", "kernel.printk = 3 4 1 3\n"),
    ("etc/netplan/90-NAME.yaml", "network: {version: 2, ethernets: {eth0: {dhcp4: true}}}\n"),
    ("usr/lib/netplan/90-NAME.yaml", "network: {version: 2, ethernets: {eth0: {dhcp4: true}}}\n"),
    ("etc/netplan/90-NAME.yaml.off", "network: {version: 2, ethernets: {eth0: {dhcp4: true}}}\n"),
    ("boot/firmware/cmdline.txt", "console=tty1 systemd.unit=rescue.target\n"),
];

/// Links that hide something.
const LINKS: [(&str, &str); 5] = [
    ("etc/systemd/network/10-netplan-eth0.network", "/dev/null"),
    ("etc/systemd/system-generators/netplan", "/dev/null"),
    ("etc/systemd/system/systemd-networkd.service", "/dev/null"),
    ("etc/systemd/system/default.target", "/usr/lib/systemd/system/rescue.target"),
    ("etc/systemd/system/default.target", "/usr/lib/systemd/system/multi-user.target"),
];

/// Lines that are added to files of accounts.
const ACCOUNTS: [(&str, &str); 4] = [
    ("etc/passwd", "image:x:1000:1000::/home/image:/bin/bash\n"),
    ("etc/passwd", "image:x:0:0::/root:/bin/bash\n"),
    ("etc/shadow", "image:HASH:19000:0:99999:7:::\n"),
    ("etc/shadow", "image::19000:0:99999:7:::\n"),
];

/// How many parts there are beside those that carry a command.
pub(super) fn count_of_files() -> usize {
    SETTINGS.len() * FOLDERS.len() + FIXED.len() + LINKS.len() + 2
}

/// One of those, by its number.
pub(super) fn of_files(number: usize, name: &str) -> (String, Part) {
    let named = |text: &str| text.replace("NAME", name);
    if let Some((path, text)) = SETTINGS.get(number / FOLDERS.len()) {
        let path = format!("{}/{}", FOLDERS[number % FOLDERS.len()], named(path));
        return (
            format!("{path}: {}", text.lines().last().unwrap()),
            Part::default().file(path, named(text)),
        );
    }
    let number = number - SETTINGS.len() * FOLDERS.len();
    if let Some((path, text)) = FIXED.get(number) {
        return (format!("{path}: {text}"), Part::default().file(named(path), *text));
    }
    let number = number - FIXED.len();
    if let Some((path, target)) = LINKS.get(number) {
        return (format!("{path} -> {target}"), Part::default().link(*path, *target));
    }
    // Lines for files that are there are added to them.
    let index = number - LINKS.len();
    let [of_passwd, of_shadow] = [ACCOUNTS[index], ACCOUNTS[2 + index]];
    let hashed = of_shadow.1.replace("HASH", crate::card::STOCK_HASH);
    let part = Part::default()
        .file(format!("+{}", of_passwd.0), of_passwd.1)
        .file(format!("+{}", of_shadow.0), hashed);
    (format!("{}{}", of_passwd.1, of_shadow.1), part)
}
