//! One link in depth, whether or not it could be built: what meets on both sides, by what values,
//! what a join would have made, and why keys nearly match.

use serde::Serialize;
use std::collections::BTreeMap;

use super::beside::Beside;
use super::context::RunError;
use super::demand::Purpose;
use super::inputs::Inputs;
use super::links::{linked, repeated_keys};
use super::named::{find_link, find_table};
use super::periods::period_tally;
use super::run::{Run, within, worked};
use crate::lang::{Diagnostic, DiagnosticKind, PlanTree, Span};
use crate::link::{
    BlankKeys, Counts, KeyTable, Keys, Linked, amounts, compare, counts, missing_keys,
};
use crate::port::{Observer, Sources};
use crate::resolve::Plan;
use crate::step::{Naming, finished_rows};
use crate::table::{Amount, Column, Held, LinkId, Room, Rows, TableId, Texts};
use crate::tally::{MissingKey, NearMiss, PeriodTally, Problem, RepeatedKey, Spread, with_kinds};
use crate::value::Type;

/// What is asked.
#[derive(Debug, Clone, Default)]
pub struct Matching {
    /// The table whose rows lead.
    pub table: String,
    /// The link's name.
    pub link: String,
    /// A column of either side, or an expression over the leading table, whose amounts are told.
    pub amount: Option<String>,
    /// A column or an expression over the leading table, by whose values the same is told.
    pub by: Option<String>,
    /// How much columns may hold in memory; all that they need where nothing is said.
    pub room: Option<Room>,
}

/// What there is to know of a link.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Matched {
    /// The table whose rows lead.
    pub from: String,
    /// The table they lead to.
    pub to: String,
    /// The keys as the plan writes them.
    pub on: String,
    /// Rows of the leading table.
    pub source: Side,
    /// Rows of the target.
    pub target: Side,
    /// Keys that stand on several rows of the target: a look-up is not safe then.
    pub repeating: Option<Repeating>,
    /// Of a link by a period: what lies outside of all periods, and where they overlap. Where several
    /// hold for a row and nothing is preferred, a look-up is not safe either.
    pub period: Option<PeriodTally>,
    /// How many rows lead to one key of the target, over those that any leads to.
    pub spread: Option<Spread>,
    /// What the same is told by, in words.
    pub by: Option<String>,
    /// The source, for each value of it, in the order of the values; blanks last.
    pub groups: Vec<Group>,
    /// Why keys that do not match nearly do.
    pub near: Vec<NearMiss>,
    /// Rows that nothing of `near` explains, blank keys apart.
    pub unlike: u64,
    /// What stopped a table from being built; there is nothing to tell then.
    #[serde(serialize_with = "with_kinds")]
    #[cfg_attr(feature = "schema", schemars(with = "Vec<crate::tally::ProblemTold>"))]
    pub problems: Vec<Problem>,
}

/// One side of a link.
#[derive(Debug, Clone, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Side {
    /// All rows.
    pub rows: u64,
    /// Rows whose key the other side has.
    pub matched: u64,
    /// Rows whose key it has not.
    pub missing: u64,
    /// Rows with a blank in their key.
    pub blank: u64,
    /// The amounts of the same rows, if an amount was asked for and stands on this side.
    pub amounts: Option<AmountsOf>,
    /// The first keys that the other side does not have.
    pub examples: Vec<MissingKey>,
}

/// Amounts by what becomes of their rows.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct AmountsOf {
    /// The amount as it was asked for.
    pub name: String,
    /// Of rows that match, without signs: by these the share is worked, here and in a run.
    pub matched: Amount,
    /// Of rows that do not.
    pub missing: Amount,
    /// Of rows with a blank key.
    pub blank: Amount,
    /// The plain sums of the same: credit notes take from them.
    pub matched_net: Amount,
    /// Of rows that do not match.
    pub missing_net: Amount,
    /// Of rows with a blank key.
    pub blank_net: Amount,
}

/// Keys of the target on several rows.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Repeating {
    /// How many keys.
    pub keys: u64,
    /// How many rows have them.
    pub target_rows: u64,
    /// Rows of the source that lead to one of them.
    pub source_rows: u64,
    /// How many rows a join would make of all rows of the source, those without a match among them.
    pub would_be: u64,
    /// The first of the keys.
    pub examples: Vec<RepeatedKey>,
}

/// The source's rows of one value.
#[derive(Debug, Clone, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Group {
    /// The value in words.
    pub value: String,
    /// Its rows.
    pub rows: u64,
    /// Those that match.
    pub matched: u64,
    /// Those that do not, blank keys apart.
    pub missing: u64,
    /// Those with a blank key.
    pub blank: u64,
    /// The plain sum of the amounts of rows that do not match, blank keys among them.
    pub missing_net: Option<Amount>,
}

/// The file that a row came from, as it may be asked for.
const FILE: &str = "source_file()";

