//! `compare`: two builds of a table side by side.

use std::path::Path;

use granum_core::compare::{CompareError, Compared, Comparing, compare};
use granum_core::tally::{Earlier, moved};
use granum_io::Files;

use super::files::{self, Looked};
use super::record;
use super::{Exit, Printer};
use crate::args::{CompareArgs, Format, Memory};
use crate::progress::Progress;
use crate::record::{Record, between_records};
use crate::render;
use crate::render::json::{self, ErrorTold, Outcome, RecordsTold, Told};

pub(super) fn run(printer: &mut Printer, args: &CompareArgs) -> Exit {
    let (old, new) = (Path::new(&args.old), Path::new(&args.new));
    if let (Ok(before), Ok(now)) = (record::read(old), record::read(new)) {
        return records(printer, args, (&before, old), &now);
    }
    let progress = Progress::new(printer.global.quiet);
    let compared = of_files(args, &progress);
    printer.stages(progress.finish());
    match compared {
        Ok(compared) => {
            let text = match args.reading.format {
                Format::Json => {
                    let outcome = Outcome::of(!compared.differs());
                    json::document(outcome, Told::Compared(&compared))
                }
                Format::Text if printer.global.quiet && !compared.differs() => String::new(),
                Format::Text if printer.global.quiet => render::compared_verdict(&compared),
                Format::Text => render::compared(&compared, (&args.old, &args.new), printer.width),
            };
            printer.told(args.reading.format, &text);
            if compared.differs() { Exit::DataFailed } else { Exit::Held }
        }
        Err(CompareError::Source(error)) => files::failed(printer, args.reading.format, &error),
        Err(error) => wrong(printer, args, &error),
    }
}

/// Compares what two runs wrote down.
fn records(
    printer: &mut Printer,
    args: &CompareArgs,
    before: (&Record, &Path),
    now: &Record,
) -> Exit {
    let since = between_records(before, now);
    let earlier = Earlier { moved: vec![], ..before.0.numbers.clone() };
    let moved = moved(&now.numbers.figures, &earlier);
    let written = since.outputs.as_ref().is_none_or(|outputs| outputs.others.is_empty());
    let same = moved.is_empty() && written;
    let text = match args.reading.format {
        Format::Json => {
            let told = RecordsTold { same, moved: &moved, since: &since };
            json::document(Outcome::of(same), Told::Records(told))
        }
        Format::Text if printer.global.quiet && same => String::new(),
        Format::Text => render::records(&since, &args.new, &moved, printer.width),
    };
    printer.told(args.reading.format, &text);
    if same { Exit::Held } else { Exit::DataFailed }
}

/// Says why the grain is none.
fn wrong(printer: &mut Printer, args: &CompareArgs, error: &CompareError) -> Exit {
    let text = render::not_compared(error, (&args.old, &args.new));
    match args.reading.format {
        Format::Text => printer.diagnostic(&text),
        Format::Json => {
            let told = ErrorTold::grain(
                if error.in_old() { &args.old } else { &args.new },
                text.trim_end(),
            );
            printer.data(&json::document(Outcome::PlanWrong, Told::Error(told)));
        }
    }
    Exit::PlanWrong
}

fn of_files(args: &CompareArgs, progress: &Progress) -> Result<Compared, CompareError> {
    let files = Files::new("").with_notice(super::waits);
    let comparing = Comparing { grain: args.grain(), tolerance: args.tolerance };
    let said = args.reading.written();
    let mut looked =
        vec![files::look(&files, &args.old, &said)?, files::look(&files, &args.new, &said)?];
    let room = Memory::default().room();
    let both = |looked: &[Looked]| {
        let open = |at: usize| files::open(&files, "build", &[&looked[at]], false);
        let ((_, mut old), (_, mut new)) = (open(0)?, open(1)?);
        match compare((old.as_mut(), new.as_mut()), &comparing, &room, progress) {
            Err(CompareError::Source(error)) => Err(error),
            told => Ok(told),
        }
    };
    files::with_encodings(&mut looked, &said, both)?
}
