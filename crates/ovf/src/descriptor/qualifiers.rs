//! Limits that a descriptor sets to the value of a property: `ovf:qualifiers` (DSP0243 2.1.1, table 7), and limits that
//! packages write behind the type.

/// What a value must keep to, beside its type.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Limits {
    /// The only values that are taken; none where any is.
    pub choices: Vec<String>,
    /// The fewest characters.
    pub min_length: Option<u64>,
    /// The most characters.
    pub max_length: Option<u64>,
    /// The smallest number.
    pub min_value: Option<i64>,
    /// The largest number.
    pub max_value: Option<i64>,
}

impl Limits {
    /// Reads `MinLen(1) MaxLen(8)`, `ValueMap{"small","large"}` and the like; what is not understood is left aside.
    pub(super) fn read(&mut self, qualifiers: &str) {
        for (name, inside) in calls(qualifiers) {
            let number = || inside.trim().parse::<i64>().ok();
            let length = || inside.trim().parse::<u64>().ok();
            match name.to_ascii_lowercase().as_str() {
                "minlen" => self.min_length = length().or(self.min_length),
                "maxlen" => self.max_length = length().or(self.max_length),
                "minvalue" => self.min_value = number().or(self.min_value),
                "maxvalue" => self.max_value = number().or(self.max_value),
                "valuemap" | "values" => self.choices = items(inside),
                _ => {}
            }
        }
    }

    /// Reads what comes after a type: `string(8..64)`, `int(1..255)`, `string["a","b"]`; gives the type without it.
    pub(super) fn split_type<'a>(&mut self, kind: &'a str) -> &'a str {
        let Some(open) = kind.find(['(', '[', '{']) else { return kind };
        let (name, rest) = kind.split_at(open);
        let inside = rest.get(1..rest.len().saturating_sub(1)).unwrap_or_default();
        if inside.contains('"') {
            self.choices = items(inside);
        } else if let Some((low, high)) = inside.split_once("..") {
            if name.trim().eq_ignore_ascii_case("string") {
                self.min_length = low.trim().parse().ok().filter(|length| *length > 0);
                self.max_length = high.trim().parse().ok();
            } else {
                self.min_value = low.trim().parse().ok();
                self.max_value = high.trim().parse().ok();
            }
        }
        name.trim()
    }
}

/// `Name(inside)` or `Name{inside}`, one after another.
fn calls(text: &str) -> Vec<(&str, &str)> {
    let mut found = Vec::new();
    let mut rest = text;
    while let Some(open) = rest.find(['(', '{', '[']) {
        let (before, after) = rest.split_at(open);
        let name = before.trim_matches(|c: char| !c.is_alphanumeric());
        let name = name.rsplit(|c: char| !c.is_alphanumeric()).next().unwrap_or_default();
        let close = match after.as_bytes().first() {
            Some(b'(') => ')',
            Some(b'{') => '}',
            _ => ']',
        };
        let body = &after[1..];
        let end = end_of(body, close);
        found.push((name, body.get(..end).unwrap_or(body)));
        rest = body.get(end + 1..).unwrap_or_default();
    }
    found
}

/// Where a bracket closes, quotes heeded.
fn end_of(body: &str, close: char) -> usize {
    let mut is_quoted = false;
    for (at, character) in body.char_indices() {
        match character {
            '"' => is_quoted = !is_quoted,
            other if other == close && !is_quoted => return at,
            _ => {}
        }
    }
    body.len()
}

/// The quoted texts of a list, or, where none is quoted, what stands between commas.
fn items(inside: &str) -> Vec<String> {
    if inside.contains('"') {
        return inside.split('"').skip(1).step_by(2).map(str::to_owned).collect();
    }
    inside.split(',').map(|item| item.trim().to_owned()).filter(|item| !item.is_empty()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(qualifiers: &str) -> Limits {
        let mut limits = Limits::default();
        limits.read(qualifiers);
        limits
    }

    #[test]
    fn lengths_and_choices() {
        let limits = read("MinLen(8), MaxLen(64)");
        assert_eq!((limits.min_length, limits.max_length), (Some(8), Some(64)));
        assert_eq!(read("MinLen(8) MaxLen(64)"), limits);
        assert_eq!(read(r#"ValueMap{"one","t,w}o"} MaxLen(4)"#).choices, ["one", "t,w}o"]);
        assert_eq!(read("ValueMap(small, large)").choices, ["small", "large"]);
        assert_eq!(read("MinLen(many) Odd( Open"), Limits::default());
        assert_eq!(read("MinValue(-3) MaxValue(9)").min_value, Some(-3));
    }

    #[test]
    fn behind_the_type() {
        let mut limits = Limits::default();
        assert_eq!(limits.split_type("string(8..64)"), "string");
        assert_eq!((limits.min_length, limits.max_length), (Some(8), Some(64)));
        let mut limits = Limits::default();
        assert_eq!(limits.split_type("int(1..255)"), "int");
        assert_eq!((limits.min_value, limits.max_value), (Some(1), Some(255)));
        let mut limits = Limits::default();
        assert_eq!(limits.split_type(r#"string["a", "b"]"#), "string");
        assert_eq!(limits.choices, ["a", "b"]);
        assert_eq!(Limits::default().split_type("uint8"), "uint8");
    }
}
