//! An object's cells, each named by the path to it; and the rows of a list in it.

use std::fmt;

use granum_core::port::Each;
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

/// A value of an object.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Cell {
    /// The path to it.
    pub name: String,
    /// Its text; nothing for null.
    pub text: String,
    /// Whether it is a list, whose text is JSON.
    pub list: bool,
}

/// The cells of an object: what lies in objects within it stands behind its keys, parted by points; a list is its own
/// text. What is null or an empty text is blank.
///
/// ```text
/// {"no": 1.50, "to": {"name": "Ada", "zip": null}}   →   no 1.50, to.name Ada, to.zip
/// ```
///
/// # Errors
/// What is wrong, in words.
pub(super) fn cells(object: &[u8]) -> Result<Vec<Cell>, Odd> {
    let mut found = vec![];
    within(object, "", &mut found)?;
    for (at, cell) in found.iter().enumerate() {
        if found[..at].iter().any(|known| known.name == cell.name) {
            return Err(Odd::Twice(cell.name.clone()));
        }
    }
    Ok(found)
}

/// Why an object has no cells, or no rows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Odd {
    /// It is no JSON, in words.
    NoJson(String),
    /// Two values have one path.
    Twice(String),
    /// What should be a list is none.
    NoList(String),
    /// Something in a list is no object.
    NoObject(String),
}

/// Whether a path leads into what another leads to.
pub(super) fn lies_in(path: &str, object: &str) -> bool {
    path.strip_prefix(object).is_some_and(|rest| rest.starts_with('.'))
}

/// The rows of a list in an object: of each of its objects the named cells around the list, and its own.
///
/// # Errors
/// What is wrong.
pub(super) fn rows(outer: Vec<Cell>, each: &Each) -> Result<Vec<Vec<Cell>>, Odd> {
    let Some(list) = outer.iter().find(|cell| cell.name == each.list) else {
        // One object where others have a list is no list of one: nobody said so.
        let object = outer.iter().any(|cell| lies_in(&cell.name, &each.list));
        return if object { Err(Odd::NoList(each.list.clone())) } else { Ok(vec![]) };
    };
    if !list.list {
        let nothing = list.text.is_empty();
        return if nothing { Ok(vec![]) } else { Err(Odd::NoList(each.list.clone())) };
    }
    let around: Vec<Cell> = each
        .with
        .iter()
        .map(|name| {
            let blank = || Cell { name: name.clone(), text: String::new(), list: false };
            outer.iter().find(|cell| cell.name == *name).cloned().unwrap_or_else(blank)
        })
        .collect();
    let objects: Vec<&RawValue> = serde_json::from_str(&list.text).map_err(|e| no_json(&e))?;
    let row = |object: &&RawValue| {
        let text = object.get();
        if !text.starts_with('{') {
            return Err(Odd::NoObject(each.list.clone()));
        }
        let own = cells(text.as_bytes())?;
        match own.iter().find(|cell| each.with.contains(&cell.name)) {
            Some(twice) => Err(Odd::Twice(twice.name.clone())),
            None => Ok(around.iter().cloned().chain(own).collect()),
        }
    };
    objects.iter().map(row).collect()
}

fn within(object: &[u8], path: &str, found: &mut Vec<Cell>) -> Result<(), Odd> {
    let entries: Entries<'_> = serde_json::from_slice(object).map_err(|error| no_json(&error))?;
    for (key, value) in entries.0 {
        let name = if path.is_empty() { key } else { format!("{path}.{key}") };
        let text = value.get();
        let (text, list) = match text.as_bytes().first() {
            Some(b'{') => {
                within(text.as_bytes(), &name, found)?;
                continue;
            }
            Some(b'"') => (serde_json::from_str(text).map_err(|error| no_json(&error))?, false),
            Some(b'n') => (String::new(), false),
            first => (text.to_owned(), first == Some(&b'[')),
        };
        found.push(Cell { name, text, list });
    }
    Ok(())
}

/// What is wrong, without the place that it has within the object.
fn no_json(error: &serde_json::Error) -> Odd {
    let text = error.to_string();
    Odd::NoJson(text.split(" at line ").next().unwrap_or(&text).to_owned())
}
