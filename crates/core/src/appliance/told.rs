//! All that an appliance is told, by the properties of its package or at its console, each value read as what it means.

use impostazione_net::Family;
use impostazione_ovf::{LinkHint, Meaning, Property, PropertyType, Question, TakeWord};
use impostazione_text::{Hidden, Place, Stated};

use super::answers::{
    AnsweredProperty, Missing, Origin, Outcome, answered_properties, groups_of, is_at_console, take_for,
};
use super::read_value::Wanted;
use super::typed_value::{TypedValue, ValueFault};
use super::typing_card::{AskedQuestion, asked_questions};
use crate::machine::{Answer, AnswerSource, Appliance, Link, Machine, Of, Site, Take};

/// Something that asks for a value.
#[derive(Clone, Copy, Debug)]
pub enum Asks<'a> {
    /// A property of the package.
    Property(&'a Property),
    /// A question of the console.
    Question(&'a Question),
}

/// A value that an appliance is told.
#[derive(Clone, Debug)]
#[allow(clippy::struct_excessive_bools, reason = "each says something of its own")]
pub struct ToldValue<'a> {
    /// What asks for it.
    pub asks: Asks<'a>,
    /// What it means; [`Meaning::Other`] where that is not certain.
    pub meaning: Meaning,
    /// Whether a person has written that down, in a meanings file or by what an answer takes.
    pub is_reviewed: bool,
    /// Which of several values it is, from 1.
    pub position: Option<usize>,
    /// The link that it is about.
    pub link: AboutLink<'a>,
    /// What the package or console calls that link.
    pub hint: Option<LinkHint>,
    /// What the sheet answers.
    pub answer: Option<&'a Answer>,
    /// The value, which may be confidential.
    pub text: Hidden,
    /// Where it comes from.
    pub origin: Origin,
    /// Where it stands in the sheet, or could be answered.
    pub place: Place,
    /// Whether it must not be shown.
    pub is_confidential: bool,
    /// What it is, read as what it means.
    pub read: ReadValue,
    /// Whether it is taken from the sheet as something else than it means.
    pub is_of_another_kind: bool,
    /// Whether it may be left empty: its text or its default says so.
    pub may_be_empty: bool,
    /// What stands between several values in it, where its text says so.
    pub separator: Option<&'a str>,
    /// What the sheet has for it, where it is told that by nobody else.
    pub of_sheet: SheetValue,
}

/// The link that a value is about.
#[derive(Clone, Debug)]
pub enum AboutLink<'a> {
    /// This one.
    Link(&'a Link),
    /// None: it is about the whole machine.
    Machine,
    /// One that the sheet does not have, or it cannot be told which: why.
    Unclear(String),
}

/// A value, read as what it means.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ReadValue {
    /// This.
    Typed(TypedValue),
    /// Not what it should be.
    Wrong(ValueFault),
    /// Empty, or the word that stands for nothing there.
    Empty,
    /// It was not read: its meaning is not known, or it is refused for its type or its choices already.
    Unread,
}

/// What a sheet has for a value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SheetValue {
    /// This, in the form in which the property wants it.
    Is(String),
    /// Nothing, on purpose or because it does not speak of it.
    Nothing,
    /// It cannot be told.
    Unclear,
}

/// An appliance with all that it is told.
#[derive(Clone, Debug)]
pub struct ToldAppliance<'a> {
    /// The machine.
    pub machine: &'a Machine,
    /// What only an appliance has.
    pub appliance: &'a Appliance,
    /// Whether it is told at its console.
    pub is_at_console: bool,
    /// The properties of its package with what they get; empty at a console.
    pub properties: Vec<AnsweredProperty<'a>>,
    /// All values that it gets.
    pub values: Vec<ToldValue<'a>>,
}

