//! The appliances of the sample site, to the end of the chain: stand-ins take what was rendered, as guests do.

use std::process::Command;

use impostazione_standin::{Product, Settings, StartFault, start_with_document, start_with_volume};
use serde_json::{Value, json};

use crate::support::{Workspace, judge};

fn rendered() -> Workspace {
    let workspace = Workspace::demo();
    let render = workspace.run(&["render", "harbor.toml", "--into", "out"]);
    assert_eq!((render.code, render.stderr.as_str()), (0, ""));
    workspace
}

fn bytes(workspace: &Workspace, path: &str) -> Vec<u8> {
    std::fs::read(workspace.path().join(path)).unwrap()
}

/// What an appliance would set, from its volume; the document alone must say the same.
fn started(workspace: &Workspace, machine: &str, product: Product) -> Settings {
    let volume = bytes(workspace, &format!("out/{machine}/settings.iso"));
    let document = bytes(workspace, &format!("out/{machine}/ovf-env.xml"));
    let settings = start_with_volume(product, &volume).unwrap();
    assert_eq!(start_with_document(product, &document), Ok(settings.clone()));
    settings
}

fn addresses(settings: &Settings) -> Vec<(String, Option<String>)> {
    let text = |adapter: &impostazione_standin::Adapter| {
        (adapter.address.to_string(), adapter.gateway.map(|gateway| gateway.to_string()))
    };
    settings.adapters.iter().map(text).collect()
}

#[test]
fn each_member_of_the_cluster_comes_up_as_the_sheet_says() {
    let workspace = rendered();
    let export = workspace.run(&[
        "secret",
        "export",
        "harbor.toml",
        "logbook-admin",
        "--for",
        "logbook",
        "--to",
        "handed",
    ]);
    assert_eq!(export.code, 0, "{}", export.stderr);
    let password = workspace.read("handed");
    for number in 1..=3u8 {
        let settings = started(&workspace, &format!("logbook-{number}"), Product::Logbook);
        assert_eq!(settings.name, format!("logbook-{number}.capovetro.example"));
        assert_eq!(addresses(&settings), [(format!("10.64.10.6{number}/24"), Some("10.64.10.1".to_owned()))]);
        let dns: Vec<String> = settings.dns.iter().map(ToString::to_string).collect();
        assert_eq!(dns, ["10.64.10.53", "10.64.10.54"]);
        assert_eq!(
            (settings.search.as_slice(), settings.ntp.as_slice()),
            (&["capovetro.example".to_owned()][..], &["10.64.10.31".to_owned()][..])
        );
        assert_eq!(settings.node, Some((number, 3)));
        let peers: Vec<String> = settings.peers.iter().map(ToString::to_string).collect();
        let others: Vec<String> =
            (1..=3).filter(|other| *other != number).map(|other| format!("10.64.10.6{other}")).collect();
        assert_eq!(peers, others);
        assert_eq!(settings.shared_address.unwrap().to_string(), "10.64.10.60");
        assert_eq!(settings.password_length, Some(password.trim_end().len()));
    }
}

#[test]
fn the_gateway_has_each_address_on_its_own_side() {
    let settings = started(&rendered(), "signal-gateway", Product::Signals);
    assert_eq!(settings.name, "signal-gateway");
    assert_eq!(
        addresses(&settings),
        [("10.64.40.41/24".to_owned(), Some("10.64.40.1".to_owned())), ("10.64.20.41/24".to_owned(), None)]
    );
    assert_eq!(settings.timezone.as_deref(), Some("Europe/Rome"));
    assert_eq!((settings.dns.len(), settings.ntp.len()), (2, 4));
    assert_eq!(settings.password_length, Some("Lantern-Room-42".len()));
}

