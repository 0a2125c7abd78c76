//! What the tests of commands, of the server and of the page share.
#![allow(dead_code)] // each test file uses its part

pub mod choices;
pub mod decoded;
pub mod moving;
pub mod scene;
pub mod sound;
pub mod walk;

use serde_json::Value;
use std::io::{BufRead, BufReader, Read};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// The program under test.
pub fn owl_dome() -> Command {
    Command::new(program())
}

/// Where it lies: where Cargo says, or for tests of another crate beside their own folder in the target folder.
fn program() -> PathBuf {
    if let Some(told) = option_env!("CARGO_BIN_EXE_owl-dome") {
        return told.into();
    }
    let own = std::env::current_exe().expect("a test knows where it is");
    let beside = own.parent().and_then(Path::parent).expect("deps");
    let program = beside.join("owl-dome");
    assert!(
        program.exists(),
        "{} is not there: cargo build -p owl-dome",
        program.display()
    );
    program
}

/// Runs a command to its end.
pub fn run(args: &[&str]) -> Output {
    owl_dome().args(args).output().expect("the program starts")
}

/// Runs a command that must succeed, and gives what it printed.
pub fn run_ok(args: &[&str]) -> String {
    let out = run(args);
    assert!(
        out.status.success(),
        "{args:?}: {}",
        String::from_utf8_lossy(&out.stderr)
    );
    String::from_utf8(out.stdout).unwrap()
}

/// Runs a command that must fail with a status, and gives its message.
pub fn run_fails(args: &[&str], status: i32) -> String {
    let out = run(args);
    let message = String::from_utf8(out.stderr).unwrap();
    assert_eq!(out.status.code(), Some(status), "{args:?}: {message}");
    assert!(!message.contains("panicked"), "{message}");
    message
}

/// What `owl-dome inspect` tells of a file.
pub fn inspected(file: &Path) -> Value {
    serde_json::from_str(&run_ok(&["inspect", text(file), "--json"])).unwrap()
}

/// Marks a film by command; `options` are parted by blanks.
pub fn tag_film(from: &Path, to: &Path, options: &str) -> String {
    let mut args = vec!["tag", text(from), "-o", text(to)];
    args.extend(options.split_whitespace());
    run_ok(&args)
}

/// Has ffmpeg make a file of one of its own sources, such as `testsrc=s=128x64`.
pub fn made_of_source(source: &str, options: &[&str], to: &Path) {
    let from = ["-v", "error", "-f", "lavfi", "-i", source];
    let to = [to.to_str().unwrap()];
    outside("ffmpeg", &[&from[..], options, &to[..]].concat());
}

/// What another program says; it must be installed.
pub fn outside(program: &str, args: &[&str]) -> String {
    let out = Command::new(program)
        .args(args)
        .output()
        .unwrap_or_else(|e| panic!("{program} is needed for this test: {e}"));
    assert!(
        out.status.success(),
        "{program}: {}",
        String::from_utf8_lossy(&out.stderr)
    );
    String::from_utf8_lossy(&out.stdout).into_owned()
}

/// What exiftool (Debian libimage-exiftool-perl) reads in a file.
pub fn exiftool(file: &Path) -> Value {
    let text = outside("exiftool", &["-json", "-n", file.to_str().unwrap()]);
    serde_json::from_str::<Value>(&text).unwrap()[0].clone()
}

/// Pixels of a picture as another reader sees them: ffmpeg's 8-bit RGB.
pub fn pixels(path: &Path) -> (u32, u32, Vec<u8>) {
    let told = exiftool(path);
    let side = |name: &str| told[name].as_u64().unwrap() as u32;
    let raw = path.with_extension("raw");
    outside(
        "ffmpeg",
        &[
            "-v",
            "error",
            "-y",
            "-i",
            text(path),
            "-f",
            "rawvideo",
            "-pix_fmt",
            "rgb24",
            text(&raw),
        ],
    );
    (
        side("ImageWidth"),
        side("ImageHeight"),
        std::fs::read(&raw).unwrap(),
    )
}

/// A running server.
pub struct Server {
    child: Child,
    /// Kept open: a server writes to whoever started it.
    _output: std::io::Lines<BufReader<std::process::ChildStdout>>,
    pub address: String,
    pub data: PathBuf,
}

