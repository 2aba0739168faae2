//! Window functions: figures among the lines shown, and lines that are chosen.

use crate::Evaluator;
use crate::context::{Context, Key, Step};
use std::cmp::Ordering;
use std::rc::Rc;
use vembra_engine::Member;
use vembra_model::{Bound, BoundKind, BoundWindow, What, WindowBy};
use vembra_plan::{EvalError, Function, Scalar, Type, WindowFrame, call};

type Position = Vec<(Key, Member)>;

/// One more than how many lines of the group have a larger value; the rest behind the first ones has no rank and takes none.
fn rank(
    own: &Position,
    group: Vec<Position>,
    among: &[Key],
    value: impl Fn(&Position) -> Result<Scalar, EvalError>,
) -> Result<Scalar, EvalError> {
    let is_rest = |p: &Position| p.iter().any(|(k, m)| among.contains(k) && matches!(m, Member::Rest(_)));
    if is_rest(own) {
        return Ok(Scalar::Null);
    }
    let mine = value(own)?;
    if mine.is_null() {
        return Ok(Scalar::Null);
    }
    let mut larger = 0;
    for line in group.iter().filter(|line| !is_rest(line)) {
        let other = value(line)?;
        larger += i64::from(!other.is_null() && other.compare(&mine) == Ordering::Greater);
    }
    Ok(Scalar::Integer(larger + 1))
}

impl<'a> Evaluator<'a> {
    pub(crate) fn window(
        &self,
        window: &'a BoundWindow,
        ty: Type,
        context: &Context<'a>,
    ) -> Result<Scalar, EvalError> {
        let Some((lines, before)) = &context.lines else {
            return Err(EvalError::Internal("no lines to look along".to_owned()));
        };
        let own = self.position(context);
        let among = self.among(window, &own, context);
        if among.is_empty() {
            return Ok(Scalar::Null);
        }
        let others =
            |p: &Position| -> Position { p.iter().filter(|(k, _)| !among.contains(k)).cloned().collect() };
        let group: Vec<Position> = lines.iter().filter(|l| others(l) == others(&own)).cloned().collect();
        // A cell without a line has no place among the lines.
        if !group.contains(&own) {
            return Ok(Scalar::Null);
        }
        let at = |line: &Position| {
            let mut other = context.clone();
            other.steps[*before] = Step::Keys(line.clone());
            other
        };
        let value = |line: &Position| self.cell(&window.value, &at(line), false);
        if !window.function.is_ordered() {
            return rank(&own, group, &among, value);
        }
        let figure = |figure: &'a Bound, line: &Position| self.cell(figure, &at(line), false);
        let group = self.in_line(window, group, &own, figure)?;
        let span = group.iter().position(|l| *l == own).unwrap_or(0);
        if window.function.form().frame == WindowFrame::LineBefore {
            return if span == 0 { Ok(Scalar::Null) } else { value(&group[span - 1]) };
        }
        let mut sum = Scalar::Null;
        for line in &group[..=span] {
            sum = match (sum, value(line)?) {
                (sum, Scalar::Null) => sum,
                (Scalar::Null, next) => call::convert(next, ty)?,
                (sum, next) => call::call(Function::Add, &[sum, next], ty)?,
            };
        }
        Ok(sum)
    }

    /// The keys along which the function looks; lines that differ by others are of other groups.
    fn among(&self, window: &'a BoundWindow, own: &Position, context: &Context<'a>) -> Vec<Key> {
        let keys = || own.iter().map(|(k, _)| *k);
        match (&window.among, &window.by) {
            // Lines without a place on the axis are in no order.
            (Some(_), Some(WindowBy::Axis(axis))) if !keys().any(|k| self.is_axis(k, axis)) => Vec::new(),
            (Some(what), _) => keys().filter(|k| self.stands_by(what, *k, context)).collect(),
            (None, Some(WindowBy::Axis(axis))) => match keys().find(|k| self.is_axis(*k, axis)) {
                Some(key) => keys().filter(|k| *k == key || self.key_settles(key, *k)).collect(),
                None => Vec::new(),
            },
            (None, Some(WindowBy::Figure(..))) => {
                let rows = self.query.map_or(0, |q| q.row_axes);
                let on_rows = |k: &Key| matches!(k, Key::Axis(at) if *at < rows);
                if rows > 0 { keys().filter(on_rows).collect() } else { keys().collect() }
            }
            (None, None) => Vec::new(),
        }
    }

