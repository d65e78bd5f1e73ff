//! Typing cards: what a person types at an appliance's console, in the order in which it is asked.

use std::fmt::Write as _;

use impostazione_net::{Family, Hostname};
use impostazione_ovf::{LinkHint, MeaningsFile, Question, TakeWord};
use impostazione_secret::store::EntryId;

use super::answers::{Missing, Origin, is_at_console, take_for};
use super::link_choice::LinkGroups;
use crate::machine::{Answer, AnswerSource, Appliance, Link, Machine, Site};

/// One line of a card.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CardLine {
    /// What the console asks, in its words.
    pub ask: String,
    /// What is typed.
    pub typed: Typed,
}

/// What is typed at one question.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Typed {
    /// This text.
    Text(String),
    /// Nothing: the key that ends the line, and no more.
    Nothing,
    /// The value of the secret of this name.
    Secret(String),
    /// The password that stands in the sheet.
    InSheet,
    /// Nobody has said.
    Open,
}

/// What can go wrong with a question, for the rules.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OpenQuestion {
    /// Its id.
    pub id: String,
    /// Its words.
    pub ask: String,
    /// Why there is no answer, where the sheet could have one.
    pub why: Option<String>,
    /// Whether it asks for a password.
    pub is_password: bool,
}

/// The lines of an appliance's card: its meanings file's questions, or else what every console asks in some order.
pub fn card_lines(site: &Site, machine: &Machine) -> Vec<CardLine> {
    let Some(appliance) = machine.appliance() else { return Vec::new() };
    match site.meanings_of(appliance).filter(|file| !file.question.is_empty()) {
        Some(file) => asked(site, machine, appliance, file).into_iter().map(|(line, _)| line).collect(),
        None => usual(site, machine),
    }
}

/// A question of a console with what the sheet has for it.
pub(crate) struct AskedQuestion<'a> {
    /// The question.
    pub(crate) question: &'a Question,
    /// What the sheet answers.
    pub(crate) answer: Option<&'a Answer>,
    /// The link that it is about, or why that cannot be told; `None` where it is left open.
    pub(crate) link: Result<Option<&'a Link>, String>,
    /// What is typed, and where that comes from; `None` for secrets, which a card names only, and where it is open.
    pub(crate) value: Option<(String, Origin)>,
}

/// The questions of an appliance's console, in their order.
pub(crate) fn asked_questions<'a>(site: &'a Site, machine: &'a Machine) -> Vec<AskedQuestion<'a>> {
    let Some(appliance) = machine.appliance() else { return Vec::new() };
    let Some(file) = site.meanings_of(appliance) else { return Vec::new() };
    let groups = groups_asked(file);
    file.question
        .iter()
        .map(|question| {
            let answer = appliance.answers.iter().find(|answer| answer.property.value == question.id);
            let (typed, _) = typed_at(site, machine, appliance, question, answer, &groups);
            let origin = match answer.map(|answer| answer.source.value()) {
                Some(Some(AnswerSource::Take(_))) => Origin::Taken,
                Some(_) => Origin::Literal,
                None if question.take.is_none() => Origin::WhenMissing,
                None => Origin::Meaning,
            };
            let value = match typed {
                Typed::Text(text) => Some((text, origin)),
                Typed::Nothing => Some((String::new(), origin)),
                Typed::Secret(_) | Typed::InSheet | Typed::Open => None,
            };
            let link = link_asked(site, machine, appliance, question, &groups);
            AskedQuestion { question, answer, link, value }
        })
        .collect()
}

fn typed_at(
    site: &Site,
    machine: &Machine,
    appliance: &Appliance,
    question: &Question,
    answer: Option<&Answer>,
    groups: &LinkGroups<&str>,
) -> (Typed, Option<String>) {
    match answer {
        Some(answer) => explicit(site, machine, answer),
        None => by_question(site, machine, appliance, question, groups),
    }
}

/// Questions of the meanings file that nothing in the sheet answers.
pub fn open_questions(site: &Site, machine: &Machine) -> Vec<OpenQuestion> {
    let Some(appliance) = machine.appliance().filter(|appliance| is_at_console(site, appliance)) else {
        return Vec::new();
    };
    let Some(file) = site.meanings_of(appliance) else { return Vec::new() };
    let lines = asked(site, machine, appliance, file);
    file.question
        .iter()
        .zip(lines)
        .filter(|(_, (line, is_known))| {
            line.typed == Typed::Open && is_known.as_ref().is_none_or(|why| !why.is_empty())
        })
        .map(|(question, (_, why))| OpenQuestion {
            id: question.id.clone(),
            ask: question.ask.clone(),
            why,
            is_password: question.is_password,
        })
        .collect()
}

