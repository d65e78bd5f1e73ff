//! How often meanings are told right in folders of descriptors, each with an `expect.json` that has the right meaning of
//! each property under `FILE#ID`: `cargo run -p impostazione-ovf --example how-right -- FOLDER …`. Lists what is wrong
//! with the signs that led to it, and how often each band of confidence was right.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use impostazione_ovf::{Descriptor, Meaning, Reading, Signs, read_properties};

fn main() -> ExitCode {
    let folders: Vec<PathBuf> = std::env::args_os().skip(1).map(PathBuf::from).collect();
    if folders.is_empty() {
        eprintln!("name folders of descriptors with an expect.json");
        return ExitCode::from(2);
    }
    let mut bands = Bands::default();
    for folder in folders {
        if let Err(fault) = measure(&folder, &mut bands) {
            eprintln!("{}: {fault}", folder.display());
            return ExitCode::FAILURE;
        }
    }
    bands.show();
    ExitCode::SUCCESS
}

fn measure(folder: &Path, bands: &mut Bands) -> Result<(), String> {
    let text = |path: &Path| std::fs::read(path).map_err(|error| format!("{}: {error}", path.display()));
    let expected: BTreeMap<String, String> =
        serde_json::from_slice(&text(&folder.join("expect.json"))?).map_err(|error| error.to_string())?;
    let mut paths: Vec<PathBuf> = std::fs::read_dir(folder)
        .map_err(|error| error.to_string())?
        .filter_map(|entry| Some(entry.ok()?.path()))
        .filter(|path| path.extension().is_some_and(|end| end == "ovf"))
        .collect();
    paths.sort();
    let (mut all, mut right) = (0, 0);
    for path in paths {
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let descriptor = Descriptor::parse(&text(&path)?).map_err(|fault| format!("{name}: {fault}"))?;
        for system in &descriptor.systems {
            for (property, reading) in system.properties.iter().zip(read_properties(system, Signs::own())) {
                let Some(meaning) = expected.get(&format!("{name}#{}", property.id())) else { continue };
                let meaning = meaning.trim_start_matches('!');
                let is_right = reading.meaning.word() == meaning;
                all += 1;
                right += usize::from(is_right);
                bands.add(&reading, is_right);
                if !is_right {
                    show_wrong(&name, &property.id(), meaning, &reading);
                }
            }
        }
    }
    println!("{}: {right} of {all} right", folder.display());
    Ok(())
}

fn show_wrong(name: &str, id: &str, meaning: &str, reading: &Reading) {
    let grave = if reading.is_certain() { "  CERTAIN AND WRONG" } else { "" };
    println!("{name}#{id}: is {meaning}, told {} at {:.2}{grave}", reading.meaning, reading.confidence);
    for sign in &reading.signs {
        println!("        {:.2}  {}: {}", sign.after, sign.meaning, sign.text);
    }
}

/// How many were told with a confidence of each band, and how many of those were right.
#[derive(Default)]
struct Bands {
    of_ours: [(usize, usize); 4],
    of_other: [(usize, usize); 4],
}

impl Bands {
    const LOWER: [f64; 4] = [0.0, 0.5, 0.8, 0.95];

    fn add(&mut self, reading: &Reading, is_right: bool) {
        let at = Self::LOWER.iter().rposition(|lower| reading.confidence >= *lower).unwrap_or_default();
        let bands = if reading.meaning == Meaning::Other { &mut self.of_other } else { &mut self.of_ours };
        if let Some((all, right)) = bands.get_mut(at) {
            *all += 1;
            *right += usize::from(is_right);
        }
    }

    fn show(&self) {
        for (what, bands) in [("a meaning", &self.of_ours), ("other", &self.of_other)] {
            for (lower, (all, right)) in Self::LOWER.iter().zip(bands) {
                println!("{what} from {lower:.2}: {right} of {all} right");
            }
        }
    }
}
