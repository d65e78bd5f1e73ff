//! A package, for people: what it is, what it asks for, what it holds, and whether that is whole.

use std::fmt::Write as _;

use impostazione_ovf::{
    CERTAIN, PackageReport, Property, Reading, ReportedProperty, ReportedSignature, UNDERSTOOD,
};
use impostazione_text::ByteSize;
use impostazione_text::visible::harmless;

use super::table::{finished, new_table};
use super::theme::{BAD, STRONG};

/// The whole package.
pub(crate) fn show_package(path: &str, report: &PackageReport, width: usize) -> String {
    let mut text = String::new();
    // Writing to a String does not fail.
    let _ = writeln!(text, "{STRONG}{}{STRONG:#}\n", harmless(path));
    facts(&mut text, report);
    for (title, table) in [
        ("sizes", options_table(report, width)),
        ("networks", networks_table(report, width)),
        ("disks", disks_table(report, width)),
        ("properties", properties_table(report, width)),
        ("files", files_table(report, width)),
    ] {
        if let Some(table) = table {
            let _ = writeln!(text, "\n{STRONG}{title}{STRONG:#}\n{table}");
        }
    }
    faults(&mut text, report);
    text
}

fn facts(text: &mut String, report: &PackageReport) {
    let product = &report.product;
    let version = if product.full_version.is_empty() { &product.version } else { &product.full_version };
    let mut fact = |title: &str, value: String| {
        if !value.is_empty() {
            let _ = writeln!(text, "  {title:12} {}", harmless(&value));
        }
    };
    fact("product", format!("{} {version}", product.name).trim().to_owned());
    fact("vendor", product.vendor.clone());
    if let [only] = report.systems.as_slice() {
        let size = size_words(only.processors, only.memory_bytes);
        fact("machine", only.id.clone());
        fact("as it comes", size);
    } else {
        for system in &report.systems {
            let size = size_words(system.processors, system.memory_bytes);
            fact("machine", [system.id.clone(), size].join("  ").trim().to_owned());
        }
    }
    fact(
        "set up by",
        match report.transports.as_slice() {
            [] => "its console: the descriptor names no transport".to_owned(),
            transports => transports.join(", "),
        },
    );
    if !report.licenses.is_empty() {
        let count = report.licenses.len();
        let they =
            if count == 1 { "1, must be accepted".to_owned() } else { format!("{count}, must be accepted") };
        fact("licenses", format!("{they}; --licenses shows them"));
    }
    if let Some(signature) = &report.signature {
        fact("signed by", signature_words(signature));
    }
}

fn signature_words(signature: &ReportedSignature) -> String {
    if signature.subject.is_empty() {
        return "a certificate that cannot be read".to_owned();
    }
    let trust = match (signature.valid, signature.trusted) {
        (false, _) => "which is NOT valid",
        (true, None) => "not checked for trust: name the trusted certificates with --trust FILE",
        (true, Some(true)) => "trusted",
        (true, Some(false)) => "not trusted",
    };
    format!("{} (until {}), {trust}", signature.subject, signature.until)
}

fn size_words(processors: Option<u64>, memory: Option<u64>) -> String {
    let processors = processors.map(|count| match count {
        1 => "1 processor".to_owned(),
        count => format!("{count} processors"),
    });
    let memory = memory.map(|bytes| format!("{} of memory", ByteSize(bytes)));
    processors.into_iter().chain(memory).collect::<Vec<_>>().join(", ")
}

fn options_table(report: &PackageReport, width: usize) -> Option<String> {
    if report.deployment_options.is_empty() {
        return None;
    }
    let mut table = new_table(width);
    table.set_header(["option", "gives", "description"]);
    for option in &report.deployment_options {
        let several = option.systems.len() > 1;
        let gives = option.systems.iter().map(|size| {
            let words = size_words(size.processors, size.memory_bytes);
            if several { format!("{}: {words}", harmless(&size.system)) } else { words }
        });
        let says: Vec<&str> = [option.label.as_str(), option.description.as_str()]
            .into_iter()
            .filter(|text| !text.is_empty())
            .collect();
        let name = if option.default { format!("{} (default)", option.id) } else { option.id.clone() };
        table.add_row([harmless(&name), gives.collect::<Vec<_>>().join("\n"), harmless(&says.join(": "))]);
    }
    Some(finished(table))
}

fn networks_table(report: &PackageReport, width: usize) -> Option<String> {
    if report.networks.is_empty() {
        return None;
    }
    let mut table = new_table(width);
    table.set_header(["network", "description"]);
    for network in &report.networks {
        table.add_row([harmless(&network.name), harmless(&network.description)]);
    }
    Some(finished(table))
}

