//! What both ways of asking a network share.

use std::path::Path;
use std::sync::Arc;

use impostazione_core::assess::Assessment;
use impostazione_core::finding::{Asked, Finding};
use impostazione_probe::Stop;
use impostazione_probe::network::{MappedNetwork, Network, RealNetwork};
use impostazione_text::files::plain;

use crate::exit::{Exit, Failure};
use crate::read_map::read_map;
use crate::terminal;

/// The network of this computer, or the one of a map.
pub(super) fn open_network(through: Option<&Path>, when: Asked) -> Result<Box<dyn Network>, Failure> {
    Ok(match through {
        Some(path) => Box::new(MappedNetwork::new(read_map(path)?, when)),
        None => Box::new(RealNetwork::open().map_err(|error| {
            Failure::Files(format!(
                "the kernel does not say how this computer is connected: {}",
                plain(&error)
            ))
        })?),
    })
}

/// What is wrong with a sheet, so that no network is checked against it.
pub(super) fn in_the_way(assessment: &Assessment) -> Vec<Finding> {
    assessment.findings.iter().filter(|finding| finding.is_in_the_way()).cloned().collect()
}

/// Says that nothing was asked, and why.
pub(super) fn show_refusal(sheet: &Path, assessment: &Assessment, findings: &[Finding]) -> Exit {
    let (whole, width) = (terminal::WHOLE_SHEET, terminal::width());
    terminal::tell(&terminal::show_findings(findings, &assessment.sources, whole, width));
    let name = sheet.display();
    let errors = terminal::count(findings.len(), "error", "errors");
    terminal::say_error(&format!(
        "nothing was asked: {name} has {errors}; correct the sheet first, since the network is checked against it"
    ));
    Exit::ErrorsRemain
}

/// Ends asking at Ctrl-C, so that what is known is told; a second one ends the program.
pub(crate) fn stop_at_a_signal(stop: &Arc<Stop>) -> Result<(), Failure> {
    let stop = Arc::clone(stop);
    let is_second = std::sync::atomic::AtomicBool::new(false);
    ctrlc::set_handler(move || {
        if is_second.swap(true, std::sync::atomic::Ordering::SeqCst) {
            std::process::exit(130);
        }
        stop.interrupt();
    })
    .map_err(|error| Failure::Files(format!("signals cannot be waited for: {error}")))
}
