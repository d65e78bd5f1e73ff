//! The interview: the next question, what becomes of a reply, and the way back.

use super::desk::Desk;
use super::found::FoundHost;
use super::found_entries::write_hosts;
use super::opening::{Start, state_of};
use super::put::Reply;
use super::question::{Choice, Outcome, Question, Refusal};
use super::state::{Scope, State};
use super::topic::{ApplianceKey, LinkKey, Topic};
use super::{accounts, appliances, common, hosts, links, marks, rows, subnets, summary};
use crate::edit::SheetText;

/// The longest reply that is read, in bytes.
const LONGEST: usize = 16 * 1024;

/// A sheet is written by asking. It has no terminal: a front end shows the question and gives the reply.
pub struct Interview<'d> {
    desk: &'d Desk<'d>,
    state: State,
    /// How it was before each reply, for the way back.
    past: Vec<State>,
    /// What an empty reply means and what is offered, after a reply was refused.
    standing: Option<(Option<String>, Vec<Choice>)>,
    /// The reply that was doubted: given again, it is kept.
    doubted: Option<String>,
}

/// Why there is no interview about a sheet.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NotToml;

impl<'d> Interview<'d> {
    /// An interview from nothing, or about a sheet that is there.
    pub fn new(desk: &'d Desk<'d>, text: Option<&str>, start: Option<Start>) -> Result<Self, NotToml> {
        let state = match text.filter(|text| !text.trim().is_empty()) {
            None => {
                let mut text = SheetText::new("").ok_or(NotToml)?;
                text.add_last("format = 1");
                State::new(text)
            }
            Some(text) => state_of(SheetText::new(text).ok_or(NotToml)?, desk, start),
        };
        Ok(Self { desk, state, past: Vec::new(), standing: None, doubted: None })
    }

    /// The question that is open now.
    pub fn question(&self) -> Question {
        let mut question = self.ask(&self.topic());
        if let Some((proposal, offers)) = &self.standing {
            question.proposal = proposal.clone().or(question.proposal);
            if !offers.is_empty() && question.choices.is_empty() {
                question.choices.clone_from(offers);
                question.is_free = true;
            }
        }
        question
    }

    /// The questions that were answered, in order, with the replies.
    pub fn replies(&self) -> &[(String, String)] {
        &self.state.replies
    }

    /// The secrets whose values somebody wants to type, by name.
    pub fn typed_secrets(&self) -> &[String] {
        &self.state.typed_secrets
    }

    /// The sheet as it is, without remarks on what is open.
    pub fn finished_text(&self) -> String {
        self.state.text.without_marks().as_str().to_owned()
    }

    /// The sheet as it is, with what is open as remarks where it belongs; and the questions that are open.
    pub fn open_text(&self) -> (String, Vec<String>) {
        marks::marked(&self.state, self.desk)
    }

    /// What was found in the sheet as it is.
    pub fn judged(&self) -> std::rc::Rc<crate::assess::Assessment> {
        self.desk.judge(self.state.text.as_str())
    }

    /// Whether every question is behind us but whether all is right.
    pub fn is_at_summary(&self) -> bool {
        self.topic() == Topic::Summary
    }

