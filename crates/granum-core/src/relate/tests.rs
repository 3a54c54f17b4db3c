use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Mutex;

use proptest::prelude::*;

use super::*;
use crate::engine::tests::memory::{Memory, Shelf};
use crate::port::{InputSpec, Silent, Sources};

/// Relates texts of rows with commas between cells, each by its name, in a room of so many bytes.
fn related_in(tables: &[(&str, String)], limit: u64) -> Relations {
    let files = tables.iter().map(|(name, text)| ((*name).to_owned(), text.clone()));
    let memory = Memory { files: files.collect::<HashMap<_, _>>(), part: 3 };
    let open = |(name, _): &(&str, String)| {
        let spec = InputSpec::of_files((*name).into(), vec![(*name).into()]);
        memory.open(&spec).unwrap()
    };
    let sources: Vec<_> = tables.iter().map(open).collect();
    let tables = tables.iter().zip(&sources).map(|((name, _), source)| Related {
        name: (*name).into(),
        files: vec![(*name).into()],
        source: source.as_ref(),
        filling: false,
    });
    relate(tables.collect(), &Shelf::room(limit, usize::MAX), &Silent).unwrap()
}

/// The stages that an observer is told of.
#[derive(Default)]
struct Told(Mutex<Vec<String>>);

impl Observer for Told {
    fn stage(&self, what: &str, _: u64) {
        self.0.lock().unwrap().push(what.to_owned());
    }

    fn advance(&self, _: u64) {}
}

#[test]
fn several_files_are_read_at_once_where_there_is_memory_and_it_is_told_so() {
    let orders = rows("order_no,customer_no", 40, |at| format!("M{at},C{:03}", at % 20));
    let tables = [customers(), ("orders", orders)];
    let files = tables.iter().map(|(name, text)| ((*name).to_owned(), text.clone()));
    let memory = Memory { files: files.collect(), part: 3 };
    let stages = |names: &[&str], limit: u64| {
        let open = |name: &&str| {
            memory.open(&InputSpec::of_files((*name).into(), vec![(*name).into()])).unwrap()
        };
        let sources: Vec<_> = names.iter().map(open).collect();
        let related = names.iter().zip(&sources).map(|(name, source)| Related {
            name: (*name).into(),
            files: vec![(*name).into()],
            source: source.as_ref(),
            filling: false,
        });
        let told = Told::default();
        relate(related.collect(), &Shelf::room(limit, usize::MAX), &told).unwrap();
        let mut stages = told.0.into_inner().unwrap();
        stages.retain(|what| what.starts_with("reading"));
        stages
    };
    // Each has a byte at least, and what one has becomes sixteen.
    let both = ["customers", "orders"];
    assert_eq!(stages(&both, 32), ["reading 2 files"]);
    assert_eq!(stages(&both, 31), ["reading customers", "reading orders"]);
    assert_eq!(stages(&["orders"], 16), ["reading orders"]);
}

/// Relates texts, with all the room that it needs and with none: the same is told where all values are kept.
pub(crate) fn related(tables: &[(&str, String)]) -> Relations {
    let (related, away) = (related_in(tables, u64::MAX), related_in(tables, 0));
    let all = |of: &RelatedTable| of.survey.columns.iter().all(|column| column.exact);
    let links = away.links.iter().all(|link| link.one_in == 1);
    if away.tables.iter().all(all) && links && away.periods.iter().all(|of| of.one_in == 1) {
        assert_eq!(
            format!("{related:#?}"),
            format!("{away:#?}"),
            "what is put away changes what is told"
        );
    }
    related
}

fn rows(header: &str, count: usize, row: impl Fn(usize) -> String) -> String {
    let rows: String = (0..count).map(|at| row(at) + "\n").collect();
    format!("{header}\n{rows}")
}

fn customers() -> (&'static str, String) {
    ("customers", rows("customer_no,name", 20, |at| format!("C{at:03},name {at}")))
}

