//! What right means: each rule of the reference that a wrong report would break.

use super::folder::{Folder, SHOP, shop};

/// Runs a plan over one input `t` and gives what was written.
fn written(csv: &str, steps: &str) -> String {
    let folder = Folder::new();
    folder.file("t.csv", csv).plan(&format!(
        "input t from \"t.csv\"\n{steps}\ntable out from t\noutput out to \"out.csv\"\n"
    ));
    folder.run().code(0);
    folder.read("out.csv")
}

/// Runs a plan with a table `out` over input `t` and gives what was written.
fn table(csv: &str, input: &str, steps: &str) -> String {
    let folder = Folder::new();
    folder.file("t.csv", csv).plan(&format!(
        "input t from \"t.csv\"\n{input}\ntable out from t\n{steps}\noutput out to \"out.csv\"\n"
    ));
    folder.run().code(0);
    folder.read("out.csv")
}

#[test]
fn ten_over_three_units_adds_up_and_so_does_its_mirror() {
    let csv = "id,quantity,net\nA,3,10.00\nB,3,-10.00\nC,1,0.01\n";
    let out = table(csv, "grain id track quantity, net", "units of quantity as unit_no split net");
    assert_eq!(
        out,
        "id,quantity,net,unit_no\n\
         A,1,3.34,1\nA,1,3.33,2\nA,1,3.33,3\n\
         B,1,-3.34,1\nB,1,-3.33,2\nB,1,-3.33,3\n\
         C,1,0.01,1\n"
    );
}

#[test]
fn split_amounts_have_at_least_two_places() {
    let csv = "id,quantity,points,fee\nA,2,5,0.1\n";
    let out = table(csv, "", "units of quantity as n split points, fee");
    assert_eq!(out, "id,quantity,points,fee,n\nA,1,2.50,0.05,1\nA,1,2.50,0.05,2\n");
}

#[test]
fn units_of_an_expression_keep_the_quantity() {
    let csv = "id,packs,size,net\nA,2,2,1.00\n";
    let out = table(csv, "", "units of packs * size as n split net");
    assert_eq!(out.lines().count(), 5);
    assert!(out.ends_with("A,2,2,0.25,4\n"), "{out}");
}

#[test]
fn text_keys_keep_their_zeros() {
    assert_eq!(written("k,n\n007,1\n7,2\n", ""), "k,n\n007,1\n7,2\n");
    assert_eq!(written("k\n07\n08\n", "  grain k"), "k\n07\n08\n");
}

#[test]
fn types_are_found_over_the_whole_column() {
    let csv = "a,b,c,d,e\n1,1,2026-01-31,true,x\n2,1.5,2026-02-01,false,\n";
    let out = written(csv, "  add f = a + 1 g = b + 1 h = c - date(\"2026-01-01\") i = not d");
    assert_eq!(
        out,
        "a,b,c,d,e,f,g,h,i\n\
         1,1.0,2026-01-31,true,x,2,2.0,30,false\n\
         2,1.5,2026-02-01,false,,3,2.5,31,true\n"
    );
}

#[test]
fn a_late_cell_that_contradicts_its_type_is_seen() {
    // More than the sample that types are first found from.
    let mut csv = String::from("k,n\n");
    for row in 0..120_000 {
        csv.push_str(&format!("{row},{}\n", row % 7));
    }
    csv.push_str("last,1.25\n");
    let out = written(&csv, "");
    assert!(out.starts_with("k,n\n0,0.00\n1,1.00\n"), "{}", &out[..40]);
    assert!(out.ends_with("119999,5.00\nlast,1.25\n"));
}

#[test]
fn blank_keys_match_nothing_and_are_counted() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link orders to customers on customer_no blank allowed complete\n\
         table t from orders\n  add name = customers.name known = has(customers)\n\
         output t to \"t.csv\"\n"
    ));
    folder.run().code(0).says("100.00%");
    assert_eq!(
        folder.read("t.csv"),
        "order_no,ordered_on,customer_no,freight,name,known\n\
         M1,2026-03-01,C1,4.00,Ansa Fernacre,true\n\
         M2,2026-03-02,,0.00,,false\n"
    );
}

#[test]
fn blank_keys_count_as_missing_unless_they_are_allowed() {
    let folder = shop();
    folder.plan(&format!("{SHOP}link orders to customers on customer_no at least 60%\n"));
    folder
        .run()
        .code(1)
        .says("50.00% is matched; the plan asks for at least 60%")
        .says("1 key is blank; say  blank allowed");
}