impl Server {
    /// Memory that it holds just now, bytes (proc(5): VmRSS).
    pub fn resident_bytes(&self) -> u64 {
        let told = std::fs::read_to_string(format!("/proc/{}/status", self.child.id())).unwrap();
        let line = told.lines().find(|l| l.starts_with("VmRSS:")).unwrap();
        let kilobytes: u64 = line.split_whitespace().nth(1).unwrap().parse().unwrap();
        kilobytes * 1024
    }

    /// Starts a server on a free port with a data folder.
    pub fn start(data: &Path, demo: bool) -> Self {
        Self::start_with(data, if demo { &["--demo"] } else { &[] })
    }

    /// Starts a server on a free port with a data folder and more options.
    pub fn start_with(data: &Path, options: &[&str]) -> Self {
        Self::start_in(data, options, &[])
    }

    /// The same with more in its environment.
    pub fn start_in(data: &Path, options: &[&str], environment: &[(&str, &str)]) -> Self {
        let mut command = owl_dome();
        command.envs(environment.iter().copied());
        command.args(["serve", "--data", data.to_str().unwrap()]);
        if !options.contains(&"--port") {
            command.args(["--port", "0"]);
        }
        command.args(options);
        // How calm live pictures and cards become is looked at in screenshots alone, and journeys look at what the page does: few
        // samples leave the machine to what is tested.
        let few = match std::env::var("OWL_DOME_TEST_LIVE_SAMPLES") {
            Ok(samples) => Some(samples),
            Err(_) if std::env::var_os("OWL_DOME_SCREENSHOTS").is_some() => None,
            Err(_) => Some("16".into()),
        };
        if let Some(samples) = few.filter(|_| !options.contains(&"--live-samples")) {
            command.args(["--live-samples", &samples]);
        }
        let mut child = command
            .stdout(Stdio::piped())
            .spawn()
            .expect("the server starts");
        let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
        let address = loop {
            let line = lines
                .next()
                .expect("the server prints its address")
                .unwrap();
            if let Some(at) = line.find("http://") {
                break line[at..].trim_end_matches('/').to_owned();
            }
        };
        Self {
            child,
            _output: lines,
            address,
            data: data.to_owned(),
        }
    }

    /// Ends the server as a power cut would.
    pub fn kill(mut self) {
        self.child.kill().unwrap(); // SIGKILL
        self.child.wait().unwrap();
    }

    /// Asks the server to end, as a terminal does, and waits until it has.
    pub fn end(mut self) -> std::process::ExitStatus {
        let asked = Command::new("kill")
            .args(["-INT", &self.child.id().to_string()])
            .status();
        assert!(asked.unwrap().success());
        self.child.wait().unwrap()
    }

    fn agent() -> ureq::Agent {
        ureq::Agent::config_builder()
            .http_status_as_error(false)
            .build()
            .into()
    }

    /// A request with a JSON body; gives status and JSON answer.
    pub fn json(&self, method: &str, path: &str, body: Option<Value>) -> (u16, Value) {
        let text = body.map_or_else(Vec::new, |b| b.to_string().into_bytes());
        let (status, bytes) =
            self.send(method, path, &text, &[("Content-Type", "application/json")]);
        (
            status,
            serde_json::from_slice(&bytes).unwrap_or(Value::Null),
        )
    }

    /// A request with any body and headers; gives status and bytes.
    pub fn send(
        &self,
        method: &str,
        path: &str,
        body: &[u8],
        headers: &[(&str, &str)],
    ) -> (u16, Vec<u8>) {
        let mut response = self.answered(method, path, body, headers);
        let mut bytes = Vec::new();
        response
            .body_mut()
            .as_reader()
            .read_to_end(&mut bytes)
            .unwrap();
        (response.status().as_u16(), bytes)
    }

    /// The same; gives the whole answer.
    pub fn answered(
        &self,
        method: &str,
        path: &str,
        body: &[u8],
        headers: &[(&str, &str)],
    ) -> ureq::http::Response<ureq::Body> {
        let mut request = ureq::http::Request::builder()
            .method(method)
            .uri(format!("{}{path}", self.address));
        for (name, value) in headers {
            request = request.header(*name, *value);
        }
        Self::agent()
            .run(request.body(body).unwrap())
            .expect("the server answers")
    }

