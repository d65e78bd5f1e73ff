//! `renumber`

use std::collections::BTreeSet;
use std::fmt::Write as _;
use std::net::IpAddr;
use std::path::PathBuf;

use impostazione_core::edit::{Moved, NotMoved, Renumbering, renumber};
use impostazione_core::finding::Finding;
use impostazione_core::machine::{Link, Machine, Site};
use impostazione_net::{Family, PrefixFault, parse_prefix};
use impostazione_secret::NotAsked;
use impostazione_text::files::Folder;
use ipnet::IpNet;
use serde::Serialize;

use super::json;
use crate::args::{Format, RenumberArguments};
use crate::edited_files::EditedFile;
use crate::exit::{Exit, Failure};
use crate::question::Decision;
use crate::renumber_record::RenumberRecord;
use crate::sheet_file::{read_sheet, today};
use crate::terminal::{self, count, harmless};

/// The most names that are listed.
const NAMES_SHOWN: usize = 12;

/// The same for other programs.
#[derive(Serialize)]
struct JsonReport<'a> {
    subnet: &'a str,
    /// The prefix that it had.
    from: IpNet,
    /// The prefix that it gets.
    to: IpNet,
    /// `changed`, `tried` or `declined`.
    state: &'static str,
    /// What is written in place of what.
    changes: Vec<JsonChange<'a>>,
    /// Where addresses of the old prefix stay, in remarks and in parts of something longer.
    left: Vec<JsonLeft<'a>>,
    /// The machines that get another address.
    machines: &'a [String],
}

/// The same where nothing can be changed.
#[derive(Serialize)]
struct JsonRefusal<'a> {
    subnet: &'a str,
    to: &'a str,
    /// `refused`, or `unchanged` where the subnet has the prefix already.
    state: &'static str,
    /// Why, with the place where there is one.
    reasons: Vec<String>,
}

#[derive(Serialize)]
struct JsonChange<'a> {
    file: &'a str,
    line: usize,
    column: usize,
    from: &'a str,
    to: &'a str,
}

#[derive(Serialize)]
struct JsonLeft<'a> {
    /// File and line.
    at: &'a str,
    address: IpAddr,
}

fn print_report(
    found: &Renumbering,
    arguments: &RenumberArguments,
    new: IpNet,
    decision: Decision,
) -> Result<(), Failure> {
    let parts = found.texts.iter().flat_map(|text| &text.parts);
    let changes = parts.map(|part| JsonChange {
        file: &part.file,
        line: part.line,
        column: part.column,
        from: &part.from,
        to: &part.to,
    });
    json::print(&JsonReport {
        subnet: &arguments.subnet,
        from: found.old,
        to: new,
        state: decision.word("changed"),
        changes: changes.collect(),
        left: found.left.iter().map(|(at, address)| JsonLeft { at, address: *address }).collect(),
        machines: &found.machines,
    })
}

pub(crate) fn run(arguments: &RenumberArguments, quiet: bool) -> Result<Exit, Failure> {
    let new = prefix(&arguments.to)?;
    arguments.change.refuse_to_ask(arguments.format)?;
    let is_json = arguments.format == Format::Json;
    if let Some(record) = RenumberRecord::beside(&arguments.sheet)? {
        return finish(record, arguments, new);
    }
    let (name, bytes) = read_sheet(&arguments.sheet)?;
    let text = String::from_utf8(bytes)
        .map_err(|_| Failure::Files(format!("{name} is not UTF-8 text; save it as UTF-8 first")))?;
    let sheet = Moved {
        name: &name,
        text: text.strip_prefix('\u{feff}').unwrap_or(&text),
        named_files: &Folder::of_file(&arguments.sheet),
        // What is moved needs no secret.
        secrets: &NotAsked,
        today: today(),
    };
    let found = match renumber(&sheet, &arguments.subnet, new) {
        Ok(found) => found,
        Err(reason) => return explain(reason, arguments, &name),
    };
    let shown = shown(&found, arguments);
    let files = found.texts.len();
    let values: usize = found.texts.iter().map(|text| text.parts.len()).sum();
    let what = format!("{} in {}", count(values, "value", "values"), count(files, "file", "files"));
    if !is_json && (!quiet || !arguments.change.yes) {
        terminal::tell(&shown);
    }
    let question = format!("Move subnet {} from {} to {new}: change {what}?", arguments.subnet, found.old);
    let decision = arguments.change.decide(&question)?;
    match decision {
        Decision::Go => {
            let edited = edited_files(&found);
            RenumberRecord::carry_out(&arguments.sheet, &arguments.subnet, new.to_string(), &edited)?;
            if is_json {
                print_report(&found, arguments, new, decision)?;
            } else if !quiet {
                let subnet = harmless(&arguments.subnet);
                terminal::print(&format!("{name}: subnet {subnet} is now {new}; {what} changed\n"))?;
            }
            Ok(Exit::Done)
        }
        Decision::DryRun => {
            if is_json {
                print_report(&found, arguments, new, decision)?;
            } else {
                terminal::tell(&format!("{name}: nothing was changed (--dry-run)\n"));
            }
            Ok(Exit::Done)
        }
        Decision::Declined => {
            terminal::say_unchanged(&name);
            Ok(Exit::ErrorsRemain)
        }
    }
}

