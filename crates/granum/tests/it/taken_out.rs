//! What is told of a link that fails because steps took out the rows that others would lead to.

use super::folder::Folder;

const PLAN: &str = r#"param least integer = 0

input sailings from "sailings.csv"
  dedupe by sailing keep first
  drop state = "cancelled"
  grain sailing

input bookings from "bookings.csv"
  read fare as decimal(2)
  grain booking
  track fare

table northern from sailings
  keep route != "SOUTH"
  add code = upper(sailing)
  grain code

link bookings to sailings on sailing complete
link bookings to northern on sailing = code at least 90%
"#;

fn ferries(plan: &str) -> Folder {
    let folder = Folder::new();
    folder.file(
        "sailings.csv",
        "sailing,route,state\nS1,NORTH,sailed\nS2,NORTH,cancelled\nS3,SOUTH,sailed\nS4,\"EAST\nWEST\",cancelled\n\
         S2,NORTH,cancelled\n,NORTH,cancelled\n",
    );
    folder.file(
        "bookings.csv",
        "booking,sailing,fare\n1,S1,5.00\n2,S2,6.00\n3,S2,7.00\n4,S3,1.00\n5,S4,2.00\n6,s1,3.00\n7,S9,4.00\n8,,8.00\n",
    );
    folder.plan(plan);
    folder
}

/// From what stopped the run on.
fn told(folder: &Folder, arguments: &[&str]) -> String {
    let ran = folder.granum(arguments).code(1);
    ran.out[ran.out.find("STOPPED").unwrap()..].to_owned()
}

#[test]
fn steps_that_took_keys_out_are_told_of_before_keys_that_are_near() {
    let folder = ferries(PLAN);
    let all = told(&folder, &["check", "p.granum", "--set", "least=1"]);
    insta::with_settings!({ omit_expression => true }, { insta::assert_snapshot!("taken_out", all) });
    let little = ["check", "p.granum", "--set", "least=1", "--memory", "1kB", "--threads", "1"];
    assert_eq!(told(&folder, &little), all);
    // What is told to be looked at is there.
    let see = folder.granum(&["show", "p.granum", "northern", "--removed"]).code(0);
    see.says("drop state = \"cancelled\"").says("keep route != \"SOUTH\"");
}

#[test]
fn keys_that_come_through_a_pipe_are_told_of_as_well() {
    let folder = ferries(&PLAN.replace("sailings.csv", "-"));
    let mut command = folder.command(&["check", "p.granum"]);
    let file = std::fs::File::open(folder.path().join("sailings.csv")).unwrap();
    let ran = command.stdin(file).output().unwrap();
    let out = String::from_utf8(ran.stdout).unwrap();
    let out = out.split_whitespace().collect::<Vec<_>>().join(" ");
    assert!(out.contains("S2 (standard input line 3) S4 (standard input line 5)"), "{out}");
}

#[test]
fn nothing_is_told_where_no_step_took_a_key_out_or_that_is_not_known() {
    let kept = PLAN.replace("drop state = \"cancelled\"", "drop sailing is blank");
    let all = told(&ferries(&kept), &["check", "p.granum"]);
    assert!(!all.contains("drop sailing"), "{all}");
    assert_eq!(all.matches("see what went").count(), 1, "{all}");
    // What a step does that looks at other tables is not worked again: what went before it is known, and no more.
    const FAR: &str =
        "input far from \"sailings.csv\"\n  dedupe\n  drop sailing is blank\n  grain sailing\n\n";
    let far = |plan: &str| {
        let plan = plan
            .replace("table northern", &format!("{FAR}table northern"))
            .replace("keep route != \"SOUTH\"", "drop has(far)");
        let folder = ferries(&format!("{plan}link sailings to far on sailing\n"));
        let all = told(&folder, &["check", "p.granum"]);
        all[all.find("have no northern").unwrap()..].to_owned()
    };
    assert!(!far(&kept).contains("see what went"), "{}", far(&kept));
    let all = far(PLAN);
    assert!(all.contains("    3 rows would have one that went by step 2 of sailings"), "{all}");
    assert!(!all.contains("step 1 of") && !all.contains("step 3 of"), "{all}");
}

/// A link on two columns from `l` to `r`, of which the rows with an `x` go.
fn pairs(left: &str, right: &str) -> String {
    let folder = Folder::new();
    folder.file("l.csv", format!("a,b\n{left}")).file("r.csv", format!("a,b,s\n{right}"));
    folder.plan(
        "input l from \"l.csv\"\n  read a as text\n       b as integer\n\
         input r from \"r.csv\"\n  read a as text\n       b as integer\n  drop s = \"x\"\n  grain a, b\n\
         link l to r on a, b complete\n",
    );
    told(&folder, &["check", "p.granum"])
}

#[test]
fn keys_of_several_columns_are_told_as_they_are_seen_whatever_stands_in_them() {
    let left = "\u{1b}[31mred ,1\nA,2\nA,3\n,4\n";
    let all = pairs(left, "\u{1b}[31mred ,1,x\nA,2,x\nA,2,\nA,3,x\nA,3,x\n,4,x\n");
    let says = "    2 rows would have one that went by step 1 of r, drop s = \"x\"\n      \
                \"\\u{1b}[31mred \"/1   (r.csv line 2)\n      \
                A/3                  (r.csv line 5)\n      see what went:";
    assert!(all.contains(says), "{all}");
    // A target of which nothing is left, and one that never had a row.
    let all = pairs("A,1\nA,1\n", "A,1,x\n");
    assert!(all.contains("    2 rows would have one that went by step 1 of r"), "{all}");
    assert!(!pairs("A,1\n", "").contains("would have one"));
}

#[test]
fn of_very_many_keys_the_first_are_looked_for_and_that_is_said() {
    let keys = |end: &str| -> String {
        let keys: Vec<String> = (0..100_003).map(|key| format!("K,{key}{end}")).collect();
        keys.join("\n")
    };
    let all = pairs(&keys(""), &keys(",x"));
    let says = "    at least 100,000 rows would have one that went by step 1 of r, drop s = \"x\"\n      \
                K/0   (r.csv line 2)\n      K/1   (r.csv line 3)\n      K/2   (r.csv line 4)\n      \
                and 99,997 keys more\n      see what went: granum show p.granum r --removed\n";
    assert!(all.contains(says), "{all}");
}
