//! Rows that a thread of its own makes into columns, for what can be gone through by one alone.

use std::sync::mpsc::{Receiver, SyncSender, sync_channel};

use granum_core::Sure;
use granum_core::port::{SourceError, SourceErrorKind};

use super::{Native, Piece, Pieces};

/// A cell takes about so many bytes of its file.
const CELL: u64 = 8;

/// Some rows.
pub(crate) struct Sent {
    pub natives: Vec<Native>,
    pub rows: usize,
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
