//! `loads`: pages loaded by a real browser over a shaped link, beside what the load model says.
//!
//! Browser and host are in network namespaces of their own, joined by a forwarder that delays, limits and queues
//! packets. It takes root, and says so where this process is not.

mod forwarder;
mod namespaces;
mod tls;

use std::io::{Read, Write};
use std::net::{Ipv4Addr, SocketAddr, TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::{Duration, Instant};

use axum::serve::ListenerExt as _;
use brisk_margin_cli::home::{Failure, own_codecs};
use brisk_margin_core::layout::LayoutWidth;
use brisk_margin_core::load::spread::Spread;
use brisk_margin_core::load::{Connection, PageRequests, Protocol, Timing, load};
use brisk_margin_core::units::Density;
use brisk_margin_site::chromium::Chromium;
use brisk_margin_site::file_reader::{FileFacts, FileReader};
use brisk_margin_site::host::{self, Faults, LocalHost};
use brisk_margin_site::measure::Measurer;
use brisk_margin_site::page::Came;
use brisk_margin_site::plan::Plan;
use brisk_margin_work::measuring::file_reader;
use clap::{Args, ValueEnum};

use forwarder::Forwarder;
use namespaces::{HOST, Namespaces};
use tls::TlsListener;

/// Where the host serves by the first protocol; the others have the ports after it.
const PORT: u16 = 8_000;
/// Where it sends bytes to whoever asks.
const BYTES_PORT: u16 = 8_100;
/// What stands for the host while pages are measured.
const ORIGIN: &str = "http://host.invalid";
/// The screen that pages are opened on.
const SCREEN: (u32, f64) = (390, 2.0);

/// Pages loaded over a shaped link, beside the model.
#[derive(Args)]
pub struct Loads {
    /// The folder of a site
    folder: PathBuf,
    /// Its pages, with commas
    #[arg(long, value_delimiter = ',', default_value = "index.html")]
    pages: Vec<String>,
    /// Connections, with commas
    #[arg(long, value_delimiter = ',', default_value = "400/400,1600/150,9000/85,30000/40")]
    connections: Vec<Connection>,
    /// By which protocols, with commas
    #[arg(long, value_delimiter = ',', default_value = "http2,http1")]
    protocols: Vec<Speaks>,
    /// How often each page is loaded, each time by a new browser
    #[arg(long, default_value_t = 9)]
    times: usize,
    /// Below each page, when each of its files was there
    #[arg(long)]
    files: bool,
}

/// What the host speaks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Speaks {
    /// HTTP/2 over TLS
    Http2,
    /// HTTP/1.1 over TLS
    Http1,
    /// HTTP/1.1 without TLS
    Plain,
}

impl Speaks {
    const ALL: [Self; 3] = [Self::Http2, Self::Http1, Self::Plain];

    /// What the model calls it.
    const fn protocol(self) -> Protocol {
        match self {
            Self::Http2 => Protocol::Http2,
            Self::Http1 => Protocol::Http1,
            Self::Plain => Protocol::Plain,
        }
    }

    /// The name by which TLS agrees on it (ALPN); nothing without TLS.
    const fn in_tls(self) -> Option<&'static str> {
        match self {
            Self::Http2 => Some("h2"),
            Self::Http1 => Some("http/1.1"),
            Self::Plain => None,
        }
    }

    const fn words(self) -> &'static str {
        match self {
            Self::Http2 => "HTTP/2",
            Self::Http1 => "HTTP/1.1 over TLS",
            Self::Plain => "HTTP/1.1",
        }
    }

    const fn port(self) -> u16 {
        PORT + self as u16
    }

    fn origin(self) -> String {
        let scheme = if self.in_tls().is_some() { "https" } else { "http" };
        format!("{scheme}://{HOST}:{}", self.port())
    }
}

/// A page as a browser loaded it several times.
struct Loaded {
    lcp: Spread,
    last: Spread,
    came: Vec<Came>,
}

impl Loaded {
    /// When a file was there.
    fn file(&self, address: &str) -> Option<Spread> {
        let ends = self.came.iter().filter_map(|came| {
            came.files.iter().find(|file| file.address == address).map(|file| file.end)
        });
        Spread::of(ends.collect())
    }
}

