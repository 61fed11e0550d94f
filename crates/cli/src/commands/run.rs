//! `run`: the files of many pictures made by a running installation, from a shell.

use std::time::Duration;

use brisk_margin_core::choice::QualityTarget;
use brisk_margin_core::format::Format;
use brisk_margin_core::rule::{ByteCap, OutputRule};
use brisk_margin_core::run::RunState;
use brisk_margin_core::units::{Bytes, Density};
use clap::Args;
use serde_json::{Map, Value, json};

use super::fit::{parse_density, parse_grade};
use super::terminal::Watched;
use crate::home::Failure;

/// How often is asked how far it is.
const ASK: Duration = Duration::from_millis(500);

const EXAMPLES: &str = "\
Examples:
  brisk-margin run --site \"Tarnlight Observatory\" --plan
  brisk-margin run --site \"Tarnlight Observatory\" --filter issue=heavier --filter folder=gallery
  brisk-margin run --site \"Tarnlight Observatory\" --filter folder=gallery --grade lean --max-kb 80
  brisk-margin run --site \"Tea room\" --page /menu.html --minutes 20 --json > results.jsonl";

/// Makes the files of many pictures for the slots that show them.
///
/// A server that runs does the work: ending this command leaves the run going. Exit code 1 where some
/// set of files could not be made, or the run was cancelled.
#[derive(Args)]
#[command(after_help = EXAMPLES)]
pub struct Run {
    /// The address of the server
    #[arg(long, env = "BRISK_MARGIN_SERVER", default_value = "http://127.0.0.1:4810")]
    server: String,
    /// The site's name
    #[arg(long)]
    site: String,
    /// Only pictures that meet this: search=TEXT, issue=NAME, format=NAME or folder=NAME
    #[arg(long, value_name = "KEY=VALUE", value_parser = condition)]
    filter: Vec<(String, String)>,
    /// Only the slots of this page: its address, or the end of it
    #[arg(long, value_name = "URL", conflicts_with = "slot")]
    page: Option<String>,
    /// For this slot, whether it shows the pictures or not; may be given several times
    #[arg(long, value_name = "NAME")]
    slot: Vec<String>,
    /// In the sizes of this preset, as a slot that no page has; may be given several times
    #[arg(long, value_name = "NAME", conflicts_with = "page")]
    preset: Vec<String>,
    /// How faithful files must be: fine, good, lean or lossless. This and the next three become part of each
    /// picture's own rule; taking the run back undoes that
    #[arg(long, value_parser = parse_grade)]
    grade: Option<QualityTarget>,
    /// Formats to offer, the last one of which every browser reads
    #[arg(long, value_delimiter = ',')]
    formats: Vec<Format>,
    /// Device pixels per CSS pixel, several with commas
    #[arg(long, value_delimiter = ',', value_parser = parse_density)]
    density: Vec<Density>,
    /// The most KB that a file may have
    #[arg(long, value_name = "N")]
    max_kb: Option<u64>,
    /// At most so many pictures, those that save most
    #[arg(long, value_name = "N")]
    pictures: Option<u32>,
    /// At most so many minutes of work
    #[arg(long, value_name = "N")]
    minutes: Option<u32>,
    /// At most so many MB of files
    #[arg(long, value_name = "N")]
    megabytes: Option<u64>,
    /// Only pictures that save at least so many KB
    #[arg(long, value_name = "N")]
    least_saving: Option<u64>,
    /// What it is called
    #[arg(long, default_value = "")]
    name: String,
    /// Only tell what it would do
    #[arg(long)]
    plan: bool,
    /// Print one JSON object a line: each picture in each slot, then the run; or the plan
    #[arg(long)]
    json: bool,
}

fn condition(text: &str) -> Result<(String, String), String> {
    let (key, value) = text.split_once('=').ok_or("give KEY=VALUE")?;
    match key {
        "search" | "issue" | "format" | "folder" => Ok((key.to_owned(), value.to_owned())),
        _ => Err(format!("there is no filter “{key}”; give search, issue, format or folder")),
    }
}

/// The API of one site of a server.
struct SiteApi {
    client: reqwest::Client,
    address: String,
}

impl SiteApi {
    async fn of(server: &str, name: &str) -> Result<Self, Failure> {
        // A client is not made without TLS, though the server is on this machine.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let client = reqwest::Client::new();
        let all = Self { client, address: format!("{}/api", server.trim_end_matches('/')) };
        let sites = all.get("sites").await?;
        let sites = sites.as_array().into_iter().flatten();
        let names = |site: &Value| site["name"].as_str().unwrap_or_default().to_owned();
        let found = sites.clone().find(|site| names(site) == name || site["slug"] == name);
        let slug = found.and_then(|site| site["slug"].as_str()).ok_or_else(|| {
            let known: Vec<String> = sites.map(names).collect();
            format!("there is no site “{name}”; there are: {}", known.join(", "))
        })?;
        Ok(Self { address: format!("{}/sites/{slug}", all.address), client: all.client })
    }

