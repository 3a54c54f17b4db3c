//! Databases on a `MySQL` or `MariaDB` server, in and out.

use mysql::Conn;
use mysql::prelude::Queryable;

use super::folder::Folder;

/// A database, and who asks it.
struct Database {
    client: Conn,
    address: String,
}

/// A new database of a name, in which a text has been run; nothing where there is no server.
fn database(name: &str, text: &str) -> Option<Database> {
    let Ok(server) = std::env::var("GRANUM_TEST_MYSQL") else {
        eprintln!(
            "left out: GRANUM_TEST_MYSQL names no server (scripts/with_servers.sh starts one)"
        );
        return None;
    };
    let mut client = Conn::new(mysql::Opts::from_url(&server).unwrap()).unwrap();
    client.query_drop(format!("DROP DATABASE IF EXISTS {name}")).unwrap();
    client.query_drop(format!("CREATE DATABASE {name} CHARACTER SET latin1")).unwrap();
    client.query_drop(format!("USE {name}")).unwrap();
    text.split(";\n").for_each(|one| client.query_drop(one).unwrap());
    Some(Database { client, address: format!("{server}/{name}") })
}

impl Database {
    fn all(&mut self, query: &str) -> String {
        let rows: Vec<Option<String>> = self.client.query(query).unwrap();
        rows.into_iter().map(|row| row.unwrap_or_else(|| "-".into())).collect::<Vec<_>>().join(" ")
    }

    fn plan(&self, text: &str) -> Folder {
        let folder = Folder::new();
        folder.plan(&text.replace("DB", &self.address)).file("o.csv", ORDERS);
        folder
    }
}

const SHOP: &str = "
    CREATE TABLE place (id int PRIMARY KEY, town varchar(40));
    CREATE TABLE sale (id bigint PRIMARY KEY, shop int, amount decimal(10, 2), sold_at timestamp(1) NULL, paid boolean, sure boolean,
                       mood enum('sour', 'sweet'), note text CHARACTER SET utf8mb4, rate float, y year, t time, b blob,
                       u bigint unsigned, on_day date, FOREIGN KEY (shop) REFERENCES place (id));
    CREATE VIEW paid AS SELECT id, amount FROM sale WHERE paid;
    INSERT INTO place SELECT seq, concat('Town ', seq) FROM seq_1_to_30;
    INSERT INTO sale (id, shop, amount, sure, paid) SELECT seq, 1 + seq % 25, seq + 0.25, seq % 2, seq % 2 FROM seq_5_to_60;
    SET time_zone = '+00:00';
    SET sql_mode = '';
    INSERT INTO sale VALUES (1, 1, 1.5, '2026-03-01 08:00:00.5', 1, 1, 'sweet', 'it''s \u{1f331}', 0.1, 2026, '08:00:01', x'00', 7, '2026-03-01'),
                            (2, 2, -0.01, NULL, 0, 0, NULL, '', -2.5, NULL, NULL, NULL, 18446744073709551615, '0000-00-00'),
                            (3, NULL, NULL, NULL, 7, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL, NULL)";

#[test]
fn a_whole_database_is_looked_at_and_what_it_declares_counts() {
    let Some(mut shop) = database("granum_whole", SHOP) else { return };
    let folder = Folder::new();
    let told = folder.granum(&["survey", &shop.address]).code(0);
    let told = told.says("2 tables: place, sale").says("59 rows, 13 columns \u{b7} MySQL");
    told.says("one row per id");
    let told = folder.granum(&["relate", &shop.address]).code(0);
    told.says("link sale to place on shop = id").says("declared");
    folder.granum(&["survey", &format!("{}#paid", shop.address)]).code(0).says("2 columns");
    let few = "input sale from \"DB\" named \"sale\"\n  read u as text\n       on_day as date else blank\n       \
               sold_at as datetime zone \"Europe/Berlin\"\n  keep id < 4\noutput sale to \"p.csv\"\n";
    let folder = shop.plan(few);
    folder
        .run()
        .code(0)
        .says("left out: b (bytes)")
        .says("on_day: 1 cell could not be read and became blank");
    assert_eq!(
        folder.read("p.csv"),
        "id,shop,amount,sold_at,paid,sure,mood,note,rate,y,t,u,on_day\n\
         1,1,1.50,2026-03-01T09:00:00.5,1,true,sweet,it's \u{1f331},0.1,2026,08:00:01,7,2026-03-01\n\
         2,2,-0.01,,0,false,,,-2.5,,,18446744073709551615,\n3,,,,7,,,,,,,,\n"
    );
    for (column, told) in [("u", "\"18446744073709551615\""), ("on_day", "\"0000-00-00\"")] {
        let folder = shop.plan(&format!(
            "input s from \"DB\" named \"sale\"\n  columns id, {column}\noutput s to \"p.csv\"\n"
        ));
        folder.run().code(1).says(told).says("#sale row ");
    }
    let query = "input s from \"DB\" ordered by id query \"select id, amount from sale where id < 3;\"\noutput s to \"p.csv\"\n";
    let folder = shop.plan(query);
    folder.run().code(0);
    assert_eq!(folder.read("p.csv"), "id,amount\n1,1.50\n2,-0.01\n");
    for (query, told) in [
        ("select id, id from sale", "Duplicate column name"),
        ("selec 1", "You have an error in your SQL syntax"),
        ("select * from nowhere", "doesn't exist"),
    ] {
        let folder =
            shop.plan(&format!("input s from \"DB\" query \"{query}\"\noutput s to \"p.csv\"\n"));
        folder.run().code(3).complains(told);
    }
    let ordered =
        shop.plan("input s from \"DB\" named \"sale\" ordered by shop\noutput s to \"p.csv\"\n");
    ordered.run().code(3).complains("of the keys shop");
    assert_eq!(shop.all("SELECT count(*) FROM sale"), "59");
}

