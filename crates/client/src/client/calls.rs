//! One method for each route.

use reqwest::Method;
use tempestas_api::{
    AlarmView, AnswerRequest, AppointmentStory, AppointmentVerdict, AppointmentView, AskContext, AskRequest,
    AssuranceBody, AssuranceView, AuthoritiesStep, AuthoritiesView, BreachView, BrokenView, CalendarBody, CalendarView,
    ChangeWindow, CheckReply, CheckpointReply, Chosen, CircumstanceBody, CircumstanceView, ConversionView,
    ConvertRequest, DebriefFilter, DebriefRequest, DelegationView, DemandView, Done, DraftView, DriftFilter, DriftView,
    DutyView, EffectiveQuery, EffectiveReply, ElevationFilter, ElevationStory, ElevationView, EligibilityReply,
    EligibilityView, EligibleReply, EndTarget, EnrolReply, EnrolRequest, Enrolment, EntryProof, ExtensionDemand,
    ExtensionPreview, ExtensionRequest, FilesCompared, FilesQuery, FilesReply, FilingPlanView, FilingView, Hit,
    HostEnrolment, IgnoreDrift, LedgerFilter, LedgerReply, LoginAsk, LoginReply, ManagerView, Me, NewAccount, NewCover,
    NewDelegation, NewDuty, NewEligibility, NewFolder, NewManager, NewMember, NewSource, NewStop, NewSubject,
    NewTarget, NewTerms, NewWish, OfferQuery, OfferView, PlanView, PreviewRequest, PromiseBody, PromiseView,
    ProofRequest, ProofView, RehearsalView, RehearseRequest, RoleView, ScopeView, SearchQuery, SeparationBody,
    SeparationView, SignInReply, SignInRequest, SignInView, SinceQuery, SourcePatch, SourceView, StandingFilter,
    StandingView, StopView, SubjectView, SurveyReply, SuspendRequest, TargetSettings, TargetView, TermsFiles,
    TermsReply, TermsTouched, TermsTrial, TermsView, TolerateRequest, TriedSeal, UndoFiling, WaitQuery, WaysQuery,
    WaysReply, WhichTarget, WordRequest,
};
use tempestas_core::LookedAt;

use super::Client;
use crate::ClientError;

