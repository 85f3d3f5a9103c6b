//! ChromeDriver as a child process, ended with its whole group.

use anyhow::{Context, bail};
use std::io::{BufRead, BufReader};
use std::os::unix::process::CommandExt;
use std::process::{Child, Command, Stdio};
use thirtyfour::prelude::*;

/// A running ChromeDriver.
pub struct Driver {
    child: Child,
    port: u16,
    profile: tempfile::TempDir,
}

impl Driver {
    /// Starts it on a free port.
    pub fn start() -> anyhow::Result<Self> {
        let mut child = Command::new("chromedriver")
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .process_group(0)
            .spawn()
            .context("chromedriver cannot be started; `cargo xtask test` installs it")?;
        let mut lines = BufReader::new(child.stdout.take().context("no output")?).lines();
        let mut said = String::new();
        let port = lines.by_ref().map_while(Result::ok).find_map(|line| {
            said += &format!("\n{line}");
            let (_, port) = line.split_once("started successfully on port ")?;
            port.trim_end_matches('.').parse::<u16>().ok()
        });
        let Some(port) = port else { bail!("chromedriver did not start; it says:{said}") };
        // Its output must be read on, or it stops when the pipe is full.
        std::thread::spawn(move || lines.for_each(drop));
        Ok(Self { child, port, profile: tempfile::tempdir()? })
    }

    /// Opens a browser whose page is `width` x `height` pixels.
    pub async fn open(&self, width: i64, height: i64) -> anyhow::Result<WebDriver> {
        let mut wish = DesiredCapabilities::chrome();
        for flag in [
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            // Two pages behind the address bar, which nobody sees, take half of a browser's start.
            "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup",
            "--disable-dev-shm-usage",
            "--hide-scrollbars",
            "--force-device-scale-factor=1",
            "--force-color-profile=srgb",
        ] {
            wish.add_arg(flag)?;
        }
        wish.add_arg(&format!("--user-data-dir={}", self.profile.path().display()))?;
        let browser = WebDriver::new(format!("http://127.0.0.1:{}", self.port), wish).await?;
        // The window's frame takes some of its size.
        let script = "return [outerWidth - innerWidth, outerHeight - innerHeight]";
        let [frame_width, frame_height]: [i64; 2] =
            browser.execute(script, vec![]).await?.convert()?;
        browser
            .set_window_rect(0, 0, (width + frame_width) as u32, (height + frame_height) as u32)
            .await?;
        Ok(browser)
    }
}

impl Drop for Driver {
    fn drop(&mut self) {
        let group = format!("-{}", self.child.id());
        let _ = Command::new("kill").args(["-KILL", "--", &group]).status();
        let _ = self.child.wait();
    }
}
