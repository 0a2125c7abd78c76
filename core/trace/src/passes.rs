//! Passes: what is made beside the picture itself, from the same samples.

use dome_imaging::LayerSpec;
use serde::{Deserialize, Serialize};

/// A pass.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Pass {
    /// How much stands before the sky.
    Alpha,
    /// Distance along the ray through the pixel's centre, metres; [`NO_DEPTH`] where there is nothing. Clear
    /// thin panes, veils and holes that let more than half of the light through are looked through, as they
    /// are by normal, albedo and object mask; bodies of glass are not.
    Depth,
    /// Normal of what is seen first, in the world.
    Normal,
    /// Colour of what is seen first, without light.
    Albedo,
    /// Light seen at its source or scattered once.
    Direct,
    /// Light scattered more than once.
    Indirect,
    /// Light on what is seen first, without its colour.
    RawLight,
    /// Light seen at its source, the sky included.
    Emission,
    /// Light that the first surface mirrored or let through.
    Specular,
    /// How open the surroundings are, within a radius.
    AmbientOcclusion,
    /// Roughness of what is seen first.
    Roughness,
    /// A colour for each object, without smoothing at edges.
    ObjectMask,
    /// Noise in percent of the displayed value; [`NO_NOISE`] where too few samples were taken to tell.
    Noise,
    /// Half the difference between the light of every second sample and that of the others: the picture with it added and the
    /// picture with it taken away are two pictures whose noise has nothing in common.
    Halves,
    /// What denoising took: the picture before it less the picture after it. Black where nothing was denoised.
    TakenOut,
}

/// Depth where a ray meets nothing, metres.
pub const NO_DEPTH: f32 = 1e10;

/// What the noise pass holds where a pixel has fewer than 16 samples, which cannot tell it.
pub const NO_NOISE: f32 = -1.0;

impl Pass {
    /// All of them, in the order in which they are kept.
    pub const ALL: [Self; 15] = [
        Self::Alpha,
        Self::Depth,
        Self::Normal,
        Self::Albedo,
        Self::Direct,
        Self::Indirect,
        Self::RawLight,
        Self::Emission,
        Self::Specular,
        Self::AmbientOcclusion,
        Self::Roughness,
        Self::ObjectMask,
        Self::Noise,
        Self::Halves,
        Self::TakenOut,
    ];

    /// Name in commands and files.
    pub fn name(self) -> &'static str {
        match self {
            Self::Alpha => "alpha",
            Self::Depth => "depth",
            Self::Normal => "normal",
            Self::Albedo => "albedo",
            Self::Direct => "direct",
            Self::Indirect => "indirect",
            Self::RawLight => "raw-light",
            Self::Emission => "emission",
            Self::Specular => "specular",
            Self::AmbientOcclusion => "ambient-occlusion",
            Self::Roughness => "roughness",
            Self::ObjectMask => "object-mask",
            Self::Noise => "noise",
            Self::Halves => "halves",
            Self::TakenOut => "taken-out",
        }
    }

    /// The pass of a name.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|p| p.name() == name)
    }

    /// How it lies in a file.
    pub fn layer(self) -> LayerSpec {
        match self {
            Self::Alpha => LayerSpec::new("", "A", false),
            // Half floats would round far distances to whole metres.
            Self::Depth => LayerSpec::new("depth", "Z", true),
            Self::Normal => LayerSpec::new("normal", "XYZ", false),
            Self::AmbientOcclusion | Self::Roughness | Self::Noise => {
                LayerSpec::new(self.name(), "Y", false)
            }
            _ => LayerSpec::new(self.name(), "RGB", false),
        }
    }
}

/// Passes that are wanted, in order and without doubles.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct PassSet(Vec<Pass>);

impl PassSet {
    /// These passes.
    pub fn new(passes: impl IntoIterator<Item = Pass>) -> Self {
        let mut passes: Vec<Pass> = passes.into_iter().collect();
        passes.sort_unstable();
        passes.dedup();
        Self(passes)
    }

    /// Reads a list of names with commas between; `all` stands for all that a render makes.
    pub fn parse(text: &str) -> Result<Self, String> {
        let mut passes = Vec::new();
        for name in text.split(',').map(str::trim).filter(|n| !n.is_empty()) {
            match Pass::from_name(name) {
                Some(pass) => passes.push(pass),
                None if name == "all" => {
                    passes.extend(Pass::ALL.iter().filter(|p| **p != Pass::TakenOut));
                }
                None if name == "beauty" => {} // always there
                None => {
                    let known = Pass::ALL.map(Pass::name).join(", ");
                    return Err(format!(
                        "\"{name}\" is not a pass; known are beauty, {known} and all"
                    ));
                }
            }
        }
        Ok(Self::new(passes))
    }

    /// Whether a pass is among them.
    pub fn has(&self, pass: Pass) -> bool {
        self.0.binary_search(&pass).is_ok()
    }

    /// The passes in order.
    pub fn iter(&self) -> impl Iterator<Item = Pass> + '_ {
        self.0.iter().copied()
    }

    /// How they lie in a file.
    pub fn layers(&self) -> Vec<LayerSpec> {
        self.iter().map(Pass::layer).collect()
    }
}

/// The mask colour of an object: hues far apart for neighbours in the list, each exact in 8 bits and in
/// half floats, none black.
pub fn mask_colour(object: u32) -> [u8; 3] {
    // 24 bits walked in steps of the golden ratio: all different for 16 million objects.
    let bits = object.wrapping_add(1).wrapping_mul(0x9e_37_79 | 1) & 0xff_ff_ff;
    let [_, r, g, b] = bits.to_be_bytes();
    [r, g, b]
}

/// The table of mask colours by object name, one line each: `#rrggbb name`.
pub fn mask_table(scene: &crate::Scene) -> String {
    let mut table = String::new();
    for (i, object) in scene.objects().iter().enumerate() {
        if object.triangles > 0 {
            let [r, g, b] = mask_colour(i as u32);
            table.push_str(&format!("#{r:02x}{g:02x}{b:02x} {}\n", object.name));
        }
    }
    table
}
