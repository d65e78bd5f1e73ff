//! What an output needs and a root filesystem does not have.

use impostazione_rootfs::View;

use super::case::RootfsCase;
use super::found::RootfsFindings;
use crate::finding::{Examples, Nature, Rule, Severity};
use crate::host::{
    CHRONY_SOURCES_PATH, LOCALE_PATH, LOCALTIME_PATH, NETPLAN_PATH, SSH_WANTED, SSHD_PATH, SUDOERS_PATH,
    TIMESYNCD_PATH,
};
use crate::machine::NetplanVersion;
use crate::output::HostOutput;

macro_rules! rule {
    ($name:ident, $text:literal, $severity:ident, $summary:literal, $explanation:literal, $wrong:literal, $right:literal) => {
        pub(super) static $name: Rule = Rule {
            name: $text,
            severity: Severity::$severity,
            nature: Nature::Fault,
            summary: $summary,
            explanation: $explanation,
            wrong: concat!("# a root filesystem\n", $wrong),
            right: concat!("# a root filesystem\n", $right),
            examples: Examples::Rootfs,
            ..Rule::PLAIN
        };
    };
}

rule!(
    NETPLAN,
    "rootfs-lacks-netplan",
    Error,
    "a root filesystem does not have netplan",
    "netplan configures links, addresses and routes at boot. Without it the host comes up without a network, or with \
     the image's own. Install netplan.io in the image.",
    "\"usr/sbin/netplan\" = false\n",
    "\"usr/sbin/netplan\" = \"#!/usr/bin/python3\\n\"\n"
);
rule!(
    NETPLAN_TOO_OLD,
    "rootfs-netplan-too-old",
    Error,
    "the netplan of a root filesystem is too old for a key of the output",
    "An older netplan refuses the whole file at boot, or silently drops the setting, and the host stays off the \
     network. Write the image's version as netplan in the sheet, and check then shows what cannot be used; or use a \
     newer image.",
    "output = \"wifi\"\n\"var/lib/dpkg/status\" = \"Package: netplan.io\\nStatus: install ok installed\\nVersion: 0.101-4\\n\"\n",
    "output = \"wifi\"\n\"var/lib/dpkg/status\" = \"Package: netplan.io\\nStatus: install ok installed\\nVersion: 0.106-2\\n\"\n"
);
rule!(
    RESOLVED,
    "rootfs-lacks-resolved",
    Error,
    "a root filesystem does not have systemd-resolved, which programs need for DNS",
    "systemd-networkd gives the DNS servers of its links to systemd-resolved only. Without it etc/resolv.conf stays \
     as the image has it, and names are looked up at the wrong servers or not at all. Install systemd-resolved in \
     the image.",
    "\"usr/lib/systemd/system/systemd-resolved.service\" = false\n",
    "\"usr/lib/systemd/system/systemd-resolved.service\" = \"[Install]\\nWantedBy=sysinit.target\\n\"\n"
);
rule!(
    WIFI,
    "rootfs-lacks-wifi",
    Error,
    "a host uses Wi-Fi, and its root filesystem lacks the programs for it",
    "wpa_supplicant joins Wi-Fi networks, and iw sets the Wi-Fi country. netplan starts both, but does not install \
     them. Install wpasupplicant and iw in the image.",
    "output = \"wifi\"\n\"usr/sbin/iw\" = false\n",
    "output = \"wifi\"\n\"usr/sbin/iw\" = \"\"\n"
);
rule!(
    SSH,
    "rootfs-lacks-ssh",
    Error,
    "SSH is on in the sheet, and a root filesystem has no SSH server",
    "Nobody could log in on a headless host. Install openssh-server in the image, or switch SSH off in the sheet.",
    "\"usr/sbin/sshd\" = false\n",
    "\"usr/sbin/sshd\" = \"\"\n"
);
rule!(
    SUDO,
    "rootfs-lacks-sudo",
    Error,
    "an account is an administrator, and a root filesystem has no sudo",
    "An administrator could log in and change nothing. Install sudo in the image.",
    "\"usr/bin/sudo\" = false\n",
    "\"usr/bin/sudo\" = \"\"\n"
);
rule!(
    TIME_SERVICE,
    "rootfs-lacks-time-service",
    Error,
    "a root filesystem does not have the time service of the sheet",
    "The time servers are written for one service, and the image has another or none: the clock would drift, and \
     certificates and logins would fail. Debian's two packages exclude each other. Write the time_service that the \
     image has, or install the other in it.",
    "\"usr/lib/systemd/system/systemd-timesyncd.service\" = false\n\"usr/lib/systemd/system/chrony.service\" = \"[Service]\\nExecStart=/usr/sbin/chronyd\\n\"\n",
    "\"usr/lib/systemd/system/systemd-timesyncd.service\" = \"[Install]\\nWantedBy=sysinit.target\\n\"\n"
);
rule!(
    ZONE,
    "rootfs-lacks-zone",
    Error,
    "a root filesystem does not know the time zone of the sheet",
    "etc/localtime points to a file of the package tzdata. Without that file the host silently stays on UTC. Install \
     tzdata in the image, and tzdata-legacy for old names.",
    "\"usr/share/zoneinfo/Europe/Rome\" = false\n",
    "\"usr/share/zoneinfo/Europe/Rome\" = \"\"\n"
);
rule!(
    LOCALE,
    "rootfs-lacks-locale",
    Warning,
    "a root filesystem does not have the locale of the sheet",
    "A small image has only C.UTF-8. With a locale that does not exist, programs warn at each start and fall back to \
     plain C. Create the locale in the image with localedef, or write C.UTF-8.",
    "output = \"locale\"\n\"usr/lib/locale/it_IT.utf8/LC_TIME\" = false\n",
    "output = \"locale\"\n\"usr/lib/locale/it_IT.utf8/LC_TIME\" = \"\"\n"
);

