//! A server with a viewpoint that walks through a small room, and orders of its frames.

use super::Server;
use super::moving::moving_room;
use serde_json::{Value, json};

/// Its project.
pub const PROJECT: &str = "/api/projects/1";

/// A server with the room in which a lamp and a camera move, and a viewpoint that goes straight through it in two seconds.
pub fn with_walk() -> (tempfile::TempDir, Server) {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let root = [
        1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0,
    ];
    let (status, project) = server.upload("room.glb", &moving_room(root));
    assert_eq!(status, 200, "{project}");
    let id = &project["viewpoints"][0]["id"];
    let walker = json!({
        "name": "Walker", "unlocked": false,
        "pose": {"position": [0, 1.5, 0], "heading_deg": 30, "pitch_deg": 0, "roll_deg": 0},
        "path": {"keys": [
            {"time_s": 0, "position": [-1.0, 1.5, 1.5], "on": "straight"},
            {"time_s": 2, "position": [1.0, 1.5, 1.0]},
        ]},
    });
    let (status, answer) = server.json("PUT", &format!("{PROJECT}/viewpoints/{id}"), Some(walker));
    assert_eq!(status, 200, "{answer}");
    (folder, server)
}

/// What is asked of frames, with all defaults but those that are told.
pub fn frames(last: u32, name: &str, more: Value) -> Value {
    let mut asked = json!({
        "first": 0, "last": last, "step": 1, "rate": "4", "format": "exr", "name": name,
    });
    let Value::Object(more) = more else {
        panic!("an object")
    };
    asked.as_object_mut().unwrap().extend(more);
    asked
}

/// A small order of frames.
pub fn wish(frames: Value) -> Value {
    json!({"width": 64, "samples": 4, "seed": 5, "frames": frames})
}