    /// Listens to events from now on; `heard` is the number of the last one heard before. They come as (number, event).
    pub fn events(&self, heard: Option<u64>) -> Receiver<(u64, Value)> {
        let mut request = Self::agent().get(format!("{}/api/events", self.address));
        if let Some(heard) = heard {
            request = request.header("Last-Event-ID", heard.to_string());
        }
        // Through a client that puts the parts of the answer together: where they are cut says nothing.
        let answer = request.call().expect("the server answers").into_body();
        let (send, events) = channel();
        std::thread::spawn(move || {
            let (mut number, mut data) = (None, None);
            for line in BufReader::new(answer.into_reader())
                .lines()
                .map_while(Result::ok)
            {
                let line = line.trim();
                if let Some(told) = line.strip_prefix("id:") {
                    number = told.trim().parse().ok();
                } else if let Some(told) = line.strip_prefix("data:") {
                    data = serde_json::from_str(told).ok();
                }
                if let (Some(n), Some(event)) = (number, data.clone()) {
                    (number, data) = (None, None);
                    if send.send((n, event)).is_err() {
                        return;
                    }
                }
            }
        });
        events
    }

    /// Gets a file that must be there.
    pub fn get(&self, path: &str) -> Vec<u8> {
        let (status, bytes) = self.send("GET", path, b"", &[]);
        assert_eq!(status, 200, "{path}");
        bytes
    }

    /// Brings a scene in; gives status and answer.
    pub fn upload(&self, file: &str, bytes: &[u8]) -> (u16, Value) {
        self.bring(&format!("/api/projects?file={file}&name=Test"), bytes)
    }

    /// Sends a file; gives status and answer.
    pub fn bring(&self, path: &str, bytes: &[u8]) -> (u16, Value) {
        let (status, answer) = self.send("POST", path, bytes, &[]);
        (status, serde_json::from_slice(&answer).unwrap())
    }

    /// Orders a picture from a project's first viewpoint; gives the order's number.
    pub fn order(&self, project: i64, wish: Value) -> i64 {
        let path = format!("/api/projects/{project}");
        let mut body = wish;
        body["viewpoint"] = self.json("GET", &path, None).1["viewpoints"][0]["id"].clone();
        let (status, order) = self.json("POST", &format!("{path}/orders"), Some(body));
        assert_eq!(status, 200, "{order}");
        order["id"].as_i64().unwrap()
    }

    /// An order as the server tells it.
    pub fn told(&self, order: i64) -> Value {
        self.json("GET", &format!("/api/orders/{order}"), None).1
    }

    /// Where the files of an order's picture lie, once it was begun.
    pub fn files_of(&self, order: i64) -> PathBuf {
        let picture = wait_for(&format!("order {order} to be begun"), || {
            self.told(order)["picture"].as_str().map(String::from)
        });
        self.data.join("renders").join(picture)
    }

    /// Asks something of an order's job, such as `stop` or `resume`; gives the status.
    pub fn ask_job(&self, order: impl std::fmt::Display, what: &str) -> u16 {
        let order = self.json("GET", &format!("/api/orders/{order}"), None).1;
        let job = order["job"].clone();
        self.json("POST", &format!("/api/jobs/{job}/{what}"), None)
            .0
    }

    /// Jobs that are not done.
    pub fn jobs(&self) -> Vec<Value> {
        let jobs = self.json("GET", "/api/jobs", None).1;
        jobs.as_array().unwrap().clone()
    }

    /// Waits until a job is over, and gives it.
    pub fn wait_for_job(&self, id: &Value) -> Value {
        wait_for(&format!("job {id} to be over"), || {
            let job = self.json("GET", &format!("/api/jobs/{id}"), None).1;
            let state = job["state"].as_str()?;
            ["done", "failed", "stopped"]
                .contains(&state)
                .then_some(job)
        })
    }

    /// Orders what a job makes. Gives 200 and the package or picture when it is there, else the refusal.
    pub fn make(&self, path: &str, body: Option<Value>) -> (u16, Value) {
        let (status, job) = self.json("POST", path, body);
        if status != 202 {
            return (status, job);
        }
        let job = self.wait_for_job(&job["id"]);
        assert_eq!(job["state"], "done", "{job}");
        let all = if job["kind"] == "package" {
            let project = self.json("GET", &format!("/api/projects/{}", job["project"]), None);
            project.1["packages"].clone()
        } else {
            self.json("GET", "/api/pictures", None).1["pictures"].clone()
        };
        let made = all
            .as_array()
            .unwrap()
            .iter()
            .find(|m| m["id"] == job["makes"]);
        (200, made.expect("what was made is listed").clone())
    }

