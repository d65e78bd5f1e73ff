//! Hosts that are the rows of a CSV file.

use std::path::Path;

use super::desk::Desk;
use super::fields::{FieldRole, roles_of, values_fit};
use super::hosts::table_of;
use super::put::{Reply, put};
use super::question::{Question, Refusal};
use super::state::State;
use super::taken_rows::TakenRows;
use super::topic::Topic;
use crate::edit::quoted;
use crate::sheet::RowsTable;

/// Largest file of rows that is read, in bytes.
const LIMIT: u64 = 16 * 1024 * 1024;

/// What is asked about the fields: whether they are the right ones, and each of them.
pub(super) const FIELDS: [(&str, Option<FieldRole>); 6] = [
    ("all", None),
    ("name", Some(FieldRole::Name)),
    ("address", Some(FieldRole::Address)),
    ("mask", Some(FieldRole::Mask)),
    ("address6", Some(FieldRole::Address6)),
    ("mac", Some(FieldRole::Mac)),
];

/// Whether a reply names a file of rows and no machine.
pub(super) fn is_file(text: &str) -> bool {
    let end = Path::new(text).extension().map(|end| end.to_string_lossy().to_ascii_lowercase());
    end.is_some_and(|end| matches!(end.as_str(), "csv" | "tsv" | "txt"))
}

/// Whether the rows of a host have a field of that name in the sheet.
pub(super) fn has_field(state: &State, host: usize, role: &str) -> bool {
    let role = FieldRole::ALL.iter().find(|(word, _)| *word == role).map(|(_, role)| *role);
    state.rows.get(&host).is_some_and(|rows| role.is_some_and(|role| rows.field(role).is_some()))
}

/// The next question about the fields of a host's rows.
pub(super) fn next(state: &State, host: usize) -> Option<Topic> {
    let rows = state.rows.get(&host)?;
    if rows.is_written {
        return None;
    }
    let all = Topic::RowsField(host, 0);
    if !state.is_settled(&all.id()) {
        return Some(all);
    }
    (1..FIELDS.len()).map(|field| Topic::RowsField(host, field)).find(|topic| !state.is_settled(&topic.id()))
}

/// Takes a file of rows: what each of its fields is taken for is asked next.
pub(super) fn take_file(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    path: &Path,
) -> Result<Vec<String>, Refusal> {
    let name = path.display().to_string();
    let bytes = desk.named_files.read(path, LIMIT).map_err(|fault| {
        Refusal::new(
            format!("{name} cannot be used: {fault}."),
            "reply with the path of a CSV file, from the sheet's folder on",
        )
    })?;
    let table = RowsTable::read(&name, bytes)
        .map_err(|reason| Refusal::new(format!("{reason}."), "correct the file, or name another"))?;
    if table.rows.is_empty() {
        return Err(Refusal::new(format!("{name} has no rows."), "name a file with a row for each host"));
    }
    let entry = table_of(host);
    state.text.set(&entry, "name", &quoted(&format!("host-{}", host + 1)), None);
    state.text.set(&entry, "rows", &quoted(&name), None);
    state.counts.insert(host, table.rows.len());
    let told = vec![format!("{name}: {} rows, fields {}", table.rows.len(), table.fields.join(", "))];
    let roles = roles_of(&table);
    state.rows.insert(host, TakenRows { table, roles, is_written: false });
    Ok(told)
}

/// Takes in the rows of a host that was begun before.
pub(super) fn reopen(state: &mut State, desk: &Desk<'_>, host: usize) {
    let Some(name) = state.text.string(&table_of(host), "rows") else { return };
    let Ok(bytes) = desk.named_files.read(Path::new(&name), LIMIT) else { return };
    let Ok(table) = RowsTable::read(&name, bytes) else { return };
    let is_written = state.text.string(&table_of(host), "name").is_some_and(|name| name.contains('{'));
    state.counts.insert(host, table.rows.len());
    let roles = roles_of(&table);
    state.rows.insert(host, TakenRows { table, roles, is_written });
}

/// The question about a field.
pub(super) fn question(state: &State, host: usize, field: usize) -> Question {
    let id = Topic::RowsField(host, field).id();
    let Some(rows) = state.rows.get(&host) else { return Question::new(id, "") };
    let role = FIELDS.get(field).and_then(|(_, role)| *role);
    let Some(role) = role else {
        let taken = FieldRole::ALL.iter().map(|(_, role)| rows.shown(*role));
        let is_used = |index: usize| rows.roles.iter().any(|(_, used)| *used == index);
        let unused: Vec<&str> = rows
            .table
            .fields
            .iter()
            .enumerate()
            .filter(|(index, _)| !is_used(*index))
            .map(|(_, field)| field.as_str())
            .collect();
        let unused = if unused.is_empty() { None } else { Some(format!("not used: {}", unused.join(", "))) };
        return Question::new(id, "Are these the right fields?")
            .proposing(Some("yes".to_owned()))
            .choosing(&[("yes", "as shown"), ("no", "each is asked for")])
            .showing(taken.chain(unused))
            .explained(
                "The words of the header say what a field holds, and the values have to be of that form.",
            );
    };
    let line = match role {
        FieldRole::Name => "Which field holds the name of the host?",
        FieldRole::Address => "Which field holds the address?",
        FieldRole::Mask => "Which field holds the mask?",
        FieldRole::Address6 => "Which field holds the IPv6 address?",
        FieldRole::Mac => "Which field holds the MAC address?",
    };
    let question = Question::new(id, line)
        .proposing(Some(rows.field(role).unwrap_or("none").to_owned()))
        .showing([format!("fields: {}", rows.table.fields.join(", "))])
        .explained("Reply with the name of the field as the header has it.");
    if role == FieldRole::Name { question } else { question.or_none() }
}

