//! What words of a call mean together.

use clap::CommandFactory;
use granum_core::engine::Tracing;

use super::{Args, PlanOptions, PlanSource, RowArgs};

/// What `show` was asked for: a plan and a table, or a table alone where `-e` gives the plan.
///
/// # Errors
/// The usage error, if one word is missing or one too many.
pub fn shown(
    command: &str,
    words: &[String],
    options: &PlanOptions,
) -> Result<(PlanSource, Option<String>), clap::Error> {
    match (words, &options.text) {
        ([plan, table], None) => Ok((PlanSource::File(plan.into()), Some(table.clone()))),
        ([plan], None) => Ok((PlanSource::File(plan.into()), None)),
        ([table], Some(text)) => Ok((PlanSource::Text(text.clone()), Some(table.clone()))),
        ([], Some(text)) => Ok((PlanSource::Text(text.clone()), None)),
        (_, None) => Err(Args::command().error(
            clap::error::ErrorKind::MissingRequiredArgument,
            format!("{command} takes a plan and a table: granum {command} PLAN TABLE"),
        )),
        (_, Some(_)) => Err(Args::command().error(
            clap::error::ErrorKind::ArgumentConflict,
            format!(
                "with -e, {command} takes a table alone: granum {command} -e 'PLAN TEXT' TABLE"
            ),
        )),
    }
}

/// What `trace` and `example` were asked for.
///
/// # Errors
/// The usage error, if a word is missing.
pub fn traced(command: &str, row: &RowArgs) -> Result<(PlanSource, Tracing), clap::Error> {
    let line = row.line.clone();
    let wrong = |message: &str| {
        Args::command().error(clap::error::ErrorKind::MissingRequiredArgument, message)
    };
    let (source, words) = match (&row.words[..], &row.options.text) {
        (words, Some(text)) => (PlanSource::Text(text.clone()), words),
        ([plan, words @ ..], None) => (PlanSource::File(plan.into()), words),
        ([], None) => {
            return Err(wrong(&format!("{command} takes a plan, a table and values: see --help")));
        }
    };
    let usage = format!(
        "{command} takes a table and what columns of the row hold: granum {command} PLAN TABLE \
         COLUMN=VALUE, or an input and --line FILE:LINE"
    );
    let [table, keys @ ..] = words else { return Err(wrong(&usage)) };
    let keys = keys.iter().map(|key| match key.split_once('=') {
        Some((name, value)) => Ok((name.trim().to_owned(), value.to_owned())),
        None => Err(wrong(&format!("`{key}` is no COLUMN=VALUE"))),
    });
    let keys = keys.collect::<Result<Vec<_>, _>>()?;
    if keys.is_empty() != line.is_some() {
        return Err(wrong(&usage));
    }
    let room = Some(row.memory.room());
    Ok((source, Tracing { table: table.clone(), keys, line, room }))
}

pub(super) fn file_line(text: &str) -> Result<(String, u64), String> {
    let wrong = || "a line is asked for as FILE:LINE".to_owned();
    let (file, line) = text.rsplit_once(':').ok_or_else(wrong)?;
    Ok((file.to_owned(), line.parse().map_err(|_| wrong())?))
}

pub(super) fn setting(text: &str) -> Result<(String, String), String> {
    let (name, value) = text.split_once('=').ok_or("a parameter is set with NAME=VALUE")?;
    Ok((name.trim().to_owned(), value.to_owned()))
}

/// The items of a list: parted by commas that stand in no brackets and no quotes.
pub fn items(list: &str) -> Vec<String> {
    let mut items = vec![String::new()];
    let (mut depth, mut quote) = (0_i32, None);
    for letter in list.chars() {
        match (quote, letter) {
            (Some(open), _) if letter == open => quote = None,
            (Some(_), _) => {}
            (None, '"' | '`') => quote = Some(letter),
            (None, '(') => depth += 1,
            (None, ')') => depth -= 1,
            (None, ',') if depth <= 0 => {
                items.push(String::new());
                continue;
            }
            _ => {}
        }
        if let Some(item) = items.last_mut() {
            item.push(letter);
        }
    }
    items.into_iter().map(|item| item.trim().to_owned()).filter(|item| !item.is_empty()).collect()
}
