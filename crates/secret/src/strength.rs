//! How hard a value is to guess.

use impostazione_text::Hidden;

use super::well_known::WellKnown;

/// The decimal logarithm of the tries that somebody needs who knows words, names, dates, rows of keys and repetitions.
pub fn tries_log10(value: &Hidden) -> f64 {
    zxcvbn::zxcvbn(value.reveal(), &[]).guesses_log10()
}

/// Whether a passphrase is too weak for a store, which many may have copies of. Each try takes about a second there, so
/// that a million of them is what one processor does in eleven days.
pub fn is_weak_passphrase(passphrase: &Hidden) -> bool {
    WellKnown::default().has(passphrase.reveal()) || tries_log10(passphrase) < 8.0
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_store_wants_more_than_a_word() {
        for weak in ["gull", "lighthouse", "Password1234", "abababababab"] {
            assert!(is_weak_passphrase(&Hidden::new(weak)), "{weak}");
        }
        assert!(!is_weak_passphrase(&Hidden::new("a passphrase for the harbor office")));
    }
}
