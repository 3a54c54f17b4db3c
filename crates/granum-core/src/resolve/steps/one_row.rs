//! `one row per`: rows become groups, and the keys the new grain.

use super::super::plan::{
    AggregatePlan, ApartPair, AssignPlan, MistakePlan, OneRowPlan, Step, WarningPlan,
};
use super::super::scope::{Paths, PendingKind, Resolver, Row};
use super::super::worth::{Repeat, Worth, WorthKind};
use super::super::{Resolved, Wrong};
use super::{Builder, Known, Named};
use crate::aggregate::AggregateFunction;
use crate::expr::{Kind, Typed};
use crate::lang::{
    AssignTree, Diagnostic, DiagnosticKind, Expr, ExprKind, KeyTree, Name, Quoted,
    format_expression, one_row, plan_name,
};
use crate::resolve::ancestors::Ancestors;
use crate::table::{ColumnId, LinkId, SlotId, TableId};
use crate::value::{Scalar, Type};

/// `one row per …` as it stands in a plan.
pub(super) struct OneRowTree<'t> {
    pub keys: &'t [KeyTree],
    pub total: Option<&'t Quoted>,
    pub items: &'t [AssignTree],
}

/// A key, resolved.
struct Key {
    value: Typed,
    worth: Worth,
    name: String,
}

/// Aggregates, and the slots of their values.
type Worked = Vec<(AggregatePlan, SlotId)>;

/// The results of a step: what is worked of groups, and what is worked of that.
struct Results {
    worked: Worked,
    assigned: Vec<(SlotId, Typed)>,
    /// Results that count apart and meet in others.
    meets: Vec<ApartPair>,
    whole: Resolved<()>,
}

