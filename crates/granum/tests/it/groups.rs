//! Steps that change what one row is, or which rows stay: `one row per`, `top`, `sort`, and values
//! of groups for each row.

use super::folder::{Folder, SHOP, shop};

/// Sales of two months in two channels, with a blank channel and a tie.
fn sales() -> Folder {
    let folder = Folder::new();
    folder.file(
        "sales.csv",
        "line,order_no,on,channel,buyer,net\n\
         1,M1,2026-01-05,shop,Ada,4.00\n\
         2,M1,2026-01-05,shop,Ada,1.50\n\
         3,M2,2026-01-20,post,Ben,2.00\n\
         4,M3,2026-02-01,shop,Ada,2.00\n\
         5,M4,2026-02-03,,Cai,\n\
         6,M5,2026-02-09,post,Ben,10.00\n",
    );
    folder
}

fn plan(folder: &Folder, steps: &str) -> String {
    folder.plan(&format!(
        "input sales from \"sales.csv\"\n  grain line\n  track net\ntable t from sales\n{steps}\n\
         output t to \"t.csv\"\n"
    ));
    let ran = folder.run().code(0);
    ran.out
}

fn written(steps: &str) -> String {
    let folder = sales();
    plan(&folder, steps);
    folder.read("t.csv")
}

#[test]
fn groups_stand_as_they_first_appear_and_a_blank_is_a_group() {
    assert_eq!(
        written(
            "  one row per month(on) as month, channel\n    orders = distinct(order_no)\n    \
             lines = rows()\n    known = count(net)\n    net = sum(net)\n    \
             per_order = round(net / orders, 2)"
        ),
        "month,channel,orders,lines,known,net,per_order\n\
         2026-01,shop,1,2,2,5.50,5.50\n2026-01,post,1,1,1,2.00,2.00\n\
         2026-02,shop,1,1,1,2.00,2.00\n2026-02,,1,1,0,0.00,0.00\n2026-02,post,1,1,1,10.00,10.00\n"
    );
}

#[test]
fn every_aggregate_of_a_group() {
    assert_eq!(
        written(
            "  one row per channel\n    least = min(net) most = max(net) mean = mean(net)\n    \
             dear = any(net > 3) all_dear = all(net > 1) part = share(net > 3)\n    \
             last = latest(order_no by on) first = earliest(order_no by on)\n    \
             buyers = list(distinct buyer, \"; \") nets = list(net, \" \" by net desc)\n    \
             big = sum(net where net >= 2)\n  drop channel is blank"
        ),
        "channel,least,most,mean,dear,all_dear,part,last,first,buyers,nets,big\n\
         shop,1.50,4.00,2.5000000000,true,true,0.3333333333,M3,M1,Ada,4.00 2.00 1.50,6.00\n\
         post,2.00,10.00,6.0000000000,true,true,0.5000000000,M5,M2,Ben,10.00 2.00,12.00\n"
    );
}

#[test]
fn one_row_in_all_is_there_even_of_nothing() {
    let text = "  drop true\n  one row in all lines = rows() net = sum(net) most = max(net)";
    assert_eq!(written(text), "lines,net,most\n0,0.00,\n");
    let folder = sales();
    plan(&folder, "  one row in all net = sum(net)");
    folder.granum(&["show", "p.granum", "t"]).code(0).says("t · one row in all\n");
}

#[test]
fn the_tally_tells_grain_groups_and_what_ends() {
    let folder = sales();
    folder.plan(
        "input sales from \"sales.csv\"\n  grain line\n  track net, line\ntable t from sales\n  \
         one row per channel total row \"all\"\n    value = sum(net)\n  top 2 by value\n",
    );
    // After a total no rows may go.
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("after a total only add, change, rename, columns and sort may follow");
    folder.plan(
        "input sales from \"sales.csv\"\n  grain line\n  track net, line\ntable t from sales\n  \
         one row per channel\n    value = sum(net)\n  top 2 by value\n",
    );
    let ran = folder.granum(&["check", "p.granum"]).code(0);
    for line in [
        "     t                       6          19.50            21\n",
        "  1  one row per channel     3      −3  19.50    0.00     —\n",
        "  2  top 2 by value          2      −1  19.50    0.00     —\n",
        "  1  one row per line → one row per channel; 3 groups of 1 to 3 rows, median 2; line ends here\n",
    ] {
        assert!(ran.out.contains(line), "no {line} in\n{}", ran.out);
    }
}

