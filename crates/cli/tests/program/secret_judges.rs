//! What the C library, `OpenSSH`, `wpa_passphrase`, another implementation of the store's format, and the kernel say.

use std::fs;
use std::io::{Read as _, Write as _};
use std::net::{TcpListener, TcpStream};
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

use serde_json::Value;

use crate::support::{KEY, Workspace, host, right_sheet, with_password};

const LOGIN: &str = "from = \"file\"\npath = \"keeper-login.secret\"";

fn output(command: &mut Command) -> String {
    let output = command.output().unwrap_or_else(|error| panic!("{command:?}: {error}"));
    let stderr = String::from_utf8_lossy(&output.stderr);
    assert!(output.status.success(), "{command:?}: {stderr}");
    String::from_utf8(output.stdout).unwrap()
}

fn done(workspace: &Workspace, arguments: &[&str]) {
    let run = workspace.run(arguments);
    assert_eq!(run.code, 0, "{arguments:?}: {}{}", run.stdout, run.stderr);
}

/// A workspace with a rendered sheet.
fn rendered(sheet: &str) -> Workspace {
    let workspace = Workspace::new().with_example_secrets();
    workspace.write("sheet.toml", sheet);
    done(&workspace, &["render", "sheet.toml", "--into", "out"]);
    workspace
}

#[test]
#[ignore = "needs perl, for the C library's crypt, which .ci/run installs"]
fn hashes_are_what_crypt_makes_of_the_password() {
    for settings in [
        "",
        "password_cost = 1",
        "password_cost = 3",
        "password_cost = 6",
        "password_hashing = \"sha512\"",
        "password_hashing = \"sha512\"\npassword_cost = 5000",
    ] {
        let workspace = rendered(&with_password(LOGIN).replace("[common]", &format!("[common]\n{settings}")));
        let accounts: Value = serde_json::from_str(&workspace.read("out/gauge-01/accounts.json")).unwrap();
        let hash = accounts["accounts"][0]["password_hash"].as_str().unwrap();
        let crypt = |password: &str| {
            output(Command::new("perl").args(["-e", "print crypt($ARGV[0], $ARGV[1])", password, hash]))
        };
        assert_eq!(crypt("eleven gulls by a crane"), hash, "{settings}");
        assert_ne!(crypt("eleven gulls by a cran"), hash);
    }
}

#[test]
#[ignore = "needs wpa_passphrase, which .ci/run installs"]
fn the_key_of_a_radio_is_what_wpa_passphrase_derives() {
    for (index, (ssid, passphrase)) in [
        ("slip", "eleven gulls by a crane"),
        ("Old Pier 7", "eight-by"),
        ("è la diga", "~!@#$%^&*()_+ \"'\\ and all the rest of it, up to sixty-three now"),
    ]
    .iter()
    .enumerate()
    {
        let workspace = Workspace::new();
        workspace.write("radio.secret", format!("{passphrase}\n"));
        workspace.write(
            "sheet.toml",
            right_sheet(&format!(
                "[subnet.slip]\nprefix = \"10.64.30.0/24\"\ngateway = \"10.64.30.1\"\n\
                 wifi = {{ ssid = \"{ssid}\", passphrase = {{ secret = \"radio\" }} }}\n\
                 [secret.radio]\nfrom = \"file\"\npath = \"radio.secret\"\n[[host]]\nname = \"gauge-01\"\n\
                 link.wifi0 = {{ kind = \"wifi\", mac = \"02:64:30:00:00:01\", subnet = \"slip\", address = \"10.64.30.11\" }}\n\
                 [[waiver]]\nrule = \"secret-weak\"\nreason = \"lengths are what is tried\"\nuntil = 2099-01-01\n"
            )),
        );
        done(&workspace, &["render", "sheet.toml", "--into", "out"]);
        let netplan = workspace.read("out/gauge-01/rootfs/etc/netplan/60-impostazione.yaml");
        let ours = netplan.lines().find_map(|line| line.trim().strip_prefix("password: ")).unwrap();
        let mut child = Command::new("wpa_passphrase")
            .arg(ssid)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        child.stdin.take().unwrap().write_all(format!("{passphrase}\n").as_bytes()).unwrap();
        let said = String::from_utf8(child.wait_with_output().unwrap().stdout).unwrap();
        let theirs = said.lines().find_map(|line| line.trim().strip_prefix("psk=")).unwrap();
        assert_eq!(ours.trim_matches(['"', '\'']), theirs, "number {index}");
    }
}

