//! `match`: one link in depth.

use clap::CommandFactory;
use clap::error::ErrorKind;
use granum_core::draft::{DraftedFiles, Side, linked};
use granum_core::engine::{Matched, Matching, RunError, match_link};
use granum_core::lang::{PlanTree, parse, plan_name};
use granum_core::port::SourceError;
use granum_core::relate::table_name;
use granum_core::survey::survey;
use granum_core::table::Room;
use granum_core::value::Type;
use granum_io::Files;

use super::files::{self, Looked};
use super::plan::{Plan, plan_wrong, wrong};
use super::{Exit, Printer};
use crate::args::{Args, Format, MatchArgs, PlanSource};
use crate::memory::Used;
use crate::progress::Progress;
use crate::render::json::{self, Outcome, Told};
use crate::render::{self, Texts};

/// What is matched: a plan's text, where its files are, and what is said of it beside the result.
struct Asked {
    name: String,
    texts: Texts,
    tree: PlanTree,
    files: Files,
    matching: Matching,
    notes: Vec<String>,
}

pub(super) fn run(printer: &mut Printer, args: &MatchArgs) -> Exit {
    let asked = match args.sides.as_slice() {
        [plan, link] if plan.ends_with(".granum") => of_plan(printer, args, plan, link),
        [a, b] => of_files(printer, args, a, b),
        _ => return Exit::PlanWrong,
    };
    let asked = match asked {
        Ok(asked) => asked,
        Err(exit) => return exit,
    };
    let progress = Progress::new(printer.global.quiet);
    let found = match_link(
        (&asked.texts.all, &asked.tree),
        &args.settings,
        &asked.files,
        &asked.matching,
        &progress,
    );
    printer.stages(progress.finish());
    if let Some(room) = &asked.matching.room {
        printer.beside(&Used::from(room).told());
    }
    let format = args.reading.format;
    match found {
        Ok(found) => told(printer, &asked, &found, format),
        Err(RunError::Plan(diagnostics)) => {
            let beside = asked.matching.beside(&asked.texts.all);
            wrong(printer, format, &asked.name, (&asked.texts, &beside), &diagnostics)
        }
        Err(RunError::Source(error)) => files::failed(printer, format, &error),
        Err(RunError::Scratch(error)) => files::failed(printer, format, &error.into()),
        Err(RunError::Output(_)) => Exit::FileFailed,
    }
}

fn told(printer: &mut Printer, asked: &Asked, found: &Matched, format: Format) -> Exit {
    let stopped = !found.problems.is_empty();
    match format {
        Format::Json => {
            let outcome = Outcome::of(!stopped);
            printer.data(&json::of_plan(&asked.name, outcome, Told::Match(found)));
        }
        Format::Text if stopped => {
            let text = render::problems(&found.problems, &asked.texts.all);
            printer.diagnostic(&format!("{text}\nThe link could not be looked at.\n"));
        }
        Format::Text => printer.result(&render::matched(found, &asked.notes, printer.width)),
    }
    if stopped { Exit::DataFailed } else { Exit::Held }
}

fn call_is_wrong(kind: ErrorKind, message: &str) -> Exit {
    let _ = Args::command().error(kind, message).print();
    Exit::PlanWrong
}

fn of_plan(printer: &mut Printer, args: &MatchArgs, path: &str, link: &str) -> Result<Asked, Exit> {
    if args.on.is_some() {
        return Err(call_is_wrong(
            ErrorKind::ArgumentConflict,
            "--on goes with two files; a plan's link has its keys",
        ));
    }
    let Some((table, link)) = link.split_once('.') else {
        return Err(call_is_wrong(
            ErrorKind::InvalidValue,
            "a plan's link is named TABLE.LINK, such as orders.customers",
        ));
    };
    let source = PlanSource::File(path.into());
    let plan = Plan::open(printer, &source, (args.reading.format, &[]))?;
    Ok(Asked {
        name: plan.name,
        texts: plan.texts,
        tree: plan.tree,
        files: plan.files,
        matching: Matching {
            table: table.trim_matches('`').to_owned(),
            link: link.trim_matches('`').to_owned(),
            amount: args.amount.clone(),
            by: args.by.clone(),
            room: Some(args.memory.room()),
        },
        notes: vec![],
    })
}

/// A file that is one side of the link.
struct End {
    looked: Looked,
    name: String,
    /// Each with its type, and the `read` that `survey` proposes.
    columns: Vec<(String, Type, Option<String>)>,
    /// Columns that are read as text, since they are compared with texts.
    as_text: Vec<String>,
}

