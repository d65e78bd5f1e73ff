//! What on a root filesystem speaks against the output's network and names.

use super::case::RootfsCase;
use super::found::RootfsFindings;
use crate::finding::{Examples, Nature, Rule, Severity};
use crate::host::{HOSTS_PATH, NETPLAN_PATH};
use crate::placing::survey::LookUpKind;
use crate::placing::survey::hiding::hides;
use crate::placing::survey::network::Reader;
use crate::placing::survey::rewriting::Remedy;

pub(super) static NETWORK_CONFLICT: Rule = Rule {
    name: "rootfs-network-conflict",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a network file on a root filesystem would be merged with ours, or win over it",
    explanation: "netplan merges all its files, so that an address of an old one stays beside the new one; a file of \
        systemd-networkd that sorts before those that netplan makes wins; ifup, dhcpcd and profiles of NetworkManager set \
        the same links up a second time. `place` sets such files aside, out of their folders, and `undo` puts them back.",
    wrong: "# a root filesystem\n\"etc/netplan/50-old.yaml\" = \"network: {version: 2, ethernets: {eth0: {dhcp4: true}}}\\n\"\n",
    right: "# a root filesystem\n\"etc/network/interfaces\" = \"auto lo\\niface lo inet loopback\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static HOSTNAME_CONFLICT: Rule = Rule {
    name: "rootfs-hostname-conflict",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a line of /etc/hosts gives a host's own name another address, or its old name",
    explanation: "A name that stands in one of etc/hostname and etc/hosts and not in the other makes sudo and mail wait for \
        name servers, and an old address behind the host's own name makes services listen at the wrong place. `place` leaves \
        such lines out of the merged file, and `undo` brings them back.",
    wrong: "# a root filesystem\n\"etc/hosts\" = \"127.0.0.1 localhost\\n127.0.1.1 image\\n\"\n",
    right: "# a root filesystem\n\"etc/hosts\" = \"127.0.0.1 localhost\\n10.64.10.80 crane\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static PORT_NAMES: Rule = Rule {
    name: "rootfs-port-names",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a link has a name that the kernel gives, and a root filesystem names ports otherwise",
    explanation: "The kernel counts ports: eth0, eth1. systemd then names them by their place in the machine, as in enp1s0 or \
        end0, unless the image keeps it from doing so. A link that the sheet calls eth0 then has no port, and the host stays off \
        the network. Find the port by its MAC address and give it a name of your own, write port = \"only\" where \
        there is one, or write the name that it has on this machine.",
    wrong: "# a root filesystem\n\"usr/lib/systemd/network/99-default.link\" = \"[Match]\\nOriginalName=*\\n[Link]\\nNamePolicy=keep kernel database onboard slot path\\n\"\n",
    right: "# a root filesystem\n\"usr/lib/systemd/network/99-default.link\" = \"[Match]\\nOriginalName=*\\n[Link]\\nNamePolicy=keep kernel database onboard slot path\\n\"\n\"boot/firmware/cmdline.txt\" = \"console=tty1 net.ifnames=0\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static REWRITTEN_AT_BOOT: Rule = Rule {
    name: "rootfs-rewritten-at-boot",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "what a root filesystem runs or sets at boot would rewrite network, names, time, logins or host keys",
    explanation: "Images bring services that set a host up at its first start: they ask to run before the network, or their \
        commands and scripts write network files, name servers, the host name, the time zone, logins or host keys, or read a \
        settings file on the boot partition. Looked at are services that something starts (targets, timers, paths, sockets), \
        scripts of the old kind, rc.local, timetables of cron, rules of udev, generators, and the kernel's command line. What was \
        placed would be lost. `place` keeps such units from starting, by a link to /dev/null, sets such lines and files aside, \
        and `undo` brings them back; where it cannot, it refuses. What a program does that is no script cannot be seen.",
    wrong: "# a root filesystem\n\"usr/lib/systemd/system/quay-setup.service\" = \"[Unit]\\nBefore=network-pre.target\\n[Service]\\nExecStart=/usr/sbin/quay-setup\\n\"\n",
    right: "# a root filesystem\n\"usr/lib/systemd/system/quay-lamp.service\" = \"[Unit]\\nAfter=network.target\\n[Service]\\nExecStart=/usr/sbin/quay-lamp\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static SCRIPT_NOT_LOOKED_AT: Rule = Rule {
    name: "rootfs-script-not-looked-at",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "a script that a root filesystem runs at boot could not be looked at",
    explanation: "Scripts that run at boot are searched for commands that rewrite what is placed: up to 1 MiB of each, 8 MiB of \
        all, and eight levels of scripts that run others. What lies beyond may do anything. Look at it yourself, or take it \
        out of the image.",
    wrong: "# a root filesystem\n\"etc/systemd/system/quay.service\" = \"[Service]\\nExecStart=/usr/sbin/quay\\n\"\n\"etc/systemd/system/multi-user.target.wants/quay.service\" = \"\"\n\"usr/sbin/quay\" = { script_kib = 2048 }\n",
    right: "# a root filesystem\n\"etc/systemd/system/quay.service\" = \"[Service]\\nExecStart=/usr/sbin/quay\\n\"\n\"etc/systemd/system/multi-user.target.wants/quay.service\" = \"\"\n\"usr/sbin/quay\" = { script_kib = 2 }\n",
    examples: Examples::Rootfs,
    not_looked_at: true,
    ..Rule::PLAIN
};

