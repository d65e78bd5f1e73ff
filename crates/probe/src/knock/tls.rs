//! Which certificate a server shows by TLS (RFC 8446, RFC 5246), and whether it is its own. Whom the certificate is for, and who has signed it,
//! is not judged: appliances make their own.

use std::io::{Read as _, Write as _};
use std::net::IpAddr;
use std::sync::{Arc, Mutex, OnceLock, PoisonError};

use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{CryptoProvider, verify_tls12_signature, verify_tls13_signature};
use rustls::pki_types::{CertificateDer, ServerName, UnixTime};
use rustls::{ClientConfig, ClientConnection, DigitallySignedStruct, Error, SignatureScheme};

use super::certificate::read_certificate;
use super::timed::Timed;
use crate::answer::TlsGreeting;

/// Keeps the certificate that a server shows, and checks only that it is its own.
#[derive(Debug)]
struct Onlooker {
    provider: Arc<CryptoProvider>,
    shown: Mutex<Option<Vec<u8>>>,
}

fn provider() -> Arc<CryptoProvider> {
    static PROVIDER: OnceLock<Arc<CryptoProvider>> = OnceLock::new();
    Arc::clone(PROVIDER.get_or_init(|| Arc::new(rustls::crypto::ring::default_provider())))
}

impl ServerCertVerifier for Onlooker {
    fn verify_server_cert(
        &self,
        end_entity: &CertificateDer<'_>,
        _: &[CertificateDer<'_>],
        _: &ServerName<'_>,
        _: &[u8],
        _: UnixTime,
    ) -> Result<ServerCertVerified, Error> {
        *self.shown.lock().unwrap_or_else(PoisonError::into_inner) = Some(end_entity.to_vec());
        Ok(ServerCertVerified::assertion())
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        let algorithms = &self.provider.signature_verification_algorithms;
        verify_tls12_signature(message, certificate, signed, algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        let algorithms = &self.provider.signature_verification_algorithms;
        verify_tls13_signature(message, certificate, signed, algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.provider.signature_verification_algorithms.supported_schemes()
    }
}

/// Greets a server by TLS; `None` where that came to nothing.
pub(super) fn greet(stream: &mut Timed<'_>, address: IpAddr) -> Option<TlsGreeting> {
    let provider = provider();
    let onlooker = Arc::new(Onlooker { provider: Arc::clone(&provider), shown: Mutex::new(None) });
    let versions =
        ClientConfig::builder_with_provider(provider).with_safe_default_protocol_versions().ok()?;
    let verifier: Arc<dyn ServerCertVerifier> = Arc::<Onlooker>::clone(&onlooker);
    let settings = versions.dangerous().with_custom_certificate_verifier(verifier).with_no_client_auth();
    let mut connection =
        ClientConnection::new(Arc::new(settings), ServerName::IpAddress(address.into())).ok()?;
    let mut failed = false;
    while connection.is_handshaking() && !failed {
        failed = connection.complete_io(stream).is_err();
    }
    if !failed {
        connection.send_close_notify();
        // Whoever has gone already needs no farewell.
        let _ = connection.write_tls(stream);
    }
    let shown = onlooker.shown.lock().unwrap_or_else(PoisonError::into_inner).take()?;
    Some(TlsGreeting { certificate: read_certificate(&shown), is_proved: !failed })
}

/// The version of TLS that a server answers with to a client which can do whatever has ever been usual.
pub(super) fn old_version(stream: &mut Timed<'_>) -> Option<u16> {
    stream.write_all(&old_hello()).ok()?;
    // A record of a handshake, and in it the hello of the server (RFC 5246, sections 6.2.1 and 7.4.1.3).
    let mut head = [0; 11];
    stream.read_exact(&mut head).ok()?;
    match head {
        [22, 3, _, _, _, 2, _, _, _, 3, minor] => Some(0x0300 | u16::from(minor)),
        _ => None,
    }
}

/// The hello of a client of TLS 1.2 and all before it, with its whole wealth of ciphers (RFC 5246, section 7.4.1.2).
fn old_hello() -> Vec<u8> {
    const CIPHERS: [u16; 20] = [
        0xc02f, 0xc030, 0xc02b, 0xc02c, 0xc013, 0xc014, 0xc009, 0xc00a, 0xc027, 0xc028, 0x009c, 0x009d,
        0x003c, 0x003d, 0x002f, 0x0035, 0x0033, 0x0039, 0x000a, 0x0005,
    ];
    // Curves P-256, P-384 and X25519; points as they are; signatures with SHA-256 and SHA-1 of RSA and ECDSA.
    const EXTENSIONS: [u8; 36] = [
        0, 10, 0, 8, 0, 6, 0, 23, 0, 24, 0, 29, //
        0, 11, 0, 2, 1, 0, //
        0, 13, 0, 14, 0, 12, 4, 1, 4, 3, 5, 1, 2, 1, 2, 3, 6, 1,
    ];
    let mut body = vec![3, 3];
    body.extend_from_slice(&[0x64; 32]);
    body.push(0);
    body.extend_from_slice(&[0, 40]);
    body.extend(CIPHERS.iter().flat_map(|cipher| cipher.to_be_bytes()));
    body.extend_from_slice(&[1, 0, 0, 36]);
    body.extend_from_slice(&EXTENSIONS);
    let length = |bytes: usize| u16::try_from(bytes).unwrap_or(u16::MAX).to_be_bytes();
    let [high, low] = length(body.len());
    let mut hello = vec![22, 3, 1];
    hello.extend_from_slice(&length(body.len() + 4));
    hello.extend_from_slice(&[1, 0, high, low]);
    hello.extend_from_slice(&body);
    hello
}
