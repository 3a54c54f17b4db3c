//! Each kind of error about a file, provoked, and files found by patterns.

use std::fs;
use std::path::Path;

use granum_core::port::SourceErrorKind as Kind;
use granum_core::port::{
    InputSource, InputSpec, Outputs, ReadRequest, SourceError, Sources, Style, Written,
};
use granum_core::value::Type;

use crate::Files;

const KINDS: [Kind; 19] = [
    Kind::Json,
    Kind::Sheet,
    Kind::UnknownEncoding,
    Kind::Damaged,
    Kind::Missing,
    Kind::Directory,
    Kind::Empty,
    Kind::Encoding,
    Kind::Header,
    Kind::Columns,
    Kind::RowLength,
    Kind::OpenQuote,
    Kind::AfterQuote,
    Kind::LineEnds,
    Kind::RecordSize,
    Kind::Doubled,
    Kind::Format,
    Kind::Changed,
    Kind::System,
];

/// What stands in `t.csv`, and the sources that are asked for; `None` where a file of a few bytes
/// cannot provoke the kind.
fn provokes(kind: Kind) -> Option<(&'static [u8], &'static [&'static str])> {
    Some(match kind {
        Kind::Missing => (b"a\n", &["nothing_*.csv"]),
        Kind::Directory => (b"a\n", &["folder"]),
        Kind::Empty => (b"", &["t.csv"]),
        Kind::Encoding => (b"a\nx\xFFy\n", &["t.csv"]),
        Kind::Header => (b"a,b,a\n1,2,3\n", &["t.csv"]),
        Kind::Columns => (b"a,b\n1,2\n", &["t.csv", "other.csv"]),
        Kind::RowLength => (b"a,b\n1,2\n1\n", &["t.csv"]),
        Kind::OpenQuote => (b"a,b\n1,\"2\n3,4\n", &["t.csv"]),
        Kind::AfterQuote => (b"a,b\n1,\"2\"x\n", &["t.csv"]),
        Kind::LineEnds => (b"a,b\r1,2\r3,4\r", &["t.csv"]),
        Kind::Doubled => (b"a\n1\n", &["t.csv", "./t.csv"]),
        Kind::Format => (b"a\n", &["t.csv", "cut.json"]),
        Kind::Json => (b"a\n", &["cut.json"]),
        Kind::UnknownEncoding => (b"a\n", &["t.csv"]),
        Kind::Damaged => (b"a\n", &["packed.gz"]),
        // A record of 256 MiB; a book of sheets or a database; a file that another process writes to; what the system
        // alone says.
        Kind::RecordSize | Kind::Changed | Kind::System | Kind::Sheet => return None,
        Kind::Table | Kind::Order | Kind::Locked => return None,
        Kind::Server | Kind::Access | Kind::Query | Kind::Spill => return None,
    })
}

fn spec(sources: &[&str]) -> InputSpec {
    InputSpec::of_files("t".into(), sources.iter().map(|&source| source.into()).collect())
}

/// Opens and reads all of some sources; gives the columns and how many rows there are.
fn read(folder: &Path, sources: &[&str]) -> Result<(Vec<String>, usize), SourceError> {
    read_as(folder, &spec(sources))
}

fn read_as(folder: &Path, spec: &InputSpec) -> Result<(Vec<String>, usize), SourceError> {
    let source: Box<dyn InputSource> = Files::new(folder).open(spec)?;
    let mut reader = source.read(ReadRequest::default())?;
    let mut rows = 0;
    loop {
        let parts = reader.next(3)?;
        if parts.is_empty() {
            let columns = source.shape().columns.into_iter().map(|(name, _)| name);
            return Ok((columns.collect(), rows));
        }
        for part in parts {
            rows += part.parse()?.rows;
        }
    }
}

#[test]
fn every_kind_of_error_is_provoked_and_says_where_and_what_to_do() {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir(dir.path().join("folder")).unwrap();
    fs::write(dir.path().join("other.csv"), "a\n1\n").unwrap();
    fs::write(dir.path().join("packed.gz"), "a\n1\n").unwrap();
    fs::write(dir.path().join("cut.json"), "[{\"a\":1}").unwrap();
    for kind in KINDS {
        let Some((bytes, sources)) = provokes(kind) else { continue };
        fs::write(dir.path().join("t.csv"), bytes).unwrap();
        let encoding = (kind == Kind::UnknownEncoding).then(|| "latin-99".to_owned());
        let error = read_as(
            dir.path(),
            &InputSpec { written: Written { encoding, ..Written::default() }, ..spec(sources) },
        )
        .unwrap_err();
        assert_eq!(error.kind, kind, "{error}");
        assert!(sources.contains(&error.file.as_str()), "{kind:?} blames {}", error.file);
        assert!(!error.help.is_empty() && !error.help.ends_with('.'), "{}", error.help);
        assert!(!error.message.ends_with('.'), "{}", error.message);
        assert!(error.to_string().starts_with(&error.file), "{error}");
    }
}

#[test]
fn patterns_find_files_in_the_order_of_their_paths() {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir_all(dir.path().join("data/older")).unwrap();
    for (name, text) in [
        ("data/b_2.csv", "a,c\n3,x\n"),
        ("data/b_1.csv", "a,c\n1,x\n2,y\n"),
        ("data/c.csv", "z\n1\n"),
        ("data/older/b_3.csv", "c,a\nx,4\n"),
        ("data/[x].csv", "a\n9\n"),
    ] {
        fs::write(dir.path().join(name), text).unwrap();
    }
    let found = |source: &str| read(dir.path(), &[source]).unwrap();
    let columns = vec!["a".to_owned(), "c".to_owned()];
    assert_eq!(found("data/b_*.csv"), (columns.clone(), 3));
    assert_eq!(found("data/b_?.csv"), (columns.clone(), 3));
    assert_eq!(found("data/b_[12].csv"), (columns.clone(), 3));
    assert_eq!(found("data/**/b_*.csv"), (columns, 4));
    // A file of that very name is meant before any pattern.
    assert_eq!(found("data/[x].csv"), (vec!["a".to_owned()], 1));
    let error = read(dir.path(), &["data/[.csv"]).unwrap_err();
    assert_eq!(error.kind, Kind::Missing);
    assert!(error.message.starts_with("is no pattern"), "{}", error.message);
}

#[test]
fn a_folder_s_own_name_is_no_pattern() {
    let dir = tempfile::tempdir().unwrap();
    let folder = dir.path().join("a[b]*");
    fs::create_dir(&folder).unwrap();
    fs::write(folder.join("t_1.csv"), "a\n1\n").unwrap();
    assert_eq!(read(&folder, &["t_*.csv"]).unwrap().1, 1);
}

#[test]
fn the_bytes_of_files_are_those_of_all_that_a_source_names() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("one.csv"), "a,b\n1,2\n").unwrap();
    fs::write(dir.path().join("two.csv"), "a,b\n").unwrap();
    let files = Files::new(dir.path());
    let bytes = ["one.csv", "*.csv", "none.csv", "x/*.csv", "-", "postgres://host/shop"];
    assert_eq!(bytes.map(|source| files.bytes_of(source)), [8, 12, 0, 0, 0, 0]);
}

