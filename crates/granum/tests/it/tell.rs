//! A plan in plain sentences.

use insta::assert_snapshot;
use serde_json::Value;

use super::folder::Folder;

/// A repair shop whose plan has every kind of statement and step.
fn repairs() -> Folder {
    let folder = Folder::new();
    folder.file("jobs.csv", "job_no,came_on,kind,price,hours,parts,mon,tue,note,currency\n");
    folder.file("old.csv", "job_no,came_on,kind,price,hours,parts,mon,tue,note,currency\n");
    folder.file("rates.csv", "kind,from_day,to_day,rate\n");
    folder.file("kinds.csv", "kind,name\n");
    folder.file("bills.csv", "bill_no,job_no,amount\n");
    folder.file("boxes.csv", "job_no,box_no,share\n");
    folder.plan(REPAIRS);
    folder
}

const REPAIRS: &str = r#"plan "Repairs"
param since date = date("2026-01-31")
param rate decimal(2) = 1.5

input jobs from "jobs.csv", "old.csv"
  read came_on as date "%d.%m.%y" or "%d %b %Y" else blank
       price   as decimal(2) else aside
       hours   as decimal(1)
       parts   as integer
       mon     as integer
       tue     as integer
  drop came_on < since or kind in ("scrap", "gift")
  dedupe by job_no keep latest came_on, largest price
  grain job_no

input rates from "rates.csv"
  read from_day as date
       to_day   as date
       rate     as decimal(2)
input kinds from "kinds.csv"
  dedupe by kind keep first
  grain kind
input bills from "bills.csv"
  read amount as decimal(2)
  grain bill_no
  track amount
input boxes from "boxes.csv"
  read share as integer
  grain job_no, box_no
input days from calendar since through date("2026-12-31")
input marks from """
  kind,mark
  a,1
  """
  grain kind

link jobs to kinds on lower(kind) = kind complete as kind_row
link jobs to rates on kind, came_on within from_day until to_day prefer latest from_day
link bills to jobs on job_no at least 99.5% of amount blank allowed
link boxes to jobs on job_no

table billed from jobs
  keep not has(bills) and price is not blank
  add kind_name = kind_row.name ?? "none"
      first_bill = min(bills.amount where amount > 0)
      is_late   = not (hours <= 3.5)
      half      = round(price / 2, 2)
      group_sum = sum(price per kind)
      running   = running(hours per kind by came_on over 7 days)
  change hours = -hours * (parts + 1)
         note  = if hours > 1 then upper(trim(note)) & "!" else note
  rename note to remark

table units from jobs
  units of parts as part_no split price to 3 places dropping blank, zero keeping negative
  columns job_no as job, part_no, price

table boxed from jobs
  expand boxes split price by share else equally multiply hours by rate

table shares from billed
  allocate half as half_part by hours per kind

table by_day from jobs
  turn mon, tue into rows weekday, done keeping blanks

table kinds_of from jobs
  one row per kind, month(came_on) as month
    jobs  = rows()
    most  = latest(price by came_on)
    named = list(distinct note, ", ")
  sort jobs desc, kind
table best from kinds_of
  top 10% by jobs per month with ties

table all_jobs from jobs, billed filling blanks labelled source
table both from kinds meeting marks on kind

check "prices" jobs at least 90%: price >= 0
warn "as many": sum(jobs.hours) = rows(jobs)
output best to "out/best.xlsx" sheet "Best"
chart "Jobs" from kinds_of x month bars jobs by kind
"#;

#[test]
fn a_plan_is_told_in_sentences() {
    let folder = repairs();
    assert_snapshot!(folder.granum(&["tell", "p.granum"]).code(0).out);
}

#[test]
fn a_table_is_told_with_what_it_is_made_of_and_where_each_column_comes_from() {
    let folder = repairs();
    assert_snapshot!(folder.granum(&["tell", "p.granum", "shares"]).code(0).out);
    let columns = |table: &str| {
        let told = folder.granum(&["tell", "p.granum", table, "--format", "json"]).code(0).out;
        let told: Value = serde_json::from_str(&told).unwrap();
        let last = told["tale"]["tables"].as_array().unwrap().last().unwrap().clone();
        assert_eq!(last["name"], table);
        let columns = last["columns"].as_array().unwrap().iter();
        let column =
            |column: &Value| format!("{}: {}", column["name"], column["from"]).replace('"', "");
        columns.map(column).collect::<Vec<_>>().join("\n")
    };
    let tables = ["units", "kinds_of", "all_jobs", "by_day", "boxed", "both", "marks", "days"];
    let told: Vec<String> =
        tables.iter().map(|table| format!("{table}\n{}\n", columns(table))).collect();
    assert_snapshot!(told.join("\n"));
}

#[test]
fn what_cannot_be_told_is_said() {
    let folder = repairs();
    folder.granum(&["tell", "p.granum", "share"]).code(2).complains(
        "error[unknown-name]: the plan has no table called `share`\n = did you mean `shares`?\n",
    );
    folder
        .granum(&["tell"])
        .code(2)
        .complains("tell takes a plan and a table: granum tell PLAN TABLE");
    folder
        .granum(&["tell", "-e", "input j from \"jobs.csv\"", "j"])
        .code(0)
        .says("  Its rows are read from jobs.csv.\n\n  job_no, blank: as it is read\n");
}
