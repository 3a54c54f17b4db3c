//! What each command does: opens what it needs, lets the core work, prints, and says how it ended.

mod anyway;
mod aside;
mod changes;
mod compare;
mod demo;
mod draft;
mod example;
mod files;
mod fmt;
mod left;
mod likeness;
mod manual;
mod matching;
mod outputs;
mod page;
mod picture;
mod plan;
mod record;
mod relate;
mod report;
mod run;
mod serve;
mod show;
mod survey;
mod tell;
mod trace;
mod used;
mod watch;

use std::io::{self, IsTerminal, Write};
use std::process::ExitCode;

use anstream::{AutoStream, ColorChoice};
use clap::CommandFactory;
use granum_core::engine::Showing;

use crate::args::{Args, Color, Command, Format, Global, ShowArgs, ShowFormat};

/// How a command ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Exit {
    /// Everything held.
    Held,
    /// The data does not hold to the plan.
    DataFailed,
    /// The plan or the call is wrong.
    PlanWrong,
    /// A file cannot be read, or not be written, or memory ran out.
    FileFailed,
    /// The program itself is at fault.
    Fault,
}

/// Says that the system gives no more threads.
pub fn no_thread(error: &dyn std::fmt::Display) -> String {
    format!(
        "error: threads cannot be started: {error}\n  fewer may do:  --threads 1 ; or raise the limit \
         of processes (ulimit -u)"
    )
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        ExitCode::from(match exit {
            Exit::Held => 0,
            Exit::DataFailed => 1,
            Exit::PlanWrong => 2,
            Exit::FileFailed => 3,
            Exit::Fault => 4,
        })
    }
}

/// Says on a terminal what is waited for: a pipe that nobody writes to yet.
fn waits(what: &str) {
    if io::stderr().is_terminal() {
        let _ = writeln!(io::stderr(), "{}", crate::render::visible(what, false));
    }
}

/// Where a command prints: results to one side, diagnostics to the other.
pub struct Printer {
    out: Box<dyn Write>,
    err: Box<dyn Write>,
    pub global: Global,
    pub width: usize,
    color_out: bool,
    color_err: bool,
    /// Why standard output takes nothing more.
    failed: Option<io::Error>,
}

impl Printer {
    fn new(global: Global) -> Self {
        let choice = match global.color {
            Color::Auto => ColorChoice::Auto,
            Color::Always => ColorChoice::Always,
            Color::Never => ColorChoice::Never,
        };
        // What is printed is made visible here already; only whether to colour is asked.
        let color = |stream: ColorChoice| stream != ColorChoice::Never;
        let color_out = color(AutoStream::new(io::stdout(), choice).current_choice());
        let color_err = color(AutoStream::new(io::stderr(), choice).current_choice());
        let width = console::Term::stdout().size_checked().map_or(100, |(_, width)| width.into());
        Self {
            out: Box::new(io::BufWriter::new(io::stdout())),
            err: Box::new(io::stderr()),
            global,
            width: width.clamp(40, 200),
            color_out,
            color_err,
            failed: None,
        }
    }

    /// Prints a result for people: nothing in it acts on a terminal.
    pub fn result(&mut self, text: &str) {
        let text = crate::render::visible(text, self.color_out);
        self.write(&text);
    }

    /// Prints a result in the format that was asked for.
    pub fn told(&mut self, format: Format, text: &str) {
        match format {
            Format::Text => self.result(text),
            Format::Json => self.data(text),
        }
    }

    /// Prints a result for programs, as it is; on a terminal people see it.
    pub fn data(&mut self, text: &str) {
        if io::stdout().is_terminal() {
            return self.result(text);
        }
        self.write(text);
    }

    fn write(&mut self, text: &str) {
        if self.failed.is_none() {
            self.failed = self.out.write_all(text.as_bytes()).err();
        }
    }

    /// Prints a diagnostic.
    pub fn diagnostic(&mut self, text: &str) {
        self.flush();
        let text = crate::render::visible(text, self.color_err);
        // Where errors cannot be told, nothing can.
        let _ = self.err.write_all(text.as_bytes());
    }

    /// Prints how long each stage took, for who wants to know.
    pub fn stages(&mut self, stages: impl IntoIterator<Item = (String, f64)>) {
        for (stage, seconds) in stages {
            self.beside(&format!("{seconds:7.2} s  {stage}"));
        }
    }

    /// Prints a line that only those see who ask for more.
    pub fn beside(&mut self, line: &str) {
        if self.global.verbose {
            self.diagnostic(&format!("{}\n", crate::render::dim(line)));
        }
    }

    fn flush(&mut self) {
        if self.failed.is_none() {
            self.failed = self.out.flush().err();
        }
    }

    /// Prints what is left. Where nobody reads any more, that is no error; any other reason is.
    fn finish(&mut self, exit: Exit) -> Exit {
        self.flush();
        match self.failed.take() {
            Some(error) if error.kind() != io::ErrorKind::BrokenPipe => {
                self.diagnostic(&format!(
                    "error: standard output cannot be written: {error}\n  what was printed is not \
                     whole; make room or write elsewhere, and run it again\n"
                ));
                if exit == Exit::Held { Exit::FileFailed } else { exit }
            }
            _ => exit,
        }
    }
}

