//! A worked example made of real rows: those of each input that a row is made of or that decided what became
//! of it, and the row as it comes out of them.

mod block;
mod mask;
mod rows;

use std::collections::{BTreeSet, HashMap};

use super::rows::ExampleRows;
use super::{Shapes, example_rows, plan_of, worked_example};
use crate::bug::Sure;
use crate::engine::context::RunError;
use crate::engine::demand::{Demand, Purpose, Steps};
use crate::engine::inputs::Inputs;
use crate::engine::named::find_table;
use crate::engine::run::{Run, within, worked};
use crate::engine::show::{Showing, Shown, show};
use crate::engine::trace::{Found, Replay, Tracing, became, find, words};
use crate::lang::{
    ExampleTree, ExprKind, PlanTree, Statement, StatementKind, format_plan, parse, plan_name,
    quoted,
};
use crate::port::{InputShape, Observer, Silent, Sources};
use crate::resolve::Plan;
use crate::table::TableId;
use crate::tally::{NamedValue, Problem};
use crate::value::Type;
use block::{Block, codes, csv};
use mask::{Masks, names_somebody};
use rows::{Rows, behind};

/// Rows of files in an example, at most.
const ROWS: usize = 50;

/// A worked example of real rows.
#[derive(Debug)]
pub struct RealExample {
    /// The statement as a plan has it; nothing where no such row is.
    pub text: Option<String>,
    /// What was asked of the row.
    pub asked: Vec<NamedValue>,
    /// How many rows of files are in it.
    pub rows: usize,
    /// Whether more rows of files go into the row than are in it.
    pub cut: bool,
    /// Columns that come out otherwise than they are in the real row: their names, what they are there, and what
    /// they are here.
    pub differs: Vec<Differs>,
    /// Columns whose texts are masked, as `TABLE.COLUMN`.
    pub masked: Vec<String>,
    /// What stops the plan over these rows, where there is no example of them.
    pub problems: Vec<Problem>,
    /// The kinds of problems that stop the plan over all rows.
    stops: Vec<&'static str>,
}

/// A column that comes out of an example's rows otherwise than of all rows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Differs {
    /// The column.
    pub column: String,
    /// What it is of all rows, and what of those in the example; nothing where texts are masked.
    pub values: Option<(Option<String>, Option<String>)>,
}

/// Makes an example of the first row of a table whose columns have some values; of one that went, an example
/// that shows that. `plain` leaves the texts as they are that name people or places.
///
/// # Errors
/// As [`trace`](crate::engine::trace).
pub fn real_example(
    tree: &PlanTree,
    settings: &[(String, String)],
    sources: &dyn Sources,
    (tracing, plain): (&Tracing, bool),
    observer: &dyn Observer,
) -> Result<RealExample, RunError> {
    let mut inputs = Inputs::open(tree, sources)?;
    let wanted = |plan: &Plan| Ok(Purpose::Steps(Steps::From(find_table(plan, &tracing.table)?)));
    let shapes = inputs.shapes();
    let end = |run: Run<'_>, inputs: &Inputs| {
        let replay = Replay::new(run.context(), inputs);
        let table = find_table(run.plan, &tracing.table)?;
        let found = find(&replay, table, tracing)?;
        let mut real = RealExample {
            text: None,
            asked: found.asked.clone(),
            rows: 0,
            cut: false,
            differs: vec![],
            masked: vec![],
            problems: run.problems.clone(),
            stops: run.problems.iter().map(Problem::kind).collect(),
        };
        if !found.rows.is_empty() {
            let making = Making { tree, settings, sources, shapes: &shapes, plan: run.plan, table };
            making.make(&replay, &found, plain, &mut real)?;
        }
        Ok(real)
    };
    worked(&mut inputs, (tree, settings), observer, wanted, within(tracing.room.as_ref()), end)
}

struct Making<'a> {
    tree: &'a PlanTree,
    settings: &'a [(String, String)],
    sources: &'a dyn Sources,
    shapes: &'a HashMap<String, InputShape>,
    plan: &'a Plan,
    table: TableId,
}

