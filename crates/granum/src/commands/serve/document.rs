//! A plan that is open in an editor, and what is known of it.

use std::path::{Path, PathBuf};

use granum_core::engine::{Beginnings, TableOutline};
use granum_core::lang::{Diagnostic, Parsed, PlanTree, Span, Statement, StatementKind, parse};
use granum_core::names::Names;
use granum_core::port::without_passwords;
use granum_core::resolve::with_paths;
use granum_io::Files;
use lsp_types::{Location, Uri};

use super::lines::{Counting, Lines};
use super::place::{path_of, uri_of};
use crate::commands::{outputs, used};
use crate::render::Texts;

/// A plan that is open.
pub(super) struct Document {
    pub uri: Uri,
    pub path: PathBuf,
    pub version: Option<i32>,
    pub text: String,
    /// It and those that it uses.
    pub texts: Texts,
    pub tree: PlanTree,
    pub names: Names,
    /// What its tables have: of the last text that was right.
    pub outline: Vec<TableOutline>,
    pub wrong: Vec<Diagnostic>,
    pub beginnings: Beginnings,
}

impl Document {
    pub fn open(uri: Uri, text: String, version: Option<i32>) -> Self {
        let mut document = Self::unread(uri, version);
        document.set(text);
        document
    }

    fn unread(uri: Uri, version: Option<i32>) -> Self {
        let path = path_of(&uri);
        Self {
            uri,
            path,
            version,
            text: String::new(),
            texts: Texts::default(),
            tree: parse("").tree,
            names: Names::default(),
            outline: vec![],
            wrong: vec![],
            beginnings: Beginnings::default(),
        }
    }

    /// The folder that its paths begin in.
    pub fn folder(&self) -> PathBuf {
        self.path.parent().map_or_else(PathBuf::new, Path::to_path_buf)
    }

    /// Takes another text.
    pub fn set(&mut self, text: String) {
        self.text = without_passwords(&text);
        let Parsed { mut tree, diagnostics: mut wrong, .. } = parse(&self.text);
        let name = self.path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        self.texts = Texts::of(name, self.text.clone());
        let folder = self.folder();
        let (more, plans) = used::take_in(&mut tree, &mut self.texts, &folder, Some(&self.path));
        wrong.extend(more);
        let files = Files::new(folder);
        let filled = with_paths(&tree, &[]).unwrap_or_else(|more| {
            wrong.extend(more);
            tree.clone()
        });
        self.beginnings.look(&filled, &files);
        if wrong.is_empty() && !tree.statements.is_empty() {
            match self.beginnings.outline(&filled) {
                Ok(outline) => self.outline = outline,
                Err(more) => wrong.extend(more),
            }
            wrong.extend(outputs::clashes(&filled, &files, &plans));
        }
        self.names = Names::of(&tree, &self.texts.all, &self.beginnings.columns());
        (self.tree, self.wrong) = (tree, wrong);
    }

    /// The same plan with edits in its own text, as it would be: files that were looked at are not looked at again.
    pub fn with(&self, edits: &[(Span, String)]) -> Self {
        let mut last_first: Vec<&(Span, String)> = edits.iter().collect();
        last_first.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
        let mut text = self.text.clone();
        for (span, new) in last_first {
            text.replace_range(span.start..span.end, new);
        }
        let beginnings = self.beginnings.clone();
        let mut tried = Self { beginnings, ..Self::unread(self.uri.clone(), None) };
        tried.set(text);
        tried
    }

    /// Looks at its files again: they may be others.
    pub fn look_again(&mut self) {
        self.beginnings.forget();
        self.set(self.text.clone());
    }

    /// Where stretches of all texts stand: in this plan, or in those that it uses.
    pub fn locations(&self, counting: Counting, spans: &[Span]) -> Vec<Location> {
        let mut lines: Vec<Option<Lines<'_>>> = self.texts.parts().map(|_| None).collect();
        let location = |span: &Span| {
            let (part, start) = self.texts.place(span.start);
            let (name, text) = self.texts.part(part);
            let end = start + (span.end - span.start);
            let lines = lines[part].get_or_insert_with(|| Lines::of(text));
            let range = counting.range(lines, Span { start, end });
            let other = (part > 0).then(|| uri_of(&self.folder().join(name))).flatten();
            let uri = other.unwrap_or_else(|| self.uri.clone());
            Location { uri, range }
        };
        spans.iter().map(location).collect()
    }

    /// The same of one.
    pub fn location(&self, counting: Counting, span: Span) -> Location {
        self.locations(counting, &[span]).remove(0)
    }

    /// The statement that a byte of the own text is in, or behind.
    pub fn statement(&self, byte: usize) -> Option<&Statement> {
        let own =
            self.tree.statements.iter().filter(|statement| statement.span.end <= self.text.len());
        own.filter(|statement| statement.span.start <= byte).last()
    }

    /// The table whose columns are meant in a statement.
    pub fn table_at(&self, byte: usize) -> Option<&str> {
        match &self.statement(byte)?.kind {
            StatementKind::Input(input) => Some(&input.name.text),
            StatementKind::Table(table) => Some(&table.name.text),
            StatementKind::Link(link) => Some(&link.from.text),
            StatementKind::Check(check) => Some(&check.table.as_ref()?.text),
            StatementKind::Output(output) => Some(&output.table.text),
            StatementKind::Chart(chart) => Some(&chart.table.text),
            _ => None,
        }
    }

    pub fn table(&self, name: &str) -> Option<&TableOutline> {
        self.outline.iter().find(|table| table.name == name)
    }
}
