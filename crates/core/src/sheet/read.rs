//! From TOML to the sheet.

use std::collections::HashSet;

use impostazione_text::{Hidden, Place, Source, SourceId, Span, Stated, Written};
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::differs::{is_shared, laid_over};
use super::entries::{
    AccountEntry, AnswerEntry, AnswerValue, ClusterEntry, DifferingEntry, FurtherAddressEntry, ItemEntry,
    LinkEntry, ListEntry, MachineEntry, MachineKind, MoreOfAppliance, MoreOfLink, MoreOfMachine, PoolEntry,
    RouteEntry, SecretEntry, SecretReference, SettingsEntry, Sheet, SshEntry, SubnetEntry, TakeEntry,
    TimeKeyEntry, VirtualAddressEntry, WaiverEntry, WifiEntry, label_of,
};
use super::keys::{
    ACCOUNT, ANSWER, APPLIANCE, APPLIANCE_DIFFERS, APPLIANCE_LINK, CLUSTER, COMMON, DNS_FOR_TABLE,
    FURTHER_ADDRESS, HOST, HOST_DIFFERS, HOST_LINK, IN_USE, KEYED_SERVER, POOL, ROOT, ROUTE, SECRET,
    SECRET_VALUE, SSH, SUBNET_TABLE, TAKE, TIME_KEY, TableSpec, VIRTUAL_ADDRESS, WAIVER, WIFI,
};
use super::syntax;
use super::table::{Reader, TableReader};
use crate::finding::Finding;
use crate::sheet::hidden::hidden_in_sheet;
use crate::sheet::hidden_unparsed::hidden_in_unparsed;
use crate::sheet::rules::form;

/// Takes a sheet apart. Everything that can be read is read, whatever else is wrong, so that one run gives all findings.
/// What other files it includes is left to the caller; whether it has any machine, too, where it includes some.
pub(super) fn read(id: SourceId, source: &Source) -> (Sheet, Vec<Finding>) {
    let text = source.text();
    let (table, errors) = DeTable::parse_recoverable(text);
    let unread = (!errors.is_empty()).then(|| hidden_in_unparsed(text));
    let syntax::Broken { findings, spans } = syntax::explain(id, source, &errors);
    let mut reader =
        Reader { source: id, findings, broken: &spans, misplaced: Vec::new(), hidden: Vec::new() };
    let top = Place { source: id, span: Span::new(0, 0) };
    let mut sheet = read_root(&mut reader, table.get_ref(), top, text);
    sheet.is_whole &= spans.is_empty();
    sheet.hidden = std::mem::take(&mut reader.hidden);
    let place = |span: std::ops::Range<usize>| Place { source: id, span: span.into() };
    sheet.hidden.extend(hidden_in_sheet(table.get_ref()).into_iter().map(place));
    sheet.unread = unread;
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
        let routing_table = format!("[{}.", machine.kind.word());
        let mut headers = between.lines().map(str::trim_start).filter(|line| line.starts_with('['));
        if headers.all(|header| header.starts_with(&routing_table)) {
            finding.machine = machine.label();
        }
    }
}

