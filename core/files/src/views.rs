//! Two eyes as views of one OpenEXR, by the format's multi-view convention (Selan, Burns, Kainz 2007: "Storing Multi-View
//! Images in OpenEXR", from memory; Debian's `exrmultiview` writes the same names): the attribute `multiView` names the
//! views, the default one first; a view's name stands before the channel's own, as the last but one part of its name; channels
//! of the default view that belong to no layer have no view in their names.

use dome_imaging::{LayerSpec, LayeredStrip};
use dome_optics::rig::Side;

/// Names of the views, the default one first.
pub const VIEWS: [&str; 2] = ["left", "right"];

/// The layers beside the left eye's beauty in a file of both eyes: its own, then the right eye's beauty, then the right
/// eye's layers. `float`: colour in single precision.
pub fn layers_of_both(layers: &[LayerSpec], float: bool) -> Vec<LayerSpec> {
    let right = LayerSpec {
        name: "right".into(),
        channels: ["R", "G", "B"].map(String::from).into(),
        float,
    };
    let left = layers.iter().map(|l| of_view(l, Side::Left));
    let beside = layers.iter().map(|l| of_view(l, Side::Right));
    left.chain([right]).chain(beside).collect()
}

/// The layer of a view: `depth` becomes `depth.right`, an alpha of the beauty belongs to the view itself.
pub fn of_view(layer: &LayerSpec, side: Side) -> LayerSpec {
    let name = match (layer.name.as_str(), side) {
        ("", Side::Left) => String::new(),
        ("", Side::Right) => "right".into(),
        (name, side) => format!("{name}.{}", side.name()),
    };
    LayerSpec {
        name,
        ..layer.clone()
    }
}

/// The names of a view's colour channels.
pub fn colour_channels(side: Side) -> [&'static str; 3] {
    match side {
        Side::Left => ["R", "G", "B"],
        Side::Right => ["right.R", "right.G", "right.B"],
    }
}

/// Both eyes of the same rows as one strip with [`layers_of_both`].
pub fn both(left: LayeredStrip, right: LayeredStrip) -> LayeredStrip {
    let mut noise = left.noise;
    noise.add(right.noise);
    let layers = (left.layers.into_iter())
        .chain([right.beauty.samples])
        .chain(right.layers)
        .collect();
    LayeredStrip {
        beauty: left.beauty,
        layers,
        noise,
        counts: Vec::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn channels_are_named_by_the_convention() {
        let layers = [
            LayerSpec::new("", "A", false),
            LayerSpec::new("depth", "Z", true),
        ];
        let names: Vec<String> = layers_of_both(&layers, false)
            .iter()
            .flat_map(|l| (0..l.channels.len()).map(|c| l.channel_name(c)))
            .collect();
        assert_eq!(
            names,
            [
                "A",
                "depth.left.Z",
                "right.R",
                "right.G",
                "right.B",
                "right.A",
                "depth.right.Z"
            ]
        );
    }
}
