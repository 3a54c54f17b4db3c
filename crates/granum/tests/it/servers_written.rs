//! Databases on a `PostgreSQL` server, written to.

use super::folder::Folder;
use super::server::{Database, database};

/// A mart that others read, with what they have put around its table.
const MART: &str = "
    CREATE SCHEMA mart;
    CREATE TABLE mart.sales (order_no text NOT NULL, net numeric(8, 2), sold_on date, loaded_at timestamptz DEFAULT now(),
                             no int GENERATED ALWAYS AS IDENTITY);
    CREATE UNIQUE INDEX sales_by_order ON mart.sales (order_no);
    CREATE VIEW mart.total AS SELECT sum(net) FROM mart.sales;
    INSERT INTO mart.sales (order_no, net, sold_on) VALUES ('M1', 1, '2026-01-01'), ('M9', 9, '2026-01-09');
";

/// Two orders, written as a plan says it behind `output o to \"DB\"`.
fn plan(end: &str) -> String {
    format!(
        "param least decimal(2) = 0\ninput o from \"o.csv\"\n  read net as decimal(2)\n       sold_on as date\n  grain order_no\n\
         check \"enough\" o: net >= least\noutput o to \"DB\" {end}\n"
    )
}

const ORDERS: &str = "order_no,net,sold_on\nM1,1.50,2026-01-01\nM2,2.25,2026-01-02\n";

fn folder(shop: &Database, end: &str) -> Folder {
    let folder = shop.plan(&plan(end));
    folder.file("o.csv", ORDERS);
    folder
}

const SALES: &str = "SELECT concat(order_no, '=', net) FROM mart.sales ORDER BY order_no";

#[test]
fn a_table_is_made_with_its_key_and_refilled_with_all_around_it_left() {
    let Some(mut shop) = database("granum_refill", MART) else { return };
    let made = folder(&shop, "named \"mart.fresh\"");
    made.run().code(0).says("#mart.fresh \u{b7} 2 rows, in a new table");
    let columns = "SELECT concat(column_name, ' ', data_type, ' ', numeric_scale) FROM information_schema.columns \
                   WHERE table_schema = 'mart' AND table_name = 'fresh' ORDER BY ordinal_position";
    assert_eq!(shop.all(columns), "order_no text  net numeric 2 sold_on date ");
    let key = "SELECT pg_get_constraintdef(oid) FROM pg_constraint WHERE conrelid = 'mart.fresh'::regclass";
    assert_eq!(shop.all(key), "PRIMARY KEY (order_no)");
    made.run().code(0).says("#mart.fresh \u{b7} 2 rows, in place of 2");
    // Nobody sees anything before all checks held; what is to be made is not there.
    let stopped = folder(
        &shop,
        "named \"mart.other\"\noutput o to \"DB\" named \"mart.sales\""
            .replace("DB", &shop.address)
            .as_str(),
    );
    stopped.granum(&["run", "p.granum", "--set", "least=2"]).code(1);
    assert_eq!(shop.all(SALES), "M1=1.00 M9=9.00");
    assert_eq!(shop.all("SELECT to_regclass('mart.other')"), "");
    stopped.run().code(0).says("#mart.sales \u{b7} 2 rows, in place of 2");
    assert_eq!(shop.all(SALES), "M1=1.50 M2=2.25");
    assert_eq!(shop.all("SELECT sum FROM mart.total"), "3.75");
    assert_eq!(shop.all("SELECT count(loaded_at) + count(no) FROM mart.sales"), "4");
    // Each run that wrote is noted, with the first schema that it wrote to.
    assert_eq!(shop.all("SELECT count(*) FROM mart.granum_run WHERE length(run) = 32"), "3");
    let told = stopped.granum(&["run", "p.granum", "--format", "json"]).code(0);
    let taken: serde_json::Value = serde_json::from_str(&told.out).unwrap();
    assert_eq!(taken["report"]["written"][1]["taken"]["refilled"]["before"], 2);
}

