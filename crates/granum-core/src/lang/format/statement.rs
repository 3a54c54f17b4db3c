//! Statements, with what belongs in columns put in columns.

use super::super::ast::{
    CalendarTree, ChartTree, CheckTree, InputTree, MoreTree, OutputTree, ParamTree, Statement,
    StatementKind, StyleTree, TableTree,
};
use super::super::step::{AllowTree, StepTree};
use super::super::terms::{Name, Percent};
use super::super::token::Span;
use super::expression::format_expression;
use super::layout::{Layout, name, pad, quoted, width};

/// What stands below or beside a table's base, with what leads to it.
fn more_words(more: &MoreTree) -> String {
    let names = |names: &[Name]| names.iter().map(name).collect::<Vec<_>>().join(", ");
    match more {
        MoreTree::None => String::new(),
        MoreTree::Stacked { tables, filling_blanks, labelled } => {
            let mut out = format!(", {}", names(tables));
            if *filling_blanks {
                out.push_str(" filling blanks");
            }
            if let Some(label) = labelled {
                out.push_str(&format!(" labelled {}", name(label)));
            }
            out
        }
        MoreTree::Meeting { tables, keys } => {
            format!(" meeting {} on {}", names(tables), names(keys))
        }
    }
}

/// `table NAME from BASE …` without its steps.
pub(crate) fn table_head(table: &TableTree) -> String {
    let more = more_words(&table.more);
    format!("table {} from {}{more}", name(&table.name), name(&table.base))
}

impl Layout<'_> {
    pub(super) fn statements(&mut self, statements: &[Statement]) {
        let mut widths = vec![];
        for (at, statement) in statements.iter().enumerate() {
            let first = self
                .comments
                .get(self.next)
                .filter(|c| c.own_line && c.span.start < statement.span.start)
                .map_or(statement.span.start, |comment| comment.span.start);
            // A comment behind the last line belongs to that line, before any blank line.
            while let Some(comment) = self
                .comments
                .get(self.next)
                .filter(|c| !c.own_line && c.span.start < statement.span.start)
            {
                self.next += 1;
                let text = comment.text.clone();
                self.behind(&text);
            }
            if at > 0 && (needs_room(&statements[at - 1], statement) || self.blank_before(first)) {
                self.blank_line();
            }
            self.comments_before(statement.span.start, 0);
            if self.blank_before(statement.span.start) {
                self.blank_line();
            }
            if at == 0 || !self.same_group(&statements[at - 1], statement) {
                widths = self.group_widths(&statements[at..]);
            }
            self.statement(statement, &widths);
        }
    }

    fn statement(&mut self, statement: &Statement, widths: &[usize]) {
        let span = statement.span;
        match &statement.kind {
            StatementKind::Use(path) => {
                self.line(statement.span, 0, &format!("use {}", quoted(&path.text)));
            }
            StatementKind::Plan(title) => {
                self.line(span, 0, &format!("plan {}", quoted(&title.text)));
            }
            StatementKind::Param(param) => self.line(span, 0, &param_line(param)),
            StatementKind::Input(InputTree { name: called, rows: Some(rows), steps, .. }) => {
                self.block(span.start, 0, &format!("input {} from", name(called)), rows);
                self.steps(steps);
            }
            StatementKind::Input(input @ InputTree { query: Some(query), .. })
                if in_lines(query) =>
            {
                self.block(span.start, 0, &input_head(input), query);
                self.steps(&input.steps);
            }
            StatementKind::Input(input) => {
                self.head(span, &input.steps, &input_head(input));
            }
            StatementKind::Table(table) => {
                let head = table_head(table);
                self.head_allowing(span, &table.allow, &table.steps, &head);
            }
            StatementKind::Link(link) => {
                self.line(span, 0, &in_columns(&link.cells(), widths));
            }
            StatementKind::Check(check) => {
                let end = check.allow.first().map_or(span.end, |allow| allow.kind.span.start);
                self.line(Span { end, ..span }, 0, &check_line(check));
                self.allowed(&check.allow, 4);
            }
            StatementKind::Example(example) => self.example(span, example),
            StatementKind::Output(output) => {
                self.line(span, 0, &in_columns(&output_cells(output), widths));
            }
            StatementKind::Chart(chart) => self.line(span, 0, &chart_line(chart)),
        }
    }

    fn head(&mut self, span: Span, steps: &[StepTree], text: &str) {
        self.head_allowing(span, &[], steps, text);
    }

    fn head_allowing(&mut self, span: Span, allow: &[AllowTree], steps: &[StepTree], text: &str) {
        let end = steps.first().map_or(span.end, |step| step.span.start.min(span.end));
        let end = allow.first().map_or(end, |allow| allow.kind.span.start.min(end));
        // Comments between the head and the first step belong to the step.
        let end = self
            .comments
            .iter()
            .skip(self.next)
            .filter(|c| c.span.start >= span.start && c.span.start < end)
            .map(|c| c.span.start)
            .fold(end, usize::min);
        self.line(Span { start: span.start, end }, 0, text);
        self.allowed(allow, 4);
        self.steps(steps);
    }

    fn steps(&mut self, steps: &[StepTree]) {
        for step in steps {
            self.comments_before(step.span.start, 2);
            if self.blank_before(step.span.start) {
                self.blank_line();
            }
            self.step(step, 2);
            self.allowed(&step.allow, 4);
        }
    }

    /// Consecutive links, and outputs, with nothing between them stand in common columns.
    fn same_group(&self, before: &Statement, statement: &Statement) -> bool {
        let same = matches!(
            (&before.kind, &statement.kind),
            (StatementKind::Link(_), StatementKind::Link(_))
                | (StatementKind::Output(_), StatementKind::Output(_))
        );
        let between = |at: usize| at > before.span.end && at < statement.span.start;
        same && !self.blank_before(statement.span.start)
            && !self.comments.iter().any(|c| c.own_line && between(c.span.start))
    }

    fn group_widths(&self, statements: &[Statement]) -> Vec<usize> {
        let mut widths: Vec<usize> = vec![];
        for (at, statement) in statements.iter().enumerate() {
            if at > 0 && !self.same_group(&statements[at - 1], statement) {
                break;
            }
            let cells = match &statement.kind {
                StatementKind::Link(link) => link.cells(),
                StatementKind::Output(output) => output_cells(output),
                _ => break,
            };
            widths.resize(widths.len().max(cells.len()), 0);
            for (most, cell) in widths.iter_mut().zip(&cells) {
                *most = (*most).max(width(cell));
            }
        }
        widths
    }
}

