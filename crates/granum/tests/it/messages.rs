//! Every message about data that a user can meet, whole.

use super::folder::{Folder, SHOP, shop};

/// The verdict of a plan over `t.csv` that does not hold, without its first line.
fn verdict(csv: &str, plan: &str) -> String {
    let folder = Folder::new();
    folder.file("t.csv", csv).plan(&format!("input t from \"t.csv\"\n{plan}"));
    let ran = folder.granum(&["run", "p.granum", "-q"]).code(1);
    assert_eq!(ran.err, "");
    ran.out.split_once("\n\n").unwrap().1.to_owned()
}

#[test]
fn cells_that_cannot_be_read() {
    let mut csv = String::from("d,n\n");
    for row in 0..8 {
        csv.push_str(&format!("x{row},{row}\n"));
    }
    assert_eq!(
        verdict(&csv, "  read d as date \"%d/%m/%Y\" or \"%Y-%m-%d\"\n"),
        "  t: 8 cells of `d` cannot be read as date \"%d/%m/%Y\" or \"%Y-%m-%d\"\n    \
         \"x0\"   (t.csv line 2)\n    \"x1\"   (t.csv line 3)\n    \"x2\"   (t.csv line 4)\n    \
         \"x3\"   (t.csv line 5)\n    \"x4\"   (t.csv line 6)\n    and 3 more\n    \
         mend the file, name another format, or let them be blank:  read d as date \"%d/%m/%Y\" \
         or \"%Y-%m-%d\" else blank\n    \
         or leave their rows out, which the tally counts:  read d as date \"%d/%m/%Y\" or \
         \"%Y-%m-%d\" else aside\n"
    );
}

#[test]
fn every_type_refuses_what_it_cannot_hold() {
    for (ty, cells) in [
        ("integer", ["1.0", "1e3", " 1", "9223372036854775808", "-"]),
        ("decimal(2)", ["1.234", "1,50", "1.", ".5", "99999999999999999999999999999999999999"]),
        ("number", ["abc", "inf", "NaN", "1,5", "--1"]),
        ("date", ["2026-02-30", "2026-1-1", "20260101", "2026-01-01T00:00", "01-01-2026"]),
        (
            "datetime",
            ["2026-01-01", "2026-01-01T24:00", "2026-01-01T1:00", "x", "2026-01-01T00:00Z"],
        ),
        ("boolean", ["True", "yes", "1", "0", "FALSE"]),
    ] {
        let csv = format!("v\n\"{}\"\n", cells.join("\"\n\""));
        let said = verdict(&csv, &format!("  read v as {ty}\n"));
        let count = format!("  t: 5 cells of `v` cannot be read as {ty}\n");
        assert!(said.starts_with(&count), "{said}");
    }
}

#[test]
fn a_grain_that_repeats_or_is_blank() {
    assert_eq!(
        verdict("a,b\n1,x\n1,x\n2,y\n1,x\n,z\n", "  grain a, b\n"),
        "  t: the grain a, b does not hold\n    1 key stands on 3 rows\n      \
         1/x on 3 rows   (t.csv line 2, t.csv line 3, t.csv line 5)\n    \
         if they are copies or versions, say which stays:  dedupe  or  dedupe by a, b keep latest \
         COLUMN\n    1 row has a blank in it   (t.csv line 6)\n    \
         take them out, with  drop COLUMN is blank\n"
    );
}

#[test]
fn a_grain_that_a_dedupe_leaves_blank() {
    assert_eq!(
        verdict("a,b\n1,x\n,y\n,z\n", "  dedupe by a keep last\n  grain a\n"),
        "  t: the grain a does not hold\n    2 rows have a blank in it   (t.csv line 3, t.csv line \
         4)\n    take them out, with  drop COLUMN is blank\n"
    );
}

#[test]
fn a_grain_that_a_later_step_breaks() {
    let said = verdict("a\n1\n2\n", "  grain a\n  change a = 1\n");
    assert!(said.starts_with("  t: the grain a does not hold\n    1 key stands on 2 rows\n"));
}

#[test]
fn a_link_to_a_key_that_repeats() {
    let folder = shop();
    folder.file("orders.csv", "order_no,freight\nM1,1\nM1,2\nM1,3\nM2,4\n").plan(&format!(
        "{}link lines to orders on order_no\ntable t from lines\n  add f = orders.freight\n",
        SHOP.replace("  grain order_no\n  track freight", "")
    ));
    folder.run().code(1).says(
        "  lines → orders: 1 key of orders (order_no) stands on several rows\n    \
         2 rows of lines would have become 6\n      \
         M1 on 3 rows   (orders.csv line 2, orders.csv line 3, orders.csv line 4)\n    \
         say which row of orders stays:  dedupe by order_no keep latest COLUMN\n",
    );
}