/// A workspace with a host whose key was prepared, and its output.
fn with_host_key() -> Workspace {
    let workspace = Workspace::new();
    let sheet = right_sheet(&host("gauge-01", "10.64.10.11"));
    workspace.write("sheet.toml", sheet.replace("[common]", "[common]\nssh = { host_key = true }"));
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    done(&workspace, &["secret", "generate", "sheet.toml"]);
    done(&workspace, &["render", "sheet.toml", "--into", "out"]);
    workspace
}

const ETC_SSH: &str = "out/gauge-01/rootfs/etc/ssh";

#[test]
#[ignore = "needs ssh-keygen, which .ci/run installs"]
fn ssh_keygen_reads_the_host_keys() {
    let workspace = with_host_key();
    let key = workspace.path().join(ETC_SSH).join("ssh_host_ed25519_key");
    let fingerprint = output(Command::new("ssh-keygen").arg("-l").arg("-f").arg(&key));
    assert!(fingerprint.starts_with("256 SHA256:") && fingerprint.contains("(ED25519)"), "{fingerprint}");
    let public = output(Command::new("ssh-keygen").arg("-y").arg("-f").arg(&key));
    assert_eq!(public, workspace.read(&format!("{ETC_SSH}/ssh_host_ed25519_key.pub")));
    let of_list = workspace.path().join("out/known_hosts");
    for name in ["gauge-01", "gauge-01.capovetro.example", "10.64.10.11"] {
        let found = output(Command::new("ssh-keygen").args(["-F", name, "-f"]).arg(&of_list));
        assert!(found.contains(public.split(' ').nth(1).unwrap()), "{name}: {found}");
    }
}

/// Ends a process that a test has started, whatever becomes of the test.
struct Ended(std::process::Child);

