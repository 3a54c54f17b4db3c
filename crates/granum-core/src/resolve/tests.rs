//! What is known before a row is seen: grains that follow, amounts that repeat, slots and needs.

use std::collections::HashMap;

use super::plan::{Plan, Proof, Step};
use super::resolve;
use super::worth::{Past, Repeat, Worth, WorthKind};
use crate::engine::demand::{Demand, Purpose, Work};
use crate::engine::together;
use crate::lang::parse;
use crate::port::InputShape;
use crate::table::TableId;
use crate::value::{Scale, Type};

/// Orders, lines and customers with the types that their cells would have.
fn shapes() -> HashMap<String, InputShape> {
    let money = Type::Decimal(Scale(2));
    let shape = |columns: &[(&str, Type)]| InputShape {
        columns: columns.iter().map(|(name, ty)| ((*name).to_owned(), *ty)).collect(),
        ..InputShape::default()
    };
    HashMap::from([
        (
            "orders".to_owned(),
            shape(&[
                ("order_no", Type::Text),
                ("customer_no", Type::Text),
                ("sent_at", Type::DateTime),
                ("freight", money),
            ]),
        ),
        (
            "lines".to_owned(),
            shape(&[
                ("order_no", Type::Text),
                ("line_no", Type::Integer),
                ("quantity", Type::Integer),
                ("price", money),
                ("note", Type::Text),
            ]),
        ),
        ("customers".to_owned(), shape(&[("customer_no", Type::Text), ("name", Type::Text)])),
    ])
}

const INPUTS: &str = "input orders from \"o\"\n  grain order_no\n  track freight\n\
                      input lines from \"l\"\n  add net = quantity * price\n  grain order_no, line_no\n  \
                      track quantity, net\n\
                      input customers from \"c\"\n  grain customer_no\n\
                      link lines to orders on order_no\nlink orders to customers on customer_no\n";

fn plan(text: &str) -> Plan {
    let text = format!("{INPUTS}{text}");
    let parsed = parse(&text);
    assert!(parsed.diagnostics.is_empty(), "{:#?}", parsed.diagnostics);
    resolve(&parsed.tree, &shapes(), &[]).unwrap_or_else(|wrong| panic!("{wrong:#?}"))
}

fn messages(text: &str) -> Vec<String> {
    let text = format!("{INPUTS}{text}");
    match resolve(&parse(&text).tree, &shapes(), &[]) {
        Ok(_) => vec![],
        Err(wrong) => wrong.into_iter().map(|diagnostic| diagnostic.message).collect(),
    }
}

/// The grain of the last table, and what is known of each grain that it checks.
fn grains(text: &str) -> (Vec<String>, Vec<Proof>) {
    let plan = plan(text);
    let table = plan.tables.last().unwrap();
    let proofs = table.steps.iter().filter_map(|step| match &step.step {
        Step::Grain(check) => Some(check.proof),
        _ => None,
    });
    let proofs = proofs.collect();
    (table.grain.as_ref().map_or(vec![], |grain| grain.columns.clone()), proofs)
}

#[test]
fn grains_follow_from_steps_and_are_not_counted_again() {
    for (steps, grain, proofs) in [
        ("keep net > 0", vec!["order_no", "line_no"], vec![]),
        ("grain order_no, line_no", vec!["order_no", "line_no"], vec![Proof::Follows]),
        ("grain line_no, order_no", vec!["line_no", "order_no"], vec![Proof::Follows]),
        ("rename order_no to no\n  grain no, line_no", vec!["no", "line_no"], vec![Proof::Follows]),
        // A column more may be blank.
        ("grain order_no, line_no, note", vec!["order_no", "line_no", "note"], vec![Proof::Unique]),
        ("grain order_no", vec!["order_no"], vec![Proof::None]),
        ("dedupe by order_no keep last", vec!["order_no"], vec![]),
        ("dedupe by order_no keep last\n  grain order_no", vec!["order_no"], vec![Proof::Follows]),
        ("dedupe by note keep last\n  grain note", vec!["note"], vec![Proof::Unique]),
        ("dedupe by upper(note) keep last", vec!["order_no", "line_no"], vec![]),
        (
            "units of quantity as n split net\n  grain order_no, line_no, n",
            vec!["order_no", "line_no", "n"],
            vec![Proof::Follows],
        ),
        // A grain whose column changed is looked at again at the end.
        ("change line_no = 1", vec!["order_no", "line_no"], vec![Proof::None]),
        ("change note = \"x\"", vec!["order_no", "line_no"], vec![]),
    ] {
        let found = grains(&format!("table t from lines\n  {steps}\n"));
        let grain: Vec<String> = grain.into_iter().map(str::to_owned).collect();
        assert_eq!(found, (grain, proofs), "{steps}");
    }
}