impl ToldValue<'_> {
    /// Id of the property or question.
    pub fn id(&self) -> String {
        match self.asks {
            Asks::Property(property) => property.id(),
            Asks::Question(question) => question.id.clone(),
        }
    }

    /// What messages call it: its id, and what the package or console calls it.
    pub fn called(&self) -> String {
        let (id, label) = match self.asks {
            Asks::Property(property) => (property.id(), property.label.as_str()),
            Asks::Question(question) => (question.id.clone(), question.ask.as_str()),
        };
        if label.is_empty() { format!("\"{id}\"") } else { format!("\"{id}\" ({label})") }
    }

    /// What it is, behind a value: "the answer to …", "the default of …".
    pub fn role(&self) -> String {
        let called = self.called();
        match (self.origin, self.asks) {
            (Origin::Default, _) => format!("the default of {called}"),
            (Origin::WhenMissing, _) => format!("the empty value of {called}"),
            (_, Asks::Property(_)) => format!("the answer to {called}"),
            (_, Asks::Question(_)) => format!("the answer to the question {called}"),
        }
    }

    /// The only values that are taken; empty where any is.
    pub fn choices(&self) -> &[String] {
        match self.asks {
            Asks::Property(property) => &property.limits.choices,
            Asks::Question(_) => &[],
        }
    }

    /// What it is, where it could be read.
    pub fn typed(&self) -> Option<&TypedValue> {
        match &self.read {
            ReadValue::Typed(typed) => Some(typed),
            ReadValue::Wrong(_) | ReadValue::Empty | ReadValue::Unread => None,
        }
    }

    /// Whether somebody else than the sheet's own machine and link decided on it: what is taken from there is judged there.
    pub fn is_own_word(&self) -> bool {
        match self.origin {
            Origin::Literal | Origin::Default | Origin::WhenMissing => true,
            Origin::Taken => self.take().is_some_and(|take| !matches!(take.of, Of::Itself)),
            Origin::Secret(_) | Origin::Meaning | Origin::Package => false,
        }
    }

    /// What the answer takes from elsewhere in the sheet.
    pub fn take(&self) -> Option<&Take> {
        match self.answer?.source.value()? {
            AnswerSource::Take(take) => Some(take),
            AnswerSource::Literal(_) | AnswerSource::Secret(_) => None,
        }
    }

    /// Whether the sheet gives it, rather than the package.
    pub fn is_answered(&self) -> bool {
        self.answer.is_some()
    }

    /// The value as a message may show it.
    pub fn shown(&self) -> String {
        if self.is_confidential {
            "its value".to_owned()
        } else {
            format!("\"{}\"", harmless_url(self.text.reveal()))
        }
    }
}

/// A text without the login that stands in a URL.
pub(crate) fn harmless_url(text: &str) -> String {
    match login_in_url(text) {
        Some(range) => {
            let (before, behind) = (text.get(..range.start), text.get(range.end..));
            format!("{}…{}", before.unwrap_or_default(), behind.unwrap_or_default())
        }
        None => text.to_owned(),
    }
}

/// Where the login and password of a URL stand in a text (RFC 3986, section 3.2.1).
pub(crate) fn login_in_url(text: &str) -> Option<std::ops::Range<usize>> {
    let start = text.find("://")? + 3;
    let rest = text.get(start..)?;
    let authority = rest.split(['/', '?', '#']).next()?;
    let end = authority.rfind('@')?;
    authority.get(..end)?.contains(':').then(|| start..start + end)
}

/// Every appliance of a site with all that it is told, in the order of the sheet.
pub fn told_appliances(site: &Site) -> Vec<ToldAppliance<'_>> {
    site.machines.iter().filter_map(|machine| told_appliance(site, machine)).collect()
}

/// An appliance with all that it is told; `None` for a host.
pub fn told_appliance<'a>(site: &'a Site, machine: &'a Machine) -> Option<ToldAppliance<'a>> {
    let appliance = machine.appliance()?;
    let is_at_console = is_at_console(site, appliance);
    let has_six = asks_for_six(site, appliance, is_at_console);
    let telling = Telling { site, machine, appliance, has_six };
    let (properties, values) = if is_at_console {
        let values = asked_questions(site, machine).into_iter();
        (Vec::new(), values.filter_map(|question| telling.of_question(question)).collect())
    } else {
        let properties = answered_properties(site, machine);
        let groups = groups_of(appliance);
        let about = |property: &AnsweredProperty<'a>| {
            groups.link_for(
                machine,
                site.system_of(appliance),
                property.reading.meaning,
                property.reading.link.as_ref(),
            )
        };
        let values = properties.iter().filter_map(|property| telling.of_property(property, about)).collect();
        (properties, values)
    };
    Some(ToldAppliance { machine, appliance, is_at_console, properties, values })
}

struct Telling<'a> {
    site: &'a Site,
    machine: &'a Machine,
    appliance: &'a Appliance,
    /// Whether something asks for IPv6 by itself.
    has_six: bool,
}

