//! Random plans over random rows, each worked by the engine, on one thread and on several and in
//! parts of several sizes, and by a slow evaluator that shares no code with it: outputs cell by cell,
//! rows and amounts of the tally, counts of the link, and why a plan stops.

mod apart;
mod generate;
mod model;
mod slow;
mod stories;

use std::collections::{BTreeMap, HashMap};

use proptest::prelude::*;
use proptest::test_runner::{Config, TestCaseError, TestRunner};

use self::generate::Tape;
use self::model::{Plan, Start, Table};
use self::slow::{Rows, V, World, cell, work};
use std::panic::AssertUnwindSafe;

use super::memory::{Shelf, run_texts_as, try_texts};
use crate::engine::Running;
use crate::lang::parse;
use crate::names::{Names, NotRenamed, Symbol};
use crate::table::{Amount, Room};
use crate::tally::{BridgeKind, Problem, Report, Seen};

/// What is expected of a plan: tables, or the problems that stop it.
fn expected(plan: &Plan) -> World {
    let mut world = work(plan);
    // Rows that reach the stack by both branches.
    let stacked = plan.tables.iter().find(|table| matches!(table.start, Start::Stack(_, false)));
    if let Some(table) = stacked {
        let kept = |name: &str| -> Vec<bool> {
            let Some(Ok(base)) = world.tables.get("t") else { return vec![] };
            let part = plan.tables.iter().find(|table| table.name == name).unwrap();
            slow::kept(base, &part.steps[0], &world)
        };
        let (p, q) = (kept("p"), kept("q"));
        if p.iter().zip(&q).any(|(p, q)| *p && *q) {
            world.tables.insert(table.name.clone(), Err("repeated-rows"));
        }
    }
    world
}

fn lines(rows: &Rows) -> String {
    let line = |row: &Vec<V>| row.iter().map(cell).collect::<Vec<_>>().join(",") + "\n";
    rows.rows.iter().chain(&rows.total).map(line).collect()
}

fn units(amount: &Amount) -> i128 {
    match amount {
        Amount::Exact { units, .. } => units.unwrap(),
        Amount::Float { .. } => panic!("no number is of floating point"),
    }
}

fn check_tally(
    table: &Table,
    rows: &Rows,
    report: &Report,
    text: &str,
) -> Result<(), TestCaseError> {
    let tally = report.table(&table.name).unwrap();
    let words =
        ["keep", "drop", "dedupe", "top", "bottom", "units", "allocate", "expand", "one row"];
    let told: Vec<_> = tally
        .steps
        .iter()
        .filter(|step| words.iter().any(|word| step.text.starts_with(word)))
        .collect();
    prop_assert_eq!(told.len(), rows.tally.len(), "steps of {}\n{}", table.name, text);
    for (told, (count, sums)) in told.iter().zip(&rows.tally) {
        prop_assert_eq!(told.rows, *count as u64, "{} of {}\n{}", &told.text, &table.name, text);
        for (name, sum) in sums {
            // An amount is told under the name that it ends with.
            let at = tally.tracked.iter().position(|tracked| tracked.name == *name);
            if let Some(amount) = at.and_then(|at| told.amounts[at]) {
                prop_assert_eq!(
                    units(&amount),
                    *sum,
                    "{} of {}\n{}",
                    &told.text,
                    &table.name,
                    text
                );
            }
        }
    }
    Ok(())
}

/// The table in which an amount is followed first, and what it is called there.
fn root(report: &Report, table: &str, amount: &str) -> (String, String) {
    let tally = report.table(table).unwrap();
    let tracked = tally.tracked.iter().find(|tracked| tracked.name == amount).unwrap();
    let base = report.table(&tally.begins_as).filter(|_| !tally.input);
    match (&tracked.base_name, base) {
        (Some(name), Some(base)) if base.tracked.iter().any(|own| own.name == *name) => {
            root(report, &base.name, name)
        }
        _ => (table.to_owned(), amount.to_owned()),
    }
}

