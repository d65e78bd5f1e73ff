//! What differs between two sheets: setting by setting, and file by file of what is rendered of them, so that nothing is
//! called the same that reaches an output.

use std::collections::{BTreeMap, BTreeSet};

use serde_json::Value;

use super::comparison::{Comparison, DifferenceKind, DifferencePlace, difference};
use super::shown::{Compared, is_open};
use crate::appliance::{login_in_url, told_appliances};
use crate::finding::Finding;
use crate::machine::{Machine, Secret, SecretSlot, Site};
use crate::output::{HostContent, OutputContent, PasswordHashes, Rendering, TriedFile, try_files};
use crate::views::review::review;

/// A sheet that is compared.
#[derive(Clone, Copy, Debug)]
pub struct ComparedSheet<'a> {
    /// What messages call it.
    pub name: &'a str,
    /// The site, with the values of its secrets as far as they can be had.
    pub site: &'a Site,
    /// What is wrong with the sheet.
    pub findings: &'a [Finding],
}

/// Compares the machines of two sheets that `wanted` picks, whatever order they are written in; and, where `wanted` picks
/// them all, what is for all of them. What stops short of an output, such as a waiver, is not compared.
pub fn compare_sheets(
    first: ComparedSheet<'_>,
    second: ComparedSheet<'_>,
    wanted: impl Fn(&str) -> bool,
) -> Comparison {
    let mut comparison = Comparison::default();
    compare_settings(first, second, &wanted, &mut comparison);
    compare_files(first, second, &wanted, &mut comparison);
    for sheet in [first, second] {
        for finding in sheet.findings.iter().filter(|finding| finding.rule.not_looked_at) {
            let machine = finding.machine.as_deref();
            comparison.leave_out(
                format!("a part of {}", sheet.name),
                machine,
                finding.message.trim_end_matches('.'),
            );
        }
        // A value that cannot be had is named by itself, and one that is too weak is compared all the same.
        let errors = sheet.findings.iter().filter(|finding| Finding::is_in_the_way(finding));
        let errors = errors.filter(|finding| !finding.rule.about_credentials).count();
        if errors > 0 {
            let reason = format!(
                "it has {}, and a part that cannot be read cannot be compared; `impostazione check {}` shows {}",
                if errors == 1 { "1 error".to_owned() } else { format!("{errors} errors") },
                sheet.name,
                if errors == 1 { "it" } else { "them" },
            );
            comparison.leave_out(format!("all of {}", sheet.name), None, reason);
        }
    }
    comparison.sort();
    comparison
}

