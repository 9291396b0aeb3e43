//! A browser that is driven through WebDriver (W3C), as a person would use it.

use fantoccini::actions::{InputSource, KeyAction, KeyActions, MouseActions, PointerAction};
use fantoccini::elements::Element;
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use tokio::runtime::{Builder, Runtime};

/// Selects all of a field: Control and A, and lets go of Control.
pub(crate) const ALL: &str = "\u{e009}a\u{e000}";
pub(crate) const ENTER: &str = "\u{e007}";
pub(crate) const ESCAPE: &str = "\u{e00c}";
/// Alt and the arrow that points down.
pub(crate) const ALT_DOWN: &str = "\u{e00a}\u{e015}";

/// How long something on the page may take.
const LONG: Duration = Duration::from_secs(60);

/// Set where a browser must be there, so that no test is skipped.
const REQUIRED: &str = "USUAL_TIDE_BROWSER";

/// A driver, which starts browsers.
struct Driver {
    process: Child,
    /// What it says, which must have a reader as long as it lives.
    _said: BufReader<std::process::ChildStdout>,
    port: u16,
}

impl Driver {
    /// Nothing where none is installed.
    fn start() -> Option<Self> {
        // It ends when the port that it chose is taken in the same moment, by another driver say.
        for _ in 0..20 {
            let mut process = Command::new("chromedriver")
                .arg("--port=0")
                .stdout(Stdio::piped())
                .stderr(Stdio::null())
                .spawn()
                .ok()?;
            let mut said = BufReader::new(process.stdout.take().unwrap());
            if let Some(port) = port_told(&mut said) {
                return Some(Self {
                    process,
                    _said: said,
                    port,
                });
            }
            process.wait().unwrap();
        }
        panic!("the driver ends whenever it is started");
    }
}

/// The port on which a driver says that it listens; nothing when it ends before.
fn port_told(said: &mut impl BufRead) -> Option<u16> {
    let mut lines = said.lines().map(Result::unwrap);
    lines.find_map(|line| {
        let port = line.split("successfully on port ").nth(1)?;
        Some(port.trim_end_matches('.').parse().unwrap())
    })
}

impl Drop for Driver {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

/// A page in a browser of its own.
pub(crate) struct Page {
    runtime: Runtime,
    client: Client,
    _driver: Driver,
}

impl Page {
    /// Opens an address; nothing where no browser is installed, which is said.
    #[expect(clippy::print_stdout, reason = "a test that is skipped says so")]
    pub(crate) fn open(address: &str) -> Option<Self> {
        let Some(driver) = Driver::start() else {
            assert!(
                std::env::var_os(REQUIRED).is_none(),
                "{REQUIRED} is set, and there is no chromedriver"
            );
            println!("skipped: no browser is installed (Debian: chromium and chromium-driver)");
            return None;
        };
        let runtime = Builder::new_multi_thread()
            .worker_threads(1)
            .enable_all()
            .build()
            .unwrap();
        let arguments = [
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--no-first-run",
            "--disable-background-networking",
            "--window-size=1280,900",
            "--lang=en-GB",
        ];
        let wanted = json!({"goog:chromeOptions": {"args": arguments}});
        let client = runtime.block_on(async {
            let mut builder =
                ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new());
            builder.capabilities(wanted.as_object().unwrap().clone());
            let driver = format!("http://127.0.0.1:{}", driver.port);
            let client = builder.connect(&driver).await.unwrap();
            client.goto(address).await.unwrap();
            client
        });
        let page = Self {
            runtime,
            client,
            _driver: driver,
        };
        page.until("document.querySelector('#state').textContent.startsWith('live')");
        Some(page)
    }

    /// What an expression of the page gives.
    pub(crate) fn value(&self, expression: &str) -> Value {
        let script = format!("return ({expression});");
        let done = self
            .runtime
            .block_on(self.client.execute(&script, Vec::new()));
        done.unwrap_or_else(|why| panic!("{expression}: {why}"))
    }

