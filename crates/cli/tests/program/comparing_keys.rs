//! `compare` of two sheets, checked against what is rendered of them: each value of a sheet with every key is changed in turn.

use std::collections::BTreeMap;

use impostazione_core::assess::{Assessment, assess_with};
use impostazione_core::output::{Hashing, OutputContent, OutputFile, Rendering, hash_passwords, render_with};
use impostazione_core::views::compare::{ComparedSheet, compare_sheets};
use impostazione_secret::store::{Store, StoreFault};
use impostazione_secret::{SaltKey, SecretSources, SourceFault};
use impostazione_text::Hidden;
use impostazione_text::files::Folder;
use jiff::civil::date;
use toml::Value;

use crate::support::{Workspace, with_every_key};

/// The variable that the sheet takes a secret from, and no more.
struct Variables;

impl SecretSources for Variables {
    fn variable(&self, _: &str) -> Result<Hidden, SourceFault> {
        Ok(Hidden::new("seven lamps behind a door"))
    }

    fn ask(&self, _: &str) -> Result<Hidden, SourceFault> {
        Err(SourceFault::OutOfReach("nobody is asked".to_owned()))
    }

    fn store(&self) -> Result<&Store, StoreFault> {
        Err(StoreFault::Missing("the store".to_owned()))
    }
}

/// What the values of keys are changed to, where another digit or letter would not be right.
const CHANGES: &[(&str, &[&str])] = &[
    ("algorithm", &["SHA512"]),
    ("country", &["DE"]),
    ("deployment_option", &["other"]),
    ("dns", &["none"]),
    ("duplex", &["half"]),
    ("gateway", &["none"]),
    ("gateway6", &["fd64:30::1"]),
    ("groups", &["plugdev"]),
    ("hash_policy", &["layer2"]),
    ("host_number", &["63"]),
    ("host_number6", &["0x3{1..2}"]),
    ("hosts_file", &["own"]),
    ("ipv6", &["off", "auto"]),
    ("keyboard", &["de"]),
    ("lacp_rate", &["slow"]),
    ("locale", &["de_DE.UTF-8"]),
    ("mode", &["balance-tlb"]),
    ("name", &["lamp-7", "lookout"]),
    ("password_hashing", &["yescrypt"]),
    ("primary", &["lan1"]),
    ("renderer", &["NetworkManager"]),
    ("search", &["none"]),
    ("server", &["10.64.10.125"]),
    ("shell", &["/bin/bash"]),
    ("ssh_keys", &["keys/keeper.pub", "keys/pilot.pub"]),
    ("stock_logins", &["keep"]),
    ("subnet", &["slip", "breakwater"]),
    ("take", &["hostname", "address", "gateway"]),
    ("time_service", &["timesyncd"]),
    ("timezone", &["Europe/Berlin"]),
    ("to", &["10.64.96.0/21"]),
];

/// Keys that end before the output: they say what is right, where something is, or what is somebody else's; and those that
/// cannot be changed alone, since another belongs with them.
const NOT_ALONE: [&str; 54] = [
    "10.64.10.40",
    "10.64.30.40",
    "allowed_sizes",
    "cluster",
    "default_route",
    "deployment_option",
    "dhcp_ranges",
    "forbid",
    "format",
    "from",
    "gateway_on_link",
    "generated",
    "host_key",
    "include",
    "join",
    "kept_free",
    "key",
    "kind",
    "link",
    "machines",
    "max_length",
    "meanings",
    "members",
    "min_length",
    "name_pattern",
    "netplan",
    "network",
    "of",
    "outside_subnet",
    "over",
    "package",
    "password_hashing",
    "path",
    "per",
    "purpose",
    "reason",
    "refused_passwords",
    "renderer",
    "replaces",
    "require",
    "rows",
    "rule",
    "sae",
    "secret",
    "serves",
    "size",
    "storage_free",
    "system",
    "time_service",
    "toward",
    "typed_on",
    "until",
    "variable",
    "waiver",
];

/// One step on the way to a value: a key, or a position.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Step {
    Key(String),
    At(usize),
}

fn places(value: &Value, at: &[Step], found: &mut Vec<Vec<Step>>) {
    let below = |step: Step| [at, &[step]].concat();
    match value {
        Value::Table(table) => {
            for (key, value) in table {
                places(value, &below(Step::Key(key.clone())), found);
            }
        }
        Value::Array(items) => {
            found.push(at.to_vec());
            for (index, value) in items.iter().enumerate() {
                places(value, &below(Step::At(index)), found);
            }
        }
        _ => found.push(at.to_vec()),
    }
}

fn at<'a>(sheet: &'a mut Value, way: &[Step]) -> &'a mut Value {
    way.iter().fold(sheet, |value, step| match step {
        Step::Key(key) => value.get_mut(key).unwrap(),
        Step::At(index) => value.get_mut(index).unwrap(),
    })
}

