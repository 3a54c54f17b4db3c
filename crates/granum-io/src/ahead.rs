//! What is made on a thread of its own, a little ahead of whoever takes it.

use std::io::{self, Read};
use std::sync::mpsc::{Receiver, sync_channel};
use std::thread;

/// Bytes that are read at a time, and how many times before anybody asks.
const BLOCK: u64 = 1 << 18;
const BLOCKS: usize = 16;

/// A stream that another thread reads: unpacking goes on while what came before is parsed.
pub(crate) struct Ahead {
    blocks: Receiver<io::Result<Vec<u8>>>,
    block: Vec<u8>,
    given: usize,
}

impl Ahead {
    /// Begins to read a stream. It is let go when this is.
    ///
    /// # Errors
    /// What the system says of another thread.
    pub fn of(mut from: impl Read + Send + 'static) -> io::Result<Self> {
        let (blocks, taken) = sync_channel(BLOCKS);
        thread::Builder::new().name("reading ahead".into()).spawn(move || {
            loop {
                let mut block = vec![];
                let read = from.by_ref().take(BLOCK).read_to_end(&mut block);
                let ended = !matches!(read, Ok(1..));
                // What came before something went wrong is told first.
                if !block.is_empty() && blocks.send(Ok(block)).is_err() {
                    return;
                }
                if let Err(error) = read {
                    let _ = blocks.send(Err(error));
                }
                if ended {
                    return;
                }
            }
        })?;
        Ok(Self { blocks: taken, block: vec![], given: 0 })
    }
}

impl Read for Ahead {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        if self.given == self.block.len() {
            // Nothing comes any more where the other thread has ended.
            let Ok(block) = self.blocks.recv() else { return Ok(0) };
            self.block = block?;
            self.given = 0;
        }
        let length = out.len().min(self.block.len() - self.given);
        out[..length].copy_from_slice(&self.block[self.given..self.given + length]);
        self.given += length;
        Ok(length)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Gives so many bytes, then something is wrong, or nothing more comes.
    struct Given(usize, bool);

    impl Read for Given {
        fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
            if self.0 == 0 && self.1 {
                return Err(io::Error::other("is broken"));
            }
            let length = self.0.min(out.len()).min(70_001);
            for (at, byte) in out[..length].iter_mut().enumerate() {
                *byte = ((self.0 - at) % 251) as u8;
            }
            self.0 -= length;
            Ok(length)
        }
    }

    #[test]
    fn all_comes_in_its_order_and_what_is_wrong_behind_it() {
        for (bytes, wrong) in
            [(0, false), (1, false), (10_000_000, false), (0, true), (700_000, true)]
        {
            let mut ahead = Ahead::of(Given(bytes, wrong)).unwrap();
            let mut all = vec![];
            let read = ahead.read_to_end(&mut all);
            assert_eq!(read.is_err(), wrong);
            assert_eq!(all.len(), bytes);
            assert!(all.iter().enumerate().all(|(at, byte)| *byte == ((bytes - at) % 251) as u8));
        }
    }

    #[test]
    fn a_reader_that_is_let_go_ends_the_thread_that_reads_for_it() {
        let (told, ended) = std::sync::mpsc::channel();
        struct Telling(std::sync::mpsc::Sender<()>);
        impl Read for Telling {
            fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
                out.fill(b'x');
                Ok(out.len())
            }
        }
        impl Drop for Telling {
            fn drop(&mut self) {
                let _ = self.0.send(());
            }
        }
        let mut ahead = Ahead::of(Telling(told)).unwrap();
        assert_eq!(ahead.read(&mut [0; 10]).unwrap(), 10);
        drop(ahead);
        assert!(ended.recv_timeout(std::time::Duration::from_secs(20)).is_ok());
    }
}
