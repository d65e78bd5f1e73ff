//! The value that each property of an appliance gets: what the sheet answers, or what its meaning takes from the sheet, or
//! the package's default.

use impostazione_ovf::{Meaning, Property, PropertyType, Reading, TakeWord, VirtualSystem};
use impostazione_text::{Hidden, Place, Written};

use super::link_choice::LinkGroups;
use super::switch_words::SwitchForm;
use crate::machine::{Answer, AnswerSource, Appliance, Link, Machine, Of, Site, Take, TakeFault};

/// A property, and what it gets.
#[derive(Clone, Debug)]
pub struct AnsweredProperty<'a> {
    /// The property.
    pub property: &'a Property,
    /// What it wants.
    pub reading: &'a Reading,
    /// What the sheet says to it.
    pub answer: Option<&'a Answer>,
    /// What came of that.
    pub outcome: Outcome,
}

/// What a property gets.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Outcome {
    /// This value.
    Value {
        /// The value, which may be confidential.
        text: Hidden,
        /// Where it comes from.
        from: Origin,
    },
    /// Nothing, since something in the sheet could not be read; a finding says so already.
    InDoubt,
    /// Nothing, since what the sheet says to take is not there; a rule reports it at the answer.
    NotThere,
    /// Nothing: it has no default and no answer, and this is why it is not answered by its meaning.
    Unanswered(Unanswered),
}

/// Where the value of a property comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// It stands in the sheet as it is.
    Literal,
    /// It is taken from elsewhere in the sheet, as an answer says.
    Taken,
    /// It is a secret: index in [`Site::secrets`].
    Secret(usize),
    /// It is taken from the sheet for what the property means.
    Meaning,
    /// It is what the property's own text says to put where there is no value.
    WhenMissing,
    /// The package's default, which the sheet leaves.
    Default,
    /// The package's own, which nobody sets.
    Package,
}

/// Why a property is not answered by its meaning.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Unanswered {
    /// It means nothing that a sheet has.
    Silent,
    /// It may mean something, and that is not certain.
    Unsure,
    /// It wants a secret.
    NeedsSecret,
    /// The sheet does not have it, or does not say which, for this reason.
    NoValue(String),
}

impl Outcome {
    /// The value, where there is one.
    pub fn text(&self) -> Option<&str> {
        match self {
            Self::Value { text, .. } => Some(text.reveal()),
            Self::InDoubt | Self::NotThere | Self::Unanswered(_) => None,
        }
    }

    /// Where the value comes from, where there is one.
    pub fn origin(&self) -> Option<Origin> {
        match self {
            Self::Value { from, .. } => Some(*from),
            Self::InDoubt | Self::NotThere | Self::Unanswered(_) => None,
        }
    }
}

impl AnsweredProperty<'_> {
    /// Whether the sheet answers it with a secret.
    pub fn is_secret(&self) -> bool {
        self.answer.is_some_and(|answer| matches!(answer.source.value(), Some(AnswerSource::Secret(_))))
    }

    /// Whether its value must not be shown.
    pub fn is_confidential(&self) -> bool {
        self.property.is_password
            || self.reading.meaning == Meaning::Password
            || self.is_secret()
            || (self.property.kind == PropertyType::String && self.reading.is_secret_key)
    }
}

/// Each property of an appliance's package with what it gets, in the order of the package. Empty where there is no
/// package, or one that cannot be read.
pub fn answered_properties<'a>(site: &'a Site, machine: &'a Machine) -> Vec<AnsweredProperty<'a>> {
    let Some(appliance) = machine.appliance() else { return Vec::new() };
    let Some(system) = site.system_of(appliance) else { return Vec::new() };
    let groups = groups_of(appliance);
    let asking = Asking { site, machine, system, option: site.option_of(appliance), groups };
    let answered: Vec<AnsweredProperty<'a>> = system
        .properties
        .iter()
        .zip(appliance.readings.iter())
        .map(|(property, reading)| {
            let answer = appliance.answers.iter().find(|answer| property.has_id(&answer.property.value));
            AnsweredProperty { property, reading, answer, outcome: asking.outcome(property, reading, answer) }
        })
        .collect();
    with_references(answered)
}

