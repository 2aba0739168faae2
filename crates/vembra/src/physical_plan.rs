//! A physical plan in words: each pass over rows, which rows it reads, how it tests, groups and adds them up, and why in this way.

use std::fmt::Write;
use vembra_draw::grouped;
use vembra_engine::{
    Access, Determinant, GroupIndexForm, Grouping, GroupingReason, KeyOf, KeyRole, KeySource, PhysicalPass,
    Predicate, PredicateForm, Step,
};
use vembra_plan::{
    Aggregate, ColumnRef, Expr, Function, Graph, LinkId, NodeId, NodeKind, Plan, RowExpr, RowLeaf, Schema,
};

/// The passes and folds of a plan, in the order in which they are made.
pub(crate) fn plan_text(schema: &Schema, plan: &Plan, steps: &[Step]) -> String {
    let words = Words { schema, graph: plan.graph() };
    let mut text = String::new();
    let mut number = 0;
    for step in steps {
        match step {
            Step::Pass(pass) => {
                number += 1;
                let table = &schema.table(pass.plan.scan.table).name;
                let _ = writeln!(text, "{number}. {table}: {} rows", grouped(pass.plan.rows));
                text.push_str(&words.pass(&pass.plan));
            }
            _ => text.push_str("   its groups are folded to coarser ones: no row is read again\n"),
        }
    }
    if number == 0 {
        text.push_str("no rows are read\n");
    }
    text
}

/// The lines of one pass.
pub(crate) fn pass_text(schema: &Schema, plan: &Plan, pass: &PhysicalPass) -> String {
    Words { schema, graph: plan.graph() }.pass(pass)
}

struct Words<'p> {
    schema: &'p Schema,
    graph: &'p Graph,
}

