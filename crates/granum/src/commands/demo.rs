//! `demo`: the whole job on made-up data.

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::hash::Hasher;
use std::io::{self, BufWriter, Read, Write};
use std::path::Path;

use granum_demo::{FILES, PLANS, Size, write_data};
use siphasher::sip::SipHasher13;

use super::run::Does;
use super::{Exit, Printer};
use crate::args::{Format, PlanArgs, PlanOptions, Writing};
use crate::render;
use crate::render::json::{self, DemoRun, DemoTold, ErrorTold, Outcome, Told};

pub(super) fn run(
    printer: &mut Printer,
    dir: &Path,
    size: Size,
    only_data: bool,
    format: Format,
) -> Exit {
    if let Err((message, help)) = make(dir, size) {
        let place = dir.display().to_string();
        match format {
            Format::Text => {
                printer.diagnostic(&format!("error: {place}: {message}\n  {help}\n"));
            }
            Format::Json => {
                let told = Told::Error(ErrorTold::folder(&place, &message, &help));
                printer.data(&json::document(Outcome::FileFailed, told));
            }
        }
        return Exit::FileFailed;
    }
    match format {
        Format::Text => show(printer, dir, size, only_data),
        Format::Json => tell(printer, dir, only_data),
    }
}

/// Writes data and plans; else says what is wrong with the folder, and what to do.
fn make(dir: &Path, size: Size) -> Result<(), (String, String)> {
    const NEW: &str = "name a new folder:  granum demo DIR";
    match not_its_own(dir) {
        Ok(others) if others.is_empty() => {}
        Ok(others) => {
            let others = in_the_way(&others);
            let message =
                format!("has files that are not the demo's, or that were changed since: {others}");
            return Err((message, NEW.into()));
        }
        Err(error) => return Err((format!("cannot be looked into: {error}"), NEW.into())),
    }
    write(dir, size).map_err(|error| {
        let message = format!("the demo cannot be written: {error}");
        (message, "name another folder:  granum demo DIR".into())
    })
}

/// One of the demo's plans.
fn plan(dir: &Path, at: usize, format: Format) -> PlanArgs {
    PlanArgs {
        plan: Some(dir.join(PLANS[at].0)),
        deny: None,
        bridge: false,
        watch: false,
        memory: crate::args::Memory::default(),
        options: PlanOptions { format, ..PlanOptions::default() },
    }
}

/// Tells as JSON what was written, and what came of the plans.
fn tell(printer: &mut Printer, dir: &Path, only_data: bool) -> Exit {
    let mut ran = vec![];
    for at in 0..if only_data { 0 } else { PLANS.len() } {
        let args = plan(dir, at, Format::Json);
        match super::run::done(printer, &args, Does::Outputs(&Writing::default())) {
            Ok(done) => ran.push(done),
            Err(exit) => return exit,
        }
    }
    let runs = ran.iter().map(|(plan, done)| DemoRun {
        plan: &plan.name,
        outcome: done.outcome(),
        report: done.told(),
    });
    let told = DemoTold {
        folder: dir.display().to_string(),
        files: names().map(|name| dir.join(name).display().to_string()).collect(),
        runs: runs.collect(),
    };
    // The second plan asks for more than the data can hold to.
    let held = ran.iter().map(|(_, done)| done.report.held());
    let exit = if held.eq([true, false]) || only_data { Exit::Held } else { Exit::DataFailed };
    printer.data(&json::document(Outcome::of(exit == Exit::Held), Told::Demo(told)));
    exit
}

