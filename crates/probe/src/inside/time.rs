//! Time servers, and whether the clock follows them.

use impostazione_core::machine::TimeService;
use impostazione_core::network::inside_rules::{CLOCK, TIME_SERVERS};

use super::expected::Host;
use super::fact::{InsideFact, InsideState};
use super::said::Said;

const NO_TIME: &str = "look with `timedatectl timesync-status` or `chronyc sources` on the host";

/// All that is judged of the time.
pub(super) fn facts(host: Host<'_>, said: &Said) -> Vec<InsideFact> {
    let expected = host.time_servers();
    let servers = match host.machine.settings.time_service() {
        TimeService::Timesyncd => timesyncd(expected.clone(), said),
        TimeService::Chrony => chrony(expected.clone(), said),
    };
    if expected.is_empty() {
        return vec![servers];
    }
    vec![servers, clock(said)]
}

fn is_container(said: &Said) -> bool {
    said.of("container").is_ok_and(|kind| kind != "none")
}

fn timesyncd(expected: Vec<String>, said: &Said) -> InsideFact {
    let about = "time servers";
    let state = said.anyway("timesyncd-state");
    if !state.contains("ActiveState=active") {
        if state.contains("ConditionResult=no") && is_container(said) {
            let why = "systemd does not start systemd-timesyncd in a container";
            return InsideFact::not_looked(
                &TIME_SERVERS,
                about,
                why,
                "nothing; its clock is that of the machine around it",
            );
        }
        let fix = "look with `systemctl status systemd-timesyncd` on the host";
        return InsideFact::wrong(
            &TIME_SERVERS,
            about,
            Vec::new(),
            "does not run systemd-timesyncd, which sets its clock",
            fix,
        );
    }
    let Ok(shown) = said.of("timesyncd") else {
        return InsideFact::not_looked(&TIME_SERVERS, about, "systemd-timesyncd did not answer", NO_TIME);
    };
    let of = |key: &str| -> Vec<String> {
        let line = shown.lines().find_map(|line| line.strip_prefix(key)?.strip_prefix('='));
        line.into_iter().flat_map(str::split_whitespace).map(str::to_owned).collect()
    };
    let own = of("SystemNTPServers");
    // Without servers of its own it asks those that it was built with.
    let found = if own.is_empty() { of("FallbackNTPServers") } else { own };
    let fix = "`systemd-analyze cat-config systemd/timesyncd.conf` on the host shows which file says so";
    InsideFact::compared(&TIME_SERVERS, about, (found, expected), "the time server", fix)
}

fn chrony(expected: Vec<String>, said: &Said) -> InsideFact {
    let about = "time servers";
    let Ok(shown) = said.of("chrony") else {
        if is_container(said) {
            let why = "chronyd may not set the clock of a container";
            return InsideFact::not_looked(
                &TIME_SERVERS,
                about,
                why,
                "nothing; its clock is that of the machine around it",
            );
        }
        let fix = "look with `systemctl status chrony` on the host";
        return InsideFact::wrong(
            &TIME_SERVERS,
            about,
            Vec::new(),
            "does not run chronyd, which sets its clock",
            fix,
        );
    };
    let found: Vec<String> =
        shown.lines().filter_map(|line| Some(line.split(',').nth(2)?.to_owned())).collect();
    let fix = "`chronyc -N sources` on the host shows them; look into /etc/chrony for the file that says so";
    InsideFact::compared(&TIME_SERVERS, about, (found, expected), "the time server", fix)
}

fn clock(said: &Said) -> InsideFact {
    let about = "clock";
    if is_container(said) {
        let fix = "nothing; its clock is that of the machine around it";
        return InsideFact::not_looked(&CLOCK, about, "a container has no clock of its own", fix);
    }
    match said.of("synchronized") {
        Ok("yes") => InsideFact::right(&CLOCK, about, vec!["synchronized".to_owned()]),
        Ok(_) => {
            let says = "has a clock that is not synchronized";
            let fix = "wait a few minutes; then look with `timedatectl timesync-status` or `chronyc sources` on the host";
            let fact = InsideFact::wrong(&CLOCK, about, vec!["not synchronized".to_owned()], says, fix);
            InsideFact { state: InsideState::NotYet, ..fact }
        }
        Err(_) => {
            InsideFact::not_looked(&CLOCK, about, "nothing there says whether it is synchronized", NO_TIME)
        }
    }
}
