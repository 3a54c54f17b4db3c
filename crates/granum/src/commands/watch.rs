//! `run --watch`, `check --watch`, `report --watch`: again whenever the plan or a file that it reads changes.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io::{self, IsTerminal};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant, SystemTime};

use granum_core::lang::StatementKind;
use granum_core::port::is_address;
use granum_core::tally::{Earlier, figures, moved};
use notify::{RecommendedWatcher, RecursiveMode, Watcher};

use super::plan::Plan;
use super::run::{self, Does};
use super::{Exit, Printer};
use crate::args::{Format, PlanArgs, PlanSource};
use crate::render::{self, Again};

/// What is written by others comes in several steps: so long it is quiet before a run.
const QUIET: Duration = Duration::from_millis(150);

/// So often files are looked at that no notice comes of, as on a disk of another machine.
const LOOK: Duration = Duration::from_secs(2);

/// How a file stands: its size, and when it was changed last; nothing where it is not there.
type Stands = Option<(u64, Option<SystemTime>)>;

/// How all files stand, by their paths.
type Stand = BTreeMap<PathBuf, Stands>;

/// Runs a plan once, or where that is asked for until somebody ends it.
pub(super) fn run(printer: &mut Printer, args: &PlanArgs, does: Does<'_>) -> Exit {
    if args.watch { again(printer, args, does) } else { run::run(printer, args, does) }
}

fn again(printer: &mut Printer, args: &PlanArgs, does: Does<'_>) -> Exit {
    if args.options.format == Format::Json {
        let text = "error: --watch is for people\n  leave --format json out, or run it once for each document\n";
        printer.diagnostic(text);
        return Exit::PlanWrong;
    }
    let mut watching = match Watching::begin() {
        Ok(watching) => watching,
        Err(error) => {
            let text = "run it again by hand, without --watch";
            printer.diagnostic(&format!("error: changes cannot be watched: {error}\n  {text}\n"));
            return Exit::FileFailed;
        }
    };
    let mut before: Option<render::Before> = None;
    let mut changed: Vec<String> = vec![];
    let mut reads = Reads { plans: plan_of(args).into_iter().collect(), ..Reads::default() };
    for time in 1.. {
        if time > 1 && io::stdout().is_terminal() {
            // What cannot be cleared is scrolled.
            let _ = console::Term::stdout().clear_screen();
        }
        match Reads::of(printer, args) {
            Ok(of) => reads = of,
            Err(exit) if time == 1 && exit != Exit::PlanWrong => return exit,
            // What is wrong with the plan has been told; it is waited for.
            Err(_) => {
                changed = watching.wait(printer, &reads, &reads.stand());
                continue;
            }
        }
        // As they stand before they are read: what changes meanwhile is seen.
        let files = reads.stand();
        let begun = Instant::now();
        if let Ok((plan, done)) = run::done(printer, args, does) {
            let view = run::view(printer, &plan, args, (&done, does));
            let (held, titles) = (done.report.held(), view.titles());
            let numbers = figures(&done.report);
            let text = match &before {
                Some(before) if !printer.global.quiet => {
                    let again = Again {
                        time,
                        changed: &changed,
                        seconds: begun.elapsed().as_secs_f64(),
                        moved: moved(&numbers, &before.numbers),
                        before,
                        held,
                        titles: &titles,
                    };
                    render::again(&again, &view)
                }
                _ => run::told(printer, &view, does),
            };
            printer.result(&text);
            let numbers = Earlier { figures: numbers, moved: vec![] };
            before = Some(render::Before { held, titles, numbers });
        }
        changed = watching.wait(printer, &reads, &files);
    }
    Exit::Held
}

/// The plan's own file.
fn plan_of(args: &PlanArgs) -> Option<PathBuf> {
    match args.source() {
        PlanSource::File(path) => Some(path),
        PlanSource::Text(_) => None,
    }
}