/// What works expressions over the leading table, beside it.
const BESIDE: &str = "matched_rows";

/// What the amount is called there.
const AMOUNT: &str = "matched_amount";

impl Matching {
    /// A plan with a table more, which works what is asked of the leading table's rows. Diagnostics
    /// of [`match_link`] point into this text.
    pub fn beside(&self, text: &str) -> Beside {
        let by = self.by.as_deref().filter(|by| by.trim() != FILE);
        let asked = [("matched_by", "--by", by), (AMOUNT, "--amount", self.amount.as_deref())];
        if asked.iter().all(|(.., value)| value.is_none()) {
            return Beside::none(text);
        }
        let mut beside = Beside::new(text, BESIDE, &self.table);
        for (name, option, value) in asked {
            if let Some(value) = value {
                beside.step(&format!("add {name} = "), option, value, "");
            }
        }
        beside
    }
}

/// Looks at a link of a plan in depth. Nothing is built but the tables at its ends.
///
/// # Errors
/// As [`run`](super::run); an unknown table or link is a diagnostic without a place in the plan.
pub fn match_link(
    (text, tree): (&str, &PlanTree),
    settings: &[(String, String)],
    sources: &dyn Sources,
    matching: &Matching,
    observer: &dyn Observer,
) -> Result<Matched, RunError> {
    let mut inputs = Inputs::open(tree, sources)?;
    let plan = inputs.resolve(tree, settings)?;
    let table = find_table(&plan, &matching.table)?;
    let link = find_link(&plan, table, &matching.link)?;
    let has = |table: TableId, name: &str| {
        plan.tables[table.0].columns.iter().any(|(known, _)| known == name)
    };
    // An amount of the target alone is no column of the leading rows.
    let mut of_rows = matching.clone();
    let target = plan.links[link.0].to;
    of_rows.amount = matching.amount.clone().filter(|amount| {
        let bare = amount.trim().trim_matches('`');
        has(table, bare) || !has(target, bare)
    });
    let adds_up = |ty: Type| ty.is_numeric() || ty == Type::Blank;
    if let Some(amount) = &matching.amount {
        let bare = amount.trim().trim_matches('`');
        for end in [table, target] {
            let end = &plan.tables[end.0];
            let column = end.columns.iter().find(|(name, _)| name == bare);
            if let Some((_, slot)) = column.filter(|(_, slot)| !adds_up(end.slots[slot.0])) {
                return Err(not_added_up(amount, &end.name, end.slots[slot.0]));
            }
        }
    }
    let (tree, wrong) = of_rows.beside(text).parsed(tree);
    if !wrong.is_empty() {
        return Err(RunError::Plan(wrong));
    }
    let beside =
        |plan: &Plan| plan.tables.iter().position(|table| table.name == BESIDE).map(TableId);
    let wanted = |plan: &Plan| {
        let beside = beside(plan);
        if let (Some(beside), Some(amount)) = (beside, &of_rows.amount) {
            let beside = &plan.tables[beside.0];
            let column = beside.columns.iter().find(|(name, _)| name == AMOUNT);
            if let Some((_, slot)) = column.filter(|(_, slot)| !adds_up(beside.slots[slot.0])) {
                return Err(not_added_up(amount, &matching.table, beside.slots[slot.0]));
            }
        }
        Ok(Purpose::Ends { link, beside })
    };
    let end = |run: Run<'_>, _: &Inputs| {
        let beside = beside(run.plan);
        Ok(told(run.plan, run, link, beside, matching))
    };
    let begin = within(matching.room.as_ref());
    worked(&mut inputs, (&tree, settings), observer, wanted, begin, end)
}

/// What is asked for as an amount and is no number.
fn not_added_up(amount: &str, table: &str, ty: Type) -> RunError {
    let message = format!("`{}` is {ty} in `{table}`, and only numbers add up", amount.trim());
    let diagnostic = Diagnostic::new(DiagnosticKind::Type, Span::default(), message);
    RunError::Plan(vec![diagnostic.help(
        "`survey` tells which cells are no numbers; in a plan:  read COLUMN as decimal(2) else blank",
    )])
}

fn told(
    plan: &Plan,
    mut run: Run<'_>,
    id: LinkId,
    beside: Option<TableId>,
    matching: &Matching,
) -> Matched {
    let link = &plan.links[id.0];
    let mut matched = Matched {
        from: plan.tables[link.from.0].name.clone(),
        to: plan.tables[link.to.0].name.clone(),
        on: link.keys_text.clone(),
        source: Side::default(),
        target: Side::default(),
        repeating: None,
        period: None,
        spread: None,
        by: matching.by.clone(),
        groups: vec![],
        near: vec![],
        unlike: 0,
        problems: std::mem::take(&mut run.problems),
    };
    match tell(plan, &run, id, beside, matching, &mut matched) {
        Ok(()) => {}
        Err(problem) => matched.problems.push(problem),
    }
    matched
}

