//! Runs a target for so many seconds over inputs that are changed at random, on stable Rust:
//! `bounded TARGET SECONDS SEED CORPUS…`. An input that panics, or takes longer than ten seconds, is written to
//! `fuzz/found/` and ends it.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// No input may take longer.
const HANGS: Duration = Duration::from_secs(10);

/// Inputs grow up to so many bytes.
const LONGEST: usize = 1 << 14;

/// Words that plans are made of.
const WORDS: [&str; 60] = [
    "input ", "table ", "link ", "check ", "example ", "output ", "from ", "to ", "on ", "as ", "by ", "per ",
    "keep ", "drop ", "add ", "change ", "dedupe ", "one row per ", "units of ", "split ", "top 1 by ", "sort ",
    "columns ", "rename ", "grain ", "track ", "allocate ", "equally ", "read ", "integer ", "decimal(2) ",
    "date ", "text ", "is blank ", "not ", "and ", "or ", "if ", "then ", "else ", "sum(", "rows()", "has(",
    "list(", "latest(", "round(", "month(", "add_months(", "pad_left(", ") ", "(", "\"0.csv\"", "\"", "\"\"\"\n",
    "99999999999999999999", "0.0000000001", "-1 ", "within ", "through ", "meeting ",
];

/// A source of chance that is the same for one seed.
struct Chance(u64);

impl Chance {
    fn next(&mut self, below: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % below.max(1) as u64) as usize
    }
}

fn changed(chance: &mut Chance, corpus: &[Vec<u8>]) -> Vec<u8> {
    let mut bytes = corpus[chance.next(corpus.len())].clone();
    for _ in 0..=chance.next(3) {
        let at = chance.next(bytes.len() + 1);
        match chance.next(7) {
            0 if at < bytes.len() => bytes[at] = chance.next(256) as u8,
            1 if at < bytes.len() => drop(bytes.remove(at)),
            2 => bytes.insert(at, [b',', b'"', b'\n', b'\r', 0, b' ', b'(', 0xff][chance.next(8)]),
            3 => drop(bytes.splice(at..at, WORDS[chance.next(WORDS.len())].bytes())),
            4 => {
                let end = (at + chance.next(80)).min(bytes.len());
                drop(bytes.drain(at..end));
            }
            5 => {
                let other = &corpus[chance.next(corpus.len())];
                let from = chance.next(other.len() + 1);
                let to = (from + chance.next(120)).min(other.len());
                drop(bytes.splice(at..at, other[from..to].iter().copied()));
            }
            _ => {
                let end = (at + chance.next(40)).min(bytes.len());
                let again = bytes[at..end].to_vec();
                drop(bytes.splice(at..at, again));
            }
        }
    }
    bytes.truncate(LONGEST);
    bytes
}

/// All files below some places.
fn corpus(places: &[String]) -> Vec<Vec<u8>> {
    let mut open: Vec<PathBuf> = places.iter().map(PathBuf::from).collect();
    let mut found = vec![];
    while let Some(path) = open.pop() {
        match fs::read_dir(&path) {
            Ok(entries) => open.extend(entries.flatten().map(|entry| entry.path())),
            Err(_) => found.extend(fs::read(&path).ok().filter(|bytes| bytes.len() < LONGEST)),
        }
    }
    found.sort();
    found
}

fn save(bytes: &[u8], why: &str, target: &str) {
    let folder = Path::new("fuzz/found");
    let _ = fs::create_dir_all(folder);
    let path = folder.join(format!("{target}-{why}"));
    let _ = fs::write(&path, bytes);
    eprintln!("{target}: {why}: written to {}", path.display());
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let [target, seconds, seed, places @ ..] = words.as_slice() else {
        eprintln!("bounded TARGET SECONDS SEED CORPUS\u{2026}");
        std::process::exit(2);
    };
    let run: fn(&[u8]) = match target.as_str() {
        "plan_text" => granum_fuzz::plan_text,
        "csv_parts" => granum_fuzz::csv_parts,
        "expressions" => granum_fuzz::expressions,
        "whole_check" => granum_fuzz::whole_check,
        other => {
            eprintln!("there is no target called {other}");
            std::process::exit(2);
        }
    };
    let mut chance = Chance(seed.parse::<u64>().unwrap_or(1).max(1).wrapping_mul(0x9e37_79b9_7f4a_7c15) | 1);
    let corpus = corpus(places);
    assert!(!corpus.is_empty(), "no file to begin with");
    let end = Instant::now() + Duration::from_secs(seconds.parse().unwrap_or(10));
    let running: Arc<Mutex<Option<(Instant, Vec<u8>)>>> = Arc::default();
    let (watched, name) = (running.clone(), target.clone());
    std::thread::spawn(move || loop {
        std::thread::sleep(Duration::from_millis(200));
        let known = watched.lock().expect("the watch");
        if let Some((begun, bytes)) = known.as_ref().filter(|(begun, _)| begun.elapsed() > HANGS) {
            save(bytes, "hang", &name);
            eprintln!("after {:?}", begun.elapsed());
            std::process::exit(1);
        }
    });
    let mut count = 0_u64;
    while Instant::now() < end {
        let bytes = changed(&mut chance, &corpus);
        *running.lock().expect("the watch") = Some((Instant::now(), bytes.clone()));
        let room = std::thread::Builder::new().stack_size(16 << 20);
        let own = bytes.clone();
        let done = room.spawn(move || run(&own)).expect("a thread").join();
        if done.is_err() {
            save(&bytes, "panic", target);
            std::process::exit(1);
        }
        count += 1;
    }
    let deep = granum_fuzz::DEEP.load(std::sync::atomic::Ordering::Relaxed);
    println!("{target}: {count} inputs, {deep} of them worked, nothing found");
}
