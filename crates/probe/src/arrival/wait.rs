//! Visits machines until each is as it is meant, or the time is over: each on its own, with growing pauses.

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::sync::{Condvar, Mutex, PoisonError};
use std::time::{Duration, Instant};

use impostazione_core::network::SeenCertificates;
use jiff::Timestamp;

use super::machine::{Moment, cut_short, judge_machine, not_visited};
use super::shared::visit_shared;
use super::stage::{Arrival, SharedArrival, Stage};
use super::visit::visit;
use crate::inside::Insider;
use crate::knock;
use crate::network::Network;
use crate::obstacle::Obstacle;
use crate::question::ArrivalPlan;
use crate::stop::Stop;

/// The most machines that are visited at once.
const AT_ONCE: usize = 128;
/// The first pause between two visits, which doubles.
const FIRST_PAUSE: Duration = Duration::from_secs(1);
/// The longest pause.
const LONGEST_PAUSE: Duration = Duration::from_secs(15);
/// How often somebody who waits looks whether a person has said stop.
const SLICE: Duration = Duration::from_millis(50);

/// How long machines are waited for.
#[derive(Clone, Copy, Debug, Default)]
pub struct Wait<'p> {
    /// So long; without it each is visited once.
    pub within: Option<Duration>,
    /// Who looks inside of hosts; nobody where that is not wanted.
    pub insider: Option<&'p Insider>,
}

/// Follows what becomes of machines.
pub trait ArrivalWatch: Sync {
    /// What a machine has come to, by its place in the plan, where that is another thing than before.
    fn machine(&self, nth: usize, arrival: &Arrival<'_>);
    /// The same of a virtual address.
    fn shared(&self, nth: usize, arrival: &SharedArrival);
}

/// Nobody follows it.
#[derive(Clone, Copy, Debug, Default)]
pub struct Unattended;

impl ArrivalWatch for Unattended {
    fn machine(&self, _: usize, _: &Arrival<'_>) {}
    fn shared(&self, _: usize, _: &SharedArrival) {}
}

/// The longest that one visit to each machine takes.
pub fn longest_visit(plan: &ArrivalPlan<'_>, looks_inside: bool) -> Duration {
    let knocks: usize = plan.machines.iter().map(|machine| machine.addresses.len()).sum();
    let rounds = (knocks + plan.shared.len()).div_ceil(AT_ONCE);
    let around = plan.machines.iter().filter_map(|machine| machine.around.as_ref());
    let around = around.map(crate::ask::longest).max().unwrap_or_default();
    let inside = if looks_inside { crate::inside::longest(plan.machines.len()) } else { Duration::ZERO };
    knock::LONGEST * u32::try_from(rounds.max(1)).unwrap_or(u32::MAX) + around + inside
}

/// Something that is visited.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Errand {
    Machine(usize),
    Shared(usize),
}

/// When each is visited next, and what was seen last.
struct State<'a> {
    due: BinaryHeap<Reverse<(Instant, Errand)>>,
    under_way: usize,
    machines: Vec<Option<Arrival<'a>>>,
    shared: Vec<Option<SharedArrival>>,
    pauses: Vec<(Errand, Duration)>,
}

struct Waiting<'a, 'p> {
    plan: &'p ArrivalPlan<'a>,
    network: &'p dyn Network,
    remembered: &'p SeenCertificates,
    wait: Wait<'p>,
    began: Instant,
    stop: &'p Stop,
    watch: &'p dyn ArrivalWatch,
    state: Mutex<State<'a>>,
    changed: Condvar,
}

/// Waits for all machines of a plan, and says what each has come to, and each virtual address.
pub fn wait<'a>(
    plan: &ArrivalPlan<'a>,
    network: &dyn Network,
    remembered: &SeenCertificates,
    wait: Wait<'_>,
    stop: &Stop,
    watch: &dyn ArrivalWatch,
) -> (Vec<Arrival<'a>>, Vec<SharedArrival>) {
    let began = Instant::now();
    let machines = (0..plan.machines.len()).map(Errand::Machine);
    let errands: Vec<Errand> = machines.chain((0..plan.shared.len()).map(Errand::Shared)).collect();
    let state = State {
        due: errands.iter().map(|errand| Reverse((began, *errand))).collect(),
        under_way: 0,
        machines: plan.machines.iter().map(|_| None).collect(),
        shared: vec![None; plan.shared.len()],
        pauses: errands.iter().map(|errand| (*errand, FIRST_PAUSE)).collect(),
    };
    let waiting = Waiting {
        plan,
        network,
        remembered,
        wait,
        began,
        stop,
        watch,
        state: Mutex::new(state),
        changed: Condvar::new(),
    };
    std::thread::scope(|scope| {
        for _ in 0..errands.len().min(AT_ONCE) {
            scope.spawn(|| waiting.work());
        }
    });
    waiting.outcome()
}

