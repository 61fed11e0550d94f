//! Filming: what is seen of a page while it comes.

use std::sync::{Arc, Mutex};
use std::time::Duration;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::Connection;
use brisk_margin_core::units::{Density, Millis};
use serde_json::{Value, json};
use tokio::sync::broadcast;
use tokio::sync::broadcast::error::RecvError;
use tokio::time::timeout;

use crate::devtools::{DevtoolsError, Event};
use crate::error::PageError;
use crate::page::{Came, Tab};

/// How wide and high pictures of a film are at most, in pixels.
const LARGEST: u32 = 320;
/// How faithful they are, by Chromium's measure.
const QUALITY: u32 = 75;
/// What was painted last comes within this time.
const LAST_FRAME: Duration = Duration::from_millis(400);

/// A page as it came.
#[derive(Debug, Clone, PartialEq)]
pub struct Film {
    /// Each picture, as a JPEG file, with when it was painted, from the start of the page.
    pub frames: Vec<(Millis, Vec<u8>)>,
    /// How it came.
    pub came: Came,
}

/// A picture as the browser tells it: seconds since 1970.
type Frame = (f64, Vec<u8>);

impl Tab {
    /// Films how `address` comes for the first time at a layout width, to a visitor who does not scroll, by a
    /// browser that throttles itself to `connection`.
    ///
    /// # Errors
    /// [`PageError::NeverLoads`] where it takes longer than `patience`.
    pub async fn filmed(
        &self,
        address: &str,
        (viewport, density): (LayoutWidth, Density),
        connection: Connection,
        patience: Duration,
    ) -> Result<Film, PageError> {
        self.forget().await?;
        self.hide(false).await?;
        self.resize(viewport, density).await?;
        self.throttle(Some(connection)).await?;
        let filmed = self.frames(address, patience).await;
        self.throttle(None).await?;
        filmed
    }

    async fn frames(&self, address: &str, patience: Duration) -> Result<Film, PageError> {
        // Nothing is painted of a tab that another one hides.
        self.call("Page.bringToFront", json!({})).await?;
        let all = Mutex::new(Vec::<Frame>::new());
        let film = json!({
            "format": "jpeg", "quality": QUALITY, "maxWidth": LARGEST, "maxHeight": LARGEST,
        });
        // Heard from here on: of a picture that nobody acknowledges the next one does not come.
        let filming = self.film_into(&all, self.session().events());
        tokio::pin!(filming);
        self.call("Page.startScreencast", film).await?;
        let came = tokio::select! {
            came = self.timed(address, patience) => came,
            ended = &mut filming => Err(ended.into()),
        };
        if came.is_ok() {
            let _ = timeout(LAST_FRAME, &mut filming).await;
        }
        self.call("Page.stopScreencast", json!({})).await?;
        let came = came?;
        let start = self.evaluate("performance.timeOrigin").await?.as_f64().unwrap_or(0.0);
        let all = std::mem::take(&mut *all.lock().expect("no panic holds the lock"));
        // What was painted before is of the page before.
        let of_page = all.into_iter().filter_map(|(painted, picture)| {
            Some((Millis::new(painted * 1_000.0 - start).ok()?, picture))
        });
        Ok(Film { frames: of_page.collect(), came })
    }

    /// Adds each picture that the browser tells to `frames`, until the browser is gone.
    async fn film_into(
        &self,
        frames: &Mutex<Vec<Frame>>,
        mut events: broadcast::Receiver<Arc<Event>>,
    ) -> DevtoolsError {
        loop {
            let event = match events.recv().await {
                Ok(event) => event,
                Err(RecvError::Lagged(_)) => continue,
                Err(RecvError::Closed) => return DevtoolsError::Gone,
            };
            if !self.session().owns(&event) || event.method != "Page.screencastFrame" {
                continue;
            }
            if let Some(frame) = frame(&event.params) {
                frames.lock().expect("no panic holds the lock").push(frame);
            }
            // The next one comes only then.
            let heard = json!({"sessionId": event.params["sessionId"]});
            if let Err(error) = self.call("Page.screencastFrameAck", heard).await {
                return error;
            }
        }
    }
}

fn frame(told: &Value) -> Option<Frame> {
    let painted = told["metadata"]["timestamp"].as_f64()?;
    Some((painted, STANDARD.decode(told["data"].as_str()?).ok()?))
}
