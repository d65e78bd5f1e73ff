//! What differs between two sheets, two outputs, or an output and a root filesystem.

use std::collections::{BTreeMap, BTreeSet};

use impostazione_rootfs::{Change, Rootfs, RootfsFault, Want};
use serde::Serialize;
use serde_json::Value;

use crate::appliance::{login_in_url, told_appliances};
use crate::host::{ACCOUNTS_PATH, NETPLAN_PATH};
use crate::machine::Site;
use crate::output::{HostContent, ListedFile, OutputFault, TreeOnDisk};
use crate::placing::{PendingChanges, Placing};
use crate::views::difference::{DifferentLine, different_lines};
use crate::views::review::Review;

/// One thing that differs.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Difference {
    /// The machine; empty for what is for all.
    pub machine: String,
    /// What differs.
    #[serde(flatten)]
    pub at: DifferencePlace,
    /// How.
    pub kind: DifferenceKind,
    /// What the first has, where that can be said in a few words and is no secret.
    pub first: Option<String>,
    /// What the second has.
    pub second: Option<String>,
    /// Lines that stand in one and not in the other; none of a file with a secret in it.
    pub lines: Vec<DifferentLine>,
}

/// What differs: a file, or a setting of a machine or of one of its parts. Nothing of it where it is the whole machine.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize)]
pub struct DifferencePlace {
    /// The path of a file.
    pub file: Option<String>,
    /// The kind of part: `link`, `account`, `property` or `secret`.
    pub part: Option<String>,
    /// The name of that part.
    pub name: Option<String>,
    /// The setting.
    pub setting: Option<String>,
}

impl DifferencePlace {
    fn file(path: impl Into<String>) -> Self {
        Self { file: Some(path.into()), ..Self::default() }
    }

    /// In a few words; none for a whole machine.
    pub fn words(&self) -> String {
        let setting = self.setting.as_ref().map(|setting| setting.replace('_', " "));
        let parts = [&self.file, &self.part, &self.name, &setting];
        parts.into_iter().flatten().map(String::as_str).collect::<Vec<_>>().join(" ")
    }
}

/// How two things differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum DifferenceKind {
    /// The first has it, and the second does not.
    OnlyFirst,
    /// The second has it, and the first does not.
    OnlySecond,
    /// Both have it, and not the same.
    Differs,
    /// Both have it, it is secret, and it is not the same.
    SecretDiffers,
}

impl DifferenceKind {
    /// What is said of it.
    pub fn word(self) -> &'static str {
        match self {
            Self::OnlyFirst => "only in the first",
            Self::OnlySecond => "only in the second",
            Self::Differs => "differs",
            Self::SecretDiffers => "a secret differs",
        }
    }
}

fn difference(machine: &str, at: DifferencePlace, kind: DifferenceKind) -> Difference {
    Difference { machine: machine.to_owned(), at, kind, first: None, second: None, lines: Vec::new() }
}

