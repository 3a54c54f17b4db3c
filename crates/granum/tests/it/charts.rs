//! Charts of finished tables: drawn with the outputs, or not at all.

use insta::assert_snapshot;

use super::folder::Folder;

const PLAN: &str = "input hires from \"hires.csv\"\n  read value as decimal(2)\n  track value\n\
    table months from hires\n  one row per month(on) as month, kind\n    value = sum(value)\n\
    table tools from hires\n  one row per tool\n    value = sum(value)\n    hires = rows()\n";

/// What was hired out of a workshop that is closed in August.
fn hires() -> Folder {
    let folder = Folder::new();
    folder.file(
        "hires.csv",
        "on,tool,kind,value\n\
         2026-06-30,Mixer <small>,hire,1200.00\n\
         2026-07-01,Scaffold & tower of eleven levels,hire,80.50\n\
         2026-07-02,Saw,sale,410.00\n\
         2026-09-01,Saw,hire,35.00\n\
         2026-09-02,Mixer <small>,sale,-35.00\n\
         ,Saw,sale,1.00\n",
    );
    folder
}

/// The texts of an SVG, each on a line.
fn texts(svg: &str) -> String {
    let texts = svg.split("<text ").skip(1).filter_map(|part| {
        let text = part.split_once('>')?.1.split_once("</text>")?.0;
        Some(text.trim().to_owned() + "\n")
    });
    texts.collect()
}

#[test]
fn charts_are_drawn_with_the_outputs_and_told() {
    let folder = hires();
    folder.plan(&format!(
        "{PLAN}chart \"Value of hires by month\" from months x month bars value by kind to \"out/months.svg\"\n\
         chart \"Tools\" from tools x tool bars value, hires to \"out/tools.png\"\n\
         output tools to \"out/tools.csv\"\n"
    ));
    let ran = folder.run().code(0);
    assert_snapshot!("drawn", ran.out.split("HELD").last().unwrap().to_owned());
    assert_snapshot!("texts", texts(&folder.read("out/months.svg")));
    let png = std::fs::read(folder.path().join("out/tools.png")).unwrap();
    assert!(png.starts_with(b"\x89PNG") && png.len() > 5_000);
    // The same bytes again, and none where something does not hold.
    let svg = folder.read("out/months.svg");
    folder.run().code(0);
    assert_eq!(folder.read("out/months.svg"), svg);
    let told = folder.granum(&["run", "p.granum", "--format", "json"]).code(0);
    told.says("\"chart\": \"Value of hires by month\"");
}

#[test]
fn parameters_stand_in_titles_and_paths() {
    let folder = hires();
    folder.plan(&format!(
        "param until date = date(\"2026-09-30\")\nparam note text = blank\n{PLAN}\
         chart \"Tools until {{until}}, {{{{sic}}}}\" from tools x tool bars value to \"{{until}}.svg\"\n"
    ));
    let ran = folder.granum(&["run", "p.granum", "--set", "until=2026-10-01"]).code(0);
    ran.says("drew 2026-10-01.svg \u{b7} \"Tools until 2026-10-01, {sic}\", 3 rows");
    assert!(folder.read("2026-10-01.svg").contains("<title>Tools until 2026-10-01, {sic}</title>"));
    folder.plan(&format!("{PLAN}chart \"Until {{until\" from tools x tool bars value\n"));
    folder.run().code(2).complains("this title has a `{` without its other half");
    folder.plan(&format!(
        "param note text = blank\n{PLAN}chart \"{{note}}\" from tools x tool bars value\n"
    ));
    folder.run().code(2).complains("`note` is blank, and a title cannot have that in it");
}

#[test]
fn where_something_does_not_hold_nothing_is_drawn() {
    let folder = hires();
    let chart = "chart \"Months\" from months x month bars value by kind to \"out/months.svg\"\n";
    folder.plan(&format!("{PLAN}{chart}check: rows(tools) = 4\n"));
    folder.run().code(1);
    assert!(!folder.exists("out"));
    folder.granum(&["check", "p.granum"]).code(1);
    // What stopped can be drawn elsewhere, marked.
    folder.granum(&["run", "p.granum", "--anyway-to", "seen"]).code(1).says("STOPPED-months.svg");
    assert!(folder.read("seen/STOPPED-months.svg").starts_with("<svg "));
}

#[test]
fn charts_that_cannot_be_drawn_say_why() {
    let folder = hires();
    let rows = |rows: std::ops::Range<u32>, row: fn(u32) -> String| {
        format!("k,p,n\n{}", rows.map(row).collect::<Vec<_>>().concat())
    };
    folder
        .file("many.csv", rows(0..130, |n| format!("T{n:03},K{n:03},{n}\n")))
        .file("tens.csv", rows(0..30, |n| format!("T{},K{n},{n}\n", n / 10)))
        .file("days.csv", "d,n\n1990-01-02,1\n2025-01-01,2\n");
    folder.plan(&format!(
        "{PLAN}input many from \"many.csv\"\ninput tens from \"tens.csv\"\ninput days from \"days.csv\"\n\
         chart \"Months\" from months x month bars value to \"a.svg\"\n\
         chart \"Tools of kinds\" from hires x tool line value by kind to \"b.svg\"\n\
         chart \"Many\" from many x k bars n to \"c.svg\"\n\
         chart \"Panels\" from tens x k bars n by p to \"d.svg\"\n\
         chart \"Days\" from days x d line n to \"e.svg\"\n"
    ));
    let ran = folder.run().code(1);
    assert_snapshot!("stopped", ran.out.split("STOPPED").last().unwrap().to_owned());
    folder.granum(&["check", "p.granum", "--format", "json"]).code(1).says("\"kind\": \"chart\"");
    // What is advised can stand in a plan.
    folder
        .file("odd.csv", "Sold on,n\na,1\na,2\n")
        .plan("input odd from \"odd.csv\"\nchart \"t\" from odd x `Sold on` bars n\n");
    folder.run().code(1).says("one row per `Sold on`\n");
}

#[test]
fn what_no_chart_can_be_is_refused_in_the_plan() {
    let folder = hires();
    folder.file("moments.csv", "at,n\n2026-01-01T08:00:00,1\n");
    let refused = |chart: &str| {
        folder.plan(&format!("{PLAN}input moments from \"moments.csv\"\n{chart}\n"));
        folder.run().code(2).err
    };
    let said = [
        "chart \"t\" from months x month",
        "chart \"t\" from months x value bars value",
        "chart \"t\" from moments x at bars n",
        "chart \"t\" from months x month bars kind",
        "chart \"t\" from months x month bars value, value",
        "chart \"t\" from months x month bars value stacked",
        "chart \"t\" from months x month bars value as part",
        "chart \"t\" from months x month bars value to \"c.pdf\"",
        "chart \"t\" from tools x tool bars value, hires by kind",
        "table s from hires\n  one row per kind\n    part = share(value > 0)\n    n = rows()\n\
         chart \"t\" from s x kind bars part, n",
        "table w from hires\n  one row per kind\n    a = rows()\n    b = rows()\n    c = rows()\n    d = rows()\n    \
         e = rows()\n    f = rows()\n    g = rows()\nchart \"t\" from w x kind bars a, b, c line d, e, f, g",
        "chart \"t\" from tools x tool bars value to \"c.svg\"\nchart \"u\" from tools x tool bars hires to \"c.svg\"",
        "chart \"t\" from tools x tool bars value to \"./c.svg\"\nchart \"u\" from tools x tool bars hires to \"c.svg\"",
    ];
    assert_snapshot!("refused", said.map(refused).concat());
}