/// Whether the package, or the console, asks for an address, a gateway or a length of IPv6 by itself.
fn asks_for_six(site: &Site, appliance: &Appliance, is_at_console: bool) -> bool {
    let is_six =
        |meaning: Meaning| matches!(meaning, Meaning::Address6 | Meaning::Gateway6 | Meaning::PrefixLength6);
    if is_at_console {
        let questions = site.meanings_of(appliance).map(|file| file.question.as_slice()).unwrap_or_default();
        let mut words = questions.iter().filter_map(|question| Meaning::parse(question.take.as_deref()?));
        return words.any(is_six);
    }
    appliance.readings.iter().any(|reading| is_six(reading.meaning))
}

impl<'a> Telling<'a> {
    fn of_property(
        &self,
        answered: &AnsweredProperty<'a>,
        about: impl Fn(&AnsweredProperty<'a>) -> Result<Option<&'a Link>, String>,
    ) -> Option<ToldValue<'a>> {
        let Outcome::Value { text, from } = &answered.outcome else { return None };
        let (property, reading) = (answered.property, answered.reading);
        if !property.is_settable {
            return None;
        }
        let is_certain = reading.is_certain() || property.is_password;
        let by_take = meaning_of_take(answered.answer);
        let meaning = if is_certain { reading.meaning } else { by_take.unwrap_or(Meaning::Other) };
        let position = position_of(meaning, reading.position);
        let link = self.about_link(meaning, answered.answer, || about(answered));
        let is_left_open = *from == Origin::Default && stands_for_nothing(text.reveal());
        let is_refused = property.kind.accepts(text.reveal()).is_err()
            || (!property.limits.choices.is_empty()
                && !property.limits.choices.iter().any(|choice| choice == text.reveal()));
        let wanted = Wanted {
            meaning,
            kind: &property.kind,
            choices: &property.limits.choices,
            default: property.base_default.as_deref(),
            is_single: position.is_some(),
            separator: reading.separator.as_deref(),
            written: Some(&reading.written),
            has_six_elsewhere: self.has_six,
            texts: [&property.label, &property.description],
        };
        let is_word_for_nothing = reading
            .when_missing
            .as_deref()
            .is_some_and(|word| !word.is_empty() && word.eq_ignore_ascii_case(text.reveal()));
        let is_of_another_kind = is_of_another_kind(meaning, answered.answer);
        let is_confidential = answered.is_confidential();
        let read = if text.reveal().is_empty() || is_left_open || is_word_for_nothing {
            ReadValue::Empty
        } else if is_refused || is_of_another_kind || meaning == Meaning::Other {
            ReadValue::Unread
        } else {
            read(&wanted, text.reveal())
        };
        let of_sheet = if is_own(*from, answered.answer) {
            self.of_sheet(meaning, &link, position, reading.separator.as_deref())
        } else {
            SheetValue::Unclear
        };
        let table = self.appliance.answers_place.unwrap_or(self.machine.place);
        Some(ToldValue {
            asks: Asks::Property(property),
            meaning,
            is_reviewed: reading.is_reviewed || !is_certain,
            position,
            link,
            hint: reading.link.clone(),
            answer: answered.answer,
            text: text.clone(),
            origin: *from,
            place: answered.answer.map_or(table, |answer| answer.place),
            is_confidential,
            read,
            is_of_another_kind,
            may_be_empty: reading.when_missing.is_some() || property.base_default.as_deref() == Some(""),
            separator: reading.separator.as_deref(),
            of_sheet,
        })
    }

