//! Zstandard files (RFC 8878): frames one after the other, each checked against what it says of
//! itself.

mod several;

pub(crate) use several::Several;

use std::io::{self, BufRead, BufReader, Read};

use ruzstd::decoding::FrameDecoder;
use ruzstd::decoding::errors::{FrameDecoderError, ReadFrameHeaderError};

/// How far back a frame may reach: 128 MiB, as everywhere where nothing else was asked for.
const WINDOW: u64 = 1 << 27;

/// The bytes that stand in the frames of a file.
pub(crate) struct Frames<R> {
    from: BufReader<R>,
    decoder: FrameDecoder,
    /// Bytes that have come of the frame that is open.
    open: Option<u64>,
}

impl<R: Read> Frames<R> {
    /// Those of a file from its beginning.
    pub fn new(from: R) -> Self {
        let mut decoder = FrameDecoder::new();
        decoder.set_max_window_size(WINDOW);
        Self { from: BufReader::with_capacity(1 << 16, from), decoder, open: None }
    }

    /// Opens the next frame, unless there is none. Frames that hold no data are passed over.
    fn next(&mut self) -> io::Result<bool> {
        while !self.from.fill_buf()?.is_empty() {
            match self.decoder.reset(&mut self.from) {
                Ok(()) => {
                    self.open = Some(0);
                    return Ok(true);
                }
                Err(FrameDecoderError::ReadFrameHeaderError(ReadFrameHeaderError::SkipFrame {
                    length,
                    ..
                })) => {
                    let length = u64::from(length);
                    if io::copy(&mut (&mut self.from).take(length), &mut io::sink())? < length {
                        return Err(io::ErrorKind::UnexpectedEof.into());
                    }
                }
                Err(error) => return Err(io::Error::other(error)),
            }
        }
        Ok(false)
    }

    /// What is wrong with a frame that has come whole: its bytes are not those that were packed.
    fn fault(&self, bytes: u64) -> Option<&'static str> {
        let size = self.decoder.content_size();
        if size > 0 && size != bytes {
            return Some("it has another length than it says");
        }
        let written = self.decoder.get_checksum_from_data()?;
        let differs = self.decoder.get_calculated_checksum() != Some(written);
        differs.then_some("its checksum is that of other data")
    }
}

impl<R: Read> Read for Frames<R> {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        use ruzstd::decoding::BlockDecodingStrategy::UptoBlocks;
        loop {
            let Some(bytes) = self.open else {
                if self.next()? {
                    continue;
                }
                return Ok(0);
            };
            while self.decoder.can_collect() == 0 && !self.decoder.is_finished() {
                self.decoder
                    .decode_blocks(&mut self.from, UptoBlocks(1))
                    .map_err(io::Error::other)?;
            }
            let read = self.decoder.read(out)?;
            self.open = Some(bytes + read as u64);
            if read > 0 || out.is_empty() {
                return Ok(read);
            }
            if let Some(fault) = self.fault(bytes) {
                return Err(io::Error::other(fault));
            }
            self.open = None;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// `k,v K1,1` and `K2,2 K3,3`, each a line, as the format's own tool packs them with a checksum.
    const FIRST: [u8; 22] = [
        0x28, 0xb5, 0x2f, 0xfd, 0x04, 0x58, 0x49, 0, 0, 0x6b, 0x2c, 0x76, 0x0a, 0x4b, 0x31, 0x2c,
        0x31, 0x0a, 0x8c, 0x04, 0x96, 0x4d,
    ];
    const SECOND: [u8; 23] = [
        0x28, 0xb5, 0x2f, 0xfd, 0x04, 0x58, 0x51, 0, 0, 0x4b, 0x32, 0x2c, 0x32, 0x0a, 0x4b, 0x33,
        0x2c, 0x33, 0x0a, 0x77, 0xa1, 0x9e, 0x6a,
    ];
    /// A frame of three bytes that are no data.
    const SKIPPED: [u8; 11] = [0x51, 0x2a, 0x4d, 0x18, 3, 0, 0, 0, 7, 7, 7];

    fn unpacked(bytes: &[u8]) -> io::Result<String> {
        let mut text = String::new();
        Frames::new(bytes).read_to_string(&mut text).map(|_| text)
    }

    #[test]
    fn all_frames_are_read_and_those_without_data_passed_over() {
        let all = [&SKIPPED[..], &FIRST, &SKIPPED, &SECOND, &SKIPPED].concat();
        assert_eq!(unpacked(&all).unwrap(), "k,v\nK1,1\nK2,2\nK3,3\n");
    }

    #[test]
    fn a_file_that_is_damaged_anywhere_is_never_read_as_less() {
        let all = [&FIRST[..], &SKIPPED, &SECOND].concat();
        let whole = [FIRST.len(), FIRST.len() + SKIPPED.len()];
        for end in (1..all.len()).filter(|end| !whole.contains(end)) {
            assert!(unpacked(&all[..end]).is_err(), "the first {end} bytes");
        }
        // A sign of the data, and the checksum.
        for at in [12, 18] {
            let mut changed = FIRST;
            changed[at] ^= 1;
            let error = unpacked(&changed).unwrap_err().to_string();
            assert_eq!(error, "its checksum is that of other data");
        }
        let long = ruzstd::encoding::compress_to_vec(
            &vec![b'a'; 70_000][..],
            ruzstd::encoding::CompressionLevel::Fastest,
        );
        assert_eq!(unpacked(&long).unwrap().len(), 70_000);
    }
}
