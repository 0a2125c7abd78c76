//! The page by keyboard alone, and the later stages in windows of every usual size.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, wait_for, with_room};
use serde_json::{Value, json};

const TAB: &str = "\u{e004}";
const ENTER: &str = "\u{e007}";
const ESCAPE: &str = "\u{e00c}";
const LEFT: &str = "\u{e012}";
const UP: &str = "\u{e013}";
const RIGHT: &str = "\u{e014}";
const DOWN: &str = "\u{e015}";
const SHIFT: &str = "\u{e008}";

fn project(server: &Server, id: i64) -> Value {
    server.json("GET", &format!("/api/projects/{id}"), None).1
}

/// Presses keys where the focus is.
async fn keys(b: &Browser, what: &str) {
    b.client
        .active_element()
        .await
        .unwrap()
        .send_keys(what)
        .await
        .unwrap();
}

/// Goes on by Tab until what has the focus is the wanted thing; the focus must be seen at each step.
async fn tab_to(b: &Browser, wanted: &str) {
    for _ in 0..80 {
        keys(b, TAB).await;
        let at = b.script("
            const e = document.activeElement;
            const r = e.getBoundingClientRect();
            const style = getComputedStyle(e);
            const ring = style.outlineStyle !== 'none' && parseFloat(style.outlineWidth) > 0
                || style.boxShadow !== 'none'
                || !!e.closest('label, .input, .select')?.matches(':focus-within');
            return {name: (e.getAttribute('aria-label') ?? e.innerText ?? '').trim(), seen: r.width > 0 && r.height > 0, ring, tag: e.tagName};
        ").await;
        if at["tag"] == "BODY" {
            continue;
        }
        assert_eq!(at["seen"], true, "the focus is out of sight at {at}");
        assert_eq!(at["ring"], true, "the focus is not shown at {at}");
        let found = b
            .script(&format!(
                "return document.activeElement.matches({wanted:?});"
            ))
            .await;
        if found == true {
            return;
        }
    }
    panic!("{wanted} is not reached by Tab");
}

/// Tabs, numbers, directions, questions: each answers to keys, and each held key is one step of the history.
#[test]
fn the_page_answers_to_keys() {
    let (folder, server, id) = with_room();
    let base = format!("{}/project/{id}", server.address);
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&format!("{base}/scene")).await.unwrap();
        b.find("[data-testid=horizon-picture]").await;
        // Tabs: arrows go round, and only the chosen one is on the way of Tab.
        tab_to(&b, "[role=tab]").await;
        let chosen = "return document.querySelector('[role=tab][aria-selected=true]').innerText;";
        let (count, first) = (
            b.script("return document.querySelectorAll('[role=tab]').length;").await.as_u64().unwrap(),
            b.script(chosen).await,
        );
        let mut seen = vec![first.clone()];
        for _ in 1..count {
            keys(&b, RIGHT).await;
            seen.push(b.script(chosen).await);
            assert_eq!(b.script("return document.activeElement.getAttribute('aria-selected');").await, "true");
        }
        let mut names: Vec<String> = seen.iter().map(|v| v.as_str().unwrap().into()).collect();
        names.sort();
        names.dedup();
        assert_eq!(names.len() as u64, count, "each tab once: {seen:?}");
        keys(&b, RIGHT).await;
        assert_eq!(b.script(chosen).await, first, "after the last comes the first");
        keys(&b, LEFT).await;
        assert_eq!(&b.script(chosen).await, seen.last().unwrap());

        // Stand: the Horizon turns by whole degrees, and a held key is one step to undo.
        b.client.goto(&format!("{base}/stand")).await.unwrap();
        b.find("[data-testid=horizon-picture]").await;
        let heading = || project(&server, id)["viewpoints"][0]["pose"]["heading_deg"].as_f64().unwrap();
        let before = heading();
        tab_to(&b, "[data-testid=horizon] [role=application]").await;
        keys(&b, &format!("{RIGHT}{RIGHT}{RIGHT}")).await;
        wait_for("three degrees", || ((heading() - before - 3.0).rem_euclid(360.0) < 1e-6).then_some(()));
        keys(&b, &format!("{SHIFT}{LEFT}{SHIFT}")).await;
        wait_for("ten back", || ((heading() - before + 7.0).rem_euclid(360.0) < 1e-6).then_some(()));
        b.check_accessibility("stand by keys").await;

        // Render: numbers step, ten at a time with Shift, and Escape gives back what was there.
        b.client.goto(&format!("{base}/render")).await.unwrap();
        b.choose("Quality", "samples").await;
        b.fill("Samples per pixel", "4").await;
        let field = b.find("form [role=spinbutton][aria-valuenow='4']").await;
        let value = || b.script("return Number(document.activeElement.getAttribute('aria-valuenow'));");
        field.click().await.unwrap();
        keys(&b, UP).await;
        let one = value().await.as_f64().unwrap() - 4.0;
        assert!(one > 0.0);
        keys(&b, &format!("{SHIFT}{UP}{SHIFT}")).await;
        assert_eq!(value().await.as_f64(), Some(4.0 + 11.0 * one));
        keys(&b, DOWN).await;
        assert_eq!(value().await.as_f64(), Some(4.0 + 10.0 * one));
        keys(&b, "nonsense").await;
        keys(&b, ESCAPE).await;
        assert_eq!(value().await.as_f64(), Some(4.0 + 10.0 * one));
        assert_eq!(b.script("return document.querySelectorAll('[aria-invalid=true]').length;").await, 0);
        b.fill("Samples per pixel", "4").await;
        b.fill("Width", "64").await;
        b.until("the height", "return document.querySelector('[data-testid=height]')?.innerText === '32 px';").await;
        tab_to(&b, "form button[type=submit]").await;
        keys(&b, ENTER).await;
        wait_for("the order", || (project(&server, id)["orders"].as_array()?.len() == 1).then_some(()));

        // What cannot be undone is asked; Escape keeps it and the focus stays near.
        b.find("[data-testid=order][data-state=done]").await;
        tab_to(&b, "[data-testid=order] .text-error").await;
        keys(&b, ENTER).await;
        b.until("the question", "return [...document.querySelectorAll('button')].some(b => b.innerText === 'Keep');").await;
        keys(&b, ESCAPE).await;
        b.until("no question", "return ![...document.querySelectorAll('button')].some(b => b.innerText === 'Keep');").await;
        assert_eq!(project(&server, id)["orders"].as_array().unwrap().len(), 1);

        // Look round in a finished file by keys.
        b.client.goto(&format!("{base}/hand-over")).await.unwrap();
        b.press("Make the JPEG").await;
        b.find("[data-testid=package]").await;
        b.press("Look at it").await;
        b.until("the picture", "return document.querySelector('[data-testid=viewer]')?.dataset.shown === '64';").await;
        let view = "const d = document.querySelector('[data-testid=lookout]').dataset; return [d.lon, d.lat, d.hfov].map(Number);";
        let opened = b.script(view).await;
        tab_to(&b, "[data-testid=lookout]").await;
        keys(&b, &format!("{RIGHT}{UP}-")).await;
        let after = b.script(view).await;
        let by = |i: usize| after[i].as_f64().unwrap() - opened[i].as_f64().unwrap();
        assert!(by(0) > 1.0 && by(1) > 1.0 && by(2) > 1.0, "{opened} {after}");

        // Daylight or dusk, and the units, are remembered.
        b.press("Dusk").await;
        b.press("Use feet").await;
        b.client.refresh().await.unwrap();
        b.until("both kept", "return [...document.querySelectorAll('header button')].map(b => b.innerText).join().includes('Use metres') && document.querySelector('header').innerText.includes('Daylight');").await;
        b.close().await;
    });
}

