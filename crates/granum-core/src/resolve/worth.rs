//! Whether a value is an amount, and whether it stands on more than one row: the rules of
//! "counted once".

/// What an expression's value is worth in a sum.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) struct Worth {
    pub kind: WorthKind,
    /// Whether a column of the row's own, that does not repeat, is part of it.
    pub own: bool,
    /// Whether it was made by `/` and not rounded since.
    pub divided: bool,
    /// Whether it is a ratio, rounded or not.
    pub ratio: bool,
    /// Whether it counts different values.
    pub counts_distinct: bool,
    /// The step that made several rows of one past which it was carried whole, and is no amount: each of them has
    /// all of it.
    pub carried: Option<Past>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) enum WorthKind {
    #[default]
    Plain,
    /// An amount that stands on one row.
    Amount,
    /// An amount that stands on several rows.
    Repeats(Repeat),
}

/// How an amount came to stand on several rows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Repeat {
    OverLink,
    Past(Past),
    OnGroup,
    /// It is the row's before or behind.
    Neighbour,
    /// A running sum holds what stands in the rows before.
    Running,
}

/// A step that makes several rows of one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Past {
    Units,
    Turn,
    Expand,
    /// What stood around the list that the rows are of.
    Each,
}

impl Worth {
    pub fn repeats(self) -> Option<Repeat> {
        match self.kind {
            WorthKind::Repeats(repeat) => Some(repeat),
            _ => None,
        }
    }

    pub fn is_amount(self) -> bool {
        self.kind != WorthKind::Plain
    }

    /// An amount that was summed for this row.
    pub fn summed() -> Self {
        Self { kind: WorthKind::Amount, own: true, ..Self::default() }
    }

    /// A column of the row.
    pub fn column(kind: WorthKind, divided: bool) -> Self {
        Self { kind, own: !matches!(kind, WorthKind::Repeats(_)), divided, ..Self::default() }
    }

    /// The same value as seen from a row that leads to it.
    pub fn over_link(self) -> Self {
        let kind =
            if self.is_amount() { WorthKind::Repeats(Repeat::OverLink) } else { WorthKind::Plain };
        Self { kind, own: false, ..self }
    }

    /// The same column on each of the rows that its row became.
    pub fn past(self, past: Past) -> Self {
        match self.kind {
            WorthKind::Amount => {
                Self { kind: WorthKind::Repeats(Repeat::Past(past)), own: false, ..self }
            }
            _ => Self { own: false, carried: Some(past), ..self },
        }
    }

    /// `+ - ?? if` and functions: it repeats when any amount in it does.
    pub fn with(self, other: Worth) -> Self {
        let kind = match (self.kind, other.kind) {
            (WorthKind::Repeats(repeat), _) | (_, WorthKind::Repeats(repeat)) => {
                WorthKind::Repeats(repeat)
            }
            (WorthKind::Amount, _) | (_, WorthKind::Amount) => WorthKind::Amount,
            _ => WorthKind::Plain,
        };
        Self {
            kind,
            own: self.own || other.own,
            divided: self.divided || other.divided,
            ratio: self.ratio || other.ratio,
            counts_distinct: self.counts_distinct || other.counts_distinct,
            carried: self.carried.or(other.carried),
        }
    }

    /// `*` and `/`: it repeats when no other side is a column of the row's own.
    pub fn times(self, other: Worth) -> Self {
        let both = self.with(other);
        let mended = (self.repeats().is_some() && other.own && other.repeats().is_none())
            || (other.repeats().is_some() && self.own && self.repeats().is_none());
        // What is one unit's own makes it the unit's: a price times a quantity.
        let carried = both.carried.filter(|_| !(self.own || other.own));
        let both = Self { carried, ..both };
        if mended { Self { kind: WorthKind::Amount, ..both } } else { both }
    }
}
