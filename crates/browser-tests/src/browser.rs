//! A headless browser on the page.

use crate::{Program, again_until};
use anyhow::{Context, Result};
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use fantoccini::elements::Element;
use fantoccini::key::Key;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::json;
use std::os::unix::process::CommandExt;
use std::process::{Command, Stdio};

/// A browser and its driver.
pub struct Browser {
    /// To look and act.
    pub page: Client,
    driver: Program,
    _profile: tempfile::TempDir,
}

impl Drop for Browser {
    fn drop(&mut self) {
        // A browser whose test failed would go on drawing beside the others.
        let group = format!("-{}", self.driver.0.id());
        let _ = Command::new("kill").args(["-KILL", "--", &group]).stderr(Stdio::null()).status();
    }
}

impl Browser {
    /// Opens a window of 1280 × 800.
    ///
    /// # Errors
    /// Chromium or its driver are missing.
    pub async fn open() -> Result<Browser> {
        let port = std::net::TcpListener::bind("127.0.0.1:0")?.local_addr()?.port();
        let driver = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .process_group(0)
            .spawn()
            .context("chromedriver (Debian package: chromium-driver)")?;
        let driver = Program(driver);
        let profile = tempfile::tempdir()?;
        let args = [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--enable-unsafe-swiftshader",
            "--hide-scrollbars",
            "--window-size=1280,920",
        ];
        let mut args: Vec<String> = args.map(String::from).to_vec();
        args.push(format!("--user-data-dir={}", profile.path().display()));
        let mut wishes = serde_json::map::Map::new();
        wishes.insert("goog:chromeOptions".into(), json!({ "args": args }));
        // A script that tries many things takes its time.
        wishes.insert("timeouts".into(), json!({ "script": 600_000 }));
        let mut last = None;
        let page = again_until(async || {
            let mut builder = ClientBuilder::new(HttpConnector::new());
            match builder.capabilities(wishes.clone()).connect(&format!("http://127.0.0.1:{port}")).await {
                Ok(page) => Ok(Some(page)),
                Err(e) => {
                    last = Some(e);
                    Ok(None)
                }
            }
        });
        let page = page.await?.with_context(|| format!("the browser did not start: {last:?}"))?;
        Ok(Browser { page, driver, _profile: profile })
    }

    /// Waits for an element.
    ///
    /// # Errors
    /// It does not come in time.
    pub async fn find(&self, css: &str) -> Result<Element> {
        self.found(Locator::Css(css)).await
    }

    async fn found(&self, what: Locator<'_>) -> Result<Element> {
        let wait = self.page.wait().at_most(crate::PATIENCE);
        wait.for_element(what).await.with_context(|| format!("{what:?} is not on the page"))
    }

    /// Does something with an element, again if it was drawn anew meanwhile or cannot be reached yet.
    async fn with<T>(
        &self,
        what: Locator<'_>,
        act: impl AsyncFn(Element) -> Result<T, fantoccini::error::CmdError>,
    ) -> Result<T> {
        let acted = again_until(async || match act(self.found(what).await?).await {
            Err(e) if passing(&e) => Ok(None),
            done => Ok(Some(done?)),
        });
        acted.await?.with_context(|| format!("{what:?} is never ready"))
    }

    /// Waits until an element's text is as wished, and gives it.
    ///
    /// # Errors
    /// It does not become so in time.
    pub async fn text_until(&self, css: &str, good: impl Fn(&str) -> bool) -> Result<String> {
        self.until(css, good, async |e| Ok(Some(e.text().await?))).await
    }

    /// Waits until what a field holds is as wished, and gives it.
    ///
    /// # Errors
    /// It does not become so in time.
    pub async fn value_until(&self, css: &str, good: impl Fn(&str) -> bool) -> Result<String> {
        self.until(css, good, async |e| e.prop("value").await).await
    }