fn lines_of(relations: &Relations, sure: bool) -> Vec<String> {
    let links = relations.links.iter().filter(|link| link.is_sure() == sure);
    links.map(FoundLink::line).collect()
}

#[test]
fn a_column_leads_to_the_key_of_its_name_with_what_is_met() {
    let orders = rows("order_no,customer_no", 30, |at| match at {
        0 => "M0,".into(),
        1 => "M1,C999".into(),
        at => format!("M{at},C{:03}", at % 10),
    });
    let relations = related(&[("orders", orders), customers()]);
    assert_eq!(lines_of(&relations, true), ["link orders to customers on customer_no"]);
    let link = &relations.links[0];
    assert_eq!(link.multiplicity, Multiplicity::ManyToOne);
    assert_eq!((link.rows, link.matched, link.blank), (30, 28, 1));
    let keys = (link.distinct, link.distinct_matched, link.target_distinct);
    assert_eq!(keys, (11, 10, 20));
    assert_eq!(relations.tables[0].key, ["order_no"]);
}

#[test]
fn with_little_memory_links_are_found_in_a_sample_of_the_keys_and_their_shares_told_about() {
    let near =
        |told: u64, all: u64| assert!(told.abs_diff(all) * 100 < all * 15, "{told} of {all}");
    // One key of ten is written small, and one of twenty is nowhere.
    let customers = rows("customer_no,name", 6_000, |at| format!("C{at:05},name {at}"));
    let orders = rows("order_no,customer_no", 12_000, |at| {
        let (letter, number) =
            (if at % 10 == 3 { "c" } else { "C" }, at / 2 + 6_000 * (at % 20 / 19));
        format!("M{at},{letter}{number:05}")
    });
    let lines = rows("order_no,line_no,net", 24_000, |at| format!("M{},{},1.00", at / 2, at % 2));
    let returns =
        rows("return_no,order_no,line_no", 6_000, |at| format!("R{at},M{},{}", at * 2, at % 3));
    let tables =
        [("orders", orders), ("customers", customers), ("lines", lines), ("returns", returns)];
    let (all, some) = (related_in(&tables, u64::MAX), related_in(&tables, 0));
    assert_eq!(lines_of(&all, true), lines_of(&some, true));
    assert!(all.links.len() >= 3);
    for (all, some) in all.links.iter().zip(&some.links) {
        assert!(all.one_in == 1 && some.one_in >= 8, "{}", some.on);
        assert_eq!(
            (all.rows, all.blank, all.multiplicity),
            (some.rows, some.blank, some.multiplicity)
        );
        near(some.matched, all.matched);
        near(some.mended.max(500), all.mended.max(500));
        near(some.distinct, all.distinct);
        near(some.distinct_matched, all.distinct_matched);
        near(some.target_reached, all.target_reached);
        near(some.target_distinct, all.target_distinct);
    }
}

#[test]
fn with_little_memory_moments_are_read_again_and_some_of_them_looked_at() {
    let visits = rows("visit_no,visited_at,article_no", 3_000, |at| {
        let (day, minute) = (1 + at % 28, at / 28);
        format!("V{at},2026-03-{day:02}T{:02}:{:02},A{}", 8 + minute / 60, minute % 60, at % 3)
    });
    let prices = "article_no,valid_from,price\nA0,2026-03-08,1.00\nA1,2026-03-15,2.00\n\
                  A2,2026-01-01,3.00\nA2,2026-03-08,4.00\n";
    let tables = [("visits", visits), ("prices", prices.to_owned())];
    let (all, some) = (related_in(&tables, u64::MAX), related_in(&tables, 0));
    let lines =
        |of: &Relations| -> Vec<_> { of.periods.iter().map(|of| of.line.clone()).collect() };
    assert_eq!(lines(&all), lines(&some));
    let (all, some) = (&all.periods[0], &some.periods[0]);
    assert!(all.one_in == 1 && some.one_in > 8);
    assert_eq!((all.rows, all.matched), (3_000, 2_248));
    assert!(some.rows.abs_diff(3_000) <= some.one_in && some.matched.abs_diff(2_248) < 300);
}