    /// Takes a reply to the open question. `?` explains it, `back` goes to the one before, `leave` ends; what stands in double
    /// quotes is taken by its letters.
    pub fn reply(&mut self, typed: &str) -> Outcome {
        let text = typed.trim();
        if text.len() > LONGEST || text.chars().any(char::is_control) {
            return Outcome::Refused(Refusal::new(
                "The reply has characters that cannot be typed, or too many.",
                "type it again",
            ));
        }
        let question = self.question();
        let literal =
            text.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')).filter(|inner| !inner.is_empty());
        if literal.is_none() {
            match text.to_lowercase().as_str() {
                "?" => return Outcome::Explained(question.explanation),
                "back" => return self.go_back(),
                "leave" => return Outcome::Left,
                _ => {}
            }
        }
        let wanted = match (literal, text) {
            (Some(literal), _) => literal.to_owned(),
            (None, "") => match &question.proposal {
                Some(proposal) => proposal.clone(),
                None => {
                    let fix = if question.can_decline {
                        "type a reply, none, or ? for more"
                    } else {
                        "type a reply, or ? for more"
                    };
                    return Outcome::Refused(Refusal::new(
                        "Nothing was typed, and nothing is proposed.",
                        fix,
                    ));
                }
            },
            (None, text) => text.to_owned(),
        };
        let wanted = match chosen(&question, &wanted) {
            Ok(wanted) => wanted,
            Err(refusal) => return Outcome::Refused(refusal),
        };
        if wanted == "none" && literal.is_none() && !question.can_decline && !is_choice(&question, "none") {
            return Outcome::Refused(Refusal::new("This cannot be left out.", "type a reply, or ? for more"));
        }
        self.take(&question, &wanted, literal.is_none() && wanted == "none")
    }

    /// Takes in hosts that are there already, before the first question. Says what was taken, and what was not.
    pub fn add_found(&mut self, hosts: &[FoundHost]) -> Vec<String> {
        self.state.is_resumed = true;
        write_hosts(&mut self.state, hosts)
    }

    /// Takes in a CSV file with a row for each host, by its path from the sheet's folder on.
    pub fn add_rows(&mut self, path: &str) -> Result<Vec<String>, Refusal> {
        let number = self.state.text.entries("host") + 1;
        let mut state = self.state.clone();
        let reply = Reply { text: Some(path), insists: false };
        let told = take(&mut state, self.desk, &Topic::NextHost(number), reply)?;
        state.settle(&Topic::NextHost(number).id(), path);
        state.is_resumed = true;
        self.state = state;
        Ok(told)
    }

    /// Takes in a package, by its path from the sheet's folder on. What its appliance is called is asked.
    pub fn add_package(&mut self, path: &str) {
        self.state.packages.push(path.to_owned());
    }

    /// Leaves out questions that are about more machines than were taken in, where nothing has been asked yet.
    pub fn settle_scope(&mut self, hosts: usize, files_of_rows: usize, packages: usize) {
        if self.state.scope.is_none() {
            self.state.scope = match (hosts, files_of_rows, packages) {
                (0, 0, 0) => None,
                (1, 0, 0) => Some(Scope::Host),
                (0, 0, 1) => Some(Scope::Appliance),
                _ => Some(Scope::Site),
            };
        }
    }

    /// Leaves the open question unanswered, to be told as open in the end, and goes on.
    pub fn skip(&mut self) {
        let topic = self.topic();
        if topic == Topic::Scope {
            self.state.scope = Some(Scope::Site);
        } else if topic != Topic::Summary {
            self.state.skip(topic);
        }
        self.standing = None;
        self.doubted = None;
    }

    fn take(&mut self, question: &Question, wanted: &str, is_declined: bool) -> Outcome {
        let topic = self.topic();
        if topic == Topic::Summary {
            return self.take_summary(wanted);
        }
        let insists = self.doubted.as_deref() == Some(wanted);
        let reply = Reply { text: (!is_declined).then_some(wanted), insists };
        let mut state = self.state.clone();
        match take(&mut state, self.desk, &topic, reply) {
            Ok(mut told) => {
                state.again = None;
                state.settle(&question.id, wanted);
                told.extend(take_what_follows(&mut state, self.desk));
                self.past.push(std::mem::replace(&mut self.state, state));
                self.standing = None;
                self.doubted = None;
                Outcome::Taken(told)
            }
            Err(refusal) => {
                self.doubted = refusal.is_judgment.then(|| wanted.to_owned());
                self.standing = Some((refusal.proposal.clone(), refusal.offers.clone()));
                Outcome::Refused(refusal)
            }
        }
    }

