//! Statements: each begins with a hard word, so the next one is found after any error.

use super::super::ast::{
    CalendarTree, ChartTree, CheckTree, EachTree, InputTree, MoreTree, OutputTree, ParamTree,
    Severity, Statement, StatementKind, StyleTree, TableTree, WideTree,
};
use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::step::{STEPS, StepTree};
use super::super::terms::{Name, Percent, Quoted, TypeTree};
use super::super::token::TokenKind;
use super::cursor::{Found, Parser, STATEMENTS, TYPES, did_you_mean};
use crate::value::{Scale, Type};

/// An input that has no files, and nothing in their place yet.
fn without_files(name: Name, steps: Vec<StepTree>) -> InputTree {
    InputTree {
        name,
        sources: vec![],
        calendar: None,
        rows: None,
        filling_blanks: false,
        delimiter: None,
        encoding: None,
        sheet: None,
        range: None,
        named: None,
        query: None,
        ordered: vec![],
        header_at: None,
        footer: None,
        each: None,
        steps,
    }
}

impl Parser {
    pub(super) fn statements(&mut self) -> Vec<Statement> {
        let mut statements = vec![];
        while *self.peek() != TokenKind::End {
            let start = self.span();
            self.depth = 0;
            match self.statement() {
                Ok(kind) => {
                    statements.push(Statement { kind, span: start.to(self.last_span()) });
                }
                Err(_) => self.skip_until(Self::at_statement),
            }
        }
        statements
    }

    pub(in crate::lang) fn at_statement(&self) -> bool {
        matches!(self.peek(), TokenKind::Word(word) if STATEMENTS.contains(&word.as_str()))
    }

    fn statement(&mut self) -> Found<StatementKind> {
        let span = self.span();
        let word = match self.peek() {
            TokenKind::Word(word) if self.at_statement() => word.clone(),
            found => {
                let message = format!("expected a statement, found {}", found.found());
                let mut diagnostic = Diagnostic::new(DiagnosticKind::Syntax, span, message)
                    .help(format!("a statement begins with one of: {}", STATEMENTS.join(", ")));
                let meant = self.foreign().map(str::to_owned);
                if let Some(help) = meant
                    .or_else(|| did_you_mean(found, STATEMENTS))
                    .or_else(|| did_you_mean(found, STEPS))
                {
                    diagnostic = diagnostic.help(help);
                }
                self.advance();
                return self.wrong(diagnostic);
            }
        };
        self.advance();
        match word.as_str() {
            "plan" => Ok(StatementKind::Plan(self.quoted("the plan's title in quotes")?)),
            "use" => Ok(StatementKind::Use(self.quoted("the path of another plan in quotes")?)),
            "param" => self.param(),
            "input" => self.input(),
            "table" => self.table(),
            "link" => Ok(StatementKind::Link(self.link()?)),
            "check" => self.check(Severity::Check),
            "warn" => self.check(Severity::Warn),
            "example" => Ok(StatementKind::Example(self.example()?)),
            "output" => self.output(),
            _ => self.chart(),
        }
    }

    fn param(&mut self) -> Found<StatementKind> {
        let name = self.name("the parameter's name")?;
        let ty = self.type_name()?;
        self.need_sign("=", "`=` and the parameter's value")?;
        let value = self.expression()?;
        Ok(StatementKind::Param(ParamTree { name, ty, value }))
    }

