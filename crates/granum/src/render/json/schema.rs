//! The schemas of what is printed and written as JSON.

use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema};

use super::Document;
use crate::record::Record;

/// Each with the name of its file: that of the documents that commands print, and that of the records of runs.
pub fn schemas() -> [(&'static str, Schema); 2] {
    [
        ("document.schema.json", schema::<Document<'static>>()),
        ("record.schema.json", schema::<Record>()),
    ]
}

fn schema<T: JsonSchema>() -> Schema {
    SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<T>()
}
