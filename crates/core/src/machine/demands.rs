//! What a secret value must keep to, and who asks for it.

use std::collections::BTreeSet;

use impostazione_secret::keyboard::KeyLayout;
use impostazione_secret::{CharacterClass, GenerateFault, Recipe};

use super::secret_slot::{SecretRole, SecretSlot, SecretUse};
use super::settings::Purpose;
use super::site::Site;

/// The fewest characters of a password where a sheet does not say.
const USUAL_LENGTH: usize = 12;
/// The same in a lab.
const LAB_LENGTH: usize = 8;
/// The fewest bytes of a time key: chrony warns of fewer than ten, and text has fewer bits than bytes times eight. A key for
/// AES128 has just as many.
const TIME_KEY_LENGTH: usize = 16;

/// One demand.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Demand<T> {
    /// What is demanded.
    pub value: T,
    /// Who demands it, in words that begin a sentence.
    pub by: String,
    /// Whether what uses the value takes no other.
    pub is_hard: bool,
}

impl<T> Demand<T> {
    /// What it does in a sentence: a table of the sheet asks, and what uses a value takes it.
    pub fn verb(&self) -> &'static str {
        if self.by.starts_with('[') { "asks for" } else { "takes" }
    }
}

/// All that is demanded of a value.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Demands {
    /// The fewest characters.
    pub min_lengths: BTreeSet<Demand<usize>>,
    /// The most characters.
    pub max_lengths: BTreeSet<Demand<usize>>,
    /// Kinds of characters of which there must be one.
    pub require: BTreeSet<Demand<CharacterClass>>,
    /// Characters that are not taken.
    pub forbid: BTreeSet<Demand<String>>,
    /// Layouts of keyboards on which it is typed.
    pub typed_on: Vec<KeyLayout>,
}

impl Demands {
    pub(super) fn of(site: &Site, slot: &SecretSlot) -> Self {
        let mut demands = Self::default();
        let Some(secret) = site.secret_of(slot) else { return demands };
        let by = format!("[secret.{}]", secret.name.value);
        let own = |value| Demand { value, by: by.clone(), is_hard: false };
        demands.min_lengths.extend(secret.min_length.map(own));
        demands.max_lengths.extend(secret.max_length.map(own));
        for class in &secret.require {
            demands.require.insert(Demand { value: *class, by: by.clone(), is_hard: false });
        }
        if !secret.forbid.is_empty() {
            demands.forbid.insert(Demand { value: secret.forbid.clone(), by: by.clone(), is_hard: false });
        }
        demands.typed_on.clone_from(&secret.typed_on);
        let mut seen = BTreeSet::new();
        for used in site.uses_of(slot) {
            // Machines that use it alike ask for the same, but for the console's layout.
            demands.consider_console(site, used);
            if seen.insert((site.role_in_words(used), meanings_of(site, used))) {
                demands.consider(site, used);
            }
        }
        if secret.min_length.is_none() {
            demands.add_usual_length(site, slot);
        }
        demands
    }

    /// The layout that a host's console assumes counts where the secret is typed at all.
    fn consider_console(&mut self, site: &Site, used: &SecretUse) {
        if self.typed_on.is_empty() || !matches!(used.role, SecretRole::Account(_)) {
            return;
        }
        let machine = site.machine_of_use(used);
        let layout = machine.and_then(|machine| machine.settings.keyboard.value());
        let layout = layout.and_then(|layout| KeyLayout::parse(layout.value.as_str()));
        if let Some(layout) = layout.filter(|layout| !self.typed_on.contains(layout)) {
            self.typed_on.push(layout);
        }
    }

    fn consider(&mut self, site: &Site, used: &SecretUse) {
        match used.role {
            SecretRole::TimeKey(index) => {
                let name = site.time_keys.get(index).map(|key| key.name.value.as_str()).unwrap_or_default();
                let by = format!("[time_key.{name}]");
                let is_exact = site.time_keys.get(index).is_some_and(|key| key.hash == "AES128");
                let length = Demand { value: TIME_KEY_LENGTH, by: by.clone(), is_hard: is_exact };
                self.max_lengths.extend(is_exact.then(|| length.clone()));
                // chrony takes a shorter one for the others, with a warning.
                self.min_lengths.insert(length);
                self.forbid.insert(Demand { value: " \t#".to_owned(), by, is_hard: true });
            }
            // A passphrase has a rule of its own.
            SecretRole::Account(_) | SecretRole::Wifi(_) => {}
            SecretRole::Answer(_) => {
                // Nothing where there is neither a package nor a meanings file.
                let _ = self.consider_answer(site, used);
            }
        }
    }

