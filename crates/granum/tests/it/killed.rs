//! A run that is killed at any of its steps leaves all outputs old, or all new once the next run has been there.
#![cfg(target_os = "linux")]

use std::os::unix::process::ExitStatusExt;
use std::path::Path;

use super::folder::Folder;
use super::shim::shim;

const PLAN: &str = "\
param least integer = 0
input a from \"a.csv\"
table b from a
table c from a
check \"enough\" a: k >= least
output a to \"one/a.csv\"
output b to \"two/b.csv\"
output c to \"two/c.csv\"
";

const OUTPUTS: [&str; 3] = ["one/a.csv", "two/b.csv", "two/c.csv"];

/// Puts everything as it was before.
fn reset(folder: &Folder) {
    folder.plan(PLAN).file("a.csv", "k\n1\n2\n");
    for name in OUTPUTS {
        folder.file(name, "old\n");
    }
}

/// Runs the plan until its Nth step; gives whether it came through.
pub fn killed_at(folder: &Folder, shim: &Path, step: usize) -> bool {
    let mut command = folder.command(&["run", "p.granum", "--threads", "1"]);
    command.env("LD_PRELOAD", shim).env("KILL_AT", step.to_string());
    let status = command.output().unwrap().status;
    assert!(status.signal() == Some(9) || status.success(), "{status:?}");
    status.success()
}

#[test]
fn all_old_or_all_new_whatever_step_a_run_is_killed_at() {
    let (folder, tools) = (Folder::new(), Folder::new());
    let shim = shim(&tools);
    let (mut old, mut new, mut told) = (0, 0, 0);
    for step in 1.. {
        assert!(step < 300, "it never comes through");
        reset(&folder);
        if killed_at(&folder, &shim, step) {
            break;
        }
        // What only looks leaves all as it stands, and tells what waits.
        let before: Vec<String> = OUTPUTS.iter().map(|name| folder.read(name)).collect();
        let check = folder.granum(&["check", "p.granum", "-q"]).code(0);
        let waits = check.err.contains("A run was killed while it put its outputs in their places");
        assert_eq!(before, OUTPUTS.map(|name| folder.read(name)), "step {step}");
        // A run that writes nothing itself finishes what the killed one had decided.
        let next = folder.granum(&["run", "p.granum", "-q", "--set", "least=9"]).code(1);
        let texts = OUTPUTS.map(|name| folder.read(name));
        let all = |text: &str| texts.iter().all(|own| own == text);
        assert!(all("old\n") || all("k\n1\n2\n"), "step {step}: {texts:?}");
        let finished = next.err.contains("That is finished: ");
        assert!(!finished || all("k\n1\n2\n"), "step {step}");
        assert!(!waits || finished, "step {step}: told, and not finished");
        told += usize::from(waits);
        let left: Vec<String> =
            folder.names().into_iter().filter(|name| name.contains(".granum-")).collect();
        assert!(left.is_empty(), "step {step}: {left:?}");
        if all("old\n") { old += 1 } else { new += 1 }
    }
    assert!(old > 5 && new > 5 && told > 2, "{old} {new} {told}");
}

#[test]
fn a_place_that_another_run_writes_to_is_refused() {
    let (folder, tools) = (Folder::new(), Folder::new());
    reset(&folder);
    // A killed run leaves its locks, which nobody holds; here somebody does again.
    let left = |name: &String| name.starts_with("one/") && name.ends_with("-lock");
    let shim = shim(&tools);
    let found = (1..9).find_map(|step| {
        assert!(!killed_at(&folder, &shim, step));
        folder.names().into_iter().find(left)
    });
    let lock = std::fs::File::open(folder.path().join(found.unwrap())).unwrap();
    lock.lock().unwrap();
    folder
        .granum(&["run", "p.granum"])
        .code(3)
        .complains("one/a.csv: another run is writing this file")
        .complains("wait until that run has ended");
    assert_eq!(OUTPUTS.map(|name| folder.read(name)), ["old\n"; 3]);
    drop(lock);
    folder.granum(&["run", "p.granum"]).code(0);
    assert_eq!(folder.read("one/a.csv"), "k\n1\n2\n");
    assert!(!folder.names().iter().any(|name| name.contains(".granum-")));
}

#[test]
fn all_old_or_all_new_also_in_a_database_that_is_there() {
    const PLAN: &str = "\
param least integer = 0
input a from \"a.csv\"
table b from a
check \"enough\" a: k >= least
output a to \"one/a.csv\"
output b to \"two/b.db\"
";
    let (folder, tools) = (Folder::new(), Folder::new());
    let shim = shim(&tools);
    let (mut old, mut new) = (0, 0);
    for step in 1.. {
        assert!(step < 300, "it never comes through");
        folder.plan(PLAN).file("a.csv", "k\n1\n2\n").file("one/a.csv", "old\n");
        let database = folder.path().join("two/b.db");
        std::fs::create_dir_all(database.parent().unwrap()).unwrap();
        let _ = std::fs::remove_file(&database);
        let own = rusqlite::Connection::open(&database).unwrap();
        own.execute_batch("CREATE TABLE b (k); INSERT INTO b VALUES (7)").unwrap();
        drop(own);
        if killed_at(&folder, &shim, step) {
            break;
        }
        let next = folder.granum(&["run", "p.granum", "-q", "--set", "least=9"]).code(1);
        let own = rusqlite::Connection::open(&database).unwrap();
        let rows: String =
            own.query_row("SELECT group_concat(k) FROM b", [], |row| row.get(0)).unwrap();
        let is_new = folder.read("one/a.csv") != "old\n";
        assert_eq!(rows, if is_new { "1,2" } else { "7" }, "step {step}: {}", next.err);
        let left: Vec<String> =
            folder.names().into_iter().filter(|name| name.contains(".granum-")).collect();
        assert!(left.is_empty(), "step {step}: {left:?}");
        if is_new { new += 1 } else { old += 1 }
    }
    assert!(old > 5 && new > 5, "{old} {new}");
}
