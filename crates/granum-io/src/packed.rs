//! Files that are packed while they are written.

use std::io::{self, Write};

use flate2::Compression;
use flate2::write::GzEncoder;
use granum_core::port::NamedAs;
use ruzstd::encoding::{CompressionLevel, compress_to_vec};

/// Frames of a packed file hold so many bytes each, whatever the batches were.
const FRAME: usize = 1 << 22;

/// What is packed as `.gz` is given on in blocks of so many bytes: how it is packed may depend on that.
const BLOCK: usize = 1 << 16;

/// Packs what goes into a file, as its name says.
pub(crate) enum Packer {
    Plain,
    /// `.gz`: one stream, without a time, so that the same bytes come of the same rows.
    Gzip(Blocks),
    /// `.zst`: frames one behind the other; what is not yet in one.
    Zstandard(Vec<u8>),
}

/// A stream that is fed in blocks of one size, whatever the batches were.
pub(crate) struct Blocks {
    packed: GzEncoder<Vec<u8>>,
    open: Vec<u8>,
}

impl Blocks {
    /// Packs whole blocks, or at the end what is left.
    fn pack(&mut self, end: bool) -> io::Result<()> {
        let whole = if end { self.open.len() } else { self.open.len() / BLOCK * BLOCK };
        self.open[..whole].chunks(BLOCK).try_for_each(|block| self.packed.write_all(block))?;
        self.open.drain(..whole);
        if end { self.packed.try_finish() } else { Ok(()) }
    }
}

impl Packer {
    /// Of a file by its name.
    pub fn of(name: &str) -> Self {
        match NamedAs::of(name).packed {
            Some(".gz") => Self::Gzip(Blocks {
                packed: GzEncoder::new(vec![], Compression::default()),
                open: vec![],
            }),
            Some(".zst") => Self::Zstandard(vec![]),
            _ => Self::Plain,
        }
    }

    /// Has something written into `out`, packed.
    pub fn write_by(
        &mut self,
        out: &mut dyn Write,
        write: impl FnOnce(&mut dyn Write) -> io::Result<()>,
    ) -> io::Result<()> {
        match self {
            Self::Plain => write(out),
            Self::Gzip(blocks) => {
                write(&mut blocks.open)?;
                blocks.pack(false)?;
                out.write_all(&std::mem::take(blocks.packed.get_mut()))
            }
            Self::Zstandard(open) => {
                write(open)?;
                while open.len() >= FRAME {
                    let rest = open.split_off(FRAME);
                    out.write_all(&frame(open))?;
                    *open = rest;
                }
                Ok(())
            }
        }
    }

    /// Writes what is left.
    pub fn finish(&mut self, out: &mut dyn Write) -> io::Result<()> {
        match self {
            Self::Plain => Ok(()),
            Self::Gzip(blocks) => {
                blocks.pack(true)?;
                out.write_all(&std::mem::take(blocks.packed.get_mut()))
            }
            Self::Zstandard(open) => out.write_all(&frame(&std::mem::take(open))),
        }
    }
}

fn frame(bytes: &[u8]) -> Vec<u8> {
    compress_to_vec(bytes, CompressionLevel::Fastest)
}
