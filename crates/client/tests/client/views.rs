//! Views of the service, as tests begin with them.

use serde_json::{Value, json};

/// What holding a right demands.
pub(crate) fn demand(right: &str) -> Value {
    json!({
        "right": right, "says": "may do anything", "sentence": format!("To hold {right} for 1 h you need a proof."),
        "digest": "ab".repeat(32), "duration": 3600, "usual": 3600, "longest": 14400, "proof-within": 600, "proof_within": 600,
        "weight": "critical", "narrower": [], "stages": [{ "approvers": ["mara"], "yes": 1, "within": 3600, "onward": [], "away": [] }],
        "wants": { "purposes": [], "reason": { "is": "optional" }, "ticket": { "is": "off" }, "references": {} },
        "starts": { "at_yes": true, "at_time_within": null, "begin_within": null },
        "ends": { "by_itself": true, "within": 1, "holder_can_undo": false, "says": "the cluster itself ends it" },
    })
}

/// An elevation in a state.
pub(crate) fn elevation(id: &str, state: &str) -> Value {
    json!({
        "id": id, "who": "tomas.reyes", "alike": [], "account": null, "account_holds": [], "right": "root@pier",
        "says": "may do anything", "weight": "critical", "state": state,
        "sentence": format!("is {state}, as of 2026-07-01 12:00:00 UTC"), "asked_at": "2026-07-01T12:00:00Z", "duration": 3600,
        "start": { "start": "at-yes" }, "asked": null, "mine": true, "takes_own_key": false, "for_me": false,
        "may_revoke": false, "brought": {}, "demand": "To hold it you need a proof.", "rounds": [],
        "digest": "cd".repeat(32), "grant": null, "end_word": null, "trouble": null,
    })
}
