//! Lists that hold each thing once.

/// Where an item is in a list that holds each thing once; put at its end where it is not there yet.
///
/// ```
/// let mut seen = vec!["ordered", "shipped"];
/// assert_eq!(vembra_plan::position_or_push(&mut seen, "shipped"), 1);
/// assert_eq!(vembra_plan::position_or_push(&mut seen, "due"), 2);
/// assert_eq!(seen, ["ordered", "shipped", "due"]);
/// ```
pub fn position_or_push<T: PartialEq>(list: &mut Vec<T>, item: T) -> usize {
    list.iter().position(|known| *known == item).unwrap_or_else(|| {
        list.push(item);
        list.len() - 1
    })
}