    async fn get(&self, path: &str) -> Result<Value, Failure> {
        self.answer(self.client.get(format!("{}/{path}", self.address))).await
    }

    async fn post(&self, path: &str, body: &Value) -> Result<Value, Failure> {
        let request = self.client.post(format!("{}/{path}", self.address));
        let request = request.header("content-type", "application/json");
        self.answer(request.body(body.to_string())).await
    }

    async fn answer(&self, request: reqwest::RequestBuilder) -> Result<Value, Failure> {
        let unreached = |error| {
            format!(
                "the server does not answer ({error}); start it, or give its address by --server"
            )
        };
        let response = request.send().await.map_err(unreached)?;
        let status = response.status();
        let body: Value = serde_json::from_str(&response.text().await?).unwrap_or_default();
        match status.is_success() {
            true => Ok(body),
            false => Err(body["detail"]
                .as_str()
                .map_or_else(|| status.to_string(), str::to_owned)
                .into()),
        }
    }
}

impl Run {
    pub(super) async fn run(self) -> Result<(), Failure> {
        let api = SiteApi::of(&self.server, &self.site).await?;
        let wish = self.wish(&api).await?;
        if self.plan {
            let forecast = api.post("runs/forecast", &wish).await?;
            match self.json {
                true => println!("{forecast}"),
                false => print_forecast(&forecast),
            }
            return Ok(());
        }
        let started = api.post("runs", &wish).await?;
        let id = started["id"].as_str().unwrap_or_default().to_owned();
        let run = watched(&api, &id, &started).await?;
        let whole = api.get(&format!("runs/{id}/results.json")).await?;
        let items = whole["items"].as_array().into_iter().flatten();
        if self.json {
            items.clone().for_each(|item| println!("{item}"));
            println!("{run}");
        } else {
            let failed = items.clone().filter(|item| item["state"] == "failed");
            failed.for_each(|item| {
                eprintln!("brisk-margin: {}: {}", word(&item["name"]), word(&item["reason"]))
            });
            println!("{}", told(&run));
        }
        match (run["failed"].as_u64().unwrap_or(0), run["state"] == "cancelled") {
            (0, false) => Ok(()),
            (0, true) => Err("the run was cancelled; what was made stays".into()),
            (failed, _) => {
                Err(format!("{} could not be made", counted(&json!(failed), "set")).into())
            }
        }
    }

    async fn wish(&self, api: &SiteApi) -> Result<Value, Failure> {
        let mut filter = Map::new();
        let mut issues = Vec::new();
        for (key, value) in &self.filter {
            match key.as_str() {
                "issue" => issues.extend(value.split(',').map(str::to_owned)),
                key => {
                    filter.insert(key.to_owned(), json!(value));
                }
            }
        }
        filter.insert("issues".to_owned(), json!(issues));
        let is_filtered = !self.filter.is_empty();
        let limits = json!({
            "pictures": self.pictures,
            "minutes": self.minutes,
            "bytes": self.megabytes.map(|mb| mb * 1_000_000),
            "least_saving": self.least_saving.map(|kb| kb * 1_000),
        });
        let mut wish = json!({ "name": self.name, "limits": limits, "started_by": "command" });
        let rule = self.rule();
        if !rule.is_silent() {
            wish["rule"] = serde_json::to_value(rule)?;
        }
        let layouts = match self.page.is_some() || !self.slot.is_empty() {
            true => api.get("layouts").await?,
            false => Value::Null,
        };
        if let Some(page) = &self.page {
            let is_meant = |one: &Value| word(&one["address"]).ends_with(page.as_str());
            wish["page"] =
                found(&layouts["pages"], is_meant).ok_or("no measured page has this address")?;
        }
        let slots = &layouts["slots"];
        wish["slots"] = all_named(slots, &self.slot, |name| format!("there is no slot “{name}”"))?;
        let presets = match self.preset.is_empty() {
            true => Value::Null,
            false => api.get("size-sets").await?,
        };
        let missing = |name: &str| format!("there is no size preset “{name}”");
        wish["presets"] = all_named(&presets, &self.preset, missing)?;
        // Of a page or slots, all that they show are meant unless a filter says otherwise.
        if is_filtered || layouts.is_null() {
            wish["which"] = json!({ "filter": filter });
        }
        Ok(wish)
    }
}