pub(super) static UNIT_OVERRIDE: Rule = Rule {
    name: "rootfs-unit-override",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a file on a root filesystem changes how a service starts that a placement counts on",
    explanation: "A drop-in beside the unit of systemd-networkd, systemd-resolved, the time service or the SSH server can run \
        another program before it, give it other variables, or keep it from starting by a condition; a file of the same name in \
        etc/systemd/system takes the unit's place. `place` sets those aside that no package has brought, and `undo` puts them back.",
    wrong: "# a root filesystem\n\"etc/systemd/system/systemd-networkd.service.d/quay.conf\" = \"[Service]\\nExecStartPre=/usr/sbin/quay\\n\"\n",
    right: "# a root filesystem\n\"etc/systemd/system/systemd-networkd.service.d/quay.conf\" = \"[Service]\\nRestart=always\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static NAME_SERVERS: Rule = Rule {
    name: "rootfs-name-servers",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a root filesystem has name servers for the whole host, beside those of its links",
    explanation: "What resolved.conf and its drop-ins name is asked beside the servers of links, and for everything that no \
        link has a domain for: names of the site may go to somebody else's servers. Where the sheet says dns, ours empties the \
        lists first, and `place` sets drop-ins aside that would add to them.",
    wrong: "# a root filesystem\n\"etc/systemd/resolved.conf.d/quay.conf\" = \"[Resolve]\\nDNS=10.64.99.53\\n\"\n",
    right: "# a root filesystem\n\"etc/systemd/resolved.conf.d/quay.conf\" = \"[Resolve]\\nCache=no\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static BOOT_PARTITION_UNSEEN: Rule = Rule {
    name: "rootfs-boot-partition-unseen",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "a root filesystem has a boot partition that is not mounted",
    explanation: "Small machines start from a partition of their own, and what stands there in cmdline.txt can have a program \
        run at the first boot that undoes what was placed. With the root partition alone it is not seen. Mount the boot \
        partition where etc/fstab has it, below the root partition, or name the image of the whole card.",
    wrong: "# a root filesystem\n\"etc/fstab\" = \"LABEL=boot /boot/firmware vfat defaults 0 2\\n\"\n",
    right: "# a root filesystem\n\"etc/fstab\" = \"LABEL=boot /boot/firmware vfat defaults 0 2\\n\"\n\"boot/firmware/cmdline.txt\" = \"quiet\\n\"\n",
    about_absence: true,
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) fn check(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    for file in &case.survey.network_files {
        let effect =
            case.output().map_or(file.effect, |output| file.effect_once_placed(output.is_for_manager()));
        if !effect.is_in_the_way() {
            continue;
        }
        let message = format!("/{}, read by {}, {}.", file.path, file.reader.word(), effect.word());
        let fix = handled(case, does_about(case, &file.path, file.reader));
        found.push(&NETWORK_CONFLICT, case.view, (&file.path, 0), message, fix, weight_of_handled(case));
    }
    hostname(case, found);
    boot_partition(case, found);
    port_names(case, found);
    for rewriter in &case.survey.rewriters {
        // The line itself is not shown: its command may hold a password.
        let what = match rewriter.remedy {
            Remedy::Line(line) => format!("Line {line} of /{}", rewriter.path),
            _ => rewriter.unit.replacen("the kernel", "The kernel", 1),
        };
        let message = format!("{what} may undo what is placed: {}.", rewriter.why);
        let (fix, severity) = match rewriter.remedy {
            Remedy::Refuse => {
                let fix = format!("change /{} in the image: place does nothing about it", rewriter.path);
                (fix, case.placing.map(|_| Severity::Error))
            }
            _ => (handled(case, rewriter.remedy.words()), weight_of_handled(case)),
        };
        found.push(&REWRITTEN_AT_BOOT, case.view, (&rewriter.path, 0), message, fix, severity);
    }
    for path in &case.survey.unseen_scripts {
        let message =
            format!("/{path} runs at boot, or what it runs does, and is too large to be looked at whole.");
        let fix = format!("look at /{path} yourself: what it rewrites is not known");
        found.push(&SCRIPT_NOT_LOOKED_AT, case.view, (path, 0), message, fix, None);
    }
    overrides(case, found);
    name_servers(case, found);
}

