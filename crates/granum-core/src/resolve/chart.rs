//! Charts: what can stand along one, what can be drawn, and where.

use super::Resolved;
use super::plan::{ChartPlan, Step, TablePlan};
use super::scope::{Paths, Resolver, Row};
use crate::aggregate::AggregateFunction;
use crate::bug::Sure;
use crate::lang::{ChartTree, Diagnostic, DiagnosticKind, Name, Quoted, plan_name};
use crate::port::Picture;
use crate::table::{ColumnId, TableId};
use crate::value::Type;

/// Columns that one chart shows at most: more nobody tells apart.
const MOST: usize = 6;

impl Resolver<'_> {
    pub(super) fn chart(&mut self, tree: &ChartTree) -> Resolved<()> {
        let table: TableId = self.table_named(&tree.table)?;
        self.need_table(table, tree.table.span)?;
        let row = self.finished_row(table, Paths::Allowed);
        let x = self.along(&row, &tree.x)?;
        let by = tree.by.as_ref().map(|by| self.along(&row, by)).transpose()?;
        let bars = self.heights(&row, &tree.bars)?;
        let lines = self.heights(&row, &tree.lines)?;
        self.told_apart(tree)?;
        if let Some(span) = tree.stacked.filter(|_| bars.len() < 2) {
            let message = "bars stand on each other where there are two columns of them at least";
            let diagnostic = Diagnostic::new(DiagnosticKind::Syntax, span, message);
            return self.wrong(diagnostic.help("as in  bars net, freight stacked"));
        }
        let share = self.shares(tree, table)?;
        let path = tree.path.as_ref().map(|path| self.drawn_to(path)).transpose()?;
        let plan = self.tables[table.0].plan.as_ref().sure("a table that a chart needs");
        let grain = plan.grain_columns();
        let (title, stacked) = (tree.title.text.clone(), tree.stacked.is_some());
        let chart = ChartPlan { title, table, x, bars, lines, by, grain, stacked, share, path };
        self.plan.charts.push(chart);
        Ok(())
    }

    /// A column of a finished table, with its type.
    fn column(&mut self, row: &Row, name: &Name) -> Resolved<(ColumnId, Type)> {
        match row.columns.iter().position(|(of, ..)| *of == name.text) {
            Some(at) => Ok((ColumnId(at), row.columns[at].2)),
            None => self.unknown_column(row, name),
        }
    }

    /// A column that stands along a chart, or that it is drawn by.
    fn along(&mut self, row: &Row, name: &Name) -> Resolved<ColumnId> {
        let (id, ty) = self.column(row, name)?;
        let help = match ty {
            Type::Decimal(_) | Type::Number => {
                "days, months, whole numbers and texts are; an amount is a height:  bars or  line"
                    .to_owned()
            }
            Type::DateTime => {
                format!("its day is one; say it before:  add day = date({})", plan_name(&name.text))
            }
            _ => return Ok(id),
        };
        let message = format!("`{}` is {ty}: its values are no places along a chart", name.text);
        self.wrong(Diagnostic::new(DiagnosticKind::Type, name.span, message).help(help))
    }

    /// Columns of numbers.
    fn heights(&mut self, row: &Row, names: &[Name]) -> Resolved<Vec<ColumnId>> {
        let mut found = vec![];
        for name in names {
            let (id, ty) = self.column(row, name)?;
            if !matches!(ty, Type::Integer | Type::Decimal(_) | Type::Number | Type::Blank) {
                let message = format!("`{}` is {ty}, which has no height", name.text);
                let help = "numbers have one; rows are counted before:  one row per \u{2026}  NAME = rows()";
                let wrong = Diagnostic::new(DiagnosticKind::Type, name.span, message);
                return self.wrong(wrong.help(help));
            }
            found.push(id);
        }
        Ok(found)
    }

    /// That what is drawn is not drawn twice, nor more than can be told apart.
    fn told_apart(&mut self, tree: &ChartTree) -> Resolved<()> {
        let drawn: Vec<&Name> = tree.bars.iter().chain(&tree.lines).collect();
        let twice = (1..drawn.len())
            .find(|at| drawn[..*at].iter().any(|other| other.text == drawn[*at].text));
        if let Some(at) = twice {
            let message = format!("`{}` is drawn already", drawn[at].text);
            let wrong = Diagnostic::new(DiagnosticKind::NameTaken, drawn[at].span, message);
            return self.wrong(wrong.help("name each column once"));
        }
        if let Some(more) = drawn.get(MOST) {
            let message = format!("a chart shows up to {MOST} columns: more nobody tells apart");
            let wrong = Diagnostic::new(DiagnosticKind::Syntax, more.span, message);
            return self.wrong(wrong.help("draw the others in a chart of their own"));
        }
        Ok(())
    }

    /// Whether what is drawn is shares: as the plan says, or as `share` made all of it.
    fn shares(&mut self, tree: &ChartTree, table: TableId) -> Resolved<bool> {
        if tree.share.is_some() {
            return Ok(true);
        }
        let plan = self.tables[table.0].plan.as_ref().sure("a table that a chart needs");
        let drawn = || tree.bars.iter().chain(&tree.lines);
        let shares = drawn().filter(|name| is_share(plan, &name.text)).count();
        if shares == 0 || shares == drawn().count() {
            return Ok(shares > 0);
        }
        let find = |wanted: bool| drawn().find(|name| is_share(plan, &name.text) == wanted);
        let (share, other) = (find(true).sure("a share"), find(false).sure("another column"));
        let message = format!(
            "`{}` is a share, and `{}` is none: they have no axis in common",
            share.text, other.text
        );
        let wrong = Diagnostic::new(DiagnosticKind::Type, share.span, message);
        self.wrong(wrong.help("draw them in two charts; or, if all are shares, say  as share"))
    }

    /// A path for a picture.
    fn drawn_to(&mut self, path: &Quoted) -> Resolved<String> {
        let to = &path.text;
        if Picture::of(to).is_none() {
            let message = "a chart is drawn as SVG or PNG";
            let wrong = Diagnostic::new(DiagnosticKind::Syntax, path.span, message);
            return self.wrong(wrong.help("end the path in .svg or .png"));
        }
        Ok(to.clone())
    }
}

/// Whether a finished column is what `share` made of each group.
fn is_share(plan: &TablePlan, name: &str) -> bool {
    let Some((_, slot)) = plan.columns.iter().find(|(of, _)| of == name) else { return false };
    plan.steps.iter().any(|step| match &step.step {
        Step::OneRow(groups) => groups
            .results
            .iter()
            .any(|(result, of)| result.function == AggregateFunction::Share && of == slot),
        _ => false,
    })
}