/// Puts the values of the collection's properties in the place of `${key}` (DSP0243 2.1.1, section 9.5).
fn with_references(mut answered: Vec<AnsweredProperty<'_>>) -> Vec<AnsweredProperty<'_>> {
    let shared: Vec<(String, String)> = answered
        .iter()
        .filter(|property| property.property.of_collection)
        .filter_map(|property| {
            Some((format!("${{{}}}", property.property.key), property.outcome.text()?.to_owned()))
        })
        .collect();
    for property in answered.iter_mut().filter(|property| !property.property.of_collection) {
        if let Outcome::Value { text, from: Origin::Default | Origin::Package } = &mut property.outcome {
            for (reference, value) in &shared {
                *text = Hidden::new(text.reveal().replace(reference, value));
            }
        }
    }
    answered
}

/// The groups in which an appliance's package asks for the settings of links.
pub(crate) fn groups_of(appliance: &Appliance) -> LinkGroups<Meaning> {
    let of_links = appliance.readings.iter().filter(|reading| reading.meaning.is_of_link());
    LinkGroups::of(of_links.map(|reading| (reading.meaning, reading.link.clone())))
}

struct Asking<'a> {
    site: &'a Site,
    machine: &'a Machine,
    system: &'a VirtualSystem,
    option: Option<&'a str>,
    groups: LinkGroups<Meaning>,
}

impl Asking<'_> {
    fn outcome(&self, property: &Property, reading: &Reading, answer: Option<&Answer>) -> Outcome {
        let default = property.default_with(self.option);
        let value = |text: String, from: Origin| Outcome::Value { text: Hidden::new(text), from };
        if !property.is_settable {
            return value(default.unwrap_or_default().to_owned(), Origin::Package);
        }
        if let Some(answer) = answer {
            let Some(source) = answer.source.value() else { return Outcome::InDoubt };
            return self.explicit(source);
        }
        let or_default = |why: Unanswered| match default {
            Some(default) => value(default.to_owned(), Origin::Default),
            None => Outcome::Unanswered(why),
        };
        if reading.wants_password(property) {
            return or_default(Unanswered::NeedsSecret);
        }
        if !reading.is_certain() {
            let is_open = reading.meaning != Meaning::Other;
            return or_default(if is_open { Unanswered::Unsure } else { Unanswered::Silent });
        }
        match self.by_meaning(property, reading) {
            Ok(text) => value(text, Origin::Meaning),
            Err(Missing::NotOfSheet) => or_default(Unanswered::Silent),
            Err(Missing::InDoubt) => Outcome::InDoubt,
            Err(Missing::Nothing(why)) => match &reading.when_missing {
                Some(text) => value(text.clone(), Origin::WhenMissing),
                None => or_default(Unanswered::NoValue(why)),
            },
            Err(Missing::Unclear(why)) => Outcome::Unanswered(Unanswered::NoValue(why)),
        }
    }

    fn explicit(&self, source: &AnswerSource) -> Outcome {
        match source {
            AnswerSource::Literal(text) => {
                Outcome::Value { text: Hidden::new(text.as_str()), from: Origin::Literal }
            }
            AnswerSource::Take(take) => match take.value(self.site, self.machine) {
                Ok(text) => Outcome::Value { text: Hidden::new(text), from: Origin::Taken },
                Err(_) => Outcome::NotThere,
            },
            AnswerSource::Secret(index) => {
                let secret = self.site.secrets.get(*index);
                let value = secret.and_then(|secret| secret.value_for(self.site, self.machine).value());
                value.map_or(Outcome::InDoubt, |value| Outcome::Value {
                    text: value.clone(),
                    from: Origin::Secret(*index),
                })
            }
        }
    }

    fn by_meaning(&self, property: &Property, reading: &Reading) -> Result<String, Missing> {
        let on = |is_on: bool| {
            switch(property, is_on).ok_or_else(|| {
                Missing::Unclear("its text does not say which words switch it on and off".to_owned())
            })
        };
        match reading.meaning {
            Meaning::NtpEnabled => match self.machine.settings.ntp.value() {
                Some(list) => on(!list.is_declined() && !list.is_empty()),
                None => Err(Missing::InDoubt),
            },
            // A static address and one that is asked for do not go together; left open it is about all links.
            Meaning::DhcpEnabled => {
                let is_static = |link: &Link| link.addresses().next().is_some();
                let is_off = match self.link(reading)? {
                    Some(link) => is_static(link),
                    None => self.machine.links.iter().any(is_static),
                };
                if is_off { on(false) } else { Err(Missing::NotOfSheet) }
            }
            Meaning::Ipv6Enabled => {
                on(self.machine.links.iter().any(|link| link.has_family(impostazione_net::Family::V6)))
            }
            meaning => {
                let word = take_word(meaning).ok_or(Missing::NotOfSheet)?;
                let text = take_for(
                    self.site,
                    self.machine,
                    word,
                    self.link(reading)?,
                    reading.position,
                    reading.separator.as_deref(),
                )?;
                Ok(in_form_of(property, reading, text))
            }
        }
    }

    /// The link that a property is about; left open where the machine has one way out.
    fn link(&self, reading: &Reading) -> Result<Option<&Link>, Missing> {
        if !reading.meaning.is_of_link() {
            return Ok(None);
        }
        self.groups
            .link_for(self.machine, Some(self.system), reading.meaning, reading.link.as_ref())
            .map_err(Missing::Unclear)
    }
}

