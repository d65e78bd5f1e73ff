//! Right answers give no false alarm: descriptors that somebody wrote, each property answered with what a careful person would
//! write there, by what the property really means.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

use serde_json::Value;

use crate::support::Workspace;

/// What a property really means, and of which link.
struct Truth {
    meaning: String,
    link: Option<String>,
}

/// A site with a subnet for each link of the appliance under test, which shares a cluster with a host.
struct Site {
    links: Vec<String>,
}

impl Site {
    fn of(properties: &[(Value, Truth)]) -> Self {
        let mut links: Vec<String> = Vec::new();
        let mut most = 0;
        for (_, truth) in properties {
            match truth.link.as_deref() {
                Some(link) => match link.strip_prefix("adapter ") {
                    Some(number) => most = most.max(number.parse::<usize>().unwrap()),
                    None if !links.contains(&link.to_owned()) => links.push(link.to_owned()),
                    None => {}
                },
                None => most = most.max(1),
            }
        }
        let numbered = (1..=most).map(|number| format!("adapter {number}"));
        // Numbered ones come first, since they are counted.
        Self { links: numbered.chain(links).collect() }
    }

    fn index(&self, link: Option<&str>) -> usize {
        let wanted = link.unwrap_or("adapter 1");
        self.links.iter().position(|known| known == wanted).unwrap_or(0)
    }

    fn name(link: &str) -> String {
        match link.strip_prefix("adapter ") {
            Some(number) => format!("nic{number}"),
            None => link.replace(' ', "-").chars().take(15).collect(),
        }
    }

    fn sheet(&self, package: &str, answers: &str) -> String {
        let mut sheet = String::from(
            "format = 1\n[common]\ndomain = \"capovetro.example\"\ndns = [\"10.64.10.53\", \"10.64.10.54\"]\n\
             search = [\"capovetro.example\", \"quay.capovetro.example\"]\n\
             ntp = [\"10.64.10.121\", \"10.64.10.122\", \"10.64.10.123\"]\ntimezone = \"Europe/Rome\"\n\
             locale = \"it_IT.UTF-8\"\nkeyboard = \"it\"\n",
        );
        for at in 0..self.links.len() {
            let net = 10 + at;
            writeln!(
                sheet,
                "[subnet.net{at}]\nprefix = \"10.64.{net}.0/24\"\ngateway = \"10.64.{net}.1\"\n\
                 prefix6 = \"fd64:{net}::/64\"\ngateway6 = \"fd64:{net}::1\"\nvlan = {}\nmtu = 1500",
                100 + net
            )
            .unwrap();
        }
        writeln!(
            sheet,
            "[account.keeper]\nadmin = true\nssh_keys = [\"keys/keeper.pub\"]\n[secret.word]\nfrom = \"file\"\npath = \"word.secret\"\n\
             [cluster.pair]\nsize = 2\nvirtual_address = {{ subnet = \"net0\", address = \"10.64.10.60\" }}\n\
             [[host]]\nname = \"mate\"\ncluster = \"pair\"\nlink.eth0 = {{ subnet = \"net0\", address = \"10.64.10.62\", address6 = \"fd64:10::62\" }}\n\
             [[appliance]]\nname = \"box\"\ncluster = \"pair\"\npackage = \"{package}\""
        )
        .unwrap();
        for (at, link) in self.links.iter().enumerate() {
            let net = 10 + at;
            let route = if at == 0 { "" } else { ", default_route = false" };
            writeln!(
                sheet,
                "link.{} = {{ subnet = \"net{at}\", address = \"10.64.{net}.61\", address6 = \"fd64:{net}::61\"{route} }}",
                Self::name(link)
            )
            .unwrap();
        }
        write!(sheet, "[appliance.answer]\n{answers}").unwrap();
        sheet
    }
}

fn text<'v>(property: &'v Value, key: &str) -> &'v str {
    property[key].as_str().unwrap_or_default()
}

fn choices(property: &Value) -> Vec<&str> {
    property["choices"].as_array().unwrap().iter().filter_map(Value::as_str).collect()
}

