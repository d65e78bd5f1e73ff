//! Where the settings of machines come from.

use impostazione_text::Sources;
use serde::Serialize;

use super::review::Review;
use crate::machine::{Machine, SettingOrigin, Site};

/// Where a setting of a machine comes from.
#[derive(Clone, Debug, PartialEq, Eq, Hash, Serialize)]
pub struct ReviewedOrigin {
    /// Its key in the sheet, such as `dns` or `ssh.root_login`.
    pub setting: &'static str,
    /// `common`, `subnet` or `machine`.
    pub from: &'static str,
    /// The name of the subnet, where it comes from one.
    pub subnet: Option<String>,
    /// Where it stands: a line, and a file where that is not the sheet.
    pub at: String,
}

impl Review {
    /// Adds where the settings of each machine come from. What the sheet does not state comes from nowhere, and is left out.
    #[must_use]
    pub fn with_origins(mut self, site: &Site, sources: &Sources) -> Self {
        // Both are in the order of the sheet.
        let mut machines = site.machines.iter();
        for reviewed in &mut self.machines {
            let Some(machine) = machines.find(|machine| machine.label() == reviewed.name) else { break };
            reviewed.origins = origins(site, sources, machine);
        }
        self
    }
}

fn origins(site: &Site, sources: &Sources, machine: &Machine) -> Vec<ReviewedOrigin> {
    let stated = machine.settings.stated().into_iter();
    stated
        .map(|(setting, place)| {
            let (from, subnet) = match site.setting_origin(place) {
                SettingOrigin::Common => ("common", None),
                SettingOrigin::Subnet(index) => ("subnet", site.subnets.get(index)),
                SettingOrigin::Machine => ("machine", None),
            };
            ReviewedOrigin {
                setting,
                from,
                subnet: subnet.map(|subnet| subnet.name.value.clone()),
                at: sources.in_words(place),
            }
        })
        .collect()
}
