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
    summary: "a network file on a root filesystem would be merged with ours, or override it",
    explanation: "netplan merges all its files, so an address in an old one stays in addition to the new one. A \
        systemd-networkd file that sorts before those that netplan generates wins. ifup, dhcpcd and NetworkManager \
        profiles configure the same links a second time. `place` sets such files aside, out of their folders, and \
        `undo` puts them back.",
    wrong: "# a root filesystem\n\"etc/netplan/50-old.yaml\" = \"network: {version: 2, ethernets: {eth0: {dhcp4: true}}}\\n\"\n",
    right: "# a root filesystem\n\"etc/network/interfaces\" = \"auto lo\\niface lo inet loopback\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static HOSTNAME_CONFLICT: Rule = Rule {
    name: "rootfs-hostname-conflict",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a line of /etc/hosts has the host's old name, or its name at another address",
    explanation: "A name that is in etc/hostname but not in etc/hosts makes sudo and mail wait for DNS, and an old \
        address for the host's own name makes services listen on the wrong address. `place` leaves such lines out of \
        the merged file, and `undo` brings them back.",
    wrong: "# a root filesystem\n\"etc/hosts\" = \"127.0.0.1 localhost\\n127.0.1.1 image\\n\"\n",
    right: "# a root filesystem\n\"etc/hosts\" = \"127.0.0.1 localhost\\n10.64.10.80 crane\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static PORT_NAMES: Rule = Rule {
    name: "rootfs-port-names",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a link has a kernel name such as eth0, and a root filesystem names interfaces differently",
    explanation: "The kernel names interfaces eth0, eth1 and so on. systemd then renames them after their slot, as \
        in enp1s0 or end0, unless the image switches that off. A link called eth0 in the sheet then matches no \
        interface, and the host stays off the network. Match the interface by its MAC address and give it a name of \
        your own, write port = \"only\" where there is only one, or write the name that it has on this machine.",
    wrong: "# a root filesystem\n\"usr/lib/systemd/network/99-default.link\" = \"[Match]\\nOriginalName=*\\n[Link]\\nNamePolicy=keep kernel database onboard slot path\\n\"\n",
    right: "# a root filesystem\n\"usr/lib/systemd/network/99-default.link\" = \"[Match]\\nOriginalName=*\\n[Link]\\nNamePolicy=keep kernel database onboard slot path\\n\"\n\"boot/firmware/cmdline.txt\" = \"console=tty1 net.ifnames=0\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static REWRITTEN_AT_BOOT: Rule = Rule {
    name: "rootfs-rewritten-at-boot",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "something on a root filesystem would rewrite network, names, time, logins or host keys at boot",
    explanation: "Images come with services that set up a host at its first boot: they run before the network, their \
        commands and scripts write network files, DNS servers, the host name, the time zone, logins or host keys, or \
        they read a settings file from the boot partition. The placed settings would be lost. Checked are services \
        that something starts (targets, timers, paths, sockets), init scripts, rc.local, cron tables, udev rules, \
        generators, and the kernel command line. `place` masks such units with a link to /dev/null, sets such lines \
        and files aside, and `undo` brings them back; where it cannot do that, it refuses. What a compiled program \
        does cannot be seen.",
    wrong: "# a root filesystem\n\"usr/lib/systemd/system/quay-setup.service\" = \"[Unit]\\nBefore=network-pre.target\\n[Service]\\nExecStart=/usr/sbin/quay-setup\\n\"\n",
    right: "# a root filesystem\n\"usr/lib/systemd/system/quay-lamp.service\" = \"[Unit]\\nAfter=network.target\\n[Service]\\nExecStart=/usr/sbin/quay-lamp\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static SCRIPT_NOT_LOOKED_AT: Rule = Rule {
    name: "rootfs-script-not-looked-at",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "a script that a root filesystem runs at boot could not be checked",
    explanation: "Scripts that run at boot are searched for commands that rewrite placed settings: up to 1 MiB of \
        each script, 8 MiB in all, and eight levels of scripts that run others. Anything beyond that may do \
        anything. Check it yourself, or remove it from the image.",
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
    summary: "a file on a root filesystem changes how a service starts that a placement depends on",
    explanation: "A drop-in for systemd-networkd, systemd-resolved, the time service or the SSH server can run \
        another program first, set other variables, or stop the service with a condition; a file of the same name in \
        etc/systemd/system replaces the unit. `place` sets such files aside unless a package installed them, and \
        `undo` puts them back.",
    wrong: "# a root filesystem\n\"etc/systemd/system/systemd-networkd.service.d/quay.conf\" = \"[Service]\\nExecStartPre=/usr/sbin/quay\\n\"\n",
    right: "# a root filesystem\n\"etc/systemd/system/systemd-networkd.service.d/quay.conf\" = \"[Service]\\nRestart=always\\n\"\n",
    examples: Examples::Rootfs,
    ..Rule::PLAIN
};

