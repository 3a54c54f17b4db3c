//! What can be read only once, read as it comes: pipes, and standard input. A thread takes it into a temporary file, so
//! that whoever writes it does not wait for whoever reads; readers follow behind. Files are looked at before they are read, to
//! find types: so it is kept, but where it is known that nobody asks for it again.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError, mpsc};
use std::time::Duration;

use crate::spool::Spooled;
use crate::stream::{Bytes, Lost, Stream};

/// Of what is no file so many bytes are taken at most: input without an end ends there.
const MOST: u64 = 1 << 36;

/// So many bytes tell how something is packed.
const MARK: u64 = 4;

/// So many bytes are taken at a time.
const BLOCK: usize = 1 << 17;

/// What is kept of what nobody asks for again: so much behind who reads it, and about so much before.
const BEHIND: u64 = if cfg!(test) { 1 << 16 } else { 1 << 22 };
const AHEAD: u64 = if cfg!(test) { 1 << 18 } else { 1 << 25 };

/// Who reads may be busy, or wait for something that the same program writes: after so long more is taken all the same.
const TURN: Duration = Duration::from_millis(500);

/// After so long it is said what is waited for.
const PATIENCE: Duration = Duration::from_secs(1);

/// Bytes that come from a pipe, or from standard input.
#[derive(Debug)]
pub(crate) struct Coming {
    kept: Spooled,
    come: Arc<Come>,
}

/// How far the bytes of something have come.
#[derive(Debug, Default)]
struct Come {
    so_far: Mutex<SoFar>,
    /// Told when more has come, or has been read.
    moved: Condvar,
}

#[derive(Debug, Default)]
struct SoFar {
    bytes: u64,
    ended: bool,
    /// Why no more comes.
    wrong: Option<String>,
    /// Whether all are kept to the end.
    keeps: bool,
    /// Those before are kept no more.
    gone: u64,
    /// How far who reads for the last time has read; nothing where somebody may read again.
    last: Option<u64>,
}

impl Come {
    fn so_far(&self) -> MutexGuard<'_, SoFar> {
        self.so_far.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Whether a path is there and can be read only once.
pub(crate) fn reads_once(path: &Path) -> bool {
    std::fs::metadata(path).is_ok_and(|data| !data.is_file() && !data.is_dir())
}

impl Coming {
    /// What a path gives, from now on. `notice` is told if nothing begins to come for a while.
    ///
    /// # Errors
    /// What the system says, or that there is no end of it.
    pub fn from_path(path: &Path, notice: impl FnOnce() + Send + 'static) -> io::Result<Self> {
        if is_endless(path) {
            return Err(io::Error::other("is a device that gives bytes without an end"));
        }
        let (opened, waiting) = mpsc::channel::<()>();
        std::thread::spawn(move || {
            if waiting.recv_timeout(PATIENCE) == Err(mpsc::RecvTimeoutError::Timeout) {
                notice();
            }
        });
        // A pipe is opened when somebody begins to write to it.
        let file = File::open(path)?;
        drop(opened);
        // It has no name that could say that it is packed.
        let named = path.extension().is_some_and(|ending| ending == "gz" || ending == "zst");
        let ending =
            path.extension().filter(|_| named).map(|ending| format!(".{}", ending.display()));
        Self::begin(file, ending)
    }

    /// What standard input gives.
    ///
    /// # Errors
    /// What the system says.
    pub fn standard_input() -> io::Result<Self> {
        Self::begin(io::stdin(), None)
    }

    /// Begins to take what comes, as a file whose name ends so; else as its first bytes say.
    ///
    /// # Errors
    /// What the system says of it, and of a place for it.
    pub fn begin(mut from: impl Read + Send + 'static, ending: Option<String>) -> io::Result<Self> {
        let mut begin = vec![];
        from.by_ref().take(MARK).read_to_end(&mut begin)?;
        let ending = ending.as_deref().unwrap_or(if begin.starts_with(&[0x1F, 0x8B]) {
            ".gz"
        } else if begin == [0x28, 0xB5, 0x2F, 0xFD] {
            ".zst"
        } else {
            ""
        });
        let kept = Spooled::begin(ending)?;
        let come = Arc::new(Come::default());
        let (to, of) = (File::options().write(true).open(kept.path())?, come.clone());
        let from = io::Cursor::new(begin).chain(from);
        std::thread::Builder::new().name("taking what comes".into()).spawn(move || {
            let wrong = taken(from, to, &of).err();
            let mut so_far = of.so_far();
            so_far.wrong = wrong.map(|error| error.to_string());
            so_far.ended = true;
            of.moved.notify_all();
        })?;
        Ok(Self { kept, come })
    }

