//! Values that no answer of the sheet gives: defaults, those of a deployment option, what is taken from elsewhere; groups of
//! links; and environment documents that are read back.

use serde_json::Value;

use crate::support::{Workspace, packaged};

/// A package with these properties, and a size "small" for which they may have values of their own.
fn descriptor(properties: &str) -> String {
    format!(
        r#"<Envelope xmlns="http://schemas.dmtf.org/ovf/envelope/1" xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1" xmlns:rasd="http://schemas.dmtf.org/wbem/wscim/1/cim-schema/2/CIM_ResourceAllocationSettingData">
  <NetworkSection><Info>Networks</Info><Network ovf:name="Management"/></NetworkSection>
  <DeploymentOptionSection><Info>Sizes</Info>
    <Configuration ovf:id="small" ovf:default="true"><Label>Small</Label><Description>Small</Description></Configuration>
    <Configuration ovf:id="large"><Label>Large</Label><Description>Large</Description></Configuration>
  </DeploymentOptionSection>
  <VirtualSystem ovf:id="logbook"><Info>A log book</Info>
    <ProductSection><Info>Settings</Info><Product>Log book</Product><Version>2</Version>{properties}</ProductSection>
    <VirtualHardwareSection ovf:transport="iso"><Info>Hardware</Info>
      <Item><rasd:Connection>Management</rasd:Connection><rasd:InstanceID>1</rasd:InstanceID><rasd:ResourceType>10</rasd:ResourceType></Item>
    </VirtualHardwareSection>
  </VirtualSystem>
</Envelope>
"#
    )
}

fn property(key: &str, label: &str, default: &str, inside: &str) -> String {
    format!(
        "<Property ovf:key=\"{key}\" ovf:type=\"string\" ovf:userConfigurable=\"true\" ovf:value=\"{default}\"><Label>{label}</Label>{inside}</Property>"
    )
}

/// What `check` says of an appliance with this package, these keys and these answers.
fn findings(properties: &str, keys: &str, answers: &str) -> Vec<Value> {
    let workspace = Workspace::new();
    workspace.write("packages/own.ovf", descriptor(properties));
    let host =
        "[[host]]\nname = \"gauge-01\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.11\" }\n";
    let keys = if keys.is_empty() { "deployment_option = \"small\"" } else { keys };
    let sheet = packaged("\"packages/own.ovf\"", keys, "", answers);
    workspace.write("sheet.toml", sheet.replace("[[appliance]]", &format!("{host}[[appliance]]")));
    let run = workspace.run(&["check", "sheet.toml", "--format", "json"]);
    let report: Value = serde_json::from_str(&run.stdout).unwrap();
    report["findings"].as_array().unwrap().clone()
}

fn rules(findings: &[Value]) -> Vec<(&str, &str)> {
    let text = |finding: &'_ Value, key: &str| finding[key].as_str().unwrap().to_owned();
    findings
        .iter()
        .map(|finding| {
            let _ = text(finding, "message");
            (finding["rule"].as_str().unwrap(), finding["severity"].as_str().unwrap())
        })
        .collect()
}

#[test]
fn a_default_that_stands_is_judged_and_is_its_makers_word() {
    let found = findings(&property("proxy", "HTTP proxy", "htp://proxy.maker.example", ""), "", "");
    assert_eq!(rules(&found), [("proxy-malformed", "warning")]);
    let message = found[0]["message"].as_str().unwrap();
    assert!(message.contains("It is the default of \"proxy\" (HTTP proxy)."), "{message}");
    let fix = found[0]["fix"].as_str().unwrap();
    assert!(fix.starts_with("add \"proxy\" = \"…\" to [appliance.answer]; write"), "{fix}");
    // The sheet's own answer is not.
    let found =
        findings(&property("proxy", "HTTP proxy", "", ""), "", "\"proxy\" = \"htp://proxy.maker.example\"");
    assert_eq!(rules(&found), [("proxy-malformed", "error")]);
    // What an author leaves open is no value.
    for open in ["", "-", "none", "N/A", "0.0.0.0"] {
        assert!(findings(&property("proxy", "HTTP proxy", open, ""), "", "").is_empty(), "{open}");
    }
}

