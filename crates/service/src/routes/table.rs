//! The whole route table; it is the map of what can be attacked.

use super::{
    appointments, assurances, authorities, calendars, circumstances, conversions, days, delegations, devices, drift,
    elevations, estate, filings, ledger, pages, people, promises, rehearsals, separations, sign_in, sources, standing,
    stops, terms, trials, ways,
};
use crate::door::Table;

/// Every route.
pub(super) fn table() -> Table {
    let parts: [fn(Table) -> Table; 15] = [
        of_sign_ins,
        of_pages,
        of_stops,
        of_people,
        of_estate,
        of_rights,
        of_terms,
        of_files,
        of_assurances,
        of_calendars,
        of_circumstances,
        of_promises,
        of_separations,
        of_elevations,
        of_ledger,
    ];
    parts.into_iter().fold(Table::new(), |table, part| part(table))
}

/// Sign-ins, and programs that were let in.
fn of_sign_ins(table: Table) -> Table {
    table
        .post("/sign-in", sign_in::sign_in, "Sign in with name, password and TOTP code")
        .in_person()
        .post("/enrol", sign_in::enrol, "Set password and TOTP with a one-time enrolment secret")
        .in_person()
        .post("/sign-out", sign_in::sign_out, "End this sign-in")
        .looks()
        .get("/me", sign_in::me, "Who I am, and what waits for me")
        .post("/me/proof", sign_in::proof, "Prove myself anew with a TOTP code")
        .in_person()
        .post("/me/proof/challenge", sign_in::proof_challenge, "Begin to prove myself anew with a passkey")
        .in_person()
        .post("/me/proof/passkey", sign_in::proof_passkey, "Prove myself anew with a passkey")
        .in_person()
        .post("/console/sign-in", sign_in::console, "Sign the console in with name, password and TOTP code")
        .in_person()
        .post("/console/passkey/challenge", sign_in::passkey_challenge, "Begin to sign the console in with a passkey")
        .in_person()
        .post("/console/passkey", sign_in::passkey, "Sign the console in with a passkey")
        .in_person()
        .get("/passkeys", sign_in::list_passkeys, "My passkeys")
        .post("/passkeys/challenge", sign_in::begin_passkey, "Begin to add a passkey")
        .in_person()
        .post("/passkeys", sign_in::add_passkey, "Add a passkey")
        .in_person()
        .delete("/passkeys/{id}", sign_in::drop_passkey, "Drop one of my passkeys")
        .in_person()
        .post("/devices", devices::ask, "A program wants to be let in (RFC 8628)")
        .in_person()
        .post("/devices/token", devices::token, "Whether the program was let in")
        .in_person()
        .post("/devices/look", devices::look, "Which program waits with a code")
        .in_person()
        .post("/devices/answer", devices::answer, "Let that program in, or refuse it")
        .in_person()
        .get("/drafts", devices::list_drafts, "What programs drafted for me")
        .get("/drafts/{id}", devices::draft, "One draft")
        .post("/drafts/{id}/confirm", devices::confirm, "Carry a draft out, as mine")
        .in_person()
        .post("/drafts/{id}/drop", devices::drop_draft, "Drop a draft")
        .in_person()
        .get("/events", crate::events::listen, "Which lists change, as they do")
}

/// What a page or a terminal shows at a glance.
fn of_pages(table: Table) -> Table {
    table
        .get("/now", pages::now, "What is in force, was, and will be")
        .get("/search", pages::search, "Find people, scopes, rights and elevations")
        .get("/days", days::days, "Elevations and standing rights by day")
        .get("/first-day", pages::first_day, "The first day, step by step")
}

/// What ends everything, and who signed in.
fn of_stops(table: Table) -> Table {
    table
        .get("/stops", stops::list, "Stops")
        .get("/stops/{id}", stops::show, "One stop")
        .post("/stops", stops::stop, "End everything live, and bar new asks, for a person, a scope or all")
        .post("/stops/{id}/lift", stops::lift, "One of the two voices that lift a stop")
        .get("/sign-ins", sign_in::list, "My sign-ins")
        .delete("/sign-ins/{id}", sign_in::end, "End one of my sign-ins")
        .in_person()
}

