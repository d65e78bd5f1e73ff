//! Tests of the built program, one file a subject. Those that need a judge which a machine may not have are ignored with
//! the reason; `.ci/run` installs the judges and runs them.
#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    reason = "a test that cannot go on has failed"
)]

mod access_lists;
mod appliances;
mod arriving;
mod arriving_judges;
mod asking;
mod at_boot;
mod bad_input;
mod becoming;
mod card;
mod command_line;
mod comparing;
mod comparing_keys;
mod counts_at_random;
mod cut_off;
mod drafting;
mod drafting_from;
mod each_rule;
mod environment;
mod first_tries;
mod given;
mod half_way;
mod host_files;
mod hostile_rootfs;
mod including;
mod inspect;
mod json_outputs;
mod judges;
mod key_judges;
mod layout;
mod logins;
mod mending;
mod near_misses;
mod neighbor;
mod netplan;
mod netplan_manager;
mod netplan_shapes;
mod no_leak;
mod no_leak_at_random;
mod packages;
mod page;
mod pictures;
mod placing;
mod placing_judges;
mod plain_words;
mod probing;
mod render;
mod renumbering;
mod review;
mod right_answers;
mod rootfs;
mod rootfs_rules;
mod rows;
mod rule_sheets;
mod sarif;
mod schema;
mod secret_judges;
mod secret_sources;
mod secret_store;
mod shell;
mod store_identity;
mod subnet;
mod support;
mod systemd_links;
mod texts;
mod told_elsewhere;
mod told_values;
mod trials;
mod unsure_meanings;
mod waivers;
mod ways_in;
mod what_wins;
mod wrong_sheets;