#[test]
fn the_total_is_worked_afresh_and_only_outputs_and_show_have_it() {
    let folder = sales();
    let steps = "  keep channel is not blank\n  one row per channel total row \"all\"\n    \
                 buyers = distinct(buyer)\n    net = sum(net)\n    each = round(net / buyers, 2)\n  \
                 sort net";
    folder.plan(&format!(
        "input sales from \"sales.csv\"\n  track net\ntable t from sales\n{steps}\n\
         table u from t\ncheck \"rows\": rows(t) = 2 and sum(t.net) = sum(sales.net)\n\
         check t: channel != \"all\"\noutput t to \"t.csv\"\noutput u to \"u.csv\"\n"
    ));
    folder
        .run()
        .code(0)
        .says("2 groups of 2 to 3 rows, median 2; and a row \"all\"\n    of all, which only outputs have\n")
        .says("wrote t.csv · 2 rows and the total · ");
    assert_eq!(
        folder.read("t.csv"),
        "channel,buyers,net,each\nshop,1,7.50,7.50\npost,1,12.00,12.00\nall,2,19.50,9.75\n"
    );
    assert_eq!(folder.read("u.csv").lines().count(), 3);
    let shown = folder.granum(&["show", "p.granum", "t", "--rows", "1"]).code(0);
    shown.says("  all           2  19.50  9.75\n").says("the first 1 of 2 rows, and the total\n");
    let told = folder.granum(&["show", "p.granum", "t", "--format", "json"]).code(0);
    let told: serde_json::Value = serde_json::from_str(&told.out).unwrap();
    assert_eq!(told["table"]["total"][0], "all");
    assert_eq!(told["table"]["rows"].as_array().unwrap().len(), 2);
    // A group of that name would look like the total.
    folder.plan(
        "input sales from \"sales.csv\"\ntable t from sales\n  \
         one row per channel total row \"shop\"\n    n = rows()\n",
    );
    folder.run().code(1).says("a group of `channel` is called \"shop\", as the total row would be");
}

#[test]
fn one_value_was_meant_and_there_are_several() {
    let folder = sales();
    folder.plan(
        "input sales from \"sales.csv\"\ntable t from sales\n  one row per buyer\n    \
         order_no = sole(order_no)\n",
    );
    folder.run().code(1).says(
        "  t: a group has several values where one was meant\n    in  sole(order_no)\n    \
         of  one row per buyer\n    at  buyer Ada\n    values are M1, M3\n    say which is meant:  \
         latest(… by …) , min(…) , list(…) ; or make it a key\n",
    );
    let one =
        "  keep buyer != \"Ada\" and net is not blank\n  one row per buyer channel = sole(channel)";
    assert_eq!(written(one), "buyer,channel\nBen,post\n");
}

#[test]
fn the_largest_stay_and_the_grain_settles_ties() {
    assert_eq!(
        written("  columns line, net\n  top 3 by net"),
        "line,net\n6,10.00\n1,4.00\n3,2.00\n"
    );
    assert_eq!(
        written("  columns line, net\n  top 3 by net with ties"),
        "line,net\n6,10.00\n1,4.00\n3,2.00\n4,2.00\n"
    );
    assert_eq!(
        written("  columns line, buyer, net\n  bottom 1 by net per buyer"),
        "line,buyer,net\n2,Ada,1.50\n3,Ben,2.00\n5,Cai,\n"
    );
    // A part of the rows is rounded up, of each group.
    assert_eq!(written("  columns line, net\n  top 20% by net"), "line,net\n6,10.00\n1,4.00\n");
    assert_eq!(
        written("  columns line, buyer, net\n  bottom 33.4% by net per buyer"),
        "line,buyer,net\n2,Ada,1.50\n4,Ada,2.00\n3,Ben,2.00\n5,Cai,\n"
    );
    let folder = sales();
    let told = plan(&folder, "  top 3 by net");
    assert!(told.contains("  1  1 row went though it ties with the last that stayed\n"), "{told}");
    let told = plan(&folder, "  top 3 by net with ties");
    assert!(told.contains("  1  1 row more, which tie with the last\n"), "{told}");
}

