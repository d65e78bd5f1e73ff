//! `inspect` of packages and images: what they ask for, whether they are whole, and what cannot be one.

use std::fs::File;
use std::io::Write as _;
use std::path::Path;
use std::process::Command;

use impostazione_ovf::Package;
use impostazione_text::files::Folder;
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use serde_json::{Value, json};

use crate::page::Page;
use crate::support::{Run, Workspace, judge};

fn inspected(workspace: &Workspace, arguments: &[&str]) -> (i32, Value) {
    let mut all = vec!["inspect"];
    all.extend(arguments);
    all.extend(["--format", "json"]);
    let run = workspace.run(&all);
    assert_eq!(run.stderr, "", "{arguments:?}");
    (run.code, serde_json::from_str(&run.stdout).unwrap())
}

/// The states of a package's files, by their names.
fn states(report: &Value) -> Vec<(String, String)> {
    let files = report["files"].as_array().unwrap().iter();
    files
        .map(|file| (file["name"].as_str().unwrap().into(), file["state"].as_str().unwrap().into()))
        .collect()
}

fn state<'a>(report: &'a Value, name: &str) -> &'a str {
    let files = report["files"].as_array().unwrap();
    files.iter().find(|file| file["name"] == name).unwrap_or_else(|| panic!("{name}: {files:?}"))["state"]
        .as_str()
        .unwrap()
}

fn property<'a>(report: &'a Value, id: &str) -> &'a Value {
    report["properties"].as_array().unwrap().iter().find(|property| property["id"] == id).unwrap()
}

#[test]
fn an_archive_says_what_it_is_and_what_it_asks_for() {
    let (code, report) = inspected(&Workspace::demo(), &["packages/logbook.ova"]);
    assert_eq!(code, 0);
    assert_eq!(
        report["product"],
        json!({"name": "Harbor log book", "vendor": "Chandlery of Capo Vetro", "version": "2.4", "full_version": "2.4.1-118"})
    );
    let address = property(&report, "net.address.0");
    assert_eq!(
        (&address["key"], &address["class"], &address["instance"]),
        (&json!("address"), &json!("net"), &json!("0"))
    );
    assert_eq!((&address["meaning"], &address["settable"]), (&json!("address"), &json!(true)));
    let password = property(&report, "admin.password");
    assert_eq!((&password["meaning"], &password["account"]), (&json!("password"), &json!("admin")));
    assert_eq!((&password["min_length"], &password["max_length"]), (&json!(12), &json!(64)));
    assert_eq!(property(&report, "node.mode")["choices"], json!(["mirrored", "single"]));
    assert_eq!(
        property(&report, "keep_days")["option_defaults"][1],
        json!({"option": "large", "value": "3650"})
    );
    assert_eq!(property(&report, "build.channel")["settable"], false);
    let small = &report["deployment_options"][1];
    assert_eq!((&small["id"], &small["default"]), (&json!("small"), &json!(false)));
    assert_eq!(
        small["systems"][0],
        json!({"system": "logbook", "processors": 2, "memory_bytes": 8_589_934_592u64})
    );
    assert_eq!(report["disks"][1]["capacity_bytes"], 128_849_018_880u64);
    assert_eq!(
        (&report["networks"][0]["name"], &report["transports"]),
        (&json!("Management"), &json!(["iso"]))
    );
    assert!(report["licenses"][0].as_str().unwrap().contains("Entries belong to the harbor"));
    assert!(states(&report).iter().all(|(_, state)| state == "ok"), "{:?}", states(&report));
}

#[test]
fn labels_come_from_string_bundles_and_links_from_what_they_say() {
    let (_, report) = inspected(&Workspace::demo(), &["packages/signals.ova"]);
    let office = property(&report, "vetro.signals.officeAddress");
    assert_eq!(office["label"], "IP address in the office network");
    assert_eq!((&office["category"], &office["link"]), (&json!("Office"), &json!("office")));
    assert_eq!(property(&report, "vetro.signals.signalAddress")["link"], "signal");
    assert_eq!(property(&report, "vetro.signals.minPasswordLength")["meaning"], "other");
    assert_eq!(property(&report, "vetro.signals.keeperPassword")["default"], Value::Null, "it is a password");
}

#[test]
fn a_collection_says_which_machine_asks_for_what() {
    let (code, report) = inspected(&Workspace::demo(), &["packages/watch.ovf"]);
    assert_eq!(code, 0);
    assert_eq!(report["systems"].as_array().unwrap().len(), 2);
    assert_eq!(property(&report, "recorder.ip")["system"], "recorder");
    assert_eq!(property(&report, "gateway")["system"], Value::Null, "all share it");
    assert_eq!(property(&report, "recorder.mail")["default"], "${alerts}");
    // The recorder's disk is cut into pieces.
    assert_eq!(state(&report, "watch-recorder.img.000000001"), "ok");
    assert_eq!(report["disks"][0]["file_bytes"], 65536);
}