/// Statements with a body, and neighbours of different kinds, are set apart by an empty line.
fn needs_room(before: &Statement, after: &Statement) -> bool {
    let body = |kind: &StatementKind| {
        matches!(
            kind,
            StatementKind::Input(_) | StatementKind::Table(_) | StatementKind::Example(_)
        )
    };
    body(&before.kind)
        || body(&after.kind)
        || std::mem::discriminant(&before.kind) != std::mem::discriminant(&after.kind)
}

fn in_columns(cells: &[String], widths: &[usize]) -> String {
    let padded = cells.iter().zip(widths).filter(|(_, most)| **most > 0);
    padded.map(|(cell, most)| pad(cell, *most)).collect::<Vec<_>>().join(" ")
}

fn param_line(param: &ParamTree) -> String {
    format!("param {} {} = {}", name(&param.name), param.ty.ty, format_expression(&param.value))
}

/// Whether a text stands on lines of its own.
fn in_lines(text: &crate::lang::Quoted) -> bool {
    text.text.contains('\n')
}

fn input_head(input: &InputTree) -> String {
    if let Some(CalendarTree { start, end }) = &input.calendar {
        let (start, end) = (format_expression(start), format_expression(end));
        return format!("input {} from calendar {start} through {end}", name(&input.name));
    }
    let sources: Vec<String> = input.sources.iter().map(|source| quoted(&source.text)).collect();
    let mut head = format!("input {} from {}", name(&input.name), sources.join(", "));
    if input.filling_blanks {
        head.push_str(" filling blanks");
    }
    if let Some(delimiter) = &input.delimiter {
        head.push_str(" delimiter ");
        head.push_str(&quoted(&delimiter.text));
    }
    if let Some(encoding) = &input.encoding {
        head.push_str(&format!(" encoding {}", quoted(&encoding.text)));
    }
    let cells = [("sheet", &input.sheet), ("range", &input.range), ("named", &input.named)];
    for (word, text) in cells.into_iter().filter_map(|(word, text)| Some((word, text.as_ref()?))) {
        head.push_str(&format!(" {word} {}", quoted(&text.text)));
    }
    if !input.ordered.is_empty() {
        let columns: Vec<String> = input.ordered.iter().map(name).collect();
        head.push_str(&format!(" ordered by {}", columns.join(", ")));
    }
    if let Some(line) = input.header_at {
        head.push_str(&format!(" header at {line}"));
    }
    if let Some(count) = input.footer {
        head.push_str(&format!(" footer {count}"));
    }
    if let Some(each) = &input.each {
        head.push_str(&format!(" each {}", quoted(&each.list.text)));
        let with: Vec<String> = each.with.iter().map(name).collect();
        if !with.is_empty() {
            head.push_str(&format!(" with {}", with.join(", ")));
        }
    }
    match &input.query {
        Some(query) if in_lines(query) => head.push_str(" query"),
        Some(query) => head.push_str(&format!(" query {}", quoted(&query.text))),
        None => {}
    }
    head
}

