//! `probe after --inside` on booted hosts: all that the sheet says is called right, and each example of a rule is noticed.

use std::collections::BTreeSet;

use impostazione_core::network::inside_rules::RULES;
use serde_json::Value;

use crate::base::Base;
use crate::cases::{Asked, QUAY};
use crate::container::Container;
use crate::network::Network;
use crate::report::Report;
use crate::site::{Agent, Site};

/// Rules whose examples take a kernel of the host's own, or time servers; they are tried in a virtual machine.
const NOT_IN_CONTAINERS: [&str; 2] = ["probe-inside-time-servers", "probe-inside-clock"];

/// What came of looking inside of a host.
pub(crate) struct Inside {
    report: Value,
    shown: String,
}

impl Inside {
    /// Looks inside of a host as somebody whose key an agent has.
    pub(crate) fn of(site: &Site, network: &Network, agent: &Agent, host: &str, who: &[&str]) -> Self {
        let line = ["probe", "after", "harbor.toml", "--inside", "--only", host, "--format", "json"];
        Self::read(&site.run_within_after(network, agent, &[], &[&line, who].concat()))
    }

    /// The same from a network without a way there, with a command that leads there in the user's own settings for ssh. The home of
    /// root is another one meanwhile, for this program alone.
    fn by_way_of(site: &Site, network: &Network, agent: &Agent, host: &str, command: &str) -> Self {
        let settings = site.path().join("ssh-settings");
        std::fs::write(&settings, format!("Host {host}\n    ProxyCommand {command}\n")).unwrap();
        let line = format!(
            "mount -t tmpfs tmpfs /root && mkdir -m 700 /root/.ssh && cp {} /root/.ssh/config && exec \"$@\"",
            settings.display()
        );
        let before = ["unshare", "--mount", "sh", "-c", &line, "sh"];
        let line = [
            "probe",
            "after",
            "harbor.toml",
            "--inside",
            "--only",
            host,
            "--as",
            "bosun",
            "--format",
            "json",
        ];
        Self::read(&site.run_within_after(network, agent, &before, &line))
    }

    fn read(output: &std::process::Output) -> Self {
        let stdout = String::from_utf8_lossy(&output.stdout).into_owned();
        let report = serde_json::from_str(&stdout)
            .unwrap_or_else(|_| panic!("{stdout}{}", String::from_utf8_lossy(&output.stderr)));
        Self { report, shown: stdout }
    }

    /// How far the host has come.
    fn state(&self) -> String {
        self.report["machines"][0]["state"].as_str().unwrap().to_owned()
    }

    /// What to do about what was found.
    fn fixes(&self) -> String {
        let findings = self.report["findings"].as_array().unwrap().iter();
        findings.map(|finding| finding["fix"].as_str().unwrap().to_owned()).collect::<Vec<_>>().join(" / ")
    }

    /// The rules on the inside that are broken.
    pub(crate) fn broken(&self) -> BTreeSet<String> {
        let findings = self.report["findings"].as_array().unwrap().iter();
        let rules = findings.map(|finding| finding["rule"].as_str().unwrap().to_owned());
        rules.filter(|rule| rule.starts_with("probe-inside-")).collect()
    }

    /// What was looked at, with its state: `addresses: right` and so on.
    pub(crate) fn states(&self) -> Vec<(String, String, String)> {
        let inside = self.report["machines"][0]["inside"].as_array().unwrap().iter();
        let text = |value: &Value| value.as_str().unwrap().to_owned();
        let found = |value: &Value| {
            let values = value.as_array().unwrap().iter();
            values.map(|one| one.as_str().unwrap().to_owned()).collect::<Vec<_>>().join("\n")
        };
        inside.map(|one| (text(&one["about"]), text(&one["state"]), found(&one["found"]))).collect()
    }

    /// Puts all of it into a report: each has to be right, but for these, which are not looked at.
    pub(crate) fn note(&self, report: &mut Report, not_looked: &[&str]) {
        let states = self.states();
        assert!(states.len() > 10, "{}", self.shown);
        for (about, state, found) in states {
            let expected = if not_looked.contains(&about.as_str()) { "unknown" } else { "right" };
            if state == expected {
                let shown = if state == "right" { found } else { "not looked at".to_owned() };
                report.is(&format!("inside: {about}"), &shown, &shown);
            } else {
                report.is(&format!("inside: {about}"), &format!("{state}: {found}"), expected);
            }
        }
        let broken: Vec<String> = self.broken().into_iter().collect();
        report.is("inside: rules that are broken", &broken.join(" "), "");
    }
}

