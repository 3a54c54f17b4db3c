//! `fmt`

use std::io::{Read, Write};
use std::path::Path;

use granum_core::lang::{format_plan, parse};
use granum_core::port::OutputError;

use super::{Exit, Printer, plan};
use crate::args::Format;
use crate::render::Texts;
use crate::render::json::{self, ErrorTold, LayoutTold, Outcome, Told};

pub(super) fn run(printer: &mut Printer, path: &Path, check: bool, format: Format) -> Exit {
    let name = path.display().to_string();
    let standard_input = path == Path::new("-");
    let text = if standard_input {
        standard_input_text(printer, format)
    } else {
        plan::read(printer, path, format)
    };
    let text = match text {
        Ok(text) => text,
        Err(exit) => return exit,
    };
    let parsed = parse(&text);
    if !parsed.diagnostics.is_empty() {
        let texts = Texts::of(name.clone(), text);
        plan::plan_wrong(printer, format, &name, &texts, &parsed.diagnostics);
        return Exit::PlanWrong;
    }
    let formatted = format_plan(&text, &parsed);
    let was = formatted == text;
    if !check
        && !standard_input
        && !was
        && let Err(error) = replace(path, &formatted)
    {
        return not_written(printer, format, &name, &error);
    }
    match format {
        Format::Json => {
            let told = LayoutTold {
                was,
                written: !check && !standard_input && !was,
                text: Some(formatted.as_str()).filter(|_| !check && standard_input),
            };
            let outcome = Outcome::of(was || !check);
            printer.data(&json::of_plan(&name, outcome, Told::Layout(told)));
        }
        Format::Text if check && !was => {
            let text = format!("{name} is not in the one layout: granum fmt {name}\n");
            printer.result(&text);
        }
        Format::Text if check => {}
        Format::Text if standard_input => printer.data(&formatted),
        Format::Text if was || printer.global.quiet => {}
        Format::Text => printer.result(&format!("{name} is in the one layout now\n")),
    }
    if check && !was { Exit::DataFailed } else { Exit::Held }
}

fn standard_input_text(printer: &mut Printer, format: Format) -> Result<String, Exit> {
    let mut bytes = vec![];
    if let Err(error) = std::io::stdin().read_to_end(&mut bytes) {
        let what = format!("cannot be read: {error}");
        return Err(plan::unread(printer, format, "standard input", &what));
    }
    plan::as_text(printer, format, "standard input", bytes)
}

fn not_written(printer: &mut Printer, format: Format, name: &str, error: &std::io::Error) -> Exit {
    let error = OutputError {
        path: name.to_owned(),
        message: format!("cannot be written: {error}"),
        help: "see who may write to it; granum fmt - formats standard input".into(),
    };
    match format {
        Format::Text => printer.diagnostic(&format!("error: {error}\n  {}\n", error.help)),
        Format::Json => {
            let told = Told::Error(ErrorTold::from(&error));
            printer.data(&json::of_plan(name, Outcome::FileFailed, told));
        }
    }
    Exit::FileFailed
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