/// Two windows on one project: a change in one shows in the other by itself, and both their changes stay.
#[test]
fn two_windows_keep_each_others_changes() {
    let (folder, server, id) = with_room();
    let base = format!("{}/project/{id}", server.address);
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&format!("{base}/scene")).await.unwrap();
        b.press_tab("Lights").await;
        b.find("[aria-label='Switch Lamp off']").await;
        let first = b.client.window().await.unwrap();
        let second = b.client.new_window(true).await.unwrap().handle;
        b.client.switch_to_window(second.clone()).await.unwrap();
        b.client.goto(&format!("{base}/scene")).await.unwrap();
        b.find("[data-testid=horizon-picture]").await;
        // The lamp off in the first, the sky turned in the second.
        b.client.switch_to_window(first).await.unwrap();
        b.press_labelled("Switch Lamp off").await;
        wait_for("the lamp off", || {
            (project(&server, id)["settings"]["lights"]
                .as_object()?
                .len()
                == 1)
                .then_some(())
        });
        b.client.switch_to_window(second).await.unwrap();
        b.press_tab("Lights").await;
        b.until(
            "the lamp off here too",
            "return !!document.querySelector(\"[aria-label='Switch Lamp on']\");",
        )
        .await;
        b.choose("Sky", "sun").await;
        let settings = wait_for("the sun", || {
            let settings = project(&server, id)["settings"].clone();
            (settings["surroundings"]["sky"]["kind"] == "sun").then_some(settings)
        });
        assert_eq!(
            settings["lights"].as_object().unwrap().len(),
            1,
            "the lamp is on again: {settings}"
        );
        assert_eq!(
            b.script("return document.querySelectorAll('[role=alert]').length;")
                .await,
            0
        );
        b.close().await;
    });
}

