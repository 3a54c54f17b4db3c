//! The one layout of a plan: two spaces, one clause or assignment a line, names aligned, comments
//! kept. `format(parse(format(x)))` is `format(x)`.

pub(in crate::lang) mod expression;
pub(in crate::lang) mod layout;
mod statement;

use super::ast::PlanTree;
use super::parse::Parsed;
use super::step::StepTree;

pub use expression::format_expression;
use layout::Layout;
pub use layout::plan_name;
pub(crate) use layout::quoted;
pub(crate) use statement::table_head;

/// The plan in its one layout. `source` is the text that `parsed` came from; comments and blank
/// lines between statements are taken from there.
pub fn format_plan(source: &str, parsed: &Parsed) -> String {
    let mut layout = Layout::new(source, &parsed.comments);
    layout.plan(&parsed.tree);
    layout.out
}

/// A step on one line: `drop status = "void"`. Assignments are joined by commas.
pub fn format_step(step: &StepTree) -> String {
    let mut layout = Layout::new("", &[]);
    layout.step(step, 0);
    let lines: Vec<&str> = layout.out.lines().map(str::trim).collect();
    let mut words = lines.join(", ");
    // Aligned names leave runs of spaces; texts are never broken over lines, so only the padding
    // before `=` and `as` is folded.
    for mark in [" = ", " as "] {
        while let Some(at) = words.find(&format!(" {mark}")) {
            if words[..at].matches('"').count() % 2 == 1 {
                break;
            }
            words.remove(at);
        }
    }
    words
}

impl Layout<'_> {
    fn plan(&mut self, tree: &PlanTree) {
        self.statements(&tree.statements);
        self.comments_before(usize::MAX, 0);
    }
}
