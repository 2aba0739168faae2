//! Frames: for one level of lines, the key of each line and the value of each output.

use crate::answer::Blank;
use crate::cells::Cells;
use crate::codec::{KeyCodec, PackedKey};
use crate::error::EngineError;
use crate::evaluator::Evaluator;
use crate::vector::Vector;
use foldhash::fast::FixedState;
use hashbrown::HashMap;
use std::rc::Rc;
use vembra_plan::{Level, LevelKind, Output, Query, Type};

/// The lines of one level.
pub(crate) struct Frame {
    /// The axes that tell the lines apart.
    pub(crate) axes: Vec<usize>,
    /// How the codes on these are packed.
    pub(crate) codec: KeyCodec,
    pub(crate) keys: Vec<PackedKey>,
    pub(crate) lines: HashMap<PackedKey, u32, FixedState>,
    /// One vector per output, with the type of its values.
    pub(crate) outputs: Vec<(Vector, Type)>,
    /// Per output on how many lines it has no value for want of one term only.
    pub(crate) blanks: Vec<Option<Blank>>,
}

/// Builds the frame of a level, whose codes `codec` packs, from the lines that have rows, and from the `empty` keys that are shown anyway.
pub(crate) fn build(
    evaluator: &Evaluator<'_>,
    query: &Query,
    level: &Level,
    codec: KeyCodec,
    empty: &[PackedKey],
) -> Result<Frame, EngineError> {
    let axes = query.level_axes(level);
    let keys = query.level_keys(level);
    let (with_rows, _) = evaluator.lines(&query.domain, &keys)?;
    let mut frame = Frame {
        axes,
        codec,
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
        let key = frame.codec.pack(|at| with_rows.codes[at][line]);
        frame.lines.insert(key, frame.keys.len() as u32);
        frame.keys.push(key);
        codes.iter_mut().zip(&with_rows.codes).for_each(|(all, own)| all.push(own[line]));
    }
    for key in empty {
        if !frame.lines.contains_key(key) {
            frame.lines.insert(*key, frame.keys.len() as u32);
            frame.keys.push(*key);
            let own = frame.codec.codes(*key);
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
