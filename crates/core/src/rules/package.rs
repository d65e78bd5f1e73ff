//! Rules on OVF packages: whether their files are there and whole; and on meanings files.

use impostazione_ovf::{FileState, Package, PackageFault, PackageFile};
use impostazione_text::{ByteSize, Place, Written};

use super::check::Check;
use super::judge::Judge;
use crate::finding::{Nature, Rule, Severity};
use crate::machine::{Appliance, Machine, MeaningsFault, NamedMeanings};

pub(super) const CHECKS: &[Check] = &[
    Check::new(&PACKAGE_MISSING, check_missing),
    Check::new(&PACKAGE_NOT_LOOKED_AT, check_out_of_reach),
    Check::new(&PACKAGE_UNREADABLE, check_unreadable),
    Check::new(&PACKAGE_FILE_MISSING, check_files_missing),
    Check::new(&PACKAGE_FILE_SIZE, check_sizes),
    Check::new(&PACKAGE_DIGEST_MISMATCH, check_digests),
    Check::new(&PACKAGE_DIGEST_MISSING, check_digests_missing),
    Check::new(&PACKAGE_FILES_NOT_READ, check_not_read),
    Check::new(&PACKAGE_SIGNATURE_INVALID, check_signature),
    Check::new(&PACKAGE_PATH_UNSAFE, check_paths),
    Check::new(&MEANINGS_UNREADABLE, check_meanings),
    Check::new(&MEANINGS_OUTDATED, check_outdated),
];

