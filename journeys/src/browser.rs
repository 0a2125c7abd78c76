//! Headless Chromium through ChromeDriver, from Debian's packages.

use fantoccini::wd::{Capabilities, WebDriverCompatibleCommand};
use fantoccini::{Client, ClientBuilder, Locator};
use http::Method;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};
use std::os::unix::process::CommandExt;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use url::{ParseError, Url};

/// What runs a test in a browser.
pub fn runtime() -> tokio::runtime::Runtime {
    tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .unwrap()
}

/// A browser window of 1280 x 800 px.
pub struct Browser {
    driver: Driver,
    pub client: Client,
}

/// ChromeDriver with the browser that it started. Both go with it, also when a test fails: browsers that stay behind slow
/// every test after them.
struct Driver(Child);

impl Drop for Driver {
    fn drop(&mut self) {
        // The group is the driver's own; a minus before the number means all of it.
        let _ = Command::new("kill")
            .args(["-KILL", "--", &format!("-{}", self.0.id())])
            .status();
        let _ = self.0.wait();
    }
}

/// Gives the page in the window at hand a size (Chrome DevTools Protocol, `Emulation.setDeviceMetricsOverride`, which ChromeDriver passes on).
#[derive(Debug)]
struct PageSize {
    width: u32,
    height: u32,
}

impl WebDriverCompatibleCommand for PageSize {
    fn endpoint(&self, base: &Url, session: Option<&str>) -> Result<Url, ParseError> {
        base.join(&format!(
            "session/{}/goog/cdp/execute",
            session.unwrap_or_default()
        ))
    }

    fn method_and_body(&self, _: &Url) -> (Method, Option<String>) {
        let body = json!({
            "cmd": "Emulation.setDeviceMetricsOverride",
            "params": {"width": self.width, "height": self.height, "deviceScaleFactor": 1, "mobile": false},
        });
        (Method::POST, Some(body.to_string()))
    }
}

const FLAGS: [&str; 23] = [
    "--headless=new",
    "--no-sandbox",
    "--disable-dev-shm-usage",
    "--window-size=1280,800",
    "--force-device-scale-factor=1",
    "--hide-scrollbars",
    "--use-angle=gles-egl",
    "--ignore-gpu-blocklist",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-default-apps",
    "--disable-extensions",
    "--no-first-run",
    "--no-default-browser-check",
    "--disable-quic",
    "--disable-domain-reliability",
    "--no-pings",
    "--dns-prefetch-disable",
    "--no-proxy-server",
    "--disable-features=Translate",
    "--lang=en",
    // The one that really keeps the browser from asking outside.
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1",
];

impl Browser {
    pub async fn open(downloads: &Path) -> Self {
        let mut driver = Command::new("chromedriver")
            .arg("--port=0")
            .process_group(0)
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .map(Driver)
            .expect("chromedriver (Debian chromium-driver) is needed for this test");
        let mut lines = BufReader::new(driver.0.stdout.take().unwrap()).lines();
        let port: u16 = loop {
            let line = lines.next().expect("chromedriver tells its port").unwrap();
            // The first line repeats the port that was asked for, 0.
            let told = line.split("started successfully on port ").nth(1);
            if let Some(port) = told {
                break port.trim_end_matches('.').parse().unwrap();
            }
        };
        let mut capabilities = Capabilities::new();
        capabilities.insert(
            "goog:chromeOptions".into(),
            json!({
                "binary": "/usr/bin/chromium",
                "args": FLAGS,
                "prefs": {"download.default_directory": downloads, "download.prompt_for_download": false},
            }),
        );
        capabilities.insert("goog:loggingPrefs".into(), json!({"browser": "ALL"}));
        let client = ClientBuilder::new(hyper_util::client::legacy::connect::HttpConnector::new())
            .capabilities(capabilities)
            .connect(&format!("http://127.0.0.1:{port}"))
            .await
            .expect("the browser starts");
        let browser = Self { driver, client };
        browser.resize(1280, 800).await;
        browser
    }

    /// Exactly so many pixels of page, whatever the window's own frame takes. The page itself is given its size: a window comes to one in
    /// steps on a busy machine, and passes through the right one on its way to another.
    pub async fn resize(&self, width: u32, height: u32) {
        let size = PageSize { width, height };
        self.client.issue_cmd(size).await.unwrap();
        let right = format!("return innerWidth === {width} && innerHeight === {height};");
        self.until("the size of the page", &right).await;
    }

    /// Waits until the page has been drawn again, after whatever follows its size.
    pub async fn settled(&self) {
        // A window behind another one is not drawn: it does not wait for that for ever.
        self.script("window.drawn = 0; const soon = (f) => { let done = false; const once = () => { if (!done) { done = true; f(); } }; requestAnimationFrame(once); setTimeout(once, 500); }; const next = () => { window.drawn += 1; if (window.drawn < 3) soon(next); }; soon(next); return true;").await;
        self.until("the next picture of the page", "return window.drawn === 3;")
            .await;
    }

