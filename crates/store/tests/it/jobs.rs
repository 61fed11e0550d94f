//! Jobs: begun by one, given back, cancelled, tried again, and found again when they got lost.

use std::time::Duration;

use brisk_margin_core::job::{JobKind, JobState, MOST_ATTEMPTS, MOST_AWAITED};
use brisk_margin_store::jobs::{Ending, Heard, Job, NewJob, Progress};
use brisk_margin_store::{Installation, Store, StoreError};
use brisk_margin_testing::execute;
use serde_json::json;
use uuid::Uuid;

use crate::support::home;

fn measuring(key: &str) -> NewJob {
    NewJob::new(JobKind::Measure, key, json!({"address": key}))
}

/// Longer than any test.
const PATIENCE: Duration = Duration::from_secs(600);

/// Begins a job as a process that lives.
async fn begun(all: &Installation, id: Uuid) -> Job {
    all.claim_job(id, 7, PATIENCE).await.unwrap().expect("it waits")
}

async fn state(store: &Store, id: Uuid) -> (JobState, u32) {
    let job = store.job(id).await.unwrap().unwrap();
    (job.state, job.attempts)
}

#[tokio::test]
async fn a_job_that_waits_is_added_once_and_begun_by_one() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    let _alive = all.listen(7).await.unwrap();
    let id = store.push_job(&measuring("a")).await.unwrap();
    assert_eq!(store.push_job(&measuring("a")).await.unwrap(), id, "the same waits already");
    assert_ne!(store.push_job(&measuring("b")).await.unwrap(), id);

    let claims = futures::future::join_all((0..8).map(|_| all.claim_job(id, 7, PATIENCE))).await;
    assert_eq!(claims.into_iter().filter(|claim| claim.as_ref().unwrap().is_some()).count(), 1);
    // While it runs, the same may be wished for again: what it would see has changed.
    assert_ne!(store.push_job(&measuring("a")).await.unwrap(), id);
}

#[tokio::test]
async fn so_many_may_wait_for_somebody_and_what_nobody_waits_for_goes_on() {
    let home = home().await;
    let store = &home.store;
    for n in 0..MOST_AWAITED {
        store.push_job(&measuring(&n.to_string()).awaited()).await.unwrap();
    }
    let one_more = store.push_job(&measuring("one more").awaited()).await;
    assert!(matches!(one_more, Err(StoreError::TooManyJobs)), "{one_more:?}");
    store.push_job(&measuring("in the background")).await.unwrap();
    let waiting = store.open_job(JobKind::Measure, "7").await.unwrap().unwrap();
    assert!(store.cancel_job(waiting.id).await.unwrap());
    store.push_job(&measuring("one more").awaited()).await.unwrap();
}

#[tokio::test]
async fn a_job_that_fails_waits_longer_each_time_and_is_set_aside_until_somebody_retries_it() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    let _alive = all.listen(7).await.unwrap();
    let id = store.push_job(&measuring("a")).await.unwrap();
    let claim = begun(all, id).await.claim();
    let again = Ending::Again { reason: "no room".to_owned(), pause: Duration::from_secs(60) };
    assert!(all.end_attempt(claim, &again).await.unwrap());
    assert_eq!(all.claim_job(id, 7, PATIENCE).await.unwrap(), None, "not before its pause is over");
    let job = store.job(id).await.unwrap().unwrap();
    assert_eq!(
        (job.state, job.attempts, job.reason.as_deref()),
        (JobState::Waiting, 1, Some("no room"))
    );

    // Whoever waits for it has it tried at once.
    store.push_job(&measuring("a").awaited()).await.unwrap();
    let claim = begun(all, id).await.claim();
    let aside = Ending::SetAside { reason: "no page".to_owned() };
    all.end_attempt(claim, &aside).await.unwrap();
    assert_eq!(state(store, id).await, (JobState::Failed, 2));
    assert_eq!(store.shown_jobs(10).await.unwrap()[0].reason.as_deref(), Some("no page"));

    assert!(store.retry_job(id).await.unwrap());
    let claim = begun(all, id).await.claim();
    all.end_attempt(claim, &Ending::Done).await.unwrap();
    let job = store.job(id).await.unwrap().unwrap();
    assert_eq!((job.state, job.reason), (JobState::Done, None));
    assert!(!store.retry_job(id).await.unwrap(), "done is done");
}

#[tokio::test]
async fn a_job_whose_process_died_goes_on_where_it_was_and_the_dead_are_not_heard() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    let dying = all.listen(7).await.unwrap();
    let id = store.push_job(&measuring("a")).await.unwrap();
    let claim = begun(all, id).await.claim();
    let progress = Progress { done: 3, total: Some(7) };
    let heard = all.note_progress(claim, progress, Some(json!({"page": 3}))).await.unwrap();
    assert_eq!(heard, Heard::GoOn);
    assert_eq!(all.recover_jobs().await.unwrap(), 0, "it lives");
    assert_eq!(all.claim_job(id, 8, PATIENCE).await.unwrap(), None, "nobody takes it away");

    drop(dying);
    let _alive = all.listen(8).await.unwrap();
    for _ in 0..100 {
        if all.recover_jobs().await.unwrap() > 0 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    let job = all.claim_job(id, 8, PATIENCE).await.unwrap().expect("it waits again");
    assert_eq!((job.checkpoint, job.progress), (Some(json!({"page": 3})), progress));
    assert_eq!(all.note_progress(claim, progress, None).await.unwrap(), Heard::Lost);
    assert!(!all.end_attempt(claim, &Ending::Done).await.unwrap());
    assert_eq!(state(store, id).await.0, JobState::Running);
}