/// Hand over, look and pictures: no page scrolls sideways or down as a whole, the primary action is in sight, and no words
/// are cut off in buttons, in every usual window.
#[test]
fn later_stages_fit_every_usual_window() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    let viewpoint = project(&server, 1)["viewpoints"][0]["id"].clone();
    let wish = json!({"viewpoint": viewpoint, "width": 128, "samples": 1});
    let (status, order) = server.json("POST", "/api/projects/1/orders", Some(wish));
    assert_eq!(status, 200, "{order}");
    server.wait_for_order(order["id"].as_i64().unwrap(), "done");
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client
            .goto(&format!("{}/project/1/hand-over", server.address))
            .await
            .unwrap();
        b.press("Make the JPEG").await;
        b.find("[data-testid=package]").await;
        for (path, shows, primary) in [
            ("project/1/hand-over", "[data-testid=package]", Some("Make the JPEG")),
            ("project/1/look", "[data-testid=lookout]", None),
            ("pictures", "[data-testid=horizon-picture]", Some("Convert")),
        ] {
            b.client
                .goto(&format!("{}/{path}", server.address))
                .await
                .unwrap();
            b.find(shows).await;
            for (width, height) in [(1280, 800), (1440, 900), (1920, 1080), (2560, 1440), (1024, 768)] {
                b.resize(width, height).await;
                b.settled().await;
                let found = b
                    .script(&format!(
                        "
                    const main = document.querySelector('main');
                    const cut = [...document.querySelectorAll('button, a.btn')].filter(e => e.offsetWidth > 0
                        && e.scrollWidth > e.clientWidth + 1 && getComputedStyle(e).overflow !== 'visible'
                        && getComputedStyle(e).textOverflow !== 'ellipsis').map(e => e.innerText);
                    const act = [...document.querySelectorAll('main button')].find(b => b.innerText.startsWith({}));
                    const r = act?.getBoundingClientRect();
                    return {{
                        page: [main.scrollWidth - main.clientWidth, main.scrollHeight - main.clientHeight],
                        body: [document.body.scrollWidth - innerWidth, document.body.scrollHeight - innerHeight],
                        cut, acts: !act ? null : r.top >= 0 && r.bottom <= innerHeight && r.right <= innerWidth,
                    }};",
                        json!(primary.unwrap_or("-"))
                    ))
                    .await;
                let at = format!("{path} at {width} x {height}: {found}");
                assert_eq!((&found["page"], &found["cut"]), (&json!([0, 0]), &json!([])), "{at}");
                let body = &found["body"];
                assert!(body[0].as_i64() <= Some(0) && body[1].as_i64() <= Some(0), "{at}");
                if primary.is_some() {
                    assert_eq!(found["acts"], true, "{at}");
                }
            }
        }
        b.close().await;
    });
}
