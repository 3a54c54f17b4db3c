//! Lines of a plan with the comments that belong to them.

use super::super::lexer::is_plain_name;
use super::super::terms::Name;
use super::super::token::{Comment, Span};

pub(in crate::lang) struct Layout<'a> {
    source: &'a str,
    pub(super) comments: &'a [Comment],
    /// The next comment to print.
    pub(super) next: usize,
    pub(in crate::lang) out: String,
}

impl<'a> Layout<'a> {
    pub(in crate::lang) fn new(source: &'a str, comments: &'a [Comment]) -> Self {
        Self { source, comments, next: 0, out: String::new() }
    }

    /// Whether the text has an empty line right before `at`.
    pub(in crate::lang) fn blank_before(&self, at: usize) -> bool {
        let before = self.source.get(..at).unwrap_or("");
        let gap = &before[before.trim_end().len()..];
        gap.matches('\n').count() > 1
    }

    pub(in crate::lang) fn blank_line(&mut self) {
        if !self.out.is_empty() && !self.out.ends_with("\n\n") {
            self.out.push('\n');
        }
    }

    /// Puts a comment behind the line printed last.
    pub(in crate::lang) fn behind(&mut self, comment: &str) {
        if self.out.ends_with('\n') {
            self.out.pop();
        }
        if !self.out.is_empty() && !self.out.ends_with('\n') {
            self.out.push_str("  ");
        }
        self.out.push_str(comment);
        self.out.push('\n');
    }

    /// Prints the comments that stand before `start`.
    pub(in crate::lang) fn comments_before(&mut self, start: usize, indent: usize) {
        while let Some(comment) = self.comments.get(self.next).filter(|c| c.span.start < start) {
            self.next += 1;
            if comment.own_line {
                if self.blank_before(comment.span.start) {
                    self.blank_line();
                }
                self.out.push_str(&" ".repeat(indent));
                self.out.push_str(&comment.text);
                self.out.push('\n');
            } else {
                self.behind(&comment.text);
            }
        }
    }

    /// Prints one line for the words at `span`, with the comments before and in them.
    pub(in crate::lang) fn line(&mut self, span: Span, indent: usize, text: &str) {
        self.comments_before(span.start, indent);
        let first = self.next;
        while self.comments.get(self.next).is_some_and(|c| c.span.start < span.end) {
            self.next += 1;
        }
        for comment in self.comments[first..self.next].iter().filter(|c| c.own_line) {
            self.out.push_str(&" ".repeat(indent));
            self.out.push_str(&comment.text);
            self.out.push('\n');
        }
        self.out.push_str(&" ".repeat(indent));
        self.out.push_str(text.trim_end());
        self.out.push('\n');
        for comment in self.comments[first..self.next].iter().filter(|c| !c.own_line) {
            self.behind(&comment.text);
        }
    }
}

pub(in crate::lang) fn name(name: &Name) -> String {
    plan_name(&name.text)
}

/// A name as it is written in a plan: in backticks where it needs them, its own doubled.
pub fn plan_name(name: &str) -> String {
    if is_plain_name(name) { name.to_owned() } else { format!("`{}`", name.replace('`', "``")) }
}

/// A text as it is written in a plan.
pub(crate) fn quoted(text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 2);
    out.push('"');
    for letter in text.chars() {
        match letter {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            _ => out.push(letter),
        }
    }
    out.push('"');
    out
}

pub(in crate::lang) fn width(text: &str) -> usize {
    text.chars().count()
}

pub(in crate::lang) fn pad(text: &str, to: usize) -> String {
    format!("{text}{}", " ".repeat(to.saturating_sub(width(text))))
}
