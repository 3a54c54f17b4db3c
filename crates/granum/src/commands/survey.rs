//! `survey`: what is in files.

use granum_core::port::SourceError;
use granum_core::survey::{EXACT, Survey, survey};
use granum_io::{Files, Look};

use super::files::{self, Looked};
use super::{Exit, Printer};
use crate::args::{Format, Reading};
use crate::progress::Progress;
use crate::render;
use crate::render::json::{self, Outcome, SurveyTold, Told};

pub(super) fn run(printer: &mut Printer, names: &[String], reading: &Reading) -> Exit {
    let folder = Files::new("").with_notice(super::waits);
    let mut exit = Exit::Held;
    let mut told = vec![];
    for name in names {
        let progress = Progress::new(printer.global.quiet);
        let surveyed = one(&folder, name, reading, &progress);
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
    exit
}

fn one(
    folder: &Files,
    name: &str,
    reading: &Reading,
    progress: &Progress,
) -> Result<(Survey, Look), SourceError> {
    let said = reading.written();
    let mut looked = vec![files::look(folder, name, &said)?];
    let survey = files::with_encodings(&mut looked, &said, |looked: &[Looked]| {
        let (spec, source) = files::open(folder, name, &looked.iter().collect::<Vec<_>>(), false)?;
        survey(source.as_ref(), spec.sources, EXACT, progress)
    })?;
    let look = looked.remove(0).look;
    Ok((survey, look))
}
