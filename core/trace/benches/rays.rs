//! Rays per second on one thread, side by side with a reference library in the same run.
//!
//! The reference is Embree 4.4, loaded at run time from the file that `EMBREE_LIBRARY` names; without it
//! only our own numbers are printed. Its structures and calls are declared here from its published C
//! interface (rtcore_ray.h, rtcore_scene.h, rtcore_geometry.h of Embree 4, Apache-2.0), from memory.
#![allow(unsafe_code, missing_docs, clippy::unwrap_used)]

use dome_optics::{Equirect, Eye, MonoEye, Orientation, PicturePoint};
use dome_trace::accel::{Accel, TraceRay};
use dome_trace::stand;
use glam::Vec3;
use libloading::{Library, Symbol};
use std::alloc::{GlobalAlloc, Layout, System};
use std::ffi::c_void;
use std::sync::LazyLock;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;

/// Counts what is in use and the most that ever was, for the memory of building.
struct Counting;

static IN_USE: AtomicUsize = AtomicUsize::new(0);
static PEAK: AtomicUsize = AtomicUsize::new(0);

// SAFETY: every call is handed on to the system's allocator unchanged.
unsafe impl GlobalAlloc for Counting {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        let now = IN_USE.fetch_add(layout.size(), Ordering::Relaxed) + layout.size();
        PEAK.fetch_max(now, Ordering::Relaxed);
        // SAFETY: as the caller promises.
        unsafe { System.alloc(layout) }
    }

    unsafe fn dealloc(&self, pointer: *mut u8, layout: Layout) {
        IN_USE.fetch_sub(layout.size(), Ordering::Relaxed);
        // SAFETY: as the caller promises.
        unsafe { System.dealloc(pointer, layout) }
    }
}

#[global_allocator]
static ALLOCATOR: Counting = Counting;

const WIDTH: u32 = 1024;
const HEIGHT: u32 = 512;
const ROUNDS: usize = 5;

/// `RTCRayHit` with one level of instances.
#[repr(C, align(16))]
#[derive(Clone, Copy)]
struct RayHit {
    origin: [f32; 3],
    near: f32,
    direction: [f32; 3],
    time: f32,
    far: f32,
    mask: u32,
    id: u32,
    flags: u32,
    normal: [f32; 3],
    u: f32,
    v: f32,
    primitive: u32,
    geometry: u32,
    instance: u32,
    instance_primitive: u32,
}

impl RayHit {
    fn new(ray: &TraceRay) -> Self {
        Self {
            origin: ray.origin.to_array(),
            near: 0.0,
            direction: ray.direction.to_array(),
            time: 0.0,
            far: ray.far,
            mask: u32::MAX,
            id: 0,
            flags: 0,
            normal: [0.0; 3],
            u: 0.0,
            v: 0.0,
            primitive: u32::MAX,
            geometry: u32::MAX,
            instance: u32::MAX,
            instance_primitive: u32::MAX,
        }
    }
}

type Handle = *mut c_void;

/// The reference library, loaded once: its own threads would not survive its unloading.
static LIBRARY: LazyLock<Option<Library>> = LazyLock::new(|| {
    let path = std::env::var("EMBREE_LIBRARY").ok()?;
    // SAFETY: the library's own start-up code is all that runs.
    unsafe { Library::new(path).ok() }
});

// SAFETY: the library's scenes may be asked from any thread once they are committed.
unsafe impl Sync for Reference {}

/// The reference library with one scene.
struct Reference {
    library: &'static Library,
    scene: Handle,
    build_s: f64,
}

