//! Expressions after names and types are known.

use crate::lang::{Operator, Span};
use crate::table::{ColumnId, GatherId, Hop, LinkId, SlotId, TableId, TotalId};
use crate::value::{Scalar, Type};

use super::function::Function;
use super::pattern::Pattern;

/// An expression with its type, and the words that it came from.
#[derive(Debug, Clone)]
pub(crate) struct Typed {
    pub kind: Kind,
    pub ty: Type,
    pub span: Span,
}

#[derive(Debug, Clone)]
pub(crate) enum Kind {
    /// A column of a table on its way.
    Slot(SlotId),
    /// A column of a finished table.
    Column(ColumnId),
    Constant(Scalar),
    /// A pattern that is written out.
    Pattern(Pattern),
    /// A column of the row that a path leads to.
    Path {
        from: TableId,
        hops: Vec<Hop>,
        target: TableId,
        column: ColumnId,
    },
    /// Whether a path leads anywhere.
    Leads {
        from: TableId,
        hops: Vec<Hop>,
    },
    /// Of how many rows that held a link by a period chose one; the path leads to its source.
    Choices {
        from: TableId,
        hops: Vec<Hop>,
        link: LinkId,
    },
    /// What was gathered against a link for each row of a table.
    Gathered {
        from: TableId,
        id: GatherId,
    },
    /// An aggregate over a whole table, known once the table is.
    Total(TotalId),
    /// The same values in another type.
    Convert(Box<Typed>),
    Negate(Box<Typed>),
    Not(Box<Typed>),
    /// Both sides have been brought to the type that the operation works in.
    Arithmetic {
        op: Arithmetic,
        left: Box<Typed>,
        right: Box<Typed>,
    },
    Compare {
        op: Operator,
        left: Box<Typed>,
        right: Box<Typed>,
    },
    Logic {
        op: Logic,
        left: Box<Typed>,
        right: Box<Typed>,
    },
    /// The right side where the left is blank.
    OrElse {
        left: Box<Typed>,
        right: Box<Typed>,
    },
    Join {
        left: Box<Typed>,
        right: Box<Typed>,
    },
    In {
        value: Box<Typed>,
        items: Vec<Typed>,
    },
    IsBlank {
        value: Box<Typed>,
        negated: bool,
    },
    If {
        condition: Box<Typed>,
        then: Box<Typed>,
        otherwise: Box<Typed>,
    },
    Call {
        function: &'static Function,
        args: Vec<Typed>,
    },
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Arithmetic {
    Add,
    Subtract,
    Multiply,
    Divide,
    /// Days from one day to another.
    Days,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Logic {
    And,
    Or,
}

impl Typed {
    pub fn new(kind: Kind, ty: Type, span: Span) -> Self {
        Self { kind, ty, span }
    }

    /// The expression in another type, which its own goes into.
    pub fn into_type(self, ty: Type) -> Typed {
        if self.ty == ty {
            return self;
        }
        let span = self.span;
        Typed::new(Kind::Convert(Box::new(self)), ty, span)
    }

    /// Whether both are worked alike from the same rows, wherever they stand in a plan. Of some that are, it is not
    /// seen.
    pub fn is_like(&self, other: &Typed) -> bool {
        let all = |own: &[Typed], others: &[Typed]| {
            own.len() == others.len() && own.iter().zip(others).all(|(a, b)| a.is_like(b))
        };
        match (&self.kind, &other.kind) {
            (Kind::Slot(a), Kind::Slot(b)) => a == b,
            (Kind::Column(a), Kind::Column(b)) => a == b,
            (Kind::Constant(a), Kind::Constant(b)) => a == b,
            (
                Kind::Path { from, hops, target, column },
                Kind::Path { from: of, hops: by, target: to, column: own },
            ) => (from, hops, target, column) == (of, by, to, own),
            (Kind::Leads { from, hops }, Kind::Leads { from: of, hops: by }) => {
                (from, hops) == (of, by)
            }
            (Kind::Gathered { from, id }, Kind::Gathered { from: of, id: own }) => {
                (from, id) == (of, own)
            }
            (Kind::Convert(a), Kind::Convert(b)) => self.ty == other.ty && a.is_like(b),
            (Kind::Negate(a), Kind::Negate(b)) | (Kind::Not(a), Kind::Not(b)) => a.is_like(b),
            (
                Kind::Arithmetic { op, left, right },
                Kind::Arithmetic { op: own, left: a, right: b },
            ) => op == own && left.is_like(a) && right.is_like(b),
            (Kind::Compare { op, left, right }, Kind::Compare { op: own, left: a, right: b }) => {
                op == own && left.is_like(a) && right.is_like(b)
            }
            (Kind::Logic { op, left, right }, Kind::Logic { op: own, left: a, right: b }) => {
                op == own && left.is_like(a) && right.is_like(b)
            }
            (Kind::OrElse { left, right }, Kind::OrElse { left: a, right: b })
            | (Kind::Join { left, right }, Kind::Join { left: a, right: b }) => {
                left.is_like(a) && right.is_like(b)
            }
            (Kind::In { value, items }, Kind::In { value: own, items: others }) => {
                value.is_like(own) && all(items, others)
            }
            (Kind::IsBlank { value, negated }, Kind::IsBlank { value: own, negated: other }) => {
                negated == other && value.is_like(own)
            }
            (Kind::Call { function, args }, Kind::Call { function: own, args: others }) => {
                function.name == own.name && all(args, others)
            }
            _ => false,
        }
    }

    /// Its value, if it is written down as one.
    pub fn constant(&self) -> Option<&Scalar> {
        match &self.kind {
            Kind::Constant(value) => Some(value),
            _ => None,
        }
    }

    /// Whether there are values for which it cannot be worked.
    pub fn can_fail(&self) -> bool {
        let mut fails = false;
        self.visit(&mut |part| {
            fails |= match &part.kind {
                Kind::Arithmetic { op, .. } => *op != Arithmetic::Days,
                Kind::Negate(_) => part.ty == Type::Integer,
                Kind::Convert(inner) => inner.ty != Type::Blank,
                // Only the sole value of several rows, and what is too long; but those do.
                Kind::Gathered { .. } => true,
                Kind::Call { function, .. } => function.fails,
                _ => false,
            };
        });
        fails
    }

    /// The slots that it reads.
    pub fn slots(&self) -> Vec<SlotId> {
        let mut slots = vec![];
        self.visit(&mut |part| {
            if let Kind::Slot(slot) = part.kind {
                slots.push(slot);
            }
        });
        slots
    }

    /// The columns of a finished table that it reads.
    pub fn columns(&self) -> Vec<ColumnId> {
        let mut columns = vec![];
        self.visit(&mut |part| {
            if let Kind::Column(column) = part.kind {
                columns.push(column);
            }
        });
        columns
    }

    /// Whether it looks at nothing but the row itself.
    pub fn stays_in_row(&self) -> bool {
        let mut stays = true;
        self.visit(&mut |part| {
            stays &= !matches!(
                part.kind,
                Kind::Path { .. }
                    | Kind::Leads { .. }
                    | Kind::Choices { .. }
                    | Kind::Gathered { .. }
            );
        });
        stays
    }

    /// The same expression with others in place of the slots that it reads; nothing where one of them has
    /// none, or where it looks at more than the row.
    pub fn with_slots(&self, slot: &dyn Fn(SlotId) -> Option<Typed>) -> Option<Typed> {
        let one = |typed: &Typed| typed.with_slots(slot).map(Box::new);
        let all = |typed: &[Typed]| -> Option<Vec<Typed>> {
            typed.iter().map(|typed| typed.with_slots(slot)).collect()
        };
        let kind = match &self.kind {
            Kind::Slot(of) => return slot(*of),
            Kind::Constant(value) => Kind::Constant(value.clone()),
            Kind::Pattern(pattern) => Kind::Pattern(pattern.clone()),
            Kind::Column(_)
            | Kind::Path { .. }
            | Kind::Leads { .. }
            | Kind::Choices { .. }
            | Kind::Gathered { .. }
            | Kind::Total(_) => return None,
            Kind::Convert(inner) => Kind::Convert(one(inner)?),
            Kind::Negate(inner) => Kind::Negate(one(inner)?),
            Kind::Not(inner) => Kind::Not(one(inner)?),
            Kind::IsBlank { value, negated } => {
                Kind::IsBlank { value: one(value)?, negated: *negated }
            }
            Kind::Arithmetic { op, left, right } => {
                Kind::Arithmetic { op: *op, left: one(left)?, right: one(right)? }
            }
            Kind::Compare { op, left, right } => {
                Kind::Compare { op: *op, left: one(left)?, right: one(right)? }
            }
            Kind::Logic { op, left, right } => {
                Kind::Logic { op: *op, left: one(left)?, right: one(right)? }
            }
            Kind::OrElse { left, right } => Kind::OrElse { left: one(left)?, right: one(right)? },
            Kind::Join { left, right } => Kind::Join { left: one(left)?, right: one(right)? },
            Kind::In { value, items } => Kind::In { value: one(value)?, items: all(items)? },
            Kind::If { condition, then, otherwise } => Kind::If {
                condition: one(condition)?,
                then: one(then)?,
                otherwise: one(otherwise)?,
            },
            Kind::Call { function, args } => Kind::Call { function, args: all(args)? },
        };
        Some(Typed::new(kind, self.ty, self.span))
    }

    /// Calls `see` on this expression and on all that it is made of.
    pub fn visit<'a>(&'a self, see: &mut dyn FnMut(&'a Typed)) {
        see(self);
        match &self.kind {
            Kind::Slot(_)
            | Kind::Column(_)
            | Kind::Constant(_)
            | Kind::Pattern(_)
            | Kind::Path { .. }
            | Kind::Leads { .. }
            | Kind::Choices { .. }
            | Kind::Gathered { .. }
            | Kind::Total(_) => {}
            Kind::Convert(inner) | Kind::Negate(inner) | Kind::Not(inner) => inner.visit(see),
            Kind::IsBlank { value, .. } => value.visit(see),
            Kind::Arithmetic { left, right, .. }
            | Kind::Compare { left, right, .. }
            | Kind::Logic { left, right, .. }
            | Kind::OrElse { left, right }
            | Kind::Join { left, right } => {
                left.visit(see);
                right.visit(see);
            }
            Kind::In { value, items } => {
                value.visit(see);
                items.iter().for_each(|item| item.visit(see));
            }
            Kind::If { condition, then, otherwise } => {
                condition.visit(see);
                then.visit(see);
                otherwise.visit(see);
            }
            Kind::Call { args, .. } => args.iter().for_each(|arg| arg.visit(see)),
        }
    }
}
