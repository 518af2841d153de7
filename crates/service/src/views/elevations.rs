//! Elevations, their demands and their grants, as replies show them.

use jiff::Timestamp;
use tempestas_api::{
    AnswerView, AskedView, AwayView, Brings, DebriefView, DemandView, EarlierView, ElevationView, ExtendsView,
    ExtensionDemand, ExtensionView, GrantView, LeftoverView, RoundView, SignedOffView, StageAskedView, StageView,
    Wants,
};
use tempestas_core::{
    Answer, Away, Brought, Debrief, Demand, Digest, Effective, Elevation, ElevationId, End, Extends, Extension,
    ExtensionOffer, Grant, LEFT_ALONE, Less, Outline, Phase, Round, ScopeId, Seconds, Seen, Sight, Stage, StageAsked,
    StageTerms, Stages, Standing, StartChoice, SubjectId, Verdict, Visible, World, demand_for, end_with_grace,
    ensure_may_debrief, extension_offer, grace_of,
};

use super::rights::role_of;

/// Most rights of an account that are said one by one.
const HELD_SAID: usize = 6;

pub(crate) fn demand(
    world: &World,
    demand: &Demand,
    duration: Seconds,
    start: Option<StartChoice>,
    now: Timestamp,
) -> DemandView {
    let (says, weight) = role_of(world, demand.right);
    let (proof_within, proof_accepts) = demand.takes().proof(world);
    DemandView {
        right: world.right_name(demand.right),
        says,
        weight,
        sentence: demand.sentence(world, duration, start, now),
        duration,
        longest: demand.terms.longest.0,
        usual: demand.terms.usual.0,
        starts: demand.terms.starts.clone(),
        proof_within,
        proof_accepts,
        wants: wants(&demand.terms),
        narrower: below(world, demand.right.scope),
        stages: asked(world, demand),
        glass: demand.glass,
        ends: demand.ends.clone(),
        digest: Digest::of_json(demand),
    }
}

fn wants(terms: &Effective) -> Wants {
    Wants {
        purposes: terms.purposes.0.clone(),
        reason: terms.reason,
        ticket: terms.ticket.0.clone(),
        references: terms.references.0.clone(),
    }
}

fn brought(world: &World, brought: &Brought) -> Brings {
    let said = |text: Option<Digest>| text.map(|text| world.text(text));
    Brings {
        purpose: said(brought.purpose),
        reason: said(brought.reason),
        ticket: said(brought.ticket),
        references: brought.references.iter().map(|(name, text)| (name.clone(), world.text(*text))).collect(),
    }
}

/// Paths of the scopes below one, which are less; 200 at most.
pub(crate) fn below(world: &World, scope: ScopeId) -> Vec<String> {
    let mut paths: Vec<String> = world
        .scopes
        .keys()
        .filter(|id| **id != scope && world.is_within(**id, scope))
        .take(200)
        .map(|id| world.path(*id))
        .collect();
    paths.sort();
    paths
}

/// An earlier one, in outline.
pub(crate) fn earlier(world: &World, outline: Outline<'_>) -> EarlierView {
    let elevation = outline.get();
    let leftovers = world.grant_of(elevation).and_then(|grant| grant.leftovers.as_ref().map(Vec::len));
    EarlierView {
        id: elevation.id.to_string(),
        asked_at: elevation.asked_at,
        state: elevation.phase.to_string(),
        reason: elevation.brought.reason.map(|text| world.text(text)),
        leftovers: leftovers.unwrap_or(0),
    }
}

/// A yes to less, in words.
fn less_words(world: &World, less: &Less) -> String {
    let mut parts: Vec<String> = Vec::new();
    parts.extend(less.duration.map(|duration| format!("for {duration}")));
    parts.extend(less.scope.map(|scope| format!("at {} only", world.path(scope))));
    if let Some(StartChoice::At { time }) = less.start {
        parts.push(format!("from {}", at(time)));
    }
    parts.join(", ")
}