impl Reference {
    fn build(positions: &[Vec3], triangles: &[[u32; 3]], robust: bool) -> Option<Self> {
        let library = LIBRARY.as_ref()?;
        // SAFETY: the calls below follow the library's documented order and types; the buffers it hands
        // out are filled exactly to the sizes that were asked for.
        unsafe {
            let (scene, build_s) = {
                let new_device: Symbol<unsafe extern "C" fn(*const u8) -> Handle> =
                    library.get(b"rtcNewDevice").ok()?;
                let new_scene: Symbol<unsafe extern "C" fn(Handle) -> Handle> =
                    library.get(b"rtcNewScene").ok()?;
                let set_flags: Symbol<unsafe extern "C" fn(Handle, u32)> =
                    library.get(b"rtcSetSceneFlags").ok()?;
                let new_geometry: Symbol<unsafe extern "C" fn(Handle, u32) -> Handle> =
                    library.get(b"rtcNewGeometry").ok()?;
                let new_buffer: Symbol<
                    unsafe extern "C" fn(Handle, u32, u32, u32, usize, usize) -> *mut c_void,
                > = library.get(b"rtcSetNewGeometryBuffer").ok()?;
                let commit_geometry: Symbol<unsafe extern "C" fn(Handle)> =
                    library.get(b"rtcCommitGeometry").ok()?;
                let attach: Symbol<unsafe extern "C" fn(Handle, Handle) -> u32> =
                    library.get(b"rtcAttachGeometry").ok()?;
                let commit: Symbol<unsafe extern "C" fn(Handle)> =
                    library.get(b"rtcCommitScene").ok()?;
                const TRIANGLES: u32 = 0; // RTC_GEOMETRY_TYPE_TRIANGLE
                const INDEX: u32 = 0; // RTC_BUFFER_TYPE_INDEX
                const VERTEX: u32 = 1; // RTC_BUFFER_TYPE_VERTEX
                let device = new_device(c"threads=1,set_affinity=0".as_ptr().cast());
                let scene = new_scene(device);
                set_flags(scene, if robust { 1 << 2 } else { 0 }); // RTC_SCENE_FLAG_ROBUST
                let geometry = new_geometry(device, TRIANGLES);
                let vertices = new_buffer(geometry, VERTEX, 0, 0x9003, 12, positions.len()); // RTC_FORMAT_FLOAT3
                let indices = new_buffer(geometry, INDEX, 0, 0x5003, 12, triangles.len()); // RTC_FORMAT_UINT3
                std::ptr::copy_nonoverlapping(
                    positions.as_ptr().cast(),
                    vertices.cast::<u8>(),
                    positions.len() * 12,
                );
                std::ptr::copy_nonoverlapping(
                    triangles.as_ptr().cast(),
                    indices.cast::<u8>(),
                    triangles.len() * 12,
                );
                commit_geometry(geometry);
                attach(scene, geometry);
                let start = Instant::now();
                commit(scene);
                (scene, start.elapsed().as_secs_f64())
            };
            Some(Self {
                library,
                scene,
                build_s,
            })
        }
    }

    /// Distances of the nearest hits, infinite for none.
    fn closest(&self, rays: &[TraceRay], found: &mut [f32]) {
        // SAFETY: as above; the scene lives as long as the library.
        unsafe {
            let intersect: Symbol<unsafe extern "C" fn(Handle, *mut RayHit, *const c_void)> =
                self.library.get(b"rtcIntersect1").unwrap();
            for (ray, out) in rays.iter().zip(found) {
                let mut hit = RayHit::new(ray);
                intersect(self.scene, &raw mut hit, std::ptr::null());
                *out = if hit.geometry == u32::MAX {
                    f32::INFINITY
                } else {
                    hit.far
                };
            }
        }
    }

    /// Whether each ray is blocked: 1 or 0.
    fn blocked(&self, rays: &[TraceRay], found: &mut [f32]) {
        // SAFETY: as above; the occlusion call reads and writes the ray part alone.
        unsafe {
            let occluded: Symbol<unsafe extern "C" fn(Handle, *mut RayHit, *const c_void)> =
                self.library.get(b"rtcOccluded1").unwrap();
            for (ray, out) in rays.iter().zip(found) {
                let mut hit = RayHit::new(ray);
                occluded(self.scene, &raw mut hit, std::ptr::null());
                *out = f32::from(u8::from(hit.far < 0.0));
            }
        }
    }
}

fn ours_closest(accel: &Accel, rays: &[TraceRay], found: &mut [f32]) {
    for (ray, out) in rays.iter().zip(found) {
        *out = accel.closest(ray).map_or(f32::INFINITY, |h| h.distance);
    }
}

fn ours_blocked(accel: &Accel, rays: &[TraceRay], found: &mut [f32]) {
    for (ray, out) in rays.iter().zip(found) {
        *out = f32::from(u8::from(accel.blocked(ray)));
    }
}

