//! Diagnostics with excerpts of the plan.

use codespan_reporting::diagnostic::{Diagnostic as Excerpt, Label};
use codespan_reporting::files::SimpleFile;
use codespan_reporting::term::termcolor::{Ansi, NoColor, WriteColor};
use codespan_reporting::term::{self, Config};
use granum_core::lang::Diagnostic;

/// All diagnostics of a plan, each with the words it points at.
pub fn diagnostics(name: &str, text: &str, diagnostics: &[Diagnostic], color: bool) -> String {
    let mut out = vec![];
    if color {
        write(&mut Ansi::new(&mut out), name, text, diagnostics);
    } else {
        write(&mut NoColor::new(&mut out), name, text, diagnostics);
    }
    String::from_utf8_lossy(&out).into_owned()
}

fn write(out: &mut dyn WriteColor, name: &str, text: &str, diagnostics: &[Diagnostic]) {
    let file = SimpleFile::new(name, text);
    let config = Config::default();
    for diagnostic in diagnostics {
        let mut excerpt =
            Excerpt::error().with_message(&diagnostic.message).with_code(diagnostic.kind.name());
        let place = diagnostic.span;
        if place.end > 0 {
            let mut labels =
                vec![Label::primary((), place.start..place.end).with_message(&diagnostic.label)];
            for (span, why) in &diagnostic.also {
                labels.push(Label::secondary((), span.start..span.end).with_message(why));
            }
            excerpt = excerpt.with_labels(labels);
        }
        if let Some(help) = &diagnostic.help {
            excerpt = excerpt.with_notes(vec![help.clone()]);
        }
        // Writing to memory does not fail.
        let _ = term::emit_to_write_style(out, &config, &file, &excerpt);
    }
}
