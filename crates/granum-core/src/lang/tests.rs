//! Parsing and formatting: what is written is read, what is read is written in one layout.

mod grammar;

use proptest::prelude::*;
use serde_json::Value;

use super::lexer::{HARD_WORDS, is_plain_name};
use super::*;

/// The tree as JSON without the places of its words.
fn shape(text: &str) -> Value {
    let parsed = parse(text);
    assert!(parsed.diagnostics.is_empty(), "{text}\n{:#?}", parsed.diagnostics);
    let mut value = serde_json::to_value(&parsed.tree).unwrap();
    strip(&mut value);
    value
}

fn strip(value: &mut Value) {
    match value {
        Value::Object(map) => {
            map.remove("span");
            if map.len() == 2 && map.contains_key("start") && map.contains_key("end") {
                map.clear();
            }
            map.values_mut().for_each(strip);
        }
        Value::Array(items) => items.iter_mut().for_each(strip),
        _ => {}
    }
}

fn formatted(text: &str) -> String {
    format_plan(text, &parse(text))
}

/// Formats twice and compares the trees: the laws of the formatter.
fn assert_laws(text: &str) -> String {
    let once = formatted(text);
    assert_eq!(formatted(&once), once, "not settled after one time:\n{text}");
    assert_eq!(shape(text), shape(&once), "another tree:\n{text}\n{once}");
    once
}

const PLAN: &str = r#"# A comment first.
plan "A plan"   # and one behind
param as_of date=date("2026-06-30")
param rate decimal( 2 ) = 1.50


input orders from "a.csv","b.csv" filling blanks delimiter ";"
  # how it is read
  read order_no as text, sent_at as datetime "%Y" or "%m" else blank
    freight as decimal(2)
  dedupe by order_no,lower(mail) keep latest sent_at, largest version
  dedupe keep = 3   # a column called keep would be a step; this is one

  drop not(status="void" or status in ("a","b")) and freight is not blank
  grain order_no track freight
# What follows is a link.

link lines to orders on order_no at least 99.50% of net
link orders to customers on upper(customer_no)=number, place complete blank allowed as who back theirs
link a to b on k at least 98%

table sales from lines
  add net=quantity*(unit_price-discount)
      long_name=if a then b else if c then d else e
      x=(a??b)&"t\"\\\n"
  change net=-(-net)
  rename a to b,c to `d e`
  columns one, two as `three`, four
  units of quantity*2 as unit_no split net,freight
check "all": sum(sales.net where a>1)=rows(orders)
check sales at least 95%: net>=0
output sales to "out.csv"
output orders to "orders.csv"
# The end.
"#;

#[test]
fn a_whole_plan_in_the_one_layout() {
    let text = PLAN
        .replace("  dedupe keep = 3   # a column called keep would be a step; this is one\n", "");
    insta::with_settings!({ omit_expression => true }, {
        insta::assert_snapshot!(assert_laws(&text));
    });
}

#[test]
fn every_comment_is_kept() {
    let text = PLAN
        .replace("  dedupe keep = 3   # a column called keep would be a step; this is one\n", "");
    let once = formatted(&text);
    for comment in [
        "# A comment first.",
        "# and one behind",
        "# how it is read",
        "# What follows",
        "# The end.",
    ] {
        assert_eq!(once.matches(comment).count(), 1, "{comment}");
    }
    let inside = "table t from a\n  add x = 1 + # one\n    # two\n    2 # three\n  # four\n";
    let once = assert_laws(inside);
    for comment in ["# one", "# two", "# three", "# four"] {
        assert!(once.contains(comment), "{once}");
    }
}

