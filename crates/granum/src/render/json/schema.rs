//! Makes the schemas of `docs/schema/` from the types, and holds those that stand there to them.

use std::path::Path;

use schemars::JsonSchema;
use schemars::generate::SchemaSettings;

use super::{Document, SCHEMAS};
use crate::record::Record;

fn schema<T: JsonSchema>() -> String {
    let settings = SchemaSettings::draft2020_12().for_serialize();
    let schema = settings.into_generator().into_root_schema_for::<T>();
    serde_json::to_string_pretty(&schema).unwrap() + "\n"
}

/// `scripts/schema.sh` writes them anew.
#[test]
fn the_schemas_are_those_of_the_types() {
    let made = [schema::<Document<'static>>(), schema::<Record>()];
    for ((name, here), made) in SCHEMAS.iter().zip(made) {
        if std::env::var_os("GRANUM_WRITE_SCHEMAS").is_some() {
            let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schema");
            std::fs::write(docs.join(name), &made).unwrap();
        } else {
            assert!(made == *here, "docs/schema/{name} is not of these types: scripts/schema.sh");
        }
    }
}