#[test]
fn a_blank_condition_is_counted_apart_both_times() {
    let csv = "id,status\n1,void\n2,\n3,open\n";
    assert_eq!(written(csv, "  drop status = \"void\""), "id,status\n2,\n3,open\n");
    assert_eq!(written(csv, "  keep status = \"open\""), "id,status\n3,open\n");
    for (step, fate) in [("drop status = \"void\"", "stayed"), ("keep status = \"open\"", "went")] {
        let folder = Folder::new();
        folder.file("t.csv", csv).plan(&format!("input t from \"t.csv\"\n  {step}\n"));
        folder.run().code(0).says(&format!("the condition was blank for 1 row, which {fate}"));
    }
}

#[test]
fn dedupe_keeps_the_first_of_equal_rows_and_takes_blank_as_equal_to_blank() {
    let csv = "a,b\n1,\n1,\n1,x\n\"1\",x\n2,\n";
    assert_eq!(written(csv, "  dedupe"), "a,b\n1,\n1,x\n2,\n");
}

#[test]
fn dedupe_compares_cells_by_text_and_read_columns_by_value() {
    let csv = "a,n\nx,1.0\nx,1.00\n";
    assert_eq!(written(csv, "  dedupe").lines().count(), 3);
    assert_eq!(written(csv, "  read n as decimal(2)\n  dedupe"), "a,n\nx,1.00\n");
}

#[test]
fn dedupe_does_not_confuse_where_cells_end() {
    let csv = "a,b\n\"x,y\",z\nx,\"y,z\"\n";
    assert_eq!(written(csv, "  dedupe").lines().count(), 3);
}

#[test]
fn dedupe_by_keeps_the_latest_and_ties_go_to_the_later_row() {
    let csv = "id,sent,v\nA,2026-01-01,1\nA,2026-01-03,2\nA,2026-01-02,3\nB,2026-01-01,4\n\
               B,2026-01-01,5\n,2026-01-01,6\n,2026-01-02,7\nC,,8\nC,2026-01-01,9\nC,,10\n";
    let out = written(csv, "  dedupe by id keep latest sent");
    assert_eq!(
        out,
        "id,sent,v\nA,2026-01-03,2\nB,2026-01-01,5\n,2026-01-01,6\n,2026-01-02,7\nC,2026-01-01,9\n"
    );
    let folder = Folder::new();
    folder.file("t.csv", csv).plan("input t from \"t.csv\"\n  dedupe by id keep latest sent\n");
    folder.run().code(0).says(
        "0 exact copies, 4 other versions, 1 tie (the later row of the file stayed); 2 rows with a blank\n    key left alone; each row for itself → one row per id\n",
    );
}

#[test]
fn dedupe_by_knows_every_way_to_choose() {
    let csv = "id,on,n,v\nA,2026-01-02,5,1\nA,2026-01-01,9,2\nA,2026-01-02,7,3\n";
    let kept = |how: &str| {
        let out = written(csv, &format!("  dedupe by id keep {how}"));
        out.lines().nth(1).unwrap().rsplit(',').next().unwrap().to_owned()
    };
    assert_eq!(kept("first"), "1");
    assert_eq!(kept("last"), "3");
    assert_eq!(kept("latest on"), "3");
    assert_eq!(kept("earliest on"), "2");
    assert_eq!(kept("largest n"), "2");
    assert_eq!(kept("smallest n"), "1");
    assert_eq!(kept("latest on, smallest n"), "1");
}

#[test]
fn an_expression_can_be_the_key_of_a_dedupe() {
    let csv = "mail,v\nA@x,1\na@X,2\nb@x,3\n";
    assert_eq!(written(csv, "  dedupe by lower(mail) keep last"), "mail,v\na@X,2\nb@x,3\n");
}

#[test]
fn a_look_up_never_changes_the_row_count() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\nlink orders to customers on customer_no\n\
         table t from lines\n  add on = orders.ordered_on name = orders.customers.name\n\
         output t to \"t.csv\"\n"
    ));
    folder.run().code(0);
    assert_eq!(
        folder.read("t.csv"),
        "order_no,line_no,quantity,net,on,name\n\
         M1,1,3,10.00,2026-03-01,Ansa Fernacre\n\
         M1,2,1,5.50,2026-03-01,Ansa Fernacre\n\
         M2,1,2,7.01,2026-03-02,\n\
         M9,1,1,2.00,,\n"
    );
}