macro_rules! calls {
    ($($(#[$doc:meta])* $name:ident($($arg:ident: $type:ty),*) -> $reply:ty = $method:ident [$($segment:expr),*] $(query $query:ident)? $(on $looked_at:ident)? $(body $body:ident)?;)*) => {
        impl Client {$(
            $(#[$doc])*
            ///
            /// # Errors
            /// When the service refuses or can't be reached.
            pub async fn $name(&self, $($arg: $type),*) -> Result<$reply, ClientError> {
                #[allow(unused_mut, unused_assignments, reason = "not every route has a query")]
                let mut query: Option<serde_json::Value> = None;
                $(query = serde_json::to_value($query).ok();)?
                #[allow(unused_mut, unused_assignments, reason = "not every route has a body")]
                let mut body: Option<serde_json::Value> = None;
                $(body = serde_json::to_value($body).ok();)?
                #[allow(unused_mut, unused_assignments, reason = "few routes change something in place")]
                let mut looked_at: Option<LookedAt> = None;
                $(looked_at = Some($looked_at);)?
                let segments: &[&str] = &[$($segment),*];
                let response =
                    self.send_on(looked_at, Method::$method, segments, query.as_ref(), body.as_ref()).await?;
                self.read(response).await
            }
        )*}
    };
}

calls! {
    /// Signs in.
    sign_in(request: &SignInRequest) -> SignInReply = POST ["sign-in"] body request;
    /// What a program drafted.
    draft(id: &str) -> DraftView = GET ["drafts", id];
    /// Finds people, scopes, rights and elevations.
    search(query: &SearchQuery) -> Vec<Hit> = GET ["search"] query query;
    /// Stops.
    stops() -> Vec<StopView> = GET ["stops"];
    /// Ends everything live, and bars new asks.
    stop(new: &NewStop) -> StopView = POST ["stops"] body new;
    /// One of the two voices that lift a stop.
    lift_stop(id: &str) -> StopView = POST ["stops", id, "lift"];
    /// Sets password and TOTP with a one-time secret.
    enrol(request: &EnrolRequest) -> EnrolReply = POST ["enrol"] body request;
    /// Ends this sign-in.
    sign_out() -> Done = POST ["sign-out"];
    /// Who I am.
    me() -> Me = GET ["me"];
    /// Proves the caller anew.
    prove(request: &ProofRequest) -> ProofView = POST ["me", "proof"] body request;
    /// The caller's sign-ins.
    sign_ins() -> Vec<SignInView> = GET ["sign-ins"];
    /// Ends one of them.
    end_sign_in(id: &str) -> Done = DELETE ["sign-ins", id];
    /// People, groups and programs.
    people() -> Vec<SubjectView> = GET ["people"];
    /// Adds one.
    add_subject(new: &NewSubject) -> SubjectView = POST ["people"] body new;
    /// Issues a one-time enrolment secret.
    enrolment(who: &str) -> Enrolment = POST ["people", who, "enrolment"];
    /// Suspends somebody.
    suspend(who: &str) -> Done = POST ["people", who, "suspend"];
    /// Resumes somebody.
    resume(who: &str) -> Done = POST ["people", who, "resume"];
    /// Who somebody's manager is.
    manager(who: &str) -> ManagerView = GET ["people", who, "manager"];
    /// Says who somebody's manager is.
    set_manager(who: &str, looked_at: LookedAt, manager: &NewManager) -> Done = PUT ["people", who, "manager"] on looked_at body manager;
    /// Says whose account is which.
    set_account(who: &str, looked_at: LookedAt, account: &NewAccount) -> Done = PUT ["people", who, "account"] on looked_at body account;
    /// Puts somebody into a group.
    add_member(group: &str, member: &NewMember) -> Done = POST ["groups", group, "members"] body member;
    /// Takes somebody out of a group.
    remove_member(group: &str, member: &str) -> Done = DELETE ["groups", group, "members", member];
    /// Duties within Tempestas.
    duties() -> Vec<DutyView> = GET ["duties"];
    /// Gives a duty.
    give_duty(duty: &NewDuty) -> Done = POST ["duties"] body duty;
    /// Ends a duty.
    end_duty(id: &str) -> Done = DELETE ["duties", id];
    /// Scopes.
    estate() -> Vec<ScopeView> = GET ["estate"];
    /// Adds a folder.
    add_folder(folder: &NewFolder) -> Done = POST ["folders"] body folder;
    /// Targets.
    targets() -> Vec<TargetView> = GET ["targets"];
    /// Looks after a target.
    add_target(target: &NewTarget) -> TargetView = POST ["targets"] body target;
    /// Changes a target's settings.
    set_target(looked_at: LookedAt, settings: &TargetSettings) -> Done = PATCH ["targets", "settings"] on looked_at body settings;
    /// Surveys a target.
    survey(target: &WhichTarget) -> SurveyReply = POST ["targets", "survey"] body target;
    /// Says that a sealed emergency holder was tried.
    tried_seal(tried: &TriedSeal) -> Done = POST ["targets", "seals", "tried"] body tried;
    /// Takes in a survey that was held.
    accept_survey(target: &WhichTarget) -> SurveyReply = POST ["targets", "accept"] body target;
    /// What a host is given to be looked after.
    host_enrolment(target: &WhichTarget) -> HostEnrolment = GET ["targets", "enrolment"] query target;
    /// Whether a target can be looked after.
    check_target(target: &WhichTarget) -> CheckReply = POST ["targets", "check"] body target;
    /// Looks after a target no more.
    end_target(end: &EndTarget) -> Done = POST ["targets", "end"] body end;
    /// The SSH certificate authorities.
    authorities() -> AuthoritiesView = GET ["authorities"];
    /// Takes their rotation a step further.
    step_authorities(step: &AuthoritiesStep) -> AuthoritiesView = POST ["authorities", "step"] body step;
    /// Roles.
    roles() -> Vec<RoleView> = GET ["roles"];
    /// Alarms.
    alarms() -> Vec<AlarmView> = GET ["alarms"];
    /// Settles an alarm.
    settle_alarm(id: &str) -> Done = POST ["alarms", id, "settle"];
    /// Standing rights.
    standing(filter: &StandingFilter) -> Vec<StandingView> = GET ["standing"] query filter;
    /// What converting would do.
    preview_conversion(chosen: &Chosen) -> PlanView = POST ["conversions", "preview"] body chosen;
    /// Converts.
    convert(request: &ConvertRequest) -> ConversionView = POST ["conversions"] body request;
    /// Conversions.
    conversions() -> Vec<ConversionView> = GET ["conversions"];
    /// How a conversion would have fared.
    rehearse(request: &RehearseRequest) -> RehearsalView = POST ["rehearsals", "preview"] body request;
    /// Begins the next wave of a conversion.
    next_wave(id: &str) -> ConversionView = POST ["conversions", id, "next"];
    /// Where people and groups come from.
    sources() -> Vec<SourceView> = GET ["sources"];
    /// Has them come from a directory.
    set_source(new: &NewSource) -> SourceView = POST ["sources"] body new;
    /// Reads a source now.
    read_source(target: &WhichTarget) -> SourceView = POST ["sources", "read"] body target;
    /// Takes in a reading that was held.
    accept_import(target: &WhichTarget) -> SourceView = POST ["sources", "accept"] body target;
    /// Has nobody come from a source any more.
    end_source(target: &WhichTarget) -> Done = POST ["sources", "end"] body target;
    /// Who can reach something, or what somebody can reach.
    ways(query: &WaysQuery) -> WaysReply = GET ["ways"] query query;
    /// Differences that surveys saw.
    drift(filter: &DriftFilter) -> Vec<DriftView> = GET ["drift"] query filter;
    /// What to change where a right comes from.
    source_patch(id: &str) -> SourcePatch = GET ["drift", id, "patch"];
    /// Takes a difference as it is.
    adopt_drift(id: &str) -> Done = POST ["drift", id, "adopt"];
    /// Has the target put back as it was.
    put_back_drift(id: &str) -> Done = POST ["drift", id, "put-back"];
    /// Hears nothing of a difference until a date.
    ignore_drift(id: &str, request: &IgnoreDrift) -> Done = POST ["drift", id, "ignore"] body request;
    /// Undoes a conversion.
    undo_conversion(id: &str) -> ConversionView = POST ["conversions", id, "undo"];
    /// What the caller may ask for.
    eligible() -> EligibleReply = GET ["eligible"];
    /// Who may ask for what.
    eligibilities() -> Vec<EligibilityView> = GET ["eligibilities"];
    /// Makes somebody eligible.
    give_eligibility(new: &NewEligibility) -> EligibilityReply = POST ["eligibilities"] body new;
    /// Changes a window in place, or wishes for its renewal.
    change_eligibility(id: &str, looked_at: LookedAt, window: &ChangeWindow) -> EligibilityReply = PATCH ["eligibilities", id] on looked_at body window;
    /// Suspends an eligibility.
    suspend_eligibility(id: &str, why: &SuspendRequest) -> Done = POST ["eligibilities", id, "suspend"] body why;
    /// Resumes an eligibility.
    resume_eligibility(id: &str) -> Done = POST ["eligibilities", id, "resume"];
    /// Who was made eligible, or is wished to be.
    appointments() -> Vec<AppointmentView> = GET ["appointments"];
    /// Who answers in whose place.
    delegations() -> Vec<DelegationView> = GET ["delegations"];
    /// Has somebody answer in another's place for a while.
    delegate(new: &NewDelegation) -> DelegationView = POST ["delegations"] body new;
    /// Has nobody answer in their place any more.
    end_delegation(id: &str) -> Done = DELETE ["delegations", id];
    /// One, with the account of what was done by it.
    appointment(id: &str) -> AppointmentStory = GET ["appointments", id];
    /// Has somebody stand in for an absent person.
    cover(new: &NewCover) -> AppointmentView = POST ["covers"] body new;
    /// Answers a wish.
    answer_appointment(id: &str, said: &AppointmentVerdict) -> AppointmentView = POST ["appointments", id, "answer"] body said;
    /// Takes a wish back, or ends a cover early.
    end_appointment(id: &str) -> AppointmentView = POST ["appointments", id, "end"];
    /// Ends an eligibility.
    end_eligibility(id: &str) -> Done = DELETE ["eligibilities", id];
    /// Rules of terms.
    terms() -> TermsReply = GET ["terms"];
    /// Adds a rule.
    add_terms(new: &NewTerms) -> TermsView = POST ["terms"] body new;
    /// Whom a change of terms would touch.
    try_terms(trial: &TermsTrial) -> TermsTouched = POST ["terms", "preview"] body trial;
    /// Changes a rule in place.
    change_terms(id: &str, looked_at: LookedAt, new: &NewTerms) -> TermsView = PUT ["terms", id] on looked_at body new;
    /// Ends a rule.
    end_terms(id: &str) -> Done = DELETE ["terms", id];
    /// Suspends a rule.
    suspend_terms(id: &str, why: &SuspendRequest) -> Done = POST ["terms", id, "suspend"] body why;
    /// Resumes a rule.
    resume_terms(id: &str) -> Done = POST ["terms", id, "resume"];
    /// What I am not eligible for, and may ask to be.
    offers(query: &OfferQuery) -> Vec<OfferView> = GET ["offers"] query query;
    /// Asks to be made eligible.
    wish(new: &NewWish) -> EligibilityReply = POST ["wishes"] body new;
    /// Terms as files.
    terms_files(query: &FilesQuery) -> FilesReply = GET ["terms", "files"] query query;
    /// What files of terms would change.
    compare_files(files: &TermsFiles) -> FilesCompared = POST ["terms", "files", "preview"] body files;
    /// Puts files of terms in place.
    put_files(looked_at: LookedAt, files: &TermsFiles) -> FilingView = PUT ["terms", "files"] on looked_at body files;
    /// What was put from files.
    filings() -> Vec<FilingView> = GET ["terms", "filings"];
    /// What undoing a filing would change.
    show_undo(id: &str) -> FilingPlanView = GET ["terms", "filings", id, "undo"];
    /// Undoes a filing.
    undo_filing(id: &str, undo: &UndoFiling) -> FilingView = POST ["terms", "filings", id, "undo"] body undo;
    /// How sure one must be of people, by name.
    assurances() -> Vec<AssuranceView> = GET ["assurances"];
    /// Sets one.
    set_assurance(name: &str, looked_at: LookedAt, assurance: &AssuranceBody) -> AssuranceView = PUT ["assurances", name] on looked_at body assurance;
    /// Ends one.
    end_assurance(name: &str) -> Done = DELETE ["assurances", name];
    /// Times in which nothing is held, by name.
    calendars() -> Vec<CalendarView> = GET ["calendars"];
    /// One of them.
    calendar(name: &str) -> CalendarView = GET ["calendars", name];
    /// Sets one.
    set_calendar(name: &str, looked_at: LookedAt, calendar: &CalendarBody) -> CalendarView = PUT ["calendars", name] on looked_at body calendar;
    /// Ends one.
    end_calendar(name: &str) -> Done = DELETE ["calendars", name];
    /// What other systems are asked, by name.
    circumstances() -> Vec<CircumstanceView> = GET ["circumstances"];
    /// Sets one.
    set_circumstance(name: &str, looked_at: LookedAt, circumstance: &CircumstanceBody) -> CircumstanceView = PUT ["circumstances", name] on looked_at body circumstance;
    /// Ends one.
    end_circumstance(name: &str) -> Done = DELETE ["circumstances", name];
    /// Promises, each with what breaks it.
    promises() -> Vec<PromiseView> = GET ["promises"];
    /// What would break one, were it set.
    preview_promise(promise: &PromiseBody) -> BrokenView = POST ["promises", "preview"] body promise;
    /// Sets one.
    set_promise(name: &str, looked_at: LookedAt, promise: &PromiseBody) -> PromiseView = PUT ["promises", name] on looked_at body promise;
    /// Ends one.
    end_promise(name: &str) -> Done = DELETE ["promises", name];
    /// Separations of duties, each with what breaks it.
    separations() -> Vec<SeparationView> = GET ["separations"];
    /// What would break one, were it set.
    preview_separation(separation: &SeparationBody) -> Vec<BreachView> = POST ["separations", "preview"] body separation;
    /// Sets one.
    set_separation(name: &str, looked_at: LookedAt, separation: &SeparationBody) -> SeparationView = PUT ["separations", name] on looked_at body separation;
    /// Ends one.
    end_separation(name: &str) -> Done = DELETE ["separations", name];
    /// Puts up with what breaks one until a time, or no longer.
    tolerate(name: &str, request: &TolerateRequest) -> Done = POST ["separations", name, "tolerate"] body request;
    /// What holds for a right.
    effective_terms(query: &EffectiveQuery) -> EffectiveReply = GET ["terms", "effective"] query query;
    /// Everything an ask will need.
    preview_ask(request: &PreviewRequest) -> DemandView = POST ["asks", "preview"] body request;
    /// Asks.
    ask(request: &AskRequest) -> ElevationView = POST ["asks"] body request;
    /// Asks that wait for the caller.
    waiting() -> Vec<ElevationView> = GET ["waiting"];
    /// Elevations.
    elevations(filter: &ElevationFilter) -> Vec<ElevationView> = GET ["elevations"] query filter;
    /// One elevation with its story; may wait for a change.
    elevation(id: &str, wait: &WaitQuery) -> ElevationStory = GET ["elevations", id] query wait;
    /// What an approver wants to know besides an ask.
    context(id: &str) -> AskContext = GET ["elevations", id, "context"];
    /// Answers.
    answer(id: &str, answer: &AnswerRequest) -> ElevationView = POST ["elevations", id, "answer"] body answer;
    /// Withdraws an ask.
    withdraw(id: &str) -> ElevationView = POST ["elevations", id, "withdraw"];
    /// Begins an elevation that is ready.
    begin(id: &str) -> ElevationView = POST ["elevations", id, "begin"];
    /// Everything that going on with an elevation will need.
    preview_extension(id: &str, wanted: &ExtensionPreview) -> ExtensionDemand = POST ["elevations", id, "extend", "preview"] body wanted;
    /// Asks to go on with an elevation.
    extend(id: &str, ask: &ExtensionRequest) -> ElevationView = POST ["elevations", id, "extend"] body ask;
    /// Takes the grace of an elevation.
    take_grace(id: &str) -> ElevationView = POST ["elevations", id, "grace"];
    /// What somebody else has yet to look at.
    debriefs(filter: &DebriefFilter) -> Vec<ElevationView> = GET ["debriefs"] query filter;
    /// Signs off what was done under an elevation.
    debrief(id: &str, found: &DebriefRequest) -> ElevationView = POST ["elevations", id, "debrief"] body found;
    /// Gives an elevation back.
    give_back(id: &str) -> ElevationView = POST ["elevations", id, "give-back"];
    /// Revokes an elevation.
    revoke(id: &str, word: &WordRequest) -> ElevationView = POST ["elevations", id, "revoke"] body word;
    /// How to use an elevation; makes a fresh password or certificate where there is one.
    login(id: &str, ask: &LoginAsk) -> LoginReply = POST ["elevations", id, "login"] body ask;
    /// The record.
    ledger(filter: &LedgerFilter) -> LedgerReply = GET ["ledger"] query filter;
    /// Proof that an entry stands in the ledger.
    proof(n: &str) -> EntryProof = GET ["ledger", n, "proof"];
    /// The present checkpoint.
    checkpoint(since: &SinceQuery) -> CheckpointReply = GET ["ledger", "checkpoint"] query since;
}
