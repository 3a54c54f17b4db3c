//! How much columns may hold in memory, and where they go beyond that.

use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use super::kept::Kept;
use super::{Scratch, ScratchError, ScratchFile};
use crate::table::Column;

/// Blocks that were got last take one part in so many of the room.
const KEPT: u64 = 4;

/// The room that a run's columns have in memory, and the files that they go to beyond it. Copies are the same room.
#[derive(Clone)]
pub struct Room {
    /// Bytes.
    limit: u64,
    files: Arc<Files>,
}

struct Files {
    /// All that there is to work with, in bytes.
    budget: u64,
    scratch: Box<dyn Scratch>,
    /// The most bytes that were held at a time, as far as was looked.
    most: AtomicU64,
    /// Bytes that were put away.
    away: AtomicU64,
    /// Blocks that were got last.
    kept: Mutex<Kept>,
    /// Whether the files failed, and why, until it is told.
    fails: AtomicBool,
    failed: Mutex<Option<ScratchError>>,
}

impl std::fmt::Debug for Room {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "room for {} bytes", self.limit)
    }
}

impl Room {
    /// Room for so many bytes, and files for more.
    pub fn new(limit: u64, scratch: Box<dyn Scratch>) -> Self {
        Self::within(limit, limit, scratch)
    }

    /// The same within a budget: what columns may not hold of it is for what works on them.
    pub fn within(budget: u64, limit: u64, scratch: Box<dyn Scratch>) -> Self {
        let files = Arc::new(Files {
            budget,
            scratch,
            most: AtomicU64::new(0),
            away: AtomicU64::new(0),
            kept: Mutex::default(),
            fails: AtomicBool::new(false),
            failed: Mutex::new(None),
        });
        Self { limit, files }
    }

    /// The same room where so much of it is taken by something else.
    #[must_use]
    pub fn beside(&self, bytes: u64) -> Self {
        Self { limit: self.limit.saturating_sub(bytes), files: self.files.clone() }
    }

    fn kept(&self) -> MutexGuard<'_, Kept> {
        self.files.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// How many bytes there are to work with in all.
    pub fn budget(&self) -> u64 {
        self.files.budget
    }

    /// How many bytes columns may hold.
    pub fn limit(&self) -> u64 {
        self.limit
    }

    /// Notes that so many bytes are held.
    pub(crate) fn note_held(&self, bytes: u64) {
        self.files.most.fetch_max(bytes, Ordering::Relaxed);
    }

    /// The most bytes that columns held at a time once what had no room had been put away.
    pub fn most(&self) -> u64 {
        self.files.most.load(Ordering::Relaxed)
    }

    /// How many bytes were put away in all.
    pub fn put_away(&self) -> u64 {
        self.files.away.load(Ordering::Relaxed)
    }

    /// Why columns could not be put away or got again: what was made since has no meaning.
    pub fn failed(&self) -> Option<ScratchError> {
        if !self.files.fails.load(Ordering::Acquire) {
            return None;
        }
        self.files.failed.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    fn note(&self, error: ScratchError) {
        let mut failed = self.files.failed.lock().unwrap_or_else(PoisonError::into_inner);
        failed.get_or_insert(error);
        self.files.fails.store(true, Ordering::Release);
    }

    /// A file for columns that go together.
    pub(crate) fn file(&self) -> Arc<RoomFile> {
        let file = self.files.scratch.begin();
        let file = file.map_err(|error| self.note(error)).ok();
        // All files of a process have their own: what is kept of one must not be taken for another's.
        static FILES: AtomicU64 = AtomicU64::new(0);
        let number = FILES.fetch_add(1, Ordering::Relaxed);
        Arc::new(RoomFile { room: self.clone(), number, file })
    }
}

/// A file of a room. What goes wrong is noted there, and stops the run before anything comes of it.
pub(crate) struct RoomFile {
    room: Room,
    number: u64,
    /// Nothing where none could be begun.
    file: Option<Box<dyn ScratchFile>>,
}

impl std::fmt::Debug for RoomFile {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "a file of {:?}", self.room)
    }
}

impl RoomFile {
    /// The number of the file, which no other has.
    pub fn number(&self) -> u64 {
        self.number
    }

    /// Whose it is.
    pub fn room(&self) -> &Room {
        &self.room
    }

    /// Puts bytes away; gives where.
    pub fn put(&self, bytes: &[u8]) -> u64 {
        let Some(file) = &self.file else { return 0 };
        self.room.files.away.fetch_add(bytes.len() as u64, Ordering::Relaxed);
        file.put(bytes).unwrap_or_else(|error| {
            self.room.note(error);
            0
        })
    }

    /// Gets `length` bytes from a place; `None` where that failed.
    pub fn get(&self, from: u64, length: usize) -> Option<Vec<u8>> {
        if self.room.files.fails.load(Ordering::Acquire) {
            return None;
        }
        let mut bytes = vec![0; length];
        let got = self.file.as_ref()?.get(from, &mut bytes);
        got.map_err(|error| self.room.note(error)).ok()?;
        Some(bytes)
    }

    /// A block that was got before, by where its bytes begin, if it is still here.
    pub fn kept(&self, from: u64) -> Option<Column> {
        self.room.kept().get((self.number, from))
    }

    /// Keeps a block that was got, as long as it is looked at oftener than others of the room.
    pub fn keep(&self, from: u64, block: &Column) {
        self.room.kept().put((self.number, from), block, self.room.limit / KEPT);
    }

    /// Lets blocks go, if they are still here.
    pub fn forget(&self, blocks: impl Iterator<Item = u64>) {
        let mut kept = self.room.kept();
        blocks.for_each(|from| kept.forget((self.number, from)));
    }

    /// Notes that bytes are not what was put.
    pub fn not_as_put(&self) {
        self.room.note(ScratchError {
            folder: "what was put away".into(),
            message: "other bytes came back than were put there".into(),
            help: "nothing was written; see to that disk, or name another folder with --spill"
                .into(),
        });
    }
}
