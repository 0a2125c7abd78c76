//! A small scene made by hand: a room with a lamp at a known place.

use serde_json::{Value, json};

/// Middle of the lamp, metres.
pub const LAMP: [f64; 3] = [1.5, 1.4, -1.0];

/// A room of 6 x 3 x 6 m around the origin, floor at 0, with a small glowing box at [`LAMP`].
pub fn room_glb() -> Vec<u8> {
    let (document, binary) = room();
    pack(&document, &binary)
}

/// The room's glTF document and its binary part.
pub fn room() -> (Value, Vec<u8>) {
    // One unit cube, facing outwards; as a room it is seen from its back, as rooms made of boxes are.
    let mut positions = Vec::new();
    for i in 0..8 {
        for axis in 0..3 {
            positions.push(if i >> axis & 1 == 1 { 0.5f32 } else { -0.5 });
        }
    }
    let quads = [
        [0, 4, 6, 2],
        [1, 3, 7, 5],
        [0, 1, 5, 4],
        [2, 6, 7, 3],
        [0, 2, 3, 1],
        [4, 5, 7, 6],
    ];
    let indices: Vec<u16> = quads
        .iter()
        .flat_map(|q: &[u16; 4]| [q[0], q[1], q[2], q[0], q[2], q[3]])
        .collect();
    let mut binary: Vec<u8> = positions.iter().flat_map(|v| v.to_le_bytes()).collect();
    let split = binary.len();
    binary.extend(indices.iter().flat_map(|v| v.to_le_bytes()));
    let mesh = |material: u32| json!({"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "material": material}]});
    let document = json!({
        "asset": {"version": "2.0"},
        "extensionsUsed": ["KHR_materials_emissive_strength"],
        "scene": 0,
        "scenes": [{"nodes": [0, 1]}],
        "nodes": [
            {"name": "Room", "mesh": 0, "scale": [6.0, 3.0, 6.0], "translation": [0.0, 1.5, 0.0]},
            {"name": "Lamp", "mesh": 1, "scale": [0.1, 0.1, 0.1], "translation": LAMP},
        ],
        "meshes": [mesh(0), mesh(1)],
        "materials": [
            {"name": "Wall", "pbrMetallicRoughness": {"baseColorFactor": [0.5, 0.45, 0.4, 1.0], "metallicFactor": 0.0}},
            {"name": "Glow", "emissiveFactor": [1.0, 0.9, 0.8],
             "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 40.0}}},
        ],
        "buffers": [{"byteLength": binary.len()}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": split},
            {"buffer": 0, "byteOffset": split, "byteLength": binary.len() - split},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 8, "type": "VEC3", "min": [-0.5, -0.5, -0.5], "max": [0.5, 0.5, 0.5]},
            {"bufferView": 1, "componentType": 5123, "count": 36, "type": "SCALAR"},
        ],
    });
    (document, binary)
}

/// A `.glb` of a document and its binary part.
pub fn pack(document: &Value, binary: &[u8]) -> Vec<u8> {
    let mut text = document.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut body = binary.to_vec();
    body.resize(body.len().next_multiple_of(4), 0);
    let total = 12 + 8 + text.len() + 8 + body.len();
    let mut out = b"glTF".to_vec();
    for word in [2, total as u32, text.len() as u32] {
        out.extend(word.to_le_bytes());
    }
    out.extend(b"JSON");
    out.extend(text);
    out.extend((body.len() as u32).to_le_bytes());
    out.extend(b"BIN\0");
    out.extend(body);
    out
}

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
