//! Which rows of files rows are made of, and what became of each row of a file: as a slow evaluator says
//! that follows its rows.

use super::super::memory::{Memory, Shelf};
use super::slow::{Made, World, cell};
use crate::engine::demand::{Purpose, Steps};
use crate::engine::inputs::Inputs;
use crate::engine::run::{Run, within, worked};
use crate::engine::trace::{Replay, became, gone, made_of};
use crate::engine::{Tracing, real_example};
use crate::lang::{PlanTree, parse};
use crate::port::Silent;
use crate::resolve::{Plan, Source};
use crate::table::{Room, TableId};

/// Follows all rows of all tables both ways.
pub fn check(files: &[(&str, String)], text: &str, world: &World) -> Result<(), String> {
    let files = files.iter().map(|(name, text)| ((*name).to_owned(), text.clone())).collect();
    let memory = Memory { files, part: 3 };
    let tree = parse(text).tree;
    let tables = world
        .tables
        .keys()
        .map(String::as_str)
        .filter(|name| text.contains(&format!("{name} from")));
    for (at, name) in tables.enumerate() {
        // Some with all the room that is needed, some with none.
        let room = (at + text.len()).is_multiple_of(2).then(|| Shelf::room(0, usize::MAX));
        let mut inputs = Inputs::open(&tree, &memory).unwrap();
        let wanted = |plan: &Plan| Ok(Purpose::Steps(Steps::From(table(plan, name))));
        let end = |run: Run<'_>, inputs: &Inputs| {
            let replay = Replay::new(run.context(), inputs);
            Ok(follow(&replay, run.plan, name, world))
        };
        let begin = within(room.as_ref());
        worked(&mut inputs, (&tree, &[]), &Silent, wanted, begin, end).unwrap()?;
        // Which rows are the first of all depends on others than those that an example has.
        let ranked = ["\n  top ", "\n  bottom "].iter().any(|step| text.contains(step));
        as_examples((&tree, room), &memory, (name, ranked), world)?;
    }
    Ok(())
}

/// An example of real rows comes out as they did, where nothing is left out of it; of ranked rows it is told otherwise.
fn as_examples(
    (tree, room): (&PlanTree, Option<Room>),
    memory: &Memory,
    (name, ranked): (&str, bool),
    world: &World,
) -> Result<(), String> {
    let rows = world.tables[name].as_ref().unwrap();
    for row in rows.rows.iter().take(2) {
        let named = rows.cols.iter().zip(row).map(|((name, _), value)| (name.clone(), cell(value)));
        let (keys, room) = (named.collect(), room.clone());
        let tracing = Tracing { table: name.into(), keys, line: None, room };
        let made = real_example(tree, &[], memory, (&tracing, true), &Silent);
        let made = made.map_err(|error| format!("{error:#?}"))?;
        // Rows by themselves may stop what all rows together do not.
        let none = made.text.is_none() && made.problems.is_empty();
        if none || !(made.cut || ranked || made.differs.is_empty()) {
            return Err(format!("the example of {row:?} of {name}: {made:#?}"));
        }
    }
    Ok(())
}

fn table(plan: &Plan, name: &str) -> TableId {
    TableId(plan.tables.iter().position(|table| table.name == name).unwrap())
}

fn follow(replay: &Replay<'_>, plan: &Plan, name: &str, world: &World) -> Result<(), String> {
    let id = table(plan, name);
    let own = &world.tables[name].as_ref().unwrap().made;
    let stages = replay.stages(id).unwrap().unwrap();
    for (row, expected) in own.iter().enumerate() {
        let mut found = Made::new();
        for followed in made_of(replay, (id, stages.end()), vec![row as u32]).unwrap() {
            let of = &plan.tables[followed.stages.table.0];
            if matches!(of.source, Source::Input(_)) {
                found.extend(followed.rows[0].iter().map(|row| (of.name.clone(), *row)));
            }
        }
        same(&found, expected, &format!("row {row} of {name} is made of"))?;
    }
    for (step, moved) in stages.moved.iter().enumerate() {
        let rows = 0..stages.count(step) as u32;
        let went: Vec<u32> =
            rows.clone().filter(|row| moved.forth(&[*row], rows.len()).is_empty()).collect();
        let told: Vec<u32> = gone(replay, &stages, step).iter().map(|gone| gone.row).collect();
        same(&told, &went, &format!("rows that step {step} of {name} takes out"))?;
    }
    if !matches!(plan.tables[id.0].source, Source::Input(_)) {
        return Ok(());
    }
    for row in 0..stages.count(0) as u32 {
        for followed in became(replay, (id, 0), vec![row]).unwrap() {
            let table = &plan.tables[followed.stages.table.0].name;
            let made = &world.tables[table].as_ref().unwrap().made;
            let of = (name.to_owned(), row);
            let expected = made.iter().enumerate().filter(|(_, made)| made.contains(&of));
            let expected: Vec<u32> = expected.map(|(row, _)| row as u32).collect();
            same(followed.last(), &expected, &format!("rows of {table} of row {row} of {name}"))?;
        }
    }
    Ok(())
}

fn same<T: PartialEq + std::fmt::Debug + ?Sized>(
    found: &T,
    expected: &T,
    what: &str,
) -> Result<(), String> {
    let wrong = || format!("{what}: {found:?}, should be {expected:?}");
    if found == expected { Ok(()) } else { Err(wrong()) }
}