/// The columns of a file of elevations.
pub(crate) const ELEVATION_COLUMNS: [&str; 13] = [
    "reference",
    "asked",
    "who",
    "right",
    "for",
    "purpose",
    "reason",
    "ticket",
    "references",
    "answers",
    "begun",
    "ended",
    "outcome",
];

/// An elevation as a row of such a file.
pub(crate) fn elevation_row(world: &World, shown: Visible<'_, Elevation>, me: SubjectId) -> [String; 13] {
    let one = elevation(world, shown, me);
    let all = |parts: Vec<String>| parts.join("; ");
    let answers = one.rounds.iter().flat_map(|round| &round.stages).flat_map(|stage| &stage.answers);
    let answers = answers.map(|answer| {
        let verdict = if answer.verdict == Verdict::Yes { "yes" } else { "no" };
        let less = answer.less.as_ref().map(|less| format!(" ({less})")).unwrap_or_default();
        let reason = answer.reason.as_ref().map(|reason| format!(": {reason}")).unwrap_or_default();
        format!("{} {verdict}{less}{reason}", answer.who)
    });
    let brought = one.brought;
    let references = brought.references.into_iter().map(|(name, text)| format!("{name} {text}"));
    let begun = one.grant.as_ref().and_then(|grant| grant.verified_at);
    let ended = one.grant.as_ref().filter(|grant| grant.seen == Seen::No && begun.is_some());
    let moment = |at: Option<Timestamp>| at.map(|at| at.to_string()).unwrap_or_default();
    [
        one.id,
        one.asked_at.to_string(),
        one.who,
        one.right,
        one.duration.to_string(),
        brought.purpose.unwrap_or_default(),
        brought.reason.unwrap_or_default(),
        brought.ticket.unwrap_or_default(),
        all(references.collect()),
        all(answers.collect()),
        moment(begun),
        moment(ended.and_then(|grant| grant.seen_at)),
        one.sentence,
    ]
}

/// An elevation as one person sees it.
pub(crate) fn elevation(world: &World, shown: Visible<'_, Elevation>, me: SubjectId) -> ElevationView {
    let elevation = shown.get();
    let approver = elevation.asked_about(me);
    let demand = world.demand_of(elevation.id);
    let administers = || Sight::is_administrator(world, me, elevation.right.scope);
    let (now, holds) = (Timestamp::now(), elevation.holder == me);
    let ending = matches!(elevation.phase, Phase::Closing | Phase::Ended(_));
    let (says, weight) = role_of(world, elevation.right);
    let grant = world.grant_of(elevation);
    let connector = world.target_of(elevation.right.scope).map(|target| &target.connector);
    let trouble = elevation.trouble.as_ref().map(|trouble| match trouble.as_str() {
        LEFT_ALONE if elevation.asker == me => format!("{trouble}; {}", who_could(world, elevation)),
        _ => trouble.clone(),
    });
    ElevationView {
        id: elevation.id.to_string(),
        who: world.subject_name(elevation.asker),
        alike: world.alike(elevation.asker),
        account: demand.and_then(|demand| demand.account).map(|account| world.text(account)),
        account_holds: demand.map_or_else(Vec::new, |demand| account_holds(world, elevation, demand)),
        right: world.right_name(elevation.right),
        says,
        weight,
        state: elevation.phase.to_string(),
        sentence: state_sentence(world, elevation, grant, trouble.as_deref()),
        asked_at: elevation.asked_at,
        duration: elevation.duration,
        start: elevation.start,
        asked: elevation.asked.map(|asked| AskedView {
            right: world.right_name(asked.right),
            duration: asked.duration,
            start: asked.start,
        }),
        mine: elevation.asker == me,
        takes_own_key: connector.is_some_and(tempestas_core::Connector::takes_own_key),
        for_me: elevation.waits_for(me),
        may_revoke: !ending && (approver || administers()),
        brought: brought(world, &elevation.brought),
        demand: demand.map_or_else(String::new, |demand| {
            demand.sentence(world, elevation.duration, Some(elevation.start), elevation.asked_at)
        }),
        rounds: elevation.rounds.iter().map(|round| round_view(world, round)).collect(),
        extension: elevation
            .extension
            .as_ref()
            .zip(grant)
            .map(|(asked, grant)| extension(world, elevation, asked, grant)),
        extends: elevation.extends().map(|asked| extends(world, asked)).collect(),
        may_extend: holds && extension_offer(world, elevation, None, now).is_ok(),
        grace: (holds && end_with_grace(world, elevation, now).is_ok()).then(|| grace_of(world, elevation).0),
        digest: elevation.asked_digest(),
        grant: grant.zip(demand).map(|(grant, demand)| grant_view(world, demand, grant)),
        glass: elevation.glass,
        debrief: elevation.debrief.as_ref().map(|it| debrief(world, elevation, it, (me, now))),
        end_word: elevation.end_word.map(|text| world.text(text)),
        trouble,
    }
}

