//! A report of `probe` that was kept in a file, read again.

use serde::Deserialize;

/// The form of reports that this program reads.
const FORMAT: u32 = 1;
/// What such a file has among its first keys.
const SIGN: [&str; 2] = ["\"asked_at\"", "\"took_seconds\""];

/// The largest file that is read as a report.
pub const KEPT_REPORT_LIMIT: u64 = 256 * 1024 * 1024;

/// A report of `probe before` or `probe after`.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct KeptReport {
    format: u32,
    /// `before` or `after`.
    pub when: String,
    /// When asking began; `None` where nothing was asked.
    pub asked_at: Option<String>,
    /// What each machine had come to.
    #[serde(default)]
    pub machines: Vec<KeptMachine>,
    /// What each virtual address had come to.
    #[serde(default)]
    pub virtual_addresses: Vec<KeptShared>,
    /// How much of each kind was right, before the first boot.
    #[serde(default)]
    pub asked: Vec<KeptCount>,
    /// Records that DNS lacked.
    #[serde(default)]
    pub records_to_add: Vec<KeptRecord>,
    /// What was wrong, or not looked at.
    pub findings: Vec<KeptFinding>,
}

/// What a machine had come to.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct KeptMachine {
    /// Its name.
    pub machine: String,
    /// How far it had come.
    pub state: String,
    /// Where it was met.
    pub address: Option<String>,
    /// The host key that it showed.
    pub host_key: Option<KeptDigest>,
    /// The certificate that it showed.
    pub certificate: Option<KeptDigest>,
    /// What was seen inside.
    #[serde(default)]
    pub inside: Vec<KeptInside>,
}

/// Something that is known by its digest.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct KeptDigest {
    /// The SHA-256 digest, as it was shown.
    pub sha256: String,
}

/// Something that was seen inside of a machine.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct KeptInside {
    /// What it is.
    pub about: String,
    /// Whether it was right.
    pub state: String,
    /// What was found.
    pub found: Vec<String>,
}

/// What a virtual address had come to.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct KeptShared {
    /// The cluster.
    pub cluster: String,
    /// The address.
    pub address: String,
    /// How far it had come.
    pub state: String,
}

/// How many things of a kind were right, wrong or not known.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct KeptCount {
    /// What was asked about.
    pub about: String,
    /// As the sheet says.
    pub right: usize,
    /// Otherwise.
    pub wrong: usize,
    /// Not known.
    pub unknown: usize,
}

/// A record that DNS lacked.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct KeptRecord {
    /// Whose.
    pub owner: String,
    /// Of which type.
    #[serde(rename = "type")]
    pub kind: String,
    /// Its value.
    pub value: String,
}

/// Something that was wrong, or not looked at.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct KeptFinding {
    /// The rule.
    pub rule: String,
    /// The machine; `None` where it was about all.
    pub machine: Option<String>,
    /// What was wrong.
    pub message: String,
    /// Whether it was waived.
    pub waived: bool,
}

/// Why a file is not such a report, as the end of a sentence that begins with its name.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum KeptReportFault {
    /// It cannot be read as one.
    #[error("is not a report as `probe --to` keeps it: {0}")]
    Form(String),
    /// It has another form.
    #[error("has format {0}; this program reads format {FORMAT}")]
    Format(u32),
    /// Nothing was asked.
    #[error("says nothing: the sheet had errors, so that nothing was asked")]
    NotAsked,
}

impl KeptReport {
    /// Reads a report.
    pub fn parse(text: &str) -> Result<Self, KeptReportFault> {
        let read: Self =
            serde_json::from_str(text).map_err(|error| KeptReportFault::Form(error.to_string()))?;
        if read.format != FORMAT {
            return Err(KeptReportFault::Format(read.format));
        }
        if read.asked_at.is_none() {
            return Err(KeptReportFault::NotAsked);
        }
        Ok(read)
    }

    /// Whether a file begins as such a report does.
    pub fn is_begun_by(start: &str) -> bool {
        start.trim_start().starts_with('{') && SIGN.iter().all(|sign| start.contains(sign))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_no_report_is_told() {
        assert!(matches!(KeptReport::parse("{}"), Err(KeptReportFault::Form(_))));
        let with = |format: u32, at: &str| {
            format!("{{\"format\": {format}, \"when\": \"after\", \"asked_at\": {at}, \"findings\": []}}")
        };
        assert_eq!(KeptReport::parse(&with(2, "\"now\"")), Err(KeptReportFault::Format(2)));
        assert_eq!(KeptReport::parse(&with(1, "null")), Err(KeptReportFault::NotAsked));
        assert!(KeptReport::parse(&with(1, "\"now\"")).is_ok());
    }
}
