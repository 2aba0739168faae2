//! The name that was probably meant.

/// Among more names nobody looks for the one that was meant.
const MOST_CANDIDATES: usize = 20_000;

/// A beginning of this many letters is near to the whole name.
const BEGINNING: usize = 3;

/// The candidate nearest to `name`, if one is near: few letters differ, or only case and blanks do; else the shortest one that begins
/// with it.
pub fn nearest<'a>(name: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let plain = |text: &str| -> Vec<char> {
        text.chars().take(64).flat_map(char::to_lowercase).filter(|c| c.is_alphanumeric()).collect()
    };
    let wanted = plain(name);
    let most = (wanted.len() / 3).max(1);
    let mut best: Option<(usize, &str)> = None;
    let mut begun: Option<(usize, &str)> = None;
    for candidate in candidates.into_iter().take(MOST_CANDIDATES).filter(|c| *c != name) {
        let letters = plain(candidate);
        let far = distance(&wanted, &letters);
        if far <= most && best.is_none_or(|(least, _)| far < least) {
            best = Some((far, candidate));
        }
        let begins = wanted.len() >= BEGINNING && letters.starts_with(&wanted);
        if begins && begun.is_none_or(|(least, _)| letters.len() < least) {
            begun = Some((letters.len(), candidate));
        }
    }
    best.or(begun).map(|(_, candidate)| candidate)
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
        assert_eq!(nearest("reve", names), Some("revenue"));
        assert_eq!(nearest("re", names), None);
        assert_eq!(nearest("", names), None);
    }
}
