//! What tests of several modules share.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use impostazione_core::assess::{Assessment, assess};
use impostazione_core::output::{TreeOnDisk, Writing, render, write};
use impostazione_core::placing::{ChangedSince, PlacementOptions, RootfsCase, Survey, judge_rootfs, plan};
use impostazione_core::views::netplan::{NEWEST_NETPLAN, inspect_netplan};
use impostazione_rootfs::{Record, Rootfs, Since, State, Step, Subject, View};
use impostazione_text::files::{NamedFiles, ReadFault};
use impostazione_text::{ByteSize, Source, Sources};
use jiff::civil::date;

/// Files in memory.
#[derive(Default)]
pub(super) struct InMemory(HashMap<PathBuf, Vec<u8>>);

impl InMemory {
    /// A public key and a small package, under the paths that examples use.
    pub(super) fn with_examples() -> Self {
        let mut files = Self::default();
        files.0.insert("keys/keeper.pub".into(), KEY.into());
        files.0.insert("keys/weak.pub".into(), WEAK_KEY.into());
        files.0.insert("quay-wifi.secret".into(), "a phrase for the quay\n".into());
        files.0.insert("short.secret".into(), "phrase\n".into());
        files.0.insert("harbor-clock.secret".into(), "HEX:00112233445566778899aabbccddeeff\n".into());
        files.0.insert("packages/logbook.ovf".into(), DESCRIPTOR.into());
        files.0.insert("buoys.csv".into(), "name,address\nbuoy-1,10.64.10.11\nbuoy-2,10.64.10.12\n".into());
        files.0.insert("keys/expired.pub".into(), format!("expiry-time=\"20240630\" {KEY}").into());
        files.0.insert("keys/authority.pub".into(), format!("cert-authority {KEY}").into());
        files.0.insert(
            "account.toml".into(),
            "format = 1\n[account.pilot]\nssh_keys = [\"keys/keeper.pub\"]\n".into(),
        );
        let rows = "name,address,mac,stands\ngauge-01,10.64.10.11,02:64:10:00:00:11,quay\n";
        files.0.insert("whole.csv".into(), rows.into());
        files.0.insert("shifted.csv".into(), rows.replace(",10", ",,10").replace(",quay", "").into());
        files.0.insert("none.csv".into(), "name,address\n".into());
        files
            .0
            .insert("semicolons.csv".into(), "name;address\nbuoy-1;10.64.10.11\nbuoy-2;10.64.10.12\n".into());
        files.0.insert(
            "swallowed.csv".into(),
            "name,address,note\nbuoy-1,10.64.10.11,\"red\nbuoy-2,10.64.10.12,green\"\n".into(),
        );
        let packages = Path::new(env!("CARGO_MANIFEST_DIR")).join("testdata/packages");
        for entry in std::fs::read_dir(packages).unwrap() {
            let entry = entry.unwrap();
            files
                .0
                .insert(Path::new("packages").join(entry.file_name()), std::fs::read(entry.path()).unwrap());
        }
        // One byte more than `check` reads of a file.
        files.0.insert("packages/large.img".into(), vec![0; (1 << 20) + 1]);
        let secrets = Path::new(env!("CARGO_MANIFEST_DIR")).join("testdata/secrets");
        for entry in std::fs::read_dir(secrets).unwrap() {
            let entry = entry.unwrap();
            files.0.insert(entry.file_name().into(), std::fs::read(entry.path()).unwrap());
        }
        files
    }
}

impl NamedFiles for InMemory {
    fn read(&self, path: &Path, _limit: u64) -> Result<Vec<u8>, ReadFault> {
        let folder = path.parent().unwrap_or(path);
        let is_there = folder == Path::new("") || self.0.keys().any(|known| known.starts_with(folder));
        self.0.get(path).cloned().ok_or_else(|| {
            if is_there { ReadFault::Missing } else { ReadFault::NoFolder(folder.display().to_string()) }
        })
    }

    fn mode_for_others(&self, path: &Path) -> Option<u32> {
        (path == Path::new("for-all-to-read.secret")).then_some(0o644)
    }
}

pub(super) const KEY: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIKnL4NWOdAKnj7F1F75+P/XkUSUhM9wdyFkjQATU3vA5 keeper@capovetro.example\n";

/// An RSA key of 2048 bits.
const WEAK_KEY: &str = "ssh-rsa AAAAB3NzaC1yc2EAAAADAQABAAABAQCwtR1Ocbhg+FjuCFBFNWwgW5YEqWs2VqGvfQbjv5iJ3D6CK1nIpFIu7J54JobE+Y+skOI6dJjQEbwN3UtE/5RPsXQgyCiBeLPaAViCxqBbnEsb42FjFRcnlkdqnkiXPAJ+U9qqxCh5vUU4vH0KY0zyLXcVawSIJYqyvOQBG60M0V2rgwO/DisdRc5o5SQReWrHvjFKFjpyczjkvCzKyMN3gQmde+PbOTi7BOlYh4KVxDHHAA8mCZclO2VdmSXbz2mtlBgFvRYlDwo5nHL2UdflNfv7XxmTV+PUG5cPVgl4Eo/3/tjqSb3MEGv/iw0hJrHd+m6Ku7or3lz63raLVDIX pilot@capovetro.example\n";