/// Keys of netplan's files, what they are for, and the version from which on netplan takes them.
const KEYS: [(&str, &str, NetplanVersion); 4] = [
    ("regulatory-domain:", "the Wi-Fi country", NetplanVersion::new(0, 106)),
    ("passthrough:", "a passthrough setting for NetworkManager", NetplanVersion::new(0, 106)),
    ("key-management: sae", "Wi-Fi with SAE", NetplanVersion::new(1, 1)),
    ("ra-overrides:", "an override of router advertisements", NetplanVersion::new(1, 1)),
];

pub(super) fn check(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    let Some(output) = case.output() else {
        if case.survey.netplan.is_none() {
            lacks_netplan(case, found);
        }
        return;
    };
    match &case.survey.netplan {
        None => lacks_netplan(case, found),
        Some(netplan) => {
            let text = output.text(NETPLAN_PATH).unwrap_or_default();
            for (key, what, needed) in KEYS.iter().filter(|(key, _, _)| text.contains(key)) {
                if let Some(version) = netplan.number().filter(|version| version < needed) {
                    found.whole(
                        &NETPLAN_TOO_OLD,
                        format!(
                            "The output has {what} ({}), which needs netplan {needed}; {} has {version}.",
                            key.trim_end_matches(':'),
                            case.name
                        ),
                        format!("write netplan = \"{version}\" in the sheet and fix what check then shows, or use a \
                            newer image"),
                    );
                }
            }
        }
    }
    services(case, output, found);
    data(case, output, found);
}

fn lacks_netplan(case: &RootfsCase<'_>, found: &mut RootfsFindings) {
    found.whole(
        &NETPLAN,
        format!("{} does not have netplan.", case.name),
        how_to_install(case, "netplan.io"),
    );
}

/// How a package of Debian's comes onto a root filesystem of this processor: from this computer where that is of the same kind,
/// else from the image while it runs.
fn how_to_install(case: &RootfsCase<'_>, package: &str) -> String {
    let system = case.survey.system.as_ref();
    // Where the distribution is not known, it is most likely one of those that netplan is made for.
    let has_apt = system
        .is_none_or(|system| matches!(system.id.as_str(), "" | "debian" | "ubuntu" | "raspbian"))
        || case.view.has("usr/bin/apt-get")
        || case.view.has("var/lib/dpkg/status");
    if !has_apt {
        let name = system.map(|system| system.name.as_str()).unwrap_or_default();
        return format!("install {package} in the image with the package manager of {name}");
    }
    let there = system.and_then(|system| system.architecture);
    let is_of_this_kind = there == Some(std::env::consts::ARCH);
    let option = if case.view.rootfs().name().is_dir() { "-D" } else { "-i" };
    let name = in_shell(case.name);
    let within =
        format!("sudo systemd-nspawn {option} {name} sh -c 'apt-get update && apt-get install {package}'");
    if is_of_this_kind {
        return format!("install it in the image: {within}");
    }
    let processor = there.map_or_else(String::new, |there| format!(" ({there})"));
    format!(
        "start the image on a machine of its own{processor} with a network, and run `sudo apt-get update && sudo \
            apt-get install {package}` there; or install qemu-user-static on this computer, and then install \
            {package} in the image: {within}"
    )
}

/// A path as a shell takes it for one word.
fn in_shell(path: &str) -> String {
    let is_plain = |c: char| c.is_ascii_alphanumeric() || "/._-+@%:,".contains(c);
    if path.chars().all(is_plain) { path.to_owned() } else { format!("'{}'", path.replace('\'', r"'\''")) }
}

