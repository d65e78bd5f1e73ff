//! From a proved site to its output tree.

use impostazione_net::Hostname;

use super::appliance::{Packing, appliance_files};
use super::hashes::{Hashing, PasswordHashes, hash_passwords};
use super::tree::{OutputContent, OutputFile, OutputTree};
use crate::host::{
    ACCOUNTS_PATH, CHRONY_KEYS_PATH, CHRONY_SOURCES_PATH, DEBIAN_LOCALE_PATH, HOST_KEY_PATH, HOSTNAME_PATH,
    HOSTS_PATH, KEYBOARD_PATH, KNOWN_HOSTS_PATH, LOCALE_PATH, LOCALTIME_PATH, NETPLAN_PATH,
    PUBLIC_HOST_KEY_PATH, RESOLVED_PATH, SSH_CONFIG_PATH, SSH_MASKED, SSH_SOCKET_PATH, SSH_WANTED, SSHD_PATH,
    SUDOERS_PATH, SiteHost, TIMESYNCD_PATH, TIMEZONE_PATH, Unwritable, accounts_file, chrony_keys_file,
    chrony_sources_file, hostname_file, hosts_file, keyboard_file, known_hosts_file, locale_file,
    localtime_target, multicast_dns_files, netplan_file, resolved_file, site_hosts, ssh_config_file,
    ssh_socket_file, sshd_file, sudoers_file, systemd_link_files, timesyncd_file, timezone_file,
};
use crate::machine::{HostsFile, Machine, Role, Site, TimeService};
use crate::rules::ProvedSite;

/// Only its owner may read it.
const SECRET: u32 = 0o600;
/// Everybody may read it.
const PUBLIC: u32 = 0o644;
/// sudo wants nobody to write to it.
const READ_ONLY: u32 = 0o440;
/// Its owner may change it, and its group may read it.
const GROUP: u32 = 0o640;
/// What a symbolic link has.
const LINK: u32 = 0o777;
/// Owner of system files on a host.
const ROOT: &str = "root:root";
/// Owner and group of chrony's keys on Debian.
const CHRONY: &str = "root:_chrony";

/// What a tree is made of beside the site.
#[derive(Debug)]
pub struct Rendering<'a> {
    /// New packages, where they are asked for.
    pub packing: Option<&'a Packing>,
    /// Whether descriptors and lists of properties have the secrets of appliances in them.
    pub secrets_in_descriptors: bool,
    /// The hashes of the passwords of logins.
    pub hashes: &'a PasswordHashes,
}

/// Makes the files of every machine that `wanted` picks by its name. The same site gives the same tree, but for salts of
/// passwords, which are random.
pub fn render(proved: ProvedSite<'_>, wanted: impl Fn(&str) -> bool) -> Result<OutputTree, Unwritable> {
    let hashes = hash_passwords(proved, &wanted, Hashing::default())?;
    render_with(proved, wanted, &Rendering { packing: None, secrets_in_descriptors: true, hashes: &hashes })
}

/// The same, as `rendering` says.
pub fn render_with(
    proved: ProvedSite<'_>,
    wanted: impl Fn(&str) -> bool,
    rendering: &Rendering<'_>,
) -> Result<OutputTree, Unwritable> {
    let files = try_files(proved.site(), wanted, rendering).into_iter().map(TriedFile::made);
    Ok(OutputTree { files: files.collect::<Result<Vec<_>, _>>()? })
}

/// A file as it came out: with its content, or with why there is none.
#[derive(Clone, Debug)]
pub(crate) struct TriedFile {
    /// The machine that it is for; empty for one that is for all.
    pub(crate) machine: String,
    /// Its path in the tree, the machine's folder first.
    pub(crate) path: String,
    /// Its permission bits.
    pub(crate) mode: u32,
    /// Whose it will be on the host.
    pub(crate) owner: Option<&'static str>,
    /// What it holds, or why it could not be made.
    pub(crate) content: Result<OutputContent, Unwritable>,
}

impl TriedFile {
    fn made(self) -> Result<OutputFile, Unwritable> {
        let Self { machine, path, mode, owner, content } = self;
        Ok(OutputFile { machine, path, mode, owner, content: content? })
    }
}

/// Tries each file of every machine that `wanted` picks, and of all together. Of a site that was not proved some may say
/// less than the sheet does: who takes such files has to say so.
pub(crate) fn try_files(
    site: &Site,
    wanted: impl Fn(&str) -> bool,
    rendering: &Rendering<'_>,
) -> Vec<TriedFile> {
    let mut tried = Vec::new();
    let knows_others =
        |machine: &Machine| machine.host().is_some() && machine.settings.hosts_file() == HostsFile::Site;
    let others = if site.machines.iter().any(knows_others) { site_hosts(site) } else { Vec::new() };
    for machine in site.machines.iter().filter(|machine| wanted(machine.label())) {
        let folder = match folder_of(machine) {
            Ok(folder) => folder,
            Err(fault) => {
                tried.push(TriedFile {
                    machine: machine.label().to_owned(),
                    path: machine.label().to_owned(),
                    mode: SECRET,
                    owner: None,
                    content: Err(fault),
                });
                continue;
            }
        };
        match machine.role {
            Role::Host(_) => {
                let known: &[SiteHost] = if knows_others(machine) { &others } else { &[] };
                host_files(site, machine, &folder, known, rendering.hashes, &mut tried);
            }
            Role::Appliance(_) => appliance_files(site, machine, &folder, rendering, &mut tried),
        }
    }
    if let Some(content) = known_hosts_file(site).transpose() {
        tried.push(TriedFile {
            machine: String::new(),
            path: KNOWN_HOSTS_PATH.to_owned(),
            mode: PUBLIC,
            owner: None,
            content: content.map(OutputContent::of),
        });
    }
    if let Some(text) = ssh_config_file(site) {
        tried.push(TriedFile {
            machine: String::new(),
            path: SSH_CONFIG_PATH.to_owned(),
            mode: PUBLIC,
            owner: None,
            content: Ok(OutputContent::of(text)),
        });
    }
    tried
}

