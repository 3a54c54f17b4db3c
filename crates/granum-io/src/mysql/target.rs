//! The table that an output goes to: what stands there, and whether it can take it.

use granum_core::port::SourceErrorKind;
use granum_core::value::Type;
use mysql::prelude::Queryable;
use mysql::{Conn, params};

use super::catalog::{self, Declared, OWN, quoted};
use super::kinds::declaration;
use crate::served::{RUNS, Wanted, Wrong};

/// Where an output goes.
#[derive(Debug, Clone)]
pub(super) struct Target {
    pub name: String,
    /// The columns of the table that is there, in the order of the output's; nothing where none is.
    pub there: Option<Vec<Declared>>,
}

fn refused(message: String, help: &str) -> Wrong {
    Wrong::new(SourceErrorKind::Table, message, help)
}

impl Target {
    /// Looks at the place of an output.
    ///
    /// # Errors
    /// Why it cannot go there.
    pub fn of(connection: &mut Conn, wanted: &Wanted) -> Result<Self, Wrong> {
        let name = wanted.named.clone();
        if wanted.adding {
            return Err(refused(
                format!("adds nothing to {name}: this kind of server has no way to do that unseen"),
                "leave  adding by grain  out, and write all rows",
            ));
        }
        if name.chars().count() > 64 || name == RUNS || name.starts_with(OWN) {
            return Err(refused(
                format!("has no room for a table called {name}"),
                "name another table",
            ));
        }
        let all = catalog::relations(connection)?;
        let there = match all.iter().find(|(own, _)| *own == name) {
            None => None,
            Some((_, true)) => {
                let message = format!("has a view called {name}, which cannot be written to");
                return Err(refused(
                    message,
                    "name another table:  named \"\u{2026}\"  behind the address",
                ));
            }
            Some((_, false)) => Some(fitting(connection, &name, wanted)?),
        };
        Ok(Self { name, there })
    }

    /// How many places behind the second moments of each column have.
    pub fn places(&self, wanted: &Wanted) -> Vec<Option<u32>> {
        let own = |at: usize| {
            let there = self.there.as_ref()?;
            let inner =
                there[at].ty.split_once('(').map_or("0", |(_, inner)| inner.trim_end_matches(')'));
            inner.parse().ok()
        };
        let columns = wanted.columns.iter().enumerate();
        columns.map(|(at, (_, ty))| own(at).filter(|_| *ty == Type::DateTime)).collect()
    }
}

/// That a table takes an output and loses nothing by it. Gives its columns in the order of the output's.
fn fitting(connection: &mut Conn, name: &str, wanted: &Wanted) -> Result<Vec<Declared>, Wrong> {
    let own = catalog::declared(connection, name)?;
    goes_together(name, &own, wanted)?;
    let query = "SELECT (SELECT count(*) FROM information_schema.triggers WHERE event_object_schema = database() \
                 AND event_object_table = :name), \
                 (SELECT count(*) FROM information_schema.key_column_usage WHERE referenced_table_name IS NOT NULL \
                 AND ((table_schema = database() AND table_name = :name) \
                 OR (referenced_table_schema = database() AND referenced_table_name = :name)))";
    let (triggers, keys): (u64, u64) =
        connection.exec_first(query, params! { name })?.unwrap_or_default();
    if triggers + keys > 0 {
        let what =
            if triggers > 0 { "triggers" } else { "keys that lead to other tables, or from them" };
        return Err(refused(
            format!("has a table {name} with {what}, which would stay with its old rows"),
            "another table takes its place; take them away, or name another table",
        ));
    }
    let mut columns = vec![];
    for (column, ty) in &wanted.columns {
        let Some(own) = own.iter().find(|own| own.name == *column) else { continue };
        if !keeps(&own.ty, *ty) {
            let message = format!(
                "has a table {name} whose column {column} is {}, which does not keep each {ty} as it is",
                own.ty
            );
            let help = format!("make it  {}", declaration(*ty, wanted.key.contains(column)));
            return Err(refused(message, &help));
        }
        columns.push(own.clone());
    }
    Ok(columns)
}

/// Whether a column of a type keeps values, or says which it would not.
pub(super) fn keeps(own: &str, ty: Type) -> bool {
    let word = own.split(['(', ' ']).next().unwrap_or_default();
    let whole = word.ends_with("int") || word == "decimal";
    match ty {
        Type::Blank => true,
        Type::Text => {
            let texts = ["char", "varchar", "enum", "set", "json"];
            word.ends_with("text") || texts.contains(&word)
        }
        Type::Integer => whole,
        Type::Decimal(_) => word == "decimal",
        Type::Number => word == "double",
        Type::Date => ["date", "datetime", "timestamp"].contains(&word),
        Type::DateTime => ["datetime", "timestamp"].contains(&word),
        Type::Boolean => word.ends_with("int"),
    }
}

/// That a table has the columns of an output; and no others that would come to be blank.
fn goes_together(shown: &str, own: &[Declared], wanted: &Wanted) -> Result<(), Wrong> {
    let names: Vec<&str> = own.iter().map(|own| own.name.as_str()).collect();
    if let Some(always) = own.iter().find(|own| own.always && wanted.writes(&own.name)) {
        let message = format!("has a table {shown} whose column {} fills itself", always.name);
        return Err(refused(message, "leave that column out of the output"));
    }
    let more = own.iter().filter(|own| !own.fills_itself).map(|own| own.name.as_str());
    wanted.goes_together(shown, &names, more).map_err(|message| {
        refused(message, "name another table, or give that one the same columns")
    })
}

/// The columns of an output as a table declares them.
pub(super) fn declarations(wanted: &Wanted) -> String {
    let declared = wanted.columns.iter().map(|(name, ty)| {
        let own = declaration(*ty, wanted.key.contains(name));
        format!("{} {own}", quoted(name))
    });
    declared.collect::<Vec<_>>().join(", ")
}

/// The key of a table that is made: what one row is.
pub(super) fn key(wanted: &Wanted, blank: bool) -> String {
    let key: Vec<String> = wanted.key.iter().map(|name| quoted(name)).collect();
    format!("{} KEY ({})", if blank { "UNIQUE" } else { "PRIMARY" }, key.join(", "))
}
