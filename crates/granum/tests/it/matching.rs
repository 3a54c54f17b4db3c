//! One link in depth.

use std::collections::BTreeMap;

use proptest::prelude::*;
use serde_json::Value;

use super::folder::{Folder, SHOP, shop};
use super::survey::nursery;

fn snapshot(name: &str, text: &str) {
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!(name, text) });
}

#[test]
fn two_files_with_amounts_and_by_a_column() {
    let folder = nursery();
    let ran = folder
        .granum(&[
            "match",
            "data/orders_post.csv",
            "data/customers.csv",
            "--on",
            "customer_no",
            "--amount",
            "freight",
            "--by",
            "status",
        ])
        .code(0);
    snapshot("match_files", &ran.out);
}

#[test]
fn a_plan_s_link_by_month_and_by_file() {
    let folder = nursery();
    let by = |by: &str| {
        folder.granum(&["match", "nursery.granum", "lines.orders", "--amount", "net", "--by", by])
    };
    snapshot("match_plan", &by("month(orders.ordered_on)").code(0).out);
    by("source_file()").code(0).says("data/lines.csv").says("by source_file()");
}

#[test]
fn what_a_join_would_make_is_told_where_the_target_repeats() {
    let folder = Folder::new();
    folder
        .file("a.csv", "k,n\n1,5\n1,6\n2,7\n3,8\n,9\n")
        .file("b.csv", "k,v\n1,x\n1,y\n1,z\n2,q\n4,r\n");
    let ran = folder.granum(&["match", "a.csv", "b.csv", "--on", "k", "--amount", "n"]).code(0);
    // 2 rows of key 1 become 6; the others stay one each.
    ran.says("a look-up is not safe: 1 key of b stands on 3 rows")
        .says("2 rows of a meet such a key; a join would make 9 rows of 5")
        .says("1 on 3 rows   (b.csv line 2, b.csv line 3, b.csv line 4)")
        .says("    n    35       18  51.42%        8          9")
        .says("not in b: 3\n")
        .says("not in a: 4\n");
}

#[test]
fn columns_of_any_name_pairs_of_names_and_expressions_are_keys() {
    let folder = Folder::new();
    folder.file("a.csv", "Order No,n\nm1,5\nM2,6\n").file("b.csv", "nr,v\nM1,1.50\nM2,2.50\n");
    let ran = |on: &str, more: &[&str]| {
        folder.granum(&[&["match", "a.csv", "b.csv", "--on", on], more].concat()).code(0)
    };
    ran("Order No=nr", &["--amount", "v"])
        .says("a       2        1  50.00%")
        .says("v  4.00     2.50  62.50%");
    ran("upper(`Order No`) = nr", &["--by", "Order No"]).says("a     2        2  100.00%");
    ran("Order No=nr", &[]).says("1 row would match but for letter case: m1 and M1");
}

#[test]
fn a_number_and_a_text_are_compared_as_text_and_it_is_said() {
    let folder = Folder::new();
    folder.file("a.csv", "k\n7\n8\n").file("b.csv", "k\n007\n008\n012\n");
    let ran = folder.granum(&["match", "a.csv", "b.csv", "--on", "k"]).code(0);
    ran.says("k is integer in a and text on the other side; in a plan it needs  read k as text")
        .says("2 rows would match but for leading zeros: 7 and 007, 8 and 008")
        .says("mend it:  on k = trim_left(k, \"0\")");
}

#[test]
fn a_key_that_repeats_is_not_counted_as_merged() {
    let folder = Folder::new();
    folder.file("a.csv", "k\na1\nB2\n").file("b.csv", "k\nA1\nA1\nB2\n");
    let ran = folder.granum(&["match", "a.csv", "b.csv", "--on", "k"]).code(0);
    let near = ran.out.split_once("keys that nearly match").unwrap().1;
    assert!(!near.contains("look first"), "{near}");
}

#[test]
fn a_call_that_is_wrong_says_what_is_meant() {
    let folder = shop();
    folder.plan(&format!("{SHOP}link lines to orders on order_no\n"));
    let wrong = |args: &[&str], says: &str| {
        folder.granum(&[&["match"], args].concat()).code(2).complains(says);
    };
    wrong(&["lines.csv", "orders.csv"], "matched --on their keys");
    wrong(&["p.granum", "lines.orders", "--on", "order_no"], "a plan's link has its keys");
    wrong(&["p.granum", "lines"], "named TABLE.LINK");
    wrong(&["p.granum", "lines.order"], "no link called `order` leads from `lines`");
    wrong(&["p.granum", "line.orders"], "the plan has no table called `line`");
    wrong(&["lines.csv", "orders.csv", "--on", "order_nr"], "did you mean `order_no`?");
    wrong(&["p.granum", "lines.orders", "--by", "weeek(net)"], "weeek");
    wrong(&["p.granum", "lines.orders", "--amount", "nett"], "did you mean `net`?");
    folder.granum(&["match", "nope.csv", "orders.csv", "--on", "k"]).code(3).complains("nope.csv");
    folder.granum(&["match", "nope.granum", "lines.orders"]).code(3).complains("no such plan");
}