fn read_root(reader: &mut Reader<'_>, table: &DeTable<'_>, top: Place, text: &str) -> Sheet {
    let mut root = TableReader::new(reader, table, &ROOT, top, None);
    root.refuse_unknown_keys(&[&COMMON]);
    let include = root.texts("include").into_value().unwrap_or_default();
    let mut sheet = Sheet { include, ..Sheet::default() };
    let is_blank = table.is_empty();
    if let Stated::Value((table, place)) = root.table("common") {
        sheet.common_place = Some(place);
        let mut common = TableReader::new(root.reader, table, &COMMON, place, None);
        common.refuse_unknown_keys(&[&ROOT]);
        sheet.site = common.text("site");
        sheet.refused_passwords = common.text("refused_passwords");
        sheet.common = read_settings(&mut common, &COMMON);
    }
    for (name, table, place) in root.named_tables("subnet") {
        sheet.subnets.push(read_subnet(root.reader, name, table, place));
    }
    for (name, table, place) in root.named_tables("pool") {
        sheet.pools.push(read_pool(root.reader, name, table, place));
    }
    for (name, table, place) in root.named_tables("cluster") {
        sheet.clusters.push(read_cluster(root.reader, name, table, place));
    }
    for (name, table, place) in root.named_tables("secret") {
        sheet.secrets.push(read_secret(root.reader, name, table, place));
    }
    for (name, table, place) in root.named_tables("time_key") {
        sheet.time_keys.push(read_time_key(root.reader, name, table, place));
    }
    for (table, place) in root.table_list("waiver") {
        sheet.waivers.push(read_waiver(root.reader, table, place));
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
    if sheet.machines.is_empty() && !table.contains_key("include") {
        let blank = text.trim().is_empty() || (is_blank && root.reader.findings.is_empty());
        root.reader.findings.push(form::empty(top, blank));
    }
    if !is_blank {
        check_format(&mut root);
    }
    sheet
}

fn check_format(root: &mut TableReader<'_, '_, '_>) {
    match root.integer("format") {
        Stated::Value(format) if format.value == 1 => {}
        Stated::Value(format) => {
            let finding = form::format_unknown(format.place, Some(&format.value.to_string()));
            root.reader.findings.push(finding);
        }
        Stated::Absent => {
            let finding = form::format_unknown(root.place, None);
            root.reader.findings.push(finding);
        }
        Stated::Faulty => {}
    }
}

/// Reads the settings that a table may hold; an appliance has fewer of them than a host.
fn read_settings(table: &mut TableReader<'_, '_, '_>, spec: &'static TableSpec) -> SettingsEntry {
    let mut entry = SettingsEntry {
        purpose: table.text("purpose"),
        domain: table.text("domain"),
        name_pattern: table.text("name_pattern"),
        dns: read_list(table, "dns"),
        search: read_list(table, "search"),
        ntp: read_list(table, "ntp"),
        timezone: table.text("timezone"),
        ..SettingsEntry::default()
    };
    if spec.key("ssh").is_some() {
        entry.dns_for = read_dns_for(table);
        entry.llmnr = table.flag("llmnr");
        entry.multicast_dns = table.flag("multicast_dns");
        entry.time_service = table.text("time_service");
        entry.locale = table.text("locale");
        entry.keyboard = table.text("keyboard");
        entry.ipv6 = table.text("ipv6");
        entry.netplan = table.text("netplan");
        entry.renderer = table.text("renderer");
        entry.hosts_file = table.text("hosts_file");
        entry.ssh = read_ssh(table);
        entry.stock_logins = table.text("stock_logins");
        entry.password_hashing = table.text("password_hashing");
        entry.password_cost = table.integer("password_cost");
    }
    entry
}

fn read_ssh(table: &mut TableReader<'_, '_, '_>) -> Stated<SshEntry> {
    table.table("ssh").and_then(|(inner, place)| {
        let mut ssh = table.inner(inner, &SSH, place);
        ssh.refuse_unknown_keys(&[]);
        Some(SshEntry {
            enabled: ssh.flag("enabled"),
            password_login: ssh.flag("password_login"),
            root_login: ssh.flag("root_login"),
            host_key: ssh.flag("host_key"),
            port: ssh.integer("port"),
        })
    })
}

fn read_dns_for(table: &mut TableReader<'_, '_, '_>) -> Stated<Vec<(Written<String>, Stated<ListEntry>)>> {
    table.table("dns_for").and_then(|(inner, place)| {
        let mut domains = table.inner(inner, &DNS_FOR_TABLE, place);
        let names: Vec<Written<String>> = domains.entries().map(|(name, _)| name).collect();
        Some(
            names
                .into_iter()
                .map(|name| {
                    let servers = read_list(&mut domains, &name.value);
                    (name, servers)
                })
                .collect(),
        )
    })
}

/// A list that can be declined with `"none"`, as a whole or after its last item.
fn read_list(table: &mut TableReader<'_, '_, '_>, key: &str) -> Stated<ListEntry> {
    let Some(value) = table.get(key) else { return table.absent(key) };
    let place = table.reader.place(value.span());
    let items = match value.get_ref() {
        DeValue::String(text) if text.as_ref() == "none" => {
            return Stated::Value(ListEntry {
                place,
                items: Vec::new(),
                ends_with_none: true,
                has_faulty_items: false,
            });
        }
        DeValue::Array(items) => items,
        _ => {
            table.wrong_type(key, value);
            return Stated::Faulty;
        }
    };
    let mut list = ListEntry {
        place,
        items: Vec::with_capacity(items.len()),
        ends_with_none: false,
        has_faulty_items: table.reader.is_broken(place),
    };
    let last = items.len().saturating_sub(1);
    for (index, item) in items.iter().enumerate() {
        let place = table.reader.place(item.span());
        let read = match item.get_ref() {
            DeValue::String(text) if index == last && text.as_ref() == "none" => {
                list.ends_with_none = true;
                continue;
            }
            DeValue::String(text) if !table.reader.is_broken(place) => {
                Some(ItemEntry::Text(Written::new(text.to_string(), place)))
            }
            DeValue::String(_) => None,
            DeValue::Table(inner) if key == "ntp" && inner.contains_key("server") => {
                read_keyed_server(table, inner, place)
            }
            DeValue::Table(inner) if matches!(key, "dns" | "ntp") => {
                let machine = table.machine.clone();
                read_take(table.reader, inner, place, machine.as_ref())
                    .into_value()
                    .map(|take| ItemEntry::Take(Box::new(take), place))
            }
            _ => {
                table.wrong_type(key, item);
                None
            }
        };
        list.has_faulty_items |= read.is_none();
        list.items.extend(read);
    }
    Stated::Value(list)
}

fn read_keyed_server(
    table: &mut TableReader<'_, '_, '_>,
    inner: &DeTable<'_>,
    place: Place,
) -> Option<ItemEntry> {
    let mut keyed = table.inner(inner, &KEYED_SERVER, place);
    keyed.refuse_unknown_keys(&[]);
    let (server, key) = (keyed.required_text("server"), keyed.required_text("key"));
    Some(ItemEntry::Keyed { server: server.into_value()?, key: key.into_value()? })
}

fn read_secret_use(table: &mut TableReader<'_, '_, '_>, key: &str) -> Stated<Written<SecretReference>> {
    let Some(value) = table.get(key) else { return table.absent(key) };
    let place = table.reader.place(value.span());
    match value.get_ref() {
        DeValue::String(text) if matches!(key, "passphrase" | "password") && text.as_ref() == "none" => {
            Stated::Value(Written::new(SecretReference::None, place))
        }
        // Where it should not stand, which is a finding of its own.
        DeValue::String(text) if !table.reader.is_broken(place) => {
            Stated::Value(Written::new(SecretReference::Literal(Hidden::new(text.as_ref())), place))
        }
        DeValue::Table(inner) => {
            let mut secret = table.inner(inner, &SECRET_VALUE, place);
            secret.refuse_unknown_keys(&[]);
            secret
                .required_text("secret")
                .and_then(|name| Some(Written::new(SecretReference::Named(name.value), name.place)))
        }
        _ => {
            table.wrong_type(key, value);
            Stated::Faulty
        }
    }
}

fn read_pool(reader: &mut Reader<'_>, name: Written<String>, table: &DeTable<'_>, place: Place) -> PoolEntry {
    let mut table = TableReader::new(reader, table, &POOL, place, None);
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    let entry = PoolEntry {
        prefix: table.text("prefix"),
        prefix6: table.text("prefix6"),
        vlan: table.integer("vlan"),
        name,
    };
    if entry.prefix.is_absent() && entry.prefix6.is_absent() && entry.vlan.is_absent() {
        table.missing("prefix");
    }
    entry
}

fn read_cluster(
    reader: &mut Reader<'_>,
    name: Written<String>,
    table: &DeTable<'_>,
    place: Place,
) -> ClusterEntry {
    let mut table = TableReader::new(reader, table, &CLUSTER, place, None);
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    let virtual_address = table.table("virtual_address").and_then(|(inner, place)| {
        let mut shared = table.inner(inner, &VIRTUAL_ADDRESS, place);
        shared.refuse_unknown_keys(&[]);
        let entry = VirtualAddressEntry {
            subnet: shared.required_text("subnet"),
            address: shared.text("address"),
            address6: shared.text("address6"),
        };
        if entry.address.is_absent() && entry.address6.is_absent() {
            shared.missing("address");
        }
        Some(entry)
    });
    ClusterEntry {
        name,
        size: table.integer("size"),
        allowed_sizes: table.text("allowed_sizes"),
        virtual_address,
    }
}

fn read_secret(
    reader: &mut Reader<'_>,
    name: Written<String>,
    table: &DeTable<'_>,
    place: Place,
) -> SecretEntry {
    let mut table = TableReader::new(reader, table, &SECRET, place, None);
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    let entry = SecretEntry {
        from: table.required_text("from"),
        path: table.text("path"),
        variable: table.text("variable"),
        per: table.text("per"),
        min_length: table.integer("min_length"),
        max_length: table.integer("max_length"),
        require: table.texts("require"),
        forbid: table.text("forbid"),
        typed_on: table.texts("typed_on"),
        generated: table.flag("generated"),
        name,
    };
    match entry.from.value().map(|from| from.value.as_str()) {
        Some("file") if entry.path.is_absent() => table.missing("path"),
        Some("env") if entry.variable.is_absent() => table.missing("variable"),
        _ => {}
    }
    entry
}

fn read_time_key(
    reader: &mut Reader<'_>,
    name: Written<String>,
    table: &DeTable<'_>,
    place: Place,
) -> TimeKeyEntry {
    let mut table = TableReader::new(reader, table, &TIME_KEY, place, None);
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    let entry = TimeKeyEntry {
        number: table.integer("number"),
        algorithm: table.text("algorithm"),
        value: read_secret_use(&mut table, "value"),
        name,
    };
    for (key, is_absent) in [("number", entry.number.is_absent()), ("value", entry.value.is_absent())] {
        if is_absent {
            table.missing(key);
        }
    }
    entry
}

fn read_waiver(reader: &mut Reader<'_>, table: &DeTable<'_>, place: Place) -> WaiverEntry {
    let mut table = TableReader::new(reader, table, &WAIVER, place, None);
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    let entry = WaiverEntry {
        header: place,
        rule: table.required_text("rule"),
        machines: table.texts("machines"),
        reason: table.required_text("reason"),
        until: table.date("until"),
    };
    if entry.until.is_absent() {
        table.missing("until");
    }
    entry
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
        gateway_on_link: table.flag("gateway_on_link"),
        vlan: table.integer("vlan"),
        mtu: table.integer("mtu"),
        hypervisor_network: table.text("hypervisor_network"),
        wifi: read_wifi(&mut table),
        dhcp_ranges: table.texts("dhcp_ranges").into_value().unwrap_or_default(),
        kept_free: table.texts("kept_free").into_value().unwrap_or_default(),
        settings: read_settings_of_subnet(&mut table),
        in_use: read_in_use(&mut table),
        name,
    };
    if entry.prefix.is_absent() && entry.prefix6.is_absent() {
        table.missing("prefix");
    }
    entry
}