fn services(case: &RootfsCase<'_>, output: &HostOutput, found: &mut RootfsFindings) {
    let name = case.name;
    let survey = case.survey;
    let text = output.text(NETPLAN_PATH).unwrap_or_default();
    let is_for_manager = output.is_for_manager();
    if !is_for_manager
        && text.contains("nameservers:")
        && survey.renderer("systemd-resolved.service").is_none()
    {
        found.whole(
            &RESOLVED,
            format!("The output has DNS servers, and {name} has no systemd-resolved to use them."),
            "install systemd-resolved in the image",
        );
    }
    if is_for_manager && survey.renderer("NetworkManager.service").is_none() {
        found.whole(
            &NETPLAN,
            format!("The output is for NetworkManager, which {name} does not have."),
            "install network-manager in the image, or write renderer = \"networkd\"",
        );
    }
    if text.contains("wifis:") {
        let mut lacking = Vec::new();
        if !survey.wifi.can_join {
            lacking.push("wpasupplicant");
        }
        if text.contains("regulatory-domain:") && !survey.wifi.can_set_country {
            lacking.push("iw");
        }
        if !lacking.is_empty() {
            let lacking = lacking.join(" and ");
            found.whole(
                &WIFI,
                format!("The host uses Wi-Fi, and {name} lacks {lacking}."),
                format!("install {lacking} in the image"),
            );
        }
    }
    if output.file(SSH_WANTED.0).is_some() && output.file(SSHD_PATH).is_some() && !survey.ssh.is_there {
        found.whole(
            &SSH,
            format!("SSH is on in the sheet, and {name} has no usr/sbin/sshd."),
            "install openssh-server in the image",
        );
    }
    if output.file(SUDOERS_PATH).is_some() && !survey.has_sudo {
        found.whole(
            &SUDO,
            format!("The output has administrators, and {name} has no sudo."),
            "install sudo in the image",
        );
    }
    let (wanted, units): (&str, &[&str]) = if output.file(CHRONY_SOURCES_PATH).is_some() {
        ("chrony", &["chrony.service", "chronyd.service"])
    } else if output.file(TIMESYNCD_PATH).is_some() {
        ("systemd-timesyncd", &["systemd-timesyncd.service"])
    } else {
        return;
    };
    if survey.time.services.iter().any(|service| units.contains(&service.unit)) {
        return;
    }
    let there: Vec<&str> =
        survey.time.services.iter().map(|service| service.unit.trim_end_matches(".service")).collect();
    let (there, fix) = match there.as_slice() {
        [] => ("none".to_owned(), format!("install {wanted} in the image")),
        ["chrony" | "chronyd", ..] => {
            ("chrony".to_owned(), "write time_service = \"chrony\" in the sheet".to_owned())
        }
        ["systemd-timesyncd", ..] => {
            ("systemd-timesyncd".to_owned(), "write time_service = \"timesyncd\" in the sheet".to_owned())
        }
        [other, ..] => ((*other).to_owned(), format!("install {wanted} in the image")),
    };
    found.whole(
        &TIME_SERVICE,
        format!("The output uses {wanted} to set the clock, and the time service on {name} is {there}."),
        fix,
    );
}

fn data(case: &RootfsCase<'_>, output: &HostOutput, found: &mut RootfsFindings) {
    let name = case.name;
    let zone = output.link(LOCALTIME_PATH).and_then(|target| target.split_once("zoneinfo/"));
    if let Some((_, zone)) = zone
        && !case.view.has(&format!("usr/share/zoneinfo/{zone}"))
    {
        found.whole(
            &ZONE,
            format!("The time zone is {zone}, and {name} has no usr/share/zoneinfo/{zone}."),
            "install tzdata in the image, and tzdata-legacy for an old name",
        );
    }
    let locale = output.text(LOCALE_PATH).unwrap_or_default();
    if let Some(locale) = locale.lines().find_map(|line| line.strip_prefix("LANG="))
        && !has_locale(case.view, locale)
    {
        found.whole(
            &LOCALE,
            format!("The locale is {locale}, which {name} does not have."),
            format!(
                "create it in the image: localedef --prefix={name} -i {} -f UTF-8 {locale}",
                territory(locale)
            ),
        );
    }
}

fn territory(locale: &str) -> &str {
    locale.split('.').next().unwrap_or(locale)
}

/// Whether a language can be used: the plain ones always, others where they were made (`locale(5)`, `localedef(1)`).
fn has_locale(view: View<'_>, locale: &str) -> bool {
    if matches!(locale, "C" | "POSIX" | "C.UTF-8") {
        return true;
    }
    // localedef spells the encoding in small letters without a dash.
    let made = match locale.split_once('.') {
        Some((territory, encoding)) => format!("{territory}.{}", encoding.to_lowercase().replace('-', "")),
        None => locale.to_owned(),
    };
    if [made.as_str(), locale].iter().any(|name| view.has(&format!("usr/lib/locale/{name}/LC_TIME"))) {
        return true;
    }
    match view.read("usr/lib/locale/locale-archive") {
        Ok(Some(archive)) => archive.windows(made.len()).any(|part| part == made.as_bytes()),
        // One that is too large to be read has all languages in it.
        Ok(None) => false,
        Err(_) => true,
    }
}
