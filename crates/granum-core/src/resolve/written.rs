//! How outputs are written: what goes with the format that a path says.

use super::Resolved;
use super::scope::Resolver;
use crate::lang::{Diagnostic, DiagnosticKind, OutputTree, Quoted, Span, StyleTree};
use crate::port::{BOOKS, COLUMNS, FIELDS, Family, NamedAs, OBJECTS, PACKED, Style};

/// A sheet's name has at most this many letters, in every program that reads books.
const LONGEST_SHEET: usize = 31;

impl Resolver<'_> {
    /// How an output is written: what goes with the format that its name says.
    pub(super) fn style(&mut self, tree: &OutputTree) -> Resolved<Style> {
        let StyleTree { delimiter, decimals, encoding, mark, sheet } = &tree.style;
        let endings: Vec<&str> = FIELDS.into_iter().chain(OBJECTS).collect();
        let Some(family) = NamedAs::of(&tree.path.text).written() else {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::NotYet,
                    tree.path.span,
                    "this version writes CSV, JSON, books of sheets, Parquet and Arrow",
                )
                .help(format!(
                    "end the path in {}, to have it packed with {} behind; or in {} {}",
                    endings.join(" "),
                    PACKED.join(" or "),
                    BOOKS.join(" "),
                    COLUMNS.join(" ")
                )),
            );
        };
        let text = [delimiter, decimals, encoding].into_iter().flatten().map(|said| said.span);
        self.goes_with(family, Family::Fields, text.chain(*mark))?;
        self.goes_with(family, Family::Book, sheet.iter().map(|said| said.span))?;
        let sheet = match family {
            Family::Book => Some(self.sheet(tree, sheet.as_ref())?),
            Family::Fields | Family::Objects | Family::Columns => None,
        };
        let sign = |said: &Option<Quoted>| said.as_ref().and_then(|said| said.text.bytes().next());
        let style = Style {
            delimiter: sign(delimiter),
            decimals: sign(decimals),
            encoding: encoding.as_ref().map(|named| named.text.clone()),
            marked: mark.is_some(),
            sheet,
        };
        if let (Some(b'.' | b','), Some(decimals)) = (style.decimals, decimals)
            && style.delimiter == style.decimals
        {
            let message = "one sign stands between fields and before decimal places";
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Type, decimals.span, message)
                    .help("as in  delimiter \";\" decimals \",\""),
            );
        }
        Ok(style)
    }

    /// That what is said of one family of formats is said of a file of that.
    fn goes_with(
        &mut self,
        family: Family,
        wanted: Family,
        mut said: impl Iterator<Item = Span>,
    ) -> Resolved<()> {
        let Some(span) = said.next().filter(|_| family != wanted) else { return Ok(()) };
        let (what, ending) = match family {
            Family::Fields => ("text has no sheets", ".xlsx"),
            Family::Objects if wanted == Family::Book => ("JSON has no sheets", ".xlsx"),
            Family::Objects => ("JSON is written in one way alone", ".csv"),
            Family::Columns if wanted == Family::Book => {
                ("a file of columns has no sheets", ".xlsx")
            }
            Family::Columns => ("a file of columns is written in one way alone", ".csv"),
            Family::Book => ("a book has cells, and no signs between them", ".csv"),
        };
        self.wrong(
            Diagnostic::new(DiagnosticKind::Type, span, what)
                .help(format!("leave it out, or end the path in {ending}")),
        )
    }

    /// The sheet of a book: as is said, or as the table is called.
    fn sheet(&mut self, tree: &OutputTree, said: Option<&Quoted>) -> Resolved<String> {
        let (name, span) = match said {
            Some(said) => (said.text.clone(), said.span),
            None => (tree.table.text.clone(), tree.table.span),
        };
        let wrong = if name.trim().is_empty() {
            "a sheet has a name".to_owned()
        } else if name.chars().count() > LONGEST_SHEET {
            format!("a sheet's name has at most {LONGEST_SHEET} letters")
        } else if let Some(sign) = name.chars().find(|sign| "[]:*?/\\".contains(*sign)) {
            format!("`{sign}` cannot stand in a sheet's name")
        } else if name.starts_with('\'') || name.ends_with('\'') {
            "a sheet's name neither begins nor ends with '".to_owned()
        } else if name.chars().any(char::is_control) {
            "a sheet's name is one line".to_owned()
        } else {
            return Ok(name);
        };
        let diagnostic = Diagnostic::new(DiagnosticKind::Type, span, wrong);
        self.wrong(diagnostic.help("give it another:  sheet \"Orders\"  behind the path"))
    }

    /// That nothing else is written to the path of an output; in a book, to its sheet.
    pub(super) fn written_apart(&mut self, tree: &OutputTree, style: &Style) -> Resolved<()> {
        let sheet = |style: &Style| style.sheet.as_ref().map(|name| name.to_lowercase());
        let same = self
            .plan
            .outputs
            .iter()
            .find(|other| other.path == tree.path.text && sheet(&other.style) == sheet(style));
        let Some(other) = same else { return Ok(()) };
        let written = &self.tables[other.table.0].name.text;
        let (message, help) = match &other.style.sheet {
            Some(sheet) => (
                format!("`{written}` is written to the sheet {sheet} of this book already"),
                Some("give each a sheet of its own:  sheet \"\u{2026}\"  behind the path"),
            ),
            None => (format!("`{written}` is written to this path already"), None),
        };
        let mut diagnostic = Diagnostic::new(DiagnosticKind::NameTaken, tree.path.span, message);
        if let Some(help) = help {
            diagnostic = diagnostic.help(help);
        }
        self.wrong(diagnostic)
    }
}
