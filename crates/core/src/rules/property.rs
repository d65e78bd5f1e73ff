//! Rules on the properties of packages and their answers.

use std::collections::HashSet;
use std::net::IpAddr;

use impostazione_net::{Family, dotted_mask};
use impostazione_ovf::{PasswordRules, Property, PropertyType, TakeWord, looks_like};
use impostazione_text::{Place, nearest};

use super::check::Check;
use super::judge::Judge;
use super::likely_answers::{answers_to_copy, fix_of_link, in_quotes};
use crate::appliance::{
    AnsweredProperty, OpenQuestion, Origin, Outcome, SheetValue, Unanswered, harmless_url, is_at_console,
    is_of_sheet, open_questions,
};
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{AnswerSource, Appliance, Machine, Site};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&PROPERTY_UNKNOWN, check_unknown),
    Check::new(&PROPERTY_UNANSWERED, check_unanswered),
    Check::new(&PROPERTY_NEEDS_SECRET, check_needs_secret),
    Check::new(&PROPERTY_MEANING_UNSURE, check_unsure),
    Check::new(&PROPERTY_NOT_SETTABLE, check_not_settable),
    Check::new(&PROPERTY_WRONG_TYPE, check_type),
    Check::new(&PROPERTY_TOO_SHORT, check_too_short),
    Check::new(&PROPERTY_TOO_LONG, check_too_long),
    Check::new(&PROPERTY_NOT_A_CHOICE, check_choice),
    Check::new(&PROPERTY_DEFAULT_DISAGREES, check_defaults),
    Check::new(&PROPERTY_REPEATED, check_repeated),
    Check::new(&PROPERTY_PASSWORD_AT_DEFAULT, check_password_default),
];

/// An answer to nothing.
static PROPERTY_UNKNOWN: Rule = Rule {
    name: "property-unknown",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer is given to a property that the package does not have",
    explanation: "The id of a property is its class, key and instance joined by dots, as far as it has them, in \
        quotes. A newer version of a package may have renamed it. An appliance that is set up at its console has the \
        questions in its meanings file instead of properties.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.gatway\" = \"10.64.10.1\"\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"net.gateway\" = \"10.64.10.1\"\n",
    ..Rule::PLAIN
};

