//! Typing of secrets, and the fetching of their values once it is known who uses them.

use std::collections::BTreeMap;
use std::path::Path;

use impostazione_secret::keyboard::KeyLayout;
use impostazione_secret::store::{EntryId, Store, StoreFault};
use impostazione_secret::{CharacterClass, HostKey, SourceFault, WellKnown};
use impostazione_text::files::ReadFault;
use impostazione_text::{Hidden, Place, Stated, Written};

use super::appliance::Appliance;
use super::machine::{Machine, Role};
use super::resolve::Resolver;
use super::rules;
use super::secret::{Secret, SecretScope, SecretSource};
use super::site::Site;
use crate::sheet::rules::form;
use crate::sheet::{SECRET, SecretEntry, SecretReference};

/// Largest list of refused passwords that is read.
const LIST_LIMIT: u64 = 64 * 1024 * 1024;
/// Largest file of a secret that is read.
const FILE_LIMIT: u64 = 64 * 1024;

/// Why a value cannot be had, as the end of a sentence, and what to do.
struct Unavailable {
    reason: String,
    fix: String,
    /// Whether it cannot be looked at from here, and may be right elsewhere.
    is_out_of_reach: bool,
}

impl Unavailable {
    fn new(reason: impl Into<String>, fix: impl Into<String>) -> Self {
        Self { reason: reason.into(), fix: fix.into(), is_out_of_reach: false }
    }

    fn of_source(fault: SourceFault, fix: impl Into<String>) -> Self {
        let (reason, is_out_of_reach) = match fault {
            SourceFault::OutOfReach(reason) => (reason, true),
            SourceFault::Unusable(reason) => (reason, false),
        };
        Self { reason, fix: fix.into(), is_out_of_reach }
    }
}

/// What is wanted of the store.
#[derive(Clone, Copy)]
enum Wanted<'a> {
    /// The value of a secret.
    Secret(&'a str),
    /// The key of a host.
    HostKey,
}

/// A store that nobody gave the key of, and what is wanted of it.
#[derive(Debug)]
pub(super) struct ShutStore {
    place: Place,
    fault: StoreFault,
    secrets: Vec<String>,
    host_keys: usize,
}

impl ShutStore {
    fn new(place: Place, fault: StoreFault) -> Self {
        Self { place, fault, secrets: Vec::new(), host_keys: 0 }
    }
}

