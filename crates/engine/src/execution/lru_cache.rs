//! A small cache whose least recently used entry gives way.

use std::sync::Mutex;

/// A cache of at most `N` things: past them the one used longest ago is dropped.
pub(crate) struct LruCache<K, V, const MOST: usize> {
    known: Mutex<Vec<(K, V)>>,
}

impl<K, V, const MOST: usize> Default for LruCache<K, V, MOST> {
    fn default() -> Self {
        Self { known: Mutex::default() }
    }
}

impl<K, V: Clone, const MOST: usize> LruCache<K, V, MOST> {
    /// What is known for the one that `is` it, or else what `find` finds, kept from then on. Nothing is kept of what fails.
    pub(crate) fn or_found<E>(
        &self,
        is: impl Fn(&K) -> bool,
        key: impl FnOnce() -> K,
        find: impl FnOnce() -> Result<V, E>,
    ) -> Result<V, E> {
        let known = |all: &Vec<(K, V)>| all.iter().find(|(own, _)| is(own)).map(|(_, value)| value.clone());
        if let Some(value) = self.known.lock().ok().and_then(|all| known(&all)) {
            return Ok(value);
        }
        let value = find()?;
        if let Ok(mut all) = self.known.lock() {
            if all.len() == MOST {
                all.remove(0);
            }
            all.push((key(), value.clone()));
        }
        Ok(value)
    }
}

#[cfg(test)]
mod tests {
    use super::LruCache;

    #[test]
    fn what_is_known_is_not_found_again_until_others_push_it_out() {
        let few = LruCache::<u32, u32, 2>::default();
        let mut found = Vec::new();
        let mut of = |key: u32| {
            few.or_found(
                |own| *own == key,
                || key,
                || {
                    found.push(key);
                    if key == 9 { Err("fails") } else { Ok(key * 10) }
                },
            )
        };
        assert_eq!([of(1), of(1), of(2), of(1)], [Ok(10), Ok(10), Ok(20), Ok(10)]);
        assert_eq!([of(9), of(9), of(1)], [Err("fails"), Err("fails"), Ok(10)]);
        assert_eq!([of(3), of(2), of(1)], [Ok(30), Ok(20), Ok(10)]);
        assert_eq!(found, [1, 2, 9, 9, 3, 1]);
    }
}
