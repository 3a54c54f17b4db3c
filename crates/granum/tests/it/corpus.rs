//! Damaged plans and files, each with the message that it gives. They stand in `tests/corpus/`; the messages in
//! snapshots, to be read by whoever changes one.

use std::fs;
use std::path::{Path, PathBuf};

use super::folder::{Ran, shop};

/// The plan that damaged files are read by.
const READER: &str = "\
input a from \"damaged.csv\"
  read n as decimal(2)
       d as date
  grain k
table b from a
  add month = month(d)
output b to \"b.csv\"
";

/// The files of a folder of the corpus, by their names.
fn corpus(of: &str) -> Vec<PathBuf> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/corpus").join(of);
    let mut files: Vec<PathBuf> =
        fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()).collect();
    files.sort();
    files
}

/// What is said of one, without what only a run that comes through says.
fn message(name: &str, ran: &Ran) -> String {
    let verdict = ran.out.find("STOPPED").or_else(|| ran.out.find("HELD")).unwrap_or(0);
    let mut text = format!("== {name} ({})\n{}{}", ran.code, ran.err, &ran.out[verdict..]);
    // Long values are cut where they are shown; that is held here.
    assert!(text.lines().all(|line| line.chars().count() < 400), "{name}: a line is too long");
    assert!(ran.code != 4, "{name}: {}", ran.err);
    while text.ends_with('\n') {
        text.pop();
    }
    text + "\n\n"
}

#[test]
fn damaged_plans() {
    let mut told = String::new();
    let plans = corpus("plans");
    for path in &plans {
        let folder = shop();
        folder.file("p.granum", fs::read(path).unwrap());
        let ran = folder.granum(&["run", "p.granum", "-q"]);
        // The same as a document, which is held to the schema.
        folder.granum(&["check", "p.granum", "--format", "json"]).code(ran.code);
        told.push_str(&message(&path.file_stem().unwrap().to_string_lossy(), &ran));
    }
    insta::assert_snapshot!("damaged_plans", told);
    assert!(plans.len() > 100);
}

#[test]
fn damaged_files() {
    let mut told = String::new();
    let files = corpus("files");
    for path in &files {
        let folder = shop();
        folder.file("p.granum", READER).file("damaged.csv", fs::read(path).unwrap());
        let ran = folder.granum(&["run", "p.granum", "-q"]);
        folder.granum(&["check", "p.granum", "--format", "json"]).code(ran.code);
        assert_eq!(ran.code == 0, folder.exists("b.csv"), "{path:?}");
        told.push_str(&message(&path.file_stem().unwrap().to_string_lossy(), &ran));
    }
    insta::assert_snapshot!("damaged_files", told);
    assert!(files.len() > 60);
}

/// Commands that need no plan say what they can of each, and never more than an error.
#[test]
fn damaged_files_before_a_plan() {
    for path in corpus("files") {
        let folder = shop();
        folder.file("damaged.csv", fs::read(&path).unwrap());
        let commands: [&[&str]; 5] = [
            &["survey", "damaged.csv"],
            &["relate", "damaged.csv", "lines.csv"],
            &["draft", "damaged.csv", "lines.csv"],
            &["match", "damaged.csv", "lines.csv", "--on", "k=order_no"],
            &["compare", "damaged.csv", "lines.csv"],
        ];
        for command in commands {
            let ran = folder.granum(command);
            assert!([0, 1, 2, 3].contains(&ran.code), "{path:?} {command:?}: {}", ran.err);
            assert!(ran.code == 0 || !(ran.err.is_empty() && ran.out.is_empty()), "{path:?}");
        }
    }
}