impl Words<'_> {
    fn pass(&self, pass: &PhysicalPass) -> String {
        let mut lines = vec![self.access(pass)];
        lines
            .extend(pass.stop_at.map(|groups| {
                format!("stops once {} groups were met: there are no others", grouped(groups))
            }));
        lines.extend(pass.predicates.iter().map(|own| self.predicate(pass, own)));
        lines.extend(pass.scan.during.is_some().then(|| "rows by the days of another date range".to_owned()));
        lines.extend(pass.keys.iter().map(|key| self.key(pass, key)));
        lines.extend(pass.grouping.map(|grouping| self.grouping(pass, grouping)));
        if pass.scan.aggregates.is_empty() && pass.grouping.is_some() {
            lines.push("only which groups have rows".to_owned());
        }
        lines.extend(pass.scan.aggregates.iter().map(|aggregate| self.aggregate(aggregate)));
        let aggregates = pass.scan.aggregates.len();
        if aggregates > pass.accumulators && pass.accumulators > 0 {
            lines.push(format!("{aggregates} aggregates share {}", accumulators_text(pass.accumulators)));
        }
        lines.extend(pass.top_k.map(|rows| format!("keeps the first {} rows in a heap", grouped(rows))));
        lines.iter().fold(String::new(), |text, line| text + "   " + line + "\n")
    }

    fn access(&self, pass: &PhysicalPass) -> String {
        match pass.access {
            Access::AllRows => "reads all rows".to_owned(),
            Access::ReverseIndex { link, rows } => format!(
                "reads {} rows by the reverse index of {}: few rows of {} pass",
                grouped(rows),
                self.link(link),
                self.schema.table(self.schema.link_target(link)).name
            ),
            Access::RepresentativeRows { determinant, rows } => {
                let from = match determinant {
                    Determinant::Column(column) => self.schema.qualified(column),
                    Determinant::Link(link) => self.link(link),
                };
                format!(
                    "reads {} representative rows, one for each {from}: all that is asked follows from it",
                    grouped(rows)
                )
            }
            Access::RunBoundaries { rows } => {
                format!(
                    "reads the first row of each run, {} rows: the others repeat the same values",
                    grouped(rows)
                )
            }
            Access::ResultCache => "reads no row: an earlier query found these groups".to_owned(),
            _ => "reads rows".to_owned(),
        }
    }

    fn predicate(&self, pass: &PhysicalPass, own: &Predicate) -> String {
        let form = match own.form {
            PredicateForm::Never => "no row passes",
            PredicateForm::Range => "one range of codes",
            PredicateForm::Bitmap => "a bitmap by row id",
            PredicateForm::LookupTable => "a lookup table by row id or code",
            PredicateForm::LinkBits => "a bit for each link, and a table of all bits",
            PredicateForm::Pending => "in a form chosen once the figure is known",
            PredicateForm::Columns => "columns compared a block at a time",
            _ => "evaluated row by row",
        };
        let sample = match own.sample {
            Some((left, of)) => format!("; leaves {} of {} sampled rows", grouped(left), grouped(of)),
            None => String::new(),
        };
        let condition = pass.scan.filter.get(own.condition).map(|expr| self.expr(expr)).unwrap_or_default();
        format!("where {condition}: {form}{sample}")
    }

    fn key(&self, pass: &PhysicalPass, key: &vembra_engine::PassKey) -> String {
        let name = self.key_name(key.of);
        let name_of = |at: usize| pass.keys.get(at).map(|key| self.key_name(key.of)).unwrap_or_default();
        match key.role {
            KeyRole::SameAs(other) => return format!("by {name}: has the codes of {}", name_of(other)),
            KeyRole::DependentOn(other) => {
                return format!("by {name}: follows from {}, so rows are not grouped by it", name_of(other));
            }
            KeyRole::Grouping => {}
        }
        let source = match &key.source {
            KeySource::Column => "a column".to_owned(),
            KeySource::Links(path) => format!("looked up through {}", self.path(path)),
            KeySource::Denormalised(path) => format!("denormalised through {}", self.path(path)),
            _ => "computed".to_owned(),
        };
        format!("by {name}: {} codes, {source}", grouped(key.codes))
    }

    fn key_name(&self, of: KeyOf) -> String {
        match of {
            KeyOf::Key(id) => self.graph.keys[id.index()].name.clone(),
            KeyOf::Bridge => "the members that a bridge gives".to_owned(),
            KeyOf::Days => "the days of a date range".to_owned(),
            _ => "what the conditions of cells ask for".to_owned(),
        }
    }

    fn grouping(&self, pass: &PhysicalPass, grouping: Grouping) -> String {
        let Grouping { index, parts, reason, .. } = grouping;
        let own: Vec<KeyOf> =
            pass.keys.iter().filter(|key| key.role == KeyRole::Grouping).map(|key| key.of).collect();
        let form = match index {
            GroupIndexForm::Direct { .. } if own.is_empty() => {
                return format!("one group, {}", parts_text(parts));
            }
            GroupIndexForm::Direct { groups } => format!("direct group index of {} groups", grouped(groups)),
            GroupIndexForm::Clustered { key, in_order } => {
                let name = own.get(key).map(|of| self.key_name(*of)).unwrap_or_default();
                let order = if in_order { ", in whose order the rows stand" } else { "" };
                format!("clustered group index by {name}{order}")
            }
            _ => "hash group index".to_owned(),
        };
        let reason = match reason {
            GroupingReason::Small => "it takes little room".to_owned(),
            GroupingReason::WithinLimit => "few enough combinations".to_owned(),
            GroupingReason::BesideRows(rows) => {
                format!("few combinations beside {} rows that pass", grouped(rows))
            }
            GroupingReason::OneKey => "this key determines the others".to_owned(),
            _ => "many combinations beside the rows that pass".to_owned(),
        };
        format!("{form}: {reason}; {}", parts_text(parts))
    }

    fn aggregate(&self, aggregate: &Aggregate) -> String {
        let value = aggregate.value.as_ref().map_or_else(|| "rows".to_owned(), |value| self.expr(value));
        let mut text = match aggregate.function.name() {
            "count_distinct" => format!("count(distinct {value})"),
            "count_rows" => "count(rows)".to_owned(),
            name => format!("{name}({value})"),
        };
        for (at, condition) in aggregate.condition.iter().enumerate() {
            let _ = write!(text, "{}{}", if at == 0 { " where " } else { " and " }, self.expr(condition));
        }
        text
    }

    fn path(&self, path: &[LinkId]) -> String {
        path.iter().map(|link| self.link(*link)).collect::<Vec<_>>().join(", ")
    }

    fn link(&self, link: LinkId) -> String {
        self.schema
            .link(link)
            .from
            .iter()
            .map(|column| self.schema.qualified(*column))
            .collect::<Vec<_>>()
            .join(", ")
    }

    fn column(&self, column: &ColumnRef) -> String {
        let name = self.schema.qualified(column.column);
        let by_role = column.path.iter().find(|link| self.schema.link(**link).role.is_some());
        match by_role {
            Some(link) => format!("{name} by {}", self.link(*link)),
            None => name,
        }
    }

    fn expr(&self, expr: &RowExpr) -> String {
        match expr {
            Expr::Leaf(RowLeaf::Column(column)) => self.column(column),
            Expr::Leaf(RowLeaf::Lookup(lookup)) => self.lookup(lookup.node),
            Expr::Literal(value) => value.literal(),
            Expr::Call { function, args, .. } => {
                let of = |arg: &RowExpr| match arg {
                    Expr::Call { function, .. } if operator(*function).is_some() => {
                        format!("({})", self.expr(arg))
                    }
                    _ => self.expr(arg),
                };
                match (operator(*function), args.as_slice()) {
                    (Some(sign), [left, right]) => format!("{} {sign} {}", of(left), of(right)),
                    _ => {
                        let args: Vec<String> = args.iter().map(|arg| self.expr(arg)).collect();
                        format!("{}({})", function_name(*function), args.join(", "))
                    }
                }
            }
        }
    }

    /// A figure that rows look up, by the aggregates that it is made of.
    fn lookup(&self, node: NodeId) -> String {
        let mut found = Vec::new();
        self.aggregates_of(node, &mut found);
        found.dedup();
        match found.as_slice() {
            [] => "a figure".to_owned(),
            all => format!("[{}]", all.join(", ")),
        }
    }

    fn aggregates_of(&self, node: NodeId, found: &mut Vec<String>) {
        match &self.graph.node(node).kind {
            NodeKind::Aggregate(scan, at) => {
                found.push(self.aggregate(&self.graph.scan(*scan).aggregates[*at]));
            }
            NodeKind::Call(_, args) => args.iter().for_each(|arg| self.aggregates_of(*arg, found)),
            NodeKind::Fold(fold) => self.aggregates_of(fold.value, found),
            NodeKind::Derive { inner, .. } | NodeKind::At { inner, .. } | NodeKind::OnlyAt(inner, _) => {
                self.aggregates_of(*inner, found);
            }
            NodeKind::Window(window) => self.aggregates_of(window.value, found),
            NodeKind::Kept(_) => found.push("lines chosen".to_owned()),
            _ => {}
        }
    }
}

fn parts_text(parts: usize) -> String {
    match parts {
        1 => "in one part".to_owned(),
        parts => format!("in at most {parts} parts"),
    }
}

fn operator(function: Function) -> Option<&'static str> {
    Some(match function {
        Function::Add => "+",
        Function::Subtract => "-",
        Function::Multiply => "*",
        Function::Divide => "/",
        Function::Concat => "||",
        Function::Equal => "=",
        Function::NotEqual => "<>",
        Function::Less => "<",
        Function::LessEqual => "<=",
        Function::Greater => ">",
        Function::GreaterEqual => ">=",
        Function::And => "and",
        Function::Or => "or",
        _ => return None,
    })
}

fn function_name(function: Function) -> String {
    let named = Function::NAMED.iter().find(|(_, own)| *own == function);
    named.map_or_else(|| format!("{function:?}").to_lowercase(), |(name, _)| (*name).to_owned())
}

fn accumulators_text(count: usize) -> String {
    if count == 1 { "one accumulator".to_owned() } else { format!("{count} accumulators") }
}