/// Every bridge adds up to the output's total, in amounts and rows, and begins where it says; and what
/// a table begins with is what it is made from.
fn check_bridges(
    plan: &Plan,
    world: &World,
    report: &Report,
    text: &str,
) -> Result<(), TestCaseError> {
    for bridge in &report.bridges {
        let shown = || format!("{bridge:#?}\n{text}");
        let all = bridge.entries.iter().map(|entry| entry.amount).reduce(Amount::plus).unwrap();
        let rows: i64 = bridge.entries.iter().map(|entry| entry.rows).sum();
        prop_assert_eq!(rows, bridge.rows as i64, "{}", shown());
        let Some(total) = bridge.total else {
            prop_assert_eq!(bridge.entries.last().unwrap().kind, BridgeKind::Ends, "{}", shown());
            prop_assert!(all.is_zero(), "{}", shown());
            continue;
        };
        prop_assert!(all.minus(total).is_zero(), "{}", shown());
        let out = world.tables[&bridge.table].as_ref().unwrap();
        let sums = slow::sums(out);
        let (_, sum) = sums.iter().find(|(name, _)| *name == bridge.amount).unwrap();
        prop_assert_eq!(units(&total), *sum, "{}", shown());
        // An input's amount begins as it was read.
        let first = &bridge.entries[0];
        let file = plan.files.iter().find(|(name, _)| *name == first.table);
        let of_file = world.tables[&first.table].as_ref().map_or(&[][..], |rows| &rows.tracked);
        let own = ["y".to_owned()];
        if let (BridgeKind::Begins, Some((_, file)), "") = (first.kind, file, first.text.as_str())
            && of_file == own
            && root(report, &bridge.table, &bridge.amount) == (first.table.clone(), own[0].clone())
        {
            let cells = file.lines().skip(1).filter_map(|line| line.split(',').nth(2));
            let read = cells.map(|cell| cell.replace('.', "").parse().unwrap_or(0)).sum::<i128>();
            prop_assert_eq!(units(&first.amount), read, "{}", shown());
        }
    }
    let tracked = |report: &Report| {
        report
            .bridges
            .iter()
            .map(|bridge| (bridge.output.clone(), bridge.amount.clone()))
            .collect::<Vec<_>>()
    };
    for (name, rows) in &world.tables {
        for amount in rows.as_ref().map_or(&[][..], |rows| &rows.tracked) {
            let there = (format!("{name}.csv"), amount.clone());
            let file = ["o", "c", "e"].contains(&name.as_str());
            prop_assert!(
                file || tracked(report).contains(&there),
                "no bridge of {there:?}\n{text}"
            );
        }
    }
    for table in report.tables.iter().filter(|table| !table.input && table.parts.is_empty()) {
        let base = report.table(&table.begins_as).unwrap();
        for (at, tracked) in table.tracked.iter().enumerate() {
            let Some(name) = &tracked.base_name else { continue };
            // What is tracked here alone begins here.
            let from = base.tracked.iter().position(|known| known.name == *name);
            let Some(from) = from else { continue };
            let end = base.steps.last().map_or(&base.amounts, |step| &step.amounts)[from].unwrap();
            prop_assert!(table.amounts[at].unwrap().minus(end).is_zero(), "{}\n{text}", table.name);
        }
    }
    Ok(())
}

