//! `inspect` of a package.

use std::fs;
use std::io::Write as _;
use std::path::Path;

use impostazione_ovf::{
    CERTIFICATE_LIMIT, CONSOLE_MEANINGS, Descriptor, FileState, MEANINGS_LIMIT, MeaningsFile, Package,
    PackageFault, Property, Reading, SIGNS_LIMIT, Signs, Trust, package_report, read_package, verify,
};
use impostazione_text::files::{Folder, ReadFault, read_file};
use jiff::Timestamp;

use super::super::json;
use crate::args::{Format, InspectArguments};
use crate::exit::{Exit, Failure};
use crate::terminal::{self, Progress};

pub(crate) fn run(path: &Path, arguments: &InspectArguments, quiet: bool) -> Result<Exit, Failure> {
    let folder = Folder::of_file(path);
    let name = Path::new(path.file_name().unwrap_or_default()).display().to_string();
    let certificates = arguments.trust.as_deref().map(|file| read(file, CERTIFICATE_LIMIT)).transpose()?;
    let trust = certificates.as_deref().map(|certificates| Trust { certificates, now: Timestamp::now() });
    let mut package = Package::read_trusting(&name, &folder, trust);
    let descriptor = match &package.descriptor {
        Ok(descriptor) => descriptor.clone(),
        Err(PackageFault::Missing | PackageFault::OutOfReach(_)) => {
            return Err(Failure::Files(format!("{} does not exist", path.display())));
        }
        Err(PackageFault::Unreadable(reason)) => {
            return Err(Failure::Files(format!("{} cannot be used as a package: {reason}", path.display())));
        }
    };
    let own_signs = match &arguments.signs {
        None => None,
        Some(file) => {
            let text = String::from_utf8(read(file, SIGNS_LIMIT)?)
                .map_err(|_| Failure::Files(format!("{} is not UTF-8 text", file.display())))?;
            let signs = Signs::with(&text).map_err(|reason| {
                Failure::Files(format!("{} is not a table of signs: {reason}", file.display()))
            })?;
            Some(signs)
        }
    };
    let signs = own_signs.as_ref().unwrap_or_else(|| Signs::own());
    let meanings = match &arguments.meanings {
        None => None,
        Some(file) => Some(MeaningsFile::parse(&read(file, MEANINGS_LIMIT)?).map_err(|reason| {
            Failure::Files(format!("{} cannot be used as a meanings file: {reason}", file.display()))
        })?),
    };
    let readings = read_package(&descriptor, signs, meanings.as_ref());
    if let Some(id) = &arguments.why {
        return why(id, &descriptor, &readings);
    }
    if let Some(file) = &arguments.save_meanings {
        return save(file, &descriptor, &readings, quiet);
    }
    if !arguments.no_digests
        && let Some(contents) = package.contents.clone()
    {
        let waiting = package.files.iter().filter(|file| file.state == FileState::NotChecked);
        let progress = Progress::new(waiting.filter_map(|file| file.size).sum(), quiet);
        verify(&contents, &mut package.files, &folder, &|count| progress.add(count));
        progress.finish();
    }
    let report = package_report(&package, &descriptor, &readings);
    if arguments.format == Format::Json {
        json::print(&report)?;
    } else if arguments.licenses {
        let text = if report.licenses.is_empty() {
            "The package has no license that must be accepted.\n".to_owned()
        } else {
            report
                .licenses
                .iter()
                .map(|license| format!("{}\n", terminal::harmless_lines(license)))
                .collect::<Vec<_>>()
                .join("\n----\n\n")
        };
        terminal::print(&text)?;
    } else {
        terminal::print(&terminal::show_package(&path.display().to_string(), &report, terminal::width()))?;
        if let Some(meanings) = &meanings {
            let properties: Vec<_> =
                descriptor.systems.iter().flat_map(|system| system.properties.clone()).collect();
            let product = descriptor.product().cloned().unwrap_or_default();
            for change in meanings.changes(&product, &properties) {
                terminal::print(&format!("since the meanings file was made: {change}\n"))?;
            }
        }
    }
    Ok(if report.has_faults() { Exit::ErrorsRemain } else { Exit::Done })
}

fn read(file: &Path, limit: u64) -> Result<Vec<u8>, Failure> {
    read_file(file, limit).map_err(|fault| {
        let name = file.display();
        Failure::Files(match fault {
            ReadFault::Missing => format!("{name} does not exist"),
            other => format!("{name} cannot be used: {other}"),
        })
    })
}

/// Says what led to the meaning of a property.
fn why(id: &str, descriptor: &Descriptor, readings: &[Vec<Reading>]) -> Result<Exit, Failure> {
    let mut found = false;
    for (system, readings) in descriptor.systems.iter().zip(readings) {
        for (property, reading) in system.properties.iter().zip(readings) {
            if property.id() == id && !found {
                found = true;
                terminal::print(&terminal::show_why(property, reading))?;
            }
        }
    }
    if found {
        return Ok(Exit::Done);
    }
    let ids: Vec<String> =
        descriptor.systems.iter().flat_map(|system| &system.properties).map(Property::id).collect();
    let alike: Vec<&String> =
        ids.iter().filter(|known| known.to_lowercase().contains(&id.to_lowercase())).collect();
    let proposed = if alike.is_empty() { ids.iter().collect() } else { alike };
    let proposed = proposed.into_iter().map(String::as_str).collect::<Vec<_>>().join(", ");
    Err(Failure::CommandLine(format!("--why {id}: the package has no such property; use one of: {proposed}")))
}

/// Writes a meanings file, never over one that is there: a person has worked on it.
/// Writes what consoles usually ask, for a product without a package.
pub(super) fn save_of_console(file: &Path, quiet: bool) -> Result<Exit, Failure> {
    write_new(file, CONSOLE_MEANINGS)?;
    if !quiet {
        terminal::print(&format!(
            "{0}: write the questions of the product's console in it, in their order, and name it in the sheet: meanings = \"{0}\"\n",
            file.display()
        ))?;
    }
    Ok(Exit::Done)
}

/// Writes a file that is not there yet.
fn write_new(file: &Path, text: &str) -> Result<(), Failure> {
    let written = fs::File::create_new(file).and_then(|mut new| new.write_all(text.as_bytes()));
    written.map_err(|error| {
        let name = file.display();
        Failure::Files(match error.kind() {
            std::io::ErrorKind::AlreadyExists => {
                format!("{name} already exists and somebody may have edited it; name another file")
            }
            _ => format!("{name} cannot be written: {}", impostazione_text::files::plain(&error)),
        })
    })
}

fn save(
    file: &Path,
    descriptor: &Descriptor,
    readings: &[Vec<Reading>],
    quiet: bool,
) -> Result<Exit, Failure> {
    let mut all: Option<MeaningsFile> = None;
    for (system, readings) in descriptor.systems.iter().zip(readings) {
        let own = MeaningsFile::of(system, readings);
        match &mut all {
            None => all = Some(own),
            Some(all) => all.property.extend(own.property),
        }
    }
    let mut all = all.unwrap_or_default();
    if let Some(product) = descriptor.product() {
        all.product.clone_from(&product.name);
        all.vendor.clone_from(&product.vendor);
        product.any_version().clone_into(&mut all.version);
    }
    let certain = all.property.values().filter(|reviewed| !reviewed.unsure).count();
    write_new(file, &all.text(certain))?;
    if !quiet {
        terminal::print(&format!(
            "{}: {} of the package, {} for you to decide\n",
            file.display(),
            terminal::count(all.property.len(), "property", "properties"),
            all.property.len() - certain
        ))?;
    }
    Ok(Exit::Done)
}