/// A property without an answer.
static PROPERTY_UNANSWERED: Rule = Rule {
    name: "property-unanswered",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a property without a default has no answer",
    explanation: "The package asks for the property and has no default for it, and its meaning is not certain enough \
        to fill it in from the sheet. The appliance would start without the setting, or not at all. An empty default \
        counts as a default.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/numbered.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/numbered.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"node.id\" = 3\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A password without an answer.
static PROPERTY_NEEDS_SECRET: Rule = Rule {
    name: "property-needs-secret",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a property asks for a password, and the sheet has no secret for it",
    explanation: "The package has no default password there, and a sheet never fills in a password by itself. Answer \
        with a secret. An empty default is not a password.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/secured.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[secret.harbor-admin]\nfrom = \"file\"\npath = \"harbor-admin.secret\"\n[[appliance]]\nname = \"logbook\"\npackage = \"packages/secured.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"admin.password\" = { secret = \"harbor-admin\" }\n[[waiver]]\nrule = \"secret-stays-readable\"\nreason = \"emptied after the first boot\"\nuntil = 2027-06-30\n",
    about_absence: true,
    about_credentials: true,
    ..Rule::PLAIN
};

/// A property that may mean something.
static PROPERTY_MEANING_UNSURE: Rule = Rule {
    name: "property-meaning-unsure",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a property that may ask for a setting of the sheet keeps its default",
    explanation: "The property's text suggests that it asks for something in the sheet, but not clearly enough to \
        fill it in, so its default would be used. Answer it, with the default if you want that. `inspect --why` \
        shows the reasons.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/unsure.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/unsure.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"where\" = { take = \"address\" }\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// A property that is not the administrator's.
static PROPERTY_NOT_SETTABLE: Rule = Rule {
    name: "property-not-settable",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer is given to a property that users cannot set",
    explanation: "A property without userConfigurable=\"true\" in the descriptor cannot be set by users. Hypervisors \
        ignore an answer to it, or the appliance does not start with one.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"build.channel\" = \"test\"\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// An answer of the wrong type.
static PROPERTY_WRONG_TYPE: Rule = Rule {
    name: "property-wrong-type",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer does not match the property's type",
    explanation: "The descriptor gives each property a type: a whole number with a number of bits, with or without a \
        sign, a fraction, true or false, or a text. An appliance that cannot read an answer silently falls back to \
        its default, or stops.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"node.number\" = 300\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"node.number\" = 3\n",
    ..Rule::PLAIN
};

/// An answer with too few characters.
static PROPERTY_TOO_SHORT: Rule = Rule {
    name: "property-too-short",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer is shorter than the package allows",
    explanation: "The descriptor (MinLen), or the meanings file for passwords, sets the minimum length. A shorter \
        value is refused when the appliance is deployed, or when it starts.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/limits.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"code\" = \"AB1\"\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/limits.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"code\" = \"AB13\"\n",
    ..Rule::PLAIN
};

/// An answer with too many characters.
static PROPERTY_TOO_LONG: Rule = Rule {
    name: "property-too-long",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer is longer than the package allows",
    explanation: "The descriptor (MaxLen), or the meanings file for passwords, sets the maximum length. A longer \
        value is refused, or silently truncated, and a truncated password lets nobody in.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/limits.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"code\" = \"AB12345\"\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/limits.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"code\" = \"AB1234\"\n",
    ..Rule::PLAIN
};

/// An answer that is not one of the choices.
static PROPERTY_NOT_A_CHOICE: Rule = Rule {
    name: "property-not-a-choice",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "an answer is not one of the values that the package allows",
    explanation: "The descriptor lists the values of this property (ValueMap). Upper and lower case matter.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/limits.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"mode\" = \"Mirrored\"\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/limits.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"mode\" = \"mirrored\"\n",
    ..Rule::PLAIN
};

/// A default of somebody else's network.
static PROPERTY_DEFAULT_DISAGREES: Rule = Rule {
    name: "property-default-disagrees",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a default that is kept looks like an address, a mask or a time zone of another site",
    explanation: "The vendor has put an address, a mask or a time zone of another site there, and without an answer \
        the appliance gets it. Answer the property, with the default itself if you want that.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/defaults.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/defaults.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"collector\" = \"10.64.10.53\"\n",
    about_absence: true,
    ..Rule::PLAIN
};

/// An id of two properties.
static PROPERTY_REPEATED: Rule = Rule {
    name: "property-repeated",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "two properties of the package have the same id",
    explanation: "Class, key and instance together identify a property (DSP0243 2.1.1, section 9.5). If two have the \
        same id, hypervisors disagree on which one an answer is for; here it is the first. Ask the vendor to correct \
        the package.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/repeated.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A password that everybody knows.
static PROPERTY_PASSWORD_AT_DEFAULT: Rule = Rule {
    name: "property-password-at-default",
    severity: Severity::Error,
    nature: Nature::Credential,
    summary: "a password stays the one that the package comes with",
    explanation: "The default password is in the package, or in the product's documentation, so it is public. \
        Anybody who reaches the appliance before you can log in. Answer with a secret instead.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/preset.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[secret.harbor-admin]\nfrom = \"file\"\npath = \"harbor-admin.secret\"\n[[appliance]]\nname = \"logbook\"\npackage = \"packages/preset.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n[appliance.answer]\n\"admin.password\" = { secret = \"harbor-admin\" }\n[[waiver]]\nrule = \"secret-stays-readable\"\nreason = \"emptied after the first boot\"\nuntil = 2027-06-30\n",
    about_absence: true,
    about_credentials: true,
    ..Rule::PLAIN
};

/// Visits the properties of each appliance that takes its settings from its package.
fn each_appliance<'a>(
    judge: &mut Judge<'a>,
    mut visit: impl FnMut(&mut Judge<'a>, &'a Machine, &'a Appliance, &'a [AnsweredProperty<'a>]),
) {
    for told in judge.told.iter().filter(|told| !told.is_at_console) {
        visit(judge, told.machine, told.appliance, &told.properties);
    }
}

/// Visits each of their properties that an administrator may set, with the place of the answers.
fn each_settable<'a>(
    judge: &mut Judge<'a>,
    mut visit: impl FnMut(&mut Judge<'a>, &'a Machine, &AnsweredProperty<'a>, Place),
) {
    each_appliance(judge, |judge, machine, appliance, answered| {
        let table = appliance.answers_place.unwrap_or(machine.place);
        for property in answered.iter().filter(|property| property.property.is_settable) {
            visit(judge, machine, property, table);
        }
    });
}

/// A property's id, and its label where it has one.
fn called(property: &Property) -> String {
    let id = property.id();
    if property.label.is_empty() { format!("\"{id}\"") } else { format!("\"{id}\" ({})", property.label) }
}

fn wants_password(property: &AnsweredProperty<'_>) -> bool {
    property.reading.wants_password(property.property)
}

/// What an appliance can be answered, and whether that is its package's properties rather than its console's questions.
/// `None` where that is not known, and a finding says so.
fn answerable(site: &Site, appliance: &Appliance) -> Option<(Vec<String>, Vec<String>, bool)> {
    if !is_at_console(site, appliance) {
        let properties = &site.system_of(appliance)?.properties;
        let settable = properties.iter().filter(|property| property.is_settable);
        return Some((
            properties.iter().map(Property::id).collect(),
            settable.map(Property::id).collect(),
            true,
        ));
    }
    let in_doubt = !appliance.package.is_absent() && site.system_of(appliance).is_none();
    if in_doubt || (!appliance.meanings.is_absent() && site.meanings_of(appliance).is_none()) {
        return None;
    }
    let questions = site.meanings_of(appliance).map(|file| file.question.as_slice()).unwrap_or_default();
    let ids: Vec<String> = questions.iter().map(|question| question.id.clone()).collect();
    Some((ids.clone(), ids, false))
}

fn check_unknown(judge: &mut Judge<'_>) {
    let site = judge.site;
    for machine in &site.machines {
        let Some(appliance) = machine.appliance() else { continue };
        let Some((ids, settable, of_package)) = answerable(site, appliance) else { continue };
        if appliance.package.is_absent() && appliance.meanings.is_absent() {
            // Nobody knows any question of its console.
            let Some(answer) = appliance.answers.first() else { continue };
            let (name, id) = (machine.called(), &answer.property.value);
            let file = format!("{}.meanings.toml", machine.label());
            judge.on_machine(
                &PROPERTY_UNKNOWN,
                machine,
                answer.property.place,
                format!("{name} is set up at its console, and no meanings file says that it asks \"{id}\"."),
                format!(
                    "run `impostazione inspect --save-meanings {file}`, write the questions of the console in that file, and add \
                     meanings = \"{file}\" to the appliance; or add its package"
                ),
            );
            continue;
        }
        for answer in appliance.answers.iter().filter(|answer| !ids.contains(&answer.property.value)) {
            let id = &answer.property.value;
            let fix = match nearest(id, settable.iter().map(String::as_str), 1).first() {
                Some(close) => format!("write \"{close}\""),
                None if settable.is_empty() => "remove the line".to_owned(),
                None => format!("remove the line, or answer one of: {}", settable.join(", ")),
            };
            let message = if of_package {
                format!("The package has no property \"{id}\".")
            } else {
                let name = machine.called();
                format!("{name} is set up at its console, and its meanings file has no question \"{id}\".")
            };
            judge.on_machine(&PROPERTY_UNKNOWN, machine, answer.property.place, message, fix);
        }
    }
}

fn check_unanswered(judge: &mut Judge<'_>) {
    each_settable(judge, |judge, machine, property, table| {
        let meaning = property.reading.meaning;
        let why = match &property.outcome {
            Outcome::Unanswered(Unanswered::Silent) if !property.reading.is_understood() => {
                "has no default for it, and its text does not tell what it asks for".to_owned()
            }
            Outcome::Unanswered(Unanswered::Silent) => {
                "has no default for it, and the sheet has no answer".to_owned()
            }
            Outcome::Unanswered(Unanswered::Unsure) => format!(
                "has no default for it, and it is not certain that it asks for the {} ({:.2})",
                meaning.called(),
                property.reading.confidence
            ),
            Outcome::Unanswered(Unanswered::NoValue(reason)) => {
                format!("the {}, but {reason}", meaning.called())
            }
            _ => return,
        };
        let id = property.property.id();
        let is_of_other_link = meaning.is_of_link()
            && property.reading.link.is_some()
            && matches!(property.outcome, Outcome::Unanswered(Unanswered::NoValue(_)));
        let fix = match TakeWord::parse(meaning.word()) {
            Some(word) if is_of_other_link => fix_of_link(machine, &id, word, property.reading),
            _ => answers_to_copy(machine, &id, property.reading, None),
        };
        let message = format!("The package asks for {}, {why}.", called(property.property));
        judge.on_property(&PROPERTY_UNANSWERED, machine, id, table, message, fix);
    });
    each_open_question(judge, |judge, machine, question, table| {
        if !question.is_password {
            let why = question
                .why
                .map_or_else(|| "and the sheet has no answer".to_owned(), |why| format!("but {why}"));
            judge.on_property(
                &PROPERTY_UNANSWERED,
                machine,
                question.id.clone(),
                table,
                format!("The console asks for \"{}\" ({}), {why}.", question.id, question.ask),
                format!("add \"{}\" = \"…\" to [appliance.answer]", question.id),
            );
        }
    });
}

/// Visits each question of a console that nothing in the sheet answers.
fn each_open_question<'a>(
    judge: &mut Judge<'a>,
    mut visit: impl FnMut(&mut Judge<'a>, &'a Machine, OpenQuestion, Place),
) {
    let site = judge.site;
    for machine in &site.machines {
        let table = machine.appliance().and_then(|appliance| appliance.answers_place);
        for question in open_questions(site, machine) {
            visit(judge, machine, question, table.unwrap_or(machine.place));
        }
    }
}

fn check_needs_secret(judge: &mut Judge<'_>) {
    each_settable(judge, |judge, machine, property, table| {
        let is_empty_default = wants_password(property)
            && matches!(&property.outcome, Outcome::Value { text, from: Origin::Default } if text.reveal().is_empty());
        if is_empty_default || property.outcome == Outcome::Unanswered(Unanswered::NeedsSecret) {
            judge.on_property(
                &PROPERTY_NEEDS_SECRET,
                machine,
                property.property.id(),
                table,
                format!(
                    "The package asks for a password, {}, and the sheet has no secret for it.",
                    called(property.property)
                ),
                format!(
                    "add \"{}\" = {{ secret = \"…\" }} to [appliance.answer], and a table [secret.…] that says where the value comes from",
                    property.property.id()
                ),
            );
        }
    });
    each_open_question(judge, |judge, machine, question, table| {
        if question.is_password {
            judge.on_property(
                &PROPERTY_NEEDS_SECRET,
                machine,
                question.id.clone(),
                table,
                format!(
                    "The console asks for a password, \"{}\" ({}), and the sheet has no secret for it.",
                    question.id, question.ask
                ),
                format!("add \"{}\" = {{ secret = \"…\" }} to [appliance.answer]", question.id),
            );
        }
    });
}

fn check_unsure(judge: &mut Judge<'_>) {
    each_settable(judge, |judge, machine, property, table| {
        let is_default = property.outcome.origin() == Some(Origin::Default);
        let Some(text) = property.outcome.text().filter(|_| is_default) else { return };
        let reading = property.reading;
        let may_mean = !reading.is_certain() && is_of_sheet(reading.meaning);
        let is_unknown = !reading.is_understood() && !looks_like(text).is_empty();
        if !(may_mean || is_unknown) || disagrees(judge.site, machine, text) || wants_password(property) {
            return;
        }
        let default =
            if text.is_empty() { "its empty default".to_owned() } else { format!("its default \"{text}\"") };
        let (id, name) = (property.property.id(), called(property.property));
        let message = if may_mean {
            let (meaning, sure) = (reading.meaning.called(), reading.confidence);
            format!("{name} may ask for the {meaning} (certainty {sure:.2}), and keeps {default}.")
        } else {
            format!(
                "{name} keeps {default}, which looks like a setting of a site. Its text does not tell what it \
                    asks for."
            )
        };
        let keep = format!("{} = {} to keep the default", in_quotes(&id), in_quotes(text));
        let fix = answers_to_copy(machine, &id, reading, Some(&keep));
        judge.on_property(&PROPERTY_MEANING_UNSURE, machine, id, table, message, fix);
    });
}

fn check_not_settable(judge: &mut Judge<'_>) {
    each_appliance(judge, |judge, machine, _, answered| {
        for property in answered.iter().filter(|property| !property.property.is_settable) {
            let Some(answer) = property.answer else { continue };
            judge.on_property(
                &PROPERTY_NOT_SETTABLE,
                machine,
                property.property.id(),
                answer.property.place,
                format!("Users cannot set \"{}\" in this package.", property.property.id()),
                "remove the line",
            );
        }
    });
}

/// A value under judgment.
struct Valued<'v, 'a> {
    machine: &'a Machine,
    property: &'v AnsweredProperty<'a>,
    /// Where it is answered, or could be.
    place: Place,
    text: &'v str,
}

impl Valued<'_, '_> {
    /// What messages call it.
    fn shown(&self) -> String {
        if self.property.is_confidential() {
            "its value".to_owned()
        } else {
            format!("\"{}\"", harmless_url(self.text))
        }
    }

    /// How many characters it has.
    fn length(&self) -> u64 {
        self.text.chars().count() as u64
    }

    /// An empty default is its maker's way to leave a property open.
    fn is_left_open(&self) -> bool {
        self.property.outcome.origin() == Some(Origin::Default) && self.text.is_empty()
    }
}

/// Visits each value that is not the package's own.
fn each_value<'a>(judge: &mut Judge<'a>, mut visit: impl FnMut(&mut Judge<'a>, &Valued<'_, 'a>)) {
    each_settable(judge, |judge, machine, property, table| {
        let Some(text) = property.outcome.text() else { return };
        let place = property.answer.map_or(table, |answer| answer.place);
        visit(judge, &Valued { machine, property, place, text });
    });
}

fn check_type(judge: &mut Judge<'_>) {
    each_value(judge, |judge, value| {
        let property = value.property.property;
        let (kind, limits) = (&property.kind, &property.limits);
        if value.is_left_open() {
            return;
        }
        let takes = match (kind.accepts(value.text), value.text.parse::<i64>()) {
            (Err(wrong), _) => wrong.takes,
            (Ok(()), Ok(number)) if *kind != PropertyType::String => {
                match (limits.min_value, limits.max_value) {
                    (Some(least), _) if number < least => format!("a number of {least} or more"),
                    (_, Some(most)) if number > most => format!("a number up to {most}"),
                    _ => return,
                }
            }
            _ => return,
        };
        judge.on_property(
            &PROPERTY_WRONG_TYPE,
            value.machine,
            value.property.property.id(),
            value.place,
            format!("{} is of type {kind}, and {} is not.", called(property), value.shown()),
            of_sheet(judge, value).unwrap_or_else(|| format!("write {takes}")),
        );
    });
}

/// What to write in place of an answer: what the sheet has for the property, if it has the right type.
fn of_sheet(judge: &Judge<'_>, value: &Valued<'_, '_>) -> Option<String> {
    let id = value.property.property.id();
    let told = judge.told_of(value.machine)?.values.iter().find(|told| told.id() == id)?;
    match &told.of_sheet {
        SheetValue::Is(right)
            if told.is_answered() && value.property.property.kind.accepts(right).is_ok() =>
        {
            Some(format!("write \"{right}\", as in the sheet, or remove the line"))
        }
        _ => None,
    }
}

/// Rules of the meanings file, where the property is a password.
fn password_rules<'a>(site: &'a Site, value: &Valued<'_, 'a>) -> Option<&'a PasswordRules> {
    let file = site.meanings_of(value.machine.appliance()?)?;
    file.password_rules.as_ref().filter(|_| wants_password(value.property))
}

/// Reports a value of so many characters where others are taken.
fn report_length(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    value: &Valued<'_, '_>,
    takes: &str,
    fix: String,
) {
    let message = format!(
        "{} must have {takes} characters, and {} has {}.",
        called(value.property.property),
        value.shown(),
        value.length()
    );
    judge.on_property(rule, value.machine, value.property.property.id(), value.place, message, fix);
}

fn check_too_short(judge: &mut Judge<'_>) {
    each_value(judge, |judge, value| {
        let own = value.property.property.limits.min_length;
        let of_file = password_rules(judge.site, value).and_then(|rules| rules.min_length);
        // A secret has rules of its own, which do not say how long it is.
        let Some(least) = own.max(of_file).filter(|_| !value.property.is_secret()) else { return };
        // A password that is left open has its own finding.
        if value.length() < least && !(value.is_left_open() && wants_password(value.property)) {
            let fix = format!("write {least} characters or more");
            report_length(judge, &PROPERTY_TOO_SHORT, value, &format!("at least {least}"), fix);
        }
    });
}

fn check_too_long(judge: &mut Judge<'_>) {
    each_value(judge, |judge, value| {
        let own = value.property.property.limits.max_length;
        let of_file = password_rules(judge.site, value).and_then(|rules| rules.max_length);
        let most = own.into_iter().chain(of_file).min().filter(|_| !value.property.is_secret());
        let Some(most) = most else { return };
        if value.length() > most {
            let fix = format!("write {most} characters or fewer");
            report_length(judge, &PROPERTY_TOO_LONG, value, &format!("at most {most}"), fix);
        }
    });
}

fn check_choice(judge: &mut Judge<'_>) {
    each_value(judge, |judge, value| {
        let choices = &value.property.property.limits.choices;
        let is_left = value.property.outcome.origin() == Some(Origin::Default);
        if choices.is_empty() || is_left || choices.iter().any(|choice| choice == value.text) {
            return;
        }
        let by_case =
            choices.iter().find(|choice| choice.eq_ignore_ascii_case(value.text)).map(String::as_str);
        let close =
            by_case.or_else(|| nearest(value.text, choices.iter().map(String::as_str), 1).first().copied());
        judge.on_property(
            &PROPERTY_NOT_A_CHOICE,
            value.machine,
            value.property.property.id(),
            value.place,
            format!(
                "{} must be one of {} values, and {} is not one of them.",
                called(value.property.property),
                choices.len(),
                value.shown()
            ),
            match close {
                Some(close) if !value.property.is_confidential() => format!("write \"{close}\""),
                _ => format!("write one of: {}", choices.join(", ")),
            },
        );
    });
}

/// Whether a default looks like a setting of a network, and is not one of this machine's, nor anybody's in the sheet.
fn disagrees(site: &Site, machine: &Machine, default: &str) -> bool {
    let settings = &machine.settings;
    if let Ok(address) = default.parse::<IpAddr>() {
        if address.is_unspecified() || address.is_loopback() || site.address_uses().contains_key(&address) {
            return false;
        }
        let is_server = settings.servers().any(|server| server.address == address);
        let is_of_subnet = machine.links.iter().filter_map(|link| site.subnet_of(link)).any(|subnet| {
            Family::BOTH.into_iter().filter_map(|family| subnet.family(family)).any(|side| {
                let mask = IpAddr::from(dotted_mask(side.prefix.value.prefix_len()));
                let is_gateway = side.gateway_address().is_some_and(|gateway| gateway.value == address);
                is_gateway || (side.prefix.value.addr().is_ipv4() && mask == address)
            })
        });
        return !is_server && !is_of_subnet;
    }
    let is_zone = default.contains('/') && jiff::tz::TimeZone::get(default).is_ok();
    is_zone && settings.timezone.value().is_some_and(|zone| zone.value.to_string() != default)
}

fn check_defaults(judge: &mut Judge<'_>) {
    each_settable(judge, |judge, machine, property, table| {
        let is_default = property.outcome.origin() == Some(Origin::Default);
        let Some(text) = property.outcome.text().filter(|_| is_default) else { return };
        if property.is_confidential() || !disagrees(judge.site, machine, text) {
            return;
        }
        judge.on_property(
            &PROPERTY_DEFAULT_DISAGREES,
            machine,
            property.property.id(),
            table,
            format!(
                "{} keeps its default \"{text}\", which is nowhere in the sheet.",
                called(property.property)
            ),
            format!(
                "add \"{}\" = \"…\" to [appliance.answer], with the default itself if you want that",
                property.property.id()
            ),
        );
    });
}

fn check_repeated(judge: &mut Judge<'_>) {
    let site = judge.site;
    let mut seen = HashSet::new();
    for machine in &site.machines {
        let Some(appliance) = machine.appliance() else { continue };
        let Some((package, system)) = appliance.package.value().zip(site.system_of(appliance)) else {
            continue;
        };
        for id in &system.repeated_ids {
            if seen.insert((package.value, &system.id, id)) {
                judge.on_machine(
                    &PROPERTY_REPEATED,
                    machine,
                    package.place,
                    format!(
                        "The package has several properties \"{id}\"; only the first of them is answered."
                    ),
                    "ask the vendor to give them different ids",
                );
            }
        }
    }
}

fn check_password_default(judge: &mut Judge<'_>) {
    each_settable(judge, |judge, machine, property, table| {
        if !wants_password(property) {
            return;
        }
        let Some(text) = property.outcome.text().filter(|text| !text.is_empty()) else { return };
        let file = machine.appliance().and_then(|appliance| judge.site.meanings_of(appliance));
        let public = file.and_then(|file| file.default_login.as_ref()?.public_password.as_deref());
        let why = if property.outcome.origin() == Some(Origin::Default) {
            "keeps the password that is in the package"
        } else if property.property.base_default.as_deref() == Some(text) {
            "is answered with the password that is in the package"
        } else if public == Some(text) {
            "is answered with the product's well-known default password"
        } else {
            return;
        };
        let is_secret = property
            .answer
            .is_some_and(|answer| matches!(answer.source.value(), Some(AnswerSource::Secret(_))));
        judge.on_property(
            &PROPERTY_PASSWORD_AT_DEFAULT,
            machine,
            property.property.id(),
            property.answer.map_or(table, |answer| answer.place),
            format!("{} {why}.", called(property.property)),
            if is_secret {
                "choose another value for the secret".to_owned()
            } else {
                format!("write \"{}\" = {{ secret = \"…\" }}", property.property.id())
            },
        );
    });
}