const DESCRIPTOR: &str = r#"<?xml version="1.0"?>
<ovf:Envelope xmlns:ovf="http://schemas.dmtf.org/ovf/envelope/1">
  <ovf:NetworkSection><ovf:Info/><ovf:Network ovf:name="Management"/></ovf:NetworkSection>
  <ovf:VirtualSystem ovf:id="logbook">
    <ovf:Info/>
    <ovf:ProductSection>
      <ovf:Info/>
      <ovf:Product>Log book</ovf:Product>
      <ovf:Version>2.4</ovf:Version>
      <ovf:Property ovf:key="copies" ovf:type="string" ovf:userConfigurable="true" ovf:value=""/>
    </ovf:ProductSection>
    <ovf:ProductSection ovf:class="net">
      <ovf:Info/>
      <ovf:Property ovf:key="address" ovf:type="string" ovf:userConfigurable="true"><ovf:Label>Address</ovf:Label><ovf:Description>Without its prefix length.</ovf:Description></ovf:Property>
      <ovf:Property ovf:key="gateway" ovf:type="string" ovf:userConfigurable="true" ovf:value=""/>
    </ovf:ProductSection>
    <ovf:ProductSection ovf:class="node">
      <ovf:Info/>
      <ovf:Property ovf:key="number" ovf:type="uint8" ovf:userConfigurable="true" ovf:value="1"/>
    </ovf:ProductSection>
    <ovf:ProductSection ovf:class="build">
      <ovf:Info/>
      <ovf:Property ovf:key="channel" ovf:type="string" ovf:value="stable"/>
    </ovf:ProductSection>
    <ovf:VirtualHardwareSection ovf:transport="iso"><ovf:Info/></ovf:VirtualHardwareSection>
    <ovf:VirtualHardwareSection ovf:transport="iso"><ovf:Info/></ovf:VirtualHardwareSection>
  </ovf:VirtualSystem>
</ovf:Envelope>
"#;

/// A sheet in which everything is right.
pub(super) const BASE: &str = r#"format = 1

[common]
domain   = "capovetro.example"
dns      = ["10.64.10.53", "10.64.10.54"]
ntp      = ["10.64.10.121", "10.64.10.122", "10.64.10.123"]
timezone = "Europe/Rome"

[subnet.quay]
prefix  = "10.64.10.0/24"
gateway = "10.64.10.1"

[account.keeper]
admin    = true
ssh_keys = ["keys/keeper.pub"]

[[host]]
name = "gauge-01"
link.eth0 = { subnet = "quay", address = "10.64.10.11" }
"#;

/// Judges a sheet in memory.
pub(super) fn assess_text(text: &str) -> Assessment {
    assess("harbor.toml", text.as_bytes().to_vec(), &InMemory::with_examples(), date(2026, 11, 25))
}

/// Judges a rule's example: a whole sheet if its first line says so, else a piece that is laid over a right sheet, its keys
/// and entries replacing those of that sheet. A piece that is no TOML takes the place of the tables it opens.
pub(super) fn assess_example(example: &str) -> Assessment {
    if example.starts_with("# a netplan file") {
        return inspect_example(example);
    }
    if example.starts_with("# a root filesystem") {
        return rootfs_example(example);
    }
    if example.starts_with("# a whole sheet") {
        return assess_text(example);
    }
    let mut base: toml::Table = BASE.parse().unwrap();
    match example.parse::<toml::Table>() {
        Ok(piece) => {
            lay_over(&mut base, piece);
            assess_text(&toml::to_string(&base).unwrap())
        }
        Err(_) => {
            base.remove("subnet");
            assess_text(&format!("{}\n{example}", toml::to_string(&base).unwrap()))
        }
    }
}

/// Judges an example of netplan files, of which there may be several.
fn inspect_example(example: &str) -> Assessment {
    let texts = example.split("# another netplan file\n");
    let files =
        texts.enumerate().map(|(index, text)| Source::new(format!("{index}0-net.yaml"), text)).collect();
    let inspection = inspect_netplan("gauge-01", Sources::default(), files, NEWEST_NETPLAN);
    let mut assessment = assess_text(BASE);
    assessment.sources = inspection.sources;
    assessment.site = inspection.site;
    assessment.findings = inspection.findings;
    assessment
}

/// A root filesystem on which everything is right: paths and what is in them.
const ROOTFS: &str = include_str!("../../testdata/rootfs.toml");