#[test]
fn every_soft_word_can_be_a_column() {
    let soft = [
        "read",
        "add",
        "change",
        "keep",
        "drop",
        "dedupe",
        "units",
        "columns",
        "rename",
        "grain",
        "track",
        "allocate",
        "one",
        "top",
        "bottom",
        "sort",
        "from",
        "to",
        "on",
        "at",
        "least",
        "of",
        "complete",
        "allowed",
        "back",
        "split",
        "latest",
        "earliest",
        "largest",
        "smallest",
        "first",
        "last",
        "filling",
        "blanks",
        "delimiter",
        "encoding",
        "header",
        "text",
        "integer",
        "decimal",
        "number",
        "date",
        "datetime",
        "boolean",
        "month",
        "year",
        "sum",
        "rows",
        "has",
        "all",
        "any",
        "prefer",
        "within",
        "through",
        "until",
        "onward",
        "meeting",
        "labelled",
        "calendar",
        "with",
        "total",
        "gives",
        "set",
        "desc",
        "ties",
        "dropping",
        "keeping",
        "up",
        "aside",
        "equally",
        "row",
        "sheet",
        "named",
        "query",
        "x",
        "line",
        "bars",
    ];
    for word in soft {
        assert!(!HARD_WORDS.contains(&word), "{word} is hard");
        let text = format!(
            "input t from \"t.csv\"\n  read a as text\n       {word} as integer\n  add b = {word} + 1\n      \
             {word} = b\n  change {word} = {word} * 2\n  keep {word} > 1 and t.{word} = 2\n  \
             columns {word} as c, {word}\n  rename {word} to b\n  grain {word}\n  track {word}\n  \
             dedupe by {word} keep latest {word}\n  units of {word} as {word} split {word}\n\
             link {word} to t on {word} = {word} at least 3% of {word} as {word} back {word}\n\
             table {word} from {word}\noutput {word} to \"o.csv\"\ncheck {word}: {word}({word}) > 1\n\
             param {word} date = 3\n"
        );
        let parsed = parse(&text);
        assert!(parsed.diagnostics.is_empty(), "{word}: {:#?}", parsed.diagnostics);
        assert_laws(&text);
    }
}

#[test]
fn hard_words_need_backticks() {
    for word in HARD_WORDS {
        let bare = parse(&format!("table t from a\n  keep {word} = 1 + 2\n  add {word} = 3\n"));
        assert!(!bare.diagnostics.is_empty(), "{word}");
        let quoted = format!("table t from a\n  add `{word}` = `{word}` + 1\n");
        assert!(assert_laws(&quoted).contains(&format!("`{word}`")));
    }
}

#[test]
fn a_backtick_within_a_name_is_doubled() {
    for name in ["a`b", "`", "``x", "x`"] {
        let written = plan_name(name);
        let plan = format!("table t from a\n  keep {written} = 1\n");
        assert!(assert_laws(&plan).contains(&written), "{written}");
    }
}

#[test]
fn brackets_stand_only_where_they_must() {
    let kept = |text: &str| {
        let plan = format!("table t from a\n  keep {text}\n");
        assert_laws(&plan).lines().nth(1).unwrap().trim_start_matches("  keep ").to_owned()
    };
    for (written, printed) in [
        ("((a))", "a"),
        ("(a + b) + c", "a + b + c"),
        ("a + (b + c)", "a + (b + c)"),
        ("(a * b) + c", "a * b + c"),
        ("a * (b + c)", "a * (b + c)"),
        ("a - (b - c)", "a - (b - c)"),
        ("-(a + b)", "-(a + b)"),
        ("- -a", "--a"),
        ("(a or b) and c", "(a or b) and c"),
        ("(a and b) or c", "a and b or c"),
        ("not (a and b)", "not (a and b)"),
        ("not (a = b)", "not a = b"),
        ("(not a) = b", "(not a) = b"),
        ("(a = b) = (c = d)", "(a = b) = (c = d)"),
        ("(a ?? b) + c", "(a ?? b) + c"),
        ("a ?? (b + c)", "a ?? (b + c)"),
        ("a ?? b ?? c", "a ?? b ?? c"),
        ("a ?? (b ?? c)", "a ?? (b ?? c)"),
        ("a in ((b), c & d)", "a in (b, c & d)"),
        ("(a + b) is blank", "a + b is blank"),
        ("(if a then b else c) + 1", "(if a then b else c) + 1"),
        ("if a then b else c + 1", "if a then b else c + 1"),
        ("sum(a.b where (c or d))", "sum(a.b where c or d)"),
        ("rows(a where b)", "rows(a where b)"),
        ("sum(a per b, (c) where d)", "sum(a where d per b, c)"),
        ("a / sum((a) in all)", "a / sum(a in all)"),
        ("position(by a, b desc per c)", "position(per c by a, b desc)"),
        ("list(distinct (a), \"; \" by b)", "list(distinct a, \"; \" by b)"),
        ("list(distinct, a)", "list(distinct, a)"),
        ("list(distinct (-a), b)", "list(distinct (-a), b)"),
        ("list(distinct - a)", "list(distinct (-a))"),
        ("list(`distinct` - a)", "list(`distinct` - a)"),
        ("list(distinct (not a))", "list(distinct not a)"),
        ("rows(where a)", "rows(where a)"),
        ("running(over over 07 days by d per c)", "running(over per c by d over 7 days)"),
        ("rows(over 1 rows in all by over)", "rows(in all by over over 1 row)"),
    ] {
        assert_eq!(kept(written), printed);
    }
}