/// Compares two sheets, machine by machine and setting by setting; whatever order they are written in.
pub fn compare_sheets(first: (&Site, &Review), second: (&Site, &Review)) -> Vec<Difference> {
    let (mut of_first, mut of_second) = (settings(first.1), settings(second.1));
    add_secrets(first.0, second.0, &mut of_first, &mut of_second);
    let machines: BTreeSet<&String> = of_first.keys().chain(of_second.keys()).collect();
    let empty = BTreeMap::new();
    let mut differences = Vec::new();
    for machine in machines {
        let kind = match (of_first.get(machine), of_second.get(machine)) {
            (Some(_), None) => Some(DifferenceKind::OnlyFirst),
            (None, Some(_)) => Some(DifferenceKind::OnlySecond),
            _ => None,
        };
        if let Some(kind) = kind {
            differences.push(difference(machine, DifferencePlace::default(), kind));
            continue;
        }
        let (one, other) =
            (of_first.get(machine).unwrap_or(&empty), of_second.get(machine).unwrap_or(&empty));
        for at in one.keys().chain(other.keys()).collect::<BTreeSet<_>>() {
            let (first, second) = (one.get(at), other.get(at));
            if first == second {
                continue;
            }
            let is_secret = first.or(second).is_some_and(Setting::is_secret);
            let kind = match (first, second) {
                _ if is_secret => DifferenceKind::SecretDiffers,
                (Some(_), None) => DifferenceKind::OnlyFirst,
                (None, _) => DifferenceKind::OnlySecond,
                _ => DifferenceKind::Differs,
            };
            let mut found = difference(machine, at.clone(), kind);
            found.first = first.and_then(Setting::shown);
            found.second = second.and_then(Setting::shown);
            differences.push(found);
        }
    }
    differences
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Setting {
    Plain(String),
    Secret([u8; 32]),
}

impl Setting {
    fn is_secret(&self) -> bool {
        matches!(self, Self::Secret(_))
    }

    fn shown(&self) -> Option<String> {
        match self {
            Self::Plain(text) => Some(text.clone()),
            Self::Secret(_) => None,
        }
    }
}

type Settings = BTreeMap<String, BTreeMap<DifferencePlace, Setting>>;

/// The settings of each machine, by where they stand.
fn settings(review: &Review) -> Settings {
    let Ok(Value::Object(review)) = serde_json::to_value(review) else { return Settings::new() };
    let mut all = Settings::new();
    for machine in review.get("machines").and_then(Value::as_array).into_iter().flatten() {
        let name = machine.get("name").and_then(Value::as_str).unwrap_or_default().to_owned();
        let mut of_machine = BTreeMap::new();
        add_settings(machine, &DifferencePlace::default(), &mut of_machine);
        all.insert(name, of_machine);
    }
    let mut common = BTreeMap::new();
    for (key, value) in review.iter().filter(|(key, _)| *key != "machines") {
        let at = DifferencePlace { setting: Some(key.clone()), ..DifferencePlace::default() };
        common.extend(text_of(value).map(|text| (at, Setting::Plain(text))));
    }
    all.insert(String::new(), common);
    all
}

/// Parts of a machine, by the key that holds them, and what one of them is called.
const PARTS: [(&str, &str); 3] = [("links", "link"), ("accounts", "account"), ("properties", "property")];

fn add_settings(value: &Value, of: &DifferencePlace, into: &mut BTreeMap<DifferencePlace, Setting>) {
    let Value::Object(map) = value else { return };
    for (key, value) in map.iter().filter(|(key, _)| *key != "name" && *key != "id") {
        if let Some((_, part)) = PARTS.iter().find(|(parts, _)| parts == key) {
            for item in value.as_array().into_iter().flatten() {
                let name = item.get("name").or_else(|| item.get("id")).and_then(Value::as_str);
                let of = DifferencePlace {
                    part: Some((*part).to_owned()),
                    name: name.map(str::to_owned),
                    ..DifferencePlace::default()
                };
                add_settings(item, &of, into);
            }
        } else if key == "host" {
            // Holds settings together, and is none itself.
            add_settings(value, of, into);
        } else if let Some(text) = text_of(value) {
            into.insert(DifferencePlace { setting: Some(key.clone()), ..of.clone() }, Setting::Plain(text));
        }
    }
}

/// A setting in a few words; nothing where nothing is said.
fn text_of(value: &Value) -> Option<String> {
    match value {
        Value::Array(items) => {
            let items: Vec<String> = items.iter().filter_map(text_of).collect();
            (!items.is_empty()).then(|| items.join(", "))
        }
        Value::Object(map) => match (map.get("state").and_then(Value::as_str), map.get("values")) {
            (Some("stated"), Some(values)) => text_of(values),
            (Some("not-stated"), _) => None,
            (Some(state), _) => Some(state.to_owned()),
            (None, _) => {
                let parts = map.iter().filter_map(|(key, value)| {
                    Some(format!("{} {}", key.replace('_', " "), text_of(value)?))
                });
                let parts: Vec<String> = parts.collect();
                (!parts.is_empty()).then(|| parts.join(" "))
            }
        },
        other => plain(other),
    }
}

fn plain(value: &Value) -> Option<String> {
    match value {
        Value::String(text) => Some(text.clone()),
        Value::Bool(flag) => Some(if *flag { "yes" } else { "no" }.to_owned()),
        Value::Number(number) => Some(number.to_string()),
        _ => None,
    }
}

/// Adds secrets whose values both sheets can tell, by digest alone.
fn add_secrets(first: &Site, second: &Site, of_first: &mut Settings, of_second: &mut Settings) {
    for (site, settings) in [(first, of_first), (second, of_second)] {
        add_logins_in_urls(site, settings);
        for slot in site.secret_slots() {
            let (Some(secret), Some(value)) = (site.secret_of(slot), site.value_of_slot(slot)) else {
                continue;
            };
            let digest = <sha2::Sha256 as sha2::Digest>::digest(value.reveal().as_bytes());
            for machine in site.uses_of(slot).filter_map(|used| site.machine_of_use(used)) {
                if let Some(of_machine) = settings.get_mut(machine.label()) {
                    let at = DifferencePlace {
                        part: Some("secret".to_owned()),
                        name: Some(secret.name.value.clone()),
                        ..DifferencePlace::default()
                    };
                    of_machine.insert(at, Setting::Secret(digest.into()));
                }
            }
        }
    }
}

/// Adds the logins that stand in URLs, which are shown nowhere, by digest alone.
fn add_logins_in_urls(site: &Site, settings: &mut Settings) {
    for told in told_appliances(site) {
        for value in &told.values {
            let text = value.text.reveal();
            let Some(login) = login_in_url(text).and_then(|range| text.get(range)) else { continue };
            let digest = <sha2::Sha256 as sha2::Digest>::digest(login.as_bytes());
            if let Some(of_machine) = settings.get_mut(told.machine.label()) {
                let at = DifferencePlace {
                    part: Some("property".to_owned()),
                    name: Some(value.id()),
                    setting: Some("login".to_owned()),
                    ..DifferencePlace::default()
                };
                of_machine.insert(at, Setting::Secret(digest.into()));
            }
        }
    }
}

/// Compares two outputs, file by file.
pub fn compare_outputs(
    first: &TreeOnDisk,
    second: &TreeOnDisk,
    wanted: impl Fn(&str) -> bool,
) -> Result<Vec<Difference>, OutputFault> {
    let by_path = |tree: &TreeOnDisk| -> BTreeMap<String, ListedFile> {
        let files = tree.files().filter(|file| file.machine.is_empty() || wanted(&file.machine));
        files.map(|file| (file.path.clone(), file.clone())).collect()
    };
    let (of_first, of_second) = (by_path(first), by_path(second));
    let (machines, of_other) = (first.machines(), second.machines());
    let mut differences = Vec::new();
    for (one, other, kind) in [
        (&machines, &of_other, DifferenceKind::OnlyFirst),
        (&of_other, &machines, DifferenceKind::OnlySecond),
    ] {
        let alone = one.difference(other).filter(|machine| wanted(machine));
        differences.extend(alone.map(|machine| difference(machine, DifferencePlace::default(), kind)));
    }
    for path in of_first.keys().chain(of_second.keys()).collect::<BTreeSet<_>>() {
        let (one, other) = (of_first.get(path), of_second.get(path));
        let Some(file) = one.or(other) else { continue };
        let is_alone = |tree: &TreeOnDisk| !tree.machines().contains(file.machine.as_str());
        if !file.machine.is_empty() && (is_alone(first) || is_alone(second)) {
            continue;
        }
        let machine = file.machine.as_str();
        let at = path.strip_prefix(&format!("{machine}/")).unwrap_or(path);
        match (one, other) {
            (Some(_), None) => {
                differences.push(difference(machine, DifferencePlace::file(at), DifferenceKind::OnlyFirst));
            }
            (None, Some(_)) => {
                differences.push(difference(machine, DifferencePlace::file(at), DifferenceKind::OnlySecond));
            }
            (Some(one), Some(other)) if one != other => {
                differences.push(of_files((first, one), (second, other), at)?);
            }
            _ => {}
        }
    }
    differences.sort_by(|one, other| (&one.machine, &one.at).cmp(&(&other.machine, &other.at)));
    Ok(differences)
}

fn of_files(
    (first, one): (&TreeOnDisk, &ListedFile),
    (second, other): (&TreeOnDisk, &ListedFile),
    at: &str,
) -> Result<Difference, OutputFault> {
    let mut found = difference(&one.machine, DifferencePlace::file(at), DifferenceKind::Differs);
    if one.mode != other.mode || one.owner != other.owner {
        let says = |file: &ListedFile| Some(format!("{} {}", file.mode, file.owner.as_deref().unwrap_or("")));
        (found.first, found.second) = (says(one), says(other));
    }
    if one.sha256.is_none() || other.sha256.is_none() {
        return Ok(found);
    }
    let (old, new) = (first.content(one)?, second.content(other)?);
    match (old, new) {
        (HostContent::Link(old), HostContent::Link(new)) => {
            (found.first, found.second) = (Some(old), Some(new));
        }
        (HostContent::Bytes(old), HostContent::Bytes(new)) if old != new => {
            let is_open =
                |file: &ListedFile| u32::from_str_radix(&file.mode, 8).is_ok_and(|mode| mode & 0o004 != 0);
            match (shown(at, &old, is_open(one)), shown(at, &new, is_open(other))) {
                (Some(old), Some(new)) if old != new => found.lines = different_lines(&old, &new),
                _ => found.kind = DifferenceKind::SecretDiffers,
            }
        }
        _ => {}
    }
    Ok(found)
}

/// What may be shown of a file; nothing of one that is kept from others, but for netplan's and the list of logins, of which
/// all may be shown but the values.
fn shown(path: &str, bytes: &[u8], is_open: bool) -> Option<String> {
    let text = std::str::from_utf8(bytes).ok()?;
    if path.ends_with(NETPLAN_PATH) {
        return Some(without_values(text, &["password:", "password: "]));
    }
    if path.ends_with(ACCOUNTS_PATH) {
        return Some(without_values(text, &["\"password_hash\":"]));
    }
    is_open.then(|| text.to_owned())
}

/// A text with what stands behind these keys left out.
fn without_values(text: &str, keys: &[&str]) -> String {
    let mut shown = String::with_capacity(text.len());
    for line in text.lines() {
        let hidden = keys.iter().find_map(|key| Some(line.find(key)? + key.len()));
        match hidden {
            Some(end) if !line.get(end..).is_some_and(|rest| rest.trim_start().starts_with("null")) => {
                shown += line.get(..end).unwrap_or_default();
                shown += " (not shown)";
            }
            _ => shown += line,
        }
        shown.push('\n');
    }
    shown
}

/// What differs between an output and a root filesystem: what placing it again would change. The output is the first.
pub fn compare_rootfs(
    rootfs: &Rootfs,
    machine: &str,
    placing: &Placing,
    pending: &PendingChanges<'_>,
) -> Result<Vec<Difference>, RootfsFault> {
    let mut differences = Vec::new();
    for change in &pending.changes {
        differences.push(of_change(rootfs, machine, change)?);
    }
    for path in &pending.back {
        differences.push(difference(machine, DifferencePlace::file(*path), DifferenceKind::OnlySecond));
    }
    // What the placement did not plan and somebody changed all the same is among these already.
    for path in placing.drifted() {
        if !differences.iter().any(|known| known.at.file.as_deref() == Some(path)) {
            differences.push(difference(machine, DifferencePlace::file(path), DifferenceKind::Differs));
        }
    }
    differences.sort_by(|one, other| one.at.cmp(&other.at));
    Ok(differences)
}

fn of_change(rootfs: &Rootfs, machine: &str, change: &Change) -> Result<Difference, RootfsFault> {
    let there = rootfs.look(&change.path)?;
    let mut found = difference(
        machine,
        DifferencePlace::file(change.path.clone()),
        match (&change.want, there) {
            (Want::Absent, _) => DifferenceKind::OnlySecond,
            (_, None) => DifferenceKind::OnlyFirst,
            _ => DifferenceKind::Differs,
        },
    );
    let Some(there) = there else { return Ok(found) };
    match &change.want {
        Want::Link(target) => {
            found.first = Some(format!("a link to {target}"));
            found.second = rootfs.target(&change.path)?.map(|target| format!("a link to {target}"));
        }
        Want::File { bytes, mode, .. } => {
            let now = Placing::content_now(rootfs, change).unwrap_or_default();
            if now.as_bytes() == &bytes[..] {
                found.first = Some(format!("mode {mode:04o}"));
                found.second = Some(format!("mode {:04o}", there.mode));
                if *mode == there.mode {
                    (found.first, found.second) = (None, Some("another owner".to_owned()));
                }
                return Ok(found);
            }
            let is_open = !change.is_secret;
            match (shown(&change.path, bytes, is_open), shown(&change.path, now.as_bytes(), is_open)) {
                (Some(first), Some(second)) if first != second => {
                    found.lines = different_lines(&first, &second);
                }
                _ => found.kind = DifferenceKind::SecretDiffers,
            }
        }
        Want::Folder { mode, .. } => {
            found.first = Some(format!("mode {mode:04o}"));
            found.second = Some(format!("mode {:04o}", there.mode));
        }
        Want::Absent => {}
    }
    Ok(found)
}

/// The lines that a change of a file brings and takes, for showing before it is made; nothing where they are kept from
/// others.
pub fn lines_of_change(rootfs: &Rootfs, change: &Change) -> Vec<DifferentLine> {
    let Want::File { bytes, .. } = &change.want else { return Vec::new() };
    let Some(now) = Placing::content_now(rootfs, change) else { return Vec::new() };
    let is_open = !change.is_secret;
    match (shown(&change.path, now.as_bytes(), is_open), shown(&change.path, bytes, is_open)) {
        (Some(first), Some(second)) => different_lines(&first, &second),
        _ => Vec::new(),
    }
}
