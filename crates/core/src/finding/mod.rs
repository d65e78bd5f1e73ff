//! Findings: what a rule is, the places where one was broken, and the forms in which they are told.

mod correction;
mod found;
mod redaction;
mod report;
mod rule;
pub mod sarif;
mod severity;
mod summary;

pub use correction::{Corrections, correct_sheet};
pub use found::Finding;
pub(crate) use redaction::Redaction;
pub use report::{Report, ReportedFinding};
pub use rule::{Asked, Examples, Rule};
pub use severity::{Nature, Severity};
pub use summary::Summary;
