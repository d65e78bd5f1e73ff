//! Meanings files: what a person has found out about one version of a product, so that it is found out once.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use serde::{Deserialize, Serialize};

use super::meaning::Meaning;
use super::reading::Reading;
use super::subject::LinkHint;
use super::take_word::TakeWord;
use super::toml_fault::at_its_line;
use crate::descriptor::{Product, Property, VirtualSystem};

/// Largest meanings file that is read.
pub const MEANINGS_LIMIT: u64 = 4 * 1024 * 1024;

/// A reviewed record of the meanings and facts of one product version.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MeaningsFile {
    /// Version of the format: 1.
    pub format: u32,
    /// The product as its package names it.
    #[serde(default)]
    pub product: String,
    /// Who makes it.
    #[serde(default)]
    pub vendor: String,
    /// The version that was reviewed.
    #[serde(default)]
    pub version: String,
    /// The login that it comes with.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub default_login: Option<DefaultLogin>,
    /// What its passwords must keep to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub password_rules: Option<PasswordRules>,
    /// Where it is administered once it is up.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub administration: Option<Administration>,
    /// What its console asks, in this order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub question: Vec<Question>,
    /// Its properties by their ids.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub property: BTreeMap<String, Reviewed>,
}

/// The login that a product comes with, as its papers have it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DefaultLogin {
    /// The account.
    pub account: String,
    /// The password that everybody knows, and that no answer may be.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub public_password: Option<String>,
}

/// What a product's passwords must keep to.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct PasswordRules {
    /// The fewest characters.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub min_length: Option<u64>,
    /// The most characters.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub max_length: Option<u64>,
    /// Kinds of characters of which there must be one: `upper`, `lower`, `digit`, `symbol`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub require: Vec<String>,
    /// Characters that are not taken.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub forbid: String,
}

/// Where a product is administered.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Administration {
    /// The TCP port.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub port: Option<u16>,
    /// Minutes until it answers after its first start, as a rule.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub start_minutes: Option<u32>,
}

/// One thing that a console asks.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Question {
    /// What an answer in the sheet calls it.
    pub id: String,
    /// The words on the screen.
    pub ask: String,
    /// The value of the sheet that it wants; none where the sheet has to answer it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub take: Option<String>,
    /// The link that it is about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub link: Option<String>,
    /// Which of several values it wants, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub position: Option<usize>,
    /// What it wants between several values.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub join: Option<String>,
    /// What is typed where the sheet has no value.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub when_missing: Option<String>,
    /// Whether it asks for a password.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_password: bool,
}

/// What is known of one property.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Reviewed {
    /// Its meaning.
    pub meaning: String,
    /// The link that it is about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub link: Option<String>,
    /// The account that it is about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub account: Option<String>,
    /// Which of several values it wants, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub position: Option<usize>,
    /// What stands between several values.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub join: Option<String>,
    /// What it is to be where the sheet has no value.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub when_missing: Option<String>,
    /// Whether a person still has to look at it: the meaning was not certain when the file was made.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unsure: bool,
    /// Its label when it was reviewed.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub label: String,
    /// Its type when it was reviewed.
    #[serde(default, skip_serializing_if = "String::is_empty", rename = "type")]
    pub kind: String,
    /// Its default when it was reviewed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub default: Option<String>,
    /// What it most likely wants, which the file's text proposes to whoever reviews it.
    #[serde(skip)]
    pub likely: Vec<&'static str>,
}

impl MeaningsFile {
    /// Reads a meanings file. Fails with what is wrong with it.
    pub fn parse(bytes: &[u8]) -> Result<Self, String> {
        let text = std::str::from_utf8(bytes).map_err(|_| "it is not UTF-8 text".to_owned())?;
        let file: Self = toml::from_str(text).map_err(|error| at_its_line(text, &error))?;
        if file.format != 1 {
            return Err(format!("its format is {}, and this version reads format = 1", file.format));
        }
        for (id, reviewed) in &file.property {
            if Meaning::parse(&reviewed.meaning).is_none() {
                return Err(format!("\"{}\", given for {id}, is not a meaning", reviewed.meaning));
            }
        }
        for question in &file.question {
            if let Some(take) = question.take.as_deref().filter(|take| TakeWord::parse(take).is_none()) {
                return Err(format!("\"{take}\", in the question {}, cannot be used with take", question.id));
            }
        }
        let rules = file.password_rules.iter().flat_map(|rules| &rules.require);
        if let Some(other) =
            rules.into_iter().find(|kind| !matches!(kind.as_str(), "upper" | "lower" | "digit" | "symbol"))
        {
            return Err(format!("\"{other}\" is not one of upper, lower, digit, symbol"));
        }
        Ok(file)
    }