/// No package at the path.
static PACKAGE_MISSING: Rule = Rule {
    name: "package-missing",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "there is no package at the path that the sheet gives",
    explanation: "`package` is the path of an OVA archive or an OVF descriptor, relative to the sheet's folder, not \
        to where the command is run.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbok.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A package that lies where nothing can be seen from here.
static PACKAGE_NOT_LOOKED_AT: Rule = Rule {
    name: "package-not-looked-at",
    severity: Severity::Warning,
    nature: Nature::Fault,
    summary: "a package or a meanings file could not be checked, because its folder is missing",
    explanation: "The folder in the path is missing or empty, perhaps because a drive is not mounted or large files \
        were not downloaded. Everything that does not depend on the package is checked; what the package asks for, \
        and whether its answers are right, is not known. Nothing is rendered in this state.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"drive/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    not_looked_at: true,
    ..Rule::PLAIN
};

/// A package that cannot be used.
static PACKAGE_UNREADABLE: Rule = Rule {
    name: "package-unreadable",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a package cannot be read",
    explanation: "A package is an uncompressed tar archive (.ova) or a descriptor (.ovf). The descriptor is XML in \
        UTF-8 of at most 16 MiB, without a document type, and its root is an OVF envelope with a virtual machine in \
        it. An archive that was truncated during the download cannot be read.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"keys/keeper.pub\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A file that is not there.
static PACKAGE_FILE_MISSING: Rule = Rule {
    name: "package-file-missing",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a file of the package is missing",
    explanation: "The descriptor or the manifest lists a file that is not in the archive, or not next to the \
        descriptor. The package cannot be deployed like that: perhaps a disk was not copied. Waive the rule if the \
        disks are stored elsewhere.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/torn.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A file of another size.
static PACKAGE_FILE_SIZE: Rule = Rule {
    name: "package-file-size",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a file of the package has a different size than the descriptor says",
    explanation: "The descriptor gives the size of each file in bytes. A smaller file was truncated when it was \
        copied; a larger one belongs to another version.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/short.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A file that was changed.
static PACKAGE_DIGEST_MISMATCH: Rule = Rule {
    name: "package-digest-mismatch",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a file of the package does not match the manifest",
    explanation: "The manifest has a digest of each file. If it differs, the file was damaged or changed, and \
        hypervisors refuse the package. `check` reads the descriptor and files up to 1 MiB; `inspect` reads all \
        files, and so does `render --packages` before it makes a new package.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/damaged.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// Files that are too large to be read in every run.
static PACKAGE_FILES_NOT_READ: Rule = Rule {
    name: "package-files-not-read",
    severity: Severity::Note,
    nature: Nature::Judgment,
    summary: "large files of a package were not checked against its manifest",
    explanation: "`check` and `render` read the descriptor and files up to 1 MiB, because a disk of many gigabytes \
        takes minutes. Whether the other files are intact is not known. `inspect` reads all of them, and so does \
        `render --packages`. A waiver says that somebody has checked.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/large.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// Files that nobody vouches for.
static PACKAGE_DIGEST_MISSING: Rule = Rule {
    name: "package-digest-missing",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "files of the package have no digest",
    explanation: "Without a manifest, or without a line in it for each file, nobody can tell whether a disk is \
        intact. Ask the vendor for the manifest, a file that ends in .mf.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/bare.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A signature of something else.
static PACKAGE_SIGNATURE_INVALID: Rule = Rule {
    name: "package-signature-invalid",
    severity: Severity::Error,
    nature: Nature::Judgment,
    summary: "a package is signed, and the signature is not valid",
    explanation: "The certificate file next to the manifest has its signature. If the signature does not belong to \
        this manifest, the manifest or the certificate was replaced. `inspect --trust` checks whether the \
        certificate itself is trusted.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/signed.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A file that leads out of the package.
static PACKAGE_PATH_UNSAFE: Rule = Rule {
    name: "package-path-unsafe",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a file of the package would be outside of it",
    explanation: "The files of a package are in its archive, or next to its descriptor. A name with .. in it, an \
        absolute path, a link or a URL leads elsewhere; such a file is never read and never written.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/outside.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A meanings file that cannot be used.
static MEANINGS_UNREADABLE: Rule = Rule {
    name: "meanings-unreadable",
    severity: Severity::Error,
    nature: Nature::Fault,
    summary: "a meanings file cannot be read",
    explanation: "`inspect --save-meanings` writes the file, in TOML, for a person to review. Its words for meanings \
        are those that `inspect` shows; docs/meanings.md lists its keys.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/logbook.ovf\"\nmeanings = \"packages/torn.meanings.toml\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nmeanings = \"packages/current.meanings.toml\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// A meanings file of another version.
static MEANINGS_OUTDATED: Rule = Rule {
    name: "meanings-outdated",
    severity: Severity::Warning,
    nature: Nature::Judgment,
    summary: "a meanings file was made for another version of the product",
    explanation: "What was reviewed for one version may be wrong for the next. The finding says what has changed. \
        Check that and write the new version into the file, or make a new file with `inspect --save-meanings`.",
    wrong: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nmeanings = \"packages/older.meanings.toml\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    right: "[[appliance]]\nname = \"logbook\"\npackage = \"packages/whole.ovf\"\nmeanings = \"packages/current.meanings.toml\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n",
    ..Rule::PLAIN
};

/// Each of these things that appliances name by index, with the appliances that name it, and where the first of them does.
fn each_named<'a, T>(
    machines: &'a [Machine],
    things: &'a [T],
    named: impl Fn(&'a Appliance) -> Option<&'a Written<usize>>,
) -> Vec<(Vec<&'a Machine>, Place, &'a T)> {
    let mut at: Vec<Option<usize>> = vec![None; things.len()];
    let mut found: Vec<(Vec<&'a Machine>, Place, &'a T)> = Vec::new();
    for machine in machines {
        let Some(index) = machine.appliance().and_then(&named) else { continue };
        let (Some(thing), Some(known)) = (things.get(index.value), at.get_mut(index.value)) else { continue };
        match known.and_then(|at| found.get_mut(at)) {
            Some((users, ..)) => users.push(machine),
            None => {
                *known = Some(found.len());
                found.push((vec![machine], index.place, thing));
            }
        }
    }
    found
}

fn packages<'a>(judge: &Judge<'a>) -> Vec<(Vec<&'a Machine>, Place, &'a Package)> {
    each_named(&judge.site.machines, &judge.site.packages, |appliance| appliance.package.value())
}

fn meanings<'a>(judge: &Judge<'a>) -> Vec<(Vec<&'a Machine>, Place, &'a NamedMeanings)> {
    each_named(&judge.site.machines, &judge.site.meanings, |appliance| appliance.meanings.value())
}

fn check_missing(judge: &mut Judge<'_>) {
    for (machines, place, package) in packages(judge) {
        if package.descriptor.as_ref().is_err_and(|fault| *fault == PackageFault::Missing) {
            judge.on_machines(
                &PACKAGE_MISSING,
                &machines,
                place,
                format!("There is no file {}.", package.path),
                "write the package's path relative to the sheet's folder, or put the package there",
            );
        }
    }
}

fn check_out_of_reach(judge: &mut Judge<'_>) {
    let fix = "mount the drive, or download the files, and check again; or correct the path, which is relative to \
        the sheet's folder";
    for (machines, place, package) in packages(judge) {
        if let Err(PackageFault::OutOfReach(reason)) = &package.descriptor {
            let message =
                format!("{} was not checked, and neither were its answers: {reason}.", package.path);
            judge.on_machines(&PACKAGE_NOT_LOOKED_AT, &machines, place, message, fix);
        }
    }
    for (machines, place, file) in meanings(judge) {
        if let Err(MeaningsFault::OutOfReach(reason)) = &file.content {
            let message = format!("{} was not checked: {reason}.", file.path);
            judge.on_machines(&PACKAGE_NOT_LOOKED_AT, &machines, place, message, fix);
        }
    }
}

fn check_unreadable(judge: &mut Judge<'_>) {
    for (machines, place, package) in packages(judge) {
        if let Err(PackageFault::Unreadable(reason)) = &package.descriptor {
            judge.on_machines(
                &PACKAGE_UNREADABLE,
                &machines,
                place,
                format!("{} cannot be used as a package: {reason}.", package.path),
                "name an OVA archive or an OVF descriptor, or download the package again",
            );
        }
    }
}

/// Reports the files of each package that are in a state, in one finding a package.
fn report_files(
    judge: &mut Judge<'_>,
    rule: &'static Rule,
    state: FileState,
    message: impl Fn(&PackageFile) -> String,
    fix: &str,
) {
    for (machines, place, package) in packages(judge) {
        let mut files = package.files.iter().filter(|file| file.state == state);
        let Some(first) = files.next() else { continue };
        let others = match files.count() {
            0 => String::new(),
            1 => "; the same for 1 more file".to_owned(),
            count => format!("; the same for {count} more files"),
        };
        judge.on_machines(
            rule,
            &machines,
            place,
            format!("{}: {}{others}.", package.path, message(first)),
            fix,
        );
    }
}

fn check_files_missing(judge: &mut Judge<'_>) {
    report_files(
        judge,
        &PACKAGE_FILE_MISSING,
        FileState::Missing,
        |file| format!("its file {} is missing", file.name),
        "copy the package again, with all its files",
    );
    for (machines, place, package) in packages(judge) {
        let Ok(descriptor) = &package.descriptor else { continue };
        let unknown =
            descriptor.disks.iter().filter_map(|disk| Some((&disk.id, disk.unknown_file.as_ref()?)));
        for (disk, file) in unknown {
            judge.on_machines(
                &PACKAGE_FILE_MISSING,
                &machines,
                place,
                format!(
                    "{}: disk {disk} refers to the file {file}, which the References section does not have.",
                    package.path
                ),
                "download the package again, or ask the vendor for a correct one",
            );
        }
    }
}

fn check_sizes(judge: &mut Judge<'_>) {
    let amount = |size: Option<u64>| match size.unwrap_or_default() {
        size @ 0..1024 => format!("{size} bytes"),
        size => format!("{size} bytes ({})", ByteSize(size)),
    };
    report_files(
        judge,
        &PACKAGE_FILE_SIZE,
        FileState::WrongSize,
        |file| {
            let (there, stated) = (amount(file.size), amount(file.stated_size));
            format!("its file {} has {there}, but the descriptor says {stated}", file.name)
        },
        "download the package again",
    );
}

fn check_digests(judge: &mut Judge<'_>) {
    report_files(
        judge,
        &PACKAGE_DIGEST_MISMATCH,
        FileState::WrongDigest,
        |file| {
            let algorithm = file.digest.as_ref().map_or("digest", |(algorithm, _)| algorithm.word());
            format!("the {algorithm} of its file {} is not the one in the manifest", file.name)
        },
        "download the package again; do not edit a descriptor by hand",
    );
}

fn check_not_read(judge: &mut Judge<'_>) {
    for (machines, place, package) in packages(judge) {
        let unread: Vec<_> =
            package.files.iter().filter(|file| file.state == FileState::NotChecked).collect();
        let [first, others @ ..] = unread.as_slice() else { continue };
        let size: u64 = unread.iter().filter_map(|file| file.size).sum();
        let which = match others.len() {
            0 => format!("{} was", first.name),
            1 => format!("{} and 1 more file were", first.name),
            more => format!("{} and {more} more files were", first.name),
        };
        judge.on_machines(
            &PACKAGE_FILES_NOT_READ,
            &machines,
            place,
            format!("{}: {which} not checked against the manifest ({}).", package.path, ByteSize(size)),
            format!("run `impostazione inspect {}`, which reads them", package.path),
        );
    }
}

fn check_digests_missing(judge: &mut Judge<'_>) {
    for (machines, place, package) in packages(judge) {
        // A lone descriptor stands for itself, and a package with worse has its finding.
        let has_worse = package.bad_files().next().is_some() || !package.unsafe_files.is_empty();
        if has_worse || package.files.len() < 2 {
            continue;
        }
        let message = match &package.manifest {
            None => {
                format!("{} has no manifest, so nobody can tell whether its files are intact.", package.path)
            }
            Some(manifest) => {
                let without = package.files.iter().find(|file| file.state == FileState::NoDigest);
                match (manifest.faults.first(), without) {
                    (Some(fault), _) => {
                        format!("{}: its manifest cannot be read in full: {fault}.", package.path)
                    }
                    (None, Some(file)) => {
                        format!("{}: its manifest has no digest of {}.", package.path, file.name)
                    }
                    (None, None) => continue,
                }
            }
        };
        judge.on_machines(
            &PACKAGE_DIGEST_MISSING,
            &machines,
            place,
            message,
            "put the package's manifest next to its descriptor, or ask the vendor for one",
        );
    }
}

fn check_signature(judge: &mut Judge<'_>) {
    for (machines, place, package) in packages(judge) {
        let reason = match &package.signature {
            Some(Err(reason)) => reason,
            Some(Ok(signature)) => match &signature.is_valid {
                Err(reason) => reason,
                Ok(()) => continue,
            },
            None => continue,
        };
        judge.on_machines(
            &PACKAGE_SIGNATURE_INVALID,
            &machines,
            place,
            format!("{} is signed, but the signature is not valid: {reason}.", package.path),
            "download the package again from its vendor",
        );
    }
}

fn check_paths(judge: &mut Judge<'_>) {
    for (machines, place, package) in packages(judge) {
        for (name, why) in package.unsafe_files.iter().take(3) {
            judge.on_machines(
                &PACKAGE_PATH_UNSAFE,
                &machines,
                place,
                format!("{} has a file \"{name}\" that is not used: {why}.", package.path),
                "use a package whose files are in its archive, or next to its descriptor",
            );
        }
    }
}

fn check_meanings(judge: &mut Judge<'_>) {
    for (machines, place, file) in meanings(judge) {
        if let Err(MeaningsFault::Unreadable(reason)) = &file.content {
            judge.on_machines(
                &MEANINGS_UNREADABLE,
                &machines,
                place,
                format!("{} cannot be used as a meanings file: {reason}.", file.path),
                "correct the file, or make a new one with inspect --save-meanings",
            );
        }
    }
}

fn check_outdated(judge: &mut Judge<'_>) {
    let site = judge.site;
    for (machines, place, file) in meanings(judge) {
        let Ok(content) = &file.content else { continue };
        let Some(system) = machines
            .first()
            .and_then(|machine| machine.appliance())
            .and_then(|appliance| site.system_of(appliance))
        else {
            continue;
        };
        // A file of facts alone says nothing of properties.
        let properties = if content.property.is_empty() { &[][..] } else { &system.properties };
        let changes = content.changes(&system.product, properties);
        if changes.is_empty() {
            continue;
        }
        let more = changes.len().checked_sub(7).map(|rest| format!("and {} more changes", rest + 1));
        let listed: Vec<&str> = changes.iter().take(6).map(String::as_str).chain(more.as_deref()).collect();
        let listed = listed.join("; ");
        judge.on_machines(
            &MEANINGS_OUTDATED,
            &machines,
            place,
            format!("{} does not match this package: {listed}.", file.path),
            "check the changes and update the file, or make a new one with inspect --save-meanings",
        );
    }
}
