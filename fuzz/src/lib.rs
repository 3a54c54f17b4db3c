//! What is done with any bytes at all: no panic, no hang, no memory beyond a bound.

use std::fs;
use std::sync::atomic::{AtomicU64, Ordering};

use granum_core::engine::{Want, run};
use granum_core::lang::{format_plan, parse};
use granum_core::port::{InputSpec, Silent, Sources};
use granum_core::survey::{EXACT, survey};
use granum_io::Files;

/// How many inputs came through to the work itself.
pub static DEEP: AtomicU64 = AtomicU64::new(0);

fn deep() {
    DEEP.fetch_add(1, Ordering::Relaxed);
}

/// The lexer, the parser and the layout: what was laid out is laid out already, and means the same.
pub fn plan_text(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    let parsed = parse(text);
    if !parsed.diagnostics.is_empty() {
        return;
    }
    deep();
    let once = format_plan(text, &parsed);
    let again = parse(&once);
    assert!(again.diagnostics.is_empty(), "what was laid out is wrong:\n{once}\n{:?}", again.diagnostics);
    assert_eq!(format_plan(&once, &again), once, "what was laid out is laid out otherwise");
}

/// The splitter of CSV, and what is found of a file: whatever the bytes are. The first says how it is written.
pub fn csv_parts(data: &[u8]) {
    let Some((how, bytes)) = data.split_first() else { return };
    let folder = tempfile::tempdir().expect("a temporary folder");
    fs::write(folder.path().join("a.csv"), bytes).expect("a temporary file");
    let files = Files::new(folder.path());
    let mut spec = InputSpec::of_files("a".into(), vec!["a.csv".into()]);
    spec.written.delimiter = Some([b',', b';', b'\t', b'|'][usize::from(how % 4)]);
    spec.written.footer = (how / 4 % 4 == 3).then_some(1);
    let Ok(mut source) = files.open(&spec) else { return };
    if source.settle().is_ok() {
        deep();
        let _ = survey(source.as_ref(), vec!["a.csv".into()], EXACT, &Silent);
    }
}

/// Expressions, worked over rows of every type with blanks and extremes.
pub fn expressions(data: &[u8]) {
    let Ok(text) = std::str::from_utf8(data) else { return };
    if text.contains('\n') {
        return;
    }
    checked(&format!("{ROWS_PLAN}table t from a\n  add x = {text}\n  keep ({text}) is blank\n"), &[ROWS]);
}

/// A whole check of a plan and two files, parted by bytes of zero.
pub fn whole_check(data: &[u8]) {
    let mut parts = data.split(|byte| *byte == 0);
    let Some(Ok(plan)) = parts.next().map(std::str::from_utf8) else { return };
    let files: Vec<&[u8]> = parts.take(2).collect();
    checked(plan, &files);
}

const ROWS_PLAN: &str = "\
input a from \"0.csv\"
  read i as integer
       d as decimal(4)
       n as number
       day as date
       at as datetime
       t as text
       b as boolean
";

const ROWS: &[u8] = b"i,d,n,day,at,t,b\n\
    1,2.5000,0.1,2026-03-01,2026-03-01T08:00:00,fern,true\n\
    -9223372036854775808,-99999999999999999999999999999999.9999,-1e300,1583-01-01,9999-12-31T23:59:59, ,false\n\
    9223372036854775807,99999999999999999999999999999999.9999,1e300,9999-12-31,1583-01-01T00:00:00,\xc3\xbc,true\n\
    ,,,,,,\n\
    0,0.0000,0,2024-02-29,2024-02-29T00:00:00,\"a\"\"b\",\n";

/// Runs a plan over files called `0.csv`, `1.csv`. One that stops says so; nothing else may happen.
fn checked(plan: &str, files: &[&[u8]]) {
    let parsed = parse(plan);
    // What a plan names is read: none of it may stand outside the folder.
    if !parsed.diagnostics.is_empty() || plan.contains(['/', '\\', '*', '?', '[']) || plan.contains("\"-\"") {
        return;
    }
    let folder = tempfile::tempdir().expect("a temporary folder");
    for (at, bytes) in files.iter().enumerate() {
        fs::write(folder.path().join(format!("{at}.csv")), bytes).expect("a temporary file");
    }
    let sources = Files::new(folder.path());
    if run(&parsed.tree, &[], &sources, Want::Check, &Silent).is_ok() {
        deep();
    }
}
