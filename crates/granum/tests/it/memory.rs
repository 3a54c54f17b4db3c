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

/// A workshop that lends tools: loans of two counters, their tools and members; dirty keys, ties, blanks.
const LENDING: &str = "\
input morning from \"morning.csv\"
  read taken_on as date
       fee as decimal(2)
  track fee
input evening from \"evening.csv\"
  read taken_on as date
       fee as decimal(2)
  track fee
input members from \"members.csv\"
  dedupe by member keep latest since
  grain member
input deposits from \"deposits.csv\"
  read deposit as decimal(2)
  grain day
  track deposit
table loans from morning, evening
  grain loan_no
link loans to members on upper(trim(member)) = member at least 90%
link loans to deposits on taken_on = day at least 90%
table told from loans
  add town   = members.town
      so_far = running(fee per member by taken_on)
      before = previous(taken_on per member by taken_on)
      part   = fee / sum(fee per tool)
      place  = position(in all by fee desc)
      far    = running(fee in all by taken_on)
      week   = max(fee where fee < 9.00 in all by taken_on over 7 days)
      few    = mean(fee in all by loan_no over 5 rows)
      next   = next(tool where fee > 3.00 in all by loan_no)
      usual  = median(fee in all)
  allocate deposits.deposit as deposit equally
  sort fee desc, tool
table towns from loans
  one row per members.town as town
    fee     = sum(fee)
    loans   = rows()
    members = distinct(member)
    days    = distinct(taken_on)
table middle from loans
  one row per tool
    middle = median(fee)
    high   = percentile(fee, 80)
    day    = median(taken_on where fee is not blank)
    last   = latest(member by taken_on)
table dearest from loans
  top 3 by fee per tool
table asked from members
  add loans = rows(loans)
      most  = max(loans.fee)
check \"all\": sum(told.fee) = sum(loans.fee)
output told to \"out/told.csv\"
output towns to \"out/towns.csv\"
output middle to \"out/middle.csv\"
output dearest to \"out/dearest.csv\"
output asked to \"out/asked.csv\"
";

fn workshop(plan: &str) -> Folder {
    let folder = Folder::new();
    let loan = |at: usize| {
        let member = match at * 31 % 700 {
            dirty if at.is_multiple_of(41) => format!(" m{dirty:03}"),
            clean => format!("M{clean:03}"),
        };
        let fee =
            if at.is_multiple_of(53) { String::new() } else { format!("{}.50", at * 17 % 12) };
        let (tool, day) = (at * 7 % 60, at * 13 % 28 + 1);
        format!("L{at:05},{member},tool {tool} of the long shelf,2026-02-{day:02},{fee}\n")
    };
    let loans = |from: usize, to: usize| {
        let rows: String = (from..to).map(loan).collect();
        format!("loan_no,member,tool,taken_on,fee\n{rows}")
    };
    let member =
        |at: usize| format!("M{:03},town {},2020-01-{:02}\n", at % 690, at % 9, at % 28 + 1);
    let members: String = (0..750).map(member).collect();
    let deposit = |day: usize| format!("2026-02-{day:02},{day}00.10\n");
    let deposits: String = (1..28).map(deposit).collect();
    folder
        .plan(plan)
        .file("morning.csv", loans(0, 9_000))
        .file("evening.csv", loans(9_000, 15_000))
        .file("members.csv", format!("member,town,since\n{members}"))
        .file("deposits.csv", format!("day,deposit\n{deposits}"));
    folder
}

#[test]
fn every_step_of_a_whole_job_is_the_same_with_little_memory() {
    let folder = workshop(LENDING);
    let names = ["told", "towns", "middle", "dearest", "asked"];
    let written = || names.map(|name| folder.read(&format!("out/{name}.csv")));
    let free = folder.granum(&["run", "p.granum"]).code(0);
    let texts = written();
    assert!(texts.iter().all(|text| text.lines().count() > 5), "{texts:?}");
    for memory in ["1KB", "300KB", "3MB"] {
        std::fs::remove_dir_all(folder.path().join("out")).unwrap();
        let tight = folder.granum(&["run", "p.granum", "--memory", memory]).code(0);
        assert_eq!(tight.out, free.out, "{memory}");
        assert!(written() == texts, "outputs with {memory}");
    }
}

#[test]
fn what_stops_a_run_is_told_alike_with_little_memory() {
    let steps = [
        "table t from morning\n  one row per tool\n    who = sole(member)\n    m = median(fee)",
        "table t from morning\n  add who = sole(member per tool)",
        "table t from morning\n  one row per tool\n    far = sum(fee * 90000000000000000000000000000000000)",
        "table t from morning\n  one row per tool\n    m = median(fee * 90000000000000000000000000000000000)",
        "table t from morning\n  add far = running(fee * 90000000000000000000000000000000000 in all by loan_no)",
        "table t from morning\n  grain member\n  sort fee",
    ];
    for step in steps {
        let folder = workshop(&format!(
            "input morning from \"morning.csv\"\n  read fee as decimal(2)\n{step}\noutput t to \"out/t.csv\"\n"
        ));
        let free = folder.granum(&["run", "p.granum"]).code(1);
        let tight = folder.granum(&["run", "p.granum", "--memory", "1KB"]).code(1);
        assert_eq!((tight.out, tight.err), (free.out, free.err), "{step}");
        assert!(!folder.path().join("out").exists());
    }
}

