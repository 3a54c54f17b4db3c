//! How outputs are written: what goes with the format that a path says.

use super::Resolved;
use super::scope::Resolver;
use crate::lang::{Diagnostic, DiagnosticKind, OutputTree, Quoted, Span, StyleTree};
use crate::port::{
    BOOKS, COLUMNS, DATABASES, FIELDS, Family, LONGEST_SHEET, NamedAs, OBJECTS, PACKED, Style,
};

impl Resolver<'_> {
    /// How an output is written: what goes with the format that its name says.
    pub(super) fn style(&mut self, tree: &OutputTree) -> Resolved<Style> {
        let StyleTree { delimiter, decimals, encoding, mark, sheet, named, adding } = &tree.style;
        let endings: Vec<&str> = FIELDS.into_iter().chain(OBJECTS).collect();
        let Some(family) = NamedAs::of(&tree.path.text).written() else {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::NotYet,
                    tree.path.span,
                    "this version writes CSV, JSON, books of sheets, Parquet, Arrow, SQLite, PostgreSQL and MySQL",
                )
                .help(format!(
                    "end the path in {}, to have it packed with {} behind; or in {} {} {}; a database on a server is named by its address:  \
                     \"postgres://HOST/DATABASE\"",
                    endings.join(" "),
                    PACKED.join(" or "),
                    BOOKS.join(" "),
                    COLUMNS.join(" "),
                    DATABASES.join(" ")
                )),
            );
        };
        let text = [delimiter, decimals, encoding].into_iter().flatten().map(|said| said.span);
        self.goes_with(family, Family::Fields, text.chain(*mark))?;
        self.goes_with(family, Family::Book, sheet.iter().map(|said| said.span))?;
        self.goes_with(family, Family::Database, named.iter().map(|said| said.span))?;
        self.goes_with(family, Family::Server, adding.iter().copied())?;
        let sheet = match family {
            Family::Book => Some(self.sheet(tree, sheet.as_ref())?),
            _ => None,
        };
        let named = match family {
            Family::Database | Family::Server => Some(self.named(tree, named.as_ref())?),
            _ => None,
        };
        let sign = |said: &Option<Quoted>| said.as_ref().and_then(|said| said.text.bytes().next());
        let style = Style {
            delimiter: sign(delimiter),
            decimals: sign(decimals),
            encoding: encoding.as_ref().map(|named| named.text.clone()),
            marked: mark.is_some(),
            sheet,
            named,
            key: vec![],
            adding: adding.is_some(),
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
        // What holds of tables in a file holds of those on a server.
        let fits = family == wanted || (family, wanted) == (Family::Server, Family::Database);
        let Some(span) = said.next().filter(|_| !fits) else { return Ok(()) };
        let what = match family {
            Family::Fields => "text",
            Family::Objects => "JSON",
            Family::Book => "a book",
            Family::Columns => "a file of columns",
            Family::Database | Family::Server => "a database",
        };
        let (what, ending) = match wanted {
            Family::Book => (format!("{what} has no sheets"), ".xlsx"),
            Family::Database => (format!("{what} has no tables that are named"), ".db"),
            Family::Server => {
                let file = if family == Family::Database { " in a file" } else { "" };
                let message = format!("{what}{file} is written whole, and nothing is added to it");
                let diagnostic = Diagnostic::new(DiagnosticKind::Type, span, message);
                return self.wrong(diagnostic.help(
                    "leave it out, or write to a database on a server:  \"postgres://HOST/DATABASE\"",
                ));
            }
            _ if family == Family::Objects => {
                (format!("{what} is written in one way alone"), ".csv")
            }
            _ => (format!("{what} has values in cells, and no signs between them"), ".csv"),
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

    /// The table of a database: as is said, or as the table of the plan is called.
    fn named(&mut self, tree: &OutputTree, said: Option<&Quoted>) -> Resolved<String> {
        let (name, span) = match said {
            Some(said) => (said.text.clone(), said.span),
            None => (tree.table.text.clone(), tree.table.span),
        };
        let own = ["granum_run", "sqlite_"];
        let wrong = if name.trim().is_empty() {
            "a table has a name".to_owned()
        } else if name.chars().any(char::is_control) {
            "a table's name is one line".to_owned()
        } else if let Some(own) = own.into_iter().find(|own| name.to_lowercase().starts_with(own)) {
            format!("names that begin with {own} are not for tables of one's own")
        } else {
            return Ok(name);
        };
        let diagnostic = Diagnostic::new(DiagnosticKind::Type, span, wrong);
        self.wrong(diagnostic.help("give it another:  named \"orders\"  behind the path"))
    }

    /// That nothing else is written to the path of an output; in a book, to its sheet; in a database, to its table.
    pub(super) fn written_apart(&mut self, tree: &OutputTree, style: &Style) -> Resolved<()> {
        let sheet = |style: &Style| {
            style.sheet.as_ref().or(style.named.as_ref()).map(|name| name.to_lowercase())
        };
        let same = self
            .plan
            .outputs
            .iter()
            .find(|other| other.path == tree.path.text && sheet(&other.style) == sheet(style));
        let Some(other) = same else { return Ok(()) };
        let written = &self.tables[other.table.0].name.text;
        let (message, help) = match (&other.style.sheet, &other.style.named) {
            (_, Some(named)) => (
                format!("`{written}` is written to the table {named} of this database already"),
                Some("give each a table of its own:  named \"\u{2026}\"  behind the path"),
            ),
            (Some(sheet), None) => (
                format!("`{written}` is written to the sheet {sheet} of this book already"),
                Some("give each a sheet of its own:  sheet \"\u{2026}\"  behind the path"),
            ),
            (None, None) => (format!("`{written}` is written to this path already"), None),
        };
        let mut diagnostic = Diagnostic::new(DiagnosticKind::NameTaken, tree.path.span, message);
        if let Some(help) = help {
            diagnostic = diagnostic.help(help);
        }
        self.wrong(diagnostic)
    }
}