impl End {
    fn open(
        files: &Files,
        (args, room): (&MatchArgs, &Room),
        file: &str,
        progress: &Progress,
    ) -> Result<Self, SourceError> {
        let said = args.reading.written();
        let mut looked = vec![files::look(files, file, &said)?];
        let columns = files::with_encodings(&mut looked, &said, |looked| {
            let (spec, source) =
                files::open(files, file, &looked.iter().collect::<Vec<_>>(), false)?;
            survey(source.as_ref(), spec.sources, room, progress)
        })?;
        let columns = columns.columns.into_iter();
        let columns = columns.map(|column| (column.name, column.read_as, column.read)).collect();
        let looked = looked.remove(0);
        let stem = file.rsplit('/').next().unwrap_or(file).split('.').next().unwrap_or(file);
        let name = table_name(looked.part.as_deref().unwrap_or(stem));
        Ok(Self { looked, name, columns, as_text: vec![] })
    }

    fn column(&self, name: &str) -> Option<Type> {
        self.columns.iter().find(|(column, ..)| column == name).map(|(_, ty, _)| *ty)
    }

    fn side(&self) -> Side {
        let files = DraftedFiles {
            paths: vec![self.looked.path.clone()],
            written: files::written_as(&self.looked),
            ..DraftedFiles::default()
        };
        let reads = self.columns.iter().filter_map(|(column, _, read)| {
            let text = self.as_text.contains(column).then(|| "text".to_owned());
            Some((column.clone(), text.or_else(|| read.clone())?))
        });
        Side { name: self.name.clone(), files, reads: reads.collect() }
    }
}

fn of_files(printer: &mut Printer, args: &MatchArgs, a: &str, b: &str) -> Result<Asked, Exit> {
    let Some(on) = &args.on else {
        return Err(call_is_wrong(
            ErrorKind::MissingRequiredArgument,
            "two files are matched --on their keys: granum match A B --on KEY[=KEY],\u{2026}",
        ));
    };
    let files = Files::new("").with_notice(super::waits);
    let progress = Progress::new(false);
    let asked = (args, &args.memory.room());
    let opened = End::open(&files, asked, a, &progress)
        .and_then(|from| Ok((from, End::open(&files, asked, b, &progress)?)));
    let _ = progress.finish();
    let (mut from, mut to) =
        opened.map_err(|error| files::failed(printer, args.reading.format, &error))?;
    if to.name == from.name {
        to.name.push_str("_2");
    }
    let pairs: Vec<(String, String)> = on
        .split(',')
        .map(|key| {
            let (left, right) = key.split_once('=').unwrap_or((key, key));
            let name = |side: &str| side.trim().trim_matches('`').to_owned();
            (name(left), name(right))
        })
        .collect();
    let named = |(left, right): &(String, String)| Some((from.column(left)?, to.column(right)?));
    let types: Option<Vec<(Type, Type)>> = pairs.iter().map(named).collect();
    let mut notes = vec![];
    // Names of columns may have any signs; everything else is an expression, as it is in plans.
    let keys = match types {
        None => on.clone(),
        Some(types) => {
            for ((left, right), (left_type, right_type)) in pairs.iter().zip(types) {
                let text = (left_type == Type::Text, right_type == Type::Text);
                let (end, column, ty) = match text {
                    (true, false) if right_type != Type::Blank => (&mut to, right, right_type),
                    (false, true) if left_type != Type::Blank => (&mut from, left, left_type),
                    _ => continue,
                };
                end.as_text.push(column.clone());
                notes.push(format!(
                    "{column} is {ty} in {} and text on the other side; in a plan it needs  read {} \
                     as text",
                    end.name,
                    plan_name(column)
                ));
            }
            let keys = pairs.iter().map(|(left, right)| {
                let (left, right) = (plan_name(left), plan_name(right));
                if left == right { left } else { format!("{left} = {right}") }
            });
            keys.collect::<Vec<_>>().join(", ")
        }
    };
    let text = linked(&from.side(), &to.side(), &keys);
    // What names a column alone is meant as such, whatever signs it has.
    let column = |wanted: &Option<String>| {
        let wanted = wanted.as_ref()?;
        let known = from.column(wanted).or_else(|| to.column(wanted)).is_some();
        Some(if known { plan_name(wanted) } else { wanted.clone() })
    };
    let name = format!("{a} {b}");
    let parsed = parse(&text);
    let texts = Texts::of(name.clone(), text);
    if !parsed.diagnostics.is_empty() {
        plan_wrong(printer, args.reading.format, &name, &texts, &parsed.diagnostics);
        return Err(Exit::PlanWrong);
    }
    Ok(Asked {
        name,
        texts,
        tree: parsed.tree,
        files,
        matching: Matching {
            table: from.name.clone(),
            link: to.name.clone(),
            amount: column(&args.amount),
            by: column(&args.by),
            room: Some(args.memory.room()),
        },
        notes,
    })
}
