//! From TOML to the sheet.

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::keys::{
    ACCOUNT, ANSWER, APPLIANCE, APPLIANCE_LINK, COMMON, HOST, HOST_LINK, IN_USE, ROOT, SUBNET_TABLE, TAKE,
};
use super::table::{Reader, TableReader};
use super::{
    AccountEntry, AnswerEntry, AnswerValue, LinkEntry, MachineEntry, MachineKind, SettingsEntry, Sheet,
    SubnetEntry, TableSpec, TakeEntry, label_of, syntax,
};
use crate::finding::Finding;
use crate::given::Given;
use crate::rules::report;
use crate::source::{Place, Source, SourceId, Span, Written};

/// Takes a sheet apart. Everything that can be read is read, whatever else is wrong, so that one run gives all findings.
pub fn read(id: SourceId, source: &Source) -> (Sheet, Vec<Finding>) {
    let text = source.text();
    let (table, errors) = DeTable::parse_recoverable(text);
    let syntax::Broken { findings, spans } = syntax::explain(id, source, &errors);
    let mut reader = Reader { source: id, findings, broken: &spans, misplaced: Vec::new() };
    let top = Place { source: id, span: Span::new(0, 0) };
    let mut sheet = read_root(&mut reader, table.get_ref(), top, text);
    sheet.is_whole &= spans.is_empty();
    name_machines(&mut reader.findings, &sheet, text);
    (sheet, reader.findings)
}

/// Gives findings about the TOML of an entry the name of its machine.
fn name_machines(findings: &mut [Finding], sheet: &Sheet, text: &str) {
    for finding in findings.iter_mut().filter(|finding| finding.machine.is_none()) {
        let before = sheet.machines.partition_point(|machine| machine.header <= finding.place);
        let Some(machine) = before.checked_sub(1).and_then(|index| sheet.machines.get(index)) else {
            continue;
        };
        let between = text.get(machine.header.span.end()..finding.place.span.start()).unwrap_or_default();
        let own_table = format!("[{}.", machine.kind.word());
        let mut headers = between.lines().map(str::trim_start).filter(|line| line.starts_with('['));
        if headers.all(|header| header.starts_with(&own_table)) {
            finding.machine = machine.label();
        }
    }
}

fn read_root(reader: &mut Reader<'_>, table: &DeTable<'_>, top: Place, text: &str) -> Sheet {
    let mut root = TableReader::new(reader, table, &ROOT, top, None);
    root.refuse_unknown_keys(&[&COMMON]);
    let mut sheet = Sheet::default();
    let is_blank = table.is_empty();
    if let Given::Value((table, place)) = root.table("common") {
        let mut common = TableReader::new(root.reader, table, &COMMON, place, None);
        common.refuse_unknown_keys(&[&ROOT]);
        sheet.site = common.text("site");
        sheet.common = read_settings(&mut common);
    }
    for (name, table, place) in root.named_tables("subnet") {
        sheet.subnets.push(read_subnet(root.reader, name, table, place));
    }
    for (name, table, place) in root.named_tables("account") {
        sheet.accounts.push(read_account(root.reader, name, table, place));
    }
    for (table, place) in root.table_list("host") {
        sheet.machines.push(read_machine(root.reader, MachineKind::Host, table, place));
    }
    for (table, place) in root.table_list("appliance") {
        sheet.machines.push(read_machine(root.reader, MachineKind::Appliance, table, place));
    }
    sheet.machines.sort_by_key(|machine| machine.header);
    sheet.is_whole = !root.has_faults;
    if sheet.machines.is_empty() {
        let blank = text.trim().is_empty() || (is_blank && root.reader.findings.is_empty());
        root.reader.findings.push(report::empty(top, blank));
    }
    if !is_blank {
        check_format(&mut root);
    }
    sheet
}

fn check_format(root: &mut TableReader<'_, '_, '_>) {
    match root.integer("format") {
        Given::Value(format) if format.value == 1 => {}
        Given::Value(format) => {
            let finding = report::format_unknown(format.place, Some(&format.value.to_string()));
            root.reader.findings.push(finding);
        }
        Given::Absent => {
            let finding = report::format_unknown(root.place, None);
            root.reader.findings.push(finding);
        }
        Given::Faulty => {}
    }
}