    pub(crate) fn text(&self, css: &str) -> String {
        let text = self.value(&format!(
            "document.querySelector({})?.textContent",
            json!(css)
        ));
        text.as_str().unwrap_or_default().to_owned()
    }

    /// Waits until an expression is true.
    pub(crate) fn until(&self, expression: &str) {
        let end = Instant::now() + LONG;
        while self.value(expression) != Value::Bool(true) {
            let state = self.value("[document.querySelector('#state')?.textContent, document.querySelector('#said')?.textContent, document.querySelector('#chosen-count')?.textContent, document.querySelector('#filter-problem')?.textContent]");
            assert!(Instant::now() < end, "not in time: {expression}; {state}");
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    fn find(&self, css: &str) -> Element {
        let found = self.runtime.block_on(self.client.find(Locator::Css(css)));
        found.unwrap_or_else(|why| panic!("{css}: {why}"))
    }

    /// Clicks an element; once more where the page has drawn it anew since it was found.
    pub(crate) fn click(&self, css: &str) {
        let end = Instant::now() + LONG;
        loop {
            let done = self.runtime.block_on(self.find(css).click());
            match done {
                Ok(()) => return,
                Err(why) if why.is_stale_element_reference() && Instant::now() < end => {}
                Err(why) => panic!("{css}: {why}"),
            }
        }
    }

    /// Clicks while Shift is held.
    pub(crate) fn shift_click(&self, css: &str) {
        let element = self.find(css);
        let shift = |down: bool| {
            let value = "\u{e008}".chars().next().unwrap();
            let action = match down {
                true => KeyAction::Down { value },
                false => KeyAction::Up { value },
            };
            KeyActions::new("keyboard".to_owned()).then(action)
        };
        self.runtime.block_on(async {
            self.client.perform_actions(shift(true)).await.unwrap();
            element.click().await.unwrap();
            self.client.perform_actions(shift(false)).await.unwrap();
        });
    }

    /// Presses keys where the keyboard is.
    pub(crate) fn press(&self, keys: &str) {
        let done = self.runtime.block_on(async {
            let active = self.client.active_element().await?;
            active.send_keys(keys).await
        });
        done.unwrap();
    }

    /// Puts the keyboard into an element and presses keys.
    pub(crate) fn type_into(&self, css: &str, keys: &str) {
        self.value(&format!(
            "document.querySelector({}).focus() ?? true",
            json!(css)
        ));
        self.press(keys);
    }

    /// Types another text into a field.
    pub(crate) fn replace(&self, css: &str, text: &str) {
        self.type_into(css, &format!("{ALL}\u{e003}{text}"));
    }

    /// Drags an element onto another with the mouse.
    pub(crate) fn drag(&self, from: &str, to: &str) {
        let (from, to) = (self.find(from), self.find(to));
        let moved = |element: Element, duration| PointerAction::MoveToElement {
            element,
            duration: Some(duration),
            x: 0.0,
            y: 0.0,
        };
        let pause = Duration::from_millis(200);
        let mouse = MouseActions::new("mouse".to_owned())
            .then(moved(from, Duration::ZERO))
            .then(PointerAction::Down { button: 0 })
            .then(PointerAction::MoveBy {
                duration: Some(pause),
                x: 2.0,
                y: -6.0,
            })
            .then(moved(to.clone(), pause))
            // What is dragged is dropped where it was seen to be.
            .then(moved(to, pause))
            .then(PointerAction::Up { button: 0 });
        self.runtime
            .block_on(self.client.perform_actions(mouse))
            .unwrap();
    }

    /// The keys of the rows, from the first to the last.
    pub(crate) fn keys(&self) -> Vec<String> {
        let keys = self.value(
            "[...document.querySelectorAll('#rows .row:not([aria-hidden])')].map((row) => row.getAttribute('aria-label'))",
        );
        serde_json::from_value(keys).unwrap()
    }
}

impl Drop for Page {
    fn drop(&mut self) {
        let closed = self.runtime.block_on(self.client.clone().close());
        // A browser that was closed meanwhile is closed.
        drop(closed);
    }
}
