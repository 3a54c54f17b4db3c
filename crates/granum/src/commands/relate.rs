//! `relate`: how files link.

use std::path::PathBuf;

use granum_core::port::{InputSource, SourceError, SourceErrorKind};
use granum_core::relate::{
    FoundParts, Grouped, Headed, Related, Relations, find_names, group, relate, together,
};
use granum_core::table::Room;
use granum_io::Files;
use rayon::prelude::*;

use super::files::{self, Looked};
use super::{Exit, Printer, picture};
use crate::args::{Format, Reading};
use crate::memory::Used;
use crate::progress::Progress;
use crate::render;
use crate::render::json::{self, Outcome, Told};

/// What `relate` was asked for beside the links.
#[derive(Debug, Clone, Default)]
pub(super) struct Wanted {
    pub find: Option<String>,
    pub picture: Option<PathBuf>,
}

pub(super) fn run(
    printer: &mut Printer,
    names: &[String],
    (reading, room): (&Reading, &Room),
    wanted: &Wanted,
) -> Exit {
    let kind = match wanted.picture.as_deref().map(picture::kind_of).transpose() {
        Ok(kind) => kind,
        Err(exit) => return exit,
    };
    let folder = Files::new("").with_notice(super::waits);
    let relations = match relations(printer, &folder, names, (reading, room)) {
        Ok((relations, _)) => relations,
        Err(error) => return files::failed(printer, reading.format, &error),
    };
    printer.beside(&Used::from(room).told());
    if let Some(name) = &wanted.find {
        let found = find_names(&relations, name);
        let text = match reading.format {
            Format::Text => render::names_found(&found, name),
            Format::Json => json::document(Outcome::Held, Told::Found(&found)),
        };
        printer.told(reading.format, &text);
        return Exit::Held;
    }
    let text = match reading.format {
        Format::Text => render::relations(&relations, printer.width),
        Format::Json => json::document(Outcome::Held, Told::Relations(&relations)),
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
    (reading, room): (&Reading, &Room),
) -> Result<(Relations, Vec<Looked>), SourceError> {
    let said = reading.written();
    let mut looked: Vec<Looked> = vec![];
    for name in names {
        looked.extend(files::look_at_all(folder, name, &said)?);
    }
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
        relate_looked(folder, looked, room, &progress)
    });
    let _ = progress.finish();
    Ok((found?, looked))
}

fn relate_looked(
    folder: &Files,
    looked: &[Looked],
    room: &Room,
    progress: &Progress,
) -> Result<Relations, SourceError> {
    let mut headers = vec![];
    // What is a table by itself is not opened again: a sheet, or JSON, is gone through for its columns.
    let mut single = vec![];
    let opened: Vec<_> =
        looked.par_iter().map(|one| files::open(folder, "", &[one], false)).collect();
    for (one, opened) in looked.iter().zip(opened) {
        let (_, source) = opened?;
        let columns = source.shape().columns.into_iter().map(|(name, _)| name).collect();
        let (file, part) = (one.file.clone(), one.part.clone());
        headers.push(Headed { file, part, format: one.look.format, columns });
        single.push(source);
    }
    let mut groups = group(&headers);
    let mut parts: Vec<FoundParts> = vec![];
    loop {
        let mut found = relate_groups(folder, (looked, &single), (&groups, room), progress)?;
        // What is part of one table is looked at as that, where it can be one input.
        let one_format = |more: &&FoundParts| {
            let format = |name: &str| {
                let group = groups.iter().find(|group| group.name == name)?;
                let first = &looked[*group.files.first()?];
                Some((first.look.format, first.part.clone()))
            };
            format(&more.tables.0) == format(&more.tables.1)
        };
        let Some(more) = found.parts.iter().find(one_format).cloned() else {
            found.parts = parts;
            return Ok(found);
        };
        groups = together(&groups, &more.tables.0, &more.tables.1);
        parts.push(more);
    }
}

/// Relates tables, of whose files each has been looked at and opened by itself.
fn relate_groups(
    folder: &Files,
    (looked, single): (&[Looked], &[Box<dyn InputSource>]),
    (groups, room): (&[Grouped], &Room),
    progress: &Progress,
) -> Result<Relations, SourceError> {
    let mut stacked: Vec<Option<Box<dyn InputSource>>> = vec![];
    for table in groups {
        let members: Vec<&Looked> = table.files.iter().map(|at| &looked[*at]).collect();
        stacked.push(match members.as_slice() {
            [_] => None,
            members => Some(files::open(folder, &table.name, members, table.filling)?.1),
        });
    }
    let tables = groups.iter().zip(&stacked).map(|(group, stacked)| Related {
        name: group.name.clone(),
        filling: group.filling,
        files: group.files.iter().map(|at| looked[*at].file.clone()).collect(),
        source: stacked.as_ref().unwrap_or(&single[group.files[0]]).as_ref(),
    });
    relate(tables.collect(), room, progress)
}