#[test]
fn keys_of_several_columns_are_met_together() {
    let lines = rows("order_no,line_no,net", 40, |at| format!("M{},{},1.50", at / 4, at % 4));
    let returns = rows("return_no,order_no,line_no", 12, |at| match at {
        // Both columns are known, but not together.
        0 => "R0,M1,77".into(),
        at => format!("R{at},M{},{}", at % 10, at % 4),
    });
    let relations = related(&[("lines", lines), ("returns", returns)]);
    assert_eq!(lines_of(&relations, true), ["link returns to lines on order_no, line_no"]);
    assert_eq!((relations.links[0].matched, relations.links[0].distinct), (11, 12));
}

#[test]
fn spaces_and_case_are_mended_on_whichever_side_has_them() {
    let orders = rows("order_no,customer_no", 30, |at| match at {
        1 => "M1,C001 ".into(),
        2 => "M2,c002".into(),
        at => format!("M{at},C{:03}", at % 10),
    });
    let relations = related(&[("orders", orders.clone()), customers()]);
    let on = "upper(trim(customer_no)) = customer_no";
    assert_eq!((relations.links[0].on.as_str(), relations.links[0].mended), (on, 2));
    // Where the target has small letters too, both sides are brought to capitals.
    let mixed = rows("customer_no,name", 20, |at| match at {
        19 => "c019,small".into(),
        at => format!("C{at:03},name {at}"),
    });
    let relations = related(&[("orders", orders.clone()), ("customers", mixed.clone())]);
    let on = "upper(trim(customer_no)) = upper(customer_no)";
    assert_eq!((relations.links[0].on.as_str(), relations.links[0].mended), (on, 2));
    // Unless that would make two of its keys one.
    let merged = mixed.replace("c019", "c018");
    let relations = related(&[("orders", orders), ("customers", merged)]);
    let on = "trim(customer_no) = customer_no";
    assert_eq!((relations.links[0].on.as_str(), relations.links[0].mended), (on, 1));
}

#[test]
fn other_names_are_told_with_their_doubt_and_amounts_never() {
    let sales = rows("sale_no,buyer,minutes", 30, |at| format!("S{at},C{:03},{}", at % 15, at % 9));
    let visits = rows("visit_no,seconds", 20, |at| format!("{at},{at}.5"));
    let relations = related(&[("sales", sales), customers(), ("visits", visits)]);
    assert_eq!(lines_of(&relations, true), Vec::<String>::new());
    assert_eq!(lines_of(&relations, false), ["link sales to customers on buyer = customer_no"]);
    assert_eq!(relations.links[0].doubts, [Doubt::Names]);
}

#[test]
fn a_link_that_is_half_empty_is_doubtful() {
    let orders = rows("order_no,customer_no", 30, |at| format!("M{at},C{at:03}"));
    let relations = related(&[("orders", orders), customers()]);
    assert_eq!(relations.links[0].doubts, [Doubt::Incomplete]);
    assert_eq!((relations.links[0].matched, relations.links[0].rows), (20, 30));
}

#[test]
fn of_two_tables_of_one_key_the_smaller_leads() {
    let terms = rows("customer_no,terms", 12, |at| format!("C{at:03},30 days"));
    let relations = related(&[customers(), ("terms", terms)]);
    assert_eq!(lines_of(&relations, true), ["link terms to customers on customer_no"]);
    assert_eq!(relations.links[0].multiplicity, Multiplicity::OneToOne);
}

#[test]
fn versions_are_no_hindrance_and_the_step_that_undoes_them_is_told() {
    let mut versions = customers().1.replace("name\n", "name,changed_on\n");
    versions = versions.replace("name 1\n", "name 1,2026-01-01\n");
    let row = |at: usize| format!("C{at:03},name {at},2026-01-{:02}", at + 1);
    let versions_of = rows("customer_no,name,changed_on", 20, row) + "C003,other,2026-03-01\n";
    assert_ne!(versions, versions_of);
    let orders = rows("order_no,customer_no", 30, |at| format!("M{at},C{:03}", at % 10));
    let relations = related(&[("orders", orders), ("customers", versions_of)]);
    let link = &relations.links[0];
    assert_eq!(link.line(), "link orders to customers on customer_no");
    let dedupe = link.target_dedupe.as_deref();
    assert_eq!(dedupe, Some("dedupe by customer_no keep latest changed_on"));
}

