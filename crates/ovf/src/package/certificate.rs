//! The certificate of a signed package (DSP0243 2.1.1, section 5.1: a signature of the manifest's digest, and the
//! certificate in PEM form).

use jiff::Timestamp;
use ring::signature::{
    ECDSA_P256_SHA256_ASN1, ECDSA_P384_SHA384_ASN1, RSA_PKCS1_1024_8192_SHA1_FOR_LEGACY_USE_ONLY,
    RSA_PKCS1_1024_8192_SHA256_FOR_LEGACY_USE_ONLY, RSA_PKCS1_1024_8192_SHA512_FOR_LEGACY_USE_ONLY,
    UnparsedPublicKey, VerificationAlgorithm,
};
use x509_parser::pem::Pem;
use x509_parser::prelude::{FromDer, X509Certificate};
use x509_parser::public_key::PublicKey;

use super::digest::Algorithm;
use super::manifest::Manifest;
use super::trust::Trust;

/// Largest certificate file that is read.
pub const CERTIFICATE_LIMIT: u64 = 1024 * 1024;

/// Who signed a package, and whether that holds.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Signature {
    /// Name of the file.
    pub file: String,
    /// Whom the certificate is for.
    pub subject: String,
    /// Who made the certificate.
    pub issuer: String,
    /// First and last moment at which it holds, in words.
    pub validity: (String, String),
    /// SHA-256 of the certificate, in hexadecimal digits.
    pub fingerprint: String,
    /// Whether the manifest is what was signed; the reason where it is not.
    pub is_valid: Result<(), String>,
    /// Whether the certificate is to be trusted; `None` where nobody said whom to trust.
    pub is_trusted: Option<Result<(), String>>,
}

impl Signature {
    /// Reads a certificate file and compares it with the manifest that it signs. Fails with the reason where the file
    /// holds no certificate. `trusted` says whom to trust.
    pub fn read(
        file: &str,
        bytes: &[u8],
        manifest: &[u8],
        digests: Option<&Manifest>,
        trusted: Option<Trust<'_>>,
    ) -> Result<Self, String> {
        let chain: Vec<Pem> = pems(bytes);
        let Some(leaf) = chain.first() else {
            return Err("it holds no certificate".to_owned());
        };
        let certificate = certificate_of(leaf).ok_or("its certificate cannot be read")?;
        let validity = certificate.validity();
        let signed = signature_of(bytes);
        // Others can be made to fit a digest of this kind.
        let is_weak = matches!(signed, Ok((Algorithm::Sha1, _)))
            || digests.is_some_and(|manifest| {
                manifest.entries.iter().any(|entry| entry.algorithm == Algorithm::Sha1)
            });
        let is_valid = signed.and_then(|(algorithm, signature)| {
            signature_holds(algorithm, &signature, &certificate, manifest)
        });
        Ok(Self {
            file: file.to_owned(),
            subject: certificate.subject().to_string(),
            issuer: certificate.issuer().to_string(),
            validity: (moment(validity.not_before.timestamp()), moment(validity.not_after.timestamp())),
            fingerprint: Algorithm::Sha256.of_bytes(&leaf.contents),
            is_valid: is_valid.clone(),
            is_trusted: trusted.map(|trusted| {
                is_valid?;
                if is_weak {
                    return Err("it uses SHA-1, which can be forged".to_owned());
                }
                trust(&chain, &certificate, &pems(trusted.certificates), trusted.now)
            }),
        })
    }
}

/// The certificates of a file in PEM form; other things in it are ignored.
fn pems(bytes: &[u8]) -> Vec<Pem> {
    Pem::iter_from_buffer(bytes)
        .take(16)
        .filter_map(Result::ok)
        .filter(|pem| pem.label == "CERTIFICATE")
        .collect()
}

fn certificate_of(pem: &Pem) -> Option<X509Certificate<'_>> {
    X509Certificate::from_der(&pem.contents).ok().map(|(_, certificate)| certificate)
}

fn moment(seconds: i64) -> String {
    Timestamp::from_second(seconds)
        .map_or_else(|_| "?".to_owned(), |moment| moment.strftime("%Y-%m-%d").to_string())
}