fn read_settings_of_subnet(table: &mut TableReader<'_, '_, '_>) -> Option<Box<SettingsEntry>> {
    let is_setting = |key: &str| matches!(key, "domain" | "dns" | "search" | "ntp" | "timezone");
    (table.has_any(is_setting) || table.has_mistyped(is_setting)).then(|| {
        Box::new(SettingsEntry {
            domain: table.text("domain"),
            dns: read_list(table, "dns"),
            search: read_list(table, "search"),
            ntp: read_list(table, "ntp"),
            timezone: table.text("timezone"),
            ..SettingsEntry::default()
        })
    })
}

fn read_wifi(table: &mut TableReader<'_, '_, '_>) -> Stated<WifiEntry> {
    table.table("wifi").and_then(|(inner, place)| {
        let mut wifi = table.inner(inner, &WIFI, place);
        wifi.refuse_unknown_keys(&[]);
        let entry = WifiEntry {
            place,
            ssid: wifi.required_text("ssid"),
            passphrase: read_secret_use(&mut wifi, "passphrase"),
            country: wifi.text("country"),
            hidden: wifi.flag("hidden"),
            sae: wifi.flag("sae"),
        };
        if entry.passphrase.is_absent() {
            wifi.missing("passphrase");
        }
        Some(entry)
    })
}

