//! What an appliance is told: answers to the properties of its package, which link each is about, and typing cards.

mod answers;
mod link_choice;
mod typing_card;

pub use answers::{
    AnsweredProperty, Origin, Outcome, Unanswered, answered_properties, is_at_console, is_of_sheet,
    network_of_link,
};
pub use typing_card::{CardLine, OpenQuestion, Typed, card_lines, open_questions, typing_card};