#[test]
fn rows_that_lead_here_are_gathered() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         table t from orders\n\
           add n = rows(lines) net = sum(lines.net) big = sum(lines.net where net > 6)\n\
               any = has(lines) twice = sum(lines.net * quantity)\n\
         output t to \"t.csv\"\n"
    ));
    folder.run().code(0);
    assert_eq!(
        folder.read("t.csv").lines().skip(1).collect::<Vec<_>>(),
        [
            "M1,2026-03-01,C1,4.00,2,15.50,10.00,true,35.50",
            "M2,2026-03-02,,0.00,1,7.01,7.01,true,14.02"
        ]
    );
}

#[test]
fn a_sum_of_nothing_is_zero() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link orders to customers on customer_no\n\
         table t from customers\n  add freight = sum(orders.freight) orders = rows(orders)\n\
         check: sum(orders.freight where orders.freight > 100) = 0\n\
         output t to \"t.csv\"\n"
    ));
    folder.run().code(0);
    assert!(folder.read("t.csv").ends_with("C2,Brim Mossback,0.00,0\n"));
}

#[test]
fn what_is_gathered_can_look_forward_again() {
    let folder = shop();
    folder.file("returns.csv", "return_no,order_no,line_no,quantity\nR1,M1,1,2\nR2,M1,1,1\n").plan(
        &format!(
            "{SHOP}input returns from \"returns.csv\"\n  grain return_no\n\
             link lines to orders on order_no\nlink returns to lines on order_no, line_no\n\
             table t from lines\n\
               add back = sum(returns.quantity) worth = sum(returns.quantity * lines.net)\n\
             output t to \"t.csv\"\n"
        ),
    );
    folder.run().code(0);
    assert!(folder.read("t.csv").contains("M1,1,3,10.00,3,30.00\n"), "{}", folder.read("t.csv"));
}

#[test]
fn links_take_pairs_and_expressions_as_keys() {
    let folder = Folder::new();
    folder
        .file("a.csv", "id,who\n1, c1 \n2,C2\n3,c3\n")
        .file("b.csv", "no,name\nC1,Ansa\nC2,Brim\n")
        .plan(
            "input a from \"a.csv\"\n  grain id\ninput b from \"b.csv\"\n  grain no\n\
             link a to b on upper(trim(who)) = no at least 66%\n\
             table t from a\n  add name = b.name\noutput t to \"t.csv\"\n",
        );
    folder.run().code(0).says("66.66%");
    assert_eq!(folder.read("t.csv"), "id,who,name\n1, c1 ,Ansa\n2,C2,Brim\n3,c3,\n");
}

#[test]
fn integers_and_decimals_meet_by_value_in_keys() {
    let folder = Folder::new();
    folder.file("a.csv", "k\n1\n2\n").file("b.csv", "k,v\n1.0,x\n2.5,y\n").plan(
        "input a from \"a.csv\"\n  grain k\ninput b from \"b.csv\"\n  grain k\n\
         link a to b on k\ntable t from a\n  add v = b.v\noutput t to \"t.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("t.csv"), "k,v\n1,x\n2,\n");
}

#[test]
fn two_links_to_one_table_have_names_of_their_own() {
    let folder = Folder::new();
    folder.file("a.csv", "id,x,y\n1,p,q\n").file("b.csv", "k,v\np,1\nq,2\n").plan(
        "input a from \"a.csv\"\n  grain id\ninput b from \"b.csv\"\n  grain k\n\
         link a to b on x = k\nlink a to b on y = k as other back others\n\
         table t from a\n  add first = b.v second = other.v\n\
         table u from b\n  add n = rows(a) m = rows(others)\n\
         output t to \"t.csv\"\noutput u to \"u.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("t.csv"), "id,x,y,first,second\n1,p,q,1,2\n");
    assert_eq!(folder.read("u.csv"), "k,v,n,m\np,1,1,0\nq,2,0,1\n");
}

#[test]
fn tables_are_built_from_tables_and_keep_the_ways_forward_past_units() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         table sold from lines\n  keep has(orders)\n\
         table units from sold\n  units of quantity as unit_no split net\n\
           add on = orders.ordered_on\n\
         table first from units\n  keep unit_no = 1\n\
         output units to \"u.csv\"\noutput first to \"f.csv\"\n"
    ));
    folder.run().code(0);
    assert_eq!(folder.read("u.csv").lines().count(), 7);
    assert!(folder.read("u.csv").contains("M2,1,1,3.51,1,2026-03-02\nM2,1,1,3.50,2,2026-03-02\n"));
    assert_eq!(folder.read("f.csv").lines().count(), 4);
}