/// People, groups, duties, and where they come from.
fn of_people(table: Table) -> Table {
    table
        .get("/people", people::list, "People, groups and programs")
        .post("/people", people::add, "Add a person, group or program")
        .get("/people/{who}", pages::person, "Everything about one person, group or program")
        .post("/people/{who}/enrolment", people::enrolment, "Issue a one-time enrolment secret")
        .in_person()
        .post("/people/{who}/suspend", people::suspend, "Suspend, and end what is held")
        .post("/people/{who}/resume", people::resume, "Resume")
        .get("/people/{who}/account", people::show_account, "Which account on a target is theirs")
        .get("/people/{who}/manager", people::show_manager, "Who somebody's manager is")
        .put("/people/{who}/manager", people::manager, "Say who somebody's manager is")
        .put("/people/{who}/account", people::account, "Say which account on a target is theirs")
        .post("/groups/{group}/members", people::add_member, "Put somebody into a group")
        .delete("/groups/{group}/members/{member}", people::remove_member, "Take somebody out of a group")
        .get("/duties", people::duties, "Duties within Tempestas")
        .post("/duties", people::give_duty, "Give a duty")
        .delete("/duties/{id}", people::end_duty, "End a duty")
        .get("/sources", sources::list, "Where people and groups come from")
        .post("/sources", sources::set, "Have people and groups come from a directory")
        .post("/sources/read", sources::read, "Read a source now")
        .post("/sources/accept", sources::accept, "Take in a reading of a source that was held")
        .post("/sources/end", sources::end, "Have nobody come from a source any more")
}

/// Scopes and targets.
fn of_estate(table: Table) -> Table {
    table
        .get("/estate", estate::scopes, "Scopes, as a list of paths")
        .post("/folders", estate::add_folder, "Add a folder")
        .get("/targets", estate::targets, "Targets, and how they do")
        .post("/targets", estate::add_target, "Look after a target")
        .get("/targets/settings", estate::show_target, "One target")
        .patch("/targets/settings", estate::set_target, "Change a target's settings")
        .post("/targets/survey", estate::survey, "Survey a target now")
        .post("/targets/seals/tried", estate::tried_seal, "Say that a sealed emergency holder was tried")
        .post("/targets/accept", estate::accept, "Take in a survey that was held")
        .get("/targets/enrolment", estate::host_enrolment, "What a host is given to be looked after")
        .post("/targets/check", estate::check, "Whether a target can be looked after")
        .post("/targets/end", estate::end_target, "Look after a target no more")
        .get("/authorities", authorities::show, "The SSH certificate authorities, and which hosts trust them")
        .post("/authorities/step", authorities::step, "Have one pair of authorities follow another, step by step")
        .get("/roles", estate::roles, "Roles that targets offer")
        .get("/alarms", estate::alarms, "Alarms")
        .get("/alarms/{id}", estate::alarm, "One alarm")
        .post("/alarms/{id}/settle", estate::settle, "Settle an alarm that a person may settle")
}

