//! The table that an output goes to: what stands there, and whether it can take it.

use granum_core::port::SourceErrorKind;
use granum_core::value::Type;
use postgres::Client;

use super::catalog::{self, Relation, quoted};
use super::kinds::declaration;
use crate::served::{RUNS, Wanted, Wrong};

/// A column of a table that is there.
#[derive(Debug, Clone)]
pub(super) struct Own {
    pub name: String,
    /// As the server writes its type.
    pub ty: String,
    /// Of what kind that is: `N` of numbers, `S` of texts, `D` of days.
    category: String,
    needed: bool,
    fills_itself: bool,
    always: bool,
}

impl Own {
    /// Whether a value of it can be another than the one that was put in.
    pub fn may_lose(&self) -> bool {
        ["N", "S", "D"].contains(&self.category.as_str())
    }
}

/// Where an output goes.
#[derive(Debug, Clone)]
pub(super) struct Target {
    /// As a query names it.
    pub quoted: String,
    /// Its schema, as a query names that.
    pub schema: String,
    pub name: String,
    /// What stands there; nothing where nothing does.
    pub there: Option<There>,
}

/// A table that is there.
#[derive(Debug, Clone)]
pub(super) struct There {
    pub oid: u32,
    /// Whether its rows are its own, and those of its parts are not meant.
    pub only: bool,
    /// Its columns in the order of the output's.
    pub columns: Vec<Own>,
}

fn refused(message: String, help: &str) -> Wrong {
    Wrong::new(SourceErrorKind::Table, message, help)
}

impl Target {
    /// Looks at the place of an output.
    ///
    /// # Errors
    /// Why it cannot go there.
    pub fn of(client: &mut Client, wanted: &Wanted) -> Result<Self, Wrong> {
        let all = catalog::relations(client)?;
        let found = catalog::named(&all, &wanted.named).cloned();
        let (schema, name) = match (&found, wanted.named.split_once('.')) {
            (Some(found), _) => (found.schema.clone(), found.name.clone()),
            (None, Some((schema, name))) => (schema.to_owned(), name.to_owned()),
            (None, None) => {
                let row = client.query_one("SELECT current_schema()::text", &[])?;
                let own: Option<String> = row.get(0);
                let help = "say which:  named \"SCHEMA.TABLE\"";
                let own = own.ok_or_else(|| {
                    refused("has no schema that tables are made in by themselves".into(), help)
                })?;
                // What is made goes where no other schema is asked for, whoever has a table of that name elsewhere.
                (own, wanted.named.clone())
            }
        };
        if name.is_empty() || schema.is_empty() || name.len() > 63 {
            let message = format!("has no room for a table called {}", wanted.named);
            return Err(refused(
                message,
                "a table is named  \"TABLE\"  or  \"SCHEMA.TABLE\", in 63 bytes at most",
            ));
        }
        if name == RUNS {
            let message = format!("notes in {RUNS} which runs have written");
            return Err(refused(message, "name another table"));
        }
        let query = "SELECT 1 FROM pg_namespace WHERE nspname = $1";
        if client.query_opt(query, &[&schema])?.is_none() {
            let help = format!("make it once:  CREATE SCHEMA {}", quoted(&schema));
            return Err(refused(format!("has no schema {schema}"), &help));
        }
        let there = match &found {
            None => None,
            Some(found) => Some(There::of(client, found, wanted)?),
        };
        let (of_schema, of_name) = (quoted(&schema), quoted(&name));
        Ok(Self { quoted: format!("{of_schema}.{of_name}"), schema: of_schema, name, there })
    }
}

impl There {
    fn of(client: &mut Client, found: &catalog::Found, wanted: &Wanted) -> Result<Self, Wrong> {
        let what = match found.relation {
            Relation::Table | Relation::Parted => None,
            Relation::View => Some("a view"),
            Relation::Foreign => Some("a table of another server"),
        };
        let shown = found.shown();
        if let Some(what) = what {
            let message = format!("has {what} called {shown}, which cannot be written to");
            return Err(refused(
                message,
                "name another table:  named \"\u{2026}\"  behind the address",
            ));
        }
        let own = own_columns(client, found.oid)?;
        goes_together(&shown, &own, wanted)?;
        if wanted.adding {
            has_key(client, found, &wanted.key)?;
        } else {
            keeps_others(client, found)?;
        }
        let find = |(name, _): &(String, Type)| own.iter().find(|own| own.name == *name).cloned();
        let columns = wanted.columns.iter().filter_map(find).collect();
        Ok(Self { oid: found.oid, only: found.relation == Relation::Table, columns })
    }
}