/// Takes a reply about a field.
pub(super) fn take(
    state: &mut State,
    desk: &Desk<'_>,
    host: usize,
    field: usize,
    reply: Reply<'_>,
) -> Result<Vec<String>, Refusal> {
    let role = FIELDS.get(field).and_then(|(_, role)| *role);
    let Some(role) = role else {
        if reply.word() == "yes" {
            for field in 1..FIELDS.len() {
                state.pass(&Topic::RowsField(host, field).id());
            }
            return write(state, desk, host, reply);
        }
        return Ok(Vec::new());
    };
    let Some(rows) = state.rows.get_mut(&host) else { return Ok(Vec::new()) };
    rows.roles.retain(|(known, _)| *known != role);
    if let Some(name) = reply.text {
        let index = rows.table.fields.iter().position(|field| field.eq_ignore_ascii_case(name));
        let Some(index) = index else {
            return Err(Refusal::new(
                format!("There is no field \"{name}\"."),
                format!("reply with one of: {}", rows.table.fields.join(", ")),
            ));
        };
        if !values_fit(&rows.table, index, role) {
            let odd = rows.table.values(index).next().unwrap_or_default();
            return Err(Refusal::new(
                format!("The values of \"{name}\" are not all of that form (the first is \"{odd}\")."),
                "reply with another field, or correct the file",
            ));
        }
        rows.roles.push((role, index));
    }
    if field + 1 == FIELDS.len() { write(state, desk, host, reply) } else { Ok(Vec::new()) }
}

/// Puts the fields into the entry.
fn write(state: &mut State, desk: &Desk<'_>, host: usize, reply: Reply<'_>) -> Result<Vec<String>, Refusal> {
    let Some(rows) = state.rows.get(&host).cloned() else { return Ok(Vec::new()) };
    let Some(name) = rows.field(FieldRole::Name) else {
        return Err(Refusal::new(
            "No field holds the names of the hosts.",
            "name the field that does: reply no",
        ));
    };
    let mut told = put(state, desk, &table_of(host), "name", &quoted(&braced(name)), reply)?;
    if let Some(rows) = state.rows.get_mut(&host) {
        rows.is_written = true;
    }
    told.push(format!("that is {} hosts", rows.table.rows.len()));
    Ok(told)
}

/// A field as it stands in a text of the entry.
fn braced(field: &str) -> String {
    format!("{{{field}}}")
}

/// What the rows say of a link: its keys, with what is written for them.
pub(super) fn of_link(state: &State, host: usize) -> Vec<(&'static str, String)> {
    let Some(rows) = state.rows.get(&host) else { return Vec::new() };
    let mut keys = Vec::new();
    if let Some(field) = rows.field(FieldRole::Mac) {
        keys.push(("mac", braced(field)));
    }
    if let Some(field) = rows.field(FieldRole::Address) {
        let has_own_mask = rows.roles.iter().any(|(role, index)| {
            *role == FieldRole::Address && rows.table.values(*index).all(|value| value.contains('/'))
        });
        let mask = rows.field(FieldRole::Mask).filter(|_| !has_own_mask);
        keys.push((
            "address",
            braced(field) + &mask.map(|mask| format!("/{}", braced(mask))).unwrap_or_default(),
        ));
    }
    if let Some(field) = rows.field(FieldRole::Address6) {
        keys.push(("address6", braced(field)));
    }
    keys
}

/// The subnet that all addresses of the rows lie in, where the sheet has it.
pub(super) fn likely_subnet(state: &State, host: usize) -> Option<String> {
    let rows = state.rows.get(&host)?;
    let (_, index) = rows.roles.iter().find(|(role, _)| *role == FieldRole::Address)?;
    let addresses: Vec<std::net::IpAddr> =
        rows.table.values(*index).filter_map(|value| value.split('/').next()?.trim().parse().ok()).collect();
    state.subnet_names().into_iter().find(|name| {
        let prefix = state.subnet_says(name, "prefix");
        let prefix: Option<ipnet::IpNet> = prefix.and_then(|prefix| prefix.parse().ok());
        prefix.is_some_and(|prefix| {
            !addresses.is_empty() && addresses.iter().all(|address| prefix.contains(address))
        })
    })
}
