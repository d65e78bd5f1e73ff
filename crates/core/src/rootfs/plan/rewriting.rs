//! What would rewrite our settings when the host boots is kept from starting.

use super::network::mask;
use super::{Ground, Plan, Subject};

pub(super) fn plan(ground: Ground<'_>, plan: &mut Plan) {
    for rewriter in &ground.survey.rewriters {
        mask(plan, &rewriter.unit, Subject::FirstBoot, &rewriter.why);
    }
}
