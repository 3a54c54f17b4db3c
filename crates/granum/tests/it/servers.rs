//! Databases on a `PostgreSQL` server, read.

use super::folder::Folder;
use super::server::{Database, database, postgres};

/// A shop whose tables number their rows, in two schemas, so that only what is declared says where they lead.
const SHOP: &str = "
    CREATE SCHEMA sales;
    CREATE TABLE place (id int PRIMARY KEY, town text);
    CREATE TABLE person (id int PRIMARY KEY, name varchar(40) NOT NULL);
    CREATE TABLE sales.sale (id bigint PRIMARY KEY, who int REFERENCES person, shop int REFERENCES place,
                             amount numeric(10, 2), sold_at timestamp, paid boolean);
    CREATE TABLE sales.part (sale bigint REFERENCES sales.sale, pos smallint, qty int, PRIMARY KEY (sale, pos));
    CREATE VIEW sales.paid AS SELECT id, amount FROM sales.sale WHERE paid;
    INSERT INTO person SELECT i, 'Name ' || i FROM generate_series(1, 60) i;
    INSERT INTO place SELECT i, 'Town ' || i FROM generate_series(1, 30) i;
    INSERT INTO sales.sale SELECT i, 1 + i % 50, 1 + i % 25, i + 0.25, timestamp '2026-03-01 08:00' + i * interval '1 minute',
                                  i % 2 = 1 FROM generate_series(1, 60) i;
    INSERT INTO sales.part SELECT i, 1, i % 4 FROM generate_series(1, 60) i;
";

#[test]
fn a_whole_database_is_looked_at_and_what_it_declares_counts() {
    let Some(shop) = database("granum_whole", SHOP) else { return };
    let folder = Folder::new();
    let asked = |what: &str| folder.granum(&[what, &shop.address]).code(0).out;
    insta::assert_snapshot!("server_survey", shop.plain(&asked("survey")));
    insta::assert_snapshot!("server_relate", shop.plain(&asked("relate")));
    let draft = asked("draft");
    insta::assert_snapshot!("server_draft", shop.plain(&draft));
    folder.plan(&draft);
    folder.run().code(0);
    folder
        .granum(&["survey", &format!("{}#sales.paid", shop.address)])
        .code(0)
        .says("30 rows, 2 columns");
    let (sale, person) =
        (format!("{}#sales.sale", shop.address), format!("{}#person", shop.address));
    folder.granum(&["match", &sale, &person, "--on", "who=id"]).code(0).says("person");
    folder
        .granum(&["compare", &shop.address, &sale, "--grain", "id"])
        .code(3)
        .complains("has 4 tables: \"person\", \"place\", \"sales.part\", \"sales.sale\"")
        .complains("#person");
    folder.plan(&format!("input a from \"{}\" named \"sale\"\n", shop.address));
    folder.run().code(3).complains("has no table called sale").complains("\"sales.sale\"");
}

/// A column of each type, and what no value can be.
const TYPES: &str = "
    CREATE TYPE mood AS ENUM ('sour', 'sweet');
    CREATE DOMAIN cents AS numeric(9, 2);
    CREATE TABLE t (k int PRIMARY KEY, b boolean, s smallint, i bigint, r real, d double precision, n numeric, c cents,
                    x text, v varchar(5), h char(5), m mood, u uuid, j jsonb, day date, at timestamp(3), z timestamptz,
                    o time, l int[], y bytea, w numeric(40, 30));
";

