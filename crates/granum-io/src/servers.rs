//! Databases on servers: those that this build knows, and that it leaves the others out.

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use granum_core::Sure;
use granum_core::port::{
    InputSource, InputSpec, MYSQL, Output, OutputError, POSTGRES, SourceError, SourceErrorKind,
    Style, WITHOUT_PASSWORD, Written, is_address, password_in, without_passwords,
};
use granum_core::value::Type;

use crate::csv::{LineEnds, Look};
use crate::format::{Said, Unwritable, said_beside};
use crate::place::locked;
use crate::served::{Asked, Begin, Databases, Server, Table, Wrong, wanted};
use crate::typed::{Keys, Opened, TypedSource};

/// What can be said of a table on a server.
const TAKES: [Said; 3] = [Said::Named, Said::Query, Said::Ordered];

/// Servers of one kind.
struct Kind {
    /// How addresses begin.
    schemes: &'static [&'static str],
    open: fn(address: &str) -> Result<Box<dyn Server>, Wrong>,
    begin: Begin,
    /// Whether a database says that a run has written into it; nothing where it cannot be asked.
    took: fn(address: &str, run: &str) -> Option<bool>,
}

/// The kinds that this build knows.
const KINDS: &[Kind] = &[
    #[cfg(feature = "postgres")]
    Kind {
        schemes: &POSTGRES,
        open: crate::postgres::open,
        begin: crate::postgres::begin,
        took: crate::postgres::was_written,
    },
    #[cfg(feature = "mysql")]
    Kind {
        schemes: &MYSQL,
        open: crate::mysql::open,
        begin: crate::mysql::begin,
        took: crate::mysql::was_written,
    },
];

/// The kind of server that an address names.
fn kind_of(address: &str) -> Result<&'static Kind, Unwritable> {
    let begins = |schemes: &[&str]| schemes.iter().any(|scheme| address.starts_with(scheme));
    KINDS.iter().find(|kind| begins(kind.schemes)).ok_or_else(|| {
        let known = [("PostgreSQL", "postgres", POSTGRES), ("MySQL or MariaDB", "mysql", MYSQL)];
        let left_out = known.iter().find(|(.., schemes)| begins(schemes));
        let (called, feature, _) = left_out.sure("a kind of server that has addresses");
        Unwritable {
            message: format!("is a database on a {called} server, which this build leaves out"),
            help: format!("build it in:  cargo build --release --features {feature}"),
        }
    })
}

/// Whether a database says that a run has written into it; nothing where it cannot be asked.
pub(crate) fn took(address: &str, run: &str) -> Option<bool> {
    kind_of(address).ok().and_then(|kind| (kind.took)(address, run))
}

/// Databases that are read from and written to.
#[derive(Default)]
pub(crate) struct Servers {
    /// Those that have been read from, by their addresses: each is seen as it was at first.
    read: Mutex<HashMap<String, Arc<dyn Server>>>,
    /// The tables that have been looked at, by the address and what is said of them: that does not change any more.
    tables: Mutex<Vec<(String, Written, Table)>>,
    /// What the tables that inputs were opened from are known by.
    opened: Mutex<Vec<String>>,
    written: Databases,
}

impl Servers {
    fn at(&self, address: &str) -> Result<Arc<dyn Server>, SourceError> {
        let mut known = locked(&self.read);
        if let Some(server) = known.get(address) {
            return Ok(server.clone());
        }
        let shown = without_passwords(address);
        let kind = kind_of(address).map_err(|wrong| SourceError {
            kind: SourceErrorKind::Format,
            file: shown.clone(),
            line: None,
            message: wrong.message,
            help: wrong.help,
        })?;
        let opened = (kind.open)(address);
        // What it says goes on from the address.
        let server = opened.map_err(|wrong| SourceError {
            message: wrong.message.clone(),
            ..wrong.read(&shown)
        })?;
        let server: Arc<dyn Server> = server.into();
        known.insert(address.to_owned(), server.clone());
        Ok(server)
    }

