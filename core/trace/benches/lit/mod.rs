//! The light of the benchmark's scenes. `script/bench` puts another file in its place for the engine of before.

use dome_trace::{Control, Illumination, Imported, Learned, Render, Scene, Sky};

/// A scene that was read, in the light that it begins with.
pub fn begun(read: &Imported) -> Illumination {
    read.report.light.illumination(&read.scene)
}

/// A scene under a sky.
pub fn under(scene: &Scene, sky: Sky) -> Illumination {
    Illumination::plain(scene, sky)
}

/// What is learned of the light before a picture, once for all its parts: as much as for one of 2048 pixels width at 64 samples.
pub fn learn(render: &Render) -> Option<Learned> {
    let paths = std::env::var("LEARN").map_or(1 << 19, |v| v.parse().unwrap());
    (paths > 0)
        .then(|| Learned::look_by(render, paths, &Control::default()).unwrap())
        .filter(Learned::pays)
}

/// A render that uses it.
pub fn with<'a>(render: Render<'a>, learned: &'a Option<Learned>) -> Render<'a> {
    Render {
        learned: learned.as_ref(),
        ..render
    }
}
