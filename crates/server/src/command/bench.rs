//! `bench`: figures of this machine, as ratios against a reference in the same run.

use std::time::{Duration, Instant};

use axum::Router;
use axum::body::Body;
use axum::http::{Request, header};
use brisk_margin_core::standing::Advice;
use brisk_margin_store::pictures::{Filter, Page, Sort};
use clap::{Args, Subcommand};
use futures::StreamExt;
use tower::ServiceExt;

mod encoding;
mod framing;

use super::{Failure, Home};
use crate::api;
use crate::app::App;

/// Measures this machine.
#[derive(Args)]
pub struct Bench {
    #[command(subcommand)]
    what: What,
}

#[derive(Subcommand)]
enum What {
    /// The library's list with very many pictures, against the bare query. Wants a database and a
    /// data folder of its own, and leaves the made-up pictures in it
    Library {
        #[command(flatten)]
        home: Home,
        /// How many pictures there are at least
        #[arg(long, default_value_t = 100_000)]
        rows: u32,
        /// How often each list is asked for
        #[arg(long, default_value_t = 60)]
        times: usize,
    },
    /// Framing a picture of 50 megapixels with five edits for 12 slots at 4 layout widths, and its
    /// previews. Wants a database and a data folder of its own
    Framing {
        #[command(flatten)]
        home: Home,
        /// How often the focal point is moved
        #[arg(long, default_value_t = 40)]
        times: usize,
    },
    /// Ladders, bytes, encodes and memory, against a general-purpose library on the same pictures
    Encoding(encoding::Encoding),
}

impl Bench {
    pub(super) async fn run(self) -> Result<(), Failure> {
        match self.what {
            What::Library { home, rows, times } => library(home, rows, times).await,
            What::Framing { home, times } => framing::run(home, times).await,
            What::Encoding(encoding) => encoding.run(),
        }
    }
}

async fn library(home: Home, rows: u32, times: usize) -> Result<(), Failure> {
    let app = home.open().await?;
    let there = app.store.count_pictures(&Filter::default()).await?;
    if there < u64::from(rows) {
        app.store.add_made_up_pictures(rows - there as u32).await?;
    }
    println!("list of 100 out of {rows} pictures | bare query p95 | answer p95 | ratio");
    println!("---|---|---|---");
    for case in CASES {
        case.measure(&app, times).await?;
    }
    Ok(())
}

/// A list that somebody asks for.
struct Case {
    name: &'static str,
    query: &'static str,
    sort: Sort,
    descending: bool,
    search: Option<&'static str>,
    advice: &'static [Advice],
}

const PLAIN: Case = Case {
    name: "newest",
    query: "",
    sort: Sort::Arrival,
    descending: true,
    search: None,
    advice: &[],
};

const CASES: &[Case] = &[
    PLAIN,
    Case { name: "by name", query: "sort=name", sort: Sort::Name, descending: false, ..PLAIN },
    Case { name: "heaviest", query: "sort=bytes", sort: Sort::Bytes, ..PLAIN },
    Case { name: "by pixels", query: "sort=pixels", sort: Sort::Pixels, ..PLAIN },
    Case {
        name: "by format",
        query: "sort=format",
        sort: Sort::Format,
        descending: false,
        ..PLAIN
    },
    Case { name: "most used", query: "sort=uses", sort: Sort::Uses, ..PLAIN },
    Case { name: "by state", query: "sort=state", sort: Sort::State, ..PLAIN },
    Case { name: "by saving", query: "sort=saving", sort: Sort::Saving, ..PLAIN },
    Case { name: "by alt text", query: "sort=alt", sort: Sort::Alt, descending: false, ..PLAIN },
    Case {
        name: "no alt text, by saving",
        query: "advice=no-alt&sort=saving",
        sort: Sort::Saving,
        advice: &[Advice::NoAlt],
        ..PLAIN
    },
    Case {
        name: "too small for its slot, by name",
        query: "advice=too-small&sort=name",
        sort: Sort::Name,
        descending: false,
        advice: &[Advice::TooSmall],
        ..PLAIN
    },
    Case {
        name: "duplicate and tells where, newest",
        query: "advice=duplicate,location",
        advice: &[Advice::Duplicate, Advice::Location],
        ..PLAIN
    },
    Case {
        name: "search “dusk”, by name",
        query: "search=dusk&sort=name",
        sort: Sort::Name,
        descending: false,
        search: Some("dusk"),
        ..PLAIN
    },
    Case {
        name: "search “004711”, newest",
        query: "search=004711",
        search: Some("004711"),
        ..PLAIN
    },
    Case {
        name: "search “winter”, not used, heaviest",
        query: "search=winter&advice=not-used&sort=bytes",
        sort: Sort::Bytes,
        search: Some("winter"),
        advice: &[Advice::NotUsed],
        ..PLAIN
    },
];

impl Case {
    async fn measure(&self, app: &App, times: usize) -> Result<(), Failure> {
        let filter = Filter {
            search: self.search.map(str::to_owned),
            advice: self.advice.to_vec(),
            ..Filter::default()
        };
        let page =
            Page { filter, sort: self.sort, descending: self.descending, after: None, limit: 100 };
        let router = api::router(app.clone());
        let (mut bare, mut answers) = (Vec::new(), Vec::new());
        for _ in 0..times {
            let start = Instant::now();
            app.store.bare(app.store.listing(&page)).await?;
            bare.push(start.elapsed());
            let start = Instant::now();
            ask(&router, &format!("/api/pictures?limit=100&{}", self.query)).await?;
            answers.push(start.elapsed());
        }
        let (bare, answer) = (p95(bare), p95(answers));
        let ratio = answer.as_secs_f64() / bare.as_secs_f64();
        println!("{} | {:.1} ms | {:.1} ms | {ratio:.2}", self.name, ms(bare), ms(answer));
        Ok(())
    }
}

async fn ask(router: &Router, path: &str) -> Result<(), Failure> {
    let request = Request::get(path).header(header::HOST, "127.0.0.1").body(Body::empty())?;
    let answer = router.clone().oneshot(request).await?;
    if !answer.status().is_success() {
        return Err(format!("{path} answered {}", answer.status()).into());
    }
    let mut body = answer.into_body().into_data_stream();
    while let Some(chunk) = body.next().await {
        chunk?;
    }
    Ok(())
}

fn ms(time: Duration) -> f64 {
    1_000.0 * time.as_secs_f64()
}

fn p95(mut times: Vec<Duration>) -> Duration {
    times.sort_unstable();
    times[(times.len() * 95 / 100).min(times.len() - 1)]
}
