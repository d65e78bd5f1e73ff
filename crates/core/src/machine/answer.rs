//! Answers that a sheet gives to the properties of a package.

use impostazione_text::{Place, Stated, Written};

use super::take::Take;

/// One answer.
#[derive(Clone, Debug)]
pub struct Answer {
    /// Id of the property, or of a question of the console.
    pub property: Written<String>,
    /// Where its value comes from; `Faulty` where that could not be told.
    pub source: Stated<AnswerSource>,
    /// Where the answer stands.
    pub place: Place,
}

/// Where the value of an answer comes from.
#[derive(Clone, Debug)]
pub enum AnswerSource {
    /// It stands in the sheet as it is.
    Literal(String),
    /// It is held elsewhere in the sheet.
    Take(Take),
    /// It is confidential: index in [`super::site::Site::secrets`].
    Secret(usize),
}
