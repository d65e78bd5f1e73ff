//! Answers that a sheet gives to the properties of a package.

use impostazione_text::{Place, Stated, Written};

use super::take::Take;
use super::{Appliance, Site};

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
    /// It is confidential: index in [`super::Site::secrets`].
    Secret(usize),
}

/// Whether a property of an appliance, or a question of its console, wants a password.
pub(super) fn wants_password(site: &Site, appliance: &Appliance, id: &str) -> bool {
    if let Some(system) = site.system_of(appliance)
        && let Some(at) = system.properties.iter().position(|property| property.id() == id)
    {
        let property = system.properties.get(at).zip(appliance.readings.get(at));
        return property.is_some_and(|(property, reading)| reading.wants_password(property));
    }
    site.meanings_of(appliance)
        .and_then(|file| file.question.iter().find(|question| question.id == id))
        .is_some_and(|question| question.is_password)
}
