//! Certificates that appliances have shown, kept beside the sheet so that another one is noticed. Public data.

use serde::{Deserialize, Serialize};

/// The form of such files, which changes when an older program could not read one.
const FORMAT: u32 = 1;

/// The largest file that is read as one.
pub const SEEN_CERTIFICATES_LIMIT: u64 = 16 * 1024 * 1024;

/// What the file begins with.
const HEAD: &str = "# The certificates that appliances have shown to `impostazione probe after --remember`.\n\
    # They are public. Keep this file with the sheet. Where an appliance gets another certificate on purpose, remove its\n\
    # entry, and remember the new one.\n\n";

/// Certificates by machine (TOML), in the order of their names.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct SeenCertificates {
    format: u32,
    /// One for each machine at the most.
    #[serde(default, rename = "certificate")]
    certificates: Vec<SeenCertificate>,
}

/// The certificate of a machine.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct SeenCertificate {
    /// The machine's name in the sheet.
    pub machine: String,
    /// The SHA-256 digest of the certificate, in pairs of hexadecimal digits.
    pub sha256: String,
}

/// Why a file of certificates cannot be used, as the end of a sentence that begins with its name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum SeenCertificatesFault {
    /// It is not such a file.
    #[error("is not a list of certificates as `probe after --remember` writes it: {0}")]
    Form(String),
    /// It has another form.
    #[error("has format {0}; this program reads format {FORMAT}")]
    Format(u32),
    /// A machine stands in it twice.
    #[error("has a certificate of {0} twice; keep the entry that is right")]
    Twice(String),
    /// A digest is none.
    #[error("has a sha256 of {0} that is not 32 pairs of hexadecimal digits")]
    Digest(String),
}

impl Default for SeenCertificates {
    fn default() -> Self {
        Self { format: FORMAT, certificates: Vec::new() }
    }
}

impl SeenCertificates {
    /// Reads such a file.
    pub fn parse(text: &str) -> Result<Self, SeenCertificatesFault> {
        let mut read: Self =
            toml::from_str(text).map_err(|error| SeenCertificatesFault::Form(error.message().to_owned()))?;
        if read.format != FORMAT {
            return Err(SeenCertificatesFault::Format(read.format));
        }
        for certificate in &mut read.certificates {
            match canonical(&certificate.sha256) {
                Some(digest) => certificate.sha256 = digest,
                None => return Err(SeenCertificatesFault::Digest(certificate.machine.clone())),
            }
        }
        read.certificates.sort_by(|one, other| one.machine.cmp(&other.machine));
        let twice =
            read.certificates.windows(2).find(|pair| matches!(pair, [a, b] if a.machine == b.machine));
        match twice.and_then(|pair| pair.first()) {
            Some(twice) => Err(SeenCertificatesFault::Twice(twice.machine.clone())),
            None => Ok(read),
        }
    }

    /// The file.
    pub fn to_text(&self) -> String {
        // It has nothing that TOML cannot hold.
        HEAD.to_owned() + &toml::to_string(self).unwrap_or_default()
    }

    /// The digest of a machine's certificate.
    pub fn of(&self, machine: &str) -> Option<&str> {
        let found = self.certificates.iter().find(|known| known.machine == machine);
        found.map(|known| known.sha256.as_str())
    }

    /// Keeps the certificate of a machine that has none here; says whether that was so.
    pub fn remember(&mut self, machine: &str, sha256: &str) -> bool {
        let place = self.certificates.binary_search_by(|known| known.machine.as_str().cmp(machine));
        let Err(place) = place else { return false };
        let certificate = SeenCertificate { machine: machine.to_owned(), sha256: sha256.to_owned() };
        self.certificates.insert(place, certificate);
        true
    }
}

/// A digest as it is shown: pairs of capital digits with colons between them.
fn canonical(text: &str) -> Option<String> {
    let digits: String = text.chars().filter(|digit| !matches!(digit, ':' | ' ')).collect();
    let bytes = hex::decode(digits).ok().filter(|bytes| bytes.len() == 32)?;
    Some(digest_text(&bytes))
}

/// A digest as `openssl x509 -fingerprint` shows it.
pub fn digest_text(bytes: &[u8]) -> String {
    let pairs: Vec<String> = bytes.iter().map(|byte| format!("{byte:02X}")).collect();
    pairs.join(":")
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]

    use super::*;

    #[test]
    fn what_is_remembered_is_read_again_and_is_not_replaced() {
        let (first, second) = (digest_text(&[1; 32]), digest_text(&[2; 32]));
        let mut seen = SeenCertificates::default();
        assert!(seen.remember("logbook-2", &first));
        assert!(seen.remember("logbook-1", &first));
        assert!(!seen.remember("logbook-2", &second), "another certificate is a finding, not a new entry");
        let again = SeenCertificates::parse(&seen.to_text()).unwrap();
        assert_eq!(again, seen);
        assert_eq!(again.of("logbook-2"), Some(&*first));
        assert_eq!(again.of("logbook-3"), None);
    }

    #[test]
    fn a_digest_may_be_written_in_other_ways_and_must_be_whole() {
        let with = |digest: &str| {
            SeenCertificates::parse(&format!(
                "format = 1\n[[certificate]]\nmachine = \"logbook-1\"\nsha256 = \"{digest}\"\n"
            ))
        };
        assert_eq!(with(&"ab".repeat(32)).unwrap().of("logbook-1"), Some(&*digest_text(&[0xab; 32])));
        assert!(matches!(with("ab:cd"), Err(SeenCertificatesFault::Digest(_))));
        assert!(matches!(SeenCertificates::parse("format = 2\n"), Err(SeenCertificatesFault::Format(2))));
        assert!(matches!(SeenCertificates::parse("x = 1\n"), Err(SeenCertificatesFault::Form(_))));
    }
}