#[test]
fn every_type_comes_as_what_it_is() {
    let Some(mut shop) = database("granum_types", TYPES) else { return };
    shop.run(
        "INSERT INTO t VALUES
         (1, true, -32768, 9223372036854775807, 0.1, 1e300, 12345678901234567890123456789012.123, 1.50, 'a, \"b\"\nc', 'abc', 'ab',
          'sweet', '00000000-0000-0000-0000-00000000000a', '{\"a\": 1}', '0001-01-01', '2026-03-01 08:00:00.5',
          '2026-03-01 08:00+02', '08:00:01', '{1}', '\\x00', 1),
         (2, false, 0, -1, -2.5, 0, 0.0001, -0.01, '', '', '', NULL, NULL, NULL, '9999-12-31', '0001-01-01', NULL, NULL, NULL, NULL, NULL),
         (3, NULL, NULL, NULL, NULL, NULL, -10000.0001, NULL, NULL, NULL, NULL, 'sour', NULL, NULL, NULL, NULL,
          '1999-12-31 23:30+00', NULL, NULL, NULL, NULL)",
    );
    let plan =
        "input t from \"DB\"\n  read z as datetime zone \"Europe/Berlin\"\noutput t to \"o.csv\"\n";
    let folder = shop.plan(plan);
    folder.run().code(0).says("left out: l (a list), y (bytes), w (a decimal of 30 places)");
    insta::assert_snapshot!("server_types", folder.read("o.csv"));
}

#[test]
fn what_no_value_can_be_is_told_by_row() {
    let text = "CREATE TABLE t (k int PRIMARY KEY, n numeric, r double precision, d date, m timestamp);
                INSERT INTO t VALUES (1, 1.5, 1, '2026-01-01', '2026-01-01'), (2, 'NaN', 'Infinity', 'infinity', '-infinity'),
                (3, 1e40, 2, '10000-01-01', '0044-03-15 BC')";
    let Some(shop) = database("granum_odd", text) else { return };
    for (column, told) in
        [("n", "\"NaN\""), ("r", "\"inf\""), ("d", "\"infinity\""), ("m", "\"-infinity\"")]
    {
        let folder = shop
            .plan(&format!("input t from \"DB\"\n  columns k, {column}\noutput t to \"o.csv\"\n"));
        folder.run().code(1).says(told).says("/granum_odd#t row 2");
        assert!(!folder.exists("o.csv"));
    }
    let blank = "input t from \"DB\"\n  read n as decimal(1) else blank\n       d as date else blank\n  columns k, n, d\noutput t to \"o.csv\"\n";
    let folder = shop.plan(blank);
    folder.run().code(0).says("n: 2 cells could not be read and became blank");
    assert_eq!(folder.read("o.csv"), "k,n,d\n1,1.5,2026-01-01\n2,,\n3,,\n");
}

fn column(folder: &Folder) -> Vec<String> {
    folder.read("o.csv").lines().skip(1).map(str::to_owned).collect()
}