/// What placing does about a network file that is in the way.
fn does_about(case: &RootfsCase<'_>, path: &str, reader: Reader) -> &'static str {
    match reader {
        Reader::Interfaces if path == "etc/network/interfaces" => "leaves the loopback alone in it",
        Reader::Dhcpcd => "keeps dhcpcd from starting",
        _ => sets_aside_or_hides(case, path),
    }
}

/// What placing does about a file of systemd's.
fn sets_aside_or_hides(case: &RootfsCase<'_>, path: &str) -> &'static str {
    match hides(case.view, path) {
        Ok(Some(link)) if link == path => "puts a link to nothing in its place",
        Ok(Some(_)) => "hides it by a link of its name",
        _ => "sets it aside",
    }
}

fn overrides(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    for file in &case.survey.overrides {
        let message = match &file.says {
            Some(says) => format!("/{} changes how {} starts: {says}.", file.path, file.unit),
            None => format!("/{} stands in place of the unit that the package brings.", file.path),
        };
        let does = if file.says.is_some() { sets_aside_or_hides(case, &file.path) } else { "sets it aside" };
        let fix = handled(case, does);
        found.push(&UNIT_OVERRIDE, case.view, (&file.path, 0), message, fix, weight_of_handled(case));
    }
}

fn name_servers(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let is_said = case.output().is_none_or(|output| output.file(crate::host::RESOLVED_PATH).is_some());
    for line in &case.survey.name_servers {
        let place = (line.path.as_str(), line.line);
        if line.kind == LookUpKind::Strict {
            let message =
                format!("/{} says {}: look-ups fail by servers that cannot do that.", line.path, line.text);
            let softer = if line.text.starts_with("DNSSEC") { "allow-downgrade" } else { "opportunistic" };
            let key = line.text.split('=').next().unwrap_or_default().trim();
            let fix =
                format!("make sure that the site's name servers can, or write {key}={softer} in the image");
            found.push(&NAME_SERVERS, case.view, place, message, fix, None);
            continue;
        }
        let message = format!("/{} says {:?} for the whole host.", line.path, line.text);
        let is_main = !line.path.contains("resolved.conf.d/");
        let (fix, severity) = if is_said {
            let does = if is_main {
                "empties the list in a file that is read later"
            } else {
                sets_aside_or_hides(case, &line.path)
            };
            (handled(case, does), weight_of_handled(case))
        } else {
            ("nothing: the sheet says nothing of name servers".to_owned(), Some(Severity::Note))
        };
        found.push(&NAME_SERVERS, case.view, place, message, fix, severity);
    }
}

/// Where systemd's policy for names of ports stands, and where an image sets it aside (`systemd.link(5)`).
const POLICY: &str = "usr/lib/systemd/network/99-default.link";
const OVER_POLICY: &str = "etc/systemd/network/99-default.link";
/// Files with words for the kernel, in which the counted names may be asked for.
const KERNEL_WORDS: [&str; 7] = [
    "boot/cmdline.txt",
    "boot/firmware/cmdline.txt",
    "boot/extlinux/extlinux.conf",
    "boot/grub/grub.cfg",
    "etc/default/grub",
    "etc/kernel/cmdline",
    "etc/default/u-boot",
];
const COUNTED: &str = "net.ifnames=0";

/// A boot partition that the list of filesystems has and that cannot be seen.
fn boot_partition(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let Some(folder) = case.view.rootfs().unseen_boot_partition() else { return };
    found.whole(
        &BOOT_PARTITION_UNSEEN,
        format!(
            "etc/fstab mounts the boot partition at /{folder}, and nothing is mounted there below {}: whether it has a program run at the first boot cannot be seen.",
            case.name
        ),
        format!("mount it at {folder} below the root filesystem, or name the image of the whole card"),
    );
}

/// Links by the kernel's own names, where ports will be called otherwise.
fn port_names(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let Some(output) = case.output() else { return };
    let names = counted_ports(output.text(NETPLAN_PATH).unwrap_or_default());
    let names_by_place = case.view.has(POLICY) && matches!(case.view.look(OVER_POLICY), Ok(None));
    if names.is_empty() || !names_by_place {
        return;
    }
    let of_rootfs = KERNEL_WORDS.iter().filter_map(|path| case.view.text(path).ok().flatten());
    if of_rootfs.into_iter().any(|text| text.contains(COUNTED)) {
        return;
    }
    let names = names.join(" and ");
    found.whole(
        &PORT_NAMES,
        format!(
            "The output has {names}, as the kernel counts ports; {} lets systemd name them by their place, as in enp1s0, and there would be no {names}.",
            case.name
        ),
        "write mac for the link, and a name of your own (lan0); or port = \"only\"; or the name that the port has on this machine",
    );
}

/// Ethernet links of a netplan file that are found by a name that the kernel counts, and by nothing else.
fn counted_ports(netplan: &str) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    let mut section = "";
    let mut last_is_counted = false;
    for line in netplan.lines() {
        let depth = line.len() - line.trim_start().len();
        let key = line.trim().trim_end_matches(':');
        match depth {
            2 => section = key,
            4 if section == "ethernets" => {
                let digits = key.strip_prefix("eth").unwrap_or_default();
                last_is_counted = !digits.is_empty() && digits.chars().all(|c| c.is_ascii_digit());
                if last_is_counted {
                    names.push(key.to_owned());
                }
            }
            6 if section == "ethernets" && key == "match" && last_is_counted => {
                names.pop();
                last_is_counted = false;
            }
            _ => {}
        }
    }
    names
}

/// What `place` takes care of is a note there: the change that it shows says the same.
pub(super) fn weight_of_handled(case: &RootfsCase<'_>) -> Option<Severity> {
    case.placing.map(|_| Severity::Note)
}

/// What has to be done about what `place` takes care of.
pub(super) fn handled(case: &RootfsCase<'_>, does: &str) -> String {
    if case.placing.is_some() {
        format!("nothing: placing {does}, and undo takes that back")
    } else {
        format!("place {does}")
    }
}

fn hostname(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let Ok(Some(text)) = case.view.text(HOSTS_PATH) else { return };
    let Some((output, _)) = case.placing else {
        // Alone, a rootfs is judged by its own name.
        let Some(name) = &case.survey.hostname else { return };
        let is_there = text.lines().any(|line| {
            line.split('#').next().unwrap_or_default().split_whitespace().skip(1).any(|word| word == name)
        });
        if !is_there && name != "localhost" {
            found.at(
                &HOSTNAME_CONFLICT,
                case.view,
                HOSTS_PATH,
                0,
                format!("The host name is {name}, and /{HOSTS_PATH} does not have it."),
                handled(case, "writes both"),
            );
        }
        return;
    };
    let ours = output.text(HOSTS_PATH).unwrap_or_default();
    let names = crate::placing::plan::own_names(case.survey, output);
    let (_, dropped) = crate::placing::plan::merge_hosts(ours, &text, &names);
    for line in dropped {
        let number = text
            .lines()
            .position(|there| there.split_whitespace().collect::<Vec<_>>().join(" ").starts_with(&line));
        let message =
            format!("/{HOSTS_PATH} has a name of this host, old or new, at an address of its own: {line}.");
        let place = (HOSTS_PATH, number.map_or(0, |index| index + 1));
        let fix = handled(case, "leaves the line out");
        found.push(&HOSTNAME_CONFLICT, case.view, place, message, fix, weight_of_handled(case));
    }
}
