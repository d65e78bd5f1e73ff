//! SSH public keys that a sheet gives, or names files of.

use std::path::Path;

use ssh_key::PublicKey;
use ssh_key::public::KeyData;

use crate::beside::{Beside, ReadFault};
use crate::source::Written;

/// Largest file of public keys that is read.
const KEY_FILE_LIMIT: u64 = 1024 * 1024;

const PRIVATE_FIX: &str = "name the file of the public key, which ends in .pub, and treat the private key as exposed if \
    the sheet was shared";

/// A public key in its usual spelling.
pub(super) struct ReadKey {
    /// Algorithm, key and comment.
    pub(super) line: String,
    /// Why it should not open anything.
    pub(super) weakness: Option<String>,
}

/// The public keys that one item of `ssh_keys` stands for: a file's, or the one that it is itself.
pub(super) fn public_keys(
    written: &Written<String>,
    beside: &dyn Beside,
) -> Result<Vec<ReadKey>, (String, &'static str)> {
    const FIX: &str = "name a file with a public key in it, as in \"keys/keeper.pub\"";
    let text = written.value.trim();
    if text.contains("PRIVATE KEY") {
        return Err((
            "it is a private key, which belongs on no host and in no sheet".to_owned(),
            PRIVATE_FIX,
        ));
    }
    if is_key_line(text) {
        return public_key(text).map(|line| vec![line]).map_err(|reason| (reason, FIX));
    }
    let bytes = beside.read(Path::new(text), KEY_FILE_LIMIT).map_err(|fault| match fault {
        ReadFault::Missing => {
            (format!("there is no file {text}"), "write the path from the folder of the sheet on")
        }
        other => (format!("{text}: {other}"), FIX),
    })?;
    let name = text;
    let content = std::str::from_utf8(&bytes).map_err(|_| (format!("{name} is not a text"), FIX))?;
    if content.contains("PRIVATE KEY") {
        return Err((format!("{name} holds a private key, which belongs on no host"), PRIVATE_FIX));
    }
    let mut lines = Vec::new();
    for (number, line) in content.lines().enumerate() {
        let line = line.trim();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        let key =
            public_key(line).map_err(|reason| (format!("line {} of {name} {reason}", number + 1), FIX))?;
        lines.push(key);
    }
    if lines.is_empty() { Err((format!("{name} holds no key"), FIX)) } else { Ok(lines) }
}

/// Whether a text is a line of `authorized_keys` and not a path: it begins with the name of a key type.
fn is_key_line(text: &str) -> bool {
    let mut fields = text.split_whitespace();
    let first = fields.next().unwrap_or_default();
    (first.starts_with("ssh-") || first.starts_with("ecdsa-sha2-") || first.starts_with("sk-"))
        && fields.next().is_some()
}

/// Reads one public key. Options before the key are not taken.
fn public_key(line: &str) -> Result<ReadKey, String> {
    if !is_key_line(line) {
        return Err("is no public key".to_owned());
    }
    let key = PublicKey::from_openssh(line).map_err(|_| "is no public key that can be read".to_owned())?;
    let line = key.to_openssh().map_err(|_| "is no public key that can be written again".to_owned())?;
    Ok(ReadKey { line, weakness: weakness(key.key_data()) })
}

/// Why a key should not open anything, as the end of a sentence.
fn weakness(key: &KeyData) -> Option<String> {
    match key {
        KeyData::Dsa(_) => Some("is of type DSA, which sshd refuses".to_owned()),
        KeyData::Rsa(rsa) => {
            let bytes = rsa.n.as_positive_bytes()?;
            let leading = bytes.first()?.leading_zeros() as usize;
            let bits = bytes.len() * 8 - leading;
            (bits < 3072).then(|| format!("is an RSA key of {bits} bits, and 3072 are the least"))
        }
        _ => None,
    }
}
