//! What would rewrite our settings when the host boots is kept from it.

use std::collections::{BTreeMap, BTreeSet};

use impostazione_rootfs::{Change, RootfsPath, Subject, View, Want};

use super::super::survey::hiding::hides;
use super::super::survey::kernel_words::without_words;
use super::super::survey::rewriting::Remedy;
use super::edits::{edited, lines_set_aside};
use super::network::mask;
use super::plan::{Plan, PlanFault};
use super::plan_inputs::PlanInputs;

pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let mut lines: BTreeMap<&str, (BTreeSet<usize>, &str)> = BTreeMap::new();
    for rewriter in &inputs.survey.rewriters {
        let why = &rewriter.why;
        match &rewriter.remedy {
            Remedy::Mask => mask(plan, &rewriter.unit, Subject::FirstBoot, why)?,
            Remedy::KernelWords => {
                let line = inputs.view.text(&rewriter.path)?.unwrap_or_default();
                let want = edited(inputs.view, &rewriter.path, without_words(&line), 0o755)?;
                let path = RootfsPath::new(rewriter.path.as_str())?;
                let mut change = Change::new(path, Subject::FirstBoot, want).because(why.clone());
                change.is_secret |= line.contains("credential");
                plan.changes.push(change);
            }
            Remedy::Line(number) => {
                lines.entry(&rewriter.path).or_insert_with(|| (BTreeSet::new(), why)).0.insert(*number);
            }
            Remedy::SetAside => {
                let path = RootfsPath::new(rewriter.path.as_str())?;
                plan.changes.push(Change::set_aside(path, Subject::FirstBoot, why.clone()));
            }
            Remedy::Hide(link) => {
                let link = RootfsPath::new(link.as_str())?;
                let want = Want::Link("/dev/null".to_owned());
                plan.changes.push(Change::new(link, Subject::FirstBoot, want).because(why.clone()));
            }
            Remedy::Refuse => {}
        }
    }
    for (path, (numbers, why)) in lines {
        let text = inputs.view.text(path)?.unwrap_or_default();
        let want = edited(inputs.view, path, lines_set_aside(&text, &numbers), 0o644)?;
        let mut change = Change::new(RootfsPath::new(path)?, Subject::FirstBoot, want).because(why);
        // Such lines run commands, whose arguments may be passwords.
        change.is_secret = true;
        plan.changes.push(change);
    }
    overrides(inputs, plan)?;
    Ok(())
}

/// Files that change how services start that are counted on.
fn overrides(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    for found in &inputs.survey.overrides {
        if found.says.is_some() {
            let why = format!("it changes how {} starts", found.unit);
            set_aside_or_hide(inputs.view, &found.path, Subject::FirstBoot, &why, plan)?;
        } else {
            let path = RootfsPath::new(found.path.as_str())?;
            let why = format!("it replaces {}", found.unit);
            plan.changes.push(Change::set_aside(path, Subject::FirstBoot, why));
        }
    }
    Ok(())
}

/// A file of the administrator's leaves its folder; one of a package's folder is hidden by a link of its name in the
/// administrator's, and so is one of the same name that would count in its place.
pub(super) fn set_aside_or_hide(
    view: View<'_>,
    path: &str,
    subject: Subject,
    why: &str,
    plan: &mut Plan,
) -> Result<(), PlanFault> {
    let change = match hides(view, path)? {
        Some(link) => {
            Change::new(RootfsPath::new(link)?, subject, Want::Link("/dev/null".to_owned())).because(why)
        }
        None => Change::set_aside(RootfsPath::new(path)?, subject, why),
    };
    plan.changes.push(change);
    Ok(())
}
