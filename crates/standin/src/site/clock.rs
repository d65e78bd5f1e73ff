//! A time server: the time of this computer, or one that is off (RFC 5905).

use std::time::{SystemTime, UNIX_EPOCH};

use impostazione_core::network::TimeKeyValue;

/// The bytes of a packet without a proof.
const LENGTH: usize = 48;
/// Seconds from 1900, where the protocol counts from, to 1970.
const EPOCH_SECONDS: u64 = 2_208_988_800;

/// How a time server answers.
#[derive(Clone, Debug, Default)]
pub(super) struct TimeServing {
    /// How far its clock is ahead.
    pub(super) ahead_seconds: i64,
    /// Whether it says that it is not synchronized.
    pub(super) is_unsynchronized: bool,
    /// The keys that it has.
    pub(super) keys: Vec<TimeKeyValue>,
}

impl TimeServing {
    /// The answer to a client's question; nothing to anything else.
    pub(super) fn answer(&self, question: &[u8]) -> Option<Vec<u8>> {
        let client_time = question.get(40..LENGTH)?;
        if question.first()? & 0b111 != 3 {
            return None;
        }
        let time = self.time().to_be_bytes();
        let head: [u8; 4] =
            if self.is_unsynchronized { [0b11_100_100, 16, 6, 0xec] } else { [0b00_100_100, 2, 6, 0xec] };
        let mut packet = Vec::with_capacity(LENGTH + 24);
        packet.extend_from_slice(&head);
        packet.extend_from_slice(&[0; 12]);
        packet.extend_from_slice(&time);
        packet.extend_from_slice(client_time);
        packet.extend_from_slice(&time);
        packet.extend_from_slice(&time);
        if let Some(number) = question.get(LENGTH..LENGTH + 4) {
            let known = self.keys.iter().find(|key| key.number.to_be_bytes() == number);
            match known.and_then(|key| key.proof(&packet)) {
                Some(proof) => {
                    packet.extend_from_slice(number);
                    packet.extend_from_slice(&proof);
                }
                // Four zero bytes say that the key is not accepted.
                None => packet.extend_from_slice(&[0; 4]),
            }
        }
        Some(packet)
    }

    /// Its time in the protocol's form.
    fn time(&self) -> u64 {
        let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
        let whole = since.as_secs().wrapping_add(EPOCH_SECONDS).wrapping_add_signed(self.ahead_seconds);
        (whole << 32) | ((u64::from(since.subsec_nanos()) << 32) / 1_000_000_000)
    }
}