#[test]
fn rows_are_sorted_with_blanks_last() {
    assert_eq!(
        written("  columns line, channel, net\n  sort channel desc, net"),
        "line,channel,net\n2,shop,1.50\n4,shop,2.00\n1,shop,4.00\n3,post,2.00\n6,post,10.00\n5,,\n"
    );
}

#[test]
fn each_row_gets_values_of_its_group() {
    assert_eq!(
        written(
            "  columns line, buyer, on, net\n  add n = position(per buyer by on, line)\n      \
             first = min(on per buyer)\n      so_far = running(net per buyer by on, line)\n      \
             part = round(net / sum(net in all), 2)\n  keep n = max(n per buyer)"
        ),
        "line,buyer,on,net,n,first,so_far,part\n4,Ada,2026-02-01,2.00,3,2026-01-05,7.50,0.10\n\
         5,Cai,2026-02-03,,1,2026-02-03,0.00,\n6,Ben,2026-02-09,10.00,2,2026-01-20,12.00,0.51\n"
    );
}

#[test]
fn each_row_sees_the_rows_beside_it() {
    // Rows 1 and 2 tie in `on`: the grain settles it. The row without a day would stand last.
    assert_eq!(
        written(
            "  columns line, buyer, on, net\n  add before = previous(on per buyer by on)\n      \
             days = on - before\n      behind = next(line per buyer by on)\n      \
             paid = previous(line where net >= 2 per buyer by on)\n      \
             down = previous(line in all by net desc)"
        ),
        "line,buyer,on,net,before,days,behind,paid,down\n\
         1,Ada,2026-01-05,4.00,,,2,,6\n2,Ada,2026-01-05,1.50,2026-01-05,0,4,1,4\n\
         3,Ben,2026-01-20,2.00,,,6,,1\n4,Ada,2026-02-01,2.00,2026-01-05,27,,1,3\n\
         5,Cai,2026-02-03,,,,,,2\n6,Ben,2026-02-09,10.00,2026-01-20,20,,3,\n"
    );
}

#[test]
fn windows_reach_back_by_days_and_by_rows() {
    assert_eq!(
        written(
            "  columns line, on, net\n  add month = running(net in all by on over 28 days)\n      \
             two = running(net in all by on over 2 rows)\n      \
             usual = mean(net in all by on over 15 days)\n      \
             least = min(net in all by on over 15 days)\n      most = max(line in all by on over 16 days)\n      \
             known = count(net in all by on over 3 days)\n      \
             dear = rows(where net > 3 in all by on over 36 days)"
        ),
        "line,on,net,month,two,usual,least,most,known,dear\n\
         1,2026-01-05,4.00,5.50,4.00,2.7500000000,1.50,2,2,1\n\
         2,2026-01-05,1.50,5.50,5.50,2.7500000000,1.50,2,2,1\n\
         3,2026-01-20,2.00,7.50,3.50,2.0000000000,2.00,3,1,1\n\
         4,2026-02-01,2.00,9.50,4.00,2.0000000000,2.00,4,1,1\n\
         5,2026-02-03,,4.00,2.00,2.0000000000,2.00,5,1,1\n\
         6,2026-02-09,10.00,14.00,10.00,6.0000000000,2.00,6,1,2\n"
    );
}

#[test]
fn windows_know_times_of_a_day_and_rows_without_a_day_are_alone() {
    let folder = Folder::new();
    folder.file(
        "t.csv",
        "k,at,n\nA,2026-01-05 23:00:00,1\nA,,2\nA,2026-01-06 01:00:00,4\nA,,8\nA,2026-01-05 08:00:00,16\n\
         B,2026-01-05 09:00:00,32\n",
    );
    folder.plan(
        "input t from \"t.csv\"\n  read n as number\ntable u from t\n  \
         add day = running(n per k by at over 1 day)\n      two = running(n per k by at over 2 days)\n      \
         usual = mean(n per k by at over 2 rows)\n  columns n, day, two, usual\noutput u to \"u.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(
        folder.read("u.csv"),
        "n,day,two,usual\n1,17,17,8.5\n2,2,2,3\n4,4,21,2.5\n8,8,8,5\n16,17,17,16\n32,32,32,32\n"
    );
}