/// Runs what was typed.
pub fn run(args: Args) -> Exit {
    let threads = args.global.threads.map_or(0, usize::from);
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).stack_size(crate::STACK);
    let mut printer = Printer::new(args.global);
    if let Err(error) = pool.build_global() {
        printer.diagnostic(&format!("{}\n", no_thread(&error)));
        return Exit::FileFailed;
    }
    let exit = match args.command {
        Command::Demo { dir, orders, quantity, seed, only_data, format } => {
            let size = granum_demo::Size { orders, quantity, seed };
            demo::run(&mut printer, &dir, size, only_data, format)
        }
        Command::Survey { files, reading, memory } => {
            survey::run(&mut printer, &files, &reading, &memory.room_to_look())
        }
        Command::Relate { files, reading, memory, find, picture } => {
            let wanted = relate::Wanted { find, picture };
            relate::run(&mut printer, &files, (&reading, &memory.room_to_look()), &wanted)
        }
        Command::Match(args) if args.near => likeness::run(&mut printer, &args),
        Command::Match(args) => matching::run(&mut printer, &args),
        Command::Draft { files, reading, memory } => {
            draft::run(&mut printer, &files, (&reading, &memory.room_to_look()))
        }
        Command::Check { plan, examples: false } => {
            watch::run(&mut printer, &plan, run::Does::Checks)
        }
        Command::Check { plan, examples: true } => {
            watch::run(&mut printer, &plan, run::Does::Examples)
        }
        Command::Run { plan, writing } => {
            watch::run(&mut printer, &plan, run::Does::Outputs(&writing))
        }
        Command::Report { plan, to, against } => {
            report::run(&mut printer, &plan, to.as_deref(), against.as_deref())
        }
        Command::Show(args) => shown(&mut printer, args),
        Command::Serve => serve::run(&mut printer),
        Command::Compare(args) => compare::run(&mut printer, &args),
        Command::Example { row, plain } => match crate::args::traced("example", &row) {
            Ok((plan, tracing)) => {
                example::run(&mut printer, &plan, &row.options, (&tracing, plain))
            }
            Err(error) => {
                let _ = error.print();
                Exit::PlanWrong
            }
        },
        Command::Tell { words, options } => match crate::args::shown("tell", &words, &options) {
            Ok((plan, table)) => tell::run(&mut printer, &plan, &options, table.as_deref()),
            Err(error) => {
                let _ = error.print();
                Exit::PlanWrong
            }
        },
        Command::Trace(row) => match crate::args::traced("trace", &row) {
            Ok((plan, tracing)) => trace::run(&mut printer, &plan, &row.options, &tracing),
            Err(error) => {
                let _ = error.print();
                Exit::PlanWrong
            }
        },
        Command::Completions { shell } => {
            let mut script = vec![];
            clap_complete::generate(shell, &mut Args::command(), "granum", &mut script);
            printer.data(&String::from_utf8_lossy(&script));
            Exit::Held
        }
        Command::Manual { dir } => manual::run(&mut printer, &dir),
        Command::Fmt { plan, check, format } => fmt::run(&mut printer, &plan, check, format),
    };
    printer.finish(exit)
}

/// `show`, by what was asked for.
fn shown(printer: &mut Printer, args: ShowArgs) -> Exit {
    let ShowArgs { words, options, rows, to, unmatched, after, removed, condition, sort } = args;
    let stream = options.format == ShowFormat::Arrow;
    let memory = options.memory.clone();
    let options = options.of_plan();
    match crate::args::shown("show", &words, &options) {
        Ok((_, None)) if to.is_some() => {
            printer.diagnostic("error: --to writes the rows of a table: name it\n");
            Exit::PlanWrong
        }
        Ok((_, None)) if stream => {
            let text = "error: --format arrow sends on the rows of a table: name it\n";
            printer.diagnostic(text);
            Exit::PlanWrong
        }
        Ok(_) if stream && to.is_some() => {
            let text = "error: --to says by its ending what is written\n  \
                        leave --format arrow out, and end the path in .arrow or .arrows\n";
            printer.diagnostic(text);
            Exit::PlanWrong
        }
        Ok((plan, None)) => show::tables(printer, &plan, &options),
        Ok((plan, Some(table))) => {
            let sort = sort.map_or(vec![], |sort| crate::args::items(&sort));
            let all = to.is_some() || stream;
            let rows = rows.or(if all { None } else { Some(crate::render::SHOWN) });
            let room = memory.room();
            let showing =
                Showing { table, unmatched, rows, condition, after, sort, room: Some(room) };
            let asked = show::Asked { showing, removed, to, stream };
            show::run(printer, &plan, &options, &asked)
        }
        Err(error) => {
            let _ = error.print();
            Exit::PlanWrong
        }
    }
}