#[test]
fn a_table_that_would_not_keep_all_is_not_written_to() {
    let Some(mut shop) = database("granum_refuse", MART) else { return };
    shop.run(
        "CREATE TABLE narrow (order_no varchar(1), net numeric(8, 1), sold_on timestamp);
         CREATE TABLE rounded (order_no text, net numeric(8, 1), sold_on date);
         CREATE TABLE floating (order_no char(4), net real, sold_on timestamptz);
         CREATE TABLE other (order_no text, amount numeric);
         CREATE TABLE led (order_no text PRIMARY KEY, net numeric, sold_on date);
         CREATE TABLE leads (order_no text REFERENCES led ON DELETE CASCADE);
         INSERT INTO led VALUES ('M1'); INSERT INTO leads VALUES ('M1');
         CREATE TABLE held (order_no text, net numeric, sold_on date CHECK (sold_on > '2026-01-01'));
         CREATE TABLE kept (order_no text, net numeric, sold_on date);
         CREATE FUNCTION keeps() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN IF NEW.net > 2 THEN RETURN NULL; END IF; RETURN NEW; END';
         CREATE TRIGGER keeps BEFORE INSERT ON kept FOR EACH ROW EXECUTE FUNCTION keeps();
         CREATE TABLE full_of (order_no int, net numeric, sold_on date);
         CREATE TABLE identity (order_no text, net numeric, sold_on date GENERATED ALWAYS AS ('2026-01-01'::date) STORED)",
    );
    for (end, told) in [
        (
            "named \"narrow\"",
            "`order_no` in row 1 is M1, of which character varying(1) in narrow would keep M",
        ),
        (
            "named \"rounded\"",
            "`net` in row 2 is 2.25, of which numeric(8,1) in rounded would keep 2.3",
        ),
        (
            "named \"other\"",
            "has a table other of other columns: it has amount, which the output has not; it lacks net, sold_on",
        ),
        ("named \"led\"", "has a table led that leads leads to"),
        ("named \"held\"", "violates check constraint"),
        ("named \"kept\"", "takes 1 of 2 rows of kept"),
        ("named \"full_of\"", "invalid input syntax for type integer: \"M1\""),
        ("named \"identity\"", "whose column sold_on fills itself"),
        ("named \"mart.total\"", "has a view called mart.total, which cannot be written to"),
        ("named \"none.sales\"", "has no schema none"),
        ("named \"x.\"", "has no room for a table called x."),
    ] {
        folder(&shop, end).run().code(3).complains(told).complains("nothing was written");
    }
    for table in ["narrow", "rounded", "held", "kept"] {
        assert_eq!(shop.all(&format!("SELECT count(*) FROM {table}")), "0", "{table}");
    }
    assert_eq!(shop.all("SELECT count(*) FROM leads"), "1");
    // What another type holds as it is goes there: the shortest real is the same number.
    folder(&shop, "named \"floating\"").run().code(0);
    assert_eq!(
        shop.all("SELECT concat(order_no, net, sold_on AT TIME ZONE 'UTC') FROM floating"),
        "M1  1.52026-01-01 00:00:00 M2  2.252026-01-02 00:00:00"
    );
    let reads = shop.plan(
        "input a from \"DB\" named \"full_of\"\noutput a to \"DB\" named \"public.full_of\"\n",
    );
    reads.run().code(3).complains("an input is read from this table");
    let twice = "named \"mart.sales\"\noutput o to \"DB\" named \"mart.SALES\""
        .replace("DB", &shop.address);
    folder(&shop, &twice)
        .run()
        .code(2)
        .says("")
        .complains("written to the table mart.sales of this database already");
    let one = shop.plan("input a from \"o.csv\"\noutput a to \"DB\" named \"fresh\"\ntable b from a\noutput b to \"DB\" named \"public.fresh\"\n");
    one.file("o.csv", "k\n1\n")
        .run()
        .code(3)
        .complains("is to be written twice, to its table fresh");
    let nul = shop.plan("input a from \"o.csv\"\noutput a to \"DB\" named \"nul\"\n");
    nul.file("o.csv", "k\nx\nb\0d\n")
        .run()
        .code(3)
        .complains("invalid byte sequence for encoding \"UTF8\": 0x00")
        .complains("line 2, column k");
}

#[test]
fn rows_are_added_by_their_grain() {
    let Some(mut shop) = database("granum_add", MART) else { return };
    shop.run(
        "CREATE TABLE noted (order_no text PRIMARY KEY, net numeric, sold_on date, note text);
         INSERT INTO noted VALUES ('M1', 0, NULL, 'by hand'), ('M7', 7, NULL, NULL);",
    );
    let adding = folder(&shop, "named \"mart.sales\" adding by grain");
    adding.run().code(0).says("#mart.sales \u{b7} 2 rows: 1 added, 1 replaced");
    assert_eq!(shop.all(SALES), "M1=1.50 M2=2.25 M9=9.00");
    adding.run().code(0).says("0 added, 2 replaced");
    // What the output does not have stays.
    folder(&shop, "named \"noted\" adding by grain").run().code(0);
    assert_eq!(
        shop.all("SELECT concat(order_no, '=', net, note) FROM noted ORDER BY order_no"),
        "M1=1.50by hand M2=2.25 M7=7"
    );
    folder(&shop, "named \"first\" adding by grain").run().code(0).says("in a new table");
    folder(&shop, "named \"first\" adding by grain").run().code(0).says("0 added, 2 replaced");
    shop.run(
        "CREATE TABLE keyless (order_no text, net numeric, sold_on date);
         CREATE TABLE needs (order_no text PRIMARY KEY, net numeric, sold_on date, place text NOT NULL)",
    );
    folder(&shop, "named \"keyless\" adding by grain")
        .run()
        .code(3)
        .complains("without a key of order_no, by which rows could be added")
        .complains("CREATE UNIQUE INDEX ON \"public\".\"keyless\" (\"order_no\")");
    folder(&shop, "named \"needs\" adding by grain")
        .run()
        .code(3)
        .complains("it needs place, which the output has not");
    let blank = shop.plan("input a from \"o.csv\"\ntable b from a\n  one row per k\n    n = count(x)\noutput b to \"DB\" named \"b\" adding by grain\n");
    blank
        .file("o.csv", "k,x\n,1\n2,1\n")
        .run()
        .code(3)
        .complains("adds to b by k, and `k` is blank in row");
    let plan = "input a from \"o.csv\"\noutput a to \"DB\" adding by grain\n";
    let none = shop.plan(plan);
    none.file("o.csv", "k\n1\n")
        .run()
        .code(2)
        .complains("`a` has no grain that its rows could be added by");
    let file =
        shop.plan("input a from \"o.csv\"\n  grain k\noutput a to \"p.csv\" adding by grain\n");
    file.file("o.csv", "k\n1\n")
        .run()
        .code(2)
        .complains("text is written whole, and nothing is added to it");
}