impl<'a> Waiting<'a, '_> {
    fn work(&self) {
        while let Some(errand) = self.next() {
            match errand {
                Errand::Machine(nth) => self.visit_machine(nth),
                Errand::Shared(nth) => self.visit_shared(nth),
            }
            let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
            state.under_way -= 1;
            drop(state);
            self.changed.notify_all();
        }
    }

    /// Waits until something is due; nothing once all is done.
    fn next(&self) -> Option<Errand> {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        loop {
            if self.stop.why().is_some() {
                return None;
            }
            let now = Instant::now();
            match state.due.peek() {
                Some(Reverse((due, errand))) if *due <= now => {
                    let errand = *errand;
                    state.due.pop();
                    state.under_way += 1;
                    return Some(errand);
                }
                None if state.under_way == 0 => return None,
                _ => {}
            }
            let waited = self.changed.wait_timeout(state, SLICE);
            state = waited.unwrap_or_else(PoisonError::into_inner).0;
        }
    }

    fn moment(&self) -> Moment {
        Moment { since: self.began.elapsed(), wait: self.wait.within, now: Timestamp::now() }
    }

    fn visit_machine(&self, nth: usize) {
        let Some(expected) = self.plan.machines.get(nth) else { return };
        let site = self.plan.site;
        let seen = visit(site, expected, self.network, self.wait.insider, self.stop);
        let remembered = self.remembered.of(expected.machine.label());
        let arrival = judge_machine(site, expected, &seen, remembered, self.moment());
        // What was cut off says nothing about the machine that an earlier visit did not.
        let was_cut = self.stop.why().is_some() && !arrival.is_settled;
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        let before = state.machines.get(nth).and_then(Option::as_ref);
        if before.is_some() && (was_cut || arrival.stage == Stage::Unknown && self.stop.why().is_some()) {
            return;
        }
        let is_news =
            before.is_none_or(|before| (before.stage, &before.says) != (arrival.stage, &arrival.says));
        if is_news {
            self.watch.machine(nth, &arrival);
        }
        self.again(&mut state, Errand::Machine(nth), arrival.is_settled);
        if let Some(place) = state.machines.get_mut(nth) {
            *place = Some(arrival);
        }
    }

    fn visit_shared(&self, nth: usize) {
        let Some(expected) = self.plan.shared.get(nth) else { return };
        let arrival = visit_shared(expected, self.network, || self.moment(), self.stop);
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        let before = state.shared.get(nth).and_then(Option::as_ref);
        if before != Some(&arrival) {
            self.watch.shared(nth, &arrival);
        }
        self.again(&mut state, Errand::Shared(nth), arrival.is_settled);
        if let Some(place) = state.shared.get_mut(nth) {
            *place = Some(arrival);
        }
    }

    /// Has something visited again, where time may change it and is left.
    fn again(&self, state: &mut State<'_>, errand: Errand, is_settled: bool) {
        let Some(end) = self.wait.within.map(|within| self.began + within) else { return };
        let now = Instant::now();
        if is_settled || now >= end {
            return;
        }
        let Some((_, pause)) = state.pauses.iter_mut().find(|(known, _)| *known == errand) else { return };
        // The last visit is at the very end.
        state.due.push(Reverse(((now + *pause).min(end), errand)));
        *pause = (*pause * 2).min(LONGEST_PAUSE);
    }

    fn outcome(self) -> (Vec<Arrival<'a>>, Vec<SharedArrival>) {
        let state = self.state.into_inner().unwrap_or_else(PoisonError::into_inner);
        let obstacle = self.stop.why().unwrap_or(Obstacle::Interrupted);
        let was_stopped = self.stop.why().is_some();
        let machines =
            self.plan.machines.iter().zip(state.machines).map(|(expected, arrival)| match arrival {
                None => not_visited(expected, &obstacle),
                Some(arrival) if was_stopped => cut_short(arrival, expected),
                Some(arrival) => arrival,
            });
        let shared = state.shared.into_iter().map(|arrival| {
            let arrival = arrival.filter(|arrival| arrival.is_settled || !was_stopped);
            arrival.unwrap_or_else(|| SharedArrival {
                stage: Stage::Unknown,
                is_settled: true,
                says: obstacle.to_string(),
            })
        });
        (machines.collect(), shared.collect())
    }
}