#[test]
fn a_base_s_grain_and_amounts_are_carried_on() {
    let plan = plan(
        "table t from lines\n  rename net to value\ntable u from t\n  columns order_no, line_no, value as v\n",
    );
    let last = plan.tables.last().unwrap();
    assert_eq!(last.grain.as_ref().unwrap().columns, ["order_no", "line_no"]);
    let tracked: Vec<(&str, bool)> = last
        .tracked
        .iter()
        .map(|tracked| (tracked.name.as_str(), tracked.ends_at.is_some()))
        .collect();
    assert_eq!(tracked, [("v", false), ("quantity", true)]);
    assert_eq!(last.tracked[0].base_name.as_deref(), Some("value"));
}

#[test]
fn amounts_that_repeat_are_known() {
    let repeated = "this amount came over a link and stands on every row that leads there, so \
                    summing it here would count it more than once";
    for (value, refused) in [
        ("orders.freight", true),
        ("orders.freight + net", true),
        ("net + orders.freight", true),
        ("orders.freight ?? 0", true),
        ("if net > 0 then orders.freight else 0", true),
        ("round(orders.freight, 1)", true),
        ("-orders.freight", true),
        ("orders.freight * 2", true),
        ("orders.freight * quantity", false),
        ("orders.freight / quantity", false),
        ("orders.freight * orders.freight", true),
        ("net * 2", false),
        ("length(orders.customers.name)", false),
        ("orders.sent_at - orders.sent_at", false),
    ] {
        let plan = format!("table t from lines\n  add x = {value}\ncheck: sum(t.x) > 0\n");
        let said = messages(&plan);
        let wanted = if refused { vec![repeated.to_owned()] } else { vec![] };
        assert_eq!(said, wanted, "{value}");
    }
}

#[test]
fn the_rules_of_worth() {
    let amount = Worth::column(WorthKind::Amount, false);
    let plain = Worth::column(WorthKind::Plain, false);
    let over = amount.over_link();
    assert_eq!(over.repeats(), Some(Repeat::OverLink));
    assert_eq!(plain.over_link().repeats(), None);
    assert_eq!(amount.past(Past::Units).repeats(), Some(Repeat::Past(Past::Units)));
    // What is no amount may become one only where something makes it the unit's own.
    let carried = plain.past(Past::Units);
    assert!(carried.carried.is_some() && !carried.is_amount());
    assert!(carried.with(plain).carried.is_some() && carried.times(plain).carried.is_none());
    assert!(carried.times(carried).carried.is_some());
    assert_eq!(amount.with(plain).kind, WorthKind::Amount);
    assert_eq!(over.with(plain).repeats(), Some(Repeat::OverLink));
    assert_eq!(over.times(plain).kind, WorthKind::Amount);
    assert_eq!(over.times(Worth::default()).repeats(), Some(Repeat::OverLink));
    assert_eq!(plain.over_link().times(over).repeats(), Some(Repeat::OverLink));
    assert_eq!(Worth::summed().kind, WorthKind::Amount);
}

#[test]
fn columns_that_were_divided_must_be_rounded_before_they_are_split() {
    let plan = |value: &str| {
        format!("table t from lines\n  add r = {value}\n  units of quantity as n split net, r\n")
    };
    assert_eq!(
        messages(&plan("net / quantity")),
        ["`r` was made by `/` and has more places than an amount should"]
    );
    assert!(messages(&plan("round(net / quantity, 2)")).is_empty());
    assert_eq!(messages(&plan("net / quantity + 1")).len(), 1);
}

fn demand(plan: &Plan) -> Demand {
    together::demand(plan, Purpose::Whole { outputs: true, seen: false })
}

fn table(plan: &Plan, name: &str) -> TableId {
    TableId(plan.tables.iter().position(|table| table.name == name).unwrap())
}

#[test]
fn a_table_that_only_passes_on_is_not_held() {
    let plan = plan(
        "table sold from lines\n  keep has(orders)\ntable units from sold\n  \
         units of quantity as n split net\noutput units to \"u.csv\"\n\
         check: sum(units.net) = sum(sold.net)\n",
    );
    let demand = demand(&plan);
    let held = |name| demand.tables[table(&plan, name).0].whole;
    assert!(held("lines") && held("orders"));
    assert!(!held("sold") && !held("units"));
    assert_eq!(demand.fed_by(table(&plan, "sold")), [table(&plan, "units")]);
}