impl Run {
    /// How the files are made, as far as that was said.
    fn rule(&self) -> OutputRule {
        OutputRule {
            want: self.grade,
            formats: Some(self.formats.clone()).filter(|formats| !formats.is_empty()),
            densities: Some(self.density.clone()).filter(|densities| !densities.is_empty()),
            cap: self.max_kb.map(|kb| ByteCap::At(Bytes::kb(kb))),
            ..OutputRule::default()
        }
    }
}

/// The ids of those of `list` that have these names.
fn all_named(
    list: &Value,
    names: &[String],
    missing: impl Fn(&str) -> String,
) -> Result<Value, Failure> {
    let id = |name: &String| {
        found(list, |one| word(&one["name"]) == *name).ok_or_else(|| missing(name).into())
    };
    names.iter().map(id).collect()
}

fn found(list: &Value, is_meant: impl Fn(&Value) -> bool) -> Option<Value> {
    let one = list.as_array()?.iter().find(|one| is_meant(one))?;
    Some(one["id"].clone())
}

/// Waits until the run has ended.
async fn watched(api: &SiteApi, id: &str, started: &Value) -> Result<Value, Failure> {
    let total = |run: &Value| {
        ["waiting", "done", "skipped", "failed", "taken_back"]
            .iter()
            .filter_map(|key| run[key].as_u64())
            .sum::<u64>()
    };
    let watched = Watched::of(total(started) as usize);
    let mut told = None;
    loop {
        let run = api.get(&format!("runs/{id}")).await?;
        watched.at(total(&run) - run["waiting"].as_u64().unwrap_or(0));
        let waits = match (&run["stopped"], &run["held"], run["state"] == RunState::Paused.name()) {
            (Value::String(reason), _, _) => return Err(format!("it stopped: {reason}").into()),
            (_, Value::String(reason), _) => Some(format!("waits: {reason}")),
            (_, _, true) => Some("paused".to_owned()),
            _ => None,
        };
        watched.now(waits.clone().unwrap_or_else(|| "making files".to_owned()));
        if waits != told {
            if let Some(words) = &waits {
                watched.print(|| eprintln!("brisk-margin: {words}"));
            }
            told = waits;
        }
        if run["state"] == RunState::Done.name() || run["state"] == RunState::Cancelled.name() {
            return Ok(run);
        }
        tokio::time::sleep(ASK).await;
    }
}

fn word(value: &Value) -> &str {
    value.as_str().unwrap_or_default()
}

/// `1 picture`, `3 pictures`.
fn counted(count: &Value, of: &str) -> String {
    format!("{count} {of}{}", if *count == 1 { "" } else { "s" })
}

fn kb(value: &Value) -> String {
    format!("{:.0} KB", value.as_f64().unwrap_or(0.0) / 1_000.0)
}

/// A run in a line.
fn told(run: &Value) -> String {
    format!(
        "{} made, {} skipped, {} failed; {}; {} → {}",
        counted(&run["done"], "set"),
        run["skipped"],
        run["failed"],
        counted(&run["files"], "file"),
        kb(&run["before"]),
        kb(&run["after"])
    )
}

fn print_forecast(forecast: &Value) {
    let expected = &forecast["expected"];
    println!(
        "{} pictures, {} sets, about {} files",
        forecast["pictures"], forecast["sets"], forecast["files"]
    );
    println!(
        "{} → about {} ({} to {}), {} on disk",
        kb(&forecast["today"]),
        kb(&expected["about"]),
        kb(&expected["low"]),
        kb(&expected["high"]),
        kb(&forecast["disk"])
    );
    if let Some(rule) = forecast["own_rule"].as_str() {
        println!(
            "by {rule}, which changes the own rule of {}",
            counted(&forecast["rules"], "picture")
        );
    }
    if let Some(seconds) = forecast["seconds"].as_f64() {
        println!("about {:.0} s", seconds.max(1.0));
    }
    for skipped in forecast["skipped"].as_array().into_iter().flatten() {
        println!(
            "skipped: {}, {}",
            counted(&skipped["pictures"], "picture"),
            word(&skipped["words"])
        );
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_filter_says_what_it_is_about() {
        assert_eq!(condition("issue=heavier").unwrap(), ("issue".to_owned(), "heavier".to_owned()));
        assert_eq!(condition("search=a=b").unwrap().1, "a=b");
        assert!(condition("heavier").is_err());
        assert!(condition("colour=red").unwrap_err().contains("search, issue"));
    }
}