fn read_settings(table: &mut TableReader<'_, '_, '_>) -> SettingsEntry {
    SettingsEntry {
        domain: table.text("domain"),
        dns: table.list("dns"),
        search: table.list("search"),
        ntp: table.list("ntp"),
        timezone: table.text("timezone"),
    }
}

fn read_subnet(
    reader: &mut Reader<'_>,
    name: Written<String>,
    table: &DeTable<'_>,
    place: Place,
) -> SubnetEntry {
    let mut table = TableReader::new(reader, table, &SUBNET_TABLE, place, None);
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    let entry = SubnetEntry {
        prefix: table.text("prefix"),
        gateway: table.text("gateway"),
        prefix6: table.text("prefix6"),
        gateway6: table.text("gateway6"),
        dhcp_ranges: table.texts("dhcp_ranges").into_value().unwrap_or_default(),
        kept_free: table.texts("kept_free").into_value().unwrap_or_default(),
        in_use: read_in_use(&mut table),
        name,
    };
    if entry.prefix.is_absent() && entry.prefix6.is_absent() {
        table.missing("prefix");
    }
    entry
}

fn read_in_use(table: &mut TableReader<'_, '_, '_>) -> Vec<(Written<String>, String)> {
    let Given::Value((inner, place)) = table.table("in_use") else { return Vec::new() };
    let users = TableReader::new(table.reader, inner, &IN_USE, place, None);
    let entries: Vec<_> = users.entries().collect();
    let mut in_use = Vec::with_capacity(entries.len());
    for (address, user) in entries {
        match user.get_ref() {
            DeValue::String(user) => in_use.push((address, user.to_string())),
            _ => table.wrong_type("in_use", user),
        }
    }
    in_use
}

fn read_account(
    reader: &mut Reader<'_>,
    name: Written<String>,
    table: &DeTable<'_>,
    place: Place,
) -> AccountEntry {
    let mut table = TableReader::new(reader, table, &ACCOUNT, place, None);
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    let entry = AccountEntry {
        full_name: table.text("full_name"),
        admin: table.flag("admin"),
        ssh_keys: table.texts("ssh_keys"),
        hosts: table.texts("hosts"),
        name,
    };
    if entry.ssh_keys.is_absent() {
        table.missing("ssh_keys");
    }
    entry
}

fn read_machine(
    reader: &mut Reader<'_>,
    kind: MachineKind,
    table: &DeTable<'_>,
    place: Place,
) -> MachineEntry {
    let (spec, link_spec): (&'static TableSpec, &'static TableSpec) = match kind {
        MachineKind::Host => (&HOST, &HOST_LINK),
        MachineKind::Appliance => (&APPLIANCE, &APPLIANCE_LINK),
    };
    let mut table = TableReader::new(reader, table, spec, place, None);
    let name = table.text("name");
    table.machine = label_of(&name);
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    if name.is_absent() {
        table.missing("name");
    }
    let machine = table.machine.clone();
    table.reader.misplaced.clear();
    let mut links = Vec::new();
    if !has_unnamed_link(&mut table, link_spec) {
        for (name, inner, place) in table.named_tables("link") {
            links.push(read_link(table.reader, link_spec, machine.clone(), name, inner, place, spec));
        }
    }
    table.claim_misplaced_keys();
    if links.is_empty() && !matches!(table.get("link"), Some(link) if !is_empty_table(link)) {
        table.missing("link");
    }
    let mut entry = MachineEntry {
        kind,
        header: place,
        rows: table.text("rows"),
        settings: read_settings(&mut table),
        links,
        package: Given::Absent,
        answers: Vec::new(),
        answers_place: None,
        name,
    };
    if kind == MachineKind::Appliance {
        entry.package = table.text("package");
        if entry.package.is_absent() {
            table.missing("package");
        }
        if let Given::Value((inner, place)) = table.table("answer") {
            entry.answers_place = Some(place);
            entry.answers = read_answers(table.reader, inner, place, machine.as_ref());
        }
    }
    entry
}