impl Loads {
    /// Loads all pages on all connections, and prints a table.
    pub async fn run(self) -> Result<(), Failure> {
        let requests = self.requests().await?;
        let not_root = |error: std::io::Error| format!("a shaped link takes root: {error}");
        let forwarder = Forwarder::start(self.connections[0]).map_err(not_root)?;
        let spaces = Namespaces::joined_by(&forwarder.devices)?;
        let program = std::env::current_exe()?;
        let mut host = Namespaces::within(&spaces.host, &program);
        let mut host = host.arg("loads-host").arg(&self.folder).spawn()?;
        tokio::time::sleep(Duration::from_millis(500)).await;
        let told = self.table(&forwarder, &spaces, &program, &requests);
        host.kill()?;
        host.wait()?;
        told
    }

    /// What each page transfers.
    async fn requests(&self) -> Result<Vec<PageRequests>, Failure> {
        let local = LocalHost::start(host::router(&self.folder, Faults::default())).await?;
        let mut plan = Plan::for_page(&local.origin, file_reader(own_codecs()?))?;
        plan.widths = vec![LayoutWidth::of(SCREEN.0)];
        plan.densities = vec![Density::new(SCREEN.1)?];
        let mut all = Vec::new();
        for page in &self.pages {
            // One that has nothing of the pages before.
            let measurer = Measurer::start(plan.clone()).await?;
            let found = measurer.page_at_widths(&format!("{}/{page}", local.origin)).await?;
            let listed = found.requests.into_values().next().unwrap_or_default();
            all.push(listed.named(|address| address.replace(&local.origin, ORIGIN)));
        }
        Ok(all)
    }

    fn table(
        &self,
        forwarder: &Forwarder,
        spaces: &Namespaces,
        program: &Path,
        requests: &[PageRequests],
    ) -> Result<(), Failure> {
        println!("The host's congestion control: {}\n", spaces.control);
        println!(
            "connection | protocol | page | LCP: browser, ms | model | error | all files: browser, ms | model | error"
        );
        println!("---|---|---|---|---|---|---|---|---");
        for &connection in &self.connections {
            forwarder.become_like(connection);
            println!("{}", self.link(spaces, program, connection)?);
            let each = self.protocols.iter().flat_map(|speaks| {
                self.pages
                    .iter()
                    .zip(requests)
                    .map(move |(page, requests)| (*speaks, page, requests))
            });
            for (speaks, page, requests) in each {
                let loaded = self.loaded(spaces, program, speaks, page)?;
                let requests = requests.clone().over(speaks.protocol());
                let requests = requests.named(|address| address.replace(ORIGIN, &speaks.origin()));
                let model = load(&requests, connection);
                let last = model.timings.iter().flatten().map(|timing| timing.end.get());
                let last = last.fold(0.0, f64::max);
                println!(
                    "{connection} | {} | {page} | {} | {:.0} | {} | {} | {last:.0} | {}",
                    speaks.words(),
                    loaded.lcp,
                    model.times.lcp.get(),
                    error(model.times.lcp.get(), &loaded.lcp),
                    loaded.last,
                    error(last, &loaded.last),
                );
                if self.files {
                    print_files(&requests, &model.timings, &loaded);
                }
            }
        }
        Ok(())
    }

    /// A page, loaded by browsers in their namespace.
    fn loaded(
        &self,
        spaces: &Namespaces,
        program: &Path,
        speaks: Speaks,
        page: &str,
    ) -> Result<Loaded, Failure> {
        let mut browser = Namespaces::within(&spaces.browser, program);
        browser.arg("loads-browser").arg(format!("{}/{page}", speaks.origin()));
        let told = browser.arg(self.times.to_string()).stderr(Stdio::inherit()).output()?;
        let text = String::from_utf8(told.stdout)?;
        let came: Vec<Came> = text.lines().map(serde_json::from_str).collect::<Result<_, _>>()?;
        let lcp = came.iter().filter_map(|came| came.largest).collect();
        let last = came.iter().map(Came::last_file).collect();
        let nothing = || format!("{page} was not loaded");
        Ok(Loaded {
            lcp: Spread::of(lcp).ok_or_else(nothing)?,
            last: Spread::of(last).ok_or_else(nothing)?,
            came,
        })
    }

    /// What the link does by itself, beside what it should.
    fn link(
        &self,
        spaces: &Namespaces,
        program: &Path,
        connection: Connection,
    ) -> Result<String, Failure> {
        let mut ends = Namespaces::within(&spaces.browser, program);
        // Some three seconds.
        let bytes = (connection.rate() * 3_000.0) as u64;
        let told =
            ends.arg("loads-link").arg(bytes.to_string()).stderr(Stdio::inherit()).output()?;
        let text = String::from_utf8(told.stdout)?;
        let mut figures = text.split_whitespace().map(str::parse::<f64>);
        let (trip, rate) = match (figures.next(), figures.next()) {
            (Some(trip), Some(rate)) => (trip?, rate?),
            _ => return Err("the link was not measured".into()),
        };
        let off = |is: f64, should: f64| (is / should - 1.0) * 100.0;
        Ok(format!(
            "{connection} | – | the link alone | a round trip {trip:.1} ms ({:+.1} %), {:.0} kbit/s ({:+.1} %) | | | | |",
            off(trip, connection.rtt().get()),
            rate,
            off(rate, f64::from(connection.down())),
        ))
    }
}