/// On or off in the words of the property, as a person reads them off its choices and its default.
fn switch(property: &Value, is_on: bool) -> String {
    let pairs = [
        ("true", "false"),
        ("yes", "no"),
        ("on", "off"),
        ("enabled", "disabled"),
        ("enable", "disable"),
        ("1", "0"),
        ("dhcp", "static"),
        ("dhcp", "manual"),
        ("auto", "static"),
        ("si", "no"),
        ("ja", "nein"),
        ("oui", "non"),
    ];
    let pick = |pair: &(&str, &str)| if is_on { pair.0.to_owned() } else { pair.1.to_owned() };
    let given = choices(property);
    if let Some(choice) =
        given.iter().find(|choice| pairs.iter().any(|pair| choice.eq_ignore_ascii_case(&pick(pair))))
    {
        return (*choice).to_owned();
    }
    let default = text(property, "default");
    pairs
        .iter()
        .find(|(on, off)| default.eq_ignore_ascii_case(on) || default.eq_ignore_ascii_case(off))
        .map_or_else(|| is_on.to_string(), pick)
}

/// What a person puts between values after reading the text.
fn separator(property: &Value) -> Option<&'static str> {
    let about = format!("{} {}", text(property, "label"), text(property, "description")).to_lowercase();
    let says = |words: &[&str]| words.iter().any(|word| about.contains(word));
    if says(&["semicol", "strichpunkt", "semikolon", "punto e virgola", "point-virgule", "punto y coma"]) {
        Some(";")
    } else if says(&["comma", "komma", "virgol", "virgul", "coma"]) {
        Some(",")
    } else if says(&["space", "blank", "leerz", "spazi", "espac"]) {
        Some(" ")
    } else {
        None
    }
}

/// A right answer, or `None` for what is left to itself.
fn answer(property: &Value, truth: &Truth, site: &Site) -> Option<String> {
    let net = 10 + site.index(truth.link.as_deref());
    let (default, kind) = (text(property, "default"), text(property, "type"));
    let about = format!("{} {}", text(property, "label"), text(property, "description")).to_lowercase();
    let list = |values: &[&str]| match separator(property) {
        Some(separator) => values.join(separator),
        None => values[0].to_owned(),
    };
    let v4 = format!("10.64.{net}.61");
    let v6 = format!("fd64:{net}::61");
    Some(match truth.meaning.trim_start_matches('!') {
        "address" => v4,
        "address6" => v6,
        "netmask" if kind.contains("int") || default.parse::<u8>().is_ok() => "24".to_owned(),
        "netmask" => "255.255.255.0".to_owned(),
        "prefix-length" if default.starts_with('/') => "/24".to_owned(),
        "prefix-length" => "24".to_owned(),
        "prefix-length6" => "64".to_owned(),
        "address-with-prefix" if about.contains("2001:") || about.contains("ipv6") => format!("{v6}/64"),
        "address-with-prefix" => format!("{v4}/24"),
        "gateway" => format!("10.64.{net}.1"),
        "gateway6" => format!("fd64:{net}::1"),
        "hostname" => "box".to_owned(),
        "fqdn" => "box.capovetro.example".to_owned(),
        "domain" => "capovetro.example".to_owned(),
        "dns" => list(&["10.64.10.53", "10.64.10.54"]),
        "dns-1" => "10.64.10.53".to_owned(),
        "dns-2" => "10.64.10.54".to_owned(),
        "search" => list(&["capovetro.example", "quay.capovetro.example"]),
        "ntp" => list(&["10.64.10.121", "10.64.10.122"]),
        "ntp-1" => "10.64.10.121".to_owned(),
        "ntp-2" => "10.64.10.122".to_owned(),
        "timezone" => choices(property).first().map_or("Europe/Rome", |choice| *choice).to_owned(),
        "username" => "keeper".to_owned(),
        "ssh-enabled" | "ntp-enabled" | "ipv6-enabled" | "https-enabled" => switch(property, true),
        "dhcp-enabled" => switch(property, false),
        "ssh-key" => fs::read_to_string(crate::support::demo_folder().join("keys/keeper.pub"))
            .unwrap()
            .trim()
            .to_owned(),
        "vlan" => (100 + net).to_string(),
        "mtu" => "1500".to_owned(),
        "license-key" => "QUAY7-TIDE2-MAST4".to_owned(),
        "license-server" => "licenses.capovetro.example:27000".to_owned(),
        "node-number" => "1".to_owned(),
        "node-count" => "2".to_owned(),
        "cluster-name" => "pair".to_owned(),
        "role" => choices(property).first().map_or("primary", |choice| *choice).to_owned(),
        "peers" => "10.64.10.62".to_owned(),
        "virtual-address" => "10.64.10.60".to_owned(),
        "locale" => choices(property).first().map_or_else(
            || match default {
                "" => "it_IT.UTF-8".to_owned(),
                default if default.contains('.') => "it_IT.UTF-8".to_owned(),
                default if default.contains('-') => "it-IT".to_owned(),
                default if default.contains('_') => "it_IT".to_owned(),
                _ => "it".to_owned(),
            },
            |choice| (*choice).to_owned(),
        ),
        "keyboard" => choices(property).first().map_or("it", |choice| *choice).to_owned(),
        "mail-relay" => "mail.capovetro.example".to_owned(),
        "mail-address" => "watch@capovetro.example".to_owned(),
        "proxy" => "http://10.64.10.8:3128".to_owned(),
        // Somebody's who is not in the sheet, in a subnet that is.
        _ if text(property, "meaning").starts_with("address") => "10.64.10.77".to_owned(),
        _ => return None,
    })
}

