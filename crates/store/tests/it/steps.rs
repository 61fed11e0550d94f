//! Steps of many pictures at once.

use brisk_margin_core::adjustments::Adjustments;
use brisk_margin_core::framing::FocalPoint;
use brisk_margin_store::pictures::Picture;
use brisk_margin_store::{Store, StoreError};

use crate::support::{home, picture};

async fn summaries(store: &Store, picture: &Picture) -> Vec<String> {
    let steps = store.steps(picture.id).await.unwrap();
    // Each but the first follows the one before it.
    for pair in steps.windows(2) {
        assert_eq!(pair[1].parent, Some(pair[0].id));
    }
    steps.into_iter().map(|step| step.summary).collect()
}

#[tokio::test]
async fn what_is_laid_on_many_is_a_step_of_each_and_one_change() {
    let home = home().await;
    let store = &home.store;
    let (moor, path) = (picture(store, b"moor").await, picture(store, b"path").await);
    let as_it_came = moor.adjustments.clone();
    let at = |x: f64| {
        let focal = FocalPoint::new(x, 0.5).unwrap();
        Adjustments { focal, ..as_it_came.clone() }
    };
    store.lay_adjustments("moved", &[(moor.clone(), at(0.1))]).await.unwrap();
    let moor = store.picture(moor.id).await.unwrap().unwrap();
    let both = [(moor.clone(), at(0.2)), (path.clone(), at(0.3))];
    let change = store.lay_adjustments("laid", &both).await.unwrap().unwrap();

    assert_eq!(change.pictures.len(), 2);
    assert_eq!(summaries(store, &moor).await, ["as it arrived", "moved", "laid"]);
    assert_eq!(summaries(store, &path).await, ["as it arrived", "laid"]);
    let focal = async |picture: &Picture| {
        store.picture(picture.id).await.unwrap().unwrap().adjustments.focal.x()
    };
    assert_eq!((focal(&moor).await, focal(&path).await), (0.2, 0.3));

    store.take_back(change.id).await.unwrap();
    assert_eq!((focal(&moor).await, focal(&path).await), (0.1, 0.5));
}

#[tokio::test]
async fn who_lays_onto_what_somebody_saved_meanwhile_is_told_and_a_focal_point_goes_onto_it() {
    let home = home().await;
    let store = &home.store;
    let seen = picture(store, b"moor").await;
    let laid = |x: f64| {
        let focal = FocalPoint::new(x, 0.5).unwrap();
        Adjustments { focal, ..seen.adjustments.clone() }
    };
    store.lay_adjustments("first", &[(seen.clone(), laid(0.1))]).await.unwrap();
    let second = store.lay_adjustments("second", &[(seen.clone(), laid(0.2))]).await;
    assert!(matches!(second, Err(StoreError::SavedMeanwhile)), "{second:?}");
    let held = async || store.picture(seen.id).await.unwrap().unwrap().adjustments;
    assert_eq!(held().await.focal.x(), 0.1, "nothing was overwritten");

    let points = (1..=4)
        .map(|n| store.set_focal(seen.id, FocalPoint::new(0.1 * f64::from(n), 0.9).unwrap()));
    for moved in futures::future::join_all(points).await {
        assert!(moved.unwrap().is_some(), "nobody is sent away for a focal point");
    }
    assert_eq!(held().await.focal.y(), 0.9);
}