#[test]
fn a_link_to_a_key_that_is_not_the_target_s_grain() {
    let folder = shop();
    folder
        .file("customers.csv", "customer_no,name\nC1,Ansa Fernacre\nC2,Ansa Fernacre\n")
        .file("orders.csv", "order_no,name,freight\nM1,Ansa Fernacre,1\n")
        .plan(&format!("{SHOP}link orders to customers on name\n"));
    folder.run().code(1).says(
        "STOPPED: 1 problem with the data. 1 link was not built. Nothing was written.\n\n  \
         orders → customers: 1 key of customers (name) stands on several rows\n    \
         1 row of orders would have become 2\n      \
         Ansa Fernacre on 2 rows   (customers.csv line 2, customers.csv line 3)\n    \
         customers has one row per customer_no: link on that, or on more columns that tell these \
         rows apart\n",
    );
}

#[test]
fn a_link_that_is_not_as_complete_as_asked() {
    let folder = shop();
    folder.plan(&format!("{SHOP}link lines to orders on order_no at least 95.5% of net\n"));
    folder.granum(&["check", "p.granum"]).code(1).says(
        "  lines → orders: 1 row of lines (1 quantity, 2.00 net) has no orders.\n    \
         91.84% of net is matched; the plan asks for at least 95.5% of net\n    \
         keys without one: M9\n    \
         see them: granum show p.granum lines --unmatched orders\n",
    );
}

#[test]
fn keys_with_spaces_are_shown_in_quotes_and_repeated_ones_counted() {
    let folder = Folder::new();
    folder.file("a.csv", "k\nx \nx \ny\n").file("b.csv", "k\nx\n").plan(
        "input a from \"a.csv\"\ninput b from \"b.csv\"\n  grain k\nlink a to b on k complete\n",
    );
    folder
        .run()
        .code(1)
        .says("3 rows of a have no b.")
        .says("keys without one: \"x \" (2 rows), y\n")
        .says("0.00% is matched; the plan asks that it is complete\n");
}

#[test]
fn quantities_that_cannot_be_counted() {
    let csv = "id,q,net\n1,0,1.00\n2,-2,2.00\n3,,4.00\n4,1.5,8.00\n5,20000,16.00\n6,0,32.00\n";
    let said =
        verdict(csv, "  grain id\n  track net\ntable u from t\n  units of q as n split net\n");
    assert_eq!(
        said,
        "  u: not every row can be counted in units of q\n    \
         2 rows have a quantity of zero (33.00 net)\n      0.0   (t.csv line 2)\n      0.0   (t.csv \
         line 7)\n    1 row has a negative quantity (2.00 net)\n      -2.0   (t.csv line 3)\n    \
         1 row has a blank quantity (4.00 net)\n      blank   (t.csv line 4)\n    \
         1 row has a fraction of a unit (8.00 net)\n      1.5   (t.csv line 5)\n    \
         1 row has a quantity above 10,000 (16.00 net)\n      20000.0   (t.csv line 6)\n    \
         take them out before the step:  keep q > 0 and q <= 10000 and q = floor(q)\n"
    );
    // What is proposed is right as printed.
    let mended = "  keep q > 0 and q <= 10000 and q = floor(q)\n  units of q as n split net\n";
    let folder = Folder::new();
    folder
        .file("t.csv", format!("{csv}7,2,9.00\n"))
        .plan(&format!("input t from \"t.csv\"\ntable u from t\n{mended}output u to \"u.csv\"\n"));
    folder.run().code(0);
    assert_eq!(folder.read("u.csv").lines().count(), 3);
}

#[test]
fn an_amount_that_is_too_large_to_be_split() {
    let csv = format!("q,net\n2,{}\n", "9".repeat(37));
    let said = verdict(
        &csv,
        "  read net as decimal(0)\n  track net\ntable u from t\n  units of q as n split net\n",
    );
    assert!(said.contains("1 row has an amount with too many digits to be split"), "{said}");
    assert!(said.ends_with("or leave the amount out of its  split\n"), "{said}");
}

#[test]
fn a_result_that_does_not_fit_names_the_row() {
    assert_eq!(
        verdict(
            "id,n\nA,1\nB,9223372036854775807\n",
            "  add m = n * 2\n      twice = m + m\n  grain id\n"
        ),
        "  t: a result has more digits than its type can hold\n    in  n * 2\n    \
         of  add m = n * 2, twice = m + m\n    at  id B   (t.csv line 3)\n"
    );
}

