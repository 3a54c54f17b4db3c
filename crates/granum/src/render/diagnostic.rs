//! Diagnostics with excerpts of the plan.

use std::io;

use codespan_reporting::diagnostic::{Diagnostic as Excerpt, Label};
use codespan_reporting::files::SimpleFiles;
use codespan_reporting::term::termcolor::{Ansi, ColorSpec, WriteColor};
use codespan_reporting::term::{self, Config};
use granum_core::lang::{Diagnostic, Span};

use super::visible::mark;
use super::{Texts, folded};

/// Advice is folded at so many letters.
const HELP: usize = 90;

/// All diagnostics of a plan, each with the words it points at.
pub fn diagnostics(texts: &Texts, diagnostics: &[Diagnostic]) -> String {
    let mut out = Marked(vec![]);
    write(&mut out, texts, diagnostics);
    String::from_utf8_lossy(&out.0).into_owned()
}

/// A text with styles as marks.
struct Marked(Vec<u8>);

impl io::Write for Marked {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.extend_from_slice(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl WriteColor for Marked {
    fn supports_color(&self) -> bool {
        true
    }

    fn set_color(&mut self, spec: &ColorSpec) -> io::Result<()> {
        let mut codes = Ansi::new(vec![]);
        codes.set_color(spec)?;
        let codes = String::from_utf8_lossy(codes.get_ref()).into_owned();
        for numbers in codes.split("\u{1b}[").filter_map(|code| code.strip_suffix('m')) {
            self.0.extend_from_slice(mark(numbers).as_bytes());
        }
        Ok(())
    }

    fn reset(&mut self) -> io::Result<()> {
        self.0.extend_from_slice(mark("0").as_bytes());
        Ok(())
    }
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