#[test]
fn each_state_of_a_file() {
    let workspace = Workspace::demo().with_example_packages();
    for (package, code, file, wanted) in [
        ("whole", 0, "disk.img", "ok"),
        ("torn", 1, "gone.img", "missing"),
        ("short", 1, "disk.img", "wrong-size"),
        ("damaged", 1, "disk.img", "wrong-digest"),
        ("bare", 0, "disk.img", "no-digest"),
    ] {
        let (found, report) = inspected(&workspace, &[&format!("packages/{package}.ovf")]);
        assert_eq!((found, state(&report, file)), (code, wanted), "{package}");
        let shown = workspace.run(&["inspect", &format!("packages/{package}.ovf")]).stdout;
        assert_eq!(shown.contains("download the package again"), code == 1, "{shown}");
    }
    workspace.write(
        "packages/whole.mf",
        workspace.read("packages/whole.mf")
            + workspace
                .read("packages/damaged.mf")
                .lines()
                .find(|line| line.contains("damaged.ovf"))
                .unwrap(),
    );
    let (_, report) = inspected(&workspace, &["packages/whole.ovf"]);
    assert_eq!(state(&report, "damaged.ovf"), "ok", "named by the manifest alone, and whole");
    let (code, report) = inspected(&workspace, &["packages/watch.ovf", "--no-digests"]);
    assert_eq!((code, state(&report, "watch-viewer.img")), (0, "ok"), "small files are always looked at");
}

#[test]
fn a_large_file_is_digested_unless_told_otherwise() {
    let workspace = Workspace::demo();
    let size = 3 * 1024 * 1024;
    let descriptor =
        workspace.read("packages/watch.ovf").replace("ovf:size=\"32768\"", &format!("ovf:size=\"{size}\""));
    workspace.write("packages/watch.ovf", descriptor);
    workspace.write("packages/watch-viewer.img", vec![0; size]);
    let (code, report) = inspected(&workspace, &["packages/watch.ovf", "--no-digests"]);
    assert_eq!(
        (code, state(&report, "watch-viewer.img")),
        (1, "not-checked"),
        "the descriptor is a changed one"
    );
    let (code, report) = inspected(&workspace, &["packages/watch.ovf"]);
    assert_eq!((code, state(&report, "watch-viewer.img")), (1, "wrong-digest"));
}

#[test]
fn every_algorithm_and_windows_line_ends() {
    let workspace = Workspace::demo().with_example_packages();
    for (algorithm, program) in [("SHA1", "sha1sum"), ("SHA256", "sha256sum"), ("SHA512", "sha512sum")] {
        let mut manifest = String::new();
        for file in ["whole.ovf", "disk.img"] {
            let output =
                Command::new(program).arg(workspace.path().join("packages").join(file)).output().unwrap();
            let digest = String::from_utf8(output.stdout).unwrap();
            manifest = format!("{manifest}{algorithm}({file})= {}\r\n", digest.split(' ').next().unwrap());
        }
        workspace.write("packages/whole.mf", &manifest);
        let (code, report) = inspected(&workspace, &["packages/whole.ovf"]);
        assert_eq!((code, state(&report, "disk.img")), (0, "ok"), "{algorithm}");
    }
    workspace.write("packages/whole.mf", "MD5(disk.img)= 00\nSHA256(whole.ovf)= 12\n");
    let (code, report) = inspected(&workspace, &["packages/whole.ovf"]);
    assert_eq!((code, state(&report, "disk.img")), (0, "no-digest"));
    assert_eq!(
        report["manifest_faults"][0]["message"],
        "line 1: the algorithm MD5 is not SHA1, SHA256 or SHA512"
    );
}

#[test]
fn licenses_signs_and_records_of_meanings() {
    let workspace = Workspace::demo();
    let mut page = Page::on("inspecting-licenses-and-meanings");
    page.run(&workspace, "inspect packages/logbook.ova --licenses");
    page.run(&workspace, "inspect packages/logbook.ova --why net.netmask.0");
    assert_eq!(page.run(&workspace, "inspect packages/logbook.ova --why tide").code, 2);
    page.run(&workspace, "inspect packages/logbook.ova --why NETMASK");
    page.heading("signs of one's own");
    assert_eq!(
        property(&inspected(&workspace, &["packages/logbook.ova"]).1, "keep_days")["meaning"],
        "other"
    );
    workspace
        .write("signs.toml", "[[sign]]\nmeaning = \"mtu\"\nall = [\"days\", \"entries\"]\nstrength = 0.9\n");
    let (_, report) = inspected(&workspace, &["packages/logbook.ova", "--signs", "signs.toml"]);
    assert_eq!(property(&report, "keep_days")["meaning"], "mtu");
    workspace.write("signs.toml", "[[sing]]\n");
    assert_eq!(page.run(&workspace, "inspect packages/logbook.ova --signs signs.toml").code, 3);
    page.heading("a record, made, fixed and used");
    assert_eq!(page.run(&workspace, "inspect packages/logbook.ova --save-meanings logbook.toml").code, 0);
    assert_eq!(page.run(&workspace, "inspect packages/logbook.ova --save-meanings logbook.toml").code, 3);
    let record = workspace.read("logbook.toml").replacen("meaning = \"ntp\"", "meaning = \"proxy\"", 1);
    workspace.write("logbook.toml", record.replace("version = \"2.4\"", "version = \"2.3\""));
    let (_, report) = inspected(&workspace, &["packages/logbook.ova", "--meanings", "logbook.toml"]);
    assert_eq!(
        (&property(&report, "clock")["meaning"], &property(&report, "clock")["confidence"]),
        (&json!("proxy"), &json!(1.0))
    );
    page.run(&workspace, "inspect packages/logbook.ova --meanings logbook.toml");
    // In a sheet it decides, and the sheet says that it is out of date.
    let sheet = workspace.read("harbor.toml").replace(
        "package = \"packages/logbook.ova\"\n",
        "package = \"packages/logbook.ova\"\nmeanings = \"logbook.toml\"\n",
    );
    workspace.write("harbor.toml", sheet);
    assert_eq!(page.run(&workspace, "check harbor.toml").code, 0);
    page.keep();
}