#[test]
fn a_column_that_is_named_as_its_table_is_its_key_where_none_is_named_as_keys_are() {
    // Bookings that were changed stand there twice; with their status no two rows are alike.
    let mut bookings = "booking,status,party,booked_at\n".to_owned();
    for at in 0..40 {
        let row = |status: &str, day: usize| {
            format!("B{at:02},{status},{},2026-03-{day:02}\n", at % 3 + 1)
        };
        let changed = at % 8 == 0;
        bookings.push_str(&row(if changed { "changed" } else { "ok" }, at % 20 + 1));
        if changed {
            bookings.push_str(&row("ok", at % 20 + 5));
        }
    }
    let refunds = rows("refund,booking,paid_on", 30, |at| {
        format!("R{at:02},B{:02},2026-04-{:02}", at, at % 28 + 1)
    });
    let tables = [("bookings", bookings), ("refunds", refunds)];
    let relations = related(&tables);
    let keys: Vec<_> = relations.tables.iter().map(|table| table.key.join(", ")).collect();
    assert_eq!(keys, ["booking", "refund"]);
    assert_eq!(lines_of(&relations, true), ["link refunds to bookings on booking"]);
    let dedupe = "dedupe by booking keep latest booked_at";
    assert_eq!(relations.links[0].target_dedupe.as_deref(), Some(dedupe));
    let found = as_a_plan_finds_it(&tables, &relations, &relations.links[0]);
    assert_eq!(found, (30, 30, 1));
    // A column that is named as keys are goes before it.
    let keyed = tables.map(|(name, text)| (name, text.replace("status", "status_code")));
    let relations = related(&keyed);
    assert_eq!(relations.tables[0].key, ["status_code", "booking"]);
}

#[test]
fn what_repeats_on_both_sides_is_no_link_and_the_bridge_is_named() {
    let orders = rows("order_no,customer_no", 30, |at| format!("M{at},C{:03}", at % 15));
    let visits = rows("visit_no,customer_no", 45, |at| format!("V{at},C{:03}", at % 15));
    let relations = related(&[("orders", orders.clone()), ("visits", visits.clone()), customers()]);
    let crossing = &relations.crossings[0];
    assert_eq!(crossing.tables, ("orders".into(), "visits".into()));
    assert_eq!(crossing.would_be, 15 * 2 * 3);
    assert_eq!(crossing.bridge.as_deref(), Some("customers"));
    let alone = related(&[("orders", orders), ("visits", visits)]);
    assert_eq!((alone.crossings.len(), alone.crossings[0].bridge.as_deref()), (1, None));
}

#[test]
fn days_fall_into_periods_of_their_key() {
    let prices = "article_no,valid_from,valid_until,price\n\
                  A,2026-01-01,2026-02-01,1.00\nA,2026-02-01,,2.00\nB,2026-01-01,2026-02-01,3.00\n\
                  B,2026-03-01,2026-04-01,4.00\n";
    let sales = "sale_no,article_no,sold_on\n1,A,2026-01-31\n2,A,2026-02-01\n3,B,2026-02-01\n\
                 4,B,2026-03-31\n5,,2026-01-05\n";
    let relations = related(&[("sales", sales.into()), ("prices", prices.into())]);
    let period = &relations.periods[0];
    assert_eq!(
        period.line,
        "link sales to prices on article_no, sold_on within valid_from until valid_until"
    );
    // The end of a period belongs to the next, so B has none on its day; the row without an article
    // is not counted.
    assert_eq!((period.matched, period.rows, period.several), (3, 4, 0));
    let promotions =
        "promo_code,starts_on,ends_on\nX,2026-01-01,2026-01-31\nY,2026-01-20,2026-02-10\n";
    let relations = related(&[("sales", sales.into()), ("promotions", promotions.into())]);
    let period = &relations.periods[0];
    let line = "sold_on within starts_on through ends_on prefer latest starts_on";
    assert!(period.line.ends_with(line), "{}", period.line);
    assert_eq!((period.matched, period.rows, period.several), (4, 5, 1));
}