    /// The tables of a database.
    ///
    /// # Errors
    /// That it cannot be read.
    pub fn tables(&self, address: &str) -> Result<Vec<String>, SourceError> {
        self.at(address)?.tables().map_err(|wrong| wrong.read(address))
    }

    fn table(&self, address: &str, said: &Written) -> Result<Table, SourceError> {
        if said.named.is_some() && said.query.is_some() {
            return Err(SourceError {
                kind: SourceErrorKind::Table,
                file: address.to_owned(),
                line: None,
                message: "has both a table and a query".into(),
                help: "leave `named` or `query` out".into(),
            });
        }
        let mut tables = locked(&self.tables);
        let known = tables.iter().find(|(of, how, _)| of == address && how == said);
        if let Some((.., table)) = known {
            return Ok(table.clone());
        }
        let table = self.at(address)?.table(&Asked {
            address,
            named: said.named.as_deref(),
            query: said.query.as_deref(),
            ordered: &said.ordered,
        })?;
        tables.push((address.to_owned(), said.clone(), table.clone()));
        Ok(table)
    }

    /// How a table is kept.
    ///
    /// # Errors
    /// As when it is read.
    pub fn look(&self, address: &str, said: &Written) -> Result<Look, SourceError> {
        let table = self.table(address, said)?;
        Ok(Look {
            format: self.at(address)?.called(),
            encoding: "UTF-8".into(),
            named_encoding: None,
            delimiter: ',',
            header_at: None,
            footer: None,
            line_ends: LineEnds::None,
            bytes: table.bytes,
            sheet: None,
            range: None,
            named: table.named,
        })
    }

    /// Opens tables, or what queries give, as one input.
    ///
    /// # Errors
    /// What is said of them that means nothing there; a file beside them; and as they are read.
    pub fn open(&self, spec: &InputSpec) -> Result<Box<dyn InputSource>, SourceError> {
        let wrong = |kind, file: &str, message: &str, help: &str| SourceError {
            kind,
            file: file.to_owned(),
            line: None,
            message: message.to_owned(),
            help: help.to_owned(),
        };
        let mut opened: Vec<Opened> = vec![];
        for source in &spec.sources {
            if !is_address(source) {
                let message = "is a file, and what stands beside it is a table on a server";
                let help = "name them as two inputs, and stack those in a table: from A, B";
                return Err(wrong(SourceErrorKind::Format, source, message, help));
            }
            said_beside(("a database on a server", &TAKES), spec, source)?;
            let table = self.table(source, spec.written_of(source))?;
            if opened.iter().any(|other| other.name == table.shown) {
                let message = "is named twice for one input, so all its rows would be doubled";
                return Err(wrong(SourceErrorKind::Doubled, &table.shown, message, "name it once"));
            }
            locked(&self.opened).extend(table.known);
            let keys = Keys::default();
            opened.push(Opened { name: table.shown, stored: table.stored, keys });
        }
        Ok(Box::new(TypedSource::of(spec, opened)?))
    }

    /// Begins to write a table for a run.
    ///
    /// # Errors
    /// What is in the way of it.
    pub fn begin(
        &self,
        address: &str,
        columns: &[(String, Type)],
        style: &Style,
        run: &str,
    ) -> Result<Box<dyn Output>, OutputError> {
        if password_in(address).is_some() {
            return Err(OutputError {
                path: without_passwords(address),
                message: "has a password in its address".into(),
                help: WITHOUT_PASSWORD.into(),
            });
        }
        let kind = kind_of(address).map_err(|wrong| OutputError {
            path: address.to_owned(),
            message: wrong.message,
            help: wrong.help,
        })?;
        let opened = locked(&self.opened).clone();
        self.written.begin(address, wanted(columns, style), (kind.begin, run, &opened))
    }

    /// The databases that are written to, by their addresses.
    pub fn addresses(&self) -> Vec<String> {
        self.written.addresses()
    }

    /// Those that have taken what was staged, and keep it.
    pub fn committed(&self) -> Vec<String> {
        self.written.committed()
    }
}
