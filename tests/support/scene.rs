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