fn disks_table(report: &PackageReport, width: usize) -> Option<String> {
    if report.disks.is_empty() {
        return None;
    }
    let mut table = new_table(width);
    table.set_header(["disk", "capacity", "file", "file size"]);
    for disk in &report.disks {
        let size = |bytes: Option<u64>| {
            bytes.map_or_else(|| "unknown".to_owned(), |bytes| ByteSize(bytes).to_string())
        };
        let file = match (&disk.file, &disk.unknown_file) {
            (Some(file), _) => file.clone(),
            (None, Some(id)) => format!("UNKNOWN: no file {id} in the references"),
            (None, None) => "(empty)".to_owned(),
        };
        let compression = disk.compression.as_ref().map_or_else(String::new, |kind| format!(" ({kind})"));
        let file_size = if disk.file.is_some() { size(disk.file_bytes) } else { String::new() };
        table.add_row([
            harmless(&disk.id),
            size(disk.capacity_bytes),
            harmless(&format!("{file}{compression}")),
            file_size,
        ]);
    }
    Some(finished(table))
}

fn properties_table(report: &PackageReport, width: usize) -> Option<String> {
    if report.properties.is_empty() {
        return None;
    }
    let several = report.systems.len() > 1;
    let mut table = new_table(width);
    table.set_header(["property", "asks for", "type", "default", "meaning"]);
    for property in &report.properties {
        let id = match &property.system {
            Some(system) => format!("{}\n  of {system}", property.id),
            None if several => format!("{}\n  of all", property.id),
            None => property.id.clone(),
        };
        table.add_row([
            id.lines().map(super::screen::cell).collect::<Vec<_>>().join("\n"),
            super::screen::cell(asks(property)),
            kind_words(property),
            default_words(property),
            meaning_words(property),
        ]);
    }
    Some(finished(table))
}

fn asks(property: &ReportedProperty) -> &str {
    if property.label.is_empty() { &property.description } else { &property.label }
}

fn kind_words(property: &ReportedProperty) -> String {
    let kind = property.kind.split(['(', '[', '{']).next().unwrap_or_default();
    let mut words = if property.is_password { "password".to_owned() } else { kind.to_owned() };
    match (property.min_length, property.max_length) {
        (Some(least), Some(most)) => {
            let _ = write!(words, " {least} to {most}");
        }
        (Some(least), None) => {
            let _ = write!(words, " {least} or more");
        }
        (None, Some(most)) => {
            let _ = write!(words, " up to {most}");
        }
        (None, None) => {}
    }
    if !property.choices.is_empty() {
        let _ = write!(words, ": {}", property.choices.join(", "));
    }
    super::screen::cell(&words)
}

fn default_words(property: &ReportedProperty) -> String {
    let mut words = match &property.default {
        None if property.is_password => "(not shown)".to_owned(),
        None => String::new(),
        Some(default) if default.is_empty() => "(empty)".to_owned(),
        Some(default) => super::screen::cell(default),
    };
    for other in &property.option_defaults {
        let _ =
            write!(words, "\n{}: {}", super::screen::cell(&other.option), super::screen::cell(&other.value));
    }
    words
}

fn meaning_words(property: &ReportedProperty) -> String {
    if !property.settable {
        return "(the package's own)".to_owned();
    }
    let mut words = property.meaning.to_owned();
    if property.meaning == "other" {
        return if property.confidence < UNDERSTOOD { "not understood".to_owned() } else { words };
    }
    let about = property.link.iter().chain(&property.account).cloned();
    let nth = property
        .position
        .filter(|_| !property.meaning.ends_with(char::is_numeric))
        .map(|nth| format!("no. {nth}"));
    let about: Vec<String> = about.chain(nth).collect();
    if !about.is_empty() {
        let _ = write!(words, " ({})", about.join(", "));
    }
    if property.confidence < CERTAIN {
        let _ = write!(words, ", unsure {:.2}", property.confidence);
    } else if property.confidence < 1.0 {
        let _ = write!(words, " {:.2}", property.confidence);
    }
    harmless(&words)
}

fn files_table(report: &PackageReport, width: usize) -> Option<String> {
    if report.files.is_empty() {
        return None;
    }
    let mut table = new_table(width);
    table.set_header(["file", "size", "state"]);
    for file in &report.files {
        let size = match (file.size_bytes, file.stated_bytes) {
            (Some(there), Some(stated)) if there != stated => format!("{there} bytes, not {stated}"),
            (Some(there), _) => ByteSize(there).to_string(),
            (None, _) => String::new(),
        };
        table.add_row([harmless(&file.name), size, state_words(file.state).to_owned()]);
    }
    Some(finished(table))
}

