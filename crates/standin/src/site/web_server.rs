//! The page at which an appliance is administered: by HTTPS, by older TLS, or without encryption.

use std::io::{self, Read, Write};
use std::net::IpAddr;
use std::sync::Arc;

use rcgen::{CertificateParams, KeyPair, SanType, date_time_ymd};
use ring::digest::{SHA256, digest};
use rustls::pki_types::{CertificateDer, PrivateKeyDer, PrivatePkcs8KeyDer};
use rustls::{ServerConfig, ServerConnection};

/// The part before the 32 bytes of an Ed25519 key in PKCS #8 (RFC 8410, section 7).
const ED25519: [u8; 16] = [0x30, 0x2e, 2, 1, 0, 0x30, 5, 6, 3, 0x2b, 0x65, 0x70, 4, 0x22, 4, 0x20];

/// The hello of a server that speaks TLS 1.1 (RFC 4346, section 7.4.1.3), without its session.
const OLD_HELLO: [u8; 11] = [22, 3, 2, 0, 42, 2, 0, 0, 38, 3, 2];

/// A page, by the way that leads to it.
#[derive(Clone)]
pub(super) enum WebServing {
    /// HTTPS.
    Tls(Arc<ServerConfig>),
    /// Only TLS 1.1.
    OldTls,
    /// Without encryption.
    Plain,
}

impl WebServing {
    /// HTTPS with a certificate for these names. It is made of a word, the same at every time, and so its key is known to everybody.
    pub(super) fn with_word(
        word: &str,
        names: &[String],
        addresses: &[IpAddr],
        has_expired: bool,
    ) -> io::Result<Self> {
        let failed = io::Error::other::<Box<dyn std::error::Error + Send + Sync>>;
        let mut private = ED25519.to_vec();
        private.extend_from_slice(digest(&SHA256, word.as_bytes()).as_ref());
        let private = PrivatePkcs8KeyDer::from(private);
        let pair = KeyPair::try_from(private.secret_pkcs8_der()).map_err(|error| failed(error.into()))?;
        let mut certificate = CertificateParams::new(names).map_err(|error| failed(error.into()))?;
        certificate.subject_alt_names.extend(addresses.iter().copied().map(SanType::IpAddress));
        certificate.serial_number = Some(1_u64.into());
        certificate.not_before = date_time_ymd(2026, 1, 1);
        certificate.not_after =
            if has_expired { date_time_ymd(2026, 2, 1) } else { date_time_ymd(2126, 1, 1) };
        let certificate = certificate.self_signed(&pair).map_err(|error| failed(error.into()))?;
        let certificates = vec![CertificateDer::from(certificate.der().to_vec())];
        let provider = Arc::new(rustls::crypto::ring::default_provider());
        let versions = ServerConfig::builder_with_provider(provider)
            .with_safe_default_protocol_versions()
            .map_err(|error| failed(error.into()))?;
        let settings = versions
            .with_no_client_auth()
            .with_single_cert(certificates, PrivateKeyDer::Pkcs8(private))
            .map_err(|error| failed(error.into()))?;
        Ok(Self::Tls(Arc::new(settings)))
    }

    /// Greets a client.
    pub(super) fn greet(&self, stream: &mut (impl Read + Write)) -> io::Result<()> {
        match self {
            Self::Tls(settings) => {
                let mut connection = ServerConnection::new(Arc::clone(settings)).map_err(io::Error::other)?;
                while connection.is_handshaking() {
                    connection.complete_io(stream)?;
                }
                // Until the client has gone.
                connection.complete_io(stream)?;
            }
            Self::OldTls => {
                let _ = stream.read(&mut [0; 1024])?;
                let mut hello = OLD_HELLO.to_vec();
                hello.extend_from_slice(&[0x64; 32]);
                hello.extend_from_slice(&[0, 0, 0x2f, 0]);
                stream.write_all(&hello)?;
                let _ = stream.read(&mut [0; 64])?;
            }
            Self::Plain => {
                let _ = stream.read(&mut [0; 1024])?;
                stream.write_all(
                    b"HTTP/1.1 400 Bad Request\r\nContent-Length: 0\r\nConnection: close\r\n\r\n",
                )?;
            }
        }
        Ok(())
    }
}