/// Why a meaning gives no value.
pub(crate) enum Missing {
    /// A sheet says nothing about it.
    NotOfSheet,
    /// A finding says so already.
    InDoubt,
    /// The sheet has none.
    Nothing(String),
    /// The sheet has several, or it cannot be told which is meant.
    Unclear(String),
}

/// The word for the value that a meaning takes from a sheet by itself.
pub(crate) fn take_word(meaning: Meaning) -> Option<TakeWord> {
    let is_of_sheet = matches!(
        meaning,
        Meaning::Address
            | Meaning::Address6
            | Meaning::Netmask
            | Meaning::PrefixLength
            | Meaning::PrefixLength6
            | Meaning::AddressWithPrefix
            | Meaning::Gateway
            | Meaning::Gateway6
            | Meaning::Hostname
            | Meaning::Fqdn
            | Meaning::Domain
            | Meaning::Dns
            | Meaning::Dns1
            | Meaning::Dns2
            | Meaning::Search
            | Meaning::Ntp
            | Meaning::Ntp1
            | Meaning::Ntp2
            | Meaning::Timezone
            | Meaning::NodeNumber
            | Meaning::NodeCount
            | Meaning::ClusterName
            | Meaning::Peers
            | Meaning::VirtualAddress
            | Meaning::Locale
            | Meaning::Keyboard
            | Meaning::Mtu
    );
    if is_of_sheet { TakeWord::parse(meaning.word()) } else { None }
}

/// Takes a value for a property or for a question of a console.
pub(crate) fn take_for(
    site: &Site,
    machine: &Machine,
    word: TakeWord,
    link: Option<&Link>,
    position: Option<usize>,
    join: Option<&str>,
) -> Result<String, Missing> {
    let place = Place::default();
    let nth = position
        .filter(|_| matches!(word, TakeWord::Dns | TakeWord::Ntp | TakeWord::Search | TakeWord::Peers));
    let take = Take {
        word: Written::new(word, place),
        of: Of::Itself,
        link: link.map(|link| Written::new(link.name.value.to_string(), place)),
        toward: None,
        nth: nth.map(|nth| Written::new(nth, place)),
        join: join.map(str::to_owned),
        place,
    };
    take.value(site, machine).map_err(|TakeFault { message, is_known, is_nothing, .. }| {
        let why = message.trim_end_matches('.').to_owned();
        match (is_known, is_nothing) {
            (true, _) if !declines(machine, word) => Missing::InDoubt,
            (_, true) => Missing::Nothing(why),
            (true, _) | (false, false) => Missing::Unclear(why),
        }
    })
}