#[test]
fn a_link_can_join_tables_and_be_followed_from_what_is_built_on_them() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}table dear from orders\n  keep freight > 1\n\
         link lines to dear on order_no\nlink orders to customers on customer_no\n\
         table t from lines\n  keep has(dear)\n  add name = dear.customers.name\n\
         output t to \"t.csv\"\n"
    ));
    folder.run().code(0);
    assert_eq!(
        folder.read("t.csv"),
        "order_no,line_no,quantity,net,name\n\
         M1,1,3,10.00,Ansa Fernacre\nM1,2,1,5.50,Ansa Fernacre\n"
    );
}

#[test]
fn columns_rename_and_change_do_what_they_say() {
    let csv = "a,b,c\n1,2,3\n";
    assert_eq!(
        table(csv, "", "change a = a + b\nrename b to bee, c to see\ncolumns see, a as first"),
        "see,first\n3,3\n"
    );
}

#[test]
fn several_sources_are_stacked_with_columns_matched_by_name() {
    let folder = Folder::new();
    folder
        .file("in/b.csv", "n,k\n2,b\n")
        .file("in/a.csv", "k,n\na,1\n")
        .file("c.csv", "k,n,extra\nc,3,x\n")
        .plan(
            "input t from \"in/*.csv\", \"c.csv\" filling blanks\n\
             table o from t\noutput o to \"o.csv\"\n",
        );
    folder.run().code(0);
    assert_eq!(folder.read("o.csv"), "k,n,extra\na,1,\nb,2,\nc,3,x\n");
}

#[test]
fn dates_are_read_by_the_first_format_that_fits() {
    let csv = "d\n2026-03-01\n31/12/2025\n1/2/2026\n";
    assert_eq!(
        written(csv, "  read d as date \"%Y-%m-%d\" or \"%d/%m/%Y\""),
        "d\n2026-03-01\n2025-12-31\n2026-02-01\n"
    );
}

#[test]
fn cells_that_cannot_be_read_can_be_blank_and_are_counted() {
    let folder = Folder::new();
    folder.file("t.csv", "n\n1\nn/a\n3\n").plan(
        "input t from \"t.csv\"\n  read n as integer else blank\n\
         table o from t\noutput o to \"o.csv\"\n",
    );
    folder.run().code(0).says("n: 1 cell could not be read and became blank");
    assert_eq!(folder.read("o.csv"), "n\n1\n\"\"\n3\n");
}