fn compare_settings(
    first: ComparedSheet<'_>,
    second: ComparedSheet<'_>,
    wanted: &impl Fn(&str) -> bool,
    comparison: &mut Comparison,
) {
    let (mut of_first, mut of_second) = (settings(first, wanted), settings(second, wanted));
    for (sheet, settings) in [(first, &mut of_first), (second, &mut of_second)] {
        add_logins_in_urls(sheet.site, settings);
        add_packages(sheet.site, settings);
        add_secrets(sheet, settings, comparison);
    }
    let machines: BTreeSet<&String> = of_first.keys().chain(of_second.keys()).collect();
    let empty = BTreeMap::new();
    for machine in machines {
        let kind = match (of_first.get(machine), of_second.get(machine)) {
            (Some(_), None) => Some(DifferenceKind::OnlyFirst),
            (None, Some(_)) => Some(DifferenceKind::OnlySecond),
            _ => None,
        };
        if let Some(kind) = kind {
            comparison.differences.push(difference(machine, DifferencePlace::default(), kind));
            continue;
        }
        let (one, other) =
            (of_first.get(machine).unwrap_or(&empty), of_second.get(machine).unwrap_or(&empty));
        for at in one.keys().chain(other.keys()).collect::<BTreeSet<_>>() {
            let (first, second) = (one.get(at), other.get(at));
            // What could not be looked at is noted, and neither the same nor different.
            let is_unknown = [first, second].contains(&Some(&Setting::Unknown));
            if first == second || (is_unknown && first.is_some() && second.is_some()) {
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
            comparison.differences.push(found);
        }
    }
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum Setting {
    Plain(String),
    /// A digest of it.
    Secret([u8; 32]),
    /// A secret whose value could not be had.
    Unknown,
}

impl Setting {
    fn is_secret(&self) -> bool {
        matches!(self, Self::Secret(_) | Self::Unknown)
    }

    fn shown(&self) -> Option<String> {
        match self {
            Self::Plain(text) => Some(text.clone()),
            Self::Secret(_) | Self::Unknown => None,
        }
    }
}

type Settings = BTreeMap<String, BTreeMap<DifferencePlace, Setting>>;

/// The settings of each machine, by where they stand.
fn settings(sheet: ComparedSheet<'_>, wanted: &impl Fn(&str) -> bool) -> Settings {
    let review = review(sheet.site, wanted);
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

/// Adds the values of secrets, by digest alone, and notes those that cannot be had.
fn add_secrets(sheet: ComparedSheet<'_>, settings: &mut Settings, comparison: &mut Comparison) {
    let site = sheet.site;
    for slot in site.secret_slots() {
        let Some(secret) = site.secret_of(slot) else { continue };
        let machines = machines_of(site, slot).filter(|machine| settings.contains_key(machine.label()));
        let machines: Vec<&Machine> = machines.collect();
        let value = match site.value_of_slot(slot) {
            Some(value) => {
                Setting::Secret(<sha2::Sha256 as sha2::Digest>::digest(value.reveal().as_bytes()).into())
            }
            None => Setting::Unknown,
        };
        for machine in machines {
            if value == Setting::Unknown {
                let what = format!("the secret {} of {}", secret.name.value, sheet.name);
                comparison.leave_out(what, Some(machine.label()), "its value is not available");
            }
            if let Some(of_machine) = settings.get_mut(machine.label()) {
                of_machine.insert(secret_place(secret), value.clone());
            }
        }
    }
}

fn machines_of<'a>(site: &'a Site, slot: &'a SecretSlot) -> impl Iterator<Item = &'a Machine> {
    site.uses_of(slot).filter_map(|used| site.machine_of_use(used))
}

fn secret_place(secret: &Secret) -> DifferencePlace {
    DifferencePlace {
        part: Some("secret".to_owned()),
        name: Some(secret.name.value.clone()),
        ..DifferencePlace::default()
    }
}

/// Adds the files of packages, by their sizes and by the digests that their manifests have.
fn add_packages(site: &Site, settings: &mut Settings) {
    for machine in &site.machines {
        let Some(package) = machine.appliance().and_then(|appliance| site.package_of(appliance)) else {
            continue;
        };
        let Some(of_machine) = settings.get_mut(machine.label()) else { continue };
        // The descriptor is compared by what is made of it.
        for file in package.files.iter().skip(1) {
            let size = file.size.map_or_else(|| "missing".to_owned(), |size| format!("{size} bytes"));
            let digest =
                file.digest.as_ref().map(|(algorithm, digest)| format!(", {} {digest}", algorithm.word()));
            let at = DifferencePlace {
                part: Some("file of the package".to_owned()),
                name: Some(file.name.clone()),
                ..DifferencePlace::default()
            };
            of_machine.insert(at, Setting::Plain(size + &digest.unwrap_or_default()));
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

/// Compares what is rendered of machines that both sheets have.
fn compare_files(
    first: ComparedSheet<'_>,
    second: ComparedSheet<'_>,
    wanted: &impl Fn(&str) -> bool,
    comparison: &mut Comparison,
) {
    let (of_first, of_second) = (tried_files(first, wanted), tried_files(second, wanted));
    let machines = |files: &BTreeMap<String, TriedFile>| -> BTreeSet<String> {
        files.values().map(|file| file.machine.clone()).collect()
    };
    let (in_first, in_second) = (machines(&of_first), machines(&of_second));
    let is_whole =
        [first, second].iter().all(|sheet| sheet.site.machines.iter().all(|machine| wanted(machine.label())));
    // Where a setting of a machine differs, that says more than the lines of its files.
    let told: BTreeSet<String> = comparison.differences.iter().map(|known| known.machine.clone()).collect();
    for path in of_first.keys().chain(of_second.keys()).collect::<BTreeSet<_>>() {
        let (one, other) = (of_first.get(path), of_second.get(path));
        let Some(machine) = one.or(other).map(|file| file.machine.as_str()) else { continue };
        let is_compared = if machine.is_empty() {
            is_whole
        } else {
            in_first.contains(machine) && in_second.contains(machine)
        };
        if is_compared {
            compare_file(path, one, other, told.contains(machine), comparison);
        }
    }
}

fn tried_files(sheet: ComparedSheet<'_>, wanted: &impl Fn(&str) -> bool) -> BTreeMap<String, TriedFile> {
    let site = sheet.site;
    let hashes = PasswordHashes::stand_ins(site);
    let rendering = Rendering { packing: None, secrets_in_descriptors: true, hashes: &hashes };
    let tried = try_files(site, wanted, &rendering);
    tried.into_iter().map(|file| (file.path.clone(), file)).collect()
}

fn compare_file(
    path: &str,
    first: Option<&TriedFile>,
    second: Option<&TriedFile>,
    is_told: bool,
    comparison: &mut Comparison,
) {
    let machine = first.or(second).map(|file| file.machine.as_str()).unwrap_or_default();
    let at = path.strip_prefix(machine).and_then(|rest| rest.strip_prefix('/')).unwrap_or(path);
    let place = DifferencePlace::file(at);
    let (one, other) = match (first, second) {
        (Some(one), Some(other)) => (one, other),
        (one, _) => {
            let kind = if one.is_some() { DifferenceKind::OnlyFirst } else { DifferenceKind::OnlySecond };
            comparison.differences.push(difference(machine, place, kind));
            return;
        }
    };
    let (old, new) = match (&one.content, &other.content) {
        (Ok(old), Ok(new)) => (old, new),
        (old, new) => {
            for fault in [old, new].into_iter().filter_map(|content| content.as_ref().err()) {
                let machine = (!machine.is_empty()).then_some(machine);
                comparison.leave_out(at, machine, format!("it could not be made: {}", fault.reason()));
            }
            return;
        }
    };
    if old == new && one.mode == other.mode && one.owner == other.owner {
        return;
    }
    let mut found = difference(machine, place, DifferenceKind::Differs);
    if let (Some(old), Some(new)) = (content(old), content(new))
        && old != new
    {
        let compared = |content, mode| Compared { content, is_open: is_open(mode) };
        found.say_content(at, &compared(&old, one.mode), &compared(&new, other.mode));
        if is_told {
            (found.first, found.second) = (None, None);
            found.lines.clear();
        }
    }
    comparison.differences.push(found);
}

fn content(content: &OutputContent) -> Option<HostContent> {
    match content {
        OutputContent::Bytes(bytes) => Some(HostContent::Bytes(bytes.clone())),
        OutputContent::Link(target) => Some(HostContent::Link(target.clone())),
        OutputContent::Package(_) => None,
    }
}
