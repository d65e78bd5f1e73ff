//! Findings in the words of netplan files.

use regex::{Captures, Regex};

use crate::finding::Finding;

/// Puts a finding of a rule that holds for any host into the words of netplan's files, since whoever reads those may never
/// have seen a sheet. `networks` finds what the networks of links are called, which have no names of their own there.
pub(super) fn in_terms_of_netplan(finding: &mut Finding, networks: Option<&Regex>) {
    if let Some(networks) = networks {
        let network = |captures: &Captures<'_>| {
            let part = |number: usize| captures.get(number).map_or("", |part| part.as_str());
            format!("{} network of {}{}", if part(1) == "S" { "The" } else { "the" }, part(2), part(3))
        };
        finding.message = networks.replace_all(&finding.message, network).into_owned();
        finding.fix = networks.replace_all(&finding.fix, network).into_owned();
    }
    for (ours, theirs) in [("`lacp_rate`", "`lacp-rate`"), ("`wake_on_lan`", "`wakeonlan`")] {
        finding.message = finding.message.replace(ours, theirs);
    }
    let Some(words) = finding.rule.in_netplan else {
        finding.fix = in_yaml(&finding.fix);
        return;
    };
    if let Some(message) = words.message {
        message.clone_into(&mut finding.message);
    }
    finding.fix = match words.in_place_of.and_then(|from| finding.fix.split_once(from)) {
        Some((kept, _)) => format!("{kept}, or {}", words.fix),
        None => words.fix.to_owned(),
    };
}

/// `key = value` as YAML has it.
fn in_yaml(text: &str) -> String {
    let mut yaml = String::with_capacity(text.len());
    for (index, part) in text.split(" = ").enumerate() {
        if index > 0 {
            yaml.push_str(": ");
        }
        yaml.push_str(part);
    }
    yaml
}
