//! The record: filtered, as files, and with its proof.

use axum::body::Bytes;
use futures_util::stream;
use tempestas_api::{CheckpointReply, EntryProof, LedgerEntry, LedgerFilter, LedgerReply, SinceQuery};
use tempestas_core::{
    Export, Note, Recall, Sight, SubjectId, World,
    ledger::{EXPORT_FORM, HeadLine, LEAVES_A_LINE, LeavesLine, consistency_proof, inclusion_proof},
};
use tempestas_engine::Snapshot;
use tempestas_store::{Entry, SeenFacts, Wanted};

use super::{reference, seen_subject, within};
use crate::{
    app::App,
    callers::{Overseer, SignedIn},
    door::{Answer, At, Download, Json, Query},
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

/// Facts read from the store at a time.
const PAGE: u32 = 500;
/// Most pages that one reply looks at; the next goes on from there.
const LIST_PAGES: usize = 20;
/// Most pages that one file looks at.
const CSV_PAGES: usize = 2_000;
/// Entries in one reply, where nobody says how many.
const LISTED: usize = 100;
/// Most entries in one reply.
const REPLY_MOST: usize = 1000;
/// Most entries in one CSV file; the export holds all.
const CSV_MOST: usize = 100_000;

/// A filter whose names were looked up. Of somebody that the caller doesn't see nobody says whether they are there.
fn wanted(world: &World, sight: &Sight, filter: LedgerFilter) -> Result<Wanted, Failure> {
    let LedgerFilter { before, most: _, kind, who, elevation, since, until } = filter;
    Ok(Wanted {
        before,
        kind,
        who: who.as_deref().map(|name| seen_subject(world, sight, name)).transpose()?,
        elevation: elevation.as_deref().map(reference).transpose()?,
        since,
        until,
        seen: None,
    })
}

/// Entries that are wanted and in sight, newest first, and where to go on: also where so many were looked at that the rest is
/// for another request.
async fn entries(
    me: &SignedIn,
    wanted: &Wanted,
    most: usize,
    pages: usize,
) -> Result<(Vec<LedgerEntry>, Option<u64>), Failure> {
    let (app, sight) = (&me.app, &me.sight());
    let (mut found, mut wanted) = (Vec::new(), wanted.clone());
    for n in 0..pages {
        // Who sees much has a page of it among the first; who sees little finds it by the indexes of that.
        if n == 1 {
            wanted.seen = seen_facts(me, &app.world());
        }
        let page = app.store().find_facts(&wanted, PAGE).await?;
        let Some(last) = page.last().map(|entry| entry.seq) else { return Ok((found, None)) };
        let is_last = page.len() < PAGE as usize;
        let world = told(app, sight, &page).await?;
        let mut seen: Vec<_> =
            page.iter().filter_map(|entry| Some((entry.seq, sight.see(&world, &entry.fact)?))).collect();
        let room = most - found.len();
        let more = seen.len() > room;
        seen.truncate(room);
        let world = app.recall(&world, Recall::texts_of(seen.iter().map(|(_, fact)| fact.get()))).await?;
        found.extend(seen.iter().map(|(number, fact)| views::entry(&world, *number, *fact)));
        if more {
            return Ok((found, seen.last().map(|(number, _)| *number).or(wanted.before)));
        }
        if is_last {
            return Ok((found, None));
        }
        wanted.before = Some(last);
    }
    Ok((found, wanted.before))
}

/// What somebody may see of the record; none where that is everything.
fn seen_facts(me: &SignedIn, world: &World) -> Option<SeenFacts> {
    let sight = me.sight();
    let active = || world.active().filter(|one| sight.sees(world, *one)).map(|one| one.id).collect();
    me.seen(world).map(|seen| SeenFacts { seen, active: active() })
}

/// A snapshot that tells whether somebody may see some entries: who sees a part sees what is about elevations of theirs.
async fn told(app: &App, sight: &Sight, entries: &[Entry]) -> Result<Snapshot, Failure> {
    let world = app.world();
    if sight.sees_all(&world) {
        return Ok(world);
    }
    app.recall(&world, Recall::elevations_of(entries.iter().map(|entry| &entry.fact))).await
}

pub(super) async fn list(me: SignedIn, Query(filter): Query<LedgerFilter>) -> Answer<LedgerReply> {
    let most = within("most", filter.most.unwrap_or(LISTED), 1..=REPLY_MOST)?;
    let _turn = me.app.identity().reading(me.person).await?;
    let wanted = wanted(&me.app.world(), &me.sight(), filter)?;
    let (entries, before) = entries(&me, &wanted, most, LIST_PAGES).await?;
    Ok(Json(LedgerReply { entries, before }))
}

/// What somebody did, or what was done to them, lately.
pub(super) async fn lately(me: &SignedIn, who: SubjectId, most: usize) -> Result<Vec<LedgerEntry>, Failure> {
    let wanted = Wanted { who: Some(who), ..Wanted::default() };
    Ok(entries(me, &wanted, most, 1).await?.0)
}

pub(super) async fn proof(me: SignedIn, At(n): At) -> Answer<EntryProof> {
    let unknown = || Failure::unknown("entry", &n, "the record lists those you may see");
    let number: u64 = n.parse().map_err(|_| unknown())?;
    let sight = me.sight();
    let mut fact = me.app.store().facts_before(Some(number.saturating_add(1)), 1).await?;
    fact.retain(|entry| entry.seq == number);
    let world = told(&me.app, &sight, &fact).await?;
    if !fact.iter().any(|entry| sight.sees(&world, &entry.fact)) {
        return Err(unknown());
    }
    let line = me.app.store().fact_lines(number, 1).await?.pop().ok_or_else(unknown)?;
    me.submit(Note::Exported(Export::Proof)).await?;
    let note = latest_note(&me.app).await?;
    let verifier = me.app.signer().verifier();
    let signed = verifier.open(&note).map_err(|error| Failure::Failed(anyhow::anyhow!(error)))?.checkpoint;
    let hashes = me.app.store().hashes(number, signed.size).await?;
    let proof = inclusion_proof(&hashes, number, signed.size)
        .ok_or_else(|| Failure::Failed(anyhow::anyhow!("hashes are missing for a proof")))?;
    Ok(Json(EntryProof {
        n: number,
        fact: line.fact,
        leaf: line.leaf,
        proof,
        size: signed.size,
        root: signed.root,
        checkpoint: note,
        public_key: verifier.to_line(),
    }))
}

pub(super) async fn csv(me: SignedIn, Query(filter): Query<LedgerFilter>) -> Result<Download, Failure> {
    let _turn = me.app.identity().reading(me.person).await?;
    let most = filter.most.map_or(Ok(CSV_MOST), |most| within("most", most, 1..=REPLY_MOST))?;
    let wanted = wanted(&me.app.world(), &me.sight(), filter)?;
    let (mut entries, _) = entries(&me, &wanted, most, CSV_PAGES).await?;
    entries.reverse();
    let rows = entries.into_iter().map(|entry| {
        let (number, when, kind) = (entry.n.to_string(), entry.at.to_string(), entry.what.kind().to_owned());
        [number, when, entry.who, entry.from.unwrap_or_default(), kind, entry.says]
    });
    let file = Download::csv(&["number", "when", "who", "from", "kind", "what"], rows)?;
    me.submit(Note::Exported(Export::Record)).await?;
    Ok(file)
}

/// Only those who may see everything get the whole.
async fn ensure_sees_all(me: &SignedIn) -> Result<(), Failure> {
    let sight = me.sight();
    if sight.sees_all(&me.app.world()) {
        return Ok(());
    }
    Err(EdgeRefusal::WholeLedger.into())
}

pub(super) async fn export(Overseer(me): Overseer) -> Result<Download, Failure> {
    ensure_sees_all(&me).await?;
    // First, so that what is taken away says who took it.
    me.submit(Note::Exported(Export::Ledger)).await?;
    let note = latest_note(&me.app).await?;
    let size = me
        .app
        .signer()
        .verifier()
        .open(&note)
        .map_err(|error| Failure::Failed(anyhow::anyhow!(error)))?
        .checkpoint
        .size;
    let app = me.app.clone();
    let head = Part::Head(HeadLine { ledger: EXPORT_FORM, checkpoint: note });
    // Read page by page as it is sent, up to the checkpoint and no further.
    let lines = stream::try_unfold((app, head), move |(app, part)| async move {
        let written = part.write(&app, size).await.map_err(std::io::Error::other)?;
        Ok::<_, std::io::Error>(written.map(|(text, next)| (Bytes::from(text), (app, next))))
    });
    Ok(Download::stream("application/jsonl", lines))
}

/// What of an export is written next.
enum Part {
    Head(HeadLine),
    /// Facts from a number on.
    Facts(u64),
    /// Leaf hashes from a number on.
    Leaves(u64),
}

impl Part {
    /// Its lines, and what comes after it; none after the last.
    async fn write(self, app: &App, size: u64) -> anyhow::Result<Option<(String, Self)>> {
        let line = |line: String| line + "\n";
        Ok(match self {
            Self::Head(head) => Some((line(serde_json::to_string(&head)?), Self::Facts(0))),
            Self::Facts(from) if from < size => {
                let most = u32::try_from(size - from).unwrap_or(PAGE).min(PAGE);
                let page = app.store().fact_lines(from, most).await?;
                anyhow::ensure!(!page.is_empty(), "facts are missing");
                let text: Result<String, _> = page.iter().map(|fact| serde_json::to_string(fact).map(line)).collect();
                Some((text?, Self::Facts(from + page.len() as u64)))
            }
            Self::Facts(_) => Box::pin(Self::Leaves(0).write(app, size)).await?,
            Self::Leaves(from) if from < size => {
                let to = size.min(from + LEAVES_A_LINE as u64);
                let leaves = app.store().leaves(from, to).await?;
                Some((line(serde_json::to_string(&LeavesLine { leaves_from: from, leaves })?), Self::Leaves(to)))
            }
            Self::Leaves(_) => None,
        })
    }
}

async fn latest_note(app: &App) -> Result<String, Failure> {
    app.store().last_checkpoint().await?.ok_or_else(|| Failure::Failed(anyhow::anyhow!("there is no checkpoint")))
}

pub(super) async fn checkpoint(me: SignedIn, Query(query): Query<SinceQuery>) -> Answer<CheckpointReply> {
    let note = latest_note(&me.app).await?;
    let verifier = me.app.signer().verifier();
    let size = verifier.open(&note).map_err(|error| Failure::Failed(anyhow::anyhow!(error)))?.checkpoint.size;
    let proof = match query.since {
        Some(since) if since > size => {
            return Err(EdgeRefusal::TailCut { size, since }.into());
        }
        Some(since) if since > 0 => {
            let hashes = me.app.store().hashes(since, size).await?;
            consistency_proof(&hashes, since, size)
                .ok_or_else(|| Failure::Failed(anyhow::anyhow!("hashes are missing for a proof")))?
        }
        _ => Vec::new(),
    };
    Ok(Json(CheckpointReply { checkpoint: note, public_key: verifier.to_line(), proof }))
}