type Run<'a> = Box<dyn Fn(&[TraceRay], &mut [f32]) + Sync + 'a>;

/// All rays shared by two threads.
fn on_two_threads(run: &Run, rays: &[TraceRay], found: &mut [f32]) {
    let half = rays.len().div_ceil(2);
    std::thread::scope(|scope| {
        for (rays, found) in rays.chunks(half).zip(found.chunks_mut(half)) {
            scope.spawn(move || run(rays, found));
        }
    });
}

/// Runs one kind of rays through ours and the references and prints a row. The rounds take turns, and the
/// best of each counts, so that other work on the machine disturbs all alike and as little as can be.
fn row(kind: &str, rays: &[TraceRay], ours: &Run, references: &[Option<Run>; 2]) {
    let mut found: [Vec<f32>; 3] = std::array::from_fn(|_| vec![0.0; rays.len()]);
    let mut best = [f64::INFINITY; 4];
    let timed = |best: &mut f64, run: &mut dyn FnMut()| {
        let start = Instant::now();
        run();
        *best = best.min(start.elapsed().as_secs_f64());
    };
    for _ in 0..ROUNDS {
        let [own, default, robust] = &mut found;
        timed(&mut best[0], &mut || ours(rays, own));
        for (i, (run, found)) in references.iter().zip([default, robust]).enumerate() {
            if let Some(run) = run {
                timed(&mut best[1 + i], &mut || run(rays, found));
            }
        }
    }
    for _ in 0..ROUNDS {
        timed(&mut best[3], &mut || {
            on_two_threads(ours, rays, &mut found[0]);
        });
    }
    let differing = found[0]
        .iter()
        .zip(&found[2])
        .filter(|(a, b)| {
            a.is_finite() != b.is_finite() || (a.is_finite() && (*a - *b).abs() > 1e-3 * b.max(1.0))
        })
        .count();
    let rate = |s: f64| rays.len() as f64 / s / 1e6;
    let cell = |s: f64| {
        if s.is_finite() {
            format!("{:.2} | {:.2}", rate(s), s / best[0])
        } else {
            "- | -".into()
        }
    };
    println!(
        "| {kind} | {:.2} | {:.2} ({:.2} x) | {} | {} | {} |",
        rate(best[0]),
        rate(best[3]),
        best[0] / best[3],
        cell(best[1]),
        cell(best[2]),
        if best[2].is_finite() {
            format!("{differing} of {}", rays.len())
        } else {
            "-".into()
        }
    );
}

/// Numbers of 0 to 1 that are the same in every run.
fn random(n: &mut u64) -> f32 {
    *n = n
        .wrapping_mul(6_364_136_223_846_793_005)
        .wrapping_add(1_442_695_040_888_963_407);
    (*n >> 40) as f32 / 16_777_216.0
}

