//! What was staged → its table: made, refilled, or added to. Nobody else sees it yet.

use granum_core::port::SourceErrorKind;
use granum_core::tally::Taken;
use granum_core::value::Type;
use postgres::Client;

use super::catalog::quoted;
use super::kinds::declaration;
use super::stage::Staged;
use super::target::There;
use crate::served::Wrong;

/// Puts what was staged into its table. Gives what that did.
///
/// # Errors
/// Why the table does not take it, or not all of it.
pub(super) fn fill(client: &mut Client, staged: &Staged) -> Result<Taken, Wrong> {
    let Some(there) = &staged.target.there else {
        make_key(client, staged)?;
        return Ok(Taken::Made);
    };
    client.batch_execute(&format!(
        "LOCK TABLE {} IN SHARE ROW EXCLUSIVE MODE",
        staged.target.quoted
    ))?;
    loses_nothing(client, staged, there)?;
    if staged.wanted.adding { add(client, staged, there) } else { refill(client, staged, there) }
}

/// The columns of an output, as queries name them; and what each is put in as.
fn columns(staged: &Staged, there: &There) -> (String, String) {
    let names: Vec<String> = staged.wanted.columns.iter().map(|(name, _)| quoted(name)).collect();
    let put = names.iter().zip(&there.columns).zip(&staged.wanted.columns);
    let put = put.map(|((name, own), (_, ty))| {
        if own.ty == declaration(*ty) { name.clone() } else { format!("{name}::{}", own.ty) }
    });
    let put: Vec<String> = put.collect();
    (names.join(", "), put.join(", "))
}

fn refill(client: &mut Client, staged: &Staged, there: &There) -> Result<Taken, Wrong> {
    let table = &staged.target.quoted;
    let only = if there.only { "ONLY " } else { "" };
    let before = client.execute(&format!("DELETE FROM {only}{table}"), &[])?;
    let (names, put) = columns(staged, there);
    let query = format!("INSERT INTO {table} ({names}) SELECT {put} FROM {}", staged.quoted());
    let taken = client.execute(&query, &[])?;
    all_taken(staged, taken)?;
    Ok(Taken::Refilled { before })
}

fn add(client: &mut Client, staged: &Staged, there: &There) -> Result<Taken, Wrong> {
    not_blank(client, staged)?;
    let table = &staged.target.quoted;
    let (names, put) = columns(staged, there);
    let key = &staged.wanted.key;
    let keys: Vec<String> = key.iter().map(|name| quoted(name)).collect();
    let same = there.columns.iter().zip(&staged.wanted.columns);
    let same = same.filter(|(_, (name, _))| key.contains(name));
    let same: Vec<String> = same
        .map(|(own, (name, _))| format!("own.{0} = staged.{0}::{1}", quoted(name), own.ty))
        .collect();
    let query = format!(
        "SELECT count(*) FROM {} staged WHERE EXISTS (SELECT 1 FROM {table} own WHERE {})",
        staged.quoted(),
        same.join(" AND ")
    );
    let replaced: i64 = client.query_one(&query, &[])?.get(0);
    let others = staged.wanted.columns.iter().filter(|(name, _)| !key.contains(name));
    let others: Vec<String> =
        others.map(|(name, _)| format!("{0} = EXCLUDED.{0}", quoted(name))).collect();
    let then = if others.is_empty() {
        // Of rows that are nothing but their key, those that are there are as they are to be.
        format!("{0} = EXCLUDED.{0}", keys[0])
    } else {
        others.join(", ")
    };
    let query = format!(
        "INSERT INTO {table} ({names}) SELECT {put} FROM {} ON CONFLICT ({}) DO UPDATE SET {then}",
        staged.quoted(),
        keys.join(", ")
    );
    let taken = client.execute(&query, &[])?;
    all_taken(staged, taken)?;
    let replaced = u64::try_from(replaced).unwrap_or(0);
    Ok(Taken::Added { new: staged.rows.saturating_sub(replaced), replaced })
}

/// That the table has all rows that were staged: something in it may have kept some out.
fn all_taken(staged: &Staged, taken: u64) -> Result<(), Wrong> {
    if taken == staged.rows {
        return Ok(());
    }
    Err(Wrong::new(
        SourceErrorKind::Table,
        format!("takes {taken} of {} rows of {}", staged.rows, staged.target.name),
        "a trigger or a rule of that table keeps the others out",
    ))
}

/// That no row is blank in the columns by which rows are known again.
fn not_blank(client: &mut Client, staged: &Staged) -> Result<(), Wrong> {
    for name in &staged.wanted.key {
        let query = format!(
            "SELECT row FROM (SELECT row_number() OVER () AS row, {0} AS key FROM {1}) staged \
             WHERE key IS NULL LIMIT 1",
            quoted(name),
            staged.quoted()
        );
        if let Some(found) = client.query_opt(&query, &[])? {
            let row: i64 = found.get(0);
            return Err(Wrong::new(
                SourceErrorKind::Table,
                format!(
                    "adds to {} by {}, and `{name}` is blank in row {row}",
                    staged.target.name,
                    staged.wanted.key.join(", ")
                ),
                "keep such rows out of the table:  keep KEY is not blank",
            ));
        }
    }
    Ok(())
}

/// That all values are in the table what they were: of another type, they could be rounded or cut off.
fn loses_nothing(client: &mut Client, staged: &Staged, there: &There) -> Result<(), Wrong> {
    for (own, (name, ty)) in there.columns.iter().zip(&staged.wanted.columns) {
        let staged_as = declaration(*ty);
        if own.ty == staged_as || !own.may_lose() || matches!(ty, Type::Blank) {
            continue;
        }
        let value = quoted(name);
        let query = format!(
            "SELECT row, value::text, (value::{to})::text FROM \
             (SELECT row_number() OVER () AS row, {value} AS value FROM {from}) staged \
             WHERE (value::{to})::{staged_as} IS DISTINCT FROM value LIMIT 1",
            to = own.ty,
            from = staged.quoted(),
        );
        let Some(found) = client.query_opt(&query, &[])? else { continue };
        let (row, is): (i64, String) = (found.get(0), found.get(1));
        let becomes: Option<String> = found.get(2);
        return Err(Wrong::new(
            SourceErrorKind::Table,
            format!(
                "`{name}` in row {row} is {is}, of which {} in {} would keep {}",
                own.ty,
                staged.target.name,
                becomes.unwrap_or_default()
            ),
            "round it in the plan, or give that column a type that holds it",
        ));
    }
    Ok(())
}

/// The key of a table that is made: what one row is.
fn make_key(client: &mut Client, staged: &Staged) -> Result<(), Wrong> {
    let key: Vec<String> = staged.wanted.key.iter().map(|name| quoted(name)).collect();
    if key.is_empty() {
        return Ok(());
    }
    if staged.wanted.adding {
        not_blank(client, staged)?;
    }
    let table = &staged.target.quoted;
    let blank: Vec<String> = key.iter().map(|name| format!("{name} IS NULL")).collect();
    let query = format!("SELECT 1 FROM {table} WHERE {} LIMIT 1", blank.join(" OR "));
    let key = key.join(", ");
    if client.query_opt(&query, &[])?.is_some() {
        client.batch_execute(&format!("CREATE UNIQUE INDEX ON {table} ({key})"))?;
    } else {
        client.batch_execute(&format!("ALTER TABLE {table} ADD PRIMARY KEY ({key})"))?;
    }
    Ok(())
}
