//! `runs`: a run over many pictures against the bare core doing the same, and its queries over very
//! many rows.

use std::process::Stdio;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use brisk_margin_api::App;
use brisk_margin_cli::home::{Failure, Home};
use brisk_margin_core::choice::EncodeRequest;
use brisk_margin_core::colour_space::ColourSpace;
use brisk_margin_core::content::ContentClass;
use brisk_margin_core::encoding::{Encoding, Quality};
use brisk_margin_core::fitting::Fitting;
use brisk_margin_core::format::Format;
use brisk_margin_core::job::JobKind;
use brisk_margin_core::layout::BoxSize;
use brisk_margin_core::place_kind::PlaceKind;
use brisk_margin_core::rule::OutputRule;
use brisk_margin_core::run::forecast::error_of;
use brisk_margin_core::run::limits::RunLimits;
use brisk_margin_core::run::{ResultOrder, RunState, StartedBy};
use brisk_margin_core::slot::Slot;
use brisk_margin_core::slot_shape::Fit;
use brisk_margin_core::units::{Bytes, Density};
use brisk_margin_imaging::choosing::{ChoiceError, in_turns, turns};
use brisk_margin_imaging::codec::extras::Extras;
use brisk_margin_imaging::codecs::Codecs;
use brisk_margin_imaging::original::Original;
use brisk_margin_imaging::reference::Reference;
use brisk_margin_store::layouts::NewSlot;
use brisk_margin_store::output_rules::RuleFor;
use brisk_margin_store::pictures::{Filter, Picture};
use brisk_margin_store::runs::Run;
use brisk_margin_store::runs::items::{DoneItem, ItemOutcome, ItemsShown};
use brisk_margin_testing::Buckets;
use brisk_margin_testing::pictures::spots;
use brisk_margin_testing::{made_up, of_schema};
use brisk_margin_work::jobs::runner::PATIENCE;
use brisk_margin_work::jobs::workers::Workers;
use brisk_margin_work::making::sets::ResponsiveSet;
use brisk_margin_work::making::trials::class_of;
use brisk_margin_work::runs::slots::RunSlot;
use brisk_margin_work::runs::{MOST_PICTURES, RunOver, RunWish, plan};
use brisk_margin_work::sites::Sites;
use rayon::prelude::*;
use sea_orm::{ConnectionTrait, Database};

use crate::framing::taken_in;
use crate::library::{ms, p95};

/// Width and height of pictures as libraries have them: most from the web, some from cameras.
const SIZES: [(u32, u32); 10] = [
    (700, 450),
    (1_000, 667),
    (1_200, 800),
    (1_600, 1_067),
    (1_600, 1_200),
    (2_000, 1_333),
    (2_400, 1_600),
    (3_000, 2_000),
    (4_000, 3_000),
    (6_000, 4_000),
];

/// The same command once more, with its blobs in buckets of this process.
pub async fn beside_buckets() -> Result<(), Failure> {
    let buckets = Buckets::start().await;
    let arguments = std::env::args().skip(1).filter(|argument| argument != "--buckets");
    let mut again = tokio::process::Command::new(std::env::current_exe()?);
    again.args(arguments).args(["--blobs", &buckets.address("bench")]);
    let status = again.envs(buckets.settings(None)).status().await?;
    println!("requests to the buckets: {}", buckets.asked());
    if status.success() { Ok(()) } else { Err("it failed beside buckets".into()) }
}

/// So many workers in processes of their own, until the value is dropped.
fn more_workers(home: &Home, count: usize) -> Result<Vec<tokio::process::Child>, Failure> {
    let program = std::env::current_exe()?.with_file_name("brisk-margin");
    let worker = |_| {
        let mut worker = tokio::process::Command::new(&program);
        worker
            .arg("worker")
            .arg("--data")
            .arg(&home.kept.data)
            .args(["--database", &home.kept.database]);
        worker.stdout(Stdio::null()).kill_on_drop(true);
        Ok(worker.spawn()?)
    };
    (0..count).map(worker).collect()
}

