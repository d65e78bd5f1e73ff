//! What uses each secret of a site, and what that wants of its value.

use std::collections::{BTreeMap, BTreeSet};

use impostazione_ovf::Meaning;
use impostazione_text::{Hidden, Place, Stated};

use super::answer::AnswerSource;
use super::demands::Demands;
use super::machine::Machine;
use super::secret::Secret;
use super::secret_slot::{SecretRole, SecretSlot, SecretUse};
use super::settings::{Purpose, TimeService};
use super::site::Site;

impl Site {
    /// Every use of a secret.
    pub fn secret_uses(&self) -> &[SecretUse] {
        self.secret_uses.get_or_init(|| uses(self))
    }

    /// The values that are wanted, in the order of the secrets and then of the holders. Secrets that nothing uses want
    /// none.
    pub fn secret_slots(&self) -> &[SecretSlot] {
        self.secret_slots.get_or_init(|| {
            let mut slots: BTreeMap<(usize, Option<String>), Vec<usize>> = BTreeMap::new();
            for (index, used) in self.secret_uses().iter().enumerate() {
                let Some(secret) = self.secrets.get(used.secret) else { continue };
                let machine = used.machine.and_then(|index| self.machines.get(index));
                let holder = match (secret.scope, machine) {
                    (super::secret::SecretScope::Site, _) => None,
                    (_, Some(machine)) => secret.holder(self, machine).map(str::to_owned),
                    (_, None) => continue,
                };
                slots.entry((used.secret, holder)).or_default().push(index);
            }
            slots.into_iter().map(|((secret, holder), uses)| SecretSlot { secret, holder, uses }).collect()
        })
    }

    /// The secret of a slot.
    pub fn secret_of(&self, slot: &SecretSlot) -> Option<&Secret> {
        self.secrets.get(slot.secret)
    }

    /// The value of a slot, where it could be had.
    pub fn value_of_slot(&self, slot: &SecretSlot) -> Option<&Hidden> {
        self.secret_of(slot)?.value_of(slot.holder.as_deref()).value()
    }

    /// The uses of a slot.
    pub fn uses_of<'a>(&'a self, slot: &'a SecretSlot) -> impl Iterator<Item = &'a SecretUse> {
        slot.uses.iter().filter_map(|index| self.secret_uses().get(*index))
    }

    /// The machine of a use.
    pub fn machine_of_use(&self, used: &SecretUse) -> Option<&Machine> {
        self.machines.get(used.machine?)
    }

    /// What a slot's value must keep to, from the sheet and from all that uses it.
    pub fn demands_on(&self, slot: &SecretSlot) -> Demands {
        Demands::of(self, slot)
    }

    /// What a use is for, in words that are the same for machines that use the secret alike.
    pub fn role_in_words(&self, used: &SecretUse) -> String {
        match used.role {
            SecretRole::Account(index) => {
                let name = self.accounts.get(index).map(|account| account.name.value.to_string());
                format!("login {}", name.unwrap_or_default())
            }
            SecretRole::Answer(_) => {
                let property = self.answered_property(used).unwrap_or_default();
                match self.package_in_words(used) {
                    Some(package) => format!("property {property} of {package}"),
                    None => format!(
                        "question {property} of {}",
                        self.machine_of_use(used).map_or("a console", Machine::called)
                    ),
                }
            }
            SecretRole::Wifi(index) => {
                let name = self.subnets.get(index).map(|subnet| subnet.name.value.as_str());
                format!("Wi-Fi network of {}", name.unwrap_or_default())
            }
            SecretRole::TimeKey(index) => {
                let name = self.time_keys.get(index).map(|key| key.name.value.as_str());
                format!("time key {}", name.unwrap_or_default())
            }
        }
    }

    /// The id of the property, or of the question, that a use answers.
    pub fn answered_property(&self, used: &SecretUse) -> Option<&str> {
        let SecretRole::Answer(index) = used.role else { return None };
        let appliance = self.machine_of_use(used)?.appliance()?;
        Some(&appliance.answers.get(index)?.property.value)
    }

    fn package_in_words(&self, used: &SecretUse) -> Option<&str> {
        let appliance = self.machine_of_use(used)?.appliance()?;
        let package = self.package_of(appliance)?;
        let id = self.answered_property(used)?;
        self.system_of(appliance)?.property(id).map(|_| package.path.as_str())
    }

    /// Whether a use answers a property of a package, and no question of a console.
    pub fn is_property_answer(&self, used: &SecretUse) -> bool {
        self.package_in_words(used).is_some()
    }

