//! What somebody else's files say, and what is wrong with them.

use std::collections::HashSet;

use impostazione_text::{Place, Source, SourceId, Sources, Span};

use super::definitions::Definitions;
use super::inspected::{InspectedHost, host};
use super::links::links;
use super::{backends, grammar, oddities, sentences, site, ways, yaml};
use crate::finding::{Finding, Redaction, Severity};
use crate::machine::{NetplanVersion, Site};
use crate::rules::{self, Judge};
use crate::sheet::hidden_in_unparsed_netplan;

/// The newest netplan that is known here, which is Debian 13's.
pub const NEWEST_NETPLAN: NetplanVersion = NetplanVersion::new(1, 1);

/// Netplan files that have been read and judged.
#[derive(Debug)]
pub struct NetplanInspection {
    /// The texts that findings point into.
    pub sources: Sources,
    /// The netplan that they were checked against.
    pub version: NetplanVersion,
    /// The host that they make, as a site of one machine.
    pub site: Site,
    /// The host that they make, as it is shown; nothing where they make none.
    pub host: Option<InspectedHost>,
    /// What is wrong, in the order of the places.
    pub findings: Vec<Finding>,
}

/// Reads netplan files in the order in which they come, as netplan of that version does, and judges the host that they make
/// by the rules that hold for any host. `name` is what messages call it; `sources` are texts that other findings point into,
/// to which these come.
pub fn inspect_netplan(
    name: &str,
    mut sources: Sources,
    files: Vec<Source>,
    version: NetplanVersion,
) -> NetplanInspection {
    let ids: Vec<_> = files.into_iter().map(|file| sources.add(file)).collect();
    let mut findings = Vec::new();
    let mut definitions = Definitions::new(version);
    for id in ids {
        match yaml::parse(id, sources.get(id)) {
            Ok(document) => {
                if let Some(root) = document.root {
                    let begins_again = definitions.begins_again(&root);
                    for place in grammar::check(&root, version, begins_again, &mut findings) {
                        sources.mark_secret(place);
                    }
                    definitions.add(&root, &sources, &mut findings);
                }
                findings.extend(document.second.map(sentences::second_document));
            }
            Err(fault) => {
                findings.push(sentences::malformed(fault.place, &fault.reason));
                let unread = hidden_in_unparsed_netplan(sources.get(id).text());
                sources.mark_read(id, Some(unread));
            }
        }
    }
    let links = links(&definitions);
    backends::check(&definitions, &links, &mut findings);
    let refused = |findings: &[Finding]| -> HashSet<Place> {
        let errors = findings.iter().filter(|finding| finding.severity() == Severity::Error);
        errors.map(|finding| finding.place).collect()
    };
    // What netplan refuses is not judged again at the same place.
    let by_netplan = refused(&findings);
    let mut of_links = Vec::new();
    ways::check(&links, &mut of_links);
    oddities::check(&links, &mut of_links);
    findings.extend(of_links.into_iter().filter(|finding| !by_netplan.contains(&finding.place)));
    let site = site::site_of(name, &definitions, &links, &mut findings);
    let by_files = refused(&findings);
    let host = host(name, &definitions, &links);
    let of_files = findings.len();
    let mut judge = Judge::new(&site, &[], &sources, findings).in_netplan();
    rules::run_on_any_host(&mut judge);
    let mut findings = judge.into_findings();
    let mut index = 0;
    findings.retain(|finding| {
        index += 1;
        index <= of_files || !by_files.contains(&finding.place)
    });
    let redaction = Redaction::new(&sources);
    for finding in &mut findings {
        // There is one host, and its files are named.
        finding.machine = None;
        redaction.apply(finding);
    }
    findings.sort_by_key(|finding| finding.place);
    findings.dedup_by(|one, other| one.place == other.place && one.message == other.message);
    NetplanInspection { sources, version, site, host, findings }
}

/// What is said of a file whose bytes could not be had as text. Its empty text is `id`.
pub fn netplan_file_unusable(id: SourceId, reason: &str) -> Finding {
    sentences::malformed(Place { source: id, span: Span::new(0, 0) }, reason)
}

/// What is said of a file that netplan would not read, by its name.
pub fn netplan_file_not_read(id: SourceId, name: &str) -> Finding {
    sentences::name_not_read(Place { source: id, span: Span::new(0, 0) }, name)
}