/// Who holds what, and may ask for what.
fn of_rights(table: Table) -> Table {
    table
        .get("/standing", standing::list, "Standing rights")
        .get("/standing/{id}", standing::show, "One standing right")
        .get("/ways", ways::ways, "Who can reach something, or what somebody can reach, and how")
        .get("/drift", drift::list, "What surveys saw that nobody did through Tempestas")
        .get("/drift/{id}", drift::show, "One difference")
        .get("/drift/{id}/patch", drift::patch, "What to change where a right comes from, for whoever keeps that")
        .post("/drift/{id}/adopt", drift::adopt, "Take a difference as it is")
        .post("/drift/{id}/put-back", drift::put_back, "Have the target put back as it was")
        .post("/drift/{id}/ignore", drift::ignore, "Hear nothing of a difference until a date")
        .post("/conversions/preview", conversions::preview, "What converting would do")
        .looks()
        .post("/rehearsals/preview", rehearsals::preview, "How a conversion would have fared in the last months")
        .looks()
        .post("/conversions", conversions::convert, "Convert standing rights into eligibilities")
        .get("/conversions", conversions::conversions, "Conversions")
        .get("/conversions/{id}", conversions::conversion, "One conversion")
        .post("/conversions/{id}/next", conversions::next, "Begin the next wave of a conversion")
        .post("/conversions/{id}/undo", conversions::undo, "Undo a conversion")
        .get("/eligible", standing::eligible, "What I may ask for")
        .get("/eligibilities", standing::eligibilities, "Who may ask for what")
        .post("/eligibilities", appointments::give, "Make somebody eligible")
        .get("/offers", appointments::offers, "What I am not eligible for, and may ask to be")
        .post("/wishes", appointments::wish, "Ask to be made eligible for what is offered")
        .get("/eligibilities/{id}", standing::eligibility, "One eligibility")
        .patch("/eligibilities/{id}", appointments::change, "Change a window in place, or wish for its renewal")
        .post("/eligibilities/{id}/suspend", appointments::suspend, "Suspend an eligibility")
        .post("/eligibilities/{id}/resume", appointments::resume, "Resume an eligibility")
        .delete("/eligibilities/{id}", appointments::end, "End an eligibility")
        .get("/appointments", appointments::list, "Who was made eligible, or is wished to be")
        .get("/appointments/{id}", appointments::story, "One, with the account of what was done by it")
        .post("/covers", appointments::cover, "Have somebody stand in for an absent person")
        .get("/delegations", delegations::list, "Who answers in whose place")
        .post("/delegations", delegations::give, "Have somebody answer in another's place for a while")
        .delete("/delegations/{id}", delegations::end, "Have nobody answer in their place any more")
        .post("/appointments/{id}/answer", appointments::answer, "Say yes or no to a wish")
        .post("/appointments/{id}/end", appointments::end_appointment, "Take a wish back, or end a cover early")
}

/// Rules of terms.
fn of_terms(table: Table) -> Table {
    table
        .get("/terms", terms::list, "Rules of terms")
        .post("/terms", terms::add, "Add a rule of terms")
        .post("/terms/preview", trials::trial, "Whom a change of terms would touch")
        .looks()
        .get("/terms/{id}", terms::show, "One rule of terms")
        .put("/terms/{id}", terms::change, "Change a rule of terms in place")
        .post("/terms/{id}/suspend", terms::suspend, "Suspend a rule of terms")
        .post("/terms/{id}/resume", terms::resume, "Resume a rule of terms")
        .delete("/terms/{id}", terms::end, "End a rule of terms")
        .get("/terms/effective", terms::effective, "What holds for a right, and where each setting comes from")
}

/// How sure one must be of people.
fn of_assurances(table: Table) -> Table {
    table
        .get("/assurances", assurances::list, "How sure one must be of people, by name")
        .get("/assurances/{name}", assurances::show, "One assurance")
        .put("/assurances/{name}", assurances::set, "Set an assurance, a new one or in place")
        .delete("/assurances/{name}", assurances::end, "End an assurance that no rule wants")
}

/// Times in which nothing is held, by name.
fn of_calendars(table: Table) -> Table {
    table
        .get("/calendars", calendars::list, "Times in which nothing is held, by name")
        .get("/calendars/{name}", calendars::show, "One calendar")
        .put("/calendars/{name}", calendars::set, "Set a calendar, a new one or in place")
        .delete("/calendars/{name}", calendars::end, "End a calendar that no rule goes by")
}

/// What other systems are asked, by name.
fn of_circumstances(table: Table) -> Table {
    table
        .get("/circumstances", circumstances::list, "What other systems are asked, by name")
        .get("/circumstances/{name}", circumstances::show, "One circumstance")
        .put("/circumstances/{name}", circumstances::set, "Set a circumstance, a new one or in place")
        .delete("/circumstances/{name}", circumstances::end, "End a circumstance that no rule wants")
}

