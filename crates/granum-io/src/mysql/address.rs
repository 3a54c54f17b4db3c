//! The address of a database → a connection to it.

use std::path::{Path, PathBuf};
use std::time::Duration;

use granum_core::port::{SourceErrorKind, WITHOUT_PASSWORD, password_in};
use mysql::prelude::Queryable;
use mysql::{Conn, Opts, OptsBuilder, SslOpts};

use crate::served::{Environment, Wrong};

/// So long is waited for a server to answer.
const PATIENCE: Duration = Duration::from_secs(10);

/// Whoever does not answer for so long has gone.
const SILENCE: u32 = 60_000;

/// Connects to a database. Texts, days and moments are spoken of in one way, whatever the server is used to.
///
/// # Errors
/// What is wrong with the address, in words without a password; why the server cannot be reached, or does not let in.
pub(super) fn connect(text: &str, says: Environment<'_>) -> Result<Conn, Wrong> {
    let (options, encrypted) = options(text, says)?;
    let builder = |ssl: Option<SslOpts>| {
        let tried = Conn::new(OptsBuilder::from_opts(options.clone()).ssl_opts(ssl));
        tried.map_err(Wrong::from)
    };
    let any = || SslOpts::default().with_danger_accept_invalid_certs(true);
    let mut connection = match encrypted {
        Encrypted::No => builder(None)?,
        // As it is usual: if the server can.
        Encrypted::IfItCan => builder(Some(any())).or_else(|_| builder(None))?,
        Encrypted::Yes => builder(Some(any()))?,
        Encrypted::Checked(None) => builder(Some(SslOpts::default()))?,
        Encrypted::Checked(Some(root)) => {
            builder(Some(SslOpts::default().with_root_cert_path(Some(root))))?
        }
    };
    connection.query_drop(
        "SET NAMES utf8mb4, time_zone = '+00:00', lock_wait_timeout = 30, innodb_lock_wait_timeout = 30, \
         sql_mode = 'STRICT_ALL_TABLES,NO_BACKSLASH_ESCAPES,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION'",
    )?;
    Ok(connection)
}

/// Whether the way to a server is encrypted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Encrypted {
    No,
    IfItCan,
    Yes,
    /// By a server that shows who it is, by those whom the program trusts or whose certificates stand in a file.
    Checked(Option<PathBuf>),
}

/// What an address says; what it leaves open the environment does.
pub(super) fn options(text: &str, says: Environment<'_>) -> Result<(Opts, Encrypted), Wrong> {
    if password_in(text).is_some() {
        let message = "has a password in its address".to_owned();
        return Err(Wrong::new(SourceErrorKind::Access, message, WITHOUT_PASSWORD));
    }
    let wrong = |message: String| {
        let help = "as in  mysql://USER@HOST:3306/DATABASE ; what is left out the environment says (MYSQL_HOST, MYSQL_TCP_PORT, USER)";
        Wrong::new(SourceErrorKind::Server, message, help)
    };
    let (plain, query) = text.split_once('?').unwrap_or((text, ""));
    let (mut encrypted, mut root) = (Encrypted::IfItCan, None);
    for part in query.split('&').filter(|part| !part.is_empty()) {
        match part.split_once('=') {
            Some(("ssl-mode", mode)) => {
                encrypted = match mode.to_lowercase().as_str() {
                    "disabled" => Encrypted::No,
                    "preferred" => Encrypted::IfItCan,
                    "required" => Encrypted::Yes,
                    "verify_ca" | "verify_identity" => Encrypted::Checked(None),
                    _ => return Err(wrong(format!("has an unknown ssl-mode: {mode}"))),
                }
            }
            Some(("ssl-ca", file)) => root = Some(PathBuf::from(file)),
            _ => return Err(wrong(format!("says what nobody knows: {part}"))),
        }
    }
    if let (Encrypted::Checked(_), Some(root)) = (&encrypted, root) {
        encrypted = Encrypted::Checked(Some(root));
    }
    let plain = format!("mysql://{}", plain.split_once("://").map_or(plain, |(_, rest)| rest));
    // Without a host the name of the database would be taken for one.
    let host = || says("MYSQL_HOST").unwrap_or_else(|| "localhost".into());
    let plain = plain.replacen("mysql:///", &format!("mysql://{}/", host()), 1);
    let opts =
        Opts::from_url(&plain).map_err(|failed| wrong(format!("is no address: {failed}")))?;
    let user =
        opts.get_user().map(str::to_owned).filter(|user| !user.is_empty()).or_else(|| says("USER"));
    let password = says("MYSQL_PWD").or_else(|| password_of(says));
    let named = opts.get_db_name().map(str::to_owned).filter(|name| !name.is_empty());
    if named.is_none() {
        return Err(wrong("names no database".into()));
    }
    let said_port = plain.split('/').nth(2).is_some_and(|host| host.contains(':'));
    let port = says("MYSQL_TCP_PORT").filter(|_| !said_port);
    let port = port.map(|port| {
        port.parse::<u16>().map_err(|_| wrong(format!("MYSQL_TCP_PORT is no number: {port}")))
    });
    let port = port.transpose()?.unwrap_or(opts.get_tcp_port());
    let opts = OptsBuilder::from_opts(opts)
        .user(user)
        .pass(password)
        .tcp_port(port)
        .prefer_socket(false)
        .tcp_connect_timeout(Some(PATIENCE))
        .tcp_keepalive_time_ms(Some(SILENCE / 2));
    Ok((opts.into(), encrypted))
}

/// The password that stands for clients in the file of options in the home folder, if nobody else may read that.
fn password_of(says: Environment<'_>) -> Option<String> {
    let path = Path::new(&says("HOME")?).join(".my.cnf");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        std::fs::metadata(&path)
            .ok()
            .filter(|data| data.permissions().mode().trailing_zeros() >= 6)?;
    }
    password_for_clients(&std::fs::read_to_string(path).ok()?)
}

/// The password under `[client]`.
pub(super) fn password_for_clients(text: &str) -> Option<String> {
    let mut ours = false;
    let mut found = None;
    for line in text.lines().map(str::trim) {
        if line.starts_with('[') {
            ours = line == "[client]";
        } else if let Some((name, value)) = line.split_once('=').filter(|_| ours)
            && name.trim() == "password"
        {
            let value = value.trim();
            let bare = value.strip_prefix('"').and_then(|value| value.strip_suffix('"'));
            found = Some(bare.unwrap_or(value).to_owned());
        }
    }
    found
}
