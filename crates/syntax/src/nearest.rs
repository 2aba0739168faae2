//! The name that was probably meant.

/// Among more names nobody looks for the one that was meant.
const MOST_CANDIDATES: usize = 20_000;

/// The candidate nearest to `name`, if one is near: few letters differ, or only case and blanks do.
pub fn nearest<'a>(name: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let plain = |text: &str| -> Vec<char> {
        text.chars().take(64).flat_map(char::to_lowercase).filter(|c| c.is_alphanumeric()).collect()
    };
    let wanted = plain(name);
    let most = (wanted.len() / 3).max(1);
    candidates
        .into_iter()
        .take(MOST_CANDIDATES)
        .map(|c| (distance(&wanted, &plain(c)), c))
        .filter(|(d, c)| *d <= most && *c != name)
        .min_by_key(|(d, _)| *d)
        .map(|(_, c)| c)
}

/// How many letters to add, drop, change or swap.
fn distance(a: &[char], b: &[char]) -> usize {
    let mut before: Vec<usize> = Vec::new();
    let mut last: Vec<usize> = (0..=b.len()).collect();
    for i in 1..=a.len() {
        let mut line = vec![i];
        for j in 1..=b.len() {
            let changed = last[j - 1] + usize::from(a[i - 1] != b[j - 1]);
            let mut best = changed.min(last[j] + 1).min(line[j - 1] + 1);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                best = best.min(before[j - 2] + 1);
            }
            line.push(best);
        }
        before = std::mem::replace(&mut last, line);
    }
    last[b.len()]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn finds_near_names_only() {
        let names = ["revenue", "region", "segment"];
        assert_eq!(nearest("revnue", names), Some("revenue"));
        assert_eq!(nearest("Reigon", names), Some("region"));
        assert_eq!(nearest("weight", names), None);
        assert_eq!(nearest("", names), None);
    }
}
