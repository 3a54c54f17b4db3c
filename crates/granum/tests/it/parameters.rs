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

#[test]
fn a_plan_of_each_month_reads_and_writes_the_files_of_that_month() {
    let folder = Folder::new();
    folder
        .file("data/2026-09/orders_a.csv", "no,net\n1,2.00\n")
        .file("data/2026-10/orders_a.csv", "no,net\n2,3.00\n")
        .file("data/2026-10/orders_b.csv", "no,net\n3,4.00\n")
        .file("data/{x}.csv", "k\n1\n")
        .plan(
            "param month text = \"2026-09\"\nparam since date = date(\"2026-01-01\")\n\
             input orders from \"data/{month}/orders_*.csv\"\ninput odd from \"data/{{x}}.csv\"\n\
             output orders to \"out/{ month }/orders since {since}.csv\"\n",
        );
    folder.run().code(0).says("wrote out/2026-09/orders since 2026-01-01.csv");
    let ran = folder.granum(&["run", "p.granum", "--set", "month=2026-10", "--record", "r.json"]);
    ran.code(0).says("wrote out/2026-10/orders since 2026-01-01.csv");
    assert_eq!(folder.read("out/2026-09/orders since 2026-01-01.csv"), "no,net\n1,2.00\n");
    assert_eq!(folder.read("out/2026-10/orders since 2026-01-01.csv"), "no,net\n2,3.00\n3,4.00\n");
    assert!(folder.read("r.json").contains("data/2026-10/orders_b.csv"));
    let set = ["--set", "month=2026-10"];
    folder.granum(&[&["show", "p.granum", "orders"], &set[..]].concat()).code(0).says("2 rows");
    folder
        .granum(&[&["trace", "p.granum", "orders", "no=3"], &set[..]].concat())
        .says("orders_b.csv line 2");
    folder.granum(&["fmt", "p.granum"]).code(0);
    assert!(folder.read("p.granum").contains("{ month }/orders since {since}.csv"));
    // A plan that is used has its paths from its own folder.
    folder.file("plans{1}/in.granum", "input orders from \"../data/{month}/orders_a.csv\"\n");
    folder.plan(
        "use \"plans{1}/in.granum\"\nparam month text = \"2026-10\"\noutput orders to \"o.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("o.csv"), "no,net\n2,3.00\n");
}

#[test]
fn a_path_has_no_parameter_that_is_not_there_or_leads_outside() {
    let folder = Folder::new();
    folder.file("out/t.csv", "k\n1\n").file("t.csv", "k\n1\n");
    let wrong = |path: &str, set: &str, says: &str, helps: &str| {
        folder.plan(&format!(
            "param month text = \"x\"\nparam none text = blank\ninput t from \"t.csv\"\noutput t to \"{path}\"\n"
        ));
        let ran = folder.granum(&["run", "p.granum", "--set", set]);
        ran.code(2).complains(says).complains(helps);
    };
    let set = "month=2026-10";
    wrong("o/{mont}.csv", set, "no parameter called `mont`", "did you mean `month`?");
    wrong("o/{day}.csv", set, "no parameter called `day`", "param NAME text");
    wrong("o/{month.csv", set, "this path has a `{` without its other half", "written twice");
    wrong("o/month}.csv", set, "this path has a `}` without its other half", "written twice");
    wrong("o/{none}.csv", set, "`none` is blank, and a path cannot have that", "--set none=");
    for outside in ["../up", "a/../../b", "/etc/x", "..", "~/x", "..\\\\x"] {
        let set = format!("month={}", outside.replace("\\\\", "\\"));
        wrong("out/{month}.csv", &set, "would lead out of the path's folder", "leave a name to");
    }
    wrong("o/{month}.csv", "mnth=x", "--set names `mnth`", "did you mean `month`?");
    // The path itself may lead where it likes.
    folder.plan(
        "param k text = \"t\"\ninput t from \"out/../{k}.csv\"\noutput t to \"out/{k}.csv\"\n",
    );
    folder.run().code(0);
    // Two outputs that a parameter makes one, and one that would replace an input.
    wrong("{month}.csv", "month=t", "would replace a file that `t` is read from", "another path");
}

#[test]
fn rows_may_stand_in_the_plan() {
    let folder = Folder::new();
    folder.file("o.csv", "no,channel,net\n1,s,2.00\n2,p,3.00\n3,s,4.00\n");
    let plan = "input channels from \"\"\"\n  code,name,since\n  s,\"the shop, in town\",2026-01-01\n  p,post,\n  \"\"\"\n  \
                # what it is called\n  grain code\n\ninput orders from \"o.csv\"\n  grain no\n  track net\n\n\
                link orders to channels on channel = code complete\n\ntable t from orders\n  add name  = channels.name\n      \
                since = channels.since\n  columns no, name, since\n\noutput t to \"t.csv\"\n\n\
                example \"it stays as it is, unless the example says another\"\n  with orders \"\"\"\n    no,channel,net\n    7,p,1.00\n    \"\"\"\n  \
                gives t \"\"\"\n    no,name\n    7,post\n    \"\"\"\n\n\
                example \"another\"\n  with channels \"\"\"\n    code,name\n    x,by boat\n    \"\"\"\n  with orders \"\"\"\n    no,channel,net\n    7,x,1.00\n    \"\"\"\n  \
                gives t \"\"\"\n    no,name\n    7,by boat\n    \"\"\"\n";
    folder.plan(plan);
    folder.run().code(0).says("2 examples hold");
    assert_eq!(
        folder.read("t.csv"),
        "no,name,since\n1,\"the shop, in town\",2026-01-01\n2,post,\n3,\"the shop, in town\",2026-01-01\n"
    );
    folder.granum(&["fmt", "--check", "p.granum"]).code(0);
    folder
        .granum(&["trace", "p.granum", "t", "no=2"])
        .code(0)
        .says("code p \u{b7} rows of channels line 3");
    let made = folder.granum(&["example", "p.granum", "t", "no=1"]).code(0);
    // What stands in the plan need not stand in an example of it, and is no secret.
    assert!(!made.out.contains("with channels") && made.out.contains("the shop, in town"));
    // What is wrong with them is wrong with the plan; what the data breaks stops the run.
    folder.plan(&plan.replace("p,post,\n", "p,post\n"));
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("line 3 of the block")
        .complains("p.granum:1:21");
    folder.plan(&plan.replace("code,name,since", "code,code,since"));
    folder.granum(&["check", "p.granum"]).code(2).complains("these rows cannot be read");
    folder.plan(&plan.replace("  p,post,\n", "  s,post,\n"));
    folder.run().code(1).says("(rows of channels line 2, rows of channels line 3)");
    folder.plan("input t from \"\"\"\n  \"\"\"\n");
    folder.run().code(2).complains("this block has no header");
    folder.plan("input t from \"\"\"\n  k\n  \"\"\"\noutput t to \"none.csv\"\n");
    folder.run().code(0);
    assert_eq!(folder.read("none.csv"), "k\n");
}