/// Finishes a run that was interrupted, if it was the same.
fn finish(record: RenumberRecord, arguments: &RenumberArguments, new: IpNet) -> Result<Exit, Failure> {
    let name = arguments.sheet.display();
    let (subnet, prefix) = (record.content.subnet.clone(), record.content.prefix.clone());
    if (subnet.as_str(), prefix.as_str()) != (arguments.subnet.as_str(), new.to_string().as_str()) {
        return Err(Failure::Files(format!(
            "an earlier renumbering of {name} was interrupted; finish it first: impostazione renumber {name} {subnet} {prefix}"
        )));
    }
    if arguments.change.dry_run {
        terminal::tell(&format!(
            "{name}: this renumbering was interrupted; without --dry-run the command finishes it\n"
        ));
        return Ok(Exit::Done);
    }
    let done = record.finish()?;
    terminal::print(&format!(
        "{name}: this renumbering had been interrupted and is finished now; {} changed\n",
        count(done, "file", "files")
    ))?;
    Ok(Exit::Done)
}

/// The prefix on the command line.
fn prefix(text: &str) -> Result<IpNet, Failure> {
    let family = if text.contains(':') { Family::V6 } else { Family::V4 };
    parse_prefix(text, family).map_err(|fault| {
        Failure::CommandLine(match fault {
            PrefixFault::HostBits(network) => {
                format!("{} has bits behind its mask; write {network}", harmless(text))
            }
            PrefixFault::Spelling(usual) => format!("write {usual} instead of {}", harmless(text)),
            _ => format!(
                "{} is not a prefix: write an address and a mask, such as 10.64.50.0/24 or fd64:50::/64",
                harmless(text)
            ),
        })
    })
}

fn edited_files(found: &Renumbering) -> Vec<EditedFile> {
    let file = |text: &impostazione_text::EditedText| {
        let source = found.before.sources.get(text.source);
        EditedFile {
            path: PathBuf::from(source.name()),
            judged: source.text().to_owned(),
            text: text.text.clone(),
        }
    };
    found.texts.iter().map(file).collect()
}

/// What is changed, and what has to follow.
fn shown(found: &Renumbering, arguments: &RenumberArguments) -> String {
    let mut text = String::new();
    // Writing to a String does not fail.
    for part in found.texts.iter().flat_map(|text| &text.parts) {
        let (file, line, column) = (harmless(&part.file), part.line, part.column);
        let _ =
            writeln!(text, "{file}:{line}:{column}  {} becomes {}", harmless(&part.from), harmless(&part.to));
    }
    let left: Vec<String> =
        found.left.iter().map(|(place, address)| format!("  {}: {address}", harmless(place))).collect();
    if !left.is_empty() {
        let _ = writeln!(
            text,
            "\nNot changed, since the address is in a remark or a part of something longer; look at each:\n{}",
            left.join("\n")
        );
    }
    if let Some(gateway) = found.gateway_outside {
        let _ = writeln!(text, "\nNot changed: the gateway {gateway}, which is outside the prefix.");
    }
    let after = outside(&found.before.site, &found.machines, found.old);
    let _ = writeln!(text, "\nOutside the sheet, change these too:");
    for line in after {
        let options = terminal::wrapping(terminal::width()).initial_indent("  ").subsequent_indent("    ");
        let _ = writeln!(text, "{}", textwrap::fill(&line, options));
    }
    let new = new_warnings(found);
    if new > 0 {
        let _ = writeln!(
            text,
            "\nAfter that, `impostazione check {}` has {} more than now.",
            arguments.sheet.display(),
            count(new, "finding", "findings")
        );
    }
    text + "\n"
}

fn new_warnings(found: &Renumbering) -> usize {
    let standing = |findings: &[Finding]| findings.iter().filter(|finding| !finding.is_waived()).count();
    standing(&found.after.findings).saturating_sub(standing(&found.before.findings))
}

