//! The encrypted store beside a sheet, through the commands that keep it. What they say is on the pages `store-*`.

use std::fs;
use std::process::{Command, Stdio};

use serde_json::Value;

use crate::given::Given;
use crate::support::{KEY, Workspace, host, packaged, right_sheet, with_password};

/// A sheet with a secret of one value and one with a value for each of two hosts.
fn sheet() -> String {
    right_sheet(
        "[account.pilot]\npassword = { secret = \"pilot-login\" }\n\
         [secret.keeper-login]\nfrom = \"store\"\nper = \"machine\"\nmin_length = 14\ntyped_on = [\"it\", \"gb\"]\n\
         [secret.pilot-login]\nfrom = \"store\"\n\
         [[host]]\nname = \"gauge-{01..02}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..12}\" }\n",
    )
    .replace("[account.keeper]", "[account.keeper]\npassword = { secret = \"keeper-login\" }")
    .replace("[common]", "[common]\nssh = { host_key = true }")
}

/// That sheet, and no store yet.
fn without_store() -> Given {
    Given::a_site().file("sheet.toml", sheet())
}

/// The same with a store that one key opens, and everything in it.
fn with_store() -> Given {
    without_store().a_store()
}

/// The public key in the comment of a file with a private one.
fn recipient(given: &Given, key: &str) -> String {
    let text = given.read(key);
    text.lines().next().unwrap().rsplit(' ').next().unwrap().trim_end_matches('.').to_owned()
}

/// The sheet in a workspace, with a store and everything in it.
fn workspace_with_store() -> Workspace {
    let workspace = Workspace::new();
    workspace.write("sheet.toml", sheet());
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    done(&workspace, &["secret", "generate", "sheet.toml"]);
    workspace
}

#[track_caller]
fn done(workspace: &Workspace, arguments: &[&str]) {
    let run = workspace.run(arguments);
    assert_eq!(run.code, 0, "{arguments:?}: {}{}", run.stdout, run.stderr);
}

#[test]
fn a_new_store_is_filled_judged_and_listed() {
    let outcome = without_store()
        .when("secret generate sheet.toml")
        .ends_with(3)
        .when("secret recipients sheet.toml --yes --new-key harbor.key")
        .ends_with(0)
        .when("check sheet.toml")
        .ends_with(1)
        .when("secret generate sheet.toml")
        .ends_with(0)
        .when("check sheet.toml")
        .ends_with(0)
        .when("secret generate sheet.toml")
        .ends_with(0)
        .when("secret list sheet.toml")
        .ends_with(0)
        .when("secret check sheet.toml")
        .ends_with(0);
    outcome.kept_as("store-made-and-filled");
    let listed = with_store().when("secret list sheet.toml --format json").ends_with(0);
    let list: Value = serde_json::from_str(listed.stdout()).unwrap();
    let holders: Vec<&str> =
        list["secrets"].as_array().unwrap().iter().filter_map(|secret| secret["holder"].as_str()).collect();
    assert_eq!(holders, ["gauge-01", "gauge-02"]);
    assert_eq!(list["secrets"][0]["used_by"], serde_json::json!(["login keeper"]));
    assert_eq!((&list["secrets"][0]["in_store"], &list["secrets"][0]["age_days"]), (&true.into(), &0.into()));
    assert_eq!(list["host_keys"].as_array().unwrap().len(), 2);
}

#[test]
fn values_are_entered_by_stdin_and_judged_before_they_are_stored() {
    let mut given = with_store();
    let before = given.bytes("sheet.secrets.age");
    let enter = "secret enter sheet.toml pilot-login";
    for (input, code) in [("Password1234\n", 1), ("short\n", 1), ("", 2), ("two\nlines\n", 2)] {
        given = given.when_fed(input, enter).ends_with(code).and();
        assert_eq!(given.bytes("sheet.secrets.age"), before);
    }
    let given = given
        .when_fed("nobody paints the lantern\n", enter)
        .ends_with(0)
        .when("secret export sheet.toml pilot-login --to handed-over")
        .ends_with(0)
        .and();
    assert_eq!(given.read("handed-over"), "nobody paints the lantern\n");
    given
        .about("a character that another layout has elsewhere")
        .when_fed("gulls-fly-over-the-mole\n", "secret enter sheet.toml keeper-login --for gauge-01")
        .ends_with(1)
        .kept_as("store-values-entered");
}

