//! The files of the output that stand on the host as they were rendered.

use impostazione_rootfs::{Change, Owner, Want};

use super::edits::subject_of;
use super::plan::Plan;
use super::plan_inputs::PlanInputs;
use crate::host::{CHRONY_KEYS_PATH, HOSTS_PATH, SSH_MASKED, SSH_WANTED};
use crate::output::{HostContent, HostFile};

/// Groups of the host by name, with their numbers, as they will be.
pub(super) struct Groups(pub(super) Vec<(String, u32)>);

impl Groups {
    pub(super) fn number(&self, name: &str) -> Option<u32> {
        self.0.iter().find(|(known, _)| known == name).map(|(_, number)| *number)
    }
}

pub(super) fn plan(inputs: PlanInputs<'_>, groups: &Groups, plan: &mut Plan) {
    for file in &inputs.output.files {
        // These are merged with what is there, or follow from the units that are there.
        let is_merged = [HOSTS_PATH, CHRONY_KEYS_PATH, SSH_WANTED.0].contains(&file.path.as_str())
            || SSH_MASKED.iter().any(|(path, _)| file.path == *path);
        if is_merged {
            continue;
        }
        let want = match &file.content {
            HostContent::Link(target) => Want::Link(target.clone()),
            HostContent::Bytes(bytes) => {
                Want::File { bytes: bytes.clone(), mode: file.mode, owner: owner_of(file, groups) }
            }
        };
        plan.changes.push(Change::new(file.path.clone(), subject_of(&file.path), want));
    }
}

/// Whose a file is to be, by the numbers of this host. A group that is not there is root's.
pub(super) fn owner_of(file: &HostFile, groups: &Groups) -> Owner {
    let group = file.owner.split_once(':').map_or("root", |(_, group)| group);
    Owner { uid: 0, gid: groups.number(group).unwrap_or(0) }
}
