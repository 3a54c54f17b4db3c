//! Amounts that count apart: currencies, and other measures.

use super::folder::Folder;

const ORDERS: &str = "order_no,customer_no,ordered_on,currency,net,freight\n\
                      M1,C1,2026-01-05,EUR,10.00,2.00\nM2,C1,2026-01-06,EUR,20.00,3.00\n\
                      M3,C2,2026-01-06,GBP,5.00,1.00\nM4,C2,2026-02-07,EUR,7.00,1.00\n\
                      M5,C3,2026-02-08,GBP,8.50,0.00\nM6,C3,2026-02-09,,0.00,0.00\nM7,C9,2026-02-09,CHF,,\n";
const LINES: &str = "order_no,line_no,worth\nM1,1,4.00\nM1,2,6.00\nM3,1,5.00\nM8,1,5.00\n";

/// A plan over orders that are tracked in their currency, lines and customers.
fn plan(folder: &Folder, rest: &str) {
    folder
        .file("orders.csv", ORDERS)
        .file("lines.csv", LINES)
        .file("customers.csv", "customer_no\nC1\nC2\nC3\n");
    folder.plan(&format!(
        "input orders from \"orders.csv\"\n  grain order_no\n  track net, freight in currency\n\n\
         input lines from \"lines.csv\"\n  grain order_no, line_no\n\ninput customers from \"customers.csv\"\n  \
         grain customer_no\n\nlink lines to orders on order_no\nlink orders to customers on customer_no\n\n{rest}\n"
    ));
}

#[test]
fn tally_links_and_bridge_have_each_currency_by_itself() {
    let folder = Folder::new();
    plan(&folder, "table t from orders\n  keep net < 20\n\noutput t to \"t.csv\"");
    let ran = folder.run().code(0).says("     step           rows  change  net CHF  change  net EUR  change  net GBP  change\n")
        .says("  1  keep net < 20     5      \u{2212}2     0.00    0.00    17.00  \u{2212}20.00    13.50    0.00\n")
        .says("  orders \u{2192} customers     7   85.71%        1      0  100.00% of net CHF  \u{2014}\n")
        .says("                                                     100.00% of net EUR\n")
        .says("  in t.csv                5     0.00    17.00    13.50         0.00         3.00         1.00\n")
;
    // A zero in no currency is in none.
    assert!(!ran.out.contains("(blank)"), "{}", ran.out);
    folder.file("orders.csv", ORDERS.replace("M6,C3,2026-02-09,,0.00", "M6,C3,2026-02-09,,1.00"));
    folder.run().code(0).says("net (blank)");
    // A share that is asked for must be reached in each.
    let asked =
        folder.read("p.granum").replace("on customer_no\n", "on customer_no at least 99% of net\n");
    folder.plan(&asked).run().code(0);
    folder.file("orders.csv", ORDERS.replace("CHF,,", "CHF,0.01,"));
    folder.run().code(1).says(
        "0.00% of net CHF, 100.00% of net EUR, 100.00% of net GBP is matched; the plan asks for at least 99% of net",
    );
}

