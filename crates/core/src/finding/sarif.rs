//! Findings as a SARIF log (OASIS Static Analysis Results Interchange Format, version 2.1.0).

use std::fmt::Write as _;

use impostazione_text::{Place, Sources, capital};
use serde::Serialize;

use super::correction::Corrections;
use super::found::Finding;
use super::rule::Rule;
use super::severity::Severity;

/// A log of one run, for `serde`.
#[derive(Debug, Serialize)]
pub struct SarifLog<'a> {
    #[serde(rename = "$schema")]
    schema: &'static str,
    version: &'static str,
    runs: [Run<'a>; 1],
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct Run<'a> {
    tool: Tool,
    column_kind: &'static str,
    results: Vec<SarifResult<'a>>,
}

#[derive(Debug, Serialize)]
struct Tool {
    driver: Driver,
}

#[derive(Debug, Serialize)]
struct Driver {
    name: &'static str,
    version: &'static str,
    rules: Vec<Descriptor>,
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct Descriptor {
    id: &'static str,
    short_description: Message<String>,
    full_description: Message<&'static str>,
    help: Message<String>,
    default_configuration: Configuration,
}

#[derive(Debug, Serialize)]
struct Configuration {
    level: &'static str,
}

#[derive(Debug, Serialize)]
struct Message<T> {
    text: T,
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct SarifResult<'a> {
    rule_id: &'static str,
    rule_index: usize,
    level: &'static str,
    message: Message<String>,
    locations: [Location<'a>; 1],
    #[serde(skip_serializing_if = "Vec::is_empty")]
    suppressions: Vec<Suppression<'a>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    fixes: Vec<Fix>,
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct Location<'a> {
    physical_location: PhysicalLocation,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    logical_locations: Vec<LogicalLocation<'a>>,
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct PhysicalLocation {
    artifact_location: ArtifactLocation,
    region: Region,
}

#[derive(Clone, Debug, Serialize)]
struct ArtifactLocation {
    uri: String,
}

/// Lines and columns from 1; the end column is one past the last character.
#[derive(Clone, Copy, Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct Region {
    start_line: usize,
    start_column: usize,
    end_line: usize,
    end_column: usize,
}

#[derive(Debug, Serialize)]
struct LogicalLocation<'a> {
    name: &'a str,
}

#[derive(Debug, Serialize)]
struct Suppression<'a> {
    kind: &'static str,
    justification: &'a str,
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct Fix {
    description: Message<String>,
    artifact_changes: [ArtifactChange; 1],
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct ArtifactChange {
    artifact_location: ArtifactLocation,
    replacements: [Replacement; 1],
}

#[derive(Debug, Serialize)]
#[serde(rename_all = "camelCase")]
struct Replacement {
    deleted_region: Region,
    inserted_content: Message<String>,
}

impl<'a> SarifLog<'a> {
    /// Puts findings, with their positions looked up, into that shape. `rules` are those that were looked for. A waiver is a suppression, and the values that
    /// `check --fix` would write are fixes.
    pub fn new(
        rules: &[&'static Rule],
        sources: &Sources,
        findings: impl IntoIterator<Item = &'a Finding>,
        corrections: &Corrections,
    ) -> Self {
        let results =
            findings.into_iter().map(|finding| result(sources, rules, finding, corrections)).collect();
        let driver = Driver {
            name: "impostazione",
            version: env!("CARGO_PKG_VERSION"),
            rules: rules.iter().copied().map(descriptor).collect(),
        };
        Self {
            schema: "https://json.schemastore.org/sarif-2.1.0.json",
            version: "2.1.0",
            runs: [Run { tool: Tool { driver }, column_kind: "unicodeCodePoints", results }],
        }
    }
}

fn level(severity: Severity) -> &'static str {
    match severity {
        Severity::Error => "error",
        Severity::Warning => "warning",
        Severity::Note => "note",
    }
}

fn descriptor(rule: &'static Rule) -> Descriptor {
    Descriptor {
        id: rule.name,
        short_description: Message { text: format!("{}.", capital(rule.summary)) },
        full_description: Message { text: rule.explanation },
        help: Message { text: format!("Wrong:\n{}\nRight:\n{}", rule.wrong, rule.right) },
        default_configuration: Configuration { level: level(rule.severity) },
    }
}

fn result<'a>(
    sources: &Sources,
    known: &[&'static Rule],
    finding: &'a Finding,
    corrections: &Corrections,
) -> SarifResult<'a> {
    let region = region(sources, finding.place);
    let artifact = ArtifactLocation { uri: uri(sources.get(finding.place.source).name()) };
    let fixes = corrections.at(finding).into_iter().map(|meant| Fix {
        description: Message { text: format!("{}.", capital(&finding.fix)) },
        artifact_changes: [ArtifactChange {
            artifact_location: artifact.clone(),
            replacements: [Replacement {
                deleted_region: region,
                inserted_content: Message { text: meant.to_owned() },
            }],
        }],
    });
    SarifResult {
        rule_id: finding.rule.name,
        rule_index: known.iter().position(|rule| *rule == finding.rule).unwrap_or_default(),
        level: level(finding.severity()),
        message: Message { text: format!("{} Fix: {}.", finding.message, finding.fix) },
        suppressions: finding
            .waived_because
            .iter()
            .map(|reason| Suppression { kind: "external", justification: reason })
            .collect(),
        fixes: fixes.collect(),
        locations: [Location {
            physical_location: PhysicalLocation { artifact_location: artifact.clone(), region },
            logical_locations: finding.machine.iter().map(|name| LogicalLocation { name }).collect(),
        }],
    }
}

fn region(sources: &Sources, place: Place) -> Region {
    let source = sources.get(place.source);
    let (start, end) = (source.position(place.span.start()), source.position(place.span.end()));
    Region { start_line: start.line, start_column: start.column, end_line: end.line, end_column: end.column }
}

/// A path as a relative reference (RFC 3986, section 4.2): what such references do not take is encoded.
fn uri(path: &str) -> String {
    let mut uri = String::with_capacity(path.len());
    for byte in path.bytes() {
        if byte.is_ascii_alphanumeric() || b"-._~/".contains(&byte) {
            uri.push(char::from(byte));
        } else {
            // Writing to a String does not fail.
            let _ = write!(uri, "%{byte:02X}");
        }
    }
    uri
}
