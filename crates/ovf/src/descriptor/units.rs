//! Programmatic units, as capacities are given in (DSP0004, annex C; DSP0243 2.1.1, section 9.1).

/// How many bytes one unit is: `byte * 2^30`, `byte*10^9`, `byte`, or the older `MegaBytes` of some packages.
pub(super) fn bytes_in(unit: &str) -> Option<u64> {
    let compact: String =
        unit.chars().filter(|c| !c.is_whitespace()).collect::<String>().to_ascii_lowercase();
    let plain = |power: u32| 1u64.checked_shl(power);
    match compact.as_str() {
        "" | "byte" | "bytes" => return Some(1),
        "kilobytes" | "kb" => return plain(10),
        "megabytes" | "mb" => return plain(20),
        "gigabytes" | "gb" => return plain(30),
        "terabytes" | "tb" => return plain(40),
        _ => {}
    }
    let factors = compact.strip_prefix("byte")?;
    factors.split('*').filter(|factor| !factor.is_empty()).try_fold(1u64, |product, factor| {
        let value = match factor.split_once('^') {
            Some((base, power)) => base.parse::<u64>().ok()?.checked_pow(power.parse().ok()?)?,
            None => factor.parse().ok()?,
        };
        product.checked_mul(value)
    })
}

/// So many units in bytes.
pub(super) fn in_bytes(quantity: &str, unit: &str) -> Option<u64> {
    quantity.trim().parse::<u64>().ok()?.checked_mul(bytes_in(unit)?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spellings() {
        assert_eq!(in_bytes("8", "byte * 2^30"), Some(8 << 30));
        assert_eq!(in_bytes(" 8 ", "byte*2^20"), Some(8 << 20));
        assert_eq!(in_bytes("500", "byte * 10^9"), Some(500_000_000_000));
        assert_eq!(in_bytes("2", "byte * 1024 * 3"), Some(6144));
        assert_eq!(in_bytes("65536", ""), Some(65536));
        assert_eq!(in_bytes("4", "MegaBytes"), Some(4 << 20));
        assert_eq!(in_bytes("4", "furlong"), None);
        assert_eq!(in_bytes("4", "byte * 2^90"), None);
        assert_eq!(in_bytes("${size}", "byte"), None);
    }
}