#[test]
fn what_looks_back_is_told_alike_with_little_memory() {
    let folder =
        workshop(&LENDING.replace("grain loan_no\n", "grain loan_no\n  drop fee > 10.00\n"));
    let calls: [&[&str]; 6] = [
        &["trace", "p.granum", "told", "loan_no=L00082"],
        &["trace", "p.granum", "towns", "town=town 3"],
        &["trace", "p.granum", "morning", "--line", "morning.csv:9"],
        &["example", "p.granum", "middle", "tool=tool 7 of the long shelf"],
        &["show", "p.granum", "told", "--removed"],
        &["match", "p.granum", "loans.members", "--amount", "fee", "--by", "tool"],
    ];
    for call in calls {
        let free = folder.granum(call);
        let tight = folder.granum(&[call, &["--memory", "1KB"]].concat());
        assert!(free.out.lines().count() > 5, "{call:?}");
        assert_eq!((tight.out, tight.err), (free.out, free.err), "{call:?}");
    }
    let aside = |more: &[&str]| {
        folder.granum(&[&["run", "p.granum", "--aside", "gone"], more].concat()).code(0);
        folder.read("gone/loans-1-drop.csv")
    };
    let free = aside(&[]);
    assert!(free == aside(&["--memory", "1KB"]) && free.lines().count() > 1_000);
}

/// A ferry with 60,000 tickets, more than a small memory has room for, and who bought them.
fn ferry() -> Folder {
    let ticket = |at: usize| {
        let letter = if at % 10 == 3 { "p" } else { "P" };
        let buyer = at * 3 % 50_000 + 20_000 * (at % 50 / 49);
        format!(
            "T{at:06},{letter}{buyer:05},{}.{:02},2026-0{}-{:02}\n",
            at % 90_000 / 7,
            at % 100,
            at % 9 + 1,
            at % 28 + 1
        )
    };
    let tickets: String = (0..60_000).map(|at| ticket(at - at % 999 / 998)).collect();
    let buyer = |at: usize| format!("P{at:05},name {at}\n");
    let buyers: String = (0..50_000).map(buyer).collect();
    let folder = Folder::new();
    folder
        .file("tickets.csv", format!("ticket_no,buyer_no,fare,sailed_on\n{tickets}"))
        .file("buyers.csv", format!("buyer_no,name\n{buyers}"));
    folder
}

#[test]
fn what_is_told_of_a_sample_says_so() {
    let folder = ferry();
    let little = ["--memory", "1MB", "-v"];
    let survey = folder.granum(&[&["survey", "tickets.csv"], &little[..]].concat()).code(0);
    insta::assert_snapshot!("a_sample_surveyed", survey.out);
    let memory = survey.err.lines().last().unwrap().to_owned();
    assert!(
        memory.starts_with("memory: 1.0 MB to work with")
            && !memory.ends_with("nothing went to a disk"),
        "{memory}"
    );
    let related = ["relate", "tickets.csv", "buyers.csv"];
    let related = folder.granum(&[&related[..], &little[..]].concat()).code(0);
    insta::assert_snapshot!("a_sample_related", related.out);
    let found = ["relate", "tickets.csv", "buyers.csv", "--find", "TicketNo"];
    let found = folder.granum(&[&found[..], &little[..2]].concat()).code(0).out;
    assert!(found.contains("  about 6") || found.contains("  about 5"), "{found}");
    let drawn = ["relate", "tickets.csv", "buyers.csv", "--picture", "links.svg"];
    folder.granum(&[&drawn[..], &little[..2]].concat()).code(0);
    assert!(folder.read("links.svg").contains("about 99."));
    // What is drafted is worked over all rows, and says the same but for numbers in comments.
    let files = ["draft", "tickets.csv", "buyers.csv"];
    let code = |text: &str| -> Vec<String> {
        text.lines().filter(|line| !line.starts_with('#')).map(str::to_owned).collect()
    };
    let free = folder.granum(&files).code(0).out;
    let tight = folder.granum(&[&files[..], &little[..2]].concat()).code(0).out;
    assert!(code(&free) == code(&tight) && free.contains("link tickets to buyers"), "{tight}");
    let json = folder.granum(&["survey", "tickets.csv", "--format", "json", "--memory", "1MB"]);
    let document: Value = serde_json::from_str(&json.code(0).out).unwrap();
    let ticket = &document["surveys"][0]["columns"][0];
    assert!(ticket["exact"] == false && ticket["one_in"].as_u64() > Some(1), "{ticket:#}");
}

#[test]
fn files_that_are_looked_at_tell_of_a_folder_that_cannot_be_used() {
    let folder = ferry();
    let nowhere = ["survey", "tickets.csv", "--memory", "64KB", "--spill", "nowhere"];
    let said = folder.granum(&nowhere).code(3).err;
    assert!(said.starts_with("error: nowhere: "), "{said}");
    let json = folder.granum(&[&nowhere[..], &["--format", "json"]].concat()).code(3).out;
    let document: Value = serde_json::from_str(&json).unwrap();
    assert_eq!(document["error"]["kind"], "spill");
}