fn bench(name: &str, path: &std::path::Path) {
    let imported = dome_trace::load(path, &dome_trace::ImportOptions::default())
        .unwrap_or_else(|e| panic!("{e}"));
    let scene = imported.scene;
    let at = if name == "Merlow" {
        glam::DVec3::new(1.55, 1.6, 1.75)
    } else {
        stand::middle(&scene)
    };
    let corners = scene.all_corners();
    let positions = corners.as_flattened();
    let numbers: Vec<u32> = (0..positions.len() as u32).collect();
    let triangles = numbers.as_chunks::<3>().0;
    let start = Instant::now();
    let accel = Accel::build(positions, triangles);
    let build_s = start.elapsed().as_secs_f64();

    let eye = MonoEye::new(at, Orientation::default(), Equirect);
    let primary: Vec<TraceRay> = (0..WIDTH * HEIGHT)
        .map(|i| {
            let ray = eye
                .ray(PicturePoint::pixel_centre(
                    i % WIDTH,
                    i / WIDTH,
                    WIDTH,
                    HEIGHT,
                ))
                .unwrap();
            TraceRay::new(ray.origin.as_vec3(), ray.direction.as_vec3())
        })
        .collect();
    let mut seed = 7;
    let (mut bounce, mut shadow) = (Vec::new(), Vec::new());
    for ray in &primary {
        let Some(hit) = accel.closest(ray) else {
            continue;
        };
        let [a, b, c] = scene.corners(hit.triangle);
        let mut n = (b - a).cross(c - a).normalize_or_zero();
        if n.dot(ray.direction) > 0.0 {
            n = -n;
        }
        let p = ray.origin + ray.direction * hit.distance + n * 1e-3;
        let (z, phi) = (
            1.0 - 2.0 * random(&mut seed),
            std::f32::consts::TAU * random(&mut seed),
        );
        let r = (1.0 - z * z).max(0.0).sqrt();
        // A point of the ball round the tip of the normal: cosine distributed.
        bounce.push(TraceRay::new(
            p,
            (n + Vec3::new(r * phi.cos(), r * phi.sin(), z) * 0.999).normalize(),
        ));
        let (low, high) = scene.bounds();
        let target = low + (high - low) * Vec3::new(random(&mut seed), 0.9, random(&mut seed));
        let offset = target - p;
        shadow.push(TraceRay::new(p, offset.normalize()).until(offset.length()));
    }
    let count = triangles.len();
    println!(
        "\n{name}: {count} triangles; built in {build_s:.2} s ({:.2} s per million), {:.0} bytes a triangle",
        build_s * 1e6 / count as f64,
        accel.bytes() as f64 / count as f64
    );
    println!(
        "| rays | ours, Mray/s | on two threads | Embree default | ratio | Embree robust | ratio | differing hits |"
    );
    println!("|---|---|---|---|---|---|---|---|");
    let references = [false, true].map(|robust| Reference::build(positions, triangles, robust));
    let closest = |rays: &[TraceRay], found: &mut [f32]| ours_closest(&accel, rays, found);
    let blocked = |rays: &[TraceRay], found: &mut [f32]| ours_blocked(&accel, rays, found);
    let theirs = |shadow: bool| {
        references.each_ref().map(|r| {
            r.as_ref().map(|r| -> Run {
                if shadow {
                    Box::new(|rays, found| r.blocked(rays, found))
                } else {
                    Box::new(|rays, found| r.closest(rays, found))
                }
            })
        })
    };
    let ours: Run = Box::new(closest);
    row("primary", &primary, &ours, &theirs(false));
    row("diffuse bounce", &bounce, &ours, &theirs(false));
    row(
        "shadow",
        &shadow,
        &(Box::new(blocked) as Run),
        &theirs(true),
    );
    if let Some(r) = references[1].as_ref() {
        println!("Embree robust built in {:.2} s.", r.build_s);
    }
}

/// A hilly ground of about so many triangles.
fn hills(triangles: usize) -> (Vec<Vec3>, Vec<[u32; 3]>) {
    let side = ((triangles / 2) as f64).sqrt() as u32;
    let mut positions = Vec::new();
    for z in 0..=side {
        for x in 0..=side {
            let (u, v) = (x as f32 * 0.05, z as f32 * 0.05);
            let y = (u * 0.7).sin() + (v * 0.9).cos() + 0.1 * (u * 9.0).sin() * (v * 7.0).sin();
            positions.push(Vec3::new(u, y, v));
        }
    }
    let mut faces = Vec::new();
    for z in 0..side {
        for x in 0..side {
            let a = z * (side + 1) + x;
            let b = a + side + 1;
            faces.extend([[a, b, a + 1], [a + 1, b, b + 1]]);
        }
    }
    (positions, faces)
}

/// Time and memory of building, from ten thousand to five million triangles, on one thread.
fn bench_building() {
    println!("\nBuilding, one thread:");
    println!(
        "| triangles | s | s per million | bytes a triangle | at most while building | Embree robust, s |"
    );
    println!("|---|---|---|---|---|---|");
    let pool = rayon::ThreadPoolBuilder::new()
        .num_threads(1)
        .build()
        .unwrap();
    for triangles in [10_000, 100_000, 1_000_000, 5_000_000] {
        let (positions, faces) = hills(triangles);
        let n = faces.len() as f64;
        let before = IN_USE.load(Ordering::Relaxed);
        PEAK.store(before, Ordering::Relaxed);
        let start = Instant::now();
        let accel = pool.install(|| Accel::build(&positions, &faces));
        let seconds = start.elapsed().as_secs_f64();
        let peak = PEAK.load(Ordering::Relaxed) - before;
        let theirs = Reference::build(&positions, &faces, true)
            .map_or("-".into(), |r| format!("{:.2}", r.build_s));
        println!(
            "| {n} | {seconds:.2} | {:.2} | {:.0} | {:.0} | {theirs} |",
            seconds * 1e6 / n,
            accel.bytes() as f64 / n,
            peak as f64 / n
        );
    }
}