fn output_cells(output: &OutputTree) -> Vec<String> {
    let mut cells = vec![
        format!("output {}", name(&output.table)),
        format!("to {}", quoted(&output.path.text)),
    ];
    if let Some(wide) = &output.wide {
        cells.push(format!("columns from {} of {}", name(&wide.from), name(&wide.value)));
    }
    let StyleTree { delimiter, decimals, encoding, mark, sheet, named, adding } = &output.style;
    let said = [
        ("delimiter", delimiter),
        ("decimals", decimals),
        ("encoding", encoding),
        ("sheet", sheet),
        ("named", named),
    ];
    let said = said.into_iter().filter_map(|(word, text)| {
        text.as_ref().map(|text| format!("{word} {}", quoted(&text.text)))
    });
    let mut said: Vec<String> = said.collect();
    said.extend(mark.map(|_| "with mark".to_owned()));
    said.extend(adding.map(|_| "adding by grain".to_owned()));
    if !said.is_empty() {
        cells.push(said.join(" "));
    }
    cells
}

fn chart_line(chart: &ChartTree) -> String {
    let ChartTree { title, table, x, bars, lines, by, stacked, share, path } = chart;
    let mut words =
        vec![format!("chart {} from {} x {}", quoted(&title.text), name(table), name(x))];
    for (word, columns) in [("bars", bars), ("line", lines)] {
        if !columns.is_empty() {
            let columns: Vec<String> = columns.iter().map(name).collect();
            words.push(format!("{word} {}", columns.join(", ")));
        }
    }
    words.extend(by.as_ref().map(|by| format!("by {}", name(by))));
    words.extend(stacked.map(|_| "stacked".to_owned()));
    words.extend(share.map(|_| "as share".to_owned()));
    words.extend(path.as_ref().map(|path| format!("to {}", quoted(&path.text))));
    words.join(" ")
}

/// A share as it is written: `99.5%`.
fn percent_words(percent: Percent) -> String {
    let units = i128::from(percent.units);
    let text = crate::value::decimal::to_text(units, crate::value::Scale(percent.scale));
    format!("{text}%")
}

impl std::fmt::Display for Percent {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str(&percent_words(*self))
    }
}

fn check_line(check: &CheckTree) -> String {
    let mut head = String::from(check.severity.word());
    if let Some(title) = &check.title {
        head.push(' ');
        head.push_str(&quoted(&title.text));
    }
    if let Some(table) = &check.table {
        head.push(' ');
        head.push_str(&name(table));
    }
    if let Some(percent) = check.at_least {
        head.push_str(&format!(" at least {percent}"));
    }
    format!("{head}: {}", format_expression(&check.condition))
}
