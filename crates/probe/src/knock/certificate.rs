//! What a certificate says of itself.

use impostazione_core::network::digest_text;
use jiff::Timestamp;
use ring::digest;
use x509_parser::extensions::GeneralName;
use x509_parser::prelude::{FromDer as _, X509Certificate};

use crate::answer::Certificate;

/// The most names of a certificate that are kept.
const MOST_NAMES: usize = 16;
/// The longest name that is kept, in bytes.
const LONGEST_NAME: usize = 253;

/// Reads a certificate in the form in which it is sent. Of one that cannot be read the digest remains.
pub(crate) fn read_certificate(bytes: &[u8]) -> Certificate {
    let sha256 = digest_text(digest::digest(&digest::SHA256, bytes).as_ref());
    let Ok((_, read)) = X509Certificate::from_der(bytes) else {
        return Certificate { sha256, names: Vec::new(), valid: None };
    };
    let mut names: Vec<String> = Vec::new();
    if let Ok(Some(extension)) = read.subject_alternative_name() {
        names.extend(extension.value.general_names.iter().filter_map(name).take(MOST_NAMES));
    }
    if names.is_empty() {
        let common = read.subject().iter_common_name().filter_map(|name| name.as_str().ok());
        names.extend(common.map(str::to_owned).take(MOST_NAMES));
    }
    names.retain(|name| name.len() <= LONGEST_NAME);
    let time = |seconds: i64| Timestamp::from_second(seconds).ok();
    let validity = read.validity();
    let valid = time(validity.not_before.timestamp()).zip(time(validity.not_after.timestamp()));
    Certificate { sha256, names, valid }
}

fn name(name: &GeneralName<'_>) -> Option<String> {
    match name {
        GeneralName::DNSName(name) => Some((*name).to_owned()),
        GeneralName::IPAddress(bytes) => {
            let four = <[u8; 4]>::try_from(*bytes).ok().map(std::net::IpAddr::from);
            let six = || <[u8; 16]>::try_from(*bytes).ok().map(std::net::IpAddr::from);
            Some(four.or_else(six)?.to_string())
        }
        _ => None,
    }
}
