//! What a store holds.

use std::collections::BTreeMap;
use std::fmt;

use impostazione_text::Hidden;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};
use zeroize::Zeroizing;

use super::identity::{StoreFingerprint, StoreIdentity};
use super::recipient::Recipient;
use crate::host_key::HostKey;
use crate::password_hash::SaltKey;
use crate::random::NoRandomness;

/// What an entry of a store is called.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct EntryId {
    /// The secret's name in the sheet.
    pub secret: String,
    /// The machine or cluster that has a value of its own.
    pub holder: Option<String>,
}

impl fmt::Display for EntryId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.holder {
            None => f.write_str(&self.secret),
            Some(holder) => write!(f, "{} of {holder}", self.secret),
        }
    }
}

/// A value in a store.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoredSecret {
    /// The value.
    pub value: Hidden,
    /// The day on which it was put there.
    pub since: Date,
}

/// A host key in a store.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HostKeyEntry {
    /// The key.
    pub key: HostKey,
    /// The day on which it was made.
    pub since: Date,
}

/// An open store.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Store {
    /// Which store it is.
    pub identity: StoreIdentity,
    /// How often it was written.
    pub revision: u64,
    /// The identities that it had before somebody was no longer to open it.
    pub replaces: Vec<StoreFingerprint>,
    /// The key from which salts are derived.
    pub salt_key: SaltKey,
    /// Who can open it; empty where a passphrase does.
    pub recipients: Vec<Recipient>,
    /// Secret values.
    pub secrets: BTreeMap<EntryId, StoredSecret>,
    /// Host keys by the machine's name.
    pub host_keys: BTreeMap<String, HostKeyEntry>,
}

