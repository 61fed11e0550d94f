//! Events: what changes while somebody looks.

use std::convert::Infallible;

use axum::extract::State;
use axum::response::Sse;
use axum::response::sse::{Event, KeepAlive};
use futures::{Stream, StreamExt};
use tokio_stream::wrappers::BroadcastStream;

use crate::state::App;
use brisk_margin_work::events;

/// A stream of server-sent events, each named after what changed: `pictures`, `variants`,
/// `layouts`, `measuring`, or `all` where a listener was too slow to be told one by one.
#[utoipa::path(get, path = "/api/events", responses(
    (status = 200, content_type = "text/event-stream", body = String),
))]
pub(super) async fn events(
    State(app): State<App>,
) -> Sse<impl Stream<Item = Result<Event, Infallible>>> {
    let events = BroadcastStream::new(app.events.listen()).map(|change| {
        let name = match change {
            Ok(events::Event::Pictures) => "pictures",
            Ok(events::Event::Variants) => "variants",
            Ok(events::Event::Layouts) => "layouts",
            Ok(events::Event::Measuring) => "measuring",
            Err(_) => "all",
        };
        // An event without data is not delivered (HTML Standard, 9.2.6).
        Ok(Event::default().event(name).data(name))
    });
    Sse::new(events).keep_alive(KeepAlive::default())
}
