//! How bytes come into a file that is new: those of a small one through the system's cache; those of a large one past
//! it, on a thread of its own, so that they are on the disk when the last row is made, and not only on their way there.

use std::fs::File;
use std::io::{self, Write};
use std::sync::mpsc::{Receiver, SyncSender, TryRecvError, sync_channel};
use std::sync::{Mutex, PoisonError};
use std::thread::{self, JoinHandle};

use tempfile::NamedTempFile;

use crate::at::write_at;

/// So many bytes of a file go through the cache before the others go past it: who reads a small file next
/// finds it there.
const SMALL: usize = if cfg!(test) { 1 << 14 } else { 1 << 24 };

/// Bytes that are written at a time, and how many times before anybody waits: several outputs may be on their way.
const BLOCK: usize = if cfg!(test) { 1 << 13 } else { 1 << 20 };
const BLOCKS: usize = 3;

/// What goes past the cache begins at such places, in the file and in memory, and ends there.
const EDGE: usize = 1 << 12;

/// How far a file is filled.
#[derive(Default)]
pub(super) struct Filled {
    /// All bytes that have come.
    bytes: u64,
    rest: Rest,
}

/// What becomes of bytes behind the first.
#[derive(Default)]
enum Rest {
    /// They have not come yet.
    #[default]
    NotYet,
    /// They go through the cache as well: the file system has no other way.
    Cached,
    Past(Past),
}

impl Filled {
    /// All bytes that have come.
    pub fn bytes(&self) -> u64 {
        self.bytes
    }

    /// Takes bytes behind those that have come, always into the same file.
    ///
    /// # Errors
    /// What the system says, of these bytes or of earlier ones.
    pub fn take(&mut self, file: &NamedTempFile, mut bytes: &[u8]) -> io::Result<()> {
        while !bytes.is_empty() {
            let taken = match &mut self.rest {
                Rest::Past(past) => past.take(bytes)?,
                Rest::Cached => cached(file, bytes)?,
                Rest::NotYet => {
                    let first = SMALL - self.bytes as usize;
                    cached(file, &bytes[..bytes.len().min(first)])?
                }
            };
            bytes = &bytes[taken..];
            self.bytes += taken as u64;
            if matches!(self.rest, Rest::NotYet) && self.bytes == SMALL as u64 {
                let past = Past::begin(opened(file.path()), file.as_file(), self.bytes)?;
                self.rest = past.map_or(Rest::Cached, Rest::Past);
            }
        }
        Ok(())
    }

    /// All have come: they are on the disk when this returns.
    ///
    /// # Errors
    /// What the system says.
    pub fn complete(&mut self, file: &NamedTempFile) -> io::Result<()> {
        if let Rest::Past(past) = std::mem::replace(&mut self.rest, Rest::Cached) {
            past.finish()?;
        }
        file.as_file().sync_data()
    }
}

/// Writes all bytes through the cache; gives how many they are.
fn cached(file: &NamedTempFile, bytes: &[u8]) -> io::Result<usize> {
    file.as_file().write_all(bytes)?;
    Ok(bytes.len())
}

/// Bytes on their way past the cache.
struct Past {
    /// What comes is gathered here.
    block: Block,
    full: SyncSender<Block>,
    /// How many blocks there are: no more than were ever on their way at once.
    blocks: usize,
    /// Never shared: an output has to say that it could be.
    empty: Mutex<Receiver<Block>>,
    /// What it says when it has ended; nothing where it has been asked.
    thread: Option<JoinHandle<io::Result<()>>>,
}

impl Past {
    /// Begins at byte `from` of a file that is open both ways; nothing where the file system only writes through its
    /// cache.
    fn begin(past: Option<File>, cached: &File, from: u64) -> io::Result<Option<Self>> {
        let Some(past) = past else { return Ok(None) };
        let (full, taken) = sync_channel::<Block>(BLOCKS);
        let (back, empty) = sync_channel(BLOCKS + 2);
        let mut at = At { past: Some(past), cached: cached.try_clone()?, from };
        let thread = thread::Builder::new().name("writing".into()).spawn(move || {
            for mut block in taken {
                at.write(block.bytes())?;
                block.length = 0;
                // Nobody waits for it any more once all have come.
                let _ = back.send(block);
            }
            Ok(())
        })?;
        Ok(Some(Self {
            block: Block::new(),
            full,
            blocks: 1,
            empty: Mutex::new(empty),
            thread: Some(thread),
        }))
    }

    /// Takes as many bytes as there is room for.
    fn take(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let taken = self.block.fill(bytes);
        if self.block.length == BLOCK {
            // Neither fails but where the other thread has ended, and then it says why.
            let Some(empty) = self.empty() else { return Err(self.failed()) };
            let full = std::mem::replace(&mut self.block, empty);
            if self.full.send(full).is_err() {
                return Err(self.failed());
            }
        }
        Ok(taken)
    }

    /// A block that has nothing: one that was written, or one more while there may be.
    fn empty(&mut self) -> Option<Block> {
        let back = self.empty.get_mut().unwrap_or_else(PoisonError::into_inner);
        match back.try_recv() {
            Err(TryRecvError::Empty) if self.blocks < BLOCKS + 2 => {
                self.blocks += 1;
                Some(Block::new())
            }
            Err(TryRecvError::Empty) => back.recv().ok(),
            block => block.ok(),
        }
    }

