//! Sets that become their parts.

use super::folder::Folder;

const LINES: &str = "order_no,line_no,article_no,quantity,net,freight\nM1,1,900,2,25.00,4.90\n\
                     M1,2,018,1,9.00,1.00\nM2,1,901,1,10.00,0.00\nM3,1,777,1,3.00,0.50\n\
                     M4,1,900,-1,-12.50,\n";
const PARTS: &str = "set_no,part_no,pieces,worth\n900,018,1,10.00\n900,031,3,5.00\n901,050,1,3.30\n\
                     901,051,1,3.30\n901,052,1,3.40\n";

/// A plan over lines, articles and parts, with steps of the table `sold`.
fn plan(folder: &Folder, track: &str, steps: &str) {
    folder
        .file("lines.csv", LINES)
        .file("articles.csv", "article_no,name\n900,Spring set\n901,Herb trio\n018,Fern\n");
    let head = "input lines from \"lines.csv\"\n  grain order_no, line_no\n";
    let tables = "input articles from \"articles.csv\"\n  read article_no as text\n  grain article_no\n\
                  input parts from \"parts.csv\"\n  read set_no as text\n       part_no as text\n  grain set_no, part_no\n\
                  link lines to articles on article_no\nlink parts to articles on set_no = article_no\n\
                  table sold from lines\n";
    folder.plan(&format!("{head}{track}\n{tables}{steps}\noutput sold to \"sold.csv\"\n"));
}

const ALL: &str =
    "  expand articles.parts split net, freight by worth * pieces multiply quantity by pieces";

#[test]
fn a_line_of_a_set_becomes_its_parts_and_amounts_add_up() {
    let folder = Folder::new();
    folder.file("parts.csv", PARTS);
    plan(&folder, "  track quantity, net, freight", ALL);
    let ran = folder.run().code(0);
    ran.says(
        "  1  3 rows became 7 of parts; 2 rows have none and stay as they are; quantity 4 became 9; net,\n    \
         freight add up to what they were; one row per order_no, line_no \u{2192} one row per order_no, line_no,\n    \
         part_no\n",
    )
    .says("in sold.csv                                                           9         9  34.50     6.40");
    assert_eq!(
        folder.read("sold.csv"),
        "order_no,line_no,article_no,quantity,net,freight,part_no,pieces,worth\n\
         M1,1,900,2,10.00,1.96,018,1,10.00\nM1,1,900,6,15.00,2.94,031,3,5.00\n\
         M1,2,018,1,9.00,1.00,,,\nM2,1,901,1,3.30,0.00,050,1,3.30\nM2,1,901,1,3.30,0.00,051,1,3.30\n\
         M2,1,901,1,3.40,0.00,052,1,3.40\nM3,1,777,1,3.00,0.50,,,\nM4,1,900,-1,-5.00,,018,1,10.00\n\
         M4,1,900,-3,-7.50,,031,3,5.00\n"
    );
    folder.granum(&["trace", "p.granum", "sold", "order_no=M1", "part_no=031"]).code(0).says(
        "          articles \u{2192} article_no 900 \u{b7} articles.csv line 2\n          2 rows of parts lead here: \
         set_no 900, part_no 018 \u{b7} parts.csv line 2",
    );
    let example = folder.granum(&["example", "p.granum", "sold", "order_no=M2", "part_no=052"]);
    example.code(0).says("901,052,1,3.40");
    // From the sets themselves there is no link to go forward by.
    let from_sets =
        folder.read("p.granum").replace("table sold from lines", "table sold from articles");
    folder.plan(
        &from_sets.replace(ALL, "  expand parts").replace("  track quantity, net, freight", ""),
    );
    folder.run().code(0).says("1  2 rows became 5 of parts; 1 row has none and stays as it is;");
    assert!(folder.read("sold.csv").contains("901,Herb trio,052,1,3.40\n018,Fern,,,\n"));
}

#[test]
fn shares_may_be_equal_and_have_places_of_their_own() {
    let folder = Folder::new();
    folder.file("parts.csv", PARTS.replace("901,050,1,3.30", "901,050,1,0.00"));
    let equally =
        "  expand articles.parts split net to 3 places, freight equally multiply quantity by 2";
    plan(&folder, "  track quantity, net, freight", equally);
    folder.run().code(0).says("quantity 4 became 12");
    assert!(folder.read("sold.csv").contains("M2,1,901,2,3.334,0.00,050,"));
    folder.file("parts.csv", PARTS.replace(",3.30\n", ",0.00\n").replace(",3.40\n", ",0.00\n"));
    plan(&folder, "  track net", "  expand articles.parts split net by worth");
    folder.run().code(1).says(
        "  sold: not every row can be expanded\n    in  expand articles.parts split net by worth\n    1 amount \
         would be divided by weights that are all zero\n      10.00   (lines.csv line 4)\n    let them share \
         equally then:  by WEIGHT else equally\n",
    );
    plan(&folder, "  track net", "  expand articles.parts split net by worth else equally");
    folder.run().code(0);
    assert!(folder.read("sold.csv").contains("M2,1,901,1,3.34,0.00,050,"));
}

