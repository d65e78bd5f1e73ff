//! How hard a value is to guess.

use impostazione_text::Hidden;

use super::familiar::FamiliarWords;
use super::well_known::WellKnown;

/// The decimal logarithm of the tries that somebody needs who knows words, names, dates, rows of keys and repetitions, and
/// the words of the site.
pub fn tries_log10_at(value: &Hidden, familiar: &FamiliarWords) -> f64 {
    let parts = familiar.unknown_parts(value);
    let of_parts: f64 = parts.iter().map(tries_log10).sum();
    of_parts.min(tries_log10(value))
}

/// The same of somebody who does not know the site.
fn tries_log10(value: &Hidden) -> f64 {
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
    fn the_words_of_a_site_and_the_time_of_year_count_for_nothing() {
        let familiar =
            FamiliarWords::of_names(["Capo Vetro harbor", "capovetro.example", "quay", "gauge-{01..12}"]);
        for weak in [
            "CapoVetro2026!",
            "Capo-Vetro-Harbor-1",
            "c4p0v3tr0-gauge!!!!",
            "Quay.Harbor.2026",
            "Estate2026!",
            "Sommer2026!!",
            "2026-octubre-Harbor",
            "Dicembre-25-CapoVetro",
            "Verano26Verano26",
            "Été2026!!!!!!",
            "Gauge-Januar-2027",
        ] {
            let tries = tries_log10_at(&Hidden::new(weak), &familiar);
            assert!(tries < 6.5, "{weak}: {tries}");
        }
        for strong in [
            "nine gulls on the harbor mole",
            "Tq7-rope-Lamp-41",
            "march of nine wet gulls",
            "x-5Kd9-harbor-Pq2w!!",
        ] {
            let tries = tries_log10_at(&Hidden::new(strong), &familiar);
            assert!(tries > 8.0, "{strong}: {tries}");
        }
    }

    #[test]
    fn a_store_wants_more_than_a_word() {
        for weak in ["gull", "lighthouse", "Password1234", "abababababab"] {
            assert!(is_weak_passphrase(&Hidden::new(weak)), "{weak}");
        }
        assert!(!is_weak_passphrase(&Hidden::new("a passphrase for the harbor office")));
    }
}
