//! An editor that is served: over its pipes, as an editor would.

use std::io::{BufRead, BufReader, Read, Write};
use std::path::PathBuf;
use std::process::{Child, ChildStdin, ChildStdout, Stdio};

use insta::assert_snapshot;
use serde_json::{Value, json};

use super::folder::Folder;

/// An editor with one plan open.
struct Editor {
    child: Child,
    to: Option<ChildStdin>,
    from: BufReader<ChildStdout>,
    next: u64,
    uri: String,
    text: String,
    /// All that was said on both sides.
    said: String,
}

impl Editor {
    fn open(folder: &Folder, text: &str) -> Self {
        let mut command = folder.command(&["serve"]);
        let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
        let to = child.stdin.take();
        let from = BufReader::new(child.stdout.take().unwrap());
        let path: PathBuf = folder.path().join("p.granum");
        let uri = format!("file://{}", path.display());
        let mut editor =
            Self { child, to, from, next: 0, uri, text: text.into(), said: String::new() };
        let hello = editor.ask("initialize", json!({"capabilities": {}}));
        assert_eq!(hello["serverInfo"]["name"], "granum");
        editor.tell("initialized", json!({}));
        let own = json!({"uri": editor.uri, "languageId": "granum", "version": 1, "text": text});
        editor.tell("textDocument/didOpen", json!({"textDocument": own}));
        editor
    }

    fn write(&mut self, message: &Value) {
        let text = message.to_string();
        self.said.push_str(&format!("> {}\n", message.to_string().replace(&self.uri, "PLAN")));
        let to = self.to.as_mut().unwrap();
        write!(to, "Content-Length: {}\r\n\r\n{text}", text.len()).unwrap();
        to.flush().unwrap();
    }

    fn read(&mut self) -> Value {
        let mut length = 0;
        loop {
            let mut line = String::new();
            assert!(self.from.read_line(&mut line).unwrap() > 0, "the server went away");
            match line.trim().strip_prefix("Content-Length: ") {
                Some(own) => length = own.parse().unwrap(),
                None if line.trim().is_empty() => break,
                None => {}
            }
        }
        let mut bytes = vec![0; length];
        self.from.read_exact(&mut bytes).unwrap();
        let message: Value = serde_json::from_slice(&bytes).unwrap();
        self.said.push_str(&format!("< {}\n", message.to_string().replace(&self.uri, "PLAN")));
        message
    }

    fn tell(&mut self, method: &str, params: Value) {
        self.write(&json!({"jsonrpc": "2.0", "method": method, "params": params}));
    }

    fn answer(&mut self, method: &str, params: Value) -> Value {
        self.next += 1;
        self.write(&json!({"jsonrpc": "2.0", "id": self.next, "method": method, "params": params}));
        loop {
            let message = self.read();
            if message["id"] == self.next {
                return message;
            }
        }
    }

    fn ask(&mut self, method: &str, params: Value) -> Value {
        let answer = self.answer(method, params);
        assert!(answer["error"].is_null(), "{answer}");
        answer["result"].clone()
    }

    /// What is wrong with the plan now.
    fn wrong(&mut self) -> Vec<String> {
        loop {
            let message = self.read();
            if message["method"] == "textDocument/publishDiagnostics"
                && message["params"]["uri"] == self.uri
            {
                let all = message["params"]["diagnostics"].as_array().unwrap();
                let line = |one: &Value| {
                    let start = &one["range"]["start"];
                    format!(
                        "{}:{} {}: {}",
                        start["line"],
                        start["character"],
                        one["code"].as_str().unwrap(),
                        one["message"].as_str().unwrap()
                    )
                };
                return all.iter().map(line).collect();
            }
        }
    }

    fn change(&mut self, text: &str) -> Vec<String> {
        self.text = text.into();
        let own = json!({"uri": self.uri, "version": 2});
        let params = json!({"textDocument": own, "contentChanges": [{"text": text}]});
        self.tell("textDocument/didChange", params);
        self.wrong()
    }