    /// Waits until all has come.
    ///
    /// # Errors
    /// Why it did not.
    pub fn whole(&self) -> io::Result<()> {
        let mut so_far = self.come.so_far();
        while !so_far.ended {
            so_far = self.come.moved.wait(so_far).unwrap_or_else(PoisonError::into_inner);
        }
        so_far.wrong.as_ref().map_or(Ok(()), |wrong| Err(io::Error::other(Lost(wrong.clone()))))
    }

    /// How many bytes there are, once all have come.
    pub fn bytes(&self) -> Option<u64> {
        let so_far = self.come.so_far();
        so_far.ended.then_some(so_far.bytes)
    }

    /// Several ask for it: all of it is kept.
    pub fn keep(&self) {
        self.come.so_far().keeps = true;
    }

    /// Whoever reads it from now on is the last: what has been read is kept no more.
    pub fn let_go(&self) {
        let mut so_far = self.come.so_far();
        if !so_far.keeps {
            so_far.last = so_far.last.or(Some(0));
        }
    }
}

impl Bytes for Coming {
    fn path(&self) -> &Path {
        self.kept.path()
    }

    fn read_from(&self, from: u64) -> io::Result<Stream> {
        // What is read for the last time is taken out of it.
        let mut file = File::options().read(true).write(true).open(self.path())?;
        file.seek(SeekFrom::Start(from))?;
        Ok(Box::new(Following { file, come: self.come.clone(), at: from }))
    }
}

/// Takes all that comes into a file.
fn taken(mut from: impl Read, mut to: File, come: &Arc<Come>) -> io::Result<()> {
    let mut block = vec![0; BLOCK];
    loop {
        let read = match from.read(&mut block) {
            Ok(0) => return Ok(()),
            Ok(read) => read,
            Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
            Err(error) => return Err(error),
        };
        to.write_all(&block[..read])?;
        let mut so_far = come.so_far();
        so_far.bytes += read as u64;
        come.moved.notify_all();
        if so_far.bytes > MOST {
            return Err(io::Error::other("does not end: more than 64 GiB came"));
        }
        while let Some(last) = so_far.last
            && so_far.bytes > last + AHEAD
        {
            let (now, waited) =
                come.moved.wait_timeout(so_far, TURN).unwrap_or_else(PoisonError::into_inner);
            so_far = now;
            if waited.timed_out() {
                break;
            }
        }
        if Arc::strong_count(come) == 1 {
            // Nobody is there any more.
            return Ok(());
        }
    }
}

/// Reads what has come, and waits for what comes.
struct Following {
    file: File,
    come: Arc<Come>,
    at: u64,
}

impl Read for Following {
    fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
        let mut so_far = self.come.so_far();
        if so_far.gone > self.at {
            return Err(io::Error::other(Lost("what came was not kept to be read again".into())));
        }
        if so_far.last.is_some() {
            so_far.last = Some(self.at);
            self.come.moved.notify_all();
        }
        while so_far.bytes <= self.at && !so_far.ended {
            so_far = self.come.moved.wait(so_far).unwrap_or_else(PoisonError::into_inner);
        }
        if so_far.bytes <= self.at {
            let wrong = so_far.wrong.as_ref();
            return wrong.map_or(Ok(0), |wrong| Err(io::Error::other(Lost(wrong.clone()))));
        }
        let there = usize::try_from(so_far.bytes - self.at).unwrap_or(usize::MAX).min(out.len());
        if so_far.last.is_some() && self.at >= so_far.gone + 2 * BEHIND {
            let to = self.at - BEHIND;
            if let_go(&self.file, so_far.gone, to - so_far.gone) {
                so_far.gone = to;
            } else {
                // Nothing can be taken out of a file there: all of it stays.
                so_far.last = None;
            }
        }
        drop(so_far);
        let read = self.file.read(&mut out[..there])?;
        self.at += read as u64;
        Ok(read)
    }
}

/// Gives the disk back what a part of a file has of it. False where that cannot be: then it stays.
#[cfg(target_os = "linux")]
fn let_go(file: &File, from: u64, bytes: u64) -> bool {
    use rustix::fs::{FallocateFlags, fallocate};
    fallocate(file, FallocateFlags::PUNCH_HOLE | FallocateFlags::KEEP_SIZE, from, bytes).is_ok()
}

#[cfg(not(target_os = "linux"))]
fn let_go(_: &File, _: u64, _: u64) -> bool {
    false
}

