//! `SQLite` files, in and out.

use std::fs;

use rusqlite::Connection;

use super::folder::{Folder, Ran};

/// A shop whose tables number their rows, so that only what is declared says where they lead.
const SHOP: &str = "
    CREATE TABLE place (id INTEGER PRIMARY KEY, town TEXT);
    CREATE TABLE person (id INTEGER PRIMARY KEY, name TEXT);
    CREATE TABLE sale (id INTEGER PRIMARY KEY, who INTEGER REFERENCES person, shop INT REFERENCES place(id),
                       amount DECIMAL(10, 2), sold_at DATETIME, paid BOOLEAN, pieces INT, rate REAL, note);
    CREATE TABLE part (sale INT, pos INT, qty INT, PRIMARY KEY (sale, pos), FOREIGN KEY (sale) REFERENCES sale(id));
    CREATE VIEW paid AS SELECT id, amount FROM sale WHERE paid;
    WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 60)
      INSERT INTO person SELECT i, 'Name ' || i FROM n;
    INSERT INTO place SELECT id, 'Town ' || id FROM person WHERE id <= 30;
    INSERT INTO sale SELECT id, 1 + id % 50, 1 + id % 25, id + 0.25, '2026-03-01 08:0' || (id % 10), id % 2, id % 4,
                            0.1 * (id % 3), CASE id % 3 WHEN 0 THEN '007' ELSE 'x' END FROM person;
    INSERT INTO part SELECT id, 1, id % 4 FROM sale;
    UPDATE sale SET pieces = 'two' WHERE id = 5;
";

fn database(folder: &Folder, name: &str, text: &str) -> Connection {
    let connection = Connection::open(folder.path().join(name)).unwrap();
    connection.execute_batch(text).unwrap();
    connection
}

fn shop() -> Folder {
    let folder = Folder::new();
    database(&folder, "shop.db", SHOP);
    folder
}

/// A run of a plan in a folder.
fn ran(folder: &Folder, plan: &str) -> Ran {
    folder.plan(plan);
    folder.run()
}

#[test]
fn a_whole_database_is_looked_at_and_what_it_declares_counts() {
    let folder = shop();
    insta::assert_snapshot!("database_survey", folder.granum(&["survey", "shop.db"]).code(0).out);
    insta::assert_snapshot!("database_relate", folder.granum(&["relate", "shop.db"]).code(0).out);
    let draft = folder.granum(&["draft", "shop.db"]).code(0).out;
    insta::assert_snapshot!("database_draft", draft);
    ran(&folder, &draft).code(0).says("1 cell could not be read and became blank");
    folder.granum(&["relate", "shop.db", "--format", "json"]).code(0).says("\"declared\": true");
    folder.granum(&["survey", "shop.db#paid"]).code(0).says("30 rows, 2 columns");
    folder
        .granum(&["match", "shop.db#sale", "shop.db#person", "--on", "who=id"])
        .code(0)
        .says("person");
    folder
        .granum(&["compare", "shop.db", "shop.db#sale", "--grain", "id"])
        .code(3)
        .complains("say which:  shop.db#part");
}

#[test]
fn cells_are_what_their_column_is_declared_as_and_others_are_told() {
    let folder = shop();
    let plan = "input sale from \"shop.db\" named \"sale\"\n  read pieces as integer else blank\n       rate   as decimal(1)\n  \
                keep id < 7\n\noutput sale to \"o.csv\"\n";
    ran(&folder, plan).code(0).says("pieces: 1 cell could not be read and became blank");
    assert_eq!(
        folder.read("o.csv"),
        "id,who,shop,amount,sold_at,paid,pieces,rate,note\n\
         1,2,2,1.25,2026-03-01T08:01:00,true,1,0.1,x\n2,3,3,2.25,2026-03-01T08:02:00,false,2,0.2,x\n\
         3,4,4,3.25,2026-03-01T08:03:00,true,3,0.0,007\n4,5,5,4.25,2026-03-01T08:04:00,false,0,0.1,x\n\
         5,6,6,5.25,2026-03-01T08:05:00,true,,0.2,x\n6,7,7,6.25,2026-03-01T08:06:00,false,2,0.0,007\n"
    );
    ran(&folder, "input sale from \"shop.db\" named \"sale\"\noutput sale to \"o.csv\"\n")
        .code(1)
        .says("\"two\"   (shop.db#sale row 5)");
    // As text it can be read.
    let plan = "input sale from \"shop.db\" named \"sale\"\n  read pieces as text\n  keep pieces = \"two\"\noutput sale to \"o.csv\"\n";
    ran(&folder, plan).code(0).says("wrote o.csv \u{b7} 1 row");
    folder.granum(&["trace", "p.granum", "sale", "--line", "shop.db#sale:5"]).code(0).says("two");
}