/// Two examples behind a plan, made of all of its rows: one that says what comes of them, and one that does
/// not.
fn with_examples(text: &str, plan: &Plan, world: &World, stops: &[&str]) -> String {
    let with = plan.files.iter().map(|(name, rows)| format!(" with {name} \"\"\"\n{rows}\"\"\""));
    let with: String = with.collect();
    let gives = |twice: bool| -> String {
        let made = plan.tables.iter().filter(|table| !matches!(table.start, Start::File));
        let given = made.map(|table| {
            let rows = world.tables[&table.name].as_ref().unwrap();
            let names: Vec<&str> = rows.cols.iter().map(|(name, _)| name.as_str()).collect();
            let text = lines(rows);
            let blank = ",".repeat(names.len() - 1);
            let first = text.lines().next().unwrap_or(&blank).to_owned() + "\n";
            let more = if twice { first } else { String::new() };
            format!(" gives {} \"\"\"\n{}\n{more}{text}\"\"\"", table.name, names.join(","))
        });
        given.collect()
    };
    let outcomes = match stops {
        [] => [gives(false), gives(true)],
        [kind, ..] => {
            let other = if *kind == "grain" { "units" } else { "grain" };
            [format!(" stops \"{kind}\""), format!(" stops \"{other}\"")]
        }
    };
    let example = |outcome: &String| format!("example \"all rows\"{with}{outcome}\n");
    outcomes.iter().fold(text.to_owned(), |text, outcome| text + &example(outcome))
}

fn check_examples(
    text: &str,
    plan: &Plan,
    world: &World,
    report: &Report,
) -> Result<(), TestCaseError> {
    let files: Vec<(&str, String)> =
        plan.files.iter().map(|(name, text)| (*name, text.clone())).collect();
    let kinds: Vec<&str> = report.problems.iter().map(Problem::kind).collect();
    let text = with_examples(text, plan, world, &kinds);
    let (told, written) = run_texts_as(&files, &text, 3, Running::default());
    let alike = kinds.iter().all(|kind| *kind == kinds[0]);
    let held = || told.examples.iter().map(|example| example.held).collect::<Vec<_>>();
    prop_assert_eq!(held(), [alike, false], "{}\n{:#?}", text, &told.examples);
    prop_assert!(written.is_empty() && !told.held(), "written though an example fails\n{text}");
    Ok(())
}

/// What is seen, cell by cell.
fn looked_at(seen: &Seen) -> String {
    let mut out = format!("{:?}\n", seen.months);
    for first in &seen.tables {
        out.push_str(&format!("{} {:?}\n", first.table, first.unused));
        for (name, column) in &first.columns {
            let cells: Vec<_> = (0..first.rows).map(|row| column.scalar(row)).collect();
            out.push_str(&format!("  {name} {cells:?}\n"));
        }
    }
    out
}

/// Runs a plan to be seen, with all room and with none: that changes no byte. Gives the kinds of its problems.
fn seen_of(
    files: &[(&str, String)],
    text: &str,
    written: &HashMap<String, String>,
) -> Result<Vec<&'static str>, TestCaseError> {
    let room = Shelf::room(0, usize::MAX);
    let ran = |part: usize, room: Option<&Room>| {
        run_texts_as(files, text, part, Running { seen: true, room, ..Running::default() })
    };
    let (report, again) = ran(2, None);
    prop_assert_eq!(written, &again, "what is seen changes the bytes\n{}", text);
    let looks = |report: &Report| report.seen.as_ref().map(looked_at);
    let away = ran(3, Some(&room)).0;
    prop_assert_eq!(looks(&report), looks(&away), "what is put away is seen otherwise\n{}", text);
    let first = report.seen.as_ref().map_or(&[][..], |seen| &seen.tables);
    prop_assert_eq!(first.len(), report.tables.len(), "{}", text);
    for (first, table) in first.iter().zip(&report.tables) {
        let rows = table.steps.last().map_or(table.rows, |step| step.rows);
        prop_assert_eq!((&first.table, first.rows as u64), (&table.name, rows.min(8)), "{}", text);
    }
    Ok(report.problems.iter().map(Problem::kind).collect())
}

