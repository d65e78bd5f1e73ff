//! Making the plan.

use impostazione_rootfs::{
    Change, Kind, Owner, RootfsFault, RootfsPath, View, Want, own_identity, refuse_if_in_the_way, split,
};

use super::super::merge::has_entries;
use super::super::survey::Survey;
use super::earlier_logins::EarlierLogins;
use super::plan::{Plan, PlanFault};
use super::plan_inputs::{PlacementOptions, PlanInputs};
use crate::output::HostOutput;

/// Finds out what has to change so that a root filesystem is the host of the output. Nothing is changed yet.
pub fn plan(
    view: View<'_>,
    survey: &Survey,
    output: &HostOutput,
    (options, earlier): (PlacementOptions, Option<&EarlierLogins>),
) -> Result<Plan, PlanFault> {
    let inputs = PlanInputs { view, survey, output, options, earlier };
    let mut plan = Plan::default();
    super::network::plan(inputs, &mut plan)?;
    super::names::plan(inputs, &mut plan)?;
    super::time::plan(inputs, &mut plan)?;
    let groups = super::accounts::plan(inputs, &mut plan)?;
    super::files::plan(inputs, &groups, &mut plan);
    super::ssh::plan(inputs, &mut plan)?;
    super::services::plan(inputs, &mut plan)?;
    super::rewriting::plan(inputs, &mut plan)?;
    super::identity::plan(inputs, &mut plan)?;
    settle(view, &mut plan)?;
    Ok(plan)
}

/// Adds the folders that are not there, and drops what is as it is to be already.
pub(super) fn settle(view: View<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let own = own_identity();
    let mut settled: Vec<Change> = Vec::new();
    for mut change in std::mem::take(&mut plan.changes) {
        if settled.iter().any(|known| known.path == change.path) {
            continue;
        }
        let before = view.state(&change.path)?;
        if before == change.state(own) {
            continue;
        }
        refuse_if_in_the_way(view.rootfs(), &change, &before)?;
        if change.want != Want::Absent && !view.rootfs().is_on_boot_partition(&change.path) {
            add_folders(view, &change, &mut settled)?;
        }
        change.before = before;
        change.has_entries = has_entries(&change.path);
        settled.push(change);
    }
    plan.changes = settled;
    Ok(())
}

pub(super) fn add_folders(
    view: View<'_>,
    change: &Change,
    settled: &mut Vec<Change>,
) -> Result<(), PlanFault> {
    let mut missing = Vec::new();
    let mut folder = split(&change.path).0;
    while !folder.is_empty() && !settled.iter().any(|known| known.path == *folder) {
        match view.rootfs().follow(folder)? {
            Some(found) if found.kind == Kind::Folder && is_there(view, folder) => break,
            Some(found) if found.kind != Kind::Folder => {
                return Err(RootfsFault::FileInTheWay(folder.to_owned()).into());
            }
            _ if view.look(folder)?.is_some_and(|found| found.kind == Kind::Link) => {
                return Err(RootfsFault::Unreachable(
                    folder.to_owned(),
                    "it is a link to something that is not on the rootfs",
                )
                .into());
            }
            _ => missing.push(RootfsPath::new(folder)?),
        }
        folder = split(folder).0;
    }
    for folder in missing.into_iter().rev() {
        settled.push(Change::new(folder, change.subject, Want::Folder { mode: 0o755, owner: Owner::ROOT }));
    }
    Ok(())
}

/// Whether a folder was there before the placement that the view looks behind.
pub(super) fn is_there(view: View<'_>, folder: &str) -> bool {
    view.record().and_then(|record| record.step(folder)).is_none_or(|(_, step)| !step.before.is_absent())
}
