//! Names, made up.

pub(crate) const GIVEN: &[&str] = &[
    "Ansa", "Brim", "Cela", "Dorrin", "Elvi", "Farro", "Gwenna", "Hollis", "Imre", "Jorun",
    "Kesta", "Linnet", "Marl", "Nerys", "Orla", "Perrin", "Quill", "Rosk", "Sorrel", "Tamsin",
    "Ulla", "Vesper", "Wren", "Yarrow",
];

pub(crate) const FAMILY: &[&str] = &[
    "Alderby",
    "Brackenfold",
    "Cloverley",
    "Dewhollow",
    "Elmsgarth",
    "Fernacre",
    "Gorsemoor",
    "Hazelmere",
    "Ivystone",
    "Juniperhill",
    "Kelpwick",
    "Larchfield",
    "Mossback",
    "Nettlecombe",
    "Oakenshade",
    "Pearlbrook",
    "Quincewood",
    "Rushmead",
    "Sedgewater",
    "Thistledown",
    "Umberley",
    "Vetchling",
    "Willowmarsh",
    "Yewcroft",
];

pub(crate) const CLUBS: &[&str] =
    &["Garden Club", "Allotment Society", "Rose Circle", "School Garden", "Growers' Union"];

/// Place, region, postcode area.
pub(crate) const PLACES: &[(&str, &str, &str)] = &[
    ("Mossgate", "R1", "40"),
    ("Fernhollow", "R1", "41"),
    ("Brookside", "R2", "52"),
    ("Heatherfield", "R2", "53"),
    ("Stonebarrow", "R3", "61"),
    ("Saltmarsh End", "R3", "62"),
    ("Larkrise", "R4", "70"),
    ("Upper Thorn", "R4", "71"),
    ("Lower Thorn", "R4", "72"),
];

pub(crate) const REGIONS: &[(&str, &str)] =
    &[("R1", "Home"), ("R2", "North"), ("R3", "Coast"), ("R4", "Hills")];

/// Category, name, pack size, price in cents.
pub(crate) const ARTICLES: &[(&str, &str, u32, u32)] = &[
    ("seedlings", "Tomato seedling", 1, 249),
    ("seedlings", "Chilli seedling", 1, 279),
    ("seedlings", "Lettuce tray", 6, 399),
    ("seedlings", "Basil pot", 1, 199),
    ("seedlings", "Strawberry plug", 1, 149),
    ("seedlings", "Leek bundle", 12, 350),
    ("bulbs", "Tulip, mixed", 10, 595),
    ("bulbs", "Daffodil, early", 10, 495),
    ("bulbs", "Garlic, hardneck", 3, 425),
    ("bulbs", "Crocus, blue", 20, 650),
    ("bulbs", "Onion sets", 50, 375),
    ("seed packets", "Carrot \"Nantaise\"", 1, 189),
    ("seed packets", "Runner bean", 1, 229),
    ("seed packets", "Meadow mix", 1, 450),
    ("seed packets", "Sweet pea", 1, 210),
    ("seed packets", "Pumpkin", 1, 240),
    ("tools", "Hand trowel", 1, 1250),
    ("tools", "Dibber", 1, 895),
    ("tools", "Twine, 100 m", 1, 475),
    ("tools", "Watering can", 1, 2495),
    ("tools", "Pruning knife", 1, 3150),
    ("tools", "Plant labels", 25, 333),
];
