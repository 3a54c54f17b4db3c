//! Patterns in texts, and times of a day.

use super::folder::Folder;

const ROWS: &str = "no,remark\n1,\"refund for M0000178, late\"\n2,no number\n3,\n4,M12 and M13\n5,$5 off\n6,caf\u{e9} M7\n";

fn worked(steps: &str) -> String {
    let folder = Folder::new();
    folder.file("t.csv", ROWS).plan(&format!(
        "input t from \"t.csv\"\ntable u from t\n{steps}\n  drop remark is blank and no != 3\n\
         output u to \"u.csv\"\n"
    ));
    folder.run().code(0);
    folder.read("u.csv")
}

#[test]
fn patterns_find_take_out_and_replace() {
    assert_eq!(
        worked(
            "  add found = matches(remark, \"M[0-9]+\")\n      order = extract(remark, \"M[0-9]{2,}\")\n      \
             digits = extract(remark, \"M([0-9]+)$\")\n      word = extract(remark, \"^(x)?[\\\\p{L}]+\")\n  columns no, found, order, digits, word, remark"
        ),
        "no,found,order,digits,word,remark\n1,true,M0000178,,,\"refund for M0000178, late\"\n\
         2,false,,,,no number\n3,,,,,\n4,true,M12,13,,M12 and M13\n5,false,,,,$5 off\n6,true,,7,,caf\u{e9} M7\n"
    );
    assert_eq!(
        worked(
            "  add a = replace_pattern(remark, \"M0*([0-9]+)\", \"no. $1\")\n      \
             b = replace_pattern(remark, \"[^0-9]\", \"\")\n      c = replace_pattern(remark, \"([0-9])\", \"$$$1\")\n  columns no, a, b, c, remark"
        ),
        "no,a,b,c,remark\n\
         1,\"refund for no. 178, late\",0000178,\"refund for M$0$0$0$0$1$7$8, late\",\"refund for M0000178, late\"\n\
         2,no number,,no number,no number\n3,,,,\n4,no. 12 and no. 13,1213,M$1$2 and M$1$3,M12 and M13\n\
         5,$5 off,5,$$5 off,$5 off\n6,caf\u{e9} no. 7,7,caf\u{e9} M$7,caf\u{e9} M7\n"
    );
}

#[test]
fn a_wrong_pattern_is_told_with_its_place_before_any_row_is_read() {
    let folder = Folder::new();
    let wrong = |call: &str, says: &str, helps: &str| {
        folder
            .plan(&format!("input t from \"none.csv\"\n  read no as integer\n  add x = {call}\n"));
        folder.file("none.csv", ROWS);
        folder.granum(&["check", "p.granum"]).code(2).complains(says).complains(helps);
    };
    wrong(
        "matches(remark, \"M([0-9]+\")",
        "this is no pattern: unclosed group, at letter 2: ([0-9]+",
        "behind \\\\",
    );
    wrong(
        "matches(remark, \"\u{e9}*[z-a]\")",
        "invalid character class range",
        "at letter 4: z-a]",
    );
    wrong("matches(remark, \"a{3\")", "at letter 2: {3", "behind");
    wrong(
        "matches(remark, \"(\\\\w{99}){99}{99}\")",
        "this is no pattern: it is too large",
        "behind",
    );
    wrong(
        "matches(remark, \"\\\\p{Nonsense}\")",
        "this is no pattern: Unicode property not found",
        "at letter 1",
    );
    wrong("matches(remark, \"a\\d\")", "this escape is not known", "\\\\");
    wrong(
        "extract(remark, remark)",
        "the pattern is written out",
        "matches(remark, \"M[0-9]{7}\")",
    );
    wrong("extract(no, \"1\")", "this is integer, but text is needed", "t");
    wrong(
        "replace_pattern(remark, \"(a)\", \"x$2\")",
        "at letter 2, this `$` names no group",
        "has one group, $1",
    );
    wrong(
        "replace_pattern(remark, \"a\", \"5$\")",
        "at letter 2, this `$`",
        "the pattern has no group",
    );
    wrong("replace_pattern(remark, \"(a)(b)\", \"$x\")", "this `$` names no group", "has $1 to $2");
    wrong(
        "replace_pattern(remark, \"a\", remark)",
        "is replaced by is written out",
        "replace(text, what, by)",
    );
    wrong("regexp_replace(remark, \"a\", \"\")", "no function called", "replace_pattern(");
}

#[test]
fn the_hour_and_the_minute_of_a_moment() {
    let folder = Folder::new();
    folder
        .file("t.csv", "at,said\n2026-03-01T23:59:59.999999,1.3.26 7:05\n1969-12-31 00:00:30,\n,1.3.26 0:00\n")
        .plan(
            "input t from \"t.csv\"\n  add h = hour(at), m = minute(at)\n      \
             own = datetime(said, \"%d.%m.%y %H:%M\")\n      early = hour(own) < 7\n  columns h, m, own, early\n\
             table u from t\noutput u to \"u.csv\"\n",
        );
    folder.run().code(0);
    assert_eq!(
        folder.read("u.csv"),
        "h,m,own,early\n23,59,2026-03-01T07:05:00,false\n0,0,,\n,,2026-03-01T00:00:00,true\n"
    );
    folder.plan("input t from \"t.csv\"\n  add h = hour(date(at))\n");
    folder
        .granum(&["check", "p.granum"])
        .code(2)
        .complains("this is date, but a datetime is needed");
    folder.plan("input t from \"t.csv\"\n  add h = datetime(said, \"%d.%Q\")\n");
    folder.granum(&["check", "p.granum"]).code(2).complains("this format does not say");
}
