//! Files of columns, in and out.

use std::fs;
use std::process::Stdio;

use super::folder::{Folder, Ran};

/// A file that another program wrote; `scripts/columns.sh` makes them.
fn stored(name: &str) -> Vec<u8> {
    fs::read(format!("{}/tests/columns/{name}", env!("CARGO_MANIFEST_DIR"))).unwrap()
}

/// A run of a plan over a file that another program wrote.
fn run_of(name: &str, said: &str) -> (Folder, Ran) {
    let folder = Folder::new();
    let plan = format!("input t from \"{name}\"{said}\n\noutput t to \"out.csv\"\n");
    folder.file(name, stored(name)).plan(&plan);
    let ran = folder.run();
    (folder, ran)
}

#[test]
fn files_of_other_programs_have_the_same_rows_however_they_are_packed() {
    for name in [
        "orders.snappy.parquet",
        "orders.plain.parquet",
        "orders.gzip.parquet",
        "orders.lz4.arrow",
        "orders.zstd.arrow",
        "orders.plain.arrow",
        "orders.arrows",
    ] {
        let (folder, ran) = run_of(name, "\n  read sent_at as datetime zone \"Europe/Berlin\"");
        ran.code(0).says("wrote out.csv \u{b7} 4 rows");
        assert_eq!(
            folder.read("out.csv"),
            "order_no,customer_no,ordered_on,sent_at,net,pieces,paid\n\
             M1,00417,2026-03-01,2026-03-02T09:15:00,12.50,1,true\n\
             M2,00009,2026-03-02,,1234.05,2,false\n\
             M3,,2026-03-31,2026-03-29T01:30:00,-3.00,,true\n\
             M4,00417,,2026-04-02T19:59:30,,300,\n",
            "{name}"
        );
    }
}

#[test]
fn what_is_odd_in_a_file_of_columns_is_told_by_its_row() {
    let folder = Folder::new();
    for name in ["odd.parquet", "odd.arrow", "orders.snappy.parquet"] {
        folder.file(name, stored(name));
    }
    let survey = |name: &str| folder.granum(&["survey", name]).code(0).out;
    insta::assert_snapshot!("columns_odd_survey", survey("odd.parquet"));
    let (one, other) = (survey("odd.parquet"), survey("odd.arrow"));
    assert_eq!(one.replace("parquet", "arrow").replace("Parquet", "Arrow"), other);
    insta::assert_snapshot!("columns_orders_survey", survey("orders.snappy.parquet"));
    folder.granum(&["survey", "odd.parquet", "--format", "json"]).code(0).says("\"unread\"");
    let draft = folder.granum(&["draft", "odd.parquet"]).code(0).out;
    insta::assert_snapshot!("columns_odd_draft", draft);
    // What it proposes runs.
    folder.plan(&draft);
    folder.run().code(0).says("left out: tags (a list), extra (a map)");
    let (_, ran) = run_of("odd.parquet", "");
    insta::assert_snapshot!("columns_odd_stopped", ran.code(1).out);
    let (_, ran) = run_of("odd.parquet", "\n  keep tags is not blank");
    ran.code(2).complains("and what it holds is a list: no cell can hold it");
}

#[test]
fn what_a_file_of_columns_is_not_is_told_with_the_way_out() {
    let whole = stored("orders.snappy.parquet");
    let mut told = String::new();
    for (name, content, said) in [
        ("a.parquet", whole[..whole.len() - 9].to_vec(), ""),
        ("a.parquet", b"PAR1".to_vec(), ""),
        ("a.parquet", b"order_no\nM1\n".to_vec(), ""),
        ("a.arrow", b"order_no\nM1\n".to_vec(), ""),
        ("a.parquet", vec![], ""),
        ("a.parquet", stored("orders.plain.arrow"), ""),
        ("a.arrow", whole.clone(), ""),
        ("a.parquet.gz", whole.clone(), ""),
        ("a.arrow.zst", whole.clone(), ""),
        ("a.arrow", stored("twice.arrow"), ""),
        ("a.parquet", stored("orders.brotli.parquet"), ""),
        ("a.csv", whole.clone(), ""),
        ("a.txt", stored("orders.plain.arrow"), ""),
        ("a.csv", b"SQLite format 3\0".to_vec(), ""),
        ("a.parquet", whole.clone(), " delimiter \";\""),
        ("a.arrow", whole.clone(), " sheet \"A\""),
        ("a.parquet", whole.clone(), " header at 2"),
    ] {
        let folder = Folder::new();
        let plan = format!("input t from \"{name}\"{said}\noutput t to \"o.csv\"\n");
        folder.file(name, content).plan(&plan);
        told.push_str(&format!("== {name}{said}\n{}\n", folder.run().code(3).err));
    }
    insta::assert_snapshot!("no_columns", told);
}