/// Judges the output of the right sheet, or of one that an example names, against a right root filesystem over which the paths
/// of the example are laid.
fn rootfs_example(example: &str) -> Assessment {
    let piece: toml::Table = example.parse().unwrap();
    let mut files: toml::Table = ROOTFS.parse().unwrap();
    files.extend(
        piece.iter().filter(|(key, _)| key.contains('/')).map(|(key, value)| (key.clone(), value.clone())),
    );
    let folder = tempfile::tempdir().unwrap();
    let top = folder.path().join("rootfs");
    for (path, value) in &files {
        // A script of so many KiB, where it is not written out.
        let size = value.get("script_kib").and_then(toml::Value::as_integer);
        let script =
            size.map(|size| format!("#!/bin/sh\n{}", "#".repeat(usize::try_from(1024 * size - 10).unwrap())));
        let Some(text) = script.as_deref().or(value.as_str()) else { continue };
        let path = top.join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    }
    let mut assessment = assess_example(match piece.get("output").and_then(toml::Value::as_str) {
        Some("wifi") => {
            "[subnet.quay]\nwifi = { ssid = \"quay\", passphrase = { secret = \"quay-wifi\" }, country = \"IT\" }\n\
             [secret.quay-wifi]\nfrom = \"file\"\npath = \"quay-wifi.secret\"\n[[host]]\nname = \"gauge-01\"\n\
             link.wifi0 = { kind = \"wifi\", mac = \"02:64:20:00:00:01\", subnet = \"quay\", address = \"10.64.10.11\" }\n"
        }
        Some("locale") => "[common]\nlocale = \"it_IT.UTF-8\"\n",
        _ => "",
    });
    let tree = render(assessment.proved().unwrap(), |_| true).unwrap();
    let into = folder.path().join("output");
    let machines = std::iter::once("gauge-01").collect();
    write(
        &tree,
        Writing { into: &into, machines: &machines, prune: false, may_lose_changes: false, seen: &|_| {} },
    )
    .unwrap();
    let output = TreeOnDisk::open(&into).unwrap().0.host("gauge-01").unwrap();
    let rootfs = Rootfs::open(&top).unwrap();
    let view = View::of(&rootfs);
    let survey = Survey::of(view).unwrap();
    let plan = plan(view, &survey, &output, (PlacementOptions::default(), None)).unwrap();
    let said = |table: &str, key: &str| piece.get(table).and_then(|table| table.get(key)).cloned();
    let flag = |key: &str| said("mount", key).and_then(|value| value.as_bool()).unwrap_or(false);
    let mut room = survey.room;
    room.is_read_only = flag("read_only");
    if let Some(free) = said("mount", "free") {
        room.bytes = ByteSize::parse(free.as_str().unwrap()).unwrap().0;
    }
    let record = said("placement", "machine").map(|machine| Record {
        machine: machine.as_str().unwrap().to_owned(),
        steps: vec![Step {
            path: impostazione_rootfs::RootfsPath::fixed("etc/hostname"),
            subject: Subject::Names.into(),
            why: String::new(),
            before: State::Absent,
            after: State::Absent,
            meant: None,
            kept: None,
            is_back: false,
            is_made_up: false,
            is_on_another: false,
        }],
        ..Record::default()
    });
    let changed = said("placement", "changed").map(|path| ChangedSince {
        path: path.as_str().unwrap().to_owned(),
        entry: None,
        what: Vec::new(),
        is_gone: false,
        is_as_before: false,
        can_stay: false,
        stays: None,
    });
    let changed_since: Vec<ChangedSince> = changed.into_iter().collect();
    let case = RootfsCase {
        name: "card",
        view,
        survey: &survey,
        placing: Some((&output, &plan)),
        options: PlacementOptions::default(),
        record: record.as_ref(),
        since: &[Since::AsPlaced],
        changed_since: &changed_since,
        is_running: flag("is_running"),
        room,
        may_replace: false,
        is_answered: false,
    };
    (assessment.sources, assessment.findings) = judge_rootfs(&case);
    assessment
}

fn lay_over(base: &mut toml::Table, piece: toml::Table) {
    for (key, value) in piece {
        match (base.get_mut(&key), value) {
            (Some(toml::Value::Table(under)), toml::Value::Table(over)) if key != "in_use" => {
                lay_over(under, over);
            }
            (_, value) => {
                base.insert(key, value);
            }
        }
    }
}

/// The names of the rules that were broken, in the order of the findings.
pub(super) fn names_of(assessment: &Assessment) -> Vec<&'static str> {
    assessment.findings.iter().map(|finding| finding.rule.name).collect()
}

/// The names of the rules whose findings no waiver silences.
pub(super) fn standing(assessment: &Assessment) -> Vec<&'static str> {
    let standing = assessment.findings.iter().filter(|finding| !finding.is_waived());
    standing.map(|finding| finding.rule.name).collect()
}