fn print_files(requests: &PageRequests, timings: &[Option<Timing>], loaded: &Loaded) {
    for (request, timing) in requests.0.iter().zip(timings) {
        let (Some(timing), Some(browser)) = (timing, loaded.file(&request.address)) else {
            continue;
        };
        println!("    {browser} | {:.0} | {} {}", timing.end.get(), request.bytes, request.address);
    }
}

fn error(model: f64, browser: &Spread) -> String {
    format!("{:+.0} %", browser.error_of(model) * 100.0)
}

/// Serves `folder` in the host's namespace, and bytes to whoever asks for so many.
pub async fn serve(folder: PathBuf) -> Result<(), Failure> {
    let bytes = TcpListener::bind((HOST, BYTES_PORT))?;
    std::thread::spawn(move || {
        for stream in bytes.incoming().flatten() {
            std::thread::spawn(move || send(stream));
        }
    });
    let served = Speaks::ALL.map(|speaks| serve_by(speaks, &folder));
    futures::future::try_join_all(served).await?;
    Ok(())
}

async fn serve_by(speaks: Speaks, folder: &Path) -> Result<(), Failure> {
    let listener = tokio::net::TcpListener::bind((HOST, speaks.port())).await?;
    let router = host::router(folder, Faults::default());
    match speaks.in_tls() {
        Some(name) => axum::serve(TlsListener::new(listener, name)?, router).await?,
        None => {
            // Else the last part of each answer would wait for a round trip.
            let at_once = listener.tap_io(|stream| {
                let _ = stream.set_nodelay(true);
            });
            axum::serve(at_once, router).await?;
        }
    }
    Ok(())
}

fn send(mut stream: TcpStream) -> std::io::Result<()> {
    let mut asked = [0; 8];
    stream.read_exact(&mut asked)?;
    let mut left = u64::from_be_bytes(asked);
    let part = [7; 16 << 10];
    while left > 0 {
        let next = left.min(part.len() as u64) as usize;
        stream.write_all(&part[..next])?;
        left -= next as u64;
    }
    Ok(())
}

/// Loads a page by so many new browsers, and prints each load.
pub async fn browse(address: &str, times: usize) -> Result<(), Failure> {
    for _ in 0..times {
        let browser = Chromium::start_on_link().await?;
        let tab = browser.page(FileReader::new(|_| FileFacts::default())).await?;
        tab.resize(LayoutWidth::of(SCREEN.0), Density::new(SCREEN.1)?).await?;
        let came = tab.timed(address, Duration::from_secs(600)).await?;
        println!("{}", serde_json::to_string(&came)?);
    }
    Ok(())
}

/// Measures the link: the median of twenty hand-shakes in ms, and kbit/s while `bytes` come, without those of its
/// start.
pub fn measure_link(bytes: u64) -> Result<(), Failure> {
    let host: Ipv4Addr = HOST.parse()?;
    let at = SocketAddr::from((host, BYTES_PORT));
    let mut trips = Vec::new();
    for _ in 0..20 {
        let start = Instant::now();
        drop(TcpStream::connect(at)?);
        trips.push(start.elapsed().as_secs_f64() * 1e3);
    }
    let trip = Spread::of(trips).ok_or("no hand-shake")?.median;
    let mut stream = TcpStream::connect(at)?;
    stream.write_all(&(2 * bytes).to_be_bytes())?;
    let mut buffer = vec![0; 64 << 10];
    let (mut came, mut since) = (0u64, None);
    loop {
        let read = stream.read(&mut buffer)? as u64;
        if read == 0 {
            break;
        }
        came += read;
        if came >= bytes && since.is_none() {
            since = Some((Instant::now(), came));
        }
    }
    let (start, before) = since.ok_or("too few bytes came")?;
    // Each segment of 1,448 bytes is a packet of 1,500.
    let wire = (came - before) as f64 * 1_500.0 / 1_448.0;
    println!("{trip} {}", wire * 8.0 / start.elapsed().as_secs_f64() / 1e3);
    Ok(())
}
