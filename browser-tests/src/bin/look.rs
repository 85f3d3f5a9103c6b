use browser_tests::in_browser;
use std::path::PathBuf;
use thirtyfour::prelude::*;

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let data = PathBuf::from("/tmp/lookdata");
    std::fs::create_dir_all(&data)?;
    in_browser(&data, &[], true, move |s| async move {
        s.first(By::LinkText("Bare trees by the salt pan")).await?.click().await?;
        s.click("step-skyline").await?;
        s.until_text("skyline-told", "sky").await?;
        s.settle().await?;
        tokio::time::sleep(std::time::Duration::from_secs(1)).await;
        s.browser.screenshot(&PathBuf::from("/tmp/look1.png")).await?;
        s.click("run").await?;
        tokio::time::sleep(std::time::Duration::from_secs(1)).await;
        s.part("skyline-report").await?;
        s.settle().await?;
        s.browser.screenshot(&PathBuf::from("/tmp/look2.png")).await?;
        Ok(())
    })
    .await
}
