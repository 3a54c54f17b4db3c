//! Steps in sentences.

use granum_core::lang::{
    AllocateTree, AssignTree, DedupeKeep, ExpandTree, Expr, KeyTree, Name, OddQuantity, Otherwise,
    Preference, ReadTree, SplitTree, StepKind, StepTree, TopCount, TurnTree, TurnedTree,
    UnitsPolicy,
};

use granum_core::value::{Scale, Type};

use super::super::counted;
use super::super::lists::listed;
use super::words::{Scope, names};

/// What a step does, in sentences; none of one that only says what the rows are.
pub(super) fn sentences(scope: &Scope, step: &StepTree) -> Vec<String> {
    let words = |expr: &Expr| scope.words(expr);
    let all = |exprs: &[Expr]| listed(&exprs.iter().map(words).collect::<Vec<_>>(), "and");
    let each = |items: &[AssignTree]| -> Vec<String> {
        let is = |item: &AssignTree| scope.is(&item.name.text, &item.value);
        items.iter().map(|item| format!("{} {}.", item.name.text, is(item))).collect()
    };
    match &step.kind {
        StepKind::Read(items) => read(items),
        StepKind::Add(items) => each(items),
        StepKind::Change(items) => {
            let item =
                |item: &AssignTree| format!("{} becomes {}.", item.name.text, words(&item.value));
            items.iter().map(item).collect()
        }
        StepKind::Keep(condition) => {
            vec![format!("Only rows stay {}.", scope.rows_where(condition))]
        }
        StepKind::Drop(condition) => vec![format!("Rows go {}.", scope.rows_where(condition))],
        StepKind::Dedupe => vec!["Of rows that are equal in every column one stays.".into()],
        StepKind::DedupeBy { keys, keep } => {
            let stays = match keep {
                DedupeKeep::First => "the first".to_owned(),
                DedupeKeep::Last => "the last".to_owned(),
                DedupeKeep::Best(best) => format!("the one with {}", preferred(best)),
            };
            vec![format!("Of rows with the same {} {stays} stays.", all(keys))]
        }
        StepKind::Units { of, name, split, policy } => units(&words(of), name, split, policy),
        StepKind::Expand(expand) => expanded(scope, expand),
        StepKind::Allocate(allocate) => allocated(scope, allocate),
        StepKind::Columns(columns) => {
            let column = |column: &granum_core::lang::ColumnTree| match &column.new {
                Some(new) => format!("{} (as {})", column.column.text, new.text),
                None => column.column.text.clone(),
            };
            let columns: Vec<String> = columns.iter().map(column).collect();
            vec![format!("Of the columns stay {}.", listed(&columns, "and"))]
        }
        StepKind::Rename(renames) => renames
            .iter()
            .map(|rename| {
                format!("{} is called {} from here on.", rename.old.text, rename.new.text)
            })
            .collect(),
        StepKind::Grain(_) => vec![],
        StepKind::Track(track) => {
            let apart = track.apart.as_ref();
            let apart =
                apart.map_or(String::new(), |apart| format!(", apart for each {}", apart.text));
            vec![format!("Followed to the outputs: {}{apart}.", names(&track.names))]
        }
        StepKind::OneRow { keys, total, items } => {
            let mut out = vec![groups(scope, keys)];
            out.extend(each(items));
            let total = total.as_ref();
            out.extend(total.map(|total| format!("A row \"{}\" of all stands below.", total.text)));
            out
        }
        StepKind::Turn(turn) => turned(turn),
        StepKind::Sort(orders) => {
            let order = |order: &granum_core::lang::OrderTree| {
                let last = if order.descending { ", the greatest first" } else { "" };
                format!("{}{last}", words(&order.value))
            };
            let orders: Vec<String> = orders.iter().map(order).collect();
            vec![format!("Its rows stand in the order of {}.", orders.join(", then "))]
        }
        StepKind::Top { bottom, count, by, per, ties } => {
            let which = if *bottom { "least" } else { "greatest" };
            let count = match count {
                TopCount::Rows(rows) => counted(u64::from(*rows), "row", "rows"),
                TopCount::Part(part) => format!("{part} of rows"),
            };
            let per = if per.is_empty() {
                String::new()
            } else {
                format!(", of those with the same {}", all(per))
            };
            let ties = if *ties { ", and those that tie with the last" } else { "" };
            vec![format!("Only the {count} with the {which} {} stay{per}{ties}.", words(by))]
        }
    }
}

/// `the latest sent_at, then the largest version`
pub(super) fn preferred(best: &[(Preference, Name)]) -> String {
    let one = |(which, name): &(Preference, Name)| format!("the {} {}", which.word(), name.text);
    best.iter().map(one).collect::<Vec<_>>().join(", then ")
}

fn read(items: &[ReadTree]) -> Vec<String> {
    let item = |item: &ReadTree| {
        let formats: Vec<String> =
            item.formats.iter().map(|format| written(&format.text)).collect();
        let formats = match formats.as_slice() {
            [] => String::new(),
            formats => format!(", written as {}", listed(formats, "or")),
        };
        let zone = item.zone.as_ref();
        let zone = zone.map_or(String::new(), |zone| format!(", by the clock of {}", zone.text));
        let otherwise = match item.otherwise {
            Otherwise::Stop => "",
            Otherwise::Blank => "; blank where it is none",
            Otherwise::Aside => "; rows where it is none are set aside",
        };
        format!(
            "{} is read as {}{formats}{zone}{otherwise}.",
            item.column.text,
            type_words(item.ty.ty)
        )
    };
    items.iter().map(item).collect()
}