    /// The account that a use opens, where that is known.
    pub fn account_of_use(&self, used: &SecretUse) -> Option<String> {
        match used.role {
            SecretRole::Account(index) => Some(self.accounts.get(index)?.name.value.to_string()),
            SecretRole::Answer(_) => {
                let appliance = self.machine_of_use(used)?.appliance()?;
                let id = self.answered_property(used)?;
                if !self.is_property_answer(used) {
                    // A console asks for the password of the login that the product comes with.
                    let login = self.meanings_of(appliance)?.default_login.as_ref()?;
                    return self.is_password_answer(used).then(|| login.account.clone());
                }
                let system = self.system_of(appliance)?;
                let at = system.properties.iter().position(|property| property.has_id(id))?;
                let reading = appliance.readings.get(at)?;
                reading.account.clone().filter(|_| reading.meaning == Meaning::Password)
            }
            SecretRole::Wifi(_) | SecretRole::TimeKey(_) => None,
        }
    }

    /// Whether who knows the value may change the machine.
    pub fn is_for_administrators(&self, used: &SecretUse) -> bool {
        match used.role {
            SecretRole::Account(index) => self
                .accounts
                .get(index)
                .is_some_and(|account| account.is_admin || account.name.value.as_str() == "root"),
            SecretRole::Answer(_) => {
                let account = self.account_of_use(used).unwrap_or_default();
                if !self.is_property_answer(used) && !account.is_empty() {
                    return true;
                }
                let id = self.answered_property(used).unwrap_or_default();
                [account.as_str(), id].iter().any(|text| {
                    let text = text.to_ascii_lowercase();
                    text.contains("admin")
                        || text.split(|c: char| !c.is_alphanumeric()).any(|part| part == "root")
                })
            }
            SecretRole::Wifi(_) | SecretRole::TimeKey(_) => false,
        }
    }

    /// Whether every machine that uses a slot's value is for a lab.
    pub fn is_only_for_labs(&self, slot: &SecretSlot) -> bool {
        let mut machines = self.uses_of(slot).filter_map(|used| self.machine_of_use(used)).peekable();
        if machines.peek().is_none() {
            return self.common.purpose() == Purpose::Lab;
        }
        machines.all(|machine| machine.settings.purpose() == Purpose::Lab)
    }
}

fn uses(site: &Site) -> Vec<SecretUse> {
    let mut uses = Vec::new();
    let mut used_by_machine: BTreeSet<SecretRole> = BTreeSet::new();
    for (index, machine) in site.machines.iter().enumerate() {
        let mut note = |secret: usize, role: SecretRole, place: Place| {
            used_by_machine.insert(role);
            uses.push(SecretUse { secret, machine: Some(index), role, place });
        };
        for account_index in machine.host().into_iter().flat_map(|host| &host.accounts) {
            let password = site.accounts.get(*account_index).and_then(|account| account.password.value());
            if let Some(password) = password {
                note(password.value, SecretRole::Account(*account_index), password.place);
            }
        }
        for link in &machine.links {
            let Some(subnet) =
                link.subnet.value().filter(|_| matches!(link.kind, super::link::LinkKind::Wifi))
            else {
                continue;
            };
            let wifi = site.subnets.get(subnet.value).and_then(|subnet| subnet.wifi.value());
            if let Some(Stated::Value(Some(passphrase))) = wifi.map(|wifi| &wifi.passphrase) {
                note(passphrase.value, SecretRole::Wifi(subnet.value), passphrase.place);
            }
        }
        if machine.host().is_some() && machine.settings.time_service() == TimeService::Chrony {
            let sources = machine.settings.ntp.value().into_iter().flat_map(|list| list.values());
            let names: BTreeSet<&str> =
                sources.filter_map(|source| Some(source.key.as_ref()?.value.as_str())).collect();
            for (key_index, key) in site.time_keys.iter().enumerate() {
                if let Some(value) = key.value.value().filter(|_| names.contains(key.name.value.as_str())) {
                    note(value.value, SecretRole::TimeKey(key_index), value.place);
                }
            }
        }
        for (answer_index, answer) in
            machine.appliance().into_iter().flat_map(|appliance| &appliance.answers).enumerate()
        {
            if let Some(AnswerSource::Secret(secret)) = answer.source.value() {
                note(*secret, SecretRole::Answer(answer_index), answer.place);
            }
        }
    }
    // What no machine has wants its secret all the same, so that it is not taken for unused.
    let mut note = |secret: usize, role: SecretRole, place: Place| {
        if !used_by_machine.contains(&role) {
            uses.push(SecretUse { secret, machine: None, role, place });
        }
    };
    for (index, account) in site.accounts.iter().enumerate() {
        if let Some(password) = account.password.value() {
            note(password.value, SecretRole::Account(index), password.place);
        }
    }
    for (index, subnet) in site.subnets.iter().enumerate() {
        if let Some(Stated::Value(Some(passphrase))) = subnet.wifi.value().map(|wifi| &wifi.passphrase) {
            note(passphrase.value, SecretRole::Wifi(index), passphrase.place);
        }
    }
    for (index, key) in site.time_keys.iter().enumerate() {
        if let Some(value) = key.value.value() {
            note(value.value, SecretRole::TimeKey(index), value.place);
        }
    }
    uses
}
