//! Parameters of every type, from the plan or from the call, also in plans that are used.

use super::folder::Folder;

const TYPES: [(&str, &str, &str, &str); 7] = [
    ("text", "\"fern\"", "moss", "moss"),
    ("integer", "3", "-7", "-7"),
    ("decimal(2)", "2.50", "1.75", "1.75"),
    ("number", "1.5", "0.25", "0.25"),
    ("date", "date(\"2026-06-30\")", "2026-01-02", "2026-01-02"),
    ("datetime", "blank", "2026-01-02T03:04", "2026-01-02T03:04:00"),
    ("boolean", "true", "false", "false"),
];

#[test]
fn a_parameter_of_each_type_is_written_out_or_set() {
    let folder = Folder::new();
    folder.file("t.csv", "k\n1\n");
    for (ty, written, set, shown) in TYPES {
        folder.plan(&format!(
            "param it {ty} = {written}\ninput t from \"t.csv\"\ntable u from t\n  add value = it\n\
             output u to \"u.csv\"\n"
        ));
        folder.run().code(0);
        let own = folder.read("u.csv");
        let setting = format!("it={set}");
        folder.granum(&["run", "p.granum", "--set", &setting]).code(0);
        assert_eq!(folder.read("u.csv"), format!("k,value\n1,{shown}\n"), "{ty}");
        assert_ne!(folder.read("u.csv"), own, "{ty}");
        if ty != "text" {
            let ran = folder.granum(&["run", "p.granum", "--set", "it=much"]).code(2);
            ran.complains(&format!("--set it: `much` is not of type {ty}"));
        }
    }
}

#[test]
fn parameters_stand_in_conditions_groups_calendars_and_lists() {
    let folder = Folder::new();
    folder.file("t.csv", "k,on,net\nA,2026-01-01,4\nA,2026-01-02,5\nB,2026-01-02,1\n");
    folder.file(
        "shared/names.granum",
        "param between text = \", \"\nparam least integer = 2\nparam last date = date(\"2026-01-02\")\n",
    );
    folder.plan(
        "use \"shared/names.granum\"\ninput t from \"t.csv\"\n  track net\n\
         input days from calendar date(\"2026-01-01\") through last\nlink t to days on on = day\n\
         table u from t\n  one row per k\n    big = sum(net where net >= least)\n    \
         nets = list(net, between)\n  keep big > 0\n\
         table v from days\n  add net = sum(t.net where net >= least)\n  columns day, net\n\
         output u to \"u.csv\"\noutput v to \"v.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("u.csv"), "k,big,nets\nA,9,\"4, 5\"\n");
    assert_eq!(folder.read("v.csv"), "day,net\n2026-01-01,4\n2026-01-02,5\n");
    let set = ["--set", "between=/", "--set", "least=1", "--set", "last=2026-01-01"];
    folder.granum(&[&["run", "p.granum"], &set[..]].concat()).code(0);
    assert_eq!(folder.read("u.csv"), "k,big,nets\nA,9,4/5\nB,1,1\n");
    assert_eq!(folder.read("v.csv"), "day,net\n2026-01-01,4\n");
}

#[test]
fn groups_do_not_depend_on_threads() {
    let folder = Folder::new();
    folder.granum(&["demo", ".", "--orders", "3000", "--only-data", "-q"]).code(0);
    folder.plan(
        "input lines from \"data/lines.csv\"\n  add net = quantity * unit_price - discount\n  \
         track net, quantity\n\
         table t from lines\n  one row per article_no, line_no total row \"all\"\n    \
         net = sum(net) mean = mean(number(net)) orders = distinct(order_no)\n  sort net desc\n\
         table u from lines\n  one row per order_no\n    net = sum(net) mean = mean(number(net))\n    \
         part = share(quantity > 2)\n  top 40 by net per left(order_no, 6) with ties\n\
         output t to \"t.csv\"\noutput u to \"u.csv\"\n"
            .replace("article_no, line_no", "article_no, text(line_no) as line_no")
            .replace("lines.csv\"\n  add", "lines.csv\"\n  read article_no as text\n  add")
            .as_str(),
    );
    let run = |threads: &str| {
        let ran = folder.granum(&["run", "p.granum", "--threads", threads]).code(0);
        (ran.out, folder.read("t.csv"), folder.read("u.csv"))
    };
    let one = run("1");
    for threads in ["2", "5"] {
        assert_eq!(run(threads), one);
    }
}