/// Each question with what is typed, and, where that is open, why; an empty reason where a finding says so already.
fn asked(
    site: &Site,
    machine: &Machine,
    appliance: &Appliance,
    file: &MeaningsFile,
) -> Vec<(CardLine, Option<String>)> {
    let groups = groups_asked(file);
    file.question
        .iter()
        .map(|question| {
            let answer = appliance.answers.iter().find(|answer| answer.property.value == question.id);
            let (typed, why) = typed_at(site, machine, appliance, question, answer, &groups);
            (CardLine { ask: question.ask.clone(), typed }, why)
        })
        .collect()
}

fn explicit(site: &Site, machine: &Machine, answer: &Answer) -> (Typed, Option<String>) {
    let known = Some(String::new());
    match answer.source.value() {
        Some(AnswerSource::Literal(text)) => (text_or_nothing(text.clone()), None),
        Some(AnswerSource::Secret(index)) => match site.secrets.get(*index) {
            Some(secret) if secret.is_in_sheet() => (Typed::InSheet, None),
            // One of several is told by whose it is.
            Some(secret) => {
                let holder = secret.holder(site, machine).map(str::to_owned);
                (Typed::Secret(EntryId { secret: secret.name.value.clone(), holder }.to_string()), None)
            }
            None => (Typed::Open, known),
        },
        Some(AnswerSource::Take(take)) => match take.value(site, machine) {
            Ok(text) => (text_or_nothing(text), None),
            Err(_) => (Typed::Open, known),
        },
        None => (Typed::Open, known),
    }
}

fn text_or_nothing(text: String) -> Typed {
    if text.is_empty() { Typed::Nothing } else { Typed::Text(text) }
}

/// The groups in which a console asks for the settings of links.
pub(super) fn groups_asked(file: &MeaningsFile) -> LinkGroups<&str> {
    let of_links = file.question.iter().filter_map(|question| {
        let word = question.take.as_deref()?;
        TakeWord::parse(word)?.is_of_link().then(|| (word, question.link.as_deref().map(LinkHint::parse)))
    });
    LinkGroups::of(of_links)
}

/// The link that a question is about, or why that cannot be told; `None` where it is left open.
pub(super) fn link_asked<'m>(
    site: &Site,
    machine: &'m Machine,
    appliance: &Appliance,
    question: &Question,
    groups: &LinkGroups<&str>,
) -> Result<Option<&'m Link>, String> {
    let hint = question.link.as_deref().map(LinkHint::parse);
    let word = question.take.as_deref().unwrap_or_default();
    groups.link_for(machine, site.system_of(appliance), word, hint.as_ref())
}

fn by_question(
    site: &Site,
    machine: &Machine,
    appliance: &Appliance,
    question: &Question,
    groups: &LinkGroups<&str>,
) -> (Typed, Option<String>) {
    let Some(word) = question.take.as_deref().and_then(TakeWord::parse) else {
        return match &question.when_missing {
            Some(text) if !question.is_password => (text_or_nothing(text.clone()), None),
            _ => (Typed::Open, None),
        };
    };
    let link = match link_asked(site, machine, appliance, question, groups) {
        Ok(link) => link,
        Err(why) => return (Typed::Open, Some(why)),
    };
    match take_for(site, machine, word, link, question.position, question.join.as_deref()) {
        Ok(text) => (text_or_nothing(text), None),
        Err(Missing::InDoubt) => (Typed::Open, Some(String::new())),
        Err(Missing::NotOfSheet) => (Typed::Open, None),
        Err(Missing::Nothing(why)) => match &question.when_missing {
            Some(text) => (text_or_nothing(text.clone()), None),
            None => (Typed::Open, Some(why)),
        },
        Err(Missing::Unclear(why)) => (Typed::Open, Some(why)),
    }
}

