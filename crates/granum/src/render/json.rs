//! What came of a command as one JSON document. `docs/json.md` says what it holds; fields are added,
//! and none changes its meaning without `format` going up.

use granum_core::compare::Compared;
use granum_core::engine::{AskedWrong, Shown};
use granum_core::lang::Diagnostic;
use granum_core::relate::FoundLink;
use granum_core::tally::{Problem, Report, Story, Written, share_text};
use granum_core::value::Scalar;
use serde::Serialize;
use serde_json::{Map, Value, json};

use super::Texts;

/// The version of the documents.
const FORMAT: u64 = 1;

/// Any value of the core. One that JSON cannot hold, which none is, would be null.
pub fn value(value: impl Serialize) -> Value {
    serde_json::to_value(value).unwrap_or_default()
}

/// A document of a plan: how it ended, and one field more.
pub fn outcome(plan: &str, outcome: &str, name: &str, told: Value) -> String {
    document(Some(plan), outcome, [(name, told)])
}

/// A document: how it ended, and what there is to tell.
pub fn document<'n>(
    plan: Option<&str>,
    outcome: &str,
    told: impl IntoIterator<Item = (&'n str, Value)>,
) -> String {
    let mut fields = Map::new();
    fields.insert("format".into(), FORMAT.into());
    if let Some(plan) = plan {
        fields.insert("plan".into(), plan.into());
    }
    fields.insert("outcome".into(), outcome.into());
    fields.extend(told.into_iter().map(|(name, told)| (name.to_owned(), told)));
    format!("{:#}\n", Value::Object(fields))
}

/// The document of a run or a check.
pub fn report(
    plan: &str,
    report: &Report,
    changes: &[(String, Compared)],
    anyway: &[Written],
) -> String {
    let mut told = report_value(report);
    if let Some(fields) = told.as_object_mut() {
        let change = |(path, compared): &(String, Compared)| json!({ "path": path, "compared": value(compared) });
        fields.insert("changes".into(), changes.iter().map(change).collect());
        fields.insert("anyway".into(), value(anyway));
    }
    outcome(plan, if report.held() { "held" } else { "stopped" }, "report", told)
}

/// All that a run tells.
pub fn report_value(report: &Report) -> Value {
    let mut told = value(report);
    let links = told.get_mut("links").and_then(Value::as_array_mut);
    for (told, link) in links.into_iter().flatten().zip(&report.links) {
        if let Some(fields) = told.as_object_mut() {
            let share = share_text(link.matched.into(), link.counted().into());
            fields.insert("share".into(), share.into());
        }
    }
    let examples = told.get_mut("examples").and_then(Value::as_array_mut);
    for (told, example) in examples.into_iter().flatten().zip(&report.examples) {
        if let Some(fields) = told.as_object_mut() {
            fields.insert("problems".into(), problems(&example.problems));
        }
    }
    if let Some(fields) = told.as_object_mut() {
        fields.insert("problems".into(), problems(&report.problems));
    }
    told
}

/// Links that were found between files, each with the line that a plan would have.
pub fn links(links: &[FoundLink]) -> Value {
    let told = links.iter().map(|link| {
        let mut told = value(link);
        if let Some(fields) = told.as_object_mut() {
            fields.insert("line".into(), link.line().into());
            let share = share_text(link.matched.into(), (link.rows - link.blank).into());
            fields.insert("share".into(), share.into());
        }
        told
    });
    told.collect()
}

/// Each problem with the name of its kind beside what it says.
fn problems(problems: &[Problem]) -> Value {
    let told = problems.iter().map(|problem| {
        let mut told = value(problem);
        if let Some(fields) = told.as_object_mut() {
            fields.insert("kind".into(), problem.kind().into());
        }
        told
    });
    told.collect()
}

/// What is wrong with a plan, with lines and columns counted from 1 (columns in letters).
pub fn diagnostics(texts: &Texts, diagnostics: &[Diagnostic]) -> Value {
    let place = |byte: usize| {
        let (part, byte) = texts.place(byte);
        let (_, text) = texts.part(part);
        let before = text.get(..byte).unwrap_or(text);
        let line = before.matches('\n').count() + 1;
        let start = before.rfind('\n').map_or(0, |at| at + 1);
        json!({ "line": line, "column": before[start..].chars().count() + 1 })
    };
    let told = diagnostics.iter().map(|diagnostic| {
        json!({
            "kind": diagnostic.kind.name(),
            "message": diagnostic.message,
            "help": diagnostic.help,
            "file": texts.part(texts.place(diagnostic.span.start).0).0,
            "from": place(diagnostic.span.start),
            "to": place(diagnostic.span.end),
        })
    });
    told.collect()
}

/// What is wrong with what an option asked; its places count from where that begins.
pub fn asked_wrong(wrong: &AskedWrong) -> Value {
    let texts = Texts::of(wrong.option, wrong.text.clone());
    let mut told = diagnostics(&texts, std::slice::from_ref(&wrong.diagnostic))[0].take();
    told["option"] = wrong.option.into();
    told
}

/// The story of rows.
pub fn story(plan: &str, story: &Story) -> String {
    let mut told = value(story);
    if let Some(fields) = told.as_object_mut() {
        fields.insert("problems".into(), problems(&story.problems));
    }
    outcome(plan, if story.found > 0 { "held" } else { "stopped" }, "story", told)
}

/// Rows of a table, a list a row: decimals and days as text, blanks as null.
pub fn rows(plan: &str, shown: &Shown) -> String {
    let columns = shown.columns.iter();
    let columns: Value = columns
        .map(|(name, column)| json!({ "name": name, "type": column.ty().to_string() }))
        .collect();
    let row = |row: usize| -> Value {
        shown.columns.iter().map(|(_, column)| cell(&column.scalar(row))).collect()
    };
    let told = json!({
        "name": shown.table,
        "grain": shown.grain,
        "columns": columns,
        "rows": (0..shown.shown).map(row).collect::<Value>(),
        "rows_in_all": shown.rows,
        "total": shown.total.then(|| row(shown.shown)),
        "one_row": shown.one_row,
        "problems": problems(&shown.problems),
        "warnings": value(&shown.warnings),
    });
    outcome(plan, if shown.problems.is_empty() { "held" } else { "stopped" }, "table", told)
}

fn cell(value: &Scalar) -> Value {
    match value {
        Scalar::Blank => Value::Null,
        Scalar::Integer(value) => (*value).into(),
        Scalar::Boolean(value) => (*value).into(),
        Scalar::Number(value) => (*value).into(),
        other => other.to_string().into(),
    }
}