#[test]
fn files_of_one_kind_are_one_table() {
    let of = |format: &'static str, name: &str, columns: &[&str]| Headed {
        part: None,
        file: name.to_owned(),
        format,
        columns: columns.iter().map(|column| (*column).to_owned()).collect(),
    };
    let file = |name: &str, columns: &[&str]| of("CSV", name, columns);
    let files = [
        file("in/orders_shop.csv", &["a", "b"]),
        file("in/orders_post.csv", &["b", "a"]),
        file("suppliers.csv", &["a", "b"]),
        file("in/orders_old.csv", &["a", "b", "c"]),
        file("zeta.csv", &["c", "a", "b"]),
        file("members.csv", &["id", "name", "city"]),
        file("sellers.csv", &["id", "name", "city"]),
        file("2026 Sales.csv.gz", &["x"]),
        of("JSON", "suppliers_new.jsonl", &["a", "b"]),
    ];
    let groups: Vec<(String, Vec<usize>)> =
        group(&files).into_iter().map(|group| (group.name, group.files)).collect();
    let named = |name: &str, files: &[usize]| (name.to_owned(), files.to_vec());
    assert_eq!(
        groups,
        [
            named("orders", &[0, 1]),
            named("suppliers", &[2]),
            // Three columns tell that files are of one layout, whatever their names.
            named("orders_old", &[3, 4]),
            // Columns that every list has, do not.
            named("members", &[5]),
            named("sellers", &[6]),
            named("t_2026_sales", &[7]),
            // One input is of one format.
            named("suppliers_new", &[8]),
        ]
    );
}

#[test]
fn columns_are_found_by_names_that_are_like_it() {
    let relations = related(&[
        ("a", "CustomerNo,x\n1,2\n".into()),
        ("b", "customer_nr,y\n1,2\n".into()),
        ("c", "customer_no_old,order\n1,2\n".into()),
    ]);
    let found: Vec<(String, u64)> = find_names(&relations, "customer no")
        .into_iter()
        .map(|found| (found.column, found.distance))
        .collect();
    let named = [("CustomerNo", 0), ("customer_no_old", 1), ("customer_nr", 2)];
    assert_eq!(found, named.map(|(name, distance)| (name.to_owned(), distance)));
    assert!(find_names(&relations, "postcode").is_empty());
}

#[test]
fn zeros_that_one_side_has_lost_are_found_and_mended() {
    let orders = rows("order_no,article_no", 30, |at| format!("M{at},{}", at % 20 + 1));
    let articles = rows("article_no,name", 20, |at| format!("{:03},name {at}", at + 1));
    let relations = related(&[("orders", orders), ("articles", articles)]);
    let link = &relations.links[0];
    assert_eq!(link.on, "article_no = trim_left(article_no, \"0\")");
    assert_eq!((link.matched, link.mended, link.is_sure()), (30, 30, true));
    assert_eq!(link.as_text, [("orders".to_owned(), "article_no".to_owned())]);
}

#[test]
fn keys_of_several_columns_say_what_they_need_as_well() {
    let r = "r,k,l\n1,A1,1\n2,A2,1\n3,a3,1\n".to_owned();
    let s = "k,l,q\nA1,1,5\nA1,2,3\nA2,1,5\nA3,1,5\nA3,2,6\n".to_owned();
    let relations = related(&[("r", r), ("s", s)]);
    let link = &relations.links[0];
    assert_eq!((link.on.as_str(), link.matched, link.mended), ("upper(k) = k, l", 3, 1));
}

