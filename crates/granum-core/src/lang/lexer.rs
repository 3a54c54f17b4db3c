//! Text → tokens and comments. Every byte of the plan belongs to a token, a comment or white space.

use super::diagnostic::{Diagnostic, DiagnosticKind};
use super::foreign;
use super::token::{Comment, Span, Token, TokenKind};

/// Words that cannot be names without backticks.
pub(crate) const HARD_WORDS: &[&str] = &[
    "plan", "use", "param", "input", "table", "link", "check", "warn", "example", "output",
    "chart", "and", "or", "not", "in", "is", "blank", "if", "then", "else", "where", "per", "by",
    "as", "true", "false",
];

/// Whether a name can stand without backticks.
pub(crate) fn is_plain_name(name: &str) -> bool {
    let mut letters = name.chars();
    letters.next().is_some_and(starts_name)
        && letters.all(continues_name)
        && !HARD_WORDS.contains(&name)
}

/// Where a quoted name ends: at the first backtick that is not doubled.
fn closing_backtick(inside: &str) -> Option<usize> {
    let mut at = inside.find('`')?;
    while inside[at + 1..].starts_with('`') {
        at += 2 + inside[at + 2..].find('`')?;
    }
    Some(at)
}

fn starts_name(letter: char) -> bool {
    letter.is_alphabetic() || letter == '_'
}

fn continues_name(letter: char) -> bool {
    letter.is_alphanumeric() || letter == '_'
}

pub(crate) struct Lexed {
    pub tokens: Vec<Token>,
    pub comments: Vec<Comment>,
    pub diagnostics: Vec<Diagnostic>,
}

/// Two-letter signs stand before their first letters.
const SIGNS: &[&str] =
    &["??", "!=", "<=", ">=", "=", "<", ">", "+", "-", "*", "/", "&", "(", ")", ",", ".", ":", "%"];

/// The tokens from byte `start` on; places count from the beginning of the text.
pub(crate) fn lex(text: &str, start: usize) -> Lexed {
    let mut lexer = Lexer {
        text,
        at: start,
        fresh_line: true,
        out: Lexed { tokens: vec![], comments: vec![], diagnostics: vec![] },
    };
    if text[start..].starts_with('\u{feff}') {
        lexer.at += '\u{feff}'.len_utf8();
    }
    while lexer.step() {}
    lexer.out
}

struct Lexer<'a> {
    text: &'a str,
    at: usize,
    fresh_line: bool,
    out: Lexed,
}

/// What is meant by a sign that the language does not have.
fn meant(letter: char) -> &'static str {
    match letter {
        '\u{201c}'..='\u{201f}' | '\u{2018}'..='\u{201b}' | '\u{ab}' | '\u{bb}' => {
            "text stands in plain double quotes:  \""
        }
        '\u{2010}'..='\u{2015}' | '\u{2212}' => "a minus is written  -",
        '\u{d7}' => "write  *",
        '\u{f7}' => "write  /",
        '\u{2264}' => "write  <=",
        '\u{2265}' => "write  >=",
        '\u{2260}' => "write  !=",
        ';' | '{' | '}' => "leave it out: statements and steps end where the next one begins",
        letter if letter.is_control() => "leave it out: nobody sees it",
        _ => "a column's name with other signs stands in backticks",
    }
}