/// Noise after the same samples with few lamps and with many of the same power together.
fn bench_lamps() {
    use dome_trace::scene::MeshPart;
    use dome_trace::{Control, Illumination, Material, Quality, Render, SceneBuilder, Sky};
    println!("\nNoise after 64 samples in a hall 40 m long, lamps of the same power together:");
    println!("| lamps | noise, percent of the displayed value | seconds |");
    println!("|---|---|---|");
    let dark = Sky::Plain { colour: [0.0; 3] };
    for lamps in [5u32, 50, 500] {
        let mut builder = SceneBuilder::default();
        let matt = Material {
            base_colour: [0.6; 3],
            specular: 0.0,
            ..Material::default()
        };
        let lamp = Material {
            emission: [60.0 * 500.0 / lamps as f32; 3],
            ..matt.clone()
        };
        builder.materials = vec![matt, lamp];
        let mut add = |name: String, corners: [[f32; 3]; 4], material| {
            builder.start_object(name);
            let part = MeshPart {
                positions: corners.to_vec(),
                triangles: vec![[0, 1, 2], [0, 2, 3]],
                material,
                ..MeshPart::default()
            };
            builder.add_part(&part, &glam::Mat4::IDENTITY);
        };
        let (x, y, z) = (40.0, 4.0, 6.0);
        add(
            "floor".into(),
            [[0.0, 0.0, 0.0], [0.0, 0.0, z], [x, 0.0, z], [x, 0.0, 0.0]],
            0,
        );
        add(
            "ceiling".into(),
            [[0.0, y, 0.0], [x, y, 0.0], [x, y, z], [0.0, y, z]],
            0,
        );
        add(
            "back".into(),
            [[0.0, 0.0, 0.0], [x, 0.0, 0.0], [x, y, 0.0], [0.0, y, 0.0]],
            0,
        );
        add(
            "front".into(),
            [[0.0, 0.0, z], [0.0, y, z], [x, y, z], [x, 0.0, z]],
            0,
        );
        for i in 0..lamps {
            let cx = x * (i as f32 + 0.5) / lamps as f32;
            let cz = 0.5 + 5.0 * (i as f32 * 0.618_034).fract();
            let (l, h) = (0.02, 3.2);
            let corners = [
                [cx - l, h, cz - l],
                [cx + l, h, cz - l],
                [cx + l, h, cz + l],
                [cx - l, h, cz + l],
            ];
            add(format!("lamp {i}"), corners, 1);
        }
        let scene = builder.build(dark.clone(), "hall").unwrap();
        let light = Illumination::plain(&scene, dark.clone());
        let eye = MonoEye::new(
            glam::DVec3::new(20.0, 1.6, 3.0),
            Orientation::default(),
            Equirect,
        );
        let size = dome_optics::PanoramaSize::from_width(256).unwrap();
        let render = Render::new(&scene, &light, &eye, size, Quality::Samples(64), 1);
        let start = Instant::now();
        let strip = render.strip(0, 128, &Control::default()).unwrap();
        println!(
            "| {lamps} | {:.2} | {:.2} |",
            strip.noise.percent().unwrap(),
            start.elapsed().as_secs_f64()
        );
    }
}

fn main() {
    let folder = tempfile::tempdir().unwrap();
    let demo = folder.path().join("merlow.glb");
    std::fs::write(&demo, merlow::build()).unwrap();
    bench("Merlow", &demo);
    for argument in std::env::args().skip(1).filter(|a| !a.starts_with("--")) {
        let path = std::path::PathBuf::from(argument);
        let name = path.file_stem().unwrap().to_string_lossy().into_owned();
        bench(&name, &path);
    }
    if std::env::var_os("RAYS_ONLY").is_none() {
        bench_building();
        bench_lamps();
    }
}