    /// The place behind a part of the text; before what follows the sign `|`.
    fn at(&self, part: &str) -> Value {
        let (before, after) = part.split_once('|').unwrap_or((part, ""));
        let byte = self.text.find(&format!("{before}{after}")).unwrap() + before.len();
        let start = self.text[..byte].rfind('\n').map_or(0, |end| end + 1);
        let line = self.text[..byte].matches('\n').count();
        let character = self.text[start..byte].encode_utf16().count();
        json!({"textDocument": {"uri": self.uri}, "position": {"line": line, "character": character}})
    }

    fn hover(&mut self, part: &str) -> String {
        let at = self.at(part);
        let told = self.ask("textDocument/hover", at);
        told["contents"]["value"].as_str().unwrap_or("nothing").replace('\\', "")
    }

    fn offers(&mut self, part: &str) -> Vec<String> {
        let at = self.at(part);
        let items = self.ask("textDocument/completion", at);
        let label = |item: &Value| item["label"].as_str().unwrap().to_owned();
        items.as_array().unwrap().iter().map(label).collect()
    }

    /// The texts that stand at some places.
    fn texts(&self, places: &Value) -> Vec<String> {
        let own = |place: &Value| {
            let line = self
                .text
                .lines()
                .nth(place["range"]["start"]["line"].as_u64().unwrap() as usize)
                .unwrap();
            line.trim().to_owned()
        };
        places.as_array().unwrap().iter().map(own).collect()
    }

    /// The text with an answer's edits in it.
    fn edited(&self, edit: &Value) -> String {
        let mut lines: Vec<String> = self.text.lines().map(str::to_owned).collect();
        let mut edits = edit["documentChanges"][0]["edits"].as_array().unwrap().clone();
        edits.sort_by_key(|edit| {
            std::cmp::Reverse((
                edit["range"]["start"]["line"].as_u64(),
                edit["range"]["start"]["character"].as_u64(),
            ))
        });
        for edit in edits {
            let range = &edit["range"];
            let line = &mut lines[range["start"]["line"].as_u64().unwrap() as usize];
            let place = |end: &str| range[end]["character"].as_u64().unwrap() as usize;
            let units: Vec<u16> = line.encode_utf16().collect();
            let part = |units: &[u16]| String::from_utf16(units).unwrap();
            *line = part(&units[..place("start")])
                + edit["newText"].as_str().unwrap()
                + &part(&units[place("end")..]);
        }
        lines.join("\n") + "\n"
    }

    fn renamed(&mut self, part: &str, new: &str) -> String {
        let mut params = self.at(part);
        params["newName"] = new.into();
        let edit = self.ask("textDocument/rename", params);
        self.edited(&edit)
    }

    fn end(mut self) -> String {
        self.ask("shutdown", Value::Null);
        self.tell("exit", Value::Null);
        drop(self.to.take());
        assert!(self.child.wait().unwrap().success());
        self.said.clone()
    }
}

