//! Frames: for one level of lines, the key of each line and the value of each output.

use crate::answer::Blank;
use crate::error::EngineError;
use crate::expression::vector::Vector;
use crate::operators::cells::Cells;
use crate::operators::evaluator::Evaluator;
use crate::operators::key_encoding::{KeyEncoding, PackedKey};
use crate::storage::narrow::narrow;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::collections::BTreeSet;
use std::rc::Rc;
use vembra_plan::{KeyId, Level, LevelKind, Output, Query, Reaching, Type};

/// The lines of one level.
pub(crate) struct Frame {
    /// The axes that distinguish the lines.
    pub(crate) axes: Vec<usize>,
    /// How the codes on these are packed.
    pub(crate) encoding: KeyEncoding,
    pub(crate) keys: Vec<PackedKey>,
    pub(crate) lines: HashMap<PackedKey, u32, FixedState>,
    /// One vector per output, with the type of its values.
    pub(crate) outputs: Vec<(Vector, Type)>,
    /// Per output on how many lines it has no value for want of one term only.
    pub(crate) blanks: Vec<Option<Blank>>,
}

/// Builds the frame of a level, whose codes `encoding` packs, from the lines that have rows, and from the `empty` keys that are shown anyway.
pub(crate) fn build(
    evaluator: &Evaluator<'_>,
    query: &Query,
    level: &Level,
    encoding: KeyEncoding,
    empty: &[PackedKey],
) -> Result<Frame, EngineError> {
    let axes = query.level_axes(level);
    let keys = query.level_keys(level);
    let (with_rows, _) = evaluator.lines(&query.domain, &keys)?;
    let mut frame = Frame {
        axes,
        encoding,
        keys: Vec::new(),
        lines: HashMap::default(),
        outputs: Vec::new(),
        blanks: Vec::new(),
    };
    // Keys, a table of them, codes, and values.
    let each = 16 + 40 + 4 * frame.axes.len() + 24 * query.outputs.len();
    evaluator.options.memory.check_more((with_rows.len * each) as u64)?;
    let mut codes: Vec<Vec<u32>> = vec![Vec::new(); frame.axes.len()];
    for line in 0..with_rows.len {
        let key = frame.encoding.pack(|at| with_rows.codes[at][line]);
        frame.lines.insert(key, narrow(frame.keys.len()));
        frame.keys.push(key);
        codes.iter_mut().zip(&with_rows.codes).for_each(|(all, own)| all.push(own[line]));
    }
    let between = between_lines(evaluator, query, level, &frame)?;
    for key in empty.iter().chain(&between) {
        if !frame.lines.contains_key(key) {
            frame.lines.insert(*key, narrow(frame.keys.len()));
            frame.keys.push(*key);
            let own = frame.encoding.codes(*key);
            codes.iter_mut().zip(own).for_each(|(all, own)| all.push(own));
        }
    }
    if query.axes.is_empty() && frame.keys.is_empty() {
        frame.keys.push(0);
        frame.lines.insert(0, 0);
    }
    let rows = frame.keys.len();
    // The very cells that have rows, where nothing was added: what is known of them serves.
    let cells = if rows == with_rows.len { with_rows } else { evaluator.cells(keys, codes) };
    if rows == 0 {
        frame.outputs = query.outputs.iter().map(|o| (Vector::from_scalars(&[], o.ty), o.ty)).collect();
        return Ok(frame);
    }
    for (node, ty) in query.shown(level) {
        let vector = evaluator.node(node, &cells)?;
        frame.outputs.push(((*vector).clone().expand(rows), ty));
    }
    if query.level_kind(level) == LevelKind::Detail {
        for (at, output) in query.outputs.iter().enumerate() {
            let blank = blank(evaluator, &cells, output, &frame.outputs[at].0)?;
            frame.blanks.push(blank);
        }
    }
    Ok(frame)
}

/// More cells of a grid than this are not worked out.
const MOST_BETWEEN: u128 = 5_000_000;

