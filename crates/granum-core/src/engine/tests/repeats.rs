//! What stands on several rows is counted once, or said; and no row is lost where tables are laid.

use super::kinds::diagnostics_of;
use super::memory::run_texts;
use crate::tally::Problem;

fn texts<'t>(files: &[(&'t str, &str)]) -> Vec<(&'t str, String)> {
    files.iter().map(|(name, text)| (*name, (*text).to_owned())).collect()
}

#[test]
fn tables_do_not_meet_on_a_blank_key_that_several_rows_have() {
    let files = texts(&[("a", "k,x\nb,1\n,2\n,3\n"), ("b", "k,y\nc,10\n,20\na,30\n")]);
    let inputs = "input a from \"a\"\n  dedupe by k keep first\ninput b from \"b\"\n  \
                  dedupe by k keep first\n";
    let (report, written) = run_texts(
        &files,
        &format!("{inputs}table m from a meeting b on k\noutput m to \"m.csv\"\n"),
        1,
    );
    let [Problem::MeetingRepeats { of, columns, examples, rows, .. }] = report.problems.as_slice()
    else {
        panic!("{:?}", report.problems)
    };
    assert_eq!((of.as_str(), columns.as_slice(), *rows), ("a", &["k".to_owned()][..], 2));
    assert_eq!((examples[0].key.as_str(), examples[0].places[1].line), ("blank", 4));
    assert!(written.is_empty());
    // One blank on either side meets the other.
    let one = inputs.replacen("keep first\n", "keep first\n  keep x != 3\n", 1);
    let plan = format!("{one}table m from a meeting b on k\noutput m to \"m.csv\"\n");
    let (report, written) = run_texts(&files, &plan, 1);
    assert!(report.held(), "{:?}", report.problems);
    assert_eq!(written["m.csv"], "b,1,\n,2,20\nc,,10\na,,30\n");
}

#[test]
fn rows_that_reach_a_stack_twice_stop_it_unless_that_is_said() {
    let files = texts(&[("l", "k,n\n1,5.00\n2,6.00\n3,\n")]);
    let stack = |branches: &str, stack: &str| {
        format!(
            "input l from \"l\"\n  track n\n{branches}\ntable s from {stack}\noutput s to \"s.csv\"\n"
        )
    };
    let filtered = "table a from l\n  keep n > 5.50\ntable b from l";
    let (report, written) = run_texts(&files, &stack(filtered, "a, b"), 1);
    let [Problem::StackedTwice { twice, .. }] = report.problems.as_slice() else {
        panic!("{:?}", report.problems)
    };
    assert_eq!((twice.of.as_str(), twice.part.as_str(), twice.rows), ("l", "b", 1));
    assert_eq!(twice.amounts[0].1.to_string(), "6.00");
    assert!(written.is_empty());
    // The input itself, and a stack within a stack.
    for (branches, laid) in [
        ("table a from l\n  keep n > 5.50", "l, a"),
        ("table a from l\n  keep k = 1\ntable b from l\n  keep k = 2\ntable c from a, b", "c, b"),
        ("table a from l\n  units of 2 as u split n\ntable b from l\n  add u = 1", "a, b"),
    ] {
        let (report, _) = run_texts(&files, &stack(branches, laid), 1);
        assert_eq!(report.problems[0].kind(), "repeated-rows", "{branches}");
    }
    // Groups of the same rows are rows of their own, and what does not overlap is fine.
    for (branches, laid) in [
        ("table a from l\n  one row per k\n    n = sum(n)\ntable b from l", "a, b"),
        ("table a from l\n  keep k < 2\ntable b from l\n  keep not k < 2", "a, b"),
    ] {
        let (report, _) = run_texts(&files, &stack(branches, laid), 1);
        assert!(report.held(), "{branches}: {:?}", report.problems);
    }
    let meant = stack(filtered, "a, b allow repeated-rows \"the large ones are shown on top\"");
    let (report, written) = run_texts(&files, &meant, 1);
    assert!(report.held());
    assert_eq!(written["s.csv"], "2,6.00\n1,5.00\n2,6.00\n3,\n");
    assert_eq!(report.table("s").unwrap().twice.as_ref().unwrap().rows, 1);
    assert_eq!(report.allowed[0].reason, "the large ones are shown on top");
}

