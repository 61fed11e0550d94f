//! What became heavier: the requests of a page that grew between two measurements.

use std::cmp::Reverse;
use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use super::{PageRequests, Request, RequestKind};
use crate::units::Bytes;

/// A request that brings more than before.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Growth {
    /// Its address.
    pub address: String,
    /// What it is.
    pub kind: RequestKind,
    /// What it brought before anybody scrolled; 0 where it was not asked for by then.
    pub before: Bytes,
    /// What it brings.
    pub after: Bytes,
}

impl Growth {
    /// How much more it is, in bytes.
    pub fn more(&self) -> u64 {
        self.after.get() - self.before.get()
    }
}

/// What comes before anybody scrolls.
fn early(page: &PageRequests) -> impl Iterator<Item = &Request> {
    page.0.iter().filter(|request| !request.lazy)
}

/// The requests by which a page became heavier from `before` to `after`, up to `most`, those that grew most first.
pub fn growth(before: &PageRequests, after: &PageRequests, most: usize) -> Vec<Growth> {
    let known: HashMap<&str, Bytes> =
        early(before).map(|request| (request.address.as_str(), request.bytes)).collect();
    let told = early(after).map(|request| Growth {
        address: request.address.clone(),
        kind: request.kind,
        before: known.get(request.address.as_str()).copied().unwrap_or_default(),
        after: request.bytes,
    });
    let mut grown: Vec<Growth> = told.filter(|one| one.after > one.before).collect();
    grown.sort_by_key(|one| Reverse(one.more()));
    grown.truncate(most);
    grown
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::load::samples::request;

    fn picture(address: &str, kb: u64) -> Request {
        request(address, RequestKind::Picture, kb * 1_000)
    }

    #[test]
    fn what_grew_is_told_with_what_came_anew_and_with_what_is_lazy_no_more() {
        let lazy = |one: Request| Request { lazy: true, ..one };
        let before = PageRequests(vec![
            picture("dome.jpg", 80),
            picture("gone.jpg", 500),
            lazy(picture("low.jpg", 60)),
            picture("lighter.jpg", 90),
            lazy(picture("lazy.jpg", 10)),
        ]);
        let after = PageRequests(vec![
            picture("dome.jpg", 900),
            picture("new.jpg", 40),
            picture("low.jpg", 60),
            picture("lighter.jpg", 30),
            lazy(picture("lazy.jpg", 700)),
        ]);
        let told = growth(&before, &after, 5);
        let told: Vec<_> = told.iter().map(|one| (one.address.as_str(), one.more())).collect();
        assert_eq!(told, [("dome.jpg", 820_000), ("low.jpg", 60_000), ("new.jpg", 40_000)]);
        assert_eq!(growth(&before, &after, 1).len(), 1);
        assert!(growth(&after, &after, 5).is_empty());
    }
}
