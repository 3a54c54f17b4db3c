//! A table that works what is asked of a plan's rows from outside, behind the plan's own text.

use std::ops::Range;

use crate::lang::{Diagnostic, PlanTree, Span, parse_from, plan_name};

/// A plan's text with such a table behind it, and where in it that stands which was asked.
#[derive(Debug, Clone)]
pub struct Beside {
    /// The text as it runs.
    pub text: String,
    plan: usize,
    name: &'static str,
    of: String,
    asked: Vec<(&'static str, Range<usize>)>,
}

/// A diagnostic that points into what was asked, not into the plan.
#[derive(Debug, Clone, PartialEq)]
pub struct AskedWrong {
    /// The option that asked.
    pub option: &'static str,
    /// What it asked.
    pub text: String,
    /// What is wrong; its places count from the beginning of `text`.
    pub diagnostic: Diagnostic,
}

impl Beside {
    /// A table called `name` of the rows of `of`, behind a plan.
    pub(super) fn new(text: &str, name: &'static str, of: &str) -> Self {
        let before = format!("{text}\ntable {name} from ");
        let table = format!("{before}{}\n", plan_name(of));
        let asked = vec![("TABLE", before.len()..table.len() - 1)];
        Self { text: table, plan: text.len(), name, of: of.to_owned(), asked }
    }

    /// The plan alone.
    pub(super) fn none(text: &str) -> Self {
        Self { text: text.into(), plan: text.len(), name: "", of: String::new(), asked: vec![] }
    }

    /// A step, and in it the expression that an option asked for.
    pub(super) fn step(&mut self, before: &str, option: &'static str, asked: &str, after: &str) {
        self.text.push_str(&format!("  {before}"));
        let start = self.text.len();
        self.text.push_str(asked);
        self.asked.push((option, start..self.text.len()));
        self.text.push_str(after);
        self.text.push('\n');
    }

    /// The statements of a plan with what stands beside it, and what is wrong with that.
    pub fn parsed(&self, plan: &PlanTree) -> (PlanTree, Vec<Diagnostic>) {
        let mut parsed = parse_from(&self.text, self.plan);
        let mut tree = plan.clone();
        tree.statements.append(&mut parsed.tree.statements);
        (tree, parsed.diagnostics)
    }

    /// What is wrong with what was asked; `None` where something is wrong with the plan itself.
    pub fn placed(&self, diagnostic: &Diagnostic) -> Option<AskedWrong> {
        let at = diagnostic.span.start;
        if at < self.plan {
            return None;
        }
        // What ends too early is found out further on.
        let (option, range) = self.asked.iter().rev().find(|(_, range)| range.start <= at)?;
        let text = self.text.get(range.clone())?.to_owned();
        let place = |byte: usize| byte.clamp(range.start, range.end) - range.start;
        let end = place(diagnostic.span.end).max(1);
        let start = place(at).min(end - 1);
        let own = |message: &str| {
            let message = message.replace(&format!("`{}`", self.name), &format!("`{}`", self.of));
            message
                .replace("the end of the plan", "its end")
                .replace("the end of the line", "its end")
        };
        let diagnostic = Diagnostic {
            span: Span { start, end },
            message: own(&diagnostic.message),
            also: vec![],
            ..diagnostic.clone()
        };
        Some(AskedWrong { option, text, diagnostic })
    }
}
