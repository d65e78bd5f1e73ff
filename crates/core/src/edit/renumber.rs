//! A subnet moves to another prefix: in the sheet itself, in the files that it includes, and in rows.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::net::IpAddr;
use std::path::Path;

use impostazione_net::{Family, parse_address};
use impostazione_secret::SecretSources;
use impostazione_text::files::{NamedFiles, Overlaid};
use impostazione_text::{EditedText, Place, Source, SourceForm, SourceId, Sources, edited};
use ipnet::IpNet;
use jiff::civil::Date;

use super::moving::Move;
use crate::assess::{Assessment, assess_with};
use crate::finding::Finding;
use crate::machine::{AnswerSource, Link, Machine, Site, SubnetFamily, Toward};
use crate::sheet::{AddressText, AddressTextKind, address_texts, read_all};

/// A sheet, and where what it names comes from.
pub struct Moved<'a> {
    /// What messages call the sheet: its path.
    pub name: &'a str,
    /// Its text.
    pub text: &'a str,
    /// The files beside it.
    pub named_files: &'a dyn NamedFiles,
    /// Where secrets come from.
    pub secrets: &'a dyn SecretSources,
    /// The day by which waivers are counted.
    pub today: Date,
}

/// What a move changes.
#[derive(Debug)]
pub struct Renumbering {
    /// The prefix that the subnet had.
    pub old: IpNet,
    /// The texts that change.
    pub texts: Vec<EditedText>,
    /// The sheet as it was.
    pub before: Assessment,
    /// The sheet as it will be.
    pub after: Assessment,
    /// Where addresses of the old prefix are still written, since they are a part of something longer: file and line, with
    /// the address.
    pub left: Vec<(String, IpAddr)>,
    /// A gateway of the subnet that is outside the prefix, and stays.
    pub gateway_outside: Option<IpAddr>,
    /// The machines that get another address, by name, in the order of the sheet.
    pub machines: Vec<String>,
}

/// Why nothing is changed.
#[derive(Debug)]
pub enum NotMoved {
    /// The sheet cannot be read in full.
    NotWhole,
    /// It has no such subnet; these it has.
    NoSubnet(Vec<String>),
    /// The subnet has no prefix of that family.
    NoPrefix(Family),
    /// The subnet has that prefix already.
    Already,
    /// Something has to be changed by hand first: file and line, and what is wrong.
    Texts(Vec<(String, String)>),
    /// The sheet would have these errors, which it has not now.
    Errors(Box<Assessment>, Vec<Finding>),
}

/// Finds out what changes when a subnet moves to another prefix. Addresses keep their host numbers. Nothing is written.
pub fn renumber(sheet: &Moved<'_>, subnet: &str, new: IpNet) -> Result<Renumbering, NotMoved> {
    let assess = |text: &str, files: &dyn NamedFiles| {
        assess_with(sheet.name, text.as_bytes().to_vec(), files, sheet.secrets, sheet.today)
    };
    let before = assess(sheet.text, sheet.named_files);
    if !before.is_whole {
        return Err(NotMoved::NotWhole);
    }
    let family = Family::of(new.addr());
    let names = || before.site.subnets.iter().map(|subnet| subnet.name.value.clone()).collect();
    let index = before.site.subnets.iter().position(|known| known.name.value == subnet);
    let index = index.ok_or_else(|| NotMoved::NoSubnet(names()))?;
    let side = before.site.subnets[index].family(family).ok_or(NotMoved::NoPrefix(family))?;
    let step = Move { old: side.prefix.value, new };
    if step.old == step.new {
        return Err(NotMoved::Already);
    }
    let gateway_outside = gateway_outside(side);
    let texts = edited(&before.sources, &wanted(sheet, &before.sources, subnet, step)?);
    let name_of = |text: &EditedText| before.sources.get(text.source).name().to_owned();
    let first = texts.iter().find(|text| text.source == SourceId::default());
    let text = first.map_or(sheet.text, |edited| edited.text.as_str()).to_owned();
    let changed = texts.iter().map(|text| (name_of(text), text.text.clone().into_bytes()));
    let folder = Path::new(sheet.name).parent().unwrap_or_else(|| Path::new(""));
    let after = assess(&text, &Overlaid::new(sheet.named_files, folder, changed));
    let astray = astray(&before, &after, index, step);
    if !astray.is_empty() {
        return Err(NotMoved::Texts(astray));
    }
    let errors = new_errors(&before, &after);
    if !errors.is_empty() {
        return Err(NotMoved::Errors(Box::new(after), errors));
    }
    let is_moved = |machine: &&Machine| {
        machine.links.iter().flat_map(Link::addresses).any(|own| step.old.contains(&own.address.value))
    };
    let machines = before.site.machines.iter().filter(is_moved).map(|machine| machine.label().to_owned());
    Ok(Renumbering {
        old: step.old,
        left: left(&after, step),
        machines: machines.collect(),
        gateway_outside,
        texts,
        before,
        after,
    })
}

