//! `fmt`

use std::io::{Read, Write};
use std::path::Path;

use granum_core::lang::{format_plan, parse};

use super::{Exit, Printer, plan};
use crate::args::Format;
use crate::render::Texts;

pub(super) fn run(printer: &mut Printer, path: &Path, check: bool) -> Exit {
    let standard_input = path == Path::new("-");
    let text = if standard_input {
        let mut text = String::new();
        if std::io::stdin().read_to_string(&mut text).is_err() {
            printer.diagnostic("error: standard input: a plan is UTF-8 text\n");
            return Exit::PlanWrong;
        }
        text
    } else {
        match plan::read(printer, path, Format::Text) {
            Ok(text) => text,
            Err(exit) => return exit,
        }
    };
    let parsed = parse(&text);
    if !parsed.diagnostics.is_empty() {
        let name = path.display().to_string();
        let texts = Texts::of(name.clone(), text);
        plan::plan_wrong(printer, Format::Text, &name, &texts, &parsed.diagnostics);
        return Exit::PlanWrong;
    }
    let formatted = format_plan(&text, &parsed);
    if check {
        if formatted == text {
            return Exit::Held;
        }
        let name = path.display();
        printer.result(&format!("{name} is not in the one layout: granum fmt {name}\n"));
        return Exit::DataFailed;
    }
    if standard_input {
        printer.data(&formatted);
        return Exit::Held;
    }
    if formatted == text {
        return Exit::Held;
    }
    match replace(path, &formatted) {
        Ok(()) => {
            if !printer.global.quiet {
                printer.result(&format!("{} is in the one layout now\n", path.display()));
            }
            Exit::Held
        }
        Err(error) => {
            printer.diagnostic(&format!("error: {}: cannot be written: {error}\n", path.display()));
            Exit::FileFailed
        }
    }
}

/// Puts new text in a file's place, whole or not at all.
fn replace(path: &Path, text: &str) -> std::io::Result<()> {
    let path = path.canonicalize()?;
    let folder = path.parent().unwrap_or(Path::new("."));
    let mut file = tempfile::Builder::new()
        .prefix(".granum-")
        .permissions(std::fs::metadata(&path)?.permissions())
        .tempfile_in(folder)?;
    file.write_all(text.as_bytes())?;
    file.as_file().sync_data()?;
    file.persist(&path).map(|_| ()).map_err(|error| error.error)
}
