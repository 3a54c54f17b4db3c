//! `match --near`: names of two files that may be meant alike.

use clap::CommandFactory;
use clap::error::ErrorKind;
use granum_core::likeness::likeness;
use granum_core::port::{InputSource, SourceError, SourceErrorKind};
use granum_core::table::Column;
use granum_core::tally::Likeness;
use granum_io::Files;

use super::files::{self, Looked};
use super::{Exit, Printer};
use crate::args::{Args, Format, MatchArgs};
use crate::render;
use crate::render::json::{self, ErrorTold, LikenessTold, Outcome, Told};

pub(super) fn run(printer: &mut Printer, args: &MatchArgs) -> Exit {
    let [a, b] = args.sides.as_slice() else { return Exit::PlanWrong };
    let on = args.on.as_deref().map(|on| on.split_once('=').unwrap_or((on, on)));
    let on = on.map(|(own, other)| (own.trim().trim_matches('`'), other.trim().trim_matches('`')));
    let on = on.filter(|_| !a.ends_with(".granum"));
    let Some((own, other)) =
        on.filter(|(own, other)| ![own, other].iter().any(|name| name.contains(',')))
    else {
        let message = "--near looks at one column of names of two files: granum match A B --on NAME[=NAME] --near";
        let _ = Args::command().error(ErrorKind::ArgumentConflict, message).print();
        return Exit::PlanWrong;
    };
    let found = match look(args, (a, b), (own, other)) {
        Ok(found) => found,
        Err(error) => return files::failed(printer, args.reading.format, &error),
    };
    let (pairs, left) = best(&found);
    let mut written = None;
    if let Some(path) = &args.to {
        let names = if own == other {
            [own.to_owned(), format!("{other}_there")]
        } else {
            [own.to_owned(), other.to_owned()]
        };
        let column = |of: fn(&(String, String)) -> &str| {
            Column::Text(pairs.iter().map(|pair| Some(of(pair))).collect())
        };
        let [first, second] = names;
        let columns = [(first, column(|pair| &pair.0)), (second, column(|pair| &pair.1))];
        let path = path.to_string_lossy().into_owned();
        if let Err(error) = save(&path, [a, b], &columns) {
            match args.reading.format {
                Format::Text => printer.diagnostic(&format!("error: {error}\n  {}\n", error.help)),
                Format::Json => {
                    let told = Told::Error(ErrorTold::from(&error));
                    printer.data(&json::document(Outcome::FileFailed, told));
                }
            }
            return Exit::FileFailed;
        }
        written = Some((path, pairs.len() as u64, left));
    }
    match args.reading.format {
        Format::Text => {
            printer.result(&render::likeness(&found, (a, b), (own, other), written.as_ref()));
        }
        Format::Json => {
            let written = written.as_ref().map(|(path, ..)| path.as_str());
            let told = Told::Likeness(LikenessTold { likeness: &found, written });
            printer.data(&json::document(Outcome::Held, told));
        }
    }
    Exit::Held
}

/// Looks at both files.
fn look(
    args: &MatchArgs,
    (a, b): (&str, &str),
    (own, other): (&str, &str),
) -> Result<Likeness, SourceError> {
    let files = Files::new("").with_notice(super::waits);
    let said = args.reading.written();
    let mut looked = vec![files::look(&files, a, &said)?, files::look(&files, b, &said)?];
    let both = |looked: &[Looked]| {
        let open = |at: usize| files::open(&files, "names", &[&looked[at]], false);
        let ((_, left), (_, right)) = (open(0)?, open(1)?);
        let (left_at, right_at) = (column(&*left, a, own)?, column(&*right, b, other)?);
        likeness((&*left, left_at), (&*right, right_at))
    };
    files::with_encodings(&mut looked, &said, both)
}

/// A column of a file by its name.
fn column(source: &dyn InputSource, file: &str, name: &str) -> Result<usize, SourceError> {
    let columns = source.shape().columns;
    let at = columns.iter().position(|(known, _)| known == name);
    at.ok_or_else(|| {
        let names: Vec<&str> = columns.iter().map(|(name, _)| name.as_str()).collect();
        SourceError {
            kind: SourceErrorKind::Columns,
            file: file.to_owned(),
            line: None,
            message: format!("has no column called `{name}`"),
            help: format!("it has {}", names.join(", ")),
        }
    })
}

/// Of each name its likeliest pair; and how many names have several that are equally like.
fn best(found: &Likeness) -> (Vec<(String, String)>, u64) {
    let mut pairs = vec![];
    let mut left = 0;
    for own in found.pairs.chunk_by(|one, next| one.a == next.a) {
        match own {
            [first, second, ..] if first.likeness == second.likeness => left += 1,
            [first, ..] => pairs.push((first.a.clone(), first.b.clone())),
            [] => {}
        }
    }
    (pairs, left)
}

/// Writes the pairs; no file that is looked at is replaced.
fn save(
    path: &str,
    inputs: [&String; 2],
    columns: &[(String, Column)],
) -> Result<u64, granum_core::port::OutputError> {
    let files = Files::new("");
    let place = files.place(path).ok();
    let replaces = inputs.iter().any(|input| place.is_some() && files.place(input).ok() == place);
    let refused = |message: &str, help: &str| granum_core::port::OutputError {
        path: path.to_owned(),
        message: message.into(),
        help: help.into(),
    };
    if replaces {
        return Err(refused("one of the two files stands there", "write to another path"));
    }
    files.save(path, columns)
}
