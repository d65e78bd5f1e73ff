//! The text of a CSV file, however a spreadsheet has written it.

use encoding_rs::{Encoding, UTF_16BE, UTF_16LE, WINDOWS_1252};

/// How the characters of a file are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Spelling {
    /// UTF-8, as everywhere else.
    Utf8,
    /// UTF-16, as spreadsheets save "Unicode text".
    Utf16,
    /// Windows-1252, as they save "CSV" in western Europe and America; taken where a file is no UTF-8.
    Windows1252,
}

impl Spelling {
    /// What it is called.
    pub(super) fn word(self) -> &'static str {
        match self {
            Self::Utf8 => "UTF-8",
            Self::Utf16 => "UTF-16",
            Self::Windows1252 => "Windows-1252",
        }
    }
}

/// How many bytes are looked at to tell UTF-16 that does not say what it is.
const SIGHT: usize = 256;

/// The text of a file, without a byte order mark; or why it is none, as the end of a sentence.
pub(super) fn decode(bytes: Vec<u8>) -> Result<(String, Spelling), &'static str> {
    if let Some(wide) = utf16_of(&bytes) {
        // A mark at the beginning says which of the two it is, and is taken off.
        let (text, _, is_damaged) = wide.decode(&bytes);
        if is_damaged || text.contains('\0') {
            return Err("it looks like UTF-16, but is damaged");
        }
        return Ok((text.into_owned(), Spelling::Utf16));
    }
    if bytes.contains(&0) {
        return Err("it is not text: it has binary bytes in it");
    }
    match String::from_utf8(bytes) {
        Ok(text) => {
            let bare = text.strip_prefix('\u{feff}').map(str::to_owned);
            Ok((bare.unwrap_or(text), Spelling::Utf8))
        }
        Err(error) => {
            let text = WINDOWS_1252.decode_without_bom_handling(error.as_bytes()).0;
            Ok((text.into_owned(), Spelling::Windows1252))
        }
    }
}

/// The kind of UTF-16 that bytes are: by the mark at their beginning, or since every second byte is zero as in plain words.
fn utf16_of(bytes: &[u8]) -> Option<&'static Encoding> {
    match bytes {
        [0xff, 0xfe, ..] => return Some(UTF_16LE),
        [0xfe, 0xff, ..] => return Some(UTF_16BE),
        _ => {}
    }
    let seen = bytes.get(..bytes.len().min(SIGHT)).unwrap_or_default();
    let zeros = |from: usize| seen.iter().skip(from).step_by(2).filter(|byte| **byte == 0).count();
    let (even, odd) = (zeros(0), zeros(1));
    let most = seen.len() / 2;
    if most == 0 || even.max(odd) * 10 < most * 9 {
        return None;
    }
    Some(if odd > even { UTF_16LE } else { UTF_16BE })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_table_is_read_as_each_spreadsheet_writes_it() {
        let text = "name;note\ngauge-1;molo è\n";
        let little: Vec<u8> = text.encode_utf16().flat_map(u16::to_le_bytes).collect();
        let big: Vec<u8> = text.encode_utf16().flat_map(u16::to_be_bytes).collect();
        let western = b"name;note\ngauge-1;molo \xe8\n".to_vec();
        for (bytes, spelling) in [
            (text.as_bytes().to_vec(), Spelling::Utf8),
            ([b"\xef\xbb\xbf", text.as_bytes()].concat(), Spelling::Utf8),
            ([&[0xff, 0xfe], &little[..]].concat(), Spelling::Utf16),
            ([&[0xfe, 0xff], &big[..]].concat(), Spelling::Utf16),
            (little, Spelling::Utf16),
            (big, Spelling::Utf16),
            (western, Spelling::Windows1252),
        ] {
            assert_eq!(decode(bytes), Ok((text.to_owned(), spelling)));
        }
    }

    #[test]
    fn what_is_no_text_is_refused() {
        assert!(decode(b"\x7fELF\0\0\x01name,address".to_vec()).is_err());
        assert!(decode(vec![0xff, 0xfe, 0x00, 0xd8, 0x41, 0x00]).is_err(), "half of a character");
    }
}
