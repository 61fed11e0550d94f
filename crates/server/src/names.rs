//! Names: what the parts of a pattern stand for, of a picture in the library.

use brisk_margin_core::naming::{self, Subject};
use brisk_margin_store::pictures::Picture;

/// What `picture`, in the slot of that name, is called; `initials` are the site's.
pub fn subject(picture: &Picture, slot: Option<String>, number: u32, initials: &str) -> Subject {
    let title = &picture.description.title;
    let taken = picture.told.taken.get(..10).map(|day| day.replace(':', "-"));
    let creator = naming::initials(&picture.description.creator);
    Subject {
        title: if title.is_empty() { picture.name.clone() } else { title.clone() },
        slot: slot.unwrap_or_default(),
        width: picture.facts.size.width,
        height: picture.facts.size.height,
        date: taken.unwrap_or_else(|| picture.created_at.format("%Y-%m-%d").to_string()),
        initials: if initials.is_empty() { creator } else { initials.to_owned() },
        number,
    }
}
