//! `manual`: the manual's pages, for whoever packs the program.

use std::path::Path;

use clap::CommandFactory;

use super::{Exit, Printer};
use crate::args::Args;

pub(super) fn run(printer: &mut Printer, dir: &Path) -> Exit {
    let pages =
        std::fs::create_dir_all(dir).and_then(|()| clap_mangen::generate_to(Args::command(), dir));
    match pages {
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
