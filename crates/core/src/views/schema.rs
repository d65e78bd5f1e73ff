//! JSON Schema of the build sheet, for editors: what a key is for, and what it takes. The sheet's own rules go further.

use serde_json::{Map, Value, json};

use crate::sheet::{KEYS, KeySpec, SECRET_VALUE, Shape, TAKE, TableSpec, is_shared};

/// The schema, as JSON Schema draft 7, which editors of TOML read. It is made from the list of keys that reading goes by.
pub fn schema() -> Value {
    let mut definitions = Map::new();
    for table in KEYS.iter().filter(|table| !table.free_keys) {
        definitions.insert(name_of(table), table_schema(table));
    }
    let root = KEYS.first().map_or(Value::Null, |root| table_schema(root));
    let mut schema = json!({
        "$schema": "http://json-schema.org/draft-07/schema#",
        "title": "Build sheet of Impostazione",
    });
    if let (Some(schema), Value::Object(root)) = (schema.as_object_mut(), root) {
        schema.extend(root);
        definitions.remove(&name_of(KEYS[0]));
        schema.insert("definitions".to_owned(), Value::Object(definitions));
    }
    schema
}

/// The header of a table, without what a reference cannot hold.
fn name_of(table: &TableSpec) -> String {
    let words: Vec<&str> = table
        .header
        .split(|c: char| !c.is_ascii_alphanumeric() && c != '_')
        .filter(|word| !word.is_empty())
        .collect();
    words.join("-")
}

fn reference(table: &TableSpec) -> Value {
    json!({ "$ref": format!("#/definitions/{}", name_of(table)) })
}

fn table_schema(table: &TableSpec) -> Value {
    let properties: Map<String, Value> =
        table.keys.iter().map(|key| (key.name.to_owned(), key_schema(key))).collect();
    let required: Vec<&str> = table.keys.iter().filter(|key| key.is_required).map(|key| key.name).collect();
    json!({
        "type": "object",
        "description": table.about,
        "properties": properties,
        "required": required,
        "additionalProperties": false,
    })
}

fn key_schema(key: &KeySpec) -> Value {
    let mut schema = shape_schema(&key.shape);
    // Draft 7 ignores what stands beside a reference.
    if schema.get("$ref").is_some() {
        schema = json!({ "allOf": [schema] });
    }
    if let Some(schema) = schema.as_object_mut() {
        schema.insert(
            "description".to_owned(),
            json!(format!("{} Takes {}.\n\n{}", key.about, key.takes, key.example)),
        );
    }
    schema
}

fn shape_schema(shape: &Shape) -> Value {
    let texts = || json!({ "type": "array", "items": { "type": "string" } });
    match shape {
        Shape::Text => json!({ "type": "string" }),
        Shape::TextOrNumber => json!({ "type": ["string", "integer"] }),
        Shape::Word(words) => json!({ "type": "string", "enum": words }),
        Shape::Flag => json!({ "type": "boolean" }),
        Shape::Number(least, most) => json!({ "type": "integer", "minimum": least, "maximum": most }),
        Shape::Date => json!({ "type": "string", "format": "date" }),
        Shape::TextList => texts(),
        Shape::Words(words) => json!({ "type": "array", "items": { "type": "string", "enum": words } }),
        Shape::TextsOr(table) => {
            json!({ "type": "array", "items": { "anyOf": [{ "type": "string" }, reference(table)] } })
        }
        Shape::List(tables) => list(tables),
        Shape::Lists => json!({ "type": "object", "additionalProperties": list(&[]) }),
        Shape::Texts => json!({ "type": "object", "additionalProperties": { "type": "string" } }),
        Shape::Table(table) => reference(table),
        Shape::Tables(table) | Shape::Entries(table) => json!({ "type": "array", "items": reference(table) }),
        Shape::Named(table) => json!({ "type": "object", "additionalProperties": reference(table) }),
        Shape::Differing(table) => {
            json!({ "type": "object", "additionalProperties": differing_schema(table) })
        }
        Shape::Secret => json!({ "anyOf": [{ "const": "none" }, reference(&SECRET_VALUE)] }),
        Shape::Answers => {
            let mut forms = vec![json!({ "type": ["string", "number", "boolean"] })];
            forms.extend([&TAKE, &SECRET_VALUE].map(reference));
            json!({ "type": "object", "additionalProperties": { "anyOf": forms } })
        }
    }
}

/// What a table of one machine that differs may hold: the keys of its entry, but for those that say which machines there are.
fn differing_schema(table: &TableSpec) -> Value {
    let home = format!("#/definitions/{}/properties", name_of(table));
    let keys = table.keys.iter().filter(|key| !is_shared(key.name));
    let properties: Map<String, Value> =
        keys.map(|key| (key.name.to_owned(), json!({ "$ref": format!("{home}/{}", key.name) }))).collect();
    json!({ "type": "object", "properties": properties, "additionalProperties": false })
}

fn list(tables: &[&TableSpec]) -> Value {
    let mut items = vec![json!({ "type": "string" })];
    items.extend(tables.iter().map(|table| reference(table)));
    json!({ "anyOf": [{ "const": "none" }, { "type": "array", "items": { "anyOf": items } }] })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_key_of_every_table_is_described() {
        let schema = schema();
        for table in KEYS.iter().filter(|table| !table.free_keys) {
            let found = if std::ptr::eq(*table, KEYS[0]) {
                &schema["properties"]
            } else {
                &schema["definitions"][name_of(table)]["properties"]
            };
            for key in table.keys {
                let description = found[key.name]["description"].as_str();
                assert!(
                    description.is_some_and(|text| text.contains(key.about)),
                    "{} {}",
                    table.header,
                    key.name
                );
            }
        }
    }
}