impl Lexer<'_> {
    fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    fn push(&mut self, kind: TokenKind, start: usize) {
        let span = Span { start, end: self.at };
        self.out.tokens.push(Token { kind, span, first_on_line: self.fresh_line });
        self.fresh_line = false;
    }

    fn wrong(&mut self, start: usize, message: &str, help: &str) {
        let span = Span { start, end: self.at.max(start + 1).min(self.text.len()) };
        self.out.diagnostics.push(Diagnostic::new(DiagnosticKind::Token, span, message).help(help));
    }

    /// Takes one token; false at the end.
    fn step(&mut self) -> bool {
        let start = self.at;
        let Some(letter) = self.rest().chars().next() else {
            self.push(TokenKind::End, start);
            return false;
        };
        if letter == '\n' {
            self.at += 1;
            self.fresh_line = true;
        } else if letter.is_whitespace() {
            self.at += letter.len_utf8();
        } else if letter == '#' {
            let end = self.rest().find('\n').map_or(self.text.len(), |line| start + line);
            self.at = end;
            let text = self.text[start..end].trim_end().to_owned();
            let own_line = self.fresh_line;
            self.out.comments.push(Comment { text, span: Span { start, end }, own_line });
        } else if starts_name(letter) {
            let length =
                self.rest().find(|c| !continues_name(c)).unwrap_or(self.text.len() - start);
            self.at += length;
            let word = self.text[start..self.at].to_owned();
            self.push(TokenKind::Word(word), start);
        } else if letter.is_ascii_digit() {
            self.number(start);
        } else if letter == '`' {
            self.quoted_name(start);
        } else if self.rest().starts_with("\"\"\"") {
            self.block(start);
        } else if letter == '"' {
            self.text(start);
        } else if let Some((sign, meant)) =
            foreign::SIGNS.iter().find(|(sign, _)| self.rest().starts_with(*sign))
        {
            self.at += sign.len();
            let message = format!("`{sign}` is written `{meant}` here");
            self.wrong(start, &message, &format!("write  {meant}"));
            let known = SIGNS.iter().find(|known| *known == meant);
            let kind = known
                .map_or_else(|| TokenKind::Word((*meant).into()), |sign| TokenKind::Sign(sign));
            self.push(kind, start);
        } else if let Some(end) = self.apostrophes() {
            let value = self.text[start + 1..end].to_owned();
            self.at = end + 1;
            let help = format!("write  {}", super::quoted(&value));
            self.wrong(start, "text stands in double quotes", &help);
            self.push(TokenKind::Text(value), start);
        } else if let Some(sign) = SIGNS.iter().find(|sign| self.rest().starts_with(**sign)) {
            self.at += sign.len();
            self.push(TokenKind::Sign(sign), start);
        } else {
            self.at += letter.len_utf8();
            let message = format!("`{letter}` is not part of the plan language");
            self.wrong(start, &message, meant(letter));
        }
        true
    }

    /// Where a text in apostrophes ends, if one begins here and ends on the line.
    fn apostrophes(&self) -> Option<usize> {
        let inside = self.rest().strip_prefix('\'')?;
        let end = inside.find(['\'', '\n'])?;
        inside[end..].starts_with('\'').then_some(self.at + 1 + end)
    }

    fn number(&mut self, start: usize) {
        let digits =
            |text: &str| text.find(|c: char| !c.is_ascii_digit() && c != '_').unwrap_or(text.len());
        self.at += digits(self.rest());
        let mut scale = 0;
        let mut decimal = false;
        let mut written = self.text[start..self.at].replace('_', "");
        let after_point = self.rest().strip_prefix('.').unwrap_or("");
        if after_point.starts_with(|c: char| c.is_ascii_digit()) {
            let length = digits(after_point);
            let places = after_point[..length].replace('_', "");
            scale = places.len();
            decimal = true;
            written.push_str(&places);
            self.at += 1 + length;
        }
        if self.rest().starts_with(continues_name) {
            self.at += self.rest().find(|c| !continues_name(c)).unwrap_or(self.rest().len());
            self.wrong(
                start,
                "a name cannot begin with a digit",
                "put it in backticks if it is a column",
            );
            self.push(TokenKind::Quoted(self.text[start..self.at].to_owned()), start);
            return;
        }
        let parsed = written.parse::<i128>().ok().filter(|units| {
            scale <= 37 && units.unsigned_abs() < crate::value::decimal::LIMIT.unsigned_abs()
        });
        if let Some(units) = parsed {
            self.push(TokenKind::Number { units, scale: scale as u8, decimal }, start);
        } else {
            self.wrong(start, "this number is too long", "a number has up to 38 digits");
            self.push(TokenKind::Number { units: 0, scale: 0, decimal: false }, start);
        }
    }

    fn quoted_name(&mut self, start: usize) {
        let inside = &self.text[start + 1..];
        let line = inside.find('\n').unwrap_or(inside.len());
        if let Some(end) = closing_backtick(&inside[..line]) {
            self.at = start + end + 2;
            let name = inside[..end].replace("``", "`");
            if name.is_empty() {
                self.wrong(start, "this name is empty", "write the name between the backticks");
            }
            self.push(TokenKind::Quoted(name), start);
        } else {
            self.at = start + 1 + line;
            let name = inside[..line].trim_end().to_owned();
            self.wrong(start, "this name has no closing backtick", "close it with ` on this line");
            self.push(TokenKind::Quoted(name), start);
        }
    }

    fn text(&mut self, start: usize) {
        let mut value = String::new();
        self.at = start + 1;
        let mut letters = self.text[start + 1..].char_indices();
        while let Some((offset, letter)) = letters.next() {
            self.at = start + 1 + offset + letter.len_utf8();
            match letter {
                '"' => {
                    self.push(TokenKind::Text(value), start);
                    return;
                }
                '\n' => {
                    self.at -= 1;
                    break;
                }
                '\\' => {
                    let next = letters.next();
                    self.at += next.map_or(0, |(_, letter)| letter.len_utf8());
                    match next.map(|(_, letter)| letter) {
                        Some('n') => value.push('\n'),
                        Some('t') => value.push('\t'),
                        Some(same @ ('"' | '\\')) => value.push(same),
                        _ => {
                            let from = start + 1 + offset;
                            self.wrong(
                                from,
                                "this escape is not known",
                                "known are \\\" \\\\ \\n \\t",
                            );
                        }
                    }
                }
                _ => value.push(letter),
            }
        }
        self.wrong(start, "this text has no closing quote", "close it with \" on this line");
        self.push(TokenKind::Text(value), start);
    }

    fn block(&mut self, start: usize) {
        let inside = &self.text[start + 3..];
        let mut offset = 0;
        let mut lines = vec![];
        for (number, line) in inside.split_inclusive('\n').enumerate() {
            if number > 0 && line.trim_start().starts_with("\"\"\"") {
                let lead = line.len() - line.trim_start().len();
                self.at = start + 3 + offset + lead + 3;
                self.push(TokenKind::Block(without_indent(&lines)), start);
                return;
            }
            if number > 0 {
                lines.push(line.trim_end_matches(['\n', '\r']));
            }
            offset += line.len();
        }
        self.at = self.text.len();
        self.wrong(start, "this block is not closed", "close it with \"\"\" alone on a line");
        self.push(TokenKind::Block(without_indent(&lines)), start);
    }
}

/// The lines of a block without the indent that all of them share.
fn without_indent(lines: &[&str]) -> String {
    let indent = lines
        .iter()
        .filter(|line| !line.trim().is_empty())
        .map(|line| line.len() - line.trim_start().len())
        .min()
        .unwrap_or(0);
    let mut text = String::new();
    for line in lines {
        text.push_str(line.get(indent..).unwrap_or(""));
        text.push('\n');
    }
    text
}