#[test]
fn whose_value_it_is_must_be_said_and_be_right() {
    let value = "a rope too short for tides\n";
    with_store()
        .when_fed(value, "secret enter sheet.toml keeper-login")
        .ends_with(2)
        .and()
        .when_fed(value, "secret enter sheet.toml keeper-login --for gauge-1")
        .ends_with(2)
        .and()
        .when_fed(value, "secret enter sheet.toml pilot-login --for gauge-01")
        .ends_with(2)
        .and()
        .when_fed(value, "secret enter sheet.toml keper-login")
        .ends_with(2)
        .and()
        .about("the sheet says that it is asked for, and not stored")
        .changed("sheet.toml", "from = \"store\"\n[[host]]", "from = \"prompt\"\n[[host]]")
        .when_fed(value, "secret enter sheet.toml pilot-login")
        .ends_with(2)
        .kept_as("store-whose-value");
}

#[test]
fn an_export_is_for_its_owner_alone_and_overwrites_nothing() {
    let given = with_store().when("secret export sheet.toml keeper-login --to all").ends_with(0).and();
    assert_eq!(given.mode_of("all"), 0o600);
    let lines = given.read("all");
    assert!(lines.starts_with("gauge-01\t") && lines.lines().count() == 2, "{lines}");
    let given = given.when("secret export sheet.toml keeper-login --to all").ends_with(3).and();
    assert_eq!(given.read("all"), lines);
    let given = given
        .when("secret export sheet.toml keeper-login")
        .ends_with(2)
        .when("secret export sheet.toml keeper-login --show-on-terminal")
        .ends_with(2)
        .when("secret export sheet.toml keeper-login --for gauge-02 --grouped --to aloud")
        .ends_with(0)
        .and();
    let aloud = given.read("aloud");
    assert!(aloud.split(' ').rev().skip(1).all(|group| group.len() == 4), "{aloud}");
    given.kept_as("store-exports");
}

#[test]
fn host_keys_are_made_once_and_renewed_when_asked_for() {
    let given = with_store().when("render sheet.toml --into out").ends_with(0).and();
    let first = given.read("out/known_hosts");
    assert!(first.contains("\ngauge-01,gauge-01.capovetro.example,10.64.10.11 ssh-ed25519 "), "{first}");
    let given = given
        .when("secret generate sheet.toml --renew --yes")
        .ends_with(0)
        .when("render sheet.toml --into out")
        .ends_with(0)
        .and();
    assert_eq!(given.read("out/known_hosts"), first, "values alone are renewed");
    let given = given
        .when("secret generate sheet.toml --host-keys --renew --yes --for gauge-02")
        .ends_with(0)
        .when("render sheet.toml --into out")
        .ends_with(0)
        .and();
    let second = given.read("out/known_hosts");
    assert_eq!(first.lines().nth(1), second.lines().nth(1));
    assert_ne!(first.lines().nth(2), second.lines().nth(2));
    given
        .when("secret generate sheet.toml --host-keys --for gauge-9")
        .ends_with(2)
        .and()
        .about("without the wish, the file and the keys go")
        .changed("sheet.toml", "host_key = true", "host_key = false")
        .when("render sheet.toml --into out")
        .ends_with(0)
        .does_not_make("out/known_hosts")
        .does_not_make("out/gauge-01/rootfs/etc/ssh/ssh_host_ed25519_key")
        .kept_as("store-host-keys");
}

