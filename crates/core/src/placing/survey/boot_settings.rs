//! Files from which systemd sets something at each boot: variables of the kernel, files that are made, the environment of
//! services, credentials, the target that is started; and what hides netplan's own part in that.

use std::collections::BTreeSet;

use impostazione_rootfs::{RootfsFault, View};

use super::rewriting::{Remedy, Rewriter};
use super::units::{ETC_UNITS, UNIT_FOLDERS, Unit, has_end, whole_lines};

/// Adds what such files set.
pub(super) fn rewriters(view: View<'_>, found: &mut Vec<Rewriter>) -> Result<(), RootfsFault> {
    let mut look = Look { view, found };
    look.lines_of("sysctl.d", sets_kernel)?;
    look.lines_of("tmpfiles.d", makes_file)?;
    look.old_sysctl()?;
    look.environments()?;
    look.manager()?;
    look.credentials()?;
    look.target()?;
    look.hidden_generator()?;
    look.over_the_administrator()
}

struct Look<'a, 'f> {
    view: View<'a>,
    found: &'f mut Vec<Rewriter>,
}

impl Look<'_, '_> {
    fn add(&mut self, unit: String, path: &str, why: impl Into<String>, remedy: Remedy) {
        if !self.found.iter().any(|known| known.unit == unit && known.path == path) {
            self.found.push(Rewriter { unit, path: path.to_owned(), why: why.into(), remedy });
        }
    }

    /// Lines of the files of a folder; a file hides those of its name in later folders (`sysctl.d(5)`, `tmpfiles.d(5)`).
    fn lines_of(
        &mut self,
        folder: &str,
        tells: impl Fn(&str) -> Option<&'static str>,
    ) -> Result<(), RootfsFault> {
        let mut seen: BTreeSet<String> = BTreeSet::new();
        for start in ["etc", "usr/local/lib", "usr/lib", "lib"] {
            for name in self.view.list(&format!("{start}/{folder}"))? {
                let path = format!("{start}/{folder}/{name}");
                if !has_end(&name, "conf")
                    || !seen.insert(name.clone())
                    || self.view.target(&path)?.is_some_and(|target| target.ends_with("/sysctl.conf"))
                {
                    continue;
                }
                let Ok(Some(text)) = self.view.text(&path) else { continue };
                if start == "etc" {
                    self.lines(&path, &text, &tells);
                } else if let Some(what) = text.lines().find_map(&tells) {
                    self.add(path.clone(), &path, what, Remedy::Hide(format!("etc/{folder}/{name}")));
                }
            }
        }
        Ok(())
    }

    fn lines(&mut self, path: &str, text: &str, tells: impl Fn(&str) -> Option<&'static str>) {
        for (index, line) in text.lines().enumerate() {
            if let Some(what) = tells(line) {
                let unit = format!("line {} of {path}", index + 1);
                self.add(unit, path, what, Remedy::Line(index + 1));
            }
        }
    }

    /// The old file for variables of the kernel, which counts where a link of the new folder leads to it.
    fn old_sysctl(&mut self) -> Result<(), RootfsFault> {
        const OLD: &str = "etc/sysctl.conf";
        let mut leads = false;
        for folder in ["etc/sysctl.d", "usr/lib/sysctl.d", "lib/sysctl.d"] {
            for name in self.view.list(folder)? {
                let target = self.view.target(&format!("{folder}/{name}"))?;
                leads |= target.is_some_and(|target| target.ends_with("/sysctl.conf"));
            }
        }
        if leads && let Ok(Some(text)) = self.view.text(OLD) {
            self.lines(OLD, &text, sets_kernel);
        }
        Ok(())
    }

    /// Files of variables that the SSH server and chrony take words of their command lines from.
    fn environments(&mut self) -> Result<(), RootfsFault> {
        for name in ["ssh.service", "sshd.service", "chrony.service", "chronyd.service"] {
            let Some(unit) = Unit::find(self.view, name)? else { continue };
            let commands = unit.values("ExecStart").join(" ");
            for file in unit.values("EnvironmentFile") {
                let path = file.trim_start_matches('-').trim_start_matches('/').to_owned();
                let Ok(Some(text)) = self.view.text(&path) else { continue };
                for (index, line) in text.lines().enumerate() {
                    let Some((variable, value)) = line.trim().split_once('=') else { continue };
                    let is_used = commands.contains(&format!("${variable}"))
                        || commands.contains(&format!("${{{variable}}}"));
                    if is_used && changes_settings(value) {
                        let why =
                            format!("it passes options to {name} in {variable}, which override its files");
                        let unit = format!("line {} of {path}", index + 1);
                        self.add(unit, &path, why, Remedy::Line(index + 1));
                    }
                }
            }
        }
        Ok(())
    }