#[test]
fn spellings_of_one_key_reach_it_once() {
    let orders =
        rows("order_no,customer_no", 12, |at| format!("M{at},{}{at}", [" c", "C"][at % 2]));
    let both = format!("{orders}M12,C0\n");
    let customers = rows("customer_no,name", 12, |at| format!("C{at},name {at}"));
    let told = |orders: String| {
        let relations = related(&[("orders", orders), ("customers", customers.clone())]);
        let link = relations.links[0].clone();
        assert_eq!(link.on, "upper(trim(customer_no)) = customer_no");
        (link.distinct_matched, link.target_reached, link.multiplicity)
    };
    assert_eq!(told(orders), (12, 12, Multiplicity::OneToOne));
    // Two ways to write the key of one row: two keys, which lead to it together.
    assert_eq!(told(both), (13, 12, Multiplicity::ManyToOne));
}

/// What a plan finds of a link that was told, written as it was told: rows that lead to one, rows of the target that
/// some lead to, and how many lead to one at the most.
fn as_a_plan_finds_it(
    tables: &[(&str, String)],
    relations: &Relations,
    link: &FoundLink,
) -> (u64, u64, u64) {
    let input = |name: &str| {
        let table = relations.tables.iter().find(|table| table.name == name).unwrap();
        let reads = link.as_text.iter().filter(|(of, _)| of == name);
        let mut out = format!("input {name} from \"{name}\"\n");
        reads.for_each(|(_, column)| out.push_str(&format!("  read {column} as text\n")));
        // Different rows of one key are versions.
        let dedupe = link.target_dedupe.as_ref().filter(|_| link.to == name);
        dedupe.iter().for_each(|step| out.push_str(&format!("  {step}\n")));
        assert!(!table.survey.columns.is_empty());
        out
    };
    let plan = format!("{}{}{}\n", input(&link.from), input(&link.to), link.line());
    let (report, _) = crate::engine::tests::memory::run_texts(tables, &plan, 3);
    assert!(report.problems.is_empty(), "{plan}{:?}", report.problems);
    let found = &report.links[0];
    assert_eq!(found.rows, link.rows);
    let most = found.spread.as_ref().map_or(0, |spread| spread.most);
    (found.matched, found.target_rows - found.unreached, most)
}

