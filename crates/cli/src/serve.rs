//! `serve` and `demo`.
use clap::Args;

#[derive(Args)]
pub struct ServeArgs {}
#[derive(Args)]
pub struct DemoArgs {}
pub fn serve(_: ServeArgs) -> anyhow::Result<()> {
    Ok(())
}
pub fn demo(_: DemoArgs) -> anyhow::Result<()> {
    Ok(())
}
