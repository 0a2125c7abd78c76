//! Several windows at once, and a server that goes away and comes back.

use journeys::browser::{Browser, runtime};
use journeys::support::{Server, scene_in, text};
use serde_json::json;

/// A server with a room in one project, by a browser that has it open.
async fn with_room(b: &Browser, server: &Server, folder: &std::path::Path) -> String {
    let scene = scene_in(folder);
    b.client.goto(&server.address).await.unwrap();
    let file = b.find("[data-testid=scene-file]").await;
    file.send_keys(text(&scene)).await.unwrap();
    b.until(
        "the project",
        "return location.pathname.startsWith('/project/') && document.title.includes('room');",
    )
    .await;
    format!("{}/project/1/scene", server.address)
}

/// Browsers open six lines to a server: seven windows that each kept one would leave none for anything else. All hear of a change, also
/// when the window is gone that heard it first.
#[test]
fn seven_windows_do_not_stop_each_other() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        let page = with_room(&b, &server, folder.path()).await;
        let first = b.client.window().await.unwrap();
        let mut windows = Vec::new();
        for _ in 0..7 {
            let window = b.client.new_window(true).await.unwrap().handle;
            b.client.switch_to_window(window.clone()).await.unwrap();
            b.client.goto(&page).await.unwrap();
            b.until("the page", "return document.title.includes('room');")
                .await;
            windows.push(window);
        }
        let rename = |name: &str| {
            let change = json!({ "name": name });
            assert_eq!(server.json("PATCH", "/api/projects/1", Some(change)).0, 200);
        };
        rename("renamed once");
        for window in &windows {
            b.client.switch_to_window(window.clone()).await.unwrap();
            b.until(
                "the new name",
                "return document.title.includes('renamed once');",
            )
            .await;
            assert_eq!(
                b.script("return document.querySelectorAll('[data-testid=server-lost]').length;")
                    .await,
                0
            );
        }
        // The first window is the one that has the line.
        b.client.switch_to_window(first).await.unwrap();
        b.client.close_window().await.unwrap();
        b.client.switch_to_window(windows[6].clone()).await.unwrap();
        rename("renamed twice");
        b.until(
            "the newest name",
            "return document.title.includes('renamed twice');",
        )
        .await;
        b.close().await;
    });
}

/// A server that is killed is told in the page; when it answers again that goes by itself, and what changed meanwhile is there.
#[test]
fn a_server_that_is_away_is_told_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let server = Server::start(&data, false);
    let port = server.address.rsplit(':').next().unwrap().to_owned();
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        let page = with_room(&b, &server, folder.path()).await;
        b.client.goto(&page).await.unwrap();
        b.find("[data-testid=horizon-picture]").await;
        server.kill();
        b.until("the word that it is away", "return (document.querySelector('[data-testid=server-lost]')?.innerText ?? '').startsWith('The server does not answer.');").await;
        // Changed behind the page's back, by another server on the same data.
        let other = Server::start(&data, false);
        let change = json!({ "name": "Changed meanwhile" });
        assert_eq!(other.json("PATCH", "/api/projects/1", Some(change)).0, 200);
        other.kill();
        let _server = Server::start_with(&data, &["--port", &port]);
        b.until("it to go", "return !document.querySelector('[data-testid=server-lost]');").await;
        b.until("what changed", "return document.title.includes('Changed meanwhile');").await;
        b.close().await;
    });
}

/// What changes while a project is asked for the first time is seen, though the answer under way was read before.
#[test]
fn a_change_during_the_first_answer_is_seen() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        with_room(&b, &server, folder.path()).await;
        b.client.goto(&server.address).await.unwrap();
        b.find("a[href^='/project/1']").await;
        // Answers about the project come, and are kept back; what the page hears over its line is heard here too.
        b.script(
            "window.kept = []; window.asked = window.fetch; window.told = [];
            new BroadcastChannel('owl-dome events').onmessage = (m) => window.told.push(m.data);
            window.fetch = async (path, init) => {
                const answer = await window.asked(path, init);
                if (/projects\\/1$/.test(path)) await new Promise((go) => window.kept.push(go));
                return answer;
            };
            return true;",
        )
        .await;
        b.find("a[href^='/project/1']").await.click().await.unwrap();
        b.until("the first answer", "return window.kept.length === 1;").await;
        let change = json!({ "name": "Changed meanwhile" });
        assert_eq!(server.json("PATCH", "/api/projects/1", Some(change)).0, 200);
        b.until("the word of the change", "return window.told.some(t => t.kind === 'project');").await;
        // The page gathers changes for a quarter of a second, and then asks.
        b.script("setTimeout(() => { window.fetch = window.asked; window.kept.forEach(go => go()); }, 800); return true;").await;
        b.until("what changed", "return document.title.includes('Changed meanwhile');").await;
        b.close().await;
    });
}

/// Two clicks within 100 ms on two lamps: both count, whatever is still on its way.
#[test]
fn quick_clicks_all_count() {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), true);
    runtime().block_on(async {
        let b = Browser::open(folder.path()).await;
        b.client.goto(&format!("{}/project/1/scene", server.address)).await.unwrap();
        b.press_tab("Light").await;
        b.until("the lamps", "return document.querySelectorAll('[data-testid=light] button').length > 4;").await;
        for wait_ms in [0, 30, 90] {
            let states = "return [...document.querySelectorAll('[data-testid=light] button')].slice(0, 4).map(b => b.innerText);";
            let before = b.script(states).await;
            b.script(&format!("const all = [...document.querySelectorAll('[data-testid=light] button')].slice(0, 4); all.forEach((b, i) => setTimeout(() => b.click(), {wait_ms} * i)); return true;")).await;
            let other = |v: &serde_json::Value| if v == "Off" { "On" } else { "Off" };
            let wanted: Vec<_> = before.as_array().unwrap().iter().map(other).collect();
            b.until("all four", &format!("const now = (() => {{ {states} }})(); return JSON.stringify(now) === '{}';", json!(wanted))).await;
            // So it is on the server, and stays.
            b.until("no request on its way", &format!("return fetch('/api/projects/1').then(r => r.json()).then(p => Object.values(p.settings.lights).filter(l => l.on === false).length === {});", wanted.iter().filter(|w| **w == "On").count())).await;
            assert_eq!(b.script(states).await, json!(wanted));
        }
        b.close().await;
    });
}