    /// Waits until the bracket in the overview is told as wished: `1.000 to 3.000 s`.
    ///
    /// # Errors
    /// It does not become so in time.
    pub async fn bracket_until(&self, good: impl Fn(&str) -> bool) -> Result<String> {
        self.until("[role=slider]", good, async |e| e.attr("aria-valuetext").await).await
    }

    async fn until(
        &self,
        css: &str,
        good: impl Fn(&str) -> bool,
        read: impl AsyncFn(Element) -> Result<Option<String>, fantoccini::error::CmdError>,
    ) -> Result<String> {
        let mut last = String::new();
        let found = again_until(async || {
            let Ok(e) = self.page.find(Locator::Css(css)).await else { return Ok(None) };
            let Ok(Some(text)) = read(e).await else { return Ok(None) };
            last = text;
            Ok(good(&last).then(|| last.clone()))
        });
        found.await?.with_context(|| format!("{css} stays “{last}”"))
    }

    /// Waits until the address is as wished.
    ///
    /// # Errors
    /// It does not become so in time.
    pub async fn address_until(&self, good: impl Fn(&str) -> bool) -> Result<()> {
        let mut last = String::new();
        let found = again_until(async || {
            last = self.page.current_url().await?.to_string();
            Ok(good(&last).then_some(()))
        });
        found.await?.with_context(|| format!("the address stays {last}"))
    }

    /// Waits until a script gives what is wished.
    ///
    /// # Errors
    /// It does not give it in time.
    pub async fn script_until(&self, script: &str, good: impl Fn(&serde_json::Value) -> bool) -> Result<()> {
        let mut last = serde_json::Value::Null;
        let found = again_until(async || {
            // What it asks about may not be drawn yet.
            last = self.page.execute(script, Vec::new()).await.unwrap_or_default();
            Ok(good(&last).then_some(()))
        });
        found.await?.with_context(|| format!("the script gives {last}"))
    }

    /// Waits until nothing is found any more.
    ///
    /// # Errors
    /// It stays.
    pub async fn gone(&self, what: Locator<'_>) -> Result<()> {
        let mut says = String::new();
        let gone = again_until(async || {
            let there = self.page.find_all(what).await?;
            if let Some(first) = there.first() {
                // It may go while it is read.
                says = first.text().await.unwrap_or_default();
            }
            Ok(there.is_empty().then_some(()))
        });
        gone.await?.with_context(|| format!("{what:?} is still there: “{says}”"))
    }

    /// Presses keys one after the other, wherever the focus is.
    ///
    /// # Errors
    /// The driver's own.
    pub async fn keys(&self, keys: &str) -> Result<()> {
        let active = self.page.active_element().await?;
        active.send_keys(keys).await?;
        Ok(())
    }

    /// Presses Enter in a cell of the table that is typed into, and waits until it is closed: its value may be heard of
    /// before, and keys until then are its own.
    ///
    /// # Errors
    /// The cell stays open.
    pub async fn entered(&self) -> Result<()> {
        self.keys(&Key::Enter.to_string()).await?;
        self.gone(Locator::Css("[role=grid] input:focus")).await
    }

    /// Clicks at a place of the window.
    ///
    /// # Errors
    /// The driver's own.
    pub async fn click_at(&self, x: f64, y: f64) -> Result<()> {
        let mouse = MouseActions::new("mouse".into())
            .then(PointerAction::MoveTo { duration: None, x, y })
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
            .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        self.page.perform_actions(mouse).await?;
        Ok(())
    }

    /// Chooses from a list: presses the word with this label, then the option with this text.
    ///
    /// # Errors
    /// The word or the option is not there.
    pub async fn choose(&self, label: &str, option: &str) -> Result<()> {
        self.choose_in("", label, option).await
    }