const ORDERS: &str =
    "order_no,net,sold_at\nM1,1.50,2026-01-01T08:00:00\nm1,2.25,2026-01-02T09:30:00.25\n";

/// Two orders, written as a plan says it behind `output o to "DB"`.
fn orders(shop: &Database, end: &str) -> Folder {
    shop.plan(&format!(
        "param least decimal(2) = 0\ninput o from \"o.csv\"\n  read net as decimal(2)\n       sold_at as datetime\n  grain order_no\n\
         check \"enough\" o: net >= least\noutput o to \"DB\" {end}\n"
    ))
}

#[test]
fn tables_are_made_and_take_the_place_of_others_all_at_once() {
    let text = "CREATE TABLE sales (order_no varchar(9), net decimal(8, 2), sold_at datetime(2), no int AUTO_INCREMENT PRIMARY KEY, KEY (net));
                INSERT INTO sales (order_no, net) VALUES ('M9', 9)";
    let Some(mut shop) = database("granum_write", text) else { return };
    let both = "named \"sales\"\noutput o to \"DB\" named \"fresh\"".replace("DB", &shop.address);
    let folder = orders(&shop, &both);
    folder.granum(&["run", "p.granum", "--set", "least=2"]).code(1);
    assert_eq!(shop.all("SHOW TABLES"), "sales");
    assert_eq!(shop.all("SELECT order_no FROM sales"), "M9");
    folder
        .run()
        .code(0)
        .says("#sales \u{b7} 2 rows, in place of 1")
        .says("#fresh \u{b7} 2 rows, in a new table");
    assert_eq!(shop.all("SHOW TABLES"), "fresh granum_run sales");
    let rows = "SELECT concat(order_no, '=', net, ' ', sold_at) FROM sales ORDER BY no";
    assert_eq!(shop.all(rows), "M1=1.50 2026-01-01 08:00:00.00 m1=2.25 2026-01-02 09:30:00.25");
    let keys = "SELECT concat(table_name, '.', index_name) FROM information_schema.statistics WHERE table_schema = database() \
                AND table_name <> 'granum_run' ORDER BY 1";
    assert_eq!(shop.all(keys), "fresh.PRIMARY sales.net sales.PRIMARY");
    folder.run().code(0).says("#fresh \u{b7} 2 rows, in place of 2");
    assert_eq!(shop.all("SELECT count(*) FROM granum_run"), "2");
    // What a killed run left goes.
    shop.all("CREATE TABLE granum_stage_00000000_1 (k int)");
    folder.run().code(0);
    assert_eq!(shop.all("SHOW TABLES"), "fresh granum_run sales");
    let reads = shop.plan("input s from \"DB\" named \"sales\"\n  columns order_no, net, sold_at\noutput s to \"DB\" named \"sales\"\n");
    reads.run().code(3).complains("an input is read from this table");
    // A run is written down, with what changed.
    let plan = "input s from \"DB\" named \"sales\"\n  columns order_no, net\n  grain order_no\n  track net\noutput s to \"DB\" named \"kept\"\n";
    let kept = shop.plan(plan);
    kept.granum(&["run", "p.granum", "--record", "r.json"]).code(0);
    shop.all("UPDATE sales SET net = 3 WHERE no = 1");
    kept.granum(&["run", "p.granum", "--against", "r.json"])
        .code(0)
        .says("/granum_write#sales (64 bytes, other content)");
    kept.granum(&["run", "p.granum", "--changes"])
        .code(3)
        .complains("cannot be compared with what it was");
}

