//! What a kind of land is made of.

use super::bars::Bar;
use super::lamp::Lamp;

/// What a kind of land is made of.
pub struct Shapes {
    pub horizon: f64,
    /// The topmost row of solid ground in each column.
    pub tops: Vec<f64>,
    /// Bars before the sky and the ground, and their light.
    pub bars: Vec<Bar>,
    pub bar_light: [f32; 3],
    pub lamps: Vec<Lamp>,
}

/// Light of solid ground at a column and row below a top.
pub type Surface<'a> = Box<dyn Fn(f64, f64, f64) -> [f32; 3] + Sync + 'a>;
