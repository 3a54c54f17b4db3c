//! Less memory than tables need: they go to a disk and come back, and nothing else is another.

use serde_json::Value;

use super::folder::Folder;

const PLAN: &str = "\
input boats from \"boats.csv\"
  grain boat
input trips from \"trips.csv\"
  read fee as decimal(2)
  dedupe
  grain trip_no
  track fee
link trips to boats on upper(boat) = boat at least 90%
table told from trips
  keep has(boats)
  add harbour = boats.harbour
      so_far = running(fee per harbour by trip_no)
table harbours from told
  one row per harbour
    fee = sum(fee)
check \"all\": sum(harbours.fee) = sum(told.fee)
output told to \"out/told.csv\"
output harbours to \"out/harbours.csv\"
";

fn port() -> Folder {
    let folder = Folder::new();
    let boat = |at: usize| if at % 50 == 3 { 99 } else { at * 7 % 31 };
    let row = |at: usize| format!("T{at:05},b{},{}.{:02}\n", boat(at), at % 40, at % 100);
    // Now and then a row stands there twice.
    let trips: String = (1..20_000).map(|at| row(at - at % 97 / 96)).collect();
    let boats: Vec<String> =
        (0..31).map(|at| format!("B{at},harbour {} of the bay", at % 5)).collect();
    folder
        .plan(PLAN)
        .file("trips.csv", format!("trip_no,boat,fee\n{trips}"))
        .file("boats.csv", format!("boat,harbour\n{}\n", boats.join("\n")));
    folder
}

#[test]
fn what_has_no_room_goes_to_a_disk_and_nothing_else_is_another() {
    let folder = port();
    folder.file("scratch/here", "");
    let free = folder.granum(&["run", "p.granum"]).code(0);
    let texts = ["out/told.csv", "out/harbours.csv"].map(|name| folder.read(name));
    let small = ["run", "p.granum", "--memory", "64KB", "--spill", "scratch", "--record", "r.json"];
    let tight = folder.granum(&small);
    assert_eq!(free.out, tight.out);
    assert_eq!(["out/told.csv", "out/harbours.csv"].map(|name| folder.read(name)), texts);
    let record: Value = serde_json::from_str(&folder.read("r.json")).unwrap();
    let memory = |name: &str| record["memory"][name].as_u64().unwrap();
    assert_eq!(memory("budget"), 64_000);
    assert!(memory("held") <= 32_000 && memory("on_disk") > 100_000, "{record:#}");
    // Nothing is left there.
    assert_eq!(std::fs::read_dir(folder.path().join("scratch")).unwrap().count(), 1);
    let told = folder.granum(&["check", "p.granum", "-v", "--memory", "64KB"]).code(0).err;
    let line = told.lines().last().unwrap();
    assert!(line.starts_with("memory: 64.0 kB to work with, tables held up to "), "{line}");
    let told = folder.granum(&["check", "p.granum", "-v"]).code(0).err;
    assert!(told.ends_with(", nothing went to a disk\n"), "{told}");
}

#[test]
fn a_folder_that_cannot_be_used_stops_the_run_before_anything_is_written() {
    let folder = port();
    let nowhere = ["run", "p.granum", "--memory", "64KB", "--spill", "nowhere"];
    let said = folder.granum(&nowhere).code(3).err;
    insta::assert_snapshot!(said);
    let json = folder.granum(&[&nowhere[..], &["--format", "json"]].concat()).code(3).out;
    let document: Value = serde_json::from_str(&json).unwrap();
    assert_eq!(document["error"]["kind"], "spill");
    assert_eq!(document["error"]["file"], "nowhere");
    assert!(!folder.path().join("out").exists());
}

#[test]
fn a_size_is_said_with_its_unit() {
    for wrong in ["512", "some", "101%", "-5MB"] {
        let folder = port();
        let said = folder.granum(&["run", "p.granum", &format!("--memory={wrong}")]).code(2).err;
        assert!(said.contains("a size is like 512MB, 4GiB or 50%"), "{said}");
    }
}
