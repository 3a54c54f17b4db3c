//! `--watch`: again whenever something changes, and what that changed.

use std::io::Read;
use std::process::{Child, Stdio};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use insta::assert_snapshot;

use super::folder::Folder;

/// A program that watches, and what it has said so far.
struct Watching {
    child: Child,
    said: Arc<Mutex<String>>,
    seen: usize,
}

fn reads(mut from: impl Read + Send + 'static, said: &Arc<Mutex<String>>) {
    let said = Arc::clone(said);
    std::thread::spawn(move || {
        let mut bytes = [0; 4096];
        while let Ok(count @ 1..) = from.read(&mut bytes) {
            said.lock().unwrap().push_str(&String::from_utf8_lossy(&bytes[..count]));
        }
    });
}

impl Watching {
    fn begin(folder: &Folder, args: &[&str]) -> Self {
        let mut command = folder.command(args);
        let mut child = command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        let said = Arc::default();
        reads(child.stdout.take().unwrap(), &said);
        reads(child.stderr.take().unwrap(), &said);
        Self { child, said, seen: 0 }
    }

    /// What it says up to a line that ends so.
    fn says(&mut self, end: &str) -> String {
        let begun = Instant::now();
        loop {
            let said = self.said.lock().unwrap()[self.seen..].to_owned();
            if let Some(at) = said.find(end) {
                let at = at + end.len();
                let line = said[at..].find('\n').map_or(said.len(), |rest| at + rest + 1);
                self.seen += line;
                return said[..line].to_owned();
            }
            assert!(begun.elapsed() < Duration::from_mins(1), "no {end} in\n{said}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }
}

impl Drop for Watching {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// The same without how long it took.
fn timeless(text: &str) -> String {
    let Some((before, after)) = text.split_once(" s, since ") else { return text.to_owned() };
    let start = before.rfind(", ").unwrap();
    format!("{}, TIME s, since {after}", &before[..start])
}

const PLAN: &str = "input a from \"a.csv\"\n  read v as integer\n  grain k\n  track v\n\
    input b from \"b*.csv\"\n  grain k\nlink a to b on k complete\n\
    check \"enough\": sum(a.v) > 2\noutput a to \"out.csv\"\n";

fn shop() -> Folder {
    let folder = Folder::new();
    folder.file("a.csv", "k,v\n1,2\n2,3\n").file("b1.csv", "k\n1\n2\n").plan(PLAN);
    folder
}

#[test]
fn a_run_is_done_again_when_a_file_changes_and_tells_what_that_changed() {
    let folder = shop();
    let mut watching = Watching::begin(&folder, &["run", "p.granum", "--watch"]);
    let first = watching.says("wrote out.csv");
    assert!(first.contains("HELD: 1 link and 1 check hold."), "{first}");
    folder.file("a.csv", "k,v\n1,1\n3,1\n");
    let second = timeless(&watching.says("--unmatched b"));
    assert_snapshot!(second + &watching.says("difference = 0"));
    // What is wrong with the plan is told, and waited for.
    folder.plan("input a from \"a.csv\"\n  grain z\n");
    assert!(watching.says("has no column called `z`").contains("error[unknown-name]"));
    folder.plan("input");
    assert!(watching.says("error[syntax]").contains("error[syntax]"));
    folder.file("a.csv", "k,v\n1,2\n2,3\n").plan(PLAN);
    let back = watching.says("wrote out.csv");
    assert!(back.contains("STOPPED \u{2192} HELD\n  gone: a \u{2192} b: 1 row of a"), "{back}");
    // A file that is new to a pattern is seen with the next change; so is one that is gone.
    std::fs::remove_file(folder.path().join("b1.csv")).unwrap();
    watching.says("b*.csv");
    folder.file("b1.csv", "k\n1\n2\n");
    watching.says("every number is as it was");
}

#[test]
fn what_cannot_be_watched_is_said() {
    let folder = shop();
    folder
        .granum(&["check", "p.granum", "--watch", "--format", "json"])
        .code(2)
        .complains("error: --watch is for people\n  leave --format json out, or run it once for each document\n");
    folder.granum(&["check", "no.granum", "--watch"]).code(3).complains("no.granum");
    folder
        .granum(&["check", "-e", "input a from \"-\"", "--watch"])
        .code(3)
        .complains("error: `a` cannot be watched\n  standard input comes once: name a file in its place, or leave --watch out\n");
}