#[test]
fn exact_numbers_of_other_places_are_stacked_in_the_larger() {
    let files = texts(&[("a", "k,v\n1,2\n"), ("b", "k,v\n2,0.125\n"), ("c", "k,v\n3,\n")]);
    let plan = "input a from \"a\"\ninput b from \"b\"\n  read v as decimal(3)\ninput c from \"c\"\n\
                table s from a, c, b\noutput s to \"s.csv\"\n";
    let (report, written) = run_texts(&files, plan, 1);
    assert!(report.held(), "{:?}", report.problems);
    assert_eq!(written["s.csv"], "1,2.000\n3,\n2,0.125\n");
    let long = format!("k,v\n1,{}\n", "9".repeat(37));
    let plan = plan.replace("from \"a\"\n", "from \"a\"\n  read v as decimal(0)\n");
    let files = [("a", long), files[1].clone(), files[2].clone()];
    let (report, _) = run_texts(&files, &plan, 1);
    assert_eq!(report.problems[0].kind(), "overflow");
}

#[test]
fn what_was_carried_past_units_is_no_amount_of_a_unit() {
    let start = "input a from \"a\"\n  read n as integer\ntable t from a\n  units of n as u\n  ";
    let told = diagnostics_of(&format!("{start}track k\n"));
    assert!(told[0].message.contains("so every unit has all of it"), "{told:?}");
    assert!(told[0].help.as_ref().unwrap().contains("split k"));
    // What the unit's own quantity makes of it is the unit's, and so is what was split.
    assert!(diagnostics_of(&format!("{start}add x = k * n\n  track x\n")).is_empty());
    assert!(!diagnostics_of(&format!("{start}add x = k + n\n  track x\n")).is_empty());
    let split = start.replace("as u", "as u split k");
    assert!(diagnostics_of(&format!("{split}track k\n")).is_empty());
}

#[test]
fn a_running_sum_is_not_summed() {
    for sum in ["sum(r)", "mean(r)"] {
        let plan = format!(
            "input a from \"a\"\n  track n\ntable t from a\n  add r = running(n in all by k)\n  \
             one row in all\n    x = {sum}\n"
        );
        let told = diagnostics_of(&plan);
        assert!(told[0].message.contains("a running sum"), "{told:?}");
        assert!(diagnostics_of(&plan.replace("  track n\n", "")).is_empty());
    }
}

#[test]
fn no_way_round_leads_to_a_sum_of_what_repeats() {
    let start = "input a from \"a\"\n  track n\ninput b from \"b\"\n  track f\nlink a to b on m\n\
                 table t from a\n";
    for steps in [
        "  add x = max(n per m)\n  one row in all\n    s = sum(x)",
        "  add x = sole(n per k)\n  one row in all\n    s = sum(x)",
        "  add x = decimal(text(b.f), 2)\n  one row in all\n    s = sum(x)",
        "  add x = if k = 1 then b.f else 0\n  one row in all\n    s = sum(x)",
        "  one row per n as g\n    r = rows()\n  one row in all\n    s = sum(g)",
        "  one row per b.f as g\n    r = rows()\n  one row in all\n    s = sum(g)",
    ] {
        let told = diagnostics_of(&format!("{start}{steps}\n"));
        assert!(told.iter().any(|told| told.kind.name() == "counted-twice"), "{steps}: {told:?}");
    }
    // The greatest of each group is one row's, and adds up.
    let fine = "  one row per m\n    x = max(n)\n  one row in all\n    s = sum(x)";
    assert!(diagnostics_of(&format!("{start}{fine}\n")).is_empty());
}
