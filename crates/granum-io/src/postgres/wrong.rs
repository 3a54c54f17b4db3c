//! What a database says, as an error with a way out.

use std::error::Error;

use granum_core::port::SourceErrorKind;
use postgres::error::{DbError, SqlState};

use crate::served::Wrong;

impl From<postgres::Error> for Wrong {
    fn from(failed: postgres::Error) -> Self {
        wrong(&failed)
    }
}

/// What a database, or the way to it, says.
fn wrong(failed: &postgres::Error) -> Wrong {
    match failed.as_db_error() {
        Some(db) => said(db),
        None => gone(failed),
    }
}

/// What ended a copy on its way.
pub(super) fn broken(failed: std::io::Error) -> Wrong {
    let inner = failed.get_ref().and_then(|inner| inner.downcast_ref::<postgres::Error>());
    inner.map_or_else(
        || {
            let help = "look whether it runs, and run again";
            Wrong::new(SourceErrorKind::Server, failed.to_string(), help)
        },
        wrong,
    )
}

fn said(said: &DbError) -> Wrong {
    use SourceErrorKind as Kind;
    let code = said.code();
    let class = &code.code()[..2];
    let (kind, help) = match *code {
        SqlState::INVALID_PASSWORD | SqlState::INVALID_AUTHORIZATION_SPECIFICATION => (
            Kind::Access,
            "the password is read from PGPASSWORD or ~/.pgpass, the user from the address or PGUSER",
        ),
        SqlState::INSUFFICIENT_PRIVILEGE => {
            (Kind::Access, "ask whoever keeps the database to grant it, or use another user")
        }
        SqlState::UNDEFINED_DATABASE => {
            (Kind::Server, "look at the name behind the last / of the address")
        }
        SqlState::LOCK_NOT_AVAILABLE | SqlState::T_R_DEADLOCK_DETECTED => {
            (Kind::Locked, "somebody else holds it; run again when that has ended")
        }
        SqlState::QUERY_CANCELED => (
            Kind::Locked,
            "it was stopped there: by somebody, or since it took longer than the database allows (statement_timeout)",
        ),
        SqlState::DISK_FULL => (Kind::System, "make room where the database is kept"),
        SqlState::TOO_MANY_CONNECTIONS => {
            (Kind::Server, "it has as many connections as it takes; run again later")
        }
        SqlState::READ_ONLY_SQL_TRANSACTION => (
            Kind::Access,
            "nothing is written there: a query only reads, and a copy of a database is written to in its first place",
        ),
        _ if class == "57" || class == "58" || class == "08" => {
            (Kind::Server, "look whether it runs, and run again")
        }
        _ if class == "42" || class == "0A" => {
            (Kind::Query, "look at the query, or at the table's name")
        }
        _ if class == "23" => (Kind::System, "the table asks for something that not all rows have"),
        _ => (Kind::System, "the database says so; look into its log for more"),
    };
    let mut message = said.message().to_owned();
    if let Some(detail) = said.detail() {
        message.push_str(&format!(" ({})", detail.trim_end_matches('.')));
    }
    if let Some(place) = said.where_() {
        message.push_str(&format!(" ({})", place.lines().next().unwrap_or_default()));
    }
    if let Some(hint) = said.hint() {
        message.push_str(&format!("; {}", hint.trim_end_matches('.')));
    }
    Wrong::new(kind, message, help)
}

/// That nobody answers: all that is known of why.
fn gone(failed: &postgres::Error) -> Wrong {
    let mut message = failed.to_string();
    let mut cause = failed.source();
    while let Some(next) = cause {
        let more = next.to_string();
        if !message.contains(&more) {
            message.push_str(&format!(": {more}"));
        }
        cause = next.source();
    }
    let lacks = message.contains("password missing");
    let (kind, help) = if lacks {
        (
            SourceErrorKind::Access,
            "it asks for a password: say it in PGPASSWORD, or in ~/.pgpass as  HOST:PORT:DATABASE:USER:PASSWORD",
        )
    } else {
        (
            SourceErrorKind::Server,
            "look whether it runs and can be reached from here, at its host and port",
        )
    };
    Wrong::new(kind, message, help)
}
