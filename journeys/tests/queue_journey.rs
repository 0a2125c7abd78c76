//! An evening's queue in a real browser: many orders in one go, on hold, in another turn, one changed, all let go, and what was made.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, wait_for};
use serde_json::Value;

fn orders(server: &Server) -> Vec<Value> {
    let project = server.json("GET", "/api/projects/1", None).1;
    project["orders"].as_array().unwrap().clone()
}

/// Names of the viewpoints of what is not done, in the order of turns.
fn turns(server: &Server) -> Vec<String> {
    let names = server.jobs().into_iter();
    names
        .map(|j| j["what"].as_str().unwrap().to_owned())
        .collect()
}

#[test]
fn an_evenings_queue() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let base = server.address.clone();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client
            .goto(&format!("{base}/project/1/render"))
            .await
            .unwrap();
        b.fill("Width", "64").await;
        b.choose("Quality", "samples").await;
        b.fill("Samples per pixel", "1").await;
        b.press_switch("Several at once", &["At the desk", "Gallery", "Terrace"])
            .await;
        b.press_switch_label("Put on hold").await;
        b.check_accessibility("several orders").await;
        b.press("Place 4 orders").await;
        b.until(
            "four orders on hold",
            "return document.querySelectorAll('[data-testid=order][data-state=held]').length === 4;",
        )
        .await;
        assert_eq!(
            turns(&server),
            ["Under the dome", "At the desk", "Gallery", "Terrace"]
        );
        another_turn(&server, &b).await;
        changed(&server, &b).await;
        b.screenshot("render-queue").await;
        b.press("Release all 4").await;
        b.until(
            "all four",
            "return document.querySelectorAll('[data-testid=order][data-state=done]').length === 4;",
        )
        .await;
        b.until(
            "what was made",
            "return document.querySelector('[data-testid=ended]')?.innerText.includes(': 4 made');",
        )
        .await;
        b.check_accessibility("a queue that is done").await;
        b.close().await;
    });
}

/// By keys and by hand.
async fn another_turn(server: &Server, b: &Browser) {
    let handle = b
        .find("[data-testid=order] button[aria-label^='Turn 4 of 4']")
        .await;
    handle.send_keys("\u{e013}").await.unwrap(); // Up
    wait_for("the terrace before the gallery", || {
        (turns(server)[2..] == ["Terrace", "Gallery"]).then_some(())
    });
    b.until(
        "the new turns",
        "return document.querySelectorAll('[data-testid=order]')[2].innerText.includes('Terrace');",
    )
    .await;
    // The first one onto the second: it comes after it.
    let middle = |n: usize| async move {
        let code = format!(
            "const r = document.querySelectorAll('[data-testid=order]')[{n}].querySelector('[aria-label^=Turn]').getBoundingClientRect(); return [r.left + r.width / 2, r.top + r.height / 2];"
        );
        let at = b.script(&code).await;
        (
            at[0].as_f64().unwrap() as i64,
            at[1].as_f64().unwrap() as i64,
        )
    };
    let (from, to) = (middle(0).await, middle(1).await);
    b.drag(from, (to.0 - from.0, to.1 - from.1)).await;
    wait_for("the dome after the desk", || {
        (turns(server)[..2] == ["At the desk", "Under the dome"]).then_some(())
    });
}

/// One that waits gets another width and keeps its turn.
async fn changed(server: &Server, b: &Browser) {
    b.until(
        "the new turns",
        "return document.querySelectorAll('[data-testid=order]')[0].innerText.includes('At the desk');",
    )
    .await;
    b.press("Change").await;
    b.until(
        "the form",
        "return document.body.innerText.includes(', changed') && [...document.querySelectorAll('input')].some((i) => i.value === '64');",
    )
    .await;
    b.fill("Width", "32").await;
    b.press("Change the order").await;
    wait_for("the changed order", || {
        let orders = orders(server);
        let changed = orders.iter().find(|o| o["spec"]["width"] == 32)?;
        let first = server.jobs().first()?.clone();
        let same = first["makes"] == changed["id"] && first["what"] == "At the desk";
        (same && orders.len() == 4 && changed["state"] == "held").then_some(())
    });
    b.until(
        "the form for a new one",
        "return document.querySelector('h1').innerText === 'New order' && document.querySelectorAll('[data-testid=order][data-state=held]').length === 4;",
    )
    .await;
}