    pub(in crate::lang) fn type_name(&mut self) -> Found<TypeTree> {
        let span = self.span();
        let word = match self.peek() {
            TokenKind::Word(word) => word.clone(),
            _ => return self.expected("a type"),
        };
        let ty = match word.as_str() {
            "text" => Type::Text,
            "integer" => Type::Integer,
            "number" => Type::Number,
            "date" => Type::Date,
            "datetime" => Type::DateTime,
            "boolean" => Type::Boolean,
            "decimal" => {
                self.advance();
                if matches!(self.peek(), TokenKind::Text(_)) {
                    // What follows says how many places.
                    let ty = Type::Decimal(Scale(0));
                    return Ok(TypeTree { ty, by_example: true, span });
                }
                self.need_sign("(", "the places after the point, as in `decimal(2)`")?;
                let places = self.places()?;
                self.need_sign(")", "`)`")?;
                let span = span.to(self.last_span());
                return Ok(TypeTree { ty: Type::Decimal(places), by_example: false, span });
            }
            _ => {
                let message = format!("`{word}` is not a type");
                let help = did_you_mean(self.peek(), TYPES)
                    .unwrap_or_else(|| format!("types are {}", TYPES.join(", ")));
                return self
                    .wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message).help(help));
            }
        };
        self.advance();
        Ok(TypeTree { ty, by_example: false, span })
    }

    fn places(&mut self) -> Found<Scale> {
        if let TokenKind::Number { units, decimal: false, .. } = *self.peek()
            && (0..=20).contains(&units)
        {
            self.advance();
            return Ok(Scale(units as u8));
        }
        self.expected("a whole number of places from 0 to 20")
    }

    fn input(&mut self) -> Found<StatementKind> {
        let name = self.name("the input's name")?;
        self.need_word("from", "`from` and a file")?;
        if self.take_word("calendar") {
            let start = self.key()?;
            self.need_word("through", "`through` and the last day")?;
            let calendar = Some(CalendarTree { start, end: self.key()? });
            let steps = self.steps();
            return Ok(StatementKind::Input(InputTree { calendar, ..without_files(name, steps) }));
        }
        if matches!(self.peek(), TokenKind::Block(_)) {
            let rows = Some(self.block()?);
            let steps = self.steps();
            return Ok(StatementKind::Input(InputTree { rows, ..without_files(name, steps) }));
        }
        let mut sources = vec![self.quoted("a file's path in quotes")?];
        while self.take_sign(",") {
            sources.push(self.quoted("a file's path in quotes")?);
        }
        let mut filling_blanks = false;
        let (mut delimiter, mut encoding, mut header_at, mut footer) = (None, None, None, None);
        let (mut sheet, mut range, mut each) = (None, None, None);
        let (mut named, mut query, mut ordered) = (None, None, vec![]);
        loop {
            if self.is_word("filling") {
                self.advance();
                self.need_word("blanks", "`filling blanks`: `blanks`")?;
                filling_blanks = true;
            } else if self.take_word("delimiter") {
                delimiter = Some(self.delimiter()?);
            } else if self.take_word("encoding") {
                encoding = Some(self.quoted("the encoding's name in quotes")?);
            } else if self.take_word("sheet") {
                sheet = Some(self.quoted("the sheet's name in quotes")?);
            } else if self.take_word("range") {
                range = Some(self.quoted("cells in quotes, as in \"B4:H900\"")?);
            } else if self.take_word("named") {
                named = Some(self.quoted("the table's name in quotes")?);
            } else if self.take_word("query") {
                query = Some(self.query()?);
            } else if self.take_words("ordered", "by") {
                ordered = self.names("a column that rows are ordered by")?;
            } else if self.take_word("header") {
                self.need_word("at", "`header at`: `at` and a line's number")?;
                header_at = Some(self.line_number()?);
            } else if self.take_word("footer") {
                footer = Some(self.footer()?);
            } else if self.take_word("each") {
                let list = self.quoted("the name of a list in quotes")?;
                let with = if self.take_word("with") {
                    self.names("a column of the object around the list")?
                } else {
                    vec![]
                };
                each = Some(EachTree { list, with });
            } else {
                break;
            }
        }
        let steps = self.steps();
        Ok(StatementKind::Input(InputTree {
            name,
            sources,
            calendar: None,
            rows: None,
            filling_blanks,
            delimiter,
            encoding,
            sheet,
            range,
            named,
            query,
            ordered,
            header_at,
            footer,
            each,
            steps,
        }))
    }

    /// What a database is asked, on one line or several.
    fn query(&mut self) -> Found<Quoted> {
        let span = self.span();
        match self.peek() {
            TokenKind::Block(text) => {
                let text = text.clone();
                self.advance();
                Ok(Quoted { text, span })
            }
            _ => self.quoted("what the database is asked, in quotes or between three of them"),
        }
    }

    /// How many records stand below the rows.
    fn footer(&mut self) -> Found<u64> {
        let found = match *self.peek() {
            TokenKind::Number { units, scale: 0, .. } => u64::try_from(units).ok(),
            _ => None,
        };
        // What is below the rows is held back while a file is read: it is a few lines.
        let Some(count) = found.filter(|count| (1..=1_000).contains(count)) else {
            return self.expected("how many lines stand below the rows, from 1 to 1,000");
        };
        self.advance();
        Ok(count)
    }

    fn line_number(&mut self) -> Found<u64> {
        let found = match *self.peek() {
            TokenKind::Number { units, scale: 0, .. } => u64::try_from(units).ok(),
            _ => None,
        };
        let Some(line) = found.filter(|line| *line >= 1) else {
            return self.expected("a line's number: 1, 2, 3 and so on");
        };
        self.advance();
        Ok(line)
    }

    fn table(&mut self) -> Found<StatementKind> {
        let name = self.name("the table's name")?;
        self.need_word("from", "`from` and the table it starts as")?;
        let base = self.name("the table it starts as")?;
        let more = self.more()?;
        let allow = self.allowed()?;
        let steps: Vec<StepTree> = self.steps();
        Ok(StatementKind::Table(TableTree { name, base, more, allow, steps }))
    }

    /// Other tables below or beside the first.
    fn more(&mut self) -> Found<MoreTree> {
        if self.is_word("meeting") {
            self.advance();
            let tables = self.names("a table that meets it")?;
            self.need_word("on", "`on` and the keys, which are the grain of each")?;
            return Ok(MoreTree::Meeting { tables, keys: self.names("a key")? });
        }
        if !self.take_sign(",") {
            return Ok(MoreTree::None);
        }
        let tables = self.names("another table")?;
        let filling_blanks = self.take_words("filling", "blanks");
        let mut labelled = None;
        if self.is_word("labelled") && self.at_name(1) {
            self.advance();
            labelled = Some(self.name("the column that says which table a row came from")?);
        }
        Ok(MoreTree::Stacked { tables, filling_blanks, labelled })
    }

    pub(in crate::lang) fn at_least(&mut self) -> Found<Percent> {
        self.advance();
        self.need_word("least", "`at least`: `least`")?;
        self.percent()
    }

    /// `N%`
    pub(in crate::lang) fn percent(&mut self) -> Found<Percent> {
        let TokenKind::Number { units, scale, .. } = *self.peek() else {
            return self.expected("a share such as `98%`");
        };
        let span = self.span();
        self.advance();
        self.need_sign("%", "`%`: a share is written `98%`")?;
        let most = 100 * 10_i128.pow(u32::from(scale.min(30)));
        if units > most || scale > 12 {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Syntax, span, "a share is at most 100%")
                    .help("with up to 12 places after the point"),
            );
        }
        Ok(Percent { units: units as u64, scale })
    }

    fn check(&mut self, severity: Severity) -> Found<StatementKind> {
        let title = match self.peek() {
            TokenKind::Text(_) => Some(self.quoted("its title")?),
            _ => None,
        };
        let table = if self.is_sign(":") { None } else { Some(self.name("a table or `:`")?) };
        let at_least =
            if table.is_some() && self.is_word("at") { Some(self.at_least()?) } else { None };
        self.need_sign(":", "`:` and what must hold")?;
        let condition = self.expression()?;
        let allow = self.allowed()?;
        Ok(StatementKind::Check(CheckTree { severity, title, table, at_least, condition, allow }))
    }

    fn output(&mut self) -> Found<StatementKind> {
        let table = self.name("the table to write")?;
        self.need_word("to", "`to` and a path in quotes")?;
        let path = self.quoted("a path in quotes")?;
        let mut wide = None;
        if self.take_words("columns", "from") {
            let from = self.name("the column whose values become columns")?;
            self.need_word("of", "`of` and the column that stands in their cells")?;
            wide =
                Some(WideTree { from, value: self.name("the column that stands in the cells")? });
        }
        let style = self.style()?;
        Ok(StatementKind::Output(OutputTree { table, path, wide, style }))
    }

    /// `chart`, of which the first word has been taken.
    fn chart(&mut self) -> Found<StatementKind> {
        let title = self.quoted("the chart's title in quotes")?;
        self.need_word("from", "`from` and the table that is drawn")?;
        let table = self.name("the table that is drawn")?;
        self.need_word("x", "`x` and the column that stands along the chart")?;
        let x = self.name("the column that stands along the chart")?;
        let mut chart = ChartTree {
            title,
            table,
            x,
            bars: vec![],
            lines: vec![],
            by: None,
            stacked: None,
            share: None,
            path: None,
        };
        loop {
            let span = self.span();
            if self.take_word("bars") {
                chart.bars.extend(self.names("a column that bars are as high as")?);
            } else if self.take_word("line") {
                chart.lines.extend(self.names("a column that a line goes through")?);
            } else if self.take_word("by") {
                chart.by = Some(self.name("the column for each of whose values it is drawn")?);
            } else if self.take_word("stacked") {
                chart.stacked = Some(span);
            } else if self.take_word("as") {
                self.need_word("share", "`as share`: `share`")?;
                chart.share = Some(span.to(self.last_span()));
            } else if self.take_word("to") {
                chart.path = Some(self.quoted("a path in quotes that ends in .svg or .png")?);
            } else if chart.bars.is_empty() && chart.lines.is_empty() {
                return self.expected("`bars` or `line` and the columns that are drawn");
            } else {
                return Ok(StatementKind::Chart(chart));
            }
        }
    }

    /// How an output is written.
    fn style(&mut self) -> Found<StyleTree> {
        let mut style = StyleTree::default();
        loop {
            let span = self.span();
            if self.take_word("delimiter") {
                style.delimiter = Some(self.delimiter()?);
            } else if self.take_word("decimals") {
                let sign = self.quoted("the sign before decimal places in quotes")?;
                if ![",", "."].contains(&sign.text.as_str()) {
                    let wrong = Diagnostic::new(
                        DiagnosticKind::Syntax,
                        sign.span,
                        "a comma or a point stands before decimal places",
                    );
                    return self.wrong(wrong.help("as in  decimals \",\""));
                }
                style.decimals = Some(sign);
            } else if self.take_word("encoding") {
                style.encoding = Some(self.quoted("the encoding's name in quotes")?);
            } else if self.take_words("with", "mark") {
                style.mark = Some(span.to(self.last_span()));
            } else if self.take_word("sheet") {
                style.sheet = Some(self.quoted("the sheet's name in quotes")?);
            } else if self.take_word("named") {
                style.named = Some(self.quoted("the table's name in quotes")?);
            } else if self.take_word("adding") {
                self.need_word("by", "`adding by grain`: `by`")?;
                self.need_word("grain", "`adding by grain`: `grain`")?;
                style.adding = Some(span.to(self.last_span()));
            } else {
                return Ok(style);
            }
        }
    }

    /// The sign between fields.
    fn delimiter(&mut self) -> Found<Quoted> {
        let sign = self.quoted("the sign between fields in quotes")?;
        if sign.text.len() != 1 || "\"\r\n".contains(&sign.text) {
            let wrong =
                Diagnostic::new(DiagnosticKind::Syntax, sign.span, "a delimiter is one sign");
            return self.wrong(wrong.help("as in  delimiter \";\"  or  delimiter \"\\t\""));
        }
        Ok(sign)
    }
}
