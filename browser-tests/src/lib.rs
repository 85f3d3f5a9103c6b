//! Jade Stack in a real browser: a server on a free port with its own data folder, ChromeDriver and
//! a headless Chromium, all ended with the test.

mod door;
mod driver;
mod wait;

use anyhow::Context;
use jade_server::{Config, Server};
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::time::Duration;
use thirtyfour::prelude::*;

pub use door::Door;
pub use driver::Driver;

/// A server and a browser that looks at it.
pub struct Session {
    /// The browser.
    pub browser: WebDriver,
    /// Where the server listens.
    pub address: SocketAddr,
    _driver: Driver,
    server: Option<tokio::task::JoinHandle<()>>,
}

impl Session {
    /// Starts a server at `listen` on `data`, and opens its first page at 1280 x 800.
    pub async fn start(
        listen: &str,
        data: &Path,
        roots: &[PathBuf],
        demo: bool,
    ) -> anyhow::Result<Self> {
        let config = Config {
            data: data.to_owned(),
            listen: listen.parse()?,
            roots: roots.to_vec(),
            demo,
            password: None,
            budget: jade_engine::Budget::new(Some(1024), Some(2))?,
            cache_limit: 8 << 30,
        };
        let server = Server::start(config).await?;
        let address = server.address()?;
        let server = Some(tokio::spawn(async move {
            if let Err(error) = server.run(std::future::pending()).await {
                eprintln!("the server ended: {error}");
            }
        }));
        Self::look(address, server).await
    }

    /// Another browser on the same server.
    pub async fn another(&self) -> anyhow::Result<Self> {
        Self::look(self.address, None).await
    }

    async fn look(
        address: SocketAddr,
        server: Option<tokio::task::JoinHandle<()>>,
    ) -> anyhow::Result<Self> {
        let driver = Driver::start()?;
        let browser = driver.open(1280, 800).await?;
        let session = Self { browser, address, _driver: driver, server };
        session.goto("/").await?;
        Ok(session)
    }

    /// Makes the browser behave as another screen, hand or person would have it, by a command of the
    /// Emulation domain of the Chrome DevTools protocol.
    pub async fn emulate(&self, command: &str, how: serde_json::Value) -> anyhow::Result<()> {
        self.browser.cdp().send_raw(&format!("Emulation.{command}"), how).await?;
        Ok(())
    }

    /// Opens a page of the application.
    pub async fn goto(&self, path: &str) -> anyhow::Result<()> {
        Ok(self.browser.goto(format!("http://{}{path}", self.address)).await?)
    }

    /// The first element, as soon as it is shown, within 20 seconds.
    pub async fn first(&self, by: By) -> anyhow::Result<WebElement> {
        let what = format!("{by:?}");
        let wait = (Duration::from_secs(20), Duration::from_millis(50));
        let query = self.browser.query(by).wait(wait.0, wait.1);
        query.first().await.with_context(|| format!("{what} does not appear"))
    }

    /// The button or link with this text.
    pub async fn button(&self, text: &str) -> anyhow::Result<WebElement> {
        let path =
            format!("//button[normalize-space()='{text}'] | //a[normalize-space()='{text}']");
        self.first(By::XPath(path)).await
    }

    /// Waits until a condition on the page's state holds, within two minutes.
    pub async fn until<F, T>(&self, what: &str, condition: F) -> anyhow::Result<()>
    where
        F: Fn() -> T,
        T: Future<Output = anyhow::Result<bool>>,
    {
        let begin = std::time::Instant::now();
        while begin.elapsed() < Duration::from_secs(120) {
            // Elements may go while the page changes; the next look decides.
            if condition().await.unwrap_or(false) {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        anyhow::bail!("still not: {what}")
    }

    /// Makes a shoot of a kind and adds the frames of the folder "card".
    pub async fn shoot_from_card(
        &self,
        name: &str,
        kind: &str,
        frames: usize,
    ) -> anyhow::Result<()> {
        self.button("New shoot").await?.click().await?;
        self.first(By::Name("name")).await?.send_keys(name).await?;
        self.click(&format!("kind-{kind}")).await?;
        self.button("Make shoot").await?.click().await?;
        self.click("step-frames").await?;
        self.click("add-folder").await?;
        self.first(By::XPath("//*[@data-test='folders']//button[contains(., 'card')]"))
            .await?
            .click()
            .await?;
        self.until_text("add-pictures", &format!("Add {frames} frames")).await?;
        self.click("add-pictures").await?;
        self.until_text("step-frames", &format!("{frames} of {frames} in")).await
    }

    /// Paints a short line at a pixel of a reference frame of this size, all of which is seen, as the
    /// hand does.
    pub async fn paint(&self, size: (u32, u32), [x, y]: [u32; 2]) -> anyhow::Result<()> {
        let (view, dx, dy) = self.on_view(size, [x, y]).await?;
        let hand = self.browser.action_chain();
        hand.move_to_element_with_offset(&view, dx, dy)
            .click_and_hold()
            .move_by_offset(2, 0)
            .release()
            .perform()
            .await?;
        Ok(())
    }

    /// Rests the pointer there.
    pub async fn rest(&self, size: (u32, u32), at: [u32; 2]) -> anyhow::Result<()> {
        let (view, dx, dy) = self.on_view(size, at).await?;
        let hand = self.browser.action_chain();
        hand.move_to_element_with_offset(&view, dx, dy).move_by_offset(1, 0).perform().await?;
        Ok(())
    }

    /// What is painted on, and how far from its middle a pixel lies, which lies in the middle of it.
    async fn on_view(
        &self,
        (width, height): (u32, u32),
        [x, y]: [u32; 2],
    ) -> anyhow::Result<(WebElement, i64, i64)> {
        let view = self.part("paint").await?;
        let rect = view.rect().await?;
        let scale = (rect.width / f64::from(width)).min(rect.height / f64::from(height));
        let place =
            |v: u32, size: u32| ((f64::from(v) + 0.5 - f64::from(size) / 2.0) * scale) as i64;
        Ok((view, place(x, width), place(y, height)))
    }

    /// The column of a frame, by the name of its file.
    pub async fn column(&self, name: &str) -> anyhow::Result<WebElement> {
        let css = format!("[data-test='columns'] [data-frame][aria-label^='{name}']");
        self.first(By::Css(css)).await
    }

    /// A picture of the page as PNG.
    pub async fn picture(&self, path: &Path) -> anyhow::Result<()> {
        self.settle().await?;
        Ok(self.browser.screenshot(path).await?)
    }

    /// Closes the browser and ends the server, if it is this session's own.
    pub async fn end(self) {
        if let Err(error) = self.browser.quit().await {
            eprintln!("the browser did not close: {error}");
        }
        if let Some(server) = self.server {
            server.abort();
        }
    }
}

/// Runs a test's body so that the browser is closed even when it fails.
pub async fn in_browser<F, T>(
    data: &Path,
    roots: &[PathBuf],
    demo: bool,
    body: F,
) -> anyhow::Result<()>
where
    F: FnOnce(std::sync::Arc<Session>) -> T,
    T: Future<Output = anyhow::Result<()>> + Send + 'static,
{
    let session = std::sync::Arc::new(Session::start("127.0.0.1:0", data, roots, demo).await?);
    let done = tokio::spawn(body(session.clone())).await;
    if !matches!(done, Ok(Ok(())))
        && let Some(folder) = std::env::var_os("JADE_FAILED_PICTURES")
    {
        let _ = session.picture(&Path::new(&folder).join("failed.png")).await;
    }
    if let Ok(session) = std::sync::Arc::try_unwrap(session) {
        session.end().await;
    }
    done?
}