fn read_in_use(table: &mut TableReader<'_, '_, '_>) -> Vec<(Written<String>, String)> {
    let Stated::Value((inner, place)) = table.table("in_use") else { return Vec::new() };
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
    AccountEntry {
        full_name: table.text("full_name"),
        admin: table.flag("admin"),
        ssh_keys: table.texts("ssh_keys"),
        password: read_secret_use(&mut table, "password"),
        change_at_first_login: table.flag("change_at_first_login"),
        groups: table.texts("groups"),
        shell: table.text("shell"),
        hosts: table.texts("hosts"),
        name,
    }
}

/// An entry, with those of its machines that differ.
fn read_machine(
    reader: &mut Reader<'_>,
    kind: MachineKind,
    table: &DeTable<'_>,
    place: Place,
) -> MachineEntry {
    let mut entry = read_entry(reader, kind, table, place, None);
    if table.contains_key("differs") {
        entry.differing = read_differing(reader, kind, table, place);
    }
    entry
}

fn read_differing(
    reader: &mut Reader<'_>,
    kind: MachineKind,
    table: &DeTable<'_>,
    place: Place,
) -> Vec<DifferingEntry> {
    let (spec, spec_of_one): (&'static TableSpec, &'static TableSpec) = match kind {
        MachineKind::Host => (&HOST, &HOST_DIFFERS),
        MachineKind::Appliance => (&APPLIANCE, &APPLIANCE_DIFFERS),
    };
    let tables = TableReader::new(reader, table, spec, place, None).named_tables("differs");
    let mut differing = Vec::with_capacity(tables.len());
    // What is wrong with the entry itself was said of the entry.
    let mut told: HashSet<(&'static str, Place)> =
        reader.findings.iter().map(|finding| (finding.rule.name, finding.place)).collect();
    for (name, own, _) in tables {
        let machine = Some(name.value.clone());
        for (key, _) in own.iter().filter(|(key, _)| is_shared(key.get_ref().as_ref())) {
            let place = reader.place(key.span());
            let finding = form::key_of_all(machine.clone(), place, spec_of_one, key.get_ref().as_ref());
            reader.findings.push(finding);
        }
        let before = reader.findings.len();
        let entry = read_entry(reader, kind, &laid_over(table, own), place, machine);
        let new = reader.findings.split_off(before).into_iter();
        reader.findings.extend(new.filter(|finding| told.insert((finding.rule.name, finding.place))));
        differing.push(DifferingEntry { name, entry });
    }
    differing
}

/// An entry as one table says it. Findings name the machine that is given, or else the entry's name.
fn read_entry(
    reader: &mut Reader<'_>,
    kind: MachineKind,
    table: &DeTable<'_>,
    place: Place,
    called: Option<String>,
) -> MachineEntry {
    let (spec, link_spec): (&'static TableSpec, &'static TableSpec) = match kind {
        MachineKind::Host => (&HOST, &HOST_LINK),
        MachineKind::Appliance => (&APPLIANCE, &APPLIANCE_LINK),
    };
    let mut table = TableReader::new(reader, table, spec, place, None);
    let name = table.text("name");
    table.machine = called.or_else(|| label_of(&name));
    table.refuse_unknown_keys(&[&COMMON, &ROOT]);
    if name.is_absent() {
        table.missing("name");
    }
    let machine = table.machine.clone();
    table.reader.misplaced.clear();
    let mut links = Vec::new();
    let mut places = Vec::new();
    if !has_unnamed_link(&mut table, link_spec) {
        for (name, inner, place) in table.named_tables("link") {
            let (link, lacks_subnet) =
                read_link(table.reader, link_spec, machine.clone(), name, inner, place, spec);
            if lacks_subnet {
                places.push((link.name.value.clone(), inner, place));
            }
            links.push(link);
        }
    }
    for (name, inner, place) in places {
        if !is_member(&links, &name) {
            TableReader::new(table.reader, inner, link_spec, place, machine.clone()).missing("subnet");
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
        settings: read_own_settings(&mut table, spec),
        more: read_more_of_machine(&mut table),
        links,
        package: Stated::Absent,
        of_appliance: None,
        answers: Vec::new(),
        answers_place: None,
        differing: Vec::new(),
        name,
    };
    if kind == MachineKind::Appliance {
        entry.package = table.text("package");
        entry.of_appliance = read_more_of_appliance(&mut table);
        if let Stated::Value((inner, place)) = table.table("answer") {
            entry.answers_place = Some(place);
            entry.answers = read_answers(table.reader, inner, place, machine.as_ref());
        }
    }
    entry
}

/// The settings that an entry makes for itself; most make none.
fn read_own_settings(
    table: &mut TableReader<'_, '_, '_>,
    spec: &'static TableSpec,
) -> Option<Box<SettingsEntry>> {
    let is_setting = |key: &str| COMMON.key(key).is_some();
    (table.has_any(is_setting) || table.has_mistyped(is_setting))
        .then(|| Box::new(read_settings(table, spec)))
}

fn read_more_of_machine(table: &mut TableReader<'_, '_, '_>) -> Option<Box<MoreOfMachine>> {
    let is_more = |key: &str| matches!(key, "hostname" | "fqdn" | "serves" | "cluster");
    (table.has_any(is_more) || table.has_mistyped(is_more)).then(|| {
        Box::new(MoreOfMachine {
            hostname: table.text("hostname"),
            fqdn: table.text("fqdn"),
            serves: table.texts("serves"),
            cluster: table.text("cluster"),
        })
    })
}

fn read_more_of_appliance(table: &mut TableReader<'_, '_, '_>) -> Option<Box<MoreOfAppliance>> {
    let is_more = |key: &str| {
        matches!(
            key,
            "system" | "meanings" | "deployment_option" | "accept_licenses" | "storage_free" | "vm_name"
        )
    };
    (table.has_any(is_more) || table.has_mistyped(is_more)).then(|| {
        Box::new(MoreOfAppliance {
            system: table.text("system"),
            meanings: table.text("meanings"),
            deployment_option: table.text("deployment_option"),
            accept_licenses: table.flag("accept_licenses"),
            storage_free: table.text("storage_free"),
            vm_name: table.text("vm_name"),
        })
    })
}

/// Whether a link is a part of another one, which then has the address.
fn is_member(links: &[LinkEntry], name: &str) -> bool {
    links
        .iter()
        .filter_map(|link| link.more.as_ref()?.members.value())
        .flatten()
        .any(|member| member.value == name)
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
) -> (LinkEntry, bool) {
    let mut table = TableReader::new(reader, table, spec, place, machine);
    table.refuse_unknown_keys(&[outer, &COMMON, &ROOT]);
    let entry = LinkEntry {
        name,
        network: if spec.key("network").is_some() { table.text("network") } else { Stated::Absent },
        subnet: table.text("subnet"),
        address: table.text("address"),
        address6: table.text("address6"),
        host_number: read_host_number(&mut table, "host_number"),
        host_number6: read_host_number(&mut table, "host_number6"),
        replaces: table.text("replaces"),
        default_route: table.flag("default_route"),
        more: if spec.key("kind").is_some() { read_more_of_link(&mut table) } else { None },
    };
    let says_none = |given: &Stated<Written<String>>| given.value().is_some_and(|text| text.value == "none");
    let lacks_subnet = entry.subnet.is_absent() && !says_none(&entry.address) && !says_none(&entry.address6);
    (entry, lacks_subnet)
}

/// A host number. Counting in hexadecimal gives digits without `0x`, which would be taken for decimal ones.
fn read_host_number(table: &mut TableReader<'_, '_, '_>, key: &str) -> Stated<Written<String>> {
    table.text_or_number(key).and_then(|written| {
        let counts_in_hexadecimal = written.value.contains("{0x") && !written.value.starts_with("0x");
        Some(if counts_in_hexadecimal { written.with(format!("0x{}", written.value)) } else { written })
    })
}

fn read_more_of_link(table: &mut TableReader<'_, '_, '_>) -> Option<Box<MoreOfLink>> {
    let is_more = |key: &str| {
        !matches!(
            key,
            "subnet" | "address" | "address6" | "host_number" | "host_number6" | "replaces" | "default_route"
        ) && HOST_LINK.key(key).is_some()
    };
    if !table.has_any(is_more) && !table.has_mistyped(is_more) {
        return None;
    }
    Some(Box::new(MoreOfLink {
        kind: table.text("kind"),
        mac: table.text("mac"),
        port: table.text("port"),
        more_addresses: read_further_addresses(table),
        routes: read_routes(table),
        routing_table: table.integer("routing_table"),
        mtu: table.integer("mtu"),
        wake_on_lan: table.flag("wake_on_lan"),
        speed: table.integer("speed"),
        duplex: table.text("duplex"),
        link_local4: table.flag("link_local4"),
        members: table.texts("members"),
        mode: table.text("mode"),
        primary: table.text("primary"),
        link_check_ms: table.integer("link_check_ms"),
        lacp_rate: table.text("lacp_rate"),
        hash_policy: table.text("hash_policy"),
        over: table.text("over"),
        spanning_tree: table.flag("spanning_tree"),
    }))
}

fn read_further_addresses(table: &mut TableReader<'_, '_, '_>) -> Stated<Vec<FurtherAddressEntry>> {
    let Some(value) = table.get("more_addresses") else { return table.absent("more_addresses") };
    let Some(items) = value.get_ref().as_array() else {
        table.wrong_type("more_addresses", value);
        return Stated::Faulty;
    };
    let mut addresses = Vec::with_capacity(items.len());
    for item in items {
        let place = table.reader.place(item.span());
        match item.get_ref() {
            DeValue::String(text) if !table.reader.is_broken(place) => {
                let address = Written::new(text.to_string(), place);
                addresses.push(FurtherAddressEntry { address, outside_subnet: false });
            }
            DeValue::String(_) => {}
            DeValue::Table(inner) => {
                let mut further = table.inner(inner, &FURTHER_ADDRESS, place);
                further.refuse_unknown_keys(&[]);
                let address = further.required_text("address").into_value();
                let outside_subnet = match further.flag("outside_subnet") {
                    Stated::Value(flag) => flag.value,
                    Stated::Absent => false,
                    Stated::Faulty => continue,
                };
                addresses.extend(address.map(|address| FurtherAddressEntry { address, outside_subnet }));
            }
            _ => table.wrong_type("more_addresses", item),
        }
    }
    if addresses.is_empty() && !items.is_empty() { Stated::Faulty } else { Stated::Value(addresses) }
}

fn read_routes(table: &mut TableReader<'_, '_, '_>) -> Stated<Vec<RouteEntry>> {
    let Some(value) = table.get("routes") else { return table.absent("routes") };
    let Some(items) = value.get_ref().as_array() else {
        table.wrong_type("routes", value);
        return Stated::Faulty;
    };
    let mut routes = Vec::with_capacity(items.len());
    for item in items {
        let place = table.reader.place(item.span());
        let DeValue::Table(inner) = item.get_ref() else {
            table.wrong_type("routes", item);
            continue;
        };
        let mut route = table.inner(inner, &ROUTE, place);
        route.refuse_unknown_keys(&[]);
        routes.push(RouteEntry {
            place,
            to: route.required_text("to"),
            via: route.required_text("via"),
            metric: route.integer("metric"),
        });
    }
    Stated::Value(routes)
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
            DeValue::String(text) => Stated::Value(AnswerValue::Literal(text.to_string())),
            DeValue::Integer(number) => match i64::from_str_radix(number.as_str(), number.radix()) {
                Ok(number) => Stated::Value(AnswerValue::Literal(number.to_string())),
                Err(_) => Stated::Value(AnswerValue::Literal(number.as_str().to_owned())),
            },
            DeValue::Float(number) => Stated::Value(AnswerValue::Literal(number.as_str().to_owned())),
            DeValue::Boolean(truth) => Stated::Value(AnswerValue::Literal(truth.to_string())),
            DeValue::Table(inner) if inner.contains_key("secret") => {
                let mut secret =
                    TableReader::new(table.reader, inner, &SECRET_VALUE, place, machine.cloned());
                secret.refuse_unknown_keys(&[]);
                secret.required_text("secret").and_then(|name| Some(AnswerValue::Secret(name)))
            }
            DeValue::Table(inner) => {
                read_take(table.reader, inner, place, machine).and_then(|take| Some(AnswerValue::Take(take)))
            }
            DeValue::Datetime(_) | DeValue::Array(_) => {
                table.wrong_type("answer", value);
                Stated::Faulty
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
) -> Stated<TakeEntry> {
    let mut table = TableReader::new(reader, table, &TAKE, place, machine.cloned());
    table.refuse_unknown_keys(&[]);
    let take = table.text("take");
    if take.is_absent() {
        table.missing("take");
    }
    let of = table.text("of");
    let link = table.text("link");
    let toward = table.text("toward");
    let nth = table.integer("nth");
    let join = table.text("join");
    let is_faulty = matches!(of, Stated::Faulty)
        || matches!(link, Stated::Faulty)
        || matches!(toward, Stated::Faulty)
        || matches!(nth, Stated::Faulty)
        || matches!(join, Stated::Faulty);
    match take {
        Stated::Value(take) if !is_faulty => Stated::Value(TakeEntry {
            take,
            of: of.into_value(),
            link: link.into_value(),
            toward: toward.into_value(),
            nth: nth.into_value(),
            join: join.into_value(),
        }),
        _ => Stated::Faulty,
    }
}
