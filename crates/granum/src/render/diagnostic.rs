//! Diagnostics with excerpts of the plan.

use std::io;
use std::ops::Range;

use codespan_reporting::diagnostic::{Diagnostic as Excerpt, Label};
use codespan_reporting::files::SimpleFiles;
use codespan_reporting::term::termcolor::{Ansi, ColorSpec, WriteColor};
use codespan_reporting::term::{self, Config};
use granum_core::lang::{Diagnostic, Span};

use super::visible::mark;
use super::{Texts, count, folded};

/// So many are shown; whoever has more begins with these.
const SHOWN: usize = 50;

/// Of a longer line so much is shown around the place.
const LINE: usize = 160;

/// Advice is folded at so many letters.
const HELP: usize = 90;

/// All diagnostics of a plan, each with the words it points at.
pub fn diagnostics(texts: &Texts, diagnostics: &[Diagnostic]) -> String {
    let mut out = Marked(vec![]);
    for diagnostic in diagnostics.iter().take(SHOWN) {
        write(&mut out, texts, diagnostic);
    }
    if diagnostics.len() > SHOWN {
        let more = count((diagnostics.len() - SHOWN) as u64);
        out.0.extend_from_slice(format!("and {more} more: mend these first\n").as_bytes());
    }
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

/// A text of which long lines are cut around a place; and the place in it.
fn cut_around(text: &str, place: Range<usize>) -> (String, Range<usize>) {
    let line = text[..place.start].rfind('\n').map_or(0, |at| at + 1);
    let end = text[place.start..].find('\n').map_or(text.len(), |at| place.start + at);
    if end - line <= LINE {
        return (text.to_owned(), place);
    }
    let near = |mut at: usize| {
        while !text.is_char_boundary(at) {
            at -= 1;
        }
        at
    };
    let from = near(place.start.saturating_sub(LINE / 2).max(line));
    let to = near((place.start + LINE / 2).min(end));
    let (before, behind) =
        (if from > line { "\u{2026}" } else { "" }, if to < end { "\u{2026}" } else { "" });
    let whole = format!("{}{before}{}{behind}{}", &text[..line], &text[from..to], &text[end..]);
    let moved = |at: usize| at.clamp(from, to) - from + line + before.len();
    let range = moved(place.start)..moved(place.end);
    (whole, range)
}

fn write(out: &mut dyn WriteColor, texts: &Texts, diagnostic: &Diagnostic) {
    let config = Config::default();
    let mut files = SimpleFiles::new();
    let mut shown: Vec<(usize, String, usize)> = vec![];
    let mut label = |span: Span, primary: bool, why: &str| {
        let ((part, start), (_, end)) = (texts.place(span.start), texts.place(span.end));
        let (name, text) = texts.part(part);
        let (text, range) = cut_around(text, start..end.max(start));
        // Words of one text stand in one excerpt, unless a line had to be cut for one of them.
        let known = shown.iter().find(|(of, known, _)| *of == part && *known == text);
        let known = if let Some((.., id)) = known {
            *id
        } else {
            let id = files.add(name.to_owned(), text.clone());
            shown.push((part, text, id));
            id
        };
        let label =
            if primary { Label::primary(known, range) } else { Label::secondary(known, range) };
        label.with_message(why)
    };
    let mut excerpt =
        Excerpt::error().with_message(&diagnostic.message).with_code(diagnostic.kind.name());
    if diagnostic.span.end > 0 {
        excerpt = excerpt.with_label(label(diagnostic.span, true, &diagnostic.label));
        for (span, why) in &diagnostic.also {
            excerpt = excerpt.with_label(label(*span, false, why));
        }
    }
    if let Some(help) = &diagnostic.help {
        let help = folded(help, "", HELP);
        let lines: Vec<&str> = help.lines().map(str::trim_end).collect();
        excerpt = excerpt.with_notes(vec![lines.join("\n")]);
    }
    // Writing to memory does not fail.
    let _ = term::emit_to_write_style(out, &config, &files, &excerpt);
}
