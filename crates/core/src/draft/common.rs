//! Questions about what all machines share.

use super::desk::Desk;
use super::put::{Reply, put};
use super::question::{Question, Refusal};
use super::state::{Scope, State};
use super::topic::{CommonKey, Topic};
use super::zones::{hours_of, zones_like};
use crate::edit::{TablePath, quoted, quoted_list};
use crate::sheet::{COMMON, KeySpec, SSH};

/// What is asked first.
const FIRST: [CommonKey; 3] = [CommonKey::Site, CommonKey::Purpose, CommonKey::Keyboard];

/// What is asked once the subnets are known.
const SECOND: [CommonKey; 6] = [
    CommonKey::Domain,
    CommonKey::Dns,
    CommonKey::Search,
    CommonKey::Ntp,
    CommonKey::Timezone,
    CommonKey::Locale,
];

/// What is asked at the end, about how hosts are reached.
const LAST: [CommonKey; 2] = [CommonKey::Ipv6, CommonKey::HostKeys];

/// The next question before the subnets.
pub(super) fn first(state: &State) -> Option<Topic> {
    next(state, &FIRST)
}

/// The next question behind the subnets.
pub(super) fn second(state: &State) -> Option<Topic> {
    next(state, &SECOND).or_else(|| next(state, &LAST))
}

/// All keys that are asked about.
pub(super) fn all() -> impl Iterator<Item = CommonKey> {
    FIRST.into_iter().chain(SECOND).chain(LAST)
}

fn next(state: &State, keys: &[CommonKey]) -> Option<Topic> {
    keys.iter().copied().find(|key| is_open(state, *key)).map(Topic::Common)
}

/// Whether a key is still to be asked about.
pub(super) fn is_open(state: &State, key: CommonKey) -> bool {
    let common = TablePath::top("common");
    let scope = state.scope;
    let is_site = state.is_site();
    let is_wanted = match key {
        // The name of a single machine may hold the domain.
        CommonKey::Site
        | CommonKey::Purpose
        | CommonKey::Locale
        | CommonKey::Domain
        | CommonKey::HostKeys => is_site,
        CommonKey::Keyboard => scope != Some(Scope::Appliance),
        CommonKey::Search => is_site && state.text.literal(&common, "domain").is_some(),
        CommonKey::Dns | CommonKey::Ntp | CommonKey::Timezone => true,
        CommonKey::Ipv6 => is_site && !has_ipv6(state),
    };
    is_wanted && !state.is_key_settled(&Topic::Common(key).id(), &common, key.name())
}

fn has_ipv6(state: &State) -> bool {
    let mut names = state.text.names("subnet").into_iter();
    names.any(|name| state.text.literal(&TablePath::named("subnet", &name), "prefix6").is_some())
}

/// The explanation of a key: what its documentation says, and an example.
pub(super) fn explanation_of(spec: Option<&KeySpec>) -> String {
    spec.map(|spec| format!("{} In the sheet: {}", spec.about, spec.example)).unwrap_or_default()
}