#[test]
fn rows_come_in_the_order_of_the_key_or_as_is_said() {
    let folder = Folder::new();
    database(
        &folder,
        "a.sqlite",
        "CREATE TABLE keyed (k TEXT PRIMARY KEY, n INT); INSERT INTO keyed VALUES ('b', 1), ('C', 2), ('a', 3);
         CREATE TABLE free (k, n); INSERT INTO free VALUES ('b', 2), ('b', 1), (NULL, 3);
         CREATE TABLE indexed (n INT, k TEXT); CREATE UNIQUE INDEX i ON indexed (n); INSERT INTO indexed VALUES (2, 'x'), (1, 'y')",
    );
    let rows = |said: &str| {
        let plan = format!("input t from \"a.sqlite\" {said}\noutput t to \"o.csv\"\n");
        ran(&folder, &plan).code(0);
        folder.read("o.csv").lines().skip(1).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(rows("named \"keyed\""), "C,2 a,3 b,1");
    assert_eq!(rows("named \"keyed\" ordered by n"), "b,1 C,2 a,3");
    assert_eq!(rows("named \"free\""), ",3 b,1 b,2");
    assert_eq!(rows("named \"indexed\""), "1,y 2,x");
    assert_eq!(rows("named \"free\" ordered by k, n"), ",3 b,1 b,2");
    folder.granum(&["fmt", "p.granum"]).code(0);
    assert!(folder.read("p.granum").contains("named \"free\" ordered by k, n\n"));
}

#[test]
fn what_a_database_keeps_for_itself_is_no_table_and_what_it_works_out_is_a_column() {
    let folder = Folder::new();
    database(
        &folder,
        "a.db",
        "CREATE TABLE made (a INT, twice INT AS (a * 2) STORED, more AS (a + 1)); INSERT INTO made (a) VALUES (1), (2);
         CREATE VIRTUAL TABLE words USING fts5(body); INSERT INTO words VALUES ('moss and fern');
         CREATE TABLE numbered (a INTEGER PRIMARY KEY AUTOINCREMENT); PRAGMA journal_mode = WAL",
    );
    folder
        .granum(&["survey", "a.db"])
        .code(0)
        .says("a.db \u{b7} 3 tables: made, numbered, words\n");
    let plan = "input made from \"a.db\" named \"made\"\ninput words from \"a.db\" named \"words\"\n\
                output made to \"m.csv\"\noutput words to \"w.csv\"\n";
    ran(&folder, plan).code(0);
    assert_eq!(folder.read("m.csv"), "a,twice,more\n1,2,2\n2,4,3\n");
    assert_eq!(folder.read("w.csv"), "body\nmoss and fern\n");
}

#[test]
fn what_a_database_is_not_is_told_with_the_way_out() {
    let folder = shop();
    folder.file("no.db", "order_no\nM1\n").file("empty.db", "").file("a.csv", "k\n1\n");
    database(&folder, "none.db", "CREATE TABLE a (b); DROP TABLE a");
    let whole = fs::read(folder.path().join("shop.db")).unwrap();
    folder.file("cut.db", &whole[..whole.len() / 2]);
    let mut told = String::new();
    for input in [
        "\"shop.db\"",
        "\"shop.db\" named \"sales\"",
        "\"shop.db\" named \"sale\" ordered by sold_on",
        "\"shop.db\" named \"sale\" ordered by shop, paid",
        "\"shop.db\" named \"sale\" delimiter \";\"",
        "\"none.db\"",
        "\"none.db\" named \"a\"",
        "\"no.db\"",
        "\"empty.db\"",
        "\"cut.db\" named \"sale\"",
        "\"a.csv\" named \"sale\"",
        "\"a.csv\" ordered by k",
        "\"shop.db\" query \"SELECT 1\"",
    ] {
        let ran = ran(&folder, &format!("input t from {input}\noutput t to \"o.csv\"\n"));
        assert!([2, 3].contains(&ran.code), "{input}: {}", ran.out);
        told.push_str(&format!("== {input}\n{}\n", ran.err));
    }
    insta::assert_snapshot!("no_database", told);
}

const PLAN: &str = "input lines from \"\"\"\n  order_no,line_no,on,at,net,paid\n  M1,1,2026-03-01,2026-03-01T08:00:00,1.50,true\n  \
                    M1,2,2026-03-01,,2.25,false\n  M2,1,2026-03-31,2026-03-31T09:30:00,-0.75,\n  \"\"\"\n  grain order_no, line_no\n  track net\n\n\
                    table orders from lines\n  one row per order_no\n    on  = min(on)\n    net = sum(net)\n\n";

#[test]
fn tables_become_a_database_or_refill_those_of_one() {
    let folder = Folder::new();
    let outputs = "output lines to \"out/mart.db\"\noutput orders to \"out/mart.db\" named \"per order\"\noutput orders to \"o.csv\"\n";
    let plan = format!("{PLAN}{outputs}");
    ran(&folder, &plan).code(0).says("wrote out/mart.db#per order \u{b7} 2 rows");
    assert_eq!(folder.names(), ["o.csv", "out/mart.db", "p.granum"]);
    let bytes = || fs::read(folder.path().join("out/mart.db")).unwrap();
    let first = bytes();
    fs::remove_file(folder.path().join("out/mart.db")).unwrap();
    folder.granum(&["run", "p.granum", "--threads", "1"]).code(0);
    assert!(first == bytes(), "other bytes");
    // From now on the database is there: what others have in it stays.
    let other = database(
        &folder,
        "out/mart.db",
        "CREATE TABLE own (x); CREATE VIEW seen AS SELECT sum(net) FROM lines; CREATE INDEX more ON lines (net)",
    );
    folder.granum(&["run", "p.granum", "--record", "first.json"]).code(0);
    folder.plan(&plan.replace("2.25", "2.50"));
    // Each table has amounts of its own, from run to run.
    let told = ["--changes", "--record", "r.json", "--against", "first.json"];
    let again = folder.granum(&[&["run", "p.granum"], &told[..]].concat()).code(0);
    let again = again.says("out/mart.db#lines net").says("out/mart.db#per order net");
    let changed = again.says("bridge to out/mart.db#per order").out;
    assert!(changed.contains("out/mart.db#per order") && changed.contains("2.50"), "{changed}");
    assert!(folder.read("r.json").contains("\"named\": \"per order\""));
    let told = |query: &str| -> String { other.query_row(query, [], |row| row.get(0)).unwrap() };
    assert_eq!(
        told("SELECT CAST(* AS TEXT) FROM seen".replace('*', "\"sum(net)\"").as_str()),
        "3.25"
    );
    assert_eq!(
        told(
            "SELECT group_concat(name) FROM (SELECT name FROM sqlite_schema WHERE type = 'index' AND tbl_name = 'lines' ORDER BY 1)"
        ),
        "lines_key,more"
    );
    assert_eq!(
        told("SELECT at || typeof(net) || paid FROM lines WHERE line_no = 1 AND order_no = 'M1'"),
        "2026-03-01 08:00:00real1"
    );
    assert_eq!(told("SELECT count(*) || '' FROM granum_run"), "2");
    folder.file(
        "again.granum",
        "input a from \"out/mart.db\" named \"lines\"\n  grain order_no, line_no\n  track net\n\noutput a to \"a.csv\"\n",
    );
    folder.granum(&["run", "again.granum"]).code(0);
    assert_eq!(
        folder.read("a.csv"),
        "order_no,line_no,on,at,net,paid\nM1,1,2026-03-01,2026-03-01T08:00:00,1.50,true\n\
         M1,2,2026-03-01,,2.50,false\nM2,1,2026-03-31,2026-03-31T09:30:00,-0.75,\n"
    );
    folder.granum(&["survey", "out/mart.db"]).code(0).says("out/mart.db#per order");
    folder.granum(&["show", "p.granum", "orders", "--to", "shown.db"]).code(0);
    folder.granum(&["survey", "shown.db"]).code(0).says("table shown");
    // A table of one database may make another of it.
    let plan = "input a from \"out/mart.db\" named \"lines\"\n  columns order_no\n  dedupe\n\noutput a to \"out/mart.db\" named \"keys\"\n";
    ran(&folder, plan).code(0).says("wrote out/mart.db#keys \u{b7} 2 rows");
}

#[test]
fn what_cannot_be_written_to_a_database_is_told_and_nothing_is() {
    let mut told = String::new();
    for outputs in [
        "output lines to \"a.db\"\noutput orders to \"a.db\" named \"LINES\"",
        "output lines to \"a.db\" named \"\"",
        "output lines to \"a.db\" named \"granum_run\"",
        "output lines to \"a.db\" named \"a\\nb\"",
        "output lines to \"a.db\" delimiter \";\"",
        "output lines to \"a.db\" sheet \"A\"",
        "output lines to \"a.csv\" named \"a\"",
        "output lines to \"a.db.gz\"",
        "output lines to \"a.db\"\noutput orders to \"./a.db\"",
        "output lines to \"there.db\" named \"lines\"",
        "output orders to \"there.db\" named \"seen\"",
        "output orders to \"there.db\" named \"asks\"\noutput orders to \"o.csv\"",
        "output orders to \"no.db\"",
        "table twice from lines\n  columns order_no, line_no, net, net as Net\n\noutput twice to \"a.db\"",
        "table long from lines\n  add much = 12345678901234567.25\n\noutput long to \"a.db\"",
        "input own from \"there.db\" named \"asks\"\n\noutput own to \"there.db\" named \"Asks\"",
    ] {
        let folder = Folder::new();
        folder.file("no.db", "no database");
        database(
            &folder,
            "there.db",
            "CREATE TABLE lines (order_no, line_no, more); CREATE VIEW seen AS SELECT 1;
             CREATE TABLE asks (order_no TEXT, \"on\" DATE, net DECIMAL(15, 2) CHECK (net > 0))",
        );
        let before = fs::read(folder.path().join("there.db")).unwrap();
        let ran = ran(&folder, &format!("{PLAN}{outputs}\n"));
        assert!([2, 3].contains(&ran.code), "{outputs}: {}", ran.out);
        assert_eq!(folder.names(), ["no.db", "p.granum", "there.db"], "{outputs}");
        assert!(before == fs::read(folder.path().join("there.db")).unwrap(), "{outputs}");
        told.push_str(&format!("== {outputs}\n{}\n", ran.err));
    }
    insta::assert_snapshot!("not_in_a_database", told);
}

#[test]
fn of_two_databases_the_one_that_took_it_keeps_it_and_that_is_told() {
    let folder = Folder::new();
    database(&folder, "a.db", "CREATE TABLE orders (order_no, \"on\", net)");
    database(&folder, "b.db", "CREATE TABLE orders (order_no, \"on\", net CHECK (net > 0))");
    let outputs =
        "output orders to \"o.csv\"\noutput orders to \"a.db\"\noutput orders to \"b.db\"\n";
    ran(&folder, &format!("{PLAN}{outputs}"))
        .code(3)
        .complains("b.db: cannot be written: CHECK constraint failed")
        .complains("only a.db has been written, and keeps it; the table asks for something");
    assert_eq!(folder.names(), ["a.db", "b.db", "p.granum"]);
}

#[test]
fn a_database_that_another_program_holds_is_waited_for_and_then_told() {
    let folder = shop();
    let holder = database(&folder, "shop.db", "BEGIN EXCLUSIVE");
    let plan = "input sale from \"shop.db\" named \"sale\"\noutput sale to \"o.csv\"\n";
    ran(&folder, plan)
        .code(3)
        .complains("shop.db: cannot be read: database is locked")
        .complains("another program holds it; run again when that has ended");
    holder.execute_batch("COMMIT; BEGIN IMMEDIATE").unwrap();
    // Readers go on; who writes waits, and nothing is written, not even the file beside it.
    ran(&folder, &format!("{PLAN}output orders to \"shop.db\"\noutput orders to \"o.csv\"\n"))
        .code(3)
        .complains("nothing was written; another program holds it");
    assert_eq!(folder.names(), ["p.granum", "shop.db"]);
}