#[test]
fn the_middle_and_what_lies_above_a_part() {
    assert_eq!(
        written(
            "  one row per channel\n    middle = median(net)\n    day = median(on)\n    line = median(line)\n    \
             most = percentile(net, 99.9)\n    low = percentile(net, 33.4)\n    least = percentile(on, 0.001)"
        ),
        "channel,middle,day,line,most,low,least\n\
         shop,2.000,2026-01-05,2.0,4.00,2.00,2026-01-05\npost,6.000,2026-01-20,4.5,10.00,2.00,2026-01-20\n\
         ,,2026-02-03,5.0,,,2026-02-03\n"
    );
    // Of rows that lead here, of all rows, and of nothing.
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\ntable by_order from orders\n  add middle = median(lines.net)\n      top = percentile(lines.net, 100)\n  \
         columns order_no, middle, top\noutput by_order to \"o.csv\"\n\
         check \"usual\": median(lines.net) = 6.255 and percentile(lines.net, 50) > 0\n"
    ));
    folder.run().code(0);
    assert_eq!(folder.read("o.csv"), "order_no,middle,top\nM1,7.750,10.00\nM2,7.010,7.01\n");
}

#[test]
fn links_are_gathered_with_every_aggregate_and_over_several_links() {
    let folder = shop();
    folder.plan(&format!(
        "{SHOP}link lines to orders on order_no\nlink orders to customers on customer_no\n\
         table sales from lines\n  keep net > 6\n\
         table t from customers\n  add lines = rows(orders.lines)\n      net = sum(orders.lines.net)\n      \
         kept = sum(orders.sales.net)\n      dear = max(orders.lines.net where quantity > 1)\n      \
         on = latest(orders.ordered_on by ordered_on)\n      has_sales = has(orders.sales)\n      \
         names = list(orders.customers.name)\noutput t to \"t.csv\"\n"
    ));
    folder.run().code(0);
    assert_eq!(
        folder.read("t.csv"),
        "customer_no,name,lines,net,kept,dear,on,has_sales,names\n\
         C1,Ansa Fernacre,2,15.50,10.00,10.00,2026-03-01,true,Ansa Fernacre\n\
         C2,Brim Mossback,0,0.00,0.00,,,false,\n"
    );
}