/// Makes the files of `pictures` pictures for a slot, by the queue and by the bare core; by `more`
/// workers in other processes, too.
pub async fn work(home: Home, pictures: u32, light: bool, more: usize) -> Result<(), Failure> {
    let (sites, app) = opened(&home).await?;
    let runner = home.runner(&sites);
    if light {
        let formats = Some(vec![Format::Webp, Format::Jpeg]);
        let rule =
            OutputRule { formats, densities: Some(vec![Density::ONE]), ..Default::default() };
        app.store.say_output_rule(RuleFor::Site, &rule, &Default::default()).await?;
    }
    let slot = app.store.add_slots(vec![card(light)]).await?.remove(0);
    let all = filled(&app, pictures).await?;
    runner.do_all().await?;
    let sets = bare_sets(&app, &all, &slot).await?;
    let files: usize = sets.iter().map(|set| set.files.len()).sum();
    println!("{pictures} pictures of 0.3 to 24 megapixels, {files} files");

    let (bare, busy, made) = timed(tokio::task::spawn_blocking(move || bare(&sets))).await;
    made?;
    println!("bare core: {}, {}", pace(pictures, bare), share(busy));

    let workers = Workers::start(&runner);
    let _others = more_workers(&home, more)?;
    if more > 0 {
        // They open the database, and tell that they are there.
        tokio::time::sleep(Duration::from_secs(3)).await;
    }
    let wish = || RunWish {
        rule: None,
        pictures: all.iter().map(|picture| picture.id).collect(),
        over: RunOver::Slots(vec![RunSlot { slot: slot.clone(), is_new: false }]),
        limits: RunLimits::default(),
    };
    let begun = Instant::now();
    let planned = plan(&app.maker, &wish()).await?;
    println!("forecast: {:.0} ms", ms(begun.elapsed()));
    let id = planned.start(&app.maker, String::new(), StartedBy::Command).await?;
    let watching = memory_over_time();
    let (took, busy, run) = timed(ended(&app, id)).await;
    let run = run?;
    let totals = run.totals;
    println!(
        "run: {}, {}; {} done, {} failed, {} files; {:+.1} % of the bare core's time",
        pace(pictures, took),
        share(busy),
        totals.done,
        totals.failed,
        totals.files,
        (took.as_secs_f64() / bare.as_secs_f64() - 1.0) * 100.0
    );
    println!("memory at a tenth, a half and the end: {}", watching.told());
    let error = error_of(Bytes(totals.expected as u64), Bytes(totals.after as u64));
    println!(
        "bytes in pages: {} expected, {} came out ({:+.1} %); {:.0} s expected",
        totals.expected,
        totals.after,
        error.unwrap_or(0.0) * 100.0,
        run.forecast.seconds.unwrap_or(0.0)
    );

    let begun = Instant::now();
    let planned = plan(&app.maker, &wish()).await?;
    let again = planned.start(&app.maker, String::new(), StartedBy::Command).await?;
    let again = ended(&app, again).await?;
    println!(
        "again: {:.1} s, {} sets made, {} skipped",
        begun.elapsed().as_secs_f64(),
        again.totals.done,
        again.totals.skipped
    );
    workers.drain().await;
    Ok(())
}

async fn opened(home: &Home) -> Result<(Sites, App), Failure> {
    let sites = home.open().await?;
    let site = match sites.all().await?.into_iter().next() {
        Some(site) => site,
        None => sites.installation().add_site("Site").await?,
    };
    let app = sites.services(&site).await?;
    sites.events().alive().await;
    Ok((sites, app))
}

/// Plans, claims and sums up over so many made-up pictures, each in a place of a page.
pub async fn rows(home: Home, rows: u32) -> Result<(), Failure> {
    let (sites, app) = opened(&home).await?;
    let address = of_schema(&home.kept.database, app.store.schema());
    let there = app.store.count_pictures(&Filter::default()).await?;
    if there < u64::from(rows) {
        made_up::add_pictures(&address, rows - there as u32).await?;
    }
    if app.store.pages().await?.is_empty() {
        made_up::add_pages(&address, rows / 20, 20).await?;
        let database = Database::connect(&address).await?;
        let placed = "UPDATE places SET picture_id = p.id FROM
            (SELECT id, row_number() OVER (ORDER BY id) AS n FROM places) o
            JOIN (SELECT id, row_number() OVER (ORDER BY id) AS n FROM pictures) p USING (n)
            WHERE places.id = o.id";
        for sql in [placed, "DELETE FROM stale_pictures", "VACUUM ANALYZE"] {
            database.execute_unprepared(sql).await?;
        }
        database.close().await?;
    }
    let begun = Instant::now();
    let pictures =
        app.store.picture_ids(&Filter::default(), u64::from(rows).min(MOST_PICTURES)).await?;
    let planned_for = pictures.len();
    let wish = RunWish { pictures, ..RunWish::default() };
    let planned = plan(&app.maker, &wish).await?;
    let forecast = planned.forecast.clone();
    println!(
        "forecast of {planned_for} pictures among {rows} in {} sets: {:.1} s",
        forecast.sets,
        begun.elapsed().as_secs_f64()
    );
    let begun = Instant::now();
    let id = planned.start(&app.maker, String::new(), StartedBy::Command).await?;
    println!("started: {:.1} s", begun.elapsed().as_secs_f64());
    often("the run with its totals", async || {
        app.store.run(id).await?;
        Ok(())
    })
    .await?;
    often("its first 500 results", async || {
        app.store.run_items(id, ItemsShown::All, ResultOrder::Score, 0, 500).await?;
        Ok(())
    })
    .await?;
    often("the list of runs", async || {
        app.store.runs(200).await?;
        Ok(())
    })
    .await?;
    often("its pace", async || {
        app.store.run_pace(id).await?;
        Ok(())
    })
    .await?;
    let job = app.store.open_job(JobKind::Run, &id.to_string()).await?.ok_or("no job")?;
    let number = app.events.number();
    let installation = sites.installation();
    let claim = installation.claim_job(job.id, number, PATIENCE).await?.ok_or("no claim")?.claim();
    often("one more item claimed and ended", async || {
        let item = app.store.claim_run_item(id, claim).await?.ok_or("no item")?;
        let done = ItemOutcome::Done(DoneItem::default());
        app.store.end_run_item(id, item.place, claim, &done, 1.0).await?;
        Ok(())
    })
    .await?;
    let begun = Instant::now();
    app.store.cancel_run(id).await?;
    println!("cancelled: {:.1} s", begun.elapsed().as_secs_f64());
    Ok(())
}

