//! What plans may name that each row of a group has of its own, by its place among the others.

/// What is not of a group but of a row's place in it.
pub(crate) struct OfPlace {
    pub name: &'static str,
    pub signature: &'static str,
    pub says: &'static str,
    /// A call over the rows that aggregates are shown by, and what each of them gets.
    pub example: (&'static str, [&'static str; 4]),
}

/// All of them, as the reference lists them.
pub(crate) const OF_PLACE: &[OfPlace] = &[
    OfPlace {
        name: "position",
        signature: "position(per KEY by d)",
        says: "The row's place in its group, 1 for the first.",
        example: ("position(in all by net)", ["1", "2", "3", "4"]),
    },
    OfPlace {
        name: "running",
        signature: "running(x per KEY by d)",
        says: "The sum up to the row.",
        example: ("running(net in all by booked_on)", ["2.50", "6.50", "10.50", "10.50"]),
    },
    OfPlace {
        name: "previous",
        signature: "previous(x per KEY by d)",
        says: "The value of the row before; blank for the first.",
        example: ("previous(net in all by booked_on)", ["", "2.50", "4.00", "4.00"]),
    },
    OfPlace {
        name: "next",
        signature: "next(x per KEY by d)",
        says: "The value of the row behind; blank for the last.",
        example: ("next(channel in all by booked_on)", ["post", "shop", "", ""]),
    },
    OfPlace {
        name: "running",
        signature: "running(x per KEY by d over N days)",
        says: "The sum of the rows of the row's day and the days before it, N days in all.",
        example: ("running(net in all by booked_on over 2 days)", ["2.50", "6.50", "8.00", "4.00"]),
    },
    OfPlace {
        name: "running",
        signature: "running(x per KEY by d over N rows)",
        says: "The sum of the row and those before it, N rows in all.",
        example: ("running(net in all by booked_on over 2 rows)", ["2.50", "6.50", "8.00", "4.00"]),
    },
    OfPlace {
        name: "mean",
        signature: "mean(x per KEY by d over …)",
        says: "The window's mean; `rows`, `count`, `min` and `max` take `over` as well.",
        example: ("max(net in all by booked_on over 3 days)", ["2.50", "4.00", "4.00", "4.00"]),
    },
];

/// Whether a name is of a row's place alone, and no aggregate.
pub(crate) fn is_of_place(name: &str) -> bool {
    super::named(name).is_none() && OF_PLACE.iter().any(|of| of.name == name)
}

/// The names that are of a row's place alone.
pub(crate) fn of_place_names() -> impl Iterator<Item = &'static str> {
    OF_PLACE.iter().map(|of| of.name).filter(|name| is_of_place(name))
}
