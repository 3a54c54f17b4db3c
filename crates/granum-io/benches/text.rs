//! Times what stands between a file of text and columns, both ways, over 300,000 rows: `cargo bench -p granum-io`.
//!
//! What stands behind each is bytes a second; `docs/performance.md` has the last figures.

use std::fmt::Write as _;
use std::path::Path;

use divan::Bencher;
use divan::counter::BytesCount;
use granum_core::port::{
    Encoded, InputColumn, InputSpec, Outputs, ReadRequest, ReadRule, Sources, Style,
};
use granum_core::table::Column;
use granum_core::value::{Scale, Type};
use granum_io::Files;

fn main() {
    divan::main();
}

const ROWS: usize = 300_000;

/// Order lines: three to an order, six columns.
fn lines(folder: &Path) -> u64 {
    let mut text = String::from("order_no,line_no,article_no,sold_on,quantity,net\n");
    for row in 0..ROWS {
        let (order, article) = (row / 3, row * 7919 % 1000);
        let (day, cents) = (1 + order % 28, row * 104_729 % 10_000);
        let _ = writeln!(
            text,
            "M{order:07},{},A{article:04},2026-03-{day:02},{},{}.{:02}",
            row % 3 + 1,
            1 + row % 4,
            cents / 100,
            cents % 100
        );
    }
    // A bench that cannot write has nothing to time, and says so by stopping.
    assert!(
        std::fs::write(folder.join("lines.csv"), &text).is_ok(),
        "no room for the bench's file"
    );
    text.len() as u64
}

const COLUMNS: [(&str, Type); 6] = [
    ("order_no", Type::Text),
    ("line_no", Type::Integer),
    ("article_no", Type::Text),
    ("sold_on", Type::Date),
    ("quantity", Type::Integer),
    ("net", Type::Decimal(Scale(2))),
];

/// What is asked of the lines: some of their columns, in their types.
fn request(columns: impl Iterator<Item = usize>) -> ReadRequest {
    let column = |column: usize| {
        let ty = COLUMNS[column].1;
        InputColumn { column, ty, rule: Some(ReadRule::plain(ty)) }
    };
    ReadRequest { columns: columns.map(column).collect(), ..ReadRequest::default() }
}

/// Reads a file part by part, on this thread; gives the columns of each part.
fn read(folder: &Path, request: &ReadRequest) -> Vec<Vec<Column>> {
    let files = Files::new(folder);
    let spec = InputSpec::of_files("lines".into(), vec!["lines.csv".into()]);
    let parts = files.open(&spec).and_then(|source| {
        let mut reader = source.read(request.clone())?;
        let mut all = vec![];
        loop {
            let parts = reader.next(4)?;
            if parts.is_empty() {
                return Ok(all);
            }
            for part in parts {
                all.push(part.parse()?.columns);
            }
        }
    });
    parts.unwrap_or_else(|error| panic!("{error}"))
}

/// Rows taken apart, and nothing made of them.
#[divan::bench]
fn scanned(bencher: Bencher) {
    timed(bencher, request(std::iter::empty()));
}

#[divan::bench]
fn one_column_of_texts(bencher: Bencher) {
    timed(bencher, request(2..3));
}

#[divan::bench]
fn one_column_of_amounts(bencher: Bencher) {
    timed(bencher, request(5..6));
}

#[divan::bench]
fn all_columns(bencher: Bencher) {
    timed(bencher, request(0..6));
}

/// All columns, and a fingerprint of each row for a `dedupe`.
#[divan::bench]
fn all_columns_and_fingerprints(bencher: Bencher) {
    timed(bencher, ReadRequest { fingerprints: vec![(0..6).collect()], ..request(0..6) });
}

fn timed(bencher: Bencher, request: ReadRequest) {
    let folder = tempfile::tempdir().unwrap_or_else(|error| panic!("{error}"));
    let bytes = lines(folder.path());
    bencher.counter(BytesCount::new(bytes)).bench(|| read(folder.path(), &request));
}

/// Columns as lines of text; the bytes are those that are made.
#[divan::bench]
fn encoded(bencher: Bencher) {
    let folder = tempfile::tempdir().unwrap_or_else(|error| panic!("{error}"));
    lines(folder.path());
    let parts = read(folder.path(), &request(0..6));
    let files = Files::new(folder.path());
    let columns = COLUMNS.map(|(name, ty)| (name.to_owned(), ty));
    let output = files.begin("out.csv", &columns, &Style::default());
    let encoder = output.unwrap_or_else(|error| panic!("{error}")).encoder();
    let encode = || {
        let bytes = parts.iter().map(|part| match encoder.encode(part, part[0].len()) {
            Encoded::Bytes(bytes) => bytes.len(),
            Encoded::Rows(_, rows) => rows,
        });
        bytes.sum::<usize>()
    };
    bencher.counter(BytesCount::new(encode())).bench(encode);
}
