//! Moments with an offset from UTC: by whose clock they may be meant, and how many rows that moves to another day.

use std::sync::LazyLock;

use super::seen::{Cells, Seen};
use crate::value::{Zone, day, split_offset};

/// Places whose clocks are tried, in this order.
const PLACES: &[&str] = &[
    "UTC",
    "Europe/Berlin",
    "America/New_York",
    "Europe/London",
    "Europe/Athens",
    "America/Chicago",
    "America/Denver",
    "America/Los_Angeles",
    "America/Sao_Paulo",
    "Asia/Kolkata",
    "Asia/Shanghai",
    "Asia/Tokyo",
    "Australia/Sydney",
];

static ZONES: LazyLock<Vec<Zone>> =
    LazyLock::new(|| PLACES.iter().filter_map(|name| Zone::named(name)).collect());

/// Moments with an offset.
#[derive(Debug, Default)]
pub(crate) struct Offsets {
    pub seen: Seen,
    places: Vec<Place>,
}

/// What the clock of a place makes of the moments.
#[derive(Debug, Clone, Copy, Default)]
struct Place {
    /// Rows whose offset is another than that place has.
    unlike: u64,
    /// Rows whose day there is another than the day that is written.
    moved: u64,
}

impl Offsets {
    /// Takes in a value, if it is a moment with an offset. Says whether it is.
    pub fn take(&mut self, value: &str, of: Cells, row: u32) -> bool {
        let Some((time, Some(offset))) = split_offset(value.as_bytes()) else { return false };
        let Some(written) = day::parse_iso_time(time) else { return false };
        self.seen.note(value, of, row);
        self.places.resize(ZONES.len(), Place::default());
        for (place, zone) in self.places.iter_mut().zip(ZONES.iter()) {
            let shown = zone.shown(written, offset).unwrap_or(written);
            place.unlike += if shown == written { 0 } else { of.rows };
            let moved = day::day_of(shown) != day::day_of(written);
            place.moved += if moved { of.rows } else { 0 };
        }
        true
    }

    /// The place whose clock nearly all of them are written by: its name and zone.
    pub fn zone(&self) -> Option<(&'static str, Zone)> {
        let at = (0..self.places.len()).min_by_key(|at| self.places[*at].unlike)?;
        Some((PLACES[at], ZONES[at].clone()))
    }

    /// How many rows are on another day by the clock of that place; where it is none in particular, also of some
    /// others.
    pub fn moved(&self) -> Vec<String> {
        let Some((name, _)) = self.zone() else { return vec![] };
        let told = |at: usize| format!("{} {}", PLACES[at], self.places[at].moved);
        let own = PLACES.iter().position(|place| *place == name).map(told);
        let others = if name == PLACES[0] { 1..3 } else { 0..0 };
        own.into_iter().chain(others.map(told)).collect()
    }
}