    fn take_summary(&mut self, wanted: &str) -> Outcome {
        match summary::take(&self.state, self.desk, wanted) {
            Ok(summary::Choice::Accept) => Outcome::Accepted,
            Ok(summary::Choice::Leave) => Outcome::Left,
            Ok(choice @ (summary::Choice::Again(_) | summary::Choice::More(_))) => {
                let mut state = self.state.clone();
                let topic = match choice {
                    summary::Choice::More(topic) => {
                        pass_what_is_left_out(&mut state, self.desk);
                        topic
                    }
                    summary::Choice::Again(topic) => topic,
                    _ => return Outcome::Left,
                };
                state.again = Some(topic);
                self.past.push(std::mem::replace(&mut self.state, state));
                self.standing = None;
                Outcome::Taken(Vec::new())
            }
            Err(refusal) => Outcome::Refused(refusal),
        }
    }

    fn go_back(&mut self) -> Outcome {
        self.standing = None;
        self.doubted = None;
        match self.past.pop() {
            Some(state) => {
                self.state = state;
                Outcome::WentBack
            }
            None => Outcome::NothingBefore,
        }
    }

    /// What is asked now.
    fn topic(&self) -> Topic {
        next_topic(&self.state, self.desk)
    }

    fn ask(&self, topic: &Topic) -> Question {
        let (state, desk) = (&self.state, self.desk);
        match topic {
            Topic::Scope => Question::new(topic.id(), "What are you preparing?")
                .proposing(Some("host".to_owned()))
                .choosing(&Scope::CHOICES)
                .explained("For a single machine fewer questions are asked. More can be added later."),
            Topic::Common(key) => common::question(state, desk, *key),
            Topic::NextSubnet(number) => subnets::question_next(state, *number),
            Topic::Subnet(name, key) => subnets::question(state, name, *key),
            Topic::NextAccount(number) => accounts::question_next(state, desk, *number),
            Topic::Account(name, key) => accounts::question(state, desk, name, *key),
            Topic::NextHost(number) => hosts::question_next(state, *number),
            Topic::HostName(host) => hosts::question_name(*host),
            Topic::RowsField(host, field) => rows::question(state, *host, *field),
            Topic::NextLink(host, number) => links::question_next(state, *host, *number),
            Topic::Link(host, number, key) => links::question(state, desk, *host, *number, *key),
            Topic::NextAppliance(number) => appliances::question_next(state, *number),
            Topic::Appliance(index, key) => appliances::question(state, desk, *index, key),
            Topic::Summary => summary::question(state, desk),
        }
    }
}

/// What is asked next, by how far it has come.
pub(super) fn next_topic(state: &State, desk: &Desk<'_>) -> Topic {
    if let Some(again) = &state.again {
        return again.clone();
    }
    if state.scope.is_none() {
        return Topic::Scope;
    }
    common::first(state)
        .or_else(|| subnets::next(state))
        .or_else(|| common::second(state))
        .or_else(|| accounts::next(state))
        .or_else(|| hosts::next(state))
        .or_else(|| appliances::next(state, desk))
        .unwrap_or(Topic::Summary)
}

/// Lets a sheet for one machine become one for several, without asking about what that leaves out.
fn pass_what_is_left_out(state: &mut State, desk: &Desk<'_>) {
    state.scope = Some(Scope::Site);
    loop {
        let topic = next_topic(state, desk);
        if topic == Topic::Summary {
            break;
        }
        if let Topic::NextLink(..) = topic {
            state.decline(&topic.id());
        } else {
            state.pass(&topic.id());
        }
    }
}

/// The only thing that can be replied to a question, where there is but one.
fn only_reply(state: &State, topic: &Topic) -> Option<String> {
    match topic {
        Topic::Link(_, _, LinkKey::Subnet) => match state.subnet_names().as_slice() {
            [only] => Some(only.clone()),
            _ => None,
        },
        Topic::Appliance(index, ApplianceKey::Package) => state.packages.get(*index).cloned(),
        _ => None,
    }
}