/// `SHA256(name.mf)= signature in hexadecimal digits`, which stands there once.
fn signature_of(bytes: &[u8]) -> Result<(Algorithm, Vec<u8>), String> {
    let text = String::from_utf8_lossy(bytes);
    let mut lines = text.lines().filter(|line| line.contains(")=") || line.contains(") ="));
    let (line, second) = (lines.next(), lines.next());
    if second.is_some() {
        return Err("it holds two signatures; which one counts depends on the reader".to_owned());
    }
    let parts = line.and_then(|line| {
        let (algorithm, rest) = line.split_once('(')?;
        let (_, digits) = rest.rsplit_once('=')?;
        Some((Algorithm::parse(algorithm.trim()), hex::decode(digits.trim()).ok()))
    });
    match parts {
        Some((Some(algorithm), Some(signature))) => Ok((algorithm, signature)),
        Some((None, Some(_))) => Err("the signature is not made with SHA1, SHA256 or SHA512".to_owned()),
        _ => Err("it has no line SHA256(manifest)= with the signature".to_owned()),
    }
}

fn signature_holds(
    algorithm: Algorithm,
    signature: &[u8],
    certificate: &X509Certificate<'_>,
    manifest: &[u8],
) -> Result<(), String> {
    let key = certificate.public_key();
    let scheme: &dyn VerificationAlgorithm = match (key.parsed(), algorithm) {
        (Ok(PublicKey::RSA(_)), Algorithm::Sha1) => &RSA_PKCS1_1024_8192_SHA1_FOR_LEGACY_USE_ONLY,
        (Ok(PublicKey::RSA(_)), Algorithm::Sha256) => &RSA_PKCS1_1024_8192_SHA256_FOR_LEGACY_USE_ONLY,
        (Ok(PublicKey::RSA(_)), Algorithm::Sha512) => &RSA_PKCS1_1024_8192_SHA512_FOR_LEGACY_USE_ONLY,
        (Ok(PublicKey::EC(point)), Algorithm::Sha256) if point.key_size() <= 256 => &ECDSA_P256_SHA256_ASN1,
        (Ok(PublicKey::EC(_)), _) => &ECDSA_P384_SHA384_ASN1,
        _ => return Err("the certificate's key is neither RSA nor elliptic curve".to_owned()),
    };
    UnparsedPublicKey::new(scheme, &key.subject_public_key.data)
        .verify(manifest, signature)
        .map_err(|_| "the signature does not match this manifest and certificate".to_owned())
}

/// Whether the signature under a certificate is one of SHA-1 (RFC 8017, appendix A.2.4; RFC 5758, section 3.2).
fn is_made_with_sha1(certificate: &X509Certificate<'_>) -> bool {
    const WITH_SHA1: [&str; 2] = ["1.2.840.113549.1.1.5", "1.2.840.10045.4.1"];
    let algorithm = certificate.signature_algorithm.algorithm.to_id_string();
    WITH_SHA1.contains(&algorithm.as_str())
}

/// Follows the certificates of the package up to a trusted one.
fn trust(chain: &[Pem], leaf: &X509Certificate<'_>, trusted: &[Pem], now: Timestamp) -> Result<(), String> {
    if trusted.is_empty() {
        return Err("the file of trusted certificates has no certificate".to_owned());
    }
    let holds = |certificate: &X509Certificate<'_>| {
        let validity = certificate.validity();
        (validity.not_before.timestamp()..=validity.not_after.timestamp()).contains(&now.as_second())
    };
    if !holds(leaf) {
        return Err(format!("it expired on {}", moment(leaf.validity().not_after.timestamp())));
    }
    if chain.first().is_some_and(|own| trusted.iter().any(|known| known.contents == own.contents)) {
        return Ok(());
    }
    let mut current = leaf.clone();
    for _ in 0..=chain.len() {
        if is_made_with_sha1(&current) {
            return Err("a certificate in the chain uses SHA-1, which can be forged".to_owned());
        }
        let signs = |candidate: &X509Certificate<'_>| {
            candidate.is_ca()
                && holds(candidate)
                && candidate.subject() == current.issuer()
                && current.verify_signature(Some(candidate.public_key())).is_ok()
        };
        if trusted.iter().filter_map(certificate_of).any(|candidate| signs(&candidate)) {
            return Ok(());
        }
        match chain.iter().skip(1).filter_map(certificate_of).find(|candidate| signs(candidate)) {
            Some(next) => current = next,
            None => break,
        }
    }
    Err(format!("it is not signed by a trusted certificate; its issuer is {}", current.issuer()))
}