impl Resolver<'_> {
    pub(super) fn one_row(&mut self, builder: &mut Builder, tree: &OneRowTree<'_>) -> Resolved<()> {
        if let Some(total) = tree.total.filter(|_| tree.keys.is_empty()) {
            let message = "one row in all is the total already";
            let diagnostic = Diagnostic::new(DiagnosticKind::Step, total.span, message);
            return self.wrong(diagnostic.help("leave  total row  out"));
        }
        let text = one_row(tree.keys, tree.total);
        let keys = self.group_keys(builder, tree)?;
        let from = builder.steps.len() + 1;
        let mut named: Vec<Named> = vec![];
        let mut planned = vec![];
        for key in keys {
            let slot = builder.slot(key.value.ty, key.worth, from);
            named.push(Named::new(key.name.clone(), from, slot));
            planned.push((key.value, slot, key.name));
        }
        // Inside an aggregate stand the rows' names, outside keys and results above.
        self.inner = Some(Row { next_slot: None, ..builder.row() });
        self.group_keys = planned.iter().map(|(key, slot, _)| (key.clone(), *slot)).collect();
        self.group_total = tree.total.is_some();
        let results = self.results(builder, tree.items, &planned, &mut named);
        self.inner = None;
        self.group_keys.clear();
        // Rows are looked at before they are groups.
        self.look_apart(builder, &text);
        let now = builder.steps.len() + 1;
        builder.from_step.iter_mut().filter(|own| **own == from).for_each(|own| *own = now);
        named.iter_mut().flat_map(|named| &mut named.versions).for_each(|(own, _)| *own = now);
        let Results { worked, assigned, meets, whole } = results;
        let months = self.mistakes(builder, tree, &planned, &worked, &named, &text);
        let own_name = self.own_name(builder, &planned);
        let grain: Vec<SlotId> = planned.iter().map(|(_, slot, _)| *slot).collect();
        let ends = carry_over(builder, tree.items, &worked, &named);
        for key in tree.keys {
            if let (ExprKind::Path(parts), Some(new)) = (&key.value.kind, &key.name)
                && let [old] = parts.as_slice()
            {
                builder.once.push((old.text.clone(), new.text.clone()));
            }
        }
        builder.names = named;
        builder.grain = Some(Known { slots: grain, unique: true, filled: true });
        builder.ancestors = Ancestors::default();
        builder.raw.clear();
        builder.grouped = true;
        builder.total = tree.total.is_some();
        let plan = OneRowPlan {
            keys: planned,
            results: worked,
            total: tree.total.map(|total| total.text.clone()),
            ends,
            months,
            own_name,
        };
        builder.push(Step::OneRow(plan), text.clone(), true);
        if !assigned.is_empty() {
            builder.push(Step::Assign(AssignPlan(assigned)), "results".into(), false);
        }
        self.meets = meets;
        self.look_apart(builder, &text);
        whole
    }

    /// Notes what is usually a mistake. Gives keys that are months of whichever year.
    fn mistakes(
        &mut self,
        builder: &Builder,
        tree: &OneRowTree<'_>,
        keys: &[(Typed, SlotId, String)],
        worked: &Worked,
        named: &[Named],
        text: &str,
    ) -> Vec<(String, Typed)> {
        let note = |what| WarningPlan { table: builder.id, step: text.to_owned(), what };
        let mut found = vec![];
        for ((value, _, key), key_tree) in keys.iter().zip(tree.keys) {
            let Some((of, name)) = builder.looked_up(value).filter(|_| value.ty == Type::Text)
            else {
                continue;
            };
            let Some(id) = self.only_grain(of).filter(|id| *id != name) else { continue };
            let id_name = self.tables[of.0].columns[id].name.clone();
            let id_is_a_key = keys.iter().any(|(other, _, other_name)| {
                *other_name == id_name || builder.looked_up(other) == Some((of, id))
            });
            if !id_is_a_key && !self.is_link_key(of, name) {
                let group = self.reach(builder, of, id).map_or_else(
                    || "group by the id: bring its column here before, and make it a key".into(),
                    |id| {
                        let key = key_words(key_tree);
                        format!(
                            "group by the id, and take the name along:  one row per {id}, {key}"
                        )
                    },
                );
                let key = key.clone();
                found.push(note(MistakePlan::SharedName {
                    key,
                    of,
                    name: ColumnId(name),
                    id: ColumnId(id),
                    group,
                }));
            }
        }
        for item in tree.items {
            let slot = named.iter().find(|named| named.name == item.name.text).map(Named::slot);
            let counts = worked.iter().any(|(plan, known)| {
                Some(*known) == slot
                    && plan.function == AggregateFunction::Rows
                    && plan.filter.is_none()
            });
            let leads = builder.ancestors.iter().find_map(|(counted, _)| {
                let link = self.links.iter().position(|link| {
                    let target = &self.tables[link.to.0].name.text;
                    link.from == counted
                        && (link.name == item.name.text || *target == item.name.text)
                })?;
                Some((counted, LinkId(link)))
            });
            if let Some((counted, link)) = leads.filter(|_| counts) {
                let result = item.name.text.clone();
                found.push(note(MistakePlan::RowsCounted { result, counted, link }));
            }
        }
        self.plan.warnings.extend(found);
        months(keys)
    }

    /// How a column of another table is written in a step: by its own name, or by the shortest path.
    fn reach(&self, builder: &Builder, of: TableId, column: usize) -> Option<String> {
        const FAR: usize = 4;
        let name = &self.tables[of.0].columns[column].name;
        let same = self.same_values(of, name);
        let here = builder.names.iter().find(|named| match builder.entity[named.slot().0] {
            Some((table, at)) if table == of => at == column,
            Some((table, at)) => same
                .iter()
                .any(|(of, name)| *of == table && *name == self.tables[of.0].columns[at].name),
            None => same
                .iter()
                .any(|(table, name)| *name == named.name && builder.ancestors.has(*table)),
        });
        if let Some(named) = here {
            return Some(plan_name(&named.name));
        }
        let mut ways: Vec<(String, TableId)> = vec![];
        let mut ends = builder.ancestors.clone();
        let mut before = String::new();
        for at in 0.. {
            for (end, _) in ends.iter() {
                for link in self.links.iter().filter(|link| link.from == end) {
                    let way = format!("{before}{}.", plan_name(&link.name));
                    if link.to == of {
                        return Some(way + &plan_name(name));
                    }
                    if way.matches('.').count() < FAR {
                        ways.push((way, link.to));
                    }
                }
            }
            let (way, to) = ways.get(at)?.clone();
            (before, ends) = (way, self.tables[to.0].ancestors.clone());
        }
        None
    }

    /// Columns of other tables that lead to a column by itself, and so have its values.
    fn same_values(&self, of: TableId, column: &str) -> Vec<(TableId, String)> {
        let plain = |expr: &Expr| match &expr.kind {
            ExprKind::Path(parts) if parts.len() == 1 => Some(parts[0].text.clone()),
            _ => None,
        };
        let links = self.links.iter().filter(|link| link.to == of && link.tree.keys.len() == 1);
        let leads = links.filter_map(|link| {
            let key = &link.tree.keys[0];
            let right = plain(key.right.as_ref().unwrap_or(&key.left))?;
            Some((link.from, plain(&key.left).filter(|_| right == column)?))
        });
        leads.collect()
    }

    /// The one key, where it is a text of rows that another column alone tells apart. What leads on
    /// by a link is no name.
    fn own_name(
        &self,
        builder: &Builder,
        keys: &[(Typed, SlotId, String)],
    ) -> Option<(String, String)> {
        let [(Typed { kind: Kind::Slot(slot), ty: Type::Text, .. }, _, key)] = keys else {
            return None;
        };
        let grain = builder.grain.as_ref().filter(|grain| grain.slots.len() == 1)?;
        let own = !grain.slots.contains(slot) && builder.entity[slot.0].is_none();
        let leads = builder.ancestors.iter().any(|(table, _)| {
            let columns = &self.tables[table.0].columns;
            let at = columns.iter().position(|column| column.name == *key);
            at.is_some_and(|at| self.is_link_key(table, at))
        });
        (own && !leads).then(|| Some((key.clone(), builder.grain_names().pop()?)))?
    }

    /// The one column that is a finished table's grain.
    fn only_grain(&self, table: TableId) -> Option<usize> {
        let plan = self.tables[table.0].plan.as_ref()?;
        let [column] = plan.grain.as_ref()?.columns.as_slice() else { return None };
        plan.columns.iter().position(|(name, _)| name == column)
    }

    /// Whether a column of a table is, by itself, the key of a link.
    fn is_link_key(&self, table: TableId, column: usize) -> bool {
        let name = &self.tables[table.0].columns[column].name;
        let is = |expr: &Expr| matches!(&expr.kind, ExprKind::Path(parts) if parts.len() == 1 && parts[0].text == *name);
        self.links.iter().any(|link| {
            link.tree.keys.iter().any(|key| {
                let right = key.right.as_ref().unwrap_or(&key.left);
                (link.from == table && is(&key.left)) || (link.to == table && is(right))
            })
        })
    }

    fn group_keys(&mut self, builder: &Builder, tree: &OneRowTree<'_>) -> Resolved<Vec<Key>> {
        let row = builder.row();
        let mut keys: Vec<Key> = vec![];
        for key in tree.keys {
            let (value, worth) = self.expression(&key.value, &row)?;
            let Some(name) = key_name(key) else {
                return self.wrong(
                    Diagnostic::new(DiagnosticKind::Step, key.value.span, "this key needs a name")
                        .help("say it behind the key:  as NAME"),
                );
            };
            if keys.iter().any(|known| known.name == name.text) {
                return self.wrong(Diagnostic::new(
                    DiagnosticKind::NameTaken,
                    name.span,
                    format!("`{}` stands twice among the keys", name.text),
                ));
            }
            if let Some(total) = tree.total
                && value.ty != Type::Text
            {
                return self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::Type,
                        key.value.span,
                        format!(
                            "the total row has \"{}\" in every key, and this key is {}",
                            total.text, value.ty
                        ),
                    )
                    .help(format!("make it text:  text(…) as {}", name.text)),
                );
            }
            // A key stands for all rows of its group, of which each had the amount.
            let kind = if worth.is_amount() {
                WorthKind::Repeats(Repeat::OnGroup)
            } else {
                WorthKind::Plain
            };
            let worth = Worth { kind, own: kind == WorthKind::Plain, carried: None, ..worth };
            keys.push(Key { value, worth, name: name.text });
        }
        Ok(keys)
    }

    /// The results in their order: what is worked of groups, and what is worked of that.
    fn results(
        &mut self,
        builder: &mut Builder,
        items: &[AssignTree],
        keys: &[(Typed, SlotId, String)],
        named: &mut Vec<Named>,
    ) -> Results {
        let (mut worked, mut assigned, mut whole): (Worked, _, _) = (vec![], vec![], Ok(()));
        let mut meets = vec![];
        for item in items {
            if named.iter().any(|known| known.name == item.name.text) {
                whole = self.wrong(
                    Diagnostic::new(
                        DiagnosticKind::NameTaken,
                        item.name.span,
                        format!("`{}` is a key or a result already", item.name.text),
                    )
                    .help("give the result another name"),
                );
                continue;
            }
            let row = Row {
                table: builder.name.clone(),
                columns: named
                    .iter()
                    .map(|named| {
                        let slot = named.slot();
                        let worth = builder.worth[slot.0];
                        let ty = builder.types[slot.0];
                        (named.name.clone(), Kind::Slot(slot), ty, worth)
                    })
                    .collect(),
                ancestors: Ancestors::default(),
                apart: builder.row().apart,
                paths: Paths::Results,
                next_slot: Some(builder.types.len()),
                source: None,
                once: vec![],
            };
            self.pending.clear();
            let value = self.expression(&item.value, &row);
            let from = builder.steps.len() + 1;
            for pending in std::mem::take(&mut self.pending) {
                let mut worth = pending.worth;
                if let PendingKind::Result(plan) = &pending.kind {
                    // Where each value has a group of its own, none is counted in two.
                    worth.counts_distinct &= !counts_the_key(plan, keys);
                }
                let slot = builder.slot(pending.ty, worth, from);
                builder.apart[slot.0] = pending.apart;
                if let PendingKind::Result(plan) = pending.kind {
                    worked.push((plan, slot));
                }
            }
            let (value, worth) = value.unwrap_or_else(|_| {
                whole = Err(Wrong);
                let nothing = Kind::Constant(Scalar::Blank);
                (Typed::new(nothing, Type::Blank, item.name.span), Worth::default())
            });
            let direct = match value.kind {
                Kind::Slot(slot) if worked.iter().any(|(_, known)| *known == slot) => Some(slot),
                _ => None,
            };
            let slot = direct.unwrap_or_else(|| {
                let worth = Worth { own: worth.repeats().is_none(), ..worth };
                let slot = builder.slot(value.ty, worth, from);
                let before = std::mem::take(&mut self.meets);
                let apart = self.apart_here(builder, &value);
                meets.append(&mut self.meets);
                self.meets = before;
                whole = std::mem::replace(&mut whole, Ok(()))
                    .and(apart.as_ref().map(|_| ()).map_err(|_| Wrong));
                builder.apart[slot.0] = apart.unwrap_or_default();
                assigned.push((slot, value));
                slot
            });
            named.push(Named::new(item.name.text.clone(), from, slot));
        }
        Results { worked, assigned, meets, whole }
    }
}

