//! Names that may be meant alike: listed, never joined.

use super::folder::Folder;

const SHOPS: &str = "shop,town\nMoss & Fern Ltd.,Oakwell\nLarchfield Gardens,Upper Thorn\nCaf\u{e9} Br\u{f6}kstr\u{f8}m,Oakwell\n\
    Hollis Fernacre,Oakwell\nBrim Nurseries,Mill\nQuite Another,Hill\nMoss & Fern Ltd.,Oakwell\n,Mill\nBrim Oakenshade,Hill\nAnsa Elm,Hill\n";
const OWED: &str = "name,owed\nmoss and fern,12\nLarchfeild Gardens,3\nCafe Brokstrom,4\n\"Fernacre, Hollis\",5\nBrim Nurserys,1\n\
    Quite Another,2\nWren Oakenshade,9\nANSA ELM,1\n\"Ansa, Elm\",1\n";

fn folder() -> Folder {
    let folder = Folder::new();
    folder.file("shops.csv", SHOPS).file("owed.csv", OWED);
    folder
}

#[test]
fn names_that_are_written_another_way_are_listed_with_what_tells_them_apart() {
    let folder = folder();
    let call = ["match", "shops.csv", "owed.csv", "--on", "shop=name", "--near"];
    let told = folder.granum(&call).code(0);
    insta::assert_snapshot!("like_names", told.out);
    folder
        .granum(&[&call[..], &["--format", "json"]].concat())
        .code(0)
        .says("\"reason\": \"word-order\"");
    let ran = folder.granum(&[&call[..], &["--to", "map.csv"]].concat()).code(0);
    ran.says("wrote map.csv \u{b7} 5 pairs; left out 1 name with several that are equally like\n");
    assert_eq!(
        folder.read("map.csv"),
        "shop,name\nCaf\u{e9} Br\u{f6}kstr\u{f8}m,Cafe Brokstrom\nMoss & Fern Ltd.,moss and fern\n\
         Hollis Fernacre,\"Fernacre, Hollis\"\nLarchfield Gardens,Larchfeild Gardens\nBrim Nurseries,Brim Nurserys\n"
    );
    // It is a table as any other, and links over it as one.
    folder.plan(
        "input shops from \"shops.csv\"\ninput owed from \"owed.csv\"\n  grain name\ninput map from \"map.csv\"\n  grain shop\n\
         link shops to map on shop blank allowed\nlink map to owed on name complete\ntable t from shops\n  keep shop is not blank\n  \
         add owed = map.owed.owed\noutput t to \"t.csv\"\n",
    );
    folder.run().code(0);
    assert!(folder.read("t.csv").contains("Moss & Fern Ltd.,Oakwell,12\n"));
}

#[test]
fn what_near_cannot_look_at_is_refused() {
    let folder = folder();
    let wrong = |args: &[&str], code: i32, says: &str| {
        folder.granum(&[&["match", "shops.csv"], args].concat()).code(code).complains(says);
    };
    wrong(&["owed.csv", "--near"], 2, "--on <KEY[=KEY]");
    wrong(
        &["owed.csv", "--on", "shop", "--near"],
        3,
        "owed.csv: has no column called `shop`\n  it has name, owed",
    );
    wrong(
        &["owed.csv", "--on", "shop=name,town=owed", "--near"],
        2,
        "one column of names of two files",
    );
    wrong(&["owed.csv", "--on", "shop=name", "--to", "x.csv"], 2, "--near");
    wrong(&["none.csv", "--on", "shop", "--near"], 3, "none.csv: there is no such file");
    wrong(
        &["owed.csv", "--on", "shop=name", "--near", "--to", "owed.csv"],
        3,
        "one of the two files stands there",
    );
    wrong(
        &["owed.csv", "--on", "shop=name", "--near", "--to", "x.ods"],
        3,
        "x.ods: books are not written as .ods",
    );
    folder.file("empty.csv", "name\n");
    folder
        .granum(&["match", "empty.csv", "owed.csv", "--on", "name", "--near"])
        .code(0)
        .says("0 names: 0 are equal as written, 0 of the other 0 are like some of owed.csv");
    let told = folder.granum(&[
        "match",
        "owed.csv",
        "empty.csv",
        "--on",
        "name",
        "--near",
        "--to",
        "n.csv",
    ]);
    told.code(0).says("wrote n.csv \u{b7} 0 pairs");
    assert_eq!(folder.read("n.csv"), "name,name_there\n");
}