const PLAN: &str = "input lines from \"\"\"\n  order_no,line_no,on,net\n  M1,1,2026-03-01,1.50\n  M1,2,2026-03-01,2.25\n  \
                    M2,1,2026-03-31,-0.75\n  \"\"\"\n  grain order_no, line_no\n  track net\n\n\
                    table orders from lines\n  one row per order_no\n    on  = min(on)\n    net = sum(net)\n\n";

#[test]
fn tables_become_files_of_columns_and_are_read_again() {
    let folder = Folder::new();
    let outputs = "output lines  to \"out/lines.parquet\"\noutput orders to \"out/orders.arrow\"\n\
                   output orders to \"out/orders.arrows\"\n";
    folder.plan(&format!("{PLAN}{outputs}"));
    folder.run().code(0).says("wrote out/lines.parquet \u{b7} 3 rows");
    assert_eq!(
        folder.names(),
        ["out/lines.parquet", "out/orders.arrow", "out/orders.arrows", "p.granum"]
    );
    let bytes = |name: &str| fs::read(folder.path().join(name)).unwrap();
    let before = ["out/lines.parquet", "out/orders.arrow", "out/orders.arrows"].map(bytes);
    folder.granum(&["run", "p.granum", "--threads", "1"]).code(0);
    let after = ["out/lines.parquet", "out/orders.arrow", "out/orders.arrows"].map(bytes);
    assert!(before == after, "other bytes");
    folder.plan(&format!("{}{outputs}", PLAN.replace("2.25", "2.50")));
    let ran = folder.granum(&["run", "p.granum", "--changes"]).code(0);
    ran.says("out/lines.parquet").code(0);
    folder.file(
        "again.granum",
        "input lines from \"out/lines.parquet\"\n  grain order_no, line_no\n  track net\n\n\
         input orders from \"out/orders.arrow\"\n  grain order_no\n\n\
         link lines to orders on order_no\n\noutput lines to \"a.csv\"\noutput orders to \"b.csv\"\n",
    );
    folder.granum(&["run", "again.granum"]).code(0);
    assert_eq!(
        folder.read("a.csv"),
        "order_no,line_no,on,net\nM1,1,2026-03-01,1.50\nM1,2,2026-03-01,2.50\nM2,1,2026-03-31,-0.75\n"
    );
    assert_eq!(folder.read("b.csv"), "order_no,on,net\nM1,2026-03-01,4.00\nM2,2026-03-31,-0.75\n");
    folder
        .granum(&["trace", "again.granum", "lines", "--line", "out/lines.parquet:3"])
        .code(0)
        .says("M2");
    folder.granum(&["match", "out/lines.parquet", "out/orders.arrows", "--on", "order_no"]).code(0);
    folder.granum(&["compare", "out/orders.arrow", "b.csv", "--grain", "order_no"]).code(0);
    let mut told = String::new();
    for output in [
        "lines to \"o.parquet\" delimiter \";\"",
        "lines to \"o.arrow\" sheet \"A\"",
        "lines to \"o.parquet.gz\"",
    ] {
        folder.plan(&format!("{PLAN}output {output}\n"));
        told.push_str(&format!("== {output}\n{}\n", folder.run().code(2).err));
    }
    insta::assert_snapshot!("columns_not_written", told);
}

#[test]
fn a_folder_of_parts_is_one_table_and_its_folders_are_columns() {
    let folder = Folder::new();
    for (region, day, net) in [
        ("north", "2026-03-01", "1.50"),
        ("south", "2026-03-01", "2"),
        ("north", "2026-03-02", "0.125"),
    ] {
        let path = format!("sales/region={region}/day={day}/part-0.parquet");
        let rows = format!(
            "input a from \"\"\"\n  no,net\n  {region},{net}\n  {region},{net}\n  \"\"\"\n"
        );
        folder.plan(&format!("{rows}output a to \"{path}\"\n"));
        folder.run().code(0);
    }
    folder.file("sales/_SUCCESS", "").file("sales/.hidden", "");
    // Places and types differ from part to part; copies are found all the same.
    folder.plan("input a from \"sales\"\n  dedupe\n\noutput a to \"o.csv\"\n");
    folder.run().code(0);
    assert_eq!(
        folder.read("o.csv"),
        "no,net,region,day\nnorth,1.500,north,2026-03-01\nnorth,0.125,north,2026-03-02\n\
         south,2.000,south,2026-03-01\n"
    );
    folder.granum(&["survey", "sales"]).code(0).says("day     date");
    folder
        .granum(&[
            "trace",
            "p.granum",
            "a",
            "--line",
            "sales/region=south/day=2026-03-01/part-0.parquet:1",
        ])
        .code(0);
    folder.plan("input a from \"sales/*/day=2026-03-01/*.parquet\"\n  read day as text\n\noutput a to \"o.csv\"\n");
    folder.run().code(0);
    assert!(
        folder.read("o.csv").ends_with("south,2.00,south,2026-03-01\n"),
        "{}",
        folder.read("o.csv")
    );
    // What would be passed over is told, and so is what some parts lack.
    folder.file("sales/region=south/more.csv", "no,net\nx,1\n");
    folder
        .granum(&["survey", "sales"])
        .code(3)
        .complains("sales/region=south/more.csv: is in the folder of parts sales and is none");
    fs::remove_file(folder.path().join("sales/region=south/more.csv")).unwrap();
    folder.file("sales/region=west/p.parquet", stored("orders.snappy.parquet"));
    folder.granum(&["survey", "sales"]).code(3).complains("has no column");
    folder.file("none/a.txt", "");
    folder.granum(&["survey", "none"]).code(3).complains("is a folder, not a file");
}

