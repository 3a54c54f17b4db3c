//! The tally: every row and every amount that a step takes out, with its reason.

use super::folder::{Folder, SHOP, shop};

#[test]
fn amounts_are_followed_through_every_step() {
    let folder = Folder::new();
    folder.file("t.csv", "id,q,price\nA,2,1.50\nA,2,1.50\nB,1,4.00\nC,,2.00\nD,3,1.00\n").plan(
        "input t from \"t.csv\"\n  dedupe\n  add net = q * price\n  drop net < 3.5 and q > 2\n  \
             change net = net * 2\n  grain id\n  track net\n",
    );
    folder.run().code(0).says(
        "t · one row per id

     step                      rows  change    net  change
     t                            5          13.00
  1  dedupe                       4      −1  10.00   −3.00
  2  drop net < 3.5 and q > 2     3      −1   7.00   −3.00
  3  change net = net * 2         3       0  14.00   +7.00

  1  1 row equal to one before
  2  the condition was blank for 1 row, which stayed
  net: blank in 1 row, which the sum passes over
",
    );
}

#[test]
fn an_amount_that_cannot_be_worked_yet_is_a_dash_and_one_that_fails_is_blank() {
    let folder = Folder::new();
    folder.file("t.csv", "id,q\nA,2\nA,2\nB,9223372036854775807\nB,9223372036854775807\n").plan(
        "input t from \"t.csv\"\n  dedupe\n  keep id = \"A\"\n  change q = q + 1\n  add n = q * 2\n  \
         track n\n  keep n > 0\n",
    );
    folder.run().code(0).says(
        "     step           rows  change  n  change
     t                 4          —
  1  dedupe            2      −2  —
  2  keep id = \"A\"     1      −1  —
  3  keep n > 0        1       0  6
",
    );
}

#[test]
fn an_amount_of_removed_rows_that_overflows_counts_as_nothing() {
    let folder = Folder::new();
    folder
        .file("t.csv", "id,q\nA,2\nB,9223372036854775807\n")
        .plan("input t from \"t.csv\"\n  keep id = \"A\"\n  add n = q * 2\n  track n\n");
    folder.run().code(0).says("  1  keep id = \"A\"     1      −1  4       0\n");
}

#[test]
fn a_table_repeats_the_steps_of_its_bases_and_says_where_an_amount_ends() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         table t from lines\n  keep has(orders)\n  rename net to value\n\
         table u from t\n  columns order_no, line_no, value\n"
    ));
    folder.run().code(0).says(
        "u · one row per order_no, line_no

     step                              rows  change  quantity  change  value  change
     lines                                4                 7          24.51
     t                                    4                 7          24.51
  1  keep has(orders)                     3      −1         6      −1  22.51   −2.00
     u                                    3                 6          22.51
  2  columns order_no, line_no, value     3       0         —          22.51    0.00

  2  quantity ends here
",
    );
}

#[test]
fn units_say_that_amounts_are_conserved() {
    let folder = shop();
    folder.plan(&format!("{SHOP}table u from lines\n  units of quantity as unit_no split net\n"));
    folder.run().code(0).says("u · one row per order_no, line_no, unit_no\n").says(
        "  1  units of quantity as unit_no split net     7      +3         7       0  24.51    0.00

  1  quantity, net add up to what they were; one row per order_no, line_no → one row per order_no,
    line_no, unit_no
",
    );
}

#[test]
fn links_tell_all_that_there_is_to_know() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no at least 90% of net\n\
         link orders to customers on customer_no blank allowed\n"
    ));
    folder.run().code(0).says(
        "links

                      rows  matched  missing  blank  by amount           required
  lines → orders         4   75.00%        1      0  91.84% of net       at least 90% of net  ok
  orders → customers     2  100.00%        0      1  100.00% of freight  —

                      on           rows that lead to one  never reached
  lines → orders      order_no     1 to 2, median 1       0 of 2 orders
  orders → customers  customer_no  1                      1 of 2 customers
",
    );
}

#[test]
fn amounts_are_measured_without_their_signs() {
    let folder = Folder::new();
    folder.file("a.csv", "k,n\nx,10\ny,-10\n").file("b.csv", "k\nx\n").plan(
        "input a from \"a.csv\"\n  track n\ninput b from \"b.csv\"\n  grain k\n\
         link a to b on k at least 51% of n\n",
    );
    folder
        .run()
        .code(1)
        .says("50.00% of n is matched; the plan asks for at least 51% of n")
        .says("1 row of a (−10 n) has no b.");
}

#[test]
fn every_table_by_itself_and_the_verdict_alone() {
    let folder = shop();
    folder.plan(&format!("{SHOP}table t from lines\n  keep net > 3\n"));
    let all = folder.granum(&["run", "p.granum", "-v"]).code(0);
    assert!(all.out.contains("lines · one row per order_no, line_no\n"));
    assert!(all.err.contains(" s  in all\n"), "{}", all.err);
    let verdict = folder.granum(&["run", "p.granum", "-q"]).code(0);
    assert_eq!(verdict.out, "");
    folder.plan(&format!("{SHOP}check lines: net > 3\n"));
    let verdict = folder.granum(&["run", "p.granum", "-q"]).code(1);
    assert!(verdict.out.starts_with("STOPPED: "), "{}", verdict.out);
}

