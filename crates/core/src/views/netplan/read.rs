//! Reading netplan files: what a host that has them would be.

use std::path::Path;

use impostazione_text::{Source, SourceId, Sources};

use super::site::NetplanExtras;
use super::{join, netplan_rules, site, yaml};
use crate::finding::Finding;
use crate::machine::Site;

/// Largest netplan file that is read, in bytes.
pub const SIZE_LIMIT: u64 = 4 * 1024 * 1024;

/// Reads files as netplan joins them, in the order of their names: mappings are joined key by key, lists are added to each
/// other, and of single values the last one wins. `name` is what messages call the host.
pub fn read(name: &str, sources: &Sources, files: &[SourceId]) -> ReadHost {
    let mut findings = Vec::new();
    let mut joined = yaml::Map::default();
    for id in files {
        match yaml::parse(*id, sources.get(*id)) {
            Ok(Some(map)) => join::join(&mut joined, map, sources, &mut findings),
            Ok(None) => {}
            Err(fault) => findings.push(netplan_rules::malformed(fault.place, &fault.reason)),
        }
    }
    let (site, extras) = site::site_of(name, &joined, &mut findings);
    ReadHost { site, extras, findings }
}

/// A host as netplan files make it.
#[derive(Debug)]
pub struct ReadHost {
    /// The host, as a site of one machine.
    pub site: Site,
    /// What its links have beside that, in their order.
    pub extras: Vec<NetplanExtras>,
    /// What is wrong with the files themselves.
    pub findings: Vec<Finding>,
}

/// The names of the files in a folder that netplan reads, in its order.
pub fn in_order(mut names: Vec<String>) -> Vec<String> {
    names.retain(|name| Path::new(name).extension().is_some_and(|extension| extension == "yaml"));
    names.sort_unstable();
    names
}

/// Whether a text can be parsed as YAML.
pub(crate) fn is_readable(id: SourceId, source: &Source) -> bool {
    yaml::parse(id, source).is_ok()
}

/// A text as a source, unless it is none.
pub fn source(name: &str, bytes: Vec<u8>) -> Result<Source, String> {
    String::from_utf8(bytes)
        .map(|text| Source::new(name, text))
        .map_err(|_| format!("{name} is not UTF-8 text"))
}
