//! Whether an image is the one that was meant: its digest beside a digest that somebody gave.

use std::path::{Path, PathBuf};

use impostazione_ovf::Algorithm;
use impostazione_text::files::{Folder, NamedFiles as _, ReadFault};

/// A digest that an image should have.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct WantedDigest {
    /// The algorithm: that whose digests are as long.
    pub algorithm: Algorithm,
    /// The digest in small hexadecimal digits.
    pub digest: String,
    /// Where it stands; `None` where it was given by hand.
    pub from: Option<PathBuf>,
}

/// Largest file of digests that is read.
const LIMIT: u64 = 16 * 1024 * 1024;

impl WantedDigest {
    /// A digest that was given by hand: 64 (SHA-256) or 128 (SHA-512) hexadecimal digits, with or without the name of the
    /// algorithm before them.
    pub fn parse(text: &str) -> Option<Self> {
        let digits = text.trim().rsplit([':', '=', ' ']).next()?.trim();
        let algorithm =
            Algorithm::of_length(digits.len()).filter(|algorithm| *algorithm != Algorithm::Sha1)?;
        digits.bytes().all(|byte| byte.is_ascii_hexdigit()).then(|| Self {
            algorithm,
            digest: digits.to_ascii_lowercase(),
            from: None,
        })
    }

    /// The digest in a file beside an image: `IMAGE.sha256`, `IMAGE.sha512` and their like, or a list such as
    /// `SHA256SUMS`. `None` where there is no such file, or none that mentions the image.
    pub fn beside(image: &Path) -> Option<Self> {
        let folder = Folder::of_file(image);
        let name = image.file_name()?.to_str()?;
        let own = ["sha256", "sha512", "sha256sum", "sha512sum"].map(|end| format!("{name}.{end}"));
        let lists = ["SHA256SUMS", "SHA512SUMS", "sha256sum.txt", "sha512sum.txt"].map(str::to_owned);
        let own = own.into_iter().map(|file| (file, true));
        own.chain(lists.into_iter().map(|file| (file, false))).find_map(|(file, is_own)| {
            let bytes = folder.read(Path::new(&file), LIMIT).ok()?;
            let found = find(&String::from_utf8_lossy(&bytes), name, is_own)?;
            Some(Self { from: Some(image.with_file_name(file)), ..found })
        })
    }

    /// Digests the image. Says whether it is the one, and what its digest is.
    pub fn compare(&self, image: &Path, seen: &(dyn Fn(u64) + Sync)) -> Result<(bool, String), ReadFault> {
        let mut opened = Folder::of_file(image).open(Path::new(image.file_name().unwrap_or_default()))?;
        let refused = |error: std::io::Error| ReadFault::Refused(impostazione_text::files::plain(&error));
        let (digest, _) = self.algorithm.of_reader(&mut opened.content, seen).map_err(refused)?;
        Ok((digest == self.digest, digest))
    }
}

/// The line of a list that mentions a file: `DIGEST  NAME`, `DIGEST *NAME` or `SHA256 (NAME) = DIGEST`; or the digest alone,
/// in a file of its own.
fn find(text: &str, name: &str, is_own: bool) -> Option<WantedDigest> {
    let lines = || text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'));
    let mut named = lines().filter_map(|line| {
        if let Some((head, digest)) = line.rsplit_once('=') {
            let inside = head.split_once('(')?.1.trim_end().strip_suffix(')')?;
            return if inside == name { WantedDigest::parse(digest) } else { None };
        }
        let (digest, rest) = line.split_once(char::is_whitespace)?;
        let listed = rest.trim_start().trim_start_matches('*');
        let listed = listed.strip_prefix("./").unwrap_or(listed);
        if listed == name { WantedDigest::parse(digest) } else { None }
    });
    if let Some(first) = named.next() {
        // Where two lines disagree, neither says anything.
        let disagrees =
            |other: WantedDigest| other.algorithm == first.algorithm && other.digest != first.digest;
        return (!named.any(disagrees)).then_some(first);
    }
    match lines().collect::<Vec<_>>().as_slice() {
        [only] if is_own && !only.contains(char::is_whitespace) => WantedDigest::parse(only),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_form_of_a_list() {
        let digest = Algorithm::Sha256.of_bytes(b"abc");
        let found = |text: &str, is_own| find(text, "card.img", is_own).map(|found| found.digest);
        assert_eq!(found(&format!("{digest}  card.img\n"), false), Some(digest.clone()));
        assert_eq!(
            found(&format!("# x\n00  other\n{} *./card.img\n", digest.to_uppercase()), false),
            Some(digest.clone())
        );
        assert_eq!(found(&format!("SHA256 (card.img) = {digest}"), false), Some(digest.clone()));
        assert_eq!(found(&digest, true), Some(digest.clone()));
        let other = Algorithm::Sha256.of_bytes(b"abd");
        assert_eq!(
            found(&format!("{digest}  card.img\n{other}  card.img\n"), false),
            None,
            "two that disagree"
        );
        assert_eq!(found(&format!("{digest}  card.img\n{digest} *card.img\n"), false), Some(digest.clone()));
        assert_eq!(found(&digest, false), None);
        assert_eq!(found(&format!("{digest}  other.img"), true), None);
        assert_eq!(WantedDigest::parse(&format!("sha256:{digest}")).unwrap().algorithm, Algorithm::Sha256);
        assert_eq!(WantedDigest::parse("a9993e364706816aba3e25717850c26c9cd0d89d"), None);
        assert_eq!(WantedDigest::parse(""), None);
    }
}