#[test]
fn the_value_of_the_chosen_deployment_option_is_judged() {
    let server = property(
        "license_server",
        "License server",
        "licenses.capovetro.example",
        "<Value ovf:configuration=\"large\" ovf:value=\"10.64.10.61\"/>",
    );
    assert!(findings(&server, "deployment_option = \"small\"", "").is_empty());
    let found = findings(&server, "deployment_option = \"large\"", "");
    assert_eq!(rules(&found), [("server-is-self", "warning")], "{found:?}");
}

#[test]
fn what_is_taken_is_judged_by_what_it_is_taken_for() {
    let address = property("net.address", "IP address", "", "");
    let gateway = property("net.gateway", "Gateway", "", "");
    let dns = property("dns", "DNS server", "", "");
    let zone = property("timezone", "Time zone", "", "");
    for (properties, answer, expected) in [
        (&address, "\"net.address\" = { take = \"address\" }", None),
        (&address, "\"net.address\" = { take = \"address\", of = \"gauge-01\" }", Some("address-duplicate")),
        (&address, "\"net.address\" = { take = \"gateway\" }", Some("answer-of-another-kind")),
        (&address, "\"net.address\" = { take = \"network-address\" }", Some("answer-of-another-kind")),
        (&gateway, "\"net.gateway\" = { take = \"address\" }", Some("answer-of-another-kind")),
        (&gateway, "\"net.gateway\" = { take = \"broadcast-address\" }", Some("answer-of-another-kind")),
        // A DNS server may be any machine, taken on purpose.
        (&dns, "\"dns\" = { take = \"address\", of = \"gauge-01\" }", None),
        (&dns, "\"dns\" = { take = \"timezone\" }", Some("answer-of-another-kind")),
        (&zone, "\"timezone\" = { take = \"timezone\", of = \"gauge-01\" }", None),
        (&zone, "\"timezone\" = { take = \"hostname\" }", Some("answer-of-another-kind")),
    ] {
        let found = findings(properties, "", answer);
        let found: Vec<&str> = rules(&found).into_iter().map(|(rule, _)| rule).collect();
        assert_eq!(found, expected.into_iter().collect::<Vec<_>>(), "{answer}");
    }
}

/// Two groups of link settings never get the one link's address both by themselves.
#[test]
fn each_group_of_link_settings_has_a_link_or_is_asked_for() {
    let group = |name: &str| {
        property(&format!("{name}.address"), "IP address", "", "")
            + &property(&format!("{name}.netmask"), "Netmask", "", "")
            + &property(&format!("{name}.gateway"), "Gateway", "", "")
    };
    for (one, other) in [("public", "oob"), ("mgmt", "signal"), ("data", "backplane")] {
        let workspace = Workspace::new();
        workspace.write("packages/own.ovf", descriptor(&(group(one) + &group(other))));
        let sheet = packaged("\"packages/own.ovf\"", "deployment_option = \"small\"", "", "");
        workspace.write("sheet.toml", &sheet);
        let review = workspace.run(&["review", "sheet.toml", "--format", "json"]);
        let review: Value = serde_json::from_str(&review.stdout).unwrap();
        let properties = review["machines"][0]["properties"].as_array().unwrap().clone();
        let given = properties.iter().filter(|property| property["value"] == "10.64.10.61").count();
        assert!(given <= 1, "{one} {other}: {properties:?}");
        let check = workspace.run(&["check", "sheet.toml"]).stdout;
        assert!(check.contains("property-unanswered"), "{one} {other}: {check}");
        // With a link of each name, each gets its own.
        let last = |name: &str| name.rsplit('.').next().unwrap().to_owned();
        let both = sheet.replace(
            "link.management = { subnet = \"quay\", address = \"10.64.10.61\" }",
            &format!(
                "link.{} = {{ subnet = \"quay\", address = \"10.64.10.61\" }}\n\
                 link.{} = {{ subnet = \"mole\", address = \"10.64.30.61\", default_route = false }}\n",
                last(one),
                last(other)
            ),
        );
        let mole = "[subnet.mole]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n[[appliance]]";
        workspace.write("sheet.toml", both.replace("[[appliance]]", mole));
        let review = workspace.run(&["review", "sheet.toml", "--format", "json"]);
        let review: Value = serde_json::from_str(&review.stdout).unwrap();
        let of = |id: &str| {
            let properties = review["machines"][0]["properties"].as_array().unwrap();
            properties.iter().find(|property| property["id"] == id).unwrap()["value"].clone()
        };
        assert_eq!(of(&format!("{one}.address")), "10.64.10.61", "{one}");
        assert_eq!(of(&format!("{other}.address")), "10.64.30.61", "{other}");
    }
}