fn gateway_outside(side: &SubnetFamily) -> Option<IpAddr> {
    let gateway = side.gateway_address()?.value;
    (!side.prefix.value.contains(&gateway)).then_some(gateway)
}

/// The texts that have to be others, by the parts of which they take the place.
fn wanted(
    sheet: &Moved<'_>,
    sources: &Sources,
    subnet: &str,
    step: Move,
) -> Result<BTreeMap<Place, String>, NotMoved> {
    let mut again = Sources::default();
    let id = again.add(Source::new(sheet.name, sheet.text));
    let (written, _) = read_all(id, &mut again, sheet.named_files);
    let mut wanted = BTreeMap::new();
    let mut wrong = Vec::new();
    for AddressText { place, text, kind } in address_texts(&written, sources) {
        let moved = match kind {
            AddressTextKind::SubnetPrefix(name) if name != subnet => None,
            AddressTextKind::SubnetPrefix(_) | AddressTextKind::Destination => step.network_text(&text),
            AddressTextKind::Range => step.range_text(&text),
            AddressTextKind::Address | AddressTextKind::Server | AddressTextKind::Answer => {
                step.address_text(&text)
            }
        };
        let Some(moved) = moved else { continue };
        let put = moved.and_then(|moved| {
            if moved == text { Ok(None) } else { in_place(sources, place, &text, &moved).map(Some) }
        });
        match put {
            Ok(None) => {}
            Ok(Some(put)) => {
                wanted.insert(place, put);
            }
            Err(reason) => wrong.push((at(sources, place), format!("{text} {reason}"))),
        }
    }
    if wrong.is_empty() { Ok(wanted) } else { Err(NotMoved::Texts(wrong)) }
}

/// A file and a line of it.
fn at(sources: &Sources, place: Place) -> String {
    format!("{}:{}", sources.get(place.source).name(), sources.position(place).line)
}

/// A value as it is written in the place of another: with its quotes, if it has some.
fn in_place(sources: &Sources, place: Place, from: &str, to: &str) -> Result<String, String> {
    let source = sources.get(place.source);
    let raw = source.text().get(place.span.range()).unwrap_or_default();
    if source.form() == SourceForm::Foreign {
        return Err(format!("is in {}, which is not UTF-8 text: save it as UTF-8 first", source.name()));
    }
    for quote in ["\"", "'", ""] {
        if raw == format!("{quote}{from}{quote}") && (!quote.is_empty() || source.form() != SourceForm::Toml)
        {
            return Ok(format!("{quote}{to}{quote}"));
        }
    }
    Err("is written with escapes or in another way that cannot be kept: write it in plain quotes".to_owned())
}

/// A part of a site that holds an address.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Part {
    /// The prefix of the subnet that moves, and of the others.
    Prefix { is_moved: bool, prefix: IpNet },
    /// An address, and the length that is written with it.
    Address(IpAddr, Option<u8>),
    /// A network that something leads to.
    Network(IpNet),
}

