//! `survey`: what is in files.

use granum_core::port::{SourceError, Written};
use granum_core::survey::{Survey, survey};
use granum_core::table::Room;
use granum_io::{Files, Look};

use super::files::{self, Looked};
use super::{Exit, Printer};
use crate::args::{Format, Reading};
use crate::memory::Used;
use crate::progress::Progress;
use crate::render;
use crate::render::json::{self, Outcome, SurveyTold, Told};

pub(super) fn run(printer: &mut Printer, names: &[String], reading: &Reading, room: &Room) -> Exit {
    let folder = Files::new("").with_notice(super::waits);
    let mut exit = Exit::Held;
    let mut told = vec![];
    let said = reading.written();
    let looked = names.iter().map(|name| (name, files::look_at_all(&folder, name, &said)));
    let looked = looked.flat_map(|(name, looked)| match looked {
        Ok(looked) => {
            // What a file has several of is listed first.
            let parts: Vec<String> = looked.iter().filter_map(|one| one.part.clone()).collect();
            if parts.len() > 1 && reading.format == Format::Text {
                printer.result(&render::parts(name, &parts, printer.width));
            }
            looked.into_iter().map(Ok).collect()
        }
        Err(error) => vec![Err(error)],
    });
    for looked in looked.collect::<Vec<_>>() {
        let progress = Progress::new(printer.global.quiet);
        let surveyed = looked.and_then(|looked| one(&folder, looked, (&said, room), &progress));
        printer.stages(progress.finish());
        match surveyed {
            Ok((survey, look)) if reading.format == Format::Text => {
                printer.result(&render::survey(&survey, &look, printer.width));
            }
            Ok((survey, written)) => told.push(SurveyTold { survey, written }),
            Err(error) => {
                exit = files::failed(printer, reading.format, &error);
                // One document is printed, whatever happens.
                if reading.format == Format::Json {
                    return exit;
                }
            }
        }
    }
    if reading.format == Format::Json {
        printer.data(&json::document(Outcome::Held, Told::Surveys(told)));
    }
    printer.beside(&Used::from(room).told());
    exit
}

fn one(
    folder: &Files,
    looked: Looked,
    (said, room): (&Written, &Room),
    progress: &Progress,
) -> Result<(Survey, Look), SourceError> {
    let mut looked = vec![looked];
    let survey = files::with_encodings(&mut looked, said, |looked: &[Looked]| {
        let name = &looked[0].file;
        let (_, source) = files::open(folder, name, &looked.iter().collect::<Vec<_>>(), false)?;
        survey(source.as_ref(), vec![name.clone()], room, progress)
    })?;
    let look = looked.remove(0).look;
    Ok((survey, look))
}