/// The cells of a grid without rows, of the rows and columns shown, in which a figure has a value all the same.
fn between_lines(
    evaluator: &Evaluator<'_>,
    query: &Query,
    level: &Level,
    frame: &Frame,
) -> Result<Vec<PackedKey>, EngineError> {
    let reaching = query.reaching(level);
    if level.rows == 0 || level.columns == 0 || reaching.is_empty() {
        return Ok(Vec::new());
    }
    let (mut rows, mut columns) = (BTreeSet::new(), BTreeSet::new());
    for key in &frame.keys {
        let codes = frame.encoding.codes(*key);
        columns.insert(codes[level.rows..].to_vec());
        rows.insert(codes[..level.rows].to_vec());
    }
    let cells = rows.len() as u128 * columns.len() as u128;
    if cells > MOST_BETWEEN {
        return Err(EngineError::TooManyLines(cells));
    }
    let mut keys = Vec::new();
    for (row, column) in rows.iter().flat_map(|row| columns.iter().map(move |column| (row, column))) {
        let code = |at: usize| row.get(at).copied().unwrap_or_else(|| column[at - level.rows]);
        let key = frame.encoding.pack(code);
        if !frame.lines.contains_key(&key) {
            keys.push(key);
        }
    }
    with_values(evaluator, &frame.axes, &frame.encoding, keys, &reaching)
}

/// Those of some cells in which a figure has a value though its fact has no rows there.
pub(crate) fn with_values(
    evaluator: &Evaluator<'_>,
    axes: &[usize],
    encoding: &KeyEncoding,
    keys: Vec<PackedKey>,
    reaching: &[Reaching],
) -> Result<Vec<PackedKey>, EngineError> {
    if keys.is_empty() {
        return Ok(keys);
    }
    // Codes, a value for each figure, and whether one says something.
    let each = 4 * axes.len() + 24 * reaching.len() + 1;
    evaluator.options.memory.check_more((keys.len() * each) as u64)?;
    let mut codes: Vec<Vec<u32>> = vec![Vec::with_capacity(keys.len()); axes.len()];
    for key in &keys {
        codes.iter_mut().zip(encoding.codes(*key)).for_each(|(all, own)| all.push(own));
    }
    let cells = evaluator.cells(axes.iter().map(|axis| KeyId(narrow(*axis))).collect(), codes);
    let mut holds = vec![false; keys.len()];
    for figure in reaching {
        let value = evaluator.node(figure.node, &cells)?.as_ref().clone().expand(keys.len());
        let says = |line: usize| figure.says(&value.scalar(line, figure.ty));
        holds.iter_mut().enumerate().for_each(|(line, holds)| *holds = *holds || says(line));
    }
    Ok(keys.into_iter().zip(holds).filter(|(_, holds)| *holds).map(|(key, _)| key).collect())
}

/// On how many lines an output has no value though one of its terms has: the term that is missing most often.
fn blank(
    evaluator: &Evaluator<'_>,
    cells: &Rc<Cells>,
    output: &Output,
    values: &Vector,
) -> Result<Option<Blank>, EngineError> {
    if output.terms.is_empty() || (0..cells.len).all(|line| values.is_valid(line)) {
        return Ok(None);
    }
    let mut terms = Vec::with_capacity(output.terms.len());
    for term in &output.terms {
        terms.push((*evaluator.node(term.node, cells)?).clone().expand(cells.len));
    }
    Ok(blank_of(output, values, &terms, cells.len))
}

/// The same, once the values of the terms are there.
pub(crate) fn blank_of(output: &Output, values: &Vector, terms: &[Vector], of: usize) -> Option<Blank> {
    let mut missing = vec![0_usize; terms.len()];
    let mut lines = 0;
    for line in (0..of).filter(|line| !values.is_valid(*line)) {
        if terms.iter().any(|t| t.is_valid(line)) {
            lines += 1;
            terms.iter().zip(&mut missing).filter(|(t, _)| !t.is_valid(line)).for_each(|(_, n)| *n += 1);
        }
    }
    let most = (0..terms.len()).max_by_key(|at| (missing[*at], std::cmp::Reverse(*at)));
    most.filter(|_| lines > 0).map(|at| Blank { term: output.terms[at].text.clone(), lines: missing[at], of })
}
