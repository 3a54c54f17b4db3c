//! Links by periods: what they lead to, what they tell, and what they refuse.

use std::fmt::Write;

use super::folder::{Folder, Ran};

const ORDERS: &str = "order_no,ordered_on,at,article_no,net\n\
    M1,2026-01-05,2026-01-05T08:00,A,10.00\nM2,2026-01-10,2026-01-10T08:00,A,20.00\n\
    M3,2026-01-31,2026-01-31T18:30,B,5.00\nM4,2026-02-01,2026-02-01T08:00,a,7.50\n\
    M5,2026-02-10,2026-02-10T08:00,B,1.00\nM6,2026-02-20,2026-02-20T08:00,A,2.00\n\
    M7,2026-03-31,2026-03-31T23:59,A,3.00\nM8,,,A,4.00\nM9,2026-04-01,2026-04-01T00:00,B,6.00\n";

const PROMOTIONS: &str = "promo_code,starts_on,ends_on,starts_at,ends_at,rank\n\
    WINTER,2026-01-10,2026-01-31,2026-01-10T00:00,2026-01-31T00:00,1\n\
    SNOW,2026-01-20,2026-02-01,2026-01-20T00:00,2026-02-01T00:00,1\n\
    SPRING,2026-02-20,2026-03-31,2026-02-20T00:00,2026-03-31T00:00,2\n";

const PRICES: &str = "price_no,article_no,valid_from,price\n1,A,,1.00\n2,A,2026-02-01,2.00\n\
    3,B,2026-01-31,3.00\n4,B,2026-01-31,3.50\n";

const PLAN: &str = "input orders from \"orders.csv\"\n  grain order_no\n  track net\n\
    input promotions from \"promotions.csv\"\n  grain promo_code\n\
    input prices from \"prices.csv\"\n  grain price_no\n";

/// Their codes beside orders.
const CODES: &str =
    "table t from orders\n  add promo = promotions.promo_code\n  columns order_no, promo\n";

fn shop(rest: &str) -> Folder {
    let folder = Folder::new();
    folder.file("orders.csv", ORDERS).file("promotions.csv", PROMOTIONS).file("prices.csv", PRICES);
    folder.plan(&format!("{PLAN}{rest}"));
    folder
}

/// The table `t` of a plan, as it is written.
fn table(rest: &str) -> String {
    let folder = shop(&format!("{rest}\noutput t to \"t.csv\"\n"));
    folder.run().code(0);
    folder.read("t.csv")
}

#[test]
fn a_period_includes_its_end_or_leaves_it_out() {
    let link = "link orders to promotions on ordered_on within starts_on";
    let through = table(&format!("{link} through ends_on prefer latest starts_on\n{CODES}"));
    assert_eq!(
        through,
        "order_no,promo\nM1,\nM2,WINTER\nM3,SNOW\nM4,SNOW\nM5,\nM6,SPRING\nM7,SPRING\nM8,\nM9,\n"
    );
    let until = table(&format!("{link} until ends_on prefer latest starts_on\n{CODES}"));
    assert_eq!(until, through.replace("M4,SNOW", "M4,").replace("M7,SPRING", "M7,"));
    // Of two that tie, the grain decides: the first code.
    let tied = table(&format!("{link} through ends_on prefer smallest rank\n{CODES}"));
    assert_eq!(tied, through);
    // By the day where one side is days: all of the last day is part of it. By the time else.
    let by = |when: &str, ends: &str| {
        let link = "link orders to promotions on at within";
        table(&format!("{link} {when} through {ends} prefer latest starts_at\n{CODES}"))
    };
    assert_eq!(by("starts_on", "ends_at"), through);
    assert_eq!(by("starts_at", "date(ends_at)"), through);
    let time = through.replace("M4,SNOW", "M4,");
    assert_eq!(by("starts_at", "ends_at"), time.replace("M7,SPRING", "M7,"));
}

#[test]
fn the_price_that_held_is_that_of_the_latest_start() {
    let found = table(
        "link orders to prices on upper(article_no) = article_no, at within valid_from onward \
         prefer largest price\n\
         table t from orders\n  add price = prices.price\n      held = choices(prices)\n  \
         columns order_no, price, held\n",
    );
    assert_eq!(
        found,
        "order_no,price,held\nM1,1.00,1\nM2,1.00,1\nM3,3.50,2\nM4,2.00,1\nM5,3.50,2\nM6,2.00,1\n\
         M7,2.00,1\nM8,,0\nM9,3.50,2\n"
    );
}

#[test]
fn keys_and_choices_follow_other_links() {
    let folder = shop(
        "input lines from \"lines.csv\"\nlink lines to orders on order_no\n\
         link lines to promotions on orders.ordered_on within starts_on through ends_on prefer \
         earliest starts_on\n\
         link orders to promotions on ordered_on within starts_on through ends_on prefer latest \
         starts_on as latest back of_orders\n\
         table t from lines\n  add promo = promotions.promo_code\n      other = orders.latest.promo_code\n      \
         held = choices(orders.latest)\n\
         check \"two held\": sum(t.held) = 2\ncheck lines: choices(promotions) <= 2\noutput t to \"t.csv\"\n",
    );
    folder.file("lines.csv", "line_no,order_no\n1,M3\n2,M9\n3,M0\n");
    folder.run().code(0);
    assert_eq!(
        folder.read("t.csv"),
        "line_no,order_no,promo,other,held\n1,M3,WINTER,SNOW,2\n2,M9,,,0\n3,M0,,,0\n"
    );
}

