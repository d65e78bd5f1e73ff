//! What properties want, told from how they are called: packages choose their keys freely.

mod about;
mod console;
mod decide;
mod default_form;
mod examples;
mod file;
mod form;
mod key_style;
mod link_names;
mod meaning;
mod missing_value;
mod neighbors;
mod owner;
mod reading;
mod several;
mod short_forms;
mod signs;
mod subject;
mod sure;
mod take_word;
mod texts;
mod toml_fault;
mod vocabulary;
mod weigh;
mod weighed;
mod whose;
mod words;

pub use console::CONSOLE_MEANINGS;
pub use decide::{read_properties, read_reviewed};
pub use default_form::looks_like;
pub use file::{
    Administration, DefaultLogin, MEANINGS_LIMIT, MeaningsFile, PasswordRules, Question, Reviewed,
};
pub use meaning::{CERTAIN, Meaning, UNDERSTOOD};
pub use reading::{Guess, Reading, SignSeen, WrittenForm};
pub use signs::{SIGNS_LIMIT, Signs};
pub use subject::LinkHint;
pub use take_word::TakeWord;
