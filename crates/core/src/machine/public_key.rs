//! SSH public keys that a sheet gives, or names files of.

use std::path::Path;

use impostazione_text::Written;
use impostazione_text::files::{NamedFiles, ReadFault};
use jiff::civil::DateTime;
use ssh_key::PublicKey;
use ssh_key::public::KeyData;

use super::key_options::KeyOptions;

/// Largest file of public keys that is read.
const KEY_FILE_LIMIT: u64 = 1024 * 1024;

const PRIVATE_FIX: &str = "name the public key file (it ends in .pub); if the sheet was shared, replace the private \
    key";

/// A public key in its usual spelling.
pub(super) struct ReadKey {
    /// Options, algorithm, key and comment.
    pub(super) line: String,
    /// Why it should not open anything.
    pub(super) weakness: Option<String>,
    /// When it stops opening anything, by the host's clock.
    pub(super) expires: Option<DateTime>,
    /// Whether it opens nothing itself, and only signs certificates that do.
    pub(super) is_authority: bool,
}

/// The public keys that one item of `ssh_keys` stands for: a file's, or the one that it is itself.
pub(super) fn public_keys(
    written: &Written<String>,
    named_files: &dyn NamedFiles,
) -> Result<Vec<ReadKey>, (String, &'static str)> {
    const FIX: &str = "name a file with a public key in it, as in \"keys/keeper.pub\"";
    let text = written.value.trim();
    if text.contains("PRIVATE KEY") {
        return Err((
            "it is a private key, which must not be on a host or in a sheet".to_owned(),
            PRIVATE_FIX,
        ));
    }
    if is_key_line(text) {
        return public_key(text).map(|line| vec![line]).map_err(|reason| (format!("it {reason}"), FIX));
    }
    if text.starts_with("~/") {
        return Err((
            format!("{text}: a sheet does not know whose home ~ is"),
            "copy the public key next to the sheet, and write its path relative to the sheet's folder",
        ));
    }
    let bytes = named_files.read(Path::new(text), KEY_FILE_LIMIT).map_err(|fault| match fault {
        ReadFault::Missing => {
            (format!("there is no file {text}"), "write the path relative to the sheet's folder")
        }
        other => (format!("{text}: {other}"), FIX),
    })?;
    let name = text;
    let content = std::str::from_utf8(&bytes).map_err(|_| (format!("{name} is not text"), FIX))?;
    if content.contains("PRIVATE KEY") || content.starts_with("PuTTY-User-Key-File-") {
        return Err((format!("{name} holds a private key, which must not be on a host"), PRIVATE_FIX));
    }
    if let Some((what, fix)) = other_form(content) {
        return Err((format!("{name} holds {what}"), fix));
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

/// What a text is that holds a public key in a form that sshd does not read, and what makes it one that it does.
fn other_form(text: &str) -> Option<(&'static str, &'static str)> {
    let has = |words: &str| text.contains(words);
    if has("---- BEGIN SSH2 PUBLIC KEY ----") {
        let fix = "convert it with `ssh-keygen -i -f FILE > NEW.pub`, and name the new file";
        return Some(("a key in RFC 4716 (SSH2) format, which sshd does not read", fix));
    }
    if has("-----BEGIN RSA PUBLIC KEY-----") {
        let fix = "convert it with `ssh-keygen -i -m PEM -f FILE > NEW.pub`, and name the new file";
        return Some(("a key in PEM (PKCS #1), which sshd does not read", fix));
    }
    if has("-----BEGIN PUBLIC KEY-----") {
        let fix = "convert it with `ssh-keygen -i -m PKCS8 -f FILE > NEW.pub`, and name the new file";
        return Some(("a key in PEM (PKCS #8), which sshd does not read", fix));
    }
    has("-----BEGIN CERTIFICATE-----").then_some((
        "an X.509 certificate, not an SSH key",
        "name a file with a public key in it, as in \"keys/keeper.pub\"",
    ))
}

/// What is wrong with a text that is to be public keys, a line each, as the end of a sentence. It never repeats the key.
pub(crate) fn key_fault(text: &str) -> Option<String> {
    if text.contains("PRIVATE KEY") {
        return Some("is a private key, which must not be on a machine or in a sheet".to_owned());
    }
    if let Some((what, _)) = other_form(text) {
        return Some(format!("is {what}"));
    }
    let mut lines =
        text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#')).peekable();
    if lines.peek().is_none() {
        return Some("holds no key".to_owned());
    }
    lines.find_map(|line| match public_key(line) {
        Ok(key) => key.weakness,
        Err(reason) => Some(reason),
    })
}

/// Whether a text is a line of `authorized_keys` and not a path: the name of a key type stands in it, after options
/// perhaps, and a key behind it.
fn is_key_line(text: &str) -> bool {
    key_start(text).is_some()
}

/// Where the type of the key begins, behind the options.
fn key_start(text: &str) -> Option<usize> {
    let is_type =
        |word: &str| word.starts_with("ssh-") || word.starts_with("ecdsa-sha2-") || word.starts_with("sk-");
    let mut is_quoted = false;
    let mut start = 0;
    let bytes = text.as_bytes();
    for (at, byte) in bytes.iter().enumerate() {
        match byte {
            b'"' if at == 0 || bytes.get(at - 1) != Some(&b'\\') => is_quoted = !is_quoted,
            b' ' | b'\t' if !is_quoted => {
                let word = text.get(start..at).unwrap_or_default();
                if is_type(word) {
                    return Some(start);
                }
                // Options have no blanks outside quotes: what is neither they nor a type is a path.
                let is_options = start == 0 && KeyOptions::read(word).is_ok();
                let is_blank = word.is_empty();
                if !is_options
                    && !is_blank
                    && !text.get(at..).unwrap_or_default().split_whitespace().any(is_type)
                {
                    return None;
                }
                start = at + 1;
            }
            _ => {}
        }
    }
    None
}

/// Reads one public key, with the options before it as they are.
fn public_key(line: &str) -> Result<ReadKey, String> {
    let start = key_start(line).ok_or_else(|| "is not a public key".to_owned())?;
    let (options, key) = line.split_at(start);
    let options = options.trim_end();
    let KeyOptions { expires, is_authority } = KeyOptions::read(options)?;
    if key.split_whitespace().next().is_some_and(|kind| kind.contains("-cert-v01@")) {
        return Err("is a certificate, which does not open a login by itself; name the public key, or the authority's \
            key with cert-authority before it".to_owned());
    }
    // Any blanks part the fields; in a comment they stay.
    let (kind, rest) = key.trim_end().split_once([' ', '\t']).unwrap_or((key, ""));
    let (data, comment) = rest.trim_start().split_once([' ', '\t']).unwrap_or((rest.trim_start(), ""));
    let key = format!("{kind} {data} {}", comment.trim_start());
    let key =
        PublicKey::from_openssh(key.trim_end()).map_err(|_| "is not a readable public key".to_owned())?;
    let line = key.to_openssh().map_err(|_| "is not a public key that can be written back".to_owned())?;
    let line = if options.is_empty() { line } else { format!("{options} {line}") };
    Ok(ReadKey { line, weakness: weakness(key.key_data()), expires, is_authority })
}

/// Why a key should not open anything, as the end of a sentence.
fn weakness(key: &KeyData) -> Option<String> {
    match key {
        KeyData::Dsa(_) => Some("is of type DSA, which sshd refuses".to_owned()),
        KeyData::Rsa(rsa) => {
            let bytes = rsa.n.as_positive_bytes()?;
            let leading = bytes.first()?.leading_zeros() as usize;
            let bits = bytes.len() * 8 - leading;
            (bits < 3072).then(|| format!("is an RSA key of {bits} bits; the minimum is 3072"))
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use impostazione_text::files::Folder;
    use proptest::prelude::*;

    use super::*;

    const KEY: &str = include_str!("../../../../demo/keys/keeper.pub");

    fn read(line: &str) -> Result<String, String> {
        public_key(line).map(|key| key.line)
    }

    #[test]
    fn options_are_kept_as_they_are() {
        let key = KEY.trim();
        for options in [
            "restrict",
            "no-pty,no-X11-forwarding",
            r#"from="10.64.40.0/24",command="/usr/bin/tide --level \"now\"""#,
            r#"restrict,port-forwarding,permitopen="10.64.10.60:5432""#,
            r#"expiry-time="20990630",from="!10.64.40.9,10.64.40.0/24""#,
        ] {
            let line = format!("{options} {key}");
            assert_eq!(read(&line).as_deref(), Ok(line.as_str()));
            assert!(is_key_line(&line));
        }
    }

    #[test]
    fn options_that_sshd_does_not_know_shut_the_login() {
        let key = KEY.trim();
        for (options, says) in [
            ("no-pyt", "does not know, no-pyt"),
            ("from=10.64.40.1", "is not in quotes"),
            ("command", "needs a value"),
            ("restrict=\"yes\"", "takes no value"),
            ("restrict,,no-pty", "does not know"),
            ("restrict,", "commas"),
            ("expiry-time=\"2099-06-30\"", "is not a time"),
            ("from=\"10.64.40.1/24\"", "host bits"),
            ("permitopen=\"tide-log\"", "host:port"),
            ("tunnel=\"x\"", "number"),
            ("principals=\"keeper\"", "cert-authority"),
        ] {
            let fault = read(&format!("{options} {key}")).unwrap_err();
            assert!(fault.contains(says), "{options}: {fault}");
        }
        assert_eq!(read("gull"), Err("is not a public key".to_owned()));
    }

    #[test]
    fn a_tab_between_the_fields_is_as_good_as_a_blank() {
        let fields: Vec<&str> = KEY.trim().splitn(3, ' ').collect();
        assert_eq!(read(&fields.join("\t")).as_deref(), Ok(KEY.trim()));
        assert_eq!(read(&format!("restrict\t{}", fields.join("\t"))), Ok(format!("restrict {}", KEY.trim())));
    }

    proptest! {
        #[test]
        fn whatever_stands_there_nothing_panics_and_what_is_taken_reads_again(
            options in r#"[a-zA-Z0-9=,\\" -]{0,60}"#,
            tail in r"[ -~é]{0,20}",
        ) {
            let line = format!("{options} {} {tail}", KEY.trim());
            let _ = is_key_line(&format!("{options}{tail}"));
            if let Ok(taken) = read(&line) {
                prop_assert_eq!(read(&taken), Ok(taken.clone()));
                prop_assert!(taken.contains(KEY.split(' ').nth(1).unwrap_or(KEY)));
            }
        }
    }

    #[test]
    fn a_path_is_no_key() {
        for path in ["keys/keeper.pub", "keys of the quay/keeper.pub", "ssh-keys/keeper.pub", "my keys.pub"] {
            assert!(!is_key_line(path), "{path}");
        }
        let place = impostazione_text::Place::default();
        let demo = Folder::new(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../demo"));
        let named = Written::new("keys/keeper.pub".to_owned(), place);
        assert_eq!(public_keys(&named, &demo).map(|keys| keys.len()), Ok(1));
    }
}