fn state_words(state: &'static str) -> &'static str {
    match state {
        "ok" => "intact",
        "missing" => "MISSING",
        "wrong-size" => "WRONG SIZE",
        "wrong-digest" => "DAMAGED OR CHANGED",
        "no-digest" => "present, no digest",
        "not-listed" => "not in the descriptor",
        "not-checked" => "present, digest not checked",
        other => other,
    }
}

/// What is wrong with the package as a whole, or that nothing is.
fn faults(text: &mut String, report: &PackageReport) {
    let count = |state: &str| report.files.iter().filter(|file| file.state == state).count();
    let mut faults = Vec::new();
    for (state, one, more) in [
        ("missing", "1 file is missing", "files are missing"),
        ("wrong-size", "1 file has the wrong size", "files have the wrong size"),
        ("wrong-digest", "1 file is damaged or changed", "files are damaged or changed"),
    ] {
        match count(state) {
            0 => {}
            1 => faults.push(one.to_owned()),
            many => faults.push(format!("{many} {more}")),
        }
    }
    faults.extend(report.unsafe_files.iter().map(|file| format!("{} is not used: {}", file.name, file.why)));
    if let Some(signature) = &report.signature
        && let Some(why) = &signature.why
    {
        faults.push(format!("the signature: {why}"));
    }
    let notes = report.manifest_faults.iter().map(|fault| format!("the manifest, {}", fault.message));
    let notes = notes.chain(report.notes.iter().map(|note| note.message.clone()));
    text.push('\n');
    for note in notes {
        let _ = writeln!(text, "note: {}", harmless(&note));
    }
    for fault in &faults {
        let _ = writeln!(text, "{BAD}{}{BAD:#}", harmless(fault));
    }
    if !faults.is_empty() {
        let _ = writeln!(
            text,
            "fix: do not deploy it; download the package again from its vendor, with all its files"
        );
    }
    if faults.is_empty() {
        let unchecked = count("not-checked");
        let bare = count("no-digest");
        let end = match (unchecked, bare) {
            (0, 0) => "all files are intact".to_owned(),
            (0, _) => {
                format!("all files are present; {} without a digest", super::counts::count(bare, "is", "are"))
            }
            (_, _) => {
                format!(
                    "all files are present; {} not checked",
                    super::counts::count(unchecked, "was", "were")
                )
            }
        };
        let _ = writeln!(text, "{end}");
    }
}

/// What led to a property's meaning.
pub(crate) fn show_why(property: &Property, reading: &Reading) -> String {
    let mut text = String::new();
    let _ = writeln!(text, "{STRONG}{}{STRONG:#}", harmless(&property.id()));
    for (title, value) in [
        ("label", &property.label),
        ("description", &property.description),
        ("category", &property.category),
        ("type", &property.written_kind),
    ] {
        if !value.is_empty() {
            let _ = writeln!(text, "  {title:12} {}", harmless(value));
        }
    }
    if let Some(default) = property.base_default.as_ref().filter(|_| !property.is_password) {
        let _ = writeln!(
            text,
            "  {:12} {}",
            "default",
            if default.is_empty() { "(empty)".to_owned() } else { harmless(default) }
        );
    }
    let _ = writeln!(text, "\n  {:12} {} ({:.2})", "meaning", reading.meaning, reading.confidence);
    if let Some(link) = &reading.link {
        let _ = writeln!(text, "  {:12} {}", "link", harmless(&link.to_string()));
    }
    if let Some(account) = &reading.account {
        let _ = writeln!(text, "  {:12} {}", "account", harmless(account));
    }
    if let Some(position) = reading.position {
        let _ = writeln!(text, "  {:12} {position}", "position");
    }
    text.push('\n');
    if reading.is_reviewed {
        let _ = writeln!(text, "  it is in the meanings file");
    } else if !property.is_settable {
        let _ = writeln!(text, "  it is the package's own: users cannot set it");
    } else if !reading.is_understood() {
        let _ = writeln!(
            text,
            "  nothing in its text was understood: say in the sheet or a meanings file what it asks for"
        );
    } else if reading.signs.is_empty() {
        let _ = writeln!(text, "  nothing in its text points to another meaning");
    }
    for sign in &reading.signs {
        let _ = writeln!(text, "  {:.2}  {}: {}", sign.after, sign.meaning, harmless(&sign.text));
    }
    text
}
