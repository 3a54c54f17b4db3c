//! The grammar by which editors colour plans, in the form that many take: made from the lexer's own lists, and held to
//! what the lexer reads.

use std::fs;
use std::path::{Path, PathBuf};

use regex::Regex;
use serde_json::{Value, json};

use crate::lang::lexer::{HARD_WORDS, lex};
use crate::lang::parse::cursor::{STATEMENTS, TYPES};
use crate::lang::step::STEPS;
use crate::lang::token::TokenKind;
use crate::lang::{Statement, StatementKind, StepTree, parse};

const VALUES: [&str; 3] = ["true", "false", "blank"];

/// A word or several as a pattern.
fn one_of<'a>(words: impl Iterator<Item = &'a str>) -> String {
    words.collect::<Vec<_>>().join("|")
}

/// The grammar as it stands in `docs/editors`.
fn grammar() -> Value {
    let rule =
        |name: &str, pattern: String| json!({"name": format!("{name}.granum"), "match": pattern});
    let word = |words: String| format!("\\b(?:{words})\\b");
    let others =
        HARD_WORDS.iter().filter(|word| !STATEMENTS.contains(word) && !VALUES.contains(word));
    let (types, steps) = (one_of(TYPES.iter().copied()), one_of(STEPS.iter().copied()));
    let name = "[\\p{L}_][\\p{L}\\p{N}_]*";
    json!({
        "name": "Granum",
        "scopeName": "source.granum",
        "fileTypes": ["granum"],
        "patterns": [
            rule("comment.line.number-sign", "#.*$".into()),
            {"name": "string.quoted.triple.granum", "begin": "\"\"\"", "end": "^\\s*\"\"\"", "patterns": []},
            {"name": "string.quoted.double.granum", "begin": "\"", "end": "\"|$", "patterns": [
                rule("constant.character.escape", "\\\\.".into()),
                rule("variable.parameter", "\\{[^{}\"]*\\}".into()),
            ]},
            rule("variable.other.quoted", "`(?:``|[^`])*`?".into()),
            rule("constant.numeric", "\\b[0-9][0-9_]*(?:\\.[0-9][0-9_]*)?\\b".into()),
            {"match": format!("^\\s*({steps})\\b"), "captures": {"1": {"name": "keyword.other.step.granum"}}},
            {"match": format!("\\b(as)\\s+({types})\\b"), "captures": {
                "1": {"name": "keyword.operator.word.granum"}, "2": {"name": "support.type.granum"}}},
            {"match": format!("\\b(param)\\s+({name})\\s+({types})\\b"), "captures": {
                "1": {"name": "keyword.control.granum"}, "2": {"name": "variable.parameter.granum"},
                "3": {"name": "support.type.granum"}}},
            rule("constant.language", word(one_of(VALUES.into_iter()))),
            rule("keyword.control", word(one_of(STATEMENTS.iter().copied()))),
            rule("keyword.operator.word", word(one_of(others.copied()))),
            {"match": format!("({name})\\s*\\("), "captures": {"1": {"name": "entity.name.function.granum"}}},
            rule("variable.other", name.into()),
            rule("keyword.operator", "\\?\\?|!=|<=|>=|[=<>+*/&%:-]".into()),
        ],
    })
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

#[test]
fn the_grammar_for_editors_is_made_of_the_language_s_own_words() {
    let path = root().join("docs/editors/granum.tmLanguage.json");
    let made = serde_json::to_string_pretty(&grammar()).unwrap() + "\n";
    if std::env::var_os("GRANUM_WRITE_GRAMMAR").is_some() {
        fs::write(&path, &made).unwrap();
    }
    let there = fs::read_to_string(&path).unwrap();
    assert!(there == made, "write it anew:  scripts/grammar.sh");
}

/// A rule as an editor follows it.
struct Rule {
    name: String,
    begin: Regex,
    /// Of a rule that goes on to its end.
    end: Option<Regex>,
    captures: Vec<(usize, String)>,
    inner: Vec<Rule>,
}

fn rules(patterns: &Value) -> Vec<Rule> {
    let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
    let rule = |rule: &Value| Rule {
        name: text(&rule["name"]),
        begin: Regex::new(rule["match"].as_str().or(rule["begin"].as_str()).unwrap()).unwrap(),
        end: rule["end"].as_str().map(|end| Regex::new(end).unwrap()),
        captures: rule["captures"]
            .as_object()
            .into_iter()
            .flatten()
            .map(|(at, of)| (at.parse().unwrap(), text(&of["name"])))
            .collect(),
        inner: rule["patterns"].as_array().map_or(vec![], |_| rules(&rule["patterns"])),
    };
    patterns.as_array().unwrap().iter().map(rule).collect()
}

/// The name of each byte's colour, line by line as an editor works: of rules the one that matches first, of those that
/// match at one place the one that stands first.
fn coloured(text: &str, rules: &[Rule]) -> Vec<String> {
    let mut colours = vec![String::new(); text.len()];
    let mut open: Option<&Rule> = None;
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        let line = line.trim_end_matches('\n');
        let mut at = 0;
        while at <= line.len() {
            let among = open.map_or(rules, |rule| &rule.inner);
            let first = among
                .iter()
                .filter_map(|rule| Some((rule.begin.captures_at(line, at)?, rule)))
                .min_by_key(|(found, _)| found.get(0).unwrap().start());
            let end = open.and_then(|rule| rule.end.as_ref()?.find_at(line, at));
            let begins = first.as_ref().map(|(found, _)| found.get(0).unwrap().start());
            if let (Some(rule), Some(end)) = (open, end)
                && begins.is_none_or(|begins| end.start() <= begins)
            {
                colours[start + at..start + end.end()].fill(rule.name.clone());
                (open, at) = (None, end.end());
                continue;
            }
            let Some((found, rule)) = first else { break };
            let all = found.get(0).unwrap();
            if let Some(around) = open {
                colours[start + at..start + all.start()].fill(around.name.clone());
            }
            colours[start + all.start()..start + all.end()].fill(rule.name.clone());
            for (group, name) in &rule.captures {
                let part = found.get(*group).unwrap();
                colours[start + part.start()..start + part.end()].fill(name.clone());
            }
            at = all.end();
            if rule.end.is_some() {
                open = Some(rule);
            }
        }
        if let Some(rule) = open {
            colours[start + at.min(line.len())..start + line.len()].fill(rule.name.clone());
        }
        start += line.len() + 1;
    }
    colours
}