    /// The file for a machine of a package, as its properties read.
    pub fn of(system: &VirtualSystem, readings: &[Reading]) -> Self {
        let product = &system.product;
        let property = system.properties.iter().zip(readings).filter(|(property, _)| property.is_settable);
        Self {
            format: 1,
            product: product.name.clone(),
            vendor: product.vendor.clone(),
            version: product.any_version().to_owned(),
            property: property
                .map(|(property, reading)| (property.id(), Reviewed::of(property, reading)))
                .collect(),
            ..Self::default()
        }
    }

    /// The file as text, with what a person needs to know to go on from there.
    pub fn text(&self, certain: usize) -> String {
        let mut text = String::new();
        // Writing to a String does not fail.
        let _ = writeln!(
            text,
            "# What the properties of {} {} mean. Review it, correct it, and name it in the",
            or_unnamed(&self.product),
            self.version
        );
        let _ = writeln!(
            text,
            "# sheet: meanings = \"…\" of the appliance. {certain} of {} are certain; those marked",
            self.property.len()
        );
        let _ = writeln!(text, "# `unsure` are left alone until that line is taken out.");
        let _ = writeln!(text, "#");
        let _ = writeln!(text, "# Facts that no package has can be added here, for example:");
        let _ = writeln!(text, "#   [default_login]   account = \"…\", public_password = \"…\"");
        let _ = writeln!(
            text,
            "#   [password_rules]  min_length = 10, require = [\"upper\", \"digit\"], forbid = \"\\\"\""
        );
        let _ = writeln!(text, "#   [administration]  port = 8443, start_minutes = 6");
        let _ = writeln!(
            text,
            "#   [[question]]      id = \"address\", ask = \"IP address\", take = \"address\"\n"
        );
        let facts = Self { property: BTreeMap::new(), ..self.clone() };
        text += &toml::to_string(&facts).unwrap_or_default();
        for (id, reviewed) in &self.property {
            let _ = write!(text, "\n{}", reviewed.text(id));
        }
        text
    }

    /// What a property means by this file, where the file is sure of it.
    pub(super) fn apply(&self, property: &Property, reading: &mut Reading) {
        let Some(reviewed) = self.property.get(&property.id()).filter(|reviewed| !reviewed.unsure) else {
            return;
        };
        let Some(meaning) = Meaning::parse(&reviewed.meaning) else { return };
        reading.meaning = meaning;
        reading.confidence = 1.0;
        reading.is_reviewed = true;
        reading.link = reviewed.link.as_deref().map(LinkHint::parse);
        reading.account.clone_from(&reviewed.account);
        reading.position = reviewed.position.or(match meaning {
            Meaning::Dns1 | Meaning::Ntp1 => Some(1),
            Meaning::Dns2 | Meaning::Ntp2 => Some(2),
            _ => None,
        });
        reading.separator.clone_from(&reviewed.join);
        reading.when_missing.clone_from(&reviewed.when_missing);
    }

    /// What is not any more as it was when the file was made, a sentence each.
    pub fn changes(&self, product: &Product, properties: &[Property]) -> Vec<String> {
        let mut changes = Vec::new();
        if self.product != product.name {
            changes.push(format!(
                "the package is {}, but the file is about {}",
                or_unnamed(&product.name),
                or_unnamed(&self.product)
            ));
        }
        if self.version != product.any_version() {
            changes.push(format!(
                "the package has version {}, but version {} was reviewed",
                or_unnamed(product.any_version()),
                or_unnamed(&self.version)
            ));
        }
        for property in properties.iter().filter(|property| property.is_settable) {
            let id = property.id();
            match self.property.get(&id) {
                None => changes.push(format!("{id} is new")),
                Some(reviewed) => changes.extend(reviewed.changes(&id, property)),
            }
        }
        let is_gone = |id: &&String| !properties.iter().any(|property| property.has_id(id));
        changes.extend(self.property.keys().filter(is_gone).map(|id| format!("{id} no longer exists")));
        changes
    }
}

