//! Words that people bring from other notations, each with the form that is meant here. None of them
//! is part of the language: they only make better advice.

/// The word, and what to write.
const WORDS: &[(&str, &str)] = &[
    (
        "select",
        "columns are kept by  columns NAME, \u{2026} ; new ones are made by  add NAME = \u{2026}",
    ),
    ("where", "rows are chosen by  keep CONDITION"),
    ("filter", "rows are chosen by  keep CONDITION"),
    ("having", "groups are chosen behind them:  one row per \u{2026}  keep CONDITION"),
    ("group", "rows are put in groups by  one row per KEY  NAME = sum(\u{2026})"),
    ("groupby", "rows are put in groups by  one row per KEY  NAME = sum(\u{2026})"),
    ("aggregate", "rows are put in groups by  one row per KEY  NAME = sum(\u{2026})"),
    ("order", "rows are ordered by  sort EXPR [desc], \u{2026}"),
    ("orderby", "rows are ordered by  sort EXPR [desc], \u{2026}"),
    ("limit", "the first rows of an order are  top N by EXPR"),
    ("join", "tables are joined by  link A to B on KEY , and values come by  A.COLUMN"),
    (
        "left",
        "tables are joined by  link A to B on KEY ; rows without one stay, and their values are blank",
    ),
    ("inner", "tables are joined by  link A to B on KEY ; only rows that have one:  keep has(B)"),
    ("union", "tables are stacked by  table NAME from A, B"),
    ("append", "tables are stacked by  table NAME from A, B"),
    (
        "distinct",
        "equal rows are dropped by  dedupe ; different values are counted by  distinct(x)",
    ),
    ("delete", "rows are taken out by  drop CONDITION"),
    ("update", "values are replaced by  change NAME = \u{2026}"),
    ("set", "values are replaced by  change NAME = \u{2026}"),
    ("let", "a new column is  add NAME = \u{2026}"),
    ("assert", "what must hold is  check TABLE: CONDITION"),
    ("like", "text is looked into by  contains(text, \"x\") , starts_with , ends_with"),
    ("ilike", "text is looked into by  contains(lower(text), \"x\")"),
    ("between", "write  x >= LEAST and x <= MOST"),
    ("case", "a choice is  if CONDITION then X else Y"),
    ("when", "a choice is  if CONDITION then X else Y"),
    ("switch", "a choice is  if CONDITION then X else Y"),
    ("elif", "write  else if"),
    ("elseif", "write  else if"),
    ("null", "what is not there is  blank ; it is asked for by  is blank"),
    ("none", "what is not there is  blank ; it is asked for by  is blank"),
    ("nan", "what is not there is  blank ; it is asked for by  is blank"),
    ("empty", "what is not there is  blank ; it is asked for by  is blank"),
    ("asc", "the least comes first by itself; the greatest by  desc"),
    ("mod", "there is no remainder; write  x - floor(x / n) * n"),
];

/// Functions of other notations, and what to write.
const FUNCTIONS: &[(&str, &str)] = &[
    ("iif", "a choice is  if CONDITION then X else Y"),
    ("coalesce", "the first that is not blank is  a ?? b"),
    ("ifnull", "the first that is not blank is  a ?? b"),
    ("nvl", "the first that is not blank is  a ?? b"),
    ("isnull", "what is not there is asked for by  x is blank"),
    ("isblank", "what is not there is asked for by  x is blank"),
    ("isna", "what is not there is asked for by  x is blank"),
    ("len", "letters are counted by  length(text)"),
    ("substr", "parts of a text are  left(text, n) , right(text, n) , part(text, \"-\", n)"),
    ("substring", "parts of a text are  left(text, n) , right(text, n) , part(text, \"-\", n)"),
    ("mid", "parts of a text are  left(text, n) , right(text, n) , part(text, \"-\", n)"),
    ("split", "the n-th part of a text is  part(text, \"-\", n)"),
    ("regexp_like", "a text is tried by  matches(text, \"PATTERN\")"),
    ("regexp_substr", "what is found in a text is  extract(text, \"PATTERN\")"),
    ("regexp_replace", "what is found is replaced by  replace_pattern(text, \"PATTERN\", \"BY\")"),
    ("to_timestamp", "a moment of a text is  datetime(text, \"%d/%m/%Y %H:%M\")"),
    ("concat", "texts are joined by  a & b"),
    ("strip", "spaces around are taken away by  trim(text)"),
    (
        "ltrim",
        "what stands before is taken away by  trim_left(text, \"0\") , spaces around by  trim(text)",
    ),
    ("lpad", "a text is made longer by  pad_left(text, n, \"0\")"),
    ("zfill", "a text is made longer by  pad_left(text, n, \"0\")"),
    ("to_date", "a day of a text is  date(text, \"%d/%m/%Y\")"),
    ("todate", "a day of a text is  date(text, \"%d/%m/%Y\")"),
    ("strptime", "a day of a text is  date(text, \"%d/%m/%Y\")"),
    ("today", "a plan has no clock: a day that counts is a  param , set by  --set"),
    ("now", "a plan has no clock: a day that counts is a  param , set by  --set"),
    ("datediff", "days from one to another are  later - earlier"),
    ("dateadd", "days are added by  add_days(day, n)"),
    ("avg", "the mean of a group is  mean(x)"),
    ("average", "the mean of a group is  mean(x)"),
    ("countif", "rows are counted by  rows(where CONDITION)"),
    ("sumif", "some rows are summed by  sum(x where CONDITION)"),
    ("nunique", "different values are counted by  distinct(x)"),
    ("row_number", "the place in a group is  position(per KEY by ORDER)"),
    ("rank", "the place in a group is  position(per KEY by ORDER)"),
    ("cumsum", "a running sum is  running(x per KEY by ORDER)"),
    ("lag", "the value of the row before is  previous(x per KEY by ORDER)"),
    ("lead", "the value of the row behind is  next(x per KEY by ORDER)"),
    ("quantile", "the value that 90 % are not above is  percentile(x, 90)"),
    ("first", "the value of the earliest row is  earliest(x by d)"),
    ("last", "the value of the latest row is  latest(x by d)"),
    ("string_agg", "values are joined by  list(x, \", \")"),
    ("greatest", "the highest of several is  highest(a, b)"),
    ("least", "the lowest of several is  lowest(a, b)"),
    ("int", "a whole number is  integer(x)"),
    ("cast", "values are converted by  text(x) , integer(x) , decimal(x, places) , date(x)"),
    ("str", "a value is written by  text(x)"),
];

fn find(table: &[(&'static str, &'static str)], word: &str) -> Option<&'static str> {
    let word = word.to_lowercase();
    table.iter().find(|(known, _)| *known == word).map(|(_, meant)| *meant)
}

/// What is meant by a word where a step, a statement, an operator or a value was expected.
pub(crate) fn meant(word: &str) -> Option<&'static str> {
    find(WORDS, word)
}

/// What is meant by a function's name.
pub(crate) fn meant_by_call(name: &str) -> Option<&'static str> {
    find(FUNCTIONS, name).or_else(|| find(WORDS, name))
}

/// Signs of other notations, and the sign or word that is meant. Longer ones stand first.
pub(crate) const SIGNS: &[(&str, &str)] = &[("<>", "!="), ("==", "="), ("&&", "and"), ("||", "or")];