/// What a token's colours begin with.
fn wanted(kind: &TokenKind, hard: bool) -> &'static [&'static str] {
    match kind {
        TokenKind::Word(word) if VALUES.contains(&word.as_str()) => &["constant.language."],
        TokenKind::Word(word) if STATEMENTS.contains(&word.as_str()) => &["keyword.control."],
        TokenKind::Word(_) if hard => &["keyword.operator.word."],
        TokenKind::Word(_) => {
            &["variable.", "entity.name.function.", "support.type.", "keyword.other.step."]
        }
        TokenKind::Quoted(_) => &["variable.other.quoted."],
        TokenKind::Text(_) => {
            &["string.quoted.double.", "constant.character.escape.", "variable.parameter."]
        }
        TokenKind::Block(_) => &["string.quoted.triple."],
        TokenKind::Number { .. } => &["constant.numeric."],
        TokenKind::Sign("(" | ")" | "," | ".") => &[""],
        TokenKind::Sign(_) => &["keyword.operator."],
        TokenKind::End => &[],
    }
}

/// The steps of a statement.
fn steps(statement: &Statement) -> &[StepTree] {
    match &statement.kind {
        StatementKind::Input(input) => &input.steps,
        StatementKind::Table(table) => &table.steps,
        _ => &[],
    }
}

/// Asserts that a plan is coloured as it is read.
fn as_read(name: &str, text: &str, rules: &[Rule]) {
    let colours = coloured(text, rules);
    let lexed = lex(text, 0);
    for token in &lexed.tokens {
        let span = token.span;
        let hard =
            matches!(&token.kind, TokenKind::Word(word) if HARD_WORDS.contains(&word.as_str()));
        let wanted = wanted(&token.kind, hard);
        // Line ends have no colour of their own.
        let own = (span.start..span.end).filter(|at| text.as_bytes()[*at] != b'\n');
        for at in own {
            let colour = &colours[at];
            let as_wanted = wanted.iter().any(|wanted| colour.starts_with(wanted));
            assert!(
                as_wanted,
                "{name}: `{}` is {colour:?}, not {wanted:?}",
                &text[span.start..span.end]
            );
        }
    }
    for comment in &lexed.comments {
        assert!(colours[comment.span.start].starts_with("comment."), "{name}: {}", comment.text);
    }
    for step in parse(text).tree.statements.iter().flat_map(steps) {
        let colour = &colours[step.span.start];
        let line = text[..step.span.start].rsplit('\n').next().unwrap_or_default();
        // A step in the middle of a line is one that nobody's layout has.
        let begins = line.trim().is_empty();
        assert!(
            !begins || colour == "keyword.other.step.granum",
            "{name}: {colour} of {}",
            &text[step.span.start..step.span.end]
        );
    }
}

/// The plans of a folder and those below.
fn plans(folder: &Path, found: &mut Vec<(String, String)>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            plans(&path, found);
        } else if path.extension().is_some_and(|ending| ending == "granum") {
            found.push((path.display().to_string(), fs::read_to_string(&path).unwrap()));
        }
    }
}

#[test]
fn every_example_plan_is_coloured_as_it_is_read() {
    let grammar = grammar();
    let rules = rules(&grammar["patterns"]);
    let mut all = vec![];
    plans(&root().join("examples"), &mut all);
    plans(&root().join("crates/granum-demo/plans"), &mut all);
    for page in ["README.md", "docs/cookbook.md", "docs/guide.md", "docs/language.md"] {
        let text = fs::read_to_string(root().join(page)).unwrap();
        let blocks = text.split("```granum\n").skip(1).filter_map(|part| part.split("```").next());
        all.extend(blocks.map(|block| (page.to_owned(), block.to_owned())));
    }
    assert!(all.len() > 30, "only {} plans were found", all.len());
    for (name, text) in &all {
        as_read(name, text, &rules);
    }
    let odd = "# \"not\" a text `nor` a name\nparam is_text text = \"a \\\" {k} # no comment\"\n\
               table t from `plan ``x`` #1` # why\n  add plan_no = 1_000.50 + text(as_is) ?? blank\n  keep net >= -1 and not (in_all in (1, 2))\n\
               input rows from \"\"\"\n  k,plan\n  \"a\"\"\"\"b\",1\n  \"\"\"\n  read k as decimal(2)\n";
    as_read("odd", odd, &rules);
}
