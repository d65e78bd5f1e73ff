//! What the parts of a property's text speak of.

use super::signs::Signs;
use super::words::{Spoken, first_sentence, words_of};
use crate::descriptor::Property;

/// What the parts of a property's text speak of.
pub(super) struct Texts {
    pub(super) key: Spoken,
    pub(super) label: Spoken,
    pub(super) class: Spoken,
    pub(super) category: Spoken,
    pub(super) sentence: Spoken,
    pub(super) description: Spoken,
    /// Key, label, class, and the category where it says something of one thing only.
    pub(super) name: Spoken,
    /// Name, and the first sentence of the description where the name is silent.
    pub(super) all: Spoken,
    /// Whether key, label and class speak of nothing that there is a sign for.
    pub(super) is_silent: bool,
}

/// Concepts of things that are not the machine itself.
pub(super) const FOREIGN: &[&str] =
    &["syslog", "directory-service", "snmp", "other-host", "license", "mail", "mailrelay", "proxy", "range"];

/// Concepts of a network's own settings, several of which a category may announce.
pub(super) const OF_NETWORK: &[&str] =
    &["ip", "address", "netmask", "gateway", "dns", "ntp", "hostname", "domain"];

impl Texts {
    pub(super) fn of(property: &Property, prefix: Option<&str>, signs: &Signs) -> Self {
        let read = |text: &str| signs.vocabulary.read(text);
        let key = prefix.and_then(|prefix| property.key.strip_prefix(prefix)).unwrap_or(&property.key);
        let (key, mut label) = (read(key), read(&property.label));
        if let Some(product) = prefix.map(read) {
            label.forget(&product);
        }
        let (class, category) = (read(class_words(&property.class)), read(&property.category));
        let sentence = read(first_sentence(&property.description));
        let own = key.with(&label).with(&class);
        let announces = OF_NETWORK.iter().filter(|concept| category.has(concept)).count();
        let name = if announces <= 1 { own.with(&category) } else { own };
        let is_silent = !signs.lines.iter().any(|sign| sign.all.iter().all(|concept| name.has(concept)));
        let all = if is_silent { name.with(&sentence) } else { name.clone() };
        Self {
            is_silent,
            description: read(&property.description),
            key,
            label,
            class,
            category,
            sentence,
            name,
            all,
        }
    }
}

impl Texts {
    /// The words of the key before its last: where it stands in a path.
    pub(super) fn stem(&self) -> &[String] {
        self.key.words.split_last().map(|(_, before)| before).unwrap_or_default()
    }
}

/// What nearly all keys begin with, which is the product's name and says nothing of a single one: `gw_` of a gateway.
pub(super) fn common_prefix(properties: &[Property]) -> Option<String> {
    let first = words_of(&properties.first()?.key).into_iter().next()?;
    let written = properties.first()?.key.get(..first.len())?;
    // These are no names of products.
    if matches!(first.as_str(), "ip" | "net" | "network" | "ipv4" | "ipv6" | "mgmt" | "management" | "system")
    {
        return None;
    }
    let with_it = properties.iter().filter(|property| {
        let rest = property.key.strip_prefix(written);
        rest.is_some_and(|rest| rest.chars().next().is_some_and(|next| !next.is_lowercase()))
    });
    let is_shared = properties.len() >= 5 && with_it.count() * 10 >= properties.len() * 8;
    is_shared.then(|| written.to_owned())
}

/// A class without what all classes of a package begin with: `org.capovetro.net` is about `net`.
pub(super) fn class_words(class: &str) -> &str {
    class.rsplit('.').next().unwrap_or_default()
}