async fn often(
    name: &str,
    mut what: impl AsyncFnMut() -> Result<(), Failure>,
) -> Result<(), Failure> {
    let mut times = Vec::new();
    for _ in 0..20 {
        let begun = Instant::now();
        what().await?;
        times.push(begun.elapsed());
    }
    println!("{name}: {:.1} ms (p95)", ms(p95(times)));
    Ok(())
}

fn card(light: bool) -> NewSlot {
    let size = |width, height| BoxSize { width, height };
    let narrow = (390, size(358.0, 240.0));
    let wide = (1280, size(400.0, 300.0));
    NewSlot {
        name: "Card".to_owned(),
        kind: PlaceKind::Card,
        fit: Fit::Cover,
        boxes: if light { [narrow].into() } else { [narrow, wide].into() },
        budget: None,
    }
}

/// Pictures as JPEG, made and taken in one after the other. Drawing and encoding takes longer than all
/// else: those of one size are told apart by a comment in the file alone.
async fn filled(app: &App, pictures: u32) -> Result<Vec<Picture>, Failure> {
    let codecs = app.maker.pool.codecs();
    let mut drawn: Vec<Vec<u8>> = Vec::new();
    for (n, (width, height)) in (0..).zip(SIZES) {
        let encoding = Encoding::Jpeg(Quality::new(85 + n as u8)?);
        drawn.push(codecs.encode(&spots(n + 1, width, height), encoding, &Extras::default())?);
    }
    let mut all = Vec::new();
    for n in 0..pictures {
        let (start, rest) = drawn[n as usize % drawn.len()].split_at(2);
        // A comment of four bytes (ITU-T T.81, B.2.4.5).
        let file = [start, &[0xFF, 0xFE, 0, 6], &n.to_be_bytes(), rest].concat();
        all.push(taken_in(app, &format!("{n:04}.jpg"), file).await?);
    }
    Ok(all)
}

/// What the bare core makes: a picture, and its files' pixels and requests.
struct BareSet {
    original: bytes::Bytes,
    class: ContentClass,
    colours: ColourSpace,
    fittings: Vec<Fitting>,
    /// The place of each file's pixels among these.
    files: Vec<(usize, EncodeRequest)>,
}

async fn bare_sets(app: &App, all: &[Picture], slot: &Slot) -> Result<Vec<BareSet>, Failure> {
    let mut sets = Vec::new();
    for picture in all {
        let picture = app.store.picture(picture.id).await?.ok_or("a picture is gone")?;
        let adjustments = &picture.adjustments;
        let set = ResponsiveSet::plan(&app.maker, &picture, adjustments, slot.clone()).await?;
        let first = &set.parts[0].widths[0].spec;
        let mut fittings: Vec<Fitting> = Vec::new();
        let mut files = Vec::new();
        for file in &set.files {
            let fitting = set.width(file).fitting;
            let at = fittings.iter().position(|other| *other == fitting).unwrap_or_else(|| {
                fittings.push(fitting);
                fittings.len() - 1
            });
            files.push((at, file.request));
        }
        sets.push(BareSet {
            original: app.store.blobs().get(&picture.hash).await?,
            class: class_of(&picture, first),
            colours: first.colours,
            fittings,
            files,
        });
    }
    Ok(sets)
}

