//! How often the meaning of a property is told right, and how often each confidence is: over descriptors by the hand that
//! wrote the signs (`corpus/tuning`, `corpus/kept`, `corpus/first-try`) and over descriptors that were written apart from
//! the tool (`corpus/apart`). `UPDATE_DOCS=1 cargo test -p impostazione-ovf --test meanings` puts the figures into
//! `docs/meanings.md`.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

use impostazione_ovf::{
    Descriptor, Meaning, MeaningsFile, Property, Reading, Reviewed, Signs, read_properties,
};

struct Judged {
    file: String,
    id: String,
    reading: Reading,
    expected: Reviewed,
}

impl Judged {
    fn is_right(&self) -> bool {
        self.reading.meaning.word() == self.expected.meaning
    }

    /// Right in what it is about, too.
    fn is_right_in_full(&self) -> bool {
        let position = self.expected.position.or(match self.reading.meaning {
            Meaning::Dns1 | Meaning::Ntp1 => Some(1),
            Meaning::Dns2 | Meaning::Ntp2 => Some(2),
            _ => None,
        });
        self.is_right()
            && self.reading.link.as_ref().map(ToString::to_string) == self.expected.link
            && self.reading.account == self.expected.account
            && (!matches!(self.reading.meaning, Meaning::Dns | Meaning::Ntp)
                || self.reading.position == position)
    }

    fn is_confidently_wrong(&self) -> bool {
        !self.is_right() && self.reading.is_certain()
    }
}

fn folder(set: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus").join(set)
}

/// The right meanings of a descriptor: from the meanings file beside it, or from what its folder expects of all.
fn expected_of(path: &Path) -> BTreeMap<String, Reviewed> {
    let beside = path.with_extension("meanings.toml");
    if beside.exists() {
        return MeaningsFile::parse(&fs::read(beside).unwrap()).unwrap().property;
    }
    let all: BTreeMap<String, String> =
        serde_json::from_slice(&fs::read(path.with_file_name("expect.json")).unwrap()).unwrap();
    let file = format!("{}#", path.file_name().unwrap().to_string_lossy());
    let of_file = all.into_iter().filter_map(|(id, meaning)| {
        let meaning = meaning.trim_start_matches('!').to_owned();
        Some((id.strip_prefix(&file)?.to_owned(), Reviewed { meaning, ..Reviewed::default() }))
    });
    of_file.collect()
}

fn judged(set: &str) -> Vec<Judged> {
    judged_with(set, |_| {})
}

/// What is told of a set whose properties are changed before they are read.
fn judged_with(set: &str, change: fn(&mut Property)) -> Vec<Judged> {
    let mut paths: Vec<PathBuf> =
        fs::read_dir(folder(set)).unwrap().map(|entry| entry.unwrap().path()).collect();
    paths.retain(|path| path.extension().is_some_and(|end| end == "ovf"));
    paths.sort();
    assert!(!paths.is_empty(), "{set} is empty");
    let mut all = Vec::new();
    for path in paths {
        let descriptor = Descriptor::parse(&fs::read(&path).unwrap()).unwrap();
        let expected = expected_of(&path);
        let mut seen = BTreeSet::new();
        for system in &descriptor.systems {
            let mut changed = system.clone();
            changed.properties.iter_mut().for_each(change);
            for (property, reading) in system.properties.iter().zip(read_properties(&changed, Signs::own())) {
                let id = property.id();
                let Some(expected) = expected.get(&id) else {
                    panic!("{}: nothing is expected of {id}", path.display());
                };
                seen.insert(id.clone());
                all.push(Judged {
                    file: path.file_stem().unwrap().to_string_lossy().into_owned(),
                    id,
                    expected: expected.clone(),
                    reading,
                });
            }
        }
        assert_eq!(seen.len(), expected.len(), "{}", path.display());
    }
    all
}

fn list_wrong(all: &[Judged], is_right: fn(&Judged) -> bool) -> String {
    let mut text = String::new();
    for judged in all.iter().filter(|judged| !is_right(judged)) {
        let Judged { file, id, reading, expected } = judged;
        writeln!(
            text,
            "{file} {id}: {} {:?} {:?} {:?} ({:.2}), expected {} {:?} {:?} {:?}\n    {:?}",
            reading.meaning,
            reading.link,
            reading.account,
            reading.position,
            reading.confidence,
            expected.meaning,
            expected.link,
            expected.account,
            expected.position,
            reading
                .signs
                .iter()
                .map(|sign| format!("{}: {} {:.2}", sign.meaning, sign.text, sign.after))
                .collect::<Vec<_>>()
        )
        .unwrap();
    }
    text
}

