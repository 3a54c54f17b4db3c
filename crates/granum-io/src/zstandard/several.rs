//! Frames of a file that are unpacked on all cores: each stands by itself, and how long it is can be told without
//! unpacking it.

use std::collections::VecDeque;
use std::io::{self, BufRead, BufReader, Chain, Cursor, Read};
use std::thread;

use super::Frames;

/// So many frames are unpacked at a time at most.
const MOST: usize = 4;

/// A frame of more blocks than this is unpacked as it comes: each may have 128 KiB of data.
const BLOCKS: usize = 1 << 8;

/// A frame of more bytes than this is, too.
const BYTES: usize = 1 << 25;

/// What a frame without data begins with, but for the lowest four bits.
const SKIPPED: u32 = 0x184D_2A50;

/// The bytes that stand in the frames of a file: of frames of some size several are unpacked at a time.
pub(crate) struct Several<R: Read> {
    from: Left<R>,
    /// What has been unpacked and not given.
    ready: VecDeque<io::Result<Vec<u8>>>,
    given: usize,
}

/// A file of which some bytes have been read already.
type Begun<R> = Chain<Cursor<Vec<u8>>, BufReader<R>>;

/// What has not been unpacked.
enum Left<R: Read> {
    Frames(BufReader<R>),
    /// From a frame on that is too large to be held.
    Stream(Box<Frames<Begun<R>>>),
    /// For a moment, and behind what went wrong.
    Nothing,
}

impl<R: Read> Several<R> {
    /// Those of a file from its beginning.
    pub fn new(from: R) -> Self {
        let from = Left::Frames(BufReader::with_capacity(1 << 16, from));
        Self { from, ready: VecDeque::new(), given: 0 }
    }

    /// Unpacks the next frames.
    fn unpack(&mut self) -> io::Result<()> {
        let Left::Frames(mut from) = std::mem::replace(&mut self.from, Left::Nothing) else {
            return Ok(());
        };
        let most = thread::available_parallelism().map_or(1, usize::from).min(MOST);
        let mut frames = vec![];
        while frames.len() < most && !from.fill_buf()?.is_empty() {
            let mut bytes = vec![];
            match gather(&mut from, &mut bytes)? {
                Gathered::Whole => frames.push(bytes),
                Gathered::Large => {
                    self.from = Left::Stream(Box::new(Frames::new(Cursor::new(bytes).chain(from))));
                    self.ready = unpacked(&frames);
                    return Ok(());
                }
                Gathered::Ended => {
                    self.ready = unpacked(&frames);
                    self.ready.push_back(Err(io::ErrorKind::UnexpectedEof.into()));
                    return Ok(());
                }
            }
        }
        self.from = Left::Frames(from);
        self.ready = unpacked(&frames);
        Ok(())
    }
}

/// What stands in each of some frames. Threads of their own do it: those that work on rows may wait for it.
fn unpacked(frames: &[Vec<u8>]) -> VecDeque<io::Result<Vec<u8>>> {
    let one = |bytes: &Vec<u8>| {
        let mut text = vec![];
        Frames::new(&bytes[..]).read_to_end(&mut text).map(|_| text)
    };
    thread::scope(|scope| {
        let others: Vec<_> =
            frames.iter().skip(1).map(|bytes| scope.spawn(move || one(bytes))).collect();
        let first = frames.first().map(one);
        let others = others.into_iter().map(|other| {
            other.join().unwrap_or_else(|_| Err(io::Error::other("its data is damaged")))
        });
        first.into_iter().chain(others).collect()
    })
}

impl<R: Read> Read for Several<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        loop {
            match self.ready.front() {
                Some(Ok(text)) if self.given < text.len() => {
                    let length = out.len().min(text.len() - self.given);
                    out[..length].copy_from_slice(&text[self.given..self.given + length]);
                    self.given += length;
                    return Ok(length);
                }
                Some(Ok(_)) => {
                    self.ready.pop_front();
                    self.given = 0;
                }
                Some(Err(_)) => {
                    self.from = Left::Nothing;
                    if let Some(Err(error)) = self.ready.pop_front() {
                        self.ready.clear();
                        return Err(error);
                    }
                }
                None => match &mut self.from {
                    Left::Stream(frames) => return frames.read(out),
                    Left::Frames(from) => {
                        if from.fill_buf()?.is_empty() {
                            return Ok(0);
                        }
                        self.unpack()?;
                    }
                    Left::Nothing => return Ok(0),
                },
            }
        }
    }
}

/// What came of looking for the end of a frame.
#[derive(Debug, PartialEq, Eq)]
enum Gathered {
    Whole,
    /// It is too large to be held, or nothing that is known: whoever unpacks it says what it is.
    Large,
    /// The file ends before it does.
    Ended,
}

