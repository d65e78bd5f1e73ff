//! Values of secrets in the model and in the output tree cannot be printed, whoever prints them.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::{fs, io};

use impostazione_core::appliance::answered_properties;
use impostazione_core::assess::{Assessment, assess};
use impostazione_core::output::{OutputContent, render};
use impostazione_text::files::Folder;
use jiff::civil::date;

const SHEET: &str = r#"
format = 1
[common]
purpose  = "lab"
domain   = "capovetro.example"
dns      = ["10.64.10.53", "10.64.10.54"]
ntp      = [{ server = "10.64.10.121", key = "harbor" }, "none"]
time_service = "chrony"
timezone = "Europe/Rome"
[subnet.quay]
prefix   = "10.64.10.0/24"
gateway  = "10.64.10.1"
wifi     = { ssid = "quay", passphrase = { secret = "radio" } }
[time_key.harbor]
number = 10
value  = { secret = "clock" }
[account.keeper]
admin    = true
password = { secret = "login" }
ssh_keys = ["keys/keeper.pub"]
[account.guest]
password = "Xguest-harpoon-capstan"
[secret.login]
from = "file"
path = "login.secret"
[secret.radio]
from = "file"
path = "radio.secret"
[secret.clock]
from = "file"
path = "clock.secret"
[secret.admin]
from = "file"
path = "admin.secret"
[[host]]
name = "gauge-01"
link.wifi0 = { kind = "wifi", mac = "02:64:10:00:00:01", subnet = "quay", address = "10.64.10.11" }
[[appliance]]
name = "logbook"
package = "packages/secured.ovf"
link.management = { subnet = "quay", address = "10.64.10.61" }
[appliance.answer]
"admin.password" = { secret = "admin" }
"#;

const VALUES: [&str; 5] = [
    "Xlogin-gulls-lantern",
    "Xradio-foghorn-keel",
    "Xclock-winch-dock-ferry",
    "Xadmin-buoy-1871",
    "Xguest-harpoon-capstan",
];

fn copy(from: &Path, to: &Path) -> io::Result<()> {
    fs::create_dir_all(to.parent().unwrap())?;
    fs::copy(from, to).map(|_| ())
}

/// The sheet judged in a folder of its own, with its secrets for this user alone.
fn judged() -> Assessment {
    let folder = tempfile::tempdir().unwrap();
    let data = Path::new(env!("CARGO_MANIFEST_DIR")).join("testdata");
    copy(&data.join("harbor/keys/keeper.pub"), &folder.path().join("keys/keeper.pub")).unwrap();
    copy(&data.join("packages/secured.ovf"), &folder.path().join("packages/secured.ovf")).unwrap();
    for (name, value) in ["login", "radio", "clock", "admin"].iter().zip(VALUES) {
        let path = folder.path().join(format!("{name}.secret"));
        fs::write(&path, format!("{value}\n")).unwrap();
        fs::set_permissions(&path, fs::Permissions::from_mode(0o600)).unwrap();
    }
    assess("sheet.toml", SHEET.as_bytes().to_vec(), &Folder::new(folder.path()), date(2026, 11, 25))
}

fn assert_hidden(what: &str, printed: &str) {
    assert!(printed.len() > 40, "{what} prints something");
    for value in VALUES {
        assert!(!printed.contains(value), "{what} prints {value}");
    }
}

#[test]
fn nothing_that_can_be_printed_holds_a_value() {
    let assessment = judged();
    let proved = assessment.proved().unwrap_or_else(|| panic!("{:?}", assessment.findings));
    assert_hidden("the site", &format!("{:?}", assessment.site));
    assert_hidden("the findings", &format!("{:?}", assessment.findings));
    let logbook = assessment.site.machines.iter().find(|machine| machine.label() == "logbook").unwrap();
    assert_hidden("the answers", &format!("{:?}", answered_properties(&assessment.site, logbook)));
    let tree = render(proved, |_| true).unwrap();
    assert_hidden("the output tree", &format!("{tree:?}"));
    // They are where they belong all the same.
    let held = |path: &str| {
        let file = tree.files.iter().find(|file| file.path == path).unwrap();
        let OutputContent::Bytes(bytes) = &file.content else { panic!("{path} is no file") };
        let text = String::from_utf8_lossy(bytes).into_owned();
        VALUES.into_iter().filter(|value| text.contains(value)).collect::<Vec<_>>()
    };
    assert_eq!(held("logbook/ovf-env.xml"), ["Xadmin-buoy-1871"]);
    assert_eq!(held("gauge-01/rootfs/etc/chrony/chrony.keys"), ["Xclock-winch-dock-ferry"]);
    assert_eq!(held("gauge-01/accounts.json"), [""; 0]);
    assert_eq!(held("gauge-01/rootfs/etc/netplan/60-impostazione.yaml"), [""; 0]);
}