/// The text form of a store, before it is encrypted.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Text {
    format: u32,
    identity: String,
    revision: u64,
    #[serde(default)]
    replaces: Vec<StoreFingerprint>,
    salt_key: String,
    #[serde(default)]
    recipients: Vec<String>,
    #[serde(default)]
    secrets: Vec<TextSecret>,
    #[serde(default)]
    host_keys: Vec<TextHostKey>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct TextSecret {
    secret: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    holder: Option<String>,
    since: String,
    value: String,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct TextHostKey {
    machine: String,
    since: String,
    key: String,
}

impl Drop for TextSecret {
    fn drop(&mut self) {
        zeroize::Zeroize::zeroize(&mut self.value);
    }
}

impl Drop for TextHostKey {
    fn drop(&mut self) {
        zeroize::Zeroize::zeroize(&mut self.key);
    }
}

impl Drop for Text {
    fn drop(&mut self) {
        zeroize::Zeroize::zeroize(&mut self.salt_key);
        zeroize::Zeroize::zeroize(&mut self.identity);
    }
}

/// Why the content of a store cannot be understood, as the end of a sentence.
pub(super) type ContentFault = &'static str;

impl Store {
    /// A store with nothing in it, for these recipients, or for a passphrase where there are none.
    pub fn new(recipients: Vec<Recipient>) -> Result<Self, NoRandomness> {
        Ok(Self {
            identity: StoreIdentity::random()?,
            revision: 0,
            replaces: Vec::new(),
            salt_key: SaltKey::random()?,
            recipients,
            secrets: BTreeMap::new(),
            host_keys: BTreeMap::new(),
        })
    }

    /// Gives it an identity of its own, which those do not know who could open it until now.
    pub fn renew_identity(&mut self) -> Result<(), NoRandomness> {
        self.replaces.push(self.identity.fingerprint());
        self.identity = StoreIdentity::random()?;
        Ok(())
    }

    pub(super) fn from_text(bytes: &[u8]) -> Result<Self, ContentFault> {
        const MALFORMED: ContentFault = "it does not hold a store of secrets";
        /// What tells a later version's store, which this one cannot read in full.
        #[derive(Deserialize)]
        struct Version {
            format: u32,
        }
        let version: Version = serde_json::from_slice(bytes).map_err(|_| MALFORMED)?;
        if version.format != 1 {
            return Err("it was written by a later version of this program");
        }
        let text: Text = serde_json::from_slice(bytes).map_err(|_| MALFORMED)?;
        let mut store = Self {
            identity: StoreIdentity::from_hex(&text.identity).ok_or(MALFORMED)?,
            revision: text.revision,
            replaces: text.replaces.clone(),
            salt_key: SaltKey::from_hex(&text.salt_key).ok_or(MALFORMED)?,
            recipients: Vec::with_capacity(text.recipients.len()),
            secrets: BTreeMap::new(),
            host_keys: BTreeMap::new(),
        };
        for line in &text.recipients {
            store.recipients.push(Recipient::parse(line).map_err(|_| MALFORMED)?);
        }
        for entry in &text.secrets {
            let id = EntryId { secret: entry.secret.clone(), holder: entry.holder.clone() };
            let since = entry.since.parse().map_err(|_| MALFORMED)?;
            store.secrets.insert(id, StoredSecret { value: Hidden::new(entry.value.as_str()), since });
        }
        for entry in &text.host_keys {
            let since = entry.since.parse().map_err(|_| MALFORMED)?;
            let key = HostKey::from_hex(&entry.key).ok_or(MALFORMED)?;
            store.host_keys.insert(entry.machine.clone(), HostKeyEntry { key, since });
        }
        Ok(store)
    }

    pub(super) fn to_text(&self) -> Zeroizing<Vec<u8>> {
        let text = Text {
            format: 1,
            identity: self.identity.to_hex().reveal().to_owned(),
            revision: self.revision,
            replaces: self.replaces.clone(),
            salt_key: self.salt_key.to_hex().reveal().to_owned(),
            recipients: self.recipients.iter().map(ToString::to_string).collect(),
            secrets: self
                .secrets
                .iter()
                .map(|(id, stored)| TextSecret {
                    secret: id.secret.clone(),
                    holder: id.holder.clone(),
                    since: stored.since.to_string(),
                    value: stored.value.reveal().to_owned(),
                })
                .collect(),
            host_keys: self
                .host_keys
                .iter()
                .map(|(machine, entry)| TextHostKey {
                    machine: machine.clone(),
                    since: entry.since.to_string(),
                    key: entry.key.to_hex().reveal().to_owned(),
                })
                .collect(),
        };
        // Large enough that it need not grow, which would leave copies behind: a character takes six bytes at most.
        let values: usize =
            text.secrets.iter().map(|entry| entry.value.len() * 6 + entry.secret.len() * 2 + 300).sum();
        let mut bytes = Zeroizing::new(Vec::with_capacity(values + text.host_keys.len() * 400 + 100_000));
        // Writing texts and numbers to memory does not fail.
        let _ = serde_json::to_writer(&mut *bytes, &text);
        bytes
    }
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;

    use super::*;

    #[test]
    fn a_store_reads_back_as_it_was_written() {
        let mut store = Store::new(Vec::new()).unwrap();
        let since = date(2026, 11, 25);
        let id = EntryId { secret: "keeper-login".into(), holder: Some("gauge-01".into()) };
        store.secrets.insert(id.clone(), StoredSecret { value: Hidden::new("a \"quoted\" gull"), since });
        store.host_keys.insert("gauge-01".into(), HostKeyEntry { key: HostKey::random().unwrap(), since });
        assert_eq!(Store::from_text(&store.to_text()), Ok(store));
        assert_eq!(id.to_string(), "keeper-login of gauge-01");
    }

    #[test]
    fn strange_contents_are_refused() {
        for (text, says) in [
            ("", "does not hold a store"),
            ("{}", "does not hold a store"),
            (r#"{"format":2,"more":1}"#, "later version"),
            (r#"{"format":1,"salt_key":"00"}"#, "does not hold a store"),
        ] {
            assert!(Store::from_text(text.as_bytes()).unwrap_err().contains(says), "{text}");
        }
    }
}
