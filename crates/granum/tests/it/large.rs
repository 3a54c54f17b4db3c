//! Tables of more rows than are held in one piece: all comes out as plain work over the same rows has it.

use std::collections::BTreeMap;
use std::fmt::Write;

use super::folder::{Folder, zstandard};

const PLAN: &str = "\
input trips from \"trips.csv\"
  read fee as decimal(2)
  dedupe
  grain trip_no
  track fee
input boats from \"boats.csv\"
  grain boat
link trips to boats on upper(boat) = boat at least 80%
table told from trips
  keep has(boats)
  add harbour = boats.harbour
  sort harbour, trip_no
table skippers from trips
  one row per skipper
    trips = rows()
    fee   = sum(fee)
table of_boats from boats
  add trips = rows(trips), fee = sum(trips.fee)
output told to \"told.csv\"
output skippers to \"skippers.csv\"
output of_boats to \"of_boats.csv\"
";

/// More than two pieces.
const TRIPS: usize = 150_000;

struct Trip {
    number: String,
    boat: usize,
    skipper: String,
    note: Option<usize>,
    cents: usize,
}

fn trips() -> impl Iterator<Item = Trip> {
    (0..TRIPS).map(|at| Trip {
        number: format!("T{at:06}"),
        // In the middle a stretch of boats that no other row has.
        boat: if (70_000..71_000).contains(&at) { 8 } else { at * 7 % 8 },
        skipper: format!("the skipper with the number {}", at * at % 311),
        note: (at % 5 == 0).then_some(at),
        cents: at * 37 % 1000,
    })
}

fn harbour(boat: usize) -> String {
    format!("{} harbour, behind the mole", ["Upper", "Lower", "Outer"][boat % 3])
}

fn money(cents: usize) -> String {
    format!("{}.{:02}", cents / 100, cents % 100)
}

#[test]
fn tables_of_several_pieces_are_worked_as_small_ones_are() {
    let folder = Folder::new();
    let mut files = ["trip_no,boat,skipper,note,fee\n".to_owned(), "boat,harbour\n".to_owned()];
    let mut told: Vec<(String, String)> = vec![];
    let mut skippers: Vec<(String, usize, usize)> = vec![];
    let mut known: BTreeMap<String, usize> = BTreeMap::new();
    let mut boats = [(0, 0); 8];
    for (at, trip) in trips().enumerate() {
        let Trip { number, boat, skipper, note, cents } = trip;
        let note = note.map_or_else(String::new, |note| format!("note {note} of a trip"));
        let line = format!("{number},b{boat},{skipper},{note},{}\n", money(cents));
        // Now and then a line stands there twice.
        (0..=usize::from(at % 999 == 5)).for_each(|_| files[0].push_str(&line));
        if boat < 8 {
            told.push((harbour(boat), line.trim_end().to_owned()));
            boats[boat] = (boats[boat].0 + 1, boats[boat].1 + cents);
        }
        let place = *known.entry(skipper.clone()).or_insert_with(|| {
            skippers.push((skipper, 0, 0));
            skippers.len() - 1
        });
        skippers[place].1 += 1;
        skippers[place].2 += cents;
    }
    let mut of_boats = "boat,harbour,trips,fee\n".to_owned();
    for (boat, (trips, cents)) in boats.iter().enumerate() {
        writeln!(files[1], "B{boat},\"{}\"", harbour(boat)).unwrap();
        writeln!(of_boats, "B{boat},\"{}\",{trips},{}", harbour(boat), money(*cents)).unwrap();
    }
    folder.file("trips.csv", &files[0]).file("boats.csv", &files[1]).plan(PLAN);
    folder.run().code(0);
    told.sort();
    let mut wanted = "trip_no,boat,skipper,note,fee,harbour\n".to_owned();
    for (harbour, line) in &told {
        writeln!(wanted, "{line},\"{harbour}\"").unwrap();
    }
    assert!(folder.read("told.csv") == wanted, "told.csv is other than it should be");
    let mut wanted = "skipper,trips,fee\n".to_owned();
    for (name, trips, cents) in &skippers {
        writeln!(wanted, "{name},{trips},{}", money(*cents)).unwrap();
    }
    assert_eq!(folder.read("skippers.csv"), wanted);
    assert_eq!(folder.read("of_boats.csv"), of_boats);

    // The same of packed files, of which the larger has several frames that are unpacked at a time.
    let bytes = files[0].as_bytes();
    let packed: Vec<u8> = bytes.chunks(bytes.len() / 5).flat_map(zstandard).collect();
    let from = PLAN.replace("trips.csv", "trips.csv.zst");
    let other = Folder::new();
    other.file("trips.csv.zst", &packed).file("boats.csv", &files[1]).plan(&from);
    other.run().code(0);
    assert!(other.read("told.csv") == folder.read("told.csv"), "packed is other than plain");
    other.file("trips.csv.zst", &packed[..packed.len() - 9]);
    other.run().code(3).complains("it ends before its data does");
}
