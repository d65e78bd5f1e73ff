//! The value that each property of an appliance gets.

use super::Property;
use crate::machine::{AnswerSource, Machine, Site};

/// Each property of an appliance's package with its value, in the order of the package: what the sheet answers, or
/// else the package's default. A property with neither, which only one that nobody may set can be once the sheet is
/// right, has an empty value.
pub fn property_values<'a>(site: &'a Site, machine: &'a Machine) -> Vec<(&'a Property, String)> {
    let Some(appliance) = machine.appliance() else { return Vec::new() };
    let Some(descriptor) = site.descriptor_of(appliance) else { return Vec::new() };
    descriptor
        .properties
        .iter()
        .map(|property| {
            let id = property.id();
            let answer = appliance.answers.iter().find(|answer| answer.property.value == id);
            let answered = answer.and_then(|answer| match answer.source.value()? {
                AnswerSource::Literal(text) => Some(text.clone()),
                AnswerSource::Take(take) => take.value(site, machine).ok(),
            });
            (property, answered.or_else(|| property.default.clone()).unwrap_or_default())
        })
        .collect()
}
