//! A sheet written by asking: the interview as states, without a terminal.
//!
//! The sheet's own text is what has been said so far. A reply changes it, the whole sheet is judged by the rules of `check`,
//! and what a rule has against the reply is why it is refused. The next question follows from the text and from the questions
//! that are behind us; the way back is the state before.

mod accounts;
mod appliances;
mod common;
mod desk;
mod fields;
mod found;
mod found_entries;
mod hosts;
mod interview;
mod known;
mod links;
mod map_line;
mod marks;
mod opening;
mod properties;
mod put;
mod question;
mod replies;
mod rows;
mod state;
mod subnets;
mod summary;
mod taken_rows;
mod topic;
mod zones;

pub use desk::Desk;
pub use found::{
    FilesInMemory, FoundHost, FoundKind, FoundLink, FoundLogin, FoundSsh, HostFiles, RootfsFiles,
    host_from_files, host_from_netplan, host_from_output,
};
pub use interview::{Interview, NotToml};
pub use known::Known;
pub use opening::Start;
pub use question::{Choice, Outcome, Question, Refusal};
pub use replies::Replies;
pub use summary::is_in_the_way;