    /// Variables that systemd gives to all services (`systemd-system.conf(5)`).
    fn manager(&mut self) -> Result<(), RootfsFault> {
        const MAIN: &str = "etc/systemd/system.conf";
        let tells = |line: &str| {
            let (key, value) = line.split_once('=')?;
            let is_one = matches!(key.trim(), "DefaultEnvironment" | "ManagerEnvironment");
            (is_one && !value.trim().is_empty()).then_some("it sets variables for all services")
        };
        if let Ok(Some(text)) = self.view.text(MAIN) {
            self.lines(MAIN, &text, tells);
        }
        self.lines_of("systemd/system.conf.d", tells)
    }

    /// Credentials that units of systemd take by themselves (`systemd.system-credentials(7)`).
    fn credentials(&mut self) -> Result<(), RootfsFault> {
        const NAMES: [&str; 9] = [
            "network.",
            "passwd.",
            "ssh.",
            "firstboot.",
            "sysctl.",
            "sysusers.",
            "tmpfiles.",
            "system.",
            "systemd.",
        ];
        for folder in [
            "etc/credstore",
            "etc/credstore.encrypted",
            "usr/local/lib/credstore",
            "usr/lib/credstore",
            "usr/lib/credstore.encrypted",
        ] {
            for name in self.view.list(folder)? {
                if NAMES.iter().any(|start| name.starts_with(start)) {
                    let path = format!("{folder}/{name}");
                    self.add(path.clone(), &path, "systemd reads settings from it", Remedy::SetAside);
                }
            }
        }
        Ok(())
    }

    /// The target of a boot, where it is another than one for several users.
    fn target(&mut self) -> Result<(), RootfsFault> {
        let path = format!("{ETC_UNITS}/default.target");
        if self.view.look(&path)?.is_none() {
            return Ok(());
        }
        let name = match self.view.target(&path)? {
            Some(target) => target.rsplit('/').next().unwrap_or_default().to_owned(),
            None => "default.target".to_owned(),
        };
        if !self.leads_to_several_users(&name, 0)? {
            let why = format!("the boot target is {name} instead of multi-user.target");
            self.add("default.target".to_owned(), &path, why, Remedy::SetAside);
        }
        Ok(())
    }

    /// Whether a target has multi-user.target start, by what it says or by links.
    fn leads_to_several_users(&self, name: &str, depth: usize) -> Result<bool, RootfsFault> {
        const DEPTH_LIMIT: usize = 8;
        if name == "multi-user.target" {
            return Ok(true);
        }
        let Some(path) = self.file_of(name)?.filter(|_| depth < DEPTH_LIMIT) else { return Ok(false) };
        let target = self.view.target(&path)?.and_then(|target| Some(target.rsplit('/').next()?.to_owned()));
        let mut next: Vec<String> = target.filter(|target| target != name).into_iter().collect();
        if let Ok(Some(text)) = self.view.text(&path) {
            for line in whole_lines(&text) {
                if let Some((key, value)) = line.split_once('=')
                    && matches!(key.trim(), "Wants" | "Requires" | "BindsTo" | "Upholds")
                {
                    next.extend(value.split_whitespace().map(str::to_owned));
                }
            }
        }
        for folder in UNIT_FOLDERS {
            for end in ["wants", "requires"] {
                next.extend(self.view.list(&format!("{folder}/{name}.{end}"))?);
            }
        }
        for other in next.iter().filter(|other| has_end(other, "target")) {
            if self.leads_to_several_users(other, depth + 1)? {
                return Ok(true);
            }
        }
        Ok(false)
    }

    fn file_of(&self, name: &str) -> Result<Option<String>, RootfsFault> {
        for folder in UNIT_FOLDERS {
            let path = format!("{folder}/{name}");
            if self.view.look(&path)?.is_some() {
                return Ok(Some(path));
            }
        }
        Ok(None)
    }

    /// What stands in place of the program that makes files of netplan's at each boot.
    fn hidden_generator(&mut self) -> Result<(), RootfsFault> {
        for folder in ["etc/systemd/system-generators", "usr/local/lib/systemd/system-generators"] {
            let path = format!("{folder}/netplan");
            if self.view.look(&path)?.is_some() {
                self.add(path.clone(), &path, "it stops netplan from running at boot", Remedy::SetAside);
            }
        }
        Ok(())
    }

    /// Units that go before those of the administrator's folder, so that a link there cannot keep them from starting.
    fn over_the_administrator(&mut self) -> Result<(), RootfsFault> {
        const CONTROL: &str = "etc/systemd/system.control";
        const ENDS: [&str; 6] = ["service", "socket", "timer", "path", "target", "mount"];
        for name in self.view.list(CONTROL)? {
            let path = format!("{CONTROL}/{name}");
            if ENDS.iter().any(|end| has_end(&name, end)) {
                let why = "it overrides the unit of that name, including ours";
                self.add(name, &path, why, Remedy::SetAside);
                continue;
            }
            for file in self.view.list(&path)? {
                let path = format!("{path}/{file}");
                // What systemctl set-property writes there bounds resources.
                let text = self.view.text(&path).ok().flatten().unwrap_or_default();
                let changes = text.lines().any(|line| {
                    ["Exec", "Environment", "Condition", "Assert", "Conflicts"]
                        .iter()
                        .any(|key| line.trim_start().starts_with(key))
                });
                let is_link_folder =
                    [".wants", ".requires", ".upholds"].iter().any(|end| name.ends_with(end));
                if changes || is_link_folder {
                    let why = format!("it makes {name} change what starts, before the administrator's files");
                    self.add(path.clone(), &path, why, Remedy::SetAside);
                }
            }
        }
        Ok(())
    }
}