/// A type for somebody who does not write plans.
fn type_words(ty: Type) -> String {
    match ty {
        Type::Blank => "nothing".into(),
        Type::Text => "text".into(),
        Type::Integer => "a whole number".into(),
        Type::Decimal(Scale(places)) => {
            format!("a number with {}", counted(places.into(), "place", "places"))
        }
        Type::Number => "a number".into(),
        Type::Date => "a day".into(),
        Type::DateTime => "a day and time".into(),
        Type::Boolean => "true or false".into(),
    }
}

/// A format by an example, where each of its signs has one.
fn written(format: &str) -> String {
    let signs = [
        ("%Y", "2026"),
        ("%y", "26"),
        ("%m", "03"),
        ("%d", "31"),
        ("%H", "14"),
        ("%M", "05"),
        ("%S", "09"),
        ("%b", "Mar"),
        ("%B", "March"),
        ("%e", "31"),
        ("%T", "14:05:09"),
        ("%F", "2026-03-31"),
    ];
    let mut out = format.to_owned();
    for (sign, example) in signs {
        out = out.replace(sign, example);
    }
    if out.contains('%') { format.to_owned() } else { out }
}

fn groups(scope: &Scope, keys: &[KeyTree]) -> String {
    let key = |key: &KeyTree| match &key.name {
        Some(name) => format!("{} ({})", name.text, scope.words(&key.value)),
        None => scope.words(&key.value),
    };
    let keys: Vec<String> = keys.iter().map(key).collect();
    match keys.as_slice() {
        [] => "All rows become one.".into(),
        keys => format!("Rows with the same {} become one.", listed(keys, "and")),
    }
}

/// The columns that are divided.
fn divided(split: &[SplitTree]) -> String {
    let one = |split: &SplitTree| match split.places {
        Some(places) => format!("{} (to {places} places)", split.column.text),
        None => split.column.text.clone(),
    };
    listed(&split.iter().map(one).collect::<Vec<_>>(), "and")
}

fn units(of: &str, name: &Name, split: &[SplitTree], policy: &UnitsPolicy) -> Vec<String> {
    let mut out = vec![format!(
        "Each row becomes as many rows as {of} says, numbered from 1 in {}.",
        name.text
    )];
    if !split.is_empty() {
        let verb = if split.len() == 1 { "is" } else { "are" };
        out.push(format!("{} {verb} divided over them, so that no cent is lost.", divided(split)));
    }
    let odd = |odd: &[OddQuantity]| {
        listed(&odd.iter().map(|odd| odd.word().to_owned()).collect::<Vec<_>>(), "or")
    };
    if !policy.dropping.is_empty() {
        out.push(format!("Rows where it is {} go, and are counted.", odd(&policy.dropping)));
    }
    if !policy.keeping.is_empty() {
        out.push(format!("Rows where it is {} stay as they are.", odd(&policy.keeping)));
    }
    out
}

/// In proportion to what, where that is said.
fn by_weight(scope: &Scope, weight: Option<&Expr>, else_equally: bool) -> String {
    let Some(weight) = weight else { return " in equal parts".into() };
    let equally = if else_equally { ", equally where all of that is zero" } else { "" };
    format!(" by {}{equally}", scope.words(weight))
}

fn expanded(scope: &Scope, expand: &ExpandTree) -> Vec<String> {
    let (last, through) = match expand.path.as_slice() {
        [through @ .., last] => (last.text.as_str(), through),
        [] => return vec![],
    };
    let way = match through {
        [] => String::new(),
        through => format!(" by way of {}", names(through)),
    };
    let mut out = vec![format!("Each row becomes the rows of {last} that it is made of{way}.")];
    if !expand.split.is_empty() {
        let verb = if expand.split.len() == 1 { "is" } else { "are" };
        let by = by_weight(scope, expand.weight.as_ref(), expand.else_equally);
        out.push(format!("{} {verb} divided over them{by}.", divided(&expand.split)));
    }
    for item in &expand.multiply {
        out.push(format!("{} is multiplied by {}.", item.name.text, scope.words(&item.value)));
    }
    out
}

fn allocated(scope: &Scope, allocate: &AllocateTree) -> Vec<String> {
    let over = match allocate.per.as_slice() {
        [] => "the rows that lead there".to_owned(),
        per => {
            let per: Vec<String> = per.iter().map(|key| scope.words(key)).collect();
            format!("the rows with the same {}", listed(&per, "and"))
        }
    };
    let by = by_weight(scope, allocate.weight.as_ref(), allocate.else_equally);
    let (amount, name) = (scope.words(&allocate.amount), &allocate.name.text);
    vec![format!("{name} is each row's part of {amount}, which is divided over {over}{by}.")]
}

fn turned(turn: &TurnTree) -> Vec<String> {
    let name = &turn.name.text;
    let blanks = if turn.keeping_blanks { "" } else { " Blanks become none." };
    vec![match &turn.what {
        TurnedTree::Parts(column, sign) => format!(
            "Each part of {} between \"{}\" becomes a row of its own, in {name}.{blanks}",
            column.text, sign.text
        ),
        TurnedTree::Columns(_) | TurnedTree::Range(..) => {
            let columns = match &turn.what {
                TurnedTree::Columns(columns) => names(columns),
                TurnedTree::Range(first, last) => format!("{} to {}", first.text, last.text),
                TurnedTree::Parts(..) => String::new(),
            };
            let value = turn.value.as_ref().map_or("", |value| value.text.as_str());
            format!(
                "The columns {columns} become rows: {name} says which it was, {value} what stood in it.{blanks}"
            )
        }
    }]
}