impl Making<'_> {
    /// Tries the fewest rows and columns first; what else is in the plan must hold with them as well.
    fn make(
        &self,
        replay: &Replay<'_>,
        found: &Found,
        plain: bool,
        real: &mut RealExample,
    ) -> Result<(), RunError> {
        let own = (found.table, found.step, vec![found.rows[0]]);
        let table = Purpose::Table(self.table);
        let whole = Purpose::Whole { outputs: true, seen: false };
        let few = behind(replay, vec![own.clone()], ROWS)?;
        for purpose in [table, whole] {
            if self.attempt(replay, found, (&few, purpose), plain, real)? {
                return Ok(());
            }
        }
        let mut places = vec![own];
        for on in became(replay, (found.table, found.step), vec![found.rows[0]])? {
            places.push((on.stages.table, on.stages.end(), on.last().to_vec()));
        }
        let more = behind(replay, places, ROWS)?;
        self.attempt(replay, found, (&more, whole), plain, real)?;
        Ok(())
    }

    /// Makes an example of some rows, with the columns that matter for a purpose; says whether it holds.
    fn attempt(
        &self,
        replay: &Replay<'_>,
        found: &Found,
        (rows, purpose): (&Rows, Purpose),
        plain: bool,
        real: &mut RealExample,
    ) -> Result<bool, RunError> {
        real.cut = rows.cut;
        real.rows = rows.of.values().map(BTreeSet::len).sum();
        real.masked.clear();
        let mut masks = (!plain).then(|| Masks::new(self.said()));
        let blocks = self.blocks(replay, (rows, purpose), masks.as_mut(), &mut real.masked)?;
        let head = self.head(found, &blocks, masks.as_mut());
        // What comes out is worked of these rows.
        let name = plan_name(&self.plan.tables[self.table.0].name);
        let shown = self.comes_out(&head)?;
        let text = if shown.problems.is_empty() {
            let gives = csv(
                &shown.columns.iter().map(|(name, _)| name.clone()).collect::<Vec<_>>(),
                (0..shown.shown + usize::from(shown.total)).map(|row| {
                    shown.columns.iter().map(|(_, column)| words(&column.scalar(row))).collect()
                }),
            );
            formatted(&format!("{head}  gives {name} \"\"\"\n{gives}\"\"\"\n"))
        } else {
            formatted(&format!("{head}  stops {}\n", quoted(shown.problems[0].kind())))
        };
        let (statement, example) = statement(&text);
        let tally = worked_example(self.tree, (&statement, &example), self.shapes, self.sources)?;
        // That rows stop which did not would be no example of them.
        let stops = |problem: &Problem| real.stops.contains(&problem.kind());
        if !tally.held || !shown.problems.iter().all(stops) {
            real.problems = tally.problems;
            return Ok(false);
        }
        // With their own texts, so that masks are no difference.
        let shown = if masks.is_some() && !real.masked.is_empty() {
            let blocks = self.blocks(replay, (rows, purpose), None, &mut vec![])?;
            self.comes_out(&self.head(found, &blocks, None))?
        } else {
            shown
        };
        if shown.problems.is_empty() {
            real.differs = self.differs(replay, found, &shown, masks.is_some())?;
        }
        real.problems.clear();
        real.text = Some(text);
        Ok(true)
    }

    /// For each input its name, and a header and rows.
    fn blocks(
        &self,
        replay: &Replay<'_>,
        (rows, purpose): (&Rows, Purpose),
        masks: Option<&mut Masks>,
        masked: &mut Vec<String>,
    ) -> Result<Vec<(String, String)>, RunError> {
        let demand = Demand::of_each(self.plan, purpose);
        let blocks = rows.of.iter().map(|(input, rows)| Block::read(replay, &demand, *input, rows));
        let mut blocks: Vec<Block> = blocks.collect::<Result<_, RunError>>()?;
        if let Some(masks) = masks {
            let codes = codes(&blocks);
            for block in &mut blocks {
                masked.extend(block.mask(masks, &codes));
            }
        }
        Ok(blocks.into_iter().map(Block::text).collect())
    }

    /// The texts that the plan says.
    fn said(&self) -> BTreeSet<String> {
        let tokens = format_plan(
            "",
            &crate::lang::Parsed { tree: self.tree.clone(), diagnostics: vec![], comments: vec![] },
        );
        let quoted = tokens.split('"').skip(1).step_by(2).map(str::to_owned);
        // Rows that stand in the plan are no secret, whichever cells are in quotes.
        let rows = self.tree.statements.iter().filter_map(|statement| match &statement.kind {
            StatementKind::Input(input) => input.rows.as_ref(),
            _ => None,
        });
        let cells = rows.flat_map(|rows| {
            let quoted = rows.text.split('"').skip(1).step_by(2);
            rows.text.split([',', '\n']).chain(quoted).map(str::to_owned)
        });
        quoted.chain(cells).collect()
    }

    /// The example up to what comes out of it.
    fn head(
        &self,
        found: &Found,
        blocks: &[(String, String)],
        mut masks: Option<&mut Masks>,
    ) -> String {
        let key = found.asked.iter().map(|asked| {
            let value = asked.value.as_deref().unwrap_or("blank");
            match masks.as_deref_mut().filter(|_| names_somebody(&asked.name)) {
                Some(masks) => format!("{} {}", asked.name, masks.mask(&asked.name, value)),
                None => format!("{} {value}", asked.name),
            }
        });
        let key: Vec<String> = key.collect();
        let name = &self.plan.tables[self.table.0].name;
        let title = match &found.line {
            Some(place) => format!("{name}: {place}"),
            None => format!("{name}: {}", key.join(", ")),
        };
        let mut text = format!("example {}\n", quoted(&title));
        let set: Vec<String> =
            self.settings.iter().filter_map(|(name, value)| self.set(name, value)).collect();
        if !set.is_empty() {
            text.push_str(&format!("  set {}\n", set.join(", ")));
        }
        for (input, block) in blocks {
            text.push_str(&format!("  with {} \"\"\"\n{block}\"\"\"\n", plan_name(input)));
        }
        text
    }

    /// A parameter with its value as a plan writes it.
    fn set(&self, name: &str, value: &str) -> Option<String> {
        let param = self.tree.statements.iter().find_map(|statement| match &statement.kind {
            StatementKind::Param(param) if param.name.text == name => Some(param),
            _ => None,
        })?;
        let written = match param.ty.ty {
            _ if value.is_empty() => "blank".to_owned(),
            Type::Text => quoted(value),
            Type::Date | Type::DateTime => match &param.value.kind {
                ExprKind::Call { function, .. } => format!("{}({})", function.text, quoted(value)),
                _ => format!("date({})", quoted(value)),
            },
            _ => value.to_owned(),
        };
        Some(format!("{} = {written}", plan_name(name)))
    }

    /// The table's rows as they come out of an example that begins like this.
    fn comes_out(&self, head: &str) -> Result<Shown, RunError> {
        let name = &self.plan.tables[self.table.0].name;
        let text = format!("{head}  gives {} \"\"\"\nx\n\"\"\"\n", plan_name(name));
        let (statement, example) = statement(&text);
        let plan = plan_of(self.tree, &example);
        let known: &Shapes = self.shapes;
        let rows: ExampleRows<'_> =
            example_rows(&plan, (&statement, &example), known, self.sources)?;
        let table = self.plan.tables[self.table.0].name.clone();
        show(&plan, &[], &rows, &Showing { table, ..Showing::default() }, &Silent)
    }

    /// The columns of the row that come out otherwise than they are.
    fn differs(
        &self,
        replay: &Replay<'_>,
        found: &Found,
        shown: &Shown,
        masks: bool,
    ) -> Result<Vec<Differs>, RunError> {
        let at_end = found.step == self.plan.tables[self.table.0].steps.len();
        let Some(stages) =
            replay.stages(self.table)?.filter(|_| found.table == self.table && at_end)
        else {
            return Ok(vec![]);
        };
        let end = stages.end();
        let visible = self.plan.tables[self.table.0].columns_at(end);
        let value = |row: u32| -> Vec<(String, Option<String>)> {
            let value = |(name, slot): &(String, crate::table::SlotId)| {
                (name.clone(), words(&stages.value(end, *slot, row)))
            };
            visible.iter().map(value).collect()
        };
        let real = value(found.rows[0]);
        let grain = self.plan.tables[self.table.0].grain.as_ref().map_or(&[][..], |g| &g.columns);
        let keys: Vec<&str> = match grain {
            [] => found.asked.iter().map(|asked| asked.name.as_str()).collect(),
            grain => grain.iter().map(String::as_str).collect(),
        };
        let of = |row: usize, name: &str| {
            let column = shown.columns.iter().find(|(known, _)| known == name);
            words(&column.sure("a column of a table that came out").1.scalar(row))
        };
        let is_own = |row: &usize| {
            real.iter()
                .filter(|(name, _)| keys.contains(&name.as_str()))
                .all(|(name, value)| of(*row, name) == *value)
        };
        // A blank in a key may stand on several rows.
        let unlike =
            |row: &usize| real.iter().filter(|(name, value)| of(*row, name) != *value).count();
        let Some(row) = (0..shown.shown).filter(is_own).min_by_key(unlike) else {
            return Ok(vec![]);
        };
        let differs = real.into_iter().filter_map(|(name, value)| {
            let here = of(row, &name);
            let ty = shown.columns.iter().find(|(known, _)| *known == name);
            let shows = !masks || ty.is_some_and(|(_, column)| column.ty() != Type::Text);
            let values = shows.then(|| (value.clone(), here.clone()));
            (here != value).then_some(Differs { column: name, values })
        });
        Ok(differs.collect())
    }
}

/// The one statement of a text that was made here.
fn statement(text: &str) -> (Statement, ExampleTree) {
    let statement = parse(text).tree.statements.into_iter().next().sure("an example");
    match &statement.kind {
        StatementKind::Example(example) => (statement.clone(), example.clone()),
        _ => crate::bug::bug("what is no example was made"),
    }
}

/// A text in the one layout of plans.
fn formatted(text: &str) -> String {
    format_plan(text, &parse(text))
}