/// `NAME = sum(COLUMN)` of a tracked column goes on as NAME; all other amounts end here. Gives
/// the names of those.
fn carry_over(
    builder: &mut Builder,
    items: &[AssignTree],
    worked: &Worked,
    named: &[Named],
) -> Vec<String> {
    let step = builder.steps.len();
    let mut ends = vec![];
    for mut tracked in std::mem::take(&mut builder.tracked) {
        let old = tracked.slot();
        let carried = items.iter().find_map(|item| {
            let slot = named.iter().find(|named| named.name == item.name.text)?.slot();
            let (plan, _) = worked.iter().find(|(_, known)| *known == slot)?;
            let sums = plan.function == AggregateFunction::Sum
                && plan.filter.is_none()
                && matches!(&plan.value, Some(Typed { kind: Kind::Slot(s), .. }) if *s == old);
            sums.then(|| (item.name.text.clone(), slot))
        });
        match carried {
            Some((name, slot)) => {
                tracked.name = name;
                tracked.versions.push((step + 1, slot));
                let apart = builder.apart[slot.0].as_ref().map(|apart| &apart.kind);
                if let Some(Kind::Slot(apart)) = apart {
                    tracked.apart.push((step + 1, *apart));
                }
                builder.tracked.push(tracked);
            }
            None => {
                ends.push(tracked.name.clone());
                builder.ended.push((tracked, step));
            }
        }
    }
    ends
}