/// Terms as files.
fn of_files(table: Table) -> Table {
    table
        .get("/terms/files", filings::take_away, "Terms as files, in TOML")
        .post("/terms/files/preview", filings::compare, "What files of terms would change, and what is wrong with them")
        .looks()
        .put("/terms/files", filings::put, "Put files of terms in place, as one")
        .get("/terms/filings", filings::list, "What was put from files")
        .get("/terms/filings/{id}/undo", filings::show_undo, "What undoing a filing would change")
        .post("/terms/filings/{id}/undo", filings::undo, "Undo a filing, as one")
}

/// What must hold whatever terms say, by name.
fn of_promises(table: Table) -> Table {
    table
        .get("/promises", promises::list, "Promises, each with what breaks it")
        .get("/promises/{name}", promises::show, "One promise")
        .put("/promises/{name}", promises::set, "Set a promise, a new one or in place")
        .delete("/promises/{name}", promises::end, "End a promise")
        .post("/promises/preview", promises::preview, "What would break a promise, were it set")
        .looks()
}

/// Rights that nobody has together, by name.
fn of_separations(table: Table) -> Table {
    table
        .get("/separations", separations::list, "Separations of duties, each with what breaks it")
        .get("/separations/{name}", separations::show, "One separation")
        .put("/separations/{name}", separations::set, "Set a separation, a new one or in place")
        .delete("/separations/{name}", separations::end, "End a separation")
        .post("/separations/preview", separations::preview, "What would break a separation, were it set")
        .looks()
        .post(
            "/separations/{name}/tolerate",
            separations::tolerate,
            "Put up with what breaks one until a time, or no longer",
        )
}

/// Asks, answers, grants.
fn of_elevations(table: Table) -> Table {
    table
        .post("/asks/preview", elevations::preview, "Everything an ask will need")
        .looks()
        .post("/asks", elevations::ask, "Ask for a right")
        .get("/waiting", elevations::waiting, "Asks that wait for my answer")
        .get("/debriefs", elevations::debriefs, "What was done that somebody else has yet to look at")
        .get("/elevations", elevations::list, "Elevations")
        .get("/elevations/csv", elevations::csv, "Elevations as CSV, with why and what was answered")
        .get("/elevations/{id}", elevations::show, "One elevation with its story; may wait for a change")
        .get("/elevations/{id}/context", elevations::context, "What an approver wants to know besides the ask")
        .post("/elevations/{id}/answer", elevations::answer, "Answer yes or no")
        .post("/elevations/{id}/withdraw", elevations::withdraw, "Take an ask back")
        .post("/elevations/{id}/begin", elevations::begin, "Begin an elevation that is ready")
        .post("/elevations/{id}/extend/preview", elevations::preview_extension, "Everything going on with it will need")
        .looks()
        .post("/elevations/{id}/extend", elevations::extend, "Ask to go on with an elevation beyond its end")
        .post("/elevations/{id}/grace", elevations::take_grace, "Take the grace that the terms give at its end")
        .post("/elevations/{id}/give-back", elevations::give_back, "Give an elevation back early")
        .post("/elevations/{id}/revoke", elevations::revoke, "End somebody's elevation, with a word")
        .post("/elevations/{id}/debrief", elevations::debrief, "Sign off what was done under an elevation")
        .post("/elevations/{id}/login", elevations::login, "How to use it; makes a fresh password where there is one")
}

/// The record.
fn of_ledger(table: Table) -> Table {
    table
        .get("/ledger", ledger::list, "The record, newest first")
        .get("/ledger/{n}/proof", ledger::proof, "Proof that an entry stands in the ledger")
        .get("/ledger/csv", ledger::csv, "The record as CSV")
        .get("/ledger/export", ledger::export, "The whole ledger, to be verified by a stranger")
        .get(
            "/ledger/checkpoint",
            ledger::checkpoint,
            "The present checkpoint, and proof that it goes on from an earlier one",
        )
        .get("/openapi.json", sign_in::document, "This interface, described")
}
