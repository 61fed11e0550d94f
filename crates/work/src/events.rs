//! Events: what changes while somebody looks.

use tokio::sync::broadcast;

/// Tells whoever listens what changed. Clones share the same listeners.
#[derive(Clone, Debug)]
pub struct Events(broadcast::Sender<Event>);

/// Something that an open list or page may want to show.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Event {
    /// A picture was added, or changed.
    Pictures,
    /// A file was made.
    Variants,
    /// A page was measured, or a slot changed.
    Layouts,
    /// Measuring went on.
    Measuring,
}

impl Default for Events {
    fn default() -> Self {
        // A listener that falls this far behind is told to look at everything again.
        Self(broadcast::channel(64).0)
    }
}

impl Events {
    /// Tells whoever listens.
    pub fn tell(&self, event: Event) {
        // Nobody listening is fine.
        let _ = self.0.send(event);
    }

    /// Everything that is told from now on.
    pub fn listen(&self) -> broadcast::Receiver<Event> {
        self.0.subscribe()
    }
}