/// Takes what needs no question any more, since it was said in another.
fn take_what_follows(state: &mut State, desk: &Desk<'_>) -> Vec<String> {
    let mut told = Vec::new();
    loop {
        let topic = next_topic(state, desk);
        if let Some(reply) = only_reply(state, &topic) {
            let mut tried = state.clone();
            match take(&mut tried, desk, &topic, Reply { text: Some(&reply), insists: false }) {
                Ok(said) => {
                    told.extend(said);
                    *state = tried;
                    state.pass(&topic.id());
                    continue;
                }
                Err(_) => break,
            }
        }
        // The address of a single machine was named to say what its subnet is.
        let is_address = matches!(
            topic,
            Topic::Link(0, 1, LinkKey::Address | LinkKey::Address6)
                | Topic::Appliance(0, ApplianceKey::NetworkAddress(0))
        );
        let Some(named) = state.named_address.filter(|_| is_address && !state.is_site()) else { break };
        let is_of_family = match topic {
            Topic::Link(_, _, LinkKey::Address6) => named.is_ipv6(),
            _ => named.is_ipv4(),
        };
        let mut tried = state.clone();
        let text = named.to_string();
        match take(&mut tried, desk, &topic, Reply { text: Some(&text), insists: false }) {
            Ok(said) if is_of_family => {
                told.extend(said);
                *state = tried;
                state.pass(&topic.id());
            }
            _ => break,
        }
    }
    told
}

fn take(state: &mut State, desk: &Desk<'_>, topic: &Topic, reply: Reply<'_>) -> Result<Vec<String>, Refusal> {
    match topic {
        Topic::Scope => {
            state.scope = Some(Scope::of(reply.word()));
            Ok(Vec::new())
        }
        Topic::Common(key) => common::take(state, desk, *key, reply),
        Topic::NextSubnet(_) => subnets::take_next(state, reply),
        Topic::Subnet(name, key) => subnets::take(state, desk, name, *key, reply),
        Topic::NextAccount(_) => accounts::take_next(state, desk, reply),
        Topic::Account(name, key) => accounts::take(state, desk, name, *key, reply),
        Topic::NextHost(number) => hosts::take_next(state, desk, *number, reply),
        Topic::HostName(host) => hosts::take_host_name(state, desk, *host, reply),
        Topic::RowsField(host, field) => rows::take(state, desk, *host, *field, reply),
        Topic::NextLink(host, number) => links::take_next(state, desk, *host, *number, reply),
        Topic::Link(host, number, key) => links::take(state, desk, (*host, *number), *key, reply),
        Topic::NextAppliance(number) => appliances::take_next(state, desk, *number, reply),
        Topic::Appliance(index, key) => appliances::take(state, desk, *index, key, reply),
        Topic::Summary => Ok(Vec::new()),
    }
}

fn is_choice(question: &Question, word: &str) -> bool {
    question.choices.iter().any(|choice| choice.word == word)
}

/// The word that a reply chooses: by its letters, in any case, by its number, or by its beginning where only one begins so.
fn chosen(question: &Question, reply: &str) -> Result<String, Refusal> {
    let choices = &question.choices;
    if choices.is_empty() || (reply == "none" && question.can_decline) {
        return Ok(reply.to_owned());
    }
    let by_number = reply.parse::<usize>().ok().and_then(|number| choices.get(number.checked_sub(1)?));
    let exact = choices.iter().find(|choice| choice.word.eq_ignore_ascii_case(reply));
    let small = reply.to_lowercase();
    let begun: Vec<&Choice> =
        choices.iter().filter(|choice| choice.word.to_lowercase().starts_with(&small)).collect();
    let only = match begun.as_slice() {
        // What may be another reply is not guessed from its beginning.
        [only] if !question.is_free => Some(*only),
        _ => None,
    };
    if let Some(choice) = exact.or(by_number).or(only) {
        return Ok(choice.word.clone());
    }
    // What is only offered is no limit.
    if question.is_free {
        return Ok(reply.to_owned());
    }
    let words: Vec<&str> = choices.iter().map(|choice| choice.word.as_str()).collect();
    Err(Refusal::new(
        format!("\"{reply}\" is not one of the replies."),
        format!("reply with one of: {}", words.join(", ")),
    ))
}