/// Every part of a site that holds an address, in an order that a move does not change.
fn parts(site: &Site, moved: (usize, Family)) -> Vec<(Place, Part)> {
    let mut found = Vec::new();
    for (index, subnet) in site.subnets.iter().enumerate() {
        for family in Family::BOTH {
            let Some(side) = subnet.family(family) else { continue };
            let prefix = Part::Prefix { is_moved: (index, family) == moved, prefix: side.prefix.value };
            found.push((side.prefix.place, prefix));
            found.extend(side.gateway_address().map(|at| (at.place, Part::Address(at.value, None))));
        }
        for range in subnet.dhcp_ranges.iter().chain(&subnet.kept_free) {
            let ends = [range.value.first(), range.value.last()];
            found.extend(ends.map(|end| (range.place, Part::Address(end, None))));
        }
        let in_use = subnet.in_use.iter().map(|used| &used.address);
        found.extend(in_use.map(|used| (used.place, Part::Address(used.value, None))));
    }
    for cluster in &site.clusters {
        let own = cluster.addresses();
        found.extend(own.map(|own| (own.address.place, Part::Address(own.address.value, own.own_length))));
    }
    for machine in &site.machines {
        for link in &machine.links {
            let own = link.addresses();
            found
                .extend(own.map(|own| (own.address.place, Part::Address(own.address.value, own.own_length))));
            for route in link.routes() {
                found.push((route.to.place, Part::Network(route.to.value)));
                found.push((route.via.place, Part::Address(route.via.value, None)));
            }
        }
        let servers = machine.settings.servers();
        found.extend(servers.map(|server| (server.place, Part::Address(server.address, None))));
        for answer in machine.appliance().into_iter().flat_map(|appliance| &appliance.answers) {
            match answer.source.value() {
                Some(AnswerSource::Literal(text)) => {
                    let address = text.split('/').next().and_then(|text| parse_address(text, None).ok());
                    found.extend(address.map(|address| (answer.place, Part::Address(address, None))));
                }
                Some(AnswerSource::Take(take)) => {
                    let toward = take.toward.as_ref().and_then(|toward| match toward.value {
                        Toward::Prefix(prefix) => Some((toward.place, Part::Network(prefix))),
                        Toward::Subnet(_) | Toward::Machine(_) => None,
                    });
                    found.extend(toward);
                }
                Some(AnswerSource::Secret(_)) | None => {}
            }
        }
    }
    found
}

/// What is not where the move would bring it, with where it stands: the texts that were changed are not all.
fn astray(before: &Assessment, after: &Assessment, index: usize, step: Move) -> Vec<(String, String)> {
    let moved = (index, Family::of(step.old.addr()));
    let (old, new) = (parts(&before.site, moved), parts(&after.site, moved));
    let mut astray = Vec::new();
    let mut told = HashSet::new();
    for (position, (place, part)) in old.iter().enumerate() {
        let meant = match part {
            Part::Prefix { is_moved: true, .. } => Ok(Part::Prefix { is_moved: true, prefix: step.new }),
            Part::Prefix { .. } => Ok(part.clone()),
            Part::Address(address, length) => step.address(*address).map(|meant| {
                let is_whole = step.old.contains(address) && *length == Some(step.old.prefix_len());
                Part::Address(meant, if is_whole { Some(step.new.prefix_len()) } else { *length })
            }),
            Part::Network(network) => step.network(*network).map(Part::Network),
        };
        let found = new.get(position).map(|(_, part)| part);
        let shown = match part {
            Part::Prefix { prefix, .. } => prefix.to_string(),
            Part::Address(address, _) => address.to_string(),
            Part::Network(network) => network.to_string(),
        };
        let reason = match meant {
            Ok(meant) if found == Some(&meant) => continue,
            Ok(_) => "would not move with the subnet: write each address, or host numbers".to_owned(),
            Err(reason) => reason,
        };
        if told.insert(*place) {
            astray.push((at(&before.sources, *place), format!("{shown} {reason}")));
        }
    }
    astray
}

