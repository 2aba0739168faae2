//! Working days: looked up in the calendar, by the number of working days up to a day.

use super::{KeyUse, Lowering};
use crate::bound::Bound;
use vembra_plan::{
    Aggregate, AggregateFunction, Expr, Function, Key, KeyId, Node, NodeId, NodeKind, RowExpr, Scalar, Scan,
    ScanId, ScanKey, TableId, Type,
};
use vembra_syntax::Span;

/// What is looked up in the calendar.
#[derive(Clone, Copy)]
pub(super) struct WorkingNodes {
    /// By a day: how many working days there are up to it, and before it.
    day: KeyId,
    up_to: NodeId,
    before: NodeId,
    /// By such a number: its working day.
    number: KeyId,
    day_of: NodeId,
}

/// Makes expressions of rows, or figures of cells.
trait Maker {
    type Made: Clone;
    fn literal(&mut self, value: i64) -> Self::Made;
    fn call(&mut self, function: Function, args: Vec<Self::Made>, ty: Type) -> Self::Made;
    fn look(&mut self, node: NodeId, key: KeyId, at: Self::Made) -> Self::Made;
}

struct OfRows<'l, 'a>(&'l mut Lowering<'a>);

impl Maker for OfRows<'_, '_> {
    type Made = RowExpr;

    fn literal(&mut self, value: i64) -> RowExpr {
        Expr::Literal(Scalar::Integer(value))
    }

    fn call(&mut self, function: Function, args: Vec<RowExpr>, ty: Type) -> RowExpr {
        Expr::Call { function, args, ty }
    }

    fn look(&mut self, node: NodeId, key: KeyId, at: RowExpr) -> RowExpr {
        self.0.looked_up(node, vec![(key, at)])
    }
}

struct OfCells<'l, 'a>(&'l mut Lowering<'a>);

impl Maker for OfCells<'_, '_> {
    type Made = NodeId;

    fn literal(&mut self, value: i64) -> NodeId {
        let kind = NodeKind::Literal(Scalar::Integer(value));
        self.0.graph.add(Node { kind, ty: Type::Integer, keys: Vec::new() })
    }

    fn call(&mut self, function: Function, args: Vec<NodeId>, ty: Type) -> NodeId {
        let keys = self.0.keys_of(&args);
        self.0.graph.add(Node { kind: NodeKind::Call(function, args), ty, keys })
    }

    fn look(&mut self, node: NodeId, key: KeyId, at: NodeId) -> NodeId {
        let (ty, keys) = (self.0.graph.node(node).ty, self.0.graph.node(at).keys.clone());
        self.0.graph.add(Node { kind: NodeKind::At { inner: node, key, member: at }, ty, keys })
    }
}

/// `working_days(a, b)` or `working_day(a, n)` of what was made of its arguments.
fn made<M: Maker>(
    make: &mut M,
    function: Function,
    args: &[M::Made],
    nodes: WorkingNodes,
) -> Option<M::Made> {
    let [first, second] = args else { return None };
    let up_to = make.look(nodes.up_to, nodes.day, first.clone());
    if function == Function::WorkingDays {
        let until = make.look(nodes.up_to, nodes.day, second.clone());
        return Some(make.call(Function::Subtract, vec![until, up_to], Type::Integer));
    }
    // The first one before a day is the last of those before it: its number is how many these are.
    let before = make.look(nodes.before, nodes.day, first.clone());
    let (zero, one) = (make.literal(0), make.literal(1));
    let later = make.call(Function::Greater, vec![second.clone(), zero.clone()], Type::Boolean);
    let earlier = make.call(Function::Less, vec![second.clone(), zero.clone()], Type::Boolean);
    let behind = make.call(Function::Add, vec![up_to, second.clone()], Type::Integer);
    let ahead = make.call(Function::Add, vec![before, second.clone()], Type::Integer);
    let ahead = make.call(Function::Add, vec![ahead, one], Type::Integer);
    let number = make.call(Function::Case, vec![later, behind, earlier, ahead], Type::Integer);
    let found = make.look(nodes.day_of, nodes.number, number);
    let itself = make.call(Function::Equal, vec![second.clone(), zero], Type::Boolean);
    Some(make.call(Function::Case, vec![itself, first.clone(), found], Type::Date))
}