/// Whether `link` holds the keys of a link in place of the names of links, which is one slip however many keys there are.
fn has_unnamed_link(table: &mut TableReader<'_, '_, '_>, link_spec: &TableSpec) -> bool {
    let Some(value) = table.get("link") else { return false };
    let Some(inner) = value.get_ref().as_table() else { return false };
    let is_unnamed = inner
        .iter()
        .any(|(key, value)| !value.get_ref().is_table() && link_spec.key(key.get_ref().as_ref()).is_some());
    if is_unnamed {
        table.wrong_value("link", value, "a link without a name");
    }
    is_unnamed
}

fn is_empty_table(value: &Spanned<DeValue<'_>>) -> bool {
    value.get_ref().as_table().is_some_and(DeTable::is_empty)
}

fn read_link(
    reader: &mut Reader<'_>,
    spec: &'static TableSpec,
    machine: Option<String>,
    name: Written<String>,
    table: &DeTable<'_>,
    place: Place,
    outer: &'static TableSpec,
) -> LinkEntry {
    let mut table = TableReader::new(reader, table, spec, place, machine);
    table.refuse_unknown_keys(&[outer, &COMMON, &ROOT]);
    let entry = LinkEntry {
        name,
        network: if spec.key("network").is_some() { table.text("network") } else { Given::Absent },
        subnet: table.text("subnet"),
        address: table.text("address"),
        address6: table.text("address6"),
        default_route: table.flag("default_route"),
    };
    if entry.subnet.is_absent() {
        table.missing("subnet");
    }
    entry
}

fn read_answers(
    reader: &mut Reader<'_>,
    table: &DeTable<'_>,
    place: Place,
    machine: Option<&String>,
) -> Vec<AnswerEntry> {
    let mut table = TableReader::new(reader, table, &ANSWER, place, machine.cloned());
    let entries: Vec<_> = table.entries().collect();
    let mut answers = Vec::with_capacity(entries.len());
    for (property, value) in entries {
        let place = table.reader.place(value.span());
        let read = match value.get_ref() {
            DeValue::String(text) => Given::Value(AnswerValue::Literal(text.to_string())),
            DeValue::Integer(number) => match i64::from_str_radix(number.as_str(), number.radix()) {
                Ok(number) => Given::Value(AnswerValue::Literal(number.to_string())),
                Err(_) => Given::Value(AnswerValue::Literal(number.as_str().to_owned())),
            },
            DeValue::Float(number) => Given::Value(AnswerValue::Literal(number.as_str().to_owned())),
            DeValue::Boolean(truth) => Given::Value(AnswerValue::Literal(truth.to_string())),
            DeValue::Table(inner) => read_take(table.reader, inner, place, machine),
            DeValue::Datetime(_) | DeValue::Array(_) => {
                table.wrong_type("answer", value);
                Given::Faulty
            }
        };
        answers.push(AnswerEntry { property, value: read, place });
    }
    answers
}

fn read_take(
    reader: &mut Reader<'_>,
    table: &DeTable<'_>,
    place: Place,
    machine: Option<&String>,
) -> Given<AnswerValue> {
    let mut table = TableReader::new(reader, table, &TAKE, place, machine.cloned());
    table.refuse_unknown_keys(&[]);
    let take = table.text("take");
    if take.is_absent() {
        table.missing("take");
    }
    let of = table.text("of");
    let link = table.text("link");
    let nth = table.integer("nth");
    let join = table.text("join");
    let is_faulty = matches!(of, Given::Faulty)
        || matches!(link, Given::Faulty)
        || matches!(nth, Given::Faulty)
        || matches!(join, Given::Faulty);
    match take {
        Given::Value(take) if !is_faulty => Given::Value(AnswerValue::Take(TakeEntry {
            take,
            of: of.into_value(),
            link: link.into_value(),
            nth: nth.into_value(),
            join: join.into_value(),
        })),
        _ => Given::Faulty,
    }
}