    /// Gives live pictures time to lose their noise, if a screenshot is wanted of them.
    pub async fn calm_for_a_screenshot(&self, seconds: u64) {
        if std::env::var_os("OWL_DOME_SCREENSHOTS").is_some() {
            std::thread::sleep(Duration::from_secs(seconds));
        }
    }

    /// Waits for an element.
    pub async fn find(&self, css: &str) -> fantoccini::elements::Element {
        self.client
            .wait()
            .at_most(crate::support::patience())
            .for_element(Locator::Css(css))
            .await
            .unwrap_or_else(|e| panic!("{css}: {e}"))
    }

    /// Clicks a button or link by its words.
    pub async fn press(&self, words: &str) {
        let path = format!(
            "(//button[normalize-space(.)='{words}'] | //a[normalize-space(.)='{words}'])[1]"
        );
        self.click_at(&path, words).await;
    }

    /// Clicks an element as a hand does: the pointer goes there first, and what follows from that is drawn before the click.
    /// Chromium's driver looks the place up once and sends moving, pressing and letting go to it, so a page that
    /// closes a note as the pointer leaves a picture would be pressed beside its button.
    async fn click_at(&self, path: &str, what: &str) {
        let element = self
            .client
            .wait()
            .at_most(crate::support::patience())
            .for_element(Locator::XPath(path))
            .await
            .unwrap_or_else(|e| panic!("{what}: {e}"));
        // What scrolls into view on the way is looked up by the click itself; what cannot be pointed at, it tells better.
        let place = self
            .client
            .execute(
                "arguments[0].scrollIntoView({block: 'nearest', inline: 'nearest'}); const b = arguments[0].getBoundingClientRect(); return [b.left + b.width / 2, b.top + b.height / 2];",
                vec![serde_json::to_value(&element).unwrap()],
            )
            .await
            .unwrap_or_else(|e| panic!("{what}: {e}"));
        self.point((
            place[0].as_f64().unwrap() as i64,
            place[1].as_f64().unwrap() as i64,
        ))
        .await;
        self.settled().await;
        element
            .click()
            .await
            .unwrap_or_else(|e| panic!("{what}: {e}"));
    }

    /// Chooses a tab by its words.
    pub async fn press_tab(&self, words: &str) {
        let path = format!("//button[@role='tab'][starts-with(normalize-space(.),'{words}')]");
        self.click_at(&path, words).await;
    }

    /// Clicks what a screen reader calls so.
    pub async fn press_labelled(&self, label: &str) {
        self.click_at(&format!("//*[@aria-label='{label}']"), label)
            .await;
    }

    /// Turns a switch on or off by its words.
    pub async fn press_switch_label(&self, words: &str) {
        let path = format!("//label[span[normalize-space(.)='{words}']]//input[@type='checkbox']");
        self.click_at(&path, words).await;
    }

    /// Has a switch on or off, whichever it was.
    pub async fn set_switch(&self, words: &str, on: bool) {
        let is = format!(
            "return [...document.querySelectorAll('label')].find(l => l.innerText.trim() === '{words}')?.querySelector('input[type=checkbox]')?.checked ?? null;"
        );
        self.until(
            words,
            &format!("const f = () => {{ {is} }}; return f() !== null;"),
        )
        .await;
        if self.script(&is).await != json!(on) {
            self.press_switch_label(words).await;
        }
        assert_eq!(self.script(&is).await, json!(on), "{words}");
    }

    /// Opens a part of a form and turns some of its switches.
    pub async fn press_switch(&self, part: &str, words: &[&str]) {
        let path = format!("//summary[starts-with(normalize-space(.),'{part}')]");
        self.click_at(&path, part).await;
        for word in words {
            self.press_switch_label(word).await;
        }
    }

    /// Chooses in the list with a label.
    pub async fn choose(&self, label: &str, value: &str) {
        let path = format!("//label[span[normalize-space(.)='{label}']]//select");
        let list = self
            .client
            .wait()
            .at_most(crate::support::patience())
            .for_element(Locator::XPath(&path))
            .await
            .unwrap_or_else(|e| panic!("{label}: {e}"));
        list.select_by_value(value)
            .await
            .unwrap_or_else(|e| panic!("{label} {value}: {e}"));
    }

    /// Types a value into the field with a label and leaves it.
    pub async fn fill(&self, label: &str, value: &str) {
        let path = format!("//label[span[normalize-space(.)='{label}']]//input");
        let field = self
            .client
            .wait()
            .at_most(crate::support::patience())
            .for_element(Locator::XPath(&path))
            .await
            .unwrap_or_else(|e| panic!("{label}: {e}"));
        field.click().await.unwrap();
        field
            .send_keys(&format!("\u{e009}a\u{e000}{value}\u{e007}"))
            .await
            .unwrap(); // Ctrl+A, the value, Enter
    }

    /// Runs a script in the page.
    pub async fn script(&self, code: &str) -> Value {
        self.client
            .execute(code, vec![])
            .await
            .unwrap_or_else(|e| panic!("{code}: {e}"))
    }