#[test]
fn a_table_is_fed_to_all_that_are_made_from_it_unless_one_waits_for_another() {
    let held = |body: &str, name: &str| {
        let plan = plan(body);
        demand(&plan).tables[table(&plan, name).0].whole
    };
    let filters = "table a from lines\ntable b from a\n  keep net > 0\ntable c from a\n";
    assert!(!held(filters, "a") && !held(filters, "b"));
    // What is made of one looks at the other.
    let waits = "table c from a\n  keep has(b)\nlink lines to b on order_no, line_no\n";
    let ends = "table a from lines\n  keep has(orders)\ntable b from a\n  \
                one row per order_no, line_no\n    rows = rows()\n";
    assert!(!held(&format!("{ends}table c from a\n"), "a"));
    assert!(held(&format!("{ends}{waits}"), "a"));
    // Links that go through a third table are found too.
    let far = "table c from a\n  one row per orders.customer_no as customer_no\n    n = rows()\n\
               link customers to b_by on customer_no\ntable b_by from b\n  \
               one row per order_no as customer_no\n    n = rows()\n\
               table d from a\n  keep has(orders.customers.b_by)\n";
    assert!(held(&format!("{ends}{far}"), "a"));
    // Two that see all rows at once would each hold them, one does not hold more than the table.
    let sorts = "table a from lines\n  keep has(orders)\ntable b from a\n  sort net\n\
                 table c from a\n  keep net > 0\n  sort net\n";
    assert!(!held(sorts, "a"));
    assert!(held(&format!("{sorts}table d from a\n  sort quantity\n"), "a"));
    // Rows of a stack are told apart by their numbers in the table that both parts come from.
    let stack = "table d from b, c\n";
    assert!(held(&format!("{filters}{stack}"), "a"));
}

#[test]
fn columns_that_nothing_needs_are_not_asked_for() {
    let plan = plan("table t from lines\n  columns order_no, line_no\noutput t to \"t.csv\"\n");
    let demand = demand(&plan);
    let lines = &plan.tables[table(&plan, "lines").0];
    let wanted: Vec<&str> = lines
        .columns
        .iter()
        .zip(&demand.tables[table(&plan, "lines").0].columns)
        .filter(|(_, wanted)| **wanted)
        .map(|((name, _), _)| name.as_str())
        .collect();
    // `note` is not; amounts are, since they are followed.
    assert_eq!(wanted, ["order_no", "line_no", "quantity", "net"]);
    let import = |column: usize| lines.imports.iter().find(|(_, c)| c.0 == column).unwrap().0;
    let last_use = &demand.tables[table(&plan, "lines").0].last_use;
    assert_eq!(last_use[import(4).0], None);
    assert!(last_use[import(3).0].is_some(), "the price is part of net");
}

#[test]
fn work_comes_after_what_it_needs() {
    let plan = plan(
        "table t from u\n  add x = orders.customers.name\ntable u from lines\n  add n = orders.freight\n",
    );
    let order = demand(&plan).order;
    let at = |work| order.iter().position(|known| *known == work).unwrap();
    let tables = |name| Work::Table(table(&plan, name));
    assert!(at(tables("lines")) < at(tables("u")));
    // `t` is made with `u`, and needs more.
    assert!(!order.contains(&tables("t")));
    for link in [0, 1] {
        assert!(at(Work::Link(crate::table::LinkId(link))) < at(tables("u")));
    }
}

#[test]
fn only_what_a_table_needs_is_done_to_show_it() {
    let plan = plan("table t from orders\n  add x = customers.name\n");
    let order = together::demand(&plan, Purpose::Table(table(&plan, "t"))).order;
    assert!(!order.contains(&Work::Table(table(&plan, "lines"))));
    assert!(!order.contains(&Work::Link(crate::table::LinkId(0))));
    assert_eq!(order.len(), 4);
}

#[test]
fn a_wrong_column_is_told_once() {
    assert_eq!(
        messages(
            "table t from lines\n  add x = nett * 2\n      y = x + 1\n  keep y > 3\n\
             table u from t\n  keep x > 0 and y is not blank\n"
        ),
        ["`t` has no column called `nett`"]
    );
}
