//! Whom a signature is believed from.

/// Whom to trust, and when.
#[derive(Clone, Copy, Debug)]
pub struct Trust<'a> {
    /// Certificates in PEM form that are trusted.
    pub certificates: &'a [u8],
    /// The moment at which certificates must hold.
    pub now: jiff::Timestamp,
}
