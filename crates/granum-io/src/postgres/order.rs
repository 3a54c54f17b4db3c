//! The order of a table's rows, and where it is cut so that several connections fetch it.

use granum_core::port::SourceError;
use postgres::Client;

use super::catalog::{quoted, text};
use super::kinds::{Column, Coming};
use crate::served::{Wrong, ordering, orders};

/// A piece of the order has about so many rows.
const ROWS: f32 = 50_000.0;

/// There are so many pieces at most.
const PIECES: usize = 64;

/// About so many rows show where the pieces end.
const SAMPLE: f32 = 20_000.0;

/// What rows are ordered by.
#[derive(Debug, Clone, Default)]
pub(super) struct Order {
    /// As a query says it.
    pub by: String,
    /// Conditions under each of which stands one piece of the order; one that says nothing where it is whole.
    pub pieces: Vec<String>,
}

/// A column as rows are ordered by it: texts byte by byte, whatever the language of the database.
fn compared(column: &Column) -> String {
    let name = quoted(&column.name);
    match column.coming {
        // What is kept in that order has an index that has it, too.
        Some(Coming::Text) if column.bytewise && !column.as_text => name,
        Some(Coming::Text) if !column.as_text => format!("{name} COLLATE \"C\""),
        Some(coming) if coming.compares() => name,
        _ => format!("{name}::text COLLATE \"C\""),
    }
}

/// The order by what is said, which must tell rows apart; else by the key; else by all columns.
pub(super) fn order(
    client: &mut Client,
    (shown, from): (&str, &str),
    columns: &[Column],
    (key, said): (&[String], &[String]),
) -> Result<Vec<String>, SourceError> {
    let all: Vec<String> = columns.iter().map(|column| column.name.clone()).collect();
    let by = ordering(shown, &all, (key, said))?;
    let by = by.iter().filter_map(|name| columns.iter().find(|column| column.name == *name));
    let compared: Vec<String> = by.map(compared).collect();
    if !said.is_empty() {
        let query = format!(
            "SELECT count(*) FROM (SELECT 1 FROM {from} GROUP BY {} HAVING count(*) > 1) repeated",
            compared.join(", ")
        );
        let repeated =
            client.query_one(&query, &[]).map_err(|failed| Wrong::from(failed).read(shown))?;
        let repeated: i64 = repeated.get(0);
        orders(shown, said, repeated)?;
    }
    Ok(compared)
}

/// Cuts the order of a table by its first column, where an index keeps that order: else every piece would go through all
/// rows. `rows` is about how many there are.
pub(super) fn pieces(
    client: &mut Client,
    from: &str,
    (first, column): (&str, &Column),
    rows: f32,
) -> Result<Vec<String>, Wrong> {
    let count = ((rows / ROWS) as usize).clamp(1, PIECES);
    let texts = column.coming == Some(Coming::Text);
    let whole = vec!["true".to_owned()];
    if count == 1 || column.as_text || texts && !column.bytewise {
        return Ok(whole);
    }
    let share = (SAMPLE / rows * 100.0).clamp(0.01, 100.0);
    let places: Vec<String> = (1..count).map(|at| (at as f64 / count as f64).to_string()).collect();
    let query = format!(
        "SELECT (percentile_disc(ARRAY[{}]) WITHIN GROUP (ORDER BY {first}))::text[] \
         FROM {from} TABLESAMPLE SYSTEM ({share}) REPEATABLE (1)",
        places.join(", ")
    );
    let ends: Option<Vec<Option<String>>> = client.query_one(&query, &[])?.get(0);
    let mut ends: Vec<String> = ends.unwrap_or_default().into_iter().flatten().collect();
    ends.dedup();
    let (Some(start), Some(end)) = (ends.first(), ends.last()) else { return Ok(whole) };
    let mut pieces = vec![format!("{first} < {}", text(start))];
    for pair in ends.windows(2) {
        pieces.push(format!("{first} >= {} AND {first} < {}", text(&pair[0]), text(&pair[1])));
    }
    // What is blank comes last.
    let blank = if column.blank { format!(" OR {first} IS NULL") } else { String::new() };
    pieces.push(format!("({first} >= {}{blank})", text(end)));
    Ok(pieces)
}
