//! Names are found where they stand, and another name stands in all those places. That it means the same is held by
//! random plans, with those of the engine.

use std::fs;
use std::path::{Path, PathBuf};

use super::*;
use crate::lang::parse;

fn names(text: &str) -> Names {
    let parsed = parse(text);
    assert_eq!(parsed.diagnostics, [], "{text}");
    Names::of(&parsed.tree, text, &HashMap::new())
}

/// The words that stand where a symbol does, which stands at the sign `|`.
fn uses(marked: &str) -> Vec<String> {
    let at = marked.find('|').unwrap();
    let text = marked.replacen('|', "", 1);
    let names = names(&text);
    let Some(symbol) = names.at(at) else { return vec![] };
    let line = |span: Span| text[..span.start].matches('\n').count() + 1;
    symbol
        .uses
        .iter()
        .map(|one| format!("{} {}", line(one.span), &text[one.span.start..one.span.end]))
        .collect()
}

/// The text with another name for what stands at the sign `|`.
fn renamed(marked: &str, new: &str) -> Result<String, NotRenamed> {
    let at = marked.find('|').unwrap();
    let mut text = marked.replacen('|', "", 1);
    let names = names(&text);
    let mut edits = names.renamed(names.at(at).unwrap(), new)?;
    edits.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
    for (span, name) in edits {
        text.replace_range(span.start..span.end, &name);
    }
    Ok(text)
}

const JOBS: &str = "input jobs from \"{folder}/jobs.csv\"\n  add net = price\n  grain job_no\n\
    input parts from \"parts.csv\"\n  grain job_no, part\nlink parts to jobs on job_no\n";

#[test]
fn a_column_keeps_its_name_through_tables_until_a_step_gives_it_another() {
    let plan = |column: &str, last: &str, net: &str| {
        let plan = format!(
            "{JOBS}table a from jobs\n  rename net to amount\n\
             table b from a\n  columns job_no, {column} as {last}\n\
             table c from b\n  add last2 = last\ncheck \"s\": sum(a.amount) = sum(b.last)\n"
        );
        plan.replace("add net", &format!("add {net}"))
    };
    assert_eq!(uses(&plan("am|ount", "last", "net")), ["8 amount", "10 amount", "13 amount"]);
    assert_eq!(uses(&plan("amount", "la|st", "net")), ["10 last", "12 last", "13 last"]);
    assert_eq!(uses(&plan("amount", "last", "n|et")), ["2 net", "8 net"]);
}

#[test]
fn what_leads_here_has_its_own_columns() {
    let plan = format!(
        "{JOBS}table a from jobs\n  add worth = sum(parts.worth where kind = \"x\" and wor|th > 0)\n  keep has(parts) and worth > 0\n"
    );
    assert_eq!(uses(&plan), ["8 worth", "8 worth"]);
    let plan = plan.replace("wor|th > 0)", "worth > 0)").replace("add worth", "add wor|th");
    assert_eq!(uses(&plan), ["8 worth", "9 worth"]);
    let plan = plan
        .replace("add wor|th", "add worth")
        .replace("has(par|ts)", "has(parts)")
        .replace("has(parts)", "has(pa|rts)");
    assert_eq!(uses(&plan), ["4 parts", "6 parts", "8 parts", "9 parts"]);
}

#[test]
fn groups_see_rows_in_aggregates_and_results_outside() {
    let plan = format!(
        "{JOBS}table a from jobs\n  one row per kind as sort\n    net = sum(net)\n    twice = 2 * n|et\n  sort net desc, sort\n"
    );
    assert_eq!(uses(&plan), ["9 net", "10 net", "11 net"]);
    assert_eq!(
        uses(&plan.replace("n|et\n", "net\n").replace("sum(net)", "sum(ne|t)")),
        ["2 net", "9 net"]
    );
}

#[test]
fn parameters_stand_in_texts_and_columns_at_the_head_of_rows() {
    let plan = format!(
        "param fold|er text = \"data\"\n{JOBS}output jobs to \"out/{{folder}}.csv\"\n\
         chart \"Of {{folder}} {{{{folder}}}}\" from jobs x job_no bars net\n"
    );
    assert_eq!(uses(&plan), ["1 folder", "2 folder", "8 folder", "9 folder"]);
    let plan = format!(
        "{JOBS}example \"one\"\n  with jobs \"\"\"\n    job_no,price\n    1,2\n    \"\"\"\n  gives jobs \"\"\"\n\n    job_no, \"n|et\"\n    1,2\n    \"\"\"\n"
    );
    assert_eq!(uses(&plan), ["2 net", "14 \"net\""]);
    assert!(renamed(&plan, "a, b").unwrap().contains("job_no, \"a, b\"\n"));
    assert!(renamed(&plan, "a, b").unwrap().contains("add `a, b` = price"));
    let own = "input kinds from \"\"\"\n  ki|nd,name\n  a,b\n  \"\"\"\n  grain kind\n";
    assert_eq!(uses(own), ["2 kind", "5 kind"]);
}

