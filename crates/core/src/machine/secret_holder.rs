//! Whose value of a secret is meant.

use impostazione_text::{Hidden, Stated};

use super::machine::Machine;
use super::secret::{Secret, SecretScope};
use super::site::Site;

impl Secret {
    /// Who has the value that a machine uses: `None` for all that use it.
    pub fn holder<'a>(&self, site: &'a Site, machine: &'a Machine) -> Option<&'a str> {
        match self.scope {
            SecretScope::Site => None,
            SecretScope::Machine => Some(machine.label()),
            SecretScope::Cluster => {
                Some(site.cluster_of(machine).map_or(machine.label(), |cluster| cluster.name.value.as_str()))
            }
        }
    }

    /// The value that a machine uses. Absent where it was not asked for.
    pub fn value_for(&self, site: &Site, machine: &Machine) -> &Stated<Hidden> {
        self.value_of(self.holder(site, machine))
    }
}
