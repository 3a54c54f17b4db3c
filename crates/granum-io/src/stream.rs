//! A file's bytes as they are parsed: unpacked by the ending of its name or by their mark, and as UTF-8 whatever its
//! encoding.

use granum_core::port::{SourceError, SourceErrorKind};
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use crate::ahead::Ahead;
use crate::zstandard::{Frames, Several};
use encoding_rs::{Decoder, DecoderResult, Encoding, UTF_8, UTF_16BE, UTF_16LE};

/// How a file's bytes become text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Opening {
    packed: Packed,
    /// As the plan says; UTF-8, or UTF-16 by its mark, where it says nothing.
    encoding: Option<&'static Encoding>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Packed {
    No,
    Gzip,
    Zstandard,
}

impl Packed {
    /// A packed file whose name does not say so, told by what such files begin with. Of a file that
    /// cannot be read nothing is known; whoever opens it says why.
    fn by_mark(bytes: &(impl Bytes + ?Sized)) -> Self {
        let mut first = [0; 4];
        let read = bytes.read_from(0).and_then(|mut file| fill(&mut file, &mut first));
        match (read, first) {
            (Ok(4), [0x1F, 0x8B, 0x08, _]) => Self::Gzip,
            (Ok(4), [0x28, 0xB5, 0x2F, 0xFD]) => Self::Zstandard,
            _ => Self::No,
        }
    }
}

/// What an input's rows are read from.
pub(crate) type Stream = Box<dyn Read + Send>;

/// Why bytes that came cannot be had: no disk to keep them, no end of them, or what the system says.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub(crate) struct Lost(pub String);

/// Bytes that can be read from any place on: a file's, or those of something that is coming.
pub(crate) trait Bytes {
    /// Where they stand, as far as they have come.
    fn path(&self) -> &Path;
    /// The bytes from `from` on.
    ///
    /// # Errors
    /// What the system says.
    fn read_from(&self, from: u64) -> io::Result<Stream>;
}

impl Bytes for Path {
    fn path(&self) -> &Path {
        self
    }

    fn read_from(&self, from: u64) -> io::Result<Stream> {
        let mut file = File::open(self)?;
        if from > 0 {
            file.seek(SeekFrom::Start(from))?;
        }
        Ok(Box::new(file))
    }
}

impl Bytes for PathBuf {
    fn path(&self) -> &Path {
        self
    }

    fn read_from(&self, from: u64) -> io::Result<Stream> {
        self.as_path().read_from(from)
    }
}

impl Opening {
    /// How to open the bytes of a file, in the encoding that a plan names. `name` stands in errors.
    pub fn new(
        bytes: &(impl Bytes + ?Sized),
        name: &str,
        encoding: Option<&str>,
    ) -> Result<Self, SourceError> {
        let ending = bytes.path().extension().unwrap_or_default().to_ascii_lowercase();
        let packed = match ending.to_str() {
            Some("gz") => Packed::Gzip,
            Some("zst") => Packed::Zstandard,
            _ => Packed::by_mark(bytes),
        };
        let encoding = encoding.map(|label| {
            Encoding::for_label(label.as_bytes()).ok_or_else(|| SourceError {
                kind: SourceErrorKind::UnknownEncoding,
                file: name.to_owned(),
                line: None,
                message: format!("no encoding is called \"{label}\""),
                help: "for example \"windows-1252\", \"iso-8859-15\", \"utf-16le\", \"shift_jis\""
                    .into(),
            })
        });
        Ok(Self { packed, encoding: encoding.transpose()? })
    }

    /// The same with the encoding that a file's mark says, where the plan says none.
    pub fn with_mark_of(mut self, bytes: &(impl Bytes + ?Sized)) -> io::Result<Self> {
        if self.encoding.is_none() {
            let mut first = [0; 2];
            fill(&mut self.unpacked(bytes)?, &mut first)?;
            self.encoding = match first {
                [0xFF, 0xFE] => Some(UTF_16LE),
                [0xFE, 0xFF] => Some(UTF_16BE),
                _ => None,
            };
        }
        Ok(self)
    }

    /// Whether a file's bytes are its text.
    pub fn is_plain(self) -> bool {
        self.packed == Packed::No && self.other_encoding().is_none()
    }

    /// The text from byte `from` on, counted in the text and not in the file.
    pub fn open(self, bytes: &(impl Bytes + ?Sized), from: u64) -> io::Result<Stream> {
        if self.is_plain() {
            return bytes.read_from(from);
        }
        self.decoded(self.unpacked(bytes)?, from)
    }

    /// The same for one who takes all of it: what has to be unpacked or decoded is so on a thread of its own, and
    /// several frames at a time.
    pub fn open_ahead(self, bytes: &(impl Bytes + ?Sized), from: u64) -> io::Result<Stream> {
        if self.is_plain() {
            return self.open(bytes, from);
        }
        let bytes = match self.packed {
            Packed::Zstandard => Box::new(Unpacked(Several::new(bytes.read_from(0)?))),
            _ => self.unpacked(bytes)?,
        };
        Ok(Box::new(Ahead::of(self.decoded(bytes, from)?)?))
    }