impl Resolver<'_> {
    /// A secret without its values, which are fetched when it is known who uses it.
    pub(super) fn secret(&mut self, entry: SecretEntry) -> Secret {
        #[derive(Clone, Copy)]
        enum Kind {
            Store,
            Variable,
            File,
            Prompt,
        }
        const KINDS: [(&str, Kind); 4] =
            [("store", Kind::Store), ("env", Kind::Variable), ("file", Kind::File), ("prompt", Kind::Prompt)];
        let source_place = entry.from.value().map_or(entry.name.place, |from| from.place);
        let from = entry.from.and_then(|written| self.one_of(&written, &KINDS, &SECRET, "from"));
        let source = from.and_then(|from| match from.value {
            Kind::Store => Some(SecretSource::Store),
            Kind::Prompt => Some(SecretSource::Prompt),
            Kind::File => entry.path.into_value().map(SecretSource::File),
            Kind::Variable => entry.variable.into_value().map(SecretSource::Variable),
        });
        let scope = entry.per.and_then(|written| self.one_of(&written, &SecretScope::ALL, &SECRET, "per"));
        let mut length = |given: Stated<Written<i64>>, key: &str| {
            let read = given.and_then(|written| match usize::try_from(written.value) {
                Ok(length @ 1..=1000) => Some(length),
                _ => {
                    let found = written.value.to_string();
                    self.report(form::value_wrong_type(None, written.place, SECRET.key(key)?, &found))
                }
            });
            read.into_value()
        };
        let (min_length, max_length) =
            (length(entry.min_length, "min_length"), length(entry.max_length, "max_length"));
        let require = entry.require.into_value().unwrap_or_default();
        let require = require.iter().filter_map(|written| {
            self.one_of(written, &CharacterClass::ALL, &SECRET, "require").map(|class| class.value)
        });
        let require = require.collect();
        let typed_on = entry.typed_on.into_value().unwrap_or_default();
        let mut secret = Secret {
            source,
            source_place,
            scope: scope.into_value().map(|scope| scope.value).unwrap_or_default(),
            min_length,
            max_length,
            require,
            forbid: entry.forbid.into_value().map(|forbid| forbid.value).unwrap_or_default(),
            typed_on: typed_on.iter().filter_map(|written| self.key_layout(written)).collect(),
            generated: entry.generated,
            values: BTreeMap::new(),
            name: entry.name,
        };
        self.check_placeholder(&mut secret);
        secret
    }

    fn key_layout(&mut self, written: &Written<String>) -> Option<KeyLayout> {
        match KeyLayout::parse(&written.value) {
            Some(layout) => Some(layout),
            None => {
                // Languages and countries that are called otherwise elsewhere.
                const MEANT: [(&str, &str); 5] =
                    [("uk", "gb"), ("en", "us"), ("sv", "se"), ("da", "dk"), ("nb", "no")];
                let meant = MEANT.iter().find(|(word, _)| *word == written.value);
                let spec = SECRET.key("typed_on")?;
                if let Some((_, layout)) = meant {
                    let mut finding = form::word_unknown(None, written, spec, std::iter::once(*layout));
                    finding.fix = format!("write \"{layout}\"");
                    return self.report(finding);
                }
                let known: Vec<&str> = KeyLayout::all().map(KeyLayout::name).collect();
                self.report(form::word_unknown(None, written, spec, known.into_iter()))
            }
        }
    }

    /// Where each machine or cluster has a value of its own, a path or a variable must differ by them.
    fn check_placeholder(&mut self, secret: &mut Secret) {
        let Some(placeholder) = placeholder(secret.scope) else { return };
        let (written, key) = match secret.source.value() {
            Some(SecretSource::File(path)) => (path, "path"),
            Some(SecretSource::Variable(variable)) => (variable, "variable"),
            _ => return,
        };
        if written.value.contains(placeholder) {
            return;
        }
        let Some(spec) = SECRET.key(key) else { return };
        let found =
            format!("one without {placeholder}, although each {} has its own value", secret.scope.word());
        self.findings.push(form::value_wrong_type(None, written.place, spec, &found));
        secret.source = Stated::Faulty;
    }

    /// What stands for a secret: its index, and where that is said; absent where there is none, on purpose.
    pub(super) fn secret_use(
        &mut self,
        written: &Written<SecretReference>,
        what: impl FnOnce() -> String,
    ) -> Stated<Written<usize>> {
        match &written.value {
            SecretReference::None => Stated::Absent,
            SecretReference::Named(name) => match self.secret_named(name, written.place) {
                Some(index) => Stated::Value(written.with(index)),
                None => Stated::Faulty,
            },
            SecretReference::Literal(value) => {
                Stated::Value(written.with(self.literal_secret(what(), value.clone(), written.place)))
            }
        }
    }

    /// A value that stands in the sheet becomes a secret of its own, one for all machines of an entry.
    pub(super) fn literal_secret(&mut self, what: String, value: Hidden, place: Place) -> usize {
        let is_known = |secret: &Secret| {
            secret.is_in_sheet()
                && secret.name.place == place
                && secret.value_of(None).value() == Some(&value)
        };
        if let Some(index) = self.secrets.iter().rposition(is_known) {
            return index;
        }
        self.secrets.push(Secret::in_sheet(what, value, place));
        self.secrets.len() - 1
    }

    pub(super) fn secret_named(&mut self, name: &str, place: Place) -> Option<usize> {
        let known = || self.secrets.iter().filter(|secret| !secret.is_in_sheet());
        match self.secrets.iter().position(|secret| !secret.is_in_sheet() && secret.name.value == name) {
            Some(index) => Some(index),
            None => {
                let known: Vec<&str> = known().map(|secret| secret.name.value.as_str()).collect();
                let finding = rules::secret::undefined(name, place, &known);
                self.report(finding)
            }
        }
    }

    /// The passwords that the site's own list refuses.
    pub(super) fn well_known(&mut self, list: &Stated<Written<String>>) -> WellKnown {
        let Some(written) = list.value() else { return WellKnown::default() };
        let bytes = self.named_files.read(Path::new(&written.value), LIST_LIMIT);
        let reason = match bytes.map(String::from_utf8) {
            Ok(Ok(text)) => return WellKnown::with_list(&text),
            Ok(Err(_)) => "it is not UTF-8 text".to_owned(),
            Err(fault) => fault.to_string(),
        };
        if let Some(spec) = crate::sheet::COMMON.key("refused_passwords") {
            let found = format!("\"{}\", which cannot be read: {reason}", written.value);
            self.findings.push(form::value_wrong_type(None, written.place, spec, &found));
        }
        WellKnown::default()
    }

    /// Fetches the values that something uses, and the host keys that are wanted.
    pub(super) fn fetch(&mut self, site: &mut Site) {
        if !self.sources.are_asked() {
            return;
        }
        let mut wanted: BTreeMap<usize, Vec<Option<String>>> = BTreeMap::new();
        for slot in site.secret_slots() {
            wanted.entry(slot.secret).or_default().push(slot.holder.clone());
        }
        for (index, holders) in wanted {
            let may_be_made_up = site.not_made_up(index).is_none();
            let Some(secret) = site.secrets.get_mut(index) else { continue };
            match secret.source.value().cloned() {
                None => {
                    secret.values.extend(holders.into_iter().map(|holder| (holder, Stated::Faulty)));
                }
                Some(SecretSource::Sheet) => {}
                Some(SecretSource::Store) => self.fetch_from_store(secret, holders, may_be_made_up),
                Some(source) => {
                    for holder in holders {
                        let value = self.fetch_one(secret, &source, holder.as_deref());
                        secret.values.insert(holder, value);
                    }
                }
            }
        }
        self.fetch_host_keys(site);
        if let Some(shut) = self.shut_store.take() {
            let ShutStore { place, fault, secrets, host_keys } = shut;
            self.findings.push(rules::secret::store_not_looked_at(place, &fault, &secrets, host_keys));
        }
    }

    fn fetch_one(&mut self, secret: &Secret, source: &SecretSource, holder: Option<&str>) -> Stated<Hidden> {
        let (place, value) = match source {
            SecretSource::File(path) => {
                let path = path.with(filled(&path.value, secret.scope, holder, str::to_owned));
                if let Some(mode) = self.named_files.mode_for_others(Path::new(&path.value)) {
                    self.findings.push(rules::secret::file_readable(&path, &secret.name.value, mode));
                }
                (path.place, self.secret_file(&path.value))
            }
            SecretSource::Variable(variable) => {
                let capitals = |name: &str| name.to_ascii_uppercase().replace(['-', '.'], "_");
                let name = filled(&variable.value, secret.scope, holder, capitals);
                let value = self.sources.variable(&name).map_err(|fault| {
                    Unavailable::of_source(fault, format!("set {name} in the environment of this run"))
                });
                (variable.place, value.and_then(|value| only_line(&value)))
            }
            SecretSource::Prompt | SecretSource::Store | SecretSource::Sheet => {
                let id = EntryId { secret: secret.name.value.clone(), holder: holder.map(str::to_owned) };
                let value = self.sources.ask(&id.to_string()).map_err(|fault| {
                    let fix = "run this in a terminal, or use another source: from = \"store\", \"env\" or \"file\"";
                    Unavailable::of_source(fault, fix)
                });
                (secret.source_place, value.and_then(|value| only_line(&value)))
            }
        };
        match value {
            Ok(value) => Stated::Value(value),
            Err(Unavailable { reason, fix, is_out_of_reach }) => {
                let called = EntryId { secret: secret.name.value.clone(), holder: holder.map(str::to_owned) };
                let say = if is_out_of_reach { rules::secret::not_looked_at } else { rules::secret::missing };
                self.findings.push(say(place, &called.to_string(), &reason, &fix));
                Stated::Faulty
            }
        }
    }

    /// The store, unless it does not open, which is reported once. What was wanted of one that nobody gave the key of is
    /// noted.
    fn store(&mut self, place: Place, wanted: Wanted<'_>) -> Option<&Store> {
        match self.sources.store() {
            Ok(store) => {
                if let Some(mode) = self.sources.store_mode_for_others().filter(|_| !self.told_of_store) {
                    self.told_of_store = true;
                    self.findings.push(rules::secret::store_readable(
                        place,
                        &self.sources.store_name(),
                        mode,
                    ));
                }
                Some(store)
            }
            Err(fault) if fault.wants_what_was_not_given() => {
                let shut = self.shut_store.get_or_insert_with(|| ShutStore::new(place, fault));
                match wanted {
                    Wanted::Secret(name) => shut.secrets.push(name.to_owned()),
                    Wanted::HostKey => shut.host_keys += 1,
                }
                None
            }
            Err(fault) => {
                if !self.told_of_store {
                    self.told_of_store = true;
                    self.findings.push(rules::secret::store_cannot_open(place, &fault));
                }
                None
            }
        }
    }

    fn fetch_from_store(&mut self, secret: &mut Secret, holders: Vec<Option<String>>, may_be_made_up: bool) {
        let Some(store) = self.store(secret.source_place, Wanted::Secret(&secret.name.value)) else {
            secret.values.extend(holders.into_iter().map(|holder| (holder, Stated::Faulty)));
            return;
        };
        let mut missing = Vec::new();
        for holder in holders {
            let id = EntryId { secret: secret.name.value.clone(), holder: holder.clone() };
            let value = match store.secrets.get(&id) {
                Some(stored) => Stated::Value(stored.value.clone()),
                None => {
                    missing.push(id.holder);
                    Stated::Faulty
                }
            };
            secret.values.insert(holder, value);
        }
        if !missing.is_empty() {
            let finding = rules::secret::not_in_store(
                &secret.name,
                secret.scope,
                &missing.into_iter().flatten().collect::<Vec<String>>(),
                self.sheet_name,
                may_be_made_up,
            );
            self.findings.push(finding);
        }
    }

    fn fetch_host_keys(&mut self, site: &mut Site) {
        let wants = |machine: &&mut Machine| {
            matches!(machine.role, Role::Host(_)) && machine.settings.ssh.has_made_key()
        };
        let mut missing: Vec<String> = Vec::new();
        let mut first: Option<Place> = None;
        for machine in site.machines.iter_mut().filter(wants) {
            let Some(place) = machine.settings.ssh.host_key.value().map(|flag| flag.place) else { continue };
            let key: Option<Option<HostKey>> = self
                .store(place, Wanted::HostKey)
                .map(|store| store.host_keys.get(machine.label()).map(|entry| entry.key.clone()));
            if key == Some(None) {
                first.get_or_insert(place);
                missing.push(machine.label().to_owned());
            }
            if let Role::Host(host) = &mut machine.role {
                host.host_key = key.flatten().map_or(Stated::Faulty, Stated::Value);
            }
        }
        if let Some(place) = first {
            self.findings.push(rules::secret::host_key_missing(place, &missing, self.sheet_name));
        }
    }

    /// The only line of a file. What is wrong with it is said without a word of what is in it.
    fn secret_file(&self, path: &str) -> Result<Hidden, Unavailable> {
        let bytes = self.named_files.read(Path::new(path), FILE_LIMIT).map_err(|fault| {
            let reason = match fault {
                ReadFault::Missing | ReadFault::NoFolder(_) => format!("there is no file {path}"),
                other => format!("{path}: {other}"),
            };
            Unavailable::new(
                reason,
                "write the path of the file that holds it, relative to the sheet's folder",
            )
        })?;
        let text =
            zeroize::Zeroizing::new(String::from_utf8(bytes).map_err(|_| {
                Unavailable::new(format!("{path} is not UTF-8 text"), "save it as UTF-8 text")
            })?);
        only_line(&Hidden::new(text.as_str())).map_err(|fault| {
            Unavailable::new(format!("{path} {}", fault.reason.trim_start_matches("it ")), fault.fix)
        })
    }

    /// Answers that are passwords and stand in the sheet become secrets that stand in the sheet.
    pub(super) fn hide_literals(&mut self, label: &str, appliance: &mut Appliance, site: &Site) {
        use super::answer::AnswerSource;
        let mut answers = std::mem::take(&mut appliance.answers);
        for answer in &mut answers {
            let Stated::Value(AnswerSource::Literal(text)) = &answer.source else { continue };
            if !text.is_empty() && site.wants_password(appliance, &answer.property.value) {
                let what = format!("the answer to {} of {label}", answer.property.value);
                let index = self.literal_secret(what, Hidden::new(text.as_str()), answer.place);
                answer.source = Stated::Value(AnswerSource::Secret(index));
            }
        }
        appliance.answers = answers;
    }
}

/// A value is one line.
fn only_line(value: &Hidden) -> Result<Hidden, Unavailable> {
    let text = value.reveal();
    let line = text.strip_suffix('\n').unwrap_or(text);
    let line = line.strip_suffix('\r').unwrap_or(line);
    if line.is_empty() {
        return Err(Unavailable::new("it is empty", "put the value there on one line"));
    }
    if line.contains(['\n', '\r', '\0']) {
        return Err(Unavailable::new("it has several lines", "put only the value there, on one line"));
    }
    Ok(Hidden::new(line))
}

/// What stands for the name of a holder.
fn placeholder(scope: SecretScope) -> Option<&'static str> {
    match scope {
        SecretScope::Site => None,
        SecretScope::Cluster => Some("{cluster}"),
        SecretScope::Machine => Some("{machine}"),
    }
}

fn filled(text: &str, scope: SecretScope, holder: Option<&str>, spelled: impl Fn(&str) -> String) -> String {
    match (placeholder(scope), holder) {
        (Some(placeholder), Some(holder)) => text.replace(placeholder, &spelled(holder)),
        _ => text.to_owned(),
    }
}