/// What a plan is made of and reads.
#[derive(Default)]
struct Reads {
    plans: Vec<PathBuf>,
    /// What finds files, and the paths and patterns that inputs name.
    files: Option<granum_io::Files>,
    sources: Vec<String>,
}

impl Reads {
    /// Of a plan; what is wrong with it is told.
    fn of(printer: &mut Printer, args: &PlanArgs) -> Result<Self, Exit> {
        let plan =
            Plan::open(printer, &args.source(), (args.options.format, &args.options.settings))?;
        let plans = plan_of(args).into_iter().chain(plan.plans.clone()).collect();
        let mut sources = vec![];
        for statement in &plan.tree.statements {
            let StatementKind::Input(input) = &statement.kind else { continue };
            for source in input.sources.iter().filter(|source| !is_address(&source.text)) {
                if source.text == "-" {
                    let text =
                        "standard input comes once: name a file in its place, or leave --watch out";
                    let name = &input.name.text;
                    printer.diagnostic(&format!("error: `{name}` cannot be watched\n  {text}\n"));
                    return Err(Exit::FileFailed);
                }
                sources.push(source.text.clone());
            }
        }
        Ok(Self { plans, files: Some(plan.files), sources })
    }

    /// How all files stand, those that patterns find now among them.
    fn stand(&self) -> Stand {
        let found =
            self.sources.iter().zip(self.files.iter().cycle()).flat_map(|(source, files)| {
                match files.files_of(source) {
                    Ok(found) => found.into_iter().map(|(place, _)| place).collect(),
                    // It is waited for where it would be.
                    Err(_) => files.place(source).into_iter().collect::<Vec<_>>(),
                }
            });
        let stands =
            |path: &PathBuf| fs::metadata(path).ok().map(|data| (data.len(), data.modified().ok()));
        let all = self.plans.iter().cloned().chain(found);
        all.map(|path| (path.clone(), stands(&path))).collect()
    }
}

/// Notices of the system, and the folders that they are of.
struct Watching {
    watcher: RecommendedWatcher,
    notices: Receiver<()>,
    folders: BTreeSet<PathBuf>,
}

impl Watching {
    fn begin() -> notify::Result<Self> {
        let (tell, notices) = channel();
        let watcher = notify::recommended_watcher(move |_| {
            // Nobody listens any more where the program ends.
            let _ = tell.send(());
        })?;
        Ok(Self { watcher, notices, folders: BTreeSet::new() })
    }

    /// Waits until files stand otherwise than they did, and are quiet. Gives which do.
    fn wait(&mut self, printer: &mut Printer, reads: &Reads, before: &Stand) -> Vec<String> {
        for path in before.keys() {
            // A file that is replaced is another: its folder is watched.
            let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
            let folder = folder.unwrap_or(Path::new(".")).to_path_buf();
            if self.folders.insert(folder.clone()) {
                // What cannot be watched is looked at from time to time.
                let _ = self.watcher.watch(&folder, RecursiveMode::NonRecursive);
            }
        }
        printer.beside(&format!("watching {} files; Ctrl-C ends it", before.len()));
        printer.flush();
        loop {
            let _ = self.notices.recv_timeout(LOOK);
            let mut now = reads.stand();
            if now == *before {
                continue;
            }
            loop {
                std::thread::sleep(QUIET);
                let again = reads.stand();
                if again == now {
                    break;
                }
                now = again;
            }
            while self.notices.try_recv().is_ok() {}
            let all: BTreeSet<&PathBuf> = before.keys().chain(now.keys()).collect();
            let others = all.into_iter().filter(|path| before.get(*path) != now.get(*path));
            return others.map(|path| shown(path)).collect();
        }
    }
}

/// A path as it is seen from here.
fn shown(path: &Path) -> String {
    let here = std::env::current_dir().unwrap_or_default();
    path.strip_prefix(&here).unwrap_or(path).display().to_string()
}