#[test]
fn parts_that_say_nothing_stop_the_run_with_their_rows() {
    let folder = Folder::new();
    folder.file(
        "parts.csv",
        PARTS.replace("018,1,10.00", "018,,").replace("031,3,5.00", "031,3,-5.00"),
    );
    plan(&folder, "  track quantity, net, freight", ALL);
    let ran = folder.run().code(1);
    ran.says("    2 rows would have a blank weight\n      parts set_no 900, part_no 018   (parts.csv line 2)\n")
        .says("    2 rows would have a negative weight\n      -15.00 of parts set_no 900, part_no 031   (parts.csv line 3)\n")
        .says("    2 rows would be multiplied by a blank\n      parts set_no 900, part_no 018   (parts.csv line 2)\n")
        .says("    mend the rows that come in, or leave them out before:  keep \u{2026} in their table\n");
    folder.file("parts.csv", PARTS);
    folder.file("lines.csv", LINES);
    plan(&folder, "  track net", "  expand articles.parts split net to 1 places by worth");
    folder.file("lines.csv", LINES.replace("25.00", "25.01"));
    folder.run().code(1).says("    1 amount has more places than its parts are to have\n      25.01   (lines.csv line 2)\n");
    plan(&folder, "  track net", "  expand articles.parts split net to 5 places by worth");
    folder.file("lines.csv", LINES.replace("25.00", "99999999999999999999999999999999999.00"));
    folder.run().code(1).says("1 amount has too many digits to be divided").says("fewer places");
}

#[test]
fn what_expand_cannot_do_is_refused_with_a_way_out() {
    let folder = Folder::new();
    folder.file("parts.csv", PARTS);
    let wrong = |track: &str, steps: &str, says: &str, helps: &str| {
        plan(&folder, track, steps);
        folder.granum(&["check", "p.granum"]).code(2).complains(says).complains(helps);
    };
    let tracked = "  track quantity, net";
    wrong(
        tracked,
        "  expand articles.parts",
        "would repeat `quantity` and `net`, which are tracked",
        "split quantity, net by WEIGHT",
    );
    wrong(
        "",
        "  expand articles",
        "`articles` leads each row to one row at most",
        "rows that lead to articles are lines, parts",
    );
    wrong(
        "",
        "  expand articles.part",
        "no link leads from `part` back to `articles`",
        "did you mean `parts`?",
    );
    wrong(
        "",
        "  expand elsewhere",
        "no link leads from `elsewhere` back to `lines`",
        "link PARTS to lines",
    );
    wrong(
        "",
        "  expand articles.parts split net by name",
        "`sold` has no column called `name`",
        "articles.name",
    );
    wrong("", "  expand articles.parts split net by part_no", "an exact number", "part_no");
    wrong(
        "",
        "  expand articles.parts split order_no equally",
        "only exact numbers can be split",
        "text",
    );
    wrong(
        "",
        "  expand articles.parts multiply order_no by pieces",
        "only exact numbers can be multiplied",
        "text",
    );
    wrong(
        "",
        "  expand articles.parts split net equally multiply net by pieces",
        "`net` is split or multiplied already",
        "net",
    );
    wrong(
        "",
        "  expand articles.parts split net",
        "expected `by` and a weight, or `equally`",
        "output",
    );
    wrong("", "  expand articles.parts multiply net equally", "`by` and how many", "equally");
    wrong(
        "",
        "  expand articles.parts multiply quantity by pieces split net equally",
        "`split` stands before `multiply`",
        "as in",
    );
    // What stays whole is repeated, and is not summed by mistake.
    let sum = "  one row in all\n    all = sum(";
    wrong(
        "  track net",
        &format!("  add whole = net\n  expand articles.parts split net equally\n{sum}whole)"),
        "carried past `expand` unsplit",
        "under `split`",
    );
    wrong(
        "",
        "  expand articles.parts\n  track net",
        "`net` stood here before `expand` and was neither split nor multiplied",
        "split net by",
    );
}

#[test]
fn rows_that_come_in_need_a_grain_and_names_that_are_free() {
    let folder = Folder::new();
    folder.file("parts.csv", PARTS);
    plan(&folder, "", "  expand articles.parts");
    // An input follows no links.
    let text = folder.read("p.granum");
    folder.plan(&text.replace(
        "  grain order_no, line_no\n",
        "  grain order_no, line_no\n  expand articles.parts\n",
    ));
    folder.run().code(2).complains("an input's steps cannot follow links");
    folder.plan(
        &text.replace("  grain set_no, part_no\n", "").replace("\n  track net\noutput", "\noutput"),
    );
    folder
        .run()
        .code(2)
        .complains("`parts` says no grain")
        .complains("in its steps:  grain COLUMN");
    folder.file("parts.csv", PARTS.replace("pieces", "quantity").replace("worth", "net"));
    folder.plan(&text.replace("\n  track net\noutput", "\noutput"));
    folder
        .run()
        .code(2)
        .complains("`parts` brings `quantity` and `net`, and `sold` has such columns already")
        .complains("in the steps of parts:  rename quantity to parts_quantity, net to parts_net");
}
