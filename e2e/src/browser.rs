//! Headless Chromium, driven through ChromeDriver.

use std::io::{BufRead, BufReader};
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

use fantoccini::elements::Element;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use tempfile::TempDir;

use crate::application::Process;

/// How long anything on the page may take; far more than it does.
const PATIENCE: Duration = Duration::from_secs(60);

/// The key.
pub const ENTER: &str = "\u{E007}";

/// A script that is true once the page shows `text`, however its lines are broken.
pub fn shows(text: &str) -> String {
    format!("return document.body.innerText.replaceAll('\\n', ' ').includes({})", json!(text))
}

/// The automatic check of accessibility, as the client's packages have it.
const AXE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../web/node_modules/axe-core/axe.min.js");

/// Chromium with an empty profile of its own.
pub struct Browser {
    /// For what this type has no word.
    pub client: Client,
    _driver: Driver,
    _profile: TempDir,
}

impl Browser {
    /// Opens a window of `width` × `height` CSS px, with downloads going to `downloads`.
    pub async fn open(width: u32, height: u32, downloads: &Path) -> Self {
        let (driver, port) = start_driver();
        let profile = tempfile::tempdir().unwrap();
        let options = json!({
            "args": [
                "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic",
                "--no-first-run", "--disable-background-networking",
                "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage",
                "--force-device-scale-factor=1", "--hide-scrollbars",
                format!("--window-size={width},{height}"),
                format!("--user-data-dir={}", profile.path().display()),
            ],
            "prefs": {"download.default_directory": downloads},
        });
        let capabilities = json!({
            "goog:chromeOptions": options,
            "goog:loggingPrefs": {"browser": "ALL"},
        });
        let client = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities.as_object().unwrap().clone())
            .connect(&format!("http://127.0.0.1:{port}"))
            .await
            .unwrap();
        Self { client, _driver: driver, _profile: profile }
    }

    /// The element that `css` finds, once it is there.
    pub async fn find(&self, css: &str) -> Element {
        let wait = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(css));
        match wait.await {
            Ok(element) => element,
            Err(_) => panic!("“{css}” is not there; the page says:\n{}", self.text().await),
        }
    }

    /// Gives the focus to the element that `css` finds, once it is there.
    pub async fn focus(&self, css: &str) {
        self.find(css).await;
        let script = format!("document.querySelector({}).focus()", json!(css));
        self.run(&script, vec![]).await;
    }

    /// The link or button with that text, once it is there.
    pub async fn labelled(&self, text: &str) -> Element {
        let path = format!("//*[self::a or self::button][normalize-space()='{text}']");
        let wait = self.client.wait().at_most(PATIENCE).for_element(Locator::XPath(&path));
        match wait.await {
            Ok(element) => element,
            Err(_) => panic!("“{text}” is not there; the page says:\n{}", self.text().await),
        }
    }

    /// Clicks on what `css` finds, once it is there; one that is drawn anew meanwhile is found anew.
    pub async fn click(&self, css: &str) {
        let started = std::time::Instant::now();
        loop {
            match self.find(css).await.click().await {
                Ok(()) => return,
                Err(error) if started.elapsed() > PATIENCE => panic!("“{css}”: {error}"),
                Err(_) => tokio::time::sleep(Duration::from_millis(50)).await,
            }
        }
    }

    /// Takes the part with that text of a row of choices.
    pub async fn segment(&self, text: &str) {
        let path =
            format!("//*[contains(@class, 'segmented-item-label')][normalize-space()='{text}']");
        let wait = self.client.wait().at_most(PATIENCE).for_element(Locator::XPath(&path));
        match wait.await {
            Ok(part) => part.click().await.unwrap(),
            Err(_) => panic!("“{text}” is no choice; the page says:\n{}", self.text().await),
        }
    }

    /// Types `text` into the field with that label, in place of what it holds; Enter only confirms.
    pub async fn type_into(&self, label: &str, text: &str) {
        let of_label = format!("@id=//label[normalize-space()='{label}']/@for");
        let path =
            format!("//*[self::input or self::textarea][@aria-label='{label}' or {of_label}]");
        let wait = self.client.wait().at_most(PATIENCE).for_element(Locator::XPath(&path));
        let Ok(field) = wait.await else {
            panic!("no field is called “{label}”; the page says:\n{}", self.text().await)
        };
        if text != ENTER {
            self.run("arguments[0].select()", vec![json!(field)]).await;
        }
        field.send_keys(text).await.unwrap();
    }

    /// Opens the list of choices with that label and takes the one called `choice`.
    pub async fn choose(&self, label: &str, choice: &str) {
        let list =
            format!("//*[@aria-label='{label}']/ancestor::*[contains(@class, 'ant-select')][1]");
        let wait = self.client.wait().at_most(PATIENCE).for_element(Locator::XPath(&list));
        wait.await.unwrap().click().await.unwrap();
        let open = "contains(@class, 'ant-select-dropdown') and not(contains(@class, '-hidden'))";
        let option = "contains(@class, 'ant-select-item-option-content')";
        let path = format!("//*[{open}]//*[{option}][normalize-space()='{choice}']");
        let wait = self.client.wait().at_most(PATIENCE).for_element(Locator::XPath(&path));
        match wait.await {
            Ok(option) => option.click().await.unwrap(),
            Err(_) => panic!("“{choice}” is no choice; the page says:\n{}", self.text().await),
        }
    }

    /// Opens the menu behind the button called `button` and takes what is called `entry` in it.
    pub async fn choose_in_menu(&self, button: &str, entry: &str) {
        self.labelled(button).await.click().await.unwrap();
        let path = format!("//*[@role='menuitem'][normalize-space()='{entry}']");
        let wait = self.client.wait().at_most(PATIENCE).for_element(Locator::XPath(&path));
        match wait.await {
            Ok(entry) => entry.click().await.unwrap(),
            Err(_) => panic!("“{entry}” is not in the menu; the page says:\n{}", self.text().await),
        }
    }

    /// What an automatic check of the page finds that keeps people out (WCAG 2.2 A and AA): each rule
    /// with the elements that break it.
    pub async fn barriers(&self) -> Vec<String> {
        let check = r#"
            const done = arguments[arguments.length - 1];
            const tags = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"];
            axe.run(document, { runOnly: { type: "tag", values: tags } }).then(
              ({ violations }) => done(violations.map(({ id, help, nodes }) =>
                `${id}: ${help}: ${nodes.slice(0, 4).map(({ html, failureSummary }) =>
                  html.slice(0, 160) + " " + failureSummary.split("\n").slice(1, 3).join(" ")).join(" | ")}`)),
              (error) => done([String(error)]),
            );"#;
        if self.run("return typeof axe", vec![]).await == "undefined" {
            let axe = std::fs::read_to_string(AXE).expect("the client's packages are installed");
            self.run(&axe, vec![]).await;
        }
        let found = self.client.execute_async(check, vec![]).await.unwrap();
        found.as_array().unwrap().iter().map(|one| one.as_str().unwrap().to_owned()).collect()
    }

    /// Runs `script` in the page.
    pub async fn run(&self, script: &str, arguments: Vec<Value>) -> Value {
        self.client.execute(script, arguments).await.unwrap()
    }

    /// Waits until `script` returns something true, and returns that. A script that fails looks again: what it wants may
    /// not be drawn yet.
    pub async fn until(&self, what: &str, script: &str) -> Value {
        self.until_within(PATIENCE, what, script).await
    }

    /// The same for what takes longer, such as measuring a site.
    pub async fn until_within(&self, patience: Duration, what: &str, script: &str) -> Value {
        let started = std::time::Instant::now();
        let mut fault = String::new();
        while started.elapsed() < patience {
            match self.client.execute(script, vec![]).await {
                Ok(value) if is_true(&value) => return value,
                Ok(_) => fault.clear(),
                Err(error) => fault = format!(" ({error})"),
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("waited in vain until {what}{fault}; the page says:\n{}", self.text().await);
    }

    /// Gives the page a viewport of its own, narrower than a window can be.
    pub async fn viewport(&self, width: u32, height: u32) {
        self.screen(width, height, 1.0).await;
    }

    /// As [`Browser::viewport`], on a screen of `density` device pixels per CSS pixel.
    pub async fn screen(&self, width: u32, height: u32, density: f64) {
        let params = json!({
            "width": width, "height": height, "deviceScaleFactor": density, "mobile": false,
        });
        self.ask("Emulation.setDeviceMetricsOverride", params).await;
    }

    /// What the browser's own protocol answers to `cmd`.
    pub async fn ask(&self, cmd: &'static str, params: Value) -> Value {
        self.client.issue_cmd(ForChromium { cmd, params }).await.unwrap()
    }

    /// Everything that can be read on the page.
    pub async fn text(&self) -> String {
        let text = self.run("return document.body.innerText", vec![]).await;
        text.as_str().unwrap_or_default().to_owned()
    }

    /// Lets go of a file over the page, as the system's file manager does.
    pub async fn drop_file(&self, name: &str, bytes: &[u8]) {
        let script = r#"
            const [name, hex] = arguments;
            const bytes = Uint8Array.from(hex.match(/../g), (pair) => parseInt(pair, 16));
            const transfer = new DataTransfer();
            transfer.items.add(new File([bytes], name));
            const zone = document.querySelector(".drop-zone .work");
            for (const kind of ["dragenter", "dragover", "drop"]) {
                const event = { bubbles: true, cancelable: true, dataTransfer: transfer };
                zone.dispatchEvent(new DragEvent(kind, event));
            }"#;
        let hex: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
        self.run(script, vec![json!(name), json!(hex)]).await;
    }

    /// What the page complained of, refused requests and policy violations among it.
    pub async fn complaints(&self) -> Vec<String> {
        let log = self.client.issue_cmd(GetLog).await.unwrap();
        let entries = log.as_array().cloned().unwrap_or_default();
        entries
            .iter()
            .filter(|entry| entry["level"] == "SEVERE")
            .map(|entry| entry["message"].as_str().unwrap_or_default().to_owned())
            .collect()
    }

    /// Ends the session.
    pub async fn close(self) {
        self.client.close().await.unwrap();
    }
}

/// Whether what a script returned is something.
fn is_true(value: &Value) -> bool {
    !matches!(value, Value::Null | Value::Bool(false)) && value != ""
}

/// ChromeDriver's own call for the page's console.
#[derive(Debug)]
struct GetLog;

impl fantoccini::wd::WebDriverCompatibleCommand for GetLog {
    fn endpoint(
        &self,
        base: &url::Url,
        session: Option<&str>,
    ) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        (http::Method::POST, Some(r#"{"type":"browser"}"#.to_owned()))
    }
}

/// ChromeDriver's own call for the browser's protocol.
#[derive(Debug)]
struct ForChromium {
    cmd: &'static str,
    params: Value,
}

impl fantoccini::wd::WebDriverCompatibleCommand for ForChromium {
    fn endpoint(
        &self,
        base: &url::Url,
        session: Option<&str>,
    ) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/goog/cdp/execute", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        let body = json!({"cmd": self.cmd, "params": self.params});
        (http::Method::POST, Some(body.to_string()))
    }
}

/// ChromeDriver and the browsers that it started, which a kill of it alone would orphan when a
/// test fails.
struct Driver(Process);

impl Drop for Driver {
    fn drop(&mut self) {
        let group = format!("-{}", self.0.0.id());
        let _ = Command::new("kill").args(["-KILL", "--", &group]).status();
    }
}

fn start_driver() -> (Driver, u16) {
    // The port that it chose for one kind of address may be taken for the other; it ends then.
    let started = (0..5).find_map(|_| driver_on_free_port());
    started.expect("chromedriver did not say its port")
}

fn driver_on_free_port() -> Option<(Driver, u16)> {
    let mut child = Command::new("chromedriver")
        .arg("--port=0")
        .process_group(0)
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .expect("chromedriver is not here; bin/setup installs it");
    let output = BufReader::new(child.stdout.take().unwrap());
    let driver = Driver(Process(child));
    for line in output.lines() {
        let line = line.unwrap();
        let port = line
            .split("on port ")
            .nth(1)
            .and_then(|rest| rest.split(|c: char| !c.is_ascii_digit()).next()?.parse().ok());
        if let (true, Some(port)) = (line.contains("started successfully"), port) {
            return Some((driver, port));
        }
    }
    None
}
