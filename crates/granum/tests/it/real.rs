//! `example`: a worked example made of real rows comes out as it is printed.

use serde_json::Value;

use super::folder::Folder;

fn nursery() -> Folder {
    let folder = Folder::new();
    folder.granum(&["demo", "d", "--orders", "300", "--only-data"]).code(0);
    folder
}

#[test]
fn what_is_printed_can_be_pasted_and_holds() {
    let folder = nursery();
    let plan = folder.read("d/nursery.granum");
    let asked: [&[&str]; 7] = [
        &["unit_sales", "order_no=M0000012", "line_no=1", "unit_no=1"],
        &["line_results", "order_no=M0000012", "line_no=1"],
        // An order that was void takes its lines with it.
        &["sales", "order_no=M0000050"],
        &["orders", "order_no=M0000050"],
        &["customers", "--line", "customers.csv:5"],
        &["radio", "Spots=4"],
        &["sales", "order_no=M0000002", "--set", "as_of=2026-01-31"],
    ];
    let mut pasted = plan.clone();
    for words in asked {
        let args = [&["example", "d/nursery.granum"], words].concat();
        pasted.push('\n');
        pasted.push_str(&folder.granum(&args).code(0).out);
    }
    folder.file("d/more.granum", &pasted);
    let all = plan.matches("\nexample ").count() + asked.len();
    folder
        .granum(&["check", "d/more.granum", "--examples"])
        .code(0)
        .says(&format!("HELD: {all} examples hold."));
    assert!(pasted.contains("  set as_of = date(\"2026-01-31\")\n"));
    // It is in the one layout.
    folder.granum(&["fmt", "d/more.granum", "--check"]).code(0);
}

#[test]
fn the_rows_that_decide_and_the_columns_that_matter() {
    let folder = nursery();
    let ran = folder.granum(&["example", "d/nursery.granum", "sales", "order_no=M0000050"]).code(0);
    insta::assert_snapshot!("real_example", ran.out);
}

#[test]
fn names_of_people_and_places_are_masked() {
    let folder = nursery();
    let customers = folder.read("d/data/customers.csv");
    let line: Vec<&str> = customers.lines().nth(1).unwrap().split(',').collect();
    let key = format!("customer_no={}", line[0]);
    let args = ["example", "d/nursery.granum", "customers", &key];
    let masked = folder.granum(&args).code(0).out;
    assert!(!masked.contains(line[1]) && !masked.contains(line[2]), "{masked}");
    assert!(masked.starts_with("# made of "), "{masked}");
    assert!(
        masked.contains("customers.name, customers.mail, customers.place are masked"),
        "{masked}"
    );
    let plain = folder.granum(&[&args[..], &["--plain"]].concat()).code(0).out;
    assert!(plain.contains(line[1]) && !plain.contains("masked"), "{plain}");
    // Also where it is asked for by name.
    let name = format!("name={}", line[1]);
    let by_name = folder.granum(&["example", "d/nursery.granum", "customers", &name]).code(0).out;
    assert!(!by_name.contains(line[1]) && by_name.contains("customers: name Name 1"), "{by_name}");
}

#[test]
fn a_row_of_too_many_says_what_comes_out_otherwise() {
    let folder = Folder::new();
    let rows: Vec<String> = (1..=60).map(|row| format!("{row},ada")).collect();
    let rows = rows.join("\n");
    folder.file("a.csv", format!("net,who\n{rows}"));
    let plan = "input a from \"a.csv\"\n  track net\n\
                table t from a\n  one row per who\n    net = sum(net)\n";
    let ran = folder.granum(&["example", "-e", plan, "t", "who=ada"]).code(0);
    let ran = ran
        .says("# made of 50 rows of files, the nearest of more that it is made of;")
        .says("# net is 1275 of these rows; in t it is 1830\n");
    assert_eq!(ran.out.lines().filter(|line| line.ends_with(",ada")).count(), 50);
    let ran = folder.granum(&["example", "-e", plan, "t", "who=ada", "--format", "json"]).code(0);
    let told: Value = serde_json::from_str(&ran.out).unwrap();
    assert_eq!(told["example"]["cut"], true);
    assert_eq!(told["example"]["differs"][0]["of_all_rows"], "1830");
    assert!(told["example"]["text"].as_str().unwrap().starts_with("example \"t: who ada\""));
}

#[test]
fn rows_that_stop_a_plan_make_an_example_of_that() {
    let folder = Folder::new();
    folder.file("a.csv", "k,v\nx,1\nx,2\ny,3\n");
    let plan = "input a from \"a.csv\"\ntable t from a\n  grain k\n";
    folder.granum(&["example", "-e", plan, "a", "k=x"]).code(0).says("example \"a: k x\"\n");
    folder
        .granum(&["example", "-e", plan, "t", "k=q"])
        .code(1)
        .complains("no row of t with k q; what is near:  granum trace -e '\u{2026}' t");
    folder.granum(&["example", "-e", plan, "t"]).code(2).complains("example takes a table");
}

#[test]
fn hostile_cells_stand_in_a_block() {
    let folder = Folder::new();
    folder.file(
        "a.csv",
        "k,v,w\n1,\" a,\"\"b\"\" \",\"two\nlines\"\n2,\"\"\"\"\"\"\"\",\\n\n3,# no,\u{fc}\u{a0}\n4,,\n",
    );
    let plan = "input a from \"a.csv\"\n  grain k\n";
    folder.plan(plan);
    let mut all = plan.to_owned();
    for key in ["k=1", "k=2", "k=3", "k=4"] {
        all.push_str(&folder.granum(&["example", "p.granum", "a", key]).code(0).out);
    }
    folder.plan(&all).granum(&["check", "p.granum", "--examples"]).code(0).says("4 examples hold");
}

#[test]
fn codes_that_lead_somewhere_are_no_names() {
    let folder = Folder::new();
    folder
        .file("jobs.csv", "job,client\nJ1,kl01 \nJ2,KL09\n")
        .file("clients.csv", "client_no,client_name\nKL01,Ash Press\n");
    let plan = "input jobs from \"jobs.csv\"\n  grain job\n\
                input clients from \"clients.csv\"\n  grain client_no\n\
                link jobs to clients on upper(trim(client)) = client_no\n\
                table t from jobs\n  add name = clients.client_name\n";
    let ran = folder.granum(&["example", "-e", plan, "t", "job=J1"]).code(0);
    let ran = ran.says("    J1,\"kl01 \"\n").says("    J1,\"kl01 \",Client_name 1\n");
    assert!(ran.out.contains("# texts of clients.client_name are masked"), "{}", ran.out);
}