    fn of_question(&self, asked: AskedQuestion<'a>) -> Option<ToldValue<'a>> {
        const TEXT: &PropertyType = &PropertyType::String;
        let question = asked.question;
        let (text, origin) = asked.value?;
        let by_word = question.take.as_deref().and_then(TakeWord::parse).and_then(meaning_of_word);
        let meaning =
            if question.is_password { Meaning::Password } else { by_word.unwrap_or(Meaning::Other) };
        let meaning = match (meaning, meaning_of_take(asked.answer)) {
            (Meaning::Other, Some(taken)) => taken,
            (meaning, _) => meaning,
        };
        let position = position_of(meaning, question.position);
        let link = self.about_link(meaning, asked.answer, || asked.link.clone());
        let wanted = Wanted {
            meaning,
            kind: TEXT,
            choices: &[],
            default: question.when_missing.as_deref(),
            is_single: position.is_some(),
            separator: question.join.as_deref(),
            written: None,
            has_six_elsewhere: self.has_six,
            texts: [&question.ask, ""],
        };
        let is_word_for_nothing =
            question.when_missing.as_deref().is_some_and(|word| word.eq_ignore_ascii_case(&text));
        let is_of_another_kind = is_of_another_kind(meaning, asked.answer);
        let read = if text.is_empty() || is_word_for_nothing {
            ReadValue::Empty
        } else if is_of_another_kind || meaning == Meaning::Other {
            ReadValue::Unread
        } else {
            read(&wanted, &text)
        };
        let of_sheet = if is_own(origin, asked.answer) {
            self.of_sheet(meaning, &link, position, question.join.as_deref())
        } else {
            SheetValue::Unclear
        };
        let table = self.appliance.answers_place.unwrap_or(self.machine.place);
        Some(ToldValue {
            asks: Asks::Question(question),
            meaning,
            is_reviewed: true,
            position,
            link,
            hint: question.link.as_deref().map(LinkHint::parse),
            answer: asked.answer,
            text: Hidden::new(text),
            origin,
            place: asked.answer.map_or(table, |answer| answer.place),
            is_confidential: question.is_password,
            read,
            is_of_another_kind,
            may_be_empty: question.when_missing.is_some(),
            separator: question.join.as_deref(),
            of_sheet,
        })
    }

    /// The link that a value is about: that of its answer, or that of its group, or the one that leads out.
    fn about_link(
        &self,
        meaning: Meaning,
        answer: Option<&Answer>,
        about: impl FnOnce() -> Result<Option<&'a Link>, String>,
    ) -> AboutLink<'a> {
        if !meaning.is_of_link() {
            return AboutLink::Machine;
        }
        let take = match answer.map(|answer| &answer.source) {
            Some(Stated::Value(AnswerSource::Take(take))) if take.of == Of::Itself => Some(take),
            _ => None,
        };
        if let Some(take) = take.filter(|take| take.toward.is_some()) {
            return match take.choose_link(self.site, self.machine) {
                Ok(link) => AboutLink::Link(link),
                Err(fault) => AboutLink::Unclear(fault.message.trim_end_matches('.').to_owned()),
            };
        }
        if let Some(Take { link: Some(name), .. }) = take {
            return match self.machine.link_named(&name.value) {
                Some(link) => AboutLink::Link(link),
                None => AboutLink::Unclear(format!("{} has no link {}", self.machine.called(), name.value)),
            };
        }
        match about() {
            Ok(Some(link)) => AboutLink::Link(link),
            Ok(None) => match self.only_way_out() {
                Some(link) => AboutLink::Link(link),
                None => AboutLink::Unclear("it is not clear which link it is about".to_owned()),
            },
            Err(why) => AboutLink::Unclear(why),
        }
    }

    /// The one link that leads out, or the only one.
    fn only_way_out(&self) -> Option<&'a Link> {
        let leads_out = |link: &&Link| {
            Family::BOTH.into_iter().any(|family| self.site.default_gateway(link, family).is_some())
        };
        let mut ways_out = self.machine.links.iter().filter(leads_out);
        match (ways_out.next(), ways_out.next(), self.machine.links.as_slice()) {
            (Some(only), None, _) | (None, _, [only]) => Some(only),
            _ => None,
        }
    }

    fn of_sheet(
        &self,
        meaning: Meaning,
        link: &AboutLink<'a>,
        position: Option<usize>,
        separator: Option<&str>,
    ) -> SheetValue {
        let Some(word) = super::answers::take_word(meaning) else { return SheetValue::Nothing };
        let link = match link {
            AboutLink::Link(link) => Some(*link),
            AboutLink::Machine => None,
            AboutLink::Unclear(_) => return SheetValue::Unclear,
        };
        match take_for(self.site, self.machine, word, link, position, separator) {
            Ok(text) => SheetValue::Is(text),
            Err(Missing::Nothing(_) | Missing::NotOfSheet) => SheetValue::Nothing,
            Err(Missing::InDoubt | Missing::Unclear(_)) => SheetValue::Unclear,
        }
    }
}

fn read(wanted: &Wanted<'_>, text: &str) -> ReadValue {
    match wanted.read(text) {
        Ok(typed) => ReadValue::Typed(typed),
        // One of the choices may be a word of the package's own.
        Err(_) if !wanted.choices.is_empty() => ReadValue::Typed(TypedValue::Text),
        Err(wrong) => ReadValue::Wrong(wrong),
    }
}

