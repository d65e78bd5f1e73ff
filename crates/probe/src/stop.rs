//! What ends asking before all was asked.

use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use crate::obstacle::Obstacle;

/// How long a sleeper sleeps on after a person has said stop.
const SLICE: Duration = Duration::from_millis(50);

/// Ends asking when a person says so, or when the time that was stated is over.
#[derive(Debug)]
pub struct Stop {
    is_interrupted: AtomicBool,
    deadline: Instant,
}

impl Stop {
    /// An end after so long.
    pub fn after(within: Duration) -> Self {
        Self { is_interrupted: AtomicBool::new(false), deadline: Instant::now() + within }
    }

    /// Ends it now.
    pub fn interrupt(&self) {
        self.is_interrupted.store(true, Ordering::SeqCst);
    }

    /// Why nothing more is asked, if that is so.
    pub fn why(&self) -> Option<Obstacle> {
        if self.is_interrupted.load(Ordering::SeqCst) {
            return Some(Obstacle::Interrupted);
        }
        (Instant::now() >= self.deadline).then_some(Obstacle::OutOfTime)
    }

    /// Waits so long, or until the end.
    pub fn sleep(&self, how_long: Duration) {
        let until = Instant::now() + how_long;
        while self.why().is_none() {
            let left = until.saturating_duration_since(Instant::now());
            if left.is_zero() {
                return;
            }
            std::thread::sleep(left.min(SLICE));
        }
    }
}