#[test]
fn what_would_add_two_currencies_stops_and_names_both() {
    let folder = Folder::new();
    let stops = |rest: &str, says: &str| {
        plan(&folder, &format!("{rest}\n"));
        folder.run().code(1).says(says);
    };
    let table = |steps: &str| format!("table t from orders\n{steps}\noutput t to \"t.csv\"");
    plan(&folder, &table("  one row per customer_no\n    net = sum(net)"));
    folder.run().code(1).says(
        "  t: amounts in EUR and in GBP would be added or compared\n    in  sum(net)\n    of  one row per \
         customer_no\n    at  customer_no C2\n      EUR  1 row  7.00\n      GBP  1 row  5.00\n    keep them apart: \
         make  currency  a key, or take one of them:  where currency = \"EUR\"\n    or convert before, by a rate \
         over a link:  add NAME = round(AMOUNT * rates.rate, 2)  track NAME\n",
    );
    for call in ["sum(net)", "mean(net)", "max(net)", "median(net)", "percentile(freight, 90)"] {
        stops(&table(&format!("  one row in all\n    x = {call}")), "    at  all rows\n      EUR");
        stops(
            &format!("check \"a\": {} > 0", call.replace('(', "(orders.")),
            "    of  check \"a\"",
        );
    }
    let each = [
        "sum(net per customer_no)",
        "mean(net in all)",
        "running(net per customer_no by ordered_on)",
        "min(net per customer_no by ordered_on over 7 days)",
        "net - previous(net per customer_no by ordered_on)",
        "net / sum(net in all)",
    ];
    for value in each {
        stops(&table(&format!("  add x = {value}")), "amounts in ");
    }
    stops(
        &table("  one row per currency total row \"all\"\n    net = sum(net)"),
        "    at  all rows\n",
    );
    stops(&table("  top 2 by net"), "    in  top 2 by net\n    at  all rows\n");
    stops("table t from customers\n  add net = sum(orders.net)", "    at  customer_no C2\n");
    stops(
        "table t from lines\n  keep has(orders)\n  add cost = orders.net\n      currency = orders.currency\n  one \
         row per line_no\n    n = rows()\n    most = max(cost)",
        "amounts in EUR and in GBP",
    );
    stops(
        "table t from lines\n  add w = worth\n      c = if line_no = 2 then \"EUR\" else \"GBP\"\n  track w in c\n  \
         allocate orders.freight as f by w",
        "    in  allocate orders.freight as f by w\n    at  M1\n      GBP  1 row  4.00\n      EUR  1 row  6.00\n    \
         keep them apart: take what they are in among the keys, behind  per\n",
    );
    stops(
        "table t from lines\n  add spend = if has(orders) then 1.00 else blank\n      currency = orders.currency\n  track spend in currency\n  add again = spend\n  allocate again as f \
         equally per line_no",
        "amounts in EUR and in GBP",
    );
}

#[test]
fn two_amounts_of_one_row_meet_only_in_one_currency() {
    let folder = Folder::new();
    let head =
        "table t from orders\n  add other = \"EUR\"\n      fee = freight\n  track fee in other\n";
    plan(&folder, &format!("{head}  add all = net + fee\noutput t to \"t.csv\""));
    folder.run().code(1).says("  t: an amount that is in GBP would be tracked as one in EUR\n    in  track fee in other\n    at  order_no M3, orders.csv line 4\n");
    folder.plan(&folder.read("p.granum").replace(
        "      fee = freight\n  track fee in other\n",
        "      fee = 1.00\n  track fee in other\n",
    ));
    folder.run().code(1).says(
        "  t: amounts in GBP and in EUR would be added or compared\n    in  net + fee\n    of  add all = net + fee\n    \
         at  order_no M3, orders.csv line 4\n      GBP  1 row  5.00\n      EUR  1 row  1.00\n    say what it is then, \
         by  if \u{2026} then \u{2026} else \u{2026}\n",
    );
    let with = |steps: &str| {
        plan(
            &folder,
            &format!(
                "table t from orders\n  add other = \"EUR\"\n      fee = 1.00\n  track fee in other\n{steps}\noutput t to \"t.csv\""
            ),
        );
        folder.run()
    };
    with("  add all = if currency = other then net + fee else net\n  columns order_no, currency, all").code(0);
    assert!(
        folder
            .read("t.csv")
            .starts_with("order_no,currency,all\nM1,EUR,11.00\nM2,EUR,21.00\nM3,GBP,5.00\n")
    );
    with("  keep net > fee").code(1).says("in  net > fee");
    with("  add some = net ?? fee").code(1).says("  t: `some` is in several currencies");
    with("  add some = net ?? 0.00\n      least = lowest(net, 0.00)").code(0);
    with("  add least = lowest(net, fee)").code(1).says("amounts in GBP and in EUR");
    // Of results of groups as well.
    with("  one row per customer_no\n    net = sum(net where currency = \"GBP\")\n    fee = sum(fee)\n    all = net + fee")
        .code(1)
        .says("amounts in GBP and in EUR");
}

