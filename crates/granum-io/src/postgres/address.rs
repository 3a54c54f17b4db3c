//! The address of a database → a connection to it.

use std::time::Duration;

use granum_core::port::{SourceErrorKind, WITHOUT_PASSWORD, password_in};
use postgres::config::{Host, SslMode};
use postgres::{Client, Config};

use super::password::password_of;
use super::tls::{Checked, connector};
use crate::served::{Environment, Wrong};

/// So long is waited for a server to answer.
const PATIENCE: Duration = Duration::from_secs(10);

/// Whoever does not answer for so long has gone.
const SILENCE: Duration = Duration::from_mins(1);

/// A database that can be connected to.
#[derive(Clone)]
pub(super) struct Address {
    config: Config,
    /// Whether, and how, the server has to show who it is.
    checked: Checked,
}

impl Address {
    /// Reads an address; what it leaves open the environment says, under the usual names.
    ///
    /// # Errors
    /// What is wrong with it. No password stands in that, nor may one stand in the address.
    pub fn of(text: &str, says: Environment<'_>) -> Result<Self, Wrong> {
        if password_in(text).is_some() {
            let message = "has a password in its address".to_owned();
            return Err(Wrong::new(SourceErrorKind::Access, message, WITHOUT_PASSWORD));
        }
        let (plain, said) = without_tls(text);
        let wrong = |message: String| {
            let help = "as in  postgres://USER@HOST:5432/DATABASE ; what is left out the environment says (PGHOST, PGUSER, \u{2026})";
            Wrong::new(SourceErrorKind::Server, message, help)
        };
        let mut config: Config = plain
            .parse()
            .map_err(|failed: postgres::Error| wrong(format!("is no address: {failed}")))?;
        if config.get_hosts().is_empty() {
            let host = says("PGHOST").filter(|host| !host.is_empty());
            config.host(&host.unwrap_or_else(|| "localhost".into()));
        }
        if config.get_ports().is_empty()
            && let Some(port) = says("PGPORT").filter(|port| !port.is_empty())
        {
            config.port(port.parse().map_err(|_| wrong(format!("PGPORT is no number: {port}")))?);
        }
        let user = config.get_user().map(str::to_owned).or_else(|| says("PGUSER"));
        let user = user.or_else(|| says("USER")).filter(|user| !user.is_empty());
        let Some(user) = user else { return Err(wrong("says no user".into())) };
        config.user(&user);
        if config.get_dbname().is_none() {
            config.dbname(&says("PGDATABASE").unwrap_or(user));
        }
        let mode = said.mode.or_else(|| says("PGSSLMODE")).unwrap_or_else(|| "prefer".into());
        let root = said.root.or_else(|| says("PGSSLROOTCERT"));
        let checked = match mode.as_str() {
            "disable" => Checked::No,
            "prefer" | "allow" | "require" if root.is_none() => Checked::No,
            "prefer" | "allow" | "require" | "verify-ca" | "verify-full" => Checked::By(root),
            other => return Err(wrong(format!("has an unknown sslmode: {other}"))),
        };
        config.ssl_mode(match mode.as_str() {
            "disable" => SslMode::Disable,
            "prefer" | "allow" => SslMode::Prefer,
            _ => SslMode::Require,
        });
        if config.get_connect_timeout().is_none() {
            config.connect_timeout(PATIENCE);
        }
        if config.get_tcp_user_timeout().is_none() {
            config.tcp_user_timeout(SILENCE);
        }
        config.keepalives_idle(SILENCE / 2);
        if config.get_application_name().is_none() {
            config.application_name("granum");
        }
        // Notices are not for whoever reads what comes out.
        config.notice_callback(|_| {});
        Ok(Self { config, checked })
    }

    /// Connects. Days and moments are spoken of in one way, whatever the server is used to.
    ///
    /// # Errors
    /// Why it cannot be reached, or does not let in.
    pub fn connect(&self, says: Environment<'_>) -> Result<Client, Wrong> {
        let mut config = self.config.clone();
        let (password, unread) = match says("PGPASSWORD") {
            Some(password) => (Some(password), None),
            None => password_of(&self.doors(), says),
        };
        if let Some(password) = password {
            config.password(password);
        }
        let tls = connector(&self.checked)?;
        let mut client = config.connect(tls).map_err(|failed| {
            let wrong = Wrong::from(failed);
            match unread {
                Some(unread) if wrong.kind == SourceErrorKind::Access => {
                    Wrong { help: unread, ..wrong }
                }
                _ => wrong,
            }
        })?;
        client
            .batch_execute(
                "SET TimeZone = 'UTC'; SET DateStyle = 'ISO, YMD'; SET IntervalStyle = 'postgres'; \
                 SELECT set_config('lock_timeout', '30s', false) \
                 WHERE current_setting('lock_timeout') = '0'; SET idle_in_transaction_session_timeout = 0; \
                 SET synchronize_seqscans = off",
            )
            .map_err(Wrong::from)?;
        Ok(client)
    }

    /// Whom the password is for: host, port, database and user.
    fn doors(&self) -> [String; 4] {
        let host = match self.config.get_hosts().first() {
            Some(Host::Tcp(name)) => name.clone(),
            #[cfg(unix)]
            Some(Host::Unix(_)) => "localhost".into(),
            None => String::new(),
        };
        let port = self.config.get_ports().first().copied().unwrap_or(5432).to_string();
        let word = |word: Option<&str>| word.unwrap_or_default().to_owned();
        [host, port, word(self.config.get_dbname()), word(self.config.get_user())]
    }
}

/// What an address says of how the way to it is secured.
#[derive(Debug, Default, PartialEq)]
struct SaidOfTls {
    mode: Option<String>,
    root: Option<String>,
}

/// An address without what it says of that.
fn without_tls(text: &str) -> (String, SaidOfTls) {
    let mut said = SaidOfTls::default();
    let Some((plain, query)) = text.split_once('?') else { return (text.to_owned(), said) };
    let mut others = vec![];
    for part in query.split('&') {
        match part.split_once('=') {
            Some(("sslmode", mode)) => said.mode = Some(mode.to_owned()),
            Some(("sslrootcert", root)) => said.root = Some(root.to_owned()),
            _ => others.push(part),
        }
    }
    let more = if others.is_empty() { String::new() } else { format!("?{}", others.join("&")) };
    (format!("{plain}{more}"), said)
}
