//! Diagnostics with excerpts of the plan.

use codespan_reporting::diagnostic::{Diagnostic as Excerpt, Label};
use codespan_reporting::files::SimpleFiles;
use codespan_reporting::term::termcolor::{Ansi, NoColor, WriteColor};
use codespan_reporting::term::{self, Config};
use granum_core::lang::{Diagnostic, Span};

use super::{Texts, folded};

/// Advice is folded at so many letters.
const HELP: usize = 90;

/// All diagnostics of a plan, each with the words it points at.
pub fn diagnostics(texts: &Texts, diagnostics: &[Diagnostic], color: bool) -> String {
    let mut out = vec![];
    if color {
        write(&mut Ansi::new(&mut out), texts, diagnostics);
    } else {
        write(&mut NoColor::new(&mut out), texts, diagnostics);
    }
    String::from_utf8_lossy(&out).into_owned()
}

fn write(out: &mut dyn WriteColor, texts: &Texts, diagnostics: &[Diagnostic]) {
    let mut files = SimpleFiles::new();
    let ids: Vec<usize> = texts.parts().map(|(name, text)| files.add(name, text)).collect();
    // Where words stand: in which file, and between which places of it.
    let place = |span: Span| {
        let ((part, start), (_, end)) = (texts.place(span.start), texts.place(span.end));
        ids.get(part).map(|id| (*id, start..end.max(start)))
    };
    let config = Config::default();
    for diagnostic in diagnostics {
        let mut excerpt =
            Excerpt::error().with_message(&diagnostic.message).with_code(diagnostic.kind.name());
        if diagnostic.span.end > 0 {
            let first = place(diagnostic.span)
                .map(|(id, range)| Label::primary(id, range).with_message(&diagnostic.label));
            let others = diagnostic.also.iter().filter_map(|(span, why)| {
                place(*span).map(|(id, range)| Label::secondary(id, range).with_message(why))
            });
            excerpt = excerpt.with_labels(first.into_iter().chain(others).collect());
        }
        if let Some(help) = &diagnostic.help {
            let help = folded(help, "", HELP);
            let lines: Vec<&str> = help.lines().map(str::trim_end).collect();
            excerpt = excerpt.with_notes(vec![lines.join("\n")]);
        }
        // Writing to memory does not fail.
        let _ = term::emit_to_write_style(out, &config, &files, &excerpt);
    }
}