impl Drop for Ended {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

#[test]
#[ignore = "needs sshd and root, which .ci/run has: sshd wants the folder /run/sshd"]
fn a_server_with_the_key_is_the_one_of_known_hosts() {
    let workspace = with_host_key();
    fs::create_dir_all("/run/sshd")
        .unwrap_or_else(|error| panic!("sshd wants /run/sshd, which takes root: {error}"));
    // The switches, and the key at its place in the output in place of the host's.
    let drop_in = workspace.read(&format!("{ETC_SSH}/sshd_config.d/00-impostazione.conf"));
    let key = workspace.path().join(ETC_SSH).join("ssh_host_ed25519_key");
    assert!(drop_in.contains("HostKey /etc/ssh/ssh_host_ed25519_key\n"));
    let free = TcpListener::bind("127.0.0.1:0").unwrap();
    let port = free.local_addr().unwrap().port();
    drop(free);
    let config = drop_in
        .replace("/etc/ssh/ssh_host_ed25519_key", &key.display().to_string())
        .replace("Port 22\n", &format!("Port {port}\n"));
    workspace.write("sshd_config", format!("{config}ListenAddress 127.0.0.1\nPidFile none\n"));
    let says =
        output(Command::new("/usr/sbin/sshd").arg("-T").arg("-f").arg(workspace.path().join("sshd_config")));
    let keys: Vec<&str> = says.lines().filter(|line| line.starts_with("hostkey ")).collect();
    assert_eq!(keys, [format!("hostkey {}", key.display())]);
    let server = Command::new("/usr/sbin/sshd")
        .args(["-D", "-e", "-f"])
        .arg(workspace.path().join("sshd_config"))
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let _server = Ended(server);
    let is_up = || {
        (0..100).any(|_| {
            TcpStream::connect(("127.0.0.1", port)).is_ok() || {
                std::thread::sleep(Duration::from_millis(50));
                false
            }
        })
    };
    assert!(is_up(), "sshd does not answer on port {port}");
    let scanned = output(
        Command::new("ssh-keyscan")
            .args(["-T", "10", "-p", &port.to_string(), "127.0.0.1"])
            .stderr(Stdio::null()),
    );
    let shown: Vec<&str> = scanned.lines().filter(|line| !line.starts_with('#')).collect();
    let known = workspace.read("out/known_hosts");
    let line = known.lines().find(|line| line.starts_with("gauge-01,")).unwrap();
    let key_of = |line: &str| line.split(' ').skip(1).take(2).collect::<Vec<_>>().join(" ");
    assert_eq!(shown.len(), 1, "the only key that it shows: {scanned}");
    assert_eq!(key_of(shown[0]), key_of(line));
}

/// Runs a command on a terminal of its own, with these lines typed.
fn on_terminal(folder: &Path, command: &str, typed: &str) -> (i32, String) {
    let mut child = Command::new("script")
        .args(["-qec", command, "/dev/null"])
        .current_dir(folder)
        .env("LC_ALL", "C.UTF-8")
        .env_remove("IMPOSTAZIONE_KEY")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap_or_else(|error| panic!("script: {error}"));
    let mut stdin = child.stdin.take().unwrap();
    for line in typed.lines() {
        // A person is slower than a program that has not asked yet.
        std::thread::sleep(Duration::from_millis(1500));
        stdin.write_all(format!("{line}\n").as_bytes()).unwrap();
    }
    std::thread::sleep(Duration::from_millis(300));
    drop(stdin);
    let mut text = String::new();
    child.stdout.take().unwrap().read_to_string(&mut text).unwrap();
    (child.wait().unwrap().code().unwrap(), text)
}

fn program() -> String {
    assert_cmd::cargo::cargo_bin("impostazione").display().to_string()
}

#[test]
#[ignore = "needs script, a terminal for programs, which .ci/run installs"]
fn a_person_is_asked_twice_and_nothing_is_shown() {
    let workspace = Workspace::new().with_example_secrets();
    workspace.write("sheet.toml", with_password("from = \"prompt\""));
    let check = format!("{} check sheet.toml", program());
    let value = "eleven gulls by a crane";
    let (code, text) = on_terminal(workspace.path(), &check, &format!("{value}\n{value}\n"));
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("Value of the secret keeper-login: ") && text.contains("nothing wrong"), "{text}");
    assert!(!text.contains("gulls"), "{text}");
    let render = format!("{} -v render sheet.toml --into out", program());
    let (code, text) = on_terminal(workspace.path(), &render, &format!("{value}\n{value}\n"));
    assert_eq!(code, 0, "{text}");
    assert!(!text.contains("gulls"), "{text}");
    for (name, bytes) in workspace.tree("out") {
        assert!(!bytes.windows(5).any(|part| part == b"gulls"), "{name}");
    }
    let (code, text) =
        on_terminal(workspace.path(), &check, &format!("{value}\nanother\n{value}\n{value}\n"));
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("the two did not match"), "{text}");
}