impl Reviewed {
    /// The table of a property. Where a person has to decide, what to write stands beside it.
    fn text(&self, id: &str) -> String {
        #[derive(Serialize)]
        struct Table<'a> {
            property: BTreeMap<&'a str, &'a Reviewed>,
        }
        let table = toml::to_string(&Table { property: BTreeMap::from([(id, self)]) }).unwrap_or_default();
        if !self.unsure {
            return table;
        }
        let or: Vec<String> = self
            .likely
            .iter()
            .filter(|word| **word != self.meaning)
            .map(|word| format!("meaning = \"{word}\""))
            .collect();
        let instead = if or.is_empty() { "another meaning".to_owned() } else { or.join(" or ") };
        // The first such line is the key: texts of the package come after it.
        let remark =
            format!("\nunsure = true # remove this line if the meaning is right, or write {instead}\n");
        table.replacen("\nunsure = true\n", &remark, 1)
    }

    fn of(property: &Property, reading: &Reading) -> Self {
        Self {
            meaning: reading.meaning.word().to_owned(),
            link: reading.link.as_ref().map(ToString::to_string),
            account: reading.account.clone(),
            position: reading.position,
            join: reading.separator.clone(),
            when_missing: reading.when_missing.clone(),
            unsure: reading.needs_review(),
            likely: reading.likely().iter().map(|guess| guess.meaning.word()).collect(),
            label: property.label.clone(),
            kind: property.written_kind.clone(),
            default: if property.is_password { None } else { property.base_default.clone() },
        }
    }

    fn changes(&self, id: &str, property: &Property) -> Option<String> {
        if !self.label.is_empty() && self.label != property.label {
            Some(format!("{id} is now called \"{}\", it was \"{}\"", property.label, self.label))
        } else if !self.kind.is_empty() && self.kind != property.written_kind {
            Some(format!("{id} is now of type {}, it was {}", property.written_kind, self.kind))
        } else if !property.is_password && self.default.is_some() && self.default != property.base_default {
            Some(format!("{id} has another default"))
        } else {
            None
        }
    }
}

fn or_unnamed(text: &str) -> &str {
    if text.is_empty() { "without a name" } else { text }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_wrong_with_a_file_is_said_with_its_line() {
        let fault = |text: &str| MeaningsFile::parse(text.as_bytes()).unwrap_err();
        assert!(fault("format = 1\nprodcut = \"x\"\n").starts_with("line 2: unknown field"));
        assert_eq!(fault("format = 2\n"), "its format is 2, and this version reads format = 1");
        assert!(
            fault("format = 1\n[property.ip]\nmeaning = \"adress\"\n")
                .contains("given for ip, is not a meaning")
        );
        assert!(
            fault("format = 1\n[[question]]\nid = \"a\"\nask = \"b\"\ntake = \"tide\"\n").contains("tide")
        );
        assert!(fault("format = 1\n[password_rules]\nrequire = [\"emoji\"]\n").contains("emoji"));
        assert!(fault("").contains("format"));
    }

    #[test]
    fn changes_of_a_newer_version_are_named() {
        let property = |key: &str, label: &str| Property {
            key: key.into(),
            label: label.into(),
            is_settable: true,
            written_kind: "string".into(),
            ..Property::default()
        };
        let file = MeaningsFile::parse(
            b"format = 1\nproduct = \"Log\"\nversion = \"1\"\n[property.ip]\nmeaning = \"address\"\nlabel = \"IP\"\n[property.old]\nmeaning = \"other\"\n",
        )
        .unwrap();
        let product = Product { name: "Log".into(), version: "2".into(), ..Product::default() };
        let changes = file.changes(&product, &[property("ip", "Address"), property("new", "")]);
        assert_eq!(
            changes,
            [
                "the package has version 2, but version 1 was reviewed",
                "ip is now called \"Address\", it was \"IP\"",
                "new is new",
                "old no longer exists"
            ]
        );
    }
}