/// What each of some plans says, in one snapshot.
fn snapshot(name: &str, said: &[(&str, Ran)]) {
    let mut out = String::new();
    for (what, ran) in said {
        writeln!(out, "── {what} (exit {})\n{}{}", ran.code, ran.out, ran.err).unwrap();
    }
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!(name, out) });
}

#[test]
fn what_lies_outside_and_what_overlaps_is_told() {
    let link = |rest: &str| format!("link orders to promotions on {rest}\n{CODES}");
    let run = |rest: &str| shop(&link(rest)).run();
    let by_day = "ordered_on within starts_on until ends_on prefer smallest rank complete";
    let ask = |plan: &str, args: &[&str]| shop(plan).granum(args);
    let prices = "link orders to prices on article_no, ordered_on within valid_from onward";
    snapshot(
        "periods",
        &[
            ("days and a tie", run(by_day)),
            ("the same by match", ask(&link(by_day), &["match", "p.granum", "orders.promotions"])),
            (
                "times",
                run("at within starts_at through ends_at prefer latest starts_at at least 99%"),
            ),
            ("several", run("ordered_on within starts_on through ends_on")),
            ("several of one start", ask(prices, &["check", "p.granum"])),
            (
                "several, by match",
                ask(
                    &link("ordered_on within starts_on through ends_on"),
                    &["match", "p.granum", "orders.promotions"],
                ),
            ),
            (
                "keys that nearly match",
                ask(&format!("{prices} prefer largest price complete"), &["check", "p.granum"]),
            ),
            (
                "rows without a price",
                ask(
                    &format!("{prices} prefer largest price"),
                    &["show", "p.granum", "orders", "--unmatched", "prices"],
                ),
            ),
        ],
    );
}

#[test]
fn what_a_period_cannot_be_is_an_error() {
    let link = "link orders to promotions on";
    let run = |rest: &str| shop(&format!("{rest}\n{CODES}")).run();
    let turned = shop(&format!("{link} ordered_on within starts_on until ends_on\n{CODES}"));
    turned.file(
        "promotions.csv",
        PROMOTIONS.replace("2026-02-20,2026-03-31", "2026-03-31,2026-02-20"),
    );
    let never =
        shop(&format!("{link} ordered_on within starts_on until ends_on prefer latest starts_on"));
    never.file(
        "promotions.csv",
        PROMOTIONS.replace("2026-02-20,2026-03-31", "2026-03-31,2026-03-31"),
    );
    let texts = shop(&format!("{link} ordered_on within starts_on until ends_on"));
    texts.file("promotions.csv", PROMOTIONS.replace("SPRING,2026-02-20", "SPRING,20 February"));
    snapshot(
        "periods_refused",
        &[
            ("an end before its start", turned.run()),
            ("an end that is the start", never.granum(&["check", "p.granum"])),
            ("days that are texts", texts.run()),
            ("not days", run(&format!("{link} net within starts_on onward"))),
            ("no end", run(&format!("{link} ordered_on within starts_on"))),
            ("a key behind it", run(&format!("{link} ordered_on within starts_on onward, rank"))),
            (
                "prefer without a period",
                run(&format!("{link} order_no = promo_code prefer latest starts_on")),
            ),
            (
                "prefer what",
                run(&format!("{link} ordered_on within starts_on onward prefer starts_on")),
            ),
            (
                "a text has no latest",
                run(&format!("{link} ordered_on within starts_on onward prefer latest promo_code")),
            ),
            (
                "an unknown column",
                run(&format!("{link} ordered_on within starts_on onward prefer largest renk")),
            ),
            (
                "choices of a link without a period",
                run(&format!(
                    "{link} order_no = promo_code\ntable n from orders\n  add n = choices(promotions)"
                )),
            ),
            (
                "choices of nothing",
                run(&format!(
                    "{link} ordered_on within starts_on onward\ntable n from orders\n  add n = choices(1)"
                )),
            ),
        ],
    );
}

#[test]
fn files_with_periods_are_related_and_drafted() {
    let folder = shop("");
    let versions =
        "article_no,valid_from,price\nA,2026-01-01,1.00\nA,2026-02-01,2.00\nB,2026-01-01,3.00\n";
    folder.file("prices.csv", versions).file("orders.csv", ORDERS.replace(",a,", ",A,"));
    let files = ["orders.csv", "promotions.csv", "prices.csv"];
    let related = folder.granum(&[&["relate"], &files[..]].concat());
    let drafted = folder.granum(&[&["draft"], &files[..]].concat()).code(0);
    folder.plan(&drafted.out);
    folder.granum(&["check", "p.granum"]).code(0);
    snapshot("periods_found", &[("relate", related), ("draft", drafted)]);
}