/// Gives one of a plan's names, or another, everywhere: it means the same, but for the heads of its outputs.
fn renamed(
    files: &[(&str, String)],
    text: &str,
    written: &HashMap<String, String>,
    kinds: &[&str],
    which: u8,
) -> Result<(), TestCaseError> {
    let columns = files.iter().map(|(name, rows)| {
        let head = rows.lines().next().unwrap_or_default();
        ((*name).to_owned(), head.split(',').map(str::to_owned).collect())
    });
    let names = Names::of(&parse(text).tree, text, &columns.collect());
    let own: Vec<&Symbol> = names.symbols().iter().filter(|symbol| !symbol.of_files).collect();
    let Some(symbol) = own.get(usize::from(which) % own.len().max(1)) else { return Ok(()) };
    let new = "called `otherwise`, by far";
    let mut edits = match names.renamed(symbol, new) {
        Ok(edits) => edits,
        // Its name is what rows have.
        Err(NotRenamed::AsValue(_)) => return Ok(()),
        Err(wrong) => return Err(TestCaseError::fail(wrong.to_string())),
    };
    edits.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
    let mut other = text.to_owned();
    for (span, text) in edits {
        other.replace_range(span.start..span.end, &text);
    }
    let shown = format!("{symbol:#?}\n{other}");
    prop_assert!(parse(&other).diagnostics.is_empty(), "{}", shown);
    let (report, again) = try_texts(files, &other, 2, Running::default());
    let report = report.map_err(|error| TestCaseError::fail(format!("{error:#?}\n{shown}")))?;
    prop_assert_eq!(
        report.problems.iter().map(Problem::kind).collect::<Vec<_>>(),
        kinds,
        "{}",
        &shown
    );
    let rows = |written: &HashMap<String, String>| {
        let rows = |text: &String| {
            text.split_once('\n').map_or(String::new(), |(_, rows)| rows.to_owned())
        };
        written.iter().map(|(path, text)| (path.clone(), rows(text))).collect::<BTreeMap<_, _>>()
    };
    prop_assert_eq!(rows(written), rows(&again), "{}", &shown);
    Ok(())
}

