//! Small glTF files made for one case each.

use dome_trace::{ImportOptions, Imported, TraceError, load};
use serde_json::{Value, json};

#[allow(dead_code)] // only the packing is needed here
#[path = "../../../../tests/support/scene.rs"]
pub mod scene;

/// A document and its binary part: at first one triangle at the origin.
pub struct Made {
    pub document: Value,
    pub binary: Vec<u8>,
}

impl Made {
    pub fn new() -> Self {
        let mut made = Self {
            document: json!({
                "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
                "nodes": [{"name": "Thing", "mesh": 0}], "accessors": [], "bufferViews": [],
                "meshes": [{"primitives": [{"attributes": {}}]}],
            }),
            binary: Vec::new(),
        };
        let corners = [[0.0f32, 0.0, 0.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]];
        let position = made.floats("VEC3", corners.as_flattened());
        made.document["meshes"][0]["primitives"][0]["attributes"]["POSITION"] = json!(position);
        made
    }

    pub fn bytes(&mut self, bytes: &[u8]) -> usize {
        self.binary.resize(self.binary.len().next_multiple_of(4), 0);
        let views = self.document["bufferViews"].as_array_mut().unwrap();
        views
            .push(json!({"buffer": 0, "byteOffset": self.binary.len(), "byteLength": bytes.len()}));
        self.binary.extend(bytes);
        views.len() - 1
    }

    pub fn accessor(&mut self, accessor: Value) -> usize {
        let accessors = self.document["accessors"].as_array_mut().unwrap();
        accessors.push(accessor);
        accessors.len() - 1
    }

    pub fn floats(&mut self, kind: &str, values: &[f32]) -> usize {
        let bytes: Vec<u8> = values.iter().flat_map(|v| v.to_le_bytes()).collect();
        let view = self.bytes(&bytes);
        let per = match kind {
            "SCALAR" => 1,
            "VEC2" => 2,
            "VEC3" => 3,
            "VEC4" => 4,
            _ => 16,
        };
        self.accessor(
            json!({"bufferView": view, "componentType": 5126, "type": kind,
            "count": values.len() / per}),
        )
    }

    pub fn load(&self) -> Result<Imported, TraceError> {
        self.load_with(&ImportOptions::default())
    }

    pub fn load_with(&self, options: &ImportOptions) -> Result<Imported, TraceError> {
        let mut document = self.document.clone();
        document["buffers"] = json!([{"byteLength": self.binary.len()}]);
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("made.glb");
        std::fs::write(&path, scene::pack(&document, &self.binary)).unwrap();
        load(&path, options)
    }

    #[allow(dead_code)]
    pub fn primitive(&mut self) -> &mut Value {
        &mut self.document["meshes"][0]["primitives"][0]
    }
}
