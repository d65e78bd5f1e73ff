//! How the author of a package writes keys: with the product's name before each, or a letter for its type.

use std::sync::LazyLock;

use regex::Regex;

use super::words::words_of;
use crate::descriptor::Property;

/// The letters before the name in a key that tell its type: `szHost`, `dwNetMaskLen`, `m_bDhcp`.
static TYPE_BEFORE: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(
        "^(?:[a-z]_)?(?:psz|asz|lpsz|sz|pstr|astr|str|dw|us|ul|ui|cb|by|ch|is|num|bool|int|arr|lst|s|n|w|b|f|i|u|l|c|p|a|e|t|h)([A-Z][A-Za-z0-9_]*)$",
    )
    .ok()
});

/// How the keys of a package are written.
#[derive(Debug, Default)]
pub(super) struct KeyStyle {
    /// What nearly all keys begin with.
    prefix: Option<String>,
    /// Whether the keys have their type before the name.
    has_types: bool,
}

impl KeyStyle {
    pub(super) fn of(properties: &[Property]) -> Self {
        let mut style = Self { prefix: common_prefix(properties), has_types: false };
        let typed =
            properties.iter().filter(|property| without_type(style.without_prefix(&property.key)).is_some());
        style.has_types = properties.len() >= 4 && typed.count() * 5 >= properties.len() * 3;
        style
    }

    /// What nearly all keys begin with.
    pub(super) fn prefix(&self) -> Option<&str> {
        self.prefix.as_deref()
    }

    /// The part of a key that is about its property.
    pub(super) fn name<'a>(&self, key: &'a str) -> &'a str {
        let key = self.without_prefix(key);
        if self.has_types { without_type(key).unwrap_or(key) } else { key }
    }

    fn without_prefix<'a>(&self, key: &'a str) -> &'a str {
        let rest = self.prefix.as_deref().and_then(|prefix| key.strip_prefix(prefix)).unwrap_or(key);
        rest.trim_start_matches(['_', '.', '-'])
    }
}

fn without_type(key: &str) -> Option<&str> {
    Some(TYPE_BEFORE.as_ref()?.captures(key)?.get(1)?.as_str())
}

/// What nearly all keys begin with, which is the product's name and says nothing of a single one: `gw_` of a gateway.
fn common_prefix(properties: &[Property]) -> Option<String> {
    let first = words_of(&properties.first()?.key).into_iter().next()?;
    let written = properties.first()?.key.get(..first.len())?;
    // These are no names of products.
    if matches!(first.as_str(), "ip" | "net" | "network" | "ipv4" | "ipv6" | "mgmt" | "management" | "system")
    {
        return None;
    }
    let with_it = properties.iter().filter(|property| {
        let rest = property.key.strip_prefix(written);
        rest.is_some_and(|rest| rest.chars().next().is_some_and(|next| !next.is_lowercase()))
    });
    let is_shared = properties.len() >= 5 && with_it.count() * 10 >= properties.len() * 8;
    is_shared.then(|| written.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn keys(keys: &[&str]) -> Vec<Property> {
        keys.iter().map(|key| Property { key: (*key).to_owned(), ..Property::default() }).collect()
    }

    #[test]
    fn prefixes_of_products_and_of_types_are_left_away() {
        let style = KeyStyle::of(&keys(&["gw_ip", "gw_mask", "gw_dns", "gw_ntp", "gw_name"]));
        assert_eq!(style.name("gw_ip"), "ip");
        let style = KeyStyle::of(&keys(&["m_szHost", "m_nPort", "m_strIpAddr", "m_bDhcp", "m_usrHelp"]));
        assert_eq!(style.name("m_szHost"), "Host");
        assert_eq!(style.name("m_usrHelp"), "usrHelp");
        let style = KeyStyle::of(&keys(&["ipAddress", "netMask", "sHost", "gateway"]));
        assert_eq!(style.name("sHost"), "sHost", "one key is no style");
    }
}