#[test]
fn what_the_sheet_no_longer_wants_is_named_and_taken_out() {
    with_store()
        .changed("sheet.toml", "gauge-{01..02}", "gauge-01")
        .changed("sheet.toml", "{11..12}", "11")
        .when("secret check sheet.toml")
        .ends_with(0)
        .when("secret list sheet.toml")
        .ends_with(0)
        .when("secret remove --yes sheet.toml --unused")
        .ends_with(0)
        .when("secret remove --yes sheet.toml pilot-login")
        .ends_with(0)
        .when("secret remove --yes sheet.toml pilot-login")
        .ends_with(2)
        .when("check sheet.toml")
        .ends_with(1)
        .kept_as("store-what-is-no-longer-used");
}

#[test]
fn a_secret_that_nothing_uses_yet_is_listed_and_kept() {
    let spare = "[secret.spare]\nfrom = \"store\"\n[secret.each]\nfrom = \"store\"\nper = \"machine\"\n";
    with_store()
        .file("sheet.toml", sheet() + spare)
        .when_fed("slow boats carry loud bells\n", "secret enter sheet.toml spare")
        .ends_with(0)
        .when("secret list sheet.toml")
        .ends_with(0)
        .when("secret remove --yes sheet.toml --unused")
        .ends_with(0)
        .when("secret export sheet.toml spare --to spare")
        .ends_with(0)
        .when("secret generate sheet.toml each")
        .ends_with(2)
        .when("secret generate sheet.toml")
        .ends_with(0)
        .kept_as("store-what-nothing-uses-yet");
}

#[test]
fn a_sheet_that_cannot_be_read_in_full_is_said_to_be_so() {
    with_store()
        .changed("sheet.toml", "[common]", "[common")
        .when("secret check sheet.toml")
        .ends_with(1)
        .when("secret generate sheet.toml")
        .ends_with(3)
        .when("secret list sheet.toml")
        .ends_with(3)
        .when("secret remove --yes sheet.toml --unused")
        .ends_with(3)
        .and()
        .about("what is named is taken out whatever the sheet says")
        .when("secret remove --yes sheet.toml pilot-login")
        .ends_with(0)
        .kept_as("store-of-a-sheet-that-cannot-be-read");
}

#[test]
fn a_value_is_judged_wherever_its_fault_is_said() {
    let radio = "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n\
        wifi = { ssid = \"slip\", passphrase = { secret = \"radio\" } }\n[secret.radio]\nfrom = \"store\"\n";
    let given = with_store().file("sheet.toml", sheet() + radio);
    let before = given.bytes("sheet.secrets.age");
    let given = given
        .when_fed("kW4-zrQ\n", "secret enter sheet.toml radio")
        .ends_with(1)
        .and()
        .when_fed("slow boats carry loud bells\n", "secret enter sheet.toml pilot-login")
        .ends_with(0)
        .and()
        .about("a warning is shown, and the value taken")
        .when_fed("slow boats carry loud bells\n", "secret enter sheet.toml radio")
        .ends_with(0)
        .and();
    assert_ne!(given.bytes("sheet.secrets.age"), before);
    given.kept_as("store-values-of-wi-fi");
}

#[test]
fn only_the_values_of_one_machine_are_made_where_that_is_asked_for() {
    let given = with_store()
        .when("secret export sheet.toml keeper-login --for gauge-01 --to before")
        .ends_with(0)
        .when("secret generate sheet.toml --for gauge-02 --renew --yes")
        .ends_with(0)
        .when("secret export sheet.toml keeper-login --for gauge-01 --to after")
        .ends_with(0)
        .and();
    assert_eq!(given.read("before"), given.read("after"));
    given
        .when("secret generate sheet.toml --for gauge-9")
        .ends_with(2)
        .kept_as("store-values-of-one-machine");
}