#[test]
fn numbers_are_exact() {
    let tree = shape("check: 1_000.50 = 12\n");
    let text = serde_json::to_string(&tree).unwrap();
    assert!(text.contains(r#""units":100050"#) && text.contains(r#""scale":2"#), "{text}");
    assert!(formatted("check: 1_000.50 = 12").contains("1000.50 = 12"));
}

#[test]
fn deep_and_long_expressions_are_refused_and_not_a_full_stack() {
    let deep = format!("table t from a\n  keep {}1{}\n", "(".repeat(5000), ")".repeat(5000));
    assert!(parse(&deep).diagnostics[0].message.contains("nested more than 64 deep"));
    let nots = format!("table t from a\n  keep {} a\n", "not ".repeat(5000));
    assert!(parse(&nots).diagnostics[0].message.contains("nested more than 64 deep"));
    let long = format!("table t from a\n  keep 1{}\n", " + 1".repeat(100_000));
    assert!(parse(&long).diagnostics[0].message.contains("more than 500 operators"));
    let fits = format!("table t from a\n  keep 1{}\n", " + 1".repeat(400));
    assert!(parse(&fits).diagnostics.is_empty());
}

#[test]
fn spans_point_at_the_words() {
    let text = "table t from a\n  keep (net + 1) > nett\n";
    let parsed = parse(text);
    let StatementKind::Table(table) = &parsed.tree.statements[0].kind else { panic!() };
    let StepKind::Keep(condition) = &table.steps[0].kind else { panic!() };
    let words = |span: Span| &text[span.start..span.end];
    assert_eq!(words(condition.span), "(net + 1) > nett");
    let ExprKind::Binary { left, right, .. } = &condition.kind else { panic!() };
    assert_eq!(words(left.span), "net + 1");
    assert_eq!(words(right.span), "nett");
    assert_eq!(words(table.steps[0].span), "keep (net + 1) > nett");
}

#[test]
fn near_names_are_found_and_far_ones_are_not() {
    let known = ["order_no", "quantity", "net", "Order_no"];
    assert_eq!(nearest("order_nr", known), Some("order_no"));
    assert_eq!(nearest("QUANTITY", known), Some("quantity"));
    assert_eq!(nearest("nte", known), Some("net"));
    assert_eq!(nearest("customer", known), None);
    assert_eq!(nearest("order", known), None);
    assert_eq!(nearest_or_longer("Order", known), Some("order_no"));
    assert_eq!(nearest_or_longer("net_value", known), Some("net"));
    assert_eq!(nearest_or_longer("or", known), None);
    assert_eq!(nearest_or_longer("customer", known), None);
}

#[test]
fn a_step_on_one_line() {
    let parsed = parse("table t from a\n  add x = 1\n      longer = \"a = b\"\n");
    let StatementKind::Table(table) = &parsed.tree.statements[0].kind else { panic!() };
    assert_eq!(format_step(&table.steps[0]), "add x = 1, longer = \"a = b\"");
}

#[test]
fn an_example_keeps_the_lines_of_its_blocks_and_its_comments() {
    let text = "example \"x\" # 1\nset a = 1, b = \"c\" # 2\n # 3\n with t \"\"\"\n  k,n\n   # 4,\n\n   x,\\n\n\
                \"\"\" # 5\n with `t u` \"\"\"\n k\n \"\"\"\n # 6\n gives t \"\"\"\n k\n \"\"\" gives u \"\"\"\n v\n\
                \"\"\" # 7\nexample \"y\" with t \"\"\"\n k\n \"\"\" stops \"grain\" # 8\n";
    let expected = r#"example "x"  # 1
  set a = 1, b = "c"  # 2
  # 3
  with t """
    k,n
     # 4,

     x,\n
    """  # 5
  with `t u` """
    k
    """
  # 6
  gives t """
    k
    """
  gives u """
    v
    """  # 7

example "y"
  with t """
    k
    """
  stops "grain"  # 8
"#;
    assert_eq!(assert_laws(text), expected);
}

/// Names, some of which need backticks.
fn names() -> impl Strategy<Value = String> {
    prop_oneof![
        "[a-z_][a-z0-9_]{0,6}",
        prop::sample::select(HARD_WORDS).prop_map(str::to_owned),
        "[A-Za-z ./-]{1,8}".prop_filter("a name", |name| !name.trim().is_empty()),
    ]
    .prop_map(|name| if is_plain_name(&name) { name } else { format!("`{name}`") })
}

/// Expressions as a person might write them, with more brackets than they need.
fn expressions() -> impl Strategy<Value = String> {
    let leaf = prop_oneof![
        names(),
        (names(), names()).prop_map(|(a, b)| format!("{a}.{b}")),
        (0_i64..1_000_000).prop_map(|n| n.to_string()),
        (0_i64..1000, 0_i64..100).prop_map(|(a, b)| format!("{a}.{b:02}")),
        "[ -~]{1,6}".prop_map(|text| {
            format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""))
        }),
        Just("true".to_owned()),
    ];
    leaf.prop_recursive(4, 24, 3, |inner| {
        let operators =
            prop::sample::select(vec!["+", "-", "*", "/", "&", "??", "=", "<=", "and", "or"]);
        prop_oneof![
            (inner.clone(), operators, inner.clone())
                .prop_map(|(a, op, b)| format!("(({a}) {op} ({b}))")),
            inner.clone().prop_map(|a| format!("-({a})")),
            inner.clone().prop_map(|a| format!("(not ({a}))")),
            inner.clone().prop_map(|a| format!("(({a}) is not blank)")),
            (inner.clone(), inner.clone()).prop_map(|(a, b)| format!("(({a}) in ({b}, 1))")),
            (inner.clone(), inner.clone(), inner.clone())
                .prop_map(|(a, b, c)| format!("(if {a} then {b} else {c})")),
            (names(), inner.clone(), inner.clone())
                .prop_map(|(name, a, b)| format!("{name}({a}, {b} where {a})")),
            (names(), inner.clone(), names())
                .prop_map(|(name, a, key)| format!("{name}({a} by {key} desc, {a} in all)")),
            (inner.clone(), names(), inner).prop_map(|(a, key, b)| format!(
                "list(distinct {a}, {b} per {key}, {key} & {key} where {b})"
            )),
        ]
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn parsing_what_fmt_prints_gives_the_same_tree(
        expression in expressions(), name in names(), comment in "[ -~]{0,12}"
    ) {
        let text = format!(
            "table t from a # {comment}\n add {name} = {expression}\n{name} = 1 #{comment}\n keep {expression}\n"
        );
        // A text alone on the right of a comparison may not be blank; such plans are wrong.
        if parse(&text).diagnostics.is_empty() {
            assert_laws(&text);
        }
    }

    #[test]
    fn groups_orders_and_several_tables_come_back_as_they_were(
        expression in expressions(), key in names(), name in names(), other in names(),
        ties in any::<bool>(), total in any::<bool>(),
    ) {
        let total = if total { "total row \"all\"" } else { "" };
        let ties = if ties { "with ties" } else { "" };
        let text = format!(
            "use \"a.granum\" input {name} from calendar {key} through ({other})\n\
             table {name} from {key}, {other} filling blanks labelled {name}\n\
             one row per ({key} & {other}) as {name}, {key}.{other} {total} {name} = {expression} # c\n\
             {other} = rows() sort {key} desc, ({expression})\n\
             table {key} from {name} meeting {other}, {key} on {name}, {other}\n\
             bottom 1_0 by {expression} per {key}, {other} {ties} one row in all {name} = {expression}\n"
        );
        if parse(&text).diagnostics.is_empty() {
            assert_laws(&text);
        }
    }

    #[test]
    fn no_text_makes_the_parser_fall_over(text in "[ -~\\n\"`#é]{0,200}") {
        let parsed = parse(&text);
        let _ = format_plan(&text, &parsed);
        for diagnostic in parsed.diagnostics {
            prop_assert!(diagnostic.span.end <= text.len());
            prop_assert!(text.get(diagnostic.span.start..diagnostic.span.end).is_some());
        }
    }

    #[test]
    fn no_jumble_of_words_makes_the_parser_fall_over(
        words in prop::collection::vec(prop_oneof![
            prop::sample::select(vec![
                "input", "table", "link", "check", "from", "add", "keep", "dedupe", "by", "units",
                "of", "as", "if", "then", "else", "(", ")", ",", ".", "=", "\"a\"", "1", "98%",
                "where", "not", "in", "is", "blank", "read", "x", "one", "row", "per", "all", "total",
                "with", "sort", "desc", "top", "ties", "meeting", "on", "calendar", "through", "use",
                "distinct", "list", "filling", "labelled", "\n", "#c\n", "\"\"\"", "??",
            ]).prop_map(str::to_owned), names()
        ], 0..60)
    ) {
        let text = words.join(" ");
        let parsed = parse(&text);
        if parsed.diagnostics.is_empty() {
            assert_laws(&text);
        }
    }
}