/// Keys that are months of whichever year, with the day that they are of; nothing where a year is
/// among the keys.
fn months(keys: &[(Typed, SlotId, String)]) -> Vec<(String, Typed)> {
    let calls = |names: &[&str]| {
        let found = keys.iter().filter_map(|(value, _, key)| match &value.kind {
            Kind::Call { function, args } if names.contains(&function.name) => {
                Some((key.clone(), args.first()?.clone()))
            }
            _ => None,
        });
        found.collect::<Vec<_>>()
    };
    if calls(&["year", "month", "quarter", "week", "start_of_month"]).is_empty() {
        calls(&["month_name", "month_number"])
    } else {
        vec![]
    }
}

/// Whether what is counted is the one key.
fn counts_the_key(plan: &AggregatePlan, keys: &[(Typed, SlotId, String)]) -> bool {
    let (Some(value), [(key, ..)]) = (&plan.value, keys) else { return false };
    match (&value.kind, &key.kind) {
        (Kind::Slot(a), Kind::Slot(b)) => a == b,
        (
            Kind::Path { from: a, hops: a_hops, column: a_column, .. },
            Kind::Path { from: b, hops: b_hops, column: b_column, .. },
        ) => a == b && a_hops == b_hops && a_column == b_column,
        _ => false,
    }
}

/// A key as it stands in a plan.
fn key_words(key: &KeyTree) -> String {
    let name =
        key.name.as_ref().map_or(String::new(), |name| format!(" as {}", plan_name(&name.text)));
    format_expression(&key.value) + &name
}

/// What a key is called: as it says, or a path by its last name.
fn key_name(key: &KeyTree) -> Option<Name> {
    match (&key.name, &key.value) {
        (Some(name), _) => Some(name.clone()),
        (None, Expr { kind: ExprKind::Path(parts), .. }) => parts.last().cloned(),
        (None, _) => None,
    }
}