#[test]
fn the_machines_of_a_collection_know_each_other() {
    let workspace = rendered();
    for (machine, product, own, other) in [
        ("watch-recorder", Product::WatchRecorder, "10.64.40.51", "10.64.40.52"),
        ("watch-viewer", Product::WatchViewer, "10.64.40.52", "10.64.40.51"),
    ] {
        let settings = started(&workspace, machine, product);
        assert_eq!(addresses(&settings), [(format!("{own}/24"), Some("10.64.40.1".to_owned()))]);
        assert_eq!(settings.peers[0].to_string(), other);
        assert_eq!(
            (settings.name.as_str(), settings.alerts.as_deref()),
            (machine, Some("watch@capovetro.example"))
        );
    }
    // What refers to the collection's property has its value.
    let document = workspace.read("out/watch-recorder/ovf-env.xml");
    assert!(document.contains(r#"oe:key="recorder.mail" oe:value="watch@capovetro.example""#), "{document}");
    // The descriptor of either has the values of both.
    for machine in ["watch-recorder", "watch-viewer"] {
        let descriptor = workspace.read(&format!("out/{machine}/{machine}.ovf"));
        assert!(
            descriptor.contains("ovf:value=\"10.64.40.51\"")
                && descriptor.contains("ovf:value=\"10.64.40.52\"")
        );
    }
}

#[test]
fn a_stand_in_notices_what_is_not_for_it() {
    let workspace = rendered();
    let volume = bytes(&workspace, "out/watch-viewer/settings.iso");
    assert!(matches!(start_with_volume(Product::Logbook, &volume), Err(StartFault::Guest(_))));
    assert!(matches!(start_with_volume(Product::WatchViewer, &volume[..40_000]), Err(StartFault::Volume(_))));
}

#[test]
fn the_typing_card_has_each_answer_in_the_order_and_spelling_asked_for() {
    let workspace = rendered();
    let card = workspace.read("out/tide-gate/typing-card.txt");
    let lines: Vec<(&str, &str)> = card
        .lines()
        .filter_map(|line| line.strip_prefix("[ ] ")?.get(4..)?.split_once("   "))
        .map(|(ask, typed)| (ask.trim(), typed.trim()))
        .collect();
    assert_eq!(
        lines,
        [
            ("System name (short)", "tide-gate"),
            ("Static IP", "10.64.10.71"),
            ("Prefix (24 for 255.255.255.0)", "24"),
            ("Router, or none", "10.64.10.1"),
            ("DNS 1", "10.64.10.53"),
            ("DNS 2, or none", "10.64.10.54"),
            (
                "NTP servers, separated by spaces",
                "10.64.10.121 10.64.10.122 10.64.10.123 clock.capovetro.example"
            ),
            ("Time zone", "Europe/Rome"),
            ("New password for gatekeeper", "(the secret gatekeeper)"),
            ("Login banner", "(leave empty: press Enter)"),
        ]
    );
    assert!(!card.contains("Sluice") && !card.contains("opensesame"), "secrets stand there by name only");
    assert!(card.contains("TCP port 8443") && card.contains("about 6 minutes"));
    assert_eq!(workspace.tree("out/tide-gate").len(), 2, "the card, and the networks");
}

#[test]
fn where_the_sheet_has_none_the_question_says_what_is_typed() {
    let workspace = Workspace::demo();
    let sheet = workspace
        .read("harbor.toml")
        .replace("[\"10.64.10.53\", \"10.64.10.54\"]", "[\"10.64.10.53\", \"none\"]")
        .replace(
            "link.lan = { subnet = \"quay\", address = \"10.64.10.71\" }",
            "link.lan = { subnet = \"quay\", address = \"10.64.10.71\", default_route = false }",
        );
    workspace.write("harbor.toml", sheet);
    let render = workspace.run(&["render", "harbor.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}", render.stderr);
    let card = workspace.read("out/tide-gate/typing-card.txt");
    assert!(card.contains("DNS 2, or none                     none"), "{card}");
    // And of properties: the second server of the signal gateway may stay empty.
    let properties: Value =
        serde_json::from_str(&workspace.read("out/signal-gateway/properties.json")).unwrap();
    let value = |key: &str| {
        let all = properties["properties"].as_array().unwrap();
        all.iter().find(|property| property["key"] == key).unwrap()["value"].clone()
    };
    assert_eq!((value("vetro.signals.dns1"), value("vetro.signals.dns2")), (json!("10.64.10.53"), json!("")));
}

#[test]
fn an_appliance_without_any_record_gets_the_usual_questions() {
    let workspace = Workspace::demo();
    let sheet = workspace
        .read("harbor.toml")
        .replace("meanings = \"packages/tidegate.meanings.toml\"\n", "")
        .replace("[appliance.answer]\n\"gatekeeper-password\" = { secret = \"gatekeeper\" }\n", "");
    workspace.write("harbor.toml", sheet);
    let render = workspace.run(&["render", "harbor.toml", "--into", "out"]);
    assert_eq!(render.code, 0, "{}", render.stderr);
    let card = workspace.read("out/tide-gate/typing-card.txt");
    for line in [
        "IP address",
        "Netmask         255.255.255.0",
        "Gateway         10.64.10.1",
        "DNS server 2",
        "Time zone",
    ] {
        assert!(card.contains(line), "{line}\n{card}");
    }
}

#[test]
fn networks_and_properties_for_scripts() {
    let workspace = rendered();
    let read = |path: &str| serde_json::from_str::<Value>(&workspace.read(path)).unwrap();
    let networks = read("out/signal-gateway/networks.json");
    assert_eq!(networks["vm_name"], "SIGNALS (mast)");
    assert_eq!(
        networks["networks"][1],
        json!({"network": "Signal mast", "link": "signal", "subnet": "breakwater", "vlan": 120, "attaches_to": "breakwater-120"})
    );
    let properties = read("out/logbook-2/properties.json");
    assert_eq!(
        (&properties["deployment_option"], &properties["licenses_accepted"]),
        (&json!("small"), &json!(true))
    );
    let all = properties["properties"].as_array().unwrap();
    assert!(all.contains(&json!({"key": "node.number", "value": "2"})));
    assert!(
        all.contains(&json!({"key": "keep_days", "value": "400"})),
        "the default of the size that was chosen"
    );
    assert!(!all.iter().any(|property| property["key"] == "build.channel"), "nobody sets it");
}

/// The texts of all attributes `ovf:value`, taken out of a descriptor.
fn without_values(descriptor: &str) -> (String, usize) {
    let mut rest = descriptor;
    let mut bare = String::new();
    let mut count = 0;
    while let Some(at) = rest.find(" ovf:value=\"") {
        let (before, after) = rest.split_at(at);
        let end = after[" ovf:value=\"".len()..].find('"').unwrap() + " ovf:value=\"".len() + 1;
        bare += before;
        rest = &after[end..];
        count += 1;
    }
    (bare + rest, count)
}

#[test]
fn the_changed_descriptor_differs_in_values_and_in_nothing_else() {
    let workspace = rendered();
    let tar = |archive: &str, member: &str| {
        let output = Command::new("tar")
            .args(["-xOf", archive, member])
            .current_dir(workspace.path())
            .output()
            .unwrap();
        String::from_utf8(output.stdout).unwrap()
    };
    for (machine, old) in [
        ("logbook-1", tar("packages/logbook.ova", "logbook.ovf")),
        ("signal-gateway", tar("packages/signals.ova", "signals.ovf")),
        ("watch-viewer", workspace.read("packages/watch.ovf")),
    ] {
        let new = workspace.read(&format!("out/{machine}/{machine}.ovf"));
        assert_ne!(new, old);
        // The size that the sheet has chosen is the one that counts now.
        let new = if machine == "logbook-1" {
            assert!(new.contains("ovf:id=\"small\" ovf:default=\"true\""), "{new}");
            new.replace("ovf:id=\"small\" ovf:default=\"true\"", "ovf:id=\"small\"")
                .replace("ovf:default=\"false\"", "ovf:default=\"true\"")
        } else {
            new
        };
        let ((bare_new, values_new), (bare_old, values_old)) = (without_values(&new), without_values(&old));
        assert_eq!(bare_new, bare_old, "{machine}");
        assert!(values_new > values_old, "{machine}: {values_new} and {values_old}");
    }
}

#[test]
fn new_packages_hold_the_changed_descriptor_and_the_old_files() {
    let workspace = Workspace::demo();
    let render = workspace.run(&["render", "harbor.toml", "--into", "out", "--packages"]);
    assert_eq!((render.code, render.stderr.as_str()), (0, ""));
    for machine in ["logbook-1", "signal-gateway", "watch-recorder"] {
        let inspect =
            workspace.run(&["inspect", &format!("out/{machine}/{machine}.ova"), "--format", "json"]);
        assert_eq!(inspect.code, 0, "{}", inspect.stdout);
        let report: Value = serde_json::from_str(&inspect.stdout).unwrap();
        let files = report["files"].as_array().unwrap();
        assert!(files.len() > 1 && files.iter().all(|file| file["state"] == "ok"), "{files:?}");
        let listing = Command::new("tar")
            .arg("-tf")
            .arg(workspace.path().join(format!("out/{machine}/{machine}.ova")))
            .output()
            .unwrap();
        let listing = String::from_utf8(listing.stdout).unwrap();
        assert!(listing.starts_with(&format!("{machine}.ovf\n{machine}.mf\n")), "{listing}");
    }
    let listed: Value = serde_json::from_str(&workspace.read("out/files.json")).unwrap();
    let package = listed["files"]
        .as_array()
        .unwrap()
        .iter()
        .find(|file| file["path"] == "logbook-1/logbook-1.ova")
        .unwrap()
        .clone();
    assert_eq!((&package["sha256"], &package["mode"]), (&Value::Null, &json!("0600")));
    assert_eq!(package["size"], bytes(&workspace, "out/logbook-1/logbook-1.ova").len());
    // A second time nothing is written; without the option they stay, until they are told to go.
    let again = workspace.run(&["render", "harbor.toml", "--into", "out", "--packages"]);
    assert!(again.stdout.starts_with("out: no files written"), "{}", again.stdout);
    let without = workspace.run(&["render", "harbor.toml", "--into", "out"]);
    assert_eq!(without.code, 0);
    assert!(workspace.exists("out/logbook-1/logbook-1.ova"), "{}", without.stdout);
    let without = workspace.run(&["render", "harbor.toml", "--into", "out", "--prune"]);
    assert_eq!(without.code, 0);
    assert!(!workspace.exists("out/logbook-1/logbook-1.ova"), "{}", without.stdout);
}

#[test]
fn no_new_package_is_made_of_a_damaged_one() {
    let workspace = Workspace::demo();
    let mut disk = bytes(&workspace, "packages/watch-viewer.img");
    disk[7] = 1;
    // Large enough that `check` does not look at it.
    disk.resize(2 * 1024 * 1024, 0);
    workspace.write("packages/watch-viewer.img", &disk);
    let descriptor =
        workspace.read("packages/watch.ovf").replace("ovf:size=\"32768\"", "ovf:size=\"2097152\"");
    workspace.write("packages/watch.ovf", &descriptor);
    let manifest = workspace.read("packages/watch.mf");
    let (_, manifest) = manifest.split_once('\n').unwrap();
    workspace.write("packages/watch.mf", manifest);
    let sheet = workspace.read("harbor.toml");
    let waiver = "\n[[waiver]]\nrule = \"package-digest-missing\"\nreason = \"the descriptor was mended here\"\nuntil = 2099-01-01\n";
    workspace.write("harbor.toml", sheet + waiver);
    let check = workspace.run(&["check", "harbor.toml"]);
    assert_eq!(check.code, 0, "{}", check.stdout);
    let render = workspace.run(&["render", "harbor.toml", "--into", "out", "--packages"]);
    assert_eq!(render.code, 3);
    assert!(
        render.stderr.contains(
            "no new package was made from packages/watch.ovf: its file watch-viewer.img is wrong-digest"
        ),
        "{}",
        render.stderr
    );
    assert!(!workspace.exists("out"));
}

#[test]
fn a_signed_package_loses_its_signature_only_when_told() {
    let workspace = Workspace::demo();
    workspace.write("packages/watch.cert", workspace_certificate());
    let sheet = workspace.read("harbor.toml");
    let waiver =
        "\n[[waiver]]\nrule = \"package-signature-invalid\"\nreason = \"a test\"\nuntil = 2099-01-01\n";
    workspace.write("harbor.toml", sheet + waiver);
    let refused = workspace.run(&["render", "harbor.toml", "--into", "out", "--packages"]);
    assert_eq!(refused.code, 2);
    assert!(
        refused.stderr.contains("packages/watch.ovf is signed")
            && refused.stderr.contains("--drop-signature")
    );
    let done = workspace.run(&["render", "harbor.toml", "--into", "out", "--packages", "--drop-signature"]);
    assert_eq!(done.code, 0, "{}", done.stderr);
    let archive = bytes(&workspace, "out/watch-viewer/watch-viewer.ova");
    assert!(!archive.windows(5).any(|window| window == b".cert"));
}

/// The certificate of another package.
fn workspace_certificate() -> Vec<u8> {
    std::fs::read(crate::support::test_data().join("packages/signed.cert")).unwrap()
}

#[test]
fn values_of_a_cluster_can_be_taken() {
    let workspace = Workspace::demo();
    // A property that takes anything: a person has written down that it means nothing in particular.
    let file = "packages/logbook.meanings.toml";
    assert_eq!(workspace.run(&["inspect", "packages/logbook.ova", "--save-meanings", file]).code, 0);
    let meanings = workspace.read(file);
    let clock = "[property.clock]\nmeaning = \"ntp\"";
    assert!(meanings.contains(clock), "{meanings}");
    workspace.write(file, meanings.replace(clock, "[property.clock]\nmeaning = \"other\""));
    let package = "package = \"packages/logbook.ova\"";
    let sheet = workspace.read("harbor.toml").replace(package, &format!("{package}\nmeanings = \"{file}\""));
    let taken = |take: &str| {
        let answer = format!("\"node.mode\" = \"single\"\n\"clock\" = {{ {take} }}");
        workspace.write(
            "harbor.toml",
            sheet.replace(
                "\"clock\"          = { take = \"address\", of = \"signal-tower\", toward = \"quay\" }",
                &answer,
            ),
        );
        let render = workspace.run(&["render", "harbor.toml", "--into", "out", "--only", "logbook-2"]);
        assert_eq!(render.code, 0, "{take}: {}", render.stderr);
        let properties: Value =
            serde_json::from_str(&workspace.read("out/logbook-2/properties.json")).unwrap();
        let all = properties["properties"].as_array().unwrap();
        all.iter().find(|property| property["key"] == "clock").unwrap()["value"].as_str().unwrap().to_owned()
    };
    for (take, value) in [
        ("take = \"peers\", join = \",\"", "10.64.10.61,10.64.10.63"),
        ("take = \"peers\", nth = 2", "10.64.10.63"),
        ("take = \"member-addresses\", join = \" \"", "10.64.10.61 10.64.10.62 10.64.10.63"),
        ("take = \"peer-names\", join = \",\"", "logbook-1,logbook-3"),
        ("take = \"node-number\"", "2"),
        ("take = \"node-count\"", "3"),
        ("take = \"cluster-name\"", "logbook"),
        ("take = \"virtual-address\"", "10.64.10.60"),
        ("take = \"member-addresses\", nth = 1, of = \"logbook\"", "10.64.10.61"),
        ("take = \"locale\"", "C.UTF-8"),
        ("take = \"vlan\", of = \"breakwater\"", "120"),
        ("take = \"mac\", of = \"signal-tower\", link = \"lan0\"", "02:64:10:00:00:21"),
    ] {
        assert_eq!(taken(take), value, "{take}");
    }
}

#[test]
fn no_secret_of_an_appliance_is_shown() {
    let workspace = Workspace::demo();
    let shown: String = [
        vec!["check", "harbor.toml", "-v"],
        vec!["check", "harbor.toml", "--format", "json"],
        vec!["review", "harbor.toml"],
        vec!["review", "harbor.toml", "--format", "json"],
        vec!["inspect", "packages/signals.ova"],
        vec!["inspect", "packages/signals.ova", "--format", "json"],
        vec!["inspect", "packages/signals.ova", "--why", "vetro.signals.keeperPassword"],
        vec!["render", "harbor.toml", "--into", "out", "-v", "--packages"],
    ]
    .iter()
    .map(|arguments| {
        let run = workspace.run(arguments);
        run.stdout + &run.stderr
    })
    .collect();
    for secret in ["Tide-Tables", "Lantern-Room", "Sluice-And", "lighthouse"] {
        assert!(!shown.contains(secret), "{secret}");
    }
    // Files with a secret in them are their owner's alone.
    let listed: Value = serde_json::from_str(&workspace.read("out/files.json")).unwrap();
    for file in listed["files"].as_array().unwrap() {
        let path = file["path"].as_str().unwrap();
        let content = std::fs::read(workspace.path().join("out").join(path)).unwrap_or_default();
        let holds = |secret: &[u8]| content.windows(secret.len()).any(|window| window == secret);
        if holds(b"Tide-Tables") || holds(b"Lantern-Room") {
            assert_eq!(file["mode"], "0600", "{path}");
        }
    }
}

#[test]
#[ignore = "needs xmllint, xorriso, tar and sha256sum, which .ci/run installs"]
fn judges_accept_every_form_of_the_settings() {
    let workspace = Workspace::demo();
    let render = workspace.run(&["render", "harbor.toml", "--into", "out", "--packages"]);
    assert_eq!(render.code, 0, "{}", render.stderr);
    let out = workspace.path().join("out");
    for machine in ["logbook-1", "logbook-2", "logbook-3", "signal-gateway", "watch-recorder", "watch-viewer"]
    {
        let folder = out.join(machine);
        judge(Command::new("xmllint").arg("--noout").arg(folder.join("ovf-env.xml")));
        judge(Command::new("xmllint").arg("--noout").arg(folder.join(format!("{machine}.ovf"))));
        let copy = folder.join("copy.xml");
        let xorriso = Command::new("xorriso")
            .args(["-osirrox", "on", "-indev"])
            .arg(format!("stdio:{}", folder.join("settings.iso").display()))
            .args(["-extract", "/ovf-env.xml"])
            .arg(&copy)
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&xorriso.stderr).into_owned();
        assert!(xorriso.status.success() && said.contains("'OVF_ENV'"), "{said}");
        for word in ["WARNING", "SORRY", "FAILURE", "FATAL"] {
            assert!(!said.contains(word), "{said}");
        }
        assert_eq!(std::fs::read(&copy).unwrap(), std::fs::read(folder.join("ovf-env.xml")).unwrap());
        let unpacked = folder.join("unpacked");
        std::fs::create_dir(&unpacked).unwrap();
        let archive = folder.join(format!("{machine}.ova"));
        judge(Command::new("tar").arg("-xf").arg(&archive).arg("-C").arg(&unpacked));
        let sums = Command::new("sha256sum")
            .args(["--strict", "-c", &format!("{machine}.mf")])
            .current_dir(&unpacked)
            .output()
            .unwrap();
        let said = String::from_utf8_lossy(&sums.stdout).into_owned();
        assert!(sums.status.success() && sums.stderr.is_empty(), "{said}");
        assert_eq!(said.lines().count(), std::fs::read_dir(&unpacked).unwrap().count() - 1, "{said}");
    }
}

#[test]
#[ignore = "needs fuseiso and root with /dev/fuse, which .ci/run has"]
fn a_mounted_volume_has_the_file_under_its_name() {
    let workspace = rendered();
    let at = workspace.path().join("mounted");
    std::fs::create_dir(&at).unwrap();
    judge(Command::new("fuseiso").arg(workspace.path().join("out/logbook-1/settings.iso")).arg(&at));
    let names: Vec<_> = std::fs::read_dir(&at).unwrap().map(|entry| entry.unwrap().file_name()).collect();
    let content = std::fs::read(at.join("ovf-env.xml"));
    judge(Command::new("fusermount").arg("-u").arg(&at));
    assert_eq!(names, ["ovf-env.xml"]);
    assert_eq!(content.unwrap(), bytes(&workspace, "out/logbook-1/ovf-env.xml"));
}