#[test]
fn keys_of_several_kinds_open_a_store_and_those_that_were_removed_do_not() {
    let given = with_store()
        .when("secret recipients sheet.toml --yes --new-key second.key")
        .ends_with(0)
        .when("secret recipients sheet.toml --yes --add keys/keeper.pub")
        .ends_with(0)
        .when("secret list sheet.toml --key second.key")
        .ends_with(0)
        .and();
    let (mine, second) = (recipient(&given, KEY), recipient(&given, "second.key"));
    let remove = "secret recipients sheet.toml --key second.key --yes --remove";
    given
        .when(&format!("{remove} {mine}"))
        .ends_with(0)
        .when("secret recipients sheet.toml")
        .ends_with(3)
        .and()
        .about("named on the command line the key is wrong; that in the environment may be for other stores")
        .when(&format!("check sheet.toml --key {KEY}"))
        .ends_with(1)
        .when("check sheet.toml")
        .ends_with(0)
        .and()
        .about("a key is named by its comment too")
        .when(&format!("{remove} keeper@capovetro.example"))
        .ends_with(0)
        .when(&format!("{remove} {second}"))
        .ends_with(2)
        .when(&format!("{remove} age1nobody"))
        .ends_with(2)
        .kept_as("store-keys");
}

#[test]
fn a_key_that_does_not_open_a_store_says_why() {
    let mut given = with_store()
        .when("secret recipients harbor.toml --yes --new-key other.key")
        .ends_with(0)
        .and()
        .file("gull.key", "gull\n")
        .mode("gull.key", 0o600);
    for key in ["other.key", "keys/keeper.pub", "gull.key", "none.key", "."] {
        given = given.when(&format!("secret recipients sheet.toml --key {key}")).ends_with(3).and();
    }
    given.kept_as("store-keys-that-do-not-open");
}

#[test]
fn what_is_no_key_is_refused() {
    let add = "secret recipients sheet.toml --yes --add";
    let given = without_store()
        .when("secret recipients harbor.toml --yes --new-key other.key")
        .ends_with(0)
        .and()
        .file("empty.pub", "# nobody\n");
    let private = given.read("other.key").lines().nth(1).unwrap().to_owned();
    let given = given
        .when(&format!("{add} gull"))
        .ends_with(2)
        .when(&format!("{add} other.key"))
        .ends_with(2)
        .when(&format!("{add} empty.pub"))
        .ends_with(2)
        .when("secret recipients sheet.toml --yes --new-key other.key")
        .ends_with(3)
        .does_not_make("sheet.secrets.age")
        .and();
    assert_eq!(given.read("other.key").lines().nth(1), Some(private.as_str()));
    given
        .about("a private key where a public one belongs is not shown")
        .when_hiding(&private, &format!("{add} {private}"))
        .ends_with(2)
        .kept_as("store-what-is-not-a-key");
}

#[test]
fn a_passphrase_from_a_file_or_an_open_file_opens_a_store() {
    let from = "--passphrase-from phrase.secret";
    let given = without_store()
        .file("phrase.secret", "a passphrase for the harbor office\n")
        .file("weak.secret", "lighthouse\n")
        .file("wrong.secret", "another passphrase\n")
        .when("secret generate sheet.toml --passphrase-from weak.secret")
        .ends_with(2)
        .does_not_make("sheet.secrets.age")
        .when(&format!("secret generate sheet.toml {from}"))
        .ends_with(0)
        .when(&format!("check sheet.toml {from}"))
        .ends_with(0)
        .when("check sheet.toml")
        .ends_with(0)
        .when("check sheet.toml --passphrase-from wrong.secret")
        .ends_with(1)
        .and()
        .about("others may read the file")
        .mode("phrase.secret", 0o640)
        .when(&format!("check sheet.toml {from}"))
        .ends_with(1)
        .and()
        .mode("phrase.secret", 0o600);
    let by_fd = Command::new("sh")
        .arg("-c")
        .arg("exec \"$0\" check sheet.toml --passphrase-from /dev/fd/9 9<phrase.secret")
        .arg(assert_cmd::cargo::cargo_bin("impostazione"))
        .current_dir(given.path())
        .output()
        .unwrap();
    assert!(by_fd.status.success(), "{}", String::from_utf8_lossy(&by_fd.stdout));
    given
        .about("from a passphrase to a key")
        .when(&format!("secret recipients sheet.toml --yes --new-key {KEY} {from}"))
        .ends_with(0)
        .when("check sheet.toml")
        .ends_with(0)
        .kept_as("store-with-a-passphrase");
}