/// What knows the old addresses beside the sheet.
fn outside(site: &Site, moved: &[String], old: IpNet) -> Vec<String> {
    let names: BTreeSet<&str> = moved.iter().map(String::as_str).collect();
    let machines: Vec<&Machine> =
        site.machines.iter().filter(|machine| names.contains(machine.label())).collect();
    let list = |names: &[String]| -> String {
        let shown = names.iter().take(NAMES_SHOWN).map(|name| harmless(name)).collect::<Vec<_>>().join(", ");
        match names.len().saturating_sub(NAMES_SHOWN) {
            0 => shown,
            more => format!("{shown} and {more} more"),
        }
    };
    let mut lines = vec![format!("the router and firewalls: whatever has {old}, and the gateway's address")];
    if moved.is_empty() {
        return lines;
    }
    lines.push(format!("DNS: records of {}, and the reverse zone of {old}", list(moved)));
    let macs: Vec<String> = machines.iter().flat_map(|machine| macs_of_moved(machine, old)).collect();
    if !macs.is_empty() {
        lines.push(format!("DHCP: reservations for {}", list(&macs)));
    }
    let of_role = |is_host: bool| -> Vec<String> {
        let wanted = machines.iter().filter(|machine| machine.host().is_some() == is_host);
        wanted.map(|machine| machine.label().to_owned()).collect()
    };
    let (hosts, appliances) = (of_role(true), of_role(false));
    let has_key =
        machines.iter().any(|machine| machine.host().is_some() && machine.settings.ssh.has_made_key());
    if has_key {
        lines.push(
            "known_hosts and site/ssh_config of administrators: render again, and hand out the new ones"
                .to_owned(),
        );
    }
    if !hosts.is_empty() {
        lines.push(format!(
            "cards and hosts that have the old addresses: place the new output on {}",
            list(&hosts)
        ));
    }
    if !appliances.is_empty() {
        lines.push(format!("appliances that are deployed: set the new values on {}", list(&appliances)));
    }
    lines
}

/// The MAC addresses of the links of a machine that get another address, and of what these are made of.
fn macs_of_moved(machine: &Machine, old: IpNet) -> Vec<String> {
    let is_moved = |link: &&Link| link.addresses().any(|own| old.contains(&own.address.value));
    let members = |link: &Link| -> Vec<String> {
        let named = link.members().iter().filter_map(|member| machine.link_named(&member.value));
        std::iter::once(link.mac())
            .chain(named.map(Link::mac))
            .flatten()
            .map(|mac| mac.value.to_string())
            .collect()
    };
    machine.links.iter().filter(is_moved).flat_map(members).collect()
}

/// Says why nothing is changed.
fn explain(reason: NotMoved, arguments: &RenumberArguments, name: &str) -> Result<Exit, Failure> {
    if arguments.format == Format::Text {
        return explain_in_words(reason, arguments, name);
    }
    let (state, reasons) = match reason {
        NotMoved::Already => ("unchanged", Vec::new()),
        NotMoved::NotWhole => ("refused", vec![format!("{name} cannot be read in full")]),
        NotMoved::Texts(texts) => {
            ("refused", texts.into_iter().map(|(at, what)| format!("{at}: {what}")).collect())
        }
        NotMoved::Errors(after, errors) => {
            let at = |error: &Finding| after.sources.in_words(error.place);
            ("refused", errors.iter().map(|error| format!("{}: {}", at(error), error.message)).collect())
        }
        other @ (NotMoved::NoSubnet(_) | NotMoved::NoPrefix(_)) => {
            return explain_in_words(other, arguments, name);
        }
    };
    json::print(&JsonRefusal { subnet: &arguments.subnet, to: &arguments.to, state, reasons })?;
    Ok(if state == "unchanged" { Exit::Done } else { Exit::ErrorsRemain })
}

fn explain_in_words(reason: NotMoved, arguments: &RenumberArguments, name: &str) -> Result<Exit, Failure> {
    let subnet = harmless(&arguments.subnet);
    let message = match reason {
        NotMoved::NotWhole => {
            format!(
                "{name} cannot be read in full; nothing was changed: `impostazione check {name}` shows why"
            )
        }
        NotMoved::NoSubnet(names) if names.is_empty() => {
            return Err(Failure::CommandLine(format!("{name} has no subnet")));
        }
        NotMoved::NoSubnet(names) => {
            let known: Vec<String> = names.iter().map(|name| harmless(name)).collect();
            return Err(Failure::CommandLine(format!(
                "{name} has no subnet {subnet}; it has: {}",
                known.join(", ")
            )));
        }
        NotMoved::NoPrefix(family) => {
            let key = if family == Family::V4 { "prefix" } else { "prefix6" };
            return Err(Failure::CommandLine(format!(
                "subnet {subnet} has no {} prefix to move; write {key} in the sheet",
                family.name()
            )));
        }
        NotMoved::Already => {
            terminal::tell(&format!(
                "{name}: subnet {subnet} already has this prefix; nothing was changed\n"
            ));
            return Ok(Exit::Done);
        }
        NotMoved::Texts(texts) => {
            for (place, what) in &texts {
                terminal::tell(&format!("{}: {}\n", harmless(place), harmless(what)));
            }
            format!(
                "nothing was changed: correct {} above by hand first",
                count(texts.len(), "line", "lines")
            )
        }
        NotMoved::Errors(after, errors) => {
            let shown = terminal::show_findings(
                errors.iter(),
                &after.sources,
                terminal::WHOLE_SHEET,
                terminal::width(),
            );
            terminal::tell(&shown);
            format!(
                "nothing was changed: with this prefix the sheet would have {} that it does not have now",
                count(errors.len(), "error", "errors")
            )
        }
    };
    terminal::say_error(&message);
    Ok(Exit::ErrorsRemain)
}