/// A package signed by a certificate that an authority has made, with openssl.
fn signed(workspace: &Workspace) {
    let folder = workspace.path().join("packages");
    let openssl = |arguments: &str| {
        let run = Command::new("openssl").args(arguments.split(' ')).current_dir(&folder).output().unwrap();
        assert!(run.status.success(), "{arguments}: {}", String::from_utf8_lossy(&run.stderr));
        run.stdout
    };
    openssl(
        "req -x509 -newkey rsa:2048 -nodes -keyout ca.key -out ca.pem -days 30 -subj /CN=Chandlery -addext basicConstraints=critical,CA:TRUE",
    );
    openssl("req -newkey rsa:2048 -nodes -keyout leaf.key -out leaf.csr -subj /CN=Packages");
    openssl("x509 -req -in leaf.csr -CA ca.pem -CAkey ca.key -CAcreateserial -days 20 -out leaf.pem");
    let signature = openssl("dgst -sha256 -sign leaf.key -hex watch.mf");
    let signature = String::from_utf8(signature).unwrap();
    let digits = signature.trim().rsplit("= ").next().unwrap().to_owned();
    workspace.write(
        "packages/watch.cert",
        format!("SHA256(watch.mf)= {digits}\n{}", workspace.read("packages/leaf.pem")),
    );
}

#[test]
#[ignore = "needs openssl, which .ci/run installs"]
fn a_signature_by_openssl_holds_and_is_trusted_by_whom_one_trusts() {
    let workspace = Workspace::demo();
    signed(&workspace);
    let (code, report) = inspected(&workspace, &["packages/watch.ovf"]);
    assert_eq!(code, 0);
    let signature = &report["signature"];
    assert_eq!((&signature["valid"], &signature["trusted"]), (&json!(true), &Value::Null));
    assert_eq!(
        (&signature["subject"], &signature["issuer"]),
        (&json!("CN=Packages"), &json!("CN=Chandlery"))
    );
    for (trust, code) in [("packages/ca.pem", 0), ("packages/leaf.pem", 0)] {
        let (found, report) = inspected(&workspace, &["packages/watch.ovf", "--trust", trust]);
        assert_eq!((found, &report["signature"]["trusted"]), (code, &json!(true)), "{trust}");
    }
    let other = Workspace::demo();
    signed(&other);
    workspace.write("other.pem", other.read("packages/ca.pem"));
    let (code, report) = inspected(&workspace, &["packages/watch.ovf", "--trust", "other.pem"]);
    assert_eq!((code, &report["signature"]["trusted"]), (1, &json!(false)));
    // One letter more in the manifest.
    workspace.write("packages/watch.mf", workspace.read("packages/watch.mf") + "\n");
    let (code, report) = inspected(&workspace, &["packages/watch.ovf"]);
    assert_eq!((code, &report["signature"]["valid"]), (1, &json!(false)));
    let shown = workspace.run(&["inspect", "packages/watch.ovf"]).stdout;
    assert!(shown.contains("the signature: the signature does not match this manifest"), "{shown}");
}

#[test]
fn an_image_is_compared_with_its_digest() {
    let workspace = Workspace::demo();
    workspace.write("card.img", "abc");
    // FIPS 180-4's example.
    let digest = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";
    let inspect = |arguments: &[&str]| -> Run {
        let mut all = vec!["inspect", "card.img"];
        all.extend(arguments);
        workspace.run(&all)
    };
    assert_eq!(inspect(&["--digest", digest]).code, 0);
    assert_eq!(inspect(&["--digest", &digest.to_uppercase()]).code, 0);
    let mut page = Page::on("inspecting-images");
    page.run(&workspace, &format!("inspect card.img --digest {digest}"));
    let wrong = page.run(&workspace, &format!("inspect card.img --digest {}", digest.replace('b', "c")));
    assert_eq!(wrong.code, 1);
    assert_eq!(page.run(&workspace, "inspect card.img --digest abc").code, 2);
    assert_eq!(page.run(&workspace, "inspect card.img").code, 2, "nothing to compare with");
    page.keep();
    workspace.write("SHA256SUMS", format!("{digest}  other.img\n{digest} *card.img\n"));
    let found = inspect(&["--format", "json"]);
    let report: Value = serde_json::from_str(&found.stdout).unwrap();
    assert_eq!(
        (found.code, &report["matches"], &report["wanted_from"]),
        (0, &json!(true), &json!("SHA256SUMS"))
    );
    let long = Command::new("sha512sum").arg(workspace.path().join("card.img")).output().unwrap();
    let long = String::from_utf8(long.stdout).unwrap();
    workspace.write("card.img.sha512", long.split(' ').next().unwrap());
    let report: Value = serde_json::from_str(&inspect(&["--format", "json"]).stdout).unwrap();
    assert_eq!((&report["algorithm"], &report["wanted_from"]), (&json!("SHA512"), &json!("card.img.sha512")));
}

/// A member of an archive: its name, its kind, and what is in it.
type Member<'a> = (&'a str, tar::EntryType, &'a [u8]);

