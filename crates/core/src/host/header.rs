//! What every file begins with that takes comments.

/// First line of every file that takes comments.
pub const HEADER: &str = "# Written by Impostazione from the build sheet. Make changes there.\n";