fn own_columns(client: &mut Client, oid: u32) -> Result<Vec<Own>, Wrong> {
    let query = "SELECT a.attname::text, format_type(a.atttypid, a.atttypmod), \
                 CASE WHEN t.typtype = 'd' THEN b.typcategory ELSE t.typcategory END::text, \
                 a.attnotnull, a.atthasdef OR a.attidentity <> '', \
                 a.attidentity = 'a' OR a.attgenerated <> '' \
                 FROM pg_attribute a JOIN pg_type t ON t.oid = a.atttypid \
                 LEFT JOIN pg_type b ON b.oid = t.typbasetype \
                 WHERE a.attrelid = $1 AND a.attnum > 0 AND NOT a.attisdropped ORDER BY a.attnum";
    let rows = client.query(query, &[&oid])?;
    let own = rows.iter().map(|row| Own {
        name: row.get(0),
        ty: row.get(1),
        category: row.get(2),
        needed: row.get(3),
        fills_itself: row.get(4),
        always: row.get(5),
    });
    Ok(own.collect())
}

/// That a table has the columns of an output; and no others that would come to be blank.
fn goes_together(shown: &str, own: &[Own], wanted: &Wanted) -> Result<(), Wrong> {
    if let Some(always) = own.iter().find(|own| own.always && wanted.writes(&own.name)) {
        let message = format!("has a table {shown} whose column {} fills itself", always.name);
        return Err(refused(message, "leave that column out of the output"));
    }
    let names: Vec<&str> = own.iter().map(|own| own.name.as_str()).collect();
    let needed = own.iter().filter(|own| !own.fills_itself && (own.needed || !wanted.adding));
    let needed = needed.map(|own| own.name.as_str());
    wanted.goes_together(shown, &names, needed).map_err(|message| {
        refused(message, "name another table, or give that one the same columns")
    })
}

/// That no rows of other tables go with those that are taken out.
fn keeps_others(client: &mut Client, found: &catalog::Found) -> Result<(), Wrong> {
    let query = "SELECT conrelid::regclass::text FROM pg_constraint \
                 WHERE contype = 'f' AND confrelid = $1 AND confdeltype NOT IN ('a', 'r') \
                 ORDER BY conname::text COLLATE \"C\" LIMIT 1";
    let Some(row) = client.query_opt(query, &[&found.oid])? else { return Ok(()) };
    let (shown, other): (String, String) = (found.shown(), row.get(0));
    let message = format!(
        "has a table {shown} that {other} leads to, and what leads to a row there goes or changes with it"
    );
    Err(refused(
        message,
        "write  adding by grain  behind it, which takes no row out, or take ON DELETE out of that table's key",
    ))
}

/// That a table has a key of exactly these columns.
fn has_key(client: &mut Client, found: &catalog::Found, key: &[String]) -> Result<(), Wrong> {
    let query = "SELECT 1 FROM pg_index i WHERE i.indrelid = $1 AND i.indisunique AND i.indisvalid \
                 AND i.indimmediate AND i.indpred IS NULL AND i.indexprs IS NULL \
                 AND (SELECT array_agg(a.attname::text ORDER BY a.attname::text) \
                 FROM unnest(i.indkey::int2[]) WITH ORDINALITY k(number, place) \
                 JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.number \
                 WHERE k.place <= i.indnkeyatts) \
                 = (SELECT array_agg(name ORDER BY name) FROM unnest($2::text[]) name) LIMIT 1";
    if client.query_opt(query, &[&found.oid, &key])?.is_some() {
        return Ok(());
    }
    let columns: Vec<String> = key.iter().map(|name| quoted(name)).collect();
    let message = format!(
        "has a table {} without a key of {}, by which rows could be added",
        found.shown(),
        key.join(", ")
    );
    let help = format!(
        "make one once:  CREATE UNIQUE INDEX ON {} ({})",
        found.quoted(),
        columns.join(", ")
    );
    Err(refused(message, &help))
}

/// The columns of an output as a table declares them.
pub(super) fn declarations(columns: &[(String, Type)]) -> String {
    let declared =
        columns.iter().map(|(name, ty)| format!("{} {}", quoted(name), declaration(*ty)));
    declared.collect::<Vec<_>>().join(", ")
}
