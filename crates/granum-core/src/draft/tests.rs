use std::collections::HashMap;

use proptest::prelude::*;

use super::*;
use crate::engine::tests::memory::{Memory, Shelf};
use crate::port::Silent;
use crate::relate::tests::related;

/// Drafts a plan for texts of rows with commas between cells.
fn drafted(tables: &[(&str, String)]) -> Draft {
    let relations = related(tables);
    let files = tables.iter().map(|(name, text)| ((*name).to_owned(), text.clone()));
    let memory = Memory { files: files.collect::<HashMap<_, _>>(), part: 3 };
    let files: Vec<Vec<DraftedFiles>> = relations
        .tables
        .iter()
        .map(|table| {
            vec![DraftedFiles { paths: vec![table.name.clone()], ..DraftedFiles::default() }]
        })
        .collect();
    draft(&relations, &files, (&memory, &Shelf::room(0, usize::MAX)), &Silent)
        .unwrap_or_else(|error| panic!("{error:#?}"))
}

fn rows(header: &str, count: usize, row: impl Fn(usize) -> String) -> String {
    let rows: String = (0..count).map(|at| row(at) + "\n").collect();
    format!("{header}\n{rows}")
}

#[test]
fn a_flag_a_day_and_a_text_by_a_name_of_amounts_are_none() {
    let lines = rows("order_no,line_no,paid", 40, |at| format!("M{},{},{at}", at / 4, at % 4));
    let orders = rows("order_no,paid,refunded_on,shipping", 10, |at| {
        format!("M{at},{},2026-03-1{},way {}", at % 2, at % 5, at % 6)
    });
    let ways = rows("way,days", 6, |at| format!("way {at},{at}"));
    let text = drafted(&[("lines", lines), ("orders", orders), ("ways", ways)]).text;
    for told in [
        "grain order_no, line_no\n  track paid\n",
        "grain order_no\n\n",
        "# link orders to ways on shipping = way ",
        "  add orders_paid = orders.paid\n      refunded_on = orders.refunded_on\n",
        "shipping    = orders.shipping\n",
    ] {
        assert!(text.contains(told), "no {told} in\n{text}");
    }
}

#[test]
fn grains_amounts_links_and_look_ups_are_written_down() {
    let lines = rows("order_no,line_no,net", 40, |at| format!("M{},{},1.50", at / 4, at % 4));
    let orders = rows("order_no,customer_no,channel,freight", 9, |at| {
        format!("M{at},C{},shop,4.00", at % 5)
    });
    let customers = rows("customer_no,name", 5, |at| format!("C{at},name {at}"));
    let draft = drafted(&[("lines", lines), ("orders", orders), ("customers", customers)]);
    let text = draft.text.split_once("# 40 rows").unwrap().1;
    let expected = "
input lines from \"lines\"
  grain order_no, line_no
  track net

# 9 rows
input orders from \"orders\"
  grain order_no
  track freight

# 5 rows
input customers from \"customers\"
  grain customer_no

# How they link.

link orders to customers on customer_no complete
link lines  to orders    on order_no    at least 90%

# What to build.

table lines_joined from lines
  add channel        = orders.channel
      customer_no    = orders.customer_no
      customers_name = orders.customers.name

output lines_joined to \"out/lines_joined.csv\"
";
    assert_eq!(text, expected);
    assert!(draft.report.held());
}

#[test]
fn what_leads_back_is_summed_and_never_joined() {
    let lines = rows("order_no,line_no,net", 40, |at| format!("M{},{},1.50", at / 4, at % 4));
    let returns =
        rows("return_no,order_no,line_no,quantity", 5, |at| format!("R{at},M{at},{},1", at % 4));
    let draft = drafted(&[("lines", lines), ("returns", returns)]);
    assert!(draft.text.contains("add returns_quantity = sum(returns.quantity)"), "{}", draft.text);
}

