//! The plan on a page: its texts, and its worked examples.

use granum_core::lang::{PieceKind, StatementKind, pieces};
use granum_core::tally::Report;
use granum_report::page::{ExampleTold, PlanTold};

use super::super::Texts;
use super::{Beside, plain};

pub(super) fn texts(texts: &Texts) -> Vec<PlanTold> {
    let told = |(name, text): (&str, &str)| PlanTold {
        name: plain(name),
        pieces: pieces(text).into_iter().map(|(kind, text)| (word(kind), plain(text))).collect(),
    };
    texts.parts().map(told).collect()
}

fn word(kind: PieceKind) -> &'static str {
    match kind {
        PieceKind::Plain => "",
        PieceKind::Comment => "comment",
        PieceKind::Word => "word",
        PieceKind::Text => "text",
        PieceKind::Number => "number",
    }
}

/// The examples, each as it stands in the plan.
pub(super) fn examples(report: &Report, beside: &Beside<'_>) -> Vec<ExampleTold> {
    let all = &beside.texts.all;
    let statements = beside.tree.statements.iter();
    let spans = statements.filter(|statement| matches!(statement.kind, StatementKind::Example(_)));
    let told = report.examples.iter().zip(spans).map(|(example, statement)| {
        let text = all.get(statement.span.start..statement.span.end).unwrap_or_default();
        ExampleTold {
            title: plain(&example.title),
            state: if example.held { "held" } else { "stopped" },
            text: plain(text),
        }
    });
    told.collect()
}
