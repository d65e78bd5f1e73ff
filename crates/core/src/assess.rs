//! From the bytes of a sheet to its site and its findings.

use std::collections::HashSet;

use impostazione_secret::{FilesOnly, SecretSources};
use impostazione_text::files::NamedFiles;
use impostazione_text::{Place, Source, SourceForm, Sources, Span};
use jiff::civil::Date;

use crate::appliance::{login_in_url, told_appliances};
use crate::finding::{Asked, Finding, Nature, Redaction, Rule, Severity, Summary};
use crate::machine::{Answer, AnswerSource, Machine, Purpose, Settings, Site, resolve};
use crate::rules::{self, Judge, ProvedSite};
use crate::sheet::WaiverEntry;
use crate::sheet::rules::form;
use crate::{catalog, machine, sheet};

/// A sheet that has been read and judged.
#[derive(Debug)]
pub struct Assessment {
    /// The texts that findings point into.
    pub sources: Sources,
    /// The site, as far as it could be read.
    pub site: Site,
    /// What is wrong, in the order of the places.
    pub findings: Vec<Finding>,
    /// Whether the sheet could be read in full: its TOML is right, and so are the names of its tables.
    pub is_whole: bool,
    /// What is set aside in writing.
    waivers: Vec<WaiverEntry>,
    /// The day by which that counts.
    today: Date,
}

impl Assessment {
    /// The site, for writers, unless an error was found.
    pub fn proved(&self) -> Option<ProvedSite<'_>> {
        ProvedSite::new(&self.site, &self.findings)
    }

    /// Whether a link is in a subnet that the sheet does not have, as in one that is a part of another sheet.
    pub fn lacks_subnets(&self) -> bool {
        self.findings.iter().any(|finding| *finding.rule == machine::rules::subnet::SUBNET_UNDEFINED)
    }

    /// Findings of what was seen of the network, as the sheet's own are: those about labs are less grave, and waivers count.
    /// `were_asked` says of a machine whether it was among those that were asked about, and `in_doubt` are rules of which something
    /// could not be looked at, so that their waivers are left alone.
    pub fn judge_observed(
        &self,
        mut findings: Vec<Finding>,
        when: Asked,
        in_doubt: &[&'static Rule],
        were_asked: &dyn Fn(&str) -> bool,
    ) -> Vec<Finding> {
        mark_those_in_labs(&self.site, &mut findings);
        let machines: Vec<&str> = self.site.machines.iter().map(Machine::label).collect();
        let observed = rules::Observed { when, machines: &machines, in_doubt, were_asked };
        rules::apply_waivers_of_observed(&self.waivers, self.today, catalog::all(), &observed, &mut findings);
        findings.sort_by_key(|finding| finding.place);
        findings
    }

    /// Counts of the findings.
    pub fn summary(&self) -> Summary {
        Summary::of(self.site.machines.len(), &self.findings)
    }
}

/// Reads and judges a sheet whose secrets come from files, if from anywhere; see [`assess_with`].
pub fn assess(name: &str, bytes: Vec<u8>, named_files: &dyn NamedFiles, today: Date) -> Assessment {
    assess_with(name, bytes, named_files, &FilesOnly, today)
}

/// Reads and judges a sheet. `name` is what messages call it; files that it names are read through `named_files`. Never
/// fails: whatever is wrong is among the findings. `today` decides which waivers still count, and nothing else.
/// The values of secrets that are no files come from `secrets`.
pub fn assess_with(
    name: &str,
    bytes: Vec<u8>,
    named_files: &dyn NamedFiles,
    secrets: &dyn SecretSources,
    today: Date,
) -> Assessment {
    let mut sources = Sources::default();
    let text = match decode(bytes) {
        Ok(text) => text,
        Err(fault) => {
            let offset = fault.readable.len();
            let length = fault.readable.len();
            let id = sources.add(Source::new(name, fault.readable));
            sources.mark_read(id, Some(0..length + 1));
            let place = Place { source: id, span: Span::new(offset, offset) };
            let finding =
                form::syntax(place, fault.message, "save the sheet as UTF-8 text").quoting_nothing();
            return Assessment {
                sources,
                site: Site::default(),
                findings: vec![finding],
                is_whole: false,
                waivers: Vec::new(),
                today,
            };
        }
    };
    let id = sources.add(Source::new(name, text));
    let (mut sheet, mut findings) = sheet::read_all(id, &mut sources, named_files);
    findings.extend(sheet::expand(&mut sheet, &mut sources, named_files));
    for place in std::mem::take(&mut sheet.hidden) {
        sources.mark_secret(place);
    }
    let is_whole = sheet.is_whole;
    let waivers = std::mem::take(&mut sheet.waivers);
    let (site, more) = resolve(sheet, name, named_files, secrets);
    findings.extend(one_for_each_row(more, &sources));
    for place in password_answers(&site) {
        sources.mark_secret(place);
    }
    let told = told_appliances(&site);
    let mut judge = Judge::new(&site, &told, &sources, findings).on_day(today);
    rules::run(&mut judge);
    let mut findings = judge.into_findings();
    if !is_whole {
        findings.retain(|finding| !finding.rule.about_absence);
    }
    let redaction = Redaction::new(&sources);
    for finding in &mut findings {
        redaction.apply(finding);
    }
    mark_those_in_labs(&site, &mut findings);
    let machines: Vec<&str> = site.machines.iter().map(crate::machine::Machine::label).collect();
    rules::apply_waivers(&waivers, today, catalog::all(), &machines, &mut findings);
    findings.sort_by_key(|finding| finding.place);
    Assessment { sources, site, findings, is_whole, waivers, today }
}

