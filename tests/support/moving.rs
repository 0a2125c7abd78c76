//! The small room with a lamp and a camera that move.

use super::scene::{LAMP, pack, room};
use serde_json::json;

/// How long things move in [`moving_room`], seconds.
pub const MOVES_S: f64 = 2.0;
/// Where its lamp is in the end; it begins at [`LAMP`].
pub const LAMP_GOES: [f64; 3] = [-1.5, 2.0, -2.0];
/// Where its camera "Walk" begins and ends, metres.
pub const WALK: [[f64; 3]; 2] = [[-1.0, 1.4, 2.0], [1.0, 1.2, 1.0]];
/// How the camera is turned then, degrees to the right.
pub const WALK_TURNS: [f64; 2] = [0.0, 60.0];

/// The room with a lamp and a camera that move evenly for two seconds, all of it under a root with a matrix (glTF 2.0, column by
/// column).
pub fn moving_room(root: [f64; 16]) -> Vec<u8> {
    let (mut document, mut binary) = room();
    let mut add = |values: &[f32], kind: &str, size: usize| {
        let offset = binary.len();
        binary.extend(values.iter().flat_map(|v| v.to_le_bytes()));
        let views = document["bufferViews"].as_array_mut().unwrap();
        views.push(json!({"buffer": 0, "byteOffset": offset, "byteLength": binary.len() - offset}));
        let view = views.len() - 1;
        let mut accessor = json!({"bufferView": view, "componentType": 5126, "count": values.len() / size, "type": kind});
        if size == 1 {
            accessor["min"] = json!([values[0]]);
            accessor["max"] = json!([values[values.len() - 1]]);
        }
        let accessors = document["accessors"].as_array_mut().unwrap();
        accessors.push(accessor);
        accessors.len() - 1
    };
    let flat = |points: [[f64; 3]; 2]| {
        points
            .concat()
            .iter()
            .map(|v| *v as f32)
            .collect::<Vec<_>>()
    };
    // A turn to the right is one about -Y.
    let turn = |deg: f64| {
        let half = -deg.to_radians() / 2.0;
        [0.0, half.sin() as f32, 0.0, half.cos() as f32]
    };
    let times = add(&[0.0, MOVES_S as f32], "SCALAR", 1);
    let lamp = add(&flat([LAMP, LAMP_GOES]), "VEC3", 3);
    let walk = add(&flat(WALK), "VEC3", 3);
    let turns = add(&WALK_TURNS.map(turn).concat(), "VEC4", 4);
    document["buffers"][0]["byteLength"] = json!(binary.len());
    document["cameras"] =
        json!([{"type": "perspective", "perspective": {"yfov": 1.0, "znear": 0.1}}]);
    let nodes = document["nodes"].as_array_mut().unwrap();
    nodes.push(json!({"name": "Walk", "camera": 0, "translation": WALK[0]}));
    nodes.push(json!({"name": "Root", "matrix": root, "children": [0, 1, 2]}));
    document["scenes"] = json!([{"nodes": [3]}]);
    document["animations"] = json!([{
        "samplers": [
            {"input": times, "output": lamp, "interpolation": "LINEAR"},
            {"input": times, "output": walk, "interpolation": "LINEAR"},
            {"input": times, "output": turns, "interpolation": "LINEAR"},
        ],
        "channels": [
            {"sampler": 0, "target": {"node": 1, "path": "translation"}},
            {"sampler": 1, "target": {"node": 2, "path": "translation"}},
            {"sampler": 2, "target": {"node": 2, "path": "rotation"}},
        ],
    }]);
    pack(&document, &binary)
}