#[test]
fn what_cannot_be_gathered_is_refused_with_a_way_out() {
    let folder = sales();
    let wrong = |steps: &str, says: &[&str]| {
        folder.plan(&format!(
            "input sales from \"sales.csv\"\n  track net\ntable t from sales\n{steps}\n"
        ));
        let mut ran = folder.granum(&["check", "p.granum"]).code(2);
        for text in says {
            ran = ran.complains(text);
        }
    };
    wrong("  one row per channel, net = sum(net)", &["no comma before the first result"]);
    wrong("  one row per month(on)\n    n = rows()", &["this key needs a name", "as NAME"]);
    wrong(
        "  one row per channel\n    n = net",
        &["`net` is each row's, and a group may have many rows", "sole(net) , latest(net by"],
    );
    wrong(
        "  one row per channel\n    n = rows()\n    m = n / rowz",
        &["no key and no result above is called `rowz`", "there are channel, n"],
    );
    wrong("  one row in all\n    n = chanel", &["results are aggregates of the rows"]);
    wrong("  one row per channel\n    n = chanel", &["did you mean `channel`?"]);
    wrong(
        "  one row per channel\n    n = rows()\n    n = rows()",
        &["is a key or a result already"],
    );
    wrong("  one row per on total row \"all\"\n    n = rows()", &["make it text:  text(…) as on"]);
    wrong("  one row in all total row \"all\"\n    n = rows()", &["is the total already"]);
    wrong("  one row per channel\n    n = sum(net per buyer)", &["do it with `add` before"]);
    wrong("  one row per channel\n    n = position(by net)", &["gives each row of one table"]);
    wrong("  add x = sum(net)", &["needs to know which rows are meant", "sum(… per KEY)"]);
    wrong(
        "  add all = sum(net in all)\n      x = sum(all per buyer)",
        &["stands on every row of it"],
    );
    wrong("  add x = latest(net per buyer)", &["by what it is the latest"]);
    wrong("  add x = sum(net per buyer by on)", &["the order of rows does not matter to `sum`"]);
    wrong("  add x = running(net per buyer)", &["`running` needs an order"]);
    wrong("  add x = position(net per buyer)", &["`position` takes no value"]);
    wrong("  add x = rows(net per buyer)", &["so it takes no column"]);
    wrong("  add x = share(net per buyer)", &["true or false"]);
    wrong("  add x = list(buyer, net per buyer)", &["is written out"]);
    wrong(
        "  dedupe by sum(net in all) keep first",
        &["stands in `add`, `change`, `keep` and `drop`"],
    );
    wrong("  top 0 by net", &["a whole number above 0"]);
    wrong("  top 0% by net", &["or a part such as `10%`"]);
    wrong("  top 101% by net", &["a share is at most 100%"]);
    wrong("  add x = previous(net per buyer)", &["`previous` needs an order"]);
    wrong("  add x = previous(net by on)", &["needs to know which rows are meant"]);
    wrong("  add x = lag(net per buyer by on)", &["previous(x per KEY by ORDER)"]);
    wrong("  one row per channel\n    n = next(net by on)", &["gives each row of one table"]);
    wrong("  add x = running(net per buyer by on over days)", &["expected `)`"]);
    wrong("  add x = running(net per buyer by on over 0 days)", &["a whole number above 0"]);
    wrong("  add x = running(net per buyer by on over 7 weeks)", &["`days` or `rows`"]);
    wrong("  add x = running(net per buyer by line over 7 days)", &["needs one day to go by"]);
    wrong("  add x = running(net per buyer by on desc over 7 days)", &["the earliest first"]);
    wrong("  add x = rows(per buyer over 7 rows)", &["rows(per customer_no by ordered_on over 28"]);
    wrong("  add x = sum(net per buyer by on over 7 rows)", &["its sum is  running(x … over …)"]);
    wrong("  add x = max(net by on over 7 rows)", &["it needs to know among which"]);
    wrong("  add x = length(buyer over 7 rows)", &["belong to aggregates"]);
    wrong(
        "  add x = percentile(net per buyer)",
        &["needs to know which part", "percentile(net, 90)"],
    );
    wrong("  add x = percentile(net, 0 per buyer)", &["above 0 and at most 100"]);
    wrong("  add x = percentile(net, 100.1 per buyer)", &["above 0 and at most 100"]);
    wrong("  add x = percentile(net, line per buyer)", &["written out"]);
    wrong("  add x = median(buyer in all)", &["a number or a day"]);
    wrong(
        "  add p = previous(net per buyer by on)\n      x = sum(p in all)",
        &["this amount is another row's", "sum the column that it was taken from"],
    );
    wrong(
        "  add p = mean(net per buyer by on over 3 rows)\n      x = median(p in all)",
        &["holds what stands in the rows before it"],
    );
    wrong("  add x = upper(buyer by on)", &["belong to aggregates"]);
    wrong("  add x = sum(net where net > 1 where net > 2 in all)", &["said once in the brackets"]);
}

#[test]
fn what_units_cannot_count_is_told_before_what_its_groups_lack() {
    let folder = Folder::new();
    folder.file("t.csv", "k,q,d\nA,1,x\nA,1,y\nB,,z\n").plan(
        "input t from \"t.csv\"\ntable u from t\n  units of q as n\n  one row per k\n    \
         d = sole(d)\n    n = rows()\noutput u to \"u.csv\"\n",
    );
    let ran = folder.run().code(1).says("1 row has a blank quantity");
    assert!(!ran.out.contains("sole(d)"), "{}", ran.out);
    folder.file("t.csv", "k,q,d\nA,1,x\nA,1,y\nB,1,z\n");
    folder.run().code(1).says("sole(d)");
}

