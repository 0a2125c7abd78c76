//! What was learned as bytes: parts of a picture that are made elsewhere or later need not look again.

use super::{Cell, Grid, Learned};
use crate::integrator::BRANCHES;
use crate::light::Illumination;
use glam::Vec3;
use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::sync::Arc;

/// What the bytes hold; the lights' clusters follow from the lights.
#[derive(Serialize, Deserialize)]
struct Kept<C> {
    eye: [f32; 3],
    nearest: f32,
    /// The key of each cell.
    keys: Vec<u64>,
    cells: C,
}

impl Learned {
    /// All of it, in the open format postcard.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut keys = vec![0; self.cells.len()];
        for (key, at) in &self.index {
            keys[*at as usize] = *key;
        }
        let kept = Kept {
            eye: self.grid.eye.to_array(),
            nearest: self.grid.nearest,
            keys,
            cells: &self.cells,
        };
        // Nothing of it is of a kind that could be refused.
        postcard::to_allocvec(&kept).unwrap_or_default()
    }

    /// What was learned of this very light; nothing where the bytes are not that.
    pub fn from_bytes(bytes: &[u8], light: &Illumination) -> Option<Self> {
        let kept: Kept<Vec<Cell>> = postcard::from_bytes(bytes).ok()?;
        let eye = Vec3::from_array(kept.eye);
        let cut = Arc::new(light.tree.cut(eye));
        let index: std::collections::HashMap<_, _, _> =
            (kept.keys.iter().zip(0..)).map(|(k, i)| (*k, i)).collect();
        let fits = eye.is_finite()
            && kept.nearest > 0.0
            && kept.nearest.is_finite()
            && index.len() == kept.cells.len()
            && kept.keys.len() == kept.cells.len()
            && kept.cells.iter().all(|cell| cell.is_sound(cut.len()));
        fits.then_some(Self {
            grid: Grid {
                eye,
                nearest: kept.nearest,
            },
            cut,
            cells: kept.cells,
            index,
        })
    }
}

impl Cell {
    /// Whether it could have been learned where there are so many clusters.
    fn is_sound(&self, clusters: usize) -> bool {
        let numbers = [self.mean, self.rms, self.bounces, self.sun, self.sky_chance];
        numbers.iter().all(|v| v.is_finite() && *v >= 0.0)
            && self.colour.is_finite()
            && (1..=BRANCHES).contains(&usize::from(self.branches))
            && (self.lights.as_ref()).is_none_or(|l| l.are_sound(clusters))
            && [&self.sky, &self.ways]
                .into_iter()
                .flatten()
                .all(|d| d.are_sound())
    }
}

/// Whether shares are summed up as they should: never less, and all of it in the end.
pub(crate) fn summed_up(sums: &[u16]) -> bool {
    sums.is_sorted() && sums.last() == Some(&u16::MAX)
}

/// Shares summed up, as many as there are bins.
pub(crate) mod shares {
    use super::*;

    pub(crate) fn serialize<S: Serializer, const N: usize>(
        sums: &[u16; N],
        to: S,
    ) -> Result<S::Ok, S::Error> {
        sums.as_slice().serialize(to)
    }

    pub(crate) fn deserialize<'de, D: Deserializer<'de>, const N: usize>(
        from: D,
    ) -> Result<[u16; N], D::Error> {
        let sums = Vec::<u16>::deserialize(from)?;
        sums.try_into()
            .map_err(|_| D::Error::custom("another number of shares"))
    }
}

/// A vector by its three numbers.
pub(super) mod vector {
    use super::*;

    pub(crate) fn serialize<S: Serializer>(v: &Vec3, to: S) -> Result<S::Ok, S::Error> {
        v.to_array().serialize(to)
    }

    pub(crate) fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Vec3, D::Error> {
        Ok(Vec3::from_array(<[f32; 3]>::deserialize(from)?))
    }
}
