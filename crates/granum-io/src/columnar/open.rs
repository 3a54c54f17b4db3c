//! What a file is, told by its first bytes.

use std::fs::File;
use std::io::Read;
use std::path::Path;
use std::sync::Arc;

use granum_core::port::{InputSource, InputSpec, NamedAs, SourceError, SourceErrorKind};

use super::ipc::ArrowFile;
use super::parquet::ParquetFile;
use super::picked::damaged;
use super::write::Kind;
use crate::csv::{LineEnds, Look, system_error};
use crate::find::FoundFile;
use crate::typed::{Keys, Opened, Stored, TypedSource};

/// Opens files, each with the name that messages have, as one input.
///
/// # Errors
/// A file that cannot be read, or is not what its name says.
pub(crate) fn open(
    spec: &InputSpec,
    files: &[FoundFile],
) -> Result<Box<dyn InputSource>, SourceError> {
    let mut opened = vec![];
    for FoundFile { path, name, .. } in files {
        opened.push(Opened {
            name: name.clone(),
            stored: stored(path, name)?,
            keys: Keys::of(name),
        });
    }
    Ok(Box::new(TypedSource::of(spec, opened)?))
}

/// How a file of columns is written.
///
/// # Errors
/// As when it is read.
pub(crate) fn look(path: &Path, name: &str, format: &'static str) -> Result<Look, SourceError> {
    let stored = stored(path, name)?;
    Ok(Look {
        format,
        encoding: "UTF-8".into(),
        named_encoding: None,
        delimiter: ',',
        header_at: None,
        footer: None,
        line_ends: LineEnds::None,
        bytes: stored.bytes(),
        sheet: None,
        range: None,
        named: None,
    })
}

fn stored(path: &Path, name: &str) -> Result<Arc<dyn Stored>, SourceError> {
    let error = |kind, message: String, help: &str| SourceError {
        kind,
        file: name.to_owned(),
        line: None,
        message,
        help: help.into(),
    };
    let system = |error: std::io::Error| system_error(name, &error);
    let data = std::fs::metadata(path).map_err(system)?;
    if data.is_dir() {
        return Err(system(std::io::ErrorKind::IsADirectory.into()));
    }
    let mut begin = vec![];
    File::open(path).map_err(system)?.take(6).read_to_end(&mut begin).map_err(system)?;
    let named = NamedAs::of(name);
    let arrow = named.ends(".arrow") || named.ends(".arrows");
    if let Some(packed) = named.packed {
        let message = format!("is packed as a whole, and {} is packed within", what(arrow));
        return Err(error(
            SourceErrorKind::Format,
            message,
            if packed == ".gz" { "unpack it:  gunzip FILE" } else { "unpack it:  unzstd FILE" },
        ));
    }
    let parquet = named.ends(".parquet");
    if begin.is_empty() {
        return Err(error(
            SourceErrorKind::Empty,
            "is empty: it has not even a schema".into(),
            "ask for the file again, or leave it out of the plan",
        ));
    }
    match Kind::by(&begin) {
        Some(Kind::Parquet) if !arrow => Ok(Arc::new(ParquetFile::open(path, name)?)),
        Some(Kind::Parquet) => Err(error(
            SourceErrorKind::Format,
            "is Parquet, which is not what its name says".into(),
            "call it  FILE.parquet",
        )),
        Some(kind) if !parquet => {
            Ok(Arc::new(ArrowFile::open(path, name, kind == Kind::ArrowStream)?))
        }
        Some(_) => Err(error(
            SourceErrorKind::Format,
            "is Arrow, which is not what its name says".into(),
            "call it  FILE.arrow",
        )),
        None => Err(damaged(name, &format!("it does not begin as {} does", what(arrow)))),
    }
}

fn what(arrow: bool) -> &'static str {
    if arrow { "Arrow" } else { "Parquet" }
}
