//! Rows that a thread of its own makes into columns, for what can be gone through by one alone.

use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use granum_core::Sure;
use granum_core::port::{SourceError, SourceErrorKind};
use granum_core::value::Type;

use super::{Cell, Growing, Native, Piece, Pieces};

/// So many rows are made into columns at once.
const PIECE: usize = 1 << 15;

/// A cell takes about so many bytes of its file.
const CELL: u64 = 8;

/// Some rows.
pub(crate) struct Sent {
    natives: Vec<Native>,
    rows: usize,
}

/// Some rows, or that there are no more.
pub(crate) type Told = Result<Option<Sent>, SourceError>;

/// Begins a thread that sends rows, and says at the end that there are no more; or why it cannot go on.
///
/// # Errors
/// That it cannot begin.
pub(crate) fn sent(
    name: &str,
    work: impl FnOnce(&SyncSender<Told>) -> Result<(), SourceError> + Send + 'static,
) -> Result<Box<dyn Pieces>, SourceError> {
    let (to, from) = sync_channel(2);
    let begun = std::thread::Builder::new().name("a table".into()).spawn(move || {
        if let Err(error) = work(&to) {
            let _ = to.send(Err(error));
        }
    });
    begun.map_err(|failed| SourceError {
        kind: SourceErrorKind::System,
        file: name.to_owned(),
        line: None,
        message: format!("cannot be read: {failed}"),
        help: "try again".into(),
    })?;
    Ok(Box::new(Sending(from)))
}

/// Rows of cells on their way to be sent.
pub(crate) struct Filling<'a> {
    /// The type of each column, and whether it holds moments of UTC.
    types: Vec<(Type, bool)>,
    growing: Vec<Growing>,
    rows: usize,
    to: &'a SyncSender<Told>,
}

impl<'a> Filling<'a> {
    pub fn new(types: Vec<(Type, bool)>, to: &'a SyncSender<Told>) -> Self {
        Self { growing: begun(&types), types, rows: 0, to }
    }

    /// Adds the cell of a column.
    pub fn cell(&mut self, column: usize, cell: &impl Cell) {
        self.growing[column].take(cell);
    }

    /// A row is whole. False where nobody takes rows any more.
    pub fn row(&mut self) -> bool {
        self.rows += 1;
        self.rows < PIECE || self.send()
    }

    fn send(&mut self) -> bool {
        let growing = std::mem::replace(&mut self.growing, begun(&self.types));
        let natives = growing.into_iter().map(Growing::finish).collect();
        let rows = std::mem::take(&mut self.rows);
        self.to.send(Ok(Some(Sent { natives, rows }))).is_ok()
    }

    /// There are no more rows.
    pub fn end(mut self) {
        if self.rows == 0 || self.send() {
            let _ = self.to.send(Ok(None));
        }
    }
}

fn begun(types: &[(Type, bool)]) -> Vec<Growing> {
    types.iter().map(|(ty, utc)| Growing::new(*ty, *utc, PIECE)).collect()
}

struct Sending(Receiver<Told>);

impl Pieces for Sending {
    fn next(&mut self) -> Result<Option<Box<dyn Piece>>, SourceError> {
        // A thread that ended without a word had a fault of the program.
        let told = self.0.recv().ok().sure("the end of a table's rows");
        told.map(|piece| piece.map(|piece| Box::new(piece) as Box<dyn Piece>))
    }
}

impl Piece for Sent {
    fn rows(&self) -> usize {
        self.rows
    }

    fn bytes(&self) -> u64 {
        self.rows as u64 * self.natives.len() as u64 * CELL
    }

    fn natives(&self) -> Result<Vec<Native>, SourceError> {
        Ok(self.natives.clone())
    }
}