    /// Waits until a script gives something true.
    pub async fn until(&self, what: &str, code: &str) -> Value {
        let start = Instant::now();
        loop {
            let value = self.script(code).await;
            if !matches!(value, Value::Null | Value::Bool(false)) {
                return value;
            }
            if start.elapsed() > crate::support::patience() {
                let seen = self.script("return document.body.innerText;").await;
                panic!("waited in vain for {what}; the page shows:\n{seen}");
            }
            std::thread::sleep(Duration::from_millis(100));
        }
    }

    /// Drags from one place of the page by an offset, with the real mouse.
    pub async fn drag(&self, from: (i64, i64), by: (i64, i64)) {
        use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
        let to = |x: i64, y: i64| PointerAction::MoveTo {
            duration: Some(Duration::from_millis(60)),
            x: x as f64,
            y: y as f64,
        };
        let mouse = MouseActions::new("mouse".into())
            .then(to(from.0, from.1))
            .then(PointerAction::Down {
                button: MOUSE_BUTTON_LEFT,
            })
            .then(to(from.0 + by.0 / 2, from.1 + by.1 / 2))
            .then(to(from.0 + by.0, from.1 + by.1))
            .then(PointerAction::Up {
                button: MOUSE_BUTTON_LEFT,
            });
        self.client.perform_actions(mouse).await.unwrap();
    }

    /// Presses the mouse at a place and moves it by an offset in some steps, without letting go.
    pub async fn hold_and_move(&self, from: (i64, i64), by: (i64, i64), steps: i64) {
        use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
        let to = |x: i64, y: i64| PointerAction::MoveTo {
            duration: Some(Duration::from_millis(80)),
            x: x as f64,
            y: y as f64,
        };
        let mut mouse = MouseActions::new("mouse".into())
            .then(to(from.0, from.1))
            .then(PointerAction::Down {
                button: MOUSE_BUTTON_LEFT,
            });
        for i in 1..=steps {
            mouse = mouse.then(to(from.0 + by.0 * i / steps, from.1 + by.1 * i / steps));
        }
        self.client.perform_actions(mouse).await.unwrap();
    }

    /// Lets the mouse go where it is.
    pub async fn let_go(&self) {
        use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
        let mouse = MouseActions::new("mouse".into()).then(PointerAction::Up {
            button: MOUSE_BUTTON_LEFT,
        });
        self.client.perform_actions(mouse).await.unwrap();
    }

    /// Moves the mouse to a place of the page.
    pub async fn point(&self, at: (i64, i64)) {
        use fantoccini::actions::{InputSource, MouseActions, PointerAction};
        let mouse = MouseActions::new("mouse".into()).then(PointerAction::MoveTo {
            duration: Some(Duration::from_millis(60)),
            x: at.0 as f64,
            y: at.1 as f64,
        });
        self.client.perform_actions(mouse).await.unwrap();
    }

    /// Clicks a place of the page.
    pub async fn click(&self, at: (i64, i64)) {
        self.hold_and_move(at, (0, 0), 0).await;
        self.let_go().await;
    }

    /// Presses a key with Ctrl held.
    pub async fn control(&self, key: &str) {
        let body = self.find("body").await;
        body.send_keys(&format!("\u{e009}{key}\u{e000}"))
            .await
            .unwrap();
    }

    /// What an element shows.
    pub async fn text(&self, css: &str) -> String {
        self.find(css).await.text().await.unwrap()
    }

    /// The middle of an element on the page.
    pub async fn middle(&self, css: &str) -> (i64, i64) {
        let code = format!(
            "const b = document.querySelector({css:?}).getBoundingClientRect(); return [b.left + b.width / 2, b.top + b.height / 2];"
        );
        let v = self.script(&code).await;
        (v[0].as_f64().unwrap() as i64, v[1].as_f64().unwrap() as i64)
    }

    /// Keeps a picture of the page for `docs/screenshots`, if OWL_DOME_SCREENSHOTS names a folder.
    pub async fn screenshot(&self, name: &str) {
        if let Ok(folder) = std::env::var("OWL_DOME_SCREENSHOTS") {
            let png = self.client.screenshot().await.unwrap();
            std::fs::create_dir_all(&folder).unwrap();
            std::fs::write(Path::new(&folder).join(format!("{name}.png")), png).unwrap();
        }
    }

    /// Fails on anything that axe-core (npm) calls serious or critical.
    pub async fn check_accessibility(&self, page: &str) {
        let axe = std::fs::read_to_string(concat!(
            env!("CARGO_MANIFEST_DIR"),
            "/../web/node_modules/axe-core/axe.min.js"
        ))
        .expect("axe-core (npm) is needed for this test");
        self.script(&format!("{axe}; return true;")).await;
        let found = self
            .client
            .execute_async(
                "const done = arguments[0]; axe.run().then(r => done(r.violations.filter(v => ['serious', 'critical'].includes(v.impact)).map(v => v.id + ': ' + v.nodes.map(n => n.target.join(' ') + ' ' + n.failureSummary).join('; '))));",
                vec![],
            )
            .await
            .unwrap();
        assert_eq!(found, json!([]), "on {page}");
    }

    pub async fn close(self) {
        let _ = self.client.clone().close().await;
        drop(self.driver);
    }
}