#[tokio::test]
async fn a_process_that_hangs_is_replaced_when_its_patience_is_over() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    // Both live: the first one gives no sign of it.
    let _alive = (all.listen(7).await.unwrap(), all.listen(8).await.unwrap());
    let id = store.push_job(&measuring("a")).await.unwrap();
    let soon = Duration::from_millis(400);
    let hung = all.claim_job(id, 7, soon).await.unwrap().unwrap().claim();
    assert_eq!(all.recover_jobs().await.unwrap(), 0, "it has time left");
    assert!(all.sign_of_life(hung, soon * 2).await.unwrap());
    tokio::time::sleep(soon).await;
    assert_eq!(all.recover_jobs().await.unwrap(), 0, "it gave a sign");
    tokio::time::sleep(soon).await;
    assert_eq!(all.recover_jobs().await.unwrap(), 1);
    assert!(all.claim_job(id, 8, PATIENCE).await.unwrap().is_some());
    assert!(!all.sign_of_life(hung, PATIENCE).await.unwrap(), "it hears that it lost the job");
}

#[tokio::test]
async fn of_two_with_one_key_whose_processes_died_one_goes_on() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    // One was begun, the same wished for again, and begun elsewhere; neither process lives.
    for worker in [8, 9] {
        let id = store.push_job(&measuring("a")).await.unwrap();
        all.claim_job(id, worker, PATIENCE).await.unwrap().unwrap();
    }
    assert_eq!(all.recover_jobs().await.unwrap(), 2);
    let id = store.open_job(JobKind::Measure, "a").await.unwrap().unwrap().id;
    assert_eq!(state(store, id).await.0, JobState::Waiting);
    assert_eq!(all.recover_jobs().await.unwrap(), 0);
    assert!(all.claim_job(id, 8, PATIENCE).await.unwrap().is_some());
}

#[tokio::test]
async fn a_job_that_ends_every_process_is_set_aside() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    let id = store.push_job(&measuring("a")).await.unwrap();
    for attempt in 1..=MOST_ATTEMPTS {
        assert_eq!(state(store, id).await.0, JobState::Waiting, "before attempt {attempt}");
        // No process with this number lives.
        all.claim_job(id, 9, PATIENCE).await.unwrap().unwrap();
        all.recover_jobs().await.unwrap();
    }
    assert_eq!(state(store, id).await, (JobState::Failed, MOST_ATTEMPTS));
}

#[tokio::test]
async fn cancelling_ends_what_waits_at_once_and_tells_what_runs() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    let _alive = all.listen(7).await.unwrap();
    let waiting = store.push_job(&measuring("a")).await.unwrap();
    assert!(store.cancel_job(waiting).await.unwrap());
    assert_eq!(all.claim_job(waiting, 7, PATIENCE).await.unwrap(), None);

    let running = store.push_job(&measuring("b")).await.unwrap();
    let claim = begun(all, running).await.claim();
    assert!(store.cancel_job(running).await.unwrap());
    assert_eq!(state(store, running).await.0, JobState::Running, "until it hears of it");
    let heard = all.note_progress(claim, Progress::default(), None).await.unwrap();
    assert_eq!(heard, Heard::Cancel);
    all.end_attempt(claim, &Ending::Cancelled).await.unwrap();
    assert!(!store.cancel_job(running).await.unwrap(), "it has ended");
    assert!(store.retry_job(running).await.unwrap());
    assert!(!begun(all, running).await.cancel_asked);
}

#[tokio::test]
async fn given_back_it_counts_as_not_begun_and_gives_way_to_the_same_one_that_waits() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    let _alive = all.listen(7).await.unwrap();
    let id = store.push_job(&measuring("a")).await.unwrap();
    let claim = begun(all, id).await.claim();
    all.end_attempt(claim, &Ending::GivenBack).await.unwrap();
    assert_eq!(state(store, id).await, (JobState::Waiting, 0));

    let claim = begun(all, id).await.claim();
    let next = store.push_job(&measuring("a")).await.unwrap();
    all.end_attempt(claim, &Ending::GivenBack).await.unwrap();
    assert_eq!(state(store, id).await.0, JobState::Done, "the other one will see all of it");
    assert_eq!(state(store, next).await.0, JobState::Waiting);
}

#[tokio::test]
async fn a_clock_that_was_set_back_a_year_and_a_lost_delivery_delay_nothing() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    let id = store.push_job(&measuring("a")).await.unwrap();
    execute(&home.database, "UPDATE jobs SET due_at = now() + interval '1 year'").await;
    assert_eq!(all.due_job().await.unwrap(), None);
    assert_eq!(all.recover_jobs().await.unwrap(), 1);
    assert_eq!(all.due_job().await.unwrap(), Some(id));

    execute(&home.database, "UPDATE jobs SET due_at = now() - interval '1 hour'").await;
    execute(&home.database, "UPDATE apalis.jobs SET status = 'Done', done_at = now()").await;
    assert_eq!(all.recover_jobs().await.unwrap(), 1, "handed to the queue once more");
    assert_eq!(all.recover_jobs().await.unwrap(), 0);
}

#[tokio::test]
async fn a_kind_that_this_version_does_not_know_is_left_to_others() {
    let home = home().await;
    let (store, all) = (&home.store, &home.installation);
    execute(&home.database, "SELECT push_job(current_schema(), 'holograph', '', '{}')").await;
    assert_eq!(store.shown_jobs(10).await.unwrap(), []);
    assert_eq!(store.count_jobs().await.unwrap(), []);
    assert_eq!(all.due_job().await.unwrap(), None, "nobody here begins it");
    all.recover_jobs().await.unwrap();
    let id = store.push_job(&measuring("a")).await.unwrap();
    assert_eq!(all.due_job().await.unwrap(), Some(id));
}