impl Drop for Editor {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// The same without the day of the last run.
fn dayless(text: &str) -> String {
    let parts: Vec<&str> = text.split("(last.json, ").collect();
    let rest = parts[1..].iter().map(|part| format!("(last.json, DAY{}", &part[10..]));
    parts[0].to_owned() + &rest.collect::<String>()
}

const PLAN: &str = r#"plan "Repairs \u00e9"
param least decimal(2) = 1.00

input jobs from "jobs.csv"
  read price as decimal(2)
  add net = price - 0.50 # größer
  grain job_no
  track net
input bills from "bills.csv"
  read amount as decimal(2)

link bills to jobs on job_no complete

table billed from jobs
  keep net > least and has(bills)
  add paid = sum(bills.amount where amount > least)
      name = upper(trim(kind))

check "all": sum(billed.paid) >= sum(billed.net)
output billed to "out/{least}.csv"

example "one"
  with jobs """
    job_no,kind,price
    J1,a,2.00
    """
  gives jobs """
    job_no,net
    J1,1.50
    """
"#;

fn repairs() -> (Folder, String) {
    let folder = Folder::new();
    folder.file("jobs.csv", "job_no,kind,price\nJ1, a ,2.00\nJ2,b,3.00\n");
    folder.file("bills.csv", "job_no,amount\nJ1,5.00\nJ2,5.00\n");
    let plan = PLAN.replace("\\u00e9", "\u{e9}");
    folder.plan(&plan);
    (folder, plan)
}

#[test]
fn what_is_wrong_is_told_while_it_is_written_with_what_mends_it() {
    let (folder, plan) = repairs();
    let mut editor = Editor::open(&folder, &plan);
    assert_eq!(editor.wrong(), [""; 0]);
    let wrong = editor.change(&plan.replace("keep net", "keep nett"));
    assert_eq!(
        wrong,
        ["14:7 unknown-name: `billed` has no column called `nett`\ndid you mean `net`?"]
    );
    let mut params = editor.at("keep |nett");
    params["range"] = json!({"start": params["position"], "end": params["position"]});
    params["context"] = json!({"diagnostics": []});
    let actions = editor.ask("textDocument/codeAction", params);
    assert_eq!(actions[0]["title"], "Write `net`");
    assert_eq!(editor.edited(&actions[0]["edit"]), plan);
    assert_eq!(editor.change(&plan.replace("table billed", "tabel billed")).len(), 1);
    let wrong = editor.change(&plan.replace("bills.csv", "bill.csv"));
    assert!(
        wrong[0].starts_with("8:17 unknown-name: bill.csv: there is no such file"),
        "{wrong:?}"
    );
    assert_eq!(editor.change(&plan), [""; 0]);
    // A key of another type has the `read` that mends it.
    folder.file("bills.csv", "job_no,amount\n1,5.00\n");
    editor.tell("textDocument/didSave", json!({"textDocument": {"uri": editor.uri}}));
    let wrong = editor.wrong();
    assert!(wrong[0].ends_with("in the input of `bills`:  read job_no as text"), "{wrong:?}");
    let mut params = editor.at("link bills to jobs on |job_no");
    params["range"] = json!({"start": params["position"], "end": params["position"]});
    params["context"] = json!({"diagnostics": []});
    let actions = editor.ask("textDocument/codeAction", params);
    assert_eq!(actions[0]["title"], "In `bills`: read job_no as text");
    let mended = editor.edited(&actions[0]["edit"]);
    assert_eq!(editor.change(&mended), [""; 0]);
    // Files that changed are seen when the plan is saved.
    folder.file("jobs.csv", "job_no,kind,cost\n");
    let own = json!({"textDocument": {"uri": editor.uri}});
    editor.tell("textDocument/didSave", own);
    assert!(editor.wrong()[0].contains("`jobs` has no column called `price`"));
    editor.end();
}

#[test]
fn a_name_tells_what_it_is_and_what_the_last_run_found() {
    let (folder, plan) = repairs();
    folder.file("bills.csv", "job_no,amount\nJ1,5.00\n J2,5.00\n");
    folder.granum(&["run", "p.granum", "-q", "--record", "last.json"]).code(1);
    let mut editor = Editor::open(&folder, &plan);
    let names = [
        "table bill|ed",
        "from jo|bs",
        "input bil|ls",
        "keep n|et",
        "sum(bills.am|ount",
        "net > le|ast",
        "upp|er(",
        "# gr",
    ];
    let told: Vec<String> =
        names.iter().map(|name| format!("{name}\n{}\n", editor.hover(name))).collect();
    assert_snapshot!(dayless(&told.join("\n")));
    // A mend that the run measured is offered where the link stands.
    let mut params = editor.at("link bills to jobs on |job_no");
    params["range"] = json!({"start": params["position"], "end": params["position"]});
    params["context"] = json!({"diagnostics": []});
    let actions = editor.ask("textDocument/codeAction", params);
    assert_eq!(
        dayless(actions[0]["title"].as_str().unwrap()),
        "Link on trim(job_no) = job_no: 1 row more, by the last run (last.json, DAY, just now)"
    );
    let mended = editor.edited(&actions[0]["edit"]);
    folder.plan(&mended);
    folder.granum(&["run", "p.granum"]).code(0);
    editor.end();
}

#[test]
fn names_are_offered_where_they_fit() {
    let (folder, plan) = repairs();
    let mut editor = Editor::open(&folder, &plan);
    editor.change(&format!("{plan}\ntable more from \n  \n  add x = bills.\ncheck sum(billed.\n  read y as \n# tab\n\"te\nta"));
    assert_eq!(editor.offers("table more from "), ["jobs", "bills", "billed"]);
    assert_eq!(editor.offers("add x = bills."), ["amount", "job_no", "jobs"]);
    assert!(editor.offers("\nta|").contains(&"table".to_owned()));
    assert_eq!(editor.offers("# tab"), [""; 0]);
    assert_eq!(editor.offers("\"te"), [""; 0]);
    assert!(editor.offers("read y as ").contains(&"decimal".to_owned()));
    assert!(editor.offers("check sum(billed.").contains(&"paid".to_owned()));
    let offers = editor.offers("keep |net");
    for name in ["net", "price", "bills", "least", "upper", "sum"] {
        assert!(offers.contains(&name.to_owned()), "{name} in {offers:?}");
    }
    assert_eq!(editor.offers("sum(bills.|amount"), ["amount", "job_no", "jobs"]);
    assert!(editor.offers("\n  |read price").contains(&"dedupe".to_owned()));
    editor.end();
}

#[test]
fn a_name_is_found_and_becomes_another_everywhere() {
    let (folder, plan) = repairs();
    let mut editor = Editor::open(&folder, &plan);
    let at = editor.at("keep n|et");
    let made = editor.ask("textDocument/definition", at.clone());
    assert_eq!(editor.texts(&json!([made])), ["add net = price - 0.50 # größer"]);
    let mut params = at.clone();
    params["context"] = json!({"includeDeclaration": true});
    let uses = editor.ask("textDocument/references", params);
    assert_eq!(
        editor.texts(&uses),
        [
            "add net = price - 0.50 # größer",
            "track net",
            "keep net > least and has(bills)",
            "check \"all\": sum(billed.paid) >= sum(billed.net)",
            "job_no,net"
        ]
    );
    // A column of files leads to its input, and has its name from there.
    let at = editor.at("trim(ki|nd");
    let made = editor.ask("textDocument/definition", at.clone());
    assert_eq!(editor.texts(&json!([made])), ["input jobs from \"jobs.csv\""]);
    let refused = editor.answer("textDocument/prepareRename", at);
    assert_eq!(
        refused["error"]["message"],
        "`kind` is what the files call it; a step gives it another name:  rename kind to NEW"
    );
    for (part, new) in [
        ("keep n|et", "net price"),
        ("table bil|led", "done"),
        ("param le|ast", "most"),
        ("from jo|bs", "all jobs"),
        ("add pa|id", "got"),
    ] {
        let text = editor.renamed(part, new);
        folder.plan(&text);
        folder.granum(&["run", "p.granum"]).code(0);
        let times = |text: &str, name: &str| text.matches(name).count();
        assert!(times(&text, new) >= 2, "{text}");
    }
    let mut params = editor.at("keep n|et");
    params["newName"] = "price".into();
    let refused = editor.answer("textDocument/rename", params);
    let why = refused["error"]["message"].as_str().unwrap();
    assert!(why.starts_with("the plan would be wrong: "), "{why}");
    editor.end();
}

#[test]
fn a_conversation() {
    let folder = Folder::new();
    folder.file("a.csv", "k,v\n1,2\n");
    let text = "input a from \"a.csv\"\n  grain k\ntable t from a\n  add w=v*2\n";
    let mut editor = Editor::open(&folder, text);
    editor.wrong();
    let own = json!({"textDocument": {"uri": editor.uri}});
    editor.ask("textDocument/documentSymbol", own.clone());
    let mut formatting = own;
    formatting["options"] = json!({"tabSize": 2, "insertSpaces": true});
    editor.ask("textDocument/formatting", formatting);
    let at = editor.at("table |t");
    editor.ask("textDocument/hover", at);
    let refused = editor.answer("textDocument/rename", json!({"textDocument": {"uri": "file:///no"}, "position": {"line": 0, "character": 0}, "newName": "x"}));
    assert_eq!(refused["error"]["message"], "file:///no is not open");
    editor.answer("granum/none", json!({}));
    editor.tell("textDocument/didClose", json!({"textDocument": {"uri": editor.uri}}));
    editor.read();
    assert_snapshot!(editor.end());
}

#[test]
fn what_is_no_editor_is_told_so() {
    let folder = Folder::new();
    let ran = folder.granum(&["serve"]).code(3);
    assert!(ran.err.contains("standard input and output are for an editor"), "{}", ran.err);
}