pub(super) static NAME_SERVERS: Rule = Rule {
    name: "rootfs-name-servers",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a root filesystem has DNS servers for the whole host, in addition to those of its links",
    explanation: "The servers in resolved.conf and its drop-ins are used in addition to those of the links, and for \
        every name that no link has a domain for: names of the site may go to somebody else's servers. Where the \
        sheet has dns, our file empties those lists first, and `place` sets aside drop-ins that would add to them.",
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
    explanation: "Small machines boot from a partition of their own, and cmdline.txt on it can start a program at \
        the first boot that undoes the placement. It cannot be seen with only the root partition mounted. Mount the \
        boot partition where etc/fstab has it, below the root partition, or name the image of the whole card.",
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
                let fix = format!("change /{} in the image: place does not change it", rewriter.path);
                (fix, case.placing.map(|_| Severity::Error))
            }
            _ => (handled(case, rewriter.remedy.words()), weight_of_handled(case)),
        };
        found.push(&REWRITTEN_AT_BOOT, case.view, (&rewriter.path, 0), message, fix, severity);
    }
    for path in &case.survey.unseen_scripts {
        let message = format!(
            "/{path} runs at boot, itself or through another script, and is too large to be checked in full."
        );
        let fix = format!("check /{path} yourself for what it rewrites");
        found.push(&SCRIPT_NOT_LOOKED_AT, case.view, (path, 0), message, fix, None);
    }
    overrides(case, found);
    name_servers(case, found);
}

/// What placing does about a network file that is in the way.
fn does_about(case: &RootfsCase<'_>, path: &str, reader: Reader) -> &'static str {
    match reader {
        Reader::Interfaces if path == "etc/network/interfaces" => "leaves only the loopback in it",
        Reader::Dhcpcd => "keeps dhcpcd from starting",
        _ => sets_aside_or_hides(case, path),
    }
}

/// What placing does about a file of systemd's.
fn sets_aside_or_hides(case: &RootfsCase<'_>, path: &str) -> &'static str {
    match hides(case.view, path) {
        Ok(Some(link)) if link == path => "replaces it with a link to /dev/null",
        Ok(Some(_)) => "masks it with a link of the same name",
        _ => "sets it aside",
    }
}

fn overrides(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    for file in &case.survey.overrides {
        let message = match &file.says {
            Some(says) => format!("/{} changes how {} starts: {says}.", file.path, file.unit),
            None => format!("/{} replaces the unit that the package installed.", file.path),
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
            let message = format!(
                "/{} has {}: name lookups fail with DNS servers that do not support that.",
                line.path, line.text
            );
            let softer = if line.text.starts_with("DNSSEC") { "allow-downgrade" } else { "opportunistic" };
            let key = line.text.split('=').next().unwrap_or_default().trim();
            let fix = format!(
                "make sure that the site's DNS servers support it, or write {key}={softer} in the image"
            );
            found.push(&NAME_SERVERS, case.view, place, message, fix, None);
            continue;
        }
        let message = format!("/{} has {:?} for the whole host.", line.path, line.text);
        let is_main = !line.path.contains("resolved.conf.d/");
        let (fix, severity) = if is_said {
            let does = if is_main {
                "empties the list in a file that is read later"
            } else {
                sets_aside_or_hides(case, &line.path)
            };
            (handled(case, does), weight_of_handled(case))
        } else {
            ("nothing to do: the sheet has no dns setting".to_owned(), Some(Severity::Note))
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
            "etc/fstab mounts the boot partition at /{folder}, and nothing is mounted there below {}: whether it \
                starts a program at the first boot cannot be seen.",
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
            "The sheet uses the kernel name {names}; on {} systemd renames interfaces after their slot, as in \
                enp1s0, so there would be no {names}.",
            case.name
        ),
        "write mac for the link and a name of your own (lan0), or port = \"only\", or the interface name on this \
            machine",
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
        format!("nothing to do: place {does}, and undo reverts it")
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
            format!("/{HOSTS_PATH} has a name of this host, old or new, at another address: {line}.");
        let place = (HOSTS_PATH, number.map_or(0, |index| index + 1));
        let fix = handled(case, "leaves the line out");
        found.push(&HOSTNAME_CONFLICT, case.view, place, message, fix, weight_of_handled(case));
    }
}