    /// The lines of a group in the order in which the function looks at them.
    fn in_line(
        &self,
        window: &'a BoundWindow,
        mut group: Vec<Position>,
        own: &Position,
        figure_at: impl Fn(&'a Bound, &Position) -> Result<Scalar, EvalError>,
    ) -> Result<Vec<Position>, EvalError> {
        match &window.by {
            Some(WindowBy::Figure(figure, descending)) => {
                let mut keyed = Vec::new();
                for line in group {
                    keyed.push((figure_at(figure, &line)?, line));
                }
                keyed.sort_by(|(a, left), (b, right)| {
                    crate::null_last(a, b, *descending).then_with(|| self.in_order(left, right, None))
                });
                return Ok(keyed.into_iter().map(|(_, line)| line).collect());
            }
            Some(WindowBy::Axis(axis)) => {
                let key = own.iter().map(|(k, _)| *k).find(|k| self.is_axis(*k, axis));
                group.sort_by(|a, b| self.in_order(a, b, key));
            }
            None => {}
        }
        Ok(group)
    }

    fn stands_by(&self, what: &What, key: Key, context: &Context<'a>) -> bool {
        let mut alone = context.clone();
        alone.steps.retain(|s| !matches!(s, Step::Keys(_)));
        alone.steps.push(Step::Keys(vec![(key, Member::None)]));
        self.stands(what, &alone)
    }

    fn is_axis(&self, key: Key, axis: &Bound) -> bool {
        let Key::Axis(at) = key else { return false };
        match (&self.axis(at).kind, &axis.kind) {
            (BoundKind::Column(a, r), BoundKind::Column(b, s)) => a == b && r == s,
            (BoundKind::Column(..), _) | (_, BoundKind::Column(..)) => false,
            _ => format!("{:?}", strip(self.axis(at))) == format!("{:?}", strip(axis)),
        }
    }

    fn key_settles(&self, finer: Key, coarser: Key) -> bool {
        let (Key::Axis(a), Key::Axis(b)) = (finer, coarser) else { return false };
        match (&self.axis(a).kind, &self.axis(b).kind) {
            (BoundKind::Column(a, r), BoundKind::Column(b, s)) => self.model.settles((*a, *r), (*b, *s)),
            _ => false,
        }
    }

    /// The order of members: by hand first; none, unknown and the rest last.
    fn in_order(&self, a: &Position, b: &Position, first: Option<Key>) -> Ordering {
        let span = |key: &Key, member: &Member| {
            let Key::Axis(at) = key else { return (0, 0, Scalar::Null) };
            let by_hand = self.model.order_of(self.axis(*at));
            match member {
                Member::Value(v) => {
                    let hand = by_hand.iter().position(|h| h == v).unwrap_or(by_hand.len());
                    (0, hand, v.clone())
                }
                Member::None => (1, 0, Scalar::Null),
                Member::Unknown => (2, 0, Scalar::Null),
                _ => (3, 0, Scalar::Null),
            }
        };
        let order = |(ka, ma): &(Key, Member), (_, mb): &(Key, Member)| {
            let (x, y) = (span(ka, ma), span(ka, mb));
            (x.0, x.1).cmp(&(y.0, y.1)).then_with(|| x.2.compare(&y.2))
        };
        if let Some(first) = first
            && let (Some(x), Some(y)) =
                (a.iter().find(|(k, _)| *k == first), b.iter().find(|(k, _)| *k == first))
        {
            let by_first = order(x, y);
            if by_first != Ordering::Equal {
                return by_first;
            }
        }
        a.iter().zip(b).map(|(x, y)| order(x, y)).find(|o| o.is_ne()).unwrap_or(Ordering::Equal)
    }

    /// The axes by whose members lines are chosen.
    pub(crate) fn chosen_axes(&self, which: usize) -> Vec<usize> {
        let Some(query) = self.query else { return Vec::new() };
        if which == 0 {
            let rows = if query.row_axes > 0 { query.row_axes } else { query.axes.len() };
            return (0..rows).collect();
        }
        let mut axes: Vec<usize> =
            query.top.iter().flat_map(|t| t.within.iter().copied().chain([t.axis])).collect();
        axes.sort_unstable();
        axes
    }

    /// The members of the lines that are chosen.
    pub(crate) fn chosen_lines(&self, which: usize) -> Result<Rc<Vec<Vec<Member>>>, EvalError> {
        if let Some(known) = self.chosen.borrow().get(&which) {
            return Ok(known.clone());
        }
        let Some(query) = self.query else { return Ok(Rc::default()) };
        let before = self.choosing.replace(true);
        let chosen = self.choose(which, query);
        self.choosing.set(before);
        let chosen = Rc::new(chosen?);
        self.chosen.borrow_mut().insert(which, chosen.clone());
        Ok(chosen)
    }

    fn choose(
        &self,
        which: usize,
        query: &'a vembra_model::BoundSummary,
    ) -> Result<Vec<Vec<Member>>, EvalError> {
        let axes = self.chosen_axes(which);
        let base = self.base(query, which);
        let figure = match (which, &query.having, &query.top) {
            (0, Some(having), _) => having,
            (1, _, Some(top)) => &top.by,
            _ => return Ok(Vec::new()),
        };
        let positions = self.plain_positions(figure, &base, &axes)?;
        let lines = Rc::new(positions.clone());
        let mut valued: Vec<(Scalar, Position)> = Vec::new();
        for position in positions {
            let mut context = base.clone();
            context.lines = Some((lines.clone(), base.steps.len()));
            context.steps.push(Step::Keys(position.clone()));
            valued.push((self.cell(figure, &context, false)?, position));
        }
        let members = |p: &Position| -> Vec<Member> { p.iter().map(|(_, m)| m.clone()).collect() };
        let chosen: Vec<Vec<Member>> = if which == 0 {
            valued.iter().filter(|(v, _)| v.physical() == Some(1)).map(|(_, p)| members(p)).collect()
        } else {
            self.first_ones(query, valued).iter().map(members).collect()
        };
        Ok(chosen)
    }

    fn first_ones(
        &self,
        query: &'a vembra_model::BoundSummary,
        valued: Vec<(Scalar, Position)>,
    ) -> Vec<Position> {
        let Some(top) = &query.top else { return Vec::new() };
        let within = |p: &Position| -> Position {
            p.iter().filter(|(k, _)| *k != Key::Axis(top.axis)).cloned().collect()
        };
        let mut chosen = Vec::new();
        for (value, position) in &valued {
            if value.is_null() {
                continue;
            }
            let mut before = 0;
            let mut better = 0;
            for (other, line) in &valued {
                if other.is_null() || within(line) != within(position) {
                    continue;
                }
                let order = if top.smallest { other.compare(value) } else { value.compare(other) };
                better += usize::from(order == Ordering::Less);
                let first = order.then_with(|| self.in_order(line, position, Some(Key::Axis(top.axis))));
                before += usize::from(first == Ordering::Less);
            }
            if (if top.ties { better } else { before }) < top.count {
                chosen.push(position.clone());
            }
        }
        chosen
    }

    /// Where a figure's facts have rows, by the very members of axes.
    fn plain_positions(
        &self,
        figure: &'a Bound,
        base: &Context<'a>,
        axes: &[usize],
    ) -> Result<Vec<Position>, EvalError> {
        let mut positions: std::collections::BTreeMap<String, Position> = std::collections::BTreeMap::new();
        for (table, roles) in self.facts(&[figure]) {
            let mut context = base.clone();
            context.steps.extend(roles.into_iter().map(Step::Via));
            let roles = self.own_roles(table, &context.roles());
            if axes.iter().any(|at| !self.key_reached(&Key::Axis(*at), table, &roles)) {
                continue;
            }
            let seen = self.seen(&context, table)?;
            if !self.can_decide(&seen, table, &roles) {
                continue;
            }
            for row in 0..self.data.rows(table) {
                for way in self.ways_in(&seen, None, (table, row), &context)? {
                    let position: Result<Position, EvalError> = self.looking(&way, || {
                        let member = |at: &usize| self.axis_member(*at, table, row, &roles);
                        axes.iter().map(|at| Ok((Key::Axis(*at), member(at)?))).collect()
                    });
                    let position = position?;
                    positions.insert(format!("{position:?}"), position);
                }
            }
        }
        Ok(positions.into_values().collect())
    }
}

/// The same without places.
fn strip(bound: &Bound) -> Bound {
    let kind = match &bound.kind {
        BoundKind::Call(function, args) => BoundKind::Call(*function, args.iter().map(strip).collect()),
        other => other.clone(),
    };
    Bound { kind, ty: bound.ty, span: vembra_syntax::Span::default() }
}