proptest! {
    #[test]
    fn what_is_told_of_a_link_is_what_a_plan_finds(
        left in prop::collection::vec(("[ 0]?[0-2Aa]{1,2} ?", 0..3_u8), 2..25),
        right in prop::collection::btree_set(("[ 0]?[0-2Aa]{1,2}", 0..2_u8), 2..14),
        both in any::<bool>(),
    ) {
        let line = |at: usize| format!("{},{}", left[at].0, left[at].1);
        let one = rows("id,customer_no,line_no", left.len(), |at| format!("{at},{}", line(at)));
        let mut keys: Vec<(String, u8)> = right.into_iter().collect();
        if !both {
            keys.dedup_by(|a, b| a.0 == b.0);
        }
        let two = rows("customer_no,line_no,name", keys.len(), |at| {
            format!("{},{},n{at}", keys[at].0, keys[at].1)
        });
        let tables = [("orders", one), ("customers", two)];
        let relations = related(&tables);
        for link in &relations.links {
            let (matched, reached, most) = as_a_plan_finds_it(&tables, &relations, link);
            prop_assert_eq!((matched, reached), (link.matched, link.target_reached), "{:?}", link);
            prop_assert!(link.multiplicity == Multiplicity::ManyToOne || most <= 1, "{:?}", link);
        }
    }

    #[test]
    fn what_is_told_of_a_link_is_what_rows_say_one_by_one(
        left in prop::collection::vec(prop::option::weighted(0.9, 0..12_u8), 1..40),
        right in prop::collection::btree_set(0..12_u8, 2..10),
    ) {
        let orders = rows("order_no,customer_no", left.len(), |at| {
            format!("M{at},{}", left[at].map_or(String::new(), |key| format!("C{key}")))
        });
        let target: Vec<u8> = right.iter().copied().collect();
        let customers =
            rows("customer_no,name", target.len(), |at| format!("C{},n", target[at]));
        let relations = related(&[("orders", orders), ("customers", customers)]);
        let keyed: Vec<u8> = left.iter().flatten().copied().collect();
        let keys: BTreeSet<u8> = keyed.iter().copied().collect();
        let found = relations.links.iter().find(|link| link.from == "orders");
        let met = keys.iter().filter(|key| right.contains(key)).count();
        if let Some(link) = found {
            let matched = keyed.iter().filter(|key| right.contains(key)).count();
            prop_assert_eq!(link.matched as usize, matched);
            prop_assert_eq!(link.blank as usize, left.len() - keyed.len());
            prop_assert_eq!((link.distinct as usize, link.distinct_matched as usize), (keys.len(), met));
            let many = keys.len() < keyed.len();
            prop_assert_eq!(link.multiplicity == Multiplicity::ManyToOne, many);
        } else {
            // It is left out only where less than half of the keys are met, or it leads back.
            prop_assert!(met * 2 < keys.len() || keys.is_empty() || keys.len() == keyed.len());
        }
    }

    #[test]
    fn days_in_periods_are_counted_as_rows_say_one_by_one(
        sales in prop::collection::vec((prop::option::weighted(0.9, 0..6_u8), 1..28_u8), 1..60),
        gaps in prop::collection::vec(0..6_u8, 3),
    ) {
        // Each article has one price to a day, and one from some days later on.
        let prices = rows("article_no,valid_from,valid_until,price", 6, |at| {
            let end = 10 + gaps[at / 2];
            match at % 2 {
                0 => format!("A{},2026-01-01,2026-01-{end},1", at / 2),
                _ => format!("A{},2026-01-{},,2", at / 2, end + 1 + gaps[2]),
            }
        });
        let sold = rows("sale_no,article_no,sold_on", sales.len(), |at| {
            let (article, day) = sales[at];
            let article = article.map_or(String::new(), |article| format!("A{article}"));
            format!("{},{article},2026-01-{day:02}", at + 1)
        });
        let falls = |(article, day): &(Option<u8>, u8)| article.filter(|article| *article < 3).is_some_and(|article| {
            let end = 10 + gaps[usize::from(article)];
            *day <= end || *day > end + gaps[2]
        });
        let keyed = sales.iter().filter(|sale| sale.0.is_some()).count() as u64;
        let matched = sales.iter().filter(|sale| falls(sale)).count() as u64;
        let relations = related(&[("sales", sold), ("prices", prices)]);
        let line = "link sales to prices on article_no, sold_on within valid_from";
        let found = relations.periods.iter().find(|period| period.line.starts_with(line));
        // What hardly holds, or of no row, is not told.
        prop_assert!(found.is_some() || keyed == 0 || matched * 10 < keyed * 4, "{:?}", relations.periods);
        if let Some(found) = found {
            prop_assert_eq!((found.matched, found.rows, found.several), (matched, keyed, 0));
        }
    }

    #[test]
    fn what_a_join_would_make_is_what_it_makes(
        left in prop::collection::vec(0..14_u8, 20..50),
        right in prop::collection::vec(0..14_u8, 20..50),
    ) {
        let table = |name: &str, keys: &[u8]| {
            rows(&format!("{name},customer_no"), keys.len(), |at| format!("{at},C{}", keys[at]))
        };
        let relations = related(&[
            ("orders", table("order_no", &left)),
            ("visits", table("visit_no", &right)),
        ]);
        let mut counts: BTreeMap<u8, u128> = BTreeMap::new();
        right.iter().for_each(|key| *counts.entry(*key).or_default() += 1);
        let joined: u128 = left.iter().filter_map(|key| counts.get(key)).sum();
        for crossing in &relations.crossings {
            prop_assert_eq!(crossing.would_be, joined);
        }
    }
}
