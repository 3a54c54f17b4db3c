//! What is held is put away where memory has no room for it: tables between works, and rows that come together while
//! they come.

use std::collections::HashMap;

use super::leaf::Collected;
use crate::expr::World;
use crate::table::{Away, Batch, Held, Room, Rows, Table};

/// Puts finished tables away, those that hold most first, until they take half of the room: the other half is for what
/// is made next. Where rows lead, and where they came from, goes as well where that takes a quarter by itself.
pub(super) fn make_room(world: &mut World, room: &Room) {
    let tables = &mut world.tables;
    loop {
        let held: Vec<u64> = tables.iter().map(|table| table.as_ref().map_or(0, held)).collect();
        let all: u64 = held.iter().sum();
        match (0..tables.len()).max_by_key(|at| held[*at]) {
            Some(most) if all > room.limit() / 2 => put_away(tables, most, room),
            _ => break room.note_held(all),
        }
    }
    let mut rows: HashMap<usize, u64> = HashMap::new();
    each_rows(world, |own| {
        if let Some(address) = own.address() {
            rows.insert(address, own.bytes_held() as u64);
        }
    });
    if rows.values().sum::<u64>() > room.limit() / 4 {
        put_rows(world, room);
    }
}

/// All that says where rows lead, where they came from, and which are seen.
fn each_rows(world: &mut World, mut each: impl FnMut(&mut Rows)) {
    world.links.iter_mut().flatten().for_each(&mut each);
    for table in world.tables.iter_mut().flatten() {
        table.origins.iter_mut().for_each(|(_, rows)| each(rows));
        for held in table.columns.iter_mut().flatten() {
            if let Held::Seen { rows, .. } | Held::Away { rows, .. } = held {
                each(rows);
            }
        }
    }
}

/// Puts all of that away which is held, each once.
fn put_rows(world: &mut World, room: &Room) {
    let file = room.file();
    // As they were, and away.
    let mut gone: Vec<(Rows, Rows)> = vec![];
    each_rows(world, |rows| {
        if rows.address().is_none() {
            return;
        }
        if let Some((_, away)) = gone.iter().find(|(here, _)| here.is_same(rows)) {
            *rows = away.clone();
            return;
        }
        let away = rows.away(&file);
        gone.push((std::mem::replace(rows, away.clone()), away));
    });
}

/// The bytes that a table's own columns hold in memory, about.
pub(super) fn held(table: &Table) -> u64 {
    let bytes = |held: &Held| match held {
        Held::Own(column) => column.bytes_held() as u64,
        Held::Seen { .. } | Held::Away { .. } => 0,
    };
    table.columns.iter().flatten().map(bytes).sum()
}

/// Puts a table's columns away, and with them the same columns wherever they are seen.
fn put_away(tables: &mut [Option<Table>], at: usize, room: &Room) {
    let Some(table) = &tables[at] else { return };
    let mut gone: HashMap<(usize, usize), Away> = HashMap::new();
    let file = room.file();
    for held in table.columns.iter().flatten() {
        if let Held::Own(column) = held {
            gone.entry(column.address()).or_insert_with(|| Away::put(column, &file));
        }
    }
    for (of, table) in tables.iter_mut().enumerate() {
        for held in table.iter_mut().flat_map(|table| table.columns.iter_mut().flatten()) {
            match held {
                Held::Own(column) if of == at => {
                    if let Some(away) = gone.get(&column.address()) {
                        *held = Held::away(away.clone());
                    }
                }
                Held::Seen { column, rows } => {
                    if let Some(away) = gone.get(&column.address()) {
                        *held = Held::Away { column: away.clone(), rows: rows.clone() };
                    }
                }
                Held::Own(_) | Held::Away { .. } => {}
            }
        }
    }
}

/// How many rows are here together at most, about: a row of one column takes no less than this in bytes.
pub(super) fn rows_together(room: &Room) -> usize {
    const LEAST: u64 = 16;
    (room.limit() / LEAST) as usize
}

/// Rows that a step has made go away where they have no room beside what is held.
pub(super) fn put_rows_away(room: &Room, tables: &[Option<Table>], rows: &mut Batch) {
    let all = tables.iter().flatten().map(held).sum::<u64>() + rows.bytes_held() as u64;
    if all > room.limit() {
        rows.put_away(&room.file());
    }
}

/// Rows that come together go away where they have no room beside what is `held`, those that hold most first.
pub(super) fn keep_within(room: &Room, held: u64, collected: &mut [Collected<'_>]) {
    loop {
        let bytes: Vec<u64> = collected.iter().map(Collected::bytes_held).collect();
        let all = held + bytes.iter().sum::<u64>();
        match (0..bytes.len()).max_by_key(|at| bytes[*at]).filter(|at| bytes[*at] > 0) {
            Some(most) if all > room.limit() => collected[most].put_away(room),
            _ => return room.note_held(all),
        }
    }
}

/// Columns of rows that come together go over to where there is more place, now and then: those go away for which there is no
/// room beside what is `held` until they have.
pub(super) fn make_way(room: &Room, held: u64, collected: &mut [Collected<'_>]) {
    let all = held + collected.iter().map(Collected::bytes_held).sum::<u64>();
    let left = room.limit().saturating_sub(all);
    collected.iter_mut().fold(left, |left, collected| collected.make_way(room, left));
}