#[test]
#[ignore = "needs age and script, which .ci/run installs"]
fn another_implementation_opens_the_store_and_makes_one_that_opens() {
    let workspace = Workspace::new().with_example_secrets();
    workspace.write("sheet.toml", with_password("from = \"store\""));
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--new-key", KEY]);
    done(&workspace, &["secret", "generate", "sheet.toml"]);
    done(&workspace, &["secret", "export", "sheet.toml", "keeper-login", "--to", "value"]);
    let decrypt = |key: &str| {
        output(Command::new("age").args(["-d", "-i", key, "sheet.secrets.age"]).current_dir(workspace.path()))
    };
    let content: Value = serde_json::from_str(&decrypt(KEY)).unwrap();
    assert_eq!(content["secrets"][0]["value"].as_str(), Some(workspace.read("value").trim_end()));
    // An SSH key as a second recipient.
    output(
        Command::new("ssh-keygen")
            .args(["-q", "-t", "ed25519", "-N", "", "-f", "second"])
            .current_dir(workspace.path()),
    );
    done(&workspace, &["secret", "recipients", "sheet.toml", "--yes", "--add", "second.pub"]);
    assert_eq!(serde_json::from_str::<Value>(&decrypt("second")).unwrap()["secrets"], content["secrets"]);
    done(&workspace, &["check", "sheet.toml", "--key", "second"]);
    // And the other way round, in its binary form.
    let mine = content["recipients"][0].as_str().unwrap();
    workspace.write("content.secret", content.to_string());
    output(
        Command::new("age")
            .args(["-r", mine, "-o", "sheet.secrets.age", "content.secret"])
            .current_dir(workspace.path()),
    );
    fs::set_permissions(workspace.path().join("sheet.secrets.age"), fs::Permissions::from_mode(0o600))
        .unwrap();
    // To this computer it is the store as it was before the second key.
    assert_eq!(workspace.run(&["check", "sheet.toml"]).code, 1);
    done(&workspace, &["secret", "check", "sheet.toml", "--accept-store"]);
    done(&workspace, &["check", "sheet.toml"]);
    // By a passphrase, which it asks for on a terminal.
    workspace.write("phrase.secret", "a passphrase for the harbor office\n");
    done(
        &workspace,
        &[
            "secret",
            "recipients",
            "sheet.toml",
            "--yes",
            "--passphrase",
            "--new-passphrase-from",
            "phrase.secret",
        ],
    );
    let (code, text) = on_terminal(
        workspace.path(),
        "age -d -o opened sheet.secrets.age",
        "a passphrase for the harbor office\n",
    );
    assert_eq!(code, 0, "{text}");
    assert!(workspace.read("opened").contains("\"keeper-login\""));
    let (code, text) = on_terminal(
        workspace.path(),
        &format!("{} check sheet.toml", program()),
        "not this one\na passphrase for the harbor office\n",
    );
    assert_eq!(code, 0, "{text}");
    assert!(text.contains("this passphrase does not open sheet.secrets.age"), "{text}");
}

#[test]
#[ignore = "needs strace and ssh-keygen, which .ci/run installs"]
fn whatever_the_umask_no_file_is_made_for_others_to_read_and_no_other_program_is_started() {
    let workspace = Workspace::new().with_example_packages();
    workspace.write(
        "sheet.toml",
        with_password("from = \"store\"").replace("[common]", "[common]\nssh = { host_key = true }")
            + "[secret.harbor-admin]\nfrom = \"file\"\npath = \"harbor-admin.secret\"\n[[appliance]]\nname = \"logbook\"\n\
               package = \"packages/secured.ovf\"\nlink.management = { subnet = \"quay\", address = \"10.64.10.61\" }\n\
               [appliance.answer]\n\"admin.password\" = { secret = \"harbor-admin\" }\n",
    );
    for command in [
        "secret recipients sheet.toml --new-key harbor.key",
        "secret generate sheet.toml",
        "secret recipients sheet.toml --add keys/keeper.pub --yes",
        "secret export sheet.toml keeper-login --to handed-over",
        "render sheet.toml --into out",
        "secret generate sheet.toml --renew --yes",
        "render sheet.toml --into out",
    ] {
        let traced = format!(
            "umask 0; exec strace -f -qq -e trace=open,openat,openat2,creat,execve,link,linkat -o trace.log {} {command}",
            program()
        );
        let ran = Command::new("sh")
            .args(["-c", &traced])
            .env("IMPOSTAZIONE_KEY", KEY)
            .current_dir(workspace.path())
            .output()
            .unwrap();
        assert!(ran.status.success(), "{command}: {}", String::from_utf8_lossy(&ran.stderr));
        let trace = workspace.read("trace.log");
        let made: Vec<&str> =
            trace.lines().filter(|line| line.contains("O_CREAT") || line.contains("creat(")).collect();
        assert!(!made.is_empty(), "{command} makes files");
        for line in made {
            assert!(line.contains(", 0600") || line.contains("mode=0600"), "{command}: {line}");
        }
        assert_eq!(trace.matches("execve(").count(), 1, "{command} starts nothing: {trace}");
    }
    for (name, mode) in [
        ("harbor.key", 0o600),
        ("sheet.secrets.age", 0o600),
        ("sheet.secrets.age.before", 0o600),
        ("handed-over", 0o600),
        ("out/gauge-01/accounts.json", 0o600),
        ("out/gauge-01/rootfs/etc/ssh/ssh_host_ed25519_key", 0o600),
        ("out/gauge-01/rootfs/etc/netplan/60-impostazione.yaml", 0o600),
        ("out/logbook/ovf-env.xml", 0o600),
        ("out/logbook/settings.iso", 0o600),
        ("out/logbook/properties.json", 0o600),
        ("out/logbook/logbook.ovf", 0o600),
    ] {
        let found = fs::metadata(workspace.path().join(name)).unwrap().permissions().mode() & 0o7777;
        assert_eq!(found, mode, "{name}");
    }
}

