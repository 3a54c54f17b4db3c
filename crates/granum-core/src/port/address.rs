//! Addresses of database servers, and that no password stands in one.

use std::ops::Range;

/// How addresses of `PostgreSQL` servers begin.
pub const POSTGRES: [&str; 2] = ["postgres://", "postgresql://"];

/// What to do where a password stands in an address.
pub const WITHOUT_PASSWORD: &str = "take it out: it is read from PGPASSWORD or the password file ~/.pgpass (of MySQL from MYSQL_PWD or ~/.my.cnf)";

/// The same of `MySQL` and `MariaDB` servers.
pub const MYSQL: [&str; 2] = ["mysql://", "mariadb://"];

/// Whether a source or a place is a database on a server, and no file.
pub fn is_address(text: &str) -> bool {
    POSTGRES.iter().chain(&MYSQL).any(|scheme| text.starts_with(scheme))
}

/// Where a password stands in an address: before the host, or as `password=` behind it.
///
/// ```
/// use granum_core::port::password_in;
/// assert_eq!(password_in("postgres://ada:secret@db/shop"), Some(15..21));
/// assert_eq!(password_in("postgres://ada@db/shop"), None);
/// ```
pub fn password_in(address: &str) -> Option<Range<usize>> {
    let from = address.find("://")? + 3;
    let end = address[from..].find(['/', '?', '#']).map_or(address.len(), |at| from + at);
    // A host has no `@`, a user no `:`.
    if let Some(at) = address[from..end].rfind('@')
        && let Some(colon) = address[from..from + at].find(':')
    {
        return Some(from + colon + 1..from + at);
    }
    let query = address[end..].find('?').map(|at| end + at + 1)?;
    let mut at = query;
    for said in address[query..].split('&') {
        if let Some(value) = said.strip_prefix("password=") {
            return Some(at + said.len() - value.len()..at + said.len());
        }
        at += said.len() + 1;
    }
    None
}

/// A text with each password in an address of it hidden behind as many stars. Nothing else of it is another.
///
/// ```
/// use granum_core::port::without_passwords;
/// let plan = "input a from \"postgres://ada:secret@db/shop\"";
/// assert_eq!(without_passwords(plan), "input a from \"postgres://ada:******@db/shop\"");
/// ```
pub fn without_passwords(text: &str) -> String {
    let mut out = text.to_owned();
    for scheme in POSTGRES.iter().chain(&MYSQL) {
        for (start, _) in text.match_indices(*scheme) {
            let rest = &text[start..];
            let end = rest.find(|sign: char| sign == '"' || sign.is_whitespace());
            let address = &rest[..end.unwrap_or(rest.len())];
            if let Some(password) = password_in(address) {
                let stars = "*".repeat(password.len());
                out.replace_range(start + password.start..start + password.end, &stars);
            }
        }
    }
    out
}