/// Whether the sheet says on purpose that there is no such value.
fn declines(machine: &Machine, word: TakeWord) -> bool {
    use TakeWord as W;
    let settings = &machine.settings;
    match word {
        W::Dns | W::Dns1 | W::Dns2 => {
            settings.dns.value().is_some_and(|list| list.is_declined() || !list.is_empty())
        }
        W::Ntp | W::Ntp1 | W::Ntp2 => {
            settings.ntp.value().is_some_and(|list| list.is_declined() || !list.is_empty())
        }
        W::Search => settings.search.value().is_some_and(|list| !list.has_faulty_items),
        _ => false,
    }
}

/// A value of the sheet in the form that the property shows by its default or its choices: a length behind a slash, a language
/// as `it`, `it-IT` or `it_IT`.
fn in_form_of(property: &Property, reading: &Reading, text: String) -> String {
    let default = property.base_default.as_deref().unwrap_or_default();
    let is_v6 = || text.parse::<std::net::Ipv6Addr>().is_ok();
    match reading.meaning {
        Meaning::Address6
        | Meaning::Gateway6
        | Meaning::Address
        | Meaning::Gateway
        | Meaning::VirtualAddress
            if reading.written.has_brackets && is_v6() =>
        {
            format!("[{text}]")
        }
        Meaning::Fqdn if reading.written.scheme.is_some() => {
            format!("{}://{text}", reading.written.scheme.as_deref().unwrap_or_default())
        }
        Meaning::PrefixLength | Meaning::PrefixLength6 if default.starts_with('/') => format!("/{text}"),
        Meaning::Locale => {
            let bare = text.split(['.', '@']).next().unwrap_or_default();
            let language = bare.split('_').next().unwrap_or_default();
            let forms = [text.clone(), bare.to_owned(), bare.replace('_', "-"), language.to_owned()];
            if let Some(choice) = forms.iter().find_map(|form| {
                property.limits.choices.iter().find(|choice| choice.eq_ignore_ascii_case(form))
            }) {
                return choice.clone();
            }
            let [whole, with_country, with_hyphen, language] = forms;
            match default {
                "" => whole,
                default if default.contains('.') || default == "C" => whole,
                default if default.contains('_') => with_country,
                default if default.contains('-') => with_hyphen,
                default if default.len() == 2 => language,
                _ => whole,
            }
        }
        _ => text,
    }
}

/// On or off in the words that a property takes.
fn switch(property: &Property, is_on: bool) -> Option<String> {
    let (choices, default) = (property.limits.choices.as_slice(), property.base_default.as_deref());
    SwitchForm { kind: &property.kind, choices, default }.word(is_on)
}

/// Whether a meaning wants something that a sheet has.
pub fn is_of_sheet(meaning: Meaning) -> bool {
    let is_switch = matches!(meaning, Meaning::DhcpEnabled | Meaning::NtpEnabled | Meaning::Ipv6Enabled);
    is_switch || take_word(meaning).is_some()
}

/// Whether an appliance is set up at its console: it has no package, or one that asks for nothing, or one whose settings
/// have no way into the machine. One whose package cannot be read is in doubt, and counts as such too.
pub fn is_at_console(site: &Site, appliance: &Appliance) -> bool {
    site.system_of(appliance).is_none_or(|system| {
        let asks = system.properties.iter().any(|property| property.is_settable);
        !asks || system.hardware.transports.is_empty()
    })
}

/// The network of the package that a link is on: the sheet's, or the only one that there is.
pub fn network_of_link<'a>(
    machine: &'a Machine,
    system: &'a VirtualSystem,
    descriptor: &'a impostazione_ovf::Descriptor,
    link: &'a Link,
) -> Option<&'a str> {
    if let Some(network) = &link.network {
        return Some(&network.value);
    }
    match (machine.links.as_slice(), system.hardware.adapters.as_slice(), descriptor.networks.as_slice()) {
        ([_], [only], _) => Some(only),
        ([_], [], [only]) => Some(&only.name),
        _ => None,
    }
}
