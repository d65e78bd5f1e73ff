//! `schema`, as a validator of JSON Schema reads it.

use jsonschema::Validator;
use serde_json::Value;

use crate::support::{Run, Workspace, every_key, with_every_key};

fn validator() -> Validator {
    let printed = Workspace::new().run(&["schema"]).stdout;
    let schema: Value = serde_json::from_str(&printed).unwrap();
    assert!(jsonschema::meta::is_valid(&schema), "it is a schema itself");
    jsonschema::validator_for(&schema).unwrap()
}

/// A sheet as an editor hands it to a validator: dates are texts.
fn as_json(sheet: &str) -> Value {
    fn convert(value: toml::Value) -> Value {
        match value {
            toml::Value::String(text) => text.into(),
            toml::Value::Integer(number) => number.into(),
            toml::Value::Float(number) => number.into(),
            toml::Value::Boolean(truth) => truth.into(),
            toml::Value::Datetime(moment) => moment.to_string().into(),
            toml::Value::Array(items) => items.into_iter().map(convert).collect(),
            toml::Value::Table(table) => {
                table.into_iter().map(|(key, value)| (key, convert(value))).collect()
            }
        }
    }
    convert(toml::Value::Table(sheet.parse().unwrap()))
}

#[test]
fn the_sample_sheet_and_a_sheet_with_every_key_are_valid() {
    let validator = validator();
    let every_key = every_key();
    let harbor = Workspace::new().read("harbor.toml");
    for sheet in [harbor.as_str(), every_key.as_str()] {
        let errors: Vec<String> = validator
            .iter_errors(&as_json(sheet))
            .map(|error| format!("{}: {error}", error.instance_path()))
            .collect();
        assert!(errors.is_empty(), "{errors:#?}");
    }
}

#[test]
fn wrong_keys_types_and_words_are_refused() {
    let validator = validator();
    let right = Workspace::new().read("harbor.toml");
    for (from, to) in [
        ("timezone = \"Europe/Rome\"", "timezon = \"Europe/Rome\""),
        ("timezone = \"Europe/Rome\"", "timezone = 2"),
        ("format = 1", "format = 2"),
        ("kind     = \"bond\"", "kind = \"bnd\""),
        ("admin     = true", "admin = \"yes\""),
        ("dns      = [\"10.64.10.53\", \"10.64.10.54\"]", "dns = \"10.64.10.53\""),
        ("vlan     = 120", "vlan = 5000"),
        ("from = \"file\"\n", ""),
        ("subnet   = \"quay\"", "sbnet = \"quay\""),
        ("{ take = \"netmask\" }", "{ taken = \"netmask\" }"),
    ] {
        assert!(right.contains(from), "{from}");
        assert!(!validator.is_valid(&as_json(&right.replacen(from, to, 1))), "{to}");
    }
}

/// The sheet of the test above does hold every key that there is, and the program takes it.
#[test]
fn the_sheet_with_every_key_is_what_it_says() {
    let workspace = with_every_key();
    let mut command = workspace.command(&["check", "every.toml"]);
    let check = Run::from(command.env("PILOT_TOWER", "seven lamps behind a door").output().unwrap());
    assert_eq!(check.code, 0, "{}", check.stdout);
    let sheet = every_key();
    let schema: Value = serde_json::from_str(&workspace.run(&["schema"]).stdout).unwrap();
    let mut keys: Vec<String> = schema["properties"].as_object().unwrap().keys().cloned().collect();
    for definition in schema["definitions"].as_object().unwrap().values() {
        keys.extend(definition["properties"].as_object().unwrap().keys().cloned());
    }
    let lacking: Vec<&String> = keys.iter().filter(|key| !sheet.contains(key.as_str())).collect();
    assert!(lacking.is_empty(), "{lacking:?}");
}
