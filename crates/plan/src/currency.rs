//! Signs of currencies.

/// The sign of a currency by its ISO 4217 code: the code itself where the sign would leave doubt which currency is meant, `¤` where
/// none is known.
///
/// # Examples
/// ```
/// use vembra_plan::currency_sign;
/// assert_eq!(currency_sign(Some("EUR")), "€");
/// assert_eq!(currency_sign(Some("SEK")), "SEK");
/// assert_eq!(currency_sign(None), "¤");
/// ```
pub fn currency_sign(code: Option<&str>) -> &str {
    match code {
        Some("EUR") => "€",
        Some("USD") => "$",
        Some("GBP") => "£",
        Some("JPY") => "¥",
        Some(code) => code,
        None => "¤",
    }
}
