//! The light of the benchmark's scenes. `script/bench` puts another file in its place for the engine of before.

use dome_trace::{Illumination, Imported, Scene, Sky};

/// A scene that was read, in the light that it begins with.
pub fn begun(read: &Imported) -> Illumination {
    read.report.light.illumination(&read.scene)
}

/// A scene under a sky.
pub fn under(scene: &Scene, sky: Sky) -> Illumination {
    Illumination::plain(scene, sky)
}
