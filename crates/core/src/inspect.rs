//! What somebody else's files say, and what is wrong with them.

use crate::finding::Finding;
use crate::machine::Site;
use crate::netplan::read;
use crate::rules::{self, Judge};
use crate::source::{Source, Sources};

/// Netplan files that have been read and judged.
#[derive(Debug)]
pub struct NetplanInspection {
    /// The texts that findings point into.
    pub sources: Sources,
    /// The host that they make, as a site of one machine.
    pub site: Site,
    /// What is wrong, in the order of the places.
    pub findings: Vec<Finding>,
}

/// Reads netplan files in the order in which they come, and judges the host that they make by the rules that hold for any
/// host. `name` is what messages call it.
pub fn inspect_netplan(name: &str, files: Vec<Source>) -> NetplanInspection {
    let mut sources = Sources::default();
    let ids: Vec<_> = files.into_iter().map(|file| sources.add(file)).collect();
    let (site, findings) = read(name, &sources, &ids);
    let mut judge = Judge::new(&site, &sources, findings);
    rules::run_on_netplan(&mut judge);
    let mut findings = judge.into_findings();
    for finding in &mut findings {
        // There is one host, and its files are named.
        finding.machine = None;
    }
    findings.sort_by_key(|finding| finding.place);
    NetplanInspection { sources, site, findings }
}