/// Whether a value was decided on by itself, so that it can differ from the sheet's.
fn is_own(origin: Origin, answer: Option<&Answer>) -> bool {
    match origin {
        Origin::Literal | Origin::Default | Origin::WhenMissing => true,
        Origin::Taken => {
            let source = answer.and_then(|answer| answer.source.value());
            matches!(source, Some(AnswerSource::Take(take)) if !matches!(take.of, Of::Itself))
        }
        Origin::Secret(_) | Origin::Meaning | Origin::Package => false,
    }
}

/// Defaults by which an author leaves a setting open.
fn stands_for_nothing(text: &str) -> bool {
    let text = text.trim();
    matches!(text, "" | "-" | "0.0.0.0" | "::" | "?")
        || ["none", "n/a", "null", "unset", "auto", "dhcp"].iter().any(|word| text.eq_ignore_ascii_case(word))
}

/// Which of several values is wanted, from 1.
fn position_of(meaning: Meaning, position: Option<usize>) -> Option<usize> {
    match meaning {
        Meaning::Dns1 | Meaning::Ntp1 => Some(1),
        Meaning::Dns2 | Meaning::Ntp2 => Some(2),
        Meaning::Dns | Meaning::Ntp | Meaning::Search | Meaning::Peers | Meaning::SshKey => position,
        _ => None,
    }
}

/// What a value is that an answer takes of the machine itself.
fn meaning_of_take(answer: Option<&Answer>) -> Option<Meaning> {
    match answer?.source.value()? {
        AnswerSource::Take(take) if matches!(take.of, Of::Itself) => meaning_of_word(take.word.value),
        _ => None,
    }
}

/// Whether an answer takes something from the sheet that cannot stand for what is meant. A server, a proxy or a peer may be any
/// machine, by address or by name, and a text may be anything.
fn is_of_another_kind(meaning: Meaning, answer: Option<&Answer>) -> bool {
    use Meaning as M;
    use TakeWord as W;
    let Some(AnswerSource::Take(take)) = answer.and_then(|answer| answer.source.value()) else {
        return false;
    };
    let word = take.word.value;
    if meaning.take_word() == Some(word) {
        return false;
    }
    let is_machine = matches!(
        word,
        W::Address | W::Address6 | W::Hostname | W::Fqdn | W::VirtualAddress | W::Gateway | W::Gateway6
    );
    let is_fitting = match meaning {
        M::Address => matches!(word, W::Address6 | W::AddressWithPrefix | W::VirtualAddress),
        M::Address6 => matches!(word, W::VirtualAddress),
        M::AddressWithPrefix => matches!(word, W::Address | W::Address6),
        M::Gateway => matches!(word, W::Gateway6),
        M::VirtualAddress => matches!(word, W::Address | W::Address6),
        M::Netmask => matches!(word, W::PrefixLength),
        M::PrefixLength => matches!(word, W::Netmask | W::PrefixLength6),
        M::Hostname => matches!(word, W::Fqdn),
        M::Fqdn => matches!(word, W::Hostname),
        M::Domain | M::Search => matches!(word, W::Domain | W::Search),
        M::Dns | M::Dns1 | M::Dns2 => is_machine || matches!(word, W::Dns | W::Dns1 | W::Dns2),
        M::Ntp | M::Ntp1 | M::Ntp2 => is_machine || matches!(word, W::Ntp | W::Ntp1 | W::Ntp2),
        M::Peers => is_machine || matches!(word, W::MemberAddresses | W::PeerNames),
        M::LicenseServer | M::MailRelay | M::Proxy => is_machine,
        M::ClusterName => matches!(word, W::Domain | W::Hostname | W::Fqdn),
        M::Username | M::Role | M::LicenseKey | M::MailAddress | M::Password | M::Other => true,
        M::SshKey
        | M::SshEnabled
        | M::NtpEnabled
        | M::DhcpEnabled
        | M::Ipv6Enabled
        | M::HttpsEnabled
        | M::PrefixLength6
        | M::Gateway6
        | M::Timezone
        | M::Vlan
        | M::Mtu
        | M::NodeNumber
        | M::NodeCount
        | M::Locale
        | M::Keyboard => false,
    };
    !is_fitting
}

/// The meaning that a word of `take` has the value of.
fn meaning_of_word(word: TakeWord) -> Option<Meaning> {
    match word {
        TakeWord::MemberAddresses | TakeWord::PeerNames => Some(Meaning::Peers),
        other => Meaning::parse(other.text()),
    }
}