/// Who looks at what was done, or has.
fn debrief(world: &World, of: &Elevation, debrief: &Debrief, (me, now): (SubjectId, Timestamp)) -> DebriefView {
    let signed = debrief.signed.map(|signed| SignedOffView {
        who: world.subject_name(signed.by),
        at: signed.at,
        finding: signed.finding,
        word: signed.word.map(|word| world.text(word)),
    });
    DebriefView {
        by: names(world, &debrief.by),
        until: debrief.until,
        higher: debrief.higher,
        for_me: ensure_may_debrief(world, of, me, now).is_ok(),
        signed,
    }
}

/// What waits to go on with an elevation.
fn extension(world: &World, elevation: &Elevation, asked: &Extension, grant: &Grant) -> ExtensionView {
    let said = elevation.extends().next_back();
    ExtensionView {
        until: asked.until,
        more: between(grant.until, asked.until),
        brought: said.map(|said| brought(world, &said.brought)).unwrap_or_default(),
        demand: asked.demand.sentence_to_go_on(world, elevation.id, asked.until),
    }
}

fn extends(world: &World, asked: &Extends) -> ExtendsView {
    ExtendsView { until: asked.until, asked_at: asked.asked_at, brought: brought(world, &asked.brought) }
}

fn between(from: Timestamp, until: Timestamp) -> Seconds {
    Seconds(u32::try_from(until.duration_since(from).as_secs()).unwrap_or(0))
}

/// All that going on with an elevation will need.
pub(crate) fn extension_demand(world: &World, elevation: ElevationId, offer: &ExtensionOffer) -> ExtensionDemand {
    let ExtensionOffer { demand, more, until, latest, digest } = offer;
    ExtensionDemand {
        sentence: demand.sentence_to_go_on(world, elevation, *until),
        more: *more,
        until: *until,
        latest: *latest,
        longest: demand.terms.longest.0,
        proof_within: demand.terms.assurance.0,
        wants: wants(&demand.terms),
        stages: asked(world, demand),
        digest: *digest,
    }
}

fn names<'a>(world: &World, people: impl IntoIterator<Item = &'a SubjectId>) -> Vec<String> {
    people.into_iter().map(|id| world.subject_name(*id)).collect()
}

fn away(world: &World, away: &[Away]) -> Vec<AwayView> {
    let view = |away: &Away| AwayView {
        who: world.subject_name(away.who),
        delegate: world.subject_name(away.delegate),
        until: away.until,
    };
    away.iter().map(view).collect()
}

/// Who would be asked, stage by stage.
fn asked(world: &World, demand: &Demand) -> Vec<StageAskedView> {
    let stages = demand.stages.iter().zip(demand.terms.approval.stages());
    let view = |(asked, terms): (&StageAsked, &StageTerms)| StageAskedView {
        approvers: names(world, &asked.approvers),
        yes: terms.yes,
        within: terms.within,
        onward: names(world, &asked.onward),
        away: away(world, &asked.away),
    };
    stages.map(view).collect()
}

