//! Questions about the properties of packages: those that the sheet does not answer by itself.

use super::accounts::say_who_makes;
use super::appliances::{machines_of, name_of, table_of};
use super::desk::Desk;
use super::put::{Reply, put};
use super::question::{Choice, Question, Refusal};
use super::state::State;
use super::topic::{ApplianceKey, Topic};
use crate::appliance::{AnsweredProperty, answered_properties};
use crate::assess::Assessment;
use crate::edit::{TablePath, quoted};
use crate::finding::Finding;
use crate::machine::{Machine, Site};

/// What of an appliance is still to be asked, by what the rules find missing.
pub(super) fn open_property(assessment: &Assessment, state: &State, index: usize) -> Option<String> {
    let machines = machines_of(&assessment.site, state, index);
    let is_of = |finding: &&Finding| {
        finding.rule.about_absence
            && !finding.is_waived()
            && machines.iter().any(|machine| finding.machine.as_deref() == Some(machine.label()))
    };
    let mut asked = assessment.findings.iter().filter(is_of).filter_map(|finding| finding.property.clone());
    asked.find(|id| !state.is_settled(&Topic::Appliance(index, ApplianceKey::Property(id.clone())).id()))
}

/// The properties of an appliance with what they get.
fn property_of<'s>(site: &'s Site, machines: &[&'s Machine], id: &str) -> Option<AnsweredProperty<'s>> {
    answered_properties(site, machines.first()?).into_iter().find(|one| one.property.id() == id)
}

/// What a finding of a property is about: whether a password is wanted.
fn wants_secret(assessment: &Assessment, machines: &[&Machine], id: &str) -> bool {
    let found = property_of(&assessment.site, machines, id);
    found.is_some_and(|found| found.is_secret() || found.property.is_password)
}

pub(super) fn question_property(
    question_id: String,
    assessment: &Assessment,
    machines: &[&Machine],
    id: &str,
) -> Question {
    let found = property_of(&assessment.site, machines, id);
    let label = found.as_ref().map(|found| found.property.label.clone()).filter(|label| !label.is_empty());
    let called = label.map_or_else(|| format!("\"{id}\""), |label| format!("\"{label}\" ({id})"));
    let name = machines.first().map_or("the appliance", |machine| machine.label());
    let of_property =
        |finding: &&Finding| finding.rule.about_absence && finding.property.as_deref() == Some(id);
    let why = assessment.findings.iter().find(of_property);
    let mut explanation =
        why.map(|finding| format!("{} {}.", finding.message, finding.fix)).unwrap_or_default();
    let description =
        found.as_ref().map(|found| found.property.description.trim().to_owned()).unwrap_or_default();
    if !description.is_empty() {
        explanation = format!("The package says: {description} {explanation}");
    }
    if wants_secret(assessment, machines, id) {
        return Question::new(question_id, format!("Which password does {name} get for {called}?"))
            .proposing(Some("made-up".to_owned()))
            .choosing(&[
                ("made-up", "a random one is made and kept in the encrypted store"),
                ("typed", "you type it when the sheet is done; it is kept in the encrypted store"),
            ])
            .explained(explanation);
    }
    let default = found.as_ref().and_then(|found| found.property.default_with(None)).map(str::to_owned);
    let mut question =
        Question::new(question_id, format!("What does {name} get for {called}?")).explained(explanation);
    question.proposal = default.filter(|default| !default.is_empty());
    if let Some(found) = &found {
        let choices = &found.property.limits.choices;
        question.choices = choices.iter().map(|word| Choice::new(word.clone(), "")).collect();
        if let Some(word) = found.reading.meaning.take_word().filter(|_| choices.is_empty()) {
            let (text, called) = (word.text(), found.reading.meaning.called());
            question.is_free = true;
            question.choices = vec![Choice::new(format!("take {text}"), format!("{called}, from the sheet"))];
            if matches!(word.list(), "dns" | "ntp" | "search") {
                question.choices.push(Choice::new(format!("take {text} nth 1"), "the first of them"));
            }
        }
    }
    question.shown = why.map(|finding| finding.message.clone()).into_iter().collect();
    question
}

pub(super) fn take_property(
    state: &mut State,
    desk: &Desk<'_>,
    index: usize,
    id: &str,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let answers = table_of(index).inner(&["answer"]);
    let assessment = desk.judge(state.text.as_str());
    let machines = machines_of(&assessment.site, state, index);
    if !wants_secret(&assessment, &machines, id) {
        let Some(take) = taken(reply.word()) else {
            return put(state, desk, &answers, id, &quoted(reply.word()), reply);
        };
        let mut tried = state.clone();
        let told = put(&mut tried, desk, &answers, id, &format!("{{ {take} }}"), reply)?;
        let Some(refusal) = still_open(&tried, desk, index, id) else {
            *state = tried;
            return Ok(told);
        };
        if take.contains("nth") || take.contains("join") {
            return Err(refusal);
        }
        // Of several values all are meant, where nothing else is said.
        let told = put(state, desk, &answers, id, &format!("{{ {take}, join = \",\" }}"), reply)?;
        return still_open(state, desk, index, id).map_or(Ok(told), Err);
    }
    let name = name_of(state, index);
    let stem = name.split('{').next().unwrap_or_default().trim_end_matches('-').to_owned();
    let secret = secret_name(state, &stem, id);
    let secret_table = TablePath::named("secret", &secret);
    state.text.set(&secret_table, "from", &quoted("store"), None);
    let is_cluster = state.text.literal(&table_of(index), "cluster").is_some();
    if machines.len() > 1 && reply.word() == "made-up" {
        let per = if is_cluster { "cluster" } else { "machine" };
        state.text.set(&secret_table, "per", &quoted(per), None);
    }
    say_who_makes(state, &secret, reply.word() == "typed");
    put(state, desk, &answers, id, &format!("{{ secret = {} }}", quoted(&secret)), reply)
}

/// Why an answer does not answer its property: what it takes is not there, or it is not said which.
fn still_open(state: &State, desk: &Desk<'_>, index: usize, id: &str) -> Option<Refusal> {
    let span = state.text.span(&table_of(index).inner(&["answer"]), id)?;
    let assessment = desk.judge(state.text.as_str());
    let error = assessment
        .findings
        .iter()
        .find(|finding| finding.is_in_the_way() && finding.place.span.meets(span.clone().into()));
    error.map(super::put::refusal_of)
}

/// What `take address of signal-tower toward quay` is in a sheet, without its braces.
fn taken(reply: &str) -> Option<String> {
    let mut words = reply.strip_prefix("take ")?.split_whitespace();
    let mut parts = vec![format!("take = {}", quoted(words.next()?))];
    while let Some(key) = words.next() {
        if key.parse::<u32>().is_ok() {
            parts.push(format!("nth = {key}"));
            continue;
        }
        let value = words.next()?;
        parts.push(match key {
            "nth" => format!("nth = {}", value.parse::<u32>().ok()?),
            "of" | "toward" | "link" | "join" => format!("{key} = {}", quoted(value)),
            _ => return None,
        });
    }
    Some(parts.join(", "))
}

/// A name for the secret of a property, which no other secret has: of the appliance, and of whom it lets in.
fn secret_name(state: &State, stem: &str, id: &str) -> String {
    let parts: Vec<String> = id
        .split(['.', '_', '-'])
        .filter(|part| !part.is_empty() && !part.to_lowercase().contains("pass"))
        .map(|part| part.to_lowercase().chars().filter(char::is_ascii_alphanumeric).collect())
        .collect();
    let last = parts.last().cloned().unwrap_or_else(|| "admin".to_owned());
    let stem: String = stem.chars().filter(|c| c.is_ascii_alphanumeric() || *c == '-').collect();
    let base = if stem.is_empty() || stem == last { last } else { format!("{stem}-{last}") };
    let is_taken = |name: &String| state.text.has(&TablePath::named("secret", name));
    if !is_taken(&base) {
        return base;
    }
    let mut numbered = (2..).map(|number| format!("{base}-{number}"));
    numbered.find(|name| !is_taken(name)).unwrap_or(base)
}
