//! A rule with what looks for breaches of it.

use super::judge::Judge;
use crate::finding::Rule;

/// A rule of a finished site, and the function that looks for breaches of it.
#[derive(Clone, Copy, Debug)]
pub struct Check {
    /// The rule.
    pub rule: &'static Rule,
    look: fn(&mut Judge<'_>),
}

impl Check {
    pub(super) const fn new(rule: &'static Rule, look: fn(&mut Judge<'_>)) -> Self {
        Self { rule, look }
    }

    /// Adds what is found to the findings under judgment.
    pub(super) fn run(self, judge: &mut Judge<'_>) {
        (self.look)(judge);
    }
}