/// Machines of a cluster that are set up at their consoles have numbers of their own, too.
#[test]
fn a_number_twice_is_found_at_consoles() {
    let workspace = Workspace::new();
    workspace.write(
        "packages/node.toml",
        "format = 1\n[[question]]\nid = \"number\"\nask = \"Node number\"\ntake = \"node-number\"\n",
    );
    let sheet = |answer: &str| {
        crate::support::right_sheet(&format!(
            "[cluster.c]\nsize = 2\n[[appliance]]\nname = \"node-{{1..2}}\"\ncluster = \"c\"\nmeanings = \"packages/node.toml\"\n\
             link.lan = {{ subnet = \"quay\", address = \"10.64.10.{{61..62}}\" }}\n{answer}"
        ))
    };
    for (answer, expected) in [
        ("", None),
        ("[appliance.answer]\n\"number\" = \"{7..8}\"\n", None),
        ("[appliance.answer]\n\"number\" = \"1\"\n", Some("cluster-number-duplicate")),
    ] {
        workspace.write("sheet.toml", sheet(answer));
        let run = workspace.run(&["check", "sheet.toml", "--format", "json"]);
        let report: Value = serde_json::from_str(&run.stdout).unwrap();
        let found: Vec<&str> = report["findings"]
            .as_array()
            .unwrap()
            .iter()
            .map(|finding| finding["rule"].as_str().unwrap())
            .collect();
        assert_eq!(found, expected.into_iter().collect::<Vec<_>>(), "{answer}");
    }
}

/// What is written in another form than the property wants has one right spelling, which `check --fix` puts in.
#[test]
fn a_slip_of_form_is_corrected() {
    let workspace = Workspace::new().with_example_packages();
    let answers = |mask: &str, dns: &str, name: &str| {
        let answers =
            format!("\"net.netmask\" = \"{mask}\"\n\"dns\" = \"{dns}\"\n\"hostname\" = \"{name}\" # kept");
        packaged("\"packages/asks.ovf\"", "", "", &answers)
    };
    workspace.write("sheet.toml", answers("/24", "10.64.10.53 10.64.10.54", "logbook.capovetro.example"));
    let run = workspace.run(&["check", "sheet.toml", "--fix", "--yes"]);
    assert_eq!(run.code, 0, "{}", run.stdout);
    assert_eq!(workspace.read("sheet.toml"), answers("255.255.255.0", "10.64.10.53,10.64.10.54", "logbook"));
    // Where the right spelling is not the sheet's value, somebody has to look.
    let other = answers("/16", "10.64.10.53 10.64.10.54", "logbook");
    workspace.write("sheet.toml", &other);
    let run = workspace.run(&["check", "sheet.toml", "--fix", "--yes"]);
    assert_eq!(run.code, 1, "{}", run.stdout);
    assert!(workspace.read("sheet.toml").contains("\"/16\""));
}

