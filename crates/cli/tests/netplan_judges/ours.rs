//! What the program says of the same files.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::process::Command;

use serde_json::Value;

use crate::facts::{Facts, LinkFacts, route};

/// What `inspect` answers about a root filesystem's folders of netplan files.
pub(crate) fn inspected(files: &BTreeMap<String, String>, netplan: &str) -> Value {
    let folder = tempfile::tempdir().unwrap();
    for (path, text) in files {
        let path = folder.path().join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    }
    inspect(folder.path(), netplan)
}

fn inspect(folder: &Path, netplan: &str) -> Value {
    let output = Command::new(env!("CARGO_BIN_EXE_impostazione"))
        .arg("inspect")
        .arg(folder)
        .args(["--format", "json", "--netplan", netplan])
        .output()
        .unwrap();
    serde_json::from_slice(&output.stdout).unwrap_or_else(|error| {
        panic!(
            "{error}: {}{}",
            String::from_utf8_lossy(&output.stdout),
            String::from_utf8_lossy(&output.stderr)
        )
    })
}

/// The rules of error findings.
pub(crate) fn errors(found: &Value) -> Vec<String> {
    let findings = found["findings"].as_array().unwrap().iter();
    let errors = findings.filter(|finding| finding["severity"] == "error");
    errors.map(|finding| finding["rule"].as_str().unwrap().to_owned()).collect()
}

/// Whether a rule says that netplan refuses a file.
pub(crate) fn says_refused(rule: &str) -> bool {
    rule.contains("malformed")
        || rule.contains("unknown")
        || rule.contains("undefined")
        || matches!(rule, "netplan-setting-missing" | "netplan-settings-clash" | "dns-not-an-address")
}

/// What is shown of each link.
pub(crate) fn shown(found: &Value) -> Facts {
    let links = found["host"]["links"].as_array().into_iter().flatten();
    links.map(|link| (text(&link["id"]).unwrap(), facts(link))).collect()
}

fn text(value: &Value) -> Option<String> {
    match value {
        Value::Null => None,
        Value::String(text) => Some(text.clone()),
        other => Some(other.to_string()),
    }
}

fn texts(value: &Value) -> impl Iterator<Item = String> {
    value.as_array().into_iter().flatten().filter_map(text)
}

fn facts(link: &Value) -> LinkFacts {
    let routes = link["routes"].as_array().unwrap().iter().map(|shown| {
        let text = |key: &str| text(&shown[key]);
        route(&[
            ("to", text("to").as_deref()),
            ("via", text("via").as_deref()),
            ("metric", text("metric").as_deref()),
            ("table", text("table").as_deref()),
            ("from", text("from").as_deref()),
            ("type", text("type").as_deref()),
            ("mtu", text("mtu_bytes").as_deref()),
            ("on-link", text("on_link").as_deref()),
        ])
    });
    LinkFacts {
        addresses: texts(&link["addresses"]["values"]).collect(),
        dhcp: texts(&link["dhcp"]).map(|family| if family == "IPv4" { "IPv4" } else { "IPv6" }).collect(),
        routes: routes.collect(),
        dns: texts(&link["dns"]).collect(),
        search: texts(&link["search"]).collect(),
        mtu: text(&link["mtu_bytes"]),
        tag: text(&link["vlan"]),
        over: text(&link["over"]),
        member_of: text(&link["member_of"]).into_iter().collect(),
        mode: if link["kind"] == "bond" { text(&link["mode"]) } else { None },
    }
}
