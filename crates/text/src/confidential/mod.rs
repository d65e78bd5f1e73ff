//! What must not be shown of a text: keys that speak of secrets, and the values that stand to their right.

mod line;
mod words;

pub use line::confidential_parts;
pub use words::is_secret;

/// What stands in place of a secret.
pub const HIDDEN: &str = "(not shown)";
