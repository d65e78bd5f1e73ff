//! What an appliance is told: answers to the properties of its package, which link each is about, what each value is once it
//! is read as what it means, and typing cards.

mod answers;
mod link_choice;
mod read_value;
mod switch_words;
mod told;
mod typed_value;
mod typing_card;

pub use answers::{
    AnsweredProperty, Origin, Outcome, Unanswered, answered_properties, is_at_console, is_of_sheet,
    network_of_link,
};
pub use told::{
    AboutLink, Asks, ReadValue, SheetValue, ToldAppliance, ToldValue, told_appliance, told_appliances,
};
pub(crate) use told::{harmless_url, login_in_url};
pub use typed_value::{FaultKind, TypedValue, ValueFault};
pub use typing_card::{CardLine, OpenQuestion, Typed, card_lines, open_questions, typing_card};