/// The properties of a descriptor, as the program reads them out, with what they really mean.
fn properties(
    workspace: &Workspace,
    path: &str,
    truth: impl Fn(&str) -> Option<Truth>,
) -> Vec<(Value, Truth)> {
    let run = workspace.run(&["inspect", path, "--no-digests", "--format", "json"]);
    let report: Value =
        serde_json::from_str(&run.stdout).unwrap_or_else(|_| panic!("{path}: {}", run.stderr));
    let all = report["properties"].as_array().unwrap().iter();
    all.filter(|property| property["settable"] == true)
        .map(|property| {
            let told = || Truth {
                meaning: text(property, "meaning").to_owned(),
                link: property["link"].as_str().map(str::to_owned),
            };
            (property.clone(), truth(text(property, "id")).unwrap_or_else(told))
        })
        .collect()
}

/// What is said against right answers, and against a sheet that answers nothing by itself that need not be answered.
fn alarms(workspace: &Workspace, name: &str, properties: &[(Value, Truth)]) -> String {
    let site = Site::of(properties);
    let mut answers = String::new();
    for (property, truth) in properties {
        let id = text(property, "id");
        if property["password"] == true || truth.meaning.ends_with("password") {
            writeln!(answers, "\"{id}\" = {{ secret = \"word\" }}").unwrap();
        } else if let Some(value) = answer(property, truth, &site) {
            writeln!(answers, "\"{id}\" = {value:?}").unwrap();
        }
    }
    workspace.write("sheet.toml", site.sheet(name, &answers));
    let run = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: Value =
        serde_json::from_str(&run.stdout).unwrap_or_else(|_| panic!("{name}: {}", run.stderr));
    let mut text = String::new();
    for finding in report["findings"].as_array().unwrap() {
        let message = finding["message"].as_str().unwrap();
        // What is missing in a package, or in so small a sheet, is not what this is about.
        if ["It is the answer to", "It is the default of", "It is what"]
            .iter()
            .any(|role| message.contains(role))
        {
            writeln!(text, "{name}: {}: {message}", finding["rule"].as_str().unwrap()).unwrap();
        }
    }
    text
}

fn descriptors(folder: &Path) -> Vec<PathBuf> {
    let mut paths: Vec<PathBuf> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    paths.retain(|path| path.extension().is_some_and(|end| end == "ovf"));
    paths.sort();
    paths
}

