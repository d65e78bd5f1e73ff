//! Files that netplan takes, changed in one place at random: a value, a key, a shape, something that is dropped or doubled.

use std::collections::BTreeMap;
use std::thread;

use impostazione_core::finding::Severity;
use impostazione_core::machine::NetplanVersion;
use impostazione_core::views::netplan::{inspect_netplan, source};
use impostazione_text::Sources;

use crate::folders::Dice;
use crate::ours::says_refused;
use crate::release::{RELEASES, Release};
use crate::suite::cases;

/// Values that are right for some key and wrong for others.
const VALUES: [&str; 34] = [
    "maybe",
    "true",
    "no",
    "",
    "null",
    "~",
    "0",
    "1",
    "-1",
    "1.5",
    "0x10",
    "255",
    "4095",
    "99999999999",
    "10.64.10.300",
    "10.64.10.1",
    "10.64.10.1/24",
    "10.64.10.1/33",
    "fd64:10::1",
    "fd64:10::1/64",
    "default",
    "eth0",
    "eth99",
    "two words",
    "02:64:10:00:00:21",
    "02-64-10",
    "[a]",
    "[]",
    "{}",
    "{a: b}",
    "*anchor",
    "&anchor x",
    "\"\"",
    "networkd",
];

/// Keys of netplan's that are right in some place and wrong in others.
const KEYS: [&str; 24] = [
    "addresses",
    "dhcp4",
    "routes",
    "via",
    "to",
    "metric",
    "mtu",
    "match",
    "set-name",
    "link",
    "id",
    "interfaces",
    "parameters",
    "mode",
    "nameservers",
    "search",
    "renderer",
    "access-points",
    "password",
    "version",
    "network",
    "ethernets",
    "macaddress",
    "hairpin",
];

/// A text with one change.
fn changed(text: &str, dice: &mut Dice) -> String {
    let lines: Vec<&str> = text.lines().collect();
    let spoken: Vec<usize> = (0..lines.len()).filter(|at| !lines[*at].trim().is_empty()).collect();
    if spoken.is_empty() {
        return text.to_owned();
    }
    let at = *dice.one(&spoken);
    let line = lines[at];
    let indent = line.len() - line.trim_start().len();
    let (key, value) = line.split_once(':').map_or((line, ""), |(key, value)| (key, value.trim()));
    let name = key.trim_start().trim_start_matches("- ");
    let before = &key[..key.len() - name.len()];
    let new = match dice.below(12) {
        0..=2 => format!("{key}: {}", dice.one(&VALUES)),
        3 => format!("{before}{}: {value}", dice.one(&KEYS)),
        4 => {
            let cut: String = name.chars().skip(1).collect();
            format!("{before}{cut}: {value}")
        }
        5 => format!("{before}{name}x: {value}"),
        6 => String::new(),
        7 => format!("{line}\n{line}"),
        8 if value.starts_with('[') => format!("{key}: {}", value.trim_matches(['[', ']'])),
        8 => format!("{key}: [{value}]"),
        9 => format!("{key}: {{{value}}}"),
        10 => format!("{}{}", " ".repeat(indent + 2), line.trim_start()),
        _ => format!("{}{}", " ".repeat(indent.saturating_sub(2)), line.trim_start()),
    };
    let mut text = String::new();
    for (index, line) in lines.iter().enumerate() {
        text += if index == at { &new } else { line };
        text.push('\n');
    }
    text
}

/// The rules of the errors that are found in files.
fn errors(files: &BTreeMap<String, String>, netplan: &str) -> Vec<(String, String)> {
    let version = NetplanVersion::parse(netplan).unwrap();
    let sources = files.iter().map(|(path, text)| source(path, text.clone().into_bytes()).unwrap()).collect();
    let inspection = inspect_netplan("host", Sources::default(), sources, version);
    let errors = inspection.findings.into_iter().filter(|finding| finding.severity() == Severity::Error);
    errors.map(|finding| (finding.rule.name.to_owned(), finding.message)).collect()
}

#[derive(Default)]
struct Found {
    refused: usize,
    accepted: usize,
    missed: Vec<String>,
    called_wrong: Vec<String>,
}

/// Changes each of these files again and again.
fn change(release: Release, texts: &[BTreeMap<String, String>], seeds: std::ops::Range<u64>) -> Found {
    let mut found = Found::default();
    for seed in seeds {
        let mut dice = Dice::new(seed);
        let mut files = dice.one(texts).clone();
        let paths: Vec<String> = files.keys().cloned().collect();
        let path = dice.one(&paths);
        let text = changed(&files[path], &mut dice);
        files.insert(path.clone(), text);
        let judgment = release.judge(&files);
        let errors = errors(&files, release.netplan);
        let whole: Vec<String> = files.iter().map(|(path, text)| format!("# {path}\n{text}\n")).collect();
        let whole = whole.concat();
        if judgment.is_refused {
            found.refused += 1;
            if errors.is_empty() {
                found.missed.push(format!("{seed}: netplan says {}\n{whole}", judgment.said));
            }
        } else {
            found.accepted += 1;
            let called: Vec<_> = errors.iter().filter(|(rule, _)| says_refused(rule)).collect();
            if !called.is_empty() {
                found.called_wrong.push(format!("{seed}: {called:?}\n{whole}"));
            }
        }
    }
    found
}

#[test]
#[ignore = "needs root, debootstrap, chroot, python3 and Debian's sources, which .ci/run has"]
fn what_netplan_refuses_of_changed_files_gets_an_error_and_nothing_else_is_called_malformed() {
    let per_thread = std::env::var("IMPOSTAZIONE_SLIPS").map_or(2000, |number| number.parse().unwrap());
    for release in RELEASES {
        let mut texts: Vec<BTreeMap<String, String>> = release
            .examples()
            .into_iter()
            .map(|(name, text)| BTreeMap::from([(format!("etc/netplan/{name}"), text)]))
            .collect();
        texts.extend(cases(release).into_iter().map(|case| {
            case.files.into_iter().map(|(name, text)| (format!("etc/netplan/{name}"), text)).collect()
        }));
        texts.retain(|files| !release.judge(files).is_refused);
        let texts = &texts;
        let found: Vec<Found> = thread::scope(|scope| {
            let halves = [1..per_thread + 1, 1_000_001..1_000_001 + per_thread];
            let halves = halves.map(|seeds| scope.spawn(move || change(release, texts, seeds)));
            halves.into_iter().map(|half| half.join().unwrap()).collect()
        });
        let sum = |count: fn(&Found) -> usize| found.iter().map(count).sum::<usize>();
        let (refused, accepted) = (sum(|found| found.refused), sum(|found| found.accepted));
        let (missed, called) = (sum(|found| found.missed.len()), sum(|found| found.called_wrong.len()));
        println!(
            "changed files, netplan {}: {accepted} accepted, {refused} refused; refused without an error: {missed}; \
             accepted and called malformed, unknown or undefined: {called}",
            release.netplan
        );
        for found in &found {
            for one in found.missed.iter().take(6).chain(found.called_wrong.iter().take(6)) {
                println!("-- {one}");
            }
        }
        assert_eq!((missed, called), (0, 0));
        assert!(refused >= usize::try_from(per_thread).unwrap(), "{refused} refused");
    }
}
