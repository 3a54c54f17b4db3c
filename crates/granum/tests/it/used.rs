//! Plans that use other plans, and links whose keys follow links.

use serde_json::Value;

use super::folder::{Folder, SHOP, shop};

/// A shop whose inputs and links stand in a plan of their own.
fn folder() -> Folder {
    let folder = shop();
    folder.file(
        "shared/shop.granum",
        format!(
            "plan \"Shared\"\n{}link lines to orders on order_no\noutput lines to \"never.csv\"\n",
            SHOP.replace("from \"", "from \"../")
        ),
    );
    folder
}

#[test]
fn statements_of_another_plan_are_taken_in_but_not_its_outputs() {
    let folder = folder();
    folder.plan(
        "plan \"Mine\"\nuse \"shared/shop.granum\"\ntable t from lines\n  keep has(orders)\n\
         output t to \"t.csv\"\n",
    );
    let ran = folder.run().code(0);
    assert!(ran.out.starts_with("Mine\n"), "{}", ran.out);
    assert_eq!(folder.read("t.csv").lines().count(), 4);
    assert!(!folder.names().iter().any(|name| name.ends_with("never.csv")));
    folder.granum(&["show", "p.granum", "t", "--where", "net > 6"]).code(0).says("\n2 rows where");
    folder.granum(&["match", "p.granum", "lines.orders", "--by", "order_no"]).code(0).says("M9");
    folder.granum(&["fmt", "--check", "p.granum"]).code(1);
    folder.granum(&["fmt", "p.granum"]).code(0);
    assert!(folder.read("p.granum").contains("\nuse \"shared/shop.granum\"\n"));
}

#[test]
fn a_plan_that_is_reached_twice_is_taken_in_once() {
    let folder = folder();
    folder
        .file("shared/more.granum", "use \"shop.granum\"\ntable dear from lines\n  keep net > 6\n")
        .plan("use \"shared/more.granum\"\nuse \"shared/shop.granum\"\noutput dear to \"d.csv\"\n");
    folder.run().code(0);
    assert_eq!(folder.read("d.csv").lines().count(), 3);
}

#[test]
fn what_is_wrong_is_told_in_the_plan_where_it_stands() {
    let folder = folder();
    folder.file("shared/bad.granum", "table t from lines\n  keep nett > 1\n");
    folder.plan("use \"shared/shop.granum\"\nuse \"shared/bad.granum\"\ntable customers from t\n");
    let ran = folder.granum(&["check", "p.granum"]).code(2);
    assert_eq!(
        ran.err,
        "error[name-taken]: there is a table or input called `customers` already
   ┌─ shared/shop.granum:10:7
   │
10 │ input customers from \"../customers.csv\"
   │       ^^^^^^^^^
   │
   ┌─ p.granum:3:7
   │
 3 │ table customers from t
   │       --------- the first

error[unknown-name]: `t` has no column called `nett`
  ┌─ shared/bad.granum:2:8
  │
2 │   keep nett > 1
  │        ^^^^
  │
  = did you mean `net`?

"
    );
    let told = folder.granum(&["check", "p.granum", "--format", "json"]).code(2);
    let told: Value = serde_json::from_str(&told.out).unwrap();
    assert_eq!(told["diagnostics"][1]["file"], "shared/bad.granum");
    assert_eq!(told["diagnostics"][1]["from"]["line"], 2);
}

#[test]
fn plans_that_are_not_there_or_use_each_other_are_told() {
    let folder = folder();
    folder
        .plan("use \"nope.granum\"\nuse \"latin.granum\"\nuse \".\"\n")
        .file("latin.granum", b"# \xfc\n");
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("the plan \"nope.granum\" is not there")
        .complains("the plan \"latin.granum\" is not UTF-8, as plans are")
        .complains("the plan \".\" is a folder, not a plan");
    folder.file("a.granum", "use \"b.granum\"\n").file("b.granum", "use \"a.granum\"\n");
    folder
        .granum(&["check", "a.granum"])
        .code(2)
        .complains("these plans use each other: a.granum → b.granum → a.granum")
        .complains("b.granum:1:5");
}

#[test]
fn keys_follow_other_links_and_never_their_own() {
    let folder = shop();
    let links = "link lines to orders on order_no\n";
    folder.plan(&format!(
        "{SHOP}{links}link lines to customers on orders.customer_no = customer_no blank allowed\n\
         table t from lines\n  add name = customers.name\noutput t to \"t.csv\"\n"
    ));
    folder.run().code(0).says("lines → customers  orders.customer_no = customer_no");
    let written = folder.read("t.csv");
    assert_eq!(written.matches("Ansa Fernacre").count(), 2, "{written}");
    folder.granum(&["match", "p.granum", "lines.customers"]).code(0).says("not in lines: C2");
    folder.plan(&format!("{SHOP}link lines to orders on orders.order_no = order_no\n"));
    let ran = folder.granum(&["check", "p.granum"]).code(2);
    ran.complains("the key of the link to `orders` follows that link itself");
    folder.plan(&format!(
        "{SHOP}{links}link customers to lines on customer_no = orders.customer_no\n"
    ));
    let ran = folder.granum(&["check", "p.granum"]).code(2);
    ran.complains("this side of a key sees the columns of `lines` alone");
    folder
        .plan(&format!("{SHOP}{links}link orders to customers on sum(lines.net) = customer_no\n"));
    folder.granum(&["check", "p.granum"]).code(2).complains("an aggregate cannot stand here");
}