#[test]
fn rows_go_on_to_another_program_with_their_types() {
    let folder = Folder::new();
    folder.plan(PLAN);
    let sent =
        folder.command(&["show", "p.granum", "lines", "--format", "arrow"]).output().unwrap();
    assert!(sent.status.success());
    for (name, bytes) in [("sent", sent.stdout), ("parquet", stored("orders.snappy.parquet"))] {
        folder.file(name, bytes);
        let from = fs::File::open(folder.path().join(name)).unwrap();
        let mut command = folder.command(&["survey", "-"]);
        let read = command.stdin(Stdio::from(from)).output().unwrap();
        let told = String::from_utf8(read.stdout).unwrap();
        assert!(told.contains("net") && told.contains("decimal(2)"), "{told}");
    }
    // Nothing but the rows is on standard output, also where some could not be read.
    folder.plan("input t from \"\"\"\n  k,n\n  a,1\n  b,x\n  \"\"\"\n  read n as integer\n");
    let ran = folder.command(&["show", "p.granum", "t", "--format", "arrow"]).output().unwrap();
    assert_eq!(ran.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&ran.stderr).contains('x'));
    let mut told = String::new();
    for args in [
        vec!["show", "p.granum", "--format", "arrow"],
        vec!["show", "p.granum", "t", "--format", "arrow", "--to", "a.csv"],
    ] {
        told.push_str(&format!("== {}\n{}\n", args.join(" "), folder.granum(&args).code(2).err));
    }
    insta::assert_snapshot!("columns_not_sent", told);
}

#[test]
fn the_demo_gives_the_same_result_from_every_format() {
    let folder = Folder::new();
    folder.granum(&["demo", "d", "--orders", "200", "-q"]);
    let (plan, expected) = (folder.read("d/nursery.granum"), folder.read("d/out/unit_sales.csv"));
    let mut names: Vec<String> = folder.names();
    names
        .retain(|name| name.starts_with("d/data/") && plan.contains(name.trim_start_matches("d/")));
    let (mut convert, mut moved) = (String::new(), [plan.clone(), plan]);
    for (at, name) in names.iter().enumerate() {
        let file = name.trim_start_matches("d/");
        let semicolons = folder.read(name).lines().next().unwrap().contains(';');
        let signs = if semicolons { " delimiter \";\"" } else { "" };
        convert.push_str(&format!("input t{at} from \"{file}\"{signs}\n"));
        // In pairs a file of each kind, so that whatever is read beside each other is of several formats.
        let kinds = if at % 2 == 0 { ["parquet", "arrow"] } else { ["arrows", "parquet"] };
        for (plan, kind) in moved.iter_mut().zip(kinds) {
            // Files of one input are of one format.
            let kind = if file.contains("orders") { "parquet" } else { kind };
            let to = format!("{file}.{kind}");
            *plan = plan.replace(&format!("\"{file}\"{signs}"), &format!("\"{to}\""));
            if !convert.contains(&format!("\"{to}\"")) {
                convert.push_str(&format!("output t{at} to \"{to}\"\n"));
            }
        }
    }
    folder.file("d/convert.granum", convert);
    folder.granum(&["run", "d/convert.granum", "-q"]).code(0);
    for plan in moved {
        assert!(!plan.contains(".csv\", ") && !plan.contains("data/lines.csv\""));
        folder.file("d/nursery.granum", plan);
        folder.granum(&["run", "d/nursery.granum", "-q"]).code(0);
        assert!(folder.read("d/out/unit_sales.csv") == expected, "another result");
        fs::remove_file(folder.path().join("d/out/unit_sales.csv")).unwrap();
    }
}
