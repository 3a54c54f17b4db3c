//! An object's cells, each named by the path to it.

use std::fmt;

use serde::de::{Deserializer, MapAccess, Visitor};
use serde_json::value::RawValue;

/// Keys with what stands behind them, in their order.
struct Entries<'a>(Vec<(String, &'a RawValue)>);

impl<'de> serde::Deserialize<'de> for Entries<'de> {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        struct Keys;
        impl<'de> Visitor<'de> for Keys {
            type Value = Entries<'de>;

            fn expecting(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
                out.write_str("an object")
            }

            fn visit_map<M: MapAccess<'de>>(self, mut map: M) -> Result<Entries<'de>, M::Error> {
                let mut found = vec![];
                while let Some(entry) = map.next_entry::<String, &RawValue>()? {
                    found.push(entry);
                }
                Ok(Entries(found))
            }
        }
        from.deserialize_map(Keys)
    }
}

/// The cells of an object: what lies in objects within it stands behind its keys, parted by points; a list is its own
/// text. What is null or an empty text is no cell.
///
/// ```text
/// {"no": 1.50, "to": {"name": "Ada", "zip": null}}   →   no 1.50, to.name Ada
/// ```
///
/// # Errors
/// What is wrong, in words.
pub(super) fn cells(object: &[u8]) -> Result<Vec<(String, String)>, String> {
    let mut found = vec![];
    within(object, "", &mut found)?;
    Ok(found)
}

fn within(object: &[u8], path: &str, found: &mut Vec<(String, String)>) -> Result<(), String> {
    let entries: Entries<'_> = serde_json::from_slice(object).map_err(|error| words(&error))?;
    for (key, value) in entries.0 {
        let name = if path.is_empty() { key } else { format!("{path}.{key}") };
        let text = value.get();
        match text.as_bytes().first() {
            Some(b'{') => within(text.as_bytes(), &name, found)?,
            Some(b'"') => {
                let text: String = serde_json::from_str(text).map_err(|error| words(&error))?;
                found.push((name, text));
            }
            Some(b'n') => found.push((name, String::new())),
            _ => found.push((name, text.to_owned())),
        }
    }
    Ok(())
}

/// What is wrong, without the place that it has within the object.
fn words(error: &serde_json::Error) -> String {
    let text = error.to_string();
    text.split(" at line ").next().unwrap_or(&text).to_owned()
}