#[test]
fn a_table_that_would_not_keep_all_is_not_written_to() {
    let text = "CREATE TABLE floating (order_no varchar(9), net double, sold_at datetime(6));
                CREATE TABLE rounded (order_no varchar(9), net decimal(8, 1), sold_at datetime(6));
                CREATE TABLE narrow (order_no varchar(1), net decimal(8, 2), sold_at datetime(6));
                CREATE TABLE coarse (order_no varchar(9), net decimal(8, 2), sold_at datetime);
                CREATE TABLE folded (order_no varchar(9) PRIMARY KEY, net decimal(8, 2), sold_at datetime(6));
                CREATE TABLE other (order_no varchar(9), amount decimal(8, 2));
                CREATE TABLE led (order_no varchar(9) PRIMARY KEY, net decimal(8, 2), sold_at datetime(6));
                CREATE TABLE leads (order_no varchar(9), FOREIGN KEY (order_no) REFERENCES led (order_no));
                CREATE VIEW seen AS SELECT * FROM led";
    let Some(mut shop) = database("granum_refuse", text) else { return };
    let before = shop.all("SHOW TABLES");
    for (end, told) in [
        (
            "named \"floating\"",
            "whose column net is double, which does not keep each decimal(2) as it is",
        ),
        (
            "named \"rounded\"",
            "would not keep all of rounded: Data truncated for column 'net' in row 2",
        ),
        ("named \"narrow\"", "Data too long for column 'order_no'"),
        (
            "named \"coarse\"",
            "`sold_at` is 2026-01-02T09:30:00.25, of which 0 places would be kept in row 2",
        ),
        ("named \"folded\"", "Duplicate entry 'm1'"),
        ("named \"other\"", "it has amount, which the output has not; it lacks net, sold_at"),
        ("named \"led\"", "has a table led with keys that lead to other tables, or from them"),
        ("named \"seen\"", "has a view called seen, which cannot be written to"),
        ("named \"led\" adding by grain", "adds nothing to led"),
        ("named \"granum_stage_x\"", "has no room for a table called granum_stage_x"),
    ] {
        orders(&shop, end).run().code(3).complains(told).complains("nothing was written");
    }
    assert_eq!(shop.all("SHOW TABLES"), before);
}

#[test]
fn a_password_comes_from_the_environment_or_its_file_and_is_never_shown() {
    let Some(shop) = database(
        "granum_access",
        "CREATE TABLE t (k int); INSERT INTO t VALUES (1)".replace("; ", ";\n").as_str(),
    ) else {
        return;
    };
    let folder = Folder::new();
    let ada = shop.address.replace("granum@", "ada@");
    let said = |address: &str, password: Option<&str>| {
        folder.plan(&format!("input t from \"{address}\"\noutput t to \"o.csv\"\n"));
        let mut command = folder.command(&["run", "p.granum"]);
        command.env_remove("MYSQL_PWD").env("HOME", folder.path());
        command.envs(password.map(|password| ("MYSQL_PWD", password)));
        let ran = command.output().unwrap();
        let text = String::from_utf8([ran.stdout, ran.stderr].concat()).unwrap();
        assert!(!text.contains("rose"), "{text}");
        (ran.status.code().unwrap(), text)
    };
    let (code, told) = said(&ada, None);
    assert!(
        code == 3 && told.contains("Access denied for user 'ada'") && told.contains("MYSQL_PWD"),
        "{told}"
    );
    assert_eq!(said(&ada, Some("rose water")).0, 0);
    let (code, told) = said(&ada.replace("ada@", "ada:rose@"), None);
    assert!(code == 2 && told.contains("a password stands in this address"), "{told}");
    let (code, told) = said("mysql://granum@127.0.0.1:1/shop", None);
    assert!(
        code == 3 && told.contains("refused") && told.contains("look whether it runs"),
        "{told}"
    );
    let (code, told) = said(&shop.address.replace("_access", "_none"), None);
    assert!(code == 3 && told.contains("Unknown database 'granum_none'"), "{told}");
    folder.file(".my.cnf", "[client]\npassword=rose water\n");
    assert_eq!(said(&ada, None).0, 3, "others may read it");
    let own =
        std::process::Command::new("chmod").arg("600").arg(folder.path().join(".my.cnf")).status();
    assert!(own.unwrap().success());
    assert_eq!(said(&ada, None).0, 0);
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
                output a to \"one/a.csv\"\noutput b to \"DB\" named \"b\"\n";
    let folder = shop.plan(plan);
    let (mut old, mut new) = (0, 0);
    for step in 1.. {
        assert!(step < 300, "it never comes through");
        folder.file("a.csv", "k\n1\n2\n").file("one/a.csv", "old\n");
        shop.all("TRUNCATE TABLE b");
        shop.all("INSERT INTO b VALUES (7)");
        if killed_at(&folder, &shim, step) {
            break;
        }
        let next = folder.granum(&["run", "p.granum", "-q", "--set", "least=9"]).code(1);
        let rows = shop.all("SELECT k FROM b ORDER BY k");
        let is_new = rows == "1 2";
        let expected = if is_new { "k\n1\n2\n" } else { "old\n" };
        assert_eq!(folder.read("one/a.csv"), expected, "step {step}: {rows} {}", next.err);
        assert!(is_new || rows == "7", "step {step}: {rows}");
        if is_new { new += 1 } else { old += 1 }
    }
    assert!(old > 3 && new > 2, "{old} {new}");
}
