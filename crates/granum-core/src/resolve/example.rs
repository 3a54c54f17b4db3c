//! Worked examples: what can be said of them before they run.

use super::Resolved;
use super::scope::Resolver;
use crate::lang::{
    Diagnostic, DiagnosticKind, ExampleTree, OutcomeTree, RowsTree, StatementKind, nearest,
};
use crate::tally::Problem;

impl Resolver<'_> {
    pub(super) fn example(&mut self, tree: &ExampleTree) -> Resolved<()> {
        for (name, _) in &tree.set {
            if !self.parameters.iter().any(|(known, _)| *known == name.text) {
                let message = format!("there is no parameter called `{}`", name.text);
                let known: Vec<&str> =
                    self.parameters.iter().map(|(name, _)| name.as_str()).collect();
                let help = match nearest(&name.text, known.iter().copied()) {
                    Some(near) => format!("did you mean `{near}`?"),
                    None => "declare it:  param NAME TYPE = VALUE".into(),
                };
                let diagnostic = Diagnostic::new(DiagnosticKind::UnknownName, name.span, message);
                let _ = self.wrong::<()>(diagnostic.help(help));
            }
        }
        for (at, rows) in tree.with.iter().enumerate() {
            let _ = self.example_input(rows, &tree.with[..at]);
        }
        match &tree.outcome {
            OutcomeTree::Gives(gives) => {
                for rows in gives {
                    let _ = self.table_named(&rows.table);
                }
            }
            OutcomeTree::Stops(kind) if !Problem::KINDS.contains(&kind.text.as_str()) => {
                let message = format!("no run stops with `{}`", kind.text);
                let help = match nearest(&kind.text, Problem::KINDS.iter().copied()) {
                    Some(near) => format!("did you mean \"{near}\"?"),
                    None => format!("kinds are {}", Problem::KINDS.join(", ")),
                };
                let diagnostic = Diagnostic::new(DiagnosticKind::UnknownName, kind.span, message);
                return self.wrong(diagnostic.help(help));
            }
            OutcomeTree::Stops(_) => {}
        }
        Ok(())
    }

    /// The rows of an example are those of an input, each named once.
    fn example_input(&mut self, rows: &RowsTree, before: &[RowsTree]) -> Resolved<()> {
        let table = self.table_named(&rows.table)?;
        let input = match self.tables[table.0].statement {
            StatementKind::Input(input) => input.calendar.is_none(),
            _ => false,
        };
        let name = &rows.table.text;
        if !input {
            let message = format!("`{name}` is no input with rows of its own");
            let diagnostic = Diagnostic::new(DiagnosticKind::Step, rows.table.span, message);
            return self.wrong(
                diagnostic
                    .help("an example begins with the rows of inputs; the rest comes of them"),
            );
        }
        if before.iter().any(|other| other.table.text == *name) {
            let message = format!("`{name}` has its rows in this example already");
            let diagnostic = Diagnostic::new(DiagnosticKind::NameTaken, rows.table.span, message);
            return self.wrong(diagnostic.help("put all of its rows into one block"));
        }
        Ok(())
    }
}