#[test]
fn sums_of_groups_that_do_not_fit_name_the_group() {
    let most = "9223372036854775807";
    let folder = Folder::new();
    folder.file("t.csv", format!("k,n\nA,1\nB,{most}\nB,{most}\nA,-1\n"));
    let stopped = |steps: &str, says: &str| {
        folder.plan(&format!("input t from \"t.csv\"\ntable u from t\n{steps}\n"));
        folder.run().code(1).says("a sum has more digits than its type can hold").says(says);
    };
    stopped(
        "  one row per k\n    n = sum(n)",
        "    in  sum(n)\n    of  one row per k\n    at  k B\n",
    );
    stopped("  one row in all\n    n = sum(n)", "    in  sum(n)\n    of  one row in all\n");
    // Whatever makes that all rows are at hand at once.
    stopped("  one row per k\n    n = sum(n)\n    l = list(n)", "    at  k B\n");
    stopped("  add s = sum(n per k)", "    in  sum(n per k)\n");
    stopped("  add s = running(n per k by n)", "    in  running(n per k by n)\n");
    let window = "running(n per k by n over 2 rows)";
    stopped(&format!("  add s = {window}"), &format!("    in  {window}\n"));
    // Two at most are in the window at once.
    folder.plan(&format!(
        "input t from \"t.csv\"\ntable u from t\n  keep k = \"A\"\n  add s = {window}\n"
    ));
    folder.run().code(0);
    // The sum is too much on its way and fits in the end.
    folder.file("t.csv", format!("k,n\nB,{most}\nB,{most}\nB,-{most}\n"));
    folder.plan(
        "input t from \"t.csv\"\ntable u from t\n  one row per k\n    n = sum(n)\n\
         output u to \"u.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("u.csv"), format!("k,n\nB,{most}\n"));
}

#[test]
fn no_rows_make_no_groups_and_all_columns() {
    let folder = Folder::new();
    folder.file("t.csv", "k,on,net\n").plan(
        "input t from \"t.csv\"\n  read k as text\n       on as date\n       net as decimal(2)\n  track net\n\
         table u from t\n  one row per k total row \"all\"\n    n = rows() net = sum(net) on = max(on)\n\
         table v from t\n  one row per k\n    all = list(k)\n  top 3 by all\n  sort k\n\
         table w from t\n  add p = position(per k by on)\n      s = running(net in all by on)\n\
         output u to \"u.csv\"\noutput v to \"v.csv\"\noutput w to \"w.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("u.csv"), "k,n,net,on\nall,0,0.00,\n");
    assert_eq!(folder.read("v.csv"), "k,all\n");
    assert_eq!(folder.read("w.csv"), "k,on,net,p,s\n");
}

#[test]
fn what_leads_to_the_rows_of_a_group_is_gathered_with_them() {
    let folder = shop();
    let links = "link lines to orders on order_no\nlink orders to customers on customer_no\n";
    folder.plan(&format!(
        "{SHOP}{links}table t from orders\n  one row per has(customers) as known\n    \
         lines = rows(lines)\n    net = sum(lines.net)\n    dear = max(lines.net where quantity > 1)\n    \
         all_dear = all(lines.net > 5)\n    each = round(net / lines, 2)\noutput t to \"t.csv\"\n"
    ));
    folder.run().code(0);
    assert_eq!(
        folder.read("t.csv"),
        "known,lines,net,dear,all_dear,each\ntrue,2,15.50,10.00,true,7.75\n\
         false,1,7.01,7.01,true,7.01\n"
    );
    // What cannot be put together from row to row is worked of the rows that lead here.
    folder.plan(&format!(
        "{SHOP}{links}table t from orders\n  one row per has(customers) as known total row \"x\"\n    \
         d = distinct(lines.net)\n    all = list(lines.line_no, \"/\" by net desc)\n    \
         mean = round(mean(lines.net where quantity > 1), 2)\noutput t to \"t.csv\"\n"
    ).replace("per has(customers) as", "per text(has(customers)) as"));
    folder.run().code(0);
    assert_eq!(
        folder.read("t.csv"),
        "known,d,all,mean\ntrue,2,1/2,10.00\nfalse,1,1,7.01\nx,3,1/1/2,8.51\n"
    );
    folder.plan(&format!(
        "{SHOP}{links}table t from orders\n  one row per has(customers) as known\n    \
         n = sole(lines.net)\n"
    ));
    folder
        .run()
        .code(1)
        .says("a group has several values where one was meant\n    in  sole(lines.net)\n")
        .says("    at  known true\n    values are 10.00, 5.50\n");
    // A name that no link from here is called, and the way to it.
    folder.plan(&format!("{SHOP}{links}table t from customers\n  add n = sum(lines.net)\n"));
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("gather what leads here:  sum(orders.lines.COLUMN)  or  rows(orders.lines)");
    folder.plan(&format!("{SHOP}{links}table t from lines\n  add n = customers.name\n"));
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("it is reached by  orders.customers.COLUMN");
}

#[test]
fn a_column_may_be_called_as_the_table_that_has_it() {
    let folder = Folder::new();
    folder.file("t.csv", "k,lines\nA,2\nA,3\nB,4\n").file("u.csv", "k\nA\nB\n").plan(
        "input lines from \"t.csv\"\ninput u from \"u.csv\"\n  grain k\nlink lines to u on k\n\
         table t from u\n  add n = sum(lines.lines) rows = rows(lines)\noutput t to \"out.csv\"\n\
         check: sum(lines.lines where lines.lines > 2) = 7 and rows(lines) = 3\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("out.csv"), "k,n,rows\nA,5,2\nB,4,1\n");
    folder.plan("input lines from \"t.csv\"\ncheck: rows(lines.lines) = 3\n");
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("`rows` counts rows, so it takes no column");
}

#[test]
fn checks_about_totals_know_every_aggregate() {
    let folder = sales();
    let checked = |checks: &str| {
        folder.plan(&format!(
            "input sales from \"sales.csv\"\n  add each = net / line\n  grain line\n{checks}"
        ));
        folder.granum(&["check", "p.granum"])
    };
    checked(
        "check: mean(sales.net) = 3.9 and share(sales.net > 2) = 0.3333333333\n\
         check: any(sales.net > 9) and not all(sales.net > 2)\n\
         check \"buyers\": list(distinct sales.buyer, \", \") = \"Ada, Ben, Cai\"\n\
         check: latest(sales.order_no by sales.on where sales.net < 5) = \"M3\"\n\
         check: sole(sales.channel where sales.buyer = \"Ben\") = \"post\"\n",
    )
    .code(0)
    .says(
        "  buyers                                            Ada, Ben, Cai and Ada, Ben, Cai  ok\n",
    )
    .says(
        "  latest(sales.order_no where sales.net < 5 by sa…  M3 and M3                        ok\n",
    );
    checked("warn \"one\": sole(sales.buyer) = \"Ada\"\n")
        .code(1)
        .says("  sales: its rows have several values where one was meant\n    in  sole(sales.buyer)\n")
        .says("    of  warn \"one\"\n    values are Ada, Ben, Cai\n    say which is meant:  ")
        .says("list(\u{2026})\n");
    // The mistake is the same wherever it is made.
    checked("check: mean(sales.each) > 1\n")
        .code(0)
        .says("  warning: sales: mean(sales.each)\n    each ratio counts alike");
    for wrong in [
        "sum(sales.net per buyer)",
        "running(sales.net by sales.on)",
        "position(sales.net by sales.on)",
    ] {
        checked(&format!("check: {wrong} > 1\n"))
            .code(2)
            .complains("a check about totals is of all rows of a table, not of each row or group")
            .complains("give a table the column with `add`");
    }
}

#[test]
fn the_latest_may_be_so_by_several_columns() {
    let steps = "  one row per channel\n    last = latest(line by on, net) all = list(distinct line, \" \")\n  \
                 drop channel is blank";
    assert_eq!(written(steps), "channel,last,all\nshop,4,1 2 4\npost,6,3 6\n");
    let alone =
        "  one row per order_no\n    last = latest(line by on, net)\n  keep order_no = \"M1\"";
    assert_eq!(written(alone), "order_no,last\nM1,1\n");
}

#[test]
fn a_total_has_what_is_worked_of_its_own_results_and_no_group() {
    let steps = "  keep channel is not blank\n  one row per channel total row \"all\"\n    \
                 net = sum(net) n = rows()\n  add each = round(net / n, 2) part = round(net / sum(net in all), 2)";
    assert_eq!(
        written(steps),
        "channel,net,n,each,part\nshop,7.50,3,2.50,0.38\npost,12.00,2,6.00,0.62\nall,19.50,5,3.90,\n"
    );
}