/// What a variable of the kernel sets that the sheet sets too (`sysctl.d(5)`).
fn sets_kernel(line: &str) -> Option<&'static str> {
    let (key, _) = line.trim_start().trim_start_matches('-').split_once('=')?;
    match key.trim().replace('/', ".").as_str() {
        "kernel.hostname" | "kernel.domainname" => Some("it rewrites the host name"),
        _ => None,
    }
}

/// What a line for files that are made at boot writes (`tmpfiles.d(5)`). Kinds that spare what is there do no harm below `etc`;
/// below `run` nothing is there yet.
fn makes_file(line: &str) -> Option<&'static str> {
    let mut words = line.split_whitespace();
    let kind = words.next()?.trim_matches('"');
    let path = words.next()?.trim_matches('"');
    let letter = kind.chars().next()?;
    let (is_forced, is_gone) =
        (kind.contains('+') || matches!(letter, 'F' | 'w'), matches!(letter, 'r' | 'R'));
    let is_file = matches!(letter, 'f' | 'F' | 'w' | 'L' | 'C');
    let path = path.trim_end_matches('/');
    let within = |places: &[&str]| {
        places.iter().any(|place| {
            path.strip_prefix(place).is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
        })
    };
    let in_etc = within(&[
        "/etc/netplan",
        "/etc/systemd/network",
        "/etc/systemd/system",
        "/etc/systemd/resolved.conf",
        "/etc/systemd/resolved.conf.d",
        "/etc/systemd/timesyncd.conf",
        "/etc/systemd/timesyncd.conf.d",
        "/etc/NetworkManager",
        "/etc/network",
        "/etc/resolv.conf",
        "/etc/hostname",
        "/etc/hosts",
        "/etc/localtime",
        "/etc/timezone",
        "/etc/chrony",
        "/etc/ssh",
        "/etc/passwd",
        "/etc/shadow",
        "/etc/group",
        "/etc/gshadow",
        "/etc/sudoers",
        "/etc/sudoers.d",
    ]) || path.ends_with("/authorized_keys");
    let in_run = within(&[
        "/run/systemd/network",
        "/run/systemd/system",
        "/run/systemd/system.control",
        "/run/systemd/resolved.conf.d",
        "/run/systemd/timesyncd.conf.d",
        "/run/netplan",
        "/run/NetworkManager",
    ]);
    let in_kernel = within(&["/proc/sys/kernel/hostname", "/sys/class/net"]);
    let does = is_gone && in_etc
        || is_file && is_forced && (in_etc || in_kernel)
        || is_file && in_run
        || letter == 'w' && in_kernel;
    does.then_some("it creates or removes network, name, time or login files")
}

/// Words for a server by which it takes other settings, another file, or another port; numbers and the kind of filter do not.
fn changes_settings(value: &str) -> bool {
    let value = value.trim_matches(['"', '\'']);
    value.split_whitespace().any(|word| {
        let letters = word.trim_start_matches('-');
        !(letters.starts_with('F') || letters.chars().all(|c| c.is_ascii_digit()) || letters == "s")
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn variables_and_files_are_told_from_those_that_do_no_harm() {
        for line in ["kernel.hostname = image", "-kernel/hostname=image"] {
            assert!(sets_kernel(line).is_some(), "{line}");
        }
        for line in ["# kernel.hostname = image", "kernel.printk = 3 4 1 3", ""] {
            assert!(sets_kernel(line).is_none(), "{line}");
        }
        for line in [
            "f+ /etc/hostname 0644 root root - image",
            "L+ /etc/resolv.conf - - - - /run/image",
            "f /run/systemd/network/05-image.network - - - - [Match]",
            "r! /etc/netplan/60-impostazione.yaml",
            "w /proc/sys/kernel/hostname - - - - image",
        ] {
            assert!(makes_file(line).is_some(), "{line}");
        }
        for line in [
            "L /etc/resolv.conf - - - - ../run/systemd/resolve/stub-resolv.conf",
            "d /run/sshd 0755",
            "d /run/systemd/netif 0755",
            "x /tmp/image",
            "r! /etc/passwd.lock",
            "C /run/systemd/stub/image - - - -",
            "# f+ /etc/hostname - - - - image",
        ] {
            assert!(makes_file(line).is_none(), "{line}");
        }
        assert!(changes_settings("\"-o PermitRootLogin=yes\"") && changes_settings("-f /srv/chrony.conf"));
        assert!(!changes_settings("\"-F 1\"") && !changes_settings("") && !changes_settings("-4"));
    }
}