fn name_of(path: &Path) -> String {
    path.file_name().unwrap().to_string_lossy().into_owned()
}

/// The descriptors of the corpus, whose meanings a person has written down, and those of tests and of the sample site.
#[test]
fn in_the_repository() {
    let workspace = Workspace::new();
    workspace.write("word.secret", "gull-tern-heron-cormorant-9\n");
    let mut wrong = String::new();
    let crates = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    for half in ["ovf/corpus/tuning", "ovf/corpus/kept"] {
        for path in descriptors(&crates.join(half)) {
            workspace.write(&name_of(&path), fs::read(&path).unwrap());
            let expected: toml::Table =
                fs::read_to_string(path.with_extension("meanings.toml")).unwrap().parse().unwrap();
            let truth = |id: &str| {
                let of = expected["property"].get(id)?;
                let word = |key: &str| Some(of.get(key)?.as_str()?.to_owned());
                Some(Truth { meaning: word("meaning")?, link: word("link") })
            };
            wrong += &alarms(&workspace, &name_of(&path), &properties(&workspace, &name_of(&path), truth));
        }
    }
    let of_tests = descriptors(&crates.join("core/testdata/packages"));
    for path in of_tests.into_iter().chain(descriptors(&crates.join("../demo/packages"))) {
        // Two are cut off on purpose.
        if !workspace_reads(&workspace, &path) {
            continue;
        }
        wrong += &alarms(&workspace, &name_of(&path), &properties(&workspace, &name_of(&path), |_| None));
    }
    assert!(wrong.is_empty(), "{wrong}");
}

fn workspace_reads(workspace: &Workspace, path: &Path) -> bool {
    workspace.write(&name_of(path), fs::read(path).unwrap());
    let run = workspace.run(&["inspect", &name_of(path), "--no-digests", "--format", "json"]);
    serde_json::from_str::<Value>(&run.stdout).is_ok_and(|report| {
        report["properties"].is_array()
            && report["systems"].as_array().is_some_and(|systems| systems.len() == 1)
    })
}

/// Descriptors that were written apart from the program, and others with what is expected of a whole folder.
#[test]
fn in_descriptors_written_apart() {
    let corpus = Path::new(env!("CARGO_MANIFEST_DIR")).join("../ovf/corpus");
    let sets =
        ["apart/a", "apart/c", "first-try/1", "first-try/2", "first-try/3", "first-try/4", "first-try/5"];
    assert_no_alarms(sets.into_iter().map(|set| corpus.join(set)));
}

/// More of them, where they lie beside it.
#[test]
#[ignore = "needs folders of descriptors with an expect.json, named in IMPOSTAZIONE_DESCRIPTORS with colons between"]
fn in_descriptors_written_elsewhere() {
    let folders =
        std::env::var("IMPOSTAZIONE_DESCRIPTORS").expect("IMPOSTAZIONE_DESCRIPTORS names no folders");
    assert_no_alarms(folders.split(':').map(PathBuf::from));
}

fn assert_no_alarms(folders: impl Iterator<Item = PathBuf>) {
    let workspace = Workspace::new();
    workspace.write("word.secret", "gull-tern-heron-cormorant-9\n");
    let mut wrong = String::new();
    for folder in folders {
        let expected: BTreeMap<String, String> =
            serde_json::from_slice(&fs::read(folder.join("expect.json")).unwrap()).unwrap();
        for path in descriptors(&folder) {
            let name = name_of(&path);
            workspace.write(&name, fs::read(&path).unwrap());
            let mut all = properties(&workspace, &name, |_| None);
            for (property, truth) in &mut all {
                if let Some(meaning) = expected.get(&format!("{name}#{}", text(property, "id"))) {
                    meaning.trim_start_matches('!').clone_into(&mut truth.meaning);
                    // What is another machine's is about none of this one's links.
                    if truth.meaning == "other" {
                        truth.link = None;
                    }
                }
            }
            wrong += &alarms(&workspace, &name, &all);
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}