    fn consider_answer(&mut self, site: &Site, used: &SecretUse) -> Option<()> {
        let appliance = site.machine_of_use(used)?.appliance()?;
        let id = site.answered_property(used)?;
        let property = site.system_of(appliance).and_then(|system| system.property(id));
        if let Some(property) = property {
            let by = format!("The property {id}");
            let hard = |value| hard(value, &by);
            self.min_lengths.extend(property.limits.min_length.filter(|least| *least > 0).map(hard));
            self.max_lengths.extend(property.limits.max_length.map(hard));
        }
        let file = site.meanings_of(appliance)?;
        let rules = file.password_rules.as_ref()?;
        let by = if file.product.is_empty() {
            "The product's password rules".to_owned()
        } else {
            format!("{}'s password rules", file.product)
        };
        self.min_lengths.extend(rules.min_length.map(|value| hard(value, &by)));
        self.max_lengths.extend(rules.max_length.map(|value| hard(value, &by)));
        let classes = rules.require.iter().filter_map(|word| CharacterClass::parse(word));
        self.require.extend(classes.map(|value| Demand { value, by: by.clone(), is_hard: true }));
        if !rules.forbid.is_empty() {
            self.forbid.insert(Demand { value: rules.forbid.clone(), by, is_hard: true });
        }
        Some(())
    }

    /// What is asked for where the sheet does not say, as far as what uses the value takes it.
    fn add_usual_length(&mut self, site: &Site, slot: &SecretSlot) {
        let is_password = site.uses_of(slot).any(|used| match used.role {
            SecretRole::Account(_) => true,
            SecretRole::Answer(_) => site.account_of_use(used).is_some() || site.is_password_answer(used),
            SecretRole::Wifi(_) | SecretRole::TimeKey(_) => false,
        });
        if !is_password {
            return;
        }
        let (usual, purpose) = if site.is_only_for_labs(slot) {
            (LAB_LENGTH, Purpose::Lab)
        } else {
            (USUAL_LENGTH, Purpose::Production)
        };
        let value = self.max_length().map_or(usual, |most| usual.min(most.value));
        let word = Purpose::ALL.iter().find(|(_, known)| *known == purpose).map_or("", |(word, _)| word);
        self.min_lengths.insert(Demand {
            value,
            by: format!("A password in {}", in_words(word)),
            is_hard: false,
        });
    }

    /// The highest of the fewest characters.
    pub fn min_length(&self) -> Option<&Demand<usize>> {
        self.min_lengths.iter().max_by_key(|demand| (demand.value, demand.is_hard))
    }

    /// The lowest of the most characters.
    pub fn max_length(&self) -> Option<&Demand<usize>> {
        self.max_lengths.iter().min_by_key(|demand| (demand.value, !demand.is_hard))
    }

    /// What a value that is made up keeps to.
    pub fn recipe(&self) -> Recipe {
        Recipe {
            min_length: self.min_length().map_or(1, |demand| demand.value),
            max_length: self.max_length().map(|demand| demand.value),
            require: self.require.iter().map(|demand| demand.value).collect(),
            forbid: self.forbid.iter().map(|demand| demand.value.as_str()).collect(),
            typed_on: self.typed_on.clone(),
        }
    }

    /// Whether no value can keep to all of it, and if so, why.
    pub fn contradiction(&self) -> Option<GenerateFault> {
        self.recipe().contradiction()
    }
}

/// A length that what uses the value insists on.
fn hard(value: u64, by: &str) -> Demand<usize> {
    Demand { value: usize::try_from(value).unwrap_or(usize::MAX), by: by.to_owned(), is_hard: true }
}

fn in_words(purpose: &str) -> &str {
    if purpose == "lab" { "a lab" } else { purpose }
}

fn meanings_of(site: &Site, used: &SecretUse) -> Option<usize> {
    site.machine_of_use(used)?.appliance()?.meanings.value().map(|written| written.value)
}

impl Site {
    /// Whether a use answers a property, or a question, that wants a password.
    pub fn is_password_answer(&self, used: &SecretUse) -> bool {
        let answer = || {
            let appliance = self.machine_of_use(used)?.appliance()?;
            let id = self.answered_property(used)?;
            Some(self.wants_password(appliance, id))
        };
        answer().unwrap_or(false)
    }
}
