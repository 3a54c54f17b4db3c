//! A table on its way into a file.

use std::sync::Arc;

use granum_core::port::{Encoded, Encoder, Output, OutputError};

use super::PlacedFile;
use crate::format::Writer;
use crate::packed::Packer;

/// A table on its way into a file, in one format.
pub(crate) struct PlacedTable {
    file: PlacedFile,
    writer: Box<dyn Writer>,
    packer: Packer,
}

impl PlacedTable {
    pub fn begin(
        file: PlacedFile,
        writer: Box<dyn Writer>,
        packer: Packer,
    ) -> Result<Self, OutputError> {
        let mut table = Self { file, writer, packer };
        let Self { file, writer, packer } = &mut table;
        file.write_by(|out| packer.write_by(out, |out| writer.begin(out)))?;
        Ok(table)
    }
}

impl Output for PlacedTable {
    fn encoder(&self) -> Arc<dyn Encoder> {
        self.writer.encoder()
    }

    fn take(&mut self, rows: Encoded) -> Result<(), OutputError> {
        let Self { file, writer, packer } = self;
        file.write_by(|out| packer.write_by(out, |out| writer.take(rows, out)))
    }

    fn complete(&mut self) -> Result<u64, OutputError> {
        let Self { file, writer, packer } = self;
        file.write_by(|out| packer.write_by(out, |out| writer.finish(out)))?;
        file.write_by(|out| packer.finish(out))?;
        self.file.complete()
    }

    fn publish(&mut self) -> Result<(), OutputError> {
        self.file.publish()
    }

    fn withdraw(&mut self) {
        self.file.withdraw();
    }

    fn settle(&mut self) {
        self.file.settle();
    }
}
