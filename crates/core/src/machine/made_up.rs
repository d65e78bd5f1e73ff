//! Whether a secret may be made up, or belongs to something that exists already and is the same there.

use impostazione_ovf::Meaning;

use super::secret_slot::{SecretRole, SecretUse};
use super::site::Site;

/// Why a value is not made up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotMadeUp {
    /// The sheet says so.
    Said,
    /// An existing Wi-Fi network has it.
    WifiPassphrase,
    /// A time server that exists has it.
    TimeKey,
    /// Its maker gives it out.
    LicenseKey,
    /// The machines that are there already have it.
    JoinSecret,
    /// What it answers is not known, since the package could not be read.
    NotLookedAt,
}

impl NotMadeUp {
    /// Why, as the end of a sentence about the secret.
    pub fn reason(self) -> &'static str {
        match self {
            Self::Said => "belongs to something that already exists (generated = false)",
            Self::WifiPassphrase => "is the passphrase of an existing Wi-Fi network",
            Self::TimeKey => "is the key of an existing time server",
            Self::LicenseKey => "is a license key, which comes from the vendor",
            Self::JoinSecret => "joins existing machines, which already have it",
            Self::NotLookedAt => "answers a package that could not be read, so it may be a license key",
        }
    }
}

impl Site {
    /// Why no value is to be made up for a secret, by its index; nothing where one may be.
    pub fn not_made_up(&self, secret: usize) -> Option<NotMadeUp> {
        let said = self.secrets.get(secret)?.generated.value().map(|flag| flag.value);
        if let Some(is_generated) = said {
            return (!is_generated).then_some(NotMadeUp::Said);
        }
        self.secret_uses()
            .iter()
            .filter(|used| used.secret == secret)
            .find_map(|used| self.exists_already(used))
    }

    fn exists_already(&self, used: &SecretUse) -> Option<NotMadeUp> {
        match used.role {
            SecretRole::Account(_) => None,
            SecretRole::Wifi(_) => Some(NotMadeUp::WifiPassphrase),
            SecretRole::TimeKey(_) => Some(NotMadeUp::TimeKey),
            SecretRole::Answer(_) => {
                let appliance = self.machine_of_use(used)?.appliance()?;
                let id = self.answered_property(used)?;
                if self.package_of(appliance).is_some_and(|package| package.descriptor.is_err()) {
                    return Some(NotMadeUp::NotLookedAt);
                }
                if speaks_of_joining(id) {
                    return Some(NotMadeUp::JoinSecret);
                }
                let system = self.system_of(appliance)?;
                let at = system.properties.iter().position(|property| property.has_id(id))?;
                let label = &system.properties.get(at)?.label;
                if speaks_of_joining(label) {
                    return Some(NotMadeUp::JoinSecret);
                }
                let meaning = appliance.readings.get(at)?.meaning;
                (meaning == Meaning::LicenseKey).then_some(NotMadeUp::LicenseKey)
            }
        }
    }
}

/// Whether a property mentions joining others by the words of its key or its label.
fn speaks_of_joining(text: &str) -> bool {
    let small = text.to_lowercase();
    let mut words = small.split(|c: char| !c.is_alphabetic());
    words.any(|word| word.starts_with("join") || word.starts_with("enrol") || word.starts_with("pairing"))
}
