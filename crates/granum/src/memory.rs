//! How much memory tables may take, and what is told of it.

#[cfg(target_os = "linux")]
mod group;
#[cfg(target_os = "linux")]
mod pages;

use std::path::Path;

use granum_core::table::{Room, Scratch, ScratchError, ScratchFile};
use granum_io::ScratchFolder;
use libmimalloc_sys::{mi_option_set, mi_option_t};
use serde::{Deserialize, Serialize};
use sysinfo::{MemoryRefreshKind, RefreshKind, System};

/// How much memory: so many bytes, or so many hundredths of what is free.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Size {
    Bytes(u64),
    Percent(u64),
}

/// So many hundredths of what is free are taken where nothing is said.
const UNLESS_SAID: Size = Size::Percent(75);

/// A size as it is typed.
///
/// # Errors
/// What is wrong with it.
pub fn size(text: &str) -> Result<Size, String> {
    let wrong = || "a size is like 512MB, 4GiB or 50%".to_owned();
    if let Some(percent) = text.strip_suffix('%') {
        let percent = percent.trim().parse().map_err(|_| wrong())?;
        return if percent <= 100 { Ok(Size::Percent(percent)) } else { Err(wrong()) };
    }
    // A number alone would be bytes, which hardly anybody means.
    if text.ends_with(|letter: char| letter.is_ascii_digit()) {
        return Err(wrong());
    }
    let bytes: bytesize::ByteSize = text.parse().map_err(|_| wrong())?;
    Ok(Size::Bytes(bytes.as_u64()))
}

/// What the program takes by itself, before there is a row: of less than four times this, a quarter.
const OWN: u64 = 16_000_000;

/// The room that tables have: half of what is said, or of what is free, without what the program takes by itself; the
/// other half is for what steps and links work with.
pub fn room(memory: Option<Size>, spill: Option<&Path>) -> Room {
    let all = match memory.unwrap_or(UNLESS_SAID) {
        Size::Bytes(bytes) => bytes,
        Size::Percent(percent) => free() / 100 * percent,
    };
    let tables = (all - OWN.min(all / 4)) / 2;
    Room::within(all, tables, Box::new(Sparing(ScratchFolder::new(spill))))
}

/// A folder for what memory has no room for: once the first of it goes there, no memory is kept back either.
struct Sparing(ScratchFolder);

impl Scratch for Sparing {
    fn begin(&self) -> Result<Box<dyn ScratchFile>, ScratchError> {
        give_back(0);
        #[cfg(target_os = "linux")]
        pages::large(0);
        self.0.begin()
    }
}

/// Memory that is let go is kept so many milliseconds for what comes next: whole seconds would be a twentieth quicker, and
/// take half as much again.
const KEPT: i64 = 15;

/// After so many allocations each thread looks for pages that nothing stands in any more: at ten times as many they grow
/// to a tenth of what little memory there may be, and nothing is quicker.
const LOOKS: i64 = 1_000;

/// From now on memory that is let go goes back to the system soon.
pub fn keep_little() {
    give_back(KEPT);
    set(GENERIC_COLLECT, LOOKS);
}

/// The same of what only looks at files, where there is plenty: a fourteenth quicker, for a quarter more memory.
const KEPT_OF_PLENTY: i64 = 200;

/// From so many bytes on there is plenty.
const PLENTY: u64 = 4_000_000_000;

/// From now on memory that is let go is kept for what comes next, if there is plenty of it, and comes from the system in
/// large pages where that has some.
pub fn keep_much(room: &Room) {
    keep(room, KEPT_OF_PLENTY, usize::MAX);
}

/// The same of what works a plan and writes nothing: about a twentieth quicker, for a tenth more memory. What it has
/// first is what it comes back to.
const KEPT_OF_SOME: i64 = 60;
const FIRST: usize = 160 << 20;

/// From so many bytes of inputs on that pays.
const MUCH_READ: u64 = 128 << 20;

/// Less of that, for what holds the tables of files of so many bytes as well.
pub fn keep_some(room: &Room, bytes: u64) {
    if bytes >= MUCH_READ {
        keep(room, KEPT_OF_SOME, FIRST);
    }
}

fn keep(room: &Room, milliseconds: i64, large: usize) {
    if room.budget() >= PLENTY {
        give_back(milliseconds);
        #[cfg(target_os = "linux")]
        pages::large(large);
    }
}

/// After how many milliseconds pages go back, and after how many allocations they are looked for: the numbers of those
/// options, for which the crate has no names.
const PURGE_DELAY: mi_option_t = 15;
const GENERIC_COLLECT: mi_option_t = 34;

fn give_back(milliseconds: i64) {
    set(PURGE_DELAY, milliseconds);
}

#[allow(unsafe_code)]
fn set(option: mi_option_t, number: i64) {
    // SAFETY: it sets a number that the allocator reads when it lets go of pages; any thread may.
    unsafe { mi_option_set(option, number as _) }
}

/// The bytes that the system leaves, or the control groups that the program is in.
fn free() -> u64 {
    let kind = RefreshKind::nothing().with_memory(MemoryRefreshKind::nothing().with_ram());
    let system = System::new_with_specifics(kind).available_memory();
    #[cfg(target_os = "linux")]
    let system = group::left().map_or(system, |left| system.min(left));
    system
}

/// The memory that a run used.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub struct Used {
    /// How many bytes there were to work with.
    pub budget: u64,
    /// The most that they held at a time.
    pub held: u64,
    /// What was put on a disk in all.
    pub on_disk: u64,
}

impl From<&Room> for Used {
    fn from(room: &Room) -> Self {
        Self { budget: room.budget(), held: room.most(), on_disk: room.put_away() }
    }
}

impl Used {
    /// The same in words.
    pub fn told(self) -> String {
        let size = |bytes: u64| bytesize::ByteSize::b(bytes).display().si();
        let beyond = match self.on_disk {
            0 => "nothing went to a disk".to_owned(),
            bytes => format!("{} went to a disk", size(bytes)),
        };
        let Self { budget, held, .. } = self;
        format!("memory: {} to work with, tables held up to {}, {beyond}", size(budget), size(held))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[allow(unsafe_code)]
    fn the_options_of_the_allocator_are_still_those_of_their_numbers() {
        for (option, unless_set) in [(PURGE_DELAY, 1_000), (GENERIC_COLLECT, 10_000)] {
            // SAFETY: it reads a number.
            let set = unsafe { libmimalloc_sys::mi_option_get(option) };
            assert_eq!(set, unless_set, "option {option} is another one now, or its default is");
        }
    }

    #[test]
    fn sizes_are_read_as_people_write_them() {
        assert_eq!(size("512MB"), Ok(Size::Bytes(512_000_000)));
        assert_eq!(size("1.5 GiB"), Ok(Size::Bytes(3 << 29)));
        assert_eq!(size("64k"), Ok(Size::Bytes(64_000)));
        assert_eq!(size("40%"), Ok(Size::Percent(40)));
        for wrong in ["", "512", "-1MB", "101%", "x%", "many", "4 potatoes"] {
            assert!(size(wrong).is_err(), "{wrong}");
        }
    }

    #[test]
    fn something_is_free() {
        assert!(free() > 1 << 20);
    }
}