#[test]
fn rates_make_one_currency_of_them() {
    let folder = Folder::new();
    folder.file("rates.csv", "currency,since,rate\nEUR,2026-01-01,1.0000\nGBP,2026-01-01,1.1500\nGBP,2026-02-01,1.2000\n");
    plan(
        &folder,
        "input rates from \"rates.csv\"\n\nlink orders to rates on currency, ordered_on within since onward\n\n\
         table t from orders\n  add eur = round(net * rates.rate, 2)\n  track eur\n  one row per customer_no\n    \
         eur = sum(eur)\n\noutput t to \"t.csv\"",
    );
    folder.run().code(0).says("  in t.csv                       4  52.95\n");
    assert_eq!(folder.read("t.csv"), "customer_no,eur\nC1,30.00\nC2,12.75\nC3,10.20\nC9,0.00\n");
}

#[test]
fn what_amounts_are_in_goes_with_them_or_is_one() {
    let folder = Folder::new();
    let with = |steps: &str| {
        plan(&folder, &format!("{steps}\noutput t to \"t.csv\""));
        folder.run()
    };
    // A column of the table has it, by a key, the one value of a group, a path.
    with("table t from orders\n  one row per customer_no, currency\n    net = sum(net)")
        .code(0)
        .says("net GBP");
    let eur = "table t from orders\n  keep currency = \"EUR\"\n";
    with(&format!(
        "{eur}  one row per customer_no\n    net = sum(net)\n    money = sole(currency)"
    ))
    .code(0);
    with("table t from customers\n  add net = sum(orders.net where currency = \"EUR\")\n      currency = \
          sole(orders.currency where currency = \"EUR\")\n  track net")
        .code(0)
        .says("3    37.00\n");
    with("table t from lines\n  add currency = orders.currency\n  allocate orders.freight as freight by worth")
        .code(0)
        .says("  1  EUR 2.00 of 6.00 over 2 rows; not allocated: 4.00 of 2 that no row leads to (M2, M4); GBP 1.00\n    over 1 row, all there is");
    // It is left behind: all rows must be in one.
    with(&format!("{eur}  columns order_no, net")).code(0);
    with(&format!("{eur}  one row per customer_no\n    net = sum(net)"))
        .code(0)
        .says("  in t.csv                       2     0.00    37.00     0.00\n");
    let alone = |steps: &str, add: &str| {
        with(steps)
            .code(1)
            .says("is in several currencies, or other measures, and no column of t says in which\n      EUR")
            .says(&format!("    say it:  {add}\n"));
    };
    alone("table t from orders\n  columns order_no, net", "columns \u{2026}, currency");
    alone(
        "table t from orders\n  one row per order_no\n    net = sum(net)",
        "currency = sole(currency where net is not blank)",
    );
    alone("table t from lines\n  add cost = orders.freight", "add currency = orders.currency");
    with("table t from orders\n  one row per order_no\n    net = sum(net)\n    currency = sole(currency where net is not blank)")
        .code(0);
    // Built on, it goes on: foreseen where it begins, turned, in units, in stacks.
    with("table t from lines\n  drop line_no = 2\n  add cost = worth\n      money = orders.currency\n  track cost in money")
        .code(0)
        .says("cost EUR");
    with("table t from orders\n  columns order_no, currency, net, freight\n  turn net, freight into rows what, amount\n  \
          track amount in currency\n  one row per what, currency\n    amount = sum(amount)")
        .code(0)
        .says("amount EUR");
    with("table t from orders\n  keep net > 0\n  add two = 2\n  units of two as no split net, freight\n  one row per no\n    net = sum(net)")
        .code(1)
        .says("    at  no 1\n      EUR");
    with("table a from orders\n  keep currency = \"EUR\"\ntable b from orders\n  drop currency = \"EUR\"\ntable t from a, b\n  one row in all\n    net = sum(net)")
        .code(1)
        .says("  t: amounts in EUR and in GBP");
    let trace =
        with("table t from orders\n  one row per customer_no, currency\n    net = sum(net)")
            .code(0);
    trace.says("net CHF");
    folder
        .granum(&["trace", "p.granum", "t", "customer_no=C1"])
        .code(0)
        .says("orders \u{b7} 2 rows, 30.00 net EUR, 5.00 freight EUR:");
    folder
        .granum(&["example", "p.granum", "t", "customer_no=C1"])
        .code(0)
        .says("M2,C1,EUR,20.00,3.00");
}