#[test]
fn files_may_lack_columns_if_the_plan_says_so() {
    let dir = tempfile::tempdir().unwrap();
    fs::write(dir.path().join("one.csv"), "a,b\n1,2\n").unwrap();
    fs::write(dir.path().join("two.csv"), "c,a\nx,1\n").unwrap();
    let filling = InputSpec { filling_blanks: true, ..spec(&["one.csv", "two.csv"]) };
    let source = Files::new(dir.path()).open(&filling).unwrap();
    let names: Vec<String> = source.shape().columns.into_iter().map(|(name, _)| name).collect();
    assert_eq!(names, ["a", "b", "c"]);
    let error = read(dir.path(), &["one.csv", "two.csv"]).unwrap_err();
    assert_eq!(error.message, "has no column `c`, which another file of the same input has");
}

#[test]
fn an_output_replaces_no_file_that_was_opened_by_any_name() {
    let dir = tempfile::tempdir().unwrap();
    fs::create_dir(dir.path().join("data")).unwrap();
    fs::write(dir.path().join("data/t.csv"), "a\n1\n").unwrap();
    let files = Files::new(dir.path());
    files.open(&spec(&["data/t.csv"])).unwrap();
    let columns = [("a".to_owned(), Type::Integer)];
    for path in ["data/t.csv", "./data/../data/t.csv"] {
        let Err(error) = files.begin(path, &columns, &Style::default()) else {
            panic!("{path} was begun")
        };
        assert_eq!(error.to_string(), format!("{path}: an input is read from this file"));
    }
    let mut other = files.begin("data/u.csv", &columns, &Style::default()).unwrap();
    assert_eq!(other.complete().unwrap(), 2);
    other.publish().unwrap();
    other.settle();
    assert_eq!(fs::read_to_string(dir.path().join("data/u.csv")).unwrap(), "a\n");
}
