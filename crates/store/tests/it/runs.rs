//! Items of runs: claimed by one, free again when its job is not in hand, ended by who has it.

use std::time::Duration;

use brisk_margin_core::rule::OutputRule;
use brisk_margin_core::run::forecast::{Forecast, Sample};
use brisk_margin_core::run::limits::RunLimits;
use brisk_margin_core::run::{ItemState, ResultOrder, StartedBy};
use brisk_margin_core::units::Bytes;
use brisk_margin_store::jobs::{Claim, Ending, Job};
use brisk_margin_store::runs::items::{DoneItem, ItemOutcome, ItemsShown, NewRunItem};
use brisk_margin_store::runs::{NewRun, run_job};
use uuid::Uuid;

use crate::support::{Home, home, picture};

const PATIENCE: Duration = Duration::from_secs(600);

/// A run over a picture in so many slots, and the jobs of two workers, begun by processes that live.
async fn started(home: &Home, slots: usize) -> (Uuid, Claim, Claim) {
    let (store, all) = (&home.store, &home.installation);
    let picture = picture(store, b"any").await.id;
    let set = |_| NewRunItem::Set {
        picture,
        slot: Uuid::now_v7(),
        before: Some(Bytes(9_000)),
        expected: Some(Bytes(900)),
    };
    let limits = RunLimits::default();
    let forecast = Forecast::of(&[], &[], &Sample::new(Vec::new()), None, &limits);
    let run = NewRun {
        name: String::new(),
        started_by: StartedBy::Hand,
        forecast,
        limits,
        rule: OutputRule::default(),
        own_rule: None,
        items: (0..slots).map(set).collect(),
    };
    let run = store.add_run(&run).await.unwrap();
    let mut jobs = Vec::new();
    for (lane, worker) in [(0, 7), (1, 8)] {
        let id = store.push_job(&run_job(run, lane)).await.unwrap();
        jobs.push(all.claim_job(id, worker, PATIENCE).await.unwrap().unwrap());
    }
    (run, Job::claim(&jobs[0]), Job::claim(&jobs[1]))
}

fn done() -> ItemOutcome {
    ItemOutcome::Done(DoneItem { after: Some(Bytes(800)), ..DoneItem::default() })
}

#[tokio::test]
async fn each_item_is_in_one_hand_and_free_again_when_that_lets_go() {
    let home = home().await;
    let _alive =
        (home.installation.listen(7).await.unwrap(), home.installation.listen(8).await.unwrap());
    let (run, one, other) = started(&home, 3).await;
    let store = &home.store;
    let next = async |by| store.claim_run_item(run, by).await.unwrap().map(|item| item.place);
    assert_eq!((next(one).await, next(other).await, next(one).await), (Some(1), Some(2), Some(3)));
    assert_eq!(next(other).await, None, "all are in hand");
    store.end_run(run).await.unwrap();
    let state = async || store.run(run).await.unwrap().unwrap();
    assert_eq!(state().await.totals.waiting, 3, "what is in hand is not over");

    // The job of the first is over without an end of its items.
    let later = Ending::Again { reason: "broken".to_owned(), pause: PATIENCE };
    assert!(home.installation.end_attempt(one, &later).await.unwrap());
    assert_eq!(next(other).await, Some(1));
    assert!(!store.end_run_item(run, 1, one, &done(), 1.0).await.unwrap(), "it lost it");
    assert!(store.end_run_item(run, 1, other, &done(), 1.0).await.unwrap());
    assert!(store.end_run_item(run, 2, other, &done(), 1.0).await.unwrap());
    assert_eq!(next(other).await, Some(3));
    // Given back, it did not count as begun.
    store.give_run_item_back(run, 3, other).await.unwrap();
    let item = store.claim_run_item(run, other).await.unwrap().unwrap();
    assert_eq!((item.place, item.begun), (3, 2));
    let failed = ItemOutcome::Failed("no such colours".to_owned());
    assert!(store.end_run_item(run, 3, other, &failed, 1.0).await.unwrap());
    store.end_run(run).await.unwrap();
    let totals = state().await.totals;
    assert_eq!((totals.done, totals.failed, totals.before, totals.after), (2, 1, 18_000, 1_600));
    let listed = store
        .run_items(run, ItemsShown::In(ItemState::Failed), ResultOrder::Score, 0, 9)
        .await
        .unwrap();
    assert_eq!(listed[0].failure.as_deref(), Some("no such colours"));
    assert_eq!(store.make_run_items_again(run, &[1, 3]).await.unwrap(), 1, "what is done stays");
}

#[tokio::test]
async fn a_run_of_a_hundred_thousand_is_added_claimed_and_summed_up_at_once() {
    let home = home().await;
    let _alive = home.installation.listen(7).await.unwrap();
    let (run, one, _) = started(&home, 100_000).await;
    assert_eq!(home.store.claim_run_item(run, one).await.unwrap().unwrap().place, 1);
    assert_eq!(home.store.run(run).await.unwrap().unwrap().totals.waiting, 100_000);
    let last =
        home.store.run_items(run, ItemsShown::All, ResultOrder::Score, 99_999, 10).await.unwrap();
    assert_eq!(last.len(), 1);
    assert!(home.store.cancel_run(run).await.unwrap());
    assert_eq!(home.store.run(run).await.unwrap().unwrap().totals.skipped, 100_000);
}
