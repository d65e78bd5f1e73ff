//! Settings of the SSH server that would win over ours.

use impostazione_rootfs::{Change, RootfsPath, Subject, Want};

use super::super::survey::ssh::SSHD_MAIN;
use super::edits::edited;
use super::plan::{Plan, PlanFault};
use super::plan_inputs::PlanInputs;
use crate::host::SSHD_PATH;

/// The server takes the first value that it reads: ours, read before all others, wins.
pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let ssh = &inputs.survey.ssh;
    if !ssh.is_there || inputs.file(SSHD_PATH).is_none() {
        return Ok(());
    }
    let is_won = ssh.reads_drop_ins && ssh.winning.is_empty();
    if is_won {
        return Ok(());
    }
    let include = format!("Include /{SSHD_PATH}\n");
    // Lines of it may have been set aside already.
    let planned =
        plan.changes.iter().position(|change| change.path == SSHD_MAIN).map(|at| plan.changes.remove(at));
    let text = match planned.map(|change| change.want) {
        Some(Want::File { bytes, .. }) => String::from_utf8_lossy(&bytes).into_owned(),
        _ => inputs.view.text(SSHD_MAIN)?.unwrap_or_default(),
    };
    let text = text.replace(&include, "");
    let want = edited(inputs.view, SSHD_MAIN, format!("{include}{text}"), 0o644)?;
    let why = match ssh.winning.first() {
        Some(setting) => format!("line {} of {} would override our setting", setting.line, setting.path),
        None => "it does not include the folder with our file".to_owned(),
    };
    plan.changes.push(Change::new(RootfsPath::fixed(SSHD_MAIN), Subject::Ssh, want).because(why));
    Ok(())
}