fn round_view(world: &World, round: &Round) -> RoundView {
    RoundView { extends_to: round.extends.as_ref().map(|asked| asked.until), stages: stages(world, &round.stages) }
}

pub(super) fn stages(world: &World, stages: &Stages) -> Vec<StageView> {
    stages.all().iter().map(|stage| stage_view(world, stage)).collect()
}

/// Who is asked, and what they said.
fn stage_view(world: &World, stage: &Stage) -> StageView {
    let answer = |answer: &Answer| AnswerView {
        who: world.subject_name(answer.by),
        verdict: answer.verdict,
        less: answer.less.as_ref().map(|less| less_words(world, less)),
        reason: answer.reason.map(|text| world.text(text)),
        at: answer.at,
    };
    StageView {
        approvers: names(world, &stage.approvers),
        yes: stage.yes,
        no: stage.no,
        until: stage.until,
        onward: names(world, &stage.onward),
        away: away(world, &stage.away),
        answers: stage.answers.iter().map(answer).collect(),
    }
}

/// What the account that an elevation is put on holds all the time besides: a yes to something harmless opens that too.
fn account_holds(world: &World, elevation: &Elevation, demand: &Demand) -> Vec<String> {
    let target = world.target_of(elevation.right.scope).map(|target| target.scope);
    let Some((account, target)) = demand.account.zip(target) else { return Vec::new() };
    let mut held: Vec<&Standing> =
        world.standing_of(target, account).filter(|held| held.right != elevation.right).collect();
    held.sort_by_key(|held| held.id);
    held.sort_by_key(|held| std::cmp::Reverse(world.roles.get(&held.right.role).map(|role| role.weight)));
    let mut said: Vec<String> = held.iter().take(HELD_SAID).map(|held| world.right_name(held.right)).collect();
    if held.len() > HELD_SAID {
        said.push(format!("{} more", held.len() - HELD_SAID));
    }
    said
}

fn grant_view(world: &World, demand: &Demand, grant: &Grant) -> GrantView {
    GrantView {
        id: grant.id.to_string(),
        until: grant.until,
        moving_to: grant.moving_to,
        wanted: grant.wanted,
        seen: grant.seen,
        seen_at: grant.seen_at,
        verified_at: grant.verified_at,
        ends: demand.ends.clone(),
        leftovers: grant.leftovers.as_ref().map(|found| {
            found
                .iter()
                .map(|leftover| LeftoverView {
                    what: world.text(leftover.what),
                    when: leftover.when,
                    ended: leftover.ended,
                })
                .collect()
        }),
    }
}

/// Who could answer now, if the same were asked anew.
fn who_could(world: &World, elevation: &Elevation) -> String {
    match demand_for(world, elevation.holder, elevation.right, Timestamp::now()) {
        Ok(demand) => match demand.stages.as_slice() {
            [] => "asked anew it would need no yes".to_owned(),
            [first, ..] => format!("asked anew it would go to {}", names(world, &first.approvers).join(" or ")),
        },
        Err(refusal) => refusal.to_string(),
    }
}

/// A time as sentences say it: UTC, to the second.
fn at(time: Timestamp) -> String {
    time.strftime("%F %T UTC").to_string()
}

