//! Random bytes of the system.

use ring::rand::{SecureRandom as _, SystemRandom};

/// The system gave no random bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the system gave no random bytes")]
pub struct NoRandomness;

/// So many random bytes.
pub(super) fn random_bytes<const COUNT: usize>() -> Result<[u8; COUNT], NoRandomness> {
    let mut bytes = [0; COUNT];
    SystemRandom::new().fill(&mut bytes).map_err(|_| NoRandomness)?;
    Ok(bytes)
}

/// A number below `bound`, each as likely as the others.
pub(super) fn random_below(bound: usize) -> Result<usize, NoRandomness> {
    let bound = bound.max(1) as u64;
    // What is left over above the last multiple of the bound would favor small numbers.
    let limit = u64::MAX - u64::MAX % bound;
    loop {
        let drawn = u64::from_le_bytes(random_bytes()?);
        if drawn < limit {
            return Ok(usize::try_from(drawn % bound).unwrap_or_default());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_number_below_the_bound_is_drawn_about_as_often() {
        let mut counts = [0_u32; 5];
        for _ in 0..5000 {
            counts[random_below(5).unwrap()] += 1;
        }
        // Five standard deviations on either side.
        assert!(counts.iter().all(|count| (858..1142).contains(count)), "{counts:?}");
        assert_eq!(random_below(1), Ok(0));
    }
}
