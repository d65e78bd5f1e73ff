//! Looking a root filesystem over, with or without something that is to be placed on it.

use impostazione_rootfs::{
    Change, Earlier, PlacementFacts, Record, RecordFault, Rootfs, RootfsFault, Since, State, Undone, View,
    journal, own_identity,
};
use impostazione_text::Sources;

use super::merge::{Become, ChangedSince, Keeping, entry_names, keep_identity, keep_order};
use super::plan::{EarlierLogins, PlacementOptions, Plan, PlanFault, plan};
use super::survey::Survey;
use super::survey::accounts::PASSWD;
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
    /// What somebody has changed of that placement: what would be lost if it was taken back, or, where something is to be
    /// placed, what the output has otherwise.
    pub changed_since: Vec<ChangedSince>,
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
pub struct Request<'a> {
    /// What the host is to have beside the output.
    pub options: PlacementOptions,
    /// Whether the placement of another machine may be replaced.
    pub may_replace: bool,
    /// What becomes of what was changed since an earlier placement.
    pub keeping: Keeping<'a>,
    /// Whether that was asked and answered.
    pub is_answered: bool,
}

/// A placement that was looked over and not made yet.
#[derive(Debug)]
pub struct Placing {
    /// The root filesystem.
    pub assessment: RootfsAssessment,
    /// What changes, seen from before an earlier placement.
    pub plan: Plan,
    facts: PlacementFacts,
    become_: Become,
}

/// Looks a root filesystem over as it is.
pub fn inspect_rootfs(rootfs: &Rootfs) -> Result<RootfsAssessment, AssessFault> {
    let record = Record::read(rootfs)?;
    let view = View::of(rootfs);
    let mut survey = Survey::of(view)?;
    for account in &mut survey.accounts {
        let is_placed = |record: &Record| record.accounts.contains(&account.name);
        account.is_stock =
            !record.as_ref().is_some_and(|record| is_placed(record) || is_added(record, &account.name));
    }
    let (since, become_) = what_became(rootfs, record.as_ref())?;
    let changed_since = become_.changed_since();
    let name = rootfs.name().display().to_string();
    let case = RootfsCase {
        name: &name,
        view,
        survey: &survey,
        placing: None,
        options: PlacementOptions::default(),
        record: record.as_ref(),
        since: &since,
        changed_since: &changed_since,
        is_running: is_running(rootfs),
        room: survey.room,
        may_replace: true,
        is_answered: false,
    };
    let (sources, findings) = judge_rootfs(&case);
    let has_leftovers = journal::has_leftovers(rootfs)?;
    Ok(RootfsAssessment { survey, record, since, changed_since, sources, findings, has_leftovers })
}

/// What has become of each step of a placement, and of all that was placed.
fn what_became(rootfs: &Rootfs, record: Option<&Record>) -> Result<(Vec<Since>, Become), RootfsFault> {
    let Some(record) = record else { return Ok((Vec::new(), Become::default())) };
    let since = journal::since(rootfs, record)?;
    let become_ = Become::of(rootfs, record, &since)?;
    Ok((since, become_))
}

/// Whether a user was added on the host since it was placed.
fn is_added(record: &Record, name: &str) -> bool {
    let is_new = |users: &Vec<String>| !users.iter().any(|user| user == name);
    record.image_users.as_ref().is_some_and(is_new) && !record.accounts.iter().any(|account| account == name)
}