/// Devices that never end.
fn is_endless(path: &Path) -> bool {
    let real: PathBuf = path.canonicalize().unwrap_or_else(|_| path.to_owned());
    ["/dev/zero", "/dev/random", "/dev/urandom", "/dev/full"]
        .iter()
        .any(|known| real == Path::new(known))
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc::{Receiver, channel};

    use granum_core::port::{
        InputColumn, InputSource, InputSpec, PartReader, ReadRequest, ReadRule, SourceError,
    };
    use granum_core::value::Type;

    use super::*;
    use crate::csv::CsvSource;
    use crate::find::FoundFile;

    /// Rows that come when they are waited for.
    struct Rows {
        left: u32,
        /// Before the last it waits for a word.
        word: Option<Receiver<()>>,
        wrong: bool,
    }

    impl Read for Rows {
        fn read(&mut self, out: &mut [u8]) -> io::Result<usize> {
            self.left = self.left.saturating_sub(1);
            match self.left {
                0 if self.wrong => return Err(io::Error::other("the line is cut")),
                0 => return Ok(0),
                1 => self.word.iter().for_each(|word| {
                    word.recv_timeout(Duration::from_mins(1))
                        .expect("rows are read before the end");
                }),
                _ => {}
            }
            out[..8].copy_from_slice(b"1234;56\n");
            Ok(8)
        }
    }

    /// Those of a pipe, and what they are kept in.
    fn file(rows: Rows) -> (FoundFile, PathBuf) {
        let coming = Coming::begin(io::Cursor::new("a;b\n").chain(rows), None).unwrap();
        let path = coming.path().to_owned();
        let coming = Some(Arc::new(coming));
        (FoundFile { path: path.clone(), name: "t".into(), coming }, path)
    }

    fn source_of(files: &[FoundFile]) -> CsvSource {
        let mut spec = InputSpec::of_files("t".into(), vec!["-".into()]);
        spec.written.delimiter = Some(b';');
        CsvSource::open(&spec, files).unwrap()
    }

    fn source(rows: Rows) -> (CsvSource, PathBuf) {
        let (file, path) = file(rows);
        (source_of(&[file]), path)
    }

    fn reading(source: &CsvSource, last: bool) -> Box<dyn PartReader> {
        let rule = Some(ReadRule::plain(Type::Integer));
        let columns = vec![InputColumn { column: 1, ty: Type::Integer, rule }];
        source.read(ReadRequest { columns, last, ..ReadRequest::default() }).unwrap()
    }

    /// The rows of all parts that are left.
    fn rest(reader: &mut dyn PartReader) -> Result<usize, SourceError> {
        let mut rows = 0;
        loop {
            let parts = reader.next(1)?;
            let Some(part) = parts.first() else { return Ok(rows) };
            rows += part.parse()?.rows;
        }
    }

    #[test]
    fn rows_are_read_while_others_have_not_come_and_a_second_time() {
        let (go_on, word) = channel();
        let (source, _) = source(Rows { left: 300_000, word: Some(word), wrong: false });
        assert!(!source.settled(), "it was looked at before its end");
        let mut first = reading(&source, false);
        let begun =
            first.next(4).unwrap().iter().map(|part| part.parse().unwrap().rows).sum::<usize>();
        assert!(begun > 100_000);
        go_on.send(()).unwrap();
        assert_eq!(begun + rest(first.as_mut()).unwrap(), 299_999);
        assert_eq!(rest(reading(&source, false).as_mut()).unwrap(), 299_999);
    }

    #[test]
    fn what_ends_with_an_error_is_told_behind_its_rows() {
        let (source, _) = source(Rows { left: 300_000, word: None, wrong: true });
        let wrong = rest(reading(&source, false).as_mut()).unwrap_err();
        assert_eq!(wrong.message, "cannot be read: the line is cut");
    }

    #[test]
    fn what_is_read_later_comes_without_waiting_for_its_turn() {
        let (go_on, word) = channel();
        let first = Rows { left: 300_000, word: Some(word), wrong: false };
        let (first, _) = file(first);
        let (second, _) = file(Rows { left: 1_000_000, word: None, wrong: false });
        let later = second.coming.clone().unwrap();
        let mut reader = reading(&source_of(&[first, second]), true);
        assert_eq!(reader.next(1).unwrap().len(), 1);
        let (came, whole) = channel();
        std::thread::spawn(move || came.send(later.whole().is_ok()));
        assert_eq!(whole.recv_timeout(Duration::from_secs(10)), Ok(true));
        go_on.send(()).unwrap();
        rest(reader.as_mut()).unwrap();
    }

    #[cfg(target_os = "linux")]
    #[test]
    fn nothing_is_kept_of_what_nobody_reads_again() {
        use std::os::unix::fs::MetadataExt;
        let (source, path) = source(Rows { left: 1_000_000, word: None, wrong: false });
        assert_eq!(rest(reading(&source, true).as_mut()).unwrap(), 999_999);
        let kept = std::fs::metadata(path).unwrap().blocks() * 512;
        assert!(kept < 1 << 20, "{kept} bytes of 8 million are still there");
        let again = rest(reading(&source, true).as_mut()).unwrap_err();
        assert!(again.message.ends_with("was not kept to be read again"), "{}", again.message);
    }
}
