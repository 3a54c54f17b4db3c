//! `relate`: how files link.

use std::path::PathBuf;

use granum_core::engine::{InputSource, SourceError, SourceErrorKind};
use granum_core::relate::{Related, Relations, find_names, group, relate};
use granum_core::survey::EXACT;
use granum_io::{Files, Written};

use super::files::{self, Looked};
use super::{Exit, Printer, picture};
use crate::args::{Format, Reading};
use crate::progress::Progress;
use crate::render::{self, json};

/// What `relate` was asked for beside the links.
#[derive(Debug, Clone, Default)]
pub(super) struct Wanted {
    pub find: Option<String>,
    pub picture: Option<PathBuf>,
}

pub(super) fn run(
    printer: &mut Printer,
    names: &[String],
    reading: &Reading,
    wanted: &Wanted,
) -> Exit {
    let kind = match wanted.picture.as_deref().map(picture::kind_of).transpose() {
        Ok(kind) => kind,
        Err(exit) => return exit,
    };
    let relations =
        match relations(printer, &Files::new("").with_notice(super::waits), names, reading) {
            Ok((relations, _)) => relations,
            Err(error) => return files::failed(printer, reading.format, &error),
        };
    if let Some(name) = &wanted.find {
        let found = find_names(&relations, name);
        let text = match reading.format {
            Format::Text => render::names_found(&found, name),
            Format::Json => json::document(None, "held", [("found", json::value(&found))]),
        };
        printer.told(reading.format, &text);
        return Exit::Held;
    }
    let text = match reading.format {
        Format::Text => render::relations(&relations, printer.width),
        Format::Json => {
            let told = [
                ("tables", json::value(&relations.tables)),
                ("links", json::links(&relations.links)),
                ("crossings", json::value(&relations.crossings)),
                ("periods", json::value(&relations.periods)),
            ];
            json::document(None, "held", told)
        }
    };
    printer.told(reading.format, &text);
    match (&wanted.picture, kind) {
        (Some(path), Some(kind)) => picture::write(printer, &relations, path, kind),
        _ => Exit::Held,
    }
}

/// Reads files and finds how they link. Gives how the files of each table are written, too.
pub(super) fn relations(
    printer: &Printer,
    folder: &Files,
    names: &[String],
    reading: &Reading,
) -> Result<(Relations, Vec<Looked>), SourceError> {
    let said = reading.written();
    let mut looked = names
        .iter()
        .map(|name| files::look(folder, name, &said))
        .collect::<Result<Vec<Looked>, SourceError>>()?;
    if let Some((_, name)) = names.iter().enumerate().find(|(at, name)| names[..*at].contains(name))
    {
        return Err(SourceError {
            kind: SourceErrorKind::Doubled,
            file: name.clone(),
            line: None,
            message: "is named twice".into(),
            help: "name it once; a pattern may find it a second time".into(),
        });
    }
    let progress = Progress::new(printer.global.quiet);
    let found = files::with_encodings(&mut looked, &said, |looked| {
        relate_looked(folder, looked, &progress)
    });
    let _ = progress.finish();
    Ok((found?, looked))
}

fn relate_looked(
    folder: &Files,
    looked: &[Looked],
    progress: &Progress,
) -> Result<Relations, SourceError> {
    let mut headers = vec![];
    for one in looked {
        let (_, source) = files::open(folder, "", &[one])?;
        let columns = source.shape().columns.into_iter().map(|(name, _)| name).collect();
        let written = Written {
            delimiter: Some(one.look.delimiter as u8),
            encoding: one.look.named_encoding.clone(),
            header_at: one.look.header_at,
            footer: one.look.footer,
        };
        headers.push((one.file.clone(), written, columns));
    }
    let groups = group(&headers);
    let mut opened: Vec<(String, Vec<String>, Box<dyn InputSource>)> = vec![];
    for table in &groups {
        let members: Vec<&Looked> = table.files.iter().map(|at| &looked[*at]).collect();
        let (spec, source) = files::open(folder, &table.name, &members)?;
        opened.push((table.name.clone(), spec.sources, source));
    }
    let tables = opened.iter().map(|(name, files, source)| Related {
        name: name.clone(),
        files: files.clone(),
        source: source.as_ref(),
    });
    relate(tables.collect(), EXACT, progress)
}
