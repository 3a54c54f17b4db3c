//! The days of the nursery's year.

/// The days that the data cover: from 2025-07-01 to 2026-06-30.
pub(crate) const DAYS: u64 = 365;

const MONTHS: [(u64, u64, u64); 12] = [
    (2025, 7, 31),
    (2025, 8, 31),
    (2025, 9, 30),
    (2025, 10, 31),
    (2025, 11, 30),
    (2025, 12, 31),
    (2026, 1, 31),
    (2026, 2, 28),
    (2026, 3, 31),
    (2026, 4, 30),
    (2026, 5, 31),
    (2026, 6, 30),
];

/// Year, month and day of a day counted from the first.
pub(crate) fn civil(day: u64) -> (u64, u64, u64) {
    let mut rest = day % DAYS;
    for (year, month, days) in MONTHS {
        if rest < days {
            return (year, month, rest + 1);
        }
        rest -= days;
    }
    (2026, 6, 30)
}