fn host_files(
    site: &Site,
    machine: &Machine,
    folder: &str,
    others: &[SiteHost],
    hashes: &PasswordHashes,
    tried: &mut Vec<TriedFile>,
) {
    let mut owned =
        |path: &str, mode: u32, owner: &'static str, content: Result<OutputContent, Unwritable>| {
            tried.push(TriedFile {
                machine: folder.to_owned(),
                path: format!("{folder}/rootfs/{path}"),
                mode,
                owner: Some(owner),
                content,
            });
        };
    let mut on_rootfs =
        |path: &str, mode: u32, content: Result<OutputContent, Unwritable>| owned(path, mode, ROOT, content);
    let text = |text: String| Ok(OutputContent::of(text));
    on_rootfs(NETPLAN_PATH, SECRET, netplan_file(site, machine).map(OutputContent::Bytes));
    for (path, content) in systemd_link_files(site, machine).into_iter().chain(multicast_dns_files(machine)) {
        on_rootfs(&path, PUBLIC, text(content));
    }
    on_rootfs(HOSTNAME_PATH, PUBLIC, hostname_file(machine).map(OutputContent::of));
    on_rootfs(HOSTS_PATH, PUBLIC, hosts_file(machine, others).map(OutputContent::of));
    if let Some(resolved) = resolved_file(machine) {
        on_rootfs(RESOLVED_PATH, PUBLIC, text(resolved));
    }
    on_rootfs(LOCALTIME_PATH, LINK, localtime_target(machine).map(OutputContent::Link));
    on_rootfs(TIMEZONE_PATH, PUBLIC, timezone_file(machine).map(OutputContent::of));
    if let Some(locale) = locale_file(machine) {
        on_rootfs(LOCALE_PATH, PUBLIC, text(locale.clone()));
        on_rootfs(DEBIAN_LOCALE_PATH, PUBLIC, text(locale));
    }
    if let Some(keyboard) = keyboard_file(machine) {
        on_rootfs(KEYBOARD_PATH, PUBLIC, text(keyboard));
    }
    on_rootfs(SSHD_PATH, PUBLIC, text(sshd_file(site, machine)));
    if let Some(socket) = ssh_socket_file(machine) {
        on_rootfs(SSH_SOCKET_PATH, PUBLIC, text(socket));
    }
    if machine.settings.ssh.has_made_key() {
        let (private, public) = match host_key_files(machine) {
            Ok((private, public)) => (Ok(private), Ok(public)),
            Err(fault) => (Err(fault.clone()), Err(fault)),
        };
        on_rootfs(HOST_KEY_PATH, SECRET, private);
        on_rootfs(PUBLIC_HOST_KEY_PATH, PUBLIC, public);
    }
    let ssh_links = if machine.settings.ssh.is_enabled() { &[SSH_WANTED][..] } else { &SSH_MASKED[..] };
    for (path, target) in ssh_links {
        on_rootfs(path, LINK, Ok(OutputContent::Link((*target).to_owned())));
    }
    if let Some(sudoers) = sudoers_file(site, machine) {
        on_rootfs(SUDOERS_PATH, READ_ONLY, text(sudoers));
    }
    match machine.settings.time_service() {
        TimeService::Timesyncd => {
            on_rootfs(TIMESYNCD_PATH, PUBLIC, Ok(OutputContent::of(timesyncd_file(machine))));
        }
        TimeService::Chrony => {
            on_rootfs(CHRONY_SOURCES_PATH, PUBLIC, chrony_sources_file(site, machine).map(OutputContent::of));
            if let Some(keys) = chrony_keys_file(site, machine).transpose() {
                owned(CHRONY_KEYS_PATH, GROUP, CHRONY, keys.map(OutputContent::Bytes));
            }
        }
    }
    tried.push(TriedFile {
        path: format!("{folder}/{ACCOUNTS_PATH}"),
        machine: folder.to_owned(),
        mode: SECRET,
        owner: None,
        content: accounts_file(site, machine, |account| hashes.of(machine, account)).map(OutputContent::of),
    });
}

/// The private and the public half of the key that a host is known by.
fn host_key_files(machine: &Machine) -> Result<(OutputContent, OutputContent), Unwritable> {
    let unwritable = |reason: String| Unwritable::new(machine, HOST_KEY_PATH, reason);
    let key = machine.host().and_then(|host| host.host_key.value());
    let key = key.ok_or_else(|| unwritable("its host key is not available".to_owned()))?;
    let private = key.private_file(machine.label()).map_err(|fault| unwritable(fault.to_string()))?;
    let public = key.public_line(machine.label()).map_err(|fault| unwritable(fault.to_string()))?;
    Ok((OutputContent::of(private.reveal()), OutputContent::of(format!("{public}\n"))))
}

/// The machine's folder is its name, a host name too, which holds nothing that a path could trip over.
fn folder_of(machine: &Machine) -> Result<String, Unwritable> {
    Hostname::parse(machine.label())
        .map(|name| name.to_string())
        .map_err(|_| Unwritable::new(machine, "its folder", "its name is not a host name"))
}