/// What chronyd says of a key, asked in a namespace without a network.
fn chronyd_says(workspace: &Workspace, keys: &Path) -> String {
    workspace.write(
        "chrony.conf",
        format!(
            "keyfile {}\nserver 10.64.10.121 iburst key 10\ncmdport 0\npidfile {}\n",
            keys.display(),
            workspace.path().join("pid").display()
        ),
    );
    let mut chronyd = Command::new("unshare");
    chronyd
        .args(["-n", "/usr/sbin/chronyd", "-Q", "-t", "1", "-d", "-f"])
        .arg(workspace.path().join("chrony.conf"));
    let output = chronyd.output().unwrap();
    let said =
        String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr);
    assert!(said.contains("chronyd version"), "{said}");
    said
}

#[test]
#[ignore = "needs chronyd, and root for a network namespace, both of which .ci/run has"]
fn chronyd_takes_the_time_keys_that_are_taken_here_and_no_others() {
    for (hash, value, is_right) in [
        ("SHA256", "abcdefghijklmnopqrst", true),
        ("SHA256", "ASCII:abcdefghijklmnop", true),
        ("SHA512", "HEX:00112233445566778899AABBCCDDEEFF", true),
        ("AES128", "HEX:00112233445566778899aabbccddeeff", true),
        ("AES128", "abcdefghijklmnop", true),
        ("AES128", "abcdefghijklmnopq", false),
        ("AES128", "HEX:001122334455667788", false),
        ("SHA256", "HEX:0011223344556677889", false),
        ("SHA256", "HEX:gg112233445566778899aabbccddeeff", false),
        ("SHA256", "short", false),
        ("SHA256", "two words of a key, no more", false),
    ] {
        let workspace = Workspace::new();
        workspace.write("clock.secret", format!("{value}\n"));
        workspace.write(
            "sheet.toml",
            right_sheet(&format!(
                "[time_key.harbor]\nnumber = 10\nalgorithm = \"{hash}\"\nvalue = {{ secret = \"clock\" }}\n\
                 [secret.clock]\nfrom = \"file\"\npath = \"clock.secret\"\n[[host]]\nname = \"gauge-01\"\ntime_service = \"chrony\"\n\
                 ntp = [{{ server = \"10.64.10.121\", key = \"harbor\" }}, \"none\"]\n\
                 link.eth0 = {{ subnet = \"quay\", address = \"10.64.10.11\" }}\n"
            )),
        );
        let check = workspace.run(&["check", "sheet.toml"]);
        assert_eq!(check.code == 0, is_right, "{hash} {value}: {}", check.stdout);
        let keys = if is_right {
            done(&workspace, &["render", "sheet.toml", "--into", "out"]);
            workspace.path().join("out/gauge-01/rootfs/etc/chrony/chrony.keys")
        } else {
            workspace.write("wrong.keys", format!("10 {hash} {value}\n"));
            workspace.path().join("wrong.keys")
        };
        let said = chronyd_says(&workspace, &keys);
        let complains = ["Could not parse", "Could not decode", "Invalid length", "is missing", "too short"]
            .iter()
            .any(|word| said.contains(word));
        assert_eq!(complains, !is_right, "{hash} {value}: {said}");
    }
}