    /// Chooses from a list within a part of the page.
    ///
    /// # Errors
    /// The word or the option is not there.
    pub async fn choose_in(&self, part: &str, label: &str, option: &str) -> Result<()> {
        self.press_found(&format!("{part} button[aria-label='{label}']")).await?;
        let mut offered = Vec::new();
        let chosen = again_until(async || {
            offered.clear();
            for o in self.page.find_all(Locator::Css("[role=option]")).await? {
                let Ok(text) = o.text().await else { break };
                if plain(&text).starts_with(option) {
                    match o.click().await {
                        Err(e) if passing(&e) => break,
                        done => return Ok(Some(done?)),
                    }
                }
                offered.push(text);
            }
            Ok(None)
        });
        chosen.await?.with_context(|| format!("{label} offers no {option}, but {offered:?}"))
    }

    /// Presses what a selector finds.
    ///
    /// # Errors
    /// It is not there.
    pub async fn press_found(&self, css: &str) -> Result<()> {
        self.with(Locator::Css(css), async |e| e.click().await).await
    }

    /// Presses what a path finds.
    ///
    /// # Errors
    /// It is not there.
    pub async fn press_path(&self, path: &str) -> Result<()> {
        self.with(Locator::XPath(path), async |e| e.click().await).await
    }

    /// Sends keys to what a selector finds.
    ///
    /// # Errors
    /// It is not there.
    pub async fn send(&self, css: &str, keys: &str) -> Result<()> {
        self.with(Locator::Css(css), async |e| e.send_keys(keys).await).await
    }

    /// Presses a button by its words or its label.
    ///
    /// # Errors
    /// It does not come in time, or stays disabled.
    pub async fn press(&self, says: &str) -> Result<()> {
        self.press_path(&format!(
            "//button[not(@disabled) and (starts-with(normalize-space(.), \"{says}\") or @aria-label=\"{says}\")]"
        ))
        .await
    }

    /// Types over a word of a sentence, by its label, and presses Enter.
    ///
    /// # Errors
    /// The word is not there.
    pub async fn word(&self, label: &str, text: &str) -> Result<()> {
        self.type_over(&format!("input[aria-label='{label}']"), text).await?;
        self.keys(&Key::Enter.to_string()).await
    }

    /// Types what a field of the page refuses: it says why and keeps what was typed, until Escape.
    ///
    /// # Errors
    /// It is taken, refused in other words, or lost.
    pub async fn refused(&self, css: &str, text: &str, says: &str) -> Result<()> {
        self.type_over(css, text).await?;
        self.keys(&Key::Enter.to_string()).await?;
        self.text_until("[role=alert]", |t| t.contains(says)).await?;
        self.value_until(css, |kept| kept == text).await.context("what was typed is kept")?;
        self.send(css, &Key::Escape.to_string()).await
    }

    /// Types into a field in place of what it holds.
    ///
    /// # Errors
    /// The field is not there.
    pub async fn type_over(&self, css: &str, text: &str) -> Result<()> {
        let all = format!("{}a{}", char::from(Key::Control), char::from(Key::Null));
        self.with(Locator::Css(css), async |field| {
            field.send_keys(&all).await?;
            field.send_keys(text).await
        })
        .await
    }
}

/// Whether an element was drawn anew after it was found, or is not where it can be reached yet.
fn passing(e: &fantoccini::error::CmdError) -> bool {
    let says = e.to_string();
    ["stale element", "not interactable", "click intercepted"].iter().any(|w| says.contains(w))
}

/// Text without the narrow spaces between numbers and units.
pub fn plain(text: &str) -> String {
    text.replace(['\u{202f}', '\u{2009}', '\u{a0}'], "")
}

/// A number as the page writes it, not a number for other words.
pub fn number(text: &str) -> f64 {
    plain(text).replace('\u{2212}', "-").parse().unwrap_or(f64::NAN)
}

/// Keys while a modifier is held.
pub fn held(modifier: Key, keys: &str) -> String {
    format!("{modifier}{keys}{}", Key::Null)
}
