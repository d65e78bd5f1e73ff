//! The three spellings of a mask.

use std::net::Ipv4Addr;

use super::family::Family;

/// Why a text is not a mask.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum MaskFault {
    /// It is not one of the three spellings, or a length that the family does not have.
    Malformed,
    /// It is a dotted or hexadecimal mask whose ones do not all stand before its zeros.
    NotContiguous,
    /// It is the inverse of a mask (a wildcard), such as `0.0.0.255`; the prefix length is what was meant.
    Inverted(u8),
}

/// Reads a mask in any of its spellings (`24`, `255.255.255.0`, `0xffffff00`) and gives its prefix length.
///
/// IPv6 has the length only. Ones must stand before zeros (RFC 4632, section 3.1).
///
/// ```
/// use impostazione_net::{Family, MaskFault, parse_mask};
///
/// for mask in ["24", "255.255.255.0", "0xffffff00"] {
///     assert_eq!(parse_mask(mask, Family::V4), Ok(24));
/// }
/// assert!(parse_mask("255.0.255.0", Family::V4).is_err());
/// ```
pub fn parse_mask(text: &str, family: Family) -> Result<u8, MaskFault> {
    if !text.is_empty() && text.len() <= 3 && text.bytes().all(|byte| byte.is_ascii_digit()) {
        let length: u16 = text.parse().map_err(|_| MaskFault::Malformed)?;
        let spelled_plainly = text == length.to_string();
        return u8::try_from(length)
            .ok()
            .filter(|length| *length <= family.bits() && spelled_plainly)
            .ok_or(MaskFault::Malformed);
    }
    if family == Family::V6 {
        return Err(MaskFault::Malformed);
    }
    let bits = if let Some(digits) = text.strip_prefix("0x").or_else(|| text.strip_prefix("0X")) {
        let all_hexadecimal = digits.len() == 8 && digits.bytes().all(|byte| byte.is_ascii_hexdigit());
        if !all_hexadecimal {
            return Err(MaskFault::Malformed);
        }
        u32::from_str_radix(digits, 16).map_err(|_| MaskFault::Malformed)?
    } else {
        text.parse::<Ipv4Addr>().map_err(|_| MaskFault::Malformed)?.to_bits()
    };
    length_of(bits)
        .map_or_else(|| Err(length_of(!bits).map_or(MaskFault::NotContiguous, MaskFault::Inverted)), Ok)
}

/// The length of a run of leading ones that is followed by zeros only.
fn length_of(bits: u32) -> Option<u8> {
    let ones = bits.leading_ones();
    (bits.count_ones() == ones).then(|| u8::try_from(ones).unwrap_or(32))
}

/// The dotted spelling of an IPv4 prefix length; lengths over 32 count as 32.
pub fn dotted_mask(length: u8) -> Ipv4Addr {
    Ipv4Addr::from_bits(u32::MAX.checked_shl(32 - u32::from(length.min(32))).unwrap_or(0))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn all_lengths_read_the_same_in_all_three_spellings() {
        for length in 0..=32_u8 {
            let dotted = dotted_mask(length);
            assert_eq!(parse_mask(&length.to_string(), Family::V4), Ok(length));
            assert_eq!(parse_mask(&dotted.to_string(), Family::V4), Ok(length));
            assert_eq!(parse_mask(&format!("{:#010x}", dotted.to_bits()), Family::V4), Ok(length));
        }
        assert_eq!(parse_mask("64", Family::V6), Ok(64));
    }

    #[test]
    fn what_is_no_mask_says_why() {
        assert_eq!(parse_mask("255.0.255.0", Family::V4), Err(MaskFault::NotContiguous));
        assert_eq!(parse_mask("0xff00ff00", Family::V4), Err(MaskFault::NotContiguous));
        assert_eq!(parse_mask("0.0.0.255", Family::V4), Err(MaskFault::Inverted(24)));
        for text in ["33", "", "024", "-1", "255.255.255", "0xffff", "0x+fffff00", "64 "] {
            assert_eq!(parse_mask(text, Family::V4), Err(MaskFault::Malformed), "{text}");
        }
        assert_eq!(parse_mask("255.255.255.0", Family::V6), Err(MaskFault::Malformed));
        assert_eq!(parse_mask("129", Family::V6), Err(MaskFault::Malformed));
    }
}
