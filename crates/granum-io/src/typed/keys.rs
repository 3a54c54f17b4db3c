//! What the path of a file says of all its rows: folders that are called `region=north`.

use granum_core::port::{InputColumn, ReadRequest};
use granum_core::table::{Column, Origin};
use granum_core::value::{Found, Scalar, Type};

use super::{Native, Typed};
use crate::csv::settled_type;

/// The columns that a path says, with the text of each.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct Keys(Vec<(String, String)>);

impl Keys {
    /// Those of a path as a plan names it or a pattern finds it. The last that has a name counts.
    #[cfg(feature = "columnar")]
    pub fn of(path: &str) -> Self {
        let mut keys = Self::default();
        let mut folders: Vec<&str> = path.split(['/', '\\']).collect();
        folders.pop();
        for folder in folders {
            let Some((name, value)) = folder.split_once('=') else { continue };
            let (name, value) = (decoded(name), decoded(value));
            if name.is_empty() {
                continue;
            }
            keys.0.retain(|(known, _)| *known != name);
            keys.0.push((name, value));
        }
        keys
    }

    pub fn names(&self) -> impl Iterator<Item = &String> {
        self.0.iter().map(|(name, _)| name)
    }

    pub fn value(&self, name: &str) -> Option<&str> {
        self.0.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str())
    }

    /// What the values of each are found to be in all files.
    pub fn types<'k>(all: impl Iterator<Item = &'k Keys>) -> Vec<(&'k str, Type)> {
        let mut found: Vec<(&str, Found)> = vec![];
        for (name, value) in all.flat_map(|keys| &keys.0) {
            let at = found.iter().position(|(known, _)| known == name).unwrap_or_else(|| {
                found.push((name, Found::default()));
                found.len() - 1
            });
            if !value.is_empty() {
                found[at].1.cell(value.as_bytes());
            }
        }
        found.into_iter().map(|(name, found)| (name, settled_type(Some(found)))).collect()
    }

    /// A text as a value of a type that it was found to be.
    pub fn read(text: &str, ty: Type) -> Scalar {
        let text = Some(text).filter(|text| !text.is_empty());
        let column = Column::Text(std::iter::once(text).collect());
        let request = ReadRequest {
            columns: vec![InputColumn { column: 0, ty, rule: None }],
            ..ReadRequest::default()
        };
        let typed = Typed {
            request: &request,
            width: 1,
            rows: 1,
            natives: vec![(0, Native::from(column.clone()))],
            origin: Origin::lines("".into()),
            first: 1,
            alike: true,
        };
        typed.part().map_or_else(|_| column.scalar(0), |part| part.columns[0].scalar(0))
    }
}

/// A part of a path in which letters may be written as `%2F`.
#[cfg(feature = "columnar")]
fn decoded(text: &str) -> String {
    let bytes = text.as_bytes();
    let mut out = vec![];
    let mut at = 0;
    while at < bytes.len() {
        let code = bytes.get(at + 1..at + 3).and_then(|code| std::str::from_utf8(code).ok());
        let code = code.and_then(|code| u8::from_str_radix(code, 16).ok());
        match code.filter(|_| bytes[at] == b'%') {
            Some(code) => {
                out.push(code);
                at += 3;
            }
            None => {
                out.push(bytes[at]);
                at += 1;
            }
        }
    }
    String::from_utf8(out).unwrap_or_else(|_| text.to_owned())
}
