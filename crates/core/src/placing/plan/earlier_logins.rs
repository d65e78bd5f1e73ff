//! The numbers that an earlier placement gave to logins: their files on the host belong to these.

use std::collections::HashMap;

use impostazione_rootfs::{Record, Rootfs, RootfsFault};

use super::super::survey::accounts::PASSWD;
use super::subordinate::FILES;

/// Two numbers of each name.
type NamedPairs = Vec<(String, (u32, u32))>;

/// Logins of an earlier placement, as they are on the host now.
#[derive(Clone, Debug, Default)]
pub struct EarlierLogins {
    /// User and group.
    numbers: HashMap<String, (u32, u32)>,
    /// The lines of a file of ranges, by file and name.
    ranges: HashMap<(&'static str, String), (u32, u32)>,
}

impl EarlierLogins {
    /// Reads them.
    pub(crate) fn read(rootfs: &Rootfs, record: &Record) -> Result<Self, RootfsFault> {
        let mut logins = Self::default();
        let pairs = |path: &str, first: usize| -> Result<NamedPairs, RootfsFault> {
            let text = if rootfs.has(path) { rootfs.read(path)? } else { None };
            let text = text.map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).unwrap_or_default();
            let pair = |line: &str| {
                let mut fields = line.split(':');
                let name = fields.next()?.to_owned();
                let mut numbers = fields.skip(first).map(str::parse::<u32>);
                let pair = (numbers.next()?.ok()?, numbers.next()?.ok()?);
                record.accounts.contains(&name).then_some((name, pair))
            };
            Ok(text.lines().filter_map(pair).collect())
        };
        logins.numbers.extend(pairs(PASSWD, 1)?);
        for file in FILES {
            logins.ranges.extend(pairs(file, 0)?.into_iter().map(|(name, range)| ((file, name), range)));
        }
        Ok(logins)
    }

    /// User and group of a login.
    pub(super) fn numbers(&self, name: &str) -> Option<(u32, u32)> {
        self.numbers.get(name).copied()
    }

    /// The first number and the count of a login's range in a file.
    pub(super) fn range(&self, file: &'static str, name: &str) -> Option<(u32, u32)> {
        self.ranges.get(&(file, name.to_owned())).copied()
    }
}