/// Adds all bytes of the next frame, or those that were looked at, without a look at what they hold.
fn gather(from: &mut impl Read, bytes: &mut Vec<u8>) -> io::Result<Gathered> {
    let mut more = |count: usize, bytes: &mut Vec<u8>| -> io::Result<bool> {
        Ok(from.take(count as u64).read_to_end(bytes)? == count)
    };
    if !more(5, bytes)? {
        return Ok(Gathered::Ended);
    }
    let magic = u32::from_le_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]);
    let descriptor = bytes[4];
    if magic & !0xF == SKIPPED {
        if !more(3, bytes)? {
            return Ok(Gathered::Ended);
        }
        let length = u32::from_le_bytes([bytes[4], bytes[5], bytes[6], bytes[7]]) as usize;
        if length > BYTES {
            return Ok(Gathered::Large);
        }
        return Ok(if more(length, bytes)? { Gathered::Whole } else { Gathered::Ended });
    }
    if magic != 0xFD2F_B528 {
        return Ok(Gathered::Large);
    }
    let single = descriptor & 0x20 != 0;
    let size = [usize::from(single), 2, 4, 8][usize::from(descriptor >> 6)];
    let dictionary = [0, 1, 2, 4][usize::from(descriptor & 3)];
    if !more(usize::from(!single) + dictionary + size, bytes)? {
        return Ok(Gathered::Ended);
    }
    for _ in 0..BLOCKS {
        let start = bytes.len();
        if !more(3, bytes)? {
            return Ok(Gathered::Ended);
        }
        let header = u32::from_le_bytes([bytes[start], bytes[start + 1], bytes[start + 2], 0]);
        // A block of one byte that repeats has that alone.
        let length = if header >> 1 & 3 == 1 { 1 } else { (header >> 3) as usize };
        let last = header & 1 == 1;
        let checksum = if last && descriptor & 4 != 0 { 4 } else { 0 };
        if !more(length + checksum, bytes)? {
            return Ok(Gathered::Ended);
        }
        if last {
            return Ok(Gathered::Whole);
        }
        if bytes.len() > BYTES {
            return Ok(Gathered::Large);
        }
    }
    Ok(Gathered::Large)
}

#[cfg(test)]
mod tests {
    use ruzstd::encoding::{CompressionLevel, compress_to_vec};

    use super::*;

    fn frame(text: &[u8]) -> Vec<u8> {
        compress_to_vec(text, CompressionLevel::Fastest)
    }

    /// Lines that are not all the same.
    fn text(lines: usize, from: usize) -> Vec<u8> {
        (from..from + lines)
            .flat_map(|line| format!("K{line},{}\n", line % 7).into_bytes())
            .collect()
    }

    fn all(packed: &[u8]) -> io::Result<Vec<u8>> {
        let mut out = vec![];
        Several::new(packed).read_to_end(&mut out).map(|_| out)
    }

    #[test]
    fn frames_come_in_their_order_however_many_are_unpacked_at_a_time() {
        let texts: Vec<Vec<u8>> = (0..11).map(|at| text(1 + at * 3000, at * 100_000)).collect();
        let mut packed: Vec<u8> = texts.iter().flat_map(|text| frame(text)).collect();
        assert_eq!(all(&packed).unwrap(), texts.concat());
        // Between them one without data, and one of nothing at the end.
        let skipped = [0x53, 0x2a, 0x4d, 0x18, 2, 0, 0, 0, 9, 9];
        let between = [&frame(&texts[3]), &skipped[..], &frame(&texts[4]), &frame(b"")].concat();
        assert_eq!(all(&between).unwrap(), texts[3..5].concat());
        // What follows is no frame: an error behind all that came before.
        packed.extend(b"something else");
        let mut out = vec![];
        assert!(Several::new(&packed[..]).read_to_end(&mut out).is_err());
        assert_eq!(out, texts.concat());
    }

    #[test]
    fn a_frame_that_is_too_large_to_be_held_is_unpacked_as_it_comes() {
        let large = vec![b'a'; (BLOCKS + 3) << 17];
        let packed = [frame(&text(10, 0)), frame(&large), frame(&text(10, 7))].concat();
        let mut first = vec![];
        assert_eq!(gather(&mut &frame(&text(10, 0))[..], &mut first).unwrap(), Gathered::Whole);
        assert_eq!(first, frame(&text(10, 0)));
        assert_eq!(gather(&mut &frame(&large)[..], &mut vec![]).unwrap(), Gathered::Large);
        assert_eq!(all(&packed).unwrap(), [text(10, 0), large, text(10, 7)].concat());
    }

    #[test]
    fn a_file_that_ends_too_early_is_never_read_as_less() {
        let packed = [frame(&text(50, 0)), frame(&text(50, 50))].concat();
        let first = frame(&text(50, 0)).len();
        for end in (1..packed.len()).filter(|end| *end != first) {
            let error = all(&packed[..end]).unwrap_err();
            assert_eq!(error.kind(), io::ErrorKind::UnexpectedEof, "the first {end} bytes");
        }
        let skipped = [0x53, 0x2a, 0x4d, 0x18, 2, 0, 0, 0, 9, 9];
        assert!((1..skipped.len()).all(|end| all(&skipped[..end]).is_err()));
    }
}