    /// Waits until an order has a state.
    pub fn wait_for_order(&self, id: i64, state: &str) -> Value {
        wait_for(&format!("order {id} to be {state}"), || {
            let order = self.told(id);
            (order["state"] == state).then_some(order)
        })
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A server with the small room as its only project: its folder, itself, the project's number.
pub fn with_room() -> (tempfile::TempDir, Server, i64) {
    let folder = tempfile::tempdir().unwrap();
    let server = Server::start(&folder.path().join("data"), false);
    let (status, project) = server.upload("room.glb", &scene::room_glb());
    assert_eq!(status, 200, "{project}");
    let id = project["id"].as_i64().unwrap();
    (folder, server, id)
}

/// A PNG of 8 x 4 px.
pub fn small_picture() -> Vec<u8> {
    let mut bytes = std::io::Cursor::new(Vec::new());
    image::RgbImage::from_fn(8, 4, |x, y| image::Rgb([x as u8 * 30, y as u8 * 60, 9]))
        .write_to(&mut bytes, image::ImageFormat::Png)
        .unwrap();
    bytes.into_inner()
}

/// A path as an argument.
pub fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

/// The small room as a file in a folder.
pub fn scene_in(folder: &Path) -> std::path::PathBuf {
    let path = folder.join("room.glb");
    std::fs::write(&path, scene::room_glb()).unwrap();
    path
}

/// All samples of an OpenEXR's three channels.
pub fn samples(path: &Path, channels: [&str; 3]) -> Vec<f32> {
    let strips = dome_files::exr_picture::ExrStrips::open_channels(path, channels).unwrap();
    strips.flat_map(|s| s.unwrap().samples).collect()
}

/// A folder with the small room, to render in by command.
pub struct Bench {
    folder: tempfile::TempDir,
    scene: PathBuf,
}

impl Bench {
    #[allow(clippy::new_without_default)] // it makes files
    pub fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let scene = scene_in(folder.path());
        Self { folder, scene }
    }

    pub fn at(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// Renders with some options, given in one line.
    pub fn render(&self, name: &str, options: &str) -> PathBuf {
        let out = self.at(name);
        let mut args = vec!["render", text(&self.scene), "-o", text(&out)];
        args.extend(options.split_whitespace());
        run_ok(&args);
        out
    }

    /// What a render says on stderr.
    pub fn said(&self, name: &str, options: &str) -> String {
        let out = self.at(name);
        let mut args = vec!["render", text(&self.scene), "-o", text(&out)];
        args.extend(options.split_whitespace());
        let done = run(&args);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(done.status.success(), "{args:?}: {said}");
        said
    }

    /// Why a render is refused.
    pub fn refused(&self, name: &str, options: &str) -> String {
        let out = self.at(name);
        let mut args = vec!["render", text(&self.scene), "-o", text(&out)];
        args.extend(options.split_whitespace());
        // Wrong lengths are wrong usage, the rest is refused for what it is.
        let status = if run(&args).status.code() == Some(2) {
            2
        } else {
            1
        };
        assert!(!out.exists());
        run_fails(&args, status)
    }
}

/// How long tests wait for something: long, since machines are busy; OWL_DOME_TEST_WAIT tells other seconds.
pub fn patience() -> Duration {
    let told = std::env::var("OWL_DOME_TEST_WAIT");
    Duration::from_secs(told.ok().and_then(|s| s.parse().ok()).unwrap_or(600))
}

/// Waits until something is there; long, since a loaded machine is slow.
pub fn wait_for<T>(what: &str, mut ready: impl FnMut() -> Option<T>) -> T {
    let start = Instant::now();
    while start.elapsed() < patience() {
        if let Some(found) = ready() {
            return found;
        }
        std::thread::sleep(Duration::from_millis(100));
    }
    panic!("waited in vain for {what}");
}

/// How many strips lie in a folder.
pub fn strips_there(folder: &Path) -> usize {
    let there = std::fs::read_dir(folder).into_iter().flatten().flatten();
    there
        .filter(|e| e.path().extension().is_some_and(|x| x == "strip"))
        .count()
}
