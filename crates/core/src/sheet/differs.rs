//! One machine of an entry that differs from the others: its own table laid over the entry's.

use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// Keys of an entry that say which machines there are, so that no single one has its own.
const SHARED: [&str; 3] = ["name", "rows", "differs"];

/// Tables of an entry whose lines are laid over each other one by one. The tables of links are, too, link by link.
const MERGED: [&str; 3] = ["ssh", "dns_for", "answer"];

/// Keys that stand in for one another: where one is written for a machine, the other of the entry is set aside.
const INSTEAD: [(&str, &str); 3] =
    [("address", "host_number"), ("address6", "host_number6"), ("hostname", "fqdn")];

/// Whether all machines of an entry have a key in common, since it says which machines there are.
pub(crate) fn is_shared(key: &str) -> bool {
    SHARED.contains(&key)
}

/// The entry of one machine: what its own table says, and else what the entry says for all.
pub(super) fn laid_over<'t>(entry: &DeTable<'t>, own: &DeTable<'t>) -> DeTable<'t> {
    // The tables of the others may be many, and are not copied for each.
    let shared = entry.iter().filter(|(key, _)| key.get_ref() != "differs");
    let mut whole: DeTable<'t> = shared.map(|(key, value)| (key.clone(), value.clone())).collect();
    for (key, value) in own {
        let name = key.get_ref().as_ref();
        match (whole.get_mut(name), value.get_ref()) {
            _ if is_shared(name) => {}
            (Some(below), DeValue::Table(above)) if name == "link" => lay_links(below, above),
            (Some(below), DeValue::Table(above)) if MERGED.contains(&name) => lay_lines(below, above),
            _ => replace(&mut whole, key, value),
        }
    }
    whole
}

fn lay_links<'t>(below: &mut Spanned<DeValue<'t>>, above: &DeTable<'t>) {
    let DeValue::Table(links) = below.get_mut() else { return };
    for (name, own) in above {
        match (links.get_mut(name.get_ref().as_ref()), own.get_ref()) {
            (Some(link), DeValue::Table(own)) => lay_lines(link, own),
            _ => replace(links, name, own),
        }
    }
}

/// Lays lines over those of a table. What is no table, although it should be one, has its finding.
fn lay_lines<'t>(below: &mut Spanned<DeValue<'t>>, above: &DeTable<'t>) {
    let DeValue::Table(lines) = below.get_mut() else { return };
    for (key, value) in above {
        replace(lines, key, value);
    }
}

/// Puts a value in the place of another, with the key that stands before it, so that findings lead to it.
fn replace<'t>(
    table: &mut DeTable<'t>,
    key: &Spanned<std::borrow::Cow<'t, str>>,
    value: &Spanned<DeValue<'t>>,
) {
    let name = key.get_ref().as_ref();
    table.remove(name);
    for (one, other) in INSTEAD {
        if name == one {
            table.remove(other);
        } else if name == other {
            table.remove(one);
        }
    }
    table.insert(key.clone(), value.clone());
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The entry of the machine `odd`, written as a sheet is.
    fn laid(text: &str) -> String {
        let table = DeTable::parse(text).unwrap();
        let own = table.get_ref()["differs"].get_ref().as_table().unwrap()["odd"].get_ref();
        let whole = laid_over(table.get_ref(), own.as_table().unwrap());
        plain(&DeValue::Table(whole)).to_string()
    }

    fn plain(value: &DeValue<'_>) -> toml::Value {
        match value {
            DeValue::String(text) => toml::Value::String(text.to_string()),
            DeValue::Integer(number) => toml::Value::Integer(number.as_str().parse().unwrap()),
            DeValue::Boolean(truth) => toml::Value::Boolean(*truth),
            DeValue::Array(items) => {
                items.iter().map(|item| plain(item.get_ref())).collect::<Vec<_>>().into()
            }
            DeValue::Table(table) => {
                let entries =
                    table.iter().map(|(key, value)| (key.get_ref().to_string(), plain(value.get_ref())));
                toml::Value::Table(entries.collect())
            }
            DeValue::Float(_) | DeValue::Datetime(_) => toml::Value::String("?".to_owned()),
        }
    }

    #[test]
    fn lines_of_tables_are_laid_over_each_other_and_values_replace_values() {
        let laid = laid(
            "timezone = 'UTC'\ndns = ['10.64.10.53']\nssh = { enabled = true, root_login = false }\n\
             link.eth0 = { subnet = 'quay', address = '10.64.10.11' }\n\
             [differs.odd]\ndns = ['10.64.10.54']\nssh.root_login = true\nlink.eth0.mtu = 1400\n\
             link.eth1 = { subnet = 'slip' }\n",
        );
        assert_eq!(
            laid,
            "{ timezone = \"UTC\", ssh = { enabled = true, root_login = true }, link = { eth0 = { subnet = \"quay\", \
             address = \"10.64.10.11\", mtu = 1400 }, eth1 = { subnet = \"slip\" } }, dns = [\"10.64.10.54\"] }"
        );
    }

    #[test]
    fn a_key_that_stands_in_for_another_sets_it_aside() {
        let laid = laid(
            "hostname = 'a'\nlink.eth0 = { subnet = 'quay', host_number = 11, host_number6 = 12 }\n\
             [differs.odd]\nfqdn = 'b.capovetro.example'\nlink.eth0 = { address = '10.64.10.90' }\n",
        );
        assert_eq!(
            laid,
            "{ link = { eth0 = { subnet = \"quay\", host_number6 = 12, address = \"10.64.10.90\" } }, fqdn = \
             \"b.capovetro.example\" }"
        );
    }

    #[test]
    fn an_answer_is_replaced_as_a_whole() {
        let laid = laid(
            "[answer]\n'a.b' = { secret = 'x' }\n'c.d' = 'e'\n[differs.odd.answer]\n'a.b' = { take = 'address' }\n",
        );
        assert_eq!(laid, "{ answer = { \"c.d\" = \"e\", \"a.b\" = { take = \"address\" } } }");
    }

    #[test]
    fn what_says_which_machines_there_are_stays() {
        assert_eq!(
            laid("name = 'a'\n[differs.odd]\nname = 'b'\nrows = 'c.csv'\ndiffers.x.y = 1\n"),
            "{ name = \"a\" }"
        );
    }
}
