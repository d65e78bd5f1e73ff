//! What tells a host from others made from one image, and the keys by which it is known.

use impostazione_rootfs::{Change, Kind, RootfsPath, Subject, Want};
use impostazione_secret::HostKey;

use super::super::survey::{DBUS_MACHINE_ID, MACHINE_ID, MachineId};
use super::edits::{edited, root_file};
use super::plan::{Plan, PlanFault};
use super::plan_inputs::PlanInputs;
use crate::host::{HOST_KEY_PATH, PUBLIC_HOST_KEY_PATH, SSH_WANTED};

/// Where systemd keeps randomness between boots.
const RANDOM_SEED: &str = "var/lib/systemd/random-seed";

pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    machine_id(inputs, plan)?;
    host_keys(inputs, plan)
}

/// An empty file is filled at the first boot. A missing one, or the word for a host that was never set up, would have systemd
/// ask for settings and switch units on and off (`machine-id(5)`).
fn machine_id(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let is_fresh = inputs.options.fresh_identity;
    let why = match inputs.survey.machine_id {
        MachineId::Set if is_fresh => "the first boot creates a new, unique one",
        MachineId::Missing | MachineId::Uninitialized => {
            "without it systemd would run the first-boot setup again"
        }
        MachineId::Empty | MachineId::Set => "",
    };
    if !why.is_empty() {
        let want = edited(inputs.view, MACHINE_ID, Vec::new(), 0o444)?;
        plan.changes.push(Change::new(RootfsPath::fixed(MACHINE_ID), Subject::Identity, want).because(why));
    }
    let becomes_empty = !why.is_empty() || inputs.survey.machine_id == MachineId::Empty;
    let is_file = |path: &str| {
        Ok::<_, PlanFault>(inputs.view.look(path)?.is_some_and(|found| found.kind == Kind::File))
    };
    if becomes_empty && is_file(DBUS_MACHINE_ID)? {
        let why = "the old machine id would come back from it";
        plan.changes.push(Change::set_aside(RootfsPath::fixed(DBUS_MACHINE_ID), Subject::Identity, why));
    }
    if is_fresh && is_file(RANDOM_SEED)? {
        let why = "copies of a host would start with the same random seed";
        plan.changes.push(Change::set_aside(RootfsPath::fixed(RANDOM_SEED), Subject::Identity, why));
    }
    Ok(())
}

/// A host whose SSH server starts has a key; a copy of a host has its own if that is asked for.
fn host_keys(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    let brings_key = inputs.file(HOST_KEY_PATH).is_some();
    let ssh = &inputs.survey.ssh;
    if inputs.options.fresh_identity {
        for key in &ssh.host_keys {
            let public = format!("{}.pub", key.path);
            for path in [key.path.clone(), public] {
                if path != HOST_KEY_PATH && path != PUBLIC_HOST_KEY_PATH && inputs.view.look(&path)?.is_some()
                {
                    let why = "the host this was copied from has the same key";
                    plan.changes.push(Change::set_aside(RootfsPath::new(path)?, Subject::Identity, why));
                }
            }
        }
    }
    let needs_one = ssh.is_there && inputs.file(SSH_WANTED.0).is_some();
    let is_without = ssh.host_keys.is_empty() || inputs.options.fresh_identity;
    if brings_key || !needs_one || !is_without {
        return Ok(());
    }
    let why = if ssh.host_keys.is_empty() {
        "without a key the SSH server does not start"
    } else {
        "replaces the keys that copies share"
    };
    let (private, public) = match made_before(inputs)? {
        Some(files) => files,
        None => {
            let key = HostKey::random()?;
            let host = &inputs.output.machine;
            let fault = |fault: impostazione_secret::HostKeyFault| PlanFault::HostKey(fault.to_string());
            let private = key.private_file(host).map_err(fault)?;
            let public = key.public_line(host).map_err(fault)?;
            (root_file(private.reveal(), 0o600), root_file(format!("{public}\n"), 0o644))
        }
    };
    for (path, want) in [(HOST_KEY_PATH, private), (PUBLIC_HOST_KEY_PATH, public)] {
        let mut change = Change::new(RootfsPath::new(path)?, Subject::Identity, want).because(why);
        change.is_made_up = true;
        plan.changes.push(change);
    }
    Ok(())
}

/// The key that an earlier placement of this machine made up, if it is still there: the host keeps it, and no other gets it.
fn made_before(inputs: PlanInputs<'_>) -> Result<Option<(Want, Want)>, PlanFault> {
    let of_this = inputs.view.record().filter(|record| record.machine == inputs.output.machine);
    let Some(record) = of_this else { return Ok(None) };
    let is_made_up = |path: &str| record.step(path).is_some_and(|(_, step)| step.is_made_up);
    if !is_made_up(HOST_KEY_PATH) || !is_made_up(PUBLIC_HOST_KEY_PATH) {
        return Ok(None);
    }
    let rootfs = inputs.view.rootfs();
    let (Some(private), Some(public)) = (rootfs.read(HOST_KEY_PATH)?, rootfs.read(PUBLIC_HOST_KEY_PATH)?)
    else {
        return Ok(None);
    };
    Ok(Some((root_file(private.to_vec(), 0o600), root_file(public.to_vec(), 0o644))))
}
