//! `demo`: the whole job on made-up data.

use std::fs::{self, File};
use std::io::{self, BufWriter, Write};
use std::path::Path;

use granum_demo::{PLANS, Size, write_data};

use super::{Exit, Printer};
use crate::args::{PlanArgs, PlanOptions};
use crate::render;

pub(super) fn run(printer: &mut Printer, dir: &Path, size: Size, only_data: bool) -> Exit {
    if let Err(error) = write(dir, size) {
        let place = dir.display();
        printer.diagnostic(&format!("error: {place}: the demo cannot be written: {error}\n"));
        return Exit::FileFailed;
    }
    let plan = |at: usize| PlanArgs {
        plan: Some(dir.join(PLANS[at].0)),
        deny: None,
        options: PlanOptions::default(),
    };
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
    let exit = super::run::run(printer, &plan(0), super::run::Writes::Outputs);
    if exit != Exit::Held {
        return exit;
    }
    printer.result(&format!(
        "\nAnd this is a plan that asks for more than the data can hold to:\n\n{}\n\n",
        render::command(&format!("granum run {place}/broken.granum"))
    ));
    let quiet = std::mem::replace(&mut printer.global.quiet, true);
    let stopped = super::run::run(printer, &plan(1), super::run::Writes::Outputs);
    printer.global.quiet = quiet;
    if stopped != Exit::DataFailed {
        return stopped;
    }
    printer.result(&format!(
        "\n{}\n  granum show {place}/nursery.granum unit_sales\n  \
         granum show {place}/broken.granum lines --unmatched orders\n  \
         granum check {place}/nursery.granum --set as_of=2026-12-31\n",
        render::heading("Try next")
    ));
    Exit::Held
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
    Ok(())
}