/// What an elevation is at, as one plain sentence.
fn state_sentence(world: &World, elevation: &Elevation, grant: Option<&Grant>, trouble: Option<&str>) -> String {
    let until = grant.map(|grant| at(grant.until)).unwrap_or_default();
    let said = match elevation.phase {
        Phase::Waiting => format!("waits {}", waits_for(world, elevation)),
        Phase::Scheduled => match elevation.start {
            StartChoice::At { time } => format!("begins at {}", at(time)),
            StartChoice::AtYes | StartChoice::OnBegin => "begins as soon as it may".to_owned(),
        },
        Phase::Ready => {
            let by = elevation.begin_by.map(at).unwrap_or_default();
            format!("ready; begin it by {by}: tempestas begin {}", elevation.id)
        }
        Phase::Opening => format!("being put on its target, until {until}"),
        Phase::Live => {
            let seen = grant.and_then(|grant| grant.verified_at).map(at).unwrap_or_default();
            format!("verified on its target at {seen}, live until {until}{}", goes_on(world, elevation, grant))
        }
        Phase::Closing => "being taken away on its target".to_owned(),
        Phase::Ended(end) => format!("{}{}", ended_sentence(elevation, grant, end), looked_at(world, elevation)),
    };
    match trouble {
        Some(trouble) => format!("{said}; {trouble}"),
        None => said,
    }
}

/// How going on with what is live stands; nothing where that wasn't asked.
fn goes_on(world: &World, elevation: &Elevation, grant: Option<&Grant>) -> String {
    if let Some(until) = grant.and_then(|grant| grant.moving_to) {
        return format!("; its end there is being moved to {}", at(until));
    }
    match &elevation.extension {
        Some(asked) => format!("; to go on until {} it waits {}", at(asked.until), waits_for(world, elevation)),
        None => String::new(),
    }
}

/// For whom it waits, until when, and what follows.
fn waits_for(world: &World, elevation: &Elevation) -> String {
    let stages = elevation.rounds.last().map(|round| &round.stages);
    let Some((stages, open)) = stages.and_then(|stages| Some((stages, stages.open()?))) else { return String::new() };
    let silent: Vec<SubjectId> = open.silent().collect();
    let until = open.until.map(at).unwrap_or_default();
    let onward = match open.onward.is_empty() {
        true => String::new(),
        false => format!(", then for {} too", names(world, &open.onward).join(" or ")),
    };
    let which = match (stages.open_at(), stages.all().len()) {
        (Some(stage), of) if of > 1 => format!(" (stage {} of {of})", stage + 1),
        _ => String::new(),
    };
    format!("for {} until {until}{onward}{which}", names(world, &silent).join(" or "))
}

/// Who has yet to look at what was done, or found what.
fn looked_at(world: &World, elevation: &Elevation) -> String {
    match elevation.debrief.as_ref().map(|debrief| (debrief, debrief.signed)) {
        None => String::new(),
        Some((_, Some(signed))) => {
            format!("; {} looked at it at {}: {}", world.subject_name(signed.by), at(signed.at), signed.finding.words())
        }
        Some((debrief, None)) => {
            let late = if debrief.higher > 0 { " (late, and gone higher)" } else { "" };
            format!("; to be looked at by {} until {}{late}", names(world, &debrief.by).join(" or "), at(debrief.until))
        }
    }
}

fn ended_sentence(elevation: &Elevation, grant: Option<&Grant>, end: End) -> String {
    let how = match end {
        End::Lapsed => "lapsed at its set time",
        End::Used => "was good for one use, which was seen",
        End::CutShort => "cut short, for it was to be held only while something else holds",
        End::GivenBack => "given back by its holder",
        End::Revoked => "revoked",
        End::Refused => "refused",
        End::Withdrawn => "withdrawn by its asker",
        End::Unanswered => "ran out",
        End::Failed => "failed",
    };
    match grant.and_then(|grant| Some((grant.seen_at?, grant.leftovers.as_ref()?.len()))) {
        Some((seen, 0)) => format!("{how}; read back as gone at {}, no leftovers found", at(seen)),
        Some((seen, 1)) => format!("{how}; read back as gone at {}, 1 leftover found", at(seen)),
        Some((seen, count)) => format!("{how}; read back as gone at {}, {count} leftovers found", at(seen)),
        None if elevation.trouble.is_none() && end == End::Refused => {
            let no = elevation.answers().any(|answer| answer.reason.is_some());
            if no { format!("{how}; the reason stands with the answer") } else { how.to_owned() }
        }
        None => how.to_owned(),
    }
}