    fn failed(&mut self) -> io::Error {
        let said = self.thread.take().map(JoinHandle::join);
        match said {
            Some(Ok(Err(error))) => error,
            _ => io::Error::other("the thread that writes has ended"),
        }
    }

    fn finish(self) -> io::Result<()> {
        let Self { block, full, empty, thread, .. } = self;
        let sent = full.send(block);
        drop(full);
        drop(empty);
        match thread.map(JoinHandle::join) {
            Some(Ok(said)) => said?,
            _ => return Err(io::Error::other("the thread that writes has ended")),
        }
        sent.map_err(|_| io::Error::other("the thread that writes has ended"))
    }
}

/// A place in a file that bytes are written to.
struct At {
    /// The file, past the cache; nothing once that was refused.
    past: Option<File>,
    cached: File,
    from: u64,
}

impl At {
    fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        // Only the last block has an end that is no edge.
        let (whole, end) = bytes.split_at(bytes.len() / EDGE * EDGE);
        self.past(whole)?;
        self.cached(end)
    }

    fn past(&mut self, bytes: &[u8]) -> io::Result<()> {
        let Some(past) = &self.past else { return self.cached(bytes) };
        match write_at(past, bytes, self.from) {
            // Some file systems open a file so, and say only now that they have no such way.
            Err(error) if error.kind() == io::ErrorKind::InvalidInput => {
                self.past = None;
                self.cached(bytes)
            }
            written => {
                self.from += bytes.len() as u64;
                written
            }
        }
    }

    fn cached(&mut self, bytes: &[u8]) -> io::Result<()> {
        write_at(&self.cached, bytes, self.from)?;
        self.from += bytes.len() as u64;
        Ok(())
    }
}

/// Memory that begins at an edge.
struct Block {
    memory: Vec<u8>,
    begins: usize,
    length: usize,
}

impl Block {
    fn new() -> Self {
        let memory = vec![0; BLOCK + EDGE];
        let begins = memory.as_ptr().align_offset(EDGE).min(EDGE);
        Self { memory, begins, length: 0 }
    }

    /// Puts bytes behind those that it has, as far as there is room; gives how many.
    fn fill(&mut self, bytes: &[u8]) -> usize {
        let taken = bytes.len().min(BLOCK - self.length);
        let from = self.begins + self.length;
        self.memory[from..from + taken].copy_from_slice(&bytes[..taken]);
        self.length += taken;
        taken
    }

    fn bytes(&self) -> &[u8] {
        &self.memory[self.begins..self.begins + self.length]
    }
}

/// Opens a file that is there for writing past the cache, where that can be.
#[cfg(target_os = "linux")]
fn opened(path: &std::path::Path) -> Option<File> {
    use std::os::unix::fs::OpenOptionsExt;
    File::options()
        .write(true)
        .custom_flags(rustix::fs::OFlags::DIRECT.bits() as i32)
        .open(path)
        .ok()
}

#[cfg(not(target_os = "linux"))]
fn opened(_: &std::path::Path) -> Option<File> {
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn some_bytes(count: usize) -> Vec<u8> {
        (0..count).map(|at| (at * 31 % 251) as u8).collect()
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]

        #[test]
        fn what_came_stands_in_the_file_however_it_was_cut(
            parts in prop::collection::vec(prop_oneof![0_usize..100, 0_usize..40_000], 0..12),
        ) {
            let file = NamedTempFile::new().unwrap();
            let mut filled = Filled::default();
            let mut all = vec![];
            for part in parts {
                let part = some_bytes(part);
                filled.take(&file, &part).unwrap();
                all.extend(part);
            }
            filled.complete(&file).unwrap();
            prop_assert_eq!(filled.bytes(), all.len() as u64);
            prop_assert!(std::fs::read(file.path()).unwrap() == all);
        }
    }

    #[test]
    fn what_is_refused_past_the_cache_goes_through_it() {
        let file = NamedTempFile::new().unwrap();
        let bytes = some_bytes(EDGE + 7);
        let mut block = Block::new();
        block.fill(&bytes);
        // A place that is no edge is refused, as some file systems refuse all.
        let mut at = At { past: opened(file.path()), cached: file.reopen().unwrap(), from: 1 };
        at.write(block.bytes()).unwrap();
        at.write(block.bytes()).unwrap();
        let there = std::fs::read(file.path()).unwrap();
        assert!(there == [&[0], bytes.as_slice(), &bytes].concat());
    }

    #[test]
    fn a_full_disk_is_told_with_the_next_bytes_or_at_the_end() {
        // Every write there says that the disk is full.
        let Ok(full) = File::options().write(true).open("/dev/full") else { return };
        let begun = Past::begin(Some(full.try_clone().unwrap()), &full, 0);
        let mut past = begun.unwrap().unwrap();
        let bytes = some_bytes(BLOCK);
        let told = (0..4 * BLOCKS).find_map(|_| past.take(&bytes).err());
        let told = told.unwrap_or_else(|| past.finish().unwrap_err());
        assert_eq!(told.kind(), io::ErrorKind::StorageFull, "{told}");
    }
}