#[test]
fn a_conversion_that_fails_names_the_row() {
    assert_eq!(
        verdict("id,n\nA,1\nB,x\n", "  add m = integer(n)\n  track m\n"),
        "  t: \"x\" is no integer\n    in  integer(n)\n    of  add m = integer(n)\n    \
         at  (t.csv line 3)\n"
    );
    let said = verdict("n\n1.5\n", "  keep integer(n) = 1\n");
    assert!(said.starts_with("  t: \"1.5\" is no integer\n"), "{said}");
    let said = verdict("n\n2026-99-01\n", "  keep year(date(n)) = 1\n");
    assert!(said.starts_with("  t: \"2026-99-01\" is no date\n"), "{said}");
}

#[test]
fn a_key_and_a_condition_that_cannot_be_worked() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link orders to customers on integer(order_no) = integer(customer_no)\n"
    ));
    folder.run().code(1).says(
        "  orders: \"M1\" is no integer\n    in  integer(order_no)\n    \
         of  link on integer(order_no) = integer(customer_no)\n    \
         at  order_no M1   (orders.csv line 2)\n",
    );
    folder.plan(&format!("{SHOP}check \"ints\" orders: integer(order_no) > 0\n"));
    folder
        .run()
        .code(1)
        .says("    of  check \"ints\"\n    at  order_no M1   (orders.csv line 2)\n");
    folder.plan(&format!("{SHOP}warn \"ints\" orders: integer(order_no) > 0\n"));
    folder.run().code(1).says("    of  warn \"ints\"\n    at  order_no M1");
}

#[test]
fn a_sum_that_does_not_fit() {
    let folder = Folder::new();
    let most = "9223372036854775807";
    folder.file("a.csv", format!("k,n\nx,{most}\nx,{most}\n")).file("b.csv", "k\nx\n").plan(
        "input a from \"a.csv\"\ninput b from \"b.csv\"\n  grain k\nlink a to b on k\n\
             table t from b\n  add s = sum(a.n)\ncheck \"sum\": sum(a.n) > 0\n",
    );
    folder
        .run()
        .code(1)
        .says("  b: a sum has more digits than its type can hold\n    in  sum(a.n)\n")
        .says("    of  gathered for b\n    at  k x\n")
        .says("  a: a sum has more digits than its type can hold\n    in  sum(a.n)\n    of  check \"sum\"\n");
}

#[test]
fn a_total_over_links_that_cannot_be_worked() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         check \"late\": sum(lines.net where integer(orders.order_no) > 0) > 0\n"
    ));
    folder
        .run()
        .code(1)
        .says("  late     NOT LOOKED AT\n")
        .says("  lines: \"M1\" is no integer\n    in  integer(orders.order_no)\n")
        .says("    of  sum(lines.net where integer(orders.order_no) > 0)\n    at  order_no M1, line_no 1");
}

#[test]
fn a_check_that_fails_for_rows() {
    let folder = shop();
    folder.plan(&format!("{SHOP}check \"dear\" lines: net >= 6 and quantity > 0\n"));
    folder.run().code(1).says(
        "  check \"dear\" does not hold for 2 rows of lines: net >= 6 and quantity > 0\n    \
         order_no M1, line_no 2, net 5.50, quantity 1   (lines.csv line 3)\n    \
         order_no M9, line_no 1, net 2.00, quantity 1   (lines.csv line 5)\n",
    );
}

#[test]
fn a_check_that_holds_for_too_few_rows_or_is_blank() {
    let folder = shop();
    folder.plan(&format!("{SHOP}check orders at least 75%: customer_no = \"C1\"\n"));
    folder.run().code(1).says(
        "  check \"customer_no = \"C1\"\" does not hold for 1 row of orders: customer_no = \"C1\"\n    \
         it holds for 50.00%; the plan asks for at least 75%\n    \
         for 1 of them it is blank, and a check holds only where it is true\n    \
         order_no M2, customer_no blank   (orders.csv line 3)\n",
    );
}

#[test]
fn a_check_about_totals_that_fails() {
    let folder = shop();
    folder.plan(&format!("{SHOP}check \"sums\": sum(lines.net) = sum(orders.freight) * 2\n"));
    folder.run().code(1).says(
        "  check \"sums\" does not hold: sum(lines.net) = sum(orders.freight) * 2\n    \
         sum(lines.net)          = 24.51\n    \
         sum(orders.freight) * 2 = 8.00\n    \
         difference              = 16.51\n",
    );
    folder.plan(&format!("{SHOP}check: max(lines.net where net > 100) > 0\n"));
    folder.run().code(1).says("    it is blank, and a check holds only where it is true\n");
}