#[test]
fn a_store_that_is_damaged_says_so_and_stays_as_it_is() {
    let mut given = with_store();
    let right = given.bytes("sheet.secrets.age");
    let middle = right.len() / 2;
    let flipped: Vec<u8> =
        right.iter().enumerate().map(|(at, byte)| if at == middle { byte ^ 1 } else { *byte }).collect();
    for (what, damaged) in [
        ("a flipped byte", flipped),
        ("its end cut off", right[..right.len() - 60].to_vec()),
        ("its beginning cut off", right[40..].to_vec()),
        ("nothing in it", Vec::new()),
        ("zeros", vec![0; 4096]),
    ] {
        given =
            given.about(what).file("sheet.secrets.age", &damaged).when("check sheet.toml").ends_with(1).and();
        for line in [
            "secret generate sheet.toml",
            "secret remove --yes sheet.toml pilot-login",
            "secret recipients sheet.toml --yes --add keys/keeper.pub",
            "secret export sheet.toml pilot-login --to out.secret",
        ] {
            given = given.when(line).ends_with(3).does_not_make("out.secret").and();
        }
        assert_eq!(given.bytes("sheet.secrets.age"), damaged, "{what}");
    }
    given.kept_as("store-damaged");
}

#[test]
fn a_store_that_others_may_read_is_warned_of_and_closed_when_it_is_written() {
    let given = with_store()
        .mode("sheet.secrets.age", 0o644)
        .when("check sheet.toml")
        .ends_with(0)
        .when("secret generate sheet.toml --renew --yes")
        .ends_with(0)
        .and();
    assert_eq!(
        (given.mode_of("sheet.secrets.age"), given.mode_of("sheet.secrets.age.before")),
        (0o600, 0o600)
    );
    given
        .about("the key that opens it")
        .mode(KEY, 0o644)
        .when("secret recipients sheet.toml")
        .ends_with(3)
        .kept_as("store-that-others-may-read");
}

#[test]
fn a_kill_at_any_moment_leaves_a_whole_store() {
    let workspace = workspace_with_store();
    let mut survived = 0;
    for round in 0..50_u64 {
        let mut child = workspace
            .command(&["secret", "generate", "sheet.toml", "--renew", "--yes"])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        // From before its first step to after its last.
        std::thread::sleep(std::time::Duration::from_micros(round * 1_500));
        let _ = child.kill();
        let status = child.wait().unwrap();
        survived += u32::from(status.success());
        let check = workspace.run(&["secret", "check", "sheet.toml"]);
        assert_eq!(check.code, 0, "round {round}: {}{}", check.stdout, check.stderr);
        assert!(check.stdout.contains("holds 3 values and 2 host keys"), "round {round}: {}", check.stdout);
    }
    assert!(survived < 50, "no run was killed before its end");
}

#[test]
fn the_same_sheet_and_store_give_the_same_bytes_and_without_a_store_hashes_are_kept() {
    let workspace = workspace_with_store();
    done(&workspace, &["render", "sheet.toml", "--into", "one"]);
    done(&workspace, &["render", "sheet.toml", "--into", "two"]);
    assert_eq!(workspace.tree("one"), workspace.tree("two"));
    // Two machines with the same password have different hashes.
    let hash = |tree: &str, host: &str| {
        let accounts: Value =
            serde_json::from_str(&workspace.read(&format!("{tree}/{host}/accounts.json"))).unwrap();
        let pilot = accounts["accounts"]
            .as_array()
            .unwrap()
            .iter()
            .find(|account| account["name"] == "pilot")
            .unwrap();
        pilot["password_hash"].as_str().unwrap().to_owned()
    };
    assert_ne!(hash("one", "gauge-01"), hash("one", "gauge-02"));
    // Without a store: random salts, and a hash that is there is kept while it is of the password.
    workspace.write("pilot.secret", "nobody paints the lantern\n");
    workspace.write(
        "sheet.toml",
        right_sheet(
            "[account.pilot]\npassword = { secret = \"pilot-login\" }\n[secret.pilot-login]\nfrom = \"file\"\npath = \"pilot.secret\"\n\
             [[host]]\nname = \"gauge-{01..02}\"\nlink.eth0 = { subnet = \"quay\", address = \"10.64.10.{11..12}\" }\n",
        ),
    );
    fs::remove_file(workspace.path().join("sheet.secrets.age")).unwrap();
    done(&workspace, &["render", "sheet.toml", "--into", "three"]);
    let first = hash("three", "gauge-01");
    done(&workspace, &["render", "sheet.toml", "--into", "three"]);
    assert_eq!(hash("three", "gauge-01"), first);
    workspace.write("pilot.secret", "somebody paints the lantern\n");
    done(&workspace, &["render", "sheet.toml", "--into", "three"]);
    assert_ne!(hash("three", "gauge-01"), first);
}