/// Makes every file on all cores, with nothing around it.
fn bare(sets: &[BareSet]) {
    let codecs = Codecs::in_process();
    let stop = AtomicBool::new(false);
    let stopped = || stop.load(Ordering::Relaxed);
    sets.par_iter().for_each(|set| {
        let original = Original::open(&codecs, &set.original).expect("it was taken in");
        let pixels =
            Reference::ladder(&original, &set.fittings, set.colours).expect("it is decoded");
        let size = |&(at, request): &(usize, EncodeRequest)| {
            (request.format(), set.fittings[at].output.pixels())
        };
        let turns = turns(&set.files.iter().map(size).collect::<Vec<_>>());
        let made = in_turns(&turns, |n, hints| {
            let (at, request) = set.files[n];
            let chosen =
                pixels[at].choose((&codecs).into(), set.class, hints, request, None, &stopped)?;
            Ok::<_, ChoiceError>(((), hints.and_of(set.class, &chosen)))
        });
        made.expect("files are made");
    });
}

/// Waits until a run has ended.
async fn ended(app: &App, id: uuid::Uuid) -> Result<Run, Failure> {
    loop {
        let run = app.store.run(id).await?.ok_or("the run is gone")?;
        if run.state != RunState::Running {
            return Ok(run);
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
}

/// How long work takes, and which share of the cores it has busy, in this process and those that it
/// started.
async fn timed<T>(work: impl Future<Output = T>) -> (Duration, f64, T) {
    let (begun, before) = (Instant::now(), processor_seconds());
    let done = work.await;
    let (took, used) = (begun.elapsed(), processor_seconds() - before);
    let cores = std::thread::available_parallelism().map_or(2, usize::from);
    (took, used / took.as_secs_f64() / cores as f64, done)
}

fn pace(pictures: u32, took: Duration) -> String {
    let seconds = took.as_secs_f64();
    format!("{seconds:.1} s, {:.1} pictures a minute", f64::from(pictures) / seconds * 60.0)
}

fn share(busy: f64) -> String {
    format!("cores {:.0} % busy", busy * 100.0)
}

/// The figures of this process and those that it started: seconds of processor time, and bytes of
/// memory.
fn own_processes() -> (f64, u64) {
    const TICKS: f64 = 100.0;
    const PAGE: u64 = 4_096;
    let own = std::process::id().to_string();
    let entries = std::fs::read_dir("/proc").into_iter().flatten().flatten();
    // “self” stands for one of the others.
    let numbers = entries.filter(|entry| entry.file_name().as_encoded_bytes()[0].is_ascii_digit());
    let stats = numbers.filter_map(|entry| std::fs::read_to_string(entry.path().join("stat")).ok());
    let (mut seconds, mut memory) = (0.0, 0);
    for stat in stats {
        // The name, in brackets, may hold anything.
        let Some((head, tail)) = stat.rsplit_once(") ") else { continue };
        let fields: Vec<&str> = tail.split(' ').collect();
        let is_own = head.split(' ').next() == Some(&own) || fields.get(1) == Some(&own.as_str());
        if is_own {
            let number =
                |n: usize| fields.get(n).and_then(|f| f.parse::<f64>().ok()).unwrap_or(0.0);
            // Those that ended count with who waited for them.
            seconds += [11, 12, 13, 14].map(number).iter().sum::<f64>() / TICKS;
            memory += number(21) as u64 * PAGE;
        }
    }
    (seconds, memory)
}

fn processor_seconds() -> f64 {
    own_processes().0
}

/// Looks at the memory each second until it is told.
struct Watched {
    task: tokio::task::JoinHandle<()>,
    seen: Arc<Mutex<Vec<u64>>>,
}

fn memory_over_time() -> Watched {
    let seen: Arc<Mutex<Vec<u64>>> = Arc::default();
    let noted = Arc::clone(&seen);
    let task = tokio::spawn(async move {
        loop {
            noted.lock().expect("nobody panics").push(own_processes().1);
            tokio::time::sleep(Duration::from_secs(1)).await;
        }
    });
    Watched { task, seen }
}

impl Watched {
    fn told(&self) -> String {
        self.task.abort();
        let seen = self.seen.lock().expect("nobody panics");
        let at = |share: f64| seen.get((seen.len() as f64 * share) as usize).copied().unwrap_or(0);
        let most = seen.iter().max().copied().unwrap_or(0);
        let mb = |bytes: u64| bytes / 1_000_000;
        format!("{}, {} and {} MB; {} MB at most", mb(at(0.1)), mb(at(0.5)), mb(at(0.99)), mb(most))
    }
}
