//! Pictures of several layers in strips: the beauty and whatever else was made with it.

use crate::strip::Strip;

/// What a layer is called and which channels it has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LayerSpec {
    /// Name; empty for channels that belong to the beauty itself, such as alpha.
    pub name: String,
    /// Names of its channels, e.g. `R`, `G`, `B`.
    pub channels: Vec<String>,
    /// Whether it needs single precision; else half floats do.
    pub float: bool,
}

impl LayerSpec {
    /// A layer with channels given by one letter each.
    pub fn new(name: &str, channels: &str, float: bool) -> Self {
        Self {
            name: name.into(),
            channels: channels.chars().map(String::from).collect(),
            float,
        }
    }

    /// A channel's full name: `layer.channel`, or the channel alone.
    pub fn channel_name(&self, channel: usize) -> String {
        if self.name.is_empty() {
            self.channels[channel].clone()
        } else {
            format!("{}.{}", self.name, self.channels[channel])
        }
    }
}

/// Displayed values below this are as dark as the eye tells them apart: noise is not told relative to less.
pub const DARKEST: f32 = 0.05;

/// How noisy some rows are: sums that can be added up over strips in any grouping.
#[derive(Clone, Copy, Debug, PartialEq, Default)]
pub struct NoiseSum {
    /// Squared noise, in squared percent of the displayed value, times solid angle.
    pub squares: f64,
    /// Solid angle, steradians.
    pub weight: f64,
    /// Samples taken.
    pub samples: u64,
}

impl NoiseSum {
    /// Adds other rows.
    pub fn add(&mut self, other: Self) {
        self.squares += other.squares;
        self.weight += other.weight;
        self.samples += other.samples;
    }

    /// The noise in percent, or `None` if it was not measured.
    pub fn percent(&self) -> Option<f64> {
        (self.weight > 0.0).then(|| (self.squares / self.weight).sqrt())
    }
}

/// Full-width rows of a picture with several layers.
#[derive(Clone, Debug, PartialEq)]
pub struct LayeredStrip {
    /// The picture itself.
    pub beauty: Strip,
    /// The other layers, in the order of their specs; channels side by side, row by row.
    pub layers: Vec<Vec<f32>>,
    /// How noisy the rows are.
    pub noise: NoiseSum,
    /// Where a noise target decided it: samples that each block of neighbouring pixels took, row by row. Empty elsewhere.
    pub counts: Vec<u32>,
}

impl From<Strip> for LayeredStrip {
    fn from(beauty: Strip) -> Self {
        Self {
            beauty,
            layers: Vec::new(),
            noise: NoiseSum::default(),
            counts: Vec::new(),
        }
    }
}