/// Puts one finding in the place of several errors in the same row of a CSV file, which usually have one cause.
fn one_for_each_row(findings: Vec<Finding>, sources: &Sources) -> Vec<Finding> {
    let is_in_row = |finding: &Finding| {
        sources.get(finding.place.source).form() != SourceForm::Toml
            && finding.severity() == Severity::Error
            && finding.nature() == Nature::Fault
            // What can be put right without a person stays apart.
            && finding.certain.is_none()
    };
    let (mut in_rows, mut kept): (Vec<Finding>, Vec<Finding>) = findings.into_iter().partition(is_in_row);
    let row = |finding: &Finding| {
        (finding.place.source, sources.position(finding.place).line, finding.machine.clone())
    };
    in_rows.sort_by_key(|finding| (row(finding), finding.place));
    for group in in_rows.chunk_by(|one, other| row(one) == row(other)) {
        // Two findings on one value are about one mistake.
        let values = group.chunk_by(|one, other| one.place == other.place).count();
        match sheet::rules::pattern::rows_values_malformed(group).filter(|_| values > 1) {
            Some(together) => kept.push(together),
            None => kept.extend(group.iter().cloned()),
        }
    }
    kept
}

/// Marks the findings about machines that are for a lab, and, where the whole site is, about the sheet.
fn mark_those_in_labs(site: &Site, findings: &mut [Finding]) {
    let is_lab = |settings: &Settings| settings.purpose() == Purpose::Lab;
    if findings.is_empty()
        || !(is_lab(&site.common) || site.machines.iter().any(|machine| is_lab(&machine.settings)))
    {
        return;
    }
    let in_lab: HashSet<&str> =
        site.machines.iter().filter(|machine| is_lab(&machine.settings)).map(Machine::label).collect();
    for finding in findings {
        finding.is_in_lab = match &finding.machine {
            Some(machine) => in_lab.contains(machine.as_str()),
            None => is_lab(&site.common),
        };
    }
}

/// Where values stand in the sheet that must not be shown.
fn password_answers(site: &Site) -> Vec<Place> {
    let in_sheet = site.secrets.iter().filter(|secret| secret.is_in_sheet());
    let mut places: Vec<Place> = in_sheet.map(|secret| secret.name.place).collect();
    for appliance in site.machines.iter().filter_map(Machine::appliance) {
        let has_login = |answer: &&Answer| matches!(answer.source.value(), Some(AnswerSource::Literal(text)) if login_in_url(text).is_some());
        places.extend(appliance.answers.iter().filter(has_login).map(|answer| answer.place));
        let Some(system) = site.system_of(appliance) else { continue };
        let is_password = |answer: &&Answer| {
            system.property(&answer.property.value).is_some_and(|property| property.is_password)
        };
        places.extend(appliance.answers.iter().filter(is_password).map(|answer| answer.place));
    }
    places
}

struct DecodeFault {
    readable: String,
    message: &'static str,
}

fn decode(bytes: Vec<u8>) -> Result<String, DecodeFault> {
    if bytes.starts_with(&[0xff, 0xfe]) || bytes.starts_with(&[0xfe, 0xff]) {
        return Err(DecodeFault { readable: String::new(), message: "The sheet is UTF-16 text." });
    }
    let text = String::from_utf8(bytes).map_err(|error| {
        let valid = error.utf8_error().valid_up_to();
        let readable =
            String::from_utf8_lossy(error.as_bytes().get(..valid).unwrap_or_default()).into_owned();
        DecodeFault {
            readable,
            message: "The sheet is not UTF-8 text: there is a byte here that UTF-8 does not allow.",
        }
    })?;
    // Editors may put a byte order mark before UTF-8, which is no part of the text. Positions then count without it.
    Ok(match text.strip_prefix('\u{feff}') {
        Some(rest) => rest.to_owned(),
        None => text,
    })
}