fn check(numbers: &[u8]) -> Result<&'static str, TestCaseError> {
    let plan = Tape::new(numbers).plan();
    let text = plan.text();
    let shown = format!("{text}\n{:#?}", plan.files);
    let files: Vec<(&str, String)> =
        plan.files.iter().map(|(name, text)| (*name, text.clone())).collect();
    let ran = |part: usize, threads: usize, lets_go: bool, away: bool| {
        let room = Shelf::room(0, usize::MAX);
        let room = Some(&room).filter(|_| away);
        let running = Running { lets_go, room, ..Running::default() };
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build().unwrap();
        pool.install(|| {
            let run = AssertUnwindSafe(|| run_texts_as(&files, &text, part, running));
            std::panic::catch_unwind(run).map_err(|fault| {
                let bug = fault.downcast_ref::<crate::Bug>().map(ToString::to_string);
                let words = bug.or_else(|| fault.downcast_ref::<String>().cloned());
                TestCaseError::fail(format!("{}\n{shown}", words.unwrap_or_default()))
            })
        })
    };
    let (report, written) = ran(2, 1, true, false)?;
    let (held, all) = ran(2, 1, false, false)?;
    prop_assert_eq!(&written, &all, "what is let go changes the bytes\n{}", &shown);
    let told = |report: &Report| format!("{report:#?}");
    prop_assert_eq!(told(&report), told(&held), "what is let go is missed\n{}", &shown);
    for lets_go in [true, false] {
        let (away, again) = ran(2, 2, lets_go, true)?;
        prop_assert_eq!(&written, &again, "what is put away changes the bytes\n{}", &shown);
        prop_assert_eq!(told(&report), told(&away), "what is put away is missed\n{}", &shown);
    }
    let (other, again) = ran(1_000, 2, true, false)?;
    prop_assert_eq!(&written, &again, "threads or parts change the bytes\n{}", &shown);
    let kinds = |report: &Report| report.problems.iter().map(Problem::kind).collect::<Vec<_>>();
    prop_assert_eq!(kinds(&report), kinds(&other), "{}", &shown);
    let (mut seen, mut here) = (seen_of(&files, &text, &written)?, kinds(&report));
    seen.sort_unstable();
    here.sort_unstable();
    prop_assert_eq!(seen, here, "{}", &shown);
    renamed(&files, &text, &written, &kinds(&report), numbers.first().copied().unwrap_or(0))?;
    let world = expected(&plan);
    let mut stops: Vec<&str> =
        world.tables.values().filter_map(|rows| rows.as_ref().err().copied()).collect();
    stops.extend(world.link.as_ref().err());
    stops.extend(world.parts.as_ref().err());
    stops.extend(world.periods.as_ref().err());
    let told = kinds(&report);
    if let Some(kind) = told.iter().find(|kind| !stops.contains(kind)) {
        return Err(TestCaseError::fail(format!(
            "stopped by {kind} without a reason\n{shown}\n{:#?}",
            report.problems
        )));
    }
    apart::check(&files, &text, &written, &told)?;
    if !stops.is_empty() {
        prop_assert!(!told.is_empty(), "not stopped, though {stops:?}\n{shown}");
        prop_assert!(written.is_empty());
        check_examples(&text, &plan, &world, &report)?;
        return Ok("stopped");
    }
    prop_assert!(report.held(), "{shown}");
    for table in &plan.tables {
        let rows = world.tables[&table.name].as_ref().unwrap();
        if !matches!(table.start, Start::File) {
            let name = format!("{}.csv", table.name);
            prop_assert_eq!(&written[&name], &lines(rows), "{}\n{}", name, &shown);
        }
        check_tally(table, rows, &report, &shown)?;
    }
    check_bridges(&plan, &world, &report, &shown)?;
    stories::check(&files, &text, &world)
        .map_err(|wrong| TestCaseError::fail(format!("{wrong}\n{shown}")))?;
    check_examples(&text, &plan, &world, &report)?;
    let link = world.link.as_ref().unwrap();
    let matched = link.iter().flatten().count() as u64;
    prop_assert_eq!(
        (report.links[0].rows, report.links[0].matched),
        (link.len() as u64, matched),
        "{}",
        &shown
    );
    let periods = world.periods.as_ref().unwrap();
    let several = periods.iter().filter(|held| held.len() > 1).count() as u64;
    let matched = periods.iter().filter(|held| !held.is_empty()).count() as u64;
    let told = report.links[1].period.as_ref().unwrap();
    let outside = [&told.no_key, &told.before, &told.gap, &told.after].map(|out| out.rows);
    prop_assert_eq!((report.links[1].matched, told.several), (matched, several), "{}", &shown);
    prop_assert_eq!(outside.iter().sum::<u64>(), report.links[1].missing, "{}", &shown);
    let steps: usize = plan.tables.iter().map(|table| table.steps.len()).sum();
    Ok(if steps > 4 { "long" } else { "short" })
}

/// How many plans are made: more by `scripts/random-plans.sh`.
fn cases() -> u32 {
    std::env::var("GRANUM_RANDOM_PLANS").ok().and_then(|count| count.parse().ok()).unwrap_or(400)
}

#[test]
fn random_plans_mean_what_the_reference_says() {
    let config = Config {
        failure_persistence: None,
        max_shrink_iters: 20_000,
        ..Config::with_cases(cases())
    };
    let seed = std::env::var("GRANUM_RANDOM_SEED").ok();
    let mut runner = match seed.and_then(|seed| seed.parse::<u8>().ok()) {
        Some(seed) => TestRunner::new_with_rng(
            config,
            proptest::test_runner::TestRng::from_seed(
                proptest::test_runner::RngAlgorithm::ChaCha,
                &[seed; 32],
            ),
        ),
        None => TestRunner::new(config),
    };
    let counts = std::cell::RefCell::new(BTreeMap::<&str, u32>::new());
    let tape = prop::collection::vec(any::<u8>(), 0..160);
    let found = runner.run(&tape, |numbers| {
        let outcome = check(&numbers)?;
        *counts.borrow_mut().entry(outcome).or_default() += 1;
        Ok(())
    });
    if let Err(failed) = found {
        panic!("{failed}");
    }
    let counts = counts.into_inner();
    eprintln!("random plans: {counts:?}");
    // Plans that all stop early would test nothing.
    assert!(counts.get("long").copied().unwrap_or(0) * 10 > cases(), "{counts:?}");
}
