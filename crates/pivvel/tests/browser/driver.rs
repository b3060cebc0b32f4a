//! A browser of its own for each page, gone when done.

use std::future::Future;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use fantoccini::actions::{InputSource, KeyAction, KeyActions, MouseActions, PointerAction};
use fantoccini::key::Key;
use fantoccini::wd::{PrintSize, WebDriverCompatibleCommand};
use fantoccini::{Client, ClientBuilder, Locator};
use http::Method;
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use url::{ParseError, Url};

/// Written before anything else on a page: what goes wrong on it is kept.
const WATCH: &str = "<script>window.wrong = []; addEventListener('error', e => window.wrong.push(String(e.message)), true); \
    addEventListener('securitypolicyviolation', e => window.wrong.push('refused ' + e.blockedURI)); \
    addEventListener('unhandledrejection', e => window.wrong.push(String(e.reason))); \
    for (const k of ['error', 'warn']) console[k] = (...a) => window.wrong.push(a.join(' '));</script>";

/// What a reader prefers, by the browser's numbers.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Colours {
    Dark = 0,
    Light = 1,
}

struct Driver(Child);

impl Drop for Driver {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// An open page.
pub(crate) struct Page(Client);

impl Page {
    /// Opens a page and does something with it; then nothing may have gone wrong on it. Skips where
    /// no browser is installed, unless everything is required.
    pub(crate) fn open<F, D>(html: &str, does: D)
    where
        D: FnOnce(Page) -> F,
        F: Future<Output = ()>,
    {
        Page::open_in(Colours::Light, html, does);
    }

    /// The same for a reader who prefers these colours.
    pub(crate) fn open_in<F, D>(colours: Colours, html: &str, does: D)
    where
        D: FnOnce(Page) -> F,
        F: Future<Output = ()>,
    {
        let port = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
        let mut command = Command::new("chromedriver");
        command.arg(format!("--port={port}")).stdout(Stdio::null()).stderr(Stdio::null());
        let driver = match command.spawn() {
            Ok(child) => Driver(child),
            Err(_) => {
                return crate::missing::skipped("chromedriver");
            }
        };
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("page.html");
        std::fs::write(&file, html.replacen("<head>", &format!("<head>{WATCH}"), 1)).unwrap();
        let profile = folder.path().join("profile");
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().unwrap();
        runtime.block_on(async {
            let client = connect(port, &profile.display().to_string(), colours).await;
            client.goto(&format!("file://{}", file.display())).await.unwrap();
            does(Page(client.clone())).await;
            let wrong = client.execute("return window.wrong", Vec::new()).await.unwrap();
            client.close().await.unwrap();
            assert_eq!(wrong, json!([]), "the console is not quiet");
        });
        drop(driver);
    }

    pub(crate) async fn value(&self, script: &str) -> Value {
        self.0.execute(script, Vec::new()).await.unwrap()
    }

    /// What a script hands to the function that it gets as its last argument.
    pub(crate) async fn answer(&self, script: &str) -> Vec<String> {
        let value = self.0.execute_async(script, Vec::new()).await.unwrap();
        serde_json::from_value(value).unwrap()
    }

    pub(crate) async fn number(&self, script: &str) -> f64 {
        self.value(script).await.as_f64().unwrap()
    }

    pub(crate) async fn texts(&self, script: &str) -> Vec<String> {
        let value = self.value(script).await;
        value.as_array().unwrap().iter().map(|text| text.as_str().unwrap().to_string()).collect()
    }

    pub(crate) async fn click(&self, which: &str) {
        self.0.find(Locator::Css(which)).await.unwrap().click().await.unwrap();
    }

    pub(crate) async fn type_in(&self, which: &str, text: &str) {
        self.0.find(Locator::Css(which)).await.unwrap().send_keys(text).await.unwrap();
    }

    /// Presses a key wherever the focus is.
    pub(crate) async fn keys(&self, key: Key) {
        let value = char::from(key);
        let press =
            KeyActions::new("keys".into()).then(KeyAction::Down { value }).then(KeyAction::Up { value });
        self.0.perform_actions(press).await.unwrap();
    }

    /// Points at an element with the mouse.
    pub(crate) async fn point(&self, which: &str) {
        let element = self.0.find(Locator::Css(which)).await.unwrap();
        let script = "arguments[0].scrollIntoView({ block: 'center' })";
        self.0.execute(script, vec![serde_json::to_value(&element).unwrap()]).await.unwrap();
        let to = PointerAction::MoveToElement { element, duration: None, x: 0.0, y: 0.0 };
        self.0.perform_actions(MouseActions::new("mouse".into()).then(to)).await.unwrap();
    }

    pub(crate) async fn resize(&self, width: u32, height: u32) {
        self.0.set_window_size(width, height).await.unwrap();
    }

    pub(crate) async fn print(&self) -> Vec<u8> {
        self.print_on(PrintSize::US_LETTER).await
    }

    pub(crate) async fn print_on(&self, size: PrintSize) -> Vec<u8> {
        let printed = self.0.issue_cmd(Print(size)).await.unwrap();
        BASE64_STANDARD.decode(printed["data"].as_str().unwrap()).unwrap()
    }
}

/// Prints a page by the browser's own protocol: the driver's command gives up after ten seconds, which a large page takes on a
/// busy machine.
#[derive(Debug)]
struct Print(PrintSize);

impl WebDriverCompatibleCommand for Print {
    fn endpoint(&self, driver: &Url, session: Option<&str>) -> Result<Url, ParseError> {
        driver.join(&format!("session/{}/goog/cdp/execute", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &Url) -> (Method, Option<String>) {
        // In inches.
        let params = json!({ "paperWidth": self.0.width / 2.54, "paperHeight": self.0.height / 2.54 });
        (Method::POST, Some(json!({ "cmd": "Page.printToPDF", "params": params }).to_string()))
    }
}

async fn connect(port: u16, profile: &str, colours: Colours) -> Client {
    let arguments = [
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--window-size=1280,800",
        &format!("--user-data-dir={profile}"),
        &format!("--blink-settings=preferredColorScheme={}", colours as u8),
    ];
    let capabilities = json!({ "goog:chromeOptions": { "args": arguments } });
    let Value::Object(capabilities) = capabilities else { unreachable!() };
    let mut builder = ClientBuilder::new(HttpConnector::new());
    builder.capabilities(capabilities);
    for _ in 0..100 {
        if let Ok(client) = builder.connect(&format!("http://127.0.0.1:{port}")).await {
            return client;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("chromedriver does not answer");
}
