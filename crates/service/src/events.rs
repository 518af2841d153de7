//! Server-sent events: which lists changed, and nothing more; the reader fetches under its own Sight.

use std::{collections::BTreeSet, convert::Infallible, time::Duration};

use axum::response::sse::{Event as Sse, KeepAlive, Sse as Reply};
use futures_util::{Stream, StreamExt as _, stream};
use tempestas_api::Event;
use tempestas_core::Topic;
use tokio::sync::broadcast::error::RecvError;

use crate::{
    callers::{SignedIn, still_holds},
    door::{EventBody, EventStream},
    problem::Failure,
};

/// How often a listener's sign-in is looked at again, and a silent line is kept open.
const LOOK_AGAIN: Duration = Duration::from_secs(10);

/// What somebody who fell behind must look at again.
const ALL: [Topic; 8] = [
    Topic::Elevations,
    Topic::Standing,
    Topic::People,
    Topic::Estate,
    Topic::Terms,
    Topic::Alarms,
    Topic::Stops,
    Topic::Record,
];

pub(crate) async fn listen(me: SignedIn) -> Result<EventStream, Failure> {
    let stream: EventBody = Box::pin(events(me).fuse());
    Ok(EventStream(Reply::new(stream).keep_alive(KeepAlive::new().interval(LOOK_AGAIN))))
}

/// Begins with where the ledger stands, so that a reader who comes back knows whether it missed anything.
fn events(me: SignedIn) -> impl Stream<Item = Result<Sse, Infallible>> + Send {
    let (changes, stopping) = (me.app.changes(), me.app.stopping());
    let seq = me.app.world().size();
    let first = message(&BTreeSet::new(), seq);
    stream::unfold((me, changes, stopping, Some(first)), |(me, mut changes, mut stopping, first)| async move {
        if let Some(first) = first {
            return Some((Ok(first), (me, changes, stopping, None)));
        }
        loop {
            let heard = tokio::select! {
                heard = changes.recv() => heard,
                _ = stopping.changed() => return None,
                () = tokio::time::sleep(LOOK_AGAIN) => {
                    if still_holds(&me).await { continue } else { return None }
                }
            };
            let message = match heard {
                Ok(change) => message(&change.topics, change.size),
                Err(RecvError::Lagged(_)) => message(&ALL.into(), me.app.world().size()),
                Err(RecvError::Closed) => return None,
            };
            return Some((Ok(message), (me, changes, stopping, None)));
        }
    })
}

fn message(topics: &BTreeSet<Topic>, seq: u64) -> Sse {
    let event = Event { topics: topics.iter().copied().collect(), seq };
    Sse::default().data(serde_json::to_string(&event).unwrap_or_default())
}
