//! `library`: the list with very many pictures, against the bare query.

use std::time::{Duration, Instant};

use axum::Router;
use axum::body::Body;
use axum::http::{Request, header};
use brisk_margin_core::issue::IssueKind;
use brisk_margin_store::pictures::{Filter, ListPage, Sort};
use futures::StreamExt;
use sea_orm::{ConnectionTrait, Database, DatabaseConnection};
use tower::ServiceExt;

use brisk_margin_api::App;
use brisk_margin_cli::home::{Failure, Home};

use brisk_margin_testing::{made_up, of_schema};

/// Measures the list.
pub async fn run(home: Home, rows: u32, times: usize) -> Result<(), Failure> {
    let app = home.open_first().await?;
    let address = of_schema(&home.kept.database, app.store.schema());
    let database = Database::connect(&address).await?;
    let there = app.store.count_pictures(&Filter::default()).await?;
    if there < u64::from(rows) {
        made_up::add_pictures(&address, rows - there as u32).await?;
    }
    println!("list of 100 out of {rows} pictures | bare query p95 | answer p95 | ratio");
    println!("---|---|---|---");
    for case in CASES {
        case.measure(&app, &database, times).await?;
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
    issues: &'static [IssueKind],
}

const PLAIN: Case = Case {
    name: "newest",
    query: "",
    sort: Sort::Arrival,
    descending: true,
    search: None,
    issues: &[],
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
        query: "issues=no-alt&sort=saving",
        sort: Sort::Saving,
        issues: &[IssueKind::NoAlt],
        ..PLAIN
    },
    Case {
        name: "too small for its slot, by name",
        query: "issues=too-small&sort=name",
        sort: Sort::Name,
        descending: false,
        issues: &[IssueKind::TooSmall],
        ..PLAIN
    },
    Case {
        name: "duplicate and tells where, newest",
        query: "issues=duplicate,location",
        issues: &[IssueKind::Duplicate, IssueKind::Location],
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
        query: "search=winter&issues=not-used&sort=bytes",
        sort: Sort::Bytes,
        search: Some("winter"),
        issues: &[IssueKind::NotUsed],
        ..PLAIN
    },
];

impl Case {
    async fn measure(
        &self,
        app: &App,
        database: &DatabaseConnection,
        times: usize,
    ) -> Result<(), Failure> {
        let filter = Filter {
            search: self.search.map(str::to_owned),
            issues: self.issues.to_vec(),
            ..Filter::default()
        };
        let page = ListPage {
            filter,
            sort: self.sort,
            descending: self.descending,
            after: None,
            limit: 100,
        };
        let router = brisk_margin_api::site_router(app.clone());
        let (mut bare, mut answers) = (Vec::new(), Vec::new());
        for _ in 0..times {
            let start = Instant::now();
            database.query_all_raw(app.store.listing(&page)).await?;
            bare.push(start.elapsed());
            let start = Instant::now();
            ask(&router, &format!("/pictures?limit=100&{}", self.query)).await?;
            answers.push(start.elapsed());
        }
        let (bare, answer) = (p95(bare), p95(answers));
        let ratio = answer.as_secs_f64() / bare.as_secs_f64();
        println!("{} | {:.1} ms | {:.1} ms | {ratio:.2}", self.name, ms(bare), ms(answer));
        Ok(())
    }
}

pub async fn ask(router: &Router, path: &str) -> Result<(), Failure> {
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

pub fn ms(time: Duration) -> f64 {
    1_000.0 * time.as_secs_f64()
}

pub fn p95(mut times: Vec<Duration>) -> Duration {
    times.sort_unstable();
    times[(times.len() * 95 / 100).min(times.len() - 1)]
}
