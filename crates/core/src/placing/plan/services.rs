//! Units that have to start at boot, and others that must not.

use impostazione_rootfs::{Change, RootfsFault, RootfsPath, Subject, Want};

use super::super::survey::units::{ETC_UNITS, UNIT_FOLDERS, Unit};
use super::network::mask;
use super::plan::{Concern, Obstacle, Plan, PlanFault};
use super::plan_inputs::PlanInputs;
use crate::host::{CHRONY_SOURCES_PATH, SSH_WANTED, TIMESYNCD_PATH};

/// Units of the SSH server, Debian's name first.
const SSH_UNITS: [&str; 2] = ["ssh.service", "sshd.service"];
const SSH_SOCKETS: [&str; 2] = ["ssh.socket", "sshd.socket"];
/// Units of chrony, Debian's name first.
pub(crate) const CHRONY_UNITS: [&str; 2] = ["chrony.service", "chronyd.service"];
pub(crate) const TIMESYNCD_UNIT: &str = "systemd-timesyncd.service";

pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    if inputs.is_for_manager() {
        start(inputs, plan, &["NetworkManager.service"], Subject::Network)?;
    } else {
        start(inputs, plan, &["systemd-networkd.service"], Subject::Network)?;
        start(inputs, plan, &["systemd-resolved.service"], Subject::Network)?;
    }
    time(inputs, plan)?;
    ssh(inputs, plan)?;
    Ok(())
}

/// Has the first of the units that is there start at boot.
fn start(inputs: PlanInputs<'_>, plan: &mut Plan, names: &[&str], subject: Subject) -> Result<(), PlanFault> {
    let Some(unit) = first(inputs, names)? else { return Ok(()) };
    let mask = format!("{ETC_UNITS}/{}", unit.name);
    if unit.is_masked && inputs.view.target(&mask)?.is_some_and(|target| target == "/dev/null") {
        plan.changes.push(Change::set_aside(
            RootfsPath::new(mask)?,
            subject,
            "it keeps the service from starting",
        ));
    }
    let links = unit.start_links();
    for (line, key, word) in links.odd {
        plan.obstacles.push(Obstacle {
            path: unit.path.clone(),
            line,
            message: format!(
                "{} of {} is {word:?}, which is not a unit name: a link with that name would be outside the unit \
                    folder.",
                key, unit.name
            ),
            fix: format!("remove it from /{} in the image, and find out who made this image", unit.path),
            is_grave: true,
            concerns: Concern::Path,
        });
    }
    for path in links.paths {
        // One that is there and leads to the unit by another spelling will do, and so will one of the distribution's own.
        let name = path.rsplit('/').next().unwrap_or_default();
        let folder =
            path.strip_prefix(ETC_UNITS).and_then(|rest| rest.strip_suffix(name)).unwrap_or_default();
        let mut is_there = false;
        for folders in UNIT_FOLDERS {
            let there = inputs.view.target(&format!("{folders}{folder}{name}"))?;
            is_there |= there.is_some_and(|there| there.ends_with(&unit.name));
        }
        if !is_there {
            plan.changes.push(Change::new(path, subject, Want::Link(links.target.clone())));
        }
    }
    Ok(())
}

fn first(inputs: PlanInputs<'_>, names: &[&str]) -> Result<Option<Unit>, RootfsFault> {
    for name in names {
        if let Some(unit) = Unit::find(inputs.view, name)? {
            return Ok(Some(unit));
        }
    }
    Ok(None)
}

/// The time service of the output starts, and no other.
fn time(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let wanted: &[&str] = if inputs.file(CHRONY_SOURCES_PATH).is_some() {
        &CHRONY_UNITS
    } else if inputs.file(TIMESYNCD_PATH).is_some() {
        &[TIMESYNCD_UNIT]
    } else {
        &[]
    };
    for service in &inputs.survey.time.services {
        if service.is_enabled && !wanted.is_empty() && !wanted.contains(&service.unit) {
            mask(plan, service.unit, Subject::Time, "another service sets the clock")?;
        }
    }
    start(inputs, plan, wanted, Subject::Time)
}

fn ssh(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    if inputs.file(SSH_WANTED.0).is_some() {
        start(inputs, plan, &SSH_UNITS, Subject::Ssh)?;
        // Waiting for a connection in its place, the socket would keep the service from starting.
        for name in SSH_SOCKETS {
            let link = format!("{ETC_UNITS}/sockets.target.wants/{name}");
            if inputs.view.look(&link)?.is_some() {
                plan.changes.push(Change::set_aside(
                    RootfsPath::new(link)?,
                    Subject::Ssh,
                    "the service listens by itself",
                ));
            }
        }
        return Ok(());
    }
    for name in SSH_UNITS.into_iter().chain(SSH_SOCKETS) {
        let is_there = Unit::find(inputs.view, name)?.is_some();
        let is_alias =
            inputs.view.target(&format!("{ETC_UNITS}/{name}"))?.is_some_and(|target| target != "/dev/null");
        if is_there && !is_alias {
            mask(plan, name, Subject::Ssh, "SSH is off in the sheet")?;
        }
    }
    Ok(())
}
