//! Expressions, by levels of binding.

use super::super::diagnostic::{Diagnostic, DiagnosticKind};
use super::super::terms::{Clauses, Expr, ExprKind, GroupTree, Name, Operator, OrderTree, Over};
use super::super::token::TokenKind;
use super::cursor::{Found, Parser};

/// Brackets, `if` and signs may be nested this deep; deeper is an error, not a full stack.
const DEEPEST: usize = 64;

/// Longer chains of operators are refused: the tree they make is as deep as they are long.
const MOST_TERMS: usize = 500;

const OPERATORS: &[(Operator, u8)] = &[
    (Operator::Or, 1),
    (Operator::And, 2),
    (Operator::Equal, 4),
    (Operator::Unequal, 4),
    (Operator::Less, 4),
    (Operator::LessEqual, 4),
    (Operator::Greater, 4),
    (Operator::GreaterEqual, 4),
    (Operator::OrElse, 5),
    (Operator::Join, 6),
    (Operator::Add, 7),
    (Operator::Subtract, 7),
    (Operator::Multiply, 8),
    (Operator::Divide, 8),
];

const OR: u8 = 1;
const NOT: u8 = 3;
const COMPARES: u8 = 4;
const OR_ELSE: u8 = 5;

impl Parser {
    /// A whole expression.
    pub(in crate::lang) fn expression(&mut self) -> Found<Expr> {
        if self.depth == 0 {
            self.terms = 0;
        }
        self.level(OR)
    }

    /// An expression without comparison: a key.
    pub(in crate::lang) fn key(&mut self) -> Found<Expr> {
        self.terms = 0;
        self.level(OR_ELSE)
    }

    fn operator_at(&self, level: u8) -> Option<Operator> {
        OPERATORS.iter().filter(|(_, at)| *at == level).map(|(op, _)| *op).find(|op| {
            match self.peek() {
                TokenKind::Sign(sign) => *sign == op.sign(),
                TokenKind::Word(word) => word == op.sign(),
                _ => false,
            }
        })
    }

