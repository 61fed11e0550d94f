//! The library's list.

use std::collections::BTreeSet;

use brisk_margin_core::issue::IssueKind;
use brisk_margin_store::pictures::{Filter, ListPage, Sort};
use brisk_margin_testing::made_up;
use uuid::Uuid;

use crate::support::{Home, home};

const PICTURES: u32 = 300;

/// The pictures of a list, a few at a time.
async fn paged(home: &Home, mut page: ListPage) -> Vec<Uuid> {
    let mut seen = Vec::new();
    loop {
        let (pictures, next) = home.store.pictures(&page).await.unwrap();
        seen.extend(pictures.into_iter().map(|picture| picture.id));
        match next {
            Some(next) => page.after = Some(next),
            None => return seen,
        }
    }
}

#[tokio::test]
async fn by_every_order_each_picture_is_listed_once() {
    let home = home().await;
    made_up::add_pictures(&home.database, PICTURES).await.unwrap();
    let sorts = [
        Sort::Arrival,
        Sort::Name,
        Sort::Bytes,
        Sort::Pixels,
        Sort::Format,
        Sort::Uses,
        Sort::State,
        Sort::Saving,
        Sort::Alt,
        Sort::Creator,
    ];
    for sort in sorts {
        for descending in [true, false] {
            let page = ListPage { sort, descending, limit: 37, ..ListPage::default() };
            let seen = paged(&home, page).await;
            let once: BTreeSet<_> = seen.iter().collect();
            assert_eq!((seen.len(), once.len()), (300, 300), "{sort:?}, {descending}");
        }
    }
}

#[tokio::test]
async fn a_filter_lists_what_it_counts() {
    let home = home().await;
    made_up::add_pictures(&home.database, PICTURES).await.unwrap();
    let counts = home.store.issue_counts().await.unwrap();
    assert!(counts.len() >= 5, "{counts:?}");
    for (issue, count) in counts {
        let filter = Filter { issues: vec![issue], ..Filter::default() };
        let page = ListPage { filter: filter.clone(), limit: 50, ..ListPage::default() };
        assert_eq!(paged(&home, page).await.len() as u64, count, "{issue:?}");
        assert_eq!(home.store.count_pictures(&filter).await.unwrap(), count, "{issue:?}");
    }
    let both = Filter { issues: vec![IssueKind::NoAlt, IssueKind::Heavier], ..Filter::default() };
    let both = home.store.count_pictures(&both).await.unwrap();
    // Every second has no alt text and every third is heavier: the odd multiples of three.
    assert_eq!(both, 50);
}
