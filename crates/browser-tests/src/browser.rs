//! A headless browser on the page.

use crate::Program;
use anyhow::{Context, Result};
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use fantoccini::key::Key;
use fantoccini::{Client, ClientBuilder, Locator};
use serde_json::json;
use std::process::{Command, Stdio};
use std::time::Duration;

/// A browser and its driver.
pub struct Browser {
    /// To look and act.
    pub page: Client,
    _driver: Program,
    _profile: tempfile::TempDir,
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
        let mut tries = 0;
        let page = loop {
            let attempt = ClientBuilder::rustls()?
                .capabilities(wishes.clone())
                .connect(&format!("http://127.0.0.1:{port}"))
                .await;
            match attempt {
                Ok(page) => break page,
                Err(e) if tries == 50 => return Err(e).context("the browser did not start"),
                Err(_) => tries += 1,
            }
            tokio::time::sleep(Duration::from_millis(200)).await;
        };
        Ok(Browser { page, _driver: driver, _profile: profile })
    }

    /// Waits for an element.
    ///
    /// # Errors
    /// It does not come within twenty seconds.
    pub async fn find(&self, css: &str) -> Result<fantoccini::elements::Element> {
        let wait = self.page.wait().at_most(Duration::from_secs(20));
        wait.for_element(Locator::Css(css)).await.with_context(|| format!("{css} is not on the page"))
    }

    /// Waits until an element's text is as wished, and gives it.
    ///
    /// # Errors
    /// It does not become so within forty seconds.
    pub async fn text_until(&self, css: &str, good: impl Fn(&str) -> bool) -> Result<String> {
        let mut last = String::new();
        let begun = std::time::Instant::now();
        while begun.elapsed() < Duration::from_secs(40) {
            if let Ok(e) = self.page.find(Locator::Css(css)).await
                && let Ok(text) = e.text().await
            {
                if good(&text) {
                    return Ok(text);
                }
                last = text;
            }
            tokio::time::sleep(Duration::from_millis(200)).await;
        }
        anyhow::bail!("{css} stays “{last}”")
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
        self.find(&format!("button[aria-label='{label}']")).await?.click().await?;
        self.find("[role=option]").await?;
        for o in self.page.find_all(Locator::Css("[role=option]")).await? {
            if plain(&o.text().await?).starts_with(option) {
                o.click().await?;
                return Ok(());
            }
        }
        anyhow::bail!("{label} offers no {option}")
    }

    /// Types into a field in place of what it holds.
    ///
    /// # Errors
    /// The field is not there.
    pub async fn type_over(&self, css: &str, text: &str) -> Result<()> {
        let field = self.find(css).await?;
        field.send_keys(&format!("{}a{}", char::from(Key::Control), char::from(Key::Null))).await?;
        field.send_keys(text).await?;
        Ok(())
    }
}

/// Text without the narrow spaces between numbers and units.
pub fn plain(text: &str) -> String {
    text.replace(['\u{202f}', '\u{2009}', '\u{a0}'], "")
}
