//! How long an order will take, told before it is given.

use crate::support::{wait_for, with_room};
use serde_json::{Value, json};

/// One look serves all sizes and qualities of a view: four times the pixels take four times as long, a set number of samples is told as
/// it is, half the noise takes about four times the samples, and frames and eyes take as long as there are. What cannot be ordered has no
/// time but a sentence.
#[test]
fn the_time_of_an_order_is_told_before_it_is_given() {
    let (_folder, server, id) = with_room();
    let path = format!("/api/projects/{id}");
    let (_, project) = server.json("GET", &path, None);
    let viewpoint = &project["viewpoints"][0];
    let told = |change: Value| {
        let mut wish = json!({
            "viewpoint": viewpoint["id"], "shape": "equirect", "width": 1024, "samples": 17, "passes": [], "denoise": false
        });
        for (key, value) in change.as_object().unwrap() {
            wish[key] = value.clone();
        }
        server.json("POST", &format!("{path}/orders/time"), Some(wish))
    };
    let number = |change: Value| {
        let (status, answer) = told(change);
        assert_eq!(status, 200, "{answer}");
        ["seconds", "samples"].map(|key| answer[key].as_f64().unwrap())
    };
    let close = |a: f64, b: f64| assert!((a / b - 1.0).abs() < 1e-6, "{a} and not {b}");

    let [seconds, samples] = number(json!({}));
    assert_eq!(samples, 17.0);
    assert!(seconds > 0.0);
    close(number(json!({ "width": 2048 }))[0], 4.0 * seconds);
    close(number(json!({ "samples": 51 }))[0], 3.0 * seconds);
    // Not as many more where the noise is that of places that take the least or the most.
    let noise = |percent: f64| number(json!({ "noise_percent": percent, "samples": 60000 }))[1];
    let ratio = noise(2.0) / noise(4.0);
    assert!((3.0..4.1).contains(&ratio), "{ratio}");
    // Denoised, it may be rendered noisier, and takes less.
    let denoised = json!({ "noise_percent": 4.0, "samples": 60000, "denoise": true });
    assert!(number(denoised)[1] < 0.3 * noise(4.0));
    let frames = json!({ "frames": { "first": 0, "last": 2, "step": 1, "rate": "25", "format": "exr", "name": "{frame}" } });
    close(number(frames)[0], 3.0 * seconds);

    let (status, refused) = told(json!({ "samples": 0 }));
    assert_eq!(status, 422, "{refused}");
    assert!(
        refused["error"]
            .as_str()
            .unwrap()
            .contains("samples per pixel")
    );
    let (_, machine) = server.json("GET", "/api/machine", None);
    assert!(machine["denoiser"].is_boolean(), "{machine}");
}

/// Live pictures that make an order wait, while it looks how long it will take beside its first strips: both come to their ends. (Threads
/// that wait for a live picture must not be those that make it.)
#[test]
fn an_order_that_begins_and_live_pictures_do_not_stop_each_other() {
    let (_folder, server, id) = with_room();
    let (_, project) = server.json("GET", &format!("/api/projects/{id}"), None);
    let pose = &project["viewpoints"][0]["pose"];
    for seed in 1..=2 {
        let order = server.order(
            id,
            json!({ "width": 512, "samples": 400, "noise_percent": 5.0, "seed": seed }),
        );
        let mut heading = 0;
        wait_for("the order", || {
            heading += 7;
            let mut turned = pose.clone();
            turned["pitch_deg"] = json!(heading % 60);
            let body = json!({ "pose": turned, "width": 512 }).to_string();
            let path = format!("/api/projects/{id}/preview");
            let (status, _) = server.send("POST", &path, body.as_bytes(), &[]);
            assert!([200, 409].contains(&status), "{status}");
            (server.told(order)["state"] == "done").then_some(())
        });
    }
}
