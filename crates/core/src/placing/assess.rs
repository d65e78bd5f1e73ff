//! Looking a root filesystem over, with or without something that is to be placed on it.

use impostazione_rootfs::{
    Change, PlacementFacts, Record, RecordFault, Rootfs, RootfsFault, Since, State, Undone, View, journal,
    own_identity,
};
use impostazione_text::Sources;

use super::plan::{PlacementOptions, Plan, PlanFault, plan};
use super::survey::Survey;
use crate::finding::Finding;
use crate::output::HostOutput;
use crate::placing::rules::{RootfsCase, judge_rootfs};

/// A root filesystem that was looked over.
#[derive(Debug)]
pub struct RootfsAssessment {
    /// What it holds: as it is, or, where something is to be placed, as it was before an earlier placement.
    pub survey: Survey,
    /// The placement that it has.
    pub record: Option<Record>,
    /// What has become of each step of that placement.
    pub since: Vec<Since>,
    /// The texts that findings point into.
    pub sources: Sources,
    /// What is wrong.
    pub findings: Vec<Finding>,
    /// Whether an earlier placement was cut off before it changed anything, and left something lying about.
    pub has_leftovers: bool,
}

/// Why a root filesystem could not be looked over.
#[derive(Debug, thiserror::Error)]
pub enum AssessFault {
    /// Something on it cannot be read.
    #[error(transparent)]
    Rootfs(#[from] RootfsFault),
    /// The record of its placement is of no use.
    #[error(transparent)]
    Record(#[from] RecordFault),
    /// No plan can be made.
    #[error(transparent)]
    Plan(#[from] PlanFault),
}

/// What is asked for when something is placed.
#[derive(Clone, Copy, Debug, Default)]
pub struct Request {
    /// What the host is to have beside the output.
    pub options: PlacementOptions,
    /// Whether the placement of another machine may be replaced.
    pub may_replace: bool,
    /// Whether what was changed since an earlier placement may be lost.
    pub may_lose_changes: bool,
}

/// A placement that was looked over and not made yet.
#[derive(Debug)]
pub struct Placing {
    /// The root filesystem.
    pub assessment: RootfsAssessment,
    /// What changes, seen from before an earlier placement.
    pub plan: Plan,
    facts: PlacementFacts,
}

/// Looks a root filesystem over as it is.
pub fn inspect_rootfs(rootfs: &Rootfs) -> Result<RootfsAssessment, AssessFault> {
    let record = Record::read(rootfs)?;
    let view = View::of(rootfs);
    let mut survey = Survey::of(view)?;
    for account in &mut survey.accounts {
        account.is_stock = !record.as_ref().is_some_and(|record| record.accounts.contains(&account.name));
    }
    let since = since_record(rootfs, record.as_ref())?;
    let name = rootfs.name().display().to_string();
    let case = RootfsCase {
        name: &name,
        view,
        survey: &survey,
        placing: None,
        options: PlacementOptions::default(),
        record: record.as_ref(),
        since: &since,
        is_running: is_running(rootfs),
        room: survey.room,
        may_replace: true,
        may_lose_changes: false,
    };
    let (sources, findings) = judge_rootfs(&case);
    let has_leftovers = journal::has_leftovers(rootfs)?;
    Ok(RootfsAssessment { survey, record, since, sources, findings, has_leftovers })
}

fn since_record(rootfs: &Rootfs, record: Option<&Record>) -> Result<Vec<Since>, RootfsFault> {
    record.map_or_else(|| Ok(Vec::new()), |record| journal::since(rootfs, record))
}

impl Placing {
    /// Looks over what placing an output on a root filesystem would do, and judges it. `placed` is the time.
    pub fn new(
        rootfs: &Rootfs,
        output: &HostOutput,
        request: Request,
        placed: &str,
    ) -> Result<Self, AssessFault> {
        let record = Record::read(rootfs)?;
        let view = View::before(rootfs, record.as_ref());
        let survey = Survey::of(view)?;
        let since = since_record(rootfs, record.as_ref())?;
        let of_same = record.as_ref().filter(|record| record.machine == output.machine);
        // An identity of its own, once given, stays.
        let fresh_identity =
            request.options.fresh_identity || of_same.is_some_and(|record| record.fresh_identity);
        let options = PlacementOptions { fresh_identity };
        let is_running = is_running(rootfs);
        // What is no Linux system has nothing to plan with.
        let plan = if survey.system.is_some() && !is_running {
            plan(view, &survey, output, options)?
        } else {
            Plan::default()
        };
        let name = rootfs.name().display().to_string();
        let case = RootfsCase {
            name: &name,
            view,
            survey: &survey,
            placing: Some((output, &plan)),
            options,
            record: record.as_ref(),
            since: &since,
            is_running,
            room: survey.room,
            may_replace: request.may_replace,
            may_lose_changes: request.may_lose_changes,
        };
        let (sources, findings) = judge_rootfs(&case);
        let has_leftovers = journal::has_leftovers(rootfs)?;
        let facts = PlacementFacts {
            machine: output.machine.clone(),
            output: output.digest.clone(),
            placed: placed.to_owned(),
            accounts: output.accounts.accounts.iter().map(|account| account.name.clone()).collect(),
            fresh_identity,
        };
        let assessment = RootfsAssessment { survey, record, since, sources, findings, has_leftovers };
        Ok(Self { assessment, plan, facts })
    }

    /// Paths that somebody has changed since they were placed, and whose changes would be lost.
    pub fn drifted(&self) -> Vec<&str> {
        self.assessment.drifted()
    }

    /// What differs from the root filesystem as it is now: the changes that are not made yet, and the paths that an earlier
    /// placement changed and this one leaves as they were.
    pub fn pending(&self, rootfs: &Rootfs) -> Result<PendingChanges<'_>, RootfsFault> {
        let own = own_identity();
        let view = View::of(rootfs);
        let mut changes = Vec::new();
        for change in &self.plan.changes {
            let step = self.assessment.record.as_ref().and_then(|record| record.step(&change.path));
            let is_for_the_host =
                step.is_some_and(|(number, _)| self.assessment.since.get(number) == Some(&Since::AsPlaced));
            let after = change.state(own);
            let is_same = step.is_some_and(|(_, step)| step.after == after);
            if !(is_for_the_host && is_same) && view.state(&change.path)? != after {
                changes.push(change);
            }
        }
        let mut back = Vec::new();
        if let Some(record) = &self.assessment.record {
            for (step, since) in record.steps.iter().zip(&self.assessment.since) {
                let is_planned = self.plan.changes.iter().any(|change| change.path == step.path);
                if !is_planned && *since != Since::AsBefore {
                    back.push(step.path.as_str());
                }
            }
        }
        Ok(PendingChanges { changes, back })
    }

    /// Whether the root filesystem is as this placement would leave it.
    pub fn is_done(&self, rootfs: &Rootfs) -> Result<bool, RootfsFault> {
        let Some(record) = &self.assessment.record else { return Ok(self.plan.changes.is_empty()) };
        let pending = self.pending(rootfs)?;
        Ok(!record.is_under_way
            && record.machine == self.facts.machine
            && record.fresh_identity == self.facts.fresh_identity
            && self.drifted().is_empty()
            && pending.changes.is_empty()
            && pending.back.is_empty())
    }

    /// Takes back the placement that is there, and makes this one.
    pub fn carry_out(&self, rootfs: &Rootfs) -> Result<Record, RootfsFault> {
        if let Some(record) = &self.assessment.record {
            journal::undo(rootfs, record)?;
        }
        journal::place(rootfs, &self.plan.changes, &self.facts)
    }

    /// The content that a path has now, for showing a difference; nothing where no file is.
    pub fn content_now(rootfs: &Rootfs, change: &Change) -> Option<String> {
        match View::of(rootfs).state(&change.path).ok()? {
            State::File { .. } => View::of(rootfs).text(&change.path).ok()?,
            _ => None,
        }
    }
}

/// What is not yet as a placement would leave it.
#[derive(Debug)]
pub struct PendingChanges<'a> {
    /// Changes to be made.
    pub changes: Vec<&'a Change>,
    /// Paths that are put back as they were before an earlier placement.
    pub back: Vec<&'a str>,
}

impl RootfsAssessment {
    /// Paths that somebody has changed since they were placed.
    pub fn drifted(&self) -> Vec<&str> {
        let steps = self.record.iter().flat_map(|record| &record.steps).zip(&self.since);
        steps
            .filter(|(_, since)| matches!(since, Since::Changed(_)))
            .map(|(step, _)| step.path.as_str())
            .collect()
    }
}

/// Takes back the placement of a root filesystem, and clears what one that was cut off has left.
pub fn take_back(rootfs: &Rootfs, record: &Record) -> Result<Undone, RootfsFault> {
    journal::undo(rootfs, record)
}

/// Whether a root filesystem is that of the system that runs: the same folder, or one with the same `etc` in it.
fn is_running(rootfs: &Rootfs) -> bool {
    rootfs.is_same_as("", "/") || rootfs.is_same_as("etc", "/etc")
}
