//! `read`

use super::super::Resolved;
use super::super::scope::Resolver;
use super::Builder;
use crate::lang::{Diagnostic, DiagnosticKind, ReadTree, Span};
use crate::value::{Type, day};

impl Resolver<'_> {
    pub(super) fn read(
        &mut self,
        builder: &mut Builder,
        items: &[ReadTree],
        span: Span,
    ) -> Resolved<()> {
        if !builder.input {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Step, span, "`read` belongs to an input")
                    .help("in a table, convert with text(…), integer(…), decimal(…), date(…)"),
            );
        }
        if !builder.steps.is_empty() {
            return self.wrong(
                Diagnostic::new(
                    DiagnosticKind::Step,
                    span,
                    "`read` stands before all other steps: it says what the cells are",
                )
                .help("move it up, right behind the input's files"),
            );
        }
        let mut whole = Ok(());
        let mut seen: Vec<&str> = vec![];
        for item in items {
            if builder.find(&item.column.text).is_none() {
                whole = self.unknown_column(&builder.row(), &item.column);
            } else if seen.contains(&item.column.text.as_str()) {
                whole = self.wrong(Diagnostic::new(
                    DiagnosticKind::NameTaken,
                    item.column.span,
                    format!("`{}` is read twice", item.column.text),
                ));
            }
            seen.push(&item.column.text);
            let temporal = matches!(item.ty.ty, Type::Date | Type::DateTime);
            for format in &item.formats {
                let error = if temporal {
                    day::format_error(&format.text, item.ty.ty == Type::DateTime)
                } else {
                    Some(format!("{} has no formats, only date and datetime have", item.ty.ty))
                };
                if let Some(error) = error {
                    whole = self.wrong(
                        Diagnostic::new(
                            DiagnosticKind::Type,
                            format.span,
                            format!("this format does not say a {}: {error}", item.ty.ty),
                        )
                        .help("as in  \"%d/%m/%Y\"  or  \"%Y-%m-%dT%H:%M:%S\""),
                    );
                }
            }
        }
        whole
    }
}
