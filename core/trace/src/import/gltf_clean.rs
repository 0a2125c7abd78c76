//! Puts a glTF document's JSON right before the reading library sees it: what the library insists on and the scene can do
//! without, and what would make it panic.

use super::report::Tally;
use serde_json::{Value, json};

/// Ways that an animation moves a node (glTF 2.0, section 3.11).
const PATHS: [&str; 4] = ["translation", "rotation", "scale", "weights"];

/// Completes and cleans; what is taken out is tallied.
pub(super) fn clean(json: &mut Value, tally: &mut Tally) {
    // Required extensions have been checked against those that are understood here.
    if let Some(root) = json.as_object_mut() {
        root.remove("extensionsRequired");
    }
    bounds(json);
    animations(json, tally);
    images(json);
}

fn list<'a>(json: &'a mut Value, key: &str) -> impl Iterator<Item = &'a mut Value> {
    json.get_mut(key)
        .and_then(Value::as_array_mut)
        .into_iter()
        .flatten()
}

/// Bounds of positions, which the standard wants and many writers leave out.
fn bounds(json: &mut Value) {
    let positions: Vec<u64> = list(json, "meshes")
        .flat_map(|m| list(m, "primitives"))
        .filter_map(|p| p["attributes"]["POSITION"].as_u64())
        .collect();
    for i in positions {
        if let Some(accessor) = json["accessors"].get_mut(i as usize) {
            for bound in ["min", "max"] {
                if accessor.is_object() && accessor[bound].is_null() {
                    accessor[bound] = json!([0.0, 0.0, 0.0]);
                }
            }
        }
    }
}

/// Channels that move no node, or nothing that is known: targets without a node belong to extensions such as
/// KHR_animation_pointer, and are valid.
fn animations(json: &mut Value, tally: &mut Tally) {
    let count = |v: &Value| v.as_array().map_or(0, Vec::len) as u64;
    let nodes = count(&json["nodes"]);
    let accessors = count(&json["accessors"]);
    for animation in list(json, "animations") {
        let samplers: Vec<bool> = animation["samplers"]
            .as_array()
            .into_iter()
            .flatten()
            .map(|s| {
                ["input", "output"]
                    .iter()
                    .all(|k| s[*k].as_u64().is_some_and(|i| i < accessors))
            })
            .collect();
        let Some(channels) = animation.get_mut("channels").and_then(Value::as_array_mut) else {
            continue;
        };
        channels.retain(|channel| {
            let target = &channel["target"];
            let why = if target["node"].is_null() {
                "it moves no node, and only nodes are moved here"
            } else if target["node"].as_u64().is_none_or(|n| n >= nodes) {
                "it moves a node that is not there"
            } else if !target["path"].as_str().is_some_and(|p| PATHS.contains(&p)) {
                "it moves something that is not known"
            } else if !channel["sampler"]
                .as_u64()
                .and_then(|s| samplers.get(s as usize))
                .is_some_and(|whole| *whole)
            {
                "its values are not there"
            } else {
                return true;
            };
            tally.add("animation channel", why);
            false
        });
    }
}

/// Pictures without a source or a type: the first are shown white and told, the others tell their type by their bytes.
fn images(json: &mut Value) {
    let views = json["bufferViews"].as_array().map_or(0, Vec::len) as u64;
    for image in list(json, "images") {
        let Some(image) = image.as_object_mut() else {
            continue;
        };
        let view = image.get("bufferView").and_then(Value::as_u64);
        match (view, image.get("uri").and_then(Value::as_str)) {
            (Some(v), _) if v < views => {
                image.remove("uri");
                image
                    .entry("mimeType")
                    .or_insert_with(|| json!("image/png"));
            }
            (_, Some(_)) => {
                image.remove("bufferView");
            }
            _ => {
                image.remove("bufferView");
                image.insert("uri".into(), json!(NO_PICTURE));
            }
        }
    }
}

/// Stands for a picture that has no source; reading it fails with a sentence.
const NO_PICTURE: &str = "data:image/png;base64,";
