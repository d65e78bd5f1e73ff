//! Manifests: the digest of each file of a package (DSP0243 2.1.1, section 5.1).

use std::collections::HashSet;
use std::fmt::Write as _;

use super::digest::Algorithm;

/// Largest manifest that is read.
pub(super) const MANIFEST_LIMIT: u64 = 4 * 1024 * 1024;

/// A manifest as it stands.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Manifest {
    /// Its lines, but for empty ones and those that could not be read.
    pub entries: Vec<ManifestEntry>,
    /// What is wrong with lines that could not be read.
    pub faults: Vec<String>,
    /// The first file that it names twice, and the number of the second line.
    pub repeated: Option<(String, usize)>,
}

/// A line of a manifest.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ManifestEntry {
    /// The algorithm.
    pub algorithm: Algorithm,
    /// The file.
    pub name: String,
    /// Its digest in small hexadecimal digits.
    pub digest: String,
}

impl Manifest {
    /// Reads a manifest; Windows line ends are taken. Never fails: lines that are no digest are among the faults.
    pub fn parse(bytes: &[u8]) -> Self {
        let mut manifest = Self::default();
        let mut names = HashSet::new();
        let text = String::from_utf8_lossy(bytes);
        let text = text.strip_prefix('\u{feff}').unwrap_or(&text);
        for (index, line) in text.lines().enumerate() {
            let line = line.trim();
            if line.is_empty() || line.starts_with('#') {
                continue;
            }
            match entry(line) {
                Ok(entry) => {
                    if !names.insert(entry.name.clone()) {
                        manifest.repeated.get_or_insert_with(|| (entry.name.clone(), index + 1));
                    }
                    manifest.entries.push(entry);
                }
                // What a hundred lines say need not be said again.
                Err(_) if manifest.faults.len() >= 100 => {}
                Err(why) => manifest.faults.push(format!("line {}: {why}", index + 1)),
            }
        }
        manifest
    }

    /// What the manifest says of a file.
    pub fn entry(&self, name: &str) -> Option<&ManifestEntry> {
        self.entries.iter().find(|entry| entry.name == name)
    }

    /// The algorithm that it uses: that of its first line.
    pub fn algorithm(&self) -> Option<Algorithm> {
        self.entries.first().map(|entry| entry.algorithm)
    }

    /// The manifest as text, a line each.
    pub fn text(&self) -> String {
        let mut text = String::new();
        for ManifestEntry { algorithm, name, digest } in &self.entries {
            // Writing to a String does not fail.
            let _ = writeln!(text, "{}({name})= {digest}", algorithm.word());
        }
        text
    }
}

/// `SHA256(name)= digits`
pub(super) fn entry(line: &str) -> Result<ManifestEntry, String> {
    let parts = line.split_once('(').and_then(|(algorithm, rest)| {
        let (name, digest) = rest.rsplit_once('=')?;
        Some((algorithm.trim(), name.trim_end().strip_suffix(')')?, digest.trim()))
    });
    let Some((algorithm, name, digest)) = parts else {
        return Err("it is not of the form SHA256(file)= digits".to_owned());
    };
    let Some(known) = Algorithm::parse(algorithm) else {
        return Err(format!("the algorithm {algorithm} is not SHA1, SHA256 or SHA512"));
    };
    let is_hexadecimal = digest.bytes().all(|byte| byte.is_ascii_hexdigit());
    if !is_hexadecimal || digest.len() != known.digits() {
        return Err(format!("the digest of {name} must have {} hexadecimal digits", known.digits()));
    }
    // A name that leads out of the package stays as it is, and is refused for that.
    let is_within = super::archive::unsafe_name(name).is_none();
    let name = if is_within { super::archive::plain_name(name) } else { name.to_owned() };
    Ok(ManifestEntry { algorithm: known, name, digest: digest.to_ascii_lowercase() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spellings_and_faults() {
        let digest = Algorithm::Sha256.of_bytes(b"abc");
        let text = format!(
            "SHA256(a (1).ovf)= {digest}\r\nSHA2-256(b.img) = {}\n\n# note\nMD5(c)= 00\nSHA1(d)= 12\nnonsense\n",
            digest.to_uppercase()
        );
        let manifest = Manifest::parse(text.as_bytes());
        assert_eq!(manifest.entry("a (1).ovf").unwrap().digest, digest);
        assert_eq!(manifest.entry("b.img").unwrap().digest, digest);
        assert_eq!(manifest.algorithm(), Some(Algorithm::Sha256));
        assert_eq!(manifest.faults.len(), 3);
        assert_eq!(manifest.faults[0], "line 5: the algorithm MD5 is not SHA1, SHA256 or SHA512");
        assert!(manifest.text().starts_with("SHA256(a (1).ovf)= ba7816bf"));
        assert_eq!(Manifest::parse(manifest.text().as_bytes()).entries, manifest.entries);
    }
}