#[test]
fn parameters_have_values_that_can_be_set() {
    let folder = Folder::new();
    folder.file("t.csv", "d,n\n2026-01-01,5\n2026-02-01,7\n").plan(
        "param until date = date(\"2026-01-15\")\nparam least integer = 0\nparam rate decimal(2) = 2\n\
         input t from \"t.csv\"\n  keep d <= until and n >= least\n  add x = n * rate\n\
         table o from t\noutput o to \"o.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("o.csv"), "d,n,x\n2026-01-01,5,10.00\n");
    folder.granum(&["run", "p.granum", "--set", "until=2026-12-31", "--set", "least=6"]).code(0);
    assert_eq!(folder.read("o.csv"), "d,n,x\n2026-02-01,7,14.00\n");
}

#[test]
fn a_file_with_only_a_header_has_columns_of_any_type() {
    let folder = Folder::new();
    folder.file("t.csv", "id,q,net\n").plan(
        "input t from \"t.csv\"\n  add x = q * net + 1\n  grain id\n  track net\n\
         table o from t\n  units of q as n split net, x\n\
         check t: net > 0\ncheck: sum(t.net) = 0\noutput o to \"o.csv\"\n",
    );
    folder.run().code(0).says("t has no rows").says("1 check was over a table without rows");
    assert_eq!(folder.read("o.csv"), "id,q,net,x,n\n");
}

#[test]
fn division_by_zero_gives_blank_and_is_counted() {
    let folder = Folder::new();
    folder
        .file("t.csv", "a,b\n1,0\n1,3\n,0\n")
        .plan("input t from \"t.csv\"\n  add r = a / b\ntable o from t\noutput o to \"o.csv\"\n");
    folder.run().code(0).says("t: 1 division by zero gave blank");
    assert_eq!(folder.read("o.csv"), "a,b,r\n1,0,\n1,3,0.3333333333\n,0,\n");
}

#[test]
fn an_if_works_only_the_side_that_it_takes() {
    let csv = "t\n12\nabc\n";
    let out = written(csv, "  add n = if t = \"abc\" then 0 else integer(t)");
    assert_eq!(out, "t,n\n12,12\nabc,0\n");
}

#[test]
fn what_a_group_has_no_value_of_stops_only_the_rows_that_need_it() {
    let csv = "k,q,t\na,1,4\na,2,x\nb,0,7\nb,3,8\n";
    for per in [
        "sum(integer(t) per k)",
        "running(integer(t) per k by q)",
        "running(integer(t) per k by q over 9 rows)",
    ] {
        let step = format!("  add v = if k = \"b\" then {per} else 0");
        let last = if per.starts_with("sum") { ["15", "15"] } else { ["7", "15"] };
        let out = format!("k,q,t,v\na,1,4,0\na,2,x,0\nb,0,7,{}\nb,3,8,{}\n", last[0], last[1]);
        assert_eq!(written(csv, &step), out);
    }
    let folder = Folder::new();
    let plan = "input d from \"t.csv\"\n  read t as text\ntable o from d\n  \
                add v = if q > 0 then sum(integer(t) per k) else 0\noutput o to \"o.csv\"\n";
    folder.file("t.csv", csv).plan(plan);
    let step = "    of  add v = if q > 0 then sum(integer(t) per k) else 0\n";
    folder.run().code(1).says(&format!(
        "  o: \"x\" is no integer\n    in  integer(t)\n{step}    at  (t.csv line 3)\n"
    ));
    // Sums that are too long, of a group that is needed and of one that is not.
    let large = i64::MAX;
    folder.file("t.csv", format!("k,q,t\na,0,{large}\na,0,5\nb,0,7\nb,3,8\n"));
    folder.run().code(0);
    assert!(folder.read("o.csv").ends_with("b,0,7,0\nb,3,8,15\n"));
    folder.file("t.csv", format!("k,q,t\na,0,{large}\na,2,5\nb,0,7\nb,3,8\n"));
    folder.run().code(1).says(&format!("    in  sum(integer(t) per k)\n{step}    at  a\n"));
}

#[test]
fn sums_in_checks_know_all_aggregates() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\n\
         check \"a\": rows(lines) = 4 and count(orders.customer_no) = 1\n\
         check \"b\": distinct(lines.order_no) = 3\n\
         check \"c\": min(lines.net) = 2 and max(orders.ordered_on) = date(\"2026-03-02\")\n\
         check \"d\": sum(lines.net where has(orders)) = 22.51\n\
         check \"e\" lines at least 70%: has(orders)\n\
         check \"f\" orders: rows(lines) > 0\n\
         check \"g\" lines at least 75%: orders.freight >= 0\n"
    ));
    folder.run().code(0).says("HELD: 1 link and 7 checks hold.");
}

#[test]
fn the_same_bytes_come_out_whatever_the_threads() {
    let folder = Folder::new();
    folder.granum(&["demo", "d", "--orders", "6000", "--only-data"]).code(0);
    let run = |threads: &str| {
        let ran =
            folder.granum(&["run", "d/nursery.granum", "--threads", threads, "--color", "never"]);
        let ran = ran.code(0);
        (ran.out, folder.read("d/out/unit_sales.csv"))
    };
    let one = run("1");
    assert_eq!(one, run("8"));
    assert_eq!(one, run("3"));
}

#[test]
fn numbers_are_read_as_an_example_writes_them() {
    let csv = "k,net,back,many,rate\nA,\"1.234,50\",($2.50),1.200,\"0,5\"\nB,\"-0,05\",$3,7,\nC,,($0.10),,\"1,25\"\n";
    let input = "  read net  as decimal \"1.234,56\"
       back as decimal(2) \"($1,234.56)\"
       many as integer \"1.234\"
       rate as number \"1,5\"
  grain k
  track net";
    assert_eq!(
        table(csv, input, "add all = net + back"),
        "k,net,back,many,rate,all\nA,1234.50,-2.50,1200,0.5,1232.00\nB,-0.05,3.00,7,,2.95\nC,,-0.10,,1.25,\n"
    );
}

#[test]
fn examples_may_stand_beside_each_other() {
    let csv = "k,net\nA,\"1,50\"\nB,2.50\n";
    let input = "  read net as decimal \"0,0\" or \"0.00\"";
    // The places are the most that an example shows.
    assert_eq!(table(csv, input, ""), "k,net\nA,1.50\nB,2.50\n");
}
