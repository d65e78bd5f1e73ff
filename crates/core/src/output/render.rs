//! From a proved site to its output tree.

use super::{Content, OutputFile, OutputTree};
use crate::assess::ProvedSite;
use crate::files::{
    ACCOUNTS_PATH, HOSTNAME_PATH, HOSTS_PATH, LOCALTIME_PATH, TIMESYNCD_PATH, TIMEZONE_PATH, Unwritable,
    accounts_file, hostname_file, hosts_file, localtime_target, timesyncd_file, timezone_file,
};
use crate::machine::{Machine, Role, Site};
use crate::netplan::{NETPLAN_PATH, netplan_file};
use crate::ovf::{environment_document, property_values};

/// Only its owner may read it.
const SECRET: u32 = 0o600;
/// Everybody may read it.
const PUBLIC: u32 = 0o644;
/// What a symbolic link has.
const LINK: u32 = 0o777;
/// Owner of system files on a host.
const ROOT: &str = "root:root";

const ENVIRONMENT_PATH: &str = "ovf-env.xml";

/// Makes the files of every machine that `wanted` picks by its name. The same site gives the same tree.
pub fn render(proved: ProvedSite<'_>, wanted: impl Fn(&str) -> bool) -> Result<OutputTree, Unwritable> {
    let site = proved.site();
    let mut tree = OutputTree::default();
    for machine in site.machines.iter().filter(|machine| wanted(machine.label())) {
        match machine.role {
            Role::Host(_) => host_files(site, machine, &mut tree)?,
            Role::Appliance(_) => appliance_files(site, machine, &mut tree)?,
        }
    }
    Ok(tree)
}

fn host_files(site: &Site, machine: &Machine, tree: &mut OutputTree) -> Result<(), Unwritable> {
    let folder = folder_of(machine)?;
    let mut on_rootfs = |path: &str, mode: u32, content: Content| {
        tree.files.push(OutputFile {
            machine: folder.clone(),
            path: format!("{folder}/rootfs/{path}"),
            mode,
            owner: Some(ROOT),
            content,
        });
    };
    on_rootfs(NETPLAN_PATH, SECRET, Content::Bytes(netplan_file(site, machine)?));
    on_rootfs(HOSTNAME_PATH, PUBLIC, Content::Bytes(hostname_file(machine)?));
    on_rootfs(HOSTS_PATH, PUBLIC, Content::Bytes(hosts_file(machine)?));
    on_rootfs(LOCALTIME_PATH, LINK, Content::Link(localtime_target(machine)?));
    on_rootfs(TIMEZONE_PATH, PUBLIC, Content::Bytes(timezone_file(machine)?));
    on_rootfs(TIMESYNCD_PATH, PUBLIC, Content::Bytes(timesyncd_file(machine)));
    tree.files.push(OutputFile {
        path: format!("{folder}/{ACCOUNTS_PATH}"),
        machine: folder,
        mode: SECRET,
        owner: None,
        content: Content::Bytes(accounts_file(site, machine)?),
    });
    Ok(())
}

fn appliance_files(site: &Site, machine: &Machine, tree: &mut OutputTree) -> Result<(), Unwritable> {
    let folder = folder_of(machine)?;
    let descriptor = machine
        .appliance()
        .and_then(|appliance| site.descriptor_of(appliance))
        .ok_or_else(|| Unwritable::new(machine, ENVIRONMENT_PATH, "its package was not read"))?;
    let values = property_values(site, machine);
    let properties = values.iter().map(|(property, value)| (property.id(), value.as_str()));
    let document = environment_document(&descriptor.machine_id, properties)
        .map_err(|error| Unwritable::new(machine, ENVIRONMENT_PATH, error.to_string()))?;
    tree.files.push(OutputFile {
        path: format!("{folder}/{ENVIRONMENT_PATH}"),
        machine: folder,
        mode: SECRET,
        owner: None,
        content: Content::Bytes(document),
    });
    Ok(())
}

/// The machine's folder is its host name, which holds nothing that a path could trip over.
fn folder_of(machine: &Machine) -> Result<String, Unwritable> {
    let hostname = machine.hostname.value();
    hostname
        .map(ToString::to_string)
        .ok_or_else(|| Unwritable::new(machine, "its folder", "it has no host name"))
}