    /// Unpacked bytes as text, from byte `from` of it on.
    fn decoded(self, bytes: Stream, from: u64) -> io::Result<Stream> {
        let mut text = match self.other_encoding() {
            Some(encoding) => Box::new(Decoded::new(bytes, encoding)),
            None => bytes,
        };
        io::copy(&mut text.by_ref().take(from), &mut io::sink())?;
        Ok(text)
    }

    /// What the encoding is called, where it is known and not UTF-8.
    pub fn encoding_name(self) -> Option<String> {
        self.other_encoding().map(|encoding| encoding.name().to_owned())
    }

    fn other_encoding(self) -> Option<&'static Encoding> {
        self.encoding.filter(|named| *named != UTF_8)
    }

    fn unpacked(self, bytes: &(impl Bytes + ?Sized)) -> io::Result<Stream> {
        let file = bytes.read_from(0)?;
        Ok(match self.packed {
            Packed::No => file,
            Packed::Gzip => Box::new(Unpacked(flate2::read::MultiGzDecoder::new(file))),
            Packed::Zstandard => Box::new(Unpacked(Frames::new(file))),
        })
    }
}

/// Reads until `out` is full or the end has come; gives how many bytes there were.
fn fill(from: &mut impl Read, out: &mut [u8]) -> io::Result<usize> {
    let mut length = 0;
    while length < out.len() {
        match from.read(&mut out[length..])? {
            0 => break,
            read => length += read,
        }
    }
    Ok(length)
}

/// Bytes that do not belong to a text's encoding.
#[derive(Debug, thiserror::Error)]
#[error("is not {encoding}")]
pub(crate) struct Malformed {
    pub encoding: &'static str,
    /// The line of the text they stand in.
    pub line: u64,
}

/// A packed file that ends too early, or is none.
#[derive(Debug, thiserror::Error)]
#[error("cannot be unpacked: {}", reason(.0))]
pub(crate) struct Damaged(io::Error);

/// What is wrong with packed data, in words: a library may say it for its makers alone.
fn reason(error: &io::Error) -> String {
    let said = error.to_string();
    if error.kind() == io::ErrorKind::UnexpectedEof || said.contains("UnexpectedEof") {
        "it ends before its data does, or something else follows it".into()
    } else if said.contains(['{', '(']) {
        "its data is damaged".into()
    } else {
        said
    }
}

/// Says of what goes wrong that it was unpacking.
struct Unpacked<R>(R);

impl<R: Read> Read for Unpacked<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        self.0.read(out).map_err(|error| match error.kind() {
            io::ErrorKind::Interrupted => error,
            _ if error.get_ref().is_some_and(<dyn std::error::Error + Send + Sync>::is::<Lost>) => {
                error
            }
            _ => io::Error::other(Damaged(error)),
        })
    }
}

/// Raw bytes that are decoded at a time.
const RAW: usize = 1 << 16;

/// Makes UTF-8 of a text in another encoding. Bytes that do not belong there are an error, and no
/// sign takes their place.
struct Decoded<R> {
    from: R,
    decoder: Decoder,
    encoding: &'static str,
    raw: Vec<u8>,
    /// What of `raw` has not been decoded.
    left: std::ops::Range<usize>,
    ended: bool,
    /// Whether the decoder has been told of the end, after which it may not be asked again.
    finished: bool,
    text: Vec<u8>,
    given: usize,
    lines: u64,
}

impl<R: Read> Decoded<R> {
    fn new(from: R, encoding: &'static Encoding) -> Self {
        Self {
            from,
            decoder: encoding.new_decoder_with_bom_removal(),
            encoding: encoding.name(),
            raw: vec![0; RAW],
            left: 0..0,
            ended: false,
            finished: false,
            text: vec![],
            given: 0,
            lines: 0,
        }
    }

    /// Decodes some more. Nothing more comes where `text` stays empty.
    fn decode(&mut self) -> io::Result<()> {
        self.text.resize(4 * RAW, 0);
        let mut written = 0;
        while written == 0 {
            if self.left.is_empty() && !self.ended {
                let length = fill(&mut self.from, &mut self.raw)?;
                self.left = 0..length;
                self.ended = length < RAW;
            }
            let (result, read, wrote) = self.decoder.decode_to_utf8_without_replacement(
                &self.raw[self.left.clone()],
                &mut self.text,
                self.ended,
            );
            self.left.start += read;
            written = wrote;
            if let DecoderResult::Malformed(..) = result {
                let before = memchr::memchr_iter(b'\n', &self.text[..wrote]).count() as u64;
                let line = self.lines + before + 1;
                return Err(io::Error::other(Malformed { encoding: self.encoding, line }));
            }
            if self.ended && result == DecoderResult::InputEmpty {
                self.finished = true;
                break;
            }
        }
        self.text.truncate(written);
        self.lines += memchr::memchr_iter(b'\n', &self.text).count() as u64;
        self.given = 0;
        Ok(())
    }
}

impl<R: Read> Read for Decoded<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        if self.given == self.text.len() {
            if self.finished {
                return Ok(0);
            }
            self.decode()?;
        }
        let rest = &self.text[self.given..];
        let length = rest.len().min(out.len());
        out[..length].copy_from_slice(&rest[..length]);
        self.given += length;
        Ok(length)
    }
}