fn share(part: usize, all: usize) -> String {
    let tenths = part * 1000 / all.max(1);
    format!("{part} ({}.{} %)", tenths / 10, tenths % 10)
}

/// Sets, and what they are.
const SETS: &[(&str, &str)] = &[
    ("apart/a", "apart, first set"),
    ("apart/c", "apart, second set"),
    ("first-try/1", "own, tuned on"),
    ("first-try/2", "own, tuned on after the first try"),
    ("first-try/3", "own, tuned on after the first try"),
    ("first-try/4", "own, tuned on after the first try"),
    ("first-try/5", "own, tuned on after the first try"),
    ("tuning", "own, tuned on"),
    ("kept", "own, later looked at"),
];

fn table_of_sets() -> String {
    let mut text = String::from(
        "| set | what it is | descriptors | properties | meaning right | certain and wrong |\n|---|---|---|---|---|---|\n",
    );
    for (set, what) in SETS {
        let all = judged(set);
        let files: BTreeSet<&str> = all.iter().map(|judged| judged.file.as_str()).collect();
        let right = all.iter().filter(|judged| judged.is_right()).count();
        let wrong = all.iter().filter(|judged| judged.is_confidently_wrong()).count();
        writeln!(
            text,
            "| `{set}` | {what} | {} | {} | {} | {wrong} |",
            files.len(),
            all.len(),
            share(right, all.len())
        )
        .unwrap();
    }
    text
}

/// The lower ends of the bands of confidence.
const BANDS: [f64; 4] = [0.0, 0.5, 0.8, 0.95];

/// How many of each band there are, and how many of those are right.
fn bands(all: &[Judged], is_of: fn(&Judged) -> bool) -> [(usize, usize); 4] {
    let mut bands = [(0, 0); 4];
    for judged in all.iter().filter(|judged| is_of(judged)) {
        let at = BANDS.iter().rposition(|lower| judged.reading.confidence >= *lower).unwrap();
        bands[at].0 += 1;
        bands[at].1 += usize::from(judged.is_right());
    }
    bands
}

fn is_other(judged: &Judged) -> bool {
    judged.reading.meaning == Meaning::Other
}

fn table_of_bands() -> String {
    let all: Vec<Judged> = SETS.iter().flat_map(|(set, _)| judged(set)).collect();
    let mut text =
        String::from("| confidence | a meaning | right | `other` | right |\n|---|---|---|---|---|\n");
    let (ours, other) = (bands(&all, |judged| !is_other(judged)), bands(&all, is_other));
    for (at, name) in ["below 0.5", "from 0.5", "from 0.8", "from 0.95"].iter().enumerate() {
        let ((all, right), (others, right_others)) = (ours[at], other[at]);
        let shared = |right: usize, all: usize| if all == 0 { "–".to_owned() } else { share(right, all) };
        writeln!(
            text,
            "| {name} | {all} | {} | {others} | {} |",
            shared(right, all),
            shared(right_others, others)
        )
        .unwrap();
    }
    text
}

