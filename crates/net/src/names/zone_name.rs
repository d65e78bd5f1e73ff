//! Time zones by their name in the zone database.

use std::collections::BTreeSet;
use std::fmt;
use std::sync::OnceLock;

use impostazione_text::nearest;

/// A zone of the IANA database, spelled as there, so that it is a path below `/usr/share/zoneinfo`.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct ZoneName(Box<str>);

impl ZoneName {
    /// Looks a name up. Spelling counts, upper and lower case too, as the name becomes a path.
    pub fn parse(text: &str) -> Option<Self> {
        known().contains(text).then(|| Self(text.into()))
    }

    /// The name.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for ZoneName {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

/// Up to three zones whose name is like the text: the same letters in another case, the same city, or a spelling
/// close by.
pub fn nearest_zones(text: &str) -> Vec<&'static str> {
    let wanted = text.trim().replace(' ', "_");
    let zones = || known().iter().map(String::as_str);
    let same: Vec<&str> = zones().filter(|zone| zone.eq_ignore_ascii_case(&wanted)).collect();
    if !same.is_empty() {
        return same;
    }
    let city = |zone: &str| zone.rsplit('/').next().unwrap_or_default().to_ascii_lowercase();
    let wanted_city = city(&wanted);
    let same_city: Vec<&str> =
        zones().filter(|zone| zone.contains('/') && city(zone) == wanted_city).take(3).collect();
    if !same_city.is_empty() {
        return same_city;
    }
    let close = nearest(&wanted, zones(), 3);
    if !close.is_empty() {
        return close;
    }
    let close_city =
        nearest(&wanted_city, zones().map(|zone| zone.rsplit('/').next().unwrap_or_default()), 3);
    zones()
        .filter(|zone| close_city.iter().any(|found| zone.ends_with(&format!("/{found}"))))
        .take(3)
        .collect()
}

fn known() -> &'static BTreeSet<String> {
    static KNOWN: OnceLock<BTreeSet<String>> = OnceLock::new();
    KNOWN.get_or_init(|| {
        let database = jiff::tz::TimeZoneDatabase::bundled();
        database.available().map(|name| name.to_string()).filter(|name| name != "Factory").collect()
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spelling_counts() {
        assert_eq!(ZoneName::parse("Europe/Rome").unwrap().as_str(), "Europe/Rome");
        for text in ["europe/rome", "Europe/Roma", "Rome", "", "../etc/passwd", "Factory"] {
            assert_eq!(ZoneName::parse(text), None, "{text}");
        }
    }

    #[test]
    fn zones_close_by_are_found() {
        assert_eq!(nearest_zones("europe/rome"), ["Europe/Rome"]);
        assert_eq!(nearest_zones("Rome"), ["Europe/Rome"]);
        assert_eq!(nearest_zones("Italy/Rome"), ["Europe/Rome"]);
        assert!(nearest_zones("Europe/Roma").contains(&"Europe/Rome"));
        assert!(nearest_zones("Los Angeles").contains(&"America/Los_Angeles"));
        assert!(nearest_zones("zzzzzzzz").is_empty());
    }
}
