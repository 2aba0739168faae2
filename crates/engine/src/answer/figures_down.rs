//! Figures under one another: each line of a summary as one line a figure.

use crate::answer::{Heading, Line, MeasureHeading, Member, Summary};
use vembra_plan::{FiguresPlace, Scalar, Type};

/// The name of the key that distinguishes figures, and that of their value.
const FIGURE: (&str, &str) = ("figure", "Figure");
const VALUE: (&str, &str) = ("value", "Value");

impl Summary {
    /// The same with the figure as a key of its own among those of the rows, and one value a line; `None` where figures stand side by side
    /// on columns. The value of each line keeps its own type.
    pub fn figures_down(&self) -> Option<Self> {
        let first = match self.figures {
            FiguresPlace::RowsFirst => true,
            FiguresPlace::RowsLast => false,
            FiguresPlace::ColumnsFirst | FiguresPlace::ColumnsLast => return None,
        };
        let at = if first { 0 } else { self.rows.len() };
        let mut lines = Vec::with_capacity(self.lines.len() * self.measures.len());
        if first {
            for figure in 0..self.measures.len() {
                lines.extend(self.lines.iter().map(|line| self.of_figure(line, figure, at)));
            }
        } else {
            for row in self.lines.chunk_by(|a, b| a.rows == b.rows) {
                for figure in 0..self.measures.len() {
                    lines.extend(row.iter().map(|line| self.of_figure(line, figure, at)));
                }
            }
        }
        let mut rows = self.rows.clone();
        rows.insert(at, heading(FIGURE, Type::Text));
        let value = MeasureHeading {
            heading: heading(VALUE, common(&self.measures)),
            subtotal: None,
            total: None,
            not_additive: None,
            parts_along: Vec::new(),
            marked: self.measures.iter().any(|m| m.marked),
            blank: None,
            partial: None,
            shared: None,
        };
        Some(Self { rows, measures: vec![value], lines, figures: FiguresPlace::default(), ..self.clone() })
    }

    fn of_figure(&self, line: &Line, figure: usize, at: usize) -> Line {
        let mut rows = line.rows.clone();
        let name = self.measures[figure].heading.name.as_str();
        rows.insert(at, Member::Value(Scalar::Text(name.into())));
        Line { rows, cells: vec![line.cells[figure].clone()], ..line.clone() }
    }
}

fn heading((name, label): (&str, &str), ty: Type) -> Heading {
    Heading { name: name.to_owned(), label: label.to_owned(), ty, format: None }
}

/// The type that holds the values of all figures: decimals hold whole numbers, floats all numbers, and texts all.
fn common(measures: &[MeasureHeading]) -> Type {
    let types = measures.iter().map(MeasureHeading::common_type);
    types
        .reduce(|a, b| match (a, b) {
            (a, b) if a == b => a,
            (Type::Decimal(a), Type::Decimal(b)) => Type::Decimal(a.max(b)),
            (Type::Decimal(a), Type::Integer) | (Type::Integer, Type::Decimal(a)) => Type::Decimal(a),
            (a, b) if a.is_number() && b.is_number() => Type::Float,
            _ => Type::Text,
        })
        .unwrap_or(Type::Null)
}