#[test]
fn what_exists_already_is_not_made_up() {
    let wifi_host = "[[host]]\nname = \"gauge-09\"\ntime_service = \"chrony\"\n\
        ntp = [{ server = \"10.64.10.121\", key = \"harbor\" }, \"none\"]\n\
        link.wifi0 = { kind = \"wifi\", mac = \"02:64:30:00:00:01\", subnet = \"slip\", address = \"10.64.30.11\" }\n";
    let secrets = "[secret.keeper-login]\nfrom = \"store\"\n[secret.radio]\nfrom = \"store\"\n[secret.clock]\nfrom = \"store\"\n\
        [subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n\
        wifi = { ssid = \"slip\", passphrase = { secret = \"radio\" } }\n\
        [time_key.harbor]\nnumber = 10\nvalue = { secret = \"clock\" }\n";
    let given = Given::a_sheet(&format!("{secrets}{wifi_host}{}", host("gauge-01", "10.64.10.11")))
        .changed(
            "sheet.toml",
            "[account.keeper]",
            "[account.keeper]\npassword = { secret = \"keeper-login\" }",
        )
        .when("secret recipients sheet.toml --yes --new-key harbor.key")
        .ends_with(0)
        .when("secret generate sheet.toml")
        .ends_with(0)
        .when("secret generate sheet.toml radio")
        .ends_with(2)
        .when("check sheet.toml")
        .ends_with(1)
        .and();
    let given = given
        .about("said otherwise, either way")
        .changed("sheet.toml", "[secret.radio]", "[secret.radio]\ngenerated = true")
        .changed("sheet.toml", "[secret.keeper-login]", "[secret.keeper-login]\ngenerated = false")
        .when("secret generate sheet.toml radio")
        .ends_with(0)
        .when("secret generate sheet.toml keeper-login --renew --yes")
        .ends_with(2)
        .when("secret generate sheet.toml --format json")
        .ends_with(0);
    let json: Value = serde_json::from_str(given.stdout()).unwrap();
    let left_out: Vec<&Value> =
        json["left_out"].as_array().unwrap().iter().map(|one| &one["secret"]).collect();
    assert_eq!(left_out, ["keeper-login", "clock"]);
    given.kept_as("store-what-exists-already");
}

#[test]
fn what_is_renewed_is_named_before_it_is_replaced() {
    let given = Given::a_site().file("sheet.toml", with_password("from = \"store\"")).a_store();
    let before = given.bytes("sheet.secrets.age");
    let given = given
        .when("secret generate sheet.toml --renew --dry-run")
        .ends_with(0)
        .when("secret generate sheet.toml --renew")
        .ends_with(1)
        .and();
    assert_eq!(given.bytes("sheet.secrets.age"), before);
    given.kept_as("store-renewing");
}

/// What answers a package that could not be read may be its license key.
#[test]
fn what_answers_a_package_that_was_not_looked_at_is_not_made_up() {
    let answers = "\"admin.password\" = { secret = \"logbook-admin\" }";
    let sheet =
        packaged("\"drive/logbook.ovf\"", "", "", answers) + "[secret.logbook-admin]\nfrom = \"store\"\n";
    Given::a_site()
        .file("sheet.toml", sheet)
        .when("secret recipients sheet.toml --yes --new-key harbor.key")
        .ends_with(0)
        .when("secret generate sheet.toml")
        .ends_with(0)
        .kept_as("store-answers-of-a-package-that-is-not-there");
}
