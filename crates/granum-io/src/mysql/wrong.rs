//! What a database says, as an error with a way out.

use granum_core::port::SourceErrorKind;

use crate::served::Wrong;

impl From<mysql::Error> for Wrong {
    fn from(failed: mysql::Error) -> Self {
        wrong(&failed)
    }
}

/// What a database, or the way to it, says.
fn wrong(failed: &mysql::Error) -> Wrong {
    use SourceErrorKind as Kind;
    let mysql::Error::MySqlError(said) = failed else {
        let told = failed.to_string();
        // How the driver sorts its errors is no matter of whoever reads them.
        let frames = ["DriverError { ", "IoError { ", "TlsError { "];
        let inner = frames.iter().find_map(|frame| told.strip_prefix(frame));
        let message = inner.map_or(told.as_str(), |inner| inner.trim_end_matches(" }"));
        let help = "look whether it runs and can be reached from here, at its host and port";
        return Wrong::new(Kind::Server, message, help);
    };
    let (kind, help) = match said.code {
        1044 | 1045 | 1698 => (
            Kind::Access,
            "the password is read from MYSQL_PWD or [client] of ~/.my.cnf (which nobody else may read), the user from the address or USER",
        ),
        1142 | 1143 | 1227 | 1370 => {
            (Kind::Access, "ask whoever keeps the database to grant it, or use another user")
        }
        1792 | 1290 | 1836 => (
            Kind::Access,
            "nothing is written there: a query only reads, and a copy of a database is written to in its first place",
        ),
        1049 => (Kind::Server, "look at the name behind the last / of the address"),
        1205 | 1213 | 3024 | 1969 | 1317 => (
            Kind::Locked,
            "somebody else holds it, or it took too long; run again when that has ended",
        ),
        1040 | 1053 | 1927 => (Kind::Server, "look whether it runs, and run again"),
        1064 | 1146 | 1054 | 1060 | 1052 | 1305 => {
            (Kind::Query, "look at the query, or at the table's name")
        }
        1021 | 1114 => (Kind::System, "make room where the database is kept"),
        _ => (Kind::System, "the database says so; look into its log for more"),
    };
    Wrong::new(kind, said.message.clone(), help)
}
