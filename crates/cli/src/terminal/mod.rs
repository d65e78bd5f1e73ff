//! What people see.

mod arrival_table;
mod arrival_view;
mod asking_progress;
mod change_view;
mod counts;
mod difference_view;
mod finding_view;
mod inventory_view;
mod link_words;
mod netplan_view;
mod origins_view;
mod package_view;
mod probe_view;
mod progress;
mod question_view;
mod review_view;
mod rootfs_view;
mod rule_view;
mod screen;
mod subnet_view;
mod table;
mod theme;

pub(crate) use impostazione_text::visible::harmless;

pub(crate) use arrival_table::ArrivalTable;
pub(crate) use arrival_view::{ArrivalsShown, show_arrivals, show_knocks};
pub(crate) use asking_progress::AskingProgress;
pub(crate) use change_view::show_change;
pub(crate) use counts::{correctable_line, count, summary_line, summary_of_host, summary_of_part};
pub(crate) use difference_view::show_comparison;
pub(crate) use finding_view::{WHOLE_SHEET, show_findings};
pub(crate) use inventory_view::show_inventory;
pub(crate) use netplan_view::show_netplan_host;
pub(crate) use origins_view::show_origins;
pub(crate) use package_view::{show_package, show_why};
pub(crate) use probe_view::{show_plan, show_records, show_tally};
pub(crate) use progress::Progress;
pub(crate) use question_view::{
    question_line, question_prompt, show_before, show_choices, show_refusal, show_said,
};
pub(crate) use review_view::{show_review, show_told};
pub(crate) use rootfs_view::{show_rootfs, show_rootfs_heading};
pub(crate) use rule_view::{show_rule, show_rules};
pub(crate) use screen::{
    harmless_lines, leave_notes_out, print, print_as_it_is, say_error, say_note, say_unchanged, say_warning,
    tell, width, wrapping,
};
pub(crate) use subnet_view::show_subnet;
pub(crate) use theme::STRONG;
