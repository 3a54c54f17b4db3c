//! The schemas of what is printed and written as JSON: every document that a test of this folder asks for is held to
//! them.

use std::collections::BTreeSet;
use std::sync::LazyLock;

use jsonschema::Validator;
use serde_json::{Value, json};

use super::folder::shop;

const DOCUMENT: &str = include_str!("../../../../docs/schema/document.schema.json");
const RECORD: &str = include_str!("../../../../docs/schema/record.schema.json");

/// Users may meet fields that their version of the schema does not know; here each must be known.
fn strict(schema: &str) -> Value {
    let mut schema: Value = serde_json::from_str(schema).unwrap();
    let mut open = BTreeSet::new();
    close(&mut schema, false, &mut open);
    for name in open {
        schema["$defs"][name].as_object_mut().unwrap().remove("unevaluatedProperties");
    }
    schema
}

/// Closes an object, unless it is one of several parts of another; `open` takes the names of those that are used
/// as parts.
fn close(schema: &mut Value, part: bool, open: &mut BTreeSet<String>) {
    match schema {
        Value::Object(fields) => {
            let has_fields = fields.get("properties").is_some_and(Value::is_object);
            for (name, value) in fields.iter_mut() {
                let parts = has_fields && ["anyOf", "oneOf"].contains(&name.as_str());
                match value {
                    Value::Array(items) => {
                        items.iter_mut().for_each(|item| close(item, parts, open));
                    }
                    value => close(value, false, open),
                }
            }
            if part && let Some(Value::String(of)) = fields.get("$ref") {
                open.insert(of.trim_start_matches("#/$defs/").to_owned());
            }
            if has_fields && !part {
                fields.insert("unevaluatedProperties".into(), false.into());
            }
        }
        Value::Array(items) => items.iter_mut().for_each(|item| close(item, false, open)),
        _ => {}
    }
}

static DOCUMENTS: LazyLock<Validator> =
    LazyLock::new(|| jsonschema::draft202012::new(&strict(DOCUMENT)).unwrap());
static RECORDS: LazyLock<Validator> =
    LazyLock::new(|| jsonschema::draft202012::new(&strict(RECORD)).unwrap());

fn hold(validator: &Validator, text: &str) {
    let value: Value = serde_json::from_str(text).unwrap();
    let wrong: Vec<String> = validator
        .iter_errors(&value)
        .map(|error| format!("{}: {error:.300}", error.instance_path()))
        .collect();
    assert!(wrong.is_empty(), "{wrong:#?}\n{text:.2000}");
}

/// Holds what a command printed as JSON to the schema.
pub fn document_holds(text: &str) {
    hold(&DOCUMENTS, text);
}

/// Holds a record of a run to the schema.
pub fn record_holds(text: &str) {
    hold(&RECORDS, text);
}

/// What holds all documents of the tests to the schema would notice a field more, one less, and one of another type.
#[test]
fn the_schema_is_strict() {
    let folder = shop();
    folder.plan("input lines from \"lines.csv\"\ntable few from lines\n  keep net > 1\n");
    let ran = folder.granum(&["check", "p.granum", "--format", "json"]).code(0);
    let right: Value = serde_json::from_str(&ran.out).unwrap();
    assert!(DOCUMENTS.is_valid(&right));
    let mut changes = 0;
    let mut changed = |path: &str, change: &dyn Fn(&mut Value)| {
        let mut wrong = right.clone();
        change(wrong.pointer_mut(path).unwrap());
        assert!(!DOCUMENTS.is_valid(&wrong), "{path}");
        changes += 1;
    };
    for path in ["", "/report", "/report/tables/1", "/report/tables/1/steps/0"] {
        changed(path, &|object| object["more"] = 1.into());
        let fields = right.pointer(path).unwrap().as_object().unwrap();
        for name in fields.keys().filter(|name| *name != "plan") {
            changed(path, &|object| {
                object.as_object_mut().unwrap().remove(name);
            });
            changed(&format!("{path}/{name}"), &|value| *value = json!([[]]));
        }
    }
    assert!(changes > 60, "{changes}");
}

/// The names of all fields that a schema has.
fn names(schema: &Value, all: &mut BTreeSet<String>) {
    match schema {
        Value::Object(fields) => {
            if let Some(Value::Object(properties)) = fields.get("properties") {
                all.extend(properties.keys().cloned());
            }
            fields.values().for_each(|value| names(value, all));
        }
        Value::Array(items) => items.iter().for_each(|item| names(item, all)),
        _ => {}
    }
}

#[test]
fn every_field_is_in_the_documentation() {
    let page = include_str!("../../../../docs/json.md");
    let mut all = BTreeSet::new();
    for schema in [DOCUMENT, RECORD] {
        names(&serde_json::from_str(schema).unwrap(), &mut all);
    }
    assert!(all.len() > 250, "{all:?}");
    let written = |name: &String| {
        ["`", "\""].iter().any(|quote| page.contains(&format!("{quote}{name}{quote}")))
    };
    let missing: Vec<&String> = all.iter().filter(|name| !written(name)).collect();
    assert!(missing.is_empty(), "docs/json.md does not name {missing:?}");
}
