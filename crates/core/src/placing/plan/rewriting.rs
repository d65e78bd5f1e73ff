//! What would rewrite our settings when the host boots is kept from starting.

use impostazione_rootfs::{Change, RootfsPath, Subject};

use super::super::survey::rewriting::{KERNEL_LINE_UNIT, without_run_words};
use super::edits::edited;
use super::network::mask;
use super::plan::{Plan, PlanFault};
use super::plan_inputs::PlanInputs;

pub(super) fn plan(inputs: PlanInputs<'_>, plan: &mut Plan) -> Result<(), PlanFault> {
    for rewriter in &inputs.survey.rewriters {
        if rewriter.unit == KERNEL_LINE_UNIT {
            let line = inputs.view.text(&rewriter.path)?.unwrap_or_default();
            let want = edited(inputs.view, &rewriter.path, without_run_words(&line), 0o755)?;
            let change = Change::new(RootfsPath::new(rewriter.path.as_str())?, Subject::FirstBoot, want);
            plan.changes.push(change.because(rewriter.why.clone()));
        } else {
            mask(plan, &rewriter.unit, Subject::FirstBoot, &rewriter.why)?;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::without_run_words;

    #[test]
    fn a_command_line_keeps_all_words_but_those() {
        let line = "console=tty1 root=LABEL=writable systemd.run=/boot/setup.sh systemd.run_success_action=reboot systemd.unit=kernel-command-line.target\n";
        assert_eq!(without_run_words(line), "console=tty1 root=LABEL=writable\n");
        assert_eq!(without_run_words("quiet  splash\n"), "quiet  splash\n", "blanks stay as they are");
    }
}