#[test]
fn many_amounts_fold_into_blocks() {
    let folder = Folder::new();
    folder.file("t.csv", "amount_one,amount_two,amount_three,amount_four\n1,2,3,4\n").plan(
        "input t from \"t.csv\"\n  keep amount_one > 0 and amount_two > 0\n  \
         track amount_one, amount_two, amount_three, amount_four\n",
    );
    let ran = folder.run().code(0);
    assert!(ran.out.lines().all(|line| line.chars().count() <= 100), "{}", ran.out);
    assert_eq!(ran.out.matches("rows  change").count(), 2, "{}", ran.out);
}

/// Quantities of every kind, for one step.
fn quantities(step: &str) -> Folder {
    let folder = Folder::new();
    folder
        .file(
            "l.csv",
            "order,line,qty,net\nA,1,3,10.00\nA,2,0,2.00\nB,1,-2,-9.00\nB,2,2.5,10.00\nC,1,,4.00\n",
        )
        .plan(&format!(
            "input l from \"l.csv\"\n  read qty as decimal(1)\n  grain order, line\n  track qty, net\n\
             table u from l\n  {step}\noutput u to \"u.csv\"\n"
        ));
    folder
}

#[test]
fn what_becomes_of_odd_quantities_is_the_plan_s_to_say() {
    let folder = quantities(
        "units of qty as n split net to 3 places dropping zero, blank keeping negative, fraction",
    );
    folder.run().code(0).says(
        "  1  qty, net add up to what they were, less what was dropped; dropped 1 row with a quantity of zero\n    \
         (2.00 net); dropped 1 row with a blank quantity (4.00 net); 1 row with a negative quantity\n    \
         stayed whole; 1 row with a fraction ended in a part of a unit;",
    );
    assert_eq!(
        folder.read("u.csv"),
        "order,line,qty,net,n\nA,1,1.0,3.334,1\nA,1,1.0,3.333,2\nA,1,1.0,3.333,3\nB,1,-2.0,-9.000,1\n\
         B,2,1.0,4.000,1\nB,2,1.0,4.000,2\nB,2,0.5,2.000,3\n"
    );
}

#[test]
fn what_units_advise_runs_as_it_is_printed() {
    for (said, left) in [
        ("", "dropping zero, negative, blank keeping fraction"),
        (" dropping blank", "dropping zero, negative, blank keeping fraction"),
        (" dropping blank keeping negative", "dropping zero, blank keeping negative, fraction"),
        (" up to 5000", "dropping zero, negative, blank keeping fraction up to 5000"),
        (" dropping zero, negative, blank", "dropping zero, negative, blank keeping fraction"),
    ] {
        let folder = quantities(&format!("units of qty as n split net{said}"));
        let ran = folder.run().code(1);
        let advice = format!("    or say what becomes of them, at the end of the step:  {left}\n");
        assert!(
            ran.err.contains(&advice) || ran.out.contains(&advice),
            "{said}: {}{}",
            ran.out,
            ran.err
        );
        quantities(&format!("units of qty as n split net {left}")).run().code(0);
        // So does the other, in place of it.
        let all = format!("{}{}", ran.out, ran.err);
        let keep = all
            .lines()
            .find_map(|line| line.trim().strip_prefix("take them out before the step:  "));
        quantities(&format!("{}\n  units of qty as n split net{said}", keep.unwrap()))
            .run()
            .code(0);
    }
    quantities(
        "units of qty as n split net to 1 places dropping zero, negative, blank keeping fraction",
    )
    .run()
    .code(0);
    let fine = quantities(
        "add cents = net * 1.0001\n  units of qty as n split net, cents to 2 places dropping zero, negative, blank keeping fraction",
    );
    fine.run().code(1).says("2 rows have an amount with more places than its parts are to have").says(
        "    round the amount before, or give its parts more places:  split COLUMN to N places\n",
    );
}

#[test]
fn wrong_words_behind_units_are_told_with_what_may_stand_there() {
    for (said, wrong) in [
        ("dropping zero dropping blank", "this is said of the units already"),
        ("dropping fraction", "expected zero, negative or blank, found `fraction`"),
        ("keeping zero", "expected negative or fraction, found `zero`"),
        (
            "up to 0",
            "expected how many units a row may be, a whole number above 0, found the number 0",
        ),
        ("dropping negative keeping negative", "negative quantities cannot be dropped and kept"),
        ("split net to 22 places", "expected how many places, a whole number up to 20"),
    ] {
        quantities(&format!("units of qty as n {said}")).run().code(2).complains(wrong);
    }
}

#[test]
fn quantities_in_packs_are_counted_over_a_link() {
    let folder = Folder::new();
    folder
        .file("a.csv", "art,pack\nX,6\nY,1\n")
        .file("l.csv", "line,art,packs,net\n1,X,2,10.00\n2,Y,3,1.00\n3,Z,1,1.00\n")
        .plan(
            "input a from \"a.csv\"\n  grain art\ninput l from \"l.csv\"\n  grain line\n  track net\n\
             link l to a on art\ntable u from l\n  \
             units of packs * a.pack as n split net dropping blank\n\
             check \"units\": rows(u) = 15\noutput u to \"u.csv\"\n",
        );
    folder.run().code(0).says(
        "  1  net adds up to what it was, less what was dropped; dropped 1 row with a blank quantity (1.00\n    net);",
    );
    let units = folder.read("u.csv");
    assert_eq!(units.lines().filter(|line| line.starts_with("1,X,2,0.8")).count(), 12);
}