#[test]
fn what_the_files_do_not_keep_is_not_asked() {
    // The latest of two versions has a blank for its day, so that a version is left beside it.
    let text = "order_no,sent_at,status\nM1,2026-01-01,a\nM1,,b\nM2,2026-01-01,a\nM3,2026-01-02,a\n\
                M4,2026-01-02,a\nM5,2026-01-02,a\nM6,2026-01-02,a\nM7,2026-01-02,a\n";
    let draft = drafted(&[("orders", text.into())]);
    assert!(draft.report.held());
    assert!(draft.text.contains("dedupe by order_no keep"), "{}", draft.text);
}

#[test]
fn unsure_links_are_comments_and_periods_are_links() {
    let sales = rows("sale_no,buyer,sold_on", 30, |at| {
        format!("S{at},C{:03},2026-01-{:02}", at % 15, at % 28 + 1)
    });
    let customers = rows("customer_no,name", 20, |at| format!("C{at:03},name {at}"));
    let promotions = "promo_code,starts_on,ends_on\nX,2026-01-01,2026-01-31\n".to_owned();
    let draft = drafted(&[("sales", sales), ("customers", customers), ("promotions", promotions)]);
    for comment in [
        "# link sales to customers on buyer = customer_no   (other names)",
        "\nlink sales to promotions on sold_on within starts_on through ends_on complete\n",
        "promo_code = promotions.promo_code",
    ] {
        assert!(draft.text.contains(comment), "no {comment} in\n{}", draft.text);
    }
    assert!(draft.report.held() && draft.report.links.len() == 1);
}

#[test]
fn keys_are_text_on_both_sides_of_a_link_and_of_what_links_on() {
    let a = rows("sale_no,customer_no", 8, |at| format!("S{at},{}", at % 5 + 1));
    let b = rows("customer_no,town", 6, |at| format!("{at},town {at}"));
    let number = |at: usize| if at == 0 { "x7".into() } else { at.to_string() };
    let c = rows("customer_no,mail", 9, |at| format!("{},mail {at}", number(at)));
    let draft = drafted(&[("sales", a), ("buyers", b), ("customers", c)]);
    assert_eq!(draft.text.matches("  read customer_no as text\n").count(), 2, "{}", draft.text);
    assert!(draft.report.held() && draft.report.links.len() > 1, "{}", draft.text);
}

/// Cells of all kinds, so that columns are keys, amounts, days, words, or nothing of all that.
fn cell() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => (0..12_u8).prop_map(|number| format!("K{number}")),
        4 => (0..9_u8).prop_map(|number| number.to_string()),
        2 => (0..900_u16).prop_map(|number| format!("{}.{:02}", number / 100, number % 100)),
        2 => (1..28_u8).prop_map(|day| format!("2026-01-{day:02}")),
        1 => Just(String::new()),
        1 => Just("n/a".to_owned()),
        1 => Just(" K1".to_owned()),
        1 => (0..9_u8).prop_map(|number| format!("00{number}")),
    ]
}

fn table() -> impl Strategy<Value = String> {
    const NAMES: [&str; 8] =
        ["order_no", "line_no", "customer_no", "net", "sent_at", "name", "from", "Unit Price"];
    (prop::sample::subsequence(&NAMES[..], 1..6), 0..14_usize).prop_flat_map(|(names, rows)| {
        let width = names.len();
        let header = names.join(",");
        prop::collection::vec(prop::collection::vec(cell(), width), rows).prop_map(move |rows| {
            let rows: String = rows.iter().map(|row| row.join(",") + "\n").collect();
            format!("{header}\n{rows}")
        })
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    #[test]
    fn a_draft_of_whatever_files_is_a_plan_that_holds(
        a in table(), b in table(), c in table(),
    ) {
        let draft = drafted(&[("lines", a), ("orders", b), ("customers", c)]);
        prop_assert!(draft.report.held(), "{}\n{:#?}", draft.text, draft.report.problems);
        // The text that is given is the one that was run, in the one layout.
        let parsed = parse(&draft.text);
        prop_assert!(parsed.diagnostics.is_empty(), "{}", draft.text);
        prop_assert_eq!(format_plan(&draft.text, &parsed), draft.text);
    }
}