/// A part that is taken away from each property.
type Less = (&'static str, fn(&mut Property));

const LESS: &[Less] = &[
    ("the category", |property| property.category.clear()),
    ("the key", |property| "x".clone_into(&mut property.key)),
    ("the description", |property| property.description.clear()),
    ("the label", |property| property.label.clear()),
    ("label and description", |property| {
        property.label.clear();
        property.description.clear();
    }),
];

/// All sets that have descriptions and labels, with a part of each property taken away.
fn judged_with_less(change: fn(&mut Property)) -> Vec<Judged> {
    SETS.iter().filter(|(set, _)| set.contains('/')).flat_map(|(set, _)| judged_with(set, change)).collect()
}

fn table_of_less() -> String {
    let mut text = String::from(
        "| taken away | meaning right | from 0.5 | from 0.8 | from 0.95 |\n|---|---|---|---|---|\n",
    );
    for (part, change) in LESS {
        let all = judged_with_less(*change);
        let right = all.iter().filter(|judged| judged.is_right()).count();
        let [_, fair, certain, most] = bands(&all, |judged| !is_other(judged));
        let of = |(all, right): (usize, usize)| format!("{right} of {all}");
        writeln!(
            text,
            "| {part} | {} | {} | {} | {} |",
            share(right, all.len()),
            of(fair),
            of(certain),
            of(most)
        )
        .unwrap();
    }
    text
}

#[test]
fn a_confidence_keeps_its_promise_where_less_is_said() {
    for (part, change) in LESS {
        let all = judged_with_less(*change);
        for (lower, (all, right)) in BANDS.iter().zip(bands(&all, |judged| !is_other(judged))) {
            assert!(is_share(right, all, *lower), "without {part}, from {lower}: {right} of {all} are right");
        }
        let wrong = all.iter().filter(|judged| judged.is_confidently_wrong()).count();
        assert!(wrong * 100 <= all.len(), "without {part}, {wrong} of {} are certain and wrong", all.len());
    }
}

/// Whether a part of all is at least this share.
#[allow(clippy::cast_precision_loss, reason = "counts of a thousand")]
fn is_share(part: usize, all: usize, least: f64) -> bool {
    all == 0 || part as f64 / all as f64 >= least
}

#[test]
fn descriptors_written_apart_are_told_right() {
    let mut certain_and_wrong = 0;
    for set in ["apart/a", "apart/c"] {
        let all = judged(set);
        let right = all.iter().filter(|judged| judged.is_right()).count();
        assert!(
            right * 100 >= all.len() * 98,
            "{right} of {}:\n{}",
            all.len(),
            list_wrong(&all, Judged::is_right)
        );
        certain_and_wrong += all.iter().filter(|judged| judged.is_confidently_wrong()).count();
    }
    assert_eq!(certain_and_wrong, 0);
}

#[test]
fn a_confidence_is_as_often_right_as_it_says() {
    let all: Vec<Judged> = SETS.iter().flat_map(|(set, _)| judged(set)).collect();
    let of: [fn(&Judged) -> bool; 2] = [|judged| !is_other(judged), is_other];
    for is_of in of {
        for (lower, (all, right)) in BANDS.iter().zip(bands(&all, is_of)) {
            assert!(is_share(right, all, *lower), "from {lower}: {right} of {all} are right");
        }
    }
}

#[test]
fn the_kept_half_is_right_often_enough_and_never_wrong_where_it_hurts() {
    let all = judged("kept");
    let right = all.iter().filter(|judged| judged.is_right()).count();
    assert!(right * 100 >= all.len() * 95, "{}", list_wrong(&all, Judged::is_right));
    let hurts = ["password", "address", "gateway", "netmask"];
    for judged in all.iter().filter(|judged| judged.is_confidently_wrong()) {
        let is_among = |word: &str| hurts.contains(&word);
        assert!(
            !is_among(judged.reading.meaning.word()) && !is_among(&judged.expected.meaning),
            "{} {}: {} in place of {}",
            judged.file,
            judged.id,
            judged.reading.meaning,
            judged.expected.meaning
        );
    }
}

#[test]
fn link_account_and_position_are_told_too() {
    for set in ["tuning", "kept"] {
        let all = judged(set);
        let right = all.iter().filter(|judged| judged.is_right_in_full()).count();
        assert!(right * 100 >= all.len() * 98, "{set}: {}", list_wrong(&all, Judged::is_right_in_full));
    }
}

#[test]
fn the_tuning_half_is_nowhere_certain_and_wrong() {
    let all = judged("tuning");
    assert!(!all.iter().any(Judged::is_confidently_wrong), "{}", list_wrong(&all, Judged::is_right));
}

#[test]
fn the_document_has_the_figures_of_today() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/meanings.md");
    let document = fs::read_to_string(&path).unwrap();
    let mut today = document.clone();
    for (name, table) in [("sets", table_of_sets()), ("bands", table_of_bands()), ("less", table_of_less())] {
        let (start, end) = (format!("<!-- {name} -->\n"), format!("<!-- end of {name} -->"));
        let (before, rest) =
            today.split_once(&start).unwrap_or_else(|| panic!("{start} is not in the document"));
        let (_, after) = rest.split_once(&end).unwrap();
        today = format!("{before}{start}{table}{end}{after}");
    }
    if std::env::var_os("UPDATE_DOCS").is_some() {
        fs::write(&path, &today).unwrap();
    } else {
        assert!(today == document, "run UPDATE_DOCS=1 cargo test -p impostazione-ovf --test meanings");
    }
}
