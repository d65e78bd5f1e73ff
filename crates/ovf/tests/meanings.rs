//! How often the meaning of a property is told right, over a corpus of made-up descriptors. Half of it was looked at while
//! the signs were chosen; the other half is kept for the figure.

#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::fs;
use std::path::{Path, PathBuf};

use impostazione_ovf::{Descriptor, Meaning, MeaningsFile, Reading, Reviewed, Signs, read_properties};

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

fn judged(half: &str) -> Vec<Judged> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("corpus").join(half);
    let mut paths: Vec<PathBuf> = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    paths.retain(|path| path.extension().is_some_and(|end| end == "ovf"));
    paths.sort();
    let mut all = Vec::new();
    for path in paths {
        let descriptor = Descriptor::parse(&fs::read(&path).unwrap()).unwrap();
        let expected = MeaningsFile::parse(&fs::read(path.with_extension("meanings.toml")).unwrap()).unwrap();
        let system = &descriptor.systems[0];
        assert_eq!(system.properties.len(), expected.property.len(), "{}", path.display());
        for (property, reading) in system.properties.iter().zip(read_properties(system, Signs::own())) {
            all.push(Judged {
                file: path.file_stem().unwrap().to_string_lossy().into_owned(),
                id: property.id(),
                expected: expected.property[&property.id()].clone(),
                reading,
            });
        }
    }
    all
}

fn list_wrong(all: &[Judged]) -> String {
    let mut text = String::new();
    for judged in all.iter().filter(|judged| !judged.is_right_in_full()) {
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

/// What `docs/meanings.md` says of one half.
fn figures(half: &str, all: &[Judged]) -> String {
    let count = |wanted: fn(&Judged) -> bool| all.iter().filter(|judged| wanted(judged)).count();
    let files: BTreeSet<&str> = all.iter().map(|judged| judged.file.as_str()).collect();
    let share = |part: usize| {
        let tenths = part * 1000 / all.len();
        format!("{part} ({}.{} %)", tenths / 10, tenths % 10)
    };
    format!(
        "| {half} | {} | {} | {} | {} | {} | {} |",
        files.len(),
        all.len(),
        share(count(Judged::is_right)),
        share(count(Judged::is_right_in_full)),
        share(count(|judged| judged.is_right()
            && (judged.reading.is_certain() || judged.reading.meaning == Meaning::Other))),
        count(Judged::is_confidently_wrong),
    )
}

#[test]
fn the_kept_half_is_right_often_enough_and_never_wrong_where_it_hurts() {
    let all = judged("kept");
    let right = all.iter().filter(|judged| judged.is_right()).count();
    assert!(right * 100 >= all.len() * 95, "{}", list_wrong(&all));
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
fn the_document_has_the_figures_of_today() {
    let document =
        fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/meanings.md")).unwrap();
    for half in ["tuning", "kept"] {
        let line = figures(half, &judged(half));
        assert!(document.contains(&line), "docs/meanings.md should have this line:\n{line}");
    }
}

#[test]
fn the_tuning_half_is_nowhere_certain_and_wrong() {
    let all = judged("tuning");
    assert!(!all.iter().any(Judged::is_confidently_wrong), "{}", list_wrong(&all));
}