#[test]
fn rows_come_in_one_order_however_they_are_fetched() {
    let text = "CREATE TABLE many AS SELECT (i * 7919) % 200003 AS k, 'x' || i AS x FROM generate_series(1, 200002) i;
                ALTER TABLE many ADD PRIMARY KEY (k); ANALYZE many;
                CREATE TABLE texts (k text COLLATE \"C\" PRIMARY KEY); INSERT INTO texts SELECT 'k' || (i * 37) % 120011
                FROM generate_series(1, 120000) i; ANALYZE texts;
                CREATE TABLE mixed (k text, n int); INSERT INTO mixed VALUES ('b', 1), ('B', 2), ('a', 3), ('A', 4), ('a', 3);
                DROP ROLE IF EXISTS few; CREATE ROLE few LOGIN CONNECTION LIMIT 2; GRANT SELECT ON many TO few;
                CREATE TABLE twice (k text, n int); INSERT INTO twice VALUES ('x', 1), ('x', 2)";
    let Some(shop) = database("granum_order", text) else { return };
    let folder =
        shop.plan("input many from \"DB\" named \"many\"\n  columns k\noutput many to \"o.csv\"\n");
    let mut texts = vec![];
    for threads in ["1", "2"] {
        folder.granum(&["run", "p.granum", "--threads", threads]).code(0).says("200,002");
        texts.push(folder.read("o.csv"));
    }
    assert!(texts[0] == texts[1]);
    let numbers: Vec<u32> = column(&folder).iter().map(|k| k.parse().unwrap()).collect();
    assert!(numbers.len() == 200_002 && numbers.is_sorted());
    // With two connections, of which one holds the moment, it comes as well.
    let few = Folder::new();
    few.plan(&format!(
        "input many from \"{0}\" named \"many\"\n  columns k\ninput again from \"{0}\" named \"many\"\noutput many to \"o.csv\"\noutput again to \"p.csv\"\n",
        shop.address.replace("granum@", "few@")
    ));
    few.run().code(0);
    assert!(few.read("o.csv") == texts[0]);
    let folder = shop.plan("input texts from \"DB\" named \"texts\"\noutput texts to \"o.csv\"\n");
    folder.run().code(0);
    assert!(column(&folder).len() == 120_000 && column(&folder).is_sorted());
    // Without a key by all columns, byte by byte whatever the language of the database.
    let folder = shop.plan("input mixed from \"DB\" named \"mixed\"\noutput mixed to \"o.csv\"\n");
    folder.run().code(0);
    assert_eq!(column(&folder), ["A,4", "B,2", "a,3", "a,3", "b,1"]);
    let ordered = |named: &str, by: &str| {
        let plan = format!(
            "input t from \"DB\" named \"{named}\" ordered by {by}\noutput t to \"o.csv\"\n"
        );
        let folder = shop.plan(&plan);
        let ran = folder.run();
        (ran, folder)
    };
    let (ran, folder) = ordered("twice", "n");
    ran.code(0);
    assert_eq!(column(&folder), ["x,1", "x,2"]);
    ordered("twice", "k").0.code(3).complains("has several rows for 1 of the keys k");
    ordered("twice", "m").0.code(3).complains("has no column `m` for its rows to be ordered by");
}

#[test]
fn a_query_is_asked_and_may_only_read() {
    let text = "CREATE SEQUENCE s; CREATE TABLE t (k int PRIMARY KEY, n numeric(8, 2)); INSERT INTO t SELECT i, i / 4.0 FROM generate_series(1, 9) i";
    let Some(mut shop) = database("granum_query", text) else { return };
    let asked = |query: &str| {
        let folder = shop.plan(&format!(
            "input t from \"DB\" ordered by k query \"\"\"\n  {query}\n  \"\"\"\n  grain k\noutput t to \"o.csv\"\n"
        ));
        (folder.run(), folder)
    };
    let (ran, folder) = asked("SELECT k, n * 2 AS n, 'a' AS \"b c\" FROM t -- all\n  WHERE k > 7;");
    ran.code(0);
    assert_eq!(folder.read("o.csv"), "k,n,b c\n8,4.00,a\n9,4.50,a\n");
    for (query, kind, told) in [
        ("SELECT k, k FROM t", "header", "has two columns called `k`"),
        ("SELEC k FROM t", "query", "syntax error at or near"),
        ("SELECT k FROM nowhere", "query", "relation \"nowhere\" does not exist"),
        ("SELECT k FROM t WHERE k IN (SELECT nextval('s'))", "access", "read-only transaction"),
        ("WITH gone AS (DELETE FROM t RETURNING k) SELECT k FROM gone", "query", "WITH clause"),
        ("SELECT pg_terminate_backend(pg_backend_pid()), 1 AS k", "server", "connection"),
        ("SELECT 1 / (k - 5) AS n, k FROM t", "system", "division by zero"),
    ] {
        let (ran, folder) = asked(query);
        ran.code(3).complains(told);
        folder
            .granum(&["run", "p.granum", "--format", "json"])
            .code(3)
            .says(&format!("\"kind\": \"{kind}\""));
    }
    assert_eq!(shop.all("SELECT count(*) FROM t"), "9");
    let both = shop
        .plan("input t from \"DB\" named \"t\" query \"select 1 as k\"\noutput t to \"o.csv\"\n");
    both.run().code(3).complains("has both a table and a query");
    let folder = shop.plan("input t from \"o.csv\" query \"select 1\"\noutput t to \"p.csv\"\n");
    folder.file("o.csv", "k\n1\n").run().code(3).complains("is CSV, which has no `query`");
    let folder = shop.plan("input t from \"DB\", \"o.csv\"\noutput t to \"p.csv\"\n");
    folder.file("o.csv", "k\n1\n").run().code(3).complains("is a file, and what stands beside it");
    let folder = shop.plan("input t from \"DB\" sheet \"a\"\noutput t to \"p.csv\"\n");
    folder.run().code(3).complains("is a database on a server, which has no `sheet`");
    let folder = shop.plan("input t from \"DB\", \"DB\"\noutput t to \"p.csv\"\n");
    folder.run().code(3).complains("is named twice for one input");
}

/// What a run says in an environment.
fn said(folder: &Folder, address: &str, environment: &[(&str, &str)]) -> (i32, String) {
    folder.plan(&format!("input t from \"{address}\"\noutput t to \"o.csv\"\n"));
    let mut command = folder.command(&["run", "p.granum"]);
    command.env_remove("PGPASSWORD").env("HOME", folder.path());
    command.envs(environment.iter().copied());
    let ran = command.output().unwrap();
    let text = [ran.stdout, ran.stderr].concat();
    (ran.status.code().unwrap(), String::from_utf8(text).unwrap())
}

const USER: &str = "CREATE TABLE t (k int PRIMARY KEY); INSERT INTO t VALUES (1);
    DO $$ BEGIN CREATE ROLE ada LOGIN PASSWORD 'ros\u{e9}: water'; EXCEPTION WHEN duplicate_object OR unique_violation THEN NULL; END $$;
    GRANT SELECT ON t TO ada; CREATE TABLE hidden (k int);";

fn ada(shop: &Database) -> String {
    shop.address.replace("granum@", "ada@")
}

#[test]
fn a_password_comes_from_the_environment_or_its_file_and_is_never_shown() {
    let Some(shop) = database("granum_access", USER) else { return };
    let folder = Folder::new();
    let address = ada(&shop);
    let named = format!("{address}\" named \"t");
    let secret = "ros\u{e9}: water";
    let shown = |told: &str| told.contains("ros\u{e9}") || told.contains("wrong!");
    let (code, told) = said(&folder, &named, &[]);
    assert!(code == 3 && told.contains("it asks for a password: say it in PGPASSWORD"), "{told}");
    let (code, told) = said(&folder, &named, &[("PGPASSWORD", "wrong!")]);
    assert!(
        code == 3 && told.contains("password authentication failed for user \"ada\""),
        "{told}"
    );
    assert!(
        told.contains("the password is read from PGPASSWORD or ~/.pgpass") && !shown(&told),
        "{told}"
    );
    assert_eq!(said(&folder, &named, &[("PGPASSWORD", secret)]).0, 0);
    folder.file(
        ".pgpass",
        "# doors\nelsewhere:*:*:*:no\n127.0.0.1:*:granum_access:ada:ros\u{e9}\\: water\n",
    );
    let (code, told) = said(&folder, &named, &[]);
    assert!(
        code == 3 && told.contains("is not read, since others may read it:  chmod 600"),
        "{told}"
    );
    let own =
        std::process::Command::new("chmod").arg("600").arg(folder.path().join(".pgpass")).status();
    assert!(own.unwrap().success());
    assert_eq!(said(&folder, &named, &[]).0, 0);
    let (code, told) = said(&folder, &format!("{address}\" named \"hidden"), &[]);
    assert!(code == 3 && told.contains("permission denied for table hidden"), "{told}");
    // One that stands in an address is refused before anything else, and hidden.
    for plain in [address.replace("ada@", "ada:wrong!@"), format!("{address}?password=wrong!")] {
        let (code, told) = said(&folder, &plain, &[("PGPASSWORD", secret)]);
        assert!(
            code == 2 && told.contains("error[secret]: a password stands in this address"),
            "{told}"
        );
        assert!(told.contains("******") && !shown(&told), "{told}");
        folder.plan(&format!("input t from \"{plain}\" nmed \"t\"\n"));
        let told = folder.granum(&["fmt", "p.granum"]).code(2).complains("******");
        assert!(!shown(&told.err));
        let told =
            folder.granum(&["survey", &plain]).code(3).complains("has a password in its address");
        assert!(!shown(&told.err) && !shown(&told.out));
        folder.plan("param p text = \"x\"\ninput t from \"{p}\"\noutput t to \"o.csv\"\n");
        let told = folder.granum(&["run", "p.granum", "--set", &format!("p={plain}")]).code(2);
        assert!(!shown(&told.err) && !shown(&told.out));
    }
}

#[test]
fn what_cannot_be_reached_is_told_with_a_way_out() {
    let Some(shop) = database("granum_reach", USER) else { return };
    let folder = Folder::new();
    let told = |address: &str, environment: &[(&str, &str)], words: &str| {
        let (code, told) = said(&folder, address, environment);
        assert!(code == 3 && told.contains(words), "{address}: {told}");
    };
    told("postgres://granum@127.0.0.1:1/shop", &[], "Connection refused");
    told(
        "postgres://granum@127.0.0.1:1/shop",
        &[],
        "look whether it runs and can be reached from here",
    );
    told(&shop.address.replace("_reach", "_none"), &[], "database \"granum_none\" does not exist");
    told(&format!("{}?sslmode=odd", shop.address), &[], "has an unknown sslmode: odd");
    told("postgres://granum@127.0.0.1:x/shop", &[], "is no address");
    told(
        &format!(
            "{}?options=-c%20statement_timeout%3D50\" query \"select 1 as k from pg_sleep(9)",
            shop.address
        ),
        &[],
        "canceling statement due to statement timeout",
    );
    // What an address leaves open the environment says.
    let server = shop.address.trim_end_matches("granum_reach");
    let port = server.rsplit(':').next().unwrap().trim_end_matches('/');
    let open = [
        ("PGHOST", "127.0.0.1"),
        ("PGPORT", port),
        ("PGUSER", "granum"),
        ("PGDATABASE", "granum_reach"),
    ];
    assert_eq!(said(&folder, "postgres://\" named \"t", &open).0, 0);
    if let Ok(certificate) = std::env::var("GRANUM_TEST_CERTIFICATE") {
        let by_name = shop.address.replace("127.0.0.1", "localhost");
        let checked = |address: &str| format!("{address}?sslmode=verify-full\" named \"t");
        let root = [("PGSSLROOTCERT", certificate.as_str())];
        assert_eq!(said(&folder, &checked(&by_name), &root).0, 0);
        told(&checked(&shop.address), &root, "not valid for name");
        told(&checked(&by_name), &[("PGSSLROOTCERT", "/none")], "/none cannot be read");
    }
}

#[test]
fn a_database_that_is_held_is_told() {
    let Some(mut shop) = database("granum_held", USER) else { return };
    shop.run("BEGIN; LOCK TABLE t IN ACCESS EXCLUSIVE MODE");
    let address = format!("{}?options=-c%20lock_timeout%3D100", shop.address);
    let (code, told) = said(&Folder::new(), &format!("{address}\" named \"t"), &[]);
    assert!(
        code == 3 && told.contains("somebody else holds it; run again when that has ended"),
        "{told}"
    );
}

#[test]
fn without_a_server_its_tests_are_left_out() {
    if postgres().is_some() {
        return;
    }
    let (code, told) = said(&Folder::new(), "postgres://granum@127.0.0.1:1/shop", &[]);
    assert!(code == 3 && told.contains("Connection refused"), "{told}");
}