#[test]
fn what_stops_a_table_stops_the_look() {
    let folder = shop();
    folder.file("lines.csv", "order_no,line_no,quantity,net\nM1,1,1,2\nM1,1,1,2\n");
    folder.plan(&format!("{SHOP}link lines to orders on order_no\n"));
    let ran = folder.granum(&["match", "p.granum", "lines.orders"]).code(1);
    ran.complains("the grain order_no, line_no does not hold").complains("could not be looked at");
}

#[test]
fn the_document_has_what_the_text_shows() {
    let folder = shop();
    folder.plan(&format!("{SHOP}link lines to orders on order_no\n"));
    let args = [
        "match",
        "p.granum",
        "lines.orders",
        "--by",
        "order_no",
        "--amount",
        "net",
        "--format",
        "json",
    ];
    let told: Value = serde_json::from_str(&folder.granum(&args).code(0).out).unwrap();
    let found = &told["match"];
    assert_eq!((&found["source"]["rows"], &found["source"]["matched"]), (&4.into(), &3.into()));
    assert_eq!(found["source"]["amounts"]["missing"]["sum"], "2.00");
    assert_eq!(found["groups"][2]["value"], "M9");
    assert_eq!(found["groups"][2]["missing_net"]["sum"], "2.00");
    assert_eq!(found["target"]["missing"], 0);
}

/// Keys, some blank and some that only one side has.
fn keys() -> impl Strategy<Value = Vec<Option<u8>>> {
    prop::collection::vec(prop::option::weighted(0.85, 0..9_u8), 1..20)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn what_is_told_is_what_a_join_row_by_row_would_find(a in keys(), b in keys()) {
        let word = |key: &Option<u8>, first: u8| key.map_or(String::new(), |key| format!("k{}", key + first));
        let rows = |keys: &[Option<u8>], first: u8| -> String {
            let row = |(at, key): (usize, &Option<u8>)| {
                format!("{},{}.25,g{}\n", word(key, first), at + 1, at % 3)
            };
            keys.iter().enumerate().map(row).collect()
        };
        let folder = Folder::new();
        folder.file("a.csv", format!("k,n,g\n{}", rows(&a, 0)));
        folder.file("b.csv", format!("k,m,h\n{}", rows(&b, 2)));
        let args = ["match", "a.csv", "b.csv", "--on", "k", "--amount", "n", "--by", "g", "--format", "json"];
        let told: Value = serde_json::from_str(&folder.granum(&args).code(0).out).unwrap();
        let told = &told["match"];

        let count = |keys: &[Option<u8>], first: u8, word_of: &str| {
            keys.iter().filter(|key| word(key, first) == word_of).count() as u64
        };
        // In quarters, so that sums are whole numbers.
        let (mut matched, mut missing, mut blank, mut joined) = (0, 0, 0, 0);
        let (mut quarters, mut lost) = (0, 0);
        let mut repeated = BTreeMap::new();
        let mut groups: BTreeMap<String, (u64, u64)> = BTreeMap::new();
        for (at, key) in a.iter().enumerate() {
            let group = groups.entry(format!("g{}", at % 3)).or_default();
            let key = word(key, 0);
            let met = if key.is_empty() { 0 } else { count(&b, 2, &key) };
            let amount = 4 * (at as u64 + 1) + 1;
            joined += met.max(1);
            match (key.is_empty(), met) {
                (true, _) => blank += 1,
                (_, 0) => {
                    missing += 1;
                    lost += amount;
                }
                _ => {
                    matched += 1;
                    quarters += amount;
                    group.0 += 1;
                }
            }
            group.1 += 1;
            if met > 1 {
                repeated.insert(key, met);
            }
        }
        let source = &told["source"];
        let counts = ["rows", "matched", "missing", "blank"].map(|name| source[name].as_u64().unwrap());
        prop_assert_eq!(counts, [a.len() as u64, matched, missing, blank]);
        let sum = |amount: &Value| (amount["sum"].as_str().unwrap().parse::<f64>().unwrap() * 4.0) as u64;
        prop_assert_eq!(sum(&source["amounts"]["matched"]), quarters);
        prop_assert_eq!(sum(&source["amounts"]["missing"]), lost);
        for group in told["groups"].as_array().unwrap() {
            let (matched, rows) = groups[group["value"].as_str().unwrap()];
            prop_assert_eq!((group["matched"].as_u64(), group["rows"].as_u64()), (Some(matched), Some(rows)));
        }
        let back = b.iter().filter(|key| key.is_some() && count(&a, 0, &word(key, 2)) > 0).count();
        prop_assert_eq!(told["target"]["matched"].as_u64(), Some(back as u64));
        // Keys that repeat in b are told whether or not a row of a leads to them.
        let safe = (2..11_u8).all(|key| count(&b, 2, &format!("k{key}")) < 2);
        prop_assert_eq!(told["repeating"].is_null(), safe);
        if let Some(repeating) = told["repeating"].as_object() {
            prop_assert_eq!(repeating["would_be"].as_u64(), Some(joined));
            let source_rows: u64 = repeated.keys().map(|key| count(&a, 0, key)).sum();
            prop_assert_eq!(repeating["source_rows"].as_u64(), Some(source_rows));
        }
    }
}