#[test]
fn a_key_that_both_tables_call_so_becomes_a_pair() {
    let plan = "input a from \"a.csv\"\n  add key = x\ninput b from \"b.csv\"\n  add key = y\nlink a to b on key\n";
    let left = renamed(&plan.replacen("add key", "add k|ey", 1), "own").unwrap();
    assert!(left.ends_with("link a to b on own = key\n"), "{left}");
    let at = plan.rfind("add key").unwrap();
    let right = format!("{}add k|ey{}", &plan[..at], &plan[at + 7..]);
    assert!(renamed(&right, "its").unwrap().ends_with("link a to b on key = its\n"));
}

#[test]
fn links_have_names_of_their_own_or_those_of_tables() {
    let plan = "input a from \"a.csv\"\ninput b from \"b.csv\"\nlink a to b on k as fir|st back lasts\n\
        table t from a\n  add x = first.name\ntable u from b\n  add n = rows(lasts)\n";
    assert_eq!(uses(plan), ["3 first", "5 first"]);
    assert_eq!(
        uses(&plan.replace("fir|st", "first").replace("back lasts", "back las|ts")),
        ["3 lasts", "7 lasts"]
    );
    let tree = parse(&plan.replace('|', "")).tree;
    assert_eq!(links_of(&tree, "t"), ["first"]);
    assert_eq!(reached(&tree, "t", &["first", "lasts"]), Some("a".into()));
    assert_eq!(reached(&tree, "t", &["lasts"]), None);
}

#[test]
fn what_becomes_a_value_of_rows_keeps_its_name() {
    let value = |plan: &str| renamed(plan, "x").unwrap_err();
    let turned = format!(
        "{JOBS}table a from jobs\n  add one = 1\n      two = 2\n  turn one, t|wo into rows which, n\n"
    );
    assert_eq!(value(&turned), NotRenamed::AsValue("two".into()));
    let range = turned
        .replace("turn one, t|wo", "turn columns one through two")
        .replace("  add one", "  add n|et2 = 1\n  add one");
    assert_eq!(value(&range), NotRenamed::AsValue("net2".into()));
    let labelled = format!("{JOBS}table a from job|s, parts filling blanks labelled which\n");
    assert_eq!(value(&labelled), NotRenamed::AsValue("jobs".into()));
    assert_eq!(
        value(&format!("{JOBS}table a from jobs\n  keep pri|ce > 0\n")),
        NotRenamed::OfFiles("price".into())
    );
    for none in ["", "  ", "a\nb"] {
        let plan = format!("{JOBS}table t|t from jobs\n");
        assert_eq!(renamed(&plan, none), Err(NotRenamed::NoName(none.into())));
    }
}

#[test]
fn columns_of_one_name_in_stacked_tables_are_one() {
    let plan = format!(
        "{JOBS}table a from jobs\n  add n = 1\ntable b from jobs\n  add n = 2\ntable c from a, b\n  keep |n > 1\n"
    );
    assert_eq!(uses(&plan), ["8 n", "10 n", "12 n"]);
}

#[test]
fn tables_that_wait_for_each_other_and_names_of_nothing_are_no_trouble() {
    let text = "table a from b\n  add x = y\ntable b from a\n  keep nothing.at.all = x\nlink a to b on x\n\
        link q to r on s\ntable c from c\n  expand z.z\n";
    let names = names(text);
    assert_eq!(names.symbols().iter().filter(|symbol| symbol.meaning == Meaning::Table).count(), 3);
    assert!(names.at(text.len()).is_none());
}

fn plans() -> Vec<PathBuf> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let folders = ["examples", "crates/granum-demo/plans"].map(|folder| root.join(folder));
    let all = folders.iter().flat_map(|folder| fs::read_dir(folder).unwrap());
    let mut plans: Vec<PathBuf> = all.map(|entry| entry.unwrap().path()).collect();
    plans.retain(|path| path.extension().is_some_and(|ending| ending == "granum"));
    plans.sort();
    plans
}

#[test]
fn every_name_of_the_example_plans_can_be_another() {
    let mut tried = 0;
    for path in plans() {
        let text = fs::read_to_string(&path).unwrap();
        let all = names(&text);
        for symbol in all.symbols() {
            let mut edits = match all.renamed(symbol, "another name") {
                Ok(edits) => edits,
                Err(NotRenamed::OfFiles(_) | NotRenamed::AsValue(_)) => continue,
                Err(wrong) => panic!("{wrong}"),
            };
            edits.sort_by_key(|(span, _)| std::cmp::Reverse(span.start));
            let mut other = text.clone();
            for (span, name) in edits {
                other.replace_range(span.start..span.end, &name);
            }
            let again = names(&other);
            let found = again.symbols().iter().find(|own| own.name == "another name");
            let found =
                found.unwrap_or_else(|| panic!("{}: {}\n{other}", path.display(), symbol.name));
            assert_eq!(
                (found.uses.len(), found.meaning),
                (symbol.uses.len(), symbol.meaning),
                "{other}"
            );
            assert_eq!(again.symbols().len(), all.symbols().len(), "{other}");
            tried += 1;
        }
    }
    assert!(tried > 150, "{tried}");
}
