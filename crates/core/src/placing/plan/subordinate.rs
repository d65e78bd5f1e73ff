//! Numbers that a user may hand on to containers of their own (`subuid(5)`, `subgid(5)`).

use impostazione_rootfs::{Change, RootfsPath, Subject};

use super::edits::edited;
use super::plan::{Plan, PlanFault};
use super::plan_inputs::PlanInputs;
use super::table::Table;

pub(super) const FILES: [&str; 2] = ["etc/subuid", "etc/subgid"];
/// The first such number, and how many each user gets, as `useradd(8)` gives them where `login.defs(5)` says nothing else.
const FIRST: u32 = 100_000;
const COUNT: u32 = 65_536;

/// Gives new users a range each, as `useradd` would, on an image that has such files.
pub(super) fn plan(inputs: PlanInputs<'_>, new_users: &[&str], plan: &mut Plan) -> Result<(), PlanFault> {
    for path in FILES {
        let Some(mut table) = inputs.view.read(path)?.as_deref().and_then(Table::parse) else { continue };
        add_ranges(&mut table, new_users, |name| inputs.earlier?.range(path, name));
        if let Some(bytes) = table.changed() {
            let want = edited(inputs.view, path, bytes.to_vec(), 0o644)?;
            plan.changes.push(Change::new(RootfsPath::new(path)?, Subject::Accounts, want));
        }
    }
    Ok(())
}

/// Adds ranges for users who have none. One that a user had on the host is theirs again, since files belong to its numbers.
fn add_ranges(table: &mut Table, new_users: &[&str], earlier: impl Fn(&str) -> Option<(u32, u32)>) {
    for name in new_users.iter().filter(|name| table.find(name).is_empty()).collect::<Vec<_>>() {
        let is_free = |(first, count): &(u32, u32)| {
            let end = first.saturating_add(*count);
            *first >= FIRST
                && !table
                    .numbers(1)
                    .zip(table.numbers(2))
                    .any(|(other, length)| other < end && *first < other.saturating_add(length))
        };
        if let Some((first, count)) = earlier(name).filter(is_free) {
            table.push(&[name, &first.to_string(), &count.to_string()]);
            continue;
        }
        let ends = table.numbers(1).zip(table.numbers(2)).map(|(first, count)| first.saturating_add(count));
        let first = ends.max().unwrap_or(FIRST).max(FIRST);
        // Where the numbers are used up, a user does without: only containers of their own want them.
        if first.checked_add(COUNT).is_some() {
            table.push(&[name, &first.to_string(), &COUNT.to_string()]);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::{Table, add_ranges};

    fn with_ranges(there: &str, new_users: &[&str]) -> Option<String> {
        let mut table = Table::parse(there.as_bytes()).unwrap();
        add_ranges(&mut table, new_users, |_| None);
        table.changed().map(|bytes| String::from_utf8(bytes.to_vec()).unwrap())
    }

    #[test]
    fn ranges_do_not_meet_and_whoever_has_one_keeps_it() {
        assert_eq!(
            with_ranges("", &["keeper", "pilot"]).unwrap(),
            "keeper:100000:65536\npilot:165536:65536\n"
        );
        assert_eq!(
            with_ranges("image:165536:65536\nother:100000:65536\n", &["keeper"]).unwrap(),
            "image:165536:65536\nother:100000:65536\nkeeper:231072:65536\n"
        );
        assert_eq!(with_ranges("keeper:300000:10\n", &["keeper"]), None);
        assert_eq!(with_ranges("image:4294900000:65536\n", &["keeper"]), None, "the numbers are used up");
    }
}