/// Errors that a sheet has after a change and had not before.
fn new_errors(before: &Assessment, after: &Assessment) -> Vec<Finding> {
    let key = |finding: &Finding| (finding.rule.name, finding.machine.clone(), finding.property.clone());
    let mut known: HashMap<_, usize> = HashMap::new();
    for finding in before.findings.iter().filter(|finding| finding.is_in_the_way()) {
        *known.entry(key(finding)).or_default() += 1;
    }
    let is_new = |finding: &&Finding| match known.get_mut(&key(finding)) {
        Some(count) if *count > 0 => {
            *count -= 1;
            false
        }
        _ => true,
    };
    after.findings.iter().filter(|finding| finding.is_in_the_way()).filter(is_new).cloned().collect()
}

/// Where addresses of the old prefix are still written, but for those that machines had before.
fn left(after: &Assessment, step: Move) -> Vec<(String, IpAddr)> {
    let links = after.site.machines.iter().flat_map(|machine| &machine.links);
    let given_up: HashSet<(SourceId, usize)> = links
        .filter_map(|link| Some(link.replaces.as_ref()?.place))
        .map(|place| (place.source, after.sources.position(place).line))
        .collect();
    let mut left = Vec::new();
    for (position, source) in after.sources.all().iter().enumerate() {
        let Some(id) = after.sources.id_at(position) else { continue };
        for (index, line) in source.text().lines().enumerate() {
            if given_up.contains(&(id, index + 1)) {
                continue;
            }
            let stays = |address: &IpAddr| step.old.contains(address) && !step.new.contains(address);
            if let Some(address) = addresses_in(line).into_iter().find(stays) {
                let span = source.line_span(index + 1);
                left.push((at(&after.sources, Place { source: id, span }), address));
            }
        }
    }
    left
}

/// The addresses in a line, also those with a port behind them, and the first one of a pattern.
fn addresses_in(line: &str) -> Vec<IpAddr> {
    let mut found = Vec::new();
    for word in line.split(|c: char| !(c.is_ascii_hexdigit() || matches!(c, '.' | ':'))) {
        let bare = word.trim_matches('.');
        // An IPv4 address has no colon in it, and an IPv6 address may have one behind it.
        let parts = if bare.contains('.') {
            bare.split(':').collect()
        } else {
            vec![bare, bare.trim_end_matches(':')]
        };
        for part in parts {
            let whole = part.trim_matches('.');
            found.extend(whole.parse::<IpAddr>().ok());
            // The part of a pattern before its braces.
            found.extend(format!("{whole}.0").parse::<IpAddr>().ok());
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_seen_wherever_they_stand_in_a_line() {
        let quay: IpNet = "10.64.10.0/24".parse().unwrap();
        let quay6: IpNet = "fd64:10::/64".parse().unwrap();
        let is_seen =
            |line: &str| addresses_in(line).iter().any(|seen| quay.contains(seen) || quay6.contains(seen));
        for line in [
            "\"http://10.64.10.5:3128\"",
            "\"27000@10.64.10.9\"",
            "# 10.64.10.9: the winch",
            "# the gulls are at 10.64.10.9.",
            "from=10.64.10.0/24",
            "\"http://10.64.10.{11..16}/\"",
            "\"[fd64:10::9]:22\"",
            "# fd64:10::9: the winch",
            "\"http://[fd64:10::{11..16}]/\"",
        ] {
            assert!(is_seen(line), "{line}");
        }
        for line in ["", "# 10.64.11.9", "version = \"2.10.64\"", "mac = \"02:64:10:00:00:21\"", "fd64:11::9"]
        {
            assert!(!is_seen(line), "{line}");
        }
    }
}
