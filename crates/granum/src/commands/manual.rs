//! `manual`: the manual's pages and the schemas of its JSON, for whoever packs the program.

use std::path::Path;
use std::{fs, io};

use clap::CommandFactory;

use super::{Exit, Printer};
use crate::args::Args;
use crate::render::json;

pub(super) fn run(printer: &mut Printer, dir: &Path) -> Exit {
    let written = fs::create_dir_all(dir)
        .and_then(|()| clap_mangen::generate_to(Args::command(), dir))
        .and_then(|()| schemas(dir));
    match written {
        Ok(()) => Exit::Held,
        Err(error) => {
            let text = format!(
                "error: {}: the pages cannot be written: {error}\n  name a folder that can be written to\n",
                dir.display()
            );
            printer.diagnostic(&text);
            Exit::FileFailed
        }
    }
}

fn schemas(dir: &Path) -> io::Result<()> {
    json::SCHEMAS.iter().try_for_each(|(name, schema)| fs::write(dir.join(name), schema))
}