#[test]
fn forms_of_other_notations_are_told_what_is_meant_here() {
    let folder = shop();
    for (steps, help) in [
        ("  where net > 1", "rows are chosen by  keep CONDITION"),
        ("  group by order_no", "rows are put in groups by  one row per KEY"),
        ("  order by net", "rows are ordered by  sort EXPR [desc]"),
        ("  keep order_no like \"M%\"", "text is looked into by  contains(text, \"x\")"),
        ("  keep net <> 1", "`<>` is written `!=` here"),
        ("  keep net == 1", "`==` is written `=` here"),
        ("  keep net > 1 && net < 2", "`&&` is written `and` here"),
        ("  keep net > 1 || net < 2", "`||` is written `or` here"),
        ("  keep order_no = 'M1'", "write  \"M1\""),
        ("  keep order_no is null", "what is not there is  blank"),
        ("  keep order_no != null", "what is not there is  blank"),
        ("  keep net between 1 and 2", "write  x >= LEAST and x <= MOST"),
        ("  one row in all\n    n = count(*)", "write  rows()"),
        ("  add a = case when net > 1 then 1 end", "a choice is  if CONDITION then X else Y"),
        ("  add a = coalesce(net, 0)", "the first that is not blank is  a ?? b"),
        ("  add a = substr(order_no, 1)", "parts of a text are  left(text, n)"),
        ("  add a = fiscal_year(order_no)", "functions of days are year, quarter, month"),
        ("  add a = snake_case(order_no)", "functions of texts are lower, upper"),
        ("  add a = total_of(net)", "of many rows there are rows, count"),
    ] {
        folder.plan(&format!("{SHOP}table t from lines\n{steps}\n"));
        let ran = folder.granum(&["check", "p.granum"]).code(2);
        let said = ran.err.replace("\n       ", "");
        assert!(said.contains(help), "{steps}: no\n{help}\nin\n{said}");
    }
}

#[test]
fn names_with_what_nobody_sees_are_told_apart() {
    for (header, says) in [
        ("k\u{200b}", "has a letter that nobody sees (U+200B)"),
        ("k\u{a0}", "has a letter that nobody sees (U+00A0)"),
        ("k ", "ends in a space"),
        (" k", "begins with a space"),
    ] {
        let folder = Folder::new();
        folder
            .file("t.csv", format!("{header},n\nA,1\n"))
            .plan("input t from \"t.csv\"\n  keep k = \"A\"\n");
        let said = folder.run().code(2).err.replace("\n       ", " ");
        assert!(said.contains(says), "{said}");
        // What it says to write, works.
        folder
            .plan(&format!("input t from \"t.csv\"\n  rename `{header}` to k\n  keep k = \"A\"\n"));
        folder.run().code(0);
    }
}

#[test]
fn names_that_were_given_up_lead_to_those_that_took_their_place() {
    let folder = shop();
    for steps in [
        "  one row per line_no as place\n    n = rows()\n  keep line_no > 1",
        "  rename line_no to place\n  keep line_no > 1",
        "  columns order_no, line_no as place\n  keep line_no > 1",
    ] {
        folder.plan(&format!("{SHOP}table t from lines\n{steps}\n"));
        folder.run().code(2).complains("it is called `place` now");
        folder.plan(&format!(
            "{SHOP}table s from lines\n{}\ntable t from s\n  keep line_no > 1",
            steps.replace("  keep line_no > 1", "")
        ));
        folder.run().code(2).complains("it is called `place` now");
    }
}

#[test]
fn long_plans_of_errors_are_told_in_their_first() {
    let folder = shop();
    let steps = "  keep nothing > 1\n".repeat(200);
    folder.plan(&format!("{SHOP}table t from lines\n{steps}"));
    let said = folder.run().code(2).err;
    assert!(
        said.contains("and 150 more: mend these first\n") && said.len() < 30_000,
        "{}",
        said.len()
    );
    let long =
        format!("{} + nothing + {}", "net + ".repeat(60) + "net", "net + ".repeat(60) + "net");
    folder.plan(&format!("{SHOP}table t from lines\n  add x = {long}\n"));
    let said = folder.run().code(2).err;
    assert!(
        said.lines().all(|line| line.chars().count() < 220) && said.contains("\u{2026}"),
        "{said}"
    );
    folder.file(
        "lines.csv",
        format!("order_no,line_no,quantity,net\nM1,1,1,{}\n", "x".repeat(1 << 20)),
    );
    folder.plan(
        &SHOP.replace("grain order_no, line_no\n  track quantity, net", "read net as decimal(2)"),
    );
    let said = folder.run().code(1).out;
    assert!(said.len() < 4_000 && said.contains("xx\u{2026}\""), "{}", said.len());
}
