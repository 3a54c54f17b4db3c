//! Moments with an offset from UTC, read by the clock of a place.

use super::folder::Folder;

const ROWS: &str = "no,sent_at,own\n1,2026-03-01T23:30:00Z,2026-03-29 02:30\n2,2026-03-02T08:00:00Z,2026-10-25 02:30\n\
                    3,2026-07-01T22:30:00Z,2026-07-01 22:30\n4,2026-07-01T12:30:00+02:00,\n5,2026-10-25T00:30:00Z,\n";

fn plan(folder: &Folder, read: &str) {
    folder.file("o.csv", ROWS).plan(&format!(
        "input o from \"o.csv\"\n  read {read}\n  add day = date(sent_at)\n  columns no, sent_at, day\n\
         output o to \"out.csv\"\n"
    ));
}

#[test]
fn the_clock_of_a_place_decides_the_day() {
    let folder = Folder::new();
    plan(
        &folder,
        "sent_at as datetime zone \"Europe/Berlin\"\n       own     as datetime zone \"Europe/Berlin\"",
    );
    folder.run().code(0).says(
        "  sent_at: 1 cell is in an hour that the clock showed twice: \"2026-10-25T00:30:00Z\" (o.csv line 6)\n  \
         own: 1 cell is in an hour that the clock showed twice, 1 cell is in an hour that the clock never\n    \
         showed: \"2026-03-29 02:30\" (o.csv line 2), \"2026-10-25 02:30\" (o.csv line 3)\n",
    );
    assert_eq!(
        folder.read("out.csv"),
        "no,sent_at,day\n1,2026-03-02T00:30:00,2026-03-02\n2,2026-03-02T09:00:00,2026-03-02\n\
         3,2026-07-02T00:30:00,2026-07-02\n4,2026-07-01T12:30:00,2026-07-01\n5,2026-10-25T02:30:00,2026-10-25\n"
    );
    folder.granum(&["fmt", "p.granum"]).code(0);
    assert!(
        folder
            .read("p.granum")
            .contains("  read sent_at as datetime zone \"Europe/Berlin\"\n       own     as")
    );
    folder.granum(&["check", "p.granum", "--format", "json"]).code(0).says("\"never\": 1");
    plan(&folder, "sent_at as datetime zone \"America/New_York\" else aside");
    folder.run().code(0);
    assert!(folder.read("out.csv").contains("\n1,2026-03-01T18:30:00,2026-03-01\n"));
}

#[test]
fn an_offset_without_a_zone_is_an_error_that_says_what_to_write() {
    let folder = Folder::new();
    for ty in ["date", "datetime"] {
        plan(&folder, &format!("sent_at as {ty}"));
        folder.run().code(1).says(
            "    they have an offset from UTC; say by whose clock they are read:  read sent_at as datetime zone \"UTC\"",
        );
    }
    let wrong = |read: &str, says: &str, helps: &str| {
        plan(&folder, read);
        folder.granum(&["check", "p.granum"]).code(2).complains(says).complains(helps);
    };
    wrong(
        "sent_at as datetime zone \"Europe/Berln\"",
        "no zone called \"Europe/Berln\"",
        "did you mean \"Europe/Berlin\"?",
    );
    wrong(
        "sent_at as datetime zone \"new_york\"",
        "no zone called",
        "did you mean \"America/New_York\"?",
    );
    wrong(
        "sent_at as datetime zone \"local\"",
        "no zone called \"local\"",
        "zones are called by a place",
    );
    wrong(
        "sent_at as date zone \"UTC\"",
        "a zone belongs to a datetime, and this is date",
        "date(COLUMN)",
    );
    wrong("sent_at as datetime \"%d.%m.%Y %z\"", "is read by the clock of a zone", "zone \"UTC\"");
    wrong("sent_at as datetime \"%z\" zone \"UTC\"", "this format does not say a datetime", "%z");
    folder.file("o.csv", "sent_at\n01.03.2026 22:30 +0000\nx\n").plan(
        "input o from \"o.csv\"\n  read sent_at as datetime \"%d.%m.%Y %H:%M %z\" zone \"Europe/Berlin\" else blank\noutput o to \"out.csv\"\n",
    );
    folder.run().code(0);
    assert_eq!(folder.read("out.csv"), "sent_at\n2026-03-01T23:30:00\n\"\"\n");
}

#[test]
fn a_survey_proposes_a_zone_and_says_how_many_rows_change_their_day() {
    let folder = Folder::new();
    folder.file("o.csv", ROWS);
    folder
        .granum(&["survey", "o.csv"])
        .code(0)
        .says("by the clock of UTC 0, Europe/Berlin 2, America/New_York 1\n")
        .says("write  read sent_at as datetime zone \"UTC\"\n");
    folder.file("b.csv", "no,at\n1,2026-03-01T23:30:00+01:00\n2,2026-07-01T23:30:00+02:00\n3,2026-07-01T23:30:00Z\n4,2026-08-01T01:30:00+0200\n");
    let drafted = folder.granum(&["draft", "b.csv"]).code(0);
    assert!(
        drafted.out.contains("  read at as datetime zone \"Europe/Berlin\"\n"),
        "{}",
        drafted.out
    );
    folder.granum(&["survey", "b.csv"]).says("by the clock of Europe/Berlin 1\n");
    // Beside days, or without a clock, there is nothing to propose.
    folder.file("c.csv", "no,at\n1,2026-03-01T23:30:00+01:00\n2,2026-07-01\n");
    let told = folder.granum(&["survey", "c.csv"]).code(0);
    assert!(!told.out.contains("zone"), "{}", told.out);
}
