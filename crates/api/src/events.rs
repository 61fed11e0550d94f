//! Events: what changes while somebody looks.

use std::collections::{BTreeMap, BTreeSet};
use std::convert::Infallible;
use std::time::Duration;

use axum::extract::State;
use axum::response::Sse;
use axum::response::sse::{Event, KeepAlive};
use brisk_margin_store::changes::{ChangeKind, RowsChanged, Told};
use brisk_margin_work::sites::Sites;
use futures::{Stream, StreamExt, stream};
use serde_json::json;
use tokio::sync::broadcast::Receiver;
use tokio::sync::broadcast::error::RecvError;
use tokio::time::{Instant, timeout_at};
use uuid::Uuid;

use crate::state::App;

/// What is told within this time is told together, so that nobody is told more than a few times a
/// second.
const TOGETHER: Duration = Duration::from_millis(250);
/// More ids than this are told as a change of anything of the kind.
const MOST_IDS: usize = 200;

/// A stream of server-sent events, each named after the kind of what changed at the site: `pictures`,
/// `variants`, `trials`, `steps`, `jobs`, `layouts`, `rules`, `site`, `shelves`, `presets`, `alike`,
/// `runs`, `publications`, `overruns`, `folder`, `sites`; or `all` where something was missed. The data are an object, whose `ids` say which
/// rows changed where they are few; those of variants, trials and steps are the ids of their
/// pictures.
#[utoipa::path(get, path = "/events", responses(
    (status = 200, content_type = "text/event-stream", body = String),
))]
pub(super) async fn events(
    State(app): State<App>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    stream_of(app.events.listen(), Some(app.store.schema().to_owned()))
}

/// A stream of server-sent events as a site's, of all sites together.
#[utoipa::path(get, path = "/api/events", responses(
    (status = 200, content_type = "text/event-stream", body = String),
))]
pub(super) async fn all_events(
    State(sites): State<Sites>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    stream_of(sites.events().listen(), None)
}

/// What is told of `site`, or of all.
fn stream_of(
    told: Receiver<Told>,
    site: Option<String>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let bursts = stream::unfold((told, site), |(mut told, site)| async move {
        let burst = Burst::next(&mut told, site.as_deref()).await?;
        Some((stream::iter(burst.events()), (told, site)))
    });
    Sse::new(bursts.flatten().map(Ok)).keep_alive(KeepAlive::default())
}

/// What was told within a short time.
#[derive(Debug, Default, PartialEq, Eq)]
struct Burst {
    missed: bool,
    /// The ids by kind; none where they are many.
    changed: BTreeMap<ChangeKind, Option<BTreeSet<Uuid>>>,
}

impl Burst {
    /// Waits for something at `site`, or at any, and for what comes soon after it; nothing where
    /// nobody tells any more.
    async fn next(told: &mut Receiver<Told>, site: Option<&str>) -> Option<Self> {
        let mut burst = Self::default();
        while burst.is_empty() {
            burst.add(told.recv().await, site)?;
        }
        let end = Instant::now() + TOGETHER;
        while let Ok(next) = timeout_at(end, told.recv()).await {
            if burst.add(next, site).is_none() {
                break;
            }
        }
        Some(burst)
    }

    fn is_empty(&self) -> bool {
        !self.missed && self.changed.is_empty()
    }

    fn add(&mut self, told: Result<Told, RecvError>, here: Option<&str>) -> Option<()> {
        match told {
            Ok(Told::Changed(RowsChanged { kind: ChangeKind::Stale, .. }) | Told::Delivered(_)) => {
            }
            Ok(Told::Changed(RowsChanged { site, .. }))
                if here.is_some_and(|here| site != here) => {}
            Ok(Told::Changed(RowsChanged { kind, ids, .. })) => {
                let known = self.changed.entry(kind).or_insert_with(|| Some(BTreeSet::new()));
                *known = match (known.take(), ids) {
                    (Some(mut known), Some(ids)) if known.len() + ids.len() <= MOST_IDS => {
                        known.extend(ids);
                        Some(known)
                    }
                    _ => None,
                };
            }
            Ok(Told::MissedSome) | Err(RecvError::Lagged(_)) => self.missed = true,
            Err(RecvError::Closed) => return None,
        }
        Some(())
    }

    fn events(self) -> Vec<Event> {
        let event = |name: &str, data: serde_json::Value| {
            // An event without data is not delivered (HTML Standard, 9.2.6).
            Event::default().event(name).data(data.to_string())
        };
        if self.missed {
            return vec![event("all", json!({}))];
        }
        let told = self.changed.into_iter();
        told.map(|(kind, ids)| match ids {
            Some(ids) => event(kind.name(), json!({ "ids": ids })),
            None => event(kind.name(), json!({})),
        })
        .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn changed(kind: ChangeKind, ids: Option<&[u128]>) -> Result<Told, RecvError> {
        let ids = ids.map(|ids| ids.iter().map(|&id| Uuid::from_u128(id)).collect());
        Ok(Told::Changed(RowsChanged { site: "here".to_owned(), kind, ids }))
    }

    #[test]
    fn what_is_told_together_is_told_once_a_kind() {
        let mut burst = Burst::default();
        for told in [
            changed(ChangeKind::Pictures, Some(&[1, 2])),
            changed(ChangeKind::Stale, None),
            changed(ChangeKind::Pictures, Some(&[2, 3])),
            changed(ChangeKind::Layouts, None),
        ] {
            burst.add(told, Some("here"));
        }
        assert_eq!(burst.changed.len(), 2);
        let ids = burst.changed[&ChangeKind::Pictures].as_ref().unwrap();
        assert_eq!(ids.len(), 3);
        assert_eq!(burst.changed[&ChangeKind::Layouts], None);
    }

    #[test]
    fn too_many_ids_are_any_and_stay_so() {
        let many: Vec<u128> = (0..MOST_IDS as u128 + 1).collect();
        let mut burst = Burst::default();
        for ids in [Some(&many[..150]), Some(&many[150..]), Some(&many[..1])] {
            burst.add(changed(ChangeKind::Jobs, ids), Some("here"));
        }
        assert_eq!(burst.changed[&ChangeKind::Jobs], None);
    }

    #[test]
    fn another_sites_changes_are_not_told() {
        let mut burst = Burst::default();
        burst.add(changed(ChangeKind::Pictures, Some(&[1])), Some("there"));
        assert!(burst.is_empty());
    }

    #[test]
    fn whoever_fell_behind_is_told_to_look_at_everything() {
        let mut burst = Burst::default();
        burst.add(changed(ChangeKind::Pictures, Some(&[1])), Some("here"));
        burst.add(Err(RecvError::Lagged(7)), Some("here"));
        assert_eq!(burst.events().len(), 1);
    }
}
