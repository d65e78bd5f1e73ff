//! What must not be shown of a sheet that could be parsed: by what each value stands under, however it is laid out.

use std::cell::RefCell;
use std::collections::{HashMap, HashSet};
use std::ops::Range;

use impostazione_text::confidential::is_secret;
use toml::de::{DeTable, DeValue};

/// What the values of a table are.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Under {
    /// Settings.
    Open,
    /// Tables of secrets, by their names.
    Secrets,
    /// A secret's own table, which says where its value comes from.
    OneSecret,
    /// Something confidential.
    Confidential,
}

/// Words of the tables of secrets, which hold no value.
pub(super) const PLACES: [&str; 4] = ["store", "env", "file", "prompt"];
pub(super) const OWNERS: [&str; 3] = ["site", "cluster", "machine"];
/// Keys of the tables of secrets whose values are numbers and names of layouts.
const LIMITS: [&str; 3] = ["min_length", "max_length", "typed_on"];

struct Known<'a> {
    secrets: HashSet<&'a str>,
    time_keys: HashSet<&'a str>,
    /// Which keys speak of a secret. The same few stand in a sheet again and again.
    secret_keys: RefCell<HashMap<String, bool>>,
}

impl Known<'_> {
    /// What a value is that stands under a key.
    fn of_value(&self, key: &str, value: &DeValue<'_>, under: Under) -> Under {
        // Where a table with a passphrase belongs, anything else may be the passphrase.
        if under == Under::Open && key == "wifi" && !matches!(value, DeValue::Table(_)) {
            return Under::Confidential;
        }
        self.of_key(key, under)
    }

    fn of_key(&self, key: &str, under: Under) -> Under {
        if under != Under::Open {
            return under;
        }
        let known = self.secret_keys.borrow().get(key).copied();
        let is_confidential = known.unwrap_or_else(|| {
            let found = is_secret(key);
            self.secret_keys.borrow_mut().insert(key.to_owned(), found);
            found
        });
        if is_confidential { Under::Confidential } else { under }
    }
}

/// The parts of a sheet's text that must not be shown.
pub(crate) fn hidden_in_sheet(table: &DeTable<'_>) -> Vec<Range<usize>> {
    let names = |key: &str| -> HashSet<&str> {
        let tables = table.iter().filter(|(name, _)| name.get_ref() == key);
        let inner = tables.filter_map(|(_, value)| match value.get_ref() {
            DeValue::Table(inner) => Some(inner),
            _ => None,
        });
        let is_table = |value: &DeValue<'_>| matches!(value, DeValue::Table(_));
        inner
            .flat_map(|inner| inner.iter())
            .filter(|(_, value)| is_table(value.get_ref()))
            .map(|(name, _)| name.get_ref().as_ref())
            .collect()
    };
    let known =
        Known { secrets: names("secret"), time_keys: names("time_key"), secret_keys: RefCell::default() };
    let mut hidden = Vec::new();
    for (key, value) in table {
        let under = if key.get_ref() == "secret" {
            Under::Secrets
        } else {
            known.of_value(key.get_ref(), value.get_ref(), Under::Open)
        };
        walk(value.get_ref(), value.span(), key.get_ref(), under, &known, &mut hidden);
    }
    hidden
}

fn walk(
    value: &DeValue<'_>,
    span: Range<usize>,
    key: &str,
    under: Under,
    known: &Known<'_>,
    hidden: &mut Vec<Range<usize>>,
) {
    match value {
        DeValue::Table(table) => {
            for (inner, value) in table {
                let name = inner.get_ref().as_ref();
                // A table that stands for a secret may have it as a key.
                if under == Under::Confidential
                    && !matches!(
                        name,
                        "secret" | "take" | "value" | "of" | "join" | "nth" | "link" | "toward"
                    )
                {
                    hidden.push(inner.span());
                }
                let below = match under {
                    Under::Secrets => Under::OneSecret,
                    // The names of machines are no keys.
                    Under::Open if key == "differs" && matches!(value.get_ref(), DeValue::Table(_)) => {
                        Under::Open
                    }
                    other => known.of_value(name, value.get_ref(), other),
                };
                walk(value.get_ref(), value.span(), name, below, known, hidden);
            }
        }
        DeValue::Array(items) => {
            for item in items {
                walk(item.get_ref(), item.span(), key, under, known, hidden);
            }
        }
        DeValue::Boolean(_) => {}
        DeValue::String(text) => {
            if !is_shown(text, key, under, known) {
                hidden.push(span);
            }
        }
        DeValue::Integer(_) | DeValue::Float(_) | DeValue::Datetime(_) => {
            let is_limit = under == Under::OneSecret && LIMITS.contains(&key);
            if !(under == Under::Open || is_limit) {
                hidden.push(span);
            }
        }
    }
}