/// The environment document of an appliance's output, changed by hand, is judged by itself.
#[test]
fn an_environment_document_is_read_back_and_judged_without_the_sheet() {
    let workspace = Workspace::demo();
    assert_eq!(workspace.run(&["render", "harbor.toml", "--into", "out"]).code, 0);
    std::fs::remove_file(workspace.path().join("harbor.toml")).unwrap();
    let path = "out/signal-gateway/ovf-env.xml";
    let right = workspace.read(path);
    for (from, to, expected) in [
        ("", "", &[][..]),
        ("10.64.40.41", "10.64.40.0", &["address-is-network"][..]),
        ("10.64.40.41", "10.64.40.255", &["address-is-broadcast"][..]),
        ("10.64.40.41", "10.64.4O.41", &["address-malformed"][..]),
        ("10.64.40.1\"", "10.64.41.1\"", &["gateway-outside-subnet"][..]),
        ("10.64.40.1\"", "10.64.40.41\"", &["address-is-gateway"][..]),
        ("10.64.20.41", "10.64.40.41", &["address-duplicate"][..]),
        ("Europe/Rome", "Europe/Lodnon", &["timezone-unknown"][..]),
        ("10.64.10.53", "10.64.10.530", &["dns-not-an-address"][..]),
        ("10.64.10.54", "10.64.10.53", &["dns-duplicate"][..]),
        ("10.64.10.121", "10.64.40.41", &["server-is-self"][..]),
        ("signal-gateway\"", "signal_gateway\"", &["hostname-malformed"][..]),
    ] {
        assert!(right.contains(from), "{from}");
        workspace.write(path, right.replacen(from, to, 1));
        let inspect = workspace.run(&["inspect", "out/signal-gateway", "--format", "json"]);
        let report: Value = serde_json::from_str(&inspect.stdout).unwrap();
        let told = &report["told"];
        let found: Vec<&str> = told["findings"]
            .as_array()
            .unwrap()
            .iter()
            .map(|finding| finding["rule"].as_str().unwrap())
            .collect();
        assert_eq!(found, expected, "{to}");
        assert_eq!(inspect.code, i32::from(!expected.is_empty()), "{to}");
        // The place is the value's own.
        for finding in told["findings"].as_array().unwrap() {
            let line = usize::try_from(finding["line"].as_u64().unwrap()).unwrap();
            let text = workspace.read(path);
            assert!(text.lines().nth(line - 1).unwrap().contains("<Property"), "{finding}");
        }
        let text = workspace.run(&["inspect", "out/signal-gateway"]);
        assert!(text.stdout.contains("signal-gateway gets these settings:"), "{}", text.stdout);
        for secret in ["Lantern", "Tide-Tables"] {
            assert!(!(text.stdout.clone() + &text.stderr + &inspect.stdout).contains(secret));
        }
    }
    // What the document leaves out is not filled in, and is named.
    let line = right.lines().find(|line| line.contains("dns1")).unwrap();
    workspace.write(path, right.replace(line, ""));
    let less = workspace.run(&["inspect", "out/signal-gateway"]).stdout;
    assert!(less.contains("the document does not have them: vetro.signals.dns1\n"), "{less}");
    // Without the descriptor meanings are told from ids alone, and that is said.
    workspace.write(path, &right);
    let list = workspace
        .read("out/files.json")
        .replace("signal-gateway/signal-gateway.ovf", "signal-gateway/another.ovf");
    std::fs::rename(
        workspace.path().join("out/signal-gateway/signal-gateway.ovf"),
        workspace.path().join("out/signal-gateway/another.ovf"),
    )
    .unwrap();
    workspace.write("out/files.json", list);
    let alone = workspace.run(&["inspect", "out/signal-gateway"]);
    assert!(alone.stdout.contains("there is no descriptor next to it"), "{}", alone.stdout);
    // What is no environment document is said to be none.
    for wrong in ["", "<a/>", "not XML", "<!DOCTYPE a [<!ENTITY b \"c\">]><Environment/>"] {
        workspace.write(path, wrong);
        let run = workspace.run(&["inspect", "out/signal-gateway"]);
        assert_eq!(run.code, 3, "{wrong}: {}", run.stdout);
        assert!(run.stderr.contains("ovf-env.xml"), "{}", run.stderr);
    }
}
