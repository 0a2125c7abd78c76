//! The unit of length of a scene: most files do not say it, and a slip makes giants or mice.

use serde::{Deserialize, Serialize};

/// The unit of length that a scene was made in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    /// Metres, as glTF wants them.
    #[default]
    Metre,
    /// Centimetres.
    Centimetre,
    /// Millimetres.
    Millimetre,
    /// Inches.
    Inch,
    /// Feet.
    Foot,
}

impl Unit {
    /// All units.
    pub const ALL: [Self; 5] = [
        Self::Metre,
        Self::Centimetre,
        Self::Millimetre,
        Self::Inch,
        Self::Foot,
    ];

    /// Length of one, metres. An inch is 0.0254 m exactly (international yard and pound agreement, 1959).
    pub fn metres(self) -> f32 {
        match self {
            Self::Metre => 1.0,
            Self::Centimetre => 0.01,
            Self::Millimetre => 0.001,
            Self::Inch => 0.0254,
            Self::Foot => 0.3048,
        }
    }

    /// Its plural.
    pub fn name(self) -> &'static str {
        match self {
            Self::Metre => "metres",
            Self::Centimetre => "centimetres",
            Self::Millimetre => "millimetres",
            Self::Inch => "inches",
            Self::Foot => "feet",
        }
    }

    /// The unit of a sign such as `cm`.
    pub fn from_sign(sign: &str) -> Option<Self> {
        match sign {
            "m" => Some(Self::Metre),
            "cm" => Some(Self::Centimetre),
            "mm" => Some(Self::Millimetre),
            "in" | "inch" => Some(Self::Inch),
            "ft" | "foot" => Some(Self::Foot),
            _ => None,
        }
    }
}

/// The unit that would make a scene as large as the things people render.
#[derive(Clone, Debug, PartialEq)]
pub struct UnitGuess {
    /// The likelier unit.
    pub unit: Unit,
    /// Whether no other unit comes near.
    pub sure: bool,
    /// What speaks for it.
    pub why: String,
}

/// How much is to be said against a unit before its size is looked at: inches and feet are rarer than the others.
fn rarity(unit: Unit) -> f64 {
    match unit {
        Unit::Metre => 0.0,
        Unit::Centimetre | Unit::Millimetre => 0.05,
        Unit::Inch | Unit::Foot => 0.15,
    }
}

/// Height that speaks most for a unit, metres: between a room and a house.
const MIDDLE_HEIGHT: f64 = 5.0;

/// Sizes between which rooms, houses and their surroundings lie, metres: height, and largest side.
const USUAL_HEIGHT: std::ops::RangeInclusive<f64> = 1.8..=60.0;
const USUAL_SIDE: std::ops::RangeInclusive<f64> = 2.0..=2000.0;

impl UnitGuess {
    /// From the size in the file's own unit.
    pub(super) fn of(size: [f64; 3]) -> Self {
        let [x, height, z] = size;
        let side = x.max(height).max(z);
        // How far a size is from the usual ones, as a logarithm.
        let off = |v: f64, usual: &std::ops::RangeInclusive<f64>| {
            let v = v.max(1e-30);
            (usual.start() / v)
                .ln()
                .max((v / usual.end()).ln())
                .max(0.0)
        };
        let miss = |u: Unit| {
            let m = f64::from(u.metres());
            off(height * m, &USUAL_HEIGHT) + off(side * m, &USUAL_SIDE)
        };
        // Of units that fit as well, the one that makes it as high as a room or a house.
        let doubt = |u: Unit| {
            let high = (height * f64::from(u.metres())).max(1e-30);
            miss(u) * 10.0 + 0.1 * (high / MIDDLE_HEIGHT).ln().abs() + rarity(u)
        };
        let mut units = Unit::ALL;
        units.sort_by(|a, b| doubt(*a).total_cmp(&doubt(*b)));
        let unit = units[0];
        let fitting = units.iter().filter(|u| miss(**u) <= 0.0).count();
        let m = f64::from(unit.metres());
        let told = |v: f64| match v * m {
            v if v < 0.1 => format!("{:.1} mm", v * 1000.0),
            v if v < 100.0 => format!("{v:.1} m"),
            v => format!("{v:.0} m"),
        };
        Self {
            unit,
            sure: miss(unit) <= 0.0 && fitting == 1,
            why: format!(
                "in {} it is {} high and {} along its largest side",
                unit.name(),
                told(height),
                told(side)
            ),
        }
    }
}
