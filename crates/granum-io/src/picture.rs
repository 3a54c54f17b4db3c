//! Pictures on their way into files: all of one is there before the file is begun.

use std::io::{self, Write};
use std::sync::Arc;

use granum_core::port::{Encoded, Encoder};
use granum_core::table::Column;

use crate::format::Writer;

/// A picture's bytes.
pub(crate) struct Drawn(pub Vec<u8>);

impl Writer for Drawn {
    fn encoder(&self) -> Arc<dyn Encoder> {
        Arc::new(NoRows)
    }

    fn begin(&mut self, out: &mut dyn Write) -> io::Result<()> {
        out.write_all(&self.0)
    }

    fn take(&mut self, _: Encoded, _: &mut dyn Write) -> io::Result<()> {
        Err(io::Error::other("rows came to a picture: a fault of the program"))
    }

    fn finish(&mut self, _: &mut dyn Write) -> io::Result<()> {
        Ok(())
    }
}

/// A picture takes no rows.
struct NoRows;

impl Encoder for NoRows {
    fn encode(&self, _: &[Column], _: usize) -> Encoded {
        Encoded::Bytes(vec![])
    }
}
