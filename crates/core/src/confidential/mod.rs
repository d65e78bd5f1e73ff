//! Secrets that somebody wrote where they do not belong, and that no message may repeat.
//!
//! What stands to the right of a key that is, or may be, confidential is not shown, and neither is any line of a text that
//! could not be parsed from the first confidential word on.

mod redaction;
mod sheet;
mod unparsed;

pub(crate) use redaction::Redaction;
pub(crate) use sheet::{hidden_in_sheet, is_path, is_variable};
pub(crate) use unparsed::{hidden_in_unparsed, hidden_in_unparsed_netplan, hidden_in_unparsed_rows};