/// What a value is changed to, one after the other.
fn changed(key: &str, value: &Value) -> Vec<Value> {
    match value {
        Value::Boolean(flag) => vec![Value::Boolean(!flag)],
        Value::Integer(number) => {
            vec![Value::Integer(number + 1), Value::Integer(number - 1), Value::Integer(number * 2)]
        }
        Value::Array(items) => {
            let fewer = items.iter().take(items.len().saturating_sub(1)).cloned().collect();
            vec![Value::Array(fewer), Value::Array(Vec::new())]
        }
        Value::String(text) => {
            let words = CHANGES.iter().find(|(known, _)| *known == key).map(|(_, words)| *words);
            let mut texts: Vec<String> =
                words.unwrap_or_default().iter().map(|&word| word.to_owned()).collect();
            for digit in ["7", "8"] {
                if let Some(at) = text.rfind(|c: char| c.is_ascii_digit()) {
                    texts.push(format!("{}{digit}{}", &text[..at], &text[at + 1..]));
                }
            }
            texts.push(format!("{text}x"));
            texts.retain(|other| other != text);
            texts.into_iter().map(Value::String).collect()
        }
        _ => Vec::new(),
    }
}

/// The files of a sheet by their paths, or nothing where it is not right.
fn files(assessment: &Assessment, salts: &SaltKey) -> Option<BTreeMap<String, OutputFile>> {
    let proved = assessment.proved()?;
    let hashing = Hashing { salt_key: Some(salts), ..Hashing::default() };
    let hashes = hash_passwords(proved, |_| true, hashing).unwrap();
    let rendering = Rendering { packing: None, secrets_in_descriptors: true, hashes: &hashes };
    let tree = render_with(proved, |_| true, &rendering).unwrap();
    Some(tree.files.into_iter().map(|file| (file.path.clone(), file)).collect())
}

fn compared<'a>(name: &'a str, assessment: &'a Assessment) -> ComparedSheet<'a> {
    ComparedSheet { name, site: &assessment.site, findings: &assessment.findings }
}

struct Site {
    workspace: Workspace,
    salts: SaltKey,
}

impl Site {
    fn assess(&self, sheet: &Value) -> Assessment {
        let text = toml::to_string(sheet).unwrap();
        let folder = Folder::new(self.workspace.path());
        assess_with("sheet.toml", text.into_bytes(), &folder, &Variables, date(2026, 6, 1))
    }

    /// Whether comparing says that two sheets are the same, and whether their files are.
    fn is_same(
        &self,
        first: (&Assessment, &BTreeMap<String, OutputFile>),
        second: &Assessment,
    ) -> Option<(bool, bool)> {
        let of_second = files(second, &self.salts)?;
        let comparison = compare_sheets(compared("first", first.0), compared("second", second), |_| true);
        assert_eq!(comparison.not_compared, [], "both are right");
        Some((comparison.differences.is_empty(), *first.1 == of_second))
    }
}

#[test]
fn whatever_of_a_sheet_reaches_an_output_is_found_by_comparing() {
    let site = Site { workspace: with_every_key(), salts: SaltKey::random().unwrap() };
    let text = site.workspace.read("every.toml").replace("password_cost = 500000", "password_cost = 1000");
    let text = text.replacen("[subnet.quay]", "[subnet.quay]\nhypervisor_network = \"quay-110\"", 1);
    let right: Value = Value::Table(text.parse().unwrap());
    let assessment = site.assess(&right);
    let of_right = files(&assessment, &site.salts).expect("the sheet is right");
    assert!(of_right.values().all(|file| !matches!(file.content, OutputContent::Package(_))));
    assert_eq!(site.is_same((&assessment, &of_right), &site.assess(&right)), Some((true, true)));
    let mut ways = Vec::new();
    places(&right, &[], &mut ways);
    let (mut tried, mut differing) = (0, 0);
    let mut by_key: BTreeMap<String, bool> = BTreeMap::new();
    let mut try_one = |sheet: &Value, what: &str| -> bool {
        let Some((is_called_same, is_same)) = site.is_same((&assessment, &of_right), &site.assess(sheet))
        else {
            return false;
        };
        tried += 1;
        differing += usize::from(!is_same);
        assert!(is_same || !is_called_same, "files differ and compare calls the sheets the same: {what}");
        !is_same
    };
    for way in &ways {
        let key = way.iter().rev().find_map(|step| match step {
            Step::Key(key) => Some(key.as_str()),
            Step::At(_) => None,
        });
        let key = key.unwrap_or_default();
        let mut sheet = right.clone();
        let before = at(&mut sheet, way).clone();
        let mut has_effect = changed(key, &before).into_iter().any(|value| {
            let what = format!("{way:?} = {value}");
            *at(&mut sheet, way) = value;
            try_one(&sheet, &what)
        });
        // The same with the key left out.
        let mut sheet = right.clone();
        if let [above @ .., Step::Key(key)] = way.as_slice()
            && let Value::Table(table) = at(&mut sheet, above)
        {
            table.remove(key);
            has_effect |= try_one(&sheet, &format!("{way:?} left out"));
        }
        *by_key.entry(key.to_owned()).or_default() |= has_effect;
    }
    assert!(tried > 150 && differing > 100, "{tried} right sheets, of which {differing} give other files");
    let silent: Vec<&str> =
        by_key.iter().filter(|(_, has_effect)| !**has_effect).map(|(key, _)| key.as_str()).collect();
    assert_eq!(silent, NOT_ALONE, "keys no change of which reached an output");
}