fn is_shown(text: &str, key: &str, under: Under, known: &Known<'_>) -> bool {
    if text.contains("PRIVATE KEY") {
        return false;
    }
    match (key, under) {
        // A name that no secret has may be the secret itself.
        ("secret", _) => text == "none" || known.secrets.contains(text),
        ("key", Under::Confidential) if known.time_keys.contains(text) => true,
        (_, Under::Open) | ("take", Under::Confidential) => true,
        ("from", Under::OneSecret) => PLACES.contains(&text),
        ("per", Under::OneSecret) => OWNERS.contains(&text),
        ("typed_on", Under::OneSecret) => text.len() == 2,
        ("variable", Under::OneSecret) => is_variable(text),
        ("path", Under::OneSecret) => is_path(text),
        (_, Under::Confidential) => text == "none",
        _ => false,
    }
}

/// Whether a text is spelled as the name of a variable usually is.
pub(crate) fn is_variable(text: &str) -> bool {
    text.starts_with(|c: char| c.is_ascii_uppercase())
        && text.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_')
}

/// Whether a text ends as the name of a file does.
pub(crate) fn is_path(text: &str) -> bool {
    text.rsplit_once('.').is_some_and(|(name, end)| {
        !name.is_empty() && (2..=8).contains(&end.len()) && end.chars().all(|c| c.is_ascii_lowercase())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn hidden(text: &str) -> Vec<&str> {
        let table = DeTable::parse(text).unwrap();
        let mut parts: Vec<Range<usize>> = hidden_in_sheet(table.get_ref());
        parts.sort_by_key(|part| part.start);
        parts.into_iter().map(|part| &text[part]).collect()
    }

    #[test]
    fn what_stands_under_a_confidential_key_is_hidden_however_it_is_laid_out() {
        assert_eq!(hidden("password = \"tide-table-9\""), ["\"tide-table-9\""]);
        assert_eq!(hidden("password = [\n  \"tide-table-9\",\n]"), ["\"tide-table-9\""]);
        assert_eq!(hidden("password = { keeper-login = \"tide\" }"), ["keeper-login", "\"tide\""]);
        assert_eq!(hidden("[account.keeper.password]\nx = '''\ntide\n'''"), ["x", "'''\ntide\n'''"]);
        assert_eq!(hidden("[account.keeper]\npassword.tide = true"), ["tide"]);
        assert_eq!(hidden("pin = 1234\nauth = false"), ["1234"]);
        assert_eq!(hidden("password = { secret = \"tide-table-9\" }"), ["\"tide-table-9\""]);
        assert_eq!(hidden("[secret]\nkeeper-login = \"tide\""), ["\"tide\""]);
        assert_eq!(
            hidden("[secret.a]\nfrom = \"tide\"\nvariable = \"tide\"\npath = \"tide\"\nper = \"tide\""),
            ["\"tide\""; 4]
        );
    }

    #[test]
    fn what_only_names_a_secret_is_shown() {
        for text in [
            "password = { secret = \"keeper-login\" }\n[secret.keeper-login]\nfrom = \"env\"\nvariable = \"KEEPER_LOGIN\"\nper = \"machine\"\ntyped_on = [\"it\"]\nmin_length = 14",
            "[secret.radio]\nfrom = \"file\"\npath = \"quay-wifi.secret\"",
            "ntp = [{ server = \"10.64.10.121\", key = \"harbor\" }]\n[time_key.harbor]\nnumber = 10",
            "passphrase = \"none\"\nssh_keys = [\"keys/keeper.pub\"]\nssh = { password_login = false, host_key = true }",
            "\"admin.password\" = { take = \"password\", of = \"x\" }"
                .split(", of")
                .next()
                .unwrap()
                .to_owned()
                .leak(),
        ] {
            let text = if text.ends_with('}') || text.contains('\n') {
                text.to_owned()
            } else {
                format!("{text} }}")
            };
            assert_eq!(hidden(&text), [""; 0], "{text}");
        }
    }
}