#[test]
fn a_run_is_written_down_and_its_changes_are_told() {
    let Some(mut shop) = database("granum_record", MART) else { return };
    shop.run("CREATE TABLE o (order_no text PRIMARY KEY, net numeric(8, 2)); INSERT INTO o VALUES ('M1', 1), ('M2', 2)");
    let plan = "input o from \"DB\" named \"o\"\n  grain order_no\n  track net\noutput o to \"DB\" named \"mart.o\"\n";
    let folder = shop.plan(plan);
    let run = |more: &[&str]| folder.granum(&[&["run", "p.granum"], more].concat());
    run(&["--record", "r.json"]).code(0);
    run(&["--against", "r.json"]).code(0).says("inputs: the same, 1 file");
    shop.run("UPDATE o SET net = 3 WHERE order_no = 'M2'");
    let told = run(&["--against", "r.json", "--changes"]).code(0);
    let told =
        told.says("/granum_record#o").says("#mart.o as it was \u{2192} now \u{b7} by order_no");
    assert!(told.out.contains("changed      1"), "{}", told.out);
    assert_eq!(shop.all("SELECT net FROM mart.o ORDER BY order_no"), "1.00 3.00");
    assert!(!folder.read("r.json").contains("password"));
    // What stopped goes into files alone; what is shown can go into a table.
    folder.plan(&format!(
        "input o from \"{0}\" named \"o\"\n  grain order_no\ncheck o: net > 9\noutput o to \"{0}\" named \"mart.o\"\n",
        shop.address
    ));
    folder.granum(&["run", "p.granum", "--anyway-to", "seen"]).code(1);
    assert_eq!(folder.read("seen/STOPPED-mart.o.csv"), "order_no,net\nM1,1.00\nM2,3.00\n");
    let to = format!("{}#mart.shown", shop.address);
    folder.granum(&["show", "p.granum", "o", "--to", &to]).code(0).says("wrote ");
    assert_eq!(shop.all("SELECT count(*) FROM mart.shown"), "2");
    let told =
        folder.granum(&["show", "p.granum", "o", "--to", "postgres://ada:rose@h/d#t"]).code(3);
    assert!(!told.complains("ada:****@h/d: has a password in its address").err.contains("rose"));
}

#[cfg(target_os = "linux")]
#[test]
fn all_old_or_all_new_in_a_database_and_the_files_beside_it() {
    use super::killed::killed_at;
    use super::shim::shim;
    let Some(mut shop) = database("granum_killed", "CREATE TABLE b (k bigint)") else { return };
    let tools = Folder::new();
    let shim = shim(&tools);
    let plan = "param least integer = 0\ninput a from \"a.csv\"\ntable b from a\ncheck \"enough\" a: k >= least\n\
                output a to \"one/a.csv\"\noutput b to \"DB\" named \"b\"\noutput b to \"two/b.csv\"\n";
    let folder = shop.plan(plan);
    let (mut old, mut new) = (0, 0);
    for step in 1.. {
        assert!(step < 300, "it never comes through");
        folder.file("a.csv", "k\n1\n2\n").file("one/a.csv", "old\n").file("two/b.csv", "old\n");
        shop.run("DELETE FROM b; INSERT INTO b VALUES (7)");
        if killed_at(&folder, &shim, step) {
            break;
        }
        let next = folder.granum(&["run", "p.granum", "-q", "--set", "least=9"]).code(1);
        let rows = shop.all("SELECT k FROM b ORDER BY k");
        let texts = ["one/a.csv", "two/b.csv"].map(|name| folder.read(name));
        let is_new = rows == "1 2";
        let expected = if is_new { "k\n1\n2\n" } else { "old\n" };
        assert_eq!(texts, [expected; 2], "step {step}: {rows} {}", next.err);
        assert!(is_new || rows == "7", "step {step}: {rows}");
        let left: Vec<String> =
            folder.names().into_iter().filter(|name| name.contains(".granum-")).collect();
        assert!(left.is_empty(), "step {step}: {left:?}");
        if is_new { new += 1 } else { old += 1 }
    }
    assert!(old > 5 && new > 3, "{old} {new}");
}
