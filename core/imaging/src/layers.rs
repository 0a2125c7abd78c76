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

impl LayeredStrip {
    /// The mean of the same rows of several pictures; of the layers that are `sharp`, the middle picture's. The noise is that of the
    /// mean of pictures with noise of their own. Nothing of none, or of rows that do not go together.
    pub fn mean(strips: Vec<Self>, sharp: &[bool]) -> Option<Self> {
        let count = strips.len();
        let middle = strips.get(count / 2)?.layers.clone();
        let mut strips = strips.into_iter();
        let mut mean = strips.next()?;
        for strip in strips {
            let alike = strip.beauty.top == mean.beauty.top
                && strip.beauty.width == mean.beauty.width
                && strip.layers.len() == mean.layers.len();
            if !alike {
                return None;
            }
            let add = |sum: &mut [f32], more: &[f32]| {
                sum.iter_mut().zip(more).for_each(|(s, v)| *s += v);
            };
            add(&mut mean.beauty.samples, &strip.beauty.samples);
            for (sum, more) in mean.layers.iter_mut().zip(&strip.layers) {
                add(sum, more);
            }
            mean.noise.add(strip.noise);
        }
        let share = 1.0 / count as f32;
        let values = mean.layers.iter_mut().chain([&mut mean.beauty.samples]);
        values.flatten().for_each(|v| *v *= share);
        for ((layer, sharp), own) in mean.layers.iter_mut().zip(sharp).zip(middle) {
            if *sharp {
                *layer = own;
            }
        }
        mean.noise.squares /= (count * count) as f64;
        mean.noise.weight /= count as f64;
        mean.counts.clear();
        Some(mean)
    }
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