impl Placing {
    /// Looks over what placing an output on a root filesystem would do, and judges it. `placed` is the time.
    pub fn new(
        rootfs: &Rootfs,
        output: &HostOutput,
        request: Request<'_>,
        placed: &str,
    ) -> Result<Self, AssessFault> {
        let record = Record::read(rootfs)?;
        let (since, become_) = what_became(rootfs, record.as_ref())?;
        let view = View::before(rootfs, record.as_ref(), Some(&become_.remains));
        let mut survey = Survey::of(view)?;
        for account in &mut survey.accounts {
            account.is_stock = !record.as_ref().is_some_and(|record| is_added(record, &account.name));
        }
        let of_same = record.as_ref().filter(|record| record.machine == output.machine);
        // An identity of its own, once given, stays.
        let has_fresh_identity = of_same.is_some_and(|record| record.fresh_identity);
        let fresh_identity = request.options.fresh_identity || has_fresh_identity;
        let options = PlacementOptions { fresh_identity };
        let is_running = is_running(rootfs);
        // What is no Linux system has nothing to plan with.
        let mut plan = if survey.system.is_some() && !is_running {
            let earlier = record.as_ref().map(|record| EarlierLogins::read(rootfs, record)).transpose()?;
            plan(view, &survey, output, (options, earlier.as_ref()))?
        } else {
            Plan::default()
        };
        let mut changed_since = Vec::new();
        if let Some(record) = &record {
            if of_same.is_some() && fresh_identity == has_fresh_identity {
                keep_identity(rootfs, record, &mut plan.changes)?;
            }
            keep_order(rootfs, &mut plan.changes)?;
            let keeping = (request.keeping, of_same.is_some());
            changed_since = become_.keep(rootfs, record, &mut plan.changes, keeping)?;
        }
        let name = rootfs.name().display().to_string();
        let case = RootfsCase {
            name: &name,
            view,
            survey: &survey,
            placing: Some((output, &plan)),
            options,
            record: record.as_ref(),
            since: &since,
            changed_since: &changed_since,
            is_running,
            room: survey.room,
            may_replace: request.may_replace,
            is_answered: request.is_answered,
        };
        let (sources, findings) = judge_rootfs(&case);
        let has_leftovers = journal::has_leftovers(rootfs)?;
        let facts = PlacementFacts {
            machine: output.machine.clone(),
            output: output.digest.clone(),
            placed: placed.to_owned(),
            accounts: output.accounts.accounts.iter().map(|account| account.name.clone()).collect(),
            image_users: image_users(view, record.as_ref())?,
            fresh_identity,
        };
        let assessment =
            RootfsAssessment { survey, record, since, changed_since, sources, findings, has_leftovers };
        Ok(Self { assessment, plan, facts, become_ })
    }

    /// What differs from the root filesystem as it is now: the changes that are not made yet, and the paths that an earlier
    /// placement changed and this one leaves as they were.
    pub fn pending(&self, rootfs: &Rootfs) -> Result<PendingChanges<'_>, RootfsFault> {
        let own = own_identity();
        let view = View::of(rootfs);
        let mut changes = Vec::new();
        for change in &self.plan.changes {
            if view.state(&change.path)? != change.state(own) {
                changes.push(change);
            }
        }
        let mut back = Vec::new();
        for (number, step) in self.assessment.record.iter().flat_map(|record| record.steps.iter().enumerate())
        {
            let is_planned = self.plan.changes.iter().any(|change| change.path == step.path);
            if is_planned || self.assessment.since.get(number) == Some(&Since::OutOfReach) {
                continue;
            }
            if view.state(&step.path)? != self.become_.remains.state(number, step) {
                back.push(step.path.as_str());
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
            && pending.changes.is_empty()
            && pending.back.is_empty())
    }

    /// Makes this placement, in place of the one that is there.
    pub fn carry_out(&self, rootfs: &Rootfs) -> Result<Record, RootfsFault> {
        let earlier = match &self.assessment.record {
            // What is half done goes back first.
            Some(record) if record.is_under_way => {
                journal::undo(rootfs, record, &self.become_.remains)?;
                None
            }
            Some(record) => {
                Some(Earlier { record, remains: &self.become_.remains, since: &self.assessment.since })
            }
            None => None,
        };
        journal::place(rootfs, &self.plan.changes, &self.facts, earlier)
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

/// Takes back the placement of a root filesystem; what others have added to files that were there stays.
pub fn take_back(rootfs: &Rootfs, record: &Record) -> Result<Undone, RootfsFault> {
    let (_, become_) = what_became(rootfs, Some(record))?;
    journal::undo(rootfs, record, &become_.remains)
}

/// Completes a placement that took the place of another and was cut off; whether there was one.
pub fn complete_cut_off(rootfs: &Rootfs) -> Result<bool, AssessFault> {
    match Record::read(rootfs)?.filter(|record| record.is_to_complete) {
        Some(record) => Ok(journal::complete(rootfs, record).map(|_| true)?),
        None => Ok(false),
    }
}

/// The users that the image has, whatever was added since a placement.
fn image_users(view: View<'_>, record: Option<&Record>) -> Result<Vec<String>, RootfsFault> {
    if let Some(users) = record.and_then(|record| record.image_users.clone()) {
        return Ok(users);
    }
    let text = if view.has(PASSWD) { view.text(PASSWD)?.unwrap_or_default() } else { String::new() };
    Ok(entry_names(PASSWD, &text))
}

/// Whether a root filesystem is that of the system that runs: the same folder, or one with the same `etc` in it.
fn is_running(rootfs: &Rootfs) -> bool {
    rootfs.is_same_as("", "/") || rootfs.is_same_as("etc", "/etc")
}