#[test]
fn what_cannot_count_apart_is_refused_with_a_way_out() {
    let folder = Folder::new();
    let wrong = |steps: &str, says: &str, helps: &str| {
        plan(&folder, &format!("table t from orders\n{steps}\noutput t to \"t.csv\""));
        folder.granum(&["check", "p.granum"]).code(2).complains(says).complains(helps);
    };
    wrong(
        "  change currency = upper(currency)",
        "`net` is in `currency`: to change that",
        "change it before  track net in currency",
    );
    wrong(
        "  change net = net * freight",
        "`net` counts apart, and what it would become",
        "add NAME",
    );
    wrong(
        "  add q = 1\n  track q\n  add x = net + q",
        "of the other none is known",
        "track NAME in COLUMN",
    );
    wrong("  track net in net", "`net` cannot be in itself", "net");
    wrong("  track net in freight", "`freight` is an amount", "EUR and GBP");
    wrong("  track net in money", "no column called `money`", "columns are");
    wrong("  track net in currency, freight", "all amounts of one `track`", "a step of their own");
    wrong("  track net in", "in which currency", "`output` is a word");
    wrong(
        "  add o = \"x\"\n      fee = 1.00\n  track fee in o\n  columns order_no, currency, o, net, fee\n  turn net, fee into rows what, amount",
        "`net` and `fee` count apart by different columns",
        "turn each by a step of its own",
    );
    // What that would have made is known all the same: nothing else is told.
    plan(
        &folder,
        "table t from orders\n  add o = \"x\"\n      fee = 1.00\n  track fee in o\n  columns order_no, currency, o, net, fee\n  turn net, fee into rows what, amount\n  keep amount > 0",
    );
    let told = folder.granum(&["check", "p.granum"]).code(2).err;
    assert_eq!(told.matches("error[").count(), 1, "{told}");
    // In a check no row is looked at before.
    plan(
        &folder,
        "table t from orders\n  add o = \"EUR\"\n      fee = 1.00\n  track fee in o\ncheck t: net > fee",
    );
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("may be in different currencies")
        .complains("with `add` in their own table");
    plan(
        &folder,
        "table t from orders\n  add o = \"EUR\"\n      fee = 1.00\n  track fee in o\ntable u from customers\n  add x = sum(orders.t.net)\ncheck \"c\": sum(t.net + t.fee) > 0",
    );
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("may be in different currencies")
        .complains("in their own table");
    // Stacked, it is in the same in all of them.
    plan(
        &folder,
        "table a from orders\n  add money = currency\n  columns order_no, money, freight\n  track freight in money\ntable b from lines\n  add money = \"EUR\"\n      freight = worth\n  one row per order_no, money\n    freight = sum(freight)\n  track freight\ntable t from a, b\n",
    );
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("`freight` is in")
        .complains("track it in the same column in each");
    // What tells rows apart is no currency.
    let many: Vec<String> = (0..300).map(|n| format!("k{n},1.00\n")).collect();
    let many = many.concat();
    folder.file("many.csv", format!("k,net\n{many}"));
    folder.plan("input many from \"many.csv\"\n  grain k\n  track net in k\n");
    folder.granum(&["check", "p.granum"]).code(1).says(
        "  many: `net` would be in more than 200 different currencies, or other measures\n    the column behind  in  says one of few",
    );
}

#[test]
fn a_draft_tracks_money_in_its_currency() {
    let folder = Folder::new();
    folder.file("orders.csv", ORDERS.replace(",freight\n", ",quantity\n"));
    folder
        .granum(&["draft", "orders.csv"])
        .code(0)
        .says("  grain order_no\n  track net in currency\n  track quantity\n");
    // Where two columns could say it, nobody knows which does.
    let two: Vec<String> = ORDERS
        .lines()
        .map(|line| format!("{line},{}\n", line.split(',').nth(3).unwrap()))
        .collect();
    let two = two.concat().replacen(",freight,currency", ",freight,pay_currency", 1);
    folder.file("orders.csv", two);
    folder.granum(&["draft", "orders.csv"]).code(0).says("  track net, freight\n");
}
