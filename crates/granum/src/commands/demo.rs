//! `demo`: the whole job on made-up data.

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::hash::Hasher;
use std::io::{self, BufWriter, Read, Write};
use std::path::Path;

use granum_demo::{FILES, PLANS, Size, write_data};
use siphasher::sip::SipHasher13;

use super::{Exit, Printer};
use crate::args::{PlanArgs, PlanOptions, Writing};
use crate::render;

pub(super) fn run(printer: &mut Printer, dir: &Path, size: Size, only_data: bool) -> Exit {
    let place = dir.display();
    match not_its_own(dir) {
        Ok(others) if others.is_empty() => {}
        Ok(others) => {
            printer.diagnostic(&format!(
                "error: {place}: has files that are not the demo's, or that were changed since: {}\n  \
                 name a new folder:  granum demo DIR\n",
                in_the_way(&others)
            ));
            return Exit::FileFailed;
        }
        Err(error) => {
            printer.diagnostic(&format!(
                "error: {place}: cannot be looked into: {error}\n  name a new folder:  granum demo DIR\n"
            ));
            return Exit::FileFailed;
        }
    }
    if let Err(error) = write(dir, size) {
        printer.diagnostic(&format!("error: {place}: the demo cannot be written: {error}\n  name another folder:  granum demo DIR\n"));
        return Exit::FileFailed;
    }
    let plan = |at: usize| PlanArgs {
        plan: Some(dir.join(PLANS[at].0)),
        deny: None,
        bridge: false,
        options: PlanOptions::default(),
    };
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
    let exit = super::run::run(printer, &plan(0), super::run::Does::Outputs(&Writing::default()));
    if exit != Exit::Held {
        return exit;
    }
    printer.result(&format!(
        "\nAnd this is a plan that asks for more than the data can hold to:\n\n{}\n\n",
        render::command(&format!("granum run {place}/broken.granum"))
    ));
    let quiet = std::mem::replace(&mut printer.global.quiet, true);
    let stopped =
        super::run::run(printer, &plan(1), super::run::Does::Outputs(&Writing::default()));
    printer.global.quiet = quiet;
    if stopped != Exit::DataFailed {
        return stopped;
    }
    printer.result(&format!(
        "\n{}\n  granum show {place}/nursery.granum unit_sales\n  \
         granum show {place}/broken.granum lines --unmatched orders\n  \
         granum trace {place}/nursery.granum sales order_no=M0000001 line_no=1\n  \
         granum check {place}/nursery.granum --set as_of=2026-12-31\n",
        render::heading("Try next")
    ));
    Exit::Held
}

/// Where the demo notes which files it made, and what stood in them.
const NOTE: &str = ".demo.json";

/// The demo's files, by their names, with what stands in each.
type Note = BTreeMap<String, String>;

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
    let data = FILES.iter().map(|name| format!("data/{name}"));
    for name in data.chain(PLANS.iter().map(|(name, _)| (*name).to_owned())) {
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
    let data = FILES.iter().map(|name| format!("data/{name}"));
    let names = data.chain(PLANS.iter().map(|(name, _)| (*name).to_owned()));
    let note: Note = names
        .map(|name| Ok((name.clone(), fingerprint(&dir.join(&name))?)))
        .collect::<io::Result<_>>()?;
    let note = serde_json::to_vec_pretty(&note).map_err(io::Error::other)?;
    fs::write(dir.join(NOTE), note)
}