/// Shows the whole job.
fn show(printer: &mut Printer, dir: &Path, size: Size, only_data: bool) -> Exit {
    let place = dir.display();
    printer.result(&format!(
        "{}\n\nMossgate Nursery, a made-up plant nursery: {} orders, with all that goes wrong in \
         life.\n  data in {place}/data, a plan in {place}/{}\n\n",
        render::heading("Granum demo"),
        granum_core::value::decimal::grouped(size.orders.into(), granum_core::value::Scale(0)),
        PLANS[0].0,
    ));
    if only_data {
        return Exit::Held;
    }
    printer
        .result(&format!("{}\n\n", render::command(&format!("granum run {place}/nursery.granum"))));
    let exit =
        super::run::run(printer, &plan(dir, 0, Format::Text), Does::Outputs(&Writing::default()));
    if exit != Exit::Held {
        return exit;
    }
    printer.result(&format!(
        "\nAnd this is a plan that asks for more than the data can hold to:\n\n{}\n\n",
        render::command(&format!("granum run {place}/broken.granum"))
    ));
    let quiet = std::mem::replace(&mut printer.global.quiet, true);
    let stopped =
        super::run::run(printer, &plan(dir, 1, Format::Text), Does::Outputs(&Writing::default()));
    printer.global.quiet = quiet;
    if stopped != Exit::DataFailed {
        return stopped;
    }
    printer.result(&format!(
        "\n{}\n  granum show {place}/nursery.granum unit_sales\n  \
         granum show {place}/broken.granum lines --unmatched orders\n  \
         granum trace {place}/nursery.granum sales order_no=M0000001 line_no=1\n  \
         granum report {place}/nursery.granum\n  \
         granum tell {place}/nursery.granum sales\n  \
         granum check {place}/nursery.granum --set as_of=2026-12-31\n",
        render::heading("Try next")
    ));
    Exit::Held
}

/// Where the demo notes which files it made, and what stood in them.
const NOTE: &str = ".demo.json";

/// The demo's files, by their names, with what stands in each.
type Note = BTreeMap<String, String>;

/// The demo's files by their places in its folder.
fn names() -> impl Iterator<Item = String> {
    let data = FILES.iter().map(|name| format!("data/{name}"));
    data.chain(PLANS.iter().map(|(name, _)| (*name).to_owned()))
}

/// A few signs that stand for a file's content.
fn fingerprint(path: &Path) -> io::Result<String> {
    let mut hasher = SipHasher13::new();
    let mut file = File::open(path)?;
    let mut part = vec![0; 1 << 16];
    loop {
        match file.read(&mut part)? {
            0 => return Ok(format!("{:016x}", hasher.finish())),
            length => hasher.write(&part[..length]),
        }
    }
}

/// Files of a folder that are not the demo's, or that somebody has changed since it made them.
fn not_its_own(dir: &Path) -> io::Result<Vec<String>> {
    let noted = fs::read(dir.join(NOTE)).ok();
    let noted: Option<Note> = noted.and_then(|note| serde_json::from_slice(&note).ok());
    let Some(noted) = noted else {
        // A folder that the demo did not make must be empty.
        let entries = match fs::read_dir(dir) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(vec![]),
            entries => entries?,
        };
        let names = entries.map(|entry| Ok(entry?.file_name().to_string_lossy().into_owned()));
        let mut names: Vec<String> = names.collect::<io::Result<_>>()?;
        names.sort();
        return Ok(names);
    };
    let mut others = vec![];
    for name in names() {
        let path = dir.join(&name);
        if path.exists() && noted.get(&name) != Some(&fingerprint(&path)?) {
            others.push(name);
        }
    }
    Ok(others)
}

/// Names that are in the way, not too many of them.
fn in_the_way(names: &[String]) -> String {
    const SHOWN: usize = 5;
    let shown = names.iter().take(SHOWN).map(String::as_str).collect::<Vec<_>>().join(", ");
    if names.len() > SHOWN { format!("{shown} and {} more", names.len() - SHOWN) } else { shown }
}

fn write(dir: &Path, size: Size) -> io::Result<()> {
    let data = dir.join("data");
    fs::create_dir_all(&data)?;
    write_data(size, &mut |name| {
        let file: Box<dyn Write> = Box::new(BufWriter::new(File::create(data.join(name))?));
        Ok(file)
    })?;
    for (name, text) in PLANS {
        fs::write(dir.join(name), text)?;
    }
    let note: Note = names()
        .map(|name| Ok((name.clone(), fingerprint(&dir.join(&name))?)))
        .collect::<io::Result<_>>()?;
    let note = serde_json::to_vec_pretty(&note).map_err(io::Error::other)?;
    fs::write(dir.join(NOTE), note)
}