/// What any console asks: the links with all that belongs to them, then names and servers.
fn usual(site: &Site, machine: &Machine) -> Vec<CardLine> {
    let mut lines = Vec::new();
    let mut line = |ask: String, text: Option<String>| {
        lines.push(CardLine { ask, typed: text.map_or(Typed::Text("none".to_owned()), Typed::Text) });
    };
    for link in &machine.links {
        let of = if machine.links.len() > 1 { format!(" of {}", link.name.value) } else { String::new() };
        for family in Family::BOTH.into_iter().filter(|family| link.has_family(*family)) {
            let (word, mask) = match family {
                Family::V4 => ("IP address", "Netmask"),
                Family::V6 => ("IPv6 address", "IPv6 prefix length"),
            };
            let interface = site.interface_address(link, family);
            line(format!("{word}{of}"), link.address_in(family).map(|found| found.address.value.to_string()));
            line(
                format!("{mask}{of}"),
                interface.map(|found| match family {
                    Family::V4 => found.netmask().to_string(),
                    Family::V6 => found.prefix_len().to_string(),
                }),
            );
            let gateway = site.default_gateway(link, family);
            let gateway_word = if family == Family::V4 { "Gateway" } else { "IPv6 gateway" };
            line(format!("{gateway_word}{of}"), gateway.map(|gateway| gateway.value.to_string()));
        }
    }
    let settings = &machine.settings;
    line("Host name".to_owned(), machine.hostname.value().map(Hostname::to_string));
    line("Domain".to_owned(), machine.domain().map(str::to_owned));
    let dns: Vec<String> =
        settings.dns.value().map(|list| list.values().map(ToString::to_string).collect()).unwrap_or_default();
    let search: Vec<String> = settings
        .search
        .value()
        .map(|list| list.values().map(ToString::to_string).collect())
        .unwrap_or_default();
    let ntp: Vec<String> =
        settings.ntp.value().map(|list| list.values().map(ToString::to_string).collect()).unwrap_or_default();
    for (word, values) in [("DNS server", dns), ("Search domain", search), ("Time server", ntp)] {
        match values.as_slice() {
            [] => line(word.to_owned(), None),
            [one] => line(word.to_owned(), Some(one.clone())),
            several => {
                for (index, value) in several.iter().enumerate() {
                    line(format!("{word} {}", index + 1), Some(value.clone()));
                }
            }
        }
    }
    line("Time zone".to_owned(), settings.timezone.value().map(|zone| zone.value.to_string()));
    lines
}

/// The card of an appliance that is set up at its console, as a page of text. It is read on terminals: what is not seen in the
/// words of the package or the sheet is an escape.
pub fn typing_card(site: &Site, machine: &Machine) -> String {
    let mut shown = String::new();
    for line in card_text(site, machine).lines() {
        shown += &impostazione_text::visible::harmless(line);
        shown.push('\n');
    }
    shown
}

fn card_text(site: &Site, machine: &Machine) -> String {
    let mut card = String::new();
    let appliance = machine.appliance();
    let file = appliance.and_then(|appliance| site.meanings_of(appliance));
    let vm_name = appliance.and_then(|appliance| appliance.vm_name.value());
    // Writing to a String does not fail.
    let _ = writeln!(card, "{}: type this at its console", machine.label());
    let system = appliance.and_then(|appliance| site.system_of(appliance));
    let named = file.map(|file| (file.product.clone(), file.version.clone())).or_else(|| {
        system.map(|system| (system.product.name.clone(), system.product.any_version().to_owned()))
    });
    if let Some((product, version)) = named.filter(|(product, _)| !product.is_empty()) {
        let _ = writeln!(card, "{}", format!("{product} {version}").trim_end());
    }
    if let Some(name) = &site.name {
        let _ = writeln!(card, "{name}");
    }
    if let Some(name) = vm_name.filter(|name| name.value != machine.label()) {
        let _ = writeln!(card, "virtual machine: {}", name.value);
    }
    let networks: Vec<String> = machine
        .links
        .iter()
        .filter_map(|link| {
            let subnet = site.subnet_of(link)?;
            let attached = subnet.hypervisor_network.as_deref().unwrap_or(&subnet.name.value);
            Some(format!(
                "{} to {attached}",
                link.network.as_ref().map_or(link.name.value.as_str(), |network| &network.value)
            ))
        })
        .collect();
    if !networks.is_empty() {
        let _ = writeln!(card, "attach: {}", networks.join(", "));
    }
    if let Some(login) = file.and_then(|file| file.default_login.as_ref()) {
        let _ = writeln!(
            card,
            "first login: {}, with the password from the product's documentation; change it at once",
            login.account
        );
    }
    card.push('\n');
    let lines = card_lines(site, machine);
    let widest = lines.iter().map(|line| line.ask.chars().count()).max().unwrap_or_default();
    for (index, line) in lines.iter().enumerate() {
        let typed = match &line.typed {
            Typed::Text(text) => text.clone(),
            Typed::Nothing => "(leave empty: press Enter)".to_owned(),
            Typed::Secret(name) => format!("(the secret {name})"),
            Typed::InSheet => "(the password in the sheet)".to_owned(),
            Typed::Open => "?".to_owned(),
        };
        let pad = " ".repeat(widest - line.ask.chars().count());
        let _ = writeln!(card, "[ ] {:>2}  {}{pad}   {typed}", index + 1, line.ask);
    }
    if let Some(administration) = file.and_then(|file| file.administration.as_ref()) {
        card.push('\n');
        if let Some(minutes) = administration.start_minutes {
            let _ = writeln!(card, "It is ready about {minutes} minutes after its first start.");
        }
        if let Some(port) = administration.port {
            let name = machine.fqdn().unwrap_or_else(|| machine.label().to_owned());
            let _ = writeln!(card, "Then it is managed at {name}, TCP port {port}.");
        }
    }
    card
}