/// The lines of an example that are typed on the host, for this host.
pub(crate) fn on_the_host(example: &str) -> String {
    let lines = example.lines().skip_while(|line| !line.starts_with("# on the host")).skip(1);
    let lines: Vec<&str> = lines.take_while(|line| *line != "# here").collect();
    assert!(!lines.is_empty(), "{example}");
    lines.join("\n").replace("gauge-01", "gauge-05").replace("10.64.10.11", "10.64.10.15")
}

#[test]
#[ignore = "boots containers: needs root, debootstrap, systemd-nspawn and ssh, which .ci/run installs"]
fn each_change_made_by_hand_is_noticed_from_inside() {
    let site = Site::new();
    let rootfs = site.placed(Base::Timesyncd, "gauge-05", |_| (), &[]);
    let mut report =
        Report::new("inside", "gauge-05: changed by hand, and looked at from inside, in a container");
    let container = Container::boot(&rootfs, &[QUAY], "10.64.10.15");
    let network = &container.network;
    Asked::when_ready(&site, network, "10.64.10.15");
    let agent = Agent::with(&site, &["bosun", "keeper"]);
    let look = |who: &[&str]| Inside::of(&site, network, &agent, "gauge-05", who);
    // The keeper, whom sudo asks for a password, sees what takes no root; the bosun sees all.
    let of_root = ["time servers", "clock", "who can log in", "what sshd says", "netplan file"];
    look(&[]).note(&mut report, &of_root);
    let in_containers = ["time servers", "clock"];
    look(&["--as", "bosun"]).note(&mut report, &in_containers);

    let as_root = |lines: &str| {
        let (code, stdout, stderr) = site.by_key(
            network,
            "bosun",
            "bosun",
            "10.64.10.15",
            &format!("sudo -n sh -c \"$(cat <<'END'\n{lines}\nEND\n)\""),
        );
        format!("exit {code} {stdout}{stderr}")
    };
    for rule in RULES.iter().filter(|rule| !NOT_IN_CONTAINERS.contains(&rule.name)) {
        let began = std::time::Instant::now();
        let said = as_root(&on_the_host(rule.wrong));
        eprintln!("changed in {:?}", began.elapsed());
        let who: &[&str] = if rule.name == "probe-inside-login" { &[] } else { &["--as", "bosun"] };
        let began = std::time::Instant::now();
        let found = look(who);
        eprintln!("{} looked in {:?}", rule.name, began.elapsed());
        let broken: Vec<String> = found.broken().into_iter().collect();
        // Without systemd-networkd the host loses its DNS servers, too.
        let expected = match rule.name {
            "probe-inside-links" => "probe-inside-dns probe-inside-links",
            name => name,
        };
        report.is(rule.name, &broken.join(" "), expected);
        if broken != [rule.name] {
            eprintln!("{said}\n{}", found.shown);
        }
        as_root(&on_the_host(rule.right));
    }
    let broken: Vec<String> = look(&["--as", "bosun"]).broken().into_iter().collect();
    report.is("when all is taken back", &broken.join(" "), "");

    // Where this computer has no way to the host, and the user's own settings for ssh lead there.
    let relay = format!(
        "nsenter --net=/run/netns/{} bash -c 'exec 3<>/dev/tcp/10.64.10.15/22; cat <&3 & cat >&3'",
        network.name
    );
    let elsewhere = Network::new();
    let by_another = Inside::by_way_of(&site, &elsewhere, &agent, "gauge-05", &relay);
    let broken: Vec<String> = by_another.broken().into_iter().collect();
    report.is("by way of another host", &by_another.state(), "right");
    report.is("what is broken there", &broken.join(" "), "");

    // A password that has to be changed first: by hand, since nobody else can.
    as_root("chage -d 0 keeper");
    let shut = look(&[]);
    report.is("when the password has to be changed", &shut.state(), "unknown");
    report.is("what is to be typed", &shut.fixes(), "log in once by hand: `ssh keeper@gauge-05`");
    report.finish();
}
