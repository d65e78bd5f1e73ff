//! What a plan is made of.

use impostazione_rootfs::View;

use super::super::survey::Survey;
use super::earlier_logins::EarlierLogins;
use crate::output::{HostFile, HostOutput};

/// What the administrator asks for beside the output.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct PlacementOptions {
    /// Whether the host gets a machine id and host keys of its own, in place of those that it shares with what it was copied
    /// from.
    pub fresh_identity: bool,
}

/// Everything that a plan is made from.
#[derive(Clone, Copy)]
pub(super) struct PlanInputs<'a> {
    pub(super) view: View<'a>,
    pub(super) survey: &'a Survey,
    pub(super) output: &'a HostOutput,
    pub(super) options: PlacementOptions,
    /// Logins of an earlier placement.
    pub(super) earlier: Option<&'a EarlierLogins>,
}

impl<'a> PlanInputs<'a> {
    pub(super) fn file(self, path: &str) -> Option<&'a HostFile> {
        self.output.file(path)
    }

    /// Whether a user was added on the host since an earlier placement.
    pub(super) fn is_added(self, name: &str) -> bool {
        self.survey.accounts.iter().any(|account| account.name == name && !account.is_stock)
    }

    /// Whether netplan is to write for `NetworkManager`.
    pub(super) fn is_for_manager(self) -> bool {
        self.output.is_for_manager()
    }
}
