//! `/etc/hosts`: the lines of the output, and of the old entries all that is not about the host itself.

use std::collections::HashSet;

use impostazione_rootfs::{Change, RootfsPath, Subject, Want};

use super::super::survey::Survey;
use super::edits::edited;
use super::plan::{Plan, PlanFault};
use super::plan_inputs::PlanInputs;
use crate::host::{HOSTNAME_PATH, HOSTS_PATH};
use crate::output::HostOutput;

/// First line before what was there.
const KEPT_HEADER: &str = "# Entries that were here before.";

pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let (Some(ours), Some(file)) = (inputs.output.text(HOSTS_PATH), inputs.file(HOSTS_PATH)) else {
        return Ok(());
    };
    let there = inputs.view.text(HOSTS_PATH)?.unwrap_or_default();
    let own_names = own_names(inputs.survey, inputs.output);
    let (merged, dropped) = merge_hosts(ours, &there, &own_names);
    let mut want = edited(inputs.view, HOSTS_PATH, merged, file.mode)?;
    if let Want::File { mode, .. } = &mut want {
        // Whoever may not read it knows no names.
        *mode = file.mode;
    }
    let mut change = Change::new(RootfsPath::fixed(HOSTS_PATH), Subject::Names, want);
    if !dropped.is_empty() {
        change = change.because(format!("this old entry is removed: {}", dropped.join("; ")));
    }
    plan.changes.push(change);
    Ok(())
}

/// The names of the host, the one that it had too.
pub(crate) fn own_names(survey: &Survey, output: &HostOutput) -> Vec<String> {
    let ours = output.text(HOSTNAME_PATH).map(|text| text.trim().to_owned());
    ours.into_iter().chain(survey.hostname.clone()).filter(|name| name != "localhost").collect()
}

/// What every host has, and the output has too.
fn is_usual(names: &[&str]) -> bool {
    names
        .iter()
        .all(|name| name.starts_with("localhost") || name.starts_with("ip6-") || *name == "broadcasthost")
}

/// The merged text, and the lines that are left out since they give the host an address that it no longer has.
pub(crate) fn merge_hosts(ours: &str, there: &str, own_names: &[String]) -> (String, Vec<String>) {
    let entry = |line: &str| -> Vec<String> {
        let line = line.split('#').next().unwrap_or_default();
        line.split_whitespace().map(str::to_owned).collect()
    };
    let known: Vec<Vec<String>> = ours.lines().map(entry).filter(|entry| !entry.is_empty()).collect();
    let ours_lines: HashSet<&str> = ours.lines().collect();
    let mut kept = String::new();
    let mut dropped = Vec::new();
    // Remarks go with the line below them.
    let mut remarks = String::new();
    for line in there.lines() {
        let words = entry(line);
        let [address, names @ ..] = words.as_slice() else {
            if line.trim().is_empty() {
                kept += &std::mem::take(&mut remarks);
            } else if line.trim() != KEPT_HEADER && !ours_lines.contains(line.trim_end()) {
                remarks += line.trim_end();
                remarks.push('\n');
            }
            continue;
        };
        let with_line = std::mem::take(&mut remarks);
        let names: Vec<&str> = names.iter().map(String::as_str).collect();
        if known.contains(&words) || is_usual(&names) {
            continue;
        }
        let is_own = |name: &&str| {
            own_names.iter().any(|own| {
                own == name || name.strip_prefix(own.as_str()).is_some_and(|rest| rest.starts_with('.'))
            })
        };
        if address == "127.0.1.1" || names.iter().any(is_own) {
            dropped.push(words.join(" "));
            continue;
        }
        kept += &with_line;
        kept += line.trim_end();
        kept.push('\n');
    }
    kept += &remarks;
    let text = if kept.is_empty() { ours.to_owned() } else { format!("{ours}\n{KEPT_HEADER}\n{kept}") };
    (text, dropped)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::merge_hosts;

    const OURS: &str = "# ours\n127.0.0.1 localhost\n10.64.10.11 gauge-01.capovetro.example gauge-01\n";

    #[test]
    fn others_stay_and_old_lines_of_the_host_itself_go() {
        let there = "127.0.0.1\tlocalhost\n127.0.1.1 vm\n10.64.9.9 vm.old.example vm\n10.64.10.80 crane # by hand\r\n";
        let own = ["gauge-01".to_owned(), "vm".to_owned()];
        let (text, dropped) = merge_hosts(OURS, there, &own);
        assert!(text.ends_with("\n10.64.10.80 crane # by hand\n"), "{text}");
        assert_eq!(dropped, ["127.0.1.1 vm", "10.64.9.9 vm.old.example vm"]);
        assert_eq!(merge_hosts(OURS, &text, &own).0, text, "a second time changes nothing");
    }

    proptest! {
        #[test]
        fn whatever_was_there_merging_again_changes_nothing(
            there in r"([0-9:.#a-z \t\r]{0,30}\n?){0,8}",
            own in "[a-z]{1,8}",
        ) {
            let own = [own];
            let (once, _) = merge_hosts(OURS, &there, &own);
            prop_assert!(once.starts_with(OURS));
            let (again, dropped) = merge_hosts(OURS, &once, &own);
            prop_assert_eq!(&again, &once);
            prop_assert!(dropped.is_empty(), "{:?}", dropped);
        }
    }

    #[test]
    fn what_says_nothing_more_leaves_no_trace() {
        assert_eq!(merge_hosts(OURS, "# a remark\n::1 localhost ip6-localhost\n\n", &[]).0, OURS);
    }
}