/// An archive of these members, whatever their names.
fn archive(path: &Path, members: &[Member<'_>]) {
    let mut out = File::create(path).unwrap();
    for (name, kind, content) in members {
        let mut header = tar::Header::new_ustar();
        header.as_mut_bytes()[..name.len()].copy_from_slice(name.as_bytes());
        header.set_size(content.len() as u64);
        header.set_entry_type(*kind);
        header.set_mode(0o644);
        header.set_cksum();
        out.write_all(header.as_bytes()).unwrap();
        out.write_all(content).unwrap();
        out.write_all(&vec![0; content.len().wrapping_neg() % 512]).unwrap();
    }
    out.write_all(&[0; 1024]).unwrap();
}

const FILE: tar::EntryType = tar::EntryType::Regular;

fn whole_descriptor(workspace: &Workspace) -> Vec<u8> {
    workspace.read("packages/whole.ovf").into_bytes()
}

#[test]
fn an_archive_in_another_order_is_read() {
    let workspace = Workspace::demo().with_example_packages();
    let descriptor = whole_descriptor(&workspace);
    let manifest = workspace.read("packages/whole.mf").into_bytes();
    archive(
        &workspace.path().join("a.ova"),
        &[
            ("disk.img", FILE, &[0; 512]),
            ("whole.ovf", FILE, &descriptor),
            ("note.txt", FILE, b"hello"),
            ("whole.mf", FILE, &manifest),
        ],
    );
    let (code, report) = inspected(&workspace, &["a.ova"]);
    assert_eq!(code, 0);
    assert_eq!((state(&report, "disk.img"), state(&report, "note.txt")), ("ok", "not-listed"));
    let mut page = Page::on("inspecting-an-archive-in-another-order");
    page.run(&workspace, "inspect a.ova");
    page.keep();
}

#[test]
fn members_that_lead_out_are_named_and_not_touched() {
    let workspace = Workspace::demo().with_example_packages();
    let descriptor = whole_descriptor(&workspace);
    let mut page = Page::on("inspecting-members-that-lead-out");
    for (name, kind) in [
        ("../disk.img", FILE),
        ("/disk.img", FILE),
        ("disk.img", tar::EntryType::Symlink),
        ("disk.img", tar::EntryType::Link),
        ("disk.img", tar::EntryType::Char),
        ("disks/", tar::EntryType::Directory),
    ] {
        archive(&workspace.path().join("a.ova"), &[("whole.ovf", FILE, &descriptor), (name, kind, b"")]);
        let before = workspace.tree(".").len();
        let (code, report) = inspected(&workspace, &["a.ova"]);
        let unsafe_file = &report["unsafe_files"][0];
        assert_eq!((code, &unsafe_file["name"]), (1, &json!(name)), "{report}");
        page.add(&format!("{kind:?} {name}: {}\n", unsafe_file["message"].as_str().unwrap()));
        assert_eq!(workspace.tree(".").len(), before, "nothing was written");
    }
    page.keep();
}

/// A descriptor with so many properties, each with this value, and this beside them.
fn descriptor_with(properties: usize, value: &str, beside: &str) -> String {
    let property = |number: usize| {
        format!(
            "<Property ovf:key=\"address.{number}\" ovf:type=\"string\" ovf:userConfigurable=\"true\" ovf:value=\"{value}\"/>"
        )
    };
    let properties: String = (0..properties).map(property).collect();
    format!(
        "<?xml version=\"1.0\"?><Envelope xmlns=\"http://schemas.dmtf.org/ovf/envelope/1\" \
         xmlns:ovf=\"http://schemas.dmtf.org/ovf/envelope/1\"><References>{beside}</References>\
         <VirtualSystem ovf:id=\"x\"><Info/><ProductSection><Info/>{properties}</ProductSection></VirtualSystem></Envelope>"
    )
}

#[test]
fn what_costs_too_much_is_refused_and_what_is_large_is_read() {
    let workspace = Workspace::new();
    let mut page = Page::on("inspecting-what-costs-too-much");
    let mut many = String::new();
    for number in 0..300_000 {
        many.extend([" a", &number.to_string(), "=\"\""]);
    }
    let pieces = "<File ovf:id=\"f\" ovf:href=\"d\" ovf:size=\"99999999999\" ovf:chunkSize=\"1\"/>";
    for (about, descriptor) in [
        ("4097 properties", descriptor_with(4097, "", "")),
        ("a value of a byte more than 1 MiB", descriptor_with(1, &"v".repeat(1024 * 1024 + 1), "")),
        ("text of a byte more than 1 MiB", descriptor_with(1, "", &"v".repeat(1024 * 1024 + 1))),
        ("300,000 attributes", descriptor_with(1, "", &format!("<File{many}/>"))),
        ("a file in 99,999,999,999 pieces", descriptor_with(1, "", pieces)),
    ] {
        workspace.write("a.ovf", descriptor);
        page.heading(about);
        assert_eq!(page.run(&workspace, "inspect a.ovf").code, 3);
    }
    page.keep();
    for descriptor in
        [descriptor_with(4096, "10.64.10.11", ""), descriptor_with(1, &"v".repeat(1024 * 1024), "")]
    {
        workspace.write("a.ovf", &descriptor);
        let (code, report) = inspected(&workspace, &["a.ovf"]);
        let asked = descriptor.matches("<Property").count();
        assert_eq!((code, report["properties"].as_array().unwrap().len()), (0, asked));
    }
}

#[test]
fn what_is_not_seen_is_an_escape_on_the_terminal_and_in_json() {
    let workspace = Workspace::new();
    let unseen = "x\u{200b}\u{feff}\u{2028}\u{202e}\u{9b}2J\u{e0041}\u{61c}y";
    workspace.write("a.ovf", descriptor_with(1, unseen, ""));
    let text = workspace.run(&["inspect", "a.ovf"]).stdout;
    assert!(!text.chars().any(|c| unseen.contains(c) && !c.is_ascii()), "{text:?}");
    assert!(text.contains("\\u{202e}") || text.contains("\\u{200b}"), "{text}");
    let json = workspace.run(&["inspect", "a.ovf", "--format", "json"]).stdout;
    assert!(json.is_ascii(), "{json:?}");
    let report: Value = serde_json::from_str(&json).unwrap();
    assert_eq!(report["properties"][0]["default"], unseen, "programs get what stands there");
}

#[test]
fn what_counts_twice_is_refused() {
    let workspace = Workspace::demo().with_example_packages();
    let descriptor = whole_descriptor(&workspace);
    let manifest = workspace.read("packages/whole.mf").into_bytes();
    let link = tar::EntryType::Symlink;
    let usual = [
        ("whole.ovf", FILE, &descriptor[..]),
        ("whole.mf", FILE, &manifest[..]),
        ("disk.img", FILE, &[0; 512]),
    ];
    let mut page = Page::on("inspecting-what-counts-twice");
    let certificates = [("whole.cert", FILE, &b""[..]), ("other.cert", FILE, b"")];
    for more in [
        &[("disk.img", FILE, &b"another"[..])][..],
        &[("./disk.img", FILE, b"another")],
        &[("disk.img", link, b"")],
        &[("whole.mf", FILE, b"")],
        &[("other.MF", FILE, b"")],
        &certificates,
    ] {
        archive(&workspace.path().join("a.ova"), &[&usual[..], more].concat());
        page.heading(&more.iter().map(|(name, ..)| *name).collect::<Vec<_>>().join(" and "));
        assert_ne!(page.run(&workspace, "inspect a.ova").code, 0);
    }
    page.heading("a manifest that names a file twice, with one digest and with two");
    for second in
        [String::from_utf8(manifest.clone()).unwrap(), format!("SHA256(disk.img)= {}", "0".repeat(64))]
    {
        workspace
            .write("packages/whole.mf", format!("{}{second}", String::from_utf8(manifest.clone()).unwrap()));
        assert_ne!(page.run(&workspace, "inspect packages/whole.ovf").code, 0);
    }
    page.keep();
}

#[test]
#[ignore = "needs openssl, which .ci/run installs"]
fn a_signature_with_sha_1_is_trusted_by_nobody_and_two_are_none() {
    let workspace = Workspace::demo();
    signed(&workspace);
    let folder = workspace.path().join("packages");
    let openssl = |arguments: &str| {
        let run = Command::new("openssl").args(arguments.split(' ')).current_dir(&folder).output().unwrap();
        assert!(run.status.success(), "{arguments}: {}", String::from_utf8_lossy(&run.stderr));
        String::from_utf8(run.stdout).unwrap().trim().rsplit("= ").next().unwrap_or_default().to_owned()
    };
    let trusted = || {
        let (code, report) = inspected(&workspace, &["packages/watch.ovf", "--trust", "packages/ca.pem"]);
        (code, report["signature"]["valid"].clone(), report["signature"]["trusted"].clone())
    };
    let good = workspace.read("packages/watch.cert");
    assert_eq!(trusted(), (0, json!(true), json!(true)));
    let leaf = workspace.read("packages/leaf.pem");
    let by_sha1 = openssl("dgst -sha1 -sign leaf.key -hex watch.mf");
    workspace.write("packages/watch.cert", format!("SHA1(watch.mf)= {by_sha1}\n{leaf}"));
    assert_eq!(trusted(), (1, json!(true), json!(false)), "signed with SHA-1");
    workspace.write("packages/watch.cert", format!("SHA1(watch.mf)= {by_sha1}\n{good}"));
    assert_eq!(trusted(), (1, json!(false), json!(false)), "two signatures, of which one is good");
    // A certificate that is itself signed with SHA-1.
    openssl("x509 -req -sha1 -in leaf.csr -CA ca.pem -CAkey ca.key -CAcreateserial -days 20 -out leaf.pem");
    let digits = openssl("dgst -sha256 -sign leaf.key -hex watch.mf");
    workspace.write(
        "packages/watch.cert",
        format!("SHA256(watch.mf)= {digits}\n{}", workspace.read("packages/leaf.pem")),
    );
    assert_eq!(trusted(), (1, json!(true), json!(false)), "a certificate with SHA-1");
    workspace.write("packages/watch.cert", good);
    assert_eq!(trusted(), (0, json!(true), json!(true)));
}

#[test]
fn what_cannot_be_a_package_is_said() {
    let workspace = Workspace::demo().with_example_packages();
    let descriptor = whole_descriptor(&workspace);
    let text = String::from_utf8(descriptor.clone()).unwrap();
    let mut page = Page::on("inspecting-what-cannot-be-a-package");
    let mut refused = |name: &str, content: &[u8], about: &str| {
        workspace.write(name, content);
        page.heading(about);
        let run = page.run(&workspace, &format!("inspect {name}"));
        assert_eq!((run.code, run.stdout.as_str()), (3, ""), "{about}");
        // In a sheet it is a finding.
        workspace.write("s.toml", crate::support::packaged(&format!("\"{name}\""), "", "", ""));
        let check = workspace.run(&["check", "s.toml"]);
        assert!(
            check.code == 1 && check.stdout.contains("package-unreadable") && check.stderr.is_empty(),
            "{}",
            check.stdout
        );
    };
    let bomb = text
        .replacen(
            "<Envelope",
            "<!DOCTYPE e [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;&a;&a;&a;&a;\">]>\n<Envelope",
            1,
        )
        .replace("A log book", "&b;");
    refused("bomb.ovf", bomb.as_bytes(), "entities in entities");
    let external = text.replacen("<Envelope", "<!DOCTYPE e SYSTEM \"file:///etc/hostname\">\n<Envelope", 1);
    refused("external.ovf", external.as_bytes(), "an entity of another file");
    let deep = text
        .replace("<Info>A log book</Info>", &format!("{}{}", "<a>".repeat(100_000), "</a>".repeat(100_000)));
    refused("deep.ovf", deep.as_bytes(), "100,000 elements in each other");
    refused(
        "space.ovf",
        text.replace("envelope/1\" xmlns:ovf", "envelop/1\" xmlns:ovf").as_bytes(),
        "another namespace",
    );
    let utf16: Vec<u8> = "\u{feff}<Envelope/>".encode_utf16().flat_map(u16::to_le_bytes).collect();
    refused("wide.ovf", &utf16, "UTF-16");
    refused("latin.ovf", b"<Envelope \xe9/>", "bytes that are not UTF-8");
    refused("cut.ovf", &descriptor[..descriptor.len() / 2], "half of a descriptor");
    refused("empty.ovf", b"", "an empty file");
    refused("packed.ova", b"\x1f\x8b\x08\0\0\0\0\0", "an archive in gzip");
    refused("zeros.ova", &[0; 4096], "zeros");
    refused("noise.ova", &[7; 4096], "noise");
    let at = workspace.path().join("t.ova");
    archive(&at, &[("whole.ovf", FILE, &descriptor), ("disk.img", FILE, &[0; 4096])]);
    let whole = std::fs::read(&at).unwrap();
    refused("torn.ova", &whole[..whole.len() - 4000], "an archive that ends in a disk");
    let mut wrong = whole.clone();
    let second = 512 + descriptor.len().div_ceil(512) * 512;
    wrong[second + 2] = b'X';
    refused("sum.ova", &wrong, "a wrong checksum");
    archive(&at, &[("disk.img", FILE, &[0; 512])]);
    refused("bare.ova", &std::fs::read(&at).unwrap(), "an archive without a descriptor");
    archive(&at, &[("a.ovf", FILE, &descriptor), ("b.ovf", FILE, &descriptor)]);
    refused("two.ova", &std::fs::read(&at).unwrap(), "an archive with two descriptors");
    archive(&at, &[("../a.ovf", FILE, &descriptor)]);
    refused("out.ova", &std::fs::read(&at).unwrap(), "a descriptor outside the archive");
    page.keep();
}

#[test]
fn sizes_beyond_what_is_there_are_refused_in_little_memory() {
    let workspace = Workspace::demo().with_example_packages();
    // A descriptor of 200 MB, of which nothing is read.
    let huge = File::create(workspace.path().join("huge.ovf")).unwrap();
    huge.set_len(200 * 1024 * 1024).unwrap();
    (&huge).write_all(b"<Envelope>").unwrap();
    let run = workspace.run(&["inspect", "huge.ovf"]);
    assert!(run.code == 3 && run.stderr.contains("larger than 16 MiB"), "{}", run.stderr);
    // A member that says it has 9 GiB, in the numbers for large sizes.
    let descriptor = whole_descriptor(&workspace);
    let mut out = File::create(workspace.path().join("long.ova")).unwrap();
    for (name, size, content) in
        [("whole.ovf", descriptor.len() as u64, &descriptor[..]), ("disk.img", 9 << 30, &[])]
    {
        let mut header = tar::Header::new_ustar();
        header.set_path(name).unwrap();
        header.set_size(size);
        header.set_entry_type(FILE);
        header.set_cksum();
        out.write_all(header.as_bytes()).unwrap();
        out.write_all(content).unwrap();
        out.write_all(&vec![0; content.len().wrapping_neg() % 512]).unwrap();
    }
    let run = workspace.run(&["inspect", "long.ova"]);
    assert!(
        run.code == 3 && run.stderr.contains("should have 9663676416 bytes, and 0 are there"),
        "{}",
        run.stderr
    );
    // With room for it (a sparse file) it is listed.
    out.set_len(10 << 30).unwrap();
    let (code, report) = inspected(&workspace, &["long.ova", "--no-digests"]);
    assert_eq!((code, state(&report, "disk.img")), (1, "wrong-size"));
    assert_eq!(report["files"][1]["size_bytes"], 9u64 << 30);
}

#[test]
fn options_of_packages_are_refused_for_netplan_files() {
    let workspace = Workspace::demo();
    workspace.write("n.yaml", "network:\n  version: 2\n");
    let run = workspace.run(&["inspect", "n.yaml", "--licenses"]);
    assert_eq!(run.code, 2);
    assert!(run.stderr.starts_with("error: --licenses is for packages"), "{}", run.stderr);
}

#[test]
#[ignore = "needs tar and xmllint, which .ci/run installs"]
fn the_sample_packages_are_what_they_are_meant_to_be() {
    let workspace = Workspace::demo();
    let packages = workspace.path().join("packages");
    judge(Command::new("tar").args(["-xf", "logbook.ova"]).current_dir(&packages));
    for descriptor in ["logbook.ovf", "watch.ovf"] {
        judge(Command::new("xmllint").arg("--noout").arg(packages.join(descriptor)));
    }
    for manifest in ["logbook.mf", "watch.mf"] {
        judge(Command::new("sha256sum").args(["--strict", "--quiet", "-c", manifest]).current_dir(&packages));
    }
}

fn has_end(name: &str, end: &str) -> bool {
    Path::new(name).extension().is_some_and(|own| own == end)
}

/// Packed with `tar -c .`, and on a system that keeps a file beside each.
#[test]
fn an_archive_is_read_however_it_was_packed() {
    let workspace = Workspace::new().with_example_packages();
    let descriptor = std::fs::read(workspace.path().join("packages/whole.ovf")).unwrap();
    let manifest = std::fs::read(workspace.path().join("packages/whole.mf")).unwrap();
    let manifest = String::from_utf8(manifest).unwrap();
    let dotted = manifest.replace('(', "(./");
    let beside: &[u8] = b"\0\x05\x16\x07\0\x02\0\0Mac OS X";
    let disk = ("disk.img".to_owned(), std::fs::read(workspace.path().join("packages/disk.img")).unwrap());
    for (members, manifest) in [
        (
            vec![
                ("./", None),
                ("./whole.ovf", Some(&descriptor[..])),
                ("./whole.mf", None),
                (disk.0.as_str(), None),
            ],
            &dotted,
        ),
        (
            vec![
                ("./._whole.ovf", Some(beside)),
                ("./whole.ovf", Some(&descriptor)),
                ("./._whole.mf", Some(beside)),
                ("./whole.mf", None),
                (disk.0.as_str(), None),
            ],
            &manifest,
        ),
        (
            vec![
                ("._whole.ovf", Some(beside)),
                ("whole.ovf", Some(&descriptor)),
                ("._whole.cert", Some(beside)),
                ("whole.mf", None),
                (disk.0.as_str(), None),
            ],
            &manifest,
        ),
    ] {
        let path = workspace.path().join("packed.ova");
        let mut tar = tar::Builder::new(File::create(&path).unwrap());
        for (name, content) in &members {
            let mut header = tar::Header::new_ustar();
            header.set_mode(0o644);
            let content = match (*name, content) {
                ("./", _) => {
                    header.set_entry_type(tar::EntryType::Directory);
                    &b""[..]
                }
                (_, Some(content)) => content,
                (name, None) if has_end(name, "mf") => manifest.as_bytes(),
                _ => &disk.1,
            };
            // `set_path` takes the dot away, and an archive may have it.
            header.as_old_mut().name[..name.len()].copy_from_slice(name.as_bytes());
            header.set_size(content.len() as u64);
            header.set_cksum();
            tar.append(&header, content).unwrap();
        }
        tar.into_inner().unwrap();
        let (code, report) = inspected(&workspace, &["packed.ova"]);
        assert_eq!(code, 0, "{report}");
        assert_eq!(report["product"]["name"], "Log book");
        assert!(report["unsafe_files"].as_array().unwrap().is_empty(), "{report}");
        for (name, state) in states(&report) {
            let expected = if name.starts_with("._") { "not-listed" } else { "ok" };
            assert_eq!(state, expected, "{name}");
        }
        // Every member is shown, but for the folder and what tells of the others.
        let own = members.iter().filter(|(name, _)| {
            !name.ends_with('/')
                && !name.ends_with("/whole.mf")
                && *name != "whole.mf"
                && !has_end(name, "cert")
        });
        let shown = states(&report).iter().filter(|(name, _)| !has_end(name, "cert")).count();
        assert_eq!(shown, own.count(), "{members:?} {report}");
    }
    // The same beside a descriptor in a folder.
    std::fs::create_dir(workspace.path().join("folder")).unwrap();
    workspace.write("folder/whole.ovf", &descriptor);
    workspace.write("folder/whole.mf", &manifest);
    workspace.write(&format!("folder/{}", disk.0), &disk.1);
    workspace.write("folder/._whole.ovf", beside);
    assert_eq!(inspected(&workspace, &["folder"]).0, 0);
}

#[test]
fn a_disk_whose_file_is_not_in_the_references_is_not_called_empty() {
    let workspace = Workspace::new().with_example_packages();
    let disks = "  <DiskSection>\n    <Info/>\n    <Disk ovf:diskId=\"d1\" ovf:fileRef=\"f9\" ovf:capacity=\"512\"/>\n  </DiskSection>\n";
    let whole = workspace.read("packages/whole.ovf");
    let at = whole.find("  <NetworkSection>").unwrap();
    workspace.write("packages/lost.ovf", format!("{}{disks}{}", &whole[..at], &whole[at..]));
    let (code, report) = inspected(&workspace, &["packages/lost.ovf"]);
    assert_eq!((code, &report["disks"][0]["unknown_file"]), (1, &json!("f9")));
    let text = workspace.run(&["inspect", "packages/lost.ovf"]).stdout;
    assert!(text.contains("UNKNOWN: no file f9 in the references"), "{text}");
    workspace.write("sheet.toml", crate::support::packaged("\"packages/lost.ovf\"", "", "", ""));
    let check = crate::support::unwrapped(&workspace.run(&["check", "sheet.toml"]).stdout);
    assert!(check.contains("refers to the file f9, which the References section does not have"), "{check}");
}

#[test]
fn a_new_package_has_the_chosen_size_and_its_values() {
    let workspace = Workspace::new().with_example_packages();
    let copies = "<Property ovf:key=\"copies\" ovf:type=\"string\" ovf:userConfigurable=\"true\" ovf:value=\"1\">\
        <Label>Copies</Label><Value ovf:value=\"5\" ovf:configuration=\"large\"/></Property>\n    </ProductSection>";
    let sizes = workspace.read("packages/sizes.ovf");
    let at = sizes.rfind("</ProductSection>").unwrap();
    let with_copies = format!("{}{copies}{}", &sizes[..at], &sizes[at + "</ProductSection>".len()..]);
    workspace.write("packages/copies.ovf", with_copies);
    for (option, copies) in [("large", "5"), ("small", "1")] {
        let keys = format!("deployment_option = \"{option}\"");
        workspace.write("sheet.toml", crate::support::packaged("\"packages/copies.ovf\"", &keys, "", ""));
        let run = workspace.run(&["render", "sheet.toml", "--into", "out", "--packages"]);
        assert_eq!(run.code, 0, "{}", run.stdout + &run.stderr);
        for package in ["out/logbook/logbook.ova", "out/logbook/logbook.ovf"] {
            let (code, report) = inspected(&workspace, &[package]);
            assert_eq!(code, 0, "{report}");
            for one in report["deployment_options"].as_array().unwrap() {
                assert_eq!(one["default"] == true, one["id"] == option, "{package}: {one}");
            }
        }
        // What depends on the size and was not answered is that of the size.
        let set = workspace.read("out/logbook/logbook.ovf");
        assert!(
            set.contains(&format!(
                "ovf:key=\"copies\" ovf:type=\"string\" ovf:userConfigurable=\"true\" ovf:value=\"{copies}\""
            )),
            "{set}"
        );
    }
}

/// Members of an archive, some with a dot before them, some beside others, links and folders among them.
fn random_members() -> impl Strategy<Value = Vec<(String, tar::EntryType)>> {
    let name = prop::sample::select(vec![
        "whole.ovf",
        "whole.mf",
        "whole.cert",
        "disk.img",
        "notes.txt",
        "._whole.ovf",
        "._disk.img",
        "._whole.mf",
        "deep/er.img",
        "../out.img",
        "/abs.img",
        "second.ovf",
        "other.mf",
        "",
    ]);
    let before = prop::sample::select(vec!["", "", "./", ".//./"]);
    let kind = prop::sample::select(vec![
        FILE,
        FILE,
        FILE,
        FILE,
        tar::EntryType::Symlink,
        tar::EntryType::Directory,
    ]);
    prop::collection::vec(
        (before, name, kind).prop_map(|(before, name, kind)| (format!("{before}{name}"), kind)),
        1..9,
    )
}

/// Every member of an archive is shown as a file, as one that is not touched, or is what tells of the others; or the archive is
/// refused.
#[test]
fn no_member_of_an_archive_is_passed_over_in_silence() {
    let workspace = Workspace::new().with_example_packages();
    let descriptor = whole_descriptor(&workspace);
    let read = std::cell::Cell::new(0);
    let mut runner = TestRunner::new(Config { cases: 600, failure_persistence: None, ..Config::default() });
    let result = runner.run(&random_members(), |members| {
        let members: Vec<Member<'_>> = members
            .iter()
            .map(|(name, kind)| {
                let content: &[u8] = if *kind != FILE {
                    b""
                } else if has_end(name, "ovf") {
                    &descriptor
                } else {
                    b"x"
                };
                (name.as_str(), *kind, content)
            })
            .collect();
        archive(&workspace.path().join("random.ova"), &members);
        let package = Package::read("random.ova", &Folder::new(workspace.path()));
        if package.descriptor.is_err() {
            return Ok(());
        }
        read.set(read.get() + 1);
        let plainly = |name: &str| {
            name.split('/').filter(|part| !matches!(*part, "" | ".")).collect::<Vec<_>>().join("/")
        };
        for (name, kind, _) in &members {
            let plain = plainly(name);
            let is_top = *kind == tar::EntryType::Directory && plain.is_empty() && !name.starts_with('/');
            let is_shown = package.files.iter().any(|file| file.name == plain && file.size.is_some())
                || package.unsafe_files.iter().any(|(known, _)| known == name)
                || matches!(plain.as_str(), "whole.mf" | "whole.cert" | "second.mf" | "second.cert");
            prop_assert!(
                is_shown || is_top,
                "{name} of {:?}: {:?} {:?}",
                members.iter().map(|(name, kind, _)| (name, kind)).collect::<Vec<_>>(),
                package.files,
                package.unsafe_files
            );
        }
        Ok(())
    });
    assert!(result.is_ok(), "{}", result.unwrap_err());
    assert!(read.get() > 50, "{} archives were read", read.get());
}
