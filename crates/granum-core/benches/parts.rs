//! Times the parts of a run by themselves, over a million rows in memory: `cargo bench -p granum-core`.
//!
//! What stands behind each is rows a second; `docs/performance.md` has the last figures.

use std::sync::Mutex;

use divan::counter::ItemsCount;
use divan::{Bencher, black_box};
use granum_core::parts::{AwayColumn, KeyColumns, grouped, led_by_period, units};
use granum_core::table::{Column, Room, Rows, Scratch, ScratchError, ScratchFile};
use granum_core::value::Scale;

fn main() {
    divan::main();
}

/// Rows that each part is timed over.
const ROWS: usize = 1 << 20;

/// Numbers below `below` in no order, the same in each call.
fn mixed(below: usize) -> impl Iterator<Item = usize> {
    let mut state = 88_172_645_463_325_252_u64;
    (0..ROWS).map(move |_| {
        // Marsaglia's xorshift.
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state as usize % below
    })
}

/// Codes of so many things.
fn codes(numbers: impl Iterator<Item = usize>) -> Column {
    Column::Text(numbers.map(|number| Some(format!("M{number:07}"))).collect())
}

fn integers(numbers: impl Iterator<Item = usize>) -> Column {
    Column::Integer(numbers.map(|number| Some(number as i64)).collect())
}

fn days(numbers: impl Iterator<Item = usize>) -> Column {
    Column::Date(numbers.map(|number| Some(18_000 + number as i32)).collect())
}

fn amounts() -> Column {
    let units = mixed(100_000).map(|units| units as i128).collect();
    Column::decimal(units, None, Scale(2))
}

#[divan::bench]
fn key_table_of_texts_in_order(bencher: Bencher) {
    let keys = KeyColumns::new(vec![codes(0..ROWS)]);
    bencher.counter(ItemsCount::new(ROWS)).bench(|| keys.repeated());
}

#[divan::bench]
fn key_table_of_texts_in_no_order(bencher: Bencher) {
    let keys = KeyColumns::new(vec![codes(mixed(ROWS))]);
    bencher.counter(ItemsCount::new(ROWS)).bench(|| keys.repeated());
}

#[divan::bench]
fn key_table_of_two_columns(bencher: Bencher) {
    let keys = [codes((0..ROWS).map(|row| row / 3)), integers((0..ROWS).map(|row| row % 3))];
    let keys = KeyColumns::new(keys.to_vec());
    bencher.counter(ItemsCount::new(ROWS)).bench(|| keys.repeated());
}

#[divan::bench(args = [1_000, 300_000])]
fn link_in_no_order(bencher: Bencher, targets: usize) {
    let to = KeyColumns::new(vec![codes(0..targets)]);
    let (to, from) = (to.target(), KeyColumns::new(vec![codes(mixed(targets))]));
    bencher.counter(ItemsCount::new(ROWS)).bench(|| to.led(&from));
}

#[divan::bench]
fn link_in_order(bencher: Bencher) {
    let to = KeyColumns::new(vec![codes(0..ROWS / 3)]);
    let from = KeyColumns::new(vec![codes((0..ROWS).map(|row| row / 3))]);
    let to = to.target();
    bencher.counter(ItemsCount::new(ROWS)).bench(|| to.led(&from));
}

/// Five periods of a hundred days for each of so many articles.
#[divan::bench(args = [1_000, 100_000])]
fn link_by_period(bencher: Bencher, articles: usize) {
    let key = codes((0..5 * articles).map(|row| row / 5));
    let starts = days((0..5 * articles).map(|row| row % 5 * 100));
    let ends = days((0..5 * articles).map(|row| row % 5 * 100 + 99));
    let (of, day) = (codes(mixed(articles)), days(mixed(500)));
    bencher
        .counter(ItemsCount::new(ROWS))
        .bench(|| led_by_period(&of, &day, [&key, &starts, &ends]));
}

#[divan::bench(args = [12, 1_000, 300_000])]
fn groups(bencher: Bencher, groups: usize) {
    let (keys, amount) = ([codes(mixed(groups))], amounts());
    bencher.counter(ItemsCount::new(ROWS)).bench(|| grouped(&keys, &amount));
}

/// Rows that come out: two units a row in the mean, an amount divided, four columns repeated.
#[divan::bench]
fn units_of_a_quantity(bencher: Bencher) {
    let (quantity, amount) = (integers(mixed(3).map(|units| units + 1)), amounts());
    let more = [codes(0..ROWS), codes(mixed(1_000)), days(mixed(500)), codes(mixed(12))];
    let made = units(&quantity, &amount, &more);
    bencher.counter(ItemsCount::new(made)).bench(|| units(&quantity, &amount, &more));
}

/// A disk that takes no time.
#[derive(Default)]
struct Shelf(Mutex<Vec<u8>>);

impl Scratch for Shelf {
    fn begin(&self) -> Result<Box<dyn ScratchFile>, ScratchError> {
        Ok(Box::new(Self::default()))
    }
}

impl ScratchFile for Shelf {
    fn put(&self, bytes: &[u8]) -> Result<u64, ScratchError> {
        let mut all = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let from = all.len() as u64;
        all.extend_from_slice(bytes);
        Ok(from)
    }

    fn get(&self, from: u64, into: &mut [u8]) -> Result<(), ScratchError> {
        let all = self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        into.copy_from_slice(&all[from as usize..][..into.len()]);
        Ok(())
    }
}

fn room() -> Room {
    Room::new(0, Box::new(Shelf::default()))
}

#[divan::bench]
fn texts_put_away(bencher: Bencher) {
    let column = codes(mixed(300_000));
    bencher.counter(ItemsCount::new(ROWS)).bench(|| AwayColumn::put(&column, &room()));
}

#[divan::bench]
fn texts_got_again(bencher: Bencher) {
    let away = AwayColumn::put(&codes(mixed(300_000)), &room());
    bencher.counter(ItemsCount::new(ROWS)).bench(|| away.get());
}

#[divan::bench]
fn amounts_got_again(bencher: Bencher) {
    let away = AwayColumn::put(&amounts(), &room());
    bencher.counter(ItemsCount::new(ROWS)).bench(|| away.get());
}

/// Rows here and there, a batch at a time.
#[divan::bench]
fn texts_got_here_and_there(bencher: Bencher) {
    const BATCH: usize = 1 << 12;
    let away = AwayColumn::put(&codes(mixed(300_000)), &room());
    let rows: Rows = mixed(ROWS).take(BATCH).map(|row| Some(row as u32)).collect();
    bencher.counter(ItemsCount::new(BATCH)).bench(|| away.take(black_box(&rows)));
}