    fn level(&mut self, level: u8) -> Found<Expr> {
        if level == NOT {
            return self.negation();
        }
        if level == COMPARES {
            return self.comparison();
        }
        if level > 8 {
            return self.signed();
        }
        // A bracketed operand's own span begins after the bracket.
        let opened = self.span();
        let mut left = self.level(level + 1)?;
        let mut bracketed = left.span.start != opened.start;
        while let Some(op) = self.operator_at(level) {
            let sign = self.span();
            self.advance();
            let right_opened = self.span();
            let right = self.level(level + 1)?;
            let right_bracketed = right.span.start != right_opened.start;
            if op == Operator::OrElse
                && ((!bracketed && binds_tighter(&left))
                    || (!right_bracketed && binds_tighter(&right)))
            {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Syntax,
                        sign,
                        "`??` beside `& + - * /` needs brackets",
                    )
                    .help("write  (a ?? b) + c  or  a ?? (b + c)"),
                );
            }
            self.terms += 1;
            if self.terms > MOST_TERMS {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Syntax,
                        sign,
                        format!("this expression has more than {MOST_TERMS} operators"),
                    )
                    .help("give parts of it a name with `add`"),
                );
            }
            let span = opened.to(self.last_span());
            left = Expr {
                kind: ExprKind::Binary { op, left: Box::new(left), right: Box::new(right) },
                span,
            };
            bracketed = false;
        }
        Ok(left)
    }

    fn negation(&mut self) -> Found<Expr> {
        let start = self.span();
        if self.is_word("not") {
            self.advance();
            self.deeper()?;
            let inner = self.negation()?;
            self.depth -= 1;
            let span = start.to(self.last_span());
            return Ok(Expr { kind: ExprKind::Not(Box::new(inner)), span });
        }
        self.level(COMPARES)
    }

    fn comparison(&mut self) -> Found<Expr> {
        let start = self.span();
        let left = self.level(OR_ELSE)?;
        let kind = if let Some(op) = self.operator_at(COMPARES) {
            self.advance();
            let right = self.level(OR_ELSE)?;
            if matches!(right.kind, ExprKind::Blank)
                || matches!(&right.kind, ExprKind::Text(text) if text.is_empty())
            {
                let way = if op == Operator::Unequal { "is not blank" } else { "is blank" };
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Syntax,
                        right.span,
                        "nothing is equal to blank, so this would never be true",
                    )
                    .help(format!("write  {way}")),
                );
            }
            ExprKind::Binary { op, left: Box::new(left), right: Box::new(right) }
        } else if (self.is_word("in") && !self.second_word("all"))
            || (self.is_word("not") && self.second_word("in"))
        {
            let negated = self.take_word("not");
            self.advance();
            self.need_sign("(", "`(` and the values")?;
            let mut items = vec![self.level(OR_ELSE)?];
            while self.take_sign(",") {
                items.push(self.level(OR_ELSE)?);
            }
            self.need_sign(")", "`)` or `,`")?;
            ExprKind::In { value: Box::new(left), items, negated }
        } else if self.take_word("is") {
            let negated = self.take_word("not");
            self.need_word("blank", "`blank` or `not blank`")?;
            ExprKind::IsBlank { value: Box::new(left), negated }
        } else {
            return Ok(left);
        };
        let in_list = self.is_word("in") && !self.second_word("all");
        let chained = self.operator_at(COMPARES).is_some() || in_list;
        if chained || self.is_word("is") {
            let diagnostic = Diagnostic::new(
                DiagnosticKind::Syntax,
                self.span(),
                "comparisons cannot be chained",
            )
            .help("join two of them with `and`");
            return self.wrong(diagnostic);
        }
        Ok(Expr { kind, span: start.to(self.last_span()) })
    }

    pub(in crate::lang) fn second_word(&self, word: &str) -> bool {
        matches!(self.peek_after(1), TokenKind::Word(found) if found == word)
    }

    /// Takes two words if both stand here.
    pub(in crate::lang) fn take_words(&mut self, first: &str, second: &str) -> bool {
        let there = self.is_word(first) && self.second_word(second);
        if there {
            self.advance();
            self.advance();
        }
        there
    }

    fn deeper(&mut self) -> Found<()> {
        self.depth += 1;
        if self.depth > DEEPEST {
            self.depth = 0;
            let diagnostic = Diagnostic::new(
                DiagnosticKind::Syntax,
                self.span(),
                format!("this expression is nested more than {DEEPEST} deep"),
            )
            .help("give parts of it a name with `add`");
            return self.wrong(diagnostic);
        }
        Ok(())
    }

    fn signed(&mut self) -> Found<Expr> {
        let start = self.span();
        if self.take_sign("-") {
            self.deeper()?;
            let inner = self.signed()?;
            self.depth = self.depth.saturating_sub(1);
            let span = start.to(self.last_span());
            return Ok(Expr { kind: ExprKind::Negate(Box::new(inner)), span });
        }
        self.operand()
    }

    fn operand(&mut self) -> Found<Expr> {
        let start = self.span();
        let kind = match self.peek().clone() {
            TokenKind::Text(text) => {
                self.advance();
                ExprKind::Text(text)
            }
            TokenKind::Number { units, scale, decimal } => {
                self.advance();
                ExprKind::Number { units, scale, decimal }
            }
            TokenKind::Sign("(") => {
                self.advance();
                self.deeper()?;
                let inner = self.expression()?;
                self.need_sign(")", "`)`")?;
                self.depth = self.depth.saturating_sub(1);
                return Ok(inner);
            }
            TokenKind::Word(word) if word == "true" || word == "false" => {
                self.advance();
                ExprKind::Boolean(word == "true")
            }
            TokenKind::Word(word) if word == "blank" => {
                self.advance();
                ExprKind::Blank
            }
            TokenKind::Word(word) if word == "if" => {
                self.advance();
                self.deeper()?;
                let kind = self.choice()?;
                self.depth = self.depth.saturating_sub(1);
                kind
            }
            _ => return self.path_or_call(),
        };
        Ok(Expr { kind, span: start.to(self.last_span()) })
    }

    fn choice(&mut self) -> Found<ExprKind> {
        let condition = Box::new(self.expression()?);
        self.need_word("then", "`then`")?;
        let then = Box::new(self.expression()?);
        self.need_word("else", "`else`: every `if` says what holds otherwise")?;
        let otherwise = Box::new(self.expression()?);
        Ok(ExprKind::If { condition, then, otherwise })
    }

    fn path_or_call(&mut self) -> Found<Expr> {
        let start = self.span();
        let name = self.name("a value")?;
        if self.is_sign("(") {
            let kind = self.call(name)?;
            return Ok(Expr { kind, span: start.to(self.last_span()) });
        }
        let mut parts = vec![name];
        while self.take_sign(".") {
            parts.push(self.name("the name of a link or a column")?);
        }
        Ok(Expr { kind: ExprKind::Path(parts), span: start.to(self.last_span()) })
    }

    fn call(&mut self, function: Name) -> Found<ExprKind> {
        self.advance();
        self.deeper()?;
        let mut args = vec![];
        let mut clauses = Clauses::default();
        // A column may be called `distinct`; what follows decides.
        if function.text == "list" && self.is_word("distinct") && self.operand_follows() {
            self.advance();
            clauses.distinct = true;
        }
        if function.text == "count" && self.is_sign("*") {
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Syntax, self.span(), "rows are counted by `rows`")
                    .help("write  rows() ; with a condition  rows(where CONDITION)"),
            );
        }
        if !self.is_sign(")") && !self.at_clause() {
            args.push(self.expression()?);
            while self.take_sign(",") {
                args.push(self.expression()?);
            }
        }
        loop {
            let span = self.span();
            let twice = if self.take_word("where") {
                clauses.filter.replace(self.expression()?).is_some()
            } else if self.take_word("by") {
                let by = self.orders()?;
                !std::mem::replace(&mut clauses.by, by).is_empty()
            } else if self.take_word("per") {
                let keys = self.keys()?;
                clauses.group.replace(GroupTree::Per(keys)).is_some()
            } else if self.take_words("in", "all") {
                clauses.group.replace(GroupTree::All).is_some()
            } else if self.over_follows() {
                let over = self.over()?;
                clauses.over.replace(over).is_some()
            } else {
                break;
            };
            if twice {
                let message = "this is said once in the brackets already";
                let span = span.to(self.last_span());
                return self.wrong(Diagnostic::new(DiagnosticKind::Syntax, span, message));
            }
        }
        self.need_sign(")", "`)` or `,`")?;
        self.depth = self.depth.saturating_sub(1);
        Ok(ExprKind::Call { function, args, clauses: Box::new(clauses) })
    }

    /// Whether what comes next begins a value. Right after `list(`, a minus does.
    fn operand_follows(&self) -> bool {
        let words = ["not", "if", "true", "false", "blank"];
        self.at_name(1)
            || match self.peek_after(1) {
                TokenKind::Text(_) | TokenKind::Number { .. } | TokenKind::Sign("(" | "-") => true,
                TokenKind::Word(word) => words.contains(&word.as_str()),
                _ => false,
            }
    }

    /// Whether something stands here that follows an aggregate's values.
    fn at_clause(&self) -> bool {
        self.is_word("where")
            || self.is_word("by")
            || self.is_word("per")
            || (self.is_word("in") && self.second_word("all"))
            || self.over_follows()
    }

    /// A column may be called `over`; a number behind it decides.
    fn over_follows(&self) -> bool {
        self.is_word("over") && matches!(self.peek_after(1), TokenKind::Number { .. })
    }

    /// `over N days`, `over N rows`
    fn over(&mut self) -> Found<Over> {
        self.advance();
        let span = self.span();
        let Some(count) = self.count_here() else {
            let message = "expected how far back, a whole number above 0";
            return self.wrong(
                Diagnostic::new(DiagnosticKind::Syntax, span, message)
                    .help("as in  over 28 days  or  over 7 rows"),
            );
        };
        self.advance();
        if self.take_word("days") || self.take_word("day") {
            Ok(Over::Days(count))
        } else if self.take_word("rows") || self.take_word("row") {
            Ok(Over::Rows(count))
        } else {
            self.expected("`days` or `rows`")
        }
    }

    /// `EXPR [desc], …`
    pub(in crate::lang) fn orders(&mut self) -> Found<Vec<OrderTree>> {
        let mut orders = vec![];
        loop {
            let value = self.expression()?;
            let descending = self.take_word("desc");
            orders.push(OrderTree { value, descending });
            if !self.take_sign(",") {
                return Ok(orders);
            }
        }
    }

    /// `KEY, …`
    pub(in crate::lang) fn keys(&mut self) -> Found<Vec<Expr>> {
        let mut keys = vec![self.key()?];
        while self.take_sign(",") {
            keys.push(self.key()?);
        }
        Ok(keys)
    }
}

fn binds_tighter(expr: &Expr) -> bool {
    matches!(&expr.kind, ExprKind::Binary { op, .. } if op.level() > OR_ELSE)
}