fn tell(
    plan: &Plan,
    run: &Run<'_>,
    id: LinkId,
    beside: Option<TableId>,
    matching: &Matching,
    out: &mut Matched,
) -> Result<(), Problem> {
    let link = &plan.links[id.0];
    let tables = &run.world.tables;
    let (Some(from), Some(to)) = (&tables[link.from.0], &tables[link.to.0]) else { return Ok(()) };
    let context = run.context();
    let Some(linked) = linked(&context, link)? else { return Ok(()) };
    let beside_column = |name: &str| -> Option<Column> {
        let beside = beside?;
        let at = plan.tables[beside.0].columns.iter().position(|(known, _)| known == name)?;
        Some(tables[beside.0].as_ref()?.columns[at].as_ref()?.whole())
    };
    let amount = beside_column(AMOUNT);
    let target_amount = matching.amount.as_deref().and_then(|amount| {
        let bare = amount.trim().trim_matches('`');
        let at = plan.tables[link.to.0].columns.iter().position(|(name, _)| name == bare)?;
        Some(to.columns[at].as_ref()?.whole())
    });
    let name = matching.amount.as_deref().unwrap_or_default();
    let Linked { left, right, index, repeats, .. } = &linked;
    out.source = side(left, index, amount.as_ref(), name);
    let back = linked.back();
    out.target = side(right, &back, target_amount.as_ref(), name);
    out.target.examples = linked.unreached(&back);
    out.period = linked.within.as_ref().map(|within| period_tally(&context, link, within));
    out.spread = linked.spread().1;
    if !repeats.is_empty() {
        let (source_rows, pairs) = repeats.pairs(index);
        out.repeating = Some(Repeating {
            keys: repeats.keys(),
            target_rows: repeats.rows(),
            source_rows,
            would_be: out.source.rows - source_rows + pairs,
            examples: repeated_keys(&context, link, &linked),
        });
    }
    let by = match matching.by.as_deref().map(str::trim) {
        Some(FILE) => {
            let naming = Naming::finished(plan, link.from);
            let from_rows = finished_rows(from, link.from);
            let file = |row: usize| {
                naming.place(&context, &from_rows, row).map(|place| place.file.to_string())
            };
            let files: Texts = (0..from.rows).map(file).collect();
            Some(Column::Text(files))
        }
        _ => beside_column("matched_by"),
    };
    if let Some(by) = by {
        out.groups = groups(by, left, index, amount.as_ref());
    }
    (out.near, out.unlike) = linked.near(&link.words);
    Ok(())
}

fn side(keys: &Keys, index: &Rows, amount: Option<&Column>, name: &str) -> Side {
    let Counts { rows, matched, missing, blank } = counts(keys, index);
    let amounts = amount.map(|column| {
        let by = amounts(&Held::Own(column.clone()), keys, index);
        AmountsOf {
            name: name.to_owned(),
            matched: by.matched.size,
            missing: by.missing.size,
            blank: by.blank.size,
            matched_net: by.matched.net,
            missing_net: by.missing.net,
            blank_net: by.blank.net,
        }
    });
    let examples = missing_keys(keys, index);
    Side { rows, matched, missing, blank, amounts, examples }
}

/// The same for each value of a column.
fn groups(by: Column, keys: &Keys, index: &Rows, amount: Option<&Column>) -> Vec<Group> {
    let rows = by.len();
    let values = Keys::new(vec![by.clone()], BlankKeys::Equal, rows);
    let first = KeyTable::build(&values).link(&values, &values);
    let mut found: BTreeMap<u32, Group> = BTreeMap::new();
    for (row, of) in first.numbers().enumerate() {
        let group = found.entry(of).or_insert_with(|| Group {
            value: by.scalar(of as usize).to_string(),
            rows: 0,
            matched: 0,
            missing: 0,
            blank: 0,
            missing_net: None,
        });
        group.rows += 1;
        if index.has(row) {
            group.matched += 1;
        } else if keys.has_key(row) {
            group.missing += 1;
        } else {
            group.blank += 1;
        }
    }
    if let Some(amount) = amount {
        // The rows of each group, so that each is summed once.
        let mut rows_of: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
        for (row, of) in first.numbers().enumerate().filter(|(row, _)| !index.has(*row)) {
            rows_of.entry(of).or_default().push(row as u32);
        }
        for (of, group) in &mut found {
            let rows = rows_of.remove(of).unwrap_or_default();
            group.missing_net = Some(amount.take(&rows.into()).sum());
        }
    }
    let mut found: Vec<(u32, Group)> = found.into_iter().collect();
    found.sort_by(|(a, _), (b, _)| {
        let (a, b) = (*a as usize, *b as usize);
        match (by.is_blank(a), by.is_blank(b)) {
            (false, false) => compare(&by, a, b),
            (a, b) => a.cmp(&b),
        }
    });
    found.into_iter().map(|(_, group)| group).collect()
}