impl Lowering<'_> {
    /// The call of a row of which the arguments are made.
    pub(super) fn working_row(
        &mut self,
        function: Function,
        args: &[RowExpr],
        span: Span,
    ) -> Option<RowExpr> {
        let nodes = self.working_nodes(span)?;
        made(&mut OfRows(self), function, args, nodes)
    }

    /// The call of a cell of which the arguments are made.
    pub(super) fn working_figure(
        &mut self,
        function: Function,
        args: &[NodeId],
        span: Span,
    ) -> Option<NodeId> {
        let nodes = self.working_nodes(span)?;
        made(&mut OfCells(self), function, args, nodes)
    }

    fn working_nodes(&mut self, span: Span) -> Option<WorkingNodes> {
        if let Some(nodes) = self.working {
            return Some(nodes);
        }
        let columns = |l: &Self| {
            let calendar = l.model.calendar?;
            let date = *l.model.schema.table(calendar).key.first()?;
            let working = l.model.find_column(calendar, crate::model::WORKING)?;
            Some((calendar, date, working, l.model.find_column(calendar, crate::model::WORKING_NUMBER)?))
        };
        let Some((calendar, date, working, number)) = columns(self) else {
            return self.fail(crate::messages::no_working_days(span));
        };
        let (date, working, number) =
            (self.own_column(date), self.own_column(working), self.own_column(number));
        let one = Expr::Literal(Scalar::Integer(1));
        let ahead =
            Expr::Call { function: Function::Subtract, args: vec![number.clone(), one], ty: Type::Integer };
        let before = Expr::Call {
            function: Function::Case,
            args: vec![working.clone(), ahead, number.clone()],
            ty: Type::Integer,
        };
        let (day_key, number_key) = (self.own_key("day", Type::Date), self.own_key("number", Type::Integer));
        let by_day =
            self.calendar_scan(calendar, Vec::new(), day_key, date.clone(), vec![number.clone(), before]);
        let by_number = self.calendar_scan(calendar, vec![working], number_key, number, vec![date]);
        let mut node = |scan: ScanId, at: usize, key: KeyId, ty: Type| {
            self.graph.add(Node { kind: NodeKind::Aggregate(scan, at), ty, keys: vec![key] })
        };
        let nodes = WorkingNodes {
            day: day_key,
            up_to: node(by_day, 0, day_key, Type::Integer),
            before: node(by_day, 1, day_key, Type::Integer),
            number: number_key,
            day_of: node(by_number, 0, number_key, Type::Date),
        };
        self.working = Some(nodes);
        Some(nodes)
    }

    /// A key that no axis and no detail is, so that no cell stands on it.
    fn own_key(&mut self, name: &str, ty: Type) -> KeyId {
        self.graph.keys.push(Key {
            name: name.to_owned(),
            ty,
            order: Vec::new(),
            rest: None,
            missing_as_one: false,
        });
        self.keys.push(KeyUse { expr: Bound::literal(Scalar::Null, Span::default()), rest: None });
        KeyId(self.keys.len() as u32 - 1)
    }

    fn calendar_scan(
        &mut self,
        table: TableId,
        filter: Vec<RowExpr>,
        key: KeyId,
        expr: RowExpr,
        values: Vec<RowExpr>,
    ) -> ScanId {
        let aggregate = |value: RowExpr| Aggregate {
            function: AggregateFunction::Max,
            ty: value.ty(),
            value: Some(value),
            by: None,
            parameter: None,
            condition: Vec::new(),
        };
        self.graph.scans.push(Scan {
            filter,
            keys: vec![ScanKey { key, expr, kept: None }],
            aggregates: values.into_iter().map(aggregate).collect(),
            ..Scan::over(table)
        });
        ScanId(self.graph.scans.len() as u32 - 1)
    }
}
