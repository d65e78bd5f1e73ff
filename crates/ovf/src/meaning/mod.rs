//! What properties want, told from how they are called: packages choose their keys freely.

mod about;
mod console;
mod decide;
mod file;
mod form;
mod meaning;
mod signs;
mod subject;
mod take_word;
mod texts;
mod toml_fault;
mod weigh;
mod words;

pub use console::CONSOLE_MEANINGS;
pub use decide::{Reading, SignSeen, read_properties, read_reviewed};
pub use file::{
    Administration, DefaultLogin, MEANINGS_LIMIT, MeaningsFile, PasswordRules, Question, Reviewed,
};
pub use meaning::{CERTAIN, Meaning};
pub use signs::{SIGNS_LIMIT, Signs};
pub use subject::LinkHint;
pub use take_word::TakeWord;
