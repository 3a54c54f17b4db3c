//! Which table of a database is meant, and what orders its rows: what is told where that is not clear.

use granum_core::port::{SourceError, SourceErrorKind};

/// The table that is meant: the one that is named and found, or the only one.
///
/// # Errors
/// That there is none, or which there are.
pub(crate) fn table_meant<T>(
    database: &str,
    said: Option<&str>,
    tables: &[String],
    find: impl Fn(&str) -> Option<T>,
) -> Result<T, SourceError> {
    let wrong = |message: String, help: String| SourceError {
        kind: SourceErrorKind::Table,
        file: database.to_owned(),
        line: None,
        message,
        help,
    };
    let mut some: Vec<String> = tables.iter().take(8).map(|name| format!("\"{name}\"")).collect();
    if tables.len() > 8 {
        some.push("\u{2026}".into());
    }
    let some = some.join(", ");
    let none = || {
        let help =
            "look whether it is the database that was meant, and whether its tables may be seen";
        wrong("has no tables".into(), help.into())
    };
    match (said, tables) {
        (Some(said), _) => find(said).ok_or_else(|| {
            if tables.is_empty() {
                return none();
            }
            wrong(format!("has no table called {said}"), format!("it has {some}"))
        }),
        (None, []) => Err(none()),
        (None, [only]) => find(only).ok_or_else(none),
        (None, several) => Err(wrong(
            format!("has {} tables: {some}", several.len()),
            format!("say which:  named \"{}\"", several[0]),
        )),
    }
}

/// The columns that order a table's rows: those that are said, which it must have; else those of its key; else all.
///
/// # Errors
/// One that it has not.
pub(crate) fn ordering<'c>(
    table: &str,
    all: &'c [String],
    (key, said): (&'c [String], &'c [String]),
) -> Result<&'c [String], SourceError> {
    if let Some(lacking) = said.iter().find(|column| !all.contains(column)) {
        return Err(SourceError {
            kind: SourceErrorKind::Order,
            file: table.to_owned(),
            line: None,
            message: format!("has no column `{lacking}` for its rows to be ordered by"),
            help: format!("its columns are {}", all.join(", ")),
        });
    }
    Ok(match (said, key) {
        ([], []) => all,
        ([], _) => key,
        _ => said,
    })
}

/// That the columns that are said tell all rows apart. `repeated` is how many of their keys several rows have.
///
/// # Errors
/// That they do not.
pub(crate) fn orders(table: &str, said: &[String], repeated: i64) -> Result<(), SourceError> {
    if repeated == 0 {
        return Ok(());
    }
    Err(SourceError {
        kind: SourceErrorKind::Order,
        file: table.to_owned(),
        line: None,
        message: format!("has several rows for {repeated} of the keys {}", said.join(", ")),
        help: "order by columns that tell rows apart, or leave  ordered by  out: then its key orders them".into(),
    })
}