/// The question about a key.
pub(super) fn question(state: &State, desk: &Desk<'_>, key: CommonKey) -> Question {
    let common = TablePath::top("common");
    let known = &desk.known;
    let id = Topic::Common(key).id();
    let so_far = || match state.text.strings(&common, key.name()) {
        Some(items) => Some(items.join(" ")),
        None => state.text.string(&common, key.name()),
    };
    let ask = |line: &str, proposal: Option<String>| {
        Question::new(id.clone(), line).proposing(so_far().or(proposal))
    };
    let question = match key {
        CommonKey::Site => ask("What is the site called?", site_from(desk.name)).or_none(),
        CommonKey::Purpose => ask("What are the machines for?", Some("production".to_owned())).choosing(&[
            ("production", "every rule counts in full"),
            ("lab", "weak credentials are warnings, judgments are notes"),
        ]),
        CommonKey::Keyboard => {
            let line = if state.is_site() {
                "Which keyboard layout do the hosts' consoles have? (it, us, de …)"
            } else {
                "Which keyboard layout does its console have? (it, us, de …)"
            };
            ask(line, known.keyboard.clone()).or_none()
        }
        CommonKey::Domain => ask("What is the domain of the machines?", None).or_none(),
        CommonKey::Dns => {
            ask("Which DNS servers do they ask, by address? Two, with a space between them", None).or_none()
        }
        CommonKey::Search => {
            ask("In which domains are short names looked up?", state.text.string(&common, "domain")).or_none()
        }
        CommonKey::Ntp => {
            ask("Which time servers do they ask? Addresses or names; four are best", None).or_none()
        }
        CommonKey::Timezone => ask("In which time zone are they? A city will do", known.timezone.clone()),
        CommonKey::Locale => {
            ask("Which language and formats do the hosts have?", Some("C.UTF-8".to_owned())).or_none()
        }
        CommonKey::Ipv6 => ask("Is IPv6 used on the hosts?", Some("off".to_owned())).choosing(&[
            ("off", "no IPv6 at all"),
            ("static", "link-local addresses only, as no subnet has an IPv6 prefix"),
            ("auto", "addresses and gateway from router advertisements"),
        ]),
        CommonKey::HostKeys => {
            let is_set = state.text.literal(&TablePath::top("common").inner(&["ssh"]), "host_key").is_some();
            let proposal = if is_set || !state.is_key_settled(&id, &common, "ssh") { "yes" } else { "no" };
            Question::new(id.clone(), "Make SSH host keys now, so that the first login knows whom it meets?")
                .proposing(Some(proposal.to_owned()))
                .choosing(&[
                    ("yes", "they are made and kept in the encrypted store"),
                    ("no", "each host makes its own at the first boot"),
                ])
                .explained(explanation_of(SSH.key("host_key")))
        }
    };
    if question.explanation.is_empty() {
        question.explained(explanation_of(COMMON.key(key.name())))
    } else {
        question
    }
}

/// The name of a site, from the name of its sheet.
fn site_from(sheet: &str) -> Option<String> {
    let stem = std::path::Path::new(sheet).file_stem()?.to_string_lossy().replace(['-', '_', '.'], " ");
    let mut letters = stem.trim().chars();
    let first = letters.next()?;
    Some(first.to_uppercase().chain(letters).collect())
}

/// Takes a reply.
pub(super) fn take(
    state: &mut State,
    desk: &Desk<'_>,
    key: CommonKey,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let common = TablePath::top("common");
    let Some(text) = reply.text else {
        return match key {
            CommonKey::Dns | CommonKey::Ntp => put(state, desk, &common, key.name(), &quoted("none"), reply),
            _ => {
                state.text.remove(&common, key.name());
                Ok(Vec::new())
            }
        };
    };
    let name = key.name();
    match key {
        CommonKey::Dns | CommonKey::Ntp | CommonKey::Search => {
            put(state, desk, &common, name, &quoted_list(reply.words()), reply)
        }
        // What holds anyway is not written.
        CommonKey::Purpose if text == "production" => {
            state.text.remove(&common, name);
            Ok(Vec::new())
        }
        CommonKey::Timezone => timezone(state, desk, text, reply),
        CommonKey::HostKeys => {
            if text == "yes" {
                if state.text.has(&common.inner(&["ssh"])) {
                    return put(state, desk, &common.inner(&["ssh"]), "host_key", "true", reply);
                }
                return put(state, desk, &common, name, "{ host_key = true }", reply);
            }
            state.text.remove(&common.inner(&["ssh"]), "host_key");
            if state.text.keys_of(&common.inner(&["ssh"])).is_empty() {
                state.text.remove(&common, name);
            }
            Ok(Vec::new())
        }
        CommonKey::Site => {
            let told = put(state, desk, &common, name, &quoted(text), reply)?;
            state.text.begin_with(&format!("# Build sheet of {text}."));
            Ok(told)
        }
        CommonKey::Purpose
        | CommonKey::Keyboard
        | CommonKey::Domain
        | CommonKey::Locale
        | CommonKey::Ipv6 => put(state, desk, &common, name, &quoted(text), reply),
    }
}

fn timezone(
    state: &mut State,
    desk: &Desk<'_>,
    text: &str,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let common = TablePath::top("common");
    let offers = zones_like(text, desk.today);
    match put(state, desk, &common, "timezone", &quoted(text), reply) {
        Ok(mut told) => {
            told.push(format!("{text}: {}", hours_of(text, desk.today)));
            Ok(told)
        }
        Err(mut refusal) if !refusal.is_judgment && !offers.is_empty() => {
            refusal.proposal = offers.first().map(|offer| offer.word.clone());
            Err(Refusal { fix: "reply with one of these, or its number".to_owned(), offers, ..refusal })
        }
        Err(refusal) => Err(refusal),
    }
}
